//! Tags that are given and taken away.

use super::names::Names;
use crate::files::quilt::cursor::{Keys, Notes, Value, unknown_name};

/// Tags that are given, known from then on, and tags that are taken away.
pub(in crate::files::quilt::passes) fn take_tags(
    keys: &mut Keys<'_>,
    names: &mut Names<'_>,
    notes: &mut Notes,
) -> (Vec<String>, Vec<String>) {
    let list = |value: Option<Value<'_>>, notes: &mut Notes| -> Vec<String> {
        let values = value.map(|value| value.one_or_more(notes)).unwrap_or_default();
        values.iter().filter_map(|value| value.text(notes)).map(str::to_owned).collect()
    };
    let add = list(keys.take("add"), notes);
    let removed = keys.take("remove");
    let all = removed.as_ref().map(|value| value.one_or_more(notes)).unwrap_or_default();
    for value in all {
        if let Some(tag) = value.text(notes).filter(|tag| !names.tags.contains(*tag)) {
            let known = names.tags.iter().map(String::as_str);
            unknown_name("tag that an earlier pass gives", &value, tag, known, notes);
        }
    }
    let remove = list(removed, notes);
    names.tags.extend(add.iter().cloned());
    (add, remove)
}
