//! Everything that the library promises, through its public interface.

#![allow(clippy::expect_used, clippy::unwrap_used, clippy::panic, reason = "in a test, what goes wrong fails the test")]

mod agreement;
mod asking;
mod bulk;
mod comparing;
mod coverage;
mod data;
mod examples;
mod exchange;
mod exploration;
mod input;
mod laws;
mod layers;
mod migration;
mod model;
mod naive;
mod names;
mod places;
mod plain;
mod queries;
mod reload;
mod rulesets;
mod saves;
mod scenario_lines;
mod scenarios;
mod several;
mod snapshots;
mod stores;
mod tables;
mod trails;
mod transitions;
mod travel;
mod worlds;
