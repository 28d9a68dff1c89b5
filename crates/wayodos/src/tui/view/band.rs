//! Where the many runs read: a band about the readings of the chart.

use wayodos_core::lab::spread::SAMPLED;
use wayodos_report::Track;

use crate::tui::model::Model;

/// How much of the band's ground is ink.
pub(super) const BAND: f64 = 0.17;

/// Between which values of a track nine tenths of the many runs lie.
pub(super) struct Band<'a> {
    /// Least and greatest, every [`SAMPLED`] seconds.
    values: &'a [(f32, f32)],
    /// From what is recorded to what the track shows.
    factor: f64,
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

/// The band of a track, when it is a reading that is kept of the many runs.
pub(super) fn band_of<'a>(model: &'a Model, track: &Track) -> Option<Band<'a>> {
    let (result, robot) = (model.many.drawn()?, &model.setup.as_ref()?.robot);
    let sensor = robot.sensors.iter().position(|one| one.name == track.name);
    let ranger = || robot.rangers.iter().position(|one| one.name == track.name);
    let (channel, factor) = match (sensor, track.unit) {
        (Some(sensor), "%") => (sensor, 100.0),
        (None, "mm") => (robot.sensors.len() + ranger()?, 1000.0),
        _ => return None,
    };
    Some(Band {
        values: result.summary.bands.get(channel)?,
        factor,
    })
}
