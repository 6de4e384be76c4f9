//! What a page knows from a quilt besides its map: passes with their lines, plans and rules.

use super::checked::Quilt;
use crate::draw::{FillNote, PageDetails, PassNote, PlanNote};
use lantern_quilt_core::passes::Plan;
use lantern_quilt_core::recipe::Pass;

impl Quilt {
    /// What a page shows of this quilt besides a map: each pass with its lines, plans, and the rules of fills.
    /// O(text + plans).
    pub fn page_details(&self) -> PageDetails {
        let passes = self.recipe.passes();
        let plan = |pass: &Pass| {
            let plan = pass.step_as::<Plan>()?.clone();
            Some(PlanNote { pass: pass.name.clone(), plan })
        };
        let fills = self.fills().filter(|(_, fill)| fill.coarse.is_none());
        let rules = fills.map(|(pass, fill)| FillNote {
            layer: pass.layer().to_owned(),
            collapse: fill.collapse.clone(),
        });
        PageDetails {
            passes: passes.iter().map(|pass| self.note_of(pass)).collect(),
            plans: passes.iter().filter_map(plan).collect(),
            fills: rules.collect(),
            ..PageDetails::default()
        }
    }

    fn note_of(&self, pass: &Pass) -> PassNote {
        let mut note = PassNote::new(&pass.name);
        let span = self.pass_paths.get(&pass.name).and_then(|path| self.places.find(path));
        if let Some(span) = span {
            let (file, inside) = self.findings.place(&span);
            note.at = Some(format!("{}:{}", file.name, file.place(inside.start).0));
            // A pass may also stand in a list, on one line with others.
            let alone = file.text[..inside.start].ends_with('[')
                || file.text[inside.start..].starts_with('[');
            note.text = if alone {
                table_from(&file.text, inside.start)
            } else {
                file.text[inside].to_owned()
            };
        }
        note
    }
}

/// The lines of the TOML table that is opened in the line of a byte: up to the next table that is not one of its own.
fn table_from(text: &str, start: usize) -> String {
    let begin = text[..start].rfind('\n').map_or(0, |at| at + 1);
    let mut lines = text[begin..].lines();
    let first = lines.next().unwrap_or_default();
    let name = first.trim().trim_matches(['[', ']']);
    let inner = format!("[{name}.");
    let mut kept = vec![first];
    kept.extend(lines.take_while(|line| {
        !line.starts_with('[') || line.trim_start_matches('[').starts_with(&inner[1..])
    }));
    // What stands above the next table belongs to that.
    while kept.last().is_some_and(|line| line.is_empty() || line.starts_with('#')) {
        kept.pop();
    }
    kept.join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::last("[[recipe]]\npass = \"walk\"\n", 0, "[[recipe]]\npass = \"walk\"")]
    #[case::inner(
        "[[recipe]]\na = 1\n[recipe.where]\nb = 2\n[[recipe]]\n",
        0,
        "[[recipe]]\na = 1\n[recipe.where]\nb = 2"
    )]
    #[case::comment("x = 1\n[[recipe]]\na = 1\n\n# props\n[[recipe]]\n", 8, "[[recipe]]\na = 1")]
    #[case::end("[[recipe]]\na = 1", 16, "a = 1")]
    #[case::list("[[recipe]]\na = [\n  1,\n]\n[b]\n", 2, "[[recipe]]\na = [\n  1,\n]")]
    fn tables_end_where_the_next_begins(#[case] text: &str, #[case] at: usize, #[case] kept: &str) {
        assert_eq!(table_from(text, at), kept);
    }
}
