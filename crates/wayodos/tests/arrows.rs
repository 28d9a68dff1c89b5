//! The files of this crate use each other in one direction only: no circle, and what must not know
//! each other does not.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

/// What must not be used from where: folder or file on the left, on the right what it may not name.
const APART: [(&str, &str); 7] = [
    ("tui", "cli"),
    ("cli", "tui"),
    ("tui::update", "tui::view"),
    ("tui::view", "tui::update"),
    ("tui::sight", "tui::view"),
    ("tui::sight", "tui::update"),
    ("tui::model", "tui::sight"),
];

fn files(folder: &Path, into: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap().flatten() {
        let path = entry.path();
        if path.is_dir() && path.file_name().is_some_and(|name| name != "tests") {
            files(&path, into);
        } else if path.extension().is_some_and(|ending| ending == "rs")
            && !path.ends_with("tests.rs")
        {
            into.push(path);
        }
    }
}

/// Every file as a module, `tui::view::side`, with its code without tests and comments.
fn modules() -> BTreeMap<String, String> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut all = Vec::new();
    files(&root, &mut all);
    let one = |path: PathBuf| {
        let name = path
            .strip_prefix(&root)
            .unwrap()
            .with_extension("")
            .to_str()
            .unwrap()
            .replace('/', "::");
        let name = name.strip_suffix("::mod").unwrap_or(&name).to_owned();
        let text = fs::read_to_string(path).unwrap();
        let code = &text[..text.find("#[cfg(test)]").unwrap_or(text.len())];
        let lines = code
            .lines()
            .filter(|line| !line.trim_start().starts_with("//"));
        // Who may use a name is no use of it.
        (
            name,
            lines
                .collect::<Vec<_>>()
                .join("\n")
                .replace("pub(in crate::", ""),
        )
    };
    all.into_iter()
        .map(one)
        .filter(|(name, _)| name != "lib" && name != "main")
        .collect()
}

/// The paths that begin at a place of the code: `a::{b, c::d}` is `a::b` and `a::c::d`.
fn paths(code: &str) -> Vec<String> {
    let word = |letter: char| letter.is_alphanumeric() || letter == '_';
    let end = code
        .find(|letter: char| !word(letter) && letter != ':')
        .unwrap_or(code.len());
    let (head, rest) = (code[..end].trim_end_matches(':'), &code[end..]);
    if !rest.starts_with('{') || !(head.is_empty() || code[..end].ends_with("::")) {
        return vec![head.to_owned()];
    }
    let (mut depth, mut start, mut found) = (0, 1, Vec::new());
    for (at, letter) in rest.char_indices() {
        match letter {
            '{' => depth += 1,
            '}' | ',' if depth == 1 => {
                let inner = rest[start..at].trim_start();
                let under = |inner| {
                    if head.is_empty() {
                        inner
                    } else {
                        format!("{head}::{inner}")
                    }
                };
                found.extend(paths(inner).into_iter().map(under));
                start = at + 1;
                if letter == '}' {
                    return found;
                }
            }
            '}' => depth -= 1,
            _ => {}
        }
    }
    found
}

/// Who uses whom.
fn arrows(modules: &BTreeMap<String, String>) -> BTreeMap<&str, BTreeSet<&str>> {
    let known = |path: &str| {
        let parts: Vec<&str> = path.split("::").collect();
        (1..=parts.len())
            .rev()
            .find_map(|count| modules.get_key_value(&parts[..count].join("::")))
    };
    let mut arrows = BTreeMap::new();
    for (name, code) in modules {
        let mut used = BTreeSet::new();
        let parents: Vec<&str> = name.split("::").collect();
        for (at, _) in code.match_indices("crate::") {
            used.extend(paths(&code[at + "crate::".len()..]));
        }
        for (at, _) in code
            .match_indices("super::")
            .filter(|(at, _)| !code[..*at].ends_with("super::"))
        {
            let ups = code[at..]
                .split("super::")
                .take_while(|between| between.is_empty())
                .count();
            let base = parents[..parents.len().saturating_sub(ups)].join("::");
            let rest = paths(&code[at + ups * "super::".len()..]);
            used.extend(rest.into_iter().map(|rest| {
                if base.is_empty() {
                    rest
                } else {
                    format!("{base}::{rest}")
                }
            }));
        }
        // What a file has declared below itself, it uses by its short name.
        for own in modules.keys().filter(|other| {
            other
                .strip_prefix(&format!("{name}::"))
                .is_some_and(|rest| !rest.contains("::"))
        }) {
            let short = own.rsplit("::").next().unwrap();
            if code.match_indices(&format!("{short}::")).any(|(at, _)| {
                !code[..at].ends_with(|before: char| {
                    before.is_alphanumeric() || before == '_' || before == ':'
                })
            }) {
                used.insert(own.clone());
            }
        }
        let used: BTreeSet<&str> = used
            .iter()
            .filter_map(|path| known(path))
            .map(|(module, _)| module.as_str())
            .filter(|module| module != name)
            .collect();
        arrows.insert(name.as_str(), used);
    }
    arrows
}

#[test]
fn what_must_not_know_each_other_does_not() {
    let modules = modules();
    let arrows = arrows(&modules);
    let within =
        |module: &str, room: &str| module == room || module.starts_with(&format!("{room}::"));
    for (from, to) in APART {
        let users = arrows.iter().filter(|(module, _)| within(module, from));
        for (module, used) in users {
            let wrong: Vec<_> = used.iter().filter(|used| within(used, to)).collect();
            assert!(wrong.is_empty(), "{module} uses {wrong:?}");
        }
        assert!(
            arrows.keys().any(|module| within(module, from)),
            "{from} is no module any more"
        );
    }
    // Files and runs know no screen and no command line.
    for (module, used) in arrows
        .iter()
        .filter(|(module, _)| !within(module, "tui") && !within(module, "cli"))
    {
        let wrong: Vec<_> = used
            .iter()
            .filter(|used| within(used, "tui") || within(used, "cli"))
            .collect();
        assert!(wrong.is_empty(), "{module} uses {wrong:?}");
    }
}

#[test]
fn there_is_no_circle() {
    let modules = modules();
    let mut arrows = arrows(&modules);
    let count: usize = arrows.values().map(BTreeSet::len).sum();
    assert!(count > 150, "this test sees the arrows: {count}");
    // Whoever uses nobody that is left is done with; what stays is a circle, or leads into one.
    loop {
        let done: BTreeSet<&str> = arrows
            .iter()
            .filter(|(_, used)| used.is_empty())
            .map(|(module, _)| *module)
            .collect();
        if done.is_empty() {
            break;
        }
        arrows.retain(|module, _| !done.contains(module));
        for used in arrows.values_mut() {
            used.retain(|module| !done.contains(module));
        }
    }
    // And what nobody uses only leads into one.
    loop {
        let used: BTreeSet<&str> = arrows.values().flatten().copied().collect();
        let before = arrows.len();
        arrows.retain(|module, _| used.contains(module));
        if arrows.len() == before {
            break;
        }
    }
    assert!(
        arrows.is_empty(),
        "files that use each other in a circle: {arrows:?}"
    );
}
