//! Files that are read and written, pipes, and what is left when something stops a run.
#![cfg(unix)]

use super::*;
use std::io::{BufRead as _, BufReader, Read as _};
use std::os::unix::fs::PermissionsExt as _;
use std::process::{Child, Stdio};

fn program() -> PathBuf {
    assert_cmd::cargo::cargo_bin("lantern-quilt")
}

/// A line of the shell; what it answers and what it complains of.
fn shell(folder: &Path, line: &str) -> (String, String) {
    let line = line.replace("TOOL", &program().display().to_string());
    let shell = std::process::Command::new("sh").args(["-c", &line]).current_dir(folder).output();
    let output = shell.unwrap();
    let text = |data: &[u8]| String::from_utf8_lossy(data).into_owned();
    (text(&output.stdout), text(&output.stderr))
}

#[rstest]
#[case::map("fill terrace.quilt.toml -o -")]
#[case::help("--help")]
#[case::list("demo --list")]
#[case::pairs("check terrace.quilt.toml --trials 0 --pairs -")]
#[case::picture("draw terrace.map.json --scale 2 -o -")]
fn a_closed_pipe_is_a_reader_who_has_seen_enough(#[case] words: &str) {
    let (_keep, folder) = terrace();
    let (_, errors) = shell(&folder, &format!("(TOOL {words}; echo $? >&2) | true"));
    assert!(errors.trim_end().ends_with('0') && !errors.contains("panicked"), "{words}: {errors}");
}

/// A standard error that nobody can write to changes no answer.
#[rstest]
#[case("fill terrace.quilt.toml -o a.json", "0")]
#[case("fill none.quilt.toml", "2")]
#[case("fill terrace.quilt.toml --limit-cells 9", "1")]
#[case("check --no-such-word", "2")]
fn a_failing_standard_error_is_no_panic(#[case] words: &str, #[case] code: &str) {
    let (_keep, folder) = terrace();
    for broken in ["2>/dev/full", "2>&-"] {
        let (answer, _) = shell(&folder, &format!("TOOL {words} {broken} >/dev/null; echo $?"));
        assert_eq!(answer.trim_end(), code, "{words} {broken}");
    }
}

/// Waits for a line of standard error, so that no test has to guess how long something takes.
fn once(
    words: &[&str],
    folder: &Path,
    line: &str,
) -> (Child, BufReader<std::process::ChildStderr>) {
    let mut child = std::process::Command::new(program())
        .args(words)
        .env("RUST_LOG", "debug")
        .current_dir(folder)
        .stderr(Stdio::piped())
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    let mut errors = BufReader::new(child.stderr.take().unwrap());
    let mut said = String::new();
    while !said.contains(line) {
        said.clear();
        assert!(errors.read_line(&mut said).unwrap() > 0, "it ended before `{line}`");
    }
    (child, errors)
}

fn send(signal: &str, child: &Child) {
    let id = child.id().to_string();
    std::process::Command::new("kill").args([signal, &id]).status().unwrap();
}

/// Large enough to be still at work when the signal comes, however fast the machine.
#[rstest]
#[case::fill(&["--size", "3000x3000", "-o", "a.csv"], "pass 1 of 1", "stopped", "a.partial.csv")]
#[case::film(&["--size", "400x400", "-o", "a.csv", "--film", "film.png", "--film-seconds", "600"], "filming", "film.png was not written: stopped", "a.csv")]
fn an_interrupt_stops_the_work_and_keeps_what_is_done(
    #[case] words: &[&str],
    #[case] when: &str,
    #[case] says: &str,
    #[case] kept: &str,
) {
    let (_keep, folder) = terrace();
    let words = [&["fill", "terrace.quilt.toml"], words].concat();
    let (mut child, mut errors) = once(&words, &folder, when);
    send("-INT", &child);
    let mut said = String::new();
    errors.read_to_string(&mut said).unwrap();
    assert_eq!(child.wait().unwrap().code(), Some(1), "{said}");
    assert!(said.contains(says), "{said}");
    assert!(folder.join(kept).exists() && !folder.join("film.png").exists());
    assert!(left_over(&folder).is_empty());
}

/// Temporary files in a folder.
fn left_over(folder: &Path) -> Vec<String> {
    let names = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().file_name());
    names.filter_map(|name| name.into_string().ok()).filter(|name| name.starts_with('.')).collect()
}

#[test]
fn what_a_killed_run_left_is_taken_away_by_the_next() {
    let (_keep, folder) = terrace();
    let words = ["fill", "terrace.quilt.toml", "--size", "400x400", "-o", "a.csv"];
    let film = ["--film", "film.png", "--film-seconds", "600"];
    let (mut child, _) = once(&[&words[..], &film].concat(), &folder, "filming");
    send("-KILL", &child);
    child.wait().unwrap();
    assert!(!left_over(&folder).is_empty(), "a film is written under another name");
    assert!(!folder.join("a.csv").exists(), "files come together or not at all");
    tool(&folder, &["fill", "terrace.quilt.toml", "--size", "8x6", "-o", "b.csv"]).success();
    assert_eq!(left_over(&folder), Vec::<String>::new());
}

/// Pipes and devices may have no end: they are never read.
#[test]
fn only_regular_files_are_read_and_replaced() {
    let (_keep, folder) = terrace();
    shell(&folder, "mkfifo pipe.quilt.toml pipe.json pipe.png");
    let why = "not a regular file";
    for words in [
        &["fill", "pipe.quilt.toml"][..],
        &["fill", "/dev/zero"],
        &["draw", "pipe.json", "-o", "a.png"],
        &["draw", "/dev/zero", "-o", "a.png"],
        &["fill", "terrace.quilt.toml", "--from", "pipe.json", "--again", "1,1,2x2"],
        &["fill", "terrace.quilt.toml", "--from", "terrace.map.json", "--again", "pipe.png"],
        &["check", "terrace.quilt.toml", "--trials", "0", "--map", "pipe.json"],
        &["learn", "pipe.png", "-o", "b.quilt.toml"],
    ] {
        tool(&folder, words).code(2).stderr(contains(why));
    }
    let text = fs::read_to_string(folder.join("terrace.quilt.toml")).unwrap();
    let piped = text.replace("terrace-tiles.png", "pipe.png");
    fs::write(folder.join("piped.quilt.toml"), piped).unwrap();
    tool(&folder, &["fill", "piped.quilt.toml"]).code(2).stderr(contains(why));
    let words = ["fill", "terrace.quilt.toml", "--size", "8x6", "-o", "pipe.png", "-o", "c.json"];
    tool(&folder, &words).code(1).stderr(contains("pipe.png is not a regular file"));
    assert!(!folder.join("c.json").exists(), "said before the work");
}

#[test]
fn links_and_modes_of_outputs_are_kept() {
    let (_keep, folder) = terrace();
    let inner = folder.join("maps");
    fs::create_dir(&inner).unwrap();
    fs::write(inner.join("real.json"), "old").unwrap();
    fs::set_permissions(inner.join("real.json"), fs::Permissions::from_mode(0o640)).unwrap();
    std::os::unix::fs::symlink("maps/real.json", folder.join("a.json")).unwrap();
    std::os::unix::fs::symlink("maps/new.csv", folder.join("a.csv")).unwrap();
    let words = ["fill", "terrace.quilt.toml", "--size", "8x6", "-o", "a.json", "-o", "a.csv"];
    tool(&folder, &words).success();
    for (link, target) in [("a.json", "real.json"), ("a.csv", "new.csv")] {
        assert!(fs::symlink_metadata(folder.join(link)).unwrap().is_symlink());
        assert!(fs::metadata(inner.join(target)).unwrap().len() > 100);
    }
    let mode = fs::metadata(inner.join("real.json")).unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o640);
}

/// What cannot be drawn is said before anything is filled, and one file that fails costs no other.
#[test]
fn limits_come_before_the_work_and_failures_stay_alone() {
    let (_keep, folder) = terrace();
    let quilt = "terrace.quilt.toml";
    tool(&folder, &["fill", quilt, "--size", "700x700"]).code(1).stderr(
        contains("16800 x 16800 pixels are over the limit")
            .and(contains("without a picture: -o terrace.map.json")),
    );
    for word in ["--film", "--steps"] {
        tool(&folder, &["fill", quilt, "--size", "700x700", "-o", "a.csv", word, "b.png"])
            .code(1)
            .stderr(contains("b.png: the picture cannot be made"));
        assert!(!folder.join("a.csv").exists());
    }
    tool(&folder, &["fill", quilt, "--size", "8x6", "--scale", "64", "-o", "a.png"])
        .code(0)
        .stdout(contains("a.png"));
    tool(&folder, &["fill", quilt, "--limit-pixels", "10000"])
        .code(2)
        .stderr(contains("bad-picture").and(contains("together may have 10000 pixels")));
    // A folder that nobody may write to, found out too late.
    fs::create_dir(folder.join("full")).unwrap();
    std::os::unix::fs::symlink("/dev/null/none", folder.join("full/b.csv")).unwrap();
    tool(&folder, &["fill", quilt, "--size", "8x6", "-o", "full/b.csv", "-o", "b.json"])
        .code(1)
        .stdout(contains("b.json").and(contains("b.csv").not()))
        .stderr(contains("full/b.csv was not written"));
    assert!(folder.join("b.json").exists());
}

#[rstest]
#[case("nan")]
#[case("-3")]
#[case("1e9")]
#[case("0")]
fn a_film_has_a_length(#[case] seconds: &str) {
    let (_keep, folder) = terrace();
    let film = format!("--film-seconds={seconds}");
    tool(&folder, &["fill", "terrace.quilt.toml", "--film", "film.png", &film])
        .code(2)
        .stderr(contains("0.1 to 600 seconds"));
}

/// A map that is impossible from the start is drawn with the holes that make it so.
#[test]
fn holes_show_why_a_map_is_impossible() {
    let (_keep, folder) = terrace();
    fs::write(folder.join("stuck.quilt.toml"), STUCK).unwrap();
    tool(&folder, &["fill", "stuck.quilt.toml"]).code(1);
    tool(&folder, &["fill", "stuck.quilt.toml", "--holes"])
        .success()
        .stdout(contains("4 holes: ").and(contains("stuck.png")));
    let map = fs::read_to_string(folder.join("stuck.map.json")).unwrap();
    let map: serde_json::Value = serde_json::from_str(&map).unwrap();
    let holes = map["tags"]["hole"].as_array().unwrap();
    let marked: usize = holes.iter().map(|row| row.as_str().unwrap().matches('#').count()).sum();
    assert_eq!(marked, 4);
}
