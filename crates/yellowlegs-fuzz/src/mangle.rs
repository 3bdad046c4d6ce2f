//! How a text is mangled: as transfers, editors and people do it, and as somebody would who means harm.

use fastrand::Rng;

const ODD: [&str; 16] = [
    "\u{0}",
    "{",
    "}",
    ";",
    "\"",
    "/*",
    "*/",
    "//",
    "1..65535,",
    "99999999999999999999",
    "\u{202e}é\u{1f600}",
    "[[",
    "<x:rest>",
    "\r\n\t",
    "1.1..16.1024",
    "((((((((",
];

/// A text after up to six blows; the same for the same numbers.
pub fn mangled(rng: &mut Rng, text: &str, other: &str) -> String {
    let mut text = text.to_owned();
    for _ in 0..rng.usize(1..=6) {
        text = match rng.u8(0..10) {
            0 => without_line(rng, &text),
            1 => twice(rng, &text),
            2 => cut(rng, &text),
            3 => mixed(rng, &text, other),
            4 => word(rng, &text, bent),
            5 => word(rng, &text, |_, word| format!("{word} {word}")),
            6 => word(rng, &text, |rng, _| ODD[rng.usize(..ODD.len())].to_owned()),
            7 => word(rng, &text, |rng, _| rng.u32(..).to_string()),
            8 => word(rng, &text, |_, _| String::new()),
            _ => put(rng, &text),
        };
    }
    text
}

/// A word with one letter gone, doubled, swapped or another.
pub fn bent(rng: &mut Rng, word: &str) -> String {
    let mut letters: Vec<char> = word.chars().collect();
    if letters.is_empty() {
        return "x".to_owned();
    }
    let at = rng.usize(..letters.len());
    match rng.u8(0..4) {
        0 if letters.len() > 1 => _ = letters.remove(at),
        1 => letters.insert(at, letters[at]),
        2 if at + 1 < letters.len() => letters.swap(at, at + 1),
        _ => letters[at] = char::from(b'a' + rng.u8(..26)),
    }
    letters.into_iter().collect()
}

fn lines(text: &str) -> Vec<&str> {
    text.split_inclusive('\n').collect()
}

fn without_line(rng: &mut Rng, text: &str) -> String {
    let mut lines = lines(text);
    if !lines.is_empty() {
        lines.remove(rng.usize(..lines.len()));
    }
    lines.concat()
}

fn twice(rng: &mut Rng, text: &str) -> String {
    let mut lines = lines(text);
    if !lines.is_empty() {
        let (from, to) = (rng.usize(..lines.len()), rng.usize(..lines.len()));
        lines.insert(to, lines[from]);
    }
    lines.concat()
}

fn boundary(text: &str, at: usize) -> usize {
    (0..=at.min(text.len())).rev().find(|i| text.is_char_boundary(*i)).unwrap_or(0)
}

fn cut(rng: &mut Rng, text: &str) -> String {
    text[..boundary(text, rng.usize(..=text.len()))].to_owned()
}

fn mixed(rng: &mut Rng, text: &str, other: &str) -> String {
    let (here, there) = (boundary(text, rng.usize(..=text.len())), boundary(other, rng.usize(..=other.len())));
    let end = boundary(other, there + rng.usize(..200));
    format!("{}{}{}", &text[..here], &other[there..end], &text[here..])
}

fn put(rng: &mut Rng, text: &str) -> String {
    let at = boundary(text, rng.usize(..=text.len()));
    format!("{}{}{}", &text[..at], ODD[rng.usize(..ODD.len())].repeat(rng.usize(1..30)), &text[at..])
}

/// One word of the text changed.
fn word(rng: &mut Rng, text: &str, change: impl Fn(&mut Rng, &str) -> String) -> String {
    let words: Vec<&str> = text.split_whitespace().collect();
    if words.is_empty() {
        return text.to_owned();
    }
    let word = words[rng.usize(..words.len())];
    let start = word.as_ptr() as usize - text.as_ptr() as usize;
    format!("{}{}{}", &text[..start], change(rng, word), &text[start + word.len()..])
}
