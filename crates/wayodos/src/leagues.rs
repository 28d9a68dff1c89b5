//! Leagues: who plays, their matches made behind the screen or for the command line, and what they say.

use std::path::Path;
use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use wayodos_core::controller::Program;
use wayodos_core::field::{Conduct, Opponent};
use wayodos_core::lab::league::{Rating, Tally, ratings};
use wayodos_core::lab::spread::{Attempt, Collected};
use wayodos_core::project::Setup;
use wayodos_core::record::{Trace, Verdict};
use wayodos_core::robot::Robot;
use wayodos_core::sim::{Player, Role, World};

use crate::folder::{Project, short_name};
use crate::runner::{Piece, Runner, Ticket};
use crate::spreads::locked;
use crate::work::Job;

/// So many matches are made of each pair from each side.
pub const MATCHES: u32 = 20;
/// What there is is said after so long.
const APART: Duration = Duration::from_millis(250);
/// What was asked for by a key goes before what is always made.
const RANK: u8 = 3;

/// Why somebody cannot play.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{what}")]
pub struct Refusal {
    /// What is wrong.
    pub what: String,
    /// What to do.
    pub hint: String,
}

impl Refusal {
    /// What is wrong, and what to do.
    pub fn new(what: impl Into<String>, hint: impl Into<String>) -> Self {
        Self {
            what: what.into(),
            hint: hint.into(),
        }
    }
}

/// Somebody who plays.
#[derive(Clone, Debug)]
pub struct Team {
    /// What it is called.
    pub name: String,
    /// Its robot.
    pub robot: Arc<Robot>,
    /// Its mission.
    pub program: Arc<Program>,
    /// Where it starts on our side.
    pub start: Option<String>,
    /// The text of its mission and what that is made with; none of a rival.
    pub own: Option<(Arc<str>, Arc<Setup>)>,
}

/// The opponent in whose place the other side plays, on a field on which matches are decided.
///
/// # Errors
/// What the field lacks.
pub fn opponent(setup: &Setup) -> Result<&Opponent, Refusal> {
    let field = &setup.field;
    let [opponent] = field.opponents.as_slice() else {
        return Err(Refusal::new(
            format!("{} has {} opponents", field.name, field.opponents.len()),
            "a league is played two by two, on a field with one [[opponent]]",
        ));
    };
    if field.rules.deciders.is_empty() {
        return Err(Refusal::new(
            format!("no rule of {} decides a match", field.name),
            "give it `decided_by` under [rules]",
        ));
    }
    Ok(opponent)
}

fn errors(name: &str) -> Refusal {
    Refusal::new(format!("{name} has errors"), "`wayodos check` lists them")
}

impl Team {
    /// A mission of ours.
    ///
    /// # Errors
    /// It has errors.
    pub fn own(project: &Project, job: &Job) -> Result<Self, Refusal> {
        let name = short_name(&project.config.mission);
        let program = job.prepared.program.clone().ok_or_else(|| errors(name))?;
        let start = job.prepared.parsed.mission.start.as_ref();
        Ok(Self {
            name: name.to_owned(),
            robot: Arc::clone(&job.setup.robot),
            program,
            start: start.map(|start| start.node.clone()),
            own: Some((Arc::clone(&job.text), Arc::clone(&job.setup))),
        })
    }

    /// The field's opponent, with its own mission.
    ///
    /// # Errors
    /// It plays none.
    pub fn opponent(name: String, setup: &Setup) -> Result<Self, Refusal> {
        match setup.players.first().map(|player| (player, &player.role)) {
            Some((player, Role::Mission(program))) => Ok(Self {
                name,
                robot: Arc::clone(&player.robot),
                program: Arc::clone(program),
                start: None,
                own: None,
            }),
            _ => Err(Refusal::new(
                format!("{name} plays no mission"),
                "give the opponent `mission` in the field file",
            )),
        }
    }

    /// The mission of a rival, played with the opponent's robot.
    ///
    /// - `name`: of its file
    ///
    /// # Errors
    /// It cannot be played.
    pub fn rival(
        project: &Project,
        setup: &Setup,
        name: &str,
        text: String,
    ) -> Result<Self, Refusal> {
        let opponent = opponent(setup)?;
        let Conduct::Mission(theirs) = &opponent.conduct else {
            return Err(Refusal::new(
                format!("`{}` plays no mission", opponent.name),
                "give it `mission` in the field file",
            ));
        };
        let changed = project
            .with_texts(&[(theirs.clone(), text.into())])
            .map_err(|error| Refusal::new(error.to_string(), error.hint()))?;
        let setup = changed.setup.ok_or_else(|| {
            let worst = changed.findings.first();
            Refusal::new(
                worst.map_or_else(|| format!("{name} cannot play"), |one| one.message.clone()),
                format!("it is played with {}", opponent.robot),
            )
        })?;
        let stem = Path::new(name).file_stem();
        let stem = stem.map(|stem| stem.display().to_string());
        Self::opponent(stem.unwrap_or_else(|| name.to_owned()), &setup)
    }

    /// The mission of the project as it was when an entry of the logbook was written.
    ///
    /// - `number`: of the entry
    /// - `files`: path and text of all that it was made of
    ///
    /// # Errors
    /// It is of another mission, or cannot be run here.
    pub fn entry(
        project: &Project,
        seed: u64,
        number: &str,
        files: Vec<(String, String)>,
    ) -> Result<Self, Refusal> {
        let files: Vec<(String, Arc<str>)> = files
            .into_iter()
            .map(|(path, text)| (path, text.into()))
            .collect();
        let then = project
            .with_texts(&files)
            .map_err(|error| Refusal::new(error.to_string(), error.hint()))?;
        let path = &project.config.mission;
        let Some((_, text)) = files.iter().find(|(known, _)| known == path) else {
            return Err(Refusal::new(
                format!("entry @{number} is of another mission"),
                format!("choose one of {path}, or the mission with --mission"),
            ));
        };
        let named = format!("@{number}");
        let setup = Arc::new(then.setup.clone().ok_or_else(|| errors(&named))?);
        let team = Self::own(&then, &Job::nominal(Arc::clone(text), setup, seed))?;
        Ok(Self {
            name: format!("{} {named}", team.name),
            ..team
        })
    }

    /// Another mission of the project, on the same field.
    ///
    /// # Errors
    /// It cannot be run, or plays elsewhere.
    pub fn other(project: &Project, other: &Project, seed: u64) -> Result<Self, Refusal> {
        let name = short_name(&other.config.mission);
        if other.config.field != project.config.field {
            return Err(Refusal::new(
                format!("{name} plays on {}", other.config.field),
                format!("all play on {}", project.config.field),
            ));
        }
        let setup = Arc::new(other.setup.clone().ok_or_else(|| errors(name))?);
        let job = Job::nominal(other.mission.as_str().into(), setup, seed);
        Self::own(other, &job)
    }
}

/// Two versions of one mission are told apart by a number.
fn told_apart(mut teams: Vec<Team>) -> Vec<Team> {
    for at in 0..teams.len() {
        let name = teams[at].name.clone();
        let count = teams[..at].iter().filter(|team| team.name == name).count();
        if count > 0 {
            teams[at].name = format!("{name} ({})", count + 1);
        }
    }
    teams
}

/// How a match ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Match {
    /// Who was on our side.
    pub ours: usize,
    /// Who was on the other.
    pub theirs: usize,
    /// Its number among those of the two.
    pub number: u32,
    /// How it ended for our side; none when nothing decided it.
    pub verdict: Option<Verdict>,
    /// Of the whole run.
    pub fingerprint: u64,
}

impl Match {
    /// What it counts. One that nothing decided before the end is a draw.
    pub const fn tally(&self) -> Tally {
        let (won, drawn, lost) = match self.verdict {
            Some(Verdict::Won) => (1, 0, 0),
            Some(Verdict::Lost) => (0, 0, 1),
            Some(Verdict::Drawn) | None => (0, 1, 0),
        };
        Tally { won, drawn, lost }
    }
}

/// A league as far as it was played.
#[derive(Clone, Debug)]
pub struct League {
    /// Who plays.
    pub teams: Vec<Team>,
    /// How many matches of each pair from each side.
    pub matches: u32,
    /// Those that were played, in their order.
    pub played: Vec<Match>,
    /// What everybody is tried as: luck and scatter.
    pub like: Attempt,
    /// The field on which all of them play.
    pub setup: Arc<Setup>,
}

/// A piece of work of a league: a match with its number.
type Done = (u32, Option<Verdict>, u64);

impl League {
    /// Nothing played yet.
    ///
    /// - `setup`: the field on which all of them play
    /// - `like`: luck and scatter of the matches
    pub fn new(teams: Vec<Team>, matches: u32, setup: Arc<Setup>, like: Attempt) -> Self {
        Self {
            teams: told_apart(teams),
            matches,
            played: Vec::new(),
            like,
            setup,
        }
    }

    /// Who meets whom, first on our side and then on the other.
    fn fixtures(&self) -> Vec<(usize, usize)> {
        let all = 0..self.teams.len();
        let pairs = all.clone().flat_map(|a| all.clone().map(move |b| (a, b)));
        pairs.filter(|(a, b)| a != b).collect()
    }

    /// How many matches there are to be.
    pub fn count(&self) -> usize {
        self.fixtures().len() * self.matches as usize
    }

    /// Another robot in the place of the field's opponent.
    fn player(&self, theirs: usize) -> Player {
        let team = &self.teams[theirs];
        Player {
            robot: Arc::clone(&team.robot),
            role: Role::Mission(Arc::clone(&team.program)),
        }
    }

    /// What a match is one run of: one on our side, the other in the place of the field's opponent.
    fn attempt(&self, (ours, theirs): (usize, usize)) -> Attempt {
        let team = &self.teams[ours];
        let (field, robot) = (Arc::clone(&self.setup.field), Arc::clone(&team.robot));
        let mut world = World::with(field, robot, vec![self.player(theirs)]);
        world.placing = self.like.world.placing;
        Attempt {
            program: Arc::clone(&team.program),
            world: Arc::new(world),
            start: team.start.clone(),
            hands: Arc::new([]),
            ..self.like.clone()
        }
    }

    /// What the mission of a team is shown with when it is on our side; none of a rival.
    pub fn setup_of(&self, ours: usize, theirs: usize) -> Option<Arc<Setup>> {
        let (_, setup) = self.teams[ours].own.as_ref()?;
        let mut setup = Setup::clone(setup);
        setup.players = vec![self.player(theirs)];
        setup.hands.clear();
        Some(Arc::new(setup))
    }

    /// The matches as pieces of work, all pairs in turn: whenever it ends there is something to say.
    pub fn pieces(
        &self,
    ) -> impl Fn(usize, &mut Trace, &AtomicBool) -> Option<Done> + Send + Sync + use<> {
        let fixtures = self.fixtures();
        let attempts: Vec<Attempt> = fixtures.iter().map(|pair| self.attempt(*pair)).collect();
        move |at, spare, stop| {
            let number = (at / attempts.len()) as u32 + 1;
            let brief = attempts[at % attempts.len()].brief(number, spare, Some(stop))?;
            Some((brief.number, brief.verdict, brief.fingerprint))
        }
    }

    /// Takes in the next matches, in their order.
    pub fn learn(&mut self, done: Vec<Done>) {
        let fixtures = self.fixtures();
        for (number, verdict, fingerprint) in done {
            let (ours, theirs) = fixtures[self.played.len() % fixtures.len()];
            self.played.push(Match {
                ours,
                theirs,
                number,
                verdict,
                fingerprint,
            });
        }
    }

    /// How each did against each.
    pub fn tallies(&self) -> Vec<Vec<Tally>> {
        let count = self.teams.len();
        let mut tallies = vec![vec![Tally::default(); count]; count];
        for one in &self.played {
            let (a, b, tally) = (one.ours, one.theirs, one.tally());
            tallies[a][b] = tallies[a][b].and(tally);
            tallies[b][a] = tallies[b][a].and(tally.seen_from_there());
        }
        tallies
    }

    /// What it says so far.
    pub fn table(&self) -> Table {
        let tallies = self.tallies();
        let ratings = ratings(&tallies);
        let mut order: Vec<usize> = (0..self.teams.len()).collect();
        order.sort_by(|a, b| ratings[*b].chance.total_cmp(&ratings[*a].chance));
        Table {
            tallies,
            ratings,
            order,
        }
    }

    /// The matches of a team on our side against another, with the one that decides most first: those
    /// that were lost, then those that were drawn, then those that were won.
    pub fn between(&self, ours: usize, theirs: usize) -> Vec<Match> {
        let met = |one: &&Match| (one.ours, one.theirs) == (ours, theirs);
        let mut some: Vec<Match> = self.played.iter().filter(met).copied().collect();
        some.sort_by_key(|one| {
            let tally = one.tally();
            (2 * tally.won + tally.drawn, one.number)
        });
        some
    }
}

/// What a league says.
#[derive(Clone, Debug)]
pub struct Table {
    /// How the row's team did against the column's.
    pub tallies: Vec<Vec<Tally>>,
    /// How strong each is.
    pub ratings: Vec<Rating>,
    /// The teams, the strongest first.
    pub order: Vec<usize>,
}

impl Table {
    /// How a team did against all.
    pub fn total(&self, team: usize) -> Tally {
        let all = self.tallies[team].iter().copied();
        all.fold(Tally::default(), Tally::and)
    }
}

/// Plays a league; `report` hears of it as it grows, and when all of it is there.
pub fn begin(
    runner: &Runner,
    id: u64,
    league: League,
    report: impl Fn(u64, Arc<League>) + Send + Sync + 'static,
) -> Ticket {
    struct Growing {
        league: League,
        collected: Collected<Done>,
        result: Instant,
    }
    let (count, work) = (league.count(), league.pieces());
    let growing = Mutex::new(Growing {
        league,
        collected: Collected::default(),
        result: Instant::now(),
    });
    let piece = move |at: usize, spare: &mut Trace, stop: &AtomicBool| {
        let Some(done) = work(at, spare, stop) else {
            return false;
        };
        let mut growing = locked(&growing);
        let ready = growing.collected.take(at, done);
        growing.league.learn(ready);
        let complete = growing.league.played.len() == count;
        if complete || growing.result.elapsed() >= APART {
            growing.result = Instant::now();
            let league = Arc::new(growing.league.clone());
            drop(growing);
            report(id, league);
        }
        true
    };
    let piece: Piece = Arc::new(piece);
    runner.hand_in_many(count, RANK, piece)
}

/// Somebody who is asked to play.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Who {
    /// The mission that is open, as it stands.
    Open,
    /// The field's opponent, by its name.
    Opponent(String),
    /// Another mission of the project, by its name.
    Mission(String),
    /// The mission of a rival, by its path in the project.
    Rival(String),
    /// An entry of the logbook.
    Entry {
        /// Its number.
        id: i64,
        /// When it is of.
        when: String,
        /// Path and text of all that it was made of.
        files: Vec<(String, String)>,
    },
}

impl Who {
    /// What it is called in a list.
    pub fn name(&self) -> String {
        match self {
            Self::Open => "this mission".to_owned(),
            Self::Opponent(name) | Self::Mission(name) => name.clone(),
            Self::Rival(path) => path.clone(),
            Self::Entry { id, when, .. } => format!("this mission as of {when} (@{id})"),
        }
    }

    /// Reads what it plays with.
    ///
    /// - `open`: the job of the mission that is open
    fn team(&self, project: &Project, open: &Job) -> Result<Team, Refusal> {
        match self {
            Self::Open => Team::own(project, open),
            Self::Opponent(name) => Team::opponent(name.clone(), &open.setup),
            Self::Mission(name) => {
                let other = project
                    .open_other(name)
                    .map_err(|error| Refusal::new(error, "check its name"))?;
                Team::other(project, &other, open.seed)
            }
            Self::Rival(path) => {
                let text = project
                    .read(path)
                    .map_err(|error| Refusal::new(error.to_string(), error.hint()))?;
                Team::rival(project, &open.setup, path, text)
            }
            Self::Entry { id, files, .. } => {
                Team::entry(project, open.seed, &id.to_string(), files.clone())
            }
        }
    }
}

/// A league that is to be played.
#[derive(Clone, Debug)]
pub struct LeagueJob {
    /// Which answers belong to it.
    pub id: u64,
    /// Who plays.
    pub who: Vec<Who>,
    /// The mission that is open.
    pub text: Arc<str>,
    /// Robot, field and calibration.
    pub setup: Arc<Setup>,
    /// Luck and scatter of the matches.
    pub like: Attempt,
}

impl LeagueJob {
    /// Reads everybody who plays.
    ///
    /// # Errors
    /// Who cannot, and why.
    pub fn read(&self, project: &Project) -> Result<League, Refusal> {
        opponent(&self.setup)?;
        let open = Job::nominal(
            Arc::clone(&self.text),
            Arc::clone(&self.setup),
            self.like.seed,
        );
        let teams: Result<Vec<Team>, Refusal> = self
            .who
            .iter()
            .map(|who| who.team(project, &open))
            .collect();
        let setup = Arc::clone(&self.setup);
        Ok(League::new(teams?, MATCHES, setup, self.like.clone()))
    }
}
