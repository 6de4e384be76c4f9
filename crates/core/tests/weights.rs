//! Weights that reach shares: found by trial fills, measured on other maps, against what can be worked out by hand.

use lantern_quilt_core::audit::tune::{TuneError, Tuned, Tuning, tune};
use lantern_quilt_core::limits::{Alone, Crew};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::Order;
use lantern_quilt_core::tileset::Tileset;
use proptest::prelude::*;
use rstest::rstest;
use std::ops::ControlFlow;

/// Pieces in any order, which changes nothing.
#[derive(Debug)]
struct Backwards;

impl Crew for Backwards {
    fn each(&self, pieces: usize, piece: &(dyn Fn(usize) + Sync)) {
        (0..pieces).rev().for_each(piece);
    }
}

/// Tiles that touch whatever they like.
fn free(shares: &[f64]) -> Tileset {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let any = set.socket(Socket::plain("any"));
    set.tile(Tile::new("rest").all(any));
    for (number, &share) in shares.iter().enumerate() {
        set.tile(Tile::new(format!("tile {number}")).all(any).share(share));
    }
    set.build().unwrap()
}

/// Moss, and lanes that run through it; nothing ends.
fn lanes(lane: f64, bend: f64) -> Tileset {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("moss").all(moss));
    set.tile(Tile::new("lane").sides([path, moss, path, moss]).turns(2).share(lane));
    set.tile(Tile::new("bend").sides([path, path, moss, moss]).turns(4).share(bend));
    set.build().unwrap()
}

/// Two kinds that never touch each other: a map is all of one.
fn apart() -> Tileset {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [moss, sand] = ["moss", "sand"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("moss").all(moss));
    set.tile(Tile::new("sand").all(sand).share(0.5));
    set.build().unwrap()
}

fn found(set: &Tileset, tuning: &Tuning) -> Result<Tuned, TuneError> {
    tune(set, &Constraints::default(), tuning, &Alone, &mut |_| ControlFlow::Continue(()))
}

/// What part of a map with other seeds each tile has.
fn reached(set: &Tileset, tuned: &Tuned, tuning: &Tuning) -> Vec<f64> {
    let set = set.with_weights(&tuned.weights).unwrap();
    let rules = Rules::compile(&set).unwrap();
    let layout = Layout::flat(Lattice::Square, 128, 128).unwrap();
    let search = Search::default().steer(tuning.steer).order(tuning.order);
    let job = Job::new(&rules, Space::new(layout)).search(search).seed(Seed::from_text("weights"));
    let mut run = job.begin().unwrap();
    assert!(run.fill().is_filled());
    let tile = |cell| rules.poses()[run.decided(cell).unwrap()].tile;
    let part = |wanted: &str| {
        let is_it = |&cell: &Cell| set.tiles()[tile(cell)].name() == wanted;
        layout.extent().iter().filter(is_it).count() as f64 / layout.extent().cells() as f64
    };
    tuned.shares.iter().map(|one| part(&one.of)).collect()
}

/// As they fall lanes are far more frequent than that in every order.
#[rstest]
#[case::plain(lanes(0.2, 0.1))]
#[case::few(lanes(0.06, 0.06))]
#[case::bends(lanes(0.08, 0.2))]
fn shares_are_reached_without_steering(
    #[case] set: Tileset,
    #[values(Order::Entropy, Order::Rows)] order: Order,
) {
    let tuning = Tuning::default().fills(160).steer(false).order(order);
    let tuned = found(&set, &tuning).unwrap();
    assert!(tuned.variation[1] <= tuned.variation[0] && tuned.fills <= tuning.fills, "{tuned:?}");
    for (one, reached) in tuned.shares.iter().zip(reached(&set, &tuned, &tuning)) {
        assert!((reached - one.wanted).abs() < 0.045, "{reached} {one:?}");
        assert!((one.reached - one.wanted).abs() < 0.03, "{one:?}");
    }
}

/// A weight beside a share changes what picks go by and not what a steered fill keeps to.
#[rstest]
#[case::far_too_small(0.02)]
#[case::far_too_large(40.0)]
fn steered_fills_keep_to_shares_whatever_the_weights(#[case] weight: f64) {
    let set = free(&[0.3, 0.1]);
    let weights = [(set.find("tile 0").unwrap(), weight)];
    let other = set.with_weights(&weights).unwrap();
    assert_eq!(other.tiles()[weights[0].0].given_weight(), weight);
    let mut tuned = found(&set, &Tuning::default()).unwrap();
    tuned.weights = weights.to_vec();
    for (steer, near) in [(true, true), (false, false)] {
        let tuning = Tuning::default().steer(steer);
        let off = (reached(&set, &tuned, &tuning)[0] - 0.3).abs();
        assert_eq!(off < 0.02, near, "{steer}: {off}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(6))]

    /// Of tiles that touch anything a cell is each as often as its weight: the weights are known, wherever it begins.
    #[test]
    fn free_tiles_have_the_weights_that_can_be_worked_out(
        first in 0.05..0.4f64,
        second in 0.05..0.4f64,
        begins in proptest::array::uniform2(0.01..100.0f64),
    ) {
        let set = free(&[first, second]);
        let ids = ["tile 0", "tile 1"].map(|name| set.find(name).unwrap());
        let off = set.with_weights(&[(ids[0], begins[0]), (ids[1], begins[1])]).unwrap();
        let tuning = Tuning::default().size(48).fills(400).steer(false);
        let tuned = found(&off, &tuning).unwrap();
        let all = 1.0 + tuned.weights.iter().map(|one| one.1).sum::<f64>();
        for ((id, weight), share) in tuned.weights.iter().zip([first, second]) {
            prop_assert!((weight / all - share).abs() < 0.03, "{:?}: {} of {}", id, weight, all);
        }
        let other = tune(&off, &Constraints::default(), &tuning, &Backwards, &mut |_| ControlFlow::Continue(()));
        prop_assert_eq!(other, Ok(tuned));
    }
}

#[test]
fn maps_that_have_all_or_nothing_are_told_apart() {
    let tuned = found(&apart(), &Tuning::default().steer(false).size(16)).unwrap();
    let [few, many] = tuned.shares[0].split.expect("no map has a half");
    assert!(few == 0.0 && many == 1.0, "{tuned:?}");
    assert!((tuned.variation[1] - 0.5).abs() < 1e-9, "{tuned:?}");
}

#[rstest]
#[case::no_shares(free(&[]), 240, u32::MAX, Some(TuneError::NoShares))]
#[case::stopped(free(&[0.2]), 240, 0, Some(TuneError::Stopped))]
#[case::stopped_later(free(&[0.2]), 240, 60, None)]
#[case::few_fills(free(&[0.2]), 0, u32::MAX, None)]
fn searches_end_as_they_are_told(
    #[case] set: Tileset,
    #[case] fills: u32,
    #[case] until: u32,
    #[case] error: Option<TuneError>,
) {
    let tuning = Tuning::default().fills(fills).size(16).steer(false);
    let mut told = Vec::new();
    let ended = tune(&set, &Constraints::default(), &tuning, &Alone, &mut |made| {
        told.push(made);
        if made > until { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    });
    assert_eq!(ended.as_ref().err().copied(), error);
    if let Ok(tuned) = ended {
        let most = fills.max(Tuning::LEAST_FILLS).min(until.saturating_add(70));
        assert!(tuned.fills <= most && told.last() == Some(&tuned.fills), "{told:?}");
    }
}

/// No row of the set can be closed: no trial map is filled.
#[test]
fn a_set_that_never_fills_is_named() {
    let mut set = TilesetBuilder::new(Lattice::Square);
    let [a, b] = ["a", "b"].map(|name| set.socket(Socket::plain(name)));
    set.tile(Tile::new("one").sides([a, a, b, b]).share(0.5));
    set.tile(Tile::new("other").sides([a, b, b, a]));
    assert_eq!(found(&set.build().unwrap(), &Tuning::default()), Err(TuneError::NoMaps));
}

#[rstest]
#[case(0.0)]
#[case(-1.0)]
#[case(f64::NAN)]
#[case(1e7)]
fn weights_out_of_range_are_refused(#[case] weight: f64) {
    let set = free(&[0.2]);
    let error = set.with_weights(&[(set.find("rest").unwrap(), weight)]).unwrap_err();
    assert!(error.findings[0].message.contains("out of range"));
}
