//! `[map]`: lattice, size, wrapping and seed.

use super::cursor::{Keys, Notes, Value, unknown_name};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout, Wrap};
use lantern_quilt_core::seed::Seed;
use std::fmt::Write as _;

/// What `[map]` says.
pub(super) struct Map {
    pub(super) lattice: Option<Lattice>,
    pub(super) layout: Option<Layout>,
    pub(super) seed: Seed,
    /// Width, depth and height of a cell in metres.
    pub(super) module: Option<([f32; 3], std::ops::Range<usize>)>,
}

pub(super) fn read_map(mut keys: Keys<'_>, notes: &mut Notes) -> Map {
    let names = || Lattice::ALL.iter().map(|lattice| lattice.name());
    let mut lattice_help = String::from("one of");
    for name in names() {
        let _ = write!(lattice_help, " \"{name}\"");
    }
    let lattice = keys.need("lattice", &lattice_help, notes).and_then(|value| {
        let text = value.text(notes)?;
        let lattice = Lattice::from_name(text);
        if lattice.is_none() {
            unknown_name("lattice", &value, text, names(), notes);
        }
        lattice
    });
    let solid = lattice.is_some_and(Lattice::is_solid);
    let size_help = if solid { "`size = [16, 16, 8]`" } else { "`size = [40, 25]`" };
    let size = keys.need("size", size_help, notes);
    let extent_span = size.as_ref().map(|value| (value.span.clone(), value.subject()));
    let range = 1..i64::from(u32::MAX);
    let size = size.and_then(|value| {
        if solid {
            let [w, h, d] = value.wholes(range, Code::BadSize, notes)?;
            Some([w as u32, h as u32, d as u32])
        } else {
            // A set for several lattices may have levels that this one has not.
            let numbers = value.array(&mut Notes::default()).len();
            let [w, h] = if numbers == 3 {
                let [w, h, _] = value.wholes(range, Code::BadSize, notes)?;
                [w, h]
            } else {
                value.wholes(range, Code::BadSize, notes)?
            };
            Some([w as u32, h as u32, 1])
        }
    });
    let origin = keys.take("origin").and_then(|value| {
        let range = i64::from(i32::MIN)..i64::from(i32::MAX);
        if solid {
            let [x, y, z] = value.wholes(range, Code::BadValue, notes)?;
            Some(Cell::at(x as i32, y as i32, z as i32))
        } else {
            let [x, y] = value.wholes(range, Code::BadValue, notes)?;
            Some(Cell::new(x as i32, y as i32))
        }
    });
    let wrap = keys.take("wrap").map_or(Wrap::NONE, |value| read_wrap(&value, solid, notes));
    let seed = keys.take("seed").and_then(|value| value.number_or_text(notes));
    let module =
        keys.take("module").and_then(|value| Some((read_module(&value, notes)?, value.span)));
    keys.finish(notes);
    let layout = size.zip(lattice).and_then(|(size, lattice)| {
        let extent = Extent::new(origin.unwrap_or_default(), size);
        match extent.and_then(|extent| Layout::new(lattice, extent, wrap)) {
            Ok(layout) => Some(layout),
            Err(error) => {
                let (span, subject) = extent_span.unwrap_or((0..0, Subject::Quilt));
                notes.add(Finding::new(Code::BadSize, subject, error.to_string()), span);
                None
            }
        }
    });
    Map {
        module,
        lattice,
        layout,
        seed: seed.map_or_else(Seed::default, |text| Seed::from_text(&text)),
    }
}

/// `module = [2, 2, 3]`: width, depth and height in metres.
fn read_module(value: &Value<'_>, notes: &mut Notes) -> Option<[f32; 3]> {
    let numbers = value.array(notes);
    let lengths: Vec<f64> = numbers.iter().filter_map(|number| number.number(notes)).collect();
    let fits = |length: &&f64| (0.001..=10_000.0).contains(*length);
    match lengths[..] {
        [wide, deep, high] if lengths.iter().filter(fits).count() == 3 => {
            Some([wide as f32, deep as f32, high as f32])
        }
        _ if !value.is_array() => None,
        _ => {
            let text = "`module` needs width, depth and height of a cell in metres";
            let finding = Finding::new(Code::BadSize, value.subject(), text);
            let help = "write three numbers from 0.001 to 10000: `module = [2, 2, 3]`";
            notes.add(finding.help(help), value.span.clone());
            None
        }
    }
}

pub(super) fn read_wrap(value: &Value<'_>, solid: bool, notes: &mut Notes) -> Wrap {
    let mut wrap = Wrap::NONE;
    let axes: &[&str] = if solid { &["x", "y", "z"] } else { &["x", "y"] };
    for axis in value.array(notes) {
        match axis.text(notes) {
            Some("x") => wrap.x = true,
            Some("y") => wrap.y = true,
            Some("z") if solid => wrap.z = true,
            Some(other) => unknown_name("axis", &axis, other, axes.iter().copied(), notes),
            None => {}
        }
    }
    wrap
}
