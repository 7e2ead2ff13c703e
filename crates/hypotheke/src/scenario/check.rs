//! Looking up all names of a scenario file in a ruleset, and laying out its starts.

use std::borrow::Cow;
use std::sync::Arc;

use super::error::ScenarioErrors;
use super::tree::{Check, Claim, Line, Scenario, ScenarioFile, Start, StartBase, StartLine, Step};
use crate::language::{NamedAction, NamedOperation, Path};
use crate::ops::ResolveError;
use crate::ruleset::{HolderDef, Ruleset};
use crate::text::{Diagnostic, Diagnostics, Location, SourceId, Span, Word, suggestion};
use crate::world::{Place, World};

/// A scenario file whose names are all known to a ruleset, ready to be played.
#[derive(Clone, Debug)]
pub struct PlayableFile<'f> {
    pub(super) file: &'f ScenarioFile,
    pub(super) rules: Arc<Ruleset>,
}

impl ScenarioFile {
    /// Looks up all names and lays out all starts.
    ///
    /// # Errors
    /// Every name that the ruleset does not know, and every start that can't be laid out.
    pub fn check(&self, rules: &Arc<Ruleset>) -> Result<PlayableFile<'_>, ScenarioErrors> {
        let empty = World::largest(rules);
        let mut faults = Vec::new();
        for shared in &self.starts {
            faults.extend(self.start_world(rules, Some(&shared.item.start)).err());
        }
        for scenario in &self.scenarios {
            let mut checker = Checker { file: self, rules, empty: Cow::Borrowed(&empty) };
            checker.scenario(&scenario.item, &mut faults);
        }
        if faults.is_empty() {
            return Ok(PlayableFile { file: self, rules: Arc::clone(rules) });
        }
        let diagnostic = |error: ResolveError| {
            let fault = Diagnostic::error("unknown-name", Location::new(SourceId(0), error.span()), error.to_string());
            fault.maybe_help(error.help_text().map(str::to_owned))
        };
        let faults = faults.into_iter().map(diagnostic).collect();
        Err(ScenarioErrors::new(Diagnostics::new(vec![self.source.clone()], faults)))
    }

    /// The world in which a scenario with this start begins.
    pub(super) fn start_world(&self, rules: &Arc<Ruleset>, start: Option<&Start>) -> Result<World, ResolveError> {
        let mut world = match start {
            Some(start) => self.lay_start(rules, start, &mut Vec::new())?,
            None => World::new(rules),
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
            StartBase::Ruleset => World::new(rules),
            StartBase::Shared(name) => {
                if within.contains(&name) {
                    let message = format!("start `{name}` begins with itself");
                    return Err(ResolveError::new(name.span(), message, None));
                }
                let Some(shared) = self.starts().find(|shared| shared.name == *name) else {
                    let names: Vec<&str> = self.starts().map(|shared| shared.name.as_str()).collect();
                    let help = suggestion(name.as_str(), names.iter().copied());
                    return Err(ResolveError::new(name.span(), format!("there is no start `{name}`"), help));
                };
                within.push(name);
                self.lay_start(rules, &shared.start, within)?
            }
        };
        // The places that a start names hold what it says and nothing else.
        let mut cleared = Vec::new();
        for line in &start.lines {
            let place = world.place(&line.item.place, None).ok();
            place.into_iter().for_each(|place| world.clear_place(place));
            cleared.push(place);
        }
        for (line, cleared) in start.lines.iter().zip(cleared) {
            // A line may lead into a pack that one before it has laid there.
            let path = &line.item.place;
            let place = world.place(path, None).map_err(|error| ResolveError::place(path, &error))?;
            if cleared != Some(place) {
                world.clear_place(place);
            }
            lay_line(&mut world, line, place)?;
        }
        Ok(world)
    }
}

fn lay_line(world: &mut World, line: &Line<StartLine>, place: Place) -> Result<(), ResolveError> {
    for written in &line.item.contents {
        let portion = world.rules().resolve_portion(written)?;
        world.lay_portion(place, &portion).map_err(|error| {
            ResolveError::new(written.span(), error.to_string(), error.help_text().map(str::to_owned))
        })?;
    }
    Ok(())
}

struct Checker<'f> {
    file: &'f ScenarioFile,
    rules: &'f Arc<Ruleset>,
    /// A world with all places that there may be by now.
    empty: Cow<'f, World>,
}

impl Checker<'_> {
    fn scenario(&mut self, scenario: &Scenario, faults: &mut Vec<ResolveError>) {
        if let Some(start) = &scenario.start {
            faults.extend(self.file.start_world(self.rules, Some(&start.item)).err());
        }
        for step in &scenario.steps {
            match &step.item {
                Step::Operation(operation, _) => {
                    let fault = operation.check_names(&self.empty).err();
                    faults.extend(fault.map(|error| at_least_at(error, step.span)));
                    self.welcome(operation);
                }
                Step::Now(check) => self.check(check, faults),
            }
        }
        for check in &scenario.end {
            self.check(&check.item, faults);
        }
    }

    /// From here on newcomers can be named.
    fn welcome(&mut self, operation: &NamedOperation) {
        match &operation.action {
            NamedAction::Together { steps } => steps.iter().for_each(|step| self.welcome(step)),
            NamedAction::Arrive { newcomer: Some(_), .. } => {
                if let Ok(resolved) = operation.resolve(&self.empty) {
                    // One that is refused is there, or can't be.
                    let _ = self.empty.to_mut().perform(&resolved);
                    self.empty.to_mut().stretch();
                }
            }
            _ => {}
        }
    }

    fn check(&self, check: &Check, faults: &mut Vec<ResolveError>) {
        match check {
            Check::Contents { place, contents, .. } => {
                self.place(place, faults);
                faults.extend(
                    contents
                        .iter()
                        .filter_map(|portion| self.rules.resolve_portion(portion).err())
                        .map(ResolveError::from),
                );
            }
            Check::Burden { holder, label } => {
                if let Some(def) = self.holder(holder, faults)
                    && let Some(label) = label
                    && !def.burden().any(|(_, known)| known == label.as_str())
                {
                    let known: Vec<&str> = def.burden().map(|(_, known)| known).collect();
                    let help = suggestion(label.as_str(), known.iter().copied());
                    let message = format!("holder `{}` has no burden `{label}`", def.id());
                    faults.push(ResolveError::new(label.span(), message, help));
                }
            }
            Check::Shortcuts { holder, kinds } => self.shortcuts(holder, kinds, faults),
            Check::Measure { claim, unit, .. } => {
                match claim {
                    Claim::Weight(place) => self.place(place, faults),
                    Claim::FreeSlots(place) => self.container(place, faults),
                    Claim::Attribute(name, place) => {
                        self.holder(place, faults);
                        let names = || self.rules.attributes().iter().map(|attribute| &**attribute);
                        if !names().any(|known| known == name.as_str()) {
                            let help = suggestion(name.as_str(), names());
                            faults.push(ResolveError::new(
                                name.span(),
                                format!("there is no attribute `{name}`"),
                                help,
                            ));
                        }
                    }
                    Claim::Count(name, place) => {
                        faults.extend(self.countable(name));
                        place.iter().for_each(|place| self.place(place, faults));
                    }
                }
                faults.extend(unit.as_ref().and_then(|unit| self.unit(claim, unit)));
            }
        }
    }

    fn place(&self, path: &Path, faults: &mut Vec<ResolveError>) {
        // What lies where is known only while the scenario plays.
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
            faults.push(ResolveError::new(holder.span(), message, None));
        }
    }

    fn holder(&self, path: &Path, faults: &mut Vec<ResolveError>) -> Option<&HolderDef> {
        match self.empty.place(path, None) {
            Ok(Place::Holder(id)) => return self.empty.holder_def(id),
            Ok(_) => {
                let names = self.rules.holders().iter().map(|holder| format!("`{}`", holder.id()));
                let help = format!("the holders are {}", names.collect::<Vec<_>>().join(", "));
                faults.push(ResolveError::new(path.span(), format!("`{path}` is not a holder"), Some(help)));
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
                let help = Some("name a container".to_owned());
                faults.push(ResolveError::new(path.span(), format!("`{path}` has no slots to count"), help));
            }
            Err(error) => faults.push(ResolveError::place(path, &error)),
        }
    }

    fn countable(&self, name: &Word) -> Option<ResolveError> {
        if self.rules.what(name.as_str()).is_some() {
            return None;
        }
        let help = suggestion(name.as_str(), self.rules.item_names());
        Some(ResolveError::new(name.span(), format!("there is no kind, tag or mark `{name}`"), help))
    }

    fn unit(&self, claim: &Claim, unit: &Word) -> Option<ResolveError> {
        let known = if matches!(claim, Claim::Weight(_)) { self.rules.weight_unit() } else { "" };
        if unit.as_str() == known {
            return None;
        }
        let help = match known {
            "" => "leave the unit out".to_owned(),
            known => format!("weights are in `{known}`"),
        };
        Some(ResolveError::new(unit.span(), format!("`{unit}` is not the unit of this"), Some(help)))
    }
}

/// What concerns no single word concerns the line.
fn at_least_at(error: ResolveError, line: Span) -> ResolveError {
    if error.span() != Span::default() {
        return error;
    }
    ResolveError::new(line, error.to_string(), error.help_text().map(str::to_owned))
}
