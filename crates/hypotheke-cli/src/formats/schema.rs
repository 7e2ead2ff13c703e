//! The JSON Schemas of files and outputs.

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
use super::report::ReportJson;
use super::ruleset::RulesetFile;
use super::save::SaveFile;
use super::save_checks::TestSavesJson;
use super::saves::{CheckSaveJson, CompareSavesJson};
use super::show::ShowJson;
use super::verify::{DemoJson, VerifyJson};

/// The files and outputs that have a schema.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum SchemaOf {
    /// The ruleset file, for editors that know TOML
    Rules,
    /// The output of `verify --format json`
    Verify,
    /// The output of `coverage --format json`
    Coverage,
    /// The output of `fits --format json`
    Fits,
    /// The output of `compare --format json`
    Compare,
    /// The output of `check --format json`
    Check,
    /// The output of `show --format json`
    Show,
    /// The output of `ask --format json`
    Ask,
    /// The output of `demo --format json`
    Demo,
    /// The output of `fmt --format json`
    Fmt,
    /// The output of `check SAVE --format json`
    CheckSave,
    /// The output of `compare SAVE SAVE --format json`
    CompareSaves,
    /// The output of `explore --format json`
    Explore,
    /// The output of `test-saves --format json`
    TestSaves,
    /// The output of `migrate --format json`
    Migrate,
    /// The output of `report --format json`
    Report,
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
        SchemaOf::TestSaves => schema_for!(TestSavesJson),
        SchemaOf::Migrate => schema_for!(MigrateJson),
        SchemaOf::Report => schema_for!(ReportJson),
        SchemaOf::Save => schema_for!(SaveFile),
    }
}
