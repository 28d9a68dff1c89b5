//! Robot, field and other texts beside the mission: changed by the same keys, kept in the same way,
//! seen in the run at once.

use super::*;
use crate::shelf::list;
use crate::survey::Found;
use crate::tui::model::Side;
use crate::tui::sight::robot;
use crate::tui::sight::side::all_findings;

const ROBOT: &str = "robots/curlew.toml";

/// With the robot in front.
fn with_robot() -> App {
    let mut app = App::with_files();
    app.press("D");
    app.press("Down Enter");
    if app.model.doc.path != ROBOT {
        app.press("D");
        type_words(&mut app, "robot");
        app.press("Enter");
    }
    assert_eq!(app.model.doc.path, ROBOT, "{}", app.notice());
    app
}

fn type_words(app: &mut App, words: &str) {
    for letter in words.chars() {
        app.msg(Msg::Input(Event::Key(KeyEvent::new(
            KeyCode::Char(letter),
            KeyModifiers::NONE,
        ))));
    }
}

/// Puts the cursor on a value, by what stands there.
fn to_value(app: &mut App, value: &str) {
    let document = &app.model.doc;
    let slots = &document.prepared.parsed.slots;
    let slot = slots
        .iter()
        .position(|slot| &document.text[slot.span.clone()] == value)
        .unwrap();
    let line = slots[slot].line;
    let nth = document
        .slots_on(line)
        .position(|(id, _)| id.0 == slot)
        .unwrap();
    app.model.doc.cursor = Cursor { line, nth };
}

fn fingerprint(app: &App) -> u64 {
    app.model.report.as_ref().unwrap().run.fingerprint()
}

#[test]
fn a_number_of_the_robot_is_nudged_like_one_of_the_mission_and_the_run_follows() {
    let mut app = with_robot();
    let before = fingerprint(&app);
    to_value(&mut app, "118 mm");
    app.press("+");
    assert!(
        app.model.doc.text.contains("track_width = \"120 mm\""),
        "{}",
        app.model.doc.text
    );
    assert_ne!(fingerprint(&app), before);
    assert!(
        app.model
            .change
            .starts_with("track_width 118 mm -> 120 mm: "),
        "{}",
        app.model.change
    );
    let kept = app
        .asked
        .iter()
        .rfind(|effect| matches!(effect, Effect::Draft(..)));
    assert!(
        matches!(kept, Some(Effect::Draft(path, text)) if path == ROBOT && text.contains("120 mm"))
    );
    assert!(app.model.any_unsaved() && !app.model.mission().unsaved());
    let shown = app.frame(Depth::True, Cells::Half);
    for words in [
        "robot curlew • not saved",
        "a length: From the middle of one driven tyre",
        "[motor.left]",
    ] {
        assert!(shown.contains(words), "{words}: {shown}");
    }
    // Typed without a unit, with a range, and refused.
    app.press("Enter Clear");
    type_words(&mut app, "125");
    app.press("Enter");
    assert_eq!(app.slot(), "125 mm");
    app.press("u u");
    assert!(!app.model.any_unsaved());
    assert_eq!(fingerprint(&app), before, "undone, and run again");
    // Back to the mission: its keys mean what they mean.
    app.press("Esc");
    assert!(app.model.doc.is_mission() && app.slot() == "cruise");
}

#[test]
fn a_robots_text_has_its_drawing_and_what_follows_from_it_beside_it() {
    let mut app = App::with_files();
    assert_eq!(app.model.areas().unwrap().robot.width, 0);
    app.press("F6");
    assert_eq!(app.model.side.shown, Side::Robot);
    // From any row the key leads to a number that it follows from.
    let rows = robot::rows(&app.model);
    let at = rows.iter().position(|row| row.about == "hue").unwrap();
    for _ in 0..at {
        app.press("Down");
    }
    let shown = app.frame(Depth::True, Cells::Half);
    assert!(shown.contains("hue: sees any line of 15 mm"), "{shown}");
    app.press("Enter");
    assert_eq!(app.model.doc.path, ROBOT, "{}", app.notice());
    let document = &app.model.doc;
    assert_eq!(document.line_text(document.cursor.line), "spot = \"10 mm\"");
    assert_eq!(app.model.side.row, at, "the row stays marked");
    assert_eq!(robot::device(&app.model).as_deref(), Some("hue"));
    let shown = app.frame(Depth::True, Cells::Half);
    assert!(shown.contains("196 x 150 mm, lines 50 mm apart"), "{shown}");
    for name in ["floor-left", "floor-right", "hue", "ahead"] {
        assert!(shown.contains(name), "{name}: {shown}");
    }
    // What follows goes with the number.
    let before = robot::rows(&app.model)[at].words.clone();
    app.press("+");
    let after = &robot::rows(&app.model)[at].words;
    assert!(
        *after != before && after.starts_with("sees any line of 25 mm"),
        "{after}"
    );
    app.press("Esc");
    assert!(app.model.doc.is_mission());
    assert_eq!(app.model.areas().unwrap().robot.width, 0);
    assert_eq!(app.model.side.shown, Side::Robot, "opened by its key");
    // What a robot's text opened goes with it.
    let mut app = with_robot();
    assert_eq!(app.model.side.shown, Side::Robot);
    assert!(robot::is_newest(&app.model) && !robot::rows(&app.model).is_empty());
    app.press("Esc");
    assert_eq!(app.model.side.shown, Side::Why);
}

#[test]
fn what_is_for_steps_only_says_so_and_changes_nothing() {
    let mut app = with_robot();
    let text = Arc::clone(&app.model.doc.text);
    for key in [
        "R", "o", "c", "C", "<", ">", "b", "B", "i", "k", "j", "l", "L", "A", "p", "P", "T", "!",
        "w", "J", "t", "g",
    ] {
        app.press(key);
        assert!(
            app.notice().contains("for missions"),
            "{key}: {}",
            app.notice()
        );
        assert!(
            Arc::ptr_eq(&app.model.doc.text, &text) && app.model.doc.path == ROBOT,
            "{key}"
        );
    }
}

#[test]
fn a_robot_with_a_mistake_runs_nothing_and_the_way_to_the_mistake_is_short() {
    let mut app = with_robot();
    let before = fingerprint(&app);
    to_value(&mut app, "860 g");
    app.press("e");
    type_words(&mut app, " x");
    app.press("Esc");
    assert!(app.model.unfit && app.model.stale());
    assert_eq!(fingerprint(&app), before, "the last run stays in sight");
    let shown = app.frame(Depth::True, Cells::Half);
    assert!(
        shown.contains("cannot run: 1 error in robots/curlew.toml"),
        "{shown}"
    );
    assert!(
        app.model
            .doc
            .findings
            .iter()
            .any(|finding| finding.code.starts_with('T')),
        "below its line"
    );
    // From the mission, the list of findings leads there.
    app.press("Esc N");
    assert!(app.model.doc.is_mission() && app.model.side.shown == Side::Findings);
    assert_eq!(
        all_findings(&app.model)[0],
        app.model.project.findings[0],
        "most urgent first"
    );
    app.press("Enter");
    assert_eq!(app.model.doc.path, ROBOT);
    assert!(
        app.model
            .doc
            .line_text(app.model.doc.cursor.line)
            .contains("860 g")
    );
    app.press("u");
    while app.model.any_unsaved() {
        app.press("u");
    }
    assert!(!app.model.unfit && fingerprint(&app) == before);
}

#[test]
fn a_word_is_tried_while_it_is_marked_and_is_as_before_when_left() {
    let mut app = with_robot();
    let before = fingerprint(&app);
    to_value(&mut app, "colour");
    app.press("Enter Down");
    assert!(app.model.trial.is_some() && !app.model.doc.text.contains("kind = \"colour\""));
    app.press("Esc");
    assert!(
        app.model.doc.text.contains("kind = \"colour\"")
            && !app.model.any_unsaved()
            && !app.model.unfit
    );
    assert_eq!(fingerprint(&app), before);
}

#[test]
fn where_a_file_is_named_the_files_of_that_kind_are_chosen_from() {
    let mut app = App::with_files();
    app.press("D");
    type_words(&mut app, "wayodos.toml");
    app.press("Enter");
    assert_eq!(app.model.doc.path, "wayodos.toml", "{}", app.notice());
    assert!(matches!(app.asked.pop(), Some(Effect::Survey)));
    let entries = list(&Project::demo(None).unwrap());
    app.msg(Msg::Found(Found::Files(entries)));
    to_value(&mut app, "fields/ring.toml");
    app.press("Enter");
    let frame = app.frame(Depth::Mono, Cells::Half);
    assert!(
        frame.contains("fields/herons.toml") && !frame.contains("robots/curlew.toml   "),
        "{frame}"
    );
    type_words(&mut app, "herons");
    app.press("Enter");
    let text = &app.model.doc.text;
    assert!(
        text.contains("[for.ring-contest]\nfield = \"fields/herons.toml\""),
        "{text}"
    );
}

#[test]
fn a_value_or_a_section_is_added_from_a_list_and_a_section_is_deleted_whole() {
    let mut app = with_robot();
    to_value(&mut app, "56 mm");
    app.press("a");
    type_words(&mut app, "right_wheel");
    app.press("Enter");
    assert!(
        app.model.doc.text.contains("\nright_wheel = \"56 mm\"\n"),
        "{}",
        app.model.doc.text
    );
    let before = app.model.setup.as_ref().unwrap().robot.touches.len();
    app.press("a");
    type_words(&mut app, "touch");
    app.press("Enter");
    let header = app.model.doc.lines().iter().rposition(|_| true).unwrap();
    assert!(app.model.doc.text.trim_end().contains("[[touch]]") && header > 10);
    app.model.doc.cursor = Cursor {
        line: app.model.doc.text[..app.model.doc.text.rfind("[[touch]]").unwrap()]
            .matches('\n')
            .count(),
        nth: 0,
    };
    app.press("d");
    assert!(
        app.notice().contains("section deleted")
            && app.model.setup.as_ref().unwrap().robot.touches.len() == before
    );
}

#[test]
fn leaving_asks_for_every_text_and_saves_each_to_its_own_file() {
    let mut app = with_robot();
    to_value(&mut app, "860 g");
    app.press("+ Esc + q s");
    let Some(Effect::Save { path, text, .. }) = app.asked.pop() else {
        panic!("no save")
    };
    let first = path.clone();
    app.msg(Msg::Saved(path, Ok(Saved::Done), text));
    let Some(Effect::Save { path, text, .. }) = app.asked.pop() else {
        panic!("no second save")
    };
    assert!(first != path && [&first, &path].iter().any(|path| *path == ROBOT));
    app.msg(Msg::Saved(path, Ok(Saved::Done), text));
    assert!(matches!(app.asked.pop(), Some(Effect::Quit)) && !app.model.any_unsaved());
    // What cannot be saved keeps the application open.
    let mut app = with_robot();
    to_value(&mut app, "860 g");
    app.press("+ q s");
    app.msg(Msg::Saved(
        ROBOT.into(),
        Err("the disk is full".into()),
        Arc::clone(&app.model.doc.text),
    ));
    assert!(
        !app.asked
            .iter()
            .any(|effect| matches!(effect, Effect::Quit))
            && app.model.any_unsaved()
    );
}

#[test]
fn a_robot_changed_outside_while_it_is_edited_here_is_asked_about() {
    let mut app = with_robot();
    to_value(&mut app, "860 g");
    app.press("+ Esc");
    let theirs = app
        .model
        .documents()
        .find(|one| one.path == ROBOT)
        .unwrap()
        .saved
        .replace("56 mm", "60 mm");
    app.msg(Msg::Outside(ROBOT.into(), theirs));
    assert!(
        matches!(app.model.mode, Mode::Outside(_)) && app.model.doc.path == ROBOT,
        "it is in front then"
    );
    app.press("b");
    let text = &app.model.doc.text;
    assert!(
        text.contains("60 mm") && !text.contains("860 g"),
        "both changes: {text}"
    );
    // Without edits here it is taken over, and runs.
    let mut app = with_robot();
    let before = fingerprint(&app);
    let theirs = app.model.doc.saved.replace("118 mm", "124 mm");
    app.msg(Msg::Outside(ROBOT.into(), theirs));
    assert!(!app.model.any_unsaved() && fingerprint(&app) != before);
}

#[test]
fn edits_of_a_robot_go_along_to_another_mission() {
    let mut app = with_robot();
    to_value(&mut app, "7.9 V");
    app.press("-");
    let other = Project::demo(Some("wheels-only"))
        .or_else(|_| Project::demo(Some("mind-the-rim")))
        .unwrap();
    app.msg(Msg::Opened(Ok((Box::new(other), None))));
    let volts = app.model.setup.as_ref().unwrap().robot.battery;
    assert!(app.model.doc.is_mission() && volts < 7.9, "{volts}");
    assert!(
        app.model
            .documents()
            .any(|one| one.path == ROBOT && one.unsaved())
    );
}

#[test]
fn a_mission_that_has_no_file_yet_runs_with_a_changed_robot() {
    let mut app = App::with_files();
    let fresh = app.model.project.open_other("Evening round").unwrap();
    app.msg(Msg::Opened(Ok((Box::new(fresh), None))));
    app.press("a Enter D");
    type_words(&mut app, "robot");
    app.press("Enter");
    assert_eq!(app.model.doc.path, ROBOT, "{}", app.notice());
    let before = fingerprint(&app);
    to_value(&mut app, "56 mm");
    app.press("+");
    assert!(
        !app.model.unfit && fingerprint(&app) != before,
        "{}",
        app.notice()
    );
}

#[test]
fn that_a_save_failed_is_not_talked_over_by_a_draft_that_failed_too() {
    let mut app = App::new();
    app.press("+");
    let path = app.model.doc.path.clone();
    let text = app.model.doc.text.clone();
    app.msg(Msg::DraftFailed("no room".into()));
    assert!(app.notice().contains("only in memory"));
    app.msg(Msg::Saved(path, Err("cannot save: no room".into()), text));
    let said = app.notice().to_owned();
    app.msg(Msg::DraftFailed("no room".into()));
    assert_eq!(app.notice(), said);
    assert_eq!(app.model.unkept.as_deref(), Some("no room"));
}
