//! What holds of the whole map, as quilts say it: what is read, and each mistake with its place.

use super::*;
use lantern_quilt::constraints::{Area, Connected};
use lantern_quilt::limits::Climb;
use lantern_quilt::solve::{Order, Outcome};
use lantern_quilt::verify::verify;

const GARDEN: &str = r##"quilt = 1
map = { lattice = "square", size = [18, 12] }
sockets = { moss = {}, path = {} }
[tiles]
moss = { sides = "moss", colour = "#2f6b3a", weight = 9 }
lamp = { sides = "moss", colour = "#f0a028" }
lane = { sides = { north = "path", east = "moss", south = "path", west = "moss" }, turns = 2, tags = ["walk"], colour = "#8a8478" }
bend = { sides = { north = "path", east = "path", south = "moss", west = "moss" }, turns = 4, tags = ["walk"], colour = "#8a8478" }
gate = { sides = { north = "path", east = "moss", south = "moss", west = "moss" }, turns = 4, tags = ["walk"], colour = "#b04a32" }
[[recipe]]
pass = "collapse"
"##;

fn garden(more: &str) -> Result<Quilt, lantern_quilt::files::Report> {
    read(&format!("{GARDEN}{more}"))
}

/// Every form is read, and maps keep it, by the judge that shares nothing with the fill.
#[rstest]
#[case::one_piece(
    "connected = { tag = \"walk\", over = \"path\" }\ncounts = [{ tag = \"walk\", least = 12 }]"
)]
#[case::by_touch("connected = [{ tile = \"lamp\" }]\ncounts = [{ tile = \"lamp\", least = 9 }]")]
#[case::two_pieces(
    "connected = { tag = \"walk\", over = [\"path\"], regions = 2 }\nclimb = \"reopen\"\npatience = 5000"
)]
#[case::from_the_border(
    "connected = { tag = \"walk\", over = \"path\", from = { border = [0, 0] } }\ncounts = [{ tag = \"walk\", least = 12 }]"
)]
#[case::from_a_cell(
    "connected = { tag = \"walk\", over = \"path\", from = { at = [4, 4] } }\ncounts = [{ tag = \"walk\", least = 12 }]"
)]
#[case::closed("closed = { socket = \"path\" }")]
#[case::closed_but("closed = [{ socket = \"path\", except = { tile = \"gate\" } }]")]
#[case::apart(
    "distance = { tile = \"lamp\", to = { tile = \"lamp\" }, least = 4 }\ncounts = [{ tile = \"lamp\", least = 5 }]"
)]
#[case::near(
    "distance = [{ tag = \"walk\", to = { tile = \"lamp\" }, most = 3 }]\ncounts = [{ tag = \"walk\", least = 9 }]"
)]
#[case::centre("order = { from = \"centre\" }")]
#[case::spread(
    "order = { spread = { filler = \"moss\", socket = \"path\" } }\npins = [{ at = [9, 6], tile = \"bend\" }]"
)]
fn maps_keep_what_is_said(#[case] more: &str) {
    let quilt = garden(more).unwrap_or_else(|report| panic!("{report}"));
    let collapse = quilt.collapse().unwrap();
    for seed in 0..5 {
        let made = quilt.make(&Seed::from_number(seed)).unwrap_or_else(|error| panic!("{error}"));
        let layer = made.map.layers().next().unwrap();
        let breaks =
            verify(layer, quilt.layout, |_| true, collapse.tileset(), collapse.constraints());
        assert_eq!(breaks, [], "{more}");
    }
}

#[test]
fn what_is_said_is_read() {
    let quilt = garden(
        "connected = { tag = \"walk\", over = \"path\", from = { x = [0, 0] } }\norder = { spread = { filler = \"moss\" } }\npins = [{ at = [0, 0], tile = \"gate\" }]",
    );
    let quilt = quilt.unwrap_or_else(|report| panic!("{report}"));
    let collapse = quilt.collapse().unwrap();
    let Connected { over, regions, from, .. } = &collapse.constraints().connected[0];
    assert!(matches!((over.len(), regions, from), (1, 1, Some(Area::Between { .. }))));
    assert_eq!(collapse.search.order, Order::Spread(collapse.tileset().find("moss").unwrap()));
}

#[rstest]
#[case::tag("connected = { tag = \"wolk\" }", "12:21: error[unknown-name] no tag is named `wolk`")]
#[case::over(
    "connected = { tag = \"walk\", over = \"pth\" }",
    "12:36: error[unknown-name] no socket is named `pth`"
)]
#[case::nothing(
    "connected = { over = \"path\" }",
    "12:13: error[missing-key] `connected` names no tiles"
)]
#[case::over_nothing(
    "connected = { tile = \"lamp\", over = \"path\" }",
    "12:13: error[bad-value] none of these tiles shows what they hang together by"
)]
#[case::no_regions(
    "connected = { tag = \"walk\", regions = 0 }",
    "12:39: error[bad-value] `regions` is 0, out of its range"
)]
#[case::both(
    "connected = { tag = \"walk\", regions = 2, from = { border = [0, 0] } }",
    "error[bad-value] `from` and `regions` are two ways to say how many pieces there are"
)]
#[case::from_outside(
    "connected = { tag = \"walk\", from = { at = [18, 0] } }",
    "12:43: error[outside-map] (18, 0) lies outside the map"
)]
#[case::from_both(
    "connected = { tag = \"walk\", from = { where = { tag = \"walk\" }, at = [1, 0] } }",
    "error[unknown-key]"
)]
#[case::from_what(
    "connected = { tag = \"walk\", from = { where = { layr = \"ground\" } } }",
    "error[unknown-key] unknown key `layr`"
)]
#[case::from_where_none_can_stand(
    "connected = { tag = \"walk\", from = { at = [0, 0] } }\npins = [{ at = [0, 0], tile = \"lamp\" }]",
    "12:13: error[no-start] nothing that hangs together may stand where it is to begin"
)]
#[case::one_is_cut_off(
    "connected = { tile = [\"lane\", \"lamp\"], over = \"path\" }",
    "12:13: warning[cut-off] `lamp` is to hang together with others, but nothing that may stand beside it does"
)]
#[case::from_nothing(
    "order = { spread = { filler = \"moss\" } }",
    "12:9: error[no-start] nothing is placed that the fill could spread from"
)]
#[case::uneven(
    "only = { tile = [\"moss\", \"gate\"] }\nborder = { all = { socket = \"moss\" } }\ncounts = [{ tile = \"gate\", turned = 1, least = 3 }, { tile = \"gate\", turned = 3, most = 1 }]",
    "14:11: error[count-unmet] with these counts at least 2 more `path` sides look east than west, and each needs one that looks back"
)]
#[case::closed_tile("closed = { socket = \"path\", tile = \"gate\" }", "error[unknown-key]")]
#[case::closed_socket(
    "closed = { socket = \"pat\" }",
    "12:21: error[unknown-name] no socket is named `pat`"
)]
#[case::except(
    "closed = { socket = \"path\", except = { tile = \"gat\" } }",
    "error[unknown-name] no tile is named `gat`"
)]
#[case::no_steps(
    "distance = { tile = \"lamp\", to = { tile = \"lamp\" } }",
    "12:12: error[missing-key] a distance needs `least`, `most` or both"
)]
#[case::to_nothing("distance = { tile = \"lamp\", least = 2 }", "error[missing-key]")]
#[case::too_far(
    "distance = { tile = \"lamp\", to = { tile = \"lamp\" }, least = 29 }",
    "error[bad-value] no two cells of this map are 29 steps apart"
)]
#[case::backwards(
    "distance = { tile = \"lamp\", to = { tile = \"lamp\" }, least = 5, most = 3 }",
    "error[bad-value] at least 5 and at most 3 steps cannot both be"
)]
#[case::place(
    "order = { from = \"center\" }",
    "12:18: error[unknown-name] no place is named `center`"
)]
#[case::filler(
    "order = { spread = { filler = \"mos\" } }",
    "error[unknown-name] no tile is named `mos`"
)]
#[case::no_filler("order = { spread = { socket = \"path\" } }", "error[missing-key]")]
#[case::own_socket(
    "order = { spread = { filler = \"moss\", socket = \"moss\" } }",
    "error[bad-value] `moss` shows `moss`, so nothing spreads over it"
)]
#[case::not_beside_itself(
    "order = { spread = { filler = \"gate\" } }",
    "error[bad-value] `gate` does not meet itself, so it cannot fill what is left"
)]
fn a_mistake_is_reported_with_its_place(#[case] more: &str, #[case] want: &str) {
    let report = match garden(more) {
        Ok(quilt) => quilt.findings,
        Err(report) => report,
    };
    assert!(report.to_string().contains(want), "{report}\nwanted {want}");
    assert_eq!(report.findings.len(), 1, "{report}");
}

/// What cannot be is said with the rule that cannot be kept.
#[rstest]
#[case::pieces(
    "connected = { tag = \"walk\", over = \"path\" }\nonly = { tile = [\"moss\", \"lane\"] }\npins = [{ at = [1, 3], tile = \"lane\", turned = 0 }, { at = [6, 3], tile = \"lane\", turned = 0 }]",
    "`connected` demands one connected piece; what stands near"
)]
#[case::two_lamps(
    "distance = { tile = \"lamp\", to = { tile = \"lamp\" }, least = 9 }\npins = [{ at = [1, 1], tile = \"lamp\" }, { at = [4, 1], tile = \"lamp\" }]",
    "a distance demands at least 9 steps; what stands at"
)]
fn what_cannot_be_is_refused(#[case] more: &str, #[case] rule: &str) {
    let quilt = garden(more).unwrap_or_else(|report| panic!("{report}"));
    let mut collapse = quilt.collapse().unwrap().clone();
    collapse.search.climb = Climb::Reopen;
    let mut run = collapse.job(quilt.layout, &quilt.seed).begin().unwrap();
    let Outcome::Impossible(at) = run.fill().clone() else { panic!("{:?}", run.outcome()) };
    let told = lantern_quilt::explain::explain(&at, run.space(), run.rules(), collapse.tileset());
    let text = told.to_string();
    assert!(text.contains(rule), "{text}");
}

/// Two rules that leave nothing together are both named, each with its line.
#[rstest]
#[case::piece_with_many_ends(
    "connected = { tag = \"walk\", over = \"path\" }\ncounts = [{ tile = \"gate\", least = 3 }]",
    &["a count (a.quilt.toml:13:11)", "`connected` (a.quilt.toml:12:13)"]
)]
#[case::distance_and_count(
    "distance = { tile = \"lamp\", to = { tile = \"lamp\" }, least = 4 }\ncounts = [{ tile = \"lamp\", least = 5 }]",
    &["a count (a.quilt.toml:13:11)", "a distance (a.quilt.toml:12:12)"]
)]
fn rules_that_leave_nothing_are_both_named(#[case] more: &str, #[case] want: &[&str]) {
    let text = format!("{GARDEN}{more}\nborder = {{ all = {{ socket = \"moss\" }} }}");
    let quilt =
        read(&text.replace("[18, 12]", "[4, 4]")).unwrap_or_else(|report| panic!("{report}"));
    let mut collapse = quilt.collapse().unwrap().clone();
    collapse.search.climb = Climb::Proof;
    let mut run = collapse.job(quilt.layout, &quilt.seed).begin().unwrap();
    assert!(matches!(run.fill(), Outcome::Impossible(_)), "{:?}", run.outcome());
    let limits = lantern_quilt::limits::Limits::default();
    let blame = quilt.blame(&run, Climb::Proof, &limits, &lantern_quilt::limits::Never).unwrap();
    let told = blame.to_string();
    assert!(want.iter().all(|line| told.contains(line)), "{told}");
}

/// Pieces begin where the map before the fill has what the condition asks for, whatever the seed.
#[test]
fn pieces_begin_where_a_condition_holds() {
    let text = GARDEN.replace(
        "[[recipe]]\n",
        "[[recipe]]\npass = \"tag\"\nadd = \"gates\"\nwhere = { x = [0, 0] }\n\n[[recipe]]\n",
    );
    let more = "connected = { tag = \"walk\", over = \"path\", from = { where = { tag = \"gates\" } } }\n\
                counts = [{ tag = \"walk\", least = 12 }]";
    let quilt = read(&format!("{text}{more}")).unwrap_or_else(|report| panic!("{report}"));
    let collapse = quilt.collapse().unwrap();
    let mut from_area = collapse.constraints().clone();
    from_area.connected[0].from = Some(Area::Between {
        least: lantern_quilt::lattice::Cell::new(0, 0),
        most: lantern_quilt::lattice::Cell::new(0, 11),
    });
    for seed in 0..5 {
        let seed = Seed::from_number(seed);
        let made = quilt.make(&seed).unwrap_or_else(|error| panic!("{error}"));
        let layer = made.map.layers().next().unwrap();
        let worked_out = collapse.worked_out(&made.map, &seed);
        for judged in [&from_area, worked_out.constraints()] {
            let breaks = verify(layer, quilt.layout, |_| true, collapse.tileset(), judged);
            assert_eq!(breaks, []);
        }
    }
}
