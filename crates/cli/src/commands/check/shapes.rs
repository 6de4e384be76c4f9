//! `check --pieces DIR`: placeholders of missing shapes, in copies of the sheets.

use super::copies::Copies;
use crate::failure::Failure;
use crate::output::counted;
use lantern_quilt::files::SHAPES;

/// Writes the copies, and gives what to do with them; empty when no shape is missing.
pub fn write(copies: &Copies<'_>) -> Result<String, Failure> {
    let shapes = copies.quilt.shape_files().map_err(Failure::job)?;
    let mut text = String::new();
    if shapes.placeholders > 0 {
        text.push_str(&format!(
            "{} painted for missing shapes\n",
            counted(shapes.placeholders as u64, "placeholder")
        ));
    }
    for (name, data) in &shapes.files {
        let path = copies.write(name, data)?;
        let told = if name == SHAPES {
            let lists: Vec<String> = shapes.lists.iter().map(|list| format!("`{list}`")).collect();
            format!("add its lines to {}", lists.join(", "))
        } else {
            format!("put it in the place of {name}")
        };
        text.push_str(&format!("wrote {}: {told}\n", path.display()));
    }
    for (set, why) in &shapes.left {
        text.push_str(&format!("some shapes of `{set}` have no placeholder: {why}\n"));
    }
    Ok(text)
}
