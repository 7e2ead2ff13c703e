//! Places the contents of the start.

use std::sync::Arc;

use super::draft::{Draft, MAX_ON_GROUND};
use super::operation::{Action, Operation, Variant};
use super::resolve::ResolveError;
use crate::id::StackId;
use crate::language::{Amount, Landing};
use crate::ruleset::{NO_PACK, Ruleset, StartEntry, StartPortion};
use crate::text::{Diagnostic, Location};
use crate::world::{ClassKey, Event, GROUND, PackContents, Place, Spot, StackClass, StackLocation, World};

impl World {
    /// A world as the ruleset says that it begins.
    #[must_use]
    pub fn new(rules: &Arc<Ruleset>) -> World {
        // A ruleset with an invalid start is rejected when it is loaded.
        let laid = World::laid_out(rules).map(World::begun);
        debug_assert!(laid.is_ok(), "the start of a valid ruleset");
        laid.unwrap_or_else(|_| World::empty(rules))
    }

    /// The start of a ruleset as a world, or the errors in it.
    pub(crate) fn laid_out(rules: &Arc<Ruleset>) -> Result<World, ResolveError> {
        let mut world = World::empty(rules);
        for entry in &rules.start {
            lay_entry(&mut world, entry).map_err(|(_, error)| error)?;
        }
        Ok(world)
    }
}

/// Lays out one entry; the first fault and where it was written.
fn lay_entry(world: &mut World, entry: &StartEntry) -> Result<(), (Location, ResolveError)> {
    let place =
        world.place(&entry.place, None).map_err(|error| (entry.at, ResolveError::place(&entry.place, &error)))?;
    for portion in &entry.contents {
        world.lay_portion(place, portion, Landing::default()).map_err(|error| (portion.at, error))?;
    }
    Ok(())
}

impl World {
    fn begun(mut self) -> World {
        self.begin();
        self
    }

    /// The contents so far are the beginning of the world.
    pub(crate) fn begin(&mut self) {
        self.start_all_automatic();
        self.revision = 0;
        self.scratch = None;
        self.clear(0);
    }

    /// Removes the contents of a place, protected kinds too: preparing a start is not an operation
    /// of the game.
    pub(crate) fn clear_place(&mut self, place: Place) {
        let mut draft = Draft::new(self, Box::default());
        draft.remove_all(place);
        let (scratch, next_stack) = draft.into_parts();
        self.carry_out_all(scratch, next_stack);
    }

    /// Creates a portion in a place, as the game would.
    pub(crate) fn lay_portion(
        &mut self,
        place: Place,
        portion: &StartPortion,
        landing: Landing,
    ) -> Result<(), ResolveError> {
        let variant = Variant::of(portion);
        let (amount, kind) = (Amount::Exactly(portion.count), portion.kind);
        let operation = Operation::from(Action::Create { amount, kind, variant, to: place, landing });
        match self.perform(&operation) {
            Ok(_) => Ok(()),
            Err(refusal) => {
                let help = (refusal.max_amount() > 0).then(|| format!("Write {} or fewer", refusal.max_amount()));
                let message = format!("the start is not valid: {}", self.explain(&refusal));
                Err(ResolveError::new("bad-start", crate::text::Span::default(), message, help))
            }
        }
    }
}

impl World {
    /// Lays a portion in a place whatever limits and filters say: a world may be over them since
    /// its rules have changed. What the rules let in lies as they say; else a slot or a hand takes
    /// all of it, a container and the ground stacks within the kind's own limit.
    pub(crate) fn lay_over_limits(
        &mut self,
        place: Place,
        portion: &StartPortion,
        landing: Landing,
    ) -> Result<(), ResolveError> {
        let Err(refused) = self.lay_portion(place, portion, landing) else { return Ok(()) };
        let figures = self.rules.figures[portion.kind.index()];
        let is_pack = figures.pack != NO_PACK;
        let (spots, most) = match place {
            Place::Slot(id, slot) => (vec![Spot { container: id.index, slot }], u32::MAX),
            Place::Hand(holder) => (vec![Spot { container: self.hand_of(holder.index), slot: 0 }], u32::MAX),
            Place::Container(id) => {
                let slots = (0..self.slot_count(id.index)).map(|slot| Spot { container: id.index, slot });
                (slots.collect(), figures.stack_limit)
            }
            Place::Ground => {
                let most = if is_pack { 1 } else { figures.stack_limit };
                let stacks = (portion.count.div_ceil(most) as usize).min(MAX_ON_GROUND);
                let landings = (self.ground.next_landing..u32::MAX).map(|slot| Spot { container: GROUND, slot });
                (landings.take(stacks).collect(), most)
            }
            Place::Holder(_) | Place::OnGround(_) | Place::Shortcut(..) => return Err(refused),
        };
        let most = if is_pack { 1 } else { most };
        let free: Vec<Spot> = spots.into_iter().filter(|&spot| self.cell(spot).is_empty()).collect();
        let wanted = u64::from(portion.count);
        let weight = figures.weight.checked_mul(i64::from(portion.count));
        if weight.and_then(|weight| self.whole_weight().checked_add(weight)).is_none() {
            return Err(refused);
        }
        if free.len() as u64 * u64::from(most) < wanted || portion.count == 0 {
            return Err(refused);
        }
        let key = ClassKey::new(&self.rules, portion.kind, &portion.marks, &portion.properties);
        let class = StackClass(self.known_class(&key));
        let mut left = portion.count;
        for spot in free {
            let count = left.min(most);
            if count == 0 {
                break;
            }
            left -= count;
            let inner = match figures.pack {
                NO_PACK => GROUND,
                def => self.waiting(def).next().unwrap_or(self.container_count()),
            };
            let stack = StackId::new(self.number, self.next_stack);
            self.next_stack += 1;
            let to = StackLocation { spot, stack, position: landing.at };
            let (kind, inner) = (portion.kind, PackContents(inner));
            self.carry_out(&Event::Moved { kind, count, from: StackLocation::NOWHERE, to, class, inner });
        }
        Ok(())
    }
}

impl Variant {
    /// The marks and properties of a portion.
    pub(super) fn of(portion: &StartPortion) -> Variant {
        let marked = portion.marks.iter().fold(Variant::plain(), |variant, &mark| variant.marked(mark));
        portion.properties.iter().fold(marked, |variant, &(property, value)| variant.with(property, value))
    }
}

/// All that is wrong with the start of a ruleset.
pub(crate) fn start_faults(rules: &Arc<Ruleset>) -> Vec<Diagnostic> {
    let mut world = World::empty(rules);
    let fault = |(at, error): (Location, ResolveError)| {
        Diagnostic::error("bad-start", at, error.to_string()).maybe_help(error.help_text().map(str::to_owned))
    };
    rules.start.iter().filter_map(|entry| lay_entry(&mut world, entry).err()).map(fault).collect()
}
