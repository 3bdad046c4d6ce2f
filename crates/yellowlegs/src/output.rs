//! Where reports go: standard output, and files that are replaced whole or not at all.

use std::io::{BufWriter, IsTerminal as _, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};

use anstream::AutoStream;
use tempfile::NamedTempFile;

use crate::args::{Color, Loudness};
use crate::failure::Failure;
use crate::render::look::{Amount, Look};
use crate::render::{FORMATS, Format, clean};

/// Standard output with colours as asked for.
pub(crate) fn stdout(color: Color) -> Box<dyn Write + Send> {
    let stdout = std::io::stdout();
    let choice = match color {
        Color::Auto => AutoStream::choice(&stdout),
        Color::Always => anstream::ColorChoice::AlwaysAnsi,
        Color::Never => anstream::ColorChoice::Never,
    };
    Box::new(AutoStream::new(Box::new(BufWriter::new(stdout)) as Box<dyn Write + Send>, choice))
}

/// Standard output for a report: one that has colours keeps them where they are wanted, others are written as they are, for looking for
/// colours takes longer than all the rest.
pub(crate) fn report(has_colours: bool, color: Color) -> Box<dyn Write + Send> {
    if has_colours { stdout(color) } else { plain() }
}

/// Standard output for what has no colours.
pub(crate) fn plain() -> Box<dyn Write + Send> {
    Box::new(BufWriter::new(std::io::stdout()))
}

/// Standard output for what is to become a file: exact in a file or a pipe, made safe on a terminal.
pub(crate) fn content() -> Box<dyn Write> {
    let stdout = std::io::stdout();
    if stdout.is_terminal() {
        Box::new(Shown { out: stdout, line: Vec::new() })
    } else {
        Box::new(BufWriter::new(stdout))
    }
}

/// Shows lines of a text on a terminal: what it could obey is made visible.
struct Shown<W: Write> {
    out: W,
    line: Vec<u8>,
}

impl<W: Write> Shown<W> {
    fn tell(&mut self) -> std::io::Result<()> {
        let text = String::from_utf8_lossy(&self.line).into_owned();
        self.line.clear();
        for line in text.split_inclusive('\n') {
            let body = line.strip_suffix('\n');
            // A tab is no command, and files of this kind are indented by it.
            let parts: Vec<_> = body.unwrap_or(line).split('\t').map(clean).collect();
            self.out.write_all(parts.join("\t").as_bytes())?;
            if body.is_some() {
                self.out.write_all(b"\n")?;
            }
        }
        Ok(())
    }
}

impl<W: Write> Write for Shown<W> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.line.extend_from_slice(bytes);
        if self.line.ends_with(b"\n") {
            self.tell()?;
        }
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.tell()?;
        self.out.flush()
    }
}

/// Files that are half written: an interrupt takes them away.
static HALF_WRITTEN: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

/// What an interrupt ends with, as shells count: 128 and the signal's number.
const INTERRUPTED: i32 = 130;

fn half_written() -> MutexGuard<'static, Vec<PathBuf>> {
    HALF_WRITTEN.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Lets an interrupt take half-written files away before the program ends. Targets are untouched then.
pub(crate) fn clean_up_when_interrupted() {
    let clean_up = || {
        for path in half_written().drain(..) {
            _ = std::fs::remove_file(path);
        }
        #[cfg(feature = "gather")]
        yellowlegs_gather::folder::abandon();
        std::process::exit(INTERRUPTED);
    };
    // Without it an interrupt leaves a hidden file, and nothing else is wrong.
    _ = ctrlc::set_handler(clean_up);
}

/// A file being written beside its target, or the target itself where it is no regular file.
pub(crate) enum Target {
    Replaced { path: PathBuf, file: BufWriter<NamedTempFile> },
    Through { path: PathBuf, file: BufWriter<std::fs::File> },
}

/// The kind of report that a file's ending asks for. Of endings that fit, the longest counts.
pub(crate) fn format_of(path: &Path) -> Result<&'static Format, Failure> {
    let name = path.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
    let fits = |format: &&&Format| format.endings.iter().any(|ending| name.ends_with(&format!(".{ending}")));
    let longest = |format: &&&Format| format.endings.iter().map(|ending| ending.len()).max();
    FORMATS.iter().filter(fits).max_by_key(longest).copied().ok_or_else(|| {
        let endings: Vec<String> = FORMATS.iter().flat_map(|f| f.endings).map(|ending| format!(".{ending}")).collect();
        Failure::usage(
            format!("--write {}: no kind of report has this ending", path.display()),
            format!("endings are {}", endings.join(", ")),
        )
    })
}

/// Whether standard output takes no colours.
pub(crate) fn is_plain(color: Color) -> bool {
    match color {
        Color::Auto => AutoStream::choice(&std::io::stdout()) == anstream::ColorChoice::Never,
        Color::Always => false,
        Color::Never => true,
    }
}

/// How a report for people is to look on standard output.
pub(crate) fn look(loudness: Loudness, each: bool) -> Look {
    let (stdout, plain) = (std::io::stdout(), is_plain(loudness.color));
    let columns = terminal_size::terminal_size_of(&stdout).map(|(columns, _)| usize::from(columns.0));
    let amount = match (loudness.quiet, loudness.verbose) {
        (true, _) => Amount::Little,
        (false, true) => Amount::Much,
        (false, false) => Amount::Usual,
    };
    Look { amount, each, plain, width: columns.unwrap_or(Look::WIDTH).max(40) }
}

impl Target {
    /// Opened before the slow work, so that a wrong path is told at once.
    pub(crate) fn open(path: &Path) -> Result<Self, Failure> {
        let failure = |error| Failure::path(path, error);
        let regular = match std::fs::metadata(path) {
            Ok(metadata) => metadata.is_file(),
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => true,
            Err(error) => return Err(failure(error)),
        };
        if !regular {
            let file = std::fs::OpenOptions::new().write(true).open(path).map_err(failure)?;
            return Ok(Self::Through { path: path.to_owned(), file: BufWriter::new(file) });
        }
        let real = std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
        let folder = real.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let file = tempfile::Builder::new().prefix(".yellowlegs-").tempfile_in(folder).map_err(failure)?;
        half_written().push(file.path().to_owned());
        Ok(Self::Replaced { path: real, file: BufWriter::new(file) })
    }

    /// Puts what was written in its place.
    pub(crate) fn finish(self) -> Result<(), Failure> {
        match self {
            Self::Replaced { path, file } => {
                let file = file.into_inner().map_err(|e| Failure::path(&path, e.into_error()))?;
                let before = std::fs::metadata(&path).map(|m| m.permissions());
                let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
                let permissions = before.or_else(|_| ordinary(folder));
                let set = permissions.and_then(|p| file.as_file().set_permissions(p));
                set.map_err(|e| Failure::path(&path, e))?;
                let half = file.path().to_owned();
                let done = file.persist(&path).map(|_| ()).map_err(|e| Failure::path(&path, e.error));
                half_written().retain(|there| *there != half);
                done
            }
            Self::Through { path, mut file } => file.flush().map_err(|e| Failure::path(path, e)),
        }
    }
}

/// Temporary files are private; a report has the permissions that any new file of the caller would have.
#[cfg(unix)]
fn ordinary(folder: &Path) -> std::io::Result<std::fs::Permissions> {
    // The only safe way to learn the caller's mask is to make a file by it.
    let mut options = tempfile::Builder::new();
    let made = options
        .prefix(".yellowlegs-")
        .make_in(folder, |path| std::fs::OpenOptions::new().write(true).create_new(true).open(path))?;
    made.as_file().metadata().map(|m| m.permissions())
}

#[cfg(not(unix))]
fn ordinary(folder: &Path) -> std::io::Result<std::fs::Permissions> {
    folder.metadata().map(|m| m.permissions())
}

impl Write for Target {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        match self {
            Self::Replaced { file, .. } => file.write(bytes),
            Self::Through { file, .. } => file.write(bytes),
        }
    }

    fn flush(&mut self) -> std::io::Result<()> {
        match self {
            Self::Replaced { file, .. } => file.flush(),
            Self::Through { file, .. } => file.flush(),
        }
    }
}
