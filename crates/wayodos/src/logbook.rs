//! The logbook of a project: every run that was saved, exported, spread to the end or marked, with the
//! texts that it was made of, in one `SQLite` file beside `wayodos.toml`.
//!
//! A text is kept once, however many entries have it. Each entry is written in one transaction, so that
//! a program that is killed leaves it whole or not at all. Two programs wait for each other.

pub mod scribe;

use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use rusqlite::{Connection, ErrorCode, OpenFlags, OptionalExtension as _, Row, params};
use wayodos_core::lab::statistics::Share;
use wayodos_core::units::hash::Fnv;

use crate::safe::plain;

/// Its file in the project's folder.
pub const FILE: &str = "logbook.db";
/// What the file is made for; one with a greater number is of a newer version.
const VERSION: i64 = 1;
/// Marks the file as ours among all databases.
const APPLICATION: i64 = 0x7761_796f;
/// One program waits for another that is writing for so long.
const PATIENCE: Duration = Duration::from_secs(3);

const SCHEMA: &str = "
CREATE TABLE texts (
    id INTEGER PRIMARY KEY,
    hash INTEGER NOT NULL,
    body TEXT NOT NULL
);
CREATE INDEX texts_by_hash ON texts (hash);
CREATE TABLE entries (
    id INTEGER PRIMARY KEY,
    at INTEGER NOT NULL,
    saved INTEGER NOT NULL DEFAULT 0,
    exported INTEGER NOT NULL DEFAULT 0,
    spread INTEGER NOT NULL DEFAULT 0,
    marked INTEGER NOT NULL DEFAULT 0,
    mission TEXT NOT NULL,
    seed INTEGER NOT NULL,
    scatter TEXT NOT NULL,
    outcome TEXT NOT NULL,
    planned INTEGER NOT NULL,
    seconds REAL NOT NULL,
    score REAL,
    held INTEGER NOT NULL DEFAULT 0,
    runs INTEGER NOT NULL DEFAULT 0,
    note TEXT NOT NULL DEFAULT '',
    star INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX entries_by_time ON entries (at);
CREATE TABLE files (
    entry INTEGER NOT NULL REFERENCES entries (id),
    path TEXT NOT NULL,
    text INTEGER NOT NULL REFERENCES texts (id),
    PRIMARY KEY (entry, path)
) WITHOUT ROWID;
";

/// Why a run is in the logbook.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reason {
    /// Its mission was saved.
    Saved,
    /// It was drawn to a file.
    Exported,
    /// All of its varied runs were made.
    Spread,
    /// Somebody wanted it there.
    Marked,
}

impl Reason {
    /// All of them, in the order of their columns.
    pub const ALL: [Self; 4] = [Self::Saved, Self::Exported, Self::Spread, Self::Marked];

    /// The word for it, which is also its column.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Saved => "saved",
            Self::Exported => "exported",
            Self::Spread => "spread",
            Self::Marked => "marked",
        }
    }
}

/// A run that goes into the logbook.
#[derive(Clone, Debug, PartialEq)]
pub struct Page {
    /// Why.
    pub reason: Reason,
    /// The mission's path in the project.
    pub mission: String,
    /// Path and text of everything that it was made of, the mission among them.
    pub files: Vec<(String, String)>,
    /// Seed of the project.
    pub seed: u64,
    /// How much its varied runs differ.
    pub scatter: String,
    /// How it ended, in words.
    pub outcome: String,
    /// Whether it ended as planned.
    pub planned: bool,
    /// Seconds until the mission ended.
    pub seconds: f64,
    /// Its points; none when the rules give no points.
    pub score: Option<f64>,
    /// How many of its varied runs held, once all are made.
    pub held: Option<Share>,
    /// What somebody wrote beside it.
    pub note: String,
}

/// What a list shows of an entry.
#[derive(Clone, Debug, PartialEq)]
pub struct Entry {
    /// Its number.
    pub id: i64,
    /// When: day and time of day, as the clock at the wall says.
    pub when: String,
    /// The same in milliseconds since 1970.
    pub at: i64,
    /// Why it is there.
    pub reasons: Vec<Reason>,
    /// The mission's path in the project.
    pub mission: String,
    /// Seed of the project.
    pub seed: u64,
    /// How much its varied runs differ.
    pub scatter: String,
    /// How it ended, in words.
    pub outcome: String,
    /// Whether it ended as planned.
    pub planned: bool,
    /// Seconds until the mission ended.
    pub seconds: f64,
    /// Its points.
    pub score: Option<f64>,
    /// How many of its varied runs held; none when they were not all made.
    pub held: Option<Share>,
    /// What somebody wrote beside it.
    pub note: String,
    /// Somebody has starred it.
    pub star: bool,
}

impl Entry {
    /// The mission's name.
    pub fn name(&self) -> &str {
        let file = self.mission.rsplit('/').next().unwrap_or(&self.mission);
        file.strip_suffix(".way").unwrap_or(file)
    }

    /// Why it is there, in words.
    pub fn why(&self) -> String {
        let words: Vec<&str> = self.reasons.iter().map(|reason| reason.word()).collect();
        words.join(", ")
    }

    /// Whether all the words of a search are in it, whatever their case.
    pub fn meets(&self, search: &str) -> bool {
        if search.trim().is_empty() {
            return true;
        }
        let share = self.held.map_or_else(String::new, Share::words);
        let all = format!(
            "{} {} {} {} {} {} {share}",
            self.when,
            self.mission,
            self.why(),
            self.outcome,
            self.note,
            if self.star { "star" } else { "" }
        )
        .to_lowercase();
        search
            .to_lowercase()
            .split_whitespace()
            .all(|word| all.contains(word))
    }
}

/// Why the logbook cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum BookError {
    /// It was written by a version that knows more.
    #[error("{0} is of a newer version of wayodos: it is left as it is; update to read it")]
    Newer(PathBuf),
    /// It is a database of something else.
    #[error("{0} belongs to another program: it is left as it is; move it away to have a logbook")]
    Foreign(PathBuf),
    /// It is damaged and cannot be moved aside.
    #[error("{0} is damaged and cannot be moved aside: {1}")]
    Stuck(PathBuf, std::io::Error),
    /// The library says no.
    #[error("{}", database(.0))]
    Database(#[from] rusqlite::Error),
}

/// What the library says, in words that help.
fn database(error: &rusqlite::Error) -> String {
    match error.sqlite_error_code() {
        Some(ErrorCode::DiskFull) => "the logbook cannot be written: the disk is full".to_owned(),
        Some(ErrorCode::ReadOnly | ErrorCode::CannotOpen | ErrorCode::PermissionDenied) => {
            "the logbook cannot be written: its folder may not be written to".to_owned()
        }
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => {
            "the logbook is being written by another program: this entry is left out".to_owned()
        }
        _ => format!("the logbook cannot be used: {error}"),
    }
}

/// Whether the file itself is damaged.
fn damaged(error: &rusqlite::Error) -> bool {
    matches!(
        error.sqlite_error_code(),
        Some(ErrorCode::DatabaseCorrupt | ErrorCode::NotADatabase)
    )
}

/// A logbook that is open.
pub struct Book {
    connection: Connection,
    /// Where a damaged file was moved to.
    pub moved: Option<PathBuf>,
}

impl Book {
    /// Opens the logbook in a project's folder; without a folder one in memory, for the demo. It is
    /// made when there is none. A damaged one is moved aside, never lost.
    ///
    /// # Errors
    /// Why it cannot be used; then nothing was changed.
    pub fn open(folder: Option<&Path>) -> Result<Self, BookError> {
        let Some(folder) = folder else {
            let connection = Connection::open_in_memory()?;
            return Self::prepare(connection, Path::new("")).map(|connection| Self {
                connection,
                moved: None,
            });
        };
        let file = folder.join(FILE);
        let open = || {
            let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_CREATE;
            let connection =
                Connection::open_with_flags(&file, flags | OpenFlags::SQLITE_OPEN_NO_MUTEX)?;
            Self::prepare(connection, &file)
        };
        match open() {
            Ok(connection) => Ok(Self {
                connection,
                moved: None,
            }),
            Err(BookError::Database(error)) if damaged(&error) => {
                let aside = aside(&file);
                std::fs::rename(&file, &aside)
                    .map_err(|error| BookError::Stuck(file.clone(), plain(error)))?;
                // What was not yet written back belongs to the damaged file.
                let journal = folder.join(format!("{FILE}-journal"));
                let _ = std::fs::rename(journal, aside.with_extension("db-journal"));
                Ok(Self {
                    connection: open()?,
                    moved: Some(aside),
                })
            }
            Err(error) => Err(error),
        }
    }

    fn prepare(mut connection: Connection, file: &Path) -> Result<Connection, BookError> {
        connection.busy_timeout(PATIENCE)?;
        let pragma = |name: &str| -> Result<i64, rusqlite::Error> {
            connection.pragma_query_value(None, name, |row| row.get(0))
        };
        // In this order: another program may be making it just now, all at once.
        let tables: i64 =
            connection.query_row("SELECT count(*) FROM sqlite_schema", [], |row| row.get(0))?;
        let (version, application) = (pragma("user_version")?, pragma("application_id")?);
        if application != APPLICATION && tables > 0 {
            return Err(BookError::Foreign(file.to_owned()));
        }
        if version > VERSION {
            return Err(BookError::Newer(file.to_owned()));
        }
        connection.execute_batch("PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;")?;
        if tables == 0 {
            let begin =
                connection.transaction_with_behavior(rusqlite::TransactionBehavior::Immediate)?;
            // Another program may have been quicker.
            let tables: i64 =
                begin.query_row("SELECT count(*) FROM sqlite_schema", [], |row| row.get(0))?;
            if tables == 0 {
                begin.execute_batch(SCHEMA)?;
                begin.pragma_update(None, "user_version", VERSION)?;
                begin.pragma_update(None, "application_id", APPLICATION)?;
            }
            begin.commit()?;
        }
        Ok(connection)
    }

    /// Writes a run, and says which entry it is. What is the newest entry of its mission already, of
    /// the same texts, seed and scatter, is one entry with one reason more.
    ///
    /// # Errors
    /// Why it is not written; then nothing is.
    pub fn write(&mut self, page: &Page) -> Result<i64, BookError> {
        let now = SystemTime::now()
            .duration_since(UNIX_EPOCH)
            .map_or(0, |time| time.as_millis() as i64);
        self.write_at(page, now)
    }

    fn write_at(&mut self, page: &Page, now: i64) -> Result<i64, BookError> {
        let write = self
            .connection
            .transaction_with_behavior(rusqlite::TransactionBehavior::Immediate)?;
        let mut files: Vec<(String, i64)> = Vec::with_capacity(page.files.len());
        for (path, body) in &page.files {
            files.push((path.clone(), text_id(&write, body)?));
        }
        files.sort_unstable();
        let newest: Option<i64> = write
            .query_row(
                "SELECT id FROM entries WHERE mission = ?1 ORDER BY id DESC LIMIT 1",
                [&page.mission],
                |row| row.get(0),
            )
            .optional()?;
        let same = match newest {
            Some(id) => {
                let like: bool = write.query_row(
                    "SELECT seed = ?2 AND scatter = ?3 FROM entries WHERE id = ?1",
                    params![id, page.seed as i64, page.scatter],
                    |row| row.get(0),
                )?;
                like && files_of(&write, id)? == files
            }
            None => false,
        };
        let id = match newest.filter(|_| same) {
            Some(id) => {
                write.execute("UPDATE entries SET at = ?2 WHERE id = ?1", [id, now])?;
                id
            }
            None => {
                write.execute(
                    "INSERT INTO entries (at, mission, seed, scatter, outcome, planned, seconds)
                     VALUES (?1, ?2, ?3, ?4, '', 0, 0)",
                    params![now, page.mission, page.seed as i64, page.scatter],
                )?;
                let id = write.last_insert_rowid();
                for (path, text) in &files {
                    write.execute(
                        "INSERT INTO files (entry, path, text) VALUES (?1, ?2, ?3)",
                        params![id, path, text],
                    )?;
                }
                id
            }
        };
        let column = page.reason.word();
        write.execute(
            &format!(
                "UPDATE entries SET {column} = 1, outcome = ?2, planned = ?3, seconds = ?4, score = ?5
                 WHERE id = ?1"
            ),
            params![id, page.outcome, page.planned, page.seconds, page.score],
        )?;
        if let Some(held) = page.held {
            write.execute(
                "UPDATE entries SET held = ?2, runs = ?3 WHERE id = ?1",
                params![id, held.times, held.of],
            )?;
        }
        if !page.note.is_empty() {
            write.execute(
                "UPDATE entries SET note = ?2 WHERE id = ?1",
                params![id, page.note],
            )?;
        }
        write.commit()?;
        Ok(id)
    }

    /// Writes a copy to a file that is not there yet.
    ///
    /// # Errors
    /// Why it cannot be written.
    pub fn copy_to(&self, file: &Path) -> Result<(), BookError> {
        let file = file.to_string_lossy();
        self.connection.execute("VACUUM INTO ?1", [&file])?;
        Ok(())
    }

    /// All entries, the newest first.
    ///
    /// # Errors
    /// Why they cannot be read.
    pub fn entries(&self) -> Result<Vec<Entry>, BookError> {
        let mut query = self.connection.prepare(
            "SELECT id, strftime('%Y-%m-%d %H:%M', at / 1000, 'unixepoch', 'localtime'), at, saved,
                    exported, spread, marked, mission, seed, scatter, outcome, planned, seconds, score,
                    held, runs, note, star
             FROM entries ORDER BY at DESC, id DESC",
        )?;
        let entries = query.query_map([], entry)?.collect::<Result<_, _>>()?;
        Ok(entries)
    }

    /// Path and text of all that an entry was made of, by path.
    ///
    /// # Errors
    /// Why they cannot be read.
    pub fn files(&self, id: i64) -> Result<Vec<(String, String)>, BookError> {
        let mut query = self.connection.prepare(
            "SELECT path, body FROM files JOIN texts ON texts.id = files.text
             WHERE entry = ?1 ORDER BY path",
        )?;
        let files = query
            .query_map([id], |row| Ok((row.get(0)?, row.get(1)?)))?
            .collect::<Result<_, _>>()?;
        Ok(files)
    }

    /// Stars an entry, or takes the star away.
    ///
    /// # Errors
    /// Why it cannot be written.
    pub fn star(&self, id: i64, star: bool) -> Result<(), BookError> {
        self.connection.execute(
            "UPDATE entries SET star = ?2 WHERE id = ?1",
            params![id, star],
        )?;
        Ok(())
    }

    /// Writes a note beside an entry.
    ///
    /// # Errors
    /// Why it cannot be written.
    pub fn note(&self, id: i64, note: &str) -> Result<(), BookError> {
        self.connection.execute(
            "UPDATE entries SET note = ?2 WHERE id = ?1",
            params![id, note],
        )?;
        Ok(())
    }
}

fn entry(row: &Row<'_>) -> Result<Entry, rusqlite::Error> {
    let mut reasons = Vec::new();
    for (at, reason) in Reason::ALL.into_iter().enumerate() {
        if row.get(3 + at)? {
            reasons.push(reason);
        }
    }
    let held = Share::new(row.get(14)?, row.get(15)?);
    Ok(Entry {
        id: row.get(0)?,
        when: row.get::<_, Option<String>>(1)?.unwrap_or_default(),
        at: row.get(2)?,
        reasons,
        mission: row.get(7)?,
        seed: row.get::<_, i64>(8)? as u64,
        scatter: row.get(9)?,
        outcome: row.get(10)?,
        planned: row.get(11)?,
        seconds: row.get(12)?,
        score: row.get(13)?,
        held: (held.of > 0).then_some(held),
        note: row.get(16)?,
        star: row.get(17)?,
    })
}

/// The text's number: one that is there already, or a new one. Two texts of the same hash are told
/// apart by what they say.
fn text_id(connection: &Connection, body: &str) -> Result<i64, rusqlite::Error> {
    let hash = Fnv::of(body.as_bytes()) as i64;
    let known: Option<i64> = connection
        .query_row(
            "SELECT id FROM texts WHERE hash = ?1 AND body = ?2",
            params![hash, body],
            |row| row.get(0),
        )
        .optional()?;
    if let Some(id) = known {
        return Ok(id);
    }
    connection.execute(
        "INSERT INTO texts (hash, body) VALUES (?1, ?2)",
        params![hash, body],
    )?;
    Ok(connection.last_insert_rowid())
}

/// Path and number of each text of an entry, by path.
fn files_of(connection: &Connection, id: i64) -> Result<Vec<(String, i64)>, rusqlite::Error> {
    let mut query =
        connection.prepare("SELECT path, text FROM files WHERE entry = ?1 ORDER BY path")?;
    query
        .query_map([id], |row| Ok((row.get(0)?, row.get(1)?)))?
        .collect()
}

/// Where a damaged file goes: `logbook.damaged.db`, or with the first number that is free.
fn aside(file: &Path) -> PathBuf {
    let names = std::iter::once("logbook.damaged.db".to_owned())
        .chain((2..).map(|nth| format!("logbook.damaged-{nth}.db")));
    let mut paths = names.map(|name| file.with_file_name(name));
    paths
        .find(|path| path.symlink_metadata().is_err())
        .unwrap_or_else(|| file.with_file_name("logbook.damaged.db"))
}

/// All entries as a table.
#[allow(
    clippy::missing_panics_doc,
    reason = "memory takes rows of the same length"
)]
pub fn csv(entries: &[Entry]) -> Vec<u8> {
    let mut rows = csv::Writer::from_writer(Vec::new());
    let head = [
        "when", "mission", "why", "outcome", "planned", "seconds", "points", "held", "of",
        "scatter", "seed", "star", "note",
    ];
    rows.write_record(head)
        .expect("rows of the same length go into memory");
    for entry in entries {
        let count = |of: fn(Share) -> u32| {
            entry
                .held
                .map_or_else(String::new, |held| of(held).to_string())
        };
        rows.write_record([
            entry.when.clone(),
            entry.mission.clone(),
            entry.why(),
            entry.outcome.clone(),
            entry.planned.to_string(),
            entry.seconds.to_string(),
            entry
                .score
                .map_or_else(String::new, |score| score.to_string()),
            count(|held| held.times),
            count(|held| held.of),
            entry.scatter.clone(),
            entry.seed.to_string(),
            entry.star.to_string(),
            entry.note.clone(),
        ])
        .expect("rows of the same length go into memory");
    }
    rows.into_inner().expect("memory takes everything")
}

/// What differs between the texts of two entries, file by file, as people write it: the lines that went
/// with `-`, those that came with `+`.
pub fn differences(old: &[(String, String)], new: &[(String, String)]) -> Vec<String> {
    let mut lines = Vec::new();
    let mut paths: Vec<&str> = old
        .iter()
        .chain(new)
        .map(|(path, _)| path.as_str())
        .collect();
    paths.sort_unstable();
    paths.dedup();
    for path in paths {
        let text = |files: &[(String, String)]| {
            files
                .iter()
                .find(|(known, _)| known == path)
                .map(|(_, text)| text.clone())
                .unwrap_or_default()
        };
        let (before, after) = (text(old), text(new));
        if before == after {
            continue;
        }
        lines.push(path.to_owned());
        let patch = diffy::create_patch(&before, &after);
        for hunk in patch.hunks() {
            for line in hunk.lines() {
                let (sign, line) = match line {
                    diffy::Line::Context(_) => continue,
                    diffy::Line::Delete(line) => ('-', line),
                    diffy::Line::Insert(line) => ('+', line),
                };
                lines.push(format!("{sign} {}", line.trim_end()));
            }
        }
    }
    lines
}

#[cfg(test)]
mod tests;
