//! `wayodos league`: everybody plays everybody from both sides, and how strong each is.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use serde::Serialize;
use wayodos_core::controller::Program;
use wayodos_core::field::Conduct;
use wayodos_core::lab::league::{Rating, Tally, ratings};
use wayodos_core::lab::spread::Attempt;
use wayodos_core::project::Setup;
use wayodos_core::record::Verdict;
use wayodos_core::robot::Robot;
use wayodos_core::sim::{Player, Role, World};
use wayodos_report::league_sheet;

use super::answers::{USAGE, complain};
use super::draw::write_scene;
use super::many::{attempt_of, make, tell};
use super::typed::Shared;
use crate::folder::{Project, read_text, short_name};
use crate::logbook::{Book, FILE};
use crate::safe::write_out;
use crate::work::Job;

/// Files that are written beside the answer.
pub(super) struct Files {
    /// A table of all matches.
    pub(super) csv: Option<PathBuf>,
    /// A page about the league.
    pub(super) draw: Option<PathBuf>,
}

/// Somebody who plays.
struct Team {
    name: String,
    robot: Arc<Robot>,
    program: Arc<Program>,
    /// Where it starts on our side.
    start: Option<String>,
}

/// What happened in a match: who was on our side, who on the other, its number, how it ended for us.
struct Match {
    ours: usize,
    theirs: usize,
    number: u32,
    verdict: Option<Verdict>,
}

/// What to say, and a hint.
type Refusal = (String, String);

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
    let teams = match teams(shared, path, &project, &job, named) {
        Ok(teams) => teams,
        Err((what, hint)) => {
            complain(&what, &hint);
            return ExitCode::from(USAGE);
        }
    };
    let fixtures: Vec<(usize, usize)> = (0..teams.len())
        .flat_map(|ours| (0..teams.len()).map(move |theirs| (ours, theirs)))
        .filter(|(ours, theirs)| ours != theirs)
        .collect();
    let attempts: Vec<Attempt> = fixtures
        .iter()
        .map(|(ours, theirs)| fixture(&teams[*ours], &teams[*theirs], &job.setup, &attempt))
        .collect();
    // All pairs in turn, so that there is something to say whenever it is cut short.
    let (count, pairs) = (fixtures.len() * matches as usize, fixtures.len());
    let made = make(shared, count, "matches", move |at, spare, stop| {
        let brief = attempts[at % pairs].brief((at / pairs) as u32 + 1, spare, Some(stop))?;
        Some((brief.number, brief.verdict))
    });
    let played: Vec<Match> = made
        .results
        .iter()
        .enumerate()
        .map(|(at, (number, verdict))| Match {
            ours: fixtures[at % pairs].0,
            theirs: fixtures[at % pairs].1,
            number: *number,
            verdict: *verdict,
        })
        .collect();
    let mut tallies = vec![vec![Tally::default(); teams.len()]; teams.len()];
    for one in &played {
        let tally = tally(one.verdict);
        let (a, b) = (one.ours, one.theirs);
        tallies[a][b] = tallies[a][b].and(tally);
        tallies[b][a] = tallies[b][a].and(tally.seen_from_there());
    }
    if let Some(file) = &files.csv
        && let Err(error) = write_out(file, &rows(&teams, &played))
    {
        complain(
            &format!("cannot write {}: {error}", file.display()),
            "check the path, and that its folder may be written to",
        );
        return ExitCode::FAILURE;
    }
    let rated = ratings(&tallies);
    if let Some(file) = &files.draw {
        let about = format!(
            "{} matches, each pair from both sides, {} scatter",
            played.len(),
            shared.scatter.word()
        );
        let order = by_strength(&rated);
        let rows: Vec<(&str, Tally, Rating)> = order
            .into_iter()
            .map(|at| (teams[at].name.as_str(), total(&tallies[at]), rated[at]))
            .collect();
        let title = format!("{}: who beats whom", job.setup.field.name);
        let written = write_scene(shared, file, &league_sheet(&title, &about, &rows));
        if written != ExitCode::SUCCESS {
            return written;
        }
    }
    let words = report(shared, &job.setup, &teams, &tallies, &rated, &played);
    tell(shared, &words, &object(shared, &teams, &tallies, &rated));
    if made.cut_short {
        ExitCode::from(130)
    } else {
        ExitCode::SUCCESS
    }
}

/// What a match counts. One that nothing decided before the end is a draw.
const fn tally(verdict: Option<Verdict>) -> Tally {
    let (won, drawn, lost) = match verdict {
        Some(Verdict::Won) => (1, 0, 0),
        Some(Verdict::Lost) => (0, 0, 1),
        Some(Verdict::Drawn) | None => (0, 1, 0),
    };
    Tally { won, drawn, lost }
}

/// One plays on our side, the other in the place of the field's opponent.
fn fixture(ours: &Team, theirs: &Team, setup: &Setup, like: &Attempt) -> Attempt {
    let player = Player {
        robot: Arc::clone(&theirs.robot),
        role: Role::Mission(Arc::clone(&theirs.program)),
    };
    let field = Arc::clone(&setup.field);
    let mut world = World::with(field, Arc::clone(&ours.robot), vec![player]);
    world.placing = like.world.placing;
    Attempt {
        program: Arc::clone(&ours.program),
        world: Arc::new(world),
        start: ours.start.clone(),
        hands: Arc::new([]),
        ..like.clone()
    }
}

/// Who plays, or what to say instead.
fn teams(
    shared: &Shared,
    path: &Path,
    project: &Project,
    job: &Job,
    named: &[String],
) -> Result<Vec<Team>, Refusal> {
    let field = &job.setup.field;
    let opponent = match field.opponents.as_slice() {
        [one] => one,
        all => {
            return Err((
                format!("{} has {} opponents", field.name, all.len()),
                "a league is played two by two, on a field with one [[opponent]]".to_owned(),
            ));
        }
    };
    if field.rules.deciders.is_empty() {
        return Err((
            format!("no rule of {} decides a match", field.name),
            "give it `decided_by` under [rules]".to_owned(),
        ));
    }
    let mut teams = Vec::new();
    if named.is_empty() {
        teams.push(own(project, job)?);
        teams.push(rival(opponent.name.clone(), &job.setup)?);
    }
    for name in named {
        let team = if let Some(number) = name.strip_prefix('@') {
            entry(project, job, number)?
        } else if name == &opponent.name {
            rival(name.clone(), &job.setup)?
        } else if name.strip_suffix(".way").is_some() {
            let Conduct::Mission(theirs) = &opponent.conduct else {
                return Err((
                    format!("`{}` plays no mission", opponent.name),
                    "give it `mission` in the field file".to_owned(),
                ));
            };
            let file = PathBuf::from(name);
            let inside = project.file(name).filter(|_| !file.exists());
            let text = read_text(inside.as_deref().unwrap_or(&file))
                .map_err(|error| (error.to_string(), error.hint()))?;
            let changed = project
                .with_texts(&[(theirs.clone(), text.into())])
                .map_err(|error| (error.to_string(), error.hint()))?;
            let setup = changed.setup.ok_or_else(|| {
                let worst = changed.findings.first();
                (
                    worst.map_or_else(|| format!("{name} cannot play"), |one| one.message.clone()),
                    format!("it is played with {}", opponent.robot),
                )
            })?;
            let stem = file.file_stem().map(|stem| stem.display().to_string());
            rival(stem.unwrap_or_else(|| name.clone()), &setup)?
        } else {
            let other = Project::open(path, Some(name))
                .map_err(|error| (error.to_string(), error.hint()))?;
            if other.config.field != project.config.field {
                return Err((
                    format!("{name} plays on {}", other.config.field),
                    format!("all play on {}", project.config.field),
                ));
            }
            let (_, other_job) = super::answers::looked_at(&other, shared.seed);
            let other_job = other_job.ok_or_else(|| errors(name))?;
            own(&other, &other_job)?
        };
        teams.push(team);
    }
    if teams.len() < 2 {
        return Err((
            "a league needs two or more".to_owned(),
            format!(
                "name missions of the project, rivals' files, `{}`, or entries of the logbook such as @12",
                opponent.name
            ),
        ));
    }
    // Two versions of one mission are told apart.
    for at in 0..teams.len() {
        let same = teams[..at]
            .iter()
            .filter(|team| team.name == teams[at].name);
        let count = same.count();
        if count > 0 {
            let name = format!("{} ({})", teams[at].name, count + 1);
            teams[at].name = name;
        }
    }
    Ok(teams)
}

fn errors(name: &str) -> Refusal {
    (
        format!("{name} has errors"),
        "`wayodos check` lists them".to_owned(),
    )
}

/// A mission of ours.
fn own(project: &Project, job: &Job) -> Result<Team, Refusal> {
    let world = Arc::new(job.setup.world());
    let name = short_name(&project.config.mission);
    let attempt = job.attempt(&world).ok_or_else(|| errors(name))?;
    Ok(Team {
        name: name.to_owned(),
        robot: Arc::clone(&job.setup.robot),
        program: attempt.program,
        start: attempt.start,
    })
}

/// The field's opponent, with its own mission.
fn rival(name: String, setup: &Setup) -> Result<Team, Refusal> {
    let world = setup.world();
    match world.players.first().map(|player| (player, &player.role)) {
        Some((player, Role::Mission(program))) => Ok(Team {
            name,
            robot: Arc::clone(&player.robot),
            program: Arc::clone(program),
            start: None,
        }),
        _ => Err((
            format!("{name} plays no mission"),
            "give the opponent `mission` in the field file".to_owned(),
        )),
    }
}

/// An entry of the logbook, by its number.
fn entry(project: &Project, job: &Job, number: &str) -> Result<Team, Refusal> {
    let hint = || "`wayodos logbook` lists the entries with their numbers".to_owned();
    let none = || (format!("the logbook has no entry @{number}"), hint());
    let folder = project.file("").ok_or_else(none)?;
    if !folder.join(FILE).exists() {
        return Err(none());
    }
    let id: i64 = number.parse().map_err(|_| none())?;
    let files = Book::open(Some(&folder))
        .and_then(|book| book.files(id))
        .map_err(|error| (error.to_string(), hint()))?;
    if files.is_empty() {
        return Err(none());
    }
    let files: Vec<(String, Arc<str>)> = files
        .into_iter()
        .map(|(path, text)| (path, text.into()))
        .collect();
    let then = project
        .with_texts(&files)
        .map_err(|error| (error.to_string(), error.hint()))?;
    let own_path = &project.config.mission;
    let Some((_, text)) = files.iter().find(|(path, _)| path == own_path) else {
        return Err((
            format!("entry @{number} is of another mission"),
            format!("choose one of {own_path}, or the mission with --mission"),
        ));
    };
    let named = format!("@{number}");
    let setup = Arc::new(then.setup.clone().ok_or_else(|| errors(&named))?);
    let job = Job::nominal(Arc::clone(text), setup, job.seed);
    let team = own(&then, &job)?;
    Ok(Team {
        name: format!("{} {named}", team.name),
        ..team
    })
}

/// The strongest first.
fn by_strength(rated: &[Rating]) -> Vec<usize> {
    let mut order: Vec<usize> = (0..rated.len()).collect();
    order.sort_by(|a, b| rated[*b].chance.total_cmp(&rated[*a].chance));
    order
}

fn total(tallies: &[Tally]) -> Tally {
    tallies.iter().copied().fold(Tally::default(), Tally::and)
}

fn report(
    shared: &Shared,
    setup: &Setup,
    teams: &[Team],
    tallies: &[Vec<Tally>],
    rated: &[Rating],
    played: &[Match],
) -> String {
    let mut out = format!(
        "{}, {} scatter: {} matches, each pair from both sides\n\n{:>26} {:>6} {:>6} {:>6}   beats an average one\n",
        setup.field.name,
        shared.scatter.word(),
        played.len(),
        "",
        "won",
        "drawn",
        "lost"
    );
    let order = by_strength(rated);
    for at in &order {
        let Tally { won, drawn, lost } = total(&tallies[*at]);
        let rating = rated[*at];
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
                played
                    .iter()
                    .find(|one| {
                        (one.ours, one.theirs, one.verdict) == (ours, theirs, Some(verdict))
                    })
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

fn object<'a>(
    shared: &'a Shared,
    teams: &'a [Team],
    tallies: &[Vec<Tally>],
    rated: &[Rating],
) -> impl Serialize + 'a {
    let team = |at: usize| {
        let Tally { won, drawn, lost } = total(&tallies[at]);
        TeamOut {
            name: &teams[at].name,
            won,
            drawn,
            lost,
            chance: rated[at].chance,
            low: rated[at].low,
            high: rated[at].high,
            against: tallies[at]
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
fn rows(teams: &[Team], played: &[Match]) -> Vec<u8> {
    let mut rows = csv::Writer::from_writer(Vec::new());
    let mut write = |row: [&str; 4]| {
        rows.write_record(row)
            .expect("rows of the same length go into memory");
    };
    write(["ours", "theirs", "match", "ours_is"]);
    for one in played {
        write([
            &teams[one.ours].name,
            &teams[one.theirs].name,
            &one.number.to_string(),
            one.verdict.map_or("undecided", Verdict::word),
        ]);
    }
    rows.into_inner().expect("memory takes everything")
}
