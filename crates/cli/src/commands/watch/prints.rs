//! A contact sheet of the next seeds, made one by one while nothing else is to do.

use super::board::{Board, Part};
use super::filling::Any;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use lantern_quilt::draw::draw;
use lantern_quilt::files::Quilt;
use lantern_quilt::observe::Silent;
use lantern_quilt::picture::Picture;
use lantern_quilt::recipe::MakeError;
use lantern_quilt::seed::Seed;
use serde_json::{Value, json};

/// Seeds on a sheet.
const COUNT: u32 = 12;
/// Columns and rows of a print, in pixels.
const ROOM: [u32; 2] = [240, 180];

/// A sheet on its way.
#[derive(Default)]
pub struct Prints {
    /// What is to be done: the number of each seed.
    due: Vec<u32>,
    done: Vec<Value>,
}

impl Prints {
    /// Begins a sheet with the seed of a number.
    pub fn begin(&mut self, first: u32, board: &Board) {
        self.due = (first..first.saturating_add(COUNT)).rev().collect();
        self.done.clear();
        self.show(board);
    }

    /// Forgets all: the quilt has changed.
    pub fn clear(&mut self, board: &Board) {
        if !self.done.is_empty() || !self.due.is_empty() {
            *self = Self::default();
            self.show(board);
        }
    }

    pub const fn is_due(&self) -> bool {
        !self.due.is_empty()
    }

    /// Makes the next print, unless something else comes.
    pub fn step(
        &mut self,
        quilt: &Quilt,
        seed: impl Fn(u32) -> Seed,
        board: &Board,
        stop: &Any<'_>,
    ) {
        let Some(&turn) = self.due.last() else { return };
        let seed = seed(turn);
        let mut maker = quilt.maker(quilt.layout, &seed);
        let error = maker.make_with(stop, &mut Silent).err();
        if matches!(error, Some(MakeError::Stopped { .. })) {
            return;
        }
        let made = maker.finish();
        let failure = error.or_else(|| made.check().err()).map(|error| error.with_causes());
        let options = quilt.look().fit(Some(ROOM));
        let picture = draw(&made.map, &quilt.art, &options).ok();
        let picture = picture.and_then(|picture: Picture| picture.to_png(&[]).ok());
        let data = picture.map(|png| format!("data:image/png;base64,{}", STANDARD.encode(png)));
        self.done.push(
            json!({ "turn": turn, "seed": seed.text(), "picture": data, "failure": failure }),
        );
        self.due.pop();
        self.show(board);
    }

    fn show(&self, board: &Board) {
        let data = json!({ "prints": self.done, "due": self.due.len() });
        board.change(|shown| shown.show(Part::Prints, data.to_string()));
    }
}
