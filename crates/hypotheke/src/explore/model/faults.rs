//! Faults between operations, tried in every state of a search.
//!
//! A search checks the result and does not continue from it: a loaded save is the same world, and a
//! returned holder has the same items.

use crate::Departures;
use crate::explore::minimize::step::SAVE_THEN_LOAD;
use crate::explore::model::claims::ClaimKind;
use crate::explore::model::scope::Fault;
use crate::explore::model::sentence::sentence;
use crate::explore::search::expand::{Known, Planned};
use crate::explore::walks::walk::saved_and_loaded;
use crate::id::HolderId;
use crate::ops::Operation;
use crate::world::World;

/// Something that is wrong with a world, or once something has happened there.
#[derive(Clone, Debug)]
pub(in crate::explore) struct Wrong {
    pub(in crate::explore) message: String,
    pub(in crate::explore) once: Option<Happened>,
}

impl Wrong {
    pub(in crate::explore) fn now(message: impl Into<String>) -> Wrong {
        Wrong { message: message.into(), once: None }
    }
}

/// The fault.
#[derive(Clone, Copy, Debug)]
pub(in crate::explore) enum Happened {
    SavedAndLoaded,
    Left(HolderId),
    CameBack(HolderId),
}

impl Happened {
    /// Lets it happen, and says each step of it. False where it can't.
    pub(in crate::explore) fn happen(self, world: &mut World, steps: &mut Vec<String>) -> bool {
        match self {
            Happened::SavedAndLoaded => {
                steps.push(SAVE_THEN_LOAD.to_owned());
                saved_and_loaded(world).map(|loaded| *world = loaded).is_some()
            }
            Happened::Left(holder) => play(world, &Operation::departing(holder), steps),
            Happened::CameBack(holder) => {
                let name = world.holder_name(holder).to_owned();
                let mut departures = Departures::new();
                let has_left = Happened::Left(holder).happen(world, steps);
                departures.extend(world.departed().iter().cloned());
                let back = departures.get(&name).cloned().map(Operation::arriving);
                has_left && back.is_some_and(|back| play(world, &back, steps))
            }
        }
    }
}

fn play(world: &mut World, operation: &Operation, steps: &mut Vec<String>) -> bool {
    let said = sentence(world, operation);
    let applied = world.perform(operation).is_ok();
    steps.extend(applied.then_some(said));
    applied
}

/// Adds the violations of a world after a fault.
pub(in crate::explore) fn try_all(world: &World, known: &Known<'_>, judged: &mut Planned) {
    for fault in &known.scope.faults {
        match fault {
            Fault::SaveThenLoad if saved_and_loaded(world).is_none() => {
                let message = "the world is different after saving and loading".to_owned();
                judged.law_violation.get_or_insert(Wrong { message, once: Some(Happened::SavedAndLoaded) });
            }
            Fault::SaveThenLoad => {}
            Fault::Leave => {
                for holder in world.holders().filter(|&holder| world.hand(holder).is_some()) {
                    // While a holder is away, so are their items: claims are about the world after
                    // their return.
                    check_laws(world, Happened::Left(holder), known, judged);
                    check(world, Happened::CameBack(holder), known, judged);
                }
            }
        }
    }
}

/// The world after a fault, checked by the laws; `None` if the fault is not possible there.
fn check_laws(world: &World, once: Happened, known: &Known<'_>, judged: &mut Planned) -> Option<World> {
    let mut after = world.clone();
    if !once.happen(&mut after, &mut Vec::new()) {
        return None;
    }
    if known.scope.is_against_the_laws(&after) {
        let wrong = || Wrong { message: "a law is broken".to_owned(), once: Some(once) };
        judged.law_violation.get_or_insert_with(wrong);
    }
    Some(after)
}

/// The same, and by the claims.
fn check(world: &World, once: Happened, known: &Known<'_>, judged: &mut Planned) {
    let Some(after) = check_laws(world, once, known, judged) else { return };
    let wrong = |message: String| Wrong { message, once: Some(once) };
    for (index, ((claim, ready), open)) in known.claims.iter().zip(known.open).enumerate() {
        if *open && claim.kind == ClaimKind::Always {
            judged.decides.extend(ready.wrong(&after).map(|described| (index, wrong(described))));
        }
    }
}
