//! What a dialect does not give, by feature: how many checks or drills each would open, and where to begin.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write};

use yellowlegs_core::check::{OutOfReach, feature_of};
use yellowlegs_core::drill::LeftOpen;
use yellowlegs_core::sorted;

use super::clean;
use super::look::Look;
use super::style::{BOLD, DIM, PLACE, paint};
use super::wrap::wrapped;

/// So few facts are told each with what waits for it.
pub(crate) const FEW: usize = 3;

/// What waits for the facts that checks need; else for those of drills.
pub(crate) const CHECKS: &str = "check";

/// A fact that is missing: its name, whether some line can set it and where, and what waits for it.
pub(crate) struct Missing<'m> {
    fact: &'static str,
    can_set: bool,
    line: Option<u32>,
    waiting: &'m [&'static str],
}

impl<'m> From<&'m OutOfReach> for Missing<'m> {
    fn from(out: &'m OutOfReach) -> Self {
        Self { fact: out.fact, can_set: out.can_set, line: out.line, waiting: &out.checks }
    }
}

impl<'m> From<&'m LeftOpen> for Missing<'m> {
    fn from(open: &'m LeftOpen) -> Self {
        Self { fact: open.fact, can_set: open.can_set, line: None, waiting: &open.drills }
    }
}

/// A feature of which facts are missing.
pub(crate) struct Feature {
    /// Its name: the first part of its settings' names, or `traits`.
    pub(crate) name: &'static str,
    /// Its facts that are missing, without the feature's name.
    pub(crate) facts: Vec<&'static str>,
    /// How many wait for facts of this feature alone.
    pub(crate) opens: usize,
    /// How many wait for it and for others.
    pub(crate) part: usize,
}

impl Feature {
    /// What giving its facts brings, in words: `opens 9 checks, has a part in 5`.
    pub(crate) fn brings(&self, of: &str) -> String {
        let opens = match self.opens {
            0 => None,
            1 => Some(format!("opens 1 {of}")),
            opens => Some(format!("opens {opens} {of}s")),
        };
        let part = (self.part > 0).then(|| format!("has a part in {}", self.part));
        opens.into_iter().chain(part).collect::<Vec<_>>().join(", ")
    }
}

/// The features, those that open most by themselves first.
pub(crate) fn by_feature(missing: &[Missing<'_>]) -> Vec<Feature> {
    let mut facts: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    let mut waiting: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for one in missing {
        let (feature, name) = feature_of(one.fact);
        facts.entry(feature).or_default().push(name);
        one.waiting.iter().for_each(|waits| _ = waiting.entry(*waits).or_default().insert(feature));
    }
    let count = |name: &str, alone: bool| {
        waiting.values().filter(|features| features.contains(name) && (features.len() == 1) == alone).count()
    };
    let mut features: Vec<Feature> = facts
        .into_iter()
        .map(|(name, facts)| Feature { name, facts, opens: count(name, true), part: count(name, false) })
        .collect();
    sorted::by_key(&mut features, |feature| std::cmp::Reverse((feature.opens, feature.part)));
    features
}

/// Lists what is missing: a few facts each with what waits for it, all of them where more is wanted; else by feature.
pub(crate) fn write(out: &mut dyn Write, path: &str, of: &str, missing: &[Missing<'_>], look: &Look) -> io::Result<()> {
    if missing.is_empty() {
        return Ok(());
    }
    writeln!(out, "{}", paint(BOLD, &format!("Without these facts {of}s stay undetermined:")))?;
    if look.is_verbose() || missing.len() <= FEW {
        return missing.iter().try_for_each(|one| {
            let why = if one.can_set { "no [defaults] value where the text is silent" } else { NEITHER };
            let place = one.line.map(|line| format!("  {}:{line}", clean(path))).unwrap_or_default();
            writeln!(out, "  {} {}{}", paint(BOLD, one.fact), paint(DIM, why), paint(PLACE, &place))?;
            wrapped(out, "      ", 6, &one.waiting.join(", "), look.width)
        });
    }
    let features = by_feature(missing);
    let widest = features.iter().map(|feature| feature.name.len()).max().unwrap_or_default();
    for feature in &features {
        let name = format!("{:widest$}", feature.name);
        let lead = format!("  {}  ", paint(BOLD, &name));
        let text = format!("{}: {}", feature.brings(of), feature.facts.join(", "));
        wrapped(out, &lead, widest + 4, &text, look.width)?;
    }
    let Some(first) = features.first().filter(|_| of == CHECKS) else { return Ok(()) };
    let (what, list) = match first.name {
        "traits" => ("what is law on the platform, under [traits]".to_owned(), String::new()),
        name => ("a rule for its lines, and what holds where the text is silent".to_owned(), format!(" {name}")),
    };
    wrapped(
        out,
        "  ",
        4,
        &format!(
            "first: {}: {what}; `yellowlegs dialect settings{list}` lists the values, `yellowlegs dialect teach {}` asks for them; \
             -v tells each {of}",
            first.name,
            clean(path)
        ),
        look.width,
    )
}

/// Why a fact is missing that no line can set.
pub(crate) const NEITHER: &str = "neither a rule nor a default gives it";
