//! Everything that the library promises, through its public interface.

mod agreement;
mod input;
mod laws;
mod model;
mod scenarios;
mod tables;
mod worlds;
