//! Trust on ports where no server is.

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Verdict, Violation};
use crate::model::settings;
use crate::policy::{Faces, Level};

pub(super) const TRUSTED_EDGE: Check = Check {
    id: "dhcp-snooping/trusted-edge",
    title: "a port is trusted that leads to no server",
    level: Level::Breach,
    needs: &["dhcp-snooping.trusted", "role"],
    policy: &["role.faces", "dhcp-server"],
    reference: "RFC 2131; RFC 3046, 2.1",
    why: "Whatever answers on a trusted port is believed. On an edge port that is whoever plugs in: a home router, \
          or somebody who wants the traffic.",
    remedy: "Take the trust off the port.",
    repair: Repair::Set(&[(settings::SNOOPING_TRUSTED.id, Aim::Off)]),
    run: Run::Port(trusted_edge),
    ..Check::ROW
};

/// Whether the policy says that an authorised server is on the port.
pub(in crate::check) fn has_server(port: &PortView<'_>) -> bool {
    if !port.on().has_server() {
        return false;
    }
    let switch = port.switch();
    let lists = port.on().resolved().lists();
    port.policy().dhcp_servers.iter().filter(|server| server.at.switch == **switch.name()).any(|server| {
        let named = server.at.port.as_ref().and_then(|text| text.positions(switch, lists));
        named.is_some_and(|positions| positions.contains(&port.port()))
    })
}

fn trusted_edge(port: &PortView<'_>) -> Judgement {
    if !port.known(settings::SNOOPING_TRUSTED)? {
        return Ok(Verdict::Met);
    }
    if has_server(port) {
        return Ok(Verdict::Met);
    }
    let role = port.role()?;
    if role.faces.is_bridge() || role.faces == Faces::Router {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::SNOOPING_TRUSTED.id, "the port is trusted; role {role} faces {faces}")
        .demand(role.cite("faces"))
        .into()
}
