//! The house: no files of a folder use each other in a circle. Re-exports are exempt, and so are tests.

use rstest::rstest;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;

type Module = Vec<String>;

/// The modules below a folder, each with its text without tests.
fn modules(folder: &Path, at: &Module, found: &mut BTreeMap<Module, String>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_stem().unwrap().to_str().unwrap().to_owned();
        if path.is_dir() {
            modules(&path, &[&at[..], &[name]].concat(), found);
        } else if path.extension().is_some_and(|end| end == "rs") {
            let text = fs::read_to_string(&path).unwrap();
            let text = text.split("#[cfg(test)]").next().unwrap().to_owned();
            let own = matches!(&*name, "mod" | "lib" | "main");
            found.insert(if own { at.clone() } else { [&at[..], &[name]].concat() }, text);
        }
    }
}

/// The paths that the `use` lines of a text name, braces spelt out; without re-exports.
fn used(text: &str) -> Vec<String> {
    let mut paths = Vec::new();
    let mut rest = text;
    while let Some(start) = rest.find("use ") {
        let line = rest[..start].rfind('\n').map_or(0, |at| at + 1);
        let (before, from) = (rest[line..start].trim(), &rest[start + 4..]);
        let Some(end) = from.find(';') else { break };
        if before.is_empty() {
            spell_out("", &from[..end].split_whitespace().collect::<String>(), &mut paths);
        }
        rest = &from[end..];
    }
    paths
}

fn spell_out(before: &str, path: &str, paths: &mut Vec<String>) {
    let Some(open) = path.find('{') else {
        paths.push(format!("{before}{path}"));
        return;
    };
    let before = format!("{before}{}", &path[..open]);
    let (mut depth, mut start) = (0, open + 1);
    for (at, letter) in path.char_indices().skip(open) {
        match letter {
            '{' => depth += 1,
            '}' if depth == 1 => {
                spell_out(&before, &path[start..at], paths);
                return;
            }
            '}' => depth -= 1,
            ',' if depth == 1 => {
                spell_out(&before, &path[start..at], paths);
                start = at + 1;
            }
            _ => {}
        }
    }
}

/// The module that a path used in another leads to.
fn leads_to(path: &str, from: &Module, known: &BTreeMap<Module, String>) -> Option<Module> {
    let mut steps = path.split("::").peekable();
    let mut at = from.clone();
    match steps.next()? {
        "crate" => at.clear(),
        "self" => {}
        "super" => {
            at.pop();
            while steps.next_if_eq(&"super").is_some() {
                at.pop();
            }
        }
        _ => return None,
    }
    at.extend(steps.map(str::to_owned));
    while !known.contains_key(&at) {
        at.pop()?;
    }
    Some(at)
}

#[rstest]
#[case::core("core/src")]
#[case::library("lantern-quilt/src")]
#[case::tool("cli/src")]
#[case::testkit("testkit/src")]
#[case::bench("bench/src")]
fn no_files_of_a_folder_use_each_other_in_a_circle(#[case] root: &str) {
    let mut known = BTreeMap::new();
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(root);
    modules(&root, &Vec::new(), &mut known);
    // Which files or folders of each folder use which others; the folder's own file has no name there.
    let mut rooms: BTreeMap<Module, BTreeMap<String, BTreeSet<String>>> = BTreeMap::new();
    for (module, text) in &known {
        for to in used(text).iter().filter_map(|path| leads_to(path, module, &known)) {
            for depth in 0..=module.len().min(to.len()) {
                let (room, name) = (&module[..depth], |one: &Module| one.get(depth).cloned());
                let (from, to) = (name(module).unwrap_or_default(), name(&to).unwrap_or_default());
                if from != to {
                    rooms.entry(room.to_vec()).or_default().entry(from).or_default().insert(to);
                    break;
                }
            }
        }
    }
    assert!(rooms.values().map(BTreeMap::len).sum::<usize>() > 2, "nothing uses anything");
    for (room, mut uses) in rooms {
        // What uses nothing that is left is taken out, until all is gone or a circle is left.
        loop {
            let left: BTreeSet<String> = uses.keys().cloned().collect();
            let before = uses.len();
            for used in uses.values_mut() {
                used.retain(|one| left.contains(one));
            }
            uses.retain(|_, used| !used.is_empty());
            if uses.len() == before {
                break;
            }
        }
        assert!(uses.is_empty(), "a circle in {}: {uses:?}", room.join("/"));
    }
}
