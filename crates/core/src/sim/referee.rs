//! Match rules: watches a run, keeps the score sheet, and says when it is decided and how.

use super::scene::{Fallen, Scene};
use crate::field::{Decider, Feat, Field, Point};
use crate::record::{Happening, ScoreLine, Sheet, Verdict};
use crate::robot::Robot;

/// A robot that has come this far has moved, metres.
const MOVED: f64 = 0.002;

/// Whether a place between the feet of a robot is on something.
fn straddles(feet: [Point; 3], on: impl Fn(Point) -> bool) -> bool {
    /// Looks along each side; the narrowest tape is a few millimetres wide.
    const LOOKS: u32 = 40;
    let between = |a: Point, b: Point| {
        (1..LOOKS).any(|look| {
            let t = f64::from(look) / f64::from(LOOKS);
            on(Point::new(a.x + t * (b.x - a.x), a.y + t * (b.y - a.y)))
        })
    };
    between(feet[0], feet[1]) || between(feet[1], feet[2]) || between(feet[2], feet[0])
}

/// Watches one run.
#[derive(Clone, Debug)]
pub struct Referee {
    sheet: Sheet,
    feats: Vec<Feat>,
    deciders: Vec<Decider>,
    start_delay: f64,
    /// Where the robot stood at the start.
    from: Option<Point>,
    early: bool,
    /// For each mark to keep off: its index, and whether it is touched now.
    tapes: Vec<(usize, bool)>,
    /// Where the caster touches, metres ahead of the axle.
    caster: f64,
}

impl Referee {
    /// Before the start.
    pub fn new(field: &Field, robot: &Robot) -> Self {
        let line = |scoring: &crate::field::Scoring| ScoreLine {
            words: scoring.words.clone(),
            each: scoring.points,
            times: 0,
            first: None,
        };
        Self {
            sheet: Sheet {
                lines: field.rules.scoring.iter().map(line).collect(),
                verdict: None,
            },
            feats: field
                .rules
                .scoring
                .iter()
                .map(|scoring| scoring.feat.clone())
                .collect(),
            deciders: field.rules.deciders.clone(),
            start_delay: field.rules.start_delay,
            from: None,
            early: false,
            tapes: (0..field.marks.len())
                .filter(|&mark| field.marks[mark].keep_off)
                .map(|mark| (mark, false))
                .collect(),
            caster: robot.caster_ahead,
        }
    }

    fn give(&mut self, feat: &Feat, tick: usize, times: u32) {
        for (line, _) in self
            .sheet
            .lines
            .iter_mut()
            .zip(&self.feats)
            .filter(|(_, own)| *own == feat)
        {
            line.times += times;
            if times > 0 {
                line.first.get_or_insert(tick);
            }
        }
    }

    fn decide(&mut self, by: Decider, verdict: Verdict, tick: usize) {
        if self.deciders.contains(&by) && self.sheet.verdict.is_none() {
            self.sheet.verdict = Some((verdict, tick));
        }
    }

    /// The match clock has run out and our robot is still there: whether that wins.
    pub fn clock_ran_out(&mut self, tick: usize) -> bool {
        self.decide(Decider::ClockRunsOut, Verdict::Won, tick);
        matches!(self.sheet.verdict, Some((Verdict::Won, _)))
    }

    /// Calls a draw.
    pub fn draw(&mut self, tick: usize) {
        self.sheet.verdict.get_or_insert((Verdict::Drawn, tick));
    }

    /// How the match was decided, if it is.
    pub const fn verdict(&self) -> Option<(Verdict, usize)> {
        self.sheet.verdict
    }

    /// Looks at the field at a tick; what it sees happen is appended.
    pub fn look(
        &mut self,
        field: &Field,
        scene: &Scene,
        tick: usize,
        seconds: f64,
        seen: &mut Vec<Happening>,
    ) {
        let rider = &scene.riders[0];
        let pose = rider.plant.pose(&rider.body);
        let from = *self.from.get_or_insert(Point::new(pose.x, pose.y));
        if !self.early
            && seconds < self.start_delay
            && from.distance(Point::new(pose.x, pose.y)) > MOVED
        {
            self.early = true;
            seen.push(Happening::EarlyStart);
            self.give(&Feat::EarlyStart, tick, 1);
            self.decide(Decider::EarlyStart, Verdict::Lost, tick);
        }
        if !self.tapes.is_empty() {
            let [left, right] = rider.plant.wheels(&rider.body);
            let feet = [
                left,
                right,
                rider.plant.place(&rider.body, self.caster, 0.0),
            ];
            for index in 0..self.tapes.len() {
                let (mark, was) = self.tapes[index];
                let on = |place: Point| field.marks[mark].shape.depth(place) > 0.0;
                // A robot that straddles it has not left it: one crossing is one touch.
                let now = feet.iter().any(|foot| on(*foot)) || (was && straddles(feet, on));
                self.tapes[index].1 = now;
                if now && !was {
                    seen.push(Happening::Tape(mark));
                    self.give(&Feat::TapeTouched, tick, 1);
                }
            }
        }
    }

    /// Takes down what fell since the last look.
    pub fn fell(&mut self, fallen: Fallen, scene: &Scene, tick: usize) {
        match fallen {
            Fallen::Rider(0) => {
                self.give(&Feat::Fell, tick, 1);
                self.decide(Decider::LastOnTheRing, Verdict::Lost, tick);
            }
            Fallen::Rider(_) => {
                self.give(&Feat::OpponentOff, tick, 1);
                if scene.riders[1..].iter().all(|rider| rider.out) {
                    self.decide(Decider::LastOnTheRing, Verdict::Won, tick);
                }
            }
            Fallen::Loose(_) => {
                self.give(&Feat::ObjectOff, tick, 1);
                if scene.loose.iter().all(|loose| loose.gone) {
                    self.give(&Feat::AllObjectsOff, tick, 1);
                    self.decide(Decider::AllObjectsOff, Verdict::Won, tick);
                }
            }
        }
    }

    /// The sheet at the end.
    ///
    /// - `left`: whole seconds left on the clock when the mission came to its planned end; none when it did not
    pub fn close(
        mut self,
        field: &Field,
        robot: &Robot,
        scene: &Scene,
        ended: usize,
        left: Option<u32>,
    ) -> Sheet {
        let rider = &scene.riders[0];
        for (index, zone) in field.zones.iter().enumerate() {
            let within = |place: Point| zone.shape.depth(place) >= 0.0;
            let objects = scene
                .loose
                .iter()
                .filter(|loose| !loose.gone && within(loose.at))
                .count();
            self.give(&Feat::ObjectInZone(index), ended, objects as u32);
            let corners = robot
                .outline
                .iter()
                .map(|(ahead, left)| rider.plant.place(&rider.body, *ahead, *left));
            if !rider.out && corners.into_iter().all(within) {
                self.give(&Feat::RobotInZone(index), ended, 1);
            }
        }
        if let Some(seconds) = left {
            self.give(&Feat::Done, ended, 1);
            self.give(&Feat::SecondLeft, ended, seconds);
        }
        if !self.deciders.is_empty() && self.sheet.verdict.is_none() {
            self.sheet.verdict = Some((Verdict::Drawn, ended));
        }
        self.sheet
    }
}
