//! Why a project cannot be opened at all.

use std::fmt;
use std::io;
use std::path::PathBuf;

/// The file that makes a folder a project.
pub const PROJECT_FILE: &str = "wayodos.toml";

/// Why a project cannot be opened at all: there is no text to have findings about.
#[derive(Debug)]
pub enum OpenError {
    /// Nothing stands at that path.
    Missing(PathBuf),
    /// The folder holds no project file.
    NoProject(PathBuf),
    /// A file could not be read.
    Unreadable(PathBuf, io::Error),
    /// A file is not text; the byte at which it stops being so.
    NotText(PathBuf, usize),
    /// A file that is no mission of a project.
    NoMissionFile(PathBuf),
    /// A path leads out of the project folder.
    Outside(PathBuf),
    /// No mission of that name; those that there are.
    NoMission(String, Vec<String>),
}

impl fmt::Display for OpenError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Missing(path) => write!(f, "there is no project at {}", path.display()),
            Self::NoProject(path) => {
                write!(
                    f,
                    "{} is not a project: neither it nor a folder above holds a {PROJECT_FILE}",
                    path.display()
                )
            }
            Self::Unreadable(path, error) => write!(f, "cannot read {}: {error}", path.display()),
            Self::NotText(path, at) => {
                write!(f, "{} is not UTF-8 text from byte {at} on", path.display())
            }
            Self::NoMissionFile(path) => write!(f, "{} is no mission of a project", path.display()),
            Self::Outside(path) => write!(f, "{} leads out of the project folder", path.display()),
            Self::NoMission(name, _) => write!(f, "the project has no mission `{name}`"),
        }
    }
}

impl std::error::Error for OpenError {}

impl OpenError {
    /// What to do about it.
    pub fn hint(&self) -> String {
        match self {
            Self::Missing(_) => {
                "check the path; `wayodos demo` opens the demo, which can be saved as a start"
                    .into()
            }
            Self::NoProject(_) => format!("name the folder that holds {PROJECT_FILE}"),
            Self::Unreadable(..) => "check that the file exists and may be read".into(),
            Self::NotText(..) => "is this the right file? save it as UTF-8 text".into(),
            Self::NoMissionFile(_) => {
                "name a folder, or a file in the folder missions of a project".into()
            }
            Self::Outside(_) => "copy the file into the project, and name that one".into(),
            Self::NoMission(_, names) if names.is_empty() => "its folder missions/ is empty".into(),
            Self::NoMission(_, names) => format!("there is {}", names.join(", ")),
        }
    }
}
