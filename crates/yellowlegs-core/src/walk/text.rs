//! The text of a walk: one line an object, with its identifier, its type and its value.
//!
//! Yellowlegs writes `1.3.6.1.2.1.1.5.0 octets "name"`; what others write as numeric text is read as well: an identifier, perhaps a sign, perhaps a
//! type by its name in ASN.1 or SMI (RFC 2578, 7.1) and a colon, then the value, which may go on in later lines where it is quoted or hexadecimal.

use jiff::Timestamp;

use super::objects::{Object, Objects, Type};
use crate::model::{Mark, read_arcs};
use crate::source::{Source, Word};

/// What Yellowlegs writes of when a walk was taken.
pub(super) const TAKEN: &str = "taken";
/// What it writes of what was asked, with the number of objects that came.
pub(super) const WALKED: &str = "walked";

/// What stands before the name of an object, behind its value.
pub(super) const BEHIND: &str = "  # ";

/// A part of the tree that was asked for, and how many objects came.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Walked {
    /// Its identifier.
    pub(super) arcs: Vec<u32>,
    /// How many objects there were.
    pub(super) count: usize,
    /// The line.
    pub(super) mark: Mark,
}

/// A text, read.
#[derive(Debug, Default)]
pub(super) struct WalkText {
    /// Its objects.
    pub(super) objects: Objects,
    /// Lines that are none.
    pub(super) unread: Vec<Mark>,
    /// When it was taken.
    pub(super) taken: Option<(Timestamp, Mark)>,
    /// What was asked.
    pub(super) walked: Vec<Walked>,
    /// How many lines it has.
    pub(super) lines: u32,
}

/// Words that stand in the place of a value where there is none.
const NOTHING: &[&str] = &["no such", "no more variables", "end of mib"];

/// Reads a text; `file` is its position among the switch's files.
pub(super) fn read(source: &Source, file: u16) -> WalkText {
    let text = source.text();
    let mut read = WalkText::default();
    let (mut arcs, mut number, mut offset) = (Vec::new(), 0, 0);
    for whole in text.split_inclusive('\n') {
        (number, read.lines) = (number + 1, number + 1);
        let at = offset;
        offset += whole.len();
        let line = whole.trim();
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        let start = at + (whole.len() - whole.trim_start().len());
        let mark = Mark { file, line: number, offset: start as u32, width: line.len() as u32 };
        if read.objects.last_takes(line) && !begins_object(line) {
            read.objects.goes_on(line, start + line.len());
        } else if !meta(line, mark, &mut read) {
            match object(line, start, &mut arcs) {
                Line::Object(kind, value) => read.objects.push(&arcs, Object { kind, value, mark, of: (0, 0) }, text),
                Line::Nothing => {}
                Line::Unread => read.unread.push(mark),
            }
        }
    }
    read.objects.sort(text, &mut read.unread);
    read
}

/// Whether a line begins with an identifier of several parts.
pub(super) fn begins_object(line: &str) -> bool {
    let first = line.split(|sign: char| !is_of_oid(sign)).next().unwrap_or_default();
    first.contains('.') && read_arcs(first, &mut Vec::new()).is_some_and(|arcs| arcs > 2)
}

fn is_of_oid(sign: char) -> bool {
    sign.is_ascii_digit() || sign == '.' || "iso".contains(sign)
}

/// Takes a line about the walk itself.
fn meta(line: &str, mark: Mark, read: &mut WalkText) -> bool {
    let mut words = line.split_whitespace();
    match words.next() {
        Some(TAKEN) => {
            let Some(time) = words.next().and_then(|word| word.parse().ok()) else { return false };
            read.taken = Some((time, mark));
        }
        Some(WALKED) => {
            let mut arcs = Vec::new();
            let known = words.next().and_then(|word| read_arcs(word, &mut arcs));
            let (Some(_), Some(count)) = (known, words.next().and_then(|word| word.parse().ok())) else { return false };
            read.walked.push(Walked { arcs, count, mark });
        }
        _ => return false,
    }
    words.next().is_none()
}

/// What a line is.
enum Line {
    /// An object: its type, where one is told, and its value.
    Object(Option<Type>, Word),
    /// What a tool says where there is no object.
    Nothing,
    /// Anything else.
    Unread,
}

/// Reads a line; the identifier of its object is put into `arcs`.
fn object(line: &str, start: usize, arcs: &mut Vec<u32>) -> Line {
    arcs.clear();
    let end = line.find(|sign: char| !is_of_oid(sign)).unwrap_or(line.len());
    let (oid, rest) = line.split_at(end);
    let sign = rest.trim_start().chars().next();
    let is_apart = rest.starts_with(char::is_whitespace) || matches!(sign, Some('=' | '|'));
    if read_arcs(oid, arcs).is_none_or(|arcs| arcs < 3) || !is_apart {
        return Line::Unread;
    }
    let rest = rest.trim_start().trim_start_matches(['=', '|']).trim_start();
    let lower = rest.to_ascii_lowercase();
    if NOTHING.iter().any(|words| lower.starts_with(words)) {
        return Line::Nothing;
    }
    // Only what Yellowlegs writes has names.
    let rest = if matches!(sign, Some('=' | '|')) { rest } else { without_name(rest) };
    let (kind, value) = typed(rest, sign == Some('|'));
    let value = value.trim();
    let begins = start + (value.as_ptr() as usize - line.as_ptr() as usize);
    Line::Object(kind, Word { start: begins, end: begins + value.len() })
}

/// A value without the name that stands behind it: one of letters and digits. Within quotes it is none.
fn without_name(value: &str) -> &str {
    match value.rsplit_once(BEHIND) {
        Some((value, name)) if !name.is_empty() && name.bytes().all(|byte| byte.is_ascii_alphanumeric()) => {
            value.trim_end()
        }
        _ => value,
    }
}

/// The type that stands before a value, where one does.
fn typed(rest: &str, by_tag: bool) -> (Option<Type>, &str) {
    let end = rest.find(|sign: char| ":| \t\"".contains(sign)).unwrap_or(rest.len());
    let (name, behind) = rest.split_at(end);
    // `Network Address: …` is a name of two words.
    let two = rest.split_once(':').filter(|(name, _)| name.split_whitespace().count() == 2);
    let known = |name: &str, value| Type::named(name, by_tag).map(|kind| (Some(kind), value));
    let value = behind.trim_start_matches([':', '|']);
    known(name, value).or_else(|| two.and_then(|(name, value)| known(name, value))).unwrap_or((None, rest))
}
