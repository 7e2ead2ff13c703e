//! Who may: access lists, owners and groups.

use rustc_hash::FxHashMap;

use super::Compiler;
use crate::ruleset::access::{ANYONE, Access, AccessList, NOBODY, OWNER, Right};
use crate::ruleset::places::{ContainerDef, GroupDef, SlotDef};
use crate::ruleset::source::{AccessSource, Written};
use crate::text::{Diagnostic, Location};

impl Compiler {
    /// After the holders, and after it is known which containers holders carry and kinds bring.
    pub(super) fn compile_access(&mut self) {
        self.check_groups();
        for index in 0..self.source.containers.len() {
            for right in Right::ALL {
                let whose = format!("container `{}`", self.rules.containers[index].id);
                let written = self.source.containers[index].access(right).cloned();
                let access = written.and_then(|written| self.compile_list(&whose, right, &written));
                let def = &mut self.rules.containers[index];
                def.access[right as usize] = access.unwrap_or_else(|| def.default_access());
            }
            for slot in 0..self.source.containers[index].slot.len() {
                for right in [Right::Put, Right::Take] {
                    let whose = format!("a slot of container `{}`", self.rules.containers[index].id);
                    let written = self.source.containers[index].slot[slot].access(right).cloned();
                    let access = written.and_then(|written| self.compile_list(&whose, right, &written));
                    // For anyone it is as the others: a slot can restrict, not widen.
                    let access = access.filter(|access| *access != Access::Anyone);
                    self.rules.containers[index].ruled[slot].access[right as usize] =
                        access.unwrap_or(Access::Surrounding);
                }
            }
            if let Some(owner) = self.source.containers[index].owner.clone() {
                self.compile_owner(index, &owner);
            }
        }
        let rules = &mut self.rules;
        rules.has_access_lists = rules.containers.iter().any(|def| {
            // `nobody` to put or take keeps the game out too.
            let is_for_some = |right| match def.access(right) {
                Access::Nobody => right == Right::Open,
                access => *access != def.default_access(),
            };
            Right::ALL.into_iter().any(is_for_some) || def.ruled.iter().any(SlotDef::has_border)
        });
    }

    fn compile_owner(&mut self, index: usize, owner: &Written<String>) {
        let def = &self.rules.containers[index];
        if def.carried || def.brought {
            let (id, whose) = match def.carried {
                true => (&def.id, "the holder that carries it"),
                false => (&def.id, "the owner of the container that the pack is in"),
            };
            let message = format!("container `{id}` cannot have an `owner`: it belongs to {whose}");
            let fault = Diagnostic::error("not-supported", owner.at, message);
            self.fault(fault.help("Remove `owner`"));
        } else if self.rules.find_holder_named(&owner.value).is_some() {
            self.rules.containers[index].owner = Some(owner.value.as_str().into());
        } else if self.is_group(&owner.value) {
            let message = format!("an owner is a holder, and `{}` is a group", owner.value);
            let fault = Diagnostic::error("unknown-holder", owner.at, message);
            self.fault(fault.help("Name one holder; `put-by`, `take-by` and `open-by` may name the group"));
        } else {
            self.unknown_holder(owner, "holder", &[]);
        }
    }

    /// A list of those who may; `None` if there is something wrong with it.
    fn compile_list(&mut self, whose: &str, right: Right, written: &AccessSource) -> Option<Access> {
        self.compile_access_list(whose, right.key(), written)
    }

    /// The same under a key.
    pub(super) fn compile_access_list(&mut self, whose: &str, key: &str, written: &AccessSource) -> Option<Access> {
        match written.words.as_slice() {
            [] => {
                let message = format!("`{key}` of {whose} names nobody");
                let fault = Diagnostic::error("empty", written.at, message);
                self.fault(fault.help(format!("Write `{key} = \"{NOBODY}\"`, or remove it")));
                return None;
            }
            [word] if word.value == ANYONE => return Some(Access::Anyone),
            [word] if word.value == NOBODY => return Some(Access::Nobody),
            _ => {}
        }
        let mut list = AccessList { owner: false, holders: Vec::new(), groups: Vec::new() };
        let mut seen: FxHashMap<&str, Location> = FxHashMap::default();
        let mut is_right = true;
        for word in &written.words {
            let name = word.value.as_str();
            if let Some(&first) = seen.get(name) {
                let message = format!("`{key}` of {whose} names `{name}` twice");
                self.fault(Diagnostic::error("duplicate", word.at, message).related(first, "the first one"));
                is_right = false;
                continue;
            }
            seen.insert(name, word.at);
            if name == ANYONE || name == NOBODY {
                let message = format!("`{name}` stands alone, not in a list");
                let fault = Diagnostic::error("bad-access", word.at, message);
                self.fault(fault.help(format!("Write `{key} = \"{name}\"`, or name only those who may")));
                is_right = false;
            } else if name == OWNER {
                list.owner = true;
            } else if self.rules.find_holder_named(name).is_some() {
                list.holders.push(name.into());
            } else if self.is_group(name) {
                list.groups.push(name.into());
            } else {
                self.unknown_holder(word, "holder or group", &[ANYONE, NOBODY, OWNER]);
                is_right = false;
            }
        }
        is_right.then_some(Access::Listed(list))
    }

    fn unknown_holder(&mut self, word: &Written<String>, what: &str, words: &[&str]) {
        let groups = self.rules.groups().iter().map(GroupDef::id);
        let known: Vec<&str> = self.rules.holder_names().chain(groups).chain(words.iter().copied()).collect();
        let help = self.suggestion(&word.value, known);
        let message = format!("unknown {what} `{}`", crate::language::shortened(&word.value));
        let fault = Diagnostic::error("unknown-holder", word.at, message);
        self.fault(fault.label(format!("unknown {what}")).maybe_help(help));
    }

    fn is_group(&self, name: &str) -> bool {
        self.rules.find_group(name).is_some()
    }

    /// A group shares the name space of holders and containers, and a holder is in it once.
    fn check_groups(&mut self) {
        let mut faults = Vec::new();
        for holder in &self.source.holders {
            let mut seen: FxHashMap<&str, Location> = FxHashMap::default();
            for group in &holder.groups {
                let name = group.value.as_str();
                if let Some(first) = seen.insert(name, group.at) {
                    let message = format!("holder `{}` is in the group `{name}` twice", holder.id.value);
                    faults.push(Diagnostic::error("duplicate", group.at, message).related(first, "the first one"));
                } else if self.is_place(name) {
                    let message = format!("`{name}` is the name of a place and of a group");
                    let fault = Diagnostic::error("duplicate", group.at, message);
                    faults.push(
                        fault.help("Rename one of them: groups, holders, containers and copies share one namespace"),
                    );
                }
            }
        }
        self.faults.extend(faults);
    }

    fn is_place(&self, name: &str) -> bool {
        let is_copy = |def: &ContainerDef| def.instances().any(|copy| copy == name);
        self.rules.find_holder(name).is_some()
            || self.rules.find_holder_named(name).is_some()
            || self.rules.find_container(name).is_some()
            || self.rules.containers.iter().any(is_copy)
    }
}
