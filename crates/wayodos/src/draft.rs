//! Unsaved edits as they are kept against a crash, with what they were based on: a file that has
//! changed since is noticed, and asked about.

use std::path::Path;

use crate::safe::{read, write_own};

/// The first line of a draft's file, before the length of its base.
const HEADER: &str = "wayodos draft 1, base ";

/// Unsaved edits.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Draft {
    /// What the mission's file held when they were made; unknown for drafts of older versions.
    pub base: Option<String>,
    /// The text.
    pub text: String,
}

impl Draft {
    /// Reads a draft; none when there is none that makes sense.
    pub fn load(file: &Path) -> Option<Self> {
        let all = String::from_utf8(read(file).ok()?).ok()?;
        let Some((length, rest)) = all
            .strip_prefix(HEADER)
            .and_then(|rest| rest.split_once('\n'))
        else {
            return Some(Self {
                base: None,
                text: all,
            });
        };
        let (base, text) = rest.split_at_checked(length.trim().parse().ok()?)?;
        Some(Self {
            base: Some(base.to_owned()),
            text: text.to_owned(),
        })
    }

    /// Writes it; `mission` is the file that it is a draft of.
    ///
    /// # Errors
    /// A sentence that says what could not be written and why.
    pub fn store(base: &str, text: &str, file: &Path, mission: &Path) -> Result<(), String> {
        let whole = format!("{HEADER}{}\n{base}{text}", base.len());
        // A project folder that somebody has removed is not made again in silence; that of the
        // demo's drafts is ours.
        let ours = file == mission;
        let made = file
            .parent()
            .filter(|_| ours)
            .map_or(Ok(()), std::fs::create_dir_all);
        made.and_then(|()| write_own(file, whole.as_bytes(), mission))
            .map_err(|error| format!("cannot write {}: {error}", file.display()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_draft_comes_back_with_what_it_was_based_on() {
        let here = tempfile::tempdir().unwrap();
        let (file, mission) = (here.path().join("a.way.draft"), here.path().join("a.way"));
        for (base, text) in [
            ("old\n", "new\n"),
            ("", ""),
            ("é\n", "wayodos draft 1, base 3\nx"),
        ] {
            Draft::store(base, text, &file, &mission).unwrap();
            assert_eq!(
                Draft::load(&file),
                Some(Draft {
                    base: Some(base.to_owned()),
                    text: text.to_owned()
                })
            );
        }
        std::fs::write(&file, "step \"a\"\n").unwrap();
        assert_eq!(
            Draft::load(&file),
            Some(Draft {
                base: None,
                text: "step \"a\"\n".to_owned()
            }),
            "of an older version"
        );
        for damaged in [
            "wayodos draft 1, base 9\nx",
            "wayodos draft 1, base x\nx",
            "wayodos draft 1, base 1\né",
        ] {
            std::fs::write(&file, damaged).unwrap();
            assert_eq!(Draft::load(&file), None, "{damaged}");
        }
    }
}
