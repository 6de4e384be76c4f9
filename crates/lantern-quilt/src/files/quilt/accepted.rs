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
    pub(super) span: Range<usize>,
    pub(super) occurs: bool,
}

/// Takes out what is accepted, and marks that it occurred.
pub(super) fn drop_accepted(findings: &mut Vec<Located>, accepted: &mut [Accepted]) {
    findings.retain(|located| {
        let subject = located.finding.subject.to_string();
        let is_meant =
            |one: &&mut Accepted| one.code == located.finding.code && one.subject == subject;
        let meant = accepted.iter_mut().find(is_meant);
        meant.map(|one| one.occurs = true).is_none()
    });
}

/// `[[accept]]`: a code, a subject, and why.
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
        let why = keys.need("why", "a sentence for whoever reads this next", notes);
        let why = why.and_then(|value| value.text(notes));
        keys.finish(notes);
        if let (Some(code), Some(subject), Some(_)) = (code, subject, why) {
            accepted.push(Accepted { code, subject, span, occurs: false });
        }
    }
    accepted
}
