//! The mission pane: sentences with their slots, the evidence of the run in the margin, findings
//! under their lines.

use std::sync::Arc;
use wayodos_core::ids::{SlotId, StepId};

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use wayodos_core::controller::Goal;
use wayodos_core::finding::{Finding, Severity};
use wayodos_core::lab::evidence::StepEvidence;
use wayodos_core::lab::statistics::Share;
use wayodos_core::mission::{LineKind, SlotKind};
use wayodos_report::why::amount_words;
use wayodos_report::words::{Weight, exit_words, row_words};

use super::pen::{paint_row, put, put_right};
use crate::tui::measure::{columns, pieces};
use crate::tui::model::{Entry, Mode, Model, Row, finding_lines};
use crate::tui::sight::spread::share_role;
use crate::tui::sight::text::{GUTTER, head, shift};
use crate::tui::theme::{Role, Theme};
use crate::work::RunReport;

/// The evidence of a run beside the lines it is about.
struct Margin {
    words: String,
    weight: Option<Weight>,
    /// In how many of the many runs that came to the step they did not die there.
    survived: Option<Share>,
}

/// What stands beside each line; empty for lines that the run says nothing about.
fn margins(model: &Model) -> Vec<Option<Margin>> {
    let mut margins: Vec<Option<Margin>> = model.doc.lines().iter().map(|_| None).collect();
    let Some(report) = model.report.as_ref().filter(|_| model.doc.is_mission()) else {
        return margins;
    };
    let old: Vec<&str> = if Arc::ptr_eq(&report.text, &model.doc.text) {
        Vec::new()
    } else {
        report.text.split('\n').collect()
    };
    // While another text is being run, its evidence stays where the line is still the same one;
    // with as many lines as before, a changed one keeps it too, so that nothing flickers under a
    // nudge.
    let same_count = old.len() == model.doc.lines().len();
    let stands = |line: usize| {
        old.is_empty()
            || same_count
            || old.get(line).map(|text| text.trim_end())
                == Some(model.doc.line_text(line).trim_end())
    };
    let mut set = |line: usize, margin: Margin| {
        // The exits that a copy has from its original share a line: the one that fired is shown.
        let report = |place: &Option<Margin>| {
            let weight = place.as_ref().and_then(|known| known.weight);
            weight.is_some_and(|weight| weight != Weight::Spare)
                && margin.weight == Some(Weight::Spare)
        };
        if stands(line)
            && let Some(place) = margins.get_mut(line).filter(|place| !report(place))
        {
            *place = Some(margin);
        }
    };
    // Of the text as it stands, once enough runs are there; not of one that is only tried.
    let many = model.many.result.as_ref();
    let result = many.filter(|_| model.trial.is_none()).filter(|result| {
        let program = &result.spread.attempt.program;
        result.summary.held.of >= 20 && program.steps.len() == report.program.steps.len()
    });
    let survived = |step: StepId| {
        let share = result?.summary.survival.get(step.0)?;
        Some(*share).filter(|share| share.of > 0)
    };
    let mut reached = vec![false; model.doc.lines().len()];
    let written = report.program.numbered().take(report.program.written);
    for (step, about) in written.filter(|(_, about)| !about.foreign) {
        let visits: Vec<&StepEvidence> = report
            .evidence
            .iter()
            .filter(|one| one.visit.step == step)
            .collect();
        let Some(shown) = visit_at(report, &visits, model.player.time) else {
            // The same lines may be done in another place.
            if !reached.get(about.line).copied().unwrap_or(true) {
                let words = if about.reflex.is_some() {
                    "never fired"
                } else {
                    "not reached"
                };
                set(
                    about.line,
                    Margin {
                        words: words.into(),
                        weight: None,
                        survived: survived(step),
                    },
                );
            }
            continue;
        };
        if let Some(reached) = reached.get_mut(about.line) {
            *reached = true;
        }
        let (from, to) = (
            report.run.trace.seconds(shown.visit.entered),
            report.run.trace.seconds(shown.visit.left),
        );
        let times = match (visits.len(), shown.passes) {
            (1, Some(1)) => "1 pass, ".to_owned(),
            (1, Some(passes)) => format!("{passes} passes, "),
            (1, None) => String::new(),
            (visits, _) => format!("{visits} times, "),
        };
        // What takes no time says what it found instead of how long it took.
        let words = match shown.measured {
            Some((name, value)) => {
                let of = report.program.kept_kinds[name];
                format!("{times}{} at {from:.1} s", amount_words(value, of))
            }
            None if shown.visit.left == shown.visit.entered => format!("{times}{from:.1} s"),
            None => format!("{times}{from:.1} - {to:.1} s"),
        };
        set(
            about.line,
            Margin {
                words,
                weight: None,
                survived: survived(step),
            },
        );
        let rows = about.action.rows();
        for (row, evidence) in rows.iter().zip(&shown.rows) {
            let line = row
                .line
                .or(row.step.map(|step| report.program.steps[step].line));
            let (words, weight) = row_words(evidence, row, report.run.trace.period_ms);
            if let Some(line) = line.filter(|line| *line != about.line) {
                set(
                    line,
                    Margin {
                        words,
                        weight: Some(weight),
                        survived: None,
                    },
                );
            }
        }
        // What stands in no line of its own has no room either.
        for (exit, evidence) in about
            .exits
            .iter()
            .zip(&shown.exits)
            .filter(|(exit, _)| exit.line != about.line)
        {
            let (words, weight) =
                exit_words(evidence, exit.kind, matches!(exit.goal, Goal::Fail(_)));
            set(
                exit.line,
                Margin {
                    words,
                    weight: Some(weight),
                    survived: None,
                },
            );
        }
    }
    margins
}

/// The visit that lasts at a time, or else the one before it, or else the first.
fn visit_at<'a>(
    report: &RunReport,
    visits: &[&'a StepEvidence],
    time: f64,
) -> Option<&'a StepEvidence> {
    let begun = visits
        .iter()
        .rfind(|one| report.run.trace.seconds(one.visit.entered) <= time + 1e-9);
    begun.or(visits.first()).copied()
}

/// Draws the pane; where the terminal's cursor belongs while a line or value is typed.
pub fn draw(model: &Model, theme: Theme, area: Rect, buffer: &mut Buffer) -> Option<(u16, u16)> {
    let rows = model.rows();
    let margins = margins(model);
    let active = model.active_step();
    let marked = model.doc.marked_lines();
    let mut cursor = None;
    for (row, y) in rows
        .iter()
        .skip(model.doc.scroll)
        .zip(area.y..area.bottom())
    {
        match *row {
            Row::Line(line) => {
                gutter(model, theme, area, y, line, active, buffer);
                if marked.contains(&line) {
                    let band = Rect::new(
                        area.x + GUTTER - 1,
                        y,
                        area.width.saturating_sub(GUTTER - 1),
                        1,
                    );
                    paint_row(buffer, band, y, theme.on(Style::new(), theme.raised()));
                }
                let typed = sentence(model, theme, area, y, line, margins[line].as_ref(), buffer);
                cursor = cursor.or(typed);
                if marked.contains(&line) {
                    put(
                        buffer,
                        area.x + GUTTER - 1,
                        y,
                        1,
                        "┃",
                        theme.role(Role::Accent),
                    );
                }
            }
            Row::Finding(index, part) => {
                finding(&model.doc.findings[index], part, theme, area, y, buffer);
            }
        }
    }
    if model.doc.is_mission()
        && model.doc.prepared.parsed.mission.steps.is_empty()
        && !matches!(model.mode, Mode::Free(_))
    {
        begin_here(theme, area, rows.len(), buffer);
    }
    scroll_marks(model, theme, area, rows.len(), buffer);
    cursor
}

/// Says at the edge that there is more above or below.
fn scroll_marks(model: &Model, theme: Theme, area: Rect, rows: usize, buffer: &mut Buffer) {
    let style = theme.role(Role::Quiet);
    if model.doc.scroll > 0 {
        put(buffer, area.x, area.y, 1, "↑", style);
    }
    if model.doc.scroll + usize::from(area.height) < rows {
        put(buffer, area.x, area.bottom() - 1, 1, "↓", style);
    }
}

fn gutter(
    model: &Model,
    theme: Theme,
    area: Rect,
    y: u16,
    line: usize,
    active: Option<StepId>,
    buffer: &mut Buffer,
) {
    let Some(step) = model.step_of_line(line).filter(|_| model.doc.is_mission()) else {
        return;
    };
    let header = matches!(
        model.doc.lines()[line].kind,
        LineKind::Step | LineKind::Reflex
    );
    let name = model
        .doc
        .written_step(line)
        .map(|step| &model.doc.prepared.parsed.mission.steps[step].name.node);
    if header && let Some(name) = name {
        // Before what it belongs to: where playing stops, where a piece begins and where it is
        // over.
        let (sign, role) = if model.player.breaks.contains(name) {
            ("●", Role::Wrong)
        } else if model.from.as_ref().is_some_and(|from| from.step == *name) {
            ("▸", Role::Accent)
        } else if model.until.as_ref() == Some(name) {
            ("▪", Role::Accent)
        } else {
            ("", Role::Quiet)
        };
        put(buffer, area.x, y, 1, sign, theme.role(role));
    }
    if header {
        let number = format!("{:>2} ", step.number());
        put(buffer, area.x + 1, y, 3, &number, theme.step_patch(step));
    } else {
        let bar = if active == Some(step) { "█" } else { "▏" };
        put(buffer, area.x + 3, y, 1, bar, theme.step_text(step));
    }
}

/// One sentence. Returns where the terminal's cursor belongs when its slot is being typed.
fn sentence(
    model: &Model,
    theme: Theme,
    area: Rect,
    y: u16,
    line: usize,
    margin: Option<&Margin>,
    buffer: &mut Buffer,
) -> Option<(u16, u16)> {
    let here = line == model.doc.cursor.line;
    if here {
        let band = Rect::new(
            area.x + GUTTER - 1,
            y,
            area.width.saturating_sub(GUTTER - 1),
            1,
        );
        paint_row(buffer, band, y, theme.on(Style::new(), theme.raised()));
        if model.doc.slot().is_none() || matches!(model.mode, Mode::Free(_)) {
            put(
                buffer,
                area.x + GUTTER - 1,
                y,
                1,
                "›",
                theme.role(Role::Accent),
            );
        }
    }
    let (left, right) = (area.x + GUTTER, area.right().saturating_sub(1));
    let mut end = right;
    if let Some(margin) = margin {
        let style = match margin.weight {
            Some(Weight::Fired) => theme.role(Role::Good),
            Some(Weight::Thin) => theme.role(Role::Thin).add_modifier(Modifier::BOLD),
            Some(Weight::Failed) => theme.role(Role::Wrong).add_modifier(Modifier::BOLD),
            Some(Weight::Spare) | None => theme.role(Role::Quiet),
        };
        let style = if model.stale() {
            theme.role(Role::Quiet).add_modifier(Modifier::DIM)
        } else {
            style
        };
        if let Some(share) = margin.survived {
            let style = match share_role(share) {
                Role::Good => theme.role(Role::Quiet),
                role => theme.role(role).add_modifier(Modifier::BOLD),
            };
            let words = format!("{}/{}", share.times, share.of);
            end = put_right(buffer, right, y, 10, &words, style).saturating_sub(2);
        }
        end = put_right(buffer, end, y, area.width / 2, &margin.words, style).saturating_sub(2);
    }
    let text = model.doc.line_text(line);
    let start = model.doc.lines()[line].span.start;
    let shift = shift(model, area, line);
    let total = columns(text);
    let mut column = 0u16;
    let mut typed = None;
    let free = match &model.mode {
        Mode::Free(free) if here => Some(free.at),
        _ => None,
    };
    let slot = model.doc.slot().filter(|_| here && free.is_none());
    let entry = match (&model.mode, slot) {
        (Mode::Typing(entry), Some(slot)) => {
            Some((entry, &model.doc.prepared.parsed.slots[slot].span))
        }
        _ => None,
    };
    for (byte, piece, wide) in pieces(text) {
        let at = start + byte;
        if let Some((entry, span)) = entry {
            if at == span.start {
                let x = left + column.saturating_sub(shift);
                let (behind, cursor) =
                    typed_value(theme, x, y, end.max(x + 8).min(right), entry, buffer);
                typed = Some(cursor);
                column = behind - left + shift;
            }
            if span.contains(&at) {
                continue;
            }
        }
        if free == Some(at) {
            typed = Some(((left + column).saturating_sub(shift), y));
        }
        let style = style_at(model, theme, line, at, slot);
        if column >= shift {
            let x = left + column - shift;
            if x + wide > end || (x + wide == end && total - shift > end - left) {
                if x < end.max(left + 1) {
                    put(buffer, x, y, 1, "…", style);
                }
                break;
            }
            put(buffer, x, y, wide, piece, style);
        }
        column += wide;
    }
    let pinned = if shift > 0 { head(area, text) } else { 0 };
    if pinned > 0 {
        // Whatever is in sight of a long line, what it does is.
        let mut x = left;
        for (byte, piece, wide) in pieces(text) {
            if x + wide >= left + pinned {
                break;
            }
            put(
                buffer,
                x,
                y,
                wide,
                piece,
                style_at(model, theme, line, start + byte, slot),
            );
            x += wide;
        }
        put(buffer, x, y, 1, "…", theme.role(Role::Quiet));
    }
    if let Some(word) = left_out(model, slot).filter(|_| entry.is_none() && column >= shift) {
        let x = left + column - shift + 1;
        put(
            buffer,
            x,
            y,
            right.saturating_sub(x),
            &format!("{word}?"),
            theme.patch(Role::Accent),
        );
    }
    if free.is_some() && typed.is_none() {
        typed = Some(((left + column).saturating_sub(shift).min(right), y));
    }
    if let (Some((entry, _)), None) = (entry, typed) {
        let (_, cursor) = typed_value(theme, left, y, right, entry, buffer);
        typed = Some(cursor);
    }
    typed
}

/// The word that may be put into the empty place under the cursor.
fn left_out(model: &Model, slot: Option<SlotId>) -> Option<&'static str> {
    let slot = &model.doc.prepared.parsed.slots[slot?];
    match slot.kind {
        SlotKind::Choice(words) if slot.span.is_empty() => {
            words.iter().copied().find(|word| !word.is_empty())
        }
        SlotKind::Amount { .. }
        | SlotKind::Choice(_)
        | SlotKind::Device(_)
        | SlotKind::Tone { .. }
        | SlotKind::Start
        | SlotKind::Zone
        | SlotKind::Routine
        | SlotKind::Name
        | SlotKind::Target
        | SlotKind::Text => None,
    }
}

/// A value being typed, on a patch; the column behind it, and where its cursor is.
fn typed_value(
    theme: Theme,
    x: u16,
    y: u16,
    end: u16,
    entry: &Entry,
    buffer: &mut Buffer,
) -> (u16, (u16, u16)) {
    let style = theme.patch(Role::Accent);
    let room = end.saturating_sub(x).max(2);
    let scroll = entry.input.visual_scroll(usize::from(room - 1));
    let shown: String = entry.input.value().chars().skip(scroll).collect();
    let behind = put(buffer, x, y, room - 1, &shown, style);
    put(buffer, behind, y, 1, " ", style);
    let cursor = x + (entry.input.visual_cursor().saturating_sub(scroll)) as u16;
    (behind + 1, (cursor.min(end), y))
}

/// What to do with a mission that has no steps yet.
fn begin_here(theme: Theme, area: Rect, rows: usize, buffer: &mut Buffer) {
    let lines = [
        ("", "This mission has no steps yet."),
        (
            "a",
            "adds one: choose what it does, and see where it would drive",
        ),
        (
            "+ -",
            "change what stands under the cursor, Enter types or chooses",
        ),
        ("o", "adds what ends it, and where to go then"),
        ("e", "types freely, if you know the sentences"),
        ("?", "shows every key"),
    ];
    let top = area.y + (rows as u16 + 1).min(area.height.saturating_sub(lines.len() as u16));
    for ((key, what), y) in lines.into_iter().zip(top..area.bottom()) {
        let x = area.x + GUTTER + 2;
        put(
            buffer,
            x,
            y,
            4,
            key,
            theme.role(Role::Accent).add_modifier(Modifier::BOLD),
        );
        let role = if key.is_empty() {
            Role::Word
        } else {
            Role::Text
        };
        let at = if key.is_empty() { x } else { x + 5 };
        put(
            buffer,
            at,
            y,
            area.right().saturating_sub(at),
            what,
            theme.role(role),
        );
    }
}

/// How a byte of the text looks.
fn style_at(model: &Model, theme: Theme, line: usize, at: usize, slot: Option<SlotId>) -> Style {
    let parsed = &model.doc.prepared.parsed;
    let about = &parsed.lines[line];
    if about
        .comment
        .as_ref()
        .is_some_and(|comment| comment.contains(&at))
    {
        return theme.role(Role::Quiet).add_modifier(Modifier::ITALIC);
    }
    if slot.is_some_and(|slot| parsed.slots[slot].span.contains(&at)) {
        return theme.patch(Role::Accent).add_modifier(Modifier::BOLD);
    }
    let wrong = |finding: &&Finding| finding.span.contains(&at);
    if let Some(finding) = model.doc.findings.iter().find(wrong) {
        let role = if finding.severity == Severity::Error {
            Role::Wrong
        } else {
            Role::Thin
        };
        return theme.role(role).add_modifier(Modifier::UNDERLINED);
    }
    if model.doc.values.is_some() && about.kind == LineKind::Header {
        return theme.role(Role::Word).add_modifier(Modifier::BOLD);
    }
    let header = matches!(
        about.kind,
        LineKind::Step | LineKind::Reflex | LineKind::Routine | LineKind::Mission
    );
    if model
        .doc
        .slots_on(line)
        .any(|(_, slot)| slot.span.contains(&at))
    {
        return if header {
            theme.role(Role::Word)
        } else {
            theme.role(Role::Slot)
        };
    }
    let text = &model.doc.text[about.span.clone()];
    let indent = text.len() - text.trim_start().len();
    let first = text[indent..].split_whitespace().next().map_or(0, str::len);
    let offset = at - about.span.start;
    if offset < indent + first {
        return match about.kind {
            LineKind::Behaviour | LineKind::Routine => theme.role(Role::Word),
            LineKind::Blank
            | LineKind::Mission
            | LineKind::Header
            | LineKind::Let
            | LineKind::Step
            | LineKind::Reflex
            | LineKind::Watch
            | LineKind::Row
            | LineKind::Exit
            | LineKind::End
            | LineKind::Broken => theme.role(Role::Quiet),
        };
    }
    theme.role(Role::Text)
}

fn finding(finding: &Finding, part: usize, theme: Theme, area: Rect, y: u16, buffer: &mut Buffer) {
    let x = area.x + GUTTER + 2;
    let Some((words, message)) = finding_lines(finding, area.width).into_iter().nth(part) else {
        return;
    };
    let role = match (message, finding.severity) {
        (false, _) => Role::Quiet,
        (true, Severity::Error) => Role::Wrong,
        (true, Severity::Warning | Severity::Note) => Role::Thin,
    };
    // Rows behind the first are set in, below its words.
    let x = if part == 0 { x } else { x + 2 };
    put(
        buffer,
        x,
        y,
        area.right().saturating_sub(x),
        &words,
        theme.role(role),
    );
}
