//! Packs: one item with an inside, not inside itself, not too deep; and slots that other items
//! block.

use std::collections::BTreeSet;

use super::facts::{Bringer, Facts, Where};
use super::{Findings, Law};
use crate::quantity::Decimal;

pub(super) fn check(facts: &Facts<'_>, findings: &mut Findings) {
    check_packs(facts, findings);
    check_insides(facts, findings);
    check_blocked(facts, findings);
}

fn check_packs(facts: &Facts<'_>, findings: &mut Findings) {
    for lying in &facts.stacks {
        let Some(kind) = lying.kind else { continue };
        let (is_pack, inside) = (facts.rules.known_kind(kind).pack().is_some(), facts.inside(lying.stack));
        match inside {
            None if is_pack => findings.add(Law::Packs, facts.place(lying), "this pack has no container"),
            Some(_) if !is_pack => {
                findings.add(Law::Packs, facts.place(lying), format!("{} is not a pack", lying.stack.kind));
            }
            _ => {}
        }
        if is_pack && lying.stack.count > 1 {
            findings.add(Law::Packs, facts.place(lying), "a pack is always a stack of one item");
        }
    }
}

fn check_insides(facts: &Facts<'_>, findings: &mut Findings) {
    let most = facts.rules.nesting();
    let mut seen = BTreeSet::new();
    for (index, held) in facts.containers.iter().enumerate() {
        let Bringer::Pack(pack) = held.bringer else { continue };
        let Some(lying) = facts.stack_with(pack) else {
            findings.add(Law::Packs, pack.to_string(), "this pack is in no place");
            continue;
        };
        if !seen.insert(pack) {
            findings.add(Law::Packs, pack.to_string(), "this pack has two containers");
        }
        if facts.is_circular(index) {
            findings.add(Law::Packs, pack.to_string(), "this pack contains itself");
            continue;
        }
        // A pack outside other packs has depth 1.
        let deep = held.depth;
        if deep > most {
            let figures = (Decimal::from(deep), Decimal::from(most));
            findings.add_figures(
                Law::Nesting,
                facts.place(lying),
                format!("packs are nested {deep} deep; the maximum is {most}"),
                figures,
            );
        }
    }
}

fn check_blocked(facts: &Facts<'_>, findings: &mut Findings) {
    for (index, held) in facts.containers.iter().enumerate() {
        let Some(def) = held.def else { continue };
        let named = |slot: u32| def.ruled.get(slot as usize).and_then(|rule| rule.name.as_deref());
        for &stack in &held.stacks {
            let lying = &facts.stacks[stack];
            let (Where::In(_, slot), Some(kind)) = (lying.at, lying.kind) else { continue };
            let needs: Vec<&str> = facts.rules.known_kind(kind).occupied_slots().collect();
            let Some(own) = named(slot).filter(|name| needs.contains(name)) else { continue };
            for need in needs.iter().filter(|need| **need != own) {
                let place = facts.place(lying);
                let kind = &lying.stack.kind;
                let required = (0..held.slots).find(|&slot| named(slot) == Some(need));
                let Some(required) = required else {
                    findings.add(
                        Law::BlockedSlot,
                        place,
                        format!("{kind} occupies a slot `{need}`, which does not exist"),
                    );
                    continue;
                };
                let taken = |other: &&usize| {
                    let other = &facts.stacks[**other];
                    match (other.at, other.kind) {
                        (Where::In(_, slot), _) if slot == required => true,
                        (Where::In(_, at), Some(kind)) if at != slot => {
                            let others: Vec<&str> = facts.rules.known_kind(kind).occupied_slots().collect();
                            named(at).is_some_and(|name| others.contains(&name)) && others.contains(need)
                        }
                        _ => false,
                    }
                };
                if held.stacks.iter().filter(|&&other| other != stack).any(|other| taken(&other)) {
                    let required = facts.slot(index, required);
                    findings.add(
                        Law::BlockedSlot,
                        place,
                        format!("{kind} also occupies {required}, which is not free"),
                    );
                }
            }
        }
    }
}
