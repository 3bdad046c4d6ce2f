//! Station addresses: 48-bit MAC addresses (IEEE 802, 8.2).

use std::fmt;

use super::VlanId;

/// A MAC address. Printed in colon form, lower case.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct StationAddress([u8; 6]);

/// A text that is no station address.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{found}` is no station address: it takes 12 hexadecimal digits, for example 02:00:5e:10:00:01")]
pub struct StationError {
    /// The text.
    pub found: String,
}

impl StationAddress {
    /// Reads colon, dash, dotted-quad-hex (`0200.5e10.0001`) or bare form; the separators must be of one kind.
    pub fn parse(text: &str) -> Result<Self, StationError> {
        Self::digits(text).ok_or_else(|| StationError { found: text.to_owned() })
    }

    fn digits(text: &str) -> Option<Self> {
        let separator = text.bytes().find(|b| !b.is_ascii_hexdigit());
        let group = match separator {
            None => 12,
            Some(b':' | b'-') => 2,
            Some(b'.') => 4,
            Some(_) => return None,
        };
        let mut digits = [0_u8; 12];
        let mut count = 0;
        let mut since = 0;
        for byte in text.bytes() {
            if Some(byte) == separator {
                if since != group || count == 12 {
                    return None;
                }
                since = 0;
                continue;
            }
            *digits.get_mut(count)? = char::from(byte).to_digit(16)? as u8;
            count += 1;
            since += 1;
        }
        (count == 12 && since == group).then(|| Self(std::array::from_fn(|i| digits[2 * i] << 4 | digits[2 * i + 1])))
    }
}

impl StationAddress {
    /// As it is printed.
    fn shown(self) -> [u8; 17] {
        const DIGITS: &[u8; 16] = b"0123456789abcdef";
        let mut shown = [b':'; 17];
        for (octet, pair) in self.0.iter().zip(shown.chunks_mut(3)) {
            pair[0] = DIGITS[usize::from(octet >> 4)];
            pair[1] = DIGITS[usize::from(octet & 15)];
        }
        shown
    }

    /// Whether it begins so, as it is printed; letters of both cases are the same.
    pub fn begins_with(self, start: &str) -> bool {
        self.shown().get(..start.len()).is_some_and(|shown| shown.eq_ignore_ascii_case(start.as_bytes()))
    }
}

impl fmt::Display for StationAddress {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(str::from_utf8(&self.shown()).unwrap_or_default())
    }
}

/// A station allowed on a port, in one VLAN or in any.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Station {
    /// Its address.
    pub address: StationAddress,
    /// The VLAN it is allowed in, when the text names one.
    pub vlan: Option<VlanId>,
}

impl fmt::Display for Station {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.vlan {
            Some(vlan) => write!(f, "{}@{vlan}", self.address),
            None => self.address.fmt(f),
        }
    }
}

impl Station {
    /// Reads `address` or `address@vlan`, as [`fmt::Display`] writes it.
    pub fn parse(text: &str) -> Option<Self> {
        let (address, vlan) = match text.split_once('@') {
            Some((address, vlan)) => (address, Some(VlanId::new(vlan.parse().ok()?).ok()?)),
            None => (text, None),
        };
        Some(Self { address: StationAddress::parse(address).ok()?, vlan })
    }
}

/// Station addresses from one to another, both included.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct StationRange {
    /// The lowest.
    pub from: StationAddress,
    /// The highest.
    pub to: StationAddress,
}

impl StationAddress {
    /// As a number: the first octet is the highest.
    pub fn number(self) -> u64 {
        self.0.iter().fold(0, |n, b| n << 8 | u64::from(*b))
    }

    pub(crate) fn of_number(number: u64) -> Self {
        let bytes = number.to_be_bytes();
        Self(std::array::from_fn(|i| bytes[i + 2]))
    }
}

impl StationRange {
    /// One address.
    pub fn one(address: StationAddress) -> Self {
        Self { from: address, to: address }
    }

    /// From one address to another; `None` when they are the wrong way round.
    pub fn between(from: StationAddress, to: StationAddress) -> Option<Self> {
        (from <= to).then_some(Self { from, to })
    }

    /// So many addresses from one on; `None` when there are none, or not that many.
    pub fn counted(from: StationAddress, count: u64) -> Option<Self> {
        let last = from.number().checked_add(count.checked_sub(1)?)?;
        (last < 1 << 48).then(|| Self { from, to: StationAddress::of_number(last) })
    }

    /// The addresses that share the first `bits` bits, 0 to 48.
    pub fn prefix(address: StationAddress, bits: u32) -> Option<Self> {
        let free = 48_u32.checked_sub(bits)?;
        let low = (1_u64 << free) - 1;
        let number = address.number();
        Some(Self { from: StationAddress::of_number(number & !low), to: StationAddress::of_number(number | low) })
    }

    /// The addresses that agree where the mask has ones; `None` when its ones are not all in front.
    pub fn masked(address: StationAddress, mask: StationAddress) -> Option<Self> {
        let bits = (mask.number() << 16).leading_ones();
        (Self::prefix(mask, bits)?.from == mask).then_some(())?;
        Self::prefix(address, bits)
    }

    /// How many addresses are in it.
    pub fn size(self) -> u64 {
        self.to.number() - self.from.number() + 1
    }

    /// Whether an address is in it.
    pub fn contains(self, address: StationAddress) -> bool {
        self.from <= address && address <= self.to
    }

    /// Reads `from-to@vlan`, as it is printed with a VLAN behind it.
    pub fn parse_with_vlan(text: &str) -> Option<(Self, VlanId)> {
        let (range, vlan) = text.split_once('@')?;
        let (from, to) = range.split_once('-')?;
        let range = Self::between(StationAddress::parse(from).ok()?, StationAddress::parse(to).ok()?)?;
        Some((range, VlanId::new(vlan.parse().ok()?).ok()?))
    }
}

impl fmt::Display for StationRange {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}-{}", self.from, self.to)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("02:00:5e:10:00:0A", true)]
    #[case("02-00-5E-10-00-0a", true)]
    #[case("0200.5e10.000a", true)]
    #[case("02005e10000a", true)]
    #[case("02:00-5e:10:00:0a", false)]
    #[case("0200:5e10:000a", false)]
    #[case("02:00:5e:10:00", false)]
    #[case("02:00:5e:10:00:0a:", false)]
    #[case("02:00:5e:10:00:0g", false)]
    #[case("", false)]
    fn notations(#[case] text: &str, #[case] reads: bool) {
        let address = StationAddress::parse(text);
        assert_eq!(address.is_ok(), reads);
        if let Ok(address) = address {
            assert_eq!(address.to_string(), "02:00:5e:10:00:0a");
        }
    }

    #[rstest]
    #[case("02:00:5e:10:20:30", "ff:ff:ff:00:00:00", Some("02:00:5e:00:00:00-02:00:5e:ff:ff:ff"))]
    #[case("02:00:5e:10:20:30", "ff:ff:ff:ff:ff:ff", Some("02:00:5e:10:20:30-02:00:5e:10:20:30"))]
    #[case("02:00:5e:10:20:30", "00:00:00:00:00:00", Some("00:00:00:00:00:00-ff:ff:ff:ff:ff:ff"))]
    #[case("02:00:5e:10:20:30", "ff:00:ff:00:00:00", None)]
    fn masks(#[case] address: &str, #[case] mask: &str, #[case] range: Option<&str>) {
        let read = |text| StationAddress::parse(text).unwrap();
        let masked = StationRange::masked(read(address), read(mask));
        assert_eq!(masked.map(|r| r.to_string()), range.map(str::to_owned));
        assert!(masked.is_none_or(|r| r.contains(read(address)) && r.size().is_power_of_two()));
    }

    #[rstest]
    #[case("02:00:5e:10", true)]
    #[case("02:00:5E:1", true)]
    #[case("02:00:5e:10:00:0a", true)]
    #[case("", true)]
    #[case("02:00:5e:11", false)]
    #[case("02-00", false)]
    #[case("02:00:5e:10:00:0a:", false)]
    fn beginnings(#[case] start: &str, #[case] expected: bool) {
        let address = StationAddress::parse("02:00:5e:10:00:0a").unwrap();
        assert_eq!(address.begins_with(start), expected);
        assert_eq!(address.to_string().starts_with(&start.to_ascii_lowercase()), expected);
    }
}
