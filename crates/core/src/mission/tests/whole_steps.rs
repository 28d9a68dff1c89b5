//! What becomes of a text when whole steps are changed, letter for letter.

use super::changes::{changed, names};
use crate::ids::TextStep;
use crate::mission::refs::BadName;
use crate::mission::restructure::{
    Note, Refusal, Text, carry, delete, duplicate, extract, move_steps, put, wrap,
};
use crate::mission::steps::{free_name, insert_step};
use crate::mission::{format, parse};

const TEXT: &str = "mission \"m\"\n  limit 9 s\n\n# first of all\nstep \"Out\"\n  drive ahead at 20 %  # slowly\n  until travelled 90 mm  -> \"Back\"\n\nstep \"Stand\"\n  hold, brake\n  until 1 s passes\n\nstep \"Back\"\n  repeat 2 times\n    step \"A little\"\n      drive back at 20 %\n      until travelled 20 mm\n  end\n";

#[test]
fn a_new_step_stands_below_and_is_laid_out() {
    let new = insert_step(&parse(TEXT), TEXT, TextStep(0), "Stand").apply(TEXT);
    assert!(
        new.contains(
            "-> \"Back\"\n\nstep \"Stand 2\"\n  hold, brake\n  until 1 s passes\n\nstep \"Stand\"\n"
        ),
        "{new}"
    );
    assert_eq!(format(&new), new);
    let inner = insert_step(&parse(TEXT), TEXT, TextStep(3), "More").apply(TEXT);
    assert!(
        inner.contains("until travelled 20 mm\n\n    step \"More\"\n      hold, brake\n"),
        "{inner}"
    );
    assert_eq!(format(&inner), inner);
}

#[test]
fn a_step_goes_with_its_blank_line_and_the_last_one_stays() {
    let gone = changed(TEXT, |of| delete(of, TextStep(1)..TextStep(2))).unwrap();
    assert_eq!(
        gone,
        TEXT.replace("step \"Stand\"\n  hold, brake\n  until 1 s passes\n\n", "")
    );
    assert_eq!(
        changed(TEXT, |of| delete(of, TextStep(3)..TextStep(4))),
        Err(Refusal::OnlyStep),
        "a repeat of nothing"
    );
}

#[test]
fn a_copy_has_a_name_of_its_own_and_keeps_comments() {
    let twice = changed(TEXT, |of| duplicate(of, TextStep(0)..TextStep(1))).unwrap();
    assert!(
        twice.contains("\n\nstep \"Out 2\"\n  drive ahead at 20 %  # slowly\n"),
        "{twice}"
    );
    assert_eq!(free_name(&parse(&twice), "Out"), "Out 3");
    assert_eq!(free_name(&parse(TEXT), "say \"hi\""), "say hi");
}

#[test]
fn steps_change_places_with_all_that_is_within_them() {
    let moved = changed(TEXT, |of| move_steps(of, TextStep(2)..TextStep(3), true)).unwrap();
    let order: Vec<usize> = ["\"Out\"", "\"Back\"\n", "\"A little\"", "step \"Stand\""]
        .map(|name| moved.find(name).unwrap())
        .into();
    assert!(order.is_sorted(), "{moved}");
    assert_eq!(
        changed(&moved, |of| move_steps(of, TextStep(1)..TextStep(2), false)).unwrap(),
        TEXT,
        "and back again"
    );
    for (steps, up) in [(0..1, true), (2..3, false), (3..4, false)] {
        assert_eq!(
            changed(TEXT, |of| move_steps(
                of,
                TextStep(steps.start)..TextStep(steps.end),
                up
            )),
            Err(Refusal::NoNeighbour { up })
        );
    }
}

#[test]
fn a_wrapped_step_keeps_its_name_outside() {
    let wrapped = changed(TEXT, |of| wrap(of, TextStep(0)..TextStep(1))).unwrap();
    assert!(
        wrapped.contains("step \"Out\"\n  repeat 2 times\n    step \"Out, once\"\n      drive ahead at 20 %  # slowly\n      until travelled 90 mm  -> \"Back\"\n  end\n"),
        "{wrapped}"
    );
    assert_eq!(format(&wrapped), wrapped);
}

#[test]
fn an_extracted_step_becomes_a_routine_at_the_end() {
    let out = changed(TEXT, |of| {
        extract(of, TextStep(1)..TextStep(2), "stand-still")
    })
    .unwrap();
    assert!(
        out.contains("step \"Stand\"\n  do stand-still\n\nstep \"Back\""),
        "{out}"
    );
    assert!(
        out.ends_with(
            "routine stand-still\n  step \"Stand\"\n    hold, brake\n    until 1 s passes\nend\n"
        ),
        "{out}"
    );
    assert_eq!(format(&out), out);
    for name in ["", "two words", "9th", "ends-"] {
        assert_eq!(
            changed(TEXT, |of| extract(of, TextStep(1)..TextStep(2), name)),
            Err(BadName::NotOneWord.into()),
            "{name}"
        );
    }
    let taken = changed(&out, |of| {
        extract(of, TextStep(0)..TextStep(1), "stand-still")
    });
    assert!(
        matches!(taken, Err(Refusal::Name(BadName::Taken { .. }))),
        "{taken:?}"
    );
}

#[test]
fn carried_steps_bring_along_what_they_need_and_nothing_else() {
    const FROM: &str = "mission \"a\"\n  limit 9 s\n\nlet far = 2 * base\nlet base = 40 mm\nlet other = 9 mm\n\nstep \"One\"\n  hold, brake\n  until 1 s passes\n\n# there\nstep \"Two\"\n  repeat 2 times\n    step \"Out\"\n      drive ahead at 20 %\n      until travelled far  -> \"One\"\n    step \"In\"\n      do nudge\n      until finished  -> \"Out\"\n  end\n\nstep \"Three\"\n  hold, brake\n  until 1 s passes  -> \"Two\"\n\nroutine nudge\n  step \"n\"\n    drive back at 20 %\n    until travelled 9 mm\nend\n\nroutine unused\n  step \"u\"\n    hold, brake\n    until 1 s passes\nend\n";
    let (parsed, names) = (parse(FROM), names());
    let of = Text {
        parsed: &parsed,
        text: FROM,
        names: &names,
    };
    let carried = carry(of, TextStep(1)..TextStep(5)).unwrap();
    assert_eq!(carried.count, 2);
    let amounts: Vec<&str> = carried
        .amounts
        .iter()
        .map(|(name, _)| name.as_str())
        .collect();
    assert_eq!(amounts, ["far", "base"]);
    assert_eq!(carried.routines.len(), 1);
    assert!(
        carried.text.starts_with("# there\nstep \"Two\"\n"),
        "{}",
        carried.text
    );

    let into = |text: &str, below: Option<TextStep>| {
        let parsed = parse(text);
        let change = put(
            Text {
                parsed: &parsed,
                text,
                names: &names,
            },
            below,
            &carried,
        )
        .unwrap();
        (change.apply(text), change.note)
    };
    // Its step \"Out\" is another one, and there is none called \"One\".
    let (there, note) = into(TEXT, Some(TextStep(1)));
    assert!(
        there.contains("  limit 9 s\n\nlet far = 2 * base\nlet base = 40 mm\n\n# first of all\n"),
        "{there}"
    );
    assert!(
        there.contains("passes\n\n# there\nstep \"Two\"\n  repeat 2 times\n    step \"Out 2\"\n"),
        "{there}"
    );
    assert!(there.contains("until travelled far  -> next\n"), "{there}");
    assert!(
        there.contains("-> \"Out 2\"\n  end\n\nstep \"Three\"\n"),
        "{there}"
    );
    assert!(there.contains("-> \"Two\"\n\nstep \"Back\"\n"), "{there}");
    assert!(
        there.ends_with("end\n\nroutine nudge\n  step \"n\"\n    drive back at 20 %\n    until travelled 9 mm\nend\n")
    );
    assert_eq!(note, Some(Note::LedElsewhere(1)));
    assert!(parse(&there).findings.is_empty(), "{there}");
    // Into a repeat, at its level; and again, where amounts and routines are already.
    let (twice, _) = into(&there, Some(TextStep(3)));
    assert!(
        twice.contains("    step \"Three 2\"\n      hold, brake\n"),
        "{twice}"
    );
    assert_eq!(
        (
            twice.matches("let far").count(),
            twice.matches("routine nudge").count()
        ),
        (1, 1)
    );
    // Into a text without steps, and into none at all.
    for empty in [
        "",
        "mission \"m\"\n  limit 9 s\n",
        "mission \"m\"\n  limit 9 s",
    ] {
        let (new, _) = into(empty, None);
        assert_eq!(parse(&new).mission.steps.len(), 5, "{new}");
        assert!(parse(&new).findings.is_empty(), "{new}");
    }
}
