//! How long a host waits until its port forwards.

use crate::check::figure::Figure;
use crate::check::tree::Edge;
use crate::check::{Case, Check, Judgement, Mending, PortView, Repair, Run, Verdict, Violation};
use crate::model::{Mode, Seconds, settings};
use crate::policy::{DetectedEdges, Feature, Level};

const NEEDS: &[&str] = &["fast-start.mode", "port.mode", "spanning-tree.enabled", "spanning-tree.port-enabled", "role"];
const USES: &[&str] = &[
    "spanning-tree.protocol",
    "spanning-tree.link-type",
    "spanning-tree.forward-delay",
    "spanning-tree.max-age",
    "spanning-tree.hello",
    "spanning-tree.host-speed-up",
    "edge-detected",
    "rapid-without-edge",
    "host-speed-up",
    "plain-fast-start-on-trunk",
];

pub(super) const MISSING: Check = Check {
    id: "fast-start/missing",
    title: "a port for hosts is no edge port",
    level: Level::Risk,
    needs: NEEDS,
    uses: USES,
    policy: &["role.expect.fast-start", "site.detected-edges"],
    reference: "IEEE 802.1Q, 13.27 (admin edge); IEEE 802.1D-1998, 8.5",
    why: "Until the port forwards nothing gets through: a phone gives up its first try for an address, a computer \
          starts without the network. Each such port that comes or goes also sends a topology change through the \
          network, and every switch forgets its addresses.",
    remedy: "Make the port an edge port, with BPDU guard beside it.",
    repair: Repair::Work(make_edge),
    run: Run::Port(missing),
    ..Check::ROW
};

fn missing(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::FastStart) || !port.tree_runs()? {
        return Ok(Verdict::NotApplicable);
    }
    let edges = &port.policy().site.detected_edges;
    match port.edge()? {
        Edge::InForce => return Ok(Verdict::Met),
        Edge::Detected if edges.value == DetectedEdges::Set => {
            let says = "no edge port until the platform detects it; the site wants fast start written";
            return Violation::of(settings::FAST_START.id, says)
                .beside(settings::LINK_TYPE.id)
                .demand(&edges.cite)
                .into();
        }
        Edge::Detected => return Ok(Verdict::Met),
        // no-effect says it better.
        Edge::Void => return Ok(Verdict::NotApplicable),
        Edge::None => {}
    }
    let demand = &role.expect.wish(Feature::FastStart).cite;
    // It is none, however long a host waits.
    let Figure { seconds, how, settings } = match port.wait() {
        Ok(figure) => figure,
        Err(unknown) => {
            let says = "no edge port: how long a host waits hangs on {needs}, which nobody knows";
            let violation = Violation::of(settings::FAST_START.id, says).beside(settings::TREE_PROTOCOL.id);
            return violation.fact("needs", unknown.needs.join(", ")).demand(demand).into();
        }
    };
    let says = "no edge port: a host waits {seconds} s from plug-in to forwarding ({how})";
    let violation = Violation::of(settings::FAST_START.id, says).beside(settings::TREE_PROTOCOL.id);
    let violation = settings.into_iter().fold(violation, Violation::beside);
    violation.fact("seconds", seconds).fact("how", how).demand(demand).into()
}

pub(super) const NO_EFFECT: Check = Check {
    id: "fast-start/no-effect",
    title: "fast start is written and void in the port's mode",
    level: Level::Risk,
    needs: &["fast-start.mode", "port.mode", "plain-fast-start-on-trunk"],
    uses: &["spanning-tree.enabled", "spanning-tree.port-enabled"],
    reference: "docs/dialects.md, Traits",
    why: "The plain form of fast start does nothing on a trunk of this platform. It stands in the configuration and \
          whoever hangs on the port waits all the same.",
    remedy: "Use the form that holds on a trunk where a host speaks tagged; take the line out elsewhere.",
    repair: Repair::Work(make_edge),
    run: Run::Port(no_effect),
    ..Check::ROW
};

fn no_effect(port: &PortView<'_>) -> Judgement {
    if !port.tree_runs()? {
        return Ok(Verdict::NotApplicable);
    }
    if port.edge()? != Edge::Void {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::FAST_START.id, "the plain form of fast start is written, and void while the mode is {mode}")
        .beside(settings::MODE.id)
        .fact("mode", Mode::Trunk.to_string())
        .into()
}

pub(super) const SLOW: Check = Check {
    id: "fast-start/slow",
    title: "a host waits longer than the policy allows",
    level: Level::Risk,
    needs: NEEDS,
    uses: USES,
    policy: &["site.start-within", "role.expect.fast-start", "site.detected-edges"],
    reference: "IEEE 802.1Q, 13.26 (migrate time)",
    why: "A DHCP client asks at about 0, 4, 12, 28 and 60 s (RFC 2131, 4.1). Each try that is lost makes its user \
          wait for the next.",
    remedy: "Write fast start on the port rather than leaving the edge to be detected.",
    repair: Repair::Work(make_edge),
    run: Run::Port(slow),
    ..Check::ROW
};

fn slow(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::FastStart) || !port.tree_runs()? {
        return Ok(Verdict::NotApplicable);
    }
    // Where the edge is not in force, missing or no-effect give the seconds.
    let set = port.policy().site.detected_edges.value == DetectedEdges::Set;
    let edge = port.edge()?;
    if matches!(edge, Edge::None | Edge::Void) || set && edge == Edge::Detected {
        return Ok(Verdict::NotApplicable);
    }
    let Figure { seconds, how, .. } = port.wait()?;
    let wished = &port.policy().site.start_within;
    let Seconds(most) = wished.value;
    if seconds <= most {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::FAST_START.id, "a host waits {seconds} s ({how}); the site allows {most} s")
        .fact("seconds", seconds)
        .fact("how", how)
        .fact("most", most)
        .demand(&wished.cite)
        .into()
}

/// An edge port: on a trunk by the form that holds there, and only where a host is.
fn make_edge(case: &Case<'_>) -> Mending {
    let Some(port) = case.port() else { return Mending::Person };
    let word = match port.role() {
        Ok(role) if role.faces.is_bridge() => "off",
        _ if port.mode() == Ok(Mode::Trunk) => "edge-on-trunk",
        _ => "edge",
    };
    Mending::of(case.word(settings::FAST_START.id, word))
}
