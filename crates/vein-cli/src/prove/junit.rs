//! The outcome as JUnit XML, which code hosts read.

use super::Proved;
use anyhow::{Context, Result};
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};

pub(super) fn proved(proved: &Proved) -> Result<String> {
    let mut report = Report::new("vein prove");
    report.set_time(proved.took);
    let mut suite = TestSuite::new("scenarios");
    suite.set_time(proved.took);
    for run in &proved.runs {
        let said = match &run.played {
            Ok((file, played)) => {
                let mistakes: Vec<_> = played.mistakes().cloned().collect();
                (!played.holds()).then(|| {
                    let first =
                        mistakes.first().map_or(String::new(), |first| first.message.clone());
                    (first, file.report(&mistakes).text(false))
                })
            }
            Err(error) => {
                let said = error.to_string();
                Some((said.lines().next().unwrap_or_default().to_owned(), said))
            }
        };
        let status = match said {
            None => TestCaseStatus::success(),
            Some((first, all)) => {
                let mut status = TestCaseStatus::non_success(match run.played {
                    Ok(_) => NonSuccessKind::Failure,
                    Err(_) => NonSuccessKind::Error,
                });
                status.set_message(first).set_description(all);
                status
            }
        };
        let mut case = TestCase::new(run.name.as_str(), status);
        case.set_classname(run.path.display().to_string()).set_time(run.took);
        suite.add_test_case(case);
    }
    report.add_test_suite(suite);
    report.to_string().context("the JUnit report cannot be written")
}
