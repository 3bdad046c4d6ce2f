//! Port names and their natural order.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

/// A port's name as its switch writes it. Ordered naturally: `1.2` before `1.10`.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct PortName(Arc<str>);

impl PortName {
    /// Takes a name.
    pub fn new(name: impl Into<Arc<str>>) -> Self {
        Self(name.into())
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The name, to be kept.
    pub(crate) fn shared(&self) -> Arc<str> {
        Arc::clone(&self.0)
    }
}

impl fmt::Display for PortName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

impl PartialOrd for PortName {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for PortName {
    fn cmp(&self, other: &Self) -> Ordering {
        natural_order(&self.0, &other.0)
    }
}

/// Compares with runs of digits taken as numbers; equal numbers of unlike length fall back to the bytes.
pub fn natural_order(a: &str, b: &str) -> Ordering {
    let (mut x, mut y) = (a.as_bytes(), b.as_bytes());
    while let (Some(p), Some(q)) = (x.first(), y.first()) {
        if p.is_ascii_digit() && q.is_ascii_digit() {
            let (n, rest_x) = digits(x);
            let (m, rest_y) = digits(y);
            match n.len().cmp(&m.len()).then_with(|| n.cmp(m)) {
                Ordering::Equal => (x, y) = (rest_x, rest_y),
                unequal => return unequal,
            }
        } else if p == q {
            (x, y) = (&x[1..], &y[1..]);
        } else {
            return p.cmp(q);
        }
    }
    x.len().cmp(&y.len()).then_with(|| a.cmp(b))
}

/// Names in natural order with runs of their last number drawn together: `1.1 to 1.12`, `1.20`.
pub fn port_spans<'n>(names: &[&'n str]) -> Vec<Cow<'n, str>> {
    let follows = |one: &&str, other: &&str| match (numbered(one), numbered(other)) {
        (Some((front, n)), Some((other, m))) => front == other && n.checked_add(1) == Some(m),
        _ => false,
    };
    let runs = names.chunk_by(follows).flat_map(|run| match run {
        [first, _, .., last] if run.len() > 2 => vec![Cow::Owned(format!("{first} to {last}"))],
        few => few.iter().map(|name| Cow::Borrowed(*name)).collect(),
    });
    runs.collect()
}

/// What stands before a name's last number, and that number.
pub fn numbered(name: &str) -> Option<(&str, u64)> {
    let digits = name.len() - name.bytes().rev().take_while(u8::is_ascii_digit).count();
    let (front, number) = name.split_at(digits);
    Some((front, number.parse().ok()?))
}

/// The leading digits without leading zeros, and what follows them.
fn digits(text: &[u8]) -> (&[u8], &[u8]) {
    let end = text.iter().position(|b| !b.is_ascii_digit()).unwrap_or(text.len());
    let (number, rest) = text.split_at(end);
    let zeros = number.iter().position(|b| *b != b'0').unwrap_or(number.len());
    (&number[zeros..], rest)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("1.2", "1.10", Ordering::Less)]
    #[case("1.2", "1.2", Ordering::Equal)]
    #[case("2.1", "1.10", Ordering::Greater)]
    #[case("a:3", "b:1", Ordering::Less)]
    #[case("1.02", "1.2", Ordering::Less)]
    #[case("1.2", "1.2.1", Ordering::Less)]
    #[case("9", "10000000000000000000000000", Ordering::Less)]
    fn natural(#[case] a: &str, #[case] b: &str, #[case] order: Ordering) {
        assert_eq!(natural_order(a, b), order);
        assert_eq!(natural_order(b, a), order.reverse());
    }

    #[rstest]
    #[case(&["1.1"], "1.1")]
    #[case(&["1.1", "1.2"], "1.1, 1.2")]
    #[case(&["1.9", "1.10", "1.11", "1.13"], "1.9 to 1.11, 1.13")]
    #[case(&["a:1", "a:2", "a:3", "b:4"], "a:1 to a:3, b:4")]
    #[case(&["uplink", "spare"], "uplink, spare")]
    #[case(&["1.18446744073709551615", "1.18446744073709551616"], "1.18446744073709551615, 1.18446744073709551616")]
    fn runs_are_drawn_together(#[case] names: &[&str], #[case] expected: &str) {
        assert_eq!(port_spans(names).join(", "), expected);
    }
}
