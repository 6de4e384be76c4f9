//! Which pixels of a map's picture are drawn, and how large they are shown.

use super::average::{Averaged, Ratio};
use super::flat::{Flat, Part};
use super::place::Placement;
use super::{DrawError, DrawOptions, cell_of};
use crate::art::TileArt;
use crate::picture::{MAX_PIXELS, Picture, PictureError};
use lantern_quilt_core::lattice::{Extent, Layout};

/// Longer pictures are not made smaller: their sums would have no room.
const LONGEST: u32 = 1 << 24;
/// Pixels that are drawn at once, about, of a picture that is made smaller.
const STRIP: u32 = 1 << 18;

/// Part of the picture of a flat map, and what becomes of it.
#[derive(Clone, Copy, Debug)]
pub(super) struct Frame {
    /// Where cells lie in the picture of the whole map.
    place: Placement,
    part: Part,
    /// Each pixel becomes a block of so many.
    scale: u32,
    /// Or it is made smaller.
    smaller: Option<[Ratio; 2]>,
}

impl Frame {
    /// As `options` ask for it. O(1).
    pub(super) fn new(
        layout: Layout,
        art: &TileArt,
        options: &DrawOptions,
    ) -> Result<Self, DrawError> {
        let slant = art.slant(layout.lattice());
        let place = Placement::new(layout, cell_of(layout.lattice(), art, options));
        let place = place.ok_or(DrawError::NoArt)?.slanted(slant);
        let (wide, high) = place.size();
        let mut edges = [0, 0, wide as i64, high as i64];
        if let Some(region) = options.region {
            let cells = region.intersection(&layout.extent()).ok_or(DrawError::NoCells)?;
            edges = place.around(cells);
        }
        let [left, top, right, bottom] = edges;
        let too_large = |most: u64, [width, height]: [u64; 2]| {
            DrawError::from(PictureError::TooLarge { most, width, height })
        };
        let whole = [(right - left) as u64, (bottom - top) as u64];
        let size = whole.map(|length| u32::try_from(length).unwrap_or(u32::MAX));
        let part = Part { at: [left, top], size };
        let mut frame = Self { place, part, scale: options.scale.max(1), smaller: None };
        if options.smaller > 1 {
            let ratio = Ratio { of: 1, parts: options.smaller.into() };
            (frame.scale, frame.smaller) = (1, Some([ratio; 2]));
        }
        if let Some(room) = options.fit {
            (frame.scale, frame.smaller) = fitted(size, room);
        }
        if frame.smaller.is_some() && size.iter().any(|&length| length > LONGEST) {
            return Err(too_large(MAX_PIXELS, whole));
        }
        let shown = frame.size();
        if shown[0].saturating_mul(shown[1]) > MAX_PIXELS {
            return Err(too_large(MAX_PIXELS, shown));
        }
        Ok(frame)
    }

    /// Columns and rows of what is shown.
    pub(super) fn size(&self) -> [u64; 2] {
        match self.smaller {
            Some(ratios) => [0, 1].map(|axis| ratios[axis].length(self.part.size[axis]).into()),
            None => self.part.size.map(|length| u64::from(length) * u64::from(self.scale)),
        }
    }

    pub(super) const fn is_smaller(&self) -> bool {
        self.smaller.is_some()
    }

    /// The pixels that are drawn, before they are enlarged or made smaller.
    pub(super) const fn part(&self) -> Part {
        self.part
    }

    /// Where cells lie in the picture of the whole map.
    pub(super) const fn full(&self) -> Placement {
        self.place
    }

    /// Where cells lie in what is shown.
    pub(super) fn place(&self) -> Placement {
        let place = self.place.moved(self.part.at);
        match self.smaller {
            Some(ratios) => place.smaller(ratios),
            None => place.scaled(self.scale),
        }
    }

    /// The cells that may be seen.
    pub(super) fn seen(&self) -> Extent {
        self.place.moved(self.part.at).seen(self.part.size)
    }

    /// Draws it. A picture that is made smaller is never there as a whole. O(pixels).
    pub(super) fn draw(&self, flat: &Flat<'_>) -> Result<Picture, DrawError> {
        let Some(ratios) = self.smaller else {
            let picture = flat.draw(self.part)?;
            return Ok(if self.scale > 1 { picture.scaled(self.scale)? } else { picture });
        };
        let Part { at: [left, top], size: [wide, high] } = self.part;
        let mut averaged = Averaged::new([wide, high], ratios)?;
        let rows = (STRIP / wide.max(1)).max(self.place.cell()[1] as u32 * 4);
        let mut from = 0;
        while from < high {
            let rows = rows.min(high - from);
            let part = Part { at: [left, top + i64::from(from)], size: [wide, rows] };
            averaged.add(&flat.draw(part)?);
            from += rows;
        }
        Ok(averaged.finish())
    }
}

/// How a picture of that size is shown in some room: enlarged by a whole number, or made smaller.
fn fitted([wide, high]: [u32; 2], [right, bottom]: [u32; 2]) -> (u32, Option<[Ratio; 2]>) {
    let (wide, high) = (u64::from(wide.max(1)), u64::from(high.max(1)));
    let (right, bottom) = (u64::from(right.max(1)), u64::from(bottom.max(1)));
    let larger = (right / wide).min(bottom / high);
    if larger >= 1 {
        return (larger.min(64) as u32, None);
    }
    let near = |length: u64, of: u64, parts: u64| ((length * of + parts / 2) / parts).max(1);
    let [across, down] = if wide * bottom >= high * right {
        [right, near(high, right, wide)]
    } else {
        [near(wide, bottom, high), bottom]
    };
    (1, Some([Ratio { of: across, parts: wide }, Ratio { of: down, parts: high }]))
}
