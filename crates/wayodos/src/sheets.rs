//! What is drawn to a file: a run, many runs, a number over a span.

use std::sync::Arc;

use wayodos_report::{
    Parts, Scene, causes_sheet, grid_sheet, league_sheet, spread_sheet, sweep_sheet,
};

use wayodos_core::lab::grid::{Grid, Pair};
use wayodos_core::lab::summary::Summary;
use wayodos_core::lab::sweep::Point;

use crate::folder::{Project, short_name};
use crate::grids::{GridJob, words};
use crate::leagues::League;
use crate::spreads::SpreadResult;
use crate::sweeps::TextsResult;
use crate::work::RunReport;

/// A page.
#[derive(Clone, Debug)]
pub enum Sheet {
    /// One run: the field with its path, and its chart.
    Run(Arc<RunReport>),
    /// Many runs: all paths, what died, and why.
    Spread(Arc<SpreadResult>),
    /// Who beats whom.
    League(Arc<League>),
    /// What goes with failing.
    Causes(Arc<SpreadResult>),
    /// How often it holds with each pair of values of two numbers.
    Grid {
        /// What was tried.
        job: Box<GridJob>,
        /// What came of it.
        result: Arc<TextsResult<Pair>>,
    },
    /// How often it holds over the values of a number.
    Sweep {
        /// What the number is called.
        name: String,
        /// How many runs of each value.
        runs: u32,
        /// What came of them.
        result: Arc<TextsResult>,
    },
}

impl Sheet {
    /// What its file is called behind the mission's name.
    pub const fn suffix(&self) -> &'static str {
        match self {
            Self::Run(_) => "",
            Self::Spread(_) => "-spread",
            Self::Causes(_) => "-causes",
            Self::League(_) => "-league",
            Self::Sweep { .. } => "-sweep",
            Self::Grid { .. } => "-grid",
        }
    }

    /// The page.
    pub fn scene(&self, project: &Project, seed: u64) -> Scene {
        match self {
            Self::Run(report) => report.page(project, seed, Parts::All),
            Self::Spread(result) => {
                let attempt = &result.spread.attempt;
                let field = &attempt.world.field;
                let about = about_spread(&field.name, attempt.seed, attempt.scatter.word());
                let steps = attempt.program.steps.iter();
                let steps: Vec<String> = steps.map(|step| step.name.clone()).collect();
                let title = spread_title(project, &project.config.mission);
                let briefs = &result.spread.briefs;
                spread_sheet(field, &title, &about, briefs, (&result.summary, &steps))
            }
            Self::League(league) => league_page(league),
            Self::Causes(result) => {
                let scatter = result.spread.attempt.scatter.word();
                causes_page(&project.config.mission, scatter, &result.summary)
            }
            Self::Grid { job, result } => grid_page(project, job, &result.points),
            Self::Sweep { name, runs, result } => {
                let about = format!("{}, {runs} runs of each value", project.config.mission);
                sweep_sheet(&sweep_title(project, name), &about, name, &result.points)
            }
        }
    }
}

/// What a page about many runs is called.
pub fn spread_title(project: &Project, mission: &str) -> String {
    format!("{}: does {} hold?", project.name(), short_name(mission))
}

/// What stands below that.
pub fn about_spread(field: &str, seed: u64, scatter: &str) -> String {
    format!("{field}, seed {seed}, {scatter} scatter")
}

/// What a page about a number over a span is called.
pub fn sweep_title(project: &Project, name: &str) -> String {
    format!("{}: where {name} holds", project.name())
}

/// The page about what goes with failing.
pub fn causes_page(mission: &str, scatter: &str, summary: &Summary) -> Scene {
    let about = format!(
        "{mission}, {scatter} scatter, held {} runs; a bar: how many of the runs with such a value failed; the line: where the truth lies, 95 % sure",
        summary.held.words()
    );
    let title = format!("{}: why runs fail", short_name(mission));
    causes_sheet(&title, &about, &summary.causes)
}

/// The page about a league.
pub fn league_page(league: &League) -> Scene {
    let (table, field) = (league.table(), &league.setup.field.name);
    let about = format!(
        "{} matches, each pair from both sides, {} scatter",
        league.played.len(),
        league.like.scatter.word()
    );
    let row = |at: &usize| {
        let name = league.teams[*at].name.as_str();
        (name, table.total(*at), table.ratings[*at])
    };
    let rows: Vec<_> = table.order.iter().map(row).collect();
    league_sheet(&format!("{field}: who beats whom"), &about, &rows)
}

/// The page about two numbers at once.
pub fn grid_page(project: &Project, job: &GridJob, points: &[Point<Pair>]) -> Scene {
    let (mission, runs) = (&project.config.mission, job.runs);
    let scatter = job.attempt.scatter.word();
    let about = format!("{mission}, {scatter} scatter; in each cell how many of {runs} runs held");
    let block = Grid::new(points, job.columns()).holds();
    let any = points.iter().any(|point| point.held().times > 0);
    let verdict = words(job, block.as_ref(), any);
    let names = [0, 1].map(|axis| job.axes[axis].name.as_str());
    let title = format!("{}: where {} hold together", project.name(), job.name());
    grid_sheet(&title, &about, (&names, &verdict), points, job.columns())
}
