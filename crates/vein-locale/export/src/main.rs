//! Writes `../data/formats.postcard`, the data that `vein-locale` formats by: what it uses of all that
//! ICU4X bakes into its crates, in the form that ICU4X's own exporter gives it.
//!
//! `cargo xtask locale-data` runs this. The data is that of the Unicode CLDR release that the crates
//! `icu_*_data` of the lock file carry.

extern crate alloc;

use icu_provider::prelude::*;
use icu_provider_export::blob_exporter::BlobExporter;
use icu_provider_export::prelude::{
    DataLocaleFamily, DeduplicationStrategy, ExportDriver, LocaleFallbacker,
};
use std::collections::BTreeSet;
use std::error::Error;
use std::path::Path;

/// What there is of each kind of data that is used.
struct Baked;

/// The paths by which the macros of the data crates name the types of their data.
mod icu {
    pub use icu_calendar as calendar;
    pub use icu_collator as collator;
    pub use icu_collections as collections;
    pub use icu_datetime as datetime;
    pub use icu_decimal as decimal;
    pub use icu_experimental as experimental;
    pub use icu_list as list;
    pub use icu_locale as locale;
    pub use icu_normalizer as normalizer;
    pub use icu_plurals as plurals;
}

/// Gives [`Baked`] each kind of data by the macro of its crate, and makes an exportable provider of it.
macro_rules! bake {
    (
        for each locale { $($bake:ident => $marker:path,)+ }
        once { $($bake_once:ident => $marker_once:path,)+ }
    ) => {
        const _: () = {
            use {
                icu_calendar_data::*, icu_collator_data::*, icu_datetime_data::*, icu_decimal_data::*,
                icu_experimental_data::*, icu_list_data::*, icu_locale_data::*, icu_normalizer_data::*,
                icu_plurals_data::*,
            };
            icu_decimal_data::make_provider!(Baked);
            $($bake!(Baked, ITER);)+
            $(
                $bake_once!(Baked);
                impl icu_provider::IterableDataProvider<$marker_once> for Baked {
                    fn iter_ids(&self) -> Result<BTreeSet<DataIdentifierCow<'_>>, DataError> {
                        Ok(BTreeSet::from([DataIdentifierCow::default()]))
                    }
                }
            )+
        };
        icu_provider::export::make_exportable_provider!(Baked, [$($marker,)+ $($marker_once,)+]);
    };
}

use icu_calendar::provider as calendar;
use icu_collator::provider as collator;
use icu_datetime::provider as datetime;
use icu_datetime::provider::neo as names;
use icu_experimental::dimension::provider as dimension;
use icu_experimental::relativetime::provider as relative;
use icu_normalizer::provider as normalizer;

bake! {
    for each locale {
        // Numbers, percent, money, measures.
        impl_decimal_symbols_v1 => icu_decimal::provider::DecimalSymbolsV1,
        impl_decimal_digits_v1 => icu_decimal::provider::DecimalDigitsV1,
        impl_percent_essentials_v1 => dimension::percent::PercentEssentialsV1,
        impl_currency_essentials_v1 => dimension::currency::essentials::CurrencyEssentialsV1,
        impl_units_display_names_v1 => dimension::units::display_names::UnitsDisplayNamesV1,
        impl_plurals_cardinal_v1 => icu_plurals::provider::PluralsCardinalV1,
        // How long ago.
        impl_long_second_relative_v1 => relative::LongSecondRelativeV1,
        impl_long_minute_relative_v1 => relative::LongMinuteRelativeV1,
        impl_long_hour_relative_v1 => relative::LongHourRelativeV1,
        impl_long_day_relative_v1 => relative::LongDayRelativeV1,
        impl_long_week_relative_v1 => relative::LongWeekRelativeV1,
        impl_long_month_relative_v1 => relative::LongMonthRelativeV1,
        impl_long_quarter_relative_v1 => relative::LongQuarterRelativeV1,
        impl_long_year_relative_v1 => relative::LongYearRelativeV1,
        // Lists.
        impl_list_and_v1 => icu_list::provider::ListAndV1,
        impl_list_or_v1 => icu_list::provider::ListOrV1,
        // The order of texts.
        impl_collation_tailoring_v1 => collator::CollationTailoringV1,
        impl_collation_diacritics_v1 => collator::CollationDiacriticsV1,
        impl_collation_metadata_v1 => collator::CollationMetadataV1,
        impl_collation_reordering_v1 => collator::CollationReorderingV1,
        // Dates and times, in every calendar that a locale may ask for.
        impl_datetime_patterns_glue_v1 => names::DatetimePatternsGlueV1,
        impl_datetime_patterns_time_v1 => datetime::DatetimePatternsTimeV1,
        impl_datetime_names_weekday_v1 => names::DatetimeNamesWeekdayV1,
        impl_datetime_names_dayperiod_v1 => names::DatetimeNamesDayperiodV1,
        impl_datetime_names_year_buddhist_v1 => names::DatetimeNamesYearBuddhistV1,
        impl_datetime_names_month_buddhist_v1 => names::DatetimeNamesMonthBuddhistV1,
        impl_datetime_patterns_date_buddhist_v1 => datetime::DatetimePatternsDateBuddhistV1,
        impl_datetime_names_year_chinese_v1 => names::DatetimeNamesYearChineseV1,
        impl_datetime_names_month_chinese_v1 => names::DatetimeNamesMonthChineseV1,
        impl_datetime_patterns_date_chinese_v1 => datetime::DatetimePatternsDateChineseV1,
        impl_datetime_names_year_coptic_v1 => names::DatetimeNamesYearCopticV1,
        impl_datetime_names_month_coptic_v1 => names::DatetimeNamesMonthCopticV1,
        impl_datetime_patterns_date_coptic_v1 => datetime::DatetimePatternsDateCopticV1,
        impl_datetime_names_year_dangi_v1 => names::DatetimeNamesYearDangiV1,
        impl_datetime_names_month_dangi_v1 => names::DatetimeNamesMonthDangiV1,
        impl_datetime_patterns_date_dangi_v1 => datetime::DatetimePatternsDateDangiV1,
        impl_datetime_names_year_ethiopian_v1 => names::DatetimeNamesYearEthiopianV1,
        impl_datetime_names_month_ethiopian_v1 => names::DatetimeNamesMonthEthiopianV1,
        impl_datetime_patterns_date_ethiopian_v1 => datetime::DatetimePatternsDateEthiopianV1,
        impl_datetime_names_year_gregorian_v1 => names::DatetimeNamesYearGregorianV1,
        impl_datetime_names_month_gregorian_v1 => names::DatetimeNamesMonthGregorianV1,
        impl_datetime_patterns_date_gregorian_v1 => datetime::DatetimePatternsDateGregorianV1,
        impl_datetime_names_year_hebrew_v1 => names::DatetimeNamesYearHebrewV1,
        impl_datetime_names_month_hebrew_v1 => names::DatetimeNamesMonthHebrewV1,
        impl_datetime_patterns_date_hebrew_v1 => datetime::DatetimePatternsDateHebrewV1,
        impl_datetime_names_year_hijri_v1 => names::DatetimeNamesYearHijriV1,
        impl_datetime_names_month_hijri_v1 => names::DatetimeNamesMonthHijriV1,
        impl_datetime_patterns_date_hijri_v1 => datetime::DatetimePatternsDateHijriV1,
        impl_datetime_names_year_indian_v1 => names::DatetimeNamesYearIndianV1,
        impl_datetime_names_month_indian_v1 => names::DatetimeNamesMonthIndianV1,
        impl_datetime_patterns_date_indian_v1 => datetime::DatetimePatternsDateIndianV1,
        impl_datetime_names_year_japanese_v1 => names::DatetimeNamesYearJapaneseV1,
        impl_datetime_names_month_japanese_v1 => names::DatetimeNamesMonthJapaneseV1,
        impl_datetime_patterns_date_japanese_v1 => datetime::DatetimePatternsDateJapaneseV1,
        impl_datetime_names_year_persian_v1 => names::DatetimeNamesYearPersianV1,
        impl_datetime_names_month_persian_v1 => names::DatetimeNamesMonthPersianV1,
        impl_datetime_patterns_date_persian_v1 => datetime::DatetimePatternsDatePersianV1,
        impl_datetime_names_year_roc_v1 => names::DatetimeNamesYearRocV1,
        impl_datetime_names_month_roc_v1 => names::DatetimeNamesMonthRocV1,
        impl_datetime_patterns_date_roc_v1 => datetime::DatetimePatternsDateRocV1,
    }
    once {
        // Eras, and how one locale follows from another.
        impl_calendar_japanese_modern_v1 => calendar::CalendarJapaneseModernV1,
        impl_locale_likely_subtags_language_v1 => icu_locale::provider::LocaleLikelySubtagsLanguageV1,
        impl_locale_parents_v1 => icu_locale::provider::LocaleParentsV1,
        // The order of texts that no language has another for.
        impl_collation_root_v1 => collator::CollationRootV1,
        impl_collation_jamo_v1 => collator::CollationJamoV1,
        impl_collation_special_primaries_v1 => collator::CollationSpecialPrimariesV1,
        impl_normalizer_nfd_data_v1 => normalizer::NormalizerNfdDataV1,
        impl_normalizer_nfd_tables_v1 => normalizer::NormalizerNfdTablesV1,
    }
}

fn main() -> Result<(), Box<dyn Error>> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../data/formats.postcard");
    let mut blob = Vec::new();
    // The crates' data holds no locale that says what the one before it says: nothing is left to take out.
    let driver = ExportDriver::new(
        [DataLocaleFamily::FULL],
        DeduplicationStrategy::None.into(),
        LocaleFallbacker::new().static_to_owned(),
    );
    // Measures are written in the short form only.
    let short = |attributes: &DataMarkerAttributes| attributes.starts_with("short-");
    // Orders for searching are for something else.
    let sorts = |attributes: &DataMarkerAttributes| !attributes.starts_with("search");
    driver
        .with_marker_attributes_filter("units", short)
        .with_marker_attributes_filter("collator", sorts)
        .export(&Baked, BlobExporter::new_with_sink(Box::new(&mut blob)))?;
    std::fs::write(&path, &blob)?;
    println!("{}: {} bytes", path.display(), blob.len());
    Ok(())
}
