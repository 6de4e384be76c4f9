//! The ways to say which tile is which shape: in order, of quarters, by drawings, by a guide.

use super::compose::quarter_name;
use super::{Places, Reader, Way};
use crate::files::quilt::around::read_drawing;
use crate::files::quilt::cursor::{Notes, Value};
use crate::files::quilt::guide::Guide;
use crate::files::quilt::looks::{LookSpec, PictureSpec};
use crate::files::quilt::modules::{ModelSpec, take_model};
use crate::files::quilt::tile::read_mirror;
use lantern_quilt_core::autotile::{Drawing, Scheme, ShapeBasis, ShapeSet, ShapeTile};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::tileset::Mirror;
use std::ops::Range;

impl<'k> Reader<'_, '_, 'k> {
    fn place(
        &self,
        sheet: Option<&(String, Range<usize>)>,
        at: [u32; 2],
        notes: &Notes,
    ) -> PictureSpec {
        PictureSpec {
            span: self.span.clone(),
            document: notes.document,
            at: Some((at, self.span.clone())),
            sheet: sheet.cloned(),
            file: None,
        }
    }

    /// A tile whose look is a model.
    fn add_model(&mut self, tile: &str, model: ModelSpec, turns: u8, notes: &Notes) {
        let (at, document, sheet) = (None, notes.document, None);
        let span = self.span.clone();
        self.add_look(tile, PictureSpec { span, document, at, sheet, file: None }, turns);
        if let Some(look) = self.looks.last_mut() {
            look.model = Some(model);
        }
    }

    fn add_look(&mut self, tile: &str, drawn: PictureSpec, turns: u8) {
        self.looks.push(LookSpec {
            slices: None,
            kind: "tile",
            model: None,
            coloured: false,
            tile: tile.to_owned(),
            drawn,
            turned: Vec::new(),
            upright: false,
            span: [1, 1, 1],
            turns,
            quarter_turns: turns == 4,
            turns_span: self.span.clone(),
        });
    }

    /// In the order that `template` prints.
    pub(super) fn arranged(
        &mut self,
        scheme: Scheme,
        of: &ShapeBasis,
        places: &Places,
        (turns, mirror): (u8, Mirror),
        notes: &Notes,
    ) -> Vec<ShapeTile> {
        let lattice = self.ground.lattice;
        let same = of.same();
        let mut tiles = ShapeSet::arranged(self.name, scheme, lattice, same, turns, mirror);
        let columns = places.columns.unwrap_or(scheme.columns());
        if matches!(of, ShapeBasis::Blend(_)) && tiles[0].tile.is_none() {
            // All of the first terrain is a tile as well.
            tiles[0].tile = Some(format!("{}/00", self.name));
        }
        for (number, tile) in tiles.iter_mut().enumerate() {
            let Some(name) = tile.tile.clone() else { continue };
            tile.looks = places.looks.iter().map(|(_, weight)| *weight).collect();
            for ([column, row], _) in &places.looks {
                let number = number as u32;
                let at = [column + number % columns, row + number / columns];
                let drawn = self.place(places.sheet.as_ref(), at, notes);
                self.add_look(&name, drawn, turns);
            }
        }
        // A wall that nothing asks for needs no drawing.
        if matches!(of, ShapeBasis::Heights(_)) {
            tiles.retain(|tile| {
                tile.drawing != Drawing::of_shape(scheme, scheme.reduce(u8::MAX), same)
            });
        }
        tiles
    }

    /// Five cells in a row, from which all shapes are put together.
    pub(super) fn of_quarters(
        &mut self,
        scheme: Scheme,
        of: &ShapeBasis,
        places: &Places,
        value: &Value<'k>,
        notes: &mut Notes,
    ) -> Option<Vec<ShapeTile>> {
        if scheme != Scheme::Eight {
            let text = format!("quarters make shapes of `eight`, not of `{scheme}`");
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("write `scheme = \"eight\"`"), self.span.clone());
            return None;
        }
        for (look, ([column, row], _)) in places.looks.iter().enumerate() {
            for quarter in 0..5 {
                let place = self.place(places.sheet.as_ref(), [column + quarter, *row], notes);
                self.add_look(&quarter_name(self.name, look, quarter), place, 1);
            }
        }
        let lattice = self.ground.lattice;
        let mut tiles = ShapeSet::arranged(self.name, scheme, lattice, of.same(), 1, Mirror::No);
        for tile in &mut tiles {
            tile.looks = places.looks.iter().map(|(_, weight)| *weight).collect();
        }
        Some(tiles)
    }

    /// Tiles with drawings of their own.
    pub(super) fn read_tiles(
        &mut self,
        values: &[Value<'k>],
        scheme: Scheme,
        of: &ShapeBasis,
        places: &Places,
        notes: &mut Notes,
    ) -> Vec<ShapeTile> {
        let lattice = self.ground.lattice;
        let mut tiles = Vec::new();
        for (number, value) in values.iter().enumerate() {
            let Some(mut keys) = value.table(notes) else { continue };
            let at = keys.take("at");
            let model = take_model(&mut keys, notes);
            let empty = keys.take("empty").and_then(|value| value.boolean(notes)) == Some(true);
            let at = at.and_then(|value| {
                let [column, row] = value.wholes(0..1 << 20, Code::BadValue, notes)?;
                Some([column as u32, row as u32])
            });
            if at.is_none() && !empty && model.is_none() && !keys.has("at") {
                let text = format!("`{}` has no `at`", value.path);
                let finding = Finding::new(Code::MissingKey, value.subject(), text);
                let help = "its column and row from the first cell, its `model`, or `empty = true` for no tile";
                notes.add(finding.help(help), value.span.clone());
            }
            let key = &self.ground.terrains.key;
            let drawing = match keys.take("around") {
                Some(value) => read_drawing(&value, scheme, lattice, of, key, notes),
                None => Some(Drawing::ANY),
            };
            let mut number_of = |key: Option<Value<'k>>| key.and_then(|value| value.number(notes));
            let weight = number_of(keys.take("weight"));
            let chance = number_of(keys.take("chance"));
            let turns = keys.take("turns").and_then(|value| {
                let most = i64::from(lattice.turns());
                value.whole(1..most + 1, Code::BadTurns, notes).map(|turns| turns as u8)
            });
            let mirror = keys.take("mirror").map_or(Mirror::No, |v| read_mirror(&v, notes));
            keys.finish(notes);
            let Some(drawing) = drawing else { continue };
            let name = format!("{}/{number:02}", self.name);
            let turns = turns.unwrap_or(1);
            if weight.is_some() {
                self.weighted.insert(name.clone());
            }
            let weight = weight.unwrap_or(1.0);
            let tile = ShapeTile { turns, mirror, weight, chance, ..ShapeTile::empty(drawing) };
            if empty {
                tiles.push(tile);
                continue;
            }
            if let Some(model) = model {
                self.add_model(&name, model, turns, notes);
                tiles.push(ShapeTile { tile: Some(name), ..tile });
                continue;
            }
            let Some([across, down]) = at else { continue };
            for ([column, row], _) in &places.looks {
                let place = self.place(places.sheet.as_ref(), [column + across, row + down], notes);
                self.add_look(&name, place, turns);
            }
            let looks = places.looks.iter().map(|(_, weight)| *weight).collect();
            tiles.push(ShapeTile { tile: Some(name), looks, ..tile });
        }
        tiles
    }

    /// Every cell of a sheet by the picture that lies beside it.
    pub(super) fn read_guide(
        &mut self,
        value: &Value<'k>,
        scheme: Scheme,
        of: &ShapeBasis,
        places: &Places,
        notes: &mut Notes,
    ) -> Option<(Vec<ShapeTile>, Way)> {
        let file = value.text(notes)?;
        let picture = self.load.picture(file, notes.document, &value.span, notes)?;
        let Some(sheet) = self.ground.sheet(places, notes.document) else {
            let text =
                format!("`{}` needs `sheet`: the sheet that the guide belongs to", self.name);
            let finding = Finding::new(Code::MissingKey, value.subject(), text);
            notes.add(finding.help("add `sheet = \"NAME\"`"), value.span.clone());
            return None;
        };
        let art = sheet.picture()?;
        if [art.width(), art.height()] != [picture.width(), picture.height()] {
            let text = format!(
                "the guide is {} x {} pixels, its sheet `{}` is {} x {}",
                picture.width(),
                picture.height(),
                sheet.file(),
                art.width(),
                art.height()
            );
            let finding = Finding::new(Code::PictureSize, value.subject(), text);
            let help = "paint the guide over a copy of the sheet, so that cells lie alike";
            notes.add(finding.help(help), value.span.clone());
            return None;
        }
        let [columns, rows] = sheet.count()?;
        let (lattice, terrains) = (self.ground.lattice, self.ground.terrains);
        let mut guide = Guide { scheme, lattice, of, terrains, value, strange: Vec::new() };
        let mut tiles = Vec::new();
        for at in (places.at[1]..rows).flat_map(|y| (places.at[0]..columns).map(move |x| [x, y])) {
            let Some(cell) = sheet.cut(&picture, at) else { continue };
            let drawing = guide.read(&cell, at, notes);
            let Some(drawing) = drawing else { continue };
            let name = format!("{}/{:02}", self.name, tiles.len());
            for ([column, row], _) in &places.looks {
                let from = places.looks[0].0;
                let there = [column + at[0] - from[0], row + at[1] - from[1]];
                let place = self.place(places.sheet.as_ref(), there, notes);
                self.add_look(&name, place, 1);
            }
            let looks = places.looks.iter().map(|(_, weight)| *weight).collect();
            tiles.push(ShapeTile { looks, ..ShapeTile::new(name, drawing) });
        }
        if scheme == Scheme::Dual && matches!(of, ShapeBasis::Terrain { .. }) {
            tiles.push(ShapeTile::empty(Drawing::of_shape(scheme, 0, of.same())));
        }
        Some((tiles, Way::Guide(self.load.path(file, notes.document), picture)))
    }
}
