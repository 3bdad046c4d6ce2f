//! Everything about one port, for the engineer whom somebody calls about a socket.

use jiff::Timestamp;
use serde::Serialize;

use super::recovery::{Back, held, what_to_do, whom_to_visit};
use super::{InForce, PortView, in_force};
use crate::finding::{Evidence, EvidenceKind};
use crate::model::{
    Capability, Cause, Choice, EventSeen, Fact, FactKind, Origin, Scope, Seconds, SettingId, Value, facts, settings,
};
use crate::policy::RoleFrom;
use crate::sorted;

/// One port.
#[derive(Debug, Serialize)]
pub struct PortPage {
    /// Its switch.
    pub switch: String,
    /// Its name.
    pub port: String,
    /// What somebody wrote it is for.
    pub description: Option<String>,
    /// Its role.
    pub role: Option<String>,
    /// What told the role.
    pub role_from: Option<RoleFrom>,
    /// What the role faces.
    pub faces: Option<&'static str>,
    /// Whether it is up; how it comes back when it is not.
    pub link: LinkNow,
    /// What each feature does on it.
    pub features: Vec<FeatureNow>,
    /// Every setting in force.
    pub settings: Vec<SettingNow>,
    /// Who is there.
    pub stations: Vec<StationNow>,
    /// Who announces itself.
    pub neighbours: Vec<NeighbourNow>,
    /// What it has counted.
    pub counters: Vec<(&'static str, Value)>,
    /// What the log says of it, the newest last.
    pub events: Vec<Evidence>,
    /// Outputs of the switch that were not read, or are too old.
    pub missing: Vec<&'static str>,
}

/// Whether the link is up, and if not, why and what to do.
#[derive(Debug, Serialize)]
pub struct LinkNow {
    /// In a word: up, down, shut, held, unknown.
    pub state: &'static str,
    /// What holds it down.
    pub cause: Option<&'static str>,
    /// Since when.
    pub since: Option<Timestamp>,
    /// How it comes back, step by step.
    pub steps: Vec<String>,
    /// The lines that say so.
    pub evidence: Vec<Evidence>,
    /// What the spanning tree makes of it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tree: Option<TreeNow>,
}

/// What the spanning tree makes of a port.
#[derive(Debug, Serialize)]
pub struct TreeNow {
    /// In a word: disabled, blocking, listening, learning, forwarding, broken.
    pub state: &'static str,
    /// It leads to the root.
    pub root: Option<bool>,
    /// The line that says so.
    pub evidence: Vec<Evidence>,
}

/// What a feature does.
#[derive(Debug, Serialize)]
pub struct FeatureNow {
    /// Its name.
    pub feature: &'static str,
    /// What it comes to.
    pub told: Option<String>,
    /// What is missing to say so.
    pub needs: Vec<&'static str>,
}

/// A setting in force.
#[derive(Debug, Serialize)]
pub struct SettingNow {
    /// Its name.
    pub name: &'static str,
    /// Its value; none: unknown.
    pub value: Option<Value>,
    /// Where it comes from.
    pub origin: Origin,
    /// The deciding line, where somebody wrote one.
    pub line: Option<Evidence>,
    /// What it would be without that line, and where that would come from.
    pub without: Option<(Option<Value>, Origin)>,
}

/// A station.
#[derive(Debug, Serialize)]
pub struct StationNow {
    /// Its address.
    pub address: String,
    /// phone, computer, what the inventory says, or unknown: never by its maker.
    pub is: String,
    /// The VLAN it was heard in.
    pub vlan: Option<u16>,
    /// Its bound address there.
    pub ip: Option<String>,
    /// Seconds left of its lease.
    pub lease: Option<u32>,
    /// Seconds since it was heard.
    pub age: Option<u32>,
    /// Whose it is and where it stands, by the inventory.
    pub whose: Option<String>,
}

/// A neighbour.
#[derive(Debug, Serialize)]
pub struct NeighbourNow {
    /// Its name, or its chassis.
    pub name: String,
    /// Its port.
    pub port: Option<String>,
    /// What it can do.
    pub can: Vec<&'static str>,
    /// What it announces for voice, and of power.
    pub says: Vec<String>,
}

/// So many lines of the log are shown.
const EVENTS: usize = 12;

/// What is read of a port's state.
const OUTPUTS: [FactKind; 5] =
    [facts::port_status::FACT, facts::station::FACT, facts::binding::FACT, facts::neighbour::FACT, facts::event::FACT];

impl PortPage {
    /// Of a port.
    pub fn of(port: &PortView<'_>) -> Self {
        let (on, switch) = (port.on(), port.switch());
        let role = port.role().ok();
        let description = port.setting(settings::DESCRIPTION).value.filter(|words| !words.is_empty());
        let feature = |InForce { feature, told, .. }| match told {
            Ok(told) => FeatureNow { feature, told: Some(told), needs: Vec::new() },
            Err(unknown) => FeatureNow { feature, told: None, needs: unknown.needs.into_vec() },
        };
        let counted = port.facts(facts::counters::FACT).flat_map(|fact| {
            let fields = fact.kind.info().fields.iter().zip(&fact.fields);
            fields.filter_map(|(field, value)| Some((field.name, value.clone()?))).filter(|(name, _)| *name != "port")
        });
        let mut events: Vec<&Fact> = port.facts(facts::event::FACT).collect();
        sorted::by_key(&mut events, |event| event.get(facts::event::TIME));
        let newest = events.iter().skip(events.len().saturating_sub(EVENTS));
        Self {
            switch: switch.name().to_string(),
            port: port.name().to_owned(),
            description: description.map(|words| words.to_string()),
            role: role.map(|role| role.name.clone()),
            role_from: port.assigned.map(|assigned| assigned.from),
            faces: role.map(|role| role.faces.word()),
            link: LinkNow { tree: tree(port), ..link(port) },
            features: in_force(port).into_iter().map(feature).collect(),
            settings: SettingId::of(Scope::Port).map(|id| setting(port, id)).collect(),
            stations: stations(port),
            neighbours: neighbours(port),
            counters: counted.collect(),
            events: newest.filter_map(|event| Evidence::line(EvidenceKind::Log, switch, event.mark)).collect(),
            missing: OUTPUTS.into_iter().filter_map(|kind| on.reads(kind).err()).flat_map(|u| u.needs).collect(),
        }
    }
}

fn setting(port: &PortView<'_>, id: SettingId) -> SettingNow {
    let (resolved, slot) = (port.on().resolved(), port.slot(id));
    let mark = slot.mark.filter(|_| slot.origin.is_written() || matches!(slot.origin, Origin::Implied | Origin::State));
    let words = mark.map(|mark| resolved.deciding_words(mark, id));
    let without = mark.and_then(|mark| resolved.without_line(mark)).map(|without| {
        let slot = without.switch.port_index(port.name()).map(|port| without.switch.slot(Some(port), id));
        slot.map_or((None, Origin::Unknown), |slot| (slot.value.clone(), slot.origin))
    });
    SettingNow {
        name: id.name(),
        value: slot.value.clone(),
        origin: slot.origin,
        line: words.and_then(|mark| Evidence::line(EvidenceKind::of_line(port.switch(), mark), port.switch(), mark)),
        without,
    }
}

fn stations(port: &PortView<'_>) -> Vec<StationNow> {
    let (policy, bindings) = (port.policy(), port.facts(facts::binding::FACT).collect::<Vec<_>>());
    let station = |row: &Fact| {
        let address = row.get(facts::station::ADDRESS)?;
        let vlan = row.get(facts::station::VLAN).flatten();
        let listed = policy.stations.as_ref().and_then(|inventory| inventory.get(address));
        let is = if policy.is_phone(address) {
            "phone".to_owned()
        } else {
            listed.and_then(|station| station.kind.clone()).unwrap_or_else(|| "unknown".into())
        };
        let mut mine = bindings.iter().filter(|row| row.get(facts::binding::ADDRESS) == Some(address));
        let bound = mine.find(|row| row.get(facts::binding::VLAN).flatten() == vlan);
        let whose = listed.map(|station| [station.room.as_deref(), station.owner.as_deref()]);
        let whose =
            whose.map(|words| words.into_iter().flatten().filter(|w| !w.is_empty()).collect::<Vec<_>>().join(", "));
        Some(StationNow {
            address: address.to_string(),
            is,
            vlan: vlan.map(Into::into),
            ip: bound.and_then(|row| row.get(facts::binding::IP).flatten()).map(|ip| ip.to_string()),
            lease: bound.and_then(|row| row.get(facts::binding::LEASE)).map(|Seconds(left)| left),
            age: row.get(facts::station::AGE).map(|Seconds(age)| age),
            whose: whose.filter(|words| !words.is_empty()),
        })
    };
    port.facts(facts::station::FACT).filter_map(station).collect()
}

/// Of such neighbours nobody knows whether two are one.
const NAMELESS: &str = "without a name";

/// One that several tables tell of is one: what they say of it is put together.
fn neighbours(port: &PortView<'_>) -> Vec<NeighbourNow> {
    let mut all: Vec<NeighbourNow> = Vec::new();
    for fact in port.facts(facts::neighbour::FACT) {
        let told = neighbour(fact);
        let same = |one: &&mut NeighbourNow| {
            told.name != NAMELESS
                && one.name.eq_ignore_ascii_case(&told.name)
                && (one.port.is_none() || told.port.is_none() || one.port == told.port)
        };
        match all.iter_mut().find(same) {
            Some(one) => {
                one.port = one.port.take().or(told.port);
                for word in told.can {
                    if !one.can.contains(&word) {
                        one.can.push(word);
                    }
                }
                for words in told.says {
                    if !one.says.contains(&words) {
                        one.says.push(words);
                    }
                }
            }
            None => all.push(told),
        }
    }
    all
}

fn neighbour(fact: &Fact) -> NeighbourNow {
    let words = |field| fact.get(field).map(|words: std::sync::Arc<str>| words.to_string());
    let told = fact.get(facts::neighbour::CAPABILITIES);
    let can = Capability::SET.words.iter().enumerate().filter(|(index, _)| {
        let capability = Capability::from_index(*index as u8);
        told.zip(capability).is_some_and(|(told, capability)| told.contains(capability))
    });
    let mut says = Vec::new();
    if let Some(vlan) = fact.get(facts::neighbour::VOICE_VLAN).flatten() {
        says.push(format!("voice in VLAN {vlan}"));
    }
    if let Some(priority) = fact.get(facts::neighbour::VOICE_PRIORITY) {
        says.push(format!("priority {priority}"));
    }
    if let Some(dscp) = fact.get(facts::neighbour::VOICE_DSCP) {
        says.push(format!("DSCP {dscp}"));
    }
    if let Some(asked) = fact.get(facts::neighbour::POWER_ASKED) {
        says.push(format!("asks {asked}"));
    }
    NeighbourNow {
        name: words(facts::neighbour::NAME)
            .or_else(|| words(facts::neighbour::CHASSIS))
            .unwrap_or_else(|| NAMELESS.into()),
        port: words(facts::neighbour::THEIR_PORT),
        can: can.map(|(_, word)| *word).collect(),
        says,
    }
}

fn tree(port: &PortView<'_>) -> Option<TreeNow> {
    use facts::tree_port as told;
    let (switch, fact) = (port.switch(), port.facts(told::FACT).last()?);
    let line = Evidence::line(EvidenceKind::of_line(switch, fact.mark), switch, fact.mark);
    let (state, root) = (fact.get(told::STATE)?.word(), fact.get(told::ROOT));
    Some(TreeNow { state, root, evidence: line.into_iter().collect() })
}

fn link(port: &PortView<'_>) -> LinkNow {
    let switch = port.switch();
    let status = port.facts(facts::port_status::FACT).last();
    let quoted = |mark| Evidence::line(EvidenceKind::of_line(switch, mark), switch, mark);
    let told = |state, steps: Vec<String>| LinkNow {
        state,
        cause: None,
        since: status.and_then(|fact| fact.get(facts::port_status::SINCE)),
        steps,
        evidence: status.and_then(|fact| quoted(fact.mark)).into_iter().collect(),
        tree: None,
    };
    if let Ok(Some(held)) = held(port) {
        let mut steps = vec![format!("first {}", what_to_do(held.cause))];
        let mut away: Vec<String> = port
            .events(EventSeen::Violation)
            .filter_map(|event| Some(event.get(facts::event::ADDRESS)?.to_string()))
            .collect();
        sorted::plain(&mut away);
        away.dedup();
        if held.cause == Cause::PortSecurity && !away.is_empty() {
            steps.push(format!("the log has turned away: {}", super::seen::some(&away)));
        }
        steps.extend(whom_to_visit(port).map(|whom| format!("visit: {whom}")));
        steps.push(match held.back {
            Back::Hand => "then by hand: take the port down and up again, nothing brings it back by itself".to_owned(),
            Back::Timer(Some(0)) => "its timer is over: it should be back, look again".to_owned(),
            back => format!("then it comes back {}", back.shown()),
        });
        steps.push("look again: the same cause takes it down the same way".to_owned());
        return LinkNow {
            state: "held",
            cause: Some(held.cause.word()),
            since: held.since,
            steps,
            evidence: held.lines.into_iter().filter_map(quoted).collect(),
            tree: None,
        };
    }
    let by_cause = status.and_then(|fact| fact.get(facts::port_status::CAUSE)) == Some(Cause::Administrative);
    let by_admin = status.and_then(|fact| fact.get(facts::port_status::ADMIN)) == Some(false);
    let enabled = port.setting(settings::ENABLED);
    if by_cause || by_admin || enabled.value == Some(false) {
        let steps =
            vec!["ask who shut it and why".to_owned(), "open it, or give it the role of a spare port".to_owned()];
        let mut link = told("shut", steps);
        link.cause = Some(Cause::Administrative.word());
        link.evidence.extend(enabled.mark.filter(|_| enabled.value == Some(false)).and_then(quoted));
        return link;
    }
    match status.and_then(|fact| fact.get(facts::port_status::LINK)) {
        Some(true) => told("up", Vec::new()),
        Some(false) => {
            told("down", vec!["nothing is plugged in, or what is there is off: look at plug and cable".into()])
        }
        None => {
            let last = port.events(EventSeen::LinkUp).chain(port.events(EventSeen::LinkDown));
            let last = last.max_by_key(|event| event.get(facts::event::TIME));
            let mut link = told("unknown", Vec::new());
            link.evidence.extend(last.and_then(|event| quoted(event.mark)));
            link
        }
    }
}
