//! What a tile wants to see around it, slot by slot.

use super::Scheme;
use super::scheme::Joins;
use crate::lattice::Lattice;
use crate::orient::Orientation;

/// Kinds of neighbours that one slot accepts: bit `n` is kind `n`, of at most [`MOST_KINDS`].
pub type Sign = u64;

/// The most kinds of neighbours that a set distinguishes.
pub const MOST_KINDS: usize = 64;

/// The kind of each neighbour, slot by slot; slots that a scheme does not have are 0.
pub type Neighbourhood = [u8; 8];

/// What is accepted in each slot.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Drawing {
    signs: [Sign; 8],
}

impl Drawing {
    /// Anything all around.
    pub const ANY: Self = Self { signs: [Sign::MAX; 8] };

    /// Signs slot by slot; those that are not given accept anything.
    pub fn new(signs: &[Sign]) -> Self {
        let mut all = [Sign::MAX; 8];
        for (slot, &sign) in all.iter_mut().zip(signs) {
            *slot = sign;
        }
        Self { signs: all }
    }

    /// Just one shape: joined slots are of the kinds of `joined`, the others are not; what makes no
    /// difference to the shape may be anything.
    pub fn of_shape(scheme: Scheme, shape: Joins, joined: Sign) -> Self {
        let mut signs = [Sign::MAX; 8];
        for (slot, sign) in signs.iter_mut().enumerate().take(scheme.slots()) {
            let bit: Joins = 1 << slot;
            // A slot matters when the shape with it and without it is not the same.
            if scheme.reduce(shape | bit) != scheme.reduce(shape & !bit) {
                *sign = if shape & bit != 0 { joined } else { !joined };
            }
        }
        Self { signs }
    }

    /// The same, except that a corner that was only said to be joined or not may be anything where a side
    /// beside it is not joined: there [`Scheme::reduce`] makes no difference of it.
    #[must_use]
    pub fn relaxed(mut self, scheme: Scheme, joined: Sign) -> Self {
        let slots = scheme.slots();
        for slot in (0..slots).filter(|&slot| scheme == Scheme::Eight && !scheme.is_side(slot)) {
            let open = |side: usize| self.signs[side % slots] & joined == 0;
            let told = self.signs[slot] == joined || self.signs[slot] == !joined;
            if told && (open(slot - 1) || open(slot + 1)) {
                self.signs[slot] = Sign::MAX;
            }
        }
        self
    }

    /// What a slot accepts.
    pub const fn sign(&self, slot: usize) -> Sign {
        self.signs[slot]
    }

    /// Whether it fits.
    pub fn fits(&self, scheme: Scheme, around: Neighbourhood) -> bool {
        (0..scheme.slots()).all(|slot| self.accepts(slot, around[slot]))
    }

    fn accepts(&self, slot: usize, kind: u8) -> bool {
        self.signs[slot] >> kind & 1 == 1
    }

    /// How many sides and how many corners are not what it wants.
    pub fn misfit(&self, scheme: Scheme, around: Neighbourhood) -> [usize; 2] {
        let mut misfit = [0; 2];
        for slot in (0..scheme.slots()).filter(|&slot| !self.accepts(slot, around[slot])) {
            misfit[usize::from(!scheme.is_side(slot))] += 1;
        }
        misfit
    }

    /// How many neighbourhoods it accepts, of so many kinds.
    pub fn breadth(&self, scheme: Scheme, kinds: usize) -> u128 {
        let all = if kinds >= MOST_KINDS { Sign::MAX } else { (1 << kinds) - 1 };
        let accepted = |&sign: &Sign| u128::from((sign & all).count_ones());
        self.signs[..scheme.slots()].iter().map(accepted).fold(1, u128::saturating_mul)
    }

    /// The same for the tile mirrored and turned.
    #[must_use]
    pub fn turned(&self, scheme: Scheme, lattice: Lattice, orientation: Orientation) -> Self {
        let mut signs = [Sign::MAX; 8];
        for slot in 0..scheme.slots() {
            signs[scheme.turned_slot(lattice, orientation, slot)] = self.signs[slot];
        }
        Self { signs }
    }
}
