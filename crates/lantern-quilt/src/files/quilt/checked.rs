//! A quilt that was read and checked, and the maps it makes.

use super::accepted::Accepted;
use super::changes::Changes;
use super::cursor::Places;
#[cfg(feature = "models")]
use super::seams::Seams;
use super::shapes::ShapeSpec;
use super::terrains::Key;
use super::view::ViewColours;
use crate::art::{NearSeam, TileArt};
use crate::files::report::{Located, Report};
use crate::models::NearSide;
#[cfg(feature = "draw")]
use lantern_quilt_core::autotile::ShapeBasis;
use lantern_quilt_core::lattice::Layout;
use lantern_quilt_core::map::{Names, Origin};
use lantern_quilt_core::passes::{Collapse, FillStep};
use lantern_quilt_core::recipe::{Made, MakeError, Maker, Pass, Recipe};
use lantern_quilt_core::seed::Seed;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// A quilt, read and checked: everything a fill and a picture need.
#[derive(Debug)]
pub struct Quilt {
    /// Its title; empty when it has none.
    pub title: String,
    /// Lattice, size and wrapping of the map.
    pub layout: Layout,
    /// The seed that is used when no other is given.
    pub seed: Seed,
    /// The passes that make a map; see [`Quilt::maker`].
    pub recipe: Recipe,
    /// The names of its variants.
    pub variants: Vec<String>,
    /// The variant and the values with which it was read.
    pub changes: Changes,
    /// The pictures of its tiles.
    pub art: TileArt,
    /// Its terrains from the ground up, each with the colours that mean it in plans.
    pub terrains: Vec<(String, Vec<[u8; 3]>)>,
    /// The picture files it reads, relative to it: no output may go there.
    pub pictures: Vec<String>,
    /// A hash of its text and art, in hexadecimal.
    pub hash: String,
    /// Warnings and notes that it does not accept.
    pub findings: Report,
    /// What only a check tells.
    pub(super) later: Vec<Located>,
    pub(super) near: Vec<NearSeam>,
    pub(super) near_sides: Vec<NearSide>,
    #[cfg(feature = "models")]
    pub(super) seams: Seams,
    pub(super) accepted: Vec<Accepted>,
    pub(super) places: Places,
    pub(super) shapes: Vec<ShapeSpec>,
    /// The cells of sheets that something is cut from, by the path of the sheet.
    #[cfg_attr(not(feature = "draw"), expect(dead_code, reason = "placeholders use it"))]
    pub(super) used: BTreeSet<(String, [u32; 2])>,
    /// What letters and colours mean.
    #[cfg_attr(not(feature = "draw"), expect(dead_code, reason = "placeholders use it"))]
    pub(super) key: Key,
    #[cfg_attr(not(feature = "draw"), expect(dead_code, reason = "pictures use it"))]
    pub(super) view: ViewColours,
    /// Where in the quilt each pass stands by its name, and each expectation as `expect.NAME`.
    pub(super) pass_paths: BTreeMap<String, String>,
}

impl Quilt {
    /// Begins a map; [`layout`](Self::layout) is that of the quilt.
    ///
    /// ```no_run
    /// use lantern_quilt::files::Quilt;
    /// use lantern_quilt::recipe::MakeStatus;
    ///
    /// let quilt = Quilt::open("market.quilt.toml".as_ref())?;
    /// let mut maker = quilt.maker(quilt.layout, &quilt.seed);
    /// loop {
    ///     // A few milliseconds of work, then a frame of the game.
    ///     match maker.advance(2000) {
    ///         MakeStatus::Working => {}
    ///         MakeStatus::Done(pass) => println!("{}", maker.passes()[pass].name),
    ///         MakeStatus::Ended => break,
    ///     }
    /// }
    /// let made = maker.finish();
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn maker(&self, layout: Layout, seed: &Seed) -> Maker {
        let name = Path::new(&self.findings.source.name).file_name();
        self.recipe.maker(layout, seed).origin(Origin {
            quilt: name.map_or_else(String::new, |name| name.to_string_lossy().into_owned()),
            hash: self.hash.clone(),
            seed: seed.text().to_owned(),
            variant: self.changes.variant.clone().unwrap_or_default(),
            set: self.changes.set.clone(),
        })
    }

    /// Makes a map of the quilt's layout. O(cells x passes), besides fills.
    ///
    /// # Errors
    /// When a pass cannot be done, a fill does not get filled, or the map is not what the quilt demands.
    pub fn make(&self, seed: &Seed) -> Result<Made, MakeError> {
        let mut maker = self.maker(self.layout, seed);
        maker.make()?;
        let made = maker.finish();
        made.check()?;
        Ok(made)
    }

    /// How maps of this quilt are drawn: terrain in its colours, all else as by default.
    #[cfg(feature = "draw")]
    pub fn look(&self) -> crate::draw::DrawOptions {
        let mut options = crate::draw::DrawOptions::default();
        let coloured = self.terrains.iter().filter_map(|(name, colours)| {
            colours.first().map(|&[r, g, b]| (name.clone(), [r, g, b, 255]))
        });
        options.grounds = coloured.collect();
        // Walls and slopes that are drawn as tiles show heights by themselves.
        let walls = |spec: &ShapeSpec| matches!(spec.set.of(), ShapeBasis::Heights(_));
        options.relief = !self.shapes.iter().any(walls);
        let ViewColours { light, background, ground } = self.view;
        options.style = options.style.light(light).background(background).ground(ground);
        options
    }

    /// The names of its passes, their groups and layers; see [`Shown`](lantern_quilt_core::map::Shown).
    pub fn part_names(&self) -> BTreeSet<String> {
        let mut names = BTreeSet::from(["terrain".to_owned()]);
        for pass in self.recipe.passes() {
            names.insert(pass.name.clone());
            names.extend(pass.group.iter().chain(&pass.into).cloned());
            if let Names::Some(layers) = pass.access().writes.layers {
                names.extend(layers);
            }
        }
        names
    }

    /// The passes of its recipe that fill by the rules of the tiles.
    pub fn fills(&self) -> impl DoubleEndedIterator<Item = (&Pass, &FillStep)> {
        let passes = self.recipe.passes().iter();
        passes.filter_map(|pass| Some((pass, pass.step_as::<FillStep>()?)))
    }

    /// The fill of cells, when the recipe has one; of several the last.
    pub fn main_fill(&self) -> Option<(&Pass, &FillStep)> {
        self.fills().rfind(|(_, fill)| fill.coarse.is_none()).or(self.fills().next_back())
    }

    /// The rules of that fill.
    pub fn collapse(&self) -> Option<&Collapse> {
        self.main_fill().map(|(_, fill)| &*fill.collapse)
    }

    /// Where in the quilt that fill stands.
    pub(super) fn main_path(&self) -> &str {
        let path = self.main_fill().and_then(|(pass, _)| self.pass_paths.get(&pass.name));
        path.map_or("", String::as_str)
    }
}
