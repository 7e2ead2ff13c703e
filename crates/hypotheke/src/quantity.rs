//! Exact decimals of up to three places. No floating point takes part in any rule.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A number of up to three decimal places, held as a whole number of thousandths.
///
/// Weights, values, properties and positions are decimals. Their unit is what the ruleset says
/// (`units`).
///
/// ```
/// use hypotheke::Decimal;
///
/// let core: Decimal = "6.4".parse()?;
/// assert_eq!(core.thousandths(), 6_400);
/// assert_eq!(core.to_string(), "6.4");
/// assert!("0.0001".parse::<Decimal>().is_err(), "a fourth place is not cut off in silence");
/// # Ok::<(), hypotheke::DecimalError>(())
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Decimal(i64);

impl Decimal {
    /// 0.
    pub const ZERO: Decimal = Decimal(0);
    /// The largest decimal that may be written: 999 999 999 999.999. Sums may be larger.
    pub const MAX: Decimal = Decimal(999_999_999_999_999);
    /// The smallest decimal that may be written.
    pub const MIN: Decimal = Decimal(-999_999_999_999_999);

    /// A decimal from a number of thousandths.
    #[must_use]
    pub const fn from_thousandths(thousandths: i64) -> Decimal {
        Decimal(thousandths)
    }

    /// The number of thousandths.
    #[must_use]
    pub const fn thousandths(self) -> i64 {
        self.0
    }

    /// True below 0.
    #[must_use]
    pub const fn is_negative(self) -> bool {
        self.0 < 0
    }

    /// The sum, or none where it is beyond what the type can hold.
    #[must_use]
    pub const fn checked_add(self, other: Decimal) -> Option<Decimal> {
        match self.0.checked_add(other.0) {
            Some(sum) => Some(Decimal(sum)),
            None => None,
        }
    }

    /// The difference, or none where it is beyond what the type can hold.
    #[must_use]
    pub const fn checked_sub(self, other: Decimal) -> Option<Decimal> {
        match self.0.checked_sub(other.0) {
            Some(difference) => Some(Decimal(difference)),
            None => None,
        }
    }

    /// The product with a count, or none where it is beyond what the type can hold.
    #[must_use]
    pub const fn checked_times(self, count: u32) -> Option<Decimal> {
        match self.0.checked_mul(count as i64) {
            Some(product) => Some(Decimal(product)),
            None => None,
        }
    }
}

impl From<u32> for Decimal {
    fn from(whole: u32) -> Decimal {
        Decimal(i64::from(whole) * 1_000)
    }
}

/// Why a text is not a [`Decimal`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, thiserror::Error)]
#[non_exhaustive]
pub enum DecimalError {
    /// Nothing was written.
    #[error("a number is missing")]
    Empty,
    /// Something other than an optional minus, digits, and up to three digits after a point.
    #[error("not a number")]
    NotANumber,
    /// A comma in place of the decimal point.
    #[error("it has a decimal comma instead of a point")]
    Comma,
    /// More than three digits after the point.
    #[error("more than three decimal places")]
    TooManyPlaces,
    /// Beyond [`Decimal::MIN`] or [`Decimal::MAX`].
    #[error("out of range: the maximum is 999999999999.999")]
    OutOfRange,
}

impl FromStr for Decimal {
    type Err = DecimalError;

    fn from_str(text: &str) -> Result<Decimal, DecimalError> {
        let (negative, digits) = match text.strip_prefix('-') {
            Some(rest) => (true, rest),
            None => (false, text),
        };
        let (whole, places) = match digits.split_once('.') {
            Some((_, "")) => return Err(DecimalError::NotANumber),
            Some((whole, places)) => (whole, places),
            None => (digits, ""),
        };
        if whole.is_empty() {
            return Err(if text.is_empty() { DecimalError::Empty } else { DecimalError::NotANumber });
        }
        if !whole.bytes().chain(places.bytes()).all(|b| b.is_ascii_digit()) {
            return Err(if is_comma_number(digits) { DecimalError::Comma } else { DecimalError::NotANumber });
        }
        if places.len() > 3 {
            return Err(DecimalError::TooManyPlaces);
        }
        let whole = whole.trim_start_matches('0');
        if whole.len() > 12 {
            return Err(DecimalError::OutOfRange);
        }
        let number = |digits: &str| digits.bytes().fold(0, |sum, b| sum * 10 + i64::from(b - b'0'));
        let scale = [1_000, 100, 10, 1][places.len()];
        let thousandths = number(whole) * 1_000 + number(places) * scale;
        Ok(Decimal(if negative { -thousandths } else { thousandths }))
    }
}

/// Digits, one comma, digits: how spreadsheets of half the world write a number.
fn is_comma_number(text: &str) -> bool {
    let digits = |part: &str| !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit());
    text.split_once(',').is_some_and(|(whole, places)| digits(whole) && digits(places))
}

impl fmt::Display for Decimal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let magnitude = self.0.unsigned_abs();
        let (whole, places) = (magnitude / 1_000, magnitude % 1_000);
        let sign = if self.0 < 0 { "-" } else { "" };
        let mut text = format!("{sign}{whole}");
        if places > 0 {
            text.push_str(format!(".{places:03}").trim_end_matches('0'));
        }
        f.pad(&text)
    }
}

impl Serialize for Decimal {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Decimal {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Decimal, D::Error> {
        let text = <std::borrow::Cow<'de, str>>::deserialize(deserializer)?;
        text.parse().map_err(serde::de::Error::custom)
    }
}

#[cfg(test)]
mod tests {
    use super::{Decimal, DecimalError};

    #[test]
    fn digits_are_read_exactly() {
        for (text, thousandths) in
            [("0", 0), ("46", 46_000), ("6.4", 6_400), ("0.005", 5), ("-1.25", -1_250), ("007.10", 7_100)]
        {
            assert_eq!(text.parse(), Ok(Decimal::from_thousandths(thousandths)), "{text}");
        }
        assert_eq!("999999999999.999".parse(), Ok(Decimal::MAX));
    }

    #[test]
    fn what_is_not_exact_is_an_error() {
        for (text, error) in [
            ("", DecimalError::Empty),
            ("-", DecimalError::NotANumber),
            ("1.", DecimalError::NotANumber),
            (".5", DecimalError::NotANumber),
            ("1e3", DecimalError::NotANumber),
            ("inf", DecimalError::NotANumber),
            ("+1", DecimalError::NotANumber),
            ("1,5", DecimalError::Comma),
            ("0.0001", DecimalError::TooManyPlaces),
            ("1000000000000", DecimalError::OutOfRange),
            ("1000000000000000000000000000000", DecimalError::OutOfRange),
        ] {
            assert_eq!(text.parse::<Decimal>(), Err(error), "{text}");
        }
    }

    proptest::proptest! {
        #[test]
        fn printing_then_reading_gives_the_same(thousandths in Decimal::MIN.0..=Decimal::MAX.0) {
            let decimal = Decimal(thousandths);
            proptest::prop_assert_eq!(decimal.to_string().parse(), Ok(decimal));
        }

        #[test]
        fn no_text_makes_it_panic(text: String) {
            let _ = text.parse::<Decimal>();
        }
    }
}
