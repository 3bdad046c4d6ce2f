//! Storm limits.

use crate::check::{Case, Check, Judgement, Mending, PortView, Repair, Run, Tally, Unknown, Verdict, Violation};
use crate::model::{Key, Rate, Value, settings};
use crate::policy::{Feature, Level, Role, Wished};

pub(super) const MISSING: Check = Check {
    id: "guard/storm-missing",
    title: "broadcast or multicast is not limited as the policy wants",
    level: Level::Risk,
    needs: &["storm.broadcast", "storm.multicast", "role"],
    uses: &["port.speed"],
    policy: &["role.expect.storm", "site.storm-broadcast", "site.storm-multicast"],
    reference: "docs/policy.md, Expectations",
    why: "A loop behind the port, or a broken card, sends as fast as the link allows, and every port of the VLAN \
          gets it.",
    remedy: "Set a limit for {kind}{most}.",
    repair: Repair::Work(set_limit),
    run: Run::Port(missing),
    ..Check::ROW
};

fn missing(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::Storm) {
        return Ok(Verdict::NotApplicable);
    }
    let site = &port.policy().site;
    let mut tally = Tally::default();
    tally.add(limit(port, role, "broadcast", settings::STORM_BROADCAST, &site.storm_broadcast));
    tally.add(limit(port, role, "multicast", settings::STORM_MULTICAST, &site.storm_multicast));
    tally.judgement()
}

fn limit(
    port: &PortView<'_>,
    role: &Role,
    kind: &'static str,
    key: Key<Option<Rate>>,
    site: &Wished<Option<Rate>>,
) -> Result<Option<Violation>, Unknown> {
    let of_role = role.expect.value(key);
    let wished = of_role.as_ref().unwrap_or(site);
    let told = wished.value.map(|most| format!(" of at most {most}")).unwrap_or_default();
    let violation = |says| Violation::of(key.id, says).fact("kind", kind).fact("most", told.clone());
    let Some(limit) = port.known(key)? else {
        let cite = if wished.value.is_some() { &wished.cite } else { &role.expect.wish(Feature::Storm).cite };
        return Ok(Some(violation("{kind} is not limited").demand(cite)));
    };
    let Some(most) = wished.value else { return Ok(None) };
    if !port.exceeds(limit, most)? {
        return Ok(None);
    }
    let says = "{kind} is limited to {limit}; the policy allows a limit{most}";
    Ok(Some(violation(says).fact("limit", limit.to_string()).demand(&wished.cite)))
}

/// The limit that the role, else the site, allows.
fn set_limit(case: &Case<'_>) -> Mending {
    let (broadcast, site) = (settings::STORM_BROADCAST, &case.policy.site);
    let (key, site) = match case.cause() {
        Some(cause) if cause == broadcast.id => (broadcast, site.storm_broadcast.value),
        _ => (settings::STORM_MULTICAST, site.storm_multicast.value),
    };
    let of_role = case.role().and_then(|role| role.expect.value(key));
    let rate = of_role.map_or(site, |wished| wished.value);
    rate.map_or_else(|| case.any_value(key.id), |rate| Mending::of(case.set(key.id, Value::Rate(Some(rate)))))
}
