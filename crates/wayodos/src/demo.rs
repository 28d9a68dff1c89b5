//! The demo project, carried inside the binary: an installed `wayodos demo` needs no files.

/// The demo's files: path within the project folder, and contents.
pub const FILES: &[(&str, &str)] = &[
    ("wayodos.toml", include_str!("../../../examples/brinewick/wayodos.toml")),
    ("calibration.toml", include_str!("../../../examples/brinewick/calibration.toml")),
    ("fields/causeway.toml", include_str!("../../../examples/brinewick/fields/causeway.toml")),
    ("missions/morning-round.way", include_str!("../../../examples/brinewick/missions/morning-round.way")),
    ("missions/mind-the-rim.way", include_str!("../../../examples/brinewick/missions/mind-the-rim.way")),
    ("robots/curlew.toml", include_str!("../../../examples/brinewick/robots/curlew.toml")),
];

/// The folder that the demo is copied to when it is first saved.
pub const FOLDER: &str = "brinewick";

/// A file of the demo.
pub fn file(path: &str) -> Option<&'static str> {
    FILES.iter().find(|(name, _)| *name == path).map(|(_, text)| *text)
}
