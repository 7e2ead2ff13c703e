//! The plain model behind the words that all implementations share: operations by names in, answers
//! and snapshots out.

mod plain_data;
mod reading;
mod ruleset;
mod writing;

use hypotheke::conformance::{Answer, Implementation};
use hypotheke::snapshot::Random;
use hypotheke::{Decimal, NamedOperation, Reason, Snapshot, SnapshotError};

use crate::model::{Model, No, Rules};

pub(crate) use ruleset::rules_of;
pub(crate) use writing::named;

/// The plain model, as an implementation like any other.
pub(crate) struct Plain {
    pub(crate) model: Model,
    revision: u64,
    random: Random,
}

impl Plain {
    pub(crate) fn new(rules: Rules) -> Plain {
        Plain { model: Model::new(rules), revision: 0, random: Random::default() }
    }
}

impl Implementation for Plain {
    fn start(&mut self, snapshot: &Snapshot) -> Result<(), SnapshotError> {
        self.model.state = plain_data::state(&self.model.rules, snapshot);
        self.model.documents.clear();
        self.revision = snapshot.revision;
        self.random = snapshot.random.clone();
        Ok(())
    }

    fn perform(&mut self, operation: &NamedOperation) -> Answer {
        if let Some(step) = reading::hidden(&self.model, operation, None) {
            let step = step.map(|step| u32::try_from(step).unwrap());
            return Answer::Refused { reason: Reason::NotAllowed, figures: None, max_amount: 0, step };
        }
        let Some(request) = reading::request(&self.model, operation) else { return Answer::unknown() };
        let answer = self.model.perform(&request);
        self.revision += u64::from(answer.is_ok());
        match answer {
            Ok(done) => Answer::Applied { done },
            Err(No { reason, figures, max_amount, step }) => Answer::Refused {
                reason: Reason::from_code(reason).expect("a reason"),
                figures: figures.map(|(requested, allowed)| {
                    (Decimal::from_thousandths(requested), Decimal::from_thousandths(allowed))
                }),
                max_amount,
                step: step.map(|step| u32::try_from(step).unwrap()),
            },
        }
    }

    fn snapshot(&self) -> Snapshot {
        let whole = plain_data::snapshot(&self.model.rules, &self.model.state);
        Snapshot { revision: self.revision, random: self.random.clone(), ..whole }
    }
}
