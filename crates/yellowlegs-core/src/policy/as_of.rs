//! The time that evidence is judged at.

use jiff::Timestamp;
use jiff::civil::Date;
use jiff::fmt::temporal::Pieces;

/// A moment with its offset (RFC 3339), kept as it was written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AsOf {
    text: String,
    date: Date,
    moment: Timestamp,
}

/// Why a text is no such moment.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{found}` is no time with an offset (RFC 3339)")]
pub struct AsOfProblem {
    /// The text.
    pub found: String,
}

impl AsOf {
    /// Reads an RFC 3339 time; the offset is needed, for last days are counted in it.
    pub fn parse(text: &str) -> Result<Self, AsOfProblem> {
        let problem = || AsOfProblem { found: text.to_owned() };
        let pieces = Pieces::parse(text).map_err(|_| problem())?;
        let named = pieces.time_zone_annotation().is_some();
        if named || pieces.time().is_none() || pieces.to_numeric_offset().is_none() {
            return Err(problem());
        }
        let moment = text.parse().map_err(|_| problem())?;
        Ok(Self { text: text.to_owned(), date: pieces.date(), moment })
    }

    /// As it was written.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// The moment.
    pub fn moment(&self) -> Timestamp {
        self.moment
    }

    /// The day it is, in its own offset.
    pub fn date(&self) -> Date {
        self.date
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("2031-03-04T06:30:00Z", Some("2031-03-04"))]
    #[case("2031-03-04T23:30:00-08:00", Some("2031-03-04"))]
    #[case("2031-03-04T06:30:00", None)]
    #[case("2031-03-04", None)]
    #[case("2031-02-30T06:30:00Z", None)]
    #[case("yesterday", None)]
    #[case::a_zone_by_name("2031-03-04T06:30:00+00:00[UTC]", None)]
    #[case::no_time("2031-03-04Z", None)]
    #[case::no_seconds("2031-03-04T06:30Z", Some("2031-03-04"))]
    fn the_day_is_the_offsets_own(#[case] text: &str, #[case] day: Option<&str>) {
        assert_eq!(AsOf::parse(text).ok().map(|t| t.date().to_string()), day.map(str::to_owned));
    }
}
