//! Drawing. Every text that comes from a file goes through [`Page`], which takes control characters
//! out of it.

pub(crate) mod chart;
pub(crate) mod compare;
pub(crate) mod container;
pub(crate) mod coverage;
pub(crate) mod diagnostics;
mod differences;
pub(crate) mod explore;
pub(crate) mod fits;
pub(crate) mod holder;
pub(crate) mod html;
pub(crate) mod junit;
pub(crate) mod kinds;
pub(crate) mod markdown;
mod page;
pub(crate) mod report;
pub(crate) mod save_checks;
pub(crate) mod summary;

pub(crate) use page::{PIPED_COLUMNS, Page, Tone, clip, fold, output_columns, pad, width};

pub(crate) use crate::clean::{clean, steers};
