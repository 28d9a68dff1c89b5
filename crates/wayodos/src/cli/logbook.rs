//! `wayodos logbook`: what was tried so far, and what came of it.

use std::fmt::Write as _;
use std::path::Path;
use std::process::ExitCode;

use serde::Serialize;

use super::answers::{cannot_open, complain};
use super::json::Share;
use super::many::tell;
use super::typed::Shared;
use crate::folder::locate;
use crate::logbook::{Book, Entry, FILE, csv};
use crate::safe::write_out;

/// Lists the logbook of a project.
///
/// - `search`: only entries with all these words
/// - `table`: a file for all of them as a table
pub(super) fn logbook(
    shared: &Shared,
    path: &Path,
    search: Option<&str>,
    table: Option<&Path>,
) -> ExitCode {
    let folder = match locate(path) {
        Ok((folder, _)) => folder,
        Err(error) => return cannot_open(shared, &error),
    };
    let entries = match read(&folder) {
        Ok(entries) => entries,
        Err((what, hint)) => {
            complain(&what, hint);
            return ExitCode::FAILURE;
        }
    };
    let mission = shared.mission.as_deref();
    let wanted = |entry: &Entry| {
        search.is_none_or(|search| entry.meets(search))
            && mission.is_none_or(|mission| entry.name() == mission)
    };
    let entries: Vec<Entry> = entries.into_iter().filter(wanted).collect();
    if let Some(file) = table
        && let Err(error) = write_out(file, &csv(&entries))
    {
        complain(
            &format!("cannot write {}: {error}", file.display()),
            "check the path, and that its folder may be written to",
        );
        return ExitCode::FAILURE;
    }
    tell(shared, &report(&entries), &object(&entries));
    ExitCode::SUCCESS
}

/// All entries; none, and nothing made, where there is no logbook yet.
fn read(folder: &Path) -> Result<Vec<Entry>, (String, &'static str)> {
    if !folder.join(FILE).exists() {
        return Ok(Vec::new());
    }
    let hint = "nothing was changed";
    let book = Book::open(Some(folder)).map_err(|error| (error.to_string(), hint))?;
    if let Some(aside) = &book.moved {
        return Err((
            format!("the logbook was damaged: it is now {}", aside.display()),
            "a new one is begun; what the old one held is in that file",
        ));
    }
    book.entries().map_err(|error| (error.to_string(), hint))
}

fn report(entries: &[Entry]) -> String {
    if entries.is_empty() {
        return "no entries\n".to_owned();
    }
    let mut out = String::new();
    for entry in entries {
        let star = if entry.star { "*" } else { " " };
        let held = entry
            .held
            .map_or_else(String::new, |held| format!("held {}", held.words()));
        let note = if entry.note.is_empty() {
            String::new()
        } else {
            format!("  \"{}\"", entry.note)
        };
        let line = format!(
            "{star} @{:<4} {}  {:<20} {held:<16} {}  ({}){note}",
            entry.id,
            entry.when,
            entry.name(),
            entry.outcome,
            entry.why(),
        );
        let _ = writeln!(out, "{}", line.trim_end());
    }
    out
}

#[derive(Serialize)]
struct EntryOut<'a> {
    id: i64,
    when: &'a str,
    mission: &'a str,
    why: Vec<&'a str>,
    outcome: &'a str,
    planned: bool,
    duration_s: f64,
    score: Option<f64>,
    held: Option<Share>,
    scatter: &'a str,
    seed: u64,
    star: bool,
    note: &'a str,
}

#[derive(Serialize)]
struct BookOut<'a> {
    version: u32,
    entries: Vec<EntryOut<'a>>,
}

impl<'a> From<&'a Entry> for EntryOut<'a> {
    fn from(entry: &'a Entry) -> Self {
        Self {
            id: entry.id,
            when: &entry.when,
            mission: &entry.mission,
            why: entry.reasons.iter().map(|reason| reason.word()).collect(),
            outcome: &entry.outcome,
            planned: entry.planned,
            duration_s: entry.seconds,
            score: entry.score,
            held: entry.held.map(Share::from),
            scatter: &entry.scatter,
            seed: entry.seed,
            star: entry.star,
            note: &entry.note,
        }
    }
}

fn object(entries: &[Entry]) -> impl Serialize {
    BookOut {
        version: 1,
        entries: entries.iter().map(EntryOut::from).collect(),
    }
}
