//! What one key press costs on the screen: a frame, and the whole way from a nudge to the new path.

use std::hint::black_box;
use std::sync::Arc;

use criterion::{Criterion, criterion_group, criterion_main};
use ratatui::buffer::Buffer;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use ratatui::layout::Rect;
use wayodos::folder::Project;
use wayodos::tui::cells::Cells;
use wayodos::tui::model::Model;
use wayodos::tui::picture::{Easel, Protocol};
use wayodos::tui::theme::{Depth, Theme, ThemeName};
use wayodos::tui::update::{Effect, Msg, update};
use wayodos::tui::view::Screen;
use wayodos::work::run_job;

fn benches(criterion: &mut Criterion) {
    let project = Project::demo(None).expect("the demo is good");
    let setup = project.setup.clone().expect("the demo is good");
    let world = Arc::new(setup.world());
    let mut model = Model::new(project, None, 7, (160, 50));
    let mut screen = Screen::new(Theme::new(ThemeName::Dark, Depth::True), Cells::Quadrant);
    let mut buffer = Buffer::empty(Rect::new(0, 0, 160, 50));
    let answer = |model: &mut Model, effects: Vec<Effect>| {
        for effect in effects {
            if let Effect::Run(job) = effect {
                let report = run_job(&job, &world, None).map(Arc::new);
                update(model, Msg::Ran(job.id, report));
            }
        }
    };
    let first = model.job().map(Effect::Run).into_iter().collect();
    answer(&mut model, first);

    criterion.bench_function("one frame, nothing moved", |bench| {
        bench.iter(|| screen.draw(&model, black_box(&mut buffer)));
    });
    criterion.bench_function("one frame, the robot moved", |bench| {
        bench.iter(|| {
            model.player.time = (model.player.time + 0.1) % 50.0;
            screen.draw(&model, black_box(&mut buffer))
        });
    });
    pixels(criterion, &mut model);
    criterion.bench_function(
        "nudge to new path: edit, run, evidence, chart, frame",
        |bench| {
            let mut up = true;
            bench.iter(|| {
                let key = KeyCode::Char(if up { '.' } else { ',' });
                up = !up;
                let effects = update(
                    &mut model,
                    Msg::Input(Event::Key(KeyEvent::new(key, KeyModifiers::NONE))),
                );
                answer(&mut model, effects);
                screen.draw(&model, black_box(&mut buffer))
            });
        },
    );
}

/// Field and chart in the terminal's own pixels: everything drawn and encoded, and a picture while
/// playing.
fn pixels(criterion: &mut Criterion, model: &mut Model) {
    let mut buffer = Buffer::empty(Rect::new(0, 0, 160, 50));
    for (name, protocol) in [
        ("graphics protocol", Protocol::Graphics),
        ("sixel", Protocol::Sixel),
    ] {
        criterion.bench_function(&format!("pixels, {name}: everything changed"), |bench| {
            bench.iter(|| {
                let mut screen =
                    Screen::new(Theme::new(ThemeName::Dark, Depth::True), Cells::Quadrant);
                screen.pixels = Some((8, 16));
                screen.draw(model, &mut buffer);
                Easel::new(protocol, (8, 16)).show(screen.pictures(), &mut std::io::sink())
            });
        });
        let mut screen = Screen::new(Theme::new(ThemeName::Dark, Depth::True), Cells::Quadrant);
        screen.pixels = Some((8, 16));
        let mut easel = Easel::new(protocol, (8, 16));
        criterion.bench_function(&format!("pixels, {name}: the robot moved"), |bench| {
            bench.iter(|| {
                model.player.time = (model.player.time + 0.033) % 50.0;
                screen.draw(model, &mut buffer);
                easel.show(screen.pictures(), &mut std::io::sink())
            });
        });
    }
}

/// A mission that is far longer than any: what typing into it costs.
fn long(criterion: &mut Criterion) {
    let mut project = Project::demo(None).expect("the demo is good");
    let step = |nth: usize| {
        format!(
            "step \"s{nth}\"\n  drive ahead at 20 %\n  until floor-left sees dark  -> next\n  or    0.1 s pass\n\n"
        )
    };
    let all: String = (0..500).map(step).collect();
    project.mission = format!("mission \"long\"\n  limit 60 s\n  start slipway\n\n{all}");
    let mut model = Model::new(project, None, 7, (160, 50));
    let mut screen = Screen::new(Theme::new(ThemeName::Dark, Depth::True), Cells::Quadrant);
    let mut buffer = Buffer::empty(Rect::new(0, 0, 160, 50));
    let key = |model: &mut Model, code: KeyCode| {
        update(
            model,
            Msg::Input(Event::Key(KeyEvent::new(code, KeyModifiers::NONE))),
        );
    };
    criterion.bench_function("one frame of a mission of 500 steps", |bench| {
        bench.iter(|| screen.draw(&model, black_box(&mut buffer)));
    });
    for _ in 0..250 {
        key(&mut model, KeyCode::Tab);
    }
    key(&mut model, KeyCode::Char('e'));
    criterion.bench_function("a letter typed into it, and the frame", |bench| {
        let mut letter = true;
        bench.iter(|| {
            key(
                &mut model,
                if letter {
                    KeyCode::Char('x')
                } else {
                    KeyCode::Backspace
                },
            );
            letter = !letter;
            screen.draw(&model, black_box(&mut buffer))
        });
    });
    key(&mut model, KeyCode::Esc);
    criterion.bench_function("a list of what a step may do, opened and left", |bench| {
        bench.iter(|| {
            key(&mut model, KeyCode::Char('a'));
            key(&mut model, KeyCode::Esc);
        });
    });
    // The first letter also looks at the words of every row.
    for (list, name) in [('/', "all commands"), ('S', "the text's 2,004 lines")] {
        criterion.bench_function(
            &format!("five letters typed into the list of {name}"),
            |bench| {
                bench.iter(|| {
                    key(&mut model, KeyCode::Char(list));
                    for letter in "delte".chars() {
                        key(&mut model, KeyCode::Char(letter));
                    }
                    key(&mut model, KeyCode::Esc);
                });
            },
        );
    }
}

criterion_group! { name = all; config = Criterion::default().sample_size(40); targets = benches, long }
criterion_main!(all);
