//! The faults of a ruleset as tests compare them.

use hypotheke::Ruleset;
use hypotheke::text::Diagnostic;

/// Each fault of a text that follows correct rules: its line in the text, its code, and its message.
pub(crate) fn faults_after(rules: &str, text: &str) -> Vec<String> {
    let Err(errors) = Ruleset::from_toml("rules.toml", &format!("{rules}{text}")) else { return Vec::new() };
    let found = errors.diagnostics();
    let described = |fault: &Diagnostic| {
        let line = found.line_column(fault.location()).line - rules.lines().count();
        format!("{line} {}: {}", fault.code(), fault.message())
    };
    // The others say in their message what to write.
    let helps = |fault: &Diagnostic| {
        fault.help_text().is_some()
            || ["duplicate", "wrong-type"].contains(&fault.code())
            || fault.message().contains("must be a whole number")
    };
    assert!(found.iter().all(helps), "{errors}");
    found.iter().map(described).collect()
}
