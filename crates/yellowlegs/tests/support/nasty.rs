//! A fleet whose every word is meant to break a report: control characters, markup, formulas, right-to-left text, long descriptions.
//! Findings stand on ports, on switches and on nothing; with lines and without.

use std::fmt::Write as _;
use std::fs;
use std::path::Path;

/// Strings that some format takes for more than text.
pub(crate) const HOSTILE: [&str; 9] = [
    "<script>window.harmed=1</script>",
    "<img src=https://192.0.2.1/x.png onerror='window.harmed=1'>",
    "]]>&lt;\"quoted\"'&{{7*7}}{%if%}",
    "=HYPERLINK(\"https://192.0.2.1\",\"x\")",
    "@SUM(1,2),\"a\"",
    "`code` | *bold* [link](https://192.0.2.1) ~~x~~ #1",
    "\u{1b}[2J\u{1b}]0;x\u{7}\u{9b}31m\u{0b}",
    "\u{202e}\u{5e9}\u{5dc}\u{5d5}\u{5dd}\u{2066}\u{627}\u{644}\u{633}",
    "-2+3 \u{1f6a2} \u{fdd0}\u{feff}\u{ffff}end",
];

/// The longest description there is.
pub(crate) fn long() -> String {
    "very long ".repeat(30)
}

const DIALECT: &str = r#"
[dialect]
name = "gravel"
[text]
structure = "indent"
[ports]
names = ["w<n>"]
[recognise]
lines = ["gravel <name:word>"]
[[rule]]
pattern = "gravel <name:word>"
[[rule]]
pattern = "hole <port:port>"
opens = "hole"
ports = "<port>"
[[rule]]
in = "hole"
pattern = "says <text:rest>"
sets = { "port.description" = "<text>" }
[[rule]]
in = "hole"
pattern = "is <mode:(plain=access|bundle=trunk|open=negotiated)>"
sets = { "port.mode" = "<mode>" }
"#;

/// Writes the fleet into a folder.
pub(crate) fn write(folder: &Path) {
    let file = |name: &str, text: &str| {
        let path = folder.join(name);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    };
    let toml = |text: &str| serde_json::to_string(text).unwrap();
    let mut policy = format!(
        "as-of = \"2031-03-04T06:30:00Z\"\n[site]\nname = {}\n[files]\nsaved = []\nstate = []\n[roles]\nderive = [\"description\"]\n",
        toml(&HOSTILE.concat())
    );
    for (number, hostile) in HOSTILE.iter().enumerate() {
        write!(
            policy,
            "[[role]]\nname = {}\nfaces = \"host\"\ndescribes = [\"^hole {number} \"]\n",
            toml(&format!("{number} {hostile}"))
        )
        .unwrap();
    }
    write!(policy, "[[waiver]]\ncheck = \"port/mode-negotiated\"\nswitch = \"gravel-1\"\nport = \"w9\"\nreason = {0}\nowner = {0}\nlast-day = \"2031-06-30\"\n",
        toml(&HOSTILE.concat())).unwrap();
    // An entry that names nothing: a finding that stands on no switch.
    policy += "[[waiver]]\ncheck = \"guard/*\"\nswitch = \"nobody\"\nreason = \"<b>\"\nowner = \"<i>\"\nlast-day = \"2031-06-30\"\n";
    file("yellowlegs.toml", &policy);
    file("dialects/gravel.toml", DIALECT);
    let mut text = "gravel one\n".to_owned();
    for (number, hostile) in HOSTILE.iter().enumerate() {
        write!(text, "hole w{number}\n  says hole {number} {hostile}\n  is open\nunheard {hostile}\n").unwrap();
    }
    write!(text, "hole w9\n  says {}{}\n  is open\n", HOSTILE.concat(), long()).unwrap();
    file("one & 'two'/gravel-1/config.txt", &text);
    // A record: its findings have no line.
    let settings = |text: &str| serde_json::json!({"port.mode": "negotiated", "port.description": text});
    let port = |(number, text): (usize, &&str)| serde_json::json!({"port": format!("{number}{text}"), "settings": settings(text)});
    let ports: Vec<_> = HOSTILE.iter().enumerate().map(port).collect();
    let record = serde_json::json!({"record": 1, "switch": HOSTILE[0], "ports": ports, "settings": {"dhcp-snooping.enabled": false}});
    file("switches/<b>&'q' \"=x.json", &record.to_string());
    file("broken/config.txt", "nothing that anybody knows\n");
}
