//! What the schema says of the value at a path.

use crate::files::quilt::schema::quilt_schema;
use serde_json::Value;

/// The sentence of the schema on the value that a path leads to; `kinds` are the passes by name, with the kind
/// of each.
pub(super) fn of(path: &str, kinds: &[(String, String)]) -> Option<String> {
    let root = quilt_schema(false);
    let parts: Vec<&str> = path.split('.').collect();
    let (first, rest) = parts.split_first()?;
    let top = match kinds.iter().find(|(name, _)| name == first) {
        Some((_, kind)) => {
            let passes = plain(&root, &root["$defs"]["Pass"]);
            let each = passes["oneOf"].as_array().or_else(|| passes["anyOf"].as_array())?;
            let mut each = each.iter().map(|pass| plain(&root, pass));
            each.find(|pass| pass["properties"]["pass"]["const"] == kind.as_str())?
        }
        None => &root["properties"][*first],
    };
    let mut found = top;
    for part in rest {
        found = below(&root, found, part)?;
    }
    let own = found["description"].as_str();
    let own = own.or_else(|| plain(&root, found)["description"].as_str());
    own.map(|text| text.replace('\n', " "))
}

/// A schema behind a reference.
fn plain<'s>(root: &'s Value, schema: &'s Value) -> &'s Value {
    let name = schema["$ref"].as_str().and_then(|path| path.strip_prefix("#/$defs/"));
    name.map_or(schema, |name| &root["$defs"][name])
}

/// The schema of what lies below a key or a place in a list.
fn below<'s>(root: &'s Value, schema: &'s Value, part: &str) -> Option<&'s Value> {
    let schema = plain(root, schema);
    let keyed = &schema["properties"][part];
    if !keyed.is_null() {
        return Some(keyed);
    }
    let any = ["additionalProperties", "items"].into_iter().map(|key| &schema[key]);
    if let Some(found) = any.into_iter().find(|found| found.is_object()) {
        return Some(found);
    }
    let choices = ["anyOf", "oneOf"].into_iter().filter_map(|key| schema[key].as_array());
    choices.flatten().find_map(|choice| below(root, choice, part))
}
