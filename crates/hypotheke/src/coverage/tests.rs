//! Nothing is skipped wrongly: a scenario that is not run for a change would not have detected it.

use std::path::Path;
use std::sync::Arc;

use super::rule::rules_of;
use super::suggest::Differing;
use super::{all_plays, lightest};
use crate::ruleset::{FilterId, Ruleset, RulesetSource, compile_changed};
use crate::scenario::{ResolvedScenarioFile, ScenarioFile};

fn laws() -> (Arc<Ruleset>, Vec<ScenarioFile>) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/laws");
    let rules = Arc::new(Ruleset::load(folder.join("rules.toml")).expect("the rules of the laws"));
    let entries = std::fs::read_dir(&folder).expect("the laws").map(|entry| entry.expect("an entry").path());
    let mut paths: Vec<_> = entries.filter(|path| path.extension().is_some_and(|end| end == "scenario")).collect();
    paths.sort();
    (rules, paths.iter().map(|path| ScenarioFile::load(path).expect("a law")).collect())
}

#[test]
fn scenarios_that_touch_nothing_of_a_rule_do_not_notice_its_change() {
    let (rules, files) = laws();
    let playable: Vec<ResolvedScenarioFile<'_>> =
        files.iter().map(|file| file.check(&rules).expect("known names")).collect();
    let plays = all_plays(&rules, &playable);
    let source = RulesetSource::written_again(&rules);
    let (mut passed_over, mut changes) = (0, 0);
    for rule in rules_of(&source, |subject| lightest(&rules, subject)) {
        for (text, change) in &rule.changes {
            let mut source = source.clone();
            change.apply(&mut source);
            let Ok(changed) = compile_changed(source, &rules).map(Arc::new) else { continue };
            changes += 1;
            for play in plays.iter().filter(|play| !play.touched.meets(&rules, &rule.subject)) {
                passed_over += 1;
                let holds = playable[play.file].by_other_rules(&changed).holds(play.scenario, play.body);
                assert!(holds, "`{}` notices that {} is {text}", play.scenario.title, rule.text);
            }
        }
    }
    assert!(changes > 100 && passed_over > 15_000, "{changes} changes, {passed_over} plays passed over");
}

/// A change without effect is detected by none of many scenarios made to detect it.
#[test]
fn changes_without_effect_are_noticed_by_no_play() {
    let drum = "[kind.drum]\nweight = 40\nstack-limit = 4\ntags = [\"fuel\"]\n[kind.tent]\nweight = 9\n[mark.wet]\n";
    let holder = "[container.bag]\nslots = 1\n[holder.ann]\ncarries = [\"bag\"]\nweight-cap = 400\n";
    let (laws, _) = laws();
    let mut shadowed = 0;
    for rules in [
        format!("{drum}[container.x]\nslots = 2\nweight-cap = 400"),
        format!("{drum}[container.x]\nslots = 2\nstack-limit = 4"),
        format!("{drum}[container.x]\nslots = 3\nstack-limit = 2\ncaps = [{{ of = \"fuel\", count = 7 }}]"),
        format!(
            "{drum}[container.x]\nadmits = \"fuel\"\nslot = [{{ name = \"a\", admits = \"fuel\" }}, {{ name = \"b\" }}]"
        ),
        format!("{drum}[container.x]\nslots = 2\nadmits = \"fuel or drum and not tent\""),
        format!("{drum}[container.x]\nslots = 2\nadmits = \"not (wet and tent and fuel)\""),
        format!("{drum}[container.x]\nslots = 2\nreserved-first = true"),
        format!("{drum}{holder}"),
    ] {
        let rules = Ruleset::from_toml("rules.toml", &rules).unwrap_or_else(|errors| panic!("{errors}"));
        shadowed += shadowed_changes(&Arc::new(rules));
    }
    assert!(shadowed >= 15, "{shadowed} changes");
    assert!(shadowed_changes(&laws) > 0);
}

fn shadowed_changes(rules: &Arc<Ruleset>) -> usize {
    let source = RulesetSource::written_again(rules);
    let mut shadowed = 0;
    for rule in rules_of(&source, |subject| lightest(rules, subject)) {
        for (text, change) in &rule.changes {
            let mut changed = source.clone();
            change.apply(&mut changed);
            let Ok(changed) = compile_changed(changed, rules).map(Arc::new) else { continue };
            if super::effect::without_effect(rules, &changed, change).is_some() {
                shadowed += 1;
                let suggested = super::suggest::suggest(
                    rules,
                    &changed,
                    &rule.subject,
                    &rule.text,
                    ("", change),
                    Differing::Amounts,
                );
                assert_eq!(suggested, None, "{:?} {}: {text}", rule.subject, rule.text);
            }
        }
    }
    shadowed
}

/// A kind that is changed in place equals a full compilation with the change, and is restored
/// afterwards.
#[test]
fn a_kind_changed_in_place_is_as_if_it_were_compiled() {
    let (laws, _) = laws();
    let extra = "stack-limit = 5\n[tag.a]\nstack-limit = 3\n[tag.\"a.b\"]\n[kind.x]\ntags = [\"a.b\", \"c\"]\nweight = 2\nvalue = 3\n\
                 properties = { depth = 4 }\n[kind.y]\ntags = [\"c\"]\nstack-limit = 2\nprotected = true\n[kind.z]\npack = \"bag\"\ntags = [\"c\"]\n\
                 [container.bag]\nslots = 1\n[container.d]\nslots = 2\nadmits = \"a or c and weight < 3 and depth >= 4 or value > 2\"\n";
    let extra = Arc::new(Ruleset::from_toml("rules.toml", extra).unwrap_or_else(|errors| panic!("{errors}")));
    let mut changes = 0;
    for rules in [laws, extra] {
        let source = RulesetSource::written_again(&rules);
        let mut own = Ruleset::clone(&rules);
        let answers = |rules: &Ruleset| {
            let plain = rules.kinds().map(|kind| {
                let number = kind.handle().0;
                (0..rules.all_filters().len())
                    .map(|filter| rules.admits_plain(FilterId::numbered(filter), number))
                    .collect()
            });
            plain.collect::<Vec<Vec<bool>>>()
        };
        for rule in rules_of(&source, |subject| lightest(&rules, subject)) {
            for (text, change) in &rule.changes {
                let Some((kind, patch)) = change.of_kind(&rules) else { continue };
                let Some(before) = own.patch_kind(kind, &patch) else { continue };
                let mut changed = source.clone();
                change.apply(&mut changed);
                let changed =
                    compile_changed(changed, &rules).unwrap_or_else(|errors| panic!("{} {text}: {errors}", rule.text));
                assert_eq!(own.settings(), changed.settings(), "{} {text}", rule.text);
                assert_eq!(answers(&own), answers(&changed), "{} {text}", rule.text);
                own.restore_kind(before);
                assert_eq!(
                    (own.settings(), answers(&own)),
                    (rules.settings(), answers(&rules)),
                    "{} {text}",
                    rule.text
                );
                changes += 1;
            }
        }
    }
    assert!(changes > 50, "{changes}");
}
