//! What a typed hole takes: which words, and the value they stand for.

use std::sync::Arc;

use super::ports::{Lists, PortItem};
use crate::model::{Station, StationAddress, VlanId, VlanSet};
use crate::syntax::Word;

macro_rules! hole_types {
    ($($(#[$doc:meta])* $name:ident = $word:literal),+ $(,)?) => {
        /// The types a hole may have.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum HoleType { $($(#[$doc])* $name),+ }

        impl HoleType {
            const ALL: &'static [Self] = &[$(Self::$name),+];

            /// Its name in patterns.
            pub fn name(self) -> &'static str {
                match self { $(Self::$name => $word),+ }
            }
        }
    };
}

hole_types! {
    /// A whole number, 0 to 4294967295.
    Int = "int",
    /// A VLAN, 1 to 4094.
    Vlan = "vlan",
    /// A list of VLANs and ranges.
    Vlans = "vlans",
    /// One port.
    Port = "port",
    /// A list of ports and ranges.
    Ports = "ports",
    /// A station address in colon, dash, dotted-quad-hex or bare form.
    Station = "station",
    /// A whole number of seconds.
    Seconds = "seconds",
    /// A whole number of minutes.
    Minutes = "minutes",
    /// A whole number of hours.
    Hours = "hours",
    /// A number with a unit: `90s`, `5m`, `2h`, `1d`, or several as in `1h30m`.
    Duration = "duration",
    /// One word.
    Word = "word",
    /// One word, or several in double quotes; the quotes are left out.
    Text = "text",
    /// The rest of the line, at least one word; quotes around all of it are left out.
    Rest = "rest",
}

/// The value a hole took.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Captured {
    /// The optional part it is in was not there.
    Absent,
    /// A number.
    Int(u32),
    /// Seconds.
    Seconds(u32),
    /// A VLAN.
    Vlan(VlanId),
    /// VLANs.
    Vlans(Arc<VlanSet>),
    /// Ports.
    Ports(Arc<[PortItem]>),
    /// A station.
    Station(StationAddress),
    /// Text, as byte offsets.
    Text(Word),
    /// Which of the hole's words.
    Choice(usize),
}

impl HoleType {
    /// All names.
    pub fn names() -> impl Iterator<Item = &'static str> {
        Self::ALL.iter().map(|t| t.name())
    }

    /// By name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|t| t.name() == name)
    }

    /// Typed before word, word before rest.
    pub fn rank(self) -> u8 {
        match self {
            Self::Word | Self::Text => 1,
            Self::Rest => 2,
            _ => 0,
        }
    }

    /// Whether some word could be taken by both. Only types of one rank are ever asked.
    pub fn overlaps(self, other: Self, lists: &Lists) -> bool {
        let number =
            |t: Self| matches!(t, Self::Int | Self::Vlan | Self::Vlans | Self::Seconds | Self::Minutes | Self::Hours);
        let port = |t: Self| matches!(t, Self::Port | Self::Ports);
        if self == other || self.rank() > 0 {
            return true;
        }
        if number(self) && number(other) || port(self) && port(other) {
            return true;
        }
        lists.has_plain_numbers() && (port(self) && number(other) || number(self) && port(other))
    }

    /// How many of the words from `at` on it takes, with the value; `None` when the first does not fit.
    pub fn take(self, text: &str, words: &[Word], at: usize, lists: &Lists) -> Option<(usize, Captured)> {
        let word = *words.get(at)?;
        let shown = word.of(text);
        let following = || words.iter().skip(at).map(|w| w.of(text));
        let one = |value: Captured| Some((1, value));
        match self {
            Self::Int => one(Captured::Int(number(shown)?)),
            Self::Vlan => one(Captured::Vlan(VlanId::new(number(shown)?.into()).ok()?)),
            Self::Vlans => lists.vlans(following()).map(|(n, set)| (n, Captured::Vlans(Arc::new(set)))),
            Self::Port => one(Captured::Ports([PortItem::One(lists.port(shown)?)].into())),
            Self::Ports => lists.ports(following()).map(|(n, items)| (n, Captured::Ports(items.into()))),
            Self::Station => one(Captured::Station(StationAddress::parse(shown).ok()?)),
            Self::Seconds => one(Captured::Seconds(number(shown)?)),
            Self::Minutes => one(Captured::Seconds(number(shown)?.checked_mul(60)?)),
            Self::Hours => one(Captured::Seconds(number(shown)?.checked_mul(3600)?)),
            Self::Duration => one(Captured::Seconds(duration(shown)?)),
            Self::Word => one(Captured::Text(word)),
            Self::Text => one(Captured::Text(unquoted(word, text))),
            Self::Rest => {
                let last = words.last()?;
                Some((words.len() - at, Captured::Text(unquoted(Word { start: word.start, end: last.end }, text))))
            }
        }
    }
}

impl Captured {
    /// The station with its VLAN, when it is one.
    pub fn station(&self, vlan: Option<&Self>) -> Option<Station> {
        let Self::Station(address) = self else { return None };
        let vlan = match vlan {
            Some(Self::Vlan(vlan)) => Some(*vlan),
            _ => None,
        };
        Some(Station { address: *address, vlan })
    }
}

fn number(text: &str) -> Option<u32> {
    if text.is_empty() || text.len() > 10 || !text.bytes().all(|b| b.is_ascii_digit()) {
        return None;
    }
    text.parse().ok()
}

/// A number with a unit, or several of them.
pub fn duration(text: &str) -> Option<u32> {
    let mut total = 0_u32;
    let mut rest = text;
    while !rest.is_empty() {
        let end = rest.bytes().position(|b| !b.is_ascii_digit()).filter(|end| *end > 0)?;
        let (digits, tail) = rest.split_at(end);
        let unit = match tail.chars().next()? {
            's' => 1,
            'm' => 60,
            'h' => 3600,
            'd' => 86_400,
            _ => return None,
        };
        total = total.checked_add(number(digits)?.checked_mul(unit)?)?;
        rest = tail.get(1..)?;
    }
    (!text.is_empty()).then_some(total)
}

fn unquoted(word: Word, text: &str) -> Word {
    let shown = word.of(text);
    let closed = shown.len() >= 2 && shown.ends_with('"');
    if !shown.starts_with('"') {
        return word;
    }
    Word { start: word.start + 1, end: if closed { word.end - 1 } else { word.end } }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("90s", Some(90))]
    #[case("5m", Some(300))]
    #[case("1h30m", Some(5400))]
    #[case("2d", Some(172_800))]
    #[case("90", None)]
    #[case("m", None)]
    #[case("", None)]
    #[case("99999d", None)]
    fn durations(#[case] text: &str, #[case] expected: Option<u32>) {
        assert_eq!(duration(text), expected);
    }

    #[rstest]
    #[case("4294967295", Some(u32::MAX))]
    #[case("4294967296", None)]
    #[case("+5", None)]
    #[case("020000000001", None)]
    fn numbers(#[case] text: &str, #[case] expected: Option<u32>) {
        assert_eq!(number(text), expected);
    }
}
