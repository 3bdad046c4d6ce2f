//! Where a secret is, and how it is fetched. It is never in a file of the fleet, in an argument, or in what is told.

use std::path::PathBuf;

use secrecy::SecretString;

use crate::entries::{Entry, Known};
use crate::fault::{Fault, Step};

use yellowlegs_core::sorted;

/// Where a secret is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Credential {
    /// The running agent holds a key.
    Agent,
    /// A file holds a key, OpenSSH's form.
    Key(PathBuf),
    /// An environment variable holds a password.
    Environment(String),
    /// Whoever runs it is asked for a password, once for an account.
    Prompt,
}

/// Fetches secrets; whoever has a terminal can ask.
pub trait Secrets: Send + Sync {
    /// Asks for the password of an account; `what` names it.
    fn ask(&self, what: &str) -> std::io::Result<SecretString>;
    /// What an environment variable holds.
    fn environment(&self, name: &str) -> Option<SecretString>;
}

/// What is asked for, for an account.
pub(crate) fn of_account(user: &str) -> String {
    format!("the password of {user}")
}

/// Asks for what whoever runs it is asked for, each thing once, before anything else is shown. What cannot be had is told of each switch.
pub fn ask_before(entries: &[Entry], secrets: &dyn Secrets) {
    let of_ssh = entries.iter().filter_map(|entry| entry.ssh.as_ref()).map(|way| (way.user.as_str(), &way.credential));
    let of_agents = entries.iter().filter_map(|entry| match &entry.snmp.as_ref()?.known {
        Known::User { user, authentication, .. } => Some((user.as_str(), authentication)),
        Known::Community(_) => None,
    });
    let is_asked =
        |(user, credential): (&str, &Credential)| (*credential == Credential::Prompt).then(|| user.to_owned());
    let asked: sorted::Set<String> = sorted::set(of_ssh.chain(of_agents).filter_map(is_asked));
    for user in asked {
        let _ = secrets.ask(&of_account(&user));
    }
}

/// A password from where it is. A key is no password.
pub(crate) fn password(
    credential: &Credential,
    what: &str,
    secrets: &dyn Secrets,
) -> Result<Option<SecretString>, Fault> {
    match credential {
        Credential::Environment(name) => secrets.environment(name).map(Some).ok_or_else(|| {
            let hint = format!("set {name} for this command alone, or say another `credential` in switches.toml");
            Fault::lasting(Step::Credential, format!("the environment has no {name}"), hint)
        }),
        Credential::Prompt => secrets.ask(what).map(Some).map_err(|error| {
            let hint = "run it in a terminal, or say another `credential` in switches.toml";
            Fault::lasting(Step::Credential, format!("nobody could be asked for {what}: {error}"), hint)
        }),
        Credential::Agent | Credential::Key(_) => Ok(None),
    }
}
