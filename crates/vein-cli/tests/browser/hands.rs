//! What a person does with controls comes to the same in memory and in Chromium: what they hold, whether it is
//! valid, what is selected, where the focus is, which events there are and in which order.

use crate::driven::Browser;
use serde_json::{Value as Json, json};
use std::collections::BTreeMap;
use tempfile::TempDir;
use vein::{Act, Page, Ui, Validity};
use vein_cli::trial::{PASTE, press_all, serve_files};

/// Something that a person does.
#[derive(Clone, Debug)]
enum Doing {
    Press(&'static str),
    Click(&'static str),
    Paste(&'static str),
}

/// Elements with what is done to them. All that counts has an `id`; the first thing that happens is that the
/// focus comes to `#a`, by the Tab key or by a script.
struct Scene {
    markup: String,
    by_tab: bool,
    does: Vec<Doing>,
}

/// The events that are listened to. Those of the second list come a little later in a browser: their place among
/// the others is not looked at.
const EVENTS: &[&str] = &[
    "focus",
    "blur",
    "focusin",
    "focusout",
    "keydown",
    "keypress",
    "keyup",
    "beforeinput",
    "input",
    "change",
    "click",
    "dblclick",
    "mousedown",
    "mouseup",
    "pointerdown",
    "pointerup",
    "reset",
    "submit",
    "invalid",
    "paste",
    "copy",
    "cut",
];
const LATE: &[&str] = &["toggle", "select", "close"];

const FIELDS: &[(&str, &[&str])] = &[
    ("<input id='a' value='V'>", &["", "kale", "a b", "ä😀x"]),
    ("<input id='a' type='search' value='V'>", &["", "pea"]),
    ("<input id='a' type='email' value='V'>", &["a@b.example", "a b"]),
    ("<input id='a' type='url' value='V'>", &["https://a.example/", "x"]),
    ("<input id='a' type='tel' value='V' required>", &["", "12"]),
    ("<input id='a' type='password' value='V' minlength='3'>", &["", "kale"]),
    ("<input id='a' value='V' maxlength='4'>", &["kale", "pe"]),
    ("<input id='a' value='V' readonly>", &["kale"]),
    ("<input id='a' type='number' value='V'>", &["", "12", "-2.5"]),
    (
        "<input id='a' type='number' value='V' min='1' max='9' step='3' required>",
        &["", "4", "5", "20"],
    ),
    ("<input id='a' type='number' value='V' step='any' min='0.25' max='1.25'>", &["0.5", "1"]),
    ("<textarea id='a'>V</textarea>", &["", "kale"]),
    ("<textarea id='a' maxlength='5' minlength='3' required>V</textarea>", &["kale"]),
];

const KEYS: &[&[&str]] = &[
    &["x"],
    &["7"],
    &["Home", "7"],
    &["End", "7"],
    &["End", "x", "y"],
    &["ArrowRight", "x"],
    &["ArrowRight", "ArrowRight", "5"],
    &["End", "ArrowLeft", "5"],
    &["End", "ArrowLeft", "Backspace"],
    &["Home", "Delete"],
    &["End", "Delete"],
    &["End", "Backspace", "Backspace"],
    &["Home", "Backspace"],
    &["Shift+ArrowRight", "1"],
    &["Shift+End", "Delete"],
    &["End", "Shift+ArrowLeft", "Shift+ArrowLeft", "Delete"],
    &["End", "Shift+Home", "ArrowLeft", "3"],
    &["End", "Shift+Home", "ArrowRight", "3"],
    &["End", "Shift+ArrowLeft", "Shift+ArrowRight", "3"],
    &["Control+a", "Backspace"],
    &["Control+a", "4"],
    &["Control+a", "e"],
    &["Control+a", "Control+c", "End", "Control+v"],
    &["Control+a", "Control+x", "Control+v", "Control+v"],
    &["ArrowUp", "1"],
    &["ArrowDown", "1"],
    &["PageUp", "1"],
    &["PageDown"],
    &["Escape"],
    &["Escape", "Tab"],
    &["Enter"],
    &["End", "6", "Enter"],
    &["Tab"],
    &["End", "6", "Tab"],
    &["Shift+Tab"],
    &["End", "6", "Backspace", "Tab"],
    &["-", "."],
    &["End", ".", "5"],
    &["Control+End", "1"],
    &["Control+Home", "1"],
    &[" "],
    &["End", " ", "Tab"],
    &["ArrowDown", "ArrowDown", "Tab"],
    &["ArrowUp", "ArrowUp", "Enter"],
    &["Shift+Tab", "Control+a", "Control+c", "Tab", "End", "Control+v"],
    &["Shift+Tab", "Control+a", "Control+c", "Tab", "Control+v", "Tab"],
];

const FRAMES: &[&str] = &[
    "<button>1</button><button>2</button><input id='y' value='p 7'>C<button id='z' type='button'>z</button>\
     <button>3</button><button>4</button>",
    "<button>1</button><button>2</button><form id='f'><input id='y' value='p 7'>C<button id='z'>z</button></form>\
     <button>3</button><button>4</button>",
];

/// Controls that are not typed into, with what is done to them.
const OTHERS: &[(&str, &[&str])] = &[
    ("<input id='a' type='checkbox'><input id='b' type='checkbox' checked>", &["#a", "#b"]),
    ("<input id='a' type='checkbox' required>", &["#a"]),
    ("<input id='g' type='checkbox' disabled><input id='a'><input id='b'>", &["#b"]),
    (
        "<input id='a' type='radio' name='g' value='1'><input id='b' type='radio' name='g' checked>\
         <input id='c' type='radio' name='g' disabled><input id='d' type='radio' name='g'>",
        &["#a", "#b", "#d"],
    ),
    (
        "<input id='a' type='radio' name='g' required><input id='b' type='radio' name='g'>",
        &["#a", "#b"],
    ),
    (
        "<label id='l'>a label with so long a text <input id='a' type='checkbox'></label>",
        &["#l", "#a"],
    ),
    ("<label id='l' for='b'>l</label><input id='a'><input id='b' type='checkbox'>", &["#l"]),
    (
        "<select id='a'><option>ab</option><option selected>bc</option><option disabled>bd</option>\
         <option value='7'>be</option><option>c</option></select>",
        &[],
    ),
    ("<select id='a' required><option value=''>none</option><option>x</option></select>", &[]),
    (
        "<select id='a' size='4'><option>ab</option><option>bc</option><optgroup disabled><option>bd</option>\
         </optgroup><option>be</option></select>",
        &[],
    ),
    ("<input id='a' type='range' value='50' min='1' step='3' max='90'>", &[]),
    ("<input id='a' type='range' step='any'>", &[]),
    ("<input id='a' type='range' min='-1' max='1' step='0.5'>", &[]),
    ("<input id='a' type='date' value='2026-05-04' min='2026-05-05'>", &[]),
    ("<input id='a' type='color' value='#ff0000'>", &[]),
    ("<button id='a'>a</button><button id='b' type='reset'>b</button>", &["#a", "#b"]),
    ("<button id='g' disabled>a</button><input id='a' value='v'>", &[]),
    ("<input id='a' type='submit'><input id='b' type='button' value='b'>", &["#a", "#b"]),
    ("<a id='a' href='#there'>a</a>", &["#a"]),
    (
        "<details id='d'><summary id='a'>s</summary><input id='b'></details><input id='c'>",
        &["#a", "#c"],
    ),
    ("<details id='d' open><summary id='a'>s</summary><input id='b'></details>", &["#a"]),
    ("<fieldset id='g' disabled><input id='b'></fieldset><input id='a'>", &["#a"]),
    ("<p id='a' tabindex='0'>p</p><p id='b' tabindex='-1'>q</p><input id='c'>", &["#a", "#b"]),
];

/// A dialog that its form closes. What has the focus in it loses that a little later.
const DIALOG: &str = "<input id='y'><dialog id='g' open><form method='dialog' id='h'><input id='b' required value='v'>\
     <button id='a'>a</button></form></dialog>";
const DIALOG_DOES: &[Doing] = &[Doing::Press(" "), Doing::Press("Enter"), Doing::Click("#a")];

const OTHER_KEYS: &[&[&str]] = &[
    &[" "],
    &[" ", " "],
    &["Enter"],
    &["ArrowDown"],
    &["ArrowUp"],
    &["ArrowLeft", "ArrowLeft"],
    &["ArrowRight", "ArrowRight", "ArrowRight"],
    &["ArrowDown", " "],
    &["Home"],
    &["End"],
    &["End", "ArrowUp"],
    &["PageUp"],
    &["PageDown", "PageDown"],
    &["b"],
    &["b", "b"],
    &["x"],
    &["Escape"],
    &["Tab"],
    &["Tab", "Tab"],
    &["Tab", " ", "Tab"],
    &["Shift+Tab"],
    &["ArrowDown", "Tab"],
    &["Tab", "Shift+Tab", " "],
];

/// Forms that are reset, sent and held back, with fields outside them and others inside.
const FORMS: &[&str] = &[
    "<form id='f'><input id='a' value='kale'><input id='b' type='checkbox' checked>\
     <select id='c'><option>x</option><option selected>y</option></select><textarea id='d'>t</textarea>\
     <button id='r' type='reset'>r</button><button id='s'>s</button></form>",
    "<form id='f'><input id='a' required><button id='r' type='reset'>r</button><button id='s'>s</button></form>",
    "<form id='f'><input id='a' type='email'><button id='r' type='reset'>r</button>\
     <button id='s' formnovalidate>s</button></form>",
    "<form id='f'></form><input id='a' form='f' value='1' type='number' max='5'>\
     <button id='r' type='reset' form='f'>r</button><button id='s' form='f'>s</button>",
    "<form id='f' novalidate><input id='a' required><input id='r' type='reset'><input id='s' type='submit'></form>",
    "<form id='f'><input id='a'><input id='b'><button id='r' type='button'>r</button>\
     <button id='s' disabled>s</button></form>",
];

const FORM_DOES: &[&[Doing]] = &[
    &[Doing::Press("x"), Doing::Click("#r")],
    &[Doing::Press("x"), Doing::Click("#s")],
    &[Doing::Press("9"), Doing::Press("Enter")],
    &[Doing::Click("#s")],
    &[Doing::Press("Enter")],
    &[Doing::Press("x"), Doing::Click("#r"), Doing::Click("#s")],
    &[Doing::Press("1"), Doing::Press("Tab"), Doing::Press(" "), Doing::Click("#r")],
    &[Doing::Paste("a b"), Doing::Click("#r")],
    &[Doing::Paste("7\n8"), Doing::Press("Tab")],
    &[Doing::Press("Control+a"), Doing::Paste("12e"), Doing::Press("Enter")],
];

fn press(keys: &[&'static str]) -> Vec<Doing> {
    keys.iter().copied().map(Doing::Press).collect()
}

/// What is typed into fields.
fn typed() -> Vec<Scene> {
    let mut scenes = Vec::new();
    for (at, (field, values)) in FIELDS.iter().enumerate() {
        for (nth, value) in values.iter().enumerate() {
            for (number, keys) in KEYS.iter().enumerate() {
                // Every way to arrive with every key, and every frame with every field.
                let by_tab = (at + nth + number).is_multiple_of(2);
                let frame = FRAMES[(at + number / 2).is_multiple_of(3) as usize];
                let markup = frame.replace('C', &field.replace('V', value));
                scenes.push(Scene { markup, by_tab, does: press(keys) });
            }
        }
    }
    scenes
}

/// What is done to other controls, and to forms.
fn others() -> Vec<Scene> {
    let mut scenes = Vec::new();
    for frame in FRAMES {
        for (other, clicks) in OTHERS {
            let markup = frame.replace('C', other);
            for keys in OTHER_KEYS {
                scenes.push(Scene { markup: markup.clone(), by_tab: false, does: press(keys) });
            }
            for click in *clicks {
                for then in [None, Some(" "), Some("Tab")] {
                    let does = std::iter::once(Doing::Click(click)).chain(then.map(Doing::Press));
                    scenes.push(Scene {
                        markup: markup.clone(),
                        by_tab: false,
                        does: does.collect(),
                    });
                }
                let twice = vec![Doing::Click(click), Doing::Click(click)];
                scenes.push(Scene { markup: markup.clone(), by_tab: true, does: twice });
            }
        }
    }
    for does in DIALOG_DOES {
        scenes.push(Scene { markup: DIALOG.into(), by_tab: false, does: vec![does.clone()] });
    }
    for form in FORMS {
        for does in FORM_DOES {
            scenes.push(Scene { markup: (*form).into(), by_tab: false, does: does.to_vec() });
        }
    }
    scenes
}

/// Puts a scene into the page, gives the focus, and notes events from then on.
const SET_UP: &str = r#"
  const [markup, byTab, done] = arguments;
  document.activeElement.blur();
  document.body.innerHTML = markup;
  for (const form of document.forms) {
    form.onsubmit = (event) => {
      if (form.method !== 'dialog') event.preventDefault();
    };
  }
  document.getElementById(byTab && document.getElementById('y') ? 'y' : 'a').focus();
  const begin = () => {
    window.log = [];
    done(true);
  };
  // What stands open from the beginning tells of it a little later.
  if (markup.includes('<details')) setTimeout(() => requestAnimationFrame(() => setTimeout(begin)));
  else begin();
"#;

const LISTEN: &str = r#"
  for (const kind of arguments[0]) {
    document.addEventListener(kind, ({ target }) => target.id && window.log.push(`${kind} ${target.id}`), true);
  }
"#;

/// Gives what a scene has come to, once all that comes late has.
const OUTCOME: &str = r#"
  const done = arguments[0];
  setTimeout(() => requestAnimationFrame(() => setTimeout(() => {
    const controls = {};
    for (const it of document.querySelectorAll('[id]')) {
      const said = { value: null, checked: null, open: null, selection: null, valid: null };
      if (it.matches('input, textarea, select')) {
        said.value = it.value;
        said.valid = it.validity.valid || !it.willValidate;
      }
      if (it.matches('[type=checkbox], [type=radio]')) said.checked = it.checked;
      if (it.matches('details, dialog')) said.open = it.open;
      if (it.matches('textarea') || (it.matches('input') && it.selectionStart !== null)) {
        said.selection = [it.selectionStart, it.selectionEnd];
      }
      controls[it.id] = said;
    }
    done({ log: window.log, controls, focus: document.activeElement.id });
  })));
"#;

/// What a scene comes to in memory: as in the browser, or why memory does not know.
fn in_memory(ui: &Ui, scene: &Scene) -> Result<Json, String> {
    let mut page = ui.page("test-bed").open(()).expect("no data");
    let first = if scene.by_tab && page.find("#y").is_ok() { "#y" } else { "#a" };
    let said = |error: vein::Error| error.to_string();
    if page
        .session_mut()
        .tree()
        .select(first)
        .is_ok_and(|all| all.first().is_some_and(|id| page.session_mut().tree().is_focusable(*id)))
    {
        page.act(first, &Act::Focus).map_err(said)?;
    }
    page.set("log", json!([])).expect("state");
    if scene.by_tab && first == "#y" {
        page.act("#y", &Act::Press("Tab".into())).map_err(said)?;
    }
    for doing in &scene.does {
        match doing {
            Doing::Press(key) => {
                let session = page.session_mut();
                if let Some(id) = session.tree().focused() {
                    session.act(id, &Act::Press((*key).into())).map_err(|refused| refused.why)?;
                }
            }
            Doing::Click(on) => {
                page.act(on, &Act::Click).map_err(said)?;
            }
            Doing::Paste(text) => {
                let session = page.session_mut();
                if let Some(id) = session.tree().focused() {
                    session.act(id, &Act::Paste((*text).into())).map_err(|refused| refused.why)?;
                }
            }
        }
    }
    Ok(outcome(&mut page))
}

fn outcome(page: &mut Page) -> Json {
    let log: Vec<String> = page.get("log").expect("a log");
    let session = page.session_mut();
    let mut controls = serde_json::Map::new();
    let all = session.tree().select("[id]").expect("a selector");
    for id in all {
        let tree = session.tree();
        let name = tree.name(id).unwrap_or("").to_owned();
        let kind = tree.control_type(id);
        let is_control = matches!(name.as_str(), "input" | "textarea" | "select");
        let text = ["", "text", "search", "tel", "url", "password"].contains(&kind.as_str());
        let valid = match tree.validity(id) {
            Validity::Valid => Some(true),
            Validity::Invalid(_) => Some(false),
            Validity::Unknown(_) => None,
        };
        let said = json!({
            "value": tree.value(id).filter(|_| is_control),
            "checked": matches!(kind.as_str(), "checkbox" | "radio")
                .then(|| tree.flag(id, vein::Property::Checked)),
            "open": matches!(name.as_str(), "details" | "dialog")
                .then(|| tree.flag(id, vein::Property::Open)),
            "valid": valid.filter(|_| is_control),
        });
        let with_selection = name == "textarea" || name == "input" && text;
        let selection = if with_selection { session.selection(id) } else { None };
        let tree = session.tree();
        let mut said = said;
        said["selection"] = json!(selection.map(|(start, end)| [start, end]));
        controls.insert(tree.attribute(id, "id").unwrap_or_default().to_owned(), said);
    }
    let tree = session.tree();
    let focus = tree.focused().and_then(|id| tree.attribute(id, "id")).unwrap_or("");
    json!({ "log": log, "controls": controls, "focus": focus })
}

/// The same markup as a component that notes each event where it began.
fn component(markup: &str) -> String {
    let kinds = EVENTS.iter().chain(LATE);
    let listeners = |id: &str| -> String {
        let one = |kind: &&str| format!(" {kind}=\"->(self) log.push('{kind} {id}')\"");
        kinds.clone().map(one).collect()
    };
    let mut text = format!("holds log: string[] = []\n<div>{markup}</div>\n");
    for id in "abcdfghlrsyz".chars().map(String::from) {
        text = text.replace(&format!("id='{id}'"), &format!("id='{id}'{}", listeners(&id)));
    }
    text
}

/// What came late is taken out of the events, and sorted.
fn apart(outcome: &Json) -> (Vec<String>, Vec<String>) {
    let all: Vec<String> = serde_json::from_value(outcome["log"].clone()).expect("texts");
    let is_late = |event: &String| LATE.iter().any(|kind| event.starts_with(&format!("{kind} ")));
    let (mut late, now): (Vec<_>, Vec<_>) = all.into_iter().partition(is_late);
    late.sort();
    // What comes twice before it is told of is told of once.
    late.dedup();
    (now, late)
}

/// What is not the same in memory and there.
fn differing(ours: &Json, theirs: &Json) -> Vec<String> {
    let mut differ = Vec::new();
    let ids = ours["controls"].as_object().expect("controls").keys();
    for id in ids {
        let (own, other) = (&ours["controls"][id], &theirs["controls"][id]);
        if own != other {
            differ.push(format!("{id}: {own} here, {other} there"));
        }
    }
    if ours["focus"] != theirs["focus"] {
        differ.push(format!("focus: {} here, {} there", ours["focus"], theirs["focus"]));
    }
    let (events, others) = (apart(ours), apart(theirs));
    if events != others {
        let same = events.0.iter().zip(&others.0).take_while(|(a, b)| a == b).count();
        let rest = |(now, late): &(Vec<String>, Vec<String>)| {
            format!("… {} ({})", now[same..].join(", "), late.join(", "))
        };
        differ.push(format!("{} here, {} there", rest(&events), rest(&others)));
    }
    differ
}

pub async fn what_a_person_types_comes_to_the_same(browser: &Browser) {
    come_to_the_same(browser, typed(), 1000).await;
}

pub async fn what_a_person_does_comes_to_the_same(browser: &Browser) {
    come_to_the_same(browser, others(), 800).await;
}

/// Plays scenes on both sides; so many, at least, are such that memory knows what they come to.
async fn come_to_the_same(browser: &Browser, scenes: Vec<Scene>, least: usize) {
    let dir = TempDir::new().expect("a folder");
    let page = "<!doctype html><meta charset='utf-8'><title>c</title><body></body>";
    std::fs::write(dir.path().join("index.html"), page).expect("a file");
    let origin = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&format!("{origin}/index.html")).await.expect("a page");
    let kinds: Vec<&str> = EVENTS.iter().chain(LATE).copied().collect();
    browser.client.execute(LISTEN, vec![json!(kinds)]).await.expect("it runs");
    let mut programs: BTreeMap<String, Ui> = BTreeMap::new();
    let (mut wrong, mut cases, mut refused) = (Vec::new(), 0, BTreeMap::<String, usize>::new());
    for scene in scenes {
        let ui = programs.entry(scene.markup.clone()).or_insert_with(|| {
            let text = component(&scene.markup);
            Ui::from_sources([("test-bed.vein", text.as_str())])
                .unwrap_or_else(|error| panic!("{error}\n{text}"))
        });
        let ours = match in_memory(ui, &scene) {
            Ok(ours) => ours,
            Err(why) => {
                *refused.entry(why).or_insert(0) += 1;
                continue;
            }
        };
        let mut differ = differing(&ours, &in_chromium(browser, &scene).await);
        // What a browser does when it draws a frame may come in the middle of a key on a machine that is busy.
        if !differ.is_empty() {
            differ = differing(&ours, &in_chromium(browser, &scene).await);
        }
        cases += 1;
        if !differ.is_empty() {
            let how = if scene.by_tab { "by Tab, " } else { "" };
            wrong.push(format!(
                "{}\n  {how}{:?}\n  {}",
                scene.markup,
                scene.does,
                differ.join("\n  ")
            ));
        }
    }
    println!("{cases} cases, {} refused", refused.values().sum::<usize>());
    for (why, count) in &refused {
        println!("  {count:4} {why}");
    }
    assert!(wrong.is_empty(), "{} of {cases} differ:\n{}", wrong.len(), wrong.join("\n"));
    assert!(cases >= least, "{cases} cases, {refused:?}");
}

async fn in_chromium(browser: &Browser, scene: &Scene) -> Json {
    let client = &browser.client;
    let set_up = vec![json!(scene.markup), json!(scene.by_tab)];
    client.execute_async(SET_UP, set_up).await.expect("it runs");
    let mut keys = Vec::new();
    if scene.by_tab && scene.markup.contains("id='y'") {
        keys.push("Tab");
    }
    for doing in &scene.does {
        match doing {
            Doing::Press(key) => keys.push(key),
            Doing::Click(on) => {
                press_all(client, &std::mem::take(&mut keys)).await.expect("keys");
                client.find(on).await.expect("an element").click().await.expect("a click");
            }
            Doing::Paste(text) => {
                press_all(client, &std::mem::take(&mut keys)).await.expect("keys");
                let field = client.execute("return document.activeElement", Vec::new()).await;
                let given = vec![field.expect("an element"), json!(text)];
                client.execute(PASTE, given).await.expect("it runs");
            }
        }
    }
    if !keys.is_empty() {
        press_all(client, &keys).await.expect("keys");
    }
    client.execute_async(OUTCOME, Vec::new()).await.expect("an outcome")
}
