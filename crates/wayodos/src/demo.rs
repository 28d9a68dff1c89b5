//! The demo project, carried inside the binary: an installed `wayodos demo` needs no files.

use crate::open_error::OpenError;

/// A bare project for a robot and a table of one's own: path within the folder, and contents.
pub const BARE: &[(&str, &str)] = &[
    (
        "robots/robot.toml",
        include_str!("../../../examples/bare/robots/robot.toml"),
    ),
    (
        "fields/table.toml",
        include_str!("../../../examples/bare/fields/table.toml"),
    ),
    (
        "missions/first.way",
        include_str!("../../../examples/bare/missions/first.way"),
    ),
    (
        "wayodos.toml",
        include_str!("../../../examples/bare/wayodos.toml"),
    ),
];

/// The demo's files: path within the project folder, and contents.
pub const FILES: &[(&str, &str)] = &[
    (
        "wayodos.toml",
        include_str!("../../../examples/brinewick/wayodos.toml"),
    ),
    (
        "calibration.toml",
        include_str!("../../../examples/brinewick/calibration.toml"),
    ),
    (
        "fields/causeway.toml",
        include_str!("../../../examples/brinewick/fields/causeway.toml"),
    ),
    (
        "fields/ring.toml",
        include_str!("../../../examples/brinewick/fields/ring.toml"),
    ),
    (
        "fields/baskets.toml",
        include_str!("../../../examples/brinewick/fields/baskets.toml"),
    ),
    (
        "fields/herons.toml",
        include_str!("../../../examples/brinewick/fields/herons.toml"),
    ),
    (
        "fields/dykes.toml",
        include_str!("../../../examples/brinewick/fields/dykes.toml"),
    ),
    (
        "fields/dykes.svg",
        include_str!("../../../examples/brinewick/fields/dykes.svg"),
    ),
    (
        "fields/towpath.toml",
        include_str!("../../../examples/brinewick/fields/towpath.toml"),
    ),
    (
        "missions/morning-round.way",
        include_str!("../../../examples/brinewick/missions/morning-round.way"),
    ),
    (
        "missions/mind-the-rim.way",
        include_str!("../../../examples/brinewick/missions/mind-the-rim.way"),
    ),
    (
        "missions/ring-contest.way",
        include_str!("../../../examples/brinewick/missions/ring-contest.way"),
    ),
    (
        "missions/shove-the-baskets.way",
        include_str!("../../../examples/brinewick/missions/shove-the-baskets.way"),
    ),
    (
        "missions/past-the-herons.way",
        include_str!("../../../examples/brinewick/missions/past-the-herons.way"),
    ),
    (
        "missions/between-the-dykes.way",
        include_str!("../../../examples/brinewick/missions/between-the-dykes.way"),
    ),
    (
        "missions/haul-the-barge.way",
        include_str!("../../../examples/brinewick/missions/haul-the-barge.way"),
    ),
    (
        "missions/round-the-gates.way",
        include_str!("../../../examples/brinewick/missions/round-the-gates.way"),
    ),
    (
        "missions/four-ways-along.way",
        include_str!("../../../examples/brinewick/missions/four-ways-along.way"),
    ),
    (
        "missions/which-way.way",
        include_str!("../../../examples/brinewick/missions/which-way.way"),
    ),
    (
        "shared/gates.way",
        include_str!("../../../examples/brinewick/shared/gates.way"),
    ),
    (
        "fields/tramway.toml",
        include_str!("../../../examples/brinewick/fields/tramway.toml"),
    ),
    (
        "rivals/dunlin.way",
        include_str!("../../../examples/brinewick/rivals/dunlin.way"),
    ),
    (
        "robots/curlew.toml",
        include_str!("../../../examples/brinewick/robots/curlew.toml"),
    ),
    (
        "robots/dunlin.toml",
        include_str!("../../../examples/brinewick/robots/dunlin.toml"),
    ),
    (
        "robots/barge-cart.toml",
        include_str!("../../../examples/brinewick/robots/barge-cart.toml"),
    ),
];

/// The folder that the demo is copied to when it is first saved.
pub const FOLDER: &str = "brinewick";

/// A file of the demo.
pub fn file(path: &str) -> Option<&'static str> {
    FILES
        .iter()
        .find(|(name, _)| *name == path)
        .map(|(_, text)| *text)
}

/// The names of the missions, or routines, in a folder of the demo.
pub fn names(within: &str) -> Vec<String> {
    let inside = |path: &'static str| {
        path.strip_prefix(within)?
            .strip_prefix('/')?
            .strip_suffix(".way")
    };
    FILES
        .iter()
        .filter_map(|(path, _)| inside(path))
        .map(str::to_owned)
        .collect()
}

/// The bytes of a file of the demo.
///
/// # Errors
/// When it has no such file.
pub fn bytes(path: &str) -> Result<Vec<u8>, OpenError> {
    let missing = || OpenError::Unreadable(path.into(), std::io::ErrorKind::NotFound.into());
    file(path)
        .map(|text| text.as_bytes().to_vec())
        .ok_or_else(missing)
}
