use super::{Diagnostic, Severity};

/// The maximum number of listed errors, and of listed warnings. Many faults usually have one cause.
pub(crate) const MAX_LISTED: usize = 100;

/// What is wrong with a text, while it is read: the first hundred errors and warnings, and the
/// number of the others.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Faults {
    listed: Vec<Diagnostic>,
    errors: FaultCounts,
    warnings: FaultCounts,
}

/// How many are listed, and how many are not.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct FaultCounts {
    listed: usize,
    unlisted: usize,
}

impl Faults {
    pub(crate) fn push(&mut self, fault: Diagnostic) {
        let tally = self.tally(fault.severity());
        if tally.listed < MAX_LISTED {
            tally.listed += 1;
            self.listed.push(fault);
        } else {
            tally.unlisted += 1;
        }
    }

    fn tally(&mut self, severity: Severity) -> &mut FaultCounts {
        match severity {
            Severity::Error => &mut self.errors,
            Severity::Warning => &mut self.warnings,
        }
    }

    pub(crate) fn extend(&mut self, faults: impl IntoIterator<Item = Diagnostic>) {
        faults.into_iter().for_each(|fault| self.push(fault));
    }

    pub(crate) fn append(&mut self, others: Faults) {
        self.extend(others.listed);
        self.errors.unlisted += others.errors.unlisted;
        self.warnings.unlisted += others.warnings.unlisted;
    }

    /// Further errors are only counted, so their texts need not be prepared.
    pub(crate) fn is_full(&self) -> bool {
        self.errors.listed >= MAX_LISTED
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.listed.is_empty()
    }

    pub(crate) fn has_errors(&self) -> bool {
        self.errors() > 0
    }

    /// The number of errors, listed or not.
    pub(crate) fn errors(&self) -> usize {
        self.errors.listed + self.errors.unlisted
    }

    pub(super) fn from_parts(listed: Vec<Diagnostic>, errors: usize, warnings: usize) -> Faults {
        let mut faults = Faults::from(listed);
        faults.errors.unlisted += errors;
        faults.warnings.unlisted += warnings;
        faults
    }

    pub(super) fn into_parts(self) -> (Vec<Diagnostic>, usize, usize) {
        (self.listed, self.errors.unlisted, self.warnings.unlisted)
    }
}

impl From<Vec<Diagnostic>> for Faults {
    fn from(list: Vec<Diagnostic>) -> Faults {
        let mut faults = Faults::default();
        faults.extend(list);
        faults
    }
}
