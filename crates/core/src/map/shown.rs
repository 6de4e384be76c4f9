//! Parts of a map that are looked at: some cells of it, some layers, passes and groups.

use super::{Layer, Terrain, Tilemap};
use crate::finding::{Code, Finding, Subject};
use crate::grid::{BitPlane, Plane};
use crate::lattice::{Extent, Layout, Wrap};
use std::collections::BTreeSet;

/// What the painted ground is called among the things that are shown.
const GROUND: &str = "terrain";

/// Which parts of a map are looked at, each by the name of its layer, pass or group; the ground that passes
/// paint is called `terrain`.
///
/// ```
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
/// use lantern_quilt_core::map::{Item, Shown, Tilemap};
///
/// let mut map = Tilemap::new(Layout::flat(Lattice::Square, 4, 3)?);
/// let placed = |pass: &str| Item { pass: pass.into(), ..Item::new("lamp", Cell::new(1, 1)) };
/// map.set_items(vec![placed("lights"), placed("stalls")]);
/// let lit = Shown::default().show(["lights"]);
/// assert_eq!(lit.of(&map).items().len(), 1);
/// let wrong = Shown::default().hide(["light"]).unknown(&map.part_names()).unwrap();
/// assert_eq!(wrong.nearest.as_deref(), Some("lights"));
/// # Ok::<(), lantern_quilt_core::lattice::ExtentError>(())
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Shown {
    show: BTreeSet<String>,
    hide: BTreeSet<String>,
}

impl Shown {
    /// The same with these shown, and nothing else but what is shown already.
    #[must_use]
    pub fn show<S: Into<String>>(mut self, names: impl IntoIterator<Item = S>) -> Self {
        self.show.extend(names.into_iter().map(Into::into));
        self
    }

    /// The same without these.
    #[must_use]
    pub fn hide<S: Into<String>>(mut self, names: impl IntoIterator<Item = S>) -> Self {
        self.hide.extend(names.into_iter().map(Into::into));
        self
    }

    /// Whether all of a map is looked at.
    pub fn is_all(&self) -> bool {
        self.show.is_empty() && self.hide.is_empty()
    }

    /// The first name that is not among these, with the nearest of them.
    pub fn unknown(&self, names: &BTreeSet<String>) -> Option<Finding> {
        let asked = self.show.iter().chain(&self.hide);
        let wrong = asked.into_iter().find(|name| !names.contains(*name))?;
        let text = format!("the map has no layer, pass or group `{wrong}`");
        let finding = Finding::new(Code::UnknownName, Subject::Quilt, text);
        Some(finding.among(wrong, names.iter().map(String::as_str)))
    }

    /// Whether what has these names is looked at.
    fn takes(&self, names: &[&str]) -> bool {
        let among = |all: &BTreeSet<String>| names.iter().any(|name| all.contains(*name));
        (self.show.is_empty() || among(&self.show)) && !among(&self.hide)
    }

    /// What is looked at of a map. O(cells) for each layer of which some tiles are left out.
    #[must_use]
    pub fn of(&self, map: &Tilemap) -> Tilemap {
        let mut shown = map.clone();
        if self.is_all() {
            return shown;
        }
        if !self.takes(&[GROUND]) {
            shown.set_terrain(None);
            shown.set_heights(None);
        }
        let layers: Vec<&Layer> = map.layers().collect();
        for layer in layers {
            let taken = |placed: &super::Placed| {
                let pass = placed.pass.as_deref().unwrap_or(&layer.name);
                let group = placed.group.as_deref().into_iter();
                let names: Vec<&str> = [&*layer.name, pass].into_iter().chain(group).collect();
                self.takes(&names)
            };
            let taken: Vec<bool> = layer.palette().iter().map(taken).collect();
            if taken.iter().all(|&one| !one) {
                shown.remove_layer(&layer.name);
            } else if taken.contains(&false) {
                let cells = layer.extent().iter().zip(layer.cells().iter());
                let into = shown.layer_mut(&layer.name);
                for (cell, number) in cells {
                    if number.is_some_and(|number| !taken[number as usize]) {
                        into.set(cell, None);
                    }
                }
            }
        }
        let mut items = shown.take_items();
        items.retain(|item| {
            let group = item.group.as_deref().into_iter();
            let names: Vec<&str> = [&*item.pass].into_iter().chain(group).collect();
            self.takes(&names)
        });
        shown.set_items(items);
        shown
    }
}

impl Tilemap {
    /// The names of its layers, and of the passes and groups of what stands on it; see [`Shown`].
    /// O(items + palettes).
    pub fn part_names(&self) -> BTreeSet<String> {
        let mut names = BTreeSet::from([GROUND.to_owned()]);
        for layer in self.layers() {
            names.insert(layer.name.clone());
            for placed in layer.palette() {
                names.extend(placed.pass.iter().chain(&placed.group).cloned());
            }
        }
        for item in self.items() {
            let of = [Some(&item.pass), item.group.as_ref()];
            for name in of.into_iter().flatten().filter(|name| !name.is_empty()) {
                if !names.contains(&**name) {
                    names.insert(name.to_string());
                }
            }
        }
        names
    }

    /// Some cells of it, which keep their coordinates; nothing when none of them lies on it. Its edges do not
    /// close. O(cells of both).
    pub fn cropped(&self, cells: Extent) -> Option<Self> {
        let (layout, whole) = (self.layout(), self.layout().extent());
        let extent = whole.intersection(&cells)?;
        let mut part = Self::new(Layout::new(layout.lattice(), extent, Wrap::NONE).ok()?);
        part.origin = self.origin.clone();
        if let Some(terrain) = self.terrain() {
            let mut own = Terrain { palette: terrain.palette.clone(), ..Terrain::new(extent) };
            for (index, cell) in extent.iter().enumerate() {
                own.cells.set(index, whole.index(cell).and_then(|at| terrain.cells.get(at)));
            }
            part.set_terrain(Some(own));
        }
        if let Some(heights) = self.heights() {
            let values = extent.iter().map(|cell| heights.get(cell).copied().unwrap_or(0));
            part.set_heights(Plane::from_values(extent, values.collect()));
        }
        for (tag, plane) in self.tags() {
            part.set_tag(tag, Some(BitPlane::from_fn(extent, |cell| plane.get(cell))));
        }
        for (name, numbers) in self.planes() {
            let own = part.plane_mut(name);
            for cell in extent.iter() {
                own.set(cell, numbers.get(cell).map(i64::from));
            }
        }
        for layer in self.layers() {
            // Layers between cells reach one cell farther.
            let more = [0, 1, 2].map(|axis| layer.extent().size()[axis] - whole.size()[axis]);
            let size = [0, 1, 2].map(|axis| extent.size()[axis] + more[axis]);
            let Ok(reach) = Extent::new(extent.origin(), size) else { continue };
            let own = Layer::new(layer.name.clone(), reach, layer.palette().to_vec());
            let mut own = own.offset_by(layer.offset());
            for cell in reach.iter() {
                let number = layer.extent().index(cell).and_then(|at| layer.cells().get(at));
                own.set(cell, number);
            }
            part.put_layer(own);
        }
        part.set_items(
            self.items().iter().filter(|item| extent.contains(item.cell)).cloned().collect(),
        );
        let inside = self.connectors().iter().filter(|one| extent.contains(one.cell));
        part.set_connectors(inside.cloned().collect());
        Some(part)
    }
}
