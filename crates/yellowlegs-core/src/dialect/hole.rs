//! What a typed hole takes: which words, and the value they stand for.

use std::net::IpAddr;
use std::sync::Arc;

use super::captured::Captured;
use super::ports::{Lists, PortItem};
use super::units::Measure;
use crate::model::{Milliwatts, Rate, RateUnit, Station, StationAddress, StationRange, VlanId};
use crate::source::Word;

macro_rules! hole_types {
    ($($name:ident = $word:literal, $doc:literal;)+) => {
        /// The types a hole may have.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum HoleType { $(#[doc = $doc] $name),+ }

        impl HoleType {
            /// Every type.
            pub const ALL: &'static [Self] = &[$(Self::$name),+];

            /// Its name in patterns.
            pub fn name(self) -> &'static str {
                match self { $(Self::$name => $word),+ }
            }

            /// What it takes, for the guide.
            pub fn meaning(self) -> &'static str {
                match self { $(Self::$name => $doc),+ }
            }
        }
    };
}

hole_types! {
    Int = "int", "A whole number, 0 to 4294967295.";
    Ints = "ints", "A list of whole numbers and ranges of them (at most 1,024 numbers), as `[lists]` says.";
    Vlan = "vlan", "A VLAN, 1 to 4094.";
    Vlans = "vlans", "A list of VLANs and ranges, as `[lists]` says.";
    Port = "port", "One port, in a form of `[ports]`.";
    Ports = "ports", "A list of ports and ranges, as `[lists]` says.";
    Station = "station", "A station address: `02:00:5e:10:00:01`, `02-00-5e-10-00-01`, `0200.5e10.0001` or `02005e100001`.";
    Stations = "stations", "A list of station addresses, as `[lists]` says, and one or more words.";
    StationRange = "station-range", "Station addresses: one; `from-to` with a range sign of `[lists]`, also as words apart; `address for 256` with a sign of `[lists] counted`; `address/bits`; `address mask ADDRESS` or `address/ADDRESS`, the mask's ones in front.";
    Ip = "ip", "An IPv4 or IPv6 address.";
    Prefix = "prefix", "An IP address with its prefix length, `192.0.2.1/24`, or with a mask as the next word; its value is the address.";
    Milliseconds = "milliseconds", "A whole number of them; the value is whole seconds, rounded down.";
    Seconds = "seconds", "A whole number of seconds.";
    Minutes = "minutes", "A whole number of minutes.";
    Hours = "hours", "A whole number of hours.";
    Duration = "duration", "A number with a unit, in one word or in two, or several of them: `90s`, `5 min`, `1h30m`, `2 days`, also in a unit of `[units]`; or `hh:mm:ss`, with `Nd` before it where there are days.";
    Pps = "pps", "A whole number: a rate in packets a second.";
    Kbps = "kbps", "A whole number: a rate in kilobits a second.";
    Percent = "percent", "A whole number: a rate in percent of the port's speed.";
    Rate = "rate", "A rate with its unit, in one word or in two: `100pps`, `30/s`, `20/min`, `64 kbps`, `2Mbps`, `5%`, or in a unit of `[units]`.";
    Speed = "speed", "A speed in Mbit/s: a whole number, or one with a unit, `100M`, `1G`, `2500 Mbps`, or a unit of `[units]`.";
    Watts = "watts", "Power in watts, with at most three decimals: `15.4`, `15.4W`; or `15400mW`, or in a unit of `[units]`.";
    Milliwatts = "milliwatts", "A whole number: power in milliwatts.";
    Time = "time", "A moment in a form of `[time]`, or RFC 3339.";
    Word = "word", "Any one word.";
    Text = "text", "One word, or several in quotes; the quotes are left out.";
    Secret = "secret", "Like `text`, and never shown anywhere.";
    Delimiter = "delimiter", "The rest of the line; its first character ends the free text that begins behind it (`until`).";
    Rest = "rest", "The rest of the line, at least one word; quotes around all of it are left out.";
    SecretRest = "secret-rest", "Like `rest`, and never shown anywhere.";
}

/// Most numbers one list of numbers may stand for.
const MOST_NUMBERS: usize = 1024;

impl HoleType {
    /// All names.
    pub fn names() -> impl Iterator<Item = &'static str> {
        Self::ALL.iter().map(|t| t.name())
    }

    /// By name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|t| t.name() == name)
    }

    /// Whether it takes the rest of the line, whatever it is.
    pub fn is_rest(self) -> bool {
        matches!(self, Self::Rest | Self::SecretRest | Self::Delimiter)
    }

    /// Whether what it takes is never shown.
    pub fn is_secret(self) -> bool {
        matches!(self, Self::Secret | Self::SecretRest)
    }

    /// Typed before word, word before rest.
    pub fn rank(self) -> u8 {
        match self {
            Self::Word | Self::Text | Self::Secret => 1,
            other if other.is_rest() => 2,
            _ => 0,
        }
    }

    /// Whether some word could be taken by both. Only types of one rank are ever asked.
    pub fn overlaps(self, other: Self, lists: &Lists) -> bool {
        use HoleType as H;
        if self == other || self.rank() > 0 {
            return true;
        }
        let group = |t: Self| match t {
            H::Port | H::Ports => 1,
            H::Station | H::Stations | H::StationRange => 2,
            H::Ip | H::Prefix => 3,
            H::Duration | H::Rate => 4,
            H::Time => 5,
            _ => 0,
        };
        let (a, b) = (group(self), group(other));
        // Ten digits at most are a number, twelve a station; a duration or rate may begin with a number apart.
        a == b || lists.has_plain_numbers() && a.max(b) == 1 || (a.min(b), a.max(b)) == (0, 4) || a.max(b) == 5
    }

    /// How many of the words from `at` on it takes, with the value; `None` when the first does not fit.
    pub fn take(self, text: &str, words: &[Word], at: usize, lists: &Lists) -> Option<(usize, Captured)> {
        let word = *words.get(at)?;
        let shown = word.of(text);
        let following = || words.iter().skip(at).map(|w| w.of(text));
        let one = |value: Captured| Some((1, value));
        match self {
            Self::Int => one(Captured::Int(number(shown)?)),
            Self::Ints => {
                let (taken, ranges) = lists.numbers(following())?;
                let numbers: Vec<u32> = ranges.into_iter().flatten().take(MOST_NUMBERS + 1).collect();
                (numbers.len() <= MOST_NUMBERS).then(|| (taken, Captured::Ints(numbers.into())))
            }
            Self::Vlan => one(Captured::Vlan(VlanId::new(number(shown)?.into()).ok()?)),
            Self::Vlans => lists.vlans(following()).map(|(n, set)| (n, Captured::Vlans(Arc::new(set)))),
            Self::Port => one(Captured::Ports([PortItem::One(lists.port(shown)?)].into())),
            Self::Ports => lists.ports(following()).map(|(n, items)| (n, Captured::Ports(items.into()))),
            Self::Station => one(Captured::Station(StationAddress::parse(shown).ok()?)),
            Self::Stations => lists.stations(following()).map(|(n, all)| (n, Captured::Stations(all.into()))),
            Self::StationRange => station_range(&following().take(3).collect::<Vec<_>>(), lists),
            Self::Ip => one(Captured::Address(shown.parse().ok()?)),
            Self::Prefix => prefix(shown, words.get(at + 1).map(|w| w.of(text))),
            Self::Milliseconds => one(Captured::Seconds(number(shown)? / 1000)),
            Self::Seconds => one(Captured::Seconds(number(shown)?)),
            Self::Minutes => one(Captured::Seconds(number(shown)?.checked_mul(60)?)),
            Self::Hours => one(Captured::Seconds(number(shown)?.checked_mul(3600)?)),
            Self::Duration => duration_words(following(), lists).map(|(n, seconds)| (n, Captured::Seconds(seconds))),
            Self::Pps => one(rate(number(shown)?, RateUnit::Packets)),
            Self::Kbps => one(rate(number(shown)?, RateUnit::Kilobits)),
            Self::Percent => one(rate(number(shown)?, RateUnit::Percent)),
            Self::Rate => {
                two_words(following(), |text| rate_of(text, lists)).map(|(n, rate)| (n, Captured::Rate(rate)))
            }
            Self::Speed => {
                let speed =
                    |text: &str| lists.in_units(&[Measure::Megabits], text).map(|(_, n)| n).or_else(|| speed(text));
                two_words(following(), speed).map(|(n, speed)| (n, Captured::Int(speed)))
            }
            Self::Watts => {
                let own = |text: &str| lists.in_units(&[Measure::Milliwatts], text).map(|(_, n)| n);
                let power = |text: &str| own(text).or_else(|| Milliwatts::parse(text).map(|m| m.0));
                two_words(following(), power).map(|(n, power)| (n, Captured::Milliwatts(power)))
            }
            Self::Milliwatts => one(Captured::Milliwatts(number(shown)?)),
            Self::Time => lists.time(text, words.get(at..)?).map(|(n, moment)| (n, Captured::Time(moment))),
            Self::Word => one(Captured::Text(word)),
            Self::Text | Self::Secret => one(Captured::Text(unquoted(word, text))),
            Self::Rest | Self::SecretRest | Self::Delimiter => {
                let whole = Word { start: word.start, end: words.last()?.end };
                let whole = if self == Self::Delimiter { whole } else { unquoted(whole, text) };
                Some((words.len() - at, Captured::Text(whole)))
            }
        }
    }
}

impl Captured {
    /// The station or stations, each with a VLAN.
    pub fn stations<C: FromIterator<Station>>(&self, vlan: Option<VlanId>) -> Option<C> {
        let all = match self {
            Self::Station(address) => std::slice::from_ref(address),
            Self::Stations(all) => all,
            _ => return None,
        };
        Some(all.iter().map(|address| Station { address: *address, vlan }).collect())
    }
}

fn rate(amount: u32, unit: RateUnit) -> Captured {
    Captured::Rate(Rate { amount, unit })
}

pub(super) fn number(text: &str) -> Option<u32> {
    if text.is_empty() || text.len() > 10 || !text.bytes().all(|b| b.is_ascii_digit()) {
        return None;
    }
    text.parse().ok()
}

/// Reads one word, or a number and its unit as two.
fn two_words<'w, T>(mut words: impl Iterator<Item = &'w str>, read: impl Fn(&str) -> Option<T>) -> Option<(usize, T)> {
    let first = words.next()?;
    let second = words.next().filter(|w| w.len() <= 12 && first.bytes().all(|b| b.is_ascii_digit() || b == b'.'));
    if let Some(both) = second.and_then(|second| read(&format!("{first}{second}"))) {
        return Some((2, both));
    }
    read(first).map(|value| (1, value))
}

/// A speed in Mbit/s.
fn speed(text: &str) -> Option<u32> {
    if let Some(number) = number(text) {
        return Some(number);
    }
    let lower = text.to_ascii_lowercase();
    let lower = ["bps", "bit/s", "b/s", "bit", "b"].iter().find_map(|unit| lower.strip_suffix(unit)).unwrap_or(&lower);
    let (digits, times) = match lower.strip_suffix('g') {
        Some(digits) => (digits, 1000),
        None => (lower.strip_suffix('m')?, 1),
    };
    match digits.split_once('.') {
        Some((whole, "5")) if times == 1000 => number(whole)?.checked_mul(1000)?.checked_add(500),
        Some(_) => None,
        None => number(digits)?.checked_mul(times),
    }
}

fn station_range(words: &[&str], lists: &Lists) -> Option<(usize, Captured)> {
    let read = |text: &str| StationAddress::parse(text).ok();
    let found = |taken: usize, range: StationRange| Some((taken, Captured::Range(range)));
    let first = *words.first()?;
    if let Some((address, mask)) = first.split_once('/') {
        let address = read(address)?;
        return match number(mask) {
            Some(bits) if mask.len() <= 2 => found(1, StationRange::prefix(address, bits)?),
            _ => found(1, StationRange::masked(address, read(mask)?)?),
        };
    }
    if let Some(from) = read(first) {
        return match words {
            [_, sign, to, ..] if lists.is_range_sign(sign) => found(3, StationRange::between(from, read(to)?)?),
            [_, sign, count, ..] if lists.is_count_sign(sign) => {
                found(3, StationRange::counted(from, count.parse().ok()?)?)
            }
            [_, "mask", mask, ..] => found(3, StationRange::masked(from, read(mask)?)?),
            _ => found(1, StationRange::one(from)),
        };
    }
    // One word: the sign between the two may be a dash, as may the signs inside an address.
    let cuts = first.char_indices().filter_map(|(at, _)| {
        let (from, rest) = first.split_at(at);
        let to = lists.after_range_sign(rest)?;
        StationRange::between(read(from)?, read(to)?)
    });
    let mut cuts = cuts;
    found(1, cuts.next()?)
}

/// An address with a prefix length, or with a mask behind it; then its value is the address.
fn prefix(word: &str, next: Option<&str>) -> Option<(usize, Captured)> {
    if let Some((address, length)) = word.split_once('/') {
        let address: IpAddr = address.parse().ok()?;
        let most = if address.is_ipv4() { 32 } else { 128 };
        return (number(length)? <= most).then_some((1, Captured::Address(address)));
    }
    let address: IpAddr = word.parse().ok()?;
    let mask = next.and_then(|n| n.parse::<std::net::Ipv4Addr>().ok()).map(u32::from);
    let is_mask = mask.is_some_and(|m| m.leading_ones() + m.trailing_zeros() == 32);
    Some((if address.is_ipv4() && is_mask { 2 } else { 1 }, Captured::Address(address)))
}

const UNITS: &[(u32, &[&str])] = &[
    (1, &["s", "sec", "secs", "second", "seconds"]),
    (60, &["m", "min", "mins", "minute", "minutes"]),
    (3600, &["h", "hr", "hrs", "hour", "hours"]),
    (86_400, &["d", "day", "days"]),
    (604_800, &["w", "week", "weeks"]),
];

/// A number with a unit, or several of them, in one word; or `hh:mm:ss`.
pub fn duration(text: &str) -> Option<u32> {
    if let Some(clock) = clock(text) {
        return Some(clock);
    }
    let mut total = 0_u32;
    let mut rest = text;
    while !rest.is_empty() {
        let end = rest.bytes().position(|b| !b.is_ascii_digit()).filter(|end| *end > 0)?;
        let (digits, tail) = rest.split_at(end);
        let length = tail.bytes().position(|b| !b.is_ascii_alphabetic()).unwrap_or(tail.len());
        let (unit, after) = tail.split_at(length);
        total = total.checked_add(number(digits)?.checked_mul(unit_seconds(unit)?)?)?;
        rest = after;
    }
    (!text.is_empty()).then_some(total)
}

/// A rate in a unit of the dialect's own, or in one that is known.
fn rate_of(text: &str, lists: &Lists) -> Option<Rate> {
    let own = [Measure::Packets, Measure::PacketsAMinute, Measure::Kilobits];
    let Some((measure, amount)) = lists.in_units(&own, text) else { return Rate::parse(text) };
    let unit = match measure {
        Measure::PacketsAMinute => RateUnit::PacketsAMinute,
        Measure::Kilobits => RateUnit::Kilobits,
        _ => RateUnit::Packets,
    };
    Some(Rate { amount, unit })
}

fn unit_seconds(unit: &str) -> Option<u32> {
    let is_named = |names: &[&str]| names.iter().any(|name| unit.eq_ignore_ascii_case(name));
    UNITS.iter().find(|(_, names)| is_named(names)).map(|(seconds, _)| *seconds)
}

fn clock(text: &str) -> Option<u32> {
    let mut parts = text.split(':').map(|p| if p.len() <= 3 { number(p) } else { None });
    let (hours, minutes, seconds) = (parts.next()??, parts.next()??, parts.next()??);
    (parts.next().is_none() && minutes < 60 && seconds < 60).then_some(hours * 3600 + minutes * 60 + seconds)
}

/// A duration from the front of the words: as many as go on being one.
fn duration_words<'w>(words: impl Iterator<Item = &'w str>, lists: &Lists) -> Option<(usize, u32)> {
    let mut total: Option<u32> = None;
    let mut taken = 0;
    let mut waiting: Option<u32> = None;
    for (i, word) in words.take(12).enumerate() {
        let word = word.trim_end_matches(',');
        let part = match waiting.take() {
            Some(count) => {
                let own = lists.unit(Measure::Seconds, word);
                own.or_else(|| unit_seconds(word)).and_then(|unit| count.checked_mul(unit))
            }
            // Whatever else a duration is written as, it begins with a digit.
            None if !word.starts_with(|c: char| c.is_ascii_digit()) => break,
            None => match number(word) {
                Some(count) => {
                    waiting = Some(count);
                    continue;
                }
                None => lists.in_units(&[Measure::Seconds], word).map(|(_, n)| n).or_else(|| duration(word)),
            },
        };
        let Some(part) = part else { break };
        total = Some(total.unwrap_or(0).checked_add(part)?);
        taken = i + 1;
    }
    total.map(|seconds| (taken, seconds))
}

pub(super) fn unquoted(word: Word, text: &str) -> Word {
    let shown = word.of(text);
    let Some(quote) = shown.chars().next().filter(|c| matches!(c, '"' | '\'')) else { return word };
    let closed = shown.len() >= 2 && shown.ends_with(quote);
    // A single quote that is not closed is an apostrophe.
    if quote == '\'' && !closed {
        return word;
    }
    Word { start: word.start + 1, end: if closed { word.end - 1 } else { word.end } }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::syntax::Splitter;
    use rstest::rstest;

    #[rstest]
    #[case("90s", Some(90))]
    #[case("5m", Some(300))]
    #[case("1h30m", Some(5400))]
    #[case("2d", Some(172_800))]
    #[case("10min", Some(600))]
    #[case("01:02:03", Some(3723))]
    #[case("1:75:00", None)]
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

    #[rstest]
    #[case(HoleType::Duration, "2 days, 3 hours left", Some((4, Captured::Seconds(183_600))))]
    #[case(HoleType::Duration, "1d 00:00:05", Some((2, Captured::Seconds(86_405))))]
    #[case(HoleType::Duration, "5 ports", None)]
    #[case(HoleType::Milliseconds, "2500", Some((1, Captured::Seconds(2))))]
    #[case(HoleType::Rate, "100 pps x", Some((2, rate(100, RateUnit::Packets))))]
    #[case(HoleType::Rate, "2Mbps", Some((1, rate(2000, RateUnit::Kilobits))))]
    #[case(HoleType::Rate, "100", None)]
    #[case(HoleType::Percent, "5", Some((1, rate(5, RateUnit::Percent))))]
    #[case(HoleType::Speed, "2.5G", Some((1, Captured::Int(2500))))]
    #[case(HoleType::Speed, "100 Mbps", Some((2, Captured::Int(100))))]
    #[case(HoleType::Speed, "1000 full", Some((1, Captured::Int(1000))))]
    #[case(HoleType::Watts, "15.4 W", Some((2, Captured::Milliwatts(15_400))))]
    #[case(HoleType::Watts, "30.0", Some((1, Captured::Milliwatts(30_000))))]
    #[case(HoleType::Ints, "1-3,7", Some((1, Captured::Ints([1, 2, 3, 7].into()))))]
    #[case(HoleType::Ints, "1-5000", None)]
    #[case(HoleType::Ip, "192.0.2.7", Some((1, Captured::Address("192.0.2.7".parse().unwrap()))))]
    #[case(HoleType::Prefix, "192.0.2.7/24", Some((1, Captured::Address("192.0.2.7".parse().unwrap()))))]
    #[case(HoleType::Prefix, "192.0.2.7 255.255.255.0", Some((2, Captured::Address("192.0.2.7".parse().unwrap()))))]
    #[case(HoleType::Prefix, "192.0.2.7/33", None)]
    #[case(HoleType::Rest, "\"a b\"", Some((1, Captured::Text(Word { start: 1, end: 4 }))))]
    fn typed(#[case] kind: HoleType, #[case] text: &str, #[case] expected: Option<(usize, Captured)>) {
        let mut words = Vec::new();
        Splitter::new("").split(text, 0, &mut words);
        assert_eq!(kind.take(text, &words, 0, &Lists::plain()), expected);
    }

    #[rstest]
    #[case("02:00:5e:10:00:00", 1, 1)]
    #[case("02:00:5e:10:00:00-02:00:5e:10:00:ff", 1, 256)]
    #[case("02-00-5e-10-00-00-02-00-5e-10-00-ff", 1, 256)]
    #[case("0200.5e10.0000 - 0200.5e10.000f", 3, 16)]
    #[case("0200.5e10.0000 mask ffff.ff00.0000", 3, 1 << 24)]
    #[case("02:00:5e:00:00:00/24", 1, 1 << 24)]
    #[case("02:00:5e:00:00:00/ff:ff:ff:00:00:00", 1, 1 << 24)]
    #[case::backwards("02:00:5e:10:00:ff-02:00:5e:10:00:00", 0, 0)]
    fn station_ranges(#[case] text: &str, #[case] taken: usize, #[case] size: u64) {
        let mut words = Vec::new();
        Splitter::new("").split(text, 0, &mut words);
        let found = HoleType::StationRange.take(text, &words, 0, &Lists::plain()).map(|(n, c)| match c {
            Captured::Range(range) => (n, range.size()),
            other => panic!("{other:?}"),
        });
        assert_eq!(found, (taken > 0).then_some((taken, size)));
    }
}
