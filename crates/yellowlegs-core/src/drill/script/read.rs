//! Reads the file of a drill.

use std::collections::BTreeMap;
use std::net::IpAddr;

use super::{Act, Comes, Expect, FRAMES, NOBODY, PortIs, Script, ScriptProblem, Step};
use crate::dialect::duration;
use crate::drill::frame::{Dhcp, Frame, Payload, Root, To};
use crate::drill::machine::Millis;
use crate::model::StationAddress;
use crate::source::{Item, Problem, Source, Spot, TableReader, TomlDoc};

/// A station of the file: its address, and whether it can show who it is.
type Stations = BTreeMap<String, (StationAddress, bool)>;

/// In milliseconds.
const WEEK: Millis = 7 * 24 * 3600 * 1000;

struct Reader<'d> {
    doc: &'d TomlDoc<'d>,
    stations: Stations,
    /// The switch of steps that name none.
    switch: Option<String>,
}

impl Script {
    /// Reads one; or everything that is wrong with it.
    pub fn load(source: &Source) -> Result<Self, Vec<Problem>> {
        let doc = TomlDoc::parse(source);
        let root = doc.root();
        let mut reader = Reader { doc: &doc, stations: Stations::new(), switch: None };
        let (mut name, mut lease) = (String::new(), None);
        if let Some(table) = root.table("drill") {
            name = table.required_text("name").map(|item| item.value.to_owned()).unwrap_or_default();
            reader.switch = table.text("switch").map(|item| item.value.to_owned());
            lease = reader.millis(&table, "lease");
            table.finish();
        } else {
            root.required_text("drill");
        }
        if let Some(table) = root.table("stations") {
            reader.stations = reader.stations_of(&table);
        }
        let tables = root.tables("step");
        root.finish();
        if tables.is_empty() {
            doc.report(&Spot(0..0), ScriptProblem::Empty);
        }
        let mut steps: Vec<Step> = Vec::new();
        for table in &tables {
            let Some(step) = reader.step(table) else { continue };
            if steps.last().is_some_and(|last| last.at > step.at) {
                doc.report(&table.spot, ScriptProblem::Backwards(step.at / 1000));
            }
            steps.push(step);
        }
        drop(tables);
        let problems = doc.into_problems();
        if problems.is_empty() { Ok(Self { name, lease, steps }) } else { Err(problems) }
    }
}

impl Reader<'_> {
    fn stations_of(&self, table: &TableReader<'_>) -> Stations {
        let mut stations = Stations::new();
        for entry in table.entries() {
            let name = entry.key.value.to_owned();
            let Some(text) = entry.text() else {
                self.doc.report(&entry.spot(), no_station("something else"));
                continue;
            };
            // `strange 02:…`: it cannot show who it is.
            let (address, known) = match text.strip_prefix("strange ") {
                Some(address) => (address, false),
                None => (text, true),
            };
            match StationAddress::parse(address) {
                Ok(address) => _ = stations.insert(name, (address, known)),
                Err(_) => self.doc.report(&entry.spot(), no_station(text)),
            }
        }
        stations
    }

    fn word<T: Copy>(&self, key: &'static str, item: &Item<&str>, words: &[(&'static str, T)]) -> Option<T> {
        let found = words.iter().find(|(word, _)| *word == item.value).map(|(_, value)| *value);
        if found.is_none() {
            let words = words.iter().map(|(word, _)| (*word).to_owned()).collect();
            self.doc.report(&item.spot, ScriptProblem::Word { key, found: item.value.to_owned(), words });
        }
        found
    }

    /// A time: seconds, a duration, or milliseconds as `250ms`.
    fn millis(&self, table: &TableReader<'_>, key: &'static str) -> Option<Millis> {
        let item = table.time_text(key)?;
        let text = item.value.as_str();
        let read = match text.strip_suffix("ms").and_then(|ms| ms.parse::<Millis>().ok()) {
            Some(millis) => Some(millis),
            None => text.parse::<u32>().ok().or_else(|| duration(text)).map(|seconds| Millis::from(seconds) * 1000),
        };
        if read.is_none() {
            let example = "\"30s\", \"1m30s\" or \"250ms\"";
            self.doc.report(&item.spot, ScriptProblem::Value { kind: "time", found: text.to_owned(), example });
        }
        read
    }

    /// Nobody waits for longer than a week.
    fn lasts(&self, spot: &Spot, key: &'static str, millis: Millis) {
        if millis > WEEK {
            let found = i64::try_from(millis / 1000).unwrap_or(i64::MAX);
            self.doc.report(spot, ScriptProblem::Number { key, wanted: "at most a week, 604800 s in all", found });
        }
    }

    fn step(&self, table: &TableReader<'_>) -> Option<Step> {
        let at = self.millis(table, "at").unwrap_or_default();
        self.lasts(&table.spot, "at", at);
        let switch = table.text("switch").map(|item| item.value.to_owned()).or_else(|| self.switch.clone());
        let port = table.required_text("port").map(|item| item.value.to_owned());
        let mut acts: Vec<(&'static str, Act)> = Vec::new();
        if let Some(item) = table.text("link") {
            let act = self.word("link", &item, &[("up", true), ("down", false)])?;
            acts.push(("link", if act { Act::Plug } else { Act::Pull }));
        }
        if let Some(item) = table.text("send") {
            acts.push(("send", self.sent(table, &item)?));
        }
        if let Some(item) = table.text("wire-to") {
            let (switch, port) = place(item.value);
            acts.push(("wire-to", Act::Patch(switch, port)));
        }
        if let Some(item) = table.text("strand") {
            self.word("strand", &item, &[("fails", ())])?;
            acts.push(("strand", Act::StrandFails));
        }
        if let Some(item) = table.text("clear") {
            self.word("clear", &item, &[("bindings", ())])?;
            acts.push(("clear", Act::ClearBindings));
        }
        if table.flag("restart").is_some_and(|item| item.value) {
            acts.push(("restart", Act::Restart));
        }
        let sends = acts.iter().any(|(_, act)| matches!(act, Act::Send { .. }));
        let expect = self.expected(table, sends);
        table.finish();
        if acts.len() > 1 {
            let names: Vec<&str> = acts.iter().map(|(name, _)| *name).collect();
            self.doc.report(&table.spot, ScriptProblem::TwoActs(names.join(", ")));
        }
        if acts.is_empty() && expect.is_empty() {
            self.doc.report(&table.spot, ScriptProblem::Idle);
        }
        if switch.is_none() {
            self.doc.report(&table.spot, ScriptProblem::NoSwitch);
        }
        let act = acts.into_iter().next().map_or(Act::Look, |(_, act)| act);
        Some(Step { at, switch: switch?, port: port?, act, expect, place: self.doc.place(&table.spot) })
    }

    fn expected(&self, table: &TableReader<'_>, sends: bool) -> Vec<Expect> {
        let mut expect = Vec::new();
        let mut of_frame = |key: &'static str, one: Option<Expect>, spot: &Spot| {
            if !sends {
                self.doc.report(spot, ScriptProblem::NoFrame(key));
            }
            expect.extend(one);
        };
        if let Some(item) = table.text("expect") {
            of_frame("expect", self.word("expect", &item, &Comes::WORDS).map(Expect::Comes), &item.spot);
        }
        if let Some(item) = table.text("by") {
            of_frame("by", Some(Expect::By(item.value.to_owned())), &item.spot);
        }
        for (key, is_heard) in [("heard-on", true), ("not-heard-on", false)] {
            let Some(items) = table.texts(key) else { continue };
            let ports: Vec<_> = items.iter().map(|item| place(item.value)).collect();
            let spot = items.first().map_or_else(|| table.spot.clone(), |item| item.spot.clone());
            of_frame(key, Some(if is_heard { Expect::Heard(ports) } else { Expect::Unheard(ports) }), &spot);
        }
        if let Some(item) = table.flag("circles") {
            of_frame("circles", Some(Expect::Circles(item.value)), &item.spot);
        }
        if let Some(item) = table.text("port-is") {
            expect.extend(self.word("port-is", &item, &PortIs::WORDS).map(Expect::Port));
        }
        if let Some(item) = table.text("cause") {
            expect.push(Expect::Cause(item.value.to_owned()));
        }
        expect
    }

    /// A station by its name in the file, or by its address.
    fn station(&self, item: &Item<&str>) -> Option<(StationAddress, bool)> {
        let known = self.stations.get(item.value).copied();
        let read = known.or_else(|| StationAddress::parse(item.value).ok().map(|address| (address, true)));
        if read.is_none() {
            self.doc.report(&item.spot, no_station(item.value));
        }
        read
    }

    fn address<A: std::str::FromStr>(
        &self,
        table: &TableReader<'_>,
        key: &'static str,
        (kind, example): (&'static str, &'static str),
        fits: impl Fn(&A) -> bool,
    ) -> Option<A> {
        let item = table.text(key)?;
        let read = item.value.parse::<A>().ok().filter(fits);
        if read.is_none() {
            self.doc.report(&item.spot, ScriptProblem::Value { kind, found: item.value.to_owned(), example });
        }
        read
    }

    /// The group that a frame of IGMP or MLD, or of a stream, is about.
    fn group(&self, table: &TableReader<'_>, frame: &str) -> Option<IpAddr> {
        let shown = match frame {
            "mld-query" | "mld-report" | "mld-done" => ("IPv6 group", "\"ff35::8000:1\""),
            "stream" => ("group", "\"233.252.0.1\" or \"ff35::8000:1\""),
            _ => ("IPv4 group", "\"233.252.0.1\""),
        };
        let fits = |group: &IpAddr| {
            group.is_multicast()
                && match shown.0 {
                    "IPv6 group" => group.is_ipv6(),
                    "IPv4 group" => group.is_ipv4(),
                    _ => true,
                }
        };
        self.address(table, "group", shown, fits)
    }

    /// The root that a BPDU names: its sender, where a priority is told (IEEE 802.1Q, 13.26: steps of 4096).
    fn root(&self, table: &TableReader<'_>) -> Option<Root> {
        let Some(item) = table.integer("priority") else { return Some(Root::NoBetter) };
        let priority = u32::try_from(item.value).ok().filter(|priority| *priority <= 61440 && priority % 4096 == 0);
        if priority.is_none() {
            let wanted = "a multiple of 4096, 0 to 61440";
            self.doc.report(&item.spot, ScriptProblem::Number { key: "priority", wanted, found: item.value });
        }
        priority.map(Root::Sender)
    }

    fn sent(&self, table: &TableReader<'_>, kind: &Item<&str>) -> Option<Act> {
        let words: Vec<(&'static str, ())> = FRAMES.iter().map(|word| (*word, ())).collect();
        self.word("send", kind, &words)?;
        let (from, authenticated) = self.station(&table.required_text("from")?)?;
        let client = table.text("client").map_or(Some((from, true)), |item| self.station(&item))?.0;
        let ip = self.address(table, "ip", ("IPv4 address", "\"192.0.2.10\""), |_| true).unwrap_or(NOBODY);
        let group = self.group(table, kind.value);
        let to = match table.text("to") {
            None => To::All,
            Some(item) if item.value == "all" => To::All,
            Some(item) => To::Station(self.station(&item)?.0),
        };
        let payload = match kind.value {
            "arp" => Payload::Arp(ip),
            "packet" | "stream" => Payload::Packet(ip),
            "dhcp-discover" => Payload::Dhcp(Dhcp::Discover, client, ip),
            "dhcp-offer" => Payload::Dhcp(Dhcp::Offer, client, ip),
            "dhcp-request" => Payload::Dhcp(Dhcp::Request, client, ip),
            "dhcp-ack" => Payload::Dhcp(Dhcp::Ack, client, ip),
            "dhcp-nak" => Payload::Dhcp(Dhcp::Nak, client, ip),
            "dhcp-release" => Payload::Dhcp(Dhcp::Release, client, ip),
            "dhcp-decline" => Payload::Dhcp(Dhcp::Decline, client, ip),
            "router-advertisement" => Payload::RouterAdvertisement,
            "dhcpv6-answer" => Payload::ServerAnswer,
            _ => Payload::Plain,
        };
        let group_of = || {
            if group.is_none() {
                table.required_text("group");
            }
            group
        };
        let frame = match kind.value {
            "igmp-query" | "mld-query" => match group {
                Some(IpAddr::V4(group)) => Frame::query(from, Some(group)),
                Some(IpAddr::V6(group)) => Frame::query_v6(from, Some(group)),
                None if kind.value == "mld-query" => Frame::query_v6(from, None),
                None => Frame::query(from, None),
            },
            "igmp-report" | "mld-report" => Frame::report(from, group_of()?),
            "igmp-leave" | "mld-done" => Frame::leave(from, group_of()?),
            "stream" => Frame::stream(from, ip, group_of()?),
            "bpdu" => Frame::bpdu(from, self.root(table)?),
            "superior-bpdu" => Frame::bpdu(from, Root::Better),
            "lldp" => Frame::lldp(from),
            _ => Frame { to, ..Frame::to_all(from, payload) },
        };
        let tags = table.integers("tags").unwrap_or_default();
        if let Some(wrong) = tags.iter().find(|item| !(0..=4094).contains(&item.value)) {
            let problem = ScriptProblem::Number { key: "tags", wanted: "VLANs, 0 to 4094", found: wrong.value };
            self.doc.report(&wrong.spot, problem);
        }
        let tags = tags.iter().filter_map(|item| u16::try_from(item.value).ok()).collect();
        let count = table.integer("count").map_or(Some(1), |item| {
            let count = u32::try_from(item.value).ok().filter(|count| (1..=100_000).contains(count));
            if count.is_none() {
                let problem = ScriptProblem::Number { key: "count", wanted: "1 to 100000", found: item.value };
                self.doc.report(&item.spot, problem);
            }
            count
        })?;
        let every = self.millis(table, "every").unwrap_or(1000);
        self.lasts(&table.spot, "every", every.saturating_mul(count.into()));
        Some(Act::Send { frame: Frame { tags, ..frame }, authenticated, count, every })
    }
}

/// `PORT`, or `SWITCH PORT`.
fn place(text: &str) -> (Option<String>, String) {
    match text.split_once(' ') {
        Some((switch, port)) => (Some(switch.to_owned()), port.trim().to_owned()),
        None => (None, text.to_owned()),
    }
}

fn no_station(found: &str) -> ScriptProblem {
    ScriptProblem::Value {
        kind: "station",
        found: found.to_owned(),
        example: "a name of [stations], or \"02:00:5e:00:00:01\"",
    }
}
