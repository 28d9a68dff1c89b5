//! What the application does, written to a file: only with `--log`, and never what somebody types
//! or a file says.

use std::path::{Path, PathBuf};

use clap::ValueEnum;
use tracing::level_filters::LevelFilter;
use tracing_appender::non_blocking::WorkerGuard;
use tracing_appender::rolling::{Builder, Rotation};

use crate::folder::state_folder;

/// Files of so many days are kept.
const DAYS: usize = 7;

/// How much is written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Level {
    /// What went wrong.
    Warn,
    /// What was opened, saved and run as well.
    #[default]
    Info,
    /// Every key and every answer as well.
    Debug,
}

impl Level {
    const fn filter(self) -> LevelFilter {
        match self {
            Self::Warn => LevelFilter::WARN,
            Self::Info => LevelFilter::INFO,
            Self::Debug => LevelFilter::DEBUG,
        }
    }
}

/// The log that is being written; what waits is written when it is dropped.
pub struct Log {
    _guard: WorkerGuard,
}

/// Where logs are; none without a home.
pub fn folder() -> Option<PathBuf> {
    Some(state_folder()?.join("log"))
}

/// Begins to write a file for each day into a folder.
///
/// # Errors
/// Why it cannot be written, in words.
pub fn begin(level: Level, folder: Option<&Path>) -> Result<Log, String> {
    let folder = folder.ok_or("no log: there is no home folder to write it to")?;
    let cannot = |error: &dyn std::fmt::Display| {
        format!("no log: cannot write to {}: {error}", folder.display())
    };
    std::fs::create_dir_all(folder).map_err(|error| cannot(&error))?;
    let files = Builder::new()
        .rotation(Rotation::DAILY)
        .filename_prefix("wayodos")
        .filename_suffix("log")
        .max_log_files(DAYS)
        .build(folder)
        .map_err(|error| cannot(&error))?;
    // A drive that does not answer must not keep anybody waiting: what it cannot take is left out.
    let (writer, guard) = tracing_appender::non_blocking(files);
    let told = tracing_subscriber::fmt()
        .with_writer(writer)
        .with_ansi(false)
        .with_target(false);
    let begun = told
        .with_max_level(level.filter())
        .with_thread_names(true)
        .try_init();
    begun.map_err(|error| cannot(&error))?;
    tracing::info!(
        version = env!("CARGO_PKG_VERSION"),
        process = std::process::id(),
        "begun"
    );
    Ok(Log { _guard: guard })
}
