//! The single rules of a ruleset, and what each of them could be instead.

use std::collections::BTreeMap;

use super::change::{Change, DealChange, FilterAt, IngredientList, LotSide, MeterChange, OfKind, RecipeChange};
use crate::filter::Filter;
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::{
    Beyond, DealSide, DepletedShortcut, Falling, FallingSource, FilterSource, PropertySource, PutMode, RecipeSource,
    Right, Rounding, RulesetSource, Subject, SubjectKind, WhenFull, WhenUnfit, Written,
};
use crate::text::{Location, Word};

/// The text of a change that removes the rule.
pub(super) const WITHOUT: &str = "without it";

/// A rule, its place, and its changes.
pub(super) struct Rule {
    pub(super) subject: Subject,
    pub(super) text: String,
    pub(super) at: Location,
    /// Each change, in words and as data.
    pub(super) changes: Vec<(String, Change)>,
}

/// All rules, in the order of the ruleset: for all, for tags, kinds, containers, holders, groups,
/// deals.
pub(super) fn rules_of(source: &RulesetSource, lightest: impl Fn(&Subject) -> Option<Decimal>) -> Vec<Rule> {
    let mut list = List { source, rules: Vec::new() };
    list.of_the_ruleset();
    list.of_tags();
    list.of_kinds();
    for container in 0..source.containers.len() {
        list.of_container(container, &lightest);
    }
    for holder in 0..source.holders.len() {
        list.of_holder(holder, &lightest);
    }
    for group in 0..source.groups.len() {
        list.of_group(group, &lightest);
    }
    for deal in 0..source.deals.len() {
        list.of_deal(deal);
    }
    for recipe in 0..source.recipes.len() {
        list.of_recipe(recipe);
    }
    for falling in 0..source.falling.len() {
        list.of_falling(falling);
    }
    for change in 0..source.changes.len() {
        list.of_stack_change(change);
    }
    list.of_start();
    list.rules
}

struct List<'s> {
    source: &'s RulesetSource,
    rules: Vec<Rule>,
}

impl List<'_> {
    fn add(&mut self, subject: &Subject, text: String, at: Location, changes: Vec<(String, Change)>) {
        if !changes.is_empty() {
            self.rules.push(Rule { subject: subject.clone(), text, at, changes });
        }
    }

    fn of_the_ruleset(&mut self) {
        let subject = Subject::ruleset();
        let source = self.source;
        if let Some(limit) = source.stack_limit {
            self.add(
                &subject,
                format!("stack-limit {limit}"),
                Location::default(),
                limits(limit, Change::RulesetLimit),
            );
        }
        if let Some(nesting) = &source.nesting {
            let depth = nesting.value;
            let near = [depth.checked_sub(1), Some(depth + 1)].into_iter().flatten();
            let changes = near.filter(|&near| near > 0 && near <= crate::ruleset::MAX_NESTING);
            let changes = changes.map(|near| (format!("{near}"), Change::Nesting(near))).collect();
            self.add(&subject, format!("nesting {depth}"), nesting.at, changes);
        }
        if let Some(limit) = source.ground_limit {
            self.add(&subject, format!("ground-limit {limit}"), Location::default(), limits(limit, Change::Ground));
        }
    }

    fn of_tags(&mut self) {
        for (index, tag) in self.source.tags.iter().enumerate() {
            let Some(limit) = tag.stack_limit else { continue };
            let subject = Subject::new(SubjectKind::Tag, &*tag.name.value);
            self.add(
                &subject,
                format!("stack-limit {limit}"),
                tag.name.at,
                limits(limit, |limit| Change::TagLimit(index, limit)),
            );
        }
    }

    fn of_kinds(&mut self) {
        let source = self.source;
        let properties = by_kind(&source.properties, |(kind, ..)| *kind);
        let attributes = by_kind(&source.attributes, |(kind, ..)| *kind);
        let uses = by_kind(&source.uses, |(kind, _)| *kind);
        let (needs, packs) = (by_kind(&source.needs, |(kind, _)| *kind), by_kind(&source.packs, |(kind, _)| *kind));
        for (index, kind) in source.kinds.iter().enumerate() {
            let subject = Subject::new(SubjectKind::Kind, source.arena.get(kind.id));
            let at = source.locate_kind(kind.at);
            let of = |list: &BTreeMap<u32, Vec<usize>>| {
                u32::try_from(index).ok().and_then(|kind| list.get(&kind).cloned()).unwrap_or_default()
            };
            if let Some(limit) = kind.stack_limit {
                let changes = limits(limit, |limit| Change::KindLimit(index, limit));
                self.add(&subject, format!("stack-limit {limit}"), at, changes);
            }
            if let Some(most) = kind.max_in_world {
                let changes = limits(most, |most| Change::MostInWorld(index, most));
                self.add(&subject, format!("most-in-world {most}"), at, changes);
            }
            if kind.weight != Decimal::ZERO {
                let changes = figures(kind.weight, true, |weight| Change::KindWeight(index, weight));
                self.add(&subject, format!("weight {}", kind.weight), at, changes);
            }
            if kind.value != Decimal::ZERO {
                let changes = figures(kind.value, false, |value| Change::KindValue(index, value));
                self.add(&subject, format!("value {}", kind.value), at, changes);
            }
            for &tag in &source.tag_sets[kind.tag_set as usize] {
                let changes = vec![(WITHOUT.to_owned(), Change::KindTag(index, tag))];
                self.add(&subject, format!("tag {}", source.tag_names[tag as usize].name), at, changes);
            }
            if kind.is_protected {
                self.add(
                    &subject,
                    "protected".to_owned(),
                    at,
                    vec![("not protected".to_owned(), Change::Protected(index))],
                );
            }
            for at_list in of(&needs) {
                for (slot, name) in source.needs[at_list].1.iter().enumerate() {
                    let of = OfKind { kind: index, at: at_list, name: name.value.clone() };
                    let changes = vec![("not occupied".to_owned(), Change::Need(of, slot))];
                    self.add(&subject, format!("occupies-slots {}", name.value), name.at, changes);
                }
            }
            for number in of(&properties) {
                self.of_property(&subject, (index, number), at);
            }
            for number in of(&attributes) {
                let (_, name, each) = &source.attributes[number];
                let of = OfKind { kind: index, at: number, name: name.value.clone() };
                let mut changes = figures(*each, false, |each| Change::Attribute(of.clone(), Some(each)));
                changes.retain(|(text, _)| text != WITHOUT);
                changes.push((WITHOUT.to_owned(), Change::Attribute(of, None)));
                self.add(&subject, format!("attribute {} {each}", name.value), name.at, changes);
            }
            for number in of(&uses) {
                self.of_use(&subject, (index, number), at);
            }
            for number in of(&packs) {
                let name = &source.packs[number].1;
                let of = OfKind { kind: index, at: number, name: name.value.clone() };
                let changes = vec![("no pack".to_owned(), Change::Pack(of))];
                self.add(&subject, format!("pack {}", name.value), name.at, changes);
            }
        }
    }

    fn of_use(&mut self, subject: &Subject, (kind, number): (usize, usize), at: Location) {
        let source = self.source;
        let of = |name: &str| OfKind { kind, at: number, name: name.to_owned() };
        self.add(subject, "use".to_owned(), at, vec![("no use".to_owned(), Change::NoUse(of("")))]);
        for (effect, (name, each)) in source.uses[number].1.effects.iter().enumerate() {
            let mut changes = figures(*each, false, |each| Change::Effect(of(&name.value), effect, Some(each)));
            changes.retain(|(text, _)| text != WITHOUT);
            changes.push((WITHOUT.to_owned(), Change::Effect(of(&name.value), effect, None)));
            self.add(subject, format!("use: {} {each}", name.value), name.at, changes);
        }
        for (lowered, (name, by)) in source.uses[number].1.lowers.iter().enumerate() {
            let mut changes = figures(*by, true, |by| Change::Lowered(of(&name.value), lowered, Some(by)));
            changes.retain(|(text, _)| text != WITHOUT);
            changes.push((WITHOUT.to_owned(), Change::Lowered(of(&name.value), lowered, None)));
            self.add(subject, format!("use: lowers {} by {by}", name.value), name.at, changes);
        }
    }

    /// Its start stays between its bounds.
    fn of_meter(&mut self, subject: &Subject, holder: usize, number: usize) {
        let meter = &self.source.holders[holder].meters[number];
        let change = |change: MeterChange| Change::Meter(holder, number, change);
        let all = |figure: Decimal, of: fn(Decimal) -> MeterChange, is_right: &dyn Fn(Decimal) -> bool| {
            let right = near_figure(figure).into_iter().filter(|near| is_right(*near));
            right.map(|near| (near.to_string(), change(of(near)))).collect::<Vec<_>>()
        };
        let (start, min, max) = (meter.start, meter.min, meter.max);
        let parts = [
            (format!("start {start}"), all(start, MeterChange::Start, &|it| (min..=max).contains(&it))),
            (format!("min {min}"), all(min, MeterChange::Min, &|it| it <= start)),
            (format!("max {max}"), all(max, MeterChange::Max, &|it| it >= start)),
        ];
        let other = match meter.beyond {
            Beyond::Stop => Beyond::Refuse,
            Beyond::Refuse => Beyond::Stop,
        };
        let beyond = (other.word().to_owned(), change(MeterChange::Beyond(other)));
        let parts = parts.into_iter().chain([(format!("beyond {}", meter.beyond.word()), vec![beyond])]);
        let (name, at) = (meter.name.value.clone(), meter.name.at);
        parts.for_each(|(part, changes)| self.add(subject, format!("meter {name}: {part}"), at, changes));
    }

    fn of_property(&mut self, subject: &Subject, (kind, number): (usize, usize), at: Location) {
        let (_, name, value) = &self.source.properties[number];
        let name = &self.source.property_names[*name as usize].value;
        let of = OfKind { kind, at: number, name: name.to_string() };
        let (text, mut changes) = match value {
            PropertySource::Number(value) => {
                let near = figures(*value, false, |value| Change::Number(of.clone(), value));
                (format!("property {name} {value}"), near)
            }
            PropertySource::Text(text) => {
                let text = self.source.arena.get(*text);
                let other = format!("{text}-");
                (format!("property {name} {text:?}"), vec![(format!("{other:?}"), Change::Text(of.clone(), other))])
            }
        };
        changes.retain(|(text, _)| text != WITHOUT);
        changes.push((WITHOUT.to_owned(), Change::NoProperty(of)));
        self.add(subject, text, at, changes);
    }

    fn of_container(&mut self, index: usize, lightest: &impl Fn(&Subject) -> Option<Decimal>) {
        let def = &self.source.containers[index];
        let subject = Subject::new(SubjectKind::Container, &*def.id.value);
        let at = def.id.at;
        if let Some(limit) = def.stack_limit {
            let changes = limits(limit, |limit| Change::ContainerLimit(index, limit));
            self.add(&subject, format!("stack-limit {limit}"), at, changes);
        }
        if let Some(cap) = &def.weight_cap {
            let changes = weights(cap.value, lightest(&subject), |cap| Change::ContainerWeight(index, cap));
            self.add(&subject, format!("weight-cap {}", cap.value), cap.at, changes);
        }
        if let Some(filter) = &def.admits {
            self.of_filter(&subject, "admits", filter, FilterAt::Container(index));
        }
        for (number, cap) in def.caps.iter().enumerate() {
            let changes = limits(cap.count, |count| Change::ContainerCap(index, number, count));
            self.add(&subject, format!("cap {} of `{}`", cap.count, cap.of.filter), cap.of.at, changes);
            self.of_filter(&subject, "cap of", &cap.of, FilterAt::ContainerCap(index, number));
        }
        for (number, slot) in def.slot.iter().enumerate() {
            let label = slot.name.as_ref().map_or_else(|| number.to_string(), |name| name.value.clone());
            if let Some(name) = &slot.name {
                let changes = vec![("no name".to_owned(), Change::SlotName(index, number))];
                self.add(&subject, format!("slot {label}: name"), name.at, changes);
            }
            if let Some(limit) = slot.stack_limit {
                let changes = limits(limit, |limit| Change::SlotLimit(index, number, limit));
                self.add(&subject, format!("slot {label}: stack-limit {limit}"), slot.at, changes);
            }
            if let Some(filter) = &slot.admits {
                self.of_filter(&subject, &format!("slot {label}: admits"), filter, FilterAt::Slot(index, number));
            }
            for right in [Right::Put, Right::Take] {
                let Some(written) = slot.access(right) else { continue };
                let words: Vec<&str> = written.words.iter().map(|word| word.value.as_str()).collect();
                if words != ["anyone"] {
                    let changes = vec![(WITHOUT.to_owned(), Change::SlotAccess(index, number, right))];
                    let text = format!("slot {label}: {} {}", right.key(), words.join(", "));
                    self.add(&subject, text, written.at, changes);
                }
            }
        }
        for (number, pair) in def.slot.windows(2).enumerate() {
            let label =
                |at: usize| pair[at].name.as_ref().map_or_else(|| (number + at).to_string(), |it| it.value.clone());
            if pair[0].has_rules() || pair[1].has_rules() {
                let changes = vec![("the other way round".to_owned(), Change::SlotOrder(index, number))];
                self.add(&subject, format!("slot {} before slot {}", label(0), label(1)), pair[0].at, changes);
            }
        }
        for (number, copy) in def.copies.iter().enumerate() {
            let changes = vec![(WITHOUT.to_owned(), Change::Copy(index, number))];
            self.add(&subject, format!("copy {}", copy.value), copy.at, changes);
        }
        self.of_bans(index, &subject, at);
        self.of_access(index, &subject);
        self.of_bounds(index, &subject);
        if let Some(ways) = &def.on_put {
            let changes = orders(ways).into_iter().map(|ways| (in_words(&ways), Change::OnPut(index, ways)));
            self.add(&subject, format!("on-put {}", in_words(ways)), at, changes.collect());
        }
    }

    fn of_bans(&mut self, index: usize, subject: &Subject, at: Location) {
        let def = &self.source.containers[index];
        for (written, text, instead, change) in [
            (def.reserved_first, "reserved-first", "in slot order", Change::Reserved(index)),
            (def.deep.is_some(), "deep", "not deep", Change::Deep(index)),
            (def.must_open, "must-open", "always open", Change::MustOpen(index)),
            (def.exclusive, "exclusive", "not exclusive", Change::Exclusive(index)),
            (def.worn, "worn", "not worn", Change::Worn(index)),
            (def.when_unfit == WhenUnfit::Eject, "when-unfit eject", "stay", Change::WhenUnfit(index)),
        ] {
            if written {
                self.add(subject, text.to_owned(), at, vec![(instead.to_owned(), change)]);
            }
        }
    }

    /// For anyone, and without each of several names.
    fn of_access(&mut self, index: usize, subject: &Subject) {
        let def = &self.source.containers[index];
        for right in Right::ALL {
            let Some(written) = def.access(right) else { continue };
            let words: Vec<&str> = written.words.iter().map(|word| word.value.as_str()).collect();
            let change = |words: Option<Vec<String>>| Change::Access(index, right, words);
            let instead = match words.as_slice() {
                ["anyone"] => (WITHOUT.to_owned(), change(None)),
                _ => ("anyone".to_owned(), change(Some(vec!["anyone".to_owned()]))),
            };
            let without = (0..words.len()).filter(|_| words.len() > 1).map(|gone| {
                let rest = words.iter().enumerate().filter(|(at, _)| *at != gone);
                let rest = rest.map(|(_, word)| (*word).to_owned()).collect();
                (format!("without {}", words[gone]), change(Some(rest)))
            });
            let changes = [instead].into_iter().chain(without).collect();
            self.add(subject, format!("{} {}", right.key(), words.join(", ")), written.at, changes);
        }
        if let Some(owner) = &def.owner {
            let changes = vec![(WITHOUT.to_owned(), Change::Owner(index))];
            self.add(subject, format!("owner {}", owner.value), owner.at, changes);
        }
    }

    fn of_bounds(&mut self, index: usize, subject: &Subject) {
        let def = &self.source.containers[index];
        let slots = def.slots.as_ref().map(|slots| slots.value);
        let listed = narrow::index(def.slot.len());
        let near = |count: u32| [count.checked_sub(1), count.checked_add(1)].into_iter().flatten();
        if let Some(written) = &def.slots {
            let changes = near(written.value).filter(|&near| near > 0 && near >= listed);
            let changes = changes.map(|near| (near.to_string(), Change::Slots(index, near))).collect();
            self.add(subject, format!("slots {}", written.value), written.at, changes);
        }
        // Else they are only for drawings.
        let is_it = |at: &Written<String>| at.value == def.id.value || def.copies.iter().any(|it| it.value == at.value);
        let has_pattern = |recipe: &RecipeSource| recipe.pattern.is_some() && recipe.at.iter().any(is_it);
        if let Some(written) = def.columns.as_ref().filter(|_| self.source.recipes.iter().any(has_pattern)) {
            let changes = near(written.value).filter(|&near| near > 0 && slots.is_none_or(|slots| near <= slots));
            let changes = changes.map(|near| (near.to_string(), Change::Columns(index, near))).collect();
            self.add(subject, format!("columns {}", written.value), written.at, changes);
        }
        if let Some(least) = &def.min_slots {
            let changes = near(least.value).filter(|&near| near > 0 && slots.is_none_or(|slots| near <= slots));
            let changes = changes.map(|near| (near.to_string(), Change::MinSlots(index, Some(near))));
            let changes = changes.chain([(WITHOUT.to_owned(), Change::MinSlots(index, None))]).collect();
            self.add(subject, format!("min-slots {}", least.value), least.at, changes);
        }
        if let Some(most) = &def.max_slots {
            let changes = near(most.value).filter(|&near| slots.is_none_or(|slots| near >= slots));
            let changes = changes.map(|near| (near.to_string(), Change::MaxSlots(index, Some(near))));
            let changes = changes.chain([(WITHOUT.to_owned(), Change::MaxSlots(index, None))]).collect();
            self.add(subject, format!("max-slots {}", most.value), most.at, changes);
        }
    }

    fn of_holder(&mut self, index: usize, lightest: &impl Fn(&Subject) -> Option<Decimal>) {
        let def = &self.source.holders[index];
        let subject = Subject::new(SubjectKind::Holder, &*def.id.value);
        if let Some(cap) = def.weight_cap {
            let changes = weights(cap, lightest(&subject), |cap| Change::HolderWeight(index, cap));
            self.add(&subject, format!("weight-cap {cap}"), def.id.at, changes);
        }
        for (number, cap) in def.caps.iter().enumerate() {
            let changes = limits(cap.count, |count| Change::HolderCap(index, number, count));
            self.add(&subject, format!("cap {} of `{}`", cap.count, cap.of.filter), cap.of.at, changes);
            self.of_filter(&subject, "cap of", &cap.of, FilterAt::HolderCap(index, number));
        }
        for (number, copy) in def.copies.iter().enumerate() {
            let changes = vec![(WITHOUT.to_owned(), Change::HolderCopy(index, number))];
            self.add(&subject, format!("copy {}", copy.value), copy.at, changes);
        }
        for (number, group) in def.groups.iter().enumerate() {
            let changes = vec![(WITHOUT.to_owned(), Change::Group(index, number))];
            self.add(&subject, format!("group {}", group.value), group.at, changes);
        }
        for (number, carried) in def.carries.iter().enumerate() {
            let changes = vec![("not carried".to_owned(), Change::Carry(index, number))];
            self.add(&subject, format!("carries {}", carried.value), carried.at, changes);
        }
        for (number, pair) in def.carries.windows(2).enumerate() {
            let changes = vec![("the other way round".to_owned(), Change::CarryOrder(index, number))];
            self.add(&subject, format!("carries {} before {}", pair[0].value, pair[1].value), pair[0].at, changes);
        }
        for (number, (from, label)) in def.encumbrance.iter().enumerate() {
            let step = lightest(&subject).filter(|step| *step > Decimal::ZERO);
            let near = step.into_iter().flat_map(|step| [from.value.checked_sub(step), from.value.checked_add(step)]);
            let near = near.flatten().filter(|near| *near >= Decimal::ZERO);
            let mut changes: Vec<(String, Change)> =
                near.map(|near| (near.to_string(), Change::Threshold(index, number, from.value, Some(near)))).collect();
            changes.push((WITHOUT.to_owned(), Change::Threshold(index, number, from.value, None)));
            let other = format!("{}-", label.value);
            changes.push((format!("called {other}"), Change::ThresholdLabel(index, number, other)));
            self.add(&subject, format!("encumbrance {} from {}", label.value, from.value), label.at, changes);
        }
        for number in 0..def.meters.len() {
            self.of_meter(&subject, index, number);
        }
        if let Some(shortcuts) = &def.shortcuts {
            // One more would change nothing: a scenario can't name it by the rules as they are.
            let less = shortcuts.value.checked_sub(1).filter(|&less| less > 0);
            let changes = less.into_iter().map(|near| (near.to_string(), Change::Shortcuts(index, near)));
            self.add(&subject, format!("shortcuts {}", shortcuts.value), shortcuts.at, changes.collect());
        }
        if def.depleted_shortcuts == DepletedShortcut::Keep {
            let changes = vec![("clear".to_owned(), Change::DepletedShortcut(index))];
            self.add(&subject, "depleted-shortcuts keep".to_owned(), def.id.at, changes);
        }
    }

    fn of_group(&mut self, index: usize, lightest: &impl Fn(&Subject) -> Option<Decimal>) {
        let group = &self.source.groups[index];
        let subject = Subject::new(SubjectKind::Group, &*group.id.value);
        if let Some(cap) = group.weight_cap {
            let changes = weights(cap, lightest(&subject), |cap| Change::GroupWeight(index, cap));
            self.add(&subject, format!("weight-cap {cap}"), group.id.at, changes);
        }
        for (number, cap) in group.caps.iter().enumerate() {
            let changes = limits(cap.count, |count| Change::GroupCap(index, number, count));
            self.add(&subject, format!("cap {} of `{}`", cap.count, cap.of.filter), cap.of.at, changes);
            self.of_filter(&subject, "cap of", &cap.of, FilterAt::GroupCap(index, number));
        }
    }

    fn of_deal(&mut self, index: usize) {
        let source = self.source;
        let deal = &source.deals[index];
        let subject = Subject::new(SubjectKind::Deal, &*deal.id.value);
        let without = |change: DealChange| vec![(WITHOUT.to_owned(), Change::Deal(index, change))];
        self.add(&subject, "the deal".to_owned(), deal.id.at, without(DealChange::Removed));
        for (number, at) in deal.at.iter().enumerate().filter(|_| deal.at.len() > 1) {
            self.add(&subject, format!("at {}", at.value), at.at, without(DealChange::NotAt(number)));
        }
        if let Some(by) = &deal.by {
            let words: Vec<&str> = by.words.iter().map(|word| word.value.as_str()).collect();
            let changes = vec![("anyone".to_owned(), Change::Deal(index, DealChange::ByAnyone))];
            self.add(&subject, format!("by {}", words.join(", ")), by.at, changes);
        }
        for (side, key, items) in [(LotSide::Gives, "gives", &deal.gives), (LotSide::Takes, "takes", &deal.takes)] {
            for (number, item) in items.iter().enumerate() {
                let near = near(item.value.count);
                let change = |near: u32| (near.to_string(), Change::Deal(index, DealChange::Count(side, number, near)));
                self.add(&subject, format!("{key} {}", item.value), item.at, near.map(change).collect());
            }
        }
        if let Some(of) = &deal.of {
            self.of_filter(&subject, "of", of, FilterAt::Deal(index));
        }
        for (side, key, price) in [(DealSide::Buy, "buy", &deal.buy), (DealSide::Sell, "sell", &deal.sell)] {
            let Some(price) = price else { continue };
            // Far enough away to change the price of whatever is worth anything.
            let factor = price.factor.checked_add(Decimal::from(1));
            let other = if price.round == Rounding::Up { Rounding::Down } else { Rounding::Up };
            let as_written = |factor: Decimal, round: Rounding| {
                let change = DealChange::Price(side, Some((factor, round)));
                (format!("{factor} rounded {}", round.word()), Change::Deal(index, change))
            };
            let mut changes: Vec<(String, Change)> =
                factor.map(|factor| as_written(factor, price.round)).into_iter().collect();
            changes.push(as_written(price.factor, other));
            if deal.buy.is_some() && deal.sell.is_some() {
                changes.push((WITHOUT.to_owned(), Change::Deal(index, DealChange::Price(side, None))));
            }
            let text = format!("{key} at value times {}, rounded {}", price.factor, price.round.word());
            self.add(&subject, text, price.at, changes);
        }
        if let Some(till) = &deal.coins_to {
            self.add(&subject, format!("coins-to {}", till.value), till.at, without(DealChange::TillWhereMade));
        }
        if deal.use_nobody {
            let changes = vec![("no".to_owned(), Change::Deal(index, DealChange::Nobody))];
            self.add(&subject, "use-nobody".to_owned(), deal.id.at, changes);
        }
    }

    fn of_falling(&mut self, index: usize) {
        let FallingSource { property, falling } = &self.source.falling[index];
        let subject = Subject::new(SubjectKind::Property, &*property.value);
        let of = |falling: Falling| Change::Falling(index, Some(falling));
        let figure = |figure: Decimal, of: &dyn Fn(Decimal) -> Change| {
            near_figure(figure).into_iter().map(|near| (near.to_string(), of(near))).collect::<Vec<_>>()
        };
        let mut by = figure(falling.by, &|by| of(Falling { by, ..*falling }));
        by.retain(|(_, change)| !matches!(change, Change::Falling(_, Some(it)) if it.by <= Decimal::ZERO));
        let every = near(falling.every).map(|every| (every.to_string(), of(Falling { every, ..*falling }))).collect();
        let min = figure(falling.min, &|min| of(Falling { min, ..*falling }));
        let without = vec![(WITHOUT.to_owned(), Change::Falling(index, None))];
        let parts = [
            ("falls".to_owned(), without),
            (format!("falls by {}", falling.by), by),
            (format!("falls every {}", falling.every), every),
            (format!("falls to {}", falling.min), min),
        ];
        parts.into_iter().for_each(|(part, changes)| self.add(&subject, part, property.at, changes));
    }

    fn of_stack_change(&mut self, index: usize) {
        let source = self.source;
        let change = &source.changes[index];
        let subject = Subject::new(SubjectKind::Change, &*change.id.value);
        let without = vec![(WITHOUT.to_owned(), Change::Stays(index))];
        self.add(&subject, "the change".to_owned(), change.id.at, without);
        if let Some(when) = &change.when {
            self.of_filter(&subject, "when", when, FilterAt::Change(index));
        }
    }

    fn of_recipe(&mut self, index: usize) {
        let source = self.source;
        let recipe = &source.recipes[index];
        let subject = Subject::new(SubjectKind::Recipe, &*recipe.id.value);
        let without = |change: RecipeChange| (WITHOUT.to_owned(), Change::Recipe(index, change));
        self.add(&subject, "the recipe".to_owned(), recipe.id.at, vec![without(RecipeChange::Removed)]);
        for (number, at) in recipe.at.iter().enumerate().filter(|_| recipe.at.len() > 1) {
            self.add(&subject, format!("at {}", at.value), at.at, vec![without(RecipeChange::NotAt(number))]);
        }
        if let Some(by) = &recipe.by {
            let words: Vec<&str> = by.words.iter().map(|word| word.value.as_str()).collect();
            let changes = vec![("anyone".to_owned(), Change::Recipe(index, RecipeChange::ByAnyone))];
            self.add(&subject, format!("by {}", words.join(", ")), by.at, changes);
        }
        let changed = |(count, change): (u32, RecipeChange)| (count.to_string(), Change::Recipe(index, change));
        let lists = [(IngredientList::Inputs, "input", &recipe.inputs), (IngredientList::Tools, "tool", &recipe.tools)];
        for (list, key, items) in lists {
            // The slots of a pattern say how many.
            let is_laid = list == IngredientList::Inputs && recipe.pattern.is_some();
            for (number, item) in items.iter().enumerate() {
                let near = near(item.count).filter(|_| !is_laid);
                let near = near.map(|near| changed((near, RecipeChange::Count(list, number, near))));
                let mut changes: Vec<(String, Change)> = near.collect();
                changes.extend((list == IngredientList::Tools).then(|| without(RecipeChange::NoTool(number))));
                let text = format!("{key} {} {}", item.count, item.of.filter);
                if !is_laid {
                    self.add(&subject, text, item.at, changes);
                }
                self.of_filter(&subject, key, &item.of, FilterAt::Ingredient(index, list, number));
            }
        }
        self.of_pattern(&subject, index, recipe);
        for (number, item) in recipe.outputs.iter().enumerate() {
            let near = near(item.value.count).map(|near| changed((near, RecipeChange::OutputCount(number, near))));
            self.add(&subject, format!("output {}", item.value), item.at, near.collect());
        }
        for (one, source) in recipe.yields.iter().enumerate() {
            for (number, item) in source.outputs.iter().enumerate() {
                let change = |near| changed((near, RecipeChange::YieldCount(one, number, near)));
                let text = format!("yield {} output {}", one + 1, item.value);
                self.add(&subject, text, item.at, near(item.value.count).map(change).collect());
            }
            for (number, pair) in source.outputs.windows(2).enumerate() {
                let text = format!("yield {}: {} before {}", one + 1, pair[0].value.kind, pair[1].value.kind);
                let change = Change::Recipe(index, RecipeChange::YieldOrder(one, number));
                self.add(&subject, text, pair[1].at, vec![("the other way round".to_owned(), change)]);
            }
            let others = recipe.yields.len() > 1 || !recipe.outputs.is_empty();
            let changes = others.then(|| without(RecipeChange::NoYield(one)));
            self.add(&subject, format!("yield {}", one + 1), source.at, changes.into_iter().collect());
        }
        if let Some(to) = &recipe.outputs_to {
            let text = format!("outputs-to {}", to.value);
            self.add(&subject, text, to.at, vec![without(RecipeChange::OutputsWhereMade)]);
        }
        // Without inputs it can't be anything else.
        if let Some(loot) = recipe.loot.filter(|_| !recipe.inputs.is_empty()) {
            self.add(&subject, "loot".to_owned(), loot, vec![without(RecipeChange::NoLoot)]);
        }
        if let Some(duration) = &recipe.duration {
            let near = near(duration.value).filter(|&ticks| ticks > 0);
            let near = near.map(|ticks| changed((ticks, RecipeChange::Duration(Some(ticks)))));
            let mut changes: Vec<(String, Change)> = near.collect();
            changes.push(without(RecipeChange::Duration(None)));
            self.add(&subject, format!("duration {}", duration.value), duration.at, changes);
            let when_full = recipe.when_full.as_ref().map_or(WhenFull::default(), |written| written.value);
            let at = recipe.when_full.as_ref().map_or(duration.at, |written| written.at);
            let other = when_full.other();
            let changes = vec![(other.word().to_owned(), Change::Recipe(index, RecipeChange::WhenFull(other)))];
            // What is automatic holds.
            let is_free = recipe.automatic.is_none();
            let changes = if is_free { changes } else { Vec::new() };
            if is_free || recipe.when_full.is_some() {
                self.add(&subject, format!("when-full {}", when_full.word()), at, changes);
            }
            if let Some(automatic) = recipe.automatic {
                let changes = vec![("by command".to_owned(), Change::Recipe(index, RecipeChange::NoAutomatic))];
                self.add(&subject, "automatic".to_owned(), automatic, changes);
            }
        }
        for (number, pair) in recipe.outputs.windows(2).enumerate() {
            let text = format!("{} before {}", pair[0].value.kind, pair[1].value.kind);
            let changes =
                vec![("the other way round".to_owned(), Change::Recipe(index, RecipeChange::OutputOrder(number)))];
            self.add(&subject, text, pair[1].at, changes);
        }
    }

    fn of_pattern(&mut self, subject: &Subject, index: usize, recipe: &RecipeSource) {
        let Some(pattern) = &recipe.pattern else { return };
        let change = |change: RecipeChange| Change::Recipe(index, change);
        let taken = pattern.cells.iter().flatten().count();
        for (nth, input) in pattern.cells.iter().enumerate() {
            let (row, column) = (nth / pattern.columns as usize, nth % pattern.columns as usize);
            // Without the last one there is no pattern.
            let Some(input) = input.filter(|_| taken > 1) else { continue };
            let of = &recipe.inputs[input as usize].of.filter;
            let without = vec![(WITHOUT.to_owned(), change(RecipeChange::NoCell(nth)))];
            self.add(subject, format!("pattern row {row} column {column}: {of}"), pattern.at, without);
        }
        let (at, is_mirrored) = (pattern.mirrored.unwrap_or(pattern.at), pattern.mirrored.is_some());
        let (text, other) = if is_mirrored { ("mirrored", "not mirrored") } else { ("not mirrored", "mirrored") };
        let changes = vec![(other.to_owned(), change(RecipeChange::Mirrored(!is_mirrored)))];
        self.add(subject, text.to_owned(), at, changes);
    }

    fn of_start(&mut self) {
        for (index, place) in self.source.start.iter().enumerate() {
            let subject = Subject::new(SubjectKind::Start, place.place.as_str());
            for (number, portion) in place.contents.iter().enumerate() {
                let near =
                    near(portion.value.count).map(|near| (near.to_string(), Change::Start(index, number, Some(near))));
                let changes = near.chain([(WITHOUT.to_owned(), Change::Start(index, number, None))]);
                let plain = (!portion.value.variant.is_plain())
                    .then(|| (format!("without {}", portion.value.variant), Change::StartVariant(index, number)));
                self.add(&subject, portion.value.to_string(), portion.at, changes.chain(plain).collect());
            }
        }
    }

    /// The filter as a whole, each of its terms, each of its conjunctions.
    fn of_filter(&mut self, subject: &Subject, head: &str, written: &FilterSource, at: FilterAt) {
        let filter = &written.filter;
        let is_optional = matches!(at, FilterAt::Container(_) | FilterAt::Slot(..));
        if is_optional {
            let changes = vec![(WITHOUT.to_owned(), Change::Filter(at, None))];
            self.add(subject, format!("{head} `{filter}`"), written.at, changes);
        }
        for (part, span, instead, whole) in variants(filter) {
            let place = span.map_or(written.at, |word| written.locate(word.span()));
            let changes = vec![(format!("`{instead}`"), Change::Filter(at, Some(whole)))];
            self.add(subject, format!("{head}: {part}"), place, changes);
        }
    }
}

/// The positions of each kind's entries in a list.
fn by_kind<T>(list: &[T], kind: impl Fn(&T) -> u32) -> BTreeMap<u32, Vec<usize>> {
    let mut found: BTreeMap<u32, Vec<usize>> = BTreeMap::new();
    for (number, entry) in list.iter().enumerate() {
        found.entry(kind(entry)).or_default().push(number);
    }
    found
}

fn in_words(ways: &[PutMode]) -> String {
    ways.iter().map(|way| way.word()).collect::<Vec<_>>().join(", ")
}

/// Each way left out, and each two neighbours the other way round.
fn orders(ways: &[PutMode]) -> Vec<Vec<PutMode>> {
    let without = (0..ways.len())
        .filter(|_| ways.len() > 1)
        .map(|left_out| ways.iter().enumerate().filter(|(at, _)| *at != left_out).map(|(_, way)| *way).collect());
    let turned = (1..ways.len()).map(|at| {
        let mut ways = ways.to_vec();
        ways.swap(at - 1, at);
        ways
    });
    without.chain(turned).collect()
}

/// One less and one more in the last place that is written, and none at all.
fn figures(figure: Decimal, is_weight: bool, change: impl Fn(Decimal) -> Change) -> Vec<(String, Change)> {
    let near = near_figure(figure).into_iter();
    let near = near.filter(|near| *near != Decimal::ZERO && !(is_weight && near.is_negative()));
    let near = near.map(|near| (near.to_string(), change(near)));
    near.chain([(WITHOUT.to_owned(), change(Decimal::ZERO))]).collect()
}

/// Less and more by one in the last place that is written.
fn near_figure(figure: Decimal) -> Vec<Decimal> {
    let text = figure.to_string();
    let places = text.split_once('.').map_or(0, |(_, places)| places.len());
    let step = Decimal::from_thousandths([1_000, 100, 10, 1][places.min(3)]);
    [figure.checked_sub(step), figure.checked_add(step)].into_iter().flatten().collect()
}

/// One less, one more, and none at all.
fn limits(limit: u32, change: impl Fn(Option<u32>) -> Change) -> Vec<(String, Change)> {
    let near = [limit.checked_sub(1).filter(|&less| less > 0), limit.checked_add(1)];
    let near = near.into_iter().flatten().map(|near| (near.to_string(), change(Some(near))));
    near.chain([(WITHOUT.to_owned(), change(None))]).collect()
}

/// Less and more by the weight of one item of the lightest kind, and none at all.
fn weights(
    cap: Decimal,
    lightest: Option<Decimal>,
    change: impl Fn(Option<Decimal>) -> Change,
) -> Vec<(String, Change)> {
    let mut changes = Vec::new();
    if let Some(step) = lightest.filter(|step| *step > Decimal::ZERO) {
        let less = cap.checked_sub(step).filter(|less| *less >= Decimal::ZERO);
        let near = [less, cap.checked_add(step)].into_iter().flatten();
        changes.extend(near.map(|near| (near.to_string(), change(Some(near)))));
    }
    changes.push((WITHOUT.to_owned(), change(None)));
    changes
}

/// The changed part, its word, the replacement, and the filter with that change.
type Variant<'f> = (String, Option<&'f Word>, String, Filter);

/// The filter with each term negated, and with `or` for each `and` and the other way round.
fn variants(filter: &Filter) -> Vec<Variant<'_>> {
    let mut found = Vec::new();
    collect(filter, &|part| part, &mut found);
    found
}

fn collect<'f>(part: &'f Filter, within: &dyn Fn(Filter) -> Filter, found: &mut Vec<Variant<'f>>) {
    match part {
        Filter::Name(word) | Filter::Compare(word, ..) => {
            let negated = Filter::Not(Box::new(part.clone()));
            found.push((format!("term `{part}`"), Some(word), negated.to_string(), within(negated)));
        }
        Filter::Not(inner) if matches!(**inner, Filter::Name(_) | Filter::Compare(..)) => {
            found.push((format!("term `{part}`"), first_word(part), inner.to_string(), within((**inner).clone())));
        }
        Filter::Not(inner) => collect(inner, &|part| within(Filter::Not(Box::new(part))), found),
        Filter::And(parts) | Filter::Or(parts) => {
            let is_and = matches!(part, Filter::And(_));
            let rejoin = |parts: Vec<Filter>| if is_and { Filter::And(parts) } else { Filter::Or(parts) };
            let other = if is_and { Filter::Or(parts.clone()) } else { Filter::And(parts.clone()) };
            let word = if is_and { "`and`" } else { "`or`" };
            found.push((format!("{word} in `{part}`"), first_word(part), other.to_string(), within(other)));
            for (index, inner) in parts.iter().enumerate() {
                let put_back = |changed: Filter| {
                    let mut parts = parts.clone();
                    parts[index] = changed;
                    within(rejoin(parts))
                };
                collect(inner, &put_back, found);
            }
        }
    }
}

fn first_word(part: &Filter) -> Option<&Word> {
    match part {
        Filter::Name(word) | Filter::Compare(word, ..) => Some(word),
        Filter::Not(inner) => first_word(inner),
        Filter::And(parts) | Filter::Or(parts) => parts.first().and_then(first_word),
    }
}

/// One less, unless that is none, and one more.
fn near(count: u32) -> impl Iterator<Item = u32> {
    [count.checked_sub(1).filter(|&less| less > 0), count.checked_add(1)].into_iter().flatten()
}
