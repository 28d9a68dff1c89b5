//! What may be typed: commands, their options, and what they share.

use std::path::PathBuf;

use clap::builder::{PossibleValuesParser, TypedValueParser};
use clap::error::ErrorKind;
use clap::{Args, CommandFactory as _, Parser, Subcommand, ValueEnum};
use clap_complete::engine::ArgValueCandidates;
use wayodos_core::finding::nearest;
use wayodos_core::scatter::Scatter;

use super::complete;
use super::shard::Shard;
use super::span::{Amount, Span};
use crate::log::Level;
use crate::look::Look;

/// Options that may stand before a command as well as after it.
#[derive(Args, Clone, Debug, Default)]
pub(super) struct Early {
    #[command(flatten)]
    pub(super) mission: MissionOption,
    #[command(flatten)]
    pub(super) seed: SeedOption,
    /// Answer with one JSON object.
    #[arg(long, hide = true)]
    pub(super) json: bool,
    /// Print only the result.
    #[arg(long, hide = true)]
    pub(super) quiet: bool,
}

/// Sequence autonomous robot missions, simulate them, and see why every step ended.
#[derive(Parser)]
#[command(name = "wayodos", version)]
pub(super) struct Typed {
    #[command(subcommand)]
    pub(super) command: Option<Command>,
    /// Project folder to open full screen; without one, the folder you are in, or the demo where
    /// there is no project.
    pub(super) project: Option<PathBuf>,
    /// When to use colours in text.
    #[arg(long, value_enum, global = true, default_value_t, value_name = "WHEN")]
    pub(super) color: Colour,
    /// Write what happens to a file of today in the folder for logs: warn, info (the default) or
    /// debug.
    #[arg(long, value_enum, global = true, value_name = "LEVEL", num_args = 0..=1, require_equals = true)]
    #[arg(default_missing_value = "info", hide_possible_values = true)]
    pub(super) log: Option<Level>,
    #[command(flatten)]
    pub(super) early: Early,
    #[command(flatten)]
    pub(super) look: Look,
}

#[derive(Args, Clone, Debug, Default)]
pub(super) struct MissionOption {
    /// Use this mission of the project (file name without .way).
    #[arg(long, value_name = "NAME", add = ArgValueCandidates::new(complete::missions))]
    pub(super) mission: Option<String>,
}

#[derive(Args, Clone, Debug, Default)]
pub(super) struct SeedOption {
    /// Seed of the random noise; the same seed gives the same run.
    #[arg(long, value_name = "N")]
    pub(super) seed: Option<u32>,
}

#[derive(Args, Clone, Debug, Default)]
pub(super) struct VariedOption {
    /// Which of the many runs to make: each differs from the files in its own way. 0 is the nominal
    /// one.
    #[arg(long, value_name = "N")]
    pub(super) varied: Option<u32>,
    /// How much those runs differ: exact (by noise alone), everyday (a careful team) or rough (a
    /// hurried one).
    #[arg(long, value_name = "LEVEL", requires = "varied", value_parser = scatter())]
    pub(super) scatter: Option<Scatter>,
}

#[derive(Args, Clone, Debug, Default)]
pub(super) struct ScatterOption {
    /// How much the runs differ: exact (by noise alone), everyday (a careful team) or rough (a
    /// hurried one).
    #[arg(long, value_name = "LEVEL", value_parser = scatter())]
    pub(super) scatter: Option<Scatter>,
}

fn scatter() -> impl TypedValueParser<Value = Scatter> {
    let words = PossibleValuesParser::new(Scatter::ALL.map(Scatter::word));
    words.map(|word| {
        Scatter::ALL
            .into_iter()
            .find(|one| one.word() == word)
            .unwrap_or_default()
    })
}

fn values() -> impl TypedValueParser<Value = usize> {
    clap::value_parser!(u32)
        .range(2..=1000)
        .map(|count| count as usize)
}

#[derive(Args, Clone, Debug, Default)]
pub(super) struct JsonOption {
    /// Answer with one JSON object.
    #[arg(long)]
    pub(super) json: bool,
}

#[derive(Args, Clone, Debug, Default)]
pub(super) struct QuietOption {
    /// Print only the result.
    #[arg(long)]
    pub(super) quiet: bool,
}

/// What a new project begins with.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(super) enum With {
    /// A bare robot and table with typical numbers, each with how to measure it.
    Own,
    /// The demo's robot and field, to play with.
    Example,
}

#[derive(Subcommand)]
pub(super) enum Command {
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
        /// What to begin with.
        #[arg(long, value_enum, value_name = "WHAT", default_value_t = With::Own)]
        with: With,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// List what is wrong with a project: with all its missions, or with one.
    Check {
        /// Project folder, or a mission file.
        #[arg(default_value = ".")]
        project: PathBuf,
        /// Leave out the 20 varied runs of each mission: faster, and less certain
        #[arg(long)]
        quick: bool,
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
        varied: VariedOption,
        #[command(flatten)]
        json: JsonOption,
        /// Add to the JSON how long the run took to work out.
        #[arg(long, requires = "json")]
        timing: bool,
        /// Tell of every pass of what goes round, instead of all of them as one.
        #[arg(long)]
        all: bool,
        /// Write a table of what was recorded to this file too, one row a control tick.
        #[arg(long, value_name = "FILE")]
        csv: Option<PathBuf>,
        /// Only these columns of the table, such as `heading,floor-left`.
        #[arg(long, value_name = "NAMES", requires = "csv", value_delimiter = ',')]
        channels: Vec<String>,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// Run the mission many times, each time a little different: how often does it hold, and what do
    /// the other runs end by?
    Spread {
        /// Project folder.
        #[arg(default_value = ".")]
        project: PathBuf,
        /// How many runs; without it as many as the project says.
        #[arg(short = 'n', long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100_000))]
        runs: Option<u32>,
        #[command(flatten)]
        scatter: ScatterOption,
        /// Make only part K of N of the runs, for several machines; `merge` puts the parts together.
        #[arg(long, value_name = "K/N", requires = "output")]
        shard: Option<Shard>,
        /// Write the runs to this file instead of answering.
        #[arg(short, long, value_name = "FILE")]
        output: Option<PathBuf>,
        /// Write a table of all runs to this file too.
        #[arg(long, value_name = "FILE")]
        csv: Option<PathBuf>,
        /// Draw a page about them too: .svg, .pdf or .png.
        #[arg(long, value_name = "FILE")]
        draw: Option<PathBuf>,
        /// Draw a page with a chart of each cause to this file too: .svg, .pdf or .png.
        #[arg(long, value_name = "FILE")]
        causes: Option<PathBuf>,
        /// Exit 2 when fewer than this many percent of the runs hold.
        #[arg(long, value_name = "PERCENT", value_parser = clap::value_parser!(u32).range(0..=100))]
        least: Option<u32>,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        seed: SeedOption,
        #[command(flatten)]
        json: JsonOption,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// Try one number of the mission over a span: each value with the same many runs.
    Sweep {
        /// Project folder.
        project: PathBuf,
        /// The number: the name of an amount, or a line and which number of it, such as 9:1.
        slot: String,
        /// From where to where, such as `20 %..60 %`; without it its safe span, or from half to
        /// twice of what stands there.
        span: Option<Span>,
        /// A second number, over its own span: every value with every value of the first; such as
        /// `near` or `near=200 mm..300 mm`.
        #[arg(long, value_name = "NUMBER[=SPAN]")]
        also: Option<Amount>,
        /// How many varied runs of each value; without it 40, or 20 of each pair.
        #[arg(short = 'n', long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=10_000))]
        runs: Option<u32>,
        /// About how many values; without it 25, or 9 of each of two numbers.
        #[arg(long, value_name = "N", value_parser = values())]
        values: Option<usize>,
        #[command(flatten)]
        scatter: ScatterOption,
        /// Write a table of all values to this file too.
        #[arg(long, value_name = "FILE")]
        csv: Option<PathBuf>,
        /// Draw a page about them too: .svg, .pdf or .png.
        #[arg(long, value_name = "FILE")]
        draw: Option<PathBuf>,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        seed: SeedOption,
        #[command(flatten)]
        json: JsonOption,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// Search several amounts of the mission for the values that hold most often, and prove the find on
    /// new runs.
    Tune {
        /// Project folder.
        project: PathBuf,
        /// What is searched: the names of amounts, each alone or with a span, such as
        /// `pace=20 %..60 %`; without them all that have a safe span.
        amounts: Vec<Amount>,
        /// Write what is found into the mission, when it is proven to be better.
        #[arg(long)]
        take: bool,
        #[command(flatten)]
        scatter: ScatterOption,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        seed: SeedOption,
        #[command(flatten)]
        json: JsonOption,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// Compare two versions of a mission, robot or field: the same runs of both, and who holds where
    /// the other does not.
    #[command(group = clap::ArgGroup::new("other").required(true).multiple(true).args(["with", "with_mission"]))]
    Compare {
        /// Project folder.
        #[arg(default_value = ".")]
        project: PathBuf,
        /// The other version: another project folder, or a mission file of one.
        #[arg(long, value_name = "PROJECT")]
        with: Option<PathBuf>,
        /// The other version's mission (file name without .way).
        #[arg(long, value_name = "NAME", add = ArgValueCandidates::new(complete::missions))]
        with_mission: Option<String>,
        /// Draw a page about them too: .svg, .pdf or .png.
        #[arg(long, value_name = "FILE")]
        draw: Option<PathBuf>,
        /// How many runs of each.
        #[arg(short = 'n', long, value_name = "N", default_value_t = 100, value_parser = clap::value_parser!(u32).range(1..=10_000))]
        runs: u32,
        #[command(flatten)]
        scatter: ScatterOption,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        seed: SeedOption,
        #[command(flatten)]
        json: JsonOption,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// Let missions play against each other, everybody against everybody from both sides: who wins how
    /// often, and how strong each is.
    League {
        /// Project folder.
        project: PathBuf,
        /// Who plays: missions of the project, files of rivals (.way), the name of the field's opponent,
        /// or entries of the logbook such as @12; without any the mission and the opponent.
        teams: Vec<String>,
        /// How many matches of each pair from each side.
        #[arg(short = 'n', long, value_name = "N", default_value_t = 20, value_parser = clap::value_parser!(u32).range(1..=10_000))]
        matches: u32,
        #[command(flatten)]
        scatter: ScatterOption,
        /// Write a table of all matches to this file too.
        #[arg(long, value_name = "FILE")]
        csv: Option<PathBuf>,
        /// Draw a page about them too: .svg, .pdf or .png.
        #[arg(long, value_name = "FILE")]
        draw: Option<PathBuf>,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        seed: SeedOption,
        #[command(flatten)]
        json: JsonOption,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// List what was tried so far: every run that was saved, exported or spread to the end.
    Logbook {
        /// Project folder.
        #[arg(default_value = ".")]
        project: PathBuf,
        /// Only entries with all these words.
        #[arg(long, value_name = "WORDS")]
        search: Option<String>,
        /// Write a table of them to this file too.
        #[arg(long, value_name = "FILE")]
        csv: Option<PathBuf>,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        json: JsonOption,
        #[command(flatten)]
        quiet: QuietOption,
    },
    /// Put the parts together that `spread --shard` has written: the answer is that of the whole.
    Merge {
        /// The files of all parts.
        #[arg(required = true)]
        parts: Vec<PathBuf>,
        /// Write a table of all runs to this file too.
        #[arg(long, value_name = "FILE")]
        csv: Option<PathBuf>,
        /// Draw a page with a chart of each cause to this file too: .svg, .pdf or .png.
        #[arg(long, value_name = "FILE")]
        causes: Option<PathBuf>,
        /// Exit 2 when fewer than this many percent of the runs hold.
        #[arg(long, value_name = "PERCENT", value_parser = clap::value_parser!(u32).range(0..=100))]
        least: Option<u32>,
        #[command(flatten)]
        json: JsonOption,
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
        /// Project folder, or a mission file; `-` reads a mission from standard input and writes it
        /// to standard output.
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
        format: Option<Format>,
        /// Only this part of the page.
        #[arg(long, value_enum)]
        only: Option<Only>,
        #[command(flatten)]
        mission: MissionOption,
        #[command(flatten)]
        seed: SeedOption,
        #[command(flatten)]
        varied: VariedOption,
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

impl Typed {
    /// What was said before the command and after it, put together.
    ///
    /// # Errors
    /// Something that means nothing to this command, or a word before it that is no command.
    pub(super) fn shared(&self) -> Result<Shared, clap::Error> {
        let wrong = |message: String| Typed::command().error(ErrorKind::ArgumentConflict, message);
        if let (Some(word), Some(_)) = (&self.project, &self.command) {
            return Err(wrong(no_command(&word.to_string_lossy())));
        }
        let Early {
            mission,
            seed,
            json,
            quiet,
        } = self.early.clone();
        let early = Shared {
            mission: mission.mission,
            seed: seed.seed,
            json,
            quiet,
            varied: 0,
            scatter: Scatter::default(),
            colour: self.color,
        };
        let Some((name, late)) = self.command.as_ref().map(Command::options) else {
            return if early.json || early.quiet {
                Err(wrong(
                    "the screen answers with no text: name a command, such as `run` or `check`"
                        .to_owned(),
                ))
            } else {
                Ok(early)
            };
        };
        let unheard = [
            (
                "--mission",
                early.mission.is_some() && late.mission.is_none(),
            ),
            ("--seed", early.seed.is_some() && late.seed.is_none()),
            ("--json", early.json && late.json.is_none()),
            ("--quiet", early.quiet && late.quiet.is_none()),
        ];
        if let Some((option, _)) = unheard.iter().find(|(_, unheard)| *unheard) {
            return Err(wrong(format!("{option} means nothing to `{name}`")));
        }
        let varied = match &self.command {
            Some(Command::Run { varied, .. } | Command::Draw { varied, .. }) => varied.clone(),
            _ => VariedOption::default(),
        };
        let scatter = match &self.command {
            Some(
                Command::Spread { scatter, .. }
                | Command::Sweep { scatter, .. }
                | Command::Tune { scatter, .. }
                | Command::League { scatter, .. }
                | Command::Compare { scatter, .. },
            ) => scatter.scatter,
            _ => varied.scatter,
        };
        Ok(Shared {
            mission: late.mission.and_then(|late| late.mission).or(early.mission),
            seed: late.seed.and_then(|late| late.seed).or(early.seed),
            json: early.json || late.json.is_some_and(|late| late.json),
            quiet: early.quiet || late.quiet.is_some_and(|late| late.quiet),
            varied: varied.varied.unwrap_or_default(),
            scatter: scatter.unwrap_or_default(),
            colour: self.color,
        })
    }
}

/// The options of a command; none of those that mean nothing to it.
#[derive(Default)]
pub(super) struct Late {
    pub(super) mission: Option<MissionOption>,
    pub(super) seed: Option<SeedOption>,
    pub(super) json: Option<JsonOption>,
    pub(super) quiet: Option<QuietOption>,
}

impl Command {
    /// Its name, and its options.
    pub(super) fn options(&self) -> (&'static str, Late) {
        match self {
            Self::Demo { mission, seed, .. } => (
                "demo",
                Late {
                    mission: Some(mission.clone()),
                    seed: Some(seed.clone()),
                    ..Late::default()
                },
            ),
            Self::New { quiet, .. } => (
                "new",
                Late {
                    quiet: Some(quiet.clone()),
                    ..Late::default()
                },
            ),
            Self::Check {
                mission,
                seed,
                json,
                quiet,
                ..
            } => ("check", Late::all(mission, seed, json, quiet)),
            Self::Run {
                mission,
                seed,
                json,
                quiet,
                ..
            } => ("run", Late::all(mission, seed, json, quiet)),
            Self::Spread {
                mission,
                seed,
                json,
                quiet,
                ..
            } => ("spread", Late::all(mission, seed, json, quiet)),
            Self::Sweep {
                mission,
                seed,
                json,
                quiet,
                ..
            } => ("sweep", Late::all(mission, seed, json, quiet)),
            Self::Tune {
                mission,
                seed,
                json,
                quiet,
                ..
            } => ("tune", Late::all(mission, seed, json, quiet)),
            Self::Compare {
                mission,
                seed,
                json,
                quiet,
                ..
            } => ("compare", Late::all(mission, seed, json, quiet)),
            Self::League {
                mission,
                seed,
                json,
                quiet,
                ..
            } => ("league", Late::all(mission, seed, json, quiet)),
            Self::Logbook {
                mission,
                json,
                quiet,
                ..
            } => (
                "logbook",
                Late {
                    mission: Some(mission.clone()),
                    json: Some(json.clone()),
                    quiet: Some(quiet.clone()),
                    ..Late::default()
                },
            ),
            Self::Merge { json, quiet, .. } => (
                "merge",
                Late {
                    json: Some(json.clone()),
                    quiet: Some(quiet.clone()),
                    ..Late::default()
                },
            ),
            Self::Read { mission, json, .. } => (
                "read",
                Late {
                    mission: Some(mission.clone()),
                    json: Some(json.clone()),
                    ..Late::default()
                },
            ),
            Self::Fmt {
                mission,
                json,
                quiet,
                ..
            } => {
                let late = Late::all(mission, &SeedOption::default(), json, quiet);
                ("fmt", Late { seed: None, ..late })
            }
            Self::Draw {
                mission,
                seed,
                quiet,
                ..
            } => {
                let late = Late::all(mission, seed, &JsonOption::default(), quiet);
                ("draw", Late { json: None, ..late })
            }
            Self::Completions { .. } => ("completions", Late::default()),
            Self::Man => ("man", Late::default()),
        }
    }
}

impl Late {
    pub(super) fn all(
        mission: &MissionOption,
        seed: &SeedOption,
        json: &JsonOption,
        quiet: &QuietOption,
    ) -> Self {
        let (mission, seed) = (Some(mission.clone()), Some(seed.clone()));
        Self {
            mission,
            seed,
            json: Some(json.clone()),
            quiet: Some(quiet.clone()),
        }
    }
}

pub(super) fn commands() -> Vec<String> {
    Typed::command()
        .get_subcommands()
        .map(|command| command.get_name().to_owned())
        .collect()
}

/// What to say about a word where a command should stand.
pub(super) fn no_command(word: &str) -> String {
    let names = commands();
    match nearest(word, names.iter().map(String::as_str)) {
        Some(near) => format!("`{word}` is no command: did you mean `{near}`?"),
        None => format!("`{word}` is no command: there is {}", names.join(", ")),
    }
}

/// When answers have colours.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub(super) enum Colour {
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
    pub(super) fn wanted(self, terminal: bool) -> bool {
        match self {
            Self::Auto => {
                terminal && std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty())
            }
            Self::Always => true,
            Self::Never => false,
        }
    }
}

/// What a command goes by.
#[derive(Clone, Debug, Default)]
pub(super) struct Shared {
    pub(super) mission: Option<String>,
    pub(super) seed: Option<u32>,
    pub(super) json: bool,
    pub(super) quiet: bool,
    pub(super) varied: u32,
    pub(super) scatter: Scatter,
    pub(super) colour: Colour,
}

/// One part of the page.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Only {
    /// The field with the path, and the list of steps.
    Field,
    /// The strip chart.
    Chart,
    /// The flow chart of the mission: its steps, and where their exits lead.
    Flow,
}

/// What a drawing is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Format {
    /// Scalable, for browsers and editors.
    Svg,
    /// For printers.
    Pdf,
    /// Pixels.
    Png,
}
