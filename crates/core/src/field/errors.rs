//! What can be wrong with the files and texts that a field is made of.

use super::picture::MOST_PIXELS;
use crate::units::{Dimension, NotAPair};

/// Why a file of the project cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Unreadable {
    /// There is none.
    #[error("there is no such file")]
    Missing,
    /// The text was loaded without the project that its files lie in.
    #[error("there are no further files here")]
    NoFiles,
    /// Its path leads out of the project.
    #[error("it lies outside the project folder")]
    Outside,
    /// Its bytes are not UTF-8.
    #[error("it is not text")]
    NotText,
    /// It is larger than what is read.
    #[error("it holds more than {megabytes} MB")]
    TooLarge {
        /// What is read at most.
        megabytes: usize,
    },
    /// What the system says.
    #[error("{0}")]
    System(String),
}

/// Why a leg of a path cannot be laid.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BadLeg {
    /// Its first word is none of a leg.
    #[error(
        "expected `ahead`, `bend left`, `bend right`, `corner left`, `corner right` or `to`, found `{0}`"
    )]
    Word(String),
    /// It leads to no place.
    #[error(transparent)]
    Place(#[from] NotAPair),
    /// A bend or corner without its side.
    #[error("expected `left` or `right` and an angle, found `{0}`")]
    Side(String),
    /// A bend without its radius.
    #[error("a bend needs its radius: `bend left 90 deg radius 200 mm`")]
    NoRadius,
    /// An amount of another kind, or out of range.
    #[error("expected {} such as `{}`, found `{found}`", dimension.name(), dimension.example())]
    Amount {
        /// What it should measure.
        dimension: Dimension,
        /// What stands there.
        found: String,
    },
}

/// Why an SVG cannot be used as a mat.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BadDrawing {
    /// The file cannot be read as text.
    #[error(transparent)]
    File(#[from] Unreadable),
    /// It is not XML; what the reader says.
    #[error("it is damaged: {0}")]
    Damaged(String),
    /// It is XML of another kind.
    #[error("it is no drawing: its first element is `{0}`")]
    NotSvg(String),
    /// Neither it nor the field says how large it is.
    #[error("it does not say how large it is; give `size`")]
    NoSize,
    /// Nothing of that size lies on a table.
    #[error("such a size is not possible")]
    Size,
    /// More elements than are read.
    #[error("more than {0} elements are too many")]
    Elements(u32),
    /// Deeper groups than are read.
    #[error("groups within groups go deeper than {0}")]
    Deep(usize),
    /// More corners than are read.
    #[error("more than {0} corners are too many")]
    Corners(usize),
}

/// Why a PNG cannot be used as a mat.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BadPicture {
    /// More pixels than are read.
    #[error("{columns} x {rows} pixels are too many; {} million are possible", MOST_PIXELS / 1_000_000)]
    Pixels {
        /// Its width.
        columns: usize,
        /// Its height.
        rows: usize,
    },
    /// It needs more memory than is given to it.
    #[error("it is too large")]
    TooLarge,
    /// It ends too early.
    #[error("it is cut off, or no PNG at all")]
    CutOff,
    /// What the reader says.
    #[error("it is damaged: {0}")]
    Damaged(String),
}
