//! The workbench beside a served page, in a real Chromium: what it shows and does, and what becomes of recordings.

use crate::driven::Browser;
use crate::running::{Server, copy, glasshouse};
use serde_json::{Value as Json, json};
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};
use tempfile::TempDir;
use vein_cli::trial::LOOK;

/// A page that is served, and the workbench beside it.
struct Beside {
    page: String,
    bench: String,
}

impl Beside {
    async fn open(browser: &Browser, server: &Server) -> Beside {
        browser.open(server).await;
        let page = browser.client.tab().await.expect("a tab");
        let bench = browser.client.open_tab().await.expect("a tab");
        browser.client.go_to_tab(&bench).await.expect("a tab");
        let address = format!("http://127.0.0.1:{}/vein/", server.port);
        browser.client.goto(&address).await.expect("the workbench");
        browser.until("return document.querySelectorAll('.piece').length > 0", "the tree").await;
        Beside { page, bench }
    }

    async fn close(self, browser: &Browser) {
        browser.client.go_to_tab(&self.bench).await.expect("a tab");
        browser.client.close_tab().await.expect("a tab");
        browser.client.go_to_tab(&self.page).await.expect("a tab");
    }
}

async fn to(browser: &Browser, tab: &str) {
    browser.client.go_to_tab(tab).await.expect("a tab");
}

async fn view(browser: &Browser, name: &str) {
    browser.run(&format!("document.querySelector('.views input[value={name}]').click()")).await;
}

/// Counts what a page complains of.
const COMPLAINS: &str = "window.violations = [];
    document.addEventListener('securitypolicyviolation', (e) => violations.push(e.violatedDirective));
    addEventListener('error', (e) => violations.push(e.message));";

pub async fn it_shows_edits_and_goes_back_and_forth(browser: &Browser) {
    let dir = TempDir::new().expect("a folder");
    copy(glasshouse(), dir.path());
    // Nothing happens by itself.
    let host = "export const season = () => 'spring';\nexport const fetch_forecast = () => new Promise(() => {});
        export async function* moisture_sensor() { await new Promise(() => {}); }";
    std::fs::write(dir.path().join("host.js"), host).expect("a file");
    let text = std::fs::read_to_string(dir.path().join("alarm-bell.vein")).expect("a file");
    let quiet = text.replace("upon every (5000)", "upon every (5000000)");
    std::fs::write(dir.path().join("alarm-bell.vein"), quiet).expect("a file");
    let server = Server::start(dir.path(), &[]);
    let beside = Beside::open(browser, &server).await;
    browser.run(COMPLAINS).await;
    to(browser, &beside.page).await;
    browser.run(COMPLAINS).await;
    to(browser, &beside.bench).await;
    let labels =
        "return [...document.querySelectorAll('.piece span')].map((one) => one.textContent)";
    let all = browser.run(labels).await;
    let all: Vec<&str> = all.as_array().expect("a list").iter().filter_map(Json::as_str).collect();
    assert_eq!(all[..3], ["tank", "glass-house", "tank-gauge"]);
    assert_eq!(all.iter().filter(|label| label.starts_with("bed-card[#")).count(), 5);

    // A component is chosen where it stands.
    browser.click("button.aim").await;
    browser.until("return document.querySelector('.aim').ariaPressed === 'true'", "to aim").await;
    to(browser, &beside.page).await;
    browser
        .until("return document.querySelector('#view').style.cursor === 'crosshair'", "to point")
        .await;
    let moisture = "document.querySelectorAll('.bed')[1].querySelector('.moisture')";
    let before = browser.run(&format!("return {moisture}.textContent")).await;
    let element = browser.client.find(".bed:nth-of-type(2) button.water").await.expect("a button");
    element.click().await.expect("a click");
    browser.until("return document.querySelector('#vein-marks')?.shadowRoot.querySelectorAll('.mark').length === 1", "a mark").await;
    to(browser, &beside.bench).await;
    let chosen = "return document.querySelector('.piece:has(:checked) span').textContent";
    browser
        .until(
            &format!("{chosen} === 'bed-card[#2]'").replace("return return", "return"),
            "the card",
        )
        .await;
    to(browser, &beside.page).await;
    assert_eq!(
        browser.run(&format!("return {moisture}.textContent")).await,
        before,
        "nobody clicked"
    );

    // State is edited by its type, as a pulse.
    to(browser, &beside.bench).await;
    browser.run("document.querySelectorAll('.piece input')[1].click()").await;
    browser
        .until(
            "return document.querySelector('input[aria-label=threshold]')?.value === '30'",
            "the state",
        )
        .await;
    browser
        .run(
            "const field = document.querySelector('input[aria-label=threshold]');
        field.value = '80'; field.dispatchEvent(new Event('change', { bubbles: true }))",
        )
        .await;
    to(browser, &beside.page).await;
    let thirsty = "return document.querySelector('.summary').textContent";
    browser
        .until(
            "return document.querySelector('.summary').textContent === '5 beds are thirsty'",
            "all to thirst",
        )
        .await;
    to(browser, &beside.bench).await;
    browser
        .until(
            "return document.querySelector('tr.changed .name span')?.textContent === 'threshold'",
            "what changed",
        )
        .await;
    browser
        .run(
            "const field = document.querySelector('input[aria-label=threshold]');
        field.value = ''; field.dispatchEvent(new Event('change', { bubbles: true }))",
        )
        .await;
    browser
        .until(
            "return (document.querySelector('.value .wrong')?.textContent ?? '') !== ''",
            "a refusal",
        )
        .await;
    browser.run("document.querySelector('button.edit').click()").await;
    browser.until("return document.querySelector('textarea.draft') !== null", "the list").await;
    let list = json!([{ "id": 7, "name": "One", "beds": [{ "id": 9, "crop": "Leek", "moisture": 3, "note": null }] }]);
    browser
        .run(&format!(
            "const field = document.querySelector('textarea.draft');
        field.value = {}; field.dispatchEvent(new InputEvent('input', {{ bubbles: true }}));
        document.querySelector('button.write').click()",
            json!(list.to_string())
        ))
        .await;
    to(browser, &beside.page).await;
    browser.until("return document.querySelectorAll('.bed').length === 1", "the list").await;

    // The ledger tells of it, and marks what it changed.
    to(browser, &beside.bench).await;
    view(browser, "ledger").await;
    browser.until("return document.querySelectorAll('.line').length === 2", "two pulses").await;
    browser.run("document.querySelector('.line input').click()").await;
    browser
        .until(
            "return document.querySelector('.entry h2')?.textContent === 'host set benches'",
            "an entry",
        )
        .await;
    assert_eq!(
        browser.run("return document.querySelector('.entry .right').textContent").await,
        "exact"
    );
    to(browser, &beside.page).await;
    let marks =
        "return document.querySelector('#vein-marks')?.shadowRoot.querySelectorAll('.mark').length";
    browser.until(&marks.replace("length", "length > 2"), "marks").await;

    // Back, where nothing is lost, and forth again.
    to(browser, &beside.bench).await;
    let shown = "return document.querySelector('.time output').textContent";
    browser.run("document.querySelector('.back').click()").await;
    browser.until("return !document.querySelector('.now').disabled", "the page as it was").await;
    to(browser, &beside.page).await;
    browser.until("return document.querySelectorAll('.bed').length === 5", "the beds").await;
    assert_eq!(browser.run(thirsty).await, "5 beds are thirsty");
    to(browser, &beside.bench).await;
    browser.run("document.querySelector('.now').click()").await;
    to(browser, &beside.page).await;
    browser
        .until("return document.querySelectorAll('.bed').length === 1", "the page as it is")
        .await;

    // Going on from there drops what came later.
    to(browser, &beside.bench).await;
    browser.until("return document.querySelector('.now').disabled", "now").await;
    for _ in 0..2 {
        browser.run("document.querySelector('.back').click()").await;
        tokio::time::sleep(Duration::from_millis(150)).await;
    }
    to(browser, &beside.page).await;
    browser
        .until(
            "return document.querySelector('.summary').textContent === '3 beds are thirsty'",
            "the beginning",
        )
        .await;
    browser.click(".bed button.water").await;
    browser
        .until(
            "return document.querySelector('.summary').textContent === '2 beds are thirsty'",
            "a pulse from there",
        )
        .await;
    to(browser, &beside.bench).await;
    browser.until("return document.querySelectorAll('.line').length === 1", "one pulse").await;
    assert_eq!(browser.run(shown).await, "after pulse 1 of 1");

    // What reaches what.
    view(browser, "reach").await;
    browser.until("return document.querySelectorAll('.way').length > 20", "the ways").await;
    browser.run("[...document.querySelectorAll('.way')].find((one) => one.textContent.trim().startsWith('tank.litres')).querySelector('input').click()").await;
    browser.until("return [...document.querySelectorAll('.found td')].some((one) => one.textContent === 'tank-gauge › span text')", "its parts").await;
    browser.until("return [...document.querySelectorAll('.found tr')].some((one) => one.lastElementChild.textContent === '1')", "the last pulse").await;
    to(browser, &beside.page).await;
    browser.until(&marks.replace("length", "length > 6"), "marks").await;

    // What was seen here, and what scenarios have.
    to(browser, &beside.bench).await;
    view(browser, "covered").await;
    browser
        .until(
            "return /by scenarios [0-9]+ of/.test(document.querySelector('.sum').textContent)",
            "scenarios",
        )
        .await;
    browser.run("document.querySelector('.place').click()").await;
    browser
        .until(
            "return document.querySelector('.covered .said').textContent.includes('VEIN_EDITOR')",
            "advice",
        )
        .await;
    let complaints = browser.run("return violations").await;
    assert_eq!(complaints, json!([]));

    // Nobody else may look.
    let strangers = "return new Promise((done) => {
        const socket = new WebSocket(`ws://${location.host}/vein/look`);
        socket.onopen = () => socket.send(JSON.stringify({ token: 'guessed' }));
        socket.onmessage = () => done('told');
        socket.onclose = () => done('closed');
      })";
    assert_eq!(browser.run(strangers).await, "closed");
    // When nobody looks any more, the page is as it is.
    browser.run("document.querySelector('.back').click()").await;
    to(browser, &beside.page).await;
    browser
        .until(
            "return document.querySelector('.summary').textContent === '3 beds are thirsty'",
            "the beginning",
        )
        .await;
    assert_eq!(browser.run("return violations").await, json!([]));
    beside.close(browser).await;
    browser
        .until(
            "return document.querySelector('.summary').textContent === '2 beds are thirsty'",
            "now",
        )
        .await;
    browser.until(&marks.replace("length", "length === 0"), "no marks").await;
}

pub async fn it_waits_for_a_page_that_has_mistakes(browser: &Browser) {
    let dir = TempDir::new().expect("a folder");
    let page = "holds n = 1\n<button click='-> n++'>{n}</button>";
    std::fs::write(dir.path().join("a-page.vein"), page.replace("{n}", "{m}")).expect("a file");
    let server = Server::start(dir.path(), &[]);
    let address = format!("http://127.0.0.1:{}/", server.port);
    browser.client.goto(&address).await.expect("a page");
    let own = browser.client.tab().await.expect("a tab");
    let bench = browser.client.open_tab().await.expect("a tab");
    to(browser, &bench).await;
    browser.client.goto(&format!("{address}vein/")).await.expect("the workbench");
    browser
        .until("return document.querySelector('.waits') !== null", "the workbench to wait")
        .await;
    std::fs::write(dir.path().join("a-page.vein"), page).expect("a file");
    browser.until("return document.querySelectorAll('.piece').length === 1", "the tree").await;
    browser
        .until("return document.querySelector('.name span')?.textContent === 'n'", "the state")
        .await;
    Beside { page: own, bench }.close(browser).await;
}

/// What a recording of the page has come to, once it is ended.
async fn recorded(browser: &Browser) -> Json {
    browser
        .run(
            "return window.look({ record: 'end' }).then(() => window.look('recording')).then((all) => all.drafts)",
        )
        .await
}

pub async fn what_a_person_does_is_recorded(browser: &Browser) {
    let dir = TempDir::new().expect("a folder");
    let page = "asks tone(n: number): string
holds name = 'a'
holds note = ''
holds n: number? = 2
holds soil = 'dry'
holds soils: string[] = []
holds on = false
holds keys = 0
holds twice = 0
holds sent = ''
holds late = ''
holds ticks = 0
holds counted = 0
upon every (300) while on { ticks++; }
<form submit='->(prevent) sent = name'>
  <label id='label'>Name <input id='name' value='<-> name' keydown='->(key Enter) keys++'></label>
  <textarea id='note' value='<->(change) note'></textarea>
  <input id='n' type='number' value='<-> n'>
  <input id='late' value='<->(quiet 120) late'>
  <select id='soil' value='<-> soil'><option>dry</option><option>moist</option><option>wet</option></select>
  <select id='soils' multiple value='<-> soils'><option>clay</option><option>loam</option></select>
  <input id='on' type='checkbox' checked='<-> on'>
  <button id='send'>Send</button>
</form>
<button id='twice' dblclick='-> twice++' click='-> keys++'>{twice}</button>
<ul><li each='one of soils by one'>{one}</li></ul>
<input id='count' keydown='-> counted++'><output>{counted}</output>
<p>{tone(keys)} {name} {note} {n} {soil} {on && ticks} {sent} {late}</p>";
    std::fs::write(dir.path().join("a-form.vein"), page).expect("a file");
    std::fs::write(dir.path().join("host.js"), "export const tone = (n) => `tone ${n % 3}`;")
        .expect("a file");
    std::fs::create_dir(dir.path().join("scenarios")).expect("a folder");
    let server = Server::start(dir.path(), &[]);
    browser.open(&server).await;
    browser.run(LOOK).await;
    browser.run("return window.look({ record: 'begin' })").await;
    browser.until("return look('recording').then((all) => all.on)", "the recording").await;
    tokio::time::sleep(Duration::from_millis(200)).await;
    let keys = async |selector: &str, keys: &str| {
        let field = browser.client.find(selector).await.expect("a field");
        field.send_keys(keys).await.expect("keys");
    };
    // At the end, in the middle, all anew, nothing; a key that does something; a list of lines.
    keys("#name", "b c").await;
    keys("#name", "\u{E012}\u{E012}x\u{E003}").await;
    keys("#name", "\u{E009}a\u{E000}new").await;
    keys("#name", "\u{E007}\u{E004}").await;
    keys("#note", "one\u{E007}two\u{E004}").await;
    keys("#n", "5\u{E003}\u{E013}").await;
    keys("#n", "\u{E009}a\u{E000}-\u{E004}").await;
    keys("#late", "soon").await;
    tokio::time::sleep(Duration::from_millis(250)).await;
    choose(browser, "#soil", 1).await;
    keys("#soil", "\u{E015}").await;
    choose(browser, "#soils", 1).await;
    browser.click("#label").await;
    keys("#name", "\u{E004}\u{E004}").await;
    browser.click("#on").await;
    tokio::time::sleep(Duration::from_millis(700)).await;
    browser.click("#on").await;
    let twice = "const { left, top } = document.querySelector('#twice').getBoundingClientRect(); return [left + 5, top + 5]";
    let at = browser.run(twice).await;
    for clicks in [1, 2] {
        for kind in ["mousePressed", "mouseReleased"] {
            let event = json!({ "type": kind, "x": at[0], "y": at[1], "button": "left", "clickCount": clicks });
            browser.client.devtools("Input.dispatchMouseEvent", event).await.expect("a click");
        }
    }
    browser
        .until("return document.querySelector('#twice').textContent === '1'", "two clicks")
        .await;
    keys("#twice", " ").await;
    browser.click("#send").await;
    tokio::time::sleep(Duration::from_millis(100)).await;
    browser.run("return window.look({ record: 'cut' })").await;
    tokio::time::sleep(Duration::from_millis(200)).await;
    // Where each key counts, each is a step.
    keys("#count", "ab\u{E012}\u{E003}c").await;
    tokio::time::sleep(Duration::from_millis(100)).await;
    let drafts = recorded(browser).await;
    let text = drafts[0]["text"].as_str().expect("a text");
    assert_eq!(drafts[0]["said"], json!([]), "{text}");
    for key in ["a", "b", "ArrowLeft", "Backspace", "c"] {
        assert!(text.contains(&format!("press = \"{key}\"\non = \"#count\"")), "{key}\n{text}");
    }
    let text = drafts[1]["text"].as_str().expect("a text");
    assert_eq!(drafts[1]["said"], json!([]), "{text}");
    for step in [
        "type = \"new\"\non = \"#name\"",
        "press = \"Enter\"\non = \"#name\"",
        "press = \"Tab\"\non = \"#note\"",
        "on = \"#note\"",
        "press = \"Tab\"\non = \"#n\"",
        "type = \"soon\"\non = \"#late\"",
        "choose = \"moist\"\non = \"#soil\"",
        "press = \"ArrowDown\"\non = \"#soil\"",
        "choose = \"loam\"\non = \"#soils\"",
        "click = \"#name\"",
        "click = \"#on\"",
        "double_click = \"#twice\"",
        "press = \" \"\non = \"#twice\"",
        "click = \"#send\"",
        "[[answers.tone]]\nargs = [0]\nvalue = \"tone 0\"",
    ] {
        assert!(text.contains(step), "{step}\n{text}");
    }
    // It is written where scenarios stand, over nothing.
    let save =
        "return window.look({ save: [1, 'All of a form!'] }).catch((error) => error.message)";
    assert_eq!(browser.run(save).await, "");
    let refused = browser.run(save).await;
    assert!(refused.as_str().is_some_and(|said| said.contains("is there already")), "{refused}");
    let nameless = browser
        .run("return window.look({ save: [1, '../..'] }).catch((error) => error.message)")
        .await;
    assert!(nameless.as_str().is_some_and(|said| said.contains("give it a name")), "{nameless}");
    holds(dir.path(), 1);
    let written = std::fs::read_to_string(dir.path().join("scenarios/all-of-a-form.scenario.toml"));
    assert!(
        written
            .expect("a file")
            .starts_with("title = \"All of a form!\"\ncomponent = \"a-form\"\n")
    );
}

/// Chooses an option, as what drops down does when it is taken there.
async fn choose(browser: &Browser, selector: &str, which: usize) {
    let script = format!(
        "const select = document.querySelector('{selector}');
         select.focus();
         if (select.options[{which}].selected) return;
         select.options[{which}].selected = true;
         select.dispatchEvent(new InputEvent('input', {{ bubbles: true }}));
         select.dispatchEvent(new Event('change', {{ bubbles: true }}));"
    );
    browser.run(&script).await;
}

/// All scenarios of a project hold, in memory and in Chromium, as they were written.
fn holds(dir: &Path, count: usize) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["prove", "--browser", "--json", "--dir"]).arg(dir);
    let out = command.output().expect("the program runs");
    let told: Json = serde_json::from_slice(&out.stdout).expect("JSON");
    let scenarios = told["scenarios"].as_array().expect("a list");
    let fails =
        |one: &&Json| one["holds"] != json!(true) || one["in_browser"]["holds"] != json!(true);
    let failed: Vec<&Json> = scenarios.iter().filter(fails).collect();
    assert!(failed.is_empty(), "{failed:#?}");
    assert_eq!(scenarios.len(), count);
}

/// How many seconds the glasshouse is used at random; `VEIN_RECORD_SECONDS` says otherwise.
const SECONDS: u64 = 12;

struct Chance(u64);

impl Chance {
    fn below(&mut self, n: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % n as u64) as usize
    }
}

pub fn random_use_becomes_scenarios_that_hold() {
    let seconds = std::env::var("VEIN_RECORD_SECONDS").ok().and_then(|text| text.parse().ok());
    let seed = std::env::var("VEIN_FIRST_SEED").ok().and_then(|text| text.parse().ok());
    let time = Duration::from_secs(seconds.unwrap_or(SECONDS));
    let dir = TempDir::new().expect("a folder");
    copy(glasshouse(), dir.path());
    std::fs::remove_dir_all(dir.path().join("scenarios")).expect("a folder");
    std::fs::create_dir(dir.path().join("scenarios")).expect("a folder");
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build();
    let drafts = runtime.expect("a runtime").block_on(async {
        let browser = Browser::start().await;
        let drafts = used(&browser, dir.path(), time, Chance(seed.unwrap_or(20_261_130))).await;
        browser.close().await;
        drafts
    });
    if let Some(kept) = std::env::var_os("VEIN_RECORD_INTO") {
        copy(dir.path(), Path::new(&kept));
    }
    let wrong: Vec<&Json> = drafts.iter().filter(|one| one["said"] != json!([])).collect();
    assert!(wrong.is_empty(), "of {}: {wrong:#?}", drafts.len());
    holds(dir.path(), drafts.len());
}

/// Uses the glasshouse at random for a while, recorded and cut; gives what was recorded, which was saved.
async fn used(browser: &Browser, dir: &Path, time: Duration, mut chance: Chance) -> Vec<Json> {
    let server = Server::start(dir, &[]);
    browser.open(&server).await;
    browser.run(LOOK).await;
    browser.run("return window.look({ record: 'begin' })").await;
    tokio::time::sleep(Duration::from_millis(200)).await;
    let begun = Instant::now();
    let mut cut = Instant::now();
    while begun.elapsed() < time {
        if cut.elapsed() > Duration::from_secs(6) && chance.below(8) == 0 {
            browser.run("return window.look({ record: 'cut' })").await;
            tokio::time::sleep(Duration::from_millis(200)).await;
            cut = Instant::now();
        }
        // What cannot be done just now is left.
        let _ = used_once(browser, &mut chance).await;
        let pause = [5, 20, 60, 150, 400, 1200][chance.below(6)];
        tokio::time::sleep(Duration::from_millis(pause)).await;
    }
    let drafts = recorded(browser).await.as_array().expect("a list").clone();
    for draft in &drafts {
        let number = draft["number"].as_u64().expect("a number");
        let script = format!("return window.look({{ save: [{number}, 'Recorded {number}'] }})");
        assert_eq!(browser.run(&script).await, "");
    }
    drafts
}

/// Does one thing, with real clicks and keys.
async fn used_once(browser: &Browser, chance: &mut Chance) -> Option<()> {
    let count = browser.run("return document.querySelectorAll('.bed').length").await.as_u64()?;
    let bed = chance.below((count as usize).max(1));
    let mark = format!(
        "const bed = document.querySelectorAll('.bed')[{bed}];
         for (const old of document.querySelectorAll('[data-meant]')) old.removeAttribute('data-meant');
         const element = (bed ?? document).querySelector(arguments[0]) ?? document.querySelector(arguments[0]);
         element?.setAttribute('data-meant', '');
         return element !== null"
    );
    let (selector, keys): (&str, Option<String>) = match chance.below(16) {
        0..4 => ("button.water", None),
        4 => (".tank button", None),
        5 => ("button.next", None),
        6 => (".missing button", None),
        7 if chance.below(3) == 0 => ("button.remove", None),
        7 => (".bell input", None),
        8 => {
            let word = ["ka", "le", "\u{E003}", "\u{E003}\u{E003}", "s", "\u{E009}a\u{E000}c"];
            ("[type=search]", Some(word[chance.below(word.len())].to_owned()))
        }
        9 => {
            let word = ["Leek", "Wild garlic", "\u{E007}", "\u{E004}", "\u{E003}", " x"];
            (".planting input", Some(word[chance.below(word.len())].to_owned()))
        }
        10 => (".planting button", None),
        11 => {
            let key = ["\u{E014}", "\u{E012}", "\u{E014}\u{E014}", "\u{E010}"];
            ("[type=range]", Some(key[chance.below(key.len())].to_owned()))
        }
        12 => {
            choose(browser, ".controls select", chance.below(2)).await;
            return None;
        }
        13 => {
            let key = ["5", "\u{E003}", "\u{E013}", "\u{E015}", "\u{E009}a\u{E000}7", "."];
            (".can input", Some(key[chance.below(key.len())].to_owned()))
        }
        14 => {
            choose(browser, ".planting select", chance.below(2)).await;
            return None;
        }
        _ => ("h1", None),
    };
    let stands = browser.client.execute(&mark, vec![json!(selector)]).await.ok()?;
    if stands != json!(true) {
        return None;
    }
    let element = browser.client.find("[data-meant]").await.ok()?;
    match keys {
        Some(keys) => element.send_keys(&keys).await.ok(),
        None => element.click().await.ok(),
    }
}
