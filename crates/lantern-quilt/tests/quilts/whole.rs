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
        "connected = { tag = \"walk\", over = \"path\", from = { x = [0, 0] } }\norder = { spread = { filler = \"moss\" } }",
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
    let report = garden(more).unwrap_err();
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
