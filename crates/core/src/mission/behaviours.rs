//! The behaviours: one file each, with everything that the language knows about it.
//!
//! A behaviour is a struct that implements [`Does`] and stands in the list below. What a robot then
//! does is the controller's: its `match` over [`Behaviour`] does not compile until the new one has
//! an arm there.

mod align;
mod call;
mod choose;
mod clear;
mod devices;
mod drive;
mod follow;
mod hold;
mod keep;
mod measure;
mod probe;
mod repeat;
mod seek;
mod shift;
mod shove;
mod turn;

pub use align::Align;
pub use call::{Argument, Do};
pub use choose::{Choose, React};
pub use clear::Await;
pub use devices::{Move, Signal, Way};
pub use drive::{Drive, Hold as HeldHeading, Wheel};
pub use follow::{Follow, GAIN, Law, Track, WhenLost};
pub use hold::{Hold, StopKind};
pub use keep::{KEEP_GAIN, Keep, WhenBoth};
pub use measure::Measure;
pub use probe::{Feeler, Probe};
pub use repeat::{Repeat, Rounds};
pub use seek::Seek;
pub use shift::Shift;
pub use shove::Shove;
pub use turn::{Pivot, Spin};

use super::ast::{Condition, Part};
use super::offer::{Kit, Offer};
use super::readback::Reader;
use super::sentence::Sentence;

/// How a behaviour ends by itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ending {
    /// It has done what it should.
    Finished,
    /// A search has found something.
    Found,
    /// A search or a wait has no more tries.
    GivenUp,
    /// What was in the way has left.
    Clear,
    /// A probe got further on the left.
    LeftFurther,
    /// A probe got further on the right.
    RightFurther,
}

impl Ending {
    /// Every one.
    pub const ALL: &[Self] = &[
        Self::Finished,
        Self::Found,
        Self::GivenUp,
        Self::Clear,
        Self::LeftFurther,
        Self::RightFurther,
    ];

    /// How it is written as a condition.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Finished => "finished",
            Self::Found => "found",
            Self::GivenUp => "given up",
            Self::Clear => "clear",
            Self::LeftFurther => "left is further",
            Self::RightFurther => "right is further",
        }
    }

    /// What it says as a condition, in one sentence.
    pub const fn what(self) -> &'static str {
        match self {
            Self::Finished => "The behaviour has ended by itself.",
            Self::Found => "What was looked for has been found.",
            Self::GivenUp => "All tries are used up.",
            Self::Clear => "The way has been clear for a moment.",
            Self::LeftFurther => "There is more room on the left.",
            Self::RightFurther => "There is more room on the right.",
        }
    }

    /// Words and phrases by which people look for it.
    pub(super) const fn plain(self) -> &'static str {
        match self {
            Self::Finished => {
                "done, ended, over, complete, completed, ready, end, when done, by itself"
            }
            Self::Found => "seen, detected, found it, discovered, located, success, got it",
            Self::GivenUp => {
                "not found, no luck, tries used up, failed, give up, nothing found, too many tries, gave up"
            }
            Self::Clear => {
                "free, way is free, obstacle gone, gone, nothing in the way, open, way clear"
            }
            Self::LeftFurther => {
                "left free, more room left, left side, left is free, left longer, left more"
            }
            Self::RightFurther => {
                "right free, more room right, right side, right is free, right longer, right more"
            }
        }
    }

    /// The same in a mirror.
    #[must_use]
    pub const fn mirrored(self) -> Self {
        match self {
            Self::LeftFurther => Self::RightFurther,
            Self::RightFurther => Self::LeftFurther,
            other @ (Self::Finished | Self::Found | Self::GivenUp | Self::Clear) => other,
        }
    }
}

/// What there is to know about a behaviour besides one sentence of it.
pub struct BehaviourKind {
    /// The word that its sentences start with.
    pub word: &'static str,
    /// Plain words by which people look for it.
    pub plain: &'static [&'static str],
    /// What it does, in one sentence.
    pub what: &'static str,
    /// How it is written, one line for each form.
    pub grammar: &'static [&'static str],
    /// A sentence of it.
    pub example: &'static str,
    /// How it ends by itself; empty when only an exit ends it.
    pub ends: &'static [Ending],
    /// Whether it turns the robot on the spot, or nearly so: a car cannot.
    pub on_the_spot: bool,
    /// Reads the rest of a sentence of it.
    pub(super) read: fn(&mut Sentence<'_>) -> Option<Behaviour>,
    /// Adds the sentences that are offered for a new step.
    pub(super) offers: fn(&Kit<'_>, &mut Vec<Offer>),
}

/// One behaviour as a part of the language.
pub(super) trait Does {
    /// What there is to know about it.
    const KIND: BehaviourKind;

    /// Its parts, in written order.
    fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>));

    /// What it does in plain words, as the rest of a sentence about the robot: `drives straight
    /// ahead at 40 %`.
    fn say(&self, of: &Reader<'_>) -> String;
}

macro_rules! behaviours {
    ($($name:ident),* $(,)?) => {
        /// What the robot does during a step.
        #[derive(Clone, Debug, PartialEq)]
        pub enum Behaviour {
            $(
                #[doc = concat!("See [`", stringify!($name), "`].")]
                $name($name),
            )*
        }

        /// Every behaviour, in the order in which they are offered.
        pub const BEHAVIOURS: &[&BehaviourKind] = &[$(&$name::KIND,)*];

        impl Behaviour {
            /// What there is to know about its kind.
            pub const fn kind(&self) -> &'static BehaviourKind {
                match self {
                    $(Self::$name(_) => &$name::KIND,)*
                }
            }

            /// Its parts, in written order.
            pub fn parts<'a>(&'a self, each: &mut dyn FnMut(Part<'a>)) {
                match self {
                    $(Self::$name(does) => does.parts(each),)*
                }
            }

            /// What it does, in plain words.
            pub(super) fn say(&self, of: &Reader<'_>) -> String {
                match self {
                    $(Self::$name(does) => does.say(of),)*
                }
            }
        }
    };
}

behaviours!(
    Drive, Spin, Pivot, Follow, Keep, Align, Shift, Seek, Probe, Await, Shove, Hold, Move, Signal,
    Measure, Repeat, React, Choose, Do,
);

impl Behaviour {
    /// The word its sentence starts with.
    pub const fn word(&self) -> &'static str {
        self.kind().word
    }

    /// How it ends by itself; empty when only an exit ends it.
    pub const fn outcomes(&self) -> &'static [Ending] {
        if let Self::Repeat(Repeat(Rounds::Forever)) = self {
            &[]
        } else {
            self.kind().ends
        }
    }

    /// Whether an exit of this behaviour can ask for this: only what follows a line loses it, and
    /// only what ends by itself has ended.
    pub fn may_ask(&self, term: &Condition) -> bool {
        match term {
            Condition::Ended(ending) => self.outcomes().contains(ending),
            Condition::Lost => matches!(self, Self::Follow(_)),
            Condition::Any(_)
            | Condition::All(_)
            | Condition::Not(_)
            | Condition::For(..)
            | Condition::After(..)
            | Condition::As(..)
            | Condition::Sees { .. }
            | Condition::Reads { .. }
            | Condition::Compares { .. }
            | Condition::Between { .. }
            | Condition::Code { .. }
            | Condition::Changed { .. }
            | Condition::Crossed { .. }
            | Condition::Is { .. }
            | Condition::Travelled(_)
            | Condition::Turned(_)
            | Condition::Heading(_)
            | Condition::Rolled { .. }
            | Condition::Passed(_)
            | Condition::Clock(_)
            | Condition::Zone { .. }
            | Condition::Stalled(_)
            | Condition::EndedBy(_) => true,
        }
    }
}

/// The behaviour whose sentences start with a word.
pub(super) fn kind_of(word: &str) -> Option<&'static BehaviourKind> {
    BEHAVIOURS.iter().copied().find(|kind| kind.word == word)
}

/// The words that behaviours start with.
pub(super) fn words() -> impl Iterator<Item = &'static str> {
    BEHAVIOURS.iter().map(|kind| kind.word)
}
