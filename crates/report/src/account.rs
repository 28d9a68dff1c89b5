//! The account of a run: step by step what was done, for how long, and what ended it; passes that
//! repeat each other told as one.

use wayodos_core::controller::{Goal, Left, Program, RowOf};
use wayodos_core::ids::StepId;
use wayodos_core::lab::evidence::{self, Beyond, Evidence, RowEvidence, Spare, StepEvidence, THIN};
use wayodos_core::record::Run;

use crate::field::Story;
use crate::why::amount_words;
use crate::words::{Weight, exit_words, goal_words, row_words, spare_words};

/// A step that is visited more often than this within one stay around it is told once for all its
/// visits.
const TOLD_SINGLY: usize = 3;

/// A visit of a step, or several of the same step together.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Told {
    /// The step.
    pub step: StepId,
    /// How many steps of the text it stands in.
    pub depth: usize,
    /// When: `0.30 - 20.30 s, 39 passes`, or `40 times, 0.3 to 20.3 s`.
    pub times: String,
    /// What ended it and what did not, what its rows did, what it measured.
    pub lines: Vec<ToldLine>,
}

/// One thing told of a step.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ToldLine {
    /// An exit, a row, a name.
    pub about: String,
    /// What is said of it.
    pub words: String,
    /// Where that led, when it led somewhere.
    pub goal: Option<String>,
    /// How it is to look.
    pub weight: Weight,
}

impl ToldLine {
    fn spare(about: impl Into<String>, words: impl Into<String>) -> Self {
        Self {
            about: about.into(),
            words: words.into(),
            goal: None,
            weight: Weight::Spare,
        }
    }
}

/// A run told from its evidence; with `all` each visit of a step by itself.
pub fn account(run: &Run, program: &Program, evidence: &[StepEvidence], all: bool) -> Vec<Told> {
    let teller = Teller {
        run,
        program,
        evidence,
        within: within(program, evidence),
        all,
    };
    let mut told = Vec::new();
    let mut inner = vec![false; evidence.len()];
    for visit in teller.within.iter().flatten() {
        inner[*visit] = true;
    }
    let outermost: Vec<usize> = (0..evidence.len()).filter(|visit| !inner[*visit]).collect();
    teller.tell(&outermost, false, &mut told);
    told
}

/// The reflexes that never took over, each with how near it came.
pub fn quiet_reflexes(story: Story<'_>) -> Vec<(String, String)> {
    let Story {
        run,
        program,
        robot,
        ..
    } = story;
    let one = |(reflex, nearest): (usize, Option<Spare>)| {
        let reflex = &program.reflexes[reflex];
        let words = match nearest {
            None | Some(Spare::Unseen | Spare::Noise(0.0)) => "did not act".to_owned(),
            Some(spare) => format!("did not act: {}", spare_words(spare)),
        };
        (format!("{}: {}", reflex.name, reflex.words), words)
    };
    let quiet = evidence::quiet_reflexes(run, program, robot);
    quiet.into_iter().map(one).collect()
}

/// For each visit those that stand in it, in order.
fn within(program: &Program, evidence: &[StepEvidence]) -> Vec<Vec<usize>> {
    let mut inner = vec![Vec::new(); evidence.len()];
    // The latest visit of each step so far.
    let mut latest = vec![None; program.steps.len()];
    for (index, one) in evidence.iter().enumerate() {
        latest[one.visit.step.0] = Some(index);
        let around = program.steps[one.visit.step].parent;
        if let Some(around) = around.and_then(|step| latest[program.shown(step).0]) {
            inner[around].push(index);
        }
    }
    inner
}

struct Teller<'a> {
    run: &'a Run,
    program: &'a Program,
    evidence: &'a [StepEvidence],
    within: Vec<Vec<usize>>,
    all: bool,
}

impl Teller<'_> {
    /// Tells of visits that stand in the same steps; those of several stays are told together.
    fn tell(&self, visits: &[usize], together: bool, told: &mut Vec<Told>) {
        let most = if together { 1 } else { TOLD_SINGLY };
        let mut done: Vec<StepId> = Vec::new();
        for &visit in visits {
            let step = self.evidence[visit].visit.step;
            if done.contains(&step) {
                continue;
            }
            let same = |other: &usize| self.evidence[*other].visit.step == step;
            let alike: Vec<usize> = if self.all {
                Vec::new()
            } else {
                visits.iter().copied().filter(same).collect()
            };
            if alike.len() <= most {
                told.push(self.one(&self.evidence[visit]));
                self.tell(&self.within[visit], together, told);
                continue;
            }
            done.push(step);
            told.push(self.many(&alike));
            let mut inner: Vec<usize> = alike
                .iter()
                .flat_map(|visit| self.within[*visit].iter().copied())
                .collect();
            inner.sort_unstable();
            self.tell(&inner, true, told);
        }
    }

    fn one(&self, one: &StepEvidence) -> Told {
        let (visit, trace) = (one.visit, &self.run.trace);
        let step = &self.program.steps[visit.step];
        let (from, to) = (trace.seconds(visit.entered), trace.seconds(visit.left));
        let mut times = if visit.left == visit.entered {
            format!("{from:.2} s")
        } else {
            format!("{from:.2} - {to:.2} s")
        };
        if let Some(passes) = one.passes {
            times = format!("{times}, {}", counted(passes as usize, "pass", "passes"));
        }
        let mut lines: Vec<ToldLine> = self.beginning(visit.step).into_iter().collect();
        lines.extend(self.rows(&[one]));
        for (nth, (exit, evidence)) in step.exits.iter().zip(&one.exits).enumerate() {
            let failed = matches!(exit.goal, Goal::Fail(_));
            let (mut words, weight) = exit_words(evidence, exit.kind, failed);
            if let Some(beyond) = one.beyond.filter(|_| visit.exit == Some(nth)) {
                words = format!("{words}{}", beyond_words(beyond));
            }
            let goal = match evidence {
                Evidence::Fired { .. } => Some(goal_words(self.program, visit.step, &exit.goal)),
                Evidence::Spare(_) => None,
            };
            lines.push(ToldLine {
                about: exit.words.clone(),
                words,
                goal,
                weight,
            });
        }
        lines.extend(
            self.left_words(one.by)
                .map(|words| ToldLine::spare(words, "")),
        );
        if let Some(angle) = one.off_square {
            lines.push(ToldLine::spare("how square", square_words(angle)));
        }
        if let Some((name, value)) = one.measured {
            lines.push(ToldLine::spare(
                self.program.kept[name].clone(),
                amount_words(value, self.program.kept_kinds[name]),
            ));
        }
        Told {
            step: visit.step,
            depth: one.depth,
            times,
            lines,
        }
    }

    fn many(&self, visits: &[usize]) -> Told {
        let visits: Vec<&StepEvidence> = visits.iter().map(|one| &self.evidence[*one]).collect();
        let trace = &self.run.trace;
        let (first, last) = (visits[0], visits[visits.len() - 1]);
        let step = first.visit.step;
        let (from, to) = (
            trace.seconds(first.visit.entered),
            trace.seconds(last.visit.left),
        );
        let mut times = format!("{} times, {from:.1} to {to:.1} s", visits.len());
        let passes: Vec<u32> = visits.iter().filter_map(|one| one.passes).collect();
        if let (Some(least), Some(most)) = (passes.iter().min(), passes.iter().max()) {
            let span = if least == most {
                counted(*most as usize, "pass", "passes")
            } else {
                format!("{least} to {most} passes")
            };
            times = format!("{times}, {span} each");
        }
        let mut lines: Vec<ToldLine> = self.beginning(step).into_iter().collect();
        lines.extend(self.rows(&visits));
        for (nth, exit) in self.program.steps[step].exits.iter().enumerate() {
            let all: Vec<Evidence> = visits.iter().map(|one| one.exits[nth]).collect();
            let failed = matches!(exit.goal, Goal::Fail(_));
            let (words, weight) = together(&all, failed);
            let goal =
                (weight != Weight::Spare).then(|| goal_words(self.program, step, &exit.goal));
            lines.push(ToldLine {
                about: exit.words.clone(),
                words,
                goal,
                weight,
            });
        }
        let mut left: Vec<(String, usize)> = Vec::new();
        for words in visits.iter().filter_map(|one| self.left_words(one.by)) {
            match left.iter_mut().find(|(known, _)| *known == words) {
                Some((_, times)) => *times += 1,
                None => left.push((words, 1)),
            }
        }
        let squares: Vec<f64> = visits.iter().filter_map(|one| one.off_square).collect();
        if let Some(worst) = squares
            .into_iter()
            .max_by(|a, b| a.abs().total_cmp(&b.abs()))
        {
            lines.push(ToldLine::spare(
                "how square",
                format!("{} at worst", square_words(worst)),
            ));
        }
        let left = left.into_iter();
        lines.extend(
            left.map(|(words, times)| ToldLine::spare(words, counted(times, "time", "times"))),
        );
        let measured: Vec<(usize, f64)> = visits.iter().filter_map(|one| one.measured).collect();
        if let Some((name, _)) = measured.first() {
            let values = || measured.iter().map(|(_, value)| *value);
            let (least, most) = (
                values().fold(f64::INFINITY, f64::min),
                values().fold(f64::NEG_INFINITY, f64::max),
            );
            let [least, most] =
                [least, most].map(|value| amount_words(value, self.program.kept_kinds[*name]));
            let words = if least == most {
                most
            } else {
                format!("{least} to {most}")
            };
            lines.push(ToldLine::spare(self.program.kept[*name].clone(), words));
        }
        Told {
            step,
            depth: first.depth,
            times,
            lines,
        }
    }

    /// What a reflex took the wheels by, at its step.
    fn beginning(&self, step: StepId) -> Option<ToldLine> {
        let mut reflexes = self.program.reflexes.iter();
        let reflex = reflexes.find(|reflex| self.program.shown(reflex.step) == step)?;
        Some(ToldLine::spare(reflex.words.clone(), "took the wheels"))
    }

    /// The rows of a `react` or a `choose`, over some visits.
    fn rows(&self, visits: &[&StepEvidence]) -> Vec<ToldLine> {
        let step = visits[0].visit.step;
        let rows = self.program.steps[step].action.rows();
        let line = |(nth, of): (usize, &RowOf<'_>)| {
            let mut all = visits.iter().filter_map(|one| one.rows.get(nth));
            let first = all.next()?.clone();
            let row = all.fold(first, |sum, row| RowEvidence {
                times: sum.times + row.times,
                ticks: sum.ticks + row.ticks,
                spare: nearer(sum.spare, row.spare),
            });
            let (words, weight) = row_words(&row, of, self.run.trace.period_ms);
            let goal = of.goal.filter(|_| row.times > 0);
            Some(ToldLine {
                about: of.said(),
                words,
                goal: goal.map(|goal| goal_words(self.program, step, &goal)),
                weight,
            })
        };
        rows.iter().enumerate().filter_map(line).collect()
    }

    /// What a step was left by, when none of its own exits and rows says so.
    fn left_words(&self, by: Left) -> Option<String> {
        let named = |step: StepId| {
            let step = self.program.shown(step);
            format!("{} \"{}\"", step.number(), self.program.steps[step].name)
        };
        Some(match by {
            Left::Exit(_) | Left::Finished | Left::Chose(_) | Left::GoneOn => return None,
            Left::Around(step, exit) => {
                let exit = &self.program.steps[step].exits[exit];
                format!("broken off by {}: {}", named(step), exit.words)
            }
            Left::Row(step, row) => {
                let rows = self.program.steps[step].action.rows();
                let said = row.and_then(|row| rows.get(row)).map(RowOf::said);
                let said = said.unwrap_or_else(|| "no row holds".to_owned());
                format!("broken off by {}: {said}", named(step))
            }
            Left::Over(reflex) => {
                let words = &self.program.reflexes[reflex].words;
                format!("over: {} no longer", words.trim_start_matches("while "))
            }
            Left::Reflex(reflex) => {
                format!(
                    "broken off by reflex \"{}\"",
                    self.program.reflexes[reflex].name
                )
            }
            Left::End => "broken off by the end of the run".to_owned(),
        })
    }
}

/// What several visits say of one exit.
fn together(all: &[Evidence], failed: bool) -> (String, Weight) {
    let fired: Vec<(Option<f64>, bool)> = all
        .iter()
        .filter_map(|one| match one {
            Evidence::Fired { clear, at_once } => Some((*clear, *at_once)),
            Evidence::Spare(_) => None,
        })
        .collect();
    if fired.is_empty() {
        let spares = all.iter().filter_map(|one| match one {
            Evidence::Spare(spare) => Some(*spare),
            Evidence::Fired { .. } => None,
        });
        let nearest = spares.reduce(nearer).unwrap_or(Spare::Unseen);
        let words = match nearest {
            Spare::Unseen => spare_words(nearest),
            Spare::Noise(widths) if widths < THIN => spare_words(nearest),
            Spare::Length(_)
            | Spare::Angle(_)
            | Spare::Time(_)
            | Spare::Lines(_)
            | Spare::Other(..)
            | Spare::Noise(_) => format!("{} at least", spare_words(nearest)),
        };
        return (words, Weight::Spare);
    }
    let mut words = format!("fired {} of {}", fired.len(), all.len());
    let least = fired
        .iter()
        .filter_map(|(clear, _)| *clear)
        .reduce(f64::min);
    let at_once = fired.iter().filter(|(_, at_once)| *at_once).count();
    let thin = least.is_some_and(|least| least < THIN);
    match least {
        Some(least) if thin => words = format!("{words}, THIN {least:.1} once"),
        Some(least) => words = format!("{words}, clear {least:.0} at least"),
        None => {}
    }
    if at_once > 0 {
        words = format!("{words}, at once {}", counted(at_once, "time", "times"));
    }
    let weight = match (failed, thin || at_once > 0) {
        (true, _) => Weight::Failed,
        (false, true) => Weight::Thin,
        (false, false) => Weight::Fired,
    };
    (words, weight)
}

/// The one of two that was nearer to firing; what was never looked at says nothing.
fn nearer(a: Spare, b: Spare) -> Spare {
    let size = |spare: Spare| match spare {
        Spare::Length(size)
        | Spare::Angle(size)
        | Spare::Time(size)
        | Spare::Noise(size)
        | Spare::Other(size, _) => size,
        Spare::Lines(lines) => f64::from(lines),
        Spare::Unseen => f64::INFINITY,
    };
    if size(b) < size(a) { b } else { a }
}

/// How far a step went beyond what ended it: nothing when it is less than can be read.
fn beyond_words(beyond: Beyond) -> String {
    let words = |amount: Spare| match amount {
        Spare::Length(metres) if metres >= 0.0005 => Some(format!("{:.0} mm", metres * 1e3)),
        Spare::Angle(angle) if angle.to_degrees() >= 0.05 => {
            Some(format!("{:.1} deg", angle.to_degrees()))
        }
        Spare::Length(_)
        | Spare::Angle(_)
        | Spare::Time(_)
        | Spare::Lines(_)
        | Spare::Noise(_)
        | Spare::Other(..)
        | Spare::Unseen => None,
    };
    let over = words(beyond.fired).map(|words| format!(", {words} over"));
    let verb = if matches!(beyond.fired, Spare::Angle(_)) {
        "turns"
    } else {
        "rolls"
    };
    let on = beyond.rolled_on.and_then(words);
    let on = on.map(|words| format!(", {verb} on {words}"));
    [over, on].into_iter().flatten().collect()
}

/// `0.4 deg off, turned to the left`.
fn square_words(angle: f64) -> String {
    let off = angle.to_degrees();
    let side = if off > 0.0 { "left" } else { "right" };
    if off.abs() < 0.05 {
        return "within 0.05 deg".to_owned();
    }
    format!("{:.1} deg off, turned to the {side}", off.abs())
}

fn counted(times: usize, one: &str, many: &str) -> String {
    format!("{times} {}", if times == 1 { one } else { many })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn visits_told_together_say_the_thinnest_and_the_nearest() {
        let fired = |clear, at_once| Evidence::Fired { clear, at_once };
        let spare = Evidence::Spare;
        for (all, failed, words, weight) in [
            (
                vec![
                    fired(Some(20.0), false),
                    spare(Spare::Noise(3.0)),
                    fired(Some(9.0), false),
                ],
                false,
                "fired 2 of 3, clear 9 at least",
                Weight::Fired,
            ),
            (
                vec![fired(Some(20.0), false), fired(Some(2.5), false)],
                false,
                "fired 2 of 2, THIN 2.5 once",
                Weight::Thin,
            ),
            (
                vec![fired(None, true), fired(None, false)],
                false,
                "fired 2 of 2, at once 1 time",
                Weight::Thin,
            ),
            (
                vec![fired(None, false); 2],
                true,
                "fired 2 of 2",
                Weight::Failed,
            ),
            (
                vec![
                    spare(Spare::Time(3.0)),
                    spare(Spare::Unseen),
                    spare(Spare::Time(1.5)),
                ],
                true,
                "1.5 s spare at least",
                Weight::Spare,
            ),
            (
                vec![spare(Spare::Unseen); 4],
                false,
                "not reached",
                Weight::Spare,
            ),
        ] {
            assert_eq!(
                together(&all, failed),
                (words.to_owned(), weight),
                "{all:?}"
            );
        }
    }
}
