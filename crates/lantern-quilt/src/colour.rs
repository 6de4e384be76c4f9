//! Colours as text and as grey.

use crate::picture::Rgba;

/// The opaque colour of `#2f6b3a`; `None` when it is not written so.
pub fn from_hex(text: &str) -> Option<Rgba> {
    let digits = text.strip_prefix('#').filter(|digits| digits.len() == 6 && digits.is_ascii())?;
    let part = |at: usize| u8::from_str_radix(digits.get(at..at + 2)?, 16).ok();
    // A sign would pass as a digit.
    let signed = digits.contains(['+', '-']);
    (!signed).then_some([part(0)?, part(2)?, part(4)?, 255])
}

/// `#2f6b3a`, and the opacity after it where it is not whole.
pub fn to_hex([r, g, b, a]: Rgba) -> String {
    match a {
        255 => format!("#{r:02x}{g:02x}{b:02x}"),
        _ => format!("#{r:02x}{g:02x}{b:02x}{a:02x}"),
    }
}

/// How light it is, 0 to 255; what is transparent counts as black.
///
/// Source: luma of ITU-R BT.709, on the values as they are stored.
pub fn grey([r, g, b, a]: Rgba) -> u8 {
    let luma = 2126 * u32::from(r) + 7152 * u32::from(g) + 722 * u32::from(b);
    ((luma + 5000) / 10_000 * u32::from(a) / 255) as u8
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("#2f6b3a", Some([0x2f, 0x6b, 0x3a, 255]))]
    #[case("#FFFFFF", Some([255; 4]))]
    #[case("2f6b3a", None)]
    #[case("#2f6b3", None)]
    #[case("#2f6b3g", None)]
    #[case("#+f6b3a", None)]
    #[case("#2f6é3", None)]
    #[case("", None)]
    fn hex_reads(#[case] text: &str, #[case] want: Option<Rgba>) {
        assert_eq!(from_hex(text), want);
        if let Some(colour) = want {
            assert_eq!(to_hex(colour), text.to_lowercase());
        }
    }

    #[test]
    fn greys_keep_their_value() {
        for value in 0..=255u8 {
            assert_eq!(grey([value, value, value, 255]), value);
        }
        assert_eq!((grey([255, 255, 255, 0]), grey([0, 255, 0, 255])), (0, 182));
        assert_eq!(to_hex([1, 2, 3, 4]), "#01020304");
    }
}
