//! Several steps and lines at once: marked, moved, cut, put elsewhere.

use super::*;
use crate::tui::document::Marked;

fn ctrl(app: &mut App, letter: char) {
    app.msg(Msg::Input(Event::Key(KeyEvent::new(
        KeyCode::Char(letter),
        KeyModifiers::CONTROL,
    ))));
}

fn names(app: &App) -> Vec<String> {
    app.model
        .doc
        .prepared
        .parsed
        .mission
        .steps
        .iter()
        .map(|step| step.name.node.clone())
        .collect()
}

/// Puts the cursor on the line that holds some words.
fn to_line(app: &mut App, words: &str) {
    let line = app
        .model
        .doc
        .text
        .lines()
        .position(|line| line.contains(words))
        .unwrap();
    app.model.doc.cursor = Cursor { line, nth: 0 };
}

#[test]
fn several_steps_are_marked_and_then_moved_copied_commented_deleted_and_made_a_routine() {
    let mut app = App::new();
    let (text, before) = (app.model.doc.text.clone(), names(&app));
    to_line(&mut app, "step \"Up to the kiln\"");
    app.press("* Tab Down");
    assert!(
        matches!(app.model.doc.marked(), Some(Marked::Steps(steps)) if steps.end.0 - steps.start.0 == 2)
    );
    assert!(
        app.frame(Depth::Mono, Cells::Half)
            .contains("┃step \"Up to the kiln\"")
    );
    app.press("<");
    assert_eq!(
        names(&app)[1..4],
        ["Up to the kiln", "Greet the kiln", "Along the causeway"].map(str::to_owned)
    );
    app.press("> >");
    assert_eq!(
        names(&app)[2..5],
        ["Corner and hairpin", "Up to the kiln", "Greet the kiln"].map(str::to_owned)
    );
    app.press("u u u");
    assert_eq!(app.model.doc.text, text);

    to_line(&mut app, "step \"Up to the kiln\"");
    app.press("* Tab c");
    assert_eq!(
        names(&app)[4..6],
        ["Up to the kiln 2", "Greet the kiln 2"].map(str::to_owned)
    );
    app.press("u");
    to_line(&mut app, "step \"Up to the kiln\"");
    app.press("* Tab #");
    assert_eq!(names(&app).len(), before.len() - 2);
    app.press("u");
    to_line(&mut app, "step \"Up to the kiln\"");
    app.press("* Tab d");
    assert_eq!(names(&app).len(), before.len() - 2, "{}", app.notice());
    app.press("u");
    to_line(&mut app, "step \"Up to the kiln\"");
    app.press("* Tab B greet-it Enter");
    assert!(
        app.model.doc.text.contains("\n  do greet-it\n"),
        "{}",
        app.notice()
    );
    assert_eq!(names(&app).len(), before.len() + 1);
    app.press("u");
    assert_eq!(app.model.doc.text, text);
    // Esc marks nothing any more, and nothing else.
    app.press("* Down Esc");
    assert_eq!(app.model.doc.marked(), None);
}

#[test]
fn what_is_cut_here_is_put_into_another_mission_with_what_it_needs() {
    let mut app = App::new();
    to_line(&mut app, "step \"To the gate\"");
    app.press("* Tab Tab");
    ctrl(&mut app, 'x');
    assert!(
        app.notice().starts_with("this would")
            || app.notice().contains("square")
            || app.notice().contains("cut")
    );
    to_line(&mut app, "step \"Corner and hairpin\"");
    app.press("* Tab");
    ctrl(&mut app, 'k');
    assert!(
        app.notice().starts_with("2 steps to be put elsewhere"),
        "{}",
        app.notice()
    );
    let text = app.model.doc.text.clone();

    app.model
        .reopen(Project::demo(Some("which-way")).unwrap(), None);
    assert_ne!(app.model.doc.text, text);
    let before = names(&app);
    ctrl(&mut app, 'v');
    let now = names(&app);
    assert_eq!(now.len(), before.len() + 2, "{}", app.notice());
    assert!(now.contains(&"Corner and hairpin".to_owned()));
    assert_eq!(
        app.model.doc.text.matches("let creep = ").count(),
        1,
        "{}",
        app.model.doc.text
    );
    assert!(
        app.model.doc.prepared.program.is_some(),
        "{:?}",
        app.model.doc.findings
    );
    assert!(
        app.notice().contains("put 2 steps here"),
        "{}",
        app.notice()
    );
    app.press("u");
    assert_eq!(names(&app), before);
}

#[test]
fn what_cannot_be_cut_stays_and_says_why() {
    let mut app = App::new();
    let text = app.model.doc.text.clone();
    // An exit of another step leads there, and nothing follows where it could lead instead.
    app.model.reopen(
        with_mission(
            "mission \"m\"\n  limit 9 s\n  start slipway\n\nstep \"Only\"\n  hold, brake\n  until 1 s passes\n",
        ),
        None,
    );
    to_line(&mut app, "step \"Only\"");
    ctrl(&mut app, 'x');
    assert!(app.notice().contains("only step"), "{}", app.notice());
    assert!(app.model.clip.is_none() && app.model.doc.text != text);
    ctrl(&mut app, 'v');
    assert!(
        app.notice().contains("nothing was cut or copied"),
        "{}",
        app.notice()
    );
}

fn with_mission(text: &str) -> Project {
    let mut project = Project::demo(None).unwrap();
    project.mission = text.to_owned();
    project
}

#[test]
fn exits_keep_their_first_words_wherever_they_are_put() {
    const TEXT: &str = "mission \"m\"\n  limit 9 s\n  start slipway\n\nstep \"A\"\n  drive ahead at 20 %\n  until travelled 50 mm  -> next\n  or    4 s pass         -> fail \"slow\"\n\nstep \"B\"\n  drive back at 20 %\n  until travelled 20 mm  -> done\n";
    let mut app = App::new();
    app.model.reopen(with_mission(TEXT), None);
    to_line(&mut app, "until travelled 50 mm");
    app.press("* Down");
    assert!(matches!(app.model.doc.marked(), Some(Marked::Lines(lines)) if lines.len() == 2));
    app.press("<");
    assert!(app.notice().contains("whole steps"), "{}", app.notice());
    ctrl(&mut app, 'x');
    to_line(&mut app, "drive back");
    ctrl(&mut app, 'v');
    let b = &app.model.doc.text[app.model.doc.text.find("step \"B\"").unwrap()..];
    assert_eq!(
        b,
        "step \"B\"\n  drive back at 20 %\n  until travelled 50 mm  -> next\n  or    4 s pass         -> fail \"slow\"\n  or    travelled 20 mm  -> done\n"
    );
    to_line(&mut app, "4 s pass");
    app.press("d u");
    app.press("u u");
    assert_eq!(*app.model.doc.text, *TEXT);
    // Lines become comments, and text again.
    to_line(&mut app, "until travelled 50 mm");
    app.press("* Down #");
    assert!(
        app.model
            .doc
            .text
            .contains("  # until travelled 50 mm  -> next\n  # or    4 s pass"),
        "{}",
        app.model.doc.text
    );
    to_line(&mut app, "# until travelled 50 mm");
    app.press("* Down #");
    assert_eq!(*app.model.doc.text, *TEXT);
}

#[test]
fn the_mouse_marks_what_it_is_drawn_over() {
    let mut app = App::new();
    let area = app.model.areas().unwrap().text;
    let drag = |app: &mut App, row: u16| {
        let kind = MouseEventKind::Drag(MouseButton::Left);
        app.msg(Msg::Input(Event::Mouse(MouseEvent {
            kind,
            column: area.x + 8,
            row,
            modifiers: KeyModifiers::NONE,
        })));
    };
    app.click(area.x + 8, area.y + 7);
    drag(&mut app, area.y + 7);
    assert_eq!(app.model.doc.mark, None);
    drag(&mut app, area.y + 13);
    assert!(app.model.doc.mark.is_some() && app.model.doc.marked_lines().len() >= 6);
    app.click(area.x + 8, area.y + 7);
    assert_eq!(app.model.doc.mark, None);
}

#[test]
fn a_section_of_the_robot_is_cut_and_put_back_whole() {
    let mut app = App::with_files();
    app.press("D");
    app.press("Down Enter");
    let text = app.model.doc.text.clone();
    let header = text
        .lines()
        .collect::<Vec<_>>()
        .iter()
        .rposition(|line| line.starts_with('['))
        .unwrap();
    app.model.doc.cursor = Cursor {
        line: header,
        nth: 0,
    };
    ctrl(&mut app, 'x');
    assert_eq!(
        app.model.doc.text.lines().count(),
        header,
        "{}",
        app.notice()
    );
    let last = app.model.doc.lines().len() - 1;
    app.model.doc.cursor = Cursor {
        line: last.saturating_sub(1),
        nth: 0,
    };
    ctrl(&mut app, 'v');
    assert_eq!(app.model.doc.text.trim_end(), text.trim_end());
}
