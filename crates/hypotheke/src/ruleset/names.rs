//! What may be a name.

use super::{HolderDef, Ruleset};
use crate::language::{NOBODY, RESERVED};

/// The most bytes of a name.
pub(crate) const MAX_LENGTH: usize = 64;

/// Why a text can't be a name; `None` if it can.
pub(crate) fn fault(name: &str, dots: bool) -> Option<String> {
    let part_is_lawful = |part: &str| {
        part.bytes().next().is_some_and(|b| b.is_ascii_lowercase())
            && !part.ends_with('-')
            && part.bytes().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-')
    };
    let lawful = if dots { name.split('.').all(part_is_lawful) } else { part_is_lawful(name) };
    if lawful && RESERVED.binary_search(&name).is_ok() {
        return Some("this word is reserved in filters and sentences".to_owned());
    }
    let shape = if dots { "lower-case letters, digits, `-` and `.`" } else { "lower-case letters, digits and `-`" };
    let too_long = "a name has at most 64 characters";
    match () {
        () if name.len() > MAX_LENGTH => Some(too_long.to_owned()),
        () if !lawful => Some(format!("a name begins with a letter and has {shape}")),
        () => None,
    }
}

/// A lawful name close to one that is not: `Fuel Drum` gives `fuel-drum`.
pub(crate) fn lawful_form(name: &str, dots: bool) -> Option<String> {
    let mut form = String::new();
    for c in name.trim().chars() {
        let kept = c.to_ascii_lowercase();
        if kept.is_ascii_lowercase() || kept.is_ascii_digit() || dots && kept == '.' {
            form.push(kept);
        } else if !form.is_empty() && !form.ends_with('-') {
            form.push('-');
        }
    }
    let form = form.trim_matches(['-', '.']).to_owned();
    (form != name && fault(&form, dots).is_none()).then_some(form)
}

/// Whether a text can be the owner of a container in a snapshot: a holder, or nobody.
pub(crate) fn is_owner(name: &str) -> bool {
    name == NOBODY || fault(name, false).is_none()
}

impl Ruleset {
    /// Why a holder can't have a name in a world: it is called as the ruleset calls it, or by a
    /// name that the ruleset does not know.
    pub(crate) fn why_not_called(&self, name: &str, holder: &str) -> Option<String> {
        let has_it = |def: &HolderDef| def.id() == holder && def.instances().any(|it| it == name);
        if self.holders().iter().any(has_it) {
            return None;
        }
        let is_container = self.containers().iter().any(|def| def.id() == name || def.instances().any(|it| it == name));
        let is_known = name == "ground"
            || is_container
            || self.find_holder(name).is_some()
            || self.find_holder_named(name).is_some();
        let message = || format!("the name belongs to something other than a `{holder}`");
        fault(name, false).or_else(|| is_known.then(message))
    }
}
