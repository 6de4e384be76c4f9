//! Domains as records and what becomes of them, packed for the hot loop.
//!
//! A [`Step`] says in one word all that follows when a domain meets a class. The steps of a domain
//! lie together in a row, each at the place that the bits of its class name under a factor of that
//! row; where two would share one, another factor is taken, or a longer row. So a step that is known
//! takes one load, and those in use stay in few lines of cache, however many classes there are.

/// The most sides of any lattice.
pub(super) const SIDES: usize = 6;
/// As many or more; a power of two, so that no index is out of range.
pub(super) const MOST_SIDES: usize = 8;

/// Most places of the table of steps.
const MOST_PLACES: usize = 1 << 20;

/// What the hot loop asks of a domain.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Domain {
    /// The class of what it supports beyond each side; then the mask and the factor of its row.
    lanes: [u16; MOST_SIDES],
    /// Where its row of steps begins.
    start: u32,
    pub(super) level: u8,
}

const MASK: usize = 6;
const FACTOR: usize = 7;

impl Domain {
    pub(super) fn new(classes: [u16; SIDES], level: u8) -> Self {
        let mut lanes = [0; MOST_SIDES];
        lanes[..SIDES].copy_from_slice(&classes);
        Self { lanes, level, start: 0 }
    }

    /// The class of what it supports beyond a side.
    #[inline]
    pub(super) fn class(&self, side: usize) -> u16 {
        self.lanes[side % MOST_SIDES]
    }

    /// The place of its step for a class.
    #[inline]
    pub(super) fn place(&self, class: u16) -> usize {
        self.start as usize + within(class, self.lanes[FACTOR], self.lanes[MASK])
    }

    /// One bit for each side beyond which the other supports something else.
    #[inline]
    pub(super) fn differs(&self, other: &Self) -> u8 {
        (0..SIDES).map(|side| u8::from(self.lanes[side] != other.lanes[side]) << side).sum()
    }

    fn length(&self) -> usize {
        usize::from(self.lanes[MASK]) + 1
    }
}

/// Where in a row the step of a class is.
#[inline]
fn within(class: u16, factor: u16, mask: u16) -> usize {
    ((u32::from(class) * u32::from(factor)) >> 8) as usize & usize::from(mask)
}

/// Factors to try in turn; the first leaves a class as it is.
const FACTORS: [u16; 12] =
    [0x100, 0x9e3b, 0x6a5d, 0xc2b3, 0x51ed, 0xb7e5, 0x3c6f, 0xd1a9, 0x7f4b, 0xe695, 0x2d87, 0x8ac1];

/// What becomes of a domain under a class: the next domain, its level, and what the change means to
/// others; and the class, to know it by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Step(u64);

/// One bit a side that learns of the change.
const NEWS: u32 = 24;
/// Just one pose is left.
const CLOSES: u32 = 16;
/// The cell enters another bucket.
const MOVES: u32 = 31;
const CLASS: u32 = 32;
/// The cell was pooled.
const POOLED: u32 = CLOSES + 32;
/// On top, so that one shift tells it, or the highest bits of it.
const LEVEL: u32 = 56;

impl Step {
    /// No step: of one past the largest class.
    const NONE: Self = Self(u64::MAX);

    /// Nothing is taken from `dom`.
    pub(super) const fn same(class: u16, dom: u16) -> Self {
        Self((class as u64) << CLASS | dom as u64)
    }

    /// `next` is left of `old`; cells that hold the old one may be pooled.
    pub(super) fn to(class: u16, next: u16, [old, new]: [&Domain; 2], pooled: bool) -> Self {
        let closes = new.level == 0;
        let moves = !closes && (pooled || new.level != old.level);
        Self(
            u64::from(next)
                | u64::from(new.level) << LEVEL
                | u64::from(old.differs(new)) << NEWS
                | u64::from(closes) << CLOSES
                | u64::from(moves) << MOVES
                | u64::from(class) << CLASS
                | u64::from(pooled) << POOLED,
        )
    }

    /// Whether it is the step of this class.
    #[inline]
    pub(super) const fn is_of(self, class: u16) -> bool {
        self.class() == class
    }

    pub(super) const fn class(self) -> u16 {
        (self.0 >> CLASS) as u16
    }

    #[inline]
    pub(super) const fn next(self) -> u16 {
        self.0 as u16
    }

    #[inline]
    pub(super) const fn level(self) -> u8 {
        (self.0 >> LEVEL) as u8
    }

    /// The word of 64 levels that its level is in.
    #[inline]
    pub(super) const fn word(self) -> usize {
        (self.0 >> (LEVEL + 6)) as usize
    }

    /// One bit for each of these sides beyond which less may stand.
    #[inline]
    pub(super) const fn news(self, sides: u32) -> u32 {
        (self.0 >> NEWS) as u32 & sides
    }

    /// 1 when just one pose is left, and 1 from bit 32 on when the cell was pooled.
    #[inline]
    pub(super) const fn counts(self) -> u64 {
        self.0 >> CLOSES & (1 << 32 | 1)
    }

    /// 1 when more is left, at another level.
    #[inline]
    pub(super) const fn moves(self) -> u32 {
        (self.0 >> MOVES) as u32 & 1
    }
}

/// No place is left for another step.
pub(super) struct NoPlace;

/// All steps known so far.
#[derive(Debug)]
pub(super) struct Steps {
    /// Only ever grows: a row that a domain had is blank and not gone. Each row lies within it whole, so the
    /// unchecked loop may look for any class of any domain.
    pub(super) places: Vec<Step>,
    /// Rows given up, by the logarithm of their length.
    free: [Vec<u32>; 17],
    /// Room to work in, so that nothing is allocated for each step.
    known: Vec<Step>,
}

impl Steps {
    pub(super) const MOST_BYTES: u64 = MOST_PLACES as u64 * 8;

    /// No steps; domains that have none share the first place.
    pub(super) fn new() -> Self {
        Self { places: vec![Step::NONE], free: Default::default(), known: Vec::new() }
    }

    /// The step of a domain for a class.
    #[inline]
    pub(super) fn get(&self, dom: &Domain, class: u16) -> Option<Step> {
        let step = self.places[dom.place(class)];
        step.is_of(class).then_some(step)
    }

    /// Remembers a step of a domain that was not known.
    pub(super) fn insert(&mut self, dom: &mut Domain, step: Step) -> Result<(), NoPlace> {
        let place = dom.place(step.class());
        if dom.start != 0 && self.places[place] == Step::NONE {
            self.places[place] = step;
            return Ok(());
        }
        let mut known = std::mem::take(&mut self.known);
        known.clear();
        known.extend(self.of(dom).map(|step| *step));
        known.push(step);
        let (factor, mask) = fit(&known);
        let new = self.row(mask);
        if let Ok(new) = new {
            for &step in &known {
                self.places[new as usize + within(step.class(), factor, mask)] = step;
            }
        }
        self.known = known;
        let new = new?;
        if dom.start != 0 {
            let length = dom.length();
            self.places[dom.start as usize..][..length].fill(Step::NONE);
            self.free[length.ilog2() as usize].push(dom.start);
        }
        dom.start = new;
        debug_assert!(new as usize + usize::from(mask) < self.places.len());
        (dom.lanes[MASK], dom.lanes[FACTOR]) = (mask, factor);
        Ok(())
    }

    /// The steps of a domain, to change them.
    pub(super) fn of(&mut self, dom: &Domain) -> impl Iterator<Item = &mut Step> {
        let length = if dom.start == 0 { 0 } else { dom.length() };
        let row = self.places[dom.start as usize..][..length].iter_mut();
        row.filter(|step| **step != Step::NONE)
    }

    /// Forgets all steps of other domains to this one.
    pub(super) fn forget_to(&mut self, domains: &[Domain], to: u16) {
        for (_, from) in domains.iter().enumerate().filter(|&(dom, _)| dom != usize::from(to)) {
            for step in self.of(from).filter(|step| step.next() == to) {
                *step = Step::NONE;
            }
        }
    }

    /// A blank row.
    fn row(&mut self, mask: u16) -> Result<u32, NoPlace> {
        let length = usize::from(mask) + 1;
        if let Some(start) = self.free[length.ilog2() as usize].pop() {
            return Ok(start);
        }
        let start = self.places.len();
        if start + length > MOST_PLACES {
            return Err(NoPlace);
        }
        self.places.resize(start + length, Step::NONE);
        Ok(start as u32)
    }
}

/// A factor and a mask under which no two steps share a place.
fn fit(steps: &[Step]) -> (u16, u16) {
    // Rows are short as a rule, but not as short as can be: the more steps, the more pairs of them that
    // may meet, and one that is learned later should mostly find its place free.
    const LEAST: usize = 16;
    const MOST: usize = 64;
    let count = steps.len();
    let mut length = (count * 2).max(count * count / 4).next_power_of_two().max(LEAST);
    // For up to this many, one of the factors is mostly good enough in the longest of the short rows.
    if count * count < 6 * MOST {
        length = length.min(MOST);
    }
    while length <= MOST {
        let mask = length as u16 - 1;
        let free = |factor: &u16| {
            let mut taken = 0u64;
            steps.iter().all(|step| {
                let place = within(step.class(), *factor, mask);
                let free = taken >> place & 1 == 0;
                taken |= 1 << place;
                free
            })
        };
        if let Some(&factor) = FACTORS.iter().find(|factor| free(factor)) {
            return (factor, mask);
        }
        length *= 2;
    }
    // In a long one each class has a place of its own.
    let last = steps.iter().map(|step| usize::from(step.class())).max().unwrap_or(0);
    (FACTORS[0], ((last + 1).next_power_of_two() - 1) as u16)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    fn domain() -> impl Strategy<Value = Domain> {
        (prop::array::uniform6(0u16..3), any::<u8>())
            .prop_map(|(classes, level)| Domain::new(classes, level))
    }

    proptest! {
        /// A packed step against what went into it.
        #[test]
        fn steps_say_what_follows(
            old in domain(), new in domain(), class in 0..u16::MAX, next: u16, pooled: bool,
        ) {
            let step = Step::to(class, next, [&old, &new], pooled);
            prop_assert!(step.is_of(class) && !step.is_of(class ^ 1));
            prop_assert_eq!((step.class(), step.next(), step.level()), (class, next, new.level));
            let differ = (0..SIDES).filter(|&side| old.class(side) != new.class(side));
            prop_assert_eq!(step.news(0x3f), differ.map(|side| 1 << side).sum::<u32>());
            prop_assert_eq!(step.counts() & 1 == 1, new.level == 0);
            prop_assert_eq!(step.counts() >> 32 == 1, pooled);
            let enters = new.level > 0 && (pooled || new.level != old.level);
            prop_assert_eq!(step.moves() == 1, enters);
            let same = Step::same(class, next);
            prop_assert!(same.is_of(class) && same.next() == next && same.counts() == 0);
        }

        /// Rows of several domains against a plain map; classes as they come, and spread wide.
        #[test]
        fn rows_are_a_map(known in prop::collection::vec((0usize..4, 0..u16::MAX, any::<bool>()), 0..200)) {
            let mut domains = [Domain::default(); 4];
            let mut steps = Steps::new();
            let mut model = BTreeMap::new();
            for (number, (dom, class, narrow)) in known.into_iter().enumerate() {
                let class = if narrow { class % 40 } else { class };
                if model.contains_key(&(dom, class)) {
                    continue;
                }
                prop_assert_eq!(steps.get(&domains[dom], class), None);
                let step = Step::same(class, number as u16);
                prop_assert!(steps.insert(&mut domains[dom], step).is_ok());
                model.insert((dom, class), step);
            }
            for (&(dom, class), &step) in &model {
                prop_assert_eq!(steps.get(&domains[dom], class), Some(step));
            }
            for (number, dom) in domains.iter().enumerate() {
                let count = model.keys().filter(|key| key.0 == number).count();
                prop_assert_eq!(steps.of(dom).count(), count);
            }
        }
    }

    /// When there is no room the row stays as it was.
    #[test]
    fn a_full_table_says_so() {
        let (mut steps, mut dom) = (Steps::new(), Domain::default());
        assert!(steps.insert(&mut dom, Step::same(7, 1)).is_ok());
        steps.places.resize(MOST_PLACES, Step::NONE);
        let refused = (0..100)
            .find(|&class| class != 7 && steps.insert(&mut dom, Step::same(class, 2)).is_err());
        assert!(refused.is_some());
        assert_eq!(steps.get(&dom, 7), Some(Step::same(7, 1)));
    }
}
