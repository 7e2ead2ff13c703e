//! The places where two worlds differ, before and after side by side.

use hypotheke::scenario::PlaceDifference;

use super::report::counted;
use super::{Page, Tone, clip, pad, width};

/// The maximum number of places that are shown.
const MAX_PLACES: usize = 16;
const INDENT: &str = "      ";
const GAP: &str = "  ";

pub(super) fn draw(page: &mut Page, heads: [&str; 2], differences: &[PlaceDifference]) {
    let room = page.columns() - INDENT.len() - 2 * GAP.len();
    let widest = |head: &str, text: fn(&PlaceDifference) -> &str| {
        differences.iter().map(|found| width(text(found))).fold(width(head), usize::max).min(room / 3)
    };
    let place = widest("place", |found| &found.place);
    let before = widest(heads[0], |found| &found.before);
    page.plain(INDENT).plain(&pad("place", place)).plain(GAP).plain(&pad(heads[0], before));
    page.plain(GAP).rest(Tone::Plain, heads[1]).end();
    for found in differences.iter().take(MAX_PLACES) {
        page.plain(INDENT).put(Tone::Heading, &clip(&found.place, place));
        page.plain(&" ".repeat(place - width(&clip(&found.place, place))));
        page.plain(GAP).plain(&pad(&found.before, before));
        page.plain(GAP).rest(Tone::Notable, &found.after).end();
    }
    let more = differences.len().saturating_sub(MAX_PLACES);
    if more > 0 {
        page.plain(INDENT).plain(&format!("and {}", counted(more, "more place"))).end();
    }
}
