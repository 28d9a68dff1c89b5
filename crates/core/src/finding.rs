//! Findings: what is wrong with a user's file, where, and what to do about it.
//!
//! Reading a text answers a value and a list of findings, never an error type: everything that can
//! still be understood is, and all mistakes of a file are reported at once.

use std::ops::Range;

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Nothing can run until it is fixed.
    Error,
    /// It runs, but probably not as meant.
    Warning,
    /// Worth a thought, no more.
    Note,
}

impl Severity {
    /// The word printed in front of the message.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Error => "error",
            Self::Warning => "warning",
            Self::Note => "note",
        }
    }
}

/// Which of a project's texts a finding is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Source {
    /// `wayodos.toml`.
    Project,
    /// The mission text.
    Mission,
    /// The robot file.
    Robot,
    /// The field file.
    Field,
    /// `calibration.toml`.
    Calibration,
    /// The file of what is done by hand.
    Hands,
}

/// A replacement of some bytes of a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Edit {
    /// The bytes that are replaced.
    pub span: Range<usize>,
    /// The new text.
    pub text: String,
}

impl Edit {
    /// An insertion of text at one place.
    pub fn insert(at: usize, text: impl Into<String>) -> Self {
        Self {
            span: at..at,
            text: text.into(),
        }
    }

    /// The text after the edit.
    pub fn apply(&self, text: &str) -> String {
        format!(
            "{}{}{}",
            &text[..self.span.start],
            self.text,
            &text[self.span.end..]
        )
    }
}

/// A text after several edits that do not overlap; equal ones are applied once.
pub fn apply_all(text: &str, mut edits: Vec<Edit>) -> String {
    edits.sort_by(|a, b| {
        (a.span.start, a.span.end, &a.text).cmp(&(b.span.start, b.span.end, &b.text))
    });
    edits.dedup();
    let mut new = String::with_capacity(text.len() + 64);
    let mut at = 0;
    for edit in edits {
        debug_assert!(edit.span.start >= at, "edits overlap");
        new.push_str(&text[at..edit.span.start]);
        new.push_str(&edit.text);
        at = edit.span.end;
    }
    new.push_str(&text[at..]);
    new
}

/// What to do about a finding, and the edits of the same text that do it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hint {
    /// One line for a person.
    pub words: String,
    /// The change, when a program can make it; empty otherwise. The edits belong together and do
    /// not overlap.
    pub edits: Vec<Edit>,
}

impl Hint {
    /// A hint with the one edit that follows it.
    pub fn edit(words: impl Into<String>, edit: Edit) -> Self {
        Self {
            words: words.into(),
            edits: vec![edit],
        }
    }
}

impl From<String> for Hint {
    fn from(words: String) -> Self {
        Self {
            words,
            edits: Vec::new(),
        }
    }
}

impl From<&str> for Hint {
    fn from(words: &str) -> Self {
        words.to_owned().into()
    }
}

/// Any number of hints.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Hints(pub Vec<Hint>);

impl Hints {
    /// These, or another one when there are none.
    #[must_use]
    pub fn or(self, other: impl Into<Hint>) -> Self {
        if self.0.is_empty() {
            Self(vec![other.into()])
        } else {
            self
        }
    }

    /// The same for a place whose text stands in quotes.
    #[must_use]
    pub fn quoted(mut self) -> Self {
        for edit in self.0.iter_mut().flat_map(|hint| &mut hint.edits) {
            edit.text = format!("\"{}\"", edit.text);
        }
        self
    }
}

impl<T: Into<Hint>> From<T> for Hints {
    fn from(hint: T) -> Self {
        Self(vec![hint.into()])
    }
}

impl<T: Into<Hint>> From<Option<T>> for Hints {
    fn from(hint: Option<T>) -> Self {
        Self(hint.into_iter().map(Into::into).collect())
    }
}

/// A problem in a user's file, with its place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Finding {
    /// Stable code, such as `M101`; explained in docs/findings.md.
    pub code: &'static str,
    /// How much it matters.
    pub severity: Severity,
    /// The text it is in.
    pub source: Source,
    /// The bytes it is about, within that text.
    pub span: Range<usize>,
    /// What is wrong, in one line: lower case, no full stop, numbers with units.
    pub message: String,
    /// What to do about it.
    pub hints: Vec<Hint>,
}

impl Finding {
    /// An error without a hint yet.
    pub fn error(
        code: &'static str,
        source: Source,
        span: Range<usize>,
        message: impl Into<String>,
    ) -> Self {
        Self {
            code,
            severity: Severity::Error,
            source,
            span,
            message: message.into(),
            hints: Vec::new(),
        }
    }

    /// A warning without a hint yet.
    pub fn warning(
        code: &'static str,
        source: Source,
        span: Range<usize>,
        message: impl Into<String>,
    ) -> Self {
        Self {
            severity: Severity::Warning,
            ..Self::error(code, source, span, message)
        }
    }

    /// The same finding with one more hint.
    #[must_use]
    pub fn hint(mut self, hints: impl Into<Hints>) -> Self {
        self.help(hints);
        self
    }

    /// Adds hints to a finding in place.
    pub fn help(&mut self, hints: impl Into<Hints>) {
        self.hints.extend(hints.into().0);
    }

    /// The hints' words, for a person.
    pub fn hint_words(&self) -> Vec<&str> {
        self.hints.iter().map(|hint| hint.words.as_str()).collect()
    }
}

/// Whether any finding of the list is an error.
pub fn has_errors(findings: &[Finding]) -> bool {
    findings
        .iter()
        .any(|finding| finding.severity == Severity::Error)
}

/// The nearest of `candidates` to what was typed, when it is near enough to be meant.
pub fn nearest<'a>(typed: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    // Long garbage is nobody's typing error, and the distance is quadratic in its length.
    if typed.len() > 60 {
        return None;
    }
    let typed = typed.to_lowercase();
    candidates
        .into_iter()
        .map(|candidate| {
            (
                strsim::damerau_levenshtein(&typed, &candidate.to_lowercase()),
                candidate,
            )
        })
        .filter(|(distance, candidate)| {
            *distance <= (candidate.chars().count().max(typed.chars().count()) / 3).max(1)
        })
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, candidate)| candidate)
}

/// At most this many names are proposed when none is near to what was typed.
const MOST_PROPOSED: usize = 3;

/// Hints for a name that does not exist: to write the nearest one, or some of those that do.
///
/// - `span`: the bytes of the name as typed, which the hints' edits replace
pub fn did_you_mean<'a>(
    span: &Range<usize>,
    typed: &str,
    candidates: impl IntoIterator<Item = &'a str> + Clone,
) -> Hints {
    let write = |name: &str| Edit {
        span: span.clone(),
        text: name.to_owned(),
    };
    if let Some(near) = nearest(typed, candidates.clone()) {
        return Hint::edit(format!("did you mean `{near}`?"), write(near)).into();
    }
    let mut all = candidates.into_iter();
    let first: Vec<&str> = all.by_ref().take(MOST_PROPOSED).collect();
    let mut hints: Vec<Hint> = first
        .iter()
        .map(|name| Hint::edit(format!("write `{name}`"), write(name)))
        .collect();
    let more = all.count();
    if let (Some(last), 1..) = (hints.last_mut(), more) {
        last.words = format!("{}, or one of {more} more", last.words);
    }
    Hints(hints)
}

/// Line and column of a byte offset, both counted from 1; the column in characters.
pub fn line_column(text: &str, offset: usize) -> (usize, usize) {
    let mut offset = offset.min(text.len());
    while !text.is_char_boundary(offset) {
        offset -= 1;
    }
    let before = &text[..offset];
    let start = before.rfind('\n').map_or(0, |at| at + 1);
    (
        before.matches('\n').count() + 1,
        before[start..].chars().count() + 1,
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn near_names_are_suggested_and_far_ones_listed() {
        let names = ["floor-left", "floor-right", "hue"];
        let hints = |typed: &str, names: &[&str]| {
            let hints = did_you_mean(&(4..9), typed, names.iter().copied()).0;
            hints
                .into_iter()
                .map(|hint| (hint.words, hint.edits[0].text.clone()))
                .collect::<Vec<_>>()
        };
        let one = |words: &str, text: &str| (words.to_owned(), text.to_owned());
        assert_eq!(
            hints("flor-left", &names),
            [one("did you mean `floor-left`?", "floor-left")]
        );
        assert_eq!(
            hints("sonar", &names[1..]),
            [
                one("write `floor-right`", "floor-right"),
                one("write `hue`", "hue")
            ]
        );
        let many = ["a1", "b2", "c3", "d4", "e5"];
        assert_eq!(
            hints("sonar", &many)[2],
            one("write `c3`, or one of 2 more", "c3")
        );
        assert_eq!(did_you_mean(&(0..1), "x", []), Hints::default());
        let quoted = did_you_mean(&(0..5), "hu", names).quoted();
        assert_eq!(quoted.0[0].edits[0].text, "\"hue\"");
    }

    #[test]
    fn edits_are_applied_together_and_equal_ones_once() {
        let edit = |span: Range<usize>, text: &str| Edit {
            span,
            text: text.to_owned(),
        };
        let edits = vec![
            edit(4..5, "E"),
            edit(0..1, "A"),
            edit(4..5, "E"),
            edit(2..2, "-"),
        ];
        assert_eq!(apply_all("abcde", edits), "Ab-cdE");
    }

    #[test]
    fn places_count_from_one_and_survive_odd_offsets() {
        assert_eq!(line_column("ab\ncd", 4), (2, 2));
        assert_eq!(line_column("é\nx", 1), (1, 1));
        assert_eq!(line_column("", 9), (1, 1));
    }
}
