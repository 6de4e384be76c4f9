//! Shares of tiles: what fills reach, what is refused, and what `check` finds.

use super::*;
use lantern_quilt::audit::shares::reached_shares;
use lantern_quilt::audit::trial::Trials;
use lantern_quilt::finding::Code;
use lantern_quilt::id::{IdVec, TileId};
use lantern_quilt::solve::Outcome;

/// Moss with lanes and a pond of two cells, of which `tiles` gives some a share.
fn text(tiles: [&str; 4], pass: &str) -> String {
    let [moss, lane, bend, pond] = tiles;
    format!(
        "quilt = 1\nmap = {{ lattice = \"square\", size = [110, 90] }}\n\
         sockets = {{ moss = {{}}, path = {{}}, gate = {{}} }}\n[tiles]\n\
         moss = {{ colour = \"#2f6b3a\", sides = \"moss\", {moss} }}\n\
         lane = {{ colour = \"#8a7a5a\", sides = {{ north = \"path\", south = \"path\", east = \"moss\", \
         west = \"moss\" }}, turns = 2, {lane} }}\n\
         bend = {{ colour = \"#9a8a6a\", sides = {{ north = \"path\", east = \"path\", south = \"moss\", \
         west = \"moss\" }}, turns = 4, {bend} }}\n\
         pond = {{ colour = \"#2a4a8a\", sides = \"moss\", span = [2, 1], {pond} }}\n\
         [[recipe]]\npass = \"collapse\"\nname = \"ground\"\n{pass}\n"
    )
}

fn read(tiles: [&str; 4], pass: &str) -> Result<Quilt, Report> {
    Quilt::read(&text(tiles, pass), "s.quilt.toml", &pictures())
}

const LANES: [&str; 4] = ["", "share = 0.3", "share = 0.25", "share = 0.1"];

/// How many cells each tile has in a fill.
fn filled(quilt: &Quilt) -> IdVec<TileId, u64> {
    let fill = quilt.collapse().unwrap();
    let mut run = fill.job(quilt.layout, &Seed::from_number(5)).begin().unwrap();
    assert_eq!(run.fill(), &Outcome::Filled);
    let mut cells: IdVec<TileId, u64> = fill.tileset().tiles().ids().map(|_| 0).collect();
    for pose in quilt.layout.extent().iter().filter_map(|cell| run.decided(cell)) {
        cells[run.rules().poses()[pose].tile] += 1;
    }
    cells
}

#[rstest]
#[case::by_entropy(LANES, "")]
#[case::by_rows(LANES, "order = \"rows\"")]
#[case::all(["share = 0.5", "share = 0.2", "share = 0.2", "share = 0.1"], "")]
#[case::rare(["", "share = 0.2", "share = 0.15", "share = 0.05"], "")]
fn fills_come_to_the_shares(#[case] tiles: [&str; 4], #[case] pass: &str) {
    let quilt = read(tiles, pass).unwrap_or_else(|report| panic!("{report}"));
    let fill = quilt.collapse().unwrap();
    assert!(fill.search.steer, "a share is to be met");
    let shares = reached_shares(fill.tileset(), &filled(&quilt));
    assert_eq!(shares.len(), tiles.iter().filter(|one| !one.is_empty()).count());
    for one in shares {
        assert!((one.reached - one.wanted).abs() < 0.015, "{one:?}");
    }
}

#[rstest]
#[case::nothing(["", "share = 0", "", ""], Code::BadShare, "6:", "remove the tile")]
#[case::all(["share = 1", "", "", ""], Code::BadShare, "5:", "leaves nothing for the other tiles")]
#[case::not_a_number(["share = nan", "", "", ""], Code::BadShare, "5:", "0.15 is 15 %")]
#[case::too_much(
    ["", "share = 0.6", "share = 0.5", ""],
    Code::BadShare,
    "7:",
    "the shares add up to 110 % of the cells"
)]
#[case::nothing_left(
    ["", "share = 0.6", "share = 0.4", ""],
    Code::BadShare,
    "7:",
    "leaves nothing for the others"
)]
#[case::no_rest(
    ["share = 0.2", "share = 0.2", "share = 0.2", "share = 0.2"],
    Code::BadShare,
    "8:",
    "there is no tile for the rest"
)]
#[case::both(["", "share = 0.2, weight = 3", "", ""], Code::BadValue, "6:", "keep `share`")]
#[case::word(["", "share = \"much\"", "", ""], Code::BadValue, "6:", "")]
fn shares_that_are_none_are_named(
    #[case] tiles: [&str; 4],
    #[case] code: Code,
    #[case] place: &str,
    #[case] help: &str,
) {
    let report = read(tiles, "").unwrap_err();
    let said = report.render(false, 200);
    let found = report.findings.iter().find(|one| one.finding.code == code);
    let found = found.unwrap_or_else(|| panic!("{said}"));
    let span = found.span.clone().unwrap();
    let (line, column) = report.place(&span).0.place(span.start);
    assert!(format!("{line}:{column}").starts_with(place), "{said}");
    let told = format!("{} {}", found.finding.message, found.finding.help);
    assert!(told.contains(help), "{told}");
}

/// Gates meet gates alone, so a map has gates everywhere or nowhere; shares that are in reach are not reported.
#[rstest]
#[case::reached("", &[])]
#[case::out_of_reach("[tiles.gate]\ncolour = \"#d98b3a\"\nsides = \"gate\"\nshare = 0.3", &["lane", "bend", "pond", "gate"])]
fn check_names_shares_that_maps_miss(#[case] more: &str, #[case] want: &[&str]) {
    let quilt = read(LANES, more).unwrap_or_else(|report| panic!("{report}"));
    let mut trials = Trials::default();
    trials.seeds = 6;
    let check = quilt.check(Some(&trials));
    let off = check.report.findings.iter().filter(|one| one.finding.code == Code::OffShare);
    let named: Vec<String> = off.map(|one| one.finding.subject.to_string()).collect();
    let want: Vec<String> = want.iter().map(|tile| format!("tiles.{tile}")).collect();
    assert_eq!(named, want, "{}", check.report.render(false, 200));
}

/// A bank drawn by hand: 63 % water, 22 % reed and 15 % moss, which water never touches.
const BANK: &str = "~~~~~~~~~r~~\n~~rr~~~~rr~~\n~rmmrr~~~~~~\n~rmmmmr~~~~~\n~~rmmmmr~~~~\n~~~rrmmmr~~~\n\
                    ~~~~~rmmmr~~\n~~r~~~rrr~~~\n~rrr~~~~~~~~\n";

/// Of three tiles one stands only inside another: as they fall it is hardly there, steered it has what the sample shows.
#[rstest]
#[case::steered(true, 0.03)]
#[case::as_they_fall(false, 1.0)]
fn samples_teach_shares(#[case] steer: bool, #[case] off: f64) {
    let text = format!(
        "quilt = 1\nmap = {{ lattice = \"square\", size = [128, 128] }}\n[tiles]\n\
         water = {{ colour = \"#1f3f74\" }}\nreed = {{ colour = \"#7f9a3c\" }}\nmoss = {{ colour = \"#2f6b3a\" }}\n\
         [keys.bank]\n\"~\" = \"water\"\nr = \"reed\"\nm = \"moss\"\n[[sample]]\nkey = \"bank\"\nturns = 4\n\
         text = \"\"\"\n{BANK}\"\"\"\n[[recipe]]\npass = \"collapse\"\norder = \"rows\"\nsteer = {steer}\n"
    );
    let quilt =
        Quilt::read(&text, "b.quilt.toml", &pictures()).unwrap_or_else(|report| panic!("{report}"));
    let fill = quilt.collapse().unwrap();
    let mut run = fill.job(quilt.layout, &quilt.seed).begin().unwrap();
    assert!(run.fill().is_filled());
    let tiles = [('~', "water"), ('r', "reed"), ('m', "moss")];
    let share = |tile: &str| {
        let tile = fill.tileset().find(tile).unwrap();
        let stand = quilt.layout.extent().iter().filter_map(|cell| run.decided(cell));
        stand.filter(|&pose| run.rules().poses()[pose].tile == tile).count() as f64 / 16384.0
    };
    for (letter, tile) in tiles {
        let wanted = BANK.matches(letter).count() as f64 / 108.0;
        let reached = share(tile);
        assert!((reached - wanted).abs() < off, "{tile}: {reached}, {wanted}");
        assert!(steer || tile != "moss" || reached < 0.05, "{tile}: {reached} as they fall");
    }
}

/// Shares of a pass: what each group comes to, and how tiles keep their weights within it.
#[rstest]
#[case::tag("shares = [{ tag = \"way\", share = 0.5 }]", &[("way", 0.5)])]
#[case::tiles("shares = [{ tile = [\"lane\", \"bend\"], share = 0.6 }]", &[("lane and bend", 0.6)])]
#[case::socket("shares = [{ socket = \"path\", share = 0.45 }]", &[("path", 0.45)])]
#[case::several(
    "shares = [{ tile = \"pond\", share = 0.1 }, { tag = \"way\", share = 0.5 }]",
    &[("way", 0.5), ("pond", 0.1)]
)]
#[case::by_rows("order = \"rows\"\nshares = [{ tag = \"way\", share = 0.55 }]", &[("way", 0.55)])]
fn groups_have_their_shares(#[case] pass: &str, #[case] want: &[(&str, f64)]) {
    let tiles = ["", "tags = [\"way\"], weight = 2", "tags = [\"way\"], weight = 1", ""];
    let quilt = read(tiles, pass).unwrap_or_else(|report| panic!("{report}"));
    let fill = quilt.collapse().unwrap();
    assert!(fill.search.steer);
    let set = fill.tileset();
    let weight = |name| set.tiles()[set.find(name).unwrap()].weight() as f64;
    assert!((weight("lane") / weight("bend") - 2.0).abs() < 0.01);
    let shares = reached_shares(set, &filled(&quilt));
    let named: Vec<(&str, f64)> = shares.iter().map(|one| (&*one.of, one.wanted)).collect();
    for ((name, share), (want, part)) in named.iter().zip(want) {
        assert!(name == want && (share - part).abs() < 1e-9, "{named:?}");
    }
    assert_eq!(named.len(), want.len());
    for one in shares {
        assert!((one.reached - one.wanted).abs() < 0.03, "{one:?}");
    }
}

/// As frequent as in the sample, tile by tile.
#[test]
fn a_pass_has_the_shares_of_its_samples() {
    let sample = "[[sample]]\nkey = { m = \"moss\", l = \"lane\" }\ntext = \"\"\"\nmlmm\nmlmm\nmlmm\n\"\"\"\n";
    let quilt = Quilt::read(
        &(text(["", "", "", ""], "shares = \"sample\"") + sample),
        "s.quilt.toml",
        &pictures(),
    );
    let quilt = quilt.unwrap_or_else(|report| panic!("{report}"));
    let set = quilt.collapse().unwrap().tileset();
    let shares = reached_shares(set, &filled(&quilt));
    let share = |name: &str| shares.iter().find(|one| one.of == name).unwrap();
    // Tiles that no sample shows keep the weight 1 of 14.
    for (name, part) in [("moss", 9.0 / 15.0), ("lane", 3.0 / 15.0)] {
        assert!((share(name).wanted - part).abs() < 0.05, "{shares:?}");
        assert!((share(name).reached - share(name).wanted).abs() < 0.03, "{shares:?}");
    }
}

#[rstest]
#[case::word("shares = \"much\"", Code::BadValue, "share = 0.15")]
#[case::no_sample("shares = \"sample\"", Code::BadShare, "[[sample]]")]
#[case::none("shares = [{ tag = \"way\", share = 0 }]", Code::BadShare, "remove the tile")]
#[case::all("shares = [{ tag = \"way\", share = 1.0 }]", Code::BadShare, "leaves nothing")]
#[case::twice(
    "shares = [{ tag = \"way\", share = 0.2 }, { tile = \"lane\", share = 0.1 }]",
    Code::BadShare,
    "keep one of them"
)]
#[case::own_as_well(
    "shares = [{ tile = \"pond\", share = 0.2 }]",
    Code::BadShare,
    "keep one of them"
)]
#[case::sum(
    "shares = [{ tag = \"way\", share = 0.6 }, { tile = \"moss\", share = 0.5 }]",
    Code::BadShare,
    "keep their sum"
)]
#[case::nameless("shares = [{ share = 0.2 }]", Code::MissingKey, "tile")]
#[case::unknown("shares = [{ tag = \"wey\", share = 0.2 }]", Code::UnknownName, "way")]
#[case::shareless("shares = [{ tag = \"way\" }]", Code::MissingKey, "share = 0.15")]
fn shares_of_passes_that_are_none_are_named(
    #[case] pass: &str,
    #[case] code: Code,
    #[case] help: &str,
) {
    let pond = if pass.contains("pond") { "share = 0.1" } else { "" };
    let tiles = ["", "tags = [\"way\"]", "tags = [\"way\"]", pond];
    let Err(report) = read(tiles, pass) else { panic!("a mistake") };
    let found =
        report.findings.iter().find(|one| one.finding.code == code).expect("such a finding");
    let said = format!("{} {:?}", found.finding.help, found.finding.nearest);
    assert!(said.contains(help) && found.span.is_some(), "{report} {said}");
}
