//! States as few bytes: what two states must have in common to be one, which slots make no
//! difference, and each state once.

pub(super) mod canonical;
pub(super) mod fixed_width;
pub(super) mod packed;
pub(super) mod store;
pub(super) mod symmetry;
pub(super) mod table;
