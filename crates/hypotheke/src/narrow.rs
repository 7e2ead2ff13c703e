//! Numbers in fewer bits.

/// The position of an entry in a list, or the length of a list, as it is kept: in 32 bits.
///
/// No list of a ruleset, a world or a search has that many entries: a text has at most 4 GiB, and
/// each entry takes several bytes. A debug build stops here anyway. A release build returns the
/// highest number, which finds nothing.
#[inline(always)]
pub(crate) fn index(position: usize) -> u32 {
    let narrow = u32::try_from(position);
    debug_assert!(narrow.is_ok(), "a list of {position} entries");
    narrow.unwrap_or(u32::MAX)
}

/// The number, or the maximum of an amount: a larger request makes no difference there.
#[inline(always)]
pub(crate) fn at_most(count: impl TryInto<u32>) -> u32 {
    count.try_into().unwrap_or(u32::MAX)
}

/// The lowest eight bits of a number.
#[inline(always)]
pub(crate) fn low_byte(number: u64) -> u8 {
    (number & 0xff) as u8
}
