//! Pictures to PNG: small ones as small files, large ones quickly.

use png::{BitDepth, ColorType, Compression, DeflateCompression, Encoder, Filter};
use std::io::{BufWriter, Write};

/// Pictures with more pixels are written quickly.
const LARGE: usize = 1 << 18;

/// How well the data of large pictures is packed: on drawn maps a little better than the default with filters,
/// in a fifth of its time.
const PACKED: DeflateCompression = DeflateCompression::Level(3);

/// Writes pixels with text entries. A large picture of few colours has a palette; of others the alpha goes
/// where all is opaque.
pub(crate) fn write_png(
    [width, height]: [u32; 2],
    pixels: &[[u8; 4]],
    texts: &[(&str, &str)],
    out: impl Write,
) -> Result<(), png::EncodingError> {
    let mut encoder = Encoder::new(BufWriter::new(out), width, height);
    encoder.set_depth(BitDepth::Eight);
    encoder.set_color(ColorType::Rgba);
    for (keyword, value) in texts {
        encoder.add_itxt_chunk((*keyword).to_owned(), (*value).to_owned())?;
    }
    if pixels.len() <= LARGE {
        encoder.set_compression(Compression::Balanced);
        let mut writer = encoder.write_header()?;
        writer.write_image_data(pixels.as_flattened())?;
        return writer.finish();
    }
    // Pixel art repeats itself as it is; differences to neighbours would only hide that.
    encoder.set_filter(Filter::NoFilter);
    encoder.set_deflate_compression(PACKED);
    if let Some((palette, numbers)) = numbered(pixels) {
        encoder.set_color(ColorType::Indexed);
        encoder
            .set_palette(palette.iter().flat_map(|&[r, g, b, _]| [r, g, b]).collect::<Vec<u8>>());
        if palette.iter().any(|colour| colour[3] < 255) {
            encoder.set_trns(palette.iter().map(|colour| colour[3]).collect::<Vec<u8>>());
        }
        let mut writer = encoder.write_header()?;
        writer.write_image_data(&numbers)?;
        return writer.finish();
    }
    if pixels.iter().all(|pixel| pixel[3] == 255) {
        encoder.set_color(ColorType::Rgb);
        let plain: Vec<u8> = pixels.iter().flat_map(|&[r, g, b, _]| [r, g, b]).collect();
        let mut writer = encoder.write_header()?;
        writer.write_image_data(&plain)?;
        return writer.finish();
    }
    let mut writer = encoder.write_header()?;
    writer.write_image_data(pixels.as_flattened())?;
    writer.finish()
}

/// The colours, and the number of each pixel's; nothing when there are more than a palette holds.
fn numbered(pixels: &[[u8; 4]]) -> Option<(Vec<[u8; 4]>, Vec<u8>)> {
    const SLOTS: usize = 1 << 12;
    let slot =
        |colour: [u8; 4]| (u32::from_le_bytes(colour).wrapping_mul(0x9e37_79b9) >> 20) as usize;
    // What was looked up last, by colour: most pixels are found there at once.
    let mut known: Vec<Option<([u8; 4], u8)>> = vec![None; SLOTS];
    let (mut palette, mut numbers) = (Vec::<[u8; 4]>::new(), Vec::with_capacity(pixels.len()));
    for &pixel in pixels {
        let slot = &mut known[slot(pixel)];
        let number = match *slot {
            Some((colour, number)) if colour == pixel => number,
            _ => {
                let found = palette.iter().position(|&colour| colour == pixel);
                let number = found.unwrap_or_else(|| {
                    palette.push(pixel);
                    palette.len() - 1
                });
                let number = u8::try_from(number).ok()?;
                *slot = Some((pixel, number));
                number
            }
        };
        numbers.push(number);
    }
    Some((palette, numbers))
}
