//! How orders lean: measured on sets that no direction is special to, and on rules turned against each other.

use lantern_quilt_core::audit::lean::{Lean, lean};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::solve::Order;
use lantern_quilt_testkit::sets;
use proptest::prelude::*;
use rstest::rstest;

/// Colours whose neighbours are alike or next to each other.
fn bands(lattice: Lattice, weights: &[u64]) -> Rules {
    Rules::from_pairs(lattice, weights, |_, a, b| a.abs_diff(b) < 2).unwrap()
}

/// Colours of which no two alike touch: row by row each cell sees the one to the west and the one to the north.
fn colours() -> Rules {
    Rules::from_pairs(Lattice::Square, &[1, 1, 1], |_, a, b| a != b).unwrap()
}

/// Bands whose runs are long from west to east, by the rules.
fn combed() -> Rules {
    Rules::from_pairs(Lattice::Square, &[3, 2, 2], |side, a, b| {
        a == b || side % 2 == 0 || (a != 1 && b != 1)
    })
    .unwrap()
}

#[rstest]
#[case::entropy(bands(Lattice::Square, &[1, 1, 1, 1]), Order::Entropy, [0.95, 1.05], [0.95, 1.05])]
#[case::uneven(bands(Lattice::Square, &[9, 2, 1]), Order::Entropy, [0.95, 1.05], [0.95, 1.05])]
#[case::options(bands(Lattice::Square, &[1, 1, 1, 1]), Order::Options, [0.95, 1.05], [0.95, 1.05])]
// Which cells are decided first makes no difference to a set that takes anything.
#[case::free(Rules::from_pairs(Lattice::Square, &[1, 2], |_, _, _| true).unwrap(), Order::Rows, [0.97, 1.03], [0.97, 1.03])]
#[case::rows(bands(Lattice::Square, &[1, 1, 1, 1]), Order::Rows, [0.9, 1.1], [1.15, 1.3])]
#[case::rows_of_colours(colours(), Order::Rows, [0.95, 1.05], [1.7, 2.1])]
#[case::combed_by_rule(combed(), Order::Entropy, [0.9, 1.1], [0.95, 1.05])]
#[case::hexagons(bands(Lattice::HexPointy, &[3, 2, 1]), Order::Entropy, [1.0, 1.03], [0.0, 0.0])]
#[case::flat_hexagons(bands(Lattice::HexFlat, &[3, 2, 1]), Order::Entropy, [1.0, 1.03], [0.0, 0.0])]
fn orders_lean(
    #[case] rules: Rules,
    #[case] order: Order,
    #[case] straight: [f64; 2],
    #[case] diagonal: [f64; 2],
) {
    let found = lean(&rules, order, false).unwrap();
    let inside = |ratio: f64, [least, most]: [f64; 2]| least <= ratio && ratio <= most;
    assert!(inside(found.straight, straight), "{found:?}");
    assert!(inside(found.diagonal.unwrap_or(0.0), diagonal), "{found:?}");
    let all = [found.straight, found.diagonal.unwrap_or(1.0)];
    assert!(all.iter().all(|ratio| found.most() >= ratio.max(1.0 / ratio)));
    assert_eq!(lean(&rules, order, false), Some(found));
}

#[rstest]
#[case::boxes(bands(Lattice::Box, &[1, 1, 1]))]
// Two colours that never touch each other, nor themselves to the east.
#[case::never_filled(Rules::from_pairs(Lattice::Square, &[1, 1], |side, _, _| side % 2 == 0).unwrap())]
fn no_lean_is_made_up(#[case] rules: Rules) {
    assert_eq!(lean(&rules, Order::Rows, false), None);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Turned there and back rules are the same; what is allowed moves with the sides.
    #[test]
    fn turned_rules_turn_back(number in 0u64..1000, turn in 0usize..16, lattice in 0usize..4) {
        let lattice = [Lattice::Square, Lattice::HexPointy, Lattice::HexFlat, Lattice::Box][lattice];
        let all: Vec<Orientation> = Orientation::all(lattice).collect();
        let turn = all[turn % all.len()];
        let random = |side: usize, a: usize, b: usize| {
            let mut stream = Seed::from_number(number).stream(&[&format!("{side} {a} {b}")]);
            stream.below(3) > 0
        };
        let rules = Rules::from_pairs(lattice, &[1, 2, 3, 4], random).unwrap();
        let turned = rules.turned(turn);
        let back = turned.turned(turn.inverse(lattice));
        for (index, &side) in lattice.sides().iter().enumerate() {
            let there = lattice.side_index(turn.side(lattice, side)).unwrap();
            for pose in rules.poses().ids() {
                prop_assert_eq!(rules.support(index, pose), turned.support(there, pose));
                prop_assert_eq!(rules.support(index, pose), back.support(index, pose));
            }
        }
    }
}

/// The lean of an order is the same for a set that is turned: what the rules stretch is taken out.
#[rstest]
fn rules_do_not_lean(#[values(1, 2, 3)] number: u64) {
    let mut stream = Seed::from_number(number).stream(&["lean"]);
    let rules = sets::planted(3, 2.4, [6, 6], &mut stream);
    let of = |rules: &Rules| lean(rules, Order::Entropy, false);
    let (Some(plain), Some(turned)) =
        (of(&rules), of(&rules.turned(Orientation::new(Lattice::Square, 1, false))))
    else {
        return;
    };
    let apart = |a: Lean, b: Lean| (a.straight - b.straight).abs();
    assert!(apart(plain, turned) < 1e-9, "{plain:?} {turned:?}");
}
