//! What unidirectional link detection does about a fault.

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Verdict, Violation};
use crate::model::{Choice, Unidirectional, settings};
use crate::policy::Level;

pub(super) const REPORT_ONLY: Check = Check {
    id: "unidirectional/report-only",
    title: "unidirectional link detection acts weaker than the policy wants",
    level: Level::Advice,
    needs: &["unidirectional.mode"],
    uses: &["role"],
    policy: &["site.unidirectional-action", "role.expect.unidirectional.mode"],
    reference: "RFC 5171",
    why: "A report is read the next morning. The loop stands now.",
    remedy: "Set the action to {wanted}.",
    repair: Repair::Set(&[(settings::UNIDIRECTIONAL.id, Aim::Fact("wanted"))]),
    run: Run::Port(report_only),
    ..Check::ROW
};

fn report_only(port: &PortView<'_>) -> Judgement {
    let mode = port.known(settings::UNIDIRECTIONAL)?;
    if mode == Unidirectional::Off {
        return Ok(Verdict::NotApplicable);
    }
    let of_role = port.role().ok().and_then(|role| role.expect.value(settings::UNIDIRECTIONAL));
    let wished = of_role.as_ref().unwrap_or(&port.policy().site.unidirectional);
    if mode >= wished.value {
        return Ok(Verdict::Met);
    }
    Violation::of(
        settings::UNIDIRECTIONAL.id,
        "a link that works one way meets {mode}; the policy wants {wanted} or stronger",
    )
    .fact("mode", mode.word())
    .fact("wanted", wished.value.word())
    .demand(&wished.cite)
    .into()
}
