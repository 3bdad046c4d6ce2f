//! Edge ports that may play router or server for IPv6.

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Verdict, Violation};
use crate::model::{Key, settings};
use crate::policy::{Feature, Level};

pub(super) const ADVERTISEMENT_OPEN: Check = Check {
    id: "ipv6-guard/advertisement-open",
    title: "an edge port may send router advertisements",
    level: Level::Breach,
    needs: &["ipv6-guard.advertisements-blocked", "role"],
    policy: &["role.expect.ipv6-guard"],
    reference: "RFC 6105",
    why: "Every machine speaks IPv6, asked or not, and believes the first router that speaks up. One advertisement \
          from a desk and its VLAN's traffic goes through that desk.",
    remedy: "Drop router advertisements on the port.",
    repair: Repair::Set(&[(settings::ADVERTISEMENTS_BLOCKED.id, Aim::On)]),
    run: Run::Port(advertisement_open),
    ..Check::ROW
};

fn advertisement_open(port: &PortView<'_>) -> Judgement {
    open(
        port,
        settings::ADVERTISEMENTS_BLOCKED,
        "router advertisements from the port are let in; role {role} faces {faces}",
    )
}

pub(super) const SERVER_OPEN: Check = Check {
    id: "ipv6-guard/server-open",
    title: "an edge port may answer DHCP for IPv6",
    level: Level::Breach,
    needs: &["ipv6-guard.servers-blocked", "role"],
    policy: &["role.expect.ipv6-guard"],
    reference: "RFC 7610",
    why: "A stranger's answer gives a machine its name server, and with it every name it looks up.",
    remedy: "Drop answers of DHCP for IPv6 on the port.",
    repair: Repair::Set(&[(settings::SERVERS_BLOCKED.id, Aim::On)]),
    run: Run::Port(server_open),
    ..Check::ROW
};

fn server_open(port: &PortView<'_>) -> Judgement {
    open(
        port,
        settings::SERVERS_BLOCKED,
        "answers of DHCP for IPv6 from the port are let in; role {role} faces {faces}",
    )
}

fn open(port: &PortView<'_>, blocked: Key<bool>, says: &'static str) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::AdvertisementGuard) {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(blocked)? {
        return Ok(Verdict::Met);
    }
    Violation::of(blocked.id, says).demand(&role.expect.wish(Feature::AdvertisementGuard).cite).into()
}
