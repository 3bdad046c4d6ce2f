//! The forms of port names: their parts, read and written.

/// A piece of a port name's form.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Piece {
    /// These characters.
    Literal(String),
    /// A number, 0 to 65535: `<n>`.
    Number,
    /// One to three letters: `<a>`.
    Letters,
}

/// One way in which ports are named, for example `<n>.<n>` or `bundle<n>`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Form {
    pub(super) pieces: Vec<Piece>,
}

/// What is wrong with a form.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FormProblem {
    /// No part that varies, or more than four.
    #[error("a port name has one to four parts, `<n>` (a number) or `<a>` (letters); this form has {found}")]
    Parts {
        /// How many it has.
        found: usize,
    },
    /// Something in angle brackets that is no part.
    #[error("`<{found}>` is no part of a port name")]
    UnknownPart {
        /// What stands there.
        found: String,
    },
    /// A form that stands for one that is not there.
    #[error("no form `{found}` is in `names`")]
    NoForm {
        /// What stands there.
        found: String,
    },
    /// A form that stands for one with another number of parts.
    #[error("this form and the one it stands for have unlike numbers of parts")]
    OtherParts,
    /// Ports that nobody can name.
    #[error("`{found}` is neither a form with `<n>` or `<a>` nor a list of ports as [ports] and [lists] say")]
    NoPorts {
        /// What stands there.
        found: String,
    },
    /// Two parts without anything between them.
    #[error("two numbers or two runs of letters touch, so nobody can tell where the first ends")]
    Touching,
}

pub(super) fn parts_of(form: &Form) -> usize {
    form.pieces.iter().filter(|p| !matches!(p, Piece::Literal(_))).count()
}

pub(super) fn parse_form(text: &str) -> Result<Form, FormProblem> {
    let mut pieces: Vec<Piece> = Vec::new();
    let mut rest = text;
    while let Some(open) = rest.find('<') {
        let (literal, tail) = rest.split_at(open);
        if !literal.is_empty() {
            pieces.push(Piece::Literal(literal.to_owned()));
        }
        let (name, after) = tail.get(1..).and_then(|t| t.split_once('>')).unwrap_or((tail, ""));
        let piece = match name {
            "n" => Piece::Number,
            "a" => Piece::Letters,
            _ => return Err(FormProblem::UnknownPart { found: name.to_owned() }),
        };
        if pieces.last() == Some(&piece) {
            return Err(FormProblem::Touching);
        }
        pieces.push(piece);
        rest = after;
    }
    if !rest.is_empty() {
        pieces.push(Piece::Literal(rest.to_owned()));
    }
    let form = Form { pieces };
    match parts_of(&form) {
        1..=4 => Ok(form),
        found => Err(FormProblem::Parts { found }),
    }
}

pub(super) fn number_prefix(text: &str) -> Option<(u16, &str)> {
    let end = text.bytes().position(|b| !b.is_ascii_digit()).unwrap_or(text.len());
    let (digits, rest) = text.split_at(end);
    (end <= 5).then_some(())?;
    Some((digits.parse().ok()?, rest))
}

pub(super) fn letters_prefix(text: &str, ignore_case: bool) -> Option<(u16, &str)> {
    let end = text.bytes().position(|b| !b.is_ascii_alphabetic()).unwrap_or(text.len());
    if !(1..=3).contains(&end) {
        return None;
    }
    let (letters, rest) = text.split_at(end);
    let fold = |b: u8| if ignore_case { b.to_ascii_lowercase() } else { b };
    // Both cases of three letters would not fit beside each other, so one name has one case: its first letter's.
    let upper = letters.bytes().next().is_some_and(|b| fold(b).is_ascii_uppercase());
    let mut value = 0_u16;
    for byte in letters.bytes().map(fold) {
        if byte.is_ascii_uppercase() != upper {
            return None;
        }
        value = value * 27 + u16::from(byte.to_ascii_lowercase() - b'a' + 1);
    }
    Some((value | if upper { 1 << 15 } else { 0 }, rest))
}

/// A number, in its digits.
pub(super) fn number_of(value: u16, name: &mut String) {
    let (mut digits, mut rest) = ([0_u8; 5], value);
    let mut first = digits.len();
    while rest > 0 || first == digits.len() {
        first -= 1;
        digits[first] = b'0' + (rest % 10) as u8;
        rest /= 10;
    }
    name.extend(digits[first..].iter().map(|digit| char::from(*digit)));
}

pub(super) fn letters_of(value: u16, name: &mut String) {
    let upper = value >> 15 == 1;
    let mut value = value & 0x7fff;
    let mut letters = Vec::new();
    while value > 0 {
        let letter = b'a' + ((value - 1) % 27) as u8;
        letters.push(if upper { letter.to_ascii_uppercase() } else { letter });
        value = (value - 1) / 27;
    }
    name.extend(letters.iter().rev().map(|b| char::from(*b)));
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn parts_are_written_as_they_are_read(number: u16, letters in "[a-z]{1,2}|[A-Z]{1,2}") {
            let mut shown = String::new();
            number_of(number, &mut shown);
            prop_assert_eq!(&shown, &number.to_string());
            prop_assert_eq!(number_prefix(&shown), Some((number, "")));
            letters_of(letters_prefix(&letters, false).unwrap().0, &mut shown);
            prop_assert_eq!(shown, format!("{number}{letters}"));
        }
    }
}
