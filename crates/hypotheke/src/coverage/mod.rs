//! How much of a ruleset its scenarios really test.
//!
//! Each rule is removed, or changed by one, and the scenarios run again. A change that no scenario
//! detects could be a mistake that nobody finds. An equivalent change is listed separately: a
//! different rule hides it. So is every setting that no scenario can test. For untested rules, a
//! scenario is searched that would detect the change.

mod affected;
mod candidates;
mod change;
mod effect;
mod measured;
mod needs;
mod rule;
mod suggest;
#[cfg(test)]
mod tests;

use std::collections::BTreeMap;
use std::num::NonZeroUsize;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};

use crate::quantity::Decimal;
use crate::ruleset::{Ruleset, RulesetSource, SettingClass, Subject, SubjectKind, compile_changed};
use crate::scenario::{Body, ResolvedScenarioFile, Scenario, on_threads};
use crate::text::Location;
use crate::world::World;
use affected::{ByKind, Touched, touched};
use change::Change;
use rule::{Rule, rules_of};
use suggest::Differing;
pub use suggest::MAX_STEPS;

/// Options of the measurement.
#[derive(Clone, Copy, Debug)]
pub struct CoverageOptions {
    /// On how many threads.
    pub threads: NonZeroUsize,
    /// Whether to search for scenarios that would detect the undetected changes.
    pub suggest: bool,
}

/// How much of a ruleset its scenarios test.
#[derive(Clone, Debug)]
pub struct Coverage {
    rules: Vec<RuleReport>,
    not_testable: Vec<NotTestable>,
    plays: u64,
    all_plays: u64,
}

/// Settings that no scenario can test.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NotTestable {
    /// Which: `note`, `columns`.
    pub setting: String,
    /// How many settings of this name are not at their default.
    pub count: usize,
    /// Why no scenario can test them.
    pub because: &'static str,
}

/// A rule, and whether its changes are noticed.
#[derive(Clone, Debug)]
pub struct RuleReport {
    /// What it is written for.
    pub subject: Subject,
    /// The rule in words: `weight-cap 180`.
    pub text: String,
    /// Its place in the source.
    pub at: Location,
    /// What it could be instead.
    pub changes: Vec<ChangeReport>,
}

/// What a rule could be instead, and whether that is noticed.
#[derive(Clone, Debug)]
pub struct ChangeReport {
    /// The change in words: `181`, `without it`.
    pub text: String,
    /// Whether a scenario notices it.
    pub verdict: ChangeVerdict,
}

/// Whether a change is noticed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ChangeVerdict {
    /// A scenario fails, or its start is no longer valid.
    Detected {
        /// The scenario.
        by: String,
    },
    /// All scenarios hold as before.
    Undetected {
        /// A scenario that would notice it, ready to be pasted, if one was found.
        suggestion: Option<String>,
    },
    /// No operation has a different result. At most, a refusal gives a different one of several
    /// reasons.
    Equivalent {
        /// The explanation.
        because: String,
    },
    /// The ruleset would not be valid.
    Invalid,
}

/// How well the scenarios test a rule.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Tested {
    /// A scenario detects each of its changes.
    Complete,
    /// Scenarios detect some of its changes.
    Partly,
    /// No scenario detects any of its changes.
    Not,
    /// No change of it has an effect.
    Redundant,
    /// Every change of it makes the ruleset invalid.
    OnlyChoice,
}

impl RuleReport {
    /// How well the scenarios test it.
    #[must_use]
    pub fn tested(&self) -> Tested {
        let detected = |change: &&ChangeReport| matches!(change.verdict, ChangeVerdict::Detected { .. });
        let undetected = |change: &&ChangeReport| matches!(change.verdict, ChangeVerdict::Undetected { .. });
        match (self.changes.iter().filter(detected).count(), self.changes.iter().filter(undetected).count()) {
            (0, 0) if self.changes.iter().all(|change| change.verdict == ChangeVerdict::Invalid) => Tested::OnlyChoice,
            (0, 0) => Tested::Redundant,
            (_, 0) => Tested::Complete,
            (0, _) => Tested::Not,
            _ => Tested::Partly,
        }
    }
}

impl Coverage {
    /// Every rule, in the order of the ruleset.
    #[must_use]
    pub fn rules(&self) -> &[RuleReport] {
        &self.rules
    }

    /// The settings that no scenario can test.
    #[must_use]
    pub fn not_testable(&self) -> &[NotTestable] {
        &self.not_testable
    }

    /// The number of rules that are tested this well.
    #[must_use]
    pub fn count(&self, tested: Tested) -> usize {
        self.rules.iter().filter(|rule| rule.tested() == tested).count()
    }

    /// The percentage of rules with an effect of which every change is detected. It is rounded
    /// down, so that 100 means all. It is 100 if no rule has an effect.
    #[must_use]
    pub fn percent(&self) -> usize {
        let with_effect = self.rules.len() - self.count(Tested::Redundant) - self.count(Tested::OnlyChoice);
        (self.count(Tested::Complete) * 100).checked_div(with_effect).unwrap_or(100)
    }

    /// The number of scenario runs, and the number that running every scenario for every change
    /// would take.
    #[must_use]
    pub fn runs(&self) -> (u64, u64) {
        (self.plays, self.all_plays)
    }
}

/// Measures which rules the scenarios test. All must pass under the present ruleset. `progress`
/// receives the number of finished rules and the total.
pub fn coverage(
    rules: &Arc<Ruleset>,
    files: &[ResolvedScenarioFile<'_>],
    options: CoverageOptions,
    progress: impl Fn(usize, usize) + Sync,
) -> Coverage {
    let source = RulesetSource::written_again(rules);
    let list = rules_of(&source, |subject| lightest(rules, subject));
    let plays = all_plays(rules, files);
    let by_kind = ByKind::new(plays.iter().map(|play| &play.touched));
    let spare = Mutex::new(Vec::new());
    let (played, looked_at) = (AtomicU64::new(0), AtomicUsize::new(0));
    let reports = on_threads(&list, options.threads, |_, rule| {
        let (plays, by_kind, spare) = (&plays, &by_kind, &spare);
        let mut search = Search { rules, files, plays, by_kind, spare, played: 0, last: None, options };
        let report = search.look_at(&source, rule);
        played.fetch_add(search.played, Ordering::Relaxed);
        progress(looked_at.fetch_add(1, Ordering::Relaxed) + 1, list.len());
        report
    });
    let changes: usize = list.iter().map(|rule| rule.changes.len()).sum();
    let all_plays = u64::try_from(changes * plays.len()).unwrap_or(u64::MAX);
    Coverage { rules: reports, not_testable: not_testable(rules), plays: played.into_inner(), all_plays }
}

/// What is written and nothing in a scenario depends on.
fn not_testable(rules: &Ruleset) -> Vec<NotTestable> {
    let mut found: BTreeMap<(String, &'static str), usize> = BTreeMap::new();
    for (_, settings) in rules.settings() {
        for setting in settings.into_iter().filter(|setting| !setting.is_default) {
            let because = match setting.class {
                SettingClass::Label => "it is only for display; no operation depends on it",
                SettingClass::Migration => "scenarios do not migrate saves; use `hypotheke migrate`",
                SettingClass::Claim => "scenarios do not check claims; use `hypotheke explore`",
                SettingClass::Rule if setting.name == "request-window" => "scenarios send no requests",
                SettingClass::Rule if setting.name == "yield-weights" => "scenarios name the yield that they check",
                SettingClass::Rule | SettingClass::Start => continue,
            };
            let name = match setting.class {
                SettingClass::Migration | SettingClass::Claim => setting.class.word().to_owned(),
                _ => setting.name.rsplit(": ").next().unwrap_or(&setting.name).to_owned(),
            };
            *found.entry((name, because)).or_default() += 1;
        }
    }
    found.into_iter().map(|((setting, because), count)| NotTestable { setting, count, because }).collect()
}

/// The lowest weight above 0 of a kind that can be there.
fn lightest(rules: &Ruleset, subject: &Subject) -> Option<Decimal> {
    let admits = match subject.kind {
        SubjectKind::Container => rules.find_container(&subject.name).and_then(|id| rules.container(id).admits),
        _ => None,
    };
    let kinds = rules.kinds().filter(|kind| affected::may_be_admitted(rules, admits, kind.handle()));
    kinds.map(crate::ruleset::Kind::weight).filter(|weight| *weight > Decimal::ZERO).min()
}

/// A scenario, or a row of its table, and what its lines lead to.
struct Play<'f> {
    file: usize,
    scenario: &'f Scenario,
    body: &'f Body,
    touched: Touched,
}

fn all_plays<'f>(rules: &Arc<Ruleset>, files: &[ResolvedScenarioFile<'f>]) -> Vec<Play<'f>> {
    let world = World::new(rules);
    let mut plays = Vec::new();
    for (number, file) in files.iter().enumerate() {
        for scenario in file.file.scenarios() {
            plays.extend(scenario.runs().map(|(_, body)| Play {
                file: number,
                scenario,
                body,
                touched: touched(file, body, &world),
            }));
        }
    }
    plays
}

struct Search<'s, 'f> {
    rules: &'s Arc<Ruleset>,
    files: &'s [ResolvedScenarioFile<'f>],
    plays: &'s [Play<'f>],
    by_kind: &'s ByKind,
    /// Rulesets in which single kinds are changed, and put back.
    spare: &'s Mutex<Vec<Arc<Ruleset>>>,
    played: u64,
    /// What noticed another change of the same rule is likely to notice this one.
    last: Option<usize>,
    options: CoverageOptions,
}

impl Search<'_, '_> {
    fn look_at(&mut self, source: &RulesetSource, rule: &Rule) -> RuleReport {
        let changes = rule.changes.iter().map(|(text, change)| {
            let verdict = self.check(source, rule, (text, change));
            ChangeReport { text: text.clone(), verdict }
        });
        RuleReport { changes: changes.collect(), subject: rule.subject.clone(), text: rule.text.clone(), at: rule.at }
    }

    fn check(&mut self, source: &RulesetSource, rule: &Rule, (described, change): (&str, &Change)) -> ChangeVerdict {
        if let Some(verdict) = self.check_in_place(rule, (described, change)) {
            return verdict;
        }
        let mut source = source.clone();
        change.apply(&mut source);
        let Ok(changed) = compile_changed(source, self.rules) else { return ChangeVerdict::Invalid };
        self.check_changed(&Arc::new(changed), rule, (described, change))
    }

    /// A change of a single kind is made in a compiled ruleset, and undone.
    fn check_in_place(&mut self, rule: &Rule, described: (&str, &Change)) -> Option<ChangeVerdict> {
        let (kind, patch) = described.1.of_kind(self.rules)?;
        let spare = self.spare.lock().ok().and_then(|mut spare| spare.pop());
        let mut changed = spare.unwrap_or_else(|| Arc::new(Ruleset::clone(self.rules)));
        let before = Arc::get_mut(&mut changed)?.patch_kind(kind, &patch)?;
        let verdict = self.check_changed(&changed, rule, described);
        // If something else still uses the ruleset, it is not changed in place.
        if let (Some(own), Ok(mut spare)) = (Arc::get_mut(&mut changed), self.spare.lock()) {
            own.restore_kind(before);
            spare.push(changed);
        }
        Some(verdict)
    }

    fn check_changed(
        &mut self,
        changed: &Arc<Ruleset>,
        rule: &Rule,
        (described, change): (&str, &Change),
    ) -> ChangeVerdict {
        if let Some(noticed) = self.noticed_by(&rule.subject, changed) {
            self.last = Some(noticed);
            return ChangeVerdict::Detected { by: self.plays[noticed].scenario.title.to_string() };
        }
        if let Some(because) = effect::without_effect(self.rules, changed, change) {
            return ChangeVerdict::Equivalent { because };
        }
        let wanted = self.options.suggest.then_some(());
        let suggestion = wanted.and_then(|()| {
            suggest::suggest(self.rules, changed, &rule.subject, &rule.text, (described, change), Differing::Reasons)
        });
        ChangeVerdict::Undetected { suggestion }
    }

    /// The first scenario that fails under the changed rules.
    fn noticed_by(&mut self, subject: &Subject, changed: &Arc<Ruleset>) -> Option<usize> {
        let touching = |number: &usize| self.plays[*number].touched.meets(self.rules, subject);
        let mut numbers: Vec<usize> = match subject.kind {
            SubjectKind::Kind => {
                self.rules.find_kind(&subject.name).map_or_else(Vec::new, |kind| self.by_kind.of(self.rules, kind))
            }
            _ => (0..self.plays.len()).filter(touching).collect(),
        };
        if let Some(likely) = self.last.and_then(|last| numbers.iter().position(|&number| number == last)) {
            numbers[..=likely].rotate_right(1);
        }
        for number in numbers {
            let play = &self.plays[number];
            self.played += 1;
            if !self.files[play.file].by_other_rules(changed).holds(play.scenario, play.body) {
                return Some(number);
            }
        }
        None
    }
}
