//! What a switch sends to find loops, BPDUs and probes, and what it does when they come back.

use super::{Because, Machine, Millis};
use crate::drill::asked::Known;
use crate::drill::frame::{Frame, Payload, Root};
use crate::model::{Cause, Protocol, StationAddress, platform, settings};

/// The address of a switch: made up from its name, so that two differ.
pub(super) fn address(name: &str) -> StationAddress {
    let sum = name.bytes().fold(0_u64, |sum, byte| (sum * 31 + u64::from(byte)) & 0xffff_ffff);
    StationAddress::of_number(0x0200_0000_0000 + sum)
}

impl Machine<'_> {
    /// The switch's own address.
    pub fn address(&self) -> StationAddress {
        self.address.unwrap_or_else(|| self.of_all.address(self.asked.switch()))
    }

    /// Its priority in the tree.
    pub fn tree_priority(&self) -> Known<u32> {
        self.asked.switch_wide(settings::TREE_PRIORITY)
    }

    /// The tree keeps a port closed.
    pub(super) fn close(&mut self, port: usize) {
        if let Some(state) = self.ports.get_mut(port) {
            state.opens = None;
        }
        let because = Because::of("spanning tree", settings::TREE_ON_PORT.id);
        self.tell(port, "the tree keeps it closed: two ways would make a ring", Some(because));
    }

    /// Another cable was lost, and this port is needed: rapid at once (IEEE 802.1Q, 13), classic after listening and learning.
    pub(super) fn opens_for_lost(&mut self, port: usize) -> Known<()> {
        let wait = match self.asked.switch_wide(settings::TREE_PROTOCOL)? {
            Protocol::Classic | Protocol::ClassicPerVlan => {
                2 * self.asked.switch_wide(settings::FORWARD_DELAY)?.millis()
            }
            _ => 0,
        };
        self.opens_in(port, wait, "another cable was lost");
        Ok(())
    }

    /// The BPDUs that keep a port closed fade: it opens, unless loop guard keeps it so.
    pub(super) fn bpdus_fade(&mut self, port: usize) -> Known<()> {
        let closed = self.ports.get(port).is_some_and(|p| p.link && p.held.is_none() && p.opens.is_none());
        if !closed || !self.tree_runs(port)? {
            return Ok(());
        }
        if self.loop_guard(port)? {
            let because = Because::of("loop guard", settings::LOOP_GUARD.id);
            self.tell(port, "no BPDUs come any more: it stays closed", Some(because));
            return Ok(());
        }
        let wait = self.reopens()?;
        self.opens_in(port, wait, "no BPDUs come any more");
        Ok(())
    }

    fn opens_in(&mut self, port: usize, wait: Millis, why: &str) {
        let at = self.now + wait;
        if let Some(state) = self.ports.get_mut(port).filter(|state| state.link && state.held.is_none()) {
            state.opens = Some(at);
            let because = Because::of("spanning tree", settings::TREE_PROTOCOL.id);
            self.tell(port, format_args!("{why}: it opens after {} s", wait / 1000), Some(because));
        }
    }

    /// Another switch just like it.
    #[must_use]
    pub fn sister(self) -> Self {
        Self { address: Some(address("a sister")), ..self }
    }

    /// The BPDU that a port sends every hello time (IEEE 802.1Q, 13.27); none where no tree runs, or it is filtered.
    pub fn bpdu_of(&self, port: usize) -> Known<Option<Frame>> {
        let sends = self.tree_runs(port)? && !self.asked.port(port, settings::BPDU_FILTER)?;
        // A filter by the edge ports' default sends a few when the link comes up, which is when loops are made.
        let sends = sends || self.tree_runs(port)? && !self.is_deaf(port)?;
        Ok(sends.then(|| Frame::bpdu(self.address(), Root::NoBetter)))
    }

    /// The probes that a port sends every interval: untagged, and tagged for each VLAN that it carries tagged.
    pub fn probes_of(&self, port: usize) -> Known<Vec<Frame>> {
        if !self.probes(port)? {
            return Ok(Vec::new());
        }
        let plain = Frame::to_all(self.address(), Payload::Probe(port));
        let tagged = self.tagged(port)?;
        let each = tagged.iter().map(|vlan| plain.clone().tagged(vlan));
        Ok(std::iter::once(plain.clone()).chain(each).collect())
    }

    /// An own probe comes back: of the two ports the one with the lower rank, the higher number, is held down.
    pub(super) fn probe_came_back(&mut self, from: usize, to: usize) -> Because {
        let because = Because::of("loop detection", settings::LOOP_DETECTION.id);
        self.hold(from.max(to), Cause::LoopDetection, because);
        because
    }

    /// How long a port that is blocked by BPDUs waits when they fade until it forwards: classic max age and twice the forward
    /// delay (IEEE 802.1D-1998, 8.5: 50 s); rapid three hello times (IEEE 802.1Q, 13.27) and the handshake with nobody, twice
    /// hello (10 s), or the classic wait (36 s).
    pub fn reopens(&self) -> Known<Millis> {
        let hello = self.hello()?.millis();
        let delay = self.asked.switch_wide(settings::FORWARD_DELAY)?.millis();
        Ok(match self.asked.switch_wide(settings::TREE_PROTOCOL)? {
            Protocol::Classic | Protocol::ClassicPerVlan => {
                self.asked.switch_wide(settings::MAX_AGE)?.millis() + 2 * delay
            }
            _ if self.asked.platform(platform::RAPID_WITHOUT_EDGE, "classic")? => 3 * hello + 2 * delay,
            _ => 3 * hello + 2 * hello,
        })
    }
}
