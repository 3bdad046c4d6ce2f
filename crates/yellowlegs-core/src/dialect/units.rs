//! Units of the dialect's own, for numbers that a system counts in words of its own: `3 watches`, `40k/t`.

/// What a unit measures, by its key in `[units]`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Measure {
    /// Time, in seconds.
    Seconds,
    /// A rate, in packets a second.
    Packets,
    /// A rate, in packets a minute.
    PacketsAMinute,
    /// A rate, in kilobits a second.
    Kilobits,
    /// A speed, in Mbit/s.
    Megabits,
    /// Power, in milliwatts.
    Milliwatts,
}

impl Measure {
    /// Each with its key.
    pub(super) const KEYS: [(Self, &'static str); 6] = [
        (Self::Seconds, "seconds"),
        (Self::Packets, "packets-per-second"),
        (Self::PacketsAMinute, "packets-per-minute"),
        (Self::Kilobits, "kilobits-per-second"),
        (Self::Megabits, "megabits-per-second"),
        (Self::Milliwatts, "milliwatts"),
    ];
}

/// The units of a dialect.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Units(Vec<(Measure, String, u32)>);

impl Units {
    /// Adds a unit: how many of its measure it is.
    pub(super) fn add(&mut self, measure: Measure, word: &str, times: u32) {
        self.0.push((measure, word.to_owned(), times));
    }

    /// How many of one unit of a measure a word is.
    pub(super) fn times(&self, measure: Measure, word: &str) -> Option<u32> {
        self.0.iter().find(|(of, unit, _)| *of == measure && unit.eq_ignore_ascii_case(word)).map(|(.., times)| *times)
    }

    /// A number with one of the units behind it, as one text; at most three decimals, and no rest.
    pub(super) fn read(&self, measures: &[Measure], text: &str) -> Option<(Measure, u32)> {
        let end = text.bytes().position(|b| !b.is_ascii_digit() && b != b'.')?;
        let (digits, unit) = text.split_at(end);
        let (whole, part) = digits.split_once('.').unwrap_or((digits, ""));
        if whole.is_empty() || part.len() > 3 || part.contains('.') || digits.ends_with('.') {
            return None;
        }
        if measures.iter().all(|measure| self.times(*measure, unit).is_none()) {
            return None;
        }
        let thousandths: u64 = format!("{whole}{part:0<3}").parse().ok()?;
        measures.iter().find_map(|measure| {
            let product = thousandths.checked_mul(self.times(*measure, unit)?.into())?;
            let amount = product.is_multiple_of(1000).then(|| u32::try_from(product / 1000).ok())??;
            Some((*measure, amount))
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("3watch", Some((Measure::Seconds, 43_200)))]
    #[case::any_case("3Watch", Some((Measure::Seconds, 43_200)))]
    #[case::decimals("0.25watch", Some((Measure::Seconds, 3_600)))]
    #[case::a_rest("0.001glow", None)]
    #[case::another_measure("2glow", Some((Measure::Milliwatts, 24)))]
    #[case::not_asked_for("2k/t", None)]
    #[case::no_number("watch", None)]
    #[case::no_unit("12", None)]
    #[case::four_decimals("0.0001watch", None)]
    #[case::two_points("1.2.3watch", None)]
    #[case::a_point_too_many("1.watch", None)]
    #[case::too_many("4294967295watch", None)]
    fn amounts(#[case] text: &str, #[case] expected: Option<(Measure, u32)>) {
        let mut units = Units::default();
        units.add(Measure::Seconds, "watch", 14_400);
        units.add(Measure::Milliwatts, "glow", 12);
        units.add(Measure::Packets, "k/t", 1000);
        assert_eq!(units.read(&[Measure::Seconds, Measure::Milliwatts], text), expected);
    }
}
