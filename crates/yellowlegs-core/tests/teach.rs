//! Teaching a dialect: what is asked of a text, what an answer writes, and that the lines are then read as it says.

use std::sync::Arc;

use proptest::prelude::*;
use rstest::rstest;
use yellowlegs_core::dialect::{Dialect, Open, sketch};
use yellowlegs_core::model::SettingId;
use yellowlegs_core::policy::AsOf;
use yellowlegs_core::resolve::{Outcome, explain, run_examples};
use yellowlegs_core::source::Source;
use yellowlegs_core::teach::{Lesson, Meaning, Refused};

const TEXT: &str = "\
hostname plover-2
vlan 110 desks
vlan 210 phones
template guest
 access vlan 110
 station limit 3
port 1
 follows guest
 pause 600
 gate half
 ceiling 15.4
 label here
 brake 500/s
 lamp green
port 2-3
 gate shut
 edge on
farewell
 word by the stairs
 word mind the step
login secret Zq8vK2mWx1
";

fn lesson(text: &str) -> Lesson {
    let written = sketch("plover", &[text]).unwrap();
    with(&written, text)
}

fn with(dialect: &str, text: &str) -> Lesson {
    let dialect = Dialect::load(&Arc::new(Source::of("plover.toml", dialect))).unwrap();
    Lesson::new(Arc::new(dialect), vec![Arc::new(Source::of("config.txt", text))])
}

/// The question about the line that holds these words.
fn about(lesson: &Lesson, words: &str) -> Open {
    let text = lesson.texts()[0].text();
    let line = text.lines().position(|line| line.contains(words)).unwrap() as u32 + 1;
    let found = lesson.questions().into_iter().find(|open| open.lines.iter().any(|at| at.line == line));
    found.unwrap_or_else(|| panic!("nothing is asked about `{words}`"))
}

fn setting(name: &str) -> SettingId {
    SettingId::by_name(name).unwrap()
}

/// What a line is said to be, in short.
fn read(lesson: &Lesson, words: &str) -> Vec<String> {
    let text = &lesson.texts()[0];
    let line = text.text().lines().position(|line| line.contains(words)).unwrap() as u32 + 1;
    let explained = explain(lesson.dialect(), text).into_iter().find(|explained| explained.line == line).unwrap();
    let one = |outcome: Outcome| match outcome {
        Outcome::Taken { said, .. } => {
            let said = said.into_iter().map(|s| format!("{} {} {}", s.how, s.setting.name(), s.value.unwrap()));
            said.collect::<Vec<_>>().join(", ")
        }
        Outcome::Passed => "passed".into(),
        _ => "open".into(),
    };
    explained.outcome.into_iter().map(one).collect()
}

#[rstest]
#[case::seconds(
    "pause 600",
    "port-security.aging",
    "600",
    "pattern = \"pause <pause:seconds>\"\nsets = { \"port-security.aging\" = \"<pause>\" }\n",
    "sets port-security.aging 10 min"
)]
#[case::minutes(
    "pause 600",
    "port-security.aging",
    "36000",
    "pattern = \"pause <pause:minutes>\"\nsets = { \"port-security.aging\" = \"<pause>\" }\n",
    "sets port-security.aging 10 h"
)]
#[case::watts(
    "ceiling 15.4",
    "power.limit",
    "15.4W",
    "pattern = \"ceiling <ceiling:watts>\"\nsets = { \"power.limit\" = \"<ceiling>\" }\n",
    "sets power.limit 15.4 W"
)]
#[case::a_rate(
    "brake 500/s",
    "storm.broadcast",
    "500pps",
    "pattern = \"brake <brake:rate>\"\nsets = { \"storm.broadcast\" = \"<brake>\" }\n",
    "sets storm.broadcast 500 pps"
)]
#[case::words(
    "gate half",
    "spanning-tree.link-type",
    "shared",
    "pattern = \"gate half\"\nsets = { \"spanning-tree.link-type\" = \"shared\" }\n",
    "sets spanning-tree.link-type shared"
)]
#[case::off(
    "gate shut",
    "port.enabled",
    "false",
    "pattern = \"gate shut\"\nsets = { \"port.enabled\" = false }\n",
    "sets port.enabled false"
)]
#[case::a_word_of_the_line(
    "label here",
    "port.description",
    "here",
    "pattern = \"label <value:word>\"\nsets = { \"port.description\" = \"<value>\" }\n",
    "sets port.description here"
)]
#[case::the_hole_by_name(
    "pause 600",
    "flap.threshold",
    "<pause>",
    "pattern = \"pause <pause:int>\"\nsets = { \"flap.threshold\" = \"<pause>\" }\n",
    "sets flap.threshold 600"
)]
#[case::behind_a_vlan(
    "vlan 110 desks",
    "vlan.name",
    "desks",
    "pattern = \"vlan <vlan:vlan> <name:word>\"\nvlan = \"<vlan>\"\nsets = { \"vlan.name\" = \"<name>\" }\n",
    "sets vlan.name desks"
)]
fn an_answer_is_written_and_read(
    #[case] line: &str,
    #[case] name: &str,
    #[case] value: &str,
    #[case] rule: &str,
    #[case] says: &str,
) {
    let mut lesson = lesson(TEXT);
    let open = about(&lesson, line);
    let given = lesson.way_to(&open, setting(name), value).unwrap();
    lesson.answer(&open, &Meaning::Sets(vec![given])).unwrap();
    assert!(lesson.written().contains(rule), "{}", lesson.written());
    assert_eq!(read(&lesson, line), [says], "{}", lesson.written());
    assert!(!lesson.questions().iter().any(|other| other.pattern == open.pattern));
    // Of the proposals nothing is left in its rule, and nothing else changed.
    let added = rule.lines().filter(|line| !line.starts_with("pattern")).count();
    let before = sketch("plover", &[TEXT]).unwrap();
    let kept = lesson.written().lines().filter(|line| before.lines().any(|other| other == *line)).count();
    assert!(kept + added + 1 >= lesson.written().lines().count(), "{}", lesson.written());
}

#[rstest]
#[case::another_number(
    "pause 600",
    "port-security.aging",
    "5",
    "the line gives port-security.aging 10 min, not 5 s",
    "takes what the line has"
)]
#[case::no_value("gate half", "port.mode", "open", "port.mode cannot be `open`", "access, trunk, negotiated")]
#[case::no_words("lamp green", "port-security.limit", "3", "", "")]
#[case::belongs_to_nothing(
    "hostname plover-2",
    "port.description",
    "plover-2",
    "no word of the line can be",
    "dialect settings port.description"
)]
fn an_answer_that_does_not_fit_is_refused(
    #[case] line: &str,
    #[case] name: &str,
    #[case] value: &str,
    #[case] what: &str,
    #[case] hint: &str,
) {
    let lesson = lesson(TEXT);
    let given = lesson.way_to(&about(&lesson, line), setting(name), value);
    match given {
        // Words may mean any number; it is not in the line.
        Ok(given) => assert!(what.is_empty() && !given.operand.contains('<'), "{given:?}"),
        Err(Refused::Says(says, hints)) => {
            assert!(says.contains(what) && hints.contains(hint) && !what.is_empty(), "{says}; {hints}");
        }
        Err(other) => panic!("{other:?}"),
    }
}

/// A block about nothing goes with everything that stood in it; so a text is understood whole.
#[test]
fn a_block_about_nothing() {
    let mut lesson = lesson(TEXT);
    let open = about(&lesson, "farewell");
    lesson.answer(&open, &Meaning::Nothing).unwrap();
    assert!(!lesson.written().contains("word by"), "{}", lesson.written());
    assert!(lesson.written().contains("pattern = \"farewell\"\nabout = \"nothing\"\n"), "{}", lesson.written());
    assert_eq!(
        (read(&lesson, "by the stairs"), read(&lesson, "farewell")),
        (vec!["passed".into()], vec![String::new()])
    );
    // The rules around it are there.
    assert!(lesson.questions().iter().any(|open| open.pattern == "gate half"));
}

/// A block that other lines name is a profile, its name a value in both; what stands in it is what its ports have.
#[test]
fn a_profile() {
    let mut lesson = lesson(TEXT);
    for line in ["template guest", "follows guest"] {
        let open = about(&lesson, line);
        let names = lesson.named(&open).unwrap();
        lesson.answer(&open, &Meaning::Names(names)).unwrap();
    }
    let open = about(&lesson, "station limit");
    assert_eq!((open.block.as_slice(), open.is_likely), (["template guest".to_owned()].as_slice(), true));
    let given = lesson.proposed(&open, &open.proposals[0]).unwrap();
    lesson.answer(&open, &Meaning::Sets(vec![given])).unwrap();
    let resolved = yellowlegs_core::resolve::resolve("plover-2", lesson.dialect(), Arc::clone(&lesson.texts()[0]));
    let limit = setting("port-security.limit");
    let of = |port: usize| resolved.switch.slot(Some(port), limit).value.as_ref().map(ToString::to_string);
    assert_eq!((of(0), of(1)), (Some("3".into()), None));
}

/// A mirror: its session is named, its sources are copied in a direction that somebody has to say.
#[test]
fn a_mirror() {
    let mut lesson = lesson("port 1\nport 2\nmirror m1\n source 1\n target 2\nmirror m2\n source 2\n target 1\n");
    let open = about(&lesson, "mirror m1");
    let names = lesson.namings(&open, "mirror").remove(0);
    lesson.answer(&open, &Meaning::Names(names)).unwrap();
    for (line, name, value) in [("source 1", "mirror.sources", "1"), ("target 2", "mirror.target", "2")] {
        let open = about(&lesson, line);
        let ways = lesson.ways(&open, setting(name));
        assert!(ways[0].value.starts_with(value), "{ways:?}");
        assert_eq!(ways.len(), if line.starts_with("source") { 3 } else { 1 }, "{ways:?}");
        lesson.answer(&open, &Meaning::Sets(vec![ways[0].clone()])).unwrap();
    }
    assert!(lesson.written().contains("{ \"mirror.sources\" = \"<source>@both\" }"), "{}", lesson.written());
}

const OWN: &str = r#"[dialect]
name = "own"

[text]
structure = "indent"

[ports]
names = ["<n>"]

# Written by hand.
[[rule]]
pattern = "port <port:ports>"
opens = "port"
ports = "<port>"

[[rule]]
in = "port"
pattern = "mode <mode:word>"
about = "open"

# The end.
[[example]]
text = "port 1\n"
unread = 0
"#;

/// In a dialect by hand: words of a hole become what they mean, new rules stand beside those of their context.
#[test]
fn a_dialect_by_hand() {
    let text = "port 1\n mode trunk\n beam wide\nport 2\n mode access\n mode odd-one\nport 3\n beam wide\nlantern 5\n";
    let mut lesson = with(OWN, text);
    let open = about(&lesson, "mode trunk");
    let given = lesson.way_to(&open, setting("port.mode"), "trunk").unwrap();
    lesson.answer(&open, &Meaning::Sets(vec![given])).unwrap();
    assert!(lesson.written().contains("pattern = \"mode <mode:(trunk|access)>\"\n"), "{}", lesson.written());
    assert_eq!(read(&lesson, "mode access"), ["sets port.mode access"]);
    assert_eq!(read(&lesson, "odd-one"), ["open"]);
    let beam = about(&lesson, "beam wide");
    assert_eq!((beam.rule, beam.lines.len()), (None, 2));
    let given = lesson.way_to(&beam, setting("guard.root"), "true").unwrap();
    lesson.answer(&beam, &Meaning::Sets(vec![given])).unwrap();
    let lantern = about(&lesson, "lantern 5");
    lesson.answer(&lantern, &Meaning::Nothing).unwrap();
    let written = lesson.written();
    let at = |words: &str| written.find(words).unwrap_or_else(|| panic!("{words}: {written}"));
    assert!(
        at("mode <mode") < at("in = \"port\"\npattern = \"beam wide\"") && at("beam wide") < at("# The end."),
        "{written}"
    );
    assert!(at("port <port:ports>") < at("lantern <lantern:int>") && at("lantern") < at("mode <mode"), "{written}");
    assert!(written.contains("# Written by hand.\n[[rule]]\npattern = \"port <port:ports>\""), "{written}");
}

/// Lines end as they did, whoever wrote them.
#[test]
fn ends_of_lines_stay() {
    let mut lesson = with(&OWN.replace('\n', "\r\n"), "port 1\n mode trunk\nlantern 5\n");
    for line in ["mode trunk", "lantern 5"] {
        let open = about(&lesson, line);
        lesson.answer(&open, &Meaning::Nothing).unwrap();
    }
    lesson.settle(&[("guard.bpdu", "false")]).unwrap();
    assert_eq!(lesson.written().matches('\n').count(), lesson.written().matches("\r\n").count());
    assert!(lesson.written().contains("[defaults]\r\nguard = { bpdu = false }\r\n"), "{}", lesson.written());
}

/// What is written into an open rule that is one of several, or would break an example, is not taken.
#[test]
fn what_cannot_be_written_is_refused() {
    let grouped = OWN.replace(
        "pattern = \"mode <mode:word>\"\nabout = \"open\"",
        "lines = { \"mode <mode:word>\" = { about = \"open\" } }",
    );
    let mut lesson = with(&grouped, "port 1\n mode trunk\n");
    let open = about(&lesson, "mode trunk");
    let before = lesson.written().to_owned();
    assert!(matches!(lesson.answer(&open, &Meaning::Nothing), Err(Refused::Says(..))));
    assert_eq!(lesson.written(), before);
    let example = OWN.replace("port 1\\n\"", "port 1\\n mode trunk\\n\"").replace("unread = 0", "unread = 1");
    let mut lesson = with(&example, "port 1\n mode trunk\n");
    assert!(run_examples(lesson.dialect()).is_empty(), "{:?}", run_examples(lesson.dialect()));
    let open = about(&lesson, "mode trunk");
    let refused = lesson.answer(&open, &Meaning::Nothing);
    assert!(matches!(&refused, Err(Refused::Says(what, _)) if what.contains("an example")), "{refused:?}");
}

#[rstest]
#[case::new("[defaults]\n\n[traits]\n", &[("guard.bpdu", "false")], "[defaults]\nguard = { bpdu = false }\n\n[traits]\n")]
#[case::beside("[defaults]\nguard = { bpdu = false }\n", &[("guard.root", "true")], "guard = { bpdu = false, root = true }\n")]
#[case::in_a_list("[defaults]\nguard = [\n    { bpdu = false },\n]\n", &[("guard.root", "true")], "guard = [\n    { bpdu = false, root = true },\n]\n")]
#[case::kinds("[defaults]\n", &[("port.mode", "access"), ("port.mtu", "1500"), ("power.limit", "30W"), ("port.voice-vlan", "none"), ("storm.broadcast", "none")], "port = { mode = \"access\", mtu = 1500, voice-vlan = \"none\" }\npower = { limit = \"30W\" }\nstorm = { broadcast = \"none\" }\n")]
#[case::lists("[defaults]\n", &[("port-security.pinned-stations", "[]")], "port-security = { pinned-stations = [] }\n")]
#[case::no_section("", &[("guard.bpdu", "false")], "[defaults]\nguard = { bpdu = false }\n\n# Written by hand.\n[[rule]]")]
#[case::traits("[traits]\n", &[("snooping-switches", "global"), ("stations-counted", "per-station")], "[traits]\n")]
fn what_holds_where_the_text_is_silent(#[case] section: &str, #[case] values: &[(&str, &str)], #[case] written: &str) {
    let dialect = OWN.replace("# Written by hand.\n", &format!("{section}# Written by hand.\n"));
    let mut lesson = with(&dialect, "port 1\n");
    lesson.settle(values).unwrap();
    assert!(lesson.written().contains(written), "{}", lesson.written());
    let open: Vec<&str> =
        lesson.silences().iter().flat_map(|silence| silence.facts.iter().map(|fact| fact.name)).collect();
    assert!(values.iter().all(|(name, _)| !open.contains(name)), "{}", lesson.written());
}

#[rstest]
#[case("guard.bpdu", "perhaps")]
#[case("port.mode", "open")]
#[case("stations-counted", "twice")]
#[case("guard.bpud", "false")]
fn what_cannot_hold_is_refused(#[case] name: &str, #[case] value: &str) {
    let mut lesson = lesson(TEXT);
    let before = lesson.written().to_owned();
    assert!(lesson.settle(&[(name, value)]).is_err());
    assert_eq!(lesson.written(), before);
}

/// Long lines of defaults become lists of tables; every one of them is read.
#[test]
fn every_feature_that_can_be_off_is_off() {
    let mut lesson = lesson(TEXT);
    let silences = lesson.silences();
    assert!(silences.windows(2).all(|pair| pair[0].checks.len() >= pair[1].checks.len()));
    for silence in &silences {
        lesson.settle_off(silence).unwrap();
    }
    assert!(lesson.silences().iter().all(|silence| silence.offs().is_empty()));
    assert!(lesson.written().contains("guard = \"off\"\n"), "{}", lesson.written());
    // What is not off stands beside it, or in the place of it.
    lesson.settle(&[("guard.loop-detection-interval", "10"), ("guard.root", "true")]).unwrap();
    let root = lesson.dialect().default_slot(setting("guard.root")).and_then(|slot| slot.value.clone());
    assert_eq!(root.map(|value| value.to_string()), Some("true".into()));
    let long = lesson.written().lines().filter(|line| !line.starts_with('#')).find(|line| line.len() > 120);
    assert_eq!(long, None);
}

/// What was said of a feature stays when the rest of it is off.
#[test]
fn the_rest_of_a_feature_is_off() {
    let mut lesson = lesson(TEXT);
    lesson.settle(&[("guard.bpdu", "true")]).unwrap();
    let silence = lesson.silences().into_iter().find(|silence| silence.feature == "guard").unwrap();
    lesson.settle_off(&silence).unwrap();
    assert!(
        lesson.written().contains("guard = { bpdu = true, bpdu-filter = false, root = false"),
        "{}",
        lesson.written()
    );
}

/// Of a secret nothing is shown or kept, and it is no food for proposals.
#[test]
fn secrets_stay_out() {
    let text = "login secret Zq8vK2mWx1\nport 1\n password Limit3\n pass-phrase vlan110\n";
    let lesson = with(OWN, text);
    for open in lesson.questions() {
        let all = format!("{open:?}");
        assert!(!all.contains("Zq8v") && !all.contains("Limit3") && !all.contains("vlan110"), "{all}");
        assert!(open.samples.iter().all(|line| line.contains("<secret>")), "{all}");
        let ways = SettingId::all().flat_map(|id| lesson.ways(&open, id));
        assert!(
            ways.into_iter()
                .all(|way| !text.split(' ').skip(2).any(|word| word.starts_with(&way.value) && way.value.len() > 5)),
            "{all}"
        );
    }
}

/// The audit grows by what is said, and by what is said of silence.
#[test]
fn the_audit_grows() {
    let as_of = AsOf::parse("2031-03-04T06:30:00Z").unwrap();
    let mut lesson = lesson(TEXT);
    let before = lesson.growth(&as_of);
    assert_eq!((before.lines, before.ports), (21, 3));
    for silence in lesson.silences() {
        lesson.settle_off(&silence).unwrap();
    }
    lesson.settle(&[("port.enabled", "true"), ("port.mode", "access"), ("port.access-vlan", "1")]).unwrap();
    let before = lesson.growth(&as_of);
    for line in
        ["gate half", "gate shut", "lamp green", "pause 600", "ceiling 15.4", "label here", "brake 500/s", "follows"]
    {
        let open = about(&lesson, line);
        lesson.answer(&open, &Meaning::Nothing).unwrap();
    }
    assert!(lesson.growth(&as_of).decided > before.decided, "{before:?} {:?}", lesson.growth(&as_of));
    let open = about(&lesson, "edge on");
    let given = lesson.proposed(&open, &open.proposals[0]).unwrap();
    let silent = lesson.growth(&as_of);
    lesson.answer(&open, &Meaning::Sets(vec![given])).unwrap();
    let now = lesson.growth(&as_of);
    assert_eq!(now.understood, silent.understood + 1);
    assert!(now.violated <= now.decided && now.decided <= now.asked, "{now:?}");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// Whatever stands in a text: what is asked of it can be answered, or is refused.
    #[test]
    fn any_text(lines in proptest::collection::vec(" {0,2}(port|vlan|[a-z]{1,6}|[\\[\\]{};=\"'<>|()#/*\\\\]{1,3})( [^\n]{0,12}){0,3}", 1..12)) {
        let text = lines.join("\n");
        let Some(written) = sketch("plover", &[&text]) else { return Ok(()) };
        let Ok(dialect) = Dialect::load(&Arc::new(Source::of("plover.toml", written))) else { return Ok(()) };
        let mut lesson = Lesson::new(Arc::new(dialect), vec![Arc::new(Source::of("config.txt", text))]);
        for open in lesson.questions().into_iter().take(4) {
            let ways = ["port.description", "port-security.aging", "mirror.sources"].map(|name| lesson.ways(&open, setting(name)));
            let way = ways.into_iter().flatten().next();
            let meaning = way.map_or(Meaning::Nothing, |way| Meaning::Sets(vec![way]));
            let is_taken = lesson.answer(&open, &meaning).is_ok();
            let still = lesson.questions().iter().any(|other| other.pattern == open.pattern && other.contexts == open.contexts);
            prop_assert!(!is_taken || !still || meaning != Meaning::Nothing, "{}", lesson.written());
            if is_taken {
                break;
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// Whatever is answered in whatever order: the dialect loads, its examples come out, and what was understood stays so.
    #[test]
    fn any_answers_in_any_order(answers in proptest::collection::vec((0_usize..64, 0_usize..5), 1..12)) {
        let as_of = AsOf::parse("2031-03-04T06:30:00Z").unwrap();
        let mut lesson = lesson(TEXT);
        let mut understood = lesson.growth(&as_of).understood;
        for (which, how) in answers {
            let questions = lesson.questions();
            if questions.is_empty() {
                break;
            }
            let open = &questions[which % questions.len()];
            let keys = ["ports", "vlan", "profile", "mirror", "uses"];
            let meaning = match how {
                0 => Some(Meaning::Nothing),
                1 => lesson.namings(open, keys[which % keys.len()]).into_iter().next().map(Meaning::Names),
                2 => lesson.named(open).map(Meaning::Names),
                _ => open.proposals.first().and_then(|p| lesson.proposed(open, p)).map(|given| Meaning::Sets(vec![given])),
            };
            let before = lesson.written().to_owned();
            let taken = meaning.map(|meaning| lesson.answer(open, &meaning).is_ok());
            if taken != Some(true) {
                prop_assert_eq!(lesson.written(), before);
            }
            prop_assert!(Dialect::load(&Arc::new(Source::of("plover.toml", lesson.written()))).is_ok());
            prop_assert!(run_examples(lesson.dialect()).is_empty());
            let now = lesson.growth(&as_of).understood;
            prop_assert!(now >= understood, "{}", lesson.written());
            understood = now;
        }
    }
}
