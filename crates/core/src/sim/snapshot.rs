//! Snapshots: a run as it stood at some ticks, so that it can go on from there with a program that
//! does something else only in steps that it had not entered yet.
//!
//! A snapshot holds what the run goes on from and not what it had recorded; what of that goes into
//! the fingerprint is counted as it grows.

use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use super::run::{Brain, Match, Play, State, make_ready};
use super::world::World;
use crate::controller::{Event, Program, Reading};
use crate::field::Pose;
use crate::ids::StepId;
use crate::record::{Counted, Happened, Intervention, Run, Stamp, Tick, Trace};

/// A run as it stood before a tick.
#[derive(Clone, Debug)]
pub struct Snapshot {
    /// So many ticks had been recorded.
    pub tick: usize,
    /// The steps that it had entered, each once, in the order of the program.
    pub entered: Vec<StepId>,
    state: State,
    events: Vec<Stamp>,
    happened: Vec<Happened>,
    counted: Counted,
    /// What was recorded at the tick before.
    last: Row,
}

/// All that a trace holds of one tick.
#[derive(Clone, Debug)]
struct Row {
    tick: Tick,
    readings: Vec<Reading>,
    ranges: Vec<f64>,
    pressed: Vec<bool>,
    angles: Vec<f64>,
    places: Vec<Pose>,
}

/// Takes snapshots as a run goes on.
#[derive(Debug)]
pub(super) struct Snaps {
    /// Ticks from one to the next.
    every: usize,
    taken: Vec<Arc<Snapshot>>,
    counted: Counted,
}

/// The steps that were entered by some events, each once, in the order of the program.
pub(crate) fn entered(events: &[Stamp]) -> Vec<StepId> {
    let step = |stamp: &Stamp| match stamp.event {
        Event::Entered { step } => Some(step),
        Event::Left { .. }
        | Event::Counted { .. }
        | Event::Ended { .. }
        | Event::Took { .. }
        | Event::Gave { .. }
        | Event::Kept { .. } => None,
    };
    let mut steps: Vec<StepId> = events.iter().filter_map(step).collect();
    steps.sort_unstable();
    steps.dedup();
    steps
}

impl Match<'_> {
    /// Takes a snapshot when it is time for one.
    pub(super) fn snap(&self, snaps: &mut Option<&mut Snaps>) {
        let (Some(snaps), trace) = (snaps, &self.trace) else {
            return;
        };
        let tick = trace.ticks.len();
        let before = snaps.taken.last().map_or(0, |snapshot| snapshot.tick);
        // A run that begins in the middle has another program before.
        if tick < before.saturating_add(snaps.every) || self.piece.is_some() {
            return;
        }
        let Some(last) = trace.ticks.last() else {
            return;
        };
        snaps.counted.up_to(trace, tick);
        let of = |count: usize| (tick - 1) * count..tick * count;
        snaps.taken.push(Arc::new(Snapshot {
            tick,
            entered: entered(&trace.events),
            state: self.state.clone(),
            events: trace.events.clone(),
            happened: trace.happened.clone(),
            counted: snaps.counted.clone(),
            last: Row {
                tick: *last,
                readings: trace.readings[of(trace.sensors)].to_vec(),
                ranges: trace.ranges[of(trace.rangers)].to_vec(),
                pressed: trace.pressed[of(trace.touches)].to_vec(),
                angles: trace.angles[of(trace.actuators)].to_vec(),
                places: trace.places[of(trace.props.len())].to_vec(),
            },
        }));
    }
}

/// A finished run that can be gone on with.
#[derive(Debug)]
pub struct Kept {
    /// The run. When it was gone on with, its trace holds only from there on what was recorded; the
    /// ticks before are all like the last of them.
    pub run: Run,
    /// So many ticks of it were not recorded.
    pub unrecorded: usize,
    /// The snapshots that were taken of it, those of before included.
    pub snapshots: Vec<Arc<Snapshot>>,
    counted: Counted,
}

impl Kept {
    /// The fingerprint of the whole run.
    pub fn fingerprint(&self) -> u64 {
        self.run.fingerprint_after(self.counted.clone())
    }
}

/// What a run goes on from: earlier snapshots of it, the one to go on from last; none to begin at
/// the start.
///
/// - `every`: ticks from one snapshot to the next
///
/// None when `cancel` was set meanwhile. The program of the snapshots and this one must be alike but
/// for steps that the last of them had not entered ([`Program::changed`]); then the run is the same,
/// to the last bit, as from the start.
pub fn resume(
    world: &World,
    program: &Arc<Program>,
    play: Play<'_>,
    before: &[Arc<Snapshot>],
    every: usize,
    (cancel, spare): (Option<&AtomicBool>, Trace),
) -> Option<Kept> {
    let every = every.max(1);
    let mut snaps = Snaps {
        every,
        taken: before.to_vec(),
        counted: before
            .last()
            .map_or_else(Counted::default, |snapshot| snapshot.counted.clone()),
    };
    let (unrecorded, under_way) = match before.last() {
        None => (0, Match::new(world, program, play, spare)),
        Some(snapshot) => {
            let under_way = snapshot.go_on(world, program, play.interventions, spare);
            (snapshot.tick, under_way)
        }
    };
    let run = under_way.go(cancel, Some(&mut snaps))?;
    // What was counted for snapshots is not counted again.
    Some(Kept {
        run,
        unrecorded,
        snapshots: snaps.taken,
        counted: snaps.counted,
    })
}

impl Snapshot {
    fn go_on<'w>(
        &self,
        world: &'w World,
        program: &'w Arc<Program>,
        interventions: &'w [Intervention],
        spare: Trace,
    ) -> Match<'w> {
        let mut trace = spare;
        make_ready(&mut trace, world, program);
        trace.ticks.resize(self.tick, self.last.tick);
        for _ in 0..self.tick {
            trace.readings.extend_from_slice(&self.last.readings);
            trace.ranges.extend_from_slice(&self.last.ranges);
            trace.pressed.extend_from_slice(&self.last.pressed);
            trace.angles.extend_from_slice(&self.last.angles);
            trace.places.extend_from_slice(&self.last.places);
        }
        trace.events.extend_from_slice(&self.events);
        trace.happened.extend_from_slice(&self.happened);
        let mut state = self.state.clone();
        if let Brain::Mission(controller) = &mut state.seats[0].brain {
            controller.go_on_with(Arc::clone(program));
        }
        Match {
            world,
            program,
            interventions,
            state,
            trace,
            piece: None,
        }
    }
}
