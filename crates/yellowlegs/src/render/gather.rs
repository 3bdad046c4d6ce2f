//! What gathering came to, and what stands in, for people.

use std::io::{self, Write};
use std::path::Path;

use yellowlegs_gather::host_keys::HostKeys;
use yellowlegs_gather::run::{Brought, Ended};
use yellowlegs_gather::stand_in::{StandIns, Trouble};

use super::clean;
use super::style::{BAD, BOLD, DIM, paint};

/// What came of each switch, then which did not come and why, last, where it is seen.
pub(crate) fn text(out: &mut dyn Write, ended: &[Ended], keys: &HostKeys, below: &Path) -> io::Result<()> {
    let width = ended.iter().map(|end| end.name.chars().count()).max().unwrap_or_default();
    let named = |end: &Ended| format!("{:width$}", clean(&end.name));
    for end in ended {
        if let Ok(brought) = &end.result {
            came(out, &named(end), brought)?;
        }
    }
    for end in ended {
        if let Err(fault) = &end.result {
            let tries = if end.tries > 1 { format!(", {} tries", end.tries) } else { String::new() };
            let step = fault.step.to_string();
            let failed = paint(BAD, &format!("failed at {}{tries}", clean(&step)));
            writeln!(out, "{}  {failed}: {}", paint(BOLD, &named(end)), clean(&fault.what))?;
            if let Some(hint) = &fault.hint {
                writeln!(out, "{:width$}  {}", "", paint(DIM, &format!("hint: {}", clean(hint))))?;
            }
        }
    }
    for name in keys.written() {
        writeln!(out, "{}: key written to {}", clean(&name), clean(&keys.file().display().to_string()))?;
    }
    let failed = ended.iter().filter(|end| end.result.is_err()).count();
    let shown = clean(&below.display().to_string()).into_owned();
    let of = format!("{} of {} switches gathered into {shown}", ended.len() - failed, ended.len());
    match failed {
        0 => writeln!(out, "\n{of}"),
        1 => writeln!(out, "\n{of}; 1 failed and kept what it had"),
        failed => writeln!(out, "\n{of}; {failed} failed and kept what they had"),
    }
}

fn came(out: &mut dyn Write, name: &str, brought: &Brought) -> io::Result<()> {
    let files: Vec<String> = brought.files.iter().map(|(file, lines)| format!("{} {lines}", clean(file))).collect();
    writeln!(out, "{}  {} lines", paint(BOLD, name), files.join(", "))?;
    let blank = " ".repeat(name.chars().count());
    for (send, said) in &brought.refused {
        writeln!(out, "{blank}  {}", paint(DIM, &format!("`{}` was refused: {}", clean(send), clean(said))))?;
    }
    if !brought.older.is_empty() {
        let older = brought.older.join(", ");
        writeln!(out, "{blank}  {}", paint(DIM, &format!("older ways were used: {}", clean(&older))))?;
    }
    if brought.escapes > 0 {
        let told = format!("{} signs that steer a terminal were left out", brought.escapes);
        writeln!(out, "{blank}  {}", paint(DIM, &told))?;
    }
    Ok(())
}

/// What can go wrong on purpose.
pub(crate) fn troubles(out: &mut dyn Write) -> io::Result<()> {
    let width = Trouble::ALL.iter().map(|(_, name, _)| name.len()).max().unwrap_or_default();
    Trouble::ALL.iter().try_for_each(|(_, name, does)| writeln!(out, "{name:width$}  {does}"))
}

/// Who stands in where, and what to type.
pub(crate) fn standing(out: &mut dyn Write, standing: &StandIns, lab: &Path, word: &str) -> io::Result<()> {
    let width = standing.places().iter().map(|place| place.name.chars().count()).max().unwrap_or_default();
    for place in standing.places() {
        let ssh = place.ssh.as_ref().map(|(address, _)| format!("ssh {address}"));
        let both: Vec<String> = ssh.into_iter().chain(place.snmp.map(|address| format!("snmp {address}"))).collect();
        writeln!(out, "{}  {}", paint(BOLD, &format!("{:width$}", clean(&place.name))), both.join("  "))?;
    }
    let lab = clean(&lab.display().to_string()).into_owned();
    writeln!(
        out,
        "\n{} switches stand in, until this is interrupted. In another terminal:\n",
        standing.places().len()
    )?;
    writeln!(out, "  {word}={} yellowlegs gather {lab}", standing.password())?;
    writeln!(out, "  yellowlegs audit {lab}")
}
