//! Drawings and charts of Wayodos: built once as a [`Scene`] or a [`Chart`], then painted as SVG,
//! PDF, PNG or, by the application, as terminal cells. What is on the screen is what is exported.
//!
//! Everything here is a pure function to bytes: no clock, no file, no date; the same run gives the
//! same drawing.

// A new action, test or shape must be looked at wherever its kind is: no arm says "all others".
#![cfg_attr(not(test), warn(clippy::wildcard_enum_match_arm))]

mod ability;
mod account;
mod chart;
mod contest;
mod fan;
mod field;
mod flow;
mod grid;
pub mod ink;
mod many;
mod pdf;
mod raster;
mod scene;
mod sheet;
mod svg;
pub mod why;
pub mod words;

pub use ability::{AbilityRow, ability_rows, device_of_line, line_of_key};
pub use account::{Told, ToldLine, account, quiet_reflexes};
pub use chart::{
    Band, Chart, LimitSpan, Mark, MarkKind, Ribbon, Track, TrackKind, chart_scene, tick_step,
};
pub use contest::{compare_sheet, league_sheet};
pub use fan::Fan;
pub use field::{
    Placement, Story, arm_items, built_items, ghost_items, gone_items, ground_items,
    happened_items, leg_items, moved_items, path_items, prop_items, robot_items,
};
pub use flow::{Arrow, Flow, FlowBox, Way, flow_pages, flow_scene, wrap};
pub use grid::grid_sheet;
pub use many::{causes_sheet, spread_sheet, sweep_sheet};
pub use pdf::{DrawError, pages_to_pdf, to_pdf, to_png};
pub use raster::{Canvas, Raster, rasterise};
pub use scene::{Anchor, Item, Layer, Scene, Shape, Stroke, rectangle};
pub use sheet::{Parts, bare_sheet, sheet};
pub use svg::to_svg;
pub use wayodos_core::mission::readback::Reader;
