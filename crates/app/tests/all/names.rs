//! What lines do not show of names: those that went and are used, that are asked for where they stood,
//! that both sides declare.

use crate::kit::Repo;

fn python(fetch: &str, call: &str) -> [String; 2] {
    [
        format!(
            "def {fetch}(name):\n    row = look_up(name)\n    return row\n\n\ndef look_up(name):\n    return name\n"
        ),
        format!("import users\n\n\ndef report(name):\n    total = 1\n{call}    return total\n"),
    ]
}

#[test]
fn a_name_that_one_side_renamed_and_the_other_newly_uses_is_told_with_both_places() {
    let [users, report] = python("fetch_user", "");
    let [renamed, _] = python("load_user", "");
    let [_, uses] = python("fetch_user", "    total += users.fetch_user(name)\n");
    let repo = Repo::merge(&[
        ("users.py", [users.clone(), renamed, users]),
        ("report.py", [report.clone(), report, uses]),
    ]);
    let (code, said) = repo.output(&["proof"]);
    assert_eq!(code, 1, "{said}");
    let told = "function 'fetch_user' was renamed to 'load_user' by ours (users.py line 1 of base); theirs newly uses it here";
    assert!(
        said.contains("report.py:6") && said.contains(told),
        "{said}"
    );
}

#[test]
fn a_name_that_still_stands_somewhere_is_not_told() {
    let [users, report] = python("fetch_user", "");
    let [renamed, _] = python("load_user", "");
    let [_, uses] = python("fetch_user", "    total += users.fetch_user(name)\n");
    let other = "def fetch_user(name):\n    return name\n".to_owned();
    let repo = Repo::merge(&[
        ("users.py", [users.clone(), renamed, users]),
        ("report.py", [report.clone(), report, uses]),
        ("other.py", [other.clone(), other.clone(), other]),
    ]);
    let (code, said) = repo.output(&["proof"]);
    assert_eq!(code, 0, "{said}");
}

/// What Proof says of files that git merges by itself.
fn proof_of(files: &[(&str, [&str; 3])]) -> (i32, String) {
    let files: Vec<(&str, [String; 3])> = files
        .iter()
        .map(|(path, texts)| (*path, texts.map(str::to_owned)))
        .collect();
    Repo::merge(&files).output(&["proof"])
}

#[test]
fn what_both_declare_in_two_files_of_one_module_is_told() {
    let go = |name: &str| {
        format!("package quay\n\nfunc {name}(ship string) int {{\n\treturn len(ship)\n}}\n")
    };
    let old = go("Moor");
    let with = |name: &str| format!("{old}\nfunc {name}(ship string) int {{\n\treturn 1\n}}\n");
    let (ours, theirs) = (with("Fee"), with("Fee"));
    let (code, said) = proof_of(&[
        ("quay/berth.go", [&old, &ours, &old]),
        (
            "quay/tariff.go",
            [
                &old.replace("Moor", "Pay"),
                &old.replace("Moor", "Pay"),
                &theirs.replace("Moor", "Pay"),
            ],
        ),
    ]);
    let told = "function 'Fee' is declared by both: by theirs here (its line 7), by ours in quay/berth.go line 7";
    assert!(code == 1 && said.contains(told), "{said}");
    // In another folder it is another package; another name is another function.
    for (path, theirs) in [
        ("tariff/tariff.go", &theirs),
        ("quay/tariff.go", &with("Toll")),
    ] {
        let pay = old.replace("Moor", "Pay");
        let (code, said) = proof_of(&[
            ("quay/berth.go", [&old, &ours, &old]),
            (path, [&pay, &pay, &theirs.replace("Moor", "Pay")]),
        ]);
        assert_eq!(code, 0, "{said}");
    }
}

#[test]
fn methods_of_one_type_in_two_files_are_told_and_functions_of_two_modules_are_not() {
    let part = |names: &[&str]| {
        let all: Vec<String> = names
            .iter()
            .map(|name| {
                format!("    pub fn {name}(&self) -> u32 {{\n        self.{name}\n    }}\n")
            })
            .collect();
        format!("impl Quay {{\n{}}}\n", all.join("\n"))
    };
    let [moor, fee, more] = [part(&["moor"]), part(&["pay"]), part(&["pay", "depth"])];
    let (code, said) = proof_of(&[
        ("src/quay.rs", [&moor, &part(&["moor", "depth"]), &moor]),
        ("src/fees.rs", [&fee, &fee, &more]),
    ]);
    assert!(
        code == 1
            && said.contains("function 'depth' is declared by both")
            && said.contains("src/quay.rs line 6"),
        "{said}"
    );
    let (code, said) = proof_of(&[
        (
            "src/quay.rs",
            [
                "fn moor() {}\n",
                "fn moor() {}\n\nfn depth() {}\n",
                "fn moor() {}\n",
            ],
        ),
        (
            "src/fees.rs",
            [
                "fn pay() {}\n",
                "fn pay() {}\n",
                "fn pay() {}\n\nfn depth() {}\n",
            ],
        ),
    ]);
    assert_eq!(code, 0, "{said}");
}

const TOLLS: &str = "\"\"\"Tolls.\"\"\"\n\n\ndef toll(ship):\n    return ship.length\n";
const RATES: &str = "\n\ndef rates(hour):\n    return 120 + hour\n";

#[test]
fn a_name_that_is_asked_for_where_it_stood_is_told() {
    let both = format!("{TOLLS}{RATES}");
    let tables = format!("\"\"\"Tables.\"\"\"\n{RATES}");
    let book = "def line(hour):\n    return hour\n";
    let asking = [
        "from lock.tolls import rates\n\n\ndef line(hour):\n    return rates(hour)\n",
        "from lock import tolls\n\n\ndef line(hour):\n    return tolls.rates(hour)\n",
    ];
    for (asks, line) in asking.into_iter().zip([1, 5]) {
        let (code, said) = proof_of(&[
            ("lock/tolls.py", [&both, TOLLS, &both]),
            ("lock/tables.py", ["", &tables, ""]),
            ("lock/book.py", [book, book, asks]),
        ]);
        let told = format!(
            "lock/book.py:{line}: function 'rates' was moved from lock/tolls.py to lock/tables.py by ours; theirs newly asks for it at its old place here"
        );
        assert!(code == 1 && said.contains(&told), "{said}");
    }
    // Whoever is still handed on, or asked for at its new place, is not told.
    let handing = format!("from lock.tables import rates\n\n{TOLLS}");
    let there = "from lock.tables import rates\n\n\ndef line(hour):\n    return rates(hour)\n";
    for (tolls, asks) in [(handing.as_str(), asking[0]), (TOLLS, there)] {
        let (code, said) = proof_of(&[
            ("lock/tolls.py", [&both, tolls, &both]),
            ("lock/tables.py", ["", &tables, ""]),
            ("lock/book.py", [book, book, asks]),
        ]);
        assert_eq!(code, 0, "{said}");
    }
}

#[test]
fn a_file_that_one_side_renamed_and_the_other_newly_names_is_found() {
    let repo = Repo::new();
    repo.write("web/t/fee.html", "<p>fee</p>\n<p>tide</p>\n");
    repo.write("web/t/old.html", "<p>old</p>\n<p>tide, too</p>\n");
    repo.write("views.py", "def fee():\n    return 1\n");
    repo.write("notes.md", "# Notes\n");
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write(
        "views.py",
        "def fee():\n    return render('t/fee.html', 'cat/fee.html')\n",
    );
    repo.write(
        "notes.md",
        "# Notes\n\nSee [old](web/t/old.html) and t/older.html.\n",
    );
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.git(&["mv", "web/t/fee.html", "web/fees.html"]);
    repo.git(&["rm", "-q", "web/t/old.html"]);
    repo.commit("ours");
    let scout = repo.output(&["scout", "side", "--text"]).1;
    assert!(scout.contains("newly names it here"), "{scout}");
    repo.git(&["merge", "-q", "--no-commit", "--no-ff", "side"]);
    let (code, said) = repo.output(&["proof"]);
    assert_eq!(code, 1, "{said}");
    for wanted in [
        "views.py:2: file 'web/t/fee.html' was renamed to 'web/fees.html' by ours; theirs newly names it here",
        "notes.md:3: file 'web/t/old.html' was removed by ours; theirs newly names it here",
        "2 findings, 0 blocking",
    ] {
        assert!(said.contains(wanted), "{wanted}: {said}");
    }
    repo.git(&["commit", "-q", "-m", "Merge side"]);
    let (_, said) = repo.output(&["review"]);
    assert!(
        said.contains("? notes.md:3  file 'web/t/old.html'"),
        "{said}"
    );
    // A file that is there again, or was named before, is none.
    repo.git(&["reset", "-q", "--hard", "HEAD^1"]);
    repo.git(&["merge", "-q", "--no-commit", "--no-ff", "side"]);
    repo.write("web/t/fee.html", "back\n");
    repo.write("web/t/old.html", "back\n");
    repo.git(&["add", "-A"]);
    let said = repo.output(&["proof"]).1;
    assert!(!said.contains("newly names"), "{said}");
}

/// What Proof says of a merge in which ours changed `store` and theirs `uses`.
fn proven(store: [(&str, &str, &str); 1], uses: (&str, &str, &str)) -> String {
    let repo = Repo::new();
    let [(name, old, new)] = store;
    let (user, before, after) = uses;
    repo.write(name, old);
    repo.write(user, before);
    repo.commit("base");
    repo.git(&["checkout", "-q", "-b", "side"]);
    repo.write(user, after);
    repo.commit("theirs");
    repo.git(&["checkout", "-q", "main"]);
    repo.write(name, new);
    repo.commit("ours");
    repo.git(&["merge", "-q", "--no-commit", "--no-ff", "side"]);
    repo.output(&["proof"]).1
}

#[test]
fn a_new_call_with_the_arguments_from_before_is_found() {
    let python = (
        "store.py",
        "class Store:\n    def fetch(self, key):\n        return key\n",
        "class Store:\n    def fetch(self, tenant, key):\n        return key\n",
    );
    let base = "def use(store):\n    return 1\n";
    let call = |call: &str| format!("def use(store):\n    return {call}\n");
    let said = proven([python], ("use.py", base, &call("store.fetch(1)")));
    assert!(
        said.contains("use.py:2: 'fetch' takes (self, tenant, key) since ours changed it (store.py); theirs newly calls it with 1 argument"),
        "{said}"
    );
    let rust = (
        "store.rs",
        "pub fn fetch(key: u32) -> u32 {\n    key\n}\n",
        "pub fn fetch(key: u32, tenant: &str) -> u32 {\n    key\n}\n",
    );
    let said = proven(
        [rust],
        (
            "use.rs",
            "fn run() {\n    start();\n}\n",
            "fn run() {\n    start();\n    fetch(7);\n}\n",
        ),
    );
    assert!(said.contains("use.rs:3: 'fetch' takes"), "{said}");
    // A call that fits, one that another function of the name fits, and a parameter with a default.
    let said = proven([python], ("use.py", base, &call("store.fetch(1, 2)")));
    assert!(!said.contains("'fetch' takes"), "{said}");
    let other = "def fetch(one):\n    return one\n\n\ndef use(store):\n    return 1\n";
    let calls = other.replace("return 1", "return fetch(1)");
    let said = proven([python], ("use.py", other, &calls));
    assert!(!said.contains("'fetch' takes"), "{said}");
    // In another language it is another function.
    let script = (
        "use.js",
        "function use() {\n  start();\n}\n",
        "function use() {\n  start();\n  fetch(1);\n}\n",
    );
    let said = proven([python], script);
    assert!(!said.contains("'fetch' takes"), "{said}");
    let optional = (
        "store.py",
        python.1,
        "class Store:\n    def fetch(self, key, tenant=None):\n        return key\n",
    );
    let said = proven([optional], ("use.py", base, &call("store.fetch(1)")));
    assert!(!said.contains("'fetch' takes"), "{said}");
}
