//! `set`: values written into a quilt, which otherwise stays as its author wrote it.

use crate::args;
use crate::failure::Failure;
use crate::output;
use lantern_quilt::files::{Edit, EditError, Editor};
use lantern_quilt::finding::Severity;
use similar::{ChangeTag, TextDiff};

pub fn run(args: &args::Set) -> Result<(), Failure> {
    let mut editor = Editor::open(&args.quilt, &args.reading.options()).map_err(failure)?;
    for path in &args.remove {
        editor.remove(path).map_err(failure)?;
    }
    for change in &args.change {
        editor.set(change).map_err(failure)?;
    }
    let left = editor.check().map_err(failure)?;
    let edits: Vec<Edit<'_>> = editor.edits().collect();
    if edits.is_empty() {
        return tell(args, "nothing changes: the quilt has these values already\n");
    }
    if args.dry_run {
        let diffs: String = edits.iter().map(difference).collect();
        return output::print_styled(&diffs);
    }
    let text: String = edits.iter().map(change_of).collect();
    drop(edits);
    editor.save().map_err(failure)?;
    if let Some(report) = left {
        let errors = report.count(Severity::Error);
        let what = if errors == 1 { "1 mistake".to_owned() } else { format!("{errors} mistakes") };
        output::complain(&format!(
            "the quilt still has {what}: lantern-quilt check {}\n",
            args.quilt.display()
        ));
    }
    tell(args, &text)
}

fn tell(args: &args::Set, text: &str) -> Result<(), Failure> {
    if args.quiet { Ok(()) } else { output::print(text) }
}

pub(super) fn failure(error: EditError) -> Failure {
    match error {
        EditError::Unreadable(report) => Failure::Quilt(report),
        EditError::Refused { ref report, .. } => {
            output::print_report(report);
            Failure::Usage(error.to_string())
        }
        EditError::Nothing { .. } | EditError::Path { .. } => Failure::usage(error),
        _ => Failure::job(error),
    }
}

/// The file, and how many lines of it change.
pub(super) fn change_of(edit: &Edit<'_>) -> String {
    let [gone, new] = lines(edit);
    let count = |count, sign| format!("{sign}{count} line{}", if count == 1 { "" } else { "s" });
    format!("{}: {}, {}\n", edit.name, count(new, '+'), count(gone, '-'))
}

/// How many lines are gone, and how many are new.
fn lines(edit: &Edit<'_>) -> [usize; 2] {
    let difference = TextDiff::from_lines(edit.before, edit.after);
    [ChangeTag::Delete, ChangeTag::Insert]
        .map(|tag| difference.iter_all_changes().filter(|change| change.tag() == tag).count())
}

/// A unified difference, as `patch` reads it, with colours that are taken out where nobody wants them.
pub(super) fn difference(edit: &Edit<'_>) -> String {
    let difference = TextDiff::from_lines(edit.before, edit.after);
    let text = difference.unified_diff().header(edit.name, edit.name).to_string();
    let painted = text.split_inclusive('\n').enumerate().map(|(number, line)| {
        let style = match line.as_bytes().first() {
            _ if number < 2 => "1",
            Some(b'+') => "92",
            Some(b'-') => "91",
            _ => return line.to_owned(),
        };
        format!("\x1b[{style}m{}\x1b[0m\n", line.trim_end_matches('\n'))
    });
    painted.collect()
}
