//! `yellowlegs dialect teach`: a dialect filled in from texts, question by question in a terminal, or by what the options say.

mod ask;

use std::collections::BTreeSet;
use std::io::{IsTerminal as _, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use yellowlegs_core::dialect::{At, Dialect, Open, sketch_with_state};
use yellowlegs_core::model::SettingId;
use yellowlegs_core::policy::AsOf;
use yellowlegs_core::sorted;
use yellowlegs_core::source::{Source, nearest};
use yellowlegs_core::teach::{Growth, Lesson, Meaning, Names, Refused, Silence, Table};

use super::dialect::{load, source};
use super::moment;
use crate::args::{Loudness, NamesWhat, Teach};
use crate::failure::Failure;
use crate::output::{self, Target};
use crate::render::teach as page;

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
            let columns: sorted::Set<usize> = sorted::set(starts);
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
}

/// By what a question is known from one round to the next.
fn key(open: &Open) -> String {
    format!("{} {}", open.contexts.join(" "), open.pattern)
}
