//! How much runs of one mission differ: what a team, a table and a battery make of the same files.
//!
//! All spreads are standard deviations. Those that no file gives are our own estimates
//! (docs/world.md).

use crate::finding::Hint;
use crate::keys::section;
use crate::tables::Tables;
use crate::units::{Angle, Length, NotNegative, Percent, Time};

/// How carefully a team works, and how much its table, light and batteries change.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum Scatter {
    /// Nothing differs but the noise of the senses.
    Exact,
    /// A careful team at its own table.
    #[default]
    Everyday,
    /// A hurried team, another table, other light.
    Rough,
}

impl Scatter {
    /// All of them, from the least on.
    pub const ALL: [Self; 3] = [Self::Exact, Self::Everyday, Self::Rough];

    /// Its word in files and on the command line.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Exact => "exact",
            Self::Everyday => "everyday",
            Self::Rough => "rough",
        }
    }
}

/// The spreads of something, for each kind of scatter that has any.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spreads<T> {
    /// For a careful team.
    pub everyday: T,
    /// For a hurried one.
    pub rough: T,
}

impl<T: Copy> Spreads<T> {
    /// Those of a scatter; none for one that draws nothing.
    pub const fn of(&self, scatter: Scatter) -> Option<T> {
        match scatter {
            Scatter::Exact => None,
            Scatter::Everyday => Some(self.everyday),
            Scatter::Rough => Some(self.rough),
        }
    }
}

/// Defines the spreads of something: the struct, what holds without a file's word, and the section
/// that says otherwise.
macro_rules! spreads {
    (
        $(#[$meta:meta])* $name:ident $table:ident $about:literal
        $( $key:ident: $type:ty = $typical:literal, $default:literal ($everyday:expr, $rough:expr), in $range:expr, $what:literal; )*
    ) => {
        section! {
            pub(crate) $table "[scatter.everyday] and [scatter.rough]" $about
                $( $key: Option<NotNegative<$type>> = $typical, Some($default), in $range, $what; )*
        }

        $(#[$meta])*
        #[derive(Clone, Copy, Debug, PartialEq)]
        pub struct $name {
            $( #[doc = $what] pub $key: f64, )*
        }

        impl Default for Spreads<$name> {
            fn default() -> Self {
                Self {
                    everyday: $name { $( $key: $everyday, )* },
                    rough: $name { $( $key: $rough, )* },
                }
            }
        }

        impl Spreads<$name> {
            /// As a file says, and as it is without a word of it.
            pub(crate) fn load(tables: &mut Tables<'_>) -> Self {
                let mut all = Self::default();
                for entry in tables.named_sections::<$table>("scatter") {
                    let spread = match entry.name.value.as_str() {
                        "everyday" => &mut all.everyday,
                        "rough" => &mut all.rough,
                        other => {
                            let message = format!("there is no scatter `{other}`");
                            let hint = Hint::from("write [scatter.everyday] or [scatter.rough]");
                            tables.error("T002", entry.name.span, message).help(hint);
                            continue;
                        }
                    };
                    $( spread.$key = entry.value.$key.as_ref().map_or(spread.$key, |given| given.0.si()); )*
                }
                all
            }
        }
    };
}

spreads! {
    /// How much a robot differs from run to run.
    RobotSpread RobotScatter "How much the robot differs from run to run."
        battery: Percent = "\"1 %\"", "1 %, rough 4 %" (0.01, 0.04), in 0.0..0.3, "Its voltage at the start.";
        strength: Percent = "\"2 %\"", "2 %, rough 5 %" (0.02, 0.05), in 0.0..0.3, "The stall torque of each motor.";
        no_load_speed: Percent = "\"1.5 %\"", "1.5 %, rough 4 %" (0.015, 0.04), in 0.0..0.3, "The no-load speed of each motor.";
        grip: Percent = "\"5 %\"", "5 %, rough 15 %" (0.05, 0.15), in 0.0..0.3, "The grip of the tyres.";
        caster_drag: Percent = "\"10 %\"", "10 %, rough 30 %" (0.1, 0.3), in 0.0..0.3, "The drag of the caster.";
        wheel: Percent = "\"0.1 %\"", "0.1 %, rough 0.3 %" (0.001, 0.003), in 0.0..0.1, "What each wheel really measures.";
        track_width: Percent = "\"0.3 %\"", "0.3 %, rough 1 %" (0.003, 0.01), in 0.0..0.1, "What the track width really is.";
        gyro_scale: Percent = "\"0.3 %\"", "0.3 %, rough 1 %" (0.003, 0.01), in 0.0..0.1, "How far a turn is off that the gyro reports.";
        floor_gain: Percent = "\"2 %\"", "2 %, rough 6 %" (0.02, 0.06), in 0.0..0.3, "How bright each floor sensor sees the mat: its height.";
        ranging_scale: Percent = "\"0.5 %\"", "0.5 %, rough 1.5 %" (0.005, 0.015), in 0.0..0.1, "How far a distance is off that a ranging sensor reports.";
        ranging_faults: Percent = "\"30 %\"", "30 %, rough 60 %" (0.3, 0.6), in 0.0..1.0, "The shares of its measurements that see nothing or something else, where its section gives them.";
        lag: Percent = "\"20 %\"", "20 %, rough 50 %" (0.2, 0.5), in 0.0..1.0, "Lag and jitter of commands, where the robot file gives them.";
}

spreads! {
    /// How much what stands on a field differs from run to run.
    FieldSpread FieldScatter "How much the field differs from run to run."
        light: Percent = "\"1 %\"", "1 %, rough 5 %" (0.01, 0.05), in 0.0..0.3, "The light of the room on the mat, as a share of a floor sensor's own.";
        placed: Length = "\"2 mm\"", "2 mm, rough 6 mm" (0.002, 0.006), in 0.0..0.1, "Where objects and other robots stand, along and across.";
        turned: Angle = "\"1 deg\"", "1 deg, rough 4 deg" (1_f64.to_radians(), 4_f64.to_radians()), in 0.0..0.8, "How objects and other robots are turned.";
        times: Time = "\"0.1 s\"", "0.1 s, rough 0.5 s" (0.1, 0.5), in 0.0..10.0, "When obstacles come and leave.";
}

spreads! {
    /// How exactly the robot is put down.
    StartSpread StartScatter "How exactly the robot is put down at the start."
        along: Length = "\"2 mm\"", "2 mm, rough 6 mm" (0.002, 0.006), in 0.0..0.1, "Along the way it looks.";
        across: Length = "\"2 mm\"", "2 mm, rough 6 mm" (0.002, 0.006), in 0.0..0.1, "To its left and right.";
        turned: Angle = "\"0.5 deg\"", "0.5 deg, rough 2 deg" (0.5_f64.to_radians(), 2_f64.to_radians()), in 0.0..0.8, "How it is turned.";
}
