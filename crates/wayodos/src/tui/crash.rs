//! When the program itself breaks: the terminal is given back, edits are kept, and a report says
//! what happened.

use std::backtrace::Backtrace;
use std::collections::VecDeque;
use std::fmt::Write as _;
use std::io::Write as _;
use std::panic::PanicHookInfo;
use std::path::PathBuf;
use std::sync::mpsc::Sender;
use std::sync::{Mutex, Once, PoisonError};
use std::thread;
use std::time::{SystemTime, UNIX_EPOCH};

use ratatui::crossterm::event::Event;

use super::ask::Answers;
use super::update::Msg;
use crate::folder::state_folder;
use crate::survey::Found;

/// The last things that came to the application; letters that were typed are not among them.
static ACTIONS: Mutex<VecDeque<String>> = Mutex::new(VecDeque::new());
/// How many of them are kept.
const MOST: usize = 40;
/// Who hears of a thread that breaks.
static MAIN: Mutex<Option<Sender<Msg>>> = Mutex::new(None);
/// What is said once the terminal is given back, when another thread than the main one broke.
static SAID: Mutex<Option<String>> = Mutex::new(None);

fn locked<T>(mutex: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Remembers what comes to the application.
pub fn note(msg: &Msg, typing: bool) {
    let words = match msg {
        Msg::Input(Event::Key(key)) if typing && key.code.as_char().is_some() => {
            "a letter".to_owned()
        }
        Msg::Input(Event::Key(key)) => format!("key {:?} {:?}", key.code, key.modifiers),
        Msg::Input(Event::Paste(text)) => format!("{} bytes pasted", text.len()),
        Msg::Input(other) => format!("{other:?}"),
        Msg::Tick(_) => return,
        Msg::Spread(..)
        | Msg::Swept(..)
        | Msg::Gridded(..)
        | Msg::League(..)
        | Msg::Tuned(..)
        | Msg::Against(..)
        | Msg::Proved(..) => "more runs".to_owned(),
        Msg::Ran(id, report) => format!(
            "run {id} came, {}",
            if report.is_some() { "done" } else { "none" }
        ),
        Msg::Able(..) => "what the robot can do is known".to_owned(),
        Msg::Book(_) => "the logbook has answered".to_owned(),
        Msg::Saved(path, Ok(_), _) => format!("saved {path}"),
        Msg::Saved(path, Err(error), _) => format!("not saved {path}: {error}"),
        Msg::Exported(Ok(files)) => format!("exported {files:?}"),
        Msg::Exported(Err(error)) => format!("not exported: {error}"),
        Msg::DraftFailed(error) => format!("edits are not kept: {error}"),
        Msg::DraftKept => "edits are kept again".to_owned(),
        Msg::Outside(path, _) => format!("changed outside: {path}"),
        Msg::Refit(refitted) => format!(
            "project read again, {}",
            if refitted.ours { "ours" } else { "theirs" }
        ),
        Msg::TextOpened(Ok(opened)) => format!("opened {}", opened.document.path),
        Msg::TextOpened(Err(error)) => format!("not opened: {error}"),
        Msg::Opened(Ok((project, _))) => format!("opened {}", project.config.mission),
        Msg::Opened(Err(error)) => format!("not opened: {error}"),
        Msg::Edited(Ok(_)) => "another editor was left".to_owned(),
        Msg::Edited(Err(error)) => format!("no other editor: {error}"),
        Msg::FileEdited(path, result) => format!(
            "edited {path}: {}",
            if result.is_ok() { "done" } else { "failed" }
        ),
        // Not what was typed meanwhile.
        Msg::Terminal(Answers {
            graphics,
            sixel,
            inline,
            cell,
            whole,
            ..
        }) => {
            format!(
                "terminal: graphics {graphics}, sixel {sixel}, inline {inline}, cell {cell:?}, whole {whole}"
            )
        }
        Msg::Found(Found::Files(files)) => format!("{} files found", files.len()),
        Msg::Found(Found::Card(path, _)) => format!("looked at {path}"),
        Msg::Stored(result) => format!("stored: {result:?}"),
        Msg::Arranged(change, result) => format!("{change:?}: {result:?}"),
        Msg::HandsKept(result) => format!("hands kept: {result:?}"),
        Msg::Suspend => "asked to make room".to_owned(),
        Msg::Stop => "asked to end".to_owned(),
    };
    let went_wrong = matches!(
        msg,
        Msg::Saved(_, Err(_), _) | Msg::Exported(Err(_)) | Msg::DraftFailed(_)
    ) || matches!(
        msg,
        Msg::TextOpened(Err(_))
            | Msg::Opened(Err(_))
            | Msg::Stored(Err(_))
            | Msg::HandsKept(Err(_))
    );
    match msg {
        _ if went_wrong => tracing::warn!("{words}"),
        Msg::Input(_) | Msg::Found(_) | Msg::Ran(..) => tracing::debug!("{words}"),
        _ => tracing::info!("{words}"),
    }
    let mut actions = locked(&ACTIONS);
    if actions.len() >= MOST {
        actions.pop_front();
    }
    actions.push_back(words);
}

/// From now on the main loop hears of another thread that breaks.
pub fn report_to(sender: Sender<Msg>) {
    *locked(&MAIN) = Some(sender);
}

/// What a thread that broke has left to say.
pub fn said() -> Option<String> {
    locked(&SAID).take()
}

/// From now on a panic gives the terminal back by `restore`, and leaves a report.
pub fn watch(restore: fn()) {
    static HOOK: Once = Once::new();
    HOOK.call_once(|| {
        std::panic::set_hook(Box::new(move |panic| {
            let words = words(panic);
            tracing::error!("{words}");
            // The others go on until the main one has kept everything; its screen is not theirs to
            // take.
            let sender = locked(&MAIN).clone();
            if thread::current().name() != Some("main")
                && let Some(sender) = sender
            {
                *locked(&SAID) = Some(words);
                let _ = sender.send(Msg::Stop);
                return;
            }
            restore();
            let _ = std::io::stderr().lock().write_all(words.as_bytes());
        }));
    });
}

/// What is said to people, and the report that it leads to.
fn words(panic: &PanicHookInfo<'_>) -> String {
    let why = reason(panic);
    let place = panic.location().map_or_else(String::new, |place| {
        format!(" ({}, line {})", place.file(), place.line())
    });
    let mut words = format!(
        "wayodos: the program itself broke: {why}{place}\n  your edits are kept and come back when you open the project again\n"
    );
    match store(why, &place) {
        Some(file) => {
            let _ = writeln!(
                words,
                "  what is needed to fix it is in {}: please send it in",
                file.display()
            );
        }
        None => words.push_str("  no report could be written: there is no folder for it\n"),
    }
    words
}

fn reason<'a>(panic: &'a PanicHookInfo<'_>) -> &'a str {
    let payload = panic.payload();
    let text = payload
        .downcast_ref::<&str>()
        .copied()
        .or_else(|| payload.downcast_ref::<String>().map(String::as_str));
    text.unwrap_or("no reason given")
}

/// Writes the report; where it is.
fn store(why: &str, place: &str) -> Option<PathBuf> {
    let folder = state_folder()?;
    std::fs::create_dir_all(&folder).ok()?;
    let seconds = SystemTime::now()
        .duration_since(UNIX_EPOCH)
        .map_or(0, |time| time.as_secs());
    let file = folder.join(format!("crash-{seconds}.txt"));
    let actions: Vec<String> = locked(&ACTIONS).iter().cloned().collect();
    let text = format!(
        "wayodos {} on {} {}\nthread {}: {why}{place}\ncommand: {:?}\n\nlast of all, the newest at the end:\n{}\n\n{}\n",
        env!("CARGO_PKG_VERSION"),
        std::env::consts::OS,
        std::env::consts::ARCH,
        thread::current().name().unwrap_or("without a name"),
        std::env::args().collect::<Vec<_>>(),
        actions.join("\n"),
        Backtrace::force_capture(),
    );
    std::fs::write(&file, text).ok()?;
    Some(file)
}
