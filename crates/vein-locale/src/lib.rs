//! Formatting for people: what the functions of `Local` give in a locale and a time zone, and the order in which people of
//! the locale put texts.
//!
//! The results are those of ECMAScript's `Intl` (ECMA-402), worked out by ICU4X.
//!
//! ```
//! use vein_locale::Locale;
//! use vein_plan::{Formats, members::Member, Value};
//! let german = Locale::new("de", "Europe/Berlin")?;
//! let shown = german.format(Member::LocalMoney, &[Value::from(1234.5), Value::from("EUR")]);
//! assert_eq!(shown.to_string(), "1.234,50\u{a0}€");
//! # Ok::<(), vein_locale::UnknownLocale>(())
//! ```

mod date;
mod number;

use icu_collator::{Collator, options::CollatorOptions};
use icu_list::{ListFormatter, options::ListFormatterOptions};
use icu_locale::LocaleFallbacker;
use icu_plurals::{PluralCategory, PluralRules};
use icu_provider_adapters::fallback::LocaleFallbackProvider;
use icu_provider_blob::BlobDataProvider;
use jiff::tz::TimeZone;
use std::cmp::Ordering;
use std::sync::{LazyLock, OnceLock};
use vein_plan::members::Member;
use vein_plan::{Formats, Text, Value};
use writeable::Writeable;

/// What is used of the Unicode CLDR, as `export/` has written it, with the order in which one locale
/// follows from another. `None` is for data that cannot be read, which the tests rule out.
static DATA: LazyLock<Option<LocaleFallbackProvider<BlobDataProvider>>> = LazyLock::new(|| {
    let bytes = include_bytes!("../data/formats.postcard");
    let data = BlobDataProvider::try_new_from_static_blob(bytes).ok()?;
    let order = LocaleFallbacker::try_new_with_buffer_provider(&data).ok()?;
    Some(LocaleFallbackProvider::new(data, order))
});

/// A language with its customs, and a time zone.
#[derive(Debug)]
pub struct Locale {
    locale: icu_locale::Locale,
    zone: TimeZone,
    /// What puts texts in order, once it was needed; `None` for data that cannot be read.
    collator: OnceLock<Option<Collator>>,
}

/// Why there is no such locale or time zone.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum UnknownLocale {
    /// What is no language tag (BCP 47).
    Tag(String),
    /// What is no time zone of the IANA database.
    Zone(String),
}

impl std::fmt::Display for UnknownLocale {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            UnknownLocale::Tag(tag) => {
                write!(f, "`{tag}` is no language tag: write one such as `en`, `de-AT` or `ja`")
            }
            UnknownLocale::Zone(zone) => {
                write!(f, "`{zone}` is no time zone: write one such as `UTC` or `Europe/Berlin`")
            }
        }
    }
}

impl std::error::Error for UnknownLocale {}

impl Locale {
    /// A locale by its language tag (BCP 47), with a time zone by its name in the IANA database. A
    /// language that nothing is known of formats as the root locale does.
    ///
    /// # Errors
    /// What is no tag, or no zone.
    pub fn new(tag: &str, zone: &str) -> Result<Locale, UnknownLocale> {
        let locale =
            icu_locale::Locale::try_from_str(tag).map_err(|_| UnknownLocale::Tag(tag.into()))?;
        let zone = TimeZone::get(zone).map_err(|_| UnknownLocale::Zone(zone.into()))?;
        Ok(Locale { locale, zone, collator: OnceLock::new() })
    }

    fn list(&self, items: &[Value], or: bool) -> Option<String> {
        let options = ListFormatterOptions::default();
        let (data, prefs) = (DATA.as_ref()?, (&self.locale).into());
        let formatter = match or {
            true => ListFormatter::try_new_or_with_buffer_provider(data, prefs, options),
            false => ListFormatter::try_new_and_with_buffer_provider(data, prefs, options),
        };
        let items: Vec<String> = items.iter().map(|item| item.to_text().to_string()).collect();
        Some(formatter.ok()?.format(items.iter()).write_to_string().into_owned())
    }

    fn collator(&self) -> Option<&Collator> {
        let made = || {
            let options = CollatorOptions::default();
            Collator::try_new_with_buffer_provider(DATA.as_ref()?, (&self.locale).into(), options)
                .ok()
        };
        self.collator.get_or_init(made).as_ref()
    }

    fn plural(&self, n: f64) -> Option<&'static str> {
        let rules = PluralRules::try_new_cardinal_with_buffer_provider(
            DATA.as_ref()?,
            (&self.locale).into(),
        );
        let decimal = number::decimal(n.abs(), 3, 0)?;
        Some(match rules.ok()?.category_for(&decimal) {
            PluralCategory::Zero => "zero",
            PluralCategory::One => "one",
            PluralCategory::Two => "two",
            PluralCategory::Few => "few",
            PluralCategory::Many => "many",
            PluralCategory::Other => "other",
        })
    }
}

impl Formats for Locale {
    fn format(&self, member: Member, args: &[Value]) -> Text {
        let number = |at: usize| args.get(at).map_or(f64::NAN, Value::to_number);
        let digits = |at: usize| args.get(at).map(|value| value.to_number().clamp(0.0, 100.0));
        let word = |at: usize, or: &str| match args.get(at) {
            Some(Value::String(text)) => text.to_string(),
            _ => or.to_owned(),
        };
        let n = number(0);
        let shown = match member {
            Member::LocalNumber => self.number(n, digits(1), digits(2)),
            Member::LocalPercent => self.percent(n, digits(1)),
            Member::LocalMoney => self.money(n, &word(1, "")),
            Member::LocalMeasure => self.measure(n, &word(1, "")),
            Member::LocalAgo => self.ago(n, &word(1, "")),
            Member::LocalDate => self.date(n, &word(1, "medium")),
            Member::LocalTime => self.time(n, &word(1, "medium")),
            Member::LocalDateTime => self.date_time(n, &word(1, "medium")),
            Member::LocalPlural => self.plural(n).map(str::to_owned),
            Member::LocalList => match args.first() {
                Some(Value::List(items)) => self.list(items, word(1, "and") == "or"),
                _ => None,
            },
            _ => None,
        };
        // What cannot be said in the locale is said plainly.
        shown.map_or_else(|| args.first().map_or(Text::from(""), Value::to_text), Text::from)
    }

    fn compare(&self, a: &Text, b: &Text) -> Ordering {
        match self.collator() {
            Some(collator) => collator.as_borrowed().compare(&a.to_utf8(), &b.to_utf8()),
            None => a.compare(b),
        }
    }
}
