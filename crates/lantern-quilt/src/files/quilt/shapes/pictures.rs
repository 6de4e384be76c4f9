//! Whether the art of a set shows what its shapes are for.

use super::ShapeSpec;
use crate::art::TileArt;
use crate::picture::Rgba;
use lantern_quilt_core::audit::shapes::{CORNERS, OddPicture, exchanged_quarters, odd_pictures};
use lantern_quilt_core::autotile::Scheme;
use lantern_quilt_core::finding::{Code, Finding, Subject};

/// The drawings that quarters are taken from, by their joins, and what each would be alone.
const DRAWINGS: [(u8, &str); 5] = [
    (0, "island"),
    (0x11, "upright run"),
    (0x44, "level run"),
    (0x55, "crossing"),
    (0xff, "inside"),
];

/// Blank cells that are named in one finding.
const NAMED: usize = 6;

impl ShapeSpec {
    /// Blank cells, and cells that show what others should.
    pub(in crate::files::quilt) fn odd_pictures(&self, art: &TileArt) -> Vec<Finding> {
        let mut found = Vec::new();
        let looks = self.set.tiles().iter().map(|tile| tile.looks.len()).max().unwrap_or(1);
        for look in 0..looks {
            let pixels = |name: &str| -> Option<Vec<Rgba>> {
                Some(art.look(name, look as u32)?.drawn().pixels().to_vec())
            };
            if self.quarters.is_some() {
                found.extend(self.odd_quarters(art, look, pixels));
            } else {
                found.extend(self.odd_shapes(art, look, pixels));
            }
        }
        found
    }

    fn subject(&self) -> Subject {
        Subject::Field(format!("shapes.{}", self.set.name()))
    }

    /// The cell of a sheet in which a look of a shape lies, in words.
    pub(in crate::files::quilt) fn cell(&self, tile: &str, look: usize) -> String {
        let spec = self.looks.iter().filter(|spec| spec.tile == tile).nth(look);
        let at = spec.and_then(|spec| spec.drawn.at.as_ref());
        at.map_or_else(|| format!("`{tile}`"), |([x, y], _)| format!("`{tile}` at [{x}, {y}]"))
    }

    /// The neighbourhood that a shape is for, in words.
    fn joins(&self, tile: &str) -> String {
        let set = &self.set;
        let drawn = set.tiles().iter().find(|one| one.tile.as_deref() == Some(tile));
        let slots = set.scheme().slots();
        drawn.map_or_else(String::new, |tile| {
            let lowest = |slot: usize| tile.drawing.sign(slot).trailing_zeros() as u8;
            let around = std::array::from_fn(|slot| if slot < slots { lowest(slot) } else { 0 });
            set.words(around)
        })
    }

    fn odd_shapes(
        &self,
        art: &TileArt,
        look: usize,
        pixels: impl Fn(&str) -> Option<Vec<Rgba>>,
    ) -> Vec<Finding> {
        let name = self.set.name();
        let mut blank = Vec::new();
        let mut found = Vec::new();
        for odd in odd_pictures(&self.set, art.cell(), pixels) {
            let (place, text, help) = match odd {
                OddPicture::Blank(tile) => {
                    blank.push(self.cell(&tile, look));
                    continue;
                }
                OddPicture::Exchanged([a, b]) => (
                    format!("{a}, {b}"),
                    format!(
                        "two shapes of `{name}` look exchanged: {} is for {}, {} for {}, and each \
                         shows what the other should",
                        self.cell(&a, look),
                        self.joins(&a),
                        self.cell(&b, look),
                        self.joins(&b),
                    ),
                    "exchange their cells in the sheet, or their `at` or `around`".to_owned(),
                ),
                OddPicture::Corner { tile, corner, like } => (
                    tile.clone(),
                    format!(
                        "{} is for {}, but its {} corner looks like that of {}, which is for {}",
                        self.cell(&tile, look),
                        self.joins(&tile),
                        CORNERS[corner],
                        self.cell(&like, look),
                        self.joins(&like),
                    ),
                    "look at what the shape is marked with, or paint that corner again".to_owned(),
                ),
                _ => continue,
            };
            let finding = Finding::new(Code::OddShape, self.subject(), text).help(help);
            found.push(finding.at([place]));
        }
        found.extend(self.blank(&blank));
        found
    }

    fn blank(&self, cells: &[String]) -> Option<Finding> {
        let more = if cells.len() > NAMED { " and more" } else { "" };
        let listed = cells.iter().take(NAMED).map(String::as_str).collect::<Vec<_>>().join(", ");
        let text = match cells.len() {
            0 => return None,
            1 => format!("a shape of `{}` is blank: {listed}", self.set.name()),
            count => format!("{count} shapes of `{}` are blank: {listed}{more}", self.set.name()),
        };
        let help = "paint it, or move `at` to where the shapes begin; accept this if nothing is to be seen there";
        Some(Finding::new(Code::EmptyArt, self.subject(), text).help(help).at(cells.iter()))
    }

    fn odd_quarters(
        &self,
        art: &TileArt,
        look: usize,
        pixels: impl Fn(&str) -> Option<Vec<Rgba>>,
    ) -> Vec<Finding> {
        let name = self.set.name();
        let drawn = DRAWINGS.map(|(joins, _)| {
            pixels(&format!("{name}/{:02}", Scheme::Eight.number(joins))).unwrap_or_default()
        });
        if drawn.iter().any(Vec::is_empty) {
            return Vec::new();
        }
        let cell = |number: usize| {
            let tile = super::compose::quarter_name(name, look, number as u32);
            let spec = self.looks.iter().find(|spec| spec.tile == tile);
            let at = spec.and_then(|spec| spec.drawn.at.as_ref());
            let at = at.map_or_else(String::new, |([x, y], _)| format!(" at [{x}, {y}]"));
            format!("the {}{at}", DRAWINGS[number].1)
        };
        let is_blank = |number: &usize| drawn[*number].iter().all(|pixel| pixel[3] == 0);
        let blank: Vec<String> = (0..5).filter(is_blank).map(cell).collect();
        if !blank.is_empty() {
            return self.blank(&blank).into_iter().collect();
        }
        let exchanged = exchanged_quarters(&drawn, art.cell()).map(|[a, b]| {
            let text = format!(
                "two drawings of `{name}` look exchanged: {} and {}; their quarters would meet the others \
                 the other way round",
                cell(a),
                cell(b)
            );
            let help = "exchange them in the sheet: island, upright run, level run, crossing, inside";
            let place = format!("{}, {}", DRAWINGS[a].1, DRAWINGS[b].1);
            Finding::new(Code::OddShape, self.subject(), text).help(help).at([place])
        });
        exchanged.into_iter().collect()
    }
}
