//! `wayodos league`: everybody plays everybody from both sides, and how strong each is.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use serde::Serialize;
use wayodos_core::lab::league::Tally;
use wayodos_core::project::Setup;
use wayodos_core::record::Verdict;

use super::answers::{USAGE, complain};
use super::draw::write_scene;
use super::many::{attempt_of, make, tell};
use super::typed::Shared;
use crate::folder::{Project, read_text};
use crate::leagues::{self, League, Refusal, Table, Team};
use crate::logbook::{Book, FILE};
use crate::safe::write_out;
use crate::sheets::league_page;
use crate::work::Job;

/// Files that are written beside the answer.
pub(super) struct Files {
    /// A table of all matches.
    pub(super) csv: Option<PathBuf>,
    /// A page about the league.
    pub(super) draw: Option<PathBuf>,
}

/// Plays a league.
///
/// - `named`: who plays: missions of the project, files of rivals, `@12` for an entry of the logbook;
///   the mission and the field's opponent without any
/// - `matches`: of each pair from each side
pub(super) fn league(
    shared: &Shared,
    path: &Path,
    named: &[String],
    matches: u32,
    files: &Files,
) -> ExitCode {
    let (project, job, attempt) = match attempt_of(shared, path, shared.mission.as_deref()) {
        Ok(opened) => opened,
        Err(code) => return code,
    };
    let teams = match teams(path, &project, &job, named) {
        Ok(teams) => teams,
        Err(Refusal { what, hint }) => {
            complain(&what, &hint);
            return ExitCode::from(USAGE);
        }
    };
    let mut league = League::new(teams, matches, Arc::clone(&job.setup), attempt);
    let made = make(shared, league.count(), "matches", league.pieces());
    league.learn(made.results);
    let table = league.table();
    if let Some(file) = &files.csv
        && let Err(error) = write_out(file, &rows(&league))
    {
        complain(
            &format!("cannot write {}: {error}", file.display()),
            "check the path, and that its folder may be written to",
        );
        return ExitCode::FAILURE;
    }
    if let Some(file) = &files.draw {
        let written = write_scene(shared, file, &league_page(&league));
        if written != ExitCode::SUCCESS {
            return written;
        }
    }
    let words = report(shared, &job.setup, &league, &table);
    tell(shared, &words, &object(shared, &league, &table));
    if made.cut_short {
        ExitCode::from(130)
    } else {
        ExitCode::SUCCESS
    }
}

/// Who plays, or what to say instead.
fn teams(
    path: &Path,
    project: &Project,
    job: &Job,
    named: &[String],
) -> Result<Vec<Team>, Refusal> {
    let opponent = leagues::opponent(&job.setup)?;
    let mut teams = Vec::new();
    if named.is_empty() {
        teams.push(Team::own(project, job)?);
        teams.push(Team::opponent(opponent.name.clone(), &job.setup)?);
    }
    for name in named {
        teams.push(if let Some(number) = name.strip_prefix('@') {
            entry(project, job, number)?
        } else if name == &opponent.name {
            Team::opponent(name.clone(), &job.setup)?
        } else if name.strip_suffix(".way").is_some() {
            let file = Path::new(name);
            let text = if file.exists() {
                read_text(file)
            } else {
                project.read(name)
            };
            let text = text.map_err(|error| Refusal::new(error.to_string(), error.hint()))?;
            Team::rival(project, &job.setup, name, text)?
        } else {
            let other = Project::open(path, Some(name))
                .map_err(|error| Refusal::new(error.to_string(), error.hint()))?;
            Team::other(project, &other, job.seed)?
        });
    }
    if teams.len() < 2 {
        return Err(Refusal::new(
            "a league needs two or more",
            format!(
                "name missions of the project, rivals' files, `{}`, or entries of the logbook such as @12",
                opponent.name
            ),
        ));
    }
    Ok(teams)
}

/// An entry of the logbook, by its number.
fn entry(project: &Project, job: &Job, number: &str) -> Result<Team, Refusal> {
    let hint = || "`wayodos logbook` lists the entries with their numbers".to_owned();
    let none = || Refusal::new(format!("the logbook has no entry @{number}"), hint());
    let folder = project.file("").ok_or_else(none)?;
    if !folder.join(FILE).exists() {
        return Err(none());
    }
    let id: i64 = number.parse().map_err(|_| none())?;
    let files = Book::open(Some(&folder))
        .and_then(|book| book.files(id))
        .map_err(|error| Refusal::new(error.to_string(), hint()))?;
    if files.is_empty() {
        return Err(none());
    }
    Team::entry(project, job.seed, number, files)
}

fn report(shared: &Shared, setup: &Setup, league: &League, table: &Table) -> String {
    let (teams, order, tallies) = (&league.teams, &table.order, &table.tallies);
    let mut out = format!(
        "{}, {} scatter: {} matches, each pair from both sides\n\n{:>26} {:>6} {:>6} {:>6}   beats an average one\n",
        setup.field.name,
        shared.scatter.word(),
        league.played.len(),
        "",
        "won",
        "drawn",
        "lost"
    );
    for at in order {
        let Tally { won, drawn, lost } = table.total(*at);
        let rating = table.ratings[*at];
        let percent = |share: f64| share * 100.0;
        let _ = writeln!(
            out,
            "{:>26} {won:>6} {drawn:>6} {lost:>6}   {:.0} % of the time ({:.0} to {:.0} %)",
            teams[*at].name,
            percent(rating.chance),
            percent(rating.low).floor(),
            percent(rating.high).ceil(),
        );
    }
    out.push('\n');
    for (place, a) in order.iter().enumerate() {
        for b in &order[place + 1..] {
            let Tally { won, drawn, lost } = tallies[*a][*b];
            let _ = write!(
                out,
                "{} against {}: won {won}, drawn {drawn}, lost {lost}",
                teams[*a].name, teams[*b].name
            );
            // Matches to look at: the first that the better one lost, on each side.
            let lost = |ours: usize, theirs: usize, verdict: Verdict| {
                let mut some = league.played.iter();
                let wanted = (ours, theirs, Some(verdict));
                some.find(|one| (one.ours, one.theirs, one.verdict) == wanted)
                    .map(|one| one.number)
            };
            let first = lost(*a, *b, Verdict::Lost).map(|number| format!("match {number}"));
            let second = lost(*b, *a, Verdict::Won)
                .map(|number| format!("match {number} from the other side"));
            let all: Vec<String> = [first, second].into_iter().flatten().collect();
            if !all.is_empty() {
                let _ = write!(out, "; first lost: {}", all.join(", "));
            }
            out.push('\n');
        }
    }
    out
}

#[derive(Serialize)]
struct TeamOut<'a> {
    name: &'a str,
    won: u32,
    drawn: u32,
    lost: u32,
    /// How often it beats an average one of the league, and the interval of that.
    chance: f64,
    low: f64,
    high: f64,
    /// Won, drawn and lost against each team, in their order.
    against: Vec<[u32; 3]>,
}

#[derive(Serialize)]
struct LeagueOut<'a> {
    version: u32,
    scatter: &'a str,
    teams: Vec<TeamOut<'a>>,
}

fn object<'a>(shared: &'a Shared, league: &'a League, table: &Table) -> impl Serialize + 'a {
    let teams = &league.teams;
    let team = |at: usize| {
        let Tally { won, drawn, lost } = table.total(at);
        let rating = table.ratings[at];
        TeamOut {
            name: &teams[at].name,
            won,
            drawn,
            lost,
            chance: rating.chance,
            low: rating.low,
            high: rating.high,
            against: table.tallies[at]
                .iter()
                .map(|tally| [tally.won, tally.drawn, tally.lost])
                .collect(),
        }
    };
    LeagueOut {
        version: 1,
        scatter: shared.scatter.word(),
        teams: (0..teams.len()).map(team).collect(),
    }
}

/// A row for each match.
fn rows(league: &League) -> Vec<u8> {
    let teams = &league.teams;
    let mut rows = csv::Writer::from_writer(Vec::new());
    let mut write = |row: [&str; 4]| {
        rows.write_record(row)
            .expect("rows of the same length go into memory");
    };
    write(["ours", "theirs", "match", "ours_is"]);
    for one in &league.played {
        write([
            &teams[one.ours].name,
            &teams[one.theirs].name,
            &one.number.to_string(),
            one.verdict.map_or("undecided", Verdict::word),
        ]);
    }
    rows.into_inner().expect("memory takes everything")
}
