//! `yellowlegs dialect teach`: a dialect filled in from texts, question by question in a terminal, or by what the options say.

use std::collections::BTreeSet;
use std::io::{IsTerminal as _, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use console::{Key, Term};
use yellowlegs_core::dialect::{At, Dialect, Open, sketch_with_state};
use yellowlegs_core::model::SettingId;
use yellowlegs_core::policy::AsOf;
use yellowlegs_core::source::{Source, nearest};
use yellowlegs_core::teach::{Fact, Given, Growth, Lesson, Meaning, Names, Refused, Silence, Table};

use super::dialect::{load, source};
use super::moment;
use crate::args::{Loudness, NamesWhat, Teach};
use crate::failure::Failure;
use crate::output::{self, Target};
use crate::render::teach as page;

/// So many settings are offered at once: each has a digit.
const OFFERED: usize = 9;
/// So many meanings of a kind of line.
const MEANINGS: usize = 3;
/// How sure it is that a block which other lines name is a profile, and that what opens a block by words alone says nothing itself.
const NAMED: f64 = 0.8;

pub(super) fn run(args: &Teach, loudness: Loudness) -> Result<ExitCode, Failure> {
    let at = args.line.as_deref().map(place).transpose()?;
    let mut paths = args.texts.clone();
    paths.extend(at.iter().map(|at| at.path.clone()).filter(|path| !args.texts.contains(path)));
    let texts: Vec<Arc<Source>> = paths.iter().map(|path| source(path)).collect::<Result<_, _>>()?;
    let dialect = if args.file.exists() { load(&args.file)? } else { begun(&args.file, &texts, &args.state)? };
    let mut class = Class {
        last: dialect.source().text().to_owned(),
        path: args.file.clone(),
        lesson: Lesson::new(dialect, texts),
        as_of: moment(None, None)?,
        loudness,
        before: Growth::default(),
    };
    class.before = class.lesson.growth(&class.as_of);
    let says_something = at.is_some() || args.likely.is_some() || !args.silent.is_empty();
    if says_something {
        if let Some(at) = at {
            let text = paths.iter().position(|known| *known == at.path).unwrap_or_default();
            class.line(args, text, &at)?;
        }
        args.likely.map(|least| class.likely(least)).transpose()?;
        class.silent(&args.silent)?;
    } else if std::io::stdout().is_terminal() && std::io::stdin().is_terminal() {
        class.ask()?;
    } else {
        class.tell(|out, class| {
            page::list(out, &class.lesson.questions(), &class.lesson.tables(), &class.lesson.silences())
        })?;
    }
    class.tell(|out, class| page::end(out, &class.path, &class.lesson.growth(&class.as_of)))?;
    Ok(ExitCode::SUCCESS)
}

/// A dialect that begins as a sketch, in its file at once.
fn begun(path: &Path, texts: &[Arc<Source>], state: &[PathBuf]) -> Result<Arc<Dialect>, Failure> {
    let none = || {
        let what = format!("{} is not there, and no text says what it should be about", path.display());
        Failure::usage(what, "name configurations behind it: it begins as a sketch of them")
    };
    let name = path.file_stem().map_or_else(|| "new".into(), |name| name.to_string_lossy().into_owned());
    let all: Vec<&str> = texts.iter().map(|text| text.text()).collect();
    let state: Vec<Arc<Source>> = state.iter().map(|path| source(path)).collect::<Result<_, _>>()?;
    let tables: Vec<&str> = state.iter().map(|text| text.text()).collect();
    let written = sketch_with_state(&name, &all, &tables).ok_or_else(none)?;
    if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
        std::fs::create_dir_all(folder).map_err(|error| Failure::path(folder, error))?;
    }
    save(path, &written)?;
    load(path)
}

/// Writes a dialect whole, or leaves it as it was.
fn save(path: &Path, text: &str) -> Result<(), Failure> {
    let mut target = Target::open(path)?;
    target.write_all(text.as_bytes()).map_err(|error| Failure::path(path, error))?;
    target.finish()
}

/// A line of a text, and where on it.
struct Place {
    path: PathBuf,
    line: u32,
    column: Option<usize>,
}

/// `config.txt:83`, or `config.txt:83:5` where a line says several things.
fn place(text: &str) -> Result<Place, Failure> {
    let number = |text: &str| text.parse::<u32>().ok().filter(|number| *number > 0);
    let one = |text: &str| {
        let (path, line) = text.rsplit_once(':')?;
        Some(Place { path: PathBuf::from(path), line: number(line)?, column: None })
    };
    let two = |text: &str| {
        let (front, column) = text.rsplit_once(':')?;
        Some(Place { column: Some(number(column)? as usize), ..one(front)? })
    };
    two(text).or_else(|| one(text)).filter(|place| !place.path.as_os_str().is_empty()).ok_or_else(|| {
        Failure::usage(format!("--line {text}: this is no place"), "write a text and a line of it: config.txt:83")
    })
}

/// A setting by name, for options and searches.
fn setting(option: &str, name: &str) -> Result<SettingId, Failure> {
    SettingId::by_name(name).ok_or_else(|| {
        let near = nearest(name, SettingId::all().map(SettingId::name));
        let hint = near.map_or("`yellowlegs dialect settings` lists them".into(), |n| format!("did you mean `{n}`?"));
        Failure::usage(format!("{option} {name}: no setting is called so"), hint)
    })
}

/// `SETTING=VALUE`
fn pair<'t>(option: &str, text: &'t str) -> Result<(&'t str, &'t str), Failure> {
    let wrong =
        || Failure::usage(format!("{option} {text}: there is no `=`"), "write for example port-security.limit=3");
    text.split_once('=').map(|(name, value)| (name.trim(), value.trim())).ok_or_else(wrong)
}

fn failure(refused: Refused) -> Failure {
    match refused {
        Refused::Problems(problems) => Failure::Problems(problems),
        Refused::Says(what, hint) => Failure::usage(what, hint),
    }
}

/// A lesson with the file that it is written to.
struct Class {
    path: PathBuf,
    lesson: Lesson,
    as_of: AsOf,
    loudness: Loudness,
    /// What the audit came to before the last answer.
    before: Growth,
    /// The dialect as it was last read or written here.
    last: String,
}

impl Class {
    /// Writes the dialect, where nobody else did meanwhile.
    fn save(&mut self) -> Result<(), Failure> {
        let now = std::fs::read(&self.path).map_err(|error| Failure::path(&self.path, error))?;
        if now != self.last.as_bytes() {
            let what = format!(
                "{} was changed by somebody else meanwhile: the last answer is not written",
                self.path.display()
            );
            return Err(Failure::usage(what, "begin again: it goes on from what stands there"));
        }
        save(&self.path, self.lesson.written())?;
        self.lesson.written().clone_into(&mut self.last);
        Ok(())
    }

    fn tell(&self, write: impl FnOnce(&mut dyn Write, &Self) -> std::io::Result<()>) -> Result<(), Failure> {
        let mut out = output::stdout(self.loudness.color);
        write(&mut out, self).and_then(|()| out.flush()).map_err(Failure::stdout)
    }

    /// Takes an answer, writes it, and says what came of it.
    fn answer(&mut self, open: &Open, meaning: &Meaning) -> Result<(), Failure> {
        let pattern = self.lesson.answer(open, meaning).map_err(failure)?;
        self.answered(&pattern, meaning)
    }

    fn answered(&mut self, pattern: &str, meaning: &Meaning) -> Result<(), Failure> {
        self.save()?;
        let now = self.lesson.growth(&self.as_of);
        let before = std::mem::replace(&mut self.before, now);
        self.tell(|out, _| page::answered(out, pattern, meaning, before, now))
    }

    fn settle(&mut self, values: &[(&str, &str)]) -> Result<(), Failure> {
        self.lesson.settle(values).map_err(failure)?;
        self.settled(values)
    }

    fn off(&mut self, silence: &Silence) -> Result<(), Failure> {
        self.lesson.settle_off(silence).map_err(failure)?;
        self.settled(&[(silence.feature, "off")])
    }

    fn settled(&mut self, values: &[(&str, &str)]) -> Result<(), Failure> {
        self.save()?;
        let now = self.lesson.growth(&self.as_of);
        let before = std::mem::replace(&mut self.before, now);
        self.tell(|out, _| page::settled(out, values, before, now))
    }

    fn decide(&mut self, table: &Table, take: bool) -> Result<(), Failure> {
        self.lesson.decide(table, take).map_err(failure)?;
        self.save()?;
        self.tell(|out, _| page::decided(out, table, take))
    }

    /// What the options say of one line, and of all that are like it.
    fn line(&mut self, args: &Teach, text: usize, place: &Place) -> Result<(), Failure> {
        let shown = args.line.as_deref().unwrap_or_default();
        let source = self.lesson.texts().get(text).cloned();
        let column = |start: usize| source.as_ref().map_or(0, |source| source.place(start).column as usize);
        let begins = |at: &At| {
            at.text == text && at.line == place.line && place.column.is_none_or(|c| c == column(at.words.start))
        };
        let mut found: Vec<Open> =
            self.lesson.questions().into_iter().filter(|open| open.lines.iter().any(begins)).collect();
        if found.len() > 1 {
            let starts =
                found.iter().flat_map(|open| &open.lines).filter(|at| begins(at)).map(|at| column(at.words.start));
            let columns: BTreeSet<usize> = starts.collect();
            let columns: Vec<String> = columns.iter().map(|column| format!("{shown}:{column}")).collect();
            let what = format!("--line {shown}: several statements stand there");
            return Err(Failure::usage(what, format!("say which: {}", columns.join(", "))));
        }
        let Some(open) = found.pop() else {
            let hint =
                format!("`yellowlegs dialect explain {} TEXT-FILE` says how each line is read", self.path.display());
            let what =
                format!("--line {shown}: it is understood already, is no statement, or stands in a block that is not");
            return Err(Failure::usage(what, hint));
        };
        let meaning = if args.nothing {
            Meaning::Nothing
        } else if let Some(names) = args.names {
            Meaning::Names(self.naming(&open, names)?)
        } else if args.sets.is_empty() {
            let hint = "--sets SETTING=VALUE, --names WHAT or --nothing";
            return Err(Failure::usage(format!("--line {shown}: nothing says what it means"), hint));
        } else {
            let one = |text: &String| {
                let (name, value) = pair("--sets", text)?;
                self.lesson.way_to(&open, setting("--sets", name)?, value).map_err(failure)
            };
            Meaning::Sets(args.sets.iter().map(one).collect::<Result<_, Failure>>()?)
        };
        self.answer(&open, &meaning)
    }

    fn naming(&self, open: &Open, what: NamesWhat) -> Result<Names, Failure> {
        self.lesson.namings(open, what.key()).into_iter().next().ok_or_else(|| {
            let text = format!("`{}` has no word that can name that", open.pattern);
            Failure::usage(
                text,
                "--names ports and vlan want one of that form; profile, mirror and uses any word behind the first",
            )
        })
    }

    /// Takes what is at least so sure, until nothing more is.
    fn likely(&mut self, least: f64) -> Result<(), Failure> {
        if !(0.6..=1.0).contains(&least) {
            return Err(Failure::usage(
                format!("--likely {least}: no share to go by"),
                "it is 0.6 to 1; 0.8 is a good one",
            ));
        }
        let is_sure = |score: usize| f64::from(u32::try_from(score).unwrap_or_default()) >= least * 100.0;
        while let Some(table) = self.lesson.tables().into_iter().find(|table| is_sure(table.score)) {
            self.decide(&table, true)?;
        }
        let mut passed: BTreeSet<String> = BTreeSet::new();
        loop {
            let questions = self.lesson.questions();
            let sure = |open: &&Open| {
                if open.naming.is_some() || page::only_opens(open) {
                    return least <= NAMED;
                }
                let first = open.proposals.first().filter(|_| open.is_likely);
                first.is_some_and(|first| is_sure(first.score))
            };
            let Some(open) = questions.iter().find(|open| sure(open) && !passed.contains(&key(open))) else {
                return Ok(());
            };
            passed.insert(key(open));
            // What does not go together with the rest stays open.
            if let Some(meaning) = self.offered(open).into_iter().next() {
                _ = self.answer(open, &meaning);
            }
        }
    }

    /// What the options say of silent text.
    fn silent(&mut self, said: &[String]) -> Result<(), Failure> {
        for text in said {
            let (name, value) = pair("--silent", text)?;
            let silences = self.lesson.silences();
            match silences.iter().find(|silence| silence.feature == name && value == "off") {
                Some(silence) if silence.offs().is_empty() => {
                    let hint = "say of each what it is, one by one: `yellowlegs dialect settings` tells what it can be";
                    return Err(Failure::usage(format!("--silent {text}: nothing of {name} can be off"), hint));
                }
                Some(silence) => self.off(silence)?,
                None => self.settle(&[(name, value)])?,
            }
        }
        Ok(())
    }

    /// Asks everything, one after the other, until there is no more or it is enough.
    fn ask(&mut self) -> Result<(), Failure> {
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

    /// What a kind of line seems to mean, the likeliest first.
    fn offered(&self, open: &Open) -> Vec<Meaning> {
        let sets = open.proposals.iter().filter_map(|proposal| self.lesson.proposed(open, proposal));
        let sets = sets.map(|given| Meaning::Sets(vec![given]));
        let mut offered: Vec<Meaning> =
            self.lesson.named(open).map(Meaning::Names).into_iter().chain(sets).take(MEANINGS).collect();
        if page::only_opens(open) {
            offered.insert(0, Meaning::Opens);
        } else if open.opens.is_some() && open.holes.is_empty() {
            offered.push(Meaning::Opens);
        }
        offered
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

/// By what a question is known from one round to the next.
fn key(open: &Open) -> String {
    format!("{} {}", open.contexts.join(" "), open.pattern)
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
