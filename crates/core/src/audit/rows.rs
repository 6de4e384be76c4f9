//! Rows of pixels along sides, and how far they are apart.

use crate::tileset::pixels::Pixel;

/// One in distances between rows: the mean difference of a channel by one of 255.
pub(super) const ONE: u32 = 16;

/// The pixels along a side, from left to right for someone who looks out of it.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) struct Row(Vec<[i16; 3]>);

impl Row {
    /// Premultiplied, and each pixel with its neighbours: single pixels of a texture say nothing.
    pub(super) fn new(pixels: &[Pixel]) -> Self {
        let by_alpha = |pixel: &Pixel| -> [i16; 3] {
            std::array::from_fn(|channel| {
                (u16::from(pixel[channel]) * u16::from(pixel[3]) / 255).cast_signed()
            })
        };
        let plain: Vec<[i16; 3]> = pixels.iter().map(by_alpha).collect();
        let last = plain.len().saturating_sub(1);
        let mean = |at: usize| {
            let [a, b, c] = [plain[at.saturating_sub(1)], plain[at], plain[(at + 1).min(last)]];
            std::array::from_fn(|channel| (a[channel] + b[channel] + c[channel]) / 3)
        };
        Self((0..plain.len()).map(mean).collect())
    }

    pub(super) fn len(&self) -> usize {
        self.0.len()
    }

    /// How far two rows are apart, the second read forwards.
    pub(super) fn apart(&self, other: &Self) -> u32 {
        mean(self.0.iter().zip(&other.0))
    }

    /// How far two rows are apart that lie against each other, so that the second is read backwards.
    pub(super) fn across(&self, other: &Self) -> u32 {
        mean(self.0.iter().zip(other.0.iter().rev()))
    }
}

fn mean<'a>(pairs: impl Iterator<Item = (&'a [i16; 3], &'a [i16; 3])>) -> u32 {
    let (mut sum, mut count) = (0, 0);
    for (a, b) in pairs {
        sum += a.iter().zip(b).map(|(a, b)| u32::from(a.abs_diff(*b))).sum::<u32>();
        count += 3;
    }
    sum * ONE / count.max(1)
}

/// A distance as it is reported: in whole parts of 255.
pub(super) fn told(apart: u32) -> u8 {
    (apart / ONE).min(255) as u8
}

/// The value that `part` of four quarters lie below; nothing of none.
pub(super) fn quartile(mut values: Vec<u32>, part: usize) -> Option<u32> {
    values.sort_unstable();
    values.get((values.len() * part / 4).min(values.len().saturating_sub(1))).copied()
}
