//! The logbook on the screen: what goes into it by itself, and back out of it.

use super::*;
use crate::logbook::scribe::{Answer, Errand};
use crate::logbook::{Book, Reason};
use crate::spreads::SpreadResult;
use crate::tui::keymap::ScreenName;

/// Does what was asked of the logbook, as its thread does.
fn serve(app: &mut App, book: &mut Book) {
    for _ in 0..10 {
        for errand in std::mem::take(&mut app.book) {
            let answer = match errand {
                Errand::Write(page) => book.write(&page).map(|_| None),
                Errand::Files(id) => book.files(id).map(|files| Some(Answer::Files(id, files))),
                Errand::Star(id, star) => book.star(id, star).map(|()| None),
                Errand::Note(id, note) => book.note(id, &note).map(|()| None),
                Errand::List => Ok(None),
                Errand::Export(entries) => {
                    let words = format!("{} entries", entries.len());
                    Ok(Some(Answer::Failed(words)))
                }
            };
            let answer = answer.unwrap();
            let entries = Answer::Entries(book.entries().unwrap());
            app.msg(Msg::Book(answer.unwrap_or(entries)));
        }
    }
}

/// Makes all runs of the spread that was asked for.
fn spread(app: &mut App) {
    let job = app.spread.clone().expect("a spread was asked for");
    let mut spread = job.known;
    let like = spread
        .attempt
        .brief(0, &mut wayodos_core::record::Trace::default(), None)
        .unwrap();
    for number in spread.briefs.len() as u32 + 1..=spread.wanted {
        let brief = wayodos_core::lab::spread::Brief {
            number,
            ..like.clone()
        };
        spread.briefs.push(Arc::new(brief));
    }
    app.msg(Msg::Spread(job.id, Arc::new(SpreadResult::of(spread))));
}

#[test]
fn a_key_is_not_lost_while_the_text_of_an_entry_is_being_read() {
    let mut book = Book::open(None).unwrap();
    let mut app = App::new();
    spread(&mut app);
    serve(&mut app, &mut book);
    app.press("+ Y");
    // Asked for before anything was read: the text that comes brings it about.
    let before = app.model.doc.text.clone();
    app.press("Enter");
    assert_eq!(app.model.screen, ScreenName::Logbook);
    serve(&mut app, &mut book);
    assert_eq!(app.model.screen, ScreenName::Mission);
    assert_ne!(app.model.doc.text, before, "the entry's text is back");
    // Not where another entry is marked by then.
    app.press("+ Q");
    app.press("other Enter");
    serve(&mut app, &mut book);
    app.model.logbook.files.clear();
    app.model.logbook.asked.clear();
    app.press("Y");
    let now = app.model.logbook.marked().map(|entry| entry.id);
    app.press("Enter");
    app.model.logbook.step(1);
    assert_ne!(app.model.logbook.marked().map(|entry| entry.id), now);
    serve(&mut app, &mut book);
    assert_eq!(app.model.screen, ScreenName::Logbook);
}

#[test]
fn what_is_saved_spread_or_marked_is_written_down_with_its_texts() {
    let mut book = Book::open(None).unwrap();
    let mut app = App::new();
    spread(&mut app);
    serve(&mut app, &mut book);
    let first = book.entries().unwrap();
    assert_eq!(first.len(), 1);
    assert_eq!(first[0].reasons, [Reason::Spread]);
    assert_eq!(first[0].held.map(|held| held.of), Some(200));
    let paths: Vec<String> = book
        .files(first[0].id)
        .unwrap()
        .into_iter()
        .map(|(path, _)| path)
        .collect();
    for path in [
        "missions/morning-round.way",
        "robots/curlew.toml",
        "calibration.toml",
    ] {
        assert!(paths.iter().any(|known| known == path), "{paths:?}");
    }
    // A run that is not spread to the end stands there without a share.
    let before = app.model.doc.text.clone();
    app.press("+ Q");
    app.press("late Space light Enter");
    serve(&mut app, &mut book);
    let entries = book.entries().unwrap();
    assert_eq!((entries.len(), entries[0].note.as_str()), (2, "late light"));
    assert_eq!(entries[0].held, None);
    // What is saved is written down once its run is there, and not while only a piece of it is.
    let text = app.model.doc.text.clone();
    let path = app.model.doc.path.clone();
    app.msg(Msg::Saved(path, Ok(Saved::Done), text.clone()));
    serve(&mut app, &mut book);
    let entries = book.entries().unwrap();
    assert_eq!(entries[0].reasons, [Reason::Saved, Reason::Marked]);
    // The screen: what changed since the entry before, and its text back in one key.
    app.press("Y");
    serve(&mut app, &mut book);
    app.press("Up");
    serve(&mut app, &mut book);
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains("Logbook: 2 entries") && frame.contains("\"late light\""),
        "{frame}"
    );
    assert!(
        frame.contains("against the one before") && frame.contains("- let cruise = 26 %"),
        "{frame}"
    );
    assert!(frame.contains("+ let cruise"), "{frame}");
    // Where there is no room beside the list, it stands below.
    app.msg(Msg::Input(Event::Resize(90, 30)));
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains("\"late light\"") && frame.contains("- let cruise = 26 %"),
        "{frame}"
    );
    app.msg(Msg::Input(Event::Resize(160, 50)));
    app.press("Down");
    serve(&mut app, &mut book);
    assert!(
        app.frame(Depth::True, Cells::Quadrant)
            .contains("the first entry of this mission")
    );
    app.press("Enter");
    assert_eq!(
        (app.model.screen, &app.model.doc.text),
        (ScreenName::Mission, &before)
    );
    assert!(app.notice().contains("the mission is as it was at"));
    app.press("u");
    assert_eq!(app.model.doc.text, text);
}

#[test]
fn entries_are_searched_starred_noted_pinned_and_written_to_a_table() {
    let mut book = Book::open(None).unwrap();
    let mut app = App::new();
    app.press("Y");
    serve(&mut app, &mut book);
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(frame.contains("Every run that is saved"), "{frame}");
    app.press("Enter");
    assert!(app.notice().contains("has no entry"));
    app.press("Esc");
    for note in ["one", "two", "three"] {
        app.press("+ Q");
        for letter in note.chars() {
            app.press(&letter.to_string());
        }
        app.press("Enter");
        serve(&mut app, &mut book);
    }
    app.press("Y");
    serve(&mut app, &mut book);
    app.press("End *");
    serve(&mut app, &mut book);
    app.press("|");
    app.press("Home e");
    app.press("! Enter");
    serve(&mut app, &mut book);
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains('★') && frame.contains("\"three!\""),
        "{frame}"
    );
    assert!(frame.contains("against the pinned one"), "{frame}");
    app.press("S");
    app.press("star Enter");
    let frame = app.frame(Depth::True, Cells::Quadrant);
    assert!(
        frame.contains("1 of 3 entries with \"star\"") && frame.contains("\"one\""),
        "{frame}"
    );
    app.press("x");
    serve(&mut app, &mut book);
    assert!(app.notice().contains("1 entries"), "{}", app.notice());
    app.press("S");
    app.press("Clear nope Enter");
    assert!(
        app.frame(Depth::True, Cells::Quadrant)
            .contains("no entry has all these words")
    );
    // Of another mission: it is opened first.
    app.press("S");
    app.press("Clear Enter");
    let mut entry = app.model.logbook.entries[0].clone();
    entry.mission = "missions/ring-contest.way".into();
    app.model.logbook.entries[0] = entry.clone();
    let files = vec![(entry.mission.clone(), "mission \"Other\"\n".to_owned())];
    app.msg(Msg::Book(Answer::Files(entry.id, files)));
    app.press("Home Enter");
    let project = Project::demo(Some("ring-contest")).unwrap();
    app.msg(Msg::Opened(Ok((Box::new(project), None))));
    assert_eq!(&*app.model.doc.text, "mission \"Other\"\n");
    assert!(app.model.doc.unsaved());
}
