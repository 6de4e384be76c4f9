//! Setters by value, one for each option: `Search::default().patience(20)`.

/// Methods that take the options and give them back with one value set.
#[doc(hidden)]
#[macro_export]
macro_rules! setters {
    ($name:ident { $($(#[$attribute:meta])* $field:ident: $type:ty,)* }) => {
        impl $name {
            $(
                #[doc = concat!("The same with another [`", stringify!($field), "`](Self#structfield.", stringify!($field), ").")]
                $(#[$attribute])*
                #[must_use]
                pub fn $field(mut self, $field: $type) -> Self {
                    self.$field = $field;
                    self
                }
            )*
        }
    };
}
