//! From handles to names, the counterpart of [`NamedOperation::resolve`].

use std::sync::Arc;

use super::operation::{Handles, Operation, Variant};
use crate::id::{HolderId, KindId, MarkId, PropertyId, RecipeId, StackId};
use crate::language::{NamedArrival, NamedOperation, NamedVariant, Names, Path, Role, Translate, Verb};
use crate::snapshot::Departure;
use crate::text::{Span, Word};
use crate::world::{Place, World};

impl World {
    /// An operation as plain data by names, the counterpart of [`NamedOperation::resolve`]. None if
    /// a handle belongs to a different world or to something removed.
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
        let actor = match operation.actor {
            Some(actor) if self.has_holder(actor) => Some(word(self.holder_name(actor))),
            Some(_) => return None,
            None => None,
        };
        Some(NamedOperation { actor, action: operation.action.translate(&Namer { world: self }).ok()? })
    }
}

struct Namer<'w> {
    world: &'w World,
}

/// A handle of a different world, or of something removed.
struct NoName;

type Named<T> = Result<T, NoName>;

impl Namer<'_> {
    /// The requested kind, or the kind of the single stack there.
    fn kind_at(&self, kind: Option<KindId>, at: Option<Place>) -> Named<Option<Word>> {
        let there = || match at? {
            Place::Slot(container, slot) => self.world.stack(container, slot).map(|stack| stack.kind().handle()),
            Place::OnGround(_) => self.world.stacks_in(at).first().map(|stack| stack.kind().handle()),
            _ => None,
        };
        kind.or_else(there).map(|kind| self.kind(&kind)).transpose()
    }
}

impl Translate<Handles> for Namer<'_> {
    type Into = Names;
    type Error = NoName;

    fn created(&self, kind: &KindId, variant: &Variant) -> Named<(Word, NamedVariant)> {
        let properties = variant.properties().iter().map(|(property, value)| Ok((self.property(property)?, *value)));
        let variant = NamedVariant {
            marks: variant.marks().iter().map(|mark| self.mark(mark)).collect::<Named<_>>()?,
            properties: properties.collect::<Named<_>>()?,
        };
        Ok((self.kind(kind)?, variant))
    }

    fn kind(&self, kind: &KindId) -> Named<Word> {
        self.world.rules.kind(*kind).map(|kind| word(kind.id())).ok_or(NoName)
    }

    fn kind_from(&self, kind: Option<&KindId>, from: Option<&Place>) -> Named<Option<Word>> {
        self.kind_at(kind.copied(), from.copied())
    }

    fn kind_landed(&self, kind: Option<&KindId>, from: &Option<StackId>) -> Named<Option<Word>> {
        self.kind_at(kind.copied(), from.map(Place::OnGround))
    }

    fn holder(&self, holder: &HolderId) -> Named<Word> {
        self.world.has_holder(*holder).then(|| word(self.world.holder_name(*holder))).ok_or(NoName)
    }

    fn mark(&self, mark: &MarkId) -> Named<Word> {
        let rules = &self.world.rules;
        rules.has_mark(*mark).then(|| word(rules.mark(*mark).name())).ok_or(NoName)
    }

    fn property(&self, property: &PropertyId) -> Named<Word> {
        let rules = &self.world.rules;
        rules.has_property(*property).then(|| word(rules.property(*property).name())).ok_or(NoName)
    }

    fn recipe(&self, recipe: &RecipeId) -> Named<Word> {
        self.world.rules.recipe(*recipe).map(|recipe| word(recipe.id())).ok_or(NoName)
    }

    fn place(&self, place: &Place, _: Role) -> Named<Path> {
        self.world.place_name(*place).parse().map_err(|_| NoName)
    }

    fn own_place(&self, place: &Place, _: Verb, _: &str) -> Named<Option<Path>> {
        self.place(place, Role::Lying).map(Some)
    }

    fn landed(&self, from: &Option<StackId>) -> Named<Option<Path>> {
        from.map(|stack| self.place(&Place::OnGround(stack), Role::Lying)).transpose()
    }

    fn arrival(&self, who: &Arc<Departure>) -> Named<NamedArrival> {
        Ok(NamedArrival { name: word(who.name()), newcomer: None })
    }

    fn step(&self, _: usize, step: &Operation) -> Named<NamedOperation> {
        self.world.name_operation(step).ok_or(NoName)
    }
}

fn word(text: &str) -> Word {
    Word::new(text, Span::default())
}
