//! Random walks: what is drawn, and how it is played.

pub(super) mod draw;
pub(super) mod stock;
pub(super) mod walk;
