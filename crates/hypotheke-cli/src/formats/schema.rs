//! The JSON Schemas of what is read and written.

use clap::ValueEnum;
use schemars::{Schema, schema_for};

use super::ask::AskJson;
use super::check::CheckJson;
use super::compare::CompareJson;
use super::coverage::CoverageJson;
use super::explore::ExploreJson;
use super::fits::FitsJson;
use super::fmt::FmtJson;
use super::migrate::MigrateJson;
use super::ruleset::RulesetFile;
use super::save::SaveFile;
use super::save_checks::SavesJson;
use super::saves::{CheckSaveJson, CompareSavesJson};
use super::show::ShowJson;
use super::verify::{DemoJson, VerifyJson};

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
    /// What `show --format json` writes
    Show,
    /// What `ask --format json` writes
    Ask,
    /// What `demo --format json` writes
    Demo,
    /// What `fmt --format json` writes
    Fmt,
    /// What `check SAVE --format json` writes
    CheckSave,
    /// What `compare SAVE SAVE --format json` writes
    CompareSaves,
    /// What `explore --format json` writes
    Explore,
    /// What `saves --format json` writes
    Saves,
    /// What `migrate --format json` writes
    Migrate,
    /// A save in its JSON form
    Save,
}

pub(crate) fn schema(of: SchemaOf) -> Schema {
    match of {
        SchemaOf::Rules => schema_for!(RulesetFile),
        SchemaOf::Verify => schema_for!(VerifyJson),
        SchemaOf::Coverage => schema_for!(CoverageJson),
        SchemaOf::Fits => schema_for!(FitsJson),
        SchemaOf::Compare => schema_for!(CompareJson<'_>),
        SchemaOf::Check => schema_for!(CheckJson<'_>),
        SchemaOf::Show => schema_for!(ShowJson),
        SchemaOf::Ask => schema_for!(AskJson<'_>),
        SchemaOf::Demo => schema_for!(DemoJson<'_>),
        SchemaOf::Fmt => schema_for!(FmtJson),
        SchemaOf::CheckSave => schema_for!(CheckSaveJson),
        SchemaOf::CompareSaves => schema_for!(CompareSavesJson),
        SchemaOf::Explore => schema_for!(ExploreJson),
        SchemaOf::Saves => schema_for!(SavesJson),
        SchemaOf::Migrate => schema_for!(MigrateJson),
        SchemaOf::Save => schema_for!(SaveFile),
    }
}
