//! What a `route` pass can be asked for.

use crate::lattice::Cell;
use crate::map::Item;
use crate::passes::becomes::Becomes;
use crate::passes::condition::Condition;
use crate::passes::ways::Around;
use thiserror::Error;

/// Ways from cells that meet a condition to others, over cells that can be gone over.
///
/// A way costs what its cells cost, the first left out. Of ways that cost the same the one of fewest
/// steps is taken, then the one that keeps straight, then the one over the lower place in cell order.
///
/// Without [`carve`](Self::carve) nothing is changed but the tag and the plane: the report says what can
/// be reached, and what is in the way of what cannot. With it, the nearest target is joined first, then
/// the one that is nearest to all that is joined, and so on. To one target that is the exact least cost;
/// to several it never costs more than the least ways to each alone, and may cost more than the least
/// tree that joins them all, which nobody finds fast.
///
/// ```
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
/// use lantern_quilt_core::passes::{Becomes, Carve, Condition, RouteStep};
/// use lantern_quilt_core::recipe::{Pass, Recipe};
/// use lantern_quilt_core::seed::Seed;
///
/// let column = |x| Condition::Between { least: Cell::at(x, 2, 0), most: Cell::at(x, 2, 0) };
/// let lane = RouteStep::new(column(0), column(6))
///     .carve(Carve::new(vec![Becomes::Terrain("gravel".into())]));
/// let recipe = Recipe::new([Pass::new("lane", lane)]);
/// let made = recipe.make(Layout::flat(Lattice::Square, 7, 5)?, &Seed::default())?;
/// let routed = made.passes[0].routed.as_ref().unwrap();
/// assert_eq!((routed.ways[0].steps, routed.ways[0].cost, made.passes[0].cells), (6, 6, 7));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct RouteStep {
    /// Where ways begin.
    pub from: Condition,
    /// Where they lead: each of these cells.
    pub to: Condition,
    /// Whether targets that touch across a side are one, reached in any of its cells.
    pub joined: bool,
    /// Which cells can be gone over; the first and the last cell of a way too.
    pub through: Condition,
    /// The cells that one step reaches.
    pub around: Around,
    /// What entering a cell costs: that of the first condition that holds there. 1 where none does.
    pub costs: Vec<(Condition, u64)>,
    /// Items, by name or tag, that block the side or the cell that they stand on.
    pub blocked_by: Vec<String>,
    /// The most by which the heights of two cells of a step may differ.
    pub most_step: Option<u32>,
    /// What the ways make of their cells.
    pub carve: Option<Carve>,
    /// A tag for all cells of ways.
    pub tag: Option<String>,
    /// A plane for what it costs to get to each cell: from where ways begin, or from those carved.
    pub plane: Option<String>,
    /// Whether targets that are not reached are no error.
    pub wished: bool,
}

/// What ways make of their cells.
#[derive(Clone, Debug, Default, PartialEq)]
#[non_exhaustive]
pub struct Carve {
    /// What cells become.
    pub becomes: Vec<Becomes>,
    /// Layers whose tiles go.
    pub clear_layers: Vec<String>,
    /// Whether the items in their cells go.
    pub clear_items: bool,
    /// What it costs to take away an item that blocks; those stay in the way without.
    pub open: Option<u64>,
    /// What it costs to cut a step that is too high, for each level; those stay in the way without.
    pub cut: Option<u64>,
    /// How many cells wide they are; the cost counts the middle.
    pub width: u32,
    /// What a change of direction costs.
    pub bend: u64,
}

crate::setters! {
    RouteStep {
        joined: bool,
        through: Condition,
        around: Around,
        costs: Vec<(Condition, u64)>,
        blocked_by: Vec<String>,
        most_step: Option<u32>,
        wished: bool,
    }
}

crate::setters! {
    Carve {
        clear_layers: Vec<String>,
        clear_items: bool,
        open: Option<u64>,
        cut: Option<u64>,
        width: u32,
        bend: u64,
    }
}

/// There is nothing from which a way could begin.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum RouteError {
    /// No cell meets the first condition.
    #[error(
        "no route can start: no cell has {from}; let an earlier pass make one, or change `from`"
    )]
    NoStart {
        /// The condition in words.
        from: String,
    },
    /// None of the cells that meet it can be gone over.
    #[error(
        "no route can start: no cell with {from} can be gone over; the first of {count} is {first}; let \
         `through` match them, and leave what stands there out of `blocked_by`"
    )]
    StartClosed {
        /// The condition in words.
        from: String,
        /// How many cells meet it.
        count: usize,
        /// One of them.
        first: Cell,
    },
}

impl Carve {
    /// Ways of one cell that make this of their cells.
    pub fn new(becomes: Vec<Becomes>) -> Self {
        Self { becomes, width: 1, ..Self::default() }
    }
}

impl RouteStep {
    /// Over every cell, by sides, at 1 a step.
    pub fn new(from: Condition, to: Condition) -> Self {
        Self {
            from,
            to,
            joined: false,
            through: Condition::default(),
            around: Around::Sides,
            costs: Vec::new(),
            blocked_by: Vec::new(),
            most_step: None,
            carve: None,
            tag: None,
            plane: None,
            wished: false,
        }
    }

    /// The same, carving.
    #[must_use]
    pub fn carve(mut self, carve: Carve) -> Self {
        self.carve = Some(carve);
        self
    }

    /// The same with a tag for the cells of ways.
    #[must_use]
    pub fn tag(mut self, tag: impl Into<String>) -> Self {
        self.tag = Some(tag.into());
        self
    }

    /// The same with a plane for what it costs to get to each cell.
    #[must_use]
    pub fn plane(mut self, plane: impl Into<String>) -> Self {
        self.plane = Some(plane.into());
        self
    }

    /// Whether an item is in the way.
    pub(super) fn blocks(&self, item: &Item) -> bool {
        self.blocked_by.iter().any(|name| **name == *item.name || item.tags.contains(name))
    }
}
