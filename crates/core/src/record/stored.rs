//! What text formats have no word for, and how it is stored all the same.

/// Stores places where nothing is as nothing.
pub(super) mod places_or_nothing {
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    use crate::field::Pose;

    pub fn serialize<S: Serializer>(places: &[Pose], to: S) -> Result<S::Ok, S::Error> {
        let places: Vec<Option<Pose>> = places
            .iter()
            .map(|pose| Some(*pose).filter(|pose| pose.x.is_finite()))
            .collect();
        places.serialize(to)
    }

    pub fn deserialize<'d, D: Deserializer<'d>>(from: D) -> Result<Vec<Pose>, D::Error> {
        let nowhere = Pose {
            x: f64::NAN,
            y: f64::NAN,
            heading: 0.0,
        };
        Ok(Vec::<Option<Pose>>::deserialize(from)?
            .into_iter()
            .map(|pose| pose.unwrap_or(nowhere))
            .collect())
    }
}

/// Stores what is not a number as nothing, since text formats have no word for it.
pub(super) mod or_nothing {
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    #[expect(
        clippy::trivially_copy_pass_by_ref,
        reason = "serde hands the field over by reference"
    )]
    pub fn serialize<S: Serializer>(value: &f64, to: S) -> Result<S::Ok, S::Error> {
        Some(*value).filter(|value| value.is_finite()).serialize(to)
    }

    pub fn deserialize<'d, D: Deserializer<'d>>(from: D) -> Result<f64, D::Error> {
        Ok(Option::deserialize(from)?.unwrap_or(f64::NAN))
    }
}
