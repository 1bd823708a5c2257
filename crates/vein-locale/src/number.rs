//! Numbers: digits and grouping, percent, money, measures, and how long ago.

use crate::{DATA, Locale};
use fixed_decimal::{Decimal, FloatPrecision, SignedRoundingMode, UnsignedRoundingMode};
use icu_decimal::DecimalFormatter;
use icu_experimental::dimension::currency::CurrencyCode;
use icu_experimental::dimension::currency::formatter::CurrencyFormatter;
use icu_experimental::dimension::percent::formatter::PercentFormatter;
use icu_experimental::dimension::units::formatter::UnitsFormatter;
use icu_experimental::relativetime::{RelativeTimeFormatter, RelativeTimeFormatterOptions};
use writeable::Writeable;

/// Currencies whose amounts do not have two digits after the point (ISO 4217).
const DIGITS: &[(&str, i16)] = &[
    ("BHD", 3),
    ("BIF", 0),
    ("CLF", 4),
    ("CLP", 0),
    ("DJF", 0),
    ("GNF", 0),
    ("IQD", 3),
    ("ISK", 0),
    ("JOD", 3),
    ("JPY", 0),
    ("KMF", 0),
    ("KRW", 0),
    ("KWD", 3),
    ("LYD", 3),
    ("OMR", 3),
    ("PYG", 0),
    ("RWF", 0),
    ("TND", 3),
    ("UGX", 0),
    ("UYI", 0),
    ("UYW", 4),
    ("VND", 0),
    ("VUV", 0),
    ("XAF", 0),
    ("XOF", 0),
    ("XPF", 0),
];

/// A number with at most, and at least, so many digits after the point, rounded as ECMA-402 does:
/// halves away from zero.
pub(crate) fn decimal(n: f64, most: i16, least: i16) -> Option<Decimal> {
    let decimal = Decimal::try_from_f64(n, FloatPrecision::RoundTrip).ok()?;
    Some(rounded(decimal, most, least))
}

fn rounded(mut decimal: Decimal, most: i16, least: i16) -> Decimal {
    let mode = SignedRoundingMode::Unsigned(UnsignedRoundingMode::HalfExpand);
    decimal.round_with_mode(-most.max(least), mode);
    decimal.trim_end();
    decimal.pad_end(-least);
    decimal
}

impl Locale {
    /// What is no number, or without end.
    fn not_finite(&self, n: f64) -> Option<String> {
        let minus = if n < 0.0 { "-" } else { "" };
        match (n.is_nan(), self.locale.id.language.as_str()) {
            (true, "ar") => Some("ليس\u{a0}رقمًا".to_owned()),
            (true, _) => Some("NaN".to_owned()),
            _ if n.is_infinite() => Some(format!("{minus}∞")),
            _ => None,
        }
    }

    pub(crate) fn number(&self, n: f64, most: Option<f64>, least: Option<f64>) -> Option<String> {
        if let Some(text) = self.not_finite(n) {
            return Some(text);
        }
        let least = least.unwrap_or(0.0) as i16;
        let most = most.map_or(3.max(least), |most| most as i16);
        let formatter = DecimalFormatter::try_new_with_buffer_provider(
            DATA.as_ref()?,
            (&self.locale).into(),
            Default::default(),
        );
        let decimal = decimal(n, most, least)?;
        Some(formatter.ok()?.format(&decimal).write_to_string().into_owned())
    }

    pub(crate) fn percent(&self, n: f64, most: Option<f64>) -> Option<String> {
        if !n.is_finite() {
            return self.not_finite(n).map(|text| format!("{text}%"));
        }
        let mut hundredfold = Decimal::try_from_f64(n, FloatPrecision::RoundTrip).ok()?;
        hundredfold.multiply_pow10(2);
        hundredfold.trim_start();
        self.hundredths(&rounded(hundredfold, most.unwrap_or(0.0) as i16, 0))
    }

    fn hundredths(&self, percent: &Decimal) -> Option<String> {
        let formatter = PercentFormatter::try_new_with_buffer_provider(
            DATA.as_ref()?,
            (&self.locale).into(),
            Default::default(),
        );
        Some(formatter.ok()?.format(percent).write_to_string().into_owned())
    }

    /// What stands before a number that is below zero.
    fn minus(&self) -> Option<String> {
        let below = self.number(-1.0, None, None)?;
        let one = self.number(1.0, None, None)?;
        below.strip_suffix(&one).map(str::to_owned)
    }

    pub(crate) fn money(&self, n: f64, currency: &str) -> Option<String> {
        let code = currency.to_ascii_uppercase();
        let digits = DIGITS.iter().find(|(known, _)| *known == code).map_or(2, |(_, n)| *n);
        let below = n < 0.0 || (n == 0.0 && n.is_sign_negative());
        let amount = decimal(n.abs(), digits, digits)?;
        let code = CurrencyCode(tinystr::TinyAsciiStr::try_from_str(&code).ok()?);
        let formatter = CurrencyFormatter::try_new_with_buffer_provider(
            DATA.as_ref()?,
            (&self.locale).into(),
            Default::default(),
        );
        let formatter = formatter.ok()?;
        let shown = formatter.format_fixed_decimal(&amount, code).write_to_string().into_owned();
        // The sign stands before the whole, whichever side the currency is on.
        let minus = if below { self.minus()? } else { String::new() };
        // What only turns the direction of writing comes before both.
        Some(match shown.strip_prefix('\u{200f}') {
            Some(rest) => format!("\u{200f}{minus}{rest}"),
            None => minus + &shown,
        })
    }

    pub(crate) fn measure(&self, n: f64, unit: &str) -> Option<String> {
        let amount = decimal(n, 3, 0)?;
        if unit == "percent" {
            return self.hundredths(&amount);
        }
        let formatter = UnitsFormatter::try_new_with_buffer_provider(
            DATA.as_ref()?,
            (&self.locale).into(),
            unit,
            Default::default(),
        )
        .ok()?;
        Some(formatter.format_fixed_decimal(&amount).write_to_string().into_owned())
    }

    pub(crate) fn ago(&self, n: f64, unit: &str) -> Option<String> {
        let amount = decimal(n, 3, 0)?;
        let (data, prefs) = (DATA.as_ref()?, (&self.locale).into());
        let options = RelativeTimeFormatterOptions::default();
        let formatter = match unit {
            "second" => RelativeTimeFormatter::try_new_long_second_with_buffer_provider(
                data, prefs, options,
            ),
            "minute" => RelativeTimeFormatter::try_new_long_minute_with_buffer_provider(
                data, prefs, options,
            ),
            "hour" => {
                RelativeTimeFormatter::try_new_long_hour_with_buffer_provider(data, prefs, options)
            }
            "day" => {
                RelativeTimeFormatter::try_new_long_day_with_buffer_provider(data, prefs, options)
            }
            "week" => {
                RelativeTimeFormatter::try_new_long_week_with_buffer_provider(data, prefs, options)
            }
            "month" => {
                RelativeTimeFormatter::try_new_long_month_with_buffer_provider(data, prefs, options)
            }
            "quarter" => RelativeTimeFormatter::try_new_long_quarter_with_buffer_provider(
                data, prefs, options,
            ),
            "year" => {
                RelativeTimeFormatter::try_new_long_year_with_buffer_provider(data, prefs, options)
            }
            _ => return None,
        };
        Some(formatter.ok()?.format(amount).write_to_string().into_owned())
    }
}
