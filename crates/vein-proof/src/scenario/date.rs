//! Moments as scenarios write them: dates with a time and an offset (TOML, offset date-time; RFC 3339).

use toml_edit::{Date, Datetime, Offset, Time};

const DAY: i64 = 86_400_000;

/// Milliseconds since 1970 of a moment; nothing where it has no time, or does not say how far it is from UTC.
pub(super) fn moment(of: &Datetime) -> Option<f64> {
    let (date, time) = (of.date?, of.time?);
    let minutes = match of.offset? {
        Offset::Z => 0,
        Offset::Custom { minutes } => i64::from(minutes),
    };
    let seconds = i64::from(time.hour) * 3600
        + i64::from(time.minute) * 60
        + i64::from(time.second.unwrap_or(0))
        - minutes * 60;
    let parts = i64::from(time.nanosecond.unwrap_or(0) / 1_000_000);
    let days = days(i64::from(date.year), i64::from(date.month), i64::from(date.day));
    Some((days * DAY + seconds * 1000 + parts) as f64)
}

/// A moment of the years 1 to 9999 in UTC, to the millisecond.
pub(super) fn written(moment: f64) -> Datetime {
    let all = moment.floor() as i64;
    let (day, rest) = (all.div_euclid(DAY), all.rem_euclid(DAY));
    // The year begins no earlier than this many years after 1970, and no later than one after that.
    let mut year = 1970 + day.div_euclid(366);
    while days(year + 1, 1, 1) <= day {
        year += 1;
    }
    while days(year, 1, 1) > day {
        year -= 1;
    }
    let month = (1..=12).rev().find(|month| days(year, *month, 1) <= day).unwrap_or(1);
    let in_month = day - days(year, month, 1) + 1;
    let seconds = rest / 1000;
    Datetime {
        date: Some(Date { year: year as u16, month: month as u8, day: in_month as u8 }),
        time: Some(Time {
            hour: (seconds / 3600) as u8,
            minute: (seconds / 60 % 60) as u8,
            second: Some((seconds % 60) as u8),
            nanosecond: Some((rest % 1000) as u32 * 1_000_000),
        }),
        offset: Some(Offset::Z),
    }
}

/// Days from 1970 to a day of the Gregorian calendar.
fn days(year: i64, month: i64, day: i64) -> i64 {
    let is_leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
    let before = [0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334][month as usize - 1];
    let leaps = |year: i64| year / 4 - year / 100 + year / 400;
    let whole = (year - 1970) * 365 + leaps(year - 1) - leaps(1969);
    whole + before + i64::from(is_leap && month > 2) + day - 1
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_are_written_as_they_are_read() {
        for (text, milliseconds) in [
            ("1970-01-01T00:00:00Z", 0.0),
            ("2000-02-29T12:30:05.250Z", 951_827_405_250.0),
            ("2026-05-04T09:00:00+02:00", 1_777_878_000_000.0),
            ("1969-12-31T23:59:59.999Z", -1.0),
            ("0001-01-01T00:00:00Z", -62_135_596_800_000.0),
            ("9999-12-31T23:59:59Z", 253_402_300_799_000.0),
        ] {
            let read: Datetime = text.parse().expect("a date");
            assert_eq!(moment(&read), Some(milliseconds), "{text}");
            assert_eq!(moment(&written(milliseconds)), Some(milliseconds), "{text}");
        }
        for day in (-719_162..2_932_896).step_by(97) {
            let milliseconds = (day * DAY + 12_345_678) as f64;
            assert_eq!(moment(&written(milliseconds)), Some(milliseconds), "day {day}");
        }
        for text in ["2026-05-04", "09:00:00", "2026-05-04T09:00:00"] {
            assert_eq!(moment(&text.parse().expect("a date")), None, "{text}");
        }
    }
}
