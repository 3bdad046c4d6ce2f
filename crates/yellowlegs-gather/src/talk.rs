//! A session with one switch, without the network: what it writes goes in, what is typed comes out. The same bytes in whatever pieces come to
//! the same.
//!
//! A prompt ends an answer only where nothing follows it: whoever drives a talk waits a moment whenever it [`Talk::may_act`], and tells it by
//! [`Talk::act`] that all was quiet. A line of a text that looks like the prompt is passed over so; and should a switch rest just there, what
//! comes late stands where the next command's echo is awaited, which is an error.

use std::sync::Arc;

use yellowlegs_core::dialect::{Answer, Command, Dialect, Prompt, Session};

use crate::screen::Screen;

/// What is to be typed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Next {
    /// A text that anybody may see.
    Type(String),
    /// What the account knows, and the end of the line. Whoever has it types it; it never comes by here.
    Secret(Answer),
    /// Nothing: it is over.
    Done,
}

/// Why a session cannot go on.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TalkProblem {
    /// The same question again.
    #[error("it asks `{asks}` again: what was answered is refused")]
    Refused {
        /// The question.
        asks: String,
    },
    /// The raised mode was not reached.
    #[error("the mode was not raised: it prompts as before")]
    NotRaised,
    /// A command it does not know, or may not run.
    #[error("it refuses the command: {said}")]
    Command {
        /// The line that says so.
        said: String,
    },
    /// Something else came where the command's echo was awaited.
    #[error("what came is not the answer to the command: it begins with `{found}`")]
    NoEcho {
        /// What came.
        found: String,
    },
    /// Nothing in it.
    #[error("the answer is empty")]
    Empty,
    /// More than a text of a switch is.
    #[error("the answer is longer than {most} bytes and does not end")]
    Endless {
        /// The bound.
        most: usize,
    },
    /// Pages that came out differently the second time.
    #[error("asked twice, because it came in pages, {file} differs in line {line}: lines were lost on the way")]
    Unlike {
        /// The file.
        file: String,
        /// The first line that differs, from 1.
        line: usize,
    },
    /// Something follows the last prompt.
    #[error("it was not done: `{found}` came after the last prompt")]
    NotDone {
        /// What came.
        found: String,
    },
}

/// A file that came.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Came {
    /// Its name in the switch's folder.
    pub file: Box<str>,
    /// Its text.
    pub text: String,
}

/// Names the files whose lines stand still from one answer to the next: those that hold configuration.
pub type StandsStill = Arc<dyn Fn(&str) -> bool + Send + Sync>;

enum Stage {
    /// Questions, until a prompt.
    LogIn {
        answered: Vec<Box<str>>,
    },
    /// Until the raised prompt.
    Raise {
        asked: bool,
    },
    /// A command that makes output come in one piece.
    Paging(usize),
    /// A command that gives a file; the first answer where it is asked again.
    Command {
        at: usize,
        first: Option<String>,
        paged: bool,
    },
    /// Whether nothing follows the last prompt.
    Last,
    Over,
}

/// A session under way.
pub struct Talk {
    dialect: Arc<Dialect>,
    screen: Screen,
    stage: Stage,
    /// The prompt as this switch writes it.
    prompt: String,
    came: Vec<Came>,
    refused: Vec<(Box<str>, String)>,
    most: usize,
    /// The files whose lines stand still: asked again when they came in pages.
    stands_still: StandsStill,
}

impl Talk {
    /// A session with a switch of a dialect that says how; `most` bounds an answer in bytes, and `stands_still` names files that hold
    /// configuration.
    pub fn new(dialect: Arc<Dialect>, most: usize, stands_still: StandsStill) -> Option<Self> {
        dialect.session()?;
        let stage = Stage::LogIn { answered: Vec::new() };
        let (came, refused) = (Vec::new(), Vec::new());
        Some(Self {
            dialect,
            screen: Screen::default(),
            stage,
            prompt: String::new(),
            came,
            refused,
            most,
            stands_still,
        })
    }

    fn session(&self) -> Option<&Session> {
        self.dialect.session()
    }

    fn command(&self, at: usize) -> Option<&Command> {
        self.session()?.commands.get(at)
    }

    /// The command whose answer is awaited.
    pub fn awaited(&self) -> Option<&str> {
        match self.stage {
            Stage::Command { at, .. } => self.command(at).map(|c| &*c.send),
            Stage::Paging(at) => self.session()?.paging_off.get(at).map(|send| &**send),
            Stage::Raise { .. } => self.session()?.raise.as_ref().map(|raise| &*raise.send),
            Stage::LogIn { .. } | Stage::Last | Stage::Over => None,
        }
    }

    /// The files that came, and the optional commands that were refused, each with what the switch said.
    pub fn into_parts(self) -> (Vec<Came>, Vec<(Box<str>, String)>) {
        (self.came, self.refused)
    }

    /// So many escape sequences came.
    pub fn escapes(&self) -> usize {
        self.screen.escapes()
    }

    /// The line that is being written, for errors.
    pub fn last_line(&self) -> String {
        let last = self.screen.last();
        if last.trim().is_empty() { self.screen.lines().last().cloned().unwrap_or_default() } else { last }
    }

    /// What the switch writes.
    pub fn hear(&mut self, bytes: &[u8]) -> Result<(), TalkProblem> {
        self.screen.write(bytes);
        if self.screen.bytes() > self.most { Err(TalkProblem::Endless { most: self.most }) } else { Ok(()) }
    }

    /// Whether a page is to be turned, should nothing follow. Before the first prompt there are hardly pages, and the prompt itself may begin
    /// as the sign of one ends.
    pub fn may_turn(&self) -> bool {
        !matches!(self.stage, Stage::LogIn { .. }) && self.is_more(&self.screen.last())
    }

    /// Whether something is to be done, should nothing follow.
    pub fn may_act(&self) -> bool {
        let last = self.screen.last();
        if last.trim().is_empty() {
            return false;
        }
        self.is_more(&last)
            || match &self.stage {
                Stage::LogIn { .. } => self.asks(&last).is_some() || self.is_first_prompt(&last),
                Stage::Raise { .. } => self.raise_asks(&last) || self.is_raised(&last) || self.is_prompt(&last),
                Stage::Over => false,
                _ => self.is_prompt(&last),
            }
    }

    fn is_prompt(&self, line: &str) -> bool {
        line.trim_end() == self.prompt
    }

    fn is_first_prompt(&self, line: &str) -> bool {
        self.session().is_some_and(|s| s.prompts.iter().any(|prompt| prompt.fits(line)))
    }

    fn raised(&self) -> Option<&[Prompt]> {
        self.session()?.raise.as_ref().map(|raise| &raise.prompts[..]).filter(|prompts| !prompts.is_empty())
    }

    fn is_raised(&self, line: &str) -> bool {
        match self.raised() {
            Some(prompts) => prompts.iter().any(|prompt| prompt.fits(line)),
            None => self.is_first_prompt(line),
        }
    }

    fn raise_asks(&self, line: &str) -> bool {
        let asks = self.session().and_then(|s| s.raise.as_ref()?.asks.as_deref());
        asks.is_some_and(|asks| line.trim_end().ends_with(asks.trim_end()))
    }

    fn asks(&self, line: &str) -> Option<(Box<str>, Answer)> {
        let line = line.trim_end();
        let question = self.session()?.login.iter().find(|q| line.ends_with(q.asks.trim_end()))?;
        Some((question.asks.clone(), question.answer))
    }

    /// The sign of a turned page at the end of a line.
    fn is_more(&self, line: &str) -> bool {
        let line = line.trim_end();
        self.session().is_some_and(|s| s.more.iter().any(|more| line.ends_with(more.trim_end())))
    }

    /// The sign of a turned page, and nothing else.
    fn is_sign(&self, line: &str) -> bool {
        let line = line.trim();
        !line.is_empty() && self.session().is_some_and(|s| s.more.iter().any(|more| more.trim() == line))
    }

    /// What is to be typed now that nothing followed; nothing where more is awaited.
    pub fn act(&mut self) -> Result<Option<Next>, TalkProblem> {
        let last = self.screen.last();
        if last.trim().is_empty() {
            return Ok(None);
        }
        if self.is_more(&last) {
            return Ok(Some(self.turn(&last)));
        }
        match &self.stage {
            Stage::LogIn { .. } => self.log_in(&last),
            Stage::Raise { asked } => {
                let asked = *asked;
                self.go_up(&last, asked)
            }
            _ if !self.is_prompt(&last) => Ok(None),
            Stage::Paging(at) => {
                let at = *at;
                let said = self.screen.take();
                if let Some(said) = self.refusal(&said) {
                    return Err(TalkProblem::Command { said });
                }
                Ok(Some(self.go_on(at + 1)))
            }
            Stage::Command { .. } => self.answered().map(Some),
            Stage::Last => self.end(),
            Stage::Over => Ok(Some(Next::Done)),
        }
    }

    /// Turns the page, and forgets its sign. A line that has more than the sign may be one that rests there.
    fn turn(&mut self, last: &str) -> Next {
        if self.is_sign(last) {
            self.screen.rub();
        } else {
            self.screen.set_aside();
        }
        if let Stage::Command { paged, .. } = &mut self.stage {
            *paged = true;
        }
        let turn = self.session().map_or(" ", |s| &s.turn);
        Next::Type(if turn.is_empty() { "\r".to_owned() } else { turn.to_owned() })
    }

    fn log_in(&mut self, last: &str) -> Result<Option<Next>, TalkProblem> {
        if let Some((asks, answer)) = self.asks(last) {
            let Stage::LogIn { answered } = &mut self.stage else { return Ok(None) };
            if answered.contains(&asks) {
                return Err(TalkProblem::Refused { asks: asks.into() });
            }
            answered.push(asks);
            self.screen.take();
            self.screen.rub();
            return Ok(Some(if answer == Answer::Enter { Next::Type("\r".into()) } else { Next::Secret(answer) }));
        }
        if !self.is_first_prompt(last) {
            return Ok(None);
        }
        last.trim_end().clone_into(&mut self.prompt);
        self.screen.take();
        let Some(send) = self.session().and_then(|s| s.raise.as_ref()).map(|raise| raise.send.clone()) else {
            return Ok(Some(self.go_on(0)));
        };
        self.stage = Stage::Raise { asked: false };
        self.screen.rub();
        Ok(Some(Next::Type(format!("{send}\r"))))
    }

    fn go_up(&mut self, last: &str, asked: bool) -> Result<Option<Next>, TalkProblem> {
        if self.raise_asks(last) {
            if asked {
                return Err(TalkProblem::Refused { asks: last.trim().to_owned() });
            }
            self.stage = Stage::Raise { asked: true };
            self.screen.take();
            self.screen.rub();
            return Ok(Some(Next::Secret(Answer::Raise)));
        }
        if self.is_raised(last) {
            last.trim_end().clone_into(&mut self.prompt);
            let said = self.screen.take();
            return match self.refusal(&said) {
                Some(said) => Err(TalkProblem::Command { said }),
                None => Ok(Some(self.go_on(0))),
            };
        }
        if self.is_prompt(last) { Err(TalkProblem::NotRaised) } else { Ok(None) }
    }

    /// The commands that end pages from one on, then the first that gives a file.
    fn go_on(&mut self, at: usize) -> Next {
        let Some(send) = self.session().and_then(|s| s.paging_off.get(at)).cloned() else { return self.ask(0) };
        self.stage = Stage::Paging(at);
        self.screen.rub();
        Next::Type(format!("{send}\r"))
    }

    /// Sends a command that gives a file; after the last an empty line, which shows whether something still comes.
    fn ask(&mut self, at: usize) -> Next {
        self.screen.take();
        self.screen.rub();
        let Some(send) = self.command(at).map(|c| c.send.clone()) else {
            self.stage = Stage::Last;
            return Next::Type("\r".into());
        };
        self.stage = Stage::Command { at, first: None, paged: false };
        Next::Type(format!("{send}\r"))
    }

    /// The line in which the command before it is refused.
    fn refusal(&self, lines: &[String]) -> Option<String> {
        let errors = &self.session()?.errors;
        let first = lines.iter().skip(1).map(|line| line.trim()).find(|line| !line.is_empty())?;
        errors.iter().any(|error| first.starts_with(error.trim())).then(|| first.to_owned())
    }

    /// An answer is whole.
    fn answered(&mut self) -> Result<Next, TalkProblem> {
        let Stage::Command { at, first, paged } = std::mem::replace(&mut self.stage, Stage::Over) else {
            return Ok(Next::Done);
        };
        let lines = self.screen.take();
        let Some(command) = self.command(at).cloned() else { return Ok(Next::Done) };
        let echo = lines.first().map_or("", |line| line.trim());
        if !echo.ends_with(command.send.trim()) {
            return Err(TalkProblem::NoEcho { found: echo.chars().take(80).collect() });
        }
        if let Some(said) = self.refusal(&lines) {
            if !command.optional {
                return Err(TalkProblem::Command { said });
            }
            self.refused.push((command.send, said));
            return Ok(self.ask(at + 1));
        }
        let mut text = String::new();
        for line in lines.iter().skip(1).filter(|line| !(paged && self.is_sign(line))) {
            text.push_str(line);
            text.push('\n');
        }
        if text.trim().is_empty() && !command.optional {
            return Err(TalkProblem::Empty);
        }
        match first {
            None if paged && (self.stands_still)(&command.file) => {
                let again = self.ask(at);
                self.stage = Stage::Command { at, first: Some(text), paged: false };
                return Ok(again);
            }
            Some(first) if first != text => {
                let same = first.lines().zip(text.lines()).take_while(|(a, b)| a == b).count();
                return Err(TalkProblem::Unlike { file: command.file.into(), line: same + 1 });
            }
            _ => self.came.push(Came { file: command.file, text }),
        }
        Ok(self.ask(at + 1))
    }

    fn end(&mut self) -> Result<Option<Next>, TalkProblem> {
        let rest = self.screen.take();
        if let Some(found) = rest.iter().map(|line| line.trim()).find(|line| !line.is_empty() && *line != self.prompt) {
            return Err(TalkProblem::NotDone { found: found.chars().take(80).collect() });
        }
        self.stage = Stage::Over;
        Ok(Some(Next::Done))
    }
}
