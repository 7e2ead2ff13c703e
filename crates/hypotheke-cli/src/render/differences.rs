//! The places where two worlds differ, before and after side by side.

use hypotheke::scenario::PlaceDifference;

use super::report::counted;
use super::{Page, Tone, clip, pad, width};

/// The maximum number of places that are shown.
const MAX_PLACES: usize = 12;
/// The minimum number of places of a container that are shown.
const MIN_OF_CONTAINER: usize = 2;
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
    // Each container has its share, so that none hides the others.
    let containers: Vec<&[PlaceDifference]> =
        differences.chunk_by(|one, other| one.container == other.container).collect();
    let share = match differences.len() <= MAX_PLACES {
        true => MAX_PLACES,
        false => (MAX_PLACES / containers.len()).max(MIN_OF_CONTAINER),
    };
    // Few places of many containers are all shown.
    let shown = if share == MAX_PLACES { containers.len() } else { MAX_PLACES / share };
    let mut left = differences.len();
    for of_container in containers.iter().take(shown) {
        draw_rows(page, &of_container[..of_container.len().min(share)], [place, before]);
        let more = of_container.len().saturating_sub(share);
        if more > 0 {
            let of = if of_container[0].container.is_empty() { "" } else { " of " };
            page.plain(INDENT)
                .rest(Tone::Plain, &format!("and {}{of}{}", counted(more, "more place"), of_container[0].container));
            page.end();
        }
        left -= of_container.len();
    }
    if left > 0 {
        page.plain(INDENT).plain(&format!("and {}", counted(left, "more place"))).end();
    }
}

fn draw_rows(page: &mut Page, differences: &[PlaceDifference], [place, before]: [usize; 2]) {
    for found in differences {
        page.plain(INDENT).put(Tone::Heading, &clip(&found.place, place));
        page.plain(&" ".repeat(place - width(&clip(&found.place, place))));
        page.plain(GAP).plain(&pad(&found.before, before));
        page.plain(GAP).rest(Tone::Notable, &found.after).end();
    }
}
