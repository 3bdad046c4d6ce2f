//! The plan in words, for every form that people read.

use std::collections::BTreeMap;

use yellowlegs_core::finding::Finding;
use yellowlegs_core::mend::{BackUp, ByHand, Plan, Step};
use yellowlegs_core::model::{Seconds, natural_order, port_spans};
use yellowlegs_core::policy::Level;
use yellowlegs_core::resolve::{About, Wide};
use yellowlegs_core::sorted;

use crate::render::shown;

/// A plan in words.
pub(super) struct View {
    /// How large it is.
    pub(super) size: String,
    /// The phases, in order.
    pub(super) phases: Vec<Phase>,
    /// Ports that are down, and how they come back.
    pub(super) back_up: Vec<Back>,
    /// What is typed to save, by switch.
    pub(super) saves: Vec<(String, String)>,
    pub(super) open: Vec<Open>,
    pub(super) people: Vec<People>,
    /// What is gone, left and new.
    pub(super) result: String,
    /// What is new: level, place, check, message.
    pub(super) new: Vec<(Level, String)>,
    /// Whether every step is safe, and what says so.
    pub(super) safe: bool,
    pub(super) proof: String,
}

pub(super) struct Phase {
    pub(super) number: usize,
    /// What has to pass before it.
    pub(super) wait: Option<String>,
    /// Switches in the order of their steps: one may come several times.
    pub(super) switches: Vec<(String, Vec<StepView>)>,
}

pub(super) struct StepView {
    pub(super) number: usize,
    /// Where and what: `port 1.4  port-security.limit: 8 → 3`.
    pub(super) what: String,
    /// The findings it is for: by position in the plan, in words.
    pub(super) findings: Vec<(usize, String)>,
    /// The checks it is for, each once.
    pub(super) reasons: String,
    /// What had to be there first, and why.
    pub(super) after: Vec<String>,
    /// How one line says it of several ports.
    pub(super) once: Option<String>,
    pub(super) touches: Vec<String>,
    pub(super) text: Vec<String>,
    /// The way back; nothing where no line says what was there.
    pub(super) undo: Vec<String>,
}

pub(super) struct Back {
    pub(super) place: String,
    pub(super) says: String,
    pub(super) lines: Vec<String>,
}

impl Back {
    fn of(BackUp { switch, port, cause, first, steps, back, whom, lines, .. }: &BackUp) -> Self {
        let after = match &steps[..] {
            [] => String::new(),
            [one] => format!(", after step {one}"),
            [first, .., last] => format!(", after steps {first} to {last}"),
        };
        Self {
            place: format!("{switch} {port}"),
            says: format!(
                "held down by {cause}. First {first}{after}; it comes back {back}, or by these lines. Visit: {whom}."
            ),
            lines: lines.clone(),
        }
    }
}

pub(super) struct Open {
    pub(super) asks: String,
    pub(super) takes: String,
    pub(super) refused: Option<String>,
}

/// The same thing to do in some places.
pub(super) struct People {
    pub(super) places: Vec<String>,
    pub(super) check: String,
    pub(super) what: String,
    pub(super) why: Option<String>,
}

/// So many, in words.
pub(super) fn many(count: usize, what: &str) -> String {
    match (count, what) {
        (1, _) => format!("1 {what}"),
        (_, "switch") => format!("{count} switches"),
        _ => format!("{count} {what}s"),
    }
}

/// Where a finding stands.
pub(super) fn place(finding: &Finding) -> String {
    let switch = finding.switch.as_deref().unwrap_or("the fleet");
    finding.port.as_deref().map_or_else(|| switch.to_owned(), |port| format!("{switch} {port}"))
}

/// How long one lease time is, as far as tables tell it.
fn how_long(lease: Option<Seconds>) -> String {
    let Some(Seconds(seconds)) = lease else { return "no table tells how long that is".to_owned() };
    let minutes = seconds.div_ceil(60);
    let words = match (minutes / 60, minutes % 60) {
        (0, minutes) => format!("{minutes} min"),
        (hours, 0) => format!("{hours} h"),
        (hours, minutes) => format!("{hours} h {minutes} min"),
    };
    format!("at least {words}, for so long a lease runs that a table tells")
}

impl View {
    pub(super) fn of(plan: &Plan<'_>) -> Self {
        let mut phases: Vec<Phase> = Vec::new();
        for (number, step) in plan.steps.iter().enumerate() {
            if phases.last().is_none_or(|phase| phase.number != step.phase) {
                let of_phase = plan.steps.iter().filter(|other| other.phase == step.phase);
                let wait = of_phase.flat_map(|step| &step.needs).find_map(|(row, _)| row.wait);
                let wait = wait.map(|wait| format!("{wait}: {}", how_long(plan.longest_lease)));
                phases.push(Phase { number: step.phase, wait, switches: Vec::new() });
            }
            let Some(phase) = phases.last_mut() else { continue };
            let view = StepView::of(plan, number + 1, step);
            match phase.switches.last_mut().filter(|(name, _)| **name == *step.change.switch) {
                Some((_, steps)) => steps.push(view),
                None => phase.switches.push((step.change.switch.to_string(), vec![view])),
            }
        }
        let save = |words: &[String]| {
            if words.is_empty() { "by hand: its dialect does not say how".to_owned() } else { words.join("; ") }
        };
        let proof = &plan.proof;
        let (safe, told) = match &proof.broke {
            None => {
                let rehearsals = many(proof.drills, "rehearsal");
                let words = "of booting, phones, addresses and streams, and the way to every switch";
                (true, format!("After every step what worked before works: {rehearsals} {words}."))
            }
            Some(broke) => {
                let port = broke.port.as_ref().map(|port| format!(" {port}")).unwrap_or_default();
                (false, format!("step {}: {} on {}{port}: {}", broke.step, broke.what, broke.switch, broke.says))
            }
        };
        Self {
            size: size(plan),
            phases,
            back_up: plan.back_up.iter().map(Back::of).collect(),
            saves: plan.saves.iter().map(|(switch, words)| (switch.to_string(), save(words))).collect(),
            open: plan
                .open
                .iter()
                .map(|open| Open {
                    asks: open.asks.clone(),
                    takes: open.takes.clone().unwrap_or_else(|| open.choices.join(", ")),
                    refused: open.refused.clone(),
                })
                .collect(),
            people: people(plan),
            result: format!(
                "{} of {} gone after the last step, {} left, {} new.",
                proof.gone.len(),
                many(plan.chosen.len(), "finding"),
                proof.remaining.len(),
                proof.new.len()
            ),
            new: new_ones(&proof.new),
            safe,
            proof: told,
        }
    }
}

/// What is new: alike in several places is told once.
fn new_ones(found: &[Finding]) -> Vec<(Level, String)> {
    let mut groups: Vec<(&Finding, Vec<String>)> = Vec::new();
    for finding in found {
        let same = |(first, _): &&mut (&Finding, Vec<String>)| {
            (first.check, &first.message) == (finding.check, &finding.message)
        };
        match groups.iter_mut().find(same) {
            Some((_, places)) => places.push(place(finding)),
            None => groups.push((finding, vec![place(finding)])),
        }
    }
    sorted::by_key(&mut groups, |(first, _)| (first.level, first.check));
    let told = groups.into_iter().map(|(first, mut places)| {
        sorted::by(&mut places, |a, b| natural_order(a, b));
        (first.level, format!("{}: {} ({})", first.check, first.message, places.join(", ")))
    });
    told.collect()
}

/// How large it is.
fn size(plan: &Plan<'_>) -> String {
    let lines: usize = plan.steps.iter().map(|step| step.text.len()).sum();
    let switches: sorted::Set<&str> = sorted::set(plan.steps.iter().map(|step| &*step.change.switch));
    let phases: sorted::Set<usize> = sorted::set(plan.steps.iter().map(|step| step.phase));
    format!(
        "{} on {}, {}, {}",
        many(plan.steps.len(), "step"),
        many(switches.len(), "switch"),
        many(lines, "line"),
        many(phases.len(), "phase")
    )
}

impl StepView {
    fn of(plan: &Plan<'_>, number: usize, step: &Step) -> Self {
        let change = &step.change;
        let mut from: Vec<String> = change.from.values().map(|from| shown(from.as_ref())).collect();
        sorted::plain(&mut from);
        from.dedup();
        let what = format!("{}: {} → {}", change.setting.name(), from.join(" or "), shown(Some(&change.to)));
        let places = places(step);
        let named = |number: &usize| {
            let finding = plan.findings.get(*number)?;
            Some((*number, format!("{} ({})", finding.check, place(finding))))
        };
        let after = step.needs.iter().map(|(row, steps)| {
            let numbers: Vec<String> = steps.iter().map(ToString::to_string).collect();
            format!("{} {}: {}", if steps.len() == 1 { "step" } else { "steps" }, numbers.join(", "), row.because)
        });
        Self {
            number,
            what: if places.is_empty() { what } else { format!("{places}  {what}") },
            findings: change.because.iter().filter_map(named).collect(),
            reasons: reasons(plan, step),
            after: after.collect(),
            once: match &step.wide {
                Wide::Each => None,
                Wide::Range => Some("for all these ports in one list".to_owned()),
                Wide::Profile(name) => Some(format!("in the profile {name}, which just these ports use")),
                Wide::Default => Some("as a default that reaches just these ports".to_owned()),
            },
            touches: step
                .impact
                .iter()
                .map(|impact| {
                    let port = impact.port.as_ref().map(|port| format!("{port}: ")).unwrap_or_default();
                    format!("{port}{}: {}", impact.touch.word(), impact.says)
                })
                .collect(),
            text: step.text.clone(),
            undo: step.undo.clone(),
        }
    }
}

/// The ports, or what else it is of; nothing for the switch.
fn places(step: &Step) -> String {
    let mut ports: Vec<&str> = Vec::new();
    let mut others = Vec::new();
    for about in step.change.from.keys() {
        match about {
            About::Port(port) => ports.push(port),
            About::Switch => {}
            other => others.push(other.to_string()),
        }
    }
    if ports.is_empty() {
        return others.join(", ");
    }
    sorted::by(&mut ports, |a, b| natural_order(a, b));
    let what = if ports.len() == 1 { "port" } else { "ports" };
    format!("{what} {}", port_spans(&ports).join(", "))
}

/// The checks that it is for, each once, with how many findings.
fn reasons(plan: &Plan<'_>, step: &Step) -> String {
    let mut told: Vec<(&str, usize)> = Vec::new();
    for finding in step.change.because.iter().filter_map(|number| plan.findings.get(*number)) {
        match told.iter_mut().find(|(check, _)| *check == finding.check) {
            Some((_, count)) => *count += 1,
            None => told.push((finding.check, 1)),
        }
    }
    let words =
        told.into_iter().map(|(check, count)| if count == 1 { check.to_owned() } else { format!("{check} ({count})") });
    words.collect::<Vec<_>>().join(", ")
}

/// What people do: alike in several places is told once.
fn people(plan: &Plan<'_>) -> Vec<People> {
    let mut groups: BTreeMap<usize, People> = BTreeMap::new();
    for (number, ByHand { because, what, why, .. }) in plan.by_hand.iter().enumerate() {
        let finding = because.first().and_then(|number| plan.findings.get(*number));
        let at = finding.map(place).unwrap_or_default();
        let check = finding.map_or("", |finding| finding.check);
        let why = Some(why).filter(|why| **why != yellowlegs_core::mend::NO_SETTING).cloned();
        let same = |group: &&mut People| group.check == check && group.what == *what && group.why == why;
        match groups.values_mut().find(same) {
            Some(group) => group.places.push(at),
            None => {
                let group = People { places: vec![at], check: check.to_owned(), what: what.clone(), why };
                groups.insert(number, group);
            }
        }
    }
    groups.into_values().collect()
}
