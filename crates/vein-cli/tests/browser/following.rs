//! Served pages that follow their project's files, in a real Chromium: what is saved is shown, and nothing is lost of what somebody is
//! in the middle of.

use crate::building_of::built;
use crate::driven::Browser;
use crate::running::{Running, Server};
use serde_json::{Value as Json, json};
use std::path::Path;
use std::process::Command;
use std::time::Duration;
use tempfile::TempDir;
use vein_cli::trial::serve_files;

/// How often each kind of file is saved.
const TIMES: usize = 20;

const PAGE: &str = "takes tools: Tool[]
shape Tool { id: number, name: string }
asks greeting(name: string): string
awaits opening(day: string): string
streams ticks(): number
holds draft = ''
holds clicks = 0
loads hours: string = opening('today')
follows tick: number = ticks()

<main id='main'>
  <h1>Shed 0</h1>
  <p id='hello'>{greeting(draft)}</p>
  <p id='hours'>{hours ?? 'closed'} {tick ?? 0}</p>
  <label>Draft <input id='draft' value='<-> draft'></label>
  <input id='own' placeholder='nobody is told'>
  <button id='more' click='-> clicks += 1'>{clicks}</button>
  <img id='picture' src='/mark.svg' alt=''>
  <div id='long'><ul><tool-row each='tool of tools by tool.id' tool='<- tool'></tool-row></ul></div>
</main>

<style>
h1 { color: rgb(0, 0, 1); }
</style>
";

const ROW: &str = "takes tool: { id: number, name: string }
holds open = false
<li id='row-{tool.id}' click='-> open = !open'><b>row 0</b> {tool.name} <i when='open'>open</i></li>
";

const HOST: &str = "let from = 0;
export const greeting = (name) => `hello 0 ${name}`;
export const opening = async () => { from += 1; return `ten ${from}`; };
export async function* ticks() { yield 1; await new Promise(() => {}); }
";

fn data(name: &str) -> String {
    let tools = (0..40).map(|id| json!({ "id": id, "name": format!("{name} {id}") }));
    json!({ "tools": tools.collect::<Vec<_>>() }).to_string()
}

fn settings(title: &str) -> String {
    format!(
        "component = 'shed-page'\ndata = 'shed.json'\nstyles = ['shed.css']\n[build]\ntitle = '{title}'\n"
    )
}

fn picture(width: usize) -> String {
    format!("<svg xmlns='http://www.w3.org/2000/svg' width='{width}' height='5'/>")
}

fn css(width: usize) -> String {
    format!("#long {{ height: 90px; overflow: auto; width: {width}px }}")
}

fn shed() -> TempDir {
    let dir = TempDir::new().expect("a folder");
    std::fs::create_dir(dir.path().join("static")).expect("a folder");
    for (file, text) in [
        ("shed-page.vein", PAGE.to_owned()),
        ("tool-row.vein", ROW.to_owned()),
        ("host.js", HOST.to_owned()),
        ("shed.json", data("rake")),
        ("shed.css", css(300)),
        ("vein.toml", settings("Shed")),
        ("static/mark.svg", picture(7)),
    ] {
        save(dir.path(), file, &text);
    }
    dir
}

fn save(dir: &Path, file: &str, text: &str) {
    std::fs::write(dir.join(file), text).expect("a file");
}

/// Which file is saved, what it says the n-th time, and how that is seen.
type Kind = (&'static str, fn(usize) -> String, fn(usize) -> String);

const KINDS: [Kind; 8] = [
    (
        "shed-page.vein",
        |n| PAGE.replace("<h1>Shed 0", &format!("<p>before</p><h1>Shed {n}")),
        |n| format!("document.querySelector('h1').textContent === 'Shed {n}'"),
    ),
    (
        "tool-row.vein",
        |n| ROW.replace("row 0", &format!("row {n}")),
        |n| {
            format!(
                "[...document.querySelectorAll('li b')].every((b) => b.textContent === 'row {n}')"
            )
        },
    ),
    (
        "shed-page.vein",
        |n| PAGE.replace("rgb(0, 0, 1)", &format!("rgb(0, 0, {n})")),
        |n| format!("getComputedStyle(document.querySelector('h1')).color === 'rgb(0, 0, {n})'"),
    ),
    (
        "shed.css",
        |n| css(300 + n),
        |n| format!("document.querySelector('#long').offsetWidth === {}", 300 + n),
    ),
    (
        "shed.json",
        |n| data(&format!("spade {n}")),
        |n| format!("document.querySelector('#row-3').textContent.includes('spade {n} 3')"),
    ),
    (
        "host.js",
        |n| HOST.replace("hello 0", &format!("hello {n}")),
        |n| format!("document.querySelector('#hello').textContent.startsWith('hello {n}')"),
    ),
    (
        "static/mark.svg",
        |n| picture(7 + n),
        |n| format!("document.querySelector('#picture').naturalWidth === {}", 7 + n),
    ),
    ("vein.toml", |n| settings(&format!("Shed {n}")), |n| format!("document.title === 'Shed {n}'")),
];

/// What stands in a field, where its caret is, and whether it has the focus.
const FIELD: &str = "const field = document.querySelector('#draft');
    return [field.value, field.selectionStart, document.activeElement === field]";

/// Where everything else is that a person has done.
const DONE: &str = "return [
    document.querySelector('#own').value, document.querySelector('#more').textContent,
    document.querySelector('#long').scrollTop,
    [...document.querySelectorAll('li i')].map((i) => i.parentElement.id),
    document.querySelector('#hours').textContent]";

pub async fn what_is_saved_is_shown_and_nothing_is_lost(browser: &Browser) {
    let dir = shed();
    let server = Server::start(dir.path(), &[]);
    browser.open(&server).await;
    browser
        .until("return document.querySelector('#hours').textContent === 'ten 1 1'", "the host")
        .await;
    browser.run("window.violations = []; document.addEventListener('securitypolicyviolation', (e) => violations.push(e.violatedDirective)); window.stays = document.querySelector('#draft')").await;
    browser.click("#more").await;
    browser.click("#row-1").await;
    browser.until("return document.querySelectorAll('li i').length === 1", "the open row").await;
    let own = browser.client.find("#own").await.expect("a field");
    own.send_keys("mine").await.expect("keys");
    browser.run("document.querySelector('#long').scrollTop = 120").await;
    let field = browser.client.find("#draft").await.expect("a field");
    field.send_keys("ab").await.expect("keys");
    // What is typed goes in before the last letter.
    browser.run("stays.setSelectionRange(1, 1)").await;
    let done = browser.run(DONE).await;
    assert_eq!(done, json!(["mine", "1", 120, ["row-1"], "ten 1 1"]));
    let mut typed = "a".to_owned();
    for (file, text, seen) in KINDS {
        for n in 2..2 + TIMES {
            save(dir.path(), file, &text(n));
            let key = char::from(b'a' + (n % 26) as u8);
            // An element that is found again is not clicked, so that the caret stays where it is.
            browser.run(&format!(
                "stays.dispatchEvent(new KeyboardEvent('keydown', {{ key: '{key}', bubbles: true }}));
                 document.execCommand('insertText', false, '{key}')"
            )).await;
            typed.push(key);
            let wait = format!("return {}", seen(n));
            browser.until(&wait, &format!("{file} the {n}th time")).await;
            let field = browser.run(FIELD).await;
            assert_eq!(field, json!([format!("{typed}b"), typed.len(), true]), "{file}, {n}");
        }
        let still = browser.run("return document.querySelector('#draft') === stays").await;
        assert_eq!(still, json!(true), "{file}");
        assert_eq!(browser.run(DONE).await, done, "{file}");
    }
    // Everything at once: what comes while the tab is asked whether it is ready is not lost.
    for n in 30..40 {
        for (file, text, _) in KINDS.iter().filter(|(file, ..)| *file != "host.js") {
            save(dir.path(), file, &text(n));
            tokio::time::sleep(Duration::from_millis(n as u64 % 7 * 4)).await;
        }
        for (file, _, seen) in KINDS.iter().filter(|(file, ..)| *file != "host.js") {
            // Of a file that is saved twice, the last counts.
            if seen(n).contains("'h1').textContent") {
                continue;
            }
            browser.until(&format!("return {}", seen(n)), &format!("{file} with all others")).await;
        }
    }
    let shown = format!("hello {} {typed}b", TIMES + 1);
    browser
        .until(
            &format!("return document.querySelector('#hello').textContent === '{shown}'"),
            "what was typed",
        )
        .await;
    assert_eq!(browser.run("return violations").await, json!([]));
    assert_eq!(alone(browser).await, json!([]), "nothing was complained of");
}

/// What stands over the page: mistakes, and notes.
async fn alone(browser: &Browser) -> Json {
    browser
        .run(
            "const over = document.querySelector('#vein-over').shadowRoot;
             return [...over.querySelectorAll('#mistakes pre, #notes pre')].map((pre) => pre.textContent)",
        )
        .await
}

async fn until_told(browser: &Browser, what: &str) {
    let script = format!(
        "const over = document.querySelector('#vein-over').shadowRoot;
         return [...over.querySelectorAll('pre')].some((pre) => pre.textContent.includes({}))",
        json!(what)
    );
    browser.until(&script, what).await;
}

async fn until_alone(browser: &Browser) {
    let script = "const over = document.querySelector('#vein-over').shadowRoot;
         return over.querySelectorAll('#mistakes pre').length === 0";
    browser.until(script, "the mistakes to go").await;
}

pub async fn mistakes_stand_over_the_page_and_go(browser: &Browser) {
    let dir = shed();
    // It begins with a mistake.
    save(dir.path(), "tool-row.vein", &ROW.replace("{tool.name}", "{tool.nme}"));
    let server = Server::start(dir.path(), &[]);
    let address = format!("http://127.0.0.1:{}/", server.port);
    browser.client.goto(&address).await.expect("a page");
    until_told(browser, "has no `nme`").await;
    save(dir.path(), "tool-row.vein", ROW);
    browser.until("return document.querySelectorAll('li').length === 40", "the page").await;
    until_alone(browser).await;
    browser.click("#more").await;
    browser.until("return document.querySelector('#more').textContent === '1'", "a click").await;
    for (file, wrong, told, right) in [
        (
            "shed-page.vein",
            PAGE.replace("clicks += 1", "click += 1"),
            "nothing here is called `click`",
            PAGE,
        ),
        ("shed-page.vein", PAGE.replace("color: rgb", "colour: rgb"), "`colour`", PAGE),
        ("vein.toml", "componet = 'a'".to_owned(), "no key `componet`", &settings("Shed")),
        ("shed.json", "{ \"tools\": 3 }".to_owned(), "does not fit", &data("rake")),
        ("shed.json", "{ \"tools\": [".to_owned(), "is not JSON", &data("rake")),
        ("shed.css", String::new(), "", &css(300)),
    ] {
        save(dir.path(), file, &wrong);
        if told.is_empty() {
            std::fs::remove_file(dir.path().join(file)).expect("a file");
            until_told(browser, "shed.css").await;
        } else {
            until_told(browser, told).await;
        }
        // The last page that worked stays under it, and lives.
        browser.run("document.querySelector('#more').click()").await;
        save(dir.path(), file, right);
        until_alone(browser).await;
    }
    browser.until("return document.querySelector('#more').textContent === '7'", "all clicks").await;
    // A mistake that can be mended surely is mended by a click.
    let lazy = ROW.replace("{tool.name}", "{{tool.name}}");
    save(dir.path(), "tool-row.vein", &lazy);
    let button = "return document.querySelector('#vein-over').shadowRoot.querySelector('#mistakes li button')";
    browser.until(&format!("{button} !== null"), "a button that mends").await;
    browser.run(&format!("({{}}, function () {{ {button} }})().click()")).await;
    until_alone(browser).await;
    let mended = std::fs::read_to_string(dir.path().join("tool-row.vein")).expect("a file");
    assert_eq!(mended, ROW);
    // What cannot go on with its state says so, and may begin anew.
    let failing = PAGE.replace(
        "holds clicks = 0",
        "holds clicks = 0\nholds few = [1]\nupon every (50) { few[clicks] = 2 }",
    );
    save(dir.path(), "shed-page.vein", &failing);
    until_told(browser, "everything was taken back").await;
    // A host that cannot be read, and functions that nobody answers.
    save(dir.path(), "host.js", "export const greeting = (");
    until_told(browser, "The host module cannot be used").await;
    save(dir.path(), "host.js", "export const greeting = () => 'hi';");
    until_told(browser, "nobody answers `awaits opening(day: string): string`").await;
}

pub async fn a_tab_comes_back_when_its_server_does(browser: &Browser) {
    let dir = shed();
    let server = Server::start(dir.path(), &[]);
    let port = server.port.to_string();
    browser.open(&server).await;
    browser
        .until("return document.querySelector('#hours').textContent === 'ten 1 1'", "the host")
        .await;
    for _ in 0..3 {
        browser.click("#more").await;
    }
    browser.click("#row-2").await;
    let field = browser.client.find("#draft").await.expect("a field");
    field.send_keys("kept").await.expect("keys");
    browser
        .until("return document.querySelector('#hello').textContent === 'hello 0 kept'", "the text")
        .await;
    // So much has to have come to the tab.
    tokio::time::sleep(Duration::from_millis(400)).await;
    drop(server);
    browser.until("return !document.querySelector('#link').hidden", "the server to be gone").await;
    // What is typed meanwhile is heard when it is back.
    field.send_keys("!").await.expect("keys");
    save(dir.path(), "shed-page.vein", &PAGE.replace("Shed 0", "Shed 1"));
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["serve", "--port", &port, "--dir"]).arg(dir.path());
    let again = Running::start(&mut command);
    assert!(again.line().contains(&port));
    browser.until("return 'linked' in document.documentElement.dataset", "the server").await;
    let seen = browser
        .run("return [document.querySelector('h1').textContent, document.querySelector('#more').textContent,
            document.querySelectorAll('li i').length, document.querySelector('#draft').value,
            document.activeElement.id, document.querySelector('#link').hidden]")
        .await;
    assert_eq!(seen, json!(["Shed 1", "3", 1, "kept!", "draft", true]));
    browser
        .until(
            "return document.querySelector('#hello').textContent === 'hello 0 kept!'",
            "the text",
        )
        .await;
    browser.click("#more").await;
    browser.until("return document.querySelector('#more').textContent === '4'", "a click").await;
    // Whoever waited for an answer waits for another.
    browser
        .until("return document.querySelector('#hours').textContent.startsWith('ten')", "the host")
        .await;
}

/// Has Chromium treat the tab as one that nobody has looked at for long, or wakes it.
async fn lifecycle(browser: &Browser, state: &str) {
    let told =
        browser.client.devtools("Page.setWebLifecycleState", json!({ "state": state })).await;
    told.expect("a browser that does so");
}

pub async fn a_tab_that_slept_shows_what_was_saved_meanwhile(browser: &Browser) {
    let dir = shed();
    let server = Server::start(dir.path(), &[]);
    browser.open(&server).await;
    browser.click("#more").await;
    let field = browser.client.find("#draft").await.expect("a field");
    field.send_keys("kept").await.expect("keys");
    let heard = "return document.querySelector('#hello').textContent === 'hello 0 kept'";
    browser.until(heard, "the text").await;
    lifecycle(browser, "frozen").await;
    for n in 1..=5 {
        save(dir.path(), "shed-page.vein", &PAGE.replace("Shed 0", &format!("Shed {n}")));
        save(dir.path(), "shed.json", &data(&format!("hoe {n}")));
        tokio::time::sleep(Duration::from_millis(120)).await;
    }
    lifecycle(browser, "active").await;
    let shown = "return [document.querySelector('h1').textContent, document.querySelector('#more').textContent,
        document.querySelector('#draft').value, document.querySelector('#row-3').textContent].join()
        === 'Shed 5,1,kept,row 0 hoe 5 3 '";
    browser.until(shown, "what was saved").await;
    browser.click("#more").await;
    browser.until("return document.querySelector('#more').textContent === '2'", "a click").await;
}

pub async fn time_that_passed_at_once_is_caught_up_with(browser: &Browser) {
    let dir = shed();
    let ticking =
        PAGE.replace("holds clicks = 0", "holds clicks = 0\nupon every (50) { clicks += 1 }");
    save(dir.path(), "shed-page.vein", &ticking);
    let server = Server::start(dir.path(), &[]);
    browser.open(&server).await;
    let clicks = "return Number(document.querySelector('#more').textContent)";
    browser.until("return document.querySelector('#more').textContent > 3", "the timer").await;
    // The server sleeps as it does when the machine does.
    server.process.signal("STOP");
    let before = browser.run(clicks).await.as_f64().expect("a number");
    tokio::time::sleep(Duration::from_millis(1500)).await;
    let asleep = browser.run(clicks).await.as_f64().expect("a number");
    assert!(asleep - before <= 2.0, "{asleep} after {before}");
    server.process.signal("CONT");
    let wait = format!("return document.querySelector('#more').textContent >= {}", before + 25.0);
    browser.until(&wait, "what was due meanwhile").await;
    // A timer goes on where it was: its file is saved, and its period is the same.
    save(dir.path(), "shed-page.vein", &ticking.replace("Shed 0", "Shed 1"));
    browser.until("return document.querySelector('h1').textContent === 'Shed 1'", "the page").await;
    let now = browser.run(clicks).await.as_f64().expect("a number");
    let wait = format!("return document.querySelector('#more').textContent > {now} + 3");
    assert!(now >= before + 25.0, "{now}");
    browser.until(&wait, "the timer").await;
}

pub async fn a_host_is_asked_to_the_half_of_a_character_and_may_wait_for_its_page(
    browser: &Browser,
) {
    let dir = TempDir::new().expect("a folder");
    let page = "asks twin(s: string): string
awaits later(s: string): string
streams ended(n: number): number
follows tick: number = ended(clicks)
holds half = '\\ud83d'
holds clicks = 0
derives other = twin(half)
loads third: string = later(other)
<p id='seen'>{other === '\\udca7' ? 'whole' : 'lost'} {third === half + other ? 'whole' : 'lost'}</p>
<p id='tick'>{tick}</p>
<button click='-> clicks++'>{clicks}</button>";
    let host =
        "export const twin = (s) => (s.length === 1 && s.charCodeAt(0) === 0xd83d ? '\\udca7' : s);
export const later = async (s) => `\\ud83d${s}`;
export async function* ended(n) { globalThis.ends = [...(globalThis.ends ?? []), n]; yield 10 + n; }
export default async function begin(vein) {
  const page = vein.open();
  // What comes of a click, which nobody sees before patches have come.
  await new Promise((done) => { page.watch('clicks', (n) => { if (n > 0) done(); }); });
  page.set('half', page.get('half'));
  globalThis.began = page.get('other').charCodeAt(0);
}";
    save(dir.path(), "a-page.vein", page);
    save(dir.path(), "host.js", host);
    let server = Server::start(dir.path(), &[]);
    browser.open(&server).await;
    browser
        .until("return document.querySelector('#seen').textContent === 'whole whole'", "halves")
        .await;
    assert_eq!(browser.run("return globalThis.began ?? null").await, json!(null));
    browser.click("button").await;
    browser.until("return document.querySelector('button').textContent === '1'", "a patch").await;
    browser.until("return globalThis.began === 0xdca7", "what the host waited for").await;
    // What a stream said last stays when it has ended, and it is asked once.
    browser.until("return document.querySelector('#tick').textContent === '11'", "a stream").await;
    tokio::time::sleep(Duration::from_millis(100)).await;
    assert_eq!(browser.run("return globalThis.ends").await, json!([0, 1]));
    // One that fails while it begins says so, and the page stays.
    save(
        dir.path(),
        "host.js",
        &host.replace("await new", "throw new Error('no shed'); await new"),
    );
    until_told(browser, "no shed").await;
    browser.click("button").await;
    browser.until("return document.querySelector('button').textContent === '2'", "a patch").await;
}

/// A timer whose pulse takes many times its period.
const COSTLY: &str = "holds n = 0
holds ticks = 0
holds sum = 0
upon every (1) { ticks++; for (const c of 'x'.repeat(20000).split('')) { sum++ } }
<button id='more' click='-> n++'>{n}</button><p>{ticks} {sum}</p>";

pub async fn a_timer_that_costs_more_than_its_period_stops_nobody(browser: &Browser) {
    let dir = TempDir::new().expect("a folder");
    save(dir.path(), "a-page.vein", COSTLY);
    let server = Server::start(dir.path(), &[]);
    browser.open(&server).await;
    until_told(browser, "periods are missed").await;
    used_while_it_ticks(browser).await;
    // The page is edited, and goes on.
    save(dir.path(), "a-page.vein", &COSTLY.replace("<p>", "<h1>busy</h1><p>"));
    browser.until("return document.querySelector('h1') !== null", "the edited page").await;
    let out = TempDir::new().expect("a folder");
    built(&[], dir.path(), out.path());
    let address = serve_files(out.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&address).await.expect("a page");
    used_while_it_ticks(browser).await;
}

async fn used_while_it_ticks(browser: &Browser) {
    let ticks = "return Number(document.querySelector('p').textContent.split(' ')[0])";
    browser.until(&format!("{ticks} > 3"), "the timer").await;
    for clicks in 1..=5 {
        browser.run("document.querySelector('#more').click()").await;
        let shown = format!("return document.querySelector('#more').textContent === '{clicks}'");
        browser.until(&shown, "a click").await;
    }
    let now = browser.run(ticks).await.as_f64().expect("a number");
    browser.until(&format!("{ticks} > {now} + 3"), "the timer to go on").await;
}
