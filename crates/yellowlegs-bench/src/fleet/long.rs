//! Switches of which one thing is written very often, and policies: a list built line by line, a list on one line, a table that does not end. What they
//! take is to grow as their text does.

use std::fmt::Write as _;
use std::fs;
use std::io;
use std::path::Path;

use super::shingle;

/// What is written often.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Long {
    /// In words.
    pub(crate) what: &'static str,
    /// How often, in the smaller of two texts.
    pub(crate) times: u32,
    text: fn(u32) -> String,
    state: Option<fn(u32) -> String>,
    /// What the policy has besides.
    policy: Option<fn(u32) -> String>,
}

/// Nothing is.
const SHORT: Long = Long { what: "", times: 0, text: |_| head(48), state: None, policy: None };

/// What may be long.
pub(crate) const LONG: [Long; 12] = [
    Long { what: "stations pinned on one port", times: 10_000, text: pinned, ..SHORT },
    Long { what: "stations pinned, every second taken out again", times: 10_000, text: taken_out, ..SHORT },
    Long { what: "one station pinned on every port, of many", times: 4_800, text: pinned_twice, ..SHORT },
    Long { what: "ranges of stations, each too wide", times: 2_000, text: ranges, ..SHORT },
    Long { what: "receivers of reports", times: 10_000, text: receivers, ..SHORT },
    Long { what: "ports on one line", times: 1_000, text: on_a_line, ..SHORT },
    Long { what: "ports with a line that nobody understands", times: 500, text: unread, ..SHORT },
    Long { what: "bindings", times: 20_000, state: Some(bindings), ..SHORT },
    Long { what: "links of the policy", times: 2_500, policy: Some(links), ..SHORT },
    Long { what: "waivers", times: 2_500, policy: Some(waivers), ..SHORT },
    Long { what: "entries of a role's list", times: 5_000, policy: Some(listed), ..SHORT },
    Long { what: "registered mirrors", times: 2_500, policy: Some(mirrors), ..SHORT },
];

/// Writes one switch of which something is written `times` often.
pub(crate) fn write(folder: &Path, long: Long, times: u32) -> io::Result<()> {
    let place = folder.join("hall");
    fs::create_dir_all(&place)?;
    fs::create_dir_all(folder.join("dialects"))?;
    fs::write(folder.join("dialects/shingle.toml"), shingle::DIALECT)?;
    let more = long.policy.map(|more| more(times)).unwrap_or_default();
    fs::write(folder.join("yellowlegs.toml"), format!("{POLICY}{more}"))?;
    fs::write(place.join("config.txt"), (long.text)(times))?;
    long.state.map_or(Ok(()), |state| fs::write(place.join("tables.out"), state(times)))
}

const POLICY: &str = r#"[files]
running = ["config.txt"]
saved = []
state = ["*.out"]
[site]
range-stations = 8
[vlans]
110 = { purpose = "data" }
[[role]]
name = "desk"
faces = "host"
vlans = [110]
describes = ["^desk"]
"#;

/// A switch with so many ports, each a desk.
fn head(ports: u32) -> String {
    let mut text = format!("shingle 4 unit hall\nsockets 1.1..1.{ports}\nlane 110\n");
    for port in 1..=ports {
        _ = write!(text, "socket 1.{port}\n  note \"desk {port}\"\n  carries single\n  home lane 110\n  crowd watch\n");
    }
    text
}

fn station(number: u32) -> String {
    let [a, b, c, d] = number.to_be_bytes();
    format!("02:00:{a:02x}:{b:02x}:{c:02x}:{d:02x}")
}

fn pinned(times: u32) -> String {
    let pins = (0..times).map(|n| format!("  crowd kept {} lane 110\n", station(n)));
    format!("{}socket 1.3\n{}", head(48), pins.collect::<String>())
}

fn taken_out(times: u32) -> String {
    let gone = (0..times).step_by(2).map(|n| format!("  without crowd kept {} lane 110\n", station(n)));
    pinned(times) + &gone.collect::<String>()
}

fn pinned_twice(times: u32) -> String {
    let mut text = head(48);
    for port in 1..=48 {
        _ = writeln!(text, "socket 1.{port}");
        for number in 0..times / 48 {
            _ = writeln!(text, "  crowd kept {} lane 110", station(number));
        }
    }
    text
}

fn ranges(times: u32) -> String {
    let ranges = (0..times).map(|n| format!("stations {}..{} into lane 110\n", station(n * 16), station(n * 16 + 15)));
    head(48) + &ranges.collect::<String>()
}

fn receivers(times: u32) -> String {
    let mut text = head(48);
    for number in 0..times {
        _ = writeln!(text, "tells host-{number}");
    }
    text
}

fn on_a_line(times: u32) -> String {
    let ports: Vec<String> = (0..times).map(|n| format!("1.{}", 2 * n + 1)).collect();
    let list = ports.join(",");
    format!("shingle 4 unit hall\nlane 110\nsocket {list}\n  note \"desk\"\n  carries single\n  home lane 110\n")
}

fn unread(times: u32) -> String {
    head(times).replace("  crowd watch\n", "  crowd watch\n  crowd of nobody\n")
}

fn bindings(times: u32) -> String {
    let mut text = "harbour clock 2031-03-04 06:30:00\n".to_owned();
    text += "Station            Address          Lane  Socket  Left\n-----------------  ---------------  ----  ------  ------\n";
    for n in 0..times {
        let [_, a, b, c] = n.to_be_bytes();
        let (address, port) = (format!("10.{a}.{b}.{c}"), format!("1.{}", n % 48 + 1));
        _ = writeln!(text, "{}  {address:15}  110   {port:6}  3600s", station(n));
    }
    text
}

// What a policy says of a fleet of which this switch is the first.

fn links(times: u32) -> String {
    let end = |switch, port| format!("{{ switch = \"hall-{switch}\", port = \"1.{port}\" }}");
    let link = |n| format!("[[link]]\na = {}\nb = {}\n", end(n / 4, 45 + n % 4), end(n + 1, 1));
    (0..times).map(link).collect()
}

fn waivers(times: u32) -> String {
    let said = "reason = \"as agreed\"\nowner = \"harbour office\"\nlast-day = \"2031-06-30\"\n";
    let waiver = |n| {
        format!("[[waiver]]\ncheck = \"port-security/*\"\nswitch = \"hall-{n}\"\nport = \"1.{}\"\n{said}", n % 48 + 1)
    };
    (0..times).map(waiver).collect()
}

fn listed(times: u32) -> String {
    let entries: Vec<String> = (0..times).map(|n| format!("\"hall-{n} 1.{}\"", n % 48 + 1)).collect();
    format!("[[role]]\nname = \"screen\"\nfaces = \"host\"\nvlans = [110]\nports = [\n{}\n]\n", entries.join(",\n"))
}

fn mirrors(times: u32) -> String {
    let said = "reason = \"a fault\"\nowner = \"harbour office\"\nlast-day = \"2031-06-30\"\n";
    let mirror = |n| {
        format!("[[mirror]]\nswitch = \"hall-{n}\"\nsources = [\"1.{} both\"]\ntarget = \"1.48\"\n{said}", n % 47 + 1)
    };
    (0..times).map(mirror).collect()
}
