//! What a world keeps by difference may be forgotten on purpose, for the tests of what has to notice it. Elsewhere nothing is.

/// What is not kept in step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Forgotten {
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
    /// What lies on the ground weighs.
    GroundWeight,
}

#[cfg(not(test))]
#[inline(always)]
pub(crate) fn forgets(_: Forgotten) -> bool {
    false
}

#[cfg(test)]
impl Forgotten {
    pub(crate) const ALL: [Forgotten; 6] = [
        Forgotten::Weight,
        Forgotten::HolderWeight,
        Forgotten::Taken,
        Forgotten::Slot,
        Forgotten::Cap,
        Forgotten::GroundWeight,
    ];
}

#[cfg(test)]
pub(crate) use switch::{forgets, forgetting};

#[cfg(test)]
mod switch {
    use std::cell::Cell;

    use super::Forgotten;

    thread_local! {
        static FORGOTTEN: Cell<Option<Forgotten>> = const { Cell::new(None) };
    }

    pub(crate) fn forgets(what: Forgotten) -> bool {
        FORGOTTEN.get() == Some(what)
    }

    /// Runs something while something is forgotten.
    pub(crate) fn forgetting<T>(what: Forgotten, run: impl FnOnce() -> T) -> T {
        FORGOTTEN.set(Some(what));
        let done = run();
        FORGOTTEN.set(None);
        done
    }
}
