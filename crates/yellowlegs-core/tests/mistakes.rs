//! Mistakes in dialects and policies: each told with its place and a hint, all at once.

use std::sync::Arc;

use crate::support::{POLICY, SHINGLE};
use rstest::rstest;
use yellowlegs_core::check::ids;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::policy::Policy;
use yellowlegs_core::source::{Problem, Source};

const SMALL: &str = "[dialect]\nname = 'x'\n[ports]\nnames = ['<n>']\n[text]\nnegation = 'no'\n";

fn told(problems: &[Problem]) -> Vec<String> {
    problems
        .iter()
        .map(|p| format!("{}:{} {} | {}", p.place.line, p.place.column, p.what, p.hint.as_deref().unwrap_or("")))
        .collect()
}

fn dialect(text: &str) -> Vec<String> {
    Dialect::load(&Arc::new(Source::of("d.toml", text))).err().map(|p| told(&p)).unwrap_or_default()
}

fn policy(text: &str) -> Vec<String> {
    Policy::load(&Arc::new(Source::of("p.toml", text)), &ids()).err().map(|p| told(&p)).unwrap_or_default()
}

#[test]
fn what_is_right_has_no_mistakes() {
    assert_eq!((dialect(SHINGLE), policy(POLICY), policy("")), (vec![], vec![], vec![]));
}

#[rstest]
#[case::misspelt_key("[[rule]]\npatern = 'a'", "8:1 unknown key `patern` in [[rule]] | did you mean `pattern`?")]
#[case::open_bracket("[[rule]]\npattern = 'port <p:port> [x'", "8:26 `[` is not closed | put single quotes")]
#[case::bad_type("[[rule]]\npattern = 'a <n:inti>'", "8:14 `inti` is no type of hole | did you mean `int`?")]
#[case::two_holes("[[rule]]\npattern = '<n:int> <n:int>'", "8:20 two holes are named `n`")]
#[case::after_rest("[[rule]]\npattern = 'a <r:rest> b'", "8:12 nothing can follow `<r:rest>`")]
#[case::unknown_setting(
    "[[rule]]\npattern = 'a'\nsets = { 'switch.nam' = 'x' }",
    "9:10 `switch.nam` is no setting | did you mean `switch.name`?"
)]
#[case::wrong_value("[[rule]]\npattern = 'a'\nports = 'p'\nsets = { 'port.mode' = 'trunky' }", "trunky")]
#[case::wrong_hole(
    "[[rule]]\npattern = 'p <p:port> a <w:word>'\nports = '<p>'\nsets = { 'port.access-vlan' = '<w>' }",
    "`port.access-vlan` is a VLAN"
)]
#[case::no_such_hole("[[rule]]\npattern = 'a'\nsets = { 'switch.name' = '<n>' }", "9:26 no hole is named `n`")]
#[case::no_port(
    "[[rule]]\npattern = 'a'\nsets = { 'port.enabled' = true }",
    "9:10 `port.enabled` belongs to a port, and nothing here says which | add `ports"
)]
#[case::unknown_context(
    "[[rule]]\nin = 'socet'\npattern = 'a'\n[[rule]]\npattern = 's <p:port>'\nports = '<p>'\nopens = 'socket'",
    "8:6 `in` cannot be `socet` | did you mean `socket`?"
)]
#[case::clash(
    "[[rule]]\npattern = 'a <n:int>'\n[[rule]]\npattern = 'a <v:vlan>'",
    "10:11 this rule and the one in line 8 could take one line on equal terms"
)]
#[case::same_words("[[rule]]\npattern = 'a [b]'\n[[rule]]\npattern = 'a b'", "10:11 this rule and the one in line 8")]
#[case::no_list("[[rule]]\npattern = 'a <n:word>'\nadds = { 'switch.name' = '<n>' }", "`switch.name` is no list")]
#[case::two_subjects(
    "[[rule]]\npattern = 'a <p:port>'\nports = '<p>'\nreach = 'all-ports'",
    "a rule is about ports, a VLAN or a reach"
)]
#[case::tagged_default(
    "[[rule]]\npattern = 'a'\n[defaults]\n'port.tagged-vlans' = 'all'",
    "10:1 what a trunk without a list carries is the trait"
)]
#[case::trait_word(
    "[[rule]]\npattern = 'a'\n[traits]\ntrunk-without-list = 'some'",
    "10:22 the trait `trunk-without-list` cannot be `some` | it may be all, none"
)]
#[case::unknown_trait(
    "[[rule]]\npattern = 'a'\n[traits]\ntrunk-without-lists = 'all'",
    "`trunk-without-lists` is no trait | did you mean `trunk-without-list`?"
)]
#[case::no_rules("", "the dialect has no rules")]
#[case::not_toml("[[rule]\n", "this is not valid TOML")]
fn mistakes_in_a_dialect(#[case] text: &str, #[case] expected: &str) {
    let told = dialect(&format!("{SMALL}{text}"));
    assert!(told.iter().any(|t| t.contains(expected)), "{told:#?}");
}

#[rstest]
#[case::misspelt_key("[sites]", "1:2 unknown key `sites` in the file | did you mean `site`?")]
#[case::rule_type(
    "[[rule]]\nid = 'house/a'\nwhen = 'port.enabled && port.mode'\nmessage = ''\nremedy = ''\n",
    "3:25 this is a text, and true or false is needed here"
)]
#[case::rule_name(
    "[[rule]]\nid = 'house/a'\nwhen = 'port.enable'\nmessage = ''\nremedy = ''\n",
    "3:9 nothing is named `port.enable` | did you mean `port.enabled`?"
)]
#[case::rule_id(
    "[[rule]]\nid = 'port/a'\nwhen = 'true'\nmessage = ''\nremedy = ''\n",
    "2:6 `port/a` cannot be the id of a rule"
)]
#[case::site_value("[site]\nstart-within = true\n", "2:16 `start-within` is seconds, or a duration")]
#[case::link_end(
    "[[link]]\na = { switch = 'x', port = '1' }\nb = { switch = 'y' }\n",
    "3:5 the end of a link is a port"
)]
#[case::link_outside(
    "[[link]]\na = { switch = 'x', port = '1' }\nb = { outside = 'ring', vlan = [110] }\n",
    "3:25 unknown key `vlan` in [b] | did you mean `vlans`?"
)]
#[case::link_out_of_nowhere(
    "[[link]]\na = { outside = 'ring' }\nb = { outside = 'ring' }\n",
    "unknown key `outside` in [a]"
)]
#[case::subnet("[vlans]\n110 = { subnet = '192.0.2.0/33' }\n", "2:18 `192.0.2.0/33` is no subnet")]
#[case::expectation(
    "[[role]]\nname = 'a'\nfaces = 'host'\n[role.expect]\n'port.mtu' = 'big'\n",
    "5:14 `port.mtu` cannot be `big`"
)]
#[case::not_built("[[drill]]\ntarget = '1'", "1:3 unknown key `drill` in the file")]
#[case::misspelt_inside("[site]\nnames = 'x'", "2:1 unknown key `names` in [site] | did you mean `name`?")]
#[case::vlan_range("[vlans]\n4095 = { name = 'x' }", "2:1 4095 is no VLAN: it must be 1 to 4094")]
#[case::vlan_word("[vlans]\nx = { name = 'x' }", "2:1")]
#[case::vlan_twice("[vlans]\n110 = { name = 'x' }\n0110 = { name = 'y' }", "3:1")]
#[case::purpose("[vlans]\n110 = { purpose = 'dat' }", "2:19 `purpose` cannot be `dat` | did you mean `data`?")]
#[case::faces("[[role]]\nname = 'x'\nfaces = 'phones'", "3:9 `faces` cannot be `phones` | did you mean `phone`?")]
#[case::no_faces("[[role]]\nname = 'x'", "1:1 [[role]] needs the key `faces`")]
#[case::role_twice("[[role]]\nname = 'x'\nfaces = 'host'\n[[role]]\nname = 'x'\nfaces = 'host'", "4:1")]
#[case::regex("[[role]]\nname = 'x'\nfaces = 'host'\ndescribes = ['(']", "4:14 this is no regular expression")]
#[case::ports_entry(
    "[[role]]\nname = 'x'\nfaces = 'host'\nports = ['1.1']",
    "4:10 `1.1` does not name a switch and its ports"
)]
#[case::expectation(
    "[[role]]\nname = 'x'\nfaces = 'host'\n[role.expect]\nport-securty = 'wanted'",
    "5:1 nothing can be expected of `port-securty` | did you mean `port-security`?"
)]
#[case::expected_value(
    "[[role]]\nname = 'x'\nfaces = 'host'\n[role.expect]\n'port-security.action' = 'shut'",
    "5:26 `port-security.action` cannot be `shut`"
)]
#[case::level(
    "[levels]\n'port/mode-wrong' = 'fatal'",
    "2:21 `port/mode-wrong` cannot be `fatal` | it may be breach, risk, advice, off"
)]
#[case::level_check(
    "[levels]\n'port/mode-wrng' = 'off'",
    "2:1 `port/mode-wrng` is no check or family | did you mean `port/mode-wrong`?"
)]
#[case::level_role("[levels]\n'desk:port/mode-wrong' = 'off'", "2:1 `desk` is no role")]
#[case::waiver_owner(
    "[[waiver]]\ncheck = 'port/*'\nreason = 'x'\nlast-day = '2031-01-01'",
    "1:1 [[waiver]] needs the key `owner`"
)]
#[case::waiver_day(
    "[[waiver]]\ncheck = 'port/*'\nreason = 'x'\nowner = 'y'\nlast-day = 'soon'",
    "5:12 `soon` is no date"
)]
#[case::waiver_family(
    "[[waiver]]\ncheck = 'port'\nreason = 'x'\nowner = 'y'\nlast-day = '2031-01-01'",
    "2:9 `port` is no check or family | did you mean `port/*`?"
)]
#[case::as_of("as-of = '2031-01-01'", "1:9 `2031-01-01` is no time with an offset")]
#[case::derive("[roles]\nderive = ['magic']", "2:11 `derive` cannot be `magic`")]
#[case::mirror_of_no_vlan(
    "[[mirror]]\nswitch = 'a'\ntarget = '1.1'\nsources = ['vlan none']\nreason = 'x'\nowner = 'y'\nlast-day = '2031-01-01'",
    "4:12 `vlan none`"
)]
#[case::stations(
    "[[role]]\nname = 'x'\nfaces = 'host'\nstations = 1\nstations-needed = 2",
    "4:12 the role needs 2 stations and allows 1"
)]
fn mistakes_in_a_policy(#[case] text: &str, #[case] expected: &str) {
    let told = policy(text);
    assert!(told.iter().any(|t| t.starts_with(expected) || t.contains(&format!(" {expected}"))), "{told:#?}");
}

/// As many stations as are allowed may be needed.
#[test]
fn all_that_are_allowed_may_be_needed() {
    let role = "[[role]]\nname = 'x'\nfaces = 'host'\nstations = 2\nstations-needed = 2\n";
    let source = Arc::new(Source::of("yellowlegs.toml", role));
    assert!(Policy::load(&source, &ids()).is_ok());
}

#[test]
fn all_mistakes_are_told_at_once() {
    let many = "[sites]\nx = 1\n[vlans]\n9999 = {}\n[[role]]\nfaces = 'hst'\n";
    assert_eq!(policy(many).len(), 4, "{:#?}", policy(many));
}
