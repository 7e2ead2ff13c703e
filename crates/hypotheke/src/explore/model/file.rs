//! Claims files: claims and the scope of a search.

use std::sync::Arc;

use crate::explore::minimize::step::Step;
use crate::explore::model::claims::{Claim, ClaimKind, Named, OfCheck, Part, Ready, Said, Subject, read};
use crate::explore::model::scope::{Amounts, Fault, Scope};
use crate::explore::report::{Status, Verdict};
use crate::language::{InScope, LineParser, NamedAction, Path, SentenceError, TokenKind, Verb, lex};
use crate::quantity::Decimal;
use crate::ruleset::{FilterNames, Ruleset, Selector};
use crate::scenario::parse::{LONGEST_LINE, diagnostic, lines};
use crate::scenario::{Check, Claim as Measured, Line, ScenarioErrors, ScenarioFile, Start, StartBase};
use crate::text::{Diagnostic, Diagnostics, Faults, Location, Source, SourceId, Span, Word, suggestion};
use crate::world::World;

/// Claims, and the scope of the search that checks them.
///
/// ```text
/// start as ruleset
///
/// explore
///   actors surveyor
///   verbs move, swap, drop, pick-up
///
/// always
///   count of fuel in sled <= 8
///   no sample and contaminated lies with sample and not contaminated
///
/// forbidden
///   drop logbook
/// ```
#[derive(Clone, Debug)]
pub struct ClaimsFile {
    source: Source,
    ruleset: Option<String>,
    start: Option<Start>,
    play: Play,
    claims: Vec<Claim>,
}

/// The scope as written. Missing lines have the defaults of the ruleset.
#[derive(Clone, Debug, Default)]
struct Play {
    actors: Option<Vec<Word>>,
    verbs: Option<Vec<Verb>>,
    containers: Option<Vec<Word>>,
    set: Vec<Word>,
    unset: Vec<Word>,
    created: Vec<(u32, Word)>,
    consumed: Vec<Word>,
    values: Vec<(Word, Decimal)>,
    amounts: Amounts,
    whole_places: bool,
    waits: bool,
    each_tick: bool,
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
    faults: Faults,
}

impl ClaimsFile {
    /// Reads a file of claims.
    ///
    /// # Errors
    /// Every line that can't be read.
    pub fn parse(source: Source) -> Result<ClaimsFile, ScenarioErrors> {
        let text = source.clone();
        let file = ClaimsFile { source, ruleset: None, start: None, play: Play::default(), claims: Vec::new() };
        let mut reader = Reader { file, section: Section::Outside, faults: Faults::default() };
        let mut offset = if text.text().starts_with('\u{feff}') { '\u{feff}'.len_utf8() } else { 0 };
        for line in text.text()[offset..].split_inclusive('\n') {
            reader.line(line.trim_end_matches(['\n', '\r']), offset);
            offset += line.len();
        }
        let says_nothing = reader.file.claims.is_empty() && reader.file.start.is_none() && !reader.file.play.is_said;
        if says_nothing && reader.faults.is_empty() {
            let fault = Diagnostic::error("empty", Location::default(), "this file has no claims");
            reader
                .faults
                .push(fault.help("Write claims below a line `always`, `forbidden`, `possible` or `recoverable`"));
        }
        if reader.faults.is_empty() {
            return Ok(reader.file);
        }
        Err(ScenarioErrors::new(Diagnostics::new(vec![text], reader.faults)))
    }

    /// The ruleset file that the first line names, as in `ruleset ../rules.toml`. The path is
    /// relative to this file.
    #[must_use]
    pub fn ruleset(&self) -> Option<&str> {
        self.ruleset.as_deref()
    }

    /// The claims in the section `[claims]` of a ruleset; `None` if it has none.
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
    /// assert!(Exploration::new(&rules, &claims).unwrap().search().complete);
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    ///
    /// # Errors
    /// Every sentence that can't be read.
    pub fn in_ruleset(rules: &Ruleset) -> Result<Option<ClaimsFile>, ScenarioErrors> {
        let Some(source) = rules.sources().first().cloned().filter(|_| !rules.source.claims.is_empty()) else {
            return Ok(None);
        };
        let file = ClaimsFile {
            source: source.clone(),
            ruleset: None,
            start: None,
            play: Play::default(),
            claims: Vec::new(),
        };
        let mut reader = Reader { file, section: Section::Outside, faults: Faults::default() };
        for (key, sentence) in &rules.source.claims {
            let kind = ClaimKind::ALL.into_iter().find(|kind| kind.word() == *key);
            reader.section = kind.map_or(Section::Play, Section::Claims);
            let text = sentence.value.as_str();
            // Inside the quotes, if the text has no escapes.
            let offset = sentence.at.span.start() + 1;
            if source.text().get(offset..offset + text.len()) == Some(text) && text.trim() == text && !text.is_empty() {
                reader.content(text, offset);
            } else {
                let fault = Diagnostic::error(
                    "bad-claim",
                    sentence.at,
                    "the text of this sentence has escapes or blanks around it",
                );
                reader
                    .faults
                    .push(fault.help("Write it in single quotes, without escapes and without blanks around it"));
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

    /// The counterexample of a claim as a scenario that fails until the rules are fixed: the used
    /// part of the start and the same steps, the last of which must be refused. If no rule can
    /// refuse it, such as a mark, the scenario checks the claim at its end, if it can. None for a
    /// claim that is not violated, or already violated at the start.
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
    /// let text = "start\n  depot: 1 flare\nforbidden\n  move flare to sled\n";
    /// let claims = ClaimsFile::parse(Source::new("a.claims", text)).unwrap();
    /// let found = Exploration::new(&rules, &claims).unwrap().search();
    /// let scenario = claims.scenario_of(&found.verdicts[0]).unwrap();
    /// assert!(scenario.ends_with("    move 1 flare from depot/0 to sled/0  -> refused\n"));
    /// assert!(ScenarioFile::parse(Source::new("a.scenario", &*scenario)).is_ok());
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn scenario_of(&self, verdict: &Verdict) -> Option<String> {
        let Status::Violated(trace) = &verdict.status else { return None };
        let (last, steps) = trace.steps.split_last()?;
        // Where no rule can refuse the last step, what must hold after it is checked instead.
        let check = if is_never_refused(last) { verdict.claim.as_check(&trace.after) } else { None };
        let mut text = format!("# {}\nscenario {}\n", self.source.name(), verdict.claim);
        if let Some(lines) = &trace.start {
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
        match check {
            Some(check) => text.push_str(&format!("    {last}\n  end\n    {check}\n")),
            None => text.push_str(&format!("    {last}  -> refused\n")),
        }
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
            let error = SentenceError::new(span, "this line is too long");
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
            Section::Outside => Err(SentenceError::new(span, "this line has no heading above it")
                .help("The headings are `start`, `explore`, `always`, `forbidden`, `possible` and `recoverable`")),
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
        if let (Section::Outside, Some(path)) = (self.section, text.strip_prefix("ruleset ")) {
            self.file.ruleset = Some(path.trim().to_owned());
            return;
        }
        let claims = ClaimKind::ALL.into_iter().find(|kind| kind.word() == text).map(Section::Claims);
        self.section = match (text, claims) {
            (_, Some(section)) => section,
            ("explore", _) => Section::Play,
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
                let known = ["start", "explore", "always", "forbidden", "possible", "recoverable"];
                let error =
                    SentenceError::new(span, format!("`{}` is not a heading", crate::language::shortened(text)));
                let help = suggestion(first, known).unwrap_or_else(|| format!("headings are {}", known.join(", ")));
                self.faults.push(diagnostic(&error.help(help)));
                Section::Skipped
            }
        };
    }
}

/// Where a comment begins: at a `#` that begins the line or stands after a blank, and is no id such
/// as `#12`.
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

/// One of two words, and then nothing more.
fn choice<T: Copy>(parser: &mut LineParser<'_, '_>, words: [(&str, T); 2]) -> Result<T, SentenceError> {
    let word = parser.word(words[0].0)?;
    parser.end()?;
    let found = words.iter().find(|(known, _)| *known == word.as_str()).map(|(_, meaning)| *meaning);
    found.ok_or_else(|| {
        let error = SentenceError::new(word.span(), format!("unknown word `{word}`"));
        error.help(format!("Write `{}` or `{}`", words[0].0, words[1].0))
    })
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
                Verb::of_word(word.as_str()).filter(|verb| has_no_line(*verb)).ok_or_else(|| {
                    let error = SentenceError::new(word.span(), format!("a search does not try `{word}`"));
                    let known: Vec<&str> =
                        Verb::ALL.into_iter().filter(|verb| has_no_line(*verb)).map(Verb::word).collect();
                    let help = match word.as_str() {
                        "create" => "Write a separate line: `create up to 3 KIND`".to_owned(),
                        "consume" | "mark" | "unmark" => format!("Write a separate line: `{word} NAME`"),
                        word => suggestion(word, known.iter().copied())
                            .unwrap_or_else(|| format!("they are {}", known.join(", "))),
                    };
                    error.help(help)
                })
            };
            self.verbs = Some(words(parser, "a verb")?.iter().map(verb).collect::<Result<_, _>>()?);
        } else if parser.keyword("faults") {
            let fault = |word: &Word| {
                let found = FAULTS.into_iter().find(|(name, _)| *name == word.as_str());
                found.map(|(_, fault)| fault).ok_or_else(|| {
                    let error = SentenceError::new(word.span(), format!("unknown fault `{word}`"));
                    error.help("The faults are save-then-load and leave")
                })
            };
            self.faults = words(parser, "a fault")?.iter().map(fault).collect::<Result<_, _>>()?;
        } else if parser.keyword("mark") {
            self.set.extend(words(parser, "a mark")?);
        } else if parser.keyword("unmark") {
            self.unset.extend(words(parser, "a mark")?);
        } else if parser.keyword("consume") {
            self.consumed.extend(words(parser, "a kind")?);
        } else if parser.keyword("set") {
            let property = parser.word("a property")?;
            parser.require_keyword("to")?;
            self.values.push((property.clone(), parser.decimal()?));
            while parser.take_comma() {
                self.values.push((property.clone(), parser.decimal()?));
            }
            parser.end()?;
        } else if parser.keyword("amounts") {
            self.amounts = choice(parser, [("some", Amounts::Some), ("every", Amounts::Every)])?;
        } else if parser.keyword("places") {
            self.whole_places = choice(parser, [("slots", false), ("all", true)])?;
        } else if parser.keyword("wait") {
            self.each_tick = choice(parser, [("next", false), ("each-tick", true)])?;
            self.waits = true;
        } else if parser.keyword("create") {
            parser.require_keyword("up")?;
            parser.require_keyword("to")?;
            let count = parser.count()?;
            self.created.push((count, parser.word("a kind")?));
            parser.end()?;
        } else {
            let error = parser.error("unknown line");
            return Err(error.help(
                "lines are `actors`, `verbs`, `containers`, `amounts`, `places`, `mark`, `unmark`, `set PROPERTY to 3`, \
                 `create up to 3 KIND`, `consume`, `wait each-tick`, `faults`",
            ));
        }
        Ok(())
    }
}

/// A file of claims whose names are all known to a ruleset.
pub(in crate::explore) struct ReadyFile {
    pub(in crate::explore) claims: Vec<(Claim, Ready)>,
    pub(in crate::explore) scope: Scope,
    pub(in crate::explore) world: World,
}

/// Looks up names and collects the errors.
struct Names<'f> {
    file: &'f ClaimsFile,
    rules: &'f Arc<Ruleset>,
    faults: Faults,
}

impl ClaimsFile {
    /// The default scope.
    pub(in crate::explore) fn of_ruleset(rules: &Arc<Ruleset>) -> ReadyFile {
        let source = Source::new("", "");
        let file = ClaimsFile { source, ruleset: None, start: None, play: Play::default(), claims: Vec::new() };
        let world = World::new(rules);
        let scope = Names { file: &file, rules, faults: Faults::default() }.scope(&world);
        ReadyFile { claims: Vec::new(), scope, world }
    }

    /// Looks up all names and prepares the start.
    pub(in crate::explore) fn ready(&self, rules: &Arc<Ruleset>) -> Result<ReadyFile, ScenarioErrors> {
        let mut names = Names { file: self, rules, faults: Faults::default() };
        let blank = ScenarioFile::blank(self.source.clone());
        let world = blank.world_of(rules, self.start.as_ref()).map_err(|fault| names.faults.push(*fault)).ok();
        let start = world.clone().map(Arc::new);
        let claims: Vec<(Claim, Ready)> = self
            .claims
            .iter()
            .filter_map(|claim| Some((claim.clone(), names.claim(&blank, start.as_ref(), claim)?)))
            .collect();
        let scope = world.as_ref().map(|world| names.scope(world));
        let has_ids = claims.iter().any(|(_, claim)| claim.places().into_iter().any(crate::Path::names_an_id));
        match (world, scope) {
            (Some(world), Some(scope)) if names.faults.is_empty() => {
                Ok(ReadyFile { claims, scope: Scope { has_ids, ..scope }, world })
            }
            _ => Err(ScenarioErrors::new(Diagnostics::new(vec![self.source.clone()], names.faults))),
        }
    }
}

impl Names<'_> {
    fn unknown<'k>(
        &mut self,
        code: &'static str,
        word: &Word,
        what: &str,
        known: impl IntoIterator<Item = &'k str> + Clone,
    ) {
        let at = Location::new(SourceId(0), word.span());
        let fault = Diagnostic::error(code, at, format!("unknown {what} `{word}`"));
        self.faults.push(fault.maybe_help(suggestion(word.as_str(), known)));
    }

    fn selector(&mut self, word: &Word) -> Option<Selector> {
        let found = self.rules.selector(word.as_str());
        if found.is_none() {
            let rules = self.rules;
            self.unknown("unknown-name", word, "kind, tag or mark", rules.item_names().collect::<Vec<_>>());
        }
        found
    }

    fn test(&mut self, part: &Part) -> Named {
        let mut names = FilterNames { rules: self.rules, faults: Faults::default() };
        let at = Location::new(SourceId(0), Span::new(part.origin, part.origin + 1));
        let source = crate::ruleset::FilterSource { filter: part.filter.clone(), at, origin: Some(part.origin) };
        let test = names.resolve(&part.filter, &source);
        self.faults.append(names.faults);
        Named { test, text: part.filter.to_string() }
    }

    fn place(&mut self, path: &crate::Path) {
        let largest = World::largest(self.rules);
        if let Err(unknown) = largest.place(path, None)
            && !path.depends_on_stacks()
        {
            let at = Location::new(SourceId(0), path.span());
            let fault = Diagnostic::error("unknown-place", at, unknown.to_string());
            self.faults.push(fault.maybe_help(unknown.help_text().map(str::to_owned)));
        }
    }

    fn claim(&mut self, blank: &ScenarioFile, world: Option<&Arc<World>>, claim: &Claim) -> Option<Ready> {
        Some(match &claim.said {
            Said::Check(line) => {
                self.faults.extend(blank.faults_of(self.rules, line));
                let counted = match &line.item {
                    Check::Measure { claim: Measured::Count(name, _), .. } => self.rules.selector(name.as_str()),
                    _ => None,
                };
                let start = world.filter(|_| line.item.reads_start()).cloned();
                let of_members = world.map_or_else(Vec::new, |world| places_of_members(world, &line.item));
                Ready::Check(line.item.clone(), OfCheck { counted, start, of_members })
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
                let what = self.selector(name)?;
                Ready::InAll { what, name: name.to_string(), comparison: *comparison, number: *number }
            }
            Said::Operation(pattern) => {
                let named = match &pattern.name {
                    Some(name) if pattern.verb == Verb::Set && self.rules.find_property(name.as_str()).is_some() => {
                        self.rules.find_property(name.as_str()).map(Subject::Property)
                    }
                    Some(name) => Some(Subject::Items(self.selector(name)?)),
                    None => None,
                };
                pattern.from.iter().chain(&pattern.to).for_each(|path| self.place(path));
                Ready::Operation { pattern: pattern.clone(), named }
            }
        })
    }

    /// The scope; missing lines mean everything in the ruleset.
    fn scope(&mut self, world: &World) -> Scope {
        let rules = Arc::clone(self.rules);
        let play = &self.file.play;
        let mut scope = Scope::default();
        let holders: Vec<&str> = world.holders().map(|holder| world.holder_name(holder)).collect();
        for name in play.actors.iter().flatten() {
            match world.holder(name.as_str()) {
                Some(holder) => scope.actors.push(holder),
                None if rules.find_group(name.as_str()).is_some() => scope.actors.extend(world.members(name.as_str())),
                None if name.as_str() == GAME => scope.game_acts = true,
                None => self.unknown("unknown-holder", name, "holder", holders.iter().copied()),
            }
        }
        if play.actors.is_none() {
            scope.actors = world.holders().collect();
            scope.game_acts = scope.actors.is_empty();
        }
        let containers: Vec<String> = world.containers().map(|it| world.container_name(it)).collect();
        for name in play.containers.iter().flatten() {
            match world.container(name.as_str()) {
                Some(container) => scope.containers.push(container),
                None => self.unknown("unknown-container", name, "container", containers.iter().map(String::as_str)),
            }
        }
        if play.containers.is_none() {
            scope.containers = world.containers().collect();
        }
        for (words, unset) in [(&play.set, false), (&play.unset, true)] {
            for word in words {
                match rules.find_mark(word.as_str()) {
                    Some(mark) if unset => scope.unset.push(mark),
                    Some(mark) => scope.set.push(mark),
                    None => self.unknown("unknown-mark", word, "mark", rules.marks().iter().map(crate::Mark::name)),
                }
            }
        }
        let kind = |names: &mut Names<'_>, word: &Word| {
            let kind = rules.find_kind(word.as_str());
            if kind.is_none() {
                names.unknown("unknown-kind", word, "kind", rules.kinds().map(crate::Kind::id).collect::<Vec<_>>());
            }
            kind
        };
        for (count, word) in &play.created {
            scope.created.extend(kind(self, word).map(|kind| (kind, u64::from(*count))));
        }
        for word in &play.consumed {
            scope.consumed.extend(kind(self, word));
        }
        let names = |words: &Option<Vec<Word>>| -> Option<Vec<String>> {
            Some(words.as_ref()?.iter().map(Word::to_string).collect())
        };
        (scope.container_names, scope.actor_names) = (names(&play.containers), names(&play.actors));
        scope.faults.clone_from(&play.faults);
        scope.has_verbs = play.verbs.is_some();
        scope.has_doors = rules.has_doors;
        // What one holder carries is not for the others.
        (scope.amounts, scope.whole_places) = (play.amounts, play.whole_places);
        for (word, value) in &play.values {
            match rules.find_property(word.as_str()) {
                Some(property) => scope.values.push((property, *value)),
                None => self.unknown(
                    "unknown-property",
                    word,
                    "property",
                    rules.properties().iter().map(crate::Property::name).collect::<Vec<_>>(),
                ),
            }
        }
        scope.verbs = play.verbs.clone().unwrap_or_else(|| standard_verbs(world, &scope));
        scope.each_tick = play.each_tick;
        scope.verbs.extend(play.waits.then_some(Verb::Wait));
        // What one holder carries is not for the others, and containers are given away by their owners.
        scope.actors_matter =
            rules.has_doors || rules.has_access_lists || world.holders().count() > 1 || scope.tries(Verb::Give);
        scope.complete(world)
    }
}

/// The places that a check of each member of a group names, of the members that are there.
fn places_of_members(world: &World, check: &Check) -> Vec<Path> {
    let Some(group) = check.group() else { return Vec::new() };
    let of_one = |holder| check.of_member(world.holder_name(holder));
    let places = |check: &Check| check.measured().filter_map(Measured::place).cloned().collect::<Vec<_>>();
    world.members(group).flat_map(|holder| places(&of_one(holder))).collect()
}

/// Whether no rule can refuse a step whose names exist.
fn is_never_refused(step: &str) -> bool {
    let Some(step) = Step::read(step) else { return false };
    let Some(operation) = step.operation() else { return true };
    matches!(
        operation.action,
        NamedAction::Mark { .. }
            | NamedAction::Unmark { .. }
            | NamedAction::Set { .. }
            | NamedAction::Leave
            | NamedAction::Close { .. }
            | NamedAction::Unbind { .. }
            | NamedAction::Depart { .. }
            | NamedAction::Arrive { .. }
    )
}

/// The word for the game itself, among the actors.
const GAME: &str = "game";

/// Whether a verb is named in the line `verbs`; the others have lines of their own.
fn has_no_line(verb: Verb) -> bool {
    verb.row().in_scope != InScope::Own
}

/// Moving, swapping, dropping and picking up; equipping and opening if the rules have them.
fn standard_verbs(world: &World, scope: &Scope) -> Vec<Verb> {
    let worn = scope.containers.iter().filter_map(|&it| world.container_def(it)).any(crate::ContainerDef::is_worn);
    let mut verbs = vec![Verb::Move, Verb::Swap, Verb::Drop, Verb::PickUp];
    if worn && !scope.actors.is_empty() {
        verbs.extend([Verb::Equip, Verb::Unequip]);
    }
    if scope.has_doors {
        verbs.extend([Verb::Open, Verb::Close]);
    }
    verbs
}
