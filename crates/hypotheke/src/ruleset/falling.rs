//! Properties that fall with time, such as freshness.

use std::fmt;

use super::read::{Reading, Value};
use super::source::Written;
use super::toml::{check_name, require_keys};
use super::view::Ruleset;
use crate::id::PropertyId;
use crate::language::ticks_text;
use crate::quantity::Decimal;
use crate::text::Diagnostic;

const PROPERTY: &[&str] = &["falls"];
const FALLS: &[&str] = &["by", "every", "min"];

/// How a property falls with time: of every stack, at each tick that `every` divides, as long as it
/// is above its minimum.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Falling {
    pub(crate) by: Decimal,
    pub(crate) every: u32,
    pub(crate) min: Decimal,
}

impl Falling {
    /// By how much it falls each time.
    #[must_use]
    pub fn by(self) -> Decimal {
        self.by
    }

    /// It falls at each tick that this divides.
    #[must_use]
    pub fn every(self) -> u32 {
        self.every
    }

    /// It stops here.
    #[must_use]
    pub fn min(self) -> Decimal {
        self.min
    }

    /// A value after it has fallen once. One that is at the minimum or below it stays.
    pub(crate) fn fallen(self, value: Decimal) -> Decimal {
        let fallen = value.checked_sub(self.by).unwrap_or(self.min).max(self.min);
        fallen.min(value)
    }

    pub(crate) fn falls_at(self, tick: u64) -> bool {
        tick.is_multiple_of(u64::from(self.every))
    }

    /// In how many ticks it falls next.
    pub(crate) fn ticks_left(self, clock: u64) -> u64 {
        let every = u64::from(self.every);
        every - clock % every
    }
}

/// `by 1 every 10 ticks, to 0`
impl fmt::Display for Falling {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "by {} every {}, to {}", self.by, ticks_text(u64::from(self.every)), self.min)
    }
}

/// A property that falls, as it is written.
#[derive(Clone, Debug)]
pub(crate) struct FallingSource {
    pub(crate) property: Written<String>,
    pub(crate) falling: Falling,
}

impl Ruleset {
    /// The properties that fall with time.
    pub(crate) fn falling(&self) -> &[(PropertyId, Falling)] {
        &self.falling
    }

    /// Whether anything can fall due: a recipe takes time, or a property falls.
    pub(crate) fn takes_time(&self) -> bool {
        !self.falling.is_empty() || self.containers.iter().any(|def| def.works)
    }
}

pub(super) fn read(reading: &mut Reading<'_>, property: Written<String>, value: &Value<'_>) -> Option<FallingSource> {
    check_name(reading, &property, "property", false);
    let what = format!("property `{}`", property.value);
    let section = reading.section(value, &what, PROPERTY)?;
    let example = "{ by = 1, every = 10 }";
    require_keys(reading, value, &section, &what, PROPERTY, example);
    let value = section.table.get("falls")?;
    let falls = reading.section(value, format!("`falls` of {what}"), FALLS)?;
    require_keys(reading, value, &falls, &format!("`falls` of {what}"), &FALLS[..2], example);
    let (by, every) = (reading.decimal(&falls, "by"), reading.count(&falls, "every"));
    let min = reading.decimal(&falls, "min").map_or(Decimal::ZERO, |min| min.value);
    let (by, every) = (by?, every?);
    if by.value <= Decimal::ZERO {
        let message = format!("{what} falls by {}", by.value);
        let fault = Diagnostic::error("out-of-range", by.at, message).label("not more than 0");
        reading.faults.push(fault.help("Write by how much it falls, such as `1`"));
    }
    let falling = Falling { by: by.value, every: every.value, min };
    Some(FallingSource { property, falling })
}
