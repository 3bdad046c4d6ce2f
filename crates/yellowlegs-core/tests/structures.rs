//! Every structure a text can have, and every kind of context: small dialects, and what is in force after reading.

use crate::support::{dialect, fact, read, record};
use rstest::rstest;
use yellowlegs_core::model::SettingId;
use yellowlegs_core::source::Source;

const HEAD: &str = "[dialect]\nname = 'x'\n[ports]\nnames = ['<n>.<n>']\n";

/// The whole path on each line, a verb in front, membership written on the VLAN.
const PATHS: &str = "
[text]
structure = 'paths'
verb = 'set'
negation = 'unset'
[defaults]
'port.voice-vlan' = 'none'
[traits]
mode-from = 'membership'
[[rule]]
pattern = 'berth <p:ports>'
opens = 'berth'
ports = '<p>'
negation = 'default'
[[rule]]
in = 'berth'
pattern = 'max <n:int>'
sets = { 'port-security.limit' = '<n>' }
negation = 'default'
[[rule]]
pattern = 'vlan <v:vlan>'
opens = 'vlan'
vlan = '<v>'
adds = { 'switch.vlans' = '<v>' }
negation = 'default'
[[rule]]
in = 'vlan'
pattern = 'called <n:text>'
sets = { 'vlan.name' = '<n>' }
negation = 'default'
[[rule]]
in = 'vlan'
pattern = 'plain <p:ports>'
ports = '<p>'
sets = { 'port.access-vlan' = '<v>', 'port.native-vlan' = '<v>' }
negation = 'default'
[[rule]]
in = 'vlan'
pattern = 'marked <p:ports>'
ports = '<p>'
adds = { 'port.tagged-vlans' = '<v>' }
negation = 'default'
[[rule]]
pattern = 'speech <p:ports> <v:vlan>'
ports = '<p>'
sets = { 'port.voice-vlan' = '<v>' }
";

#[rstest]
#[case::inside("set berth 1.1 max 4", "1.1 port-security.limit", "4 port 1")]
#[case::no_verb("berth 1.1-1.3 max 4", "1.2 port-security.limit", "4 range 1")]
#[case::taken_back("set berth 1.1 max 4\nunset berth 1.1 max", "1.1 port-security.limit", "unknown unknown")]
#[case::the_path_defines("set vlan 110 called crew", "switch.vlans", "110 vlan 1")]
#[case::named("set vlan 110 called crew", "vlan 110 vlan.name", "crew vlan 1")]
#[case::name_gone_vlan_stays("set vlan 110 called crew\nunset vlan 110 called", "switch.vlans", "110 vlan 1")]
#[case::vlan_gone("set vlan 110\nset vlan 120\nunset vlan 110", "switch.vlans", "120 vlan 3")]
#[case::member("set vlan 110 plain 1.1-1.4", "1.3 port.access-vlan", "110 vlan 1")]
#[case::later_member("set vlan 110 plain 1.1-1.4\nset vlan 120 plain 1.3", "1.3 port.access-vlan", "120 vlan 2")]
#[case::tagged("set vlan 110 marked 1.1\nset vlan 120 marked 1.1-1.2", "1.1 port.tagged-vlans", "110,120 vlan 2")]
#[case::untagged_again(
    "set vlan 110 marked 1.1\nset vlan 120 marked 1.1\nunset vlan 110 marked 1.1",
    "1.1 port.tagged-vlans",
    "120 vlan 3"
)]
#[case::plain_is_access("set vlan 110 plain 1.1", "1.1 port.mode", "access implied")]
#[case::tagged_is_trunk("set vlan 110 plain 1.1\nset vlan 120 marked 1.1", "1.1 port.mode", "trunk implied")]
#[case::voice_beside(
    "set vlan 110 plain 1.1\nset vlan 210 marked 1.1\nset speech 1.1 210",
    "1.1 port.mode",
    "access implied"
)]
#[case::voice_and_more(
    "set vlan 120 marked 1.1\nset vlan 210 marked 1.1\nset speech 1.1 210",
    "1.1 port.mode",
    "trunk implied"
)]
#[case::nothing_said("set berth 1.1 max 1", "1.1 port.mode", "access default")]
fn paths(#[case] text: &str, #[case] about: &str, #[case] expected: &str) {
    let resolved = read(&dialect(&format!("{HEAD}{PATHS}")), text);
    assert_eq!((fact(&resolved, about).as_str(), resolved.switch.unread().len()), (expected, 0));
}

/// Where nobody knows whether a port has a voice VLAN, one tagged VLAN may be it; two are a trunk.
#[rstest]
#[case::none("set vlan 110 plain 1.1", "access implied")]
#[case::one("set vlan 110 plain 1.1\nset vlan 210 marked 1.1", "unknown unknown")]
#[case::two("set vlan 110 marked 1.1\nset vlan 210 marked 1.1", "trunk implied")]
#[case::said("set vlan 110 plain 1.1\nset vlan 210 marked 1.1\nset speech 1.1 210", "access implied")]
fn a_voice_vlan_that_nobody_tells(#[case] text: &str, #[case] expected: &str) {
    let silent = PATHS.replacen("[defaults]\n'port.voice-vlan' = 'none'\n", "", 1);
    assert_ne!(silent, PATHS);
    let resolved = read(&dialect(&format!("{HEAD}{silent}")), text);
    assert_eq!(fact(&resolved, "1.1 port.mode"), expected);
}

#[test]
fn a_path_that_goes_wrong_is_unread_as_a_whole() {
    let resolved = read(&dialect(&format!("{HEAD}{PATHS}")), "set vlan 110 colour red\nset berth 1.1 max 3\n");
    let unread: Vec<(u32, &str)> = resolved.switch.unread().iter().map(|u| (u.mark.line(), &*u.shape)).collect();
    assert_eq!(unread, [(1, "set vlan <number> <word> <word>")]);
    assert_eq!(fact(&resolved, "switch.vlans"), "none default");
}

const BRACES: &str = "
[text]
structure = 'braces'
end = ';'
comment = '//'
block-comment = ['/*', '*/']
negation = 'not'
[[rule]]
pattern = 'unit <n:text>'
sets = { 'switch.name' = '<n>' }
[[rule]]
pattern = 'berth <p:ports>'
opens = 'berth'
ports = '<p>'
[[rule]]
in = 'berth'
pattern = 'watch'
opens = 'watch'
sets = { 'port-security.enabled' = true }
[[rule]]
in = 'watch'
pattern = 'max <n:int>'
sets = { 'port-security.limit' = '<n>' }
negation = 'default'
[[rule]]
in = 'watch'
pattern = \"keep '[' <s:station> ']'\"
adds = { 'port-security.written-stations' = '<s>' }
[[rule]]
in = 'berth'
pattern = 'off'
sets = { 'port.enabled' = false }
";

#[rstest]
#[case::one_line("berth 1.1 { watch { max 3; } off; }", "1.1 port-security.limit", "3 port 1")]
#[case::after_the_inner("berth 1.1 {\n watch {\n max 3;\n }\n off;\n}", "1.1 port.enabled", "false port 5")]
#[case::over_lines("berth 1.1 {\n watch {\n  max\n   3;\n }\n}", "1.1 port-security.limit", "3 port 3")]
#[case::opener_sets("berth 1.1-1.2 { watch { } }", "1.2 port-security.enabled", "true range 1")]
#[case::negated("berth 1.1 { watch { max 3; not max; } }", "1.1 port-security.limit", "unknown unknown")]
#[case::no_end_before_the_brace("berth 1.1 { watch { max 3 } }", "1.1 port-security.limit", "3 port 1")]
#[case::comments(
    "/* berth 1.1 {\n*/\nberth 1.1 {\n// off;\n watch { max 5; } }",
    "1.1 port-security.limit",
    "5 port 5"
)]
#[case::outside_again("berth 1.1 { off; }\nunit \"quay one\";", "switch.name", "quay one global 2")]
#[case::unknown_block("tower 9 { off; }\nberth 1.1 { watch { } }", "1.1 port.enabled", "unknown unknown")]
fn braces(#[case] text: &str, #[case] about: &str, #[case] expected: &str) {
    let resolved = read(&dialect(&format!("{HEAD}{BRACES}")), text);
    assert_eq!(fact(&resolved, about), expected);
}

const SECTIONS: &str = "
[text]
structure = 'sections'
split = '[]|='
title = \"'[' <name:rest>\"
close = 'done'
[lists]
carry = true
[[rule]]
pattern = \"'[' unit ']'\"
opens = 'unit'
[[rule]]
in = 'unit'
pattern = 'name = <n:rest>'
sets = { 'switch.name' = '<n>' }
[[rule]]
pattern = \"'[' watch ']'\"
opens = 'watch'
[[rule]]
in = 'watch'
pattern = \"<p:ports> '|' (<on:(yes=true|no=false)>|-) '|' (<most:int>|-)\"
ports = '<p>'
sets = { 'port-security.enabled' = '<on>', 'port-security.limit' = '<most>' }
[[rule]]
pattern = 'berth <p:port>'
opens = 'berth'
ports = '<p>'
[[rule]]
in = 'berth'
pattern = 'off'
sets = { 'port.enabled' = false }
";

#[rstest]
#[case::under_a_title("[unit]\nname = quay one\n", "switch.name", "quay one global 2")]
#[case::next_title("[unit]\n[watch]\n1.1 | yes | 3\n", "1.1 port-security.limit", "3 port 3")]
#[case::row_of_a_range("[watch]\n1.1-1.4, 6 | yes | 3\n", "1.6 port-security.limit", "3 range 2")]
#[case::later_row_overrides_cell_by_cell(
    "[watch]\n1.1-1.4 | yes | 3\n1.2 | - | 5\n",
    "1.2 port-security.enabled",
    "true range 2"
)]
#[case::the_other_cell("[watch]\n1.1-1.4 | yes | 3\n1.2 | - | 5\n", "1.2 port-security.limit", "5 port 3")]
#[case::lines_without_indentation("berth 1.1\noff\nberth 1.2\n", "1.1 port.enabled", "false port 2")]
#[case::inner_is_over("berth 1.1\nberth 1.2\noff\n", "1.1 port.enabled", "unknown unknown")]
#[case::closed("berth 1.1\ndone\noff\n", "1.1 port.enabled", "unknown unknown")]
#[case::unknown_title("berth 1.1\n[tower]\noff\n", "1.1 port.enabled", "unknown unknown")]
fn sections(#[case] text: &str, #[case] about: &str, #[case] expected: &str) {
    assert_eq!(fact(&read(&dialect(&format!("{HEAD}{SECTIONS}")), text), about), expected);
}

/// Indented blocks with everything a context can be about.
const CONTEXTS: &str = "
[text]
negation = 'no'
comment = '#'
continuation = '\\'
abbreviate = 3
case = 'ignore'
[defaults]
'port.mode' = 'access'
'fast-start.mode' = 'off'
'guard.bpdu' = false
'mirror.enabled' = true
'vlan.querier' = false
[traits]
plain-fast-start-on-trunk = 'void'
[[rule]]
pattern = 'berth <p:ports>'
opens = 'berth'
ports = '<p>'
[[rule]]
in = ['berth', 'pattern']
pattern = 'most <n:int>'
sets = { 'port-security.limit' = '<n>' }
negation = 'default'
[[rule]]
in = ['berth', 'pattern']
pattern = 'trunked'
sets = { 'port.mode' = 'trunk' }
[[rule]]
in = 'berth'
pattern = 'follows <name:word>'
uses = 'cut:<name>'
negation = 'default'
[[rule]]
in = ['berth', 'every']
pattern = 'quick'
sets = { 'fast-start.mode' = 'edge' }
negation = 'off'
[[rule]]
in = 'berth'
pattern = 'speech <v:vlan>'
sets = { 'port.voice-vlan' = '<v>' }
implies = { 'fast-start.mode' = 'edge' }
negation = 'off'
[[rule]]
pattern = 'pattern <name:word>'
opens = 'pattern'
profile = 'cut:<name>'
[[rule]]
in = 'pattern'
pattern = 'after <other:word>'
uses = 'cut:<other>'
[[rule]]
pattern = 'phones <id:int>'
opens = 'phones'
profile = 'phones:<id>'
[[rule]]
in = 'phones'
pattern = 'tell vlan <v:vlan> dscp <d:int>'
sets = { 'voice.announcement' = 'tagged', 'voice.announced-vlan' = '<v>', 'voice.dscp' = '<d>' }
[[rule]]
in = 'phones'
pattern = 'at <p:ports>'
used-by = '<p>'
[[rule]]
pattern = 'every single berth'
opens = 'every'
reach = 'access-ports'
[[rule]]
pattern = 'edges guarded'
reach = 'edge-ports'
sets = { 'guard.bpdu' = true }
[[rule]]
pattern = 'all vlans ask'
reach = 'all-vlans'
sets = { 'vlan.querier' = true }
[[rule]]
pattern = 'vlan <v:vlans>'
opens = 'vlan'
vlan = '<v>'
adds = { 'switch.vlans' = '<v>' }
[[rule]]
in = 'vlan'
pattern = 'ask [from <a:ip>] [every <t:duration>]'
sets = { 'vlan.querier' = true, 'vlan.querier-address' = '<a>', 'vlan.query-interval' = '<t>' }
negation = 'off'
[[rule]]
pattern = 'copy <id:int>'
opens = 'copy'
mirror = '<id>'
[[rule]]
in = 'copy'
pattern = 'of <p:ports> <d:(in=received|out=sent|all=both)>'
adds = { 'mirror.sources' = '<p>@<d>' }
negation = 'default'
[[rule]]
in = 'copy'
pattern = 'to <p:port>'
sets = { 'mirror.target' = '<p>' }
[[rule]]
pattern = 'queue <q:int> takes <d:ints>'
adds = { 'queue.dscp-map' = '<d>@<q>' }
[[rule]]
pattern = 'move <r:station-range> into <v:vlan>'
adds = { 'switch.address-ranges' = '<r>@<v>' }
[[rule]]
pattern = 'come back after <t:minutes> from <c:(guard=bpdu-guard|flood=storm)>'
adds = { 'recovery.causes' = '<c>' }
sets = { 'recovery.interval' = '<t>' }
[[rule]]
pattern = 'greeting <mark:delimiter>'
until = '<mark>'
[[rule]]
pattern = 'notice'
until = 'end notice'
[[rule]]
pattern = 'key <k:secret> for <n:word>'
sets = { 'switch.name' = '<n>' }
";

#[rstest]
#[case::profile("pattern a\n most 4\nberth 1.1\n follows a", "1.1 port-security.limit", "4 profile 2")]
#[case::used_before_it_is_there("berth 1.1\n follows a\npattern a\n most 4", "1.1 port-security.limit", "4 profile 4")]
#[case::own_wins("berth 1.1\n most 7\n follows a\npattern a\n most 4", "1.1 port-security.limit", "7 port 2")]
#[case::later_use_wins(
    "pattern a\n most 4\npattern b\n most 5\nberth 1.1\n follows b\n follows a",
    "1.1 port-security.limit",
    "4 profile 2"
)]
#[case::builds_on(
    "pattern a\n most 4\npattern b\n after a\nberth 1.1\n follows b",
    "1.1 port-security.limit",
    "4 profile 2"
)]
#[case::own_line_of_the_profile_wins(
    "pattern a\n most 4\npattern b\n most 5\n after a\nberth 1.1\n follows b",
    "1.1 port-security.limit",
    "5 profile 4"
)]
#[case::in_a_circle(
    "pattern a\n after b\npattern b\n after a\n most 6\nberth 1.1\n follows a",
    "1.1 port-security.limit",
    "6 profile 5"
)]
#[case::no_longer(
    "pattern a\n most 4\nberth 1.1\n follows a\n no follows a",
    "1.1 port-security.limit",
    "unknown unknown"
)]
#[case::profile_sets_the_mode("pattern a\n trunked\nberth 1.1\n follows a", "1.1 port.mode", "trunk profile 2")]
#[case::two_kinds_one_name(
    "pattern 1\n most 4\nphones 1\n tell vlan 210 dscp 46\nberth 1.1\n follows 1",
    "1.1 voice.dscp",
    "unknown unknown"
)]
#[case::ports_of_the_profile(
    "phones 1\n tell vlan 210 dscp 46\n at 1.1-1.3",
    "1.2 voice.announced-vlan",
    "210 profile 2"
)]
#[case::implied("berth 1.1\n speech 210", "1.1 fast-start.mode", "edge implied")]
#[case::implied_yields("berth 1.1\n no quick\n speech 210", "1.1 fast-start.mode", "off port 2")]
#[case::implied_is_gone("berth 1.1\n speech 210\n no speech", "1.1 fast-start.mode", "off default")]
#[case::reach_access("every single berth\n quick\nberth 1.1\n most 1", "1.1 fast-start.mode", "edge global 2")]
#[case::reach_stops_at_trunks("every single berth\n quick\nberth 1.1\n trunked", "1.1 fast-start.mode", "off default")]
#[case::follows_edges("edges guarded\nberth 1.1\n quick", "1.1 guard.bpdu", "true global 1")]
#[case::follows_no_others("edges guarded\nberth 1.1\n most 1", "1.1 guard.bpdu", "false default")]
#[case::void_on_a_trunk("edges guarded\nberth 1.1\n quick\n trunked", "1.1 guard.bpdu", "false default")]
#[case::every_vlan("all vlans ask", "vlan 110 vlan.querier", "true global 1")]
#[case::one_not("all vlans ask\nvlan 110\n no ask", "vlan 110 vlan.querier", "false vlan 3")]
#[case::a_list_of_vlans(
    "vlan 110,120-121\n ask from 192.0.2.1 every 2 min",
    "vlan 121 vlan.querier-address",
    "192.0.2.1 vlan 2"
)]
#[case::units("vlan 110\n ask every 2 min", "vlan 110 vlan.query-interval", "2 min vlan 2")]
#[case::mirror(
    "copy 2\n of 1.1-1.2 in\n of 1.2 out\n to 1.9",
    "mirror 2 mirror.sources",
    "1.1 received, 1.2 both global 3"
)]
#[case::mirror_target("copy 2\n to 1.9", "mirror 2 mirror.target", "1.9 global 2")]
#[case::mirror_default("copy 2\n to 1.9", "mirror 2 mirror.enabled", "true default")]
#[case::pairs("queue 5 takes 46,40-41", "queue.dscp-map", "40:5, 41:5, 46:5 global 1")]
#[case::ranges(
    "move 02:00:5e:00:00:00/24 into 210",
    "switch.address-ranges",
    "02:00:5e:00:00:00-02:00:5e:ff:ff:ff@210 global 1"
)]
#[case::causes(
    "come back after 5 from guard\ncome back after 5 from flood",
    "recovery.causes",
    "bpdu-guard, storm global 2"
)]
#[case::abbreviated("BER 1.1\n MOS 4", "1.1 port-security.limit", "4 port 2")]
#[case::too_short("berth 1.1\n mo 4", "1.1 port-security.limit", "unknown unknown")]
#[case::continued("berth \\\n 1.1\n most \\\n 4", "1.1 port-security.limit", "4 port 3")]
#[case::free_text("greeting %\nberth 1.1\n most 9\n%\nberth 1.1\n most 4", "1.1 port-security.limit", "4 port 6")]
#[case::free_text_on_one_line("greeting %berth 1.1%\nberth 1.1\n most 4", "1.1 port-security.limit", "4 port 3")]
#[case::free_text_to_a_line("notice\n most 9\nend notice\nberth 1.1\n most 4", "1.1 port-security.limit", "4 port 5")]
fn contexts(#[case] text: &str, #[case] about: &str, #[case] expected: &str) {
    assert_eq!(fact(&read(&dialect(&format!("{HEAD}{CONTEXTS}")), text), about), expected);
}

#[test]
fn a_profile_that_is_nowhere_is_noted_with_its_ports() {
    let resolved = read(&dialect(&format!("{HEAD}{CONTEXTS}")), "berth 1.1\n follows ghost\n");
    let [dangling] = resolved.switch.dangling() else { panic!("{:?}", resolved.switch.dangling()) };
    assert_eq!((dangling.what, &*dangling.name, &dangling.ports[..]), ("profile", "ghost", &[0][..]));
    assert_eq!(dangling.mark.map(yellowlegs_core::model::Mark::line), Some(2));
}

#[test]
fn secrets_are_masked_wherever_a_line_is_shown() {
    let resolved = read(&dialect(&format!("{HEAD}{CONTEXTS}")), "key \"hunter two\" for quay\n");
    let id = SettingId::by_name("switch.name").unwrap();
    let slot = resolved.switch.slot(None, id);
    let quote = resolved.switch.quote(resolved.deciding_words(slot.mark.unwrap(), id)).unwrap();
    assert_eq!((quote.text.as_str(), quote.place.column, quote.width), ("key \"**********\" for quay", 22, 4));
    let record = record(&resolved);
    assert!(!record.contains("hunter"), "{record}");
}

#[rstest]
#[case::unreachable("[[rule]]\nin = 'b'\npattern = 'x'\nopens = 'b'", "no text can reach this rule")]
#[case::used_by("[[rule]]\npattern = 'at <p:ports>'\nused-by = '<p>'", "`used-by` says which ports use a profile")]
#[case::uses("[[rule]]\npattern = 'follows <p:word>'\nuses = '<p>'", "`uses` says what ports, or a profile, build on")]
#[case::no_mirror(
    "[[rule]]\npattern = 'to <p:port>'\nsets = { 'mirror.target' = '<p>' }",
    "belongs to a mirror session"
)]
#[case::direction(
    "[[rule]]\npattern = 'copy <i:int> <p:ports>'\nmirror = '<i>'\nadds = { 'mirror.sources' = '<p>@up' }",
    "`up` does not fit"
)]
#[case::no_second_part(
    "[[rule]]\npattern = 'a <n:word> <m:word>'\nsets = { 'switch.name' = '<n>@<m>' }",
    "values of `switch.name` have no second part"
)]
#[case::form("[ports.also]\n'b<n>' = '<n>.<n>'\n[[rule]]\npattern = 'a'", "unlike numbers of parts")]
#[case::zone("[time]\nzone = 'somewhere'\n[[rule]]\npattern = 'a'", "`somewhere` is no offset")]
#[case::structure("[text]\nstructure = 'tree'\n[[rule]]\npattern = 'a'", "`structure` cannot be `tree`")]
#[case::feature(
    "[[requires]]\nfeature = 'dhcp-snoping'\nready = 'x'\n[[rule]]\npattern = 'a'",
    "`feature` cannot be `dhcp-snoping`"
)]
fn mistakes(#[case] text: &str, #[case] expected: &str) {
    let head = "[dialect]\nname = 'x'\n[ports]\nnames = ['<n>.<n>']\n";
    let source = std::sync::Arc::new(yellowlegs_core::source::Source::of("d.toml", format!("{head}{text}")));
    let problems = yellowlegs_core::dialect::Dialect::load(&source).err().unwrap_or_default();
    assert!(problems.iter().any(|p| p.to_string().contains(expected)), "{problems:#?}");
}

/// Comments beside statements are shown only raw: those of a line whose text came before, too.
#[rstest]
#[case::indented("structure = 'indent'\ninline-comment = '#'\n", "max 1 # old pass\nmax 1 # old pass\n")]
#[case::braces(
    "structure = 'braces'\nend = ';'\nblock-comment = ['/*', '*/']\n",
    "max /* old pass */ 1;\nmax /* old pass */ 1;\n"
)]
fn each_comment_is_hidden(#[case] layout: &str, #[case] text: &str) {
    let rules = format!(
        "{HEAD}[text]\n{layout}[[rule]]\npattern = 'max <n:seconds>'\nsets = {{ 'recovery.interval' = '<n>' }}\n"
    );
    let dialect = dialect(&rules);
    // Twice: what another text said is known then.
    for _ in 0..2 {
        let reading = dialect.read(&Source::of("t", text), 1);
        let hidden: Vec<&str> = reading.hidden.iter().map(|word| word.of(text)).collect();
        assert_eq!(reading.statements.len(), 2);
        assert!(hidden.iter().all(|words| words.contains("old pass")) && hidden.len() == 2, "{hidden:?}");
    }
}
