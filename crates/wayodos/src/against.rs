//! Another version of what is open, to be compared with on the same luck.

use std::sync::Arc;

use wayodos_core::lab::spread::Attempt;
use wayodos_core::project::arrange::{Part, assign};

use crate::folder::{PROJECT_FILE, Project, short_name};
use crate::work::Job;

/// What the mission is compared with.
#[derive(Clone, Debug, PartialEq)]
pub enum Other {
    /// The mission as it stands in its file.
    Saved,
    /// Another mission of the project, by its name.
    Mission(String),
    /// The mission with another robot, field or calibration, by its path.
    With(Part, String),
    /// An entry of the logbook: path and text of all that it was made of.
    Entry {
        /// When it is of.
        when: String,
        /// The mission's path.
        mission: String,
        /// Path and text of each file.
        files: Vec<(String, String)>,
    },
}

impl Other {
    /// What it is called, behind `against`.
    pub fn name(&self) -> String {
        let stem = |path: &str| {
            let file = path.rsplit('/').next().unwrap_or(path);
            file.split('.').next().unwrap_or(file).to_owned()
        };
        match self {
            Self::Saved => "the saved text".to_owned(),
            Self::Mission(name) => name.clone(),
            Self::With(part, path) => format!("the {} {}", part.key(), stem(path)),
            Self::Entry { when, mission, .. } => format!("{} of {when}", stem(mission)),
        }
    }

    /// What is to be tried of it.
    ///
    /// - `texts`: path and text of all that is open, the mission among them
    /// - `like`: what is open is tried as; seed and scatter hold for both
    ///
    /// # Errors
    /// Why it cannot be run, in words.
    pub fn attempt(
        &self,
        project: &Project,
        texts: &[(String, Arc<str>)],
        like: &Attempt,
    ) -> Result<Attempt, String> {
        let own = project.config.mission.as_str();
        let but = |path: &str| -> Vec<(String, Arc<str>)> {
            let others = texts.iter().filter(|(known, _)| known != path);
            others.cloned().collect()
        };
        let read = |project: &Project, texts: &[(String, Arc<str>)]| {
            project.with_texts(texts).map_err(|error| error.to_string())
        };
        let other = match self {
            Self::Saved => read(project, &but(own))?,
            Self::Mission(name) => read(&project.open_other(name)?, &but(own))?,
            Self::With(part, path) => {
                let config = project.text(PROJECT_FILE).unwrap_or_default();
                let config = assign(config, short_name(own), *part, path)
                    .ok_or_else(|| format!("{PROJECT_FILE} cannot be changed to that"))?;
                let mut texts = but(PROJECT_FILE);
                texts.push((PROJECT_FILE.to_owned(), config.into()));
                read(project, &texts)?
            }
            Self::Entry { mission, files, .. } => {
                let files: Vec<(String, Arc<str>)> = files
                    .iter()
                    .map(|(path, text)| (path.clone(), text.as_str().into()))
                    .collect();
                let project = if mission == own {
                    project.clone()
                } else {
                    project.open_other(short_name(mission))?
                };
                read(&project, &files)?
            }
        };
        let cannot = || format!("{} cannot be run: it has errors", self.name());
        let mission = texts
            .iter()
            .find(|(path, _)| *path == other.config.mission)
            .filter(|_| matches!(self, Self::With(..)))
            .map_or_else(
                || other.mission.as_str().into(),
                |(_, text)| Arc::clone(text),
            );
        let setup = Arc::new(other.setup.ok_or_else(cannot)?);
        let world = Arc::new(setup.world());
        let job = Job::nominal(mission, setup, like.seed);
        let attempt = job.attempt(&world).ok_or_else(cannot)?;
        let hands = if other.config.mission == own {
            Arc::clone(&like.hands)
        } else {
            attempt.hands
        };
        Ok(Attempt {
            seed: like.seed,
            scatter: like.scatter,
            hands,
            ..attempt
        })
    }
}
