//! Regular expressions, held against Chromium's: whatever is taken gives the same there, and nothing is taken that it refuses.

use crate::driven::Browser;
use crate::ecmascript::written;
use crate::generate::Random;
use crate::seeds::Seeds;
use serde_json::{Value as Json, json};
use std::collections::BTreeSet;
use vein::Value;
use vein_plan::pattern::Pattern;
use vein_script::engine;

const CHARACTERS: [&str; 26] = [
    "a",
    "b",
    "B",
    "c",
    "x",
    "1",
    "7",
    "_",
    "-",
    " ",
    "\\n",
    "\\.",
    "\\/",
    "\\u0041",
    "\\u{1f600}",
    "\\ud83d\\ude00",
    "😀",
    "é",
    "É",
    "ß",
    "\\x62",
    "\\t",
    "ſ",
    "\\cJ",
    "\\0",
    "K",
];

const CLASSES: [&str; 12] = [
    "\\d",
    "\\D",
    "\\w",
    "\\W",
    "\\s",
    "\\S",
    "\\p{L}",
    "\\P{L}",
    "\\p{Lu}",
    "\\p{Script=Greek}",
    ".",
    "[^]",
];

const TIMES: [&str; 12] =
    ["*", "+", "?", "{2}", "{0,2}", "{1,}", "*?", "+?", "??", "{2,1}", "{", "{0}"];

/// What a text is made of: what the expressions are about, line ends, other white space, and halves of surrogate pairs.
const PIECES: [&str; 30] = [
    "a", "b", "A", "B", "c", "x", "1", "7", "12", "_", "-", " ", "\n", "\r", "\u{2028}", "\u{a0}",
    "\u{feff}", ".", "/", "😀", "é", "É", "ß", "ſ", "K", "σ", "Σ", "\0", "ab", "\t",
];

const OTHERS: [&str; 16] = [
    "", "-", "[$&]", "$1", "$2$1", "$`", "$'", "$$", "$01", "$10", "$<n>", "$<m>", "$<", "$0",
    "x$", "😀$3",
];

fn source(random: &mut Random, depth: usize) -> String {
    let mut all = String::new();
    for _ in 0..random.below(if depth == 0 { 3 } else { 4 }) {
        let piece = match random.below(14) {
            0..6 => (*random.pick(&CHARACTERS)).to_owned(),
            6 | 7 => (*random.pick(&CLASSES)).to_owned(),
            8 => (*random.pick(&["^", "$", "\\b", "\\B"])).to_owned(),
            9 | 10 => class(random),
            _ if depth == 0 => "a".to_owned(),
            11 => format!("(?:{})", source(random, depth - 1)),
            12 => {
                let begins = *random.pick(&["(", "(", "(?<n>", "(?=", "(?<!", "(?"]);
                format!("{begins}{})", source(random, depth - 1))
            }
            _ => format!("{}|{}", source(random, depth - 1), source(random, depth - 1)),
        };
        all += &piece;
        if random.below(3) == 0 {
            all += *random.pick(&TIMES);
        }
    }
    all
}

fn class(random: &mut Random) -> String {
    let mut inside = String::new();
    for _ in 0..random.below(4) {
        inside += &match random.below(5) {
            0 => (*random
                .pick(&["a-c", "0-7", "A-Z", "b-a", "é-ß", "-", "\\-", "\\]", "^", "\\b"]))
            .to_owned(),
            1 => (*random.pick(&CLASSES[..10])).to_owned(),
            _ => (*random.pick(&CHARACTERS)).to_owned(),
        };
    }
    format!("[{}{inside}]", random.pick(&["", "", "^"]))
}

fn text(random: &mut Random) -> Vec<u16> {
    let mut units = Vec::new();
    for _ in 0..random.below(8) {
        match random.below(14) {
            0 => units.push(*random.pick(&[0xd83d, 0xde00])),
            _ => units.extend(random.pick(&PIECES).encode_utf16()),
        }
    }
    units
}

/// All that a regular expression makes of a text.
const MADE: &str = r#"
  const written = (value) => {
    if (value === null) return 'null';
    if (Array.isArray(value)) return `[${value.map(written).join()}]`;
    return typeof value === 'string' ? JSON.stringify(value) : String(value);
  };
  return cases.map(({ source, flags, is, texts }) => {
    try { new RegExp(source, `${flags}u`); } catch { return 'refused'; }
    if (!is) return 'none';
    return texts.map(([units, by, most]) => {
      const text = String.fromCharCode(...units);
      return [
        testBy(text, source, flags), searchBy(text, source, flags), firstBy(text, source, flags), allBy(text, source, flags),
        replaceBy(text, source, flags, by), replaceAllBy(text, source, flags, by), splitBy(text, source, flags),
        splitBy(text, source, flags, most),
      ].map(written);
    });
  });
"#;

pub async fn what_is_found_is_what_chromium_finds(browser: &Browser) {
    let seeds = Seeds::new(40);
    let (mut all, mut taken, mut found) = (0, 0, 0);
    for seed in seeds.and(&[]) {
        let mut random = Random::new(seed);
        let (mut cases, mut ours) = (Vec::new(), Vec::new());
        for _ in 0..150 {
            let (source, flags) = (source(&mut random, 2), *random.pick(&["", "", "i", "s", "is"]));
            let pattern = Pattern::new(&source, flags).ok().filter(|_| !source.is_empty());
            // The two letters that are others' second forms count as letters of words there (`docs/language.md`).
            let plain = |c: &u16| !matches!(c, 0x17f | 0x212a);
            let words = flags.contains('i') && source.to_lowercase().contains("\\b");
            let drawn = |random: &mut Random| {
                let mut text = text(random);
                text.retain(|c| !words || plain(c));
                text
            };
            let texts: Vec<(Vec<u16>, &str, usize)> = (0..3)
                .map(|_| (drawn(&mut random), *random.pick(&OTHERS), random.below(4)))
                .collect();
            cases.push(json!({ "source": source, "flags": flags, "is": pattern.is_some(), "texts": texts }));
            ours.push(pattern.map(|pattern| {
                let each = texts.iter().map(|(units, by, most)| {
                    let text = vein_plan::Text::from_units(units.clone());
                    let by = (*by).into();
                    let values: [Value; 8] = [
                        pattern.test(&text).into(),
                        pattern.search(&text).into(),
                        pattern.first(&text),
                        pattern.all(&text),
                        pattern.replace(&text, &by, false).into(),
                        pattern.replace(&text, &by, true).into(),
                        pattern.split(&text, usize::MAX),
                        pattern.split(&text, *most),
                    ];
                    found += usize::from(values[0].truthy());
                    json!(values.each_ref().map(written))
                });
                Json::Array(each.collect())
            }));
        }
        let used: BTreeSet<&str> =
            ["testBy", "searchBy", "firstBy", "allBy", "replaceBy", "replaceAllBy", "splitBy"]
                .into();
        let script = format!("{} const cases = {}; {MADE}", engine::text_of(&used), json!(cases));
        let theirs = browser.function(&script).await;
        for (at, ours) in ours.iter().enumerate() {
            let (case, theirs) = (&cases[at], &theirs[at]);
            all += 1;
            match ours {
                Some(ours) => {
                    taken += 1;
                    assert_eq!(ours, theirs, "seed {seed}: {case}");
                }
                None => assert!(theirs == "refused" || theirs == "none", "seed {seed}: {case}"),
            }
        }
    }
    // The generator has to reach what it is for.
    assert!(
        taken * 5 > all && found * 5 > taken,
        "{taken} of {all} were taken, {found} times something was found"
    );
}
