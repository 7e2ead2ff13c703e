//! What is saved after a step is read back as the same world.

use std::collections::BTreeSet;

use super::CheckFailure;
use crate::ops::Operation;
use crate::save::Save;
use crate::scenario::ResolvedScenarioFile;
use crate::snapshot::Departure;
use crate::world::World;

/// A world that a scenario comes by.
#[derive(Clone, Copy, Debug)]
pub struct SavedStep<'a> {
    /// The scenario's title, with its row if it has a table.
    pub scenario: &'a str,
    /// The operations so far, as written; empty at the start.
    pub steps: &'a [String],
    /// The world after the last of them.
    pub world: &'a World,
}

/// The loaded worlds of a save, one for each form, with its size in bytes; or the reason why it
/// can't be loaded.
pub type StoredSaves = Result<Vec<(Save, u64)>, String>;

/// What was found.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RoundTripReport {
    /// The number of scenarios; one with a table counts once for each row.
    pub scenarios: u64,
    /// Those that end before their last step, since what they expect does not hold.
    pub unfinished: u64,
    /// Worlds that were saved and read back, in each form.
    pub worlds: u64,
    /// The number of departed holders in those worlds, saved and loaded separately in each form.
    pub departures: u64,
    /// The size of all saves of worlds, in bytes: in JSON, and in binary form.
    pub bytes: (u64, u64),
    /// A save that was loaded as something else.
    pub failure: Option<CheckFailure>,
}

/// Runs all scenarios and saves the world at the start and after every operation, and each holder
/// in it separately. The loaded data must be the same in both forms.
#[must_use]
pub fn check_round_trips(files: &[ResolvedScenarioFile<'_>]) -> RoundTripReport {
    check_round_trips_through(files, &mut |save| {
        let mut read = Vec::new();
        for bytes in [save.to_json().into_bytes(), save.to_bytes()] {
            read.push((Save::read(&bytes).map_err(|error| error.to_string())?, bytes.len() as u64));
        }
        Ok(read)
    })
}

/// The same, through another way of writing and reading: `protected` writes a save down in one way
/// or several, and reads each back, with its size.
pub fn check_round_trips_through(
    files: &[ResolvedScenarioFile<'_>],
    keep: &mut dyn FnMut(&Save) -> StoredSaves,
) -> RoundTripReport {
    let mut found = RoundTripReport::default();
    let (scenarios, unfinished) = for_each_step(files, &mut |step| {
        if found.failure.is_none() {
            let wrong = found.keep(step.world, keep).err();
            found.failure = wrong.map(|wrong| CheckFailure { trace: trace(step), found: wrong });
        }
        found.failure.is_none()
    });
    RoundTripReport { scenarios, unfinished, ..found }
}

/// The way to a world that a scenario comes by.
pub(super) fn trace(step: &SavedStep<'_>) -> Vec<String> {
    let scenario = format!("scenario {}", step.scenario);
    std::iter::once(scenario).chain(step.steps.iter().cloned()).collect()
}

/// Runs all scenarios and passes the world at the start and after every operation to `look`, until
/// it returns false. Returns the number of scenarios, and the number that ended early at a failure.
pub fn for_each_step(files: &[ResolvedScenarioFile<'_>], show: &mut dyn FnMut(&SavedStep<'_>) -> bool) -> (u64, u64) {
    let (mut played, mut unfinished) = (0, 0);
    let mut wanted = true;
    for file in files {
        for scenario in file.file.scenarios() {
            for (title, body) in file.bodies(scenario) {
                if !wanted {
                    return (played, unfinished);
                }
                let mut steps = Vec::new();
                let passed = file.run_shown(scenario, body, &mut |sentence, world| {
                    steps.extend(sentence.map(str::to_owned));
                    wanted = wanted && show(&SavedStep { scenario: &title, steps: &steps, world });
                });
                played += 1;
                unfinished += u64::from(!passed);
            }
        }
    }
    (played, unfinished)
}

impl RoundTripReport {
    fn keep(&mut self, world: &World, keep: &mut dyn FnMut(&Save) -> StoredSaves) -> Result<(), String> {
        let save = Save::of(world);
        let read = keep(&save)?;
        self.worlds += 1;
        let sizes: Vec<u64> = read.iter().map(|(_, bytes)| *bytes).collect();
        self.bytes.0 += sizes.first().copied().unwrap_or_default();
        self.bytes.1 += sizes.last().copied().unwrap_or_default();
        for (read, _) in read {
            let again = read.world(world.rules()).map_err(|error| error.to_string())?;
            compare(&save, &Save::of(&again))?;
            compare(&save, &read)?;
        }
        for departure in departures(world) {
            let save = Save::of_departure(world.rules(), &departure);
            self.departures += 1;
            for (read, _) in keep(&save)? {
                let again = read.departure(world.rules()).map_err(|error| error.to_string())?;
                if again != departure {
                    return Err(format!("{} was saved alone, and a different record was loaded", departure.name()));
                }
            }
        }
        Ok(())
    }
}

/// Each holder, as they would depart from the world as it is.
fn departures(world: &World) -> Vec<Departure> {
    let departed = |holder| {
        let mut world = world.clone();
        let _ = world.perform(&Operation::departing(holder)).ok()?;
        world.departed().first().cloned()
    };
    world.holders().filter_map(departed).collect()
}

/// Says where two saves differ, if they do.
pub(super) fn compare(saved: &Save, read: &Save) -> Result<(), String> {
    if saved.snapshot() == read.snapshot() {
        return Ok(());
    }
    let changes = saved.changes_to(read);
    let places: BTreeSet<&str> = changes.by_place.iter().map(|(place, _)| place.as_str()).collect();
    let described = changes
        .totals
        .iter()
        .map(|change| format!("{}: {} were saved, {} were loaded", change.item, change.before, change.after));
    let described: Vec<String> = described.collect();
    Err(match (described.is_empty(), places.is_empty()) {
        (false, _) => described.join("; "),
        (true, false) => format!("the contents of {} differ", places.into_iter().collect::<Vec<_>>().join(", ")),
        (true, true) => "the loaded world has different counters, ids or open containers".to_owned(),
    })
}
