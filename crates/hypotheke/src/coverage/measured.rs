//! Plays that are answered as before if a rule changes, and leave a world in which something
//! measures otherwise.

use super::candidates::{Candidates, MAX_KINDS, with};
use super::change::{Change, FilterAt};
use super::effect::stacks_that_matter;
use super::suggest::{Play, Probe};
use crate::language::Path;
use crate::ruleset::{HolderDef, Ingredient, Kind, PropertyValue};
use crate::scenario::Claim;
use crate::text::Word;

/// Enough to reach the bound of most meters.
const MANY_USES: u32 = 50;

fn meter_of(meter: &str, holder: &str) -> Option<Probe> {
    Probe::at(holder, |path| Probe::Measure(Claim::Meter(Word::from(meter), path)))
}

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
            Change::NoUse(of) | Change::Effect(of, ..) => {
                self.of_uses(&rules.holder_names().collect::<Vec<_>>(), &of.name, |it| {
                    kind(of.kind).is_some_and(|kind| kind.handle() == it.handle())
                })
            }
            Change::Lowered(of, ..) => {
                let holders = rules.holder_names().filter_map(|holder| Some((holder, self.own_place(holder)?)));
                let used = holders.filter_map(|(holder, place)| {
                    let kind = kind(of.kind)?.id();
                    let steps = vec![format!("create 1 {kind} in {place}"), format!("{holder} uses {kind}")];
                    let probes = Probe::at(&format!("{place}/0"), Probe::Contents).into_iter().collect();
                    Some(Play { steps, probes, ..Play::default() })
                });
                used.collect()
            }
            Change::Falling(number, _) => self.of_falling(*number),
            Change::Stays(number) | Change::Filter(FilterAt::Change(number), _) => self.of_stack_change(*number),
            Change::Meter(holder, number, _) => {
                let def = &rules.holders()[*holder];
                let name = def.meters()[*number].name();
                let changes = |kind: Kind<'_>| kind.effects().any(|(meter, _)| meter == name);
                let probes = meter_of(name, def.first_name()).into_iter().collect();
                let at_start = Play { probes, ..Play::default() };
                std::iter::once(at_start).chain(self.of_uses(&[def.first_name()], name, changes)).collect()
            }
            Change::Recipe(number, _) => {
                let Some(recipe) = rules.recipes().get(*number) else { return Vec::new() };
                let outputs = recipe.all_made().map(|(kind, _)| kind);
                let kinds = recipe.inputs().iter().filter_map(Ingredient::kind).chain(outputs);
                let count = |kind| Claim::Count(Word::from(rules.known_kind(kind).id()), None);
                let mut probes: Vec<Probe> = kinds.map(|kind| Probe::Measure(count(kind))).collect();
                probes.extend(recipe.outputs_to().and_then(|to| place(to, Claim::FreeSlots)));
                let plays = self.of_recipe(*number).into_iter();
                plays.map(|steps| Play { steps, probes: probes.clone(), ..Play::default() }).collect()
            }
            Change::Columns(container, _) => self.of_grid(*container),
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

    /// One of each kind that falls, in each place, until it has fallen, and until it is at its minimum.
    fn of_falling(&self, number: usize) -> Vec<Play> {
        let rules = self.rules;
        let Some(source) = rules.source.falling.get(number) else { return Vec::new() };
        let falling = source.falling;
        let property = rules.find_property(&source.property.value);
        let places: Vec<_> = rules.containers().iter().flat_map(|def| self.places_of(def)).collect();
        let mut plays = Vec::new();
        for kind in rules.kinds() {
            let value = property.and_then(|property| kind.property(property));
            let Some(PropertyValue::Number(value)) = value else { continue };
            let above = value.thousandths().saturating_sub(falling.min().thousandths()).max(0);
            let times = above / falling.by().thousandths().max(1) + 1;
            let to_the_end = u32::try_from(times).ok().and_then(|times| falling.every().checked_mul(times));
            for ticks in [Some(falling.every()), to_the_end].into_iter().flatten() {
                for (setup, at) in &places {
                    let slot = format!("{}/0", at.trim_end_matches('/'));
                    let probes = Probe::at(&slot, Probe::Contents).into_iter().collect();
                    let steps = [format!("create 1 {} in {slot}", kind.id()), format!("wait {ticks}")];
                    plays.push(Play { steps: with(setup, steps), probes, ..Play::default() });
                }
            }
        }
        plays
    }

    /// One of everything that the filter of a change may tell apart, in each place.
    fn of_stack_change(&self, number: usize) -> Vec<Play> {
        let rules = self.rules;
        let Some(change) = rules.changes().get(number) else { return Vec::new() };
        let test = &rules.filter(change.filter()).test;
        let places: Vec<_> = rules.containers().iter().flat_map(|def| self.places_of(def)).collect();
        let mut plays = Vec::new();
        for kind in rules.kinds() {
            for stack in stacks_that_matter(kind, &[test]).unwrap_or_default() {
                for (setup, at) in &places {
                    let slot = format!("{}/0", at.trim_end_matches('/'));
                    let probes = Probe::at(&slot, Probe::Contents).into_iter().collect();
                    let steps = with(setup, [format!("create 1 {} in {slot}", self.item(&stack))]);
                    plays.push(Play { steps, probes, ..Play::default() });
                }
            }
        }
        plays
    }

    /// Holders use one item, or many, of kinds; perhaps after many of others, which bring the meter
    /// away from where it starts.
    fn of_uses(&self, holders: &[&str], meter: &str, is_meant: impl Fn(Kind<'_>) -> bool) -> Vec<Play> {
        let kinds: Vec<Kind<'_>> = self.rules.kinds().filter(|kind| kind.has_use()).collect();
        let changing = kinds.iter().filter(|kind| kind.effects().any(|(name, _)| name == meter));
        let mut before = vec![None];
        for kind in changing {
            before.extend([2, MANY_USES].map(|count| Some((count, *kind))));
        }
        let mut plays = Vec::new();
        for &holder in holders {
            let Some(place) = self.own_place(holder) else { continue };
            for kind in kinds.iter().copied().filter(|kind| is_meant(*kind)) {
                for (count, first) in
                    [1, MANY_USES].into_iter().flat_map(|count| before.iter().map(move |it| (count, it)))
                {
                    let uses = |count: u32, kind: Kind<'_>| {
                        let (create, uses) = match count {
                            1 => (format!("create 1 {}", kind.id()), format!("uses {}", kind.id())),
                            _ => (
                                format!("create up to {count} {}", kind.id()),
                                format!("uses up to {count} {}", kind.id()),
                            ),
                        };
                        [format!("{create} in {place}"), format!("{holder} {uses}")]
                    };
                    let first = first.iter().flat_map(|&(count, first)| uses(count, first));
                    let steps = first.chain(uses(count, kind)).collect();
                    let probes = meter_of(meter, holder).into_iter().collect();
                    plays.push(Play { steps, probes, ..Play::default() });
                }
            }
        }
        plays
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
