//! Changes of what belongs together: which robot or field a mission plays with, and paths that
//! follow a file's new name.
//!
//! All are changes of text, so that comments and layout stay; each is checked by reading the new
//! text.

use std::ops::Range;

use super::Config;
use crate::finding::{Edit, apply_all, has_errors};

/// What a mission plays with, by its key in the project file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Part {
    /// Its robot.
    Robot,
    /// Its field.
    Field,
    /// Its calibration.
    Calibration,
}

impl Part {
    /// The key of the project file, which is also what people call it.
    pub const fn key(self) -> &'static str {
        match self {
            Self::Robot => "robot",
            Self::Field => "field",
            Self::Calibration => "calibration",
        }
    }

    /// The path that the project file has for it.
    pub fn of(self, config: &Config) -> Option<&str> {
        match self {
            Self::Robot => Some(&config.robot),
            Self::Field => Some(&config.field),
            Self::Calibration => config.calibration.as_deref(),
        }
    }
}

/// The project file with another robot, field or calibration for one mission, by its name.
///
/// None when its text is written in a way that this cannot change; nothing is lost then.
pub fn assign(text: &str, mission: &str, part: Part, path: &str) -> Option<String> {
    let changed = with_key(text, Some(mission), part.key(), path);
    let mut config = whole(&changed)?;
    config.choose(mission);
    (part.of(&config) == Some(path)).then_some(changed)
}

/// The project file with another mission to be opened first; none when this cannot change it.
pub fn open_first(text: &str, path: &str) -> Option<String> {
    let changed = with_key(text, None, "mission", path);
    whole(&changed)
        .is_some_and(|config| config.mission == path)
        .then_some(changed)
}

/// What a project file without errors says.
fn whole(text: &str) -> Option<Config> {
    let (config, findings) = Config::load(text);
    config.filter(|_| !has_errors(&findings))
}

/// Whether a text names a file of the project.
pub fn names_file(text: &str, path: &str) -> bool {
    !places(text, path).is_empty()
}

/// A text in which a file of the project has another path; of the project file also a mission's own
/// section.
pub fn renamed(text: &str, from: &str, to: &str) -> String {
    let mut edits: Vec<Edit> = places(text, from)
        .into_iter()
        .map(|span| Edit {
            span,
            text: to.to_owned(),
        })
        .collect();
    let stem = |path: &str| {
        path.strip_prefix("missions/")?
            .strip_suffix(".way")
            .map(str::to_owned)
    };
    if let (Some(old), Some(new)) = (stem(from), stem(to)) {
        let headers = lines(text).filter(|line| is_header_of(&text[line.clone()], &old));
        edits.extend(headers.map(|line| {
            let end = line.start + text[line.clone()].find(']').map_or(line.len(), |at| at + 1);
            Edit {
                span: line.start..end,
                text: header(&new),
            }
        }));
    }
    apply_all(text, edits)
}

/// Where a path stands between quotes.
fn places(text: &str, path: &str) -> Vec<Range<usize>> {
    let quoted = |at: usize| {
        let before = text[..at].chars().next_back();
        let after = text[at + path.len()..].chars().next();
        matches!(
            (before, after),
            (Some('"'), Some('"')) | (Some('\''), Some('\''))
        )
    };
    text.match_indices(path)
        .map(|(at, _)| at)
        .filter(|at| quoted(*at))
        .map(|at| at..at + path.len())
        .collect()
}

/// The lines of a text, without their ends.
fn lines(text: &str) -> impl Iterator<Item = Range<usize>> {
    let mut at = 0;
    text.split('\n').map(move |line| {
        let from = at;
        at += line.len() + 1;
        from..from + line.trim_end_matches('\r').len()
    })
}

/// The header of a mission's own section.
fn header(mission: &str) -> String {
    let bare = |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '-' | '_');
    if mission.chars().all(bare) && !mission.is_empty() {
        format!("[for.{mission}]")
    } else {
        format!("[for.{mission:?}]")
    }
}

fn is_header_of(line: &str, mission: &str) -> bool {
    let line = line.split('#').next().unwrap_or(line).trim();
    let inside = line
        .strip_prefix("[for.")
        .and_then(|rest| rest.strip_suffix(']'))
        .map(str::trim);
    inside.is_some_and(|name| name.trim_matches(['"', '\'']) == mission)
}

/// The text with a key in a mission's own section, or at the top.
fn with_key(text: &str, mission: Option<&str>, key: &str, path: &str) -> String {
    let line = format!("{key} = {path:?}");
    let all: Vec<Range<usize>> = lines(text).collect();
    let opens = |span: &Range<usize>| text[span.clone()].trim_start().starts_with('[');
    let first = match mission {
        None => 0,
        Some(mission) => match all
            .iter()
            .position(|span| is_header_of(&text[span.clone()], mission))
        {
            Some(at) => at + 1,
            None => {
                let gap = if text.is_empty() || text.ends_with("\n\n") {
                    ""
                } else if text.ends_with('\n') {
                    "\n"
                } else {
                    "\n\n"
                };
                return format!("{text}{gap}{}\n{line}\n", header(mission));
            }
        },
    };
    let section = all[first..].iter().take_while(|span| !opens(span));
    let holds = |span: &&Range<usize>| {
        let rest = text[(*span).clone()].trim_start().strip_prefix(key);
        rest.is_some_and(|rest| rest.trim_start().starts_with('='))
    };
    let edit = match section.clone().find(holds) {
        Some(span) => Edit {
            span: value_span(text, span),
            text: format!("{path:?}"),
        },
        None => {
            // Below the last line of the section that says something.
            let said = section
                .filter(|span| !text[(*span).clone()].trim().is_empty())
                .last();
            let at = said.map_or_else(
                || first.checked_sub(1).map_or(0, |above| all[above].end),
                |span| span.end,
            );
            let text = if at == 0 {
                format!("{line}\n")
            } else {
                format!("\n{line}")
            };
            Edit { span: at..at, text }
        }
    };
    edit.apply(text)
}

/// Where the value of `key = value` stands: a comment behind it stays.
fn value_span(text: &str, line: &Range<usize>) -> Range<usize> {
    let whole = &text[line.clone()];
    let from = whole.find('=').map_or(whole.len(), |at| at + 1);
    let from = from + whole[from..].len() - whole[from..].trim_start().len();
    let quote = whole[from..]
        .chars()
        .next()
        .filter(|quote| matches!(quote, '"' | '\''));
    let to = match quote.and_then(|quote| whole[from + 1..].find(quote)) {
        Some(close) => from + close + 2,
        None => whole.len(),
    };
    line.start + from..line.start + to
}

#[cfg(test)]
mod tests {
    use super::*;

    const PROJECT: &str = "# Ours.\nname = \"Works\"\nmission = \"missions/a.way\"\nrobot = 'robots/r.toml' # the old one\n\
                           field = \"fields/f.toml\"\n\n[for.ring]\nfield = \"fields/ring.toml\"\n\n# The end.\n";

    fn chosen(text: &str, mission: &str) -> Config {
        let (config, findings) = Config::load(text);
        assert!(findings.is_empty(), "{findings:?}\n{text}");
        let mut config = config.unwrap();
        config.choose(mission);
        config
    }

    #[test]
    fn a_mission_gets_a_robot_of_its_own_and_all_else_stays() {
        for mission in ["ring", "a", "new one", "\u{e9}"] {
            for (part, path) in [
                (Part::Robot, "robots/other.toml"),
                (Part::Field, "fields/x y.toml"),
                (Part::Calibration, "c.toml"),
            ] {
                let text = assign(PROJECT, mission, part, path).unwrap();
                assert_eq!(part.of(&chosen(&text, mission)), Some(path), "{text}");
                assert_eq!(
                    chosen(&text, "other"),
                    chosen(PROJECT, "other").clone_with(&text),
                    "others keep theirs"
                );
                for kept in ["# Ours.", "# the old one", "# The end."] {
                    assert!(text.contains(kept), "{text}");
                }
                let again = assign(&text, mission, part, "z.toml").unwrap();
                assert_eq!(
                    again.lines().count(),
                    text.lines().count(),
                    "a second time it is replaced: {again}"
                );
            }
        }
        let text = open_first(PROJECT, "missions/b.way").unwrap();
        assert_eq!(text, PROJECT.replace("missions/a.way", "missions/b.way"));
    }

    impl Config {
        /// The same with the sections of another text: those are what was changed.
        fn clone_with(mut self, text: &str) -> Self {
            self.instead = Self::load(text).0.unwrap().instead;
            self
        }
    }

    #[test]
    fn what_cannot_be_changed_is_left_alone() {
        let dotted = PROJECT.replace("[for.ring]\nfield", "[for]\nring.field");
        assert_eq!(
            assign(&dotted, "ring", Part::Robot, "robots/x.toml"),
            None,
            "a section twice is no project"
        );
        assert_eq!(assign("name = ", "a", Part::Robot, "x.toml"), None);
    }

    #[test]
    fn paths_follow_a_new_name_wherever_they_are_named() {
        let text = renamed(PROJECT, "robots/r.toml", "robots/new.toml");
        assert_eq!(text, PROJECT.replace("robots/r.toml", "robots/new.toml"));
        let text = renamed(PROJECT, "missions/ring.way", "missions/big ring.way");
        assert_eq!(chosen(&text, "big ring").field, "fields/ring.toml");
        let mission =
            "use \"shared/a.way\"\n# shared/a.way is ours\nsignal s \"shared/a.wayward\"\n";
        assert_eq!(
            renamed(mission, "shared/a.way", "shared/b.way"),
            "use \"shared/b.way\"\n# shared/a.way is ours\nsignal s \"shared/a.wayward\"\n"
        );
        assert!(names_file(mission, "shared/a.way") && !names_file(mission, "shared/a"));
    }
}
