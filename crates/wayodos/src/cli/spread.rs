//! `wayodos spread` and `wayodos merge`: many runs, how many of them held, what the others died of.
//!
//! A part of a spread is a file with the runs that it made and with what they are of, so that parts
//! can be made on several machines. What is answered is made from such a file in either way: the
//! answer of the parts together is that of the whole, to the byte.

use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use serde::{Deserialize, Serialize};
use wayodos_core::field::Field;
use wayodos_core::lab::causes::Cause;
use wayodos_core::lab::spread::{Attempt, Brief, Ending};
use wayodos_core::lab::statistics::Share;
use wayodos_core::lab::summary::Summary;
use wayodos_core::units::Quantity;
use wayodos_core::units::hash::Fnv;
use wayodos_report::{Scene, spread_sheet};

use super::answers::{USAGE, answer_json, complain, say};
use super::draw::write_scene;
use super::json;
use super::many::{Made, attempt_of, make, p_words, tell};
use super::shard::Shard;
use super::typed::Shared;
use crate::folder::Project;
use crate::safe::write_out;
use crate::sheets::{about_spread, causes_page, spread_title};

/// The version of the form of a part.
const VERSION: u32 = 1;

/// What is asked of a spread besides the project.
pub(super) struct Asked {
    /// How many runs; as many as the project says without it.
    pub(super) runs: Option<u32>,
    /// Only some of them.
    pub(super) shard: Option<Shard>,
    /// The file of that part.
    pub(super) output: Option<PathBuf>,
    /// How it is answered.
    pub(super) answer: Answer,
}

/// How a spread is answered.
pub(super) struct Answer {
    /// A table of all runs.
    pub(super) csv: Option<PathBuf>,
    /// A page about them.
    pub(super) draw: Option<PathBuf>,
    /// A page with a chart of each cause.
    pub(super) causes: Option<PathBuf>,
    /// The least share in percent; less is a failure.
    pub(super) least: Option<u32>,
}

/// What runs are of: the same for all parts of a spread, and for nothing else.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Of {
    mission: String,
    /// Of mission, robots, field, calibration and hands.
    files: String,
    seed: u64,
    scatter: String,
    runs: u32,
    steps: Vec<String>,
}

/// Runs that were made, and what they are of.
#[derive(Debug, Serialize, Deserialize)]
struct Part {
    version: u32,
    of: Of,
    shard: Shard,
    runs: Vec<Arc<Brief>>,
}

/// Tells whether two attempts are the same whatever they were loaded from.
fn identity(attempt: &Attempt) -> String {
    let mut hash = Fnv::default();
    let world = &attempt.world;
    let written = write!(
        hash,
        "{:?} {:?} {:?} {:?} {:?} {:?} {:?}",
        attempt.program,
        world.robot,
        world.field,
        world.players,
        world.placing,
        attempt.start,
        attempt.hands
    );
    debug_assert!(written.is_ok(), "nothing is written anywhere");
    format!("{:016x}", hash.value())
}

/// Makes a spread, or a part of one.
pub(super) fn spread(shared: &Shared, path: &Path, asked: &Asked) -> ExitCode {
    let (project, _, attempt) = match attempt_of(shared, path, shared.mission.as_deref()) {
        Ok(opened) => opened,
        Err(code) => return code,
    };
    let runs = asked.runs.unwrap_or(project.config.spread).max(1);
    let shard = asked.shard.unwrap_or(Shard::ALL);
    if asked.shard.is_some() && asked.output.is_none() {
        complain(
            "a part of a spread is written to a file",
            "name it: --output part.json; `wayodos merge` puts the parts together",
        );
        return ExitCode::from(USAGE);
    }
    let steps = attempt.program.steps.iter();
    let of = Of {
        mission: project.config.mission.clone(),
        files: identity(&attempt),
        seed: attempt.seed,
        scatter: attempt.scatter.word().to_owned(),
        runs,
        steps: steps.map(|step| step.name.clone()).collect(),
    };
    let field = Arc::clone(&attempt.world.field);
    // Paths are kept only where they are drawn.
    let drawn = asked.answer.draw.is_some() && asked.output.is_none();
    let numbers = shard.numbers(runs);
    let count = numbers.len();
    let Made { results, cut_short } = make(shared, count, "runs", move |at, spare, stop| {
        let brief = attempt.brief(numbers[at], spare, Some(stop))?;
        Some(Arc::new(if drawn { brief } else { brief.without_path() }))
    });
    let part = Part {
        version: VERSION,
        of,
        shard,
        runs: results,
    };
    let code = match &asked.output {
        None => match &asked.answer.draw {
            Some(file) => {
                let scene = drawing(&project, &field, &part);
                let written = write_scene(shared, file, &scene);
                let concluded = conclude(shared, &part, &asked.answer);
                if written == ExitCode::SUCCESS {
                    concluded
                } else {
                    written
                }
            }
            None => conclude(shared, &part, &asked.answer),
        },
        Some(_) if cut_short => {
            complain(
                "the part was not written, since not all of its runs were made",
                "let it come to its end; parts are of use only when they are whole",
            );
            ExitCode::FAILURE
        }
        Some(file) => keep(shared, &part, file),
    };
    if cut_short { ExitCode::from(130) } else { code }
}

/// The page about the runs.
fn drawing(project: &Project, field: &Field, part: &Part) -> Scene {
    let of = &part.of;
    let summary = Summary::of(&part.runs, of.steps.len());
    let about = about_spread(&field.name, of.seed, &of.scatter);
    let title = spread_title(project, &of.mission);
    spread_sheet(field, &title, &about, &part.runs, (&summary, &of.steps))
}

fn keep(shared: &Shared, part: &Part, file: &Path) -> ExitCode {
    let text =
        serde_json::to_string(part).expect("plain structs of numbers and texts always serialise");
    match write_out(file, text.as_bytes()) {
        Ok(()) => {
            let Shard { part: nth, of } = part.shard;
            let count = part.runs.len();
            let words = format!("wrote {}: part {nth} of {of}, {count} runs", file.display());
            say(shared, &words);
            ExitCode::SUCCESS
        }
        Err(error) => cannot_write(file, &error),
    }
}

fn cannot_write(file: &Path, error: &std::io::Error) -> ExitCode {
    complain(
        &format!("cannot write {}: {error}", file.display()),
        "check the path, and that its folder may be written to",
    );
    ExitCode::FAILURE
}

/// Puts the parts of a spread together.
pub(super) fn merge(shared: &Shared, files: &[PathBuf], asked: &Answer) -> ExitCode {
    match merged(files) {
        Ok(whole) => conclude(shared, &whole, asked),
        Err((what, hint)) => {
            if shared.json {
                answer_json(&json::refusal(&what));
            }
            complain(&what, &hint);
            ExitCode::FAILURE
        }
    }
}

fn merged(files: &[PathBuf]) -> Result<Part, (String, String)> {
    let mut parts: Vec<(&Path, Part)> = Vec::new();
    for file in files {
        let name = file.display();
        let text = fs::read_to_string(file).map_err(|error| {
            let hint = "name the files that `wayodos spread --shard` has written";
            (format!("cannot read {name}: {error}"), hint.to_owned())
        })?;
        let part: Part = serde_json::from_str(&text).map_err(|error| {
            let hint = "make it again with `wayodos spread --shard`";
            (
                format!("{name} is no part of a spread, or damaged: {error}"),
                hint.to_owned(),
            )
        })?;
        if part.version != VERSION {
            let hint = "merge with the version of wayodos that has made it";
            let what = format!("{name} is of another version of wayodos");
            return Err((what, hint.to_owned()));
        }
        if part
            .runs
            .iter()
            .map(|run| run.number)
            .ne(part.shard.numbers(part.of.runs))
        {
            let hint = "make it again with `wayodos spread --shard`";
            return Err((
                format!("{name} does not hold the runs of its part"),
                hint.to_owned(),
            ));
        }
        if let Some((first, other)) = parts.first() {
            let differs = [
                ("another mission", part.of.mission != other.of.mission),
                (
                    "other files: robot, field, calibration, hands or text",
                    part.of.files != other.of.files,
                ),
                ("another seed", part.of.seed != other.of.seed),
                ("another scatter", part.of.scatter != other.of.scatter),
                ("another number of runs", part.of.runs != other.of.runs),
                ("another number of parts", part.shard.of != other.shard.of),
            ];
            if let Some((what, _)) = differs.iter().find(|(_, differs)| *differs) {
                return Err((
                    format!("{name} is of {what} than {}", first.display()),
                    "merge parts of one spread".to_owned(),
                ));
            }
        }
        if let Some((known, _)) = parts.iter().find(|(_, known)| known.shard == part.shard) {
            let Shard { part: nth, of } = part.shard;
            return Err((
                format!("{name} and {} are both part {nth} of {of}", known.display()),
                "name each part once".to_owned(),
            ));
        }
        parts.push((file, part));
    }
    let Some(of) = parts.first().map(|(_, part)| part.shard.of) else {
        return Err(("there is nothing to merge".into(), "name the parts".into()));
    };
    let missing = (1..=of).find(|nth| parts.iter().all(|(_, part)| part.shard.part != *nth));
    if let Some(nth) = missing {
        return Err((
            format!("part {nth} of {of} is missing"),
            format!("make it with `wayodos spread --shard {nth}/{of} --output FILE`"),
        ));
    }
    let mut parts = parts.into_iter().map(|(_, part)| part);
    let mut whole = parts.next().expect("there is one");
    whole.runs.extend(parts.flat_map(|part| part.runs));
    whole.runs.sort_by_key(|run| run.number);
    whole.shard = Shard::ALL;
    Ok(whole)
}

/// Answers with what the runs say.
fn conclude(shared: &Shared, part: &Part, asked: &Answer) -> ExitCode {
    let summary = Summary::of(&part.runs, part.of.steps.len());
    if let Some(file) = &asked.csv
        && let Err(error) = write_out(file, &table(part))
    {
        return cannot_write(file, &error);
    }
    if let Some(file) = &asked.causes {
        let of = &part.of;
        let scene = causes_page(&of.mission, &of.scatter, &summary);
        let written = write_scene(shared, file, &scene);
        if written != ExitCode::SUCCESS {
            return written;
        }
    }
    tell(shared, &report(part, &summary), &object(part, &summary));
    let too_few = asked.least.is_some_and(|least| {
        let share = summary.held.value().unwrap_or(0.0);
        share * 100.0 < f64::from(least)
    });
    if too_few {
        ExitCode::from(2)
    } else {
        ExitCode::SUCCESS
    }
}

/// What the runs say, for people.
fn report(part: &Part, summary: &Summary) -> String {
    let (of, held) = (&part.of, summary.held);
    let mut out = format!(
        "{}, seed {}, {} scatter\n\nheld {} runs; 95 % sure: it holds {} of the time\n",
        of.mission,
        of.seed,
        of.scatter,
        held.words(),
        held.interval_words()
    );
    if !summary.endings.is_empty() {
        out.push_str("\nwhere the others ended\n");
    }
    for ending in &summary.endings {
        let Ending { death, share, runs } = ending;
        let step = format!("{:>3} {}", death.step.number(), name(of, death.step.0));
        let mut numbers: Vec<String> = runs.iter().take(8).map(u32::to_string).collect();
        if runs.len() > 8 {
            numbers.push("...".into());
        }
        let _ = writeln!(
            out,
            "{step:<32} {:<28} {:>11}  {:>12}  run {}",
            death.words,
            share.words(),
            share.interval_words(),
            numbers.join(", ")
        );
    }
    for cause in &summary.causes {
        let _ = write!(
            out,
            "\n{}\n  may help: {}\n  (rank test, {}, corrected for all that was asked)\n",
            cause.words(),
            cause.advice(),
            p_words(cause.p)
        );
    }
    let some_died = |share: &Share| share.of > 0 && share.times < share.of;
    if summary.survival.iter().any(some_died) {
        out.push_str("\nruns that came to a step and did not end there\n");
    }
    for (step, share) in summary.survival.iter().enumerate() {
        if some_died(share) {
            let _ = writeln!(
                out,
                "{:>3} {:<32} {}",
                step + 1,
                name(of, step),
                share.words()
            );
        }
    }
    let one = |what: &str, number: Option<u32>| {
        number.map_or_else(String::new, |number| {
            format!(
                "{what}: `wayodos run --varied {number} --scatter {}`\n",
                of.scatter
            )
        })
    };
    out.push('\n');
    out.push_str(&one("the worst", summary.worst));
    out.push_str(&one("a typical one", summary.typical));
    out
}

fn name(of: &Of, step: usize) -> &str {
    of.steps.get(step).map_or("", String::as_str)
}
#[derive(Serialize)]
struct EndingOut<'a> {
    step: usize,
    name: &'a str,
    reason: &'a str,
    share: json::Share,
    runs: &'a [u32],
}

#[derive(Serialize)]
struct StepOut<'a> {
    step: usize,
    name: &'a str,
    survived: u32,
    entered: u32,
}

#[derive(Serialize)]
struct CauseOut<'a> {
    what: &'a str,
    words: String,
    may_help: &'a str,
    limit: f64,
    unit: &'a str,
    beyond: json::Share,
    within_failed: json::Share,
    p: f64,
}

#[derive(Serialize)]
struct RunOut<'a> {
    run: u32,
    held: bool,
    outcome: &'a str,
    reason: &'a str,
    step: Option<usize>,
    duration_s: f64,
    score: Option<f64>,
    trace_hash: String,
}

#[derive(Serialize)]
struct SpreadOut<'a> {
    version: u32,
    mission: &'a str,
    seed: u64,
    scatter: &'a str,
    wanted: u32,
    held: json::Share,
    endings: Vec<EndingOut<'a>>,
    causes: Vec<CauseOut<'a>>,
    steps: Vec<StepOut<'a>>,
    worst: Option<u32>,
    typical: Option<u32>,
    runs: Vec<RunOut<'a>>,
}

fn object<'a>(part: &'a Part, summary: &'a Summary) -> impl Serialize + 'a {
    let of = &part.of;
    let endings = summary.endings.iter().map(|ending| EndingOut {
        step: ending.death.step.number(),
        name: name(of, ending.death.step.0),
        reason: &ending.death.words,
        share: ending.share.into(),
        runs: &ending.runs,
    });
    let steps = summary
        .survival
        .iter()
        .enumerate()
        .map(|(step, share)| StepOut {
            step: step + 1,
            name: name(of, step),
            survived: share.times,
            entered: share.of,
        });
    let causes = summary.causes.iter().map(|cause: &Cause| CauseOut {
        what: &cause.what,
        words: cause.words(),
        may_help: cause.advice(),
        limit: Quantity::from_si(cause.limit, cause.unit).value,
        unit: cause.unit.symbol(),
        beyond: cause.beyond.into(),
        within_failed: cause.within.into(),
        p: cause.p,
    });
    let runs = part.runs.iter().map(|run| RunOut {
        run: run.number,
        held: run.held(),
        outcome: run.outcome.word(),
        reason: run.death.as_ref().map_or("", |death| &death.words),
        step: run.death.as_ref().map(|death| death.step.number()),
        duration_s: run.seconds,
        score: run.score,
        trace_hash: format!("{:016x}", run.fingerprint),
    });
    SpreadOut {
        version: VERSION,
        mission: &of.mission,
        seed: of.seed,
        scatter: &of.scatter,
        wanted: of.runs,
        held: summary.held.into(),
        endings: endings.collect(),
        causes: causes.collect(),
        steps: steps.collect(),
        worst: summary.worst,
        typical: summary.typical,
        runs: runs.collect(),
    }
}

/// All runs as a table: how each ended, and what was different in it.
fn table(part: &Part) -> Vec<u8> {
    let mut names: Vec<(String, String)> = Vec::new();
    for one in part.runs.iter().flat_map(|run| &run.drawn) {
        if names.iter().all(|(known, _)| *known != one.what) {
            names.push((one.what.clone(), one.unit.symbol().to_owned()));
        }
    }
    let mut rows = csv::Writer::from_writer(Vec::new());
    let first = [
        "run",
        "held",
        "outcome",
        "reason",
        "step",
        "duration_s",
        "score",
        "trace_hash",
    ];
    let drawn = names.iter().map(|(name, unit)| format!("{name} ({unit})"));
    let head: Vec<String> = first.map(str::to_owned).into_iter().chain(drawn).collect();
    let mut write = |row: &[String]| {
        rows.write_record(row)
            .expect("rows of the same length go into memory");
    };
    write(&head);
    for run in &part.runs {
        let death = run.death.as_ref();
        let mut row = vec![
            run.number.to_string(),
            run.held().to_string(),
            run.outcome.word().to_owned(),
            death.map_or_else(String::new, |death| death.words.clone()),
            death.map_or_else(String::new, |death| death.step.number().to_string()),
            run.seconds.to_string(),
            run.score
                .map_or_else(String::new, |score| score.to_string()),
            format!("{:016x}", run.fingerprint),
        ];
        row.extend(names.iter().map(|(name, _)| {
            let one = run.drawn.iter().find(|one| one.what == *name);
            one.map_or_else(String::new, |one| {
                let value = Quantity::from_si(one.off, one.unit).value;
                format!("{}", (value * 1e4).round() / 1e4)
            })
        }));
        write(&row);
    }
    rows.into_inner().expect("memory takes everything")
}
