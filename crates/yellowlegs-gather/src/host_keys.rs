//! Known keys of switches, in OpenSSH's form (`known_hosts`): plain and hashed names, ports, keys that were revoked.
//!
//! A key that is not the known one is refused, also where it is of another kind: whoever stands between offers what is not known.

use std::path::{Path, PathBuf};
use std::str::FromStr as _;
use std::sync::Mutex;

use russh::keys::known_hosts::{known_host_keys_path, learn_known_hosts_path};
use russh::keys::ssh_key::known_hosts::{Entry, Marker};
use russh::keys::{HashAlg, PublicKey};

use crate::fault::{Fault, Step};

/// A file of known keys, and whether unknown ones are written to it.
#[derive(Debug)]
pub struct HostKeys {
    file: PathBuf,
    trust_new: bool,
    /// One writes at a time; the names whose keys were written.
    written: Mutex<Vec<String>>,
}

/// A key's fingerprint as it is shown everywhere.
fn shown(key: &PublicKey) -> String {
    format!("{} {}", key.algorithm(), key.fingerprint(HashAlg::Sha256))
}

impl HostKeys {
    /// Keys of a file, which need not be there yet.
    pub fn of(file: impl Into<PathBuf>, trust_new: bool) -> Self {
        Self { file: file.into(), trust_new, written: Mutex::default() }
    }

    /// The file.
    pub fn file(&self) -> &Path {
        &self.file
    }

    /// The addresses whose keys were written.
    pub fn written(&self) -> Vec<String> {
        self.written.lock().map(|written| written.clone()).unwrap_or_default()
    }

    /// Whether a switch may be talked to that shows this key.
    pub fn check(&self, host: &str, port: u16, key: &PublicKey) -> Result<(), Fault> {
        let file = self.file.display();
        let unreadable = |error: &dyn std::fmt::Display| {
            let hint = "mend or remove the line; a key that cannot be read is not passed over";
            Fault::lasting(Step::HostKey, format!("{file}: {error}"), hint)
        };
        let Ok(mut written) = self.written.lock() else {
            return Err(unreadable(&"it is being written"));
        };
        // The library takes a file that cannot be read for an empty one.
        let text = match std::fs::read_to_string(&self.file) {
            Ok(text) => text,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => String::new(),
            Err(error) => return Err(unreadable(&error)),
        };
        let marked = text.lines().filter(|line| line.starts_with('@')).filter_map(|line| Entry::from_str(line).ok());
        let revoked = marked.filter(|entry| entry.marker() == Some(&Marker::Revoked));
        if { revoked }.any(|entry| entry.public_key().key_data() == key.key_data()) {
            let hint = "whoever runs the switch gives it a new key";
            return Err(Fault::lasting(Step::HostKey, format!("its key {} was revoked in {file}", shown(key)), hint));
        }
        let known = known_host_keys_path(host, port, &self.file).map_err(|error| unreadable(&error))?;
        if known.iter().any(|(_, known)| known.key_data() == key.key_data()) {
            return Ok(());
        }
        if let Some((line, _)) = known.first() {
            let what = format!("its key is now {}, not the one in {file}, line {line}", shown(key));
            let hint =
                "somebody may stand between; ask on another way whether its key was changed, then remove that line";
            return Err(Fault::lasting(Step::HostKey, what, hint));
        }
        if !self.trust_new {
            let what = format!("its key {} is not in {file}", shown(key));
            let hint = "compare it with what the switch itself tells of its key, then run with --trust-new";
            return Err(Fault::lasting(Step::HostKey, what, hint));
        }
        learn_known_hosts_path(host, port, key, &self.file).map_err(|error| unreadable(&error))?;
        written.push(if port == 22 { host.to_owned() } else { format!("[{host}]:{port}") });
        Ok(())
    }
}
