//! `vein build --element`, in a page that knows nothing of Vein.

use crate::building_of::{TILE, built, project};
use crate::driven::Browser;
use serde_json::{Value as Json, json};
use tempfile::TempDir;
use vein_cli::trial::serve_files;

/// A page with elements in it that nothing is known of yet.
const PAGE: &str = r#"<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><title>a page</title></head>
<body>
<bed-tile id="early" crop="Ruby chard" moisture="24" wide-view tone="loud" litres="3">
  <p>inside</p><em slot="foot">below</em>
</bed-tile>
<div id="other"></div>
<bed-tile id="second"></bed-tile>
</body>
</html>
"#;

async fn opened(browser: &Browser, more: &[&str]) -> TempDir {
    let dir = project(TILE);
    let out = dir.path().join("dist");
    built(&[&["--element", "bed-tile"], more].concat(), dir.path(), &out);
    std::fs::write(out.join("index.html"), PAGE).expect("a page");
    let address = serve_files(out, &[]).await.expect("a server");
    browser.client.goto(&address).await.expect("a page");
    dir
}

async fn define(browser: &Browser) {
    browser.run("window.names = Object.keys(window).concat('names')").await;
    browser.run("import('./bed-tile.js').then(() => { window.known = true; }, (e) => { window.known = String(e); })").await;
    browser.until("return window.known !== undefined", "the element").await;
    assert_eq!(browser.run("return known").await, json!(true));
}

/// What an element shows: crop, moisture, notes, litres, and whether it is wide.
async fn shown(browser: &Browser, id: &str) -> Json {
    let script = format!(
        "const root = document.getElementById('{id}').shadowRoot;
         const text = (selector) => root.querySelector(selector)?.textContent ?? null;
         return [text('h3'), text('output'), [...root.querySelectorAll('li')].map((li) => li.textContent),
           text('button'), root.querySelector('section')?.dataset.wide ?? null,
           root.querySelector('section')?.className ?? null];"
    );
    browser.run(&script).await
}

pub async fn attributes_and_properties_from_before_it_is_defined_count(browser: &Browser) {
    for more in [&[][..], &["--readable"]] {
        from_before(browser, more).await;
    }
}

async fn from_before(browser: &Browser, more: &[&str]) {
    let _dir = opened(browser, more).await;
    browser
        .run(
            "const made = document.createElement('bed-tile');
             made.id = 'made';
             made.notes = [{ text: 'pinch' }];
             made.moisture = 7;
             document.body.append(made);
             document.getElementById('second').notes = [{ text: 'one' }, { text: 'two' }];",
        )
        .await;
    define(browser).await;
    let early = json!(["Ruby chard", "24", [], "3", "yes", "loud"]);
    assert_eq!(shown(browser, "early").await, early);
    let second = json!(["unknown", "50", ["one", "two"], "1", null, "calm"]);
    assert_eq!(shown(browser, "second").await, second);
    assert_eq!(shown(browser, "made").await, json!(["unknown", "7", ["pinch"], "1", null, "calm"]));
    // Styles of the component reach inside, and nothing outside.
    let colour = "return getComputedStyle(early.shadowRoot.querySelector('section')).color";
    assert_eq!(browser.run(colour).await, json!("rgb(200, 0, 0)"));
    // What the page put inside stands where the component has its slots.
    let slotted = "return [...early.shadowRoot.querySelectorAll('slot')].map((slot) =>
        slot.assignedElements().map((e) => e.textContent))";
    assert_eq!(browser.run(slotted).await, json!([["inside"], ["below"]]));
    let fallback = "return second.shadowRoot.querySelector('slot[name=foot]').textContent";
    assert_eq!(browser.run(fallback).await, json!("nothing below"));
    let new = "return Object.keys(window).filter((name) => !names.includes(name))";
    assert_eq!(browser.run(new).await, json!(["known"]), "no global names");
}

pub async fn attribute_and_property_never_disagree(browser: &Browser) {
    let _dir = opened(browser, &["--reflect", "tone"]).await;
    define(browser).await;
    // What is done, then: property, attribute and what is shown.
    for (done, prop, attribute, holds, stands) in [
        (
            "second.setAttribute('moisture', '12.5')",
            "moisture",
            "moisture",
            json!(12.5),
            json!("12.5"),
        ),
        // An attribute that is there does not stay beside another value.
        ("second.moisture = 13", "moisture", "moisture", json!(13), json!(null)),
        ("second.setAttribute('moisture', 'much')", "moisture", "moisture", json!(50), json!(null)),
        ("second.setAttribute('wide-view', '')", "wideView", "wide-view", json!(true), json!("")),
        ("second.wideView = false", "wideView", "wide-view", json!(false), json!(null)),
        ("second.tone = 'loud'", "tone", "tone", json!("loud"), json!("loud")),
        ("second.removeAttribute('tone')", "tone", "tone", json!("calm"), json!("calm")),
        ("second.litres = 4", "litres", "litres", json!(4), json!("4")),
        ("second.setAttribute('litres', '5')", "litres", "litres", json!(5), json!("5")),
        (
            "second.shadowRoot.querySelector('button').click()",
            "litres",
            "litres",
            json!(6),
            json!("6"),
        ),
        (
            "second.setAttribute('notes', '[{\"text\":\"a\"}]')",
            "notes",
            "notes",
            json!([{ "text": "a" }]),
            json!("[{\"text\":\"a\"}]"),
        ),
        ("second.crop = undefined", "crop", "crop", json!("unknown"), json!(null)),
    ] {
        browser.run(done).await;
        let script = format!("return [second.{prop}, second.getAttribute('{attribute}')]");
        let now = browser.run(&script).await;
        assert_eq!(now, json!([holds, stands]), "{done}");
    }
    assert_eq!(shown(browser, "second").await, json!(["unknown", "50", ["a"], "6", null, "calm"]));
    // What is of another type is refused, and nothing changes.
    let refused =
        "try { second.moisture = 'wet'; } catch (error) { return [error.name, error.message]; }";
    let refused = browser.run(refused).await;
    assert!(refused[1].as_str().is_some_and(|said| said.contains("moisture")), "{refused}");
    let now = "return [second.moisture, second.getAttribute('moisture')]";
    assert_eq!(browser.run(now).await, json!([50, null]));
}

pub async fn events_are_heard_outside_and_instances_live_and_move_by_themselves(browser: &Browser) {
    let _dir = opened(browser, &[]).await;
    define(browser).await;
    browser
        .run(
            "window.heard = [];
             document.body.addEventListener('water', (e) => heard.push([e.target.id, e.detail, e instanceof CustomEvent]));
             early.shadowRoot.querySelector('button').click();
             second.shadowRoot.querySelector('button').click();",
        )
        .await;
    assert_eq!(
        browser.run("return heard").await,
        json!([
            ["early", { "bed": "Ruby chard", "litres": 4 }, true],
            ["second", { "bed": "unknown", "litres": 2 }, true],
        ])
    );
    // Moved in the document it keeps its nodes and its state.
    browser
        .run(
            "early.shadowRoot.querySelector('a').click();
             window.inside = early.shadowRoot.querySelector('section');
             other.append(early);",
        )
        .await;
    let kept = "return [inside === early.shadowRoot.querySelector('section'), early.shadowRoot.querySelector('a').textContent]";
    assert_eq!(browser.run(kept).await, json!([true, "1"]));
    // Removed it lets go of everything; put in again it begins anew, with what it was given.
    browser.run("window.away = early; early.remove();").await;
    browser.until("return away.page === null", "its end").await;
    assert_eq!(browser.run("return away.shadowRoot.childNodes.length").await, json!(0));
    assert_eq!(browser.run("away.moisture = 99; return away.moisture").await, json!(99));
    browser.run("document.body.append(away);").await;
    assert_eq!(shown(browser, "early").await, json!(["Ruby chard", "99", [], "4", "yes", "loud"]));
    assert_eq!(
        browser.run("return early.shadowRoot.querySelector('a').textContent").await,
        json!("0")
    );
    // Two versions of the file in one document.
    browser
        .run(
            "import('./bed-tile.js?as=bed-tile-too').then(() => {
               document.body.insertAdjacentHTML('beforeend', '<bed-tile-too id=third crop=Kale></bed-tile-too>');
               window.third_known = true;
             });",
        )
        .await;
    browser.until("return window.third_known === true", "the other name").await;
    assert_eq!(shown(browser, "third").await, json!(["Kale", "50", [], "1", null, "calm"]));
    browser.run("third.shadowRoot.querySelector('button').click()").await;
    assert_eq!(shown(browser, "third").await[3], json!("2"));
    assert_eq!(shown(browser, "second").await[3], json!("2"), "each has its own data");
}
