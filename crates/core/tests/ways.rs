//! Ways against plain searches, walks against a second simple walker, expectations, rolls.

use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::map::{Item, Tilemap};
use lantern_quilt_core::passes::{
    Around, AssignStep, Becomes, Carve, Condition, RouteStep, Stuck, TagStep, WalkStep,
};
use lantern_quilt_core::prelude::*;
use lantern_quilt_core::recipe::{Expectation, Made, MakeError, Pass, Recipe};
use lantern_quilt_core::seed::Stream;
use lantern_quilt_testkit::maps::{layout_of, steps_between};
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeMap;

/// A small map with closed cells, walls, heights and costs.
#[derive(Clone, Debug)]
struct Land {
    map: Tilemap,
    costs: Vec<u64>,
    most_step: Option<u32>,
    around: Around,
}

fn land() -> impl Strategy<Value = Land> {
    let values = proptest::collection::vec(any::<u8>(), 90);
    let wraps = any::<[bool; 3]>();
    let steps = prop_oneof![Just(None), Just(Some(0)), Just(Some(1))];
    (0usize..4, (1u32..5, 1u32..4, 1u32..3), wraps, values, steps, any::<bool>()).prop_map(
        |(lattice, (x, y, z), wrap, values, most_step, moore)| {
            let layout = layout_of(lattice, [x, y, z], wrap);
            let extent = layout.extent();
            let mut map = Tilemap::new(layout);
            let value = |index: usize| values[index % values.len()];
            let open = BitPlane::from_fn(extent, |cell| value(extent.index(cell).unwrap()) % 5 > 0);
            map.set_tag("open", Some(open));
            for (index, cell) in extent.iter().enumerate() {
                *map.heights_mut().get_mut(cell).unwrap() = i32::from(value(index + 7) % 3);
            }
            let sides = layout.lattice().sides();
            let walls = extent.iter().enumerate().filter(|(index, _)| value(index + 31) % 4 == 0);
            let walls = walls.map(|(index, cell)| {
                let side = usize::from(value(index + 3)) % (sides.len() + 1);
                Item { side: sides.get(side).copied(), ..Item::new("wall", cell) }
            });
            map.set_items(walls.collect());
            let costs = (0..extent.cells()).map(|index| u64::from(value(index + 13) % 4)).collect();
            let around = if moore { Around::Moore } else { Around::Sides };
            Land { map, costs, most_step, around }
        },
    )
}

/// A cell, and the sides that were crossed to it.
type State = (Cell, [Option<Side>; 2]);

impl Land {
    fn cell(&self, number: usize) -> Cell {
        let extent = self.map.layout().extent();
        extent.cell(number % extent.cells())
    }

    fn route(&self, from: Cell, to: &[Cell]) -> RouteStep {
        let at = |cells: &[Cell]| Condition::Painted {
            cells: BitPlane::from_fn(self.map.layout().extent(), |cell| cells.contains(&cell)),
            of: "chosen cells".into(),
        };
        let priced = (0..4).map(|cost| {
            let extent = self.map.layout().extent();
            let cells =
                BitPlane::from_fn(extent, |cell| self.costs[extent.index(cell).unwrap()] == cost);
            (Condition::Painted { cells, of: "a price".into() }, cost)
        });
        RouteStep::new(at(&[from]), at(to))
            .through(Condition::Tag("open".into()))
            .costs(priced.collect())
            .blocked_by(vec!["wall".into()])
            .most_step(self.most_step)
            .around(self.around)
    }

    fn made(&self, route: RouteStep) -> Result<Made, MakeError> {
        let recipe = Recipe::new([Pass::new("way", route.wished(true))]);
        let mut maker = recipe.over(self.map.clone(), &Seed::from_number(5));
        maker.make()?;
        Ok(maker.finish())
    }

    fn is_open(&self, cell: Cell) -> bool {
        let filled = |item: &Item| item.cell == cell && item.side.is_none();
        self.map.tag("open").unwrap().get(cell) && !self.map.items().iter().any(filled)
    }

    /// Whether a step across a side is free, item by item.
    fn free(&self, from: Cell, side: Side) -> Option<Cell> {
        let layout = self.map.layout();
        let to = layout.neighbour(from, side)?;
        let walled = self.map.items().iter().any(|item| match item.side {
            Some(on) => {
                (item.cell, on) == (from, side)
                    || layout.neighbour(item.cell, on) == Some(from) && on.opposite() == side
            }
            None => item.cell == to,
        });
        let height = |cell| self.map.heights().unwrap().get(cell).copied().unwrap();
        let high = self.most_step.is_some_and(|most| height(from).abs_diff(height(to)) > most);
        (!walled && !high && self.map.tag("open").unwrap().get(to)).then_some(to)
    }

    /// The cells of all steps, with the first side of each.
    fn steps(&self, from: Cell) -> Vec<(Cell, [Option<Side>; 2])> {
        use Side::{East, North, South, West};
        let layout = self.map.layout();
        let sides = layout.lattice().sides().iter();
        let mut all: Vec<_> =
            sides.filter_map(|&side| Some((self.free(from, side)?, [Some(side), None]))).collect();
        let square = matches!(layout.lattice(), Lattice::Square | Lattice::Box);
        if square && self.around == Around::Moore {
            for (a, b) in [(North, East), (South, East), (South, West), (North, West)] {
                let one = self.free(from, a).and_then(|beside| self.free(beside, b));
                let other = self.free(from, b).and_then(|beside| self.free(beside, a));
                let height = |cell| self.map.heights().unwrap().get(cell).copied().unwrap();
                if let (Some(to), true) = (one, one == other)
                    && self.most_step.is_none_or(|most| height(from).abs_diff(height(to)) <= most)
                {
                    all.push((to, [Some(a), Some(b)]));
                }
            }
        }
        all
    }

    /// Least cost, and fewest steps of it, by relaxing everything until nothing changes.
    fn least(&self, from: &[Cell], bend: u64) -> BTreeMap<Cell, (u64, u32)> {
        let extent = self.map.layout().extent();
        let begin = from.iter().filter(|&&cell| self.is_open(cell));
        let mut far: BTreeMap<State, (u64, u32)> =
            begin.map(|&cell| ((cell, [None, None]), (0, 0))).collect();
        loop {
            let mut changed = false;
            for (&(cell, came), &(cost, steps)) in &far.clone() {
                for (to, way) in self.steps(cell) {
                    let turn = if came == [None, None] || came == way { 0 } else { bend };
                    let next = (cost + turn + self.costs[extent.index(to).unwrap()], steps + 1);
                    let way = if bend > 0 { way } else { [None, None] };
                    let known = far.entry((to, way)).or_insert((u64::MAX, u32::MAX));
                    changed |= next < *known;
                    *known = next.min(*known);
                }
            }
            if !changed {
                break;
            }
        }
        let mut least: BTreeMap<Cell, (u64, u32)> = BTreeMap::new();
        for ((cell, _), far) in far {
            let known = least.entry(cell).or_insert(far);
            *known = far.min(*known);
        }
        least
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Judged ways cost what a plain search says, and reach what it reaches.
    #[test]
    fn judged_ways_are_the_cheapest(land in land(), from in 0usize..90) {
        let (from, all) = (land.cell(from), land.map.layout().extent().iter().collect::<Vec<_>>());
        let made = land.made(land.route(from, &all).plane("far"));
        prop_assert_eq!(made.is_ok(), land.is_open(from));
        let Ok(made) = made else { return Ok(()) };
        let (least, routed) = (land.least(&[from], 0), made.passes[0].routed.clone().unwrap());
        let found: BTreeMap<Cell, (u64, u32)> =
            routed.ways.iter().map(|way| (way.target, (way.cost, way.steps))).collect();
        prop_assert_eq!(&found, &least);
        for (cell, far) in all.iter().map(|&cell| (cell, made.map.plane("far").unwrap().get(cell))) {
            prop_assert_eq!(far.map(|far| far as u64), least.get(&cell).map(|far| far.0));
        }
        for missed in &routed.missed {
            prop_assert!(!least.contains_key(&missed.target) && !missed.blocked.is_empty() || all.len() == 1);
        }
    }

    /// What is in the way is all that is: with it opened, the target is reached.
    #[test]
    fn what_is_in_the_way_would_do(land in land(), from in 0usize..90, to in 0usize..90) {
        let (from, to) = (land.cell(from), land.cell(to));
        let Ok(made) = land.made(land.route(from, &[to])) else { return Ok(()) };
        let routed = made.passes[0].routed.clone().unwrap();
        let Some(missed) = routed.missed.first() else { return Ok(()) };
        let mut opened = land.clone();
        opened.most_step = land.most_step.map(|_| 9);
        missed.blocked.iter().for_each(|&cell| { opened.map.tag_mut("open").set(cell, true); });
        let layout = land.map.layout();
        let beside = |item: &Item| {
            let beyond = item.side.and_then(|side| layout.neighbour(item.cell, side));
            missed.blocked.iter().any(|&cell| item.cell == cell || beyond == Some(cell))
        };
        opened.map.set_items(land.map.items().iter().filter(|item| !beside(item)).cloned().collect());
        prop_assert!(opened.least(&[from], 0).contains_key(&to), "{:?}", missed);
    }

    /// A carved way has the least cost, bends counted, and its cells are a way.
    #[test]
    fn a_carved_way_is_the_cheapest(land in land(), from in 0usize..90, to in 0usize..90, bend in 0u64..4) {
        let (from, to) = (land.cell(from), land.cell(to));
        let carve = Carve::new(vec![Becomes::Tag("lane".into())]).width(1).bend(bend);
        let Ok(made) = land.made(land.route(from, &[to]).carve(carve)) else { return Ok(()) };
        let routed = made.passes[0].routed.clone().unwrap();
        let least = land.least(&[from], bend);
        let Some(way) = routed.ways.first() else {
            prop_assert!(!least.contains_key(&to));
            return Ok(());
        };
        prop_assert_eq!((way.cost, way.steps), least[&to]);
        let lane = made.map.tag("lane").unwrap();
        if bend == 0 {
            prop_assert_eq!(lane.count() as u32, way.steps + 1, "no cell twice");
        }
        prop_assert!(lane.get(from) && lane.get(to) && lane.iter().all(|cell| land.map.tag("open").unwrap().get(cell)));
    }

    /// To several targets: all that can be are joined, for no more than the ways to each alone.
    #[test]
    fn joining_several_costs_no_more_than_each_alone(land in land(), from in 0usize..90, to in proptest::collection::vec(0usize..90, 1..5)) {
        let from = land.cell(from);
        let mut to: Vec<Cell> = to.into_iter().map(|to| land.cell(to)).collect();
        to.sort_unstable();
        to.dedup();
        let carve = Carve::new(vec![Becomes::Tag("lane".into())]).width(1);
        let Ok(made) = land.made(land.route(from, &to).carve(carve)) else { return Ok(()) };
        let routed = made.passes[0].routed.clone().unwrap();
        let least = land.least(&[from], 0);
        let alone: u64 = to.iter().filter_map(|cell| least.get(cell)).map(|far| far.0).sum();
        prop_assert_eq!(routed.ways.len(), to.iter().filter(|cell| least.contains_key(cell)).count());
        prop_assert!(routed.total().1 <= alone);
        // The lane itself leads everywhere; across a corner the cells beside it do not belong to it.
        prop_assume!(land.around == Around::Sides);
        let mut lane = land.clone();
        lane.map.set_tag("open", made.map.tag("lane").cloned());
        let reached = lane.least(&[from], 0);
        prop_assert!(routed.ways.iter().all(|way| reached.contains_key(&way.target)));
    }

    /// Walks are those of a second, simple walker.
    #[test]
    fn walks_are_those_of_a_simple_walker(
        land in land(),
        steps in 1u32..60,
        straight in 0.0f64..1.0,
        runs in 1u32..4,
        crosses in any::<bool>(),
        stuck in prop_oneof![Just(Stuck::Nearest), Just(Stuck::Random), Just(Stuck::Ends)],
        apart in 0u32..3,
    ) {
        let walk = WalkStep::new(Condition::Tag("open".into()), [steps / 2, steps])
            .through(Condition::Tag("open".into()))
            .around(land.around)
            .straight(straight)
            .runs([1, runs])
            .walkers(2)
            .crosses(crosses)
            .apart(apart)
            .stuck(stuck)
            .plane(Some("order".into()));
        let recipe = Recipe::new([Pass::new("walk", walk.clone())]);
        let mut maker = recipe.over(land.map.clone(), &Seed::from_number(5));
        prop_assert_eq!(maker.make().is_ok(), land.map.tag("open").unwrap().count() > 0);
        let made = maker.finish();
        if let Some(order) = made.map.plane("order") {
            let mut found: Vec<(i32, Cell)> = land.map.layout().extent().iter()
                .filter_map(|cell| Some((order.get(cell)?, cell))).collect();
            found.sort_unstable();
            let cells: Vec<Cell> = found.into_iter().map(|(_, cell)| cell).collect();
            prop_assert_eq!(cells, simple_walk(&land, &walk));
        }
    }
}

/// Walks as one would write them down first: every list is searched whole.
fn simple_walk(land: &Land, walk: &WalkStep) -> Vec<Cell> {
    let mut open = land.clone();
    open.map.set_items(Vec::new());
    open.most_step = None;
    let seed = Seed::from_number(5);
    let key = seed.keyed(&["walk", "walk", "start"]);
    let mut starts: Vec<Cell> = open.map.tag("open").unwrap().iter().collect();
    starts.sort_by_key(|&cell| (key.bits(cell), cell));
    let mut seen: Vec<Cell> = Vec::new();
    for number in 0..walk.walkers as usize {
        let mut chance = seed.stream(&["walk", "walk", &number.to_string()]);
        let between =
            |chance: &mut Stream, [a, b]: [u32; 2]| a + chance.below(u64::from(b - a) + 1) as u32;
        let steps = between(&mut chance, walk.steps);
        let mut at = starts[number % starts.len()];
        let (mut came, mut run, mut behind) = (None, 0, vec![at]);
        let visit = |seen: &mut Vec<Cell>, cell| {
            if !seen.contains(&cell) {
                seen.push(cell);
            }
        };
        visit(&mut seen, at);
        let mut left = steps;
        while left > 0 {
            let free = |seen: &[Cell], at: Cell| -> Vec<(Cell, [Option<Side>; 2])> {
                let layout = open.map.layout();
                let far = |a: Cell, b: Cell| steps_between(layout, a, b);
                let close = |to: Cell, cell: Cell| {
                    walk.apart > 0 && far(to, cell) <= walk.apart && far(at, cell) >= walk.apart
                };
                let free = |to: Cell| !seen.iter().any(|&cell| cell == to || close(to, cell));
                let all = open.steps(at).into_iter();
                all.filter(|(to, _)| walk.crosses || free(*to)).collect()
            };
            let ways = free(&seen, at);
            let on = ways.iter().find(|(_, way)| Some(*way) == came).copied();
            let mut chosen = on.filter(|_| run > 0);
            if chosen.is_none() {
                run = between(&mut chance, walk.runs);
                let (keep, pick) = (chance.bits(), chance.bits());
                let keeps = ((keep >> 11) as f64) / ((1_u64 << 53) as f64) < walk.straight;
                let part = 1_u64 << 40;
                // Equal weights, as whole numbers of 1 / 2^40.
                let each = (part as f64 / ways.len() as f64).round() as u64;
                let at = (u128::from(pick) * u128::from(each * ways.len() as u64)) >> 64;
                let any = || ways.get((at as u64).checked_div(each).unwrap_or(0) as usize).copied();
                chosen = on.filter(|_| keeps).or_else(any);
            }
            match chosen {
                Some((to, way)) => {
                    (at, came, run, left) = (to, Some(way), run.saturating_sub(1), left - 1);
                    visit(&mut seen, at);
                    behind.push(at);
                }
                None => loop {
                    let place = match walk.stuck {
                        _ if behind.is_empty() => break,
                        Stuck::Ends => {
                            behind.clear();
                            break;
                        }
                        Stuck::Nearest => behind.len() - 1,
                        Stuck::Random => chance.below(behind.len() as u64) as usize,
                    };
                    if free(&seen, behind[place]).is_empty() {
                        behind.swap_remove(place);
                    } else {
                        (at, came, run) = (behind[place], None, 0);
                        break;
                    }
                },
            }
            if behind.is_empty() {
                break;
            }
        }
    }
    seen
}

/// A lane of 9 x 5 cells with a wall of height 3 in the middle.
fn ridge() -> Tilemap {
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 9, 5).unwrap());
    for y in 0..5 {
        *map.heights_mut().get_mut(Cell::new(4, y)).unwrap() = 3;
    }
    map
}

fn over(map: Tilemap, passes: impl IntoIterator<Item = Pass>) -> Result<Made, MakeError> {
    let mut maker = Recipe::new(passes).over(map, &Seed::from_number(5));
    maker.make()?;
    let made = maker.finish();
    made.check()?;
    Ok(made)
}

fn column(x: i32) -> Condition {
    Condition::Between { least: Cell::at(x, 2, 0), most: Cell::at(x, 2, 0) }
}

/// Heights that are too high are in the way, or cut so that every step can be taken.
#[rstest]
#[case(None, None)]
#[case(Some(0), Some(8))]
#[case(Some(5), Some(8 + 4 * 5))]
fn high_steps_are_cut(#[case] cut: Option<u64>, #[case] cost: Option<u64>) {
    let carve = Carve::new(vec![Becomes::Terrain("gravel".into())]).cut(cut);
    let route = RouteStep::new(column(0), column(8)).most_step(Some(1)).carve(carve);
    let made = over(ridge(), [Pass::new("way", route)]);
    let Some(cost) = cost else {
        let error = made.unwrap_err().to_string();
        assert!(error.contains("`way` does not reach 1 of 1 targets: (8, 2)"), "{error}");
        return;
    };
    let made = made.unwrap();
    assert_eq!(made.passes[0].routed.as_ref().unwrap().ways[0].cost, cost);
    let heights: Vec<i32> =
        (0..9).map(|x| *made.map.heights().unwrap().get(Cell::new(x, 2)).unwrap()).collect();
    assert!(heights.windows(2).all(|two| two[0].abs_diff(two[1]) <= 1), "{heights:?}");
    assert_eq!(
        *made.map.heights().unwrap().get(Cell::new(4, 0)).unwrap(),
        3,
        "elsewhere as before"
    );
}

/// Items in the way are taken away for a price, unless their pass keeps them.
#[rstest]
#[case(None, false, false)]
#[case(Some(2), false, true)]
#[case(Some(2), true, true)]
fn walls_are_opened(#[case] open: Option<u64>, #[case] keep: bool, #[case] reaches: bool) {
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 9, 5).unwrap());
    let wall = |y| Item {
        side: Some(Side::East),
        pass: "walls".into(),
        ..Item::new("wall", Cell::new(4, y))
    };
    map.set_items((0..5).map(wall).collect());
    let carve = Carve::new(vec![Becomes::Tag("lane".into())]).open(open);
    let route = RouteStep::new(column(0), column(8)).blocked_by(vec!["wall".into()]).carve(carve);
    let nothing = Pass::new("walls", TagStep::default()).keep(keep);
    let made = over(map, [nothing, Pass::new("way", route)]);
    assert_eq!(made.is_ok(), reaches);
    if let Ok(made) = made {
        assert_eq!(made.passes[1].routed.as_ref().unwrap().ways[0].cost, 8 + open.unwrap());
        assert_eq!(made.map.items().len(), if keep { 5 } else { 4 });
    }
}

#[rstest]
#[case(1, 9)]
#[case(2, 18)]
#[case(3, 27)]
#[case(5, 45)]
fn ways_are_as_wide_as_asked(#[case] width: u32, #[case] cells: usize) {
    let map = Tilemap::new(Layout::flat(Lattice::Square, 9, 5).unwrap());
    let carve = Carve::new(vec![Becomes::Tag("lane".into())]).width(width);
    let made =
        over(map, [Pass::new("way", RouteStep::new(column(0), column(8)).carve(carve))]).unwrap();
    assert_eq!(made.map.tag("lane").unwrap().count(), cells);
}

/// Targets that touch are one, where that is asked for.
#[rstest]
#[case(false, 5)]
#[case(true, 1)]
fn targets_may_be_joined(#[case] joined: bool, #[case] ways: usize) {
    let map = Tilemap::new(Layout::flat(Lattice::Square, 9, 5).unwrap());
    let last = Condition::Between { least: Cell::at(8, 0, 0), most: Cell::at(8, 4, 0) };
    let route = RouteStep::new(column(0), last).joined(joined);
    let made = over(map, [Pass::new("way", route)]).unwrap();
    assert_eq!(made.passes[0].routed.as_ref().unwrap().ways.len(), ways);
}

/// Costs may be as large as they like: sums do not come round.
#[rstest]
#[case(0, 0)]
#[case(1_000_000_000_000, 8_000_000_000_000)]
#[case(u64::MAX, u64::MAX)]
fn large_costs_are_summed(#[case] cost: u64, #[case] sum: u64) {
    let map = Tilemap::new(Layout::flat(Lattice::Square, 9, 5).unwrap());
    let route = RouteStep::new(column(0), column(8)).costs(vec![(Condition::default(), cost)]);
    let made = over(map, [Pass::new("way", route)]).unwrap();
    assert_eq!(made.passes[0].routed.as_ref().unwrap().ways[0].cost, sum);
}

#[rstest]
#[case::nowhere(column(40), Condition::default(), "no cell has column 40")]
#[case::in_a_wall(column(2), Condition::None(vec![column(2)]), "can be gone over; the first of 1 is")]
#[case::all_closed(column(2), Condition::Any(vec![]), "can be gone over")]
fn ways_without_a_start_are_errors(
    #[case] from: Condition,
    #[case] through: Condition,
    #[case] words: &str,
) {
    let map = Tilemap::new(Layout::flat(Lattice::Square, 9, 5).unwrap());
    let route = RouteStep::new(from.clone(), column(8)).through(through.clone());
    let error = over(map.clone(), [Pass::new("way", route)]).unwrap_err().with_causes();
    assert!(error.contains(words), "{error}");
    let walk = WalkStep::new(from, [3, 3]).through(through);
    let error = over(map, [Pass::new("walk", walk)]).unwrap_err().with_causes();
    assert!(error.contains("no walk can start"), "{error}");
}

fn assign(becomes: Becomes) -> AssignStep {
    AssignStep { becomes: vec![becomes] }
}

/// Which pass broke an expectation: the last after which it did not hold any more.
#[rstest]
#[case::held(&["gate"], "met")]
#[case::broken(&["gate", "storm"], "storm")]
#[case::mended(&["gate", "storm", "gate2"], "met")]
#[case::broken_again(&["gate", "storm", "gate2", "storm2"], "storm2")]
#[case::never(&["other"], "nobody")]
fn broken_expectations_name_their_pass(#[case] passes: &[&str], #[case] want: &str) {
    let tag = |remove: bool| {
        let names = vec!["gate".to_owned()];
        if remove {
            TagStep { add: vec![], remove: names }
        } else {
            TagStep { add: names, remove: vec![] }
        }
    };
    let passes = passes.iter().map(|&name| match name {
        "other" => Pass::new(name, assign(Becomes::Height(1))),
        _ => Pass::new(name, tag(name.starts_with("storm"))).within(column(3)),
    });
    let gate = Expectation::new("one gate", Condition::Tag("gate".into())).most(1);
    let recipe = Recipe::new(passes).expecting([gate]);
    let mut maker = recipe.maker(Layout::flat(Lattice::Square, 9, 5).unwrap(), &Seed::default());
    maker.make().unwrap();
    let made = maker.finish();
    let by = made.unmet.first().map(|unmet| unmet.broken_by.as_deref().unwrap_or("nobody"));
    assert_eq!(by.unwrap_or("met"), want);
    assert_eq!(matches!(made.check(), Err(MakeError::Unmet { .. })), want != "met");
}

/// What is counted, and what is said.
#[rstest]
#[case::cells(|e: Expectation| e.least(46), Some("expected at least 46 cells with every cell, found 45"))]
#[case::enough(|e: Expectation| e.least(45).most(45), None)]
#[case::too_many(|e: Expectation| e.most(3), Some("expected 1 to 3 cells"))]
#[case::areas(|e: Expectation| e.joined(true).most(1), None)]
#[case::meets(|e: Expectation| e.meets(Some(column(1))), Some("44 of 45 cells with every cell are not"))]
fn expectations_count(#[case] with: fn(Expectation) -> Expectation, #[case] words: Option<&str>) {
    let map = Tilemap::new(Layout::flat(Lattice::Square, 9, 5).unwrap());
    let unmet = with(Expectation::new("all", Condition::default())).judge(&map, &Seed::default());
    assert_eq!(unmet.is_some(), words.is_some(), "{unmet:?}");
    assert!(words.is_none_or(|words| unmet.unwrap().text.contains(words)));
}

/// Rolls give one pass other chance and leave the others; roll 0 is the seed's own.
#[rstest]
fn rolls_change_one_pass(#[values(0, 1, 2, 7)] roll: u32) {
    let map = || Tilemap::new(Layout::flat(Lattice::Square, 30, 30).unwrap());
    let noise = |name: &str| {
        let half = Condition::Noise {
            noise: lantern_quilt_core::noise::Noise::new(5.0),
            least: 0.5,
            most: 1.0,
        };
        Pass::new(name, assign(Becomes::Tag(name.into()))).within(half)
    };
    let plain = over(map(), [noise("a"), noise("b")]).unwrap().map;
    let rolled = over(map(), [noise("a").roll(roll), noise("b")]).unwrap().map;
    assert_eq!(rolled.tag("b"), plain.tag("b"));
    assert_eq!(rolled.tag("a") == plain.tag("a"), roll == 0);
}

/// A pass appears as often as it says, and says when it does not.
#[rstest]
#[case(0.0, 0..=0)]
#[case(0.25, 70..=130)]
#[case(1.0, 400..=400)]
fn passes_appear_by_chance(#[case] chance: f64, #[case] times: std::ops::RangeInclusive<usize>) {
    let layout = Layout::flat(Lattice::Square, 3, 3).unwrap();
    let pass = Pass::new("a", assign(Becomes::Height(2))).appears(chance);
    let recipe = Recipe::new([pass]);
    let done = (0..400).filter(|&seed| {
        let made = recipe.make(layout, &Seed::from_number(seed)).unwrap();
        assert_eq!(made.passes[0].left_out, made.map.heights().is_none());
        !made.passes[0].left_out
    });
    assert!(times.contains(&done.count()));
}

/// A pass that changes nothing says so, once, with what was left to it.
#[rstest]
#[case(Condition::Any(vec![]), "matches no cell")]
#[case(Condition::default(), "matches 45 cells, which have these values already")]
fn idle_passes_say_so(#[case] place: Condition, #[case] words: &str) {
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 9, 5).unwrap());
    map.heights_mut();
    let made = over(map, [Pass::new("flat", assign(Becomes::Height(0))).within(place)]).unwrap();
    let finding = made.passes[0].idle_finding().unwrap();
    assert!(
        finding.help.contains(words) && finding.message == "`flat` changed nothing",
        "{finding:?}"
    );
}
