//! What the network says: whether state was read and is young enough to be believed, and the log within the policy's window.

use jiff::{SignedDuration, Timestamp};
use smallvec::SmallVec;

use super::questions::Question;
use super::{PortView, SwitchView, Unknown};
use crate::model::{EventSeen, Fact, FactKind, Seconds, StationAddress, VlanId, facts};

/// How far a switch's clock may be ahead of the audit's moment.
const AHEAD: SignedDuration = SignedDuration::from_hours(24);

/// What the checks of state share: no state kept at all makes them not applicable.
pub(super) type Kept<T> = Result<Option<T>, Unknown>;

/// What most ports have one or two of: so many take no memory of their own.
pub(super) type Few<T> = SmallVec<[T; 2]>;

/// How a kind of facts was read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Reading {
    /// No state of the switch is kept.
    NotKept,
    /// What was kept does not tell it.
    Missing,
    TooOld,
    Told,
}

impl Reading {
    fn kept(self, kind: FactKind) -> Kept<()> {
        match self {
            Self::NotKept => Ok(None),
            Self::Missing => Err(Unknown::fact(kind.info().name)),
            Self::TooOld => Err(Unknown::fact(kind.info().newer)),
            Self::Told => Ok(Some(())),
        }
    }
}

impl<'a> SwitchView<'a> {
    /// Whether a kind of facts was read and may be believed; `None` where no state of the switch is kept.
    pub(super) fn reads(&self, kind: FactKind) -> Kept<()> {
        if self.unnoted().tells_nothing() {
            return Ok(None);
        }
        self.note(Question::Reads(kind));
        if self.unnoted().is_doubted(kind, None) {
            return Err(Unknown::fact(kind.info().name));
        }
        self.reading(kind).kept(kind)
    }

    /// How a kind of facts was read, whatever is doubtful about some of its ports.
    pub(super) fn reading(&self, kind: FactKind) -> Reading {
        let switch = self.unnoted();
        if !switch.has_state() {
            Reading::NotKept
        } else if !switch.tells(kind) {
            Reading::Missing
        } else if self.without_notes().is_too_old(kind) {
            Reading::TooOld
        } else {
            Reading::Told
        }
    }

    /// Whether a table is older than the policy bears. Lines of a log have times of their own.
    pub(super) fn is_too_old(&self, kind: FactKind) -> bool {
        let taken = self.switch().taken_at(kind).filter(|_| kind != facts::event::FACT);
        taken.is_some_and(|taken| taken < self.believed_from())
    }

    /// When a kind of facts was taken; where its file has no clock, the moment of the audit.
    pub(super) fn taken(&self, kind: FactKind) -> Timestamp {
        self.switch().taken_at(kind).unwrap_or_else(|| self.now())
    }

    /// Whether a line of the log counts: within the policy's window, and not from a time to come.
    pub(super) fn is_recent(&self, event: &Fact) -> bool {
        let Seconds(window) = self.policy().site.log_window.value;
        let Some(time) = event.get(facts::event::TIME) else { return true };
        let before = self.now().duration_since(time);
        before <= SignedDuration::from_secs(window.into()) && before >= -AHEAD
    }

    /// The log's lines of one kind, of the whole switch.
    pub(super) fn events(&self, kind: EventSeen) -> impl Iterator<Item = &'a Fact> {
        let on = *self;
        let of_kind = move |event: &&Fact| event.get(facts::event::KIND) == Some(kind) && on.is_recent(event);
        self.switch().facts_of(facts::event::FACT).filter(of_kind)
    }
}

impl<'a> PortView<'a> {
    /// Whether a kind of facts was read and may be believed of the port; `None` where no state of the switch is kept.
    pub(super) fn reads(&self, kind: FactKind) -> Kept<()> {
        if self.tells_nothing() {
            return Ok(None);
        }
        let on = self.on();
        on.note(Question::Reads(kind));
        // Which port it is, is asked only where it matters.
        if on.unnoted().is_doubted(kind, None) && on.unnoted().is_doubted(kind, Some(self.port())) {
            return Err(Unknown::fact(kind.info().name));
        }
        on.reading(kind).kept(kind)
    }

    /// The facts of a kind about the port, if they may be believed; `None` where no state of the switch is kept.
    pub(super) fn seen(&self, kind: FactKind) -> Kept<Few<&'a Fact>> {
        Ok(self.reads(kind)?.map(|()| self.facts(kind).collect()))
    }

    /// The log's lines about the port of one kind.
    pub(super) fn events(&self, kind: EventSeen) -> impl Iterator<Item = &'a Fact> {
        let on = self.on();
        let of_kind = move |event: &&Fact| event.get(facts::event::KIND) == Some(kind) && on.is_recent(event);
        self.facts(facts::event::FACT).filter(of_kind)
    }

    /// The stations on the port, each with the VLAN it was heard in and its row.
    pub(super) fn stations(&self) -> Kept<Few<Heard<'a>>> {
        let kind = facts::station::FACT;
        let heard = |row: &'a Fact| {
            let address = row.get(facts::station::ADDRESS)?;
            Some(Heard { address, vlan: row.get(facts::station::VLAN).flatten(), row })
        };
        Ok(self.reads(kind)?.map(|()| self.facts(kind).filter_map(heard).collect()))
    }
}

/// A station in the address table.
#[derive(Clone, Copy)]
pub(super) struct Heard<'a> {
    pub(super) address: StationAddress,
    pub(super) vlan: Option<VlanId>,
    pub(super) row: &'a Fact,
}

/// So many rows are quoted for one finding; the count says how many there are.
pub(super) const QUOTED: usize = 6;

/// Addresses, each once, in order.
pub(super) fn distinct(heard: &[Heard<'_>]) -> Vec<StationAddress> {
    let mut addresses: Vec<StationAddress> = heard.iter().map(|heard| heard.address).collect();
    addresses.sort_unstable();
    addresses.dedup();
    addresses
}

/// Some of many, in words.
pub(super) fn some<T: ToString>(all: &[T]) -> String {
    let shown: Vec<String> = all.iter().take(QUOTED).map(ToString::to_string).collect();
    let more = all.len() - shown.len();
    if more == 0 { shown.join(", ") } else { format!("{} and {more} more", shown.join(", ")) }
}
