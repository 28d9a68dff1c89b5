//! What the robot can do: asked for behind the screen while it is looked at.

use std::sync::Arc;

use super::super::model::{Model, Side};
use super::super::sight::robot::is_newest;
use super::effect::Effect;

/// Asks for it when the tab is open and the robot is another; one question at a time.
pub(super) fn keep_up(model: &mut Model, effects: &mut Vec<Effect>) {
    if model.side.shown != Side::Robot || model.able.asked.is_some() || is_newest(model) {
        return;
    }
    if let Some(setup) = &model.setup {
        model.able.asked = Some(Arc::clone(&setup.robot));
        effects.push(Effect::Able(Arc::clone(&setup.robot)));
    }
}
