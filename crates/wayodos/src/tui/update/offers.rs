//! What lists offer: steps, exits, remedies, missions, hands, commands.

use std::sync::Arc;
use wayodos_core::ids::{StepId, TextStep};

use wayodos_core::field::Start;
use wayodos_core::finding::Source;
use wayodos_core::lab::remedy::{self, Case, Remedy};
use wayodos_core::mission::LineKind;
use wayodos_core::mission::cases::{self, cases};
use wayodos_core::mission::edit::Edit;
use wayodos_core::mission::exits::{add_exit as with_exit, exit_at};
use wayodos_core::mission::offer::{
    behaviours, conditions, insert_offer, insert_offer_above, insert_reflex, reflexes,
};
use wayodos_core::mission::span::with_start;
use wayodos_core::project::Setup;

use super::super::finder::{Finder, Item, Pick};
use super::super::model::{Cursor, Model};
use super::super::sight::side::{WhyRow, all_findings, why_rows};
use super::super::theme::Role;
use super::super::{called, keymap};
use super::change::is_laid_out;
use super::effect::Effect;
use super::lists::show;
use super::{proof, texts, time};
use crate::work::RunReport;

/// What a new step may do.
pub(super) fn add_step(model: &mut Model, above: bool) {
    let Some(setup) = model.setup.clone() else {
        return;
    };
    let parsed = &model.doc.prepared.parsed;
    let below = model.doc.written_step(model.doc.cursor.line);
    let items: Vec<Item> = behaviours(parsed, &setup.names)
        .into_iter()
        .map(|offer| {
            let edit = match below.filter(|_| above) {
                Some(step) => insert_offer_above(parsed, &model.doc.text, step, &offer),
                None => insert_offer(parsed, &model.doc.text, below, &offer),
            };
            let pick = Pick::Edit(edit);
            Item {
                title: offer.name,
                text: offer.text,
                what: offer.what,
                plain: offer.plain,
                slots: offer.slots,
                pick,
            }
        })
        .collect();
    let finder = Finder::new("Add a step: type what it should do", items, 0);
    let laid_out = is_laid_out(model);
    show(model, finder.lays_out(laid_out));
}

/// What may be watched for, whatever step is active.
pub(super) fn add_reflex(model: &mut Model) {
    let Some(setup) = model.setup.clone() else {
        return;
    };
    let parsed = &model.doc.prepared.parsed;
    let items: Vec<Item> = reflexes(&setup.names)
        .into_iter()
        .map(|offer| {
            let edit = insert_reflex(parsed, &model.doc.text, &offer);
            let does = offer.below.first().map_or("", String::as_str);
            let text = format!("{}, {does}", offer.text);
            Item::new(offer.name, text, offer.what, Pick::Edit(edit)).found_by(offer.plain)
        })
        .collect();
    let finder = Finder::new("Add a reflex: type what it should watch for", items, 0);
    let laid_out = is_laid_out(model);
    show(model, finder.lays_out(laid_out));
}

/// What a step may wait for.
pub(super) fn add_exit(model: &mut Model) {
    let Some(setup) = model.setup.clone() else {
        return;
    };
    let Some(step) = model.doc.written_step(model.doc.cursor.line) else {
        return model.say(Role::Quiet, "the cursor is not in a step; a adds one");
    };
    let parsed = &model.doc.prepared.parsed;
    let about = &parsed.mission.steps[step];
    let more = !about.exits.is_empty();
    let items: Vec<Item> = conditions(Some(about), &setup.names)
        .into_iter()
        .map(|offer| {
            let target = more.then_some("next");
            let pick = Pick::Edit(with_exit(
                parsed,
                &model.doc.text,
                step,
                &offer.text,
                target,
            ));
            Item {
                title: offer.name,
                text: offer.text,
                what: offer.what,
                plain: offer.plain,
                slots: offer.slots,
                pick,
            }
        })
        .collect();
    let finder = Finder::new(
        format!("Add an exit: type what should end \"{}\"", about.name.node),
        items,
        0,
    );
    let laid_out = is_laid_out(model);
    show(model, finder.lays_out(laid_out));
}

/// What may be different in a copy: each line of its original, or another original.
pub(super) fn differences(model: &mut Model, step: TextStep) {
    let parsed = &model.doc.prepared.parsed;
    let copy = &parsed.mission.steps[step];
    let Some(like) = &copy.like else { return };
    let original = parsed
        .mission
        .find(&like.node, copy)
        .map(|found| &parsed.mission.steps[found]);
    let header = &model.doc.text[parsed.lines[copy.line].span.clone()];
    let indent = &header[..header.len() - header.trim_start().len()];
    let end = parsed.lines[copy.last].span.end;
    let mut items = Vec::new();
    let mut add = |title: &str, line: String, what: &str| {
        let edit = Edit {
            span: end..end,
            text: format!("\n{indent}  but {line}"),
        };
        items.push(Item::new(title, line, what, Pick::Edit(edit)));
    };
    if let Some(original) = original {
        if let Some((behaviour, _)) = &original.behaviour
            && copy
                .behaviour
                .as_ref()
                .is_some_and(|(own, _)| own.span == behaviour.span)
        {
            add(
                "what it does",
                model.doc.text[behaviour.span.clone()].to_owned(),
                "It then does this instead, whatever the original does.",
            );
        }
        for exit in &original.exits {
            // What the copy says itself already is in its own text.
            if copy
                .exits
                .iter()
                .any(|own| own.condition.span == exit.condition.span)
            {
                let line = model.doc.text[parsed.lines[exit.line].span.clone()].trim();
                let line = line
                    .strip_prefix("until")
                    .or(line.strip_prefix("or"))
                    .unwrap_or(line)
                    .trim_start();
                let line = line.split('#').next().unwrap_or(line).trim_end();
                add(
                    "what ends it",
                    format!("until {line}"),
                    "This exit then belongs to the copy, and can be changed.",
                );
            }
        }
    }
    items.push(Item::new(
        "copy another step",
        &like.node,
        "Type its name.",
        Pick::Slot,
    ));
    let finder = Finder::new(
        format!("What is different in \"{}\"", copy.name.node),
        items,
        0,
    );
    let laid_out = is_laid_out(model);
    show(model, finder.lays_out(laid_out));
}

/// Every step, to go to.
pub(super) fn steps(model: &mut Model) {
    let parsed = &model.doc.prepared.parsed;
    let items = parsed.mission.steps.iter().enumerate().map(|(nth, step)| {
        let does = step
            .behaviour
            .as_ref()
            .map_or("", |(behaviour, _)| &model.doc.text[behaviour.span.clone()]);
        let number = TextStep(nth).number();
        Item::new(
            format!("{number:>2} {}", step.name.node),
            does,
            "",
            Pick::Line(step.line),
        )
    });
    let here = model
        .doc
        .written_step(model.doc.cursor.line)
        .map_or(0, |step| step.0);
    let finder = Finder::new("Go to step", items.collect(), here);
    show(model, finder);
}

/// Every line that says something, to be found by its words.
pub(super) fn lines(model: &mut Model) {
    let said =
        (0..model.doc.lines().len()).filter(|line| !model.doc.line_text(*line).trim().is_empty());
    let items: Vec<Item> = said
        .map(|line| {
            Item::new(
                format!("{:>3}", line + 1),
                model.doc.line_text(line).trim(),
                "",
                Pick::Line(line),
            )
        })
        .collect();
    let here = items
        .iter()
        .position(|item| matches!(item.pick, Pick::Line(line) if line >= model.doc.cursor.line));
    let finder = Finder::new("Find in the text", items, here.unwrap_or(0));
    show(model, finder);
}

/// Everything that has a key.
pub(super) fn palette(model: &mut Model) {
    let items = keymap::groups(model.screen).iter().flat_map(|group| {
        group.rows.iter().map(|row| {
            let item = Item::new(row.what, row.label, group.title, Pick::Do(row.action));
            item.found_by(called::plain(row.action))
        })
    });
    show(
        model,
        Finder::new("Commands: type to search", items.collect(), 0),
    );
}

/// The missions of the project.
pub(super) fn missions(model: &mut Model) {
    let names = model.project.missions();
    let items = names.into_iter().map(|name| {
        let open = model
            .project
            .config
            .mission
            .ends_with(&format!("/{name}.way"));
        let text = if open { "open now" } else { "" };
        Item::new(name.clone(), text, "", Pick::Mission(name))
    });
    show(model, Finder::new("Open mission", items.collect(), 0));
}

/// The tracks of the chart.
pub(super) fn tracks(model: &mut Model) {
    let Some(report) = model.report.clone() else {
        return;
    };
    let items = report.chart.tracks.iter().map(|track| {
        let shown = track.usual != model.chart.toggled.contains(&track.name);
        let text = if shown { "shown" } else { "" };
        let unit = if track.unit.is_empty() {
            "what is seen"
        } else {
            track.unit
        };
        Item::new(&track.name, text, unit, Pick::Track(track.name.clone()))
    });
    show(
        model,
        Finder::new(
            "What the chart shows: Enter shows or hides",
            items.collect(),
            0,
        ),
    );
}

/// What a run of the text as it stands says may be done about an exit.
fn remedies_of(
    model: &Model,
    setup: &Setup,
    report: &RunReport,
    step: StepId,
    exit: usize,
) -> Vec<Remedy> {
    let case = Case {
        text: &model.doc.text,
        parsed: &model.doc.prepared.parsed,
        names: &setup.names,
        robot: &setup.robot,
        program: &report.program,
        run: &report.run,
        evidence: &report.evidence,
    };
    remedy::remedies(case, step, exit)
}

/// What may be done about the exit that is marked in the why pane.
pub(super) fn remedies(model: &mut Model) {
    let Some(report) = model
        .report
        .clone()
        .filter(|report| Arc::ptr_eq(&report.text, &model.doc.text))
    else {
        return model.say(Role::Thin, "this text cannot run yet: fix its errors first");
    };
    let row = why_rows(model)
        .into_iter()
        .filter(WhyRow::marks)
        .nth(model.side.row);
    let Some((step, exit)) = row.and_then(|row| row.exit) else {
        return model.say(Role::Quiet, "mark an exit with Up and Down first");
    };
    let Some(setup) = model.setup.clone() else {
        return;
    };
    let found = remedies_of(model, &setup, &report, step, exit);
    let line = report.program.steps[step].exits[exit].line;
    offer(model, found, line, "What may help");
}

/// What may be done about the finding that is marked in the list.
pub(super) fn fixes(model: &mut Model, effects: &mut Vec<Effect>) {
    let Some(finding) = all_findings(model).into_iter().nth(model.side.row) else {
        return;
    };
    if finding.source != Source::Mission {
        return texts::fixes(model, &finding, effects);
    }
    texts::to_mission(model);
    let Some(setup) = model.setup.clone() else {
        return;
    };
    let line = model.doc.line_at(finding.span.start);
    let mut found = remedy::fixes(
        &finding,
        &model.doc.prepared.parsed,
        &model.doc.text,
        &setup.names,
    );
    // What a run showed may have more to it.
    if let Some((_, nth)) = exit_at(&model.doc.prepared.parsed, line)
        && let Some(report) = model
            .report
            .clone()
            .filter(|report| Arc::ptr_eq(&report.text, &model.doc.text))
        && let Some(step) = model.step_of_line(line)
    {
        let known: Vec<String> = found.iter().map(|fix| fix.text.clone()).collect();
        let more = remedies_of(model, &setup, &report, step, nth);
        found.extend(more.into_iter().filter(|more| !known.contains(&more.text)));
    }
    offer(model, found, line, "What may help");
}

/// A list of remedies, each tried as it is marked; the first row only goes to the place.
fn offer(model: &mut Model, found: Vec<Remedy>, line: usize, title: &str) {
    let mut items = vec![Item::new(
        "go there",
        model.doc.line_text(line).trim(),
        "Change it yourself.",
        Pick::Line(line),
    )];
    // What is known to have held goes before what may.
    items.extend(back_items(model));
    let first = items.len();
    let other_marks: Vec<usize> = found
        .iter()
        .enumerate()
        .filter(|(_, remedy)| remedy.other_mark)
        .map(|(nth, _)| first + nth)
        .collect();
    items.extend(
        found
            .into_iter()
            .map(|remedy| Item::new(remedy.words, "", remedy.why, Pick::Text(remedy.text))),
    );
    if items.len() == 1 {
        model.doc.cursor = Cursor { line, nth: 0 };
        let header = model
            .doc
            .lines()
            .get(line)
            .is_some_and(|line| line.kind == LineKind::Step);
        time::to_line(model, line, header);
        return model.say(Role::Quiet, "no automatic fix: change it here");
    }
    let mut finder = Finder::new(title, items, 0);
    proof::ask(model, &mut finder, other_marks);
    let laid_out = is_laid_out(model);
    show(model, finder.lays_out(laid_out));
}

/// The mission from every start of its field, and in every case of its decisions, each tried on its
/// nominal run and on many others.
pub(super) fn starts(model: &mut Model) {
    let Some(setup) = model.setup.clone().filter(|_| model.doc.is_mission()) else {
        return model.say(Role::Quiet, "open the mission first");
    };
    let (parsed, text) = (&model.doc.prepared.parsed, &model.doc.text);
    let starts = &setup.field.starts;
    let own = parsed.mission.start.as_ref().map(|start| &start.node);
    let own = own.or_else(|| starts.first().map(|start| &start.name));
    let from = |start: &Start| {
        let here = own == Some(&start.name);
        let what = if here { "as it stands" } else { "" };
        // The one that it has stays unwritten where it is.
        let text = if here {
            text.to_string()
        } else {
            with_start(parsed, text, &start.name)
        };
        Item::new(&start.name, "", what, Pick::Text(text))
    };
    let case = |case: cases::Case| {
        let title = format!("\"{}\" {}", case.step, case.row);
        let what = "as if this row were the one that is true";
        Item::new(title, "", what, Pick::Look(case.text))
    };
    let others = if starts.len() > 1 { &starts[..] } else { &[] };
    let items = others.iter().map(from);
    let items: Vec<Item> = items
        .chain(cases(parsed, text).into_iter().map(case))
        .collect();
    if items.is_empty() {
        let words = "this field has no other start, and the mission decides nothing with `choose`";
        return model.say(Role::Quiet, words);
    }
    let mark = others.iter().position(|start| own == Some(&start.name));
    let title = match (others.len(), items.len()) {
        (starts, all) if starts == all => "From every start, 40 runs each",
        (0, _) => "In every case, 40 runs each",
        _ => "From every start and in every case, 40 runs each",
    };
    let mut finder = Finder::new(title, items, mark.unwrap_or(0));
    proof::ask_in_order(model, &mut finder);
    show(model, finder);
}

/// Ways back: to the last text that held, and to the one before the last change.
fn back_items(model: &Model) -> Vec<Item> {
    let mut items = Vec::new();
    if !model.doc.is_mission() {
        return items;
    }
    let held = model.many.last_that_held();
    if let Some((text, share)) = &held {
        items.push(Item::new(
            "back to the text that held",
            "",
            format!(
                "The last text of which nineteen of twenty runs held: {}.",
                share.words()
            ),
            Pick::Text(text.to_string()),
        ));
    }
    let known = |text: &Arc<str>| held.as_ref().is_some_and(|(held, _)| held == text);
    if let Some(before) = model.doc.text_before().filter(|text| !known(text)) {
        let words = "The mission as it was before the last change.";
        let text = before.to_string();
        items.push(Item::new(
            "take back the last change",
            "",
            words,
            Pick::Text(text),
        ));
    }
    items
}
