//! What must hold of every world that play can reach, never happen, or stay possible.

use std::fmt;

use crate::filter::{Comparison, Filter, Test};
use crate::id::KindId;
use crate::language::{LineParser, Path, SentenceError, lex};
use crate::ops::{Action, Operation};
use crate::quantity::Decimal;
use crate::ruleset::What;
use crate::scenario::parse::lines;
use crate::scenario::{Check, Claim as Measured, DifferenceRow, Finding, Line, hold};
use crate::text::{Span, Word};
use crate::world::{Class, ClassView, Event, Place, Spot, World};

/// What a claim says.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum ClaimKind {
    /// It holds of every world.
    Always,
    /// Such an operation is never applied.
    Never,
    /// Some world is so.
    Possible,
    /// From every world such a world can be reached.
    Recoverable,
}

impl ClaimKind {
    /// All of them.
    pub const ALL: [ClaimKind; 4] = [ClaimKind::Always, ClaimKind::Never, ClaimKind::Possible, ClaimKind::Recoverable];

    /// As it is written.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            ClaimKind::Always => "always",
            ClaimKind::Never => "never",
            ClaimKind::Possible => "possible",
            ClaimKind::Recoverable => "recoverable",
        }
    }
}

/// A claim as it is written.
#[derive(Clone, Debug)]
pub struct Claim {
    pub(super) kind: ClaimKind,
    pub(super) text: String,
    pub(super) span: Span,
    pub(super) said: Said,
}

impl Claim {
    /// What sort of claim it is.
    #[must_use]
    pub fn kind(&self) -> ClaimKind {
        self.kind
    }

    /// Where it stands in the file.
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

impl fmt::Display for Claim {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.kind.word(), self.text)
    }
}

/// A sentence, its names not looked up yet.
#[derive(Clone, Debug)]
pub(super) enum Said {
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
pub(super) struct Part {
    pub(super) filter: Filter,
    /// Where its text begins in the file.
    pub(super) origin: usize,
}

/// Operations that are alike.
#[derive(Clone, Debug)]
pub(super) struct Pattern {
    pub(super) verb: Word,
    pub(super) name: Option<Word>,
    pub(super) from: Option<Path>,
    pub(super) to: Option<Path>,
}

pub(super) const VERBS: [&str; 15] = [
    "move", "swap", "drop", "pick-up", "equip", "unequip", "lift", "put", "return", "open", "close", "mark", "unmark",
    "create", "consume",
];

pub(super) fn read(kind: ClaimKind, content: &str, offset: usize) -> Result<Said, SentenceError> {
    let mut tokens = Vec::new();
    lex(content, offset, &mut tokens);
    let mut parser = LineParser::new(&tokens, Span::new(offset, offset + content.len()));
    if kind == ClaimKind::Never {
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
        return in_all(&mut parser);
    }
    let check = lines::check(&mut parser)?;
    let span = Span::new(offset, offset + content.len());
    if matches!(check, Check::Events { .. } | Check::SameWorld { .. } | Check::NothingChanged) {
        let error = SentenceError::new(span, "this is about more than one world");
        return Err(error.help("a claim is about each world by itself"));
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
        let error = SentenceError::new(whole, "here is missing where");
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
        let told = SentenceError::new(error.span().shifted(origin), error.to_string());
        match error.help_text() {
            Some(help) => told.help(help),
            None => told,
        }
    })?;
    Ok(Part { filter, origin })
}

fn in_all(parser: &mut LineParser<'_, '_>) -> Result<Said, SentenceError> {
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
    let mut verb = parser.word("what is never done, such as `drop logbook`")?;
    if verb.as_str() == "pick" && parser.keyword("up") {
        verb = Word::new("pick-up", verb.span());
    }
    if !VERBS.contains(&verb.as_str()) {
        let error = SentenceError::new(verb.span(), format!("`{verb}` is nothing that is played"));
        return Err(error.help(format!("it is one of {}", VERBS.join(", "))));
    }
    let is_place = |parser: &LineParser<'_, '_>| ["from", "to", "in"].iter().any(|word| parser.keyword_ahead(word));
    // What is opened or closed is a place, and no item.
    let is_door = matches!(verb.as_str(), "open" | "close");
    let has_name = !(parser.is_empty() || is_place(parser) || is_door);
    let name = if has_name { Some(parser.word("a kind, a tag or a mark")?) } else { None };
    let is_named = is_door && !parser.is_empty() && !is_place(parser);
    let from = if is_named || parser.keyword("from") { Some(parser.path()?) } else { None };
    let to = if parser.keyword("to") || parser.keyword("in") { Some(parser.path()?) } else { None };
    parser.end()?;
    Ok(Pattern { verb, name, from, to })
}

/// A claim with all names looked up.
#[derive(Clone, Debug)]
pub(super) enum Ready {
    /// Of a count, what is counted.
    Check(Check, Option<What>),
    NoneWith(Test, Test),
    NoneIn(Test, Path),
    AllIn(Test, Path),
    InAll {
        what: What,
        name: String,
        comparison: Comparison,
        number: Decimal,
    },
    Operation {
        pattern: Pattern,
        what: Option<What>,
    },
}

/// Whether a count is as it is said to be. Most often it is, and nothing has to be told.
fn is_right_count(world: &World, check: &Check, what: What) -> bool {
    let Check::Measure { claim: Measured::Count(_, path), comparison, number, .. } = check else { return false };
    let Ok(place) = path.as_ref().map(|path| world.place(path, None)).transpose() else { return false };
    comparison.holds(&hold::whole(world.count(what, place)), number)
}

impl Ready {
    /// What is wrong with a world, if it is not so.
    pub(super) fn wrong(&self, world: &World) -> Option<String> {
        match self {
            Ready::Check(check, Some(what)) if is_right_count(world, check, *what) => None,
            Ready::Check(check, _) => match hold::finding(world, check) {
                Ok(None) => None,
                Ok(Some(finding)) => Some(told(&finding)),
                Err(unknown) => Some(unknown.to_string()),
            },
            Ready::NoneWith(one, other) => lies_with(world, one, other),
            Ready::NoneIn(test, path) => {
                let place = world.place(path, None).ok()?;
                let found =
                    world.all_stacks_in(Some(place)).into_iter().find(|stack| admits(world, test, stack.cell_class()));
                found.map(|stack| format!("{} lies in {path}", hold::item_text(stack)))
            }
            Ready::AllIn(test, path) => {
                let inside: Vec<_> = match world.place(path, None) {
                    Ok(place) => world.all_stacks_in(Some(place)).iter().map(|stack| stack.id()).collect(),
                    Err(_) => Vec::new(),
                };
                let all = world.all_stacks_in(None).into_iter();
                let found = all
                    .filter(|stack| admits(world, test, stack.cell_class()))
                    .find(|stack| !inside.contains(&stack.id()));
                found.map(|stack| {
                    let at = world.place_of(stack.id()).map_or_else(String::new, |place| world.place_name(place));
                    format!("{} lies at {at}, not in {path}", hold::item_text(stack))
                })
            }
            Ready::InAll { what, name, comparison, number } => {
                let on_ground = world.count(*what, Some(Place::Ground));
                let count = world.count(*what, None).saturating_sub(on_ground);
                let found = Decimal::from(u32::try_from(count).unwrap_or(u32::MAX));
                let told = || format!("count of {name} in all containers is {found}");
                (!comparison.holds(&found, number)).then(told)
            }
            Ready::Operation { .. } => None,
        }
    }

    /// The places that it names.
    pub(super) fn places(&self) -> Vec<&Path> {
        match self {
            Ready::Check(Check::Places { places, .. }, _) => places.iter().collect(),
            Ready::Check(Check::Measure { claim, .. }, _) => claim.place().into_iter().collect(),
            Ready::Check(Check::Contents { place, .. }, _) | Ready::NoneIn(_, place) | Ready::AllIn(_, place) => {
                vec![place]
            }
            Ready::Operation { pattern, .. } => pattern.from.iter().chain(&pattern.to).collect(),
            // Holders, shortcuts and whole containers.
            Ready::Check(..) | Ready::NoneWith(..) | Ready::InAll { .. } => Vec::new(),
        }
    }

    /// Whether an operation is one that is spoken of, before it is played. Where it names no slot, what it takes is known when it was
    /// played: [`Ready::was_meant`].
    pub(super) fn is_meant(&self, world: &World, operation: &Operation) -> bool {
        let Ready::Operation { pattern, what } = self else { return false };
        if let Action::Together { steps } = &operation.action {
            return steps.iter().any(|step| self.is_meant(world, step));
        }
        let (verb, from, to) = parts(&operation.action);
        if verb != pattern.verb.as_str() {
            return false;
        }
        let lies_at = |place: &Option<Place>, path: &Path| {
            let (Some(place), Ok(wanted)) = (place, world.place(path, None)) else { return false };
            is_within(world, *place, wanted)
        };
        let any_there = |place: Place, what: What| world.stacks_in(Some(place)).iter().any(|stack| stack.is(what));
        let named = what.is_none_or(|what| match (&operation.action, from) {
            (Action::Create { kind, .. }, _) => match what {
                What::Kind(wanted) => wanted == *kind,
                What::Tag(tag) => world.rules().kind(*kind).has_tag(tag),
                What::Mark(_) => false,
            },
            (Action::Swap { one, other }, _) => any_there(*one, what) || any_there(*other, what),
            (Action::Put { .. } | Action::Return { .. }, _) => {
                let held = operation.actor.and_then(|actor| world.hand(actor));
                held.is_some_and(|stack| stack.is(what))
            }
            (_, Some(from)) => any_there(from, what),
            // It goes from wherever it lies.
            (Action::PickUp { .. }, None) => any_there(Place::Ground, what),
            _ => false,
        });
        named
            && pattern.from.as_ref().is_none_or(|path| lies_at(&from, path))
            && pattern.to.as_ref().is_none_or(|path| lies_at(&to, path))
    }

    /// Whether what the latest operation took is what is spoken of; told of one that [is meant](Ready::is_meant).
    pub(super) fn was_meant(&self, world: &World) -> bool {
        let Ready::Operation { what: Some(what), .. } = self else { return true };
        let is_it = |kind: KindId, class: Class| match what {
            What::Kind(wanted) => kind == *wanted,
            What::Tag(tag) => world.rules().kind(kind).has_tag(*tag),
            What::Mark(mark) => world.classes.key(class.0).is_some_and(|key| key.marks.contains(mark)),
        };
        world.events().iter().any(|event| match event {
            Event::Transferred { kind, class, .. } => is_it(*kind, *class),
            // What is exchanged, changed or opened names its slot.
            _ => true,
        }) || world.events().is_empty()
    }
}

fn parts(action: &Action) -> (&'static str, Option<Place>, Option<Place>) {
    match action {
        Action::Move { from, to, .. } => ("move", Some(*from), Some(*to)),
        Action::Swap { one, other } => ("swap", Some(*one), Some(*other)),
        Action::Drop { from, .. } => ("drop", Some(*from), Some(Place::Ground)),
        Action::PickUp { from, to, .. } => ("pick-up", from.map(Place::OnGround), Some(*to)),
        Action::Equip { from, .. } => ("equip", Some(*from), None),
        Action::Unequip { from, .. } => ("unequip", Some(*from), None),
        Action::Lift { from, .. } => ("lift", Some(*from), None),
        Action::Put { to, .. } => ("put", None, Some(*to)),
        Action::Return { .. } => ("return", None, None),
        Action::Open { at } => ("open", Some(*at), None),
        Action::Close { at } => ("close", Some(*at), None),
        Action::Mark { at, .. } => ("mark", Some(*at), None),
        Action::Unmark { at, .. } => ("unmark", Some(*at), None),
        Action::Create { to, .. } => ("create", None, Some(*to)),
        Action::Consume { from, .. } => ("consume", Some(*from), None),
        _ => ("", None, None),
    }
}

/// Whether a place is another, or lies in it at any depth.
fn is_within(world: &World, place: Place, wanted: Place) -> bool {
    if place == wanted {
        return true;
    }
    let Place::Slot(container, _) = place else {
        return matches!((place, wanted), (Place::OnGround(_), Place::Ground));
    };
    let around = around(world, container.index);
    let outer = around.last().copied().unwrap_or(container.index);
    match wanted {
        Place::Container(wanted) => around.contains(&wanted.index),
        Place::Holder(holder) => world.carrier(world.container_id(outer)) == Some(holder),
        _ => false,
    }
}

/// A container and those around it, from the inside out.
pub(super) fn around(world: &World, container: u32) -> Vec<u32> {
    let outer = |&container: &u32| {
        let parent = world.state(container).parent;
        (parent != Spot::NOWHERE && !parent.is_ground()).then_some(parent.container)
    };
    std::iter::successors(Some(container), outer).collect()
}

/// What there is instead of what must be.
fn told(finding: &Finding) -> String {
    match finding {
        Finding::Contents { place, rows } => {
            let row = |row: &DifferenceRow| format!("{} {}", row.found, row.item);
            let wrong: Vec<String> = rows.iter().filter(|it| !it.holds).map(row).collect();
            format!("{place} has {}", wrong.join(", "))
        }
        Finding::Measure { what, found, unit, .. } => format!("{what} is {found} {unit}").trim_end().to_owned(),
        Finding::Answer { found, .. } => found.clone(),
        Finding::List { what, found, .. } => format!("{what}: {}", found.join(", ")),
        _ => "it is otherwise".to_owned(),
    }
}

fn admits(world: &World, test: &Test, (kind, class): (u32, u32)) -> bool {
    let rules = world.rules();
    match world.classes.key(class) {
        None => test.admits(&rules.kind(KindId(kind))),
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
            let (first, second) = (hold::item_text(**first), hold::item_text(**second));
            return Some(format!("{first} lies with {second} in {}", world.container_name(container)));
        }
    }
    None
}
