//! How long a port waits before it forwards (IEEE 802.1D-1998, 8.5; IEEE 802.1Q, 13), and what a BPDU does.

use super::{Because, Machine, Millis};
use crate::drill::asked::{Hang, Known};
use crate::drill::frame::Root;
use crate::model::{Cause, FastStart, Mode, Origin, Protocol, SettingId, StationAddress, platform, settings};

/// How a port takes part in the tree.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// No tree runs on it.
    None,
    /// An edge: it forwards at once.
    Edge,
    /// It waits for so long.
    Waits(Millis),
}

impl Machine<'_> {
    /// Opens a port that came up: at once, or after its wait.
    pub(super) fn open(&mut self, port: usize) -> Known<()> {
        // Where nobody knows a timer, the longest that the standard allows is waited for (IEEE 802.1D-1998, 8.10.2: twice 30 s).
        let longest = |hang: Hang| if hang.is_of_time() { Ok(Part::Waits(60_000)) } else { Err(hang) };
        let (wait, words) = match self.part(port).or_else(longest)? {
            Part::None => (0, "forwards at once: no spanning tree runs here".to_owned()),
            Part::Edge => (0, "forwards at once: an edge port".to_owned()),
            Part::Waits(wait) => (wait, format!("waits {} s before it forwards", wait / 1000)),
        };
        let because = Because::of("spanning tree", settings::FAST_START.id);
        self.tell(port, words, Some(because));
        let now = self.now;
        if let Some(state) = self.ports.get_mut(port) {
            state.opens = Some(now.saturating_add(wait));
        }
        Ok(())
    }

    /// Whether a tree runs on a port, and in the VLAN of an access port.
    pub fn tree_runs(&self, port: usize) -> Known<bool> {
        Ok(self.treeless_by(port)?.is_none())
    }

    /// The setting that keeps the tree off a port, or off the VLAN of an access port.
    pub fn treeless_by(&self, port: usize) -> Known<Option<SettingId>> {
        if !self.asked.switch_wide(settings::TREE)? {
            return Ok(Some(settings::TREE.id));
        }
        if !self.asked.port(port, settings::TREE_ON_PORT)? {
            return Ok(Some(settings::TREE_ON_PORT.id));
        }
        let off = match self.asked.switch_wide(settings::TREE_OFF_VLANS) {
            Ok(off) if off.is_empty() => return Ok(None),
            Ok(off) => off,
            // Of one tree for all VLANs none is left out unless somebody says so.
            Err(hang) => match self.asked.switch_wide(settings::TREE_PROTOCOL)? {
                Protocol::ClassicPerVlan | Protocol::RapidPerVlan => return Err(hang),
                _ => return Ok(None),
            },
        };
        if self.asked.port(port, settings::MODE)? == Mode::Trunk {
            return Ok(None);
        }
        let out = self.untagged(port)?.is_some_and(|vlan| off.contains(vlan));
        Ok(out.then_some(settings::TREE_OFF_VLANS.id))
    }

    /// The setting that keeps BPDUs from being heard on a port.
    pub fn unheard_by(&self, port: usize) -> Known<Option<SettingId>> {
        match self.treeless_by(port)? {
            None => Ok(self.is_deaf(port)?.then_some(settings::BPDU_FILTER.id)),
            by => Ok(by),
        }
    }

    /// Whether a port is an edge by its own settings.
    pub fn is_edge(&self, port: usize) -> Known<bool> {
        Ok(match self.asked.port(port, settings::FAST_START)? {
            FastStart::Off | FastStart::Auto => false,
            FastStart::EdgeOnTrunk => true,
            FastStart::Edge => {
                self.asked.port(port, settings::MODE)? != Mode::Trunk
                    || self.asked.platform(platform::PLAIN_ON_TRUNK, "works")?
            }
        })
    }

    /// What a port does when something that speaks no spanning tree is plugged in.
    pub fn part(&self, port: usize) -> Known<Part> {
        let ask = &self.asked;
        if !self.tree_runs(port)? {
            return Ok(Part::None);
        }
        if self.is_edge(port)? {
            return Ok(Part::Edge);
        }
        if self.is_detected_edge(port)? {
            // The migrate time without a BPDU (IEEE 802.1Q, 13.26).
            return Ok(Part::Waits(3000));
        }
        // Listening and learning, forward delay each (IEEE 802.1D-1998, 8.5.3).
        let classic = || Ok(Part::Waits(ask.switch_wide(settings::FORWARD_DELAY)?.millis() * 2));
        match ask.switch_wide(settings::TREE_PROTOCOL)? {
            Protocol::Classic | Protocol::ClassicPerVlan => {
                let speed_up = ask.switch_wide(settings::HOST_SPEED_UP)?.millis();
                if speed_up == 0 || self.speed_up_is_void(port)? { classic() } else { Ok(Part::Waits(speed_up)) }
            }
            _ => {
                if ask.platform(platform::RAPID_WITHOUT_EDGE, "classic")? {
                    return classic();
                }
                // A host never answers a proposal: max age and hello time go by.
                let (age, hello) = (ask.switch_wide(settings::MAX_AGE)?, ask.switch_wide(settings::HELLO)?);
                Ok(Part::Waits(age.millis() + hello.millis()))
            }
        }
    }

    /// Whether a port that no setting makes an edge becomes one by itself: asked to, or of a platform that does so under the
    /// rapid protocol, between two.
    pub fn is_detected_edge(&self, port: usize) -> Known<bool> {
        let ask = &self.asked;
        if ask.port(port, settings::FAST_START)? == FastStart::Auto {
            return Ok(true);
        }
        let rapid = match ask.switch_wide(settings::TREE_PROTOCOL)? {
            Protocol::Classic | Protocol::ClassicPerVlan => false,
            Protocol::Rapid | Protocol::RapidPerVlan | Protocol::Multiple => true,
        };
        Ok(rapid && ask.platform(platform::EDGE_DETECTED, "yes")? && self.is_point_to_point(port)?)
    }

    fn is_point_to_point(&self, port: usize) -> Known<bool> {
        // A link between two is taken for what it is unless somebody says otherwise.
        Ok(self.asked.port(port, settings::LINK_TYPE)? != crate::model::LinkType::Shared)
    }

    /// Whether tags void the classic protocol's speed-up for host ports.
    fn speed_up_is_void(&self, port: usize) -> Known<bool> {
        let access = self.asked.port(port, settings::MODE)? != Mode::Trunk;
        let tags = if access {
            self.asked.port(port, settings::VOICE_VLAN)?.is_some()
        } else {
            !self.asked.port(port, settings::TAGGED_VLANS)?.is_empty()
        };
        Ok(tags && self.asked.platform(platform::HOST_SPEED_UP, "voided-by-tags")?)
    }

    /// Whether BPDUs are not heard on a port: filtered, and not by a default for edge ports that ends when one is heard.
    pub fn is_deaf(&self, port: usize) -> Known<bool> {
        if !self.asked.port(port, settings::BPDU_FILTER)? {
            return Ok(false);
        }
        self.asked.note(settings::BPDU_FILTER.id);
        let by_default = self.asked.switch().slot(Some(port), settings::BPDU_FILTER.id).origin == Origin::Global;
        Ok(!(by_default && self.asked.platform(platform::FILTER_ENDS, "on-bpdu")?))
    }

    /// The best root that is known; this switch, where no other is.
    fn known_root(&self) -> Known<(u32, StationAddress)> {
        self.root.map_or_else(|| Ok((self.tree_priority()?, self.address())), Ok)
    }

    /// Whether a BPDU names a better root than the one that is known (IEEE 802.1Q, 13.10).
    fn is_superior(&self, from: StationAddress, root: Root) -> Known<bool> {
        match root {
            Root::Better => Ok(true),
            Root::NoBetter => Ok(false),
            Root::Sender(priority) => Ok((priority, from) < self.known_root()?),
        }
    }

    /// A BPDU on a port: filter, guard, root guard; else it is a bridge's port from now on. Whether it was let in.
    pub(super) fn hear_bpdu(&mut self, port: usize, from: StationAddress, root: Root) -> Known<bool> {
        if self.is_deaf(port)? {
            let because = Because::of("BPDU filter", settings::BPDU_FILTER.id);
            self.tell(port, "the BPDU is not heard", Some(because));
            return Ok(true);
        }
        if self.asked.port(port, settings::BPDU_GUARD)? {
            self.hold(port, Cause::EdgeBpdu, Because::of("BPDU guard", settings::BPDU_GUARD.id));
            return Ok(false);
        }
        let superior = self.is_superior(from, root)?;
        if superior && self.asked.port(port, settings::ROOT_GUARD)? {
            let because = Because::of("root guard", settings::ROOT_GUARD.id);
            self.tell(port, "blocks until the better root is silent", Some(because));
            // Each such BPDU starts the wait anew. Where nobody knows how long it is, the port stays closed.
            let opens = self.reopens().ok().map(|wait| self.now + wait);
            if let Some(state) = self.ports.get_mut(port) {
                state.opens = opens;
            }
            return Ok(false);
        }
        let because = Because::of("BPDU guard", settings::BPDU_GUARD.id);
        let words =
            if superior { "the root moves behind this port" } else { "a bridge is let in: no edge port any more" };
        self.tell(port, words, Some(because));
        if let (true, Root::Sender(priority)) = (superior, root) {
            self.root = Some((priority, from));
        }
        Ok(true)
    }
}
