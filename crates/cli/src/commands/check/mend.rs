//! `check --mend DIR`: copies of models with the seams between them mended.

use super::copies::Copies;
use crate::failure::Failure;
use crate::output::counted;
use lantern_quilt::files::{MendedFiles, Quilt};
use lantern_quilt::models::LeftAlone;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

/// Places that are listed.
const SHOWN: usize = 20;

/// What was mended, in words and as JSON.
pub struct MendSummary {
    pub text: String,
    pub json: Value,
}

/// Writes the copies into a folder; never over what the quilt reads.
pub fn mend(folder: &Path, file: &Path, quilt: &Quilt) -> Result<MendSummary, Failure> {
    let mended = quilt.mend().map_err(Failure::job)?.ok_or_else(|| {
        Failure::Usage("--mend needs tiles with models, and a `collapse` pass".to_owned())
    })?;
    let copies = Copies { folder, option: "--mend", file, quilt };
    let written = mended.files.iter().map(|(name, data)| copies.write(name, data));
    let written = written.collect::<Result<Vec<PathBuf>, Failure>>()?;
    Ok(MendSummary { text: text(&mended, &written), json: as_json(&mended, &written) })
}

fn reason(why: &LeftAlone) -> String {
    match why {
        LeftAlone::TwoPoints => "two of its points would become one".to_owned(),
        LeftAlone::TooFar(far) => {
            format!("a point would move {far:.2} mm, further than `[seams] most_move`")
        }
        _ => "the outlines there have different numbers of points".to_owned(),
    }
}

fn text(mended: &MendedFiles, written: &[PathBuf]) -> String {
    let mut text = String::new();
    if mended.files.is_empty() {
        text.push_str("no seam needs mending, and nothing is written\n");
    } else {
        text.push_str(&format!(
            "{} and {} of {} mended",
            counted(mended.points as u64, "point"),
            counted(mended.normals as u64, "normal"),
            counted(mended.models as u64, "model"),
        ));
        if let Some((far, tile)) = &mended.largest {
            text.push_str(&format!(", the largest move is {far:.2} mm (`{tile}`)"));
        }
        text.push('\n');
        for path in written {
            text.push_str(&format!("wrote {}\n", path.display()));
        }
        for (old, new) in &mended.renamed {
            text.push_str(&format!("to use it, write `{new}` for `{old}` in the quilt\n"));
        }
    }
    for (tile, side, why) in mended.left.iter().take(SHOWN) {
        text.push_str(&format!("left alone: the {side} side of `{tile}`: {}\n", reason(why)));
    }
    if mended.left.len() > SHOWN {
        text.push_str(&format!("and {} more places were left alone\n", mended.left.len() - SHOWN));
    }
    text
}

fn as_json(mended: &MendedFiles, written: &[PathBuf]) -> Value {
    json!({
        "files": written.iter().map(|path| path.display().to_string()).collect::<Vec<_>>(),
        "points": mended.points,
        "normals": mended.normals,
        "models": mended.models,
        "largest_move_mm": mended.largest.as_ref().map(|(far, _)| far),
        "left_alone": mended.left.iter().map(|(tile, side, why)| json!({
            "tile": tile,
            "side": side.name(),
            "why": reason(why),
        })).collect::<Vec<_>>(),
    })
}
