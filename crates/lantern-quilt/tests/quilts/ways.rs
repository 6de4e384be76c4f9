//! Routes, walks, assignments and expectations in quilts.

use super::*;
use lantern_quilt::passes::{Around, Becomes, Replace, RouteStep, Stuck, WalkStep};
use lantern_quilt::passes::{Condition, Metric, NoiseStep, PlaceStep};
use lantern_quilt_testkit::maps::made;

const QUILT: &str = r##"quilt = 1
map = { lattice = "square", size = [16, 10], seed = 5 }
[terrains]
moss = "#2f6b3a"
pond = "#3f8fb5"
gravel = "#d8c38a"
[shapes.veins]
tag = "vein"
tiles = [{ empty = true }]
[items.gate]
tags = ["built"]
[items.stall]
[items.hedge]
[[recipe]]
pass = "noise"
name = "ground"
shift = [-0.1, 0.2]
bands = [{ share = 0.2, terrain = "pond" }, { terrain = "moss" }]
[[recipe]]
pass = "place"
name = "gates"
what = "gate"
exactly = 1
keep = true
where = { terrain = "moss", border = [0, 0] }
[[recipe]]
pass = "place"
name = "stalls"
what = "stall"
roll = 2
exactly = 3
per = 20
drawn_above = ["posts"]
apart = 4
replace = ["hedge", "built"]
becomes = { tag = "trodden", value = { depth = 2 } }
where = { terrain = "moss", near = { item = "gate", within = 30, through = { terrain = "moss" } } }
[[recipe]]
pass = "route"
name = "lanes"
from = { item = "gate" }
to = { item = "stall" }
joined = true
through = { terrain = "moss" }
around = "moore"
costs = [{ tag = "trodden", cost = 3 }, { value = { depth = [2, 2] }, cost = 0 }]
blocked_by = "hedge"
most_step = 1
tag = "lane"
plane = "far"
wished = true
carve = { terrain = "gravel", width = 2, bend = 3, open = 4, cut = 5, clear_items = false }
[[recipe]]
pass = "walk"
name = "cracks"
from = { reachable = { from = { item = "gate" }, within = 9 } }
steps = [10, 20]
walkers = 3
straight = 0.8
runs = [1, 4]
weights = { south = 3 }
crosses = true
until = { border = [0, 0] }
stuck = "random"
becomes = { height = -1 }
plane = "order"
[[recipe]]
pass = "walk"
name = "veins"
from = { at = [2, 3], size = [4, 2] }
steps = 5
apart = 2
becomes = { tag = "vein" }
[[recipe]]
pass = "autotile"
name = "shapes"
[[recipe]]
pass = "place"
name = "posts"
what = "hedge"
chance = 0.1
[[recipe]]
pass = "assign"
name = "shade"
appears = { chance = 0.5, per = 90 }
where = { near = { terrain = "pond", side = "north", within = 2 } }
terrain = "moss"
value = { depth = 7 }
[[expect]]
name = "one gate"
where = { item = "gate" }
exactly = 1
[[expect]]
name = "all reached"
where = { item = "stall" }
meets = { tag = "lane" }
[[expect]]
name = "few ponds"
where = { terrain = "pond" }
joined = true
most = 40
"##;

fn step<S: lantern_quilt::passes::Step + Clone>(quilt: &Quilt, name: &str) -> S {
    quilt.recipe.find(name).unwrap().step_as::<S>().unwrap().clone()
}

#[test]
fn all_keys_are_read() {
    let quilt = read(QUILT).unwrap_or_else(|report| panic!("{report}"));
    let veins: WalkStep = step(&quilt, "veins");
    let (least, most) = (Cell::new(2, 3), Cell::new(5, 4));
    assert_eq!((veins.apart, veins.from), (2, Condition::Between { least, most }));
    let ground: NoiseStep = step(&quilt, "ground");
    let stalls: PlaceStep = step(&quilt, "stalls");
    assert_eq!((ground.shift, stalls.per.map(u32::from)), ([-0.1, 0.2], Some(20)));
    let passes = quilt.recipe.passes();
    assert_eq!(quilt.shapes().next().unwrap().tag.as_deref(), Some("vein"));
    // Gates, then posts, above which stalls are drawn: of three numbers for three passes that place things.
    let drawn =
        |name: &str| quilt.recipe.drawn()[passes.iter().position(|p| p.name == name).unwrap()];
    assert_eq!(["gates", "posts", "stalls"].map(drawn), [0, 1, 2]);
    let lanes: RouteStep = step(&quilt, "lanes");
    assert_eq!((lanes.around, lanes.most_step, lanes.joined), (Around::Moore, Some(1), true));
    assert_eq!(
        (lanes.costs[0].1, lanes.costs[1].1, &lanes.blocked_by[..]),
        (3, 0, &["hedge".to_owned()][..])
    );
    let carve = lanes.carve.unwrap();
    assert_eq!((carve.width, carve.bend, carve.open, carve.cut), (2, 3, Some(4), Some(5)));
    assert_eq!(carve.becomes, [Becomes::Terrain("gravel".into())]);
    let cracks: WalkStep = step(&quilt, "cracks");
    assert_eq!(
        (cracks.steps, cracks.walkers, cracks.runs, cracks.stuck),
        ([10, 20], 3, [1, 4], Stuck::Random)
    );
    assert!(cracks.crosses && cracks.until.is_some() && cracks.weights == [(Side::South, 3.0)]);
    assert!(matches!(cracks.from, Condition::Reachable { most: 9, .. }));
    let stalls: PlaceStep = step(&quilt, "stalls");
    assert_eq!(stalls.replace, Replace::Named(vec!["hedge".into(), "built".into()]));
    assert_eq!(stalls.becomes.len(), 2);
    let passes = ["gates", "stalls", "shade"].map(|name| quilt.recipe.find(name).unwrap());
    assert_eq!((passes[0].keep, passes[1].roll, passes[2].appears), (true, 2, 0.5));
    assert_eq!(passes[2].appears_per.map(u32::from), Some(90));
    assert!(matches!(&passes[1].place, Condition::All(parts) if parts.iter().any(
        |part| matches!(part, Condition::Near { metric: Metric::Through(_), .. }))));
    let expected = quilt.recipe.expected();
    assert_eq!(
        expected.iter().map(|one| (one.least, one.most)).collect::<Vec<_>>(),
        [(1, 1), (0, u64::MAX), (0, 40)]
    );
}

/// The gate is kept, though stalls replace what is built.
#[rstest]
fn kept_things_stay(#[values(1, 2, 3, 4)] seed: u64) {
    let quilt = read(QUILT).unwrap();
    let map = made(quilt.maker(quilt.layout, &Seed::from_number(seed))).map;
    assert_eq!(map.items().iter().filter(|item| &*item.name == "gate").count(), 1);
    // Wherever a lane lies it is of gravel, or was made moss again.
    let lane = map.tag("lane").unwrap();
    assert!(
        lane.iter()
            .all(|cell| map.terrain().unwrap().at(cell, map.layout().extent()) != Some("pond"))
    );
}

#[rstest]
#[case(
    "costs = [{ tag = \"trodden\", cost = 3 }",
    "costs = [{ tag = \"trodden\", cost = -1 }",
    "`cost` is -1, out of its range"
)]
#[case("cost = 3 }", "cost = 2000000000000 }", "`cost` is 2000000000000, out of its range")]
#[case("cost = 3 }", "cost = 0.5 }", "whole number")]
#[case("{ tag = \"trodden\", cost = 3 }", "{ tag = \"trodden\" }", "has no `cost`")]
#[case("blocked_by = \"hedge\"", "blocked_by = \"hedg\"", "is named `hedg`")]
#[case("around = \"moore\"", "around = \"more\"", "is named `more`")]
#[case("most_step = 1\n", "", "`cut` has nothing to do without `most_step`")]
#[case("blocked_by = \"hedge\"\n", "", "`open` has nothing to do without `blocked_by`")]
#[case("width = 2", "width = 0", "`width` is 0, out of its range")]
#[case("from = { item = \"gate\" }\nto", "to", "has no `from`")]
#[case("to = { item = \"stall\" }", "to = { item = \"stal\" }", "is named `stal`")]
#[case("stuck = \"random\"", "stuck = \"rando\"", "is named `rando`")]
#[case("steps = [10, 20]", "steps = [20, 10]", "ends before it begins")]
#[case("steps = [10, 20]", "steps = 0", "`steps` is 0, out of its range")]
#[case("weights = { south = 3 }", "weights = { soth = 3 }", "no side `soth`")]
#[case("weights = { south = 3 }", "weights = { up = 3 }", "no side `up`")]
#[case("weights = { south = 3 }", "weights = { south = -3 }", "the weight of `south` is -3")]
#[case("becomes = { height = -1 }\nplane = \"order\"\n", "", "the walk changes nothing")]
#[case("becomes = { height = -1 }", "becomes = {}", "the pass assigns nothing")]
#[case("chance = 0.5, per", "chance = 1.5, per", "not from 0 to 1")]
#[case("chance = 0.5, per = 90", "chance = 0.5", "has no `per`")]
#[case("per = 90", "per = 0", "`per` is 0, out of its range")]
#[case("exactly = 3\nper = 20", "per = 20", "`per` is for a number or a chance")]
#[case("shift = [-0.1, 0.2]", "shift = [0.2, -0.1]", "two numbers from -1 to 1, the lower first")]
#[case("shift = [-0.1, 0.2]", "shift = [0.1]", "two numbers from -1 to 1")]
#[case("drawn_above = [\"posts\"]", "drawn_above = [\"post\"]", "no pass `post` to be drawn above")]
#[case(
    "chance = 0.1\n",
    "chance = 0.1\ndrawn_above = \"stalls\"\n",
    "in a circle: `stalls` above `posts` above `stalls`"
)]
#[case(
    "chance = 0.1\n",
    "chance = 0.1\ndrawn_above = \"posts\"\n",
    "`posts` is drawn above itself"
)]
#[case("apart = 2\n", "apart = 9\n", "`apart` is 9, out of its range")]
#[case("apart = 2\n", "apart = 2\ncrosses = true\n", "walks that cross do not keep apart")]
#[case(", size = [4, 2]", "", "`size` is missing")]
#[case("at = [2, 3], ", "", "`at` is missing")]
#[case("size = [4, 2]", "size = [4, 0]", "out of its range")]
#[case(
    "tag = \"vein\"\ntiles",
    "tag = \"vein\"\nterrain = \"moss\"\ntiles",
    "follows more than one thing"
)]
#[case(
    "tiles = [{ empty = true }]",
    "scheme = \"four\"\nguide = \"g.png\"",
    "a guide shows terrains"
)]
#[case("roll = 2", "roll = -2", "`roll` is -2, out of its range")]
#[case("keep = true", "keep = 1", "keep")]
#[case("terrain = \"moss\"\nvalue = { depth = 7 }\n", "", "the pass assigns nothing")]
#[case("value = { depth = 7 }", "value = { depth = \"deep\" }", "whole number")]
#[case("replace = [\"hedge\"", "replace = [\"hege\"", "is named `hege`")]
#[case("side = \"north\", within = 2", "side = \"nort\", within = 2", "no side `nort`")]
#[case("side = \"north\", within = 2", "side = \"north\", straight = true", "cannot both be said")]
#[case("reachable = { from = { item = \"gate\" }, ", "reachable = { ", "has no `from`")]
#[case("name = \"one gate\"\n", "", "has no `name`")]
#[case("name = \"few ponds\"", "name = \"one gate\"", "two expectations are named `one gate`")]
#[case("exactly = 1\n[[expect]]", "exactly = 1\nmost = 3\n[[expect]]", "given more than once")]
#[case("most = 40", "most = 4\nleast = 40", "cannot both be")]
#[case("meets = { tag = \"lane\" }", "meets = { tag = \"lan\" }", "is named `lan`")]
#[case("where = { item = \"stall\" }\nmeets", "were = { item = \"stall\" }\nmeets", "where")]
fn mistakes_are_reported(#[case] good: &str, #[case] bad: &str, #[case] words: &str) {
    assert!(QUILT.contains(good), "{good}");
    let report = read(&QUILT.replacen(good, bad, 1)).map(|_| ()).unwrap_err().to_string();
    assert!(report.contains(words), "{report}");
}

#[rstest]
#[case("around = \"moore\"", "hexagons touch across sides alone")]
#[case("carve = { terrain = \"moss\", width = 2 }", "has no middle on hexagons")]
fn hexagons_have_ways_of_their_own(#[case] key: &str, #[case] words: &str) {
    let text = format!(
        "quilt = 1\nmap = {{ lattice = \"hex_pointy\", size = [6, 6] }}\nterrains.moss = \"#2f6b3a\"\n\
         [[recipe]]\npass = \"route\"\nfrom = {{ x = [0, 0] }}\nto = {{ x = [5, 5] }}\n{key}\n"
    );
    let report = read(&text).map(|_| ()).unwrap_err().to_string();
    assert!(report.contains(words), "{report}");
}
