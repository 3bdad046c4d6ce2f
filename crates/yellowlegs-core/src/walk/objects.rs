//! The objects of a walk in the order of their identifiers, and their values as what they are asked for.

use std::net::{IpAddr, Ipv4Addr};

use crate::model::{Mark, StationAddress, read_arcs};
use crate::sorted;
use crate::source::Word;

/// The types that matter for how a value is written (RFC 2578, 7.1).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Type {
    /// INTEGER, Gauge32, Counter32, Counter64, `TimeTicks`.
    Number,
    /// OCTET STRING as text.
    Octets,
    /// OCTET STRING, or BITS, in hexadecimal.
    Hex,
    /// OBJECT IDENTIFIER.
    Oid,
    /// `IpAddress`.
    Address,
    /// NULL, Opaque.
    Other,
}

impl Type {
    /// A type by its name, or by the number of its tag (RFC 3417, 8) where a text uses those.
    pub(super) fn named(name: &str, by_tag: bool) -> Option<Self> {
        if by_tag {
            return Some(match name {
                "2" | "65" | "66" | "67" | "70" | "71" => Self::Number,
                "4" => Self::Octets,
                "4x" => Self::Hex,
                "5" | "68" | "68x" => Self::Other,
                "6" => Self::Oid,
                "64" | "64x" => Self::Address,
                _ => return None,
            });
        }
        let plain: String = name.chars().filter(|sign| !"-_ ".contains(*sign)).collect::<String>().to_ascii_lowercase();
        Some(match plain.as_str() {
            "integer" | "integer32" | "gauge" | "gauge32" | "unsigned32" | "uinteger32" | "counter" | "counter32"
            | "counter64" | "timeticks" | "ticks" => Self::Number,
            "string" | "octets" | "octetstring" => Self::Octets,
            "hex" | "hexstring" | "bits" => Self::Hex,
            "oid" | "objectidentifier" => Self::Oid,
            "address" | "ipaddress" | "networkaddress" => Self::Address,
            "null" | "opaque" => Self::Other,
            _ => return None,
        })
    }
}

/// An object: its value as it stands in the text.
#[derive(Debug, Clone, Copy)]
pub(super) struct Object {
    /// Its type, where the text tells one.
    pub(super) kind: Option<Type>,
    /// Where the value stands.
    pub(super) value: Word,
    /// The line.
    pub(super) mark: Mark,
    /// Where its identifier is among the parts of all, and how long it is.
    pub(super) of: (u32, u8),
}

/// All objects of a text.
#[derive(Debug, Default)]
pub(super) struct Objects {
    arcs: Vec<u32>,
    all: Vec<Object>,
    /// The last value is a text whose second quote has not come.
    is_open: bool,
}

impl Objects {
    pub(super) fn push(&mut self, arcs: &[u32], object: Object, text: &str) {
        let value = object.value.of(text);
        self.is_open = value.strip_prefix('"').is_some_and(|inner| !closes(inner));
        let of = (self.arcs.len() as u32, arcs.len() as u8);
        self.arcs.extend_from_slice(arcs);
        self.all.push(Object { of, ..object });
    }

    /// Whether a line goes on with the last value: a quote is open, or more hexadecimal digits follow.
    pub(super) fn last_takes(&self, line: &str) -> bool {
        if self.is_open {
            return true;
        }
        let is_pair = |word: &str| word.len() == 2 && word.bytes().all(|byte| byte.is_ascii_hexdigit());
        self.all.last().is_some_and(|last| last.kind == Some(Type::Hex)) && line.split_whitespace().all(is_pair)
    }

    /// The last value goes on with a line and ends with it, here.
    pub(super) fn goes_on(&mut self, line: &str, end: usize) {
        self.is_open = self.is_open && !closes(line);
        if let Some(last) = self.all.last_mut() {
            last.value.end = end;
        }
    }

    fn arcs_of(&self, object: &Object) -> &[u32] {
        let from = object.of.0 as usize;
        self.arcs.get(from..from + usize::from(object.of.1)).unwrap_or_default()
    }

    /// Orders them. Of an identifier that is there with two values nobody knows which counts: both lines are told.
    pub(super) fn sort(&mut self, text: &str, odd: &mut Vec<Mark>) {
        let mut all = std::mem::take(&mut self.all);
        sorted::by(&mut all, |a, b| self.arcs_of(a).cmp(self.arcs_of(b)));
        let mut kept: Vec<Object> = Vec::with_capacity(all.len());
        for same in all.chunk_by(|a, b| self.arcs_of(a) == self.arcs_of(b)) {
            match same {
                [first, rest @ ..] if rest.iter().all(|o| o.value.of(text) == first.value.of(text)) => {
                    kept.push(*first);
                }
                several => odd.extend(several.iter().map(|object| object.mark)),
            }
        }
        sorted::plain(odd);
        self.all = kept;
    }

    /// How many there are.
    pub(super) fn len(&self) -> usize {
        self.all.len()
    }

    /// Every object with its identifier.
    pub(super) fn iter(&self) -> impl Iterator<Item = (&[u32], &Object)> {
        self.all.iter().map(|object| (self.arcs_of(object), object))
    }

    /// The objects below an identifier, each with what of its own follows that.
    pub(super) fn below<'o, 'p>(
        &'o self,
        prefix: &'p [u32],
    ) -> impl Iterator<Item = (&'o [u32], &'o Object)> + use<'o, 'p> {
        let from = self.all.partition_point(|object| self.arcs_of(object) < prefix);
        self.all.iter().skip(from).map_while(move |object| Some((self.arcs_of(object).strip_prefix(prefix)?, object)))
    }

    /// How many objects are below an identifier.
    pub(super) fn count_below(&self, prefix: &[u32]) -> usize {
        let from = self.all.partition_point(|object| self.arcs_of(object) < prefix);
        let behind = self.all.get(from..).unwrap_or_default();
        behind.partition_point(|object| self.arcs_of(object).starts_with(prefix))
    }

    /// An object by what it is and which.
    pub(super) fn at(&self, prefix: &[u32], index: &[u32]) -> Option<&Object> {
        let wanted = || prefix.iter().chain(index);
        let found = self.all.binary_search_by(|object| self.arcs_of(object).iter().cmp(wanted())).ok()?;
        self.all.get(found)
    }
}

/// Whether a quoted text has its second quote.
fn is_closed(value: &str) -> bool {
    closes(value.get(1..).unwrap_or_default())
}

/// Whether the second quote stands in what follows the first.
fn closes(inner: &str) -> bool {
    let mut escaped = false;
    inner.chars().any(|sign| {
        let closes = sign == '"' && !escaped;
        escaped = sign == '\\' && !escaped;
        closes
    })
}

impl Object {
    /// Its value as a number: plain, in brackets behind a word, or in brackets before a time.
    pub(super) fn number(&self, text: &str) -> Option<i64> {
        if !matches!(self.kind, None | Some(Type::Number)) {
            return None;
        }
        let value = self.value.of(text);
        let inside = value.split_once('(').and_then(|(_, rest)| rest.split_once(')')).map(|(number, _)| number);
        inside.unwrap_or(value).trim().parse().ok()
    }

    /// Its value as octets.
    pub(super) fn octets(&self, text: &str) -> Option<Vec<u8>> {
        let value = self.value.of(text);
        match self.kind {
            Some(Type::Hex) => hex(value),
            Some(Type::Octets) | None => match value.strip_prefix('"') {
                Some(_) if !is_closed(value) => None,
                Some(inner) => Some(unescaped(inner).into_bytes()),
                None => Some(value.as_bytes().to_vec()),
            },
            _ => None,
        }
    }

    /// Its value as a text; control signs are none of it.
    pub(super) fn text(&self, text: &str) -> Option<String> {
        let octets = self.octets(text)?;
        let read = String::from_utf8_lossy(&octets);
        Some(read.trim_matches(|sign: char| sign.is_control() || sign.is_whitespace()).to_owned())
    }

    /// Its value as an identifier.
    pub(super) fn oid(&self, text: &str) -> Option<Vec<u32>> {
        let mut arcs = Vec::new();
        matches!(self.kind, None | Some(Type::Oid)).then(|| read_arcs(self.value.of(text), &mut arcs))??;
        Some(arcs)
    }

    /// Its value as a station's address: six octets, or groups of one or two digits.
    pub(super) fn station(&self, text: &str) -> Option<StationAddress> {
        let octets = self.octets(text)?;
        if octets.len() == 6 {
            return station(octets.iter().map(|octet| u32::from(*octet)));
        }
        let groups: Option<Vec<u32>> =
            std::str::from_utf8(&octets).ok()?.split(':').map(|group| u32::from_str_radix(group, 16).ok()).collect();
        station(groups?.into_iter())
    }

    /// Its value as an IP address: as such, or as four or sixteen octets.
    pub(super) fn address(&self, text: &str) -> Option<IpAddr> {
        if let Ok(address) = self.value.of(text).parse() {
            return Some(address);
        }
        let octets = self.octets(text)?;
        let four = <[u8; 4]>::try_from(octets.as_slice()).map(|four| IpAddr::V4(Ipv4Addr::from(four)));
        four.ok().or_else(|| <[u8; 16]>::try_from(octets.as_slice()).ok().map(IpAddr::from))
    }
}

/// Six numbers as an address.
pub(super) fn station(octets: impl Iterator<Item = u32>) -> Option<StationAddress> {
    let octets: Option<Vec<u8>> = octets.map(|octet| u8::try_from(octet).ok()).collect();
    let octets = octets.filter(|octets| octets.len() == 6)?;
    let number = octets.iter().fold(0_u64, |number, octet| number << 8 | u64::from(*octet));
    Some(StationAddress::of_number(number))
}

/// Pairs of hexadecimal digits, with blanks, line ends or signs between them or without; words behind them tell what bits mean.
fn hex(value: &str) -> Option<Vec<u8>> {
    let mut octets = Vec::new();
    for word in value.split(|sign: char| sign.is_whitespace() || sign == ':' || sign == '-').filter(|w| !w.is_empty()) {
        if !word.bytes().all(|byte| byte.is_ascii_hexdigit()) {
            return word.ends_with(')').then_some(octets);
        }
        (word.len() % 2 == 0).then_some(())?;
        for pair in word.as_bytes().chunks(2) {
            octets.push(u8::from_str_radix(std::str::from_utf8(pair).ok()?, 16).ok()?);
        }
    }
    Some(octets)
}

/// What stands before the second quote, `\"` for a quote and `\\` for its sign.
fn unescaped(inner: &str) -> String {
    let mut read = String::with_capacity(inner.len());
    let mut signs = inner.chars();
    while let Some(sign) = signs.next() {
        match sign {
            '"' => break,
            '\\' => read.extend(signs.next()),
            _ => read.push(sign),
        }
    }
    read
}
