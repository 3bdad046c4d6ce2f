//! Agents that nobody here wrote: Debian's snmpd with lldpd beside it, asked by version 3, and a simulator of agents from `PyPI` that has a switch's objects.
//! What they answer is held against what another client reads of them. Each says clearly when it cannot be run.

mod support;

use std::collections::BTreeSet;
use std::fs;
use std::net::UdpSocket;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::time::{Duration, Instant};

use support::Word;
use yellowlegs_core::model::Oid;
use yellowlegs_core::source::Source;
use yellowlegs_core::walk::{self, Told, WalkedValue};
use yellowlegs_gather::credential::Credential;
use yellowlegs_gather::entries::{Cipher, Entry, Hash, Known, Limits, SnmpWay};
use yellowlegs_gather::fault::Fault;
use yellowlegs_gather::host_keys::HostKeys;
use yellowlegs_gather::run::{Brought, Task, gather};
use yellowlegs_gather::ssh::Asking;

const PHRASE: &str = "seventeen gulls";

/// Processes that end with the test.
struct Running(Vec<Child>, Vec<Vec<&'static str>>);

impl Drop for Running {
    fn drop(&mut self) {
        for child in &mut self.0 {
            // What a daemon started ends with its group.
            let group = format!("-{}", child.id());
            let _ = Command::new("kill").args(["-TERM", "--", &group]).stderr(Stdio::null()).status();
            std::thread::sleep(Duration::from_millis(300));
            let _ = (child.kill(), child.wait());
        }
        for words in &self.1 {
            let _ = run(words);
        }
    }
}

fn run(words: &[&str]) -> Option<String> {
    let (program, rest) = words.split_first()?;
    let output = Command::new(program).args(rest).stderr(Stdio::null()).output().ok()?;
    output.status.success().then(|| String::from_utf8_lossy(&output.stdout).into_owned())
}

fn started(command: &mut Command) -> Option<Child> {
    use std::os::unix::process::CommandExt as _;
    command.process_group(0).stdout(Stdio::null()).stderr(Stdio::null()).stdin(Stdio::null()).spawn().ok()
}

fn free_port() -> u16 {
    UdpSocket::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}

fn asked(port: u16, known: Known, root: &Path) -> Result<Brought, Fault> {
    let entry = Entry {
        name: "pier-1".into(),
        address: "127.0.0.1".into(),
        folder: "pier-1".into(),
        dialect: None,
        ssh: None,
        snmp: Some(SnmpWay { port, known }),
        limits: Limits { tries: 1, connect: Duration::from_secs(6), ..Limits::default() },
    };
    let asking = Asking {
        keys: Arc::new(HostKeys::of(root.join("known"), false)),
        secrets: Arc::new(Word(PHRASE.to_owned())),
        stands_still: Arc::new(|_: &str| false),
        home: None,
        taken: None,
    };
    let task = Task { entry, dialect: None, folder: root.join("pier-1") };
    gather(vec![task], 1, asking, |_| ()).unwrap().remove(0).result
}

fn user() -> Known {
    let word = || Credential::Environment("WORD".into());
    let (hash, cipher) = (Hash::Sha256, Cipher::Aes128);
    Known::User { user: "auditor".into(), hash, cipher, authentication: word(), privacy: word() }
}

/// Until it answers.
fn awaited(port: u16, known: &Known, root: &Path) -> Option<Brought> {
    let began = Instant::now();
    loop {
        match asked(port, known.clone(), root) {
            Ok(brought) => return Some(brought),
            Err(fault) if began.elapsed() > Duration::from_secs(40) => panic!("it does not answer: {fault:?}"),
            Err(_) => std::thread::sleep(Duration::from_millis(500)),
        }
    }
}

/// Two ends of a cable, one in a namespace of its own, with something that speaks LLDP at each; nothing where that cannot be had.
fn cable(dir: &Path, running: &mut Running) -> bool {
    let made = run(&["ip", "netns", "add", "ylpier"]).is_some()
        && run(&["ip", "link", "add", "ylberth", "type", "veth", "peer", "name", "ylfar", "netns", "ylpier"]).is_some()
        && run(&["ip", "link", "set", "ylberth", "up"]).is_some()
        && run(&["ip", "-n", "ylpier", "link", "set", "ylfar", "up"]).is_some();
    running.1.push(vec!["ip", "link", "del", "ylberth"]);
    running.1.push(vec!["ip", "netns", "del", "ylpier"]);
    if !made || !Path::new("/usr/sbin/lldpd").exists() {
        eprintln!("no LLDP: network namespaces or lldpd are not to be had here");
        return false;
    }
    let of = |name: &str| dir.join(name).display().to_string();
    let near = ["-d", "-x", "-X", &of("agentx"), "-u", &of("near.sock"), "-I", "ylberth", "-M", "4"].map(str::to_owned);
    let far = [
        "netns",
        "exec",
        "ylpier",
        "/usr/sbin/lldpd",
        "-d",
        "-u",
        &of("far.sock"),
        "-I",
        "ylfar",
        "-M",
        "3",
        "-S",
        "a phone",
    ]
    .map(str::to_owned);
    running.0.extend(started(Command::new("/usr/sbin/lldpd").args(near)));
    running.0.extend(started(Command::new("ip").args(far)));
    for socket in ["near.sock", "far.sock"] {
        let began = Instant::now();
        let policy = [
            "configure",
            "med",
            "policy",
            "application",
            "voice",
            "tagged",
            "vlan",
            "210",
            "priority",
            "voice",
            "dscp",
            "46",
        ];
        let set = || run(&[&["lldpcli", "-u", &of(socket)], &policy[..]].concat()).is_some();
        while !set() && began.elapsed() < Duration::from_secs(20) {
            std::thread::sleep(Duration::from_millis(300));
        }
        run(&["lldpcli", "-u", &of(socket), "update"]);
    }
    true
}

#[test]
fn what_debian_s_agent_answers_is_what_is_read() {
    if !Path::new("/usr/sbin/snmpd").exists() {
        eprintln!("not run: there is no /usr/sbin/snmpd");
        return;
    }
    let dir = tempfile::tempdir().unwrap();
    let port = free_port();
    let conf = format!(
        "agentAddress udp:127.0.0.1:{port}\nmaster agentx\nagentXSocket {0}/agentx\ncreateUser auditor SHA-256 \"{PHRASE}\" AES \"{PHRASE}\"\n\
         rouser auditor priv\nsysName pier-1\n",
        dir.path().display()
    );
    fs::write(dir.path().join("agent.conf"), conf).unwrap();
    let mut running = Running(Vec::new(), Vec::new());
    let agent = started(
        Command::new("/usr/sbin/snmpd")
            .args(["-f", "-Lo", "-C", "-c"])
            .arg(dir.path().join("agent.conf"))
            .env("SNMP_PERSISTENT_DIR", dir.path().join("kept")),
    );
    running.0.extend(agent);
    let root = tempfile::tempdir().unwrap();
    awaited(port, &user(), root.path()).unwrap();
    let has_lldp = cable(dir.path(), &mut running);
    let text = || fs::read_to_string(root.path().join("pier-1/agent.walk")).unwrap();
    let began = Instant::now();
    loop {
        asked(port, user(), root.path()).unwrap();
        // The agent looks at interfaces now and then.
        let is_told = text().contains("lldpXMedRemMediaPolicyDscp") && text().contains("\"ylberth\"  # ifDescr");
        if !has_lldp || is_told || began.elapsed() > Duration::from_secs(60) {
            break;
        }
        std::thread::sleep(Duration::from_secs(1));
    }
    let own = walk::read(&Source::of("agent.walk", text()), 0, None);
    assert!(own.missed.is_empty(), "{:?}", own.missed);
    // Another client, and its own text, of the same agent.
    let place = format!("127.0.0.1:{port}");
    let mut others = String::new();
    for part in ["1.3.6.1.2.1.1", "1.3.6.1.2.1.2.2", "1.3.6.1.2.1.31.1.1", "1.0.8802.1.1.2"] {
        let by =
            ["-v3", "-l", "authPriv", "-u", "auditor", "-a", "SHA-256", "-A", PHRASE, "-x", "AES", "-X", PHRASE, "-On"];
        others += &run(&[&["snmpwalk"], &by[..], &[&place, part]].concat()).unwrap_or_default();
    }
    if others.is_empty() {
        eprintln!("not compared: there is no snmpwalk");
    } else {
        let read = walk::read(&Source::of("others.walk", others.as_str()), 0, None);
        assert!(read.missed.is_empty(), "{:?}", read.missed);
        assert_eq!(said(&own), said(&read));
        assert!(own.ports.iter().any(|(name, _)| **name == *"lo") || !own.ports.is_empty());
    }
    if has_lldp {
        let told =
            format!("{:?}", own.facts.iter().filter(|fact| fact.kind.info().name == "neighbour").collect::<Vec<_>>());
        assert!(told.contains("a phone") && told.contains("ylberth") && told.contains("Count(46)"), "{told}");
        let announced = own.said.iter().any(|said| said.setting.name() == "voice.dscp");
        assert!(announced, "the agent tells what it announces");
    }
    assert!(!text().contains(PHRASE));
}

/// Settings and facts, without where they stand and without what runs on.
fn said(walk: &walk::Walk) -> BTreeSet<String> {
    let settings = walk.said.iter().map(|said| format!("{:?} {} {:?}", said.of, said.setting.name(), said.value));
    let facts = walk.facts.iter().filter(|fact| fact.kind.info().name != "clock").map(|fact| {
        let fields = fact.kind.info().fields.iter().zip(&fact.fields).filter(|(info, _)| info.name != "for");
        format!("{} {:?}", fact.kind.info().name, fields.map(|(info, value)| (info.name, value)).collect::<Vec<_>>())
    });
    settings.chain(facts).collect()
}

/// A switch of 24 ports with two VLANs, stations and power.
fn bridge() -> Told {
    let mut told = Told::new();
    let mut put = |oid: String, value| _ = told.insert(Oid::parse(&oid).unwrap(), value);
    let text = |text: &str| WalkedValue::Octets(text.as_bytes().to_vec());
    put("1.3.6.1.2.1.1.2.0".into(), WalkedValue::Oid(Oid::parse("1.3.6.1.4.1.32473.9").unwrap()));
    put("1.3.6.1.2.1.1.3.0".into(), WalkedValue::Ticks(500_000));
    put("1.3.6.1.2.1.1.5.0".into(), text("pier-1"));
    for port in 1..=24_u32 {
        put(format!("1.3.6.1.2.1.2.2.1.2.{port}"), text(&format!("gap {port}")));
        put(format!("1.3.6.1.2.1.2.2.1.3.{port}"), WalkedValue::Integer(6));
        put(format!("1.3.6.1.2.1.2.2.1.7.{port}"), WalkedValue::Integer(1));
        put(format!("1.3.6.1.2.1.2.2.1.8.{port}"), WalkedValue::Integer(if port % 3 == 0 { 2 } else { 1 }));
        put(format!("1.3.6.1.2.1.17.1.4.1.2.{port}"), WalkedValue::Integer(i32::try_from(port).unwrap()));
        put(format!("1.3.6.1.2.1.17.7.1.4.5.1.1.{port}"), WalkedValue::Gauge(110));
        put(format!("1.3.6.1.2.1.105.1.1.1.6.1.{port}"), WalkedValue::Integer(3));
        let station = format!("2.0.94.16.0.{port}");
        put(format!("1.3.6.1.2.1.17.7.1.2.2.1.2.110.{station}"), WalkedValue::Integer(i32::try_from(port).unwrap()));
        put(format!("1.3.6.1.2.1.17.7.1.2.2.1.3.110.{station}"), WalkedValue::Integer(3));
    }
    put("1.3.6.1.2.1.17.7.1.4.2.1.3.0.110".into(), WalkedValue::Gauge(110));
    for column in [2, 4] {
        put(format!("1.3.6.1.2.1.17.7.1.4.3.1.{column}.110"), WalkedValue::Octets(vec![0xff, 0xff, 0xfe]));
    }
    put("1.3.6.1.2.1.17.7.1.4.3.1.2.120".into(), WalkedValue::Octets(vec![0, 0, 1]));
    put("1.3.6.1.2.1.17.7.1.4.3.1.4.120".into(), WalkedValue::Octets(vec![0, 0, 0]));
    told
}

#[test]
fn what_a_simulated_switch_answers_is_what_it_was_given() {
    let program = std::env::var("SNMPSIM").unwrap_or_else(|_| "snmpsim-command-responder".into());
    let dir = tempfile::tempdir().unwrap();
    let (port, told) = (free_port(), bridge());
    let record = told.iter().map(|(oid, value)| match value {
        WalkedValue::Integer(number) => format!("{oid}|2|{number}\n"),
        WalkedValue::Gauge(number) => format!("{oid}|66|{number}\n"),
        WalkedValue::Ticks(number) => format!("{oid}|67|{number}\n"),
        WalkedValue::Oid(of) => format!("{oid}|6|{of}\n"),
        WalkedValue::Octets(octets) => {
            format!("{oid}|4x|{}\n", octets.iter().map(|octet| format!("{octet:02x}")).collect::<Vec<_>>().concat())
        }
        _ => String::new(),
    });
    fs::create_dir(dir.path().join("data")).unwrap();
    let record: String = record.collect();
    fs::write(dir.path().join("data/auditor.snmprec"), &record).unwrap();
    fs::write(dir.path().join("data/public.snmprec"), &record).unwrap();
    let place = format!("--agent-udpv4-endpoint=127.0.0.1:{port}");
    let data = format!("--data-dir={}", dir.path().join("data").display());
    let (key, own) = (format!("--v3-auth-key={PHRASE}"), format!("--v3-priv-key={PHRASE}"));
    let cache = format!("--cache-dir={}", dir.path().join("cache").display());
    let (user, ways) = ("--v3-user=auditor", ["--v3-auth-proto=SHA256", "--v3-priv-proto=AES"]);
    let as_whom = ["--process-user=root", "--process-group=root"];
    let mut command = Command::new(&program);
    command.args([&place, &data, user, &key, &own, &cache]).args(ways).args(as_whom);
    let Some(simulator) = started(&mut command) else {
        eprintln!("not run: there is no {program}");
        return;
    };
    let _running = Running(vec![simulator], Vec::new());
    let root = tempfile::tempdir().unwrap();
    awaited(port, &Known::Community(Credential::Environment("COMMUNITY".into())), root.path());
    let read = walk::read(
        &Source::of("agent.walk", fs::read_to_string(root.path().join("pier-1/agent.walk")).unwrap()),
        0,
        None,
    );
    let given: String = told.iter().map(|(oid, value)| walk::line(oid.arcs(), value) + "\n").collect();
    let given = walk::read(&Source::of("given.walk", given), 0, None);
    assert!(read.missed.is_empty(), "{:?}", read.missed);
    assert_eq!(said(&read), said(&given));
    assert_eq!((read.ports.len(), read.members.len()), (24, 24));
    // The simulator's own form is read as well.
    let form = walk::read(&Source::of("data.walk", record), 0, None);
    assert_eq!(said(&form), said(&given));
}
