//! A map as one page for a browser: it pans and zooms, or orbits models, switches layers and groups, follows the
//! passes, and shows what a cell holds.
//!
//! The page is `page.html` with `page.css` and the scripts in `script/`; the map goes into it as JSON (`cells` what
//! all maps have, `flat` pictures, `solid` models, `stages` the map after each pass), its numbers as bytes.
//! `details` is what a page shows besides the map.

mod cells;
mod details;
mod flat;
mod solid;
mod stages;

pub use details::{FillNote, PageDetails, PassNote, PlanNote, Stage};

use super::{DrawError, DrawOptions, shaded};
use crate::art::TileArt;
use crate::picture::Picture;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use cells::Palettes;
use lantern_quilt_core::map::Tilemap;
use serde_json::Value;
use stages::Stages;
use std::io::{self, Write};

const PAGE: &str = include_str!("page.html");
const STYLE: &str = include_str!("page.css");
/// One after the other they are one script.
const SCRIPTS: [&str; 8] = [
    include_str!("script/data.js"),
    include_str!("script/flat.js"),
    include_str!("script/solid.js"),
    include_str!("script/cell.js"),
    include_str!("script/beside.js"),
    include_str!("script/replay.js"),
    include_str!("script/show.js"),
    include_str!("script/live.js"),
];

/// Writes a map as one HTML page that needs no other file and no network. O(cells x layers + items).
///
/// It pans and zooms (also by keys), fits, shows grid and coordinates, and switches layers, groups and the things of
/// each pass. A cell that is clicked shows its ground, height, tags, numbers, tiles and items. Names are shown as
/// text. Maps that are drawn shaded can be orbited in a browser with WebGL2, and are a picture in others. Of
/// `options` the region, the levels, what is shown, failed cells and colours count.
///
/// ```
/// use lantern_quilt::draw::{DrawOptions, write_page};
/// use lantern_quilt::prelude::*;
///
/// let mut map = Tilemap::new(Layout::flat(Lattice::Square, 3, 2)?);
/// map.origin.quilt = "a </script> quilt".to_owned();
/// let mut page = Vec::new();
/// write_page(&map, &TileArt::new([8, 8]), &DrawOptions::default(), &mut page)?;
/// let page = String::from_utf8(page)?;
/// assert!(page.starts_with("<!doctype html>") && !page.contains("a </script>"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// When there is no art, or `out` fails.
pub fn write_page(
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
    out: &mut dyn Write,
) -> io::Result<()> {
    write_page_with(map, art, options, &PageDetails::default(), out)
}

/// As [`write_page`], with what is known besides the map: its passes, plans and rules, and the map after each pass.
/// O((cells x layers + items) x stages).
///
/// # Errors
/// As [`write_page`].
pub fn write_page_with(
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
    details: &PageDetails,
    out: &mut dyn Write,
) -> io::Result<()> {
    let data = page_data(map, art, options, details).map_err(io::Error::other)?;
    write_with(&data, out)
}

/// A page without a map, which asks the server that it comes from for one: `map` gives it as
/// [`page_data`], `next?after=N` what is new after the state of that number.
pub fn live_page() -> String {
    let mut page = Vec::new();
    write_with(&Value::Null, &mut page).expect("memory takes it");
    String::from_utf8(page).expect("it is text")
}

/// What a page shows of a map.
///
/// # Errors
/// When there is no art.
pub fn page_data(
    map: &Tilemap,
    art: &TileArt,
    options: &DrawOptions,
    details: &PageDetails,
) -> Result<Value, DrawError> {
    let map = &options.seen(map)?;
    let cells = map.layout().extent().cells();
    let kept = details.stages.iter().filter(|_| cells <= Stages::MOST_CELLS);
    let seen = kept.map(|stage| Ok((stage.pass.as_str(), options.seen(&stage.map)?)));
    let stages = Stages::new(map, &seen.collect::<Result<Vec<_>, DrawError>>()?);
    let palettes = Palettes::new(map, stages.maps());
    let mut page = cells::data(map, options, &palettes);
    page["stages"] = stages.to_json(map, &palettes);
    page["stages_left_out"] = (!details.stages.is_empty() && stages.is_empty()).into();
    details.add_to(&mut page, map, &palettes, options);
    if shaded::is_shaded(map.layout().lattice(), art) {
        solid::add_to(&mut page, map, art, options, (&stages, &palettes))?;
    } else {
        flat::add_to(&mut page, map, art, options, (&stages, &palettes))?;
    }
    Ok(page)
}

fn write_with(data: &Value, out: &mut dyn Write) -> io::Result<()> {
    let title = data["title"].as_str().unwrap_or("Lantern Quilt");
    let escaped = title.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
    // Nothing in a name can end the element that holds it.
    let data = data.to_string().replace('<', "\\u003c");
    let mut left = PAGE;
    let script = SCRIPTS.concat();
    let parts = [
        ("{{TITLE}}", escaped.as_str()),
        ("{{STYLE}}", STYLE),
        ("{{DATA}}", &data),
        ("{{SCRIPT}}", &script),
    ];
    for (mark, text) in parts {
        let (before, after) = left.split_once(mark).expect("the page has a place for each part");
        out.write_all(before.as_bytes())?;
        out.write_all(text.as_bytes())?;
        left = after;
    }
    out.write_all(left.as_bytes())
}

/// Numbers of 32 bits, the least byte first.
fn packed(numbers: impl Iterator<Item = i32>) -> String {
    STANDARD.encode(numbers.flat_map(i32::to_le_bytes).collect::<Vec<u8>>())
}

fn packed_floats(numbers: impl Iterator<Item = f32>) -> String {
    STANDARD.encode(numbers.flat_map(f32::to_le_bytes).collect::<Vec<u8>>())
}

fn encoded(picture: &Picture) -> String {
    format!("data:image/png;base64,{}", STANDARD.encode(picture.to_png(&[]).unwrap_or_default()))
}
