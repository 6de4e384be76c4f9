//! The pass `place`, from the quilt's text.

use super::condition::{Names, take_noise};
use super::cursor::{Keys, Notes, Value, unknown_name};
use super::items::{ItemSpec, read_side, towards_us};
use super::marks::{read_part, take_tags};
use super::place::Grounds;
use super::recipe::Common;
use crate::colour::grey;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::grid::Plane;
use lantern_quilt_core::lattice::{Cell, Lattice};
use lantern_quilt_core::passes::{
    Choice, Condition, Density, Facing, Many, Mark, On, Part, PlaceOrder, PlacePass, What,
};

/// Reads a pass that chooses places; what it sets is read by the other two.
pub(super) struct Reader<'n, 'a, 'g, 'm> {
    pub(super) names: &'n mut Names<'a>,
    pub(super) grounds: &'g mut Grounds<'m>,
    pub(super) lattice: Lattice,
}

/// `pass = "place"`.
pub(super) fn read_place(
    common: Common,
    mut keys: Keys<'_>,
    names: &mut Names<'_>,
    grounds: &mut Grounds<'_>,
    notes: &mut Notes,
) -> PlacePass {
    let lattice = grounds.model.lattice();
    let mut reader = Reader { names, grounds, lattice };
    let what = keys.need("what", "what is placed: `what = \"NAME\"`, one of `[items]`", notes);
    let mut what: Vec<Choice> = match what {
        Some(value) => {
            let all = value.one_or_more(notes);
            all.iter().filter_map(|one| reader.read_choice(one, notes)).collect()
        }
        None => Vec::new(),
    };
    let layer = common.into.clone().unwrap_or_else(|| common.name.clone());
    let parts = what.iter().flat_map(|choice| &choice.parts);
    let tiles: Vec<String> = parts
        .filter_map(|part| match &part.what {
            What::Tile { name, .. } => Some(name.clone()),
            _ => None,
        })
        .collect();
    let mut pass = reader.read_chooser(common, &mut keys, notes);
    pass.what.append(&mut what);
    keys.finish(notes);
    if !tiles.is_empty() {
        names.layers.insert(layer);
        names.standing.extend(tiles);
    }
    let parts = pass.what.iter().flat_map(|choice| &choice.parts);
    names.placed.extend(parts.filter_map(|part| match &part.what {
        What::Item { name, .. } => Some(name.to_string()),
        _ => None,
    }));
    pass
}

/// `weight = 3`, 1 when nobody says.
pub(super) fn take_weight(keys: &mut Keys<'_>, notes: &mut Notes) -> f64 {
    let Some(value) = keys.take("weight") else { return 1.0 };
    let weight = value.number(notes).unwrap_or(1.0);
    if weight.is_finite() && weight > 0.0 {
        return weight;
    }
    let text = format!("`weight` is {weight}");
    let finding = Finding::new(Code::BadWeight, value.subject(), text);
    notes.add(finding.help("a number above 0"), value.span.clone());
    1.0
}

impl Reader<'_, '_, '_, '_> {
    /// Everything about a pass but what it sets.
    pub(super) fn read_chooser(
        &mut self,
        common: Common,
        keys: &mut Keys<'_>,
        notes: &mut Notes,
    ) -> PlacePass {
        let Common { name, group, into, place } = common;
        let mut pass = PlacePass::new(name, Vec::new());
        (pass.group, pass.into, pass.place) = (group, into, place);
        pass.many = self.take_many(keys, notes);
        pass.wished = keys.take("wished").and_then(|v| v.boolean(notes)).unwrap_or(false);
        if let Some(value) = keys.take("apart") {
            pass.apart = self.read_apart(&value, notes);
        }
        let (side, centre) = (keys.take("side"), keys.take("centre"));
        if let Some(value) = side {
            pass.on = if value.is_text() {
                read_side(&value, self.lattice, notes).map_or(On::Cell, On::Side)
            } else {
                self.read_one(&value, "towards", notes).map_or(On::Cell, On::SideTowards)
            };
        }
        if let Some(value) = centre
            && value.boolean(notes) == Some(true)
        {
            if pass.on != On::Cell {
                let text = "a thing stands on a side or in the centre of a region";
                let finding = Finding::new(Code::BadValue, value.subject(), text);
                notes.add(finding.help("keep one of `side` and `centre`"), value.span.clone());
            }
            pass.on = On::Region;
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
        let mut flag = |value: Option<Value<'_>>| value.and_then(|value| value.boolean(notes));
        pass.overlap = flag(keys.take("overlap")).unwrap_or(false);
        pass.replace = flag(keys.take("replace")).unwrap_or(false);
        for value in keys.take("marks").map(|v| v.one_or_more(notes)).unwrap_or_default() {
            pass.marks.extend(self.read_mark(&value, notes));
        }
        pass
    }

    /// `exactly = 3`; `least` and `most`; `chance = 0.2`; `density = { ... }`.
    fn take_many(&mut self, keys: &mut Keys<'_>, notes: &mut Notes) -> Many {
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
            wrong("how many is said in two ways", help, notes);
        }
        if let (Some(least), Some(most)) = (least, most)
            && least > most
        {
            let text = format!("at least {least} and at most {most} cannot both be");
            wrong(&text, "exchange them", notes);
        }
        match (exactly, chance, density) {
            (Some(number), ..) => Many::Between { least: number, most: number },
            (_, Some(chance), _) => Many::Chance(chance),
            (_, _, Some(density)) => Many::Density(density),
            _ if between => {
                Many::Between { least: least.unwrap_or(0), most: most.unwrap_or(u64::MAX) }
            }
            _ => Many::All,
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
    fn read_order(&mut self, value: &Value<'_>, notes: &mut Notes) -> PlaceOrder {
        if value.is_text() {
            return match value.text(notes).unwrap_or_default() {
                "random" => PlaceOrder::Random,
                "rows" => PlaceOrder::Rows,
                other => {
                    unknown_name("order", value, other, ["random", "rows"], notes);
                    PlaceOrder::Random
                }
            };
        }
        let Some(mut keys) = value.table(notes) else { return PlaceOrder::Random };
        let (near, far) = (keys.take("nearest"), keys.take("farthest"));
        keys.finish(notes);
        match (near, far) {
            (Some(what), None) => PlaceOrder::Nearest(self.names.read(&what, self.grounds, notes)),
            (None, Some(what)) => PlaceOrder::Farthest(self.names.read(&what, self.grounds, notes)),
            _ => {
                let text = "an order goes by one thing";
                let finding = Finding::new(Code::MissingKey, value.subject(), text);
                let help = "write `{ nearest = { tag = \"...\" } }` or `{ farthest = ... }`";
                notes.add(finding.help(help), value.span.clone());
                PlaceOrder::Random
            }
        }
    }

    /// A side, `"inward"`, `"random"`, `{ steps = 8 }`, `{ towards = ... }`, `{ away = ... }`,
    /// `{ along = ... }`.
    fn read_facing(&mut self, value: &Value<'_>, on: &On, notes: &mut Notes) -> Facing {
        if value.is_text() {
            return match value.text(notes).unwrap_or_default() {
                "random" => Facing::Steps(360),
                "inward" if matches!(on, On::Side(_) | On::SideTowards(_)) => Facing::Inward,
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
                let text = "on hexagons nothing lies at a right angle";
                let finding = Finding::new(Code::BadValue, what.subject(), text);
                notes.add(finding.help("face `towards` or `away`"), what.span.clone());
            }
            ways.push(way(self.names.read(&what, self.grounds, notes)));
        }
        keys.finish(notes);
        ways.extend(steps.map(|steps| Facing::Steps(steps as u16)));
        if ways.len() != 1 {
            let text = "a facing is said in one way";
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            let help = "write one of `towards`, `away`, `along` and `steps`";
            notes.add(finding.help(help), value.span.clone());
        }
        ways.into_iter().next().unwrap_or_default()
    }

    /// A name, `{ item = "fern", weight = 3 }`, `{ tile = "flag" }`, or `{ parts = [...] }`.
    fn read_choice(&mut self, value: &Value<'_>, notes: &mut Notes) -> Option<Choice> {
        if value.is_text() {
            let part = self.item_part(value, notes)?;
            return Some(Choice { weight: 1.0, parts: vec![part] });
        }
        let mut keys = value.table(notes)?;
        let weight = take_weight(&mut keys, notes);
        let parts = keys.take("parts");
        let one = keys.has("item") || keys.has("tile") || parts.is_none();
        let part = if one {
            self.take_part(&mut keys, value, notes)
        } else {
            // Asked for, so that they are offered where a key is unknown.
            let _ = (keys.take("item"), keys.take("tile"));
            None
        };
        keys.finish(notes);
        let mut all: Vec<Part> = part.into_iter().collect();
        for part in parts.map(|parts| parts.array(notes)).unwrap_or_default() {
            all.extend(self.read_one_part(&part, notes));
        }
        (!all.is_empty()).then_some(Choice { weight, parts: all })
    }

    fn read_one_part(&mut self, value: &Value<'_>, notes: &mut Notes) -> Option<Part> {
        if value.is_text() {
            return self.item_part(value, notes);
        }
        let mut keys = value.table(notes)?;
        let mut part = self.take_part(&mut keys, value, notes);
        if let Some(value) = keys.take("at") {
            let at = value.wholes(-64..65, Code::BadValue, notes);
            let [x, y] = at.unwrap_or_default();
            if let Some(part) = &mut part {
                part.at = [x as i32, y as i32];
            }
            if self.lattice.turns() == 6 && at.is_some() {
                let text = "on hexagons all parts stand in one cell";
                let finding = Finding::new(Code::NotYet, value.subject(), text);
                notes.add(finding.help("use `offset`"), value.span.clone());
            }
        }
        let offset = keys.take("offset").and_then(|value| read_pair(&value, false, notes));
        keys.finish(notes);
        part.map(|part| Part { offset: offset.unwrap_or_default(), ..part })
    }

    /// `item = "post"` or `tile = "flag"`, from keys among others.
    fn take_part(
        &mut self,
        keys: &mut Keys<'_>,
        value: &Value<'_>,
        notes: &mut Notes,
    ) -> Option<Part> {
        let (item, tile) = (keys.take("item"), keys.take("tile"));
        match (item, tile) {
            (Some(item), None) => self.item_part(&item, notes),
            (None, Some(tile)) => {
                let name = tile.text(notes)?;
                if !self.names.tiles.contains(name) {
                    let known = self.names.tiles.iter().map(String::as_str);
                    unknown_name("tile", &tile, name, known, notes);
                    return None;
                }
                let looks = self.names.looks_of(name);
                let what = What::Tile { name: name.to_owned(), looks };
                Some(Part { what, faces: towards_us(self.lattice), at: [0; 2], offset: [0.0; 2] })
            }
            _ => {
                let text = "what is placed is an `item` or a `tile`";
                let finding = Finding::new(Code::MissingKey, value.subject(), text);
                notes.add(finding.help("keep one of them"), value.span.clone());
                None
            }
        }
    }

    fn item_part(&mut self, value: &Value<'_>, notes: &mut Notes) -> Option<Part> {
        let name = value.text(notes)?;
        let Some(item) = self.names.items.iter().find(|item| *item.name == *name) else {
            let known = self.names.items.iter().map(|item| &*item.name);
            unknown_name("item", value, name, known, notes);
            return None;
        };
        let ItemSpec { name, weights, faces, tags, .. } = item;
        let what = What::Item { name: name.clone(), looks: weights.clone(), tags: tags.clone() };
        Some(Part { what, faces: *faces, at: [0; 2], offset: [0.0; 2] })
    }

    /// `{ add = "busy", remove = [...], at = [0, 1], within = 2 }`.
    fn read_mark(&mut self, value: &Value<'_>, notes: &mut Notes) -> Option<Mark> {
        let mut keys = value.table(notes)?;
        let (add, remove) = take_tags(&mut keys, self.names, notes);
        let at = keys.take("at").and_then(|value| value.wholes(-64..65, Code::BadValue, notes));
        let within = keys.take("within").and_then(|v| v.whole(0..1025, Code::BadValue, notes));
        keys.finish(notes);
        if add.is_empty() && remove.is_empty() {
            let text = "a mark gives or takes tags";
            let finding = Finding::new(Code::MissingKey, value.subject(), text);
            notes.add(finding.help("add `add` or `remove`"), value.span.clone());
        }
        let [x, y] = at.unwrap_or_default();
        Some(Mark { add, remove, at: [x as i32, y as i32], within: within.unwrap_or(0) as u32 })
    }
}

/// Two numbers, or one for both.
fn read_pair(value: &Value<'_>, one_for_both: bool, notes: &mut Notes) -> Option<[f32; 2]> {
    let listed = if value.is_array() { value.array(notes) } else { vec![value.clone()] };
    let numbers: Vec<f64> = listed.iter().filter_map(|number| number.number(notes)).collect();
    let near = |number: &f64| (-1000.0..=1000.0).contains(number);
    match numbers[..] {
        [x, y] if near(&x) && near(&y) => Some([x as f32, y as f32]),
        [x] if one_for_both && near(&x) => Some([x as f32; 2]),
        _ if numbers.len() < listed.len() => None,
        _ => {
            let text = format!("`{}` needs two numbers from -1000 to 1000", value.name());
            let finding = Finding::new(Code::BadValue, value.subject(), text);
            notes.add(finding.help("east and south: `[0.25, 0]`"), value.span.clone());
            None
        }
    }
}
