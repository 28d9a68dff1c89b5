//! The tables of the pages in docs/ are those of the code: `UPDATE_PAGES=1` writes them again.

use std::fs;
use std::path::Path;

use wayodos_core::field;
use wayodos_core::finding::{Edit, Finding, apply_all};
use wayodos_core::keys::{Key, Section};
use wayodos_core::mission::{BEHAVIOURS, CONDITIONS};
use wayodos_core::project::{Config, FILES, Setup, hands};
use wayodos_core::robot;
use wayodos_core::units::{Quantity, Unit};

/// Where a table begins in a page, and where it ends.
const BEGIN: &str = "<!-- written by the test `pages`: ";
const END: &str = "<!-- end -->";

/// A row of a table, with what would end a cell escaped.
fn row<const N: usize>(cells: [&str; N]) -> String {
    format!(
        "| {} |\n",
        cells.map(|cell| cell.replace('|', "\\|")).join(" | ")
    )
}

fn head<const N: usize>(cells: [&str; N]) -> String {
    format!("{}|{}\n", row(cells), "---|".repeat(N))
}

fn section(section: &Section) -> String {
    let header = if section.title.is_empty() {
        "At the top".to_owned()
    } else {
        format!("`{}`", section.title)
    };
    let mut text = format!("\n{header}: {}\n\n", section.about);
    text += &head(["key", "holds", "left out", "for example", "meaning"]);
    for key in section.keys {
        let holds = match key.range_words() {
            Some(range) => format!("{}, {range}", key.holds),
            None => key.holds.to_owned(),
        };
        let left_out = key.default.unwrap_or("must be there");
        text += &row([
            &format!("`{}`", key.name),
            &holds,
            left_out,
            &format!("`{}`", key.typical),
            key.what,
        ]);
    }
    text
}

fn behaviours() -> String {
    let mut text = head(["sentence", "what it does", "ends by itself as"]);
    for kind in BEHAVIOURS {
        let sentences: Vec<String> = kind
            .grammar
            .iter()
            .map(|sentence| format!("`{sentence}`"))
            .collect();
        let ends: Vec<String> = kind
            .ends
            .iter()
            .map(|ending| format!("`{}`", ending.words()))
            .collect();
        text += &row([&sentences.join("<br>"), kind.what, &ends.join(", ")]);
    }
    text
}

fn conditions() -> String {
    let mut text = head(["condition", "is true when", "for example"]);
    for kind in CONDITIONS {
        text += &row([
            &format!("`{}`", kind.grammar),
            kind.what,
            &format!("`{}`", kind.example),
        ]);
    }
    text
}

#[test]
fn the_tables_of_the_pages_are_those_of_the_code() {
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs");
    let mut tables = vec![
        ("language.md", "behaviours".to_owned(), behaviours()),
        ("language.md", "conditions".into(), conditions()),
    ];
    tables.extend(FILES.iter().map(|(title, sections)| {
        (
            "world.md",
            (*title).to_owned(),
            sections.iter().map(section).collect::<String>(),
        )
    }));
    // The page opens with a whole robot and a whole field, those that a new project begins with.
    for (name, text) in [
        (
            "a whole robot",
            include_str!("../../../examples/bare/robots/robot.toml"),
        ),
        (
            "a whole field",
            include_str!("../../../examples/bare/fields/table.toml"),
        ),
    ] {
        tables.push(("world.md", name.to_owned(), format!("```toml\n{text}```\n")));
    }
    for (page, name, table) in tables {
        let path = docs.join(page);
        let text = fs::read_to_string(&path).unwrap();
        let begin = format!("{BEGIN}{name} -->\n");
        let from = text
            .find(&begin)
            .unwrap_or_else(|| panic!("{page} has no `{begin}`"))
            + begin.len();
        let to = from
            + text[from..]
                .find(END)
                .unwrap_or_else(|| panic!("no end of `{name}` in {page}"));
        let expected = format!("\n{}\n", table.trim_start());
        if std::env::var_os("UPDATE_PAGES").is_some() {
            fs::write(&path, format!("{}{expected}{}", &text[..from], &text[to..])).unwrap();
        } else {
            assert_eq!(
                &text[from..to],
                expected,
                "`{name}` in docs/{page}: write it again with UPDATE_PAGES=1"
            );
        }
    }
}

#[test]
fn the_grammar_of_the_page_knows_every_word_of_behaviours_and_conditions() {
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/language.md");
    let page = fs::read_to_string(docs).unwrap();
    let grammar = page.split_once("## Grammar").unwrap().1;
    let sentences = BEHAVIOURS
        .iter()
        .flat_map(|kind| kind.grammar)
        .chain(CONDITIONS.iter().map(|kind| &kind.grammar));
    let mut missing = Vec::new();
    for sentence in sentences {
        let apart = |letter: char| !letter.is_alphabetic() && letter != '-';
        let words = sentence
            .split(apart)
            .filter(|word| word.chars().any(char::is_lowercase));
        missing.extend(words.filter(|word| !grammar.contains(&format!("\"{word}\""))));
    }
    assert_eq!(
        missing,
        [] as [&str; 0],
        "in the grammar at the end of docs/language.md"
    );
}

/// A file of these sections with those of their keys that are wanted, each with its typical value.
fn everything(sections: &[Section], wanted: fn(&&Key) -> bool) -> String {
    let mut text = String::new();
    for section in sections
        .iter()
        .filter(|section| section.title.is_empty() || section.title.starts_with('['))
    {
        for header in section.title.split(" and ") {
            text.push_str(header);
            text.push('\n');
            for key in section.keys.iter().filter(wanted) {
                text.push_str(&key.line());
                text.push('\n');
            }
        }
    }
    text
}

#[test]
fn typical_values_are_of_the_right_kind_and_within_range() {
    let demo = |path: &str| {
        fs::read_to_string(
            Path::new(env!("CARGO_MANIFEST_DIR"))
                .join("../../examples/brinewick")
                .join(path),
        )
        .unwrap()
    };
    let setup = Setup::load(
        &demo("robots/curlew.toml"),
        &demo("fields/causeway.toml"),
        None,
    )
    .0
    .unwrap();
    let [(_, project), (_, robots), (_, fields), (_, hands)] = FILES else {
        panic!("another file has come")
    };
    let findings = [
        Config::load(&everything(project, |_| true)).1,
        robot::load(&everything(robots, |_| true)).1,
        field::load(&everything(fields, |_| true)).1,
        hands::load(&everything(hands, |_| true), &setup).1,
    ];
    for finding in findings.iter().flatten() {
        assert!(
            !matches!(finding.code, "T001" | "T002" | "T003" | "T004" | "T006"),
            "{finding:#?}"
        );
    }
}

#[test]
fn all_missing_keys_are_reported_at_once_and_their_edits_mend_the_file() {
    let bare = everything(robot::FILE, |key| key.default.is_some());
    let lines = |text: &str| text.lines().count();
    let taken_out = lines(&everything(robot::FILE, |_| true)) - lines(&bare);
    let missing = |text: &str| {
        robot::load(text)
            .1
            .into_iter()
            .filter(|finding| finding.code == "T003")
            .collect::<Vec<_>>()
    };
    let findings = missing(&bare);
    assert_eq!(findings.len(), taken_out);
    let edits: Vec<Edit> = findings
        .iter()
        .flat_map(|finding| &finding.hints)
        .flat_map(|hint| hint.edits.clone())
        .collect();
    let fixed = apply_all(&bare, edits);
    assert_eq!(missing(&fixed), [], "{fixed}");
}

/// A number just outside a bound, written in the unit of the key's typical value.
fn written(key: &Key, si: f64) -> String {
    let typical = key.typical.trim_matches('"');
    let unit = Quantity::parse(typical)
        .expect("a typical value is a quantity")
        .unit;
    let quantity = Quantity::from_si(si, unit);
    match unit {
        Unit::None => quantity.to_string(),
        _ => format!("\"{quantity}\""),
    }
}

#[test]
fn what_is_out_of_range_is_reported_for_every_key_that_has_one() {
    let mut tried = 0;
    for (file, load) in [
        (
            robot::FILE,
            (|text| robot::load(text).1) as fn(&str) -> Vec<Finding>,
        ),
        (field::FILE, |text| field::load(text).1),
    ] {
        let whole = everything(file, |_| true);
        for section in file
            .iter()
            .filter(|section| section.title.is_empty() || section.title.starts_with('['))
        {
            for key in section.keys {
                let Some((least, greatest)) = key.range else {
                    continue;
                };
                let span = greatest - least;
                let count = |value: f64| {
                    let header = section.title.split(" and ").next().unwrap();
                    let at = whole.find(header).unwrap();
                    let (before, after) = whole.split_at(at);
                    let text = format!(
                        "{before}{}",
                        after.replacen(
                            &key.line(),
                            &format!("{} = {}", key.name, written(key, value)),
                            1
                        )
                    );
                    assert_ne!(text, whole, "{} of {}", key.name, section.title);
                    load(&text)
                        .iter()
                        .filter(|finding| finding.code == "T006")
                        .count()
                };
                assert_eq!(
                    count(least - 0.1 * span),
                    1,
                    "too little: {} of {}",
                    key.name,
                    section.title
                );
                assert_eq!(
                    count(greatest + 0.1 * span),
                    1,
                    "too much: {} of {}",
                    key.name,
                    section.title
                );
                assert_eq!(
                    count(least + 0.4 * span),
                    0,
                    "{} of {}",
                    key.name,
                    section.title
                );
                tried += 1;
            }
        }
    }
    assert!(tried >= 15, "only {tried} keys have a range");
}

#[test]
fn a_range_is_written_as_people_write_it() {
    let key = |name: &str| {
        let all = robot::FILE
            .iter()
            .chain(field::FILE)
            .flat_map(|section| section.keys);
        all.filter(|key| key.range.is_some())
            .find(|key| key.name == name)
            .unwrap()
            .range_words()
            .unwrap()
    };
    assert_eq!(key("wheel_diameter"), "5 mm to 500 mm");
    assert_eq!(key("grip"), "0 to 3");
    assert_eq!(key("encoder_ticks"), "1 to 100000");
    assert_eq!(key("limit"), "0 deg to 68 deg");
    assert_eq!(key("clock"), "0 s to 60 min");
    assert_eq!(key("duty"), "-100 % to 100 %");
}
