//! SNMP (RFC 3411 to 3418; RFC 1901 for version 2c): walks a switch's agent and keeps what it answers as a text, an object a line. Only the requests
//! that read are ever made: `get` and the bulk walk.

use std::sync::Arc;

use async_snmp::{Auth, AuthProtocol, Client, Error, ErrorKind, PrivProtocol, Retry, UsmConfig, Value, VarBind};
use jiff::Timestamp;
use secrecy::{ExposeSecret, SecretString};
use tokio::time::timeout;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::model::Oid;
use yellowlegs_core::walk::{self, WalkedValue};

use crate::credential::{Credential, Secrets, of_account, password};
use crate::entries::{Cipher, Entry, Hash, Known, SnmpWay};
use crate::fault::{Fault, Step};

/// The file of a switch's folder that a walk becomes.
pub const FILE: &str = "agent.walk";
/// So many objects are asked for in one message: fewer than fill one.
const AT_ONCE: u32 = 25;
/// What a switch is told to be by who made it (sysObjectID, RFC 3418): the first thing that is asked.
const IDENTIFIER: &[u32] = &[1, 3, 6, 1, 2, 1, 1, 2, 0];
/// The table of interfaces (RFC 2863, ifEntry): without it nothing is known of ports.
const INTERFACES: &[u32] = &[1, 3, 6, 1, 2, 1, 2, 2, 1];

/// What to do where an agent does not take who asks.
const CHECK_WHO: &str =
    "it is not tried again; check `user`, `hash`, `cipher` and the secrets of `snmp` in switches.toml";

/// What an agent answered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Walked {
    /// The text of the walk.
    pub text: String,
    /// What was used that is no longer thought safe.
    pub older: Vec<String>,
}

/// Walks one switch once: the parts that the standards' readers know, and those that its dialect names. `taken` is written into the text.
pub async fn ask(
    entry: &Entry,
    way: &SnmpWay,
    dialect: Option<&Arc<Dialect>>,
    secrets: &Arc<dyn Secrets>,
    taken: Timestamp,
) -> Result<Walked, Fault> {
    let whole = entry.limits.whole;
    let late = || Fault::passing(Step::Agent, format!("it was not done within {} s", whole.as_secs()));
    timeout(whole, all(entry, way, dialect, secrets, taken)).await.unwrap_or_else(|_| Err(late()))
}

async fn all(
    entry: &Entry,
    way: &SnmpWay,
    dialect: Option<&Arc<Dialect>>,
    secrets: &Arc<dyn Secrets>,
    taken: Timestamp,
) -> Result<Walked, Fault> {
    let auth = auth(entry, way, secrets).await?;
    let tries = Retry::fixed(2, std::time::Duration::ZERO).unwrap_or_default();
    let connecting = Client::builder((entry.address.as_str(), way.port), auth)
        .request_timeout(entry.limits.connect / 3)
        .retry(tries)
        .connect();
    let client = connecting.await.map_err(|error| told(entry, way, Step::Agent, &error))?;
    // One object first: whoever is not let in, or asks where nobody is, hears of it here.
    if let Err(error) = client.get(&oid(IDENTIFIER)).await {
        let fault = told(entry, way, Step::Agent, &error);
        return Err(if fault.passing && is_there(entry, way).await { not_known(entry, way) } else { fault });
    }
    let mut text = format!("{}\n", walk::taken_line(taken));
    for root in roots(dialect) {
        let step = || Step::Walk(Oid::new(root.clone()).to_string());
        let mut stream = client.bulk_walk(oid(&root), AT_ONCE).map_err(|error| told(entry, way, step(), &error))?;
        let mut count = 0;
        while let Some(next) = stream.next().await {
            let VarBind { oid, value, .. } = next.map_err(|error| told(entry, way, step(), &error))?;
            let Some(value) = value_of(value) else { continue };
            text.push_str(&walk::line(oid.arcs(), &value));
            text.push('\n');
            count += 1;
            if text.len() > entry.limits.most {
                let what = format!("more than {} bytes, and no end", entry.limits.most);
                return Err(Fault::lasting(step(), what, "it is no agent of a switch, or it never ends"));
            }
        }
        if INTERFACES.starts_with(&root) && count == 0 {
            let hint = "the account sees too little of it: let it read the standard objects (docs/gather.md)";
            return Err(Fault::lasting(step(), "nothing came of its interfaces", hint));
        }
        text.push_str(&walk::walked_line(&root, count));
        text.push('\n');
    }
    Ok(Walked { text, older: older(&way.known) })
}

/// Whether an agent of version 3 is there at all: to whom it does not know it says so, and to a wrong word nothing that can be believed.
async fn is_there(entry: &Entry, way: &SnmpWay) -> bool {
    if matches!(way.known, Known::Community(_)) {
        return false;
    }
    let connecting = Client::builder((entry.address.as_str(), way.port), Auth::usm("nobody"))
        .request_timeout(entry.limits.connect / 3)
        .connect();
    let Ok(client) = connecting.await else { return false };
    match client.get(&oid(IDENTIFIER)).await {
        Ok(_) => true,
        Err(error) => matches!(error.kind(), ErrorKind::Auth | ErrorKind::Report),
    }
}

/// An agent that is there and does not take who asks.
fn not_known(entry: &Entry, way: &SnmpWay) -> Fault {
    let what = format!("{}:{}: its agent is there and does not take who asks", entry.address, way.port);
    Fault::lasting(Step::Agent, what, CHECK_WHO)
}

/// What is asked for: what the standards' readers know, and the dialect's own.
fn roots(dialect: Option<&Arc<Dialect>>) -> Vec<Vec<u32>> {
    let mut roots: Vec<Vec<u32>> = walk::ROOTS.iter().map(|root| root.to_vec()).collect();
    let own = dialect.into_iter().flat_map(|dialect| &dialect.objects().tables);
    for entry in own.map(|table| table.entry.arcs()) {
        if !roots.iter().any(|root| entry.starts_with(root)) {
            roots.retain(|root| !root.starts_with(entry));
            roots.push(entry.to_vec());
        }
    }
    roots
}

fn oid(arcs: &[u32]) -> async_snmp::Oid {
    async_snmp::Oid::from_slice(arcs)
}

/// A value as the walk keeps it; what says that there is none is left out.
fn value_of(value: Value) -> Option<WalkedValue> {
    Some(match value {
        Value::Integer(number) => WalkedValue::Integer(number),
        Value::OctetString(octets) => WalkedValue::Octets(octets.to_vec()),
        Value::ObjectIdentifier(oid) => WalkedValue::Oid(Oid::new(oid.arcs())),
        Value::IpAddress(octets) => WalkedValue::Address(octets.into()),
        Value::Counter32(number) => WalkedValue::Counter(number),
        Value::Gauge32(number) | Value::UInteger32(number) => WalkedValue::Gauge(number),
        Value::TimeTicks(number) => WalkedValue::Ticks(number),
        Value::Counter64(number) => WalkedValue::Counter64(number),
        _ => return None,
    })
}

/// Who asks, with the secrets from wherever they are.
async fn auth(entry: &Entry, way: &SnmpWay, secrets: &Arc<dyn Secrets>) -> Result<Auth, Fault> {
    match &way.known {
        Known::Community(credential) => {
            let word = secret(credential, &format!("the community of {}", entry.name), secrets).await?;
            Ok(Auth::v2c(word.expose_secret().as_bytes().to_vec()))
        }
        Known::User { user, hash, cipher, authentication, privacy } => {
            let own = secret(authentication, &of_account(user), secrets).await?;
            let hidden = if authentication == privacy {
                own.clone()
            } else {
                secret(privacy, &format!("the word for privacy of {user}"), secrets).await?
            };
            let config = UsmConfig::new(user.clone().into_bytes()).auth_priv(
                hash_of(*hash),
                own.expose_secret(),
                cipher_of(*cipher),
                hidden.expose_secret(),
            );
            config.map(Into::into).map_err(|error| {
                let hint = "version 3 takes words of at least eight signs (RFC 3414, 11.2)";
                Fault::lasting(Step::Credential, format!("{user} cannot ask: {error}"), hint)
            })
        }
    }
}

async fn secret(credential: &Credential, what: &str, secrets: &Arc<dyn Secrets>) -> Result<SecretString, Fault> {
    let (credential, what, secrets) = (credential.clone(), what.to_owned(), Arc::clone(secrets));
    let fetched = tokio::task::spawn_blocking(move || password(&credential, &what, &*secrets)).await;
    let fetched = fetched.unwrap_or_else(|error| Err(Fault::passing(Step::Credential, error.to_string())))?;
    fetched.ok_or_else(|| {
        let hint = "say where its word is: `snmp = { authentication = { environment = \"NAME\" } }`";
        Fault::lasting(Step::Credential, "an agent of a switch knows words, and no keys", hint)
    })
}

pub(crate) fn hash_of(hash: Hash) -> AuthProtocol {
    match hash {
        Hash::Md5 => AuthProtocol::Md5,
        Hash::Sha1 => AuthProtocol::Sha1,
        Hash::Sha224 => AuthProtocol::Sha224,
        Hash::Sha256 => AuthProtocol::Sha256,
        Hash::Sha384 => AuthProtocol::Sha384,
        Hash::Sha512 => AuthProtocol::Sha512,
    }
}

pub(crate) fn cipher_of(cipher: Cipher) -> PrivProtocol {
    match cipher {
        Cipher::Des => PrivProtocol::Des,
        Cipher::Aes128 => PrivProtocol::Aes128,
        Cipher::Aes256 => PrivProtocol::Aes256Blumenthal,
    }
}

/// What is used that is no longer thought safe.
fn older(known: &Known) -> Vec<String> {
    match known {
        Known::Community(_) => vec!["version 2c, which everybody on the way can read".to_owned()],
        Known::User { hash, cipher, .. } => {
            let hash = Hash::ALL.iter().find(|(_, known)| known == hash && matches!(known, Hash::Md5 | Hash::Sha1));
            let cipher = Cipher::ALL.iter().find(|(_, known)| known == cipher && *known == Cipher::Des);
            hash.map(|(name, _)| *name).into_iter().chain(cipher.map(|(name, _)| *name)).map(str::to_owned).collect()
        }
    }
}

/// What went wrong, in words of this trade. An agent that knows a community does not answer to another: silence is all that is heard.
fn told(entry: &Entry, way: &SnmpWay, step: Step, error: &Error) -> Fault {
    let place = format!("{}:{}", entry.address, way.port);
    match error.kind() {
        ErrorKind::Timeout | ErrorKind::ConstructionTimeout => {
            let hint = match way.known {
                Known::Community(_) => {
                    "an agent does not answer to a community that it does not know; it may also be off, or not reached"
                }
                Known::User { .. } => "its agent may be off, or not be reached from here",
            };
            let what = format!("{place}: no answer within {} s", entry.limits.connect.as_secs());
            Fault { step, what, hint: Some(hint.to_owned()), passing: true }
        }
        ErrorKind::Auth | ErrorKind::Report => {
            let hint =
                "it is not tried again; check `user`, `hash`, `cipher` and the secrets of `snmp` in switches.toml";
            Fault::lasting(step, format!("{place}: it does not let in who asks: {error}"), hint)
        }
        ErrorKind::WalkAborted => {
            let hint = "its agent gives objects in no order; a newer system of the switch may mend that";
            Fault::lasting(step, format!("{place}: {error}"), hint)
        }
        ErrorKind::Config | ErrorKind::InvalidMessage | ErrorKind::InvalidOid | ErrorKind::Privacy => {
            Fault::lasting(step, format!("{place}: {error}"), "check `snmp` in switches.toml")
        }
        _ => Fault::passing(step, format!("{place}: {error}")),
    }
}
