//! How one talks to a switch of this dialect: what it asks and prompts with, how its pages are turned, and which command gives which file.
//! Only read here; whoever has a network acts on it.

use std::ops::ControlFlow;

use super::DialectProblem;
use crate::source::{Explain, Item, TableReader, TomlDoc};

/// So many commands are enough for every file of a switch.
const MOST_COMMANDS: usize = 64;
/// Longer ones are no command.
const LONGEST: usize = 1024;

/// What `[session]` says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Session {
    /// What a switch that waits for a command ends its output with.
    pub prompts: Vec<Prompt>,
    /// Questions before the first prompt, in any order.
    pub login: Vec<Question>,
    /// How the mode is reached in which everything can be read.
    pub raise: Option<Raise>,
    /// Commands that make output come in one piece.
    pub paging_off: Vec<Box<str>>,
    /// What stands at the end of a page that is not the last.
    pub more: Vec<Box<str>>,
    /// What turns the page.
    pub turn: Box<str>,
    /// What the line begins with in which a switch refuses a command.
    pub errors: Vec<Box<str>>,
    /// The commands, each with the file that its output is kept in.
    pub commands: Vec<Command>,
}

/// The form of a prompt: `<name>` stands for letters, digits and the signs `-`, `_`, `.`, `:`, `/`, `@`; what is left is as it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Prompt(Vec<Option<Box<str>>>);

/// A question and who answers it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Question {
    /// What the output ends with.
    pub asks: Box<str>,
    /// What is answered.
    pub answer: Answer,
}

/// What answers a question. What is secret never stands in a dialect.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Answer {
    /// The name of the account.
    User,
    /// Its password.
    Password,
    /// The word that raises the mode.
    Raise,
    /// Nothing: the line is ended.
    Enter,
}

/// How the mode is raised.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Raise {
    /// The command.
    pub send: Box<str>,
    /// What the switch asks then, where it asks.
    pub asks: Option<Box<str>>,
    /// What it prompts with from then on.
    pub prompts: Vec<Prompt>,
}

/// A command and the file it gives.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Command {
    /// What is typed.
    pub send: Box<str>,
    /// The file in the switch's folder.
    pub file: Box<str>,
    /// Whether a switch may refuse it.
    pub optional: bool,
}

/// What can be wrong with a `[session]`.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SessionProblem {
    /// A prompt that anything ends with.
    #[error("`{found}` is no form of a prompt")]
    Prompt {
        /// What stands there.
        found: String,
    },
    /// A text with signs that are not typed, or too long.
    #[error("`{key}` is empty, longer than {LONGEST} bytes, or holds a control sign")]
    Signs {
        /// The key.
        key: &'static str,
    },
    /// A name that leads out of the switch's folder.
    #[error("`{found}` is no name of a file in a switch's folder")]
    FileName {
        /// What stands there.
        found: String,
    },
    /// Two commands for one file.
    #[error("`{found}` is given by two commands")]
    Twice {
        /// The file.
        found: String,
    },
    /// Nothing to ask.
    #[error("a session without a command gathers nothing")]
    NoCommand,
    /// More than a switch has.
    #[error("a session has at most {MOST_COMMANDS} commands")]
    TooMany,
    /// A page that nobody can see the end of.
    #[error("`turn` does nothing without `more`")]
    Turn,
}

impl Explain for SessionProblem {
    fn hint(&self) -> Option<String> {
        let hint = match self {
            Self::Prompt { .. } => {
                "write it as it stands at the end of the line, `<name>` for the switch's name, with a sign beside it: \"<name>>\""
            }
            Self::Signs { .. } => "write one line, as it is typed or shown",
            Self::FileName { .. } => "a plain name, such as \"config.txt\", that does not begin with a dot",
            Self::Twice { .. } => "give each command a file of its own: those of state are all read",
            Self::NoCommand => "command = [{ send = \"…\", file = \"config.txt\" }]",
            Self::TooMany => "leave out what no rule reads",
            Self::Turn => "more = \"…\" says what stands at the end of a page",
        };
        Some(hint.into())
    }
}

/// Whether a sign may stand in a switch's name.
fn of_a_name(sign: char) -> bool {
    sign.is_ascii_alphanumeric() || "-_.:/@".contains(sign)
}

impl Prompt {
    fn parse(form: &str) -> Option<Self> {
        let mut parts: Vec<Option<Box<str>>> = Vec::new();
        for (position, text) in form.split("<name>").enumerate() {
            if position > 0 {
                // Two names without a sign between are one.
                if parts.last() == Some(&None) {
                    return None;
                }
                parts.push(None);
            }
            if !text.is_empty() {
                parts.push(Some(text.into()));
            }
        }
        // A prompt of letters alone, or of a name alone, is what any line may end with.
        let signs = |text: &str| text.chars().any(|c| !c.is_alphanumeric() && !c.is_whitespace());
        parts.iter().flatten().any(|text| signs(text)).then_some(Self(parts))
    }

    /// Whether a line, its blanks at the end aside, is such a prompt.
    pub fn fits(&self, line: &str) -> bool {
        fits(&self.0, line.trim_end())
    }

    /// The prompt of a switch of this name, as one that plays it writes it.
    pub fn of(&self, name: &str) -> String {
        self.0.iter().map(|part| part.as_deref().unwrap_or(name)).collect()
    }
}

/// A name takes at least one sign, and as many as let the rest fit.
fn fits(parts: &[Option<Box<str>>], line: &str) -> bool {
    match parts.split_first() {
        None => line.is_empty(),
        Some((Some(text), rest)) => {
            // Blanks at the end of a form are as good as none.
            let text = if rest.is_empty() { text.trim_end() } else { text };
            line.strip_prefix(text).is_some_and(|line| fits(rest, line))
        }
        Some((None, rest)) => {
            let tried = line.char_indices().try_for_each(|(at, sign)| {
                if !of_a_name(sign) {
                    return ControlFlow::Break(false);
                }
                let after = &line[at + sign.len_utf8()..];
                if fits(rest, after) { ControlFlow::Break(true) } else { ControlFlow::Continue(()) }
            });
            tried == ControlFlow::Break(true)
        }
    }
}

/// Reads `[session]`.
pub(super) fn read(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Session {
    let prompts = prompts(doc, table);
    if prompts.is_empty() && table.key_spot("prompt").is_none() {
        table.required_text("prompt");
    }
    let login = table.tables("login").iter().filter_map(|table| question(doc, table)).collect();
    let raise = table.table("raise").and_then(|table| raise(doc, &table));
    let more = lines(doc, table, "more");
    let turn = table.text("turn").map(|item| (item.value, item.spot));
    if let Some((_, spot)) = turn.as_ref().filter(|_| more.is_empty()) {
        doc.report(spot, DialectProblem::Session(SessionProblem::Turn));
    }
    let mut commands: Vec<Command> = Vec::new();
    for of in table.tables("command") {
        let Some(command) = command(doc, &of) else { continue };
        if commands.iter().any(|c| c.file == command.file) {
            doc.report(&of.spot, DialectProblem::Session(SessionProblem::Twice { found: command.file.into() }));
            continue;
        }
        commands.push(command);
    }
    if table.key_spot("command").is_none() {
        doc.report(&table.spot, DialectProblem::Session(SessionProblem::NoCommand));
    }
    if commands.len() > MOST_COMMANDS {
        doc.report(&table.spot, DialectProblem::Session(SessionProblem::TooMany));
    }
    let session = Session {
        prompts,
        login,
        raise,
        paging_off: lines(doc, table, "paging-off"),
        more,
        turn: turn.map_or(" ", |(turn, _)| turn).into(),
        errors: lines(doc, table, "errors"),
        commands,
    };
    table.finish();
    session
}

fn prompts(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Vec<Prompt> {
    let read = |item: Item<&str>| {
        let prompt = Prompt::parse(item.value).filter(|_| is_typed(item.value));
        if prompt.is_none() {
            doc.report(&item.spot, DialectProblem::Session(SessionProblem::Prompt { found: item.value.to_owned() }));
        }
        prompt
    };
    table.texts("prompt").unwrap_or_default().into_iter().filter_map(read).collect()
}

/// Whether a text can be typed on one line, or be seen on one.
fn is_typed(text: &str) -> bool {
    !text.trim().is_empty() && text.len() <= LONGEST && !text.chars().any(char::is_control)
}

fn line(doc: &TomlDoc<'_>, key: &'static str, item: &Item<&str>) -> Option<Box<str>> {
    if !is_typed(item.value) {
        doc.report(&item.spot, DialectProblem::Session(SessionProblem::Signs { key }));
        return None;
    }
    Some(item.value.into())
}

fn lines(doc: &TomlDoc<'_>, table: &TableReader<'_>, key: &'static str) -> Vec<Box<str>> {
    table.texts(key).unwrap_or_default().iter().filter_map(|item| line(doc, key, item)).collect()
}

fn question(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Option<Question> {
    const ANSWERS: [(&str, Answer); 4] =
        [("user", Answer::User), ("password", Answer::Password), ("raise", Answer::Raise), ("enter", Answer::Enter)];
    let asks = table.required_text("asks");
    table.required_text("answer");
    let answer = super::load::one_of(table, "answer", &ANSWERS.map(|(word, _)| word));
    table.finish();
    Some(Question { asks: line(doc, "asks", &asks?)?, answer: ANSWERS.get(answer?)?.1 })
}

fn raise(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Option<Raise> {
    let (send, asks) = (table.required_text("send"), table.text("asks"));
    let prompts = prompts(doc, table);
    table.finish();
    let asks = asks.and_then(|asks| line(doc, "asks", &asks));
    Some(Raise { send: line(doc, "send", &send?)?, asks, prompts })
}

fn command(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Option<Command> {
    let (send, file) = (table.required_text("send"), table.required_text("file"));
    let optional = table.flag("optional").is_some_and(|item| item.value);
    table.finish();
    let file = file?;
    let is_name = is_typed(file.value) && !file.value.starts_with('.') && !file.value.contains(['/', '\\']);
    if !is_name {
        let found = file.value.to_owned();
        doc.report(&file.spot, DialectProblem::Session(SessionProblem::FileName { found }));
        return None;
    }
    Some(Command { send: line(doc, "send", &send?)?, file: file.value.into(), optional })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("<name>>", "sp-gates-1>", true)]
    #[case("<name>> ", "sp-gates-1>   ", true)]
    #[case("<name>>", "sp gates>", false)]
    #[case("<name>>", ">", false)]
    #[case("[<name>] <name>:", "[quay] a/b:", true)]
    #[case("[<name>] <name>:", "[quay] a/b", false)]
    // The sign that ends it may stand in the name, too.
    #[case("<name>:", "a:b:", true)]
    #[case("= ", "=", true)]
    fn prompts_fit(#[case] form: &str, #[case] line: &str, #[case] expected: bool) {
        let prompt = Prompt::parse(form).unwrap();
        assert_eq!(prompt.fits(line), expected);
        assert!(prompt.fits(&prompt.of("some-switch.1")));
    }

    #[rstest]
    #[case("<name>")]
    #[case("ready")]
    #[case("<name> ready")]
    #[case("<name><name>>")]
    #[case("")]
    fn no_prompts(#[case] form: &str) {
        assert_eq!(Prompt::parse(form), None);
    }
}
