//! Which engine serves which rules, and what it may use.

use super::choose::Buckets;
use super::constrain;
use super::kernel::Tries;
use super::own;
use super::padded::Padded;
use super::propagate::{Domains, Memo, OverBits, over_bits};
use super::search::Searcher;
use super::settings::Search;
use super::space::Space;
use crate::lattice::Layout;
use crate::rules::Rules;

/// A kernel for these rules, over the engine that suits them.
pub(super) fn kernel(rules: &Rules, search: Search, layout: Layout) -> Box<dyn Tries> {
    if begins_over_bits(rules) {
        return plain_kernel(rules, search, layout);
    }
    searcher::<Memo>(rules, search, layout)
}

/// From so many poses on, rules of many rows that share none are filled over bits from the start: they meet more domains
/// than are worth remembering.
const MANY: usize = 192;

fn begins_over_bits(rules: &Rules) -> bool {
    let poses = rules.poses().len();
    let mut sides = 0..rules.lattice().sides().len();
    poses >= MANY && sides.all(|side| rules.rows(side).len() * 4 > poses) && rules.has_labels()
}

/// A kernel for these rules over bits; the slow twin.
pub(super) fn plain_kernel(rules: &Rules, search: Search, layout: Layout) -> Box<dyn Tries> {
    struct Kernel<'a>(&'a Rules, Search, Layout);
    impl OverBits for Kernel<'_> {
        type Output = Box<dyn Tries>;

        fn over<E: Domains + 'static>(self) -> Box<dyn Tries> {
            searcher::<E>(self.0, self.1, self.2)
        }
    }
    over_bits(rules.poses().len(), Kernel(rules, search, layout))
}

fn searcher<D: Domains + 'static>(rules: &Rules, search: Search, layout: Layout) -> Box<dyn Tries> {
    match layout.lattice().sides().len() {
        4 => Box::new(Searcher::<D, 4>::new(rules, search, layout)),
        _ => Box::new(Searcher::<D, 6>::new(rules, search, layout)),
    }
}

/// Bytes of a domain of the engine over bits.
pub(super) fn bytes_of_domain(rules: &Rules) -> u64 {
    over_bits(rules.poses().len(), BytesOfDomain)
}

struct BytesOfDomain;

impl OverBits for BytesOfDomain {
    type Output = u64;

    fn over<E: Domains + 'static>(self) -> u64 {
        size_of::<E::Dom>() as u64
    }
}

/// Bytes a run may come to use, worst of both engines that could serve it.
pub(super) fn most_bytes(rules: &Rules, space: &Space, search: Search) -> u64 {
    let layout = space.layout();
    let cells = match layout.lattice().sides().len() {
        4 => Padded::<4>::len_of(layout),
        _ => Padded::<6>::len_of(layout),
    };
    let engine = |dom: u64, tables: u64| {
        // A cell's domain, and its entries in buckets, which have room for four times as many and at
        // least for a few thousand each.
        cells * (dom + 16)
            + Buckets::LEAST_BYTES
            + u64::from(search.window) * 2 * (dom + 4)
            + tables
    };
    let poses = rules.poses().len();
    let widest = bytes_of_domain(rules);
    let scaled = !space.scales().is_empty();
    let own = if scaled { own::most_bytes(rules, cells) } else { 0 };
    // A rule may take something from every cell at once, and all of that can be taken back.
    let undone = if space.constraints().is_empty() { 0 } else { cells * 2 * (widest + 8) };
    let own = own + if search.record_decisions { layout.extent().cells() as u64 * 4 } else { 0 };
    let own = own + constrain::most_bytes(space.constraints(), cells) + undone;
    let memo = engine(size_of::<<Memo as Domains>::Dom>() as u64, Memo::most_bytes(rules));
    // Few poses cannot make enough domains to fill the tables.
    if poses <= 15 {
        own + memo
    } else if begins_over_bits(rules) {
        own + engine(widest, over_bits(poses, Tables(rules)))
    } else {
        own + memo.max(engine(widest, over_bits(poses, Tables(rules))))
    }
}

/// Bytes of the tables of an engine.
struct Tables<'a>(&'a Rules);

impl OverBits for Tables<'_> {
    type Output = u64;

    fn over<E: Domains + 'static>(self) -> u64 {
        E::most_bytes(self.0)
    }
}
