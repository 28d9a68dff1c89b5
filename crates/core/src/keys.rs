//! What the keys of each file are: described once, in the table that loads them.
//!
//! Loading, findings, help and the tables of docs/world.md all go by these descriptions.

use serde::de::DeserializeOwned;

use crate::units::{Measure, NotNegative, Pair, Percent, Positive, Quantity, Unit};

/// One key of a section.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Key {
    /// Its name.
    pub name: &'static str,
    /// What it holds: `a length`, `two lengths`, `a text`.
    pub holds: &'static str,
    /// What holds when it is left out; none when it must be there.
    pub default: Option<&'static str>,
    /// A typical value, as it is written in the file.
    pub typical: &'static str,
    /// Least and greatest value in SI units, where the loader knows them beforehand.
    pub range: Option<(f64, f64)>,
    /// No number that it holds may be less than this, in SI units: 0 or the least number above it;
    /// minus infinity where any may stand.
    pub least: f64,
    /// What it means, in one sentence.
    pub what: &'static str,
}

impl Key {
    /// A key at the top of a file, that holds a `T`.
    pub(crate) const fn new<T: Holds>(
        name: &'static str,
        typical: &'static str,
        default: Option<&'static str>,
        what: &'static str,
    ) -> Self {
        Self {
            name,
            holds: T::WORDS,
            default,
            typical,
            range: None,
            least: T::LEAST,
            what,
        }
    }

    /// The same with a least and a greatest value, in SI units.
    pub(crate) const fn within(self, range: std::ops::Range<f64>) -> Self {
        Self {
            range: Some((range.start, range.end)),
            ..self
        }
    }

    /// `mass = "860 g"`
    pub fn line(&self) -> String {
        format!("{} = {}", self.name, self.typical)
    }

    /// Whether a value is outside the range of the key; a quantity of another dimension is for the
    /// reader to refuse.
    pub fn excludes(&self, written: &Quantity) -> bool {
        let Some((least, greatest)) = self.range else {
            return false;
        };
        written.unit.dimension() == self.unit().dimension()
            && !(least..=greatest).contains(&written.si())
    }

    fn unit(&self) -> Unit {
        Quantity::parse(self.typical.trim_matches('"')).map_or(Unit::None, |quantity| quantity.unit)
    }

    /// The range, in the unit of the typical value as far as people would write it in that: `50 g
    /// to 50 kg`.
    pub fn range_words(&self) -> Option<String> {
        let (least, greatest) = self.range?;
        let usual = self.unit();
        let written = |si: f64| {
            let of_this = Unit::ALL
                .iter()
                .filter(|unit| unit.dimension() == usual.dimension());
            let shorter = of_this
                .map(|unit| Quantity::from_si(si, *unit))
                .filter(|quantity| quantity.value.abs() < 1e3);
            let as_usual = Quantity::from_si(si, usual);
            let long = as_usual.value.abs() >= 1e3;
            let shorter = shorter
                .filter(|_| long)
                .min_by_key(|quantity| quantity.to_string().len());
            shorter.unwrap_or(as_usual)
        };
        Some(format!("{} to {}", written(least), written(greatest)))
    }
}

/// One section of a file: `[body]`, `[[sensor]]`, or the keys at its top.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Section {
    /// How it is written: `[body]`, `[[sensor]]`, `[surface.NAME]`.
    pub title: &'static str,
    /// What it describes, in one sentence.
    pub about: &'static str,
    /// Its keys, in the order in which people write them.
    pub keys: &'static [Key],
}

impl Section {
    /// A section of keys at the top of a file.
    pub(crate) const fn top(about: &'static str, keys: &'static [Key]) -> Self {
        Self {
            title: "",
            about,
            keys,
        }
    }

    /// The names at the top of the file by which its parts are read: `body`, `sensor`, `surface`.
    pub fn top_names(&self) -> impl Iterator<Item = &'static str> {
        let in_brackets = self
            .title
            .split('[')
            .skip(1)
            .filter_map(|part| part.split([']', '.']).next());
        let keys = self
            .keys
            .iter()
            .filter(|_| self.title.is_empty())
            .map(|key| key.name);
        in_brackets.filter(|name| !name.is_empty()).chain(keys)
    }

    /// The section as one would begin to write it below this header: the keys that must be there,
    /// with typical values.
    pub fn template(&self, header: &str) -> String {
        let needed = self
            .keys
            .iter()
            .filter(|key| key.default.is_none())
            .map(|key| format!("\n{}", key.line()));
        format!("{header}{}", needed.collect::<String>())
    }
}

/// A section of a file that can be read.
pub trait Described: DeserializeOwned {
    /// Its description.
    const SECTION: Section;
}

/// What a key of a type holds, in words.
pub trait Holds {
    /// In words, with an article.
    const WORDS: &'static str;
    /// No number of it may be less than this, in SI units.
    const LEAST: f64 = f64::NEG_INFINITY;
}

impl<T: Measure> Holds for T {
    const WORDS: &'static str = T::DIMENSION.name();
}

impl<T: Measure> Holds for Positive<T> {
    const WORDS: &'static str = T::DIMENSION.name();
    const LEAST: f64 = f64::MIN_POSITIVE;
}

impl<T: Measure> Holds for NotNegative<T> {
    const WORDS: &'static str = T::DIMENSION.name();
    const LEAST: f64 = 0.0;
}

macro_rules! holds {
    ($($type:ty: $words:literal),* $(,)?) => {
        $(impl $crate::keys::Holds for $type { const WORDS: &'static str = $words; })*
    };
}

holds!(
    Pair: "two lengths",
    Vec<Pair>: "a list of places",
    String: "a text",
    Vec<String>: "a list of texts",
    Vec<Percent>: "a list of percentages",
    f64: "a plain number",
    i32: "a whole number",
    bool: "true or false",
);
pub(crate) use holds;

impl Holds for u32 {
    const WORDS: &'static str = "a whole number";
    const LEAST: f64 = 0.0;
}

impl<T: Holds> Holds for Option<T> {
    const WORDS: &'static str = T::WORDS;
    const LEAST: f64 = T::LEAST;
}

impl<T: Holds> Holds for toml::Spanned<T> {
    const WORDS: &'static str = T::WORDS;
    const LEAST: f64 = T::LEAST;
}

/// Defines a section of a file: the struct that it is read into, and its description.
///
/// Each key has its type, `required` or what holds when it is left out, a typical value as it is
/// written, a range in SI units if the loader knows one, and a sentence. `..SHAPE` and `..PATH`
/// stand for the keys that several sections share.
macro_rules! section {
    // Where something lies and what shape it has: keys that many sections of a field share.
    (
        $(#[$meta:meta])* $vis:vis $name:ident $title:literal $about:literal
        $( $(#[$attr:meta])* $key:ident: $type:ty = $typical:literal, $need:expr $(, in $range:expr)?, $what:literal; )*
        ..SHAPE;
        $($rest:tt)*
    ) => {
        $crate::keys::section! {
            $(#[$meta])* $vis $name $title $about
            $( $(#[$attr])* $key: $type = $typical, $need $(, in $range)?, $what; )*
            at: Option<Pair> = "\"300, 200 mm\"", Some("given by `points`"), "The middle of the shape.";
            size: Option<Spanned<Pair>> = "\"120, 80 mm\"", Some("given by `diameter` or `points`"), "Width and height of a rectangle.";
            turned: Option<Angle> = "\"30 deg\"", Some("0 deg"), "The rectangle is turned counter-clockwise by this angle.";
            diameter: Option<Positive<Length>> = "\"80 mm\"", Some("given by `size` or `points`"), "The diameter of a disc.";
            points: Option<Spanned<Vec<Pair>>> = "[\"100, 100 mm\", \"200, 100 mm\", \"150, 180 mm\"]", Some("given by `at`"), "The corners, in the order in which they go round.";
            $($rest)*
        }
    };
    // A line that is laid: keys that tape and walls share.
    (
        $(#[$meta:meta])* $vis:vis $name:ident $title:literal $about:literal
        $( $(#[$attr:meta])* $key:ident: $type:ty = $typical:literal, $need:expr $(, in $range:expr)?, $what:literal; )*
        ..PATH;
        $($rest:tt)*
    ) => {
        $crate::keys::section! {
            $(#[$meta])* $vis $name $title $about
            $( $(#[$attr])* $key: $type = $typical, $need $(, in $range)?, $what; )*
            from: Option<Pair> = "\"300, 200 mm\"", Some("given by `points`"), "Where the tape begins, for a path of legs.";
            heading: Option<Angle> = "\"0 deg\"", Some("0 deg"), "The heading in which the tape begins.";
            legs: Option<Spanned<Vec<String>>> = "[\"ahead 600 mm\", \"bend left 90 deg radius 200 mm\"]", Some("given by `points`"), "Pieces laid like tape: `ahead`, `bend`, `corner`, `to`.";
            points: Option<Spanned<Vec<Pair>>> = "[\"300, 200 mm\", \"900, 200 mm\"]", Some("given by `legs`"), "The middle line, corner by corner.";
            $($rest)*
        }
    };
    (
        $(#[$meta:meta])* $vis:vis $name:ident $title:literal $about:literal
        $( $(#[$attr:meta])* $key:ident: $type:ty = $typical:literal, $need:expr $(, in $range:expr)?, $what:literal; )*
    ) => {
        $(#[$meta])*
        #[doc = $about]
        #[derive(serde::Deserialize)]
        #[serde(deny_unknown_fields)]
        $vis struct $name { $( #[doc = $what] $(#[$attr])* $vis $key: $type, )* }

        impl $crate::keys::Described for $name {
            const SECTION: $crate::keys::Section = $crate::keys::Section {
                title: $title,
                about: $about,
                keys: &[$( $crate::keys::Key {
                    name: $crate::keys::plain_name(stringify!($key)),
                    holds: <$type as $crate::keys::Holds>::WORDS,
                    default: $need,
                    typical: $typical,
                    range: $crate::keys::range!($($range)?),
                    least: <$type as $crate::keys::Holds>::LEAST,
                    what: $what,
                }, )*],
            };
        }
    };
}
pub(crate) use section;

macro_rules! range {
    () => {
        None
    };
    ($range:expr) => {
        Some(($range.start, $range.end))
    };
}
pub(crate) use range;

/// A key must be there.
pub(crate) const REQUIRED: Option<&str> = None;

/// A key without the mark that keeps it from being a word of the programming language.
pub(crate) const fn plain_name(name: &'static str) -> &'static str {
    match name.as_bytes() {
        [b'r', b'#', ..] => name.split_at(2).1,
        _ => name,
    }
}
