//! fits: which kinds fit into which slots.

use std::sync::Arc;

use super::{Output, Verdict};
use crate::args::{FitsArgs, Format};
use crate::files::{InputError, load_rules};
use crate::formats::fits::{FitsJson, csv_text};
use crate::inputs::{FileKind, Inputs};
use crate::render::{clip, fits};
use hypotheke::fits::Fits;
use hypotheke::{Kind, Ruleset};

pub(crate) fn run(output: &mut Output, args: &FitsArgs) -> Result<Verdict, InputError> {
    let inputs = Inputs::new(&args.files, args.rules.as_deref(), FileKind::Ruleset, true)?;
    let rules = Arc::new(load_rules(&inputs.ruleset()?)?);
    inputs.check_words(&rules)?;
    if let Some(name) = args.of.as_ref().filter(|name| rules.selector(name).is_none()) {
        let message = format!("unknown kind or tag `{}`", clip(name, 60));
        return Err(InputError::usage(message, Some("List the kinds with their tags: `hypotheke show --part kinds`")));
    }
    let found = if inputs.words.is_empty() {
        Fits::new(&rules)
    } else {
        let names: Vec<&str> = inputs.words.iter().map(String::as_str).collect();
        Fits::in_containers(&rules, &names).map_err(|error| {
            let names: Vec<&str> = rules.containers().iter().map(hypotheke::ContainerDef::id).collect();
            let help = format!("The containers are {}", names.join(", "));
            InputError::usage(error.to_string(), Some(&help))
        })?
    };
    let wanted = |kind: Kind<'_>| is_wanted(&rules, kind, args.of.as_deref());
    match output.format {
        Format::Json => output.write_json(&FitsJson::new(&rules, &found, wanted))?,
        Format::Csv => output.write(&csv_text(&rules, &found, wanted)?)?,
        _ if args.by_tag => output.write(&fits::draw_by_tag(output.page(), &rules, &found, wanted))?,
        _ if args.why => output.write(&fits::draw_reasons(output.page(), &rules, &found, wanted))?,
        _ => output.write(&fits::draw(output.page(), &rules, &found, wanted))?,
    }
    Ok(Verdict::Good)
}

fn is_wanted(rules: &Ruleset, kind: Kind<'_>, of: Option<&str>) -> bool {
    of.is_none_or(|name| kind.id() == name || rules.find_tag(name).is_some_and(|tag| kind.has_tag(tag)))
}
