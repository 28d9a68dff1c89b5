//! What a mission text says, with the span of everything.

mod part;

use crate::ids::{DeviceKind, TextStep};
use std::ops::Range;

pub use part::{Part, Wanted};

use super::amounts::Amount;
pub use super::behaviours::{Argument, Behaviour};
pub use super::conditions::{Condition, Quantifier, Sensors};
use crate::units::{Dimension, Quantity};

/// A part of the text and what it means.
#[derive(Clone, Debug, PartialEq)]
pub struct Spanned<T> {
    /// The meaning.
    pub node: T,
    /// Its bytes in the mission text.
    pub span: Range<usize>,
}

/// An amount: written out, the name of one, or worked out from others.
#[derive(Clone, Debug, PartialEq)]
pub enum Value {
    /// A number with its unit.
    Literal(Quantity),
    /// The name of a `let`, of a parameter, or of what a step measured.
    Named(String),
    /// `(lane + bar) / 2`
    Formula(Box<Formula>),
}

/// A formula of amounts.
#[derive(Clone, Debug, PartialEq)]
pub enum Formula {
    /// A number or a name.
    Amount(Spanned<Value>),
    /// Two formulas joined by a sign.
    Two(Operator, Box<[Self; 2]>),
    /// A function of some formulas.
    Of(Function, Vec<Self>),
}

/// What joins two formulas.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Operator {
    /// `+`
    Plus,
    /// `-`
    Minus,
    /// `*`
    Times,
    /// `/`
    Over,
}

/// What may be asked of formulas.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Function {
    /// The least of several.
    Min,
    /// The greatest of several.
    Max,
    /// The size of one, without its sign.
    Abs,
}

/// Which way to turn, which edge, which wheel; or the parameter of a routine that says so.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Side {
    /// Counter-clockwise; the left edge; the left wheel.
    Left,
    /// Clockwise; the right edge; the right wheel.
    Right,
    /// What a parameter says.
    Named(String),
}

/// Less or more than; or the parameter of a routine that says so.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Comparison {
    /// `<`
    Below,
    /// `>`
    Above,
    /// What a parameter says.
    Named(String),
}

/// Where an exit leads.
#[derive(Clone, Debug, PartialEq)]
pub enum Target {
    /// The step below.
    Next,
    /// A step by its name.
    Step(String),
    /// The next pass of the repeat around it.
    Again,
    /// The end of the repeat or the routine around it.
    Out,
    /// The end of the mission, as planned.
    Done,
    /// The end of the mission, not as planned.
    Fail(String),
}

/// One `until` or `or` line.
#[derive(Clone, Debug, PartialEq)]
pub struct Exit {
    /// What it waits for.
    pub condition: Spanned<Condition>,
    /// Where it leads; without an arrow, to the next step.
    pub target: Spanned<Target>,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// One row of a `choose` or a `react`.
#[derive(Clone, Debug, PartialEq)]
pub struct Row {
    /// When it is taken; none for `otherwise`.
    pub condition: Option<Spanned<Condition>>,
    /// What then happens.
    pub answer: Answer,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// What a row says.
#[derive(Clone, Debug, PartialEq)]
pub enum Answer {
    /// Where to go: of a `choose`.
    Go(Spanned<Target>),
    /// What to do: of a `react`.
    Does(Box<Spanned<Behaviour>>),
}

/// What a step belongs to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Block {
    /// The mission itself.
    Mission,
    /// A routine, by its index.
    Routine(usize),
    /// A reflex, by its index.
    Reflex(usize),
}

/// One step: a behaviour and what ends it.
#[derive(Clone, Debug, PartialEq)]
pub struct Step {
    /// Its name.
    pub name: Spanned<String>,
    /// Index into [`super::Parsed::lines`] of the line `step "..."`.
    pub line: usize,
    /// What the robot does, and the line that says it; absent when that line is missing or broken.
    pub behaviour: Option<(Spanned<Behaviour>, usize)>,
    /// The step that it is a copy of: what it does not say itself is said there, and stands in the
    /// line of `like`.
    pub like: Option<Spanned<String>>,
    /// The rows of a `choose` or a `react`, in written order.
    pub rows: Vec<Row>,
    /// Whether a line of this step could not be understood.
    pub broken: bool,
    /// What ends it, in written order.
    pub exits: Vec<Exit>,
    /// What it belongs to.
    pub block: Block,
    /// Index of the step with the `repeat` that it stands in.
    pub inside: Option<TextStep>,
    /// Index of its last line, its steps and its `end` included.
    pub last: usize,
}

/// Where an amount comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    /// Somebody measured it.
    Measured,
    /// Somebody guessed it.
    Guessed,
}

/// `let cruise = 45 %, safe from 30 % to 60 %, measured`
#[derive(Clone, Debug, PartialEq)]
pub struct Let {
    /// Its name.
    pub name: Spanned<String>,
    /// Its amount.
    pub value: Spanned<Value>,
    /// What that is worth, worked out from the `let`s above; none when it cannot be.
    pub amount: Option<Amount>,
    /// Between which amounts it may safely be changed.
    pub safe: Option<[Spanned<Quantity>; 2]>,
    /// Where it comes from, when it says so.
    pub origin: Option<Spanned<Origin>>,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// One parameter of a routine.
#[derive(Clone, Debug, PartialEq)]
pub struct Parameter {
    /// Its name.
    pub name: Spanned<String>,
    /// What it is without being given anything.
    pub default: Option<Spanned<Argument>>,
}

/// `routine back-away (back = 120 mm, swing = 130 deg)`
#[derive(Clone, Debug, PartialEq)]
pub struct Routine {
    /// Its name.
    pub name: Spanned<String>,
    /// Its parameters.
    pub parameters: Vec<Parameter>,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// What happens after a reflex.
#[derive(Clone, Debug, PartialEq)]
pub enum Then {
    /// The step goes on where it was.
    Resume,
    /// The step begins again.
    Restart,
    /// Another step, or the end of the mission.
    Go(Spanned<Target>),
}

/// `reflex "Keep off the rim"`; what it does is the one step of its block.
#[derive(Clone, Debug, PartialEq)]
pub struct Reflex {
    /// Its name.
    pub name: Spanned<String>,
    /// What it watches for, and whether it takes over for as long as that holds instead of once on
    /// its becoming true.
    pub trigger: Option<(Spanned<Condition>, bool)>,
    /// The steps it watches; the whole mission without any.
    pub within: Vec<Spanned<String>>,
    /// What happens afterwards.
    pub then: Option<Spanned<Then>>,
    /// Index of the line of the trigger.
    pub watch_line: usize,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// A whole mission.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Mission {
    /// `mission "Morning round"`
    pub name: Option<Spanned<String>>,
    /// `limit 120 s`
    pub limit: Option<Spanned<Quantity>>,
    /// `start slipway`
    pub start: Option<Spanned<String>>,
    /// `begin on go-button`
    pub button: Option<Spanned<String>>,
    /// `begin after 5 s`
    pub delay: Option<Spanned<Quantity>>,
    /// `settle 300 ms`
    pub settle: Option<Spanned<Quantity>>,
    /// `last resort "Go home"`: the step that the first `fail` leads to.
    pub last_resort: Option<Spanned<String>>,
    /// `use "shared/turns.way"`: files with further routines.
    pub uses: Vec<Spanned<String>>,
    /// Named values, in written order.
    pub lets: Vec<Let>,
    /// Routines, in written order.
    pub routines: Vec<Routine>,
    /// Reflexes, in written order: the first goes before all others.
    pub reflexes: Vec<Reflex>,
    /// Every step of the mission, its routines and its reflexes, in written order.
    pub steps: Vec<Step>,
}

impl Mission {
    /// Every step with its id, in written order.
    pub fn numbered(
        &self,
    ) -> impl DoubleEndedIterator<Item = (TextStep, &Step)> + ExactSizeIterator + Clone {
        TextStep::all(self.steps.len()).zip(&self.steps)
    }

    /// The first step that something holds for.
    pub fn position(&self, holds: impl FnMut(&Step) -> bool) -> Option<TextStep> {
        self.steps.iter().position(holds).map(TextStep)
    }

    /// The steps of a sequence: of a block, or within a repeat; each with its index.
    pub fn sequence(
        &self,
        block: Block,
        inside: Option<TextStep>,
    ) -> impl Iterator<Item = (TextStep, &Step)> {
        let of = move |step: &Step| step.block == block && step.inside == inside;
        self.numbered().filter(move |(_, step)| of(step))
    }
}

/// What may stand in a slot.
#[derive(Clone, Debug, PartialEq)]
pub enum SlotKind {
    /// A number with a unit, or the name of a `let`.
    Amount {
        /// What it must measure.
        dimension: Dimension,
        /// Least and greatest value in SI.
        range: (f64, f64),
        /// Whether only whole numbers make sense.
        whole: bool,
    },
    /// One of a few words.
    Choice(&'static [&'static str]),
    /// The name of a device.
    Device(DeviceKind),
    /// A tone that the named sensor distinguishes.
    Tone {
        /// The sensor it belongs to.
        sensor: String,
    },
    /// The name of a start pose.
    Start,
    /// The name of a zone of the field, or of the mat.
    Zone,
    /// The name of a routine.
    Routine,
    /// A name that says nothing about what may stand there.
    Name,
    /// Where an exit leads.
    Target,
    /// Free text in quotes.
    Text,
}

/// A slot for an amount of one kind, any number within a range in SI.
pub const fn amount(dimension: Dimension, least: f64, most: f64) -> SlotKind {
    SlotKind::Amount {
        dimension,
        range: (least, most),
        whole: false,
    }
}

/// A place of a sentence that somebody would change.
#[derive(Clone, Debug, PartialEq)]
pub struct Slot {
    /// Its bytes in the text.
    pub span: Range<usize>,
    /// What may stand there.
    pub kind: SlotKind,
    /// Index into [`super::Parsed::lines`].
    pub line: usize,
}

/// What a line of the text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LineKind {
    /// Nothing, or only a comment.
    Blank,
    /// `mission "..."`
    Mission,
    /// `limit`, `start`, `begin`, `settle`, `last resort` or `use`.
    Header,
    /// `let`
    Let,
    /// `step "..."`
    Step,
    /// `routine ...`
    Routine,
    /// `reflex "..."`
    Reflex,
    /// `when`, `while`, `during` or `then` of a reflex.
    Watch,
    /// A behaviour.
    Behaviour,
    /// `when` or `otherwise` of a choice.
    Row,
    /// `until ...` or `or ...`
    Exit,
    /// `end` of a repeat or a routine.
    End,
    /// Not understood; a finding says why.
    Broken,
}

/// One line of the text.
#[derive(Clone, Debug, PartialEq)]
pub struct Line {
    /// Its bytes, without the line end.
    pub span: Range<usize>,
    /// What it is.
    pub kind: LineKind,
    /// How far it is set in for what it stands in: one for a routine, two for each repeat.
    pub depth: usize,
    /// The bytes of its comment, from `#`.
    pub comment: Option<Range<usize>>,
}
