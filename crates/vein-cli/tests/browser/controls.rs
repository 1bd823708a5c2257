//! Controls in memory are what they are in Chromium.

use crate::driven::Browser;
use serde_json::{Value as Json, json};
use tempfile::TempDir;
use vein::{Act, Ui};
use vein_cli::trial::serve_files;

/// Controls, as they are written; what is set goes into `value`.
const CONTROLS: &[&str] = &[
    "<input C>",
    "<input type='text' C>",
    "<input type='search' C>",
    "<input type='tel' C>",
    "<input type='url' C>",
    "<input type='email' C>",
    "<input type='email' multiple C>",
    "<input type='password' C>",
    "<input type='hidden' C>",
    "<input type='number' C>",
    "<input type='number' min='2' max='9' step='3' C>",
    "<input type='date' C>",
    "<input type='month' C>",
    "<input type='week' C>",
    "<input type='time' C>",
    "<input type='datetime-local' C>",
    "<input type='color' C>",
    "<input type='range' C>",
    "<input type='range' min='-10' max='10' C>",
    "<input type='range' min='3' max='20' step='5' C>",
    "<input type='range' min='0' max='1' step='0.1' C>",
    "<input type='range' min='9' max='4' C>",
    "<input type='range' step='any' max='8' C>",
    "<input type='range' min='0.5' C>",
    "<input type='checkbox' C>",
    "<input type='radio' C>",
    "<input type='submit' C>",
    "<input type='button' C>",
    "<input type='reset' C>",
    "<textarea C></textarea>",
    "<select C><option>a</option><option value='2.5'>b</option><option> c  d\n</option>\
     <option value=''>e</option></select>",
    "<select C><option disabled>a</option><optgroup disabled><option>g</option></optgroup>\
     <option value='  x '>b</option></select>",
    "<select size='3' C><option>a</option><option>2026-05-04</option></select>",
];

const TEXTS: &[&str] = &[
    "",
    " ",
    "a",
    " a b ",
    "a\nb",
    "a\r\nb",
    "\ta\u{c}",
    "😀",
    "ä,b , c",
    "a@b.example",
    " a@b.example,\nc ",
    "http://a.example/ ",
    "0",
    "-0",
    "1",
    "2.5",
    "2.50",
    "02",
    "-2",
    "+2",
    ".5",
    "-.5",
    "5.",
    "1e3",
    "1E-3",
    "1e+2",
    "1e",
    "e1",
    "1e400",
    "-1e400",
    "1,5",
    "0x10",
    "Infinity",
    "NaN",
    "--1",
    "1 ",
    " 1",
    "9",
    "10",
    "11",
    "49.5",
    "50",
    "100",
    "100.5",
    "101",
    "7.4999",
    "7.5",
    "0.25",
    "0.3",
    "-10.5",
    "1e-7",
    "999999999999999999999",
    "#000000",
    "#ABCDEF",
    "#abc",
    "#12345",
    "#gggggg",
    "red",
    " #ffffff",
    "#ffffff80",
    "2026-05-04",
    "2026-5-4",
    "2026-02-29",
    "2024-02-29",
    "1900-02-29",
    "2000-02-29",
    "0000-01-01",
    "0001-01-01",
    "275760-09-13",
    "275760-09-14",
    "12026-01-31",
    "2026-13-01",
    "2026-00-10",
    "2026-04-31",
    "2026-05",
    "2026-5",
    "275760-10",
    "2026-W01",
    "2026-W53",
    "2025-W53",
    "2020-W53",
    "2026-W00",
    "2026-w10",
    "2026-W5",
    "12:30",
    "24:00",
    "23:59:59",
    "12:30:00",
    "12:30:15.5",
    "12:30:15.000",
    "12:30:15.1234",
    "12:60",
    "1:30",
    "12:30:60",
    "12:30:05.050",
    "2026-05-04T12:30",
    "2026-05-04 12:30",
    "2026-05-04T12:30:00",
    "2026-05-04T12:30:15.100",
    "2026-05-04t12:30",
    "2026-05-04T12:30Z",
    "2026-02-30T12:30",
    "c d",
    " c  d\n",
    "b",
    "g",
    "x",
    "  x ",
    "on",
];

/// Sets each text on a new control of each kind, and says what it gives.
const GIVEN: &str = r#"
  const [texts] = arguments;
  return [...document.querySelectorAll('p')].map((place) => texts.map((text) => {
    const control = place.firstChild.cloneNode(true);
    control.value = text;
    return control.value;
  }));
"#;

/// Opens a page that has each control in a paragraph of its own.
async fn shown(browser: &Browser, controls: &[&str]) -> TempDir {
    let dir = TempDir::new().expect("a folder");
    let each = controls.iter().map(|control| format!("<p>{}</p>", control.replace(" C", "")));
    let page = format!(
        "<!doctype html><meta charset='utf-8'><title>c</title>{}",
        each.collect::<String>()
    );
    std::fs::write(dir.path().join("index.html"), page).expect("a file");
    let origin = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&format!("{origin}/index.html")).await.expect("a page");
    dir
}

pub async fn what_is_set_is_what_chromium_makes_of_it(browser: &Browser) {
    let _dir = shown(browser, CONTROLS).await;
    let theirs = browser.client.execute(GIVEN, vec![json!(TEXTS)]).await;
    let theirs: Vec<Vec<String>> = serde_json::from_value(theirs.expect("it runs")).expect("texts");
    let mut wrong = Vec::new();
    let mut cases = 0;
    for (control, theirs) in CONTROLS.iter().zip(theirs) {
        let text = format!("holds v = ''\n{}\n", control.replace(" C>", " value='<- v'>"));
        let ui = Ui::from_sources([("test-bed.vein", text.as_str())]).expect("a component");
        let mut page = ui.page("test-bed").open(()).expect("no data");
        for (text, theirs) in TEXTS.iter().zip(theirs) {
            // A new control each time: what it held before must not matter.
            page.set("v", Json::from(*text)).expect("state");
            let ours = page.find("input, textarea, select").expect("a control").value();
            cases += 1;
            if ours.as_deref() != Some(theirs.as_str()) {
                wrong.push(format!("{control} {text:?}: {ours:?} here, {theirs:?} there"));
            }
        }
    }
    assert!(wrong.is_empty(), "{} of {cases} differ:\n{}", wrong.len(), wrong.join("\n"));
    assert!(cases >= 3500, "{cases} cases");
}

/// Controls that are typed into, key by key.
const TYPED_INTO: &[&str] = &[
    "<input type='text' C>",
    "<input type='text' maxlength='4' C>",
    "<input type='search' C>",
    "<input type='tel' C>",
    "<input type='url' C>",
    "<input type='email' C>",
    "<input type='password' C>",
    "<input type='number' C>",
    "<input type='number' step='any' min='-5' C>",
    "<textarea C></textarea>",
    "<textarea maxlength='3' C></textarea>",
];

/// What is typed; `<` is the Backspace key.
const TYPED: &[&str] = &[
    "2",
    "2.5",
    "2.50",
    "-2.5",
    "-",
    "-.",
    ".5",
    "5.",
    "5.<",
    "1e5",
    "1e",
    "e",
    "1e-3",
    "--1",
    "1-",
    "1.2.3",
    "0.0",
    "-0",
    "007",
    "+3",
    "3+",
    "2.5<<<",
    "12<<<",
    "1e5<<",
    "1,5",
    " 1",
    "a b",
    "kale ",
    " kale",
    "ä😀",
    "a@b.example",
    "abcdef",
    "ab<<<cd",
    "x y z",
    "1 2",
    "99999",
    "1e400",
    "1e1.5",
    "5.e1",
    "+-3",
    "-+3",
    ".",
    "+",
    "+.5",
    "1e+5",
    "1+1",
    "5.e",
    "1.E1e",
];

/// Notes what each control gives after each key.
const NOTE: &str = r#"
  for (const control of document.querySelectorAll('p > *')) {
    control.log = [];
    control.addEventListener('input', () => control.log.push(control.value));
  }
"#;

const NOTED: &str = r#"
  const control = document.querySelectorAll('p > *')[arguments[0]];
  const { log, value } = control;
  control.value = '';
  control.log = [];
  return [...log, value];
"#;

pub async fn what_is_typed_is_what_chromium_takes(browser: &Browser) {
    let _dir = shown(browser, TYPED_INTO).await;
    browser.run(NOTE).await;
    let mut wrong = Vec::new();
    let mut cases = 0;
    for (at, control) in TYPED_INTO.iter().enumerate() {
        let text = format!(
            "holds log: string[] = []\n{}\n",
            control.replace(" C>", " input='-> log.push(event.value)'>")
        );
        let ui = Ui::from_sources([("test-bed.vein", text.as_str())]).expect("a component");
        for typed in TYPED {
            let place = browser.client.find(&format!("p:nth-of-type({}) > *", at + 1)).await;
            let place = place.expect("a control");
            place.send_keys(&typed.replace('<', "\u{e003}")).await.expect("keys");
            let theirs = browser.client.execute(NOTED, vec![json!(at)]).await.expect("a log");
            let theirs: Vec<String> = serde_json::from_value(theirs).expect("texts");
            let mut page = ui.page("test-bed").open(()).expect("no data");
            for key in typed.chars() {
                let key = if key == '<' { "Backspace".to_owned() } else { key.to_string() };
                page.act("input, textarea", &Act::Press(key)).expect("a key");
            }
            let mut ours: Vec<String> = page.get("log").expect("a log");
            ours.push(page.find("input, textarea").expect("a control").value().unwrap_or_default());
            cases += 1;
            if ours != theirs {
                wrong.push(format!("{control} {typed:?}: {ours:?} here, {theirs:?} there"));
            }
        }
    }
    assert!(wrong.is_empty(), "{} of {cases} differ:\n{}", wrong.len(), wrong.join("\n"));
}
