//! The model again, written for speed and for this model alone: a world is a u128 with a byte a
//! slot, and there is one flat set.

use rustc_hash::FxHashSet;

use crate::model::{GROUND, LIMITS, SLOTS};

const CELLS: usize = SLOTS + GROUND;

fn get(world: u128, at: usize) -> (u8, u8) {
    let byte = (world >> (8 * at)).to_le_bytes()[0];
    (byte >> 4, byte & 15)
}

fn put(world: u128, at: usize, (kind, count): (u8, u8)) -> u128 {
    let byte = if count == 0 { 0 } else { u128::from(kind << 4 | count) };
    world & !(0xff << (8 * at)) | byte << (8 * at)
}

/// Kinds count from 1, so that an empty slot is 0.
fn limit(kind: u8) -> u8 {
    LIMITS[usize::from(kind) - 1]
}

fn each_amount(count: u8, room: u8, mut each: impl FnMut(u8)) {
    let most = count.min(room);
    let half = count.div_ceil(2);
    if 1 < most {
        each(1);
    }
    if half > 1 && half < most {
        each(half);
    }
    if most > 0 {
        each(most);
    }
}

fn each_after(world: u128, mut each: impl FnMut(u128)) {
    let landed = (SLOTS..CELLS).take_while(|&at| get(world, at).1 > 0).count();
    for from in 0..SLOTS {
        let (kind, count) = get(world, from);
        if count == 0 {
            continue;
        }
        for to in (0..SLOTS).filter(|to| *to != from) {
            let (other, there) = get(world, to);
            if there == 0 || other == kind {
                each_amount(count, limit(kind) - there, |amount| {
                    each(put(put(world, from, (kind, count - amount)), to, (kind, there + amount)));
                });
            }
            if there == 0 || from < to {
                each(put(put(world, from, (other, there)), to, (kind, count)));
            }
        }
        // A move onto itself and a swap with itself.
        each(world);
        each(world);
        if landed < GROUND {
            each_amount(count, count, |amount| {
                each(put(put(world, from, (kind, count - amount)), SLOTS + landed, (kind, amount)));
            });
        }
    }
    for from in SLOTS..SLOTS + landed {
        let (kind, count) = get(world, from);
        for to in 0..SLOTS {
            let (other, there) = get(world, to);
            if there > 0 && other != kind {
                continue;
            }
            each_amount(count, limit(kind) - there, |amount| {
                let mut next = put(world, to, (kind, there + amount));
                if amount < count {
                    next = put(next, from, (kind, count - amount));
                } else {
                    for at in from..CELLS {
                        next = put(next, at, if at + 1 < CELLS { get(next, at + 1) } else { (0, 0) });
                    }
                }
                each(next);
            });
        }
    }
}

/// How many worlds there are, and how many steps between them.
pub(crate) fn search() -> (usize, u64) {
    let start = [(1, 1), (1, 1), (2, 1), (2, 1), (3, 4), (3, 1)];
    let start = start.into_iter().enumerate().fold(0, |world, (at, stack)| put(world, at, stack));
    let (mut seen, mut open, mut next, mut steps) = (FxHashSet::default(), vec![start], 0, 0);
    seen.insert(start);
    while next < open.len() {
        each_after(open[next], |after| {
            steps += 1;
            if seen.insert(after) {
                open.push(after);
            }
        });
        next += 1;
    }
    (seen.len(), steps)
}
