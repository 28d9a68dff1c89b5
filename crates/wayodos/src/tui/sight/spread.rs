//! The rows of the spread tab: how often the mission holds, what the other runs died of, and which
//! run each row opens.

use wayodos_core::ids::StepId;
use wayodos_core::lab::causes::Cause;
use wayodos_core::lab::compare::Compared;
use wayodos_core::lab::spread::Ending;
use wayodos_core::lab::statistics::Share;

use crate::spreads::SpreadResult;
use crate::tui::model::Model;
use crate::tui::theme::Role;

/// At most so many rows say what runs ended by.
const WAYS: usize = 4;

/// Which run a row opens.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Opens {
    /// This one.
    Run(u32),
    /// The first of these, and the next one each time.
    OneOf(Vec<u32>),
}

/// A row of the spread tab.
#[derive(Clone, Debug, Default)]
pub struct SpreadRow {
    pub(in crate::tui) words: String,
    /// At its right edge: how many of how many, and the interval of that share.
    pub(in crate::tui) share: Option<Share>,
    /// In place of that.
    pub(in crate::tui) note: String,
    pub(in crate::tui) role: Option<Role>,
    /// The step that it is about.
    pub(in crate::tui) step: Option<StepId>,
    /// What it opens; none of a row that cannot be marked.
    pub opens: Option<Opens>,
    /// What is said below the list when it is marked.
    pub(in crate::tui) more: String,
    /// Which cause it is about: its chart stands below the list when it is marked.
    pub(in crate::tui) cause: Option<usize>,
    /// It is a sentence, and takes as many lines as it needs.
    pub(in crate::tui) wraps: bool,
}

/// How well a share of runs does: nineteen of twenty are what one wants.
pub fn share_role(share: Share) -> Role {
    match share.value() {
        None => Role::Quiet,
        Some(value) if value >= 0.95 => Role::Good,
        Some(value) if value >= 0.8 => Role::Thin,
        Some(_) => Role::Wrong,
    }
}

/// What the spread tab says.
pub fn rows(model: &Model) -> Vec<SpreadRow> {
    let Some(result) = &model.many.result else {
        return Vec::new();
    };
    let program = &result.spread.attempt.program;
    let mut rows = Vec::new();
    let endings = &result.summary.endings;
    // What is rare is told together, so that there is room for why.
    let shown = if endings.len() > WAYS { WAYS - 1 } else { WAYS };
    for Ending { death, share, runs } in endings.iter().take(shown) {
        let step = &program.steps[death.step];
        let exit = death.exit.and_then(|exit| step.exits.get(exit));
        let by = exit.map_or_else(String::new, |exit| format!(" by \"{}\"", exit.words));
        let numbers: Vec<String> = runs.iter().take(6).map(u32::to_string).collect();
        let and = if runs.len() > 6 { " and others" } else { "" };
        rows.push(SpreadRow {
            words: death.words.clone(),
            share: Some(*share),
            role: Some(Role::Wrong),
            step: Some(death.step),
            opens: Some(Opens::OneOf(runs.clone())),
            more: format!(
                "\"{}\" ended{by}: {}. Runs {}{and}. Enter shows one after the other.",
                step.name,
                death.words,
                numbers.join(", ")
            ),
            ..SpreadRow::default()
        });
    }
    if let Some((first, rest)) = endings.get(shown..).and_then(<[Ending]>::split_first) {
        let all = std::iter::once(first).chain(rest);
        let mut runs: Vec<u32> = all.flat_map(|ending| ending.runs.clone()).collect();
        runs.sort_unstable();
        let ways: Vec<String> = std::iter::once(first)
            .chain(rest)
            .map(|ending| {
                let Ending { death, share, .. } = ending;
                format!(
                    "step {}: {} ({})",
                    death.step.number(),
                    death.words,
                    share.times
                )
            })
            .collect();
        rows.push(SpreadRow {
            words: format!("{} other ways", ways.len()),
            share: Some(Share::new(runs.len() as u32, result.summary.held.of)),
            role: Some(Role::Wrong),
            more: format!("{}. Enter shows one after the other.", ways.join(", ")),
            opens: Some(Opens::OneOf(runs)),
            ..SpreadRow::default()
        });
    }
    let mut one = |number: Option<u32>, what: &str, more: &str| {
        let Some(number) = number else { return };
        let brief = result.spread.briefs.get(number as usize - 1);
        let came_out = brief.map_or_else(String::new, |brief| {
            let how = brief.death.as_ref().map_or("held", |death| &death.words);
            format!("{how}, {:.1} s", brief.seconds)
        });
        rows.push(SpreadRow {
            words: format!("{what}: run {number}"),
            note: came_out,
            opens: Some(Opens::Run(number)),
            more: more.to_owned(),
            ..SpreadRow::default()
        });
    };
    one(
        result.summary.worst,
        "the worst",
        "The run that ended after the fewest steps; when all held, the one with the fewest points, or the slowest. Enter shows it in all panes, Esc leads back.",
    );
    one(
        result.summary.typical,
        "a typical one",
        "Of the runs that ended as most did, the one with the middle time. Enter shows it in all panes, Esc leads back.",
    );
    let other = model.many.against.as_ref();
    let other = other.map_or("the text before", |against| against.name.as_str());
    let compared = model.many.compared.as_ref();
    rows.extend(
        compared
            .into_iter()
            .flat_map(|one| compared_rows(one, other)),
    );
    if let Some(against) = &model.many.against
        && against.result.is_none()
    {
        rows.push(SpreadRow {
            words: format!("Against {}: its runs are being made.", against.name),
            role: Some(Role::Quiet),
            wraps: true,
            ..SpreadRow::default()
        });
    }
    rows.extend(marked_causes(result));
    rows.extend(cause_rows(result));
    rows
}

/// What this text does that the other one does not, on the same luck.
fn compared_rows(compared: &Compared, other: &str) -> Vec<SpreadRow> {
    let row = |runs: &[u32], what: &str, role: Role| SpreadRow {
        words: what.to_owned(),
        share: Some(Share::new(runs.len() as u32, compared.count())),
        role: Some(role),
        opens: Some(Opens::OneOf(runs.to_vec())),
        more: format!(
            "Of the runs with the same luck {} {} with {other}. Enter shows one after the other.",
            runs.len(),
            if role == Role::Good { "failed" } else { "held" },
        ),
        ..SpreadRow::default()
    };
    let before = other == "the text before";
    let mut rows = Vec::new();
    if !compared.only_second.is_empty() {
        rows.push(row(
            &compared.only_second,
            if before {
                "hold now, failed before"
            } else {
                "hold here, fail there"
            },
            Role::Good,
        ));
    }
    if !compared.only_first.is_empty() {
        rows.push(row(
            &compared.only_first,
            if before {
                "fail now, held before"
            } else {
                "fail here, hold there"
            },
            Role::Wrong,
        ));
    }
    let [theirs, _] = compared.held();
    let slower = compared.slower.filter(|slower| slower.abs() >= 0.05);
    let time = slower.map_or_else(String::new, |slower| {
        let way = if slower > 0.0 { "slower" } else { "faster" };
        format!(" Where both hold it is {:.1} s {way}.", slower.abs())
    });
    let parted = compared
        .parted
        .map_or_else(String::new, |at| format!(" Paths part at {at:.1} s."));
    let role = match compared.better() {
        Some(true) => Role::Good,
        Some(false) => Role::Wrong,
        None => Role::Quiet,
    };
    rows.push(SpreadRow {
        words: format!(
            "Against {other} (held {}): {}.{time}{parted}",
            theirs.words(),
            compared.words()
        ),
        role: Some(role),
        wraps: true,
        ..SpreadRow::default()
    });
    rows
}

/// What goes with failing, in sentences; or why nothing is said.
fn cause_rows(result: &SpreadResult) -> Vec<SpreadRow> {
    let sentence = |words: String, role: Role| SpreadRow {
        words,
        role: Some(role),
        wraps: true,
        ..SpreadRow::default()
    };
    if result.summary.held.times == result.summary.held.of {
        return Vec::new();
    }
    if result.summary.causes.is_empty() {
        let words = "No single thing that differs from run to run goes with failing clearly enough to be called a cause.";
        return vec![sentence(words.into(), Role::Quiet)];
    }
    result
        .summary
        .causes
        .iter()
        .take(CAUSES)
        .flat_map(|cause| {
            [
                sentence(cause.words(), Role::Text),
                sentence(format!("may help: {}", cause.advice()), Role::Quiet),
            ]
        })
        .collect()
}

/// At most so many causes are told.
const CAUSES: usize = 3;

/// A row for each cause, whose failed runs it opens.
fn marked_causes(result: &SpreadResult) -> impl Iterator<Item = SpreadRow> {
    let causes = result.summary.causes.iter().enumerate().take(CAUSES);
    causes.map(|(at, cause)| SpreadRow {
        words: format!("why: {}", cause.name()),
        share: Some(cause.beyond),
        role: Some(Role::Wrong),
        more: format!("{} May help: {}.", cause.words(), cause.advice()),
        opens: Some(Opens::OneOf(cause.failed_beyond(&result.spread.briefs))),
        cause: Some(at),
        ..SpreadRow::default()
    })
}

/// The cause whose row is marked.
pub fn marked_cause(model: &Model) -> Option<&Cause> {
    let rows = rows(model);
    let mut marked = rows.iter().filter(|row| row.opens.is_some());
    let at = marked.nth(model.side.row)?.cause?;
    model.many.result.as_ref()?.summary.causes.get(at)
}

/// Rows that are kept below the list of the tab: what is said of the marked row, or its chart.
///
/// - `height`: of the tab
/// - `more`: of what is said of a row
pub fn below(model: &Model, height: u16, more: u16) -> u16 {
    let chart = marked_cause(model).map(|_| height * 2 / 3);
    chart.unwrap_or(0).max(more + 1)
}

/// The first line: how many held, and between which shares the truth lies.
pub fn headline(model: &Model) -> (String, Role) {
    let of = model.project.config.spread;
    let Some(result) = &model.many.result else {
        let words = match () {
            () if of == 0 => "no varied runs: `spread = 0` in wayodos.toml".to_owned(),
            () if model.stale() => "the mission cannot be run as it stands".to_owned(),
            () => "the varied runs are being made".to_owned(),
        };
        return (words, Role::Quiet);
    };
    let held = result.summary.held;
    let scatter = result.spread.attempt.scatter.word();
    let words = match held.times {
        times if times == held.of => format!("all {} runs held, {scatter} scatter", held.of),
        0 => format!("none of {} runs held, {scatter} scatter", held.of),
        _ => format!("held {} runs, {scatter} scatter", held.words()),
    };
    (words, share_role(held))
}
