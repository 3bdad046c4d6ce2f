//! The entries of a policy about single ports: servers, links, mirrors, sister switches; and their reading.

use std::sync::Arc;

use globset::GlobMatcher;
use jiff::civil::Date;

use super::load::Reader;
use super::{Cite, PolicyProblem, PortsText};
use crate::model::{Capability, Direction, Kind, SettingId, Value, VlanId, VlanSet, settings};
use crate::source::{Item, Spot, TableReader};

/// One port, named by its switch and in that switch's own form.
#[derive(Debug, Clone)]
pub struct End {
    /// The switch.
    pub switch: String,
    /// The port; `None`: the switch itself.
    pub port: Option<PortsText>,
}

/// A DHCP server that may answer.
#[derive(Debug, Clone)]
pub struct DhcpServer {
    /// Where it is.
    pub at: End,
    /// The VLANs it serves; empty: all.
    pub vlans: VlanSet,
    /// Where it is written.
    pub cite: Cite,
}

/// A cable between two switches.
#[derive(Debug, Clone)]
pub struct Link {
    /// One end.
    pub a: End,
    /// The other; `None`: it is outside the fleet.
    pub b: Option<End>,
    /// What is there, where it is outside.
    pub outside: Option<Arc<Outside>>,
    /// Where it is written.
    pub cite: Cite,
}

/// Something that is not of the fleet, at the other end of a cable: known, and foreign.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Outside {
    /// What it is called.
    pub name: String,
    /// What it is; `None`: nobody says.
    pub is: Option<Capability>,
    /// The VLANs that go on there; `None`: all that the port carries.
    pub vlans: Option<VlanSet>,
    /// The VLANs in which it asks for memberships; `None`: nobody says.
    pub queriers: Option<VlanSet>,
}

impl Outside {
    /// What may be there.
    pub(super) const WORDS: [(Capability, &'static str); 6] = [
        (Capability::Router, "router"),
        (Capability::Bridge, "bridge"),
        (Capability::Repeater, "repeater"),
        (Capability::AccessPoint, "access-point"),
        (Capability::Telephone, "phone"),
        (Capability::Station, "host"),
    ];

    /// Whether a VLAN goes on there.
    pub fn carries(&self, vlan: VlanId) -> bool {
        self.vlans.as_ref().is_none_or(|vlans| vlans.contains(vlan))
    }

    /// Whether it asks for memberships in a VLAN; `None`: nobody says.
    pub fn asks(&self, vlan: VlanId) -> Option<bool> {
        if !self.carries(vlan) {
            return Some(false);
        }
        self.queriers.as_ref().map(|queriers| queriers.contains(vlan))
    }
}

/// A mirror session that is agreed on.
#[derive(Debug, Clone)]
pub struct MirrorEntry {
    /// The switch.
    pub switch: String,
    /// What is copied, each with its direction.
    pub sources: Vec<(PortsText, Direction)>,
    /// The VLANs that are copied.
    pub vlans: VlanSet,
    /// Where the copies go.
    pub target: PortsText,
    /// Why.
    pub reason: String,
    /// Who answers for it.
    pub owner: String,
    /// The last day, inclusive.
    pub last_day: Date,
    /// Where it is written.
    pub cite: Cite,
}

/// Switches that are to be alike.
#[derive(Debug, Clone)]
pub struct Sisters {
    /// The switches.
    pub switches: Vec<GlobMatcher>,
    /// Settings in which they may differ.
    pub except: Vec<String>,
    /// Settings that are left out otherwise and are compared here.
    pub including: Vec<String>,
    /// The switch that is right, by its folder.
    pub baseline: Option<String>,
    /// Where it is written.
    pub cite: Cite,
}

impl Sisters {
    /// Whether a setting is one that its switches are to have alike: none that is each switch's own and not taken in, none that an
    /// exception names, by itself or by its feature.
    pub fn compares(&self, id: SettingId) -> bool {
        const OWN: [SettingId; 7] = [
            settings::NAME.id,
            settings::DESCRIPTION.id,
            settings::PINNED_STATIONS.id,
            settings::WRITTEN_STATIONS.id,
            settings::QUERIER_ADDRESS.id,
            settings::TREE_PRIORITY.id,
            settings::PENDING.id,
        ];
        let taken_in = !OWN.contains(&id) || self.including.iter().any(|name| name == id.name());
        taken_in && !self.excepts(id)
    }

    /// Whether an exception names a setting, or its feature.
    pub fn excepts(&self, id: SettingId) -> bool {
        let feature = id.name().split_once('.').map(|(feature, _)| feature);
        self.except.iter().any(|name| name == id.name() || Some(name.as_str()) == feature)
    }
}

impl Reader<'_> {
    fn end(&self, table: &TableReader<'_>) -> Option<End> {
        let switch = table.required_text("switch");
        let port = table.text("port");
        table.finish();
        let port = match port {
            Some(item) => Some(self.ports_text(&item)?),
            None => None,
        };
        Some(End { switch: switch?.value.to_owned(), port })
    }

    pub(super) fn dhcp_server(&self, table: &TableReader<'_>) -> Option<DhcpServer> {
        let vlans = table.integers("vlans").unwrap_or_default();
        let vlans = vlans.iter().filter_map(|item| self.vlan_id(item)).collect();
        let cite = table.text("switch").map(|item| self.cite(&item.spot));
        Some(DhcpServer { at: self.end(table)?, vlans, cite: cite? })
    }

    pub(super) fn link(&self, table: &TableReader<'_>) -> Option<Link> {
        let (a, b) = (table.table("a"), table.table("b"));
        for (key, end) in [("a", &a), ("b", &b)] {
            if end.is_none() {
                table.required_text(key);
            }
        }
        table.finish();
        let (a, b) = (a?, b?);
        let cite = self.cite(&a.spot);
        let end = |table: &TableReader<'_>| {
            let end = self.end(table)?;
            if end.port.is_none() {
                self.report(&table.spot, PolicyProblem::LinkPort);
            }
            Some(end)
        };
        if b.key_spot("outside").is_some() {
            let outside = Some(Arc::new(self.outside(&b)?));
            return Some(Link { a: end(&a)?, b: None, outside, cite });
        }
        Some(Link { a: end(&a)?, b: Some(end(&b)?), outside: None, cite })
    }

    fn outside(&self, table: &TableReader<'_>) -> Option<Outside> {
        let name = table.required_text("outside");
        let is = table.text("faces").map(|item| self.word("faces", &item, &Outside::WORDS));
        let vlans = |key: &'static str| -> Option<VlanSet> {
            Some(table.integers(key)?.iter().filter_map(|item| self.vlan_id(item)).collect())
        };
        let (vlans, queriers) = (vlans("vlans"), vlans("queriers"));
        table.finish();
        let is = is.map_or(Some(None), |is| is.map(Some))?;
        Some(Outside { name: name?.value.to_owned(), is, vlans, queriers })
    }

    pub(super) fn last_day(&self, table: &TableReader<'_>) -> Option<Date> {
        let Some(item) = table.time_text("last-day") else {
            table.required_text("last-day");
            return None;
        };
        let date = item.value.parse::<Date>().ok();
        if date.is_none() {
            self.report(&item.spot, PolicyProblem::Date { found: item.value.clone() });
        }
        date
    }

    pub(super) fn mirror(&self, table: &TableReader<'_>) -> Option<MirrorEntry> {
        let switch = table.required_text("switch");
        let sources = table.texts("sources");
        let target = table.required_text("target");
        let reason = table.required_text("reason");
        let owner = table.required_text("owner");
        let last_day = self.last_day(table);
        if sources.is_none() {
            table.required_text("sources");
        }
        table.finish();
        let mut vlans = VlanSet::default();
        let sources = sources?.iter().filter_map(|item| self.mirror_source(item, &mut vlans)).collect();
        let (switch, target) = (switch?, target?);
        let cite = self.cite(&switch.spot);
        Some(MirrorEntry {
            switch: switch.value.to_owned(),
            sources,
            vlans,
            target: self.ports_text(&target)?,
            reason: reason?.value.to_owned(),
            owner: owner?.value.to_owned(),
            last_day: last_day?,
            cite,
        })
    }

    /// `1.7 both`: ports, then a direction; both when it is left out. Or `vlan 110`, whose VLANs go into `vlans`.
    fn mirror_source(&self, item: &Item<&str>, vlans: &mut VlanSet) -> Option<(PortsText, Direction)> {
        let words = [("received", Direction::Received), ("sent", Direction::Sent), ("both", Direction::Both)];
        let wrong = || self.report(&item.spot, PolicyProblem::MirrorSource { found: item.value.to_owned() });
        let last = item.value.rsplit(char::is_whitespace).next().unwrap_or_default();
        let direction = words.iter().find(|(word, _)| *word == last).map(|(_, direction)| *direction);
        let named = match direction {
            Some(_) => item.value.strip_suffix(last).unwrap_or_default().trim(),
            None => item.value.trim(),
        };
        if let Some((first, list)) = named.split_once(char::is_whitespace)
            && ["vlan", "vlans"].contains(&first.to_lowercase().as_str())
        {
            match Kind::Vlans.parse(list) {
                Ok(Value::Vlans(set)) if !set.is_empty() => *vlans = vlans.union(&set),
                _ => wrong(),
            }
            return None;
        }
        // A port's name has a number, or is a few letters; what is no direction ends no list of ports.
        let is_glob = named.contains(['*', '?']);
        let has_number = named.contains(|letter: char| letter.is_ascii_digit());
        let letters = |word: &str| !word.is_empty() && word.chars().all(char::is_alphabetic);
        let ends_in_a_word = direction.is_none() && letters(last) && named.contains(char::is_whitespace);
        let is_name = has_number || letters(named) && named.len() <= 3;
        if !is_glob && (ends_in_a_word || !is_name) {
            wrong();
            return None;
        }
        let ports = self.ports_text(&Item { value: named, spot: item.spot.clone() })?;
        Some((ports, direction.unwrap_or(Direction::Both)))
    }

    pub(super) fn sisters(&self, table: &TableReader<'_>) -> Option<Sisters> {
        let switches = table.texts("switches");
        if switches.is_none() {
            table.required_text("switches");
        }
        let words = |key| table.texts(key).unwrap_or_default().iter().map(|i| i.value.to_owned()).collect::<Vec<_>>();
        let (except, including) = (words("except"), words("including"));
        let baseline = table.text("baseline").map(|i| i.value.to_owned());
        table.finish();
        let switches = switches?;
        let whole = switches.first().zip(switches.last()).map(|(a, b)| Spot(a.spot.0.start..b.spot.0.end));
        let cite = self.cite(&whole.unwrap_or_else(|| table.spot.clone()));
        let switches = switches.iter().filter_map(|item| self.glob(item)).collect();
        Some(Sisters { switches, except, including, baseline, cite })
    }
}
