//! Changes of stacks: names are looked up, and what could not always be carried out, or would never
//! end, is a fault.
//!
//! No filter and no limit refuses a change, so it must not lead where one would be exceeded: what a
//! stack becomes is no heavier, stacks as high and occupies the same slots.
//!
//! Every chain of changes ends. Marks are only added, so from some point on a stack keeps its marks.
//! From there on each change is one into another kind, with the properties that this kind gives. If
//! the chain had no end it would come back to a kind, since there are finitely many. Such a cycle is
//! a fault here, found with every set of marks at once.

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;

use super::Compiler;
use crate::filter::Outlook;
use crate::id::{KindId, MarkId};
use crate::ruleset::changes::{ChangeEffect, ChangeSource, StackChange};
use crate::ruleset::kind::Kind;
use crate::ruleset::source::Written;
use crate::ruleset::view::NO_PACK;
use crate::text::{Diagnostic, Word, suggestion};

impl Compiler {
    pub(super) fn compile_changes(&mut self) {
        let sources = std::mem::take(&mut self.source.changes);
        let compiled: Vec<Option<StackChange>> = sources.iter().map(|source| self.compile_change(source)).collect();
        if compiled.iter().all(Option::is_some) {
            self.rules.changes = compiled.into_iter().flatten().collect();
            for (number, source) in sources.iter().enumerate() {
                self.check_chain(number, source);
            }
        }
        self.source.changes = sources;
    }

    fn compile_change(&mut self, source: &ChangeSource) -> Option<StackChange> {
        let effect = self.compile_effect(source);
        let filter = source.when.as_ref()?;
        let when = self.compile_filter(filter)?;
        let change = StackChange {
            id: source.id.value.as_str().into(),
            when,
            written: filter.filter.to_string().into(),
            effect: effect?,
        };
        let fault = self.why_not_always(source, &change);
        let is_good = fault.is_none();
        self.faults.extend(fault);
        is_good.then_some(change)
    }

    fn compile_effect(&mut self, source: &ChangeSource) -> Option<ChangeEffect> {
        let whose = format!("change `{}`", source.id.value);
        let becomes = source.becomes.as_ref().map(|name| self.kind_of_change(name).map(ChangeEffect::Becomes));
        let marks = source.mark.as_ref().map(|name| self.mark_of_change(name).map(ChangeEffect::Marks));
        let removes = source.remove.then_some(Some(ChangeEffect::Removes));
        let effects: Vec<Option<ChangeEffect>> = [becomes, marks, removes].into_iter().flatten().collect();
        let help = "Write one of `becomes = \"scrap\"`, `mark = \"broken\"` and `remove = true`";
        match effects.as_slice() {
            [effect] => *effect,
            [] => {
                if !source.has_unread {
                    let message = format!("{whose} has no effect");
                    self.fault(Diagnostic::error("missing-key", source.id.at, message).help(help));
                }
                None
            }
            [..] => {
                let message = format!("{whose} has {} effects", effects.len());
                self.fault(Diagnostic::error("two-effects", source.id.at, message).help(help));
                None
            }
        }
    }

    fn kind_of_change(&mut self, name: &Written<String>) -> Option<KindId> {
        self.kind_of_deal(&Word::new(name.value.as_str(), name.at.span), name.at)
    }

    fn mark_of_change(&mut self, name: &Written<String>) -> Option<MarkId> {
        let known = self.rules.find_mark(&name.value);
        if known.is_none() {
            let help = suggestion(&name.value, self.rules.marks.iter().map(|mark| &*mark.name));
            let message = format!("unknown mark `{}`", name.value);
            self.fault(Diagnostic::error("unknown-mark", name.at, message).label("unknown name").maybe_help(help));
        }
        known
    }

    /// The first kind that it changes and with which it could not be carried out.
    fn why_not_always(&self, source: &ChangeSource, change: &StackChange) -> Option<Diagnostic> {
        let (whose, at) = (format!("change `{}`", source.id.value), source.when.as_ref()?.at);
        let test = &self.rules.filter(change.when).test;
        for kind in self.rules.kinds().filter(|kind| test.outlook(kind) != Outlook::Never) {
            if test.admits(&kind) {
                let message = format!("{whose} changes each new `{}` at once", kind.id());
                let help = "Name a property that falls, or a mark, in `when`";
                return Some(Diagnostic::error("changes-at-once", at, message).help(help));
            }
            let fault = match change.effect {
                ChangeEffect::Marks(_) => None,
                ChangeEffect::Removes => self.why_kept(kind).map(|why| format!("can't remove `{}`: {why}", kind.id())),
                ChangeEffect::Becomes(other) => {
                    let other = self.rules.known_kind(other);
                    self.why_not_into(kind, other)
                        .map(|why| format!("can't change `{}` into `{}`: {why}", kind.id(), other.id()))
                }
            };
            if let Some(why) = fault {
                let help = format!("Leave `{}` out of `when`, or change one of the kinds", kind.id());
                return Some(Diagnostic::error("not-supported", at, format!("{whose} {why}")).help(help));
            }
        }
        None
    }

    fn why_kept(&self, kind: Kind<'_>) -> Option<String> {
        let figures = &self.rules.figures[kind.handle().index()];
        match (figures.is_protected, figures.pack != NO_PACK) {
            (true, _) => Some(format!("`{}` is protected", kind.id())),
            (_, true) => Some(format!("`{}` is a pack", kind.id())),
            _ => None,
        }
    }

    fn why_not_into(&self, kind: Kind<'_>, other: Kind<'_>) -> Option<String> {
        let [before, after] = [kind, other].map(|kind| &self.rules.figures[kind.handle().index()]);
        let needs = |kind: Kind<'_>| kind.occupied_slots().map(str::to_owned).collect::<BTreeSet<_>>();
        let kept = self.why_kept(kind).or_else(|| self.why_kept(other));
        let reasons = [
            (after.is_limited, format!("`{}` has `most-in-world`", other.id())),
            (after.weight > before.weight, format!("`{}` is heavier", other.id())),
            (after.stack_limit < before.stack_limit, format!("`{}` has a lower stack limit", other.id())),
            (needs(other) != needs(kind), "they occupy different slots".to_owned()),
        ];
        kept.or_else(|| reasons.into_iter().find_map(|(is_so, reason)| is_so.then_some(reason)))
    }

    /// A cycle of changes, each of which may change what the one before it makes: with the properties
    /// that the kind gives, and any marks. The first of them reports it.
    fn check_chain(&mut self, first: usize, source: &ChangeSource) {
        let Some(made) = self.made_by(first) else { return };
        // The changes that are reached, each with the one before it.
        let mut reached: FxHashMap<usize, usize> = FxHashMap::default();
        let mut coming = vec![(first, made)];
        while let Some((change, made)) = coming.pop() {
            let kind = self.rules.known_kind(made);
            for next in first..self.rules.changes.len() {
                let Some(makes) = self.made_by(next) else { continue };
                let test = &self.rules.filter(self.rules.changes[next].when).test;
                if reached.contains_key(&next) || test.outlook_of_fresh(&kind) == Outlook::Never {
                    continue;
                }
                reached.insert(next, change);
                coming.push((next, makes));
            }
        }
        let Some(&last) = reached.get(&first) else { return };
        let mut cycle = vec![last];
        while cycle.last() != Some(&first) {
            let before = reached[&cycle[cycle.len() - 1]];
            cycle.push(before);
        }
        cycle.reverse();
        let names: Vec<String> = cycle.iter().map(|&it| format!("`{}`", self.rules.changes[it].id)).collect();
        let message = match names.as_slice() {
            [one] => format!("change {one} never ends: it changes what it makes"),
            several => format!("the changes {} never end: each makes what the next one changes", several.join(", ")),
        };
        let help = "Let one of them need a property that falls";
        self.fault(Diagnostic::error("endless-changes", source.id.at, message).help(help));
    }

    fn made_by(&self, change: usize) -> Option<KindId> {
        match self.rules.changes[change].effect {
            ChangeEffect::Becomes(kind) => Some(kind),
            ChangeEffect::Marks(_) | ChangeEffect::Removes => None,
        }
    }
}
