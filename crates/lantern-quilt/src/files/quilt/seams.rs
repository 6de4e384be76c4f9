//! `[seams]`: when sides that are read from pixels or geometry meet.

use super::cursor::{Notes, Value, unknown_name};
use super::model::Model;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::SocketId;
use std::ops::Range;

/// When sides meet that are not labelled.
#[derive(Clone, Debug)]
pub(super) struct Seams {
    /// How far a pixel may be from the one it lies against, in any channel.
    pub(super) tolerance: u8,
    /// How far apart points may be that are the same, in metres.
    pub(super) point_tolerance: f64,
    /// The angle between normals that is seen as a crease, in degrees; none when normals do not matter.
    pub(super) angle: Option<f64>,
    /// The furthest that a point may be moved to mend a seam, in metres.
    pub(super) most_move: f64,
    /// The most that a normal may be turned to mend a crease, in degrees.
    pub(super) most_turn: f64,
    /// Whether voxels meet only those of their colour, and not all.
    pub(super) by_colour: bool,
    /// The socket of sides in which nothing of the model lies.
    pub(super) air: Option<(String, Range<usize>)>,
}

impl Default for Seams {
    fn default() -> Self {
        Self {
            tolerance: 0,
            point_tolerance: 0.001,
            angle: Some(5.0),
            most_move: 0.01,
            most_turn: 60.0,
            by_colour: true,
            air: None,
        }
    }
}

impl Seams {
    /// The socket that `air` names.
    pub(super) fn air_socket(&self, model: &Model, notes: &mut Notes) -> Option<SocketId> {
        let (name, span) = self.air.as_ref()?;
        if let Some(&(socket, handed)) = model.sockets.get(name)
            && !handed
        {
            return Some(socket);
        }
        let known = model.sockets.iter().filter(|(_, (_, handed))| !handed);
        let subject = Subject::Field("seams.air".to_owned());
        let text = format!("there is no socket `{name}` that is not handed");
        let finding = Finding::new(Code::UnknownName, subject, text);
        notes.add(finding.among(name, known.map(|(name, _)| name.as_str())), span.clone());
        None
    }
}

/// `[seams]`.
pub(super) fn read_seams(value: Option<Value<'_>>, notes: &mut Notes) -> Seams {
    let mut seams = Seams::default();
    let Some(mut keys) = value.and_then(|value| value.table(notes)) else { return seams };
    if let Some(tolerance) = keys.take("tolerance") {
        seams.tolerance = tolerance.whole(0..256, Code::BadValue, notes).unwrap_or(0) as u8;
    }
    let within = |value: Option<Value<'_>>, most: f64, what: &str, notes: &mut Notes| {
        let value = value?;
        let number = value.number(notes)?;
        if (0.0..=most).contains(&number) {
            return Some(number);
        }
        let finding =
            Finding::new(Code::BadValue, value.subject(), format!("{number} is out of range"));
        notes.add(finding.help(format!("from 0 to {most} {what}")), value.span);
        None
    };
    if let Some(metres) = within(keys.take("point_tolerance"), 10.0, "metres", notes) {
        seams.point_tolerance = metres;
    }
    if let Some(metres) = within(keys.take("most_move"), 10.0, "metres", notes) {
        seams.most_move = metres;
    }
    if let Some(degrees) = within(keys.take("most_turn"), 180.0, "degrees", notes) {
        seams.most_turn = degrees;
    }
    if let Some(degrees) = within(keys.take("angle"), 180.0, "degrees", notes) {
        seams.angle = Some(degrees);
    }
    if let Some(value) = keys.take("normals")
        && value.boolean(notes) == Some(false)
    {
        seams.angle = None;
    }
    if let Some(value) = keys.take("match") {
        match value.text(notes) {
            Some("colour") | None => {}
            Some("filled") => seams.by_colour = false,
            Some(other) => unknown_name("match", &value, other, ["colour", "filled"], notes),
        }
    }
    if let Some(value) = keys.take("air") {
        seams.air = value.text(notes).map(|name| (name.to_owned(), value.span.clone()));
    }
    keys.finish(notes);
    seams
}
