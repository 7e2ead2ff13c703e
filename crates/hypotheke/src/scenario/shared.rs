//! Shared lists of steps.

use rustc_hash::FxHashMap;

use super::tree::{Line, ScenarioFile, SharedSteps, Step};
use crate::ops::ResolveError;
use crate::text::{Word, suggestion};

/// The maximum number of steps from shared lists. Nested lists could otherwise grow without bound.
const MAX_STEPS: u64 = 1_000_000;

/// The maximum nesting of shared steps and starts.
pub(super) const DEEPEST: usize = 64;

#[derive(Clone, Debug)]
pub(crate) struct SharedLists<'f> {
    by_name: FxHashMap<&'f str, &'f SharedSteps>,
    names: Vec<&'f str>,
    /// Lists that cannot run: they call themselves, or have too many steps.
    endless: Vec<&'f str>,
}

impl<'f> SharedLists<'f> {
    pub(super) fn new(file: &'f ScenarioFile, faults: &mut Vec<ResolveError>) -> SharedLists<'f> {
        let names = file.shared_steps().map(|shared| shared.name.as_str()).collect();
        let by_name = file.shared_steps().map(|shared| (shared.name.as_str(), shared)).collect();
        let mut lists = SharedLists { by_name, names, endless: Vec::new() };
        let mut sizes = FxHashMap::default();
        for shared in file.shared_steps() {
            let size = lists.size(shared, &mut sizes, &mut Vec::new(), faults);
            if size > MAX_STEPS {
                lists.endless.push(shared.name.as_str());
            }
            if size > MAX_STEPS && size != u64::MAX {
                let message = format!("`{}` has more than {MAX_STEPS} steps in total", shared.name);
                faults.push(ResolveError::new("too-many-steps", shared.name.span(), message, None));
            }
        }
        lists
    }

    /// The number of steps of a list; unbounded if it calls itself.
    fn size(
        &self,
        list: &'f SharedSteps,
        sizes: &mut FxHashMap<&'f str, u64>,
        within: &mut Vec<&'f str>,
        faults: &mut Vec<ResolveError>,
    ) -> u64 {
        if let Some(&size) = sizes.get(list.name.as_str()) {
            return size;
        }
        if within.len() == DEEPEST {
            let message = format!("shared steps are nested more than {DEEPEST} deep");
            faults.push(ResolveError::new("too-deep", list.name.span(), message, None));
            return u64::MAX;
        }
        within.push(list.name.as_str());
        let mut size = 0_u64;
        for step in &list.steps {
            let Step::Do(name) = &step.item else {
                size = size.saturating_add(1);
                continue;
            };
            if within.contains(&name.as_str()) {
                let message = format!("steps `{name}` call themselves");
                faults.push(ResolveError::new("endless", name.span(), message, None));
                size = u64::MAX;
            } else if let Some(inner) = self.by_name.get(name.as_str()) {
                size = size.saturating_add(self.size(inner, sizes, within, faults));
            }
        }
        within.pop();
        sizes.insert(list.name.as_str(), size);
        size
    }

    /// Whether any step of any list matches.
    pub(super) fn any(&self, is_so: impl Fn(&Line<Step>) -> bool) -> bool {
        self.by_name.values().any(|shared| shared.steps.iter().any(&is_so))
    }

    /// The steps with this name.
    pub(crate) fn steps(&self, name: &Word, faults: &mut Vec<ResolveError>) -> Option<&'f [Line<Step>]> {
        let Some(shared) = self.by_name.get(name.as_str()) else {
            let help = suggestion(name.as_str(), self.names.iter().copied());
            let help = help.or_else(|| Some("Define shared steps outside of scenarios with `steps NAME`".to_owned()));
            faults.push(ResolveError::new("unknown-steps", name.span(), format!("unknown steps `{name}`"), help));
            return None;
        };
        // Endless lists are already reported.
        (!self.endless.contains(&name.as_str())).then_some(shared.steps.as_slice())
    }
}
