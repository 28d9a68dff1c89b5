//! `keep between dark lines with floor-left and floor-right at 30 %, gain 0.8, both stop`

use super::{Behaviour, BehaviourKind, Does};
use crate::mission::ast::{Part, Spanned, Value, Wanted};
use crate::mission::offer::Offer;
use crate::mission::readback::Reader;
use crate::mission::sentence::Sentence;

/// The gain between two borders when the sentence names none.
pub const KEEP_GAIN: f64 = 0.8;

/// What to do when both borders are seen at once.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WhenBoth {
    /// Brake.
    Stop,
    /// Straight ahead.
    Ahead,
    /// Straight back.
    Back,
}

/// Drives between two lines, away from the one that is seen.
#[derive(Clone, Debug, PartialEq)]
pub struct Keep {
    /// The tone of the borders.
    pub tone: Spanned<String>,
    /// The sensors: left and right.
    pub sensors: [Spanned<String>; 2],
    /// Duty, or kept speed, of both wheels while neither border is seen.
    pub speed: Spanned<Value>,
    /// Share of it taken from one wheel and given to the other while one is.
    pub gain: Spanned<Value>,
    /// What to do when both are seen at once; they stop when nothing is written.
    pub both: Option<WhenBoth>,
}

impl Does for Keep {
    const KIND: BehaviourKind = BehaviourKind {
        word: "keep",
        plain: &[
            "lane",
            "corridor",
            "between lines",
            "walls",
            "borders",
            "tape",
            "between",
            "stay between lines",
            "corridor following",
            "lane keeping",
            "between two lines",
            "stay in lane",
            "channel",
            "stay inside",
        ],
        what: "Drives ahead between two lines and turns away from each one that it sees.",
        grammar: &[
            "keep between TONE lines with LEFT and RIGHT at SPEED [, gain G] [, both stop|ahead|back]",
        ],
        example: "keep between dark lines with floor-left and floor-right at 30 %, both stop",
        ends: &[],
        on_the_spot: false,
        read,
        offers: |kit, offers| {
            let (Some([left, right]), Some((_, tone))) = (kit.pair, kit.eye()) else {
                return;
            };
            let text = format!(
                "keep between {tone} lines with {left} and {right} at 24 %, gain 0.8, both stop"
            );
            let what = "Drives ahead and turns away from each border it sees.";
            offers.push(
                Offer::new("Keep between lines", text, what).with(&["until travelled 500 mm"]),
            );
        },
    };

    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
        each(Part::Pair(&self.sensors));
        each(Part::Tone(&self.tone, &self.sensors));
        each(Part::Amount(&self.speed, Wanted::Speed));
        each(Part::Amount(&self.gain, Wanted::Gain));
    }

    fn say(&self, of: &Reader<'_>) -> String {
        let Self {
            tone,
            sensors: [left, right],
            speed,
            gain,
            both,
        } = self;
        let both = match both {
            Some(WhenBoth::Ahead) => "drives straight ahead",
            Some(WhenBoth::Back) => "drives straight back",
            Some(WhenBoth::Stop) => "stops",
            None => "stops (default)",
        };
        format!(
            "drives ahead at {} between two {} lines, away from the one that {} or {} sees with a gain of {}; when \
             both see one it {both}",
            of.amount(speed),
            tone.node,
            left.node,
            right.node,
            of.amount_or_default(gain)
        )
    }
}

fn read(line: &mut Sentence<'_>) -> Option<Behaviour> {
    line.words(&["between"])?;
    let slot = line.slots.len();
    let tone = line.tone("")?;
    line.words(&["lines", "with"])?;
    let sensors = line.two_sensors()?;
    line.belongs(slot, &sensors[0]);
    line.words(&["at"])?;
    let speed = line.amount(Wanted::Speed)?;
    let gain = if line.clause("gain") {
        line.amount(Wanted::Gain)?
    } else {
        line.default_of(KEEP_GAIN)
    };
    let mut both = None;
    if line.clause("both") {
        both = Some(match line.choice(&["stop", "ahead", "back"])? {
            0 => WhenBoth::Stop,
            1 => WhenBoth::Ahead,
            2.. => WhenBoth::Back,
        });
    }
    Some(Behaviour::Keep(Keep {
        tone,
        sensors,
        speed,
        gain,
        both,
    }))
}
