//! The language's own page and the demo's missions: every example is checked and run.

use std::collections::BTreeSet;

use proptest::prelude::*;
use wayodos_core::controller::{Left, Program};
use wayodos_core::finding::{Finding, Severity};
use wayodos_core::lab::evidence::{Evidence, StepEvidence, evidence};
use wayodos_core::lab::first::first_wrong;
use wayodos_core::lab::hindsight::hindsight;
use wayodos_core::mission::{BEHAVIOURS, CONDITIONS, format, parse};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::{Outcome, Run};
use wayodos_core::sim::run;

const PAGE: &str = include_str!("../../../docs/language.md");
const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../../examples/brinewick/fields/causeway.toml");
const TRAMWAY: &str = include_str!("../../../examples/brinewick/fields/tramway.toml");
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
    on(FIELD)
}

fn on(field: &str) -> Setup {
    let (setup, findings) = Setup::load(&format!("{ROBOT}{MORE}"), field, None);
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
        let header = if text.starts_with("mission") {
            ""
        } else {
            "mission \"example\"\n  limit 10 s\n  start slipway\n\n"
        };
        found.push((at, format!("{header}{text}")));
    }
    found
}

fn messages(findings: &[Finding], text: &str) -> Vec<String> {
    let line = |finding: &Finding| wayodos_core::finding::line_column(text, finding.span.start).0;
    let matters = findings
        .iter()
        .filter(|finding| finding.severity != Severity::Note);
    matters
        .map(|finding| {
            format!(
                "line {}: {} {}",
                line(finding),
                finding.code,
                finding.message
            )
        })
        .collect()
}

fn done(setup: &Setup, text: &str) -> Run {
    let prepared = prepare(text, Some(setup));
    let program = prepared
        .program
        .unwrap_or_else(|| panic!("{:?}\n{text}", messages(&prepared.findings, text)));
    let start = prepared
        .parsed
        .mission
        .start
        .map_or_else(String::new, |start| start.node);
    let start = setup
        .field
        .starts
        .iter()
        .find(|known| known.name == start)
        .unwrap_or(&setup.field.starts[0]);
    run(&setup.world(), &program, start.pose, 7, None).expect("nobody cancels it")
}

#[test]
fn every_example_of_the_page_is_clean_laid_out_and_runs() {
    let (causeway, tramway) = (setup(), on(TRAMWAY));
    for (nth, text) in examples() {
        let setup = if text.contains("start depot") {
            &tramway
        } else {
            &causeway
        };
        let prepared = prepare(&text, Some(setup));
        assert_eq!(
            messages(&prepared.findings, &text),
            Vec::<String>::new(),
            "example {nth}\n{text}"
        );
        let run = done(setup, &text);
        assert!(run.trace.ticks.len() > 10, "example {nth} did something");
        assert!(
            matches!(run.outcome, Outcome::Done | Outcome::Limit),
            "example {nth}: {}",
            run.reason
        );
    }
}

/// The missions of the demo.
const MISSIONS: [&str; 10] = [
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

fn example(path: &str) -> String {
    let file = format!(
        "{}/../../examples/brinewick/{path}",
        env!("CARGO_MANIFEST_DIR")
    );
    std::fs::read_to_string(&file).unwrap_or_else(|error| panic!("{file}: {error}"))
}

/// The kinds of behaviours and conditions that some texts show.
fn shown(texts: &[String]) -> BTreeSet<&'static str> {
    let mut kinds = BTreeSet::new();
    for text in texts {
        let parsed = parse(text);
        for step in &parsed.mission.steps {
            kinds.extend(
                parsed
                    .behaviours_of(step)
                    .map(|behaviour| behaviour.node.word()),
            );
        }
        for (_, _, condition) in parsed.conditions() {
            condition.walk(&mut |term| {
                kinds.insert(term.node.kind().name);
            });
        }
    }
    kinds
}

#[track_caller]
fn shows_all(texts: &[String]) {
    let kinds = shown(texts);
    let words = BEHAVIOURS
        .iter()
        .map(|kind| kind.word)
        .chain(CONDITIONS.iter().map(|kind| kind.name));
    let missing: Vec<&str> = words.filter(|kind| !kinds.contains(kind)).collect();
    assert_eq!(missing, [""; 0]);
}

#[test]
fn the_page_shows_every_behaviour_and_every_condition() {
    shows_all(
        &examples()
            .into_iter()
            .map(|(_, text)| text)
            .collect::<Vec<_>>(),
    );
}

#[test]
fn the_demo_shows_every_behaviour_and_every_condition() {
    let missions = MISSIONS
        .iter()
        .map(|name| example(&format!("missions/{name}.way")));
    shows_all(&missions.chain([GATES.to_owned()]).collect::<Vec<_>>());
}

#[test]
fn the_missions_of_the_demo_come_out_as_they_should() {
    let read = |path: &str| Ok(example(path).into_bytes());
    let (config, _) = wayodos_core::project::Config::load(&example("wayodos.toml"));
    for mission in MISSIONS {
        let mut config = config.clone().unwrap();
        config.choose(mission);
        let calibration = config.calibration.as_ref().map(|path| example(path));
        let (setup, findings) = Setup::load_with(
            &example(&config.robot),
            &example(&config.field),
            calibration.as_deref(),
            &read,
        );
        let mut setup = setup.unwrap_or_else(|| panic!("{findings:?}"));
        setup.shared = vec![("shared/gates.way".to_owned(), GATES.to_owned())];
        let mission_text = example(&config.mission);
        let prepared = prepare(&mission_text, Some(&setup));
        assert_eq!(
            messages(&prepared.findings, &mission_text),
            Vec::<String>::new(),
            "{mission}"
        );
        assert_eq!(format(&mission_text), mission_text, "{mission} is laid out");
        let start = prepared
            .parsed
            .mission
            .start
            .map_or_else(String::new, |start| start.node);
        let start = setup
            .field
            .starts
            .iter()
            .find(|known| known.name == start)
            .unwrap_or(&setup.field.starts[0]);
        let run = run(
            &setup.world(),
            &prepared.program.unwrap(),
            start.pose,
            config.seed,
            None,
        )
        .unwrap();
        assert_eq!(
            (run.outcome, run.reason.as_str()),
            (Outcome::Done, ""),
            "{mission}"
        );
    }
}

/// Every code that stands in the sources of a folder.
fn codes(folder: &std::path::Path, into: &mut BTreeSet<String>) {
    for entry in std::fs::read_dir(folder)
        .expect("our own sources")
        .filter_map(Result::ok)
        .map(|entry| entry.path())
    {
        if entry.is_dir() {
            codes(&entry, into);
            continue;
        }
        let text = std::fs::read_to_string(&entry).expect("sources are text");
        into.extend(
            text.split('"')
                .filter(|word| is_code(word))
                .map(str::to_owned),
        );
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
    let mut all = BTreeSet::new();
    codes(
        std::path::Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/src")),
        &mut all,
    );
    assert!(all.len() > 90, "{all:?}");
    let (findings, checks) = (
        include_str!("../../../docs/findings.md"),
        include_str!("../../../docs/checks.md"),
    );
    for code in &all {
        let explained = if code.starts_with('K') {
            checks.contains(&format!("## {code} "))
        } else {
            findings.contains(&format!("| {code} |"))
        };
        assert!(explained, "{code} is explained nowhere");
    }
    for nth in 1..=62 {
        assert!(
            checks.contains(&format!("## K{nth:02} ")),
            "K{nth:02} has no page"
        );
    }
}

/// What is told of a run does not contradict itself: what ended a step fired, what broke one off did
/// so then, rows did not have the wheels for longer than their step lasted, and what went wrong first
/// went wrong before the end.
fn hangs_together(run: &Run, program: &Program, told: &[StepEvidence]) {
    for one in told {
        let fired = |exit: usize| matches!(one.exits[exit], Evidence::Fired { .. });
        match one.by {
            Left::Exit(exit) => assert!(one.visit.exit == Some(exit) && fired(exit), "{one:?}"),
            Left::Chose(Some(row)) => assert_eq!(one.rows[row].times, 1, "{one:?}"),
            Left::Around(step, exit) => assert!(
                told.iter().any(|around| {
                    let visit = around.visit;
                    (visit.step, visit.left, visit.exit) == (step, one.visit.left, Some(exit))
                }),
                "{one:?}"
            ),
            Left::Row(step, _) => assert!(
                told.iter().any(|around| {
                    let visit = around.visit;
                    let within = visit.entered <= one.visit.left && one.visit.left <= visit.left;
                    visit.step == step && within
                }),
                "{one:?}"
            ),
            Left::Chose(None)
            | Left::Finished
            | Left::Over(_)
            | Left::Reflex(_)
            | Left::GoneOn
            | Left::End => {
                assert!(one.visit.exit.is_none(), "{one:?}");
            }
        }
        let driven: usize = one.rows.iter().map(|row| row.ticks).sum();
        assert!(driven <= one.visit.left - one.visit.entered, "{one:?}");
    }
    if let Some(first) = first_wrong(run, program, told) {
        assert!(first.tick < run.ended, "{first:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// Lines of the page and the demo, in any order: whatever of it compiles also runs, and can be
    /// messages about.
    #[test]
    fn any_lines_together_are_read_and_what_compiles_runs(picks in prop::collection::vec(any::<prop::sample::Index>(), 1..40)) {
        let missions = MISSIONS.iter().map(|name| example(&format!("missions/{name}.way")));
        let texts: Vec<String> = examples().into_iter().map(|(_, text)| text).chain(missions).collect();
        let whole = |line: &&str| !line.trim_start().starts_with("limit") && !line.trim().is_empty();
        let lines: Vec<&str> = texts.iter().flat_map(|text| text.lines()).filter(whole).collect();
        let mut text = String::from("limit 1 s\n");
        for pick in picks {
            text.push_str(lines[pick.index(lines.len())]);
            text.push('\n');
        }
        let setup = setup();
        let prepared = prepare(&text, Some(&setup));
        for finding in &prepared.findings {
            prop_assert!(text.get(finding.span.clone()).is_some(), "{:?}", finding);
        }
        let Some(program) = prepared.program else { return Ok(()) };
        let run = run(&setup.world(), &program, setup.field.starts[0].pose, 7, None).expect("nobody cancels it");
        prop_assert!(run.ended <= 100);
        let messages = evidence(&run, &program, &setup.robot);
        hindsight(&text, &prepared.parsed, &program, &setup.field, &run, &messages);
        hangs_together(&run, &program, &messages);
    }

    /// Steps of the page in any order, whole ones: nearly all of these compile.
    #[test]
    fn any_steps_together_run(picks in prop::collection::vec(any::<prop::sample::Index>(), 1..6), turn in 0..3usize) {
        let texts: Vec<String> = examples().into_iter().map(|(_, text)| text).collect();
        let mut text = String::from("limit 2 s\nstart slipway\n");
        for (nth, pick) in picks.iter().enumerate() {
            let of = &texts[pick.index(texts.len())];
            // Each example brings its own names; two of one kind are messages and do not run.
            let lines = of.lines().filter(|line| {
                !["mission", "limit", "start", "settle", "begin"].iter().any(|word| line.trim_start().starts_with(word))
            });
            let lines: Vec<String> = lines.map(|line| line.replace("step \"", &format!("step \"{nth} "))).collect();
            let lines: Vec<String> = lines.iter().map(|line| line.replace("-> \"", &format!("-> \"{nth} "))).collect();
            text.push_str(&lines.join("\n"));
            text.push('\n');
        }
        let setup = setup();
        let prepared = prepare(&text, Some(&setup));
        let Some(program) = prepared.program else { return Ok(()) };
        let start = setup.field.starts[turn % setup.field.starts.len()].pose;
        let run = run(&setup.world(), &program, start, 7, None).expect("nobody cancels it");
        prop_assert!(run.trace.ticks.iter().all(|tick| usize::from(tick.step) < program.written));
        hangs_together(&run, &program, &evidence(&run, &program, &setup.robot));
        let covered: usize = run.legs.iter().map(|leg| leg.to - leg.from).sum();
        prop_assert_eq!(covered, run.ended.max(run.legs.last().map_or(0, |leg| leg.to)));
        evidence(&run, &program, &setup.robot);
    }
}

/// How the robot stands at the end of a mission on the causeway, and how long it took.
fn ended(steps: &str) -> (wayodos_core::field::Pose, f64) {
    let text = format!("mission \"m\"\n  limit 10 s\n  start slipway\n\n{steps}\n");
    let run = done(&setup(), &text);
    (run.trace.ticks[run.ended].pose, run.duration())
}

#[test]
fn each_wheel_at_a_speed_of_its_own() {
    let step = |drive: &str| format!("step \"a\"\n  {drive}\n  until 0.6 s pass");
    let same = [
        (
            "spin right at 20 %",
            "drive left wheel at 20 %, right wheel back at 20 %",
        ),
        (
            "spin right at 20 %",
            "drive right wheel back at 20 %, left wheel ahead at 20 %",
        ),
        (
            "drive ahead at 24 %",
            "drive left wheel at 24 %, right wheel at 24 %",
        ),
        (
            "drive back at 90 mm/s",
            "drive right wheel back at 90 mm/s, left wheel back at 90 mm/s",
        ),
    ];
    for (one, other) in same {
        assert_eq!(ended(&step(one)), ended(&step(other)), "{one} and {other}");
    }
    // Mirrored, each wheel takes the other's part.
    let mirrored = "step \"a\"\n  do r mirrored\n\nroutine r\n  step \"b\"\n    drive left wheel at 30 %, right wheel at 15 %\n    until 0.6 s pass\nend";
    let plain = step("drive left wheel at 15 %, right wheel at 30 %");
    assert_eq!(ended(mirrored), ended(&plain));
    for wrong in [
        "drive left wheel at 20 %, left wheel at 20 %",
        "drive left wheel at 20 %",
    ] {
        let text = format!("mission \"m\"\n\n{}\n", step(wrong));
        let found = prepare(&text, Some(&setup())).findings;
        assert!(
            found.iter().any(|finding| finding.code == "M003"),
            "{found:?}"
        );
    }
}

#[test]
fn a_way_in_turns_of_the_wheels() {
    // A wheel of 56 mm: two turns are 351.858 mm.
    let step = |way: &str| format!("step \"a\"\n  drive ahead at 30 %\n  until travelled {way}");
    let wanted = ended(&step("351.858 mm"));
    assert_eq!(ended(&step("2 turn")), wanted);
    assert_eq!(ended(&step("720 deg")), wanted);
}

#[test]
fn a_heading_that_is_given_is_come_to_and_kept() {
    let steps = "step \"a\"\n  drive ahead at 24 % holding 60 deg\n  until travelled 400 mm";
    let start = setup()
        .field
        .start("slipway")
        .expect("the demo has it")
        .pose
        .heading;
    let turned = |steps: &str| (ended(steps).0.heading - start).to_degrees();
    assert!((turned(steps) - 60.0).abs() < 2.0, "{}", turned(steps));
    let mirrored = "step \"a\"\n  do r mirrored\n\nroutine r\n  step \"b\"\n    drive ahead at 24 % holding 20 deg\n    until travelled 200 mm\nend";
    assert!(
        (turned(mirrored) + 20.0).abs() < 2.0,
        "{}",
        turned(mirrored)
    );
    // One wheel stands at most: at the beginning it turns about that, and not on the spot.
    let text = format!(
        "mission \"m\"\n  start slipway\n\n{}\n",
        steps.replace("60 deg", "170 deg")
    );
    let run = done(&setup(), &text);
    let back = run
        .trace
        .ticks
        .iter()
        .map(|tick| tick.rims[0])
        .fold(0.0, f64::min);
    assert!(back > -0.02, "the left wheel went back at {back} m/s");
}
