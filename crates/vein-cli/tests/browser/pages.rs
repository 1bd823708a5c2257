//! Served pages in a real Chromium, driven over WebDriver: what its own observer saw is what the
//! ledger names.

use crate::driven::Browser;
use crate::running::Server;
use serde_json::{Value as Json, json};
use tempfile::TempDir;

const CARD: &str = include_str!("../../../vein/tests/api/bed-card.vein");
const CARD_DATA: &str = r#"{ "bed": { "id": 3, "crop": "Ruby chard", "moisture": 24 } }"#;

/// A project of one component.
fn card() -> TempDir {
    let dir = TempDir::new().expect("a folder");
    let settings = "component = 'bed-card'\ndata = 'data.json'\n";
    for (file, text) in [("bed-card.vein", CARD), ("data.json", CARD_DATA), ("vein.toml", settings)]
    {
        std::fs::write(dir.path().join(file), text).expect("a file");
    }
    dir
}

/// Notes every mutation of the view under the address that a ledger gives to its part.
const OBSERVE: &str = r#"
  const described = (element) => {
    const name = element.localName;
    if (element.id) return `${name}#${element.id}`;
    return element.classList.length ? `${name}.${element.classList[0]}` : name;
  };
  window.seen = [];
  const note = (records) => {
    for (const { type, target, attributeName } of records) {
      if (type === 'characterData') {
        seen.push([`${described(target.parentElement)} text`, target.nodeValue]);
      } else if (type === 'attributes') {
        seen.push([`${described(target)} ${attributeName}`, target.getAttribute(attributeName)]);
      } else {
        seen.push([`${described(target)} nodes`, null]);
      }
    }
  };
  window.observer = new MutationObserver(note);
  observer.observe(document.getElementById('view'), {
    subtree: true, childList: true, characterData: true, attributes: true,
  });
  // Nothing of this page may run against its own policy.
  window.violations = [];
  document.addEventListener('securitypolicyviolation', (e) => violations.push(e.violatedDirective));
"#;

/// What the ledger says that a pulse changed, as the observer would write it.
fn recorded(entry: &Json) -> Vec<Json> {
    let component = entry["component"].as_str().expect("a name");
    let parts = entry["parts"].as_array().expect("a list");
    let address = |part: &Json| {
        let full = part["part"].as_str().expect("an address");
        full.strip_prefix(&format!("{component} › ")).expect("its component").to_owned()
    };
    parts.iter().map(|part| json!([address(part), part["to"]])).collect()
}

pub async fn what_the_observer_saw_is_what_the_ledger_names(browser: &Browser) {
    let dir = card();
    let server = Server::start(dir.path(), &["--ledger", "--json"]);
    browser.open(&server).await;
    browser.run(OBSERVE).await;
    let ui = vein::Ui::from_dir(dir.path()).expect("the card checks");
    let data: Json = serde_json::from_str(CARD_DATA).expect("JSON");
    let mut page = ui.open("bed-card", data).expect("data that fits");
    // Eleven clicks fill the bed; the last one disables the button.
    for click in 1..=11 {
        browser.click("button").await;
        let entry: Json = serde_json::from_str(&server.process.line()).expect("a line of JSON");
        assert_eq!(entry["pulse"], json!(click));
        assert_eq!(entry["verdict"]["exact"], json!(true), "{entry}");
        let expected = recorded(&entry);
        let wait = format!("return seen.length >= {}", expected.len());
        browser.until(&wait, "the patches").await;
        let seen = browser.run("return seen.splice(0)").await;
        assert_eq!(seen, Json::Array(expected), "click {click}: {entry}");
        let pulse = page.find("button").expect("a button").click().expect("a click");
        assert_eq!(pulse.json(), entry, "the same in memory");
        let html = browser.run("return document.getElementById('view').innerHTML").await;
        assert_eq!(html, json!(page.html()), "click {click}");
    }
    // A disabled button does nothing, here as there.
    browser.click("button").await;
    assert!(server.process.is_quiet(), "no pulse for a disabled button");
    assert_eq!(browser.run("return seen").await, json!([]));
    assert_eq!(browser.run("return violations").await, json!([]));
}

const LAB: &str = "
holds log: string[] = []
does note(what: string) { log.push(what) }
does key_was(key: string) { log.push(key) }

<section click=\"-> note('section')\">
  <div id='stop' click=\"->(stop) note('div')\"><button id='inner'>a</button></div>
  <div id='self' click=\"->(self) note('self')\"><button id='child'>b</button></div>
  <form id='form' submit=\"->(prevent) note('sent')\"><button id='send'>c</button></form>
  <a id='once' href='#gone' click=\"->(once, prevent) note('once')\">d</a>
  <input id='keys' keydown='->(key Enter) key_was'>
  <input id='slow' focus=\"-> note('focus')\" input='->(quiet 200) note(event.value)'>
</section>
<output>{log.join(' ')}</output>
";

pub async fn events_behave_as_in_memory(browser: &Browser) {
    let dir = TempDir::new().expect("a folder");
    std::fs::write(dir.path().join("event-lab.vein"), LAB).expect("a component");
    let server = Server::start(dir.path(), &["--ledger", "--json"]);
    browser.open(&server).await;
    let mut log: Vec<&str> = Vec::new();
    for (selector, noted) in [
        ("#inner", &["div"][..]),
        ("#child", &["section"]),
        ("#send", &["section", "sent"]),
        ("#once", &["once", "section"]),
        ("#slow", &["focus", "section"]),
    ] {
        browser.click(selector).await;
        log.extend(noted);
        let wait =
            format!("return document.querySelector('output').textContent === {:?}", log.join(" "));
        browser.until(&wait, selector).await;
    }
    let prevented = browser.run("return location.hash === '' && location.search === ''").await;
    assert_eq!(prevented, Json::Bool(true), "neither the link nor the form went anywhere");
    // Several keys within 200 ms are one change, after they have settled.
    let slow = browser.client.find("#slow").await.expect("a field");
    slow.send_keys("kale").await.expect("keys");
    log.push("kale");
    let wait =
        format!("return document.querySelector('output').textContent === {:?}", log.join(" "));
    browser.until(&wait, "the settled text").await;
    let keys = browser.client.find("#keys").await.expect("a field");
    keys.send_keys("ab\u{e007}").await.expect("keys");
    log.push("Enter");
    let wait =
        format!("return document.querySelector('output').textContent === {:?}", log.join(" "));
    browser.until(&wait, "the key").await;
    assert_eq!(browser.text("output").await, log.join(" "));
    // The second click on what happens once goes on to the section alone, and then the link.
    browser.click("#once").await;
    log.push("section");
    let wait =
        format!("return document.querySelector('output').textContent === {:?}", log.join(" "));
    browser.until(&wait, "the second click").await;
    assert_eq!(browser.run("return location.hash").await, json!("#gone"));
}

pub async fn the_applier_refuses_what_is_malformed_and_leaves_the_page_as_it_is(browser: &Browser) {
    let dir = card();
    let server = Server::start(dir.path(), &[]);
    browser.open(&server).await;
    let ui = vein::Ui::from_dir(dir.path()).expect("the card checks");
    let data = json!({ "bed": { "id": 1, "crop": "Kale 😀 <b>", "moisture": 99 } });
    let page = ui.open("bed-card", data).expect("data that fits");
    let opening = page.opening().pulse.patches.to_bytes();
    let script = "
      const [bytes, done] = [arguments[0], arguments[arguments.length - 1]];
      import('/vein/applier.mjs').then(({ Applier }) => {
        const place = document.createElement('div');
        document.body.append(place);
        const surface = new Applier(place, () => {});
        const whole = Uint8Array.from(bytes);
        const refused = [];
        for (let cut = 0; cut < whole.length; cut++) {
          try {
            surface.apply(whole.slice(0, cut).buffer);
            refused.push(cut);
          } catch { /* as it should */ }
        }
        const untouched = place.childNodes.length === 0;
        surface.apply(whole.buffer);
        const html = place.innerHTML;
        let twice = false;
        // The same numbers cannot be given out a second time.
        try { surface.apply(whole.buffer); } catch { twice = place.innerHTML === html; }
        done({ refused, untouched, twice, html });
      });";
    let result =
        browser.client.execute_async(script, vec![json!(opening)]).await.expect("a script");
    let expected = json!({ "refused": [], "untouched": true, "twice": true, "html": page.html() });
    assert_eq!(result, expected);
}
