//! Queriers across a VLAN's switches: exactly one, and all of one mind.

use std::collections::BTreeSet;
use std::net::IpAddr;
use std::sync::Arc;

use crate::check::figure::Figure;
use crate::check::fleet::At;
use crate::check::fleet::QuerierDigest;
use crate::check::{
    Aim, Case, Check, Digest, FleetJudgement, FleetView, FleetViolation, Mending, Repair, Run, Target, To, Violation,
};
use crate::finding::Related;
use crate::model::{Seconds, SettingId, Value, VlanId, VlanSet, settings};
use crate::policy::{Cite, Level, Purpose};
use crate::resolve::About;
use crate::sorted;

pub(super) const MISSING: Check = Check {
    id: "multicast/querier-missing",
    title: "nobody asks for memberships in a snooped VLAN",
    level: Level::Breach,
    needs: &["vlan.querier", "multicast.snooping-vlans", "links"],
    uses: &[
        "querier",
        "port.tagged-vlans",
        "port.native-vlan",
        "multicast.filtering",
        "vlan.robustness",
        "vlan.query-interval",
        "vlan.response-interval",
    ],
    policy: &["link"],
    reference: "RFC 4541, 2.1.1; RFC 2236, 8.4",
    why: "Memberships expire after robustness × query interval + response interval, 260 s by default. Then the \
          streams stop where unregistered groups are filtered, and flood everything where they are not.",
    remedy: "Configure one querier for VLAN {vlan}.",
    repair: Repair::Work(name_one),
    run: Run::Fleet(missing),
    ..Check::ROW
};

pub(super) const MANY: Check = Check {
    id: "multicast/querier-many",
    title: "more than one switch asks for memberships in a VLAN",
    level: Level::Risk,
    needs: &["vlan.querier", "links"],
    uses: &["vlan.querier-address", "multicast.querier-address", "querier"],
    policy: &["link"],
    reference: "RFC 2236, 3 (the lowest address wins)",
    why: "The lowest address wins, which may be nobody's choice; the others take over with their own values when it \
          restarts.",
    remedy: "Leave one querier in VLAN {vlan}.",
    repair: Repair::Work(leave_one),
    run: Run::Fleet(many),
    ..Check::ROW
};

pub(super) const SETTINGS: Check = Check {
    id: "multicast/querier-settings",
    title: "a querier asks by other values than the policy's or its neighbours'",
    level: Level::Risk,
    needs: &["vlan.querier", "vlan.query-version", "vlan.query-interval"],
    uses: &[
        "vlan.last-member-interval",
        "vlan.last-member-count",
        "vlan.robustness",
        "vlan.response-interval",
        "links",
    ],
    policy: &[
        "site.query-version",
        "site.query-interval",
        "site.last-member-interval",
        "site.last-member-count",
        "site.response-interval",
        "site.robustness",
    ],
    reference: "RFC 2236, 8; RFC 3376, 8",
    why: "Receivers are asked in a version they do not speak, or are forgotten between two questions.",
    remedy: "Set {setting} to {wanted}.",
    repair: Repair::Cause(Aim::Fact("wanted")),
    run: Run::Fleet(values),
    ..Check::ROW
};

/// A VLAN's switches: those that it joins.
struct Domain {
    vlan: VlanId,
    switches: sorted::Set<usize>,
    /// A port by which it goes on, nobody knows where to, or to where nobody says whether somebody asks.
    open: Option<At>,
    /// Somebody outside the fleet asks in it.
    asked_outside: bool,
}

/// The domains of the VLANs that are snooped and used, by edge ports or on the way between switches; and of those in which
/// somebody asks.
fn domains(fleet: &FleetView<'_>) -> Vec<Domain> {
    let mut vlans = VlanSet::default();
    for digest in fleet.switches.iter() {
        let snooped = digest.serves.multicast.clone().unwrap_or_default();
        let asked: VlanSet = digest.serves.queriers.keys().copied().collect();
        vlans = vlans.union(&snooped.common(&digest.serves.used_vlans.to_set())).union(&asked);
    }
    let mut domains = Vec::new();
    for vlan in vlans.iter() {
        let joined = fleet.links().joined(fleet.switches, vlan);
        let mut seen: BTreeSet<u32> = BTreeSet::new();
        for first in (0..fleet.switches.len()).filter(|switch| is_there(fleet, *switch, vlan)) {
            if !seen.insert(joined.group(first)) {
                continue;
            }
            let switches: sorted::Set<usize> = sorted::set(joined.members(first));
            let open = switches.iter().find_map(|switch| fleet.links().open_end(fleet.switches, *switch, vlan));
            let outside = switches.iter().flat_map(|switch| fleet.links().outside(fleet.switches, *switch, vlan));
            let asks: Vec<(At, Option<bool>)> = outside.map(|(at, outside)| (at, outside.asks(vlan))).collect();
            let unsaid = asks.iter().find(|(_, asks)| asks.is_none()).map(|(at, _)| *at);
            let asked_outside = asks.iter().any(|(_, asks)| *asks == Some(true));
            domains.push(Domain { vlan, switches, open: open.or(unsaid), asked_outside });
        }
    }
    domains
}

/// Whether a VLAN is in use on a switch.
fn is_there(fleet: &FleetView<'_>, switch: usize, vlan: VlanId) -> bool {
    let digest = &fleet.switches[switch];
    digest.serves.edge_vlans.contains(vlan)
        || digest.serves.queriers.contains_key(&vlan)
        || fleet.links().carrying(fleet.switches, switch, vlan).next().is_some()
}

impl Domain {
    fn queriers<'f>(&self, fleet: &'f FleetView<'_>) -> Vec<(usize, &'f QuerierDigest)> {
        let of = |switch: &usize| Some((*switch, fleet.switches[*switch].serves.queriers.get(&self.vlan)?));
        self.switches.iter().filter_map(of).collect()
    }

    /// The addresses that are heard asking in the VLAN, each once.
    fn heard(&self, fleet: &FleetView<'_>) -> sorted::Set<IpAddr> {
        let of = |switch: &usize| fleet.switches[*switch].heard_queriers.iter();
        sorted::set(
            self.switches.iter().flat_map(of).filter(|(vlan, _)| *vlan == self.vlan).map(|(_, address)| *address),
        )
    }

    fn related(&self, fleet: &FleetView<'_>) -> Vec<Related> {
        self.switches.iter().map(|switch| fleet.related_switch(*switch)).collect()
    }
}

fn missing(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    for domain in domains(fleet) {
        let nobody_is_in_it = |purpose| matches!(purpose, Purpose::Native | Purpose::Parking);
        let snooped = |switch: &usize| {
            let digest = &fleet.switches[*switch];
            let site = fleet.policy.vlan(&digest.switch, domain.vlan);
            digest.serves.multicast.as_ref().is_some_and(|set| set.contains(domain.vlan))
                && !site.and_then(|vlan| vlan.purpose).is_some_and(nobody_is_in_it)
        };
        let Some(first) = domain.switches.iter().find(|switch| snooped(switch)) else { continue };
        // One that is heard and not of this fleet asks, too: a router, most often.
        if !domain.queriers(fleet).is_empty() || !domain.heard(fleet).is_empty() || domain.asked_outside {
            continue;
        }
        if let Some(open) = domain.open {
            judgement.unknown.push(("links", fleet.related(open)));
            continue;
        }
        let names: Vec<&str> = domain.switches.iter().map(|s| &*fleet.switches[*s].switch).collect();
        let violation =
            Violation::saying("VLAN {vlan} is snooped and nobody asks for memberships in it, on {switches}: {ending}")
                .fact("vlan", u32::from(domain.vlan.get()))
                .fact("switches", names.join(", "))
                .fact("ending", ending(&fleet.switches[*first], domain.vlan))
                .vlan(Some(domain.vlan))
                .demand(&built_in("each snooped VLAN has one querier"))
                .related(domain.related(fleet));
        judgement.violations.push(FleetViolation::nowhere(violation));
    }
    judgement
}

/// What becomes of the VLAN's streams, as the first switch has it.
fn ending(digest: &Digest, vlan: VlanId) -> String {
    let then = match digest.serves.filters {
        Some(true) => "then the streams stop",
        Some(false) => "then the streams flood",
        None => "then the streams stop or flood",
    };
    match digest.serves.memberships.iter().find(|(id, _)| *id == vlan) {
        Some((_, seconds)) => format!("memberships end {seconds} s after their last report, {then}"),
        None => format!("memberships end, {then}"),
    }
}

fn built_in(words: &str) -> Cite {
    Cite::BuiltIn(format!("built-in default: {words}"))
}

fn many(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    for domain in domains(fleet) {
        let queriers = domain.queriers(fleet);
        if queriers.len() < 2 {
            continue;
        }
        let shown = |address: Option<IpAddr>| address.map_or_else(|| "no address".to_owned(), |a| a.to_string());
        let names: Vec<String> = queriers
            .iter()
            .map(|(switch, querier)| format!("{} ({})", fleet.switches[*switch].switch, shown(querier.address)))
            .collect();
        let wins = queriers.iter().filter(|(_, q)| q.address.is_some()).min_by_key(|(_, q)| q.address);
        let heard: Vec<String> = domain.heard(fleet).iter().map(ToString::to_string).collect();
        let heard = if heard.is_empty() { String::new() } else { format!("; heard asking now: {}", heard.join(", ")) };
        let winner = wins.map_or_else(|| "nobody".to_owned(), |(switch, _)| fleet.switches[*switch].switch.to_string());
        let violation =
            Violation::saying("VLAN {vlan} has {count} queriers: {queriers}; the lowest address wins: {winner}{heard}")
                .fact("heard", heard)
                .fact("vlan", u32::from(domain.vlan.get()))
                .fact("count", queriers.len() as u32)
                .fact("queriers", names.join(", "))
                .fact("winner", winner)
                .vlan(Some(domain.vlan))
                .demand(&built_in("each snooped VLAN has one querier"))
                .related(queriers.iter().map(|(switch, _)| fleet.related_switch(*switch)).collect());
        judgement.violations.push(FleetViolation::nowhere(violation));
    }
    judgement
}

/// A value queriers ask by: the setting, what the policy wants, what each has.
type Asked = (SettingId, Option<u32>, Cite, fn(&QuerierDigest) -> Option<u32>);

/// What a querier's value comes to, in words.
fn figure(querier: &QuerierDigest, id: SettingId) -> Option<String> {
    let of_memberships = [settings::QUERY_INTERVAL.id, settings::RESPONSE_INTERVAL.id, settings::ROBUSTNESS.id];
    let (what, Figure { seconds, how, .. }) = if of_memberships.contains(&id) {
        ("a membership ends after", querier.membership.as_ref()?)
    } else if id == settings::QUERY_VERSION.id {
        return None;
    } else {
        ("a stream runs on after its leave for", querier.leave.as_ref()?)
    };
    Some(format!("{what} {seconds} s ({how})"))
}

fn values(fleet: &FleetView<'_>) -> FleetJudgement {
    let site = &fleet.policy.site;
    let seconds = |wished: &Option<Seconds>| wished.map(|Seconds(s)| s);
    let asked: [Asked; 6] = [
        (settings::QUERY_VERSION.id, site.query_version.value, site.query_version.cite.clone(), |q| q.version),
        (settings::QUERY_INTERVAL.id, seconds(&site.query_interval.value), site.query_interval.cite.clone(), |q| {
            q.interval
        }),
        (
            settings::LAST_MEMBER_INTERVAL.id,
            seconds(&site.last_member_interval.value),
            site.last_member_interval.cite.clone(),
            |q| q.last_member_interval,
        ),
        (settings::LAST_MEMBER_COUNT.id, site.last_member_count.value, site.last_member_count.cite.clone(), |q| {
            q.last_member_count
        }),
        (
            settings::RESPONSE_INTERVAL.id,
            seconds(&site.response_interval.value),
            site.response_interval.cite.clone(),
            |q| q.response,
        ),
        (settings::ROBUSTNESS.id, site.robustness.value, site.robustness.cite.clone(), |q| q.robustness),
    ];
    let mut judgement = FleetJudgement::default();
    for domain in domains(fleet) {
        let queriers = domain.queriers(fleet);
        for (id, wanted, cite, of) in &asked {
            let first = queriers.first().and_then(|(_, querier)| of(querier));
            for (number, (switch, querier)) in queriers.iter().enumerate() {
                let right = wanted.or(first.filter(|_| number > 0));
                let Some(right) = right else { continue };
                let Some(has) = of(querier) else {
                    judgement.unknown.push((id.name(), fleet.related_switch(*switch)));
                    continue;
                };
                if has == right {
                    continue;
                }
                let says = match (wanted.is_some(), figure(querier, *id).is_some()) {
                    (true, true) => "the querier of VLAN {vlan} has {setting} {has}; the site wants {wanted}: {figure}",
                    (true, false) => "the querier of VLAN {vlan} has {setting} {has}; the site wants {wanted}",
                    (false, true) => {
                        "the querier of VLAN {vlan} has {setting} {has}; that of {first} has {wanted}: {figure}"
                    }
                    (false, false) => "the querier of VLAN {vlan} has {setting} {has}; that of {first} has {wanted}",
                };
                let leader = queriers.first().map_or_else(String::new, |(s, _)| fleet.switches[*s].switch.to_string());
                let violation = Violation::of(*id, says)
                    .fact("vlan", u32::from(domain.vlan.get()))
                    .fact("setting", id.name())
                    .fact("has", has)
                    .fact("wanted", right)
                    .fact("first", leader)
                    .vlan(Some(domain.vlan));
                let violation = match figure(querier, *id) {
                    Some(figure) => violation.fact("figure", figure),
                    None => violation,
                };
                let violation = if wanted.is_some() { violation.demand(cite) } else { violation };
                judgement.violations.push(FleetViolation::at(fleet.related_switch(*switch), violation));
            }
        }
    }
    judgement
}

/// A querier on one of the switches that the VLAN joins.
fn name_one(case: &Case<'_>) -> Mending {
    let Some(vlan) = case.vlan() else { return Mending::Person };
    let choices = case.finding.related.iter().map(|place| (place.switch.to_string(), vec![asks(place, vlan, true)]));
    Mending::one_of(format!("VLAN {vlan}: which switch is to ask for memberships?"), choices.collect())
}

/// All queriers but one leave off.
fn leave_one(case: &Case<'_>) -> Mending {
    let Some(vlan) = case.vlan() else { return Mending::Person };
    let all = &case.finding.related;
    let others = |stays: &Related| {
        let others = all.iter().filter(|place| place.switch != stays.switch);
        others.map(|place| asks(place, vlan, false)).collect()
    };
    let choices = all.iter().map(|stays| (stays.switch.to_string(), others(stays)));
    Mending::one_of(format!("VLAN {vlan}: which querier stays?"), choices.collect())
}

fn asks(place: &Related, vlan: VlanId, on: bool) -> Target {
    let (setting, about) = (settings::QUERIER.id, About::Vlan(vlan));
    Target { switch: Arc::clone(&place.switch), about, setting, to: To::Value(Value::Flag(on)) }
}
