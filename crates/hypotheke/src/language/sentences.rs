//! The sentences of operations, read and printed: a verb, with or without an acting holder, and its
//! parts.

use std::fmt;
use std::str::FromStr;

use super::Path;
use super::action::{NamedAction, NamedOperation, OfferedOf};
use super::lexer::{Token, TokenKind, lex};
use super::operation::{Amount, LiftAmount, SortKey};
use super::parser::{LineParser, Parsed, SentenceError, shortened};
use super::terms::{NamedArrival, Names};
use super::verb::Verb;
use crate::text::{Word, nearest};

/// How often a recipe is carried out, or an item used, if no number is said.
const ONCE: Amount = Amount::Exactly(1);

/// Who owns a container that belongs to no holder.
pub(crate) const NOBODY: &str = "nobody";

pub(crate) fn owner_text(owner: Option<&Word>) -> &str {
    owner.map_or(NOBODY, Word::as_str)
}

/// The verb that begins with a word.
fn verb_of(token: &Token<'_>, with_actor: bool) -> Option<Verb> {
    let begins = |verb: &Verb| verb.row().begins_with(with_actor, token.text);
    Verb::ALL.into_iter().find(begins).filter(|_| token.kind == TokenKind::Word)
}

impl LineParser<'_, '_> {
    /// A whole operation, with or without an actor.
    pub(crate) fn operation(&mut self) -> Parsed<NamedOperation> {
        let first = self.peek().ok_or_else(|| self.expected("an operation"))?;
        let (actor, verb) = match verb_of(&first, false) {
            Some(verb) => (None, verb),
            None => match self.tokens.get(self.at + 1).and_then(|token| verb_of(token, true)) {
                Some(verb) => (Some(self.word("a holder")?), verb),
                None => return Err(self.unknown_verb(first)),
            },
        };
        self.at += 1;
        Ok(NamedOperation { actor, action: self.action(verb)? })
    }

    fn unknown_verb(&self, token: Token<'_>) -> SentenceError {
        let error = self.error(format!("`{}` is not an operation", shortened(token.text)));
        let rows = || Verb::ALL.into_iter().map(Verb::row);
        if let Some(row) = rows().find(|row| row.first_word(true) == token.text) {
            return error.help(format!("Write `{}` without an acting holder", row.first_word(false)));
        }
        let next = self.tokens.get(self.at + 1);
        if let Some(row) = rows().find(|row| next.is_some_and(|next| next.text == row.first_word(false))) {
            return error.help(format!("Write `{}` after an acting holder", row.first_word(true)));
        }
        let meant = nearest(token.text, rows().map(|row| row.first_word(false)));
        match meant.and_then(|meant| rows().find(|row| row.first_word(false) == meant)) {
            Some(row) => error.help(format!("Did you mean `{}`, as in `{}`?", row.first_word(false), row.example)),
            None => {
                let verbs: Vec<&str> = rows().map(|row| row.plain).collect();
                error.help(format!("The operations are {}", verbs.join(", ")))
            }
        }
    }

    fn action(&mut self, verb: Verb) -> Parsed<NamedAction> {
        match verb {
            Verb::Create => self.create(),
            Verb::Consume => {
                let (amount, kind) = self.selection()?;
                self.require_keyword("from")?;
                Ok(NamedAction::Consume { amount, kind, from: self.path()? })
            }
            Verb::Move => {
                let (amount, kind) = self.selection()?;
                self.require_keyword("from")?;
                let from = self.path()?;
                self.require_keyword("to")?;
                Ok(NamedAction::Move { amount, kind, from, to: self.path()? })
            }
            Verb::Split => {
                let count = self.count()?;
                self.require_keyword("from")?;
                let from = self.path()?;
                self.require_keyword("to")?;
                Ok(NamedAction::Split { count, from, to: self.path()? })
            }
            Verb::Merge => {
                let amount = self.amount()?.unwrap_or_default();
                if amount != Amount::All {
                    self.require_keyword("from")?;
                }
                let from = self.path()?;
                self.require_keyword("onto")?;
                Ok(NamedAction::Merge { amount, from, onto: self.path()? })
            }
            Verb::Swap => {
                let one = self.path()?;
                self.require_keyword("with")?;
                Ok(NamedAction::Swap { one, other: self.path()? })
            }
            Verb::Drop => {
                let (amount, kind) = self.selection()?;
                let from = self.optional_place("from")?;
                Ok(NamedAction::Drop { amount, kind, from, landing: self.landing()? })
            }
            Verb::Lift => {
                let half = self.keyword("half");
                let share =
                    if half { LiftAmount::Half } else { LiftAmount::Amount(self.amount()?.unwrap_or_default()) };
                self.require_keyword("from")?;
                Ok(NamedAction::Lift { share, from: self.path()? })
            }
            Verb::Deposit => {
                self.require_keyword("into")?;
                Ok(NamedAction::Deposit { into: self.path()? })
            }
            Verb::Together => self.together(),
            Verb::Equip => {
                let amount = self.amount()?.unwrap_or_default();
                self.require_keyword("from")?;
                Ok(NamedAction::Equip { amount, from: self.path()? })
            }
            Verb::Unequip => {
                let amount = self.amount()?.unwrap_or_default();
                self.require_keyword("from")?;
                Ok(NamedAction::Unequip { amount, from: self.path()?, to: self.optional_place("to")? })
            }
            Verb::Put => {
                let amount = self.amount()?.unwrap_or_default();
                self.require_keyword("in")?;
                Ok(NamedAction::Put { amount, to: self.path()? })
            }
            Verb::Return => Ok(NamedAction::Return { amount: self.amount()?.unwrap_or_default() }),
            Verb::Sort => {
                let at = self.path()?;
                let by = if self.keyword("by") { self.sort_key()? } else { SortKey::Kind };
                Ok(NamedAction::Sort { at, by })
            }
            Verb::Resize => {
                let at = self.path()?;
                self.require_keyword("to")?;
                let slots = self.count()?;
                let spill = self.keyword("with");
                if spill {
                    self.require_keyword("spill")?;
                }
                Ok(NamedAction::Resize { at, slots, spill })
            }
            Verb::Open => Ok(NamedAction::Open { at: self.path()? }),
            Verb::Close => Ok(NamedAction::Close { at: self.path()? }),
            Verb::Leave => Ok(NamedAction::Leave),
            Verb::Give => {
                let at = self.path()?;
                self.require_keyword("to")?;
                Ok(NamedAction::Give { at, to: self.owner()? })
            }
            Verb::Buy => {
                let (amount, kind, at) = self.deal()?;
                Ok(NamedAction::Buy { amount, kind, at })
            }
            Verb::Sell => {
                let (amount, kind, at) = self.deal()?;
                Ok(NamedAction::Sell { amount, kind, at })
            }
            Verb::Use => {
                let amount = self.amount()?.unwrap_or(ONCE);
                let kind = self.word("a kind")?;
                Ok(NamedAction::Use { amount, kind, from: self.optional_place("from")? })
            }
            Verb::Craft => {
                let amount = self.amount()?.unwrap_or(ONCE);
                let recipe = self.word("a recipe")?;
                let at = self.optional_place("at")?;
                let yield_number = self.yield_number()?;
                Ok(NamedAction::Craft { amount, recipe, at, yield_number })
            }
            Verb::Cancel => {
                let recipe = self.word("a recipe")?;
                self.require_keyword("at")?;
                Ok(NamedAction::Cancel { recipe, at: self.path()? })
            }
            Verb::Wait => Ok(NamedAction::Wait { ticks: self.count()? }),
            Verb::Trade => {
                let one = self.offered()?;
                self.require_keyword("for")?;
                Ok(NamedAction::Trade { one, other: self.offered()? })
            }
            Verb::Bind => {
                let kind = self.word("a kind")?;
                self.require_keyword("to")?;
                Ok(NamedAction::Bind { kind, at: self.path()? })
            }
            Verb::Depart => Ok(NamedAction::Depart { who: self.path()? }),
            Verb::Arrive => {
                let name = self.word("a container or a holder that has departed")?;
                let newcomer = if self.keyword("as") { Some(self.word("a holder")?) } else { None };
                Ok(NamedAction::Arrive { who: NamedArrival { name, newcomer } })
            }
            Verb::Unbind => Ok(NamedAction::Unbind { at: self.path()? }),
            Verb::Mark => {
                let at = self.path()?;
                Ok(NamedAction::Mark { at, mark: self.word("a mark")? })
            }
            Verb::Unmark => {
                let at = self.path()?;
                Ok(NamedAction::Unmark { at, mark: self.word("a mark")? })
            }
            Verb::Set => {
                let property = self.word("a property")?;
                self.require_keyword("of")?;
                let at = self.path()?;
                self.require_keyword("to")?;
                Ok(NamedAction::Set { property, at, value: self.decimal()? })
            }
            Verb::PickUp => {
                self.require_keyword("up")?;
                let (amount, kind) = self.selection()?;
                let from = self.optional_place("from")?;
                Ok(NamedAction::PickUp { amount, kind, from, to: self.optional_place("to")? })
            }
        }
    }

    fn create(&mut self) -> Parsed<NamedAction> {
        let amount = self.amount()?;
        let Some(amount) = amount.filter(|amount| *amount != Amount::All) else {
            return Err(self
                .error("the amount is missing")
                .help("Write an amount, as in `create 3 fuel-drum in depot`"));
        };
        let kind = self.word("a kind")?;
        let variant = self.variant()?;
        self.require_keyword("in")?;
        Ok(NamedAction::Create { amount, kind, variant, to: self.path()?, landing: self.landing()? })
    }

    fn together(&mut self) -> Parsed<NamedAction> {
        const MAX_NESTED: usize = 16;
        if self.depth == MAX_NESTED {
            return Err(self.error("the lists are nested too deeply"));
        }
        if !self.take(TokenKind::Open) {
            return Err(self.expected("`(` and the operations, with `;` between them"));
        }
        self.depth += 1;
        let mut steps = vec![self.operation()?];
        while self.take(TokenKind::Semicolon) {
            steps.push(self.operation()?);
        }
        self.depth -= 1;
        if !self.take(TokenKind::Close) {
            return Err(self.expected("`;` or `)`"));
        }
        Ok(NamedAction::Together { steps })
    }

    /// `2 ration-box at depot`
    fn deal(&mut self) -> Parsed<(Amount, Word, Path)> {
        let amount = self.amount()?.unwrap_or_default();
        let kind = self.word("a kind")?;
        self.require_keyword("at")?;
        Ok((amount, kind, self.path()?))
    }

    /// `2 flare of surveyor`
    fn offered(&mut self) -> Parsed<OfferedOf<Names>> {
        let (count, kind) = (self.count()?, self.word("a kind")?);
        self.require_keyword("of")?;
        Ok(OfferedOf { count, kind, of: self.word("a holder")? })
    }

    /// A holder, or `nobody`.
    pub(crate) fn owner(&mut self) -> Parsed<Option<Word>> {
        if self.keyword(NOBODY) { Ok(None) } else { self.word("a holder or `nobody`").map(Some) }
    }

    fn sort_key(&mut self) -> Parsed<SortKey> {
        let found = SortKey::ALL.into_iter().find(|key| self.keyword(key.code()));
        found.ok_or_else(|| self.expected("`kind`, `name`, `weight`, `value` or `count`"))
    }

    fn yield_number(&mut self) -> Parsed<Option<u32>> {
        if !self.keyword("with") {
            return Ok(None);
        }
        self.require_keyword("yield")?;
        self.count().map(Some)
    }

    fn optional_place(&mut self, preposition: &str) -> Parsed<Option<Path>> {
        if self.keyword(preposition) { self.path().map(Some) } else { Ok(None) }
    }
}

impl FromStr for NamedOperation {
    type Err = SentenceError;

    fn from_str(text: &str) -> Result<NamedOperation, SentenceError> {
        let mut tokens = Vec::new();
        lex(text, 0, &mut tokens);
        let mut line = LineParser::new(&tokens, crate::text::Span::new(0, text.len()));
        let operation = line.operation()?;
        line.end()?;
        Ok(operation)
    }
}

/// How often, if that is said, and what.
fn print_times(amount: Amount, what: &Word, f: &mut fmt::Formatter<'_>) -> fmt::Result {
    if amount != ONCE {
        write!(f, " {amount}")?;
    }
    write!(f, " {what}")
}

/// ` 3 fuel-drum`, ` fuel-drum`, ` up to 9`, or nothing where all of every kind is meant.
fn print_selection(amount: Amount, kind: Option<&Word>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
    if amount != Amount::All {
        write!(f, " {amount}")?;
    }
    kind.map_or(Ok(()), |kind| write!(f, " {kind}"))
}

fn print_place(preposition: &str, place: Option<&Path>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
    let Some(place) = place else { return Ok(()) };
    // Piece by piece: servers print the sentence of each request.
    f.write_str(" ")?;
    f.write_str(preposition)?;
    f.write_str(" ")?;
    fmt::Display::fmt(place, f)
}

impl fmt::Display for NamedOperation {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(actor) = &self.actor {
            write!(f, "{actor} ")?;
        }
        let verb = self.action.verb().row();
        f.write_str(if self.actor.is_some() { verb.third_person } else { verb.plain })?;
        match &self.action {
            NamedAction::Create { amount, kind, variant, to, landing } => {
                write!(f, " {amount} {kind}")?;
                if !variant.is_plain() {
                    write!(f, " ({variant})")?;
                }
                write!(f, " in {to}{landing}")
            }
            NamedAction::Consume { amount, kind, from } => {
                print_selection(*amount, kind.as_ref(), f)?;
                print_place("from", Some(from), f)
            }
            NamedAction::Move { amount, kind, from, to } => {
                print_selection(*amount, kind.as_ref(), f)?;
                print_place("from", Some(from), f)?;
                print_place("to", Some(to), f)
            }
            NamedAction::Split { count, from, to } => write!(f, " {count} from {from} to {to}"),
            NamedAction::Merge { amount: Amount::All, from, onto } => write!(f, " {from} onto {onto}"),
            NamedAction::Merge { amount, from, onto } => write!(f, " {amount} from {from} onto {onto}"),
            NamedAction::Swap { one, other } => write!(f, " {one} with {other}"),
            NamedAction::Lift { share: LiftAmount::Half, from } => write!(f, " half from {from}"),
            NamedAction::Lift { share: LiftAmount::Amount(amount), from } | NamedAction::Equip { amount, from } => {
                print_selection(*amount, None, f)?;
                print_place("from", Some(from), f)
            }
            NamedAction::Put { amount, to } => {
                print_selection(*amount, None, f)?;
                print_place("in", Some(to), f)
            }
            NamedAction::Deposit { into } => write!(f, " into {into}"),
            NamedAction::Together { steps } => {
                f.write_str(" (")?;
                for (index, step) in steps.iter().enumerate() {
                    write!(f, "{}{step}", if index == 0 { "" } else { "; " })?;
                }
                f.write_str(")")
            }
            NamedAction::Unequip { amount, from, to } => {
                print_selection(*amount, None, f)?;
                print_place("from", Some(from), f)?;
                print_place("to", to.as_ref(), f)
            }
            NamedAction::Resize { at, slots, spill } => {
                write!(f, " {at} to {slots}{}", if *spill { " with spill" } else { "" })
            }
            NamedAction::Open { at }
            | NamedAction::Close { at }
            | NamedAction::Unbind { at }
            | NamedAction::Sort { at, by: SortKey::Kind } => write!(f, " {at}"),
            NamedAction::Sort { at, by } => write!(f, " {at} by {}", by.code()),
            NamedAction::Leave => Ok(()),
            NamedAction::Give { at, to } => write!(f, " {at} to {}", owner_text(to.as_ref())),
            NamedAction::Buy { amount, kind, at } | NamedAction::Sell { amount, kind, at } => {
                print_selection(*amount, Some(kind), f)?;
                print_place("at", Some(at), f)
            }
            NamedAction::Craft { amount, recipe, at, yield_number } => {
                print_times(*amount, recipe, f)?;
                print_place("at", at.as_ref(), f)?;
                yield_number.map_or(Ok(()), |number| write!(f, " with yield {number}"))
            }
            NamedAction::Cancel { recipe, at } => {
                write!(f, " {recipe}")?;
                print_place("at", Some(at), f)
            }
            NamedAction::Wait { ticks } => write!(f, " {ticks}"),
            NamedAction::Use { amount, kind, from } => {
                print_times(*amount, kind, f)?;
                print_place("from", from.as_ref(), f)
            }
            NamedAction::Trade { one, other } => {
                let side = |it: &OfferedOf<Names>| format!("{} {} of {}", it.count, it.kind, it.of);
                write!(f, " {} for {}", side(one), side(other))
            }
            NamedAction::Depart { who } => write!(f, " {who}"),
            NamedAction::Arrive { who: NamedArrival { name, newcomer } } => {
                write!(f, " {name}")?;
                newcomer.as_ref().map_or(Ok(()), |holder| write!(f, " as {holder}"))
            }
            NamedAction::Bind { kind, at } => write!(f, " {kind} to {at}"),
            NamedAction::Return { amount } => print_selection(*amount, None, f),
            NamedAction::Mark { at, mark } | NamedAction::Unmark { at, mark } => write!(f, " {at} {mark}"),
            NamedAction::Set { property, at, value } => write!(f, " {property} of {at} to {value}"),
            NamedAction::Drop { amount, kind, from, landing } => {
                print_selection(*amount, kind.as_ref(), f)?;
                print_place("from", from.as_ref(), f)?;
                write!(f, "{landing}")
            }
            NamedAction::PickUp { amount, kind, from, to } => {
                print_selection(*amount, kind.as_ref(), f)?;
                print_place("from", from.as_ref(), f)?;
                print_place("to", to.as_ref(), f)
            }
        }
    }
}
