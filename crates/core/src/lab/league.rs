//! A league: everybody plays everybody, from both sides, and how strong each is.
//!
//! Strengths are those of the model of paired comparisons (Zermelo, 1929; Bradley and Terry, 1952):
//! one of strength a beats one of strength b with the chance a / (a + b); a drawn match counts as half
//! a win of each. They are found by the method of minorization (Hunter, 2004). So that somebody who
//! wins everything has a strength, too, each has also drawn one match against somebody of strength 1.
//! Intervals come from the curvature of the likelihood there (Fisher's information).

use super::statistics::Z;
use crate::units::math;

/// How many matches somebody won, drew and lost against somebody.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Tally {
    /// Won.
    pub won: u32,
    /// Drawn.
    pub drawn: u32,
    /// Lost.
    pub lost: u32,
}

impl Tally {
    /// How many matches.
    pub const fn count(self) -> u32 {
        self.won + self.drawn + self.lost
    }

    /// A win is one, a draw half.
    pub fn points(self) -> f64 {
        f64::from(self.won) + f64::from(self.drawn) / 2.0
    }

    /// Both together.
    #[must_use]
    pub const fn and(self, other: Self) -> Self {
        Self {
            won: self.won + other.won,
            drawn: self.drawn + other.drawn,
            lost: self.lost + other.lost,
        }
    }

    /// The same matches as the other one sees them.
    #[must_use]
    pub const fn seen_from_there(self) -> Self {
        Self {
            won: self.lost,
            drawn: self.drawn,
            lost: self.won,
        }
    }
}

/// How strong somebody is: how often it beats one of average strength in its league, from 0 to 1.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Rating {
    /// The estimate.
    pub chance: f64,
    /// Between these the truth lies, 95 % sure.
    pub low: f64,
    /// See there.
    pub high: f64,
}

/// Rounds of the method at most; some dozens are enough.
const ROUNDS: usize = 10_000;
/// Half a win and half a defeat against strength 1.
const PRIOR: f64 = 0.5;

/// How strong everybody is.
///
/// - `tallies`: square; how the row's did against the column's, the diagonal unused
pub fn ratings(tallies: &[Vec<Tally>]) -> Vec<Rating> {
    let count = tallies.len();
    let all = 0..count;
    let matches = |a: usize, b: usize| f64::from(tallies[a][b].count());
    let others = |a: usize| all.clone().filter(move |b| *b != a);
    let mut strengths = vec![1.0; count];
    for _ in 0..ROUNDS {
        let mut moved: f64 = 0.0;
        for a in all.clone() {
            let won = PRIOR + others(a).map(|b| tallies[a][b].points()).sum::<f64>();
            let met = 2.0 * PRIOR / (strengths[a] + 1.0)
                + others(a)
                    .map(|b| matches(a, b) / (strengths[a] + strengths[b]))
                    .sum::<f64>();
            let new = won / met;
            moved = moved.max((new / strengths[a] - 1.0).abs());
            strengths[a] = new;
        }
        if moved < 1e-12 {
            break;
        }
    }
    // The information about the logarithms of the strengths.
    let mut information = vec![vec![0.0; count]; count];
    for a in all.clone() {
        let even = strengths[a] / (strengths[a] + 1.0);
        information[a][a] += 2.0 * PRIOR * even * (1.0 - even);
        for b in others(a) {
            let chance = strengths[a] / (strengths[a] + strengths[b]);
            let known = matches(a, b) * chance * (1.0 - chance);
            information[a][a] += known;
            information[a][b] -= known;
        }
    }
    let covariance = inverse(information);
    let logs: Vec<f64> = strengths
        .iter()
        .map(|strength| math::ln(*strength))
        .collect();
    // Against the average of the league: so each estimate is off by the mean of all, too.
    let share = 1.0 / count.max(1) as f64;
    let mean = logs.iter().sum::<f64>() * share;
    let whole: f64 = covariance.iter().flatten().sum::<f64>() * share * share;
    all.map(|a| {
        let row: f64 = covariance[a].iter().sum::<f64>() * share;
        let deviation = (covariance[a][a] - 2.0 * row + whole).max(0.0).sqrt();
        let chance = |log: f64| 1.0 / (1.0 + math::exp(-log));
        let at = logs[a] - mean;
        Rating {
            chance: chance(at),
            low: chance(at - Z * deviation),
            high: chance(at + Z * deviation),
        }
    })
    .collect()
}

/// The inverse of a symmetric positive matrix: Gauss and Jordan's elimination.
fn inverse(mut matrix: Vec<Vec<f64>>) -> Vec<Vec<f64>> {
    let count = matrix.len();
    let mut inverse: Vec<Vec<f64>> = (0..count)
        .map(|row| {
            (0..count)
                .map(|column| f64::from(u8::from(row == column)))
                .collect()
        })
        .collect();
    for pivot in 0..count {
        // Its diagonal leads in every row and is more than nothing: no rows need change places.
        let by = matrix[pivot][pivot];
        for column in 0..count {
            matrix[pivot][column] /= by;
            inverse[pivot][column] /= by;
        }
        for row in (0..count).filter(|row| *row != pivot) {
            let factor = matrix[row][pivot];
            for column in 0..count {
                matrix[row][column] -= factor * matrix[pivot][column];
                inverse[row][column] -= factor * inverse[pivot][column];
            }
        }
    }
    inverse
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sim::noise_for_tests;

    fn tally(won: u32, drawn: u32, lost: u32) -> Tally {
        Tally { won, drawn, lost }
    }

    fn league(pairs: &[(usize, usize, Tally)], count: usize) -> Vec<Vec<Tally>> {
        let mut tallies = vec![vec![Tally::default(); count]; count];
        for (a, b, tally) in pairs {
            tallies[*a][*b] = *tally;
            tallies[*b][*a] = tally.seen_from_there();
        }
        tallies
    }

    #[test]
    fn two_that_met_often_have_the_share_of_their_matches() {
        // Of two: the chance against the average is that of half the difference of the logarithms.
        let rated = ratings(&league(&[(0, 1, tally(6_400, 0, 1_600))], 2));
        let half = math::exp(0.5 * math::ln(6_400.0 / 1_600.0));
        let wanted = half / (1.0 + half);
        assert!((rated[0].chance - wanted).abs() < 1e-3, "{rated:?}");
        assert!((rated[0].chance + rated[1].chance - 1.0).abs() < 1e-9);
        // The deviation of the difference is sqrt(1 / (n p q)), that of half of it half as much.
        let deviation = 0.5 / (8_000.0f64 * 0.8 * 0.2).sqrt();
        let high = half * math::exp(Z * deviation);
        assert!(
            (rated[0].high - high / (1.0 + high)).abs() < 1e-3,
            "{rated:?}"
        );
    }

    #[test]
    fn the_strengths_satisfy_the_equations_that_define_them() {
        let tallies = league(
            &[
                (0, 1, tally(7, 2, 1)),
                (0, 2, tally(5, 0, 5)),
                (1, 2, tally(3, 4, 3)),
                (0, 3, tally(9, 0, 1)),
            ],
            4,
        );
        let rated = ratings(&tallies);
        // Up to the mean: what is expected of each is what it got, with the drawn match added.
        let odds: Vec<f64> = rated
            .iter()
            .map(|one| one.chance / (1.0 - one.chance))
            .collect();
        let off = |shift: f64| -> f64 {
            (0..4)
                .map(|a| {
                    let own = odds[a] * shift;
                    let expected = own / (own + 1.0)
                        + (0..4)
                            .filter(|b| *b != a)
                            .map(|b| {
                                f64::from(tallies[a][b].count()) * odds[a] / (odds[a] + odds[b])
                            })
                            .sum::<f64>();
                    let got: f64 = tallies[a].iter().map(|one| one.points()).sum::<f64>() + 0.5;
                    (expected - got).abs()
                })
                .fold(0.0, f64::max)
        };
        let best = (-4_000..4_000)
            .map(|nth| off(math::exp(f64::from(nth) * 0.0005)))
            .fold(f64::INFINITY, f64::min);
        assert!(best < 1e-3, "{best} {rated:?}");
        assert!(rated[0].chance > rated[2].chance && rated[3].chance < 0.3);
    }

    #[test]
    fn who_wins_everything_or_meets_nobody_has_a_strength_too() {
        let rated = ratings(&league(&[(0, 1, tally(50, 0, 0))], 3));
        assert!(rated[0].chance > 0.9 && rated[0].chance < 1.0, "{rated:?}");
        assert!((rated[2].low..rated[2].high).contains(&0.5), "{rated:?}");
        assert!(rated[2].high - rated[2].low > 0.8, "nothing is known of it");
        let drawn = ratings(&league(&[(0, 1, tally(0, 30, 0))], 2));
        assert!((drawn[0].chance - 0.5).abs() < 1e-9);
        assert_eq!(ratings(&[]), []);
    }

    #[test]
    fn the_interval_holds_the_truth_nineteen_times_in_twenty() {
        let truth = [0.9, 0.2, -0.3, -0.8];
        let mut noise = noise_for_tests(11);
        let (mut held, mut of) = (0, 0);
        for _ in 0..500 {
            let mut pairs = Vec::new();
            for a in 0..4 {
                for b in a + 1..4 {
                    let off = truth[a] - truth[b];
                    let chance = 1.0 / (1.0 + math::exp(-off));
                    let won = (0..40).filter(|_| noise.uniform() <= chance).count() as u32;
                    pairs.push((a, b, tally(won, 0, 40 - won)));
                }
            }
            for (rating, truth) in ratings(&league(&pairs, 4)).iter().zip(truth) {
                let chance = 1.0 / (1.0 + math::exp(-truth));
                held += u32::from((rating.low..=rating.high).contains(&chance));
                of += 1;
            }
        }
        let share = f64::from(held) / f64::from(of);
        assert!((0.93..=0.97).contains(&share), "{share}");
    }
}
