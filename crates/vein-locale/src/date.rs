//! Dates and times of a moment, which is given in milliseconds since 1970 as ECMAScript does.

use crate::{DATA, Locale};
use icu_calendar::Iso;
use icu_datetime::fieldsets::{T, YMD, YMDE};
use icu_datetime::input::{Date, DateTime, Time};
use icu_datetime::options::TimePrecision;
use icu_datetime::{DateTimeFormatter, NoCalendarFormatter};
use jiff::Timestamp;
use writeable::Writeable;

/// The years that are written with four digits in every calendar here.
const YEARS: std::ops::RangeInclusive<i16> = -9999..=9999;

impl Locale {
    /// The clock and calendar of the locale's zone at a moment.
    fn local(&self, ms: f64) -> Option<DateTime<Iso>> {
        let moment = Timestamp::from_millisecond(ms.is_finite().then_some(ms.trunc() as i64)?);
        let there = moment.ok()?.to_zoned(self.zone.clone());
        if !YEARS.contains(&there.year()) {
            return None;
        }
        let date = Date::try_new_iso(
            i32::from(there.year()),
            there.month().unsigned_abs(),
            there.day().unsigned_abs(),
        );
        let time = Time::try_new(
            there.hour().unsigned_abs(),
            there.minute().unsigned_abs(),
            there.second().unsigned_abs(),
            0,
        );
        Some(DateTime { date: date.ok()?, time: time.ok()? })
    }

    /// `full`, `long`, `medium` or `short`; anything else is `medium`.
    pub(crate) fn date(&self, ms: f64, style: &str) -> Option<String> {
        let (data, date) = (DATA.as_ref()?, self.local(ms)?.date);
        let prefs = (&self.locale).into();
        if style == "full" {
            let formatter =
                DateTimeFormatter::try_new_with_buffer_provider(data, prefs, YMDE::long()).ok()?;
            return Some(spaced(&formatter.format(&date)));
        }
        let formatter =
            DateTimeFormatter::try_new_with_buffer_provider(data, prefs, of_length(style)).ok()?;
        Some(spaced(&formatter.format(&date)))
    }

    /// `medium` with seconds, `short` without.
    pub(crate) fn time(&self, ms: f64, style: &str) -> Option<String> {
        let (data, time) = (DATA.as_ref()?, self.local(ms)?.time);
        let fields = if style == "short" { T::hm() } else { T::hms() };
        let formatter =
            NoCalendarFormatter::try_new_with_buffer_provider(data, (&self.locale).into(), fields)
                .ok()?;
        Some(spaced(&formatter.format(&time)))
    }

    /// A date and a time, both `medium` or both `short`.
    pub(crate) fn date_time(&self, ms: f64, style: &str) -> Option<String> {
        let (data, moment) = (DATA.as_ref()?, self.local(ms)?);
        let precision =
            if style == "short" { TimePrecision::Minute } else { TimePrecision::Second };
        let style = if style == "short" { "short" } else { "medium" };
        let fields = of_length(style).with_time(precision);
        let formatter =
            DateTimeFormatter::try_new_with_buffer_provider(data, (&self.locale).into(), fields)
                .ok()?;
        Some(spaced(&formatter.format(&moment)))
    }
}

fn of_length(style: &str) -> YMD {
    match style {
        "long" => YMD::long(),
        "short" => YMD::short(),
        _ => YMD::medium(),
    }
}

/// Browsers write a plain space where the data has a narrow one that does not break: pages expect
/// it in times.
fn spaced(shown: &impl Writeable) -> String {
    shown.write_to_string().replace('\u{202f}', " ")
}
