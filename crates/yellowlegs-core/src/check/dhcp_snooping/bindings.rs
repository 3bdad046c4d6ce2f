//! The binding table: entries where they cannot be, twice, or past their end.

use std::net::IpAddr;

use jiff::{SignedDuration, Timestamp};

use crate::check::arming::SNOOPING;
use crate::check::seen::{Few, Kept};
use crate::check::{Check, Judgement, PortView, Run, SwitchView, Tally, Unknown, Verdict, Violation};
use crate::finding::Related;
use crate::model::{Fact, Seconds, StationAddress, VlanId, facts, settings};
use crate::policy::Level;

pub(super) const MISPLACED: Check = Check {
    id: "dhcp-snooping/binding-misplaced",
    title: "a binding is in a VLAN that its port does not carry, or on a trusted port",
    level: Level::Risk,
    needs: &["binding", "port.mode", "dhcp-snooping.trusted"],
    uses: &["port.access-vlan", "port.native-vlan", "port.voice-vlan", "port.tagged-vlans"],
    policy: &["site.state-age"],
    reference: "RFC 7513, 5 (binding anchors)",
    why: "The table no longer fits the configuration: the port was changed, and the entry lets through what should not \
          be there.",
    remedy: "Clear the entry of {station}; whoever it is asks again.",
    run: Run::Port(misplaced),
    ..Check::ROW
};

/// A row of the table.
#[derive(Clone, Copy)]
pub(super) struct Binding<'a> {
    pub(super) station: StationAddress,
    pub(super) ip: Option<IpAddr>,
    pub(super) vlan: Option<VlanId>,
    pub(super) row: &'a Fact,
}

impl<'a> Binding<'a> {
    fn of(row: &'a Fact) -> Option<Self> {
        let station = row.get(facts::binding::ADDRESS)?;
        let (ip, vlan) = (row.get(facts::binding::IP).flatten(), row.get(facts::binding::VLAN).flatten());
        Some(Self { station, ip, vlan, row })
    }

    /// Whether its lease was over when the table was taken.
    pub(super) fn is_over(&self, taken: Timestamp) -> bool {
        let ends = self.row.get(facts::binding::EXPIRES);
        self.row.get(facts::binding::LEASE) == Some(Seconds(0)) || ends.is_some_and(|ends| ends < taken)
    }

    fn violation(&self, says: &'static str) -> Violation {
        let ip = self.ip.map_or_else(|| "no address".to_owned(), |ip| ip.to_string());
        Violation::saying(says)
            .fact("station", self.station.to_string())
            .fact("ip", ip)
            .fact("vlan", self.vlan.map_or(0, |vlan| u32::from(vlan.get())))
            .vlan(self.vlan)
            .and_line(Some(self.row.mark))
    }
}

/// Whether snooping acts on the switch, or a table is there all the same: else there is nothing to look at.
fn has_table(on: SwitchView<'_>) -> bool {
    let is_idle = || matches!(on.is_armed(SNOOPING), Ok(false)) || matches!(on.is_held_back("dhcp-snooping"), Ok(true));
    on.switch().tells(facts::binding::FACT) || !is_idle()
}

/// The bindings of a port.
pub(super) fn of_port<'a>(port: &PortView<'a>) -> Kept<Few<Binding<'a>>> {
    if port.tells_nothing() || !has_table(port.on()) {
        return Ok(None);
    }
    let kind = facts::binding::FACT;
    Ok(port.reads(kind)?.map(|()| port.facts(kind).filter_map(Binding::of).collect()))
}

/// One judgement over the bindings of a port.
fn each(port: &PortView<'_>, judge: impl Fn(&Binding<'_>) -> Result<Option<Violation>, Unknown>) -> Judgement {
    let Some(bindings) = of_port(port)? else { return Ok(Verdict::NotApplicable) };
    let mut tally = Tally::default();
    bindings.iter().for_each(|binding| tally.add(judge(binding)));
    tally.judgement()
}

fn misplaced(port: &PortView<'_>) -> Judgement {
    each(port, |binding| {
        if port.known(settings::SNOOPING_TRUSTED)? {
            let says = "{station} ({ip}) is bound here, and the port is trusted: trusted ports have no bindings";
            return Ok(Some(binding.violation(says).beside(settings::SNOOPING_TRUSTED.id)));
        }
        let Some(vlan) = binding.vlan else { return Ok(None) };
        let carried = port.carries()?;
        if carried.contains(vlan) {
            return Ok(None);
        }
        let says = "{station} ({ip}) is bound here in VLAN {vlan}, and the port carries {carried}";
        let violation = binding.violation(says).fact("carried", carried.to_string()).beside(settings::MODE.id);
        Ok(Some(violation.beside(port.untagged()?.setting)))
    })
}

pub(super) const EXPIRED: Check = Check {
    id: "dhcp-snooping/binding-expired",
    title: "a lease is over and its entry is still there",
    level: Level::Advice,
    needs: &["binding"],
    policy: &["site.state-age"],
    reference: "RFC 2131, 4.4.5",
    why: "An address that its holder has given back stays open to whoever takes it on that port.",
    remedy: "Clear the entry of {station}.",
    run: Run::Port(expired),
    ..Check::ROW
};

fn expired(port: &PortView<'_>) -> Judgement {
    each(port, |binding| {
        let taken = port.on().taken(facts::binding::FACT);
        Ok(binding.is_over(taken).then(|| binding.violation("the lease of {station} ({ip}) in VLAN {vlan} is over")))
    })
}

pub(super) const FOREIGN_SUBNET: Check = Check {
    id: "dhcp-snooping/foreign-subnet",
    title: "a binding is outside its VLAN's subnet",
    level: Level::Breach,
    needs: &["binding"],
    policy: &["vlans.subnet"],
    reference: "RFC 2131, 4.3.1",
    why: "The server that gave this address does not know the VLAN: it is a stranger's.",
    remedy: "Find the server that gave {ip} to {station}, and take it off.",
    run: Run::Port(foreign),
    ..Check::ROW
};

/// Addresses that a host gives itself are another check's.
fn foreign(port: &PortView<'_>) -> Judgement {
    let (policy, switch) = (port.policy(), port.switch());
    each(port, |binding| {
        let (Some(ip), Some(vlan)) = (binding.ip, binding.vlan) else { return Ok(None) };
        let Some(site) = policy.vlan(switch.name(), vlan) else { return Ok(None) };
        if is_link_local(ip) || site.holds(ip) != Some(false) {
            return Ok(None);
        }
        let says = "{station} is bound to {ip} in VLAN {vlan}, whose subnet is {subnet}";
        let subnets: Vec<String> = site.subnets.iter().map(|(net, bits)| format!("{net}/{bits}")).collect();
        Ok(Some(binding.violation(says).fact("subnet", subnets.join(", ")).demand(&site.cite)))
    })
}

/// Whether a host gave itself the address (RFC 3927, 2.1; RFC 4291, 2.5.6).
pub(super) fn is_link_local(ip: IpAddr) -> bool {
    match ip {
        IpAddr::V4(ip) => ip.is_link_local(),
        IpAddr::V6(ip) => ip.is_unicast_link_local(),
    }
}

pub(super) const DOUBLE: Check = Check {
    id: "dhcp-snooping/binding-double",
    title: "one address is bound to two stations, or one station to two addresses in a VLAN",
    level: Level::Breach,
    needs: &["binding"],
    policy: &["site.state-age"],
    reference: "RFC 2131, 2.2",
    why: "Two servers give out the same addresses, or a station poses as another.",
    remedy: "Find out which of the two is right; clear the other's entry.",
    run: Run::Switch(double),
    ..Check::ROW
};

fn double(on: &SwitchView<'_>) -> Judgement {
    let kind = facts::binding::FACT;
    if !has_table(*on) || on.reads(kind)?.is_none() {
        return Ok(Verdict::NotApplicable);
    }
    let bindings: Vec<Binding<'_>> = on.switch().facts_of(kind).filter_map(Binding::of).collect();
    // A host has several IPv6 addresses by right (RFC 4862).
    let with_ip = || bindings.iter().filter_map(|binding| Some((binding.ip?, binding)));
    let by_ip = with_ip().map(|(ip, binding)| ((binding.vlan, ip), binding));
    let by_station = with_ip().filter(|(ip, _)| ip.is_ipv4()).map(|(_, b)| ((b.vlan, b.station), b));
    let mut tally = Tally::default();
    for ((_, ip), rows) in several(by_ip) {
        let stations: Vec<String> = distinct(rows.iter().map(|binding| binding.station));
        if stations.len() > 1 {
            let says = "{ip} is bound to {count} stations in VLAN {vlan}: {stations}";
            let violation = at_first(on, &rows, says).fact("ip", ip.to_string());
            let violation = violation.fact("count", stations.len() as u32).fact("stations", stations.join(", "));
            tally.add(Ok(Some(violation)));
        }
    }
    for ((_, station), rows) in several(by_station) {
        let addresses: Vec<String> = distinct(rows.iter().filter_map(|binding| binding.ip));
        if addresses.len() > 1 {
            let says = "{station} is bound to {count} addresses in VLAN {vlan}: {addresses}";
            let violation = at_first(on, &rows, says).fact("station", station.to_string());
            let violation = violation.fact("count", addresses.len() as u32).fact("addresses", addresses.join(", "));
            tally.add(Ok(Some(violation)));
        }
    }
    tally.judgement()
}

/// What has one key with others, in the order of the keys and, of one, of the text.
fn several<K: Ord + Copy, T: Copy>(all: impl Iterator<Item = (K, T)>) -> Vec<(K, Vec<T>)> {
    let mut all: Vec<(K, T)> = all.collect();
    all.sort_by_key(|(key, _)| *key);
    let of_one_key = all.chunk_by(|(one, _), (other, _)| one == other).filter(|rows| rows.len() > 1);
    of_one_key.map(|rows| (rows[0].0, rows.iter().map(|(_, row)| *row).collect())).collect()
}

fn distinct<T: Ord + ToString>(all: impl Iterator<Item = T>) -> Vec<String> {
    let mut all: Vec<T> = all.collect();
    all.sort_unstable();
    all.dedup();
    all.iter().map(ToString::to_string).collect()
}

/// A violation on the first port of some rows, the others beside it.
fn at_first(on: &SwitchView<'_>, rows: &[&Binding<'_>], says: &'static str) -> Violation {
    let switch = on.switch();
    let mut ports: Vec<usize> = rows.iter().filter_map(|binding| switch.port_index(binding.row.port()?)).collect();
    ports.sort_unstable();
    ports.dedup();
    let related: Vec<Related> = ports.iter().skip(1).map(|port| on.related(*port)).collect();
    let vlan = rows.first().and_then(|binding| binding.vlan);
    let violation = Violation::saying(says)
        .on(ports.first().copied())
        .vlan(vlan)
        .fact("vlan", vlan.map_or(0, |vlan| u32::from(vlan.get())))
        .related(related);
    rows.iter().fold(violation, |violation, binding| violation.and_line(Some(binding.row.mark)))
}

pub(super) const STORE_FAILING: Check = Check {
    id: "dhcp-snooping/store-failing",
    title: "bindings are not written where they are kept",
    level: Level::Risk,
    needs: &["binding-store"],
    uses: &["binding", "event", "dhcp-snooping.store", "dhcp-snooping.store-delay"],
    policy: &["site.log-window"],
    reference: "docs/checks.md, dhcp-snooping",
    why: "After the next restart the table is empty or old, and source guard cuts off everybody it does not know.",
    remedy: "See whether {place} can be written, and write the table once by hand.",
    run: Run::Switch(store_failing),
    ..Check::ROW
};

fn store_failing(on: &SwitchView<'_>) -> Judgement {
    let (kind, event) = (facts::binding_store::FACT, crate::model::EventSeen::StoreFailed);
    if !on.has_state() || on.setting(settings::SNOOPING_STORE).value == Some(false) || !on.is_armed(SNOOPING)? {
        return Ok(Verdict::NotApplicable);
    }
    let logged: Vec<&Fact> = on.events(event).collect();
    let read = on.reads(kind);
    let store = on.switch().facts_of(kind).last().filter(|_| matches!(read, Ok(Some(()))));
    let place = store.and_then(|store| store.get(facts::binding_store::PLACE)).unwrap_or_else(|| "the store".into());
    let failing = |says: &'static str| Violation::of(settings::SNOOPING_STORE.id, says).fact("place", &*place);
    let failures = store.and_then(|store| store.get(facts::binding_store::FAILURES)).filter(|count| *count > 0);
    if let (Some(count), Some(store)) = (failures, store) {
        return failing("{count} write(s) of the bindings to {place} failed")
            .fact("count", count)
            .and_line(Some(store.mark))
            .and_line(logged.last().map(|event| event.mark))
            .into();
    }
    if let Some(last) = logged.last() {
        return failing("the log has {count} failed write(s) of the bindings")
            .fact("count", logged.len() as u32)
            .and_line(Some(last.mark))
            .into();
    }
    read?;
    let Some(store) = store else { return Ok(Verdict::Met) };
    let Some(written) = store.get(facts::binding_store::WRITTEN) else { return Ok(Verdict::Met) };
    let granted = |fact: &&Fact| fact.get(facts::binding::GRANTED);
    let newest = on.switch().facts_of(facts::binding::FACT).filter(|f| granted(f).is_some()).max_by_key(granted);
    let Some((newest, granted)) = newest.and_then(|fact| Some((fact, granted(&fact)?))) else {
        return Ok(Verdict::Met);
    };
    let Seconds(delay) = on.known(settings::STORE_DELAY)?;
    let late = granted.duration_since(written);
    // Within the delay a write is still to come.
    let due = on.taken(kind).duration_since(granted) > SignedDuration::from_secs(delay.into());
    if late <= SignedDuration::from_secs(0) || !due {
        return Ok(Verdict::Met);
    }
    failing(
        "the last write to {place} was at {written}; the newest binding is of {granted}, and the delay is {delay} s",
    )
    .beside(settings::STORE_DELAY.id)
    .fact("written", written.to_string())
    .fact("granted", granted.to_string())
    .fact("delay", delay)
    .and_line(Some(store.mark))
    .and_line(Some(newest.mark))
    .into()
}
