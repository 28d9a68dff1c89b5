//! Worked examples, and whether what is called 95 % sure holds 95 times in 100.

use super::*;
use crate::sim::noise_for_tests;

fn ranks(first: &[f64], second: &[f64]) -> f64 {
    Ranks::new(first.len(), second.len()).p(first, second)
}

fn near(value: f64, wanted: f64, by: f64) {
    assert!((value - wanted).abs() <= by, "{value} is not {wanted}");
}

#[test]
fn the_interval_of_a_share_is_wilsons() {
    // By hand, with z = 1.96: (9/10 + 0.19208) / 1.38416 -+ 1.96 / 1.38416 * sqrt(0.009 + 0.009604).
    let (low, high) = Share::new(9, 10).interval();
    near(low, 0.5958, 1e-4);
    near(high, 0.9821, 1e-4);
    // Symmetric, never outside, and something is known even of none and all.
    for of in 1..60 {
        for times in 0..=of {
            let (low, high) = Share::new(times, of).interval();
            let (other_low, other_high) = Share::new(of - times, of).interval();
            near(low, 1.0 - other_high, 1e-12);
            near(high, 1.0 - other_low, 1e-12);
            let share = f64::from(times) / f64::from(of);
            assert!(0.0 <= low && low <= share && share <= high && high <= 1.0);
        }
    }
    // z^2 / (n + z^2).
    near(Share::new(0, 20).interval().1, 0.1611, 1e-4);
    assert_eq!(Share::default().interval(), (0.0, 1.0));
    assert_eq!(Share::default().value(), None);
    assert_eq!(Share::new(37, 40).interval_words(), "80 to 98 %");
}

#[test]
fn a_95_percent_interval_holds_the_truth_95_times_in_100() {
    let mut noise = noise_for_tests(4);
    for (truth, of) in [(0.95, 40), (0.7, 40), (0.5, 20), (0.9, 200)] {
        let holds = (0..2000).filter(|_| {
            let times = (0..of).filter(|_| noise.uniform() < truth).count() as u32;
            let (low, high) = Share::new(times, of).interval();
            (low..=high).contains(&truth)
        });
        let percent = holds.count() as f64 / 20.0;
        assert!(
            (93.0..=97.0).contains(&percent),
            "{truth} of {of}: {percent}"
        );
    }
}

#[test]
fn pairs_are_tested_exactly() {
    // 2 * (1 + 10 + 45) / 2^10: by hand.
    near(pairs(2, 8), 2.0 * 56.0 / 1024.0, 1e-12);
    near(pairs(8, 2), pairs(2, 8), 1e-15);
    near(pairs(0, 6), 2.0 / 64.0, 1e-12);
    // Nothing came out differently, or as often either way.
    assert_eq!(pairs(0, 0), 1.0);
    assert_eq!(pairs(3, 3), 1.0);
}

#[test]
fn ranks_are_tested_exactly_and_nearly() {
    // Of the 20 ways to deal out 6 ranks one gives U = 0 and one U = 9.
    near(ranks(&[1.0, 2.0, 3.0], &[4.0, 5.0, 6.0]), 0.1, 1e-12);
    near(ranks(&[4.0, 5.0, 6.0], &[1.0, 2.0, 3.0]), 0.1, 1e-12);
    // U = 1 or less in 2 of 35 ways to deal out 3 of 7.
    near(
        ranks(&[1.0, 2.0, 4.0], &[3.0, 5.0, 6.0, 7.0]),
        4.0 / 35.0,
        1e-12,
    );
    assert_eq!(ranks(&[], &[1.0]), 1.0);
    // Nothing can be said of values that are all the same.
    assert_eq!(ranks(&[1.0; 5], &[1.0; 9]), 1.0);
    // Every way to deal 4 of 9, against counting out.
    for dealt in 0u32..512 {
        if dealt.count_ones() == 4 {
            let of = |wanted: bool| -> Vec<f64> {
                (0..9)
                    .filter(|at| (dealt >> at & 1 == 1) == wanted)
                    .map(f64::from)
                    .collect()
            };
            let u = |dealt: u32| -> usize {
                let above = |at: u32| (0..at).filter(|below| dealt >> below & 1 == 0).count();
                (0..9).filter(|at| dealt >> at & 1 == 1).map(above).sum()
            };
            let ours = u(dealt).min(20 - u(dealt));
            let ways = (0u32..512).filter(|other| other.count_ones() == 4);
            let as_far = ways.filter(|other| u(*other).min(20 - u(*other)) <= ours);
            let p = as_far.count() as f64 / 126.0;
            near(ranks(&of(true), &of(false)), p, 1e-12);
        }
    }
}

#[test]
fn a_test_calls_chance_something_once_in_twenty_and_no_more() {
    let mut noise = noise_for_tests(9);
    // Few and many; with equal values, as of clocks that count milliseconds.
    for (n, m, steps) in [(6, 34, 0.0), (13, 187, 0.0), (60, 140, 0.0), (20, 80, 10.0)] {
        let found = (0..2000).filter(|_| {
            let mut some = |count: usize| -> Vec<f64> {
                let one = |value: f64| {
                    if steps > 0.0 {
                        (value * steps).floor()
                    } else {
                        value
                    }
                };
                (0..count).map(|_| one(noise.uniform())).collect()
            };
            ranks(&some(n), &some(m)) < LEVEL
        });
        let percent = found.count() as f64 / 20.0;
        assert!((3.0..=6.5).contains(&percent), "{n}, {m}: {percent}");
    }
}

#[test]
fn several_questions_at_once_are_corrected_for() {
    // Holm: 0.01 * 4, then 0.02 * 3, then 0.04 * 2 and never less than before, then 0.03 in order.
    let corrected = corrected(&[0.04, 0.01, 0.5, 0.02]);
    for (value, wanted) in corrected.iter().zip([0.08, 0.04, 0.5, 0.06]) {
        near(*value, wanted, 1e-12);
    }
    assert!(super::corrected(&[]).is_empty());
}
