//! Pictures of materials: PNG and JPEG, within limits.

use super::file::ModelError;
use super::limits::ModelLimits;
use crate::picture::{Picture, PictureError};
use zune_jpeg::JpegDecoder;
use zune_jpeg::zune_core::bytestream::ZCursor;
use zune_jpeg::zune_core::colorspace::ColorSpace;
use zune_jpeg::zune_core::options::DecoderOptions;

/// Reads a picture and says which kind it is; `Ok(Err)` says why it cannot be.
pub(super) fn decode(
    data: &[u8],
    limits: &mut ModelLimits,
) -> Result<Result<(Picture, &'static str), String>, ModelError> {
    let most = limits.pixels;
    let too_large = || ModelError::TooLarge { what: "texture pixels", most };
    let read = if data.starts_with(&[0x89, b'P', b'N', b'G']) {
        match Picture::from_png_within(data, most) {
            Ok(picture) => Ok((picture, "image/png")),
            Err(PictureError::TooLarge { .. }) => return Err(too_large()),
            Err(error) => Err(error.to_string()),
        }
    } else if data.starts_with(&[0xff, 0xd8]) {
        match jpeg(data, most) {
            Ok(Some(picture)) => Ok((picture, "image/jpeg")),
            Ok(None) => return Err(too_large()),
            Err(why) => Err(format!("not a readable JPEG: {why}")),
        }
    } else {
        Err("it is neither PNG nor JPEG".to_owned())
    };
    if let Ok((picture, _)) = &read {
        limits.pixels -= picture.pixels().len() as u64;
    }
    Ok(read)
}

/// `None` when it has more pixels than `most`.
fn jpeg(data: &[u8], most: u64) -> Result<Option<Picture>, String> {
    let options = DecoderOptions::default()
        .jpeg_set_out_colorspace(ColorSpace::RGB)
        .set_max_width(65_535)
        .set_max_height(65_535);
    let mut decoder = JpegDecoder::new_with_options(ZCursor::new(data), options);
    decoder.decode_headers().map_err(|error| error.to_string())?;
    let (width, height) = decoder.dimensions().ok_or("it has no size")?;
    if width as u64 * height as u64 > most {
        return Ok(None);
    }
    let pixels = decoder.decode().map_err(|error| error.to_string())?;
    let mut picture = Picture::new(width as u32, height as u32, [0, 0, 0, 255])
        .map_err(|error| error.to_string())?;
    for (index, pixel) in pixels.chunks_exact(3).enumerate() {
        let (x, y) = (index % width, index / width);
        picture.set(x as u32, y as u32, [pixel[0], pixel[1], pixel[2], 255]);
    }
    Ok(Some(picture))
}
