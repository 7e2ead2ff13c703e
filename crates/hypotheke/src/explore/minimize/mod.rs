//! Making a trace short, and saying what of the start and the steps it takes.

pub(super) mod changes;
pub(super) mod explain;
pub(super) mod minimize_start;
pub(super) mod minimize_trace;
pub(super) mod step;
