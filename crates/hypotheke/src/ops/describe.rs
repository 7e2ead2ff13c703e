//! Refusals, places and events in words.

use super::operation::Variant;
use super::refusal::{Cause, Refusal, Unknown};
use crate::id::{HolderId, KindId, PropertyId, RecipeId};
use crate::language::{NOBODY, items_text, pass_text, ticks_text, times_text};
use crate::ruleset::{Cap, GroupDef, Kind, Meter, Recipe, RecipePart, Right};
use crate::world::{DepartingEntity, Event, Job, Place, StackClass, StackLocation, World};

impl World {
    /// The name of a place in sentences.
    #[must_use]
    pub fn place_name(&self, place: Place) -> String {
        match place {
            Place::Slot(id, slot) if self.has_container(id) => self.slot_name(id.index, slot),
            Place::Slot(..) => "a missing slot".to_owned(),
            Place::Container(id) => self.container_name(id),
            Place::Holder(id) => self.holder_name(id).to_owned(),
            Place::Hand(id) => format!("{}.hand", self.holder_name(id)),
            Place::Ground => "ground".to_owned(),
            Place::OnGround(stack) => format!("ground/{stack}"),
            Place::Shortcut(id, shortcut) => format!("{}.shortcuts/{shortcut}", self.holder_name(id)),
        }
    }

    /// The name of a kind in sentences, even for a kind of a different ruleset.
    pub(super) fn kind_name(&self, kind: KindId) -> &str {
        self.rules().kind(kind).map_or("an unknown kind", Kind::id)
    }

    /// What a part of a recipe admits: `snow`, or `fuel and not wet` in quotes.
    pub(super) fn ingredient_text(&self, recipe: RecipeId, part: RecipePart) -> String {
        let ingredient = self.rules().recipe(recipe).and_then(|recipe| recipe.part(part));
        match ingredient {
            Some(ingredient) if ingredient.of_text().contains(' ') => format!("of `{}`", ingredient.of_text()),
            Some(ingredient) => ingredient.of_text().to_owned(),
            None => "of an unknown recipe".to_owned(),
        }
    }

    pub(super) fn meter_name(&self, holder: HolderId, meter: u32) -> &str {
        let meters = &self.rules.holders()[self.def_of_holder(holder.index)].meters;
        meters.get(meter as usize).map_or("an unknown meter", Meter::name)
    }

    pub(super) fn property_name(&self, property: PropertyId) -> &str {
        self.rules.property(property).name()
    }

    pub(super) fn recipe_name(&self, recipe: RecipeId) -> &str {
        self.rules().recipe(recipe).map_or("of another ruleset", Recipe::id)
    }

    /// A refusal in one sentence, with its figures: `sled would weigh 204 kg; its cap is 180 kg`.
    #[must_use]
    pub fn explain(&self, refusal: &Refusal) -> String {
        let cause = self.explain_cause(refusal.cause());
        match refusal.step() {
            Some(step) => format!("step {}: {cause}", u64::from(step) + 1),
            None => cause,
        }
    }

    /// A reason in one sentence, with its figures: `sled would weigh 204 kg; its cap is 180 kg`.
    #[must_use]
    pub fn explain_cause(&self, cause: Cause) -> String {
        match cause {
            Cause::Stale => "the world has changed in the meantime".to_owned(),
            Cause::Arrived => "this transfer record, or a later one of the same name, has already arrived".to_owned(),
            Cause::Revision { expected, stands } => {
                format!("the request expects revision {expected}; the world is at revision {stands}")
            }
            Cause::RequestIdTaken => "the id of this request belongs to a different operation".to_owned(),
            Cause::TooManySteps { steps, max } => format!("the request has {steps} steps; the maximum is {max}"),
            Cause::TooManyChanges { changes, max } => {
                format!("the request would make {changes} changes; the maximum is {max}")
            }
            Cause::Unknown(unknown) => match unknown {
                Unknown::Place => "unknown place".to_owned(),
                Unknown::UnsupportedPlace => "the operation does not support this place".to_owned(),
                Unknown::Kind => "unknown kind".to_owned(),
                Unknown::Variant => "the kind does not have this mark or property".to_owned(),
                Unknown::Actor => "the operation requires an acting holder".to_owned(),
                Unknown::GameOnly => "only the game performs this operation".to_owned(),
                Unknown::Stack => "this stack is not on the ground".to_owned(),
                Unknown::Document => "the transfer record does not fit this world".to_owned(),
                Unknown::Deal => "no deal for this kind is made here".to_owned(),
                Unknown::Recipe => "unknown recipe".to_owned(),
                Unknown::Yield => "the recipe has no yield of this number".to_owned(),
                Unknown::NotInList => "no list may contain this operation".to_owned(),
                Unknown::SameSides => "both sides of the trade are the same".to_owned(),
                Unknown::Taken => "the world already has a place of this name or a stack of this id".to_owned(),
            },
            Cause::BadAmount => "the amount must be a number from 1 on, and no more than a named stack has".to_owned(),
            Cause::OneAtATime { recipe } => format!("{} is carried out once at a time", self.recipe_name(recipe)),
            Cause::NoLot { size } => format!("this deal is made for {size} at a time"),
            Cause::OutOfBounds { of, slots, min, max } if min == max => {
                format!("{} always has {max} slots; {slots} were requested", self.place_name(of))
            }
            Cause::OutOfBounds { of, slots, min, max } => {
                format!("{} can have {min} to {max} slots; {slots} were requested", self.place_name(of))
            }
            Cause::Overflow => "the total weight would be too large to count".to_owned(),
            Cause::NotOpen(at) => format!("{} is not open", self.place_name(at)),
            Cause::AlwaysOpen(at) => format!("{} is always open to its holder", self.place_name(at)),
            Cause::InUse { at, by } => format!("{} is in use by {}", self.place_name(at), self.holder_name(by)),
            Cause::EmptySource { at, kind } => match kind.filter(|_| !matches!(at, Place::Shortcut(..))) {
                Some(kind) => format!("{} contains no {}", self.place_name(at), self.kind_name(kind)),
                None => format!("{} is empty", self.place_name(at)),
            },
            Cause::NothingToDeposit { holder, into } => {
                format!("{} carries no kind that {} contains", self.holder_name(holder), self.place_name(into))
            }
            Cause::NotEnough { at, requested, there } => {
                format!("{} contains {there}; {requested} were requested", self.place_name(at))
            }
            Cause::TooFew { at, kind, requested, there } => {
                let kind = self.kind_name(kind);
                format!("{} has {there} {kind}; it would give {requested}", self.place_name(at))
            }
            Cause::TooLow { at, property, value, by } => {
                let name = self.property_name(property);
                format!("{name} of {} is {value}; a use lowers it by {by}", self.place_name(at))
            }
            Cause::Protected(kind) => format!("{} is protected", self.kind_name(kind)),
            Cause::NotEmpty(at) => format!("{} is not empty", self.place_name(at)),
            Cause::InsideItself(kind) => format!("{} would contain itself", self.kind_name(kind)),
            Cause::TooDeep { would, max } => format!("packs would be nested {would} deep; the maximum is {max}"),
            Cause::BlockedSlot(at) => {
                format!("{}, or a different slot that the item occupies, is blocked or taken", self.place_name(at))
            }
            Cause::NotAllowed { at, right } => {
                let (place, who) = (self.place_name(at), self.who_may_text(at, right));
                match right {
                    Right::Put => format!("only {who} may put items into {place}"),
                    Right::Take => format!("only {who} may take items out of {place}"),
                    Right::Open => format!("only {who} may open {place}"),
                }
            }
            Cause::NotInDeal { at, deal } => {
                let Some(deal) = self.rules().deals().get(deal as usize) else { return "unknown deal".to_owned() };
                let who = self.listed_text(deal.by(), at);
                format!("only {who} may make the deal {} at {}", deal.id(), self.place_name(at))
            }
            Cause::NoRecipe { at, recipe } => {
                format!("the recipe {} is not carried out at {}", self.recipe_name(recipe), self.place_name(at))
            }
            Cause::NoUse(kind) => format!("{} has no use", self.kind_name(kind)),
            Cause::Meter { holder, meter, would, bound } => {
                let (name, of) = (self.meter_name(holder, meter), self.holder_name(holder));
                let (side, way) = if would > bound { ("maximum", "rise") } else { ("minimum", "fall") };
                format!("{name} of {of} would {way} to {would}; its {side} is {bound}")
            }
            Cause::NotInRecipe { at, recipe } => {
                let Some(recipe) = self.rules().recipe(recipe) else { return "unknown recipe".to_owned() };
                let who = if recipe.is_loot() { "the game".to_owned() } else { self.listed_text(recipe.by(), at) };
                format!("only {who} may carry out the recipe {} at {}", recipe.id(), self.place_name(at))
            }
            Cause::Missing { at, recipe, part, required, there } => {
                let (place, what) = (self.place_name(at), self.ingredient_text(recipe, part));
                match part {
                    RecipePart::Input(_) => {
                        format!("{place} has {there} {what} to use up; the recipe needs {required}")
                    }
                    RecipePart::Tool(_) => format!("{place} has {there} {what} as a tool; the recipe needs {required}"),
                }
            }
            Cause::NoPattern { at, recipe } => {
                let (place, recipe) = (self.place_name(at), self.recipe_name(recipe));
                format!("the items in {place} do not match the pattern of {recipe}")
            }
            Cause::Working { at, recipe } => {
                let (place, recipe) = (self.place_name(at), self.recipe_name(recipe));
                let job = if let Place::Container(id) = at { self.job(id) } else { None };
                match job.map_or(0, |job| job.left(self.clock())) {
                    0 => format!("{place} has finished {recipe} and waits for room for what it makes"),
                    left => format!("{place} works on {recipe}; {} left", ticks_text(left)),
                }
            }
            Cause::NotWorking { at, recipe } => {
                format!("{} does not work on {}", self.place_name(at), self.recipe_name(recipe))
            }
            Cause::TooManyDue { due, max } => {
                format!("{due} things would fall due in this wait; the maximum is {max}")
            }
            Cause::NotOwner(at) => match self.owner_of(at) {
                Some(owner) => format!("only its owner {owner} may give {} away", self.place_name(at)),
                None => format!("{} has no owner, so no holder may give it away", self.place_name(at)),
            },
            Cause::NoTake(of) => format!("nobody may take items out of {}", self.place_name(of)),
            Cause::NoPut(of) => format!("nobody may put items into {}", self.place_name(of)),
            Cause::Cap { of, cap, would, count } => {
                let whose = match self.group_of_cap(of, cap) {
                    Some(group) => format!("the cap of group {group}"),
                    None => "its cap".to_owned(),
                };
                format!("{} would contain {would} {}; {whose} is {count}", self.place_name(of), self.cap_text(of, cap))
            }
            Cause::MostInWorld { kind, would, most } => {
                format!("the world would contain {would} {}; at most {most} may exist", self.kind_name(kind))
            }
            Cause::NotAdmitted { by, kind } => self.explain_filter(by, kind),
            Cause::WeightCap { of, would, cap } => {
                format!(
                    "{} would weigh {}; its cap is {}",
                    self.place_name(of),
                    self.rules().weight_text(would),
                    self.rules().weight_text(cap)
                )
            }
            Cause::StackLimit { at, would, limit, .. } => {
                format!("{} would contain {would}; its stack limit is {limit}", self.place_name(at))
            }
            Cause::NoRoom { at, requested, room } => {
                let place = self.place_name(at);
                match at {
                    Place::Slot(id, slot) if room == 0 => match self.stack(id, slot) {
                        Some(stack) => format!("{place} is occupied by {}", stack.kind().id()),
                        None => format!("{place} has no room for {requested}"),
                    },
                    _ => format!("{place} has room for {room} of {requested}"),
                }
            }
        }
    }

    fn caps_at(&self, of: Place) -> Option<&[Cap]> {
        match of {
            Place::Container(id) => self.container_def(id).map(crate::ContainerDef::caps),
            Place::Holder(id) => self.holder_def(id).map(crate::HolderDef::caps),
            _ => None,
        }
    }

    /// The group for which a cap of a holder is written, if it is not the holder's own.
    pub(super) fn group_of_cap(&self, of: Place, cap: u32) -> Option<&str> {
        let group = self.caps_at(of)?.get(cap as usize)?.group?;
        Some(self.rules().groups().get(group as usize)?.id())
    }

    /// The group that sets the weight cap of a holder, if it is lower than the holder's own.
    pub(super) fn group_of_weight_cap(&self, of: Place) -> Option<&str> {
        let Place::Holder(id) = of else { return None };
        let def = self.holder_def(id)?;
        let mut groups = def.groups().filter_map(|group| self.rules().find_group(group));
        let sets_it = |group: &&GroupDef| group.weight_cap() == def.weight_cap();
        groups.find(sets_it).filter(|_| def.own_weight_cap() != def.weight_cap()).map(GroupDef::id)
    }

    /// The filter of a cap, as the ruleset writes it.
    pub(super) fn cap_text(&self, of: Place, cap: u32) -> &str {
        self.caps_at(of).and_then(|caps| self.rules().caps(caps).nth(cap as usize)).map_or("", |(filter, _)| filter)
    }

    fn explain_filter(&self, by: Place, kind: KindId) -> String {
        let kind = self.kind_name(kind);
        let filter = match by {
            Place::Container(id) => self.container_def(id).and_then(|def| self.rules().admits(def)),
            Place::Slot(id, slot) => {
                let rule = self.container_def(id).and_then(|def| self.rules().slot_rules(def).nth(slot as usize));
                rule.and_then(crate::SlotRule::admits)
            }
            _ => None,
        };
        let place = self.place_name(by);
        match filter {
            Some(filter) => format!("{place} rejects this {kind}: it admits `{filter}`"),
            None => format!("every slot of {place} rejects this {kind}"),
        }
    }

    /// The marks and properties that a class stands for: those of a stack, or those that an event
    /// of the latest operation names.
    #[must_use]
    pub fn variant_of(&self, class: StackClass) -> Variant {
        let Some(key) = self.classes.key(class.0) else { return Variant::plain() };
        let marked = key.marks.iter().fold(Variant::plain(), |variant, &mark| variant.marked(mark));
        key.properties.iter().fold(marked, |variant, &(property, value)| variant.with(property, value))
    }

    /// Marks and properties in words: `contaminated, reading 3.2`.
    fn variant_text(&self, class: StackClass) -> String {
        let (variant, rules) = (self.variant_of(class), self.rules());
        let marks = variant.marks().iter().map(|&mark| rules.mark(mark).name().to_owned());
        let properties = variant.properties().iter();
        let properties = properties.map(|&(id, value)| format!("{} {value}", rules.property(id).name()));
        let words: Vec<String> = marks.chain(properties).collect();
        if words.is_empty() { "plain".to_owned() } else { words.join(", ") }
    }

    fn end_name(&self, end: &StackLocation) -> String {
        match (end.position(), end.stack()) {
            (Some(at), Some(stack)) => format!("ground/{stack} at {at}"),
            _ => self.spot_name(end.spot),
        }
    }

    fn traveller_name(&self, who: DepartingEntity) -> String {
        match who {
            DepartingEntity::Container(id) => self.name_of(id.index),
            DepartingEntity::Holder(id) => self.name_of_holder(id.index).to_owned(),
        }
    }

    /// A recipe that a container works on, in words: `melt-water for 20`, `2 melt-water for 20`.
    #[must_use]
    pub fn job_text(&self, job: Job) -> String {
        format!("{} for {}", times_text(job.times, self.recipe_name(job.recipe)), job.left(self.clock()))
    }

    /// An event in words: `3 fuel-drum: depot/0 to sled/2`.
    #[must_use]
    pub fn describe_event(&self, event: &Event) -> String {
        match event {
            Event::Moved { kind, count, from, to, .. } => {
                let what = format!("{count} {}", self.kind_name(*kind));
                match (from.exists(), to.exists()) {
                    (false, _) => format!("{what} created in {}", self.end_name(to)),
                    (_, false) => format!("{what} consumed from {}", self.end_name(from)),
                    _ => format!("{what}: {} to {}", self.end_name(from), self.end_name(to)),
                }
            }
            Event::Changed { at, after, .. } => format!("{} became {}", self.end_name(at), self.variant_text(*after)),
            Event::Resized { container, before, after } => {
                format!("{} has {after} slots instead of {before}", self.name_of(container.index))
            }
            Event::Bound { holder, shortcut, after, .. } => {
                let place = format!("{}.shortcuts/{shortcut}", self.name_of_holder(holder.index));
                match after {
                    Some(kind) => format!("{place} points at {}", self.kind_name(*kind)),
                    None => format!("{place} points at nothing"),
                }
            }
            Event::Metered { holder, meter, before, after } => {
                let of = self.name_of_holder(holder.index);
                let name = self.meter_name(*holder, *meter);
                let verb = if before < after { "rises" } else { "falls" };
                format!("{name} of {of} {verb} from {before} to {after}")
            }
            Event::Waited { before, after } => pass_text(after.saturating_sub(*before)),
            Event::Worked { container, before, after } => {
                let container = self.name_of(container.index);
                match (before, after) {
                    (_, Some(job)) => {
                        let what = times_text(job.times, self.recipe_name(job.recipe));
                        let ticks = self.rules().recipe(job.recipe).and_then(Recipe::duration).unwrap_or(0);
                        format!("{container} starts {what} for {}", ticks_text(u64::from(ticks)))
                    }
                    (Some(job), None) => format!("{container} ends {}", self.recipe_name(job.recipe)),
                    (None, None) => format!("{container} ends nothing"),
                }
            }
            Event::Opened { holder, container } => {
                format!("{} opened {}", self.name_of_holder(holder.index), self.name_of(container.index))
            }
            Event::Closed { holder, container } => {
                format!("{} closed {}", self.name_of_holder(holder.index), self.name_of(container.index))
            }
            Event::Given { container, after, .. } => {
                let owner = self.owner_name(*after).unwrap_or(NOBODY);
                format!("{} belongs to {owner}", self.name_of(container.index))
            }
            Event::Departed { who, count, .. } => {
                format!("{} departed with {}", self.traveller_name(*who), items_text(*count))
            }
            Event::Arrived { who, count, .. } => {
                format!("{} arrived with {}", self.traveller_name(*who), items_text(*count))
            }
            Event::Swapped { one, other } => format!("{} and {} swapped", self.end_name(one), self.end_name(other)),
        }
    }
}
