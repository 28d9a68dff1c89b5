//! Causes: which of the things that chance made different go with failing.
//!
//! For each thing that was drawn the values of the runs that failed are compared with those of the
//! runs that held, by a rank test ([`Ranks`]): once as they are (does too low or too high go with
//! failing?) and once by how far off they are, whichever way. All questions together are corrected
//! for ([`corrected`], Holm), and only what is left below [`LEVEL`] is called a cause. The limit that
//! a cause is described by is the one that parts failed and held runs best (Youden, 1950); it is
//! found after the test and does not enter it.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::spread::Brief;
use super::statistics::{LEVEL, Ranks, Share, corrected};
use crate::units::{Quantity, Unit};

/// Which way something is off where runs fail.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Way {
    /// Below what the files say.
    Low,
    /// Above it.
    High,
    /// Far off, whichever way.
    Off,
}

/// Something that goes with failing.
#[derive(Clone, Debug, PartialEq)]
pub struct Cause {
    /// What was drawn: `grip`, `start turned`.
    pub what: String,
    /// It is a rival's, and not ours to change.
    pub rival: bool,
    /// In what people write it.
    pub unit: Unit,
    /// Which way.
    pub way: Way,
    /// From where on runs fail, in SI units or as a share; how far off, never negative.
    pub limit: f64,
    /// Of the runs that failed, how many lay beyond the limit.
    pub beyond: Share,
    /// Of the runs that did not lie beyond it, how many failed.
    pub within: Share,
    /// How often chance alone would bring as much, after the correction.
    pub p: f64,
    /// How far each run was off, and whether it held.
    pub points: Vec<(f64, bool)>,
}

/// At least so many runs must have failed, and as many have held, before anything can be said.
const FEWEST: usize = 3;

/// What goes with failing, the surest first. Nothing when too few runs failed, or held.
pub fn causes(briefs: &[Arc<Brief>]) -> Vec<Cause> {
    let held: Vec<bool> = briefs.iter().map(|brief| brief.held()).collect();
    let holds = held.iter().filter(|held| **held).count();
    if holds < FEWEST || held.len() - holds < FEWEST {
        return Vec::new();
    }
    // What was not drawn in a run was as the files say.
    let mut drawn: BTreeMap<&str, (Unit, Vec<f64>)> = BTreeMap::new();
    for (at, brief) in briefs.iter().enumerate() {
        for one in &brief.drawn {
            let all = drawn
                .entry(&one.what)
                .or_insert_with(|| (one.unit, vec![0.0; held.len()]));
            all.1[at] = one.off;
        }
    }
    let test = Ranks::new(held.len() - holds, holds);
    let asked = |values: &[f64], far: bool| {
        let of = |wanted: bool| -> Vec<f64> {
            let some = values
                .iter()
                .zip(&held)
                .filter(|(_, held)| **held == wanted);
            some.map(|(value, _)| if far { value.abs() } else { *value })
                .collect()
        };
        test.p(&of(false), &of(true))
    };
    let raw: Vec<f64> = drawn
        .values()
        .flat_map(|(_, values)| [asked(values, false), asked(values, true)])
        .collect();
    let sure = corrected(&raw);
    // Every rival has a grip: that tells what else is a rival's.
    let rivals: Vec<String> = drawn
        .keys()
        .filter_map(|what| what.strip_suffix("grip"))
        .filter(|rival| !rival.is_empty())
        .map(str::to_owned)
        .collect();
    let mut found: Vec<Cause> = drawn
        .into_iter()
        .zip(sure.chunks(2))
        .filter_map(|((what, (unit, values)), p)| {
            // The one of the two questions that says more.
            let far = p[1] < p[0];
            let p = p[usize::from(far)];
            if p >= LEVEL {
                return None;
            }
            let points: Vec<(f64, bool)> = values.into_iter().zip(held.iter().copied()).collect();
            let ways: &[Way] = if far {
                &[Way::Off]
            } else {
                &[Way::Low, Way::High]
            };
            let (way, limit, _) = ways
                .iter()
                .filter_map(|way| {
                    let (limit, parts) = best_limit(&points, *way)?;
                    Some((*way, limit, parts))
                })
                .max_by(|a, b| a.2.total_cmp(&b.2))?;
            let is_beyond = |off: f64| lies(off, way) > limit;
            let failed = points.iter().filter(|(_, held)| !held);
            let beyond = Share::count(failed.map(|(off, _)| is_beyond(*off)));
            let inside = points.iter().filter(|(off, _)| !is_beyond(*off));
            let within = Share::count(inside.map(|(_, held)| !held));
            Some(Cause {
                what: what.to_owned(),
                rival: rivals.iter().any(|rival| what.starts_with(rival)),
                unit,
                way,
                limit,
                beyond,
                within,
                p,
                points,
            })
        })
        .collect();
    found.sort_by(|a, b| a.p.total_cmp(&b.p));
    found
}

/// How far something is off in a way.
fn lies(off: f64, way: Way) -> f64 {
    match way {
        Way::Low => -off,
        Way::High => off,
        Way::Off => off.abs(),
    }
}

/// The limit beyond which most of the failed and least of the held runs lie, and the difference of
/// those shares; none when no limit that is not negative parts them.
fn best_limit(points: &[(f64, bool)], way: Way) -> Option<(f64, f64)> {
    let mut all: Vec<(f64, bool)> = points
        .iter()
        .map(|(off, held)| (lies(*off, way), *held))
        .collect();
    all.sort_by(|a, b| b.0.total_cmp(&a.0));
    let holds = all.iter().filter(|(_, held)| *held).count() as f64;
    let fails = all.len() as f64 - holds;
    let (mut best, mut parts): (Option<f64>, f64) = (None, 0.0);
    let (mut failed, mut held) = (0.0, 0.0);
    for pair in all.windows(2) {
        if pair[0].1 {
            held += 1.0;
        } else {
            failed += 1.0;
        }
        let limit = f64::midpoint(pair[0].0, pair[1].0);
        let now = failed / fails - held / holds;
        if pair[0].0 > pair[1].0 && limit >= 0.0 && now > parts {
            (best, parts) = (Some(limit), now);
        }
    }
    best.map(|limit| (limit, parts))
}

/// Runs whose values lie side by side, and how many of them failed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bin {
    /// The smallest of the values, in SI units or as a share.
    pub from: f64,
    /// The largest.
    pub to: f64,
    /// How many of those runs failed.
    pub failed: Share,
}

/// A chart of a cause has at most so many bins, each with at least so many runs.
const BINS: usize = 10;
const IN_A_BIN: usize = 10;

impl Cause {
    /// How many runs fail over the value: bins with the same number of runs, as nearly as equal
    /// values allow, in order of the value.
    pub fn bins(&self) -> Vec<Bin> {
        let mut points = self.points.clone();
        points.sort_by(|a, b| a.0.total_cmp(&b.0));
        let count = (points.len() / IN_A_BIN).clamp(1, BINS);
        let mut bins = Vec::new();
        let mut first = 0;
        for nth in 1..=count {
            let mut behind = points.len() * nth / count;
            // What has the same value stays together.
            while behind < points.len() && behind > 0 && points[behind].0 == points[behind - 1].0 {
                behind += 1;
            }
            if let [(from, _), ..] = points[first.min(behind)..behind] {
                let some = &points[first..behind];
                bins.push(Bin {
                    from,
                    to: some[some.len() - 1].0,
                    failed: Share::count(some.iter().map(|(_, held)| !held)),
                });
                first = behind;
            }
        }
        bins
    }

    /// Between which values the chart of this cause spans.
    pub fn span(&self) -> [f64; 2] {
        let offs = self.points.iter().map(|(off, _)| *off);
        [
            offs.clone().fold(f64::INFINITY, f64::min),
            offs.fold(f64::NEG_INFINITY, f64::max),
        ]
    }

    /// The limits that are marked on it: one, or one on either side, as far as runs lie there.
    pub fn limits(&self) -> Vec<f64> {
        let [least, most] = self.span();
        let limits = match self.way {
            Way::Low => vec![-self.limit],
            Way::High => vec![self.limit],
            Way::Off => vec![-self.limit, self.limit],
        };
        let seen = limits.into_iter();
        seen.filter(|limit| (least..=most).contains(limit))
            .collect()
    }

    /// The numbers of the runs that lay beyond the limit and failed.
    ///
    /// - `briefs`: those that the cause was found in
    pub fn failed_beyond(&self, briefs: &[Arc<Brief>]) -> Vec<u32> {
        let beyond = |(off, held): &(f64, bool)| lies(*off, self.way) > self.limit && !held;
        let numbered = briefs.iter().zip(&self.points);
        numbered
            .filter(|(_, point)| beyond(point))
            .map(|(brief, _)| brief.number)
            .collect()
    }

    /// What is off and which way, in a few words: `grip too low`, `start turned left`.
    pub fn name(&self) -> String {
        let way = |low, high, off| match self.way {
            Way::Low => low,
            Way::High => high,
            Way::Off => off,
        };
        if self.what.ends_with(" turned") {
            return format!("{}{}", self.what, way(" right", " left", ""));
        }
        if let Some(who) = self.what.strip_suffix(" along") {
            return format!("{who} too far {}", way("back", "ahead", "ahead or back"));
        }
        if let Some(who) = self.what.strip_suffix(" across") {
            return format!("{who} too far {}", way("right", "left", "left or right"));
        }
        if let Some(who) = self.what.strip_suffix(" clock") {
            return format!("{who} looks {}", way("early", "late", "late"));
        }
        format!("{} {}", self.what, way("too low", "too high", "off"))
    }

    /// A limit or value as people write it: `1.8 deg`.
    pub fn amount(&self, off: f64) -> String {
        let value = Quantity::from_si(off, self.unit).value;
        // Two digits that count say enough of what was drawn by chance.
        let digits = if value.abs() >= 10.0 { 1.0 } else { 10.0 };
        let value = (value * digits).round() / digits;
        let value = if value == 0.0 { 0.0 } else { value };
        Quantity {
            value,
            unit: self.unit,
        }
        .to_string()
    }

    /// What is off, in which way and how far: `the start was turned left by more than 1.8 deg`.
    pub fn condition(&self) -> String {
        let limit = self.amount(self.limit);
        let way = |low: &str, high: &str, off: &str| {
            match self.way {
                Way::Low => low,
                Way::High => high,
                Way::Off => off,
            }
            .to_owned()
        };
        if let Some(who) = self.what.strip_suffix(" turned").map(named) {
            let way = way(" right", " left", "");
            return format!("{who} was turned{way} by more than {limit}");
        }
        if let Some(who) = self.what.strip_suffix(" along").map(named) {
            let way = way("too far back", "too far ahead", "too far ahead or back");
            return format!("{who} was more than {limit} {way}");
        }
        if let Some(who) = self.what.strip_suffix(" across").map(named) {
            let way = way("too far right", "too far left", "too far left or right");
            return format!("{who} was more than {limit} {way}");
        }
        if let Some(who) = self.what.strip_suffix(" clock") {
            return match self.way {
                Way::Low => format!("{who} looked early in its period"),
                Way::High | Way::Off => format!("{who} looked more than {limit} late"),
            };
        }
        let way = way("too low", "too high", "off");
        format!("{} was more than {limit} {way}", self.what)
    }

    /// The whole in a sentence with its numbers: `In 11 of the 13 failed runs the start was turned
    /// left by more than 1.8 deg. Of the 87 other runs 2 failed.`
    pub fn words(&self) -> String {
        let others = match (self.within.times, self.within.of) {
            (0, of) => format!("Of the {of} other runs none failed."),
            (times, of) => format!("Of the {of} other runs {times} failed."),
        };
        let (beyond, condition) = (self.beyond, self.condition());
        let failed = if beyond.times == beyond.of {
            format!("In all {} failed runs", beyond.of)
        } else {
            format!("In {} of the {} failed runs", beyond.times, beyond.of)
        };
        format!("{failed} {condition}. {others}")
    }

    /// What would help against it.
    pub fn advice(&self) -> &'static str {
        let what = self.what.as_str();
        let is = |part: &str| what.contains(part);
        if self.rival {
            "nothing about the rival itself: what you do must work against a stronger and a weaker one"
        } else if what.starts_with("start ") {
            "square up first: against a wall, or on a line; or mark the start on the mat"
        } else if is(" clock") {
            "drive slower where something must be seen: a sensor reads only now and then"
        } else if is("battery") || is("motor") {
            "keep speeds in mm/s instead of duty, or end steps by distance or by what is seen, not by time"
        } else if is("grip") || is("caster") {
            "start and turn slower, and end turns by heading or by what is seen"
        } else if is("wheel") || is("track width") || is("gyro") {
            "end the step by a line or a wall instead of a distance or an angle, or square up before it"
        } else if is("gain") || is("light") {
            "put the limit half way between the two surfaces, and calibrate at the table"
        } else if is("scale") || is("dropouts") || is("outliers") {
            "ask for the distance twice (`for 100 ms`), and leave more room"
        } else if is("lag") || is("jitter") {
            "drive slower before what must be met exactly"
        } else {
            "search for it instead of driving to where it should be"
        }
    }
}

/// `start` is no name of a thing on the field.
fn named(who: &str) -> &str {
    if who == "start" { "the start" } else { who }
}

#[cfg(test)]
mod tests;
