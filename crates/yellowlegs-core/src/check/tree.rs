//! What the spanning tree makes of a port: whether it runs there, whether the port is an edge, how long it waits.

use super::figure::Figure;
use super::{PortView, Unknown};
use crate::model::{FastStart, LinkType, Mode, Protocol, Seconds, platform, settings};
use crate::policy::DetectedEdges;

/// Whether a port is an edge port.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Edge {
    /// By fast start that holds in the mode in force.
    InForce,
    /// By itself, when no bridge is heard.
    Detected,
    /// Fast start is written and void in the mode in force.
    Void,
    /// It is none.
    None,
}

/// The migrate time of the rapid protocol, in seconds (IEEE 802.1Q, 13.26).
const MIGRATE_TIME: u32 = 3;

pub(super) fn is_rapid(protocol: Protocol) -> bool {
    matches!(protocol, Protocol::Rapid | Protocol::RapidPerVlan | Protocol::Multiple)
}

impl PortView<'_> {
    /// Whether the spanning tree runs on the port at all.
    #[inline]
    pub(super) fn tree_runs(&self) -> Result<bool, Unknown> {
        Ok(self.known(settings::TREE)? && self.known(settings::TREE_ON_PORT)?)
    }

    /// Whether it is an edge port, and by what.
    pub(super) fn edge(&self) -> Result<Edge, Unknown> {
        Ok(match self.known(settings::FAST_START)? {
            FastStart::EdgeOnTrunk => Edge::InForce,
            FastStart::Edge if self.mode()? == Mode::Trunk => {
                if self.platform(platform::PLAIN_ON_TRUNK, "void")? {
                    Edge::Void
                } else {
                    Edge::InForce
                }
            }
            FastStart::Edge => Edge::InForce,
            FastStart::Auto => Edge::Detected,
            FastStart::Off => {
                let detects = is_rapid(self.known(settings::TREE_PROTOCOL)?)
                    && self.known(settings::LINK_TYPE)? != LinkType::Shared
                    && self.platform(platform::EDGE_DETECTED, "yes")?;
                if detects { Edge::Detected } else { Edge::None }
            }
        })
    }

    /// Whether an edge port in force is what it is.
    pub(super) fn is_edge(&self) -> Result<bool, Unknown> {
        Ok(self.edge()? == Edge::InForce)
    }

    /// Whether it is an edge port as the site wants one: set, or detected where that is enough.
    pub(super) fn will_do_as_edge(&self) -> Result<bool, Unknown> {
        let enough = self.policy().site.detected_edges.value == DetectedEdges::Enough;
        Ok(match self.edge()? {
            Edge::InForce => true,
            Edge::Detected => enough,
            Edge::Void | Edge::None => false,
        })
    }

    /// How long a host waits (IEEE 802.1D-1998, 8.5; IEEE 802.1Q, 13.26).
    pub(super) fn wait(&self) -> Result<Figure, Unknown> {
        let edge = self.edge()?;
        if edge == Edge::InForce {
            return Ok(Figure::new(0, "an edge port forwards at once", &[]));
        }
        let protocol = self.known(settings::TREE_PROTOCOL)?;
        if edge == Edge::Detected {
            return Ok(Figure::new(MIGRATE_TIME, "the edge is detected after the migrate time of 3 s", &[]));
        }
        let classic = || -> Result<Figure, Unknown> {
            let Seconds(delay) = self.known(settings::FORWARD_DELAY)?;
            Ok(Figure::new(
                delay.saturating_mul(2),
                format!("2 × forward delay of {delay} s"),
                &[settings::FORWARD_DELAY.id],
            ))
        };
        if !is_rapid(protocol) {
            let Seconds(speed_up) = self.known(settings::HOST_SPEED_UP)?;
            if speed_up == 0 || self.speed_up_is_void()? {
                return classic();
            }
            let how = format!("the classic protocol's speed-up for host ports, {speed_up} s");
            return Ok(Figure::new(speed_up, how, &[settings::HOST_SPEED_UP.id]));
        }
        if self.platform(platform::RAPID_WITHOUT_EDGE, "classic")? {
            return classic();
        }
        let (Seconds(age), Seconds(hello)) = (self.known(settings::MAX_AGE)?, self.known(settings::HELLO)?);
        let how = format!("max age of {age} s + hello of {hello} s");
        Ok(Figure::new(age.saturating_add(hello), how, &[settings::MAX_AGE.id, settings::HELLO.id]))
    }

    /// Whether tags or a second station void the classic protocol's speed-up for host ports.
    fn speed_up_is_void(&self) -> Result<bool, Unknown> {
        let tags = self.voice()?.vlan.is_some() || self.tagged()?.is_some_and(|set| !set.is_empty());
        if tags && self.platform(platform::HOST_SPEED_UP, "voided-by-tags")? {
            return Ok(true);
        }
        let second = self.role().is_ok_and(|role| role.faces == crate::policy::Faces::PhoneAndHost);
        Ok(second && self.platform(platform::HOST_SPEED_UP, "voided-by-second-station")?)
    }
}
