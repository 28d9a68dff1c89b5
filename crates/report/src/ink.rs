//! The colours of Wayodos' own drawings.

use wayodos_core::ids::StepId;

/// An sRGB colour.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Rgb(pub u8, pub u8, pub u8);

impl Rgb {
    /// The colour between this one and another; `share` 0 is this one, 1 the other.
    #[must_use]
    pub fn towards(self, other: Self, share: f64) -> Self {
        let mix = |a: u8, b: u8| {
            (f64::from(a) + (f64::from(b) - f64::from(a)) * share.clamp(0.0, 1.0)).round() as u8
        };
        Self(
            mix(self.0, other.0),
            mix(self.1, other.1),
            mix(self.2, other.2),
        )
    }

    /// Relative luminance, 0 to 1. Source: WCAG 2.1, "relative luminance".
    pub fn luminance(self) -> f64 {
        let linear = |byte: u8| {
            let c = f64::from(byte) / 255.0;
            if c <= 0.04045 {
                c / 12.92
            } else {
                ((c + 0.055) / 1.055).powf(2.4)
            }
        };
        0.2126 * linear(self.0) + 0.7152 * linear(self.1) + 0.0722 * linear(self.2)
    }
}

impl From<[u8; 3]> for Rgb {
    fn from([r, g, b]: [u8; 3]) -> Self {
        Self(r, g, b)
    }
}

/// Paper.
pub const PAPER: Rgb = Rgb(255, 255, 255);
/// Text and axes on paper.
pub const TEXT: Rgb = Rgb(31, 36, 41);
/// Secondary text on paper.
pub const QUIET: Rgb = Rgb(108, 117, 125);
/// Hair lines on paper.
pub const HAIR: Rgb = Rgb(205, 210, 214);
/// Walls, seen from above.
pub const WALL: Rgb = Rgb(92, 84, 74);
/// What went wrong.
pub const WRONG: Rgb = Rgb(194, 58, 43);
/// The robot's body.
pub const BODY: Rgb = Rgb(250, 214, 92);

/// Another robot's body.
pub const RIVAL: Rgb = Rgb(142, 190, 178);
/// What an actuator moves.
pub const ARM: Rgb = Rgb(120, 66, 30);
/// The outline of a zone.
pub const ZONE: Rgb = Rgb(64, 110, 88);

/// Tints of steps, taken in turn. Chosen to differ in lightness as well as in hue, so that
/// neighbours stay apart for colour-blind eyes, and to stand out from pale mat and dark line alike.
const TINTS: [Rgb; 8] = [
    Rgb(0, 102, 194),
    Rgb(226, 96, 20),
    Rgb(78, 66, 176),
    Rgb(198, 40, 60),
    Rgb(0, 140, 104),
    Rgb(164, 48, 150),
    Rgb(18, 150, 190),
    Rgb(150, 112, 0),
];

/// The tint of the step with this index.
pub const fn tint(step: StepId) -> Rgb {
    TINTS[step.0 % TINTS.len()]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn neighbouring_tints_differ_in_lightness_and_stand_out_from_the_mat() {
        for step in 0..16 {
            let (a, b) = (
                tint(StepId(step)).luminance(),
                tint(StepId(step + 1)).luminance(),
            );
            let contrast = (a.max(b) + 0.05) / (a.min(b) + 0.05);
            assert!(contrast > 1.15, "{step}: {contrast}");
            let pale = Rgb(233, 227, 210).luminance();
            assert!((pale + 0.05) / (a + 0.05) > 2.3, "{step}");
        }
    }
}
