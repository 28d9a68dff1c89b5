//! Words and phrases by which people look for what a key does, with commas between them.
//!
//! What a row of the keymap says itself need not be said again, nor what the thesaurus knows of its
//! words.

use super::keymap::Action;

/// The plain words of an action.
pub const fn plain(action: Action) -> &'static str {
    match action {
        Action::SlotLeft => "previous field, previous number, cursor left, go left",
        Action::SlotRight => "next field, next number, cursor right, go right",
        Action::LineUp => "cursor up, go up",
        Action::LineDown => "cursor down, go down",
        Action::StepUp => "step above, back a step, last step",
        Action::StepDown => "step below, forward a step",
        Action::GoToStep => {
            "jump to step, goto, go to line, jump, find step, step number, list of steps"
        }
        Action::FindText => "search text, search, find, look for a word, search in the mission",
        Action::NextFinding => "next error, next warning, next problem, jump to error",
        Action::NextPane => "switch pane, other pane, change pane, focus, window, panel",
        Action::NudgeUp => "increase, bigger, raise, plus, larger, higher, next choice, increment",
        Action::NudgeDown => "decrease, smaller, minus, lower, previous choice, reduce, decrement",
        Action::FineUp => {
            "fine increase, small step up, slightly more, tiny bit more, fine tune up"
        }
        Action::FineDown => {
            "fine decrease, small step down, slightly less, tiny bit less, fine tune down"
        }
        Action::Open => {
            "edit value, change value, enter a number, set value, edit, change, choices, type a number"
        }
        Action::NameAmount => {
            "variable, make variable, parameter, constant, label, name a number, give a name"
        }
        Action::WriteOut => "inline, remove name, remove variable, replace variable, resolve name",
        Action::Convert => {
            "unit, units, convert, change unit, inch, millimetres, mm to inch, wheel turns, metric"
        }
        Action::AddStep => {
            "new step, insert step, new block, add behaviour, add action, append step, insert, create step"
        }
        Action::AddAbove => "insert before, step before, insert above, new step above",
        Action::AddExit => {
            "new exit, end condition, until, condition, stop condition, when to end, sensor condition, \
             add condition, what ends it"
        }
        Action::AddReflex => {
            "interrupt, watch all the time, background, always watch, safety, edge reflex, watchdog, \
             event handler, parallel, new reflex, emergency"
        }
        Action::Mark => {
            "select, selection, select lines, multiple, several, highlight, block select"
        }
        Action::Cut => "cut, move elsewhere",
        Action::TakeCopy => "copy to clipboard, clipboard, yank",
        Action::Paste => "paste, insert copy, from clipboard",
        Action::Copy => "duplicate, duplicate step, clone, copy step",
        Action::Link => "like, linked, instance, same as, alias, reference copy",
        Action::Delete => {
            "remove, erase, delete step, delete line, remove step, clear, get rid of, throw away"
        }
        Action::MoveUp => {
            "reorder, move step up, earlier, sort, order, shift up, swap with previous"
        }
        Action::MoveDown => "reorder down, move step down, later, shift down, swap with next",
        Action::Wrap => {
            "loop, repeat, loop around, make a loop, put in loop, again, several times, wrap"
        }
        Action::Extract => "routine, subroutine, function, extract, reuse, macro, make function",
        Action::Mirror => "mirror, flip, swap sides, left right, other side, reverse sides, invert",
        Action::Comment => {
            "disable, turn off, switch off step, deactivate, skip step, enable, note, remark, ignore step"
        }
        Action::Split => "split, divide, cut in two, two steps, break in two, halve",
        Action::Join => "merge, combine, join, unite, put together, one step",
        Action::Free => {
            "edit text, text editor, write text, type, free text, edit mode, source, code, edit freely"
        }
        Action::Editor => "external editor, open editor, other editor",
        Action::Undo => {
            "take back, undelete, bring back, back, revert, go back, oops, undo change, step back change"
        }
        Action::Redo => "do again, repeat change, forward, undo the undo",
        Action::Play => {
            "run, start, simulate, watch, animation, stop playing, start simulation, go, resume"
        }
        Action::Faster => {
            "speed up, quicker, fast forward, playback speed, increase speed, double speed"
        }
        Action::Slower => "slow motion, slow down, slow, reduce speed, half speed, slowmo",
        Action::TimeBack => "rewind, a bit back, earlier, scrub back",
        Action::TimeAhead => "a bit ahead, later, scrub, forward in time",
        Action::TimeFarBack => "rewind a second, second back, jump back",
        Action::TimeFarAhead => "skip a second, second ahead, jump ahead, skip",
        Action::TickBack => "frame back, single step back, previous frame, previous tick",
        Action::TickAhead => "frame, next frame, single step, frame by frame, next tick",
        Action::EventBack => "event before, last event, previous bump",
        Action::EventAhead => "event after, jump to event, events, next bump",
        Action::StepBack => "previous step of the run, step before in the run",
        Action::StepAhead => "next step of the run, step after in the run",
        Action::RunStart => {
            "to the start, beginning, start of run, time zero, rewind to start, restart, from the beginning, reset"
        }
        Action::RunEnd => "finish, end of run, final state, last moment, result",
        Action::TimeToStep => {
            "time of step, when does this step start, jump time to step, start of step, sync time"
        }
        Action::StepOfTime => {
            "current step, running step, where is it now, which step runs, active now"
        }
        Action::Pin => {
            "measure, ruler, measure time, second marker, time difference, marker, duration between"
        }
        Action::FromHere => {
            "start here, run from here, test step, only this step, partial run, begin here, try this step"
        }
        Action::FromPose => {
            "start pose, place robot, put robot here, start position, start somewhere else, own start"
        }
        Action::ToHere => "stop after, run until here, end here, run to cursor",
        Action::Break => "breakpoint, halt, stop here, debug, pause at step, stop before",
        Action::OtherRun => {
            "random, seed, luck, chance, variation, other run, different run, noise, dice, reroll, one of many"
        }
        Action::Hands => {
            "push robot, by hand, move robot, touch, take away, put box, disturb, place box, obstacle by hand, \
             nudge the robot, kick, intervene"
        }
        Action::Why => {
            "reason, explain, cause, evidence, why did it stop, why not, exit reason, did not fire, trigger, debug"
        }
        Action::Track => {
            "sensor track, sensor path, what does the sensor see, readings along, surface under sensor, sensor trace"
        }
        Action::Map => {
            "flow chart, diagram, graph, flow, overview, state diagram, structure, flowchart"
        }
        Action::Findings => {
            "errors, warnings, problems, issues, list of errors, check, fix, lint, mistakes, messages"
        }
        Action::Robot => {
            "robot, speed, top speed, stopping distance, braking distance, how fast, acceleration, torque, push force, wheel turn, \
             sensor positions, what follows, turning circle, abilities"
        }
        Action::Score => {
            "points, score, rules, result, how many points, score sheet, goals, referee"
        }
        Action::Spread => {
            "reliability, does it hold, how sure, success rate, robust, many runs, probability, percent, monte carlo, \
             how reliable, failures, statistics, chance of success, repeatability"
        }
        Action::Starts => {
            "start positions, all starts, start poses, other starts, start places, test all, cases, start sides"
        }
        Action::Compare => {
            "diff, versions, before after, against, better or worse, old version, difference, a b test"
        }
        Action::Fan => {
            "hide runs, show runs, cloud, paths of all runs, fan, all paths, scatter, ghost paths"
        }
        Action::Sweep => {
            "scan values, range of values, find the window, which values work, safe span, parameter sweep, \
             sensitivity, try values, vary, test values, best value"
        }
        Action::Grid => {
            "two parameters, both numbers, heat map, heatmap, two values, pairs, matrix, two dimensional"
        }
        Action::Tune => {
            "optimise, optimize, best values, find best, auto tune, tuning, improve, search best, automatic"
        }
        Action::Tracks => {
            "chart settings, choose sensors, signals, curves, show sensor, channels, plot, graph, hide track, \
             what to plot"
        }
        Action::ZoomIn => "enlarge, bigger, closer, magnify, larger",
        Action::ZoomOut => "smaller, further away, shrink, wider",
        Action::Fit => {
            "fit, reset zoom, whole field, show all, see everything, overview, original size, whole run"
        }
        Action::Follow => {
            "camera, centre robot, center robot, follow robot, keep in view, track robot"
        }
        Action::Full => {
            "fullscreen, full screen, maximise, maximize, big, enlarge pane, one pane, whole window"
        }
        Action::Pixels => {
            "graphics, image mode, sharp, resolution, sharp picture, sixel, blocks, text graphics, drawing mode"
        }
        Action::Read => {
            "words, plain text, read, describe, explain mission, documentation, in english, description, summary, \
             read aloud, sentences"
        }
        Action::Save => "save, store, write file, write to disk, save file, keep changes",
        Action::Export => {
            "print, pdf, svg, picture, image, share, paper, save picture, save as pdf, report, png, printer, draw"
        }
        Action::OpenMission => {
            "load, open file, other mission, switch mission, missions, change mission, list of missions, file"
        }
        Action::Texts => {
            "robot file, field file, edit robot, edit field, calibration, edit calibration, robot, field, \
             settings, config, sensors, other files, change robot"
        }
        Action::BackToMission => "return, back, escape, normal view, back to mission, cancel",
        Action::NewMission => {
            "create, new file, empty mission, start new, new program, blank, from scratch"
        }
        Action::ToProject => {
            "files, folder, project files, file list, manage files, overview of files, browse"
        }
        Action::ToLogbook => {
            "history, log, old versions, past, yesterday, earlier versions, journal, previous attempts, diary"
        }
        Action::ToLeague => {
            "tournament, ranking, rivals, who wins, competition, opponents, matches, table of teams, rank"
        }
        Action::MarkRun => {
            "bookmark, remember, write down, record, keep version, snapshot, note, log this, save version"
        }
        Action::Palette => {
            "search, search commands, menu, command, all commands, find command, actions"
        }
        Action::Help => {
            "keys, shortcuts, manual, keyboard, documentation, what can i press, hotkeys, key list, how"
        }
        Action::Quit => "exit, leave, close, end program, stop program, bye, close program",
        Action::ToMission => "return, back, go back, editor, close",
        Action::FileUp => "cursor up, previous file",
        Action::FileDown => "cursor down, next file",
        Action::PageUp | Action::EntriesUp => "scroll up",
        Action::PageDown | Action::EntriesDown => "scroll down",
        Action::FirstFile => "top, begin of list",
        Action::LastFile => "bottom, end of list",
        Action::NextKind => "next group, next section",
        Action::KindBefore => "group before, section before",
        Action::OpenFile => "load, show, restore, recover, get back, edit, undelete, give back",
        Action::AddFile => "new, create, new mission, new robot, new field, new file, template",
        Action::CopyFile => "duplicate, clone, make a copy, save as",
        Action::RenameFile => "change name, new name, call, other name",
        Action::TakeAway => {
            "delete, remove, trash, throw away, erase, delete file, get rid of, bin"
        }
        Action::PickRobot => "change robot, other robot, which robot, robot, set robot",
        Action::PickField => "change field, other field, which field, mat, table, map, set field",
        Action::PickCalibration => {
            "venue, change calibration, other calibration, light, surface values, calibrate"
        }
        Action::OpenFirst => "default mission, main, start with, favourite, default",
        Action::EditFile => "external editor, edit, change text, edit file",
        Action::EntryUp => "cursor up, next newer",
        Action::EntryDown => "cursor down, next older",
        Action::Newest => "top, latest, most recent, last one, first entry",
        Action::Oldest => "bottom, first one, earliest, last entry",
        Action::SearchBook => "find, filter, look for, search entries",
        Action::BringBack => {
            "restore, load, revert, recover, old version, go back, get back, use this version, return to"
        }
        Action::PinEntry => {
            "hold on to, difference between two, what changed, fix, set reference, reference, compare two"
        }
        Action::CompareEntry => {
            "diff, versus, better or worse, difference, against, now against then"
        }
        Action::PlayEntry => "league, opponent, rival, join the league, compete, let it compete",
        Action::StarEntry => "favourite, favorite, bookmark, highlight, important, like, mark",
        Action::NoteEntry => "comment, remark, write note, describe, text, edit note, annotate",
        Action::ExportBook => "csv, spreadsheet, export, save list, print",
        Action::TeamUp => "cursor up, previous team",
        Action::TeamDown => "cursor down, next team",
        Action::OtherBefore => "previous opponent, left",
        Action::OtherNext => "next opponent, right",
        Action::ShowMatch => {
            "watch, replay, view match, see the match, play, lost match, show game"
        }
        Action::PickTeams => {
            "add team, teams, add opponent, remove team, participants, rivals, players, members, entries"
        }
    }
}
