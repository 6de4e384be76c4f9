//! The demos that the tool carries inside.

pub struct Demo {
    pub name: &'static str,
    pub about: &'static str,
    /// File names and contents; the quilt comes first.
    pub files: &'static [(&'static str, &'static [u8])],
}

macro_rules! demo {
    ($name:literal, $about:literal, [$($file:literal),*]) => {
        Demo {
            name: $name,
            about: $about,
            files: &[$(($file, include_bytes!(concat!("../../../demos/", $name, "/", $file)))),*],
        }
    };
}

pub const ALL: &[Demo] = &[
    demo!(
        "terrace",
        "a hillside of tea beds, paths, hedges and lily ponds: a square tileset",
        ["terrace.quilt.toml", "terrace-tiles.png"]
    ),
    demo!(
        "comb",
        "a hexagonal moss garden of paths, rills and pools: a hex tileset in six turns",
        ["comb.quilt.toml", "comb-tiles.png"]
    ),
    demo!(
        "mats",
        "a festival ground painted flat, where every tile takes the shape that fits: autotiling",
        ["mats.quilt.toml", "mats-tiles.png", "mats-plan.png"]
    ),
    demo!(
        "market",
        "an evening market from a recipe of many passes: things placed by rule, in three variants",
        ["market.quilt.toml", "market-ground.png", "market-things.png", "market-plan.png"]
    ),
    demo!(
        "hillside",
        "a hillside seen from the side: a surface, strata below it, lanterns in hollows",
        ["hillside.quilt.toml", "hillside-tiles.png"]
    ),
    demo!(
        "pagoda",
        "tiered lantern pagodas of thirty modules whose sides are read from their geometry",
        [
            "pagoda.quilt.toml",
            "modules.quilt.toml",
            "pagoda-modules.glb",
            "careless.quilt.toml",
            "careless/pagoda-modules.glb"
        ]
    ),
    demo!(
        "lane",
        "a paved lane of modules with stalls and lanterns: a square map with models",
        ["lane.quilt.toml", "lane-modules.glb"]
    ),
    demo!(
        "wall",
        "a garden wall that grows from its gate, with lantern towers: a box map with models",
        ["wall.quilt.toml", "wall-modules.glb"]
    ),
    demo!(
        "rootway",
        "roots, a brook and paths that surely reach: walks, routes and stamps on hexagons",
        ["rootway.quilt.toml", "rootway-tiles.png"]
    ),
    demo!(
        "drift",
        "paper lanterns adrift: one set of tiles for squares, hexagons and boxes",
        ["drift.quilt.toml"]
    ),
    demo!(
        "reedbank",
        "reeds and moss in still water, as frequent as in a sample drawn by hand: shares",
        ["reedbank.quilt.toml", "reedbank-tiles.png"]
    ),
    demo!(
        "weave",
        "woven cloths whose sides are matched by their pixels: no labels at all",
        ["weave.quilt.toml", "weave-tiles.png"]
    ),
    demo!(
        "patchwork",
        "a quilt learned from a drawing of one, with lists that add and take away",
        ["patchwork.quilt.toml", "patchwork-tiles.png"]
    ),
    demo!(
        "trellis",
        "lanterns and wisteria that hang from a trellis: windows of a drawing of 24 x 16 pixels",
        ["trellis.quilt.toml", "trellis-tiles.png", "trellis-sample.png", "trellis-cloth.png"]
    ),
    demo!(
        "rockery",
        "a rock garden of voxels: windows of slices, on a box map",
        ["rockery.quilt.toml", "rockery-slices.png"]
    ),
    demo!(
        "basin",
        "stone basins of voxel pieces that meet where their voxels are the same, on a box map",
        ["basin.quilt.toml", "basin-pieces.png"]
    ),
    demo!(
        "festival",
        "tiles of several cells, and every way to say where something stands",
        ["festival.quilt.toml", "green.quilt.toml", "festival-tiles.png", "festival-light.png"]
    ),
];
