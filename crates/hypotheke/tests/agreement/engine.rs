//! The engine behind the model's words.

use std::sync::Arc;

use hypotheke::{
    Action, Amount, ContainerId, Decimal, Departure, Departures, HolderId, Landing, LiftAmount, MarkId, Meter,
    Operation, Place, Position, PropertyId, Ruleset, Selector, StackView, Variant, World,
};

use hypotheke::snapshot::{Container, Departed, PastArrival};

use super::rules::{PROPERTIES, decimal, rules_text};
use crate::model::{At, Inside, Job, No, Offer, Owner, Part, Request, Root, Rules, Stack, State, Who};

/// A document of what nobody knows.
fn nobody() -> Arc<Departure> {
    let who = Departed::Container(Container::default());
    Arc::new(Departure { id: None, who, packs: Vec::new(), orphans: Vec::new() })
}

pub(super) struct Engine {
    pub(super) world: World,
    /// The handles that these had when they were last there.
    containers: Vec<ContainerId>,
    holders: Vec<HolderId>,
    names: Vec<String>,
    kinds: usize,
    departures: Departures,
}

impl Engine {
    pub(super) fn new(rules: &Rules) -> Engine {
        let text = rules_text(rules);
        let ruleset = Ruleset::from_toml("random.toml", &text).unwrap_or_else(|errors| panic!("{errors}\n{text}"));
        let world = World::new(&Arc::new(ruleset));
        let name = |index: usize| match rules.containers[index].holder {
            Some(holder) => format!("h{holder}.c{index}"),
            None => format!("c{index}"),
        };
        let names: Vec<String> = (0..rules.containers.len()).map(name).collect();
        let containers = names.iter().map(|name| world.container(name).expect("a container")).collect();
        let holders = (0..rules.holders.len()).map(|index| world.holder(&format!("h{index}")).expect("a holder"));
        let holders = holders.collect();
        Engine { world, containers, holders, names, kinds: rules.kinds.len(), departures: Departures::new() }
    }

    /// Migrates to different rules of the same places.
    pub(super) fn reload(&mut self, rules: &Rules) {
        let text = rules_text(rules);
        let ruleset = Ruleset::from_toml("random.toml", &text).unwrap_or_else(|errors| panic!("{errors}\n{text}"));
        self.world.reload(&Arc::new(ruleset)).unwrap_or_else(|error| panic!("{error}\n{text}"));
        self.look_up();
    }

    pub(super) fn undo(&mut self, revision: u64) -> bool {
        let undone = self.world.undo(revision).is_ok();
        self.look_up();
        undone
    }

    /// What has come back has another handle.
    fn look_up(&mut self) {
        for (name, known) in self.names.iter().zip(&mut self.containers) {
            *known = self.world.container(name).unwrap_or(*known);
        }
        for (index, known) in self.holders.iter_mut().enumerate() {
            *known = self.world.holder(&format!("h{index}")).unwrap_or(*known);
        }
    }

    /// The container that a way through packs leads into.
    pub(super) fn inside(&self, inside: &Inside) -> ContainerId {
        let first = match inside.root {
            Root::Container(index) => self.containers[index],
            Root::Hand(holder) => {
                let held = self.world.hand(self.holder(holder)).and_then(hypotheke::StackView::inside).expect("a pack");
                return self.walk(held, &inside.steps[1..]);
            }
            Root::Transit => unreachable!("nothing waits between operations"),
            Root::Landing(id) => {
                let mut ground = self.world.ground().map(|(stack, _)| stack);
                ground.find(|stack| stack.id().serial() == id).and_then(hypotheke::StackView::inside).expect("a pack")
            }
        };
        self.walk(first, &inside.steps)
    }

    fn walk(&self, first: ContainerId, steps: &[usize]) -> ContainerId {
        steps.iter().fold(first, |id, &slot| {
            let slot = u32::try_from(slot).unwrap();
            self.world.stack(id, slot).and_then(hypotheke::StackView::inside).expect("a pack")
        })
    }

    fn holder(&self, holder: usize) -> HolderId {
        self.holders[holder]
    }

    fn place(&self, at: &At) -> Place {
        match at {
            At::Slot(Inside { root: Root::Hand(holder), steps }, _) if steps.is_empty() => {
                Place::Hand(self.holder(*holder))
            }
            At::Slot(inside, slot) => Place::Slot(self.inside(inside), u32::try_from(*slot).unwrap()),
            At::Container(inside) => Place::Container(self.inside(inside)),
            At::Holder(holder) => Place::Holder(self.holder(*holder)),
            At::Ground => Place::Ground,
            At::OnGround(id) => Place::OnGround(hypotheke::StackId::new(0, *id)),
        }
    }

    pub(super) fn operation(&self, request: &Request) -> Operation {
        let kind = |index: usize| self.kind(index);
        let landing = |(x, y)| Landing { at: Position { x: decimal(x), y: decimal(y) }, within: None };
        let action = match request {
            Request::Create(amount, index, (marks, properties), to, at) => {
                let marked = marks.iter().map(|mark| self.mark(*mark)).fold(Variant::plain(), Variant::marked);
                let variant = properties
                    .iter()
                    .fold(marked, |variant, (property, value)| variant.with(self.property(*property), decimal(*value)));
                Action::Create {
                    amount: *amount,
                    kind: kind(*index),
                    variant,
                    to: self.place(to),
                    landing: landing(*at),
                }
            }
            Request::Consume(amount, index, from) => {
                Action::Consume { amount: *amount, kind: index.map(kind), from: self.place(from) }
            }
            Request::Move(amount, index, from, to) => {
                Action::Move { amount: *amount, kind: index.map(kind), from: self.place(from), to: self.place(to) }
            }
            Request::Swap(one, other) => Action::Swap { one: self.place(one), other: self.place(other) },
            Request::Split(count, from, to) => {
                Action::Split { count: *count, from: self.place(from), to: self.place(to) }
            }
            Request::Merge(amount, from, onto) => {
                Action::Merge { amount: *amount, from: self.place(from), onto: self.place(onto) }
            }
            Request::Together(steps) => {
                // What a step names must be there before: a pack that one before it has moved is
                // found where it was.
                return Operation::together(steps.iter().map(|step| self.operation(step)));
            }
            Request::Equip(holder, amount, from) => {
                return self.by(*holder, Action::Equip { amount: *amount, from: self.place(from) });
            }
            Request::Unequip(holder, amount, from, to) => {
                let to = to.as_ref().map(|to| self.place(to));
                return self.by(*holder, Action::Unequip { amount: *amount, from: self.place(from), to });
            }
            Request::Lift(holder, part, from) => {
                let share = match part {
                    Part::Amount(amount) => LiftAmount::Amount(*amount),
                    Part::Half => LiftAmount::Half,
                };
                return self.by(*holder, Action::Lift { share, from: self.place(from) });
            }
            Request::Put(holder, amount, to) => {
                return self.by(*holder, Action::Put { amount: *amount, to: self.place(to) });
            }
            Request::Return(holder, amount) => return self.by(*holder, Action::Return { amount: *amount }),
            Request::By(holder, inner) => return self.operation(inner).by(self.holder(*holder)),
            Request::Sort(at, by) => Action::Sort { at: self.place(at), by: *by },
            Request::Resize(at, slots, spill) => {
                Action::Resize { at: self.place(at), slots: u32::try_from(*slots).unwrap(), spill: *spill }
            }
            Request::Open(holder, at) => return self.by(*holder, Action::Open { at: self.place(at) }),
            Request::Close(holder, at) => return self.by(*holder, Action::Close { at: self.place(at) }),
            Request::Leave(holder) => return self.by(*holder, Action::Leave),
            Request::Deposit(holder, into) => {
                return self.by(*holder, Action::Deposit { into: self.place(into) });
            }
            Request::Bind(holder, index, shortcut) => {
                Action::Bind { kind: kind(*index), at: self.shortcut(*holder, *shortcut) }
            }
            Request::Unbind(holder, shortcut) => Action::Unbind { at: self.shortcut(*holder, *shortcut) },
            Request::Buy(holder, amount, kind, at) => {
                let action = Action::Buy { amount: *amount, kind: self.kind(*kind), at: self.place(at) };
                return self.by(*holder, action);
            }
            Request::Sell(holder, amount, kind, at) => {
                let action = Action::Sell { amount: *amount, kind: self.kind(*kind), at: self.place(at) };
                return self.by(*holder, action);
            }
            Request::Use(holder, amount, kind, from) => {
                let action = Action::Use { amount: *amount, kind: self.kind(*kind), from: self.place(from) };
                return self.by(*holder, action);
            }
            Request::Craft(amount, (recipe, drawn), at) => {
                let recipe = self.world.rules().find_recipe(&format!("r{recipe}")).expect("a recipe");
                let yield_number = drawn.map(|number| u32::try_from(number).unwrap());
                Action::Craft { amount: *amount, recipe, at: self.place(at), yield_number }
            }
            Request::Cancel(recipe, at) => {
                let recipe = self.world.rules().find_recipe(&format!("r{recipe}")).expect("a recipe");
                Action::Cancel { recipe, at: self.place(at) }
            }
            Request::Wait(ticks) => Action::Wait { ticks: *ticks },
            Request::Trade(one, other) => Action::Trade { one: self.offered(*one), other: self.offered(*other) },
            Request::Give(at, to) => Action::Give { at: self.place(at), to: to.map(|to| self.holder(to)) },
            Request::Depart(who) => Action::Depart { who: self.place(who) },
            Request::Arrive(who) => {
                let name = match who {
                    Who::Container(index) => format!("c{index}"),
                    Who::Holder(index) => format!("h{index}"),
                };
                Action::Arrive { who: self.departures.get(&name).cloned().unwrap_or_else(nobody) }
            }
            Request::Mark(at, mark) => Action::Mark { at: self.place(at), mark: self.mark(*mark) },
            Request::Unmark(at, mark) => Action::Unmark { at: self.place(at), mark: self.mark(*mark) },
            Request::Set(at, property, value) => {
                Action::Set { at: self.place(at), property: self.property(*property), value: decimal(*value) }
            }
            Request::Drop(amount, index, from, at) => {
                Action::Drop { amount: *amount, kind: index.map(kind), from: self.place(from), landing: landing(*at) }
            }
            Request::PickUp(amount, index, stack, to) => {
                let from = stack.map(|id| hypotheke::StackId::new(0, id));
                Action::PickUp { amount: *amount, kind: index.map(kind), from, to: self.place(to) }
            }
        };
        action.into()
    }

    fn kind(&self, kind: usize) -> hypotheke::KindId {
        self.world.rules().find_kind(&format!("k{kind}")).expect("a kind")
    }

    fn shortcut(&self, holder: usize, shortcut: usize) -> Place {
        Place::Shortcut(self.holder(holder), u32::try_from(shortcut).unwrap())
    }

    fn offered(&self, (count, kind, of): Offer) -> hypotheke::Offered {
        hypotheke::OfferedOf { count, kind: self.kind(kind), of: self.holder(of) }
    }

    fn by(&self, holder: Option<usize>, action: Action) -> Operation {
        Operation { actor: holder.map(|holder| self.holder(holder)), action }
    }

    pub(super) fn perform(&mut self, request: &Request) -> Result<u64, No> {
        let operation = self.operation(request);
        let plan = self.world.plan(&operation);
        let dry = self.world.dry_run(&operation);
        assert_eq!(dry, plan.as_ref().map(hypotheke::Plan::outcome).map_err(|refusal| *refusal), "{operation:?}");
        let events = plan.as_ref().map_or_else(|_| Vec::new(), |plan| plan.events().to_vec());
        let dry = plan.map(|plan| plan.outcome());
        let answer = self.world.perform(&operation);
        assert_eq!(events, self.world.events(), "a dry run says what the operation changes: {dry:?} {request:?}");
        assert_eq!(dry, answer, "a dry run gives the result of the operation");
        self.departures.extend(self.world.departed().iter().cloned());
        self.look_up();
        answer.map(hypotheke::Outcome::done).map_err(|refusal| No {
            reason: refusal.reason().code(),
            figures: Some(refusal)
                .filter(|refusal| refusal.step().is_some() || !matches!(request, Request::Together(_)))
                .and_then(|refusal| refusal.cause().figures())
                .map(|(requested, allowed)| (requested.thousandths(), allowed.thousandths())),
            max_amount: refusal.max_amount(),
            step: refusal.step().map(|step| step as usize),
        })
    }

    /// The same world, to try something on.
    pub(super) fn copied(&self) -> Engine {
        let Engine { world, containers, holders, names, kinds, departures } = self;
        let (containers, holders) = (containers.clone(), holders.clone());
        Engine {
            world: world.clone(),
            containers,
            holders,
            names: names.clone(),
            kinds: *kinds,
            departures: departures.clone(),
        }
    }

    pub(super) fn actor(&self, request: &Request) -> Option<HolderId> {
        self.operation(request).actor
    }

    pub(super) fn causes(&self, request: &Request) -> Vec<hypotheke::Cause> {
        self.world.ask(&self.operation(request)).causes().to_vec()
    }

    /// Every reason against a request, in order, each once, with its figures; before it is carried
    /// out.
    pub(super) fn reasons(&self, request: &Request) -> Vec<(&'static str, Option<(i64, i64)>)> {
        let reply = self.world.ask(&self.operation(request));
        let figures = |cause: &hypotheke::Cause| {
            cause.figures().map(|(requested, allowed)| (requested.thousandths(), allowed.thousandths()))
        };
        let mut reasons = Vec::new();
        for reason in reply.causes().iter().map(|cause| (cause.reason().code(), figures(cause))) {
            if !reasons.contains(&reason) {
                reasons.push(reason);
            }
        }
        reasons
    }

    /// Counts and room from the indexes equal those from reading all contents.
    pub(super) fn check_counts(&self) {
        let world = &self.world;
        let places = world.containers().map(Place::Container).chain(world.holders().map(Place::Holder));
        let places: Vec<Option<Place>> = places.map(Some).chain([None, Some(Place::Ground)]).collect();
        let kinds = world.rules().kinds().map(|kind| Selector::Kind(kind.handle()));
        let (tags, marks) = (world.rules().tags(), world.rules().marks());
        let tags = tags.iter().filter_map(|tag| world.rules().find_tag(tag.name()).map(Selector::Tag));
        let marks = marks.iter().filter_map(|mark| world.rules().find_mark(mark.name()).map(Selector::Mark));
        for what in kinds.chain(tags).chain(marks) {
            for &place in &places {
                let working: Vec<ContainerId> = match place {
                    None => world.containers().collect(),
                    Some(Place::Container(id)) => vec![id],
                    Some(Place::Holder(id)) => world.carried(id).collect(),
                    Some(_) => Vec::new(),
                };
                let in_work = working.into_iter().flat_map(|id| world.in_work(id)).map(|(_, stack)| stack);
                let stacks = world.all_stacks_in(place).into_iter().chain(in_work).filter(|stack| stack.is(what));
                let counted: u64 = stacks.map(|stack| u64::from(stack.count())).sum();
                assert_eq!(world.count(what, place), counted, "{what:?} in {place:?}");
            }
        }
        for container in world.containers() {
            // Room says nothing of how many the world may have.
            for kind in world.rules().kinds().filter(|kind| kind.max_in_world().is_none()) {
                let room = world.room_for(kind.handle(), container);
                let create = |amount| world.dry_run(&Operation::creating(amount, kind.handle(), container));
                let most = create(Amount::UpTo(u32::MAX)).map_or(0, hypotheke::Outcome::done);
                assert_eq!(room.items, most, "{} in {container:?}", kind.id());
                let more = create(Amount::Exactly(u32::try_from(room.items + 1).expect("small")));
                assert_eq!(
                    room.limited_by,
                    more.err().map(|refusal| refusal.cause()),
                    "{} in {container:?}",
                    kind.id()
                );
            }
        }
    }

    /// The number of items that each slot takes equals the result of a move there; and the first of
    /// all reasons is that of the refusal.
    pub(super) fn check_slot_room(&self, draw: usize) {
        let containers = self.all_containers();
        let stacks =
            containers.iter().flat_map(|&id| self.world.stacks(id).map(move |(slot, stack)| (id, slot, stack)));
        let stacks: Vec<_> = stacks.collect();
        if stacks.is_empty() {
            return;
        }
        let (from, slot, stack) = stacks[draw % stacks.len()];
        let to = containers[draw / 7 % containers.len()];
        let actor = self.holders.get(draw % 3).copied().filter(|&holder| self.world.has_holder(holder));
        let (mut room, from) = (Vec::new(), Place::Slot(from, slot));
        self.world.room_by_slot(from, actor, to, &mut room).expect("a stack and a container");
        for one in room {
            let moving = |amount| Operation { actor, ..Operation::moving(amount, from, (to, one.slot)) };
            let up_to = self.world.plan(&moving(Amount::UpTo(stack.count())));
            assert_eq!(u64::from(one.takes), up_to.map_or(0, |plan| plan.outcome().done()), "{from:?} {one:?}");
            let requested = self.world.ask(&moving(Amount::Exactly(stack.count())));
            let cause = requested.answer().err().map(|refusal| refusal.cause());
            assert_eq!(one.why_not_all, cause, "{from:?} {one:?}");
            assert_eq!(requested.causes().first().copied(), cause);
            assert!(requested.causes().is_sorted_by_key(hypotheke::Cause::reason), "{:?}", requested.causes());
        }
    }

    fn property(&self, property: usize) -> PropertyId {
        self.world.rules().find_property(&format!("p{property}-value")).expect("a property")
    }

    fn mark(&self, mark: usize) -> MarkId {
        self.world.rules().find_mark(&format!("m{mark}")).expect("a mark")
    }

    fn stack(&self, stack: StackView<'_>) -> Stack {
        let number = |name: &str| name[1..].parse().expect("a number");
        Stack {
            id: stack.id().serial(),
            kind: number(stack.kind().id()),
            marks: stack.marks().map(number).collect(),
            properties: (0..PROPERTIES)
                .filter_map(|property| Some((property, stack.property(&format!("p{property}-value"))?.thousandths())))
                .collect(),
            count: stack.count(),
            inside: stack.inside().map(|id| self.slots(id)),
        }
    }

    fn slots(&self, id: ContainerId) -> Vec<Option<Stack>> {
        self.world.slots(id).map(|slot| slot.stack().map(|stack| self.stack(stack))).collect()
    }

    pub(super) fn state(&self, next_id: u64) -> State {
        let defined = |id: ContainerId, name: &str| {
            // What is not there is as empty as it would be at first.
            let own = name.rsplit('.').next().expect("a name");
            let def = self.world.rules().containers().iter().find(|def| def.id() == own).expect("a definition");
            if self.world.has_container(id) { self.slots(id) } else { vec![None; def.slots() as usize] }
        };
        let slots = self.containers.iter().zip(&self.names).map(|(&id, name)| defined(id, name)).collect();
        let owner = |id: ContainerId, name: &str| {
            let defs = self.world.rules().containers();
            let at_first = || defs.iter().find(|def| def.id() == name).and_then(hypotheke::ContainerDef::owner);
            match self.world.has_container(id) {
                true => self.world.owner(id).filter(|_| self.world.stands(id)),
                false => at_first(),
            }
        };
        let number = |name: &str| name[1..].parse().expect("a number");
        let owners = self.containers.iter().zip(&self.names).map(|(&id, name)| owner(id, name).map(number)).collect();
        let gone = (0..self.containers.len()).filter(|&index| !self.world.has_container(self.containers[index]));
        let index_of = |id| self.containers.iter().position(|&known| known == id).unwrap_or(self.containers.len());
        let standing = self.world.containers().filter(|&id| self.world.stands(id)).map(index_of).collect();
        let index_of = |id| self.holders.iter().position(|&known| known == id).expect("a holder");
        let present = self.world.holders().map(index_of).collect();
        let snapshot = self.world.snapshot();
        let arrivals = snapshot.arrivals.iter().map(|past| match past {
            PastArrival::Latest { name, number } => {
                let index = name[1..].parse().expect("a number");
                (if name.starts_with('h') { Who::Holder(index) } else { Who::Container(index) }, *number)
            }
            PastArrival::One(_) => panic!("nothing earlier has arrived"),
        });
        let arrivals = arrivals.collect();
        let ground =
            self.world.ground().map(|(stack, at)| (self.stack(stack), (at.x.thousandths(), at.y.thousandths())));
        let holders = || self.holders.iter().copied();
        let hands = holders().map(|id| vec![self.world.hand(id).map(|stack| self.stack(stack))]).collect();
        let origins = holders().map(|id| self.world.hand_origin(id).map(|place| self.origin(place))).collect();
        let bar = |(index, id): (usize, HolderId)| {
            let def = self.world.rules().holders()[index].shortcuts() as usize;
            let mut bar: Vec<_> = self.world.shortcuts(id).map(|kind| kind.map(hypotheke::KindId::index)).collect();
            bar.resize(def, None);
            bar
        };
        let bars = holders().enumerate().map(bar).collect();
        let meter = |meter: &Meter, value: Decimal| {
            let known = ["air", "warmth"];
            (known.iter().position(|known| *known == meter.name()).expect("a meter"), value.thousandths())
        };
        let meters = holders().map(|id| self.world.meters(id).map(|(it, value)| meter(it, value)).collect());
        let meters = meters.collect();
        let containers: Vec<ContainerId> = self.all_containers();
        let open_to = |(index, holder): (usize, HolderId)| {
            let open = containers.iter().filter(move |&&id| self.world.has_opened(holder, id));
            open.map(move |&id| (index, self.owner(id))).collect::<Vec<_>>()
        };
        let open = holders().enumerate().flat_map(open_to).collect();
        let totals = || (0..self.kinds).map(|kind| self.world.totals(self.kind(kind)));
        let made = totals().map(|totals| totals.created).collect();
        let used = totals().map(|totals| totals.consumed).collect();
        let came = totals().map(|totals| totals.arrived).collect();
        let went = totals().map(|totals| totals.departed).collect();
        let job = |&id: &ContainerId| {
            let job = self.world.job(id)?;
            let held = self.world.in_work(id).map(|(slot, stack)| (slot as usize, self.stack(stack)));
            let (times, left) = (u64::from(job.times()), job.left(self.world.clock()));
            let yield_number = job.yield_number().map(|number| number as usize);
            Some(Job { recipe: job.recipe().index(), times, yield_number, left, held: held.collect() })
        };
        State {
            clock: self.world.clock(),
            jobs: self.containers.iter().map(job).collect(),
            slots,
            ground: ground.collect(),
            hands,
            transit: Vec::new(),
            origins,
            bars,
            meters,
            owners,
            open,
            next_id,
            made,
            used,
            came,
            went,
            standing,
            present,
            gone: gone.collect(),
            departures: snapshot.departures,
            arrivals,
        }
    }

    fn origin(&self, place: Place) -> (Owner, usize) {
        let Place::Slot(id, slot) = place else { panic!("a slot") };
        (self.owner(id), slot as usize)
    }

    /// The containers that last, and the insides of all packs.
    fn all_containers(&self) -> Vec<ContainerId> {
        let mut found: Vec<ContainerId> = self.world.containers().collect();
        let hands = self.world.holders().filter_map(|holder| self.world.hand(holder));
        found.extend(hands.chain(self.world.ground().map(|(stack, _)| stack)).filter_map(StackView::inside));
        let mut next = 0;
        while let Some(&id) = found.get(next) {
            found.extend(self.world.stacks(id).filter_map(|(_, stack)| stack.inside()));
            next += 1;
        }
        found
    }

    fn owner(&self, id: ContainerId) -> Owner {
        match self.world.place_of_pack(id) {
            None => Owner::Container(self.containers.iter().position(|&known| known == id).expect("a container")),
            Some(Place::Slot(around, at)) => Owner::Pack(self.world.stack(around, at).expect("a pack").id().serial()),
            Some(Place::Hand(holder)) => Owner::Pack(self.world.hand(holder).expect("a pack").id().serial()),
            Some(Place::OnGround(stack)) => Owner::Pack(stack.serial()),
            Some(_) => panic!("a pack has one place"),
        }
    }
}
