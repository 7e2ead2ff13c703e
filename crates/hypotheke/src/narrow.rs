//! Numbers in fewer bits.

/// The position of an entry in a list, or the length of a list, as it is kept: in 32 bits.
///
/// No list of a ruleset, a world or a search has so many entries that this could fail: a text is read only up to 4 GiB, and each
/// entry takes several bytes. Should one grow beyond all the same, a debug build stops here. A release build gives the highest
/// number, at which nothing is found.
#[inline(always)]
pub(crate) fn index(position: usize) -> u32 {
    let narrow = u32::try_from(position);
    debug_assert!(narrow.is_ok(), "a list of {position} entries");
    narrow.unwrap_or(u32::MAX)
}

/// So many, or as many as an amount can say: what more is requested or left over makes no difference there.
#[inline(always)]
pub(crate) fn at_most(count: impl TryInto<u32>) -> u32 {
    count.try_into().unwrap_or(u32::MAX)
}

/// The lowest eight bits of a number.
#[inline(always)]
pub(crate) fn low_byte(number: u64) -> u8 {
    (number & 0xff) as u8
}
