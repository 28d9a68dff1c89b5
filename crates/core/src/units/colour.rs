//! Colours as people write them, and as light.

use super::math;

/// The light under which a sensor looks at the mat, and what it keeps of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Light {
    /// White, and red, green and blue are told apart.
    Colours,
    /// White, as one brightness.
    White,
    /// Red: red surfaces look as bright as white ones.
    Red,
    /// Infrared: what surfaces look like in it need have nothing to do with their colour.
    Infrared,
}

/// Reads `#rrggbb` as sRGB bytes.
pub fn hex(text: &str) -> Option<[u8; 3]> {
    let digits = text
        .strip_prefix('#')
        .filter(|digits| digits.len() == 6 && digits.is_ascii())?;
    let byte = |at: usize| u8::from_str_radix(&digits[at..at + 2], 16).ok();
    Some([byte(0)?, byte(2)?, byte(4)?])
}

/// Linear red, green and blue of sRGB bytes, 0 to 1. Source: IEC 61966-2-1.
pub fn linear(rgb: [u8; 3]) -> [f64; 3] {
    rgb.map(|byte| {
        let c = f64::from(byte) / 255.0;
        if c <= 0.04045 {
            c / 12.92
        } else {
            math::pow((c + 0.055) / 1.055, 2.4)
        }
    })
}
