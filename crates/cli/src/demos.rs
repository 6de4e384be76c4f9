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
];
