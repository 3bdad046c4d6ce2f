//! Stand-ins: a switch of files that answers over SSH as its dialect's `[session]` says, on a port of this machine alone.
//!
//! [`shell`] is what happens at the prompt, [`server`] what is around it, [`trouble`] what can be wrong on purpose.

mod server;
mod shell;
mod trouble;

use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::sync::Arc;

use rand::RngExt as _;
use russh::keys::{Algorithm, PrivateKey, PublicKey};
use tokio::net::TcpListener;
use yellowlegs_core::dialect::Dialect;

pub use trouble::Trouble;

/// The account that every stand-in lets in.
pub const USER: &str = "auditor";

/// A switch that is played.
#[derive(Debug, Clone)]
pub struct Played {
    /// Its name, which its prompt shows.
    pub name: String,
    /// The language it answers in.
    pub dialect: Arc<Dialect>,
    /// Its texts, by the names of their files.
    pub files: BTreeMap<String, String>,
    /// What goes wrong with it.
    pub trouble: Option<Trouble>,
}

/// Where a stand-in is.
#[derive(Debug, Clone)]
pub struct Place {
    /// The switch.
    pub name: String,
    /// Where it listens: a port of this machine.
    pub address: SocketAddr,
    /// The key that is known of it; with [`Trouble::ChangedKey`] not the one it shows.
    pub key: PublicKey,
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
            let listener = runtime.block_on(TcpListener::bind(("127.0.0.1", 0)))?;
            let (name, address) = (switch.name.clone(), listener.local_addr()?);
            let (shown, mut known) = (key()?, None);
            if switch.trouble == Some(Trouble::ChangedKey) {
                known = Some(key()?);
            }
            places.push(Place { name, address, key: known.as_ref().unwrap_or(&shown).public_key().clone() });
            let (switch, password) = (Arc::new(switch), password.clone());
            runtime.spawn(server::serve(listener, shown, switch, password));
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
        let line = |place: &Place| {
            let key = place.key.to_openssh().unwrap_or_default();
            format!("[{}]:{} {key}\n", place.address.ip(), place.address.port())
        };
        self.places.iter().map(line).collect()
    }
}

fn key() -> std::io::Result<PrivateKey> {
    PrivateKey::random(&mut rand::rng(), Algorithm::Ed25519).map_err(std::io::Error::other)
}

fn password() -> String {
    let mut random = rand::rng();
    (0..12).map(|_| char::from(random.random_range(b'a'..=b'z'))).collect()
}
