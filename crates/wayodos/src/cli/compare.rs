//! `wayodos compare`: two versions on the same luck, run by run.

use std::fmt::Write as _;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;

use serde::Serialize;
use wayodos_core::lab::compare::{Compared, compare as compared};
use wayodos_core::lab::spread::{Attempt, Brief};
use wayodos_report::compare_sheet;

use super::draw::write_scene;
use super::json::Share;
use super::many::{attempt_of, make, p_words, tell};
use super::typed::Shared;

/// One of the two: what it is called, and what is tried.
struct Side {
    name: String,
    mission: String,
    attempt: Attempt,
}

/// A version by its project and mission; its seed and scatter are those of the command.
fn side(shared: &Shared, path: &Path, mission: Option<&str>) -> Result<Side, ExitCode> {
    let (project, _, attempt) = attempt_of(shared, path, mission)?;
    Ok(Side {
        name: format!("{}: {}", project.name(), project.config.mission),
        mission: project.config.mission.clone(),
        attempt,
    })
}

/// Compares two versions.
///
/// - `with`: another project, or a mission file of one; the same project without it
/// - `with_mission`: a mission of that, by its name
/// - `draw`: a file for a page about them
pub(super) fn compare(
    shared: &Shared,
    path: &Path,
    with: Option<&Path>,
    with_mission: Option<&str>,
    runs: u32,
    draw: Option<&Path>,
) -> ExitCode {
    let sides = side(shared, path, shared.mission.as_deref()).and_then(|first| {
        let mut second = side(shared, with.unwrap_or(path), with_mission)?;
        // The same luck: whatever the other project says.
        second.attempt.seed = first.attempt.seed;
        let mut first = first;
        // Copies of one project are told apart by where they are.
        if let Some(with) = with.filter(|_| first.name == second.name) {
            first.name = format!("{}: {}", path.display(), first.mission);
            second.name = format!("{}: {}", with.display(), second.mission);
        }
        Ok([first, second])
    });
    let sides = match sides {
        Ok(sides) => sides,
        Err(code) => return code,
    };
    let field = Arc::clone(&sides[0].attempt.world.field);
    let attempts = sides.each_ref().map(|side| side.attempt.clone());
    // Both in turn, so that there is something to compare whenever it is cut short.
    let made = make(shared, 2 * runs as usize, "runs", move |at, spare, stop| {
        let number = (at / 2) as u32 + 1;
        attempts[at % 2]
            .brief(number, spare, Some(stop))
            .map(Arc::new)
    });
    let of = |side: usize| -> Vec<Arc<Brief>> {
        made.results.iter().skip(side).step_by(2).cloned().collect()
    };
    let compared = compared(&of(0), &of(1));
    let names = sides.each_ref().map(|side| side.name.as_str());
    if let Some(file) = draw {
        let about = format!(
            "{}, {} runs of each with the same luck, {} scatter",
            field.name,
            compared.count(),
            shared.scatter.word()
        );
        let both = [of(0), of(1)];
        let briefs = [both[0].as_slice(), both[1].as_slice()];
        let scene = compare_sheet(&field, "Which one holds?", &about, names, briefs, &compared);
        let written = write_scene(shared, file, &scene);
        if written != ExitCode::SUCCESS {
            return written;
        }
    }
    let words = report(shared, names, &compared);
    tell(shared, &words, &object(shared, names, &compared));
    if made.cut_short {
        ExitCode::from(130)
    } else {
        ExitCode::SUCCESS
    }
}

fn report(shared: &Shared, names: [&str; 2], compared: &Compared) -> String {
    let [first, second] = compared.held();
    let mut out = format!(
        "{} runs of each with the same luck, {} scatter\n\n",
        compared.count(),
        shared.scatter.word()
    );
    for (letter, name, held) in [("A", names[0], first), ("B", names[1], second)] {
        let _ = writeln!(
            out,
            "{letter}  {name}\n   held {}, {} of the time",
            held.words(),
            held.interval_words()
        );
    }
    let numbers = |runs: &[u32]| {
        let mut words: Vec<String> = runs.iter().take(10).map(u32::to_string).collect();
        if runs.len() > 10 {
            words.push("...".into());
        }
        if words.is_empty() {
            String::new()
        } else {
            format!("   run {}", words.join(", "))
        }
    };
    let _ = write!(
        out,
        "\nboth held   {:>6}\nonly A held {:>6}{}\nonly B held {:>6}{}\nneither held{:>6}\n\nB is {}\n",
        compared.both,
        compared.only_first.len(),
        numbers(&compared.only_first),
        compared.only_second.len(),
        numbers(&compared.only_second),
        compared.neither,
        verdict(compared)
    );
    if let Some(slower) = compared.slower {
        let way = if slower > 0.0 { "slower" } else { "faster" };
        let _ = writeln!(out, "where both held, B is {:.1} s {way}", slower.abs());
    }
    if let Some(at) = compared.parted {
        let _ = writeln!(out, "their paths part at {at:.1} s");
    }
    out
}

/// How B stands to A, with the test that says so.
fn verdict(compared: &Compared) -> String {
    let word = match compared.better() {
        Some(true) => "better than A",
        Some(false) => "worse than A",
        None if compared.only_first.is_empty() && compared.only_second.is_empty() => {
            return "like A: each run came out the same".to_owned();
        }
        None => "not clearly different from A",
    };
    format!("{word} (exact test of pairs, {})", p_words(compared.p))
}

#[derive(Serialize)]
struct ComparedOut<'a> {
    version: u32,
    scatter: &'a str,
    a: &'a str,
    b: &'a str,
    a_held: Share,
    b_held: Share,
    both: u32,
    only_a: &'a [u32],
    only_b: &'a [u32],
    neither: u32,
    p: f64,
    b_is: &'a str,
    b_slower_s: Option<f64>,
    parted_s: Option<f64>,
}

fn object<'a>(
    shared: &'a Shared,
    names: [&'a str; 2],
    compared: &'a Compared,
) -> impl Serialize + 'a {
    let [first, second] = compared.held();
    ComparedOut {
        version: 1,
        scatter: shared.scatter.word(),
        a: names[0],
        b: names[1],
        a_held: first.into(),
        b_held: second.into(),
        both: compared.both,
        only_a: &compared.only_first,
        only_b: &compared.only_second,
        neither: compared.neither,
        p: compared.p,
        b_is: match compared.better() {
            Some(true) => "better",
            Some(false) => "worse",
            None => "not clearly different",
        },
        b_slower_s: compared.slower,
        parted_s: compared.parted,
    }
}
