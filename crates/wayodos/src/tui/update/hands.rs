//! What a person's hand does during a run: offered, done, and put where one says.

use std::sync::Arc;

use wayodos_core::field::Pose;
use wayodos_core::project::BOX;
use wayodos_core::record::{Act, Intervention};
use wayodos_core::units::{Dimension, Pair, Quantity};

use super::super::finder::{Finder, Item, Pick, Question};
use super::super::model::Model;
use super::super::theme::Role;
use super::change::run_again;
use super::effect::Effect;
use super::lists::show;

/// What a hand may do at the time cursor.
pub(super) fn hands(model: &mut Model) {
    let (Some(setup), Some(report)) = (model.setup.clone(), model.report.clone()) else {
        return;
    };
    let Some(pose) = pose_now(model) else { return };
    if model.player.time >= report.run.duration() {
        return model.say(
            Role::Thin,
            "move the time cursor into the run first: that is when it will happen",
        );
    }
    let seconds = format!("at {:.2} s", model.player.time);
    let at = |ahead: f64, left: f64, turn: f64| {
        let place = pose.place(ahead, left);
        Pose {
            x: place.x,
            y: place.y,
            heading: pose.heading + turn,
        }
    };
    let mut items = Vec::new();
    let mut add = |title: String, act: Act| {
        let what = act_words(&act);
        items.push(Item::new(title, seconds.clone(), what, Pick::Hand(act)));
    };
    let nose = setup.robot.nose;
    for (words, gap) in [
        ("right ahead", 0.06),
        ("200 mm ahead", 0.2),
        ("400 mm ahead", 0.4),
    ] {
        let pose = Pose {
            heading: 0.0,
            ..at(nose + 0.05 + gap, 0.0, 0.0)
        };
        add(
            format!("put a box down, {words}"),
            Act::Place {
                thing: BOX.into(),
                pose,
            },
        );
    }
    items.push(Item::new(
        "put a box down where I say",
        seconds.clone(),
        "Any distance ahead, and to a side.",
        Pick::Ask(Question::Box),
    ));
    let mut add = |title: String, act: Act| {
        let what = act_words(&act);
        items.push(Item::new(title, seconds.clone(), what, Pick::Hand(act)));
    };
    add(
        "take the box away".into(),
        Act::Remove { thing: BOX.into() },
    );
    let things = setup.field.objects.iter().map(|object| &object.name);
    let things = things.chain(setup.field.obstacles.iter().map(|obstacle| &obstacle.name));
    for thing in things.filter(|thing| *thing != BOX) {
        let pose = Pose {
            heading: 0.0,
            ..at(nose + 0.15, 0.0, 0.0)
        };
        add(
            format!("put {thing} down ahead"),
            Act::Place {
                thing: thing.clone(),
                pose,
            },
        );
        add(
            format!("take {thing} away"),
            Act::Remove {
                thing: thing.clone(),
            },
        );
    }
    let ten = 10f64.to_radians();
    for (words, pose) in [
        ("nudge the robot 20 mm to its left", at(0.0, 0.02, 0.0)),
        ("nudge the robot 20 mm to its right", at(0.0, -0.02, 0.0)),
        ("turn the robot 10 deg to the left", at(0.0, 0.0, ten)),
        ("turn the robot 10 deg to the right", at(0.0, 0.0, -ten)),
        ("push the robot 30 mm back", at(-0.03, 0.0, 0.0)),
    ] {
        add(words.into(), Act::Carry { pose });
    }
    for ranger in &setup.robot.rangers {
        let act = Act::Cover {
            sensor: ranger.name.clone(),
            distance: 0.05,
            for_ms: 1000,
        };
        add(format!("cover {} with a hand for 1 s", ranger.name), act);
    }
    for switch in &setup.robot.touches {
        add(
            format!("press {} for 0.3 s", switch.name),
            Act::Press {
                switch: switch.name.clone(),
                for_ms: 300,
            },
        );
    }
    if !model.hands.is_empty() {
        let so_far = format!("{} so far", model.hands.len());
        items.push(Item::new(
            "undo everything done by hand",
            so_far.clone(),
            "",
            Pick::NoHands,
        ));
        items.push(Item::new(
            "keep it in a file",
            so_far,
            "It can then be done in every run.",
            Pick::KeepHands,
        ));
    }
    show(model, Finder::new("By hand, at this moment", items, 0));
}

pub(super) fn by_hand(model: &mut Model, hand: Act, effects: &mut Vec<Effect>) {
    if matches!(&hand, Act::Place { thing, .. } | Act::Remove { thing } if thing == BOX) {
        model.setup = model.setup.as_ref().map(|setup| Arc::new(setup.with_box()));
    }
    // A piece counts its time from its own beginning, the world from the start.
    let piece = model
        .report
        .as_ref()
        .and_then(|report| report.piece.as_ref());
    let before = piece.map_or(0.0, |(_, from)| from.base.run.trace.seconds(from.tick));
    let at_ms = ((model.player.time + before) * 1e3).round().max(0.0) as u64;
    let mut hands = model.hands.clone();
    hands.push(Intervention { at_ms, act: hand });
    hands.sort_by_key(|hand| hand.at_ms);
    model.set_hands(hands);
    let words = format!(
        "done by hand at {:.2} s, in every run until you undo it with h",
        model.player.time
    );
    model.say(Role::Accent, words);
    run_again(model, effects);
}

/// What comes of it, in one sentence.
const fn act_words(act: &Act) -> &'static str {
    match act {
        Act::Place { .. } => "It stands there from then on, until it is taken away.",
        Act::Remove { .. } => "It is gone from then on.",
        Act::Carry { .. } => "The mission continues and does not know about it.",
        Act::Cover { .. } | Act::Press { .. } | Act::Lay(_) => {
            "The mission sees it like anything else."
        }
    }
}

/// Puts the box down at a distance before the robot that was typed, and at one to its left if there
/// are two.
///
/// # Errors
/// What to write instead.
pub(super) fn box_at(
    model: &mut Model,
    typed: &str,
    effects: &mut Vec<Effect>,
) -> Result<(), String> {
    const HOW: &str =
        "write how far ahead, such as 300 mm; and how far to the left, such as 300, 50 mm";
    let one = |text: &str| {
        Quantity::parse(text)
            .ok()
            .filter(|quantity| quantity.unit.dimension() == Dimension::Length)
    };
    let place = Pair::parse(typed)
        .ok()
        .map(|pair| (pair.x, pair.y))
        .or_else(|| Some((one(typed)?.si(), 0.0)));
    let (ahead, left) = place
        .filter(|(x, y)| x.abs() < 10.0 && y.abs() < 10.0)
        .ok_or(HOW)?;
    let (setup, pose) = model
        .setup
        .clone()
        .zip(pose_now(model))
        .ok_or("there is no run to put it into")?;
    // From the nose to the middle of the box.
    let at = pose.place(setup.robot.nose + HALF_BOX + ahead, left);
    by_hand(
        model,
        Act::Place {
            thing: BOX.into(),
            pose: Pose {
                x: at.x,
                y: at.y,
                heading: 0.0,
            },
        },
        effects,
    );
    Ok(())
}

/// Half a side of the box, metres.
const HALF_BOX: f64 = 0.05;

/// Where the robot is at the time cursor.
fn pose_now(model: &Model) -> Option<Pose> {
    let trace = &model.report.as_ref()?.run.trace;
    trace
        .ticks
        .get(trace.tick_at(model.player.time + 1e-9))
        .map(|tick| tick.pose)
}
