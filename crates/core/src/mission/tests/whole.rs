//! The whole language: missions made up from its grammar, and texts that are none.

use crate::ids::{SlotId, TextStep};
use proptest::prelude::*;

use super::changes::changed;
use super::names;
use crate::mission::restructure::{delete, duplicate, extract, move_steps, wrap};
use crate::mission::steps;
use crate::mission::{Parsed, check, format, parse};

fn pick(words: &'static [&'static str]) -> impl Strategy<Value = String> {
    prop::sample::select(words).prop_map(str::to_owned)
}

fn amount(examples: &'static [&'static str]) -> impl Strategy<Value = String> {
    pick(examples)
}

fn length() -> impl Strategy<Value = String> {
    amount(&[
        "120 mm",
        "3 cm",
        "0.2 m",
        "(lane / 2)",
        "min(lane, 40 mm)",
        "lane",
    ])
}

fn condition() -> impl Strategy<Value = String> {
    let atom = prop_oneof![
        pick(&[
            "floor-left sees dark",
            "any of floor-left, floor-right sees dark",
            "none of floor-left, floor-right > 40 %",
            "hue sees any of pale, red",
            "floor-left between 20 % and 60 %",
            "floor-left has dropped by 20 %",
            "floor-right has crossed 3 dark lines 20 mm apart",
            "floor-right has met 1 dark line",
            "bumper is pressed",
            "arm is there",
            "turned 90 deg",
            "heading reaches -45 deg",
            "left wheel rolled 1 turn",
            "2.5 s pass",
            "clock reaches 9 s",
            "stalled for 300 ms",
            "front < 280 mm",
        ]),
        length().prop_map(|length| format!("travelled {length}")),
    ];
    atom.prop_recursive(3, 12, 3, |inner| {
        prop_oneof![
            (inner.clone(), inner.clone()).prop_map(|(a, b)| format!("({a} and {b})")),
            (inner.clone(), inner.clone()).prop_map(|(a, b)| format!("({a} or {b})")),
            inner.clone().prop_map(|a| format!("not {a}")),
            inner.prop_map(|a| format!("({a}) for 50 ms")),
        ]
    })
}

fn behaviour() -> impl Strategy<Value = String> {
    pick(&[
        "drive ahead at 40 %",
        "drive back at 120 mm/s holding the heading",
        "drive ahead on a left arc of 300 mm at 40 %",
        "spin left at 30 %",
        "pivot right on the right wheel at 30 %",
        "follow the left edge of a dark line with floor-left at 40 %, gain 0.6, integral 0.1, derivative 0.02",
        "follow a dark line under floor-left and floor-right at 40 % and 20 %, if lost search",
        "follow a dark line between floor-left and floor-right at 40 %",
        "keep between dark lines with floor-left and floor-right at 30 %, gain 0.8, both stop",
        "align floor-left and floor-right to a dark line at 16 %, lead-in 40 mm, again at 10 %",
        "shift right to a dark line with floor-left at 20 %",
        "seek with front within 400 mm, spinning left at 20 % up to 360 deg, moving lane, 4 tries, closing in to 80 mm",
        "shove at 60 % to dark with floor-left and floor-right, back 60 mm",
        "await clear with front beyond 300 mm, 3 tries of 2 s",
        "probe 90 deg to each side at 30 %, up to 400 mm or floor-left sees dark, tie left",
        "probe 90 deg to each side at 30 %, with front, tie right",
        "hold, keep position",
        "move arm to 60 deg alongside",
        "signal lamp \"red\"",
        "measure (front - 20 mm) / 2 as gap",
        "do go-there (far = 80 mm, side = right) mirrored",
    ])
}

/// A whole mission of some steps, some of them within repeats, with everything that may stand
/// around them.
#[expect(clippy::format_push_string, reason = "a text that grows line by line")]
fn mission() -> impl Strategy<Value = String> {
    let step = (
        behaviour(),
        condition(),
        condition(),
        prop::bool::ANY,
        pick(&["", " after 200 mm", " after it was false"]),
    );
    prop::collection::vec((step, 0..4u8), 1..9).prop_map(|steps| {
        let mut text = String::from(
            "mission \"m\"\nlimit 20 s\nstart slipway\nsettle 0.3 s\nlet lane = 150 mm, safe from 100 mm to 200 mm, measured\n\
             reflex \"r\"\nwhen floor-left sees dark for 20 ms\nduring \"0\"\nspin left at 30 %\nuntil turned 90 deg\nthen resume\n",
        );
        let mut open = 0;
        for (nth, ((behaviour, first, second, two, after), shape)) in steps.into_iter().enumerate() {
            if shape == 3 && open < 3 && nth > 0 {
                text += &format!("step \"repeat {nth}\"\nrepeat 2 times\n");
                open += 1;
            }
            text += &format!("step \"{nth}\"\n{behaviour}\nuntil {first}{after} -> next\n");
            if two {
                text += &format!("or {second} as seen -> fail \"why\"\n");
            }
            if shape == 0 && open > 0 {
                text += "end\n";
                open -= 1;
            }
        }
        text += &"end\n".repeat(open);
        text += "step \"choice\"\nchoose\nwhen floor-left sees dark -> done\notherwise -> next\nstep \"race\"\nreact\n\
                 when front < 200 mm, do go-there\notherwise, drive ahead at 20 %\nuntil 3 s pass\n\
                 routine go-there (far = 50 mm, side = left)\nstep \"go\"\nspin side at 20 %\nuntil travelled far\nend\n";
        text
    })
}

/// What a text says, without where it says it.
fn meaning(parsed: &Parsed) -> String {
    let mut mission = parsed.mission.clone();
    for (_, line) in mission
        .steps
        .iter_mut()
        .filter_map(|step| step.behaviour.as_mut())
    {
        *line = 0;
    }
    let said = format!("{mission:?}");
    let mut out = String::new();
    let mut rest = said.as_str();
    while let Some(at) = ["span: ", "line: ", "last: "]
        .iter()
        .filter_map(|place| Some(rest.find(place)? + place.len()))
        .min()
    {
        out.push_str(&rest[..at]);
        rest = rest[at..].trim_start_matches(|c: char| c.is_ascii_digit() || c == '.');
    }
    out + rest
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]

    #[test]
    fn a_valid_mission_survives_being_laid_out(text in mission()) {
        let parsed = parse(&text);
        prop_assert!(parsed.findings.is_empty(), "{:?}\n{}", parsed.findings, text);
        let once = format(&text);
        let again = parse(&once);
        prop_assert_eq!(meaning(&again), meaning(&parsed), "{}", once);
        prop_assert_eq!(format(&once), once);
        for (line, about) in text.lines().zip(&parsed.lines) {
            prop_assert!(about.kind != crate::mission::LineKind::Broken, "{}", line);
        }
    }

    #[test]
    fn whatever_is_done_to_a_step_the_text_still_parses(text in mission(), nth: prop::sample::Index, what in 0..6u8) {
        let parsed = parse(&text);
        let step = nth.index(parsed.mission.steps.len());
        let edited = match what {
            0 => Some(steps::insert_step(&parsed, &text, TextStep(step), "new").apply(&text)),
            1 => changed(&text, |of| delete(of, TextStep(step)..TextStep(step + 1))).ok(),
            2 => changed(&text, |of| duplicate(of, TextStep(step)..TextStep(step + 1))).ok(),
            3 => changed(&text, |of| move_steps(of, TextStep(step)..TextStep(step + 1), step % 2 == 0)).ok(),
            4 => changed(&text, |of| wrap(of, TextStep(step)..TextStep(step + 1))).ok(),
            _ => changed(&text, |of| extract(of, TextStep(step)..TextStep(step + 1), "own-part")).ok(),
        };
        let Some(edited) = edited else { return Ok(()) };
        let again = parse(&edited);
        prop_assert!(again.findings.is_empty(), "{}: {:?}\n{}", what, again.findings, edited);
        let grown = again.mission.steps.len() as isize - parsed.mission.steps.len() as isize;
        let gone = 1 + parsed.mission.steps.iter().filter(|other| other.line > parsed.mission.steps[step].line
            && other.line <= parsed.mission.steps[step].last).count() as isize;
        let expected = match what { 0 | 4 | 5 => 1, 1 => -gone, 2 => gone, _ => 0 };
        prop_assert_eq!(grown, expected, "{}\n{}", what, edited);
    }

    #[test]
    fn any_cut_of_a_mission_is_read_checked_and_laid_out(text in mission(), from: prop::sample::Index, to: prop::sample::Index) {
        let lines: Vec<&str> = text.lines().collect();
        let (from, to) = (from.index(lines.len()), to.index(lines.len()));
        let cut = lines[from.min(to)..=from.max(to)].join("\n");
        check(&parse(&cut), &names());
        prop_assert_eq!(format(&format(&cut)), format(&cut));
    }
}

/// The codes of the findings of a text, and how many findings there are.
fn codes_of(text: &str) -> (Vec<&'static str>, usize) {
    let parsed = parse(text);
    let mut findings = parsed.findings.clone();
    findings.extend(check(&parsed, &names()));
    let count = findings.len();
    let mut codes: Vec<&str> = findings.iter().map(|finding| finding.code).collect();
    codes.sort_unstable();
    codes.dedup();
    assert!(
        findings
            .iter()
            .all(|finding| text.get(finding.span.clone()).is_some()),
        "every place lies in the text"
    );
    (codes, count)
}

#[test]
fn what_is_no_mission_is_refused_in_good_time() {
    let step = |nth: usize| format!("step \"{nth}\"\ndrive ahead at 24 %\nuntil travelled 10 mm\n");
    let huge: String = (0..250_000).map(step).collect();
    assert!(huge.len() > 10 << 20);
    assert_eq!(codes_of(&huge), (vec!["M001", "M110"], 2));
    let nested = format!(
        "{}{}",
        "step \"a\"\nrepeat forever\n".repeat(1000),
        "end\n".repeat(1000)
    );
    let (codes, count) = codes_of(&nested);
    assert!(codes.contains(&"M118") && count < 210, "{count} {codes:?}");
    let brackets = format!(
        "step \"a\"\nhold, brake\nuntil {}1 s passes{}",
        "(".repeat(1000),
        ")".repeat(1000)
    );
    assert_eq!(codes_of(&brackets).0, ["M110", "M118"]);
    let formula = format!(
        "let a = {}1 mm{}\n{}",
        "(".repeat(1000),
        ")".repeat(1000),
        step(0)
    );
    assert!(codes_of(&formula).0.contains(&"M118"));
    let chain: Vec<String> = (1..2000)
        .map(|nth| format!("let a{nth} = a{} + 1 mm", nth - 1))
        .collect();
    let chain = chain.join("\n");
    let chain =
        format!("let a0 = 1 mm\n{chain}\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled a1999");
    assert_eq!(
        codes_of(&chain).0,
        ["M110"],
        "a long chain of names is worked out all the same"
    );
    assert_eq!(
        parse(&chain)
            .mission
            .worth("a1999")
            .unwrap()
            .quantity()
            .to_string(),
        "2000 mm"
    );
    assert_eq!(
        codes_of("let a = 1 mm / 0\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled a").0,
        ["M008", "M110"]
    );
}

#[test]
fn routines_that_do_themselves_are_reported() {
    let circle = "step \"a\"\ndo one\nroutine one\nstep \"b\"\ndo two\nend\nroutine two\nstep \"c\"\ndo one\nend\n";
    let (codes, _) = codes_of(circle);
    assert_eq!(codes, ["M110", "M128"]);
    assert!(
        !codes_of(&circle.replace("do one\nend", "hold, brake\nuntil 1 s passes\nend"))
            .0
            .contains(&"M128")
    );
}

#[test]
fn many_mistakes_are_reported_at_once() {
    let text = "step \"a\"\ndrvie ahead at 24 %\nstep \"b\"\nspin left at 24\nuntil turned 90 mm\nstep \"c\"\nfollow the left edge of a dark line with floor-mid at 20 %\n\
                until floor-left sees purple -> \"d\"\nor hue sees\nreflex \"x\"\nhold, brake\nuntil 1 s passes\nroutine r\nstep \"e\"\ndo nothing (far = 3 mm)\nend\n";
    let (codes, count) = codes_of(text);
    assert_eq!(count, 10, "{codes:?}");
    for code in [
        "M002", "M004", "M005", "M003", "M101", "M102", "M104", "M121", "M129",
    ] {
        assert!(codes.contains(&code), "{code} in {codes:?}");
    }
}

#[test]
fn nudging_stays_within_what_is_safe() {
    use crate::mission::edit::{Stride, nudge};
    let text = "let cruise = 30 %, safe from 28 % to 32 %, measured\nstep \"a\"\ndrive ahead at cruise\nuntil 1 s passes\n";
    let mut now = text.to_owned();
    for _ in 0..4 {
        let parsed = parse(&now);
        let Some(edit) = nudge(&parsed, &now, &names(), SlotId(0), true, Stride::Coarse) else {
            break;
        };
        now = edit.apply(&now);
    }
    assert!(now.starts_with("let cruise = 32 %, safe"), "{now}");
}

#[test]
fn only_what_makes_sense_is_offered() {
    use crate::mission::edit::choices;
    let text = "reflex \"x\"\nwhen front < 90 mm and floor-left > 40 %\nduring \"a\"\nhold, brake\nuntil 1 s passes\nthen -> \"a\"\n\
                step \"a\"\nrepeat 2 times\nstep \"in\"\nhold, brake\nuntil battery < 7 V -> again\nor front > 9 mm -> fail \"no\"\nend\n\
                step \"b\"\nchoose\nwhen front < 90 mm -> next\notherwise -> fail \"why\"\nroutine r\nstep \"z\"\nhold, brake\nuntil 1 s passes -> out\nend\n";
    let parsed = parse(text);
    assert_eq!(parsed.findings, []);
    let offered = |word: &str, nth: usize| {
        let slot = parsed
            .slots
            .iter()
            .enumerate()
            .filter(|(_, slot)| &text[slot.span.clone()] == word)
            .nth(nth)
            .unwrap()
            .0;
        choices(&parsed, &names(), SlotId(slot)).join(" ")
    };
    assert_eq!(offered("front", 0), "front");
    assert_eq!(offered("floor-left", 0), "floor-left floor-right hue");
    assert_eq!(offered("battery", 0), "battery");
    assert_eq!(offered("front", 2), "front", "in a row of a choice as well");
    assert_eq!(
        offered("again", 0),
        "next done again out \"a\" \"in\" \"b\""
    );
    assert_eq!(offered("next", 0), "next done \"a\" \"b\"");
    assert_eq!(offered("out", 0), "next done out \"z\"");
    assert_eq!(
        (offered("fail", 0), offered("fail", 1)),
        (String::new(), String::new()),
        "they would lose their reasons"
    );
    // Of `during` and `then`: steps of the mission itself.
    assert_eq!(
        (offered("\"a\"", 0), offered("\"a\"", 1)),
        ("\"a\" \"b\"".to_owned(), "\"a\" \"b\"".to_owned())
    );
}

#[test]
fn whether_a_call_is_mirrored_is_nudged_like_any_word() {
    use crate::mission::edit::{Stride, nudge};
    let text = "step \"a\"\n  do r (far = 30 mm)  # there\nroutine r (far)\nstep \"b\"\nspin left at 20 %\nuntil travelled far\nend\n";
    let at = |text: &str| {
        let parsed = parse(text);
        let is_it = |kind: &crate::mission::SlotKind| matches!(kind, crate::mission::SlotKind::Choice(words) if words.contains(&"mirrored"));
        parsed.slot_where(|slot| is_it(&slot.kind)).unwrap()
    };
    let turned = |text: &str| {
        nudge(&parse(text), text, &names(), at(text), true, Stride::Fine)
            .unwrap()
            .apply(text)
    };
    let mirrored = turned(text);
    assert!(
        mirrored.contains("do r (far = 30 mm) mirrored  # there"),
        "{mirrored}"
    );
    assert_eq!(turned(&mirrored), text);
}
