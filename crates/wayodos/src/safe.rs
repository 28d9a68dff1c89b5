//! Files of a project that may be somebody else's: only regular files are read, up to a limit, and
//! no path leads out of the project's folder, whatever links there are. Files are written whole or
//! not at all.

use std::fs;
use std::io::{self, Read as _, Write as _};
use std::path::{Component, Path, PathBuf};

/// Larger files are not read: the largest picture that a field takes is smaller.
const LARGEST: u64 = 64 << 20;

/// The contents of a regular file.
///
/// # Errors
/// What the system says; or it is a folder, a pipe or a device, which might never come to an end,
/// or too large.
pub fn read(path: &Path) -> io::Result<Vec<u8>> {
    let about = fs::metadata(path)?;
    if about.is_dir() {
        return Err(io::ErrorKind::IsADirectory.into());
    }
    if !about.is_file() {
        return Err(io::Error::new(
            io::ErrorKind::InvalidInput,
            "it is not a regular file",
        ));
    }
    let mut bytes = Vec::new();
    fs::File::open(path)?
        .take(LARGEST + 1)
        .read_to_end(&mut bytes)?;
    if bytes.len() as u64 > LARGEST {
        return Err(io::Error::new(
            io::ErrorKind::InvalidInput,
            format!("it is larger than {} MB", LARGEST >> 20),
        ));
    }
    Ok(bytes)
}

/// Where a path of a project lies, if it stays in the folder once every link is followed; it need
/// not exist yet.
pub fn within(folder: &Path, path: &str) -> Option<PathBuf> {
    let plain = |part: Component<'_>| matches!(part, Component::Normal(_) | Component::CurDir);
    if !Path::new(path).components().all(plain) {
        return None;
    }
    let whole = folder.join(path);
    let home = fs::canonicalize(folder).ok()?;
    // What does not exist yet will be made where its nearest folder is. A link that leads to
    // nothing leads out.
    let there = whole
        .ancestors()
        .find(|part| part.symlink_metadata().is_ok())?;
    fs::canonicalize(there)
        .ok()?
        .starts_with(home)
        .then_some(whole)
}

/// Writes a file so that it holds either all of the old or all of the new contents, whatever
/// happens meanwhile. A link keeps pointing where it did: what it leads to is replaced.
///
/// # Errors
/// What the system says; the old file is then untouched.
pub fn write_whole(path: &Path, contents: &[u8]) -> io::Result<()> {
    let target = fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    let about = fs::metadata(&target).ok();
    if about
        .as_ref()
        .is_some_and(|about| about.permissions().readonly())
    {
        return Err(io::Error::new(
            io::ErrorKind::PermissionDenied,
            "the file is write-protected",
        ));
    }
    // A device or a pipe that stands there is never put out of its place.
    if about.as_ref().is_some_and(|about| !about.is_file()) {
        return Err(io::Error::other("what stands there is no regular file"));
    }
    // A file of several names stays one file, and in a folder where nothing can be made nothing can
    // be moved into place.
    let shared = about.as_ref().is_some_and(|about| names(about) > 1);
    if shared {
        return in_place(&target, contents);
    }
    match replace(&target, contents, &target) {
        Err(error) if error.kind() == io::ErrorKind::PermissionDenied && about.is_some() => {
            in_place(&target, contents)
        }
        result => result.map_err(plain),
    }
}

/// Writes what somebody has asked for by the name of its target: a device or a pipe is written
/// through, a file as [`write_whole`] does it.
///
/// # Errors
/// What the system says.
pub fn write_out(path: &Path, contents: &[u8]) -> io::Result<()> {
    let through = |about: fs::Metadata| !about.is_file() && !about.is_dir();
    if !fs::metadata(path).is_ok_and(through) {
        return write_whole(path, contents);
    }
    let mut target = fs::File::options().write(true).open(path).map_err(plain)?;
    target
        .write_all(contents)
        .and_then(|()| target.flush())
        .map_err(plain)
}

/// How many names a file has.
#[cfg(unix)]
fn names(about: &fs::Metadata) -> u64 {
    use std::os::unix::fs::MetadataExt as _;
    about.nlink()
}

#[cfg(not(unix))]
fn names(_: &fs::Metadata) -> u64 {
    1
}

/// Writes a file where it lies. What it held is kept elsewhere until all of the new contents are
/// there.
fn in_place(target: &Path, contents: &[u8]) -> io::Result<()> {
    let old = read(target)?;
    let mut safety = tempfile::Builder::new()
        .prefix("wayodos-")
        .suffix(".before")
        .tempfile()?;
    safety.write_all(&old)?;
    safety.as_file().sync_all()?;
    let mut file = fs::File::options()
        .write(true)
        .truncate(true)
        .open(target)?;
    let written = file.write_all(contents).and_then(|()| file.sync_all());
    if let Err(error) = written {
        let kept = safety.keep().map_or_else(
            |_| String::new(),
            |(_, path)| format!("; what it held is in {}", path.display()),
        );
        return Err(io::Error::new(error.kind(), format!("{error}{kept}")));
    }
    Ok(())
}

/// Removes what was left half-written in a folder by an application that was killed: files that
/// nobody has touched for an hour.
pub fn sweep(folder: &Path) {
    const OLD: std::time::Duration = std::time::Duration::from_secs(3600);
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let ours = entry
            .file_name()
            .to_str()
            .is_some_and(|name| name.starts_with(PREFIX) && name.ends_with(SUFFIX));
        let untouched = || entry.metadata().ok()?.modified().ok()?.elapsed().ok();
        if ours && untouched().is_some_and(|age| age > OLD) {
            // Somebody else may have been quicker.
            let _ = fs::remove_file(entry.path());
        }
    }
}

/// Names of files that are being written.
const PREFIX: &str = ".wayodos-";
const SUFFIX: &str = ".tmp";

/// Makes a folder with files in it, all of them or none; their paths are within the folder.
///
/// # Errors
/// What the system says, with the path that it is about; or one of the files is there already.
pub fn write_folder(folder: &Path, files: &[(&str, &str)]) -> Result<(), (PathBuf, io::Error)> {
    let at = |path: &Path| {
        let path = path.to_owned();
        move |error| (path, error)
    };
    let fill = |folder: &Path| {
        for (path, contents) in files {
            let file = folder.join(path);
            let made = file.parent().map_or(Ok(()), fs::create_dir_all);
            made.and_then(|()| write_whole(&file, contents.as_bytes()))
                .map_err(at(&file))?;
        }
        Ok(())
    };
    if !folder.exists() {
        // Built beside its place, and moved there when it is whole.
        let above = folder
            .parent()
            .filter(|above| !above.as_os_str().is_empty())
            .unwrap_or(Path::new("."));
        fs::create_dir_all(above).map_err(at(above))?;
        let beside = tempfile::Builder::new()
            .prefix(PREFIX)
            .tempdir_in(above)
            .map_err(at(folder))?;
        let whole = beside.path().join("whole");
        fs::create_dir(&whole).map_err(at(folder))?;
        fill(&whole).map_err(|(path, error): (PathBuf, io::Error)| {
            let inside = path
                .strip_prefix(&whole)
                .map(Path::to_owned)
                .unwrap_or_default();
            (folder.join(inside), error)
        })?;
        return fs::rename(&whole, folder).map_err(at(folder));
    }
    if let Some((path, _)) = files
        .iter()
        .find(|(path, _)| folder.join(path).symlink_metadata().is_ok())
    {
        return Err((folder.join(path), io::ErrorKind::AlreadyExists.into()));
    }
    fill(folder).inspect_err(|_| {
        // None of them was there before.
        for (path, _) in files {
            let _ = fs::remove_file(folder.join(path));
        }
    })
}

/// The same for a file that the application makes by itself: a link in its place is replaced, never
/// followed.
///
/// `like`: whoever may read this file may read the new one, and nobody else.
///
/// # Errors
/// What the system says; the old file is then untouched.
pub fn write_own(path: &Path, contents: &[u8], like: &Path) -> io::Result<()> {
    replace(path, contents, like).map_err(plain)
}

/// The error without the name of the file that was to be moved into place: nobody has ever seen it.
pub fn plain(error: io::Error) -> io::Error {
    if error.raw_os_error().is_some() {
        error
    } else {
        error.kind().into()
    }
}

fn replace(target: &Path, contents: &[u8], like: &Path) -> io::Result<()> {
    let folder = target
        .parent()
        .filter(|folder| !folder.as_os_str().is_empty())
        .unwrap_or(Path::new("."));
    let mut file = tempfile::Builder::new()
        .prefix(PREFIX)
        .suffix(SUFFIX)
        .tempfile_in(folder)?;
    file.write_all(contents)?;
    file.as_file().sync_all()?;
    let mode = fs::metadata(like).map(|meta| meta.permissions());
    file.as_file()
        .set_permissions(mode.unwrap_or_else(|_| new_file_mode()))?;
    file.persist(target).map_err(|error| error.error)?;
    // The name lasts only once the folder has been written too. Not every file system lets folders
    // be opened.
    let _ = fs::File::open(folder).and_then(|folder| folder.sync_all());
    Ok(())
}

#[cfg(unix)]
fn new_file_mode() -> fs::Permissions {
    use std::os::unix::fs::PermissionsExt as _;
    fs::Permissions::from_mode(0o644)
}

#[cfg(not(unix))]
fn new_file_mode() -> fs::Permissions {
    fs::metadata(".")
        .map(|meta| meta.permissions())
        .expect("the current folder exists")
}

#[cfg(all(test, unix))]
mod tests {
    use std::os::unix::fs::{PermissionsExt as _, symlink};

    use super::*;

    #[test]
    fn a_device_and_a_pipe_are_written_through_and_stay_what_they_are() {
        let here = tempfile::tempdir().unwrap();
        let pipe = here.path().join("pipe");
        let made = std::process::Command::new("mkfifo").arg(&pipe).status();
        assert!(made.unwrap().success());
        let reader = {
            let pipe = pipe.clone();
            std::thread::spawn(move || fs::read(pipe).unwrap())
        };
        write_out(&pipe, b"all of it").unwrap();
        assert_eq!(reader.join().unwrap(), b"all of it");
        write_out(Path::new("/dev/null"), b"x").unwrap();
        assert!(write_out(Path::new("/dev/full"), b"x").is_err());
        // What a project writes never goes into either, and never takes its place.
        for place in [&*pipe, Path::new("/dev/null"), here.path()] {
            assert!(write_whole(place, b"x").is_err(), "{}", place.display());
            assert!(!fs::metadata(place).unwrap().is_file());
        }
        let file = here.path().join("file");
        write_out(&file, b"new").unwrap();
        assert_eq!(fs::read(file).unwrap(), b"new");
    }

    #[test]
    fn no_path_leads_out_of_the_project() {
        let here = tempfile::tempdir().unwrap();
        let (home, other) = (here.path().join("home"), here.path().join("other"));
        fs::create_dir_all(home.join("missions")).unwrap();
        fs::create_dir_all(&other).unwrap();
        fs::write(other.join("secret.toml"), "x").unwrap();
        fs::write(home.join("missions/a.way"), "x").unwrap();
        symlink(&other, home.join("away")).unwrap();
        symlink(other.join("secret.toml"), home.join("robot.toml")).unwrap();
        symlink("missions/a.way", home.join("b.way")).unwrap();
        symlink(here.path().join("nothing"), home.join("dangling")).unwrap();
        for path in [
            "../other/secret.toml",
            "/etc/passwd",
            "away/secret.toml",
            "away/new.way",
            "robot.toml",
            "dangling",
        ] {
            assert_eq!(within(&home, path), None, "{path}");
        }
        for path in [
            "missions/a.way",
            "missions/new.way",
            "new/folder/a.svg",
            "./missions/a.way",
            "b.way",
        ] {
            assert!(within(&home, path).is_some(), "{path}");
        }
    }

    #[test]
    fn a_file_of_two_names_stays_one_and_a_write_protected_one_stays_as_it_is() {
        let here = tempfile::tempdir().unwrap();
        let (one, other) = (here.path().join("one"), here.path().join("other"));
        fs::write(&one, "old").unwrap();
        fs::hard_link(&one, &other).unwrap();
        write_whole(&one, b"new").unwrap();
        assert_eq!(
            fs::read_to_string(&other).unwrap(),
            "new",
            "the other name has it too"
        );
        fs::set_permissions(&one, fs::Permissions::from_mode(0o444)).unwrap();
        let refused = write_whole(&one, b"newer").unwrap_err();
        assert!(refused.to_string().contains("write-protected"), "{refused}");
        assert_eq!(fs::read_to_string(&one).unwrap(), "new");
        assert_eq!(
            fs::read_dir(here.path()).unwrap().count(),
            2,
            "nothing is left beside them"
        );
    }

    #[test]
    fn what_was_left_half_written_long_ago_is_cleared_away() {
        let here = tempfile::tempdir().unwrap();
        let file = |name: &str| here.path().join(name);
        for name in [
            ".wayodos-a.tmp",
            ".wayodos-b.tmp",
            "mine.tmp",
            "mission.way",
        ] {
            fs::write(file(name), "x").unwrap();
        }
        let long_ago = std::time::SystemTime::now() - std::time::Duration::from_secs(7200);
        for name in [".wayodos-a.tmp", "mine.tmp", "mission.way"] {
            fs::File::options()
                .write(true)
                .open(file(name))
                .unwrap()
                .set_modified(long_ago)
                .unwrap();
        }
        sweep(here.path());
        assert!(!file(".wayodos-a.tmp").exists() && file(".wayodos-b.tmp").exists());
        assert!(file("mine.tmp").exists() && file("mission.way").exists());
    }

    #[test]
    fn a_folder_is_made_whole_or_not_at_all() {
        let here = tempfile::tempdir().unwrap();
        let (new, old) = (here.path().join("new"), here.path().join("old"));
        fs::create_dir(&old).unwrap();
        fs::write(old.join("b"), "theirs").unwrap();
        // A file stands where a folder is needed.
        let bad = [("a", "1"), ("b", "2"), ("b/c", "3")];
        for folder in [&new, &old] {
            assert!(write_folder(folder, &bad).is_err());
        }
        assert!(!new.exists() && !old.join("a").exists());
        assert_eq!(fs::read_to_string(old.join("b")).unwrap(), "theirs");
        write_folder(&new, &bad[..2]).unwrap();
        assert_eq!(fs::read_to_string(new.join("b")).unwrap(), "2");
        assert_eq!(
            fs::read_dir(here.path()).unwrap().count(),
            2,
            "nothing is left beside them"
        );
        assert_eq!(
            fs::metadata(&new).unwrap().permissions().mode() & 0o700,
            0o700
        );
    }

    #[test]
    fn what_never_ends_is_not_read() {
        assert!(read(Path::new("/dev/zero")).is_err() && read(Path::new("/")).is_err());
        let here = tempfile::tempdir().unwrap();
        let pipe = here.path().join("pipe");
        let made = std::process::Command::new("mkfifo").arg(&pipe).status();
        assert!(made.is_ok_and(|made| made.success()));
        assert_eq!(read(&pipe).unwrap_err().kind(), io::ErrorKind::InvalidInput);
    }

    #[test]
    fn our_own_files_follow_no_link_and_are_as_private_as_what_they_are_of() {
        let here = tempfile::tempdir().unwrap();
        let (mission, target, draft) = (
            here.path().join("a.way"),
            here.path().join("b"),
            here.path().join("a.way.draft"),
        );
        fs::write(&mission, "mission").unwrap();
        fs::set_permissions(&mission, fs::Permissions::from_mode(0o600)).unwrap();
        fs::write(&target, "theirs").unwrap();
        symlink(&target, &draft).unwrap();
        write_own(&draft, b"ours", &mission).unwrap();
        assert_eq!(fs::read_to_string(&target).unwrap(), "theirs");
        assert_eq!(fs::read_to_string(&draft).unwrap(), "ours");
        assert_eq!(
            fs::symlink_metadata(&draft).unwrap().permissions().mode() & 0o777,
            0o600
        );
        // What a person names is written through its link.
        symlink(&target, here.path().join("link")).unwrap();
        write_whole(&here.path().join("link"), b"new").unwrap();
        assert_eq!(fs::read_to_string(&target).unwrap(), "new");
    }
}
