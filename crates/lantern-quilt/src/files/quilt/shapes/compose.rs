//! Shapes put together from quarters.

use super::ShapeSpec;
use crate::art::{Look, TileArt};
use crate::picture::Picture;
use lantern_quilt_core::autotile::{Quarter, Scheme, quarters};

pub(super) fn quarter_name(set: &str, look: usize, quarter: u32) -> String {
    format!("{set}/quarter {look} {quarter}")
}

impl ShapeSpec {
    /// Puts shapes together from the five cells of quarters.
    pub(in crate::files::quilt) fn compose(&self, art: &mut TileArt) {
        let Some(looks) = self.quarters else { return };
        let name = self.set.name();
        for look in 0..looks {
            let taken = (0..5).map(|quarter| art.take(&quarter_name(name, look, quarter)));
            let cells: Option<Vec<Picture>> = taken.collect();
            let Some(cells) = cells else { continue };
            for (number, &shape) in Scheme::Eight.shapes().iter().enumerate() {
                art.add_look(format!("{name}/{number:02}"), Look::new(composed(&cells, shape)));
            }
        }
    }
}

/// A shape of the quarters that five cells hold.
fn composed(cells: &[Picture], shape: u8) -> Picture {
    let (width, height) = (cells[0].width(), cells[0].height());
    let (left, top) = (width / 2, height / 2);
    let mut whole = Picture::new(width, height, [0; 4]).expect("a cell");
    // North-east, south-east, south-west, north-west.
    let corners = [(left, 0), (left, top), (0, top), (0, 0)];
    for (quarter, (x, y)) in quarters(shape).into_iter().zip(corners) {
        let kind = match quarter {
            Quarter::Island => 0,
            Quarter::Upright => 1,
            Quarter::Level => 2,
            Quarter::Crossing => 3,
            Quarter::Inside => 4,
        };
        let wide = if x == 0 { left } else { width - left };
        let high = if y == 0 { top } else { height - top };
        if let Some(part) = cells[kind].cut(x, y, wide, high) {
            whole.lay(&part, i64::from(x), i64::from(y));
        }
    }
    whole
}
