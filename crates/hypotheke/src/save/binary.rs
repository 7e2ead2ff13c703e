//! The binary form: two values of MessagePack, a header with a checksum and a body. Each name is
//! stored once, and stack data is stored in columns, as differences where these are small.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::io::Cursor;

use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

use super::json::check_format;
use super::layout::{Bearer, Counters, Place, Rebuilding, bearers, places};
use super::words;
use super::{FORMAT, RulesetInfo, Save, SaveError};
use crate::id::{DepartureId, StackId};
use crate::language::Position;
use crate::migration::Outline;
use crate::narrow;
use crate::quantity::Decimal;
use crate::snapshot::Answered;
use crate::snapshot::{InSlot, KindTotals, Landed, Orphan, Snapshot, Stack};

const WORD: &str = "hypotheke-save";

/// The part before the body.
#[derive(Serialize, Deserialize)]
struct Head<'s>(&'s str, u32, u32);

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Body<'s> {
    ruleset: RulesetInfo,
    #[serde(default)]
    outline: Outline,
    #[serde(default)]
    departure: Option<DepartureId>,
    counters: Counters,
    #[serde(borrow)]
    holders: Vec<Bearer<'s>>,
    #[serde(borrow)]
    containers: Vec<Place<'s>>,
    #[serde(alias = "tallies")]
    totals: BTreeMap<String, KindTotals>,
    requests: Vec<Answered>,
    #[serde(default, alias = "strays")] // plain-ok: format 1
    orphans: Vec<Orphan>,
    /// Kinds by the numbers that the column has.
    #[serde(borrow)]
    kinds: Vec<Cow<'s, str>>,
    /// Marks and properties by the numbers that the column has, less one: 0 is a stack without.
    variants: Vec<Variant>,
    /// The number of stacks in each container, in each hand, on the ground.
    lying: Vec<u32>,
    /// For each stack in a container: the number of empty slots before it.
    gaps: Vec<u32>,
    /// For each on the ground, in thousandths.
    positions: Vec<(i64, i64)>,
    ids: Vec<i64>,
    kind: Vec<u32>,
    count: Vec<u32>,
    variant: Vec<u32>,
    /// The numbers of the stacks that their containers work on.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    in_work: Vec<u32>,
}

/// Marks, and properties in thousandths.
type Variant = (Vec<String>, Vec<(String, i64)>);

/// What a variant is made of, as stacks tell it.
type Looks<'s> = (&'s [String], Vec<(&'s str, Decimal)>);

/// Many stacks may share a variant, but the average number of marks and properties of a stack is
/// limited: otherwise a few bytes could request more memory than there is.
const SHARED_A_STACK: u64 = 4;

#[derive(Default)]
struct Columns<'s> {
    /// Every stack with marks or properties has a variant of its own.
    unshared: bool,
    kinds: Vec<Cow<'s, str>>,
    kind_numbers: FxHashMap<&'s str, u32>,
    variants: Vec<Variant>,
    variant_numbers: BTreeMap<Looks<'s>, u32>,
    lying: Vec<u32>,
    gaps: Vec<u32>,
    ids: Vec<i64>,
    kind: Vec<u32>,
    count: Vec<u32>,
    variant: Vec<u32>,
    in_work: Vec<u32>,
    last_id: u64,
}

fn small(length: usize) -> u32 {
    narrow::index(length)
}

impl<'s> Columns<'s> {
    fn container(&mut self, stacks: &'s [InSlot]) {
        self.lying.push(small(stacks.len()));
        let mut next = 0;
        for InSlot { slot, stack, in_work } in stacks {
            if *in_work {
                self.in_work.push(small(self.ids.len()));
            }
            // One that lies out of order wraps around, and comes back by wrapping around.
            self.gaps.push(slot.wrapping_sub(next));
            next = slot.wrapping_add(1);
            self.stack(stack);
        }
    }

    fn stack(&mut self, stack: &'s Stack) {
        let kinds = &mut self.kinds;
        let kind = *self.kind_numbers.entry(stack.kind.as_str()).or_insert_with(|| {
            kinds.push(Cow::Borrowed(stack.kind.as_str()));
            small(kinds.len() - 1)
        });
        self.kind.push(kind);
        self.ids.push(stack.id.0.wrapping_sub(self.last_id).cast_signed());
        self.last_id = stack.id.0;
        self.count.push(stack.count);
        let variant = self.variant_of(stack);
        self.variant.push(variant);
    }

    fn variant_of(&mut self, stack: &'s Stack) -> u32 {
        if stack.marks.is_empty() && stack.properties.is_empty() {
            return 0;
        }
        let properties: Vec<(&str, Decimal)> =
            stack.properties.iter().map(|(name, value)| (name.as_str(), *value)).collect();
        let variants = &mut self.variants;
        if self.unshared {
            let properties = properties.iter().map(|(name, value)| ((*name).to_owned(), value.thousandths()));
            variants.push((stack.marks.clone(), properties.collect()));
            return small(variants.len());
        }
        *self.variant_numbers.entry((&stack.marks, properties)).or_insert_with_key(|(marks, properties)| {
            let properties = properties.iter().map(|(name, value)| ((*name).to_owned(), value.thousandths()));
            variants.push((marks.to_vec(), properties.collect()));
            small(variants.len())
        })
    }
}

fn columns<'s>(snapshot: &'s Snapshot, places: &[(Place<'s>, &'s [InSlot])], unshared: bool) -> Columns<'s> {
    let mut columns = Columns { unshared, ..Columns::default() };
    places.iter().for_each(|(_, stacks)| columns.container(stacks));
    for holder in &snapshot.holders {
        columns.lying.push(u32::from(holder.hand.is_some()));
        holder.hand.iter().for_each(|stack| columns.stack(stack));
    }
    columns.lying.push(small(snapshot.ground.len()));
    snapshot.ground.iter().for_each(|landed| columns.stack(&landed.stack));
    columns
}

fn looks_of((marks, properties): &Variant) -> u64 {
    marks.len() as u64 + properties.len() as u64
}

/// Whether stacks have too many shared marks and properties to be read again.
fn shares_too_much(variants: &[Variant], column: &[u32]) -> bool {
    let described: u64 = variants.iter().map(looks_of).sum();
    let of = |&number: &u32| variants.get(number.wrapping_sub(1) as usize).map_or(0, looks_of);
    let had = column.iter().map(of).fold(0, u64::saturating_add);
    had > described.saturating_add(SHARED_A_STACK * column.len() as u64)
}

pub(super) fn write(save: &Save) -> Vec<u8> {
    let snapshot = &save.snapshot;
    let places = places(snapshot);
    let mut columns = columns(snapshot, &places, false);
    if shares_too_much(&columns.variants, &columns.variant) {
        columns = self::columns(snapshot, &places, true);
    }
    let position = |Landed { at, .. }: &Landed| (at.x.thousandths(), at.y.thousandths());
    let body = Body {
        ruleset: save.rules.clone(),
        outline: save.outline.clone(),
        departure: save.departure,
        counters: Counters::of(snapshot),
        holders: bearers(snapshot),
        containers: places.into_iter().map(|(place, _)| place).collect(),
        totals: snapshot.totals.clone(),
        requests: snapshot.requests.clone(),
        orphans: snapshot.orphans.clone(),
        kinds: columns.kinds,
        variants: columns.variants,
        lying: columns.lying,
        gaps: columns.gaps,
        positions: snapshot.ground.iter().map(position).collect(),
        ids: columns.ids,
        kind: columns.kind,
        count: columns.count,
        variant: columns.variant,
        in_work: columns.in_work,
    };
    // Plain data: nothing in it can't be written.
    let body = rmp_serde::to_vec_named(&body);
    debug_assert!(body.is_ok(), "{body:?}");
    let body = body.unwrap_or_default();
    let mut bytes = rmp_serde::to_vec(&Head(WORD, FORMAT, crc32fast::hash(&body))).unwrap_or_default();
    bytes.extend(body);
    bytes
}

/// Whether bytes begin with the head of a save.
pub(super) fn begins(bytes: &[u8]) -> bool {
    let head = rmp_serde::to_vec(&Head(WORD, 0, 0)).unwrap_or_default();
    bytes.starts_with(&head[..head.len().min(WORD.len() + 2)])
}

fn bad(error: &rmp_serde::decode::Error) -> SaveError {
    let message = match error {
        rmp_serde::decode::Error::InvalidMarkerRead(_) | rmp_serde::decode::Error::InvalidDataRead(_) => {
            "the file ends too early".to_owned()
        }
        _ => words::plain(&error.to_string()),
    };
    SaveError::Binary { message }
}

pub(super) fn read(bytes: &[u8]) -> Result<Save, SaveError> {
    let mut cursor = Cursor::new(bytes);
    let head: (String, u32, u32) = {
        let mut reader = rmp_serde::Deserializer::new(&mut cursor);
        Deserialize::deserialize(&mut reader).map_err(|error| bad(&error))?
    };
    let (word, format, checksum) = head;
    if word != WORD {
        return Err(SaveError::Binary { message: format!("the file does not begin with `{WORD}`") });
    }
    check_format(format)?;
    let start = usize::try_from(cursor.position()).unwrap_or(bytes.len()).min(bytes.len());
    let body = &bytes[start..];
    let counted = crc32fast::hash(body);
    if counted != checksum {
        return Err(SaveError::Damaged { found: format!("{checksum:08x}"), counted: format!("{counted:08x}") });
    }
    let mut reader = rmp_serde::Deserializer::from_read_ref(body);
    let read: Body<'_> = Deserialize::deserialize(&mut reader).map_err(|error| bad(&error))?;
    Laying::new(read)?.all()
}

/// Goes through the columns.
struct Laying<'s> {
    body: Body<'s>,
    /// The number of stacks so far.
    described: usize,
    id: u64,
}

impl<'s> Laying<'s> {
    fn new(body: Body<'s>) -> Result<Laying<'s>, SaveError> {
        let count = body.ids.len();
        let lying: u64 = body.lying.iter().map(|&count| u64::from(count)).sum();
        let columns = [body.kind.len(), body.count.len(), body.variant.len()];
        if columns.iter().any(|&length| length != count) || lying != count as u64 {
            return Err(SaveError::inconsistent("stacks", "the columns are of different lengths"));
        }
        if body.lying.len() != body.containers.len() + body.holders.len() + 1 {
            return Err(SaveError::inconsistent("stacks", "the number of stacks is missing for a place"));
        }
        let on_ground = body.lying.last().copied().unwrap_or(0) as usize;
        let in_containers: u64 = body.lying.iter().take(body.containers.len()).map(|&count| u64::from(count)).sum();
        if body.positions.len() != on_ground || body.gaps.len() as u64 != in_containers {
            return Err(SaveError::inconsistent("stacks", "the place is missing for a stack"));
        }
        // All that may be refused is, before any stack is made.
        if body.kind.iter().any(|&kind| kind as usize >= body.kinds.len()) {
            return Err(SaveError::inconsistent("stacks", "a stack has an unlisted kind"));
        }
        if body.variant.iter().any(|&variant| variant as usize > body.variants.len()) {
            return Err(SaveError::inconsistent("stacks", "a stack has an unlisted variant"));
        }
        let ascends = body.in_work.is_sorted_by(|one, next| one < next);
        if !ascends || body.in_work.last().is_some_and(|&last| u64::from(last) >= in_containers) {
            return Err(SaveError::inconsistent("stacks", "the list of the stacks in work is wrong"));
        }
        if shares_too_much(&body.variants, &body.variant) {
            return Err(SaveError::inconsistent("variants", "the variants are shared by too many stacks"));
        }
        Ok(Laying { body, described: 0, id: 0 })
    }

    /// The next stack of the columns, of which there is one.
    fn stack(&mut self) -> Result<Stack, SaveError> {
        let (body, at) = (&self.body, self.described);
        self.described += 1;
        self.id = self.id.wrapping_add_signed(body.ids[at]);
        let id = StackId(self.id);
        let unknown = |what| SaveError::inconsistent(id.to_string(), format!("its {what} is not listed"));
        let kind = body.kinds.get(body.kind[at] as usize).ok_or_else(|| unknown("kind"))?;
        let (marks, properties) = match body.variant[at].checked_sub(1) {
            None => Default::default(),
            Some(number) => {
                let (marks, properties) = body.variants.get(number as usize).ok_or_else(|| unknown("variant"))?;
                let properties = properties.iter();
                let properties = properties.map(|(name, value)| (name.clone(), Decimal::from_thousandths(*value)));
                (marks.clone(), properties.collect())
            }
        };
        Ok(Stack { id, kind: (**kind).to_owned(), count: body.count[at], marks, properties })
    }

    fn all(mut self) -> Result<Save, SaveError> {
        let body = &mut self.body;
        let mut rebuilding = Rebuilding::new(std::mem::take(&mut body.counters), std::mem::take(&mut body.totals));
        rebuilding.snapshot.requests = std::mem::take(&mut body.requests);
        rebuilding.snapshot.orphans = std::mem::take(&mut body.orphans);
        let (containers, holders) = (body.containers.len(), body.holders.len());
        rebuilding.holders(std::mem::take(&mut body.holders))?;
        rebuilding.places(std::mem::take(&mut body.containers))?;
        for place in 0..containers {
            let (count, mut next) = (self.body.lying[place] as usize, 0_u32);
            let stacks = rebuilding.stacks(place);
            stacks.reserve_exact(count);
            for _ in 0..count {
                // Stacks in containers come first, so that the gaps are counted as they are.
                let slot = next.wrapping_add(self.body.gaps[self.described]);
                next = slot.wrapping_add(1);
                let in_work = self.body.in_work.binary_search(&small(self.described)).is_ok();
                stacks.push(InSlot { slot, stack: self.stack()?, in_work });
            }
        }
        for holder in 0..holders {
            for _ in 0..self.body.lying[containers + holder] {
                rebuilding.hand(holder, self.stack()?)?;
            }
        }
        for (x, y) in std::mem::take(&mut self.body.positions) {
            let at = Position { x: Decimal::from_thousandths(x), y: Decimal::from_thousandths(y) };
            rebuilding.snapshot.ground.push(Landed { at, stack: self.stack()? });
        }
        let Body { ruleset: rules, outline, departure, .. } = self.body;
        Ok(Save { rules, outline, departure, edited: false, snapshot: rebuilding.snapshot })
    }
}
