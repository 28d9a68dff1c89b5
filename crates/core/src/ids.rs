//! Which one of a list: typed numbers, so that a step of the program is never taken for a step of
//! the text, nor a floor sensor for a ranging sensor. And the kinds of devices that a mission can
//! name.
//!
//! An id is the place of its thing in one list, from 0. Lists that run in step with that one
//! (readings beside sensors) are indexed by the same id. Lines of a text stay plain numbers: they
//! are a measure, with ranges, sums and differences, and with everything else typed nothing else is
//! left to take them for.

use std::fmt;
use std::ops::{Index, IndexMut, Range};

use serde::{Deserialize, Serialize};

macro_rules! ids {
    ($($(#[$doc:meta])* $name:ident;)*) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        #[serde(transparent)]
        pub struct $name(pub usize);

        impl $name {
            /// The ids of a list of this many things, in its order.
            pub fn all(count: usize) -> impl DoubleEndedIterator<Item = Self> + ExactSizeIterator + Clone {
                (0..count).map(Self)
            }
        }

        impl $name {
            /// How people count it: from 1.
            pub const fn number(self) -> usize {
                self.0 + 1
            }

            /// This one alone, as a range.
            pub const fn alone(self) -> Range<Self> {
                self..Self(self.0 + 1)
            }

            /// The one before it in its list.
            pub fn before(self) -> Option<Self> {
                self.0.checked_sub(1).map(Self)
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(out)
            }
        }

        impl<T> Index<$name> for [T] {
            type Output = T;

            fn index(&self, id: $name) -> &T {
                &self[id.0]
            }
        }

        impl<T> IndexMut<$name> for [T] {
            fn index_mut(&mut self, id: $name) -> &mut T {
                &mut self[id.0]
            }
        }

        impl<T> Index<$name> for Vec<T> {
            type Output = T;

            fn index(&self, id: $name) -> &T {
                &self[id.0]
            }
        }

        impl<T> IndexMut<$name> for Vec<T> {
            fn index_mut(&mut self, id: $name) -> &mut T {
                &mut self[id.0]
            }
        }
    )*};
}

ids! {
    /// A floor sensor of a robot.
    SensorId;
    /// A ranging sensor of a robot.
    RangerId;
    /// A touch switch or button of a robot.
    SwitchId;
    /// An actuator of a robot.
    ActuatorId;
    /// A signal of a robot.
    SignalId;
    /// A step of a mission's text.
    TextStep;
    /// A step of a compiled program: one of the text, or a phase of its behaviour.
    StepId;
    /// A slot of a mission's text.
    SlotId;
}

/// A kind of device that a mission can name.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum DeviceKind {
    /// A floor sensor.
    Floor,
    /// A ranging sensor.
    Ranger,
    /// A touch switch or a button.
    Switch,
    /// An actuator.
    Actuator,
    /// A signal.
    Signal,
}

impl DeviceKind {
    /// All kinds, in the order in which lists show them.
    pub const ALL: [Self; 5] = [
        Self::Floor,
        Self::Ranger,
        Self::Switch,
        Self::Actuator,
        Self::Signal,
    ];

    /// How one of them is called in messages and lists.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Floor => "floor sensor",
            Self::Ranger => "ranging sensor",
            Self::Switch => "switch",
            Self::Actuator => "actuator",
            Self::Signal => "signal",
        }
    }

    /// The same with its article.
    pub const fn one(self) -> &'static str {
        match self {
            Self::Floor => "a floor sensor",
            Self::Ranger => "a ranging sensor",
            Self::Switch => "a touch switch or a button",
            Self::Actuator => "an actuator",
            Self::Signal => "a signal",
        }
    }

    /// What is expected where its name should stand.
    pub const fn name_of(self) -> &'static str {
        match self {
            Self::Floor => "the name of a floor sensor",
            Self::Ranger => "the name of a ranging sensor",
            Self::Switch => "the name of a switch",
            Self::Actuator => "the name of an actuator",
            Self::Signal => "the name of a signal",
        }
    }
}

/// Which device of a robot.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum DeviceId {
    /// A floor sensor.
    Floor(SensorId),
    /// A ranging sensor.
    Ranger(RangerId),
    /// A touch switch or a button.
    Switch(SwitchId),
    /// An actuator.
    Actuator(ActuatorId),
    /// A signal.
    Signal(SignalId),
}

impl DeviceId {
    /// What kind it is.
    pub const fn kind(self) -> DeviceKind {
        match self {
            Self::Floor(_) => DeviceKind::Floor,
            Self::Ranger(_) => DeviceKind::Ranger,
            Self::Switch(_) => DeviceKind::Switch,
            Self::Actuator(_) => DeviceKind::Actuator,
            Self::Signal(_) => DeviceKind::Signal,
        }
    }
}
