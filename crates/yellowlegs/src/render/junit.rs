//! The report as `JUnit` XML, for pipelines: a suite for each switch, a test for each port. A violating port failed; one that is waived or
//! cannot be decided was skipped, for that is no pass.

use std::collections::BTreeMap;
use std::io::{self, Write};

use quick_junit::{NonSuccessKind, Report as Document, TestCase, TestCaseStatus, TestSuite};
use yellowlegs_core::finding::{Finding, Standing, SwitchOutcome, Undecided};

use super::whole::{Kept, Whole, findings_on, ports_of};
use super::{Format, Tail, clean, place};

/// For pipelines.
pub(crate) const FORMAT: Format = Format {
    name: "junit",
    about: "For pipelines: JUnit XML, a test for each port",
    endings: &["xml"],
    has_colours: false,
    make: |_| Kept::until_whole(write),
};

fn write(out: &mut dyn Write, whole: &Whole, tail: &Tail<'_>) -> io::Result<()> {
    let mut document = Document::new(clean(&format!("yellowlegs audit, {}", whole.head.title())).as_ref());
    for outcome in &whole.switches {
        document.add_test_suite(of_switch(outcome, tail));
    }
    document.add_test_suites(of_fleet(tail));
    document.add_test_suites(unreadable(tail));
    let text = document.to_string().map_err(io::Error::other)?;
    writeln!(out, "{text}")
}

fn of_switch(outcome: &SwitchOutcome, tail: &Tail<'_>) -> TestSuite {
    let name = outcome.row.as_ref().map(|row| clean(&row.switch).into_owned()).unwrap_or_default();
    let mut suite = TestSuite::new(name.as_str());
    let mut findings: BTreeMap<Option<&str>, Vec<&Finding>> = BTreeMap::new();
    for finding in findings_on(outcome, tail) {
        findings.entry(finding.port.as_deref()).or_default().push(finding);
    }
    let mut open: BTreeMap<Option<&str>, Vec<&Undecided>> = BTreeMap::new();
    for undecided in &outcome.undetermined {
        open.entry(undecided.port.as_deref()).or_default().push(undecided);
    }
    let of = |port: Option<&str>| {
        (findings.get(&port).cloned().unwrap_or_default(), open.get(&port).cloned().unwrap_or_default())
    };
    let (own, undecided) = of(None);
    if !own.is_empty() || !undecided.is_empty() {
        let worst =
            own.iter().map(|f| Standing::of(f)).chain((!undecided.is_empty()).then_some(Standing::Undetermined));
        suite.add_test_case(case(&name, "the switch", worst.min().unwrap_or(Standing::Clean), &own, &undecided));
    }
    for port in ports_of(outcome, tail) {
        let (own, undecided) = of(Some(port.name.as_str()));
        suite.add_test_case(case(&name, port.name.as_str(), port.standing, &own, &undecided));
    }
    suite
}

fn case(switch: &str, name: &str, standing: Standing, findings: &[&Finding], open: &[&Undecided]) -> TestCase {
    let told = |counts: &dyn Fn(&Finding) -> bool| {
        let lines = findings.iter().filter(|f| counts(f)).map(|f| line(f));
        lines.collect::<Vec<_>>().join("\n")
    };
    let violations = findings.iter().filter(|f| f.is_violation()).count();
    let status = match standing {
        Standing::Breach | Standing::Risk => {
            let first = findings
                .iter()
                .filter(|f| f.is_violation())
                .min_by_key(|f| f.level)
                .map(|f| clean(&f.message).into_owned());
            let more = if violations > 1 { format!(" (and {} more)", violations - 1) } else { String::new() };
            let mut status = TestCaseStatus::non_success(NonSuccessKind::Failure);
            status.set_message(first.unwrap_or_default() + &more).set_type(standing.word());
            status.set_description(told(&Finding::is_violation));
            status
        }
        Standing::Waived => skipped("waived", told(&|f| f.waiver.is_some())),
        Standing::Undetermined => {
            let needs = open.iter().map(|o| format!("{} {}", o.check, o.lacks()));
            skipped("undetermined", needs.collect::<Vec<_>>().join("\n"))
        }
        Standing::Advice | Standing::Clean => TestCaseStatus::success(),
    };
    let mut case = TestCase::new(clean(name).as_ref(), status);
    case.set_classname(switch);
    let advice = told(&|f| Standing::of(f) == Standing::Advice);
    if !advice.is_empty() {
        case.set_system_out(advice);
    }
    case
}

fn skipped(why: &str, text: String) -> TestCaseStatus {
    let mut status = TestCaseStatus::skipped();
    status.set_message(why).set_type(why).set_description(text);
    status
}

/// A finding with its places and what to do, on one line.
fn line(found: &Finding) -> String {
    let places: Vec<String> = found
        .evidence
        .iter()
        .filter(|e| e.line.is_some())
        .map(|e| format!("{} `{}`", place(e), clean(e.text.trim())))
        .collect();
    let waiver = found.waiver.as_ref().map(|w| format!(" [waived until {} by {}: {}]", w.last_day, w.owner, w.reason));
    clean(&format!(
        "{} {}: {}{} | {} | do: {}",
        found.level.word(),
        found.check,
        found.message,
        waiver.unwrap_or_default(),
        places.join(" | "),
        found.remedy
    ))
    .into_owned()
}

/// What stands on no switch, and checks across switches that could not be decided.
fn of_fleet(tail: &Tail<'_>) -> Option<TestSuite> {
    let mut suite = TestSuite::new("the fleet");
    for finding in tail.fleet_findings.iter().filter(|f| f.switch.is_none()) {
        suite.add_test_case(case("the fleet", finding.check, Standing::of(finding), &[finding], &[]));
    }
    for (check, switch, port, needs) in tail.across {
        let name = [Some(*check), Some(switch), *port].into_iter().flatten().collect::<Vec<_>>().join(" ");
        let mut case = TestCase::new(clean(&name).as_ref(), skipped("undetermined", format!("needs {needs}")));
        case.set_classname("the fleet");
        suite.add_test_case(case);
    }
    (!suite.test_cases.is_empty()).then_some(suite)
}

fn unreadable(tail: &Tail<'_>) -> Option<TestSuite> {
    let mut suite = TestSuite::new("could not be read");
    for file in tail.unreadable {
        let mut status = TestCaseStatus::non_success(NonSuccessKind::Error);
        status.set_message(clean(&file.why).as_ref()).set_type("unreadable");
        let mut case = TestCase::new(clean(&file.file).as_ref(), status);
        case.set_classname("could not be read");
        suite.add_test_case(case);
    }
    (!tail.unreadable.is_empty()).then_some(suite)
}
