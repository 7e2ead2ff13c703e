//! Which rules a scenario can notice at all.
//!
//! An operation reads the rules of the named places, of the places around them, of everything that
//! their holder and the acting holder carry, and of the kinds there. Other places can't matter
//! under any rules: nothing moves to or from a place without a line that names it or its holder. So
//! a scenario without such a line runs the same way. If the names are not enough to decide, the
//! scenario counts as affected by everything.

use rustc_hash::{FxHashMap, FxHashSet};

use crate::filter::Outlook;
use crate::id::{ContainerId, KindId, TagId};
use crate::language::{NamedAction, NamedArrival, NamedEvent, NamedOperation, NamedPortion, Path};
use crate::ruleset::{ChangeEffect, HolderDef, Recipe, Ruleset, Selector, Subject, SubjectKind};
use crate::scenario::{Body, Check, Claim, ResolvedScenarioFile, Start, StartBase, Step};
use crate::text::Word;
use crate::world::{Place, World};

/// What the lines of a scenario lead to.
#[derive(Debug, Default)]
pub(super) struct Touched {
    /// The names are not enough to decide.
    everything: bool,
    /// The scenario begins with the start contents of the ruleset.
    rules_start: bool,
    containers: FxHashSet<String>,
    holders: FxHashSet<String>,
    kinds: FxHashSet<KindId>,
    /// Tags whose kinds are counted, wherever they are.
    tags: FxHashSet<TagId>,
}

impl Touched {
    /// Whether a change of a rule of the subject may be noticed.
    pub(super) fn meets(&self, rules: &Ruleset, subject: &Subject) -> bool {
        self.everything
            || match subject.kind {
                // There are few of these, and few scenarios where they matter.
                SubjectKind::Ruleset
                | SubjectKind::Mark
                | SubjectKind::Property
                | SubjectKind::Deal
                | SubjectKind::Recipe
                | SubjectKind::Change => true,
                SubjectKind::Start => self.rules_start,
                SubjectKind::Container => self.containers.contains(&subject.name),
                SubjectKind::Holder => self.holders.contains(&subject.name),
                SubjectKind::Group => {
                    let is_member = |def: &&HolderDef| def.groups().any(|group| group == subject.name);
                    rules.holders().iter().filter(is_member).any(|def| self.holders.contains(def.id()))
                }
                SubjectKind::Kind => rules.find_kind(&subject.name).is_some_and(|kind| {
                    let is_counted = || self.tags.iter().any(|&tag| rules.known_kind(kind).has_tag(tag));
                    self.kinds.contains(&kind) || is_counted()
                }),
                SubjectKind::Tag => {
                    let has = |tag| self.kinds.iter().any(|&kind| rules.known_kind(kind).has_tag(tag));
                    !self.tags.is_empty() || rules.find_tag(&subject.name).is_some_and(has)
                }
            }
    }
}

/// Plays by the kinds that they touch: most kinds are touched by few.
#[derive(Debug, Default)]
pub(super) struct ByKind {
    /// These touch everything.
    always: Vec<usize>,
    kinds: FxHashMap<KindId, Vec<usize>>,
    tags: FxHashMap<TagId, Vec<usize>>,
}

impl ByKind {
    pub(super) fn new<'t>(plays: impl Iterator<Item = &'t Touched>) -> ByKind {
        let mut found = ByKind::default();
        for (play, touched) in plays.enumerate() {
            if touched.everything {
                found.always.push(play);
                continue;
            }
            touched.kinds.iter().for_each(|&kind| found.kinds.entry(kind).or_default().push(play));
            touched.tags.iter().for_each(|&tag| found.tags.entry(tag).or_default().push(play));
        }
        found
    }

    /// The scenarios that may detect a change of a kind, in order.
    pub(super) fn of(&self, rules: &Ruleset, kind: KindId) -> Vec<usize> {
        let by_kind = self.kinds.get(&kind).into_iter().flatten();
        let by_tag = rules.tag_set_of(kind).iter().filter_map(|tag| self.tags.get(tag)).flatten();
        let mut plays: Vec<usize> = self.always.iter().chain(by_kind).chain(by_tag).copied().collect();
        plays.sort_unstable();
        plays.dedup();
        plays
    }
}

/// Finds out what a body leads to.
pub(super) fn touched(file: &ResolvedScenarioFile<'_>, body: &Body, world: &World) -> Touched {
    let mut finder = Finder { file, world, touched: Touched::default() };
    match &body.start {
        Some(start) => finder.start(&start.item),
        None => finder.touched.rules_start = true,
    }
    body.steps.iter().for_each(|step| finder.step(&step.item));
    body.end.iter().for_each(|check| finder.check(&check.item));
    // What starts as soon as its inputs are there is named nowhere.
    let automatic = world.rules().recipes().iter().filter(|recipe| recipe.is_automatic());
    automatic.for_each(|recipe| finder.made_by(recipe));
    // The start contents of the affected places may matter.
    let lies_there: Vec<KindId> = finder
        .world
        .all_stacks_in(None)
        .into_iter()
        .filter(|stack| finder.is_within(stack.id()))
        .map(|stack| stack.kind().handle())
        .collect();
    lies_there.into_iter().for_each(|kind| finder.kind(kind));
    finder.touched
}

struct Finder<'f> {
    file: &'f ResolvedScenarioFile<'f>,
    world: &'f World,
    touched: Touched,
}

impl Finder<'_> {
    fn rules(&self) -> &Ruleset {
        self.world.rules()
    }

    fn kind(&mut self, kind: KindId) {
        if self.touched.kinds.insert(kind)
            && let Some(pack) = self.world.rules().known_kind(kind).pack()
        {
            self.touched.containers.insert(pack.id().to_owned());
        }
        // What it may become is there too.
        let rules = self.world.rules();
        for change in rules.changes() {
            if let ChangeEffect::Becomes(other) = change.effect()
                && !self.touched.kinds.contains(&other)
                && rules.filter(change.filter()).test.outlook(&rules.known_kind(kind)) != Outlook::Never
            {
                self.kind(other);
            }
        }
    }

    /// What a recipe makes, and where that goes.
    fn made_by(&mut self, recipe: &Recipe) {
        recipe.all_made().for_each(|(kind, _)| self.kind(kind));
        let to = recipe.outputs_to().and_then(|to| self.world.container(to));
        to.into_iter().for_each(|to| self.container(to));
    }

    fn is_within(&self, stack: crate::StackId) -> bool {
        match self.world.place_of(stack) {
            Some(Place::Slot(id, _)) => {
                let outermost = self.outermost(id);
                self.world.container_def(outermost).is_some_and(|def| self.touched.containers.contains(def.id()))
            }
            _ => true,
        }
    }

    /// The container around all packs in which this one is.
    fn outermost(&self, id: ContainerId) -> ContainerId {
        let mut at = id;
        while let Some(Place::Slot(around, _)) = self.world.place_of_pack(at) {
            at = around;
        }
        at
    }

    fn path(&mut self, path: &Path, actor: Option<&Word>) {
        let actor = actor.and_then(|name| self.world.holder(name.as_str()));
        // Inside of packs only what is around them is known; what they are is known from the kinds.
        let lasting = if path.depends_on_stacks() { path.lasting_part() } else { Some(path.clone()) };
        match lasting.map(|lasting| self.world.place(&lasting, actor)) {
            Some(Ok(place)) => self.place(place),
            _ => self.touched.everything = true,
        }
    }

    fn place(&mut self, place: Place) {
        match place {
            Place::Slot(id, _) | Place::Container(id) => self.container(id),
            Place::Holder(holder) | Place::Hand(holder) | Place::Shortcut(holder, _) => self.holder(holder),
            Place::Ground | Place::OnGround(_) => {}
        }
    }

    fn container(&mut self, id: ContainerId) {
        let outermost = self.outermost(id);
        if let Some(def) = self.world.container_def(outermost) {
            self.touched.containers.insert(def.id().to_owned());
        }
        if let Some(holder) = self.world.carrier(outermost) {
            self.holder(holder);
        }
    }

    fn holder(&mut self, holder: crate::HolderId) {
        if let Some(def) = self.world.holder_def(holder) {
            let name = def.id().to_owned();
            self.holder_def(&name);
        }
    }

    fn holder_def(&mut self, name: &str) {
        if !self.touched.holders.insert(name.to_owned()) {
            return;
        }
        let rules = self.world.rules();
        let carried = rules.find_holder(name).map(|id| rules.holder(id).carries()).unwrap_or_default();
        let names = carried.iter().map(|&id| rules.container(id).id().to_owned());
        self.touched.containers.extend(names);
    }

    fn start(&mut self, start: &Start) {
        self.touched.rules_start |= start.base == StartBase::Ruleset;
        if let StartBase::Shared(name) = &start.base
            && let Some(shared) = self.file.file.starts().find(|shared| shared.name == *name)
        {
            self.start(&shared.start);
        }
        for line in &start.lines {
            self.path(&line.item.place, None);
            self.portions(&line.item.contents);
        }
    }

    fn portions(&mut self, portions: &[NamedPortion]) {
        for portion in portions {
            self.word(&portion.kind);
        }
    }

    /// A kind, or a tag or mark of kinds.
    fn word(&mut self, name: &Word) {
        match self.rules().selector(name.as_str()) {
            Some(Selector::Kind(kind)) => self.kind(kind),
            Some(Selector::Tag(tag)) => {
                self.touched.tags.insert(tag);
            }
            Some(Selector::Mark(_)) => {}
            None => self.touched.everything = true,
        }
    }

    fn step(&mut self, step: &Step) {
        match step {
            Step::Operation(operation, _) => self.operation(operation),
            Step::Together(list, _) => self.operation(list.operation()),
            Step::Do(name) => {
                let steps = self.file.shared.steps(name, &mut Vec::new()).unwrap_or_default();
                steps.iter().for_each(|step| self.step(&step.item));
            }
            Step::Request(request, _) => self.operation(&request.operation),
            Step::Snapshot(_) | Step::SaveThenLoad | Step::Undo { .. } => {}
            Step::Now(check) => self.check(check),
        }
    }

    fn operation(&mut self, operation: &NamedOperation) {
        let actor = operation.actor.as_ref();
        if let Some(name) = actor {
            match self.world.holder(name.as_str()) {
                Some(holder) => self.holder(holder),
                None => self.touched.everything = true,
            }
        }
        match &operation.action {
            NamedAction::Together { steps } => {
                for step in steps {
                    self.operation(step);
                }
                return;
            }
            NamedAction::Arrive { who: NamedArrival { newcomer: Some(def), .. } } => {
                let def = def.as_str().to_owned();
                self.holder_def(&def);
            }
            // What it makes may be nowhere else.
            NamedAction::Craft { recipe, .. } => match self.rules().find_recipe(recipe.as_str()) {
                Some(recipe) => self.world.rules().recipe(recipe).into_iter().for_each(|it| self.made_by(it)),
                None => self.touched.everything = true,
            },
            action => action.kind().into_iter().for_each(|kind| self.word(kind)),
        }
        let places: Vec<Path> = operation.action.places().cloned().collect();
        places.iter().for_each(|place| self.path(place, actor));
    }

    fn check(&mut self, check: &Check) {
        match check {
            Check::Contents { place, contents, .. } => {
                self.path(place, None);
                self.portions(contents);
            }
            Check::LyingAt { contents, .. } => self.portions(contents),
            Check::Encumbrance { holder, .. } | Check::Shortcuts { holder, .. } => self.path(holder, None),
            Check::Origin { holder, slot } => {
                self.path(holder, None);
                slot.iter().for_each(|slot| self.path(slot, None));
            }
            Check::PointsAt { shortcut, .. } => self.path(shortcut, None),
            Check::Owner { container, .. } | Check::Works { container, .. } => self.path(container, None),
            Check::Open { container, holder, .. } => {
                self.path(container, None);
                self.path(holder, None);
            }
            Check::Measure { .. } => check.measured().for_each(|claim| self.measure(claim)),
            Check::Places { name, places } => {
                self.word(name);
                places.iter().for_each(|place| self.path(place, None));
            }
            Check::Events { events, .. } => {
                events.iter().flat_map(NamedEvent::places).for_each(|place| self.path(place, None));
            }
            Check::UnchangedSince { .. } | Check::NothingChanged => {}
        }
    }
    fn measure(&mut self, claim: &Claim) {
        if let Some(group) = claim.place().and_then(Path::group) {
            self.world.members(group).for_each(|member| self.holder(member));
        }
        match claim {
            Claim::Weight(place)
            | Claim::Value(place)
            | Claim::FreeSlots(place)
            | Claim::Attribute(_, place)
            | Claim::Meter(_, place) => {
                self.path(place, None);
            }
            Claim::Count(name, place) => {
                self.word(name);
                place.iter().for_each(|place| self.path(place, None));
            }
            Claim::RoomFor(kind, place) => {
                self.word(kind);
                self.path(place, None);
            }
        }
    }
}

/// Whether a kind may ever satisfy a filter, with whatever marks and properties.
pub(super) fn may_be_admitted(rules: &Ruleset, filter: Option<crate::ruleset::FilterId>, kind: KindId) -> bool {
    filter.is_none_or(|filter| rules.filter(filter).test.outlook(&rules.known_kind(kind)) != Outlook::Never)
}
