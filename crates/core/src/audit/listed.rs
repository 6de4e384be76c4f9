//! Whether lists allow only what meets in the pictures.

use super::rows::{ONE, Row, quartile, told};
use crate::constraints::{Constraints, PairRule, Posed};
use crate::finding::{Code, Finding, Subject};
use crate::id::Id;
use crate::id::TileId;
use crate::lattice::Side;
use crate::orient::Orientation;
use crate::rules::Rules;
use crate::tileset::Tileset;
use crate::tileset::pixels::Pixel;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// Where seams differ by more than this on the whole, pictures say nothing about what may touch.
const GRAIN: u32 = 16 * ONE;
/// Rows that may lie beyond a side and are compared, at most; and pairs of a list that are looked at.
const ROWS: usize = 48;
const PAIRS: usize = 20_000;

/// A list that allows a pair whose pictures do not meet.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct OddList {
    /// The number of the list among those that allow.
    pub list: usize,
    /// The first of the pair that meets worst.
    pub a: Posed,
    /// The side of it that the second lies beyond.
    pub side: Side,
    /// The second.
    pub b: Posed,
    /// How far the second is from whatever may lie there without the list, 0 to 255.
    pub difference: u8,
    /// How far those usually are from each other.
    pub usual: u8,
}

/// Of each list that allows pairs, the one whose pictures meet worst, if they do not meet.
///
/// A pair meets when the side of the second looks like some side that may lie there without any list.
/// `row` is as for [`seams`](super::seams::seams). O(pairs of the lists x 48).
pub fn odd_lists(
    tileset: &Tileset,
    rules: &Rules,
    constraints: &Constraints,
    row: impl Fn(TileId, Orientation, Side) -> Option<Vec<Pixel>>,
) -> Vec<OddList> {
    let lists: Vec<&PairRule> = constraints.pairs.iter().filter(|list| list.allow).collect();
    if lists.is_empty() {
        return Vec::new();
    }
    let mut others = constraints.clone();
    others.pairs.retain(|list| !list.allow);
    let Ok(unlisted) = Rules::compile_with(tileset, &others) else { return Vec::new() };
    let lattice = tileset.lattice();
    let rows: Vec<Vec<Option<Row>>> = rules
        .poses()
        .iter()
        .map(|pose| {
            let along = |&side: &Side| Some(Row::new(&row(pose.tile, pose.orientation, side)?));
            lattice.sides().iter().map(along).collect()
        })
        .collect();
    let mut beyond = Beyond { rules: &unlisted, rows: &rows, known: HashMap::default() };
    if beyond.seams().is_none_or(|usual| usual > GRAIN) {
        return Vec::new();
    }
    let mut worst: Vec<Option<(u32, OddList)>> = vec![None; lists.len()];
    let mut looked_at = 0;
    for (a, here) in rules.poses().pairs() {
        for (number, &side) in lattice.sides().iter().enumerate() {
            let back = lattice.side_index(side.opposite()).expect("sides come in pairs");
            for b in rules.support(number, a).iter() {
                if unlisted.support(number, a).contains(b) || looked_at >= PAIRS {
                    continue;
                }
                looked_at += 1;
                let there = rules.poses()[b];
                let Some(row) = &rows[b.index()][back] else { continue };
                let Some((difference, usual)) = beyond.nearest(a.index(), number, back, row) else {
                    continue;
                };
                if difference <= usual * 3 / 2 + 2 * ONE {
                    continue;
                }
                let [one, two] = [here, &there].map(|pose| (pose.tile, pose.orientation));
                for (list, slot) in worst.iter_mut().enumerate() {
                    let is_worse = slot.as_ref().is_none_or(|(known, _)| *known < difference);
                    if is_worse && lists[list].concerns(tileset, one, side, two) {
                        let (difference, usual) = (told(difference), told(usual));
                        let odd = OddList { list, a: one, side, b: two, difference, usual };
                        *slot = Some((u32::from(difference) * ONE, odd));
                    }
                }
            }
        }
    }
    worst.into_iter().flatten().map(|(_, odd)| odd).collect()
}

/// What may lie beyond sides without any list.
struct Beyond<'a> {
    rules: &'a Rules,
    rows: &'a [Vec<Option<Row>>],
    /// By pose and side: rows, and how far each usually is from the next.
    known: HashMap<(usize, usize), (Vec<&'a Row>, u32), FxBuildHasher>,
}

impl Beyond<'_> {
    /// How much seams differ on the whole: the median.
    fn seams(&self) -> Option<u32> {
        let mut all = Vec::new();
        let sides = self.rules.lattice().sides();
        for (pose, _) in self.rules.poses().pairs() {
            for (number, side) in sides.iter().enumerate() {
                let Some(row) = &self.rows[pose.index()][number] else { continue };
                let back = self.rules.lattice().side_index(side.opposite())?;
                let there = self.rules.support(number, pose).iter().take(ROWS);
                let there = there.filter_map(|b| self.rows[b.index()][back].as_ref());
                all.extend(there.map(|other| row.across(other)));
            }
        }
        quartile(all, 2)
    }

    /// How far a row is from the nearest that may lie beyond a side, and how far those usually are.
    fn nearest(&mut self, pose: usize, side: usize, back: usize, row: &Row) -> Option<(u32, u32)> {
        let Self { rules, rows, known } = self;
        let (there, usual) = known.entry((pose, side)).or_insert_with(|| {
            let support = rules.support(side, crate::id::PoseId::from_index(pose));
            let mut there: Vec<&Row> =
                support.iter().filter_map(|b| rows[b.index()][back].as_ref()).collect();
            let step = there.len().div_ceil(ROWS).max(1);
            there = there.into_iter().step_by(step).collect();
            let next = |at: usize| {
                let others = there.iter().enumerate().filter(|(other, _)| *other != at);
                others.map(|(_, other)| there[at].apart(other)).min()
            };
            let apart = (0..there.len()).filter_map(next).collect();
            let usual = quartile(apart, 3).unwrap_or(0);
            (there, usual)
        });
        let nearest = there.iter().map(|other| row.apart(other)).min()?;
        Some((nearest, *usual))
    }
}

impl OddList {
    /// It in words.
    pub fn finding(&self, tileset: &Tileset) -> Finding {
        let [a, b] = [self.a, self.b].map(|(tile, turned)| tileset.pose_name(tile, turned));
        let Self { side, difference, usual, list, .. } = self;
        let text = format!(
            "this list lets `{b}` stand {side} of `{a}`, but its picture is unlike all that fits there \
             without the list: {difference} of 255 from the nearest, {usual} is usual"
        );
        let subject = Subject::Field(format!("allow.{list}"));
        Finding::new(Code::OddPair, subject, text).help(
            "take the list out, narrow it (`on` names the sides), or paint the sides so that they meet",
        )
    }
}
