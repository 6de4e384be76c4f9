//! Items, connectors and palette entries of a map's file.

use lantern_quilt_core::lattice::{Cell, Lattice, Layout, Side};
use lantern_quilt_core::map::{Connector, Item, Placed};
use lantern_quilt_core::orient::Orientation;
use serde::de::Error as _;
use serde::{Deserialize, Deserializer};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Names of which each is kept once.
#[derive(Debug, Default)]
pub(super) struct Shared {
    texts: BTreeMap<String, Arc<str>>,
    lists: BTreeMap<Vec<String>, Arc<[String]>>,
}

impl Shared {
    fn text(&mut self, text: String) -> Arc<str> {
        if let Some(known) = self.texts.get(&text) {
            return known.clone();
        }
        let shared: Arc<str> = text.as_str().into();
        self.texts.insert(text, shared.clone());
        shared
    }

    fn list(&mut self, list: Vec<String>) -> Arc<[String]> {
        if let Some(known) = self.lists.get(&list) {
            return known.clone();
        }
        let shared: Arc<[String]> = list.clone().into();
        self.lists.insert(list, shared.clone());
        shared
    }
}

/// An entry of a palette.
#[derive(Debug, Deserialize)]
pub(super) struct PlacedIn {
    tile: String,
    #[serde(default)]
    turn: u8,
    #[serde(default)]
    mirror: bool,
    #[serde(default)]
    look: u32,
    part: Option<[u32; 3]>,
    pass: Option<String>,
    group: Option<String>,
}

impl PlacedIn {
    pub(super) fn placed(self, lattice: Lattice) -> Placed {
        Placed {
            tile: self.tile,
            orientation: Orientation::new(lattice, self.turn, self.mirror),
            look: self.look,
            part: self.part,
            pass: self.pass,
            group: self.group,
        }
    }
}

/// An item.
#[derive(Deserialize)]
pub(super) struct ItemIn {
    cell: [i32; 3],
    name: String,
    side: Option<String>,
    look: Option<u32>,
    #[serde(default, deserialize_with = "finite_three")]
    offset: [f32; 3],
    #[serde(default, deserialize_with = "finite")]
    turn: f32,
    #[serde(default, deserialize_with = "finite")]
    tilt: f32,
    #[serde(default = "one", deserialize_with = "finite")]
    scale: f32,
    #[serde(default)]
    stacked: u32,
    #[serde(default)]
    stands: bool,
    #[serde(default, deserialize_with = "finite")]
    height: f32,
    #[serde(default)]
    drawn: i32,
    #[serde(default)]
    tags: Vec<String>,
    facing: Option<String>,
    #[serde(default)]
    pass: String,
    group: Option<String>,
    #[serde(default)]
    number: u32,
}

impl ItemIn {
    /// Says what is wrong with it otherwise.
    pub(super) fn item(self, shared: &mut Shared) -> Result<Item, String> {
        let [x, y, z] = self.cell;
        Ok(Item {
            cell: Cell { x, y, z },
            side: self.side.as_deref().map(side).transpose()?,
            name: shared.text(self.name),
            look: self.look,
            offset: self.offset,
            facing: self.facing.as_deref().map(side).transpose()?,
            turn: self.turn,
            tilt: self.tilt,
            scale: self.scale,
            stacked: self.stacked,
            stands: self.stands,
            height: self.height,
            drawn: self.drawn,
            tags: shared.list(self.tags),
            pass: shared.text(self.pass),
            group: self.group.map(|group| shared.text(group)),
            number: self.number,
        })
    }
}

/// A connector.
#[derive(Deserialize)]
pub(super) struct ConnectorIn {
    cell: [i32; 3],
    side: String,
    #[serde(default)]
    level: i32,
    name: String,
    #[serde(default)]
    piece: String,
}

impl ConnectorIn {
    /// Says what is wrong with it otherwise.
    pub(super) fn connector(self, shared: &mut Shared) -> Result<Connector, String> {
        let [x, y, z] = self.cell;
        Ok(Connector {
            cell: Cell { x, y, z },
            side: side(&self.side)?,
            level: self.level,
            name: shared.text(self.name),
            piece: shared.text(self.piece),
        })
    }
}

/// What is wrong with a connector on a map of that layout, when anything is.
pub(super) fn misplaced(one: &Connector, layout: Layout) -> Option<String> {
    let (cell, side) = (one.cell, one.side.name());
    if layout.extent().index(cell).is_none() {
        return Some(format!("connector `{}` at {cell} lies outside the map", one.name));
    }
    let lattice = layout.lattice();
    (!lattice.sides().contains(&one.side)).then(|| {
        format!("connector `{}` at {cell}: a {lattice} cell has no side `{side}`", one.name)
    })
}

fn side(name: &str) -> Result<Side, String> {
    Side::from_name(name).ok_or_else(|| format!("no side is named `{name}`"))
}

const fn one() -> f32 {
    1.0
}

/// A number that is one in 32 bits as well.
fn finite<'de, D: Deserializer<'de>>(deserializer: D) -> Result<f32, D::Error> {
    let number = f64::deserialize(deserializer)?;
    let narrow = number as f32;
    if narrow.is_finite() {
        return Ok(narrow);
    }
    Err(D::Error::custom(format!("{number:e} is too large a number")))
}

pub(super) fn finite_three<'de, D: Deserializer<'de>>(d: D) -> Result<[f32; 3], D::Error> {
    let three = <[Finite; 3]>::deserialize(d)?;
    Ok(three.map(|Finite(number)| number))
}

/// A number that [`finite`] reads.
#[derive(Deserialize)]
pub(super) struct Finite(#[serde(deserialize_with = "finite")] pub(super) f32);
