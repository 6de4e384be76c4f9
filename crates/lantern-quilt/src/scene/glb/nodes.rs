//! Nodes: levels, groups, and everything that stands in them.

use super::super::stood::{Scene, Stood, StoodSource, place_of};
use super::chunks::Chunks;
use super::pack::Pack;
use lantern_quilt_core::lattice::Cell;
use lantern_quilt_core::map::{Item, Tilemap};
use serde::Serialize;
use serde_json::{Map, Value, json};
use std::collections::BTreeMap;
use std::io;

/// Writes the nodes of a map.
pub(super) struct Nodes<'a> {
    map: &'a Tilemap,
    scene: &'a Scene,
    /// The mesh of each shape.
    meshes: &'a [Option<u32>],
    /// The names of the layers and of those passes whose items have no group.
    layers: Vec<&'a str>,
    instanced: bool,
}

/// One thing, as a node.
#[derive(Serialize)]
struct Node<'a> {
    name: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    mesh: Option<u32>,
    translation: [f32; 3],
    #[serde(skip_serializing_if = "Option::is_none")]
    rotation: Option<[f32; 4]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    scale: Option<[f32; 3]>,
    extras: Extras<'a>,
}

/// What a map says about a thing.
#[derive(Serialize)]
struct Extras<'a> {
    #[serde(skip_serializing_if = "Option::is_none")]
    tile: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    item: Option<&'a str>,
    /// Clockwise: turns of a tile, degrees of an item.
    #[serde(skip_serializing_if = "is_zero")]
    turn: f32,
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    mirror: bool,
    cell: [i32; 3],
    #[serde(skip_serializing_if = "Option::is_none")]
    side: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    terrain: Option<&'a str>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    tags: Vec<&'a str>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    planes: BTreeMap<&'a str, i32>,
    pass: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    number: Option<u32>,
}

/// Many things of one mesh, as one node.
#[derive(Serialize)]
struct Instanced<'a> {
    name: &'a str,
    mesh: u32,
    extensions: Value,
    extras: EachExtras<'a>,
}

/// What a map says about each of them, in the order of the instances.
#[derive(Serialize)]
struct EachExtras<'a> {
    names: Vec<&'a str>,
    each: Vec<&'a Extras<'a>>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde hands it over so")]
fn is_zero(value: &f32) -> bool {
    *value == 0.0
}

/// What stands, drawn or not.
#[derive(Clone, Copy)]
enum Thing<'a> {
    Stood(&'a Stood),
    Marker(&'a Item),
}

/// The level and the group that a thing belongs to.
type Home<'a> = (i32, &'a str);

impl<'a> Nodes<'a> {
    pub(super) fn new(map: &'a Tilemap, scene: &'a Scene, meshes: &'a [Option<u32>]) -> Self {
        let layers = map.layers().map(|layer| layer.name.as_str()).collect();
        Self { map, scene, meshes, layers, instanced: false }
    }

    /// Whether anything was written as instances.
    pub(super) const fn instanced(&self) -> bool {
        self.instanced
    }

    /// Things by level and group, in the order of the map.
    fn homes(&self, levels: Option<[i32; 2]>) -> BTreeMap<Home<'a>, Vec<Thing<'a>>> {
        let mut homes: BTreeMap<Home<'a>, Vec<Thing<'a>>> = BTreeMap::new();
        for stood in &self.scene.stood {
            let home = (stood.cell.z, self.group(stood));
            homes.entry(home).or_default().push(Thing::Stood(stood));
        }
        let shows = |cell: Cell| levels.is_none_or(|[low, high]| (low..=high).contains(&cell.z));
        let markers = self.map.items().iter().filter(|item| item.look.is_none());
        for item in markers.filter(|item| shows(item.cell)) {
            homes.entry((item.cell.z, group_of(item))).or_default().push(Thing::Marker(item));
        }
        homes
    }

    fn group(&self, stood: &Stood) -> &'a str {
        match stood.source {
            StoodSource::Item(number) => group_of(&self.map.items()[number]),
            StoodSource::Tile { layer, entry } => match self.map.layers().nth(layer) {
                Some(layer) => {
                    layer.palette()[entry as usize].group.as_deref().unwrap_or(&layer.name)
                }
                None => "ground",
            },
        }
    }

    /// A node for each thing.
    pub(super) fn plain(&mut self, levels: Option<[i32; 2]>) -> io::Result<Chunks> {
        let homes = self.homes(levels);
        let mut out = Written::begin(&homes);
        for (home, things) in &homes {
            for thing in things {
                out.add(*home, |json| serde_json::to_writer(json, &self.node(*thing)))?;
            }
        }
        out.finish(&self.origin())
    }

    /// A node for each mesh of a group, with all places of it; markers are nodes of their own.
    pub(super) fn instances(
        &mut self,
        pack: &mut Pack,
        levels: Option<[i32; 2]>,
    ) -> io::Result<Chunks> {
        let homes = self.homes(levels);
        let mut out = Written::begin(&homes);
        for (home, things) in &homes {
            let mut shapes: BTreeMap<u32, Vec<&Stood>> = BTreeMap::new();
            for thing in things {
                match thing {
                    Thing::Stood(stood) => shapes.entry(stood.shape).or_default().push(stood),
                    Thing::Marker(_) => {
                        out.add(*home, |json| serde_json::to_writer(json, &self.node(*thing)))?;
                    }
                }
            }
            for (shape, all) in shapes {
                let Some(mesh) = self.meshes[shape as usize] else { continue };
                self.instanced = true;
                let at = pack.vectors(all.iter().map(|one| one.at.to_array()), 0);
                let rotations = all.iter().map(|one| one.turned.rotation().to_array());
                let rotations = pack.vectors(rotations, 0);
                let mut attributes = json!({ "TRANSLATION": at, "ROTATION": rotations });
                if all.iter().any(|one| one.scale != 1.0) {
                    let scales = pack.vectors(all.iter().map(|one| [one.scale; 3]), 0);
                    attributes["SCALE"] = scales.into();
                }
                let nodes: Vec<Node<'_>> =
                    all.iter().map(|one| self.node(Thing::Stood(one))).collect();
                let node = Instanced {
                    name: &self.scene.shapes[shape as usize].name,
                    mesh,
                    extensions: json!({ "EXT_mesh_gpu_instancing": { "attributes": attributes } }),
                    extras: EachExtras {
                        names: nodes.iter().map(|node| node.name).collect(),
                        each: nodes.iter().map(|node| &node.extras).collect(),
                    },
                };
                out.add(*home, |json| serde_json::to_writer(json, &node))?;
            }
        }
        out.finish(&self.origin())
    }

    fn node(&self, thing: Thing<'a>) -> Node<'a> {
        match thing {
            Thing::Marker(item) => {
                let mut at = place_of(self.map, item, self.scene.module);
                at.y += item.height * self.scene.module.y;
                Node {
                    name: &item.name,
                    mesh: None,
                    translation: at.to_array(),
                    rotation: None,
                    scale: None,
                    extras: self.extras_of(item),
                }
            }
            Thing::Stood(stood) => {
                let rotation = stood.turned.rotation();
                let turned = rotation != glam::Quat::IDENTITY;
                let (name, extras) = match stood.source {
                    StoodSource::Item(number) => {
                        let item = &self.map.items()[number];
                        (&*item.name, self.extras_of(item))
                    }
                    StoodSource::Tile { layer, entry } => self.extras_of_tile(stood, layer, entry),
                };
                Node {
                    name,
                    mesh: self.meshes[stood.shape as usize],
                    translation: stood.at.to_array(),
                    rotation: turned.then(|| rotation.to_array()),
                    scale: (stood.scale != 1.0).then_some([stood.scale; 3]),
                    extras,
                }
            }
        }
    }

    fn extras_of_tile(&self, stood: &Stood, layer: usize, entry: u32) -> (&'a str, Extras<'a>) {
        let Some(&name) = self.layers.get(layer) else {
            return ("ground", self.extras(stood.cell, "ground"));
        };
        let layer = self.map.layers().nth(layer).expect("it has a name");
        let placed = &layer.palette()[entry as usize];
        let mut extras = self.extras(stood.cell, placed.pass.as_deref().unwrap_or(name));
        extras.tile = Some(&placed.tile);
        extras.turn = f32::from(placed.orientation.turns());
        extras.mirror = placed.orientation.mirrored();
        (&placed.tile, extras)
    }

    fn extras_of(&self, item: &'a Item) -> Extras<'a> {
        let mut extras = self.extras(item.cell, &item.pass);
        extras.item = Some(&item.name);
        extras.turn = item.turn;
        extras.side = item.side.map(lantern_quilt_core::lattice::Side::name);
        extras.tags.extend(item.tags.iter().map(String::as_str));
        extras.number = Some(item.number).filter(|&number| number > 0);
        extras
    }

    /// What the map says about a cell.
    fn extras(&self, cell: Cell, pass: &'a str) -> Extras<'a> {
        let extent = self.map.layout().extent();
        let tags = self.map.tags().filter(|(_, plane)| plane.get(cell));
        let planes = self
            .map
            .planes()
            .filter_map(|(name, plane)| Some((name, plane.at(extent.index(cell)?)?)));
        Extras {
            tile: None,
            item: None,
            turn: 0.0,
            mirror: false,
            cell: [cell.x, cell.y, cell.z],
            side: None,
            terrain: self.map.terrain().and_then(|terrain| terrain.at(cell, extent)),
            tags: tags.map(|(name, _)| name).collect(),
            planes: planes.collect(),
            pass,
            number: None,
        }
    }

    fn origin(&self) -> Value {
        let (origin, layout) = (&self.map.origin, self.map.layout());
        let module = self.scene.module;
        json!({
            "quilt": origin.quilt,
            "seed": origin.seed,
            "lattice": layout.lattice().name(),
            "size": layout.extent().size(),
            "module": [module.x, module.z, module.y],
        })
    }
}

fn group_of(item: &Item) -> &str {
    item.group.as_deref().unwrap_or(&item.pass)
}

/// Nodes as they are written: those that stand first, then groups, levels and the map.
struct Written<'a> {
    json: Chunks,
    count: u32,
    children: BTreeMap<Home<'a>, Vec<u32>>,
}

impl<'a> Written<'a> {
    fn begin(homes: &BTreeMap<Home<'a>, Vec<Thing<'a>>>) -> Self {
        let children = homes.keys().map(|home| (*home, Vec::new())).collect();
        let mut json = Chunks::default();
        json.extend(b"\"nodes\":[");
        Self { json, count: 0, children }
    }

    fn add(
        &mut self,
        home: Home<'a>,
        write: impl FnOnce(&mut Chunks) -> serde_json::Result<()>,
    ) -> io::Result<()> {
        let number = self.push(write)?;
        self.children.entry(home).or_default().push(number);
        Ok(())
    }

    fn push(
        &mut self,
        write: impl FnOnce(&mut Chunks) -> serde_json::Result<()>,
    ) -> io::Result<u32> {
        if self.count > 0 {
            self.json.push(b',');
        }
        write(&mut self.json)?;
        self.count += 1;
        Ok(self.count - 1)
    }

    fn parent(&mut self, name: &str, children: &[u32], extras: &Value) -> io::Result<u32> {
        let mut node = Map::new();
        node.insert("name".to_owned(), name.into());
        if !children.is_empty() {
            node.insert("children".to_owned(), children.into());
        }
        if !extras.is_null() {
            node.insert("extras".to_owned(), extras.clone());
        }
        self.push(|json| serde_json::to_writer(json, &node))
    }

    fn finish(mut self, origin: &Value) -> io::Result<Chunks> {
        let mut levels: BTreeMap<i32, Vec<u32>> = BTreeMap::new();
        for ((level, group), children) in std::mem::take(&mut self.children) {
            let extras = json!({ "group": group });
            let number = self.parent(group, &children, &extras)?;
            levels.entry(level).or_default().push(number);
        }
        let mut roots = Vec::new();
        for (level, groups) in levels {
            let extras = json!({ "level": level });
            roots.push(self.parent(&format!("level {level}"), &groups, &extras)?);
        }
        let root = self.parent("map", &roots, origin)?;
        self.json.extend(b"],\"scenes\":[{\"nodes\":[");
        self.json.extend(root.to_string().as_bytes());
        self.json.extend(b"]}],\"scene\":0");
        Ok(self.json)
    }
}
