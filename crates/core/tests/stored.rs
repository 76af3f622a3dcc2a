//! What earlier builds stored on people's disks still reads, and is still written so.

use armistice_core::*;
use std::sync::Arc;

const BASE: &str = "use tide;\nmoor(ship);\nlog(ship);\npay(fee);\n";
const OURS: &str = "use berth;\nuse tide;\nmoor(ship, low);\nlog(ship);\npay(fee, now);\n";
const THEIRS: &str = "use pilot;\nuse tide;\nmoor(tug, low);\nlog(ship);\npay(dues);\n";

/// A journal as the first build that settled by rule wrote it.
const JOURNAL: &str = r#"{"armistice":1,"path":"src/quay.rs","versions":["b0","01","7e"]}
{"do":{"label":"settled 1 conflict by rule","entries":[{"rule":[0,{"rule":"sorted","certainty":"certain","reason":"the order gives every line its place","resolution":{"woven":[{"lines":["ours",{"start":0,"end":1}]},{"lines":["theirs",{"start":0,"end":1}]}]}}]}]}}
{"do":{"label":"settled 2 by blend","entries":[{"settle":[2,{"woven":[{"text":"moor(tug, low);\n"}]}]}]}}
{"do":{"label":"picked","entries":[{"settle":[4,{"lines":[{"version":"theirs","line":4},{"version":"base","line":3}]}]}],"group":7}}
"undo"
"redo"
{"do":{"label":"by hand","entries":[{"edit":{"edits":[{"lines":{"start":3,"end":4},"text":"log(tug);\n"}],"prefer":2}},{"edit":{"edits":[{"lines":{"start":0,"end":0},"text":[255,10]}]}}]}}
{"do":{"label":"both","entries":[{"reopen":4},{"settle":[4,{"both":"theirs"}]},{"restore":2},{"settle":[2,{"take":"base"}]},{"settle":[0,"drop"]}]}}
"#;

#[test]
fn an_old_journal_is_read_replayed_and_written_as_it_was() {
    let read = read_journal(JOURNAL.as_bytes());
    assert_eq!(read.unreadable, [0usize; 0]);
    let mut written = read.header.unwrap().to_line();
    written.extend(read.events.iter().flat_map(Event::to_line));
    assert_eq!(String::from_utf8(written).unwrap(), JOURNAL);
    let plan = plan(
        &BASE.into(),
        &OURS.into(),
        &THEIRS.into(),
        &Options::default(),
    );
    let upto = |n: usize| {
        let (session, refused) = Session::replay(Arc::new(plan.clone()), &read.events[..n]);
        assert_eq!(refused, None);
        String::from_utf8_lossy(&session.draft().bytes()).into_owned()
    };
    let picked =
        "use berth;\nuse pilot;\nuse tide;\nmoor(tug, low);\nlog(ship);\npay(dues);\npay(fee);\n";
    assert_eq!(upto(3), picked);
    assert_eq!(upto(4), picked.replace("pay(dues);\n", ""));
    assert_eq!(upto(5), picked);
    let last = upto(read.events.len());
    assert!(last.ends_with("pay(dues);\npay(fee, now);\n"), "{last}");
}

#[test]
fn an_old_memory_is_read_and_written_as_it_was() {
    let lines = [
        r#"{"base":"a\n","ours":"b\n","theirs":"c\n","outcome":{"take":"theirs"}}"#,
        r#"{"base":"a\n","ours":"b\n","theirs":[255,10],"outcome":{"both":"ours"}}"#,
        r#"{"base":"","ours":"b\n","theirs":"c\n","outcome":{"text":"d\n"}}"#,
    ];
    let read: Vec<PastResolution> = lines.map(|line| serde_json::from_str(line).unwrap()).into();
    assert_eq!(read[0].outcome, PastOutcome::Take(Version::Theirs));
    assert_eq!(read[1].theirs, [255, 10]);
    assert_eq!(read[2].outcome, PastOutcome::Text(b"d\n".to_vec()));
    for (past, line) in read.iter().zip(lines) {
        assert_eq!(serde_json::to_string(past).unwrap(), line);
    }
}
