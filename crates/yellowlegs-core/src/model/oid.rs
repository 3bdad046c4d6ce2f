//! Object identifiers (ITU-T X.660): the names of what a management agent tells.

use std::fmt;

/// An identifier has at most so many parts (RFC 2578, 3.5).
pub const MOST_ARCS: usize = 128;

/// An object identifier, or the beginning of one.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Oid(Box<[u32]>);

impl Oid {
    /// Takes its parts.
    pub fn new(arcs: impl Into<Box<[u32]>>) -> Self {
        Self(arcs.into())
    }

    /// Reads `1.3.6.1.2.1`, also with a dot in front, and with the name of the first arc (`iso.3.6`); other names are none.
    pub fn parse(text: &str) -> Option<Self> {
        let mut arcs = Vec::with_capacity(16);
        read_arcs(text, &mut arcs)?;
        Some(Self(arcs.into()))
    }

    /// Its parts.
    pub fn arcs(&self) -> &[u32] {
        &self.0
    }
}

/// Puts the parts of an identifier behind others; says how many.
pub(crate) fn read_arcs(text: &str, arcs: &mut Vec<u32>) -> Option<usize> {
    let from = arcs.len();
    let text = text.strip_prefix('.').unwrap_or(text);
    let (first, rest) = text.split_once('.').unwrap_or((text, ""));
    let mut each = || {
        arcs.push(if first == "iso" { 1 } else { arc(first)? });
        for part in rest.split('.').filter(|_| !rest.is_empty()) {
            arcs.push(arc(part)?);
        }
        (arcs.len() - from <= MOST_ARCS).then_some(arcs.len() - from)
    };
    let count = each();
    if count.is_none() {
        arcs.truncate(from);
    }
    count
}

fn arc(text: &str) -> Option<u32> {
    text.bytes().all(|b| b.is_ascii_digit()).then(|| text.parse().ok()).flatten()
}

impl fmt::Display for Oid {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write_arcs(&self.0, f)
    }
}

/// Writes parts with dots between them.
pub(crate) fn write_arcs(arcs: &[u32], f: &mut impl fmt::Write) -> fmt::Result {
    for (position, arc) in arcs.iter().enumerate() {
        if position > 0 {
            f.write_char('.')?;
        }
        write!(f, "{arc}")?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("1.3.6.1.2.1", Some("1.3.6.1.2.1"))]
    #[case(".1.3.6", Some("1.3.6"))]
    #[case("iso.3.6.1", Some("1.3.6.1"))]
    #[case("1.3.4294967295", Some("1.3.4294967295"))]
    #[case("7", Some("7"))]
    #[case("1.3.4294967296", None)]
    #[case("1..3", None)]
    #[case("1.3.", None)]
    #[case("1.+3", None)]
    #[case("1.3.x", None)]
    #[case("", None)]
    #[case(".", None)]
    fn identifiers(#[case] text: &str, #[case] read: Option<&str>) {
        assert_eq!(Oid::parse(text).map(|oid| oid.to_string()).as_deref(), read);
    }

    #[test]
    fn one_part_too_many_is_refused() {
        let of = |parts: usize| vec!["1"; parts].join(".");
        assert!(Oid::parse(&of(MOST_ARCS)).is_some());
        assert_eq!(Oid::parse(&of(MOST_ARCS + 1)), None);
    }
}
