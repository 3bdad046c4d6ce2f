//! The agent of a stand-in: answers version 2c and version 3 with the objects of its switch, on a UDP port of this machine alone.

use std::collections::BTreeMap;
use std::convert::Infallible;
use std::net::SocketAddr;
use std::ops::Bound;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;

use async_snmp::agent::Agent;
use async_snmp::handler::{BoxFuture, GetNextResult, GetResult, HandlerResult, MibHandler, RequestContext};
use async_snmp::v3::{AuthoritativeEngine, generate_engine_id};
use async_snmp::{AuthProtocol, Oid, PrivProtocol, Value, VarBind};
use tokio::net::UdpSocket;
use yellowlegs_core::walk::{Told, WalkedValue};

use super::{Trouble, USER};

/// So many objects are given before a stand-in that stops does so.
const STOPS_AFTER: usize = 100;
/// What a slow one takes for each object.
const SLOW: Duration = Duration::from_millis(2);
/// The column of interfaces that never ends (RFC 2863, ifDescr).
const ENDLESS: &[u32] = &[1, 3, 6, 1, 2, 1, 2, 2, 1, 2];

/// Begins to answer; where, or nothing where it is not to be reached.
pub(super) async fn start(told: &Told, trouble: Option<Trouble>, word: &str) -> std::io::Result<SocketAddr> {
    match trouble {
        // A port that is free again: nobody is there.
        Some(Trouble::Refuses) => return UdpSocket::bind("127.0.0.1:0").await?.local_addr(),
        Some(Trouble::Hangs) => return answering(|_| None).await,
        Some(Trouble::Garbage) => return answering(|bytes| Some(bytes.iter().map(|byte| byte ^ 0x5a).collect())).await,
        _ => {}
    }
    let word = if trouble == Some(Trouble::WrongPassword) { format!("{word}-no-more") } else { word.to_owned() };
    let user = word.clone();
    let engine = engine()?;
    let objects: BTreeMap<Oid, Value> = told.iter().map(|(oid, value)| object(oid.arcs(), value, trouble)).collect();
    let agent = Agent::builder()
        .bind("127.0.0.1:0")
        .community(word.into_bytes())
        .authoritative_engine(engine)
        .usm_user(USER, |known| known.auth_priv(AuthProtocol::Sha256, &user, PrivProtocol::Aes128, &user))
        .map_err(std::io::Error::other)?
        .handler(Oid::from_slice(&[1]), Arc::new(Objects { objects, trouble, given: AtomicUsize::new(0) }))
        .without_builtin_handlers()
        .allow_all_access()
        .build()
        .await
        .map_err(std::io::Error::other)?;
    let address = agent.local_addr();
    tokio::spawn(async move { agent.run().await });
    Ok(address)
}

fn engine() -> std::io::Result<AuthoritativeEngine> {
    let id = generate_engine_id().map_err(std::io::Error::other)?;
    // It lives as long as this program: nothing of it is kept.
    AuthoritativeEngine::install(id, |_| Ok::<(), Infallible>(())).map_err(std::io::Error::other)
}

/// A port where something else than an agent answers, or nothing does.
async fn answering(with: impl Fn(&[u8]) -> Option<Vec<u8>> + Send + 'static) -> std::io::Result<SocketAddr> {
    let socket = UdpSocket::bind("127.0.0.1:0").await?;
    let address = socket.local_addr()?;
    tokio::spawn(async move {
        let mut bytes = [0; 2048];
        while let Ok((length, from)) = socket.recv_from(&mut bytes).await {
            if let Some(answer) = with(bytes.get(..length).unwrap_or_default()) {
                let _ = socket.send_to(&answer, from).await;
            }
        }
    });
    Ok(address)
}

fn object(arcs: &[u32], value: &WalkedValue, trouble: Option<Trouble>) -> (Oid, Value) {
    let value = match value {
        WalkedValue::Integer(number) => Value::Integer(*number),
        WalkedValue::Gauge(number) => Value::Gauge32(*number),
        WalkedValue::Counter(number) => Value::Counter32(*number),
        WalkedValue::Counter64(number) => Value::Counter64(*number),
        WalkedValue::Ticks(number) => Value::TimeTicks(*number),
        WalkedValue::Octets(octets) if trouble == Some(Trouble::Escapes) => {
            Value::OctetString([b"\x1b[2J\x1b]0;owned\x07", octets.as_slice()].concat().into())
        }
        WalkedValue::Octets(octets) => Value::OctetString(octets.clone().into()),
        WalkedValue::Oid(oid) => Value::ObjectIdentifier(Oid::from_slice(oid.arcs())),
        WalkedValue::Address(address) => Value::IpAddress(address.octets()),
    };
    (Oid::from_slice(arcs), value)
}

/// The objects of a switch. Nothing of them can be set.
struct Objects {
    objects: BTreeMap<Oid, Value>,
    trouble: Option<Trouble>,
    given: AtomicUsize,
}

impl Objects {
    fn next(&self, oid: &Oid) -> Option<(Oid, Value)> {
        if self.trouble == Some(Trouble::Endless) && oid.arcs().starts_with(ENDLESS) {
            let last = oid.arcs().get(ENDLESS.len()).copied().unwrap_or_default();
            let next = [ENDLESS, &[last.saturating_add(1)]].concat();
            return Some((Oid::from_slice(&next), Value::OctetString(vec![b'x'; 1000].into())));
        }
        let mut behind = self.objects.range((Bound::Excluded(oid.clone()), Bound::Unbounded));
        behind.next().map(|(oid, value)| (oid.clone(), value.clone()))
    }
}

impl MibHandler for Objects {
    fn get<'a>(&'a self, _: &'a RequestContext, oid: &'a Oid) -> BoxFuture<'a, HandlerResult<GetResult>> {
        Box::pin(async move { Ok(self.objects.get(oid).cloned().map_or(GetResult::NoSuchObject, GetResult::Value)) })
    }

    fn get_next<'a>(&'a self, _: &'a RequestContext, oid: &'a Oid) -> BoxFuture<'a, HandlerResult<GetNextResult>> {
        Box::pin(async move {
            let given = self.given.fetch_add(1, Ordering::Relaxed);
            if self.trouble == Some(Trouble::Stops) && given >= STOPS_AFTER {
                std::future::pending::<()>().await;
            }
            if self.trouble == Some(Trouble::Slow) {
                tokio::time::sleep(SLOW).await;
            }
            let next = self.next(oid);
            Ok(next.map_or(GetNextResult::EndOfMibView, |(oid, value)| GetNextResult::Value(VarBind::new(oid, value))))
        })
    }
}
