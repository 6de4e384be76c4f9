//! Where a key belongs that stands in the wrong table.

use super::schema::quilt_schema;
use crate::files::report::Located;
use lantern_quilt_core::finding::{Code, Subject};
use serde_json::Value as Json;
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// The tables that have a key, by the key, as a quilt writes them.
static HOMES: LazyLock<BTreeMap<String, Vec<String>>> = LazyLock::new(|| {
    let schema = quilt_schema(false);
    let mut homes: BTreeMap<String, Vec<String>> = BTreeMap::new();
    let mut add = |table: String, keys: &Json| {
        for key in keys.as_object().into_iter().flat_map(|keys| keys.keys()) {
            let known = homes.entry(key.clone()).or_default();
            if !known.contains(&table) {
                known.push(table.clone());
            }
        }
    };
    let resolved = |part: &Json| -> Json {
        let name = part["$ref"].as_str().and_then(|name| name.rsplit('/').next());
        name.map_or_else(|| part.clone(), |name| schema["$defs"][name].clone())
    };
    for (name, part) in schema["properties"].as_object().into_iter().flatten() {
        let named = resolved(&part["additionalProperties"]);
        let listed = resolved(&part["items"]);
        add(format!("`[{name}.NAME]`"), &named["properties"]);
        add(format!("`[{name}]`"), &resolved(part)["properties"]);
        for pass in listed["anyOf"].as_array().or(listed["oneOf"].as_array()).into_iter().flatten()
        {
            let pass = resolved(pass);
            let kind = pass["properties"]["pass"]["const"].as_str().unwrap_or_default();
            add(format!("a pass with `pass = \"{kind}\"`"), &pass["properties"]);
        }
        add(format!("`[[{name}]]`"), &listed["properties"]);
    }
    add("the quilt itself, above the first table".to_owned(), &schema["properties"]);
    homes
});

/// Tables that are named in one finding.
const NAMED: usize = 4;

/// Adds to what was found of unknown keys which table has them.
pub(super) fn add_homes(findings: &mut [Located]) {
    for located in findings.iter_mut().filter(|one| one.finding.code == Code::UnknownKey) {
        let finding = &mut located.finding;
        let Subject::Field(path) = &finding.subject else { continue };
        let key = path.rsplit('.').next().unwrap_or(path);
        let Some(homes) = HOMES.get(key) else { continue };
        let mut listed = homes[..homes.len().min(NAMED)].join(", ");
        if homes.len() > NAMED {
            listed.push_str(" and others");
        }
        finding.help = format!("`{key}` belongs in {listed}; {}", finding.help);
        // A key that another table has is no slip of the pen, unless one begins like the other.
        let longer = |near: &String| near.starts_with(key) || key.starts_with(near.as_str());
        finding.nearest = finding.nearest.take().filter(longer);
        located.replaceable &= finding.nearest.is_some();
    }
}
