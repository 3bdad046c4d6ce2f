//! Drills: an attack or an accident played on a model of the switch, frame by frame, without a lab.
//!
//! The machine stands on the settings in force alone and knows no check, so that the two can be held against each other.

mod agreed;
mod alike;
mod around;
mod asked;
mod asks;
mod attach;
mod drills;
pub mod frame;
pub mod machine;
mod noted;
mod rehearse;
pub mod script;

pub use agreed::AGREED;
pub use around::{Around, Far, Sketch};
pub use asked::{Asked, Assumed, Hang, Known};
pub use asks::{LeftOpen, left_open};
pub use attach::attach;
pub use machine::{Because, Machine, Told};
pub use rehearse::{Either, Outcome, Rehearsal, Rehearsed, Rehearser, Stage, deciding, proof};

/// A drill.
pub struct Drill {
    /// Its name.
    pub name: &'static str,
    /// What is played.
    pub stimulus: &'static str,
    /// When it holds.
    pub holds: &'static str,
    /// The checks that answer for it: a port on which they are all met holds it.
    pub answers: &'static [&'static str],
    /// Plays it. None: it makes no sense on this port.
    pub run: fn(&Stage<'_>, Machine<'_>) -> Known<Option<Rehearsal>>,
}

/// Checks that answer for every drill on a port: in a wrong mode or VLAN nothing else acts where it should.
pub const PLACED: &[&str] = &[
    "port/mode-wrong",
    "port/mode-negotiated",
    "port/vlan-foreign",
    "port/vlan-undefined",
    "port/vlan-default",
    "port/untagged-missing",
    "port/native-wrong",
    "port/native-in-use",
    "voice/on-trunk",
    "port/spare-enabled",
    "port/spare-vlan",
];

impl Drill {
    /// Whether a check answers for it.
    pub fn is_answered_by(&self, check: &str) -> bool {
        self.answers.contains(&check) || PLACED.contains(&check)
    }
}

/// All drills, in the order of an attacker's day.
pub fn all() -> &'static [Drill] {
    drills::ALL
}
