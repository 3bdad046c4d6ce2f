//! What a port takes in.

use crate::check::{Case, Check, Judgement, Mending, PortView, Repair, Run, Tally, Unknown, Violation};
use crate::model::{Frames, Mode, settings};
use crate::policy::{Faces, HostTags, Level};

pub(super) const OPEN: Check = Check {
    id: "port/ingress-open",
    title: "the port takes in frames it should not",
    level: Level::Risk,
    needs: &["port.mode", "port.ingress-filtering", "port.acceptable-frames", "port.voice-vlan", "role"],
    policy: &["role.faces", "site.host-tags"],
    reference: "IEEE 802.1Q, 6.9 (acceptable frame types) and 8.6.2 (ingress filtering)",
    why: "A port that accepts frames of VLANs it is not a member of, or tagged frames from a host that has no need \
          of tags, lets its user speak into other VLANs, one way at least.",
    remedy: "Switch ingress filtering on, and take in only untagged frames where no phone sends tagged ones.",
    repair: Repair::Work(close),
    run: Run::Port(open),
    ..Check::ROW
};

fn open(port: &PortView<'_>) -> Judgement {
    let mut tally = Tally::default();
    tally.add(filtering(port));
    tally.add(tagged_from_host(port));
    tally.judgement()
}

/// Frames of VLANs the port is not a member of. A trunk that carries all has none such.
fn filtering(port: &PortView<'_>) -> Result<Option<Violation>, Unknown> {
    if port.tagged()?.is_some_and(|set| set.is_all()) || port.known(settings::INGRESS_FILTERING)? {
        return Ok(None);
    }
    let says = "frames of VLANs the port is not a member of are taken in: ingress filtering is off";
    Ok(Some(Violation::of(settings::INGRESS_FILTERING.id, says)))
}

/// Tagged frames where one host sits on an access port without a voice VLAN.
fn tagged_from_host(port: &PortView<'_>) -> Result<Option<Violation>, Unknown> {
    if port.mode()? != Mode::Access {
        return Ok(None);
    }
    if port.setting(settings::ACCEPTABLE_FRAMES).value == Some(Frames::Untagged) {
        return Ok(None);
    }
    let tags = &port.policy().site.host_tags;
    if tags.value == HostTags::OwnVlan && port.known(settings::INGRESS_FILTERING)? {
        return Ok(None);
    }
    let role = port.role()?;
    if role.faces != Faces::Host || port.voice()?.vlan.is_some() {
        return Ok(None);
    }
    let frames = port.known(settings::ACCEPTABLE_FRAMES)?;
    let says = "{frames} frames are taken in; role {role} faces one host, which has no need of tags";
    let violation = Violation::of(settings::ACCEPTABLE_FRAMES.id, says).fact("frames", frames.to_string());
    Ok(Some(violation.demand(role.cite("faces"))))
}

/// Filtering on; from one host only untagged frames.
fn close(case: &Case<'_>) -> Mending {
    Mending::of(case.cause().and_then(|cause| match cause {
        cause if cause == settings::INGRESS_FILTERING.id => case.flag(cause, true),
        cause => case.word(cause, Frames::Untagged),
    }))
}
