//! Priority and DSCP of voice: as announced, and as trusted.

use super::vlan::phone_role;
use crate::check::{Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, Tally, Unknown, Verdict, Violation};
use crate::model::{Announcement, Choice, Key, settings};
use crate::policy::{Cite, Level, Marking, Role};

pub(super) const WRONG: Check = Check {
    id: "voice/marking-wrong",
    title: "the announced marking is not the site's",
    level: Level::Risk,
    needs: &["voice.announcement", "voice.priority", "voice.dscp", "role"],
    uses: &["voice.signalling-announcement", "voice.signalling-priority", "voice.signalling-dscp"],
    policy: &["site.voice-priority", "site.voice-dscp", "site.signalling-priority", "site.signalling-dscp"],
    reference: "ANSI/TIA-1057, 10.2.3; IEEE 802.1Q, 6.9.4; RFC 2474",
    why: "Calls that are marked as ordinary traffic wait behind a download, and the calls break up when the network \
          is busy, never when somebody looks.",
    remedy: "Announce {what} {wanted}.",
    repair: Repair::Cause(Aim::Fact("wanted")),
    run: Run::Port(wrong),
    ..Check::ROW
};

fn wrong(port: &PortView<'_>) -> Judgement {
    let Some(role) = phone_role(port)? else { return Ok(Verdict::NotApplicable) };
    if port.known(settings::VOICE_ANNOUNCED)? == Announcement::Nothing {
        return Ok(Verdict::NotApplicable);
    }
    let site = &port.policy().site;
    let mut tally = Tally::default();
    tally.add(part(port, role, settings::VOICE_PRIORITY, Some(site.voice_priority.value), &site.voice_priority.cite));
    tally.add(part(port, role, settings::VOICE_DSCP, Some(site.voice_dscp.value), &site.voice_dscp.cite));
    let signalled = port.setting(settings::SIGNALLING_ANNOUNCED).value;
    if signalled.is_some_and(|announced| announced != Announcement::Nothing) {
        let (priority, dscp) = (&site.signalling_priority, &site.signalling_dscp);
        tally.add(part(port, role, settings::SIGNALLING_PRIORITY, priority.value, &priority.cite));
        tally.add(part(port, role, settings::SIGNALLING_DSCP, dscp.value, &dscp.cite));
    }
    tally.judgement()
}

fn part(
    port: &PortView<'_>,
    role: &Role,
    key: Key<u32>,
    site: Option<u32>,
    cite: &Cite,
) -> Result<Option<Violation>, Unknown> {
    let of_role = role.expect.value(key);
    let (wanted, cite) = match &of_role {
        Some(wished) => (wished.value, &wished.cite),
        None => match site {
            Some(value) => (value, cite),
            None => return Ok(None),
        },
    };
    let announced = port.known(key)?;
    let violation = || {
        Violation::of(key.id, "{what} is announced as {announced}; the site has {wanted}")
            .fact("what", key.id.name())
            .fact("announced", announced)
            .fact("wanted", wanted)
            .demand(cite)
    };
    Ok((announced != wanted).then(violation))
}

pub(super) const UNTRUSTED: Check = Check {
    id: "voice/marking-untrusted",
    title: "a phone's port does not trust the site's marking",
    level: Level::Risk,
    needs: &["port.trust", "role"],
    policy: &["site.marking", "role.expect.port.trust"],
    reference: "IEEE 802.1Q, 6.9.4; RFC 2474",
    why: "The phone marks its frames, and the port wipes the mark off at the first step.",
    remedy: "Trust {wanted} on the port.",
    repair: Repair::Work(trust_marking),
    run: Run::Port(untrusted),
    ..Check::ROW
};

fn untrusted(port: &PortView<'_>) -> Judgement {
    let Some(role) = phone_role(port)? else { return Ok(Verdict::NotApplicable) };
    trusts(port, role)
}

/// Whether the port trusts the marking the site uses, or its role's own expectation.
pub(in crate::check) fn trusts(port: &PortView<'_>, role: &Role) -> Judgement {
    let trust = port.known(settings::TRUST)?;
    let violation = |wanted: &str, cite: &Cite| {
        let wanted = if wanted == "any" { "priority or dscp" } else { wanted };
        Violation::of(settings::TRUST.id, "of arriving markings {trust} is trusted; the site wants {wanted}")
            .fact("trust", trust.word())
            .fact("wanted", wanted)
            .demand(cite)
            .into()
    };
    if let Some(wished) = role.expect.value(settings::TRUST) {
        return if trust == wished.value { Ok(Verdict::Met) } else { violation(wished.value.word(), &wished.cite) };
    }
    let site = &port.policy().site.marking;
    if site.value.is_served_by(trust) { Ok(Verdict::Met) } else { violation(site.value.word(), &site.cite) }
}

/// The marking that the role, else the site, wants trusted.
pub(in crate::check) fn trust_marking(case: &Case<'_>) -> Mending {
    let wished = case.role().and_then(|role| role.expect.value(settings::TRUST)).map(|wished| wished.value.word());
    let words = match (wished, case.policy.site.marking.value) {
        (Some(word), _) => vec![word],
        (None, Marking::Any) => vec!["dscp", "priority"],
        (None, marking) => vec![marking.word()],
    };
    let choice = |word: &str| Some((word.to_owned(), vec![case.word(settings::TRUST.id, word)?]));
    let asks = "the site's marking: which is to be trusted?";
    Mending::one_of(asks, words.into_iter().filter_map(choice).collect()).decided_once("the site's marking")
}
