//! Lines that are no sentences: what is proposed is what was meant, and reads without an error.

use std::fmt::Write as _;

use proptest::prelude::*;
use wayodos_core::finding::{Edit, Severity, apply_all};
use wayodos_core::project::{Prepared, Setup, prepare};

const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../../examples/brinewick/fields/causeway.toml");
const CALIBRATION: &str = include_str!("../../../examples/brinewick/calibration.toml");
const ROUND: &str = include_str!("../../../examples/brinewick/missions/morning-round.way");

fn setup() -> Setup {
    let (setup, findings) = Setup::load(ROBOT, FIELD, Some(CALIBRATION));
    setup.unwrap_or_else(|| panic!("the demo's files: {findings:?}"))
}

/// A line in a step: a condition below `hold`, a sentence above an exit, a repeat around a step.
fn mission(line: &str) -> String {
    let head = "mission \"x\"\nlimit 60 s\nstart slipway\n";
    let word = line.split(' ').next().unwrap_or_default();
    match word {
        "until" | "or" | "if" | "while" | "when" | "goto" | "floor-left" | "travelled" => {
            format!("{head}step \"Out\"\n  hold\n  {line}\n")
        }
        "repeat" | "loop" => {
            format!(
                "{head}step \"Out\"\n  {line}\n    step \"In\"\n      hold\n      until 1 s passes\n  end\n"
            )
        }
        "let" => format!("{head}{line}\nstep \"Out\"\n  hold\n  until 1 s passes\n"),
        _ => format!("{head}step \"Out\"\n  {line}\n  until 9 s pass\n"),
    }
}

fn errors(prepared: &Prepared) -> usize {
    let findings = prepared.findings.iter();
    findings
        .filter(|finding| finding.severity == Severity::Error)
        .count()
}

/// The texts that come of following each hint of the first error.
fn followed(text: &str, prepared: &Prepared) -> Vec<String> {
    let first = prepared
        .findings
        .iter()
        .find(|finding| finding.severity == Severity::Error);
    let hints = first.map_or(&[][..], |finding| &finding.hints);
    hints
        .iter()
        .filter(|hint| !hint.edits.is_empty())
        .map(|hint| apply_all(text, hint.edits.clone()))
        .collect()
}

#[test]
fn lines_of_beginners_lead_to_the_sentence_that_was_meant() {
    let setup = setup();
    let mut wrong = String::new();
    let lines = include_str!("wrong-lines.txt").lines();
    for (line, meant) in lines.filter_map(|line| line.split_once(" => ")) {
        let text = mission(line);
        let prepared = prepare(&text, Some(&setup));
        let mut expected = mission(line).replacen(line, &meant.replace(" / ", "\n  "), 1);
        if meant.contains(" / until ") || meant.starts_with("until ") {
            // The exit that was there is a further one.
            expected = expected.replace("  until 9 s pass\n", "  or    9 s pass\n");
        }
        let found = followed(&text, &prepared);
        if found.first() != Some(&expected) {
            let shown = found
                .first()
                .map(|text| text.lines().skip(4).collect::<Vec<_>>());
            let _ = write!(wrong, "\n{line}: {shown:?}");
        }
        assert!(found.len() <= 3, "{line}: {} proposals", found.len());
    }
    assert!(wrong.is_empty(), "{wrong}");
}

#[test]
fn what_is_wrong_is_called_by_its_name() {
    let setup = setup();
    for (line, message) in [
        (
            "until black",
            "`black` is no sensor of this robot, and no condition begins with it",
        ),
        ("until turned 90°", "unknown unit `°`"),
        (
            "until travelled 0,3 m",
            "decimals are written with a point, not with a comma",
        ),
        ("hold brake", "a comma is missing before `brake`"),
        (
            "until floor-left has crossed three dark lines",
            "`three`: numbers are written in digits",
        ),
        (
            "until 3 lines",
            "a condition says which sensor counts, and what",
        ),
        (
            "until travelled 200 milimeters",
            "unknown unit `milimeters`",
        ),
    ] {
        let prepared = prepare(&mission(line), Some(&setup));
        let first = prepared
            .findings
            .iter()
            .find(|finding| finding.severity == Severity::Error);
        assert_eq!(
            first.map(|finding| finding.message.as_str()),
            Some(message),
            "{line}"
        );
    }
}

/// What steps measure, and the clock, begin conditions as sensors do.
#[test]
fn what_may_begin_a_condition_is_not_said_to_be_no_sensor() {
    let setup = setup();
    let measured = "mission \"x\"\nlimit 60 s\nstart slipway\nstep \"a\"\n  measure ahead as gap\nstep \"b\"\n  hold\n  until NAME nearly 40\n";
    for (name, sensor) in [
        ("gap", true),
        ("clock", true),
        ("battery", true),
        ("gop", false),
    ] {
        let prepared = prepare(&measured.replace("NAME", name), Some(&setup));
        let mut messages = prepared
            .findings
            .iter()
            .map(|finding| finding.message.as_str());
        assert_eq!(
            !messages.any(|message| message.contains("is no sensor")),
            sensor,
            "{name}"
        );
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    /// Whatever a line of the demo is turned into: a proposal for it never makes more errors.
    #[test]
    fn a_proposal_that_is_followed_leaves_fewer_errors(
        nth in 0..200_usize,
        at in 0..60_usize,
        cut in 0..6_usize,
        put in "[a-z ,.0-9%\"°-]{0,4}",
    ) {
        let setup = setup();
        let spans: Vec<(usize, &str)> = ROUND
            .split_inclusive('\n')
            .scan(0, |from, line| {
                let start = *from;
                *from += line.len();
                Some((start, line.trim_end()))
            })
            .filter(|(_, line)| !line.trim().is_empty())
            .collect();
        let (start, line) = spans[nth % spans.len()];
        let floor = |mut at: usize| {
            while !line.is_char_boundary(at) {
                at -= 1;
            }
            at
        };
        let from = floor(at.min(line.len()));
        let to = floor((from + cut).min(line.len())).max(from);
        let text = Edit { span: start + from..start + to, text: put }.apply(ROUND);
        let prepared = prepare(&text, Some(&setup));
        let before = errors(&prepared);
        let line_end = |edit: &Edit| text[edit.span.end..].starts_with(['\n', ' ', '#']) || edit.span.end == text.len();
        for finding in &prepared.findings {
            // Other hints may lead to a second mistake; a whole line that is proposed may not.
            let whole = finding.hints.iter().filter(|hint| {
                hint.words.starts_with("write `") && matches!(&hint.edits[..], [edit] if line_end(edit)
                    && text[..edit.span.start].trim_end_matches(' ').ends_with('\n'))
            });
            for hint in whole {
            let new = apply_all(&text, hint.edits.clone());
            let after = errors(&prepare(&new, Some(&setup)));
            prop_assert!(after <= before, "{before} to {after}: {}\n{text}\n{new}", hint.words);
            }
        }
    }
}
