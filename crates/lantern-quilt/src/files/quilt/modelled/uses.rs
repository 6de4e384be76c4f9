//! Everything of a quilt that may have a model.

use crate::files::quilt::cursor::{Notes, shorten};
use crate::files::quilt::items::ItemSpec;
use crate::files::quilt::looks::LookSpec;
use crate::files::quilt::model::Model;
use crate::files::quilt::shapes::ShapeSpec;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use std::collections::BTreeMap;

/// What models are read for.
pub(in crate::files::quilt) struct ModelUse<'a> {
    pub(in crate::files::quilt) look: &'a LookSpec,
    /// Which look of its tile or item it is.
    #[cfg_attr(not(feature = "models"), expect(dead_code, reason = "nothing reads models then"))]
    pub(in crate::files::quilt) number: u32,
}

/// Everything that may have a model.
pub(in crate::files::quilt) fn model_uses<'a>(
    model: &'a Model,
    shapes: &'a [ShapeSpec],
    items: &'a [ItemSpec],
) -> Vec<ModelUse<'a>> {
    let tiles = model.looks.iter().chain(shapes.iter().flat_map(|shape| &shape.looks));
    let items = items.iter().flat_map(|item| &item.drawn);
    let mut counts: BTreeMap<(&str, &str), u32> = BTreeMap::new();
    let uses = tiles.chain(items).map(|look| {
        let count = counts.entry((look.kind, &look.tile)).or_default();
        *count += 1;
        ModelUse { look, number: *count - 1 }
    });
    uses.collect()
}

/// Says which tiles of a set of models have none, and nothing else to show either.
pub(in crate::files::quilt) fn say_bare(uses: &[ModelUse<'_>], model: &Model, notes: &mut Notes) {
    for block in &model.blocks {
        let looks = || uses.iter().filter(|one| one.look.tile == block.tile);
        let shown = |one: &ModelUse<'_>| {
            let drawn = &one.look.drawn;
            one.look.model.is_some() || drawn.at.is_some() || drawn.file.is_some()
        };
        if block.air || block.colour.is_some() || looks().any(shown) {
            continue;
        }
        let Some(first) = looks().next() else { continue };
        let name = &block.tile;
        let text = format!("`{}` has no model and is drawn as a block", shorten(name));
        let finding = Finding::new(Code::NoModel, Subject::Tile(name.clone()), text);
        let help = "give it a `model`, a `colour`, or `air = true` if there is nothing to see";
        notes.add_later(finding.help(help), first.look.drawn.span.clone());
    }
}
