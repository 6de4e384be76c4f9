//! `[[accept]]`: findings that are meant.

use super::cursor::{Notes, Value, unknown_name};
use crate::files::report::Located;
use lantern_quilt_core::finding::{Code, Severity};
use std::ops::Range;

/// A finding that the quilt says is meant.
#[derive(Clone, Debug)]
pub(super) struct Accepted {
    pub(super) code: Code,
    pub(super) subject: String,
    /// Of a finding that lists places, those that are meant.
    places: Vec<String>,
    pub(super) span: Range<usize>,
    pub(super) occurs: bool,
}

impl Accepted {
    /// Whether it means a place that findings of a code list for a subject.
    #[cfg(feature = "draw")]
    pub(super) fn covers(&self, code: Code, subject: &str, place: &str) -> bool {
        let listed = self.places.is_empty() || self.places.iter().any(|known| known == place);
        self.code == code && self.subject == subject && listed
    }
}

/// Takes out what is accepted, and marks that it occurred. Of a finding that lists places only those go
/// that are named: a new one is reported, whatever was accepted before.
pub(super) fn drop_accepted(findings: &mut Vec<Located>, accepted: &mut [Accepted]) {
    findings.retain_mut(|located| {
        let finding = &mut located.finding;
        let subject = finding.subject.to_string();
        let mut meant = accepted
            .iter_mut()
            .filter(|one| one.code == finding.code && one.subject == subject)
            .peekable();
        if meant.peek().is_none() {
            return true;
        }
        let before = finding.places.len();
        for one in meant {
            let named = one.places.iter().any(|place| finding.places.contains(place));
            one.occurs |= before == 0 || one.places.is_empty() || named;
            finding.places.retain(|place| !one.places.contains(place));
        }
        let (left, gone) = (finding.places.len(), before - finding.places.len());
        if left == 0 {
            return false;
        }
        if gone > 0 {
            let are = if left == 1 { "is" } else { "are" };
            finding.message.push_str(&format!("; {gone} accepted, {left} {are} not"));
        }
        let listed: Vec<String> =
            finding.places.iter().map(|place| format!("\"{place}\"")).collect();
        finding.help.push_str(&format!("; to accept it, list `places = [{}]`", listed.join(", ")));
        true
    });
}

/// `[[accept]]`: a code, a subject, places where it lists some, and why.
pub(super) fn read_accepted(value: Option<Value<'_>>, notes: &mut Notes) -> Vec<Accepted> {
    let mut accepted = Vec::new();
    for entry in value.map(|value| value.array(notes)).unwrap_or_default() {
        let Some(mut keys) = entry.table(notes) else { continue };
        let span = keys.span.clone();
        let code = keys.need("code", "the code of the finding, as `check` prints it", notes);
        let code = code.and_then(|value| {
            let text = value.text(notes)?;
            // Errors stop a fill whatever is accepted.
            let codes = || Code::ALL.iter().filter(|code| code.severity() < Severity::Error);
            let code = codes().find(|code| code.text() == text).copied();
            if code.is_none() {
                let names = codes().map(|code| code.text());
                unknown_name("finding that can be accepted", &value, text, names, notes);
            }
            code
        });
        let subject = keys.need("subject", "what it is about, as `check --json` prints it", notes);
        let subject = subject.and_then(|value| value.text(notes).map(str::to_owned));
        let places = keys.take("places").map(|value| value.one_or_more(notes)).unwrap_or_default();
        let places =
            places.iter().filter_map(|place| place.text(notes).map(str::to_owned)).collect();
        let why = keys.need("why", "a sentence for whoever reads this next", notes);
        let why = why.and_then(|value| value.text(notes));
        keys.finish(notes);
        if let (Some(code), Some(subject), Some(_)) = (code, subject, why) {
            accepted.push(Accepted { code, subject, places, span, occurs: false });
        }
    }
    accepted
}
