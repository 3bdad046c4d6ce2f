//! From a policy's TOML to the policy: every problem is gathered, with its place.

use std::collections::BTreeMap;
use std::sync::Arc;

use globset::{Glob, GlobMatcher};
use regex::Regex;

use super::by_switch::BySwitch;
use super::inventory::COLUMNS;
use super::roles::Describing;
use super::wishes::Refused;
use super::{
    AsOf, Cite, Derive, Expect, Faces, Files, HouseRule, InventoryFile, Link, Management, Policy, PolicyProblem,
    PortPattern, PortsText, Purpose, Role, Site, SiteVlan,
};
use crate::model::{Capability, Choice, VlanId, VlanSet};
use crate::source::{Item, Problem, Scalar, Source, Spot, TableReader, TomlDoc};

pub(super) fn load(source: &Arc<Source>, checks: &[&str]) -> Result<Policy, Vec<Problem>> {
    let doc = TomlDoc::parse(source);
    let policy = Reader { doc: &doc, source, checks: checks.iter().map(|id| (*id).to_owned()).collect() }.policy();
    let problems = doc.into_problems();
    if problems.is_empty() { Ok(policy) } else { Err(problems) }
}

pub(super) struct Reader<'d> {
    pub(super) doc: &'d TomlDoc<'d>,
    source: &'d Source,
    /// The ids that levels and waivers may name.
    pub(super) checks: Vec<String>,
}

impl<'d> Reader<'d> {
    fn policy(mut self) -> Policy {
        let root = self.doc.root();
        let as_of = root.time_text("as-of").and_then(|item| {
            AsOf::parse(&item.value).map_err(|problem| self.report(&item.spot, PolicyProblem::AsOf(problem))).ok()
        });
        let mut site = Site::default();
        let mut management = None;
        if let Some(table) = root.table("site") {
            management = self.site(&table, &mut site);
        }
        let files = self.files(root.table("files").as_ref());
        let vlans = self.vlans(root.table("vlans").as_ref());
        let derive = self.derive(root.table("roles").as_ref());
        let mut roles: Vec<Role> = Vec::new();
        for table in root.tables("role") {
            let Some(role) = self.role(&table) else { continue };
            if roles.iter().any(|r| r.name == role.name) {
                self.report(&table.spot, PolicyProblem::RoleTwice { name: role.name.clone() });
            }
            roles.push(role);
        }
        let rules: Vec<HouseRule> = root.tables("rule").iter().filter_map(|table| self.rule(table)).collect();
        self.checks.extend(rules.iter().map(|rule| rule.id.to_owned()));
        let levels = self.levels(root.table("levels").as_ref(), &roles);
        let waivers = root.tables("waiver").iter().filter_map(|table| self.waiver(table)).collect();
        let dhcp_servers = root.tables("dhcp-server").iter().filter_map(|table| self.dhcp_server(table)).collect();
        let links: Vec<Link> = root.tables("link").iter().filter_map(|table| self.link(table)).collect();
        let mirrors = root.tables("mirror").iter().filter_map(|table| self.mirror(table)).collect();
        let sisters = root.tables("sisters").iter().filter_map(|table| self.sisters(table)).collect();
        let inventory = root.table("inventory").and_then(|table| {
            let stations = table.required_text("stations");
            let named = table.table("columns").map(|columns| {
                let named =
                    COLUMNS.into_iter().filter_map(|tells| Some((tells, columns.text(tells)?.value.to_owned())));
                let named = named.collect();
                columns.finish();
                named
            });
            table.finish();
            Some(InventoryFile { path: stations?.value.to_owned(), columns: named.unwrap_or_default() })
        });
        root.finish();
        let mut policy = Policy {
            as_of,
            site,
            management,
            files,
            vlans,
            derive,
            roles,
            levels,
            waivers,
            dhcp_servers,
            links,
            mirrors,
            sisters,
            rules,
            inventory,
            stations: None,
            by_switch: BySwitch::default(),
            describing: Describing::default(),
        };
        policy.by_switch = BySwitch::of(&policy);
        policy.describing = Describing::of(&policy.roles);
        policy
    }

    /// `[site]`: its name, where the engineer comes in, and the values that checks call policy.
    fn site(&self, table: &TableReader<'_>, site: &mut Site) -> Option<Management> {
        let mut management = None;
        for entry in table.entries() {
            match entry.key.value {
                "name" => site.name = entry.text().map(str::to_owned),
                "management" => {
                    let Some(inner) = table.table("management") else { continue };
                    let (switch, port) = (inner.required_text("switch"), inner.required_text("port"));
                    inner.finish();
                    let Some((switch, port)) = switch.zip(port) else { continue };
                    management = Some(Management { switch: switch.value.to_owned(), port: port.value.to_owned() });
                }
                key => {
                    let row = Site::VALUES.iter().find(|v| v.key == key);
                    match site.take(key, &entry, self.cite(&entry.whole())) {
                        Some(true) => {}
                        Some(false) => {
                            let mut wanted = row.map_or("something else", |v| v.values).to_owned();
                            if let Some((least, most)) = super::site::range_of(key) {
                                wanted = format!("{wanted}, {least} to {most}");
                            }
                            self.report(&entry.spot(), PolicyProblem::SiteValue { key: key.to_owned(), wanted });
                        }
                        None => self.report(&entry.key.spot, PolicyProblem::SiteKey { found: key.to_owned() }),
                    }
                }
            }
        }
        management
    }

    pub(super) fn report(&self, spot: &Spot, problem: PolicyProblem) {
        self.doc.report(spot, problem);
    }

    pub(super) fn cite(&self, spot: &Spot) -> Cite {
        let place = self.doc.place(spot);
        let text = self.doc.line(place.line).trim_end().to_owned();
        let words = self.source.text().get(spot.0.clone()).unwrap_or_default();
        let to_end = text.chars().count().saturating_sub(place.column as usize - 1);
        let width = words.chars().count().clamp(1, to_end.max(1)) as u32;
        Cite::Line { place, width, text }
    }

    pub(super) fn glob(&self, item: &Item<&str>) -> Option<GlobMatcher> {
        match Glob::new(item.value) {
            Ok(glob) => Some(glob.compile_matcher()),
            Err(error) => {
                self.report(&item.spot, PolicyProblem::Glob { message: error.kind().to_string() });
                None
            }
        }
    }

    pub(super) fn word<T>(&self, key: &str, item: &Item<&str>, words: &[(T, &'static str)]) -> Option<T>
    where
        T: Copy,
    {
        let found = words.iter().find(|(_, w)| *w == item.value).map(|(t, _)| *t);
        if found.is_none() {
            let words = words.iter().map(|(_, w)| (*w).to_owned()).collect();
            self.report(&item.spot, PolicyProblem::Word { key: key.into(), found: item.value.into(), words });
        }
        found
    }

    fn files(&self, table: Option<&TableReader<'_>>) -> Files {
        let default = Files::default();
        let Some(table) = table else { return default };
        let globs = |key, default: Vec<String>| {
            let Some(items) = table.texts(key) else { return default };
            items.iter().filter(|i| self.glob(i).is_some()).map(|i| i.value.to_owned()).collect()
        };
        let files = Files {
            running: globs("running", default.running),
            saved: globs("saved", default.saved),
            state: globs("state", default.state),
            walk: globs("walk", default.walk),
            single: globs("single", default.single),
            dialects: globs("dialects", default.dialects),
        };
        table.finish();
        files
    }

    fn vlans(&self, table: Option<&TableReader<'_>>) -> Vec<SiteVlan> {
        let mut vlans: Vec<SiteVlan> = Vec::new();
        let Some(table) = table else { return vlans };
        for entry in table.entries() {
            let (spot, whole) = (entry.key.spot.clone(), entry.whole());
            let Ok(number) = entry.key.value.parse::<i64>() else {
                self.report(&spot, PolicyProblem::VlanKey { found: entry.key.value.to_owned() });
                continue;
            };
            let id = match VlanId::new(number) {
                Ok(id) => id,
                Err(error) => {
                    self.report(&spot, PolicyProblem::Vlan(error));
                    continue;
                }
            };
            if vlans.iter().any(|v| v.id == id) {
                self.report(&spot, PolicyProblem::VlanTwice { id: id.get() });
            }
            let tables = entry.tables();
            let silent = tables.iter().filter(|t| t.texts("switches").is_none()).count();
            for table in tables {
                if silent > 1 && table.texts("switches").is_none() {
                    self.report(&table.spot, PolicyProblem::VlanSwitches { id: id.get() });
                }
                vlans.push(self.vlan(id, &table, &whole));
            }
        }
        vlans
    }

    fn vlan(&self, id: VlanId, table: &TableReader<'_>, spot: &Spot) -> SiteVlan {
        let name = table.text("name").map(|i| i.value.to_owned());
        let purpose = table.text("purpose").and_then(|item| self.word("purpose", &item, &Purpose::WORDS));
        let switches = table.texts("switches").unwrap_or_default().iter().filter_map(|i| self.glob(i)).collect();
        let sensitive = table.flag("sensitive").is_some_and(|i| i.value);
        let subnets = table.texts("subnet").unwrap_or_default();
        table.finish();
        let subnets = subnets.iter().filter_map(|item| self.prefix(item)).collect();
        debug_assert!(purpose.is_none_or(|p| Purpose::from_word(p.word()) == Some(p)));
        SiteVlan { id, name, purpose, switches, sensitive, subnets, cite: self.cite(spot) }
    }

    /// `192.0.2.0/25`: an address and how many of its bits count.
    fn prefix(&self, item: &Item<&str>) -> Option<(std::net::IpAddr, u8)> {
        let parsed = item.value.split_once('/').and_then(|(address, length)| {
            let address: std::net::IpAddr = address.parse().ok()?;
            let most = if address.is_ipv4() { 32 } else { 128 };
            Some((address, length.parse().ok().filter(|length| *length <= most)?))
        });
        if parsed.is_none() {
            self.report(&item.spot, PolicyProblem::Prefix { found: item.value.to_owned() });
        }
        parsed
    }

    fn derive(&self, table: Option<&TableReader<'_>>) -> Derive {
        let Some(table) = table else { return Derive::default() };
        let derive = table.texts("derive").map(|items| {
            let mut derive = Derive { description: false, neighbour: false, vlan: false };
            for item in &items {
                match self.word("derive", item, &[(0, "description"), (1, "neighbour"), (2, "vlan")]) {
                    Some(0) => derive.description = true,
                    Some(1) => derive.neighbour = true,
                    Some(_) => derive.vlan = true,
                    None => {}
                }
            }
            derive
        });
        table.finish();
        derive.unwrap_or_default()
    }

    fn number(&self, item: &Item<i64>, key: &'static str) -> Option<u32> {
        let number = u32::try_from(item.value).ok().filter(|n| *n <= 65_535);
        if number.is_none() {
            self.report(&item.spot, PolicyProblem::Number { key, wanted: "0 to 65535", found: item.value });
        }
        number
    }

    pub(super) fn vlan_id(&self, item: &Item<i64>) -> Option<VlanId> {
        VlanId::new(item.value).map_err(|error| self.report(&item.spot, PolicyProblem::Vlan(error))).ok()
    }

    fn role(&self, table: &TableReader<'d>) -> Option<Role> {
        let mut cites = BTreeMap::new();
        let mut cite = |key, spot: &Spot| cites.insert(key, self.cite(spot));
        let name = table.required_text("name");
        let faces = table.required_text("faces");
        let stations = table.integer("stations");
        let needed = table.integer("stations-needed");
        let vlans = table.integers("vlans");
        let voice = table.integer("voice");
        let ports = table.texts("ports").unwrap_or_default();
        let describes = table.texts("describes").unwrap_or_default();
        let endpoint = table.texts("endpoint").unwrap_or_default();
        let receiver = table.flag("receiver");
        let time_critical = table.flag("time-critical");
        let expect = table.table("expect");
        table.finish();
        let words: Vec<(Capability, &'static str)> = Capability::SET
            .words
            .iter()
            .enumerate()
            .filter_map(|(i, w)| Some((Capability::from_index(i as u8)?, *w)))
            .collect();
        let endpoint = endpoint.iter().filter_map(|item| self.word("endpoint", item, &words)).collect();
        for (key, item) in [("receiver", &receiver), ("time-critical", &time_critical)] {
            if let Some(item) = item {
                cite(key, &item.spot);
            }
        }
        if let Some(item) = &name {
            cite("name", &item.spot);
        }
        if let Some(item) = &faces {
            cite("faces", &item.spot);
        }
        if let Some([first, ..]) = vlans.as_deref() {
            let end = vlans.iter().flatten().map(|i| i.spot.0.end).max().unwrap_or(first.spot.0.end);
            cite("vlans", &Spot(first.spot.0.start..end));
        }
        for (key, item) in [("stations", &stations), ("stations-needed", &needed), ("voice", &voice)] {
            if let Some(item) = item {
                cite(key, &item.spot);
            }
        }
        let stations_spot = stations.as_ref().map(|i| i.spot.clone());
        let stations = stations.and_then(|i| self.number(&i, "stations"));
        let needed = needed.and_then(|i| self.number(&i, "stations-needed"));
        if let (Some(allowed), Some(needed), Some(spot)) = (stations, needed, stations_spot)
            && needed > allowed
        {
            self.report(&spot, PolicyProblem::Stations { needed, allowed });
        }
        let vlans: VlanSet = vlans.unwrap_or_default().iter().filter_map(|i| self.vlan_id(i)).collect();
        let voice = voice.and_then(|i| self.vlan_id(&i));
        let ports = ports.iter().filter_map(|i| self.port_pattern(i)).collect();
        let describes = describes.iter().filter_map(|i| self.regex(i)).collect();
        let faces_word = faces.as_ref().and_then(|i| self.word("faces", i, &Faces::WORDS));
        let faces = faces_word.unwrap_or(Faces::Host);
        debug_assert_eq!(Faces::from_word(faces.word()), Some(faces));
        let expect = self.expect(expect.as_ref(), faces);
        let name = name?.value.to_owned();
        faces_word?;
        let receiver = receiver.is_some_and(|i| i.value);
        let time_critical = time_critical.map(|i| i.value);
        Some(Role {
            name,
            faces,
            stations,
            stations_needed: needed,
            vlans,
            voice,
            ports,
            describes,
            endpoint,
            receiver,
            time_critical,
            expect,
            cites,
        })
    }

    fn port_pattern(&self, item: &Item<&str>) -> Option<PortPattern> {
        let Some((switch, ports)) = item.value.trim().split_once(char::is_whitespace) else {
            self.report(&item.spot, PolicyProblem::PortsEntry { found: item.value.to_owned() });
            return None;
        };
        let switch = self.glob(&Item { value: switch, spot: item.spot.clone() })?;
        let ports = self.ports_text(&Item { value: ports.trim(), spot: item.spot.clone() })?;
        Some(PortPattern { switch, ports, cite: self.cite(&item.spot) })
    }

    pub(super) fn ports_text(&self, item: &Item<&str>) -> Option<PortsText> {
        let problem = |error: globset::Error| {
            self.report(&item.spot, PolicyProblem::Glob { message: error.kind().to_string() });
        };
        PortsText::new(item.value).map_err(problem).ok()
    }

    fn regex(&self, item: &Item<&str>) -> Option<(Regex, Cite)> {
        match Regex::new(item.value) {
            Ok(regex) => Some((regex, self.cite(&item.spot))),
            Err(error) => {
                let message = error.to_string().lines().last().unwrap_or_default().trim().to_owned();
                self.report(&item.spot, PolicyProblem::Regex { message });
                None
            }
        }
    }

    fn expect(&self, table: Option<&TableReader<'_>>, faces: Faces) -> Expect {
        let mut expect = Expect::of(faces);
        let Some(table) = table else { return expect };
        for entry in table.entries() {
            let cite = self.cite(&entry.whole());
            let key = entry.key.value;
            match expect.take(key, &entry, cite) {
                Ok(()) => {}
                Err(Refused::Name) => {
                    self.report(&entry.key.spot, PolicyProblem::UnknownExpectation { found: key.to_owned() });
                }
                Err(Refused::Value(wanted)) => {
                    let found = match entry.scalar() {
                        Some(Scalar::Text(text)) => text.to_owned(),
                        Some(Scalar::Integer(number)) => number.to_string(),
                        Some(Scalar::Flag(flag)) => flag.to_string(),
                        None => continue,
                    };
                    let problem = PolicyProblem::Expectation { key: key.to_owned(), found, wanted };
                    self.report(&entry.spot(), problem);
                }
            }
        }
        expect.follow_pinning();
        expect
    }
}
