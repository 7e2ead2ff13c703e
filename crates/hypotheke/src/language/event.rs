//! The sentences of changes.

use std::fmt;

use super::lexer::TokenKind;
use super::operation::Position;
use super::parser::{LineParser, Parsed};
use super::sentences::owner_text;
use super::{NamedVariant, Path};
use crate::quantity::Decimal;
use crate::text::Word;

/// An end of a move: a place, and the position if it is on the ground.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NamedLocation {
    /// The place.
    pub place: Path,
    /// Where on the ground.
    pub at: Option<Position>,
}

/// One change, by names, as answers tell it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NamedEvent {
    /// `3 fuel-drum: depot/0 to sled/2`
    Moved {
        /// How many.
        count: u32,
        /// Of which kind.
        kind: Word,
        /// From where.
        from: NamedLocation,
        /// To where.
        to: NamedLocation,
    },
    /// `3 fuel-drum created in depot/0`
    Created {
        /// How many.
        count: u32,
        /// Of which kind.
        kind: Word,
        /// Where.
        at: NamedLocation,
    },
    /// `3 fuel-drum consumed from depot/0`
    Consumed {
        /// How many.
        count: u32,
        /// Of which kind.
        kind: Word,
        /// From where.
        at: NamedLocation,
    },
    /// `depot/0 and sled/2 swapped`
    Swapped {
        /// A place.
        one: NamedLocation,
        /// The other.
        other: NamedLocation,
    },
    /// `freezer/0 became contaminated, reading 3.2`, `freezer/0 became plain`
    Became {
        /// The place of the stack.
        at: NamedLocation,
        /// All its marks, and properties that differ from the kind's.
        variant: NamedVariant,
    },
    /// `sled has 24 slots instead of 18`
    Resized {
        /// The container.
        container: Path,
        /// How many it has.
        slots: u32,
        /// How many it had.
        before: u32,
    },
    /// `surveyor.shortcuts/2 points at flare`, `surveyor.shortcuts/2 points at nothing`
    PointsAt {
        /// The shortcut.
        shortcut: Path,
        /// The kind.
        kind: Option<Word>,
    },
    /// `heat of surveyor rises from 20 to 25`, `heat of surveyor falls from 20 to 15`
    Metered {
        /// The meter.
        meter: Word,
        /// The holder.
        holder: Path,
        /// The old value.
        before: Decimal,
        /// The new value.
        after: Decimal,
    },
    /// `20 ticks pass`
    Waited {
        /// How many.
        ticks: u32,
    },
    /// `stove starts melt-water for 20 ticks`, `stove starts 2 melt-water for 20 ticks`
    Starts {
        /// The container.
        container: Path,
        /// How often at once.
        times: u32,
        /// The recipe.
        recipe: Word,
        /// How long it takes.
        ticks: u32,
    },
    /// `stove ends melt-water`
    Ends {
        /// The container.
        container: Path,
        /// The recipe.
        recipe: Word,
    },
    /// `surveyor opened depot`
    Opened {
        /// Who.
        holder: Path,
        /// The container.
        container: Path,
    },
    /// `surveyor closed depot`
    Closed {
        /// Who.
        holder: Path,
        /// The container.
        container: Path,
    },
    /// `depot belongs to surveyor`, `depot belongs to nobody`
    BelongsTo {
        /// The container.
        container: Path,
        /// Its owner from then on.
        owner: Option<Word>,
    },
    /// `sled departed with 5 items`
    Departed {
        /// A container or a holder.
        who: Path,
        /// How many items it has with it.
        items: u32,
    },
    /// `sled arrived with nothing`
    Arrived {
        /// A container or a holder.
        who: Path,
        /// How many items it brings.
        items: u32,
    },
}

impl fmt::Display for NamedLocation {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.place)?;
        self.at.map_or(Ok(()), |at| write!(f, " at {at}"))
    }
}

/// `nothing`, `1 item`, `3 items`
pub(crate) fn items_text(count: u64) -> String {
    match count {
        0 => "nothing".to_owned(),
        1 => "1 item".to_owned(),
        count => format!("{count} items"),
    }
}

/// `1 tick passes`, `20 ticks pass`
pub(crate) fn pass_text(ticks: u64) -> String {
    format!("{} {}", ticks_text(ticks), if ticks == 1 { "passes" } else { "pass" })
}

/// A recipe that is carried out a number of times: `melt-water`, `2 melt-water`
pub(crate) fn times_text(times: u32, recipe: &str) -> String {
    if times == 1 { recipe.to_owned() } else { format!("{times} {recipe}") }
}

/// `1 tick`, `20 ticks`
pub(crate) fn ticks_text(ticks: u64) -> String {
    if ticks == 1 { "1 tick".to_owned() } else { format!("{ticks} ticks") }
}

impl fmt::Display for NamedEvent {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            NamedEvent::Moved { count, kind, from, to } => write!(f, "{count} {kind}: {from} to {to}"),
            NamedEvent::Created { count, kind, at } => write!(f, "{count} {kind} created in {at}"),
            NamedEvent::Consumed { count, kind, at } => write!(f, "{count} {kind} consumed from {at}"),
            NamedEvent::Swapped { one, other } => write!(f, "{one} and {other} swapped"),
            NamedEvent::Became { at, variant } if variant.is_plain() => write!(f, "{at} became plain"),
            NamedEvent::Became { at, variant } => write!(f, "{at} became {variant}"),
            NamedEvent::Resized { container, slots, before } => {
                write!(f, "{container} has {slots} slots instead of {before}")
            }
            NamedEvent::PointsAt { shortcut, kind } => {
                write!(f, "{shortcut} points at {}", kind.as_ref().map_or("nothing", Word::as_str))
            }
            NamedEvent::Metered { meter, holder, before, after } => {
                let verb = if before < after { "rises" } else { "falls" };
                write!(f, "{meter} of {holder} {verb} from {before} to {after}")
            }
            NamedEvent::Waited { ticks } => write!(f, "{}", pass_text(u64::from(*ticks))),
            NamedEvent::Starts { container, times, recipe, ticks } => {
                let (what, ticks) = (times_text(*times, recipe.as_str()), ticks_text(u64::from(*ticks)));
                write!(f, "{container} starts {what} for {ticks}")
            }
            NamedEvent::Ends { container, recipe } => write!(f, "{container} ends {recipe}"),
            NamedEvent::Opened { holder, container } => write!(f, "{holder} opened {container}"),
            NamedEvent::Closed { holder, container } => write!(f, "{holder} closed {container}"),
            NamedEvent::BelongsTo { container, owner } => {
                write!(f, "{container} belongs to {}", owner_text(owner.as_ref()))
            }
            NamedEvent::Departed { who, items } => write!(f, "{who} departed with {}", items_text(u64::from(*items))),
            NamedEvent::Arrived { who, items } => write!(f, "{who} arrived with {}", items_text(u64::from(*items))),
        }
    }
}

impl NamedEvent {
    /// The places that it names.
    pub fn places(&self) -> impl Iterator<Item = &Path> {
        let (one, other) = match self {
            NamedEvent::Waited { .. } => return None.into_iter().chain(None),
            NamedEvent::Moved { from, to, .. } => (&from.place, Some(&to.place)),
            NamedEvent::Swapped { one, other } => (&one.place, Some(&other.place)),
            NamedEvent::Created { at, .. } | NamedEvent::Consumed { at, .. } | NamedEvent::Became { at, .. } => {
                (&at.place, None)
            }
            NamedEvent::Resized { container, .. }
            | NamedEvent::BelongsTo { container, .. }
            | NamedEvent::Starts { container, .. }
            | NamedEvent::Ends { container, .. } => (container, None),
            NamedEvent::PointsAt { shortcut, .. } => (shortcut, None),
            NamedEvent::Metered { holder, .. } => (holder, None),
            NamedEvent::Opened { holder, container } | NamedEvent::Closed { holder, container } => {
                (holder, Some(container))
            }
            NamedEvent::Departed { who, .. } | NamedEvent::Arrived { who, .. } => (who, None),
        };
        Some(one).into_iter().chain(other)
    }

    /// The kind that it names.
    #[must_use]
    pub fn kind(&self) -> Option<&Word> {
        match self {
            NamedEvent::Moved { kind, .. } | NamedEvent::Created { kind, .. } | NamedEvent::Consumed { kind, .. } => {
                Some(kind)
            }
            NamedEvent::PointsAt { kind, .. } => kind.as_ref(),
            _ => None,
        }
    }
}

impl LineParser<'_, '_> {
    /// `3 fuel-drum: depot/0 to sled/2; sled has 24 slots instead of 18`, or `nothing`
    pub(crate) fn events(&mut self) -> Parsed<Vec<NamedEvent>> {
        if self.keyword("nothing") {
            return Ok(Vec::new());
        }
        let mut events = vec![self.event()?];
        while self.take(TokenKind::Semicolon) {
            events.push(self.event()?);
        }
        Ok(events)
    }

    fn event(&mut self) -> Parsed<NamedEvent> {
        if self.number_ahead() {
            return self.event_of_items();
        }
        if self.name_of_ahead() { self.event_of_a_meter() } else { self.event_at_a_place() }
    }

    fn event_of_a_meter(&mut self) -> Parsed<NamedEvent> {
        let meter = self.word("a meter")?;
        self.require_keyword("of")?;
        let holder = self.path()?;
        if !self.keyword("rises") && !self.keyword("falls") {
            return Err(self.expected("`rises from` or `falls from`"));
        }
        self.require_keyword("from")?;
        let before = self.decimal()?;
        self.require_keyword("to")?;
        Ok(NamedEvent::Metered { meter, holder, before, after: self.decimal()? })
    }

    fn event_of_items(&mut self) -> Parsed<NamedEvent> {
        let (count, kind) = (self.count()?, self.word("a kind")?);
        if matches!(kind.as_str(), "tick" | "ticks") && (self.keyword("pass") || self.keyword("passes")) {
            return Ok(NamedEvent::Waited { ticks: count });
        }
        if self.take_colon() {
            let from = self.event_end()?;
            self.require_keyword("to")?;
            return Ok(NamedEvent::Moved { count, kind, from, to: self.event_end()? });
        }
        if self.keyword("created") {
            self.require_keyword("in")?;
            return Ok(NamedEvent::Created { count, kind, at: self.event_end()? });
        }
        if self.keyword("consumed") {
            self.require_keyword("from")?;
            return Ok(NamedEvent::Consumed { count, kind, at: self.event_end()? });
        }
        Err(self.expected("`:`, `created in` or `consumed from`"))
    }

    fn event_at_a_place(&mut self) -> Parsed<NamedEvent> {
        let one = self.event_end()?;
        if self.keyword("and") {
            let other = self.event_end()?;
            self.require_keyword("swapped")?;
            return Ok(NamedEvent::Swapped { one, other });
        }
        if self.keyword("became") {
            let variant = if self.keyword("plain") { NamedVariant::default() } else { self.variant_words()? };
            return Ok(NamedEvent::Became { at: one, variant });
        }
        let place = one.place;
        if self.keyword("has") {
            let slots = self.count()?;
            for word in ["slots", "instead", "of"] {
                self.require_keyword(word)?;
            }
            return Ok(NamedEvent::Resized { container: place, slots, before: self.count()? });
        }
        if self.keyword("starts") {
            let times = if self.number_ahead() { self.count()? } else { 1 };
            let recipe = self.word("a recipe")?;
            self.require_keyword("for")?;
            let ticks = self.count()?;
            self.require_keyword(if ticks == 1 { "tick" } else { "ticks" })?;
            return Ok(NamedEvent::Starts { container: place, times, recipe, ticks });
        }
        if self.keyword("ends") {
            return Ok(NamedEvent::Ends { container: place, recipe: self.word("a recipe")? });
        }
        if self.keyword("points") {
            return Ok(NamedEvent::PointsAt { shortcut: place, kind: self.pointed_at()? });
        }
        if self.keyword("opened") {
            return Ok(NamedEvent::Opened { holder: place, container: self.path()? });
        }
        if self.keyword("closed") {
            return Ok(NamedEvent::Closed { holder: place, container: self.path()? });
        }
        if self.keyword("belongs") {
            self.require_keyword("to")?;
            return Ok(NamedEvent::BelongsTo { container: place, owner: self.owner()? });
        }
        if self.keyword("departed") {
            return Ok(NamedEvent::Departed { who: place, items: self.items()? });
        }
        if self.keyword("arrived") {
            return Ok(NamedEvent::Arrived { who: place, items: self.items()? });
        }
        Err(self.expected("an event, as `verify --steps` shows it"))
    }

    /// The words after `points`.
    pub(crate) fn pointed_at(&mut self) -> Parsed<Option<Word>> {
        self.require_keyword("at")?;
        if self.keyword("nothing") { Ok(None) } else { self.word("a kind or `nothing`").map(Some) }
    }

    fn event_end(&mut self) -> Parsed<NamedLocation> {
        let place = self.path()?;
        let at = if self.keyword("at") { Some(self.position()?) } else { None };
        Ok(NamedLocation { place, at })
    }

    fn items(&mut self) -> Parsed<u32> {
        self.require_keyword("with")?;
        if self.keyword("nothing") {
            return Ok(0);
        }
        let count = self.count()?;
        self.require_keyword(if count == 1 { "item" } else { "items" })?;
        Ok(count)
    }
}
