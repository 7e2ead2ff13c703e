//! Claims: conditions that every reachable state must satisfy, operations that must never happen,
//! states that must stay possible.

use std::fmt;
use std::sync::Arc;

use crate::explore::model::tried::VerbUse;
use crate::filter::{Comparison, Filter, Test};
use crate::id::{HolderId, PropertyId};
use crate::language::{Claimable, LineParser, Path, SentenceError, Verb, lex};
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::Selector;
use crate::scenario::parse::lines;
use crate::scenario::{Check, Claim as Measured, DifferenceRow, Finding, Line, Operand, checks};
use crate::text::{Span, Word};
use crate::world::{ClassView, Place, World};

/// What a claim says.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum ClaimKind {
    /// It holds of every world.
    Always,
    /// Such an operation is never applied.
    Forbidden,
    /// Some state satisfies the condition.
    Possible,
    /// From every world such a world can be reached.
    Recoverable,
}

impl ClaimKind {
    /// All of them.
    pub const ALL: [ClaimKind; 4] =
        [ClaimKind::Always, ClaimKind::Forbidden, ClaimKind::Possible, ClaimKind::Recoverable];

    /// As it is written.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            ClaimKind::Always => "always",
            ClaimKind::Forbidden => "forbidden",
            ClaimKind::Possible => "possible",
            ClaimKind::Recoverable => "recoverable",
        }
    }
}

/// A claim as it is written.
#[derive(Clone, Debug)]
pub struct Claim {
    pub(in crate::explore) kind: ClaimKind,
    pub(in crate::explore) text: String,
    pub(in crate::explore) span: Span,
    pub(in crate::explore) said: Said,
}

impl Claim {
    /// What sort of claim it is.
    #[must_use]
    pub fn kind(&self) -> ClaimKind {
        self.kind
    }

    /// Its place in the file.
    #[must_use]
    pub fn span(&self) -> Span {
        self.span
    }

    /// Its sentence.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }
}

impl Claim {
    /// The claim as a check of a scenario, if there is one. For contents it counts the present
    /// items.
    pub(in crate::explore) fn as_check(&self, world: &World) -> Option<String> {
        let name = |part: &Part| match &part.filter {
            Filter::Name(name) => Some(name.to_string()),
            _ => None,
        };
        match &self.said {
            Said::Check(_) => Some(self.text.clone()),
            Said::NoneIn(part, place) => Some(format!("count of {} in {place} = 0", name(part)?)),
            Said::AllIn(part, place) => {
                let name = name(part)?;
                let count = world.count(world.rules().selector(&name)?, None);
                Some(format!("count of {name} in {place} = {count}"))
            }
            Said::NoneWith(..) | Said::InAll { .. } | Said::Operation(_) => None,
        }
    }
}

impl fmt::Display for Claim {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.kind.word(), self.text)
    }
}

/// A sentence, its names not looked up yet.
#[derive(Clone, Debug)]
pub(in crate::explore) enum Said {
    /// As at the end of a scenario.
    Check(Line<Check>),
    /// `no A lies with B`
    NoneWith(Part, Part),
    /// `no A in PLACE`
    NoneIn(Part, Path),
    /// `all A in PLACE`
    AllIn(Part, Path),
    /// `count of NAME in all containers <= 12`
    InAll { name: Word, comparison: Comparison, number: Decimal },
    /// `drop logbook`, `move fuel to sled`
    Operation(Pattern),
}

/// A filter within a sentence.
#[derive(Clone, Debug)]
pub(in crate::explore) struct Part {
    pub(in crate::explore) filter: Filter,
    /// Where its text begins in the file.
    pub(in crate::explore) origin: usize,
}

/// Operations that are alike.
#[derive(Clone, Debug)]
pub(in crate::explore) struct Pattern {
    pub(in crate::explore) verb: Verb,
    pub(in crate::explore) name: Option<Word>,
    pub(in crate::explore) from: Option<Path>,
    pub(in crate::explore) to: Option<Path>,
}

/// What the name in a claim about operations stands for.
#[derive(Clone, Copy, Debug)]
pub(in crate::explore) enum Subject {
    Items(Selector),
    /// The property that is set.
    Property(PropertyId),
}

pub(in crate::explore) fn read(kind: ClaimKind, content: &str, offset: usize) -> Result<Said, SentenceError> {
    let mut tokens = Vec::new();
    lex(content, offset, &mut tokens);
    let mut parser = LineParser::new(&tokens, Span::new(offset, offset + content.len()));
    if kind == ClaimKind::Forbidden {
        return pattern(&mut parser).map(Said::Operation);
    }
    if let Some(rest) = content.strip_prefix("no ") {
        return none(rest, offset + 3);
    }
    if let Some(rest) = content.strip_prefix("all ") {
        let (what, place) = in_place(rest, offset + 4)?;
        return Ok(Said::AllIn(what, place));
    }
    if content.starts_with("count of ") && content.contains(" in all containers ") {
        return totals(&mut parser);
    }
    let check = lines::check(&mut parser)?;
    let span = Span::new(offset, offset + content.len());
    if matches!(check, Check::LyingAt { .. }) {
        let error = SentenceError::new(span, "a search drops all stacks at one position");
        return Err(error.help("Name the stacks on the ground: `ground: 1 flare`"));
    }
    if matches!(check, Check::Events { .. } | Check::UnchangedSince { .. } | Check::NothingChanged) {
        let error = SentenceError::new(span, "this check compares several worlds");
        return Err(error.help("A claim checks one state at a time"));
    }
    Ok(Said::Check(Line { item: check, span, comments: Vec::new(), remark: None }))
}

fn none(rest: &str, offset: usize) -> Result<Said, SentenceError> {
    match rest.split_once(" lies with ") {
        Some((one, other)) => {
            let second = offset + one.len() + " lies with ".len();
            Ok(Said::NoneWith(part(one, offset)?, part(other, second)?))
        }
        None => in_place(rest, offset).map(|(what, place)| Said::NoneIn(what, place)),
    }
}

fn in_place(rest: &str, offset: usize) -> Result<(Part, Path), SentenceError> {
    let whole = Span::new(offset, offset + rest.len());
    let Some((what, place)) = rest.rsplit_once(" in ") else {
        let error = SentenceError::new(whole, "a place is missing");
        return Err(
            error.help("as in `no fuel in locker-a`, `all radio in surveyor`, `no clean lies with contaminated`")
        );
    };
    let at = Span::new(whole.end() - place.len(), whole.end());
    let mut tokens = Vec::new();
    lex(place, at.start(), &mut tokens);
    let mut parser = LineParser::new(&tokens, at);
    let path = parser.path()?;
    parser.end()?;
    Ok((part(what, offset)?, path))
}

fn part(text: &str, origin: usize) -> Result<Part, SentenceError> {
    let filter = text.parse::<Filter>().map_err(|error| {
        let described = SentenceError::new(error.span().shifted(origin), error.to_string());
        match error.help_text() {
            Some(help) => described.help(help),
            None => described,
        }
    })?;
    Ok(Part { filter, origin })
}

fn totals(parser: &mut LineParser<'_, '_>) -> Result<Said, SentenceError> {
    parser.require_keyword("count")?;
    parser.require_keyword("of")?;
    let name = parser.word("a kind, a tag or a mark")?;
    for word in ["in", "all", "containers"] {
        parser.require_keyword(word)?;
    }
    let comparison = parser.comparison()?;
    let number = parser.decimal()?;
    parser.end()?;
    Ok(Said::InAll { name, comparison, number })
}

fn pattern(parser: &mut LineParser<'_, '_>) -> Result<Pattern, SentenceError> {
    let mut verb = parser.word("a forbidden operation, such as `drop logbook`")?;
    if verb.as_str() == "pick" && parser.keyword("up") {
        verb = Word::new("pick-up", verb.span());
    }
    let Some(of_word) = Verb::of_word(verb.as_str()).filter(|verb| verb.row().claimable != Claimable::Never) else {
        let known = Verb::ALL.into_iter().filter(|verb| verb.row().claimable != Claimable::Never).map(Verb::word);
        let error = SentenceError::new(verb.span(), format!("a claim cannot forbid `{verb}`"));
        return Err(error.help(format!("Use one of {}", known.collect::<Vec<_>>().join(", "))));
    };
    let is_place = |parser: &LineParser<'_, '_>| ["from", "to", "in"].iter().any(|word| parser.keyword_ahead(word));
    let takes_place = of_word.row().claimable == Claimable::Place;
    let what = if of_word == Verb::Set { "a property, a kind, a tag or a mark" } else { "a kind, a tag or a mark" };
    let has_name = !(parser.is_empty() || is_place(parser) || takes_place);
    let name = if has_name { Some(parser.word(what)?) } else { None };
    let is_named = takes_place && !parser.is_empty() && !is_place(parser);
    let from = if is_named || parser.keyword("from") { Some(parser.path()?) } else { None };
    let to = if parser.keyword("to") || parser.keyword("in") { Some(parser.path()?) } else { None };
    parser.end()?;
    Ok(Pattern { verb: of_word, name, from, to })
}

/// A filter with its names looked up.
#[derive(Clone, Debug)]
pub(in crate::explore) struct Named {
    pub(in crate::explore) test: Test,
    pub(in crate::explore) text: String,
}

/// What is looked up once for a check.
#[derive(Clone, Debug, Default)]
pub(in crate::explore) struct OfCheck {
    /// For a count, the counted items.
    pub(in crate::explore) counted: Option<Selector>,
    /// The start, if it compares with that.
    pub(in crate::explore) start: Option<Arc<World>>,
    /// The places of the members of the group that it names.
    pub(in crate::explore) of_members: Vec<Path>,
}

/// A claim with all names looked up.
#[derive(Clone, Debug)]
pub(in crate::explore) enum Ready {
    Check(Check, OfCheck),
    NoneWith(Named, Named),
    NoneIn(Named, Path),
    AllIn(Named, Path),
    InAll { what: Selector, name: String, comparison: Comparison, number: Decimal },
    Operation { pattern: Pattern, named: Option<Subject> },
}

/// Whether a count satisfies its comparison. Usually it does, and no text is needed.
fn is_right_count(world: &World, check: &Check, what: Selector) -> bool {
    let Check::Measure { claim: Measured::Count(_, path), comparison, operand: Operand::Number { number, .. } } = check
    else {
        return false;
    };
    let Ok(place) = path.as_ref().map(|path| world.place(path, None)).transpose() else { return false };
    comparison.holds(&checks::whole(world.count(what, place)), number)
}

impl Ready {
    /// The violation in a world, if there is one.
    pub(in crate::explore) fn wrong(&self, world: &World) -> Option<String> {
        match self {
            Ready::Check(_, ready) => self.wrong_since(ready.start.as_deref(), world),
            _ => self.wrong_since(None, world),
        }
    }

    /// The same after a different start.
    pub(in crate::explore) fn wrong_since(&self, start: Option<&World>, world: &World) -> Option<String> {
        match self {
            Ready::Check(check, OfCheck { counted: Some(what), .. }) if is_right_count(world, check, *what) => None,
            Ready::Check(check, _) => match checks::finding(world, start, check) {
                Ok(None) => None,
                Ok(Some(finding)) => Some(described(&finding)),
                Err(unknown) => Some(unknown.to_string()),
            },
            Ready::NoneWith(one, other) => lies_with(world, &one.test, &other.test),
            Ready::NoneIn(test, path) => {
                let place = world.place(path, None).ok()?;
                let found = world
                    .all_stacks_in(Some(place))
                    .into_iter()
                    .find(|stack| admits(world, &test.test, stack.cell_class()));
                found.map(|stack| format!("{} is in {path}", checks::item_text(stack)))
            }
            Ready::AllIn(test, path) => {
                let inside: Vec<_> = match world.place(path, None) {
                    Ok(place) => world.all_stacks_in(Some(place)).iter().map(|stack| stack.id()).collect(),
                    Err(_) => Vec::new(),
                };
                let all = world.all_stacks_in(None).into_iter();
                let found = all
                    .filter(|stack| admits(world, &test.test, stack.cell_class()))
                    .find(|stack| !inside.contains(&stack.id()));
                found.map(|stack| {
                    let at = world.place_of(stack.id()).map_or_else(String::new, |place| world.place_name(place));
                    format!("{} is in {at}, not in {path}", checks::item_text(stack))
                })
            }
            Ready::InAll { what, name, comparison, number } => {
                let on_ground = world.count(*what, Some(Place::Ground));
                let count = world.count(*what, None).saturating_sub(on_ground);
                let found = Decimal::from(narrow::at_most(count));
                let described = || format!("count of {name} in all containers is {found}");
                (!comparison.holds(&found, number)).then(described)
            }
            Ready::Operation { .. } => None,
        }
    }

    /// The places that it names.
    pub(in crate::explore) fn places(&self) -> Vec<&Path> {
        match self {
            Ready::Check(_, ready) if !ready.of_members.is_empty() => ready.of_members.iter().collect(),
            Ready::Check(check, _) => match check {
                Check::Places { places, .. } => places.iter().collect(),
                Check::Measure { .. } => check.measured().filter_map(Measured::place).collect(),
                Check::Contents { place, .. } => vec![place],
                Check::Encumbrance { holder, .. } | Check::Shortcuts { holder, .. } => vec![holder],
                Check::Origin { holder, slot } => std::iter::once(holder).chain(slot).collect(),
                Check::PointsAt { shortcut, .. } => vec![shortcut],
                Check::Open { container, holder, .. } => vec![container, holder],
                Check::Owner { container, .. } | Check::Works { container, .. } => vec![container],
                // These are about more than one world, and no claims.
                Check::LyingAt { .. } | Check::Events { .. } | Check::UnchangedSince { .. } | Check::NothingChanged => {
                    Vec::new()
                }
            },
            Ready::NoneIn(_, place) | Ready::AllIn(_, place) => vec![place],
            Ready::Operation { pattern, .. } => pattern.from.iter().chain(&pattern.to).collect(),
            Ready::NoneWith(..) | Ready::InAll { .. } => Vec::new(),
        }
    }

    /// What the claim speaks of, a bit each: if one of these never occurs, the claim holds whatever
    /// the rules are.
    pub(in crate::explore) fn speaks_of(&self) -> u8 {
        match self {
            Ready::NoneIn(..) | Ready::NoneWith(..) => FIRST | SECOND,
            Ready::AllIn(..) => FIRST,
            Ready::InAll { comparison, number, .. }
            | Ready::Check(
                Check::Measure { claim: Measured::Count(..), comparison, operand: Operand::Number { number, .. } },
                OfCheck { counted: Some(_), .. },
            ) => counts_if_zero(*comparison, number),
            // These depend on more than the contents of the place: on its size, on what its holder
            // carries, and on its owner.
            Ready::Check(
                Check::Owner { .. } | Check::Measure { claim: Measured::FreeSlots(_) | Measured::RoomFor(..), .. },
                _,
            ) => 0,
            Ready::Check(..) if !self.places().is_empty() => FIRST,
            // Of an operation it is known by its verb.
            Ready::Check(..) | Ready::Operation { .. } => 0,
        }
    }

    /// Which of these occur in a world.
    pub(in crate::explore) fn occurs(&self, world: &World) -> u8 {
        let any =
            |test: &Named| world.all_stacks_in(None).iter().any(|stack| admits(world, &test.test, stack.cell_class()));
        let bits = |first: bool, second: bool| (u8::from(first) * FIRST) | (u8::from(second) * SECOND);
        match self {
            Ready::NoneIn(test, path) => {
                let is_entered = world.place(path, None).is_ok_and(|place| !world.stacks_in(Some(place)).is_empty());
                bits(any(test), is_entered)
            }
            Ready::NoneWith(one, other) => bits(any(one), any(other)),
            Ready::AllIn(test, _) => bits(any(test), false),
            Ready::InAll { what, .. } => bits(world.count(*what, None) > 0, false),
            Ready::Check(
                Check::Measure { claim: Measured::Count(_, path), .. },
                OfCheck { counted: Some(what), .. },
            ) => {
                if path.as_ref().is_some_and(|path| path.group().is_some()) {
                    let counts =
                        |path: &&Path| world.place(path, None).is_ok_and(|at| world.count(*what, Some(at)) > 0);
                    return bits(self.places().iter().any(counts), false);
                }
                let place = path.as_ref().map(|path| world.place(path, None)).transpose();
                bits(place.is_ok_and(|place| world.count(*what, place) > 0), false)
            }
            Ready::Check(check, _) => bits(self.places().into_iter().any(|path| is_used(world, check, path)), false),
            Ready::Operation { .. } => 0,
        }
    }

    /// What the claim speaks of and what never occurred.
    pub(in crate::explore) fn why_vacuous(&self, occurred: u8, verbs: &[VerbUse]) -> Vec<String> {
        let missing = self.speaks_of() & !occurred;
        let mut found = Vec::new();
        let mut note = |bit: u8, text: String| found.extend((missing & bit != 0).then_some(text));
        match self {
            Ready::NoneIn(test, path) => {
                note(FIRST, format!("no item was `{}`", test.text));
                note(SECOND, format!("{path} was always empty"));
            }
            Ready::NoneWith(one, other) => {
                note(FIRST, format!("no item was `{}`", one.text));
                note(SECOND, format!("no item was `{}`", other.text));
            }
            Ready::AllIn(test, _) => note(FIRST, format!("no item was `{}`", test.text)),
            Ready::InAll { name, .. } => note(FIRST, format!("the world never had any {name}")),
            Ready::Check(Check::Measure { claim: Measured::Count(name, path), .. }, _) => match path {
                Some(path) => note(FIRST, format!("{path} never contained any {name}")),
                None => note(FIRST, format!("the world never had any {name}")),
            },
            Ready::Check(Check::Open { container, holder, .. }, _) => {
                note(FIRST, format!("{container} was never open to {holder}"));
            }
            Ready::Check(Check::Works { container, .. }, _) => {
                note(FIRST, format!("{container} never worked on anything"));
            }
            Ready::Check(Check::Shortcuts { holder, .. }, _) => note(FIRST, format!("{holder} never had a shortcut")),
            Ready::Check(Check::PointsAt { shortcut, .. }, _) => {
                note(FIRST, format!("{shortcut} was always empty"));
            }
            Ready::Check(Check::Measure { claim: claim @ Measured::Meter(..), .. }, _) => {
                note(FIRST, format!("{claim} was always at its start"));
            }
            Ready::Check(..) => {
                let places: Vec<String> = self.places().into_iter().map(ToString::to_string).collect();
                note(FIRST, format!("{} was always empty", places.join(", ")));
            }
            Ready::Operation { pattern, .. } => match verbs.iter().find(|it| it.verb == pattern.verb) {
                None => found.push(format!("`{}` is not in the scope", pattern.verb.word())),
                Some(used) if used.applied == 0 => found.push(format!("`{}` was never applied", pattern.verb.word())),
                Some(_) => {}
            },
        }
        found
    }
}

/// The things that a claim speaks of.
const FIRST: u8 = 1;
const SECOND: u8 = 2;

/// Whether something is at a place that a check names, or whatever else the check is about.
fn is_used(world: &World, check: &Check, path: &Path) -> bool {
    let Ok(place) = world.place(path, None) else { return false };
    let is_bound = |holder: HolderId| world.shortcuts(holder).any(|kind| kind.is_some());
    match (check, place) {
        (Check::Open { holder, .. }, Place::Container(container)) => match world.place(holder, None) {
            Ok(Place::Holder(holder)) => world.has_opened(holder, container),
            _ => false,
        },
        (Check::Open { .. }, _) => false,
        (Check::Works { .. }, Place::Container(container)) => world.job(container).is_some(),
        (Check::Shortcuts { .. }, Place::Holder(holder)) => is_bound(holder),
        (Check::PointsAt { .. }, Place::Shortcut(holder, nth)) => {
            world.shortcuts(holder).nth(nth as usize).flatten().is_some()
        }
        (Check::Measure { claim: Measured::Meter(name, _), .. }, Place::Holder(holder)) => {
            world.meters(holder).any(|(meter, value)| meter.name() == name.as_str() && value != meter.start())
        }
        _ => !world.stacks_in(Some(place)).is_empty(),
    }
}

/// A count speaks of items only if it is as claimed where there are none.
fn counts_if_zero(comparison: Comparison, number: &Decimal) -> u8 {
    if comparison.holds(&Decimal::default(), number) { FIRST } else { 0 }
}

/// What there is instead of what must be.
fn described(finding: &Finding) -> String {
    match finding {
        Finding::Contents { place, rows } => {
            let row = |row: &DifferenceRow| format!("{} {}", row.found, row.item);
            let wrong: Vec<String> = rows.iter().filter(|it| !it.matches).map(row).collect();
            format!("{place} has {}", wrong.join(", "))
        }
        Finding::Measure { what, found, unit, expected, expected_of, .. } => {
            let with_unit = |number: &Decimal| format!("{number} {unit}").trim_end().to_owned();
            let found = with_unit(found);
            match expected_of {
                Some(other) => format!("{what} is {found}, {other} is {}", with_unit(expected)),
                None => format!("{what} is {found}"),
            }
        }
        Finding::Answer { found, .. } => found.clone(),
        Finding::List { what, found, .. } => format!("{what}: {}", found.join(", ")),
        _ => "the check fails".to_owned(),
    }
}

fn admits(world: &World, test: &Test, (kind, class): (u32, u32)) -> bool {
    let rules = world.rules();
    match world.classes.key(class) {
        None => test.admits(&rules.known_kind_at(kind)),
        Some(key) => test.admits(&ClassView { rules, key }),
    }
}

/// Two stacks lie with each other if they are in one container, be it in packs.
fn lies_with(world: &World, one: &Test, other: &Test) -> Option<String> {
    for container in world.containers() {
        let stacks = world.all_stacks_in(Some(Place::Container(container)));
        let with =
            |test: &Test| stacks.iter().filter(|stack| admits(world, test, stack.cell_class())).collect::<Vec<_>>();
        let (ones, others) = (with(one), with(other));
        // One stack may satisfy both; it does not lie with itself.
        let pair = ones.iter().find_map(|first| Some((first, others.iter().find(|it| it.id() != first.id())?)));
        if let Some((first, second)) = pair {
            let (first, second) = (checks::item_text(**first), checks::item_text(**second));
            return Some(format!("{first} is with {second} in {}", world.container_name(container)));
        }
    }
    None
}
