//! JSON that no terminal takes for commands: what JSON may leave as it is and a terminal would obey is escaped.

use std::io::{self, Write};
use std::ops::Range;

use serde::Serialize;
use serde_json::Serializer;
use serde_json::ser::Formatter;

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

/// A text over lines that is written piece by piece, with what stands in it often copied from where it stands first. What a serialiser
/// would be asked for thousands of times costs little more here than the bytes it takes.
#[derive(Default)]
pub(crate) struct Sheet {
    bytes: Vec<u8>,
    lines: OverLines,
}

impl Sheet {
    /// Begins an object, as the value of what was named last.
    pub(crate) fn open(&mut self) -> io::Result<()> {
        self.lines.open(&mut self.bytes, b"{")
    }

    /// Ends it.
    pub(crate) fn close(&mut self) -> io::Result<()> {
        self.lines.close(&mut self.bytes, b"}")?;
        self.lines.holds = true;
        Ok(())
    }

    /// Begins a list, as the value of what was named last.
    pub(crate) fn open_list(&mut self) -> io::Result<()> {
        self.lines.open(&mut self.bytes, b"[")
    }

    /// Begins an element of it.
    pub(crate) fn element(&mut self) -> io::Result<()> {
        self.lines.next(&mut self.bytes, !self.lines.holds)?;
        self.lines.holds = true;
        Ok(())
    }

    /// Ends it.
    pub(crate) fn close_list(&mut self) -> io::Result<()> {
        self.lines.close(&mut self.bytes, b"]")?;
        self.lines.holds = true;
        Ok(())
    }

    /// A whole list, each element as `write` writes it.
    pub(crate) fn list<T>(
        &mut self,
        elements: impl Iterator<Item = T>,
        mut write: impl FnMut(&mut Self, T) -> io::Result<()>,
    ) -> io::Result<()> {
        self.open_list()?;
        for element in elements {
            self.element()?;
            write(self, element)?;
        }
        self.close_list()
    }

    /// Begins an entry of an object; `name` holds no sign that JSON escapes.
    pub(crate) fn name(&mut self, name: &'static str) -> io::Result<()> {
        self.element()?;
        self.bytes.push(b'"');
        self.bytes.extend_from_slice(name.as_bytes());
        self.bytes.extend_from_slice(b"\": ");
        Ok(())
    }

    /// A value by its serialiser.
    pub(crate) fn value(&mut self, value: &(impl Serialize + ?Sized)) -> io::Result<()> {
        let lines = OverLines { depth: self.lines.depth, holds: false };
        Ok(value.serialize(&mut Serializer::with_formatter(&mut self.bytes, lines))?)
    }

    /// A text; most hold nothing that is escaped.
    pub(crate) fn text(&mut self, text: &str) -> io::Result<()> {
        let plain = |plain: bool, byte: &u8| plain & matches!(byte, b' ' | b'!' | b'#'..=b'[' | b']'..=b'~');
        if !text.as_bytes().iter().fold(true, plain) {
            return self.value(text);
        }
        self.bytes.push(b'"');
        self.bytes.extend_from_slice(text.as_bytes());
        self.bytes.push(b'"');
        Ok(())
    }

    /// An entry by its serialiser.
    pub(crate) fn entry(&mut self, name: &'static str, value: &(impl Serialize + ?Sized)) -> io::Result<()> {
        self.name(name)?;
        self.value(value)
    }

    /// An entry that is a text.
    pub(crate) fn text_entry(&mut self, name: &'static str, text: &str) -> io::Result<()> {
        self.name(name)?;
        self.text(text)
    }

    /// How many bytes are written.
    pub(crate) fn len(&self) -> usize {
        self.bytes.len()
    }

    /// Makes room for so many more.
    pub(crate) fn reserve(&mut self, bytes: usize) {
        self.bytes.reserve(bytes);
    }

    /// A value that was written before, as deep as this one.
    pub(crate) fn again(&mut self, written: Range<usize>) {
        self.bytes.extend_from_within(written);
    }

    /// The text, with a line end.
    pub(crate) fn into_bytes(mut self) -> Vec<u8> {
        self.bytes.push(b'\n');
        self.bytes
    }
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
        fn a_sheet_is_what_a_serialiser_writes(values in prop::collection::vec(values(), 0..3), text in "[a-z \"\\\\ö\u{9b}]{0,6}") {
            let mut sheet = Sheet::default();
            let write = |sheet: &mut Sheet| -> io::Result<()> {
                sheet.open()?;
                sheet.text_entry("told", &text)?;
                sheet.name("each")?;
                sheet.list(values.iter(), |sheet, value| {
                    sheet.open()?;
                    sheet.name("first")?;
                    let from = sheet.len();
                    sheet.value(value)?;
                    let written = from..sheet.len();
                    sheet.name("second")?;
                    sheet.again(written);
                    sheet.close()
                })?;
                sheet.name("none")?;
                sheet.open()?;
                sheet.close()?;
                sheet.close()
            };
            write(&mut sheet).unwrap();
            let each: Vec<_> = values.iter().map(|value| Twice { first: value, second: value }).collect();
            let whole = Whole { told: &text, each, none: json!({}) };
            prop_assert_eq!(String::from_utf8(sheet.into_bytes()).unwrap(), String::from_utf8(over_lines(&whole).unwrap()).unwrap());
        }
    }

    #[derive(Serialize)]
    struct Twice<'v> {
        first: &'v Value,
        second: &'v Value,
    }

    #[derive(Serialize)]
    struct Whole<'v> {
        told: &'v str,
        each: Vec<Twice<'v>>,
        none: Value,
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
