//! How the screen looks, and what it opens with: said on the command line, or in the file of
//! settings.

use clap::{Args, ValueEnum};
use serde::Deserialize;

use crate::folder::Project;

/// What the screen opens with.
#[derive(Debug)]
pub struct Opening {
    /// The project, with the mission that is shown.
    pub project: Project,
    /// Seed of the run.
    pub seed: u64,
    /// How it looks.
    pub look: Look,
    /// What is to be said first of all.
    pub notice: Option<String>,
}

/// How the screen looks.
#[derive(Args, Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Look {
    /// Colours; dark unless said otherwise.
    #[arg(long, value_enum)]
    pub theme: Option<ThemeName>,
    /// Which block characters the field is drawn with; chosen by the terminal's name unless said
    /// otherwise.
    #[arg(long, value_enum)]
    pub cells: Option<Cells>,
    /// Whether the field is drawn in the terminal's own pixels, and how; by what the terminal says
    /// unless said otherwise.
    #[arg(long, value_enum)]
    pub pictures: Option<Pictures>,
}

/// How the field is drawn in the terminal's own pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Pictures {
    /// Not at all: in block characters.
    Off,
    /// As the terminal says that it can.
    Auto,
    /// By the graphics protocol of kitty, ghostty, konsole and others.
    Kitty,
    /// As sixel.
    Sixel,
    /// As inline images.
    Inline,
}

impl Look {
    /// This look, with what it leaves open taken from another.
    #[must_use]
    pub fn or(&self, other: &Self) -> Self {
        Self {
            theme: self.theme.or(other.theme),
            cells: self.cells.or(other.cells),
            pictures: self.pictures.or(other.pictures),
        }
    }
}

/// Dark or light.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ThemeName {
    /// Light text on a dark ground.
    Dark,
    /// Dark text on a light ground.
    Light,
}

/// Which block characters the terminal's font has.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Cells {
    /// Letters and signs only.
    Ascii,
    /// Upper and lower halves.
    Half,
    /// Quarters: in practically every font.
    Quadrant,
    /// Sixths: in newer fonts and terminals.
    Sextant,
    /// Eighths: in the newest only.
    Octant,
}
