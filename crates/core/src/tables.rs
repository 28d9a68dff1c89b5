//! Reads TOML tables through serde, one section at a time, so that every section gets its own finding.
//!
//! A whole-file `from_str` would stop at the first mistake; here the file is parsed into spanned
//! values first and each section is then deserialised by itself.

use std::ops::Range;

use serde::de::DeserializeOwned;
use toml::Spanned;
use toml::de::{DeTable, DeValue, Error, ValueDeserializer};

use crate::finding::{Edit, Finding, Hint, Source, did_you_mean, nearest};

/// Files beyond this are refused unread: no hand-written project file comes near it.
pub const LARGEST_FILE: usize = 4 << 20;

/// A value with the bytes it was read from.
#[derive(Clone, Debug)]
pub struct Item<T> {
    /// What was read.
    pub value: T,
    /// Where it stands.
    pub span: Range<usize>,
}

/// A named section, such as `[motor.left]`.
#[derive(Clone, Debug)]
pub struct Named<T> {
    /// The section's own name and where it stands.
    pub name: Item<String>,
    /// The section.
    pub value: T,
}

/// One TOML file being read, and what was found wrong with it so far.
pub struct Tables<'a> {
    source: Source,
    root: DeTable<'a>,
    whole: Range<usize>,
    /// What was found wrong, in the order it was met.
    pub findings: Vec<Finding>,
}

impl<'a> Tables<'a> {
    /// Parses the text; top-level keys other than `known` are findings.
    pub fn new(source: Source, text: &'a str, known: &[&str]) -> Self {
        let mut findings = Vec::new();
        let whole = 0..text.lines().next().map_or(0, str::len);
        if text.len() > LARGEST_FILE {
            let message = format!("the file holds {} MB; the limit is {} MB", text.len() >> 20, LARGEST_FILE >> 20);
            findings.push(Finding::error("T001", source, whole.clone(), message).hint("is this the right file?"));
            return Self { source, root: DeTable::new(), whole, findings };
        }
        let (root, errors) = DeTable::parse_recoverable(text);
        for error in errors.into_iter().take(20) {
            let span = error.span().unwrap_or_else(|| whole.clone());
            findings.push(Finding::error("T001", source, span, error.message().replace('\n', ", ")));
        }
        let mut kept = DeTable::new();
        for (key, value) in root.into_inner() {
            let name: &str = key.get_ref();
            if known.contains(&name) {
                kept.insert(key, value);
                continue;
            }
            findings.push(
                Finding::error("T002", source, key.span(), format!("unknown key `{name}`")).hint(did_you_mean(
                    &key.span(),
                    name,
                    known.iter().copied(),
                )),
            );
        }
        let root = kept;
        Self { source, root, whole, findings }
    }

    /// Adds an error about a place in this file.
    pub fn error(&mut self, code: &'static str, span: Range<usize>, message: impl Into<String>) -> &mut Finding {
        self.findings.push(Finding::error(code, self.source, span, message));
        self.findings.last_mut().expect("just pushed")
    }

    /// The value of a key that may be missing.
    pub fn optional<T: DeserializeOwned>(&mut self, key: &str) -> Option<Item<T>> {
        let value = self.root.remove(key)?;
        self.read(value)
    }

    /// The value of a key that must be there; its absence is a finding.
    pub fn required<T: DeserializeOwned>(&mut self, key: &str, example: &str) -> Option<Item<T>> {
        if self.root.contains_key(key) {
            return self.optional(key);
        }
        let whole = self.whole.clone();
        self.error("T003", whole, format!("missing key `{key}`")).help(format!("add {example}"));
        None
    }

    /// The entries of a list of sections, such as `[[line]]`; broken ones are left out.
    pub fn list<T: DeserializeOwned>(&mut self, key: &str) -> Vec<Item<T>> {
        let Some(value) = self.root.remove(key) else { return Vec::new() };
        let span = value.span();
        match value.into_inner() {
            DeValue::Array(entries) => entries.into_iter().filter_map(|entry| self.read(entry)).collect(),
            _ => {
                self.error("T004", span, format!("`{key}` must be a list")).help(format!("write [[{key}]]"));
                Vec::new()
            }
        }
    }

    /// The named sections below a key, such as `[surface.dark]`, in the order of the file.
    pub fn named<T: DeserializeOwned>(&mut self, key: &str) -> Vec<Named<T>> {
        let Some(value) = self.root.remove(key) else { return Vec::new() };
        let span = value.span();
        let DeValue::Table(table) = value.into_inner() else {
            self.error("T004", span, format!("`{key}` must hold named sections"))
                .help(format!("write [{key}.some-name]"));
            return Vec::new();
        };
        let mut entries: Vec<_> = table.into_iter().collect();
        entries.sort_by_key(|(name, _)| name.span().start);
        entries
            .into_iter()
            .filter_map(|(name, value)| {
                let span = name.span();
                let name = Item { value: name.into_inner().into_owned(), span };
                self.read(value).map(|item| Named { name, value: item.value })
            })
            .collect()
    }

    fn read<T: DeserializeOwned>(&mut self, value: Spanned<DeValue<'a>>) -> Option<Item<T>> {
        let span = value.span();
        match T::deserialize(ValueDeserializer::from(value)) {
            Ok(value) => Some(Item { value, span }),
            Err(error) => {
                let finding = self.explain(&error, span);
                self.findings.push(finding);
                None
            }
        }
    }

    /// Turns a serde message into ours: serde knows which key is wrong, but not what was probably meant.
    fn explain(&self, error: &Error, section: Range<usize>) -> Finding {
        let span = error.span().unwrap_or(section);
        let message = error.message().replace('\n', ", ");
        let quoted: Vec<&str> = message.split('`').skip(1).step_by(2).collect();
        let listed = |names: &[&str]| names.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", ");
        match quoted.as_slice() {
            [name, known @ ..] if message.starts_with("unknown field") => {
                let hint = match nearest(name, known.iter().copied()) {
                    Some(near) => Hint::edit(
                        format!("did you mean `{near}`?"),
                        Edit { span: span.clone(), text: near.to_owned() },
                    ),
                    None => format!("the keys here are {}", listed(known)).into(),
                };
                Finding::error("T002", self.source, span, format!("unknown key `{name}`")).hint(hint)
            }
            [name, ..] if message.starts_with("missing field") => {
                Finding::error("T003", self.source, span, format!("missing key `{name}`"))
                    .hint(format!("add a line `{name} = ...` to this section"))
            }
            [name, known @ ..] if message.starts_with("unknown variant") => {
                Finding::error("T004", self.source, span, format!("unknown value `{name}`"))
                    .hint(format!("possible are {}", listed(known)))
            }
            _ => Finding::error("T004", self.source, span, message),
        }
    }
}

/// Reports every name that stands twice; answers nothing, the first of each is kept by whoever looks names up.
pub fn report_duplicates<'n>(tables: &mut Tables<'_>, what: &str, names: impl Iterator<Item = &'n Item<String>>) {
    let mut seen: Vec<&str> = Vec::new();
    for name in names {
        if seen.contains(&name.value.as_str()) {
            tables
                .error("T005", name.span.clone(), format!("there are two {what}s named `{}`", name.value))
                .help("give one of them another name".to_owned());
        }
        seen.push(&name.value);
    }
}
