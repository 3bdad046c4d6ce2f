//! Cases of practitioners: what is held back, what is made together, what is asked, what no line says; and hostile words.

use proptest::prelude::*;
use yellowlegs_core::finding::Finding;
use yellowlegs_core::mend::{Answers, ByHand, NO_SETTING, Plan, Step};
use yellowlegs_core::model::{Kind, Seconds, Value, settings};
use yellowlegs_core::resolve::{About, Resolved, Wanted, differences};

use super::rows::other;
use super::{Asked, Fleet, as_of, planned, policy, read, right, support};

/// Whoever moves a host into a VLAN that the uplink does not carry cuts it off: the link is to be decided first.
#[test]
fn a_step_that_would_cut_somebody_off_is_held_back() {
    let fleet = other(&[
        ("edge", "socket 1.2\n  carries single\n  home lane 110", "socket 1.2\n  carries single\n  home lane 140"),
        ("edge", "  bundle lanes 110,140,210,300\n", "  bundle lanes 140,210,300\n"),
    ]);
    let site = fleet.site();
    let plan = planned(&site, &Asked::default()).unwrap();
    assert_eq!(plan.proof.broke, None);
    let held: Vec<&str> =
        plan.by_hand.iter().map(|hand| hand.why.as_str()).filter(|why| why.starts_with("held back")).collect();
    let [held] = held[..] else { panic!("{held:#?}") };
    assert!(held.contains("it breaks real-server on edge 1.2"), "{held}");
    assert!(plan.open.iter().any(|open| open.asks == "the link of core 1.2: which end is right?"), "{:#?}", plan.open);
    // Nobody is moved.
    assert!(plan.steps.iter().all(|step| step.change.setting != settings::ACCESS_VLAN.id));
    // The same plan with nothing held back is refused, with the step.
    let refused = planned(&site, &Asked { hold_back: false, ..Asked::default() }).unwrap();
    let broke = refused.proof.broke.unwrap();
    assert_eq!((broke.what.as_str(), &*broke.switch, broke.port.as_deref()), ("real-server", "edge", Some("1.2")));
    assert_eq!(refused.steps[broke.step - 1].change.setting, settings::ACCESS_VLAN.id);
}

/// The right fleet by a policy with other lines.
fn by_policy(edits: &[(&str, &str)]) -> Fleet {
    let text = edits.iter().fold(right::POLICY.to_owned(), |text, (from, to)| {
        assert!(text.contains(from), "{from:?}");
        text.replace(from, to)
    });
    Fleet { policy: policy(&text), ..Fleet::right() }
}

/// A step is held back, for it would break something.
fn is_held_back(plan: &Plan<'_>, step: &str, breaks: &str) {
    let held =
        |hand: &ByHand| hand.what.starts_with(step) && hand.why.starts_with("held back") && hand.why.contains(breaks);
    let steps: Vec<String> = plan.steps.iter().map(|step| step.change.shown()).collect();
    assert!(plan.by_hand.iter().any(held), "{:#?} {steps:#?}", plan.by_hand);
}

/// Whoever shuts the port of the server shuts out its clients on other switches, though nothing is said of them.
#[test]
fn the_port_of_a_server_matters_to_its_clients() {
    let fleet = by_policy(&[
        ("faces = \"host\"\nvlans = [300]\nports = [\"core 1.1\"]", "faces = \"host\"\nvlans = [300]"),
        ("ports = [\"edge 1.5\", \"core 1.3..1.4\"]", "ports = [\"edge 1.5\", \"core 1.1\", \"core 1.3..1.4\"]"),
    ]);
    let site = fleet.site();
    let plan = planned(&site, &Asked::default()).unwrap();
    is_held_back(&plan, "Set port.enabled of port 1.1 to false.", "real-server on edge 1.");
}

/// Who stops asking for memberships on one switch ends the streams of another, whose own querier has no address.
#[test]
fn who_asks_matters_to_receivers_elsewhere() {
    let receiver = "  carries single\n  home lane 140\n  crowd watch\n  crowd ceiling 1 then shut-out\n  knock first\n  choir quick leave\n";
    let spare = "  carries single\n  home lane 998\n  asleep\n";
    let there = format!("socket 1.3\n{receiver}socket 1.4\n{spare}");
    let texts = other(&[
        ("core", "  asks from 192.0.2.2\n", ""),
        ("core", &format!("socket 1.3..1.4\n{spare}"), &there),
        ("edge", "  called \"screens\"\n", "  called \"screens\"\n  asks\n  asks from 192.0.2.9\n"),
        ("edge", receiver, spare),
    ]);
    let roles = by_policy(&[
        ("ports = [\"edge 1.4\"]", "ports = [\"core 1.3\"]"),
        ("ports = [\"edge 1.5\", \"core 1.3..1.4\"]", "ports = [\"edge 1.4..1.5\", \"core 1.4\"]"),
    ]);
    let fleet = Fleet { policy: roles.policy, ..texts };
    let site = fleet.site();
    let picks = |finding: &Finding| finding.check == "multicast/querier-many";
    let asked = |answers| Asked { picks: &picks, answers, ..Asked::default() };
    let open = planned(&site, &asked(Answers::default())).unwrap().open;
    let [point] = &open[..] else { panic!("{open:#?}") };
    let plan = planned(&site, &asked(Answers::default().with(point.id.clone(), "core"))).unwrap();
    is_held_back(&plan, "Set vlan.querier of VLAN 140 to false.", "stream-join on core 1.3");
}

/// A switch at the end of the line may not cut its own way in, though it is nobody else's.
#[test]
fn a_switch_keeps_its_own_way_in() {
    let fleet = by_policy(&[
        ("[site]\n", "[site]\nmanagement = { switch = \"core\", port = \"1.3\" }\n"),
        ("faces = \"bridge-up\"\nvlans = [110, 140, 210, 300]", "faces = \"bridge-up\"\nvlans = [110, 140, 210]"),
    ]);
    let site = fleet.site();
    let plan = planned(&site, &Asked::default()).unwrap();
    is_held_back(&plan, "Set port.tagged-vlans of port 1.7", "the way in on edge");
}

fn of(steps: &[Step], setting: yellowlegs_core::model::SettingId) -> Option<&Step> {
    steps.iter().find(|step| step.change.setting == setting)
}

/// A phone in another VLAN than its role's, and told so: between the two changes it would be silent.
#[test]
fn the_voice_vlan_and_what_the_phone_is_told_change_together() {
    let fleet = other(&[
        ("edge", "  speech lane 210\n", "  speech lane 140\n"),
        ("edge", "  speech told lane 210\n", "  speech told lane 140\n"),
    ]);
    let site = fleet.site();
    let plan = planned(&site, &Asked { hold_back: false, ..Asked::default() }).unwrap();
    let told: Vec<String> = plan.steps.iter().map(|step| step.change.shown()).collect();
    assert_eq!(plan.proof.broke, None, "{told:#?} {:#?} {:#?}", plan.open, plan.by_hand);
    let (voice, told) = (
        of(&plan.steps, settings::VOICE_VLAN.id).unwrap(),
        of(&plan.steps, settings::VOICE_ANNOUNCED_VLAN.id).unwrap(),
    );
    assert_eq!(voice.block, told.block);
    assert!(plan.proof.remaining.is_empty() && plan.proof.new.is_empty());
}

/// Source guard lives off bindings that are gathered as leases are renewed: it comes a phase later.
#[test]
fn guards_wait_until_bindings_are_gathered() {
    let fleet =
        other(&[("edge", "dhcp watch\ndhcp watch lanes 110,140,210,300\n", ""), ("edge", "arp watch lanes 110\n", "")]);
    let site = fleet.site();
    let plan = planned(&site, &Asked::default()).unwrap();
    let phase = |setting| of(&plan.steps, setting).unwrap().phase;
    assert_eq!((phase(settings::SNOOPING_VLANS.id), phase(settings::INSPECTION_VLANS.id)), (1, 2));
    let guard = of(&plan.steps, settings::INSPECTION_VLANS.id).unwrap();
    assert!(guard.needs.iter().any(|(row, _)| row.wait.is_some()));
    assert_eq!(plan.longest_lease, None);
    // How long that is the tables of other switches tell.
    let table = "Station              Address      Lane  Socket  Left\n\
                 02:00:5e:10:00:01    192.0.2.7    110   1.3     20m\n\
                 02:00:5e:10:00:02    192.0.2.8    110   1.3     7h\n";
    let tells = read("core", &support::shingle_without(&[]), &right::text("core"), &[table]);
    let switches = fleet.switches.iter().map(|r| if &**r.switch.name() == "core" { tells.clone() } else { r.clone() });
    let site_of = Fleet { policy: fleet.policy.clone(), as_of: as_of(), switches: switches.collect() };
    let site = site_of.site();
    assert_eq!(planned(&site, &Asked::default()).unwrap().longest_lease, Some(Seconds(7 * 3600)));
}

/// A record has no text: everything is listed for people, and nothing is lost.
#[test]
fn a_switch_that_was_read_from_a_record_is_mended_by_hand() {
    let damaged = other(&[("edge", "  crowd ceiling 3 then shut-out", "  crowd ceiling 8 then shut-out")]);
    let records = damaged.switches.iter().map(|resolved| Resolved::from_record(resolved.switch.clone())).collect();
    let fleet = Fleet { switches: records, ..damaged };
    let site = fleet.site();
    let plan = planned(&site, &Asked::default()).unwrap();
    assert!(plan.steps.is_empty() && plan.proof.remaining.len() == 1);
    let [hand] = &plan.by_hand[..] else { panic!("{:#?}", plan.by_hand) };
    assert_eq!(hand.what, "Set port-security.limit of port 1.1 to 3.");
    assert_eq!(hand.why, "the switch was read from a record: there is no text to write into");
}

/// Twenty stations behind a limit of one: who is cut off is told before.
#[test]
fn without_a_table_of_stations_nobody_knows_who_is_touched() {
    let fleet = other(&[("edge", "  crowd ceiling 3 then shut-out", "  crowd ceiling 8 then shut-out")]);
    let site = fleet.site();
    let plan = planned(&site, &Asked::default()).unwrap();
    let [step] = &plan.steps[..] else { panic!("{} steps", plan.steps.len()) };
    let touched: Vec<&str> = step.impact.iter().map(|impact| impact.touch.word()).collect();
    assert_eq!(touched, ["not known"]);
    assert_eq!(step.undo, ["socket 1.1", "  crowd ceiling 8"]);
    assert_eq!(as_of().as_str(), fleet.as_of.as_str());
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 128, failure_persistence: None, rng_seed: proptest::test_runner::RngSeed::Fixed(7), ..ProptestConfig::default() })]

    /// Whatever somebody calls a port or a VLAN, no word of it becomes a command: it is written so that it is read as the one name, or not
    /// at all.
    #[test]
    fn hostile_names_never_become_commands(
        parts in prop::collection::vec(
            prop_oneof![
                Just("\n".to_owned()), Just("\r".to_owned()), Just(";".to_owned()), Just("\"".to_owned()), Just("'".to_owned()),
                Just("{".to_owned()), Just("}".to_owned()), Just("!".to_owned()), Just("#".to_owned()), Just("/*".to_owned()), Just("//".to_owned()),
                Just("asleep".to_owned()), Just("socket 1.1".to_owned()), Just("\\".to_owned()), Just("\t".to_owned()), Just("\u{1b}[2J".to_owned()),
                "[a-z ]{0,6}",
            ],
            1..6,
        )
    ) {
        let name = parts.concat();
        let Ok(value) = Kind::Text.parse(&name) else { return Ok(()) };
        for fleet in [Fleet::right(), Fleet::languages()] {
            for resolved in &fleet.switches {
                let port = resolved.switch.ports()[0].to_string();
                let about = About::Port(port.as_str().into());
                let wanted = Wanted { about: about.clone(), setting: settings::DESCRIPTION.id, value: value.clone() };
                let Ok(edit) = resolved.edit(&wanted) else { continue };
                let differ = differences(resolved, &edit.after);
                prop_assert!(differ.iter().all(|(other, setting)| (other, *setting) == (&about, settings::DESCRIPTION.id)), "{name:?}: {differ:?}");
                prop_assert_eq!(edit.after.slot_by_hand(&about, settings::DESCRIPTION.id).value, Some(Value::Text(name.as_str().into())));
            }
        }
    }
}

/// What is wanted in a VLAN that nobody knows is for people, where the port that is in it is not to be mended.
#[test]
fn nothing_is_switched_on_in_a_vlan_that_nobody_knows() {
    let phone = "socket 1.2\n  carries single\n  home lane 110\n";
    let fleet = other(&[("edge", phone, &format!("{phone}  speech lane 1\n"))]);
    let site = fleet.site();
    let picks = |finding: &Finding| finding.check == "arp-inspection/off";
    let plan = planned(&site, &Asked { picks: &picks, ..Asked::default() }).unwrap();
    let [hand] = &plan.by_hand[..] else { panic!("{:#?}", plan.by_hand) };
    assert_eq!((plan.steps.len(), plan.proof.remaining.len(), hand.why.as_str()), (0, 1, NO_SETTING));
}
