//! The order in which people of a locale put texts, held against Chromium's.

use crate::driven::Browser;
use crate::generate::Random;
use crate::seeds::Seeds;
use serde_json::{Value as Json, json};
use vein::Ui;
use vein_script::engine;

/// Locales that differ in what they put first: accents, capitals, letters of their own, scripts, numbers in texts.
const LOCALES: [&str; 31] = [
    "en",
    "de",
    "de-u-co-phonebk",
    "de-u-kn",
    "sv",
    "da",
    "nb",
    "fr",
    "fr-CA",
    "es",
    "es-u-co-trad",
    "cs",
    "hr",
    "lt",
    "lv",
    "et",
    "hu",
    "pl",
    "tr",
    "sk",
    "ro",
    "vi",
    "el",
    "ru",
    "uk",
    "ar",
    "hi",
    "th",
    "ja",
    "ko",
    "zh",
];

/// Pieces of texts: what some locale or other treats in a way of its own.
const PIECES: [&str; 60] = [
    "a",
    "A",
    "\u{e4}",
    "a\u{308}",
    "ae",
    "\u{e6}",
    "\u{e5}",
    "aa",
    "Aa",
    "\u{e1}",
    "b",
    "B",
    "c",
    "ch",
    "Ch",
    "\u{10d}",
    "cs",
    "d",
    "dd",
    "d\u{17e}",
    "e",
    "\u{e9}",
    "\u{ea}",
    "h",
    "i",
    "I",
    "\u{131}",
    "\u{130}",
    "j",
    "l",
    "ll",
    "\u{142}",
    "lj",
    "n",
    "\u{f1}",
    "ng",
    "o",
    "\u{f6}",
    "\u{f8}",
    "\u{151}",
    "oe",
    "q",
    "s",
    "\u{df}",
    "ss",
    "\u{161}",
    "t",
    "u",
    "\u{fc}",
    "ue",
    "v",
    "w",
    "y",
    "z",
    "\u{17c}",
    "\u{e5}\u{301}",
    "\u{301}",
    "x\u{302}\u{301}",
    "R",
    "\u{17e}",
];

/// The same of other scripts, and what is no letter.
const OTHERS: [&str; 50] = [
    "",
    " ",
    "-",
    "_",
    ".",
    ",",
    "'",
    "\u{2019}",
    "(",
    "#",
    "$",
    "\u{20ac}",
    "0",
    "1",
    "2",
    "10",
    "9",
    "09",
    "\u{b2}",
    "\u{661}",
    "\u{3b1}",
    "\u{391}",
    "\u{3ac}",
    "\u{3c2}",
    "\u{3c3}",
    "\u{439}",
    "\u{438}\u{306}",
    "\u{451}",
    "\u{434}",
    "\u{491}",
    "\u{627}",
    "\u{622}",
    "\u{628}",
    "\u{915}",
    "\u{958}",
    "\u{e40}\u{e01}",
    "\u{e01}",
    "\u{304b}",
    "\u{30ab}",
    "\u{304c}",
    "\u{30fc}",
    "\u{ac00}",
    "\u{1100}\u{1161}",
    "\u{4e00}",
    "\u{4e8c}",
    "\u{963f}",
    "\u{1f600}",
    "\0",
    "\u{fffd}",
    "\u{ad}",
];

fn text(random: &mut Random) -> Vec<u16> {
    let mut units = Vec::new();
    for _ in 0..random.below(5) {
        match random.below(10) {
            0..6 => units.extend(random.pick(&PIECES).encode_utf16()),
            6..9 => units.extend(random.pick(&OTHERS).encode_utf16()),
            _ => units.push(*random.pick(&[0xd83d, 0xde00, 0xd800])),
        }
    }
    units
}

/// What the engine's own comparison gives in each locale, as numbers of one digit.
const COMPARED: &str = "
  const { units, locales } = GIVEN;
  const there = Intl.Collator.supportedLocalesOf(locales);
  if (there.length < locales.length) return [`of ${locales} there are only ${there}`];
  const texts = units.map((text) => String.fromCharCode(...text));
  return locales.map((locale) => {
    locality.locale = locale;
    return texts.map((text, at) => Math.sign(inOrder(text, texts[(at + 1) % texts.length])) + 1).join('');
  });";

pub async fn texts_stand_in_the_order_of_chromium(browser: &Browser) {
    let mut texts: Vec<Vec<u16>> = Vec::new();
    for seed in Seeds::new(3_000).and(&[]) {
        let mut random = Random::new(seed);
        let one = text(&mut random);
        // Next to it something that is nearly the same.
        let mut other = one.clone();
        let pieces = if random.below(3) == 0 { &OTHERS[..] } else { &PIECES[..] };
        let piece = *random.pick(pieces);
        let at = random.below(other.len() + 1);
        let end = (at + random.below(2)).min(other.len());
        other.splice(at..end, piece.encode_utf16());
        texts.extend([one, other]);
    }
    let used = ["inOrder", "locality"].into_iter().collect();
    let given = json!({ "units": texts, "locales": LOCALES });
    let engine = engine::text_of(&used);
    let script =
        format!("'use strict'; {engine} {}", COMPARED.replace("GIVEN", &given.to_string()));
    let Json::Array(theirs) = browser.function(&script).await else { panic!("a list of texts") };

    let ui = Ui::from_sources([(
        "an-order.vein",
        "takes texts: string[]\nderives found = texts.map((text, at) => \
         text.localeCompare(texts[(at + 1) % texts.length] ?? '') + 1).join('')\n<p>{found}</p>\n",
    )]);
    let ui = ui.unwrap_or_else(|error| panic!("{error}"));
    let values: Vec<vein::Value> = texts
        .iter()
        .map(|units| vein::Value::from(vein_plan::Text::from_units(units.clone())))
        .collect();
    let mut wrong = Vec::new();
    for (locale, theirs) in LOCALES.iter().zip(theirs) {
        let page = ui.page("an-order").locale(locale, "UTC").expect("a locale");
        let record = vein::Value::record([("texts".into(), vein::Value::list(values.clone()))]);
        let mut page = page.open_value(record).expect("texts");
        let ours = page.find("p").expect("an element").text();
        let theirs = theirs.as_str().expect("a text");
        assert_eq!((ours.len(), theirs.len()), (texts.len(), texts.len()), "{theirs}");
        for (at, (ours, theirs)) in ours.chars().zip(theirs.chars()).enumerate() {
            if ours != theirs {
                let (one, other) = (&texts[at], &texts[(at + 1) % texts.len()]);
                let [one, other] = [one, other].map(|text| String::from_utf16_lossy(text));
                // Chromium does not see that the dot of these letters stands before another accent.
                let dotted = |text: &str| text.contains(['\u{130}', '\u{17c}']);
                if *locale == "lt" && (dotted(&one) || dotted(&other)) {
                    continue;
                }
                wrong.push(format!("{locale}: {one:?} {other:?}: {ours}, not {theirs}"));
            }
        }
    }
    let few = wrong[..wrong.len().min(40)].join("\n");
    assert!(wrong.is_empty(), "{} of {} differ:\n{few}", wrong.len(), texts.len() * LOCALES.len());
}
