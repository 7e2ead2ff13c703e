//! Everything that the library promises, through its public interface.

#![allow(clippy::expect_used, clippy::unwrap_used, clippy::panic, reason = "in a test, a panic fails the test")]

mod agreement;
mod asking;
mod automatic;
mod bulk;
mod chance;
mod changing;
mod comparing;
mod concurrent;
mod coverage;
mod data;
mod deals;
mod departures;
mod examples;
mod exploration;
mod faults;
mod input;
mod laws;
mod layers;
mod measures;
mod meters;
mod migration;
mod model;
mod naive;
mod names;
mod offers;
mod patterns;
mod places;
mod plain;
mod queries;
mod recipes;
mod reload;
mod remedies;
mod replication;
mod rulesets;
mod saves;
mod scenario_lines;
mod scenarios;
mod snapshots;
mod stores;
mod tables;
mod traces;
mod transitions;
mod working;
mod worlds;
