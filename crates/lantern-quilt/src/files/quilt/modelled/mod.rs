//! Models of tiles, shapes and items: what has one (`uses`), read and brought into its cell (`load`).

#[cfg(feature = "models")]
mod load;
mod uses;
#[cfg(not(feature = "models"))]
mod without;

#[cfg(feature = "models")]
pub(super) use load::read_models;
pub(super) use uses::{model_uses, say_bare};
#[cfg(not(feature = "models"))]
pub(super) use without::read_models;
