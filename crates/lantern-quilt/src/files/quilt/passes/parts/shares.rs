//! `shares`: what part of a map tiles should be, for one pass.

use crate::files::quilt::cursor::{Keys, Notes, Value, shorten};
use crate::files::quilt::kinds::take_named;
use crate::files::quilt::model::Model;
use lantern_quilt_core::constraints::{Accept, Selector};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::tileset::{GroupShare, Tileset};

/// The shares that a pass gives.
#[derive(Debug)]
pub(in crate::files::quilt) enum PassShares {
    /// Those of the samples.
    Sample,
    /// Of groups of tiles.
    Groups(Vec<NamedShare>),
}

/// What part of the map some tiles should be together.
#[derive(Debug)]
pub(in crate::files::quilt) struct NamedShare {
    named: Vec<Accept>,
    share: f64,
}

/// `"sample"`, or `[{ tag = "walk", share = 0.15 }]`.
pub(in crate::files::quilt) fn read_shares(
    value: &Value<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Option<PassShares> {
    if value.is_text() {
        let text = value.text(notes)?;
        if text == "sample" {
            return Some(PassShares::Sample);
        }
        let said = "shares are `\"sample\"`, or a list";
        let finding = Finding::new(Code::BadValue, value.subject(), said);
        let help = "write `[{ tag = \"walk\", share = 0.15 }]`";
        notes.add(finding.help(help), value.span.clone());
        return None;
    }
    let mut groups = Vec::new();
    for value in value.array(notes) {
        let Some(mut keys) = value.table(notes) else { continue };
        let named = take_named(&mut keys, &value, model, notes);
        let share = keys.need("share", "what part of the cells: `share = 0.15`", notes);
        let share = share.and_then(|share| share.number(notes));
        keys.finish(notes);
        groups.extend(share.filter(|_| !named.is_empty()).map(|share| NamedShare { named, share }));
    }
    Some(PassShares::Groups(groups))
}

/// `{ moss = 3, walk = 0.8 }`: the weights of tiles in one pass.
pub(in crate::files::quilt) fn read_weights(
    value: &Value<'_>,
    model: &Model,
    notes: &mut Notes,
) -> Vec<(TileId, f64)> {
    let mut weights = Vec::new();
    for (tile, span, value) in value.table(notes).iter().flat_map(Keys::entries) {
        match model.tile_named(tile) {
            Ok(id) => weights.extend(value.number(notes).map(|weight| (id, weight))),
            Err(names) => {
                let text = format!("no tile is named `{}`", shorten(tile));
                let finding = Finding::new(Code::UnknownName, value.subject(), text);
                notes.add(finding.among(tile, names), span);
            }
        }
    }
    weights
}

impl PassShares {
    /// The tiles with these shares; `sampled` is whether their weights are those of samples.
    pub(in crate::files::quilt) fn of(
        &self,
        tileset: &Tileset,
        sampled: bool,
    ) -> Result<Tileset, Vec<Finding>> {
        let groups = match self {
            Self::Sample if !sampled => {
                let (subject, text) =
                    (Subject::Field("shares".to_owned()), "there is no sample to take shares from");
                let finding = Finding::new(Code::BadShare, subject, text);
                return Err(vec![finding.help("add a `[[sample]]`")]);
            }
            Self::Sample => return Ok(tileset.with_weights_as_shares()),
            Self::Groups(groups) => groups.iter().map(|group| group.of(tileset)),
        };
        tileset.with_shares(&groups.collect::<Vec<GroupShare>>()).map_err(|error| error.findings)
    }
}

impl NamedShare {
    fn of(&self, tileset: &Tileset) -> GroupShare {
        let is_meant = |&id: &TileId| {
            let drawn = tileset.tiles()[id].orientations()[0];
            let covers =
                |what: &Accept, side| Selector::any(*what).covers(tileset, id, drawn, side);
            let mut sides = tileset.lattice().sides().iter();
            sides.any(|&side| self.named.iter().any(|what| covers(what, side)))
        };
        let mut names: Vec<&str> = Vec::new();
        for named in &self.named {
            let name = match *named {
                Accept::Tile(tile) => tileset.tiles()[tile].name(),
                Accept::Tag(tag) => &tileset.tags()[tag],
                Accept::Socket(socket) => tileset.sockets()[socket].name(),
                _ => continue,
            };
            if !names.contains(&name) {
                names.push(name);
            }
        }
        let tiles = tileset.tiles().ids().filter(is_meant).collect();
        GroupShare { name: names.join(" and "), tiles, share: self.share }
    }
}
