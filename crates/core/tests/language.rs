//! The language's own page and the demo's missions: every example is checked and run.

use wayodos_core::finding::{Finding, Severity};
use wayodos_core::mission::{format, parse};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::sim::{Outcome, Run, run};

const PAGE: &str = include_str!("../../../docs/language.md");
const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../../examples/brinewick/fields/causeway.toml");
const GATES: &str = include_str!("../../../examples/brinewick/shared/gates.way");
/// What Curlew lacks, so that one robot can do all that the page shows.
const MORE: &str = r##"
[[touch]]
name = "bumper"
port = "T1"
side = "front"

[[actuator]]
name = "arm"
port = "MC"
speed = "120 deg/s"
from = "0 deg"
to = "90 deg"

[[sensor]]
name = "tag"
kind = "code"
port = "S9"
at = "96, 8 mm"
spot = "10 mm"
rate = "50 Hz"
codes = [
    { name = "nothing", code = 0, colour = "#e9e3d2" },
    { name = "kiln", code = 1, colour = "#bf4a2d" },
    { name = "brine", code = 2, colour = "#2d73b0" },
    { name = "sleeper", code = 3, colour = "#22252a" },
]
"##;

fn setup() -> Setup {
    let (setup, findings) = Setup::load(&format!("{ROBOT}{MORE}"), FIELD, None);
    let mut setup = setup.unwrap_or_else(|| panic!("{findings:?}"));
    setup.shared = vec![("shared/gates.way".to_owned(), GATES.to_owned())];
    setup
}

/// The examples of the page: the line that they begin on, and their text as a whole mission.
fn examples() -> Vec<(usize, String)> {
    let mut found = Vec::new();
    let mut at = 0;
    for block in PAGE.split("```way\n").skip(1) {
        at += 1;
        let text = block.split("```").next().expect("a split has a first part");
        let header =
            if text.starts_with("mission") { "" } else { "mission \"example\"\n  limit 10 s\n  start slipway\n\n" };
        found.push((at, format!("{header}{text}")));
    }
    found
}

fn told(findings: &[Finding], text: &str) -> Vec<String> {
    let line = |finding: &Finding| wayodos_core::finding::line_column(text, finding.span.start).0;
    let matters = findings.iter().filter(|finding| finding.severity != Severity::Note);
    matters.map(|finding| format!("line {}: {} {}", line(finding), finding.code, finding.message)).collect()
}

fn done(setup: &Setup, text: &str) -> Run {
    let prepared = prepare(text, Some(setup));
    let program = prepared.program.unwrap_or_else(|| panic!("{:?}\n{text}", told(&prepared.findings, text)));
    let start = prepared.parsed.mission.start.map_or_else(String::new, |start| start.node);
    let start = setup.field.starts.iter().find(|known| known.name == start).unwrap_or(&setup.field.starts[0]);
    run(&setup.world(), &program, start.pose, 7, None).expect("nobody cancels it")
}

#[test]
fn every_example_of_the_page_is_clean_laid_out_and_runs() {
    let setup = setup();
    for (nth, text) in examples() {
        let prepared = prepare(&text, Some(&setup));
        assert_eq!(told(&prepared.findings, &text), Vec::<String>::new(), "example {nth}\n{text}");
        let run = done(&setup, &text);
        assert!(run.trace.ticks.len() > 10, "example {nth} did something");
        assert!(matches!(run.outcome, Outcome::Done | Outcome::Limit), "example {nth}: {}", run.reason);
    }
}

/// The first words of every behaviour and condition that the examples and the demo show.
fn shown() -> (Vec<&'static str>, Vec<String>) {
    let demo = [
        include_str!("../../../examples/brinewick/missions/round-the-gates.way"),
        include_str!("../../../examples/brinewick/missions/four-ways-along.way"),
        include_str!("../../../examples/brinewick/missions/which-way.way"),
    ];
    let texts: Vec<String> = examples().into_iter().map(|(_, text)| text).chain(demo.map(str::to_owned)).collect();
    let (mut behaviours, mut conditions) = (Vec::new(), Vec::new());
    for text in &texts {
        let parsed = parse(text);
        for step in &parsed.mission.steps {
            behaviours.extend(step.behaviour.iter().map(|(behaviour, _)| behaviour.node.word()));
            for exit in &step.exits {
                exit.condition.each(&mut |term| {
                    let debug = format!("{:?}", term.node);
                    conditions.push(debug.split([' ', '(', '{']).next().unwrap_or_default().to_owned());
                });
            }
        }
    }
    (behaviours, conditions)
}

#[test]
fn the_page_shows_every_behaviour_and_every_condition() {
    let (behaviours, conditions) = shown();
    for word in [
        "drive", "spin", "pivot", "follow", "keep", "align", "shift", "seek", "shove", "hold", "await", "probe",
        "move", "signal", "measure", "choose", "react", "do", "repeat",
    ] {
        assert!(behaviours.contains(&word), "no example of `{word}`");
    }
    for kind in [
        "Sees",
        "Reads",
        "Between",
        "Code",
        "Changed",
        "Crossed",
        "Is",
        "Travelled",
        "Turned",
        "Heading",
        "Rolled",
        "Passed",
        "Clock",
        "Lost",
        "Stalled",
        "Ended",
    ] {
        assert!(conditions.iter().any(|known| known == kind), "no example of {kind}");
    }
}

#[test]
fn the_missions_of_the_demo_come_out_as_they_should() {
    let examples = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/brinewick/");
    let read = |path: &str| std::fs::read(format!("{examples}{path}")).map_err(|error| error.to_string());
    let text = |path: &str| String::from_utf8(read(path).unwrap()).unwrap();
    let (config, _) = wayodos_core::project::Config::load(&text("wayodos.toml"));
    let missions = [
        "morning-round",
        "mind-the-rim",
        "ring-contest",
        "shove-the-baskets",
        "past-the-herons",
        "between-the-dykes",
        "haul-the-barge",
        "round-the-gates",
        "four-ways-along",
        "which-way",
    ];
    for mission in missions {
        let mut config = config.clone().unwrap();
        config.choose(mission);
        let calibration = config.calibration.as_ref().map(|path| text(path));
        let (setup, findings) =
            Setup::load_with(&text(&config.robot), &text(&config.field), calibration.as_deref(), &read);
        let mut setup = setup.unwrap_or_else(|| panic!("{findings:?}"));
        setup.shared = vec![("shared/gates.way".to_owned(), GATES.to_owned())];
        let mission_text = text(&config.mission);
        let prepared = prepare(&mission_text, Some(&setup));
        assert_eq!(told(&prepared.findings, &mission_text), Vec::<String>::new(), "{mission}");
        assert_eq!(format(&mission_text), mission_text, "{mission} is laid out");
        let start = prepared.parsed.mission.start.map_or_else(String::new, |start| start.node);
        let start = setup.field.starts.iter().find(|known| known.name == start).unwrap_or(&setup.field.starts[0]);
        let run = run(&setup.world(), &prepared.program.unwrap(), start.pose, config.seed, None).unwrap();
        assert_eq!((run.outcome, run.reason.as_str()), (Outcome::Done, ""), "{mission}");
    }
}

/// Every code that stands in the sources of a folder.
fn codes(folder: &std::path::Path, into: &mut std::collections::BTreeSet<String>) {
    for entry in std::fs::read_dir(folder).expect("our own sources").filter_map(Result::ok).map(|entry| entry.path()) {
        if entry.is_dir() {
            codes(&entry, into);
            continue;
        }
        let text = std::fs::read_to_string(&entry).expect("sources are text");
        into.extend(text.split('"').filter(|word| is_code(word)).map(str::to_owned));
    }
}

fn is_code(word: &str) -> bool {
    let digits = word.get(1..).unwrap_or_default();
    let long = if word.starts_with('K') { 2 } else { 3 };
    word.starts_with(|c: char| "TFRCHMK".contains(c))
        && digits.len() == long
        && digits.bytes().all(|b| b.is_ascii_digit())
}

#[test]
fn every_code_is_explained() {
    let mut all = std::collections::BTreeSet::new();
    codes(std::path::Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/src")), &mut all);
    assert!(all.len() > 90, "{all:?}");
    let (findings, checks) = (include_str!("../../../docs/findings.md"), include_str!("../../../docs/checks.md"));
    for code in &all {
        let explained = if code.starts_with('K') {
            checks.contains(&format!("## {code} "))
        } else {
            findings.contains(&format!("| {code} |"))
        };
        assert!(explained, "{code} is explained nowhere");
    }
    for nth in 1..=62 {
        assert!(checks.contains(&format!("## K{nth:02} ")), "K{nth:02} has no page");
    }
}
