//! Operations as sentences, as a scenario writes them.

use crate::id::{KindId, MarkId};
use crate::language::{Amount, NamedOperation};
use crate::ops::{Action, Operation, Share, Variant};
use crate::world::{Place, World};

/// An operation in a sentence that means it in this world.
pub(super) fn sentence(world: &World, operation: &Operation) -> String {
    if let Action::Together { steps } = &operation.action {
        let steps: Vec<String> = steps.iter().map(|step| sentence(world, step)).collect();
        return format!("together ({})", steps.join("; "));
    }
    let (verb, rest) = said(world, &operation.action);
    let text = match operation.actor {
        Some(actor) => format!("{} {} {rest}", world.holder_name(actor), by_somebody(verb)),
        None => format!("{verb} {rest}"),
    };
    text.trim_end().to_owned()
}

/// With an actor the verb takes an s.
fn by_somebody(verb: &str) -> String {
    if verb.ends_with('x') { format!("{verb}es") } else { format!("{verb}s") }
}

fn amount(amount: Amount) -> String {
    match amount {
        Amount::Exactly(count) => count.to_string(),
        Amount::UpTo(count) => format!("up to {count}"),
        Amount::All => "all".to_owned(),
    }
}

/// How many of a kind: the one that is meant, or else what lies there.
fn of(world: &World, count: Amount, kind: Option<KindId>, at: Place) -> String {
    let there = || match at {
        Place::Slot(container, slot) => world.stack(container, slot).map(|stack| stack.kind().handle()),
        Place::OnGround(_) => world.stacks_in(Some(at)).first().map(|stack| stack.kind().handle()),
        _ => None,
    };
    match kind.or_else(there) {
        Some(kind) => format!("{} {}", amount(count), world.rules().known_kind(kind).id()),
        None => amount(count),
    }
}

fn variant_text(world: &World, variant: &Variant) -> String {
    let rules = world.rules();
    let marks = variant.marks().iter().map(|&mark| rules.mark(mark).name().to_owned());
    let changed = |(property, value): &(_, _)| format!("{} {value}", rules.property(*property).name());
    let parts: Vec<String> = marks.chain(variant.properties().iter().map(changed)).collect();
    if parts.is_empty() { String::new() } else { format!(" ({})", parts.join(", ")) }
}

/// The verb without an actor, and what follows it.
fn said(world: &World, action: &Action) -> (&'static str, String) {
    let place = |place: &Place| world.place_name(*place);
    let mark = |mark: MarkId| world.rules().mark(mark).name().to_owned();
    let kind = |kind: KindId| world.rules().known_kind(kind).id().to_owned();
    match action {
        Action::Move { amount: count, kind, from, to } => {
            ("move", format!("{} from {} to {}", of(world, *count, *kind, *from), place(from), place(to)))
        }
        Action::Split { count, from, to } => ("split", format!("{count} from {} to {}", place(from), place(to))),
        Action::Merge { amount: Amount::All, from, onto } => ("merge", format!("{} onto {}", place(from), place(onto))),
        Action::Merge { amount: count, from, onto } => {
            ("merge", format!("{} from {} onto {}", amount(*count), place(from), place(onto)))
        }
        Action::Swap { one, other } => ("swap", format!("{} with {}", place(one), place(other))),
        Action::Drop { amount: count, kind, from, .. } => {
            ("drop", format!("{} from {}", of(world, *count, *kind, *from), place(from)))
        }
        Action::PickUp { amount: count, kind, from, to } => {
            let stack = from.map_or_else(String::new, |stack| format!(" from ground/{stack}"));
            let at = from.map_or(Place::Ground, Place::OnGround);
            ("pick", format!("up {}{stack} to {}", of(world, *count, *kind, at), place(to)))
        }
        Action::Equip { amount: count, from } => ("equip", format!("{} from {}", amount(*count), place(from))),
        Action::Unequip { amount: count, from, to } => {
            let to = to.as_ref().map_or_else(String::new, |to| format!(" to {}", place(to)));
            ("unequip", format!("{} from {}{to}", amount(*count), place(from)))
        }
        Action::Lift { share: Share::Amount(count), from } => {
            ("lift", format!("{} from {}", amount(*count), place(from)))
        }
        Action::Lift { share: Share::Half, from } => ("lift", format!("half from {}", place(from))),
        Action::Put { amount: count, to } => ("put", format!("{} in {}", amount(*count), place(to))),
        Action::Return { amount: Amount::All } => ("return", String::new()),
        Action::Return { amount: count } => ("return", amount(*count)),
        Action::Open { at } => ("open", place(at)),
        Action::Close { at } => ("close", place(at)),
        Action::Leave => ("leave", String::new()),
        Action::Sort { at, by } => ("sort", format!("{} by {}", place(at), by.code())),
        Action::Resize { at, slots, spill } => {
            ("resize", format!("{} to {slots}{}", place(at), if *spill { " with spill" } else { "" }))
        }
        Action::Bind { kind: bound, at } => ("bind", format!("{} to {}", kind(*bound), place(at))),
        Action::Unbind { at } => ("unbind", place(at)),
        Action::Mark { at, mark: set } => ("mark", format!("{} {}", place(at), mark(*set))),
        Action::Unmark { at, mark: unset } => ("unmark", format!("{} {}", place(at), mark(*unset))),
        Action::Set { at, property, value } => {
            ("set", format!("{} of {} to {value}", world.rules().property(*property).name(), place(at)))
        }
        Action::Create { amount: count, kind: created, variant, to, .. } => {
            let what = format!("{} {}{}", amount(*count), kind(*created), variant_text(world, variant));
            ("create", format!("{what} in {}", place(to)))
        }
        Action::Consume { amount: count, kind, from } => {
            ("consume", format!("{} from {}", of(world, *count, *kind, *from), place(from)))
        }
        Action::Depart { who } => ("depart", place(who)),
        Action::Arrive { departure } => ("arrive", departure.name().to_owned()),
        // What stands in a list is told by the list.
        Action::Together { .. } => ("together", String::new()),
    }
}

impl World {
    /// An operation as plain data by names, the counterpart of [`NamedOperation::resolve`]. None where a handle is of a different
    /// world, or of something that has gone.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("flare", |kind| kind)
    ///     .container("depot", |depot| depot.slots(2))
    ///     .start("depot", ["1 flare"])
    ///     .build()?;
    /// let world = World::new(&rules.into());
    /// let depot = world.container("depot").unwrap();
    /// let operation = Operation::moving(Amount::All, (depot, 0), (depot, 1));
    /// let named = world.name_operation(&operation).unwrap();
    /// assert_eq!(named.to_string(), "move flare from depot/0 to depot/1");
    /// assert!(named.resolve(&world).is_ok());
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn name_operation(&self, operation: &Operation) -> Option<NamedOperation> {
        sentence(self, operation).parse().ok()
    }
}
