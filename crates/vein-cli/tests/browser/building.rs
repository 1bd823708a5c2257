//! What `vein build` makes, at work in a real Chromium: the site, and what it does when something is
//! missing or broken.

use crate::building_of::{asset, built, counting, mappings};
use crate::driven::Browser;
use crate::running::Server;
use crate::running::{copy, glasshouse};
use serde_json::{Value as Json, json};
use std::path::Path;
use tempfile::TempDir;
use vein_cli::trial::serve_files;

/// Has a page load a script of its own before anything of it starts.
fn probed(out: &Path, script: &str) {
    std::fs::write(out.join("probe.js"), script).expect("a script");
    let page = out.join("index.html");
    let html = std::fs::read_to_string(&page).expect("a page");
    let html = html.replace("</body>", "<script src=\"./probe.js\"></script>\n</body>");
    std::fs::write(page, html).expect("a page");
}

/// Notes what stands in the view before the engine is there, and what becomes of it.
const PROBE: &str = "
window.before = [...document.querySelectorAll('#view *')];
window.records = [];
window.violations = [];
document.addEventListener('securitypolicyviolation', (e) => violations.push(e.violatedDirective));
new MutationObserver((all) => records.push(...all)).observe(document.getElementById('view'), {
  subtree: true, childList: true, attributes: true, characterData: true, characterDataOldValue: true,
});
const wait = setInterval(() => {
  if (!('linked' in document.documentElement.dataset)) return;
  clearInterval(wait);
  const now = [...document.querySelectorAll('#view *')];
  window.kept = now.length === before.length && now.every((node, at) => node === before[at]);
  // A parser makes one text of neighbours: parting them is no change of what is shown.
  window.disturbed = records.filter(({ type, target, oldValue, addedNodes, removedNodes }) => (
    type === 'attributes' || removedNodes.length > 0 || [...addedNodes].some((node) => node.nodeType !== 3)
      || (type === 'characterData' && !oldValue.startsWith(target.data)))).length;
}, 1);
";

pub async fn the_glasshouse_is_taken_over_as_it_was_written_and_lives_below_a_sub_path(
    browser: &Browser,
) {
    for more in [&[][..], &["--readable"]] {
        taken_over(browser, more).await;
    }
}

async fn taken_over(browser: &Browser, more: &[&str]) {
    let dir = TempDir::new().expect("a folder");
    let out = dir.path().join("some/where");
    built(more, glasshouse(), &out);
    probed(&out, PROBE);
    let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&format!("{address}/some/where/")).await.expect("a page");
    browser.until("return window.kept !== undefined", "the take-over").await;
    assert_eq!(
        browser.run("return [kept, disturbed, before.length > 60]").await,
        json!([true, 0, true])
    );
    // A click, a typed text, an answer that comes late and a sensor: all in the page itself.
    let litres = "return document.querySelector('.gauge, tank-gauge, header').textContent";
    let before = browser.run(litres).await;
    browser.click(".bed button.water").await;
    assert_ne!(browser.run(litres).await, before, "the tank gave water");
    let forecast = "return /clear|showers|fog/.test(document.querySelector('main').textContent)";
    browser.until(forecast, "the forecast").await;
    let sensed = "return /sensor: \\d/.test(document.querySelector('.sensor').textContent)";
    browser.until(sensed, "a reading").await;
    assert_eq!(browser.run("return violations").await, json!([]), "against its own policy");
}

pub async fn a_page_whose_files_are_missing_or_damaged_says_so_and_stays(browser: &Browser) {
    let host = [("host.js", "export const crop = 'leek';\n")];
    let (project, whole) = (counting(&host), TempDir::new().expect("a folder"));
    built(&["count-up"], project.path(), whole.path());
    for (stem, ending, damaged, said) in [
        ("main-", ".mjs", false, "could not be started"),
        ("main-", ".mjs", true, "could not be started"),
        ("host-", "", false, "could not be started"),
    ] {
        let dir = TempDir::new().expect("a folder");
        copy(whole.path(), dir.path());
        // The host stands in a folder of its own.
        let found = asset(dir.path(), stem, ending);
        let file = if found.is_dir() { found.join("host.js") } else { found };
        if damaged {
            let mut bytes = std::fs::read(&file).expect("a file");
            let middle = bytes.len() / 2;
            bytes[middle..].fill(0xff);
            std::fs::write(&file, bytes).expect("a file");
        } else {
            std::fs::remove_file(&file).expect("a file");
        }
        let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
        browser.client.goto(&address).await.expect("a page");
        browser.until("return !document.getElementById('link').hidden", "a word of it").await;
        let text = browser.text("#link").await;
        assert!(text.contains(said), "{stem}{ending}: {text}");
        assert_eq!(browser.text("#view button").await, "0", "what was written stays");
    }
}

/// A host that fails in the middle of what a click does, and what it does from outside meanwhile.
const FAILING: &str = "
export const soil = (n) => {
  if (n === 2) throw new Error('no soil');
  try { globalThis.page?.set('count', 9); } catch (error) { globalThis.refused = error.message; }
  return 'loam';
};
export default (vein) => { globalThis.page = vein.open(); };
";

const SOILED: &str = "
asks soil(n: number): string
holds count = 0
holds clicks = 0
<button click=\"-> clicks++; count++\">{count} {soil(count)}</button><p>{clicks}</p>
";

pub async fn a_host_that_fails_leaves_the_page_as_it_is_and_is_told_of_once(browser: &Browser) {
    let toml = "component = 'soil-ed'\n[answers.soil]\nvalues = ['loam']\n";
    let files = [("soil-ed.vein", SOILED), ("host.js", FAILING), ("vein.toml", toml)];
    let (project, dir) = (counting(&files), TempDir::new().expect("a folder"));
    built(&[], project.path(), dir.path());
    probed(
        dir.path(),
        "window.said = []; console.error = (...all) => said.push(all.join(' '));
         window.addEventListener('error', (e) => said.push(`error ${e.message}`));",
    );
    let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&address).await.expect("a page");
    browser.until("return 'linked' in document.documentElement.dataset", "the page").await;
    browser.click("#view button").await;
    assert_eq!(browser.text("#view button").await, "1 loam");
    for times in 1..3 {
        browser.click("#view button").await;
        assert_eq!(browser.text("#view button").await, "1 loam");
        assert_eq!(browser.text("#view p").await, "1", "all or nothing");
        let said = browser.run("return said").await;
        assert_eq!(said.as_array().map(Vec::len), Some(times), "{said}");
        let text = said[times - 1].as_str().unwrap_or_default();
        assert!(text.contains("the host could not answer `soil`: no soil"), "{text}");
    }
    let refused = "try { page.set('count', 2); } catch (error) { return error.message; }";
    let refused = browser.run(refused).await;
    assert!(refused.as_str().is_some_and(|said| said.contains("no soil")), "{refused}");
    let meanwhile = browser.run("return window.refused").await;
    assert!(meanwhile.as_str().is_some_and(|said| said.contains("under way")), "{meanwhile}");
    // What a host may do it can do afterwards as before.
    browser.run("page.set('count', 3)").await;
    assert_eq!(browser.text("#view button").await, "3 loam");
}

pub async fn a_damaged_batch_is_refused_and_the_page_is_not_touched(browser: &Browser) {
    let (project, dir) = (counting(&[]), TempDir::new().expect("a folder"));
    std::fs::write(dir.path().join("applier.mjs"), include_str!("../../page/applier.mjs"))
        .expect("a script");
    std::fs::write(dir.path().join("index.html"), "<!doctype html><title>a page</title>")
        .expect("a page");
    let ui = vein::Ui::from_dir(project.path()).expect("it checks");
    let mut page = ui.page("count-up").open(json!({})).expect("it opens");
    let opening = page.opening().pulse.patches.to_bytes();
    let click = page.find("button").expect("a button").click().expect("a click");
    let batches = json!([opening, click.pulse.patches.to_bytes()]);
    let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&address).await.expect("a page");
    // Both batches, of the opening and of the click, with each bit turned, and cut everywhere.
    let tried = "
    const [base, given] = arguments;
    const batches = given.map((bytes) => Uint8Array.from(bytes).buffer);
    window.outcome = null;
    (async () => {
      const { Applier } = await import(`${base}/applier.mjs`);
      let [tried, refused, touched] = [0, 0, 0];
      for (const [number, batch] of batches.entries()) {
        const place = document.createElement('div');
        const surface = new Applier(place, () => {});
        for (const before of batches.slice(0, number)) surface.apply(before);
        const observer = new MutationObserver(() => {});
        observer.observe(place, { subtree: true, childList: true, attributes: true, characterData: true });
        const damaged = Array.from({ length: batch.byteLength }, (_, end) => batch.slice(0, end));
        for (let bit = 0; bit < batch.byteLength * 8; bit++) {
          const copy = batch.slice();
          new Uint8Array(copy)[bit >> 3] ^= 1 << (bit & 7);
          damaged.push(copy);
        }
        for (const copy of damaged) {
          tried++;
          try { surface.apply(copy); } catch { refused++; }
          touched += observer.takeRecords().length;
        }
        surface.apply(batch);
        if (observer.takeRecords().length === 0) throw new Error('the whole batch does nothing');
      }
      window.outcome = [tried > 500, tried - refused, touched];
    })().catch((error) => { window.outcome = String(error); });";
    browser.client.execute(tried, vec![json!(address), batches]).await.expect("a script that runs");
    browser.until("return outcome !== null", "all of them").await;
    assert_eq!(browser.run("return outcome").await, json!([true, 0, 0]));
}

/// Ids that the page's own elements have, too.
const NAMESAKES: &str = "
holds count = 0
<p id=\"view\">view</p><p id=\"link\">link</p><p id=\"props\">props</p><p id=\"unscripted\">no</p>
<button click=\"-> count++\">{count}</button>
";

pub async fn a_component_may_use_the_ids_of_the_page(browser: &Browser) {
    let (project, dir) =
        (counting(&[("name-sakes.vein", NAMESAKES)]), TempDir::new().expect("a folder"));
    built(&["name-sakes"], project.path(), dir.path());
    let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&address).await.expect("a page");
    browser.until("return 'linked' in document.documentElement.dataset", "the page").await;
    browser.click("button").await;
    assert_eq!(browser.text("button").await, "1");
    let shown = "return [...document.querySelectorAll('body > #view > p')].map((p) =>
        [p.textContent, getComputedStyle(p).display, getComputedStyle(p).position])";
    let each = ["view", "link", "props", "no"].map(|text| json!([text, "block", "static"]));
    assert_eq!(browser.run(shown).await, json!(each));
    assert_eq!(
        browser.run("return document.querySelector('body > #link').hidden").await,
        json!(true)
    );
}

const ALONE: &str = "shape Bed { crop: string, note: string? }
takes beds: Bed[]
takes most: number = 3
takes prices: number{}
holds ticks = 0
uses tank
upon every (20) { if (ticks < most) { ticks += 1; tank.draw(); } }
<p>{ticks} {tank.litres}</p>
<i each=\"bed of beds\">{bed.note ?? 'no note'}</i>
<b>{Object.keys(prices).join()} {prices['__proto__'] ?? '-'} {prices['toString'] ?? '-'} {'valueOf' in prices}</b>
";

const TANK: &str = "store tank\nholds litres = 60\ndoes draw() { litres -= 5; }\n";

/// Without a host a page has nothing of what is there for one: it lives all the same.
pub async fn a_page_that_nobody_drives_lives(browser: &Browser) {
    let files = [
        ("alone-view.vein", ALONE),
        ("water-tank.vein", TANK),
        (
            "beds.json",
            r#"{ "beds": [{ "crop": "kale" }, { "crop": "pea", "note": "late" }],
              "prices": { "tea": 1, "__proto__": 2, "7": 3 } }"#,
        ),
        ("vein.toml", "component = 'alone-view'\ndata = 'beds.json'\n"),
    ];
    for more in [&[][..], &["--readable"]] {
        let (project, dir) = (counting(&files), TempDir::new().expect("a folder"));
        built(more, project.path(), dir.path());
        let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
        browser.client.goto(&address).await.expect("a page");
        browser
            .until("return document.querySelector('p').textContent === '3 45'", "three turns")
            .await;
        let notes = "return [...document.querySelectorAll('i')].map((i) => i.textContent)";
        assert_eq!(browser.run(notes).await, json!(["no note", "late"]));
        assert_eq!(browser.text("b").await, "7,tea,__proto__ 2 - false");
    }
}

const MEASURED: &str = "holds seen = ''
holds wide = 0
holds odd = ''
<div id='long' style='height: 100px; width: 200px; overflow: auto' scroll=\"-> seen = `${event.scrollTop}, ${event.clientHeight} of \
${event.scrollHeight}`\"><p style='height: 1000px; width: 150px; margin: 0' click='-> wide = event.offsetWidth'>long</p></div>
<form click='-> odd = `${event.offsetHeight} ${event.clientX}`'><input name='offsetHeight'></form>
<output>{seen}</output>
<b>{wide}</b>
<i>{odd}</i>
";

/// Measures that an event is about are those of the element, served as built; a form's control of that name is none.
pub async fn an_event_knows_the_measures_of_its_element(browser: &Browser) {
    let (project, dir) =
        (counting(&[("long-view.vein", MEASURED)]), TempDir::new().expect("a folder"));
    built(&["long-view"], project.path(), dir.path());
    let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
    let server = Server::start(project.path(), &["long-view"]);
    for built in [true, false] {
        match built {
            true => {
                browser.client.goto(&address).await.expect("a page");
                browser
                    .until("return 'linked' in document.documentElement.dataset", "the page")
                    .await;
            }
            false => browser.open(&server).await,
        }
        for (does, shows, shown) in [
            // A browser tells of scrolling when it draws, which it need not do with a page that nobody looks at.
            (
                "const long = document.querySelector('#long'); long.scrollTop = 300; long.dispatchEvent(new Event('scroll'))",
                "output",
                "300, 100 of 1000",
            ),
            ("document.querySelector('p').click()", "b", "150"),
            (
                "document.querySelector('form').dispatchEvent(new MouseEvent('click', { clientX: 7, bubbles: true }))",
                "i",
                "0 7",
            ),
        ] {
            let does = format!(
                "{does}; return document.querySelector('{shows}').textContent === '{shown}'"
            );
            browser.until(&does, shown).await;
        }
    }
}

const CIRCLE: &str = "holds n = 0

does forth() {
  n += 1;
  back();
}

does back() {
  forth();
}

<button click=\"-> forth()\">{n}</button>
";

/// The place that a fault is told with leads to the component, by way of the script's source map.
pub async fn a_fault_leads_to_where_it_was_written(browser: &Browser) {
    for more in [&[][..], &["--readable"]] {
        let (project, dir) =
            (counting(&[("circle-view.vein", CIRCLE)]), TempDir::new().expect("a folder"));
        built(&[&["circle-view"], more].concat(), project.path(), dir.path());
        let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
        browser.client.goto(&address).await.expect("a page");
        browser.until("return 'linked' in document.documentElement.dataset", "the page").await;
        browser
            .run("window.told = []; console.error = (...all) => told.push(all.at(-1).stack)")
            .await;
        browser.click("button").await;
        assert_eq!(browser.text("button").await, "0");
        let stack = browser.run("return told.join('')").await;
        let stack = stack.as_str().expect("a text");
        let mut lines = Vec::new();
        for frame in stack.lines().filter_map(|line| line.split("/assets/").nth(1)) {
            let mut pieces = frame.trim_end_matches(')').split(':');
            let path = dir.path().join("assets").join(pieces.next().expect("a file"));
            let number = |text: Option<&str>| {
                text.and_then(|n| n.parse::<usize>().ok()).expect("a number") - 1
            };
            let at = (number(pieces.next()), number(pieces.next()));
            let map =
                path.with_file_name(format!("{}.map", path.file_name().expect("a name").display()));
            let Ok(map) = std::fs::read_to_string(map) else { continue };
            let map: Json = serde_json::from_str(&map).expect("JSON");
            let all = mappings(map["mappings"].as_str().expect("a text"));
            let last = all.iter().rev().find(|(place, ..)| place.0 == at.0 && *place <= at);
            lines.extend(last.map(|(_, _, (line, _))| line + 1));
        }
        assert!(lines.contains(&5) && lines.contains(&9), "{more:?}: {lines:?}\n{stack}");
    }
}

const GREEDY: &str = "holds n = 0
holds far = false
holds s = 'ab'
holds rows = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10]
<p>{n}</p>
<button id=\"on\" click=\"-> n++\">on</button>
<button id=\"loops\" click=\"-> for (const a of rows) for (const b of rows) for (const c of rows) n++\">loops</button>
<button id=\"text\" click=\"-> for (const a of rows) s = s + s; for (const a of rows) s = `${s}${s}`;\">text</button>
<button id=\"list\" click=\"-> for (const a of rows) rows = [...rows, ...rows]; n = 99;\">list</button>
<button id=\"far\" click=\"-> far = true\">far</button>
<b when=\"far\">{rows.reduce((x, a) => rows.reduce((y, b) => rows.reduce((z, c) => z + 1, y), x), 0)}</b>
<button id=\"wide\" click=\"-> wide = rows\">wide</button>
<i each=\"a of wide\"><u each=\"b of wide\"><s each=\"c of wide\">{c}</s></u></i>
";

/// What costs without end costs its own pulse, which is taken back and told of, where Vein's server runs it and in a page that
/// is built.
pub async fn what_costs_without_end_is_taken_back(browser: &Browser) {
    let component = format!("holds wide: number[] = []\n{GREEDY}");
    let settings =
        "component = 'greedy-view'\n\n[budget]\nsteps = 900\nbytes = 30_000\nnodes = 2_000\n";
    let project = counting(&[("greedy-view.vein", &component), ("vein.toml", settings)]);
    let cases = [
        ("#loops", "900 steps (`budget.steps`)"),
        ("#text", "30,000 bytes of values (`budget.bytes`)"),
        ("#list", "30,000 bytes of values (`budget.bytes`)"),
        ("#far", "900 steps (`budget.steps`)"),
        ("#wide", "2,000 nodes, rows and components (`budget.nodes`)"),
    ];
    for more in [None, Some(&[][..]), Some(&["--readable"])] {
        let (dir, mut server) = (TempDir::new().expect("a folder"), None);
        match more {
            Some(more) => {
                built(more, project.path(), dir.path());
                let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
                browser.client.goto(&address).await.expect("a page");
                browser
                    .until("return 'linked' in document.documentElement.dataset", "the page")
                    .await;
            }
            None => {
                server = Some(Server::start(project.path(), &[]));
                browser.open(server.as_ref().expect("a server")).await;
            }
        }
        browser.run("window.told = ''; console.error = (said) => { told += said }").await;
        for (at, (button, said)) in cases.into_iter().enumerate() {
            browser.click(button).await;
            if more.is_some() {
                let told = browser.run("const all = told; told = ''; return all").await;
                let told = told.as_str().expect("a text");
                assert!(told.contains(said), "{more:?}, {button}: {told}");
            }
            browser.click("#on").await;
            let one = format!("return document.querySelector('p').textContent === '{}'", at + 1);
            browser.until(&one, button).await;
            let left = browser.run("return document.querySelectorAll('b, i').length").await;
            assert_eq!(left, 0, "{more:?}, {button}");
        }
        drop(server);
    }
}

const TINTED: &str = "holds wide = 12
holds rows = [1]
<main style=\"padding: {wide}px\">
  <button style=\"margin: 3px\" click=\"-> wide += 1; rows.push(2)\">wider</button>
  <p each=\"row of rows\" style=\"letter-spacing: 5px\">{row}</p>
  <i each=\"row of rows\" style=\"<- { wordSpacing: `${row}px` }\">i</i>
  <any tag=\"<- wide > 12 ? 'h3' : 'h2'\" style=\"text-indent: 7px\">a</any>
  <bed-label class=\"<- ['tinted', wide > 12 && 'wide']\"></bed-label><bed-label></bed-label>
</main>
<style>
  .tinted { line-height: 21px; &.wide { line-height: 22px } }
  b { line-height: 23px }
</style>
";

const LABEL: &str = "<b><b>label</b></b>\n<style>b > b { word-spacing: 4px }</style>\n";

/// Declarations apply where the page's policy allows none that are written in attributes.
pub async fn styles_apply_under_the_strict_policy(browser: &Browser) {
    let files = [("tinted-view.vein", TINTED), ("bed-label.vein", LABEL)];
    let (project, dir) = (counting(&files), TempDir::new().expect("a folder"));
    built(&["tinted-view"], project.path(), dir.path());
    let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&address).await.expect("a page");
    browser.until("return 'linked' in document.documentElement.dataset", "the page").await;
    let shown = "const of = (selector, name) => getComputedStyle([...document.querySelectorAll(selector)].at(-1))[name];
        return [of('main', 'paddingTop'), of('button', 'marginTop'), of('main p', 'letterSpacing'),
          of('main i', 'wordSpacing'), of('h2, h3', 'textIndent'), of('main > .tinted', 'lineHeight'),
          of('main > b', 'lineHeight'), of('b > b', 'wordSpacing')]";
    let plain = "normal";
    let seen = json!(["12px", "3px", "5px", "1px", "7px", "21px", plain, "4px"]);
    assert_eq!(browser.run(shown).await, seen);
    browser.click("button").await;
    browser.until("return document.querySelectorAll('main p').length === 2", "a row").await;
    let seen = json!(["13px", "3px", "5px", "2px", "7px", "22px", plain, "4px"]);
    assert_eq!(browser.run(shown).await, seen);
}

/// A person who is faster than the engine.
const HASTY: &str = "
const at = (id) => document.getElementById(id);
at('crop').value = 'Straßen-Kresse';
at('dry').checked = true;
at('place').value = 'b';
at('crop').focus();
at('crop').setSelectionRange(3, 3);
";

const FORM: &str = "
holds crop = 'Ruby chard'
holds dry = false
holds place = 'a'
<form>
  <input id=\"crop\" value=\"<-> crop\">
  <input id=\"dry\" type=\"checkbox\" checked=\"<-> dry\">
  <select id=\"place\" value=\"<-> place\"><option>a</option><option>b</option></select>
  <p>{crop.toUpperCase()}, {dry ? 'dry' : 'wet'}, {place}</p>
  <button type=\"button\" click=\"-> crop = crop.toLowerCase()\">small</button>
</form>
";

pub async fn what_was_typed_before_the_engine_came_is_heard_and_stays(browser: &Browser) {
    let (project, dir) = (counting(&[("crop-form.vein", FORM)]), TempDir::new().expect("a folder"));
    built(&["crop-form"], project.path(), dir.path());
    probed(dir.path(), HASTY);
    let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&address).await.expect("a page");
    browser.until("return 'linked' in document.documentElement.dataset", "the page").await;
    let held = "
    const [crop, dry, place] = ['crop', 'dry', 'place'].map((id) => document.getElementById(id));
    return [crop.value, dry.checked, place.value, document.activeElement.id, crop.selectionStart]";
    assert_eq!(browser.run(held).await, json!(["Straßen-Kresse", true, "b", "crop", 3]));
    assert_eq!(browser.text("p").await, "STRASSEN-KRESSE, dry, b");
    browser.click("button").await;
    let crop = "return document.getElementById('crop').value";
    assert_eq!(browser.run(crop).await, json!("straßen-kresse"));
    // The place of the view can be hidden as any element can.
    let hidden = "
    const view = document.getElementById('view');
    view.hidden = true;
    return getComputedStyle(view).display";
    assert_eq!(browser.run(hidden).await, json!("none"));
}

/// What a host in ECMAScript does with a page, and what it is told that cannot be done.
const HOST: &str = "
export const soil_name = (code) => `soil ${code}`;
export async function fetch_sky(bed) {
  if (bed > 1) throw new Error('the station is silent');
  return 'clear';
}
export async function* level(bed, { signal }) {
  globalThis.signal = signal;
  yield bed;
  yield bed + 1;
  await new Promise(() => {});
}
export default async function begin(vein) {
  await null;
  const page = vein.open({ bed: 1 });
  globalThis.page = page;
  globalThis.seen = [];
  globalThis.given = [];
  globalThis.end = page.watch('count', (count) => seen.push(count));
  page.on('counted', (payload) => given.push(payload));
}
";

const ASKING: &str = "
takes bed: number = 0
gives counted(count: number)
asks soil_name(code: string): string
awaits fetch_sky(bed: number): string
streams level(bed: number): number
loads sky: string = fetch_sky(bed)
follows height: number = level(bed)
holds count = 0
holds stock: { litres: number }{} = {}

does step(by: number) { count += by; give counted(count); }

<section>
  <output each=\"key of Object.keys(stock) by key\">{key} {stock[key]?.litres}</output>
  <h1>{soil_name('b')}</h1>
  <p class=\"sky\" when=\"sky is waiting\">waiting</p>
  <p class=\"sky\" or-when=\"sky is failed\">{sky.reason}</p>
  <p class=\"sky\" otherwise>{sky}</p>
  <p class=\"height\">{height ?? 0}</p>
  <button click=\"-> step(1)\">{count}</button>
</section>
";

/// What the host above does with its page, wherever that is.
async fn drives_the_page(browser: &Browser) {
    let told = "return document.querySelector('.height')?.textContent === '2'";
    browser.until(told, "the stream").await;
    assert_eq!(browser.text(".sky").await, "clear");
    browser.click("button").await;
    browser.run("page.call('step', 2); page.set('count', 7); end(); page.set('count', 8);").await;
    assert_eq!(browser.run("return seen").await, json!([0, 1, 3, 7]));
    assert_eq!(browser.run("return given").await, json!([{ "count": 1 }, { "count": 3 }]));
    assert_eq!(browser.run("return page.get('count')").await, json!(8));
    // Entries of a dictionary are found by their keys, and may be new.
    browser
        .run("page.set('stock[\"a b\"]', { litres: 1 }); page.set('stock.tea', { litres: 2 });")
        .await;
    browser.run("page.set('stock[\"a b\"].litres', 3);").await;
    let stock = "return [...document.querySelectorAll('output')].map((o) => o.textContent)";
    browser
        .until(&format!("return (() => {{ {stock} }})().join() === 'a b 3,tea 2'"), "the stock")
        .await;
    assert_eq!(browser.run("return page.get('stock[\"a b\"].litres')").await, json!(3));
    // An argument changes: the old stream is let go, the new question fails.
    browser.run("window.old = signal; page.set('bed', 2)").await;
    assert_eq!(browser.run("return [old.aborted, signal.aborted]").await, json!([true, false]));
    let silent = "return document.querySelector('.sky').textContent === 'the station is silent'";
    browser.until(silent, "the failure").await;
    // What cannot be done is said, and changes nothing.
    for (script, said) in [
        ("page.set('count', 'many')", "count"),
        ("page.set('cuont', 1)", "cuont"),
        ("page.call('stepp', 1)", "stepp"),
        ("page.get('nothing')", "nothing"),
        ("page.get('stock.rye')", "stock.rye"),
        ("page.set('stock.rye.litres', 1)", "stock.rye"),
        ("page.set('stock[tea]', { litres: 1 })", "stock[tea]"),
        ("page.set('stock.tea', { litres: 'much' })", "stock.tea.litres"),
        ("page.set('count', () => {})", "function"),
    ] {
        let script = format!("try {{ {script}; }} catch (error) {{ return error.message; }}");
        let refused = browser.run(&script).await;
        assert!(refused.as_str().is_some_and(|text| text.contains(said)), "{script}: {refused}");
    }
    assert_eq!(browser.text("button").await, "8");
}

pub async fn a_host_module_drives_a_served_page(browser: &Browser) {
    let files =
        [("asks-much.vein", ASKING), ("host.js", HOST), ("vein.toml", "component = 'asks-much'")];
    let project = counting(&files);
    let server = Server::start(project.path(), &[]);
    browser.open(&server).await;
    browser
        .run("addEventListener('unhandledrejection', (e) => { window.bad = String(e.reason); })")
        .await;
    drives_the_page(browser).await;
    // It goes on driving the page when the components are others, and is another when its file is.
    let other = ASKING.replace("<section>", "<section id='other'>");
    std::fs::write(project.path().join("asks-much.vein"), other).expect("a file");
    browser.until("return document.querySelector('#other') !== null", "the other page").await;
    browser.run("window.more = []; page.watch('count', (count) => more.push(count)); page.set('count', 20)").await;
    assert_eq!(browser.run("return more").await, json!([8, 20]));
    browser.click("button").await;
    browser.until("return more.length === 3 && more[2] === 21", "what is watched").await;
    let other = HOST.replace("globalThis.seen = []", "globalThis.seen = ['anew']");
    std::fs::write(project.path().join("host.js"), other).expect("a file");
    browser.until("return seen[0] === 'anew' && seen.length === 2", "the other host").await;
    assert_eq!(browser.run("return [seen[1], window.bad ?? null]").await, json!([21, null]));
    // Nobody else drives it.
    let foreign = "const [token] = arguments; return fetch('/vein/host', { method: 'POST',
        body: JSON.stringify({ tab: 1, token, after: 0, heard: 0, what: { set: ['count', 1] } }) }).then((r) => r.status)";
    let status = browser.client.execute(foreign, vec![json!("guessed")]).await.expect("a script");
    assert_eq!(status, json!(403));
    let left = browser.run("page.close(); return signal.aborted").await;
    assert_eq!(left, json!(true));
    browser
        .until("return document.querySelector('#view').childNodes.length === 0", "the end")
        .await;
}

pub async fn a_host_module_answers_and_drives_the_page(browser: &Browser) {
    let answers = "component = 'asks-much'\n[answers.soil_name]\nvalues = ['soil b']\n";
    let files = [("asks-much.vein", ASKING), ("host.js", HOST), ("vein.toml", answers)];
    let (project, dir) = (counting(&files), TempDir::new().expect("a folder"));
    built(&[], project.path(), dir.path());
    let address = serve_files(dir.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&address).await.expect("a page");
    drives_the_page(browser).await;
    let left = browser.run("return [page.close(), signal.aborted]").await;
    assert_eq!(left[1], json!(true));
    let left = left[0].as_object().expect("counts");
    assert!(left.values().all(|count| count.as_f64() == Some(0.0)), "{left:?}");
}
