//! Values put into a document and taken out of it, in the layout of what is around them.

use crate::files::quilt::changes::Wrong;
use toml_edit::{Array, DocumentMut, InlineTable, Item, RawString, Table, TableLike, Value};

/// A path, and the pass that its first name represents.
pub(super) struct Way<'p> {
    pub(super) path: &'p [String],
    pub(super) pass: Option<usize>,
}

/// The value at a path of a document, without what is around it. Keys may hold whole paths.
pub(super) fn leaf(document: &DocumentMut, path: &[String]) -> Option<Value> {
    fn below(table: &dyn TableLike, path: &[String]) -> Option<Value> {
        (1..=path.len()).find_map(|parts| {
            let item = table.get(&path[..parts].join("."))?;
            if parts < path.len() {
                return below(item.as_table_like()?, &path[parts..]);
            }
            let mut value = item.as_value()?.clone();
            value.decor_mut().clear();
            Some(value)
        })
    }
    below(document.as_table(), path)
}

/// Sets a value.
pub(super) fn set(document: &mut DocumentMut, way: &Way<'_>, value: Value) -> Result<(), Wrong> {
    match way.pass {
        Some(pass) => match pass_of(document, pass) {
            Some((table, inline)) => put(table, inline, &way.path[1..], value),
            None => Ok(()),
        },
        None => put(document.as_table_mut(), false, way.path, value),
    }
}

/// The table of a pass, and whether it stands in one line with its braces.
fn pass_of(document: &mut DocumentMut, pass: usize) -> Option<(&mut dyn TableLike, bool)> {
    match document.get_mut("recipe")? {
        Item::ArrayOfTables(passes) => Some((passes.get_mut(pass)?, false)),
        Item::Value(Value::Array(passes)) => {
            Some((passes.get_mut(pass)?.as_inline_table_mut()?, true))
        }
        _ => None,
    }
}

fn nothing_below(part: &str) -> Wrong {
    Wrong { what: "nothing lies below".to_owned(), part: part.to_owned(), known: Vec::new() }
}

fn no_such_entry(list: &str, count: usize, part: &str) -> Wrong {
    Wrong {
        what: format!("`{list}` is a list of {count}, counted from 0; it has no"),
        part: part.to_owned(),
        known: Vec::new(),
    }
}

/// Puts a value into a table, making the tables that its path leads through.
fn put(
    table: &mut dyn TableLike,
    inline: bool,
    path: &[String],
    value: Value,
) -> Result<(), Wrong> {
    let [first, rest @ ..] = path else { return Ok(()) };
    if rest.is_empty() {
        match table.get_mut(first) {
            Some(Item::Value(old)) => replace(old, value),
            Some(other) => *other = Item::Value(value),
            None => insert(table, inline, first, Item::Value(value)),
        }
        return Ok(());
    }
    let among_tables =
        table.iter().any(|(_, item)| item.as_table().is_some_and(|table| !table.is_dotted()));
    if table.get(first).is_none() {
        let inner = if among_tables {
            Item::Table(Table::new())
        } else {
            Item::Value(Value::InlineTable(InlineTable::new()))
        };
        insert(table, inline, first, inner);
    }
    let Some(item) = table.get_mut(first) else { return Ok(()) };
    match item {
        Item::ArrayOfTables(list) => {
            let count = list.len();
            let entry = rest[0].parse().ok().and_then(|number: usize| list.get_mut(number));
            let entry = entry.ok_or_else(|| no_such_entry(first, count, &rest[0]))?;
            // One table of a list of them cannot give way to a value.
            if rest.len() == 1 {
                Err(nothing_below(&rest[0]))
            } else {
                put(entry, false, &rest[1..], value)
            }
        }
        Item::Value(Value::Array(list)) => {
            let count = list.len();
            let entry = rest[0].parse().ok().and_then(|number: usize| list.get_mut(number));
            let entry = entry.ok_or_else(|| no_such_entry(first, count, &rest[0]))?;
            match entry {
                old if rest.len() == 1 => {
                    replace(old, value);
                    Ok(())
                }
                Value::InlineTable(inner) => put(inner, true, &rest[1..], value),
                _ => Err(nothing_below(&rest[0])),
            }
        }
        other => {
            if other.as_table_like().is_none() {
                // A single value gives way to a table: what is wrong with that is found when it is read.
                let mut inner = Value::InlineTable(InlineTable::new());
                if let Item::Value(old) = other {
                    inner = decorated(inner, old);
                }
                *other = Item::Value(inner);
            }
            let inline = other.is_inline_table();
            match other.as_table_like_mut() {
                Some(inner) => put(inner, inline, rest, value),
                None => Ok(()),
            }
        }
    }
}

/// A value with what is around another one.
fn decorated(mut value: Value, old: &Value) -> Value {
    *value.decor_mut() = old.decor().clone();
    value
}

fn replace(old: &mut Value, value: Value) {
    *old = decorated(value, old);
}

/// Adds a key behind the others, as they are laid out.
fn insert(table: &mut dyn TableLike, inline: bool, key: &str, item: Item) {
    // The space between the last value and the closing brace stays there.
    let last = table.iter_mut().last().and_then(|(_, item)| item.as_value_mut());
    let last = last.filter(|_| inline);
    let suffix = last.and_then(|last| {
        let suffix = last.decor().suffix().cloned();
        last.decor_mut().set_suffix("");
        suffix
    });
    table.insert(key, item);
    if let Some((value, suffix)) = table.get_mut(key).and_then(Item::as_value_mut).zip(suffix) {
        value.decor_mut().set_prefix(" ");
        value.decor_mut().set_suffix(suffix);
    }
}

/// Takes a value, a table or a pass away.
pub(super) fn remove(document: &mut DocumentMut, way: &Way<'_>) -> Result<(), Wrong> {
    let Some(pass) = way.pass else { return take(document.as_table_mut(), false, way.path) };
    if way.path.len() > 1 {
        let table = pass_of(document, pass);
        return table.map_or(Ok(()), |(table, inline)| take(table, inline, &way.path[1..]));
    }
    match document.get_mut("recipe") {
        Some(Item::ArrayOfTables(passes)) => drop(passes.remove(pass)),
        Some(Item::Value(Value::Array(passes))) => take_entry(passes, pass),
        _ => {}
    }
    Ok(())
}

fn take(table: &mut dyn TableLike, inline: bool, path: &[String]) -> Result<(), Wrong> {
    let [first, rest @ ..] = path else { return Ok(()) };
    let known: Vec<String> = table.iter().map(|(key, _)| key.to_owned()).collect();
    let missing = || Wrong { what: "there is no".to_owned(), part: first.clone(), known };
    let item = table.get_mut(first).ok_or_else(missing)?;
    if rest.is_empty() {
        if inline {
            take_key(table, first);
        } else {
            table.remove(first);
        }
        return Ok(());
    }
    let number = rest[0].parse::<usize>().ok();
    match item {
        Item::ArrayOfTables(list) => {
            let count = list.len();
            let number = number.filter(|&number| number < count);
            let number = number.ok_or_else(|| no_such_entry(first, count, &rest[0]))?;
            match list.get_mut(number).filter(|_| rest.len() > 1) {
                Some(entry) => take(entry, false, &rest[1..]),
                None => {
                    list.remove(number);
                    Ok(())
                }
            }
        }
        Item::Value(Value::Array(list)) => {
            let count = list.len();
            let number = number.filter(|&number| number < count);
            let number = number.ok_or_else(|| no_such_entry(first, count, &rest[0]))?;
            if rest.len() == 1 {
                take_entry(list, number);
                return Ok(());
            }
            let inner = list.get_mut(number).and_then(Value::as_inline_table_mut);
            inner
                .map_or_else(|| Err(nothing_below(&rest[0])), |inner| take(inner, true, &rest[1..]))
        }
        other => {
            let inline = other.is_inline_table();
            let inner = other.as_table_like_mut();
            inner.map_or_else(|| Err(nothing_below(first)), |inner| take(inner, inline, rest))
        }
    }
}

/// Takes a key out of braces; its neighbours take over what stood beside it.
fn take_key(table: &mut dyn TableLike, key: &str) {
    let keys: Vec<String> = table.iter().map(|(key, _)| key.to_owned()).collect();
    let at = keys.iter().position(|known| known == key).unwrap_or(0);
    let prefix = table.key(key).and_then(|key| key.leaf_decor().prefix().cloned());
    let removed = table.remove(key);
    let value = removed.as_ref().and_then(Item::as_value);
    let Some(suffix) = value.map(|value| value.decor().suffix().cloned()) else { return };
    if at + 1 == keys.len() && at > 0 {
        let last = table.get_mut(&keys[at - 1]).and_then(Item::as_value_mut);
        if let Some((last, suffix)) = last.zip(suffix) {
            last.decor_mut().set_suffix(suffix);
        }
    } else if at == 0
        && let Some((mut next, prefix)) =
            keys.get(1).and_then(|next| table.key_mut(next)).zip(prefix)
        && !is_comment(&prefix)
    {
        next.leaf_decor_mut().set_prefix(prefix);
    }
}

fn is_comment(raw: &RawString) -> bool {
    raw.as_str().is_none_or(|text| text.contains('#'))
}

/// Takes an entry of a list away; its neighbours take over what stood beside it.
fn take_entry(list: &mut Array, number: usize) {
    let removed = list.remove(number);
    let decor = removed.decor();
    if number == list.len() {
        let last = number.checked_sub(1).and_then(|last| list.get_mut(last));
        if let Some((last, suffix)) = last.zip(decor.suffix().cloned()) {
            last.decor_mut().set_suffix(suffix);
        }
    } else if number == 0
        && let Some((first, prefix)) = list.get_mut(0).zip(decor.prefix().cloned())
        && !is_comment(&prefix)
    {
        first.decor_mut().set_prefix(prefix);
    }
}
