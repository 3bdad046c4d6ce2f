//! Against a real server: OpenSSH's, whose account runs a small shell script as a switch. Where there is none, it says so.

mod support;

use std::net::TcpListener;
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::time::Duration;

use rstest::rstest;
use russh::keys::ssh_key::LineEnding;
use russh::keys::{Algorithm, PrivateKey};
use support::{Word, config, dialect};
use yellowlegs_gather::credential::Credential;
use yellowlegs_gather::entries::{Entry, Limits, SshWay};
use yellowlegs_gather::fault::{Fault, Step};
use yellowlegs_gather::host_keys::HostKeys;
use yellowlegs_gather::run::{Brought, Task, gather};
use yellowlegs_gather::ssh::Asking;

const SSHD: &str = "/usr/sbin/sshd";

/// A switch as a shell script: it pages, knows two commands, and refuses the rest.
const SWITCH: &str = r#"#!/bin/sh
printf 'Harbour master only.\n\n[pier-1] '
while IFS= read -r line; do
    case $line in
    'no pages' | '') ;;
    'say all') cat DIR/config ;;
    *) echo "what is $line" ;;
    esac
    printf '[pier-1] '
done
"#;

const SESSION: &str = r#"
[session]
prompt = "[<name>] "
errors = "what is"
paging-off = "no pages"
command = [{ send = "say all", file = "config.txt" }, { send = "say kept", file = "saved.txt", optional = true }]
"#;

struct Server {
    dir: tempfile::TempDir,
    port: u16,
    child: Child,
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn write(path: &Path, text: &str, mode: u32) -> PathBuf {
    std::fs::write(path, text).unwrap();
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(mode)).unwrap();
    path.to_owned()
}

/// A server that runs the script, with lines of its configuration besides.
fn server(extra: &str) -> Option<Server> {
    if !Path::new(SSHD).exists() {
        eprintln!("cannot be run: there is no {SSHD}");
        return None;
    }
    let _ = std::fs::create_dir_all("/run/sshd");
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name);
    let host = PrivateKey::random(&mut rand::rng(), Algorithm::Ed25519).unwrap();
    let account = PrivateKey::random(&mut rand::rng(), Algorithm::Ed25519).unwrap();
    let host_file = write(&at("host"), &host.to_openssh(LineEnding::LF).unwrap(), 0o600);
    write(&at("account"), &account.to_openssh(LineEnding::LF).unwrap(), 0o600);
    let allowed = write(&at("allowed"), &account.public_key().to_openssh().unwrap(), 0o644);
    write(&at("config"), &config(300), 0o644);
    let script = write(&at("switch"), &SWITCH.replace("DIR", &dir.path().display().to_string()), 0o755);
    let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
    let text = format!(
        "ListenAddress 127.0.0.1\nPort {port}\nHostKey {}\nAuthorizedKeysFile {}\nForceCommand {}\nStrictModes no\nUsePAM no\n\
         PermitRootLogin prohibit-password\nPasswordAuthentication no\nPidFile none\nPrintLastLog no\nPrintMotd no\n{extra}\n",
        host_file.display(),
        allowed.display(),
        script.display()
    );
    let conf = write(&at("sshd.conf"), &text, 0o644);
    write(&at("known"), &format!("[127.0.0.1]:{port} {}\n", host.public_key().to_openssh().unwrap()), 0o644);
    let mut command = Command::new(SSHD);
    let child = command.args(["-D", "-f"]).arg(conf).stderr(Stdio::null()).spawn().unwrap();
    let server = Server { dir, port, child };
    for _ in 0..100 {
        if std::net::TcpStream::connect(("127.0.0.1", port)).is_ok() {
            return Some(server);
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    panic!("the server does not answer");
}

fn gathered(server: &Server, change: impl Fn(&mut SshWay)) -> Result<Brought, Fault> {
    let user = std::env::var("USER").or_else(|_| std::env::var("LOGNAME")).unwrap_or_else(|_| "root".into());
    let mut entry = Entry {
        name: "pier-1".into(),
        address: "127.0.0.1".into(),
        folder: "pier-1".into(),
        dialect: Some("brine".into()),
        ssh: None,
        snmp: None,
        limits: Limits { tries: 1, ..Limits::default() },
    };
    let mut way = SshWay {
        port: server.port,
        user,
        credential: Credential::Key(server.dir.path().join("account")),
        raise: None,
        older: Vec::new(),
    };
    change(&mut way);
    entry.ssh = Some(way);
    let asking = Asking {
        keys: Arc::new(HostKeys::of(server.dir.path().join("known"), false)),
        secrets: Arc::new(Word(String::new())),
        stands_still: Arc::new(|file: &str| file == "config.txt"),
        home: None,
        taken: None,
    };
    let task = Task { entry, dialect: Some(dialect(SESSION)), folder: server.dir.path().join("pier-1") };
    gather(vec![task], 1, asking, |_| ()).unwrap().remove(0).result
}

#[test]
fn what_a_real_server_gives_is_what_is_there() {
    let Some(server) = server("") else { return };
    let brought = gathered(&server, |_| ()).unwrap();
    assert_eq!(std::fs::read_to_string(server.dir.path().join("pier-1/config.txt")).unwrap(), config(300));
    assert_eq!(brought.refused, [("say kept".into(), "what is say kept".to_owned())]);
    assert_eq!((brought.older, brought.escapes), (Vec::<String>::new(), 0));
}

#[rstest]
#[case("KexAlgorithms diffie-hellman-group14-sha1", "diffie-hellman-group14-sha1")]
#[case("Ciphers aes256-cbc\nMACs hmac-sha2-256", "aes256-cbc")]
#[case("Ciphers aes256-ctr\nMACs hmac-sha1", "hmac-sha1")]
fn an_old_server_is_told_what_it_needs_and_talked_to_where_that_is_allowed(#[case] conf: &str, #[case] older: &str) {
    let Some(server) = server(conf) else { return };
    let refused = gathered(&server, |_| ()).unwrap_err();
    assert_eq!((refused.step, refused.passing), (Step::Connect, false));
    assert!(refused.hint.as_ref().unwrap().contains(older), "{} {:?}", refused.what, refused.hint);
    let brought = gathered(&server, |way| way.older = vec![older.into()]).unwrap();
    assert_eq!(brought.older, [older]);
}

#[test]
fn a_key_that_the_server_does_not_let_in() {
    let Some(server) = server("") else { return };
    let other = PrivateKey::random(&mut rand::rng(), Algorithm::Ed25519).unwrap();
    let file = write(&server.dir.path().join("other"), &other.to_openssh(LineEnding::LF).unwrap(), 0o600);
    let refused = gathered(&server, |way| way.credential = Credential::Key(file.clone())).unwrap_err();
    assert_eq!((refused.step, refused.passing), (Step::LogIn, false));
}
