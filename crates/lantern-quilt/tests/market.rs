//! The demos that are made by recipes: what they promise, and that their maps stay as they are.
#![cfg(feature = "files")]

use lantern_quilt::files::{Changes, Folder, Quilt, QuiltOptions, write_json};
use lantern_quilt::map::{Item, Spot};
use lantern_quilt::prelude::*;
use lantern_quilt::recipe::Made;
use lantern_quilt_testkit::maps::made;
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

fn folder(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos").join(name)
}

fn open(name: &str, variant: Option<&str>) -> Quilt {
    let path = folder(name).join(format!("{name}.quilt.toml"));
    let changes = Changes { variant: variant.map(str::to_owned), set: Vec::new() };
    let quilt = Quilt::open_with(&path, &QuiltOptions::new().with(changes))
        .unwrap_or_else(|report| panic!("{report}"));
    assert_eq!(quilt.findings.findings, [], "a demo has nothing to complain of");
    quilt
}

fn make(quilt: &Quilt, seed: &str) -> Made {
    made(quilt.maker(quilt.layout, &Seed::from_text(seed)))
}

fn named<'m>(map: &'m Tilemap, name: &str) -> Vec<&'m Item> {
    map.items().iter().filter(|item| &*item.name == name).collect()
}

/// A release that changes these changes the maps of its users, and must say so.
#[rstest]
#[case("market", None, "d9590a6b48f33e49")]
#[case("market", Some("setting_up"), "f071b1b20d2544e2")]
#[case("market", Some("after_rain"), "a6c8bc260b07c459")]
#[case("hillside", None, "d0a538f05299b7e3")]
#[case("rootway", None, "eeabd53ec50ab772")]
fn maps_are_pinned(#[case] name: &str, #[case] variant: Option<&str>, #[case] want: &str) {
    let quilt = open(name, variant);
    let made = made(quilt.maker(quilt.layout, &quilt.seed));
    assert!(made.stand_ins().next().is_none() && made.short().next().is_none());
    let mut data = Vec::new();
    write_json(&made.map, &mut data).unwrap();
    assert_eq!(lantern_quilt::files::read_json(&data[..]).unwrap(), made.map);
    assert_eq!(format!("{:016x}", xxhash_rust::xxh3::xxh3_64(&data)), want);
    assert!(quilt.check(None).report.findings.is_empty());
}

#[test]
fn every_market_is_as_it_says() {
    let quilt = open("market", None);
    let (layout, extent) = (quilt.layout, quilt.layout.extent());
    for seed in 0..30 {
        let made = make(&quilt, &seed.to_string());
        assert!(made.short().next().is_none(), "{seed}: {:?}", made.short().next());
        let map = &made.map;
        let terrain = |cell: Cell| map.terrain().unwrap().at(cell, extent);
        let tagged =
            |tag: &str, cell: Cell| map.tags().any(|(name, plane)| name == tag && plane.get(cell));
        // Lanes and pond are planned, trails are carved, and nothing else is; without puddles they stay.
        let kinds = |cell: &Cell| matches!(terrain(*cell), Some("gravel" | "pond"));
        let planned = extent.iter().filter(kinds).filter(|&cell| !tagged("trail", cell)).count();
        let (lanes, ways) = (&made.passes[1], made.passes[3].routed.as_ref().unwrap());
        assert_eq!((&*lanes.name, ways.ways.len()), ("lanes", 5));
        // A trail begins in a cell of a lane.
        assert!((0..=5).contains(&(lanes.cells - planned as u64)));
        let counters = named(map, "counter");
        let stalls = counters.iter().filter(|counter| &*counter.pass == "stalls").count();
        assert!((8..=12).contains(&stalls) && counters.len() == stalls + 5);
        let fronts: BTreeSet<Cell> = counters
            .iter()
            .map(|counter| {
                let front = layout.neighbour(counter.cell, counter.facing.unwrap()).unwrap();
                assert_eq!(terrain(front), Some("gravel"), "a stall faces a lane");
                assert!(tagged("front", front) && tagged("busy", counter.cell));
                let over: Vec<&Item> = named(map, "awning");
                let over = over.iter().filter(|awning| awning.cell == counter.cell);
                assert_eq!(over.count(), 1, "an awning over each counter");
                front
            })
            .collect();
        for goods in ["crate", "basket"].into_iter().flat_map(|name| named(map, name)) {
            assert!(!fronts.contains(&goods.cell), "{seed}: goods stand in the way");
            let near = |c: &&Item| {
                c.cell.x.abs_diff(goods.cell.x) <= 1 && c.cell.y.abs_diff(goods.cell.y) <= 1
            };
            assert!(counters.iter().any(near));
        }
        let spaced = [("musician", 9.0_f64), ("post", 4.5), ("stalls", 2.9), ("outposts", 7.0)];
        for (name, least) in spaced {
            let own = |item: &&Item| *item.name == *name || &*item.pass == name;
            let all: Vec<&Item> = map.items().iter().filter(own).collect();
            for (number, a) in all.iter().enumerate() {
                for b in &all[number + 1..] {
                    let (dx, dy) = (a.cell.x.abs_diff(b.cell.x), a.cell.y.abs_diff(b.cell.y));
                    assert!(f64::from(dx * dx + dy * dy) >= least * least - 1e-6);
                }
            }
        }
        assert_eq!((named(map, "musician").len(), named(map, "pagoda").len()), (3, 1));
        for post in named(map, "post") {
            let hung = |lantern: &&Item| {
                lantern.cell == post.cell
                    && lantern.number == post.number
                    && lantern.pass == post.pass
            };
            let lanterns = named(map, "lantern");
            assert_eq!(lanterns.into_iter().filter(hung).count(), 1);
        }
        // A rope wherever the pond meets moss or tea, once a side.
        let ropes: BTreeSet<Spot> =
            named(map, "rope").iter().map(|rope| rope.spot(layout)).collect();
        let mut shores = BTreeSet::new();
        for cell in extent.iter().filter(|&cell| matches!(terrain(cell), Some("moss" | "tea"))) {
            for &side in layout.lattice().sides() {
                if layout.neighbour(cell, side).is_some_and(|c| terrain(c) == Some("pond")) {
                    shores.insert(Spot::new(layout, cell, Some(side)));
                }
            }
        }
        assert_eq!((ropes.len(), named(map, "rope").len()), (shores.len(), shores.len()));
        assert_eq!(ropes, shores);
        let groups: BTreeSet<&str> =
            map.items().iter().filter_map(|item| item.group.as_deref()).collect();
        assert_eq!(groups.into_iter().collect::<Vec<_>>(), ["green", "lights", "people", "stalls"]);
    }
}

#[test]
fn variants_come_out_alike_where_they_share_passes() {
    let plain = make(&open("market", None), "tea");
    let up = make(&open("market", Some("setting_up")), "tea");
    let open_now = make(&open("market", Some("open")), "tea");
    assert!(plain.map.terrain() == up.map.terrain() && plain.map.layers().eq(up.map.layers()));
    assert!(plain.map.items() == open_now.map.items());
    for name in ["counter", "post", "rope", "lily", "pagoda"] {
        assert!(named(&plain.map, name) == named(&up.map, name), "{name}");
    }
    assert!(named(&up.map, "awning").is_empty() && !named(&up.map, "bundle").is_empty());
    let rain = make(&open("market", Some("after_rain")), "tea");
    assert!(named(&plain.map, "counter") == named(&rain.map, "counter"));
    assert!(plain.map.terrain() != rain.map.terrain());
}

/// A pass more, wherever it stands, leaves all others as they were.
#[test]
fn another_pass_changes_nothing_else() {
    let text = std::fs::read_to_string(folder("market").join("market.quilt.toml")).unwrap();
    let art = Folder::new(folder("market"));
    let read = |text: &str| Quilt::read(text, "market", &art).unwrap_or_else(|r| panic!("{r}"));
    let plain = make(&read(&text), "tea");
    let starts = || text.match_indices("[[recipe]]").map(|(at, _)| at);
    let with = |at: usize, extra: &str| {
        make(&read(&format!("{}[[recipe]]\n{extra}\n{}", &text[..at], &text[at..])), "tea").map
    };
    // Chance of its own, wherever it comes.
    for at in starts() {
        let extra =
            "pass = \"noise\"\nname = \"more\"\nbands = [{ share = 0.5, tag = \"more\" }]\n";
        let mut more = with(at, extra);
        more.set_tag("more", None);
        more.origin.hash.clone_from(&plain.map.origin.hash);
        assert!(more == plain.map, "at {at}");
    }
    let extra =
        "pass = \"place\"\nname = \"more\"\nwhat = \"leaf\"\nchance = 0.5\noverlap = true\n";
    let more = with(starts().last().unwrap(), extra);
    let kept: Vec<&Item> = more.items().iter().filter(|item| &*item.pass != "more").collect();
    assert!(kept == plain.map.items().iter().collect::<Vec<_>>());
    assert!(kept.len() < more.items().len());
}

#[test]
fn every_hillside_has_its_strata_in_order() {
    let quilt = open("hillside", None);
    let extent = quilt.layout.extent();
    for seed in 0..20 {
        let map = make(&quilt, &seed.to_string()).map;
        let terrain = |x: i32, y: i32| map.terrain().unwrap().at(Cell::new(x, y), extent);
        let mut before: Option<i32> = None;
        for x in 0..extent.width() as i32 {
            let column: Vec<&str> =
                (0..extent.height() as i32).map(|y| terrain(x, y).unwrap()).collect();
            let surface = column.iter().position(|one| *one != "night").unwrap() as i32;
            assert!(before.is_none_or(|before| before.abs_diff(surface) <= 2), "{seed}: {x}");
            before = Some(surface);
            // Hollows apart, each column goes through the strata in their order, none thinner than it is.
            let order = ["night", "roots", "clay", "spring"];
            let ranks: Vec<usize> = column
                .iter()
                .filter_map(|one| order.iter().position(|known| known == one))
                .collect();
            assert!(ranks.is_sorted(), "{seed}: {column:?}");
            assert_eq!(column.iter().filter(|one| **one == "roots").count(), 3);
        }
        for lantern in named(&map, "lantern") {
            assert_eq!(terrain(lantern.cell.x, lantern.cell.y), Some("hollow"));
        }
        assert_eq!(named(&map, "moon").len(), 1);
    }
}

/// What might be written in place of any value.
const SLIPS: [&str; 22] = [
    "-1",
    "0",
    "1",
    "3",
    "0.5",
    "-0.5",
    "1e9",
    "-1e300",
    "nan",
    "inf",
    "99999999999999",
    "\"x\"",
    "\"\"",
    "\"moss\"",
    "\"lantern\"",
    "\"random\"",
    "[]",
    "[1, 2]",
    "[0.1, 900]",
    "{}",
    "true",
    "{ terrain = \"pond\" }",
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    /// Slips of any kind are told of, or make some map; nothing panics and nothing runs away.
    #[test]
    fn slips_in_a_recipe_are_told_of(
        hillside: bool, slips in prop::collection::vec((any::<prop::sample::Index>(), 0..SLIPS.len()), 1..4),
        seed: u8,
    ) {
        let name = if hillside { "hillside" } else { "market" };
        let text = std::fs::read_to_string(folder(name).join(format!("{name}.quilt.toml"))).unwrap();
        let mut text: Vec<String> = text.lines().map(str::to_owned).collect();
        let from = text.iter().position(|line| line == "[[recipe]]").unwrap();
        let said: Vec<usize> =
            (from..text.len()).filter(|&line| text[line].contains(" = ")).collect();
        for (place, slip) in slips {
            let line = &mut text[said[place.index(said.len())]];
            // One of the values of the line, from its sign to the next end of a value.
            let signs: Vec<usize> = line.match_indices(" = ").map(|(at, _)| at + 3).collect();
            let at = signs[place.index(signs.len())];
            let open = line[at..].starts_with(['{', '[', '"']);
            let end = if open { line.len() } else { line[at..].find([',', ' ']).map_or(line.len(), |end| at + end) };
            line.replace_range(at..end, SLIPS[slip]);
        }
        if let Ok(quilt) = Quilt::read(&text.join("\n"), name, &Folder::new(folder(name))) {
            let mut maker = quilt.maker(quilt.layout, &Seed::from_text(&seed.to_string()));
            if let Err(error) = maker.make() {
                // A pass may turn out to have nowhere to start: that names the pass.
                prop_assert!(error.pass().is_some() && !error.with_causes().is_empty());
                return Ok(());
            }
            let made = maker.finish();
            let mut data = Vec::new();
            write_json(&made.map, &mut data).unwrap();
            prop_assert!(lantern_quilt::files::read_json(&data[..]).unwrap() == made.map);
            #[cfg(feature = "draw")]
            {
                let options = lantern_quilt::draw::DrawOptions::default();
                lantern_quilt::draw::draw(&made.map, &quilt.art, &options).unwrap();
            }
        }
    }
}
