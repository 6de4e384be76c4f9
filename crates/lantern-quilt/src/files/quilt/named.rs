//! The sockets and tiles of all files of a quilt.

use super::cursor::{Keys, Notes, Value, is_misplaced, shorten, unknown_name};
use super::model::{Model, reserved, twice};
use super::tile::read_tile;
use crate::picture::Rgba;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::SocketId;
use lantern_quilt_core::lattice::Lattice;
use lantern_quilt_core::tileset::Socket;
use std::collections::BTreeSet;

/// Reads sockets and tiles of all files of a quilt.
pub(super) fn read_model(
    documents: &mut [Keys<'_>],
    lattice: Lattice,
    (sampled, filled): (bool, bool),
    painted: (BTreeSet<Rgba>, bool),
    notes: &mut Notes,
) -> Model {
    let mut model = Model::new(lattice, sampled);
    let mut mates = Vec::new();
    for top in &mut *documents {
        if let Some(keys) = top.take("sockets").and_then(|value| value.table(notes)) {
            read_sockets(&keys, &mut model, &mut mates, notes);
        }
    }
    for (id, others) in mates {
        for value in others {
            let Some(name) = value.text(notes) else { continue };
            match model.sockets.get(name) {
                Some(&(mate, _)) => model.building().mate(id, mate),
                None => unknown_name("socket", &value, name, model.socket_names(), notes),
            }
        }
    }
    let mut any = false;
    for (number, top) in documents.iter_mut().enumerate() {
        notes.document = number;
        let Some(keys) = top.take("tiles").and_then(|value| value.table(notes)) else { continue };
        any = true;
        for (name, span, value) in keys.entries() {
            const OWN: [&str; 6] = ["at", "picture", "model", "sides", "weight", "turns"];
            if is_misplaced("tiles", (name, &span, &value), &OWN, notes) {
                continue;
            }
            let Some(keys) = value.table(notes) else { continue };
            if model.tiles.contains_key(name) {
                twice("tile", name, Subject::Tile(name.to_owned()), span, notes);
            } else {
                read_tile(name, span, keys, &mut model, notes);
            }
        }
    }
    any |= model.add_painted(painted);
    let top = documents.last_mut().expect("the quilt itself");
    // What is wrong with patterns that were to make tiles was said.
    if !any && (!filled || top.has("pattern")) {
        return model;
    }
    if !any {
        top.need("tiles", "add `[tiles.NAME]` with `sides` and a picture", notes);
    } else if model.sockets.is_empty() && !model.derives_sides() && !sampled {
        top.need("sockets", "add `[sockets.NAME]` for each kind of side", notes);
    }
    // The builder's own checks (weights, turns, open sides) join those of the text.
    if let Err(findings) = model.built() {
        for finding in findings {
            notes.add_of_model(finding.clone(), "");
        }
    }
    model
}

fn read_sockets<'a>(
    keys: &Keys<'a>,
    model: &mut Model,
    mates: &mut Vec<(SocketId, Vec<Value<'a>>)>,
    notes: &mut Notes,
) {
    for (name, span, value) in keys.entries() {
        const OWN: [&str; 4] = ["mates", "itself", "handed", "turn_bound"];
        if is_misplaced("sockets", (name, &span, &value), &OWN, notes) {
            continue;
        }
        let Some(mut keys) = value.table(notes) else { continue };
        if model.sockets.contains_key(name) {
            twice("socket", name, Subject::Socket(name.to_owned()), span, notes);
            continue;
        }
        if let Some(meaning) = reserved(name) {
            let text = format!("`{name}` has a meaning of its own and cannot be a socket");
            let finding = Finding::new(Code::BadValue, Subject::Socket(name.to_owned()), text);
            notes.add(finding.help(format!("on a side, {meaning}")), span.clone());
        }
        if name.trim().is_empty() || name.ends_with(" left") || name.ends_with(" right") {
            let text = format!("`{}` cannot be the name of a socket", shorten(name));
            let finding = Finding::new(Code::BadValue, Subject::Socket(name.to_owned()), text);
            notes.add(finding.help("a name is not empty and does not end in left or right"), span);
        }
        let flag = |value: Option<Value<'_>>, default: bool, notes: &mut Notes| {
            value.and_then(|value| value.boolean(notes)).unwrap_or(default)
        };
        let handed = flag(keys.take("handed"), false, notes);
        let turn_bound = flag(keys.take("turn_bound"), false, notes);
        let itself = flag(keys.take("itself"), true, notes);
        let others = keys.take("mates").map(|value| value.array(notes)).unwrap_or_default();
        keys.finish(notes);
        let mut socket = if handed { Socket::handed(name) } else { Socket::plain(name) };
        if turn_bound {
            socket = socket.turn_bound();
        }
        if !itself {
            socket = socket.not_itself();
        }
        let id = model.building().socket(socket);
        model.sockets.insert(name.to_owned(), (id, handed));
        mates.push((id, others));
    }
}
