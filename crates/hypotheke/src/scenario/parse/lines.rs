//! Single lines: contents, steps, answers, and checks.

use super::super::tree::{Check, Claim, Expected, Figures, ListStep, Mode, Operand, SentRequest, StartLine, Step};
use super::Parsed;
use crate::language::{LineParser, Path, PathRoot, Position, SentenceError, Verb};
use crate::ops::Reason;
use crate::replication::RequestId;
use crate::text::{Word, nearest};

pub(crate) fn start_line(parser: &mut LineParser<'_, '_>) -> Parsed<StartLine> {
    let place = parser.path()?;
    let at = position(parser, &place)?;
    parser.require_colon()?;
    let contents = parser.portions()?;
    parser.end()?;
    Ok(StartLine { place, at, contents })
}

/// `at 2.5,-1` after `ground`, or nothing.
fn position(parser: &mut LineParser<'_, '_>, place: &Path) -> Parsed<Option<Position>> {
    if !parser.keyword("at") {
        return Ok(None);
    }
    let position = parser.position()?;
    if *place.root() == PathRoot::Ground && place.steps().is_empty() {
        return Ok(Some(position));
    }
    let error = SentenceError::new(place.span(), format!("`{place}` has no positions"));
    Err(error.help("Only the ground has positions: `ground at 2.5,-1: 1 flare`"))
}

/// A step on one line.
pub(super) fn step(parser: &mut LineParser<'_, '_>) -> Parsed<Step> {
    if parser.keyword("now") {
        return check(parser).map(Step::Now);
    }
    if parser.keyword("do") {
        return name_to_the_end(parser, "the name of shared steps").map(Step::Do);
    }
    if parser.keyword("snapshot") {
        return name_to_the_end(parser, "a name for this snapshot").map(Step::Snapshot);
    }
    if parser.keyword("save") {
        parser.require_keyword("then")?;
        parser.require_keyword("load")?;
        parser.end()?;
        return Ok(Step::SaveThenLoad);
    }
    if parser.keyword("undo") {
        return undo(parser);
    }
    if parser.keyword_ahead("request") || parser.keyword_ahead("at") {
        return request(parser);
    }
    let operation = parser.operation()?;
    Ok(Step::Operation(operation, answer(parser)?))
}

/// `undo`, `undo revision 3 -> refused: stale`
fn undo(parser: &mut LineParser<'_, '_>) -> Parsed<Step> {
    let revision = if parser.keyword("revision") { Some(u64::from(parser.count()?)) } else { None };
    let here = parser.here();
    match answer(parser)? {
        expected @ (Expected::Complete | Expected::Refused { .. }) => Ok(Step::Undo { revision, expected }),
        Expected::Done { .. } | Expected::Unchanged => {
            let error = SentenceError::new(here, "an undo has no amount");
            Err(error.help("Write no result, or `-> refused: stale`"))
        }
    }
}

/// `request first at revision 2: move 1 flare from depot to sled`
fn request(parser: &mut LineParser<'_, '_>) -> Parsed<Step> {
    let id = if parser.keyword("request") { Some(parser.word("the id of the request")?) } else { None };
    if let Some(id) = id.as_ref().filter(|id| id.as_str().parse::<RequestId>().is_err()) {
        return Err(SentenceError::new(id.span(), "the id of a request has 1 to 64 bytes"));
    }
    let expects = if parser.keyword("at") {
        parser.require_keyword("revision")?;
        Some(u64::from(parser.count()?))
    } else {
        None
    };
    parser.require_colon()?;
    let operation = parser.operation()?;
    Ok(Step::Request(Box::new(SentRequest { id, expects, operation }), answer(parser)?))
}

fn name_to_the_end(parser: &mut LineParser<'_, '_>, what: &str) -> Parsed<Word> {
    let name = parser.word(what)?;
    parser.end()?;
    Ok(name)
}

/// The end of an operation's line.
pub(super) fn answer(parser: &mut LineParser<'_, '_>) -> Parsed<Expected> {
    let expected = if parser.take_arrow() { expected(parser)? } else { Expected::Complete };
    parser.end()?;
    Ok(expected)
}

fn expected(parser: &mut LineParser<'_, '_>) -> Parsed<Expected> {
    if parser.keyword("refused") {
        return refused(parser);
    }
    if parser.keyword("nothing") {
        parser.require_keyword("changed")?;
        return Ok(Expected::Unchanged);
    }
    let verb = parser.word("a result, such as `moved 2` or `refused`")?;
    let mut answers = Verb::ALL.into_iter().map(|verb| verb.row().first_word_of_answer());
    if !answers.clone().any(|answer| answer == verb.as_str()) {
        let known = answers.by_ref().chain(["refused"]);
        let error = SentenceError::new(verb.span(), format!("unknown result `{verb}`"));
        let meant = nearest(verb.as_str(), known).unwrap_or("moved");
        return Err(error.help(format!("Write `-> {meant}{}`", if meant == "refused" { "" } else { " 2" })));
    }
    if verb.as_str() == "picked" {
        parser.require_keyword("up")?;
    }
    let count = u64::from(parser.count()?);
    let requested = if parser.keyword("of") { Some(u64::from(parser.count()?)) } else { None };
    Ok(Expected::Done { count, requested })
}

fn refused(parser: &mut LineParser<'_, '_>) -> Parsed<Expected> {
    let (mut reason, mut figures) = (None, None);
    let at = list_step(parser)?;
    if parser.take_colon() {
        reason = Some(reason_word(parser)?);
        figures = if parser.take_comma() { Some(Box::new(self::figures(parser)?)) } else { None };
    }
    let max_amount = if parser.take_semicolon() {
        parser.require_keyword("up")?;
        parser.require_keyword("to")?;
        Some(u64::from(parser.count()?))
    } else {
        None
    };
    Ok(Expected::Refused { reason, figures, at, max_amount })
}

/// `in step 2`, `at the end`, or nothing.
fn list_step(parser: &mut LineParser<'_, '_>) -> Parsed<Option<ListStep>> {
    if parser.keyword("in") {
        parser.require_keyword("step")?;
        let here = parser.here();
        return match parser.count()? {
            0 => Err(SentenceError::new(here, "the first step is step 1")),
            step => Ok(Some(ListStep::Step(step))),
        };
    }
    if parser.keyword("at") {
        parser.require_keyword("the")?;
        parser.require_keyword("end")?;
        return Ok(Some(ListStep::End));
    }
    Ok(None)
}

fn reason_word(parser: &mut LineParser<'_, '_>) -> Parsed<Reason> {
    let word = parser.word("a reason")?;
    Reason::from_code(word.as_str()).ok_or_else(|| {
        let codes = Reason::ALL.map(Reason::code);
        let help = match nearest(word.as_str(), codes) {
            Some(code) => format!("Did you mean `{code}`?"),
            None => format!("The reasons are {}", codes.join(", ")),
        };
        SentenceError::new(word.span(), format!("unknown reason `{word}`")).help(help)
    })
}

/// `204 kg of 180 kg`, `7 of 5`
fn figures(parser: &mut LineParser<'_, '_>) -> Parsed<Figures> {
    let requested = parser.decimal()?;
    let unit = if parser.keyword_ahead("of") { None } else { Some(parser.word("`of`")?) };
    parser.require_keyword("of")?;
    let allowed = parser.decimal()?;
    if let Some(unit) = unit.as_ref().filter(|_| parser.word_ahead()) {
        parser.require_keyword(unit.as_str())?;
    }
    Ok(Figures { requested, allowed, unit })
}

pub(crate) fn check(parser: &mut LineParser<'_, '_>) -> Parsed<Check> {
    let check = match claim(parser)? {
        Some(claim) => {
            let comparison = parser.comparison()?;
            Check::Measure { claim, comparison, operand: operand(parser)? }
        }
        None => other_check(parser)?,
    };
    parser.end()?;
    Ok(check)
}

fn operand(parser: &mut LineParser<'_, '_>) -> Parsed<Operand> {
    if let Some(claim) = claim(parser)? {
        if parser.keyword("at") {
            parser.require_keyword("start")?;
            return Ok(Operand::AtStart(claim));
        }
        return Ok(Operand::Measured(claim));
    }
    let number = parser.decimal()?;
    let unit = if parser.is_empty() { None } else { Some(parser.word("a unit")?) };
    Ok(Operand::Number { number, unit })
}

fn other_check(parser: &mut LineParser<'_, '_>) -> Parsed<Check> {
    if parser.keyword("encumbrance") {
        parser.require_keyword("of")?;
        let holder = parser.path()?;
        parser.require_colon()?;
        let label =
            if parser.keyword("nothing") { None } else { Some(parser.word("an encumbrance step or `nothing`")?) };
        return Ok(Check::Encumbrance { holder, label });
    }
    if parser.keywords(&["origin", "of"]) {
        let holder = parser.path()?;
        parser.require_colon()?;
        let slot = if parser.keyword("nothing") { None } else { Some(parser.path()?) };
        return Ok(Check::Origin { holder, slot });
    }
    if parser.keywords(&["owner", "of"]) {
        let container = parser.path()?;
        parser.require_colon()?;
        return Ok(Check::Owner { container, owner: parser.owner()? });
    }
    if parser.keyword("shortcuts") {
        parser.require_keyword("of")?;
        let holder = parser.path()?;
        parser.require_colon()?;
        return Ok(Check::Shortcuts { holder, kinds: shortcuts(parser)? });
    }
    if parser.keywords(&["places", "of"]) {
        let name = parser.word("a kind, a tag or a mark")?;
        parser.require_colon()?;
        return Ok(Check::Places { name, places: places(parser)? });
    }
    if parser.keyword("unchanged") {
        parser.require_keyword("since")?;
        return Ok(Check::UnchangedSince { snapshot: parser.word("the name of a snapshot, or `start`")? });
    }
    if parser.keyword("nothing") {
        parser.require_keyword("changed")?;
        return Ok(Check::NothingChanged);
    }
    if parser.events_ahead() {
        let _ = parser.word("events")?;
        let mode = mode(parser)?;
        return Ok(Check::Events { mode, events: parser.events()? });
    }
    check_of_place(parser)
}

/// What begins with a place.
fn check_of_place(parser: &mut LineParser<'_, '_>) -> Parsed<Check> {
    let place = parser.path()?;
    if let Some(position) = position(parser, &place)? {
        let mode = mode(parser)?;
        return Ok(Check::LyingAt { position, mode, contents: parser.portions()? });
    }
    if parser.keyword("is") {
        let open = parser.keyword("open");
        if !open && !parser.keyword("closed") {
            return Err(parser.expected("`open to` or `closed to`"));
        }
        parser.require_keyword("to")?;
        return Ok(Check::Open { container: place, holder: parser.path()?, open });
    }
    if parser.keyword("works") {
        parser.require_keyword("on")?;
        if parser.keyword("nothing") {
            return Ok(Check::Works { container: place, job: None });
        }
        let times = if parser.number_ahead() { parser.count()? } else { 1 };
        let recipe = parser.word("a recipe or `nothing`")?;
        let left = if parser.keyword("for") { Some(parser.count()?) } else { None };
        return Ok(Check::Works { container: place, job: Some((times, recipe, left)) });
    }
    if parser.keyword("points") {
        return Ok(Check::PointsAt { shortcut: place, kind: parser.pointed_at()? });
    }
    let mode = mode(parser)?;
    Ok(Check::Contents { place, mode, contents: parser.portions()? })
}

/// `:` or `has:`
fn mode(parser: &mut LineParser<'_, '_>) -> Parsed<Mode> {
    let mode = if parser.keyword("has") { Mode::AtLeast } else { Mode::Exactly };
    parser.require_colon()?;
    Ok(mode)
}

fn places(parser: &mut LineParser<'_, '_>) -> Parsed<Vec<Path>> {
    if parser.keyword("nothing") {
        return Ok(Vec::new());
    }
    let mut places = vec![parser.path()?];
    while parser.take_comma() {
        places.push(parser.path()?);
    }
    Ok(places)
}

fn shortcuts(parser: &mut LineParser<'_, '_>) -> Parsed<Vec<Option<Word>>> {
    let mut kinds = Vec::new();
    loop {
        kinds.push(if parser.keyword("nothing") { None } else { Some(parser.word("a kind or `nothing`")?) });
        if !parser.take_comma() {
            return Ok(kinds);
        }
    }
}

/// A place, or that of each member of a group: `each crew`, `each crew.pockets`.
fn measured_place(parser: &mut LineParser<'_, '_>) -> Parsed<Path> {
    if parser.keyword("each") { parser.path().map(Path::of_each) } else { parser.path() }
}

/// What a measure begins with; nothing if the line is none.
fn claim(parser: &mut LineParser<'_, '_>) -> Parsed<Option<Claim>> {
    if parser.keyword("weight") {
        parser.require_keyword("of")?;
        return measured_place(parser).map(Claim::Weight).map(Some);
    }
    if parser.keywords(&["value", "of"]) {
        return measured_place(parser).map(Claim::Value).map(Some);
    }
    if parser.keyword("attribute") {
        let name = parser.word("an attribute")?;
        parser.require_keyword("of")?;
        return measured_place(parser).map(|holder| Some(Claim::Attribute(name, holder)));
    }
    if parser.keywords(&["room", "for"]) {
        let kind = parser.word("a kind")?;
        parser.require_keyword("in")?;
        return measured_place(parser).map(|place| Some(Claim::RoomFor(kind, place)));
    }
    if parser.keyword("free") {
        parser.require_keyword("slots")?;
        parser.require_keyword("of")?;
        return measured_place(parser).map(Claim::FreeSlots).map(Some);
    }
    if parser.keyword("count") {
        parser.require_keyword("of")?;
        let name = parser.word("a kind, a tag or a mark")?;
        let place = if parser.keyword("in") { Some(measured_place(parser)?) } else { None };
        return Ok(Some(Claim::Count(name, place)));
    }
    if parser.name_of_ahead() {
        let name = parser.word("a meter")?;
        parser.require_keyword("of")?;
        return measured_place(parser).map(|holder| Some(Claim::Meter(name, holder)));
    }
    Ok(None)
}
