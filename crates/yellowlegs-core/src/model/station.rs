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

impl fmt::Display for StationAddress {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let [a, b, c, d, e, g] = self.0;
        write!(f, "{a:02x}:{b:02x}:{c:02x}:{d:02x}:{e:02x}:{g:02x}")
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
}
