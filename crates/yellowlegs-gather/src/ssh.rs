//! SSH (RFC 4251 to 4254): connects to one switch, lets its account in, and lets the [`Talk`] have the session. Nothing but a shell is asked
//! for, and nothing but what the talk says is typed.

use std::borrow::Cow;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use jiff::Timestamp;
use russh::client::{self, AuthResult, Handle, KeyboardInteractiveAuthResponse};
use russh::keys::{Algorithm, HashAlg, PrivateKeyWithHashAlg, PublicKeyOrCertificate, agent, load_secret_key};
use russh::{ChannelMsg, Names, Preferred, cipher, kex, mac};
use secrecy::{ExposeSecret, SecretString};
use tokio::time::{Instant, timeout, timeout_at};
use yellowlegs_core::dialect::{Answer, Dialect};

use crate::credential::{Credential, Secrets, of_account, password};
use crate::entries::{Entry, SshWay};
use crate::fault::{Fault, Step};
use crate::host_keys::HostKeys;
use crate::talk::{Came, Next, StandsStill, Talk, TalkProblem};

/// So long nothing follows what may be a prompt.
const QUIET: Duration = Duration::from_millis(150);
/// The same of a page, which is turned often; and where it is turned wrongly, the next command has no echo.
const QUIET_PAGE: Duration = Duration::from_millis(30);
/// Wide, so that no switch breaks its lines; and not so high that pages would be off.
const COLUMNS: u32 = 250;
const ROWS: u32 = 60;

/// Algorithms that are offered only where an entry names them: SHA-1, CBC, and short groups.
static OLDER_KEX: [kex::Name; 3] = [kex::DH_G14_SHA1, kex::DH_GEX_SHA1, kex::DH_G1_SHA1];
static OLDER_CIPHERS: [cipher::Name; 3] = [cipher::AES_256_CBC, cipher::AES_192_CBC, cipher::AES_128_CBC];
static OLDER_MACS: [mac::Name; 2] = [mac::HMAC_SHA1_ETM, mac::HMAC_SHA1];
const OLDER_KEY: &str = "ssh-rsa";

/// The names of the older algorithms that can be asked for.
pub fn older_names() -> Vec<&'static str> {
    let (kex, ciphers) = (OLDER_KEX.iter().map(AsRef::as_ref), OLDER_CIPHERS.iter().map(AsRef::as_ref));
    let macs = OLDER_MACS.iter().map(AsRef::as_ref);
    kex.chain(ciphers).chain(macs).chain([OLDER_KEY]).collect()
}

/// What is offered: no SHA-1, no CBC, but what the entry names.
fn offered(older: &[String]) -> Preferred {
    let modern = Preferred::DEFAULT;
    let keys = modern.key.iter().filter(|key| !matches!(key, Algorithm::Rsa { hash: None })).cloned();
    let older_key = older.iter().any(|name| name == OLDER_KEY).then_some(Algorithm::Rsa { hash: None });
    Preferred {
        kex: with_older(&modern.kex, &OLDER_KEX, older),
        cipher: with_older(&modern.cipher, &OLDER_CIPHERS, older),
        mac: with_older(&modern.mac, &OLDER_MACS, older),
        key: Cow::Owned(keys.chain(older_key).collect()),
        ..modern
    }
}

/// The modern ones, then those of the older ones that are asked for by name. None at all is never offered.
fn with_older<N: Copy + PartialEq + AsRef<str>>(modern: &[N], older: &[N], asked: &[String]) -> Cow<'static, [N]> {
    let is_modern = |name: &&N| !older.contains(name) && !["none", "clear"].contains(&name.as_ref());
    let is_asked = |name: &&N| asked.iter().any(|asked| *asked == *name.as_ref());
    Cow::Owned(modern.iter().filter(is_modern).chain(older.iter().filter(is_asked)).copied().collect())
}

/// What came of one switch.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Gathered {
    /// Its files.
    pub files: Vec<Came>,
    /// Optional commands that it refused, each with what it said.
    pub refused: Vec<(Box<str>, String)>,
    /// How many escape sequences were dropped from what it wrote.
    pub escapes: usize,
    /// Older algorithms that were agreed on.
    pub older: Vec<String>,
}

/// Holds the key that a switch shows against the known ones.
struct Watch {
    keys: Arc<HostKeys>,
    host: String,
    port: u16,
    /// Why it is refused.
    fault: Arc<Mutex<Option<Fault>>>,
    /// Older algorithms that were agreed on.
    older: Arc<Mutex<Vec<String>>>,
}

impl client::Handler for Watch {
    type Error = russh::Error;

    async fn kex_done(&mut self, _: Option<&[u8]>, names: &Names, _: &mut client::Session) -> Result<(), Self::Error> {
        let agreed = [names.kex.as_ref(), names.cipher.as_ref(), names.client_mac.as_ref(), names.server_mac.as_ref()];
        let key = matches!(names.key, Algorithm::Rsa { hash: None }).then_some(OLDER_KEY);
        if let Ok(mut older) = self.older.lock() {
            older.extend(agreed.into_iter().filter(|name| older_names().contains(name)).chain(key).map(str::to_owned));
            older.sort();
            older.dedup();
        }
        Ok(())
    }

    async fn check_server_key(&mut self, key: &PublicKeyOrCertificate) -> Result<bool, Self::Error> {
        let PublicKeyOrCertificate::PublicKey { key, .. } = key else { return Ok(false) };
        match self.keys.check(&self.host, self.port, key) {
            Ok(()) => Ok(true),
            Err(fault) => {
                if let Ok(mut kept) = self.fault.lock() {
                    *kept = Some(fault);
                }
                Ok(false)
            }
        }
    }
}

/// What asking one switch needs besides its entry.
pub struct Asking {
    /// The known keys.
    pub keys: Arc<HostKeys>,
    /// Where secrets come from.
    pub secrets: Arc<dyn Secrets>,
    /// Names files that hold configuration.
    pub stands_still: StandsStill,
    /// Where `~` and paths of keys begin.
    pub home: Option<PathBuf>,
    /// The moment that is written into walks; nothing: when each is taken.
    pub taken: Option<Timestamp>,
}

/// A switch, and how it is asked.
#[derive(Clone, Copy)]
struct Asked<'e> {
    of: &'e Entry,
    way: &'e SshWay,
}

/// Asks one switch once.
pub async fn ask(entry: &Entry, way: &SshWay, dialect: &Arc<Dialect>, asking: &Asking) -> Result<Gathered, Fault> {
    let (whole, at) = (entry.limits.whole, Mutex::new(Step::Connect));
    let entry = Asked { of: entry, way };
    timeout(whole, all(entry, dialect, asking, &at)).await.unwrap_or_else(|_| {
        let step = at.lock().map_or(Step::Connect, |at| at.clone());
        Err(Fault::passing(step, format!("it was not done within {} s", whole.as_secs())))
    })
}

/// `at` is where it is, for whoever ends it from outside.
async fn all(entry: Asked<'_>, dialect: &Arc<Dialect>, asking: &Asking, at: &Mutex<Step>) -> Result<Gathered, Fault> {
    let talk =
        Talk::new(Arc::clone(dialect), entry.of.limits.most, Arc::clone(&asking.stands_still)).ok_or_else(|| {
            let hint = "docs/gather.md shows how a dialect says how one talks to its switches";
            Fault::lasting(Step::Connect, format!("the dialect {} has no [session]", dialect.name()), hint)
        })?;
    let secret = secret(entry, asking).await?;
    let connect = entry.of.limits.connect;
    let slow = |step| move |_| Fault::passing(step, format!("no answer within {} s", connect.as_secs()));
    let older = Arc::default();
    let connected = connected(entry, asking, Arc::clone(&older));
    let mut handle = timeout(connect, connected).await.map_err(slow(Step::Connect))??;
    timeout(connect, let_in(&mut handle, entry, asking, secret.as_ref())).await.map_err(slow(Step::LogIn))??;
    let gathered = talked(&handle, entry, asking, talk, secret.as_ref(), at).await;
    let _ = handle.disconnect(russh::Disconnect::ByApplication, "", "en").await;
    let mut gathered = gathered?;
    gathered.older = older.lock().map(|older| older.clone()).unwrap_or_default();
    Ok(gathered)
}

/// The account's password, where it has one. Whoever is asked may take time, and others go on.
async fn secret(entry: Asked<'_>, asking: &Asking) -> Result<Option<SecretString>, Fault> {
    let (credential, secrets) = (entry.way.credential.clone(), Arc::clone(&asking.secrets));
    let what = of_account(&entry.way.user);
    let fetched = tokio::task::spawn_blocking(move || password(&credential, &what, &*secrets)).await;
    fetched.unwrap_or_else(|error| Err(Fault::passing(Step::Credential, error.to_string())))
}

async fn connected(entry: Asked<'_>, asking: &Asking, older: Arc<Mutex<Vec<String>>>) -> Result<Handle<Watch>, Fault> {
    let config = client::Config {
        preferred: offered(&entry.way.older),
        keepalive_interval: Some(entry.of.limits.silence),
        nodelay: true,
        ..client::Config::default()
    };
    let fault = Arc::new(Mutex::new(None));
    let watch = Watch {
        keys: Arc::clone(&asking.keys),
        host: entry.of.address.clone(),
        port: entry.way.port,
        fault: Arc::clone(&fault),
        older,
    };
    let connected = client::connect(Arc::new(config), (entry.of.address.as_str(), entry.way.port), watch).await;
    connected.map_err(|error| {
        if let Some(fault) = fault.lock().ok().and_then(|mut kept| kept.take()) {
            return fault;
        }
        match error {
            russh::Error::NoCommonAlgo { kind, theirs, .. } => {
                let theirs: Vec<&str> =
                    theirs.iter().map(AsRef::as_ref).filter(|name| older_names().contains(name)).collect();
                let what = format!("no {kind:?} algorithm is offered on both ends");
                let hint = if theirs.is_empty() {
                    "it offers none that is known here".to_owned()
                } else {
                    format!(
                        "it is an old one: allow one of them in its entry, `older-algorithms = [\"{}\"]`",
                        theirs.join("\", \"")
                    )
                };
                Fault::lasting(Step::Connect, what, hint)
            }
            other => Fault::passing(Step::Connect, format!("{}:{}: {other}", entry.of.address, entry.way.port)),
        }
    })
}

fn refused(entry: Asked<'_>, what: &str) -> Fault {
    let hint =
        "it is not tried again, so that the account is not locked; check `user` and `credential` in switches.toml";
    Fault::lasting(Step::LogIn, format!("{} is refused: {what}", entry.way.user), hint)
}

async fn let_in(
    handle: &mut Handle<Watch>,
    entry: Asked<'_>,
    asking: &Asking,
    secret: Option<&SecretString>,
) -> Result<(), Fault> {
    let lost = |error: russh::Error| Fault::passing(Step::LogIn, error.to_string());
    match &entry.way.credential {
        Credential::Agent => by_agent(handle, entry).await,
        Credential::Key(file) => {
            let path = at_home(file, asking.home.as_deref());
            let key = load_secret_key(&path, None).map_err(|error| {
                let hint = "it is OpenSSH's form without a passphrase; a key with one belongs to the agent";
                Fault::lasting(Step::Credential, format!("{}: {error}", file.display()), hint)
            })?;
            let hash = handle.best_supported_rsa_hash().await.map_err(lost)?.flatten();
            let key = PrivateKeyWithHashAlg::new(Arc::new(key), hash.or(Some(HashAlg::Sha256)));
            match handle.authenticate_publickey(&entry.way.user, key).await.map_err(lost)? {
                AuthResult::Success => Ok(()),
                AuthResult::Failure { .. } => Err(refused(entry, "its key")),
            }
        }
        Credential::Environment(_) | Credential::Prompt => {
            let Some(secret) = secret else { return Err(refused(entry, "no password")) };
            match handle.authenticate_password(&entry.way.user, secret.expose_secret()).await.map_err(lost)? {
                AuthResult::Success => Ok(()),
                AuthResult::Failure { remaining_methods, .. }
                    if remaining_methods.contains(&russh::MethodKind::KeyboardInteractive) =>
                {
                    by_questions(handle, entry, secret).await
                }
                AuthResult::Failure { .. } => Err(refused(entry, "its password")),
            }
        }
    }
}

/// RFC 4256: the switch asks, once, and for one thing.
async fn by_questions(handle: &mut Handle<Watch>, entry: Asked<'_>, secret: &SecretString) -> Result<(), Fault> {
    let lost = |error: russh::Error| Fault::passing(Step::LogIn, error.to_string());
    let mut said =
        handle.authenticate_keyboard_interactive_start(&entry.way.user, None::<String>).await.map_err(lost)?;
    let mut told = false;
    // Some switches ask for nothing at the end.
    for _ in 0..4 {
        let answers = match said {
            KeyboardInteractiveAuthResponse::Success => return Ok(()),
            KeyboardInteractiveAuthResponse::Failure { .. } => break,
            KeyboardInteractiveAuthResponse::InfoRequest { prompts, .. } => match prompts.len() {
                0 => Vec::new(),
                1 if !told => {
                    told = true;
                    vec![secret.expose_secret().to_owned()]
                }
                _ => break,
            },
        };
        said = handle.authenticate_keyboard_interactive_respond(answers).await.map_err(lost)?;
    }
    Err(refused(entry, "its password"))
}

async fn by_agent(handle: &mut Handle<Watch>, entry: Asked<'_>) -> Result<(), Fault> {
    let lost = |error: russh::Error| Fault::passing(Step::LogIn, error.to_string());
    let none = |error: russh::keys::Error| {
        let hint = "start an agent and add the key to it, or say another `credential` in switches.toml";
        Fault::lasting(Step::Credential, format!("no agent answers: {error}"), hint)
    };
    let mut client = agent::client::AgentClient::connect_env().await.map_err(none)?;
    let identities = client.request_identities().await.map_err(none)?;
    let hash = handle.best_supported_rsa_hash().await.map_err(lost)?.flatten();
    // A switch counts offers as tries.
    for identity in identities.iter().take(4) {
        let agent::AgentIdentity::PublicKey { key, .. } = identity else { continue };
        let hash = key.algorithm().is_rsa().then_some(hash).flatten();
        let result = handle.authenticate_publickey_with(&entry.way.user, key.clone(), hash, &mut client).await;
        if result.is_ok_and(|result| result.success()) {
            return Ok(());
        }
    }
    Err(refused(entry, "each key of the agent (the first four are offered)"))
}

/// A path that begins with `~/`.
fn at_home(path: &Path, home: Option<&Path>) -> PathBuf {
    match (path.strip_prefix("~"), home) {
        (Ok(rest), Some(home)) => home.join(rest),
        _ => path.to_owned(),
    }
}

/// Where a talk is.
fn step(talk: &Talk) -> Step {
    talk.awaited().map_or(Step::LogIn, |send| Step::Command(send.to_owned()))
}

/// Lets the talk have the session.
async fn talked(
    handle: &Handle<Watch>,
    entry: Asked<'_>,
    asking: &Asking,
    mut talk: Talk,
    secret: Option<&SecretString>,
    at: &Mutex<Step>,
) -> Result<Gathered, Fault> {
    let lost = |error: russh::Error| Fault::passing(Step::LogIn, error.to_string());
    let mut channel = handle.channel_open_session().await.map_err(lost)?;
    channel.request_pty(false, "dumb", COLUMNS, ROWS, 0, 0, &[]).await.map_err(lost)?;
    channel.request_shell(false).await.map_err(lost)?;
    loop {
        if let Ok(mut at) = at.lock() {
            *at = step(&talk);
        }
        let acts = talk.may_act();
        let quiet = if talk.may_turn() { QUIET_PAGE } else { QUIET };
        let until = Instant::now() + if acts { quiet } else { entry.of.limits.silence };
        let heard = timeout_at(until, channel.wait()).await;
        let next = match heard {
            Ok(Some(ChannelMsg::Data { data } | ChannelMsg::ExtendedData { data, .. })) => {
                talk.hear(&data).map_err(|problem| told(step(&talk), &problem))?;
                None
            }
            Ok(Some(ChannelMsg::Eof | ChannelMsg::Close) | None) => {
                return Err(Fault::passing(step(&talk), "the connection ended in the middle"));
            }
            Ok(Some(_)) => None,
            Err(_) if acts => {
                let at = step(&talk);
                talk.act().map_err(|problem| told(at, &problem))?
            }
            Err(_) => {
                let (seconds, last) = (entry.of.limits.silence.as_secs(), talk.last_line());
                let last = if matches!(step(&talk), Step::LogIn) { scrubbed(&last, secret) } else { last };
                let what = format!(
                    "nothing came for {seconds} s, and no prompt of the dialect; the last line is `{}`",
                    last.trim()
                );
                return Err(Fault::passing(step(&talk), what));
            }
        };
        match next {
            None => {}
            Some(Next::Type(text)) => channel.data(text.as_bytes()).await.map_err(lost)?,
            Some(Next::Secret(answer)) => {
                let mut line = typed(entry, asking, answer, secret).await?;
                line.push('\r');
                let sent = channel.data(line.as_bytes()).await;
                secrecy::zeroize::Zeroize::zeroize(&mut line);
                sent.map_err(lost)?;
            }
            Some(Next::Done) => {
                let escapes = talk.escapes();
                let (files, refused) = talk.into_parts();
                return Ok(Gathered { files, refused, escapes, older: Vec::new() });
            }
        }
    }
}

/// A line without the secret that a switch may have echoed.
fn scrubbed(line: &str, secret: Option<&SecretString>) -> String {
    match secret.map(ExposeSecret::expose_secret).filter(|secret| !secret.is_empty()) {
        Some(secret) => line.replace(secret, "…"),
        None => line.to_owned(),
    }
}

/// What answers a question of the session.
async fn typed(
    entry: Asked<'_>,
    asking: &Asking,
    answer: Answer,
    secret: Option<&SecretString>,
) -> Result<String, Fault> {
    let account = || secret.map(|secret| secret.expose_secret().to_owned());
    let nothing = |what: &str| {
        let hint = "say where it is: `raise = { environment = \"NAME\" }`";
        Fault::lasting(Step::LogIn, format!("it asks for {what}, and the entry has none"), hint)
    };
    match answer {
        Answer::User => Ok(entry.way.user.clone()),
        Answer::Enter => Ok(String::new()),
        Answer::Password => account().ok_or_else(|| nothing("a password")),
        Answer::Raise => {
            let Some(credential) = entry.way.raise.clone() else {
                return account().ok_or_else(|| nothing("the word that raises the mode"));
            };
            let secrets = Arc::clone(&asking.secrets);
            let what = format!("the word that raises the mode of {}", entry.of.name);
            let fetched = tokio::task::spawn_blocking(move || password(&credential, &what, &*secrets)).await;
            let fetched = fetched.unwrap_or_else(|error| Err(Fault::passing(Step::Credential, error.to_string())))?;
            fetched.map(|word| word.expose_secret().to_owned()).ok_or_else(|| nothing("the word that raises the mode"))
        }
    }
}

fn told(step: Step, problem: &TalkProblem) -> Fault {
    let (hint, passing) = match problem {
        TalkProblem::Refused { .. } => ("check `user`, `credential` and `raise` in switches.toml", false),
        TalkProblem::NotRaised => ("check `raise` in the dialect's [session] and in switches.toml", false),
        TalkProblem::Command { .. } => {
            ("check the dialect's [session], and what the account may do; `optional = true` passes over it", false)
        }
        TalkProblem::Empty => ("check the dialect's [session]; `optional = true` passes over it", false),
        TalkProblem::Endless { .. } => {
            ("it is no text of a switch, or the dialect's prompt is not the switch's", false)
        }
        TalkProblem::NoEcho { .. } | TalkProblem::Unlike { .. } | TalkProblem::NotDone { .. } => {
            ("the way to it is slow or loses text; nothing of it was kept", true)
        }
    };
    Fault { step, what: problem.to_string(), hint: Some(hint.into()), passing }
}
