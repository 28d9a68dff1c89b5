//! A project folder on disk, or the demo inside the binary: reading, saving, and the draft of
//! unsaved edits.
//!
//! Every file is written beside its place and then moved into it, so that nothing is ever
//! half-written.
//!
//! Long because all reading and saving goes through here, so that there is one place to guard.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use wayodos_core::field::Unreadable;
use wayodos_core::finding::{Finding, Source};
use wayodos_core::project::{Config, Setup, hands};
use wayodos_core::record::Intervention;

use crate::demo;
use crate::draft::Draft;
pub use crate::open_error::{OpenError, PROJECT_FILE};
pub use crate::safe::write_whole;
use crate::safe::{self, plain, within, write_own};
use crate::window::{MOST, Place, draft_of, inherit};

/// Where a project lives.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Home {
    /// A folder.
    Folder(PathBuf),
    /// The binary itself; saving copies it to a folder.
    Demo,
}

/// A project as read from its home. The setup is missing when one of its files has errors.
#[derive(Clone, Debug)]
pub struct Project {
    /// Where it lives.
    pub home: Home,
    /// What `wayodos.toml` says.
    pub config: Config,
    /// The mission's text as it stands in its file.
    pub mission: String,
    /// Robot, field and calibration, when they are free of errors.
    pub setup: Option<Setup>,
    /// What is wrong with the files beside the mission.
    pub findings: Vec<Finding>,
    texts: Vec<(Source, String, String)>,
    first: String,
    /// The place of this window among those that have the mission open.
    pub place: Place,
}

impl Project {
    /// Opens the project of a folder, of one of its folders, or of one of its files; a mission's
    /// path opens that mission.
    ///
    /// `mission`: the name of another mission of the project, with or without its ending.
    ///
    /// # Errors
    /// When there is nothing to have findings about; the rest is in [`Project::findings`].
    pub fn open(path: &Path, mission: Option<&str>) -> Result<Self, OpenError> {
        let (folder, named) = locate(path)?;
        let folder = folder.as_path();
        let mission = mission.or(named.as_deref());
        let read = |path: &str| {
            read_bytes(&within(folder, path).ok_or_else(|| OpenError::Outside(path.into()))?)
        };
        let list = |within: &str| names_in(&folder.join(within));
        Self::assemble(Home::Folder(folder.to_owned()), mission, read, list)
    }

    /// The demo inside the binary.
    pub fn demo(mission: Option<&str>) -> Result<Self, OpenError> {
        Self::assemble(Home::Demo, mission, demo::bytes, demo::names)
    }

    /// The project as it would be read if the files of these paths held these texts.
    ///
    /// # Errors
    /// As [`Project::open`].
    pub fn with_texts(&self, texts: &[(String, Arc<str>)]) -> Result<Self, OpenError> {
        let instead = |path: &str| {
            texts
                .iter()
                .find(|(known, _)| known == path)
                .map(|(_, text)| text.as_bytes().to_vec())
        };
        let bytes = |path: &str| instead(path).map_or_else(|| self.bytes(path), Ok);
        let list = |within: &str| {
            let mut names = match &self.home {
                Home::Folder(folder) => names_in(&folder.join(within)),
                Home::Demo => demo::names(within),
            };
            let own = texts.iter().filter_map(|(path, _)| {
                path.strip_prefix(within)?
                    .strip_prefix('/')?
                    .strip_suffix(".way")
            });
            names.extend(own.map(str::to_owned));
            names.sort();
            names.dedup();
            names
        };
        let mission = self
            .config
            .mission
            .strip_prefix("missions/")
            .unwrap_or(&self.config.mission);
        Self::assemble(self.home.clone(), Some(mission), bytes, list)
    }

    /// What is wrong with a robot or field that this mission does not play with.
    pub fn findings_of(&self, source: Source, text: &str) -> Vec<Finding> {
        match source {
            Source::Robot => wayodos_core::robot::load(text).1,
            Source::Field => {
                let files = |path: &str| {
                    self.bytes(path)
                        .map_err(|error| Unreadable::System(error.to_string()))
                };
                wayodos_core::field::load_with(text, &files).1
            }
            Source::Project => Config::load(text).1,
            // What these say is checked against the robot and the field of a mission.
            Source::Mission | Source::Calibration | Source::Hands => Vec::new(),
        }
    }

    fn assemble(
        home: Home,
        mission: Option<&str>,
        bytes: impl Fn(&str) -> Result<Vec<u8>, OpenError>,
        list: impl Fn(&str) -> Vec<String>,
    ) -> Result<Self, OpenError> {
        let read = |path: &str| text_of(Path::new(path), bytes(path)?);
        let project_text = read(PROJECT_FILE)?;
        let (config, mut findings) = Config::load(&project_text);
        let mut texts = vec![(Source::Project, PROJECT_FILE.to_owned(), project_text)];
        let Some(mut config) = config else {
            let empty = String::new();
            let first = empty.clone();
            return Ok(Self {
                home,
                config: Config::default(),
                mission: empty,
                setup: None,
                findings,
                texts,
                first,
                place: Place::default(),
            });
        };
        let first = config.mission.clone();
        if let Some(name) = mission {
            let stem = short_name(name);
            let names = list("missions");
            if !names.iter().any(|known| known == stem) {
                return Err(OpenError::NoMission(name.to_owned(), names));
            }
            config.choose(stem);
        } else {
            config.with_its_own();
        }
        let mission = read(&config.mission)?;
        let (robot, field) = (read(&config.robot)?, read(&config.field)?);
        let calibration = config.calibration.as_deref().map(&read).transpose()?;
        // What the field names further: within the project only.
        let files = |path: &str| match bytes(path) {
            Ok(bytes) => Ok(bytes),
            Err(OpenError::Outside(_)) => Err(Unreadable::Outside),
            Err(OpenError::Unreadable(_, error)) => {
                Err(Unreadable::System(plain(error).to_string()))
            }
            Err(other) => Err(Unreadable::System(other.to_string())),
        };
        let (mut setup, more) = Setup::load_with(&robot, &field, calibration.as_deref(), &files);
        findings.extend(more);
        if let Some(setup) = &mut setup {
            setup.placing = config.placing;
            let paths = list("shared")
                .into_iter()
                .map(|name| format!("shared/{name}.way"));
            setup.shared = paths
                .filter_map(|path| Some((path.clone(), read(&path).ok()?)))
                .collect();
        }
        if let Some(path) = &config.hands {
            let text = read(path)?;
            if let Some(setup) = &mut setup {
                if hands::asks_for_box(&text) {
                    *setup = setup.with_box();
                }
                let (hands, more) = hands::load(&text, setup);
                setup.hands = hands;
                findings.extend(more);
            }
            texts.push((Source::Hands, path.clone(), text));
        }
        texts.push((Source::Robot, config.robot.clone(), robot));
        texts.push((Source::Field, config.field.clone(), field));
        if let (Some(path), Some(text)) = (&config.calibration, calibration) {
            texts.push((Source::Calibration, path.clone(), text));
        }
        Ok(Self {
            home,
            config,
            mission,
            setup,
            findings,
            texts,
            first,
            place: Place::default(),
        })
    }

    /// The path within the project, and the text, that a finding is about.
    ///
    /// `mission` is the mission's text now, which may have been edited.
    pub fn source<'a>(&'a self, source: Source, mission: &'a str) -> (&'a str, &'a str) {
        if source == Source::Mission {
            return (&self.config.mission, mission);
        }
        self.texts
            .iter()
            .find(|(known, _, _)| *known == source)
            .map_or(("", ""), |(_, path, text)| (path, text))
    }

    /// The text of a settings file that the project was read with.
    pub fn text(&self, path: &str) -> Option<&str> {
        self.texts
            .iter()
            .find(|(_, known, _)| known == path)
            .map(|(_, _, text)| text.as_str())
    }

    /// The paths of the settings files that the mission plays with.
    pub fn settings(&self) -> impl Iterator<Item = &str> {
        self.texts.iter().map(|(_, path, _)| path.as_str())
    }

    /// A file of the project, by its path in it.
    ///
    /// # Errors
    /// When it leads out of the project, or cannot be read.
    pub fn bytes(&self, path: &str) -> Result<Vec<u8>, OpenError> {
        match &self.home {
            Home::Folder(folder) => {
                read_bytes(&within(folder, path).ok_or_else(|| OpenError::Outside(path.into()))?)
            }
            Home::Demo => demo::bytes(path),
        }
    }

    /// The text of a file of the project.
    ///
    /// # Errors
    /// As [`Project::bytes`]; or when it is no text.
    pub fn read(&self, path: &str) -> Result<String, OpenError> {
        text_of(Path::new(path), self.bytes(path)?)
    }

    /// The path of the mission that the project opens first.
    pub fn first_mission(&self) -> &str {
        &self.first
    }

    /// What people call the project.
    pub fn name(&self) -> &str {
        match &self.home {
            _ if !self.config.name.is_empty() => &self.config.name,
            Home::Folder(folder) => folder
                .file_name()
                .and_then(|name| name.to_str())
                .unwrap_or("project"),
            Home::Demo => demo::FOLDER,
        }
    }

    /// The file that the mission is saved to; none for the demo before its first save.
    pub fn mission_file(&self) -> Option<PathBuf> {
        self.file(&self.config.mission)
    }

    /// The files beside the mission that it was read from; none of the demo's.
    pub fn files(&self) -> Vec<PathBuf> {
        let Home::Folder(folder) = &self.home else {
            return Vec::new();
        };
        let shared = self
            .setup
            .iter()
            .flat_map(|setup| &setup.shared)
            .map(|(path, _)| path);
        self.texts
            .iter()
            .map(|(_, path, _)| path)
            .chain(shared)
            .map(|path| folder.join(path))
            .collect()
    }

    /// The names of all missions of the project, and of the one that is open.
    pub fn missions(&self) -> Vec<String> {
        let mut names = match &self.home {
            Home::Folder(folder) => names_in(&folder.join("missions")),
            Home::Demo => demo::names("missions"),
        };
        let own = Path::new(&self.config.mission)
            .file_stem()
            .and_then(|stem| stem.to_str())
            .unwrap_or_default();
        if !names.iter().any(|name| name == own) {
            names.push(own.to_owned());
        }
        names.sort();
        names
    }

    /// Another mission of the project. One that is not there yet is begun, and comes into its file
    /// when it is saved.
    ///
    /// # Errors
    /// A sentence that says what could not be opened and why.
    pub fn open_other(&self, name: &str) -> Result<Self, String> {
        let mut other = self.opened_or_begun(name)?;
        if other.config.mission == self.config.mission {
            other.place = self.place.clone();
        } else {
            other.place = Place::default();
            other.take_place();
        }
        Ok(other)
    }

    fn opened_or_begun(&self, name: &str) -> Result<Self, String> {
        let stem = slug(name);
        if stem.is_empty() {
            return Err(format!(
                "`{name}` leaves no name for a file: use letters and digits"
            ));
        }
        let there = if self.missions().iter().any(|known| known == name) {
            name
        } else {
            &stem
        };
        if self.missions().iter().any(|known| known == there) {
            let opened = match &self.home {
                Home::Folder(folder) => Self::open(folder, Some(there)),
                Home::Demo => Self::demo(Some(there)),
            };
            return opened.map_err(|error| error.to_string());
        }
        let mut new = self.clone();
        new.config.mission = format!("missions/{stem}.way");
        let start = self
            .setup
            .as_ref()
            .and_then(|setup| setup.field.starts.first());
        let start = start.map_or_else(String::new, |start| format!("  start {}\n", start.name));
        new.mission = format!("mission \"{name}\"\n  limit 60 s\n{start}");
        Ok(new)
    }

    /// Writes what is done by hand to a file of its own; its path.
    ///
    /// # Errors
    /// A sentence that says what could not be written and why.
    pub fn keep_hands(&self, hands: &[Intervention]) -> Result<PathBuf, String> {
        let Home::Folder(folder) = &self.home else {
            return Err("save the demo first (s): hands are kept in the project's folder".into());
        };
        let Some(setup) = &self.setup else {
            return Err("robot or field have errors: fix them first".into());
        };
        let stem = Path::new(&self.config.mission)
            .file_stem()
            .and_then(|stem| stem.to_str())
            .unwrap_or("mission");
        let file = self.place(folder, &format!("hands/{stem}.toml"))?;
        let made = file.parent().map_or(Ok(()), fs::create_dir_all);
        made.and_then(|()| write_own(&file, hands::write(hands, &setup.field).as_bytes(), &file))
            .map_err(|error| format!("cannot write {}: {error}", file.display()))?;
        Ok(file)
    }

    /// Where unsaved edits are kept against a crash; none when this machine offers no place.
    pub fn draft_file(&self) -> Option<PathBuf> {
        self.draft_of(&self.config.mission, &self.place)
    }

    /// The same for any text of the project, and the place of this window among those that have it
    /// open.
    pub fn draft_of(&self, path: &str, place: &Place) -> Option<PathBuf> {
        self.first_draft_of(path).map(|first| place.draft(&first))
    }

    /// The draft of the only window, or the first.
    fn first_draft_of(&self, path: &str) -> Option<PathBuf> {
        if let Some(file) = self.file(path) {
            return Some(with_ending(&file, "draft"));
        }
        // Each text of the demo has its own.
        let name = path
            .strip_prefix("missions/")
            .unwrap_or(path)
            .replace('/', "-");
        Some(state_folder()?.join(format!("demo-{name}.draft")))
    }

    /// The file of a text of the project; none for the demo before its first save.
    pub fn file(&self, path: &str) -> Option<PathBuf> {
        match &self.home {
            Home::Folder(folder) => Some(folder.join(path)),
            Home::Demo => None,
        }
    }

    /// Takes a place among the windows that have this mission open, and over what a dead window
    /// left.
    pub fn take_place(&mut self) {
        self.place = self.place_of(&self.config.mission);
    }

    /// The same for any text of the project.
    pub fn place_of(&self, path: &str) -> Place {
        let (Some(state), Some(first)) = (state_folder(), self.first_draft_of(path)) else {
            return Place::default();
        };
        let (locks, file) = (
            state.join("locks"),
            self.file(path).unwrap_or_else(|| first.clone()),
        );
        let place = Place::take(&locks, &file);
        inherit(&locks, &file, &first, &place);
        place
    }

    /// Whether any window, alive or dead, has kept edits of a text.
    pub fn has_drafts(&self, path: &str) -> bool {
        let Some(first) = self.first_draft_of(path) else {
            return false;
        };
        (1..=MOST).any(|number| draft_of(&first, number).exists())
    }

    /// The unsaved edits of a session that was cut off, when they differ from the file.
    pub fn recovered(&self) -> Option<Draft> {
        Draft::load(&self.draft_file()?).filter(|draft| draft.text != self.mission)
    }

    /// A file that is about to be made in the project: where it lies.
    ///
    /// # Errors
    /// A sentence, when that is out of the project's folder.
    pub fn place(&self, folder: &Path, path: &str) -> Result<PathBuf, String> {
        if !folder.is_dir() {
            return Err(format!("the project's folder {} is gone", folder.display()));
        }
        within(folder, path).ok_or_else(|| {
            format!("{path} would lie out of the project folder: a link leads there")
        })
    }
}

/// The project that a path belongs to: its folder, and the mission when the path is one.
///
/// # Errors
/// When nothing is there, it belongs to no project, or it is a file of a project that is no
/// mission.
pub fn locate(path: &Path) -> Result<(PathBuf, Option<String>), OpenError> {
    if !path.exists() {
        return Err(OpenError::Missing(path.to_owned()));
    }
    let holds = |folder: &Path| folder.join(PROJECT_FILE).is_file();
    if holds(path) {
        return Ok((path.to_owned(), None));
    }
    // As it was written where that is enough, so that messages name what people have typed.
    let beside = path.parent().map(|above| {
        if above.as_os_str().is_empty() {
            Path::new(".")
        } else {
            above
        }
    });
    if path.file_name().is_some_and(|name| name == PROJECT_FILE)
        && let Some(folder) = beside
    {
        return Ok((folder.to_owned(), None));
    }
    let whole =
        fs::canonicalize(path).map_err(|error| OpenError::Unreadable(path.to_owned(), error))?;
    let none = || {
        if path.is_dir() {
            OpenError::NoProject(path.to_owned())
        } else {
            OpenError::NoMissionFile(path.to_owned())
        }
    };
    let folder = whole
        .ancestors()
        .skip(1)
        .find(|folder| holds(folder))
        .ok_or_else(none)?;
    if whole.is_dir() {
        return Ok((folder.to_owned(), None));
    }
    let inside = whole
        .strip_prefix(folder)
        .ok()
        .and_then(|inside| inside.to_str());
    let stem = inside.and_then(|inside| inside.strip_prefix("missions/")?.strip_suffix(".way"));
    let stem = stem.ok_or_else(|| OpenError::NoMissionFile(path.to_owned()))?;
    Ok((folder.to_owned(), Some(stem.to_owned())))
}

/// Where the application keeps what is nobody's project; none when this machine offers no place.
pub fn state_folder() -> Option<PathBuf> {
    // Tests of this crate leave nothing behind in the home of whoever runs them.
    if cfg!(test) {
        return None;
    }
    let state = std::env::var_os("XDG_STATE_HOME")
        .map(PathBuf::from)
        .filter(|path| path.is_absolute())
        .or_else(|| std::env::var_os("HOME").map(|home| Path::new(&home).join(".local/state")))
        .filter(|state| state.is_absolute())?;
    Some(state.join("wayodos"))
}

/// The names of the missions, or routines, in a folder.
fn names_in(folder: &Path) -> Vec<String> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let mut names: Vec<String> = entries
        .filter_map(|entry| entry.file_name().into_string().ok())
        .filter_map(|name| name.strip_suffix(".way").map(str::to_owned))
        .collect();
    names.sort();
    names
}

/// A name as a file has it: `Morning round` is `morning-round`.
pub fn slug(name: &str) -> String {
    let mut slug = String::new();
    for letter in name.trim().chars() {
        if letter.is_alphanumeric() {
            slug.extend(letter.to_lowercase());
        } else if !slug.is_empty() && !slug.ends_with('-') {
            slug.push('-');
        }
    }
    slug.trim_end_matches('-').to_owned()
}

/// What a project begins with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Beginning {
    /// A bare robot and table with typical numbers, each with how to measure it.
    Own,
    /// The demo's robot, field and calibration, to play with.
    Example,
}

/// Makes a project folder with a robot, a field, and a mission that has no steps yet.
///
/// # Errors
/// A sentence that says what could not be written and why.
pub fn begin(folder: &Path, with: Beginning) -> Result<(), String> {
    if folder.join(PROJECT_FILE).exists() {
        return Err(format!("{} holds a project already", folder.display()));
    }
    let name = folder
        .file_name()
        .and_then(|name| name.to_str())
        .unwrap_or("project");
    let files: Vec<(&str, String)> = match with {
        Beginning::Own => demo::BARE
            .iter()
            .map(|(path, text)| {
                let text = text.replace("name = \"Bare\"", &format!("name = {name:?}"));
                (*path, text)
            })
            .collect(),
        Beginning::Example => {
            let project = format!(
                "name = {name:?}\nmission = \"missions/first.way\"\nrobot = \"robots/curlew.toml\"\nfield = \"fields/causeway.toml\"\n\
                 calibration = \"calibration.toml\"\n"
            );
            let mission = "mission \"First\"\n  limit 60 s\n  start slipway\n".to_owned();
            let taken = [
                "robots/curlew.toml",
                "fields/causeway.toml",
                "calibration.toml",
            ];
            let files = taken
                .into_iter()
                .map(|path| (path, demo::file(path).unwrap_or_default().to_owned()));
            files
                .chain([("missions/first.way", mission), (PROJECT_FILE, project)])
                .collect()
        }
    };
    let files: Vec<(&str, &str)> = files
        .iter()
        .map(|(path, text)| (*path, text.as_str()))
        .collect();
    safe::write_folder(folder, &files)
        .map_err(|(path, error)| format!("cannot write {}: {error}", path.display()))
}

/// The path with another ending behind its own.
pub fn with_ending(path: &Path, ending: &str) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(".");
    name.push(ending);
    PathBuf::from(name)
}

/// The text of a file.
///
/// # Errors
/// When it cannot be read, or is not UTF-8.
pub fn read_text(path: &Path) -> Result<String, OpenError> {
    text_of(path, read_bytes(path)?)
}

fn read_bytes(path: &Path) -> Result<Vec<u8>, OpenError> {
    safe::read(path).map_err(|error| OpenError::Unreadable(path.to_owned(), error))
}

fn text_of(path: &Path, bytes: Vec<u8>) -> Result<String, OpenError> {
    String::from_utf8(bytes)
        .map_err(|error| OpenError::NotText(path.to_owned(), error.utf8_error().valid_up_to()))
}

/// How saving a mission went.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Saved {
    /// It stands in its file.
    Done,
    /// The demo became a folder of its own.
    Copied(PathBuf),
    /// The file on disk is not what was read: somebody else wrote it meanwhile. Nothing was
    /// written.
    ChangedOutside,
}

/// Saves a text to its file in the project; the demo is first copied to a new folder below `here`.
///
/// - `path`: the file, within the project
/// - `read`: what the file held when it was last read or saved
/// - `overwrite`: write even if the file has been changed outside; the outside text is kept in `*.before`
///
/// # Errors
/// A sentence that says what could not be written and why.
pub fn save_text(
    project: &Project,
    path: &str,
    (read, text): (&str, &str),
    overwrite: bool,
    here: &Path,
) -> Result<Saved, String> {
    let Some(file) = project.file(path) else {
        return copy_demo(path, text, here).map(Saved::Copied);
    };
    let cannot =
        |path: &Path, error: &io::Error| format!("cannot save {}: {error}", path.display());
    if let Home::Folder(folder) = &project.home {
        project.place(folder, path)?;
    }
    match safe::read(&file) {
        Ok(found) if found != read.as_bytes() && found != text.as_bytes() => {
            if !overwrite {
                return Ok(Saved::ChangedOutside);
            }
            let kept = before(&file);
            write_own(&kept, &found, &file).map_err(|error| cannot(&kept, &error))?;
        }
        _ => {}
    }
    write_whole(&file, text.as_bytes()).map_err(|error| cannot(&file, &error))?;
    Ok(Saved::Done)
}

/// Saves a mission to its file, as [`save_text`] does.
///
/// # Errors
/// As there.
pub fn save(
    project: &Project,
    read: &str,
    text: &str,
    overwrite: bool,
    here: &Path,
) -> Result<Saved, String> {
    save_text(
        project,
        &project.config.mission,
        (read, text),
        overwrite,
        here,
    )
}

/// Where what others wrote is kept: `a.way.before`, or with the first number that is free. None is
/// ever written over.
fn before(file: &Path) -> PathBuf {
    let names =
        std::iter::once("before".to_owned()).chain((2..).map(|nth| format!("before-{nth}")));
    let mut paths = names.map(|name| with_ending(file, &name));
    paths
        .find(|path| path.symlink_metadata().is_err())
        .unwrap_or_else(|| with_ending(file, "before"))
}

fn copy_demo(own: &str, text: &str, here: &Path) -> Result<PathBuf, String> {
    let names = std::iter::once(demo::FOLDER.to_owned())
        .chain((2..1000).map(|n| format!("{}-{n}", demo::FOLDER)));
    let folder = names
        .map(|name| here.join(name))
        .find(|folder| !folder.exists());
    let folder =
        folder.ok_or_else(|| format!("{} holds too many copies of the demo", here.display()))?;
    let files = demo::FILES.iter().filter(|(path, _)| *path != own);
    // The mission may be one that the demo did not have.
    let files: Vec<(&str, &str)> = files.copied().chain([(own, text)]).collect();
    safe::write_folder(&folder, &files)
        .map_err(|(path, error)| format!("cannot save {}: {error}", path.display()))?;
    Ok(folder)
}

/// A mission without its folder and ending, however it is named: `morning-round`.
pub fn short_name(mission: &str) -> &str {
    let name = mission.strip_prefix("missions/").unwrap_or(mission);
    name.strip_suffix(".way").unwrap_or(name)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn copied() -> (tempfile::TempDir, Project) {
        let here = tempfile::tempdir().unwrap();
        let demo = Project::demo(None).unwrap();
        let Ok(Saved::Copied(folder)) = save(&demo, "", &demo.mission, false, here.path()) else {
            panic!("not copied")
        };
        let project = Project::open(&folder, None).unwrap();
        (here, project)
    }

    #[test]
    fn the_demo_becomes_a_folder_that_opens_to_the_same_project() {
        let (here, project) = copied();
        let demo = Project::demo(None).unwrap();
        assert_eq!(
            (project.mission.as_str(), project.findings.len()),
            (demo.mission.as_str(), 0)
        );
        let again = save(&demo, "", "x", false, here.path()).unwrap();
        assert_eq!(
            again,
            Saved::Copied(here.path().join("brinewick-2")),
            "an earlier copy is never touched"
        );
    }

    #[test]
    fn a_mission_begun_in_the_demo_is_saved_with_its_copy() {
        let here = tempfile::tempdir().unwrap();
        let fresh = Project::demo(None)
            .unwrap()
            .open_other("Evening round")
            .unwrap();
        let Ok(Saved::Copied(folder)) = save(&fresh, "", "evening", false, here.path()) else {
            panic!("not copied")
        };
        assert_eq!(
            fs::read_to_string(folder.join("missions/evening-round.way")).unwrap(),
            "evening"
        );
        assert!(
            Project::open(&folder, None)
                .unwrap()
                .mission
                .contains("Morning round"),
            "and all the others"
        );
    }

    #[test]
    fn saving_replaces_the_file_and_leaves_nothing_else_behind() {
        let (_here, project) = copied();
        let file = project.mission_file().unwrap();
        assert_eq!(
            save(&project, &project.mission, "new", false, Path::new(".")),
            Ok(Saved::Done)
        );
        assert_eq!(fs::read_to_string(&file).unwrap(), "new");
        let names = fs::read_dir(file.parent().unwrap())
            .unwrap()
            .flatten()
            .map(|entry| entry.file_name());
        assert!(
            names
                .into_iter()
                .all(|name| name.to_string_lossy().ends_with(".way"))
        );
    }

    #[test]
    fn an_outside_change_is_not_overwritten_unasked_and_never_lost() {
        let (_here, project) = copied();
        let file = project.mission_file().unwrap();
        fs::write(&file, "theirs").unwrap();
        assert_eq!(
            save(&project, &project.mission, "ours", false, Path::new(".")),
            Ok(Saved::ChangedOutside)
        );
        assert_eq!(fs::read_to_string(&file).unwrap(), "theirs");
        assert_eq!(
            save(&project, &project.mission, "ours", true, Path::new(".")),
            Ok(Saved::Done)
        );
        assert_eq!(
            fs::read_to_string(with_ending(&file, "before")).unwrap(),
            "theirs"
        );
    }

    #[test]
    fn a_save_that_cannot_be_says_what_and_why() {
        let (here, project) = copied();
        fs::remove_dir_all(here.path().join("brinewick/missions")).unwrap();
        let error = save(&project, &project.mission, "ours", false, Path::new(".")).unwrap_err();
        assert!(
            error.contains("cannot save") && error.contains("morning-round.way"),
            "{error}"
        );
        assert!(
            error.ends_with("entity not found") && !error.contains(".wayodos-"),
            "the reason, and no inner workings: {error}"
        );
    }

    #[test]
    fn what_cannot_be_opened_is_reported_with_a_hint() {
        let here = tempfile::tempdir().unwrap();
        let missing = Project::open(&here.path().join("nowhere"), None).unwrap_err();
        assert!(
            missing.to_string().contains("there is no project at"),
            "{missing}"
        );
        let empty = Project::open(here.path(), None).unwrap_err();
        assert!(matches!(empty, OpenError::NoProject(_)) && !empty.hint().is_empty());
        let (_kept, project) = copied();
        let Home::Folder(folder) = &project.home else {
            panic!("no folder")
        };
        let other = Project::open(folder, Some("evening")).unwrap_err();
        assert!(other.hint().contains("morning-round"), "{}", other.hint());
        fs::write(project.mission_file().unwrap(), [b'a', 0xff]).unwrap();
        let binary = Project::open(folder, None).unwrap_err();
        assert!(matches!(binary, OpenError::NotText(_, 1)), "{binary}");
    }

    #[test]
    #[cfg(unix)]
    fn links_and_permissions_outlive_a_save() {
        use std::os::unix::fs::{PermissionsExt as _, symlink};
        let here = tempfile::tempdir().unwrap();
        let (real, link) = (here.path().join("real.way"), here.path().join("link.way"));
        fs::write(&real, "old").unwrap();
        fs::set_permissions(&real, fs::Permissions::from_mode(0o640)).unwrap();
        symlink(&real, &link).unwrap();
        write_whole(&link, b"new").unwrap();
        assert!(
            fs::symlink_metadata(&link)
                .unwrap()
                .file_type()
                .is_symlink()
        );
        assert_eq!(fs::read_to_string(&real).unwrap(), "new");
        assert_eq!(
            fs::metadata(&real).unwrap().permissions().mode() & 0o777,
            0o640
        );
        write_whole(&here.path().join("fresh"), b"x").unwrap();
        assert_eq!(
            fs::metadata(here.path().join("fresh"))
                .unwrap()
                .permissions()
                .mode()
                & 0o777,
            0o644
        );
        assert_eq!(
            fs::read_dir(here.path()).unwrap().count(),
            3,
            "no half-written file is left"
        );
    }

    #[test]
    fn a_draft_is_taken_up_only_when_it_differs() {
        let (_here, project) = copied();
        assert_eq!(project.recovered(), None);
        let draft = project.draft_file().unwrap();
        fs::write(&draft, &project.mission).unwrap();
        assert_eq!(project.recovered(), None);
        fs::write(&draft, "other").unwrap();
        assert_eq!(
            project.recovered().map(|draft| draft.text).as_deref(),
            Some("other")
        );
        fs::write(&draft, [0xff, 0xfe]).unwrap();
        assert_eq!(
            project.recovered(),
            None,
            "a draft that is no text is nobody's edit"
        );
    }

    #[test]
    fn a_new_mission_comes_into_its_file_when_it_is_saved() {
        let (_here, project) = copied();
        assert!(project.missions().contains(&"ring-contest".to_owned()));
        let fresh = project.open_other("Evening round").unwrap();
        assert_eq!(
            fresh.mission,
            "mission \"Evening round\"\n  limit 60 s\n  start slipway\n"
        );
        let file = fresh.mission_file().unwrap();
        assert!(!file.exists() && fresh.missions().contains(&"evening-round".to_owned()));
        assert_eq!(
            save(&fresh, &fresh.mission, "text", false, Path::new(".")),
            Ok(Saved::Done)
        );
        assert_eq!(fs::read_to_string(&file).unwrap(), "text");
        // Its name, as people say it or as the file has it, leads back to it.
        for name in ["Evening round", "evening-round"] {
            assert_eq!(project.open_other(name).unwrap().mission, "text");
        }
        assert!(
            project
                .open_other("../../etc")
                .unwrap()
                .mission_file()
                .unwrap()
                .ends_with("missions/etc.way")
        );
        assert!(
            project
                .open_other(" / ")
                .unwrap_err()
                .contains("letters and digits")
        );
        let demo = Project::demo(None).unwrap();
        assert!(demo.missions().contains(&"morning-round".to_owned()) && demo.files().is_empty());
        assert!(
            demo.open_other("ring-contest")
                .unwrap()
                .mission
                .contains("Ring contest")
        );
    }

    #[test]
    fn a_bare_project_drives_as_it_stands() {
        let here = tempfile::tempdir().unwrap();
        let folder = here.path().join("our robot");
        begin(&folder, Beginning::Own).unwrap();
        let step = "\nstep \"Along\"\n  follow the left edge of a black line with floor at 30 %, gain 0.6\n  until travelled 1200 mm  -> done\n";
        let path = folder.join("missions/first.way");
        let text = fs::read_to_string(&path).unwrap();
        fs::write(&path, text + step).unwrap();
        let project = Project::open(&folder, None).unwrap();
        assert_eq!((project.name(), project.findings.len()), ("our robot", 0));
        let setup = project.setup.as_ref().unwrap();
        let prepared = wayodos_core::project::prepare(&project.mission, Some(setup));
        assert!(prepared.findings.is_empty(), "{:#?}", prepared.findings);
        let (world, program) = (setup.world(), prepared.program.unwrap());
        let start = world.start(None, 1);
        let run = wayodos_core::sim::run(&world, &program, start, 1, None).unwrap();
        assert_eq!(run.outcome, wayodos_core::record::Outcome::Done);
        let end = run.final_pose();
        assert!((end.x - 1.2).abs() < 0.03 && end.y > 0.75, "{end:?}");
    }

    #[test]
    fn a_project_begins_with_what_it_needs_and_never_over_another() {
        let here = tempfile::tempdir().unwrap();
        let folder = here.path().join("my saltern");
        begin(&folder, Beginning::Example).unwrap();
        let project = Project::open(&folder, None).unwrap();
        assert_eq!((project.name(), project.findings.len()), ("my saltern", 0));
        assert!(project.setup.is_some() && !project.mission.contains("step"));
        assert!(
            begin(&folder, Beginning::Own)
                .unwrap_err()
                .contains("holds a project already")
        );
        fs::write(here.path().join("file"), "x").unwrap();
        assert!(
            begin(&here.path().join("file/within"), Beginning::Own)
                .unwrap_err()
                .contains("cannot write")
        );
        for name in [
            "robots/curlew.toml",
            "fields/causeway.toml",
            "calibration.toml",
            PROJECT_FILE,
        ] {
            assert!(
                project.files().iter().any(|file| file.ends_with(name)),
                "{name}"
            );
        }
    }

    #[test]
    fn hands_are_kept_where_the_project_can_name_them() {
        use wayodos_core::record::Act;
        let (_here, project) = copied();
        let hands = [Intervention {
            at_ms: 500,
            act: Act::Remove {
                thing: "box".into(),
            },
        }];
        let file = project.keep_hands(&hands).unwrap();
        assert!(file.ends_with("hands/morning-round.toml"));
        let Home::Folder(folder) = &project.home else {
            panic!("no folder")
        };
        let text = fs::read_to_string(folder.join(PROJECT_FILE)).unwrap();
        let named = text.replacen(
            "seed = 7",
            "seed = 7\nhands = \"hands/morning-round.toml\"",
            1,
        );
        fs::write(folder.join(PROJECT_FILE), named).unwrap();
        fs::write(
            &file,
            fs::read_to_string(&file).unwrap()
                + "\n[[hand]]\nat = \"1 s\"\nplace = \"box\"\nto = \"500, 500 mm\"\n",
        )
        .unwrap();
        let again = Project::open(folder, None).unwrap();
        assert!(again.findings.is_empty(), "{:?}", again.findings);
        let setup = again.setup.unwrap();
        assert_eq!(setup.hands.len(), 2);
        assert!(
            setup
                .field
                .obstacles
                .iter()
                .any(|obstacle| obstacle.name == "box"),
            "it is there to be put down"
        );
        assert!(
            Project::demo(None)
                .unwrap()
                .keep_hands(&hands)
                .unwrap_err()
                .contains("save the demo first")
        );
    }

    #[test]
    fn another_mission_is_opened_by_any_of_its_names() {
        let (_here, project) = copied();
        let Home::Folder(folder) = &project.home else {
            panic!("no folder")
        };
        for name in [
            "mind-the-rim",
            "mind-the-rim.way",
            "missions/mind-the-rim.way",
        ] {
            let other = Project::open(folder, Some(name)).unwrap();
            assert!(other.mission.contains("Mind the rim"), "{name}");
            assert!(
                other
                    .mission_file()
                    .unwrap()
                    .ends_with("missions/mind-the-rim.way")
            );
        }
        assert!(
            Project::demo(Some("mind-the-rim"))
                .unwrap()
                .mission
                .contains("Mind the rim")
        );
        let by_file = Project::open(&folder.join(PROJECT_FILE), None).unwrap();
        assert_eq!(by_file.mission, project.mission);
    }
}
