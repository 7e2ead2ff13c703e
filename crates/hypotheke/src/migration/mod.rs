//! Migrates a world to a different ruleset: a running one to an edited ruleset, a saved one to a
//! later version.
//!
//! Each change is reported as a [`Difference`] with its action, which the section `[migration]` of
//! the new ruleset decides. Unknown parts become orphans. Nothing is lost silently.

mod jobs;
mod names;
mod orphans;
mod outline;
mod packs;
mod places;
mod reduce_weight;
mod resolve;
mod single;

use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

pub(crate) use outline::Outline;
pub(crate) use single::migrate_departure;

use crate::audit::{IncrementalAudit, Violation};
use crate::id::StackId;
use crate::language::{Path, Position};
use crate::ruleset::{MigrationPolicy, Ruleset, differ_in_caps_only};
use crate::snapshot::{InSlot, Landed, Pack, Random, Snapshot, SnapshotError, Stack};
use crate::text::Source;
use crate::world::World;

/// A change from the earlier ruleset, and its action.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Difference {
    /// Where, as paths write it; or the name that has changed.
    pub place: String,
    /// What is not as it was.
    pub message: String,
    /// What was done about it; `None` if it only needed telling.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub action: Option<MigrationPolicy>,
    /// The new places, if something moved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub to: Vec<String>,
}

impl fmt::Display for Difference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Difference { place, message, action, to } = self;
        let done = match action {
            None => "",
            Some(MigrationPolicy::Stay) => "; stays",
            Some(MigrationPolicy::Split) => "; split",
            Some(MigrationPolicy::Spill | MigrationPolicy::Ground) => "; moved",
            Some(MigrationPolicy::Orphan) => "; set aside as an orphan",
            Some(MigrationPolicy::Refuse) => "; refused",
        };
        write!(f, "{place}: {message}{done}")?;
        if to.is_empty() { Ok(()) } else { write!(f, " to {}", to.join(", ")) }
    }
}

impl Difference {
    /// Something that breaks a law, and so is refused.
    pub(crate) fn refused(violation: &Violation) -> Difference {
        Difference {
            place: violation.place().to_owned(),
            message: format!("{}: {}", violation.law(), violation.message()),
            action: Some(MigrationPolicy::Refuse),
            to: Vec::new(),
        }
    }
}

/// The reason why a world can't be migrated. It is unchanged.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum MigrationError {
    /// The ruleset says that this is to be refused.
    #[error("{}", .0.iter().map(Difference::to_string).collect::<Vec<_>>().join("\n"))]
    Refused(Vec<Difference>),
    /// What the world has can't be under any ruleset.
    #[error(transparent)]
    CannotBe(#[from] SnapshotError),
}

/// A migrated world.
#[derive(Clone, Debug)]
pub struct Migrated {
    /// The world.
    pub world: World,
    /// Every difference, with its action.
    pub differences: Vec<Difference>,
}

impl World {
    /// Migrates the world to an edited ruleset. Returns every difference from before with its
    /// action, as the section `[migration]` of the new ruleset decides.
    ///
    /// It counts as a change: the revision grows by one. Look up the handles of containers and
    /// holders again; old ones are refused. So are those of kinds, tags and marks, which belong to
    /// a ruleset. Earlier operations can't be undone.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Ruleset, World};
    ///
    /// let rules = |slots| {
    ///     let rules = Ruleset::builder().kind("flare", |kind| kind).container("depot", |depot| depot.slots(slots));
    ///     rules.build().unwrap().into()
    /// };
    /// let mut world = World::new(&rules(4));
    /// let (depot, flare) = (world.container("depot").unwrap(), world.rules().find_kind("flare").unwrap());
    /// assert!(world.perform(&Operation::creating(Amount::Exactly(3), flare, depot)).is_ok());
    ///
    /// let differences = world.reload(&rules(2)).unwrap();
    /// assert_eq!(differences[0].to_string(), "depot: 2 slots instead of 4");
    /// assert_eq!(differences[1].to_string(), "depot/2: slot removed; its 1 flare; moved to ground");
    /// assert_eq!(world.ground().count(), 1);
    /// ```
    ///
    /// # Errors
    /// All that the ruleset says is to be refused. The world is then as it was.
    pub fn reload(&mut self, rules: &Arc<Ruleset>) -> Result<Vec<Difference>, MigrationError> {
        let [before, after] = [&self.rules, rules].map(|rules| rules.sources().iter().map(Source::text));
        // What was set aside may have room by now.
        if self.orphans.is_empty() && before.eq(after) {
            self.go_on_under(rules);
            return Ok(Vec::new());
        }
        // The watch says the same as the audit, and faster, as long as nothing is found.
        let keeps = IncrementalAudit::new(self).keeps_the_laws(self);
        let before = if keeps { Vec::new() } else { crate::audit(&self.rules, &self.snapshot()) };
        if self.orphans.is_empty() && differ_in_caps_only(&self.rules, rules) {
            return self.reload_caps(&before, rules);
        }
        let snapshot = self.snapshot();
        let outline = Outline::new(&self.rules, &snapshot);
        let known = Before { version: self.rules.version(), outline: &outline, alone: false };
        let Migrated { mut world, differences } = migrate(snapshot, known, &before, rules)?;
        world.succeed(self);
        *self = world;
        Ok(differences)
    }

    /// Everything stays in its place, unless it now exceeds a cap and the rules say that it moves.
    fn reload_caps(&mut self, before: &[Violation], rules: &Arc<Ruleset>) -> Result<Vec<Difference>, MigrationError> {
        let (mut world, mut differences) = (self.clone(), Vec::new());
        world.go_on_under_other_caps(rules);
        resolve::treat_limits(&mut world, before, &mut differences)?;
        world.clear(0);
        world.go_on_from(self.revision() + 1, Random(self.random.clone()));
        *self = world;
        Ok(differences)
    }
}

/// Migrates a snapshot. An earlier excess over a limit is not a difference.
pub(crate) fn migrate(
    snapshot: Snapshot,
    known: Before<'_>,
    before: &[Violation],
    rules: &Arc<Ruleset>,
) -> Result<Migrated, MigrationError> {
    let (revision, random) = (snapshot.revision, snapshot.random.clone());
    let mut carrying = Carrying::new(snapshot, known, rules);
    carrying.all();
    let mut differences = std::mem::take(&mut carrying.differences);
    let (spilled, shortcuts) = (std::mem::take(&mut carrying.spilled), std::mem::take(&mut carrying.shortcuts));
    let snapshot = carrying.into_snapshot();
    let refused = |found: &&Difference| found.action == Some(MigrationPolicy::Refuse);
    let refused: Vec<Difference> = differences.iter().filter(refused).cloned().collect();
    if !refused.is_empty() {
        return Err(MigrationError::Refused(refused));
    }
    let mut world = World::from_snapshot(rules, &snapshot)?;
    let kept = resolve::lay_what_spilled(&mut world, &spilled, &mut differences);
    if !kept.is_empty() {
        // A protected item must not be on the ground: it becomes an orphan until there is room for
        // it.
        let mut carrying = Carrying::new(world.snapshot(), known, rules);
        carrying.orphan_landed(&kept);
        world = World::from_snapshot(rules, &carrying.into_snapshot())?;
    }
    let changed = world.change_all_due().into_iter();
    differences.extend(changed.map(|(place, message)| Difference { place, message, action: None, to: Vec::new() }));
    let started = world.start_all_automatic().into_iter();
    differences.extend(started.map(|(place, message)| Difference { place, message, action: None, to: Vec::new() }));
    orphans::bind_again(&mut world, shortcuts, &mut differences);
    resolve::treat_limits(&mut world, before, &mut differences)?;
    world.go_on_from(revision + 1, random);
    Ok(Migrated { world, differences })
}

/// The facts about the earlier ruleset.
#[derive(Clone, Copy)]
pub(crate) struct Before<'a> {
    pub(crate) version: u32,
    pub(crate) outline: &'a Outline,
    /// Only one departed entity is described, so missing others mean nothing.
    pub(crate) alone: bool,
}

/// A stack without a place. It stays on the ground until it finds one.
struct Spilled {
    stack: Stack,
    /// Its earlier place.
    place: String,
    /// The containers to which it may go, in order, before the ground.
    homes: Vec<String>,
    /// The number of its difference.
    described: usize,
}

/// A snapshot on its way to another ruleset.
struct Carrying<'r> {
    rules: &'r Ruleset,
    /// The earlier version.
    since: u32,
    known: Before<'r>,
    snapshot: Snapshot,
    packs: BTreeMap<StackId, Pack>,
    differences: Vec<Difference>,
    spilled: Vec<Spilled>,
    /// What shortcuts are to point at again: holder, shortcut, kind.
    shortcuts: Vec<(String, u32, String)>,
    /// Where each slot is now, by the names of containers.
    slots_now: BTreeMap<String, places::SlotsNow>,
}

impl<'r> Carrying<'r> {
    fn new(mut snapshot: Snapshot, known: Before<'r>, rules: &'r Ruleset) -> Carrying<'r> {
        let packs = std::mem::take(&mut snapshot.packs).into_iter().map(|pack| (pack.pack, pack)).collect();
        Carrying {
            rules,
            since: known.version,
            known,
            snapshot,
            packs,
            differences: Vec::new(),
            spilled: Vec::new(),
            shortcuts: Vec::new(),
            slots_now: BTreeMap::new(),
        }
    }

    fn all(&mut self) {
        if self.since > self.rules.version() {
            let message = format!(
                "the save is of version {}, which is later than version {} of the ruleset: renames are not reversed",
                self.since,
                self.rules.version()
            );
            self.tell("version", message, None);
        }
        self.names();
        self.jobs();
        self.orphan_unknown();
        self.standing();
        self.holders();
        self.give_back();
        self.insides();
        self.looks();
        self.openers();
        self.origins();
        self.orphan_totals();
        let landed = self.spilled.iter().map(|it| Landed { at: Position::default(), stack: it.stack.clone() });
        self.snapshot.ground.extend(landed);
    }

    fn into_snapshot(mut self) -> Snapshot {
        self.snapshot.packs = self.packs.into_values().collect();
        self.snapshot
    }

    fn tell(&mut self, place: impl Into<String>, message: impl Into<String>, action: Option<MigrationPolicy>) {
        let (place, message) = (place.into(), message.into());
        self.differences.push(Difference { place, message, action, to: Vec::new() });
    }
}

fn items(stack: &Stack) -> String {
    format!("{} {}", stack.count, stack.kind)
}

/// All stacks that lie somewhere, with their places.
fn for_each_stack<'s>(
    snapshot: &'s mut Snapshot,
    packs: &'s mut BTreeMap<StackId, Pack>,
    each: &mut impl FnMut(&dyn Fn() -> String, &mut Stack),
) {
    let in_slots = |name: &str, stacks: &mut Vec<InSlot>, each: &mut dyn FnMut(&dyn Fn() -> String, &mut Stack)| {
        stacks.iter_mut().for_each(|lying| each(&|| format!("{name}/{}", lying.slot), &mut lying.stack));
    };
    for container in &mut snapshot.containers {
        in_slots(&container.name, &mut container.stacks, each);
    }
    for holder in &mut snapshot.holders {
        for container in &mut holder.containers {
            in_slots(&format!("{}.{}", holder.name, container.name), &mut container.stacks, each);
        }
        if let Some(stack) = &mut holder.hand {
            each(&|| format!("{}.hand", holder.name), stack);
        }
    }
    for (id, pack) in packs {
        in_slots(&id.to_string(), &mut pack.stacks, each);
    }
    for landed in &mut snapshot.ground {
        let id = landed.stack.id;
        each(&|| format!("ground/{id}"), &mut landed.stack);
    }
}

/// The container of a path to a slot, and the slot.
fn slot_of(path: &Path) -> Option<(String, u32)> {
    use crate::language::{PathRoot, PathStep};
    let [PathStep::Slot(slot)] = path.steps() else { return None };
    let container = match path.root() {
        PathRoot::Name(name) => name.to_string(),
        PathRoot::Of(holder, own) => format!("{holder}.{own}"),
        PathRoot::Stack(pack) => pack.to_string(),
        PathRoot::Ground => return None,
    };
    Some((container, *slot))
}

/// A path to a slot of a container by its name, or by the pack whose inside it is.
fn path_to(container: &str, slot: u32) -> Path {
    match container.parse() {
        Ok(pack) => Path::inside_of(pack, slot),
        Err(_) => Path::slot_of(container, slot),
    }
}
