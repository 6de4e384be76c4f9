//! Colours of a picture that its key does not have.

use super::cursor::{Notes, Value};
use crate::colour::to_hex;
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::passes::Stray;

/// Colours that are named one by one.
const NAMED: usize = 8;

/// Says which colours are off the key, how often and where, and which ones of the key come nearest.
pub(super) fn say_strays(strays: &[Stray], uncounted: u64, value: &Value<'_>, notes: &mut Notes) {
    for stray in strays.iter().take(NAMED) {
        let finding = Finding::new(Code::OffKey, value.subject(), said(stray));
        let help = stray.nearest.as_ref().map(|(colour, terrain, far)| {
            let [r, g, b] = *colour;
            format!(
                "the nearest is {} for `{terrain}`, {far} away: repaint, or let `near = {far}` take it",
                to_hex([r, g, b, 255])
            )
        });
        notes.add(finding.help(help.unwrap_or_default()), value.span.clone());
    }
    let more = strays.len().saturating_sub(NAMED);
    if more > 0 {
        let rest: u64 = strays[NAMED..].iter().map(|stray| stray.count).sum();
        let text = format!(
            "{}{more} more colours off the key, in {} pixels",
            if uncounted > 0 { "at least " } else { "" },
            rest + uncounted
        );
        let help = "paint plans without soft brushes and smoothing, or set `near`";
        notes.add(Finding::new(Code::OffKey, value.subject(), text).help(help), value.span.clone());
    }
}

fn said(stray: &Stray) -> String {
    let s = if stray.count == 1 { "" } else { "s" };
    let places: Vec<String> = stray.first.iter().map(|[x, y]| format!("[{x}, {y}]")).collect();
    let dots = if stray.count > stray.first.len() as u64 { ", ..." } else { "" };
    format!(
        "{} is not a colour of the key: {} pixel{s}, at {}{dots}",
        to_hex(stray.colour),
        stray.count,
        places.join(", ")
    )
}
