//! What a machine asks of all ports of its switch. It is the same for every machine of a switch, and there are as many of these as
//! drills and ports: it is asked once for all of them.

use std::cell::{OnceCell, RefCell};
use std::collections::BTreeMap;
use std::rc::Rc;

use super::loops;
use super::mirrors::{self, Sessions};
use super::tags::Member;
use crate::drill::asked::{Asked, Known};
use crate::drill::noted::Noted;
use crate::model::{StationAddress, Switch, VlanId, settings};

/// By station, the ports it is fixed on, each with the VLAN it is fixed in.
pub(super) type FixedAt = BTreeMap<StationAddress, Vec<(usize, Option<VlanId>)>>;

/// What came, and which settings it hangs on.
type Answer<T> = (Rc<T>, Noted);

/// What was asked of all ports of one switch.
#[derive(Debug, Default)]
pub struct OfAll {
    address: OnceCell<StationAddress>,
    members: RefCell<BTreeMap<VlanId, Answer<Members>>>,
    fixed_at: OnceCell<Answer<FixedAt>>,
    listed: OnceCell<Answer<[StationAddress]>>,
    shut: OnceCell<Answer<[bool]>>,
    sessions: OnceCell<Known<Rc<Sessions>>>,
}

/// The members of a VLAN.
#[derive(Debug)]
pub(super) struct Members {
    /// How each port is one.
    pub(super) each: Box<[Known<Member>]>,
    /// The ports that carry it, each with whether untagged. A port of which nobody knows what it carries hears nothing.
    pub(super) carry: Box<[(usize, bool)]>,
}

impl Members {
    fn of(each: Box<[Known<Member>]>) -> Self {
        let carries = |(port, member): (usize, &Known<Member>)| match member {
            Ok(Member::Untagged) => Some((port, true)),
            Ok(Member::Tagged) => Some((port, false)),
            Ok(Member::No) | Err(_) => None,
        };
        Self { carry: each.iter().enumerate().filter_map(carries).collect(), each }
    }
}

impl OfAll {
    /// The switch's own address.
    pub(super) fn address(&self, switch: &Switch) -> StationAddress {
        *self.address.get_or_init(|| loops::address(switch.name()))
    }

    /// How each port is a member of a VLAN.
    pub(super) fn members(&self, asked: &Asked<'_>, vlan: VlanId) -> Rc<Members> {
        let find = |asked: &Asked<'_>| {
            let each = (0..asked.switch().ports().len()).map(|port| asked.member(port, vlan)).collect();
            Rc::new(Members::of(each))
        };
        let mut members = self.members.borrow_mut();
        noted(asked, members.entry(vlan).or_insert_with(|| asked.asking(find)))
    }

    /// Where stations are fixed on ports that port security acts on. What nobody knows of a port names no station.
    pub(super) fn fixed_at(&self, asked: &Asked<'_>) -> Rc<FixedAt> {
        let find = |asked: &Asked<'_>| {
            let mut fixed_at = FixedAt::new();
            for port in (0..asked.switch().ports().len()).filter(|port| asked.unsecured_by(*port) == Ok(None)) {
                for fixed in asked.fixed(port).unwrap_or_default() {
                    fixed_at.entry(fixed.address).or_default().push((port, fixed.vlan));
                }
            }
            Rc::new(fixed_at)
        };
        noted(asked, self.fixed_at.get_or_init(|| asked.asking(find)))
    }

    /// Stations that were written or pinned on any port.
    pub(super) fn listed(&self, asked: &Asked<'_>) -> Rc<[StationAddress]> {
        let find = |asked: &Asked<'_>| {
            let fixed = (0..asked.switch().ports().len()).filter_map(|port| asked.fixed(port).ok()).flatten();
            fixed.map(|station| station.address).collect()
        };
        noted(asked, self.listed.get_or_init(|| asked.asking(find)))
    }

    /// The active mirror sessions; or what nobody knows of one.
    pub(super) fn sessions(&self, asked: &Asked<'_>) -> Known<Rc<Sessions>> {
        self.sessions.get_or_init(|| mirrors::sessions(asked).map(|all| Rc::new(Sessions::of(all)))).clone()
    }

    /// Whether each port is shut.
    pub(super) fn shut(&self, asked: &Asked<'_>) -> Rc<[bool]> {
        let is_shut = |asked: &Asked<'_>, port| asked.port(port, settings::ENABLED) == Ok(false);
        let find = |asked: &Asked<'_>| (0..asked.switch().ports().len()).map(|port| is_shut(asked, port)).collect();
        noted(asked, self.shut.get_or_init(|| asked.asking(find)))
    }
}

/// What came; whoever uses it hangs on the same settings.
fn noted<T: ?Sized>(asked: &Asked<'_>, (told, settings): &Answer<T>) -> Rc<T> {
    asked.note_all(*settings);
    Rc::clone(told)
}
