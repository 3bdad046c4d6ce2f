//! `yellowlegs read`: what was understood of a file, and what was not.

use std::path::Path;
use std::process::ExitCode;

use yellowlegs_core::finding::UnreadRow;
use yellowlegs_core::model::Switch;
use yellowlegs_core::resolve::{Resolved, resolve};

use crate::args::{Loudness, Read};
use crate::failure::Failure;
use crate::fleet::{self, Loaded, Root, Unreadable};
use crate::output;
use crate::render::{clean, write_json};

pub(super) fn run(args: &Read, loudness: Loudness) -> Result<ExitCode, Failure> {
    let root = Root::find(args.fleet.fleet.as_deref(), &args.files)?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let mut out = output::stdout(loudness.color);
    let mut code = ExitCode::SUCCESS;
    for file in &args.files {
        let path = std::fs::canonicalize(file).map_err(|error| Failure::path(file, error))?;
        match read(&root.dir, &path, &loaded) {
            Ok(resolved) => {
                write_json(&mut out, &resolved.record()).map_err(Failure::stdout)?;
                if !loudness.quiet {
                    unread(&resolved.switch, args.raw);
                }
            }
            Err(failed) => {
                tell(&failed);
                code = ExitCode::from(2);
            }
        }
    }
    out.flush().map_err(Failure::stdout)?;
    Ok(code)
}

fn read(root: &Path, path: &Path, loaded: &Loaded) -> Result<Resolved, Unreadable> {
    if path.extension().is_some_and(|e| e == "json") {
        return fleet::read_record(root, path);
    }
    let source = fleet::source_of(root, path)?;
    let dialect = fleet::recognise(&source, loaded)?;
    let name = path.parent().and_then(Path::file_name).map(|n| n.to_string_lossy().into_owned());
    Ok(resolve(name.unwrap_or_default(), &dialect, source))
}

/// A file that could not be read, on standard error.
pub(super) fn tell(failed: &Unreadable) {
    anstream::eprintln!("error: {}", clean(&format!("{}: {}", failed.file, failed.why)));
    if let Some(hint) = &failed.hint {
        anstream::eprintln!("  hint: {}", clean(hint));
    }
}

fn unread(switch: &Switch, raw: bool) {
    let rows = UnreadRow::of(switch, raw);
    let lines: usize = rows.iter().map(|r| r.count).sum();
    let of = switch.lines();
    anstream::eprintln!("{}: {} of {of} lines not understood", clean(switch.name()), lines);
    for row in rows {
        let shown = row.sample.text.as_deref().unwrap_or(&row.shape);
        let place = format!("{}:{}", row.sample.file, row.sample.line);
        anstream::eprintln!("  {} × {}  {}", row.count, clean(shown.trim()), clean(&place));
    }
}
