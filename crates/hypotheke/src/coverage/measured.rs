//! Plays that are answered as before if a rule changes, and leave a world in which something
//! measures otherwise.

use super::candidates::{Candidates, MAX_KINDS, with};
use super::change::Change;
use super::suggest::{Play, Probe};
use crate::language::Path;
use crate::ruleset::{HolderDef, Kind, PropertyValue};
use crate::scenario::Claim;
use crate::text::Word;

impl Candidates<'_> {
    /// Plays of which a measure at the end comes out otherwise.
    pub(super) fn measured(&self, change: &Change) -> Vec<Play> {
        let rules = self.rules;
        let kind = |index: usize| rules.kinds().nth(index);
        let place = |path: &str, claim: fn(Path) -> Claim| Probe::at(path, |path| Probe::Measure(claim(path)));
        match change {
            Change::KindWeight(index, _) => self.of_items(kind(*index), "", |at| place(at, Claim::Weight)),
            Change::KindValue(index, _) => self.of_items(kind(*index), "", |at| place(at, Claim::Value)),
            Change::Number(of, _) | Change::NoProperty(of) | Change::Text(of, _) => {
                let kind = kind(of.kind);
                let property = rules.find_property(&of.name);
                let first = kind.zip(property).and_then(|(kind, property)| kind.property(property));
                match (property, first) {
                    (Some(property), Some(PropertyValue::Number(first))) => {
                        let variant = format!(" ({} {first})", rules.property(property).name());
                        self.of_items(kind, &variant, |at| Probe::at(at, Probe::Contents))
                    }
                    _ => self.of_items(kind, "", |_| None),
                }
            }
            Change::Attribute(of, _) => {
                let holders = rules.holder_names().collect::<Vec<_>>();
                let probes = |at: &str| {
                    let holder = holders.iter().find(|holder| at.starts_with(&format!("{holder}.")))?;
                    Probe::at(holder, |path| Probe::Measure(Claim::Attribute(Word::from(of.name.as_str()), path)))
                };
                self.of_items(kind(of.kind), "", probes)
            }
            Change::Slots(container, _) | Change::Copy(container, _) => {
                let def = &rules.containers()[*container];
                let places = self.places_of(def).into_iter();
                let copies = def.instances().map(|name| (Vec::new(), name.to_owned()));
                let free = places.chain(copies).map(|(steps, at)| {
                    let probes = place(&at, Claim::FreeSlots).into_iter().collect();
                    Play { steps, probes, ..Play::default() }
                });
                free.collect()
            }
            Change::Worn(container) | Change::SlotOrder(container, _) => {
                let def = &rules.containers()[*container];
                let places = self.places_of(def);
                let plays = rules.kinds().take(MAX_KINDS).flat_map(|kind| {
                    places.iter().map(move |(setup, at)| Play {
                        steps: with(setup, [format!("create 1 {} in {at}", kind.id())]),
                        probes: (0..2)
                            .filter_map(|slot| {
                                Probe::at(&format!("{}/{slot}", at.trim_end_matches('/')), Probe::Contents)
                            })
                            .collect(),
                        ..Play::default()
                    })
                });
                plays.collect()
            }
            Change::WhenUnfit(container) => {
                let def = &rules.containers()[*container];
                let places = self.places_of(def);
                let mut plays = Vec::new();
                for (setup, at) in &places {
                    for kind in self.kinds() {
                        for mark in rules.marks() {
                            let slot = format!("{}/0", at.trim_end_matches('/'));
                            let steps =
                                [format!("create 1 {} in {slot}", kind.id()), format!("mark {slot} {}", mark.name())];
                            let probes = Probe::at(&slot, Probe::Contents).into_iter().collect();
                            plays.push(Play { steps: with(setup, steps), probes, ..Play::default() });
                        }
                    }
                }
                plays
            }
            Change::Carry(holder, _) | Change::CarryOrder(holder, _) => {
                let def = &rules.holders()[*holder];
                let probes: Vec<Probe> = def
                    .carries()
                    .iter()
                    .filter_map(|&id| {
                        place(&format!("{}.{}", def.first_name(), rules.container(id).id()), Claim::FreeSlots)
                    })
                    .collect();
                let plays = self.kinds().into_iter().map(|kind| Play {
                    steps: vec![format!("create 1 {} in {}", kind.id(), def.first_name())],
                    probes: probes.clone(),
                    ..Play::default()
                });
                plays.collect()
            }
            Change::Threshold(holder, _, from, changed) => {
                let def = &rules.holders()[*holder];
                let exact = self.exact_loads(&[], def.first_name(), Some(*from), *changed);
                self.with_encumbrance(def, self.loads(&[], def.first_name()).into_iter().chain(exact).collect())
            }
            Change::ThresholdLabel(holder, ..) => {
                let def = &rules.holders()[*holder];
                self.with_encumbrance(def, self.loads(&[], def.first_name()))
            }
            Change::Shortcuts(holder, changed) => {
                let def = &rules.holders()[*holder];
                let last = def.shortcuts().min(*changed);
                let plays = self.kinds().into_iter().map(|kind| Play {
                    steps: vec![
                        format!("create 1 {} in {}.hand", kind.id(), def.first_name()),
                        format!("{} binds {} to shortcuts/{last}", def.first_name(), kind.id()),
                    ],
                    ..Play::default()
                });
                plays.collect()
            }
            Change::DepletedShortcut(holder) => {
                let def = &rules.holders()[*holder];
                let plays = self.kinds().into_iter().map(|kind| Play {
                    steps: vec![
                        format!("create 1 {} in {}.hand", kind.id(), def.first_name()),
                        format!("{} binds {} to shortcuts/0", def.first_name(), kind.id()),
                        format!("consume from {}.hand", def.first_name()),
                    ],
                    probes: Probe::at(def.first_name(), Probe::Shortcuts).into_iter().collect(),
                    ..Play::default()
                });
                plays.collect()
            }
            Change::Start(at, ..) | Change::StartVariant(at, _) => {
                let place = rules.start.get(*at).map(|entry| entry.place.clone());
                let probes = place.map(Probe::Contents).into_iter().collect();
                vec![Play { as_ruleset: true, probes, ..Play::default() }]
            }
            _ => Vec::new(),
        }
    }

    fn with_encumbrance(&self, def: &HolderDef, loads: Vec<Vec<String>>) -> Vec<Play> {
        let probe = Probe::at(def.first_name(), Probe::Encumbrance);
        let plays =
            loads.into_iter().map(|steps| Play { steps, probes: probe.iter().cloned().collect(), ..Play::default() });
        plays.collect()
    }

    /// One item of a kind in each place in turn, with the checks there.
    fn of_items(&self, kind: Option<Kind<'_>>, variant: &str, probe: impl Fn(&str) -> Option<Probe>) -> Vec<Play> {
        let Some(kind) = kind else { return Vec::new() };
        let places = self.rules.containers().iter().flat_map(|def| self.places_of(def));
        let create = |steps: &[String], at: &str| Play {
            steps: with(steps, [format!("create 1 {} in {at}", kind.id())]),
            probes: probe(at).into_iter().collect(),
            ..Play::default()
        };
        let plays = places.map(|(setup, at)| create(&setup, &at));
        let set = |mut play: Play| {
            if let (false, Some(step)) = (variant.is_empty(), play.steps.last_mut()) {
                *step = step.replacen(kind.id(), &format!("{}{variant}", kind.id()), 1);
            }
            play
        };
        plays.chain([create(&[], "ground")]).map(set).collect()
    }
}
