//! The JSON Schemas of what is read and written.

use clap::ValueEnum;
use schemars::{Schema, schema_for};

use super::check::CheckJson;
use super::compare::CompareJson;
use super::coverage::CoverageJson;
use super::fits::FitsJson;
use super::ruleset::RulesetFile;
use super::verify::VerifyJson;

/// Of what there is a schema.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum SchemaOf {
    /// The ruleset file, for editors that know TOML
    Rules,
    /// What `verify --format json` writes
    Verify,
    /// What `coverage --format json` writes
    Coverage,
    /// What `fits --format json` writes
    Fits,
    /// What `compare --format json` writes
    Compare,
    /// What `check --format json` writes
    Check,
}

pub(crate) fn schema(of: SchemaOf) -> Schema {
    match of {
        SchemaOf::Rules => schema_for!(RulesetFile),
        SchemaOf::Verify => schema_for!(VerifyJson),
        SchemaOf::Coverage => schema_for!(CoverageJson),
        SchemaOf::Fits => schema_for!(FitsJson),
        SchemaOf::Compare => schema_for!(CompareJson<'_>),
        SchemaOf::Check => schema_for!(CheckJson<'_>),
    }
}
