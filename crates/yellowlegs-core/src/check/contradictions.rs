//! Tables that disagree with each other or with the configuration, and times that cannot be: said, never settled in silence.

use jiff::{SignedDuration, Timestamp};
use rustc_hash::FxHashMap;

use super::{PortView, SwitchView};
use crate::model::{
    Action, Cause, Choice, EventSeen, Fact, FactKind, FlapSeen, Key, Learned, Mark, Milliwatts, Rate, Remark,
    StationAddress, StormAction, Unidirectional, VlanId, facts, settings,
};

/// How far two tables of one switch may be apart in time.
const APART: SignedDuration = SignedDuration::from_mins(15);

/// How far a clock may be ahead of the audit's moment.
const AHEAD: SignedDuration = SignedDuration::from_mins(5);

/// So many remarks of one sort are told of one switch; the last says how many more there are.
const MOST: usize = 5;

/// Everything of a switch's state that contradicts.
pub(super) fn contradictions(on: SwitchView<'_>) -> Vec<Remark> {
    if !on.has_state() {
        return Vec::new();
    }
    let sorts = [
        stations(on),
        bindings(on),
        status(on),
        held(on),
        held_by_nothing(on),
        power(on),
        mirrors(on),
        times(on),
        ages(on),
    ];
    sorts.into_iter().flat_map(|sort| told(on, sort)).collect()
}

type Said = (Mark, String);

fn told(on: SwitchView<'_>, mut sort: Vec<Said>) -> Vec<Remark> {
    let switch = on.switch();
    let more = sort.len().saturating_sub(MOST);
    sort.truncate(MOST);
    let remark = |(mark, text): Said| {
        let place = switch.quote(mark).map(|quote| quote.place);
        let (file, line) = (place.as_ref().map(|p| p.file.to_string()), place.as_ref().map(|p| p.line));
        Remark { about: switch.name().to_string(), file, line, text }
    };
    let mut remarks: Vec<Remark> = sort.into_iter().map(remark).collect();
    if let Some(last) = remarks.last_mut().filter(|_| more > 0) {
        last.text = format!("{}; {more} more like this", last.text);
    }
    remarks
}

/// One station on two ports at a time.
fn stations(on: SwitchView<'_>) -> Vec<Said> {
    let mut at: FxHashMap<(StationAddress, Option<VlanId>), &Fact> = FxHashMap::default();
    let mut said = Vec::new();
    for row in on.switch().facts_of(facts::station::FACT) {
        let (Some(address), Some(port)) = (row.get(facts::station::ADDRESS), row.port()) else { continue };
        let first = at.entry((address, row.get(facts::station::VLAN).flatten())).or_insert(row);
        if let Some(other) = first.port().filter(|other| *other != port) {
            let text = format!("{address} is on port {port} here and on port {other} in line {}", first.mark.line());
            said.push((row.mark, text));
        }
    }
    said
}

/// A station that the address table has on another port than the binding table.
fn bindings(on: SwitchView<'_>) -> Vec<Said> {
    let key = |address: Option<StationAddress>, vlan: Option<Option<VlanId>>| Some((address?, vlan.flatten()?));
    let heard: FxHashMap<(StationAddress, VlanId), &Fact> = on
        .switch()
        .facts_of(facts::station::FACT)
        .filter_map(|row| Some((key(row.get(facts::station::ADDRESS), row.get(facts::station::VLAN))?, row)))
        .collect();
    let mut said = Vec::new();
    for row in on.switch().facts_of(facts::binding::FACT) {
        let Some(key) = key(row.get(facts::binding::ADDRESS), row.get(facts::binding::VLAN)) else { continue };
        let (Some(port), Some(other)) = (row.port(), heard.get(&key)) else { continue };
        if let Some(there) = other.port().filter(|there| *there != port) {
            let (address, vlan) = key;
            let text = format!(
                "{address} is bound on port {port} in VLAN {vlan}, and the address table has it on port {there} (line {})",
                other.mark.line()
            );
            said.push((row.mark, text));
        }
    }
    said
}

/// Two rows of status for one port; a status that is not what the configuration says, or that other tables belie.
fn status(on: SwitchView<'_>) -> Vec<Said> {
    let kind = facts::port_status::FACT;
    let mut said = Vec::new();
    for port in on.ports() {
        let rows: Vec<&Fact> = port.all_facts(kind).collect();
        let Some(last) = rows.last() else { continue };
        if let Some(first) = rows.iter().find(|row| row.fields != last.fields) {
            let text = format!("port {} has another status in line {}", port.name(), first.mark.line());
            said.push((last.mark, text));
            continue;
        }
        let shut = last.get(facts::port_status::ADMIN).map(|admin| !admin);
        let by_cause = last.get(facts::port_status::CAUSE).map(|cause| cause == Cause::Administrative);
        let shut = shut.or(by_cause.filter(|shut| *shut));
        let enabled = port.setting(settings::ENABLED);
        if let (Some(shut), Some(enabled)) = (shut, enabled.value)
            && shut == enabled
        {
            let (is, was) = if shut { ("shut", "open") } else { ("open", "shut") };
            let text = format!("port {} is {is} here and {was} in the configuration", port.name());
            said.push((last.mark, text));
        }
        let heard = port.all_facts(facts::station::FACT).find(|row| {
            row.get(facts::station::KIND).is_none_or(|kind| kind == Learned::Learned) && row.mark.file == last.mark.file
        });
        if let (Some(false), Some(heard)) = (last.get(facts::port_status::LINK), heard) {
            let text = format!(
                "port {} has no link here, and a station is heard on it in line {}",
                port.name(),
                heard.mark.line()
            );
            said.push((last.mark, text));
        }
    }
    said
}

/// A port that flap protection holds and that is up.
fn held(on: SwitchView<'_>) -> Vec<Said> {
    let mut said = Vec::new();
    for port in on.ports() {
        let holds = |fact: &&Fact| matches!(fact.get(facts::flap::STATE), Some(FlapSeen::Holding | FlapSeen::Waiting));
        let up = |fact: &&Fact| fact.get(facts::port_status::LINK) == Some(true);
        let (Some(flap), Some(up)) =
            (port.all_facts(facts::flap::FACT).find(holds), port.all_facts(facts::port_status::FACT).find(up))
        else {
            continue;
        };
        let text =
            format!("flap protection holds port {} down, and its link is up in line {}", port.name(), up.mark.line());
        said.push((flap.mark, text));
    }
    said
}

/// A port that is held down by a feature which its configuration has off, void, or only dropping and reporting: one of the two is
/// older, or a trait is wrong.
fn held_by_nothing(on: SwitchView<'_>) -> Vec<Said> {
    let mut said = Vec::new();
    for port in on.ports() {
        let Some(row) = port.all_facts(facts::port_status::FACT).last() else { continue };
        let Some(cause) = row.get(facts::port_status::CAUSE) else { continue };
        if let Some(why) = why_not(&port, cause) {
            let cause = cause.word();
            let text = format!(
                "port {} is held down by {cause} here, and {why} in the configuration: one of the two is older, or a trait is wrong",
                port.name()
            );
            said.push((row.mark, text));
        }
    }
    said
}

/// Why a feature cannot hold a port down by its configuration; `None` where it can, or nobody knows.
fn why_not(port: &PortView<'_>, cause: Cause) -> Option<&'static str> {
    let off = |key: Key<bool>| (port.setting(key).value == Some(false)).then_some("it is off");
    let unlimited = |key: Key<Option<Rate>>| port.setting(key).value == Some(None);
    match cause {
        Cause::PortSecurity => off(settings::PORT_SECURITY)
            .or_else(|| (port.security_is_void() == Ok(true)).then_some("it is void in the port's mode"))
            .or_else(|| {
                let drops = port.setting(settings::ACTION).value.is_some_and(|action| action != Action::DisablePort);
                drops.then_some("it takes no port down")
            }),
        Cause::EdgeBpdu => off(settings::BPDU_GUARD),
        Cause::RootGuard => off(settings::ROOT_GUARD),
        Cause::LoopGuard => off(settings::LOOP_GUARD),
        Cause::LoopDetection => off(settings::LOOP_DETECTION),
        Cause::Storm if unlimited(settings::STORM_BROADCAST) && unlimited(settings::STORM_MULTICAST) => {
            Some("nothing is limited")
        }
        Cause::Storm => {
            let drops = port.setting(settings::STORM_ACTION).value.is_some_and(|action| action == StormAction::Drop);
            drops.then_some("it takes no port down")
        }
        Cause::Unidirectional => match port.setting(settings::UNIDIRECTIONAL).value? {
            Unidirectional::Off => Some("it is off"),
            Unidirectional::ReportOnly => Some("it only reports"),
            Unidirectional::DisablePort | Unidirectional::Strict => None,
        },
        Cause::Flap => off(settings::FLAP),
        Cause::DhcpRate => unlimited(settings::SNOOPING_RATE).then_some("nothing is limited"),
        Cause::ArpRate => unlimited(settings::INSPECTION_RATE).then_some("nothing is limited"),
        Cause::Authentication => off(settings::AUTHENTICATION),
        Cause::Power => off(settings::POWER),
        Cause::Administrative | Cause::NoLink | Cause::Other => None,
    }
}

/// What a device asks of power, told in two ways.
fn power(on: SwitchView<'_>) -> Vec<Said> {
    let mut said = Vec::new();
    for port in on.ports() {
        let told = |kind: FactKind, field| port.all_facts(kind).find_map(|fact| Some((fact, fact.get(field)?)));
        let table: Option<(&Fact, Milliwatts)> = told(facts::power::FACT, facts::power::ASKED);
        let lldp: Option<(&Fact, Milliwatts)> = told(facts::neighbour::FACT, facts::neighbour::POWER_ASKED);
        if let (Some((row, asked)), Some((neighbour, wants))) = (table, lldp)
            && asked != wants
        {
            let text = format!(
                "the device on port {} asks {asked} here and {wants} in line {}",
                port.name(),
                neighbour.mark.line()
            );
            said.push((row.mark, text));
        }
    }
    said
}

/// A mirror session that runs and is not configured so.
fn mirrors(on: SwitchView<'_>) -> Vec<Said> {
    let switch = on.switch();
    let mut said = Vec::new();
    for row in switch.facts_of(facts::mirror::FACT) {
        let (Some(name), Some(active)) = (row.get(facts::mirror::SESSION), row.get(facts::mirror::ACTIVE)) else {
            continue;
        };
        let slot = switch.mirrors().get(&name).and_then(|slots| slots.get(&settings::MIRROR_ENABLED.id));
        let configured = match slot {
            None => Some(false),
            Some(slot) => slot.value.as_ref().map(|value| *value == crate::model::Value::Flag(true)),
        };
        if configured == Some(!active) {
            let (is, was) = if active { ("runs", "not active") } else { ("does not run", "active") };
            said.push((row.mark, format!("mirror session {name} {is}, and is {was} in the configuration")));
        }
    }
    said
}

/// Lines of a log from a time to come.
fn times(on: SwitchView<'_>) -> Vec<Said> {
    let ahead = |time: Timestamp| time.duration_since(on.now()) > AHEAD;
    let event = |fact: &Fact| fact.get(facts::event::TIME).filter(|time| ahead(*time));
    let of_log = on.switch().facts_of(facts::event::FACT).filter_map(|fact| Some((fact, event(fact)?)));
    let clock = |fact: &Fact| fact.get(facts::clock::TIME).filter(|time| ahead(*time));
    let of_clock = on.switch().facts_of(facts::clock::FACT).filter_map(|fact| Some((fact, clock(fact)?)));
    let text = |time| format!("{time} is after the moment of the audit ({})", on.now());
    of_log.chain(of_clock).map(|(fact, time)| (fact.mark, text(time))).collect()
}

/// Tables of unlike times, tables that are too old, a configuration that was saved after they were taken.
fn ages(on: SwitchView<'_>) -> Vec<Said> {
    let switch = on.switch();
    let mut said = Vec::new();
    let clocks = switch.facts_of(facts::clock::FACT).filter_map(|clock| Some((clock, clock.get(facts::clock::TIME)?)));
    let clocks: Vec<(&Fact, Timestamp)> = clocks.collect();
    let earliest = clocks.iter().min_by_key(|(_, time)| *time);
    let latest = clocks.iter().max_by_key(|(_, time)| *time);
    let (Some((early, from)), Some((late, to))) = (earliest, latest) else { return said };
    if to.duration_since(*from) > APART {
        let text = format!(
            "the state was taken at {from} (line {}) and at {to}: its tables may contradict",
            early.mark.line()
        );
        said.push((late.mark, text));
    }
    let old = FactKind::all().find(|kind| on.is_too_old(*kind));
    if let Some(mark) = old.and_then(|kind| switch.read_in(kind)) {
        let most = on.policy().site.state_age.value;
        let text =
            format!("the state was taken at {from}, more than {most} before the audit: what it tells is not used");
        said.push((mark, text));
    }
    let saved = on.events(EventSeen::Saved).filter_map(|event| Some((event, event.get(facts::event::TIME)?)));
    if let Some((event, at)) = saved.max_by_key(|(_, time)| *time).filter(|(_, at)| at > to) {
        let text = format!(
            "the configuration was saved at {at}, after the state was taken at {to}: they may not belong together"
        );
        said.push((event.mark, text));
    }
    said
}
