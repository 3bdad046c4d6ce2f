//! JSON that no terminal takes for commands: what JSON may leave as it is and a terminal would obey is escaped.

use std::io::{self, Write};

use rustc_hash::FxHashMap;
use serde::Serialize;
use serde_json::Serializer;
use serde_json::ser::Formatter;
use serde_json::value::RawValue;

use super::clean::{is_plain, is_unsafe};

/// Writes a text of which some signs are escaped.
fn safely<W: ?Sized + Write>(writer: &mut W, fragment: &str) -> io::Result<()> {
    let mut rest = fragment;
    // Most are plain, and known as such at once.
    while !is_plain(rest)
        && let Some(position) = rest.find(is_unsafe)
    {
        let (plain, tail) = rest.split_at(position);
        writer.write_all(plain.as_bytes())?;
        let mut chars = tail.chars();
        if let Some(c) = chars.next() {
            write!(writer, "\\u{:04x}", u32::from(c))?;
        }
        rest = chars.as_str();
    }
    writer.write_all(rest.as_bytes())
}

/// All on one line.
struct OneLine;

impl Formatter for OneLine {
    fn write_string_fragment<W: ?Sized + Write>(&mut self, writer: &mut W, fragment: &str) -> io::Result<()> {
        safely(writer, fragment)
    }
}

/// What stands between two elements: a comma, a line end and the blanks before the next.
const BETWEEN: &[u8; 66] = b",\n                                                                ";

/// Each element on a line of its own, two blanks deeper than what it is in.
#[derive(Default)]
struct OverLines {
    depth: usize,
    /// Whether what is open holds an element.
    holds: bool,
    /// What was put over lines before, and how deep: the same stands in many places.
    before: FxHashMap<Box<str>, (usize, Vec<u8>)>,
}

impl OverLines {
    fn open<W: ?Sized + Write>(&mut self, writer: &mut W, sign: &[u8]) -> io::Result<()> {
        self.depth += 1;
        self.holds = false;
        writer.write_all(sign)
    }

    fn close<W: ?Sized + Write>(&mut self, writer: &mut W, sign: &[u8]) -> io::Result<()> {
        self.depth -= 1;
        if self.holds {
            self.next(writer, true)?;
        }
        writer.write_all(sign)
    }

    /// Begins a line.
    fn next<W: ?Sized + Write>(&self, writer: &mut W, first: bool) -> io::Result<()> {
        let blanks = 2 * self.depth;
        let at_once = blanks.min(BETWEEN.len() - 2);
        writer.write_all(&BETWEEN[usize::from(first)..2 + at_once])?;
        (at_once..blanks).try_for_each(|_| writer.write_all(b" "))
    }

    /// What was written on one line, put over lines.
    fn put_over_lines(&mut self, writer: &mut Vec<u8>, fragment: &str) -> io::Result<()> {
        let (bytes, mut begins, mut at) = (fragment.as_bytes(), 0, 0);
        while let Some(sign) = bytes.get(at) {
            at += 1;
            if *sign == b'"' {
                at = end_of_string(bytes, at);
                continue;
            }
            if !matches!(sign, b'{' | b'[' | b'}' | b']' | b',' | b':') {
                continue;
            }
            writer.write_all(&bytes[begins..at - 1])?;
            begins = at;
            match sign {
                b'{' | b'[' => {
                    self.open(writer, &[*sign])?;
                    if !matches!(bytes.get(at), Some(b'}' | b']')) {
                        self.next(writer, true)?;
                        self.holds = true;
                    }
                }
                b',' => self.next(writer, false)?,
                b':' => writer.write_all(b": ")?,
                _ => {
                    self.close(writer, &[*sign])?;
                    self.holds = true;
                }
            }
        }
        writer.write_all(&bytes[begins..])
    }
}

impl Formatter for OverLines {
    fn begin_array<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.open(writer, b"[")
    }

    fn end_array<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.close(writer, b"]")
    }

    fn begin_array_value<W: ?Sized + Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.next(writer, first)
    }

    fn end_array_value<W: ?Sized + Write>(&mut self, _: &mut W) -> io::Result<()> {
        self.holds = true;
        Ok(())
    }

    fn begin_object<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.open(writer, b"{")
    }

    fn end_object<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.close(writer, b"}")
    }

    fn begin_object_key<W: ?Sized + Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.next(writer, first)
    }

    fn begin_object_value<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        writer.write_all(b": ")
    }

    fn end_object_value<W: ?Sized + Write>(&mut self, _: &mut W) -> io::Result<()> {
        self.holds = true;
        Ok(())
    }

    fn write_string_fragment<W: ?Sized + Write>(&mut self, writer: &mut W, fragment: &str) -> io::Result<()> {
        safely(writer, fragment)
    }

    fn write_raw_fragment<W: ?Sized + Write>(&mut self, writer: &mut W, fragment: &str) -> io::Result<()> {
        let known = self.before.get(fragment).filter(|(depth, _)| *depth == self.depth);
        if let Some((_, lines)) = known {
            return writer.write_all(lines);
        }
        let mut lines = Vec::new();
        self.put_over_lines(&mut lines, fragment)?;
        writer.write_all(&lines)?;
        self.before.insert(fragment.into(), (self.depth, lines));
        Ok(())
    }
}

/// Behind a string, of which this is the place behind its first quote.
fn end_of_string(bytes: &[u8], mut at: usize) -> usize {
    while let Some(sign) = bytes.get(at..).and_then(|rest| memchr::memchr2(b'"', b'\\', rest)) {
        at += sign + 1;
        if bytes[at - 1] == b'"' {
            return at;
        }
        at += 1;
    }
    bytes.len()
}

/// One value on one line, without a line end.
///
/// # Errors
/// What the value says of itself.
pub fn one_line(value: &impl Serialize) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    value.serialize(&mut Serializer::with_formatter(&mut bytes, OneLine))?;
    Ok(bytes)
}

/// One value over several lines, with a line end.
///
/// # Errors
/// What the value says of itself.
pub fn over_lines(value: &impl Serialize) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    value.serialize(&mut Serializer::with_formatter(&mut bytes, OverLines::default()))?;
    bytes.push(b'\n');
    Ok(bytes)
}

/// One value to be put into others again and again.
pub(crate) fn again(value: &impl Serialize) -> serde_json::Result<Box<RawValue>> {
    let written = one_line(value).map_err(serde_json::Error::io)?;
    RawValue::from_string(String::from_utf8(written).unwrap_or_default())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;
    use serde_json::{Value, json};

    /// Values that hold others, some deeper than the blanks that are written at once.
    fn values() -> impl Strategy<Value = Value> {
        let small =
            prop_oneof![Just(Value::Null), any::<bool>().prop_map(Value::from), any::<u32>().prop_map(Value::from)];
        let small = prop_oneof![small, "[a-z\\\\\"\n\t ö\u{9b}\u{202e}]{0,9}".prop_map(Value::from)];
        let nested = small.prop_recursive(5, 40, 5, |inner| {
            let list = prop::collection::vec(inner.clone(), 0..4).prop_map(Value::from);
            prop_oneof![list, prop::collection::btree_map("[a-z]{1,4}", inner, 0..4).prop_map(|map| json!(map))]
        });
        (nested, 0_usize..40).prop_map(|(value, deeper)| (0..deeper).fold(value, |value, _| json!([value])))
    }

    proptest! {
        #[test]
        fn lines_are_those_of_the_library_but_for_what_is_escaped(value in values()) {
            let written = String::from_utf8(over_lines(&value).unwrap()).unwrap();
            prop_assert!(!written.contains(['\u{9b}', '\u{202e}']), "{written}");
            prop_assert_eq!(&serde_json::from_str::<Value>(&written).unwrap(), &value);
            let plain = serde_json::to_string_pretty(&value).unwrap() + "\n";
            let escaped = plain.replace('\u{9b}', "\\u009b").replace('\u{202e}', "\\u202e");
            prop_assert_eq!(written, escaped);
        }

        #[test]
        fn what_was_written_before_is_written_as_if_anew(value in values(), deeper in 0_usize..4) {
            let (mut before, mut anew) = (again(&value).unwrap(), value);
            for _ in 0..deeper {
                before = again(&json!({"in": 1, "of": [&*before]})).unwrap();
                anew = json!({"in": 1, "of": [anew]});
            }
            prop_assert_eq!(one_line(&Holding { held: [&*before] }).unwrap(), one_line(&Holding { held: [&anew] }).unwrap());
            prop_assert_eq!(over_lines(&Holding { held: [&*before] }).unwrap(), over_lines(&Holding { held: [&anew] }).unwrap());
        }
    }

    #[derive(Serialize)]
    struct Holding<T> {
        held: [T; 1],
    }

    #[rstest]
    #[case(json!({}), "{}", "{}\n")]
    #[case(json!([]), "[]", "[]\n")]
    #[case(json!([{}, []]), "[{},[]]", "[\n  {},\n  []\n]\n")]
    #[case(json!({"a": "x\u{7f}\u{feff}y"}), r#"{"a":"x\u007f\ufeffy"}"#, "{\n  \"a\": \"x\\u007f\\ufeffy\"\n}\n")]
    fn empty_ones_and_signs(#[case] value: Value, #[case] one: &str, #[case] over: &str) {
        assert_eq!(String::from_utf8(one_line(&value).unwrap()).unwrap(), one);
        assert_eq!(String::from_utf8(over_lines(&value).unwrap()).unwrap(), over);
    }
}
