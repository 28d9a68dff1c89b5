//! What stands where on the screen: drawing and the mouse both go by it. Nothing here draws, and
//! nothing changes the model.

pub mod bars;
pub mod chart;
pub mod field;
pub mod files;
pub mod grid;
pub mod league;
pub mod logbook;
pub mod overlay;
pub mod robot;
pub mod side;
pub mod spread;
pub mod sweep;
pub mod text;
pub mod tune;
