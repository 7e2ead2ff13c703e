//! What `compare` lists: every difference once, whatever the text, and nothing where two rulesets
//! mean the same.

use hypotheke::{RuleDifference, Ruleset, compare};

const RULES: &str = "version = 1\n[mark.wet]\n[mark.dry]\n[kind.ice]\nproperties = { depth = 0, age = 0 }\n[kind.flare]\n[container.shed]\nslots = 4\n\
     [container.coat]\nworn = true\nslot = [{ name = \"head\", admits = \"flare\" }, { name = \"palm\", stack-limit = 2 }, { name = \"back\" }]\n\
     [holder.ann]\ncarries = [\"coat\"]\n[start]\nshed = [\"1 flare\"]\n";

fn rules(text: &str) -> Ruleset {
    Ruleset::from_toml("rules.toml", text).unwrap_or_else(|errors| panic!("{errors}"))
}

/// Each difference as a line, from the base to the text that `edits` make of it.
fn lines(base: &str, edits: &[(&str, &str)]) -> Vec<String> {
    let mut text = base.to_owned();
    for (from, to) in edits {
        assert!(text.contains(from), "{from}");
        text = text.replacen(from, to, 1);
    }
    compare(&rules(base), &rules(&text)).iter().map(line).collect()
}

fn line(found: &RuleDifference) -> String {
    let (old, new) = (found.old.as_deref().unwrap_or("-"), found.new.as_deref().unwrap_or("-"));
    let mut line = format!("{} {} {}: {old} -> {new}", found.subject.kind.word(), found.subject.name, found.setting);
    for (head, kinds) in [("+", &found.newly_admitted), ("-", &found.no_longer_admitted), ("?", &found.not_compared)] {
        if !kinds.is_empty() {
            line.push_str(&format!(" {head} {}", kinds.join("; ")));
        }
    }
    line
}

#[test]
fn a_removed_slot_is_one_line() {
    assert_eq!(
        lines(RULES, &[("{ name = \"palm\", stack-limit = 2 }, ", "")]),
        ["container coat slot palm: stack-limit 2 -> -"]
    );
}

#[test]
fn slots_in_a_different_order_are_one_line() {
    let turned = (
        "{ name = \"palm\", stack-limit = 2 }, { name = \"back\" }",
        "{ name = \"back\" }, { name = \"palm\", stack-limit = 2 }",
    );
    assert_eq!(lines(RULES, &[turned]), ["container coat order of slots: head, palm, back -> head, back, palm"]);
}

#[test]
fn slots_without_rules_count_where_they_stand() {
    let coat = "slot = [{ name = \"head\", admits = \"flare\" }";
    assert_eq!(
        lines(RULES, &[(coat, "slot = [{}, { name = \"head\", admits = \"flare\" }")]),
        [
            "container coat slots: 3 -> 4",
            "container coat order of slots: head, palm, back -> (no name), head, palm, back",
        ]
    );
    assert_eq!(lines(RULES, &[("{ name = \"back\" }]", "{ name = \"back\" }, {}]")]), ["container coat slots: 3 -> 4"]);
    let turned = [(coat, "slot = [{}, { name = \"head\", admits = \"flare\" }")];
    let base =
        RULES.replacen("{ name = \"head\", admits = \"flare\" }", "{ name = \"head\", admits = \"flare\" }, {}", 1);
    let shifted = RULES.replacen(turned[0].0, turned[0].1, 1);
    assert_ne!(rules(&base).fingerprint(), rules(&shifted).fingerprint());
    assert_eq!(compare(&rules(&base), &rules(&shifted)).len(), 1, "the same slots in a different order");
}

#[test]
fn a_declared_rename_is_one_line_whatever_names_it() {
    let base = RULES
        .replace("[container.shed]\n", "[container.shed]\nadmits = \"flare or not wet and depth < 5\"\n")
        .replace("[holder.ann]\n", "[holder.ann]\ncaps = [{ of = \"flare\", count = 4 }]\n");
    let renamed = base
        .replace("version = 1", "version = 2\n[migration.2.renamed]\nkind = { flare = \"light\" }\nmark = { wet = \"damp\" }\nproperty = { depth = \"level\" }\ncontainer = { shed = \"barn\" }\nholder = { ann = \"bea\" }")
        .replace("flare", "light")
        .replace("{ light =", "{ flare =")
        .replace("wet", "damp")
        .replace("{ damp =", "{ wet =")
        .replace("depth", "level")
        .replace("{ level =", "{ depth =")
        .replace("properties = { depth", "properties = { level")
        .replace("[container.shed]", "[container.barn]")
        .replace("shed = [", "barn = [")
        .replace("[holder.ann]", "[holder.bea]");
    let found: Vec<String> = compare(&rules(&base), &rules(&renamed)).iter().map(line).collect();
    assert_eq!(
        found,
        [
            "ruleset  version: 1 -> 2",
            "kind light renamed: flare -> light",
            "mark damp renamed: wet -> damp",
            "property level renamed: depth -> level",
            "container barn renamed: shed -> barn",
            "holder bea renamed: ann -> bea",
        ]
    );
}

#[test]
fn marks_claims_and_the_start_are_compared() {
    assert_eq!(lines(RULES, &[("[mark.dry]\n", "")]), ["mark dry : is gone -> -"]);
    assert_eq!(
        lines(RULES, &[("1 flare", "2 ice (wet, depth 3)"), ("[kind.ice]", "[kind.ice]\nstack-limit = 2")]),
        ["kind ice stack-limit: 1 -> 2", "start shed contents: 1 flare -> 2 ice (wet, depth 3)",]
    );
    assert_eq!(
        lines(RULES, &[("[kind.ice]", "[claims]\nalways = [\"count of ice = 0\"]\n[kind.ice]")]),
        ["ruleset  always: - -> count of ice = 0"]
    );
}

#[test]
fn filters_are_compared_by_what_they_answer() {
    let admits = |filter: &str| ("[container.shed]\n", format!("[container.shed]\nadmits = \"{filter}\"\n"));
    let differing = |old: &str, new: &str| {
        let (at, old) = admits(old);
        let (_, new) = admits(new);
        lines(&RULES.replacen(at, &old, 1), &[(old.as_str(), new.as_str())])
    };
    assert_eq!(differing("ice or flare", "not (not flare and not ice)"), Vec::<String>::new());
    assert_eq!(differing("not (wet and dry)", "not wet or not dry"), Vec::<String>::new());
    let both = differing("not (wet and dry)", "flare or ice");
    assert_eq!(
        both,
        ["container shed admits: `not (wet and dry)` -> `flare or ice` + ice (wet, dry); flare (wet, dry)"]
    );
    // Only stacks of which two properties have changed are treated differently.
    let two = differing("flare or depth < 5 or age < 5", "flare or ice");
    assert_eq!(two.len(), 1, "{two:?}");
    assert!(two[0].contains("+ ice (age 5, depth 5)"), "{two:?}");
}

/// Thirteen marks have too many combinations to try each.
#[test]
fn filters_that_can_not_be_compared_are_never_the_same() {
    let marks: Vec<String> = (0..13).map(|mark| format!("m{mark}")).collect();
    let all = marks.iter().map(|mark| format!("[mark.{mark}]\n")).collect::<String>();
    let text = |filter: &str| format!("{all}[kind.ice]\n[container.shed]\nslots = 1\nadmits = \"{filter}\"\n");
    let (one, turned) = (marks.join(" or "), marks.iter().rev().cloned().collect::<Vec<_>>().join(" or "));
    assert_eq!(compare(&rules(&text(&one)), &rules(&text(&one))), []);
    let found = compare(&rules(&text(&one)), &rules(&text(&turned)));
    assert_eq!((found.len(), found[0].not_compared.as_slice()), (1, ["ice".to_owned()].as_slice()));
}
