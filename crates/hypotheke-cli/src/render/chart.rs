//! A chart of what an exploration covered, as SVG: states by depth, refusals by reason, a row for
//! each file of claims.

use plotters::coord::Shift;
use plotters::prelude::*;
use plotters::style::FontTransform;
use plotters::style::text_anchor::{HPos, Pos, VPos};

use super::clip;
use crate::formats::explore::ExploredJson;

const WIDTH: u32 = 1_180;
/// Bars of a row at most.
const MOST: usize = 16;
const BAR: usize = 28;
const LINE: RGBColor = RGBColor(70, 96, 120);
const WORLDS: RGBColor = RGBColor(74, 124, 164);
const REFUSED: RGBColor = RGBColor(196, 128, 72);

type Drawing<'a> = DrawingArea<SVGBackend<'a>, Shift>;
type Drawn = Result<(), String>;

/// The whole picture as the text of an SVG file.
pub(crate) fn draw(files: &[ExploredJson]) -> Result<String, String> {
    let mut text = String::new();
    {
        let heights: Vec<u32> = files.iter().map(height).collect();
        let whole = heights.iter().sum::<u32>().max(60);
        let root = SVGBackend::with_string(&mut text, (WIDTH, whole)).into_drawing_area();
        root.fill(&WHITE).map_err(described)?;
        let mut rest = root.clone();
        for (file, height) in files.iter().zip(heights) {
            let (area, below) = rest.split_vertically(height);
            rest = below;
            let title = ("sans-serif", 18).into_font().color(&LINE);
            let area = area.titled(&clip(&file.path, 90), title).map_err(described)?;
            let (left, right) = area.split_horizontally(WIDTH / 2);
            let (what, found) = covered(file);
            bars(&left, what, &found, WORLDS)?;
            bars(&right, "refusals by reason", &reasons(file), REFUSED)?;
        }
        root.present().map_err(described)?;
    }
    Ok(text)
}

fn described(error: impl std::fmt::Display) -> String {
    error.to_string()
}

/// As high as the longer of both lists.
fn height(file: &ExploredJson) -> u32 {
    let lines = covered(file).1.len().max(file.refused.len()).clamp(1, MOST + 1);
    u32::try_from(90 + BAR * lines).unwrap_or(u32::MAX)
}

/// What the left side shows.
fn covered(file: &ExploredJson) -> (&'static str, Vec<(String, u64)>) {
    if file.walks.is_none() {
        return ("states by number of operations from the start", depths(file));
    }
    ("operations of the walks", vec![("applied".to_owned(), file.applied), refused(file)])
}

fn depths(file: &ExploredJson) -> Vec<(String, u64)> {
    file.by_depth.iter().enumerate().map(|(depth, states)| (depth.to_string(), *states)).collect()
}

fn refused(file: &ExploredJson) -> (String, u64) {
    ("refused".to_owned(), file.refused.values().fold(0, |all, count| all.saturating_add(*count)))
}

/// The most frequent first.
fn reasons(file: &ExploredJson) -> Vec<(String, u64)> {
    let mut reasons: Vec<(String, u64)> = file.refused.iter().map(|(reason, count)| (reason.clone(), *count)).collect();
    reasons.sort_by(|one, other| other.1.cmp(&one.1).then_with(|| one.0.cmp(&other.0)));
    reasons
}

/// Horizontal bars, each with its name and its number.
fn bars(area: &Drawing<'_>, title: &str, bars: &[(String, u64)], colour: RGBColor) -> Drawn {
    let text = |size: u32, at: HPos| {
        ("sans-serif", size).into_font().transform(FontTransform::None).color(&LINE).pos(Pos::new(at, VPos::Center))
    };
    let put = |words: String, at: (i32, i32), size: u32, side: HPos| {
        area.draw(&Text::new(words, at, text(size, side))).map_err(described)
    };
    put(title.to_owned(), (24, 14), 14, HPos::Left)?;
    if bars.is_empty() {
        return put("none".to_owned(), (24, 44), 14, HPos::Left);
    }
    let shown = &bars[..bars.len().min(MOST)];
    let lines = i32::try_from(shown.len()).unwrap_or(1);
    let step = i32::try_from(BAR).unwrap_or(28);
    let most = shown.iter().map(|(_, count)| *count).max().unwrap_or(1).max(1);
    let (from, room) = (150, 330.0);
    for (nth, (name, count)) in (0..).zip(shown) {
        let middle = 40 + nth * step;
        #[expect(clippy::cast_precision_loss, clippy::cast_possible_truncation, reason = "a length in pixels")]
        let length = (*count as f64 / most as f64 * room) as i32;
        let half = (step / 2 - 2).max(3);
        let bar = Rectangle::new([(from, middle - half), (from + length.max(1), middle + half)], colour.filled());
        area.draw(&bar).map_err(described)?;
        put(clip(name, 20), (from - 8, middle), 13, HPos::Right)?;
        put(count.to_string(), (from + length.max(1) + 6, middle), 13, HPos::Left)?;
    }
    if bars.len() > MOST {
        put(format!("and {} more", bars.len() - MOST), (from, 40 + lines * step), 13, HPos::Left)?;
    }
    Ok(())
}
