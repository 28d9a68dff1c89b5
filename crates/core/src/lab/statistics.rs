//! How sure it is what many runs say: intervals of shares, and tests.
//!
//! The distributions come from a library; the formulas are the textbook's, each named at its
//! function. Every test gives a p-value: how often chance alone would bring at least as much.

use serde::{Deserialize, Serialize};
use statrs::distribution::{Binomial, ContinuousCDF, DiscreteCDF, Normal};

/// The 97.5 % point of the normal distribution: 95 % lie within as many standard deviations.
pub(super) const Z: f64 = 1.959_963_984_540_054;
/// A p-value below this is taken for more than chance.
pub const LEVEL: f64 = 0.05;
/// Up to so many pairs of a rank test its distribution is counted out instead of approximated.
const COUNTED: usize = 4_000;

/// How many of how many.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Share {
    /// How many were so.
    pub times: u32,
    /// Of how many.
    pub of: u32,
}

impl Share {
    /// How many of how many.
    pub const fn new(times: u32, of: u32) -> Self {
        Self { times, of }
    }

    /// How many of some are so.
    pub fn count(all: impl IntoIterator<Item = bool>) -> Self {
        all.into_iter().fold(Self::default(), |share, is| Self {
            times: share.times + u32::from(is),
            of: share.of + 1,
        })
    }

    /// From 0 to 1; none of nothing.
    pub fn value(self) -> Option<f64> {
        (self.of > 0).then(|| f64::from(self.times) / f64::from(self.of))
    }

    /// The others.
    #[must_use]
    pub const fn rest(self) -> Self {
        Self {
            times: self.of - self.times,
            of: self.of,
        }
    }

    /// Where the true share lies, 95 % sure: Wilson's score interval (Wilson, 1927). From 0 to 1 of
    /// nothing, since nothing is known then.
    pub fn interval(self) -> (f64, f64) {
        let Some(share) = self.value() else {
            return (0.0, 1.0);
        };
        let n = f64::from(self.of);
        let z2 = Z * Z;
        let middle = (share + z2 / (2.0 * n)) / (1.0 + z2 / n);
        let half = Z / (1.0 + z2 / n) * (share * (1.0 - share) / n + z2 / (4.0 * n * n)).sqrt();
        // At the ends the formula gives the ends, but for rounding.
        let low = if self.times == 0 { 0.0 } else { middle - half };
        let high = if self.times == self.of {
            1.0
        } else {
            middle + half
        };
        (low.max(0.0), high.min(1.0))
    }

    /// `37 of 40`.
    pub fn words(self) -> String {
        format!("{} of {}", self.times, self.of)
    }

    /// `80 to 97 %`: where the true share lies, 95 % sure.
    pub fn interval_words(self) -> String {
        let (low, high) = self.interval();
        // Outwards, so that it is never said to be narrower than it is.
        let (low, high) = ((low * 100.0).floor(), (high * 100.0).ceil());
        format!("{low} to {high} %")
    }
}

/// Whether two versions that were tried with the same luck differ: the exact test of pairs, a
/// two-sided binomial test of those that came out differently (`McNemar`, 1947).
///
/// - `only_first`, `only_second`: in how many pairs only that one held
///
/// Returns the p-value.
pub fn pairs(only_first: u32, only_second: u32) -> f64 {
    let apart = u64::from(only_first) + u64::from(only_second);
    let Ok(fair) = Binomial::new(0.5, apart) else {
        return 1.0;
    };
    (2.0 * fair.cdf(u64::from(only_first.min(only_second)))).min(1.0)
}

/// The rank test of Mann and Whitney (1947) for two groups of given sizes: do the values of one tend
/// to be greater or smaller than those of the other?
///
/// Without equal values and with few of them the distribution is counted out, once for as many
/// questions as there are; otherwise the normal one is taken, corrected for equal values and for
/// steps of one.
#[derive(Debug)]
pub struct Ranks {
    sizes: (usize, usize),
    /// For each number of pairs in which the first group's value is the greater one, how often
    /// chance gives at most as many; empty when it is not counted out.
    at_most: Vec<f64>,
}

impl Ranks {
    /// For groups of `n` and `m` values.
    pub fn new(n: usize, m: usize) -> Self {
        let at_most = if n * m <= COUNTED {
            let mut sum = 0.0;
            let shares = counted(n.min(m), n.max(m));
            shares
                .into_iter()
                .map(|share| {
                    sum += share;
                    sum
                })
                .collect()
        } else {
            Vec::new()
        };
        Self {
            sizes: (n, m),
            at_most,
        }
    }

    /// How often chance alone brings groups at least as different, two-sided; 1 when a group is
    /// empty. Of values in the order of their groups' sizes.
    pub fn p(&self, first: &[f64], second: &[f64]) -> f64 {
        let (n, m) = self.sizes;
        debug_assert_eq!((first.len(), second.len()), self.sizes, "sizes as said");
        if n == 0 || m == 0 {
            return 1.0;
        }
        let mut all: Vec<(f64, bool)> = first
            .iter()
            .map(|value| (*value, true))
            .chain(second.iter().map(|value| (*value, false)))
            .collect();
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        // Twice the sum of the first group's ranks: equal values share theirs.
        let (mut twice, mut ties, mut at) = (0usize, 0.0f64, 0);
        while at < all.len() {
            let same = all[at..]
                .iter()
                .take_while(|one| one.0 == all[at].0)
                .count();
            let ours = all[at..at + same].iter().filter(|one| one.1).count();
            twice += ours * (2 * at + same + 1);
            let t = same as f64;
            ties += t * t * t - t;
            at += same;
        }
        // Twice the number of pairs in which the first group's value is the greater one.
        let twice = twice - n * (n + 1);
        if ties == 0.0 && !self.at_most.is_empty() {
            let pairs = twice / 2;
            return (2.0 * self.at_most[pairs.min(n * m - pairs)]).min(1.0);
        }
        let (n, m) = (n as f64, m as f64);
        let sum = n + m;
        let variance = n * m / 12.0 * (sum + 1.0 - ties / (sum * (sum - 1.0)));
        let off = ((twice as f64 / 2.0 - n * m / 2.0).abs() - 0.5).max(0.0);
        if variance <= 0.0 {
            return 1.0;
        }
        let p = Normal::standard().sf(off / variance.sqrt());
        (2.0 * p).min(1.0)
    }
}

/// For each number of pairs in which the value of the smaller group is the greater one, the share of
/// the ways to deal out the ranks that give as many.
fn counted(few: usize, many: usize) -> Vec<f64> {
    let mut rows: Vec<Vec<f64>> = vec![vec![1.0]; few + 1];
    for m in 1..=many {
        for n in 1..=few {
            // By whose the greatest of all is.
            let (with, without) = (n as f64 / (n + m) as f64, m as f64 / (n + m) as f64);
            let mut row = vec![0.0; n * m + 1];
            // When it is the smaller group's, it is greater than all m of the other.
            for (at, share) in rows[n - 1].iter().enumerate() {
                row[at + m] += with * share;
            }
            for (at, share) in rows[n].iter().enumerate() {
                row[at] += without * share;
            }
            rows[n] = row;
        }
    }
    rows.swap_remove(few)
}

/// The p-values that hold when several questions were asked at once, in their order: Holm's
/// step-down method (Holm, 1979).
pub fn corrected(values: &[f64]) -> Vec<f64> {
    let mut order: Vec<usize> = (0..values.len()).collect();
    order.sort_by(|a, b| values[*a].total_cmp(&values[*b]));
    let mut corrected = vec![1.0; values.len()];
    let mut before: f64 = 0.0;
    for (rank, at) in order.into_iter().enumerate() {
        before = before
            .max(values[at] * (values.len() - rank) as f64)
            .min(1.0);
        corrected[at] = before;
    }
    corrected
}

#[cfg(test)]
mod tests;
