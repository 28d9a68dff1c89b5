//! Where the many runs read: a band about the readings of the chart.

use wayodos_core::lab::spread::SAMPLED;
use wayodos_report::Track;

use crate::tui::model::Model;
use crate::tui::theme::Role;

/// How much of the band's ground is ink.
pub(super) const BAND: f64 = 0.17;

/// Between which values of a track nine tenths of the many runs lie.
pub(super) struct Band<'a> {
    /// Least and greatest, every [`SAMPLED`] seconds.
    values: &'a [(f32, f32)],
    /// From what is recorded to what the track shows.
    factor: f64,
    /// What it is drawn with.
    pub(super) role: Role,
}

impl Band<'_> {
    /// At a time, in the track's unit; none once most runs are over.
    pub(super) fn at(&self, seconds: f64) -> Option<(f64, f64)> {
        let (low, high) = *self
            .values
            .get((seconds / SAMPLED).round().max(0.0) as usize)?;
        Some((f64::from(low) * self.factor, f64::from(high) * self.factor))
    }
}

/// The bands of a track, when it is a reading that is kept of the many runs: of what the mission is
/// compared with, and of the mission.
pub(super) fn bands_of<'a>(model: &'a Model, track: &Track) -> Vec<Band<'a>> {
    let Some(setup) = &model.setup else {
        return Vec::new();
    };
    let robot = &setup.robot;
    let sensor = robot.sensors.iter().position(|one| one.name == track.name);
    let ranger = || robot.rangers.iter().position(|one| one.name == track.name);
    let (channel, factor) = match (sensor, track.unit) {
        (Some(sensor), "%") => (sensor, 100.0),
        (None, "mm") => match ranger() {
            Some(ranger) => (robot.sensors.len() + ranger, 1000.0),
            None => return Vec::new(),
        },
        _ => return Vec::new(),
    };
    // Another robot may have other sensors in its place.
    let like = model.many.drawn_against().filter(|result| {
        let other = &result.spread.attempt.world.robot;
        let names = |robot: &wayodos_core::robot::Robot| -> Vec<String> {
            robot.sensors.iter().map(|one| one.name.clone()).collect()
        };
        names(other) == names(robot) && other.rangers.len() == robot.rangers.len()
    });
    [(like, Role::Accent), (model.many.drawn(), Role::Text)]
        .into_iter()
        .filter_map(|(result, role)| {
            Some(Band {
                values: result?.summary.bands.get(channel)?,
                factor,
                role,
            })
        })
        .collect()
}
