//! The flaps of a port as its log has them, within the policy's window.

use jiff::Timestamp;

use super::trips::{Protection, flaps};
use super::would_trip::wanted;
use crate::check::{PortView, Unknown};
use crate::model::{Fact, facts, platform};

/// What a log tells of a port's link.
#[derive(Debug, Clone)]
pub struct FlapHistory {
    /// When it flapped, in order.
    pub flaps: Vec<Timestamp>,
    /// Whether each change counts, not each loss of link alone; `None`: nobody says, and losses are counted.
    pub each_change: Option<bool>,
    /// The policy's values for the port.
    pub wanted: Protection,
}

impl FlapHistory {
    /// Of a port; `None` where no state of its switch is kept.
    pub fn of(port: &PortView<'_>) -> Result<Option<Self>, Unknown> {
        if port.reads(facts::event::FACT)?.is_none() {
            return Ok(None);
        }
        let each_change = port.platform(platform::FLAP_COUNTS, "each-change").ok();
        let recent: Vec<&Fact> = port.facts(facts::event::FACT).filter(|event| port.on().is_recent(event)).collect();
        let flaps = flaps(recent, each_change == Some(true)).into_iter().map(|(time, _)| time).collect();
        Ok(Some(Self { flaps, each_change, wanted: wanted(port) }))
    }
}
