//! The language as a whole: findings with their places, formatting, slots and edits, and the laws
//! they keep.

use crate::ids::{DeviceKind, SlotId};
use proptest::prelude::*;

pub(super) mod changes;
mod mistakes;
mod whole;
mod whole_steps;

use super::*;
use crate::finding::line_column;

const DEMO: &str = include_str!("../../../../examples/brinewick/missions/morning-round.way");

fn names() -> Names {
    let sensor = |name: &str, tones: &[&str]| DeviceName {
        tones: tones.iter().map(|&tone| tone.to_owned()).collect(),
        ..DeviceName::new(name, DeviceKind::Floor)
    };
    Names {
        devices: vec![
            sensor("floor-left", &["dark", "pale"]),
            sensor("floor-right", &["dark", "pale"]),
            sensor("hue", &["pale", "red"]),
            DeviceName::new("front", DeviceKind::Ranger),
            DeviceName::new("bumper", DeviceKind::Switch),
            DeviceName {
                stops: (0.0, 1.5),
                ..DeviceName::new("arm", DeviceKind::Actuator)
            },
            DeviceName::new("lamp", DeviceKind::Signal),
        ],
        starts: vec!["slipway".to_owned()],
        zones: vec!["depot".to_owned(), "the mat".to_owned()],
        has_gyro: true,
        steers: false,
        top_speed: 0.5,
        routines: Vec::new(),
    }
}

/// All findings of a text as `line:column code message / hint`.
fn findings_of(text: &str) -> String {
    let parsed = parse(text);
    let mut findings = parsed.findings.clone();
    findings.extend(check(&parsed, &names()));
    let line = |finding: &crate::finding::Finding| {
        let (line, column) = line_column(text, finding.span.start);
        format!(
            "{line}:{column} {} {} / {}\n",
            finding.code,
            finding.message,
            finding.hint_words().join(" / ")
        )
    };
    findings.iter().map(line).collect()
}

const GOOD: &str = r#"mission "Test"
  limit 60 s
  start slipway

let cruise = 40 %

step "Out"
  drive ahead at cruise holding the heading
  until floor-left sees dark            -> next
  or    travelled 400 mm                -> fail "no line"

step "Along"
  follow the left edge of a dark line with floor-left at 30 %, gain 0.6
  until floor-right has crossed 3 dark lines  -> "Stand"
  or    floor-right < 20 %
  or    8 s pass                              -> "Turn"

step "Turn"
  spin left at 25 %
  until turned 90 deg

step "Swing"
  pivot right on the left wheel at 30 %
  until hue sees red  -> done
  or    1 s passes

step "Stand"
  hold, coast
  until 0.5 s pass  -> done
"#;

#[test]
fn every_sentence_of_the_language_is_understood() {
    assert_eq!(findings_of(GOOD), "");
    let parsed = parse(GOOD);
    assert_eq!(parsed.mission.steps.len(), 5);
    let words: Vec<&str> = parsed
        .mission
        .steps
        .iter()
        .map(|step| step.behaviour.as_ref().unwrap().0.node.word())
        .collect();
    assert_eq!(words, ["drive", "follow", "spin", "pivot", "hold"]);
    assert_eq!(
        parsed.mission.steps[1].exits[1].target.node,
        Target::Next,
        "no arrow leads to the next step"
    );
}

#[test]
fn mistakes_are_reported_with_place_and_remedy() {
    let mistakes = [
        ("drive ahead", "drvie ahead"),
        ("at cruise", "at cruize"),
        ("at cruise", "at 40"),
        ("at cruise", "at 40 mm"),
        ("at cruise", "at 140 %"),
        ("at cruise", "at -40 %"),
        ("at cruise", "cruise"),
        ("sees dark ", "sees drak "),
        ("floor-left sees", "flor-left sees"),
        ("floor-left sees", "floor-left seas"),
        ("travelled 400 mm", "traveled 400 mm"),
        ("travelled 400 mm", "travelled 400 m m"),
        ("travelled 400 mm", "travelled 400 sec"),
        ("-> fail \"no line\"", "-> fail"),
        ("-> fail \"no line\"", "-> fail \"no line"),
        ("-> \"Stand\"", "-> \"Stnad\""),
        ("crossed 3 dark", "crossed 2.5 dark"),
        ("  until turned", "  or turned"),
        ("step \"Turn\"", "step Turn"),
        ("step \"Turn\"", "step \"Along\""),
        ("start slipway", "start slpway"),
        ("limit 60 s", "limit 60 s exactly"),
        ("  spin left at 25 %\n", ""),
        ("  until 0.5 s pass  -> done\n", ""),
        ("let cruise = 40 %", "let cruise = 40 %\nlet crawl = 10 %"),
        (
            "until hue sees red  -> done\n  or    1 s passes",
            "until hue sees red  -> done",
        ),
        ("gain 0.6", "gain high"),
        ("hold, coast", "hold, rest"),
        ("or    1 s passes", "or    front < 30 %"),
        ("or    1 s passes", "or    floor-left < 280 mm"),
        ("or    1 s passes", "or    front sees dark"),
        ("or    1 s passes", "or    frnt < 28 cm"),
        ("or    1 s passes", "or    front < 25 m"),
        ("line with floor-left at", "line with front at"),
    ];
    let mut all = String::new();
    for (old, new) in mistakes {
        assert!(GOOD.contains(old), "the good mission has no `{old}`");
        all.extend([
            old.trim(),
            " => ",
            new.trim(),
            "\n",
            &findings_of(&GOOD.replacen(old, new, 1)),
            "\n",
        ]);
    }
    insta::assert_snapshot!(all);
}

/// Sentences about devices, speeds that are kept, and arcs.
const DEVICES: &str = r#"mission "Devices"
  limit 60 s
  start slipway

let creep = 80 mm/s

step "Round"
  drive ahead on a left arc of 250 mm at 120 mm/s
  until bumper is pressed  -> next
  or    bumper was bumped  -> next

step "Back"
  drive back at creep holding the heading
  until bumper is released  -> next

step "Reach"
  move arm to 60 deg
  until arm is there    -> next
  or    arm is blocked  -> fail "stuck"

step "Say so"
  signal lamp "green"
  until 0.5 s pass  -> next

step "Stay"
  hold, keep position
  until 2 s pass  -> done
"#;

#[test]
fn devices_kept_speeds_and_arcs_are_understood_and_laid_out() {
    assert_eq!(findings_of(DEVICES), "");
    assert_eq!(format(DEVICES), DEVICES);
    let nudged = |word: &str, nth: usize, up: bool| {
        let parsed = parse(DEVICES);
        let edit = edit::nudge(
            &parsed,
            DEVICES,
            &names(),
            slot(DEVICES, word, nth),
            up,
            edit::Stride::Coarse,
        );
        edit.map(|edit| edit.apply(DEVICES))
    };
    let change = |old: &str, new: &str| Some(DEVICES.replacen(old, new, 1));
    assert_eq!(
        nudged("keep position", 0, true),
        change("keep position", "brake")
    );
    assert_eq!(nudged("120 mm/s", 0, true), change("120 mm/s", "150 mm/s"));
    assert_eq!(
        nudged("creep", 0, true),
        change("creep = 80", "creep = 100"),
        "where it is made"
    );
    assert_eq!(
        nudged("pressed", 0, true),
        change("is pressed", "is released")
    );
    assert_eq!(nudged("there", 0, false), change("is there", "is blocked"));
    let choices = |word: &str| edit::choices(&parse(DEVICES), &names(), slot(DEVICES, word, 0));
    assert_eq!(
        (choices("bumper"), choices("arm"), choices("lamp")),
        (
            vec!["bumper".to_owned()],
            vec!["arm".to_owned()],
            vec!["lamp".to_owned()]
        )
    );
    assert_eq!(nudged("left", 0, true), change("a left arc", "a right arc"));
    let braked = DEVICES.replace("keep position", "brake");
    let edit = edit::nudge(
        &parse(&braked),
        &braked,
        &names(),
        slot(&braked, "brake", 0),
        false,
        edit::Stride::Fine,
    );
    assert_eq!(edit.unwrap().apply(&braked), DEVICES);
}

#[test]
fn mistakes_about_devices_are_reported() {
    let cases = [
        (
            "bumper is pressed",
            "bumpr is pressed",
            "M101",
            "did you mean `bumper`?",
        ),
        (
            "bumper is pressed",
            "bumper is push",
            "M003",
            "`pressed`, `released`, `there` or `blocked`",
        ),
        (
            "bumper is pressed",
            "arm is pressed",
            "M101",
            "no switch `arm`",
        ),
        (
            "arm is there",
            "bumper is there",
            "M101",
            "no actuator `bumper`",
        ),
        ("move arm", "move amr", "M101", "did you mean `arm`?"),
        (
            "move arm to 60 deg",
            "move arm to 60 mm",
            "M005",
            "an angle",
        ),
        (
            "move arm to 60 deg",
            "move arm to 170 deg",
            "M117",
            "end stop is at 85.9",
        ),
        ("signal lamp", "signal lmp", "M101", "no signal `lmp`"),
        (
            "at 120 mm/s",
            "at 900 mm/s",
            "M116",
            "cannot reach 900 mm/s",
        ),
        (
            "creep = 80 mm/s",
            "creep = 80 mm",
            "M005",
            "does not fit here",
        ),
        ("arc of 250 mm", "arc of 2 mm", "M008", "out of range"),
        (
            "bumper is pressed",
            "battery < 40 %",
            "M114",
            "`battery` measures volts",
        ),
        (
            "bumper is pressed",
            "front < 7 V",
            "M114",
            "`front` does not measure a voltage",
        ),
        (
            "keep position",
            "keep still",
            "M003",
            "`brake`, `coast` or `keep position`",
        ),
    ];
    for (old, new, code, says) in cases {
        let answer = findings_of(&DEVICES.replacen(old, new, 1));
        assert!(
            answer.contains(code) && answer.contains(says),
            "{new}: {answer}"
        );
    }
    let car = Names {
        steers: true,
        ..names()
    };
    let text = DEVICES.replace("drive ahead on a left arc of 250 mm", "spin left");
    let codes: Vec<&str> = check(&parse(&text), &car)
        .iter()
        .map(|finding| finding.code)
        .collect();
    assert_eq!(codes, ["M115"]);
}

#[test]
fn a_distance_may_be_named_above_or_below_its_use() {
    for (before, after) in [("let near = 28 cm\n", ""), ("", "let near = 28 cm\n")] {
        let text = format!(
            "limit 9 s\nstart slipway\n{before}step \"a\"\nhold\nuntil front < near -> done\n{after}"
        );
        assert_eq!(findings_of(&text), "");
        let parsed = parse(&text);
        let near = slot(&text, "near", 0);
        let edit = edit::nudge(&parsed, &text, &names(), near, true, edit::Stride::Coarse).unwrap();
        assert!(edit.apply(&text).contains("near = 29 cm"), "{edit:?}");
        let front = slot(&text, "front", 0);
        assert_eq!(
            edit::choices(&parsed, &names(), front),
            ["front"],
            "only what measures distances"
        );
    }
    let brightness = "limit 9 s\nstep \"a\"\nhold\nuntil hue < 40 % -> done";
    let hue = slot(brightness, "hue", 0);
    assert_eq!(edit::choices(&parse(brightness), &names(), hue).len(), 3);
}

#[test]
fn one_broken_line_leaves_the_rest_standing() {
    let parsed = parse(
        &GOOD
            .replace("spin left at", "spin lift at")
            .replace("hold, coast", "hold; coast"),
    );
    assert_eq!(parsed.findings.len(), 2, "{:#?}", parsed.findings);
    assert_eq!(parsed.mission.steps.len(), 5);
    assert!(parsed.mission.steps[2].broken && !parsed.mission.steps[1].broken);
}

#[test]
fn formatting_lays_out_and_keeps_comments() {
    let messy = "  mission   \"Test\"   # the first\n\n\n# about speed\nlet cruise=40%\n# to the line\nstep \"Out\"\ndrive ahead at cruise # steady\n  # look left\nuntil floor-left sees dark->next\nor travelled 1cm -> fail \"no\"\n or floor-left has crossed 1 dark lines\nor 4 s passes\n this is broken   # really\nstep \"Stand\"\n hold\n until 1 s pass";
    insta::assert_snapshot!(format(messy));
}

#[test]
fn the_demo_mission_is_formatted() {
    assert_eq!(format(DEMO), DEMO);
}

/// The slot that holds `word`, counted from 0.
fn slot(text: &str, word: &str, nth: usize) -> SlotId {
    let parsed = parse(text);
    let mut found = parsed
        .slots
        .iter()
        .enumerate()
        .filter(|(_, slot)| &text[slot.span.clone()] == word);
    SlotId(
        found
            .nth(nth)
            .unwrap_or_else(|| panic!("no slot holds `{word}`"))
            .0,
    )
}

fn nudged(word: &str, nth: usize, up: bool, by: edit::Stride) -> Option<String> {
    let parsed = parse(GOOD);
    edit::nudge(&parsed, GOOD, &names(), slot(GOOD, word, nth), up, by).map(|edit| edit.apply(GOOD))
}

#[test]
fn nudging_changes_the_number_and_only_that() {
    use edit::Stride::{Coarse, Fine};
    let change = |old: &str, new: &str| Some(GOOD.replacen(old, new, 1));
    assert_eq!(
        nudged("30 %", 0, true, Coarse),
        change("at 30 %,", "at 35 %,")
    );
    assert_eq!(
        nudged("30 %", 0, false, Fine),
        change("at 30 %,", "at 29 %,")
    );
    assert_eq!(
        nudged("0.6", 0, true, Fine),
        change("gain 0.6", "gain 0.65")
    );
    assert_eq!(
        nudged("cruise", 0, true, Coarse),
        change("= 40 %", "= 45 %"),
        "a named value changes where it is made"
    );
    assert_eq!(
        nudged("3", 0, false, Fine),
        change("crossed 3 dark lines", "crossed 2 dark lines")
    );
    assert_eq!(
        nudged("left", 0, true, Fine),
        change("the left edge", "the right edge")
    );
    assert_eq!(
        nudged("dark", 0, true, Fine),
        change("sees dark", "sees pale")
    );
    assert_eq!(
        nudged("1 s", 0, false, Coarse),
        change("1 s passes", "0.5 s pass")
    );
    assert_eq!(
        nudged("slipway", 0, true, Fine),
        None,
        "there is no other start"
    );
}

#[test]
fn nudging_stops_at_the_ends_of_the_range() {
    let mut text = GOOD.to_owned();
    for _ in 0..30 {
        let parsed = parse(&text);
        let Some(edit) = edit::nudge(
            &parsed,
            &text,
            &names(),
            slot(GOOD, "30 %", 0),
            true,
            edit::Stride::Coarse,
        ) else {
            break;
        };
        text = edit.apply(&text);
    }
    assert!(text.contains("at 100 %, gain"), "{text}");
    let mut count = GOOD.to_owned();
    for _ in 0..5 {
        let parsed = parse(&count);
        let Some(edit) = edit::nudge(
            &parsed,
            &count,
            &names(),
            slot(GOOD, "3", 0),
            false,
            edit::Stride::Fine,
        ) else {
            break;
        };
        count = edit.apply(&count);
    }
    assert!(count.contains("has crossed 1 dark line  "), "{count}");
}

#[test]
fn typing_keeps_the_unit_and_refuses_nonsense() {
    let parsed = parse(GOOD);
    let typed =
        |word: &str, text: &str| edit::set(&parsed, GOOD, &names(), slot(GOOD, word, 0), text);
    assert_eq!(
        typed("400 mm", "250").unwrap().apply(GOOD),
        GOOD.replace("400 mm", "250 mm")
    );
    assert_eq!(
        typed("400 mm", "25 cm").unwrap().apply(GOOD),
        GOOD.replace("400 mm", "25 cm")
    );
    assert_eq!(
        typed("30 %", "cruise").unwrap().apply(GOOD),
        GOOD.replacen("at 30 %,", "at cruise,", 1)
    );
    assert_eq!(
        typed("\"Turn\"", "Along").unwrap().apply(GOOD),
        GOOD.replacen("\"Turn\"", "\"Along\"", 1)
    );
    for (word, text) in [
        ("400 mm", "90 deg"),
        ("400 mm", "x"),
        ("30 %", "300"),
        ("dark", "blue"),
        ("\"Test\"", "a\"b"),
    ] {
        assert!(typed(word, text).is_err(), "{word} = {text}");
    }
}

#[test]
fn lines_are_inserted_and_deleted_whole() {
    let parsed = parse(GOOD);
    let inserted = edit::insert_below(&parsed, GOOD, 7, "until 1 s passes").apply(GOOD);
    assert_eq!(inserted.lines().nth(8), Some("  until 1 s passes"));
    assert_eq!(
        edit::delete_line(&parse(&inserted), &inserted, 8).apply(&inserted),
        GOOD
    );
}

fn soup() -> impl Strategy<Value = String> {
    let word = prop::sample::select(vec![
        "mission",
        "\"a\"",
        "limit",
        "start",
        "let",
        "step",
        "drive",
        "ahead",
        "back",
        "at",
        "40",
        "%",
        "mm",
        "s",
        "-",
        "->",
        "next",
        "until",
        "or",
        "follow",
        "the",
        "left",
        "edge",
        "of",
        "a",
        "dark",
        "line",
        "with",
        "floor-left",
        ",",
        "gain",
        "0.6",
        "\n",
        "\n",
        "\n  ",
        "#",
        "\"",
        "é",
        "\u{0}",
        "1e9",
        "999999999999",
        "sees",
        "has",
        "crossed",
        "3",
        "lines",
        "spin",
        "pivot",
        "hold",
        "pass",
        "keep",
        "position",
        "move",
        "is",
        "pressed",
        "mm/s",
        "arc",
        "on",
        "signal",
        "was",
        "bumped",
        "=",
        "<",
        "\r\n",
        "fail",
        "done",
        "cruise",
        "repeat",
        "forever",
        "times",
        "end",
        "routine",
        "reflex",
        "when",
        "while",
        "during",
        "then",
        "resume",
        "react",
        "choose",
        "otherwise",
        "do",
        "mirrored",
        "(",
        ")",
        "+",
        "/",
        "min",
        "measure",
        "as",
        "and",
        "not",
        "for",
        "after",
        "it",
        "false",
        "any",
        "none",
        "between",
        "reads",
        "code",
        "seek",
        "align",
        "tries",
        "safe",
        "from",
        "to",
        "use",
        "begin",
    ]);
    prop::collection::vec(word, 0..80).prop_map(|words| words.join(" "))
}

proptest! {
    #[test]
    fn any_bytes_are_read_without_panic(bytes in prop::collection::vec(any::<u8>(), 0..400)) {
        let text = String::from_utf8_lossy(&bytes);
        let parsed = parse(&text);
        check(&parsed, &names());
        format(&text);
    }

    #[test]
    fn formatting_twice_is_formatting_once_and_keeps_the_meaning(text in soup()) {
        let once = format(&text);
        prop_assert_eq!(format(&once), once.clone());
        let (before, after) = (parse(&text), parse(&once));
        prop_assert_eq!(before.findings.len(), after.findings.len());
        prop_assert_eq!(before.mission.steps.len(), after.mission.steps.len());
    }

    #[test]
    fn slots_hold_what_they_name_and_edits_keep_the_rest(nth in 0usize..60, up: bool, coarse: bool) {
        let parsed = parse(DEMO);
        let slot = nth % parsed.slots.len();
        let by = if coarse { edit::Stride::Coarse } else { edit::Stride::Fine };
        if let Some(edit) = edit::nudge(&parsed, DEMO, &names(), SlotId(slot), up, by) {
            let text = edit.apply(DEMO);
            let again = parse(&text);
            prop_assert_eq!(again.slots.len(), parsed.slots.len());
            prop_assert!(again.findings.is_empty(), "{:?}", again.findings);
            let changed = text.lines().zip(DEMO.lines()).filter(|(a, b)| a != b).count();
            prop_assert_eq!(changed, 1, "a nudge changes one line");
        }
    }

    #[test]
    fn every_span_lies_in_the_text(text in soup()) {
        let parsed = parse(&text);
        for slot in &parsed.slots {
            // Only a word that may be left out, such as `mirrored`, has a slot where nothing is
            // written yet.
            let may_be_empty = matches!(slot.kind, SlotKind::Choice(words) if words.contains(&""));
            let word = text.get(slot.span.clone());
            prop_assert!(word.is_some_and(|word| may_be_empty && word.is_empty() || !word.trim().is_empty()));
        }
        for finding in &parsed.findings {
            prop_assert!(text.get(finding.span.clone()).is_some());
        }
    }
}

#[test]
fn one_number_that_fits_nowhere_is_one_finding() {
    let steps: String = ["A", "B", "C"]
        .map(|name| format!("step \"{name}\"\n  drive ahead at v\n  until travelled 100 mm\n"))
        .concat();
    let text = format!(
        "let v = 900 %\nstep \"D\"\n  drive ahead at 20 %\n  until travelled 1 mm\n{steps}"
    );
    let findings = check(&parse(&text), &Names::default());
    let wrong: Vec<_> = findings
        .iter()
        .filter(|finding| finding.code == "M008")
        .collect();
    assert_eq!(wrong.len(), 1, "{findings:?}");
    assert!(
        wrong[0]
            .message
            .contains("here and in 2 more places: `900 %` is out of range"),
        "{}",
        wrong[0].message
    );
}
