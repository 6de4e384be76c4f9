//! Numbers that passes share, and what to say when there are none.

use crate::files::quilt::cursor::{Keys, Notes, Value};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use std::num::NonZeroU32;

/// A number from 0 to 1.
pub(in crate::files::quilt::passes) fn read_part(
    value: &Value<'_>,
    notes: &mut Notes,
) -> Option<f64> {
    let number = value.number(notes)?;
    if (0.0..=1.0).contains(&number) {
        return Some(number);
    }
    let text = format!("`{}` is {number}, not from 0 to 1", value.name());
    let finding = Finding::new(Code::BadValue, value.subject(), text);
    notes.add(finding.help("0.3 is three cells of ten"), value.span.clone());
    None
}

/// `per = 40`: for how many cells something is.
pub(in crate::files::quilt::passes) fn read_per(
    value: &Value<'_>,
    notes: &mut Notes,
) -> Option<NonZeroU32> {
    let cells = value.whole(1..1 << 32, Code::BadValue, notes)?;
    NonZeroU32::new(cells as u32)
}

/// `weight = 3`, 1 when nobody says.
pub(in crate::files::quilt::passes) fn take_weight(keys: &mut Keys<'_>, notes: &mut Notes) -> f64 {
    let Some(value) = keys.take("weight") else { return 1.0 };
    let weight = value.number(notes).unwrap_or(1.0);
    if weight.is_finite() && weight > 0.0 {
        return weight;
    }
    let text = format!("`weight` is {weight}");
    let finding = Finding::new(Code::BadWeight, value.subject(), text);
    notes.add(finding.help("a number above 0"), value.span.clone());
    1.0
}

/// Two numbers, or one for both.
pub(in crate::files::quilt::passes) fn read_pair(
    value: &Value<'_>,
    one_for_both: bool,
    notes: &mut Notes,
) -> Option<[f32; 2]> {
    let listed = if value.is_array() { value.array(notes) } else { vec![value.clone()] };
    let numbers: Vec<f64> = listed.iter().filter_map(|number| number.number(notes)).collect();
    let near = |number: &f64| (-1000.0..=1000.0).contains(number);
    match numbers[..] {
        [x, y] if near(&x) && near(&y) => Some([x as f32, y as f32]),
        [x] if one_for_both && near(&x) => Some([x as f32; 2]),
        _ if numbers.len() < listed.len() => None,
        _ => {
            let text = format!("`{}` needs two numbers from -1000 to 1000", value.name());
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("east and south: `[0.25, 0]`"), value.span.clone());
            None
        }
    }
}

/// Says that a pass does nothing.
pub(in crate::files::quilt::passes) fn say_empty(
    keys: &Keys<'_>,
    text: &str,
    help: &str,
    notes: &mut Notes,
) {
    let finding = Finding::new(Code::MissingKey, Subject::Field(keys.path().to_owned()), text);
    notes.add(finding.help(help), keys.span.clone());
}
