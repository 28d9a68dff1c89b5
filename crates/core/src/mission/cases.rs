//! The cases of a mission: where each row of a `choose` leads, as if it were the one that is true.

use super::ast::{Answer, Behaviour};
use super::edit::Edit;
use super::parser::Parsed;

/// One row of a `choose`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Case {
    /// The step that decides.
    pub step: String,
    /// The row as it is written: `when left is further -> "To the left"`.
    pub row: String,
    /// The mission as if that row were true: it has no other.
    pub text: String,
}

/// All cases, in the order of the text. A `choose` with a single row has none.
pub fn cases(parsed: &Parsed, text: &str) -> Vec<Case> {
    let mut cases = Vec::new();
    for step in &parsed.mission.steps {
        let chooses = step
            .behaviour
            .as_ref()
            .is_some_and(|(behaviour, _)| matches!(behaviour.node, Behaviour::Choose(_)));
        if !chooses || step.rows.len() < 2 {
            continue;
        }
        for row in &step.rows {
            let Answer::Go(target) = &row.answer else {
                continue;
            };
            let span = |line: usize| parsed.lines[line].span.clone();
            // From the end on, so that what is still to be changed keeps its place.
            let changed = step.rows.iter().rev().fold(text.to_owned(), |text, other| {
                let line = span(other.line);
                if other.line == row.line {
                    let whole = &text[line.clone()];
                    let indent = &whole[..whole.len() - whole.trim_start().len()];
                    let aim = &text[target.span.clone()];
                    let new = format!("{indent}otherwise -> {aim}");
                    return Edit {
                        span: line,
                        text: new,
                    }
                    .apply(&text);
                }
                let end = (line.end + 1).min(text.len());
                Edit {
                    span: line.start..end,
                    text: String::new(),
                }
                .apply(&text)
            });
            let words: Vec<&str> = text[span(row.line)].split_whitespace().collect();
            cases.push(Case {
                step: step.name.node.clone(),
                row: words.join(" "),
                text: changed,
            });
        }
    }
    cases
}

#[cfg(test)]
mod tests {
    use super::super::parse;
    use super::*;

    const TEXT: &str = "limit 20 s\n\nstep \"What now\"\n  choose\n    when ahead < 200 mm  -> \"Near\"\n    when ahead > 900 mm  -> \"Far\"  # a remark\n    otherwise            -> fail \"neither\"\n\nstep \"Near\"\n  hold, brake\n  until 1 s pass  -> done\n\nstep \"Far\"\n  hold, brake\n  until 2 s pass  -> done\n";

    #[test]
    fn each_row_is_a_case_in_which_it_is_the_only_one() {
        let parsed = parse(TEXT);
        assert!(parsed.findings.is_empty(), "{:?}", parsed.findings);
        let all = cases(&parsed, TEXT);
        let rows: Vec<&str> = all.iter().map(|case| case.row.as_str()).collect();
        assert_eq!(
            rows,
            [
                "when ahead < 200 mm -> \"Near\"",
                "when ahead > 900 mm -> \"Far\" # a remark",
                "otherwise -> fail \"neither\""
            ]
        );
        for (case, wanted) in all.iter().zip(["\"Near\"", "\"Far\"", "fail \"neither\""]) {
            let head = "limit 20 s\n\nstep \"What now\"\n  choose\n    otherwise -> ";
            assert!(
                case.text.starts_with(&format!("{head}{wanted}\n\nstep")),
                "{}",
                case.text
            );
            let read = parse(&case.text);
            assert!(read.findings.is_empty(), "{:?}", read.findings);
            assert_eq!(read.mission.steps[0].rows.len(), 1);
            assert_eq!(cases(&read, &case.text), []);
        }
    }
}
