//! The report: one page, or a short summary, with every verdict.

use std::fs;
use std::path::Path;
use std::process::Command as Process;

use serde_json::Value;

use super::{golden, hypotheke, output, traverse};

/// A report of the demo, and what the command printed.
fn written(demo: &Path, to: &str, more: &[&str], status: i32) -> (String, String) {
    let printed = output(hypotheke(demo).args(["report", "--to", to]).args(more), status);
    (fs::read_to_string(demo.join(to)).expect("a report"), printed)
}

#[test]
fn a_page_has_every_part_and_is_the_same_each_time() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let (page, printed) = written(&demo, "report.html", &[], 0);
    hypotheke(&demo).args(["report", "--to", "again.html"]).assert().success();
    assert!(fs::read_to_string(demo.join("again.html")).expect("a report") == page, "the same bytes");
    assert!(printed.starts_with("wrote  report.html\n") && printed.contains("scenarios passed"), "{printed}");
    for part in ["Summary", "Claims", "Scenarios", "Coverage", "Containers", "Kinds", "What fits where", "Source"] {
        assert!(page.contains(&format!(">{part}</h2>")), "{part}");
    }
    assert!(page.len() < 1_000_000, "{} bytes", page.len());
    // Nothing is loaded from elsewhere.
    for elsewhere in ["http://", "https://", "src=", "@import", "url("] {
        let found = page.match_indices(elsewhere).map(|(at, _)| &page[at..(at + 60).min(page.len())]);
        let found: Vec<&str> = found.filter(|it| !it.starts_with("http://www.w3.org/2000/svg")).collect();
        assert!(found.is_empty(), "{found:?}");
    }
    // Each link leads to something.
    let targets: std::collections::BTreeSet<&str> = after(&page, " id=\"");
    let links = after(&page, "href=\"#");
    assert!(links.len() > 50, "{}", links.len());
    let lost: Vec<&&str> = links.iter().filter(|link| !targets.contains(**link)).collect();
    assert!(lost.is_empty(), "{lost:?}");
}

const HEAVY: &str = "scenario Heavy\n  start\n    depot: 5 fuel-drum\n  steps\n    move 5 fuel-drum from depot to sled\n\
scenario Heavier\n  start\n    depot: 6 fuel-drum\n  steps\n    move 6 fuel-drum from depot to sled\n";

/// The texts between a mark and the next quotation mark.
fn after<'p>(page: &'p str, mark: &str) -> std::collections::BTreeSet<&'p str> {
    page.match_indices(mark).filter_map(|(at, _)| page[at + mark.len()..].split('"').next()).collect()
}

#[test]
fn a_summary_names_what_failed_and_what_differs() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let against = ["--against", "earlier/rules-2.toml"];
    let (summary, printed) = written(&demo, "summary.md", &against, 0);
    assert!(printed.contains(" from earlier/rules-2.toml\n"), "{printed}");
    assert!(
        printed.contains("2 saves without a law violation; 1 save of a different ruleset not audited"),
        "{printed}"
    );
    snapbox::assert_data_eq!(summary, golden("summary.txt"));
    // A scenario that passed under the earlier rules, and fails now, is a failure.
    let rules = fs::read_to_string(demo.join("rules.toml")).expect("rules");
    fs::write(demo.join("larger.toml"), rules.replace("weight-cap = 180", "weight-cap = 500")).expect("written");
    fs::write(demo.join("heavy.scenario"), HEAVY).expect("written");
    let inputs = ["rules.toml", "heavy.scenario", "--against", "larger.toml"];
    let (summary, printed) = written(&demo, "heavy.md", &inputs, 1);
    assert!(printed.contains("2 scenarios that passed FAIL now"), "{printed}");
    assert!(summary.contains("**passed → failed** Heavy"), "{summary}");
}

#[test]
fn counterexamples_and_failures_are_in_both_forms() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let (page, _) = written(&demo, "canteen.html", &["canteen"], 1);
    for text in ["VIOLATED", "Counterexample", "What changed", "operations applied", "Scope of the search"] {
        assert!(page.contains(text), "{text}");
    }
    let (summary, _) = written(&demo, "canteen.md", &["canteen"], 1);
    assert!(summary.contains("- **VIOLATED** ") && summary.contains("Not searched: verbs: "), "{summary}");
    fs::write(
        demo.join("wrong.scenario"),
        "scenario Wrong\n  steps\n    move 1 fuel-drum from depot to sled  -> refused\n",
    )
    .expect("written");
    for (name, text) in [("wrong.html", "coverage was not measured"), ("wrong.md", "coverage was not measured")] {
        let (report, printed) = written(&demo, name, &["rules.toml", "wrong.scenario"], 1);
        assert!(printed.contains("1 of 1 scenario FAILED") && report.contains(text), "{printed}");
        assert!(report.contains("expected") && report.contains("refused"), "{name}");
    }
}

/// Text from files is never markup, and never steers the reading.
#[test]
fn no_name_and_no_note_is_markup() {
    let folder = tempfile::tempdir().expect("a folder");
    let rules = "title = \"<script>alert(1)</script> \\u202e & \\\"quoted\\\"\"\n\
                 [kind.flare]\nname = \"</td><img src=x onerror=alert(1)>\"\nnote = \"NOTE\"\n\
                 [container.sled]\nname = \"\\u001b[31m*bold* [x](javascript:y) @all\"\nslots = 2\n\
                 [start]\nsled = [\"1 flare\"]\n";
    fs::write(folder.path().join("rules.toml"), rules.replace("NOTE", &"long <b> ".repeat(1_200))).expect("written");
    fs::write(
        folder.path().join("a.scenario"),
        "scenario </summary><script>x</script> `a` *b* @all\n  end\n    sled: nothing\n",
    )
    .expect("written");
    let (page, _) = written(folder.path(), "report.html", &[], 1);
    let (summary, _) = written(folder.path(), "summary.md", &[], 1);
    for wrong in ["<script>alert", "<img", "<script>x", "</summary><script>", "\u{202e}", "\u{1b}", "<b>"] {
        assert!(!page.contains(wrong), "{wrong:?}");
    }
    // A fence shows its text as it is.
    let outside: String = summary.split("```").step_by(2).collect();
    for wrong in ["<script>", "</summary>", "<b>", "\u{202e}", "\u{1b}", "@all"] {
        assert!(!outside.contains(wrong), "{wrong:?} in {outside}");
    }
    assert!(!summary.contains('\u{202e}') && !summary.contains('\u{1b}'));
    assert!(page.contains("&lt;img src=x onerror=alert(1)&gt;"));
}

#[test]
fn many_kinds_are_folded_and_counted() {
    let folder = tempfile::tempdir().expect("a folder");
    let table = |kinds: usize| {
        let rows = (0..kinds).map(|nth| format!("kind-{nth},{},{}\n", 1 + nth % 3, nth % 5));
        format!("id,weight,value\n{}", rows.collect::<String>())
    };
    let rules =
        "tables = [\"items.csv\"]\n[container.sled]\nslots = 8\nweight-cap = 20\n[container.depot]\nslots = 8\n";
    fs::write(folder.path().join("rules.toml"), rules).expect("written");
    fs::write(folder.path().join("items.csv"), table(2_000)).expect("written");
    let (page, _) = written(folder.path(), "report.html", &[], 0);
    assert!(page.len() < 10_000_000, "{} bytes", page.len());
    assert!(page.contains("kind-0, kind-1, kind-3, ") && page.contains("and 1294 more"), "equal rows are one");
    let (summary, _) = written(folder.path(), "summary.md", &[], 0);
    assert!(summary.len() <= 60_000 && summary.contains("no scenarios"), "{summary}");
    fs::write(folder.path().join("items.csv"), table(100_000)).expect("written");
    let (page, _) = written(folder.path(), "large.html", &[], 0);
    assert!(page.len() < 10_000_000 && page.contains("And 97500 more kinds."), "{} bytes", page.len());
}

#[test]
fn a_summary_stays_short_and_counts_what_it_leaves_out() {
    let folder = tempfile::tempdir().expect("a folder");
    fs::write(folder.path().join("rules.toml"), "[kind.flare]\n[container.sled]\nslots = 2\n").expect("written");
    let failing = |nth: usize| format!("scenario Number {nth}\n  end\n    sled: {nth} flare\n");
    fs::write(folder.path().join("a.scenario"), (1..900).map(failing).collect::<String>()).expect("written");
    let (summary, _) = written(folder.path(), "summary.md", &[], 1);
    assert!(summary.len() <= 60_000, "{}", summary.len());
    assert!(summary.contains(" more entries are left out."), "{}", &summary[summary.len() - 300..]);
}

#[test]
fn an_existing_file_and_an_unknown_suffix_are_refused() {
    let folder = tempfile::tempdir().expect("a folder");
    fs::write(folder.path().join("rules.toml"), "[kind.flare]\n[container.sled]\nslots = 2\n").expect("written");
    fs::write(folder.path().join("report.html"), "mine").expect("written");
    let refused = |args: &[&str]| {
        let output = hypotheke(folder.path()).args(["report", "--to"]).args(args).output().expect("it runs");
        assert_eq!(output.status.code(), Some(2), "{args:?}");
        String::from_utf8_lossy(&output.stderr).into_owned()
    };
    assert!(refused(&["report.html"]).contains("`report.html` exists; nothing was written"));
    assert_eq!(fs::read_to_string(folder.path().join("report.html")).expect("there"), "mine");
    fs::create_dir(folder.path().join("folder.html")).expect("a folder");
    assert!(refused(&["folder.html", "--force"]).contains("`folder.html` is a folder; nothing was written"));
    assert!(refused(&["report.pdf"]).contains("Name a file that ends in `.html` or in `.md`"));
    assert!(refused(&["new.html", "--against", "missing.toml"]).contains("missing.toml"));
    assert!(!folder.path().join("new.html").exists());
    let json =
        output(hypotheke(folder.path()).args(["report", "--to", "report.html", "--force", "--format", "json"]), 0);
    let json: Value = serde_json::from_str(&json).expect("JSON");
    assert_eq!((json["written"].as_str(), json["coverage"].is_null()), (Some("report.html"), true));
    assert!(fs::read_to_string(folder.path().join("report.html")).expect("there").starts_with("<!DOCTYPE html>"));
}

/// The page in a real browser, at two widths: no message in its console, no request, tables that
/// sort and search, and nothing that a checker of accessibility objects to. Without a browser or
/// without npm this is skipped, unless `HYPOTHEKE_BROWSER` is `required`.
#[test]
fn a_browser_shows_the_page_and_finds_nothing_wrong() {
    let skip = |why: &str| {
        assert!(std::env::var("HYPOTHEKE_BROWSER").as_deref() != Ok("required"), "{why}");
        println!("skipped: {why}");
    };
    let has = |name: &str| Process::new(name).arg("--version").output().is_ok_and(|output| output.status.success());
    if let Some(missing) = ["chromium", "node", "npm"].into_iter().find(|name| !has(name)) {
        return skip(&format!("there is no `{missing}`"));
    }
    let folder = traverse();
    let tools = folder.path().join("tools");
    fs::create_dir(&tools).expect("a folder");
    let own = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/browser");
    for name in ["package.json", "package-lock.json", "check.mjs"] {
        fs::copy(own.join(name), tools.join(name)).expect("copied");
    }
    let installed = Process::new("npm").args(["ci", "--ignore-scripts", "--no-audit"]).current_dir(&tools).output();
    if !installed.is_ok_and(|output| output.status.success()) {
        return skip("npm could not install its packages");
    }
    let demo = folder.path().join("traverse");
    let (_, _) = written(&demo, "report.html", &["--against", "earlier/rules-2.toml"], 0);
    let (_, _) = written(&demo, "canteen.html", &["canteen"], 1);
    for page in ["report.html", "canteen.html"] {
        let checked =
            Process::new("node").arg("check.mjs").arg(demo.join(page)).current_dir(&tools).output().expect("runs");
        let said = String::from_utf8_lossy(&checked.stdout).into_owned() + &String::from_utf8_lossy(&checked.stderr);
        assert!(checked.status.success(), "{page}\n{said}");
    }
}
