//! The sentences of operations: a verb, with or without a holder that acts, and what it needs.

use super::Path;
use super::lexer::{Token, TokenKind};
use super::operation::{Amount, NamedAction, NamedOperation, SortKey};
use super::parser::{LineParser, Parsed, SentenceError, shortened};
use crate::text::nearest;

/// Each verb without and with an actor, and what a whole sentence looks like.
const VERBS: &[(&str, &str, &str)] = &[
    ("create", "creates", "create 3 fuel-drum in depot"),
    ("consume", "consumes", "consume 2 ration-box from sled"),
    ("move", "moves", "move 3 fuel-drum from depot to sled"),
    ("split", "splits", "split 2 from sled/0 to sled/3"),
    ("merge", "merges", "merge sled/0 onto sled/3"),
    ("swap", "swaps", "swap sled/0 with depot/3"),
    ("drop", "drops", "drop 1 flare from sled at 2.5,-1"),
    ("pick", "picks", "pick up 1 flare to sled"),
    ("lift", "lifts", "surveyor lifts 3 from sled/0"),
    ("put", "puts", "surveyor puts in sled/3"),
    ("return", "returns", "surveyor returns"),
    ("together", "together", "together (move 1 flare from sled to depot; move 1 rope-coil from depot to sled)"),
    ("equip", "equips", "surveyor equips from pockets/3"),
    ("unequip", "unequips", "surveyor unequips from harness/back"),
    ("sort", "sorts", "sort sled by weight"),
    ("resize", "resizes", "resize sled to 10"),
    ("open", "opens", "surveyor opens depot"),
    ("close", "closes", "surveyor closes depot"),
    ("leave", "leaves", "surveyor leaves"),
    ("bind", "binds", "surveyor binds flare to shortcuts/2"),
    ("unbind", "unbinds", "surveyor unbinds shortcuts/2"),
    ("mark", "marks", "mark freezer/0 contaminated"),
    ("unmark", "unmarks", "unmark freezer/0 contaminated"),
    ("set", "sets", "set reading of freezer/0 to 4.1"),
    ("depart", "departs", "depart sled"),
    ("arrive", "arrives", "arrive sled"),
];

impl LineParser<'_, '_> {
    /// A whole operation, with or without an actor.
    pub(crate) fn operation(&mut self) -> Parsed<NamedOperation> {
        let second = self.tokens.get(self.at + 1).filter(|token| token.kind == TokenKind::Word);
        let with_actor = second.is_some_and(|token| VERBS.iter().any(|(_, verb, _)| *verb == token.text));
        let first_is_verb = self.peek().is_some_and(|token| VERBS.iter().any(|(verb, ..)| *verb == token.text));
        let actor = if with_actor && !first_is_verb { Some(self.word("a holder")?) } else { None };
        let verb = self.verb(actor.is_some())?;
        Ok(NamedOperation { actor, action: self.action(verb)? })
    }

    fn verb(&mut self, with_actor: bool) -> Parsed<&'static str> {
        let token = self.peek().ok_or_else(|| self.expected("an operation"))?;
        let form =
            |(plain, third, _): &(&'static str, &'static str, &'static str)| if with_actor { *third } else { *plain };
        if let Some(entry) = VERBS.iter().find(|entry| form(entry) == token.text) {
            self.at += 1;
            return Ok(entry.0);
        }
        Err(self.unknown_verb(token))
    }

    fn unknown_verb(&self, token: Token<'_>) -> SentenceError {
        let error = self.error(format!("`{}` is not an operation", shortened(token.text)));
        if let Some((plain, ..)) = VERBS.iter().find(|(_, third, _)| *third == token.text) {
            return error.help(format!("without a holder that acts it is `{plain}`"));
        }
        let next = self.tokens.get(self.at + 1);
        if let Some((_, third, _)) = VERBS.iter().find(|(plain, ..)| next.is_some_and(|next| next.text == *plain)) {
            return error.help(format!("after a holder that acts it is `{third}`"));
        }
        match nearest(token.text, VERBS.iter().map(|(plain, ..)| *plain)) {
            Some(verb) => {
                let example = VERBS.iter().find(|(plain, ..)| *plain == verb).map_or("", |(_, _, example)| example);
                error.help(format!("did you mean `{verb}`, as in `{example}`?"))
            }
            None => {
                let verbs: Vec<&str> = VERBS.iter().map(|(plain, ..)| *plain).collect();
                error.help(format!("the operations are {}", verbs.join(", ").replace("pick", "pick up")))
            }
        }
    }

    fn action(&mut self, verb: &str) -> Parsed<NamedAction> {
        match verb {
            "create" => self.create(),
            "consume" => {
                let (amount, kind) = self.selection()?;
                self.require_keyword("from")?;
                Ok(NamedAction::Consume { amount, kind, from: self.path()? })
            }
            "move" => {
                let (amount, kind) = self.selection()?;
                self.require_keyword("from")?;
                let from = self.path()?;
                self.require_keyword("to")?;
                Ok(NamedAction::Move { amount, kind, from, to: self.path()? })
            }
            "split" => {
                let count = self.count()?;
                self.require_keyword("from")?;
                let from = self.path()?;
                self.require_keyword("to")?;
                Ok(NamedAction::Split { count, from, to: self.path()? })
            }
            "merge" => {
                let amount = self.amount()?.unwrap_or_default();
                if amount != Amount::All {
                    self.require_keyword("from")?;
                }
                let from = self.path()?;
                self.require_keyword("onto")?;
                Ok(NamedAction::Merge { amount, from, onto: self.path()? })
            }
            "swap" => {
                let one = self.path()?;
                self.require_keyword("with")?;
                Ok(NamedAction::Swap { one, other: self.path()? })
            }
            "drop" => {
                let (amount, kind) = self.selection()?;
                let from = self.optional_place("from")?;
                Ok(NamedAction::Drop { amount, kind, from, landing: self.landing()? })
            }
            "lift" => {
                let half = self.keyword("half");
                let amount = if half { Amount::All } else { self.amount()?.unwrap_or_default() };
                self.require_keyword("from")?;
                Ok(NamedAction::Lift { amount, half, from: self.path()? })
            }
            "together" => self.together(),
            "equip" => {
                let amount = self.amount()?.unwrap_or_default();
                self.require_keyword("from")?;
                Ok(NamedAction::Equip { amount, from: self.path()? })
            }
            "unequip" => {
                let amount = self.amount()?.unwrap_or_default();
                self.require_keyword("from")?;
                Ok(NamedAction::Unequip { amount, from: self.path()?, to: self.optional_place("to")? })
            }
            "put" => {
                let amount = self.amount()?.unwrap_or_default();
                self.require_keyword("in")?;
                Ok(NamedAction::Put { amount, to: self.path()? })
            }
            "return" => Ok(NamedAction::Return { amount: self.amount()?.unwrap_or_default() }),
            "sort" => {
                let at = self.path()?;
                let by = if self.keyword("by") { self.sort_key()? } else { SortKey::Kind };
                Ok(NamedAction::Sort { at, by })
            }
            "resize" => {
                let at = self.path()?;
                self.require_keyword("to")?;
                let slots = self.count()?;
                let spill = self.keyword("with");
                if spill {
                    self.require_keyword("spill")?;
                }
                Ok(NamedAction::Resize { at, slots, spill })
            }
            "open" => Ok(NamedAction::Open { at: self.path()? }),
            "close" => Ok(NamedAction::Close { at: self.path()? }),
            "leave" => Ok(NamedAction::Leave),
            "bind" => {
                let kind = self.word("a kind")?;
                self.require_keyword("to")?;
                Ok(NamedAction::Bind { kind, at: self.path()? })
            }
            "depart" => Ok(NamedAction::Depart { who: self.path()? }),
            "arrive" => {
                let who = self.word("a container or a holder that has departed")?;
                let newcomer = if self.keyword("as") { Some(self.word("a holder")?) } else { None };
                Ok(NamedAction::Arrive { who, newcomer })
            }
            "unbind" => Ok(NamedAction::Unbind { at: self.path()? }),
            "mark" => {
                let at = self.path()?;
                Ok(NamedAction::Mark { at, mark: self.word("a mark")? })
            }
            "unmark" => {
                let at = self.path()?;
                Ok(NamedAction::Unmark { at, mark: self.word("a mark")? })
            }
            "set" => {
                let property = self.word("a property")?;
                self.require_keyword("of")?;
                let at = self.path()?;
                self.require_keyword("to")?;
                Ok(NamedAction::Set { property, at, value: self.decimal()? })
            }
            _ => {
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
            return Err(self.error("how many are created must be said").help("as in `create 3 fuel-drum in depot`"));
        };
        let kind = self.word("a kind")?;
        let variant = self.variant()?;
        self.require_keyword("in")?;
        Ok(NamedAction::Create { amount, kind, variant, to: self.path()?, landing: self.landing()? })
    }

    fn together(&mut self) -> Parsed<NamedAction> {
        const MOST_NESTED: usize = 16;
        if self.depth == MOST_NESTED {
            return Err(self.error("these lists nest too deep"));
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

    fn sort_key(&mut self) -> Parsed<SortKey> {
        let found = SortKey::ALL.into_iter().find(|key| self.keyword(key.code()));
        found.ok_or_else(|| self.expected("`kind`, `name`, `weight`, `value` or `count`"))
    }

    fn optional_place(&mut self, preposition: &str) -> Parsed<Option<Path>> {
        if self.keyword(preposition) { self.path().map(Some) } else { Ok(None) }
    }
}
