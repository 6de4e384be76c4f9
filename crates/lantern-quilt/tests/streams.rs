//! Maps are written and read a row at a time: measured where memory is given out.
#![cfg(feature = "files")]

use lantern_quilt::files::{read_json, write_cells, write_json};
use lantern_quilt::map::Numbers;
use lantern_quilt::prelude::*;
use peak_alloc::PeakAlloc;
use std::io::{BufReader, BufWriter, Write};

#[global_allocator]
static MEMORY: PeakAlloc = PeakAlloc;

/// The most bytes that some work held beyond those that it began and those that it left with.
fn beyond<T>(work: impl FnOnce() -> T) -> (T, usize) {
    let before = MEMORY.current_usage();
    MEMORY.reset_peak_usage();
    let made = work();
    let kept = before.max(MEMORY.current_usage());
    (made, MEMORY.peak_usage() - kept)
}

#[test]
fn a_large_map_takes_the_memory_of_a_row() {
    const SIDE: u32 = 700;
    let layout = Layout::flat(Lattice::Square, SIDE, SIDE).unwrap();
    let extent = layout.extent();
    let mut map = Tilemap::new(layout);
    let numbers = (0..extent.cells()).map(|index| (index % 7 > 0).then_some(index as i64 % 90));
    let plane = Numbers::from_values(extent, numbers);
    let mut layer = Layer::new("ground", extent, vec![Placed::new("moss"), Placed::new("fern")]);
    for (index, cell) in extent.iter().enumerate() {
        layer.set(cell, Some(index as u32 % 2).filter(|_| index % 5 > 0));
        map.tag_mut("lit").set(cell, index % 3 == 0);
        map.terrain_mut().lay(index, Some(if index % 2 == 0 { "moss" } else { "clay" }));
        *map.heights_mut().get_mut(cell).unwrap() = index as i32 % 11 - 5;
    }
    layer.set_decided(plane.clone());
    map.set_plane("far", plane);
    map.put_layer(layer);

    // Buffers of 8 KiB, the names of keys, a row of bits: all of it far below a row's worth a cell.
    const ROW: usize = 64 * SIDE as usize;
    let file = tempfile::tempfile().unwrap();
    let mut out = BufWriter::new(file);
    let ((), held) = beyond(|| write_json(&map, &mut out).unwrap());
    assert!(held < ROW, "{held} bytes to write JSON");
    let ((), held) = beyond(|| write_cells(&map, std::io::sink()).unwrap());
    assert!(held < 3 * ROW, "{held} bytes to write CSV");
    out.flush().unwrap();
    let mut file = out.into_inner().unwrap();
    std::io::Seek::rewind(&mut file).unwrap();
    let (back, held) = beyond(|| read_json(BufReader::new(file)).unwrap());
    assert!(held < ROW, "{held} bytes to read JSON");
    assert_eq!(back, map);
}
