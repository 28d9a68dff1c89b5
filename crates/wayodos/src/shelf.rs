//! The files of a project as things that one has: what there is, and beginning, copying, renaming,
//! taking away.
//!
//! A change is whole or it is not made: what was already written is put back when a later step
//! fails.
//!
//! Long because each change has its way back beside it.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use thiserror::Error;
use wayodos_core::project::Config;
use wayodos_core::project::arrange::{Part, assign, names_file, open_first, renamed};

use crate::demo;
use crate::folder::{Home, PROJECT_FILE, Project, read_text, slug, with_ending};
use crate::safe::{within, write_folder, write_whole};
use crate::window::draft_of;

/// Where files are that were taken away.
const BIN: &str = ".bin";
/// A folder with more files than this is no project.
const MOST: usize = 4000;

/// What a file of a project is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Kind {
    /// A mission.
    Mission,
    /// A robot.
    Robot,
    /// A field.
    Field,
    /// What the sensors were calibrated to.
    Calibration,
    /// Routines that missions share.
    Routines,
    /// A mission of another robot.
    Rival,
    /// What is done by hand.
    Hands,
    /// A drawing that was written.
    Export,
    /// Taken away: it can be given back.
    Bin,
}

impl Kind {
    /// All of them, in the order in which they are shown.
    pub const ALL: [Self; 9] = [
        Self::Mission,
        Self::Robot,
        Self::Field,
        Self::Calibration,
        Self::Routines,
        Self::Rival,
        Self::Hands,
        Self::Export,
        Self::Bin,
    ];

    /// What several of them are called.
    pub const fn title(self) -> &'static str {
        match self {
            Self::Mission => "missions",
            Self::Robot => "robots",
            Self::Field => "fields",
            Self::Calibration => "calibrations",
            Self::Routines => "shared routines",
            Self::Rival => "rivals' missions",
            Self::Hands => "hands",
            Self::Export => "exports",
            Self::Bin => "bin",
        }
    }

    /// What one of them is called.
    pub const fn one(self) -> &'static str {
        match self {
            Self::Mission => "mission",
            Self::Robot => "robot",
            Self::Field => "field",
            Self::Calibration => "calibration",
            Self::Routines => "file of routines",
            Self::Rival => "rival's mission",
            Self::Hands => "file of hands",
            Self::Export => "export",
            Self::Bin => "file in the bin",
        }
    }

    /// What a file is for, by its path within the project; none of files that are nobody's business
    /// here.
    fn of(path: &str) -> Option<Self> {
        if path == PROJECT_FILE {
            return None;
        }
        let (folder, file) = path.split_once('/').unwrap_or(("", path));
        match (folder, file.rsplit('.').next()?) {
            ("missions", "way") => Some(Self::Mission),
            ("shared", "way") => Some(Self::Routines),
            ("rivals", "way") => Some(Self::Rival),
            ("robots", "toml") => Some(Self::Robot),
            ("fields", "toml") => Some(Self::Field),
            ("hands", "toml") => Some(Self::Hands),
            ("", "toml") if file.starts_with("hands") => Some(Self::Hands),
            ("" | "calibrations", "toml") => Some(Self::Calibration),
            ("exports", _) => Some(Self::Export),
            _ => None,
        }
    }
}

/// A file of a project.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Entry {
    /// What it is for.
    pub kind: Kind,
    /// Its path within the project.
    pub path: String,
    /// What it is called on the screen: of its path what its kind does not say.
    pub name: String,
}

impl Entry {
    fn new(path: &str) -> Option<Self> {
        if let Some(taken) = path
            .strip_prefix(BIN)
            .and_then(|rest| rest.strip_prefix('/'))
        {
            return Some(Self {
                kind: Kind::Bin,
                path: path.to_owned(),
                name: taken.to_owned(),
            });
        }
        let kind = Kind::of(path)?;
        let file = path.rsplit('/').next()?;
        let name = if kind == Kind::Export {
            file
        } else {
            file.rsplit_once('.').map_or(file, |(stem, _)| stem)
        };
        Some(Self {
            kind,
            path: path.to_owned(),
            name: name.to_owned(),
        })
    }
}

/// The files of a project, kind by kind and by name.
pub fn list(project: &Project) -> Vec<Entry> {
    let paths = match &project.home {
        Home::Folder(folder) => paths_in(folder),
        Home::Demo => demo::FILES
            .iter()
            .map(|(path, _)| (*path).to_owned())
            .collect(),
    };
    let mut entries: Vec<Entry> = paths.iter().filter_map(|path| Entry::new(path)).collect();
    entries.sort_by(|a, b| (a.kind, &a.name).cmp(&(b.kind, &b.name)));
    entries
}

/// Paths of all files in a folder and in the folders in it, hidden ones left out but for the bin.
fn paths_in(folder: &Path) -> Vec<String> {
    let mut paths = Vec::new();
    let mut folders = vec![(folder.to_owned(), String::new(), 0)];
    while let Some((place, before, depth)) = folders.pop() {
        for entry in fs::read_dir(&place).into_iter().flatten().flatten() {
            let Ok(name) = entry.file_name().into_string() else {
                continue;
            };
            let hidden = name.starts_with('.') && !(depth == 0 && name == BIN);
            // Links are not followed: they may lead out of the project, or round in a circle.
            let Ok(kind) = entry.file_type() else {
                continue;
            };
            if hidden || paths.len() >= MOST {
                continue;
            }
            let path = format!("{before}{name}");
            if kind.is_dir() && depth < 2 {
                folders.push((entry.path(), format!("{path}/"), depth + 1));
            } else if kind.is_file() {
                paths.push(path);
            }
        }
    }
    paths
}

/// A change of the files of a project.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Change {
    /// A robot or a field is begun as one of the demo's.
    Begin {
        /// The demo's file.
        template: &'static str,
        /// What it is to be called.
        name: String,
    },
    /// A file is copied.
    Copy {
        /// Its path.
        path: String,
        /// What the copy is to be called.
        name: String,
    },
    /// A file gets another name, and whoever refers to it goes along.
    Rename {
        /// Its path.
        path: String,
        /// What it is to be called.
        name: String,
    },
    /// A file goes into the bin.
    TakeAway {
        /// Its path.
        path: String,
    },
    /// A file comes out of the bin.
    GiveBack {
        /// Its path in the bin.
        path: String,
    },
    /// A mission plays with another robot, field or calibration.
    Assign {
        /// The mission's name.
        mission: String,
        /// What of it changes.
        part: Part,
        /// The path that it gets.
        path: String,
    },
    /// Another mission is the one that opens first.
    OpenFirst {
        /// Its path.
        path: String,
    },
}

/// What a change came to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Done {
    /// In words.
    pub words: String,
    /// The file that it was about, where it now lies.
    pub path: String,
}

/// Why a change was not made.
#[derive(Debug, Error)]
pub enum Refused {
    /// The demo has no folder.
    #[error(
        "the demo is inside the program: save its mission (s on its screen) to get a folder of your own"
    )]
    Demo,
    /// A name of which no file name can be made.
    #[error("`{0}` leaves no name for a file: use letters and digits")]
    NoName(String),
    /// A file of that name is there already.
    #[error("{0} is there already: choose another name")]
    Exists(String),
    /// Other files refer to it.
    #[error("{path} is used by {}: let them use another one first", by.join(", "))]
    Used {
        /// The file.
        path: String,
        /// The files that name it.
        by: Vec<String>,
    },
    /// It would lie outside the project.
    #[error("{0} leads out of the project folder")]
    Outside(String),
    /// The project file is written so that it cannot be changed safely.
    #[error(
        "{PROJECT_FILE} has errors, or is laid out so that this change is not safe: change it there"
    )]
    ByHand,
    /// The system refused.
    #[error("cannot change {}: {error}", path.display())]
    System {
        /// The file.
        path: PathBuf,
        /// What the system says.
        error: io::Error,
    },
}

/// Makes a change in a project's folder.
///
/// # Errors
/// When it was not made; everything is then as it was.
pub fn carry_out(project: &Project, change: &Change) -> Result<Done, Refused> {
    let Home::Folder(folder) = &project.home else {
        return Err(Refused::Demo);
    };
    let shelf = Shelf { folder };
    match change {
        Change::Begin { template, name } => shelf.begin(template, name),
        Change::Copy { path, name } => shelf.copy(path, name),
        Change::Rename { path, name } => shelf.rename(path, name),
        Change::TakeAway { path } => shelf.take_away(path),
        Change::GiveBack { path } => shelf.give_back(path),
        Change::Assign {
            mission,
            part,
            path,
        } => shelf.assign(mission, *part, path),
        Change::OpenFirst { path } => shelf.open_first(path),
    }
}

struct Shelf<'a> {
    folder: &'a Path,
}

impl Shelf<'_> {
    fn place(&self, path: &str) -> Result<PathBuf, Refused> {
        within(self.folder, path).ok_or_else(|| Refused::Outside(path.to_owned()))
    }

    /// Where a new file is to lie.
    fn free_place(&self, path: &str) -> Result<PathBuf, Refused> {
        let place = self.place(path)?;
        if place.symlink_metadata().is_ok() {
            return Err(Refused::Exists(path.to_owned()));
        }
        Ok(place)
    }

    fn text(&self, path: &str) -> Result<String, Refused> {
        let place = self.place(path)?;
        read_text(&place).map_err(|error| Refused::System {
            path: place,
            error: io::Error::other(error.to_string()),
        })
    }

    fn write(&self, path: &str, text: &str) -> Result<(), Refused> {
        let place = self.place(path)?;
        let made = place.parent().map_or(Ok(()), fs::create_dir_all);
        made.and_then(|()| write_whole(&place, text.as_bytes()))
            .map_err(|error| Refused::System { path: place, error })
    }

    /// The mission files and tables of the project, with their texts. What is no text names
    /// nothing.
    fn texts(&self) -> Vec<(String, String)> {
        let names_others = |path: &str| matches!(path.rsplit('.').next(), Some("toml" | "way"));
        let paths = paths_in(self.folder)
            .into_iter()
            .filter(|path| names_others(path) && !path.starts_with(BIN));
        paths
            .filter_map(|path| self.text(&path).ok().map(|text| (path, text)))
            .collect()
    }

    fn begin(&self, template: &str, name: &str) -> Result<Done, Refused> {
        let path = renamed_path(template, name)?;
        self.free_place(&path)?;
        let text = demo::file(template).unwrap_or_default();
        // What it names itself is needed too: a picture, another robot.
        let needs = demo::FILES
            .iter()
            .filter(|(other, _)| names_file(text, other) && self.free_place(other).is_ok());
        let files: Vec<(&str, &str)> = needs.copied().chain([(path.as_str(), text)]).collect();
        write_folder(self.folder, &files)
            .map_err(|(path, error)| Refused::System { path, error })?;
        Ok(Done {
            words: format!("{path} begins as a copy of the demo's"),
            path,
        })
    }

    fn copy(&self, from: &str, name: &str) -> Result<Done, Refused> {
        let path = renamed_path(from, name)?;
        self.free_place(&path)?;
        let text = titled(from, &self.text(from)?, name);
        let project = self.text(PROJECT_FILE)?;
        // A copied mission plays with what its original plays with.
        let mut with_copy = project.clone();
        if let (Some(old), Some(new)) = (mission_name(from), mission_name(&path))
            && let (Some(mut before), _) = Config::load(&project)
        {
            let own = before.instead.iter().any(|(known, _)| known == old);
            before.choose(old);
            for part in [Part::Robot, Part::Field, Part::Calibration]
                .into_iter()
                .filter(|_| own)
            {
                if let Some(path) = part.of(&before) {
                    with_copy = assign(&with_copy, new, part, path).ok_or(Refused::ByHand)?;
                }
            }
        }
        self.write(&path, &text)?;
        if with_copy != project
            && let Err(refused) = self.write(PROJECT_FILE, &with_copy)
        {
            let _ = fs::remove_file(self.folder.join(&path));
            return Err(refused);
        }
        Ok(Done {
            words: format!("copied to {path}"),
            path,
        })
    }

    fn rename(&self, from: &str, name: &str) -> Result<Done, Refused> {
        let path = renamed_path(from, name)?;
        if path == from {
            return Ok(Done {
                words: format!("{path} is called that already"),
                path,
            });
        }
        let (old, new) = (self.place(from)?, self.free_place(&path)?);
        let texts = self.texts().into_iter().filter_map(|(file, text)| {
            let mut after = renamed(&text, from, &path);
            if file == from {
                after = titled(from, &after, name);
            }
            // It lies at its new place by then.
            let file = if file == from { path.clone() } else { file };
            (after != text).then_some((file, text, after))
        });
        let texts: Vec<(String, String, String)> = texts.collect();
        fs::rename(&old, &new).map_err(|error| Refused::System {
            path: old.clone(),
            error,
        })?;
        // Edits that were not saved go along with their mission, wherever it goes.
        let drafts = move_drafts(&old, &new);
        for (at, (file, _, after)) in texts.iter().enumerate() {
            if let Err(refused) = self.write(file, after) {
                for (file, before, _) in &texts[..at] {
                    let _ = self.write(file, before);
                }
                let _ = fs::rename(&new, &old);
                if drafts {
                    move_drafts(&new, &old);
                }
                return Err(refused);
            }
        }
        let others = texts.iter().filter(|(file, ..)| *file != path).count();
        let along = match others {
            0 => String::new(),
            1 => "; 1 file that names it goes along".to_owned(),
            count => format!("; {count} files that name it go along"),
        };
        Ok(Done {
            words: format!("{from} is now {path}{along}"),
            path,
        })
    }

    fn take_away(&self, path: &str) -> Result<Done, Refused> {
        let by: Vec<String> = self
            .texts()
            .into_iter()
            .filter(|(file, text)| file != path && names_file(text, path))
            .map(|(file, _)| file)
            .collect();
        if !by.is_empty() {
            return Err(Refused::Used {
                path: path.to_owned(),
                by,
            });
        }
        let (stem, ending) = path.rsplit_once('.').unwrap_or((path, ""));
        let names = std::iter::once(format!("{BIN}/{path}"));
        let mut names = names.chain((2..).map(|nth| format!("{BIN}/{stem}-{nth}.{ending}")));
        let to = names
            .find(|name| self.folder.join(name).symlink_metadata().is_err())
            .unwrap_or_default();
        self.shift(path, &to)?;
        Ok(Done {
            words: format!("{path} is in the bin: Enter on it there gives it back"),
            path: to,
        })
    }

    fn give_back(&self, path: &str) -> Result<Done, Refused> {
        let to = path
            .strip_prefix(BIN)
            .and_then(|rest| rest.strip_prefix('/'))
            .unwrap_or(path)
            .to_owned();
        self.free_place(&to)?;
        self.shift(path, &to)?;
        Ok(Done {
            words: format!("{to} is back"),
            path: to,
        })
    }

    fn shift(&self, from: &str, to: &str) -> Result<(), Refused> {
        let (old, new) = (self.place(from)?, self.place(to)?);
        let made = new.parent().map_or(Ok(()), fs::create_dir_all);
        made.and_then(|()| fs::rename(&old, &new))
            .map_err(|error| Refused::System { path: old, error })
    }

    fn assign(&self, mission: &str, part: Part, path: &str) -> Result<Done, Refused> {
        let text = assign(&self.text(PROJECT_FILE)?, mission, part, path).ok_or(Refused::ByHand)?;
        self.write(PROJECT_FILE, &text)?;
        let words = format!("{mission} now plays with the {} {path}", part.key());
        Ok(Done {
            words,
            path: format!("missions/{mission}.way"),
        })
    }

    fn open_first(&self, path: &str) -> Result<Done, Refused> {
        let text = open_first(&self.text(PROJECT_FILE)?, path).ok_or(Refused::ByHand)?;
        self.write(PROJECT_FILE, &text)?;
        Ok(Done {
            words: format!("the project now opens with {path}"),
            path: path.to_owned(),
        })
    }
}

/// Moves the drafts of a file's edits to those of another; whether there were any. What is there
/// already stays.
fn move_drafts(from: &Path, to: &Path) -> bool {
    let mut moved = false;
    for number in 1..=crate::window::MOST {
        let draft = |file: &Path| draft_of(&with_ending(file, "draft"), number);
        let (old, new) = (draft(from), draft(to));
        moved |= old.is_file() && !new.exists() && fs::rename(old, new).is_ok();
    }
    moved
}

/// The name of a mission, by its path.
pub fn mission_name(path: &str) -> Option<&str> {
    path.strip_prefix("missions/")?.strip_suffix(".way")
}

/// The path of a file under another name.
fn renamed_path(path: &str, name: &str) -> Result<String, Refused> {
    let stem = slug(name);
    if stem.is_empty() {
        return Err(Refused::NoName(name.to_owned()));
    }
    let (folder, file) = path
        .rsplit_once('/')
        .map_or(("", path), |(folder, file)| (folder, file));
    let ending = file.rsplit_once('.').map_or("", |(_, ending)| ending);
    let slash = if folder.is_empty() { "" } else { "/" };
    Ok(format!("{folder}{slash}{stem}.{ending}"))
}

/// The text of a mission with the name that people call it by, when the old one was the same as the
/// file's.
fn titled(path: &str, text: &str, name: &str) -> String {
    let title = wayodos_core::mission::parse(text).mission.name;
    match (mission_name(path), title) {
        (Some(stem), Some(title)) if slug(&title.node) == stem && !name.contains('"') => {
            let quoted = text[title.span.clone()].starts_with('"');
            let new = if quoted {
                format!("\"{name}\"")
            } else {
                name.to_owned()
            };
            wayodos_core::finding::Edit {
                span: title.span,
                text: new,
            }
            .apply(text)
        }
        _ => text.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::folder::save;

    fn copied() -> (tempfile::TempDir, Project) {
        let here = tempfile::tempdir().unwrap();
        let demo = Project::demo(None).unwrap();
        save(&demo, "", &demo.mission, false, here.path()).unwrap();
        let project = Project::open(&here.path().join(demo::FOLDER), None).unwrap();
        (here, project)
    }

    fn names(project: &Project, kind: Kind) -> Vec<String> {
        list(project)
            .into_iter()
            .filter(|entry| entry.kind == kind)
            .map(|entry| entry.name)
            .collect()
    }

    fn works(project: &Project) {
        let Home::Folder(folder) = &project.home else {
            panic!()
        };
        for mission in names(project, Kind::Mission) {
            let project = Project::open(folder, Some(&mission)).unwrap();
            let errors: Vec<_> = project
                .findings
                .iter()
                .map(|finding| &finding.message)
                .collect();
            assert!(project.setup.is_some(), "{mission}: {errors:?}");
        }
    }

    fn change(project: &Project, change: &Change) -> Result<Done, String> {
        let done = carry_out(project, change).map_err(|refused| refused.to_string());
        works(project);
        done
    }

    #[test]
    fn the_demo_shows_the_same_files_inside_the_program_and_as_a_folder() {
        let (_here, project) = copied();
        let demo = Project::demo(None).unwrap();
        assert_eq!(list(&project), list(&demo));
        assert_eq!(
            names(&demo, Kind::Robot),
            ["barge-cart", "curlew", "dunlin"]
        );
        assert!(matches!(
            carry_out(&demo, &Change::OpenFirst { path: "x".into() }),
            Err(Refused::Demo)
        ));
    }

    #[test]
    fn whoever_refers_to_a_file_goes_along_with_its_new_name() {
        let (_here, project) = copied();
        let rename = |path: &str, name: &str| {
            change(
                &project,
                &Change::Rename {
                    path: path.into(),
                    name: name.into(),
                },
            )
        };
        for (path, name) in [
            ("robots/curlew.toml", "Curlew two"),
            ("robots/dunlin.toml", "gull"),
            ("fields/ring.toml", "arena"),
            ("calibration.toml", "calibration at home"),
            ("shared/gates.way", "doors"),
            ("rivals/dunlin.way", "gull"),
            ("missions/ring-contest.way", "Big contest"),
            ("missions/morning-round.way", "Early round"),
        ] {
            let done = rename(path, name).unwrap();
            assert!(done.words.contains("along"), "{}", done.words);
        }
        let big = Project::open(&folder_of(&project), Some("big-contest")).unwrap();
        assert_eq!(
            (big.config.field.as_str(), big.config.seed),
            ("fields/arena.toml", 5)
        );
        let first = Project::open(&folder_of(&project), None).unwrap();
        assert_eq!(first.config.mission, "missions/early-round.way");
        assert!(
            first.mission.contains("mission \"Early round\""),
            "its title was its file's name"
        );
        assert!(
            rename("fields/arena.toml", "herons")
                .unwrap_err()
                .contains("there already")
        );
        assert!(
            rename("fields/arena.toml", "!?")
                .unwrap_err()
                .contains("no name")
        );
        assert!(
            rename("../x.toml", "y")
                .unwrap_err()
                .contains("out of the project")
        );
    }

    fn folder_of(project: &Project) -> PathBuf {
        let Home::Folder(folder) = &project.home else {
            panic!()
        };
        folder.clone()
    }

    #[test]
    fn what_is_taken_away_comes_back_as_it_was_and_what_is_used_stays() {
        let (_here, project) = copied();
        let take = |path: &str| change(&project, &Change::TakeAway { path: path.into() });
        let used = take("fields/ring.toml").unwrap_err();
        assert!(used.contains("wayodos.toml"), "{used}");
        assert!(
            take("shared/gates.way")
                .unwrap_err()
                .contains("missions/round-the-gates.way")
        );
        let mission = folder_of(&project).join("missions/which-way.way");
        let before = fs::read_to_string(&mission).unwrap();
        let taken = take("missions/which-way.way").unwrap();
        assert!(!mission.exists() && names(&project, Kind::Bin) == ["missions/which-way.way"]);
        // Another of that name has its own place there.
        fs::write(&mission, "mission \"x\"\n").unwrap();
        let second = take("missions/which-way.way").unwrap();
        assert_eq!(second.path, ".bin/missions/which-way-2.way");
        change(
            &project,
            &Change::GiveBack {
                path: taken.path.clone(),
            },
        )
        .unwrap();
        assert_eq!(fs::read_to_string(&mission).unwrap(), before);
        assert!(change(&project, &Change::GiveBack { path: taken.path }).is_err());
    }

    #[test]
    fn copies_and_templates_can_be_played_with_at_once() {
        let (_here, project) = copied();
        let copy = Change::Copy {
            path: "missions/ring-contest.way".into(),
            name: "Rematch".into(),
        };
        assert_eq!(
            change(&project, &copy).unwrap().path,
            "missions/rematch.way"
        );
        let again = Project::open(&folder_of(&project), Some("rematch")).unwrap();
        assert_eq!(
            again.config.field, "fields/ring.toml",
            "on the field of its original"
        );
        assert!(again.mission.contains("mission \"Rematch\""));
        assert!(
            change(&project, &copy)
                .unwrap_err()
                .contains("there already")
        );
        fs::remove_file(folder_of(&project).join("fields/dykes.svg")).unwrap();
        fs::remove_file(folder_of(&project).join("fields/dykes.toml")).unwrap();
        fs::remove_file(folder_of(&project).join("missions/between-the-dykes.way")).unwrap();
        let begin = Change::Begin {
            template: "fields/dykes.toml",
            name: "Our dykes".into(),
        };
        let path = change(&project, &begin).unwrap().path;
        let assign = Change::Assign {
            mission: "rematch".into(),
            part: Part::Field,
            path,
        };
        change(&project, &assign).unwrap();
        let moved = Project::open(&folder_of(&project), Some("rematch")).unwrap();
        assert_eq!(moved.config.field, "fields/our-dykes.toml");
    }

    #[cfg(unix)]
    #[test]
    fn a_change_that_fails_half_way_leaves_everything_as_it_was() {
        use std::os::unix::fs::{PermissionsExt as _, symlink};
        const DRAFT: &str = "missions/round-the-gates.way.draft";
        let (here, project) = copied();
        let folder = folder_of(&project);
        // A file that names the robot, and cannot be written: its link leads out.
        let outside = here.path().join("outside.toml");
        fs::write(&outside, "x").unwrap();
        symlink(&outside, folder.join("robots/linked.toml")).unwrap();
        let all = |folder: &Path| {
            let mut files: Vec<(String, Vec<u8>)> = paths_in(folder)
                .into_iter()
                .map(|path| (path.clone(), fs::read(folder.join(path)).unwrap()))
                .collect();
            files.sort();
            files
        };
        let before = all(&folder);
        // The mission that uses the routines is write-protected: it cannot go along.
        let mission = folder.join("missions/round-the-gates.way");
        fs::set_permissions(&mission, fs::Permissions::from_mode(0o444)).unwrap();
        let rename = |path: &str, name: &str| {
            carry_out(
                &project,
                &Change::Rename {
                    path: path.into(),
                    name: name.into(),
                },
            )
        };
        assert!(rename("shared/gates.way", "doors").is_err());
        assert_eq!(all(&folder), before);
        fs::set_permissions(&mission, fs::Permissions::from_mode(0o644)).unwrap();
        // The project file is: the mission, its draft and what was written are put back.
        fs::write(folder.join("missions/ring-contest.way.draft"), "edits").unwrap();
        let before = all(&folder);
        fs::set_permissions(folder.join(PROJECT_FILE), fs::Permissions::from_mode(0o444)).unwrap();
        assert!(rename("missions/ring-contest.way", "rematch").is_err());
        assert_eq!(all(&folder), before);
        fs::write(folder.join(DRAFT), "edits").unwrap();
        rename("missions/round-the-gates.way", "gates").unwrap();
        assert_eq!(
            fs::read_to_string(folder.join("missions/gates.way.draft")).unwrap(),
            "edits"
        );
        assert!(
            !folder.join(DRAFT).exists(),
            "edits go along with their mission"
        );
        assert!(
            carry_out(
                &project,
                &Change::Copy {
                    path: "robots/linked.toml".into(),
                    name: "a".into()
                }
            )
            .is_err()
        );
        assert_eq!(fs::read_to_string(&outside).unwrap(), "x");
    }
}
