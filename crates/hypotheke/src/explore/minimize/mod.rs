//! Making a trace short, and saying what of the start and the steps it takes.

pub(super) mod explain;
pub(super) mod minimize_start;
pub(super) mod shorten;
pub(super) mod shrink;
pub(super) mod step;
