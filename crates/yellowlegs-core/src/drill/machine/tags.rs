//! VLANs on arrival and on the way out (IEEE 802.1Q, 6.9 and 8.6).

use std::rc::Rc;

use super::of_all::Members;
use super::{Because, Machine};
use crate::drill::asked::{Asked, Known};
use crate::drill::frame::Frame;
use crate::model::{Frames, Mode, SettingId, StationAddress, VlanId, VlanSet, settings};

/// How a port is a member of a VLAN.
#[derive(Debug, Clone, Copy)]
pub(super) enum Member {
    No,
    Untagged,
    Tagged,
}

/// The VLAN a frame is taken into, or what refuses it.
pub(super) type Taken = Result<VlanId, Because>;

fn refused(setting: SettingId) -> Taken {
    Err(Because::of("tag rules", setting))
}

/// What ports are members of, by the settings alone.
impl Asked<'_> {
    /// The untagged VLAN of a port.
    fn untagged(&self, port: usize) -> Known<Option<VlanId>> {
        match self.port(port, settings::MODE)? {
            Mode::Trunk => self.port(port, settings::NATIVE_VLAN),
            Mode::Access | Mode::Negotiated => self.port(port, settings::ACCESS_VLAN),
        }
    }

    /// Whether a port is a member of a VLAN.
    pub fn is_member(&self, port: usize, vlan: VlanId) -> Known<bool> {
        Ok(self.untagged(port)? == Some(vlan) || self.carries_tagged(port, vlan)?)
    }

    /// How a port is a member of a VLAN.
    pub(super) fn member(&self, port: usize, vlan: VlanId) -> Known<Member> {
        if self.untagged(port)? == Some(vlan) {
            return Ok(Member::Untagged);
        }
        Ok(if self.carries_tagged(port, vlan)? { Member::Tagged } else { Member::No })
    }

    /// Whether a port carries a VLAN tagged that is not its untagged one.
    fn carries_tagged(&self, port: usize, vlan: VlanId) -> Known<bool> {
        Ok(match self.port(port, settings::MODE)? {
            Mode::Trunk => self.port(port, settings::TAGGED_VLANS)?.contains(vlan),
            Mode::Access | Mode::Negotiated => self.port(port, settings::VOICE_VLAN)? == Some(vlan),
        })
    }
}

impl Machine<'_> {
    /// The untagged VLAN of a port.
    pub fn untagged(&self, port: usize) -> Known<Option<VlanId>> {
        self.asked.untagged(port)
    }

    /// The VLAN that a host on a port speaks in: the one it tags with, else the untagged one.
    pub fn vlan_of_host(&self, port: usize) -> Known<Option<VlanId>> {
        self.speaks_in.map_or_else(|| self.untagged(port), |vlan| Ok(Some(vlan)))
    }

    /// The VLANs that a port carries tagged.
    pub fn tagged(&self, port: usize) -> Known<VlanSet> {
        match self.asked.port(port, settings::MODE)? {
            Mode::Trunk => {
                let mut set = (*self.asked.port(port, settings::TAGGED_VLANS)?).clone();
                if let Some(native) = self.untagged(port)? {
                    set.remove(native);
                }
                Ok(set)
            }
            Mode::Access | Mode::Negotiated => {
                let mut set = VlanSet::default();
                self.asked.port(port, settings::VOICE_VLAN)?.iter().for_each(|voice| set.insert(*voice));
                Ok(set)
            }
        }
    }

    /// Whether a port is a member of a VLAN.
    pub fn is_member(&self, port: usize, vlan: VlanId) -> Known<bool> {
        self.asked.is_member(port, vlan)
    }

    /// Takes a frame into a VLAN and takes off the tag that says so.
    pub(super) fn take(&self, port: usize, frame: &mut Frame) -> Known<Taken> {
        let only = self.asked.port(port, settings::ACCEPTABLE_FRAMES)?;
        let outer = frame.tags.first().copied();
        let vlan = match outer {
            None | Some(0) => {
                if outer.is_none() && only == Frames::Tagged {
                    return Ok(refused(settings::ACCEPTABLE_FRAMES.id));
                }
                match self.assigned(port, frame.from)?.map_or_else(|| self.untagged(port), |vlan| Ok(Some(vlan)))? {
                    Some(vlan) => vlan,
                    None => return Ok(refused(self.untagged_setting(port)?)),
                }
            }
            Some(tag) => {
                if only == Frames::Untagged
                    && self.asked.port(port, settings::VOICE_VLAN)?.is_none_or(|v| v.get() != tag)
                {
                    return Ok(refused(settings::ACCEPTABLE_FRAMES.id));
                }
                match VlanId::new(i64::from(tag)) {
                    Ok(vlan) => vlan,
                    Err(_) => return Ok(refused(settings::ACCEPTABLE_FRAMES.id)),
                }
            }
        };
        if !self.asked.switch_wide(settings::VLANS)?.contains(vlan) {
            return Ok(refused(settings::VLANS.id));
        }
        let of_tag = outer.is_some_and(|tag| tag > 0);
        if of_tag && !self.is_member(port, vlan)? && self.asked.port(port, settings::INGRESS_FILTERING)? {
            return Ok(refused(settings::INGRESS_FILTERING.id));
        }
        if outer.is_some() {
            frame.tags.remove(0);
        }
        Ok(Ok(vlan))
    }

    /// The VLAN that a station is put into by its address, whatever the port's own is (dynamic assignment).
    fn assigned(&self, port: usize, from: StationAddress) -> Known<Option<VlanId>> {
        let ranges = match self.asked.ranges() {
            Ok(ranges) => ranges,
            // Where nobody says that VLANs are assigned, no range matters.
            Err(hang) if self.asked.port(port, settings::DYNAMIC_VLAN) == Ok(true) => return Err(hang),
            Err(_) => return Ok(None),
        };
        match ranges.iter().find(|(range, _)| range.contains(from)) {
            Some((_, vlan)) if self.asked.port(port, settings::DYNAMIC_VLAN)? => Ok(Some(*vlan)),
            _ => Ok(None),
        }
    }

    /// The setting that says which VLAN is untagged.
    pub fn untagged_setting(&self, port: usize) -> Known<SettingId> {
        let trunk = self.asked.port(port, settings::MODE)? == Mode::Trunk;
        Ok(if trunk { settings::NATIVE_VLAN.id } else { settings::ACCESS_VLAN.id })
    }

    /// How a frame of a VLAN leaves by a port.
    pub(super) fn leave(&self, port: usize, vlan: VlanId) -> Known<Member> {
        if self.has_joined(port, vlan) {
            return Ok(Member::Untagged);
        }
        self.members_of(vlan).each.get(port).copied().unwrap_or(Ok(Member::No))
    }

    /// Whether somebody on a port was put into a VLAN by their address.
    pub(super) fn has_joined(&self, port: usize, vlan: VlanId) -> bool {
        self.heard.get(&port).is_some_and(|heard| heard.joined.contains(&vlan))
    }

    /// How each port is a member of a VLAN.
    pub(super) fn members_of(&self, vlan: VlanId) -> Rc<Members> {
        self.of_all.members(&self.asked, vlan)
    }
}
