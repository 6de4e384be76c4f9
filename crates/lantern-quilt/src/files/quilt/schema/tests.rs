//! The schema against the reader.

use super::quilt_schema;
use crate::files::folder::Folder;
use crate::files::quilt::changes::Changes;
use crate::files::quilt::cursor::Notes;
use crate::files::quilt::documents::{Document, gather};
use crate::files::quilt::load::Load;
use crate::models::ModelLimits;
use std::collections::{BTreeMap, BTreeSet};
use xxhash_rust::xxh3::Xxh3;

/// Every table that a quilt may have, with nothing said that need not be.
const EVERY_TABLE: &str = r#"
quilt = 1
map = { lattice = "square", size = [4, 4] }
sheets.s = {}
seams = {}
view = {}
models."a/" = {}
sockets.moss = {}
items.i = { looks = [{}], turned = [{}] }
variants.v = { set = { "tag.on" = true } }
tiles.t = { model = {}, looks = [{ turned = [{}] }], parts = [{ at = [0, 0] }] }
keys.k."." = { tile = "t" }
terrains.moss = "m"
arrangements.a = { scheme = "four", tiles = [{}] }
shapes.moss = { arrangement = "a", looks = [{}], outside = { north = {} } }
shapes.other = { terrain = "moss", tiles = [{}], outside = {} }
sample = [{ key = { "." = { tile = "t" } }, text = "." }]
allow = [{ what = {}, beside = {} }]
accept = [{}]
[[recipe]]
pass = "collapse"
border = { all = {}, ring = {} }
order = {}
pins = [{}]
limits = [{ inside = {} }]
counts = [{}]
shades = [{ by = { noise = {}, where = {} } }]
only = {}
coarse = 2
becomes = { t = {} }
[[recipe]]
pass = "plan"
[[recipe]]
pass = "autotile"
[[recipe]]
pass = "noise"
bands = [{}]
[[recipe]]
pass = "tag"
where = { near = {}, count = {}, noise = {}, edge = {}, plan = {}, value = {} }
[[recipe]]
pass = "clear"
[[recipe]]
pass = "noise"
name = "hill"
surface = [1, 2]
strata = [{}]
[[recipe]]
pass = "place"
what = [{ parts = [{}] }]
density = {}
order = {}
facing = {}
side = { towards = {} }
marks = {}
[[recipe]]
pass = "stamp"
stamps = {}
[[recipe]]
pass = "distance"
from = {}
"#;

/// The reader asks for just those keys that the schema has, table by table.
#[test]
fn the_schema_has_the_keys_of_the_reader() {
    let mut notes = Notes::default();
    let (folder, mut hash) = (Folder::new("."), Xxh3::new());
    let documents: Vec<Document> =
        gather(EVERY_TABLE, "every", &folder, &mut notes, &mut hash).documents;
    let none = (&Changes::default(), &[][..]);
    let folders = documents.iter().map(|document| &*document.folder).collect();
    let load = Load {
        art: &folder,
        folders,
        hash: &mut hash,
        most_pixels: 0,
        pixels_left: 0,
        models_left: ModelLimits::DEFAULT,
    };
    crate::files::quilt::read::read(&documents, none, load, &mut notes);
    let schema = quilt_schema(false);
    let keys = |of: &str| -> BTreeSet<String> {
        let of = if of.is_empty() { &schema } else { &schema["$defs"][of] };
        of["properties"].as_object().expect("properties").keys().cloned().collect()
    };
    let tables: BTreeMap<&str, &str> = [
        ("", ""),
        ("map", "Map"),
        ("sheets.s", "Sheet"),
        ("seams", "Seams"),
        ("view", "ViewColours"),
        ("models.a/", "Standing"),
        ("tiles.t.model", "ModelNode"),
        ("sockets.moss", "Socket"),
        ("tiles.t", "Tile"),
        ("tiles.t.looks.0", "Look"),
        ("tiles.t.looks.0.turned.0", "Picture"),
        ("tiles.t.parts.0", "Part"),
        ("keys.k..", "Posed"),
        ("sample.0", "Sample"),
        ("sample.0.key..", "Posed"),
        ("allow.0", "Pairs"),
        ("allow.0.what", "Kind"),
        ("allow.0.beside", "Kind"),
        ("accept.0", "Accepted"),
        ("shapes.moss", "Shapes"),
        ("shapes.moss.looks.0", "ShapeLook"),
        ("shapes.moss.outside", "OutsideSides"),
        ("shapes.moss.outside.north", "OutsideTerrain"),
        ("shapes.other", "Shapes"),
        ("shapes.other.outside", "OutsideTerrain"),
        ("shapes.other.tiles.0", "ShapeTile"),
        ("arrangements.a", "Arrangement"),
        ("arrangements.a.tiles.0", "ShapeTile"),
        ("recipe.0", "CollapsePass"),
        ("recipe.1", "PlanPass"),
        ("recipe.2", "AutotilePass"),
        ("recipe.3", "NoisePass"),
        ("recipe.3.bands.0", "Band"),
        ("recipe.4", "TagPass"),
        ("recipe.4.where", "Where"),
        ("recipe.4.where.near", "Near"),
        ("recipe.4.where.count", "CountAround"),
        ("recipe.4.where.noise", "NoiseRange"),
        ("recipe.4.where.edge", "Where"),
        ("recipe.4.where.plan", "Painted"),
        ("recipe.5", "ClearPass"),
        ("recipe.6", "NoisePass"),
        ("recipe.6.strata.0", "Stratum"),
        ("recipe.7", "PlacePass"),
        ("recipe.7.what.0", "Choice"),
        ("recipe.7.what.0.parts.0", "SetPart"),
        ("recipe.7.density", "Density"),
        ("recipe.7.order", "PlaceOrderBy"),
        ("recipe.7.facing", "FacingBy"),
        ("recipe.7.side", "SideTowards"),
        ("recipe.7.side.towards", "Where"),
        ("recipe.7.marks", "Mark"),
        ("recipe.8", "StampPass"),
        ("recipe.8.stamps", "Stamp"),
        ("recipe.9", "DistancePass"),
        ("recipe.9.from", "Where"),
        ("items.i", "Item"),
        ("items.i.looks.0", "ItemLook"),
        ("items.i.turned.0", "Picture"),
        ("variants.v", "Variant"),
        ("recipe.0.only", "Kind"),
        ("recipe.0.becomes.t", "BlockBecomes"),
        ("recipe.0.border.all", "Named"),
        ("recipe.0.border.ring", "Kind"),
        ("recipe.0.order", "From"),
        ("recipe.0.pins.0", "Pin"),
        ("recipe.0.limits.0", "Limit"),
        ("recipe.0.limits.0.inside", "Area"),
        ("recipe.0.counts.0", "Count"),
        ("recipe.0.shades.0", "Shade"),
        ("recipe.0.shades.0.by", "ShadeRule"),
    ]
    .into();
    let read: BTreeSet<&str> = notes.tables.keys().map(String::as_str).collect();
    assert_eq!(read, tables.keys().copied().collect());
    for (path, name) in tables {
        let mut asked: BTreeSet<String> =
            notes.tables[path].iter().map(|&key| key.to_owned()).collect();
        // Flat maps have no levels.
        for key in ["z", "slices"].into_iter().filter(|key| keys(name).contains(*key)) {
            asked.insert(key.to_owned());
        }
        assert_eq!(asked, keys(name), "{path}");
    }
}
