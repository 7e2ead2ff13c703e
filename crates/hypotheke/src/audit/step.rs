//! What no operation may do, whatever the world that it leaves: what one world alone does not show.

use std::collections::BTreeMap;

use super::{Law, Violation};
use crate::filter::Outlook;
use crate::id::{ContainerId, HolderId, KindId};
use crate::language::Verb;
use crate::ops::{Action, Operation};
use crate::ruleset::{Access, ChangeEffect, ContainerDef, DealSide, Recipe, Right};
use crate::world::{Place, StackView, World};

/// Reads a world, and checks it again after an operation.
///
/// Only `create` may put a protected item on the ground: alone, in a pack, or into a pack on the
/// ground. No protected item may be consumed. Nothing enters or leaves a container that is not for
/// the actor. A world does not show how an item reached its place, so [`audit`](super::audit) can't
/// check this.
///
/// ```
/// use hypotheke::{Amount, Operation, Place, Ruleset, StepAudit, World};
///
/// let rules = Ruleset::builder().kind("journal", |kind| kind.protected()).container("depot", |depot| depot.slots(2)).build()?;
/// let mut world = World::new(&rules.into());
/// let journal = world.rules().find_kind("journal").unwrap();
/// let created = Operation::creating(Amount::Exactly(1), journal, Place::Ground);
/// let audit = StepAudit::before(&world, &created);
/// world.perform(&created).unwrap();
/// assert!(audit.check(&world, &created).is_empty());
/// // Had anything else brought it there, that would be wrong.
/// let depot = world.container("depot").unwrap();
/// assert_eq!(audit.check(&world, &Operation::moving(Amount::All, depot, depot)).len(), 1);
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, Default)]
pub struct StepAudit {
    /// For each protected kind: how many items are on the ground, and how many have been consumed.
    protected: BTreeMap<KindId, (u64, u64)>,
    /// The containers that are not for the actor, and the items of each kind in them.
    barred: Vec<Barred>,
}

/// Items of each kind, at any depth.
type Counts = BTreeMap<KindId, u64>;

#[derive(Clone, Debug)]
struct Barred {
    container: ContainerId,
    right: Right,
    counts: Counts,
}

impl StepAudit {
    /// Counts the protected items of the world, and the items in containers that are not for the
    /// actor. The cost grows with the stacks on the ground and in those containers, and with the
    /// kinds in play.
    #[must_use]
    pub fn before(world: &World, operation: &Operation) -> StepAudit {
        let (protected, who) = (protected(world), acting(operation));
        let mut dealing = Vec::new();
        add_dealing(world, operation, &mut dealing);
        let barred = who.into_iter().flat_map(|(actor, verbs)| barred(world, actor, &verbs, &dealing));
        StepAudit { protected, barred: barred.collect() }
    }
    /// What the operation that led from there to a world has broken.
    #[must_use]
    pub fn check(&self, after: &World, operation: &Operation) -> Vec<Violation> {
        let creates = creates(operation);
        let mut found = Vec::new();
        for (kind, (on_ground, consumed)) in protected(after) {
            let (was_on_ground, was_consumed) = self.protected.get(&kind).copied().unwrap_or_default();
            let kind = after.rules().known_kind(kind).id().to_owned();
            let mut add = |message| {
                found.push(Violation { law: Law::Protected, place: "ground".to_owned(), message, figures: None });
            };
            if on_ground > was_on_ground && !creates {
                add(format!("{} {kind} were dropped, but they are protected", on_ground - was_on_ground));
            }
            if consumed > was_consumed {
                add(format!("{} {kind} consumed, but they are protected", consumed - was_consumed));
            }
        }
        found.extend(self.barred.iter().filter_map(|barred| crossed(after, barred)));
        found
    }
}

/// For each protected kind: how many items are on the ground, and how many have been consumed.
fn protected(world: &World) -> BTreeMap<KindId, (u64, u64)> {
    let in_play = world.counted_kinds().filter(|&kind| world.rules().known_kind(kind).is_protected());
    let mut protected = in_play.map(|kind| (kind, (0, world.totals(kind).consumed))).collect();
    world.ground().for_each(|(stack, _)| count(world, stack, &mut protected));
    protected
}

/// The one actor of an operation, or of all steps of a list, and their verbs. Where several act,
/// nobody can say who brought what.
fn acting(operation: &Operation) -> Option<(Option<HolderId>, Vec<Verb>)> {
    let mut steps = Vec::new();
    add_steps(operation, None, &mut steps);
    let (actor, _) = *steps.first()?;
    let is_one = steps.iter().all(|(other, _)| *other == actor);
    is_one.then(|| (actor, steps.into_iter().map(|(_, verb)| verb).collect()))
}

fn add_steps(operation: &Operation, around: Option<HolderId>, steps: &mut Vec<(Option<HolderId>, Verb)>) {
    let actor = operation.actor.or(around);
    match &operation.action {
        Action::Together { steps: inner } => inner.iter().for_each(|step| add_steps(step, actor, steps)),
        action => steps.push((actor, action.verb())),
    }
}

/// The containers of deals and recipes, whose lists do not count, and whether `nobody` does not
/// count either.
fn add_dealing(world: &World, operation: &Operation, dealing: &mut Vec<(ContainerId, bool)>) {
    if let Action::Craft { recipe, .. } = &operation.action {
        let to = world.rules().recipe(*recipe).and_then(Recipe::outputs_to);
        dealing.extend(to.and_then(|name| world.container(name)).map(|to| (to, true)));
    }
    let (side, kind, at) = match &operation.action {
        Action::Together { steps } => return steps.iter().for_each(|step| add_dealing(world, step, dealing)),
        Action::Buy { kind, at, .. } => (DealSide::Buy, *kind, *at),
        Action::Sell { kind, at, .. } => (DealSide::Sell, *kind, *at),
        // What a pack gains and loses, the containers around it do too.
        Action::Craft { at: Place::Container(at), .. } | Action::Cancel { at: Place::Container(at), .. } => {
            let around = |at: &ContainerId| match world.place_of_pack(*at) {
                Some(Place::Slot(around, _)) => Some(around),
                _ => None,
            };
            return dealing.extend(std::iter::successors(Some(*at), around).map(|at| (at, true)));
        }
        // Among others, a holder changes its own items as it consumes and creates.
        _ => return,
    };
    let Place::Container(at) = at else { return };
    if let Some((deal, _)) = world.rules().deal_for(side, kind, &world.container_name(at)) {
        let till = deal.coins_to().and_then(|name| world.container(name));
        dealing.extend([at].into_iter().chain(till).map(|container| (container, deal.uses_nobody())));
    }
}

/// The containers into which the actor may put nothing by these verbs, or take nothing out of.
fn barred(world: &World, actor: Option<HolderId>, verbs: &[Verb], dealing: &[(ContainerId, bool)]) -> Vec<Barred> {
    let is_any = |exempt: &[Verb]| verbs.iter().any(|verb| exempt.contains(verb));
    let mut found = Vec::new();
    for container in world.containers() {
        let Some(def) = world.container_def(container) else { continue };
        for right in [Right::Put, Right::Take] {
            let is_barred = match (right, may(world, container, def, right, actor)) {
                (_, Some(true)) => false,
                (_, said) if dealing.iter().any(|&(at, passes)| at == container && (passes || said.is_some())) => false,
                // What returns to its slot is never kept out.
                (Right::Put, _) if is_any(&[Verb::Return, Verb::Leave]) => false,
                (_, Some(false)) => true,
                // `nobody`
                (Right::Put, None) => actor.is_some() || !is_any(&[Verb::Create, Verb::Craft, Verb::Wait]),
                (_, None) => {
                    let leaves = is_any(&[Verb::Mark, Verb::Unmark, Verb::Set, Verb::Resize]);
                    !leaves && (actor.is_some() || !is_any(&[Verb::Consume, Verb::Craft, Verb::Wait]))
                }
            };
            if is_barred {
                found.push(Barred { container, right, counts: counts(world, container) });
            }
        }
    }
    found
}

/// Whether an actor may, by the rules alone; `None` if nobody may.
fn may(
    world: &World,
    container: ContainerId,
    def: &ContainerDef,
    right: Right,
    actor: Option<HolderId>,
) -> Option<bool> {
    let list = match def.access(right) {
        Access::Anyone | Access::Surrounding => return Some(true),
        Access::Nobody => return None,
        Access::Listed(list) => list,
    };
    let Some(actor) = actor else { return Some(true) };
    let name = world.holder_name(actor);
    let groups = world.holder_def(actor).map(|def| def.groups().collect::<Vec<_>>()).unwrap_or_default();
    let is_owner = list.owner && world.owner(container) == Some(name);
    let is_named = list.holders.iter().any(|holder| &**holder == name);
    Some(is_owner || is_named || list.groups.iter().any(|group| groups.contains(&&**group)))
}

fn counts(world: &World, container: ContainerId) -> Counts {
    let mut counts = Counts::new();
    let mut inside = vec![container];
    while let Some(container) = inside.pop() {
        for (_, stack) in world.stacks(container).chain(world.in_work(container)) {
            *counts.entry(stack.kind().handle()).or_default() += u64::from(stack.count());
            inside.extend(stack.inside());
        }
    }
    counts
}

/// What has crossed a border that was not for the actor.
fn crossed(after: &World, barred: &Barred) -> Option<Violation> {
    if !after.has_container(barred.container) {
        return None;
    }
    let now = counts(after, barred.container);
    let count = |counts: &Counts, kind: KindId| counts.get(&kind).copied().unwrap_or(0);
    let rules = after.rules();
    // What a rule changes crosses no border.
    let is_changed = |kind: KindId| {
        rules.changes().iter().any(|change| {
            let outlook = rules.filter(change.filter()).test.outlook(&rules.known_kind(kind));
            change.effect() == ChangeEffect::Becomes(kind) || outlook != Outlook::Never
        })
    };
    let kinds = barred.counts.keys().chain(now.keys()).copied().filter(|&kind| !is_changed(kind));
    let (kind, was, is) =
        kinds.map(|kind| (kind, count(&barred.counts, kind), count(&now, kind))).find(|&(_, was, is)| match barred
            .right
        {
            Right::Put => is > was,
            Right::Take | Right::Open => is < was,
        })?;
    let (kind, key) = (after.rules().known_kind(kind).id(), barred.right.key());
    let message = format!("{} {kind} crossed a border against `{key}`", is.abs_diff(was));
    Some(Violation { law: Law::Access, place: after.container_name(barred.container), message, figures: None })
}

fn count(world: &World, stack: StackView<'_>, protected: &mut BTreeMap<KindId, (u64, u64)>) {
    if stack.kind().is_protected() {
        protected.entry(stack.kind().handle()).or_default().0 += u64::from(stack.count());
    }
    let inside = stack.inside().map(|inside| world.stacks(inside));
    inside.into_iter().flatten().for_each(|(_, stack)| count(world, stack, protected));
}

/// Whether an operation, or one in its list, brings items in.
fn creates(operation: &Operation) -> bool {
    match &operation.action {
        Action::Create { .. } | Action::Craft { .. } => true,
        Action::Together { steps } => steps.iter().any(creates),
        _ => false,
    }
}
