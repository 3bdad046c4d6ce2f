//! What unidirectional link detection sees now.

use crate::check::{Check, Judgement, PortView, Run, Verdict, Violation};
use crate::model::{EventSeen, Fact, LinkSeen, Unidirectional, facts, settings};
use crate::policy::Level;

pub(super) const SEEN: Check = Check {
    id: "unidirectional/seen",
    title: "a link works one way, or nobody can tell",
    level: Level::Breach,
    needs: &["unidirectional"],
    uses: &["event", "unidirectional.mode"],
    policy: &["site.log-window", "site.state-age"],
    reference: "RFC 5171",
    why: "A fibre that works one way lets the spanning tree open a blocked port, and a loop stands.",
    remedy: "Look at fibre, plugs and transceivers of both ends.",
    run: Run::Port(seen),
    ..Check::ROW
};

/// An end whose neighbour takes no part tells nothing.
fn seen(port: &PortView<'_>) -> Judgement {
    if !port.has_state() {
        return Ok(Verdict::NotApplicable);
    }
    let rows = port.seen(facts::unidirectional::FACT);
    let runs = port.setting(settings::UNIDIRECTIONAL).value.is_some_and(|mode| mode != Unidirectional::Off);
    let bad = rows.iter().flatten().flatten().find_map(|fact| match fact.get(facts::unidirectional::STATE) {
        Some(LinkSeen::OneWay) => Some((*fact, "the link works one way")),
        Some(LinkSeen::Undetermined) if runs => Some((*fact, "detection cannot tell whether the link works both ways")),
        _ => None,
    });
    let cause = |says: &'static str| Violation::of(settings::UNIDIRECTIONAL.id, says);
    if let Some((fact, says)) = bad {
        let violation = cause(says).and_line(Some(fact.mark));
        return violation.and_line(port.events(EventSeen::OneWay).last().map(|event| event.mark)).into();
    }
    // What the log told and a later table no longer shows is over.
    let over = rows.iter().flatten().flatten().any(|f| f.get(facts::unidirectional::STATE) == Some(LinkSeen::TwoWay));
    let taken = port.on().taken(facts::unidirectional::FACT);
    let is_newer = |event: &&Fact| !over || event.get(facts::event::TIME).is_some_and(|time| time > taken);
    if let Some(event) = port.events(EventSeen::OneWay).filter(is_newer).last() {
        let at = event.get(facts::event::TIME).map_or_else(|| "?".to_owned(), |time| time.to_string());
        return cause("the log has the link working one way at {at}").fact("at", at).and_line(Some(event.mark)).into();
    }
    rows.map(|_| Verdict::Met)
}
