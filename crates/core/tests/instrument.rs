//! What the mission screen is made of: what may be written, how things stood, what may help, and
//! runs of a piece.

use std::sync::Arc;
use wayodos_core::ids::{SlotId, StepId, TextStep};

use proptest::prelude::*;
use wayodos_core::controller::{Event, Program};
use wayodos_core::field::{Point, Pose};
use wayodos_core::finding::{Finding, Severity};
use wayodos_core::lab::along::Along;
use wayodos_core::lab::evidence::{StepEvidence, evidence};
use wayodos_core::lab::remedy::{Case, Remedy, fixes, remedies};
use wayodos_core::lab::why::{Replay, exit_story};
use wayodos_core::mission::complete::completions;
use wayodos_core::mission::edit::Edit;
use wayodos_core::mission::exits::{self, add_exit};
use wayodos_core::mission::offer::{behaviours, conditions, insert_offer, insert_reflex, reflexes};
use wayodos_core::mission::restructure::{self, Text};
use wayodos_core::mission::{amend, format, parse};
use wayodos_core::project::{Prepared, Setup, hands, prepare};
use wayodos_core::record::{Act, Intervention, Outcome, Run};
use wayodos_core::sim::{Piece, Play, World, play};

const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const CART: &str = include_str!("../../../examples/brinewick/robots/barge-cart.toml");
const FIELD: &str = include_str!("../../../examples/brinewick/fields/causeway.toml");
const CALIBRATION: &str = include_str!("../../../examples/brinewick/calibration.toml");
const ROUND: &str = include_str!("../../../examples/brinewick/missions/morning-round.way");

fn setup() -> Setup {
    Setup::load(ROBOT, FIELD, Some(CALIBRATION))
        .0
        .expect("the demo is free of errors")
}

fn wrong(findings: &[Finding]) -> Vec<&Finding> {
    findings
        .iter()
        .filter(|finding| finding.severity == Severity::Error)
        .collect()
}

/// A run with everything that is made of it.
struct Played {
    text: String,
    prepared: Prepared,
    program: Arc<Program>,
    run: Run,
    evidence: Vec<StepEvidence>,
}

fn play_with(
    setup: &Setup,
    world: &World,
    text: &str,
    hands: &[Intervention],
    piece: Option<Piece<'_>>,
) -> Played {
    let prepared = prepare(text, Some(setup));
    let program = prepared
        .program
        .clone()
        .unwrap_or_else(|| panic!("{:#?}\n{text}", prepared.findings));
    let start = prepared
        .parsed
        .mission
        .start
        .as_ref()
        .map(|start| start.node.as_str());
    let play_of = Play {
        start: world.start(start, 7),
        meant: None,
        seed: 7,
        interventions: hands,
        piece,
    };
    let run = play(world, &program, play_of, None).expect("nobody cancels it");
    let evidence = evidence(&run, &program, &setup.robot);
    Played {
        text: text.to_owned(),
        prepared,
        program,
        run,
        evidence,
    }
}

fn play_whole(setup: &Setup, text: &str) -> Played {
    play_with(setup, &setup.world(), text, &[], None)
}

fn remedies_of(setup: &Setup, played: &Played, step: StepId, exit: usize) -> Vec<Remedy> {
    let case = Case {
        text: &played.text,
        parsed: &played.prepared.parsed,
        names: &setup.names,
        robot: &setup.robot,
        program: &played.program,
        run: &played.run,
        evidence: &played.evidence,
    };
    remedies(case, step, exit)
}

#[test]
fn every_behaviour_on_offer_can_be_taken_laid_out_and_run() {
    let cart = Setup::load(CART, FIELD, None)
        .0
        .expect("the demo is free of errors");
    for (setup, least) in [(setup(), 20), (cart, 6)] {
        let base = "mission \"m\"\n  limit 5 s\n  start slipway\n\nroutine nod\n  step \"n\"\n    hold, brake\n    until 0.1 s pass\nend\n";
        let offers = behaviours(&parse(base), &setup.names);
        assert!(offers.len() >= least, "{}", offers.len());
        for offer in &offers {
            let new = insert_offer(&parse(base), base, None, offer).apply(base);
            let prepared = prepare(&new, Some(&setup));
            assert!(
                wrong(&prepared.findings).is_empty(),
                "{offer:?}\n{new}\n{:#?}",
                prepared.findings
            );
            let laid = format(&new);
            assert_eq!(
                parse(&laid).mission.steps.len(),
                prepared.parsed.mission.steps.len(),
                "{laid}"
            );
            assert!(prepared.program.is_some(), "{new}");
            assert!(
                offer.what.ends_with('.')
                    && offer.slots.iter().all(|slot| slot.end <= offer.text.len())
            );
            // Taken twice, below each other: names stay apart. A routine may not do itself.
            if offer.name == "nod" {
                continue;
            }
            let parsed = parse(&new);
            let twice = insert_offer(
                &parsed,
                &new,
                Some(TextStep(parsed.mission.steps.len() - 1)),
                offer,
            )
            .apply(&new);
            assert!(
                wrong(&prepare(&twice, Some(&setup)).findings).is_empty(),
                "{twice}"
            );
        }
        let long = offers
            .iter()
            .find(|offer| offer.name == "Drive to a mark")
            .map(|offer| offer.slots.len());
        assert!(long.is_none_or(|slots| slots >= 1));
    }
}

#[test]
fn every_condition_on_offer_can_end_a_step() {
    let setup = setup();
    let base = "mission \"m\"\n  limit 5 s\n  start slipway\n\nstep \"f\"\n  follow the left edge of a dark line with floor-left at 20 %\n  until 1 s passes\n";
    let parsed = parse(base);
    let offers = conditions(parsed.mission.steps.first(), &setup.names);
    assert!(offers.len() >= 18, "{}", offers.len());
    for offer in &offers {
        let new = add_exit(&parsed, base, TextStep(0), &offer.text, Some("next")).apply(base);
        let findings = prepare(&new, Some(&setup)).findings;
        assert!(wrong(&findings).is_empty(), "{new}\n{findings:#?}");
        assert!(!offer.slots.is_empty() || offer.name == "lost", "{offer:?}");
    }
    let offers = reflexes(&setup.names);
    assert!(offers.len() >= 5, "{offers:?}");
    for offer in &offers {
        let reflex = insert_reflex(&parsed, base, offer).apply(base);
        let findings = prepare(&reflex, Some(&setup)).findings;
        assert!(wrong(&findings).is_empty(), "{reflex}\n{findings:#?}");
        assert!(reflex.find("reflex").unwrap() < reflex.find("step").unwrap());
    }
}

#[test]
fn a_replay_tells_how_things_stood_at_any_tick() {
    let setup = setup();
    let played = play_whole(&setup, ROUND);
    let mut replay = Replay::new(&played.program, &played.run);
    // Half a step before the third bar is counted, and back again.
    let counted = played
        .run
        .trace
        .events
        .iter()
        .find(|stamp| matches!(stamp.event, Event::Counted { count: 2, .. }));
    let tick = counted.expect("bars are counted").tick as usize;
    let standing = replay.at(&played.run, tick);
    assert_eq!(standing.steps.len(), 1);
    let bars = &standing.steps[0].exits[0].looks[0];
    assert_eq!(
        (bars.now, bars.goal, bars.away, bars.holds),
        (Some(2.0), Some(3.0), Some(1.0), false)
    );
    let before = replay.at(&played.run, tick - 1);
    assert_eq!(
        before.steps[0].exits[0].looks[0].now,
        Some(1.0),
        "back by one"
    );
    let time = &standing.steps[0].exits[1].looks[0];
    let (now, away) = (time.now.unwrap(), time.away.unwrap());
    assert!(
        (now - standing.steps[0].since).abs() < 1e-9 && (now + away - 20.0).abs() < 1e-9,
        "{time:?}"
    );
    // What a fresh controller decides is what the run did, up to its end.
    let end = replay.at(&played.run, usize::MAX);
    assert_eq!(
        played.program.steps[end.steps.last().unwrap().step].name,
        "Make fast"
    );
}

#[test]
fn the_story_of_an_exit_knows_when_it_was_true_and_nobody_looked() {
    let setup = setup();
    // The kiln is passed while nobody looks, and then looked for.
    let text = ROUND.replace(
        "until hue sees kiln-red  -> next\n  or    20 s pass          -> fail \"kiln not seen\"",
        "until 7 s pass",
    );
    let text = text.replace(
        "hold, brake\n  until 1.5 s pass",
        "hold, brake\n  until hue sees kiln-red  -> next\n  or    2 s pass  -> fail \"no kiln\"",
    );
    let played = play_whole(&setup, &text);
    assert_eq!(played.run.reason, "no kiln");
    let step = played
        .program
        .steps
        .iter()
        .position(|step| step.name == "Greet the kiln")
        .unwrap();
    let story = exit_story(
        &played.run,
        &played.program,
        &played.evidence,
        StepId(step),
        0,
    );
    assert_eq!(story.visits.len(), 1);
    assert!(story.truths.iter().any(|truth| !truth.looked), "{story:?}");
    let found = remedies_of(&setup, &played, StepId(step), 0);
    let there = found
        .iter()
        .find(|remedy| remedy.words == "look for it in \"Up to the kiln\" too");
    let fixed = there.unwrap_or_else(|| panic!("{found:#?}"));
    assert!(
        fixed
            .text
            .contains("until 7 s pass\n  or    hue sees kiln-red  -> next"),
        "{}",
        fixed.text
    );
}

#[test]
fn remedies_make_the_run_do_what_was_meant() {
    let setup = setup();
    for (old, new, reason, remedy) in [
        (
            "crossed 3 dark lines",
            "crossed 9 dark lines",
            "too few bars",
            "9 -> ",
        ),
        (
            "until ahead < 100 mm",
            "until ahead < 20 mm",
            "no quay",
            "20 mm -> ",
        ),
        (
            "or    travelled 900 mm",
            "or    travelled 300 mm",
            "missed the dock",
            "300 mm -> 450 mm",
        ),
        (
            "until hue sees samphire-green  -> next\n  or    travelled 900 mm ",
            "until hue sees brine-blue  -> next\n  or    travelled 400 mm ",
            "missed the dock",
            "look for samphire-green instead of brine-blue",
        ),
        (
            "step \"Leave the slipway\"",
            "step \"Too soon\"\n  follow the left edge of a dark line with floor-left at 26 %, gain 0.6\n  until travelled 300 mm\n  or    the line is lost for 300 ms  -> fail \"lost the line\"\n\nstep \"Leave the slipway\"",
            "lost the line",
            "first drive until floor-left sees dark",
        ),
        (
            "at creep, gain 1.6\n  until hue sees brine-blue",
            "at 36 %, gain 0.8\n  until the line is lost for 200 ms  -> fail \"lost the bend\"\n  or    hue sees brine-blue",
            "lost the bend",
            "36 % -> 18 %",
        ),
    ] {
        assert!(ROUND.contains(old), "{old}");
        let played = play_whole(&setup, &ROUND.replace(old, new));
        assert_eq!(played.run.reason, reason);
        let last = played.run.visits.last().unwrap();
        let found = remedies_of(&setup, &played, last.step, last.exit.unwrap());
        let taken = found
            .iter()
            .find(|known| known.words.contains(remedy))
            .unwrap_or_else(|| panic!("{found:#?}"));
        let after = self::play_whole(&setup, &taken.text);
        let same = |run: &Run| {
            run.reason == reason && run.visits.last().map(|visit| visit.step) == Some(last.step)
        };
        assert!(!same(&after.run), "{}: {}", taken.words, after.run.reason);
        for remedy in &found {
            let findings = prepare(&remedy.text, Some(&setup)).findings;
            assert!(wrong(&findings).is_empty(), "{remedy:#?} {findings:#?}");
        }
    }
}

#[test]
fn findings_can_be_fixed_at_a_stroke() {
    let setup = setup();
    for (old, new, words) in [
        (
            "floor-left sees dark ",
            "flor-left sees dark ",
            "did you mean `floor-left`?",
        ),
        (
            "hue sees kiln-red",
            "hue sees kiln-rd",
            "did you mean `kiln-red`?",
        ),
        (
            "-> \"Turn to the dock\"",
            "-> \"Turn to the dck\"",
            "did you mean `Turn to the dock`?",
        ),
        ("  until travelled 25 mm\n", "", "until travelled 200 mm"),
        (
            "let creep = 16 %",
            "let creep = 16 %\nlet spare = 4 mm",
            "take the line out",
        ),
    ] {
        assert!(ROUND.contains(old), "{old}");
        let text = ROUND.replacen(old, new, 1);
        let prepared = prepare(&text, Some(&setup));
        let all: Vec<Remedy> = prepared
            .findings
            .iter()
            .flat_map(|finding| fixes(finding, &prepared.parsed, &text, &setup.names))
            .collect();
        let taken = all
            .iter()
            .find(|fix| fix.words == words)
            .unwrap_or_else(|| panic!("{words}: {:#?}", prepared.findings));
        let after = prepare(&taken.text, Some(&setup));
        assert!(after.program.is_some(), "{words}: {:#?}", after.findings);
        assert!(!after.findings.contains(&prepared.findings[0]));
    }
}

#[test]
fn a_piece_begins_with_the_momentum_and_the_noise_of_the_whole_run() {
    let setup = setup();
    let world = setup.world();
    let whole = play_whole(&setup, ROUND);
    let visit = *whole
        .run
        .visits
        .iter()
        .find(|visit| whole.program.steps[visit.step].name == "To the gate")
        .unwrap();
    let piece = Piece {
        before: &whole.program,
        tick: visit.entered,
        step: visit.step,
        pose: None,
    };
    let part = play_with(&setup, &world, ROUND, &[], Some(piece));
    assert_eq!(part.run.outcome, Outcome::Done);
    // The same world and the same program go on as they did.
    let (all, some) = (&whole.run.trace, &part.run.trace);
    for tick in [0, 1, 50, 200] {
        let (a, b) = (all.ticks[visit.entered + tick], some.ticks[tick]);
        assert_eq!(
            (a.pose, a.command, a.step),
            (b.pose, b.command, b.step),
            "tick {tick}"
        );
    }
    assert_eq!(part.run.ended + visit.entered, whole.run.ended);
    assert_eq!(part.run.visits[0].step, visit.step);
    // From a pose set by hand it stands there.
    let pose = Pose {
        x: 0.5,
        y: 0.4,
        heading: 1.0,
    };
    let part = play_with(
        &setup,
        &world,
        ROUND,
        &[],
        Some(Piece {
            pose: Some(pose),
            ..piece
        }),
    );
    let first = part.run.trace.ticks[0];
    assert!(
        (first.pose.x - 0.5).abs() < 1e-9 && first.rims == [0.0; 2],
        "{first:?}"
    );
}

#[test]
fn a_piece_within_a_repeat_goes_on_round_it() {
    let setup = setup();
    let text = "limit 9 s\nstart slipway\nstep \"r\"\nrepeat 3 times\nstep \"a\"\nhold, brake\nuntil 0.1 s pass\nstep \"b\"\nhold, brake\nuntil 0.2 s pass\nend\nstep \"c\"\nhold, brake\nuntil 0.1 s pass\n";
    let whole = play_whole(&setup, text);
    let b = whole
        .program
        .steps
        .iter()
        .position(|step| step.name == "b")
        .unwrap();
    let visit = whole
        .run
        .visits
        .iter()
        .find(|visit| visit.step == StepId(b))
        .unwrap();
    let piece = Piece {
        before: &whole.program,
        tick: visit.entered,
        step: StepId(b),
        pose: None,
    };
    let part = play_with(&setup, &setup.world(), text, &[], Some(piece));
    let names: Vec<&str> = part
        .run
        .visits
        .iter()
        .map(|visit| part.program.steps[visit.step].name.as_str())
        .collect();
    assert_eq!(names, ["b", "a", "b", "a", "b", "c"]);
}

#[test]
fn a_sensors_track_shows_what_lies_between_two_looks() {
    let setup = setup();
    let world = setup.world();
    let played = play_whole(&setup, ROUND);
    let right = setup.robot.sensor("floor-right").unwrap();
    let along = Along::of(&world, &played.run, right);
    assert_eq!(along.looks.len(), played.run.ended + 1);
    assert!(
        along
            .places
            .windows(2)
            .all(|pair| pair[1].at - pair[0].at < 0.001 + 1e-9 && pair[1].at >= pair[0].at)
    );
    assert!(along.length() > 4.0, "{}", along.length());
    // Where it looked, the reading was that, but for noise, steps and the age of the reading.
    let width = wayodos_core::lab::evidence::noise_width(&setup.robot, right);
    let close = along
        .places
        .iter()
        .filter(|place| place.tick.fract() == 0.0);
    let off: Vec<f64> = close
        .map(|place| {
            (played
                .run
                .trace
                .reading(place.tick as usize, right)
                .brightness
                - place.brightness)
                .abs()
        })
        .collect();
    let near = off.iter().filter(|off| **off < 6.0 * width).count();
    assert!(near * 100 > off.len() * 85, "{near} of {}", off.len());
}

#[test]
fn a_robot_that_brakes_comes_to_rest_where_a_run_says_it_does() {
    let setup = setup();
    let world = setup.world();
    let text = "limit 9 s\nstart slipway\nstep \"go\"\ndrive ahead at 30 %\nuntil 0.5 s pass\nstep \"stand\"\nhold, brake\nuntil 1 s passes\n";
    let played = play_whole(&setup, text);
    let brakes = played.run.trace.ticks[played.run.visits[1].entered];
    let rest = world.rest_of(brakes.pose, brakes.rims);
    let really = played.run.final_pose();
    let gap = |a: Pose, b: Pose| Point::new(a.x, a.y).distance(Point::new(b.x, b.y));
    assert!(gap(rest, really) < 0.000_5, "{rest:?} {really:?}");
    let way = gap(rest, brakes.pose);
    assert!(way > 0.003 && way < 0.1, "{way}");
    // Twice as fast: further, and standing still: nowhere.
    let fast = world.rest_of(brakes.pose, brakes.rims.map(|rim| 2.0 * rim));
    let far = gap(fast, brakes.pose);
    assert!(far > 1.5 * way, "{far} {way}");
    assert!((world.rest_of(brakes.pose, [0.0; 2]).x - brakes.pose.x).abs() < 1e-6);
}

#[test]
fn hands_are_written_as_they_are_read() {
    let setup = setup().with_box();
    let pose = Pose {
        x: 0.7,
        y: 0.35,
        heading: 0.0,
    };
    let hand = |at_ms, act| Intervention { at_ms, act };
    let all = vec![
        hand(
            1500,
            Act::Place {
                thing: "box".into(),
                pose,
            },
        ),
        hand(
            2250,
            Act::Carry {
                pose: Pose {
                    heading: std::f64::consts::FRAC_PI_2,
                    ..pose
                },
            },
        ),
        hand(
            4000,
            Act::Cover {
                sensor: "ahead".into(),
                distance: 0.05,
                for_ms: 300,
            },
        ),
        hand(
            9000,
            Act::Remove {
                thing: "box".into(),
            },
        ),
    ];
    let text = hands::write(&all, &setup.field);
    assert!(
        hands::asks_for_box(&text) && !hands::asks_for_box(&text.replace("\"box\"", "\"heron\""))
    );
    let (read, findings) = hands::load(&text, &setup);
    assert_eq!(findings, []);
    assert_eq!(read.len(), all.len());
    for (read, all) in read.iter().zip(&all) {
        assert_eq!(read.at_ms, all.at_ms);
        match (&read.act, &all.act) {
            (Act::Carry { pose: a }, Act::Carry { pose: b }) => {
                assert!((a.heading - b.heading).abs() < 1e-9);
            }
            (a, b) => assert_eq!(a, b),
        }
    }
    // A box that is put in the way is driven into; without one the run is the same as ever.
    let played = play_with(&setup, &setup.world(), ROUND, &[], None);
    assert_eq!(played.run.outcome, Outcome::Done);
    let ahead = played.run.trace.ticks[played.run.trace.tick_at(9.0)].pose;
    let in_the_way = hand(
        4000,
        Act::Place {
            thing: "box".into(),
            pose: ahead,
        },
    );
    let stopped = play_with(&setup, &setup.world(), ROUND, &[in_the_way], None);
    assert!(
        stopped.run.trace.ticks.iter().any(|tick| tick.met),
        "{}",
        stopped.run.reason
    );
}

/// The lines that wild texts are made of: sentences of the demo, copies, and what nobody wrote on
/// purpose.
fn wild_lines() -> Vec<String> {
    let own = [
        "step \"a\"",
        "step \"b\"",
        "step \"\"",
        "  like \"a\"",
        "  like \"b\"",
        "  but until 2 s pass",
        "  but drive ahead at 9 %",
        "  repeat 2 times",
        "  end",
        "routine go (far = 50 mm)",
        "  do go (far = 20 mm)",
        "reflex \"r\"",
        "  when ahead < 90 mm",
        "  then resume",
        "let cruise = 20 %",
        "# a note",
        "#   until 1 s passes",
        "",
        "\u{1f980}",
        "  until",
        "  or    -> ",
        "end",
        "  react",
        "    when floor-left sees dark, hold",
        "  choose",
        "    otherwise -> done",
        "  measure ahead as gap",
    ];
    own.map(str::to_owned)
        .into_iter()
        .chain(ROUND.lines().map(str::to_owned))
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    /// Whatever stands in a text, the screen's changes of it are changes and nothing else: no
    /// panic, spans within the text, and what was not meant stays.
    #[test]
    fn any_text_can_be_changed_completed_and_asked(picks in prop::collection::vec(any::<prop::sample::Index>(), 0..30), at: prop::sample::Index) {
        let lines = wild_lines();
        let text = picks.iter().fold(String::new(), |text, pick| text + &lines[pick.index(lines.len())] + "\n");
        let setup = setup();
        let prepared = prepare(&text, Some(&setup));
        let (parsed, names) = (&prepared.parsed, &setup.names);
        let places: Vec<usize> = text.char_indices().map(|(at, _)| at).chain([text.len()]).collect();
        let place = places[at.index(places.len())];
        for one in completions(parsed, &text, names, place) {
            prop_assert!(text.get(one.span.clone()).is_some() && one.span.end == place);
        }
        let inside = |edit: &Edit| text.get(edit.span.clone()).is_some();
        for step in 0..parsed.mission.steps.len() {
            let about = &parsed.mission.steps[step];
            prop_assert!(inside(&add_exit(parsed, &text, TextStep(step), "1 s passes", None)));
            let of = Text { parsed, text: &text, names };
            let changes = [
                restructure::delete(of, TextStep(step)..TextStep(step + 1)),
                restructure::duplicate(of, TextStep(step)..TextStep(step + 2)),
                restructure::link(of, TextStep(step)),
                restructure::move_steps(of, TextStep(step)..TextStep(step + 1), true),
                restructure::wrap(of, TextStep(step)..TextStep(step + 3)),
                restructure::split(of, TextStep(step), "travelled 40 mm"),
                restructure::join(of, TextStep(step)),
                restructure::mirror(of, TextStep(step)..TextStep(step + 1)),
                restructure::extract(of, TextStep(step)..TextStep(step + 2), "part"),
                restructure::comment(of, TextStep(step)..TextStep(step + 2)),
            ];
            for change in changes.into_iter().flatten() {
                prop_assert!(change.edits.iter().all(inside));
                change.apply(&text);
            }
            prop_assert!(conditions(Some(about), names).len() > 5);
        }
        for line in 0..parsed.lines.len() {
            let edits = [amend::toggle_comment(parsed, &text, line), exits::remove_exit(parsed, &text, line), exits::move_exit(parsed, &text, line, true)];
            prop_assert!(edits.iter().flatten().all(inside));
        }
        for slot in 0..parsed.slots.len() {
            let edits = [amend::convert(parsed, &text, SlotId(slot)), amend::write_out(parsed, &text, SlotId(slot))];
            prop_assert!(edits.iter().flatten().all(inside));
            // It has a name then, or says why not.
            let _ = amend::name_amount(parsed, &text, names, SlotId(slot), "fresh");
        }
        for finding in &prepared.findings {
            fixes(finding, parsed, &text, names);
        }
        for offer in behaviours(parsed, names).iter().take(3) {
            prop_assert!(inside(&insert_offer(parsed, &text, None, offer)));
        }
        for offer in &reflexes(names) {
            prop_assert!(inside(&insert_reflex(parsed, &text, offer)));
        }
    }
}

#[test]
fn every_mission_of_the_demo_can_be_asked_why_at_any_moment() {
    // Another field each: what matters here is that whatever they are made of stands and is played.
    for text in [
        ROUND,
        include_str!("../../../examples/brinewick/missions/which-way.way"),
        include_str!("../../../examples/brinewick/missions/four-ways-along.way"),
    ] {
        let setup = setup();
        let Some(program) = prepare(text, Some(&setup)).program else {
            panic!("it compiles here, too")
        };
        let played = play_whole(&setup, text);
        let mut replay = Replay::new(&program, &played.run);
        let mut looked = 0;
        for tick in (0..played.run.ended).step_by(97) {
            let standing = replay.at(&played.run, tick);
            let active = played.run.trace.ticks[tick].step();
            let innermost = standing.steps.last().map(|step| program.shown(step.step));
            assert_eq!(innermost, Some(active), "tick {tick}");
            for term in standing.steps.iter().flat_map(|step| &step.exits) {
                assert!(
                    !term.looks.is_empty() && term.looks.iter().all(|live| !live.words.is_empty())
                );
                looked += usize::from(term.looked);
            }
        }
        assert!(looked > 20, "{looked}");
        for one in &played.evidence {
            for exit in 0..program.steps[one.visit.step].exits.len() {
                let story = exit_story(
                    &played.run,
                    &program,
                    &played.evidence,
                    one.visit.step,
                    exit,
                );
                assert!(!story.visits.is_empty());
                for remedy in remedies_of(&setup, &played, one.visit.step, exit) {
                    assert!(
                        wrong(&prepare(&remedy.text, Some(&setup)).findings).is_empty(),
                        "{remedy:#?}"
                    );
                }
            }
        }
    }
}

#[test]
fn a_limit_is_put_half_way_between_the_two_surfaces_that_were_met() {
    let setup = setup();
    let text = |limit: &str| {
        format!(
            "mission \"m\"\n  limit 20 s\n  start slipway\n\nstep \"To the bar\"\n  drive ahead at 26 %\n  until floor-right {limit}  -> next\n  or    travelled 320 mm     -> fail \"no bar\"\n\nstep \"On\"\n  drive ahead at 26 %\n  until 2 s pass  -> done\n"
        )
    };
    let half_way = |limit: &str| {
        let played = play_whole(&setup, &text(limit));
        let found = remedies_of(&setup, &played, StepId(0), 0);
        let half_way = found
            .into_iter()
            .find(|remedy| remedy.words.starts_with("limit, half way: "));
        (played, half_way)
    };
    // Too dark a limit, and one that the bright ground is below at once.
    for limit in ["< 3 %", "< 90 %"] {
        let (played, found) = half_way(limit);
        let found = found.unwrap_or_else(|| panic!("{limit}"));
        let mended = play_whole(&setup, &found.text);
        assert_eq!(mended.run.outcome, Outcome::Done, "{}", found.text);
        let there = mended.run.duration() - 2.0;
        assert!(there > 1.0 && there < 2.0, "{there} {}", found.text);
        // The middle of what it read on the ground and on the bar.
        let on = |played: &Played, tick: usize| {
            let sensor = setup.robot.sensor("floor-right").unwrap();
            played.run.trace.reading(tick, sensor).brightness
        };
        let ground = on(&played, 5);
        let end = mended.run.ended;
        let bar = (0..end).map(|tick| on(&mended, tick)).fold(1.0, f64::min);
        let number: f64 = found.words.rsplit(' ').nth(1).unwrap().parse().unwrap();
        assert!(
            (number / 100.0 - f64::midpoint(ground, bar)).abs() < 0.06,
            "{} {ground} {bar}",
            found.words
        );
    }
    // Where only one surface was met there is no middle.
    let short = text("< 3 %").replace("320 mm", "60 mm");
    let played = play_whole(&setup, &short);
    let found = remedies_of(&setup, &played, StepId(0), 0);
    assert!(
        found
            .iter()
            .all(|remedy| !remedy.words.contains("half way")),
        "{found:#?}"
    );
}
