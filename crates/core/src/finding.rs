//! Findings: what is wrong with a user's file, where, and what to do about it.
//!
//! Reading a text answers a value and a list of findings, never an error type: everything that can
//! still be understood is, and all mistakes of a file are told at once.

use std::ops::Range;

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Nothing can run until it is mended.
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

/// One thing to mend, with its place.
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
    /// What to do, each one line.
    pub hints: Vec<String>,
}

impl Finding {
    /// An error without a hint yet.
    pub fn error(code: &'static str, source: Source, span: Range<usize>, message: impl Into<String>) -> Self {
        Self { code, severity: Severity::Error, source, span, message: message.into(), hints: Vec::new() }
    }

    /// A warning without a hint yet.
    pub fn warning(code: &'static str, source: Source, span: Range<usize>, message: impl Into<String>) -> Self {
        Self { severity: Severity::Warning, ..Self::error(code, source, span, message) }
    }

    /// The same finding with one more hint.
    #[must_use]
    pub fn hint(mut self, hint: impl Into<String>) -> Self {
        self.hints.push(hint.into());
        self
    }

    /// The same finding with a hint, when there is one.
    #[must_use]
    pub fn maybe_hint(mut self, hint: Option<String>) -> Self {
        self.hints.extend(hint);
        self
    }
}

/// Whether any finding of the list is an error.
pub fn has_errors(findings: &[Finding]) -> bool {
    findings.iter().any(|finding| finding.severity == Severity::Error)
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
        .map(|candidate| (strsim::damerau_levenshtein(&typed, &candidate.to_lowercase()), candidate))
        .filter(|(distance, candidate)| *distance <= (candidate.chars().count().max(typed.chars().count()) / 3).max(1))
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, candidate)| candidate)
}

/// A hint for a name that does not exist: the nearest one, or the list of those that do.
pub fn did_you_mean<'a>(typed: &str, candidates: impl IntoIterator<Item = &'a str> + Clone) -> Option<String> {
    if let Some(near) = nearest(typed, candidates.clone()) {
        return Some(format!("did you mean `{near}`?"));
    }
    let all: Vec<String> = candidates.into_iter().take(12).map(|name| format!("`{name}`")).collect();
    (!all.is_empty()).then(|| format!("there is {}", all.join(", ")))
}

/// Line and column of a byte offset, both counted from 1; the column in characters.
pub fn line_column(text: &str, offset: usize) -> (usize, usize) {
    let mut offset = offset.min(text.len());
    while !text.is_char_boundary(offset) {
        offset -= 1;
    }
    let before = &text[..offset];
    let start = before.rfind('\n').map_or(0, |at| at + 1);
    (before.matches('\n').count() + 1, before[start..].chars().count() + 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn near_names_are_suggested_and_far_ones_listed() {
        let names = ["floor-left", "floor-right", "hue"];
        assert_eq!(did_you_mean("flor-left", names).as_deref(), Some("did you mean `floor-left`?"));
        assert_eq!(did_you_mean("sonar", names).as_deref(), Some("there is `floor-left`, `floor-right`, `hue`"));
        assert_eq!(did_you_mean("x", []), None);
    }

    #[test]
    fn places_count_from_one_and_survive_odd_offsets() {
        assert_eq!(line_column("ab\ncd", 4), (2, 2));
        assert_eq!(line_column("é\nx", 1), (1, 1));
        assert_eq!(line_column("", 9), (1, 1));
    }
}
