//! The command line: what was typed, what is done about it, and the exit code.
//!
//! What a command answers goes to standard output, what is said to people beside it to standard error. Exit codes:
//! 0 as planned, 1 something must be fixed first, 2 the run failed, 64 the command was not understood.

mod complete;
pub(crate) mod draw;
mod fmt;
mod json;
mod run;
pub mod words;

use std::collections::BTreeSet;
use std::io::{IsTerminal as _, Write as _};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use clap::error::ErrorKind;
use clap::{Args, CommandFactory as _, Parser, Subcommand, ValueEnum};
use clap_complete::engine::ArgValueCandidates;
use wayodos_core::finding::{Finding, Severity, has_errors, nearest};
use wayodos_core::project::prepare;

use crate::folder::{OpenError, Project, begin, locate};
use crate::settings;
use crate::tui::{self, Look};
use crate::work::{Job, RunReport, run_job};

/// Sequence autonomous robot missions, simulate them, and see why every step ended.
#[derive(Parser)]
#[command(name = "wayodos", version)]
struct Typed {
    #[command(subcommand)]
    command: Option<Command>,
    /// Project folder to open full screen; without one, the folder you are in, or the demo where there is no project.
    project: Option<PathBuf>,
    /// When to use colours in text.
    #[arg(long, value_enum, global = true, default_value_t, value_name = "WHEN")]
    color: Colour,
    #[command(flatten)]
    early: Early,
    #[command(flatten)]
    look: Look,
}

/// When answers have colours.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
enum Colour {
    /// At a terminal, unless `NO_COLOR` is set.
    #[default]
    Auto,
    /// Always.
    Always,
    /// Never.
    Never,
}

impl Colour {
    /// Whether what goes to a stream has colours; `terminal` says whether that is one.
    fn wanted(self, terminal: bool) -> bool {
        match self {
            Self::Auto => terminal && std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty()),
            Self::Always => true,
            Self::Never => false,
        }
    }
}

/// What a command goes by.
#[derive(Clone, Debug, Default)]
struct Shared {
    mission: Option<String>,
    seed: Option<u32>,
    json: bool,
    quiet: bool,
    colour: Colour,
}

/// Options that may stand before a command as well as after it.
#[derive(Args, Clone, Debug, Default)]
struct Early {
    #[command(flatten)]
    mission: MissionOption,
    #[command(flatten)]
    seed: SeedOption,
    /// Answer with one JSON object.
    #[arg(long, hide = true)]
    json: bool,
    /// Print only the result.
    #[arg(long, hide = true)]
    quiet: bool,
}

#[derive(Args, Clone, Debug, Default)]
struct MissionOption {
    /// Use this mission of the project (file name without .way).
    #[arg(long, value_name = "NAME", add = ArgValueCandidates::new(complete::missions))]
    mission: Option<String>,
}

#[derive(Args, Clone, Debug, Default)]
struct SeedOption {
    /// Seed of the random noise; the same seed gives the same run.
    #[arg(long, value_name = "N")]
    seed: Option<u32>,
}

#[derive(Args, Clone, Debug, Default)]
struct JsonOption {
    /// Answer with one JSON object.
    #[arg(long)]
    json: bool,
}

#[derive(Args, Clone, Debug, Default)]
struct QuietOption {
    /// Print only the result.
    #[arg(long)]
    quiet: bool,
}

#[derive(Subcommand)]
enum Command {
    /// Open the demo full screen; saving copies it to a folder.
    Demo {
        #[command(flatten)]
        look: Look,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        seed: SeedOption,
    },
    /// Create a project folder with a robot, a field and an empty mission.
    New {
        /// Folder to make.
        folder: PathBuf,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// List what is wrong with a project: with all its missions, or with one.
    Check {
        /// Project folder, or a mission file.
        #[arg(default_value = ".")]
        project: PathBuf,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        seed: SeedOption,
        #[command(flatten)]
        json: JsonOption,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// Run the mission once and report.
    Run {
        /// Project folder.
        #[arg(default_value = ".")]
        project: PathBuf,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        seed: SeedOption,
        #[command(flatten)]
        json: JsonOption,
        /// Add to the JSON how long the run took to work out.
        #[arg(long, requires = "json")]
        timing: bool,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// Read the mission back in plain words, with where every exit leads.
    Read {
        /// Project folder.
        #[arg(default_value = ".")]
        project: PathBuf,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        json: JsonOption,
    },
    /// Format mission files.
    Fmt {
        /// Project folder, or a mission file; `-` reads a mission from standard input and writes it to standard output.
        #[arg(default_value = ".")]
        path: PathBuf,
        /// Write nothing; exit 1 when something would change.
        #[arg(long)]
        check: bool,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        json: JsonOption,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// Draw the field with the run's path, and the strip chart.
    Draw {
        /// Project folder.
        #[arg(default_value = ".")]
        project: PathBuf,
        /// File to write: its ending says whether SVG, PDF or PNG. `-` is standard output.
        #[arg(short, long, value_name = "FILE")]
        output: PathBuf,
        /// What to draw, whatever the ending says; SVG for standard output unless said otherwise.
        #[arg(long, value_enum)]
        format: Option<draw::Format>,
        /// Only this part of the page.
        #[arg(long, value_enum)]
        only: Option<draw::Only>,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        seed: SeedOption,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// Print what makes a shell complete commands, options and names of missions.
    Completions {
        /// The shell.
        #[arg(value_enum)]
        shell: complete::Shell,
    },
    /// Print the manual page.
    Man,
}

/// The exit code of a command that was not understood.
const USAGE: u8 = 64;

/// Runs the command line.
pub fn main() -> ExitCode {
    // A shell asks how a line may go on: answered, and that was it.
    clap_complete::CompleteEnv::with_factory(Typed::command).complete();
    let understood = Typed::try_parse().and_then(|typed| typed.shared().map(|shared| (typed, shared)));
    let (typed, shared) = match understood {
        Ok(understood) => understood,
        Err(error) => {
            // Nothing can be done about a terminal that is gone.
            let _ = error.print();
            return if error.use_stderr() { ExitCode::from(USAGE) } else { ExitCode::SUCCESS };
        }
    };
    match typed.command {
        None => match typed.project {
            Some(path) => app(&shared, &typed.look, Some(&path)),
            None => app(&shared, &typed.look, locate(Path::new(".")).is_ok().then_some(Path::new("."))),
        },
        Some(Command::Demo { look, .. }) => app(&shared, &look.or(&typed.look), None),
        Some(Command::New { folder, .. }) => new(&shared, &folder),
        Some(Command::Check { project, .. }) => check(&shared, &project),
        Some(Command::Run { project, timing, .. }) => run::run(&shared, &project, timing),
        Some(Command::Read { project, .. }) => read_back(&shared, &project),
        Some(Command::Fmt { path, check, .. }) => fmt::fmt(&shared, &path, check),
        Some(Command::Draw { project, output, format, only, .. }) => {
            draw::draw(&shared, &project, &output, format, only)
        }
        Some(Command::Completions { shell }) => complete::registration(shell),
        Some(Command::Man) => manual(),
    }
}

impl Typed {
    /// What was said before the command and after it, put together.
    ///
    /// # Errors
    /// Something that means nothing to this command, or a word before it that is no command.
    fn shared(&self) -> Result<Shared, clap::Error> {
        let wrong = |message: String| Typed::command().error(ErrorKind::ArgumentConflict, message);
        if let (Some(word), Some(_)) = (&self.project, &self.command) {
            return Err(wrong(no_command(&word.to_string_lossy())));
        }
        let Early { mission, seed, json, quiet } = self.early.clone();
        let early = Shared { mission: mission.mission, seed: seed.seed, json, quiet, colour: self.color };
        let Some((name, late)) = self.command.as_ref().map(Command::options) else {
            return if early.json || early.quiet {
                Err(wrong("the screen answers with no text: name a command, such as `run` or `check`".to_owned()))
            } else {
                Ok(early)
            };
        };
        let unheard = [
            ("--mission", early.mission.is_some() && late.mission.is_none()),
            ("--seed", early.seed.is_some() && late.seed.is_none()),
            ("--json", early.json && late.json.is_none()),
            ("--quiet", early.quiet && late.quiet.is_none()),
        ];
        if let Some((option, _)) = unheard.iter().find(|(_, unheard)| *unheard) {
            return Err(wrong(format!("{option} means nothing to `{name}`")));
        }
        Ok(Shared {
            mission: late.mission.and_then(|late| late.mission).or(early.mission),
            seed: late.seed.and_then(|late| late.seed).or(early.seed),
            json: early.json || late.json.is_some_and(|late| late.json),
            quiet: early.quiet || late.quiet.is_some_and(|late| late.quiet),
            colour: self.color,
        })
    }
}

/// The options of a command; none of those that mean nothing to it.
#[derive(Default)]
struct Late {
    mission: Option<MissionOption>,
    seed: Option<SeedOption>,
    json: Option<JsonOption>,
    quiet: Option<QuietOption>,
}

impl Command {
    /// Its name, and its options.
    fn options(&self) -> (&'static str, Late) {
        match self {
            Self::Demo { mission, seed, .. } => {
                ("demo", Late { mission: Some(mission.clone()), seed: Some(seed.clone()), ..Late::default() })
            }
            Self::New { quiet, .. } => ("new", Late { quiet: Some(quiet.clone()), ..Late::default() }),
            Self::Check { mission, seed, json, quiet, .. } => ("check", Late::all(mission, seed, json, quiet)),
            Self::Run { mission, seed, json, quiet, .. } => ("run", Late::all(mission, seed, json, quiet)),
            Self::Read { mission, json, .. } => {
                ("read", Late { mission: Some(mission.clone()), json: Some(json.clone()), ..Late::default() })
            }
            Self::Fmt { mission, json, quiet, .. } => {
                let late = Late::all(mission, &SeedOption::default(), json, quiet);
                ("fmt", Late { seed: None, ..late })
            }
            Self::Draw { mission, seed, quiet, .. } => {
                let late = Late::all(mission, seed, &JsonOption::default(), quiet);
                ("draw", Late { json: None, ..late })
            }
            Self::Completions { .. } => ("completions", Late::default()),
            Self::Man => ("man", Late::default()),
        }
    }
}

impl Late {
    fn all(mission: &MissionOption, seed: &SeedOption, json: &JsonOption, quiet: &QuietOption) -> Self {
        let (mission, seed) = (Some(mission.clone()), Some(seed.clone()));
        Self { mission, seed, json: Some(json.clone()), quiet: Some(quiet.clone()) }
    }
}

fn commands() -> Vec<String> {
    Typed::command().get_subcommands().map(|command| command.get_name().to_owned()).collect()
}

/// What to say about a word where a command should stand.
fn no_command(word: &str) -> String {
    let names = commands();
    match nearest(word, names.iter().map(String::as_str)) {
        Some(near) => format!("`{word}` is no command: did you mean `{near}`?"),
        None => format!("`{word}` is no command: there is {}", names.join(", ")),
    }
}

fn app(shared: &Shared, look: &Look, path: Option<&Path>) -> ExitCode {
    let mission = shared.mission.as_deref();
    let project = path.map_or_else(|| Project::demo(mission), |path| Project::open(path, mission));
    let project = match project {
        Ok(project) => project,
        Err(error) => return cannot_open(shared, &error),
    };
    if project.config.mission.is_empty() {
        // Without a readable project file there is no mission to show: what is wrong with it instead.
        warn(&readable(shared, &project, &project.findings));
        return ExitCode::FAILURE;
    }
    let seed = shared.seed.map_or(project.config.seed, u64::from);
    // What a person wants everywhere, where nothing else is said now.
    let (settings, notice) = match settings::file(|name| std::env::var_os(name).map(PathBuf::from)) {
        None => (Look::default(), None),
        Some(file) => settings::load(&file).map_or_else(|error| (Look::default(), Some(error)), |look| (look, None)),
    };
    match tui::run(project, seed, &look.or(&settings), notice) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            complain(&format!("the screen cannot be used: {error}"), "run it in a terminal; `wayodos run` needs none");
            ExitCode::FAILURE
        }
    }
}

fn new(shared: &Shared, folder: &Path) -> ExitCode {
    match begin(folder) {
        Ok(()) => {
            say(shared, &format!("made {0}; open it with `wayodos {0}`", folder.display()));
            ExitCode::SUCCESS
        }
        Err(error) => {
            complain(&error, "name another folder");
            ExitCode::FAILURE
        }
    }
}

/// A mission of a project that was checked, and what was found.
struct Checked {
    project: Project,
    findings: Vec<Finding>,
}

fn check(shared: &Shared, path: &Path) -> ExitCode {
    let checked = match check_all(shared, path) {
        Ok(checked) => checked,
        Err(error) => return cannot_open(shared, &error),
    };
    let all = || checked.iter().flat_map(|one| &one.findings);
    if shared.json {
        answer_json(&json::findings(&checked));
    } else if all().next().is_none() {
        let count = if checked.len() > 1 { format!(" in {} missions", checked.len()) } else { String::new() };
        let name = checked.first().map_or("", |one| one.project.name());
        say(shared, &format!("{name}: no problems found{count}"));
    } else {
        let mut out = rendered(shared, &checked.iter().map(|one| (&one.project, &*one.findings)).collect::<Vec<_>>());
        let whole: Vec<Finding> = all().cloned().collect();
        if let (Some(count), Some(first)) = (words::count_words(&whole), checked.first()) {
            let missions = if checked.len() > 1 { format!(" in {} missions", checked.len()) } else { String::new() };
            out.extend([&*words::printable(first.project.name()), ": ", &count, &missions, "\n"]);
        }
        put_out(&out);
    }
    if all().any(|finding| finding.severity == Severity::Error) { ExitCode::FAILURE } else { ExitCode::SUCCESS }
}

/// Checks one mission, or every mission of the project with what it plays with.
fn check_all(shared: &Shared, path: &Path) -> Result<Vec<Checked>, OpenError> {
    let (folder, named) = locate(path)?;
    let open = |mission: Option<&str>| {
        let project = Project::open(&folder, mission)?;
        let mut findings = all_findings(&project);
        // What only a run can show, when there is one.
        if let Some(report) = nominal(&project, shared, &findings) {
            findings.extend(report.hindsight);
        }
        Ok(Checked { project, findings })
    };
    if let Some(mission) = shared.mission.as_deref().or(named.as_deref()) {
        return Ok(vec![open(Some(mission))?]);
    }
    let mut checked = vec![open(None)?];
    // A project file that cannot be read has no missions to go on with.
    if checked[0].project.config.mission.is_empty() {
        return Ok(checked);
    }
    let first = checked[0].project.config.mission.clone();
    let others = checked[0].project.missions().into_iter().filter(|name| first != format!("missions/{name}.way"));
    for name in others {
        checked.push(open(Some(&name))?);
    }
    // What is wrong with a robot or a field is said once, whoever plays with it.
    let mut said = BTreeSet::new();
    for one in &mut checked {
        let Checked { project, findings } = one;
        findings.retain(|finding| {
            let (path, _) = project.source(finding.source, "");
            let place = (path.to_owned(), finding.span.start, finding.code, finding.message.clone());
            said.insert(place)
        });
    }
    Ok(checked)
}

/// Prints the manual page.
fn manual() -> ExitCode {
    let mut page = Vec::new();
    match clap_mangen::Man::new(Typed::command()).render(&mut page) {
        Ok(()) => put_out(&String::from_utf8_lossy(&page)),
        Err(error) => complain(&format!("cannot write the manual page: {error}"), "try `wayodos --help`"),
    }
    ExitCode::SUCCESS
}

fn read_back(shared: &Shared, path: &Path) -> ExitCode {
    let project = match Project::open(path, shared.mission.as_deref()) {
        Ok(project) => project,
        Err(error) => return cannot_open(shared, &error),
    };
    let flow = draw::flow_of(&project);
    if shared.json {
        answer_json(&json::flow(&flow));
    } else {
        answer(&flow.lines().join("\n"));
    }
    ExitCode::SUCCESS
}

/// Everything that is wrong with a project: the files beside the mission first.
fn all_findings(project: &Project) -> Vec<Finding> {
    let mut findings = project.findings.clone();
    findings.extend(prepare(&project.mission, project.setup.as_ref()).findings);
    findings
}

/// The run of a project without errors.
fn nominal(project: &Project, shared: &Shared, findings: &[Finding]) -> Option<RunReport> {
    let setup = project.setup.as_ref().filter(|_| !has_errors(findings))?;
    let seed = shared.seed.map_or(project.config.seed, u64::from);
    let job = Job::nominal(project.mission.as_str().into(), Arc::new(setup.clone()), seed);
    run_job(&job, &Arc::new(setup.world()), None)
}

/// A project that has run, or the exit code of having said why it cannot.
struct Ran {
    project: Project,
    findings: Vec<Finding>,
    seed: u64,
    report: RunReport,
}

fn run_project(shared: &Shared, path: &Path) -> Result<Ran, ExitCode> {
    let project = Project::open(path, shared.mission.as_deref()).map_err(|error| cannot_open(shared, &error))?;
    let mut findings = all_findings(&project);
    let seed = shared.seed.map_or(project.config.seed, u64::from);
    match nominal(&project, shared, &findings) {
        Some(report) => {
            findings.extend(report.hindsight.iter().cloned());
            Ok(Ran { project, findings, seed, report })
        }
        None => {
            if shared.json {
                answer_json(&json::error("the project has errors", &project, &findings));
            }
            warn(&readable(shared, &project, &findings));
            Err(ExitCode::FAILURE)
        }
    }
}

/// Findings as people read them, most urgent last: that is where the eye is when the text has scrolled by.
fn readable(shared: &Shared, project: &Project, findings: &[Finding]) -> String {
    let mut out = rendered(shared, &[(project, findings)]);
    if let Some(count) = words::count_words(findings) {
        out.extend([&*words::printable(project.name()), ": ", &count, "\n"]);
    }
    out
}

/// The same for several missions, without how many there are.
fn rendered(shared: &Shared, all: &[(&Project, &[Finding])]) -> String {
    let colour = shared.colour.wanted(std::io::stdout().is_terminal());
    let mut out = String::new();
    for severity in [Severity::Note, Severity::Warning, Severity::Error] {
        for (project, findings) in all {
            for finding in findings.iter().filter(|finding| finding.severity == severity) {
                let (path, text) = project.source(finding.source, &project.mission);
                out.push_str(&words::render(finding, path, text, colour));
                out.push_str("\n\n");
            }
        }
    }
    out
}

fn cannot_open(shared: &Shared, error: &OpenError) -> ExitCode {
    if shared.json {
        answer_json(&json::refusal(&error.to_string()));
    }
    // `wayodos rn` names no project; it may well be a command with a slip in it.
    let slip = match error {
        OpenError::Missing(path) => {
            path.to_str().filter(|word| nearest(word, commands().iter().map(String::as_str)).is_some()).map(no_command)
        }
        OpenError::NoProject(_)
        | OpenError::NoMissionFile(_)
        | OpenError::Unreadable(..)
        | OpenError::NotText(..)
        | OpenError::Outside(_)
        | OpenError::NoMission(..) => None,
    };
    complain(&error.to_string(), &slip.unwrap_or_else(|| error.hint()));
    ExitCode::FAILURE
}

fn complain(what: &str, hint: &str) {
    warn(&format!("wayodos: {}\n  help: {}\n", words::printable(what), words::printable(hint)));
}

/// Text that holds words of somebody's files, to standard output.
fn answer(text: &str) {
    put_out(&words::printable(text));
}

/// One JSON object, to standard output. What a terminal would obey beyond ASCII is escaped as well.
fn answer_json(json: &str) {
    let obeyed = |letter: char| letter.is_control() && !letter.is_ascii();
    if json.contains(obeyed) {
        let escape = |letter: char| {
            if obeyed(letter) { format!("\\u{:04x}", u32::from(letter)) } else { letter.to_string() }
        };
        return put_out(&json.chars().map(escape).collect::<String>());
    }
    put_out(json);
}

/// To standard output, as it is. A reader that has gone away is no error of ours; a full disk is the end.
fn put_out(text: &str) {
    let newline = if text.ends_with('\n') { "" } else { "\n" };
    put_bytes(format!("{text}{newline}").as_bytes());
}

/// The same for what is no text.
fn put_bytes(bytes: &[u8]) {
    let mut out = std::io::stdout().lock();
    match out.write_all(bytes).and_then(|()| out.flush()) {
        Err(error) if error.kind() != std::io::ErrorKind::BrokenPipe => {
            complain(&format!("cannot write the answer: {error}"), "make room, or send it somewhere else");
            std::process::exit(1);
        }
        _ => {}
    }
}

/// To standard error, as it is.
fn warn(text: &str) {
    let _ = std::io::stderr().lock().write_all(text.as_bytes());
}

/// To people, unless they asked for quiet.
fn say(shared: &Shared, text: &str) {
    if !shared.quiet {
        warn(&format!("{}\n", words::printable(text)));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_command_line_is_consistent() {
        Typed::command().debug_assert();
    }

    #[test]
    fn an_option_that_means_nothing_to_a_command_is_refused_on_either_side_of_it() {
        let refused = |typed: &[&str]| match Typed::try_parse_from(typed) {
            Ok(typed) => typed.shared().is_err(),
            Err(_) => true,
        };
        for typed in [
            &["wayodos", "new", "x", "--seed", "4"][..],
            &["wayodos", "--seed", "4", "new", "x"],
            &["wayodos", "--json", "draw", "x", "-o", "a.svg"],
            &["wayodos", "--json", "x"],
            &["wayodos", "rn", "demo"],
        ] {
            assert!(refused(typed), "{typed:?}");
        }
        let words = Typed::try_parse_from(["wayodos", "rn", "demo"]).unwrap().shared().unwrap_err().to_string();
        assert!(words.contains("did you mean `run`?"), "{words}");
    }

    #[test]
    fn shared_options_may_stand_before_or_after_the_command() {
        for typed in [["wayodos", "--seed", "4", "run", "x"], ["wayodos", "run", "x", "--seed", "4"]] {
            let typed = Typed::try_parse_from(typed).unwrap();
            assert_eq!(typed.shared().unwrap().seed, Some(4));
        }
    }
}
