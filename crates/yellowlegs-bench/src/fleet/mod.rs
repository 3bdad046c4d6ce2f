//! Fleets to measure on, made from a seed, with known faults: ports that are alike (a memo's best case), orderly or unlike, in two
//! languages, one of them in four structures, and beside them what a site may have: cables and a server, waivers, lists of roles, rules, mirrors, saved copies, state.

mod alike;
mod forms;
pub(crate) mod long;
mod plan;
mod shingle;
mod skerry;

use std::fmt::Write as _;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::Command;

use forms::Form;
use plan::{Draw, Manner, Switch, Use};

/// What was written.
pub(crate) struct Written {
    pub(crate) bytes: u64,
    /// Ports whose limit is too high: one in every tenth switch.
    pub(crate) faults: usize,
}

/// What a fleet has, by words: `unlike`, `orderly` or `alike`; `skerry` for the other language, or `paths`, `lists` or `rows` for another
/// structure of it; and what else.
#[allow(clippy::struct_excessive_bools, reason = "each is a word of the command")]
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Wanted {
    alike: bool,
    orderly: bool,
    skerry: Option<Form>,
    links: bool,
    waivers: bool,
    roles: bool,
    rules: bool,
    mirrors: bool,
    saved: bool,
    state: bool,
}

impl Wanted {
    /// Reads `unlike+links+state`; none: a word is unknown.
    pub(crate) fn parse(words: &str) -> Option<Self> {
        let mut wanted = Self::default();
        for word in words.split('+') {
            *match word {
                "unlike" => continue,
                "alike" => &mut wanted.alike,
                "orderly" => &mut wanted.orderly,
                "skerry" | "paths" | "lists" | "rows" => {
                    wanted.skerry = Some(match word {
                        "paths" => Form::Paths,
                        "lists" => Form::Lists,
                        "rows" => Form::Rows,
                        _ => Form::Braces,
                    });
                    continue;
                }
                "links" => &mut wanted.links,
                "waivers" => &mut wanted.waivers,
                "roles" => &mut wanted.roles,
                "rules" => &mut wanted.rules,
                "mirrors" => &mut wanted.mirrors,
                "saved" => &mut wanted.saved,
                "state" => &mut wanted.state,
                _ => return None,
            } = true;
        }
        Some(wanted)
    }
}

const POLICY: &str = r#"as-of = "2031-03-04T06:30:00Z"
[site]
rapid-protocol = "any"
binding-store = "any"
multicast-snooping = "any"
phone-prefixes = ["02:00:5e:20"]
[vlans]
110 = { purpose = "data" }
111 = { purpose = "data" }
112 = { purpose = "data" }
113 = { purpose = "data" }
120 = { purpose = "data" }
140 = { purpose = "real-time" }
210 = { purpose = "voice" }
300 = { purpose = "management" }
998 = { purpose = "parking" }
999 = { purpose = "native" }
[[role]]
name = "desk"
faces = "phone-and-host"
vlans = [110, 111, 112, 113]
voice = 210
describes = ["^desk"]
[[role]]
name = "host"
faces = "host"
vlans = [120]
describes = ["^host"]
[[role]]
name = "screen"
faces = "host"
receiver = true
vlans = [140]
describes = ["^screen"]
[[role]]
name = "spare"
faces = "nothing"
describes = ["^spare"]
[[role]]
name = "up"
faces = "bridge-up"
vlans = [110, 111, 112, 113, 120, 140, 210, 300]
describes = ["^to above"]
[[role]]
name = "down"
faces = "bridge-down"
vlans = [110, 111, 112, 113, 120, 140, 210, 300]
describes = ["^to below"]
[levels]
"port-security/name-only" = "off"
"#;

/// Four rules of a house.
const RULES: &str = r#"
[[rule]]
id = "house/hosts-told"
when = "role.faces == 'host' && !port.description.startsWith('host') && !port.description.startsWith('screen')"
message = "the note \"{port.description}\" does not say what the port is for"
remedy = "Say it."
[[rule]]
id = "house/desks-lawful"
when = "role.name == 'desk' && port_security.limit > 3"
message = "more than three stations at a desk"
remedy = "Lower the limit."
[[rule]]
id = "house/screens-alone"
when = "role.name == 'screen' && size(port.tagged_vlans) > 0"
message = "a screen carries tagged VLANs"
remedy = "Take them away."
[[rule]]
id = "house/up-carries-all"
when = "role.faces == 'bridge-up' && !(300 in port.tagged_vlans)"
message = "the way up does not carry the switches' own VLAN"
remedy = "Carry it."
"#;

/// Writes a fleet; every tenth switch has one port with a limit that is too high.
pub(crate) fn write(folder: &Path, switches: usize, wanted: Wanted) -> io::Result<Written> {
    if wanted.alike {
        return alike::write(folder, switches);
    }
    fs::create_dir_all(folder.join("dialects"))?;
    let (name, dialect) = match wanted.skerry {
        Some(form) => ("skerry", form.dialect()),
        None => ("shingle", shingle::DIALECT.to_owned()),
    };
    fs::write(folder.join(format!("dialects/{name}.toml")), dialect)?;
    let manner = if wanted.orderly { Manner::Orderly } else { Manner::Unlike };
    let (mut draw, mut bytes, mut faults) = (Draw(0x5eed), 0, 0);
    let mut policy = policy(switches, wanted);
    for number in 0..switches {
        // Desks alone: three is their most.
        let faulty = (number % 10 == 9).then(|| [1, 2, 4, 5, 8][draw.below(5) as usize]);
        faults += usize::from(faulty.is_some());
        let switch = plan::switch(
            &mut draw,
            number,
            manner,
            faulty,
            if wanted.links { below(number, switches).len() as u32 } else { 1 },
        );
        let text = match wanted.skerry {
            Some(form) => form.of(skerry::text(&switch)),
            None => shingle::text(&switch, wanted),
        };
        let place = folder.join(&switch.name);
        fs::create_dir_all(&place)?;
        bytes += text.len() as u64;
        if wanted.saved {
            fs::write(place.join("saved.txt"), &text)?;
        }
        fs::write(place.join("config.txt"), text)?;
        if wanted.state {
            let told = state(&mut draw, &switch, wanted.skerry.is_some());
            bytes += told.len() as u64;
            fs::write(place.join("tables.out"), told)?;
        }
        entries(&mut policy, &switch, switches, wanted);
    }
    fs::write(folder.join("yellowlegs.toml"), policy)?;
    Ok(Written { bytes, faults })
}

/// The part of the policy that no switch has a part in.
fn policy(switches: usize, wanted: Wanted) -> String {
    let saved = if wanted.saved { "[\"saved.txt\"]" } else { "[]" };
    let mut text = POLICY.replacen(
        "[site]\n",
        &format!("[files]\nrunning = [\"config.txt\"]\nsaved = {saved}\nstate = [\"*.out\"]\n[site]\n"),
        1,
    );
    if wanted.roles {
        let ports: Vec<String> =
            (0..switches).map(|number| format!("\"sw-{number:06} {}\"", port_name(3, wanted))).collect();
        text = text.replacen(
            "describes = [\"^host\"]",
            &format!("describes = [\"^host\"]\nports = [\n{}\n]", ports.join(",\n")),
            1,
        );
    }
    if wanted.links {
        let _ = write!(text, "[[dhcp-server]]\nswitch = \"sw-000000\"\nport = \"{}\"\n", port_name(plan::UP, wanted));
    }
    if wanted.rules {
        text.push_str(RULES);
    }
    text
}

/// A port as the language names it.
fn port_name(number: u32, wanted: Wanted) -> String {
    if wanted.skerry.is_some() { format!("q{number}") } else { format!("1.{number}") }
}

/// A tree of four levels: the switches below one of them.
fn below(number: usize, switches: usize) -> std::ops::Range<usize> {
    let mut wide = 1;
    while 1 + wide + wide * wide + wide * wide * wide < switches {
        wide += 1;
    }
    let first = number * wide + 1;
    first.min(switches)..(first + wide).min(switches)
}

/// What the policy says of a switch.
fn entries(policy: &mut String, switch: &Switch, switches: usize, wanted: Wanted) {
    let name = &switch.name;
    let cables = if wanted.links { below(switch.number, switches) } else { 0..0 };
    for (at, below) in cables.enumerate() {
        let (up, down) = (port_name(plan::UP, wanted), port_name(plan::UP - 1 - at as u32, wanted));
        let _ = write!(
            policy,
            "[[link]]\na = {{ switch = \"{name}\", port = \"{down}\" }}\nb = {{ switch = \"sw-{below:06}\", port = \"{up}\" }}\n"
        );
    }
    if wanted.waivers {
        let port = port_name(switch.number as u32 % 40 + 1, wanted);
        let _ = write!(
            policy,
            "[[waiver]]\ncheck = \"port-security/*\"\nswitch = \"{name}\"\nport = \"{port}\"\nreason = \"as agreed\"\nowner = \"harbour office\"\nlast-day = \"2031-06-30\"\n"
        );
    }
    if wanted.mirrors {
        let _ = write!(
            policy,
            "[[mirror]]\nswitch = \"{name}\"\nsources = [\"{} both\"]\ntarget = \"{}\"\nreason = \"a fault\"\nowner = \"harbour office\"\nlast-day = \"2031-06-30\"\n",
            port_name(1, wanted),
            port_name(22, wanted)
        );
    }
}

/// What a switch of Shingle tells of itself: stations, bindings, counts.
fn state(draw: &mut Draw, switch: &Switch, skerry: bool) -> String {
    if skerry {
        return String::new();
    }
    let mut text = format!(
        "unit {} tells everything\nharbour clock 2031-03-04 06:27:55\n\nLane  Station            Socket  Kept      Silent for\n----  -----------------  ------  --------  ----------\n",
        switch.name
    );
    let hosts = switch.ports.iter().filter(|port| matches!(port.of, Use::Desk | Use::Host | Use::Screen));
    let rows: Vec<(u32, String, u32)> = hosts
        .map(|port| {
            (
                port.vlan,
                format!("02:00:5e:{:02x}:{:02x}:{:02x}", draw.below(32), draw.below(256), draw.below(256)),
                port.number,
            )
        })
        .collect();
    for (vlan, station, port) in &rows {
        let _ = writeln!(text, "{vlan:<4}  {station}  {:<6}  heard     {}s", format!("1.{port}"), draw.below(200));
    }
    let _ = writeln!(text, "{0} of {0} shown\n", rows.len());
    text.push_str(
        "Station            Address      Lane  Socket  Left\n-----------------  -----------  ----  ------  ------\n",
    );
    for (at, (vlan, station, port)) in rows.iter().enumerate() {
        let address = format!("192.0.2.{}", at + 10);
        let _ =
            writeln!(text, "{station}  {address:<11}  {vlan:<4}  {:<6}  {}h", format!("1.{port}"), 1 + draw.below(20));
    }
    text.push_str("\nSocket  Turned away  Inside  False leases\n------  -----------  ------  ------------\n");
    for (_, _, port) in &rows {
        let _ = writeln!(text, "{:<6}  0            1       0", format!("1.{port}"));
    }
    text
}

/// The configurations of a fleet, in order.
pub(crate) fn texts(folder: &Path) -> io::Result<Vec<PathBuf>> {
    let mut texts = Vec::new();
    for entry in fs::read_dir(folder)? {
        let text = entry?.path().join("config.txt");
        if text.is_file() {
            texts.push(text);
        }
    }
    texts.sort();
    Ok(texts)
}

/// How many ports the audit finds whose limit is too high.
pub(crate) fn found(folder: &Path, audit: &Path) -> io::Result<usize> {
    let words = ["audit", "--format", "jsonl", "--fail-on", "never", "-q", "--only", "port-security/limit-high"];
    let output = Command::new(audit).args(words).arg(folder).output()?;
    Ok(String::from_utf8_lossy(&output.stdout).lines().filter(|l| l.contains("\"kind\":\"finding\"")).count())
}
