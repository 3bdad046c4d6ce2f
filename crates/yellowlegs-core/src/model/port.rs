//! Port names and their natural order.

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
}
