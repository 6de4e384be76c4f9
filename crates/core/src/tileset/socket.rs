//! Sockets: the labels of sides, and which may meet.

use super::outlines::FrameSet;
use crate::id::SocketId;
use crate::lattice::Side;
use crate::orient::Frame;

/// A label that sides carry.
///
/// It meets itself unless told otherwise, and whatever it names as a mate. A *handed* socket tells
/// mirror images apart; a *turn-bound* one tells the turns of a flat face (up, down) apart.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Socket {
    pub(super) name: String,
    pub(super) handed: bool,
    pub(super) turn_bound: bool,
    pub(super) itself: bool,
    pub(super) border: bool,
    pub(super) joint: bool,
    /// Whether it is a row of pixels, not a label.
    pub(super) pixels: bool,
    /// Of an outline, not a label: the frames in which it looks the same.
    pub(super) alike: Option<FrameSet>,
    pub(super) mates: Vec<SocketId>,
    /// Those it meets as if they were mirrored.
    pub(super) mirrored: Vec<SocketId>,
}

impl Socket {
    /// A socket that meets itself in every frame.
    pub fn plain(name: impl Into<String>) -> Self {
        Self {
            name: name.into(),
            handed: false,
            turn_bound: false,
            itself: true,
            border: false,
            joint: false,
            pixels: false,
            alike: None,
            mates: Vec::new(),
            mirrored: Vec::new(),
        }
    }

    /// A socket whose mirror image is another shape.
    ///
    /// [`Frame::AS_DRAWN`] is its left form (it lies left when one looks out of the side),
    /// [`Frame::FLIPPED`] its right form; across a border, left meets right.
    pub fn handed(name: impl Into<String>) -> Self {
        Self { handed: true, ..Self::plain(name) }
    }

    /// The same, distinguished by turns when on a flat face.
    #[must_use]
    pub fn turn_bound(mut self) -> Self {
        self.turn_bound = true;
        self
    }

    /// The same, but not meeting its own kind.
    #[must_use]
    pub fn not_itself(mut self) -> Self {
        self.itself = false;
        self
    }

    /// A socket that meets nothing: its side may only look out of the map.
    pub fn border(name: impl Into<String>) -> Self {
        Self { itself: false, border: true, ..Self::plain(name) }
    }

    /// The same, standing for a row of pixels, which is its own label.
    #[must_use]
    pub(super) fn of_pixels(mut self) -> Self {
        self.pixels = true;
        self
    }

    /// A socket of an outline that looks the same in some frames: a group, with the one as drawn.
    pub(super) fn of_outline(name: impl Into<String>, alike: FrameSet) -> Self {
        Self {
            handed: !alike.iter().any(|frame| frame.flipped),
            turn_bound: !Frame::all().all(|frame| frame.flipped || alike.holds(frame)),
            alike: Some(alike),
            ..Self::plain(name)
        }
    }

    /// Half of what holds two parts of a tile together: distinguished in every frame.
    pub(super) fn joint(name: impl Into<String>) -> Self {
        Self { joint: true, itself: false, ..Self::handed(name).turn_bound() }
    }

    /// The same, also meeting `other`; being mates is mutual.
    #[must_use]
    pub fn mate(mut self, other: SocketId) -> Self {
        self.mates.push(other);
        self
    }

    /// Its name.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Whether it tells mirror images apart.
    pub const fn is_handed(&self) -> bool {
        self.handed
    }

    /// Whether it tells turns of a flat face apart.
    pub const fn is_turn_bound(&self) -> bool {
        self.turn_bound
    }

    /// Whether it is meant to meet nothing.
    pub const fn is_border(&self) -> bool {
        self.border
    }

    /// Whether it holds parts of a tile together: it meets its other half alone, whatever lists and
    /// samples say, and never faces out of a map.
    pub const fn is_joint(&self) -> bool {
        self.joint
    }

    /// Whether it represents a row of pixels, not a label that somebody wrote.
    pub const fn is_from_pixels(&self) -> bool {
        self.pixels
    }

    /// Whether it represents an outline, not a label that somebody wrote.
    pub const fn is_from_outline(&self) -> bool {
        self.alike.is_some()
    }

    /// Whether it was read from pixels or from geometry, and is not a label that somebody wrote.
    pub const fn is_derived(&self) -> bool {
        self.pixels || self.alike.is_some()
    }

    /// Whether it is one that was made for a reason, not to be met: a border or a joint.
    pub const fn is_internal(&self) -> bool {
        self.border || self.joint
    }

    /// Whether it meets its own kind.
    pub const fn meets_itself(&self) -> bool {
        self.itself
    }

    /// The sockets it meets besides itself, in id order (both directions once the set is built).
    pub fn mates(&self) -> &[SocketId] {
        &self.mates
    }

    /// The sockets whose mirror image it meets, in id order; itself may be among them.
    pub fn mirrored_mates(&self) -> &[SocketId] {
        &self.mirrored
    }

    /// The frame reduced to what this socket distinguishes.
    pub fn reduce(&self, frame: Frame) -> Frame {
        if let Some(alike) = self.alike {
            return alike.first_like(frame);
        }
        Frame {
            turns: if self.turn_bound { frame.turns } else { 0 },
            flipped: self.handed && frame.flipped,
        }
    }
}

/// A socket as it lies on a side.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Face {
    /// Which socket.
    pub socket: SocketId,
    /// How it lies.
    pub frame: Frame,
}

impl Face {
    /// The socket as drawn (the left form of a handed one).
    pub const fn new(socket: SocketId) -> Self {
        Self { socket, frame: Frame::AS_DRAWN }
    }

    /// The right form of a handed socket.
    pub const fn right(socket: SocketId) -> Self {
        Self { socket, frame: Frame::FLIPPED }
    }
}

impl From<SocketId> for Face {
    fn from(socket: SocketId) -> Self {
        Self::new(socket)
    }
}

/// Whether a face `a` on `side` meets a face `b` on the opposite side of the cell beyond.
///
/// `sockets` are those of `a` and `b`. Where both tell a distinction apart it must match; a mate
/// that does not see it takes either.
pub(super) fn meets(a: Face, socket_a: &Socket, b: Face, socket_b: &Socket, side: Side) -> bool {
    let straight =
        if a.socket == b.socket { socket_a.itself } else { socket_a.mates.contains(&b.socket) };
    let mirrored = socket_a.mirrored.contains(&b.socket);
    if !straight && !mirrored {
        return false;
    }
    let want = b.frame.across(side);
    if a.socket == b.socket && socket_a.alike.is_some() {
        return socket_a.reduce(a.frame) == socket_a.reduce(want);
    }
    let blind = !(socket_a.handed && socket_b.handed);
    let same = a.frame.flipped == want.flipped;
    let hands = (straight && (blind || same)) || (mirrored && (blind || !same));
    let turns = !(socket_a.turn_bound && socket_b.turn_bound) || a.frame.turns == want.turns;
    hands && turns
}
