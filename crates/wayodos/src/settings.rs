//! What a person wants everywhere: the file `wayodos/config.toml` in the folder of settings.

use std::io;
use std::path::{Path, PathBuf};

use crate::look::Look;
use crate::safe;

/// Where the settings are; none when this machine offers no place. `var` looks a variable of the
/// environment up.
pub fn file(var: impl Fn(&str) -> Option<PathBuf>) -> Option<PathBuf> {
    let folder = var("XDG_CONFIG_HOME")
        .filter(|path| path.is_absolute())
        .or_else(|| {
            var("HOME")
                .filter(|home| home.is_absolute())
                .map(|home| home.join(".config"))
        })?;
    Some(folder.join("wayodos/config.toml"))
}

/// Reads the settings; nothing is set when there is no such file.
///
/// # Errors
/// A sentence that says what is wrong with it, where, and what may stand there.
pub fn load(file: &Path) -> Result<Look, String> {
    let bytes = match safe::read(file) {
        Ok(bytes) => bytes,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Look::default()),
        Err(error) => return Err(format!("cannot read {}: {error}", file.display())),
    };
    let text =
        String::from_utf8(bytes).map_err(|_| format!("{} is not UTF-8 text", file.display()))?;
    toml::from_str(&text).map_err(|error| {
        let line = error.span().map_or(1, |span| {
            text[..span.start.min(text.len())].matches('\n').count() + 1
        });
        format!(
            "{}, line {line}: {}",
            file.display(),
            error.message().replace('\n', ", ")
        )
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::look::Pictures;

    #[test]
    fn settings_are_taken_where_the_command_line_says_nothing() {
        let here = tempfile::tempdir().unwrap();
        let file = here.path().join("config.toml");
        assert_eq!(load(&file), Ok(Look::default()), "there need not be any");
        std::fs::write(
            &file,
            "theme = \"light\"\ncells = \"half\"\npictures = \"off\"\n",
        )
        .unwrap();
        let set = load(&file).unwrap();
        assert_eq!(set.pictures, Some(Pictures::Off));
        let typed: Look = toml::from_str("pictures = \"sixel\"").unwrap();
        assert_eq!(typed.or(&set).pictures, Some(Pictures::Sixel));
        assert_eq!(Look::default().or(&set), set);
    }

    #[test]
    fn mistakes_are_said_with_their_line() {
        let here = tempfile::tempdir().unwrap();
        let file = here.path().join("config.toml");
        for (text, words) in [
            (
                "theme = \"light\"\ncolour = 3\n",
                "line 2: unknown field `colour`",
            ),
            (
                "theme = \"blue\"\n",
                "line 1: unknown variant `blue`, expected `dark` or `light`",
            ),
            ("\ntheme = ", "line 2"),
        ] {
            std::fs::write(&file, text).unwrap();
            let error = load(&file).unwrap_err();
            assert!(error.contains(words), "{error}");
        }
        std::fs::write(&file, b"\xff").unwrap();
        assert!(load(&file).unwrap_err().contains("UTF-8"));
    }

    #[test]
    fn the_file_lies_where_settings_lie() {
        let var = |config: Option<&str>| {
            let config = config.map(PathBuf::from);
            move |name: &str| {
                if name == "HOME" {
                    Some("/home/x".into())
                } else {
                    config.clone()
                }
            }
        };
        assert_eq!(
            file(var(None)),
            Some("/home/x/.config/wayodos/config.toml".into())
        );
        assert_eq!(file(var(Some("/c"))), Some("/c/wayodos/config.toml".into()));
        assert_eq!(
            file(var(Some("relative"))),
            Some("/home/x/.config/wayodos/config.toml".into())
        );
        assert_eq!(file(|_| None), None);
    }
}
