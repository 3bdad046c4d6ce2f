//! Stand-ins: a switch of files that answers over SSH as its dialect's `[session]` says, and one whose objects are known over SNMP, on ports of
//! this machine alone.
//!
//! [`agent`] answers for the objects; [`shell`] is what happens at the prompt, [`server`] what is around it, [`trouble`] what can be wrong on purpose.

mod agent;
mod server;
mod shell;
mod trouble;

use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::sync::Arc;

use rand::RngExt as _;
use russh::keys::{Algorithm, PrivateKey, PublicKey};
use tokio::net::TcpListener;
use yellowlegs_core::dialect::{Dialect, Session};
use yellowlegs_core::walk::Told;

pub use trouble::Trouble;

/// The account that every stand-in lets in.
pub const USER: &str = "auditor";

/// A switch that is played.
#[derive(Debug, Clone)]
pub struct Played {
    /// Its name, which its prompt shows.
    pub name: String,
    /// The language it answers in, where it does.
    pub dialect: Option<Arc<Dialect>>,
    /// Its texts, by the names of their files.
    pub files: BTreeMap<String, String>,
    /// What its agent has; nothing: there is none.
    pub objects: Told,
    /// What goes wrong with it.
    pub trouble: Option<Trouble>,
}

impl Played {
    /// How one talks to it, where it has texts to give.
    pub(crate) fn session(&self) -> Option<&Session> {
        self.dialect.as_ref().filter(|_| !self.files.is_empty())?.session()
    }
}

/// Where a stand-in is.
#[derive(Debug, Clone)]
pub struct Place {
    /// The switch.
    pub name: String,
    /// Where it answers over SSH, and the key that is known of it; with [`Trouble::ChangedKey`] not the one it shows.
    pub ssh: Option<(SocketAddr, PublicKey)>,
    /// Where its agent answers.
    pub snmp: Option<SocketAddr>,
}

/// Stand-ins that answer until this is dropped.
pub struct StandIns {
    places: Vec<Place>,
    password: String,
    _runtime: tokio::runtime::Runtime,
}

impl StandIns {
    /// Begins to play switches, each on a free port of the loopback address.
    pub fn start(played: Vec<Played>) -> std::io::Result<Self> {
        let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
        let password = password();
        let mut places = Vec::new();
        for switch in played {
            let name = switch.name.clone();
            let snmp = if switch.objects.is_empty() {
                None
            } else {
                Some(runtime.block_on(agent::start(&switch.objects, switch.trouble, &password))?)
            };
            let ssh = if switch.session().is_none() {
                None
            } else {
                let listener = runtime.block_on(TcpListener::bind(("127.0.0.1", 0)))?;
                let address = listener.local_addr()?;
                let (shown, mut known) = (key()?, None);
                if switch.trouble == Some(Trouble::ChangedKey) {
                    known = Some(key()?);
                }
                let public = known.as_ref().unwrap_or(&shown).public_key().clone();
                runtime.spawn(server::serve(listener, shown, Arc::new(switch), password.clone()));
                Some((address, public))
            };
            places.push(Place { name, ssh, snmp });
        }
        Ok(Self { places, password, _runtime: runtime })
    }

    /// Where each is.
    pub fn places(&self) -> &[Place] {
        &self.places
    }

    /// The password of the account, made up for this run.
    pub fn password(&self) -> &str {
        &self.password
    }

    /// Their keys, as lines of a file of known keys.
    pub fn known_hosts(&self) -> String {
        let line = |(address, key): &(SocketAddr, PublicKey)| {
            let key = key.to_openssh().unwrap_or_default();
            format!("[{}]:{} {key}\n", address.ip(), address.port())
        };
        self.places.iter().filter_map(|place| place.ssh.as_ref()).map(line).collect()
    }
}

fn key() -> std::io::Result<PrivateKey> {
    PrivateKey::random(&mut rand::rng(), Algorithm::Ed25519).map_err(std::io::Error::other)
}

fn password() -> String {
    let mut random = rand::rng();
    (0..12).map(|_| char::from(random.random_range(b'a'..=b'z'))).collect()
}
