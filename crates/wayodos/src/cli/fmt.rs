//! `wayodos fmt`: the one layout of a mission.

use std::fs;
use std::io::Read as _;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use wayodos_core::mission::format;

use super::answers::{answer, answer_json, complain, put_bytes, say};
use super::json;
use super::typed::Shared;
use crate::folder::{OpenError, locate, read_text, write_whole};
use crate::safe::within;

pub(super) fn fmt(shared: &Shared, path: &Path, check: bool) -> ExitCode {
    if path == Path::new("-") {
        return standard(check);
    }
    let files = match missions(path, shared.mission.as_deref()) {
        Ok(files) => files,
        Err(error) => {
            complain(&error.to_string(), &error.hint());
            return ExitCode::FAILURE;
        }
    };
    let (mut changed, mut failed) = (Vec::new(), false);
    for file in files {
        match one(&file, check) {
            Ok(true) => changed.push(file.display().to_string()),
            Ok(false) => {}
            Err((what, hint)) => {
                complain(&what, &hint);
                failed = true;
            }
        }
    }
    if shared.json {
        answer_json(&json::changed(&changed));
    } else {
        for file in &changed {
            answer(&format!(
                "{}{file}",
                if check { "would change " } else { "laid out " }
            ));
        }
        if changed.is_empty() && !failed {
            say(shared, "nothing to change");
        }
    }
    if failed || (check && !changed.is_empty()) {
        ExitCode::FAILURE
    } else {
        ExitCode::SUCCESS
    }
}

/// Lays out what comes by standard input.
fn standard(check: bool) -> ExitCode {
    let mut text = String::new();
    if let Err(error) = std::io::stdin().lock().take(MOST).read_to_string(&mut text) {
        complain(
            &format!("cannot read standard input: {error}"),
            "send it a mission as UTF-8 text",
        );
        return ExitCode::FAILURE;
    }
    let laid = format(&text);
    if check {
        return if laid == text {
            ExitCode::SUCCESS
        } else {
            ExitCode::FAILURE
        };
    }
    // As it is: a mission that goes on into a file keeps every sign.
    put_bytes(laid.as_bytes());
    ExitCode::SUCCESS
}

/// No mission is longer than this many bytes.
const MOST: u64 = 64 << 20;

/// Lays one file out; whether that changes it.
fn one(file: &Path, check: bool) -> Result<bool, (String, String)> {
    let text = read_text(file).map_err(|error| (error.to_string(), error.hint()))?;
    let laid = format(&text);
    if laid == text {
        return Ok(false);
    }
    if !check {
        let hint = || "check that the folder may be written to; the file is unchanged".to_owned();
        write_whole(file, laid.as_bytes())
            .map_err(|error| (format!("cannot write {}: {error}", file.display()), hint()))?;
    }
    Ok(true)
}

/// The mission file itself, or all missions of a project folder.
fn missions(path: &Path, mission: Option<&str>) -> Result<Vec<PathBuf>, OpenError> {
    if path.is_file() {
        return Ok(vec![path.to_owned()]);
    }
    let (path, _) = locate(path)?;
    let path = path.as_path();
    // What a link leads to out of the project is somebody else's.
    let inside = |name: &str| {
        let name = format!("missions/{name}");
        within(path, &name).ok_or_else(|| OpenError::Outside(name.into()))
    };
    if let Some(name) = mission {
        return Ok(vec![inside(&format!(
            "{}.way",
            name.strip_suffix(".way").unwrap_or(name)
        ))?]);
    }
    let folder = path.join("missions");
    let entries = fs::read_dir(&folder).map_err(|error| OpenError::Unreadable(folder, error))?;
    let names = entries
        .flatten()
        .filter_map(|entry| entry.file_name().into_string().ok());
    let mut files: Vec<PathBuf> = names
        .filter(|name| name.strip_suffix(".way").is_some())
        .map(|name| inside(&name))
        .collect::<Result<_, _>>()?;
    files.sort();
    Ok(files)
}
