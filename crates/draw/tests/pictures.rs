//! Pictures are valid for an XML parser and for a PDF reader, and their text can be read out of them.

use armistice_core::{
    DecidedBy, Decision, FileRecord, MergeRecord, Source, Versions, declaration_changes,
    outline_by_indentation,
};
use armistice_draw::{
    CommitDot, HistoryPicture, MovedFile, MovesPicture, Scene, Shape, history_scene, moves_scene,
    record_scene, write_pdf, write_svg,
};

fn svg(scene: &Scene) -> String {
    let mut out = Vec::new();
    write_svg(scene, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}

fn pdf(scene: &Scene) -> Vec<u8> {
    let mut out = Vec::new();
    write_pdf(scene, &mut out).unwrap();
    out
}

/// The texts of an SVG document, as an XML parser reads them.
fn texts(svg: &str) -> Vec<String> {
    let document = roxmltree::Document::parse(svg).unwrap();
    let texts = document
        .descendants()
        .filter(|node| node.has_tag_name("text"));
    texts
        .filter_map(|node| node.text().map(|t| t.trim_matches('\n').to_owned()))
        .collect()
}

fn moves(files: usize) -> Scene {
    let base: Source = "moor:\n  a\n\npay:\n  b\n\nleave:\n  c\n".into();
    let ours: Source = "pay:\n  b\n\nleave:\n  c\n\nmoor:\n  a\n".into();
    let theirs: Source = "moor:\n  a & <b>\n\npay:\n  b\n".into();
    let outlines = [&base, &ours, &theirs].map(outline_by_indentation);
    let [b, o, t] = &outlines;
    let changes = declaration_changes(&Versions { base, ours, theirs }, [b, o, t]);
    let file = |n: usize| MovedFile {
        path: format!("quay/{n}/{}.txt", "long".repeat(60)),
        changes: &changes,
        elsewhere: vec![[None, None]; changes.len()],
    };
    moves_scene(&MovesPicture {
        ours: "harbour/main".to_owned(),
        theirs: "night \"pilotage\" 漢".to_owned(),
        files: (0..files).map(file).collect(),
    })
}

fn record(files: usize) -> MergeRecord {
    let decision = |n: usize, by| Decision {
        conflict: n,
        line: 3,
        cause: "both sides changed the same line".to_owned(),
        by,
        rule: (by == DecidedBy::Rule).then(|| "word-by-word blend".to_owned()),
        reason: "different words".to_owned(),
    };
    let file = |n: usize| FileRecord {
        path: format!("src/quay{n}.rs"),
        decisions: vec![decision(1, DecidedBy::Rule), decision(2, DecidedBy::Open)],
        strip: vec![
            None,
            Some(DecidedBy::Ours),
            Some(DecidedBy::Open),
            Some(DecidedBy::Blend),
        ],
    };
    MergeRecord {
        operation: "merge".to_owned(),
        ours: "harbour/main".to_owned(),
        theirs: "night-pilotage".to_owned(),
        who: "Ines Brandt".to_owned(),
        commit: None,
        files: (0..files).map(file).collect(),
    }
}

/// Every shape lies on its page.
fn assert_on_page(scene: &Scene) {
    for page in &scene.pages {
        for shape in &page.shapes {
            let points = match shape {
                Shape::Box {
                    at: [x, y, w, h], ..
                } => vec![[*x, *y], [x + w, y + h]],
                Shape::Line { points, .. } => points.clone(),
                Shape::Disc { at, .. } | Shape::Text { at, .. } => vec![*at],
            };
            for [x, y] in points {
                let inside = (0.0..=scene.width).contains(&x) && (0.0..=page.height).contains(&y);
                assert!(inside, "{shape:?} on {} by {}", scene.width, page.height);
            }
        }
    }
}

#[test]
fn moves_are_drawn_with_names_marks_and_joining_lines() {
    let scene = moves(1);
    assert_on_page(&scene);
    let svg = svg(&scene);
    let texts = texts(&svg);
    assert!(
        texts.iter().any(|t| t == "▲ block moor:  moved"),
        "{texts:?}"
    );
    assert!(
        texts.iter().any(|t| t == "▼ block moor:  edited"),
        "{texts:?}"
    );
    // What has no glyph is replaced, what is long loses its middle.
    assert!(
        texts
            .iter()
            .any(|t| t.contains("night \"pilotage\" \u{FFFD}")),
        "{texts:?}"
    );
    assert!(
        texts
            .iter()
            .any(|t| t.starts_with("quay/0/") && t.contains('…')),
        "{texts:?}"
    );
    let crossing = scene.pages[0].shapes.iter().filter(|shape| {
        matches!(shape, Shape::Line { points, width, .. } if points.len() == 4 && *width > 1.0)
    });
    assert!(crossing.count() >= 1);
}

#[test]
fn pages_break_between_files_and_a_pdf_reader_finds_the_text_of_each() {
    for (scene, least) in [(moves(20), 3), (record_scene(&record(60)), 3)] {
        assert_on_page(&scene);
        assert!(scene.pages.len() >= least, "{}", scene.pages.len());
        let document = lopdf::Document::load_mem(&pdf(&scene)).unwrap();
        assert_eq!(document.get_pages().len(), scene.pages.len());
        for number in document.get_pages().keys() {
            let text = document.extract_text(&[*number]).unwrap();
            assert!(text.contains("quay"), "page {number}: {text:?}");
        }
    }
}

#[test]
fn a_record_shows_each_file_and_a_legend() {
    let svg = svg(&record_scene(&record(2)));
    let texts = texts(&svg);
    for wanted in [
        "src/quay1.rs",
        "★ by rule 1",
        "○ open 1",
        "2 conflicts, 1 open",
        "✎ by hand",
    ] {
        assert!(
            texts.iter().any(|t| t == wanted),
            "no {wanted:?} in {texts:?}"
        );
    }
    let markdown = record(1).to_markdown();
    assert!(markdown.contains("1 by rule, 1 open."), "{markdown}");
    assert!(
        markdown.contains("- **by rule** (word-by-word blend): conflict 1, line 3."),
        "{markdown}"
    );
}

#[test]
fn a_history_shows_both_lines_and_where_they_meet() {
    let dot = |n: usize| CommitDot {
        short: format!("{n:07x}"),
        subject: format!("Change {n}"),
        who: "Ines Brandt, 2 days ago".to_owned(),
    };
    let mut picture = HistoryPicture {
        ours: "harbour/main".to_owned(),
        theirs: "night-pilotage".to_owned(),
        of_ours: (0..3).map(dot).collect(),
        of_theirs: (3..60).map(dot).collect(),
        left_out: [0, 40],
        base: Some(dot(99)),
    };
    let scene = history_scene(&picture);
    let drawn = svg(&scene);
    let all = texts(&drawn);
    assert!(all.iter().any(|t| t.ends_with("Change 99")), "{all:?}");
    assert!(all.iter().any(|t| t == "… and 40 commits more"), "{all:?}");
    assert!(
        all.iter().any(|t| t.contains("97 commits of its own")),
        "{all:?}"
    );
    picture.base = None;
    let drawn = svg(&history_scene(&picture));
    assert!(
        texts(&drawn)
            .iter()
            .any(|t| t == "They have nothing in common.")
    );
    assert!(lopdf::Document::load_mem(&pdf(&scene)).is_ok());
}
