//! The remedy of a reason, in words: a change that removes it.

use super::refusal::{Cause, Unknown};
use crate::quantity::Decimal;
use crate::world::{Place, World};

impl World {
    /// A change that removes a reason: `Raise the weight cap of sled to 204 kg, or remove 24 kg
    /// from sled first`. It begins with a verb. If it is the only reason against an operation, the
    /// operation succeeds after the change. None if there is no such change.
    #[must_use]
    pub fn remedy(&self, cause: Cause) -> Option<String> {
        let name = |place: Place| self.place_name(place);
        Some(match cause {
            Cause::WeightCap { of, would, cap } => {
                let excess = would.thousandths().saturating_sub(cap.thousandths());
                let excess = self.rules().weight_text(Decimal::from_thousandths(excess));
                let whose = self.group_of_weight_cap(of).map(|group| format!("group {group}"));
                let (of, would) = (name(of), self.rules().weight_text(would));
                let whose = whose.as_ref().unwrap_or(&of);
                format!("Raise the weight cap of {whose} to {would}, or remove {excess} from {of} first")
            }
            Cause::Cap { of, cap, would, count } => {
                let (filter, excess) = (self.cap_text(of, cap), would - u64::from(count));
                let whose = self.group_of_cap(of, cap).map(|group| format!("group {group}"));
                let of = name(of);
                let whose = whose.as_ref().unwrap_or(&of);
                format!("Raise this cap of {whose} to {would}, or remove {excess} {filter} from {of} first")
            }
            Cause::MostInWorld { kind, would, most } => {
                let (kind, excess) = (self.kind_name(kind), would - u64::from(most));
                format!("Set `most-in-world = {would}` for {kind}, or consume {excess} {kind} first")
            }
            // A pack is always a stack of one item.
            // A pack is a stack of its own, and so is what a use lowers.
            Cause::StackLimit { kind, .. }
                if self.rules().kind(kind).is_some_and(|kind| kind.pack().is_some() || !kind.lowered().is_empty()) =>
            {
                return None;
            }
            Cause::StackLimit { at, would, kind, .. } => {
                format!("Raise the stack limit of {} in {} to {would}", self.kind_name(kind), name(at))
            }
            Cause::NoRoom { at: at @ Place::Slot(..), .. } | Cause::NotEmpty(at) => format!("Empty {} first", name(at)),
            Cause::NoRoom { at: Place::Ground, requested, room } => {
                format!("Clear {} from the ground first", stacks(requested.saturating_sub(room)))
            }
            Cause::NoRoom { at, requested, room } => {
                format!("Add slots to {} for {} more", name(at), requested.saturating_sub(room))
            }
            Cause::NoLot { size } => format!("Request a multiple of {size}"),
            Cause::TooFew { at, kind, requested, there } => {
                let (kind, missing) = (self.kind_name(kind), requested.saturating_sub(there));
                format!("Request fewer, or bring {missing} {kind} more to {} first", name(at))
            }
            Cause::NotInDeal { deal, .. } => {
                let deal = self.rules().deals().get(deal as usize)?.id();
                format!("Name the acting holder in `by` of the deal {deal}")
            }
            Cause::NoUse(kind) => format!("Set `use = {{}}` for {}", self.kind_name(kind)),
            Cause::Meter { holder, meter, .. } => {
                let (name, of) = (self.meter_name(holder, meter), self.holder_name(holder));
                format!("Set `beyond = \"stop\"` for the meter {name} of {of}")
            }
            Cause::NoRecipe { at, recipe } => {
                let recipe = self.rules().recipe(recipe)?.id();
                match at {
                    Place::Holder(_) => format!("Leave out `at` in the recipe {recipe}"),
                    at => format!("Name {} in `at` of the recipe {recipe}", name(at)),
                }
            }
            Cause::NotInRecipe { recipe, .. } => {
                let recipe = self.rules().recipe(recipe)?;
                match recipe.is_loot() {
                    true => format!("Let the game carry it out: `craft {} …`", recipe.id()),
                    false => format!("Name the acting holder in `by` of the recipe {}", recipe.id()),
                }
            }
            Cause::Missing { at, recipe, part, required, there } => {
                let (what, missing) = (self.ingredient_text(recipe, part), required.saturating_sub(there));
                format!("Bring {missing} more {what} to {} first", name(at))
            }
            Cause::NoPattern { at, recipe } => {
                let recipe = self.rules().recipe(recipe)?;
                let pattern = recipe.pattern()?;
                let input = |number: u32| match recipe.inputs()[number as usize].of_text() {
                    filter if filter.contains(' ') => format!("`{filter}`"),
                    name => name.to_owned(),
                };
                format!("Arrange them in {}, row by row: {}", name(at), pattern.text(input))
            }
            Cause::Working { at, recipe } => {
                let job = if let Place::Container(id) = at { self.job(id) } else { None };
                let (at, recipe) = (name(at), self.recipe_name(recipe));
                let first = match job.map_or(0, |job| job.left(self.clock())) {
                    0 => format!("Make room in {at} and wait"),
                    _ => format!("Wait until {recipe} ends"),
                };
                format!("{first}, or cancel it first: `cancel {recipe} at {at}`")
            }
            Cause::TooLow { at, property, by, .. } => {
                let property = self.property_name(property);
                format!("Raise it first, such as `set {property} of {} to {by}`", name(at))
            }
            Cause::NotEnough { there, .. } => format!("Request {there} or fewer"),
            Cause::NotOpen(at) => format!("Open {} first", name(at)),
            Cause::InUse { at, by } => format!("Let {} close {} first", self.holder_name(by), name(at)),
            Cause::NotAdmitted { by, .. } => format!("Change the filter of {}", name(by)),
            Cause::NoPut(of) => format!("Set `put-by = \"anyone\"` for {}", name(of)),
            Cause::NoTake(of) => format!("Set `take-by = \"anyone\"` for {}", name(of)),
            // A hand is its holder's alone.
            Cause::NotAllowed { at: Place::Container(id), .. } if self.container_def(id).is_none() => return None,
            Cause::NotAllowed { at, right } => format!("Name the acting holder in `{}` of {}", right.key(), name(at)),
            Cause::NotOwner(at) => match self.owner_of(at) {
                Some(owner) => format!("Let {owner} give it: `{owner} gives {} to …`", name(at)),
                None => format!("Let the game give it: `give {} to …`", name(at)),
            },
            Cause::TooDeep { would, .. } => format!("Set `nesting = {would}`"),
            Cause::BlockedSlot(at) => format!("Empty {} and the other slots that the item occupies first", name(at)),
            Cause::Protected(kind) => format!("Set `protected = false` for {}", self.kind_name(kind)),
            Cause::Unknown(Unknown::Actor) => "Name the acting holder, such as `surveyor lifts …`".to_owned(),
            Cause::OutOfBounds { min, max, .. } if min < max => format!("Request {min} to {max} slots"),
            Cause::OutOfBounds { .. }
            | Cause::EmptySource { .. }
            | Cause::NothingToDeposit { .. }
            | Cause::Stale
            | Cause::Arrived
            | Cause::Revision { .. }
            | Cause::RequestIdTaken
            | Cause::TooManySteps { .. }
            | Cause::TooManyDue { .. }
            | Cause::NotWorking { .. }
            | Cause::TooManyChanges { .. }
            | Cause::Unknown(_)
            | Cause::BadAmount
            | Cause::OneAtATime { .. }
            | Cause::Overflow
            | Cause::AlwaysOpen(_)
            | Cause::InsideItself(_) => return None,
        })
    }
}

fn stacks(count: u64) -> String {
    if count == 1 { "1 stack".to_owned() } else { format!("{count} stacks") }
}
