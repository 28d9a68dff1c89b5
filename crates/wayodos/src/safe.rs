//! Files of a project that may be somebody else's: only regular files are read, up to a limit, and no path leads out of
//! the project's folder, whatever links there are. Files are written whole or not at all.

use std::fs;
use std::io::{self, Read as _, Write as _};
use std::path::{Component, Path, PathBuf};

/// Larger files are not read: the largest picture that a field takes is smaller.
const LARGEST: u64 = 64 << 20;

/// The contents of a regular file.
///
/// # Errors
/// What the system says; or it is a folder, a pipe or a device, which might never come to an end, or too large.
pub fn read(path: &Path) -> io::Result<Vec<u8>> {
    let about = fs::metadata(path)?;
    if about.is_dir() {
        return Err(io::ErrorKind::IsADirectory.into());
    }
    if !about.is_file() {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "it is not a regular file"));
    }
    let mut bytes = Vec::new();
    fs::File::open(path)?.take(LARGEST + 1).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > LARGEST {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, format!("it is larger than {} MB", LARGEST >> 20)));
    }
    Ok(bytes)
}

/// Where a path of a project lies, if it stays in the folder once every link is followed; it need not exist yet.
pub fn within(folder: &Path, path: &str) -> Option<PathBuf> {
    let plain = |part: Component<'_>| matches!(part, Component::Normal(_) | Component::CurDir);
    if !Path::new(path).components().all(plain) {
        return None;
    }
    let whole = folder.join(path);
    let home = fs::canonicalize(folder).ok()?;
    // What does not exist yet will be made where its nearest folder is. A link that leads to nothing leads out.
    let there = whole.ancestors().find(|part| part.symlink_metadata().is_ok())?;
    fs::canonicalize(there).ok()?.starts_with(home).then_some(whole)
}

/// Writes a file so that it holds either all of the old or all of the new contents, whatever happens meanwhile. A link
/// keeps pointing where it did: what it leads to is replaced.
///
/// # Errors
/// What the system says; the old file is then untouched.
pub fn write_whole(path: &Path, contents: &[u8]) -> io::Result<()> {
    let target = fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    replace(&target, contents, &target).map_err(plain)
}

/// The same for a file that the application makes by itself: a link in its place is replaced, never followed.
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
    if error.raw_os_error().is_some() { error } else { error.kind().into() }
}

fn replace(target: &Path, contents: &[u8], like: &Path) -> io::Result<()> {
    let folder = target.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = tempfile::Builder::new().prefix(".wayodos-").suffix(".tmp").tempfile_in(folder)?;
    file.write_all(contents)?;
    file.as_file().sync_all()?;
    let mode = fs::metadata(like).map(|meta| meta.permissions());
    file.as_file().set_permissions(mode.unwrap_or_else(|_| new_file_mode()))?;
    file.persist(target).map_err(|error| error.error)?;
    // The name lasts only once the folder has been written too. Not every file system lets folders be opened.
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
    fs::metadata(".").map(|meta| meta.permissions()).expect("the current folder exists")
}

#[cfg(all(test, unix))]
mod tests {
    use std::os::unix::fs::{PermissionsExt as _, symlink};

    use super::*;

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
        for path in
            ["../other/secret.toml", "/etc/passwd", "away/secret.toml", "away/new.way", "robot.toml", "dangling"]
        {
            assert_eq!(within(&home, path), None, "{path}");
        }
        for path in ["missions/a.way", "missions/new.way", "new/folder/a.svg", "./missions/a.way", "b.way"] {
            assert!(within(&home, path).is_some(), "{path}");
        }
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
        let (mission, target, draft) =
            (here.path().join("a.way"), here.path().join("b"), here.path().join("a.way.draft"));
        fs::write(&mission, "mission").unwrap();
        fs::set_permissions(&mission, fs::Permissions::from_mode(0o600)).unwrap();
        fs::write(&target, "theirs").unwrap();
        symlink(&target, &draft).unwrap();
        write_own(&draft, b"ours", &mission).unwrap();
        assert_eq!(fs::read_to_string(&target).unwrap(), "theirs");
        assert_eq!(fs::read_to_string(&draft).unwrap(), "ours");
        assert_eq!(fs::symlink_metadata(&draft).unwrap().permissions().mode() & 0o777, 0o600);
        // What a person names is written through its link.
        symlink(&target, here.path().join("link")).unwrap();
        write_whole(&here.path().join("link"), b"new").unwrap();
        assert_eq!(fs::read_to_string(&target).unwrap(), "new");
    }
}
