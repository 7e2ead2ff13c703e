//! fits: every kind against every group of slots.

use std::sync::Arc;

use super::{Output, Verdict};
use crate::args::{FitsArgs, Format};
use crate::files::{InputError, load_rules};
use crate::formats::fits::{FitsJson, csv_text};
use crate::render::{clip, fits};
use hypotheke::fits::Fits;
use hypotheke::{Kind, Ruleset};

pub(crate) fn run(output: &mut Output, args: &FitsArgs) -> Result<Verdict, InputError> {
    let rules = Arc::new(load_rules(&args.rules)?);
    for name in &args.containers {
        if rules.find_container(name).is_none() {
            let names: Vec<&str> = rules.containers().iter().map(hypotheke::ContainerDef::id).collect();
            let help = format!("the containers are {}", names.join(", "));
            return Err(InputError::usage(format!("there is no container `{}`", clip(name, 60)), Some(&help)));
        }
    }
    if let Some(name) = args.of.as_ref().filter(|name| rules.what(name).is_none()) {
        let message = format!("there is no kind or tag `{}`", clip(name, 60));
        return Err(InputError::usage(message, Some("`hypotheke show --part kinds` lists the kinds with their tags")));
    }
    let chosen = |name: &str| args.containers.is_empty() || args.containers.iter().any(|wanted| wanted == name);
    let found = Fits::new(&rules, chosen);
    let wanted = |kind: Kind<'_>| is_wanted(&rules, kind, args.of.as_deref());
    match output.format {
        Format::Json => output.write_json(&FitsJson::new(&rules, &found, wanted))?,
        Format::Csv => output.write(&csv_text(&rules, &found, wanted)?)?,
        _ if args.by_tag => output.write(&fits::draw_by_tag(&rules, &found, wanted))?,
        _ => output.write(&fits::draw(&rules, &found, wanted))?,
    }
    Ok(Verdict::Good)
}

fn is_wanted(rules: &Ruleset, kind: Kind<'_>, of: Option<&str>) -> bool {
    of.is_none_or(|name| kind.id() == name || rules.find_tag(name).is_some_and(|tag| kind.has_tag(tag)))
}
