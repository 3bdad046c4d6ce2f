//! What a phone is told, and where it speaks then (IEEE 802.1AB; ANSI/TIA-1057, 10.2.3).

use super::{Because, Machine, Millis};
use crate::drill::asked::Known;
use crate::model::{Announcement, Mode, VlanId, platform, settings};

/// Where a phone speaks, and how it marks.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// The tag it speaks with; none: untagged. 0: priority-tagged.
    pub tag: Option<u16>,
    /// Its priority and DSCP.
    pub marking: Option<(u32, u32)>,
    /// When it was told, after the link came up.
    pub after: Millis,
    /// What decided.
    pub because: Because,
}

/// The first announcements come quickly: four, a second apart (ANSI/TIA-1057, 11.2.1).
const FIRST: Millis = 1000;

impl Machine<'_> {
    /// The VLAN that the port takes voice in: its voice VLAN; or on a trunk the one that is asked about, if it is carried.
    pub fn voice_taken(&self, port: usize, wanted: Option<VlanId>) -> Known<Option<VlanId>> {
        match self.asked.port(port, settings::MODE)? {
            Mode::Trunk => {
                let tagged = self.tagged(port)?;
                Ok(wanted.filter(|vlan| tagged.contains(*vlan)))
            }
            Mode::Access | Mode::Negotiated => self.asked.port(port, settings::VOICE_VLAN),
        }
    }

    /// What the port tells a phone.
    pub fn tells_phone(&self, port: usize, wanted: Option<VlanId>) -> Known<Place> {
        let nothing = |because| Place { tag: None, marking: None, after: 0, because };
        let told_by_own = || self.asked.platform(platform::VOICE_TOLD_BY, "own-protocol");
        // Another announcement tells it the port's voice VLAN.
        let own = |because| -> Known<Place> {
            let tag = self.voice_taken(port, wanted)?.map(VlanId::get);
            Ok(Place { tag, marking: None, after: FIRST, because })
        };
        for (key, on) in [
            (settings::LLDP.id, self.asked.switch_wide(settings::LLDP)?),
            (settings::LLDP_TRANSMIT.id, self.asked.port(port, settings::LLDP_TRANSMIT)?),
            (settings::LLDP_MED.id, self.asked.port(port, settings::LLDP_MED)?),
        ] {
            if !on {
                let because = Because::of("LLDP", key);
                return if told_by_own()? { own(because) } else { Ok(nothing(because)) };
            }
        }
        let because = Because::of("LLDP-MED", settings::VOICE_ANNOUNCED.id);
        let announced = self.asked.port(port, settings::VOICE_ANNOUNCED)?;
        let tag = match announced {
            Announcement::Nothing => {
                let own_told = self.asked.platform(platform::VOICE_TOLD_BY, "own-protocol").unwrap_or(false);
                return if own_told { own(because) } else { Ok(nothing(because)) };
            }
            Announcement::Untagged => None,
            Announcement::PriorityTagged => Some(0),
            Announcement::Tagged => self.asked.port(port, settings::VOICE_ANNOUNCED_VLAN)?.map(VlanId::get),
        };
        let marking = (self.asked.port(port, settings::VOICE_PRIORITY)?, self.asked.port(port, settings::VOICE_DSCP)?);
        Ok(Place { tag, marking: Some(marking), after: FIRST, because })
    }

    /// Whether the port feeds a phone.
    pub fn feeds(&self, port: usize) -> Known<bool> {
        self.asked.port(port, settings::POWER)
    }

    /// Which marking of arriving frames is kept.
    pub fn trust(&self, port: usize) -> Known<crate::model::Trust> {
        self.asked.port(port, settings::TRUST)
    }
}
