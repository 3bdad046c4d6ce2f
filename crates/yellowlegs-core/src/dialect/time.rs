//! Moments as texts write them: with and without year and zone.

use jiff::civil::{Date, DateTime, Time};
use jiff::fmt::strtime::BrokenDownTime;
use jiff::tz::Offset;
use jiff::{SignedDuration, Timestamp};

/// A moment whose year and zone may be open.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Moment {
    year: Option<i16>,
    month: i8,
    day: i8,
    time: Time,
    offset: Option<Offset>,
}

impl Moment {
    /// Reads RFC 3339, or a form in the notation of strftime; `offset` holds where the form has no zone.
    pub fn parse(text: &str, form: Option<&str>, offset: Option<Offset>) -> Option<Self> {
        let Some(form) = form else {
            let time: Timestamp = text.parse().ok()?;
            return Some(Self::of(time));
        };
        let broken = BrokenDownTime::parse(form, text).ok()?;
        let time = broken.to_time().ok().unwrap_or(Time::MIN);
        let (month, day) = (broken.month()?, broken.day()?);
        // A day that no year has is no moment.
        Date::new(2000, month, day).ok()?;
        Some(Self { year: broken.year(), month, day, time, offset: broken.offset().or(offset) })
    }

    fn of(time: Timestamp) -> Self {
        let at = Offset::UTC.to_datetime(time);
        let (year, month, day) = (Some(at.year()), at.month(), at.day());
        Self { year, month, day, time: at.time(), offset: Some(Offset::UTC) }
    }

    /// The moment settled: an open zone is UTC; an open year is the latest that does not lead more than a day past `as_of`.
    pub fn settle(self, as_of: Timestamp) -> Option<Timestamp> {
        let offset = self.offset.unwrap_or(Offset::UTC);
        let at = |year: i16| {
            let date = Date::new(year, self.month, self.day).ok()?;
            offset.to_timestamp(DateTime::from_parts(date, self.time)).ok()
        };
        if let Some(year) = self.year {
            return at(year);
        }
        let latest = as_of.checked_add(SignedDuration::from_hours(24)).ok()?;
        let this = offset.to_datetime(latest).year();
        // The 29th of February is up to eight years back.
        (0..=8).filter_map(|back| at(this.checked_sub(back)?)).find(|time| *time <= latest)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("2031-03-04T06:30:00+01:00", None, Some("2031-03-04T05:30:00Z"))]
    #[case("2031-03-04 06:30:00", Some("%Y-%m-%d %H:%M:%S"), Some("2031-03-04T06:30:00Z"))]
    #[case("Mar 3 23:59:59", Some("%b %d %H:%M:%S"), Some("2031-03-03T23:59:59Z"))]
    // Not yet: it was last year.
    #[case("Dec 31 23:59:59", Some("%b %d %H:%M:%S"), Some("2030-12-31T23:59:59Z"))]
    #[case("Feb 29 12:00:00", Some("%b %d %H:%M:%S"), Some("2028-02-29T12:00:00Z"))]
    #[case("4 Mar 2031 06:30:00 +0200", Some("%d %b %Y %H:%M:%S %z"), Some("2031-03-04T04:30:00Z"))]
    #[case("Feb 30 12:00:00", Some("%b %d %H:%M:%S"), None)]
    #[case("soon", Some("%b %d %H:%M:%S"), None)]
    fn settled(#[case] text: &str, #[case] form: Option<&str>, #[case] expected: Option<&str>) {
        let as_of: Timestamp = "2031-03-04T06:30:00Z".parse().unwrap();
        let moment = Moment::parse(text, form, None).and_then(|m| m.settle(as_of));
        assert_eq!(moment.map(|t| t.to_string()), expected.map(str::to_owned));
    }
}
