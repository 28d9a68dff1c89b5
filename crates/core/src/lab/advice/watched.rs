//! One list of the conditions that are looked at, whoever looks: exits, rows, reflexes, repeats.

use super::Adviser;
use crate::controller::{Action, ExitKind, Goal, Look, Passes, Term, Test};
use crate::ids::{SensorId, StepId};
use crate::mission::Ending;

/// So many drives of a way are followed.
const FAR: usize = 6;
/// So many ways are followed.
const WAYS: usize = 16;

/// Who looks at a condition.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum By {
    /// An exit of a step, at every control tick.
    Exit(StepId),
    /// A repeat, only at the end of each pass.
    AfterPass(StepId),
    /// A row of a `react`: the step, and the row's place.
    Row(StepId, usize),
    /// A row of a `choose`: the step, and the row's place. It is looked at once.
    Choice(StepId, usize),
    /// A reflex, by its place.
    Reflex(usize),
}

/// A condition that is looked at.
#[derive(Clone, Debug)]
pub(super) struct Watched<'a> {
    /// The condition.
    pub term: &'a Term,
    /// The line that it stands on, from 0.
    pub line: usize,
    /// Who looks.
    pub by: By,
    /// The steps that have the wheels while it is looked at; none where it is looked at once.
    pub during: Vec<StepId>,
    /// The step that is entered when it is true.
    pub then: Option<StepId>,
}

/// A condition that tells that the robot must not go on.
#[derive(Clone, Debug)]
pub(super) struct Border {
    /// The floor sensors that tell it.
    pub sensors: Vec<SensorId>,
    /// The robot can fall there.
    pub is_drop: bool,
}

impl Watched<'_> {
    /// It is looked at for the first time with nothing travelled, turned or counted, and never again.
    pub(super) const fn is_decided_at_once(&self) -> bool {
        matches!(self.by, By::Choice(..))
    }

    /// The step that looks; none for a reflex.
    pub(super) const fn step(&self) -> Option<StepId> {
        match self.by {
            By::Exit(step) | By::AfterPass(step) | By::Row(step, _) | By::Choice(step, _) => {
                Some(step)
            }
            By::Reflex(_) => None,
        }
    }
}

impl<'a> Adviser<'a> {
    /// Everything that is looked at, in the order of the program.
    pub(super) fn watched(&self) -> Vec<Watched<'a>> {
        let mut all = Vec::new();
        for (index, step) in self.steps() {
            for exit in &step.exits {
                let seldom = exit.kind == ExitKind::AfterPass;
                all.push(Watched {
                    term: &exit.term,
                    line: exit.line,
                    by: if seldom {
                        By::AfterPass(index)
                    } else {
                        By::Exit(index)
                    },
                    during: if seldom {
                        Vec::new()
                    } else {
                        self.leaves(index).collect()
                    },
                    then: self.after(index, &exit.goal),
                });
            }
            match &step.action {
                Action::React(rows) => {
                    let during: Vec<StepId> = self.leaves(index).collect();
                    for (nth, row) in rows.iter().enumerate() {
                        all.extend(row.term.as_ref().map(|term| Watched {
                            term,
                            line: self.of(row.step).line,
                            by: By::Row(index, nth),
                            during: during.clone(),
                            then: Some(row.step),
                        }));
                    }
                }
                Action::Choose(rows) => {
                    for (nth, row) in rows.iter().enumerate() {
                        all.extend(row.term.as_ref().map(|term| Watched {
                            term,
                            line: self.row_line(index, nth),
                            by: By::Choice(index, nth),
                            during: Vec::new(),
                            then: self.after(index, &row.goal),
                        }));
                    }
                }
                Action::Constant { .. }
                | Action::Live { .. }
                | Action::HoldHeading { .. }
                | Action::Follow(_)
                | Action::Keep { .. }
                | Action::Square { .. }
                | Action::Move { .. }
                | Action::Signal { .. }
                | Action::Measure { .. }
                | Action::Group { .. } => {}
            }
        }
        for (nth, reflex) in self.program.reflexes.iter().enumerate() {
            let everywhere = || {
                let own = self.steps().filter(|(_, step)| step.reflex.is_none());
                let drive = own.map(|(index, _)| index);
                drive.filter(|index| self.rims(*index).is_some()).collect()
            };
            let during = if reflex.within.is_empty() {
                everywhere()
            } else {
                let within = reflex.within.iter();
                within.flat_map(|step| self.leaves(*step)).collect()
            };
            all.push(Watched {
                term: &reflex.term,
                line: self.trigger_line(nth),
                by: By::Reflex(nth),
                during,
                then: Some(reflex.step),
            });
        }
        all
    }

    /// The line of a row of a `choose` or a `react`.
    pub(super) fn row_line(&self, step: StepId, row: usize) -> usize {
        let about = self.of(step);
        let steps = &self.parsed.mission.steps;
        let own = steps.binary_search_by_key(&about.line, |known| known.line);
        let own = own.ok().filter(|_| !about.foreign);
        own.and_then(|at| steps[at].rows.get(row))
            .map_or(about.line, |row| row.line)
    }

    /// The line that says what a reflex watches for.
    fn trigger_line(&self, reflex: usize) -> usize {
        let known = self.parsed.mission.reflexes.get(reflex);
        let trigger = known.and_then(|known| known.trigger.as_ref());
        match trigger {
            Some((condition, _)) => self.line_at(condition.span.start),
            None => self.program.reflexes[reflex].line,
        }
    }

    /// The line that a byte of the text stands on.
    pub(super) fn line_at(&self, byte: usize) -> usize {
        let before = self
            .parsed
            .lines
            .partition_point(|line| line.span.start <= byte);
        before.saturating_sub(1)
    }

    /// The step that a goal leads to from a step, whatever it is made of; none where the mission, or
    /// the reflex, ends.
    pub(super) fn after(&self, from: StepId, goal: &Goal) -> Option<StepId> {
        match goal {
            Goal::Step(target) => Some(*target),
            Goal::Next => match self.of(from).next {
                Some(next) => Some(next),
                None => self.end_of(self.of(from).parent?),
            },
            Goal::Pass(group) => self.end_of(*group),
            Goal::Complete(step, ending) => self.left(*step, Some(*ending)),
            Goal::Fail(_) => self.program.last_resort,
            Goal::Done => None,
        }
    }

    /// Where it goes on when the steps within a step have been done: in the next pass of a repeat, or
    /// behind it.
    fn end_of(&self, group: StepId) -> Option<StepId> {
        let again = matches!(&self.of(group).action,
            Action::Group { passes, .. } if *passes != Passes::Once);
        if again {
            self.first_within(group)
        } else {
            self.left(group, Some(Ending::Finished))
        }
    }

    /// The first of the steps that a step is made of; none when it does something itself.
    pub(super) fn first_within(&self, step: StepId) -> Option<StepId> {
        if let Action::Group { first, .. } = self.of(step).action {
            Some(first)
        } else {
            None
        }
    }

    /// Where it goes on when a step has come to its own end, in this way if that is known.
    pub(super) fn left(&self, step: StepId, ending: Option<Ending>) -> Option<StepId> {
        let of = self.of(step);
        let asks = |term: &Term| {
            term.looks().any(|look| {
                matches!(look.test, Test::Ended(asked)
                    if ending.is_none_or(|ending| ending == asked))
            })
        };
        if let Some(exit) = of.exits.iter().find(|exit| asks(&exit.term)) {
            let itself = matches!(exit.goal, Goal::Complete(same, _) if same == step);
            return (!itself).then(|| self.after(step, &exit.goal)).flatten();
        }
        if let Some(next) = of.next {
            return Some(next);
        }
        let parent = of.parent?;
        // A row of a `react` goes on with the rows.
        let reacts = matches!(self.of(parent).action, Action::React(_));
        if reacts { None } else { self.end_of(parent) }
    }

    /// The drives that follow once a step is entered, one way for each branch: steps that have the
    /// wheels and turn them, in their order. Standing takes part in none.
    pub(super) fn ways(&self, first: StepId) -> Vec<Vec<StepId>> {
        let mut done = Vec::new();
        let mut open: Vec<(StepId, Vec<StepId>, usize)> = vec![(first, Vec::new(), 0)];
        while let Some((at, way, hops)) = open.pop() {
            if done.len() + open.len() >= WAYS || hops > 2 * FAR || way.len() >= FAR {
                done.push(way);
                continue;
            }
            let mut next: Vec<StepId> = Vec::new();
            let mut way = way;
            match &self.of(at).action {
                Action::Group { first, passes } => {
                    next.push(*first);
                    if matches!(passes, Passes::Times(_)) {
                        next.extend(self.left(at, None));
                    }
                }
                Action::React(rows) => next.extend(rows.iter().map(|row| row.step)),
                Action::Choose(rows) => {
                    next.extend(rows.iter().filter_map(|row| self.after(at, &row.goal)));
                }
                Action::Measure { .. } => next.extend(self.left(at, None)),
                Action::Constant { .. }
                | Action::Live { .. }
                | Action::HoldHeading { .. }
                | Action::Follow(_)
                | Action::Keep { .. }
                | Action::Square { .. }
                | Action::Move { .. }
                | Action::Signal { .. } => {
                    if self.motion(at) != (0.0, 0.0) {
                        way.push(at);
                    }
                    let exits = self.of(at).exits.iter();
                    let goals = exits.filter(|exit| !matches!(exit.goal, Goal::Fail(_)));
                    next.extend(goals.filter_map(|exit| self.after(at, &exit.goal)));
                    if self.of(at).exits.is_empty() {
                        next.extend(self.left(at, None));
                    }
                }
            }
            next.dedup();
            let again = |step: &StepId| !way.contains(step);
            next.retain(again);
            next.truncate(WAYS);
            if next.is_empty() {
                done.push(way);
                continue;
            }
            open.extend(
                next.into_iter()
                    .rev()
                    .map(|step| (step, way.clone(), hops + 1)),
            );
        }
        done
    }

    /// How far a step drives at most by its own exits, metres; none when nothing of them says it.
    pub(super) fn way_of(&self, step: StepId) -> Option<f64> {
        let speed = self.motion(step).0.abs();
        self.least_of(step, speed, |test| {
            if let Test::Travelled(length) = test {
                length.fixed()
            } else {
                None
            }
        })
    }

    /// How far a step turns at most by its own exits, rad; none when nothing of them says it.
    pub(super) fn turn_of(&self, step: StepId) -> Option<f64> {
        let rate = self.motion(step).1.abs();
        self.least_of(step, rate, |test| {
            if let Test::Turned(angle) = test {
                angle.fixed()
            } else {
                None
            }
        })
    }

    /// The least that a step's own exits say of something that goes on at this rate (a second): as
    /// such, by what a wheel rolls meanwhile, or by the time.
    fn least_of(
        &self,
        step: StepId,
        rate: f64,
        amount: impl Fn(&Test) -> Option<f64>,
    ) -> Option<f64> {
        let rims = self.rims(step)?;
        let of = |test: &Test| {
            if let Test::Rolled { wheel, amount } = test {
                let (amount, own) = (amount.fixed()?, rims[*wheel].abs());
                Some(if own > 0.0 {
                    amount * rate / own
                } else {
                    f64::INFINITY
                })
            } else if let Test::Passed(time) = test {
                Some(time.fixed()? * rate)
            } else {
                amount(test)
            }
        };
        let looks = self
            .of(step)
            .exits
            .iter()
            .flat_map(|exit| exit.term.looks());
        looks
            .filter_map(|look| of(&look.test))
            .min_by(f64::total_cmp)
    }

    /// Whether a condition holds with every floor sensor of it over a surface; none when it does not
    /// depend on that.
    pub(super) fn holds_over(&self, term: &Term, surface: &str) -> Option<bool> {
        let each = |terms: &'_ [Term]| -> Vec<Option<bool>> {
            terms
                .iter()
                .map(|term| self.holds_over(term, surface))
                .collect()
        };
        match term {
            Term::Look(look) => self.sees_over(look, surface),
            Term::Not(term) => self.holds_over(term, surface).map(|holds| !holds),
            Term::For(term, ..) | Term::After(term, ..) | Term::As(term, _) => {
                self.holds_over(term, surface)
            }
            Term::Any(terms) => {
                let known = each(terms);
                let any = known.contains(&Some(true));
                any.then_some(true)
                    .or_else(|| known.into_iter().flatten().next())
            }
            Term::All(terms) => {
                let known = each(terms);
                let none = known.contains(&Some(false));
                if none {
                    Some(false)
                } else {
                    known.into_iter().flatten().next()
                }
            }
        }
    }

    /// Whether a look at the floor holds over a surface.
    pub(super) fn sees_over(&self, look: &Look, surface: &str) -> Option<bool> {
        let sensor = look.test.sensor()?;
        let reads = |name: &str| {
            let all = self.reads(sensor);
            let known = all.iter().find(|(known, _)| *known == name);
            known.map(|(_, reads)| *reads)
        };
        if let Test::Bright { limits, .. } | Test::Crossed { limits, .. } = &look.test {
            Some(limits.holds(reads(surface)?, false))
        } else if let Test::Colour { tone, .. } = &look.test {
            Some(self.program.tones[sensor].tones[*tone].name == surface)
        } else if let Test::Reads { below, limit, .. } = &look.test {
            let (reads, limit) = (reads(surface)?, limit.fixed()?);
            Some(if *below { reads < limit } else { reads > limit })
        } else if let Test::Changed { down, by, .. } = &look.test {
            let (from, to, by) = (reads(self.deck().ground)?, reads(surface)?, by.fixed()?);
            Some(if *down {
                from - to >= by
            } else {
                to - from >= by
            })
        } else {
            None
        }
    }

    /// What a condition says about a border: it holds over a rim or something to keep off, and not
    /// over the ground. None where it is about something else.
    pub(super) fn border_of(&self, term: &Term) -> Option<Border> {
        if !term.looks().any(|look| look.test.sensor().is_some()) {
            return None;
        }
        let deck = self.deck();
        let holds = |surface: &&str| {
            *surface != deck.ground && self.holds_over(term, surface) == Some(true)
        };
        let drop = deck.rim.iter().find(|surface| holds(surface));
        let border = drop.or_else(|| deck.keep_off.iter().find(|surface| holds(surface)))?;
        if self.holds_over(term, deck.ground) == Some(true) {
            return None;
        }
        let tells =
            |look: &&Look| self.sees_over(look, border) != self.sees_over(look, deck.ground);
        let looks = term.looks().filter(tells);
        Some(Border {
            sensors: looks.filter_map(|look| look.test.sensor()).collect(),
            is_drop: drop.is_some() && deck.across.is_some(),
        })
    }
}
