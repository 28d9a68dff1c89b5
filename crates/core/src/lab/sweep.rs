//! A sweep: one number over a span, each value with the same many runs, and where it holds.

use std::ops::Range;
use std::sync::Arc;

use super::spread::{Brief, held};
use super::statistics::Share;
use crate::units::Quantity;

/// What one wants: nineteen of twenty.
pub const HOLDS: f64 = 0.95;

/// What came of one of several texts: of a value of a number, or of whatever else tells them apart.
#[derive(Clone, Debug)]
pub struct Point<V = Quantity> {
    /// The value.
    pub value: V,
    /// Its nominal run; none while it is not there, or when the mission cannot be run so.
    pub nominal: Option<Arc<Brief>>,
    /// The thinnest decision of that run, in units of noise.
    pub margin: Option<f64>,
    /// How many steps of the text that run never came to.
    pub left_out: usize,
    /// Its varied runs, in the order of their numbers.
    pub briefs: Vec<Arc<Brief>>,
    /// The mission has errors with this value.
    pub refused: bool,
}

impl<V> Point<V> {
    /// Nothing known yet.
    pub const fn new(value: V) -> Self {
        Self {
            value,
            nominal: None,
            margin: None,
            left_out: 0,
            briefs: Vec::new(),
            refused: false,
        }
    }

    /// How many of its runs held.
    pub fn held(&self) -> Share {
        held(&self.briefs)
    }

    /// Whether nineteen of twenty of its runs held.
    pub fn holds(&self) -> bool {
        self.held().value().is_some_and(|share| share >= HOLDS)
    }

    /// The middle time of the runs that held, in seconds.
    pub fn seconds(&self) -> Option<f64> {
        let mut seconds: Vec<f64> = self
            .briefs
            .iter()
            .filter(|brief| brief.held())
            .map(|brief| brief.seconds)
            .collect();
        seconds.sort_by(f64::total_cmp);
        seconds.get(seconds.len() / 2).copied()
    }

    /// The mean of the points of all its runs; none when the rules give no points.
    pub fn score(&self) -> Option<f64> {
        let scores: Vec<f64> = self.briefs.iter().filter_map(|brief| brief.score).collect();
        (!scores.is_empty()).then(|| scores.iter().sum::<f64>() / scores.len() as f64)
    }
}

/// The widest stretch of values that all hold, as indices; of two as wide the one in which more
/// runs held. None when no value holds.
pub fn window(points: &[Point]) -> Option<Range<usize>> {
    let mut best: Option<(f64, u32, Range<usize>)> = None;
    let mut at = 0;
    while at < points.len() {
        let length = points[at..]
            .iter()
            .take_while(|point| point.holds())
            .count();
        if length > 0 {
            let part = at..at + length;
            let wide = points[part.end - 1].value.si() - points[at].value.si();
            let held = points[part.clone()]
                .iter()
                .map(|point| point.held().times)
                .sum();
            let better = best
                .as_ref()
                .is_none_or(|(most, count, _)| (wide, held) > (*most, *count));
            if better {
                best = Some((wide, held, part));
            }
        }
        at += length.max(1);
    }
    best.map(|(_, _, part)| part)
}

/// The value to take: the one in the middle of the widest stretch that holds; without one that of
/// which most runs held, and of several such the middle one.
pub fn advised(points: &[Point]) -> Option<usize> {
    if let Some(Range { start, end }) = window(points) {
        let middle = f64::midpoint(points[start].value.si(), points[end - 1].value.si());
        let off = |at: &usize| (points[*at].value.si() - middle).abs();
        return (start..end).min_by(|a, b| off(a).total_cmp(&off(b)));
    }
    most_held(points)
}

/// The one of which most runs held, and of several such the middle one; none when none held.
pub(super) fn most_held<V>(points: &[Point<V>]) -> Option<usize> {
    let most = points.iter().map(|point| point.held().times).max()?;
    let best: Vec<usize> = (0..points.len())
        .filter(|at| points[*at].held().times == most)
        .collect();
    best.get(best.len() / 2).copied().filter(|_| most > 0)
}

#[cfg(test)]
mod tests {
    use super::super::spread::Death;
    use super::super::spread::tests::brief;
    use super::*;
    use crate::ids::StepId;
    use crate::units::Unit;

    /// Points at 0, 10, 20 ... of which so many of 20 runs held.
    fn points(held: &[u32]) -> Vec<Point> {
        let lost = Death {
            step: StepId(0),
            exit: None,
            words: "lost".into(),
        };
        let point = |(at, held): (usize, &u32)| Point {
            briefs: (1..=20)
                .map(|number| {
                    Arc::new(Brief {
                        death: (number > *held).then(|| lost.clone()),
                        seconds: f64::from(number),
                        score: Some(f64::from(*held)),
                        ..brief(number)
                    })
                })
                .collect(),
            ..Point::new(Quantity {
                value: 10.0 * at as f64,
                unit: Unit::Percent,
            })
        };
        held.iter().enumerate().map(point).collect()
    }

    #[test]
    fn the_widest_stretch_that_holds_is_found_and_its_middle_advised() {
        let all = points(&[19, 3, 19, 20, 19, 18, 20, 20, 0]);
        assert_eq!((window(&all), advised(&all)), (Some(2..5), Some(3)));
        // Of two as wide the one that held more often.
        let all = points(&[19, 20, 0, 20, 20]);
        assert_eq!(window(&all), Some(3..5));
        // A single value is a window, too.
        let all = points(&[0, 19, 0]);
        assert_eq!((window(&all), advised(&all)), (Some(1..2), Some(1)));
        let all = points(&[20; 5]);
        assert_eq!((window(&all), advised(&all)), (Some(0..5), Some(2)));
    }

    #[test]
    fn without_a_value_that_holds_the_best_is_advised_and_without_any_none() {
        let all = points(&[3, 12, 12, 12, 1]);
        assert_eq!((window(&all), advised(&all)), (None, Some(2)));
        let all = points(&[0, 0]);
        assert_eq!((window(&all), advised(&all)), (None, None));
        assert_eq!((window(&[]), advised(&[])), (None, None));
        let unknown = vec![Point::new(all[0].value)];
        assert_eq!((window(&unknown), advised(&unknown)), (None, None));
    }

    #[test]
    fn time_is_of_the_runs_that_held_and_points_of_all() {
        let all = points(&[11, 0]);
        assert_eq!((all[0].seconds(), all[0].score()), (Some(6.0), Some(11.0)));
        assert_eq!((all[1].seconds(), all[1].score()), (None, Some(0.0)));
    }
}
