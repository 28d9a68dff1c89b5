//! What runs say about a mission.

// A new behaviour, condition or ending must be looked at wherever its kind is: no arm says "all
// others".
#![cfg_attr(not(test), warn(clippy::wildcard_enum_match_arm))]

pub mod advice;
pub mod along;
pub mod borne;
pub mod causes;
pub mod compare;
pub mod evidence;
pub mod first;
pub mod grid;
pub mod hindsight;
pub mod league;
pub mod meeting;
pub mod remedy;
pub mod spread;
pub mod square;
pub mod statistics;
pub mod summary;
pub mod sweep;
pub mod tune;
pub mod why;
