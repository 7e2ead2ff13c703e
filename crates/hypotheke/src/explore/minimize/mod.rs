//! Making a trail short, and saying what of the start and the steps it takes.

pub(super) mod needed;
pub(super) mod shorten;
pub(super) mod shrink;
pub(super) mod step;
pub(super) mod why;
