//! The report as `JUnit` XML, for pipelines: a suite for each switch, a test for each port. A violating port failed; one that is waived or
//! cannot be decided was skipped, for that is no pass.

use std::collections::BTreeMap;
use std::io::{self, Write};

use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesText, Event};
use quick_xml::writer::ElementWriter;
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

/// A test that did not pass: the element that says so.
struct Miss {
    element: &'static str,
    kind: &'static str,
    message: String,
    text: String,
}

struct Case {
    /// What it stands on: the switch, or a word for what is no switch.
    class: String,
    name: String,
    miss: Option<Miss>,
    /// Advice: said, and no failure.
    aside: String,
}

struct Suite {
    name: String,
    cases: Vec<Case>,
}

const COUNTED: [(&str, &str); 3] = [("skipped", "skipped"), ("errors", "error"), ("failures", "failure")];

fn write(out: &mut dyn Write, whole: &Whole, tail: &Tail<'_>) -> io::Result<()> {
    let of_switches = whole.switches.iter().map(|outcome| of_switch(outcome, tail));
    let suites: Vec<Suite> = of_switches.chain(of_fleet(tail)).chain(unreadable(tail)).collect();
    let title = clean(&format!("yellowlegs audit, {}", whole.head.title())).into_owned();
    let mut xml = Writer::new_with_indent(&mut *out, b' ', 4);
    xml.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let all = counts(&suites.iter().flat_map(|suite| &suite.cases));
    let document = with_counts(xml.create_element("testsuites").with_attribute(("name", title.as_str())), &all);
    document.write_inner_content(|xml| suites.iter().try_for_each(|suite| suite.write(xml)))?;
    writeln!(out)
}

impl Suite {
    fn write<W: Write>(&self, xml: &mut Writer<W>) -> io::Result<()> {
        let counts = counts(&self.cases.iter());
        let suite = xml.create_element("testsuite").with_attribute(("name", self.name.as_str()));
        let suite = with_counts(suite, &counts);
        if self.cases.is_empty() {
            suite.write_empty()?;
        } else {
            suite.write_inner_content(|xml| self.cases.iter().try_for_each(|case| case.write(xml)))?;
        }
        Ok(())
    }
}

impl Case {
    fn write<W: Write>(&self, xml: &mut Writer<W>) -> io::Result<()> {
        let case = xml.create_element("testcase").with_attribute(("name", self.name.as_str()));
        let case = case.with_attribute(("classname", self.class.as_str()));
        if self.miss.is_none() && self.aside.is_empty() {
            case.write_empty()?;
            return Ok(());
        }
        case.write_inner_content(|xml| {
            if let Some(miss) = &self.miss {
                let element = xml.create_element(miss.element).with_attribute(("message", miss.message.as_str()));
                let element = element.with_attribute(("type", miss.kind));
                if miss.text.is_empty() {
                    element.write_empty()?;
                } else {
                    element.write_text_content(BytesText::new(&miss.text))?;
                }
            }
            if !self.aside.is_empty() {
                xml.create_element("system-out").write_text_content(BytesText::new(&self.aside))?;
            }
            Ok(())
        })?;
        Ok(())
    }
}

/// How many cases there are, and how many of each kind that did not pass, as attributes.
fn counts<'c>(cases: &(impl Iterator<Item = &'c Case> + Clone)) -> Vec<(&'static str, String)> {
    let of = |element| cases.clone().filter(move |case| case.miss.as_ref().is_some_and(|m| m.element == element));
    let missed = COUNTED.iter().map(|(name, element)| (*name, of(*element).count().to_string()));
    std::iter::once(("tests", cases.clone().count().to_string())).chain(missed).collect()
}

fn with_counts<'w, W>(element: ElementWriter<'w, W>, counts: &[(&'static str, String)]) -> ElementWriter<'w, W> {
    counts.iter().fold(element, |element, (name, count)| element.with_attribute((*name, count.as_str())))
}

fn of_switch(outcome: &SwitchOutcome, tail: &Tail<'_>) -> Suite {
    let name = outcome.row.as_ref().map(|row| clean(&row.switch).into_owned()).unwrap_or_default();
    let mut cases = Vec::new();
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
        cases.push(case(&name, "the switch", worst.min().unwrap_or(Standing::Clean), &own, &undecided));
    }
    for port in ports_of(outcome, tail) {
        let (own, undecided) = of(Some(port.name.as_str()));
        cases.push(case(&name, port.name.as_str(), port.standing, &own, &undecided));
    }
    Suite { name, cases }
}

fn case(switch: &str, name: &str, standing: Standing, findings: &[&Finding], open: &[&Undecided]) -> Case {
    let told = |counts: &dyn Fn(&Finding) -> bool| {
        let lines = findings.iter().filter(|f| counts(f)).map(|f| line(f));
        lines.collect::<Vec<_>>().join("\n")
    };
    let violations = findings.iter().filter(|f| f.is_violation()).count();
    let miss = match standing {
        Standing::Breach | Standing::Risk => {
            let first = findings
                .iter()
                .filter(|f| f.is_violation())
                .min_by_key(|f| f.level)
                .map(|f| clean(&f.message).into_owned());
            let more = if violations > 1 { format!(" (and {} more)", violations - 1) } else { String::new() };
            let message = first.unwrap_or_default() + &more;
            Some(Miss { element: "failure", kind: standing.word(), message, text: told(&Finding::is_violation) })
        }
        Standing::Waived => Some(skipped("waived", told(&|f| f.waiver.is_some()))),
        Standing::Undetermined => {
            let needs = open.iter().map(|o| clean(&format!("{} {}", o.check, o.lacks())).into_owned());
            Some(skipped("undetermined", needs.collect::<Vec<_>>().join("\n")))
        }
        Standing::Advice | Standing::Clean => None,
    };
    let aside = told(&|f| Standing::of(f) == Standing::Advice);
    Case { class: switch.to_owned(), name: clean(name).into_owned(), miss, aside }
}

fn skipped(why: &'static str, text: String) -> Miss {
    Miss { element: "skipped", kind: why, message: why.to_owned(), text }
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
fn of_fleet(tail: &Tail<'_>) -> Option<Suite> {
    const CLASS: &str = "the fleet";
    let on_none = tail.fleet_findings.iter().filter(|f| f.switch.is_none());
    let mut cases: Vec<Case> =
        on_none.map(|finding| case(CLASS, finding.check, Standing::of(finding), &[finding], &[])).collect();
    cases.extend(tail.across.iter().map(|(check, _, at, needs)| {
        let name =
            [Some(check), Some(&*at.switch), at.port.as_deref()].into_iter().flatten().collect::<Vec<_>>().join(" ");
        let miss = skipped("undetermined", clean(&format!("needs {needs}")).into_owned());
        Case { class: CLASS.to_owned(), name: clean(&name).into_owned(), miss: Some(miss), aside: String::new() }
    }));
    (!cases.is_empty()).then(|| Suite { name: CLASS.to_owned(), cases })
}

fn unreadable(tail: &Tail<'_>) -> Option<Suite> {
    const CLASS: &str = "could not be read";
    let cases: Vec<Case> = tail
        .unreadable
        .iter()
        .map(|file| {
            let message = clean(&file.why).into_owned();
            let miss = Miss { element: "error", kind: "unreadable", message, text: String::new() };
            let name = clean(&file.file).into_owned();
            Case { class: CLASS.to_owned(), name, miss: Some(miss), aside: String::new() }
        })
        .collect();
    (!cases.is_empty()).then(|| Suite { name: CLASS.to_owned(), cases })
}
