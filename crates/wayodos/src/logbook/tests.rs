use super::*;

fn page(reason: Reason, text: &str) -> Page {
    Page {
        reason,
        mission: "missions/round.way".into(),
        files: vec![
            ("missions/round.way".into(), text.into()),
            ("robots/curlew.toml".into(), "name = \"Curlew\"\n".into()),
        ],
        seed: 7,
        scatter: "everyday".into(),
        outcome: "done at 12.0 s".into(),
        planned: true,
        seconds: 12.0,
        score: Some(20.0),
        held: None,
        note: String::new(),
    }
}

fn count(book: &Book, table: &str) -> i64 {
    let query = format!("SELECT count(*) FROM {table}");
    book.connection
        .query_row(&query, [], |row| row.get(0))
        .unwrap()
}

#[test]
fn what_is_run_again_is_one_entry_and_texts_are_kept_once() {
    let here = tempfile::tempdir().unwrap();
    let mut book = Book::open(Some(here.path())).unwrap();
    let first = book.write(&page(Reason::Saved, "a\n")).unwrap();
    let spread = Page {
        held: Some(Share::new(190, 200)),
        ..page(Reason::Spread, "a\n")
    };
    assert_eq!(book.write(&spread).unwrap(), first);
    assert_ne!(book.write(&page(Reason::Saved, "b\n")).unwrap(), first);
    // Back at the first text: another entry, for it is another day's work; its text is the same one.
    book.write(&page(Reason::Marked, "a\n")).unwrap();
    let seeded = Page {
        seed: 8,
        ..page(Reason::Marked, "a\n")
    };
    book.write(&seeded).unwrap();
    assert_eq!((count(&book, "entries"), count(&book, "texts")), (4, 3));
    // All of it is there after it was closed.
    drop(book);
    let book = Book::open(Some(here.path())).unwrap();
    let entries = book.entries().unwrap();
    assert_eq!(entries.len(), 4);
    let oldest = &entries[3];
    assert_eq!(oldest.reasons, [Reason::Saved, Reason::Spread]);
    assert_eq!(
        (oldest.held, oldest.score),
        (Some(Share::new(190, 200)), Some(20.0))
    );
    assert_eq!(
        (oldest.name(), oldest.why()),
        ("round", "saved, spread".into())
    );
    assert_eq!(oldest.when.len(), "2026-11-30 15:10".len());
    assert_eq!(
        book.files(oldest.id).unwrap(),
        page(Reason::Saved, "a\n").files
    );
    assert_eq!(entries[0].held, None);
}

#[test]
fn notes_and_stars_stay_and_are_found() {
    let mut book = Book::open(None).unwrap();
    let first = book.write(&page(Reason::Saved, "a\n")).unwrap();
    let second = book
        .write(&Page {
            note: "New tyres".into(),
            ..page(Reason::Marked, "b\n")
        })
        .unwrap();
    book.star(first, true).unwrap();
    book.note(first, "before the lunch break").unwrap();
    let entries = book.entries().unwrap();
    let found = |search: &str| -> Vec<i64> {
        let met = entries.iter().filter(|entry| entry.meets(search));
        met.map(|entry| entry.id).collect()
    };
    assert_eq!(found("TYRES new"), [second]);
    assert_eq!(found("star"), [first]);
    assert_eq!(found("lunch saved"), [first]);
    assert_eq!(found("lunch marked"), [] as [i64; 0]);
    assert_eq!(found("round"), [second, first]);
    assert_eq!(found("  ").len(), 2);
    // What is written again without a note keeps its own.
    book.write(&page(Reason::Exported, "b\n")).unwrap();
    assert_eq!(book.entries().unwrap()[0].note, "New tyres");
    let table = String::from_utf8(csv(&entries)).unwrap();
    assert_eq!(table.lines().count(), 3);
    assert!(
        table.contains(
            "missions/round.way,marked,done at 12.0 s,true,12,20,,,everyday,7,false,New tyres"
        ),
        "{table}"
    );
}

#[test]
fn a_damaged_file_is_moved_aside_and_nothing_is_thrown_away() {
    let here = tempfile::tempdir().unwrap();
    let file = here.path().join(FILE);
    for (nth, name) in ["logbook.damaged.db", "logbook.damaged-2.db"]
        .into_iter()
        .enumerate()
    {
        let bytes = format!("this is no database, number {nth}").repeat(60);
        std::fs::write(&file, &bytes).unwrap();
        let mut book = Book::open(Some(here.path())).unwrap();
        assert_eq!(book.moved, Some(here.path().join(name)));
        assert_eq!(
            std::fs::read_to_string(here.path().join(name)).unwrap(),
            bytes
        );
        book.write(&page(Reason::Saved, "a\n")).unwrap();
        assert_eq!(book.entries().unwrap().len(), 1);
    }
    // A file of nothing is a new one, not a damaged one.
    std::fs::write(&file, "").unwrap();
    let book = Book::open(Some(here.path())).unwrap();
    assert_eq!(
        (book.moved.as_deref(), book.entries().unwrap().len()),
        (None, 0)
    );
}

#[test]
fn what_is_of_a_newer_version_or_of_another_program_is_left_alone() {
    let here = tempfile::tempdir().unwrap();
    let file = here.path().join(FILE);
    drop(Book::open(Some(here.path())).unwrap());
    let other = Connection::open(&file).unwrap();
    other
        .pragma_update(None, "user_version", VERSION + 1)
        .unwrap();
    drop(other);
    let before = std::fs::read(&file).unwrap();
    let error = Book::open(Some(here.path())).err().unwrap().to_string();
    assert!(error.contains("newer version"), "{error}");
    assert_eq!(std::fs::read(&file).unwrap(), before);
    std::fs::remove_file(&file).unwrap();
    let other = Connection::open(&file).unwrap();
    other
        .execute_batch("CREATE TABLE songs (name TEXT)")
        .unwrap();
    drop(other);
    let before = std::fs::read(&file).unwrap();
    let error = Book::open(Some(here.path())).err().unwrap().to_string();
    assert!(error.contains("another program"), "{error}");
    assert_eq!(std::fs::read(&file).unwrap(), before);
}

#[test]
fn two_programs_write_into_the_same_book() {
    let here = tempfile::tempdir().unwrap();
    let writers: Vec<_> = (0..4)
        .map(|writer| {
            let folder = here.path().to_owned();
            std::thread::spawn(move || {
                let mut book = Book::open(Some(&folder)).unwrap();
                for nth in 0..10 {
                    let mission = format!("missions/{writer}.way");
                    let page = Page {
                        mission: mission.clone(),
                        files: vec![(mission, format!("text {nth}\n"))],
                        ..page(Reason::Saved, "")
                    };
                    book.write(&page).unwrap();
                }
            })
        })
        .collect();
    for writer in writers {
        writer.join().unwrap();
    }
    let book = Book::open(Some(here.path())).unwrap();
    assert_eq!((count(&book, "entries"), count(&book, "texts")), (40, 10));
}

#[test]
fn what_differs_is_told_file_by_file() {
    let files = |mission: &str, robot: &str| {
        vec![
            ("missions/a.way".to_owned(), mission.to_owned()),
            ("robots/b.toml".to_owned(), robot.to_owned()),
        ]
    };
    let old = files("let pace = 20 %\nlet far = 3 m\n", "grip = 1\n");
    assert_eq!(differences(&old, &old), [] as [&str; 0]);
    let new = files("let pace = 30 %\nlet far = 3 m\n", "grip = 1\n");
    assert_eq!(
        differences(&old, &new),
        ["missions/a.way", "- let pace = 20 %", "+ let pace = 30 %"]
    );
    assert_eq!(
        differences(&old[..1], &old),
        ["robots/b.toml", "+ grip = 1"]
    );
}

#[test]
fn a_full_disk_leaves_the_book_as_it_was() {
    let here = tempfile::tempdir().unwrap();
    let mut book = Book::open(Some(here.path())).unwrap();
    book.write(&page(Reason::Saved, "a\n")).unwrap();
    let before = book.entries().unwrap();
    // A file that may not grow fails as a full disk does.
    book.connection
        .execute_batch("PRAGMA max_page_count = 1")
        .unwrap();
    let error = book
        .write(&page(Reason::Saved, &"b\n".repeat(50_000)))
        .unwrap_err();
    assert!(error.to_string().contains("the disk is full"), "{error}");
    assert_eq!(book.entries().unwrap(), before);
    assert_eq!(count(&book, "texts"), 2);
    book.connection
        .execute_batch("PRAGMA max_page_count = 1000000")
        .unwrap();
    book.write(&page(Reason::Saved, "b\n")).unwrap();
    assert_eq!(book.entries().unwrap().len(), 2);
}
