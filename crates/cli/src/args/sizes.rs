//! Sizes and regions, as they are written.

use lantern_quilt::lattice::{Cell, Extent};
use std::path::{Path, PathBuf};

/// `40x25`, or `16x16x8` for boxes.
pub(super) fn parse_size(text: &str) -> Result<Size, String> {
    let parts: Result<Vec<u32>, _> = text.split('x').map(str::parse).collect();
    match parts.as_deref() {
        Ok(&[width, height]) => Ok(Size { width, height, depth: None }),
        Ok(&[width, height, depth]) => Ok(Size { width, height, depth: Some(depth) }),
        _ => Err("write width x height, such as 40x25, or 16x16x8 on boxes".to_owned()),
    }
}

/// The size of a map; on boxes the levels may be left as they are.
#[derive(Clone, Copy, Debug)]
pub struct Size {
    pub width: u32,
    pub height: u32,
    pub depth: Option<u32>,
}

/// Some cells of a map.
#[derive(Clone, Debug)]
pub enum Region {
    Box {
        origin: Cell,
        size: [u32; 3],
    },
    Mask(PathBuf),
    /// The holes of the map.
    Holes,
}

/// `12,4,8x6`, or `12,4,0,8x6x2` for boxes.
pub(super) fn parse_region(text: &str) -> Result<Region, String> {
    let help =
        || "write column, row and size, such as 12,4,8x6, or `holes`, or name a .png".to_owned();
    if text == "holes" {
        return Ok(Region::Holes);
    }
    if Path::new(text).extension().is_some_and(|e| e.eq_ignore_ascii_case("png")) {
        return Ok(Region::Mask(text.into()));
    }
    let (place, size) = text.rsplit_once(',').ok_or_else(help)?;
    let Size { width, height, depth } = parse_size(size).map_err(|_| help())?;
    let size = [width, height, depth.unwrap_or(1)];
    let numbers: Result<Vec<i32>, _> = place.split(',').map(str::parse).collect();
    let origin = match numbers.as_deref() {
        Ok(&[x, y]) => Cell::new(x, y),
        Ok(&[x, y, z]) => Cell::at(x, y, z),
        _ => return Err(help()),
    };
    Ok(Region::Box { origin, size })
}

/// `12,4,8x6`, of cells that are there.
pub(super) fn parse_box(text: &str) -> Result<Extent, String> {
    let help = "write column, row and size, such as 12,4,8x6";
    match parse_region(text)? {
        Region::Box { origin, size } => {
            Extent::new(origin, size).map_err(|error| format!("{error}; {help}"))
        }
        Region::Mask(_) | Region::Holes => Err(help.to_owned()),
    }
}

/// `16x16`.
pub(super) fn parse_cell(text: &str) -> Result<[u32; 2], String> {
    match parse_size(text) {
        Ok(Size { width: w, height: h, depth: None })
            if (1..=4096).contains(&w) && (1..=4096).contains(&h) =>
        {
            Ok([w, h])
        }
        _ => Err("write width x height in pixels, such as 16x16".to_owned()),
    }
}
