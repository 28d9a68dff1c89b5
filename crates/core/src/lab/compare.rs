//! Two versions compared on the same luck: run by run, where one holds and the other does not.

use std::sync::Arc;

use super::spread::{Brief, SAMPLED};
use super::statistics::{LEVEL, Share, pairs};
use crate::units::math;

/// Two paths part where they are further from each other than this, metres.
const APART: f64 = 0.02;

/// How two versions did in the runs of the same numbers.
#[derive(Clone, Debug, PartialEq)]
pub struct Compared {
    /// In how many runs both held.
    pub both: u32,
    /// The runs in which only the first held.
    pub only_first: Vec<u32>,
    /// The runs in which only the second held.
    pub only_second: Vec<u32>,
    /// In how many runs neither held.
    pub neither: u32,
    /// How often chance alone would bring as much: the exact test of pairs ([`pairs`]).
    pub p: f64,
    /// Seconds of the runs in which both held by which the second is slower in the middle of them;
    /// none without such runs.
    pub slower: Option<f64>,
    /// When the paths of most runs have parted, in seconds: the middle of all runs that part; none
    /// when they do not, or no paths are kept.
    pub parted: Option<f64>,
}

/// Compares the runs that both have.
pub fn compare(first: &[Arc<Brief>], second: &[Arc<Brief>]) -> Compared {
    let mut compared = Compared {
        both: 0,
        only_first: Vec::new(),
        only_second: Vec::new(),
        neither: 0,
        p: 1.0,
        slower: None,
        parted: None,
    };
    let (mut slower, mut parted) = (Vec::new(), Vec::new());
    for a in first {
        let at = second.binary_search_by_key(&a.number, |brief| brief.number);
        let Some(b) = at.ok().map(|at| &second[at]) else {
            continue;
        };
        match (a.held(), b.held()) {
            (true, true) => {
                compared.both += 1;
                slower.push(b.seconds - a.seconds);
            }
            (true, false) => compared.only_first.push(a.number),
            (false, true) => compared.only_second.push(a.number),
            (false, false) => compared.neither += 1,
        }
        parted.extend(parting(a, b));
    }
    compared.p = pairs(
        compared.only_first.len() as u32,
        compared.only_second.len() as u32,
    );
    compared.slower = middle(slower);
    compared.parted = middle(parted);
    compared
}

fn middle(mut values: Vec<f64>) -> Option<f64> {
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied()
}

/// When the paths of two runs part; none when they do not.
fn parting(a: &Brief, b: &Brief) -> Option<f64> {
    let mut places = a.path.iter().zip(&b.path);
    let at = places.position(|((one, _), (other, _))| {
        let [x, y] = [0, 1].map(|axis| f64::from(one[axis]) - f64::from(other[axis]));
        math::length(x, y) > APART
    })?;
    Some(at as f64 * SAMPLED)
}

impl Compared {
    /// How many runs both have.
    pub fn count(&self) -> u32 {
        let apart = self.only_first.len() + self.only_second.len();
        self.both + self.neither + apart as u32
    }

    /// How many of those held with the first version, and with the second.
    pub fn held(&self) -> [Share; 2] {
        [&self.only_first, &self.only_second]
            .map(|only| Share::new(self.both + only.len() as u32, self.count()))
    }

    /// Whether one of them is better by more than chance: whether that is the second.
    pub fn better(&self) -> Option<bool> {
        (self.p < LEVEL).then_some(self.only_second.len() > self.only_first.len())
    }

    /// What can be said of the second version, in words, with how sure it is.
    pub fn words(&self) -> String {
        let p = p_words(self.p);
        match (
            self.better(),
            self.only_first.len() + self.only_second.len(),
        ) {
            (_, 0) => "each run came out the same".to_owned(),
            (Some(true), _) => format!("better; by chance {p}"),
            (Some(false), _) => format!("worse; by chance {p}"),
            (None, _) => format!("no clear difference; by chance {p}"),
        }
    }
}

/// A p-value as people say it: `3 times in 100`.
fn p_words(p: f64) -> String {
    match p {
        p if p < 0.001 => "less than once in 1000 times".to_owned(),
        p if p < 0.01 => format!("{} times in 1000", (p * 1000.0).ceil()),
        p => format!("{} times in 100", (p * 100.0).ceil()),
    }
}

#[cfg(test)]
mod tests {
    use super::super::spread::Death;
    use super::super::spread::tests::brief;
    use super::*;
    use crate::ids::StepId;

    /// Runs from number `from` on that held where there is a `+`.
    fn runs(from: u32, held: &str, seconds: f64) -> Vec<Arc<Brief>> {
        let run = |(number, sign): (u32, char)| {
            let death = Death {
                step: StepId(0),
                exit: None,
                words: "lost".into(),
            };
            Arc::new(Brief {
                death: (sign != '+').then_some(death),
                seconds: seconds + f64::from(number),
                ..brief(number)
            })
        };
        (from..).zip(held.chars()).map(run).collect()
    }

    #[test]
    fn runs_are_compared_number_by_number() {
        // Numbers 1 to 8 and 3 to 10: six of them are in both.
        let (a, b) = (runs(1, "++++-+-+", 10.0), runs(3, "+-++++--", 12.0));
        let compared = compare(&a, &b);
        assert_eq!(
            (compared.both, compared.neither, compared.count()),
            (3, 0, 6)
        );
        assert_eq!(
            (&*compared.only_first, &*compared.only_second),
            (&[4][..], &[5, 7][..])
        );
        assert_eq!(compared.held(), [Share::new(4, 6), Share::new(5, 6)]);
        assert_eq!(compared.slower, Some(2.0));
        assert_eq!((compared.p, compared.better()), (1.0, None));
        assert!(compared.words().starts_with("no clear difference"));
    }

    #[test]
    fn better_and_worse_are_said_only_when_it_is_more_than_chance() {
        let all = |sign: &str| runs(1, &sign.repeat(30), 1.0);
        // Six runs that only one holds: 2 / 2^6 = 0.03; five would be 0.06.
        let six = runs(1, &format!("------{}", "+".repeat(24)), 1.0);
        let better = compare(&six, &all("+"));
        assert_eq!(better.better(), Some(true));
        assert!((better.p - 2.0 / 64.0).abs() < 1e-9, "{}", better.p);
        assert!(
            better.words().contains("4 times in 100"),
            "{}",
            better.words()
        );
        assert_eq!(compare(&all("+"), &six).better(), Some(false));
        let five = runs(1, &format!("-----{}", "+".repeat(25)), 1.0);
        assert_eq!(compare(&five, &all("+")).better(), None);
        assert_eq!(
            compare(&all("+"), &all("+")).words(),
            "each run came out the same"
        );
        assert!(
            compare(&all("-"), &all("+"))
                .words()
                .contains("less than once in 1000")
        );
        assert_eq!(compare(&[], &all("+")).count(), 0);
    }

    #[test]
    fn the_moment_at_which_paths_part_is_found() {
        let path = |off: usize| {
            let at = |nth: usize| ([0.01 * nth as f32, if nth >= off { 0.05 } else { 0.0 }], 0);
            Brief {
                path: (0..40).map(at).collect(),
                ..brief(1)
            }
        };
        let one = [Arc::new(path(99))];
        assert_eq!(compare(&one, &[Arc::new(path(20))]).parted, Some(1.0));
        assert_eq!(compare(&one, &one).parted, None);
    }
}
