//! What is written for programs: JSON, of which the types are the schemas.

pub(crate) mod ask;
pub(crate) mod check;
pub(crate) mod compare;
pub(crate) mod coverage;
pub(crate) mod diagnostics;
pub(crate) mod explore;
pub(crate) mod fits;
pub(crate) mod fmt;
pub(crate) mod migrate;
pub(crate) mod report;
pub(crate) mod ruleset;
pub(crate) mod save;
pub(crate) mod save_checks;
pub(crate) mod saves;
pub(crate) mod schema;
pub(crate) mod show;
pub(crate) mod verify;
