//! SSH around a stand-in's shell (RFC 4252, 4254): one account, a password, a shell, and nothing else.

use std::sync::Arc;
use std::time::Duration;

use russh::keys::PrivateKey;
use russh::server::{Auth, ChannelOpenHandle, Config, Handle, Handler, Msg, Session, run_stream};
use russh::{Channel, ChannelId, MethodKind, MethodSet};
use tokio::net::TcpListener;
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender, unbounded_channel};

use super::shell::{Says, Shell};
use super::{Played, Trouble, USER};

/// Between two bytes of a slow one.
const SLOW: Duration = Duration::from_millis(1);

/// Takes connections until the runtime ends.
pub(super) async fn serve(listener: TcpListener, key: PrivateKey, played: Arc<Played>, password: String) {
    let config = Arc::new(Config {
        keys: vec![key],
        methods: MethodSet::from([MethodKind::Password].as_slice()),
        auth_rejection_time: Duration::from_millis(100),
        auth_rejection_time_initial: Some(Duration::ZERO),
        nodelay: true,
        ..Config::default()
    });
    loop {
        let Ok((stream, _)) = listener.accept().await else {
            // Too many files are open: some of them will be closed.
            tokio::time::sleep(Duration::from_millis(50)).await;
            continue;
        };
        if played.trouble == Some(Trouble::Refuses) {
            continue;
        }
        let visit = Visit { played: Arc::clone(&played), password: password.clone(), shell: None, writer: None };
        let config = Arc::clone(&config);
        tokio::spawn(async move {
            if let Ok(session) = run_stream(config, stream, visit).await {
                let _ = session.await;
            }
        });
    }
}

/// One connection.
struct Visit {
    played: Arc<Played>,
    password: String,
    shell: Option<Shell>,
    writer: Option<UnboundedSender<Says>>,
}

impl Visit {
    fn say(&self, says: impl IntoIterator<Item = Says>) {
        for says in says {
            // Whoever went away hears nothing.
            let _ = self.writer.as_ref().map(|writer| writer.send(says));
        }
    }
}

impl Handler for Visit {
    type Error = russh::Error;

    async fn auth_password(&mut self, user: &str, password: &str) -> Result<Auth, Self::Error> {
        let is_right = user == USER && password == self.password && self.played.trouble != Some(Trouble::WrongPassword);
        Ok(if is_right { Auth::Accept } else { Auth::reject() })
    }

    async fn channel_open_session(
        &mut self,
        channel: Channel<Msg>,
        reply: ChannelOpenHandle,
        session: &mut Session,
    ) -> Result<(), Self::Error> {
        let (send, says) = unbounded_channel();
        self.writer = Some(send);
        let slow = (self.played.trouble == Some(Trouble::Slow)).then_some(SLOW);
        tokio::spawn(write(session.handle(), channel.id(), says, slow));
        reply.accept().await;
        Ok(())
    }

    async fn shell_request(&mut self, channel: ChannelId, session: &mut Session) -> Result<(), Self::Error> {
        session.channel_success(channel)?;
        let mut shell = Shell::new(Arc::clone(&self.played), self.password.clone());
        self.say([shell.greet()]);
        self.shell = Some(shell);
        Ok(())
    }

    async fn data(&mut self, _: ChannelId, data: &[u8], _: &mut Session) -> Result<(), Self::Error> {
        let Some(mut shell) = self.shell.take() else { return Ok(()) };
        data.iter().for_each(|byte| self.say(shell.typed(*byte)));
        self.shell = Some(shell);
        Ok(())
    }
}

/// Writes what is said, and waits for whoever reads it.
async fn write(handle: Handle, channel: ChannelId, mut says: UnboundedReceiver<Says>, slow: Option<Duration>) {
    while let Some(said) = says.recv().await {
        let (text, ends, again) = match said {
            Says::Text(text) => (text, false, false),
            Says::Last(text) => (text, true, false),
            Says::Endless(text) => (text, false, true),
        };
        loop {
            let piece = if slow.is_some() { 1 } else { 16 << 10 };
            for bytes in text.as_bytes().chunks(piece) {
                if handle.data(channel, bytes.to_vec()).await.is_err() {
                    return;
                }
                if let Some(slow) = slow {
                    tokio::time::sleep(slow).await;
                }
            }
            if !again {
                break;
            }
        }
        if ends {
            let _ = handle.close(channel).await;
            return;
        }
    }
}
