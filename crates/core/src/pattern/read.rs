//! The windows of samples.

use super::{Pattern, PatternError, SamplePlace};
use crate::constraints::{Posed, Window, WindowRule, WindowSample, pose};
use crate::id::{IdVec, PoseId};
use crate::lattice::{Cell, Lattice, Shift, Side};
use crate::orient::Orientation;
use crate::rules::MAX_POSES;
use crate::tileset::Tileset;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// What stands in a window, and over which sides its own cell looks out of the map.
type Content = (Vec<Option<Posed>>, Vec<Side>);

/// Whether there can be windows at all.
pub(super) fn check(lattice: Lattice, windows: &WindowRule) -> Result<(), PatternError> {
    match windows.window {
        Window::Block(_) if lattice.turns() == 6 => return Err(PatternError::BlockOnHexagons),
        Window::Block(size) => {
            let [least, most] = Window::BLOCK;
            let axes = if lattice.is_solid() { 3 } else { 2 };
            let fits = size[..axes].iter().all(|length| (least..=most).contains(length));
            if !fits || size[axes..].iter().any(|&length| length != 1) {
                return Err(PatternError::BadWindow(by(size)));
            }
        }
        Window::Within(steps) => {
            let [least, most] = Window::WITHIN;
            if !(least..=most).contains(&steps) {
                return Err(PatternError::BadWindow(format!("within {steps} steps")));
            }
        }
    }
    if windows.samples.is_empty() {
        return Err(PatternError::NoSamples);
    }
    for (number, WindowSample { sample, edges, weight }) in windows.samples.iter().enumerate() {
        if !(weight.is_finite() && *weight > 0.0) {
            return Err(PatternError::BadWeight { sample: number, weight: *weight });
        }
        if sample.layout.lattice() != lattice {
            return Err(PatternError::OtherLattice { sample: number });
        }
        let all = lattice.sides().iter().all(|side| edges.contains(side));
        if lattice.turns() == 6 && !edges.is_empty() && !all {
            return Err(PatternError::SomeEdges);
        }
        // Over an axis that wraps a window may not meet itself.
        let needs = taken(windows.window, lattice);
        let (size, wrap) = (sample.layout.extent().size(), sample.layout.wrap());
        let short = |(axis, wraps): (usize, bool)| wraps && size[axis] < needs[axis];
        if [wrap.x, wrap.y, wrap.z].into_iter().enumerate().any(short) {
            return Err(too_small(number, size, needs));
        }
    }
    Ok(())
}

/// All windows of all samples, each once.
pub(super) fn patterns(
    set: &Tileset,
    windows: &WindowRule,
    shifts: &[Shift],
) -> Result<IdVec<PoseId, Pattern>, PatternError> {
    let mut known: HashMap<Content, PoseId, FxBuildHasher> = HashMap::default();
    let mut patterns: IdVec<PoseId, Pattern> = IdVec::new();
    for (number, sample) in windows.samples.iter().enumerate() {
        let mut any = false;
        for orientation in sample.sample.orientations() {
            for cell in sample.sample.layout.extent().iter() {
                let Some(content) = content(set, sample, shifts, orientation, cell) else {
                    continue;
                };
                any = true;
                let shown = SamplePlace { sample: number, cell, orientation };
                let id = *known.entry(content).or_insert_with_key(|(cells, looks_out)| {
                    let (cells, looks_out) = (cells.clone(), looks_out.clone());
                    patterns.push(Pattern { cells, looks_out, frequency: 0.0, shown })
                });
                patterns[id].frequency += sample.weight;
            }
        }
        if !any {
            let needs = taken(windows.window, set.lattice());
            return Err(too_small(number, sample.sample.layout.extent().size(), needs));
        }
    }
    let mut kinds = patterns.iter().flat_map(|pattern| &pattern.cells).flatten();
    let first = kinds.next();
    if kinds.all(|kind| Some(kind) == first) {
        return Err(PatternError::OneKind);
    }
    if patterns.len() > MAX_POSES {
        let sides = set.lattice().sides().len() as u64;
        let many = patterns.len() as u64;
        let bytes = many * many.div_ceil(8) * sides;
        return Err(PatternError::TooMany { patterns: patterns.len(), bytes, most: MAX_POSES });
    }
    Ok(patterns)
}

/// The window of a cell of a sample that is turned; `None` where it is not whole.
fn content(
    set: &Tileset,
    sample: &WindowSample,
    shifts: &[Shift],
    orientation: Orientation,
    cell: Cell,
) -> Option<Content> {
    let (layout, lattice) = (sample.sample.layout, set.lattice());
    let undo = orientation.inverse(lattice);
    let stands = |cell: Cell| {
        let (tile, shown) = sample.sample.cells[layout.extent().index(cell)?]?;
        pose(set, tile, shown, orientation)
    };
    stands(cell)?;
    let cells = shifts.iter().map(|&shift| {
        let by = undo.shift(lattice, shift);
        match layout.shifted(cell, by) {
            Some(cell) => stands(cell).map(Some),
            None => sample.is_edge(cell, by).then_some(None),
        }
    });
    let looks_out = |side: &&Side| {
        let shown = undo.side(lattice, **side);
        sample.edges.contains(&shown) && layout.neighbour(cell, shown).is_none()
    };
    Some((
        cells.collect::<Option<_>>()?,
        lattice.sides().iter().filter(looks_out).copied().collect(),
    ))
}

/// Columns, rows and levels that a window takes.
fn taken(window: Window, lattice: Lattice) -> [u32; 3] {
    match window {
        Window::Block(size) => size,
        Window::Within(steps) => {
            let across = 2 * steps + 1;
            [across, across, if lattice.is_solid() { across } else { 1 }]
        }
    }
}

fn too_small(sample: usize, size: [u32; 3], needs: [u32; 3]) -> PatternError {
    PatternError::TooSmall { sample, size: by(size), needs: by(needs) }
}

fn by([columns, rows, levels]: [u32; 3]) -> String {
    match levels {
        1 => format!("{columns}x{rows}"),
        _ => format!("{columns}x{rows}x{levels}"),
    }
}
