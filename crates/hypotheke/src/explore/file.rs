//! The file in which a designer writes claims, and what is played.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::claims::{Claim, ClaimKind, Part, Ready, Said, read};
use super::moves::{Fault, Plan, Verb};
use super::report::{Status, Verdict};
use crate::filter::Test;
use crate::language::{LineParser, SentenceError, TokenKind, lex};
use crate::ruleset::{FilterNames, Ruleset, What};
use crate::scenario::parse::{LONGEST_LINE, MOST_FAULTS, diagnostic, lines};
use crate::scenario::{Check, Claim as Measured, Line, ScenarioErrors, ScenarioFile, Start, StartBase};
use crate::text::{Diagnostic, Diagnostics, Location, Source, SourceId, Span, Word, suggestion};
use crate::world::World;

/// Claims, and what is played to find out whether they hold.
///
/// ```text
/// start as ruleset
///
/// play
///   actors surveyor
///   verbs move, swap, drop, pick-up
///
/// always
///   count of fuel in sled <= 8
///   no sample and contaminated lies with sample and not contaminated
///
/// never
///   drop logbook
/// ```
#[derive(Clone, Debug)]
pub struct ClaimsFile {
    source: Source,
    start: Option<Start>,
    play: Play,
    claims: Vec<Claim>,
}

/// What is played, as it is written. What is not written is as the ruleset has it.
#[derive(Clone, Debug, Default)]
struct Play {
    actors: Option<Vec<Word>>,
    verbs: Option<Vec<Verb>>,
    containers: Option<Vec<Word>>,
    set: Vec<Word>,
    unset: Vec<Word>,
    created: Vec<(u32, Word)>,
    consumed: Vec<Word>,
    faults: Vec<Fault>,
    /// Whether there is a line of it at all.
    is_said: bool,
}

const FAULTS: [(&str, Fault); 2] = [("save-then-load", Fault::SaveThenLoad), ("leave", Fault::Leave)];

/// Where the next line belongs.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Section {
    Outside,
    Start,
    Play,
    Claims(ClaimKind),
    Skipped,
}

struct Reader {
    file: ClaimsFile,
    section: Section,
    faults: Vec<Diagnostic>,
}

impl ClaimsFile {
    /// Reads a file of claims.
    ///
    /// # Errors
    /// Every line that can't be read.
    pub fn parse(source: Source) -> Result<ClaimsFile, ScenarioErrors> {
        let text = source.clone();
        let file = ClaimsFile { source, start: None, play: Play::default(), claims: Vec::new() };
        let mut reader = Reader { file, section: Section::Outside, faults: Vec::new() };
        let mut offset = if text.text().starts_with('\u{feff}') { '\u{feff}'.len_utf8() } else { 0 };
        for line in text.text()[offset..].split_inclusive('\n') {
            reader.line(line.trim_end_matches(['\n', '\r']), offset);
            offset += line.len();
            if reader.faults.len() >= MOST_FAULTS {
                break;
            }
        }
        let says_nothing = reader.file.claims.is_empty() && reader.file.start.is_none() && !reader.file.play.is_said;
        if says_nothing && reader.faults.is_empty() {
            let fault = Diagnostic::error("empty", Location::default(), "there is no claim in this file");
            reader.faults.push(fault.help("claims stand below a line `always`, `never`, `possible` or `recoverable`"));
        }
        if reader.faults.is_empty() {
            return Ok(reader.file);
        }
        Err(ScenarioErrors::new(Diagnostics::new(vec![text], reader.faults)))
    }

    /// The claims that a ruleset makes itself, in its section `[claims]`; none if it makes none.
    ///
    /// ```
    /// use hypotheke::Ruleset;
    /// use hypotheke::explore::{ClaimsFile, Exploration};
    ///
    /// let text = "format = 1\n[kind.flare]\n[container.sled]\nslots = 1\n\
    ///             [claims]\nalways = ['count of flare <= 1']\n";
    /// let rules = std::sync::Arc::new(Ruleset::from_toml("rules.toml", text)?);
    /// let claims = ClaimsFile::in_ruleset(&rules).unwrap().expect("it makes one");
    /// assert_eq!(claims.claims()[0].to_string(), "always count of flare <= 1");
    /// assert!(Exploration::new(&rules, &claims).unwrap().search().exhausted);
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    ///
    /// # Errors
    /// Every sentence that can't be read.
    pub fn in_ruleset(rules: &Ruleset) -> Result<Option<ClaimsFile>, ScenarioErrors> {
        let Some(source) = rules.sources().first().cloned().filter(|_| !rules.source.claims.is_empty()) else {
            return Ok(None);
        };
        let file = ClaimsFile { source: source.clone(), start: None, play: Play::default(), claims: Vec::new() };
        let mut reader = Reader { file, section: Section::Outside, faults: Vec::new() };
        for (key, sentence) in &rules.source.claims {
            let kind = ClaimKind::ALL.into_iter().find(|kind| kind.word() == *key);
            reader.section = kind.map_or(Section::Play, Section::Claims);
            let text = sentence.value.as_str();
            // Within the quotes, if it stands there letter by letter.
            let offset = sentence.at.span.start() + 1;
            if source.text().get(offset..offset + text.len()) == Some(text) && text.trim() == text && !text.is_empty() {
                reader.content(text, offset);
            } else {
                let fault = Diagnostic::error("bad-claim", sentence.at, "this sentence can't be read as it stands");
                reader
                    .faults
                    .push(fault.help("write it in single quotes, without escapes and without blanks around it"));
            }
        }
        if reader.faults.is_empty() {
            return Ok(Some(reader.file));
        }
        Err(ScenarioErrors::new(Diagnostics::new(vec![source], reader.faults)))
    }

    /// The text that it was read from.
    #[must_use]
    pub fn source(&self) -> &Source {
        &self.source
    }

    /// What breaks a claim, as a scenario that fails until the rules are mended: from as much of the start as it takes the same steps, of
    /// which the last is expected to be refused. None for a claim that is not broken, or is so at the start.
    ///
    /// ```
    /// use hypotheke::explore::{ClaimsFile, Exploration};
    /// use hypotheke::text::Source;
    /// use hypotheke::{Ruleset, ScenarioFile};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("flare", |kind| kind)
    ///     .container("depot", |depot| depot.slots(1))
    ///     .container("sled", |sled| sled.slots(1))
    ///     .build()?
    ///     .into();
    /// let text = "start\n  depot: 1 flare\nnever\n  move flare to sled\n";
    /// let claims = ClaimsFile::parse(Source::new("a.claims", text)).unwrap();
    /// let found = Exploration::new(&rules, &claims).unwrap().search();
    /// let scenario = claims.scenario_of(&found.verdicts[0]).unwrap();
    /// assert!(scenario.ends_with("    move 1 flare from depot/0 to sled/0  -> refused\n"));
    /// assert!(ScenarioFile::parse(Source::new("a.scenario", &*scenario)).is_ok());
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn scenario_of(&self, verdict: &Verdict) -> Option<String> {
        let Status::Broken(trail) = &verdict.status else { return None };
        let (last, steps) = trail.steps.split_last()?;
        let mut text = format!("# {}\nscenario {}\n", self.source.name(), verdict.claim);
        if let Some(lines) = &trail.start {
            text.push_str("  start\n");
            lines.iter().for_each(|line| text.push_str(&format!("    {line}\n")));
        } else if let Some(start) = &self.start {
            text.push_str(if start.base == StartBase::Ruleset { "  start as ruleset\n" } else { "  start\n" });
            for line in &start.lines {
                text.push_str(&format!("    {}\n", self.source.text()[line.span.start()..line.span.end()].trim_end()));
            }
        }
        text.push_str("  steps\n");
        steps.iter().for_each(|step| text.push_str(&format!("    {step}\n")));
        text.push_str(&format!("    {last}  -> refused\n"));
        Some(text)
    }

    /// The claims, in the order in which they are written.
    #[must_use]
    pub fn claims(&self) -> &[Claim] {
        &self.claims
    }
}

impl Reader {
    fn line(&mut self, content: &str, offset: usize) {
        let content = comment_of(content).map_or(content, |at| &content[..at]);
        let trimmed = content.trim();
        if trimmed.is_empty() {
            return;
        }
        let offset = offset + (content.len() - content.trim_start().len());
        let span = Span::new(offset, offset + trimmed.len());
        if trimmed.len() > LONGEST_LINE {
            let error = SentenceError::new(span, "this line is too long to be read");
            self.faults.push(diagnostic(&error));
            return;
        }
        if content.len() == content.trim_start().len() {
            self.heading(trimmed, span);
            return;
        }
        self.content(trimmed, offset);
    }

    /// A line below a heading, without its comment.
    fn content(&mut self, trimmed: &str, offset: usize) {
        let span = Span::new(offset, offset + trimmed.len());
        let mut tokens = Vec::new();
        lex(trimmed, offset, &mut tokens);
        tokens.retain(|token| token.kind != TokenKind::Comment);
        let mut parser = LineParser::new(&tokens, span);
        let read = match self.section {
            Section::Skipped => Ok(()),
            Section::Outside => Err(SentenceError::new(span, "this stands below no heading")
                .help("headings are `start`, `play`, `always`, `never`, `possible` and `recoverable`")),
            Section::Start => lines::start_line(&mut parser).map(|item| {
                let line = Line { item, span, comments: Vec::new(), remark: None };
                self.file.start.get_or_insert_default().lines.push(line);
            }),
            Section::Play => self.file.play.line(&mut parser),
            Section::Claims(kind) => read(kind, trimmed, offset)
                .map(|said| self.file.claims.push(Claim { kind, text: trimmed.to_owned(), span, said })),
        };
        if let Err(error) = read {
            self.faults.push(diagnostic(&error));
        }
    }

    fn heading(&mut self, text: &str, span: Span) {
        let claims = ClaimKind::ALL.into_iter().find(|kind| kind.word() == text).map(Section::Claims);
        self.section = match (text, claims) {
            (_, Some(section)) => section,
            ("play", _) => Section::Play,
            ("start", _) => {
                self.file.start.get_or_insert_default();
                Section::Start
            }
            ("start as ruleset", _) => {
                self.file.start.get_or_insert_default().base = StartBase::Ruleset;
                Section::Start
            }
            _ => {
                let first = text.split_whitespace().next().unwrap_or(text);
                let known = ["start", "play", "always", "never", "possible", "recoverable"];
                let error = SentenceError::new(span, format!("`{}` is no heading", crate::language::shortened(text)));
                let help = suggestion(first, known).unwrap_or_else(|| format!("headings are {}", known.join(", ")));
                self.faults.push(diagnostic(&error.help(help)));
                Section::Skipped
            }
        };
    }
}

/// Where a comment begins: at a `#` that begins the line or stands after a blank, and is no id such as `#12`.
fn comment_of(line: &str) -> Option<usize> {
    let begins = |at: usize| {
        let stands_apart = at == 0 || line[..at].ends_with([' ', '\t']);
        stands_apart && !line[at + 1..].starts_with(|next: char| next.is_ascii_digit())
    };
    line.match_indices('#').map(|(at, _)| at).find(|&at| begins(at))
}

fn words(parser: &mut LineParser<'_, '_>, what: &str) -> Result<Vec<Word>, SentenceError> {
    let mut words = vec![parser.word(what)?];
    while parser.take_comma() {
        words.push(parser.word(what)?);
    }
    parser.end()?;
    Ok(words)
}

impl Play {
    fn line(&mut self, parser: &mut LineParser<'_, '_>) -> Result<(), SentenceError> {
        self.is_said = true;
        if parser.keyword("actors") {
            self.actors = Some(words(parser, "a holder")?);
        } else if parser.keyword("containers") {
            self.containers = Some(words(parser, "a container")?);
        } else if parser.keyword("verbs") {
            let verb = |word: &Word| {
                let found = Verb::ALL.into_iter().find(|verb| verb.word() == word.as_str());
                found.ok_or_else(|| {
                    let error = SentenceError::new(word.span(), format!("`{word}` is no verb that is played"));
                    let known = Verb::ALL.map(Verb::word);
                    error.help(
                        suggestion(word.as_str(), known).unwrap_or_else(|| format!("they are {}", known.join(", "))),
                    )
                })
            };
            self.verbs = Some(words(parser, "a verb")?.iter().map(verb).collect::<Result<_, _>>()?);
        } else if parser.keyword("faults") {
            let fault = |word: &Word| {
                let found = FAULTS.into_iter().find(|(name, _)| *name == word.as_str());
                found.map(|(_, fault)| fault).ok_or_else(|| {
                    let error = SentenceError::new(word.span(), format!("`{word}` is no fault that is played"));
                    error.help("they are save-then-load, leave")
                })
            };
            self.faults = words(parser, "a fault")?.iter().map(fault).collect::<Result<_, _>>()?;
        } else if parser.keyword("mark") {
            self.set.extend(words(parser, "a mark")?);
        } else if parser.keyword("unmark") {
            self.unset.extend(words(parser, "a mark")?);
        } else if parser.keyword("consume") {
            self.consumed.extend(words(parser, "a kind")?);
        } else if parser.keyword("create") {
            parser.require_keyword("up")?;
            parser.require_keyword("to")?;
            let count = parser.count()?;
            self.created.push((count, parser.word("a kind")?));
            parser.end()?;
        } else {
            let error = parser.error("what is played begins with another word");
            return Err(error.help(
                "lines are `actors`, `verbs`, `containers`, `mark`, `unmark`, `create up to 3 KIND`, `consume`, `faults`",
            ));
        }
        Ok(())
    }
}

/// A file of claims whose names are all known to a ruleset.
pub(super) struct ReadyFile {
    pub(super) claims: Vec<(Claim, Ready)>,
    pub(super) plan: Plan,
    pub(super) world: World,
}

/// Looks up names; gathers what is wrong.
struct Names<'f> {
    file: &'f ClaimsFile,
    rules: &'f Arc<Ruleset>,
    faults: Vec<Diagnostic>,
}

impl ClaimsFile {
    /// What is played where no file says anything.
    pub(super) fn of_ruleset(rules: &Arc<Ruleset>) -> ReadyFile {
        let source = Source::new("", "");
        let file = ClaimsFile { source, start: None, play: Play::default(), claims: Vec::new() };
        let world = World::new(rules);
        let plan = Names { file: &file, rules, faults: Vec::new() }.plan(&world);
        ReadyFile { claims: Vec::new(), plan, world }
    }

    /// Looks up all names and lays out the start.
    pub(super) fn ready(&self, rules: &Arc<Ruleset>) -> Result<ReadyFile, ScenarioErrors> {
        let mut names = Names { file: self, rules, faults: Vec::new() };
        let blank = ScenarioFile::blank(self.source.clone());
        let world = blank.world_of(rules, self.start.as_ref()).map_err(|fault| names.faults.push(*fault)).ok();
        let claims: Vec<(Claim, Ready)> =
            self.claims.iter().filter_map(|claim| Some((claim.clone(), names.claim(&blank, claim)?))).collect();
        let plan = world.as_ref().map(|world| names.plan(world));
        match (world, plan) {
            (Some(world), Some(plan)) if names.faults.is_empty() => Ok(ReadyFile { claims, plan, world }),
            _ => Err(ScenarioErrors::new(Diagnostics::new(vec![self.source.clone()], names.faults))),
        }
    }
}

impl Names<'_> {
    fn unknown<'k>(&mut self, word: &Word, what: &str, known: impl IntoIterator<Item = &'k str> + Clone) {
        let at = Location::new(SourceId(0), word.span());
        let fault = Diagnostic::error("unknown-name", at, format!("there is no {what} `{word}`"));
        self.faults.push(fault.maybe_help(suggestion(word.as_str(), known)));
    }

    fn what(&mut self, word: &Word) -> Option<What> {
        let found = self.rules.what(word.as_str());
        if found.is_none() {
            let rules = self.rules;
            self.unknown(word, "kind, tag or mark", rules.item_names().collect::<Vec<_>>());
        }
        found
    }

    fn test(&mut self, part: &Part) -> Test {
        let mut names = FilterNames { rules: self.rules, faults: Vec::new() };
        let at = Location::new(SourceId(0), Span::new(part.origin, part.origin + 1));
        let source = crate::ruleset::FilterSource { filter: part.filter.clone(), at, origin: Some(part.origin) };
        let test = names.resolve(&part.filter, &source);
        self.faults.append(&mut names.faults);
        test
    }

    fn place(&mut self, path: &crate::Path) {
        let largest = World::largest(self.rules);
        if let Err(unknown) = largest.place(path, None)
            && !path.depends_on_stacks()
        {
            let at = Location::new(SourceId(0), path.span());
            let fault = Diagnostic::error("unknown-name", at, unknown.to_string());
            self.faults.push(fault.maybe_help(unknown.help_text().map(str::to_owned)));
        }
    }

    fn claim(&mut self, blank: &ScenarioFile, claim: &Claim) -> Option<Ready> {
        Some(match &claim.said {
            Said::Check(line) => {
                self.faults.extend(blank.faults_of(self.rules, line));
                let counted = match &line.item {
                    Check::Measure { claim: Measured::Count(name, _), .. } => self.rules.what(name.as_str()),
                    _ => None,
                };
                Ready::Check(line.item.clone(), counted)
            }
            Said::NoneWith(one, other) => Ready::NoneWith(self.test(one), self.test(other)),
            Said::NoneIn(what, place) => {
                self.place(place);
                Ready::NoneIn(self.test(what), place.clone())
            }
            Said::AllIn(what, place) => {
                self.place(place);
                Ready::AllIn(self.test(what), place.clone())
            }
            Said::InAll { name, comparison, number } => {
                let what = self.what(name)?;
                Ready::InAll { what, name: name.to_string(), comparison: *comparison, number: *number }
            }
            Said::Operation(pattern) => {
                let what = match &pattern.name {
                    Some(name) => Some(self.what(name)?),
                    None => None,
                };
                pattern.from.iter().chain(&pattern.to).for_each(|path| self.place(path));
                Ready::Operation { pattern: pattern.clone(), what }
            }
        })
    }

    /// What is played; where nothing is written, whatever the ruleset has.
    fn plan(&mut self, world: &World) -> Plan {
        let rules = Arc::clone(self.rules);
        let play = &self.file.play;
        let mut plan = Plan::default();
        let holders: Vec<&str> = world.holders().map(|holder| world.holder_name(holder)).collect();
        for name in play.actors.iter().flatten() {
            match world.holder(name.as_str()) {
                Some(holder) => plan.actors.push(holder),
                None => self.unknown(name, "holder", holders.iter().copied()),
            }
        }
        if play.actors.is_none() {
            plan.actors = world.holders().collect();
        }
        let containers: Vec<String> = world.containers().map(|it| world.container_name(it)).collect();
        for name in play.containers.iter().flatten() {
            match world.container(name.as_str()) {
                Some(container) => plan.containers.push(container),
                None => self.unknown(name, "container", containers.iter().map(String::as_str)),
            }
        }
        if play.containers.is_none() {
            plan.containers = world.containers().collect();
        }
        for (words, unset) in [(&play.set, false), (&play.unset, true)] {
            for word in words {
                match rules.find_mark(word.as_str()) {
                    Some(mark) if unset => plan.unset.push(mark),
                    Some(mark) => plan.set.push(mark),
                    None => self.unknown(word, "mark", rules.marks().iter().map(crate::Mark::name)),
                }
            }
        }
        let kind = |names: &mut Names<'_>, word: &Word| {
            let kind = rules.find_kind(word.as_str());
            if kind.is_none() {
                names.unknown(word, "kind", rules.kinds().map(crate::Kind::id).collect::<Vec<_>>());
            }
            kind
        };
        for (count, word) in &play.created {
            plan.created.extend(kind(self, word).map(|kind| (kind, u64::from(*count))));
        }
        for word in &play.consumed {
            plan.consumed.extend(kind(self, word));
        }
        let names = |words: &Option<Vec<Word>>| -> Option<Vec<String>> {
            Some(words.as_ref()?.iter().map(Word::to_string).collect())
        };
        (plan.container_names, plan.actor_names) = (names(&play.containers), names(&play.actors));
        plan.faults.clone_from(&play.faults);
        plan.has_verbs = play.verbs.is_some();
        plan.has_doors = plan.containers.iter().any(|it| super::moves::has_door(world, *it));
        plan.verbs = play.verbs.clone().unwrap_or_else(|| standard_verbs(world, &plan));
        let said: BTreeSet<Verb> = plan.verbs.iter().copied().collect();
        plan.verbs = said.into_iter().collect();
        plan
    }
}

/// Moving, swapping, dropping and picking up; wearing and opening where there is something to.
fn standard_verbs(world: &World, plan: &Plan) -> Vec<Verb> {
    let worn = plan.containers.iter().filter_map(|&it| world.container_def(it)).any(crate::ContainerDef::is_worn);
    let mut verbs = vec![Verb::Move, Verb::Swap, Verb::Drop, Verb::PickUp];
    if worn && !plan.actors.is_empty() {
        verbs.extend([Verb::Equip, Verb::Unequip]);
    }
    if plan.has_doors {
        verbs.extend([Verb::Open, Verb::Close]);
    }
    verbs
}
