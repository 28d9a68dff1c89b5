//! How a line that is being typed may go on: whole sentences first, then names.

use std::collections::BTreeSet;
use std::ops::Range;

use super::ast::Block;
use super::check::{Names, SOURCES};
use super::offer::{behaviours, conditions};
use super::parser::Parsed;

/// One way to go on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Completion {
    /// What of the text it takes the place of.
    pub span: Range<usize>,
    /// What stands there then.
    pub text: String,
    /// What it is, in a few words.
    pub what: String,
}

/// At most this many are worth a look.
const MOST: usize = 8;

/// How the line that holds byte `at` may go on from there. The likeliest first; nothing within a
/// comment.
pub fn completions(parsed: &Parsed, text: &str, names: &Names, at: usize) -> Vec<Completion> {
    let line = parsed
        .lines
        .partition_point(|line| line.span.start <= at)
        .saturating_sub(1);
    let start = parsed.lines.get(line).map_or(0, |line| line.span.start);
    let Some(head) = text.get(start..at) else {
        return Vec::new();
    };
    if head.contains('#') || head.trim().is_empty() {
        return Vec::new();
    }
    let step = parsed
        .mission
        .steps
        .iter()
        .rposition(|step| step.line <= line);
    let about = step.map(|step| &parsed.mission.steps[step]);
    let mut found = Found {
        at,
        all: Vec::new(),
        seen: BTreeSet::new(),
    };
    let sentence = head.trim_start();
    if let Some(arrow) = sentence.rfind("->") {
        let typed = sentence[arrow + 2..].trim_start();
        let mut targets = vec!["next".to_owned(), "done".to_owned(), "fail \"\"".to_owned()];
        if about.is_some_and(|about| about.inside.is_some()) {
            targets.push("again".to_owned());
        }
        if about
            .is_some_and(|about| about.inside.is_some() || matches!(about.block, Block::Routine(_)))
        {
            targets.push("out".to_owned());
        }
        let reach =
            |name: &&String| about.is_none_or(|about| parsed.mission.find(name, about).is_some());
        let steps = parsed
            .mission
            .steps
            .iter()
            .map(|step| &step.name.node)
            .filter(reach);
        targets.extend(steps.map(|name| format!("\"{name}\"")));
        for target in targets {
            found.add(typed, target, "where to go next");
        }
        return found.all;
    }
    let condition = ["until ", "or ", "when ", "while "]
        .iter()
        .find_map(|word| sentence.strip_prefix(word));
    if let Some(typed) = condition {
        for offer in conditions(about, names) {
            found.add(typed.trim_start(), offer.text, &offer.what);
        }
    } else {
        let has = about.is_some_and(|about| {
            about
                .behaviour
                .as_ref()
                .is_some_and(|(_, own)| *own != line)
        });
        if !has || about.is_none() {
            for offer in behaviours(parsed, names) {
                found.add(sentence, offer.text, &offer.what);
            }
        }
        for (word, what) in [
            ("until ", "the first exit: what ends the step"),
            ("or ", "another exit"),
            ("step \"\"", "a new step"),
            ("let ", "a named amount"),
            ("reflex \"\"", "something watched all the time"),
            ("routine ", "steps to be done from several places"),
            ("limit 60 s", "when the run is ended"),
        ] {
            found.add(sentence, word.to_owned(), what);
        }
    }
    // The word under the cursor.
    let word = head
        .rfind(|c: char| !(c.is_alphanumeric() || c == '-'))
        .map_or(head, |last| {
            let after = last + head[last..].chars().next().map_or(1, char::len_utf8);
            &head[after..]
        });
    if word.is_empty() {
        return found.all;
    }
    for device in &names.devices {
        found.add(word, device.name.clone(), device.kind.one());
        for tone in &device.tones {
            found.add(word, tone.clone(), "a tone");
        }
    }
    for start in &names.starts {
        found.add(word, start.clone(), "a start");
    }
    for entry in &parsed.mission.lets {
        let worth = parsed
            .mission
            .shown(&entry.name.node)
            .map_or_else(String::new, |worth| worth.to_string());
        found.add(word, entry.name.node.clone(), &worth);
    }
    for routine in &parsed.mission.routines {
        found.add(word, routine.name.node.clone(), "a routine");
    }
    for (source, _) in SOURCES {
        found.add(word, (*source).to_owned(), "known to the robot");
    }
    found.all
}

struct Found {
    at: usize,
    all: Vec<Completion>,
    seen: BTreeSet<String>,
}

impl Found {
    fn add(&mut self, typed: &str, text: String, what: &str) {
        let begins = text.len() > typed.len()
            && text
                .get(..typed.len())
                .is_some_and(|begin| begin.eq_ignore_ascii_case(typed));
        if begins && self.all.len() < MOST && self.seen.insert(text.clone()) {
            let span = self.at - typed.len()..self.at;
            self.all.push(Completion {
                span,
                text,
                what: what.to_owned(),
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::parser::parse;
    use super::super::tests::changes::names;
    use super::*;

    /// The texts offered where the bar stands, each in place.
    fn offered(text: &str) -> Vec<String> {
        let at = text.find('|').expect("a bar");
        let text = text.replacen('|', "", 1);
        let all = completions(&parse(&text), &text, &names(), at);
        all.into_iter()
            .map(|one| {
                let line = text[..one.span.start].rfind('\n').map_or(0, |end| end + 1);
                format!("{}{}", &text[line..one.span.start], one.text)
            })
            .collect()
    }

    #[test]
    fn sentences_come_before_names_and_nothing_comes_in_a_comment() {
        assert_eq!(
            offered("step \"a\"\n  dri|")[0],
            "  drive ahead at 30 % holding the heading"
        );
        assert_eq!(offered("step \"a\"\n  hold\n  un|"), ["  until "]);
        assert_eq!(
            offered("step \"a\"\n  hold\n  until floor-r|")[0],
            "  until floor-right sees dark"
        );
        assert!(
            offered("step \"a\"\n  hold\n  until floor-left sees d|")
                .contains(&"  until floor-left sees dark".into())
        );
        assert_eq!(offered("step \"a\"\n  hold # dri|"), [""; 0]);
        assert_eq!(offered("|"), [""; 0]);
    }

    #[test]
    fn targets_are_those_within_reach() {
        let text = "step \"Out\"\n  repeat 2 times\n    step \"In\"\n      hold\n      until 1 s passes -> |\n  end\nstep \"Off\"\n  hold\n  until 1 s passes";
        let all = offered(&text.replace("-> |", "-> a|"));
        assert_eq!(all, ["      until 1 s passes -> again"]);
        assert!(
            offered(&text.replace("-> |", "-> \"|"))
                .iter()
                .any(|one| one.ends_with("\"In\""))
        );
        assert!(
            !offered(&text.replace("-> |", "-> \"x|"))
                .iter()
                .any(|one| one.contains("Off"))
        );
    }

    #[test]
    fn amounts_that_have_names_are_offered_by_them() {
        let text = "let cruise = 30 %\nstep \"a\"\n  drive ahead at cr|";
        assert_eq!(offered(text), ["  drive ahead at cruise"]);
    }
}
