//! Findings as text, with the lines they are about; and texts made safe for a terminal.

use std::borrow::Cow;

use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use wayodos_core::finding::{Finding, Severity, line_column};

/// A text of somebody's file without what a terminal would obey: each control character becomes one
/// of its own length in bytes that can be seen, so that places in the text stay what they are.
pub fn printable(text: &str) -> Cow<'_, str> {
    let obeyed = |letter: char| letter.is_control() && !matches!(letter, '\n' | '\t');
    if !text.contains(obeyed) {
        return text.into();
    }
    let seen = |letter: char| match letter.len_utf8() {
        _ if !obeyed(letter) => letter,
        // The ends of lines of some systems.
        _ if letter == '\r' => ' ',
        1 => '?',
        _ => '\u{bf}',
    };
    text.chars().map(seen).collect::<String>().into()
}

/// A finding with its place, its lines and its hints, as a compiler would show it.
///
/// `path` and `text` are those of the file it is about.
pub fn render(finding: &Finding, path: &str, text: &str, colour: bool) -> String {
    let level = match finding.severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Note => Level::NOTE,
    };
    let (shown, printed, message) = (
        printable(text),
        printable(path),
        printable(&finding.message),
    );
    let text = &*shown;
    let words: Vec<Cow<'_, str>> = finding
        .hints
        .iter()
        .map(|hint| printable(&hint.words))
        .collect();
    let span = whole_characters(text, finding.span.start)..whole_characters(text, finding.span.end);
    // Only the lines that it is about: each of many findings would go through the whole text again.
    let from = text[..span.start].rfind('\n').map_or(0, |at| at + 1);
    let to = text[span.end..]
        .find('\n')
        .map_or(text.len(), |at| span.end + at);
    let (line, _) = line_column(text, span.start);
    let here = span.start - from..span.end.max(span.start) - from;
    let snippet = Snippet::source(&text[from..to])
        .line_start(line)
        .path(&*printed);
    let snippet = snippet.annotation(AnnotationKind::Primary.span(here));
    let mut groups = vec![
        level
            .primary_title(&*message)
            .id(finding.code)
            .element(snippet),
    ];
    let hints: Vec<Group<'_>> = words
        .iter()
        .map(|words| Group::with_title(Level::HELP.secondary_title(&**words)))
        .collect();
    groups.extend(hints);
    let renderer = if colour {
        Renderer::styled()
    } else {
        Renderer::plain()
    };
    renderer.render(&groups).clone()
}

/// The nearest place at or before `at` that does not cut a character in two.
fn whole_characters(text: &str, at: usize) -> usize {
    let mut at = at.min(text.len());
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    at
}

/// `2 errors, 1 warning and 3 notes`; nothing when there are none.
pub fn count_words(findings: &[Finding]) -> Option<String> {
    let count_of = |severity: Severity| match findings
        .iter()
        .filter(|finding| finding.severity == severity)
        .count()
    {
        0 => None,
        1 => Some(format!("1 {}", severity.word())),
        count => Some(format!("{count} {}s", severity.word())),
    };
    let parts: Vec<String> = [Severity::Error, Severity::Warning, Severity::Note]
        .into_iter()
        .filter_map(count_of)
        .collect();
    let (last, rest) = parts.split_last()?;
    Some(if rest.is_empty() {
        last.clone()
    } else {
        format!("{} and {last}", rest.join(", "))
    })
}
