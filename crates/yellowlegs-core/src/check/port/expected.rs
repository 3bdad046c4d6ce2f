//! Settings the role expects that no other check judges.

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Tally, Unknown, Verdict, Violation};
use crate::model::{SettingId, settings};
use crate::policy::Level;

pub(super) const UNEXPECTED: Check = Check {
    id: "port/unexpected",
    title: "a setting is not what the role expects",
    level: Level::Risk,
    needs: &["role"],
    policy: &["role.expect"],
    reference: "docs/policy.md, Expectations",
    why: "The policy says what the setting should be for this role. Settings that have a check of their own are \
          judged by that; this one takes the others.",
    remedy: "Set {setting} to {wanted}.",
    repair: Repair::Cause(Aim::Fact("wanted")),
    run: Run::Port(unexpected),
    ..Check::ROW
};

/// Expectations that other checks hold a port against.
const ELSEWHERE: [SettingId; 14] = [
    settings::MTU.id,
    settings::TRUST.id,
    settings::SNOOPING_RATE.id,
    settings::STORM_BROADCAST.id,
    settings::STORM_MULTICAST.id,
    settings::FLAP_THRESHOLD.id,
    settings::FLAP_WINDOW.id,
    settings::FLAP_HOLD.id,
    settings::UNIDIRECTIONAL.id,
    settings::VOICE_PRIORITY.id,
    settings::VOICE_DSCP.id,
    settings::SIGNALLING_PRIORITY.id,
    settings::SIGNALLING_DSCP.id,
    settings::NATIVE_VLAN.id,
];

fn unexpected(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    let mut expected = role.expect.values().filter(|(id, _)| !ELSEWHERE.contains(id)).peekable();
    if expected.peek().is_none() {
        return Ok(Verdict::NotApplicable);
    }
    let mut tally = Tally::default();
    for (id, wished) in expected {
        let Some(value) = &port.slot(id).value else {
            tally.add(Err(Unknown::fact(id.name())));
            continue;
        };
        let violation = || {
            Violation::of(id, "{setting} is {value}; role {role} expects {wanted}")
                .fact("setting", id.name())
                .fact("value", value.to_string())
                .fact("wanted", wished.value.to_string())
                .demand(&wished.cite)
        };
        tally.add(Ok((*value != wished.value).then(violation)));
    }
    tally.judgement()
}
