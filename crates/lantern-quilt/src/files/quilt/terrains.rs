//! `[terrains]`: the kinds of ground from below up, and the colours and letters that mean them.

use super::cursor::{Keys, Notes, Value, is_misplaced, shorten, unknown_name};
use crate::colour::{from_hex, to_hex};
use lantern_quilt_core::finding::{Code, Finding};
use lantern_quilt_core::passes::ColourKey;
use std::collections::BTreeMap;
use std::ops::Range;

/// What colours and letters mean.
#[derive(Clone, Debug, Default)]
pub(super) struct Key {
    pub(super) colours: Vec<([u8; 3], String)>,
    pub(super) letters: BTreeMap<char, String>,
}

impl Key {
    pub(super) fn colour_key(&self, near: u32) -> ColourKey {
        ColourKey { colours: self.colours.clone(), near }
    }

    /// Adds `#2f6b3a` or a letter; says when it is neither, or means something already.
    fn add(
        &mut self,
        sign: &str,
        terrain: &str,
        at: &Value<'_>,
        span: Range<usize>,
        notes: &mut Notes,
    ) {
        let mut letters = sign.chars();
        let mut wrong = |code, text: String, help: &str| {
            notes.add(Finding::new(code, at.subject(), text).help(help), span.clone());
        };
        if let (Some(letter), None) = (letters.next(), letters.next()) {
            if letter.is_whitespace() || "#.?+-=o".contains(letter) {
                let help = "take a letter: blanks and # . ? + - = o mean something of their own";
                wrong(Code::BadValue, format!("`{letter}` cannot stand for a terrain"), help);
            } else if let Some(known) = self.letters.get(&letter) {
                let text = format!("`{letter}` means `{}` already", shorten(known));
                wrong(Code::DuplicateName, text, "each letter means one terrain");
            } else {
                self.letters.insert(letter, terrain.to_owned());
            }
            return;
        }
        let Some([r, g, b, _]) = from_hex(sign) else {
            let text = format!("`{}` is neither a colour nor one letter", shorten(sign));
            wrong(Code::BadValue, text, "write a colour as \"#2f6b3a\", or one letter as \"m\"");
            return;
        };
        match self.colours.iter().find(|(colour, _)| *colour == [r, g, b]) {
            Some((_, known)) => {
                let text = format!("{} means `{}` already", to_hex([r, g, b, 255]), shorten(known));
                wrong(Code::DuplicateName, text, "each colour means one terrain");
            }
            None => self.colours.push(([r, g, b], terrain.to_owned())),
        }
    }
}

/// The terrains of a quilt.
#[derive(Clone, Debug, Default)]
pub(super) struct Terrains {
    /// From the ground up.
    pub(super) names: Vec<String>,
    pub(super) key: Key,
}

impl Terrains {
    /// The place of the terrain that a value names.
    pub(super) fn find(&self, value: &Value<'_>, notes: &mut Notes) -> Option<String> {
        let name = value.text(notes)?;
        if self.names.iter().any(|known| known == name) {
            return Some(name.to_owned());
        }
        unknown_name("terrain", value, name, self.names.iter().map(String::as_str), notes);
        None
    }

    /// Every terrain that a list names.
    pub(super) fn find_all(&self, value: Option<Value<'_>>, notes: &mut Notes) -> Vec<String> {
        let values = value.map(|value| value.one_or_more(notes)).unwrap_or_default();
        values.iter().filter_map(|value| self.find(value, notes)).collect()
    }

    /// Each with its colours.
    pub(super) fn list(&self) -> Vec<(String, Vec<[u8; 3]>)> {
        let of = |name: &String| {
            let own = self.key.colours.iter().filter(|(_, terrain)| terrain == name);
            (name.clone(), own.map(|(colour, _)| *colour).collect())
        };
        self.names.iter().map(of).collect()
    }

    pub(super) fn place(&self, name: &str) -> Option<usize> {
        self.names.iter().position(|known| known == name)
    }
}

/// `[terrains]`: each with a colour, a letter or a list of them.
pub(super) fn read_terrains(top: &mut Keys<'_>, notes: &mut Notes) -> Terrains {
    let mut terrains = Terrains::default();
    let Some(keys) = top.take("terrains").and_then(|value| value.table(notes)) else {
        return terrains;
    };
    for (name, span, value) in keys.entries() {
        if is_misplaced("terrains", (name, &span, &value), &[], notes) {
            continue;
        }
        terrains.names.push(name.to_owned());
        for sign in value.one_or_more(notes) {
            if let Some(text) = sign.text(notes) {
                terrains.key.add(text, name, &sign, sign.span.clone(), notes);
            }
        }
    }
    terrains
}

/// `key = { "#2f6b3a" = "moss" }`: of one plan alone.
pub(super) fn read_own_key(value: &Value<'_>, terrains: &Terrains, notes: &mut Notes) -> Key {
    let mut key = Key::default();
    let Some(keys) = value.table(notes) else { return key };
    for (sign, span, value) in keys.entries() {
        if let Some(terrain) = terrains.find(&value, notes) {
            key.add(sign, &terrain, &value, span, notes);
        }
    }
    key
}
