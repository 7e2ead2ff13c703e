//! No key of a ruleset is overlooked: each one, changed, is seen by `show`, `compare`, the
//! fingerprint and `coverage`, and can be said in code. The list of keys is that of the JSON
//! Schema; what a key does not change is listed with the reason.

use std::collections::BTreeSet;
use std::path::Path;

use hypotheke::{Beyond, MigrationPolicy, MigrationRules, PutMode, Rounding, Ruleset, VersionChanges, WhenFull};
use serde::Deserialize;
use serde_json::Value;

use super::{hypotheke, output};

#[derive(Deserialize)]
struct Keys {
    base: String,
    key: Vec<Key>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Key {
    path: String,
    #[serde(default)]
    from: String,
    #[serde(default)]
    to: String,
    /// Why it changes nothing at all.
    irrelevant: Option<String>,
    /// Why it does not change the fingerprint.
    fingerprint: Option<String>,
    /// The rule that coverage changes, or what it lists as not testable.
    coverage: Option<String>,
    /// Why the builder has no method for it.
    builder: Option<String>,
}

fn keys() -> Keys {
    toml::from_str(include_str!("rule_keys.toml")).expect("the list of keys")
}

/// The paths of all keys with values of their own: `container.*.slot[].admits`.
fn schema_paths() -> BTreeSet<String> {
    let text = include_str!("../demo/rules.schema.json");
    let schema: Value = serde_json::from_str(text).expect("a JSON Schema");
    let mut found = BTreeSet::new();
    walk(&schema, &schema, "", &mut found);
    found
}

/// Whether anything was found below.
fn walk(root: &Value, at: &Value, path: &str, found: &mut BTreeSet<String>) -> bool {
    if let Some(name) = at["$ref"].as_str().and_then(|name| name.strip_prefix("#/$defs/")) {
        return walk(root, &root["$defs"][name], path, found);
    }
    let mut below = false;
    for (key, value) in at["properties"].as_object().into_iter().flatten() {
        below = true;
        let own = if path.is_empty() { key.clone() } else { format!("{path}.{key}") };
        if !walk(root, value, &own, found) {
            found.insert(own);
        }
    }
    for (part, suffix) in [("additionalProperties", ".*"), ("items", "[]")] {
        if at[part].is_object() {
            below |= walk(root, &at[part], &format!("{path}{suffix}"), found);
        }
    }
    for (_, value) in at["patternProperties"].as_object().into_iter().flatten() {
        below |= walk(root, value, &format!("{path}.*"), found);
    }
    for part in ["anyOf", "oneOf", "allOf"] {
        for value in at[part].as_array().into_iter().flatten() {
            below |= walk(root, value, path, found);
        }
    }
    below
}

#[test]
fn the_list_has_every_key_of_the_schema() {
    let listed: BTreeSet<String> = keys().key.into_iter().map(|key| key.path).collect();
    assert_eq!(listed, schema_paths());
}

fn rules(text: &str) -> Ruleset {
    Ruleset::from_toml("rules.toml", text).unwrap_or_else(|errors| panic!("{errors}"))
}

fn shown(folder: &Path, text: &str) -> String {
    std::fs::write(folder.join("rules.toml"), text).expect("written");
    let rules = output(hypotheke(folder).args(["show", "--part", "rules"]), 0);
    let json = output(hypotheke(folder).args(["show", "--part", "rules", "--format", "json"]), 0);
    assert!(json.len() > rules.len() / 2);
    rules
}

#[test]
fn each_key_that_changes_is_shown_compared_and_covered() {
    let keys = keys();
    let folder = tempfile::tempdir().expect("a folder");
    let base = rules(&keys.base);
    let before = shown(folder.path(), &keys.base);
    std::fs::write(folder.path().join("base.toml"), &keys.base).expect("written");
    let covered = covered(folder.path(), &keys.base);
    for key in &keys.key {
        if key.irrelevant.is_some() {
            continue;
        }
        let path = &key.path;
        assert_eq!(keys.base.matches(&key.from).count(), 1, "{path}: {:?} is not there just once", key.from);
        let text = keys.base.replacen(&key.from, &key.to, 1);
        let changed = rules(&text);
        assert_ne!(shown(folder.path(), &text), before, "{path}: `show` prints the same");
        let compared = output(hypotheke(folder.path()).args(["compare", "base.toml", "rules.toml"]), 0);
        assert!(!compared.contains("the rulesets have the same meaning"), "{path}: {compared}");
        // What has a different name is gone, and something else is new.
        if !path.ends_with("slot[].name") && !path.contains("caps[].of") && !path.ends_with("claims.explore") {
            let lines = compared.lines().filter(|line| line.starts_with("  ") && !line.starts_with("     ")).count();
            assert!(lines <= 2, "{path}: more than what has changed\n{compared}");
        }
        let same = changed.fingerprint() == base.fingerprint();
        assert_eq!(same, key.fingerprint.is_some(), "{path}: its fingerprint");
        let coverage = key.coverage.as_ref().unwrap_or_else(|| panic!("{path}: nothing said of coverage"));
        assert!(covered.contains(coverage), "{path}: `{coverage}` is not among\n{covered:#?}");
    }
}

/// Every rule that coverage changes, as `container sled: weight-cap 180`, and what it lists as not
/// testable.
fn covered(folder: &Path, text: &str) -> BTreeSet<String> {
    std::fs::write(folder.join("rules.toml"), text).expect("written");
    std::fs::create_dir_all(folder.join("scenarios")).expect("a folder");
    std::fs::write(folder.join("scenarios/a.scenario"), "scenario nothing\n  end\n    ground: nothing\n")
        .expect("written");
    let found = output(hypotheke(folder).args(["coverage", "--no-suggestions", "--format", "json"]), 1);
    let found: Value = serde_json::from_str(&found).expect("JSON");
    let rules = found["rules"].as_array().expect("rules").iter().map(|rule| {
        let text = |key: &str| rule[key].as_str().unwrap_or_default().to_owned();
        format!("{}: {}", format!("{} {}", text("subject-type"), text("subject")).trim_end(), text("rule"))
    });
    let others = found["not-testable"].as_array().expect("a list").iter();
    let others = others.map(|it| format!("not testable: {}", it["setting"].as_str().unwrap_or_default()));
    rules.chain(others).collect()
}

/// The paths of a text, as the schema names them.
fn paths_of(value: &toml::Value, path: &str, schema: &BTreeSet<String>, found: &mut BTreeSet<String>) {
    if schema.contains(path) {
        found.insert(path.to_owned());
        return;
    }
    match value {
        toml::Value::Table(table) => {
            for (key, value) in table {
                let own = if path.is_empty() { key.clone() } else { format!("{path}.{key}") };
                let any = if path.is_empty() { "*".to_owned() } else { format!("{path}.*") };
                let is_known = schema.iter().any(|known| {
                    known == &own || known.starts_with(&format!("{own}.")) || known.starts_with(&format!("{own}["))
                });
                paths_of(value, if is_known { &own } else { &any }, schema, found);
            }
        }
        toml::Value::Array(list) => {
            list.iter().for_each(|value| paths_of(value, &format!("{path}[]"), schema, found));
        }
        _ => {
            found.insert(path.to_owned());
        }
    }
}

#[test]
fn the_builder_can_say_each_key() {
    let mut changes = VersionChanges::default();
    let pair = |before: &str, after: &str| [(before.to_owned(), after.to_owned())].into();
    changes.renamed.kind = pair("oldice", "ice");
    changes.renamed.container = pair("oldshed", "shed");
    changes.renamed.holder = pair("oldann", "ann");
    changes.renamed.mark = pair("oldwet", "wet");
    changes.renamed.property = pair("olddepth", "depth");
    changes.renamed.recipe = pair("oldmelt", "melt");
    changes.renamed.meter = pair("oldheat", "heat");
    changes.replaced_by = pair("rocket", "ice");
    changes.removed = [("attic".to_owned(), hypotheke::RemovedContents::Ground)].into();
    let migration = MigrationRules {
        over_limit: MigrationPolicy::Split,
        versions: [(2, changes)].into(),
        ..MigrationRules::default()
    };
    let built = Ruleset::builder()
        .title("Camp")
        .version(2)
        .weight_unit("kg")
        .stack_limit(5)
        .nesting(3)
        .ground_limit(9)
        .request_window(16)
        .claims("always", ["count of ice >= 0"])
        .claims("forbidden", ["drop ice"])
        .claims("possible", ["count of ice = 2"])
        .claims("recoverable", ["weight of shed = 0"])
        .claims("explore", ["create up to 2 ice"])
        .migration(migration)
        .tag("cold", |tag| tag.label("Cold").note("Keep cold").stack_limit(4))
        .mark_with("wet", |mark| mark.label("Wet").note("Was in water"))
        .kind("ice", |kind| {
            let kind = kind.name("Ice").note("One metre").tags(["cold"]).weight(2.into()).value(7.into());
            let kind = kind.use_effects([("heat", 6.into())]);
            kind.stack_limit(3).property("depth", 3.into()).text_property("hue", "blue").attribute("light", 4.into())
        })
        .kind("saw", |kind| {
            kind.stack_limit(1).weight(3.into()).property("edge", 3.into()).use_lowers([("edge", 1.into())], [])
        })
        .falling("edge", 1.into(), 7, 0.into())
        .change("blunt", |change| change.when("saw and edge <= 0").becomes("ice"))
        .change("wetter", |change| change.when("ice and wet and depth <= 0").mark("torn"))
        .change("gone", |change| change.when("coin and wet").remove())
        .mark("torn")
        .kind("book", |kind| kind.protected().max_in_world(3).occupies_slots(["left"]))
        .kind("bag", |kind| kind.pack("lining"))
        .container("shed", |shed| {
            let shed =
                shed.name("Shed").note("Behind the hut").slots(6).columns(3).stack_limit(8).weight_cap(50.into());
            let shed = shed.admits("not wet").cap("cold", 5).deep().exclusive().must_open().resizable(4, 8);
            let shed = shed.ejects_unfit().on_put([PutMode::Merge, PutMode::Swap]).no_put().no_take().reserved_first();
            shed.slot(|slot| {
                slot.name("left").label("Left").admits("ice").stack_limit(2).put_by(["ann"]).take_by(["ann"])
            })
        })
        .container("box", |it| it.slots(2).copies(["box-a", "box-b"]).owner("ann").open_by(["owner", "crew"]))
        .container("lining", |it| it.slots(2))
        .container("coat", |it| it.slots(1).worn())
        .holder("leader", ["coat"], |it| {
            let it = it.meter("heat", 20.into(), 1.into()..=40.into(), Beyond::Refuse);
            let it = it.name("Ann").note("Leads").weight_cap(30.into()).cap("ice", 9).encumbrance(10.into(), "laden");
            it.shortcuts(2).keep_depleted_shortcuts().groups(["crew"]).copies(["ann", "anna"])
        })
        .group("crew", |crew| crew.weight_cap(20.into()).cap("ice", 8))
        .kind("coin", |coin| coin.stack_limit(9))
        .container("stall", |stall| stall.slots(4))
        .deal("swap", |deal| deal.at(["stall"]).by(["crew"]).gives(["1 book"]).takes(["1 bag"]).use_nobody())
        .deal("ice", |deal| {
            let deal = deal.at(["stall"]).of("ice").currency("coin").coins_to("stall");
            deal.buy(2.into(), Rounding::Up).sell(1.into(), Rounding::Down)
        })
        .recipe("melt", |melt| {
            let melt = melt.at(["stall"]).by(["crew"]).inputs(["1 ice"]);
            melt.tools(["1 book"]).outputs(["1 coin"]).duration(20).when_full(WhenFull::Hold)
        })
        .recipe("plaster", |plaster| {
            let plaster = plaster.at(["stall"]).pattern(["ice f"]).legend("f", "coin and not wet");
            plaster.mirrored().outputs(["1 coin"])
        })
        .recipe("thaw", |thaw| {
            thaw.at(["stall"]).inputs(["1 ice"]).outputs(["1 coin"]).duration(5).automatic().outputs_to("stall")
        })
        .recipe("find", |find| find.at(["stall"]).loot().possible_yield(3, ["1 coin"]))
        .start("shed", ["1 ice"]);
    let text: toml::Value = toml::from_str(&built.to_toml()).expect("TOML");
    built.build().unwrap_or_else(|errors| panic!("{errors}"));
    let (schema, mut said) = (schema_paths(), BTreeSet::new());
    paths_of(&text, "", &schema, &mut said);
    let expected = keys().key.into_iter().filter(|key| key.builder.is_none()).map(|key| key.path);
    said.remove("format");
    assert_eq!(said, expected.collect::<BTreeSet<_>>());
}
