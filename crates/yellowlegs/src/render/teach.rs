//! Teaching on the screen: what is asked, what was taken, and how the audit grows.

use std::io::{self, Write};
use std::path::Path;

use yellowlegs_core::dialect::{Open, Proposal};
use yellowlegs_core::model::SettingId;
use yellowlegs_core::sorted;
use yellowlegs_core::teach::{Fact, Given, Growth, Meaning, Names, Silence, Table};

use super::clean;
use super::style::{BOLD, DIM, GOOD, PLACE, paint};

/// So much of what a setting means is told beside it.
const MEANING: usize = 60;

const OPENS: &str = "it only opens its block";

/// One kind of line: samples, its block, and what it may mean.
pub(crate) fn question(out: &mut dyn Write, open: &Open, offered: &[Meaning], left: usize) -> io::Result<()> {
    let lines = if open.lines.len() == 1 { "1 line".to_owned() } else { format!("{} lines", open.lines.len()) };
    let more = if left > 1 { format!("; {} kinds of line after it", left - 1) } else { String::new() };
    writeln!(out, "\n{}", paint(BOLD, &format!("── {lines} like this{more}")))?;
    for (depth, line) in open.block.iter().enumerate() {
        writeln!(out, "   {}{}", "  ".repeat(depth), paint(DIM, &clean(line)))?;
    }
    for line in &open.samples {
        writeln!(out, "   {}{}", "  ".repeat(open.block.len()), paint(PLACE, &clean(line)))?;
    }
    for (number, meaning) in offered.iter().enumerate() {
        let (what, sure, about) = match meaning {
            Meaning::Nothing => continue,
            Meaning::Opens => (OPENS.to_owned(), String::new(), ""),
            Meaning::Names(names) => (names_what(names.key).to_owned(), String::new(), ""),
            Meaning::Sets(given) => {
                let Some(given) = given.first() else { continue };
                let score = open.proposals.iter().find(|proposal| proposal.setting == given.setting);
                let sure = score.map(Proposal::sure).unwrap_or_default();
                (format!("{} = {}", given.setting.name(), clean(&given.value)), sure, short(given.setting))
            }
        };
        writeln!(out, "  {} {what:<44} {sure:<4} {}", paint(BOLD, &(number + 1).to_string()), paint(DIM, about))?;
    }
    let enter = if is_likely(open) && !offered.is_empty() { "Enter takes 1" } else { "Enter later" };
    prompt(
        out,
        &format!("{enter}  s search settings  o it names something  n nothing judged  l later  b back  q enough"),
    )
}

/// Whether the first of what is offered is likely.
pub(crate) fn is_likely(open: &Open) -> bool {
    open.is_likely || open.naming.is_some() || only_opens(open)
}

/// Whether a line seems to say nothing but that a block begins.
pub(crate) fn only_opens(open: &Open) -> bool {
    open.opens.is_some() && open.holes.is_empty() && open.proposals.is_empty() && open.naming.is_none()
}

/// The beginning of what a setting means.
fn short(setting: SettingId) -> &'static str {
    let meaning = setting.info().meaning;
    let sentence = meaning.split_once(". ").map_or(meaning, |(first, _)| first);
    let sentence = sentence.split_once(" (").map_or(sentence, |(first, _)| first);
    let end = sentence.char_indices().take(MEANING).last().map_or(0, |(at, c)| at + c.len_utf8());
    &sentence[..end]
}

/// A line that waits for an answer.
pub(crate) fn prompt(out: &mut dyn Write, text: &str) -> io::Result<()> {
    write!(out, "{} ", paint(DIM, &format!("{text}:")))
}

/// Why an answer was not taken.
pub(crate) fn refused(out: &mut dyn Write, what: &str, hint: Option<&str>) -> io::Result<()> {
    writeln!(out, "\n  not taken: {}", clean(what))?;
    hint.map_or(Ok(()), |hint| writeln!(out, "  {}", paint(DIM, &clean(hint))))
}

/// The settings whose name or meaning has all of these words, those first whose name has them.
pub(crate) fn found(words: &str) -> Vec<SettingId> {
    let words: Vec<String> = words.split_whitespace().map(str::to_ascii_lowercase).collect();
    let has = |text: &str| words.iter().all(|word| text.to_ascii_lowercase().contains(word.as_str()));
    let mut found: Vec<SettingId> = SettingId::all()
        .filter(|id| !words.is_empty() && has(&format!("{} {}", id.name(), id.info().meaning)))
        .collect();
    sorted::by_key(&mut found, |id| !has(id.name()));
    found
}

/// Settings to choose from.
pub(crate) fn settings(out: &mut dyn Write, found: &[SettingId]) -> io::Result<()> {
    writeln!(out)?;
    for (number, setting) in found.iter().enumerate() {
        let number = paint(BOLD, &(number + 1).to_string());
        writeln!(out, "  {number} {:<34} {}", setting.name(), paint(DIM, short(*setting)))?;
    }
    prompt(out, "its number; anything else: none of them")
}

/// Ways in which lines give a setting.
pub(crate) fn ways(out: &mut dyn Write, ways: &[Given]) -> io::Result<()> {
    writeln!(out)?;
    for (number, given) in ways.iter().enumerate() {
        let by = if given.operand.contains('<') { "as the line has it" } else { "what its words mean" };
        let number = paint(BOLD, &(number + 1).to_string());
        let what = format!("{} = {}", given.setting.name(), clean(&given.value));
        writeln!(out, "  {number} {what:<44} {}", paint(DIM, by))?;
    }
    prompt(out, "the value of the first of these lines, by its number")
}

fn names_what(key: &str) -> &'static str {
    match key {
        "ports" => "it names ports",
        "vlan" => "it names a VLAN, or several",
        "profile" => "it names a profile that ports use",
        "mirror" => "it names a mirror session",
        _ => "it names a profile, and these ports use it",
    }
}

/// What lines can name.
pub(crate) fn namings(out: &mut dyn Write, namings: &[Names]) -> io::Result<()> {
    writeln!(out)?;
    for (number, names) in namings.iter().enumerate() {
        let what = names_what(names.key);
        writeln!(out, "  {} {what}", paint(BOLD, &(number + 1).to_string()))?;
    }
    prompt(out, "what it names, by its number")
}

/// What was taken, and what it brought.
pub(crate) fn answered(
    out: &mut dyn Write,
    pattern: &str,
    meaning: &Meaning,
    before: Growth,
    now: Growth,
) -> io::Result<()> {
    let what = match meaning {
        Meaning::Nothing => "nothing that is judged".to_owned(),
        Meaning::Opens => OPENS.to_owned(),
        Meaning::Names(names) => format!("{} = <{}>", names.key, names.hole),
        Meaning::Sets(given) => {
            let one = |given: &Given| format!("{} = {}", given.setting.name(), given.operand.trim_matches('"'));
            given.iter().map(one).collect::<Vec<_>>().join(", ")
        }
    };
    writeln!(out, "\n  {} {}: {}", paint(GOOD, "✓"), clean(pattern), clean(&what))?;
    grown(out, before, now)
}

/// What was settled of silent text, and what it brought.
pub(crate) fn settled(out: &mut dyn Write, values: &[(&str, &str)], before: Growth, now: Growth) -> io::Result<()> {
    let all: Vec<String> = values.iter().map(|(name, value)| format!("{name} = {value}")).collect();
    writeln!(out, "\n  {} where the text is silent: {}", paint(GOOD, "✓"), clean(&all.join(", ")))?;
    grown(out, before, now)
}

fn grown(out: &mut dyn Write, before: Growth, now: Growth) -> io::Result<()> {
    let more = |before: usize, now: usize| match now.checked_sub(before) {
        Some(0) => String::new(),
        Some(more) => format!(" (+{more})"),
        None => format!(" (-{})", before - now),
    };
    let lines =
        format!("{} of {} lines understood{}", now.understood, now.lines, more(before.understood, now.understood));
    let decided =
        format!("{} of {} answers of the audit decided{}", now.decided, now.asked, more(before.decided, now.decided));
    writeln!(out, "    {}", paint(DIM, &format!("{lines}; {decided}")))
}

/// A table of state that is proposed.
pub(crate) fn table(out: &mut dyn Write, table: &Table) -> io::Result<()> {
    let title = format!("── a table of state: likely {} ({})", table.fact, sure(table));
    writeln!(out, "\n{}", paint(BOLD, &title))?;
    table.lines.iter().try_for_each(|line| writeln!(out, "   {}", clean(line)))?;
    prompt(out, "Enter takes it  n drops it  l later  b back  q enough")
}

/// How sure it is what a table tells, as a part of one.
fn sure(table: &Table) -> String {
    format!("{}.{}", table.score / 100, table.score / 10 % 10)
}

/// What became of a table.
pub(crate) fn decided(out: &mut dyn Write, table: &Table, take: bool) -> io::Result<()> {
    let what = if take { "is read" } else { "is dropped" };
    writeln!(out, "\n  {} the table of {} {what}", paint(GOOD, "✓"), clean(&table.fact))
}

/// A feature that is not known where the text is silent.
pub(crate) fn silence(out: &mut dyn Write, silence: &Silence) -> io::Result<()> {
    let checks = if silence.checks.len() == 1 {
        "1 check waits".into()
    } else {
        format!("{} checks wait", silence.checks.len())
    };
    let title = format!("── where the text says nothing: {}; {checks}", silence.feature);
    writeln!(out, "\n{}", paint(BOLD, &title))?;
    let front = format!("{}.", silence.feature);
    let names: Vec<&str> =
        silence.facts.iter().map(|fact| fact.name.strip_prefix(&front).unwrap_or(fact.name)).collect();
    let width = 96;
    super::wrap::wrapped(out, "   ", 3, &names.join(", "), width)?;
    let off = silence.offs().len();
    let all = match off {
        0 => String::new(),
        off if off == silence.facts.len() => "o all of it is off  ".to_owned(),
        off => format!("o the {off} that can be off are  "),
    };
    prompt(out, &format!("{all}e one by one  Enter later  b back  q enough"))
}

/// One thing that is not known where the text is silent.
pub(crate) fn fact(out: &mut dyn Write, fact: &Fact) -> io::Result<()> {
    writeln!(out, "\n  {} {}", paint(BOLD, fact.name), paint(DIM, fact.meaning))?;
    if fact.choices.is_empty() {
        return prompt(out, &format!("  {}; Enter alone: not known", fact.wanted));
    }
    let all = fact.choices.iter().enumerate();
    let choices: Vec<String> = all.map(|(number, choice)| format!("{} {choice}", number + 1)).collect();
    prompt(out, &format!("  {}; Enter alone: not known", choices.join("  ")))
}

/// Everything that would be asked.
pub(crate) fn list(out: &mut dyn Write, questions: &[Open], tables: &[Table], silences: &[Silence]) -> io::Result<()> {
    for open in questions {
        let count = open.lines.len();
        let sample = open.samples.first().map(|line| clean(line).into_owned()).unwrap_or_default();
        let block = open.block.last().map(|line| format!("  in `{}`", clean(line))).unwrap_or_default();
        let likely = open.proposals.first().filter(|_| open.is_likely);
        let likely = likely.map(|p| format!("  likely {} ({})", p.setting.name(), p.sure()));
        let naming = open.naming.map(|key| format!("  likely {}", names_what(key)));
        let naming = naming.or_else(|| only_opens(open).then(|| format!("  likely {OPENS}")));
        let likely = naming.or(likely).unwrap_or_default();
        writeln!(out, "{count:>6}  {sample}{}{}", paint(DIM, &block), likely)?;
    }
    for table in tables {
        writeln!(out, "        a table of state  likely {} ({})", clean(&table.fact), sure(table))?;
    }
    if !silences.is_empty() {
        let all: Vec<String> = silences.iter().map(|s| format!("{} ({})", s.feature, s.checks.len())).collect();
        super::wrap::wrapped(
            out,
            "where the text is silent, by feature and the checks that wait: ",
            8,
            &all.join(", "),
            100,
        )?;
    }
    Ok(())
}

/// Where it stands, and how it goes on.
pub(crate) fn end(out: &mut dyn Write, path: &Path, growth: &Growth) -> io::Result<()> {
    let share = |part: usize, of: usize| (part * 100).checked_div(of).unwrap_or(100);
    writeln!(
        out,
        "\n{}: {} of {} lines understood ({} %); {} port(s); {} of {} answers of the audit decided ({} %), {} violated",
        clean(&path.display().to_string()),
        growth.understood,
        growth.lines,
        share(growth.understood, growth.lines),
        growth.ports,
        growth.decided,
        growth.asked,
        share(growth.decided, growth.asked),
        growth.violated,
    )
}
