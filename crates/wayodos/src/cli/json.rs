//! The answers of `--json`: one object each.

use serde::Serialize;
use wayodos_core::controller::{Action, Event, Goal, Left, Program, RowOf};
use wayodos_core::finding::{Edit, Finding, line_column};
use wayodos_core::ids::StepId;
use wayodos_core::lab::evidence::{Beyond, RowEvidence, Spare};
use wayodos_core::lab::statistics;
use wayodos_core::mission::Amount;
use wayodos_core::record::{Happening, Tick};
use wayodos_core::sim::Chance;
use wayodos_core::units::{Dimension, Quantity};
use wayodos_report::Story;
use wayodos_report::words::{exit_words, goal_words, happening_words, row_words, wrong_words};
use wayodos_report::{Flow, FlowBox, quiet_reflexes};

use crate::folder::Project;
use crate::work::RunReport;

/// A mission of a project that was checked, and what was found.
pub(super) struct Checked {
    pub(super) project: Project,
    pub(super) findings: Vec<Finding>,
}

#[derive(Serialize)]
struct Place {
    line: usize,
    column: usize,
}

#[derive(Serialize)]
struct FindingOut<'a> {
    code: &'a str,
    severity: &'a str,
    file: &'a str,
    start: Place,
    end: Place,
    message: &'a str,
    hints: Vec<&'a str>,
    /// The hints that a program can follow, each with the edits that do it.
    fixes: Vec<FixOut<'a>>,
}

#[derive(Serialize)]
struct PoseOut {
    x_mm: f64,
    y_mm: f64,
    heading_deg: f64,
}

#[derive(Serialize)]
struct StepOut<'a> {
    name: &'a str,
    /// How many steps of the text it stands in.
    depth: usize,
    entered_s: f64,
    left_s: f64,
    exit: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    term: Option<&'a str>,
    target: Option<String>,
    margin: Option<f64>,
    /// All of them in written order, fired or not.
    exits: Vec<ExitOut<'a>>,
    /// What it was left by.
    left_by: &'a str,
    /// Whole passes that it made, of a repeat.
    #[serde(skip_serializing_if = "Option::is_none")]
    passes: Option<u32>,
    /// Of a `react` or a `choose`.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    rows: Vec<RowOut<'a>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    measured: Option<MeasuredOut<'a>>,
    /// How far it went beyond the way or the angle that ended it.
    #[serde(skip_serializing_if = "Option::is_none")]
    beyond: Option<BeyondOut>,
}

/// What went wrong first.
#[derive(Serialize)]
struct FirstOut<'a> {
    t_s: f64,
    step: &'a str,
    words: String,
}

/// A row with how often it was taken, and for how long it had the wheels.
#[derive(Serialize)]
struct RowOut<'a> {
    when: &'a str,
    times: u32,
    seconds: f64,
    was: String,
}

/// What a step measured, in the unit that people use.
#[derive(Serialize)]
struct MeasuredOut<'a> {
    name: &'a str,
    value: f64,
    unit: &'a str,
}

/// `over`: when the exit fired, by what the robot measures; `rolled_on`: how far the robot truly
/// went on until it stood.
#[derive(Serialize)]
struct BeyondOut {
    unit: &'static str,
    over: f64,
    rolled_on: Option<f64>,
}

#[derive(Serialize)]
struct ExitOut<'a> {
    when: &'a str,
    fired: bool,
    target: String,
    /// How it stood when the step was left, in words.
    was: String,
}

#[derive(Serialize)]
struct EventOut<'a> {
    t_s: f64,
    kind: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    step: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    exit: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    count: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    words: Option<String>,
}

/// One fix of a finding: its edits belong together and do not overlap.
#[derive(Serialize)]
struct FixOut<'a> {
    words: &'a str,
    edits: Vec<EditOut<'a>>,
}

/// A replacement of some characters of the file; `bytes` counts from 0, `end` is exclusive.
#[derive(Serialize)]
struct EditOut<'a> {
    start: Place,
    end: Place,
    bytes: [usize; 2],
    text: &'a str,
}

#[derive(Serialize)]
struct VerdictOut<'a> {
    verdict: &'a str,
    t_s: f64,
}

#[derive(Serialize)]
struct ScoreOut<'a> {
    #[serde(rename = "for")]
    what: &'a str,
    each: f64,
    times: u32,
    first_s: Option<f64>,
}

#[derive(Serialize, Default)]
struct RunOut<'a> {
    version: u32,
    outcome: &'a str,
    reason: &'a str,
    duration_s: Option<f64>,
    /// What went wrong first, when it did not end as planned.
    #[serde(skip_serializing_if = "Option::is_none")]
    first_wrong: Option<FirstOut<'a>>,
    score: Option<f64>,
    verdict: Option<VerdictOut<'a>>,
    sheet: Vec<ScoreOut<'a>>,
    final_pose: Option<PoseOut>,
    steps: Vec<StepOut<'a>>,
    /// The reflexes that never took over, and how near they came.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    quiet_reflexes: Vec<QuietOut>,
    events: Vec<EventOut<'a>>,
    findings: Vec<FindingOut<'a>>,
    trace_hash: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    varied: Option<VariedOut<'a>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    wall_ms: Option<f64>,
}

/// A reflex that never took over.
#[derive(Serialize)]
struct QuietOut {
    reflex: String,
    was: String,
}

/// Which of the many runs it is, and what is different in it.
#[derive(Serialize)]
struct VariedOut<'a> {
    run: u32,
    scatter: &'a str,
    drawn: Vec<DrawnOut<'a>>,
    drawn_again: u32,
}

/// A deviation, in its unit; none for a plain number.
#[derive(Serialize)]
struct DrawnOut<'a> {
    what: &'a str,
    off: f64,
    unit: &'a str,
    sigmas: Option<f64>,
}

fn varied(chance: &Chance) -> Option<VariedOut<'_>> {
    let drawn = chance.drawn.iter().map(|one| DrawnOut {
        what: &one.what,
        off: rounded(Quantity::from_si(one.off, one.unit).value, 4),
        unit: one.unit.symbol(),
        sigmas: one.sigmas.map(|sigmas| rounded(sigmas, 4)),
    });
    (chance.run > 0).then(|| VariedOut {
        run: chance.run,
        scatter: chance.scatter.word(),
        drawn: drawn.collect(),
        drawn_again: chance.again,
    })
}

/// How many of how many, with where the true share lies, 95 % sure.
#[derive(Serialize)]
pub(super) struct Share {
    times: u32,
    of: u32,
    #[serde(rename = "share")]
    value: Option<f64>,
    low: f64,
    high: f64,
}

impl From<statistics::Share> for Share {
    fn from(share: statistics::Share) -> Self {
        let (low, high) = share.interval();
        Self {
            times: share.times,
            of: share.of,
            value: share.value(),
            low,
            high,
        }
    }
}

/// The version of these answers: another one when a key goes or means something else.
const VERSION: u32 = 2;

#[derive(Serialize)]
struct FindingsOut<'a> {
    version: u32,
    missions: Vec<String>,
    findings: Vec<FindingOut<'a>>,
}

pub(super) fn text<T: Serialize>(value: &T) -> String {
    serde_json::to_string_pretty(value)
        .expect("plain structs of numbers and texts always serialise")
}

fn list<'a>(project: &'a Project, findings: &'a [Finding]) -> Vec<FindingOut<'a>> {
    let one = |finding: &'a Finding| {
        let (file, source) = project.source(finding.source, &project.mission);
        let place = |offset: usize| {
            let (line, column) = line_column(source, offset);
            Place { line, column }
        };
        let edit = |edit: &'a Edit| EditOut {
            start: place(edit.span.start),
            end: place(edit.span.end),
            bytes: [edit.span.start, edit.span.end],
            text: &edit.text,
        };
        FindingOut {
            code: finding.code,
            severity: finding.severity.word(),
            file,
            start: place(finding.span.start),
            end: place(finding.span.end),
            message: &finding.message,
            hints: finding.hint_words(),
            fixes: (finding.hints.iter())
                .filter(|hint| !hint.edits.is_empty())
                .map(|hint| FixOut {
                    words: &hint.words,
                    edits: hint.edits.iter().map(edit).collect(),
                })
                .collect(),
        }
    };
    findings.iter().map(one).collect()
}

/// The answer of `check --json`.
pub fn findings(checked: &[Checked]) -> String {
    let all = checked
        .iter()
        .flat_map(|one| list(&one.project, &one.findings));
    let missions = checked.iter().map(|one| one.project.config.mission.clone());
    text(&FindingsOut {
        version: VERSION,
        missions: missions.collect(),
        findings: all.collect(),
    })
}

/// The answer of `fmt --json`: the files that were, or would be, changed.
pub fn changed(files: &[String]) -> String {
    text(&serde_json::json!({ "version": VERSION, "changed": files }))
}

/// The answer of `read --json`: how the mission begins, and one entry a step.
pub fn flow(flow: &Flow) -> String {
    let step = |one: &FlowBox| {
        let exits = one.arrows.iter();
        let exits: Vec<_> = exits
            .map(|arrow| {
                serde_json::json!({ "when": arrow.label, "to": flow.way_words(&arrow.way) })
            })
            .collect();
        serde_json::json!({
            "name": one.name,
            "line": one.line + 1,
            "says": one.says,
            "notes": one.notes,
            "exits": exits,
        })
    };
    // The first box is no step: it says what comes before them.
    let (start, steps) = flow
        .boxes
        .split_first()
        .map_or((&[][..], &[][..]), |(start, steps)| {
            (start.says.as_slice(), steps)
        });
    text(&serde_json::json!({
        "version": VERSION,
        "mission": flow.title,
        "start": start,
        "steps": steps.iter().map(step).collect::<Vec<_>>(),
    }))
}

/// A run that could not take place.
pub fn error(reason: &str, project: &Project, findings: &[Finding]) -> String {
    text(&RunOut {
        version: VERSION,
        outcome: "error",
        reason,
        findings: list(project, findings),
        ..RunOut::default()
    })
}

/// A project that could not be opened.
pub fn refusal(reason: &str) -> String {
    text(&RunOut {
        version: VERSION,
        outcome: "error",
        reason,
        ..RunOut::default()
    })
}

/// What a step was left by, in a word.
const fn left_word(by: Left) -> &'static str {
    match by {
        Left::Exit(_) => "exit",
        Left::Finished => "finished",
        Left::Chose(_) => "choice",
        Left::Around(..) => "exit of a step around it",
        Left::Row(..) => "another row",
        Left::Over(_) => "reflex no longer true",
        Left::Reflex(_) => "reflex",
        Left::GoneOn => "gone on",
        Left::End => "end of the run",
    }
}

fn rows<'a>(period_ms: u32, action: &'a Action, rows: &[RowEvidence]) -> Vec<RowOut<'a>> {
    let row = |(of, row): (RowOf<'a>, &RowEvidence)| RowOut {
        when: if of.term.is_some() {
            of.words
        } else {
            "otherwise"
        },
        times: row.times,
        seconds: row.ticks as f64 * f64::from(period_ms) / 1e3,
        was: row_words(row, &of, period_ms).0,
    };
    action.rows().into_iter().zip(rows).map(row).collect()
}

fn beyond(beyond: Beyond) -> Option<BeyondOut> {
    let amount = |spare: Spare| match spare {
        Spare::Length(metres) => Some(("mm", rounded(metres * 1e3, 1))),
        Spare::Angle(angle) => Some(("deg", rounded(angle.to_degrees(), 2))),
        Spare::Time(_) | Spare::Lines(_) | Spare::Noise(_) | Spare::Other(..) | Spare::Unseen => {
            None
        }
    };
    let (unit, over) = amount(beyond.fired)?;
    let rolled_on = beyond.rolled_on.and_then(amount).map(|(_, on)| on);
    Some(BeyondOut {
        unit,
        over,
        rolled_on,
    })
}

/// The answer of `run --json`.
pub fn run(project: &Project, all: &[Finding], report: &RunReport, wall_ms: Option<f64>) -> String {
    let RunReport {
        run,
        program,
        evidence,
        ..
    } = report;
    let trace = &run.trace;
    let steps = evidence.iter().map(|step| {
        let of = &program.steps[step.visit.step];
        let exit = step.visit.exit.map(|exit| &of.exits[exit]);
        StepOut {
            name: &of.name,
            depth: step.depth,
            entered_s: trace.seconds(step.visit.entered),
            left_s: trace.seconds(step.visit.left),
            exit: exit.map(|exit| exit.words.as_str()),
            // Which of several terms it was.
            term: exit.and_then(|exit| {
                let looks: Vec<_> = exit.term.looks().collect();
                looks
                    .get(step.visit.look)
                    .filter(|_| looks.len() > 1)
                    .map(|look| look.words.as_str())
            }),
            target: exit.map(|exit| target(program, step.visit.step, &exit.goal)),
            margin: step.margin().map(|margin| rounded(margin, 2)),
            exits: of
                .exits
                .iter()
                .zip(&step.exits)
                .enumerate()
                .map(|(nth, (exit, evidence))| ExitOut {
                    when: &exit.words,
                    fired: step.visit.exit == Some(nth),
                    target: target(program, step.visit.step, &exit.goal),
                    was: exit_words(evidence, exit.kind, matches!(exit.goal, Goal::Fail(_))).0,
                })
                .collect(),
            left_by: left_word(step.by),
            passes: step.passes,
            rows: rows(trace.period_ms, &of.action, &step.rows),
            measured: step.measured.map(|(name, si)| {
                let dimension = program.kept_kinds[name].unwrap_or(Dimension::Number);
                let quantity = Amount { si, dimension }.quantity();
                MeasuredOut {
                    name: &program.kept[name],
                    value: rounded(quantity.value, 4),
                    unit: quantity.unit.symbol(),
                }
            }),
            beyond: step.beyond.and_then(beyond),
        }
    });
    let mut events: Vec<EventOut<'_>> = trace
        .events
        .iter()
        .filter_map(|stamp| {
            let (kind, step, exit, count) = match stamp.event {
                Event::Entered { step } => ("entered", step, None, None),
                Event::Counted { step, exit, count } => ("counted", step, Some(exit), Some(count)),
                Event::Ended { step, exit } => ("ended by itself", step, Some(exit), None),
                Event::Left { step, exit, .. } => ("left", step, exit, None),
                Event::Took { reflex } => (
                    "reflex took over",
                    program.reflexes[reflex].step,
                    None,
                    None,
                ),
                Event::Gave { reflex } => (
                    "reflex gave back",
                    program.reflexes[reflex].step,
                    None,
                    None,
                ),
                Event::Kept { name } => {
                    let words =
                        Some(program.kept[name].clone()).filter(|name| !name.starts_with(' '))?;
                    let t_s = trace.seconds(stamp.tick as usize);
                    let (step, exit, count) = (None, None, None);
                    return Some(EventOut {
                        t_s,
                        kind: "measured",
                        step,
                        exit,
                        count,
                        words: Some(words),
                    });
                }
            };
            let of = &program.steps[step];
            let exit = exit.map(|exit| of.exits[exit].words.as_str());
            let (t_s, step) = (trace.seconds(stamp.tick as usize), Some(of.name.as_str()));
            of.written.then_some(EventOut {
                t_s,
                kind,
                step,
                exit,
                count,
                words: None,
            })
        })
        .collect();
    if let Some(setup) = &project.setup {
        let story = Story {
            field: &setup.field,
            robot: &setup.robot,
            program,
            run,
        };
        events.extend(trace.happened.iter().map(|happened| EventOut {
            t_s: trace.seconds(happened.tick as usize),
            kind: happening_kind(happened.what),
            step: None,
            exit: None,
            count: None,
            words: Some(happening_words(story, *happened)),
        }));
    }
    let mut began = |kind, of: fn(&Tick) -> bool| {
        events.extend(trace.onsets(of).map(|at| EventOut {
            t_s: trace.seconds(at),
            kind,
            step: None,
            exit: None,
            count: None,
            words: None,
        }));
    };
    began("touched", |tick| tick.touched);
    began("met", |tick| tick.met);
    began("wheel over the edge", |tick| tick.hangs);
    events.sort_by(|a, b| a.t_s.total_cmp(&b.t_s));
    let pose = run.final_pose();
    text(&RunOut {
        version: VERSION,
        outcome: run.outcome.word(),
        reason: &run.reason,
        duration_s: Some(run.duration()),
        first_wrong: report.first.map(|first| FirstOut {
            t_s: trace.seconds(first.tick),
            step: &program.steps[first.step].name,
            words: wrong_words(report.story(), &first),
        }),
        score: run.sheet.total(),
        verdict: run.sheet.verdict.map(|(verdict, tick)| VerdictOut {
            verdict: verdict.word(),
            t_s: trace.seconds(tick),
        }),
        sheet: (run.sheet.lines.iter())
            .map(|line| ScoreOut {
                what: &line.words,
                each: line.each,
                times: line.times,
                first_s: line.first.map(|tick| trace.seconds(tick)),
            })
            .collect(),
        final_pose: Some(PoseOut {
            x_mm: rounded(pose.x * 1e3, 2),
            y_mm: rounded(pose.y * 1e3, 2),
            heading_deg: rounded(
                wayodos_core::units::math::wrap(pose.heading).to_degrees(),
                2,
            ),
        }),
        steps: steps.collect(),
        quiet_reflexes: quiet_reflexes(report.story())
            .into_iter()
            .map(|(reflex, was)| QuietOut { reflex, was })
            .collect(),
        events,
        findings: list(project, all),
        trace_hash: Some(format!("{:016x}", run.fingerprint())),
        varied: varied(&report.chance),
        wall_ms: wall_ms.map(|wall_ms| rounded(wall_ms, 3)),
    })
}

/// One word or two for what happened, that does not change with the field.
const fn happening_kind(what: Happening) -> &'static str {
    match what {
        Happening::Fell => "fell",
        Happening::Gone(_) => "thing fell",
        Happening::Came(_) => "came",
        Happening::Left(_) => "went",
        Happening::Tape(_) => "tape touched",
        Happening::EarlyStart => "early start",
        Happening::LeftMat => "left the mat",
        Happening::Touched(_) => "touched",
        Happening::Hung => "wheel over the edge",
        Happening::Locked(_) => "locked",
        Happening::Parted(_) => "parted",
        Happening::ByHand(_) => "by hand",
        Happening::Signal(..) => "signal",
        Happening::Arrived(_) => "actuator there",
        Happening::Blocked(_) => "actuator blocked",
    }
}

/// Where an exit leads: the name of a step, or `done`, `fail` and the like.
fn target(program: &Program, step: StepId, goal: &Goal) -> String {
    match goal {
        Goal::Fail(_) => "fail".to_owned(),
        Goal::Step(_) | Goal::Next | Goal::Pass(_) | Goal::Complete(..) | Goal::Done => {
            goal_words(program, step, goal).replace('"', "")
        }
    }
}

fn rounded(value: f64, decimals: i32) -> f64 {
    let scale = 10f64.powi(decimals);
    (value * scale).round() / scale + 0.0
}
