//! From names to handles.

use std::sync::Arc;

use super::operation::{Action, Handles, Operation, Variant};
use super::refusal::{Cause, Refusal};
use crate::id::{HolderId, KindId, MarkId, PropertyId, RecipeId, StackId};
use crate::language::{
    NamedAction, NamedArrival, NamedOperation, NamedPortion, NamedVariant, Names, Path, Role, Row, Translate, Verb,
};
use crate::ruleset::{Ruleset, UnknownName};
use crate::snapshot::{Container, Departed, Departure, Departures};
use crate::text::{Diagnostics, Source, Span, Word, suggestion};
use crate::world::{Place, UnknownPlace, World};

/// A name in an operation that the world or its ruleset does not have or support.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{}{message}", step_text(*step))]
pub struct ResolveError {
    code: &'static str,
    message: String,
    help: Option<String>,
    span: Span,
    step: Option<u32>,
    /// All its names are known, but together they mean nothing.
    is_meaningless: bool,
    /// It is about contents that the actor may not see.
    hidden: Option<Box<Cause>>,
}

impl ResolveError {
    pub(crate) fn new(
        code: &'static str,
        span: Span,
        message: impl Into<String>,
        help: Option<String>,
    ) -> ResolveError {
        ResolveError { code, message: message.into(), help, span, step: None, is_meaningless: false, hidden: None }
    }

    /// The named place exists, but the operation does not support it.
    fn meaningless(span: Span, message: String, help: String) -> ResolveError {
        ResolveError { is_meaningless: true, ..ResolveError::new("not-supported", span, message, Some(help)) }
    }

    /// The refusal that the actor gets instead, if this is about contents that it may not see: whether
    /// there is a pack, or a stack of this id.
    #[must_use]
    pub fn refusal(&self) -> Option<Refusal> {
        let refusal = Refusal::new(**self.hidden.as_ref()?);
        Some(self.step.map_or(refusal, |step| refusal.at_step(step as usize)))
    }

    /// True if all names are known, but the operation can't be about what they name.
    pub(crate) fn is_meaningless(&self) -> bool {
        self.is_meaningless
    }

    /// Of a list nested in another the step of the outer one is named.
    fn at_step(self, step: usize) -> ResolveError {
        ResolveError { step: u32::try_from(step).ok(), ..self }
    }

    /// Of several operations as one: which of them it is in, from 0.
    #[must_use]
    pub fn step(&self) -> Option<u32> {
        self.step
    }

    pub(crate) fn unknown_recipe(rules: &Ruleset, name: &Word) -> ResolveError {
        let help = suggestion(name.as_str(), rules.recipes().iter().map(crate::Recipe::id));
        ResolveError::new("unknown-recipe", name.span(), format!("unknown recipe `{name}`"), help)
    }

    pub(crate) fn unknown_holder(world: &World, name: &Word) -> ResolveError {
        let rules = world.rules();
        let template = rules.find_holder(name.as_str()).map(|id| rules.holder(id));
        let help = match template.filter(|def| def.instances().all(|it| it != def.id())) {
            Some(def) => Some(format!("Its copies are {}", def.instances().collect::<Vec<_>>().join(", "))),
            None => suggestion(name.as_str(), rules.holder_names().collect::<Vec<_>>()),
        };
        ResolveError::new("unknown-holder", name.span(), format!("unknown holder `{name}`"), help)
    }

    pub(crate) fn place(path: &Path, error: &UnknownPlace) -> ResolveError {
        ResolveError::new("unknown-place", path.span(), error.to_string(), error.help_text().map(str::to_owned))
    }

    /// What is wrong, as a short code: `unknown-kind`, `unknown-place`.
    #[must_use]
    pub fn code(&self) -> &'static str {
        self.code
    }

    /// What may have been meant.
    #[must_use]
    pub fn help_text(&self) -> Option<&str> {
        self.help.as_deref()
    }

    /// The same as an error in a text that has only this sentence.
    #[must_use]
    pub fn diagnose(&self, sentence: Source) -> Diagnostics {
        Diagnostics::of_sentence(self.code, sentence, self.span, &self.message, self.help.clone())
    }

    /// The name, in the sentence from which the operation was read.
    #[must_use]
    pub fn span(&self) -> Span {
        self.span
    }
}

impl From<UnknownName<'_>> for ResolveError {
    fn from(unknown: UnknownName<'_>) -> ResolveError {
        ResolveError::new(unknown.code, unknown.word.span(), unknown.message, (unknown.help)())
    }
}

fn step_text(step: Option<u32>) -> String {
    step.map_or_else(String::new, |step| format!("step {}: ", u64::from(step) + 1))
}

type Resolved<T> = Result<T, ResolveError>;

impl NamedOperation {
    /// The number of operations in a list, nested lists included; 1 for a single one.
    pub(crate) fn steps(&self) -> u64 {
        match &self.action {
            NamedAction::Together { steps } => steps.iter().map(NamedOperation::steps).sum(),
            _ => 1,
        }
    }

    /// Looks up all names. Nothing is known to have departed; see [`NamedOperation::resolve_with`].
    ///
    /// # Errors
    /// The first unknown or unsupported name.
    pub fn resolve(&self, world: &World) -> Resolved<Operation> {
        self.resolve_with(world, &Departures::default())
    }

    /// Looks up all names, those of what arrives among what has departed.
    ///
    /// # Errors
    /// The first unknown or unsupported name.
    pub fn resolve_with(&self, world: &World, departures: &Departures) -> Resolved<Operation> {
        let actor = self.actor.as_ref().map(|name| holder(world, name)).transpose()?;
        let resolver = Resolver { world, departures, actor, moment: Moment::Now };
        Ok(Operation { actor, action: resolver.action(&self.action)? })
    }

    /// Looks up the names that are the same in every world of a ruleset.
    pub(crate) fn check_names(&self, empty: &World) -> Resolved<()> {
        let actor = self.actor.as_ref().map(|name| holder(empty, name)).transpose()?;
        let departures = &Departures::default();
        Resolver { world: empty, departures, actor, moment: Moment::Some }.action(&self.action).map(|_| ())
    }
}

fn holder(world: &World, name: &Word) -> Resolved<HolderId> {
    world.holder(name.as_str()).ok_or_else(|| ResolveError::unknown_holder(world, name))
}

struct Resolver<'w> {
    world: &'w World,
    departures: &'w Departures,
    actor: Option<HolderId>,
    moment: Moment,
}

/// When the operation is to be performed.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Moment {
    Now,
    /// At a later time: the contents are unknown then.
    Some,
}

impl Resolver<'_> {
    fn action(&self, action: &NamedAction) -> Resolved<Action> {
        self.check_actor(action.verb())?;
        self.check_seen(action)?;
        action.translate(self)
    }

    /// Where places depend on contents that the actor may not see, nothing else is said.
    fn check_seen(&self, action: &NamedAction) -> Resolved<()> {
        // Each step of a list has its own actor.
        let Some(actor) = self.actor.filter(|_| self.moment == Moment::Now && action.verb() != Verb::Together) else {
            return Ok(());
        };
        let (from, to) = action.sides();
        for path in from.into_iter().chain(to).filter(|path| path.depends_on_stacks()) {
            if let Some((error, cause)) = self.world.why_path_hidden(path, actor) {
                return Err(ResolveError { hidden: Some(Box::new(cause)), ..ResolveError::place(path, &error) });
            }
        }
        Ok(())
    }

    /// A container without a holder, or a holder.
    fn traveller(&self, path: &Path) -> Resolved<Place> {
        let help = match self.place_of(path)? {
            place @ Place::Holder(_) => return Ok(place),
            place @ Place::Container(id) if self.world.stands(id) => return Ok(place),
            Place::Container(id) => self.world.carrier(id).map(|holder| {
                let name = self.world.holder_name(holder);
                format!("Let {name} depart, which carries it: `depart {name}`")
            }),
            _ => Some("Name a container or a holder, such as `sled` or `surveyor`".to_owned()),
        };
        let error = ResolveError::new("not-supported", path.span(), format!("`{path}` cannot depart alone"), help);
        Err(ResolveError { is_meaningless: true, ..error })
    }

    /// The document of what has departed under a name.
    fn departure(&self, name: &Word) -> Resolved<Arc<Departure>> {
        if let Some(departure) = self.departures.get(name.as_str()) {
            return Ok(Arc::clone(departure));
        }
        let is_there = self.world.container(name.as_str()).is_some() || self.world.holder(name.as_str()).is_some();
        if self.moment == Moment::Some && is_there {
            // It may have departed by then; what it brings is not known yet.
            let nobody = Departure {
                id: None,
                who: Departed::Container(Container::default()),
                packs: Vec::new(),
                orphans: Vec::new(),
            };
            return Ok(nobody.into());
        }
        let help = match is_there {
            true => Some("it has not departed".to_owned()),
            false => suggestion(name.as_str(), self.departures.names()),
        };
        Err(ResolveError::new("unknown-departure", name.span(), format!("no `{name}` has departed"), help))
    }

    fn check_actor(&self, verb: Verb) -> Resolved<()> {
        let Row { plain, third_person, needs_actor, .. } = verb.row();
        if self.actor.is_some() || !needs_actor {
            return Ok(());
        }
        let help = format!("Name the holder, such as `surveyor {third_person} …`");
        Err(ResolveError::meaningless(Span::default(), format!("`{plain}` requires an acting holder"), help))
    }

    /// A place that holds one stack.
    fn stack(&self, path: &Path) -> Resolved<Place> {
        match self.place_of(path)? {
            place @ (Place::Slot(..) | Place::OnGround(_) | Place::Hand(_)) => Ok(place),
            place if self.is_put_off(path)? => Ok(place),
            _ => {
                let help = format!("Name one of its slots, such as `{path}/0`");
                Err(ResolveError::meaningless(path.span(), format!("`{path}` is not a slot"), help))
            }
        }
    }

    /// True for a path that depends on the contents of a place; the rest of it is already looked
    /// up.
    fn is_put_off(&self, path: &Path) -> Resolved<bool> {
        let put_off = self.moment == Moment::Some && path.depends_on_stacks();
        if put_off && let Some(part) = path.lasting_part() {
            self.world.place(&part, self.actor).map_err(|error| ResolveError::place(path, &error))?;
        }
        Ok(put_off)
    }

    fn place_of(&self, path: &Path) -> Resolved<Place> {
        if self.is_put_off(path)? {
            return Ok(Place::Ground);
        }
        self.world.place(path, self.actor).map_err(|error| ResolveError::place(path, &error))
    }

    /// A place where something may lie.
    fn lying_place(&self, path: &Path) -> Resolved<Place> {
        match self.place_of(path)? {
            Place::Shortcut(..) => {
                let help = "Name a kind for the shortcut: `bind flare to …`".to_owned();
                Err(ResolveError::meaningless(path.span(), format!("`{path}` is empty"), help))
            }
            place => Ok(place),
        }
    }

    fn container(&self, path: &Path) -> Resolved<Place> {
        match self.place_of(path)? {
            place @ Place::Container(_) => Ok(place),
            place if self.is_put_off(path)? => Ok(place),
            _ => {
                let help = "Name a container, such as `sled` or `harness/back/`".to_owned();
                Err(ResolveError::meaningless(path.span(), format!("`{path}` is not a container"), help))
            }
        }
    }

    fn shortcut(&self, path: &Path) -> Resolved<Place> {
        match self.place_of(path)? {
            place @ Place::Shortcut(..) => Ok(place),
            _ => {
                let help = "Write a shortcut such as `surveyor.shortcuts/0`".to_owned();
                Err(ResolveError::meaningless(path.span(), format!("`{path}` is not a shortcut"), help))
            }
        }
    }

    fn slot(&self, path: &Path) -> Resolved<Place> {
        match self.place_of(path)? {
            place @ Place::Slot(..) => Ok(place),
            place if self.is_put_off(path)? => Ok(place),
            _ => {
                let help = format!("Name one of its slots, such as `{path}/0`");
                Err(ResolveError::meaningless(path.span(), format!("`{path}` is not a slot"), help))
            }
        }
    }

    fn place_of_slots(&self, path: &Path, help_on_ground: &str) -> Resolved<Place> {
        let help = match self.place_of(path)? {
            place @ (Place::Slot(..) | Place::Container(_)) => return Ok(place),
            place if self.is_put_off(path)? => return Ok(place),
            Place::Holder(holder) => {
                let names: Vec<String> =
                    self.world.carried(holder).map(|id| format!("`{}`", self.world.container_name(id))).collect();
                format!("Name one of its containers: {}", names.join(", "))
            }
            Place::Shortcut(..) => "A shortcut points at a kind and contains no items".to_owned(),
            Place::Hand(_) => "Use `lift` and `put` with a hand".to_owned(),
            Place::Ground | Place::OnGround(_) => help_on_ground.to_owned(),
        };
        Err(ResolveError::meaningless(path.span(), format!("`{path}` is neither a slot nor a container"), help))
    }
}

impl Translate<Names> for Resolver<'_> {
    type Into = Handles;
    type Error = ResolveError;

    fn created(&self, kind: &Word, variant: &NamedVariant) -> Resolved<(KindId, Variant)> {
        let portion = NamedPortion { count: 1, kind: kind.clone(), variant: variant.clone(), span: kind.span() };
        let resolved = self.world.rules().resolve_portion(&portion)?;
        Ok((resolved.kind, Variant::of(&resolved)))
    }

    fn kind(&self, kind: &Word) -> Resolved<KindId> {
        Ok(self.world.rules().resolve_kind(kind)?)
    }

    fn kind_from(&self, kind: Option<&Word>, _: Option<&Path>) -> Resolved<Option<KindId>> {
        kind.map(|kind| self.kind(kind)).transpose()
    }

    fn kind_landed(&self, kind: Option<&Word>, _: &Option<Path>) -> Resolved<Option<KindId>> {
        kind.map(|kind| self.kind(kind)).transpose()
    }

    fn holder(&self, name: &Word) -> Resolved<HolderId> {
        holder(self.world, name)
    }

    fn mark(&self, name: &Word) -> Resolved<MarkId> {
        let rules = self.world.rules();
        rules.find_mark(name.as_str()).ok_or_else(|| {
            let help = suggestion(name.as_str(), rules.marks().iter().map(crate::Mark::name));
            ResolveError::new("unknown-mark", name.span(), format!("unknown mark `{name}`"), help)
        })
    }

    fn property(&self, name: &Word) -> Resolved<PropertyId> {
        let rules = self.world.rules();
        rules.find_property(name.as_str()).ok_or_else(|| {
            let help = suggestion(name.as_str(), rules.properties().iter().map(crate::Property::name));
            ResolveError::new("unknown-property", name.span(), format!("unknown property `{name}`"), help)
        })
    }

    fn recipe(&self, name: &Word) -> Resolved<RecipeId> {
        let rules = self.world.rules();
        rules.find_recipe(name.as_str()).ok_or_else(|| ResolveError::unknown_recipe(rules, name))
    }

    fn place(&self, path: &Path, role: Role) -> Resolved<Place> {
        match role {
            Role::Lying => self.lying_place(path),
            Role::Slots(help_on_ground) => self.place_of_slots(path, help_on_ground),
            Role::Slot => self.slot(path),
            Role::Stack => self.stack(path),
            Role::Container => self.container(path),
            Role::Shortcut => self.shortcut(path),
            Role::Departing => self.traveller(path),
        }
    }

    fn own_place(&self, path: &Option<Path>, verb: Verb, after: &str) -> Resolved<Place> {
        match (path, self.actor) {
            (Some(path), _) => self.lying_place(path),
            (None, Some(actor)) => Ok(Place::Holder(actor)),
            (None, None) => {
                let help = format!("Name a place (`{after} …`), or an acting holder");
                let message = format!("`{}` requires a place", verb.row().plain);
                Err(ResolveError::meaningless(Span::default(), message, help))
            }
        }
    }

    fn landed(&self, from: &Option<Path>) -> Resolved<Option<StackId>> {
        let Some(path) = from else { return Ok(None) };
        match self.place_of(path)? {
            Place::Ground => Ok(None),
            Place::OnGround(stack) => Ok(Some(stack)),
            _ => {
                let help = "Use `move … from … to …` for a stack in a slot".to_owned();
                Err(ResolveError::meaningless(path.span(), format!("`{path}` is not on the ground"), help))
            }
        }
    }

    fn arrival(&self, who: &NamedArrival) -> Resolved<Arc<Departure>> {
        let NamedArrival { name, newcomer: Some(def) } = who else { return self.departure(&who.name) };
        let rules = self.world.rules();
        let newcomer = Departure::newcomer(rules, def.as_str(), name.as_str()).ok_or_else(|| {
            let help = suggestion(def.as_str(), rules.holders().iter().map(crate::HolderDef::id));
            ResolveError::new("unknown-holder", def.span(), format!("the ruleset has no holder `{def}`"), help)
        })?;
        Ok(newcomer.into())
    }

    fn step(&self, index: usize, step: &NamedOperation) -> Resolved<Operation> {
        let resolve = || {
            let own = step.actor.as_ref().map(|name| holder(self.world, name)).transpose()?;
            // Without an actor of its own a step is performed by that of its list.
            let actor = own.or(self.actor);
            Ok(Operation { actor: own, action: Resolver { actor, ..*self }.action(&step.action)? })
        };
        resolve().map_err(|error: ResolveError| error.at_step(index))
    }
}
