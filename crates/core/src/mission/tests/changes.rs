//! What becomes of a text when exits, amounts, comments, sides and copies are changed, letter for
//! letter.

use crate::ids::{DeviceKind, SlotId, TextStep};
use proptest::prelude::*;

use crate::finding::Severity;
use crate::mission::amend::{convert, linkable, name_amount, toggle_comment, write_out};
use crate::mission::check::{DeviceName, Names, check};
use crate::mission::exits::{add_exit, exit_at, move_exit, remove_exit};
use crate::mission::restructure::{Change, Note, Refusal, Text, join, link, mirror, split};
use crate::mission::{SlotKind, Target, format, parse};
use crate::units::{Dimension, Unit};

const TEXT: &str = "mission \"m\"\n  limit 9 s\n\nlet pace = 20 %\n\nstep \"Out\"\n  drive ahead at pace\n  until travelled 90 mm        -> \"Back\"\n  or    floor-left sees dark   -> next  # the bar\n  or    4 s pass               -> fail \"stuck\"\n\nstep \"Turn\"\n  spin left at 22 %\n  until turned 90 deg\n\nstep \"Back\"\n  drive back at pace\n  until travelled 0.25 m\n";

pub(in crate::mission) fn names() -> Names {
    let sensor = |name: &str, mirror: &str| DeviceName {
        tones: vec!["dark".into(), "pale".into()],
        mirror: Some(mirror.into()),
        ..DeviceName::new(name, DeviceKind::Floor)
    };
    let devices = vec![
        sensor("floor-left", "floor-right"),
        sensor("floor-right", "floor-left"),
    ];
    Names {
        devices,
        has_gyro: true,
        top_speed: 0.5,
        ..Names::default()
    }
}

/// A change of a text, with the names of the bench.
pub(in crate::mission) fn changed(
    text: &str,
    change: impl FnOnce(Text<'_>) -> Result<Change, Refusal>,
) -> Result<String, Refusal> {
    let (parsed, names) = (parse(text), names());
    Ok(change(Text {
        parsed: &parsed,
        text,
        names: &names,
    })?
    .apply(text))
}

fn line(text: &str, has: &str) -> usize {
    text.lines()
        .position(|line| line.contains(has))
        .unwrap_or_else(|| panic!("no {has} in {text}"))
}

fn slot(text: &str, at: &str) -> SlotId {
    let start = text.find(at).expect("it is there");
    let parsed = parse(text);
    parsed
        .slot_where(|slot| slot.span.start == start)
        .unwrap_or_else(|| panic!("no slot at {at}"))
}

#[test]
fn an_exit_comes_below_the_others_and_the_first_one_starts_with_until() {
    let added = add_exit(
        &parse(TEXT),
        TEXT,
        TextStep(0),
        "turned 5 deg",
        Some("done"),
    )
    .apply(TEXT);
    assert!(
        added.contains("-> fail \"stuck\"\n  or    turned 5 deg  -> done\n\nstep \"Turn\""),
        "{added}"
    );
    let bare = "step \"a\"\n  hold\n";
    assert_eq!(
        add_exit(&parse(bare), bare, TextStep(0), "1 s passes", None).apply(bare),
        "step \"a\"\n  hold\n  until 1 s passes\n"
    );
    let repeat =
        "step \"r\"\n  repeat forever\n    step \"a\"\n      hold\n      until 1 s passes\n  end\n";
    let ended = add_exit(&parse(repeat), repeat, TextStep(0), "9 s pass", None).apply(repeat);
    assert!(
        ended.ends_with("  end\n  until 9 s pass\n"),
        "below its end: {ended}"
    );
}

#[test]
fn a_first_exit_that_goes_leaves_its_word_to_the_next() {
    let gone = remove_exit(&parse(TEXT), TEXT, line(TEXT, "travelled 90"))
        .unwrap()
        .apply(TEXT);
    assert!(
        gone.contains(
            "at pace\n  until floor-left sees dark   -> next  # the bar\n  or    4 s pass"
        ),
        "{gone}"
    );
    let gone = remove_exit(&parse(TEXT), TEXT, line(TEXT, "4 s pass"))
        .unwrap()
        .apply(TEXT);
    assert!(gone.contains("# the bar\n\nstep \"Turn\""), "{gone}");
    assert!(remove_exit(&parse(TEXT), TEXT, line(TEXT, "spin left")).is_none());
}

#[test]
fn exits_change_places_but_keep_their_words() {
    let at = line(TEXT, "sees dark");
    let moved = move_exit(&parse(TEXT), TEXT, at, true).unwrap().apply(TEXT);
    assert!(
        moved.contains(
            "  until    floor-left sees dark   -> next  # the bar\n  or travelled 90 mm        -> \"Back\"\n"
        ),
        "{moved}"
    );
    let laid = format(&moved);
    assert!(
        laid.contains("  until floor-left sees dark  -> next  # the bar\n  or    travelled 90 mm       -> \"Back\"\n"),
        "{laid}"
    );
    assert!(move_exit(&parse(TEXT), TEXT, line(TEXT, "travelled 90"), true).is_none());
    assert_eq!(exit_at(&parse(TEXT), at), Some((TextStep(0), 1)));
}

#[test]
fn units_are_changed_only_into_what_is_exactly_the_same() {
    let turn = |text: &str, at: &str| {
        convert(&parse(text), text, slot(text, at)).map(|edit| edit.apply(text))
    };
    let mut text = TEXT.to_owned();
    for amount in ["90 mm", "9 cm", "0.09 m", "90 mm"] {
        assert!(
            text.contains(&format!("travelled {amount} ")),
            "{amount}: {text}"
        );
        text = turn(&text, amount).unwrap();
    }
    assert!(turn(TEXT, "4 s pass").unwrap().contains("4000 ms pass"));
    assert_eq!(
        turn(TEXT, "pace\n  until travelled 90"),
        None,
        "a share has no other unit"
    );
    let angle = turn(TEXT, "90 deg").unwrap();
    assert!(
        angle.contains("turned 0.25 turn"),
        "no rounded radians: {angle}"
    );
}

#[test]
fn amounts_get_names_and_lose_them_again() {
    let names = names();
    let at = slot(TEXT, "22 %");
    assert_eq!(
        linkable(&parse(TEXT), at),
        [("pace".to_owned(), "20 %".to_owned())]
    );
    let named = name_amount(&parse(TEXT), TEXT, &names, at, "whirl").unwrap();
    assert!(
        named.contains("let pace = 20 %\nlet whirl = 22 %\n")
            && named.contains("spin left at whirl"),
        "{named}"
    );
    let linked = name_amount(&parse(TEXT), TEXT, &names, at, "pace").unwrap();
    assert!(linked.contains("spin left at pace") && !linked.contains("22 %"));
    for (name, why) in [("9x", "letter"), ("a b", "letter"), ("", "letter")] {
        assert!(
            name_amount(&parse(TEXT), TEXT, &names, at, name)
                .unwrap_err()
                .to_string()
                .contains(why),
            "{name}"
        );
    }
    let way = slot(TEXT, "90 mm");
    assert!(
        name_amount(&parse(TEXT), TEXT, &names, way, "pace")
            .unwrap_err()
            .to_string()
            .contains("another unit")
    );
    assert!(name_amount(&parse(TEXT), TEXT, &names, slot(TEXT, "20 %"), "x").is_err());
    let out = write_out(&parse(TEXT), TEXT, slot(TEXT, "pace\n  until travelled 90"))
        .unwrap()
        .apply(TEXT);
    assert!(
        out.contains("drive ahead at 20 %\n") && out.contains("drive back at pace"),
        "{out}"
    );
    let bare = "step \"a\"\n  hold\n  until 1 s passes";
    let first = name_amount(&parse(bare), bare, &names, slot(bare, "1 s"), "rest");
    assert_eq!(
        first.unwrap(),
        "let rest = 1 s\n\nstep \"a\"\n  hold\n  until rest passes"
    );
    assert!(
        name_amount(&parse(TEXT), TEXT, &names, slot(TEXT, "9 s"), "x")
            .unwrap_err()
            .to_string()
            .contains("cannot have a name")
    );
}

#[test]
fn a_step_becomes_a_comment_and_comes_back() {
    let away = toggle_comment(&parse(TEXT), TEXT, line(TEXT, "step \"Turn\""))
        .unwrap()
        .apply(TEXT);
    assert!(
        away.contains("# step \"Turn\"\n#   spin left at 22 %\n#   until turned 90 deg\n"),
        "{away}"
    );
    assert_eq!(parse(&away).mission.steps.len(), 2);
    for at in ["# step \"Turn\"", "#   until turned"] {
        let back = toggle_comment(&parse(&away), &away, line(&away, at))
            .unwrap()
            .apply(&away);
        assert_eq!(back, TEXT, "from {at}");
    }
    let one = toggle_comment(&parse(TEXT), TEXT, line(TEXT, "4 s pass"))
        .unwrap()
        .apply(TEXT);
    assert!(one.contains("  # or    4 s pass"), "{one}");
    assert_eq!(
        toggle_comment(&parse(&one), &one, line(&one, "4 s pass"))
            .unwrap()
            .apply(&one),
        TEXT
    );
    assert!(
        toggle_comment(&parse(TEXT), TEXT, 2).is_none(),
        "nothing to hide on an empty line"
    );
}

#[test]
fn a_mirrored_step_is_the_same_seen_in_a_mirror() {
    let text = "step \"a\"\n  follow the left edge of a dark line with floor-left at 20 %\n  until floor-right sees dark  -> next\n  or    heading reaches 90 deg\n  or    left wheel rolled 90 mm\n";
    let once = changed(text, |of| mirror(of, TextStep(0)..TextStep(1))).unwrap();
    assert!(
        once.contains("the right edge of a dark line with floor-right"),
        "{once}"
    );
    assert!(
        once.contains("floor-left sees dark")
            && once.contains("reaches -90 deg")
            && once.contains("right wheel")
    );
    assert_eq!(
        changed(&once, |of| mirror(of, TextStep(0)..TextStep(1))).unwrap(),
        text,
        "twice is never"
    );
    assert_eq!(
        changed(TEXT, |of| mirror(of, TextStep(2)..TextStep(3))),
        Err(Refusal::NoSide),
        "straight back has no side"
    );
}

#[test]
fn a_step_is_cut_in_two_and_joined_again() {
    let two = changed(TEXT, |of| split(of, TextStep(0), "travelled 40 mm")).unwrap();
    assert!(two.contains("step \"Out\"\n  drive ahead at pace\n  until travelled 40 mm  -> next\n  or    4 s pass               -> fail \"stuck\"\n\nstep \"Out, on\"\n  drive ahead at pace\n  until travelled 90 mm"), "{two}");
    assert_eq!(changed(&two, |of| join(of, TextStep(0))).unwrap(), TEXT);
    // What led to the second leads to the one that is left.
    let jump = TEXT.replace("until turned 90 deg", "until turned 90 deg  -> \"Back\"");
    let joined = changed(&jump, |of| {
        let change = join(of, TextStep(1))?;
        assert_eq!(change.note, Some(Note::OtherBehaviour));
        Ok(change)
    });
    let joined = joined.unwrap();
    assert!(
        joined.contains("-> \"Turn\"") && !joined.contains("\"Back\""),
        "{joined}"
    );
    assert!(
        joined.ends_with("step \"Turn\"\n  spin left at 22 %\n  until travelled 0.25 m\n"),
        "{joined}"
    );
    assert_eq!(
        changed(TEXT, |of| join(of, TextStep(2))),
        Err(Refusal::NoNeighbour { up: false })
    );
}

#[test]
fn a_copy_follows_its_original_and_stores_only_what_is_different() {
    let linked = changed(TEXT, |of| link(of, TextStep(0))).unwrap();
    assert!(
        linked.contains("\n\nstep \"Out 2\"\n  like \"Out\"\n\nstep \"Turn\""),
        "{linked}"
    );
    let parsed = parse(&linked);
    let (original, copy) = (&parsed.mission.steps[0], &parsed.mission.steps[1]);
    assert_eq!(
        copy.behaviour.as_ref().map(|(does, _)| &does.node),
        original.behaviour.as_ref().map(|(does, _)| &does.node)
    );
    assert_eq!(copy.exits.len(), 3);
    assert!(
        copy.exits
            .iter()
            .all(|exit| exit.line == line(&linked, "like")),
        "all of them stand in its own line"
    );
    let but = linked.replace(
        "  like \"Out\"\n",
        "  like \"Out\"\n  but drive back at pace\n  but until travelled 30 mm  -> done\n  but or turned 9 deg\n",
    );
    let parsed = parse(&but);
    let copy = &parsed.mission.steps[1];
    assert_eq!(
        (parsed.findings.len(), copy.exits.len()),
        (0, 4),
        "{:?}",
        parsed.findings
    );
    assert_eq!(
        copy.exits[0].target.node,
        Target::Done,
        "its own in the place of the one of its kind"
    );
    assert_eq!(copy.exits[0].line, line(&but, "but until travelled"));
    assert_eq!(format(&format(&but)), format(&but));
    // It follows the original through every change, and a copy of a copy follows that, too.
    let slower = but.replace("or    4 s pass ", "or    7 s pass ");
    assert!(
        check(&parse(&slower), &names())
            .iter()
            .all(|finding| finding.severity != Severity::Error)
    );
    let twice = changed(&linked, |of| link(of, TextStep(1))).unwrap();
    assert!(twice.contains("step \"Out 3\"\n  like \"Out\""), "{twice}");
}

#[test]
fn what_cannot_be_followed_is_said() {
    for (text, code, words) in [
        (
            "step \"a\"\n  like \"b\"\nstep \"c\"\n  hold\n  until 1 s passes",
            "M136",
            "no step \"b\"",
        ),
        ("step \"a\"\n  like \"a\"", "M136", "no step \"a\""),
        (
            "step \"a\"\n  hold\n  until 1 s passes\nstep \"b\"\n  like \"a\"\nstep \"c\"\n  like \"b\"",
            "M136",
            "copy itself",
        ),
        (
            "step \"r\"\n  repeat forever\n  step \"x\"\n  hold\n  until 1 s passes\n  end\nstep \"b\"\n  like \"r\"",
            "M136",
            "steps or rows",
        ),
        (
            "step \"a\"\n  hold\n  but until 1 s passes",
            "M007",
            "outside a copy",
        ),
        (
            "step \"a\"\n  hold\n  until 1 s passes\nstep \"b\"\n  like \"a\"\n  until 2 s pass",
            "M007",
            "ends as its original",
        ),
        (
            "step \"a\"\n  hold\n  until 1 s passes\nstep \"b\"\n  like \"a\"\n  spin left at 20 %",
            "M007",
            "does what its original",
        ),
        (
            "step \"a\"\n  hold\n  until 1 s passes\nstep \"b\"\n  like \"a\"\n  but repeat 2 times",
            "M007",
            "cannot `repeat`",
        ),
        (
            "step \"a\"\n  hold\n  until 1 s passes\nstep \"b\"\n  like \"a\"\n  but dance",
            "M003",
            "expected an exit",
        ),
    ] {
        let findings = parse(text).findings;
        let found = findings
            .iter()
            .any(|finding| finding.code == code && finding.message.contains(words));
        assert!(found, "{text}: {findings:#?}");
    }
}

proptest! {
    #[test]
    fn changes_of_exits_and_steps_never_break_a_text(picks in proptest::collection::vec((0usize..9, 0usize..40), 1..12)) {
        let names = names();
        let mut text = TEXT.to_owned();
        for (what, at) in picks {
            let parsed = parse(&text);
            let steps = parsed.mission.steps.len();
            let lines = parsed.lines.len();
            let step = at % steps;
            let new = match what {
                0 => Some(add_exit(&parsed, &text, TextStep(step), "turned 5 deg", Some("next")).apply(&text)),
                1 => remove_exit(&parsed, &text, at % lines).map(|edit| edit.apply(&text)),
                2 => move_exit(&parsed, &text, at % lines, at % 2 == 0).map(|edit| edit.apply(&text)),
                3 => changed(&text, |of| mirror(of, TextStep(step)..TextStep(step + 1))).ok(),
                4 => changed(&text, |of| split(of, TextStep(step), "travelled 40 mm")).ok(),
                5 => changed(&text, |of| join(of, TextStep(step))).ok(),
                6 => changed(&text, |of| link(of, TextStep(step))).ok(),
                7 => convert(&parsed, &text, SlotId(at % parsed.slots.len())).map(|edit| edit.apply(&text)),
                _ => {
                    let amount = |slot: &usize| matches!(parsed.slots[*slot].kind, SlotKind::Amount { .. });
                    let slot = (0..parsed.slots.len()).filter(amount).nth(at % 5);
                    slot.and_then(|slot| name_amount(&parsed, &text, &names, SlotId(slot), &format!("n{}", text.len())).ok())
                }
            };
            let Some(new) = new else { continue };
            let read = parse(&new);
            // A step may be left without an end, or a copy without its original: those are findings
            // of their own. No line becomes one that cannot be read.
            for finding in &read.findings {
                prop_assert!(matches!(finding.code, "M108" | "M136"), "{finding:?}\n{text}\n=>\n{new}");
            }
            text = new;
        }
    }
}

#[test]
fn everyday_words_lead_to_the_behaviour_that_is_meant() {
    for (typed, meant) in [
        ("stop", "hold"),
        ("wait", "hold"),
        ("go", "drive"),
        ("forward", "drive"),
        ("reverse", "drive"),
        ("turn", "spin"),
        ("rotate", "spin"),
        ("beep", "signal"),
        ("loop", "repeat"),
        ("if", "choose"),
        ("search", "seek"),
        ("push", "shove"),
        ("servo", "move"),
    ] {
        let text = format!("mission \"m\"\n  limit 9 s\nstep \"a\"\n  {typed} at 30 %\n");
        let findings = parse(&text).findings;
        let finding = findings
            .iter()
            .find(|finding| finding.code == "M002")
            .unwrap_or_else(|| panic!("{typed}"));
        assert_eq!(finding.message, format!("unknown first word `{typed}`"));
        let words: Vec<&str> = finding.hint_words();
        assert!(
            words
                .iter()
                .any(|words| words.starts_with(&format!("write `{meant}"))),
            "{typed}: {words:?}"
        );
    }
    // What is only misspelt is corrected, and what is neither is answered with what a line begins
    // with.
    for (typed, hint) in [
        ("drvie", "did you mean `drive`?"),
        ("xyzzy", "a line begins with `step`"),
    ] {
        let findings = parse(&format!("step \"a\"\n  {typed} ahead\n")).findings;
        assert!(findings.iter().any(|finding| {
            finding
                .hint_words()
                .iter()
                .any(|words| words.starts_with(hint))
        }));
    }
}

#[test]
fn spoken_units_are_reported_with_the_unit_that_is_meant() {
    for (spoken, unit) in Unit::SPOKEN {
        let dimension = unit.map_or(Dimension::Length, Unit::dimension);
        let (before, after) = match dimension {
            Dimension::Length => ("travelled 9 ", ""),
            Dimension::Angle => ("turned 9 ", ""),
            Dimension::Time => ("stalled for 9 ", ""),
            Dimension::Percent => ("floor-left has dropped by 9 ", ""),
            Dimension::Voltage => ("battery < 9 ", ""),
            other => panic!("no sentence about {other:?} here"),
        };
        let text = format!("step \"a\"\n  drive ahead at 20 %\n  until {before}{spoken}{after}\n");
        let findings = parse(&text).findings;
        let [finding] = findings.as_slice() else {
            panic!("{spoken}: {findings:#?}")
        };
        assert_eq!(finding.message, format!("unknown unit `{spoken}`"));
        match unit {
            // The edit makes a sentence of it, with the same number.
            Some(unit) => {
                let fixed = finding.hints[0].edits[0].apply(&text);
                assert!(fixed.contains(&format!("9 {}", unit.symbol())), "{fixed}");
                assert!(
                    parse(&fixed).findings.is_empty(),
                    "{fixed}: {:?}",
                    parse(&fixed).findings
                );
            }
            // 4 inches are not 4 mm: nothing is written in its place.
            None => assert!(
                finding.hints.iter().all(|hint| hint.edits.is_empty()),
                "{finding:#?}"
            ),
        }
    }
}

#[test]
fn the_example_of_an_exit_is_about_what_was_typed() {
    for (typed, example) in [
        ("until = 2 s", "until 2 s pass"),
        ("until = 300 mm", "until travelled 300 mm"),
        ("until = 90 deg", "until turned 90 deg"),
        ("until =", "until floor-left sees dark"),
    ] {
        let findings = parse(&format!("step \"a\"\n  drive ahead at 20 %\n  {typed}\n")).findings;
        let hints: Vec<String> = findings
            .iter()
            .flat_map(|finding| finding.hint_words())
            .map(str::to_owned)
            .collect();
        assert!(
            hints.iter().any(|words| words.contains(example)),
            "{typed}: {hints:?}"
        );
    }
}
