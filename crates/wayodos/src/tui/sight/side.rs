//! The rows of the pane beside the chart, and where its tabs and rows stand.

use std::sync::Arc;

use ratatui::layout::{Position, Rect};
use wayodos_core::controller::{Goal, Kept, TermStanding};
use wayodos_core::finding::Finding;
use wayodos_core::ids::StepId;
use wayodos_core::mission::{Behaviour, Block, Target};
use wayodos_core::record::ScoreLine;
use wayodos_report::why::{amount_words, live_words, nearness, wait_words};

use super::{robot, spread};
use crate::tui::measure::columns;
use crate::tui::model::{Model, Side};
use crate::tui::theme::Role;
use crate::work::RunReport;

/// Rows at the bottom that say more about the marked one.
pub(in crate::tui) const MORE: u16 = 4;

/// The same of the spread tab, where sentences stand above them.
pub(in crate::tui) const SPREAD_MORE: u16 = 3;

/// Lines of the spread tab above its first row.
pub(in crate::tui) const SPREAD_HEAD: usize = 2;

/// From this many rows on, the pane shows a second thing below the open tab.
pub(in crate::tui) const TALL: u16 = 36;

/// The part of the pane that the open tab has, and what stands below it where there is room.
pub fn halves(side: Side, area: Rect) -> (Rect, Option<(Side, Rect)>) {
    if area.height < TALL {
        return (area, None);
    }
    let upper = area.height * 2 / 5;
    let below = Rect {
        y: area.y + upper,
        height: area.height - upper,
        ..area
    };
    let other = if side == Side::Map {
        Side::Why
    } else {
        Side::Map
    };
    (
        Rect {
            height: upper,
            ..area
        },
        Some((other, below)),
    )
}

/// The tabs: their names, and the columns that each takes.
pub(in crate::tui) fn tab_places(area: Rect) -> impl Iterator<Item = (Side, u16, u16)> {
    let mut x = area.x + 1;
    let all: u16 = Side::ALL.iter().map(|side| columns(side.name()) + 3).sum();
    // Where that is too wide, they share the blanks around them.
    let apart = if all <= area.width { 3 } else { 1 };
    Side::ALL.into_iter().map(move |side| {
        let wide = columns(side.name()) + 2;
        let at = x;
        x += wide - 2 + apart;
        (side, at, wide)
    })
}

/// The tab at a place of the screen.
pub fn tab_at(area: Rect, at: Position) -> Option<Side> {
    let on_bar = at.y == area.y;
    tab_places(area)
        .find(|(_, x, wide)| on_bar && (*x..x + wide).contains(&at.x))
        .map(|(side, ..)| side)
}

/// How many rows of the open tab can be marked.
pub fn count(model: &Model) -> usize {
    match model.side.shown {
        Side::Why => why_rows(model).iter().filter(|row| row.marks()).count(),
        Side::Spread => spread::rows(model)
            .iter()
            .filter(|row| row.opens.is_some())
            .count(),
        Side::Track | Side::Sweep | Side::Tune => 0,
        Side::Map => map_rows(model).len(),
        Side::Findings => all_findings(model).len(),
        Side::Score => score_of(model).map_or(0, |(_, lines)| lines.len()),
        Side::Robot => robot::rows(model).len(),
    }
}

/// The first and the last line of the open tab that a row takes: headings stand in between.
pub fn lines_of_row(model: &Model, row: usize) -> (usize, usize) {
    match model.side.shown {
        Side::Why => {
            let rows = why_rows(model);
            let mut marked = rows.iter().enumerate().filter(|(_, one)| one.marks());
            let at = marked.nth(row).map_or(0, |(at, _)| at);
            let more = usize::from(MORE);
            (at.saturating_sub(1), at + more)
        }
        Side::Track | Side::Sweep | Side::Tune => (0, 0),
        Side::Map | Side::Score => (row, row),
        Side::Spread => {
            let side = model.areas().map_or(Rect::ZERO, |areas| areas.side);
            let height = halves(Side::Spread, side).0.height.saturating_sub(2);
            let below = spread::below(model, height, SPREAD_MORE);
            (row, row + SPREAD_HEAD + usize::from(below))
        }
        Side::Findings | Side::Robot => (row, row + usize::from(MORE)),
    }
}

/// The row of the open tab at a place of the screen.
pub fn row_at(model: &Model, area: Rect, at: Position) -> Option<usize> {
    let (area, _) = halves(model.side.shown, area);
    if at.y >= area.bottom() {
        return None;
    }
    let line = usize::from(at.y.checked_sub(area.y + 1)?) + model.side.scroll;
    match model.side.shown {
        Side::Why => {
            let rows = why_rows(model);
            rows.get(line)?
                .marks()
                .then(|| rows[..line].iter().filter(|row| row.marks()).count())
        }
        Side::Track | Side::Sweep | Side::Tune => None,
        // Below the headline, its interval and a gap.
        Side::Spread => line
            .checked_sub(SPREAD_HEAD)
            .filter(|row| *row < count(model)),
        Side::Map | Side::Findings | Side::Score | Side::Robot => {
            (line < count(model)).then_some(line)
        }
    }
}

/// A row of the why tab.
#[derive(Clone, Debug, Default)]
pub struct WhyRow {
    /// The exit it is about: its step in the program, and its place in that.
    pub exit: Option<(StepId, usize)>,
    /// The reflex it is about.
    pub(in crate::tui) reflex: Option<usize>,
    pub(in crate::tui) words: String,
    pub(in crate::tui) state: String,
    /// How near it is to holding.
    pub(in crate::tui) near: Option<f64>,
    pub(in crate::tui) role: Option<Role>,
    /// The step whose tint it has.
    pub(in crate::tui) step: Option<StepId>,
}

impl WhyRow {
    /// Whether the row can be marked.
    pub const fn marks(&self) -> bool {
        self.exit.is_some() || self.reflex.is_some()
    }
}

/// What the why tab says at the time cursor.
pub fn why_rows(model: &Model) -> Vec<WhyRow> {
    let mut rows = Vec::new();
    let (Some(report), Some(standing)) = (&model.report, model.standing()) else {
        return rows;
    };
    let program = &report.program;
    let owner = program
        .reflexes
        .iter()
        .zip(&standing.reflexes)
        .find(|(_, stands)| stands.has);
    // After the last look of a run things stay as they were just before it: what it decided is
    // shown instead.
    let tick = report.run.trace.tick_at(model.player.time + 1e-9);
    let last = report
        .run
        .visits
        .iter()
        .map(|visit| visit.left)
        .max()
        .unwrap_or_default();
    let ended = |step: StepId| {
        let mut visits = report.run.visits.iter().rev();
        visits.find(|visit| tick >= last && visit.left == last && visit.step == step)
    };
    let written: Vec<_> = standing
        .steps
        .iter()
        .filter(|stands| program.steps[stands.step].written)
        .collect();
    for (depth, stands) in written.iter().enumerate() {
        let about = &program.steps[stands.step];
        let ended = ended(stands.step);
        let what = match (&owner, about.reflex) {
            _ if ended.is_some() => "ended",
            (Some(_), Some(_)) => "interrupted by a reflex",
            (Some(_), None) => "waiting for the reflex",
            _ if about.group => &format!("pass {}", stands.passes + 1),
            // One that does its own work by way of others.
            _ if depth + 1 < written.len() => "active",
            _ => "driving",
        };
        let state = format!("{what}, {:.1} s", stands.since);
        rows.push(WhyRow {
            words: about.name.clone(),
            state,
            step: Some(stands.step),
            ..WhyRow::default()
        });
        for (index, (row, term)) in about.action.rows().iter().zip(&stands.rows).enumerate() {
            let drives = stands.passes as usize == index;
            let state = match (drives, row.term.is_some()) {
                (true, true) => format!("now: {}", state_words(term)),
                (true, false) => "now".to_owned(),
                (false, true) => state_words(term),
                (false, false) => "not needed".to_owned(),
            };
            rows.push(WhyRow {
                words: row.said(),
                state,
                near: term.looks.iter().filter_map(nearness).reduce(f64::min),
                role: drives.then_some(Role::Accent),
                ..WhyRow::default()
            });
            rows.extend(looks(term));
        }
        for (index, (exit, term)) in about.exits.iter().zip(&stands.exits).enumerate() {
            let fired = ended.is_some_and(|visit| visit.exit == Some(index));
            let state = match (fired, term.looked) {
                (true, _) => "fired".to_owned(),
                (false, true) => state_words(term),
                (false, false) => "not active yet".to_owned(),
            };
            // Of several looks the one furthest away says how far the whole is.
            let near = term.looks.iter().filter_map(nearness).reduce(f64::min);
            let near = if fired { near.map(|_| 1.0) } else { near };
            let role = match (fired || term.holds, exit.goal) {
                (true, Goal::Fail(_)) => Some(Role::Wrong),
                (true, _) => Some(Role::Good),
                (false, _) => None,
            };
            let word = if index == 0 { "until" } else { "or" };
            let words = format!("{word} {}", exit.words);
            rows.push(WhyRow {
                exit: Some((stands.step, index)),
                words,
                state,
                near,
                role,
                ..WhyRow::default()
            });
            if term.looked {
                rows.extend(looks(term));
            }
        }
    }
    for (index, (reflex, stands)) in program.reflexes.iter().zip(&standing.reflexes).enumerate() {
        let state = match (stands.has, stands.watches) {
            (true, _) => "driving".to_owned(),
            (false, false) => "does not watch this step".to_owned(),
            _ => state_words(&stands.term),
        };
        let near = stands
            .term
            .looks
            .iter()
            .filter_map(nearness)
            .fold(None, |near: Option<f64>, one| {
                Some(near.map_or(one, |near| near.max(one)))
            });
        let role = stands.has.then_some(Role::Accent);
        let words = format!("reflex: {}", reflex.words);
        rows.push(WhyRow {
            reflex: Some(index),
            words,
            state,
            near,
            role,
            ..WhyRow::default()
        });
        if stands.watches {
            rows.extend(looks(&stands.term));
        }
    }
    for Kept { name, value, of } in &standing.kept {
        rows.push(WhyRow {
            words: format!("{name} = {}", amount_words(*value, *of)),
            state: "measured".into(),
            ..WhyRow::default()
        });
    }
    rows
}

/// How a term stands: what holds it back, or its one look, or how many of several hold.
pub(in crate::tui) fn state_words(term: &TermStanding) -> String {
    if let Some(words) = wait_words(term) {
        return words;
    }
    match term.looks.as_slice() {
        [live] => live_words(live),
        many => format!(
            "{} of {} are true",
            many.iter().filter(|live| live.holds).count(),
            many.len()
        ),
    }
}

/// A row for each look of a term that has several.
pub(in crate::tui) fn looks(term: &TermStanding) -> impl Iterator<Item = WhyRow> {
    let several = if term.looks.len() > 1 {
        term.looks.as_slice()
    } else {
        &[]
    };
    several.iter().map(|live| WhyRow {
        words: format!("   {}", live.words),
        state: live_words(live),
        near: nearness(live),
        role: live.holds.then_some(Role::Good),
        ..WhyRow::default()
    })
}

/// A row of the map.
pub struct MapRow {
    /// The line of the text that it is about.
    pub line: usize,
    pub(in crate::tui) depth: usize,
    /// The number of its step in the run.
    pub(in crate::tui) step: Option<StepId>,
    pub(in crate::tui) words: String,
    /// Where it leads, in short.
    pub(in crate::tui) leads: String,
    /// What it is folded by, and whether it holds other steps.
    pub(in crate::tui) key: Option<(String, bool)>,
    pub(in crate::tui) fails: bool,
}

/// What the map shows: steps, those within them, and the exits of those that are opened.
pub fn map_rows(model: &Model) -> Vec<MapRow> {
    let document = model.mission();
    let mission = &document.prepared.parsed.mission;
    let mut rows = Vec::new();
    let mut block = Block::Mission;
    let mut hidden: Option<Block> = None;
    for step in &mission.steps {
        if step.block != block {
            block = step.block;
            hidden = None;
            let title = match block {
                Block::Routine(routine) => mission
                    .routines
                    .get(routine)
                    .map(|r| (format!("routine {}", r.name.node), r.line)),
                Block::Reflex(_) | Block::Mission => None,
            };
            if let Some((title, line)) = title {
                if model.side.folded.contains(&title) {
                    hidden = Some(block);
                }
                let key = Some((title.clone(), true));
                rows.push(MapRow {
                    line,
                    depth: 0,
                    step: None,
                    words: title,
                    leads: String::new(),
                    key,
                    fails: false,
                });
            }
        }
        let mut around = step.inside;
        let mut depth = usize::from(matches!(step.block, Block::Routine(_)));
        let mut within_folded = hidden == Some(step.block);
        while let Some(repeat) = around {
            depth += 1;
            within_folded |= model.side.folded.contains(&mission.steps[repeat].name.node);
            around = mission.steps[repeat].inside;
        }
        if within_folded {
            continue;
        }
        let holds = matches!(&step.behaviour, Some((behaviour, _)) if matches!(behaviour.node, Behaviour::Repeat(_)));
        let reflex = matches!(step.block, Block::Reflex(_));
        let words = if reflex {
            format!("reflex {}", step.name.node)
        } else {
            step.name.node.clone()
        };
        let ways = step
            .exits
            .iter()
            .map(|exit| way(model, step, &exit.target.node))
            .collect::<Vec<_>>();
        let open = model.side.folded.contains(&step.name.node);
        let leads = if open && !holds {
            String::new()
        } else {
            ways.join(" ")
        };
        let number = model.step_of_line(step.line).filter(|_| !reflex);
        let key = Some((step.name.node.clone(), holds));
        rows.push(MapRow {
            line: step.line,
            depth,
            step: number,
            words,
            leads,
            key,
            fails: false,
        });
        if open && !holds {
            for exit in &step.exits {
                let condition = &document.text[exit.condition.span.clone()];
                let fails = matches!(exit.target.node, Target::Fail(_));
                let leads = way(model, step, &exit.target.node);
                let words = condition.to_owned();
                rows.push(MapRow {
                    line: exit.line,
                    depth: depth + 2,
                    step: None,
                    words,
                    leads,
                    key: None,
                    fails,
                });
            }
        }
    }
    rows
}

/// Where an exit leads, in a sign and a number.
pub(in crate::tui) fn way(
    model: &Model,
    step: &wayodos_core::mission::Step,
    target: &Target,
) -> String {
    match target {
        Target::Next => "↓".into(),
        Target::Step(name) => {
            let mission = &model.mission().prepared.parsed.mission;
            let line = mission
                .find(name, step)
                .map(|found| mission.steps[found].line);
            line.and_then(|line| model.step_of_line(line))
                .map_or_else(|| "→?".into(), |step| format!("→{}", step.number()))
        }
        Target::Again => "↻".into(),
        Target::Out => "↱".into(),
        Target::Done => "✓".into(),
        Target::Fail(_) => "✗".into(),
    }
}

/// The line of the text that the marked row of the map is about.
pub fn map_line(model: &Model) -> Option<usize> {
    map_rows(model).get(model.side.row).map(|row| row.line)
}

/// The row of the map that a line of the text belongs to.
pub fn row_of_line(model: &Model, line: usize) -> usize {
    map_rows(model)
        .iter()
        .rposition(|row| row.line <= line)
        .unwrap_or(0)
}

/// Everything that is wrong with the mission, or with the files that it plays with, or worth a
/// thought, most urgent first.
pub fn all_findings(model: &Model) -> Vec<Finding> {
    let mission = model.mission();
    let mut all = model.rules();
    all.extend(model.project.findings.iter().cloned());
    if let Some(report) = model
        .report
        .as_ref()
        .filter(|report| Arc::ptr_eq(&report.text, &mission.text))
    {
        all.extend(report.hindsight.iter().cloned());
    }
    all.sort_by_key(|finding| (finding.severity, finding.span.start));
    all
}

/// The score sheet of the run that is shown; none when its rules give no points.
pub(in crate::tui) fn score_of(model: &Model) -> Option<(Arc<RunReport>, Vec<ScoreLine>)> {
    let report = model.report.clone()?;
    report.run.sheet.total()?;
    let lines = report.run.sheet.lines.clone();
    Some((report, lines))
}
