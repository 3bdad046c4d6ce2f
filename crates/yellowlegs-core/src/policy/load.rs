//! From a policy's TOML to the policy: every problem is gathered, with its place.

use std::collections::BTreeMap;
use std::sync::Arc;

use globset::{Glob, GlobMatcher};
use jiff::civil::Date;
use regex::Regex;

use super::wishes::{FEATURES, Wish, Wished};
use super::{
    AsOf, Cite, Derive, Expect, Faces, Files, Level, LevelOverride, Policy, PolicyProblem, PortPattern, PortsText,
    Purpose, Role, SiteVlan, Waiver,
};
use crate::dialect::duration;
use crate::model::{Action, Choice, Seconds, VlanId, VlanSet};
use crate::source::{Entry, Item, Problem, Scalar, Source, Spot, TableReader, TomlDoc, nearest};

pub(super) fn load(source: &Arc<Source>, checks: &[&str]) -> Result<Policy, Vec<Problem>> {
    let doc = TomlDoc::parse(source);
    let policy = Reader { doc: &doc, source, checks }.policy();
    let problems = doc.into_problems();
    if problems.is_empty() { Ok(policy) } else { Err(problems) }
}

struct Reader<'d> {
    doc: &'d TomlDoc<'d>,
    source: &'d Source,
    checks: &'d [&'d str],
}

impl<'d> Reader<'d> {
    fn policy(&self) -> Policy {
        let root = self.doc.root();
        let as_of = root.time_text("as-of").and_then(|item| {
            AsOf::parse(&item.value).map_err(|problem| self.report(&item.spot, PolicyProblem::AsOf(problem))).ok()
        });
        let site = root.table("site").and_then(|table| {
            let name = table.text("name").map(|i| i.value.to_owned());
            table.finish();
            name
        });
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
        let levels = self.levels(root.table("levels").as_ref(), &roles);
        let waivers = root.tables("waiver").iter().filter_map(|table| self.waiver(table)).collect();
        root.finish();
        Policy { as_of, site, files, vlans, derive, roles, levels, waivers }
    }

    fn report(&self, spot: &Spot, problem: PolicyProblem) {
        self.doc.report(spot, problem);
    }

    fn cite(&self, spot: &Spot) -> Cite {
        let place = self.doc.place(spot);
        let text = self.source.line(place.line).unwrap_or_default().trim_end().to_owned();
        let words = self.source.text().get(spot.0.clone()).unwrap_or_default();
        let to_end = text.chars().count().saturating_sub(place.column as usize - 1);
        let width = words.chars().count().clamp(1, to_end.max(1)) as u32;
        Cite::Line { place, width, text }
    }

    fn glob(&self, item: &Item<&str>) -> Option<GlobMatcher> {
        match Glob::new(item.value) {
            Ok(glob) => Some(glob.compile_matcher()),
            Err(error) => {
                self.report(&item.spot, PolicyProblem::Glob { message: error.kind().to_string() });
                None
            }
        }
    }

    fn word<T>(&self, key: &str, item: &Item<&str>, words: &[(T, &'static str)]) -> Option<T>
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
            single: globs("single", default.single),
            dialects: globs("dialects", default.dialects),
        };
        table.finish();
        files
    }

    fn vlans(&self, table: Option<&TableReader<'_>>) -> Vec<SiteVlan> {
        let mut vlans: Vec<SiteVlan> = Vec::new();
        let Some(table) = table else { return vlans };
        for entry in table.entries().into_values() {
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
        table.finish();
        debug_assert!(purpose.is_none_or(|p| Purpose::from_word(p.word()) == Some(p)));
        SiteVlan { id, name, purpose, switches, cite: self.cite(spot) }
    }

    fn derive(&self, table: Option<&TableReader<'_>>) -> Derive {
        let Some(table) = table else { return Derive::default() };
        let derive = table.texts("derive").map(|items| {
            let mut derive = Derive { description: false, vlan: false };
            for item in &items {
                match self.word("derive", item, &[(0, "description"), (1, "vlan")]) {
                    Some(0) => derive.description = true,
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

    fn vlan_id(&self, item: &Item<i64>) -> Option<VlanId> {
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
        let expect = table.table("expect");
        table.finish();
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
        Some(Role { name, faces, stations, stations_needed: needed, vlans, voice, ports, describes, expect, cites })
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

    fn ports_text(&self, item: &Item<&str>) -> Option<PortsText> {
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
        for entry in table.entries().into_values() {
            let Some(feature) = FEATURES.iter().find(|f| f.name == entry.key.value) else {
                let found = entry.key.value.to_owned();
                self.report(&entry.key.spot, PolicyProblem::UnknownExpectation { found });
                continue;
            };
            let Some(scalar) = entry.scalar() else { continue };
            let cite = self.cite(&entry.whole());
            if !take_wish(&mut expect, feature.name, &scalar, cite) {
                let found = match scalar {
                    Scalar::Text(text) => text.to_owned(),
                    Scalar::Integer(number) => number.to_string(),
                    Scalar::Flag(flag) => flag.to_string(),
                };
                let problem = PolicyProblem::Expectation { key: feature.name, found, wanted: feature.values };
                self.report(&entry.spot(), problem);
            }
        }
        expect
    }

    /// A check, or a family as `family/*`.
    fn check_pattern(&self, spot: &Spot, found: &str) -> Option<String> {
        let known = self.checks.iter().any(|check| super::names_check(found, check));
        if known {
            return Some(found.to_owned());
        }
        let near = nearest(found, self.checks.iter().copied()).map(str::to_owned);
        let family = self.checks.iter().any(|c| c.split_once('/').is_some_and(|(f, _)| f == found));
        let nearest = if family { Some(format!("{found}/*")) } else { near };
        self.report(spot, PolicyProblem::UnknownCheck { found: found.to_owned(), nearest });
        None
    }

    fn levels(&self, table: Option<&TableReader<'_>>, roles: &[Role]) -> Vec<LevelOverride> {
        let words = Level::ALL.map(|l| (Some(l), l.word())).into_iter().chain([(None, "off")]).collect::<Vec<_>>();
        let mut levels = Vec::new();
        let Some(table) = table else { return levels };
        for entry in table.entries().into_values() {
            if let Some(level) = self.level(&entry, roles, &words) {
                levels.push(level);
            }
        }
        levels
    }

    fn level(
        &self,
        entry: &Entry<'_>,
        roles: &[Role],
        words: &[(Option<Level>, &'static str)],
    ) -> Option<LevelOverride> {
        let (role, check) = match entry.key.value.split_once(':') {
            Some((role, check)) => (Some(role), check),
            None => (None, entry.key.value),
        };
        if let Some(role) = role.filter(|role| !roles.iter().any(|r| r.name == *role)) {
            let roles = roles.iter().map(|r| r.name.clone()).collect();
            self.report(&entry.key.spot, PolicyProblem::UnknownRole { found: role.to_owned(), roles });
        }
        let check = self.check_pattern(&entry.key.spot, check);
        let found = match entry.scalar()? {
            Scalar::Text(text) => text.to_owned(),
            Scalar::Integer(number) => number.to_string(),
            Scalar::Flag(flag) => flag.to_string(),
        };
        let level = self.word(entry.key.value, &Item { value: &found, spot: entry.spot() }, words)?;
        Some(LevelOverride { role: role.map(str::to_owned), check: check?, level })
    }

    fn waiver(&self, table: &TableReader<'_>) -> Option<Waiver> {
        let check = table.required_text("check");
        let reason = table.required_text("reason");
        let owner = table.required_text("owner");
        let switch = table.text("switch");
        let port = table.text("port");
        let last_day = table.time_text("last-day");
        if last_day.is_none() {
            table.required_text("last-day");
        }
        table.finish();
        let last_day = last_day.and_then(|item| {
            let date = item.value.parse::<Date>().ok();
            if date.is_none() {
                self.report(&item.spot, PolicyProblem::Date { found: item.value.clone() });
            }
            date
        });
        let switch = self.glob(&switch.unwrap_or(Item { value: "*", spot: Spot::default() }));
        let port = match port {
            Some(item) => Some(self.ports_text(&item)?),
            None => None,
        };
        let check = check?;
        let cite = self.cite(&check.spot);
        Some(Waiver {
            check: self.check_pattern(&check.spot, check.value)?,
            switch: switch?,
            port,
            reason: reason?.value.to_owned(),
            owner: owner?.value.to_owned(),
            last_day: last_day?,
            cite,
        })
    }
}

/// Puts an expectation in its place; false when its value cannot be.
fn take_wish(expect: &mut Expect, name: &str, scalar: &Scalar<'_>, cite: Cite) -> bool {
    let wish = match scalar {
        Scalar::Text(word) => Wish::from_word(word),
        Scalar::Flag(true) => Some(Wish::Wanted),
        Scalar::Flag(false) => Some(Wish::Unwanted),
        Scalar::Integer(_) => None,
    };
    match (name, wish, scalar) {
        ("port-security", Some(value), Scalar::Text(_)) => expect.port_security = Wished { value, cite },
        ("port-security.pinning", Some(value), _) => expect.pinning = Wished { value, cite },
        ("port-security.aging", Some(value), Scalar::Text(_)) => expect.aging = Wished { value: (value, None), cite },
        ("port-security.aging", None, scalar) => {
            let seconds = match scalar {
                Scalar::Text(text) => duration(text),
                Scalar::Integer(number) => u32::try_from(*number).ok(),
                Scalar::Flag(_) => None,
            };
            let Some(seconds) = seconds.filter(|s| *s > 0) else { return false };
            expect.aging = Wished { value: (Wish::Wanted, Some(Seconds(seconds))), cite };
        }
        ("port-security.action", _, Scalar::Text(word)) => {
            let index = Action::SET.words.iter().position(|w| w == word);
            let Some(value) = index.and_then(|i| Action::from_index(i as u8)) else { return false };
            expect.action = Wished { value, cite };
        }
        ("port.native-vlan", _, Scalar::Integer(number)) => {
            let Ok(value) = VlanId::new(*number) else { return false };
            expect.native = Some(Wished { value, cite });
        }
        _ => return false,
    }
    true
}
