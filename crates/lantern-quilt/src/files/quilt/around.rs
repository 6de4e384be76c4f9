//! Drawings of neighbourhoods: one sign a neighbour, laid out as the cells lie.

use super::cursor::{Notes, Value};
use super::terrains::Key;
#[cfg(feature = "draw")]
use lantern_quilt_core::autotile::MOST_KINDS;
use lantern_quilt_core::autotile::{Drawing, Scheme, ShapeBasis, Sign};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::lattice::Lattice;

/// The cell itself.
const HERE: usize = usize::MAX;

/// Which slot each place of each row is.
fn layout(scheme: Scheme, lattice: Lattice) -> &'static [&'static [usize]] {
    match (scheme, lattice) {
        (Scheme::Four, _) => &[&[0], &[3, HERE, 1], &[2]],
        (Scheme::Dual, _) => &[&[3, 0], &[2, 1]],
        (Scheme::Eight, _) => &[&[7, 0, 1], &[6, HERE, 2], &[5, 4, 3]],
        (Scheme::Six, Lattice::HexFlat) => &[&[0], &[5, 1], &[HERE], &[4, 2], &[3]],
        (Scheme::Six, _) => &[&[5, 0], &[4, HERE, 1], &[3, 2]],
    }
}

/// An empty drawing of a scheme, to show what is meant.
fn example(scheme: Scheme, lattice: Lattice) -> String {
    let row = |row: &&[usize]| {
        let sign = |&slot: &usize| if slot == HERE { "o" } else { "?" };
        row.iter().map(sign).collect::<Vec<_>>().join(" ")
    };
    layout(scheme, lattice).iter().map(row).collect::<Vec<_>>().join(" / ")
}

/// A drawing as quilts write it, row by row; nothing where a terrain has no letter.
#[cfg(feature = "draw")]
pub(super) fn written(
    drawing: &Drawing,
    scheme: Scheme,
    lattice: Lattice,
    of: &ShapeBasis,
    key: &Key,
) -> Option<Vec<String>> {
    let (same, all) = (of.same(), Sign::MAX >> (MOST_KINDS - of.kinds()));
    let letter = |sign: Sign| {
        let (ShapeBasis::Terrain { kinds, .. } | ShapeBasis::Blend(kinds)) = of else {
            return None;
        };
        let mut letters = key.letters.iter();
        letters.find(|(_, name)| kinds.only(name) == Some(sign)).map(|(letter, _)| *letter)
    };
    // Without a letter a terrain is still one that is joined, or not.
    let is_told_by_joins = match of {
        ShapeBasis::Blend(kinds) => kinds.named().len() == 2,
        _ => true,
    };
    let sign_of = |slot: usize| match drawing.sign(slot) & all {
        sign if sign == all => Some('?'),
        sign if sign == same & all => Some('#'),
        sign if sign == !same & all => Some('.'),
        0b100 if matches!(of, ShapeBasis::Heights(_)) => Some('+'),
        0b010 if matches!(of, ShapeBasis::Heights(_)) => Some('='),
        0b001 if matches!(of, ShapeBasis::Heights(_)) => Some('-'),
        sign => {
            letter(sign).or(is_told_by_joins.then_some(if sign & same != 0 { '#' } else { '.' }))
        }
    };
    let rows = layout(scheme, lattice);
    let widest = rows.iter().map(|row| row.len()).max().unwrap_or(0);
    rows.iter()
        .map(|row| {
            let signs: Option<Vec<String>> = row
                .iter()
                .map(|&slot| Some(if slot == HERE { 'o' } else { sign_of(slot)? }.to_string()))
                .collect();
            Some(format!("{}{}", " ".repeat(widest - row.len()), signs?.join(" ")))
        })
        .collect()
}

/// The terrains that letters of a drawing name.
pub(super) fn named(text: &str, key: &Key) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for name in text.chars().filter_map(|letter| key.letters.get(&letter)) {
        if !names.contains(name) {
            names.push(name.clone());
        }
    }
    names
}

/// Reads a drawing: `#` joined, `.` not joined, `?` either, a letter for one terrain; of heights `+`
/// higher, `=` as high, `-` lower. The cell itself is `o`.
pub(super) fn read_drawing(
    value: &Value<'_>,
    scheme: Scheme,
    lattice: Lattice,
    of: &ShapeBasis,
    key: &Key,
    notes: &mut Notes,
) -> Option<Drawing> {
    let text = value.text(notes)?;
    let rows: Vec<Vec<char>> = text
        .lines()
        .map(|line| line.chars().filter(|sign| !sign.is_whitespace()).collect())
        .filter(|row: &Vec<char>| !row.is_empty())
        .collect();
    let mut wrong = |text: String, help: String| {
        notes.add(
            Finding::new(Code::BadValue, value.subject(), text).help(help),
            value.span.clone(),
        );
    };
    let places = layout(scheme, lattice);
    let fits = rows.len() == places.len()
        && rows.iter().zip(places).all(|(row, places)| row.len() == places.len());
    if !fits {
        let listed = |counts: Vec<usize>| -> String {
            counts.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ")
        };
        let text = format!(
            "a drawing of `{scheme}` has rows of {} signs, not {}",
            listed(places.iter().map(|row| row.len()).collect()),
            listed(rows.iter().map(Vec::len).collect())
        );
        let example = example(scheme, lattice);
        let help = format!("write one sign a neighbour, each row on a line of its own: {example}");
        wrong(text, help);
        return None;
    }
    let same = of.same();
    let heights = matches!(of, ShapeBasis::Heights(_));
    let mut signs = [Sign::MAX; 8];
    for (&sign, &slot) in rows.iter().flatten().zip(places.iter().copied().flatten()) {
        let means = match sign {
            'o' if slot == HERE => continue,
            '#' => Some(same),
            '.' => Some(!same),
            '?' => Some(Sign::MAX),
            '+' if heights => Some(0b100),
            '=' if heights => Some(0b010),
            '-' if heights => Some(0b001),
            letter => key.letters.get(&letter).and_then(|name| match of {
                ShapeBasis::Terrain { kinds, .. } | ShapeBasis::Blend(kinds) => kinds.only(name),
                ShapeBasis::Heights(_) => None,
            }),
        };
        match means {
            Some(means) if slot != HERE => signs[slot] = means,
            _ => {
                let letters: Vec<String> = key.letters.keys().map(char::to_string).collect();
                let allowed = match (heights, slot == HERE) {
                    (_, true) => "the middle is `o`".to_owned(),
                    (true, _) => "# . ? + = -".to_owned(),
                    _ => format!("# . ? {}", letters.join(" ")),
                };
                let text = format!("`{sign}` is not in the key of this drawing");
                wrong(text, format!("write {allowed}"));
                return None;
            }
        }
    }
    Some(Drawing::new(&signs).relaxed(scheme, same))
}
