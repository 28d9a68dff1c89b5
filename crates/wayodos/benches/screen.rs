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
use wayodos::tui::theme::{Depth, Theme, ThemeName};
use wayodos::tui::update::{Effect, Msg, update};
use wayodos::tui::view::Screen;
use wayodos::work::tell;

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
                let told = tell(&job, &world, None).map(Arc::new);
                update(model, Msg::Ran(job.id, told));
            }
        }
    };
    let first = model.job().map(Effect::Run).into_iter().collect();
    answer(&mut model, first);

    criterion
        .bench_function("one frame, nothing moved", |bench| bench.iter(|| screen.draw(&model, black_box(&mut buffer))));
    criterion.bench_function("one frame, the robot moved", |bench| {
        bench.iter(|| {
            model.time = (model.time + 0.1) % 50.0;
            screen.draw(&model, black_box(&mut buffer))
        });
    });
    criterion.bench_function("nudge to new path: edit, run, evidence, chart, frame", |bench| {
        let mut up = true;
        bench.iter(|| {
            let key = KeyCode::Char(if up { '.' } else { ',' });
            up = !up;
            let effects = update(&mut model, Msg::Input(Event::Key(KeyEvent::new(key, KeyModifiers::NONE))));
            answer(&mut model, effects);
            screen.draw(&model, black_box(&mut buffer))
        });
    });
}

criterion_group! { name = all; config = Criterion::default().sample_size(40); targets = benches }
criterion_main!(all);
