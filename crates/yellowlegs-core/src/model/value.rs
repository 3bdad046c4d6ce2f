//! The kinds of values that settings have.

use std::fmt;
use std::net::IpAddr;
use std::sync::Arc;

use jiff::Timestamp;

use super::{
    Choice, ChoiceSet, Direction, Element, List, RateUnit, Station, StationAddress, StationRange, VlanError, VlanId,
    VlanSet,
};

/// A rate with its unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Rate {
    /// How many.
    pub amount: u32,
    /// Of what.
    pub unit: RateUnit,
}

impl Rate {
    /// Reads `100pps`, `30/min`, `64 kbps`, `10 Mbps`, `5%` and the like; a bare number has no unit and is none.
    pub fn parse(text: &str) -> Option<Self> {
        let end = text.bytes().position(|b| !b.is_ascii_digit()).filter(|end| *end > 0)?;
        let (digits, unit) = text.split_at(end);
        let amount: u32 = digits.parse().ok()?;
        let (unit, times) = match unit.trim().to_ascii_lowercase().as_str() {
            "pps" | "p/s" | "packets/s" | "/s" | "/sec" | "/second" => (RateUnit::Packets, 1),
            "p/min" | "packets/min" | "/min" | "/minute" => (RateUnit::PacketsAMinute, 1),
            "kpps" => (RateUnit::Packets, 1000),
            "kbps" | "kbit/s" | "kb/s" | "k" => (RateUnit::Kilobits, 1),
            "mbps" | "mbit/s" | "mb/s" | "m" => (RateUnit::Kilobits, 1000),
            "gbps" | "gbit/s" | "gb/s" | "g" => (RateUnit::Kilobits, 1_000_000),
            "%" | "percent" => (RateUnit::Percent, 1),
            _ => return None,
        };
        Some(Self { amount: amount.checked_mul(times)?, unit })
    }
}

impl Rate {
    /// In packets a minute, where it counts packets.
    pub fn packets_a_minute(self) -> Option<u64> {
        match self.unit {
            RateUnit::Packets => Some(u64::from(self.amount) * 60),
            RateUnit::PacketsAMinute => Some(self.amount.into()),
            RateUnit::Kilobits | RateUnit::Percent => None,
        }
    }
}

impl fmt::Display for Rate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.amount, self.unit)
    }
}

/// Power in milliwatts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Milliwatts(pub u32);

impl Milliwatts {
    /// Reads `15.4`, `15.4W`, `15400mW`: watts where no unit says otherwise.
    pub fn parse(text: &str) -> Option<Self> {
        let lower = text.trim().to_ascii_lowercase();
        if let Some(milli) = lower.strip_suffix("mw") {
            return milli.trim().parse().ok().map(Self);
        }
        let watts = lower.strip_suffix("watts").or_else(|| lower.strip_suffix('w')).unwrap_or(&lower).trim();
        let (whole, part) = watts.split_once('.').unwrap_or((watts, "0"));
        if part.is_empty() || part.len() > 3 || !part.bytes().all(|b| b.is_ascii_digit()) {
            return None;
        }
        let whole: u32 = whole.parse().ok()?;
        let part: u32 = format!("{part:0<3}").parse().ok()?;
        whole.checked_mul(1000)?.checked_add(part).map(Self)
    }
}

impl fmt::Display for Milliwatts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (whole, part) = (self.0 / 1000, self.0 % 1000);
        let part = format!("{part:03}");
        let part = part.trim_end_matches('0');
        if part.is_empty() { write!(f, "{whole} W") } else { write!(f, "{whole}.{part} W") }
    }
}

/// A length of time in whole seconds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Seconds(pub u32);

impl Seconds {
    /// The same in milliseconds.
    pub fn millis(self) -> u64 {
        u64::from(self.0) * 1000
    }
}

impl fmt::Display for Seconds {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            0 => f.write_str("0 s"),
            n if n % 3600 == 0 => write!(f, "{} h", n / 3600),
            n if n % 60 == 0 => write!(f, "{} min", n / 60),
            n => write!(f, "{n} s"),
        }
    }
}

/// The kinds of values.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// True or false.
    Flag,
    /// A number, 0 to 4294967295.
    Count,
    /// Whole seconds; 0 means never or off, as the setting says.
    Seconds,
    /// Power in milliwatts.
    Milliwatts,
    /// A rate with its unit, or none.
    Rate,
    /// One of a few words.
    Choice(&'static ChoiceSet),
    /// Several of a few words.
    Choices(&'static ChoiceSet),
    /// One VLAN, or none.
    Vlan,
    /// A set of VLANs.
    Vlans,
    /// One port, or none.
    Port,
    /// An IP address, or none.
    Address,
    /// Free text.
    Text,
    /// A list of words.
    Words,
    /// A station address.
    Station,
    /// A list of stations.
    Stations,
    /// Ranges of station addresses, each with the VLAN its stations are put in.
    Ranges,
    /// Sources of a mirror: ports, each with a direction.
    Taps,
    /// Pairs of numbers, such as DSCP to queue.
    Pairs,
    /// A moment.
    Time,
}

impl Kind {
    /// In words, for messages and docs.
    pub fn describe(self) -> String {
        match self {
            Self::Flag => "true or false".into(),
            Self::Count => "a number".into(),
            Self::Seconds => "a duration in seconds".into(),
            Self::Milliwatts => "power in milliwatts, or a text such as \"15.4W\"".into(),
            Self::Rate => "a rate with its unit, such as \"100pps\", \"64kbps\" or \"5%\", or none".into(),
            Self::Choice(set) => format!("one of {}", set.words.join(", ")),
            Self::Choices(set) => format!("a list of {}", set.words.join(", ")),
            Self::Vlan => "a VLAN (1 to 4094) or none".into(),
            Self::Vlans => "a list of VLANs".into(),
            Self::Port => "a port or none".into(),
            Self::Address => "an IP address or none".into(),
            Self::Text => "text".into(),
            Self::Words => "a list of words".into(),
            Self::Station => "a station address".into(),
            Self::Stations => "a list of station addresses".into(),
            Self::Ranges => "a list of station ranges, each with a VLAN".into(),
            Self::Taps => "a list of ports, each with a direction (received, sent, both)".into(),
            Self::Pairs => "a list of pairs of numbers, such as 46:5".into(),
            Self::Time => "a date and time".into(),
        }
    }

    /// Whether statements may add to it and take from it.
    pub fn is_list(self) -> bool {
        use Kind as K;
        matches!(self, K::Choices(_) | K::Vlans | K::Words | K::Stations | K::Ranges | K::Taps | K::Pairs)
    }

    /// The value that stands for "off": false, none, an empty list, zero, the word off or none. Others have none.
    pub fn off(self) -> Option<Value> {
        Some(match self {
            Self::Flag => Value::Flag(false),
            Self::Count => Value::Count(0),
            Self::Seconds => Value::Seconds(0),
            Self::Milliwatts => Value::Milliwatts(0),
            Self::Rate => Value::Rate(None),
            Self::Vlan => Value::Vlan(None),
            Self::Port => Value::Port(None),
            Self::Address => Value::Address(None),
            Self::Choice(set) => {
                let index = set.words.iter().position(|w| matches!(*w, "off" | "none"))?;
                Value::Choice { set, index: index as u8 }
            }
            Self::Choices(set) => Value::Choices { set, bits: 0 },
            Self::Vlans => Value::Vlans(Arc::default()),
            Self::Words => Value::Words(List::default()),
            Self::Stations => Value::Stations(List::default()),
            Self::Ranges => Value::Ranges(List::default()),
            Self::Taps => Value::Taps(List::default()),
            Self::Pairs => Value::Pairs(List::default()),
            Self::Text | Self::Station | Self::Time => return None,
        })
    }

    /// Reads a word written in a dialect, a policy or a record.
    pub fn parse(self, text: &str) -> Result<Value, ValueError> {
        let mismatch = || ValueError::Mismatch { wanted: self.describe(), found: text.to_owned() };
        let position = |set: &ChoiceSet, word: &str| set.words.iter().position(|w| *w == word).ok_or_else(mismatch);
        Ok(match self {
            Self::Flag => Value::Flag(text.parse().map_err(|_| mismatch())?),
            Self::Count => Value::Count(text.parse().map_err(|_| mismatch())?),
            Self::Seconds => Value::Seconds(text.parse().map_err(|_| mismatch())?),
            Self::Milliwatts => Value::Milliwatts(Milliwatts::parse(text).ok_or_else(mismatch)?.0),
            Self::Rate if text == "none" => Value::Rate(None),
            Self::Rate => Value::Rate(Some(Rate::parse(text).ok_or_else(mismatch)?)),
            Self::Choice(set) => Value::Choice { set, index: position(set, text)? as u8 },
            Self::Choices(set) => {
                let words = text.split(',').map(str::trim).filter(|w| !w.is_empty());
                let bits = words.map(|w| Ok(1 << position(set, w)?)).sum::<Result<u32, ValueError>>()?;
                Value::Choices { set, bits }
            }
            Self::Vlan if text == "none" => Value::Vlan(None),
            Self::Vlan => Value::Vlan(Some(VlanId::new(text.parse().map_err(|_| mismatch())?)?)),
            Self::Vlans => Value::Vlans(Arc::new(VlanSet::parse(text).ok_or_else(mismatch)?)),
            Self::Port => Value::Port((text != "none").then(|| text.into())),
            Self::Address if text == "none" => Value::Address(None),
            Self::Address => Value::Address(Some(text.parse().map_err(|_| mismatch())?)),
            Self::Text => Value::Text(text.into()),
            Self::Words => Value::Words(elements(text, |t| Some(Arc::from(t))).ok_or_else(mismatch)?),
            Self::Station => Value::Station(StationAddress::parse(text).map_err(|_| mismatch())?),
            Self::Stations => Value::Stations(elements(text, Station::parse).ok_or_else(mismatch)?),
            Self::Ranges => Value::Ranges(elements(text, StationRange::parse_with_vlan).ok_or_else(mismatch)?),
            Self::Taps => Value::Taps(elements(text, tap).ok_or_else(mismatch)?),
            Self::Pairs => {
                let mut pairs = elements(text, pair).ok_or_else(mismatch)?.to_vec();
                pairs.sort_unstable();
                Value::Pairs(pairs.into())
            }
            Self::Time => Value::Time(text.parse().map_err(|_| mismatch())?),
        })
    }

    /// Takes a number where the kind allows one.
    pub fn from_number(self, number: i64) -> Result<Value, ValueError> {
        let mismatch = || ValueError::Mismatch { wanted: self.describe(), found: number.to_string() };
        let small = || u32::try_from(number).map_err(|_| mismatch());
        Ok(match self {
            Self::Count => Value::Count(small()?),
            Self::Seconds => Value::Seconds(small()?),
            Self::Milliwatts => Value::Milliwatts(small()?),
            Self::Vlan => Value::Vlan(Some(VlanId::new(number)?)),
            Self::Vlans => Value::Vlans(Arc::new([VlanId::new(number)?].into_iter().collect())),
            Self::Port => Value::Port(Some(number.to_string().into())),
            Self::Text => Value::Text(number.to_string().into()),
            _ => return Err(mismatch()),
        })
    }
}

/// The elements of a list, separated by commas; an empty text and `none` are an empty list.
fn elements<T: Element>(text: &str, read: impl Fn(&str) -> Option<T>) -> Option<List<T>> {
    if matches!(text.trim(), "" | "none") {
        return Some(List::default());
    }
    text.split(',').map(|t| read(t.trim())).collect()
}

fn tap(text: &str) -> Option<(Arc<str>, Direction)> {
    let (port, word) = text.split_once(char::is_whitespace)?;
    let index = Direction::SET.words.iter().position(|w| *w == word.trim())?;
    Some((port.into(), Direction::from_index(index as u8)?))
}

fn pair(text: &str) -> Option<(u32, u32)> {
    let (a, b) = text.split_once(':')?;
    Some((a.trim().parse().ok()?, b.trim().parse().ok()?))
}

/// A text or number that is no value of the kind asked for.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ValueError {
    /// It does not fit the kind.
    #[error("`{found}` does not fit: it must be {wanted}")]
    Mismatch {
        /// What the kind allows.
        wanted: String,
        /// What stands there.
        found: String,
    },
    /// A VLAN out of range.
    #[error(transparent)]
    Vlan(#[from] VlanError),
}

/// A value.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Value {
    /// True or false.
    Flag(bool),
    /// A number.
    Count(u32),
    /// Whole seconds.
    Seconds(u32),
    /// Power.
    Milliwatts(u32),
    /// A rate, or none.
    Rate(Option<Rate>),
    /// Several of a few words: bit n for word n.
    Choices {
        /// The words.
        set: &'static ChoiceSet,
        /// Which.
        bits: u32,
    },
    /// One port by name, or none.
    Port(Option<Arc<str>>),
    /// An IP address, or none.
    Address(Option<IpAddr>),
    /// Words, in the order written.
    Words(List<Arc<str>>),
    /// A station address.
    Station(StationAddress),
    /// Ranges of stations with their VLANs, in the order written.
    Ranges(List<(StationRange, VlanId)>),
    /// Sources of a mirror with their directions.
    Taps(List<(Arc<str>, Direction)>),
    /// Pairs of numbers.
    Pairs(List<(u32, u32)>),
    /// A moment.
    Time(Timestamp),
    /// One of a few words.
    Choice {
        /// The words.
        set: &'static ChoiceSet,
        /// Which.
        index: u8,
    },
    /// One VLAN, or none.
    Vlan(Option<VlanId>),
    /// A set of VLANs.
    Vlans(Arc<VlanSet>),
    /// Free text.
    Text(Arc<str>),
    /// Stations, in the order written.
    Stations(List<Station>),
}

impl Value {
    /// The first elements of a list as texts; `None` when it is no list of its own elements.
    pub(crate) fn elements(&self, most: usize) -> Option<Vec<String>> {
        Some(match self {
            Self::Words(words) => words.iter().take(most).map(ToString::to_string).collect(),
            Self::Stations(stations) => stations.iter().take(most).map(ToString::to_string).collect(),
            Self::Ranges(ranges) => ranges.iter().take(most).map(|(range, vlan)| format!("{range}@{vlan}")).collect(),
            Self::Taps(taps) => taps.iter().take(most).map(|(port, direction)| format!("{port} {direction}")).collect(),
            Self::Pairs(pairs) => pairs.iter().take(most).map(|(a, b)| format!("{a}:{b}")).collect(),
            Self::Choices { set, bits } => {
                let words = set.words.iter().enumerate();
                words.filter(|(i, _)| bits >> i & 1 == 1).map(|(_, w)| (*w).to_owned()).collect()
            }
            _ => return None,
        })
    }

    /// How many elements a list has that may be long.
    pub(crate) fn count(&self) -> Option<usize> {
        Some(match self {
            Self::Words(list) => list.len(),
            Self::Stations(list) => list.len(),
            Self::Ranges(list) => list.len(),
            Self::Taps(list) => list.len(),
            Self::Pairs(list) => list.len(),
            _ => return None,
        })
    }

    /// Puts a list together that lines made, and forgets how it came about.
    pub(crate) fn settle(&mut self) {
        match self {
            Self::Words(list) => list.settle(),
            Self::Stations(list) => list.settle(),
            Self::Ranges(list) => list.settle(),
            Self::Taps(list) => list.settle(),
            Self::Pairs(list) => list.settle(),
            _ => {}
        }
    }

    /// Of stations, the list.
    pub fn stations(&self) -> Option<&List<Station>> {
        if let Self::Stations(list) = self { Some(list) } else { None }
    }

    /// Of ranges of stations, the list.
    pub fn ranges(&self) -> Option<&List<(StationRange, VlanId)>> {
        if let Self::Ranges(list) = self { Some(list) } else { None }
    }

    /// A list with another's elements put in.
    pub fn plus(&self, more: &Self) -> Option<Self> {
        Some(match (self, more) {
            (Self::Vlans(a), Self::Vlans(b)) => Self::Vlans(Arc::new(a.union(b))),
            (Self::Choices { set, bits }, Self::Choices { bits: more, .. }) => Self::Choices { set, bits: bits | more },
            (Self::Words(a), Self::Words(b)) => Self::Words(a.plus(b)),
            (Self::Stations(a), Self::Stations(b)) => Self::Stations(a.plus(b)),
            (Self::Ranges(a), Self::Ranges(b)) => Self::Ranges(a.plus(b)),
            (Self::Pairs(a), Self::Pairs(b)) => Self::Pairs(a.plus(b)),
            (Self::Taps(a), Self::Taps(b)) => Self::Taps(a.plus(b)),
            _ => return None,
        })
    }

    /// A list without another's elements.
    pub fn minus(&self, less: &Self) -> Option<Self> {
        Some(match (self, less) {
            (Self::Vlans(a), Self::Vlans(b)) => Self::Vlans(Arc::new(a.minus(b))),
            (Self::Choices { set, bits }, Self::Choices { bits: less, .. }) => {
                Self::Choices { set, bits: bits & !less }
            }
            (Self::Words(a), Self::Words(b)) => Self::Words(a.minus(b)),
            (Self::Stations(a), Self::Stations(b)) => Self::Stations(a.minus(b)),
            (Self::Ranges(a), Self::Ranges(b)) => Self::Ranges(a.minus(b)),
            (Self::Pairs(a), Self::Pairs(b)) => Self::Pairs(a.minus(b)),
            (Self::Taps(a), Self::Taps(b)) => Self::Taps(a.minus(b)),
            _ => return None,
        })
    }
}

impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Flag(flag) => flag.fmt(f),
            Self::Count(n) => n.fmt(f),
            Self::Seconds(n) => Seconds(*n).fmt(f),
            Self::Milliwatts(n) => Milliwatts(*n).fmt(f),
            Self::Rate(Some(rate)) => rate.fmt(f),
            Self::Choice { set, index } => f.write_str(set.words.get(usize::from(*index)).copied().unwrap_or_default()),
            Self::Vlan(Some(vlan)) => vlan.fmt(f),
            Self::Port(Some(port)) => f.write_str(port),
            Self::Address(Some(address)) => address.fmt(f),
            Self::Rate(None) | Self::Vlan(None) | Self::Port(None) | Self::Address(None) => f.write_str("none"),
            Self::Vlans(set) => set.fmt(f),
            Self::Text(text) => f.write_str(text),
            Self::Station(station) => station.fmt(f),
            Self::Time(time) => time.fmt(f),
            Self::Choices { .. }
            | Self::Words(_)
            | Self::Stations(_)
            | Self::Ranges(_)
            | Self::Taps(_)
            | Self::Pairs(_) => {
                let texts = self.elements(usize::MAX).unwrap_or_default();
                f.write_str(if texts.is_empty() { "none" } else { "" })?;
                f.write_str(&texts.join(", "))
            }
        }
    }
}

impl serde::Serialize for Value {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        if let Some(elements) = self.elements(usize::MAX) {
            return serializer.collect_seq(elements);
        }
        match self {
            Self::Flag(flag) => serializer.serialize_bool(*flag),
            Self::Count(n) | Self::Seconds(n) | Self::Milliwatts(n) => serializer.serialize_u32(*n),
            Self::Vlan(Some(vlan)) => serializer.serialize_u16(vlan.get()),
            _ => serializer.collect_str(self),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Cause;
    use rstest::rstest;

    #[rstest]
    #[case(Kind::Milliwatts, "15.4W", Some("15.4 W"))]
    #[case(Kind::Milliwatts, "7000mW", Some("7 W"))]
    #[case(Kind::Milliwatts, "15.40001", None)]
    #[case(Kind::Rate, "100pps", Some("100 pps"))]
    #[case(Kind::Rate, "2 Mbps", Some("2000 kbps"))]
    #[case(Kind::Rate, "5%", Some("5 %"))]
    #[case(Kind::Rate, "none", Some("none"))]
    #[case(Kind::Rate, "100", None)]
    #[case(Kind::Address, "192.0.2.1", Some("192.0.2.1"))]
    #[case(Kind::Address, "2001:db8::1", Some("2001:db8::1"))]
    #[case(Kind::Address, "192.0.2", None)]
    #[case(Kind::Taps, "1.7 both, 1.8 sent", Some("1.7 both, 1.8 sent"))]
    #[case(Kind::Taps, "1.7 up", None)]
    #[case(Kind::Pairs, "46:5,8:1", Some("8:1, 46:5"))]
    #[case(Kind::Words, "", Some("none"))]
    #[case(Kind::Choices(Cause::SET), "storm,flap", Some("storm, flap"))]
    #[case(Kind::Choices(Cause::SET), "storms", None)]
    #[case(Kind::Ranges, "02:00:5e:00:00:00-02:00:5e:00:ff:ff@210", Some("02:00:5e:00:00:00-02:00:5e:00:ff:ff@210"))]
    #[case(Kind::Time, "2031-03-04T06:30:00Z", Some("2031-03-04T06:30:00Z"))]
    fn reading_and_showing(#[case] kind: Kind, #[case] text: &str, #[case] shown: Option<&str>) {
        assert_eq!(kind.parse(text).ok().map(|v| v.to_string()), shown.map(str::to_owned));
    }

    #[rstest]
    #[case(Kind::Taps, "1.7 received", "1.7 sent,1.8 both", "1.7 both, 1.8 both")]
    #[case(Kind::Pairs, "46:5,8:1", "46:6", "8:1, 46:6")]
    #[case(Kind::Words, "a,b", "b,c", "a, b, c")]
    #[case(Kind::Choices(Cause::SET), "storm", "flap", "storm, flap")]
    fn putting_in(#[case] kind: Kind, #[case] list: &str, #[case] more: &str, #[case] sum: &str) {
        let (list, more) = (kind.parse(list).unwrap(), kind.parse(more).unwrap());
        assert_eq!(list.plus(&more).unwrap().to_string(), sum);
    }

    #[rstest]
    #[case(Kind::Taps, "1.7 both,1.8 sent", "1.7 sent,1.8 sent", "1.7 received")]
    #[case(Kind::Taps, "1.7 both", "1.7 both", "none")]
    #[case(Kind::Pairs, "46:5,8:1", "46:9", "8:1")]
    #[case(Kind::Stations, "02:00:5e:10:00:01@9,02:00:5e:10:00:02", "02:00:5e:10:00:01", "02:00:5e:10:00:02")]
    #[case(Kind::Choices(Cause::SET), "storm,flap", "flap", "storm")]
    fn taking_out(#[case] kind: Kind, #[case] list: &str, #[case] less: &str, #[case] rest: &str) {
        let (list, less) = (kind.parse(list).unwrap(), kind.parse(less).unwrap());
        assert_eq!(list.minus(&less).unwrap().to_string(), rest);
    }
}
