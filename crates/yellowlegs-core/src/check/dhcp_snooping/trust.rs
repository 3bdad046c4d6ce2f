//! Trust on ports where no server is.

use crate::check::{Check, Judgement, PortView, Run, Verdict, Violation};
use crate::model::settings;
use crate::policy::{Faces, Level};

pub(super) const TRUSTED_EDGE: Check = Check {
    id: "dhcp-snooping/trusted-edge",
    title: "a port is trusted that leads to no server",
    level: Level::Breach,
    needs: &["dhcp-snooping.trusted", "role"],
    uses: &[],
    policy: &["role.faces", "dhcp-server"],
    reference: "RFC 2131; RFC 3046, 2.1",
    why: "Whatever answers on a trusted port is believed. On an edge port that is whoever plugs in: a home router, \
          or somebody who wants the traffic.",
    remedy: "Take the trust off the port.",
    run: Run::Port(trusted_edge),
    ..Check::ROW
};

/// Whether the policy says that an authorised server is on the port.
pub(in crate::check) fn has_server(port: &PortView<'_>) -> bool {
    let switch = port.switch();
    let name = switch.ports().get(port.port);
    port.policy().dhcp_servers.iter().any(|server| {
        let here = server.at.switch == **switch.name();
        let on_port = server.at.port.as_ref().zip(name).is_some_and(|(text, name)| text.as_str() == name.as_str());
        here && on_port
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
