//! Yardsticks.
