//! What a shell asks while a line is typed: commands, options, and the names of missions.

use std::path::Path;

use clap::ValueEnum;
use clap_complete::engine::CompletionCandidate;

use crate::folder::{Project, locate};

/// A shell that can be helped.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Shell {
    /// GNU Bash.
    Bash,
    /// The Z shell.
    Zsh,
    /// The friendly interactive shell.
    Fish,
    /// Elvish.
    Elvish,
    /// PowerShell.
    Powershell,
}

impl Shell {
    /// As its program is called.
    pub(super) const fn name(self) -> &'static str {
        match self {
            Self::Bash => "bash",
            Self::Zsh => "zsh",
            Self::Fish => "fish",
            Self::Elvish => "elvish",
            Self::Powershell => "powershell",
        }
    }
}

/// The missions of the project that one is in; those of the demo elsewhere.
pub(super) fn missions() -> Vec<CompletionCandidate> {
    let here = locate(Path::new("."))
        .ok()
        .and_then(|(folder, _)| Project::open(&folder, None).ok());
    let project = here.map_or_else(|| Project::demo(None).ok(), Some);
    project
        .map_or_else(Vec::new, |project| project.missions())
        .into_iter()
        .map(CompletionCandidate::new)
        .collect()
}
