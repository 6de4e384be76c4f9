//! Text that grows without being moved: what is written stays where it is.

use std::io::{self, Write};

/// Bytes of one piece.
const PIECE: usize = 1 << 20;

/// Text in pieces.
#[derive(Default)]
pub(super) struct Chunks {
    pieces: Vec<Vec<u8>>,
    length: usize,
}

impl Chunks {
    pub(super) fn push(&mut self, byte: u8) {
        self.extend(&[byte]);
    }

    pub(super) fn extend(&mut self, mut data: &[u8]) {
        self.length += data.len();
        while !data.is_empty() {
            let room = self.pieces.last().map_or(0, |piece| PIECE - piece.len());
            if room == 0 {
                self.pieces.push(Vec::with_capacity(PIECE));
                continue;
            }
            let (now, later) = data.split_at(room.min(data.len()));
            self.pieces.last_mut().expect("there is one").extend_from_slice(now);
            data = later;
        }
    }

    pub(super) const fn len(&self) -> usize {
        self.length
    }

    pub(super) fn write_to(&self, out: &mut dyn Write) -> io::Result<()> {
        self.pieces.iter().try_for_each(|piece| out.write_all(piece))
    }
}

impl Write for Chunks {
    fn write(&mut self, data: &[u8]) -> io::Result<usize> {
        self.extend(data);
        Ok(data.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}
