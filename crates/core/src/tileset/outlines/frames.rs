//! Sets of frames.

use crate::orient::Frame;

/// Which of the eight frames of a face.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct FrameSet(u8);

impl FrameSet {
    /// Every frame.
    pub const ALL: Self = Self(u8::MAX);

    fn bit(frame: Frame) -> u8 {
        1 << (frame.turns % 4 + 4 * u8::from(frame.flipped))
    }

    /// Those for which a question holds.
    pub fn of(mut holds: impl FnMut(Frame) -> bool) -> Self {
        Frame::all().filter(|&frame| holds(frame)).collect()
    }

    /// Whether a frame is among them.
    pub fn holds(self, frame: Frame) -> bool {
        self.0 & Self::bit(frame) != 0
    }

    /// Whether there are none.
    pub const fn is_empty(self) -> bool {
        self.0 == 0
    }

    /// Plain turns first.
    pub fn iter(self) -> impl Iterator<Item = Frame> {
        Frame::all().filter(move |&frame| self.holds(frame))
    }

    /// Whether each one after each other is among them again, as in all groups of frames.
    pub fn is_group(self) -> bool {
        self.holds(Frame::AS_DRAWN)
            && self.iter().all(|a| self.iter().all(|b| self.holds(a.then(b))))
    }

    /// Each one after `first`, then `next`.
    #[must_use]
    pub fn between(self, first: Frame, next: Frame) -> Self {
        self.iter().map(|frame| first.then(frame).then(next)).collect()
    }

    /// Each undone.
    #[must_use]
    pub fn inverses(self) -> Self {
        self.iter().map(Frame::inverse).collect()
    }

    /// The first frame in which something lies as in `frame`, when these leave it as it is.
    pub fn first_like(self, frame: Frame) -> Frame {
        let same = self.iter().map(|alike| alike.then(frame));
        same.min_by_key(|one| (one.flipped, one.turns)).unwrap_or(frame)
    }
}

impl FromIterator<Frame> for FrameSet {
    fn from_iter<T: IntoIterator<Item = Frame>>(frames: T) -> Self {
        Self(frames.into_iter().fold(0, |bits, frame| bits | Self::bit(frame)))
    }
}
