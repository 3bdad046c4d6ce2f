//! How long a membership lasts that nobody renews, and how long a stream runs on after a leave.

use crate::check::figure::Figure;
use crate::check::{SwitchView, Unknown};
use crate::model::{Seconds, VlanId, settings};

/// Seconds from a port's last report to the end of its membership (RFC 2236, 8.4; RFC 3376, 8.4).
pub(in crate::check) fn membership(on: SwitchView<'_>, vlan: VlanId) -> Result<Figure, Unknown> {
    let robustness = on.of_vlan(vlan, settings::ROBUSTNESS)?;
    let Seconds(interval) = on.of_vlan(vlan, settings::QUERY_INTERVAL)?;
    let Seconds(response) = on.of_vlan(vlan, settings::RESPONSE_INTERVAL)?;
    let seconds = robustness.saturating_mul(interval).saturating_add(response);
    let how = format!("robustness {robustness} × query interval of {interval} s + response interval of {response} s");
    Ok(Figure::new(
        seconds,
        how,
        &[settings::ROBUSTNESS.id, settings::QUERY_INTERVAL.id, settings::RESPONSE_INTERVAL.id],
    ))
}

/// Seconds from a leave to the end of the stream, without fast leave (RFC 2236, 8.8 and 8.9).
pub(in crate::check) fn leave(on: SwitchView<'_>, vlan: VlanId) -> Result<Figure, Unknown> {
    let Seconds(interval) = on.of_vlan(vlan, settings::LAST_MEMBER_INTERVAL)?;
    let count = on.of_vlan(vlan, settings::LAST_MEMBER_COUNT)?;
    let how = format!("last-member interval of {interval} s × {count}");
    let settings = [settings::LAST_MEMBER_INTERVAL.id, settings::LAST_MEMBER_COUNT.id];
    Ok(Figure::new(interval.saturating_mul(count), how, &settings))
}
