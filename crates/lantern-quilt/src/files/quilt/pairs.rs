//! A table of all pairs of poses and where they come from.

use super::checked::Quilt;
use lantern_quilt_core::audit::origins::pair_origins;
use lantern_quilt_core::constraints::Posed;
use std::io::{self, Write};

impl Quilt {
    /// Writes a row for each pair of poses that sides, samples or lists speak of, once from each
    /// pair of opposite sides: `tile,turn,mirror,side,beside,beside_turn,beside_mirror,may_touch,
    /// because`.
    ///
    /// # Errors
    /// When `out` fails.
    pub fn write_pairs(&self, out: impl Write) -> io::Result<()> {
        let Some(collapse) = self.collapse() else { return Ok(()) };
        let tileset = collapse.tileset();
        let mut out = csv::Writer::from_writer(out);
        out.write_record([
            "tile",
            "turn",
            "mirror",
            "side",
            "beside",
            "beside_turn",
            "beside_mirror",
            "may_touch",
            "because",
        ])
        .map_err(plain)?;
        for pair in pair_origins(tileset, collapse.constraints()) {
            let pose = |(tile, orientation): Posed| {
                let tile = &tileset.tiles()[tile];
                let mut name = tile.name().to_owned();
                if let Some(part) = tile.part() {
                    name.push_str(&format!(" part {} {}", part.at[0], part.at[1]));
                }
                let mirror = if orientation.mirrored() { "1" } else { "0" };
                [name, orientation.turns().to_string(), mirror.to_owned()]
            };
            let ([a, turn, mirror], [b, turned, mirrored]) = (pose(pair.a), pose(pair.b));
            let may = if pair.may_touch { "1" } else { "0" };
            let because = pair.because(tileset);
            let side = pair.side.name();
            out.write_record([
                &*a, &*turn, &*mirror, side, &*b, &*turned, &*mirrored, may, &*because,
            ])
            .map_err(plain)?;
        }
        out.flush()
    }
}

/// The error below, whose kind tells a reader who has seen enough from a disk that is full.
fn plain(error: csv::Error) -> io::Error {
    match error.into_kind() {
        csv::ErrorKind::Io(error) => error,
        other => io::Error::other(format!("{other:?}")),
    }
}
