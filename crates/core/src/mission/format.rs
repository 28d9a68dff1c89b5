//! The one way a mission is laid out: indentation, spaces, aligned arrows, one blank line before a
//! step.
//!
//! Works on tokens, not on the model, so that comments stay where they are and a broken line is
//! left as it is.

use std::ops::Range;

use super::ast::{Line, LineKind};
use super::lexer::{Token, TokenKind, tokens};
use super::parser::parse;
use crate::units::Unit;

/// Lays a mission text out. What it says does not change; formatting twice is formatting once.
pub fn format(text: &str) -> String {
    let parsed = parse(text);
    if parsed.lines.is_empty() {
        return text.to_owned();
    }
    let mut lines: Vec<Laid> = parsed.lines.iter().map(|line| lay(text, line)).collect();
    indent_comments(&mut lines, &parsed.lines);
    align_arrows(&mut lines, &parsed.lines);
    space_out(&lines, &parsed.lines)
}

/// A line taken apart for output.
struct Laid {
    indent: usize,
    /// The sentence up to its arrow.
    head: String,
    /// From the arrow on.
    arrow: Option<String>,
    comment: String,
}

fn lay(text: &str, line: &Line) -> Laid {
    let comment = line
        .comment
        .clone()
        .map_or("", |span| text[span].trim_end());
    if line.kind == LineKind::Broken {
        let sentence = &text[line.span.start
            ..line
                .comment
                .as_ref()
                .map_or(line.span.end, |span| span.start)];
        let indent = sentence.len() - sentence.trim_start().len();
        return Laid {
            indent,
            head: sentence.trim().to_owned(),
            arrow: None,
            comment: comment.to_owned(),
        };
    }
    let (tokens, _) = tokens(text, line.span.clone());
    let split = tokens
        .iter()
        .position(|token| token.kind == TokenKind::Arrow)
        .unwrap_or(tokens.len());
    let mut head = join(text, &tokens[..split]);
    if line.kind == LineKind::Exit {
        if let Some((span, word)) = agreement(&head) {
            head.replace_range(span, word);
        }
        // `until` and `or` take the same room, so that the conditions stand below each other.
        if let Some(rest) = head.strip_prefix("or ") {
            head = format!("or    {rest}");
        }
    }
    if head == "hold" {
        head.push_str(", brake");
    }
    let indent = match line.kind {
        LineKind::Header | LineKind::Watch | LineKind::Behaviour | LineKind::Exit => {
            2 * line.depth + 2
        }
        LineKind::Row => 2 * line.depth + 4,
        // Like the `repeat` that it ends; the one of a routine stands in nothing.
        LineKind::End => (2 * line.depth).saturating_sub(2),
        LineKind::Blank
        | LineKind::Mission
        | LineKind::Let
        | LineKind::Step
        | LineKind::Routine
        | LineKind::Reflex
        | LineKind::Broken => 2 * line.depth,
    };
    let arrow = (split < tokens.len()).then(|| join(text, &tokens[split..]));
    Laid {
        indent,
        head,
        arrow,
        comment: comment.to_owned(),
    }
}

/// Tokens with one space between them, none before a comma, within brackets and around the slash of
/// a unit.
fn join(text: &str, tokens: &[Token]) -> String {
    let mut joined = String::new();
    let mut glued = true;
    for (index, token) in tokens.iter().enumerate() {
        let word = &text[token.span.clone()];
        let before = |back: usize| {
            index
                .checked_sub(back)
                .map(|at| &text[tokens[at].span.clone()])
        };
        let after = tokens.get(index + 1).map(|token| &text[token.span.clone()]);
        let in_unit = |left: Option<&str>, right: Option<&str>| {
            let (Some(left), Some(right)) = (left, right) else {
                return false;
            };
            Unit::parse(&format!("{left}/{right}")).is_some()
        };
        let slash = word == "/" && in_unit(before(1), after);
        let calls = word == "(" && matches!(before(1), Some("min" | "max" | "abs"));
        if !(glued || slash || calls || word == "," || word == ")") {
            joined.push(' ');
        }
        joined.push_str(word);
        glued = slash || word == "(";
    }
    joined
}

/// Where the last word of a condition disagrees with its number (`1 dark lines`, `4 s passes`), and
/// the right one.
pub(super) fn agreement(condition: &str) -> Option<(Range<usize>, &'static str)> {
    let words: Vec<&str> = condition.split_whitespace().collect();
    let one = |word: &str| word.parse() == Ok(1.0);
    let is_number = |word: &str| word.starts_with(|c: char| c.is_ascii_digit());
    let (last, right) = match words.as_slice() {
        [.., "crossed" | "met", count, _, last @ ("line" | "lines")] => {
            (*last, if one(count) { "line" } else { "lines" })
        }
        [_, value, _, last @ ("pass" | "passes")] if is_number(value) => {
            (*last, if one(value) { "passes" } else { "pass" })
        }
        [_, _, last @ "pass"] => (*last, "passes"),
        _ => return None,
    };
    let end = condition.trim_end().len();
    (last != right).then_some((end - last.len()..end, right))
}

/// A comment on a line of its own stands like the line below it; at the end, like the line above.
fn indent_comments(lines: &mut [Laid], kinds: &[Line]) {
    let mut below: Option<usize> = None;
    for (line, kind) in lines.iter_mut().zip(kinds).rev() {
        match kind.kind {
            LineKind::Blank => line.indent = below.unwrap_or(0),
            LineKind::Mission
            | LineKind::Header
            | LineKind::Let
            | LineKind::Step
            | LineKind::Routine
            | LineKind::Reflex
            | LineKind::Watch
            | LineKind::Behaviour
            | LineKind::Row
            | LineKind::Exit
            | LineKind::End
            | LineKind::Broken => below = Some(line.indent),
        }
    }
}

fn align_arrows(lines: &mut [Laid], kinds: &[Line]) {
    let mut at = 0;
    while at < lines.len() {
        let opens = |kind: LineKind| {
            matches!(
                kind,
                LineKind::Step | LineKind::Routine | LineKind::Reflex | LineKind::End
            )
        };
        let end = (at + 1..lines.len())
            .find(|&line| opens(kinds[line].kind))
            .unwrap_or(lines.len());
        let width = |line: &Laid| line.head.chars().count();
        let widest = lines[at..end]
            .iter()
            .filter(|line| line.arrow.is_some())
            .map(width)
            .max()
            .unwrap_or(0);
        for line in &mut lines[at..end] {
            if line.arrow.is_some() {
                let missing = widest - width(line);
                line.head.push_str(&" ".repeat(missing));
            }
        }
        at = end;
    }
}

fn space_out(lines: &[Laid], kinds: &[Line]) -> String {
    // A step takes the comments right above it along, so the blank line goes above them.
    let is_comment =
        |index: usize| kinds[index].kind == LineKind::Blank && !lines[index].comment.is_empty();
    let opens_step = |index: usize| {
        let mut at = index;
        while at < lines.len() && is_comment(at) {
            at += 1;
        }
        let opens = at < lines.len()
            && matches!(
                kinds[at].kind,
                LineKind::Step | LineKind::Routine | LineKind::Reflex
            );
        opens && (index == 0 || !is_comment(index - 1))
    };
    let mut out = String::new();
    let mut within = false;
    for (index, line) in lines.iter().enumerate() {
        if line.head.is_empty() && line.comment.is_empty() {
            if !out.is_empty() && !out.ends_with("\n\n") {
                out.push('\n');
            }
            continue;
        }
        if opens_step(index) && !out.is_empty() && !out.ends_with("\n\n") && !within {
            out.push('\n');
        }
        // The first step of a routine or a repeat may stand right below it.
        within = kinds[index].kind == LineKind::Routine || line.head.starts_with("repeat ");
        out.push_str(&" ".repeat(line.indent));
        out.push_str(&line.head);
        if let Some(arrow) = &line.arrow {
            out.push_str("  ");
            out.push_str(arrow);
        }
        if !line.comment.is_empty() {
            out.push_str(if line.head.is_empty() { "" } else { "  " });
            out.push_str(&line.comment);
        }
        out.push('\n');
    }
    while out.ends_with("\n\n") {
        out.pop();
    }
    out
}
