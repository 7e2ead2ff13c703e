//! Random walks: what is drawn, and how it is played.

pub(super) mod generate;
pub(super) mod stock;
pub(super) mod walk;
