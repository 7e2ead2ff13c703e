//! What a world keeps by difference may be forgotten on purpose, for the tests of what has to
//! notice it. Elsewhere nothing is.

/// What is not kept in step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum SkippedUpdate {
    /// The weight of a container, where something goes.
    Weight,
    /// The weight of a holder, where something goes.
    HolderWeight,
    /// How many slots are taken.
    Taken,
    /// Which slots are empty, and which hold what.
    Slot,
    /// How many items satisfy the filter of a cap, where something goes.
    Cap,
    /// The weight of the ground.
    GroundWeight,
}

#[cfg(not(test))]
#[inline(always)]
pub(crate) fn skips(_: SkippedUpdate) -> bool {
    false
}

#[cfg(test)]
impl SkippedUpdate {
    pub(crate) const ALL: [SkippedUpdate; 6] = [
        SkippedUpdate::Weight,
        SkippedUpdate::HolderWeight,
        SkippedUpdate::Taken,
        SkippedUpdate::Slot,
        SkippedUpdate::Cap,
        SkippedUpdate::GroundWeight,
    ];
}

#[cfg(test)]
pub(crate) use switch::{skipping, skips};

#[cfg(test)]
mod switch {
    use std::cell::Cell;

    use super::SkippedUpdate;

    thread_local! {
        static FORGOTTEN: Cell<Option<SkippedUpdate>> = const { Cell::new(None) };
    }

    pub(crate) fn skips(what: SkippedUpdate) -> bool {
        FORGOTTEN.get() == Some(what)
    }

    /// Runs something while something is forgotten.
    pub(crate) fn skipping<T>(what: SkippedUpdate, run: impl FnOnce() -> T) -> T {
        FORGOTTEN.set(Some(what));
        let done = run();
        FORGOTTEN.set(None);
        done
    }
}
