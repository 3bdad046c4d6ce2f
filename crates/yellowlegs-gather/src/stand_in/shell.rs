//! What a stand-in says at its prompt: pure, a byte typed at a time. Its words are those of the dialect's `[session]`.

use std::fmt::Write as _;
use std::sync::Arc;

use yellowlegs_core::dialect::{Answer, Session};

use super::{Played, Trouble, USER};

/// Lines of a page.
const PAGE: usize = 24;

/// What is to be done after something was typed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Says {
    /// Written.
    Text(String),
    /// Written without end.
    Endless(String),
    /// Written, and then the connection ends.
    Last(String),
}

enum Stage {
    /// The questions of the session, one after the other.
    Asks(usize),
    /// The word that raises the mode is awaited.
    Raise,
    /// A command.
    Prompt,
    /// A page was written; what is left of the text.
    Page(Vec<String>),
    /// It says nothing more.
    Mute,
}

pub(super) struct Shell {
    played: Arc<Played>,
    password: String,
    stage: Stage,
    typed: String,
    raised: bool,
    pages: bool,
    /// How often each command was asked.
    asked: Vec<String>,
}

impl Shell {
    pub(super) fn new(played: Arc<Played>, password: String) -> Self {
        let pages = played.session().is_some_and(|s| !s.more.is_empty());
        Self { played, password, stage: Stage::Asks(0), typed: String::new(), raised: false, pages, asked: Vec::new() }
    }

    fn session(&self) -> Option<&Session> {
        self.played.session()
    }

    /// What it says first.
    pub(super) fn greet(&mut self) -> Says {
        let greeting = format!("\r\nMarram Ferries, {}. Not for passengers.\r\n\r\n", self.played.name);
        Says::Text(greeting + &self.next_question(0))
    }

    fn next_question(&mut self, at: usize) -> String {
        let asks = self.session().and_then(|s| s.login.get(at)).map(|q| q.asks.to_string());
        if let Some(asks) = asks {
            self.stage = Stage::Asks(at);
            return format!("{asks} ");
        }
        self.stage = Stage::Prompt;
        self.prompt()
    }

    fn prompt(&self) -> String {
        let Some(session) = self.session() else { return String::new() };
        let raised = session.raise.as_ref().filter(|_| self.raised).and_then(|raise| raise.prompts.first());
        raised.or(session.prompts.first()).map(|prompt| prompt.of(&self.played.name)).unwrap_or_default()
    }

    /// One byte is typed; what is said, the echo among it.
    pub(super) fn typed(&mut self, byte: u8) -> Vec<Says> {
        if matches!(self.stage, Stage::Mute) {
            return Vec::new();
        }
        if let Stage::Page(left) = &mut self.stage {
            let left = std::mem::take(left);
            return vec![self.page(left, true)];
        }
        if byte != b'\r' && byte != b'\n' {
            let Some(sign) = char::from_u32(byte.into()).filter(|c| !c.is_control()) else { return Vec::new() };
            self.typed.push(sign);
            // A secret is not shown.
            let is_secret = match self.stage {
                Stage::Asks(at) => {
                    self.session().and_then(|s| s.login.get(at)).is_some_and(|q| q.answer != Answer::User)
                }
                Stage::Raise => true,
                _ => false,
            };
            return if is_secret { Vec::new() } else { vec![Says::Text(sign.to_string())] };
        }
        let line = std::mem::take(&mut self.typed);
        let mut says = vec![Says::Text("\r\n".into())];
        says.extend(match self.stage {
            Stage::Asks(at) => vec![self.answered(at, &line)],
            Stage::Raise => {
                self.raised = line == self.password;
                self.stage = Stage::Prompt;
                vec![Says::Text(self.prompt())]
            }
            _ => self.command(line.trim()),
        });
        says
    }

    fn answered(&mut self, at: usize, line: &str) -> Says {
        let answer = self.session().and_then(|s| s.login.get(at)).map(|q| q.answer);
        let is_right = match answer {
            Some(Answer::User) => line == USER,
            Some(Answer::Password | Answer::Raise) => line == self.password,
            Some(Answer::Enter) | None => true,
        };
        // Wrong is asked again from the first.
        Says::Text(self.next_question(if is_right { at + 1 } else { 0 }))
    }

    fn command(&mut self, line: &str) -> Vec<Says> {
        let Some(session) = self.played.session().cloned() else { return Vec::new() };
        if line.is_empty() {
            return vec![Says::Text(self.prompt())];
        }
        if self.played.trouble == Some(Trouble::Hangs) {
            self.stage = Stage::Mute;
            return Vec::new();
        }
        if session.paging_off.iter().any(|off| &**off == line) {
            // One that loses pages has them whatever is said.
            self.pages &= self.played.trouble == Some(Trouble::LostPages);
            return vec![Says::Text(self.prompt())];
        }
        if let Some(raise) = session.raise.as_ref().filter(|raise| &*raise.send == line) {
            if let Some(asks) = &raise.asks {
                self.stage = Stage::Raise;
                return vec![Says::Text(format!("{asks} "))];
            }
            self.raised = true;
            return vec![Says::Text(self.prompt())];
        }
        let file = session.commands.iter().find(|command| &*command.send == line).map(|c| &*c.file);
        let text = file.and_then(|file| self.played.files.get(file)).cloned();
        let Some(text) = text else {
            let error = session.errors.first().map_or("no such command", |error| error);
            return vec![Says::Text(format!("{error} {line}\r\n{}", self.prompt()))];
        };
        vec![self.text(line, &text)]
    }

    /// A text, with the trouble that is played.
    fn text(&mut self, command: &str, text: &str) -> Says {
        let first = !self.asked.iter().any(|asked| asked == command);
        self.asked.push(command.to_owned());
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        match self.played.trouble {
            Some(Trouble::Stops) => {
                let half: Vec<String> = lines.drain(..lines.len() / 2).collect();
                return Says::Last(half.join("\r\n"));
            }
            Some(Trouble::Endless) => return Says::Endless(lines.join("\r\n") + "\r\n"),
            Some(Trouble::Garbage) => lines.iter_mut().for_each(|line| *line = scrambled(line)),
            Some(Trouble::Notice) => {
                lines = vec!["This account may read nothing here.".into(), "Ask the harbour.".into()];
            }
            Some(Trouble::PromptInside) => lines.insert(lines.len() / 2, self.prompt()),
            Some(Trouble::Escapes) => {
                lines.iter_mut().for_each(|line| *line = format!("\x1b[1;31m\x1b]0;mine\x07{line}\x1b[0m"));
            }
            Some(Trouble::LostPages) if first && lines.len() > PAGE => {
                drop(lines.drain(PAGE..lines.len().min(3 * PAGE)));
            }
            _ => {}
        }
        self.page(lines, false)
    }

    /// The next page of a text, and the sign that there is more, or the prompt.
    fn page(&mut self, mut lines: Vec<String>, turned: bool) -> Says {
        let session = self.played.session();
        let more = session.and_then(|s| s.more.first()).filter(|_| self.pages).cloned();
        let mut said = String::new();
        if let Some(more) = more.as_ref().filter(|_| turned) {
            // The sign is rubbed out.
            let _ = write!(said, "\r{}\r", " ".repeat(more.chars().count()));
        }
        let length = if more.is_some() { PAGE.min(lines.len()) } else { lines.len() };
        for line in lines.drain(..length) {
            said.push_str(&line);
            said.push_str("\r\n");
        }
        match more.filter(|_| !lines.is_empty()) {
            Some(more) => {
                said.push_str(&more);
                self.stage = Stage::Page(lines);
            }
            None => {
                self.stage = Stage::Prompt;
                said.push_str(&self.prompt());
            }
        }
        Says::Text(said)
    }
}

/// Signs without sense, the same for the same line.
fn scrambled(line: &str) -> String {
    let mut state = 2_166_136_261_u32;
    let mut sign = |byte: u8| {
        state = (state ^ u32::from(byte)).wrapping_mul(16_777_619);
        char::from(b'!' + (state >> 16) as u8 % 94)
    };
    line.bytes().map(&mut sign).collect()
}
