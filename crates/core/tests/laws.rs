//! Laws over the missions of the demo and over missions made up from the grammar: a change of the
//! structure gives a mission that runs, or is refused with a reason; a mission has a program or an
//! error; a mirrored mission does on a mirrored field what the other one does.
//!
//! `PROPTEST_CASES` says how many missions are made up; `cargo xtask laws` runs them for as long as
//! one likes.

#![expect(
    clippy::format_push_string,
    reason = "texts are put together line by line"
)]
#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use proptest::prelude::*;
use wayodos_core::finding::{Severity, has_errors};
use wayodos_core::ids::{StepId, TextStep};
use wayodos_core::mission::refs::{references, rename};
use wayodos_core::mission::restructure::{
    Change, Refusal, Text, carry, comment, delete, duplicate, extract, join, link, mirror,
    move_steps, put, split, wrap,
};
use wayodos_core::mission::{LineKind, Parsed, format, parse};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::sim::run;

const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../../examples/brinewick/fields/causeway.toml");
const GATES: &str = include_str!("../../../examples/brinewick/shared/gates.way");

fn setup() -> Setup {
    let arm = "[[actuator]]\nname = \"arm\"\nport = \"MC\"\nspeed = \"120 deg/s\"\nfrom = \"0 deg\"\nto = \"90 deg\"\n\n";
    let robot = ROBOT.replacen("[[sensor]]", &format!("{arm}[[sensor]]"), 1);
    let (setup, findings) = Setup::load(&robot, FIELD, None);
    let mut setup = setup.unwrap_or_else(|| panic!("{findings:?}"));
    setup.shared = vec![("shared/gates.way".to_owned(), GATES.to_owned())];
    setup
}

fn one_of(words: &'static [&'static str]) -> impl Strategy<Value = String> {
    prop::sample::select(words).prop_map(str::to_owned)
}

fn condition() -> impl Strategy<Value = String> {
    one_of(&[
        "travelled 120 mm",
        "turned 40 deg",
        "heading reaches 30 deg",
        "heading > 20 deg",
        "floor-left sees dark",
        "any of floor-left, floor-right sees dark for 20 ms",
        "floor-right has crossed 1 dark line",
        "floor-left < 40 % after 20 mm",
        "ahead < 200 mm after it was false",
        "gap < way",
        "2 s pass",
        "left wheel rolled 90 mm",
        "floor-left sees dark as seen",
        "ended by seen and 1 s passes",
        "not ahead < 90 mm and 0.5 s pass",
    ])
}

fn behaviour() -> impl Strategy<Value = String> {
    one_of(&[
        "drive ahead at 30 % holding the heading",
        "drive back at pace",
        "drive ahead on a left arc of 300 mm at 30 %",
        "spin left at 24 %",
        "pivot right on the right wheel at 30 %",
        "follow the left edge of a dark line with floor-left at 30 %, gain 0.6",
        "follow a dark line between floor-left and floor-right at 30 %",
        "keep between dark lines with floor-left and floor-right at 30 %, both stop",
        "align floor-left and floor-right to a dark line at 16 %",
        "shift right to a dark line with floor-left at 20 %",
        "seek with ahead within 400 mm, spinning left at 20 % up to 90 deg, moving 50 mm, 2 tries",
        "shove at 40 % to dark with floor-left and floor-right, back 30 mm",
        "await clear with ahead beyond 100 mm, 2 tries of 0.5 s",
        "probe 40 deg to each side at 24 %, up to 60 mm, tie left",
        "hold, brake",
        "move arm to 60 deg",
        "measure heading as bearing",
        "measure ahead - 10 mm as gap",
        "do there (far = 80 mm, side = right)",
        "do there (side = left) mirrored",
    ])
}

/// What a step is besides a behaviour with exits.
#[derive(Clone, Debug)]
enum Shape {
    Plain,
    Repeat,
    Choose,
    React,
    Copy,
}

/// A mission whose steps lead to each other in every way that the language has; it may have errors.
fn mission() -> impl Strategy<Value = String> {
    let shape = prop_oneof![
        6 => Just(Shape::Plain),
        2 => Just(Shape::Repeat),
        1 => Just(Shape::Choose),
        1 => Just(Shape::React),
        1 => Just(Shape::Copy),
    ];
    let target = prop_oneof![
        4 => Just(String::new()),
        2 => Just(" -> next".to_owned()),
        1 => Just(" -> done".to_owned()),
        1 => Just(" -> again".to_owned()),
        1 => Just(" -> out".to_owned()),
        1 => Just(" -> fail \"no\"".to_owned()),
        5 => (0..6usize).prop_map(|step| format!(" -> \"s{step}\"")),
    ];
    let exit = (condition(), target.clone());
    let step = (
        shape,
        behaviour(),
        prop::collection::vec(exit, 1..4),
        target,
        any::<bool>(),
        any::<bool>(),
    );
    let reflex = (condition(), 0..6usize, 0..3usize, 0..6usize);
    let whole = (prop::collection::vec(step, 2..7), prop::option::of(reflex));
    whole.prop_map(|(steps, reflex)| written(&steps, reflex.as_ref()))
}

type StepOf = (Shape, String, Vec<(String, String)>, String, bool, bool);

#[expect(clippy::format_push_string, reason = "a text that grows line by line")]
fn written(steps: &[StepOf], reflex: Option<&(String, usize, usize, usize)>) -> String {
    let mut text = String::from(
        "mission \"m\"\nlimit 20 s\nstart slipway\nlet pace = 30 %\nlet way = 150 mm\n\
         step \"first of all\"\nmeasure ahead as gap\n",
    );
    if let Some((condition, step, then, to)) = reflex {
        let then = [
            "then resume".to_owned(),
            "then restart".to_owned(),
            format!("then -> \"s{}\"", to % steps.len()),
        ][*then]
            .clone();
        text.push_str(&format!(
            "reflex \"r\"\nwhen {condition}\nduring \"s{}\"\ndrive back at 30 %\nuntil travelled 30 mm\n{then}\n",
            step % steps.len()
        ));
    }
    let mut open = 0;
    // Most targets are some that there are: a mission with an error shows nothing.
    let fit = |target: &String, open: usize| match target
        .strip_prefix(" -> \"s")
        .and_then(|rest| rest.strip_suffix('"'))
    {
        Some(number) => std::format!(
            " -> \"s{}\"",
            number.parse::<usize>().unwrap() % steps.len()
        ),
        None if open == 0 && (target.ends_with("again") || target.ends_with("out")) => {
            String::new()
        }
        None => target.clone(),
    };
    for (index, (shape, behaviour, exits, target, closes, comments)) in steps.iter().enumerate() {
        if *comments {
            text.push_str(&format!("# about s{index}\n"));
        }
        text.push_str(&format!("step \"s{index}\"\n"));
        let mut word = "until";
        match shape {
            Shape::Plain => text.push_str(&format!("{behaviour}\n")),
            Shape::Repeat => {
                text.push_str(&format!("repeat 2 times\nstep \"i{index}\"\n{behaviour}\n"));
                open += 1;
            }
            Shape::Choose => {
                let target = fit(target, open);
                let arrow = if target.is_empty() {
                    " -> next"
                } else {
                    &target
                };
                text.push_str(&format!(
                    "choose\nwhen {}{arrow}\notherwise -> next\n",
                    exits[0].0
                ));
            }
            Shape::React => {
                text.push_str(&format!(
                    "react\nwhen {}, spin left at 24 %\notherwise, {behaviour}\n",
                    exits[0].0
                ));
            }
            Shape::Copy => {
                text.push_str(&format!("like \"s{}\"\n", index.saturating_sub(1)));
                word = "but until";
            }
        }
        if !matches!(shape, Shape::Choose) {
            for (condition, target) in exits {
                text.push_str(&format!("{word} {condition}{}\n", fit(target, open)));
                word = if matches!(shape, Shape::Copy) {
                    "but until"
                } else {
                    "or"
                };
            }
        }
        if *closes && open > 0 {
            open -= 1;
            text.push_str("end\n");
        }
    }
    text.push_str(&"end\n".repeat(open));
    text.push_str("routine there (far = 40 mm, side = left)\nstep \"t\"\nspin side at 24 %\nuntil turned 30 deg\n");
    text.push_str("or floor-left sees dark -> out\nstep \"u\"\ndrive ahead at pace\nuntil travelled far\nend\n");
    text
}

/// A change of the structure by its number.
fn change(of: Text<'_>, what: usize, first: usize, count: usize) -> Result<Change, Refusal> {
    let steps = TextStep(first)..TextStep((first + count).min(of.parsed.mission.steps.len()));
    let step = steps.start;
    match what {
        0 => delete(of, steps),
        1 => duplicate(of, steps),
        2 => link(of, step),
        3 => move_steps(of, steps, first.is_multiple_of(2)),
        4 => wrap(of, steps),
        5 => extract(of, steps, "own-part"),
        6 => split(of, step, "travelled 20 mm"),
        7 => join(of, step),
        8 => mirror(of, steps),
        9 => put(of, Some(step), &carry(of, steps)?),
        _ => comment(of, steps),
    }
}

const CHANGES: usize = 10;

/// The comments on lines of their own.
fn comments(parsed: &Parsed, text: &str) -> Vec<String> {
    let own = parsed
        .lines
        .iter()
        .filter(|line| line.kind == LineKind::Blank);
    let spans = own.filter_map(|line| line.comment.clone());
    spans.map(|span| text[span].trim_end().to_owned()).collect()
}

/// Does one change of a mission that runs, and holds the outcome against the law. What was refused,
/// if it was.
fn hold_to_the_law(
    setup: &Setup,
    text: &str,
    what: usize,
    first: usize,
    count: usize,
) -> Option<Refusal> {
    let prepared = prepare(text, Some(setup));
    prepared.program.as_ref()?;
    let parsed = &prepared.parsed;
    let first = first % parsed.mission.steps.len();
    let mut names = setup.names.clone();
    names.routines.clone_from(&prepared.routines);
    let of = Text {
        parsed,
        text,
        names: &names,
    };
    let change = match change(of, what, first, count) {
        Ok(change) => change,
        Err(refusal) => {
            assert!(!refusal.to_string().is_empty());
            return Some(refusal);
        }
    };
    let new = change.apply(text);
    let after = prepare(&new, Some(setup));
    let broken: Vec<_> = after
        .findings
        .iter()
        .filter(|finding| finding.severity == Severity::Error)
        .collect();
    assert!(
        after.program.is_some(),
        "change {what} of step {first} (+{count}): {broken:#?}\n{text}\n=>\n{new}"
    );
    // Laid out, it says the same.
    let laid = format(&new);
    assert!(prepare(&laid, Some(setup)).program.is_some(), "{laid}");
    // What nobody meant to change stays: every comment, unless its step was deleted.
    if what != 0 {
        let kept = comments(&after.parsed, &new);
        for comment in comments(parsed, text) {
            assert!(
                kept.contains(&comment),
                "change {what}: {comment} is lost\n{text}\n=>\n{new}"
            );
        }
    }
    // Lines of steps that have nothing to do with it stay as they are, up to names of steps.
    let names_gone = |line: &str| line.split('"').step_by(2).collect::<String>();
    let old: Vec<String> = text.lines().map(|line| names_gone(line.trim())).collect();
    let lines: Vec<String> = new.lines().map(|line| names_gone(line.trim())).collect();
    let header = old.iter().take_while(|line| !line.starts_with("step"));
    for line in header {
        assert!(lines.contains(line), "{line}\n{text}\n=>\n{new}");
    }
    None
}

/// The missions of the demo that play on the causeway.
fn demo() -> Vec<String> {
    let names = [
        "morning-round",
        "round-the-gates",
        "four-ways-along",
        "which-way",
    ];
    let read = |name: &str| {
        let path = format!(
            "{}/../../examples/brinewick/missions/{name}.way",
            env!("CARGO_MANIFEST_DIR")
        );
        std::fs::read_to_string(path).unwrap()
    };
    names.map(read).to_vec()
}

#[test]
fn every_change_of_every_step_of_the_demo_gives_a_mission_that_runs() {
    let setup = setup();
    let (mut done, mut refused) = (0, 0);
    for text in demo()
        .iter()
        .filter(|text| prepare(text, Some(&setup)).program.is_some())
    {
        for step in 0..parse(text).mission.steps.len() {
            for what in 0..CHANGES {
                for count in 1..3 {
                    match hold_to_the_law(&setup, text, what, step, count) {
                        None => done += 1,
                        Some(Refusal::WouldBreak { message }) => {
                            panic!("a reason of its own is wanted: {message}")
                        }
                        Some(_) => refused += 1,
                    }
                }
            }
        }
    }
    assert!(done > 300, "{done} done, {refused} refused");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(std::env::var("PROPTEST_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(400)))]

    #[test]
    fn a_change_of_the_structure_gives_a_mission_that_runs(
        text in mission(),
        changes in prop::collection::vec((0..CHANGES, 0..12usize, 1..4usize), 1..6),
    ) {
        let setup = setup();
        for (what, first, count) in changes {
            hold_to_the_law(&setup, &text, what, first, count);
        }
    }

    #[test]
    fn without_a_program_there_is_an_error(text in mission(), cut: prop::sample::Index, what in 0..6usize) {
        let setup = setup();
        // A line dropped, doubled, or a word changed: most of these are no missions any more.
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        let at = cut.index(lines.len());
        match what {
            0 => { lines.remove(at); }
            1 => { let line = lines[at].clone(); lines.insert(at, line); }
            2 => lines[at] = lines[at].replace("left", "lfet"),
            3 => lines[at] = lines[at].replace("dark", "amber"),
            4 => lines[at] = lines[at].replace("40 mm", "40 deg"),
            _ => {}
        }
        let text = lines.join("\n");
        let prepared = prepare(&text, Some(&setup));
        prop_assert_eq!(prepared.program.is_none(), has_errors(&prepared.findings), "{:#?}\n{}", prepared.findings, text);
        // Every fix that a hint carries can be applied.
        for hint in prepared.findings.iter().flat_map(|finding| &finding.hints) {
            let _ = wayodos_core::finding::apply_all(&text, hint.edits.clone());
        }
    }

    #[test]
    fn a_renamed_thing_is_renamed_everywhere(text in mission(), at: prop::sample::Index) {
        let setup = setup();
        let prepared = prepare(&text, Some(&setup));
        if prepared.program.is_none() {
            return Ok(());
        }
        let all = references(&prepared.parsed, &text);
        let one = &all[at.index(all.len())];
        if let Some(Ok(edits)) = rename(&prepared.parsed, &text, &one.span, "quite-new") {
            let new = wayodos_core::finding::apply_all(&text, edits);
            let after = prepare(&new, Some(&setup));
            prop_assert!(after.program.is_some(), "{:?}: {:#?}\n{}", one, after.findings, new);
            // And back again it is the same, letter for letter.
            let there = references(&after.parsed, &new);
            let same = there.iter().find(|other| other.name == "quite-new").unwrap();
            let back = rename(&after.parsed, &new, &same.span, &one.name).unwrap().unwrap();
            prop_assert_eq!(wayodos_core::finding::apply_all(&new, back), text);
        }
    }
}

/// A robot that is the same on both sides, and senses without noise.
fn even_robot() -> String {
    let mut robot = String::from(
        "name = \"Even\"\n[body]\nlength = \"160 mm\"\nwidth = \"140 mm\"\nnose = \"90 mm\"\nmass = \"800 g\"\n\
         centre_of_mass = \"20, 0 mm\"\n[drive]\nwheel_diameter = \"56 mm\"\ntrack_width = \"112 mm\"\ngrip = 0.9\n\
         encoder_ticks = 3600\n[caster]\nahead = \"60 mm\"\ndrag = 0.0\n[battery]\nvoltage = \"8 V\"\n[control]\n\
         period = \"10 ms\"\n[gyro]\nport = \"G\"\n",
    );
    for (side, port) in [("left", "A"), ("right", "B")] {
        robot.push_str(&std::format!(
            "[motor.{side}]\nport = \"{port}\"\nno_load_speed = \"1000 deg/s\"\nstall_torque = \"0.4 N m\"\n\
             friction = \"0.01 N m\"\nrated_voltage = \"8 V\"\n"
        ));
    }
    for (side, port, left) in [("left", "S1", 30), ("right", "S2", -30)] {
        robot.push_str(&std::format!(
            "[[sensor]]\nname = \"floor-{side}\"\nkind = \"reflectance\"\nport = \"{port}\"\nat = \"70, {left} mm\"\n\
             spot = \"8 mm\"\nrate = \"500 Hz\"\n"
        ));
    }
    robot
}

/// A field with bars at some places, or the same in a mirror along its length.
fn bars(places: &[(i32, i32, i32, i32)], mirrored: bool) -> String {
    let y = |y: i32| if mirrored { 800 - y } else { y };
    let mut field = String::from(
        "name = \"bars\"\nsize = \"2000, 800 mm\"\nground = \"pale\"\n[surface.pale]\ncolour = \"#e9e3d2\"\n\
         [surface.dark]\ncolour = \"#22252a\"\n[start.home]\nat = \"300, 400 mm\"\nheading = \"0 deg\"\n",
    );
    for (ax, ay, bx, by) in places {
        field.push_str(&std::format!(
            "[[line]]\nsurface = \"dark\"\nwidth = \"20 mm\"\npoints = [\"{ax}, {} mm\", \"{bx}, {} mm\"]\n",
            y(*ay),
            y(*by)
        ));
    }
    field
}

fn sided() -> impl Strategy<Value = String> {
    let does = one_of(&[
        "drive ahead on a left arc of 300 mm at 30 %",
        "drive ahead at 30 %",
        "spin left at 24 %",
        "pivot right on the right wheel at 30 %",
        "follow the left edge of a dark line with floor-left at 24 %",
        "follow a dark line under floor-left and floor-right at 24 %",
        "keep between dark lines with floor-left and floor-right at 24 %, both stop",
        "react\nwhen heading > 20 deg, spin right at 24 %\nwhen floor-left sees dark, spin left at 24 %\notherwise, drive ahead at 30 %",
        "repeat until heading > 40 deg\nstep \"i\"\nspin left at 24 %\nuntil turned 15 deg\nor heading between 20 deg and 40 deg\nend",
        "do there (side = left)",
        "do there (side = right) mirrored",
        "measure heading as bearing",
        "shift left to a dark line with floor-right at 24 %",
    ]);
    let until = one_of(&[
        "travelled 90 mm",
        "turned 30 deg",
        "heading reaches 25 deg",
        "heading > 15 deg",
        "heading between -60 deg and -10 deg",
        "floor-left sees dark",
        "any of floor-left, floor-right sees dark",
        "right wheel rolled 80 mm",
        "heading reaches (bearing + 20 deg)",
        "0.4 s pass",
    ]);
    prop::collection::vec((does, until), 1..6).prop_map(|steps| {
        let mut text = String::new();
        for (index, (does, until)) in steps.iter().enumerate() {
            let does = does.replace("\"i\"", &std::format!("\"i{index}\""));
            text.push_str(&std::format!("step \"s{index}\"\n{does}\n"));
            if !does.starts_with("measure") {
                text.push_str(&std::format!("until {until}\nor 1.5 s pass\n"));
            }
        }
        text
    })
}

const THERE: &str = "routine there (side = left)\nstep \"t\"\nspin side at 24 %\nuntil turned 20 deg\nor heading < -30 deg\n\
                     step \"u\"\ndrive ahead on a left arc of 250 mm at 30 %\nuntil travelled 50 mm\nor floor-left sees dark -> out\nend\n";

/// Where a mission ends, and by which steps and exits it got there.
fn course(field: &str, text: &str) -> (Vec<(StepId, Option<usize>)>, f64, f64, f64) {
    let (setup, findings) = Setup::load(&even_robot(), field, None);
    let setup = setup.unwrap_or_else(|| panic!("{findings:?}"));
    let prepared = prepare(text, Some(&setup));
    let program = prepared
        .program
        .unwrap_or_else(|| panic!("{:#?}\n{text}", prepared.findings));
    let start = setup.field.start("home").unwrap().pose;
    let run = run(&setup.world(), &program, start, 1, None).unwrap();
    let pose = run.final_pose();
    (
        run.visits
            .iter()
            .map(|visit| (visit.step, visit.exit))
            .collect(),
        pose.x,
        pose.y,
        pose.heading,
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(std::env::var("PROPTEST_CASES").ok().and_then(|n| n.parse::<u32>().ok()).map_or(60, |n| n / 4)))]

    #[test]
    fn a_mirrored_mission_does_on_a_mirrored_field_what_the_other_one_does(
        steps in sided(),
        places in prop::collection::vec((400..1000i32, 100..700i32, 1100..1500i32, 100..700i32), 1..4),
    ) {
        let header = "mission \"m\"\nlimit 20 s\nstart home\nstep \"zero\"\nmeasure heading as bearing\n";
        let text = std::format!("{header}{steps}{THERE}");
        let (setup, _) = Setup::load(&even_robot(), &bars(&places, false), None);
        let setup = setup.expect("a field of bars is sound");
        let parsed = parse(&text);
        prop_assert_eq!(&parsed.findings, &[]);
        let own = parsed.mission.sequence(wayodos_core::mission::Block::Mission, None).map(|(index, _)| index);
        let own: Vec<TextStep> = own.collect();
        let of = Text { parsed: &parsed, text: &text, names: &setup.names };
        let mirrored = mirror(of, own[0]..own[own.len() - 1].alone().end).unwrap().apply(&text);
        let one = course(&bars(&places, false), &text);
        let other = course(&bars(&places, true), &mirrored);
        prop_assert_eq!(&one.0, &other.0, "{}\n=>\n{}", text, mirrored);
        let off = ((one.1 - other.1).abs(), (one.2 + other.2 - 0.8).abs(), (one.3 + other.3).abs());
        // On the very edge of a limit a row may hold one tick sooner in one of the two: that tick's
        // way and turn.
        prop_assert!(off.0 < 2e-3 && off.1 < 2e-3 && off.2 < 3e-2, "{:?}\n{}\n=>\n{}", off, text, mirrored);

        // And so does a routine that is called mirrored.
        let whole = |call: &str| std::format!("mission \"m\"\nlimit 20 s\nstart home\nstep \"all\"\ndo all{call}\nroutine all\nstep \"zero\"\nmeasure heading as bearing\n{steps}end\n{THERE}");
        let two = course(&bars(&places, true), &whole(" mirrored"));
        prop_assert_eq!(one.0.len(), two.0.len(), "{}", whole(""));
        let off = ((one.1 - two.1).abs(), (one.2 + two.2 - 0.8).abs());
        prop_assert!(off.0 < 1e-3 && off.1 < 1e-3, "{:?}\n{}", off, whole(""));
    }
}

/// A law about missions that run says nothing when hardly any of those made up do.
#[test]
fn enough_of_the_missions_made_up_run_and_every_change_is_done_often() {
    use proptest::strategy::ValueTree as _;
    let (setup, mut runner) = (setup(), proptest::test_runner::TestRunner::deterministic());
    let (mut runs, mut done) = (0, [0; CHANGES + 1]);
    for nth in 0..400 {
        let text = mission().new_tree(&mut runner).unwrap().current();
        if prepare(&text, Some(&setup)).program.is_none() {
            continue;
        }
        runs += 1;
        for (what, done) in done.iter_mut().enumerate().take(CHANGES) {
            *done += usize::from(hold_to_the_law(&setup, &text, what, nth, 1).is_none());
        }
    }
    assert!(runs > 80, "{runs} of 400 missions run");
    assert!(
        done[..CHANGES].iter().all(|done| *done > runs / 8),
        "of {runs}: {done:?}"
    );
}
