//! Whatever a designer writes wrong: where, what, and what to do about it.

use std::path::Path;
use std::sync::Arc;

use hypotheke::text::{Diagnostics, Severity, Source};
use hypotheke::{LoadError, Ruleset, ScenarioFile};
use proptest::prelude::*;

/// `line:column code 'text'` of each diagnostic.
fn places(found: &Diagnostics) -> Vec<String> {
    let place = |diagnostic: &hypotheke::text::Diagnostic| {
        let at = found.line_column(diagnostic.location());
        let text = found.source(diagnostic.location()).map_or("", |source| source.slice(diagnostic.location().span));
        format!("{}:{} {} '{}'", at.line, at.column, diagnostic.code(), text)
    };
    found.iter().map(place).collect()
}

fn faults(text: &str) -> Diagnostics {
    match Ruleset::from_toml("rules.toml", text) {
        Ok(_) => panic!("no fault was found in\n{text}"),
        Err(errors) => errors.diagnostics().clone(),
    }
}

#[test]
fn each_fault_is_found_at_its_place() {
    let mut wrong = Vec::new();
    for (text, expected) in [
        ("", "1:1 empty ''"),
        ("# nothing but a comment", "1:1 empty ''"),
        ("format = 2", "1:10 unknown-format '2'"),
        ("titel = \"x\"", "1:1 unknown-key 'titel'"),
        ("title = 3", "1:9 wrong-type '3'"),
        ("version = -1", "1:11 out-of-range '-1'"),
        ("stack-limit = 0", "1:15 out-of-range '0'"),
        ("stack-limit = 2.5", "1:15 out-of-range '2.5'"),
        ("stack-limit = 1000000000000000000000000000000", "1:15 out-of-range '1000000000000000000000000000000'"),
        ("[kind.a]\nweight = 0.0001", "2:10 bad-number '0.0001'"),
        ("[kind.a]\nweight = 1e3", "2:10 bad-number '1e3'"),
        ("[kind.a]\nweight = inf", "2:10 bad-number 'inf'"),
        ("[kind.a]\nweight = -1", "2:10 out-of-range '-1'"),
        ("[kind.a]\nvalue = 1000000000000000000000000000000", "2:9 bad-number '1000000000000000000000000000000'"),
        ("[kind.a]\nweigth = 1", "2:1 unknown-key 'weigth'"),
        ("[kind.A]", "1:7 bad-name 'A'"),
        ("[kind.not]", "1:7 bad-name 'not'"),
        ("[kind.a]\ntags = \"food\"", "2:8 wrong-type '\"food\"'"),
        ("[kind.a]\ntags = [\"Food\"]", "2:9 bad-name '\"Food\"'"),
        ("[kind.a]\ntags = [1]", "2:9 wrong-type '1'"),
        ("[kind.a]\n[kind.a]", "2:7 syntax 'a'"),
        ("[kind.a]\ntags = [\"a\"]", "1:7 name-clash 'a'"),
        ("[kind.a]\n[mark.a]", "2:7 name-clash 'a'"),
        ("[kind.a]\nproperties = { weight = 1 }", "2:16 bad-name 'weight'"),
        ("[kind.a]\nproperties = { p = 1 }\n[kind.b]\nproperties = { p = \"x\" }", "3:7 wrong-type 'b'"),
        ("[container.a]", "1:12 missing-key 'a'"),
        ("[container.a]\nslots = \"x\"", "2:9 wrong-type '\"x\"'"),
        ("[container.a]\nslots = 0", "2:9 out-of-range '0'"),
        ("[container.a]\nslots = 99999999999999999999", "2:9 out-of-range '99999999999999999999'"),
        ("[container.a]\nslots = 5000000", "2:9 out-of-range '5000000'"),
        ("[container.a]\nslots = 2\ncolumns = 3", "3:11 out-of-range '3'"),
        ("[container.a]\nslots = 1\nslot = [{}, {}]", "2:9 out-of-range '1'"),
        ("[container.a]\nslots = 3\nadmits = \"foo\"", "3:11 unknown-name 'foo'"),
        ("[container.a]\nslots = 3\nadmits = \"weight\"", "3:11 no-comparison 'weight'"),
        ("[container.a]\nslots = 3\nadmits = \"foo > 1\"", "3:11 unknown-property 'foo'"),
        ("[container.a]\nslots = 3\nadmits = \"weight < \"", "3:20 bad-filter ''"),
        ("[container.a]\nslots = 3\nadmits = '''\nfoo'''", "3:10 unknown-name ''''\nfoo''''"),
        ("[container.a]\nslot = [{ name = \"b\" }, { name = \"b\" }]", "2:34 duplicate '\"b\"'"),
        ("[container.ground]\nslots = 1", "1:12 bad-name 'ground'"),
        ("[container.a]\nslots = 1\n[holder.a]", "3:9 duplicate 'a'"),
        ("[holder.h]\ncarries = [\"x\"]", "2:12 unknown-container '\"x\"'"),
        ("[container.c]\nslots = 1\ncopies = [\"d\"]\n[holder.h]\ncarries = [\"c\"]", "3:11 two-uses '\"d\"'"),
        ("tables = [\"none.csv\"]", "1:11 no-table '\"none.csv\"'"),
        ("[start]\nx = [\"1 y\"]", "2:9 unknown-kind 'y'"),
        ("[kind.y]\n[start]\nx = [\"1 y\"]", "3:1 bad-start 'x'"),
        ("[kind.y]\n[container.x]\nslots = 1\n[start]\nx = [\"2 y\"]", "5:6 bad-start '\"2 y\"'"),
        ("[kind.y]\nmost-in-world = 1\n[container.x]\nslots = 2\n[start]\nx = [\"2 y\"]", "6:6 bad-start '\"2 y\"'"),
        ("[kind.y]\nmost-in-world = 0", "2:17 out-of-range '0'"),
        ("[kind.y]\n[start]\nx = \"1 y\"", "3:5 wrong-type '\"1 y\"'"),
        ("[kind.y]\n[start]\nx = [\"y\"]", "3:7 bad-portion 'y'"),
        ("[kind.y]\n[start]\n\"x//1\" = []", "3:1 bad-place '\"x//1\"'"),
        ("nesting = 0", "1:11 out-of-range '0'"),
        ("nesting = 33", "1:11 out-of-range '33'"),
        ("[kind.a]\npack = \"b\"", "2:8 unknown-container '\"b\"'"),
        ("[kind.a]\npack = 3", "2:8 wrong-type '3'"),
        ("[kind.a]\npack = \"b\"\nstack-limit = 2\n[container.b]\nslots = 1", "1:7 out-of-range 'a'"),
        ("[kind.a]\npack = \"b\"\n[container.b]\nslots = 1\nworn = true", "2:8 two-uses '\"b\"'"),
        ("[kind.a]\npack = \"b\"\n[container.b]\nslots = 1\n[holder.h]\ncarries = [\"b\"]", "3:12 two-uses 'b'"),
        ("[kind.a]\npack = \"b\"\n[container.b]\nslots = 1\ncopies = [\"c\"]", "5:11 two-uses '\"c\"'"),
        (
            "[kind.a]\noccupies-slots = [\"left\"]\n[container.b]\nslot = [{ name = \"lift\" }]",
            "2:19 unknown-slot '\"left\"'",
        ),
        ("[kind.a]\noccupies-slots = \"left\"", "2:18 wrong-type '\"left\"'"),
        ("[container.b]\nslots = 1\nwhen-unfit = \"go\"", "3:14 unknown-choice '\"go\"'"),
        ("[container.b]\nslots = 1\non-put = [\"place\", \"throw\"]", "3:20 unknown-choice '\"throw\"'"),
        ("ground-limit = 0", "1:16 out-of-range '0'"),
        ("[container.b]\nslots = 2\nmin-slots = 3", "3:13 out-of-range '3'"),
        ("[container.b]\nslots = 2\nmax-slots = 1", "3:13 out-of-range '1'"),
        ("[container.b]\nslots = 2\nmax-slots = 4000001", "3:13 out-of-range '4000001'"),
        ("[container.b]\nslots = 3\nslot = [{}, { name = \"c\" }]\nmin-slots = 1", "4:13 out-of-range '1'"),
        ("[container.b]\nslots = 2\nmust-open = \"yes\"", "3:13 wrong-type '\"yes\"'"),
        ("[container.b]\nslots = 2\nexclusive = 1", "3:13 wrong-type '1'"),
        ("[holder.h]\nshortcuts = 257", "2:13 out-of-range '257'"),
        ("[holder.h]\ndepleted-shortcuts = \"drop\"", "2:22 unknown-choice '\"drop\"'"),
        ("[container.shortcuts]\nslots = 1", "1:12 bad-name 'shortcuts'"),
        ("[kind.a]\nattributes = { warmth = \"much\" }", "2:25 wrong-type '\"much\"'"),
        ("[holder.h]\nencumbrance = [{ at = 2 }]", "2:16 missing-key '{ at = 2 }'"),
        ("[holder.h]\nencumbrance = [{ at = -2, label = \"laden\" }]", "2:23 out-of-range '-2'"),
        (
            "[holder.h]\nencumbrance = [{ at = 2, label = \"laden\" }, { at = 2, label = \"slow\" }]",
            "2:63 duplicate '\"slow\"'",
        ),
        ("[container.b]\nslots = 1\ndeep = true", "3:8 missing-key 'true'"),
        ("[kind.a]\n[container.b]\nslots = 1\n[start]\n\"b/0/\" = [\"1 a\"]", "5:1 bad-start '\"b/0/\"'"),
        ("[kind.a]\nprotected = \"yes\"", "2:13 wrong-type '\"yes\"'"),
        ("[kind.a]\n[container.c]\nslots = 1\ntake-by = 0", "4:11 wrong-type '0'"),
        ("[container.c]\nslots = 1\ntake = false", "3:1 unknown-key 'take'"),
        ("[container.c]\nslots = 1\nput-by = []", "3:10 empty '[]'"),
        ("[container.c]\nslots = 1\nput-by = \"ann\"\n[holder.anna]", "3:10 unknown-holder '\"ann\"'"),
        ("[container.c]\nslots = 1\nopen-by = [\"anyone\", \"h\"]\n[holder.h]", "3:12 bad-access '\"anyone\"'"),
        ("[container.c]\nslots = 1\nopen-by = [\"h\", \"nobody\"]\n[holder.h]", "3:17 bad-access '\"nobody\"'"),
        ("[container.c]\nslots = 1\ntake-by = [\"h\", \"h\"]\n[holder.h]", "3:17 duplicate '\"h\"'"),
        ("[container.c]\nslots = 1\nowner = \"h\"\n[holder.h]\ncarries = [\"c\"]", "3:9 not-supported '\"h\"'"),
        ("[kind.k]\npack = \"c\"\n[container.c]\nslots = 1\nowner = \"h\"\n[holder.h]", "5:9 not-supported '\"h\"'"),
        (
            "[container.c]\nslots = 1\nowner = \"crew\"\n[holder.h]\ngroups = [\"crew\"]",
            "3:9 unknown-holder '\"crew\"'",
        ),
        ("[container.c]\nslots = 1\nowner = \"g\"\n[holder.h]", "3:9 unknown-holder '\"g\"'"),
        ("[holder.h]\ngroups = [\"crew\", \"crew\"]", "2:19 duplicate '\"crew\"'"),
        ("[container.c]\nslots = 1\n[holder.h]\ngroups = [\"c\"]", "4:11 duplicate '\"c\"'"),
        ("[holder.nobody]", "1:9 bad-name 'nobody'"),
        ("[holder.h]\ngroups = [\"owner\"]", "2:11 bad-name '\"owner\"'"),
        ("[kind.a]\n[container.c]\nslots = 1\ncaps = [{ of = \"a\" }]", "4:9 missing-key '{ of = \"a\" }'"),
        ("[kind.a]\n[container.c]\nslots = 1\ncaps = [{ of = \"b\", count = 2 }]", "4:17 unknown-name 'b'"),
        ("[holder.h]\ncaps = [{ of = \"b\", count = 0 }]", "2:29 out-of-range '0'"),
        (
            "[kind.a]\nstack-limit = 9\n[container.c]\nslots = 1\ncaps = [{ of = \"a\", count = 2 }]\n[start]\nc = [\"3 a\"]",
            "7:6 bad-start '\"3 a\"'",
        ),
        ("a = \n", "1:5 syntax ''"),
        (
            "[container.a]\nslots = 4000000\n[container.b]\nslots = 4000000\n[container.c]\nslots = 4000000\n[container.d]\nslots = 4000000\n[container.e]\nslots = 1",
            "9:12 out-of-range 'e'",
        ),
    ] {
        let found = places(&faults(text));
        if found != [expected] {
            wrong.push(format!("{text}\n    expected {expected}\n    found    {found:?}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn all_faults_are_listed_in_one_run_in_text_order() {
    let text = "titel = \"x\"\n[kind.a]\nweight = -1\n[container.c]\nslots = 2\nadmits = \"food\"\n[holder.h]\ncarries = [\"d\"]";
    let found = places(&faults(text));
    assert_eq!(
        found,
        [
            "1:1 unknown-key 'titel'",
            "3:10 out-of-range '-1'",
            "6:11 unknown-name 'food'",
            "8:12 unknown-container '\"d\"'"
        ]
    );
}

#[test]
fn unknown_names_come_with_the_nearest_known_one() {
    let help = |text: &str| {
        faults(text).iter().next().and_then(|fault| fault.help_text().map(str::to_owned)).unwrap_or_default()
    };
    let kinds =
        "[kind.fuel-drum]\ntags = [\"fuel\"]\n[kind.ration-box]\ntags = [\"food\"]\n[container.sled]\nslots = 4\n";
    assert_eq!(help("titel = \"x\""), "Did you mean `title`?");
    assert_eq!(help(&kinds.replace("slots = 4", "slots = 4\nadmits = \"fule\"")), "Did you mean `fuel`?");
    assert_eq!(help(&format!("{kinds}[start]\nsled = [\"1 fuel-durm\"]")), "Did you mean `fuel-drum`?");
    assert_eq!(help(&format!("{kinds}[start]\nsledd = []")), "Did you mean `sled`?");
    assert_eq!(help("[kind.\"Fuel Drum\"]"), "Write `fuel-drum`");
}

#[test]
fn a_start_that_breaks_the_rules_says_why_and_what_would_fit() {
    let rules = "units = { weight = \"kg\" }\n[kind.drum]\nweight = 46\nstack-limit = 4\n[container.sled]\nslots = 1\nweight-cap = 100\n";
    let found = faults(&format!("{rules}[start]\nsled = [\"3 drum\"]"));
    let fault = found.iter().next().expect("a fault");
    assert_eq!(fault.message(), "the start is not valid: sled would weigh 138 kg; its cap is 100 kg");
    assert_eq!(fault.help_text(), Some("Write 2 or fewer"));
}

#[test]
fn bytes_that_are_not_text_are_reported_with_their_place() {
    let errors = Ruleset::from_bytes("rules.toml", b"title = \"x\xff\"".to_vec(), |_| Err(String::new()))
        .expect_err("not UTF-8");
    assert_eq!(errors.diagnostics().iter().map(hypotheke::text::Diagnostic::code).collect::<Vec<_>>(), ["not-utf8"]);
    assert_eq!(errors.to_string(), "rules.toml:1:11: error: this is not UTF-8 text (Save the file as UTF-8)");
    let errors =
        ScenarioFile::from_bytes("s.scenario", b"scenario x\n  steps\n    \xc3\x28".to_vec()).expect_err("not UTF-8");
    assert_eq!(errors.diagnostics().line_column(errors.diagnostics().iter().next().unwrap().location()).line, 3);
}

#[test]
fn missing_files_and_folders_are_named() {
    let cause = |path: &Path| match Ruleset::load(path) {
        Err(LoadError::Read { cause, path: described, .. }) => {
            assert_eq!(described, path);
            cause
        }
        other => panic!("{other:?}"),
    };
    let folder = tempfile::tempdir().expect("a folder");
    assert_eq!(cause(folder.path()), "it is a folder, not a file");
    assert_eq!(cause(&folder.path().join("none.toml")), "the file does not exist");
    std::fs::create_dir(folder.path().join("items.csv")).expect("a folder");
    std::fs::write(folder.path().join("rules.toml"), "tables = [\"items.csv\"]").expect("written");
    let Err(LoadError::Ruleset(errors)) = Ruleset::load(folder.path().join("rules.toml")) else {
        panic!("a folder is no table")
    };
    assert!(errors.to_string().contains("cannot read the table `items.csv`: it is a folder"), "{errors}");
}

#[test]
fn warnings_tell_what_is_valid_but_hardly_meant() {
    let rules = Ruleset::from_toml(
        "rules.toml",
        r#"
units = { weight = "kg" }
[kind.anvil]
tags = ["metal"]
weight = 90
[kind.feather]
tags = ["light"]
[kind.nail]
tags = ["metla", "small"]
weight = 1
[kind.ice]
tags = ["frozen"]
weight = 2
[mark.wet]
[container.sled]
slots = 4
weight-cap = 80
admits = "metal or metla"
[container.box]
admits = "small"
slot = [{ name = "left", admits = "light" }, { name = "right" }, { name = "wet", admits = "wet" }]
[container.none]
slots = 2
admits = "small and light"
[container.weak]
slots = 2
weight-cap = 0.5
admits = "small"
"#,
    )
    .expect("valid");
    let found = rules.lint();
    assert!(found.iter().all(|warning| warning.severity() == Severity::Warning));
    assert_eq!(
        places(&found),
        [
            "3:7 no-place 'anvil'",
            "6:7 no-place 'feather'",
            "11:7 no-place 'ice'",
            "21:35 admits-nothing '\"light\"'",
            "24:10 admits-nothing '\"small and light\"'",
            "27:14 useless-cap '0.5'",
        ]
    );
}

#[test]
fn a_tag_that_looks_like_a_slip_is_warned_of_unless_a_filter_names_it() {
    let rules = |filter: &str| {
        let text = format!(
            "[kind.a]\ntags = [\"instrument\"]\n[kind.b]\ntags = [\"instrument\"]\n[kind.c]\ntags = [\"instrumnet\"]\n\
             [container.x]\nslots = 1\nadmits = \"{filter}\""
        );
        places(&Ruleset::from_toml("rules.toml", &text).expect("valid").lint())
    };
    assert_eq!(rules("a or b or c"), ["6:9 slipped-tag '\"instrumnet\"'"]);
    assert_eq!(rules("instrument or instrumnet"), [""; 0]);
}

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../hypotheke-cli/demo");

fn demo(name: &str) -> String {
    std::fs::read_to_string(format!("{DEMO}/{name}")).expect("a file of the demo")
}

/// Bytes changed, cut out and duplicated, as an editor or a broken disk would.
fn damaged(text: &str, wounds: &[(usize, u8, u8)]) -> Vec<u8> {
    let mut bytes = text.as_bytes().to_vec();
    for &(at, how, byte) in wounds {
        let at = at % bytes.len().max(1);
        match how % 4 {
            0 if !bytes.is_empty() => bytes[at] = byte,
            1 if !bytes.is_empty() => {
                bytes.remove(at);
            }
            2 => bytes.insert(at, byte),
            _ => bytes.truncate(at.max(bytes.len() / 2)),
        }
    }
    bytes
}

fn any_wounds() -> impl Strategy<Value = Vec<(usize, u8, u8)>> {
    prop::collection::vec(
        (any::<usize>(), any::<u8>(), prop_oneof![any::<u8>(), prop::sample::select(b"\"'[]{}=,.#\n-0".to_vec())]),
        1..6,
    )
}

proptest! {
    #[test]
    fn no_bytes_make_a_ruleset_panic(bytes: Vec<u8>, table: Vec<u8>) {
        let _ = Ruleset::from_bytes("rules.toml", bytes, |_| Ok(("items.csv".to_owned(), table.clone())));
        let named = b"tables = [\"items.csv\"]".to_vec();
        let _ = Ruleset::from_bytes("rules.toml", named, |_| Ok(("items.csv".to_owned(), table.clone())));
    }

    #[test]
    fn no_damage_to_the_demo_makes_it_panic(rules in any_wounds(), table in any_wounds()) {
        let (rules, table) = (damaged(&demo("rules.toml"), &rules), damaged(&demo("items.csv"), &table));
        let found = Ruleset::from_bytes("rules.toml", rules, |_| Ok(("items.csv".to_owned(), table.clone())));
        if let Err(errors) = found {
            prop_assert!(!errors.diagnostics().is_empty());
            let _ = errors.to_string();
        }
    }

    #[test]
    fn no_damage_to_a_scenario_makes_it_panic(wounds in any_wounds()) {
        let rules = Arc::new(Ruleset::load(format!("{DEMO}/rules.toml")).expect("the demo"));
        let bytes = damaged(&demo("scenarios/people.scenario"), &wounds);
        if let Ok(file) = ScenarioFile::from_bytes("people.scenario", bytes)
            && let Ok(playable) = file.check(&rules) {
                playable.run(hypotheke::scenario::ReportDetail::Steps).for_each(|report| { let _ = report.passed(); });
            }
    }

    #[test]
    fn no_bytes_make_a_scenario_panic(bytes: Vec<u8>) {
        let _ = ScenarioFile::from_bytes("x.scenario", bytes);
    }
}

/// A hundred are listed, the others are counted, wherever they are.
#[test]
fn a_hundred_faults_are_listed_and_the_rest_are_counted() {
    let many = |line: fn(usize) -> String| (0..250).map(line).collect::<String>();
    let end = "[kind.a]\n[container.c]\nslots = 1\n";
    let table = format!("id,weight\n{}", many(|n| format!("k{n},abc\n")));
    let rulesets = [
        Ruleset::from_toml("rules.toml", &format!("{}{end}", many(|n| format!("zz{n} = 1\n")))),
        Ruleset::from_toml("rules.toml", &format!("{}{end}", many(|_| "[kind.b]\n".to_owned()))),
        Ruleset::from_toml("rules.toml", &format!("{end}[start]\nc = [{}]", many(|n| format!("\"1 zz{n}\",")))),
        Ruleset::from_bytes("rules.toml", format!("tables = [\"t.csv\"]\n{end}").into_bytes(), |name| {
            Ok((name.to_owned(), table.clone().into_bytes()))
        }),
    ];
    for (case, found) in rulesets.into_iter().enumerate() {
        let errors = found.expect_err("all of it is wrong");
        let found = errors.diagnostics();
        assert_eq!(found.iter().count(), 100, "case {case}");
        assert!(found.unlisted() > 100 && found.len() == 100 + found.unlisted(), "case {case}: {}", found.len());
        assert!(errors.to_string().ends_with(&format!("{} more are not listed", found.unlisted())), "case {case}");
    }
    let rules = Arc::new(Ruleset::from_toml("rules.toml", end).expect("valid"));
    let lines = many(|n| format!("    moove 1 a from c to d{n}\n"));
    let parsed = ScenarioFile::parse(Source::new("x.scenario", format!("scenario x\n  steps\n{lines}")));
    assert_eq!(parsed.expect_err("no such verb").diagnostics().len(), 250);
    let lines = many(|n| format!("    move 1 zz{n} from c to c\n"));
    let file = ScenarioFile::parse(Source::new("x.scenario", format!("scenario x\n  steps\n{lines}"))).expect("lines");
    let found = file.check(&rules).map(|_| ()).expect_err("no such kinds");
    assert_eq!(found.diagnostics().iter().count(), 100);
}
