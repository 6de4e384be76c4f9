//! Labels in pictures, from a small font that ships with the crate.

use crate::picture::{Picture, Rgba};
use ab_glyph::{Font as _, FontRef, PxScale, ScaleFont as _, point};
use std::sync::LazyLock;

static FONT: LazyLock<FontRef<'static>> = LazyLock::new(|| {
    FontRef::try_from_slice(include_bytes!("../../assets/quilt-label-sans.ttf"))
        .expect("the font ships with the crate")
});

/// How many pixels wide `text` is at `size` pixels high.
pub fn label_width(text: &str, size: f32) -> f32 {
    let font = FONT.as_scaled(PxScale::from(size));
    text.chars().map(|c| font.h_advance(font.glyph_id(c))).sum()
}

/// Writes `text` with its top left corner at (`x`, `y`), `size` pixels high.
///
/// Characters the font lacks (outside ASCII) show as boxes.
pub fn label(picture: &mut Picture, x: i64, y: i64, size: f32, colour: Rgba, text: &str) {
    let font = FONT.as_scaled(PxScale::from(size));
    let baseline = font.ascent();
    let mut pen = 0.0;
    for c in text.chars() {
        let id = font.glyph_id(c);
        let glyph = id.with_scale_and_position(PxScale::from(size), point(pen, baseline));
        pen += font.h_advance(id);
        if let Some(outline) = FONT.outline_glyph(glyph) {
            let bounds = outline.px_bounds();
            outline.draw(|gx, gy, cover| {
                let alpha = (cover.clamp(0.0, 1.0) * f32::from(colour[3])) as u8;
                let px = x + bounds.min.x as i64 + i64::from(gx);
                let py = y + bounds.min.y as i64 + i64::from(gy);
                picture.blend(px, py, [colour[0], colour[1], colour[2], alpha]);
            });
        }
    }
}
