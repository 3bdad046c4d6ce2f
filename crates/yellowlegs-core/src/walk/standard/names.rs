//! The names of the objects that are read, as their documents have them: written behind each line of a walk, so that a line tells what it is.

use super::{bridge, interfaces, media, neighbours, power, queriers, tree, vlans};

/// Whether a value is a text, or signs and sets of bits that only look like one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in super::super) enum Written {
    /// As it is.
    Plain,
    /// In hexadecimal.
    Bits,
}

use Written::{Bits, Plain};

/// Each with what its identifiers begin with.
pub(in super::super) const NAMES: &[(&[u32], &str, Written)] = &[
    (&[1, 3, 6, 1, 2, 1, 1, 1], "sysDescr", Plain),
    (super::SYSTEM_IDENTIFIER, "sysObjectID", Plain),
    (interfaces::UP_TIME, "sysUpTime", Plain),
    (super::rows::SYSTEM_NAME, "sysName", Plain),
    (interfaces::NAME_OF_OLD, "ifDescr", Plain),
    (interfaces::TYPE, "ifType", Plain),
    (interfaces::SPEED, "ifSpeed", Plain),
    (interfaces::ADDRESS, "ifPhysAddress", Bits),
    (interfaces::ADMIN, "ifAdminStatus", Plain),
    (interfaces::LINK, "ifOperStatus", Plain),
    (interfaces::LAST_CHANGE, "ifLastChange", Plain),
    (interfaces::NAME, "ifName", Plain),
    (interfaces::HIGH_SPEED, "ifHighSpeed", Plain),
    (interfaces::ALIAS, "ifAlias", Plain),
    (media::TYPE, "ifMauType", Plain),
    (bridge::INTERFACE, "dot1dBasePortIfIndex", Plain),
    (tree::PRIORITY, "dot1dStpPriority", Plain),
    (tree::MAX_AGE, "dot1dStpBridgeMaxAge", Plain),
    (tree::HELLO, "dot1dStpBridgeHelloTime", Plain),
    (tree::FORWARD_DELAY, "dot1dStpBridgeForwardDelay", Plain),
    (tree::VERSION, "dot1dStpVersion", Plain),
    (tree::ROOT, "dot1dStpRootPort", Plain),
    (tree::STATE, "dot1dStpPortState", Plain),
    (tree::ADMIN_EDGE, "dot1dStpPortAdminEdgePort", Plain),
    (tree::EDGE, "dot1dStpPortOperEdgePort", Plain),
    (tree::LINK, "dot1dStpPortAdminPointToPoint", Plain),
    (bridge::HEARD, "dot1dTpFdbPort", Plain),
    (bridge::HEARD_HOW, "dot1dTpFdbStatus", Plain),
    (bridge::HEARD_IN, "dot1qTpFdbPort", Plain),
    (bridge::HEARD_IN_HOW, "dot1qTpFdbStatus", Plain),
    (bridge::DATABASE, "dot1qVlanFdbId", Plain),
    (vlans::EGRESS_NOW, "dot1qVlanCurrentEgressPorts", Bits),
    (vlans::UNTAGGED_NOW, "dot1qVlanCurrentUntaggedPorts", Bits),
    (vlans::NAME, "dot1qVlanStaticName", Plain),
    (vlans::EGRESS, "dot1qVlanStaticEgressPorts", Bits),
    (vlans::UNTAGGED, "dot1qVlanStaticUntaggedPorts", Bits),
    (vlans::UNTAGGED_IN, "dot1qPvid", Plain),
    (bridge::FRAMES, "dot1qPortAcceptableFrameTypes", Plain),
    (bridge::FILTERING, "dot1qPortIngressFiltering", Plain),
    (neighbours::INTERVAL, "lldpMessageTxInterval", Plain),
    (neighbours::ADMIN, "lldpPortConfigAdminStatus", Plain),
    (neighbours::LOCAL_PORT_KIND, "lldpLocPortIdSubtype", Plain),
    (neighbours::LOCAL_PORT, "lldpLocPortId", Plain),
    (neighbours::LOCAL_PORT_TEXT, "lldpLocPortDesc", Plain),
    (neighbours::REMOTE_CHASSIS_KIND, "lldpRemChassisIdSubtype", Plain),
    (neighbours::REMOTE_CHASSIS, "lldpRemChassisId", Plain),
    (neighbours::REMOTE_PORT_KIND, "lldpRemPortIdSubtype", Plain),
    (neighbours::REMOTE_PORT, "lldpRemPortId", Plain),
    (neighbours::REMOTE_NAME, "lldpRemSysName", Plain),
    (neighbours::REMOTE_TEXT, "lldpRemSysDesc", Plain),
    (neighbours::REMOTE_ENABLED, "lldpRemSysCapEnabled", Bits),
    (neighbours::MED_SENDS, "lldpXMedPortConfigTLVsTxEnable", Bits),
    (neighbours::MED_LOCAL_POLICY, "lldpXMedLocMediaPolicy", Plain),
    (neighbours::MED_CLASS, "lldpXMedRemDeviceClass", Plain),
    (neighbours::MED_REMOTE_POLICY, "lldpXMedRemMediaPolicy", Plain),
    (neighbours::MED_POWER_GIVEN, "lldpXMedRemXPoEPSEPowerAv", Plain),
    (neighbours::MED_POWER_ASKED, "lldpXMedRemXPoEPDPowerReq", Plain),
    (power::ADMIN, "pethPsePortAdminEnable", Plain),
    (power::DETECTION, "pethPsePortDetectionStatus", Plain),
    (power::CLASS, "pethPsePortPowerClassifications", Plain),
    (power::BUDGET, "pethMainPsePower", Plain),
    (power::DRAWN, "pethMainPseConsumptionPower", Plain),
    (queriers::INTERVAL, "igmpInterfaceQueryInterval", Plain),
    (queriers::VERSION, "igmpInterfaceVersion", Plain),
    (queriers::ROBUSTNESS, "igmpInterfaceRobustness", Plain),
];

/// The columns of both tables of policies, behind their names.
pub(in super::super) const POLICY: [&str; 5] = ["VlanID", "Priority", "Dscp", "Unknown", "Tagged"];

/// The name of an object and how it is written.
pub(in super::super) fn of(oid: &[u32]) -> Option<(String, Written)> {
    let (prefix, name, written) = NAMES.iter().find(|(prefix, ..)| oid.starts_with(prefix))?;
    let is_policy = [neighbours::MED_LOCAL_POLICY, neighbours::MED_REMOTE_POLICY].contains(prefix);
    let column = oid.get(prefix.len()).and_then(|column| neighbours::POLICY.iter().position(|known| known == column));
    let column = column.filter(|_| is_policy).and_then(|column| POLICY.get(column)).copied().unwrap_or_default();
    Some((format!("{name}{column}"), *written))
}
