//! What the ports of a switch have, drawn from a seed, before it is said in a language. In the unlike fleet hands have been at it for
//! years: some forty of fifty-two ports have settings that no other port of the switch has. In the orderly one there are six kinds.

/// Ports of a switch: hosts and phones, and two towards other switches.
pub(crate) const PORTS: u32 = 52;

/// Numbers that follow from a seed, the same everywhere.
pub(crate) struct Draw(pub(crate) u64);

impl Draw {
    pub(crate) fn below(&mut self, end: u32) -> u32 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        u32::try_from(self.0 >> 33).unwrap_or_default() % end.max(1)
    }

    fn one_in(&mut self, many: u32) -> bool {
        self.below(many) == 0
    }

    fn of<T: Copy>(&mut self, all: &[T]) -> T {
        let at = self.below(u32::try_from(all.len()).unwrap_or(1)) as usize;
        all.get(at).copied().unwrap_or(all[0])
    }
}

/// How unlike the ports of a switch are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Manner {
    Unlike,
    Orderly,
}

/// What a port is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Use {
    Desk,
    Host,
    Screen,
    Spare,
    Up,
    Down,
}

/// What a port has.
#[allow(clippy::struct_excessive_bools, reason = "each is a line that a port has or has not")]
#[derive(Debug, Clone)]
pub(crate) struct Port {
    pub(crate) number: u32,
    pub(crate) note: String,
    pub(crate) of: Use,
    pub(crate) vlan: u32,
    /// The most stations, and what happens to one too many.
    pub(crate) limit: Option<(u32, Action)>,
    /// Seconds until a station is forgotten.
    pub(crate) aging: Option<u32>,
    pub(crate) pinned: Vec<String>,
    /// Percent.
    pub(crate) storms: Option<(u32, u32)>,
    /// Messages of DHCP in a second.
    pub(crate) pace: Option<u32>,
    /// Flaps, seconds of the window, seconds held.
    pub(crate) flap: Option<(u32, u32, u32)>,
    pub(crate) quick: bool,
    pub(crate) stops_bridges: bool,
    pub(crate) stops_routers: bool,
    pub(crate) watches_loops: bool,
    /// Mbit/s.
    pub(crate) speed: Option<u32>,
    /// Watts.
    pub(crate) power: Option<u32>,
    pub(crate) dscp: u32,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Action {
    Drop,
    Report,
    Shut,
}

/// A switch.
#[derive(Debug, Clone)]
pub(crate) struct Switch {
    pub(crate) name: String,
    pub(crate) number: usize,
    pub(crate) ports: Vec<Port>,
}

/// VLANs that hosts are in; phones are in 210, switches in 300.
pub(crate) const HOSTS: [u32; 6] = [110, 111, 112, 113, 120, 140];

/// Every VLAN of a trunk.
pub(crate) const TRUNK: &str = "110,111,112,113,120,140,210,300";

/// The port that leads up; those below it lead down, as far as there are switches below.
pub(crate) const UP: u32 = 52;

/// Draws a switch. `faulty`: the port whose limit is too high; `below`: how many switches it leads to.
pub(crate) fn switch(draw: &mut Draw, number: usize, manner: Manner, faulty: Option<u32>, below: u32) -> Switch {
    let name = format!("sw-{number:06}");
    let ports = (1..=PORTS).map(|port| {
        let of = match port {
            UP => Use::Up,
            _ if port + below >= UP => Use::Down,
            _ if port % 11 == 0 => Use::Spare,
            _ if port % 7 == 0 => Use::Screen,
            _ if port % 3 == 0 => Use::Host,
            _ => Use::Desk,
        };
        drawn(draw, number, port, of, manner, faulty == Some(port))
    });
    let ports = ports.collect();
    Switch { name, number, ports }
}

fn drawn(draw: &mut Draw, switch: usize, number: u32, of: Use, manner: Manner, faulty: bool) -> Port {
    // A hand that has been at it: in the unlike fleet one in so many.
    let odd = |draw: &mut Draw, many: u32| manner == Manner::Unlike && draw.one_in(many);
    let vlan = match of {
        Use::Spare => 998,
        Use::Screen => 140,
        Use::Host => 120,
        _ if manner == Manner::Orderly => 110,
        _ => draw.of(&[110, 110, 111, 112, 113]),
    };
    let room = draw.below(60_000);
    let note = match of {
        Use::Desk => format!("desk {room}"),
        Use::Host => format!("host {room}"),
        Use::Screen => format!("screen {room}"),
        Use::Spare => "spare".to_owned(),
        Use::Up => format!("to above {switch}"),
        Use::Down => format!("to below {switch}.{number}"),
    };
    let is_edge = !matches!(of, Use::Up | Use::Down | Use::Spare);
    let most = if of == Use::Desk { 3 } else { 1 };
    let action = if odd(draw, 5) { draw.of(&[Action::Drop, Action::Report]) } else { Action::Shut };
    let limit = (is_edge && (!odd(draw, 25) || faulty)).then(|| {
        let few = if odd(draw, 6) { 1 + draw.below(most) } else { most };
        (if faulty { 9 } else { few }, action)
    });
    let pinned = (0..if is_edge && odd(draw, 12) { 1 + draw.below(2) } else { 0 })
        .map(|_| format!("02:00:5e:{:02x}:{:02x}:{:02x}", draw.below(256), draw.below(256), draw.below(256)))
        .collect();
    Port {
        number,
        note,
        of,
        vlan,
        limit,
        aging: (is_edge && limit.is_some())
            .then(|| if odd(draw, 5) { draw.of(&[3600, 7200, 43_200, 86_400]) } else { 28_800 }),
        pinned,
        storms: (is_edge && !odd(draw, 20))
            .then(|| if odd(draw, 6) { (1 + draw.below(3), 1 + draw.below(3)) } else { (1, 1) }),
        pace: (is_edge && !odd(draw, 20)).then(|| if odd(draw, 6) { draw.of(&[5, 8, 10, 12, 30]) } else { 15 }),
        flap: (!odd(draw, 25)).then(|| {
            if odd(draw, 6) { (3 + draw.below(4), 10 + draw.below(3), draw.of(&[30, 60, 120])) } else { (5, 10, 60) }
        }),
        quick: is_edge && !odd(draw, 25),
        stops_bridges: is_edge && !odd(draw, 25),
        stops_routers: is_edge && !odd(draw, 25),
        watches_loops: is_edge && !odd(draw, 15),
        speed: odd(draw, 8).then(|| draw.of(&[10, 100, 1000])),
        power: odd(draw, 8).then(|| draw.of(&[4, 7, 15, 30])),
        dscp: if odd(draw, 20) { draw.of(&[40, 44, 34]) } else { 46 },
    }
}
