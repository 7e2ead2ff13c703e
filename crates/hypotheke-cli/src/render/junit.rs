//! Reports of scenarios as JUnit XML: a suite for each file, a case for each scenario or row. A file
//! that could not be run is a suite with one error.

use hypotheke::scenario::ScenarioReport;
use hypotheke::text::Source;
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};

use super::{PIPED_COLUMNS, Page, clean, report};
use crate::files::InputError;

pub(crate) fn text<'r>(
    reports: impl Iterator<Item = (&'r Source, &'r ScenarioReport)>,
    errors: &[InputError],
) -> Result<String, InputError> {
    let mut whole = Report::new("hypotheke verify");
    let mut suite: Option<TestSuite> = None;
    for (source, report) in reports {
        if suite.as_ref().is_none_or(|suite| suite.name.as_str() != clean(source.name())) {
            whole.add_test_suites(suite.take());
            suite = Some(TestSuite::new(clean(source.name())));
        }
        suite.iter_mut().for_each(|suite| {
            suite.add_test_case(case(source, report));
        });
    }
    whole.add_test_suites(suite);
    for error in errors {
        let (name, message) = error.file_and_message();
        let mut status = TestCaseStatus::non_success(NonSuccessKind::Error);
        status.set_message(clean(&message));
        let mut suite = TestSuite::new(clean(&name));
        suite.add_test_case(TestCase::new("the file can be run", status));
        whole.add_test_suite(suite);
    }
    let text = whole.to_string().map_err(std::io::Error::other)?;
    Ok(text)
}

fn case(source: &Source, report: &ScenarioReport) -> TestCase {
    let name = match report.row() {
        Some(row) => format!("{}: {row}", report.title()),
        None => report.title().to_owned(),
    };
    let mut status = TestCaseStatus::success();
    if let Some(first) = report.failures().first() {
        status = TestCaseStatus::non_success(NonSuccessKind::Failure);
        let line = source.line_column(first.span.start()).line;
        status.set_message(clean(&format!("{}:{line}: {}", source.name(), first.sentence)));
        let mut page = Page::new(PIPED_COLUMNS);
        report::draw(&mut page, source, report);
        status.set_description(anstream::adapter::strip_str(&page.into_text()).to_string());
    }
    let mut case = TestCase::new(clean(&name), status);
    case.set_classname(clean(source.name()));
    case
}
