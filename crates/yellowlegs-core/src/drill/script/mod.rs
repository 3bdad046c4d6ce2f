//! Drills of one's own: a small file of ports, stations, timed stimuli and what they are expected to come to.

mod play;
mod problem;
mod read;

use std::net::Ipv4Addr;

use super::frame::Frame;
use super::machine::Millis;
use crate::source::Place;

pub use play::{Checked, Ran, play};
pub use problem::ScriptProblem;

/// A drill that somebody wrote.
#[derive(Debug, Clone)]
pub struct Script {
    /// Its name.
    pub name: String,
    /// How long servers give addresses for; none: longer than it lasts.
    pub lease: Option<Millis>,
    /// Its steps, in the order of time.
    pub steps: Vec<Step>,
}

/// One step.
#[derive(Debug, Clone)]
pub struct Step {
    /// When, since the switches were switched on.
    pub at: Millis,
    /// The switch.
    pub switch: String,
    /// The port.
    pub port: String,
    /// What is done.
    pub act: Act,
    /// What is expected of it.
    pub expect: Vec<Expect>,
    /// Where it is written.
    pub place: Place,
}

/// What a step does.
#[derive(Debug, Clone)]
pub enum Act {
    /// The plug goes in.
    Plug,
    /// It is pulled.
    Pull,
    /// A station shows who it is, and sends: so often, so far apart.
    Send {
        /// The frame.
        frame: Frame,
        /// Whether the station can show who it is (IEEE 802.1X).
        authenticated: bool,
        /// How often.
        count: u32,
        /// How far apart.
        every: Millis,
    },
    /// A wire joins the socket and another: its switch where it is another, and its port.
    Patch(Option<String>, String),
    /// A strand of its fibre fails: nothing is heard there any more.
    StrandFails,
    /// The table of bindings is emptied.
    ClearBindings,
    /// The power is cut, and comes back.
    Restart,
    /// Nothing: time has passed, and something is expected.
    Look,
}

/// What is expected of a step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Expect {
    /// What becomes of the frame.
    Comes(Comes),
    /// The feature that stops it.
    By(String),
    /// Ports that hear it, each with its tags; the switch where it is another.
    Heard(Vec<(Option<String>, String)>),
    /// Ports that do not.
    Unheard(Vec<(Option<String>, String)>),
    /// Whether the frame circles for ever.
    Circles(bool),
    /// What the port is.
    Port(PortIs),
    /// What holds it down.
    Cause(String),
}

/// What becomes of a frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Comes {
    /// It is let in.
    In,
    /// A feature stops it.
    Stopped,
    /// The port is down or does not forward.
    Closed,
}

/// What a port is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PortIs {
    /// It forwards.
    Forwarding,
    /// It waits, or the tree keeps it closed.
    Waiting,
    /// A feature holds it down.
    Held,
    /// No link.
    Down,
}

impl Comes {
    const WORDS: [(&'static str, Self); 3] =
        [("let-in", Self::In), ("stopped", Self::Stopped), ("closed", Self::Closed)];

    fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, one)| *one == self).map_or("", |(word, _)| word)
    }
}

impl PortIs {
    const WORDS: [(&'static str, Self); 4] =
        [("forwarding", Self::Forwarding), ("waiting", Self::Waiting), ("held", Self::Held), ("down", Self::Down)];

    fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, one)| *one == self).map_or("", |(word, _)| word)
    }
}

/// The frames that a step may send, by name.
pub const FRAMES: [&str; 22] = [
    "plain",
    "arp",
    "packet",
    "dhcp-discover",
    "dhcp-offer",
    "dhcp-request",
    "dhcp-ack",
    "dhcp-nak",
    "dhcp-release",
    "dhcp-decline",
    "bpdu",
    "superior-bpdu",
    "lldp",
    "router-advertisement",
    "dhcpv6-answer",
    "igmp-query",
    "igmp-report",
    "igmp-leave",
    "mld-query",
    "mld-report",
    "mld-done",
    "stream",
];

/// The address of who sends none.
const NOBODY: Ipv4Addr = Ipv4Addr::UNSPECIFIED;
