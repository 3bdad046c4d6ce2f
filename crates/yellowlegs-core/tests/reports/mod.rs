//! What an audit's findings are drawn together to: totals, blocks, comparison with an earlier report, a page for a port, differences.

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may read the files it is about")]

mod blocks;
mod compare;
mod draft;
mod examples;
mod explain;
mod page;
mod selection;
mod since;
mod totals;

use std::sync::Arc;

use crate::support;
use yellowlegs_core::finding::{
    Evidence, EvidenceKind, Finding, Inputs, Levels, PortShown, Standing, SwitchOutcome, SwitchRow, WaiverShown,
};
use yellowlegs_core::model::PortName;
use yellowlegs_core::policy::Level;

/// A finding of a check at a level, on a switch and a port where they are not empty.
pub(crate) fn finding(check: &'static str, level: Level, switch: &str, port: &str) -> Finding {
    Finding {
        check,
        level,
        switch: Some(switch).filter(|name| !name.is_empty()).map(Arc::from),
        port: Some(port).filter(|name| !name.is_empty()).map(str::to_owned),
        vlan: None,
        role: None,
        role_from: None,
        message: "wrong".into(),
        fingerprint: format!("{check} {switch} {port}"),
        settings: Vec::new(),
        evidence: Vec::new(),
        overridden: Vec::new(),
        inputs: Inputs::default(),
        related: Vec::new(),
        remedy: "right it".into(),
        waiver: None,
        since: None,
        grew: None,
        drill: None,
    }
}

/// The same, with a waiver.
pub(crate) fn waived(mut finding: Finding) -> Finding {
    let waiver = WaiverShown {
        reason: "until the new cable".into(),
        owner: "harbour office".into(),
        last_day: "2031-12-31".into(),
        evidence: Evidence::words(EvidenceKind::Policy, "a waiver".into()),
    };
    finding.waiver = Some(Box::new(waiver));
    finding
}

/// A switch of three ports with what is said of each, and its findings.
pub(crate) fn outcome(name: &str, standings: [Standing; 3], findings: Vec<Finding>) -> SwitchOutcome {
    let port = |(position, standing): (usize, Standing)| PortShown {
        position,
        name: PortName::new(format!("1.{}", position + 1)),
        role: None,
        description: None,
        standing,
    };
    SwitchOutcome {
        findings,
        has_state: true,
        row: Some(SwitchRow {
            walk: false,
            switch: name.into(),
            dialect: None,
            ports: 3,
            violating_ports: standings.iter().filter(|standing| standing.is_violating()).count() as u32,
            lines: 100,
            unread_lines: 2,
            findings: Levels::default(),
        }),
        ports: standings.into_iter().enumerate().map(port).collect(),
        ..SwitchOutcome::default()
    }
}
