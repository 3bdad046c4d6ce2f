//! The questions in a terminal: one kind of line after the other, tables of state, then what the platform has where the text is silent.

use std::collections::BTreeSet;
use std::sync::Arc;

use console::{Key, Term};
use yellowlegs_core::dialect::{Dialect, Open};
use yellowlegs_core::source::Source;
use yellowlegs_core::teach::{Fact, Given, Lesson, Meaning, Names, Refused, Silence, Table};

use super::{Class, key};
use crate::failure::Failure;
use crate::render::teach as page;

/// So many settings are offered at once: each has a digit.
const OFFERED: usize = 9;

impl Class {
    /// Asks everything, one after the other, until there is no more or it is enough.
    pub(super) fn ask(&mut self) -> Result<(), Failure> {
        let keys = Term::stdout();
        let mut texts: Vec<String> = Vec::new();
        let mut later: BTreeSet<String> = BTreeSet::new();
        loop {
            let questions = self.lesson.questions();
            let left = questions.iter().filter(|open| !later.contains(&key(open))).count();
            let open = questions.into_iter().find(|open| !later.contains(&key(open)));
            let silence = || self.lesson.silences().into_iter().find(|silence| !later.contains(silence.feature));
            let before = self.lesson.written().to_owned();
            let table = || self.lesson.tables().into_iter().find(|table| !later.contains(&table.lines.join(" ")));
            let step = match (open, table(), silence()) {
                (Some(open), ..) => self.one(&keys, &open, left)?.or_later(key(&open)),
                (None, Some(table), _) => self.table(&keys, &table)?.or_later(table.lines.join(" ")),
                (None, None, Some(silence)) => self.silence(&keys, &silence)?.or_later(silence.feature.to_owned()),
                (None, None, None) => return Ok(()),
            };
            match step {
                Step::Answered => texts.push(before),
                Step::Later(name) => _ = later.insert(name),
                Step::Back => match texts.pop() {
                    Some(text) => {
                        let source = Arc::new(Source::of(self.path.display().to_string(), text));
                        let dialect = Dialect::load(&source).map(Arc::new).map_err(Failure::Problems)?;
                        self.lesson = Lesson::new(dialect, self.lesson.texts().to_vec());
                        self.save()?;
                        self.before = self.lesson.growth(&self.as_of);
                    }
                    None => _ = later.pop_last(),
                },
                Step::Again => {}
                Step::Enough => return Ok(()),
            }
        }
    }

    /// One kind of line.
    fn one(&mut self, keys: &Term, open: &Open, left: usize) -> Result<Step, Failure> {
        let offered = self.offered(open);
        self.tell(|out, _| page::question(out, open, &offered, left))?;
        let meaning = match known_key(keys, "123456789sonlbq")? {
            Pressed::Enter if page::is_likely(open) => offered.first().cloned(),
            Pressed::Char(digit @ '1'..='9') => offered.get(digit as usize - '1' as usize).cloned(),
            Pressed::Char('s') => self.searched(keys, open)?.map(|given| Meaning::Sets(vec![given])),
            Pressed::Char('o') => self.names(keys, open)?.map(Meaning::Names),
            Pressed::Char('n') => Some(Meaning::Nothing),
            Pressed::Enter | Pressed::Char('l') => return Ok(Step::Later(String::new())),
            Pressed::Char('b') => return Ok(Step::Back),
            Pressed::Char('q') | Pressed::End => return Ok(Step::Enough),
            Pressed::Char(_) => None,
        };
        let Some(meaning) = meaning else { return Ok(Step::Again) };
        let (what, hint) = match self.lesson.answer(open, &meaning) {
            Ok(pattern) => {
                self.answered(&pattern, &meaning)?;
                return Ok(Step::Answered);
            }
            Err(Refused::Says(what, hint)) => (what, Some(hint)),
            Err(Refused::Problems(problems)) => {
                problems.first().map_or_else(Default::default, |problem| (problem.what.clone(), problem.hint.clone()))
            }
        };
        self.tell(|out, _| page::refused(out, &what, hint.as_deref()))?;
        Ok(Step::Again)
    }

    /// A setting looked for by words, and the way in which the lines give it.
    fn searched(&self, keys: &Term, open: &Open) -> Result<Option<Given>, Failure> {
        self.tell(|out, _| page::prompt(out, "words of the setting"))?;
        let typed = line_of(keys)?;
        let found = page::found(&typed);
        if found.is_empty() {
            self.tell(|out, _| page::refused(out, &format!("no setting has `{typed}`"), None))?;
            return Ok(None);
        }
        self.tell(|out, _| page::settings(out, &found[..found.len().min(OFFERED)]))?;
        let Some(wanted) = chosen(keys, &found)? else { return Ok(None) };
        let ways = self.lesson.ways(open, wanted);
        match &ways[..] {
            [] => {
                let what = format!("nothing of `{}` can be {}", open.pattern, wanted.name());
                self.tell(|out, _| page::refused(out, &what, None))?;
                Ok(None)
            }
            [one] => Ok(Some(one.clone())),
            _ => {
                self.tell(|out, _| page::ways(out, &ways[..ways.len().min(OFFERED)]))?;
                chosen(keys, &ways)
            }
        }
    }

    /// What the lines name, for the lines inside.
    fn names(&self, keys: &Term, open: &Open) -> Result<Option<Names>, Failure> {
        let all = ["ports", "vlan", "profile", "mirror", "uses"];
        let namings: Vec<Names> =
            all.iter().filter_map(|key| self.lesson.namings(open, key).into_iter().next()).collect();
        self.tell(|out, _| page::namings(out, &namings))?;
        chosen(keys, &namings)
    }

    /// A table of state.
    fn table(&mut self, keys: &Term, table: &Table) -> Result<Step, Failure> {
        self.tell(|out, _| page::table(out, table))?;
        match known_key(keys, "1nlbq")? {
            Pressed::Char(key @ ('1' | 'n')) => {
                self.decide(table, key == '1')?;
                Ok(Step::Answered)
            }
            Pressed::Enter => {
                self.decide(table, true)?;
                Ok(Step::Answered)
            }
            Pressed::Char('b') => Ok(Step::Back),
            Pressed::Char('l') => Ok(Step::Later(String::new())),
            Pressed::Char('q') | Pressed::End => Ok(Step::Enough),
            Pressed::Char(_) => Ok(Step::Again),
        }
    }

    /// What the platform has of a feature where the text is silent.
    fn silence(&mut self, keys: &Term, silence: &Silence) -> Result<Step, Failure> {
        self.tell(|out, _| page::silence(out, silence))?;
        match known_key(keys, "oelbq")? {
            Pressed::Char('o') if !silence.offs().is_empty() => {
                self.off(silence)?;
                Ok(Step::Answered)
            }
            Pressed::Char('e') => {
                for fact in &silence.facts {
                    self.tell(|out, _| page::fact(out, fact))?;
                    let typed = line_of(keys)?;
                    let value = value_of(fact, &typed);
                    if value.is_empty() {
                        continue;
                    }
                    if let Err(Failure::Problems(problems)) = self.settle(&[(fact.name, &value)]) {
                        let what = problems.first().map(|problem| problem.what.clone()).unwrap_or_default();
                        self.tell(|out, _| page::refused(out, &what, None))?;
                    }
                }
                Ok(Step::Later(silence.feature.to_owned()))
            }
            Pressed::Char('b') => Ok(Step::Back),
            Pressed::Char('q') | Pressed::End => Ok(Step::Enough),
            Pressed::Enter | Pressed::Char('l') => Ok(Step::Later(silence.feature.to_owned())),
            Pressed::Char(_) => Ok(Step::Again),
        }
    }
}

/// One of a list, by its digit.
fn chosen<T: Clone>(keys: &Term, of: &[T]) -> Result<Option<T>, Failure> {
    Ok(match key_of(keys)? {
        Pressed::Enter if of.len() == 1 => of.first().cloned(),
        Pressed::Char(digit @ '1'..='9') => of.get(digit as usize - '1' as usize).cloned(),
        _ => None,
    })
}

/// What comes after a question.
enum Step {
    Answered,
    /// It is not asked again in this session.
    Later(String),
    Back,
    Again,
    Enough,
}

impl Step {
    fn or_later(self, name: String) -> Self {
        if let Self::Later(_) = self { Self::Later(name) } else { self }
    }
}

/// What somebody typed, with the number of a choice for the choice.
fn value_of(fact: &Fact, typed: &str) -> String {
    let number = typed.trim().parse::<usize>().ok().and_then(|number| fact.choices.get(number.checked_sub(1)?));
    number.map_or_else(|| typed.trim().to_owned(), |choice| (*choice).to_owned())
}

enum Pressed {
    Enter,
    Char(char),
    /// Nobody is there any more.
    End,
}

/// A key, and the end of the line that asked for it.
fn key_of(keys: &Term) -> Result<Pressed, Failure> {
    let pressed = loop {
        match keys.read_key() {
            Ok(Key::Enter) => break Pressed::Enter,
            Ok(Key::Char('\u{4}') | Key::Unknown) => break Pressed::End,
            Ok(Key::Char(char)) => break Pressed::Char(char.to_ascii_lowercase()),
            Ok(Key::Escape) => break Pressed::Char('l'),
            Ok(_) => {}
            Err(error) if error.kind() == std::io::ErrorKind::UnexpectedEof => break Pressed::End,
            Err(error) => return Err(Failure::path("terminal", error)),
        }
    };
    keys.write_line("").map_err(|error| Failure::path("terminal", error))?;
    Ok(pressed)
}

/// A key that says something here.
fn known_key(keys: &Term, known: &str) -> Result<Pressed, Failure> {
    loop {
        match key_of(keys)? {
            Pressed::Char(char) if !known.contains(char) => {}
            pressed => return Ok(pressed),
        }
    }
}

fn line_of(keys: &Term) -> Result<String, Failure> {
    keys.read_line().map_err(|error| Failure::path("terminal", error))
}
