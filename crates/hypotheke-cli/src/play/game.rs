//! A game by hand: its world, the steps so far, the steps to do again, and the scenario of them.
//! Nothing here knows of a screen.

use std::fmt::Write;
use std::sync::Arc;

use hypotheke::scenario::{contents_text, differences, start_lines};
use hypotheke::{
    Amount, Cause, ContainerId, HolderId, Landing, LiftAmount, NamedOperation, Operation, Outcome, Place, Position,
    Refusal, Ruleset, SlotRoom, StackView, World,
};

/// A step and its result.
#[derive(Clone, Debug)]
pub(crate) struct Done {
    pub(crate) sentence: String,
    pub(crate) answer: Answer,
    /// The changes, in words.
    pub(crate) events: Vec<String>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Answer {
    /// As a scenario writes it; empty if it was applied in full.
    Applied(String),
    /// The result as a scenario writes it, and the reasons in words.
    Refused(String, Vec<String>),
}

impl Answer {
    pub(crate) fn is_applied(&self) -> bool {
        matches!(self, Answer::Applied(_))
    }
}

/// Where the world comes from.
#[derive(Clone, Debug)]
pub(crate) enum Origin {
    /// The start of the ruleset.
    Ruleset,
    /// A save, or the start of a scenario.
    Other,
}

pub(crate) struct Game {
    pub(crate) world: World,
    start: World,
    origin: Origin,
    /// Who acts; the game itself for `None`.
    pub(crate) actor: Option<HolderId>,
    /// What the game carries without a hand of its own: the place, and how many at most.
    carried: Option<(Place, Amount)>,
    done: Vec<Done>,
    /// The steps that were undone, or the rest of a scenario; the next one is last.
    ahead: Vec<String>,
}

/// How much of a stack.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Share {
    All,
    Half,
    One,
}

impl Game {
    pub(crate) fn new(mut world: World, origin: Origin, steps: Vec<String>) -> Game {
        world.set_undo_limit(usize::MAX);
        let actor = world.holders().next();
        let ahead = steps.into_iter().rev().collect();
        Game { start: world.clone(), world, origin, actor, carried: None, done: Vec::new(), ahead }
    }

    pub(crate) fn rules(&self) -> &Arc<Ruleset> {
        self.world.rules()
    }

    /// The steps so far, those that were refused too.
    pub(crate) fn done(&self) -> &[Done] {
        &self.done
    }

    /// The number of steps that can be done again.
    pub(crate) fn ahead(&self) -> usize {
        self.ahead.len()
    }

    pub(crate) fn actor_name(&self) -> String {
        self.actor.map_or_else(|| "the game".to_owned(), |actor| self.world.holder_name(actor).to_owned())
    }

    /// The next holder acts, and after the last one the game.
    pub(crate) fn next_actor(&mut self) {
        let all: Vec<HolderId> = self.world.holders().collect();
        let next = match self.actor {
            None => 0,
            Some(actor) => all.iter().position(|&it| it == actor).map_or(0, |nth| nth + 1),
        };
        self.actor = all.get(next).copied();
        self.carried = None;
    }

    /// What is in the hand of the actor, or what the game carries.
    pub(crate) fn held(&self) -> Option<(Place, String)> {
        let text = |stack: StackView<'_>, count: u32| format!("{count} {}", stack.kind().id());
        match (self.actor, self.carried) {
            (Some(actor), _) => self.world.hand(actor).map(|stack| (Place::Hand(actor), text(stack, stack.count()))),
            (None, Some((place @ Place::Slot(container, slot), amount))) => {
                let stack = self.world.stack(container, slot)?;
                let count = if let Amount::UpTo(count) = amount { count.min(stack.count()) } else { stack.count() };
                Some((place, text(stack, count)))
            }
            (None, Some((place @ Place::OnGround(id), _))) => {
                let stack = self.world.ground().find(|(stack, _)| stack.id() == id)?.0;
                Some((place, text(stack, stack.count())))
            }
            _ => None,
        }
    }

    /// How many of what is held each slot of a container would take.
    pub(crate) fn room(&self, container: ContainerId, room: &mut Vec<SlotRoom>) {
        room.clear();
        if let Some((from, _)) = self.held() {
            // A closed container, or one of another holder, takes none.
            if self.world.room_by_slot(from, self.actor, container, room).is_err() {
                room.clear();
            }
        }
    }

    /// Whether what is held would be put into an occupied slot all the same, in exchange.
    pub(crate) fn swaps(&self, to: Place) -> bool {
        let put = self.actor.map(|actor| Operation::putting(Amount::All, to, actor));
        put.is_some_and(|put| self.world.dry_run(&put).is_ok())
    }

    pub(crate) fn explain(&self, cause: Cause) -> String {
        self.world.explain_cause(cause)
    }

    /// Takes a stack, or lets go of what is held.
    pub(crate) fn take(&mut self, from: Place, share: Share) -> Option<&Done> {
        let Some(actor) = self.actor else {
            let count = self.count_at(from)?;
            let part = match share {
                Share::All => Amount::All,
                Share::Half => Amount::UpTo(count.div_ceil(2)),
                Share::One => Amount::UpTo(1),
            };
            self.carried = Some((from, part));
            return None;
        };
        let share = match share {
            Share::All => LiftAmount::Amount(Amount::All),
            Share::Half => LiftAmount::Half,
            Share::One => LiftAmount::Amount(Amount::Exactly(1)),
        };
        let operation = match from {
            Place::Slot(container, slot) => Operation::lifting(share, (container, slot), actor),
            Place::OnGround(stack) => Operation::picking_up(Amount::All, stack, Place::Holder(actor)).by(actor),
            _ => return None,
        };
        Some(self.perform(&operation))
    }

    fn count_at(&self, place: Place) -> Option<u32> {
        match place {
            Place::Slot(container, slot) => self.world.stack(container, slot).map(StackView::count),
            Place::OnGround(id) => self.world.ground().find(|(it, _)| it.id() == id).map(|(it, _)| it.count()),
            _ => None,
        }
    }

    /// Puts down what is held: all, or one.
    pub(crate) fn put(&mut self, to: Place, share: Share) -> Option<&Done> {
        let amount = if share == Share::One { Amount::Exactly(1) } else { Amount::All };
        match (self.actor, self.carried) {
            (Some(actor), _) => {
                self.world.hand(actor)?;
                let operation = match to {
                    Place::Ground | Place::OnGround(_) => {
                        Operation::dropping(amount, Place::Hand(actor), Landing::default()).by(actor)
                    }
                    to => Operation::putting(amount, to, actor),
                };
                Some(self.perform(&operation))
            }
            (None, Some((from, carried))) => {
                let amount = if share == Share::One { amount } else { carried };
                let operation = match (from, to) {
                    (Place::OnGround(stack), to) => Operation::picking_up(amount, stack, to),
                    (from, Place::Ground | Place::OnGround(_)) => {
                        Operation::dropping(amount, from, Landing { at: Position::default(), within: None })
                    }
                    (from, to) => Operation::moving(amount, from, to),
                };
                self.carried = None;
                Some(self.perform(&operation))
            }
            (None, None) => None,
        }
    }

    /// Brings back what is held.
    pub(crate) fn let_go(&mut self) -> Option<&Done> {
        match self.actor {
            Some(actor) if self.world.hand(actor).is_some() => {
                Some(self.perform(&Operation::returning(Amount::All, actor)))
            }
            _ => {
                self.carried = None;
                None
            }
        }
    }

    /// An operation of the actor.
    pub(crate) fn act(&mut self, operation: Operation) -> &Done {
        let operation = match self.actor {
            Some(actor) if operation.actor.is_none() => operation.by(actor),
            _ => operation,
        };
        self.perform(&operation)
    }

    pub(crate) fn perform(&mut self, operation: &Operation) -> &Done {
        let sentence = self.world.name_operation(operation).map_or_else(|| "?".to_owned(), |named| named.to_string());
        self.ahead.clear();
        self.carry_out(sentence, operation)
    }

    /// An operation as a scenario writes it. An error says why it can't be read.
    pub(crate) fn say(&mut self, sentence: &str) -> Result<&Done, String> {
        let named: NamedOperation = sentence.parse().map_err(|error: hypotheke::SentenceError| {
            let help = error.help_text().map(|help| format!(". {help}")).unwrap_or_default();
            format!("{error}{help}")
        })?;
        let operation = named.resolve(&self.world).map_err(|error| error.to_string())?;
        self.ahead.clear();
        Ok(self.carry_out(named.to_string(), &operation))
    }

    fn carry_out(&mut self, sentence: String, operation: &Operation) -> &Done {
        let verb = self.world.name_operation(operation).map_or("done", |named| named.action.past_verb());
        let why: Vec<Cause> = self.world.ask(operation).causes().to_vec();
        let done = match self.world.perform(operation) {
            Ok(outcome) => {
                let events = self.world.events().iter().map(|event| self.world.describe_event(event)).collect();
                Done { sentence, answer: Answer::Applied(in_part(&outcome, verb)), events }
            }
            Err(refusal) => {
                let reasons = why.iter().map(|&cause| self.world.explain_cause(cause)).collect();
                Done { sentence, answer: Answer::Refused(refused(&refusal), reasons), events: Vec::new() }
            }
        };
        self.done.push(done);
        &self.done[self.done.len() - 1]
    }

    /// Takes the latest step back; false if there is none.
    pub(crate) fn undo(&mut self) -> bool {
        let Some(last) = self.done.pop() else { return false };
        // A refusal has changed nothing.
        if last.answer.is_applied() {
            let _ = self.world.undo(self.world.revision());
        }
        self.ahead.push(last.sentence);
        self.carried = None;
        true
    }

    /// Does what was undone, or the next step of a scenario.
    pub(crate) fn redo(&mut self) -> Option<Result<&Done, String>> {
        let sentence = self.ahead.pop()?;
        self.carried = None;
        let read = sentence.parse::<NamedOperation>().map_err(|error| error.to_string());
        let operation = read.and_then(|named| named.resolve(&self.world).map_err(|error| error.to_string()));
        Some(match operation {
            Ok(operation) => Ok(self.carry_out(sentence, &operation)),
            Err(error) => Err(format!("{sentence}: {error}")),
        })
    }

    /// The number of ticks until something is due.
    pub(crate) fn next_due(&self) -> Option<u32> {
        u32::try_from(self.world.ticks_to_due()?).ok()
    }

    /// What was done, as a scenario with the contents of all places that it changed.
    pub(crate) fn as_scenario(&self, title: &str) -> String {
        let mut text = format!("scenario {}\n", title.trim());
        if let Origin::Other = self.origin {
            text.push_str("  start\n");
            start_lines(&self.start).iter().for_each(|line| {
                let _ = writeln!(text, "    {line}");
            });
        }
        text.push_str("  steps\n");
        let widest = self.done.iter().map(|done| done.sentence.chars().count()).max().unwrap_or(0);
        for done in &self.done {
            let (Answer::Applied(result) | Answer::Refused(result, _)) = &done.answer;
            match result.is_empty() {
                true => writeln!(text, "    {}", done.sentence),
                false => writeln!(text, "    {:widest$}  -> {result}", done.sentence),
            }
            .unwrap_or_default();
        }
        let changed = differences(&self.start, &self.world);
        let mut places: Vec<&str> =
            changed.iter().map(|it| it.container.as_str()).filter(|it| !it.is_empty()).collect();
        places.dedup();
        let mut seen = std::collections::BTreeSet::new();
        places.retain(|place| seen.insert(*place));
        let found = places.iter().filter_map(|place| Some((place, self.world.container(place)?)));
        let lines: Vec<String> =
            found.map(|(place, id)| format!("    {place}: {}\n", contents_text(&self.world, id))).collect();
        if !lines.is_empty() {
            text.push_str("  end\n");
            text.extend(lines);
        }
        text
    }

    /// The world as it is, as a start that scenarios share.
    pub(crate) fn as_start(&self, name: &str) -> String {
        let lines: String = start_lines(&self.world).iter().map(|line| format!("  {line}\n")).collect();
        format!("start {}\n{lines}", name.trim())
    }
}

/// The result of a step that was applied, if it is not all that was requested.
fn in_part(outcome: &Outcome, verb: &str) -> String {
    if outcome.is_complete() { String::new() } else { outcome.text(verb) }
}

/// The result of a step that was refused.
fn refused(refusal: &Refusal) -> String {
    format!("refused: {}", refusal.reason().code())
}
