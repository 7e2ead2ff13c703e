//! From handles to names, the counterpart of [`NamedOperation::resolve`].

use super::operation::{Action, Operation, Share, Variant};
use crate::id::{KindId, MarkId, PropertyId};
use crate::language::{Amount, NamedAction, NamedOperation, NamedVariant, Path};
use crate::text::{Span, Word};
use crate::world::{Place, World};

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
        let actor = match operation.actor {
            Some(actor) if self.has_holder(actor) => Some(word(self.holder_name(actor))),
            Some(_) => return None,
            None => None,
        };
        Some(NamedOperation { actor, action: self.name_action(&operation.action)? })
    }

    fn name_action(&self, action: &Action) -> Option<NamedAction> {
        let path = |place: &Place| self.place_name(*place).parse::<Path>().ok();
        Some(match action {
            Action::Create { amount, kind, variant, to, landing } => NamedAction::Create {
                amount: *amount,
                kind: self.kind_word(*kind)?,
                variant: self.name_variant(variant)?,
                to: path(to)?,
                landing: *landing,
            },
            Action::Consume { amount, kind, from } => {
                NamedAction::Consume { amount: *amount, kind: self.kind_at(*kind, *from)?, from: path(from)? }
            }
            Action::Move { amount, kind, from, to } => {
                let kind = self.kind_at(*kind, *from)?;
                NamedAction::Move { amount: *amount, kind, from: path(from)?, to: path(to)? }
            }
            Action::Split { count, from, to } => NamedAction::Split { count: *count, from: path(from)?, to: path(to)? },
            Action::Merge { amount, from, onto } => {
                NamedAction::Merge { amount: *amount, from: path(from)?, onto: path(onto)? }
            }
            Action::Swap { one, other } => NamedAction::Swap { one: path(one)?, other: path(other)? },
            Action::Drop { amount, kind, from, landing } => {
                let kind = self.kind_at(*kind, *from)?;
                NamedAction::Drop { amount: *amount, kind, from: Some(path(from)?), landing: *landing }
            }
            Action::PickUp { amount, kind, from, to } => {
                let kind = self.kind_at(*kind, from.map_or(Place::Ground, Place::OnGround))?;
                let from = match from {
                    Some(stack) => Some(path(&Place::OnGround(*stack))?),
                    None => None,
                };
                NamedAction::PickUp { amount: *amount, kind, from, to: Some(path(to)?) }
            }
            Action::Lift { share, from } => {
                let (amount, half) = match share {
                    Share::Amount(amount) => (*amount, false),
                    Share::Half => (Amount::All, true),
                };
                NamedAction::Lift { amount, half, from: path(from)? }
            }
            Action::Put { amount, to } => NamedAction::Put { amount: *amount, to: path(to)? },
            Action::Return { amount } => NamedAction::Return { amount: *amount },
            Action::Together { steps } => {
                let steps: Option<Vec<NamedOperation>> = steps.iter().map(|step| self.name_operation(step)).collect();
                NamedAction::Together { steps: steps? }
            }
            Action::Equip { amount, from } => NamedAction::Equip { amount: *amount, from: path(from)? },
            Action::Unequip { amount, from, to } => {
                let to = match to {
                    Some(to) => Some(path(to)?),
                    None => None,
                };
                NamedAction::Unequip { amount: *amount, from: path(from)?, to }
            }
            Action::Sort { at, by } => NamedAction::Sort { at: path(at)?, by: *by },
            Action::Resize { at, slots, spill } => NamedAction::Resize { at: path(at)?, slots: *slots, spill: *spill },
            Action::Open { at } => NamedAction::Open { at: path(at)? },
            Action::Close { at } => NamedAction::Close { at: path(at)? },
            Action::Leave => NamedAction::Leave,
            Action::Bind { kind, at } => NamedAction::Bind { kind: self.kind_word(*kind)?, at: path(at)? },
            Action::Unbind { at } => NamedAction::Unbind { at: path(at)? },
            Action::Mark { at, mark } => NamedAction::Mark { at: path(at)?, mark: self.mark_word(*mark)? },
            Action::Unmark { at, mark } => NamedAction::Unmark { at: path(at)?, mark: self.mark_word(*mark)? },
            Action::Set { at, property, value } => {
                NamedAction::Set { property: self.property_word(*property)?, at: path(at)?, value: *value }
            }
            Action::Depart { who } => NamedAction::Depart { who: path(who)? },
            Action::Arrive { departure } => NamedAction::Arrive { who: word(departure.name()), newcomer: None },
        })
    }

    /// The kind that is meant, or else the one that lies there, if it is one stack.
    fn kind_at(&self, kind: Option<KindId>, at: Place) -> Option<Option<Word>> {
        let there = || match at {
            Place::Slot(container, slot) => self.stack(container, slot).map(|stack| stack.kind().handle()),
            Place::OnGround(_) => self.stacks_in(Some(at)).first().map(|stack| stack.kind().handle()),
            _ => None,
        };
        match kind.or_else(there) {
            Some(kind) => self.kind_word(kind).map(Some),
            None => Some(None),
        }
    }

    fn kind_word(&self, kind: KindId) -> Option<Word> {
        self.rules.kind(kind).map(|kind| word(kind.id()))
    }

    fn mark_word(&self, mark: MarkId) -> Option<Word> {
        self.rules.has_mark(mark).then(|| word(self.rules.mark(mark).name()))
    }

    fn property_word(&self, property: PropertyId) -> Option<Word> {
        self.rules.has_property(property).then(|| word(self.rules.property(property).name()))
    }

    fn name_variant(&self, variant: &Variant) -> Option<NamedVariant> {
        let properties =
            variant.properties().iter().map(|(property, value)| Some((self.property_word(*property)?, *value)));
        Some(NamedVariant {
            marks: variant.marks().iter().map(|mark| self.mark_word(*mark)).collect::<Option<_>>()?,
            properties: properties.collect::<Option<_>>()?,
        })
    }
}

fn word(text: &str) -> Word {
    Word::new(text, Span::default())
}
