//! Random walks: how operations are chosen and performed.

pub(super) mod generate;
pub(super) mod stock;
pub(super) mod walk;
