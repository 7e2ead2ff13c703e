//! Reasons: if all are wanted, every check that fails is recorded.

use super::super::refusal::Cause;
use super::Draft;

impl Draft<'_> {
    /// Records every reason from now on, not only the first.
    pub(in crate::ops) fn collect_causes(&mut self) {
        self.causes = Some(Vec::new());
    }

    #[inline]
    pub(in crate::ops) fn collects_causes(&self) -> bool {
        self.causes.is_some()
    }

    pub(in crate::ops) fn note_causes(&mut self, found: impl IntoIterator<Item = Cause>) {
        if let Some(causes) = &mut self.causes {
            causes.extend(found);
        }
    }

    /// Sets the recorded reasons aside, so that recording can start again.
    pub(in crate::ops) fn take_noted(&mut self) -> Vec<Cause> {
        self.causes.as_mut().map(std::mem::take).unwrap_or_default()
    }

    /// Records it before the reasons that were recorded since.
    pub(in crate::ops) fn note_first(&mut self, noted: Vec<Cause>) {
        if let Some(causes) = &mut self.causes {
            causes.splice(0..0, noted);
        }
    }

    pub(in crate::ops) fn take_causes(&mut self) -> Vec<Cause> {
        self.causes.take().unwrap_or_default()
    }
}
