//! Who may send, and as whom: port security, DHCP snooping, ARP inspection, source guard, the IPv6 guards.

use std::net::Ipv4Addr;
use std::ops::RangeInclusive;
use std::sync::Arc;

use super::held::FEW;
use super::{Because, Counted, Machine, Millis};
use crate::drill::asked::{Asked, Hang, Known};
use crate::drill::frame::{Dhcp, Frame, Payload};
use crate::model::{
    Action, Cause, Choice, Key, Mode, Rate, RateUnit, Seconds, SettingId, Station, StationAddress, StationRange,
    TraitId, Value, VlanId, VlanSet, platform, settings,
};

/// Whether a frame goes on; or the feature that stops it.
pub(super) type Passed = Result<(), Because>;

/// Frames of 64 octets, the shortest (IEEE 802.3, 3.2.8), with preamble and gap 84: most frames a rate in bits lets in.
const BITS: u64 = 84 * 8;

/// Mbit/s.
const SLOWEST: u32 = 10;

/// How many frames a rate lets into a port of a speed in a second.
fn frames_a_second(rate: Rate, speed: u32) -> u64 {
    let amount = u64::from(rate.amount);
    match rate.unit {
        // What a minute lets in may come in one second; the drills last less.
        RateUnit::Packets | RateUnit::PacketsAMinute => amount,
        RateUnit::Kilobits => amount * 1000 / BITS,
        RateUnit::Percent => u64::from(speed) * 10_000 * amount / BITS,
    }
}

/// The same at the slowest speed.
fn slowest(rate: Rate) -> u64 {
    frames_a_second(rate, SLOWEST)
}

/// The same where perhaps nobody knows the speed.
pub(in crate::drill) fn frames_in_a_second(rate: Rate, speed: Option<u32>) -> u64 {
    speed.filter(|speed| *speed > 0).map_or_else(|| slowest(rate), |speed| frames_a_second(rate, speed))
}

fn stopped(feature: &'static str, setting: SettingId) -> Passed {
    Err(Because::of(feature, setting))
}

/// Whom port security knows, by the settings alone.
impl<'a> Asked<'a> {
    /// The setting that keeps port security from acting on a port.
    pub(super) fn unsecured_by(&self, port: usize) -> Known<Option<SettingId>> {
        if !self.port(port, settings::PORT_SECURITY)? {
            return Ok(Some(settings::PORT_SECURITY.id));
        }
        let mode = self.port(port, settings::MODE)?;
        let known = self.switch().traits().get(platform::PORT_SECURITY_VOID_IN).is_some();
        if mode == Mode::Access && !known {
            return Ok(None);
        }
        let void = self.platform(platform::PORT_SECURITY_VOID_IN, mode.word())?;
        Ok(void.then_some(settings::MODE.id))
    }

    fn written(&self, port: usize) -> Known<&'a [Station]> {
        self.elements(Some(port), settings::WRITTEN_STATIONS.id, Value::stations)
    }

    fn pinned(&self, port: usize) -> Known<&'a [Station]> {
        self.elements(Some(port), settings::PINNED_STATIONS.id, Value::stations)
    }

    /// Stations by whose addresses they are put into VLANs.
    pub(super) fn ranges(&self) -> Known<&'a [(StationRange, VlanId)]> {
        self.elements(None, settings::ADDRESS_RANGES.id, Value::ranges)
    }

    /// Stations that were written or pinned.
    pub(super) fn fixed(&self, port: usize) -> Known<Vec<Station>> {
        let (written, pinned) = (self.written(port)?, self.pinned(port)?);
        let mut all: Vec<_> = written.iter().chain(pinned.iter()).copied().collect();
        all.sort_unstable();
        all.dedup();
        Ok(all)
    }
}

impl Machine<'_> {
    /// Whether port security acts on a port: switched on, and not void in its mode.
    pub fn is_secured(&self, port: usize) -> Known<bool> {
        Ok(self.unsecured_by(port)?.is_none())
    }

    /// The setting that keeps port security from acting on a port.
    pub fn unsecured_by(&self, port: usize) -> Known<Option<SettingId>> {
        self.asked.unsecured_by(port)
    }

    /// Port security: who is new is admitted while there is room, else the action follows.
    pub(super) fn admit(&mut self, port: usize, vlan: VlanId, station: StationAddress) -> Known<Passed> {
        if !self.is_secured(port)? {
            return Ok(Ok(()));
        }
        let per_vlan = match self.asked.platform(platform::STATIONS_COUNTED, "per-station-and-vlan") {
            Ok(per_vlan) => per_vlan,
            // It makes a difference only to a station that speaks in two VLANs.
            Err(_) if !self.speaks_elsewhere(port, vlan, station) => false,
            Err(hang) => return Err(hang),
        };
        let key = (station, per_vlan.then_some(vlan));
        let (written, pinned) = (self.asked.written(port)?, self.asked.pinned(port)?);
        let listed = |s: &Station| s.address == station && s.vlan.is_none_or(|v| v == vlan);
        let is_fixed = written.iter().chain(pinned.iter()).any(listed);
        let fixed =
            if written.len() + pinned.len() < 2 { written.len() + pinned.len() } else { self.fixed(port)?.len() };
        let now = self.now;
        if let Some(last) = self.heard.get_mut(&port).and_then(|heard| heard.admitted.get_mut(&key)) {
            *last = now;
            return Ok(Ok(()));
        }
        if is_fixed {
            return Ok(Ok(()));
        }
        // Fixed stations take their places whether they are there or not.
        let mut held = self.admitted_on(port) + fixed;
        let limit = self.asked.limit(port, settings::LIMIT, held as u64 + 1)?;
        if held >= limit as usize {
            // Only now does it matter who was forgotten meanwhile.
            self.age(port)?;
            held = self.admitted_on(port) + fixed;
        }
        let elsewhere = self.held_elsewhere(port, vlan, station);
        if held < limit as usize && elsewhere.is_none() {
            self.heard.entry(port).or_default().admitted.insert(key, now);
            return Ok(Ok(()));
        }
        let action = self.asked.port(port, settings::ACTION)?;
        let setting = if elsewhere.is_some() { settings::PORT_SECURITY.id } else { settings::LIMIT.id };
        let because = Because::of("port security", setting);
        let why = match elsewhere.filter(|_| self.is_told()) {
            Some(other) => format!("belongs on {}, and on no other port of VLAN {vlan}", self.name(other)),
            None => "is one too many".to_owned(),
        };
        if action == Action::Drop && elsewhere.is_some() {
            self.tell(port, format_args!("{station} {why}"), Some(because));
        }
        if action != Action::Drop {
            let words = format!("{station} {why}: counted and reported");
            self.tell(port, words, Some(Because { setting: settings::ACTION.id, ..because }));
        }
        if action == Action::DisablePort {
            self.hold(port, Cause::PortSecurity, Because { setting: settings::ACTION.id, ..because });
        }
        Ok(Err(because))
    }

    /// Whether something hangs on who of a row of stations speaks: one of them is listed, was heard, has authenticated itself,
    /// or may be put into a VLAN by its address.
    pub fn tells_apart(&self, row: RangeInclusive<StationAddress>) -> bool {
        let is_heard = self.table.keys().any(|(station, _)| row.contains(station));
        let mut admitted = self.heard.values().flat_map(|heard| heard.admitted.keys());
        is_heard
            || admitted.any(|(station, _)| row.contains(station))
            || self.authenticated.iter().any(|station| row.contains(station))
            || self.asked.ranges().is_ok_and(|ranges| !ranges.is_empty())
            || self.of_all.listed(&self.asked).iter().any(|station| row.contains(station))
    }

    /// Whether frames of clients that come at equal pauses, so many twice over, all fare alike once no place is taken any more: nothing
    /// changes meanwhile, and the port is down, or no limit of a second is reached.
    pub fn is_even(&self, port: usize, pause: Millis, frames: u64) -> bool {
        let most = 1000 / pause + 2;
        let limits = [settings::STORM_BROADCAST, settings::SNOOPING_RATE];
        let is_wide = |limit: Key<Option<Rate>>| match self.asked.limit(port, limit, most + 1) {
            Ok(rate) => rate.is_none_or(|rate| slowest(rate) > most),
            Err(_) => false,
        };
        self.is_steady(port, pause, frames) && (self.held_by(port).is_some() || limits.into_iter().all(is_wide))
    }

    /// Whether what a second of such frames comes to the next comes to, too, once no place is taken any more: no port comes back
    /// meanwhile, and this one is down, or nobody is forgotten.
    pub fn is_steady(&self, port: usize, pause: Millis, frames: u64) -> bool {
        let until = 2 * frames * pause;
        let lasts = |aging: Seconds| aging == Seconds(0) || aging.millis() > until;
        let is_kept = || {
            !matches!(self.asked.port(port, settings::PORT_SECURITY), Ok(true))
                || self.asked.limit(port, settings::AGING, until + 1).is_ok_and(lasts)
        };
        self.next_return(self.now.saturating_add(until)).is_none() && (self.held_by(port).is_some() || is_kept())
    }

    /// Lets whole seconds pass, in each of which as many frames come on a port as in the last.
    pub fn pass_alike(&mut self, port: usize, millis: Millis) -> Known<()> {
        let counted = self.heard.get_mut(&port).into_iter().flat_map(|heard| heard.counted.iter_mut().flatten());
        counted.for_each(|(began, _)| *began += millis);
        self.pass(millis)
    }

    /// Stations that were written or pinned.
    pub fn fixed(&self, port: usize) -> Known<Vec<Station>> {
        self.asked.fixed(port)
    }

    /// Aging frees learned stations that were silent for so long; pinned ones stay.
    fn age(&mut self, port: usize) -> Known<()> {
        let now = self.now;
        let oldest = self.heard.get(&port).and_then(|h| h.admitted.values().min().copied()).unwrap_or(now);
        if oldest == now {
            return Ok(());
        }
        let silent = now.saturating_sub(oldest);
        let aging = self.asked.limit(port, settings::AGING, silent + 1)?;
        if aging > Seconds(0) && !self.asked.port(port, settings::PINNING)? {
            let lasts = aging.millis();
            let heard = self.heard.get_mut(&port).into_iter();
            heard.for_each(|h| h.admitted.retain(|_, last| now.saturating_sub(*last) < lasts));
        }
        Ok(())
    }

    /// Another secured port of the VLAN that holds a station: learned there, or fixed there.
    fn held_elsewhere(&self, port: usize, vlan: VlanId, station: StationAddress) -> Option<usize> {
        let learned = self.heard.iter().find(|(other, heard)| {
            **other != port
                && [None, Some(vlan)].iter().any(|v| heard.admitted.contains_key(&(station, *v)))
                && self.is_member(**other, vlan).unwrap_or(false)
        });
        if let Some((other, _)) = learned {
            return Some(*other);
        }
        let fixed_at = self.of_all.fixed_at(&self.asked);
        let fixed = fixed_at.get(&station).into_iter().flatten();
        let is_held = |(other, in_vlan): &(usize, Option<VlanId>)| {
            *other != port && in_vlan.map_or_else(|| self.is_member(*other, vlan).unwrap_or(false), |v| v == vlan)
        };
        fixed.copied().find(is_held).map(|(other, _)| other)
    }

    fn speaks_elsewhere(&self, port: usize, vlan: VlanId, station: StationAddress) -> bool {
        self.table.iter().any(|((other, in_vlan), (on, _))| *other == station && *in_vlan != vlan && *on == port)
    }

    /// Whether a feature with a global switch and one for each VLAN acts in a VLAN.
    pub(super) fn acts(
        &self,
        switches: TraitId,
        global: Key<bool>,
        vlans: Key<Arc<VlanSet>>,
        vlan: VlanId,
    ) -> Known<bool> {
        Ok(self.idle_by(switches, global, vlans, vlan)?.is_none())
    }

    /// The setting that keeps such a feature from acting.
    fn idle_by(
        &self,
        switches: TraitId,
        global: Key<bool>,
        vlans: Key<Arc<VlanSet>>,
        vlan: VlanId,
    ) -> Known<Option<SettingId>> {
        if self.asked.platform(switches, "global")? && !self.asked.switch_wide(global)? {
            return Ok(Some(global.id));
        }
        let covered = !self.asked.platform(switches, "vlan")? || self.asked.switch_wide(vlans)?.contains(vlan);
        Ok((!covered).then_some(vlans.id))
    }

    /// Whether something that the platform demands first is not in force.
    fn waits_for(&self, feature: &str) -> Known<bool> {
        let switch = self.asked.switch();
        let Some(required) = switch.requires().iter().find(|r| &*r.feature == feature) else { return Ok(false) };
        Ok(!self.asked.switch_wide(settings::READY)?.contains(&required.ready))
    }

    /// Whether DHCP snooping acts in a VLAN.
    pub fn snoops(&self, vlan: VlanId) -> Known<bool> {
        Ok(self.unsnooped_by(vlan)?.is_none())
    }

    /// The setting that keeps DHCP snooping from acting in a VLAN.
    pub fn unsnooped_by(&self, vlan: VlanId) -> Known<Option<SettingId>> {
        let (global, vlans) = (settings::SNOOPING, settings::SNOOPING_VLANS);
        let idle = self.idle_by(platform::SNOOPING_SWITCHES, global, vlans, vlan)?;
        if idle.is_some() { Ok(idle) } else { Ok(self.waits_for("dhcp-snooping")?.then_some(settings::READY.id)) }
    }

    /// Whether ARP inspection acts in a VLAN.
    pub fn inspects(&self, vlan: VlanId) -> Known<bool> {
        Ok(self.uninspected_by(vlan)?.is_none())
    }

    /// The setting that keeps ARP inspection from acting in a VLAN.
    pub fn uninspected_by(&self, vlan: VlanId) -> Known<Option<SettingId>> {
        let (global, vlans) = (settings::INSPECTION, settings::INSPECTION_VLANS);
        let idle = self.idle_by(platform::INSPECTION_SWITCHES, global, vlans, vlan)?;
        if idle.is_some() { Ok(idle) } else { Ok(self.waits_for("arp-inspection")?.then_some(settings::READY.id)) }
    }

    /// DHCP snooping and the guards of IPv6.
    pub(super) fn snoop(&mut self, port: usize, vlan: VlanId, frame: &Frame) -> Known<Passed> {
        match frame.payload {
            Payload::RouterAdvertisement if self.asked.port(port, settings::ADVERTISEMENTS_BLOCKED)? => {
                Ok(stopped("IPv6 guard", settings::ADVERTISEMENTS_BLOCKED.id))
            }
            Payload::ServerAnswer if self.asked.port(port, settings::SERVERS_BLOCKED)? => {
                Ok(stopped("IPv6 guard", settings::SERVERS_BLOCKED.id))
            }
            Payload::Dhcp(kind, client, address) if self.snoops(vlan)? => {
                if self.asked.port(port, settings::SNOOPING_TRUSTED)? {
                    self.bind(kind, client, vlan, address);
                    return Ok(Ok(()));
                }
                if kind.is_of_server() {
                    return Ok(stopped("DHCP snooping", settings::SNOOPING_TRUSTED.id));
                }
                if frame.relayed && !self.asked.port(port, settings::RELAY_ACCEPTED)? {
                    return Ok(stopped("DHCP snooping", settings::RELAY_ACCEPTED.id));
                }
                if self.is_over(port, Counted::Dhcp, settings::SNOOPING_RATE)? {
                    return Ok(stopped("DHCP snooping", settings::SNOOPING_RATE.id));
                }
                if client != frame.from && self.asked.switch_wide(settings::ADDRESS_CHECK)? {
                    return Ok(stopped("DHCP snooping", settings::ADDRESS_CHECK.id));
                }
                if matches!(kind, Dhcp::Release | Dhcp::Decline) {
                    let theirs = self.binding(client, vlan).is_some_and(|b| b.port != port);
                    if theirs {
                        return Ok(stopped("DHCP snooping", settings::SNOOPING_VLANS.id));
                    }
                    self.drop_binding(client, vlan);
                }
                Ok(Ok(()))
            }
            _ => Ok(Ok(())),
        }
    }

    /// An ACK from a trusted port binds the client where it was learned.
    fn bind(&mut self, kind: Dhcp, client: StationAddress, vlan: VlanId, address: Ipv4Addr) {
        if kind == Dhcp::Ack
            && let Some((port, _)) = self.table.get(&(client, vlan)).copied()
        {
            self.keep_binding(client, vlan, self.binding_of(port, address));
        }
    }

    /// ARP inspection and source guard.
    pub(super) fn inspect(&mut self, port: usize, vlan: VlanId, frame: &Frame) -> Known<Passed> {
        let bound =
            |address: Ipv4Addr| self.binding(frame.from, vlan).is_some_and(|b| b.port == port && b.address == address);
        match frame.payload {
            Payload::Arp(says) => {
                let trusted = || self.asked.port(port, settings::INSPECTION_TRUSTED);
                let examines = self.inspects(vlan)? && !trusted()?;
                if examines && !bound(says) {
                    return Ok(stopped("ARP inspection", settings::INSPECTION_VLANS.id));
                }
                if examines && self.is_over(port, Counted::Arp, settings::INSPECTION_RATE)? {
                    return Ok(stopped("ARP inspection", settings::INSPECTION_RATE.id));
                }
                Ok(Ok(()))
            }
            Payload::Packet(from) if self.asked.port(port, settings::SOURCE_GUARD)? && !bound(from) => {
                Ok(stopped("source guard", settings::SOURCE_GUARD.id))
            }
            _ => Ok(Ok(())),
        }
    }

    /// Counts a frame of a kind; whether it is above a limit that may be set. A few are below any limit.
    pub(super) fn is_over(&mut self, port: usize, kind: Counted, limit: Key<Option<Rate>>) -> Known<bool> {
        let came = self.count(port, kind);
        match self.asked.limit(port, limit, came) {
            Ok(None) => Ok(false),
            Ok(Some(rate)) => self.is_above(port, rate, came),
            Err(hang) if came > FEW as u64 => Err(hang),
            Err(_) => Ok(false),
        }
    }

    /// Whether so many frames in this second are above a rate.
    fn is_above(&self, port: usize, rate: Rate, came: u64) -> Known<bool> {
        // Few frames are below any limit, whatever the port's speed is.
        if rate.unit != RateUnit::Percent || came <= frames_a_second(rate, 1) {
            return Ok(came > slowest(rate));
        }
        match self.asked.port(port, settings::SPEED) {
            Ok(speed) if speed > 0 => Ok(came > frames_a_second(rate, speed)),
            _ if came <= slowest(rate) => Ok(false),
            _ => Err(Hang::fact("the port's speed")),
        }
    }

    /// Counts a frame of a kind: how many there are in this second.
    fn count(&mut self, port: usize, kind: Counted) -> u64 {
        let now = self.now;
        let (began, count) = self.heard.entry(port).or_default().counted[kind as usize].get_or_insert((now, 0));
        if now.saturating_sub(*began) >= 1000 {
            (*began, *count) = (now, 0);
        }
        *count += 1;
        u64::from(*count)
    }
}
