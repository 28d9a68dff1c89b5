//! What a line that is no sentence may have been meant to say.
//!
//! Three things are tried, the nearest to what was typed first: one sign or word put in, exchanged or
//! taken out; numbers and units written as they are here; and a new sentence made of what the words
//! are about, with the names of this robot. Each is tried in its step: only what reads without an
//! error is proposed.

mod conditions;
mod plain;
mod sentences;

use std::ops::Range;

use super::ast::{LineKind, Mission};
use super::behaviours::Behaviour;
use super::check::{Names, SOURCES, check};
use super::lexer::{TokenKind, tokens};
use super::parser::{Parsed, parse};
use crate::finding::{Edit, Finding, Hint, Severity};
use crate::ids::DeviceKind;
use plain::Words;

/// At most this many lines get proposals: whoever has more broken ones mends the first ones first.
const MOST_LINES: usize = 12;
/// At most this many ways to write a line are proposed.
const MOST_PROPOSED: usize = 3;
/// Longer lines are nobody's sentence.
const LONGEST: usize = 200;
/// A step with more lines than this is not tried out.
const LONGEST_STEP: usize = 80;

/// Words and signs that are left out most often.
const LEFT_OUT: &[&str] = &[
    ",",
    "at",
    "the",
    "a",
    "and",
    "to",
    "of",
    "times",
    "lines",
    "line",
    "with",
    "is",
    "for",
    "by",
    "on",
    "pass",
    "=",
    "reaches",
    "lines with",
    "->",
];

/// Words that are written for others, and what is written here.
const EXCHANGED: &[(&str, &str)] = &[
    ("forward", "ahead"),
    ("forwards", "ahead"),
    ("straight", "ahead"),
    ("backward", "back"),
    ("backwards", "back"),
    ("reverse", "back"),
    ("see", "sees"),
    ("seen", "sees"),
    ("detects", "sees"),
    ("crossed", "has crossed"),
    ("crosses", "has crossed"),
    ("dropped", "has dropped"),
    ("risen", "has risen"),
    ("met", "has met"),
    ("black", "dark"),
    ("white", "pale"),
    ("under", "<"),
    ("below", "<"),
    ("above", ">"),
    ("over", ">"),
    ("loop", "repeat"),
    ("call", "do"),
    ("run", "do"),
    ("stop", "done"),
    ("finish", "done"),
    ("end", "done"),
    ("exit", "done"),
    ("continue", "next"),
    ("infinitely", "forever"),
    ("endless", "forever"),
    ("always", "forever"),
    ("clockwise", "right"),
    ("counterclockwise", "left"),
    ("anticlockwise", "left"),
    ("traveled", "travelled"),
    ("driven", "travelled"),
    ("moved", "travelled"),
    ("rotated", "turned"),
    ("spun", "turned"),
    ("speed", "at"),
    ("wait", "hold"),
    ("using", "with"),
    ("elapsed", "pass"),
    ("passed", "pass"),
    ("if", "when"),
    ("when", "until"),
    ("else", "otherwise"),
    ("rim", "edge"),
    ("heading", "heading reaches"),
    ("goto", "->"),
    ("then", "->"),
    ("is", "sees"),
];

/// A way to write a line.
struct Proposal {
    /// What stands in place of the line, several lines where one is not enough.
    lines: Vec<String>,
    /// What was wrong with it, where that is known.
    said: Option<String>,
    /// It leaves out some of what was typed: only where nothing better reads.
    last_resort: bool,
}

impl Proposal {
    fn line(line: impl Into<String>) -> Self {
        Self {
            lines: vec![line.into()],
            said: None,
            last_resort: false,
        }
    }
}

/// Adds to the findings about broken lines what may have been meant there.
pub fn explain(text: &str, parsed: &Parsed, names: &Names, findings: &mut [Finding]) {
    let mut done: Vec<usize> = Vec::new();
    for finding in findings.iter_mut() {
        if done.len() >= MOST_LINES {
            return;
        }
        let about_words = matches!(
            finding.code,
            "M002" | "M003" | "M004" | "M005" | "M006" | "M007" | "M101" | "M102" | "M103"
        );
        if finding.severity != Severity::Error || !about_words {
            continue;
        }
        let Some(place) = Place::of(text, parsed, finding.span.start) else {
            continue;
        };
        if done.contains(&place.line) {
            continue;
        }
        done.push(place.line);
        help(&place, names, finding);
    }
}

/// The names of what steps measure, of what routines are given, and of what the robot knows by
/// itself.
fn measured(mission: &Mission) -> Vec<&str> {
    let does = mission.steps.iter().filter_map(|step| {
        let (does, _) = step.behaviour.as_ref()?;
        let Behaviour::Measure(measure) = &does.node else {
            return None;
        };
        Some(measure.name.node.as_str())
    });
    let given = mission
        .routines
        .iter()
        .flat_map(|routine| &routine.parameters);
    let given = given.map(|parameter| parameter.name.node.as_str());
    let known = SOURCES.iter().map(|(name, _)| *name);
    does.chain(given).chain(known).collect()
}

/// A broken line within its step.
struct Place<'a> {
    text: &'a str,
    line: usize,
    /// Its words, without indent and comment.
    span: Range<usize>,
    /// Named amounts, and the step around it with a gap where it stands: before and after.
    before: String,
    after: String,
    /// Where the step's next exit says `until`.
    until_below: Option<Range<usize>>,
    context: Context<'a>,
}

/// Names that the mission itself gives.
struct Context<'a> {
    /// Its steps, for exits that lead to them.
    steps: Vec<&'a str>,
    /// Its routines.
    routines: Vec<&'a str>,
    /// Its named amounts.
    amounts: Vec<&'a str>,
    /// What its steps measure, and what the robot knows by itself: conditions may begin with these.
    measured: Vec<&'a str>,
}

impl<'a> Place<'a> {
    fn of(text: &'a str, parsed: &'a Parsed, at: usize) -> Option<Self> {
        let line = parsed.lines.partition_point(|line| line.span.end < at);
        let here = parsed.lines.get(line)?;
        let begins =
            |line: &super::ast::Line| matches!(line.kind, LineKind::Step | LineKind::Reflex);
        let outside = matches!(
            here.kind,
            LineKind::Step
                | LineKind::Reflex
                | LineKind::Routine
                | LineKind::End
                | LineKind::Mission
                | LineKind::Header
        );
        if outside {
            return None;
        }
        // Above the first step stands what is said of the mission.
        let step = parsed.lines[..line].iter().rposition(begins);
        let first = step.unwrap_or(0);
        let ends = |line: &super::ast::Line| {
            matches!(
                line.kind,
                LineKind::Step | LineKind::Reflex | LineKind::Routine | LineKind::End
            )
        };
        let last = parsed.lines[line + 1..]
            .iter()
            .position(ends)
            .map_or(parsed.lines.len(), |more| line + 1 + more);
        if last - first > LONGEST_STEP {
            return None;
        }
        let end = here
            .comment
            .as_ref()
            .map_or(here.span.end, |comment| comment.start);
        let words = text.get(here.span.start..end)?;
        let from = here.span.start + (words.len() - words.trim_start().len());
        let span = from..from + words.trim().len();
        if span.is_empty() || span.len() > LONGEST {
            return None;
        }
        let lets = parsed
            .lines
            .iter()
            .filter(|line| line.kind == LineKind::Let && step.is_some());
        let mut before = String::new();
        for line in lets {
            before.push_str(&text[line.span.clone()]);
            before.push('\n');
        }
        before.push_str(&text[parsed.lines[first].span.start..span.start]);
        let after = &text[span.end..parsed.lines[last - 1].span.end];
        let mission = &parsed.mission;
        let until_below = parsed.lines[line + 1..last].iter().find_map(|below| {
            let words = &text[below.span.clone()];
            let from = below.span.start + (words.len() - words.trim_start().len());
            let exits = below.kind == LineKind::Exit && text[from..].starts_with("until ");
            exits.then(|| from..from + "until".len())
        });
        Some(Self {
            until_below,
            text,
            line,
            before,
            after: after.to_owned(),
            context: Context {
                steps: mission
                    .steps
                    .iter()
                    .map(|step| step.name.node.as_str())
                    .collect(),
                routines: mission
                    .routines
                    .iter()
                    .map(|routine| routine.name.node.as_str())
                    .collect(),
                amounts: mission
                    .lets
                    .iter()
                    .map(|entry| entry.name.node.as_str())
                    .collect(),
                measured: measured(mission),
            },
            span,
        })
    }

    fn words(&self) -> &'a str {
        &self.text[self.span.clone()]
    }

    fn indent(&self) -> &'a str {
        let begin = self.text[..self.span.start]
            .rfind('\n')
            .map_or(0, |at| at + 1);
        &self.text[begin..self.span.start]
    }

    /// The text that takes the place of the line.
    fn written(&self, proposal: &Proposal) -> String {
        let indent = format!("\n{}", self.indent());
        proposal.lines.join(&indent)
    }

    /// Keeps those proposals that read without an error.
    fn sift(
        &self,
        proposals: Vec<Proposal>,
        reads: &dyn Fn(&str) -> bool,
        found: &mut Vec<(String, Option<String>)>,
    ) {
        for proposal in proposals {
            let written = self.written(&proposal);
            let new = written != self.words() && !found.iter().any(|(known, _)| *known == written);
            let better = proposal.last_resort && !found.is_empty();
            if new && !better && found.len() < MOST_PROPOSED && reads(&written) {
                found.push((written, proposal.said));
            }
        }
    }

    /// The `until` below that becomes an `or`, when something that brings an exit takes the place
    /// of the line.
    fn further_exit(&self, instead: &str) -> Option<Edit> {
        let brings = instead
            .lines()
            .any(|line| line.trim_start().starts_with("until "));
        let span = self.until_below.clone().filter(|_| brings)?;
        Some(Edit {
            span,
            text: "or   ".to_owned(),
        })
    }

    /// Whether there are errors within the line, and what those of the rest of the step are, with
    /// something in its place.
    fn errors(&self, instead: &str, names: &Names) -> (bool, Vec<(&'static str, String)>) {
        let mut after = self.after.clone();
        if let Some(edit) = self.further_exit(instead) {
            let at = edit.span.start - self.span.end..edit.span.end - self.span.end;
            after.replace_range(at, &edit.text);
        }
        if instead.starts_with("repeat") {
            // What is repeated need not be there yet.
            "\nstep \"-\"\nhold\nuntil 1 s passes\nend".clone_into(&mut after);
        }
        let mini = format!("{}{instead}{after}\n", self.before);
        let parsed = parse(&mini);
        let here = self.before.len()..self.before.len() + instead.len();
        let mut findings = parsed.findings.clone();
        // What is left open tells nothing about names yet.
        findings.extend(check(&parsed, names));
        let known = |finding: &Finding| {
            // The steps are not there in this piece of the mission.
            finding.code == "M109"
                || finding.code == "M104"
                    && self
                        .context
                        .steps
                        .iter()
                        .any(|step| finding.message.contains(step))
        };
        let errors = findings
            .iter()
            .filter(|finding| finding.severity == Severity::Error && !known(finding));
        let within =
            |error: &&Finding| error.span.start <= here.end && error.span.end >= here.start;
        let (inside, rest): (Vec<&Finding>, Vec<&Finding>) = errors.partition(within);
        let rest = rest.iter().map(|error| (error.code, error.message.clone()));
        (!inside.is_empty(), rest.collect())
    }
}

/// Proposes what reads without an error.
fn help(place: &Place<'_>, names: &Names, finding: &mut Finding) {
    let words = place.words();
    let (_, before) = place.errors(words, names);
    let reads = |instead: &str| {
        let (within, rest) = place.errors(instead, names);
        !within && rest.iter().all(|error| before.contains(error))
    };
    // What is proposed already and is right stays.
    let right = finding.hints.iter().any(|hint| {
        let inside =
            |edit: &Edit| edit.span.start >= place.span.start && edit.span.end <= place.span.end;
        if hint.edits.is_empty() || !hint.edits.iter().all(inside) {
            return false;
        }
        let new = crate::finding::apply_all(
            words,
            hint.edits
                .iter()
                .map(|edit| Edit {
                    span: edit.span.start - place.span.start..edit.span.end - place.span.start,
                    text: edit.text.clone(),
                })
                .collect(),
        );
        reads(&new)
    });
    // One of several names that exist is a guess, what is like the name that was typed is none.
    if right && (finding.hints.len() == 1 || !matches!(finding.code, "M102" | "M101")) {
        return;
    }
    let at = finding
        .span
        .start
        .saturating_sub(place.span.start)
        .min(words.len());
    let mut found: Vec<(String, Option<String>)> = Vec::new();
    let exit = vec![Proposal::line(format!("until {words}"))];
    let near = [
        as_written(words),
        exit,
        put_in(words, at),
        exchanged(words),
        taken_out(words, at),
    ];
    for proposals in near {
        place.sift(proposals, &reads, &mut found);
        if !found.is_empty() {
            break;
        }
    }
    if found.is_empty() {
        let meant = Words::of(words, names, &place.context).meant();
        place.sift(meant, &reads, &mut found);
    }
    no_sensor(finding, place, at, names);
    if found.is_empty() {
        return nothing_reads(finding, words, names);
    }
    let counts = finding.message.ends_with("has no unit")
        && found.iter().all(|(text, _)| text.contains(" has crossed "));
    if counts {
        "a condition says which sensor counts, and what".clone_into(&mut finding.message);
    }
    if let Some(said) = found.iter().find_map(|(_, said)| said.clone()) {
        finding.message = said;
    }
    finding.hints = found
        .into_iter()
        .map(|(text, _)| {
            let shown = text
                .lines()
                .map(|line| format!("`{}`", line.trim()))
                .collect::<Vec<_>>()
                .join(" and below it ");
            let below = place.further_exit(&text);
            let line = Edit {
                span: place.span.clone(),
                text,
            };
            Hint {
                words: format!("write {shown}"),
                edits: std::iter::once(line).chain(below).collect(),
            }
        })
        .collect();
}

/// Hints for a line that nothing could be made of.
fn nothing_reads(finding: &mut Finding, words: &str, names: &Names) {
    let low = words.to_lowercase();
    let first = low.split_whitespace().next().unwrap_or_default();
    let has = |any: &[&str]| low.split_whitespace().any(|word| any.contains(&word));
    let hint: Hint = if matches!(first, "goto" | "jump") || low.starts_with("go to ") {
        "an exit says where to go on: write `until ... -> \"NAME OF A STEP\"`".into()
    } else if finding.code == "M002" && (first == "set" || low.contains('=')) {
        "a named amount stands above the first step: write `let speed = 30 %` there".into()
    } else if finding.code == "M002"
        && names.first(DeviceKind::Actuator).is_none()
        && has(plain::ARMS)
    {
        "this robot has no actuator; its robot file says what it carries".into()
    } else if has(plain::LOST) {
        "only a step that follows a line can lose it: write `the line is lost for 300 ms` there"
            .into()
    } else if finding.code == "M101" && finding.hints.is_empty() {
        "the robot file says what the robot carries".into()
    } else {
        return;
    };
    finding.hints = vec![hint];
}

/// A word that is no sensor is called that.
fn no_sensor(finding: &mut Finding, place: &Place<'_>, at: usize, names: &Names) {
    if finding.code != "M003" || !finding.message.contains("after the name of a sensor") {
        return;
    }
    // The sentence breaks off behind it.
    let words = place.words();
    let before = words.get(..at).unwrap_or(words);
    let Some(first) = before.split_whitespace().next_back() else {
        return;
    };
    let known = names.devices.iter().any(|device| device.name == first)
        || place.context.measured.contains(&first);
    let word = first
        .chars()
        .all(|letter| letter.is_alphanumeric() || letter == '-');
    if !known && word {
        finding.message =
            format!("`{first}` is no sensor of this robot, and no condition begins with it");
    }
}

/// Numbers and units as they are written here: `0,3`, `three`, `90°`, `5 seconds`.
fn as_written(words: &str) -> Vec<Proposal> {
    let (new, said) = plain::numbers(words);
    if new == words {
        return Vec::new();
    }
    vec![Proposal {
        said,
        ..Proposal::line(new)
    }]
}

/// One sign or word put in where the sentence breaks off.
fn put_in(words: &str, at: usize) -> Vec<Proposal> {
    if !words.is_char_boundary(at) {
        return Vec::new();
    }
    let (before, after) = (words[..at].trim_end(), words[at..].trim_start());
    let put = |sign: &&str| {
        let (line, said) = if *sign == "," {
            let next = after.split_whitespace().next().unwrap_or_default();
            let said = format!("a comma is missing before `{next}`");
            (format!("{before}, {after}"), Some(said))
        } else {
            (
                format!("{before} {sign} {after}").trim_end().to_owned(),
                None,
            )
        };
        Proposal {
            said,
            ..Proposal::line(line)
        }
    };
    LEFT_OUT.iter().map(put).collect()
}

/// One word exchanged for the one that is written here.
fn exchanged(words: &str) -> Vec<Proposal> {
    let (found, _) = tokens(words, 0..words.len());
    let mut all = Vec::new();
    for token in found.iter().filter(|token| token.kind == TokenKind::Word) {
        let word = &words[token.span.clone()];
        for (_, new) in EXCHANGED.iter().filter(|(old, _)| *old == word) {
            let edit = Edit {
                span: token.span.clone(),
                text: (*new).to_owned(),
            };
            all.push(Proposal::line(edit.apply(words)));
        }
    }
    // Signs that are none here.
    for (old, new) in [
        ("<=", "<"),
        (">=", ">"),
        ("=<", "<"),
        ("=>", "->"),
        ("==", "reaches"),
        ("==", "<"),
        ("==", ">"),
        (" = ", " reaches "),
        (" = ", " < "),
        (" = ", " > "),
        (" = ", " sees "),
        (" - > ", " -> "),
    ] {
        if words.contains(old) {
            all.push(Proposal::line(words.replacen(old, new, 1)));
        }
    }
    all
}

/// The word at which the sentence breaks off taken out.
fn taken_out(words: &str, at: usize) -> Vec<Proposal> {
    let (found, _) = tokens(words, 0..words.len());
    let Some(token) = found
        .iter()
        .find(|token| token.span.start == at && token.kind == TokenKind::Word)
    else {
        return Vec::new();
    };
    let word = &words[token.span.clone()];
    // Only words that say nothing: what was meant must not get lost.
    if !matches!(
        word,
        "the" | "a" | "an" | "to" | "for" | "of" | "with" | "speed" | "then" | "is" | "by"
    ) {
        return Vec::new();
    }
    let rest = words[token.span.end..].trim_start();
    vec![Proposal::line(format!("{} {rest}", words[..at].trim_end()))]
}
