//! The subject of a search: the claims, the scope, and the operations to try.

pub(super) mod claims;
pub(super) mod faults;
pub(super) mod file;
pub(super) mod load;
pub(super) mod meant;
pub(super) mod moves;
pub(super) mod places;
pub(super) mod scope;
pub(super) mod sentence;
pub(super) mod tried;
pub(super) mod vacuity;
