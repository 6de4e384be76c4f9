//! Smaller pictures by true averages: each pixel is the mean of all that it covers, to the last part.

use super::DrawError;
use crate::picture::{Picture, Rgba};

/// How an axis is made smaller: `parts` of the picture become `of` pixels, whole or not.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Ratio {
    pub(super) of: u64,
    pub(super) parts: u64,
}

impl Ratio {
    /// Pixels that so many become.
    pub(super) const fn length(self, pixels: u32) -> u32 {
        (pixels as u64 * self.of).div_ceil(self.parts) as u32
    }

    /// The pixels that one covers, each with how much of it: in parts of `of`.
    fn covered(self, at: u32, length: u32) -> impl Iterator<Item = (u32, u32)> {
        let (from, to) = (u64::from(at) * self.parts, (u64::from(at) + 1) * self.parts);
        let first = from / self.of;
        let last = to.div_ceil(self.of).min(u64::from(length));
        (first..last).map(move |pixel| {
            let (begin, end) = (pixel * self.of, (pixel + 1) * self.of);
            (pixel as u32, (end.min(to) - begin.max(from)) as u32)
        })
    }
}

/// A picture that is made smaller while its rows come in.
pub(super) struct Averaged {
    ratios: [Ratio; 2],
    /// Columns and rows of what comes in.
    size: [u32; 2],
    out: Picture,
    /// The next row that comes in, and the row of the result that it belongs to.
    next: u32,
    row: u32,
    /// Sums of a column's channels over the rows so far, and how much they weigh.
    sums: Vec<[u32; 4]>,
    weight: u32,
}

impl Averaged {
    /// Of a picture of that size.
    pub(super) fn new(size: [u32; 2], ratios: [Ratio; 2]) -> Result<Self, DrawError> {
        let [wide, high] = [ratios[0].length(size[0]), ratios[1].length(size[1])];
        Ok(Self {
            ratios,
            size,
            out: Picture::new(wide, high, [0; 4])?,
            next: 0,
            row: 0,
            sums: vec![[0; 4]; size[0] as usize],
            weight: 0,
        })
    }

    /// Adds the next rows.
    pub(super) fn add(&mut self, rows: &Picture) {
        for pixels in rows.pixels().chunks(self.size[0].max(1) as usize) {
            let Ratio { of, parts } = self.ratios[1];
            let (begin, end) = (u64::from(self.next) * of, (u64::from(self.next) + 1) * of);
            self.next += 1;
            let mut at = begin;
            while at < end {
                let until = ((u64::from(self.row) + 1) * parts).min(end);
                self.sum(pixels, (until - at) as u32);
                at = until;
                if at == (u64::from(self.row) + 1) * parts {
                    self.close();
                }
            }
        }
        if self.next == self.size[1] && self.weight > 0 {
            self.close();
        }
    }

    fn sum(&mut self, pixels: &[Rgba], weight: u32) {
        self.weight += weight;
        // Plain rows of numbers, which compilers work on many at a time.
        let (sums, values) = (self.sums.as_flattened_mut(), pixels.as_flattened());
        if weight == 1 {
            sums.iter_mut().zip(values).for_each(|(sum, &value)| *sum += u32::from(value));
        } else {
            sums.iter_mut().zip(values).for_each(|(sum, &value)| *sum += u32::from(value) * weight);
        }
    }

    /// Writes a row of the result.
    fn close(&mut self) {
        for x in 0..self.out.width() {
            let (mut sums, mut weight) = ([0_u64; 4], 0_u64);
            for (column, part) in self.ratios[0].covered(x, self.size[0]) {
                weight += u64::from(part);
                for (sum, &value) in sums.iter_mut().zip(&self.sums[column as usize]) {
                    *sum += u64::from(value) * u64::from(part);
                }
            }
            let all = (weight * u64::from(self.weight)).max(1);
            self.out.set(x, self.row, sums.map(|sum| ((sum + all / 2) / all) as u8));
        }
        self.sums.fill([0; 4]);
        self.weight = 0;
        self.row += 1;
    }

    pub(super) fn finish(self) -> Picture {
        self.out
    }
}
