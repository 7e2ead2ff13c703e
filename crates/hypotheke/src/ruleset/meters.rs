//! Meters of holders, such as warmth, and the use of items, which changes them.

use std::collections::BTreeSet;

use super::read::{Reading, Section, Value};
use super::source::Written;
use super::toml::{check_name, require_keys};
use crate::id::PropertyId;
use crate::language::MEASURED_OF;
use crate::quantity::Decimal;
use crate::text::Diagnostic;

const METER: &[&str] = &["start", "min", "max", "beyond"];
const USE: &[&str] = &["effects", "lowers"];

/// What happens where a use would bring a meter beyond a bound.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum Beyond {
    /// The meter stops at the bound.
    #[default]
    Stop,
    /// The use is refused.
    Refuse,
}

impl Beyond {
    pub(crate) const ALL: &[(&str, Beyond)] = &[("stop", Beyond::Stop), ("refuse", Beyond::Refuse)];

    /// As a ruleset file says it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Beyond::Stop => "stop",
            Beyond::Refuse => "refuse",
        }
    }
}

/// A number that each holder of a definition has, between two bounds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Meter {
    pub(super) name: Box<str>,
    pub(crate) start: Decimal,
    pub(crate) min: Decimal,
    pub(crate) max: Decimal,
    pub(crate) beyond: Beyond,
}

impl Meter {
    /// The name in sentences.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The value that a new holder has.
    #[must_use]
    pub fn start(&self) -> Decimal {
        self.start
    }

    /// The minimum.
    #[must_use]
    pub fn min(&self) -> Decimal {
        self.min
    }

    /// The maximum.
    #[must_use]
    pub fn max(&self) -> Decimal {
        self.max
    }

    /// What happens at the bounds.
    #[must_use]
    pub fn beyond(&self) -> Beyond {
        self.beyond
    }

    /// The bound that a change may lead to. A value that is beyond it already stays, or comes back.
    pub(crate) fn bound(&self, value: Decimal, rises: bool) -> Decimal {
        if rises { self.max.max(value) } else { self.min.min(value) }
    }
}

/// A meter as it is written.
#[derive(Clone, Debug)]
pub(crate) struct MeterSource {
    pub(crate) name: Written<String>,
    pub(crate) start: Decimal,
    pub(crate) min: Decimal,
    pub(crate) max: Decimal,
    pub(crate) beyond: Beyond,
}

impl MeterSource {
    pub(super) fn compiled(&self) -> Meter {
        let MeterSource { name, start, min, max, beyond } = self;
        Meter { name: name.value.as_str().into(), start: *start, min: *min, max: *max, beyond: *beyond }
    }
}

/// What a use of an item does, as it is written.
#[derive(Clone, Debug)]
pub(crate) struct UseSource {
    pub(crate) effects: Vec<(Written<String>, Decimal)>,
    pub(crate) lowers: Vec<(Written<String>, Decimal)>,
}

/// What one use of an item does.
#[derive(Clone, Debug, Default)]
pub(crate) struct UseOf {
    /// By how much it changes meters of the holder, in the order of their names.
    pub(super) effects: Vec<(Box<str>, Decimal)>,
    /// By how much it lowers properties of the item, in their order.
    pub(super) lowers: Vec<(PropertyId, Decimal)>,
}

/// The meters of a holder, and the names of all of them, of which some may have faults.
pub(super) fn read_meters(
    reading: &mut Reading<'_>,
    section: &Section<'_, '_>,
    names: &mut BTreeSet<String>,
) -> Vec<MeterSource> {
    let entries = reading.entries(section, "meters");
    names.extend(entries.iter().map(|(name, _)| name.value.clone()));
    entries.into_iter().filter_map(|(name, value)| read_meter(reading, name, value)).collect()
}

fn read_meter(reading: &mut Reading<'_>, name: Written<String>, value: &Value<'_>) -> Option<MeterSource> {
    check_name(reading, &name, "meter", false);
    if MEASURED_OF.contains(&name.value.as_str()) {
        let message = format!("`{}` can't be the name of a meter", name.value);
        let fault = Diagnostic::error("bad-name", name.at, message).label("reserved");
        reading.faults.push(fault.help(format!("`{} of` begins a check of scenarios", name.value)));
    }
    let what = format!("meter `{}`", name.value);
    let section = reading.section(value, &what, METER)?;
    require_keys(reading, value, &section, &what, &METER[..3], "{ start = 10, min = 0, max = 10 }");
    let beyond = reading.choice(&section, "beyond", Beyond::ALL).unwrap_or_default();
    let [start, min, max] = ["start", "min", "max"].map(|key| reading.decimal(&section, key));
    let (start, min, max) = (start?, min?, max?);
    if min.value > max.value {
        let message = format!("{what} has a minimum of {} and a maximum of {}", min.value, max.value);
        let fault = Diagnostic::error("out-of-range", min.at, message).label("more than `max`");
        let help = "Write the lower number as `min` and the higher one as `max`";
        reading.faults.push(fault.related(max.at, "less than `min`").help(help));
    } else if !(min.value..=max.value).contains(&start.value) {
        let message = format!("{what} starts at {}, not between {} and {}", start.value, min.value, max.value);
        let fault = Diagnostic::error("out-of-range", start.at, message).label("beyond a bound");
        reading.faults.push(fault.help("Change the start, or the bound"));
    }
    Some(MeterSource { name, start: start.value, min: min.value, max: max.value, beyond })
}

pub(super) fn read_use(reading: &mut Reading<'_>, kind: &str, section: &Section<'_, '_>) -> Option<UseSource> {
    let section = reading.section(section.table.get("use")?, format!("the use of `{kind}`"), USE)?;
    let mut effects = Vec::new();
    for (name, value) in reading.entries(&section, "effects") {
        let Some(number) = reading.one_decimal(value, &format!("the effect on `{}`", name.value)) else { continue };
        if number.value == Decimal::ZERO {
            let message = format!("the effect on `{}` is 0", name.value);
            let fault = Diagnostic::error("out-of-range", number.at, message).label("no effect");
            reading.faults.push(fault.help("Write by how much the meter rises, or `-` and by how much it falls"));
        }
        effects.push((name, number.value));
    }
    let mut lowers = Vec::new();
    for (name, value) in reading.entries(&section, "lowers") {
        let Some(number) = reading.one_decimal(value, &format!("the use of `{}`", name.value)) else { continue };
        if number.value <= Decimal::ZERO {
            let message = format!("a use lowers `{}` by {}", name.value, number.value);
            let fault = Diagnostic::error("out-of-range", number.at, message).label("not more than 0");
            reading.faults.push(fault.help("Write by how much it falls, such as `1`"));
        }
        lowers.push((name, number.value));
    }
    Some(UseSource { effects, lowers })
}
