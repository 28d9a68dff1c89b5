//! Changes of exits as replacements of spans: the first of a step starts with `until`, every other
//! one with `or`.

use super::ast::{Behaviour, Exit, LineKind, Step};
use super::edit::{Edit, delete_line};
use super::parser::Parsed;
use crate::ids::TextStep;

/// The step that an exit on a line belongs to, and which of its exits it is.
pub fn exit_at(parsed: &Parsed, line: usize) -> Option<(TextStep, usize)> {
    parsed.mission.numbered().find_map(|(index, step)| {
        // What a copy has from its original stands elsewhere.
        let here = |exit: &Exit| {
            exit.line == line && parsed.lines[line].span.contains(&exit.condition.span.start)
        };
        let nth = step.exits.iter().position(here)?;
        Some((index, nth))
    })
}

/// The exit whose condition stands on a line.
pub fn exit_on(parsed: &Parsed, line: usize) -> Option<&Exit> {
    let (step, nth) = exit_at(parsed, line)?;
    Some(&parsed.mission.steps[step].exits[nth])
}

/// The line below which a step's next exit stands.
fn last_line(step: &Step) -> usize {
    let repeats = matches!(&step.behaviour, Some((behaviour, _)) if matches!(behaviour.node, Behaviour::Repeat(_)));
    if step.like.is_some() {
        return step.last;
    }
    let exit = step.exits.last().map(|exit| exit.line);
    let row = step.rows.last().map(|row| row.line);
    let behaviour = step
        .behaviour
        .as_ref()
        .map(|(_, line)| if repeats { step.last } else { *line });
    exit.or(row).or(behaviour).unwrap_or(step.line)
}

/// One more exit for a step, below those it has. `target`: what stands behind its arrow, if
/// anything.
pub fn add_exit(
    parsed: &Parsed,
    text: &str,
    step: TextStep,
    condition: &str,
    target: Option<&str>,
) -> Edit {
    let about = &parsed.mission.steps[step];
    let header = &text[parsed.lines[about.line].span.clone()];
    let indent = &header[..header.len() - header.trim_start().len()];
    let word = match (&about.like, about.exits.is_empty()) {
        (Some(_), _) => "but until",
        (None, true) => "until",
        (None, false) => "or   ",
    };
    let arrow = target.map_or_else(String::new, |target| format!("  -> {target}"));
    let at = parsed.lines[last_line(about)].span.end;
    Edit {
        span: at..at,
        text: format!("\n{indent}  {word} {condition}{arrow}"),
    }
}

/// The words that the exits of a step begin with, where they are not the right ones: `until` for
/// the first, `or` for others.
pub fn first_words(parsed: &Parsed, text: &str, step: TextStep) -> Vec<Edit> {
    let about = &parsed.mission.steps[step];
    if about.like.is_some() {
        return Vec::new();
    }
    // By their words, since one that begins with the wrong one is read as no exit.
    let innermost = |line: usize| {
        parsed
            .mission
            .steps
            .iter()
            .rposition(|step| (step.line..=step.last).contains(&line))
    };
    let own = (about.line + 1..=about.last).filter(|line| innermost(*line) == Some(step.0));
    let exits = own.filter_map(|line| {
        let span = parsed.lines[line].span.clone();
        let written = &text[span.clone()];
        let start = span.start + written.len() - written.trim_start().len();
        let word = written
            .split_whitespace()
            .next()
            .filter(|word| matches!(*word, "until" | "or"))?;
        Some((start, word))
    });
    let wrong = exits.enumerate().filter_map(|(nth, (start, word))| {
        let wanted = if nth == 0 { "until" } else { "or" };
        (word != wanted).then(|| Edit {
            span: start..start + word.len(),
            text: wanted.to_owned(),
        })
    });
    wrong.collect()
}

/// Puts lines below a line of the text: as deep as they belong there, and as deep among each other
/// as they were.
pub fn lines_below(parsed: &Parsed, text: &str, line: usize, lines: &[String]) -> Edit {
    let Some(above) = parsed.lines.get(line) else {
        return Edit::insert(text.len(), lines.join("\n"));
    };
    let depth = |line: &str| line.len() - line.trim_start().len();
    let written = lines.iter().filter(|line| !line.trim().is_empty());
    let least = written.map(|line| depth(line)).min().unwrap_or(0);
    let header = &text[above.span.clone()];
    // What belongs to a step stands below its name.
    let opens = matches!(
        above.kind,
        LineKind::Step | LineKind::Routine | LineKind::Reflex | LineKind::Mission
    );
    let margin = format!(
        "{}{}",
        &header[..depth(header)],
        if opens { "  " } else { "" }
    );
    let new: Vec<String> = lines
        .iter()
        .map(|line| {
            format!("\n{margin}{}", line.get(least..).unwrap_or_default())
                .trim_end_matches(' ')
                .to_owned()
        })
        .collect();
    Edit::insert(above.span.end, new.concat())
}

/// Takes the exit on a line out; the next one then starts with `until` if need be.
pub fn remove_exit(parsed: &Parsed, text: &str, line: usize) -> Option<Edit> {
    let (step, nth) = exit_at(parsed, line)?;
    let exits = &parsed.mission.steps[step].exits;
    let out = delete_line(parsed, text, line);
    let Some(next) = exits.get(nth + 1).filter(|_| nth == 0) else {
        return Some(out);
    };
    let span = parsed.lines[next.line].span.clone();
    let old = &text[span.clone()];
    let (indent, rest) = old.split_at(old.len() - old.trim_start().len());
    let rest = rest.strip_prefix("or")?.trim_start();
    let between = &text[out.span.end.min(span.start)..span.start];
    Some(Edit {
        span: out.span.start..span.end,
        text: format!("{between}{indent}until {rest}"),
    })
}

/// Swaps the exit on a line with the one above or below: the first that holds wins, so that order
/// matters.
pub fn move_exit(parsed: &Parsed, text: &str, line: usize, up: bool) -> Option<Edit> {
    let (step, nth) = exit_at(parsed, line)?;
    let exits = &parsed.mission.steps[step].exits;
    if parsed.mission.steps[step].like.is_some() {
        return None;
    }
    let other = if up { nth.checked_sub(1)? } else { nth + 1 };
    let (first, second) = (exits.get(nth.min(other))?, exits.get(nth.max(other))?);
    let spans = [first, second].map(|exit| parsed.lines[exit.line].span.clone());
    // Everything but the word that it starts with changes places.
    let parts = spans.clone().map(|span| {
        let line = &text[span];
        let word = line.split_whitespace().next().map_or(0, str::len);
        line.split_at(line.len() - line.trim_start().len() + word)
    });
    let between = &text[spans[0].end..spans[1].start];
    let swapped = format!(
        "{}{}{between}{}{}",
        parts[0].0, parts[1].1, parts[1].0, parts[0].1
    );
    Some(Edit {
        span: spans[0].start..spans[1].end,
        text: swapped,
    })
}
