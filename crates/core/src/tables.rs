//! Reads TOML tables through serde, one section at a time, so that every section gets its own
//! finding.
//!
//! A whole-file `from_str` would stop at the first mistake; here the file is parsed into spanned
//! values first and each section is then deserialised by itself.

use std::ops::Range;

use serde::de::DeserializeOwned;
use toml::Spanned;
use toml::de::{DeTable, DeValue, Error, ValueDeserializer};

use crate::finding::{Edit, Finding, Hint, Source, did_you_mean, nearest};
use crate::keys::{Described, Key, Section};
use crate::units::{Quantity, Unit};

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
    text: &'a str,
    root: DeTable<'a>,
    whole: Range<usize>,
    /// What was found wrong, in the order it was met.
    pub findings: Vec<Finding>,
}

impl<'a> Tables<'a> {
    /// Parses the text; keys at its top that no section of the file has are findings.
    pub fn new(source: Source, text: &'a str, file: &[Section]) -> Self {
        let known: Vec<&str> = file.iter().flat_map(Section::top_names).collect();
        let mut findings = Vec::new();
        let whole = 0..text.lines().next().map_or(0, str::len);
        if text.len() > LARGEST_FILE {
            let message = format!(
                "the file holds {} MB; the limit is {} MB",
                text.len() >> 20,
                LARGEST_FILE >> 20
            );
            findings.push(
                Finding::error("T001", source, whole.clone(), message)
                    .hint("is this the right file?"),
            );
            return Self {
                source,
                text,
                root: DeTable::new(),
                whole,
                findings,
            };
        }
        let (root, errors) = DeTable::parse_recoverable(text);
        for error in errors.into_iter().take(20) {
            let span = error.span().unwrap_or_else(|| whole.clone());
            findings.push(Finding::error(
                "T001",
                source,
                span,
                error.message().replace('\n', ", "),
            ));
        }
        let mut kept = DeTable::new();
        for (key, value) in root.into_inner() {
            let name: &str = key.get_ref();
            if known.contains(&name) {
                kept.insert(key, value);
                continue;
            }
            findings.push(unknown_key(source, name, key.span(), known.iter().copied()));
        }
        let root = kept;
        Self {
            source,
            text,
            root,
            whole,
            findings,
        }
    }

    /// Adds an error about a place in this file.
    pub fn error(
        &mut self,
        code: &'static str,
        span: Range<usize>,
        message: impl Into<String>,
    ) -> &mut Finding {
        self.findings
            .push(Finding::error(code, self.source, span, message));
        self.findings.last_mut().expect("just pushed")
    }

    /// The value of a key at the top of the file; its absence is a finding when it must be there.
    pub fn top<T: DeserializeOwned>(&mut self, key: &Key) -> Option<Item<T>> {
        if let Some(value) = self.root.remove(key.name) {
            self.in_range(key, &value);
            return self.read(value);
        }
        if key.default.is_none() {
            let edit = Edit::insert(0, format!("{}\n", key.line()));
            let hint = Hint::edit(format!("add `{}`: {}", key.line(), key.what), edit);
            let whole = self.whole.clone();
            self.error("T003", whole, format!("missing key `{}`", key.name))
                .help(hint);
        }
        None
    }

    /// A section that may be missing.
    pub fn section<T: Described>(&mut self, key: &str) -> Option<Item<T>> {
        let value = self.root.remove(key)?;
        self.described(value)
    }

    /// A section that must be there; its absence is a finding with what would be written.
    pub fn needed<T: Described>(&mut self, key: &str) -> Option<Item<T>> {
        if self.root.contains_key(key) {
            return self.section(key);
        }
        self.missing(key, T::SECTION.title, &T::SECTION);
        None
    }

    /// Whether there is a section of a name below a key, such as `[motor.left]`.
    pub fn has_named(&self, key: &str, name: &str) -> bool {
        let below = self.root.get(key).map(Spanned::get_ref);
        matches!(below, Some(DeValue::Table(table)) if table.contains_key(name))
    }

    /// A section for each of these names below a key, such as `[motor.left]`, in the order of the
    /// names; what is missing is a finding.
    pub fn needed_named<T: Described, const N: usize>(
        &mut self,
        key: &str,
        names: [&str; N],
    ) -> [Option<T>; N] {
        let before = self.root.get(key).map(Spanned::get_ref);
        let has = names
            .map(|name| matches!(before, Some(DeValue::Table(table)) if table.contains_key(name)));
        let broken = before.is_some_and(|value| !matches!(value, DeValue::Table(_)));
        let mut found = names.map(|_| None);
        for Named { name, value } in self.named_sections(key) {
            match names.iter().position(|known| *known == name.value) {
                Some(index) => found[index] = Some(value),
                None => {
                    let hint = did_you_mean(&name.span, &name.value, names);
                    self.error(
                        "T002",
                        name.span,
                        format!("unknown section `[{key}.{}]`", name.value),
                    )
                    .help(hint);
                }
            }
        }
        for (name, _) in names.iter().zip(has).filter(|(_, has)| !has && !broken) {
            self.missing(
                &format!("{key}.{name}"),
                &format!("[{key}.{name}]"),
                &T::SECTION,
            );
        }
        found
    }

    fn missing(&mut self, key: &str, header: &str, section: &Section) {
        let gap = if self.text.ends_with('\n') {
            "\n"
        } else {
            "\n\n"
        };
        let edit = Edit::insert(
            self.text.len(),
            format!("{gap}{}\n", section.template(header)),
        );
        let hint = Hint::edit(format!("add {header}: {}", section.about), edit);
        let whole = self.whole.clone();
        self.error("T003", whole, format!("missing section `{key}`"))
            .help(hint);
    }

    /// The entries of a list of described sections, such as `[[line]]`; broken ones are left out.
    pub fn sections<T: Described>(&mut self, key: &str) -> Vec<Item<T>> {
        let Some(value) = self.root.remove(key) else {
            return Vec::new();
        };
        let span = value.span();
        match value.into_inner() {
            DeValue::Array(entries) => entries
                .into_iter()
                .filter_map(|entry| self.described(entry))
                .collect(),
            _ => {
                self.error("T004", span, format!("`{key}` must be a list"))
                    .help(format!("write [[{key}]]"));
                Vec::new()
            }
        }
    }

    /// The named described sections below a key, such as `[surface.dark]`, in the order of the
    /// file.
    pub fn named_sections<T: Described>(&mut self, key: &str) -> Vec<Named<T>> {
        self.each_named(key, Self::described)
    }

    /// Reads a section by its description: all keys that are missing are reported at once, each
    /// with a typical value, and values out of their range.
    fn described<T: Described>(&mut self, value: Spanned<DeValue<'a>>) -> Option<Item<T>> {
        let section = T::SECTION;
        let span = value.span();
        let before = self.findings.len();
        if let DeValue::Table(table) = value.get_ref() {
            let names = || section.keys.iter().map(|key| key.name);
            // A key that is only written wrongly is not missing as well.
            let mut meant = Vec::new();
            for name in table
                .keys()
                .filter(|name| !names().any(|known| known == name.get_ref()))
            {
                meant.extend(nearest(name.get_ref(), names()));
                self.findings.push(unknown_key(
                    self.source,
                    name.get_ref(),
                    name.span(),
                    names(),
                ));
            }
            let needed = section.keys.iter().filter(|key| key.default.is_none());
            for key in
                needed.filter(|key| !table.contains_key(key.name) && !meant.contains(&key.name))
            {
                let edit = self
                    .below(&span)
                    .map(|at| Edit::insert(at, format!("\n{}", key.line())));
                let words = format!("add `{}`: {}", key.line(), key.what);
                let message = format!("missing key `{}` of {}", key.name, section.title);
                self.error("T003", span.clone(), message).help(Hint {
                    words,
                    edits: edit.into_iter().collect(),
                });
            }
            if self.findings.len() > before {
                return None;
            }
            for key in section.keys {
                if let Some(value) = table.get(key.name) {
                    self.in_range(key, value);
                }
            }
        }
        let before_all = self.findings.len();
        let read = self.read(value);
        if read.is_none() && before_all > before {
            // What is out of range may be refused by its type as well.
            self.findings.truncate(before_all);
        }
        read
    }

    /// Where a line below the header of a section would stand; none for a table that is written in
    /// braces.
    fn below(&self, section: &Range<usize>) -> Option<usize> {
        let rest = self.text.get(section.start..)?;
        let header = rest.split('\n').next()?;
        header
            .trim_start()
            .starts_with('[')
            .then_some(section.start + header.trim_end().len())
    }

    fn in_range(&mut self, key: &Key, value: &Spanned<DeValue<'a>>) {
        let plain = |number: f64| Quantity::from_si(number, Unit::None);
        let written = match value.get_ref() {
            DeValue::String(text) => Quantity::parse(text).ok(),
            DeValue::Integer(whole) => i64::from_str_radix(whole.as_str(), whole.radix())
                .ok()
                .map(|whole| plain(whole as f64)),
            DeValue::Float(number) => number.as_str().parse().ok().map(plain),
            _ => None,
        };
        let Some(written) = written.filter(|written| key.excludes(written)) else {
            return;
        };
        let range = key.range_words().unwrap_or_default();
        let hint = format!("it may be {range}: {}", key.what);
        self.error(
            "T006",
            value.span(),
            format!("`{}` cannot be {written}", key.name),
        )
        .help(hint);
    }

    /// The named sections below a key, such as `[sensor.floor-left]`, whose own keys are names,
    /// too.
    pub fn named<T: DeserializeOwned>(&mut self, key: &str) -> Vec<Named<T>> {
        self.each_named(key, Self::read)
    }

    fn each_named<T>(
        &mut self,
        key: &str,
        read: fn(&mut Self, Spanned<DeValue<'a>>) -> Option<Item<T>>,
    ) -> Vec<Named<T>> {
        let Some(value) = self.root.remove(key) else {
            return Vec::new();
        };
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
                let name = Item {
                    value: name.into_inner().into_owned(),
                    span,
                };
                read(self, value).map(|item| Named {
                    name,
                    value: item.value,
                })
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

    /// Turns a serde message into ours: serde knows which key is wrong, but not what was probably
    /// meant.
    fn explain(&self, error: &Error, section: Range<usize>) -> Finding {
        let span = error.span().unwrap_or(section);
        let message = error.message().replace('\n', ", ");
        let quoted: Vec<&str> = message.split('`').skip(1).step_by(2).collect();
        let listed = |names: &[&str]| {
            names
                .iter()
                .map(|name| format!("`{name}`"))
                .collect::<Vec<_>>()
                .join(", ")
        };
        match quoted.as_slice() {
            [name, known @ ..] if message.starts_with("unknown field") => {
                unknown_key(self.source, name, span, known.iter().copied())
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

fn unknown_key<'k>(
    source: Source,
    name: &str,
    span: Range<usize>,
    known: impl Iterator<Item = &'k str> + Clone,
) -> Finding {
    let all = known
        .clone()
        .map(|name| format!("`{name}`"))
        .collect::<Vec<_>>()
        .join(", ");
    let hint = match nearest(name, known.clone()) {
        Some(_) => did_you_mean(&span, name, known),
        None => format!("the keys here are {all}").into(),
    };
    Finding::error("T002", source, span, format!("unknown key `{name}`")).hint(hint)
}

/// Reports every name that stands twice; answers nothing, the first of each is kept by whoever
/// looks names up.
pub fn report_duplicates<'n>(
    tables: &mut Tables<'_>,
    what: &str,
    names: impl Iterator<Item = &'n Item<String>>,
) {
    let mut seen = std::collections::BTreeSet::new();
    for name in names {
        if !seen.insert(name.value.as_str()) {
            tables
                .error(
                    "T005",
                    name.span.clone(),
                    format!("there are two {what}s named `{}`", name.value),
                )
                .help("give one of them another name".to_owned());
        }
    }
}
