//! What runs say about a mission.

pub mod advice;
pub mod evidence;
pub mod hindsight;
