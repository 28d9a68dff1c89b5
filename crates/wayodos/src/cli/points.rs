//! What is answered of each of several texts: as an object, and as a row of a table.

use std::path::Path;
use std::process::ExitCode;

use serde::Serialize;
use wayodos_core::lab::sweep::Point;

use super::answers::complain;
use super::json::Share;
use crate::safe::write_out;

/// What came of one of them.
#[derive(Serialize)]
pub(super) struct PointOut<V> {
    value: V,
    refused: bool,
    held: Share,
    duration_s: Option<f64>,
    score: Option<f64>,
    margin: Option<f64>,
}

impl<V> PointOut<V> {
    /// - `value`: what tells it from the others
    pub(super) fn of<T>(point: &Point<T>, value: V) -> Self {
        Self {
            value,
            refused: point.refused,
            held: point.held().into(),
            duration_s: point.seconds(),
            score: point.score(),
            margin: point.margin,
        }
    }
}

/// Writes a table where one is asked for, or says why it cannot.
pub(super) fn write_table(
    file: Option<&Path>,
    table: impl FnOnce() -> Vec<u8>,
) -> Result<(), ExitCode> {
    let Some(file) = file else { return Ok(()) };
    write_out(file, &table()).map_err(|error| {
        complain(
            &format!("cannot write {}: {error}", file.display()),
            "check the path, and that its folder may be written to",
        );
        ExitCode::FAILURE
    })
}

/// What a table says of every value, behind the value itself.
pub(super) const COLUMNS: [&str; 7] =
    ["held", "of", "low", "high", "duration_s", "score", "margin"];

/// The same of one of them.
pub(super) fn cells<V>(point: &Point<V>) -> [String; 7] {
    let words = |value: Option<f64>| value.map_or_else(String::new, |value| value.to_string());
    let held = point.held();
    let (low, high) = held.interval();
    [
        held.times.to_string(),
        held.of.to_string(),
        low.to_string(),
        high.to_string(),
        words(point.seconds()),
        words(point.score()),
        words(point.margin),
    ]
}

/// A table: what tells the rows apart, and what is said of each.
pub(super) fn table_of(names: &[&str], rows: impl Iterator<Item = Vec<String>>) -> Vec<u8> {
    let mut table = csv::Writer::from_writer(Vec::new());
    let heading = names.iter().chain(&COLUMNS).map(|name| (*name).to_owned());
    for row in std::iter::once(heading.collect()).chain(rows) {
        table
            .write_record(row)
            .expect("rows of the same length go into memory");
    }
    table.into_inner().expect("memory takes everything")
}
