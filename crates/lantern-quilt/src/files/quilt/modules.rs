//! Models of tiles, shapes and items: `model = "plinth.glb"`, and `[models]`, how they stand in their cells.

use super::cursor::{Keys, Notes, Value, shorten, unknown_name};
use crate::colour::from_hex;
use crate::models::{Origin, Placing, UpAxis};
use crate::picture::Rgba;
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::Side;
use std::ops::Range;

/// Where a model is, and how it stands.
#[derive(Clone, Debug)]
#[cfg_attr(not(feature = "models"), expect(dead_code, reason = "nothing reads models then"))]
pub(super) struct ModelSpec {
    pub(super) file: String,
    pub(super) node: Option<(String, Range<usize>)>,
    pub(super) span: Range<usize>,
    /// Which of the quilt's files names it.
    pub(super) document: usize,
    pub(super) placing: Placing,
    /// Whether it may leave its cell.
    pub(super) overhang: bool,
}

/// What a tile without a model looks like in three dimensions.
#[derive(Debug)]
pub(super) struct BlockSpec {
    pub(super) tile: String,
    pub(super) air: bool,
    pub(super) colour: Option<Rgba>,
}

/// `"#c05a2a"`.
pub(super) fn read_colour(value: &Value<'_>, notes: &mut Notes) -> Option<Rgba> {
    let text = value.text(notes)?;
    let colour = from_hex(text);
    if colour.is_none() {
        let said = format!("`{}` is not a colour", shorten(text));
        let finding = Finding::new(Code::BadValue, value.subject(), said);
        notes.add(finding.help("write it as \"#c05a2a\""), value.span.clone());
    }
    colour
}

/// `model = "plinth.glb"`, or `model = { file = "set.glb", node = "plinth" }`; and `overhang`.
pub(super) fn take_model(keys: &mut Keys<'_>, notes: &mut Notes) -> Option<ModelSpec> {
    let model = keys.take("model");
    let overhang = keys.take("overhang").and_then(|value| value.boolean(notes)).unwrap_or(false);
    let value = model?;
    let document = notes.document;
    if value.is_text() {
        let file = value.text(notes)?.to_owned();
        let (node, placing) = (None, Placing::default());
        return Some(ModelSpec { file, node, span: value.span, document, placing, overhang });
    }
    let mut keys = value.table(notes)?;
    let file = keys.need("file", "the model file: `file = \"set.glb\"`", notes);
    let file = file.and_then(|value| Some((value.text(notes)?.to_owned(), value.span)));
    let node = keys.take("node");
    let node = node.and_then(|value| Some((value.text(notes)?.to_owned(), value.span)));
    let placing = take_placing(&mut keys, notes);
    keys.finish(notes);
    let (file, span) = file?;
    Some(ModelSpec { file, node, span, document, placing, overhang })
}

fn take_placing(keys: &mut Keys<'_>, notes: &mut Notes) -> Placing {
    let origin = keys.take("origin").and_then(|value| {
        let text = value.text(notes)?;
        let origin = Origin::from_name(text);
        if origin.is_none() {
            unknown_name("origin", &value, text, Origin::ALL.map(Origin::name), notes);
        }
        origin
    });
    let scale = keys.take("scale").and_then(|value| {
        let scale = value.number(notes)?;
        if (1e-6..=1e6).contains(&scale) {
            return Some(scale);
        }
        let text = format!("a model cannot be scaled by {scale}");
        let finding = Finding::new(Code::BadValue, value.subject(), text);
        notes.add(finding.help("metres a unit of the file: 0.01 for centimetres"), value.span);
        None
    });
    let up = keys.take("up").and_then(|value| match value.text(notes)? {
        "y" => Some(UpAxis::Y),
        "z" => Some(UpAxis::Z),
        other => {
            unknown_name("axis", &value, other, ["y", "z"], notes);
            None
        }
    });
    let facing = keys.take("facing").and_then(|value| {
        const SIDES: [Side; 4] = [Side::North, Side::East, Side::South, Side::West];
        let text = value.text(notes)?;
        let side = Side::from_name(text).filter(|side| SIDES.contains(side));
        if side.is_none() {
            unknown_name("side", &value, text, SIDES.map(Side::name), notes);
        }
        side
    });
    Placing { origin, scale, up, facing }
}

/// How the models of folders and files stand, as `[models]` has it.
#[cfg_attr(not(feature = "models"), expect(dead_code, reason = "nothing reads models then"))]
#[derive(Debug, Default)]
pub(super) struct ModelPlaces {
    all: Placing,
    /// A folder whose files go before those of the same path.
    pub(super) folder: Option<String>,
    /// By path, the longest first.
    paths: Vec<(String, Placing)>,
}

impl ModelPlaces {
    #[cfg(feature = "models")]
    pub(super) fn of(&self, path: &str) -> Placing {
        let under = |one: &&(String, Placing)| {
            let rest = path.strip_prefix(&*one.0);
            rest.is_some_and(|rest| {
                rest.is_empty() || one.0.ends_with('/') || rest.starts_with('/')
            })
        };
        let named = self.paths.iter().filter(under);
        named.fold(Placing::default(), |all, (_, one)| all.or(*one)).or(self.all)
    }
}

/// `[models]`: for all, and by folder or file.
pub(super) fn read_places(value: Option<Value<'_>>, notes: &mut Notes) -> ModelPlaces {
    let Some(mut keys) = value.and_then(|value| value.table(notes)) else {
        return ModelPlaces::default();
    };
    let all = take_placing(&mut keys, notes);
    let folder = keys.take("folder").and_then(|value| value.text(notes).map(str::to_owned));
    let mut paths = Vec::new();
    for (path, _, value) in keys.entries() {
        if ["origin", "scale", "up", "facing", "folder"].contains(&path) {
            continue;
        }
        let Some(mut keys) = value.table(notes) else { continue };
        paths.push((path.to_owned(), take_placing(&mut keys, notes)));
        keys.finish(notes);
    }
    paths.sort_by_key(|(path, _)| std::cmp::Reverse(path.len()));
    ModelPlaces { all, folder, paths }
}
