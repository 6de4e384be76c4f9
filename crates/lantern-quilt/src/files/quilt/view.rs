//! `[view]`: light and background of shaded pictures.

use super::cursor::{Notes, Value};
use super::modules::read_colour;
use crate::picture::Rgba;

/// The colours of the light, of what lies behind, and of the ground around the map.
#[cfg_attr(not(feature = "draw"), expect(dead_code, reason = "pictures use them"))]
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct ViewColours {
    pub(super) light: Option<Rgba>,
    pub(super) background: Option<Rgba>,
    pub(super) ground: Option<Rgba>,
}

pub(super) fn read_view(value: Option<Value<'_>>, notes: &mut Notes) -> ViewColours {
    let Some(mut keys) = value.and_then(|value| value.table(notes)) else {
        return ViewColours::default();
    };
    let mut colour = |value: Option<Value<'_>>| value.and_then(|value| read_colour(&value, notes));
    let view = ViewColours {
        light: colour(keys.take("light")),
        background: colour(keys.take("background")),
        ground: colour(keys.take("ground")),
    };
    keys.finish(notes);
    view
}
