//! Which engine serves which rules, and what it may use.

use super::choose::Buckets;
use super::constrain;
use super::kernel::Tries;
use super::own;
use super::padded::Padded;
use super::propagate::{Domains, Memo, Plain};
use super::rowwise::{self, Rowwise};
use super::search::Searcher;
use super::settings::Search;
use super::space::Space;
use crate::lattice::Layout;
use crate::rules::Rules;

/// A kernel for these rules, over the engine that suits them.
pub(super) fn kernel(rules: &Rules, space: &Space, search: Search) -> Box<dyn Tries> {
    let layout = space.layout();
    if rowwise::serves(rules, space, search) {
        return Box::new(Rowwise::new(rules, layout));
    }
    match layout.lattice().sides().len() {
        4 => Box::new(Searcher::<Memo, 4>::new(rules, search, layout)),
        _ => Box::new(Searcher::<Memo, 6>::new(rules, search, layout)),
    }
}

/// A kernel for these rules over bits; the slow twin.
pub(super) fn plain_kernel(rules: &Rules, search: Search, layout: Layout) -> Box<dyn Tries> {
    fn sized<const S: usize>(rules: &Rules, search: Search, layout: Layout) -> Box<dyn Tries> {
        match rules.poses().len() {
            0..64 => Box::new(Searcher::<Plain<1>, S>::new(rules, search, layout)),
            64..128 => Box::new(Searcher::<Plain<2>, S>::new(rules, search, layout)),
            128..256 => Box::new(Searcher::<Plain<4>, S>::new(rules, search, layout)),
            256..1024 => Box::new(Searcher::<Plain<16>, S>::new(rules, search, layout)),
            _ => Box::new(Searcher::<Plain<161>, S>::new(rules, search, layout)),
        }
    }
    match layout.lattice().sides().len() {
        4 => sized::<4>(rules, search, layout),
        _ => sized::<6>(rules, search, layout),
    }
}

/// Bytes of a domain that the undo window holds, in the widest engine that could serve.
fn bytes_of_change(rules: &Rules) -> u64 {
    let words = match rules.poses().len() {
        0..64 => 1,
        64..128 => 2,
        128..256 => 4,
        256..1024 => 16,
        _ => 161,
    };
    words * 8
}

/// Bytes a run may come to use, worst of both engines that could serve it.
pub(super) fn most_bytes(rules: &Rules, space: &Space, search: Search) -> u64 {
    let layout = space.layout();
    if rowwise::serves(rules, space, search) {
        return rowwise::most_bytes(rules, layout);
    }
    fn of<D: Domains>(rules: &Rules, search: Search, cells: u64) -> u64 {
        let dom = size_of::<D::Dom>() as u64;
        // A cell's domain, and its entries in buckets, which have room for four times as many and at
        // least for a few thousand each.
        cells * (dom + 16)
            + Buckets::LEAST_BYTES
            + u64::from(search.window) * 2 * (dom + 4)
            + D::most_bytes(rules)
    }
    let cells = match layout.lattice().sides().len() {
        4 => Padded::<4>::len_of(layout),
        _ => Padded::<6>::len_of(layout),
    };
    let plain = match rules.poses().len() {
        0..64 => of::<Plain<1>>,
        64..128 => of::<Plain<2>>,
        128..256 => of::<Plain<4>>,
        256..1024 => of::<Plain<16>>,
        _ => of::<Plain<161>>,
    };
    let scaled = !space.scales().is_empty();
    let own = if scaled { own::most_bytes(rules, cells) } else { 0 };
    // A rule may take something from every cell at once, and all of that can be taken back.
    let undone =
        if space.constraints().is_empty() { 0 } else { cells * 2 * (bytes_of_change(rules) + 8) };
    let own = own + constrain::most_bytes(space.constraints(), cells) + undone;
    // Few poses cannot make enough domains to fill the tables.
    if rules.poses().len() <= 15 {
        own + of::<Memo>(rules, search, cells)
    } else {
        own + of::<Memo>(rules, search, cells).max(plain(rules, search, cells))
    }
}
