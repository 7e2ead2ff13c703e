//! The JSON form.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::fmt::Write;

use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

use super::layout::{Bearer, Counters, Place, Rebuilding, bearers, places};
use super::text::{Lines, checksum};
use super::words;
use super::{FORMAT, RulesetInfo, Save, SaveError, Trust};
use crate::id::{DepartureId, StackId};
use crate::language::Position;
use crate::migration::Outline;
use crate::quantity::Decimal;
use crate::snapshot::Answered;
use crate::snapshot::{InSlot, KindTotals, Landed, Orphan, Snapshot, Stack};

/// So long most lines of stacks are, so that a text seldom has to grow.
const BYTES_A_STACK: usize = 112;

/// The document as it is read.
#[derive(Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Document<'s> {
    format: u32,
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
    #[serde(borrow)]
    stacks: Vec<Lying<'s>>,
    #[serde(alias = "tallies")]
    totals: BTreeMap<String, KindTotals>,
    requests: Vec<Answered>,
    #[serde(default, alias = "strays")] // plain-ok: format 1
    orphans: Vec<Orphan>,
    #[serde(borrow, default)]
    checksum: Option<Cow<'s, str>>,
}

/// A stack and where it lies.
#[derive(Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Lying<'s> {
    /// A container, `ground`, or a hand: `surveyor.hand`.
    #[serde(borrow, rename = "in")]
    place: Cow<'s, str>,
    #[serde(default)]
    slot: Option<u32>,
    #[serde(default)]
    at: Option<Position>,
    id: StackId,
    #[serde(borrow)]
    kind: Cow<'s, str>,
    count: u32,
    #[serde(borrow, default)]
    marks: Cow<'s, [String]>,
    #[serde(default)]
    properties: Cow<'s, BTreeMap<String, Decimal>>,
    #[serde(default)]
    in_work: bool,
}

impl Lying<'_> {
    fn stack(self) -> Stack {
        Stack {
            id: self.id,
            kind: self.kind.into_owned(),
            count: self.count,
            marks: self.marks.into_owned(),
            properties: self.properties.into_owned(),
        }
    }
}

/// The document as it is written, up to its checksum; stacks are put in afterwards.
#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Written<'s> {
    format: u32,
    ruleset: &'s RulesetInfo,
    outline: &'s Outline,
    #[serde(skip_serializing_if = "Option::is_none")]
    departure: Option<DepartureId>,
    counters: Counters,
    holders: Vec<Bearer<'s>>,
    containers: Vec<&'s Place<'s>>,
    stacks: [(); 0],
    totals: &'s BTreeMap<String, KindTotals>,
    requests: &'s [Answered],
    #[serde(skip_serializing_if = "<[_]>::is_empty")]
    orphans: &'s [Orphan],
}

/// Where the stacks go in the document. No text in it has a line end.
const NO_STACKS: &str = "\n  \"stacks\": []";

pub(super) fn write(save: &Save) -> String {
    let snapshot = &save.snapshot;
    let places = places(snapshot);
    let document = Written {
        format: FORMAT,
        ruleset: &save.rules,
        outline: &save.outline,
        departure: save.departure,
        counters: Counters::of(snapshot),
        holders: bearers(snapshot),
        containers: places.iter().map(|(place, _)| place).collect(),
        stacks: [],
        totals: &snapshot.totals,
        requests: &snapshot.requests,
        orphans: &snapshot.orphans,
    };
    let around = String::from_utf8(in_lines(&document)).unwrap_or_default();
    let (before, after) = around.split_once(NO_STACKS).unwrap_or((&around, ""));
    let stacks = places.iter().map(|(_, stacks)| stacks.len()).sum::<usize>() + snapshot.ground.len();
    let mut lines = StackLines { text: String::with_capacity(around.len() + BYTES_A_STACK * stacks), any: false };
    lines.text.push_str(before);
    lines.text.push_str("\n  \"stacks\": [");
    lines.all(&places, snapshot);
    let mut text = lines.text;
    text.push_str(if lines.any { "\n  ]" } else { "]" });
    text.push_str(after.trim_end_matches(['}', '\n']));
    let end = format!(",\n  \"checksum\": \"{:08x}\"\n}}\n", checksum(&text));
    text.push_str(&end);
    text
}

fn in_lines(document: &Written<'_>) -> Vec<u8> {
    let mut text = Vec::new();
    let mut serializer = serde_json::Serializer::with_formatter(&mut text, Lines::default());
    // Plain data with names for keys: nothing in it can't be written.
    let written = document.serialize(&mut serializer);
    debug_assert!(written.is_ok(), "{written:?}");
    text
}

/// A line for each stack. They are most of a save, and all of one shape: so they are written
/// without going through one.
struct StackLines {
    text: String,
    any: bool,
}

impl StackLines {
    fn all(&mut self, places: &[(Place<'_>, &[InSlot])], snapshot: &Snapshot) {
        for (place, lying) in places {
            let place = quoted(&place.name);
            for InSlot { slot, stack, in_work } in *lying {
                self.begin(&place);
                self.number(", \"slot\": ", *slot);
                self.text.push_str(if *in_work { ", \"in-work\": true" } else { "" });
                self.stack(stack);
            }
        }
        for holder in &snapshot.holders {
            if let Some(stack) = &holder.hand {
                self.begin(&quoted(&format!("{}.hand", holder.name)));
                self.stack(stack);
            }
        }
        for Landed { at, stack } in &snapshot.ground {
            self.begin("\"ground\"");
            // Numbers as texts: there is nothing in them to be escaped.
            let _ = write!(self.text, ", \"at\": {{\"x\": \"{}\", \"y\": \"{}\"}}", at.x, at.y);
            self.stack(stack);
        }
    }

    fn begin(&mut self, place: &str) {
        self.text.push_str(if self.any { ",\n    {\"in\": " } else { "\n    {\"in\": " });
        self.any = true;
        self.text.push_str(place);
    }

    fn number(&mut self, key: &str, number: impl itoa::Integer) {
        self.text.push_str(key);
        self.text.push_str(itoa::Buffer::new().format(number));
    }

    fn stack(&mut self, stack: &Stack) {
        let Stack { id, kind, count, marks, properties } = stack;
        self.text.push_str(", \"id\": \"#");
        if id.world() > 0 {
            self.number("", id.world());
            self.text.push(':');
        }
        self.number("", id.serial());
        self.text.push_str("\", \"kind\": ");
        self.quoted(kind);
        self.number(", \"count\": ", *count);
        for (nth, mark) in marks.iter().enumerate() {
            self.text.push_str(if nth == 0 { ", \"marks\": [" } else { ", " });
            self.quoted(mark);
        }
        self.text.push_str(if marks.is_empty() { "" } else { "]" });
        for (nth, (name, value)) in properties.iter().enumerate() {
            self.text.push_str(if nth == 0 { ", \"properties\": {" } else { ", " });
            self.quoted(name);
            let _ = write!(self.text, ": \"{value}\"");
        }
        self.text.push_str(if properties.is_empty() { "}" } else { "}}" });
    }

    fn quoted(&mut self, name: &str) {
        if is_plain(name) {
            self.text.push('"');
            self.text.push_str(name);
            self.text.push('"');
        } else {
            self.text.push_str(&quoted(name));
        }
    }
}

/// Whether nothing in a name has to be escaped.
fn is_plain(name: &str) -> bool {
    name.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'.' | b'_' | b' ' | b'#'))
}

fn quoted(name: &str) -> String {
    serde_json::Value::from(name).to_string()
}

pub(super) fn read(bytes: &[u8], trust: Trust) -> Result<Save, SaveError> {
    let text = std::str::from_utf8(bytes).map_err(|error| {
        let before = &bytes[..error.valid_up_to()];
        let line = before.iter().filter(|byte| **byte == b'\n').count() + 1;
        let column = before.iter().rev().take_while(|byte| **byte != b'\n').count() + 1;
        SaveError::Json { line, column, message: "the file is not UTF-8 text".to_owned() }
    })?;
    let document: Document<'_> =
        serde_json::from_str(text).map_err(|error| newer(text).unwrap_or_else(|| bad(&error)))?;
    check_format(document.format)?;
    let edited = is_edited(text, document.checksum.as_deref(), trust)?;
    rebuild(document, edited)
}

/// The format of a save that may have whatever else in it.
#[derive(Deserialize)]
struct Version {
    format: u32,
}

fn newer(text: &str) -> Option<SaveError> {
    let version: Version = serde_json::from_str(text).ok()?;
    (version.format > FORMAT).then_some(SaveError::Newer { found: version.format })
}

pub(super) fn check_format(found: u32) -> Result<(), SaveError> {
    match found {
        0 => Err(SaveError::inconsistent("format", "there is no format 0")),
        1..=FORMAT => Ok(()),
        _ => Err(SaveError::Newer { found }),
    }
}

fn bad(error: &serde_json::Error) -> SaveError {
    let (line, column, message) = (error.line(), error.column(), error.to_string());
    let message = match error.classify() {
        serde_json::error::Category::Eof => "the text ends too early".to_owned(),
        _ => words::plain(message.rsplit_once(" at line ").map_or(message.as_str(), |(message, _)| message)),
    };
    SaveError::Json { line, column, message }
}

/// The checksum is at the end, and covers everything before it.
fn is_edited(text: &str, found: Option<&str>, trust: Trust) -> Result<bool, SaveError> {
    let found = found.unwrap_or("missing");
    let (body, end) = text.rfind("\"checksum\"").map_or((text, ""), |at| text.split_at(at));
    let is_last = end.split_ascii_whitespace().collect::<String>() == format!("\"checksum\":\"{found}\"}}");
    let body = body.trim_end().trim_end_matches(',');
    let counted = format!("{:08x}", checksum(body));
    match (is_last && counted == found, trust) {
        (true, _) => Ok(false),
        (false, Trust::AllowEdited) => Ok(true),
        (false, Trust::Unchanged) => Err(SaveError::Edited { found: found.to_owned(), counted }),
    }
}

fn rebuild(document: Document<'_>, edited: bool) -> Result<Save, SaveError> {
    let mut rebuilding = Rebuilding::new(document.counters, document.totals);
    (rebuilding.snapshot.requests, rebuilding.snapshot.orphans) = (document.requests, document.orphans);
    let hands: FxHashMap<String, usize> =
        (0..).zip(&document.holders).map(|(at, bearer)| (format!("{}.hand", bearer.name), at)).collect();
    rebuilding.holders(document.holders)?;
    let names: FxHashMap<String, usize> =
        (0..).zip(&document.containers).map(|(at, place)| (place.name.to_string(), at)).collect();
    rebuilding.places(document.containers)?;
    let mut latest: Option<(String, usize)> = None;
    for lying in document.stacks {
        let known = latest.as_ref().filter(|(name, _)| *name == lying.place).map(|(_, at)| *at);
        match known.or_else(|| names.get(&*lying.place).copied()) {
            Some(at) => {
                if known.is_none() {
                    latest = Some((lying.place.to_string(), at));
                }
                let Some(slot) = lying.slot.filter(|_| lying.at.is_none()) else {
                    return Err(SaveError::inconsistent(lying.place, format!("the slot of {} is missing", lying.id)));
                };
                let in_work = lying.in_work;
                rebuilding.stacks(at).push(InSlot { slot, stack: lying.stack(), in_work });
            }
            None => lay_elsewhere(&mut rebuilding, &hands, lying)?,
        }
    }
    let (rules, outline, departure) = (document.ruleset, document.outline, document.departure);
    Ok(Save { rules, outline, departure, edited, snapshot: rebuilding.snapshot })
}

fn lay_elsewhere(
    rebuilding: &mut Rebuilding,
    hands: &FxHashMap<String, usize>,
    lying: Lying<'_>,
) -> Result<(), SaveError> {
    if lying.in_work {
        return Err(SaveError::inconsistent(lying.place, "only a container works on something"));
    }
    if lying.slot.is_some() {
        return Err(SaveError::inconsistent(lying.place, "unknown container"));
    }
    match (lying.at, hands.get(&*lying.place)) {
        (Some(at), None) if lying.place == "ground" => {
            rebuilding.snapshot.ground.push(Landed { at, stack: lying.stack() });
            Ok(())
        }
        (None, Some(&holder)) => rebuilding.hand(holder, lying.stack()),
        _ => Err(SaveError::inconsistent(lying.place, format!("{} cannot be there", lying.id))),
    }
}
