//! Flow: where exits and rows lead, what is never reached, what is never used.

use crate::ids::TextStep;
use std::collections::BTreeSet;

use super::amounts::{Amount, evaluate};
use super::ast::{
    Answer, Behaviour, Block, Condition, Mission, Spanned, Step, Target, Then, Value,
};
use super::behaviours::{Do, Ending, Repeat, Rounds};
use super::check::Names;
use super::parser::Parsed;
use crate::finding::{Finding, Source, did_you_mean, has_errors};
use crate::units::Quantity;

impl Step {
    /// Whether it goes on to the next step when its behaviour ends by itself, or when none of its
    /// rows is true.
    pub fn goes_on_by_itself(&self) -> bool {
        let Some((behaviour, _)) = &self.behaviour else {
            return false;
        };
        if matches!(behaviour.node, Behaviour::Choose(_)) {
            return self.rows.iter().all(|row| row.condition.is_some());
        }
        let answered = |ending: &Ending| {
            self.exits
                .iter()
                .any(|exit| exit.condition.node == Condition::Ended(*ending))
        };
        // A signal waits for its exits, unless one of them asks for its end.
        let asks = self.exits.iter().any(|exit| {
            exit.condition
                .asks(|term| matches!(term, Condition::Ended(_)))
        });
        if matches!(behaviour.node, Behaviour::Signal(_)) && !self.exits.is_empty() && !asks {
            return false;
        }
        behaviour
            .node
            .outcomes()
            .iter()
            .any(|ending| !answered(ending))
    }

    /// What it measures, itself or in one of its rows.
    pub fn measurements(&self) -> impl Iterator<Item = &super::behaviours::Measure> {
        let own = self.behaviour.iter().map(|(behaviour, _)| &behaviour.node);
        let rows = self.rows.iter().filter_map(|row| match &row.answer {
            Answer::Does(behaviour) => Some(&behaviour.node),
            Answer::Go(_) => None,
        });
        own.chain(rows).filter_map(|behaviour| {
            if let Behaviour::Measure(does) = behaviour {
                Some(does)
            } else {
                None
            }
        })
    }

    /// Whether it keeps something under a name, itself or in one of its rows.
    pub fn measures(&self, name: &str) -> bool {
        self.measurements().any(|does| does.name.node == name)
    }
}

impl Mission {
    /// The step that a name means when it is said in another step: one beside it, or around the
    /// repeat it stands in. A reflex may name any step of the mission that stands in no repeat.
    pub fn find(&self, name: &str, from: &Step) -> Option<TextStep> {
        let mut inside = from.inside;
        loop {
            let block = if matches!(from.block, Block::Reflex(_)) {
                Block::Mission
            } else {
                from.block
            };
            if let Some((index, _)) = self
                .sequence(block, inside)
                .find(|(_, step)| step.name.node == name)
            {
                return Some(index);
            }
            inside = self.steps[inside?].inside;
        }
    }

    /// The step that the first `fail` leads to.
    pub fn resort(&self) -> Option<TextStep> {
        let name = &self.last_resort.as_ref()?.node;
        let mut steps = self.sequence(Block::Mission, None);
        steps
            .find(|(_, step)| step.name.node == *name)
            .map(|(index, _)| index)
    }

    /// What a `let` is worth.
    pub fn worth(&self, name: &str) -> Option<Amount> {
        self.lets
            .iter()
            .find(|entry| entry.name.node == name)?
            .amount
    }

    /// What a `let` is worth, in the unit that it is written in when it is written out.
    pub fn shown(&self, name: &str) -> Option<Quantity> {
        let entry = self.lets.iter().find(|entry| entry.name.node == name)?;
        match &entry.value.node {
            Value::Literal(quantity) => Some(*quantity),
            Value::Named(_) | Value::Formula(_) => self.worth(name).map(Amount::quantity),
        }
    }

    /// What an amount is worth that depends on nothing but `let`s.
    pub fn evaluate(&self, value: &Value) -> Option<Amount> {
        evaluate(value, &|name| self.worth(name))
    }
}

/// What is wrong with the flow, added to what is wrong with the names.
pub fn check(parsed: &Parsed, names: &Names, mut findings: Vec<Finding>) -> Vec<Finding> {
    duplicates(parsed, names, &mut findings);
    circles(parsed, &mut findings);
    reflexes(parsed, &mut findings);
    last_resort(parsed, &mut findings);
    let broken = has_errors(&findings);
    reach(parsed, broken, &mut findings);
    findings
}

fn error(
    code: &'static str,
    span: &std::ops::Range<usize>,
    message: String,
    hint: &str,
) -> Finding {
    Finding::error(code, Source::Mission, span.clone(), message).hint(hint)
}

/// The step that the first `fail` leads to: there is one, and something that may fail.
fn last_resort(parsed: &Parsed, findings: &mut Vec<Finding>) {
    let mission = &parsed.mission;
    let Some(name) = &mission.last_resort else {
        return;
    };
    let steps = mission.sequence(Block::Mission, None);
    let known: Vec<&str> = steps.map(|(_, step)| step.name.node.as_str()).collect();
    if mission.resort().is_none() && !known.contains(&"") {
        let message = format!("there is no step \"{}\" outside repeats", name.node);
        let hint = did_you_mean(&name.span, &name.node, known);
        findings.push(
            Finding::error("M104", Source::Mission, name.span.clone(), message).hint(
                hint.quoted()
                    .or("name a step that is not inside a routine or repeat"),
            ),
        );
    }
    let fails = |target: &Target| matches!(target, Target::Fail(_));
    let may_fail = mission.steps.iter().any(|step| {
        let rows = step.rows.iter().filter_map(|row| match &row.answer {
            Answer::Go(target) => Some(&target.node),
            Answer::Does(_) => None,
        });
        (step.exits.iter().map(|exit| &exit.target.node))
            .chain(rows)
            .any(fails)
    });
    let by_reflex = mission.reflexes.iter().any(|reflex| {
        matches!(&reflex.then, Some(Spanned { node: Then::Go(target), .. }) if fails(&target.node))
    });
    // What a file of routines does is not known here.
    if !may_fail && !by_reflex && mission.uses.is_empty() {
        let message = "nothing leads to `fail`, so the last resort is never used";
        let hint =
            "let an exit lead to it, such as `or 10 s pass -> fail \"...\"`, or delete the line";
        findings
            .push(Finding::warning("M138", Source::Mission, name.span.clone(), message).hint(hint));
    }
}

fn duplicates(parsed: &Parsed, names: &Names, findings: &mut Vec<Finding>) {
    let mission = &parsed.mission;
    let mut check = |what: &str, entries: Vec<(Block, &Spanned<String>)>| {
        let mut known: BTreeSet<(Block, &str)> = BTreeSet::new();
        for (block, name) in entries
            .into_iter()
            .filter(|(_, name)| !name.node.is_empty())
        {
            if !known.insert((block, &name.node)) {
                let message = format!("there are two {what}s named `{}`", name.node);
                findings.push(error(
                    "M106",
                    &name.span,
                    message,
                    "give one of them another name",
                ));
            }
        }
    };
    check(
        "step",
        mission
            .steps
            .iter()
            .map(|step| {
                // The step of a reflex has the reflex's name, which may not be a step's too.
                let block = if matches!(step.block, Block::Reflex(_)) {
                    Block::Mission
                } else {
                    step.block
                };
                (block, &step.name)
            })
            .collect(),
    );
    check(
        "value",
        mission
            .lets
            .iter()
            .map(|entry| (Block::Mission, &entry.name))
            .collect(),
    );
    check(
        "routine",
        mission
            .routines
            .iter()
            .map(|routine| (Block::Mission, &routine.name))
            .collect(),
    );
    for routine in &mission.routines {
        if names
            .routines
            .iter()
            .any(|shared| shared.name == routine.name.node)
        {
            let message = format!(
                "a file that the mission uses has a routine `{}`, too",
                routine.name.node
            );
            findings.push(error(
                "M106",
                &routine.name.span,
                message,
                "give this one another name",
            ));
        }
    }
}

/// Every `do` of a step: its own and those of its rows.
fn calls(step: &Step) -> impl Iterator<Item = &Spanned<String>> {
    let rows = step.rows.iter().filter_map(|row| match &row.answer {
        Answer::Does(behaviour) => Some(&behaviour.node),
        Answer::Go(_) => None,
    });
    let all = step
        .behaviour
        .iter()
        .map(|(behaviour, _)| &behaviour.node)
        .chain(rows);
    all.filter_map(|behaviour| {
        if let Behaviour::Do(Do { routine, .. }) = behaviour {
            Some(routine)
        } else {
            None
        }
    })
}

/// Routines that do themselves.
fn circles(parsed: &Parsed, findings: &mut Vec<Finding>) {
    let mission = &parsed.mission;
    let index = |name: &str| {
        mission
            .routines
            .iter()
            .position(|routine| routine.name.node == name)
    };
    let calls_of = |routine: usize| {
        let steps = mission
            .steps
            .iter()
            .filter(move |step| step.block == Block::Routine(routine));
        steps
            .flat_map(calls)
            .filter_map(move |name| Some((index(&name.node)?, name)))
    };
    let graph: Vec<Vec<(usize, &Spanned<String>)>> = (0..mission.routines.len())
        .map(|it| calls_of(it).collect())
        .collect();
    for routine in 0..graph.len() {
        // Whether it comes back to itself, and by which of its own calls.
        for (first, name) in &graph[routine] {
            let (mut seen, mut open) = (vec![false; graph.len()], vec![*first]);
            while let Some(at) = open.pop() {
                if !std::mem::replace(&mut seen[at], true) {
                    open.extend(graph[at].iter().map(|(next, _)| *next));
                }
            }
            if seen[routine] {
                let message = format!(
                    "`{}` calls itself through this line",
                    mission.routines[routine].name.node
                );
                findings.push(error(
                    "M128",
                    &name.span,
                    message,
                    "write a `repeat` around what is to be done again",
                ));
            }
        }
    }
}

fn reflexes(parsed: &Parsed, findings: &mut Vec<Finding>) {
    for reflex in &parsed.mission.reflexes {
        let broken = parsed
            .mission
            .steps
            .iter()
            .any(|step| step.line == reflex.line && step.broken);
        if reflex.trigger.is_none() && !broken {
            let message = format!("reflex \"{}\" has no condition", reflex.name.node);
            findings.push(error(
                "M129",
                &reflex.name.span,
                message,
                "add a line `when ...` below it",
            ));
        }
        for name in &reflex.within {
            let known = || {
                parsed
                    .mission
                    .steps
                    .iter()
                    .filter(|step| step.block == Block::Mission)
            };
            if !known().any(|step| step.name.node == name.node || step.name.node.is_empty()) {
                let message = format!("there is no step \"{}\" to watch", name.node);
                let hint = did_you_mean(
                    &name.span,
                    &name.node,
                    known().map(|step| step.name.node.as_str()),
                );
                findings.push(
                    Finding::error("M104", Source::Mission, name.span.clone(), message)
                        .hint(hint.quoted()),
                );
            }
        }
        if let Some(Spanned {
            node: Then::Go(target),
            span,
        }) = &reflex.then
        {
            let from = parsed
                .mission
                .steps
                .iter()
                .find(|step| step.line == reflex.line);
            let found =
                |name: &str| from.is_some_and(|from| parsed.mission.find(name, from).is_some());
            match &target.node {
                Target::Step(name) if !found(name) => {
                    let message = format!("there is no step \"{name}\" outside repeats");
                    findings.push(error(
                        "M104",
                        span,
                        message,
                        "name a step that is not inside a routine or repeat",
                    ));
                }
                Target::Again | Target::Out | Target::Next => {
                    findings.push(error(
                        "M104",
                        span,
                        "a reflex has no next step".into(),
                        "write `resume`, or name a step",
                    ));
                }
                Target::Step(_) | Target::Done | Target::Fail(_) => {}
            }
        }
    }
}

/// Steps that nothing leads to.
fn reach(parsed: &Parsed, broken: bool, findings: &mut Vec<Finding>) {
    let mission = &parsed.mission;
    let steps = &mission.steps;
    // A broken step may well lead on; and so may an exit to a step that is misspelt.
    if steps.is_empty() || broken || steps.iter().any(|step| step.broken) {
        return;
    }
    let mut next: Vec<Option<TextStep>> = vec![None; steps.len()];
    let mut last: std::collections::BTreeMap<(Block, Option<TextStep>), TextStep> =
        std::collections::BTreeMap::new();
    let mut open: Vec<TextStep> = Vec::new();
    let mut inner: Vec<Option<TextStep>> = vec![None; steps.len()];
    for (index, step) in mission.numbered() {
        match last.insert((step.block, step.inside), index) {
            Some(before) => next[before] = Some(index),
            None => match step.inside {
                Some(repeat) => inner[repeat] = Some(index),
                None => open.push(index),
            },
        }
    }
    open.extend(
        mission
            .reflexes
            .iter()
            .filter_map(|reflex| match &reflex.then.as_ref()?.node {
                Then::Go(Spanned {
                    node: Target::Step(name),
                    ..
                }) => mission.find(name, steps.iter().find(|step| step.line == reflex.line)?),
                Then::Resume | Then::Restart | Then::Go(_) => None,
            }),
    );
    open.extend(mission.resort());
    let mut reached = vec![false; steps.len()];
    while let Some(index) = open.pop() {
        if std::mem::replace(&mut reached[index], true) {
            continue;
        }
        let step = &steps[index];
        open.extend(inner[index]);
        let rows = step.rows.iter().filter_map(|row| match &row.answer {
            Answer::Go(target) => Some(&target.node),
            Answer::Does(_) => None,
        });
        for target in step.exits.iter().map(|exit| &exit.target.node).chain(rows) {
            open.extend(match target {
                Target::Next => next[index],
                Target::Step(name) => mission.find(name, step),
                // It goes on below the repeat.
                Target::Out => step.inside.and_then(|repeat| next[repeat]),
                Target::Again | Target::Done | Target::Fail(_) => None,
            });
        }
        if step.goes_on_by_itself() {
            open.extend(next[index]);
        }
    }
    for (index, step) in mission.numbered().filter(|(index, _)| !reached[*index]) {
        // What stands in a repeat that is not reached has been said with the repeat.
        if step.inside.is_some_and(|repeat| !reached[repeat]) {
            continue;
        }
        let endless = next.iter().position(|next| *next == Some(index)).is_some_and(|before| {
            matches!(&steps[before].behaviour, Some((behaviour, _)) if behaviour.node == Behaviour::Repeat(Repeat(Rounds::Forever)))
        });
        let message = if endless {
            format!(
                "step \"{}\" is never reached: the repeat above it goes on forever",
                step.name.node
            )
        } else {
            format!("no exit leads to step \"{}\"", step.name.node)
        };
        let hint = "let an exit above it lead here, or delete it";
        findings.push(
            Finding::warning("M112", Source::Mission, step.name.span.clone(), message).hint(hint),
        );
    }
}

/// What has a name and is never referred to.
pub fn unused(
    parsed: &Parsed,
    lets: &[bool],
    parameters: &BTreeSet<(usize, String)>,
    findings: &mut Vec<Finding>,
) {
    let mission = &parsed.mission;
    let mut warn = |code, span: &std::ops::Range<usize>, message: String, hint: &str| {
        findings.push(Finding::warning(code, Source::Mission, span.clone(), message).hint(hint));
    };
    for (entry, _) in mission.lets.iter().zip(lets).filter(|(_, used)| !**used) {
        let message = format!("`{}` is never used", entry.name.node);
        warn(
            "M113",
            &entry.name.span,
            message,
            "use it in a step, or delete it",
        );
    }
    // A file without steps of its own is there for others to use.
    let is_library = !mission
        .steps
        .iter()
        .any(|step| step.block == Block::Mission);
    for (index, routine) in mission.routines.iter().enumerate() {
        if !is_library
            && !mission
                .steps
                .iter()
                .flat_map(calls)
                .any(|name| name.node == routine.name.node)
        {
            let message = format!("routine `{}` is never called", routine.name.node);
            warn(
                "M113",
                &routine.name.span,
                message,
                "write `do` and its name in a step, or delete it",
            );
        }
        for parameter in &routine.parameters {
            if !parameters.contains(&(index, parameter.name.node.clone())) {
                let message = format!(
                    "`{}` never uses its parameter `{}`",
                    routine.name.node, parameter.name.node
                );
                warn(
                    "M130",
                    &parameter.name.span,
                    message,
                    "use it in the routine's steps, or delete it",
                );
            }
        }
    }
}
