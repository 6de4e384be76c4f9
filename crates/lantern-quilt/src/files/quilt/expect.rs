//! `[[expect]]`: what must hold of a finished map.

use super::cursor::{Notes, Value, shorten};
use super::passes::Reading;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::recipe::Expectation;

/// `[[expect]]` with `where`, `meets`, `joined`, and `exactly`, `least` or `most`; each with where it stands.
pub(super) fn read_expected(
    value: Option<Value<'_>>,
    reading: &mut Reading<'_>,
    notes: &mut Notes,
) -> Vec<(Expectation, String)> {
    let mut expected: Vec<(Expectation, String)> = Vec::new();
    for value in value.map(|value| value.array(notes)).unwrap_or_default() {
        let Some(mut keys) = value.table(notes) else { continue };
        let name = keys.need("name", "what it is called: `name = \"one gate\"`", notes);
        let name = name.and_then(|value| value.text(notes)).unwrap_or_default().to_owned();
        let place = keys.need("where", "the cells that are meant: `where = { ... }`", notes);
        let meets = keys.take("meets");
        let joined = keys.take("joined").and_then(|value| value.boolean(notes)).unwrap_or(false);
        let mut count = |key| {
            let value = keys.take(key)?;
            value.whole(0..1 << 32, Code::BadValue, notes).map(|count| count as u64)
        };
        let (exactly, least, most) = (count("exactly"), count("least"), count("most"));
        let (path, span) = (keys.path().to_owned(), keys.span.clone());
        keys.finish(notes);
        let mut wrong = |code, text: String, help: &str| {
            let finding = Finding::new(code, Subject::Field(path.clone()), text);
            notes.add(finding.help(help), span.clone());
        };
        if exactly.is_some() && (least.is_some() || most.is_some()) {
            let text = "the count is given more than once".to_owned();
            wrong(Code::BadValue, text, "keep `exactly`, or `least` and `most`");
        }
        if let (Some(least), Some(most)) = (least, most)
            && least > most
        {
            let text = format!("at least {least} and at most {most} cannot both be");
            wrong(Code::BadValue, text, "exchange them");
        }
        if expected.iter().any(|(one, _)| one.name == name) {
            let text = format!("two expectations are named `{}`", shorten(&name));
            wrong(Code::DuplicateName, text, "give each a `name` of its own");
        }
        let Some(place) = place else { continue };
        let place = reading.names.read(&place, &mut reading.grounds, notes);
        let meets = meets.map(|meets| reading.names.read(&meets, &mut reading.grounds, notes));
        // All of none meet anything, so that is asked for without a count.
        let fewest = u64::from(most.is_none() && meets.is_none());
        let least = exactly.or(least).unwrap_or(fewest);
        let most = exactly.or(most).unwrap_or(u64::MAX);
        let one = Expectation::new(name, place).meets(meets).joined(joined);
        expected.push((one.least(least).most(most), path));
    }
    expected
}
