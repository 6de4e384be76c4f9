//! Pictures: plain RGBA pixels, cut, turned, and read and written as PNG.

use crate::encode::write_png;
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::orient::Orientation;
use std::io::{Cursor, Write};
use thiserror::Error;

/// Red, green, blue and alpha, not premultiplied.
pub type Rgba = [u8; 4];

/// The most pixels a picture may have, read or drawn: 2^27 (512 MiB).
pub const MAX_PIXELS: u64 = 1 << 27;

/// Why a picture cannot be read, made or written.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum PictureError {
    /// More pixels than [`MAX_PIXELS`], or than were allowed.
    #[error("{width} x {height} pixels are over the limit of {most}")]
    TooLarge {
        /// The most pixels.
        most: u64,
        /// Columns.
        width: u64,
        /// Rows.
        height: u64,
    },
    /// The data is not a PNG, or is damaged.
    #[error("not a readable PNG: {0}")]
    Decode(#[from] png::DecodingError),
    /// It could not be written.
    #[error("the PNG could not be written: {0}")]
    Encode(#[from] png::EncodingError),
}

impl From<PictureError> for std::io::Error {
    /// Where writing failed, with the kind of that error.
    fn from(error: PictureError) -> Self {
        match error {
            PictureError::Encode(png::EncodingError::IoError(error)) => error,
            error => Self::other(error),
        }
    }
}

/// Pixels in rows from the top.
#[derive(Clone, PartialEq, Eq)]
pub struct Picture {
    width: u32,
    height: u32,
    pixels: Vec<Rgba>,
}

impl std::fmt::Debug for Picture {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Picture({} x {})", self.width, self.height)
    }
}

impl Picture {
    /// A picture of one colour.
    ///
    /// # Errors
    /// [`PictureError::TooLarge`], before anything is allocated.
    pub fn new(width: u32, height: u32, colour: Rgba) -> Result<Self, PictureError> {
        let pixels = u64::from(width) * u64::from(height);
        if pixels > MAX_PIXELS {
            let (width, height) = (width.into(), height.into());
            return Err(PictureError::TooLarge { most: MAX_PIXELS, width, height });
        }
        Ok(Self { width, height, pixels: vec![colour; pixels as usize] })
    }

    /// Columns.
    pub const fn width(&self) -> u32 {
        self.width
    }

    /// Rows.
    pub const fn height(&self) -> u32 {
        self.height
    }

    /// The pixels, row by row.
    pub fn pixels(&self) -> &[Rgba] {
        &self.pixels
    }

    /// The pixel at column `x` and row `y`, or `None` outside.
    pub fn get(&self, x: u32, y: u32) -> Option<Rgba> {
        (x < self.width && y < self.height)
            .then(|| self.pixels[y as usize * self.width as usize + x as usize])
    }

    /// The parts of a picture that lie side by side, all of one width, one below the other; `None` when its
    /// columns do not divide into them. O(pixels).
    pub fn stacked(&self, parts: u32) -> Option<Self> {
        if parts == 0 || !self.width.is_multiple_of(parts) {
            return None;
        }
        let width = self.width / parts;
        let mut pixels = Vec::with_capacity(self.pixels.len());
        for part in 0..parts {
            for row in self.pixels.chunks(self.width.max(1) as usize) {
                pixels.extend_from_slice(&row[(part * width) as usize..][..width as usize]);
            }
        }
        Some(Self { width, height: self.height * parts, pixels })
    }

    /// This picture with another below it, the narrower one at the left; beside it lies the colour of the other's last
    /// pixel. O(pixels).
    ///
    /// # Errors
    /// [`PictureError::TooLarge`].
    pub fn above(&self, below: &Self) -> Result<Self, PictureError> {
        let ground = below.pixels.last().copied().unwrap_or([0; 4]);
        let width = self.width.max(below.width);
        let mut both = Self::new(width, self.height + below.height, ground)?;
        for (picture, top) in [(self, 0), (below, self.height)] {
            for (y, row) in picture.pixels.chunks(picture.width.max(1) as usize).enumerate() {
                let start = (top as usize + y) * width as usize;
                both.pixels[start..start + row.len()].copy_from_slice(row);
            }
        }
        Ok(both)
    }

    /// Sets a pixel; outside nothing happens.
    pub fn set(&mut self, x: u32, y: u32, colour: Rgba) {
        if x < self.width && y < self.height {
            self.pixels[y as usize * self.width as usize + x as usize] = colour;
        }
    }

    /// Lays a colour over a pixel by its alpha; outside nothing happens.
    pub fn blend(&mut self, x: i64, y: i64, colour: Rgba) {
        let (Ok(x), Ok(y)) = (u32::try_from(x), u32::try_from(y)) else { return };
        if let Some(under) = self.get(x, y) {
            self.set(x, y, over(colour, under));
        }
    }

    /// Lays `other` over this picture with its top left corner at (`x`, `y`).
    pub fn lay(&mut self, other: &Self, x: i64, y: i64) {
        self.each_row(other, x, y, |to, from| {
            for (under, &colour) in to.iter_mut().zip(from) {
                *under = match colour[3] {
                    255 => colour,
                    0 => *under,
                    _ => over(colour, *under),
                };
            }
        });
    }

    /// As [`lay`](Self::lay), with its pixels as they are, clear ones too.
    pub fn put(&mut self, other: &Self, x: i64, y: i64) {
        self.each_row(other, x, y, <[Rgba]>::copy_from_slice);
    }

    /// Calls with each row of this picture that lies under `other`, and that of the other.
    fn each_row(&mut self, other: &Self, x: i64, y: i64, call: impl Fn(&mut [Rgba], &[Rgba])) {
        let left = x.max(0);
        let right = (x + i64::from(other.width)).min(i64::from(self.width));
        if left >= right {
            return;
        }
        let length = (right - left) as usize;
        let rows = -y.min(0)..i64::from(other.height).min(i64::from(self.height) - y);
        for row in rows {
            let from = row as usize * other.width as usize + (left - x) as usize;
            let to = (y + row) as usize * self.width as usize + left as usize;
            call(&mut self.pixels[to..to + length], &other.pixels[from..from + length]);
        }
    }

    /// The part of `width` x `height` at (`x`, `y`), or `None` when it does not lie inside.
    pub fn cut(&self, x: u32, y: u32, width: u32, height: u32) -> Option<Self> {
        let inside = x.checked_add(width)? <= self.width && y.checked_add(height)? <= self.height;
        inside.then(|| {
            let rows = (y..y + height).flat_map(|row| {
                let from = row as usize * self.width as usize + x as usize;
                &self.pixels[from..from + width as usize]
            });
            Self { width, height, pixels: rows.copied().collect() }
        })
    }

    /// Every pixel as a block of `scale` x `scale`.
    ///
    /// # Errors
    /// [`PictureError::TooLarge`].
    pub fn scaled(&self, scale: u32) -> Result<Self, PictureError> {
        let scale = scale.max(1);
        let (width, height) =
            (u64::from(self.width) * u64::from(scale), u64::from(self.height) * u64::from(scale));
        if width * height > MAX_PIXELS {
            return Err(PictureError::TooLarge { most: MAX_PIXELS, width, height });
        }
        let mut pixels = Vec::with_capacity((width * height) as usize);
        for row in self.pixels.chunks(self.width.max(1) as usize) {
            let start = pixels.len();
            pixels.extend(row.iter().flat_map(|&p| std::iter::repeat_n(p, scale as usize)));
            let end = pixels.len();
            for _ in 1..scale {
                pixels.extend_from_within(start..end);
            }
        }
        Ok(Self { width: width as u32, height: height as u32, pixels })
    }

    /// Every block of `by` x `by` pixels as one, their mean; what is left over at the edges goes.
    #[must_use]
    pub fn shrunk(&self, by: u32) -> Self {
        let by = by.clamp(1, self.width.min(self.height).max(1));
        if by == 1 {
            return self.clone();
        }
        let (width, height) = (self.width / by, self.height / by);
        let mut pixels = Vec::with_capacity(width as usize * height as usize);
        for y in 0..height {
            for x in 0..width {
                let mut sums = [0u32; 4];
                for row in y * by..(y + 1) * by {
                    let start = row as usize * self.width as usize + (x * by) as usize;
                    for pixel in &self.pixels[start..start + by as usize] {
                        for (sum, &value) in sums.iter_mut().zip(pixel) {
                            *sum += u32::from(value);
                        }
                    }
                }
                pixels.push(sums.map(|sum| (sum / (by * by)) as u8));
            }
        }
        Self { width, height, pixels }
    }

    /// The picture mirrored and turned. Quarter turns exchange width and height.
    ///
    /// Hexagons turn by sixths, about the middle; each pixel takes the colour of the nearest pixel
    /// of the picture as it was, and nothing where there was none.
    #[must_use]
    pub fn oriented(&self, lattice: Lattice, orientation: Orientation) -> Self {
        let mirrored = |x: u32| if orientation.mirrored() { self.width - 1 - x } else { x };
        let at = |x: u32, y: u32| self.pixels[(y * self.width + mirrored(x)) as usize];
        let [cos, sin] = orientation.cosine_and_sine(lattice);
        if cos != 0.0 && sin != 0.0 {
            return self.turned_between(orientation.mirrored(), [cos, sin]);
        }
        let (w, h) = (self.width, self.height);
        let (width, height) = if cos == 0.0 { (h, w) } else { (w, h) };
        let pixel = |x: u32, y: u32| match (cos > 0.0, sin > 0.0) {
            (true, _) => at(x, y),
            (_, true) => at(y, h - 1 - x),
            _ if sin == 0.0 => at(w - 1 - x, h - 1 - y),
            _ => at(w - 1 - y, x),
        };
        let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
        Self { width, height, pixels: pixels.map(|(x, y)| pixel(x, y)).collect() }
    }

    /// Turned by an angle that is no quarter, perhaps mirrored before.
    fn turned_between(&self, mirrored: bool, [cos, sin]: [f64; 2]) -> Self {
        let (cx, cy) = (f64::from(self.width) / 2.0, f64::from(self.height) / 2.0);
        let mut turned = Self {
            width: self.width,
            height: self.height,
            pixels: vec![[0; 4]; self.pixels.len()],
        };
        for y in 0..self.height {
            for x in 0..self.width {
                let (dx, dy) = (f64::from(x) + 0.5 - cx, f64::from(y) + 0.5 - cy);
                let (fx, fy) = (cos * dx + sin * dy + cx, cos * dy - sin * dx + cy);
                // A hexagon's corners may fall just outside by rounding; the nearest pixel serves.
                let clamp = |v: f64, end: u32| (v.floor() as i64).clamp(-1, i64::from(end));
                let near = |v: i64, end: u32| v.clamp(0, i64::from(end) - 1) as u32;
                let (ix, iy) = (
                    near(clamp(fx, self.width), self.width),
                    near(clamp(fy, self.height), self.height),
                );
                let ix = if mirrored { self.width - 1 - ix } else { ix };
                let colour = self.pixels[(iy * self.width + ix) as usize];
                turned.set(x, y, colour);
            }
        }
        turned
    }

    /// The pixels along a side, from left to right for someone who looks out of it.
    ///
    /// On squares they are the outermost row or column. On hexagons they are taken half a pixel
    /// inside the edge, as many as half the picture is high. Empty for other sides.
    #[must_use]
    pub fn side(&self, lattice: Lattice, side: Side) -> Vec<Rgba> {
        let (w, h) = (self.width, self.height);
        if w == 0 || h == 0 || side.is_flat() || lattice.side_index(side).is_none() {
            return Vec::new();
        }
        if lattice.turns() == 6 {
            return self.slanted_side(lattice, side);
        }
        let at = |x: u32, y: u32| self.pixels[y as usize * w as usize + x as usize];
        match side {
            Side::North => (0..w).map(|x| at(x, 0)).collect(),
            Side::East => (0..h).map(|y| at(w - 1, y)).collect(),
            Side::South => (0..w).rev().map(|x| at(x, h - 1)).collect(),
            _ => (0..h).rev().map(|y| at(0, y)).collect(),
        }
    }

    fn slanted_side(&self, lattice: Lattice, side: Side) -> Vec<Rgba> {
        // Corners as parts of half the size, clockwise; sides lie between a corner and the next.
        const POINTY: [[f64; 2]; 6] =
            [[0.0, -1.0], [1.0, -0.5], [1.0, 0.5], [0.0, 1.0], [-1.0, 0.5], [-1.0, -0.5]];
        const FLAT: [[f64; 2]; 6] =
            [[-0.5, -1.0], [0.5, -1.0], [1.0, 0.0], [0.5, 1.0], [-0.5, 1.0], [-1.0, 0.0]];
        let corners = if lattice == Lattice::HexPointy { POINTY } else { FLAT };
        let index = lattice.side_index(side).expect("a side of the lattice");
        let half = [f64::from(self.width) / 2.0, f64::from(self.height) / 2.0];
        let inset = 1.0 - 1.0 / half[0].min(half[1]).max(1.0);
        let corner = |number: usize, axis: usize| corners[number % 6][axis] * half[axis] * inset;
        let steps = (self.height / 2).max(1);
        let along = |step: u32| {
            let part = (f64::from(step) + 0.5) / f64::from(steps);
            let [x, y] = [0, 1].map(|axis| {
                let (from, to) = (corner(index, axis), corner(index + 1, axis));
                (from + (to - from) * part + half[axis]).floor().max(0.0) as u32
            });
            self.get(x.min(self.width - 1), y.min(self.height - 1)).unwrap_or_default()
        };
        (0..steps).map(along).collect()
    }

    /// Reads a PNG of any colour type and depth.
    ///
    /// # Errors
    /// When it is damaged, or claims more than [`MAX_PIXELS`]; nothing is allocated before that is
    /// known.
    pub fn from_png(data: &[u8]) -> Result<Self, PictureError> {
        Self::from_png_within(data, MAX_PIXELS)
    }

    /// As [`from_png`](Self::from_png), with a limit of one's own below [`MAX_PIXELS`].
    ///
    /// # Errors
    /// As [`from_png`](Self::from_png).
    pub fn from_png_within(data: &[u8], most: u64) -> Result<Self, PictureError> {
        let most = most.min(MAX_PIXELS);
        let mut decoder = png::Decoder::new(Cursor::new(data));
        decoder.set_transformations(
            png::Transformations::normalize_to_color8() | png::Transformations::ALPHA,
        );
        let mut reader = decoder.read_info()?;
        let (width, height) = (reader.info().width, reader.info().height);
        let (w, h) = (u64::from(width), u64::from(height));
        if w * h > most {
            return Err(PictureError::TooLarge { most, width: w, height: h });
        }
        let size = reader.output_buffer_size().unwrap_or(usize::MAX);
        if size as u64 > most.saturating_mul(4) {
            return Err(PictureError::TooLarge { most, width: w, height: h });
        }
        let mut buffer = vec![0; size];
        let info = reader.next_frame(&mut buffer)?;
        let grey = |v: u8, a: u8| [v, v, v, a];
        let pixels = match info.color_type {
            png::ColorType::Rgba => buffer.as_chunks::<4>().0.to_vec(),
            png::ColorType::Rgb => {
                buffer.as_chunks().0.iter().map(|&[r, g, b]| [r, g, b, 255]).collect()
            }
            png::ColorType::GrayscaleAlpha => {
                buffer.as_chunks().0.iter().map(|&[v, a]| grey(v, a)).collect()
            }
            _ => buffer.iter().map(|&v| grey(v, 255)).collect(),
        };
        let pixels: Vec<Rgba> = pixels;
        let mut picture = Self { width, height, pixels };
        picture.pixels.resize((w * h) as usize, [0; 4]);
        Ok(picture)
    }

    /// Writes a PNG with text entries (keyword and value). One of more than 2^18 pixels is written
    /// quickly: with a palette where it has 256 colours at most.
    ///
    /// # Errors
    /// When `out` fails, or a keyword is not one PNG allows.
    pub fn write_png(&self, out: impl Write, texts: &[(&str, &str)]) -> Result<(), PictureError> {
        Ok(write_png([self.width, self.height], &self.pixels, texts, out)?)
    }

    /// The PNG as bytes.
    ///
    /// # Errors
    /// As [`write_png`](Self::write_png).
    pub fn to_png(&self, texts: &[(&str, &str)]) -> Result<Vec<u8>, PictureError> {
        let mut data = Vec::new();
        self.write_png(&mut data, texts)?;
        Ok(data)
    }
}

/// `top` over `under`, by the alpha of both.
fn over(top: Rgba, under: Rgba) -> Rgba {
    let (ta, ua) = (u32::from(top[3]), u32::from(under[3]));
    let alpha = ta * 255 + ua * (255 - ta);
    if alpha == 0 {
        return [0; 4];
    }
    let mut mixed = [0; 4];
    for channel in 0..3 {
        let sum = u32::from(top[channel]) * ta * 255 + u32::from(under[channel]) * ua * (255 - ta);
        mixed[channel] = ((sum + alpha / 2) / alpha) as u8;
    }
    mixed[3] = ((alpha + 127) / 255) as u8;
    mixed
}
