//! Findings as text, with the lines they are about.

use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use wayodos_core::finding::{Finding, Severity, line_column};

/// A finding with its place, its lines and its hints, as a compiler would show it.
///
/// `path` and `text` are those of the file it is about.
pub fn render(finding: &Finding, path: &str, text: &str, colour: bool) -> String {
    let level = match finding.severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Note => Level::NOTE,
    };
    let span = whole_characters(text, finding.span.start)..whole_characters(text, finding.span.end);
    // Only the lines that it is about: each of many findings would go through the whole text again.
    let from = text[..span.start].rfind('\n').map_or(0, |at| at + 1);
    let to = text[span.end..].find('\n').map_or(text.len(), |at| span.end + at);
    let (line, _) = line_column(text, span.start);
    let here = span.start - from..span.end.max(span.start) - from;
    let snippet = Snippet::source(&text[from..to]).line_start(line).path(path);
    let snippet = snippet.annotation(AnnotationKind::Primary.span(here));
    let mut groups = vec![level.primary_title(&finding.message).id(finding.code).element(snippet)];
    let hints: Vec<Group<'_>> =
        finding.hints.iter().map(|hint| Group::with_title(Level::HELP.secondary_title(&hint.words))).collect();
    groups.extend(hints);
    let renderer = if colour { Renderer::styled() } else { Renderer::plain() };
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
    let told = |severity: Severity| match findings.iter().filter(|finding| finding.severity == severity).count() {
        0 => None,
        1 => Some(format!("1 {}", severity.word())),
        count => Some(format!("{count} {}s", severity.word())),
    };
    let parts: Vec<String> =
        [Severity::Error, Severity::Warning, Severity::Note].into_iter().filter_map(told).collect();
    let (last, rest) = parts.split_last()?;
    Some(if rest.is_empty() { last.clone() } else { format!("{} and {last}", rest.join(", ")) })
}
