//! Reading deals.

use toml::Spanned;
use toml::de::DeValue;

use super::{DealSource, PriceSource, Rounding};
use crate::quantity::Decimal;
use crate::ruleset::read::{Reading, Section};
use crate::ruleset::source::Written;
use crate::ruleset::toml::{check_name, read_access, read_counts, read_portion, require_keys};
use crate::text::Diagnostic;

const DEAL: &[&str] = &["at", "by", "gives", "takes", "of", "currency", "buy", "sell", "coins-to", "use-nobody"];
const PRICE: &[&str] = &["factor", "round"];

/// A deal; `None` if it is no table.
pub(in crate::ruleset) fn read(
    reading: &mut Reading<'_>,
    id: Written<String>,
    value: &Spanned<DeValue<'_>>,
) -> Option<DealSource> {
    check_name(reading, &id, "deal", false);
    let section = reading.section(value, format!("deal `{}`", id.value), DEAL)?;
    let mut unread = Vec::new();
    let noted = &mut unread;
    Some(DealSource {
        at: reading.noting(noted, "at", |it, key| it.word_or_words(&section, key)).unwrap_or_default(),
        by: read_access(reading, &section, "by"),
        gives: reading.noting(noted, "gives", |it, key| read_counts(it, &section, key, read_portion)),
        takes: reading.noting(noted, "takes", |it, key| read_counts(it, &section, key, read_portion)),
        of: reading.noting(noted, "of", |it, key| it.filter(&section, key)),
        currency: reading.noting(noted, "currency", |it, key| it.written_text(&section, key)),
        buy: reading.noting(noted, "buy", |it, key| read_price(it, &section, key, Rounding::Up)),
        sell: reading.noting(noted, "sell", |it, key| read_price(it, &section, key, Rounding::Down)),
        coins_to: reading.written_text(&section, "coins-to"),
        use_nobody: reading.flag(&section, "use-nobody").unwrap_or(false),
        unread,
        id,
    })
}

fn read_price(reading: &mut Reading<'_>, section: &Section<'_, '_>, key: &str, round: Rounding) -> Option<PriceSource> {
    let value = section.table.get(key)?;
    let at = reading.at(value);
    let price = reading.section(value, format!("`{key}` of a deal"), PRICE)?;
    require_keys(reading, value, &price, "this price", &["factor"], "{ factor = 1.25, round = \"up\" }");
    let factor = reading.decimal(&price, "factor");
    let choices = [("up", Rounding::Up), ("down", Rounding::Down)];
    let round = reading.choice(&price, "round", &choices).unwrap_or(round);
    let factor = factor?;
    if factor.value <= Decimal::ZERO {
        let message = format!("the factor {} is not above 0", factor.value);
        let fault = Diagnostic::error("out-of-range", factor.at, message).label("too low");
        reading.faults.push(fault.help("Write a factor above 0, such as `factor = 1.25`"));
        return None;
    }
    Some(PriceSource { at, factor: factor.value, round })
}
