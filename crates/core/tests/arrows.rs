//! The modules of the core depend on each other in one direction only; and none of them knows files
//! or clocks.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use std::fs;
use std::path::{Path, PathBuf};

/// From the ground up: a module may use itself and those on a lower row.
const ROWS: [&[&str]; 10] = [
    &["units", "ids", "finding"],
    &["keys"],
    &["tables"],
    &["scatter"],
    &["field", "robot", "mission"],
    &["controller"],
    &["record"],
    &["sim"],
    &["lab"],
    &["project"],
];

fn files(folder: &Path, into: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap().flatten() {
        let path = entry.path();
        if path.is_dir() {
            files(&path, into);
        } else if path.extension().is_some_and(|ending| ending == "rs") {
            into.push(path);
        }
    }
}

/// Every source file of the core with its module and its text; tests within it are cut off.
fn sources() -> Vec<(String, String, String)> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut all = Vec::new();
    files(&root, &mut all);
    let one = |path: PathBuf| {
        let name = path
            .strip_prefix(&root)
            .unwrap()
            .to_str()
            .unwrap()
            .to_owned();
        let module = name.split(['/', '.']).next().unwrap().to_owned();
        let text = fs::read_to_string(path).unwrap();
        let code = text[..text.find("#[cfg(test)]").unwrap_or(text.len())].to_owned();
        (name, module, code)
    };
    all.into_iter()
        .map(one)
        .filter(|(name, module, _)| module != "lib" && !name.ends_with("tests.rs"))
        .collect()
}

fn row(module: &str) -> usize {
    ROWS.iter()
        .position(|row| row.contains(&module))
        .unwrap_or_else(|| panic!("`{module}` has no row in this test"))
}

#[test]
fn no_arrow_points_back() {
    let mut arrows = 0;
    for (name, module, code) in sources() {
        for used in code.lines().flat_map(|line| line.split("crate::").skip(1)) {
            let used = used
                .split(|letter: char| !letter.is_alphanumeric() && letter != '_')
                .next()
                .unwrap();
            if used.is_empty() || used == module {
                continue;
            }
            arrows += 1;
            assert!(row(used) < row(&module), "{name} uses crate::{used}");
        }
    }
    assert!(arrows > 40, "this test sees the arrows: {arrows}");
}

#[test]
fn nothing_in_the_core_reads_files_clocks_or_the_environment() {
    for (name, _, code) in sources() {
        for forbidden in [
            "std::fs",
            "std::env",
            "std::time",
            "std::process",
            "std::net",
            "println!",
            "HashMap",
            "HashSet",
        ] {
            assert!(!code.contains(forbidden), "{name} uses {forbidden}");
        }
    }
}

/// The error of each `Result<..., ERROR>` that a text names.
fn errors_of(code: &str) -> Vec<&str> {
    let of = |at: usize| {
        let (mut depth, mut comma) = (0usize, None);
        for (index, letter) in code[at..].char_indices() {
            match letter {
                '<' | '(' | '[' => depth += 1,
                '>' if code[..at + index].ends_with('-') => {}
                '>' | ')' | ']' if depth == 1 => {
                    return comma.map(|comma| code[comma..at + index].trim());
                }
                '>' | ')' | ']' => depth -= 1,
                ',' if depth == 1 => comma = Some(at + index + 1),
                _ => {}
            }
        }
        None
    };
    code.match_indices("Result<")
        .filter_map(|(at, word)| of(at + word.len() - 1))
        .collect()
}

#[test]
fn what_goes_wrong_is_an_enum_with_data_and_no_sentence() {
    assert_eq!(
        errors_of("fn a() -> Result<Vec<u8>, String> { b::<Result<(), (usize, Bad)>>() }"),
        ["String", "(usize, Bad)"]
    );
    let mut seen = 0;
    for (name, _, code) in sources() {
        for error in errors_of(&code) {
            seen += 1;
            assert!(
                !error.contains("String") && !error.contains("str"),
                "{name}: an error that is {error}"
            );
        }
    }
    assert!(seen > 40, "this test sees the results: {seen}");
}
