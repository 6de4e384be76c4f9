//! Pins, limits, shades and lists of pairs.

use super::*;
use lantern_quilt::passes::ShadeBy;
use sides::OPEN;

/// More keys of the pass, and lists after it.
const PLACES: &str = r##"pins = [{ at = [0, 4], tile = "bend", turned = 1 }]
limits = [
  { tag = "green", inside = { x = [-2, 1], y = [3, 5] } },
  { tile = "bend", turned = 2, outside = { border = [0, 0] } },
  { socket = "edge", inside = { mask = "mask.png", colour = "#00c807" } },
]
shades = [{ tile = ["hedge", "rim"], by = "grey.png" }]
[[forbid]]
what = { tile = "bend", turned = 1, mirrored = true }
beside = { socket = "moss" }
on = ["north", "east"]
[[allow]]
what = { tag = "green" }
beside = { tile = ["bend", "rim"] }
"##;

fn with_places(good: &str, bad: &str) -> Result<Quilt, Report> {
    assert!(PLACES.contains(good));
    read(&format!("{GOOD}{}", PLACES.replacen(good, bad, 1)))
}

#[test]
fn places_and_lists_mean_what_they_say() {
    use lantern_quilt::constraints::{Area, Keep, Selector};
    let quilt = with_places("", "").unwrap_or_else(|report| panic!("{report}"));
    let (set, constraints) =
        (quilt.collapse().unwrap().tileset(), quilt.collapse().unwrap().constraints());
    let tile = |name: &str| Accept::Tile(set.find(name).unwrap());
    let turned = |turns, mirrored| Some(Orientation::new(Lattice::Square, turns, mirrored));
    let pin = constraints.pins[0];
    assert_eq!((pin.cell, pin.orientation), (Cell::new(0, 4), turned(1, false)));
    let [green, bend, edge] = &constraints.areas[..] else { panic!("three limits") };
    let corner = |x, y| Cell::at(x, y, if x == -2 { i32::MIN } else { i32::MAX });
    assert_eq!(green.area, Area::Between { least: corner(-2, 3), most: corner(1, 5) });
    assert_eq!([green.keep, bend.keep, edge.keep], [Keep::Inside, Keep::Outside, Keep::Inside]);
    assert_eq!(bend.area, Area::FromBorder { least: 0, most: 0 });
    assert_eq!(bend.kinds, [Selector { what: tile("bend"), orientation: turned(2, false) }]);
    let Area::Cells(cells) = &edge.area else { panic!("a mask") };
    let diagonal = (0..4).map(|n| Cell::new(n - 2, n + 3));
    assert_eq!(cells.iter().collect::<Vec<_>>(), diagonal.collect::<Vec<_>>());
    let shade = &quilt.collapse().unwrap().shades[0];
    assert_eq!(shade.kinds, [Selector::any(tile("hedge")), Selector::any(tile("rim"))]);
    let ShadeBy::Plane(plane) = &shade.by else { panic!("a picture") };
    let row: Vec<u8> = plane.rows().next().unwrap().to_vec();
    assert_eq!(row, [0, 40, 80, 120, 160, 200]);
    // Lists are kept with what is allowed first.
    let [allow, forbid] = &constraints.pairs[..] else { panic!("two lists") };
    assert!(allow.allow && !forbid.allow);
    assert_eq!((allow.sides.len(), &forbid.sides[..]), (4, &[Side::North, Side::East][..]));
    assert_eq!(forbid.from, [Selector { what: tile("bend"), orientation: turned(1, true) }]);
    assert_eq!(quilt.pictures, ["tiles.png", "mask.png", "grey.png"]);
}

#[rstest]
#[case("[0, 4]", "[9, 4]", "error[outside-map] (9, 4) lies outside the map")]
#[case("[0, 4]", "[0]", "error[bad-value] `at` needs 2 numbers, not 1")]
#[case("at = [0, 4], ", "", "error[missing-key] `recipe.0.pins.0` has no `at`")]
#[case(
    "tile = \"bend\", turned = 1 }",
    "tile = \"band\" }",
    "error[unknown-name] no tile is named `band`"
)]
#[case("turned = 1 }", "turned = 4 }", "error[bad-turns] `turned` is 4, out of its range")]
#[case(
    "inside = { x = [-2, 1], y = [3, 5] } ",
    "",
    "error[missing-key] a limit is `inside` or `outside` of an area, or `fills` it"
)]
#[case("x = [-2, 1]", "x = [1, -2]", "error[bad-value] `x` runs backwards, from 1 to -2")]
#[case(
    "x = [-2, 1], y = [3, 5]",
    "x = [-2, 1], border = [0, 1]",
    "error[bad-value] an area takes exactly one of these keys"
)]
#[case("x = [-2, 1], y = [3, 5]", "", "error[bad-value] an area takes exactly one of these keys")]
#[case("{ tag = \"green\", inside", "{ inside", "error[missing-key] `limits` names no tiles")]
#[case("border = [0, 0]", "border = [-1, 0]", "error[bad-value] `border` is -1, out of its range")]
#[case(
    "\"#00c807\"",
    "\"#00c808\"",
    "error[bad-value] the mask has no pixel of the colour #00c808"
)]
#[case("\"#00c807\"", "\"green\"", "error[bad-value] `green` is not a colour")]
#[case(", colour = \"#00c807\"", "", "error[missing-key] a mask needs a colour")]
#[case(
    "\"mask.png\"",
    "\"wide.png\"",
    "error[picture-size] `wide.png` is 8 x 4 pixels, the map 6 x 4 cells"
)]
#[case(
    "\"grey.png\"",
    "\"gray.png\"",
    "error[missing-art] picture `gray.png`: no such file: gray.png"
)]
#[case("by = \"grey.png\"", "", "error[missing-key] `recipe.0.shades.0` has no `by`")]
#[case("\"north\", \"east\"", "\"nort\"", "error[unknown-side] a square cell has no side `nort`")]
#[case("beside = { socket = \"moss\" }", "", "error[missing-key] `forbid.0` has no `beside`")]
#[case(
    "what = { tag = \"green\" }",
    "what = { tag = \"grene\" }",
    "error[unknown-name] no tag is named `grene`"
)]
#[case("on = [", "in = [", "error[unknown-key] unknown key `in` in `forbid.0`")]
fn a_mistake_in_places_or_lists_is_reported(
    #[case] good: &str,
    #[case] bad: &str,
    #[case] want: &str,
) {
    let report = with_places(good, bad).expect_err("a mistake");
    let lines = report.to_string();
    assert!(lines.lines().any(|line| line.ends_with(want)), "{lines}\nwanted {want}");
    assert!(lines.lines().all(|line| line.starts_with("a.quilt.toml:")), "{lines}");
}

#[rstest]
#[case::allowed_anyway("allow", "tile = \"moss\"", "tile = \"moss\"", "", Some("allows nothing"))]
#[case::allowed_anew("allow", "tile = \"moss\"", "tile = \"cliff\"", "", None)]
#[case::forbidden_anyway(
    "forbid",
    "tile = \"path\"",
    "tile = \"cliff\"",
    "",
    Some("forbids nothing")
)]
#[case::forbidden_anew("forbid", "tile = \"moss\"", "tile = \"moss\"", "on = \"north\"", None)]
#[case::only_on_other_sides(
    "forbid",
    "tile = \"path\"",
    "tile = \"moss\"",
    "on = \"north\"",
    Some("forbids nothing")
)]
#[case::on_its_sides("forbid", "tile = \"path\"", "tile = \"moss\"", "on = \"east\"", None)]
fn a_list_that_changes_nothing_is_named(
    #[case] key: &str,
    #[case] what: &str,
    #[case] beside: &str,
    #[case] on: &str,
    #[case] want: Option<&str>,
) {
    let list = format!("[[{key}]]\nwhat = {{ {what} }}\nbeside = {{ {beside} }}\n{on}\n");
    let quilt = drawn(&format!("{OPEN}{list}"));
    let said = quilt.findings.to_string();
    match want {
        None => assert_eq!(said, ""),
        Some(want) => {
            let place = format!("a.quilt.toml:{}:", OPEN.lines().count() + 1);
            assert!(said.starts_with(&place) && said.lines().count() == 1, "{said}");
            assert!(said.contains(want) && said.contains("[idle-list]"), "{said}");
        }
    }
}
