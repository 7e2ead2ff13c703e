//! Resolving the names and the starts of a scenario file.

use std::borrow::Cow;
use std::sync::Arc;

use super::error::ScenarioErrors;
use super::shared::{DEEPEST, SharedLists};
use super::tree::{Body, Check, Claim, Expected, Line, Operand, ScenarioFile, Start, StartBase, StartLine, Step};
use crate::language::{Landing, NamedAction, NamedArrival, NamedOperation, Path};
use crate::ops::{Reason, ResolveError};
use crate::ruleset::{GroupDef, HolderDef, Meter, Ruleset};
use crate::text::{Diagnostic, Diagnostics, Faults, Location, MAX_LISTED, SourceId, Span, Word, suggestion};
use crate::world::{Place, World};

/// A scenario file with resolved names, ready to run.
#[derive(Clone, Debug)]
pub struct ResolvedScenarioFile<'f> {
    pub(crate) file: &'f ScenarioFile,
    pub(super) rules: Arc<Ruleset>,
    pub(crate) shared: SharedLists<'f>,
}

impl<'f> ResolvedScenarioFile<'f> {
    /// The file, as it was read.
    #[must_use]
    pub fn file(&self) -> &'f ScenarioFile {
        self.file
    }
}

impl ScenarioFile {
    /// Resolves all names and all starts.
    ///
    /// # Errors
    /// Every unknown name, and every start that is not valid.
    pub fn check(&self, rules: &Arc<Ruleset>) -> Result<ResolvedScenarioFile<'_>, ScenarioErrors> {
        let empty = World::largest(rules);
        let mut faults = Vec::new();
        for shared in self.starts() {
            faults.extend(self.start_world(rules, Some(&shared.start)).err());
        }
        let shared = SharedLists::new(self, &mut faults);
        let mut unchecked = None;
        for (_, body) in self.scenarios().flat_map(super::tree::Scenario::runs) {
            if faults.len() >= MAX_LISTED {
                unchecked = body.steps.first().map(|step| step.span).or(body.end.first().map(|check| check.span));
                break;
            }
            let empty = Cow::Borrowed(&empty);
            let mut checker = Checker { file: self, rules, shared: &shared, empty, snapshots: Vec::new(), played: 0 };
            checker.body(body, &mut faults);
        }
        if faults.is_empty() {
            return Ok(ResolvedScenarioFile { file: self, rules: Arc::clone(rules), shared });
        }
        let mut all = Faults::default();
        all.extend(faults.iter().map(diagnostic));
        all.extend(unchecked.map(|span| {
            let message = "names from here on are checked after the errors above are fixed";
            Diagnostic::warning("not-checked", Location::new(SourceId(0), span), message)
        }));
        Err(ScenarioErrors::new(Diagnostics::new(vec![self.source.clone()], all)))
    }

    /// The world of a start.
    pub(super) fn start_world(&self, rules: &Arc<Ruleset>, start: Option<&Start>) -> Result<World, ResolveError> {
        let mut world = match start {
            Some(start) => self.lay_start(rules, start, &mut Vec::new())?,
            None => World::laid_out(rules)?,
        };
        world.begin();
        Ok(world)
    }

    fn lay_start<'f>(
        &'f self,
        rules: &Arc<Ruleset>,
        start: &'f Start,
        within: &mut Vec<&'f Word>,
    ) -> Result<World, ResolveError> {
        let mut world = match &start.base {
            StartBase::Nothing => World::empty(rules),
            StartBase::Ruleset => World::laid_out(rules)?,
            StartBase::Shared(name) => {
                if within.contains(&name) {
                    let message = format!("start `{name}` refers to itself");
                    return Err(ResolveError::new("endless", name.span(), message, None));
                }
                let Some(shared) = self.starts().find(|shared| shared.name == *name) else {
                    let names: Vec<&str> = self.starts().map(|shared| shared.name.as_str()).collect();
                    let help = suggestion(name.as_str(), names.iter().copied());
                    return Err(ResolveError::new(
                        "unknown-start",
                        name.span(),
                        format!("unknown start `{name}`"),
                        help,
                    ));
                };
                if within.len() == DEEPEST {
                    let message = format!("starts are nested more than {DEEPEST} deep");
                    return Err(ResolveError::new("too-deep", name.span(), message, None));
                }
                within.push(name);
                self.lay_start(rules, &shared.start, within)?
            }
        };
        // Named places have the listed contents and nothing else.
        let mut cleared = Vec::new();
        for line in &start.lines {
            let place = world.place(&line.item.place, None).ok();
            place.into_iter().for_each(|place| world.clear_place(place));
            cleared.push(place);
        }
        for (line, cleared) in start.lines.iter().zip(cleared) {
            // A line may name the inside of a pack from a line above.
            let path = &line.item.place;
            let place = world.place(path, None).map_err(|error| ResolveError::place(path, &error))?;
            if cleared != Some(place) {
                world.clear_place(place);
            }
            lay_line(&mut world, line, place, start.over_limits)?;
        }
        Ok(world)
    }
}

fn lay_line(world: &mut World, line: &Line<StartLine>, place: Place, over_limits: bool) -> Result<(), ResolveError> {
    let landing = Landing { at: line.item.at.unwrap_or_default(), within: None };
    for written in &line.item.contents {
        let portion = world.rules().resolve_portion(written)?;
        let laid = match over_limits {
            true => world.lay_over_limits(place, &portion, landing),
            false => world.lay_portion(place, &portion, landing),
        };
        laid.map_err(|error| {
            ResolveError::new("bad-start", written.span(), error.to_string(), error.help_text().map(str::to_owned))
        })?;
    }
    Ok(())
}

/// The snapshot before the first step.
pub(super) const START: &str = "start";

impl ScenarioFile {
    /// A file without contents.
    pub(crate) fn blank(source: crate::text::Source) -> ScenarioFile {
        ScenarioFile { ruleset: None, source, blocks: Vec::new(), end_comments: Vec::new() }
    }

    /// The world at the start, with a start from a different file.
    pub(crate) fn world_of(&self, rules: &Arc<Ruleset>, start: Option<&Start>) -> Result<World, Box<Diagnostic>> {
        self.start_world(rules, start).map_err(|error| Box::new(diagnostic(&error)))
    }

    /// The errors in the names of a check.
    pub(crate) fn faults_of(&self, rules: &Arc<Ruleset>, check: &Line<Check>) -> Vec<Diagnostic> {
        let (empty, mut faults) = (World::largest(rules), Vec::new());
        let shared = SharedLists::new(self, &mut faults);
        let empty = Cow::Borrowed(&empty);
        Checker { file: self, rules, shared: &shared, empty, snapshots: Vec::new(), played: 0 }.check(
            check,
            &check.item,
            &mut faults,
        );
        faults.iter().map(diagnostic).collect()
    }
}

fn diagnostic(error: &ResolveError) -> Diagnostic {
    let fault = Diagnostic::error(error.code(), Location::new(SourceId(0), error.span()), error.to_string());
    fault.maybe_help(error.help_text().map(str::to_owned))
}

struct Checker<'f> {
    file: &'f ScenarioFile,
    rules: &'f Arc<Ruleset>,
    shared: &'f SharedLists<'f>,
    /// A world with all places that may exist at this point.
    empty: Cow<'f, World>,
    snapshots: Vec<&'f Word>,
    /// The number of operations so far.
    played: usize,
}

impl<'f> Checker<'f> {
    fn body(&mut self, body: &'f Body, faults: &mut Vec<ResolveError>) {
        if let Some(start) = &body.start {
            faults.extend(self.file.start_world(self.rules, Some(&start.item)).err());
        }
        for step in &body.steps {
            if faults.len() >= MAX_LISTED {
                return;
            }
            self.step(step, faults);
        }
        for check in &body.end {
            self.check(check, &check.item, faults);
        }
    }

    fn step(&mut self, step: &'f Line<Step>, faults: &mut Vec<ResolveError>) {
        match &step.item {
            Step::Operation(operation, expected) => self.operation(operation, expected, step.span, faults),
            Step::Together(list, expected) => self.operation(list.operation(), expected, step.span, faults),
            Step::Request(request, expected) => self.operation(&request.operation, expected, step.span, faults),
            Step::Undo { expected, .. } => {
                if *expected == Expected::Complete {
                    self.needs_a_step(step.span, faults);
                }
                self.played += 1;
            }
            Step::Do(name) => {
                if let Some(steps) = self.shared.steps(name, faults) {
                    steps.iter().for_each(|step| self.step(step, faults));
                }
            }
            Step::Snapshot(name) if name.as_str() == START || self.snapshots.contains(&name) => {
                let message = format!("snapshot `{name}` already exists");
                let help = "Choose a different name".to_owned();
                faults.push(ResolveError::new("duplicate", name.span(), message, Some(help)));
            }
            Step::Snapshot(name) => self.snapshots.push(name),
            Step::SaveThenLoad => {}
            Step::Now(check) => self.check(step, check, faults),
        }
    }

    fn operation(
        &mut self,
        operation: &NamedOperation,
        expected: &Expected,
        line: Span,
        faults: &mut Vec<ResolveError>,
    ) {
        // An unsupported operation may be what the scenario shows.
        let shows_it = matches!(expected, Expected::Refused { reason: Some(Reason::Unknown), .. });
        let fault = operation.check_names(&self.empty).err().filter(|error| !(shows_it && error.is_meaningless()));
        faults.extend(fault.map(|error| at_least_at(error, line)));
        self.played += 1;
        self.allow_newcomers(operation);
    }

    /// From here on, newcomers can be named.
    fn allow_newcomers(&mut self, operation: &NamedOperation) {
        match &operation.action {
            NamedAction::Together { steps } => steps.iter().for_each(|step| self.allow_newcomers(step)),
            NamedAction::Arrive { who: NamedArrival { newcomer: Some(_), .. } } => {
                if let Ok(resolved) = operation.resolve(&self.empty) {
                    // A refused arrival is present or impossible.
                    let _ = self.empty.to_mut().perform(&resolved);
                    self.empty.to_mut().stretch();
                }
            }
            _ => {}
        }
    }

    fn check<T>(&self, line: &Line<T>, check: &Check, faults: &mut Vec<ResolveError>) {
        match check {
            Check::PointsAt { shortcut, kind } => {
                self.place(shortcut, faults);
                faults
                    .extend(kind.iter().filter_map(|kind| self.rules.resolve_kind(kind).err()).map(ResolveError::from));
                if let Ok(place) = self.empty.place(shortcut, None)
                    && !matches!(place, Place::Shortcut(..))
                {
                    let message = format!("`{shortcut}` is not a shortcut");
                    faults.push(ResolveError::new(
                        "not-supported",
                        shortcut.span(),
                        message,
                        Some("Write it as in `surveyor.shortcuts/2`".into()),
                    ));
                }
            }
            Check::Open { container, holder, .. } => {
                self.container(container, faults);
                self.holder(holder, faults);
            }
            Check::Owner { container, owner } => {
                self.container(container, faults);
                let unknown = owner.iter().filter(|owner| self.empty.holder(owner.as_str()).is_none());
                faults.extend(unknown.map(|owner| ResolveError::unknown_holder(&self.empty, owner)));
            }
            Check::Works { container, job } => {
                self.container(container, faults);
                let recipe = job.iter().map(|(_, recipe, _)| recipe);
                let unknown = recipe.filter(|recipe| self.rules.find_recipe(recipe.as_str()).is_none());
                faults.extend(unknown.map(|recipe| ResolveError::unknown_recipe(self.rules, recipe)));
            }
            Check::Places { name, places } => {
                faults.extend(self.countable(name));
                places.iter().for_each(|place| self.place(place, faults));
            }
            Check::Events { events, .. } => {
                self.needs_a_step(line.span, faults);
                for event in events {
                    event.places().for_each(|place| self.place(&place.without_work(), faults));
                    let unknown = event.kind().and_then(|kind| self.rules.resolve_kind(kind).err());
                    faults.extend(unknown.map(ResolveError::from));
                }
            }
            Check::NothingChanged => self.needs_a_step(line.span, faults),
            Check::UnchangedSince { snapshot } => {
                let names = || self.snapshots.iter().map(|snapshot| snapshot.as_str()).chain([START]);
                if !names().any(|known| known == snapshot.as_str()) {
                    let help = suggestion(snapshot.as_str(), names());
                    let message = format!("unknown snapshot `{snapshot}`");
                    let help = help.or_else(|| Some(format!("Add a step `snapshot {snapshot}` before this line")));
                    faults.push(ResolveError::new("unknown-snapshot", snapshot.span(), message, help));
                }
            }
            Check::Contents { place, contents, .. } => {
                self.place(place, faults);
                faults.extend(
                    contents
                        .iter()
                        .filter_map(|portion| self.rules.resolve_portion(portion).err())
                        .map(ResolveError::from),
                );
            }
            Check::LyingAt { contents, .. } => {
                let portions = contents.iter().filter_map(|portion| self.rules.resolve_portion(portion).err());
                faults.extend(portions.map(ResolveError::from));
            }
            Check::Origin { holder, slot } => {
                self.holder(holder, faults);
                slot.iter().for_each(|slot| self.slot(slot, faults));
            }
            Check::Encumbrance { holder, label } => {
                if let Some(def) = self.holder(holder, faults)
                    && let Some(label) = label
                    && !def.encumbrance().any(|(_, known)| known == label.as_str())
                {
                    let known: Vec<&str> = def.encumbrance().map(|(_, known)| known).collect();
                    let help = suggestion(label.as_str(), known.iter().copied());
                    let message = format!("holder `{}` has no encumbrance step `{label}`", def.id());
                    faults.push(ResolveError::new("unknown-step", label.span(), message, help));
                }
            }
            Check::Shortcuts { holder, kinds } => self.shortcuts(holder, kinds, faults),
            Check::Measure { operand, .. } if check.group().is_none() => {
                check.measured().for_each(|claim| self.measure(claim, faults));
                if let (Operand::Number { unit: Some(unit), .. }, Some(claim)) = (operand, check.measured().next()) {
                    faults.extend(self.unit(claim, unit));
                }
            }
            Check::Measure { claim, .. } => {
                let group = claim.place().and_then(|place| Some((place.group()?, place.span())));
                let Some((group, span)) = group else { return };
                let mut members = self.rules.holders().iter().filter(|def| def.groups().any(|it| it == group));
                match members.next() {
                    Some(def) => {
                        self.check(line, &check.of_member(def.first_name()), faults);
                        // One member may lack a meter that the others have.
                        for def in members {
                            let check = check.of_member(def.first_name());
                            let meters = check.measured().filter_map(|claim| match claim {
                                Claim::Meter(name, place) => unknown_meter(name, place, def),
                                _ => None,
                            });
                            faults.extend(meters);
                        }
                    }
                    None => {
                        let help = suggestion(group, self.rules.groups().iter().map(GroupDef::id));
                        let message = format!("no holder is in group `{group}`");
                        faults.push(ResolveError::new("unknown-group", span, message, help));
                    }
                }
            }
        }
    }

    /// A quantity, which names no group by now.
    fn measure(&self, claim: &Claim, faults: &mut Vec<ResolveError>) {
        if let Some(place) = claim.place().filter(|place| place.group().is_some()) {
            let help = "Begin both sides with the same group, or name one holder".to_owned();
            let message = format!("`{place}` is written where the left side names no group");
            return faults.push(ResolveError::new("not-supported", place.span(), message, Some(help)));
        }
        match claim {
            Claim::Weight(place) | Claim::Value(place) => self.place(place, faults),
            Claim::FreeSlots(place) => self.container(place, faults),
            Claim::RoomFor(kind, place) => {
                faults.extend(self.rules.resolve_kind(kind).err().map(ResolveError::from));
                self.place(place, faults);
            }
            Claim::Attribute(name, place) => {
                self.holder(place, faults);
                let names = || self.rules.attributes().iter().map(|attribute| &**attribute);
                if !names().any(|known| known == name.as_str()) {
                    let help = suggestion(name.as_str(), names());
                    faults.push(ResolveError::new(
                        "unknown-attribute",
                        name.span(),
                        format!("unknown attribute `{name}`"),
                        help,
                    ));
                }
            }
            Claim::Meter(name, place) => {
                if let Some(def) = self.holder(place, faults) {
                    faults.extend(unknown_meter(name, place, def));
                }
            }
            Claim::Count(name, place) => {
                faults.extend(self.countable(name));
                place.iter().for_each(|place| self.place(place, faults));
            }
        }
    }

    /// Checks of a result require an operation before them.
    fn needs_a_step(&self, line: Span, faults: &mut Vec<ResolveError>) {
        if self.played == 0 {
            let help = Some("It checks the previous operation".to_owned());
            faults.push(ResolveError::new("no-operation", line, "no operation precedes this line".to_owned(), help));
        }
    }

    fn place(&self, path: &Path, faults: &mut Vec<ResolveError>) {
        // Contents are only known during a run.
        let lasting = if path.depends_on_stacks() { path.lasting_part() } else { Some(path.clone()) };
        let fault = lasting.and_then(|lasting| self.empty.place(&lasting, None).err());
        faults.extend(fault.map(|error| ResolveError::place(path, &error)));
    }

    fn shortcuts(&self, holder: &Path, kinds: &[Option<Word>], faults: &mut Vec<ResolveError>) {
        let known = kinds.iter().flatten().filter_map(|kind| self.rules.resolve_kind(kind).err());
        faults.extend(known.map(ResolveError::from));
        if let Some(def) = self.holder(holder, faults)
            && kinds.len() > def.shortcuts() as usize
        {
            let message = format!("holder `{}` has {} shortcuts, not {}", def.id(), def.shortcuts(), kinds.len());
            faults.push(ResolveError::new("out-of-range", holder.span(), message, None));
        }
    }

    fn holder(&self, path: &Path, faults: &mut Vec<ResolveError>) -> Option<&HolderDef> {
        match self.empty.place(path, None) {
            Ok(Place::Holder(id)) => return self.empty.holder_def(id),
            Ok(_) => {
                let names = self.rules.holder_names().map(|name| format!("`{name}`"));
                let help = format!("the holders are {}", names.collect::<Vec<_>>().join(", "));
                faults.push(ResolveError::new(
                    "not-supported",
                    path.span(),
                    format!("`{path}` is not a holder"),
                    Some(help),
                ));
            }
            Err(error) => faults.push(ResolveError::place(path, &error)),
        }
        None
    }

    fn container(&self, path: &Path, faults: &mut Vec<ResolveError>) {
        if path.depends_on_stacks() {
            return self.place(path, faults);
        }
        match self.empty.place(path, None) {
            Ok(Place::Container(_)) => {}
            Ok(_) => {
                let help = Some("Name a container".to_owned());
                faults.push(ResolveError::new(
                    "not-supported",
                    path.span(),
                    format!("`{path}` is not a container"),
                    help,
                ));
            }
            Err(error) => faults.push(ResolveError::place(path, &error)),
        }
    }

    /// A check of anything but a slot could never pass.
    fn slot(&self, path: &Path, faults: &mut Vec<ResolveError>) {
        self.place(path, faults);
        let is_slot = |place| matches!(place, Place::Slot(..));
        if !path.depends_on_stacks() && self.empty.place(path, None).is_ok_and(|place| !is_slot(place)) {
            let help = Some(format!("Name one of its slots, such as `{path}/0`"));
            faults.push(ResolveError::new("not-supported", path.span(), format!("`{path}` is not a slot"), help));
        }
    }

    fn countable(&self, name: &Word) -> Option<ResolveError> {
        if self.rules.selector(name.as_str()).is_some() {
            return None;
        }
        let help = suggestion(name.as_str(), self.rules.item_names());
        Some(ResolveError::new("unknown-name", name.span(), format!("unknown kind, tag or mark `{name}`"), help))
    }

    fn unit(&self, claim: &Claim, unit: &Word) -> Option<ResolveError> {
        let known = if matches!(claim, Claim::Weight(_)) { self.rules.weight_unit() } else { "" };
        if unit.as_str() == known {
            return None;
        }
        let help = match known {
            "" => "Remove the unit".to_owned(),
            known => format!("Write weights in `{known}`"),
        };
        Some(ResolveError::new("bad-unit", unit.span(), format!("unexpected unit `{unit}`"), Some(help)))
    }
}

/// Errors without a word belong to the line.
fn at_least_at(error: ResolveError, line: Span) -> ResolveError {
    if error.span() != Span::default() {
        return error;
    }
    ResolveError::new("unknown-place", line, error.to_string(), error.help_text().map(str::to_owned))
}

/// A meter that a holder does not have.
fn unknown_meter(name: &Word, holder: &Path, def: &HolderDef) -> Option<ResolveError> {
    let names = || def.meters().iter().map(Meter::name);
    let is_known = names().any(|known| known == name.as_str());
    let message = format!("{holder} has no meter `{name}`");
    (!is_known).then(|| ResolveError::new("unknown-meter", name.span(), message, suggestion(name.as_str(), names())))
}
