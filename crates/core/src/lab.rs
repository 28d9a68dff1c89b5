//! What runs say about a mission.

pub mod advice;
pub mod along;
pub mod evidence;
pub mod hindsight;
pub mod remedy;
pub mod why;
