//! What must make no difference: how a fleet's ports, VLANs and switches are called, in which order blocks stand, whether
//! a range is written at once or port by port.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::support::{as_of, policy, shingle_without};
use proptest::prelude::*;
use regex::{Captures, Regex};
use yellowlegs_core::check::{Digests, FleetOutcome, FleetView, Judge, PortView, Selection, SwitchView, Told, Usage};
use yellowlegs_core::policy::assign;
use yellowlegs_core::resolve::{Resolved, resolve};
use yellowlegs_core::source::Source;

const POLICY: &str = include_str!("../../../demo/yellowlegs.toml");
const FLEET: [(&str, &str); 4] = [
    ("nq-core-1", include_str!("../../../demo/northquay/nq-core-1/config.txt")),
    ("nq-desks-1", include_str!("../../../demo/northquay/nq-desks-1/config.txt")),
    ("nq-desks-2", include_str!("../../../demo/northquay/nq-desks-2/config.txt")),
    ("nq-gates-1", include_str!("../../../demo/northquay/nq-gates-1/config.txt")),
];

/// What is found: check, switch, port and VLAN, and how often.
fn found(policy_text: &str, texts: &[(String, String)]) -> BTreeMap<String, usize> {
    let policy = policy(policy_text);
    let dialect = shingle_without(&[]);
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(&policy, &as_of, &selection, false);
    let read = |(name, text): &(String, String)| {
        (
            name.clone(),
            resolve(name.as_str(), &dialect, Arc::new(Source::of(format!("{name}/config.txt"), text.as_str()))),
        )
    };
    let fleet: BTreeMap<String, Resolved> = texts.iter().map(read).collect();
    let (mut found, mut digests, mut usage): (Vec<_>, Digests, Usage) = Default::default();
    for resolved in fleet.values() {
        let judged = judge.switch(resolved, resolved.lists());
        found.extend(judged.outcome.findings);
        digests.push(judged.digest);
        usage.merge(judged.usage);
    }
    let view = FleetView::new(&policy, &as_of, &digests, &[]);
    found.extend(
        FleetOutcome::judge(&view, None, &mut usage, &selection, &|name: &str| fleet.get(name).cloned()).findings,
    );
    let mut counted = BTreeMap::new();
    for f in found {
        let vlan = f.vlan.map(|v| format!(" vlan {v}")).unwrap_or_default();
        let (switch, port) = (f.switch.as_deref().unwrap_or_default(), f.port.as_deref().unwrap_or_default());
        *counted.entry(format!("{} {switch} port {port}{vlan}", f.check)).or_default() += 1;
    }
    counted
}

fn fleet(change: impl Fn(&str) -> String) -> Vec<(String, String)> {
    FLEET.iter().map(|(name, text)| ((*name).to_owned(), whole(change(text)))).collect()
}

/// A text that was cut in its last line would be doubted: here it ends as a whole one does.
fn whole(text: String) -> String {
    if text.ends_with('\n') { text } else { text + "\n" }
}

fn renamed(found: &BTreeMap<String, usize>, change: impl Fn(&str) -> String) -> BTreeMap<String, usize> {
    found.iter().map(|(line, count)| (change(line), *count)).collect()
}

fn replaced(pattern: &str, text: &str, by: impl Fn(&str) -> String) -> String {
    let pattern = Regex::new(pattern).unwrap();
    pattern.replace_all(text, |found: &Captures<'_>| format!("{}{}", &found[1], by(&found[2]))).into_owned()
}

/// Port 1.n becomes 7.n.
fn ports(text: &str) -> String {
    replaced(r#"(^|[\s",.])1\.(\d)"#, &replaced(r#"(^|[\s",.])1\.(\d)"#, text, |n| format!("7.{n}")), |n| {
        format!("7.{n}")
    })
}

/// Each VLAN that the site has becomes another; the platform's own stays.
fn vlans(text: &str) -> String {
    let other = |id: &str| format!("2{id}");
    let id = r"(^|[\s,.=\[])(110|120|130|140|150|151|210|211|300|777|998|999)\b";
    let text = replaced(id, text, other);
    // What is left out of a list that was all VLANs is counted from the new numbers.
    replaced(id, &text, other)
}

#[test]
fn names_make_no_difference() {
    let before = found(POLICY, &fleet(str::to_owned));
    assert!(before.values().sum::<usize>() > 100);
    let after = found(&ports(POLICY), &fleet(ports));
    assert_eq!(renamed(&before, |line| line.replace("port 1.", "port 7.")), after);
    let name = |text: &str| text.replace("nq-", "zz-");
    let texts: Vec<(String, String)> = fleet(name).into_iter().map(|(switch, text)| (name(&switch), text)).collect();
    assert_eq!(renamed(&before, name), found(&name(POLICY), &texts));
}

#[test]
fn numbers_of_vlans_make_no_difference() {
    // A list that is all VLANs but some has other ones left when the numbers are others.
    let plain = |text: &str| {
        text.replace("  bundle lanes every\n  bundle lanes less 1..109,111..119,121..129,131..139,141..149,151..209,211..299,301..4094\n", "  bundle lanes 110,120,130,140,150,210,300\n")
    };
    let before = found(POLICY, &fleet(plain));
    let after = found(&vlans(POLICY), &fleet(|text| vlans(&plain(text))));
    let renumbered = |line: &str| match line.split_once(" vlan ") {
        Some((rest, "1")) => format!("{rest} vlan 1"),
        Some((rest, id)) => format!("{rest} vlan 2{id}"),
        None => line.to_owned(),
    };
    assert_eq!(renamed(&before, renumbered), after);
}

/// The blocks of a text: the lines before the first socket, then each socket with what is inside it.
fn blocks(text: &str) -> (String, Vec<String>) {
    let mut blocks: Vec<String> = vec![String::new()];
    for line in text.lines() {
        if !line.starts_with(' ') && !line.is_empty() && (line.starts_with("socket ") || blocks.len() > 1) {
            blocks.push(String::new());
        }
        let last = blocks.last_mut().unwrap();
        last.push_str(line);
        last.push('\n');
    }
    let rest = blocks.split_off(1);
    (blocks.remove(0), rest)
}

#[test]
fn a_range_may_be_written_port_by_port() {
    let one_by_one = |text: &str| {
        let (head, blocks) = blocks(text);
        let range = Regex::new(r"^1\.(\d+)(?:\.\.1\.(\d+))?$").unwrap();
        let split = blocks.iter().map(|block| {
            let (first, inside) = block.split_once('\n').unwrap();
            let Some(list) = first.strip_prefix("socket ") else { return block.clone() };
            let of = |item: &str| {
                let found = range.captures(item).unwrap_or_else(|| panic!("{item}"));
                let from: u32 = found[1].parse().unwrap();
                from..=found.get(2).map_or(from, |to| to.as_str().parse().unwrap())
            };
            list.split(',')
                .flat_map(of)
                .map(|port| format!("socket 1.{port}\n{inside}"))
                .collect::<Vec<String>>()
                .concat()
        });
        head + &split.collect::<String>()
    };
    assert_eq!(found(POLICY, &fleet(str::to_owned)), found(POLICY, &fleet(one_by_one)));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Blocks about ports of their own may stand in any order.
    #[test]
    fn the_order_of_blocks_makes_no_difference(order in Just((0..12_usize).collect::<Vec<_>>()).prop_shuffle()) {
        let core = FLEET[0].1;
        let (head, blocks) = blocks(core);
        let shuffled: String = order.iter().filter_map(|i| blocks.get(*i).cloned()).collect();
        let rest: String = blocks.iter().skip(order.len()).cloned().collect();
        let with = |text: String| {
            let mut texts = fleet(str::to_owned);
            texts[0].1 = text;
            found(POLICY, &texts)
        };
        prop_assert_eq!(with(core.to_owned()), with(head + &shuffled + &rest));
    }
}

/// Ports of one role and the same settings are judged once; each must come to what it would come to alone.
#[test]
fn a_port_among_its_like_is_judged_as_if_alone() {
    let policy = policy(POLICY);
    let dialect = shingle_without(&[]);
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(&policy, &as_of, &selection, false);
    let mut shared = 0;
    for (name, text) in FLEET {
        let resolved =
            resolve(name, &dialect, Arc::new(Source::of(format!("{name}/config.txt"), whole(text.to_owned()))));
        let told = judge.switch(&resolved, resolved.lists()).outcome;
        let roles = assign(&policy, &resolved.switch, resolved.lists());
        shared += roles.alike.iter().enumerate().filter(|(port, first)| port != *first).count();
        let on = SwitchView::new(&resolved, &policy, &roles, &as_of);
        let on_switch: Vec<_> = judge.switch_verdicts(on).into_iter().map(|(check, _)| check.id).collect();
        for (port, port_name) in resolved.switch.ports().iter().enumerate() {
            let alone: Vec<&str> = judge
                .verdicts(&PortView::new(on, port))
                .into_iter()
                .flat_map(|(check, told)| match told {
                    Told::Met | Told::NotApplicable => Vec::new(),
                    Told::Undetermined(_) => vec![check.id],
                    Told::Violated(violations) => vec![check.id; violations.len()],
                })
                .collect();
            let found = told.findings.iter().filter(|f| f.port.as_deref() == Some(port_name.as_str())).map(|f| f.check);
            let open = told.undetermined.iter().filter(|open| open.port.as_deref() == Some(port_name.as_str()));
            let mut among: Vec<&str> = found.chain(open.map(|open| open.check)).collect();
            among.retain(|id| !on_switch.contains(id) && !id.starts_with("house/"));
            let (mut alone, mut among) = (alone, among);
            alone.sort_unstable();
            among.sort_unstable();
            assert_eq!(among, alone, "{name} port {port_name}");
        }
    }
    assert!(shared > 30, "only {shared} ports share a verdict");
}
