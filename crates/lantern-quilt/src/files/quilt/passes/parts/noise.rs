//! What a noise is like.

use crate::files::quilt::cursor::unknown_name;
use crate::files::quilt::cursor::{Keys, Notes};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::noise::{Noise, NoiseKind};

/// From keys among others: `scale`, `octaves`, `stretch`, `kind`.
pub(in crate::files::quilt::passes) fn take_noise(keys: &mut Keys<'_>, notes: &mut Notes) -> Noise {
    let mut noise = Noise::new(8.0);
    if let Some(value) = keys.take("scale")
        && let Some(scale) = value.number(notes)
    {
        if scale > 0.0 && scale <= 1e6 {
            noise.scale = scale as f32;
        } else {
            let text = format!("`scale` is {scale}, no size of humps");
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("cells from hump to hump: above 0"), value.span.clone());
        }
    }
    let octaves = keys.take("octaves");
    if let Some(octaves) = octaves.and_then(|value| value.whole(1..9, Code::BadValue, notes)) {
        noise.octaves = octaves as u8;
    }
    if let Some(value) = keys.take("stretch") {
        let parts = value.array(notes);
        let parts: Vec<f64> = parts.iter().filter_map(|part| part.number(notes)).collect();
        match &parts[..] {
            &[x, y] if x > 0.0 && y > 0.0 => noise.stretch = [x as f32, y as f32],
            _ => {
                let text = "`stretch` needs two numbers above 0";
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                let help = "from west to east, from north to south: `stretch = [2, 1]`";
                notes.add(finding.help(help), value.span.clone());
            }
        }
    }
    if let Some(value) = keys.take("kind")
        && let Some(text) = value.text(notes)
    {
        match text {
            "simplex" => noise.kind = NoiseKind::Simplex,
            "perlin" => noise.kind = NoiseKind::Perlin,
            other => unknown_name("noise", &value, other, ["simplex", "perlin"], notes),
        }
    }
    noise
}
