//! play: operations by hand, on a screen.

use std::io::IsTerminal;
use std::sync::Arc;

use super::Verdict;
use super::verify::{all_or_errors, check_all, load_all};
use crate::args::PlayArgs;
use crate::files::{InputError, load_rules, load_save, load_world};
use crate::inputs::{FileKind, Inputs};
use crate::play::game::{Game, Origin};
use crate::render::clip;
use hypotheke::scenario::{Answer, ReportDetail, ScenarioReport};
use hypotheke::text::system_cause;
use hypotheke::{Ruleset, World};

pub(crate) fn run(args: &PlayArgs) -> Result<Verdict, InputError> {
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        let help = "Run it in a terminal. `hypotheke ask` tries one operation anywhere";
        return Err(InputError::usage("`play` needs a terminal", Some(help)));
    }
    let inputs = Inputs::new(&args.files, args.rules.as_deref(), FileKind::Ruleset, false)?;
    let rules = Arc::new(load_rules(&inputs.ruleset()?)?);
    let game = match &inputs.named_save {
        Some(path) => {
            let world = load_world(path, &load_save(path, args.allow_edited)?, &rules)?;
            Game::new(world, Origin::Other, Vec::new())
        }
        None if names_scenario(&inputs) => of_scenario(&inputs, &rules, args.only.as_deref())?,
        None => Game::new(World::new(&rules), Origin::Ruleset, Vec::new()),
    };
    crate::play::play(game)
        .map_err(|error| InputError::usage(format!("the terminal cannot be used: {}", system_cause(&error)), None))?;
    Ok(Verdict::Good)
}

/// A folder stands for its ruleset here, not for all scenarios in it.
fn names_scenario(inputs: &Inputs) -> bool {
    inputs.given.iter().any(|word| inputs.scenarios.iter().any(|path| path.as_os_str() == word.as_str()))
}

/// The start and the steps of the first scenario, or of the one with a text in its title.
fn of_scenario(inputs: &Inputs, rules: &Arc<Ruleset>, only: Option<&str>) -> Result<Game, InputError> {
    let named =
        inputs.scenarios.iter().filter(|path| inputs.given.iter().any(|word| path.as_os_str() == word.as_str()));
    let files = all_or_errors(load_all(&named.cloned().collect::<Vec<_>>()))?;
    let resolved = all_or_errors(check_all(&files, rules))?;
    let wanted = only.map(str::to_lowercase);
    let is_it =
        |report: &ScenarioReport| wanted.as_ref().is_none_or(|wanted| report.title().to_lowercase().contains(wanted));
    let report = resolved.iter().flat_map(|file| file.run(ReportDetail::Steps)).find(is_it);
    let Some(report) = report else {
        let message = format!("no scenario has `{}` in its title", clip(only.unwrap_or_default(), 60));
        return Err(InputError::usage(message, Some("Write a part of the title; case does not matter")));
    };
    let steps = report.steps().iter().filter(|step| !matches!(step.answer, Answer::Checked { .. }));
    let steps = steps.map(|step| step.sentence.clone()).collect();
    let world = report.start().cloned().unwrap_or_else(|| World::new(rules));
    Ok(Game::new(world, Origin::Other, steps))
}
