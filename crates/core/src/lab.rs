//! What runs say about a mission.

pub mod evidence;
