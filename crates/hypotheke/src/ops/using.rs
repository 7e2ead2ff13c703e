//! use: items leave the world, or stay with lower properties, and the meters of the holder that uses
//! them change.

use super::carry::{Going, Request, WithoutNumber};
use super::draft::Draft;
use super::refusal::{Cause, Reason, Refusal, Unknown};
use super::{Done, Planned};
use crate::id::{HolderId, KindId, PropertyId};
use crate::language::Amount;
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::{Beyond, Kind};
use crate::world::{ClassKey, Event, Place, Spot};

pub(super) fn plan(draft: &mut Draft<'_>, amount: Amount, kind: KindId, from: Place) -> Planned {
    let rules = &draft.world.rules;
    let of = rules.kind(kind).ok_or(Refusal::new(Cause::Unknown(Unknown::Kind)))?;
    let actor = draft.actor.ok_or(Refusal::new(Cause::Unknown(Unknown::Actor)))?;
    draft.source(from)?;
    if !of.has_use() {
        return Err(Refusal::new(Cause::NoUse(kind)));
    }
    let (requested, is_exact) = match amount {
        Amount::Exactly(count) => (count, true),
        Amount::UpTo(count) => (count, false),
        Amount::All => return Err(Refusal::new(Cause::BadAmount)),
    };
    let going = if of.lowered().is_empty() { Going::Out } else { Going::Used };
    let metering = Metering::new(draft, actor, of);
    // With `up to`, one is checked.
    let checked = if is_exact { u64::from(requested) } else { 1 };
    let (start, before) = (draft.point(), draft.events().len());
    let using = |draft: &mut Draft<'_>, amount: Amount| {
        let request = Request { amount, kind: Some(kind), from, without_number: WithoutNumber::AllOrNothing };
        draft.carry(request, going)
    };
    let most = metering.most();
    let mut done = match using(draft, amount) {
        Ok(done) => done.count,
        // Nothing else is checked then.
        Err(refusal) if refusal.reason() == Reason::BadAmount => return Err(refusal),
        Err(refusal) => {
            draft.note_causes(metering.beyond(checked));
            let could = refusal.max_amount().min(most);
            return Err(refusal.up_to(could));
        }
    };
    if done > most {
        let noted = draft.take_noted();
        draft.go_back_to(&start);
        if is_exact || most == 0 {
            let beyond = metering.beyond(checked);
            let first = beyond.first().copied().unwrap_or(Cause::Overflow);
            draft.note_causes(beyond);
            return Err(Refusal::new(first).up_to(most));
        }
        draft.begin_step();
        done = using(draft, Amount::UpTo(narrow::at_most(most)))?.count;
        let _ = draft.take_noted();
        draft.note_first(noted);
    }
    if done < u64::from(requested) {
        draft.note_causes(metering.beyond(u64::from(requested)));
    }
    // Afterwards, so that no item is used twice: in its slot, and where it goes.
    let used = draft.events()[before..].iter().filter_map(|event| match event {
        Event::Changed { at, .. } => Some(at.spot),
        _ => None,
    });
    for spot in used.collect::<Vec<_>>() {
        draft.begin_step();
        draft.put_elsewhere(spot);
    }
    metering.change(draft, done);
    Ok(Done { requested: Some(u64::from(requested)), count: done })
}

/// The meters of a holder that a use of an item changes.
struct Metering {
    holder: HolderId,
    changes: Vec<Change>,
}

struct Change {
    meter: u32,
    value: Decimal,
    /// By how much one use changes it.
    each: Decimal,
    /// No use leads beyond this.
    bound: Decimal,
    beyond: Beyond,
}

impl Metering {
    /// A meter that the holder does not have is not changed.
    fn new(draft: &Draft<'_>, holder: u32, kind: Kind<'_>) -> Metering {
        let meters = draft.world.rules.holders()[draft.world.def_of_holder(holder)].meters();
        let change = |(name, each): (&str, Decimal)| {
            let at = meters.iter().position(|meter| meter.name() == name)?;
            let number = narrow::index(at);
            let value = draft.meter(holder, number);
            let bound = meters[at].bound(value, !each.is_negative());
            Some(Change { meter: number, value, each, bound, beyond: meters[at].beyond })
        };
        Metering { holder: draft.world.holder_id(holder), changes: kind.effects().filter_map(change).collect() }
    }

    /// How many uses its bounds allow.
    fn most(&self) -> u64 {
        let refusing = self.changes.iter().filter(|change| change.beyond == Beyond::Refuse);
        refusing.map(Change::most).min().unwrap_or(u64::MAX)
    }

    /// The meters that refuse this number of uses.
    fn beyond(&self, uses: u64) -> Vec<Cause> {
        let refusing = self.changes.iter().filter(|change| change.beyond == Beyond::Refuse && change.most() < uses);
        let cause = |change: &Change| Cause::Meter {
            holder: self.holder,
            meter: change.meter,
            would: change.after(uses),
            bound: change.bound,
        };
        refusing.map(cause).collect()
    }

    fn change(&self, draft: &mut Draft<'_>, uses: u64) {
        for change in &self.changes {
            let (before, would) = (change.value, change.after(uses));
            let after = if change.each.is_negative() { would.max(change.bound) } else { would.min(change.bound) };
            if before != after {
                draft.push(Event::Metered { holder: self.holder, meter: change.meter, before, after });
            }
        }
    }
}

impl Change {
    /// How many uses stay within the bound.
    fn most(&self) -> u64 {
        let room = self.bound.thousandths().abs_diff(self.value.thousandths());
        room / self.each.thousandths().unsigned_abs().max(1)
    }

    /// The value after a number of uses, without the bound.
    fn after(&self, uses: u64) -> Decimal {
        let value = i128::from(self.value.thousandths()) + i128::from(self.each.thousandths()) * i128::from(uses);
        let most = if value < 0 { i64::MIN } else { i64::MAX };
        Decimal::from_thousandths(i64::try_from(value).unwrap_or(most))
    }
}

impl Draft<'_> {
    /// The value of a meter by now.
    fn meter(&self, holder: u32, meter: u32) -> Decimal {
        let changed = self.events().iter().rev().find_map(|event| match *event {
            Event::Metered { holder: of, meter: number, after, .. } if of.index == holder && number == meter => {
                Some(after)
            }
            _ => None,
        });
        changed.unwrap_or_else(|| self.world.meters_of(holder)[meter as usize])
    }

    /// A use of the item in a place lowers its properties.
    pub(super) fn lower(&mut self, spot: Spot) {
        let cell = self.cell(spot);
        let rules = &self.world.rules;
        let mut key = self.class_key(cell);
        let lowered = rules.known_kind(key.kind).lowered().iter();
        let lowered: Vec<(PropertyId, Decimal)> = lowered
            .map(|&(property, by)| (property, key.number(rules, property).checked_sub(by).unwrap_or_default()))
            .collect();
        key.properties.extend(lowered);
        let key = ClassKey::new(rules, key.kind, &key.marks, &key.properties);
        let class = self.class_of(key);
        self.change_class(spot, class);
    }
}
