//! A text as its author laid it out: only lines that a change is about are printed anew.

use toml_edit::DocumentMut;

/// What a text may begin with.
const MARK: char = '\u{feff}';

/// The document of a text.
pub(super) fn parse(text: &str) -> Option<DocumentMut> {
    text.strip_prefix(MARK).unwrap_or(text).parse().ok()
}

/// The text after a change that made `after` of what was `printed`, with all other lines as they were;
/// nothing when they cannot be distinguished.
///
/// A document knows neither line ends nor whether the last line has one. Comments and blank lines above what was
/// taken away stay.
pub(super) fn kept(text: &str, printed: &str, after: &str) -> Option<String> {
    let own: Vec<&str> = text.strip_prefix(MARK).unwrap_or(text).split_inclusive('\n').collect();
    let old: Vec<&str> = printed.lines().collect();
    let new: Vec<&str> = after.lines().collect();
    let plain = |line: &&str| line.trim_end_matches(['\r', '\n']).to_owned();
    if !own.iter().map(plain).eq(old.iter().map(|line| (*line).to_owned())) {
        return None;
    }
    let same = |lines: &mut dyn Iterator<Item = (&&str, &&str)>| {
        lines.take_while(|(old, new)| old == new).count()
    };
    let first = same(&mut old.iter().zip(&new));
    let rest = old.len().min(new.len()) - first;
    let last = same(&mut old.iter().rev().zip(new.iter().rev())).min(rest);
    let gone = &own[first..own.len() - last];
    let mut lines: Vec<String> = own[..first].iter().map(|&line| line.to_owned()).collect();
    let fresh = &new[first..new.len() - last];
    if fresh.is_empty() {
        let is_code = |line: &&str| !line.trim().is_empty() && !line.trim().starts_with('#');
        let above = gone.iter().position(is_code).unwrap_or(gone.len());
        let comments = gone[..above].iter().rposition(|line| line.trim().starts_with('#'));
        lines.extend(gone[..comments.map_or(0, |at| at + 1)].iter().map(|&line| line.to_owned()));
    }
    let end = if text.contains("\r\n") { "\r\n" } else { "\n" };
    // A last line without an end gets one when something follows it.
    if let Some(line) = lines.last_mut().filter(|line| !fresh.is_empty() && !line.ends_with('\n')) {
        line.push_str(end);
    }
    for (number, line) in fresh.iter().enumerate() {
        // A line in the place of another ends as that did.
        let own = gone.get(number).map(|old| &old[old.trim_end_matches(['\r', '\n']).len()..]);
        lines.push(format!("{line}{}", own.filter(|own| !own.is_empty()).unwrap_or(end)));
    }
    lines.extend(own[own.len() - last..].iter().map(|&line| line.to_owned()));
    if !text.ends_with('\n')
        && let Some(line) = lines.last_mut()
    {
        line.truncate(line.trim_end_matches(['\r', '\n']).len());
    }
    let mark = if text.starts_with(MARK) { MARK.to_string() } else { String::new() };
    Some(mark + &lines.concat())
}
