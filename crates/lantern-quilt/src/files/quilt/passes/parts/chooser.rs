//! How places are chosen: what `place` and `stamp` share.

use super::names::Names;
use super::noise::take_noise;
use super::numbers::{read_pair, read_part, read_per};
use super::tags::take_tags;
use crate::colour::grey;
use crate::files::quilt::cursor::{Keys, Notes, Value, unknown_name};
use crate::files::quilt::grounds::Grounds;
use crate::files::quilt::items::{read_any_side, read_side};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::grid::Plane;
use lantern_quilt_core::lattice::{Cell, Lattice};
use lantern_quilt_core::passes::{
    Amount, CellSpot, Condition, Density, Facing, Mark, PlaceStep, Replace, SiteOrder,
};

/// Reads a pass that chooses places; what it sets is read by the pass.
pub(in crate::files::quilt::passes) struct Reader<'n, 'a, 'g, 'm> {
    pub(in crate::files::quilt::passes) names: &'n mut Names<'a>,
    pub(in crate::files::quilt::passes) grounds: &'g mut Grounds<'m>,
    pub(in crate::files::quilt::passes) lattice: Lattice,
}

impl Reader<'_, '_, '_, '_> {
    /// Everything about a pass but what it sets.
    pub(in crate::files::quilt::passes) fn read_chooser(
        &mut self,
        keys: &mut Keys<'_>,
        notes: &mut Notes,
    ) -> PlaceStep {
        let mut pass = PlaceStep::new(Vec::new());
        pass.amount = self.take_many(keys, notes);
        if let Some(value) = keys.take("per") {
            pass.per = read_per(&value, notes);
            if matches!(pass.amount, Amount::All | Amount::Density(_)) {
                let text = "`per` is for a number or a chance, and the pass has none";
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                let help = "add `exactly`, `least` and `most`, or `chance`";
                notes.add(finding.help(help), value.span.clone());
            }
        }
        pass.wished = keys.take("wished").and_then(|v| v.boolean(notes)).unwrap_or(false);
        if let Some(value) = keys.take("apart") {
            pass.apart = self.read_apart(&value, notes);
        }
        let (side, centre) = (keys.take("side"), keys.take("centre"));
        if let Some(value) = side {
            pass.on = if value.is_text() {
                read_any_side(&value, self.lattice, notes).map_or(CellSpot::Cell, CellSpot::Side)
            } else {
                self.read_one(&value, "towards", notes)
                    .map_or(CellSpot::Cell, CellSpot::SideTowards)
            };
        }
        if let Some(value) = centre
            && value.boolean(notes) == Some(true)
        {
            if pass.on != CellSpot::Cell {
                let text = "a thing stands on a side or in the centre of a region";
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                notes.add(finding.help("keep one of `side` and `centre`"), value.span.clone());
            }
            pass.on = CellSpot::Region;
        }
        if let Some(value) = keys.take("order") {
            pass.order = self.read_order(&value, notes);
        }
        if let Some(value) = keys.take("facing") {
            pass.facing = self.read_facing(&value, &pass.on, notes);
        }
        if let Some(value) = keys.take("offset") {
            pass.offset = read_pair(&value, false, notes).unwrap_or_default();
        }
        if let Some(value) = keys.take("jitter") {
            pass.jitter = read_pair(&value, true, notes).unwrap_or_default();
        }
        if let Some(value) = keys.take("scale") {
            let [small, large] = read_pair(&value, true, notes).unwrap_or([1.0; 2]);
            if small > 0.0 && large >= small && large <= 64.0 {
                pass.scale = [small, large];
            } else {
                let text = format!("things cannot be {small} to {large} times as large");
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                let help = "the smallest and the largest: `scale = [0.8, 1.2]`";
                notes.add(finding.help(help), value.span.clone());
            }
        }
        if let Some(value) = keys.take("tilt") {
            let [least, most] = read_pair(&value, true, notes).unwrap_or_default();
            if most >= least && most <= 180.0 {
                pass.tilt = [least, most];
            } else {
                let text = format!("things cannot lean {least} to {most} degrees");
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                let help = "the least and the most, from 0 to 180: `tilt = [0, 8]`";
                notes.add(finding.help(help), value.span.clone());
            }
        }
        if let Some(lift) = keys.take("lift").and_then(|value| value.number(notes)) {
            pass.lift = (lift as f32).clamp(-1000.0, 1000.0);
        }
        let mut flag = |value: Option<Value<'_>>| value.and_then(|value| value.boolean(notes));
        pass.overlap = flag(keys.take("overlap")).unwrap_or(false);
        pass.stands = flag(keys.take("stands")).unwrap_or(false);
        pass.replace = match keys.take("replace") {
            Some(value) if value.is_boolean() => match value.boolean(notes) {
                Some(true) => Replace::All,
                _ => Replace::Nothing,
            },
            Some(value) => Replace::Named(self.names.read_items(&value, notes)),
            None => Replace::Nothing,
        };
        for value in keys.take("marks").map(|v| v.one_or_more(notes)).unwrap_or_default() {
            pass.marks.extend(self.read_mark(&value, notes));
        }
        pass
    }

    /// `exactly = 3`; `least` and `most`; `chance = 0.2`; `density = { ... }`.
    fn take_many(&mut self, keys: &mut Keys<'_>, notes: &mut Notes) -> Amount {
        let mut number = |key: Option<Value<'_>>| {
            let number = key?.whole(0..i64::from(u32::MAX), Code::BadValue, notes)?;
            Some(number as u64)
        };
        let exactly = number(keys.take("exactly"));
        let (least, most) = (number(keys.take("least")), number(keys.take("most")));
        let chance = keys.take("chance").and_then(|value| read_part(&value, notes));
        let density = keys.take("density").and_then(|value| self.read_density(&value, notes));
        let between = least.is_some() || most.is_some();
        let said = [exactly.is_some(), between, chance.is_some(), density.is_some()];
        let wrong = |text: &str, help: &str, notes: &mut Notes| {
            let subject = Subject::Field(keys.path().to_owned());
            let finding = Finding::new(Code::BadValue, subject, text);
            notes.add(finding.help(help), keys.span.clone());
        };
        if said.iter().filter(|said| **said).count() > 1 {
            let help = "keep one of `exactly`, `least` and `most`, `chance`, `density`";
            let by = ["`exactly`", "`least` and `most`", "`chance`", "`density`"];
            let by: Vec<&str> =
                by.into_iter().zip(said).filter(|(_, said)| *said).map(|(by, _)| by).collect();
            wrong(
                &format!("the amount is given more than once: by {}", by.join(", by ")),
                help,
                notes,
            );
        }
        if let (Some(least), Some(most)) = (least, most)
            && least > most
        {
            let text = format!("at least {least} and at most {most} cannot both be");
            wrong(&text, "exchange them", notes);
        }
        match (exactly, chance, density) {
            (Some(number), ..) => Amount::Between { least: number, most: number },
            (_, Some(chance), _) => Amount::Chance(chance),
            (_, _, Some(density)) => Amount::Density(density),
            _ if between => {
                Amount::Between { least: least.unwrap_or(0), most: most.unwrap_or(u64::MAX) }
            }
            _ => Amount::All,
        }
    }

    /// `{ picture = "ferns.png" }`, or noise: `{ scale = 6, above = 0.5, most = 0.8 }`.
    fn read_density(&mut self, value: &Value<'_>, notes: &mut Notes) -> Option<Density> {
        let mut keys = value.table(notes)?;
        if let Some(picture) = keys.take("picture") {
            keys.finish(notes);
            let drawn =
                self.grounds.load.own_picture(picture.text(notes)?, &picture.span, notes)?;
            let extent = self.grounds.layout?.extent();
            let origin = extent.origin();
            if [drawn.width(), drawn.height()] != [extent.width(), extent.height()] {
                let text = format!(
                    "the picture has {} x {} pixels for a map of {} x {} cells",
                    drawn.width(),
                    drawn.height(),
                    extent.width(),
                    extent.height()
                );
                let finding = Finding::new(Code::PictureSize, picture.subject(), text);
                notes.add(finding.help("one pixel is one cell"), picture.span.clone());
                return None;
            }
            let light = |cell: Cell| {
                let pixel = drawn.get((cell.x - origin.x) as u32, (cell.y - origin.y) as u32);
                pixel.map_or(0, grey)
            };
            let plane = Plane::from_values(extent, extent.iter().map(light).collect());
            return plane.map(Density::Picture);
        }
        let noise = take_noise(&mut keys, notes);
        let above = keys.take("above").and_then(|value| read_part(&value, notes)).unwrap_or(0.5);
        let most = keys.take("most").and_then(|value| read_part(&value, notes)).unwrap_or(1.0);
        keys.finish(notes);
        Some(Density::Noise { noise, above: above as f32, most })
    }

    fn read_apart(&self, value: &Value<'_>, notes: &mut Notes) -> f32 {
        let apart = value.number(notes).unwrap_or(0.0);
        if !(0.0..=4096.0).contains(&apart) {
            let text = format!("`apart` is {apart}");
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("from 0 to 4096 cells"), value.span.clone());
            return 0.0;
        }
        if let Some(extent) = self.grounds.layout.map(|layout| layout.extent()) {
            let [width, height, depth] = extent.size().map(f64::from);
            if apart * apart >= width * width + height * height + depth * depth {
                let text = format!("{apart} cells apart is more than the map is long");
                let finding = Finding::new(Code::PlaceTooWide, value.subject(), text);
                let help = format!("only one has room on {width} x {height} cells; take less");
                notes.add(finding.help(help), value.span.clone());
            }
        }
        apart as f32
    }

    /// A table with one key whose value is a condition.
    fn read_one(
        &mut self,
        value: &Value<'_>,
        key: &'static str,
        notes: &mut Notes,
    ) -> Option<Condition> {
        let mut keys = value.table(notes)?;
        let help = "a condition: `{ tile = \"...\" }`, `{ terrain = \"...\" }` and so on";
        let what = keys.need(key, help, notes);
        keys.finish(notes);
        what.map(|what| self.names.read(&what, self.grounds, notes))
    }

    /// `"random"`, `"rows"`, `{ nearest = { ... } }`, `{ farthest = { ... } }`.
    fn read_order(&mut self, value: &Value<'_>, notes: &mut Notes) -> SiteOrder {
        if value.is_text() {
            return match value.text(notes).unwrap_or_default() {
                "random" => SiteOrder::Random,
                "rows" => SiteOrder::Rows,
                other => {
                    unknown_name("order", value, other, ["random", "rows"], notes);
                    SiteOrder::Random
                }
            };
        }
        let Some(mut keys) = value.table(notes) else { return SiteOrder::Random };
        let (near, far) = (keys.take("nearest"), keys.take("farthest"));
        keys.finish(notes);
        match (near, far) {
            (Some(what), None) => SiteOrder::Nearest(self.names.read(&what, self.grounds, notes)),
            (None, Some(what)) => SiteOrder::Farthest(self.names.read(&what, self.grounds, notes)),
            _ => {
                let text = "`order` takes exactly one key";
                let finding = Finding::new(Code::MissingKey, value.subject(), text);
                let help = "write `{ nearest = { tag = \"...\" } }` or `{ farthest = ... }`";
                notes.add(finding.help(help), value.span.clone());
                SiteOrder::Random
            }
        }
    }

    /// A side, `"inward"`, `"random"`, `{ steps = 8 }`, `{ towards = ... }`, `{ away = ... }`,
    /// `{ along = ... }`.
    fn read_facing(&mut self, value: &Value<'_>, on: &CellSpot, notes: &mut Notes) -> Facing {
        if value.is_text() {
            return match value.text(notes).unwrap_or_default() {
                "random" => Facing::Steps(360),
                "inward" if matches!(on, CellSpot::Side(_) | CellSpot::SideTowards(_)) => {
                    Facing::Inward
                }
                "inward" => {
                    let text = "only things on a side face inward";
                    let finding = Finding::new(Code::BadValue, value.subject(), text);
                    notes.add(finding.help("add `side`, or say a side"), value.span.clone());
                    Facing::AsDrawn
                }
                _ => read_side(value, self.lattice, notes).map_or(Facing::AsDrawn, Facing::Side),
            };
        }
        let Some(mut keys) = value.table(notes) else { return Facing::AsDrawn };
        let steps = keys.take("steps");
        let steps = steps.and_then(|value| value.whole(1..361, Code::BadValue, notes));
        let mut ways = Vec::new();
        for (key, way) in [
            ("towards", Facing::Towards as fn(Condition) -> Facing),
            ("away", Facing::Away),
            ("along", Facing::Along),
        ] {
            let Some(what) = keys.take(key) else { continue };
            if key == "along" && self.lattice.turns() == 6 {
                let text = "hexagons have no right angles";
                let finding = Finding::new(Code::BadValue, what.subject(), text);
                notes.add(finding.help("face `towards` or `away`"), what.span.clone());
            }
            ways.push(way(self.names.read(&what, self.grounds, notes)));
        }
        keys.finish(notes);
        ways.extend(steps.map(|steps| Facing::Steps(steps as u16)));
        if ways.len() != 1 {
            let text = "`facing` takes exactly one key";
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            let help = "write one of `towards`, `away`, `along` and `steps`";
            notes.add(finding.help(help), value.span.clone());
        }
        ways.into_iter().next().unwrap_or_default()
    }

    /// `{ add = "busy", remove = [...], at = [0, 1], within = 2 }`.
    fn read_mark(&mut self, value: &Value<'_>, notes: &mut Notes) -> Option<Mark> {
        let mut keys = value.table(notes)?;
        let (add, remove) = take_tags(&mut keys, self.names, notes);
        let at = keys.take("at").and_then(|value| value.wholes(-64..65, Code::BadValue, notes));
        let within = keys.take("within").and_then(|v| v.whole(0..1025, Code::BadValue, notes));
        keys.finish(notes);
        if add.is_empty() && remove.is_empty() {
            let text = "a mark has no tags";
            let finding = Finding::new(Code::MissingKey, value.subject(), text);
            notes.add(finding.help("add `add` or `remove`"), value.span.clone());
        }
        let [x, y] = at.unwrap_or_default();
        Some(Mark { add, remove, at: [x as i32, y as i32], within: within.unwrap_or(0) as u32 })
    }
}
