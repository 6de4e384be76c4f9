//! Findings about rules of the whole map before anything is filled, compared with all fills of small maps.

use lantern_quilt_core::audit::whole::audit_whole;
use lantern_quilt_core::constraints::{
    Area, BorderRule, Connected, Constraints, Count, Pin, Selector,
};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::limits::Never;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::{Order, fills};
use rstest::rstest;

/// Moss, a pond, a gate with a lane to the east, a stop with one to the west, and a lane that turns.
fn lanes() -> Tileset {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    let walk = set.tag("walk");
    set.tile(Tile::new("moss").all(moss));
    set.tile(Tile::new("pond").all(moss).tag(walk));
    set.tile(Tile::new("gate").sides([moss, path, moss, moss]).tag(walk));
    set.tile(Tile::new("stop").sides([moss, moss, moss, path]).tag(walk));
    set.tile(Tile::new("lane").sides([moss, path, moss, path]).tag(walk));
    set.build().unwrap()
}

fn tile(set: &Tileset, name: &str) -> Vec<Selector> {
    vec![Selector::any(Accept::Tile(set.find(name).unwrap()))]
}

fn socket(set: &Tileset, name: &str) -> lantern_quilt_core::id::SocketId {
    set.sockets().pairs().find(|(_, socket)| socket.name() == name).unwrap().0
}

fn closed_border(set: &Tileset) -> Vec<BorderRule> {
    let moss = Accept::Socket(socket(set, "moss"));
    Lattice::Square.sides().iter().map(|&side| BorderRule::new(side, vec![moss])).collect()
}

fn audited(constraints: Constraints, layout: Layout, order: Order, begun: bool) -> Vec<Finding> {
    let collapse = Collapse::new("ground", lanes(), constraints).unwrap();
    let space = collapse.space(layout);
    let (set, rules) = (collapse.tileset(), collapse.rules());
    audit_whole(set, rules, collapse.constraints(), &space, order, begun)
}

/// Counts that are called uneven have no fill; without borders, or where lanes lead around, nothing is claimed that is
/// not so either.
#[rstest]
fn uneven_counts_have_no_fill(
    #[values([4, 2, 1], [3, 3, 1], [6, 1, 1])] size: [u32; 3],
    #[values(true, false)] closed: bool,
    #[values(true, false)] wraps: bool,
) {
    let set = lanes();
    let extent = Extent::new(Cell::default(), size).unwrap();
    let wrap = if wraps { Wrap { x: true, ..Wrap::NONE } } else { Wrap::NONE };
    let layout = Layout::new(Lattice::Square, extent, wrap).unwrap();
    let (mut claimed, mut empty) = (0, 0);
    for (gates, stops) in (0..4).flat_map(|gates| (0..4).map(move |stops| (gates, stops))) {
        for slack in [0, 1] {
            let constraints = Constraints {
                counts: vec![
                    Count::new(tile(&set, "gate"), gates, Some(gates + slack)),
                    Count::new(tile(&set, "stop"), stops, Some(stops)),
                ],
                borders: if closed { closed_border(&set) } else { Vec::new() },
                ..Constraints::default()
            };
            let collapse = Collapse::new("ground", lanes(), constraints.clone()).unwrap();
            let space = collapse.space(layout);
            let found = audited(constraints, layout, Order::Entropy, false);
            let any = fills(collapse.rules(), &space, &Limits::default(), &Never).next().is_some();
            let is_claimed = !found.is_empty();
            assert!(!(is_claimed && any), "{gates} {stops} {slack}: {found:?}");
            claimed += usize::from(is_claimed);
            empty += usize::from(!any);
        }
    }
    // Where the border is open both ways it may take what is left over.
    let knows = closed || wraps;
    assert_eq!(claimed > 0, knows, "{claimed} of {empty}");
    assert!(!knows || claimed * 3 > empty, "{claimed} of {empty}");
}

/// What cannot hang together, begin or spread is named.
#[rstest]
#[case::pond("walk", &["path"], None, None, None, &[
    (Code::CutOff, "`pond` is to hang together with others, but nothing that may stand beside it does")])]
#[case::anything("walk", &[], None, None, None, &[])]
#[case::by_moss("walk", &["moss", "path"], None, Some("moss"), None, &[])]
#[case::begins("walk", &["moss"], Some([1, 1]), Some("moss"), None, &[])]
#[case::begins_nowhere("walk", &["moss", "path"], Some([0, 0]), Some("moss"), None, &[
    (Code::NoStart, "nothing that hangs together may stand where it is to begin")])]
#[case::begins_at_a_pin("walk", &["moss", "path"], Some([0, 0]), Some("pond"), None, &[])]
#[case::spreads_from_nothing("", &[], None, None, Some(("pond", false)), &[
    (Code::NoStart, "nothing is placed that the fill could spread from, so all of it is filler")])]
#[case::spreads_from_filler("", &[], None, Some("pond"), Some(("pond", false)), &[
    (Code::NoStart, "nothing is placed that the fill could spread from, so all of it is filler")])]
#[case::spreads_from_a_pin("", &[], None, Some("moss"), Some(("pond", false)), &[])]
#[case::spreads_from_before("", &[], None, None, Some(("pond", true)), &[])]
fn what_cannot_be_is_named(
    #[case] tag: &str,
    #[case] over: &[&str],
    #[case] from: Option<[i32; 2]>,
    #[case] pinned: Option<&str>,
    #[case] spread: Option<(&str, bool)>,
    #[case] want: &[(Code, &str)],
) {
    let set = lanes();
    let kinds = set.tags().pairs().filter(|(_, name)| *name == tag);
    let kinds: Vec<_> = kinds.map(|(id, _)| Selector::any(Accept::Tag(id))).collect();
    let mut connected = Connected::new(kinds.clone());
    connected.over = over.iter().map(|name| socket(&set, name)).collect();
    let only = |cell| Area::Between { least: cell, most: cell };
    connected.from = from.map(|[x, y]| only(Cell::new(x, y)));
    let pin = |name| Pin::new(Cell::new(0, 0), set.find(name).unwrap());
    let constraints = Constraints {
        pins: pinned.map(pin).into_iter().collect(),
        connected: if kinds.is_empty() { Vec::new() } else { vec![connected] },
        ..Constraints::default()
    };
    let (order, begun) = spread.map_or((Order::Entropy, false), |(filler, begun)| {
        (Order::Spread(set.find(filler).unwrap()), begun)
    });
    let layout = Layout::flat(Lattice::Square, 5, 4).unwrap();
    let found = audited(constraints, layout, order, begun);
    let found: Vec<_> = found.iter().map(|one| (one.code, one.message.as_str())).collect();
    assert_eq!(found, want);
}
