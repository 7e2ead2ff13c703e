//! The JSON Schemas are those of the types, they are the ones that are published, and what is
//! written and read keeps to them.

use std::path::Path;

use serde_json::Value;

use super::{hypotheke, output, traverse, write_refusing_rules};

const ALL: [&str; 17] = [
    "rules",
    "verify",
    "coverage",
    "fits",
    "compare",
    "check",
    "show",
    "ask",
    "demo",
    "fmt",
    "check-save",
    "compare-saves",
    "explore",
    "migrate",
    "report",
    "test-saves",
    "save",
];

fn schema(of: &str) -> Value {
    let folder = tempfile::tempdir().expect("a folder");
    serde_json::from_str(&output(hypotheke(folder.path()).args(["--schema", of]), 0)).expect("JSON")
}

/// Every way in which a value does not keep to a schema.
fn faults(of: &str, value: &Value) -> Vec<String> {
    let validator = jsonschema::validator_for(&schema(of)).expect("a schema");
    validator.iter_errors(value).map(|error| format!("{of}: {}: {error}", error.instance_path())).collect()
}

/// `SNAPSHOTS=overwrite cargo test` writes them anew.
#[test]
fn the_published_schemas_are_those_of_the_types() {
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schemas");
    for of in ALL {
        let folder = tempfile::tempdir().expect("a folder");
        let described = output(hypotheke(folder.path()).args(["--schema", of]), 0);
        let published = docs.join(format!("{of}.json"));
        snapbox::Assert::new()
            .action_env("SNAPSHOTS")
            .eq(described.as_str(), snapbox::Data::read_from(&published, None).raw());
        if of == "rules" {
            let of_demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("demo/rules.schema.json");
            snapbox::Assert::new()
                .action_env("SNAPSHOTS")
                .eq(described, snapbox::Data::read_from(&of_demo, None).raw());
        }
    }
    let listed = std::fs::read_dir(docs).expect("the schemas").count();
    assert_eq!(listed, ALL.len(), "nothing else is published");
}

#[test]
fn what_is_written_keeps_to_its_schema() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    write_refusing_rules(&rules);
    for (of, arguments, status) in [
        ("verify", &["verify", "failing", "--steps"][..], 1),
        ("verify", &["verify", "--steps"], 0),
        ("coverage", &["coverage", "scenarios/sled.scenario"], 1),
        ("fits", &["fits"], 0),
        ("compare", &["compare", "rules.toml", "rules.toml"], 0),
        ("check", &["check"], 0),
        ("show", &["show"], 0),
        ("ask", &["ask", "move 12 fuel-drum from depot to sled"], 0),
        ("ask", &["ask", "move 1 fuel-drum from depot to sled"], 0),
        ("demo", &["demo"], 0),
        ("show", &["show", "saves/night.json"], 0),
        ("check-save", &["check", "saves/night.json"], 0),
        ("compare-saves", &["compare", "saves/noon.json", "saves/night.json"], 0),
        ("explore", &["explore", "--rules", "loopholes/rules.toml"], 1),
        ("migrate", &["migrate", "saves/autumn.json"], 0),
        ("report", &["report", "canteen", "--to", "canteen.html"], 1),
        ("migrate", &["migrate", "saves/autumn.json", "earlier/rules-2.toml", "rules.toml"], 0),
        ("test-saves", &["test-saves", "scenarios/camp.scenario", "--joins", "1"], 0),
        ("test-saves", &["test-saves", "--joins", "1", "--next-rules", "earlier/refusing.toml"], 1),
        ("fmt", &["fmt"], 0),
        ("fmt", &["fmt", "--check"], 0),
    ] {
        let text = output(hypotheke(&rules).args(arguments).args(["--format", "json"]), status);
        let value: Value = serde_json::from_str(&text).expect("JSON");
        assert_eq!(faults(of, &value), Vec::<String>::new(), "{arguments:?}");
        // A schema that lets everything pass would say nothing.
        assert!(!faults(of, &serde_json::json!([])).is_empty());
    }
}

fn as_json(toml: &str) -> Value {
    let value: toml::Value = toml::from_str(toml).expect("TOML");
    serde_json::to_value(value).expect("JSON")
}

#[test]
fn the_demo_s_rules_name_their_schema_and_keep_to_it() {
    for earlier in [include_str!("../demo/earlier/rules-1.toml"), include_str!("../demo/earlier/rules-2.toml")] {
        assert_eq!(faults("rules", &as_json(earlier)), Vec::<String>::new());
    }
    let rules = include_str!("../demo/rules.toml");
    assert!(rules.starts_with("#:schema rules.schema.json\n"));
    assert_eq!(faults("rules", &as_json(rules)), Vec::<String>::new());
}

#[test]
fn saves_keep_to_their_schema() {
    let save: Value = serde_json::from_str(include_str!("../demo/saves/night.json")).expect("JSON");
    assert_eq!(faults("save", &save), Vec::<String>::new());
    // A save with orphans of each type.
    let folder = traverse();
    let rules = folder.path().join("traverse");
    output(hypotheke(&rules).args(["migrate", "saves/autumn.json", "--in-place"]), 0);
    let carried = std::fs::read_to_string(rules.join("saves/autumn.json")).expect("the save");
    let carried: Value = serde_json::from_str(&carried).expect("JSON");
    assert!(carried["orphans"].as_array().is_some_and(|orphans| orphans.len() > 5), "{carried}");
    assert_eq!(faults("save", &carried), Vec::<String>::new());
    let mut other = save.clone();
    other["stacks"][0]["count"] = Value::from("3");
    assert_eq!(faults("save", &other).len(), 1);
}

#[test]
fn the_schema_of_rules_finds_what_the_command_finds() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("rules.toml");
    for (text, is_good) in [
        ("stack-limit = 4\n[kind.rope]\nweight = 0.5\ntags = [\"tool\"]", true),
        ("[container.sled]\nslots = 3\nslot = [{ name = \"a\", admits = \"rope\" }]\n[kind.rope]", true),
        ("[holder.ann]\nencumbrance = [{ at = 5, label = \"laden\" }]", true),
        ("[container.sled]\nslots = 3\non-put = [\"merge\", \"place\"]\nwhen-unfit = \"eject\"", true),
        ("[container.sled]\nslotz = 3", false),
        ("[container.sled]\nslots = \"three\"", false),
        ("[kind.rope]\nweight = -1", false),
        ("[kind.rope]\nstack-limit = 0", false),
        ("[container.sled]\nslots = 3\nwhen-unfit = \"vanish\"", false),
        ("nesting = 33", false),
        ("[holder.ann]\nencumbrance = [{ at = 5 }]", false),
        ("rules = 3", false),
    ] {
        std::fs::write(&path, text).expect("written");
        let status = if is_good { 0 } else { 2 };
        hypotheke(folder.path()).arg("check").assert().code(status);
        assert_eq!(faults("rules", &as_json(text)).is_empty(), is_good, "{text}");
    }
}
