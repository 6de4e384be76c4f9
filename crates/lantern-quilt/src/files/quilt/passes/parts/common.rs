//! What every kind of pass is to the reader.

use super::names::Names;
use super::numbers::{read_part, read_per};
use super::shares::PassShares;
use crate::files::quilt::cursor::{Keys, Notes, Value};
use crate::files::quilt::grounds::Grounds;
use crate::files::quilt::patterns::Known;
use crate::files::quilt::shapes::ShapeSpec;
use lantern_quilt_core::constraints::{Constraints, PairRule};
use lantern_quilt_core::finding::Code;
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::passes::{Coarse, Condition, Shade, Step};
use lantern_quilt_core::pattern::Patterns;
use lantern_quilt_core::solve::Search;
use schemars::{Schema, SchemaGenerator};
use std::num::NonZeroU32;
use std::ops::Range;
use std::sync::Arc;

/// A kind of pass: how its text is read, and which keys it has.
pub(in crate::files::quilt) struct Kind {
    pub(in crate::files::quilt) name: &'static str,
    /// Whether it lays tiles, which another layer may take.
    pub(in crate::files::quilt) lays_tiles: bool,
    /// Whether it fills by the rules of the tiles.
    pub(in crate::files::quilt) fills: bool,
    /// Whether it places items.
    pub(in crate::files::quilt) places: bool,
    pub(in crate::files::quilt) read: Reader,
    pub(in crate::files::quilt) schema: fn(&mut SchemaGenerator) -> Schema,
}

type Reader = fn(&mut Common, Keys<'_>, &mut Reading<'_>, &mut Notes) -> Option<Read>;

/// What every pass may say.
pub(in crate::files::quilt) struct Common {
    pub(in crate::files::quilt) name: String,
    pub(in crate::files::quilt) group: Option<String>,
    pub(in crate::files::quilt) into: Option<String>,
    pub(in crate::files::quilt) place: Condition,
    pub(in crate::files::quilt) roll: u32,
    pub(in crate::files::quilt) appears: (f64, Option<NonZeroU32>),
    /// Passes whose things lie below its own, each where it is named.
    pub(in crate::files::quilt) drawn_above: Vec<(String, Range<usize>)>,
    pub(in crate::files::quilt) keep: bool,
    /// Where in the quilt it stands.
    pub(in crate::files::quilt) path: String,
    pub(in crate::files::quilt) span: Range<usize>,
}

/// What passes are read against.
pub(in crate::files::quilt) struct Reading<'a> {
    pub(in crate::files::quilt) names: Names<'a>,
    pub(in crate::files::quilt) grounds: Grounds<'a>,
    pub(in crate::files::quilt) shapes: &'a [ShapeSpec],
    pub(in crate::files::quilt) lists: Vec<PairRule>,
    pub(in crate::files::quilt) patterns: &'a Known,
}

/// What a pass does.
pub(in crate::files::quilt) enum Read {
    Step(Arc<dyn Step>),
    /// A fill, whose rules are compiled when all passes are read.
    Fill(Box<FillSpec>),
}

/// A fill as read.
#[derive(Debug)]
pub(in crate::files::quilt) struct FillSpec {
    pub(in crate::files::quilt) constraints: Constraints,
    pub(in crate::files::quilt) shades: Vec<Shade>,
    /// Where pieces of which of the `connected` rules begin.
    pub(in crate::files::quilt) begins: Vec<(usize, Condition)>,
    pub(in crate::files::quilt) search: Search,
    pub(in crate::files::quilt) fallback: Option<TileId>,
    pub(in crate::files::quilt) shares: Option<PassShares>,
    /// Weights of tiles for this pass.
    pub(in crate::files::quilt) weights: Vec<(TileId, f64)>,
    /// What becomes of its tiles, when they represent blocks of cells.
    pub(in crate::files::quilt) coarse: Option<Coarse>,
    /// The windows that it goes by.
    pub(in crate::files::quilt) patterns: Option<Arc<Patterns>>,
}

impl Common {
    /// The keys that all passes share.
    pub(in crate::files::quilt) fn read(
        kind: &Kind,
        keys: &mut Keys<'_>,
        reading: &mut Reading<'_>,
        notes: &mut Notes,
    ) -> Self {
        let text = |value: Option<Value<'_>>, notes: &mut Notes| {
            value.and_then(|value| value.text(notes)).map(str::to_owned)
        };
        let name = text(keys.take("name"), notes).unwrap_or_else(|| kind.name.to_owned());
        let group = text(keys.take("group"), notes);
        let into = if kind.lays_tiles { text(keys.take("into"), notes) } else { None };
        let place = reading.names.read_where(keys, &mut reading.grounds, notes);
        let roll = keys.take("roll").and_then(|v| v.whole(0..1 << 32, Code::BadValue, notes));
        let appears = keys.take("appears").and_then(|value| read_appears(&value, notes));
        let above = if kind.places { keys.take("drawn_above") } else { None };
        let above = above.map(|value| value.one_or_more(notes)).unwrap_or_default();
        let drawn_above = above
            .iter()
            .filter_map(|value| Some((value.text(notes)?.to_owned(), value.span.clone())))
            .collect();
        let keep = keys.take("keep").and_then(|value| value.boolean(notes)).unwrap_or(false);
        let (path, span) = (keys.path().to_owned(), keys.span.clone());
        Self {
            name,
            group,
            into,
            place,
            roll: roll.unwrap_or(0) as u32,
            appears: appears.unwrap_or((1.0, None)),
            drawn_above,
            keep,
            path,
            span,
        }
    }

    /// The layer that its tiles go to when its kind has none of its own.
    pub(in crate::files::quilt) fn layer(&self) -> &str {
        self.into.as_ref().unwrap_or(&self.name)
    }
}

/// `appears = 0.25`, or for so many cells of its place: `appears = { chance = 0.25, per = 100 }`.
fn read_appears(value: &Value<'_>, notes: &mut Notes) -> Option<(f64, Option<NonZeroU32>)> {
    if !value.is_table() {
        return Some((read_part(value, notes)?, None));
    }
    let mut keys = value.table(notes)?;
    let chance = keys.need("chance", "from 0 to 1: `chance = 0.25`", notes);
    let per = keys.need("per", "for how many cells that is: `per = 100`", notes);
    let per = per.and_then(|value| read_per(&value, notes));
    keys.finish(notes);
    Some((read_part(&chance?, notes)?, per))
}

impl Read {
    /// A pass that can be done as it is.
    #[expect(clippy::unnecessary_wraps, reason = "readers of kinds may find nothing")]
    pub(in crate::files::quilt::passes) fn step(step: impl Step) -> Option<Self> {
        Some(Self::Step(Arc::new(step)))
    }
}
