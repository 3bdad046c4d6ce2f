//! A secret reaches no output: one is planted in every place where a capture can stand, and every command and format is looked at.

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may touch files")]

use crate::support::{Fleet, ran, yellowlegs};

/// What every secret of the fleet begins with.
const MARK: &str = "Zq7";

const DIALECT: &str = r#"
[dialect]
name = "skerry"
[recognise]
lines = ["unit <name:word>"]
[text]
structure = "STRUCTURE"
END
split = "="
quote = "\""
comment = "!"
inline-comment = "//"
block-comment = ["/*", "*/"]
negation = "no"
CONTINUATION
[ports]
names = ["<n>/<n>"]
[defaults]
"port.enabled" = true
"port.mode" = "negotiated"
"port-security.enabled" = false
[time]
forms = ["%Y-%m-%d %H:%M:%S"]
zone = "Z"
[[rule]]
pattern = "unit <name:word>"
sets = { "switch.name" = "<name>" }
[[rule]]
pattern = "keeper <key:secret>"
[[rule]]
pattern = "keepers <key:secret>... end"
[[rule]]
pattern = "phrase <key:secret-rest>"
[[rule]]
pattern = "berth <b:ports> [pin <pin:secret>]"
opens = "berth"
ports = "<b>"
[[rule]]
in = "berth"
pattern = "max <n:int> [key = <code:secret>]"
sets = { "port-security.enabled" = true, "port-security.limit" = "<n>" }
negation = "default"
[[rule]]
in = "berth"
pattern = "says <w:text> [pin <p:secret>]"
sets = { "port.description" = "<w>" }
[[rule]]
pattern = "greeting <sign:word>"
until = "<sign>"
[[line]]
pattern = "clock <time:time>"
fact = "clock"
[[line]]
pattern = "<time:time> berth <port:port> turned away <address:station> key <_k:secret>"
fact = "event"
fields = { kind = "violation" }
[[table]]
fact = "station"
columns = [
    { title = "Pool", is = "<vlan:vlan>" },
    { title = "Station", is = "<address:station>" },
    { title = "Berth", is = "<port:port>" },
    { title = "Key", is = "<_key:secret>" },
    { title = "How", is = "<kind:(heard=learned|kept=pinned)>" },
]
"#;

const LINES: &str = r#"unit NAME
keeper Zq7plain
keeper "Zq7quoted two Zq7words"
keeper Zq7more Zq7than Zq7one
keeper "Zq7without an end
keepers Zq7a Zq7b Zq7c end
phrase Zq7rest Zq7of Zq7it
keeper &
Zq7continued
phrase Zq7this &
  Zq7goes &
Zq7on
! keeper Zq7comment
Keeper Zq7spelt
no keeper Zq7negated
berth 1/1 pin Zq7opener
  max 9 key = Zq7code // was Zq7inline
  max 8 key = Zq7later /* was Zq7block */
  says "desk" pin Zq7pin
berth 1/2-1/3 pin Zq7range Zq7extra
  max 9 key = Zq7below
berth 1/4
  max 9 key = &
Zq7next
  max 9 kee Zq7unread
greeting END
 Zq7free
END
"#;

const BLOCKS: &str = r#"unit NAME;
keeper Zq7plain; keeper "Zq7quoted
Zq7over"; phrase Zq7rest Zq7of;
berth 1/1 { max 9; keepers Zq7a
Zq7b Zq7c end; max 8 key = Zq7code; }
berth 1/2 { max 9 kee Zq7unread; max 9 key = Zq7beside; } /* was Zq7block; */
berth 1/3 pin Zq7opener Zq7extra { max 9 key = Zq7inside; }
berth 1/4 { max 9 key = "Zq7two
Zq7lines"; says "desk" pin Zq7pin; } // Zq7inline
"#;

const TABLES: &str = "\
clock 2031-03-04 06:20:00
Pool  Station            Berth  Key        How
110   02:00:5e:10:00:01  1/1    Zq7cell    heard
110   02:00:5e:10:00:02  1/1    Zq7cell2   heard
110   02:00:5e:10:00:03  1/1    Zq7wrong   lost
2031-03-04 06:10:00 berth 1/1 turned away 02:00:5e:10:00:04 key Zq7event
2031-03-04 06:11:00 berth 1/1 turned aside 02:00:5e:10:00:04 key Zq7unknown
";

const POLICY: &str = r#"
as-of = "2031-03-04T06:30:00Z"
[files]
saved = ["saved.txt"]
state = ["tables.out"]
[vlans]
110 = { name = "desks", purpose = "data" }
[[role]]
name = "host"
faces = "host"
stations = 1
vlans = [110]
ports = ["* *"]
[[sisters]]
switches = ["sw*"]
"#;

fn fleet() -> Fleet {
    let fleet = Fleet::empty();
    let lines =
        DIALECT.replace("STRUCTURE", "indent").replace("END\n", "\n").replace("CONTINUATION", "continuation = \"&\"");
    let blocks = DIALECT.replace("STRUCTURE", "braces").replace("END\n", "end = \";\"\n").replace("CONTINUATION", "");
    let blocks = blocks.replace("\"skerry\"", "\"stack\"").replace("unit <name:word>", "tower <name:word>");
    fleet.write("yellowlegs.toml", POLICY).write("dialects/lines.toml", lines).write("dialects/blocks.toml", blocks);
    for name in ["sw1", "sw2"] {
        let config = LINES.replace("NAME", name);
        fleet.write(&format!("{name}/config.txt"), &config);
        fleet.write(&format!("{name}/saved.txt"), config.replace("max 9", "max 7"));
        fleet.write(&format!("{name}/tables.out"), TABLES);
    }
    fleet.write("sw3/config.txt", BLOCKS.replace("unit NAME", "tower sw3"));
    fleet
}

#[test]
fn no_command_shows_a_secret() {
    let fleet = fleet();
    assert_eq!(fleet.run(&["audit", "--write", "before.json", "--fail-on", "never"]).code, 0);
    fleet.edit("sw2/config.txt", "max 9", "max 6");
    let formats = ["text", "json", "jsonl", "csv", "sarif", "junit", "markdown", "html", "svg"];
    let mut commands: Vec<Vec<&str>> = formats.iter().map(|format| vec!["audit", "--format", format]).collect();
    commands.extend([
        vec!["audit", "-v", "--each"],
        vec!["audit", "--since", "before.json"],
        vec!["audit", "--raw", "--only", "port"],
        vec!["port", "sw1", "1/1"],
        vec!["port", "sw3", "1/4", "--format", "json"],
        vec!["drill", "--timeline", "second-station"],
        vec!["compare", "sw1", "sw2"],
        vec!["compare", "sw1", "--against", "saved", "--format", "json"],
        vec!["compare", "sw1", "--against", "sisters"],
        vec!["flaps"],
        vec!["read", "sw1"],
        vec!["read", "sw3", "sw1/tables.out"],
        vec!["dialect", "explain", "dialects/lines.toml", "sw1/config.txt"],
        vec!["dialect", "explain", "dialects/lines.toml", "sw1/config.txt", "--unread"],
        vec!["dialect", "explain", "dialects/lines.toml", "sw1/tables.out", "--state"],
        vec!["dialect", "explain", "dialects/blocks.toml", "sw3/config.txt"],
        vec!["policy", "new", "."],
        vec!["policy", "test"],
    ]);
    for words in commands {
        let ran = fleet.run(&words);
        for (out, text) in [("output", &ran.out), ("errors", &ran.err)] {
            // What nobody marked as a secret is shown raw where that was asked for.
            let raw = words.contains(&"--raw");
            let leaks = |line: &&str| {
                if raw { MARKED.iter().any(|secret| line.contains(secret)) } else { line.contains(MARK) }
            };
            let leaking: Vec<&str> = text.lines().filter(leaks).collect();
            assert!(leaking.is_empty(), "{words:?}, {out}: {leaking:#?}");
        }
        assert!([0, 1, 3].contains(&ran.code), "{words:?} {} {}", ran.code, ran.err);
    }
}

/// Those that the dialect marks on lines that are understood: they stay masked even raw.
const MARKED: [&str; 8] =
    ["Zq7plain", "Zq7words", "Zq7rest", "Zq7continued", "Zq7goes", "Zq7later", "Zq7code", "Zq7cell"];

/// A sketch keeps no word that looks like a secret.
#[test]
fn a_sketch_holds_no_password() {
    let fleet = Fleet::empty();
    let text = "password hunterseven\nsecret sesame\nshared-secret 7 opensesame\ncommunity harbour read\nkey chain lighthouse\n\
        passphrase beacon\nsnmp token lanternlight\nlogin joe hash 5 $5$rT9xPq$Kd83hfUQ\nnote fLq8Zt2Wv0Xy3Ba\nmax 5\n";
    fleet.write("a.txt", text);
    let ran = fleet.run(&["dialect", "sketch", "a.txt"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    for secret in ["hunterseven", "sesame", "opensesame", "harbour", "beacon", "lanternlight", "rT9xPq", "fLq8Zt2W"] {
        assert!(!ran.out.contains(secret), "{secret} is in {}", ran.out);
    }
    assert!(ran.out.contains("max <"), "{}", ran.out);
}

/// Errors repeat what was typed, but never as a command to the terminal.
#[test]
fn what_was_typed_is_repeated_safely() {
    for words in [&["\u{1b}[31maudit"][..], &["audit", "--form\u{1b}]0;x\u{7}at"], &["checks", "a\u{200b}\u{1b}[2J"]] {
        let ran = ran(yellowlegs().args(words).output().unwrap());
        assert_eq!(ran.code, 2);
        assert!(
            !ran.err.contains('\u{1b}') && !ran.err.contains('\u{7}') && !ran.err.contains('\u{200b}'),
            "{:?}",
            ran.err
        );
        assert!(ran.err.contains("error"), "{:?}", ran.err);
    }
}
