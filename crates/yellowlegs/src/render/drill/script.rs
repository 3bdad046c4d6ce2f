//! A drill that somebody wrote: its story, and whether what was expected came.

use std::io::{self, Write};
use std::sync::Arc;

use serde::Serialize;
use yellowlegs_core::drill::script::{Checked, Ran};
use yellowlegs_core::policy::Level;
use yellowlegs_core::resolve::Resolved;

use super::{decided, seconds};
use crate::render::clean;
use crate::render::look::Look;
use crate::render::style::{BOLD, DIM, GOOD, PLACE, level, paint};
use crate::render::wrap::wrapped;

/// A script that was played.
pub(crate) struct ScriptReport<'a> {
    pub(crate) name: &'a str,
    /// The switches that it names, the first of which lines without a switch are of.
    pub(crate) switches: &'a [Arc<Resolved>],
    pub(crate) ran: &'a Ran,
}

fn verdict(checked: &Checked) -> &'static str {
    match (&checked.came, checked.met) {
        (Err(_), _) => "open",
        (Ok(_), true) => "met",
        (Ok(_), false) => "not met",
    }
}

fn came(checked: &Checked) -> String {
    match &checked.came {
        Ok(came) => came.clone(),
        Err(hang) => format!("it hangs on {}, which nobody knows", hang.on),
    }
}

/// The story with the clock on the left, then each expectation.
pub(crate) fn script_text(out: &mut dyn Write, report: &ScriptReport<'_>, look: Look) -> io::Result<()> {
    writeln!(out, "{}", paint(BOLD, &clean(report.name)))?;
    for line in &report.ran.story {
        let named = |resolved: &&Arc<Resolved>| line.switch.as_ref().is_none_or(|name| name == resolved.switch.name());
        let Some(resolved) = report.switches.iter().find(named) else { continue };
        let port = resolved.switch.ports().get(line.port).map_or("", |port| port.as_str());
        let switch = if report.switches.len() > 1 { format!("{} ", resolved.switch.name()) } else { String::new() };
        let clock = format!("{:>9.3} s  ", seconds(line.at));
        wrapped(out, &paint(PLACE, &clock), 13, &clean(&format!("{switch}{port}: {}", line.words)), look.width)?;
        if let Some(because) = &line.because {
            decided(out, resolved, line.port, because, look.width)?;
        }
    }
    writeln!(out, "\n{}", paint(BOLD, "What was expected"))?;
    for checked in &report.ran.checked {
        let style = match verdict(checked) {
            "met" => GOOD,
            "not met" => level(Level::Breach),
            _ => DIM,
        };
        let lead = format!("  {}  ", paint(style, &format!("{:<7}", verdict(checked))));
        let place = format!("{}:{}", checked.place.file, checked.place.line);
        let mut words = format!("at {} s: {}", seconds(checked.at), checked.expected);
        if !checked.met {
            words = format!("{words}; came: {}", came(checked));
        }
        wrapped(out, &lead, 11, &clean(&format!("{words}   {place}")), look.width)?;
    }
    Ok(())
}

#[derive(Serialize)]
struct CheckedJson<'a> {
    seconds: f64,
    file: &'a str,
    line: u32,
    expected: &'a str,
    came: String,
    verdict: &'static str,
}

#[derive(Serialize)]
struct LineJson<'a> {
    seconds: f64,
    switch: &'a str,
    port: &'a str,
    says: &'a str,
    setting: Option<&'static str>,
}

#[derive(Serialize)]
struct ScriptJson<'a> {
    name: &'a str,
    expectations: Vec<CheckedJson<'a>>,
    story: Vec<LineJson<'a>>,
}

/// One object.
pub(crate) fn script_json(out: &mut dyn Write, report: &ScriptReport<'_>) -> io::Result<()> {
    let line = |line: &'_ yellowlegs_core::drill::Told| {
        let named = |resolved: &&Arc<Resolved>| line.switch.as_ref().is_none_or(|name| name == resolved.switch.name());
        let resolved = report.switches.iter().find(named);
        (resolved, line.clone())
    };
    let told: Vec<_> = report.ran.story.iter().map(line).collect();
    let json = ScriptJson {
        name: report.name,
        expectations: report
            .ran
            .checked
            .iter()
            .map(|checked| CheckedJson {
                seconds: seconds(checked.at),
                file: &checked.place.file,
                line: checked.place.line,
                expected: &checked.expected,
                came: came(checked),
                verdict: verdict(checked),
            })
            .collect(),
        story: told
            .iter()
            .map(|(resolved, line)| LineJson {
                seconds: seconds(line.at),
                switch: resolved.map_or("", |resolved| resolved.switch.name()),
                port: resolved.and_then(|r| r.switch.ports().get(line.port)).map_or("", |port| port.as_str()),
                says: &line.words,
                setting: line.because.map(|because| because.setting.name()),
            })
            .collect(),
    };
    crate::render::json::compact(out, &json)?;
    writeln!(out)
}
