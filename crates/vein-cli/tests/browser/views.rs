//! Whole views in a real Chromium: controls, focus, scroll, lists. After each thing that a person
//! does, the mutations that the document's own observer saw are those that the patches predict,
//! and the document is the one in memory.

use crate::driven::Browser;
use crate::running::{Server, glasshouse};
use serde_json::{Value as Json, json};
use tempfile::TempDir;

/// Counts every mutation of the view, by what it is.
const COUNT: &str = r#"
  window.records = [];
  new MutationObserver((all) => {
    for (const record of all) {
      if (record.type === 'childList') {
        if (record.removedNodes.length) records.push('removed');
        if (record.addedNodes.length) records.push('added');
      } else {
        records.push(record.type);
      }
    }
  }).observe(document.getElementById('view'), {
    subtree: true, childList: true, characterData: true, attributes: true,
  });
"#;

/// What the patches of a pulse lead the observer to see.
fn predicted(entry: &Json) -> Vec<&'static str> {
    let mut records = Vec::new();
    for patch in entry["patches"].as_array().expect("a list") {
        match patch.as_str().expect("a word") {
            "text" => records.push("characterData"),
            "attribute" => records.push("attributes"),
            "clone" => records.push("added"),
            "remove" => records.push("removed"),
            "move" => records.extend(["added", "removed"]),
            _ => {}
        }
    }
    records.sort_unstable();
    records
}

/// A served page that proves each pulse, and what a person does on it.
struct Visit<'b> {
    browser: &'b Browser,
    server: Server,
    _dir: Option<TempDir>,
}

impl<'b> Visit<'b> {
    async fn of(browser: &'b Browser, component: &str, text: &str) -> Visit<'b> {
        let dir = TempDir::new().expect("a folder");
        std::fs::write(dir.path().join(format!("{component}.vein")), text).expect("a component");
        let server = Server::start(dir.path(), &["--ledger", "--json"]);
        Visit { browser, server, _dir: Some(dir) }.begin().await
    }

    async fn begin(self) -> Visit<'b> {
        self.browser.open(&self.server).await;
        self.browser.run(COUNT).await;
        self
    }

    /// The next pulse: exact, and with the mutations that it predicts.
    async fn pulse(&self) -> Json {
        let entry: Json = serde_json::from_str(&self.server.process.line()).expect("JSON");
        assert_eq!(entry["verdict"]["exact"], json!(true), "{entry}");
        let expected = predicted(&entry);
        let wait = format!("return records.length >= {}", expected.len());
        self.browser.until(&wait, &format!("{expected:?} of {entry}")).await;
        // One turn more, for what should not come.
        self.browser.run("return new Promise((done) => setTimeout(done, 20))").await;
        let seen = self.browser.run("return records.splice(0).sort()").await;
        assert_eq!(seen, json!(expected), "{entry}");
        entry
    }

    async fn click(&self, selector: &str) -> Json {
        self.browser.click(selector).await;
        self.pulse().await
    }

    async fn keys(&self, selector: &str, keys: &str) {
        let element = self.browser.client.find(selector).await.expect("an element");
        element.send_keys(keys).await.expect("keys");
    }

    async fn value(&self, script: &str) -> Json {
        self.browser.run(&format!("return {script}")).await
    }

    async fn is(&self, script: &str) {
        self.browser.until(&format!("return {script}"), script).await;
    }
}

/// HTML without what stands for properties of controls, which `innerHTML` does not write.
fn without_properties(html: &str) -> String {
    let mut out = String::new();
    for tag in html.split_inclusive('>') {
        let mut tag = tag.to_owned();
        for property in [" selected=\"\"", " checked=\"\""] {
            tag = tag.replace(property, "");
        }
        if let (true, Some(at)) = (tag.contains("<input"), tag.find(" value=\"")) {
            let end = at + 8 + tag[at + 8..].find('"').expect("its end");
            tag.replace_range(at..=end, "");
        }
        out.push_str(&tag);
    }
    out
}

const CONTROLS: &str = "
holds name = 'chard'
holds litres: number = 2
holds maybe: number? = null
holds tone: 'dry' | 'moist' = 'dry'
holds chosen: string[] = ['b']
holds many: number[] = [1]
holds one = 'y'
holds on = false
holds open = false
does reset() { name = 'x'; litres = 7; tone = 'moist'; chosen = ['a', 'c']; many = [2, 3]; one = 'z'; on = true; open = true; maybe = 5 }

<input id='name' value='<-> name'>
<b id='shown'>{name}</b>
<input id='mirror' value='<-> name'>
<input id='litres' type='number' value='<-> litres'><i id='l'>{litres + 1}</i>
<input id='text-number' value='<-> litres'>
<input id='maybe' value='<-> maybe'><i id='m'>{maybe ?? -1}</i>
<input id='dry' type='radio' name='tone' value='dry' picked='<-> tone'>
<input id='moist' type='radio' name='tone' value='moist' picked='<-> tone'><i id='t'>{tone}</i>
<input id='ca' type='checkbox' value='a' picked='<-> chosen'>
<input id='cb' type='checkbox' value='b' picked='<-> chosen'>
<input id='cc' type='checkbox' value='c' picked='<-> chosen'><i id='c'>{chosen.join('')}</i>
<select id='many' multiple value='<-> many'>
  <option value='1'>1</option><option value='2'>2</option><option value='3'>3</option>
</select><i id='n'>{many.join('')}</i>
<select id='one' value='<-> one'><option>x</option><option>y</option><option>z</option></select>
<i id='o'>{one}</i>
<input id='on' type='checkbox' checked='<-> on'><i id='f'>{on}</i>
<details id='details' open='<-> open'><summary>more</summary>inside</details><i id='d'>{open}</i>
<textarea id='area' value='<->(change) name'></textarea>
<button id='reset' click='-> reset()'>reset</button>
";

pub async fn controls_are_bound_both_ways(browser: &Browser) {
    let visit = Visit::of(browser, "control-lab", CONTROLS).await;
    // Typing in the middle: the caret stays, although two other places show the same.
    visit.browser.click("#name").await;
    visit.value("document.getElementById('name').setSelectionRange(2, 2)").await;
    for (at, key) in ["X", "Y", "Z"].iter().enumerate() {
        visit.keys("#name", key).await;
        let entry = visit.pulse().await;
        assert_eq!(entry["patches"], json!(["text", "property", "property"]), "{entry}");
        let caret = visit.value("document.getElementById('name').selectionStart").await;
        assert_eq!(caret, json!(3 + at), "after {key}");
    }
    assert_eq!(visit.value("document.getElementById('name').value").await, json!("chXYZard"));
    visit.is("document.getElementById('mirror').value === 'chXYZard'").await;
    visit.is("document.getElementById('area').value === 'chXYZard'").await;

    // Another spelling of the number stays as it was typed; what is none leaves state alone.
    visit.value("document.getElementById('text-number').select()").await;
    for key in ["3", "."] {
        visit.keys("#text-number", key).await;
        visit.pulse().await;
    }
    // The number itself has not changed with the dot, so nothing is written.
    assert_eq!(visit.value("document.getElementById('text-number').value").await, json!("3."));
    visit.is("document.getElementById('l').textContent === '4'").await;
    visit.keys("#text-number", "x").await;
    let entry = visit.pulse().await;
    assert_eq!(entry["patches"], json!(["attribute"]), "{entry}");
    visit.is("document.getElementById('text-number').ariaInvalid === 'true'").await;
    visit.is("document.getElementById('l').textContent === '4'").await;
    for key in ["\u{e003}", "5"] {
        visit.keys("#text-number", key).await;
        visit.pulse().await;
    }
    visit.is("!document.getElementById('text-number').hasAttribute('aria-invalid')").await;
    visit.is("document.getElementById('l').textContent === '4.5'").await;

    // An emptied field is `null` where that is a value.
    visit.keys("#maybe", "8").await;
    visit.pulse().await;
    visit.is("document.getElementById('m').textContent === '8'").await;
    visit.keys("#maybe", "\u{e003}").await;
    visit.pulse().await;
    visit.is("document.getElementById('m').textContent === '-1'").await;

    for (selector, output, shown) in [
        ("#moist", "t", "moist"),
        ("#dry", "t", "dry"),
        ("#ca", "c", "ba"),
        ("#cb", "c", "a"),
        ("#on", "f", "true"),
    ] {
        visit.click(selector).await;
        visit.is(&format!("document.getElementById('{output}').textContent === '{shown}'")).await;
    }
    let choose = "const many = document.getElementById('many');
      many.options[2].selected = true;
      many.dispatchEvent(new Event('input', { bubbles: true }));";
    visit.browser.run(choose).await;
    visit.pulse().await;
    visit.is("document.getElementById('n').textContent === '13'").await;
    visit.browser.click("summary").await;
    let entry = visit.server.process.line();
    assert!(entry.contains("\"exact\":true"), "{entry}");
    visit.is("document.getElementById('d').textContent === 'true'").await;
    visit.value("document.getElementById('one').value = 'x'").await;
    visit
        .value(
            "document.getElementById('one').dispatchEvent(new Event('input', { bubbles: true }))",
        )
        .await;
    visit.is("document.getElementById('o').textContent === 'x'").await;
    visit.server.process.line();
    visit.browser.run("records.length = 0").await;

    // A write from elsewhere reaches every control.
    visit.click("#reset").await;
    let shown = "[['name', 'mirror', 'litres', 'text-number', 'maybe', 'one', 'area']
        .map((id) => document.getElementById(id).value).join(' '),
      ['dry', 'moist', 'ca', 'cb', 'cc', 'on'].map((id) => +document.getElementById(id).checked).join(''),
      Array.from(document.getElementById('many').selectedOptions, (o) => o.value).join(''),
      document.getElementById('details').open]";
    assert_eq!(visit.value(shown).await, json!(["x x 7 7 5 z x", "011011", "23", true]));
}

pub async fn what_an_input_method_types_is_left_alone(browser: &Browser) {
    let visit = Visit::of(browser, "control-lab", CONTROLS).await;
    let compose = "
      const field = document.getElementById('name');
      const tell = (type, more) => field.dispatchEvent(
        new (type === 'input' ? InputEvent : CompositionEvent)(type, { bubbles: true, ...more }));
      tell('compositionstart');
      for (const text of ['k', 'ka', 'かx']) {
        field.value = text;
        tell('input', { isComposing: true });
      }
      return field.value;";
    assert_eq!(visit.browser.run(compose).await, json!("かx"));
    assert!(visit.server.process.is_quiet(), "nothing is said while it composes");
    visit
        .browser
        .run("document.getElementById('name').dispatchEvent(new CompositionEvent('compositionend', { bubbles: true }))")
        .await;
    visit.pulse().await;
    visit.is("document.getElementById('shown').textContent === 'かx'").await;
}

const ROWS: &str = "
holds beds: { id: number, crop: string, text: string }[] = [
  { id: 1, crop: 'kale', text: '' }, { id: 2, crop: 'leek', text: '' }, { id: 3, crop: 'pea', text: '' },
  { id: 4, crop: 'bean', text: '' }, { id: 5, crop: 'rye', text: '' }]
derives shown = beds.toSorted((a, b) => a.crop < b.crop ? -1 : 1)
holds sorted = false

<button id='sort' click='-> beds.sort((a, b) => a.crop < b.crop ? -1 : 1)'>sort</button>
<button id='reverse' click='-> beds.reverse()'>reverse</button>
<button id='drop' click='-> beds.splice(1, 1)'>drop</button>
<div id='list' style='height: 60px; overflow: auto; overflow-anchor: none'>
  <p each='bed of beds by bed.id' id='p{bed.id}' style='height: 30px; overflow: auto'>
    <input id='in{bed.id}' value='<-> bed.text'>{bed.crop}<br><br><br>
  </p>
</div>
<ol><li each='bed of shown by bed.id'><input id='s{bed.id}' value='<-> bed.crop'></li></ol>
";

pub async fn rows_keep_focus_and_scroll_when_they_move(browser: &Browser) {
    let visit = Visit::of(browser, "row-lab", ROWS).await;
    visit.browser.click("#in2").await;
    for key in ["t", "y", "p", "e", "d"] {
        visit.keys("#in2", key).await;
        visit.pulse().await;
    }
    visit.value("document.getElementById('in2').setSelectionRange(1, 3)").await;
    visit.value("document.getElementById('list').scrollTop = 31").await;
    visit.value("document.getElementById('p4').scrollTop = 17").await;
    visit
        .browser
        .run("window.kept = ['in1', 'in2', 'in3', 'in4', 'in5'].map((id) => document.getElementById(id))")
        .await;
    for action in ["sort", "reverse", "sort"] {
        let before = visit.value("document.getElementById('list').scrollTop").await;
        assert_ne!(before, json!(0));
        // The button is pressed without taking the focus.
        visit.value(&format!("document.getElementById('{action}').click()")).await;
        let entry = visit.pulse().await;
        let moves = entry["patches"].as_array().expect("a list").iter();
        assert!(moves.filter(|patch| **patch == "move").count() > 0, "{entry}");
        assert_eq!(visit.value("document.activeElement.id").await, json!("in2"), "{action}");
        let selection =
            "[document.activeElement.selectionStart, document.activeElement.selectionEnd]";
        assert_eq!(visit.value(selection).await, json!([1, 3]), "{action}");
        assert_eq!(visit.value("document.getElementById('list').scrollTop").await, before);
        assert_eq!(visit.value("document.getElementById('p4').scrollTop").await, json!(17));
        let same = "kept.every((node) => document.getElementById(node.id) === node)";
        assert_eq!(visit.value(same).await, json!(true), "{action}");
    }
    visit.value("document.getElementById('drop').click()").await;
    visit.pulse().await;
    assert_eq!(visit.value("document.getElementById('list').children.length").await, json!(4));
    // Through a derived list, what is typed lands on the item in the source.
    visit.value("document.getElementById('s3').value = 'aster'").await;
    visit
        .value("document.getElementById('s3').dispatchEvent(new Event('input', { bubbles: true }))")
        .await;
    let entry = visit.pulse().await;
    assert_eq!(entry["values"][0]["to"], json!("aster"), "{entry}");
    assert_eq!(visit.value("document.querySelector('ol input').id").await, json!("s3"));
}

/// A copy of the glasshouse in which nothing happens by itself: nobody answers but at once, and
/// the alarm never rings.
fn quiet_glasshouse() -> tempfile::TempDir {
    let dir = tempfile::tempdir().expect("a folder");
    for file in std::fs::read_dir(glasshouse()).expect("the glasshouse") {
        let file = file.expect("a file").path();
        if file.is_dir() || file.ends_with("host.js") {
            continue;
        }
        let text = std::fs::read_to_string(&file).expect("a text");
        let text = text.replace("upon every (5000)", "upon every (5000000)");
        let quiet = text.split("[answers.fetch_forecast]").next().unwrap_or("").to_owned();
        let name = file.file_name().expect("a name");
        std::fs::write(dir.path().join(name), quiet).expect("a copy");
    }
    dir
}

pub async fn the_glasshouse_is_the_same_in_the_browser_and_in_memory(browser: &Browser) {
    let dir = quiet_glasshouse();
    let server = Server::start(dir.path(), &["--ledger", "--json"]);
    let ui = vein::Ui::from_dir(dir.path()).expect("the glasshouse checks");
    let data = std::fs::read_to_string(dir.path().join("glass-house.json")).expect("its data");
    let visit = Visit { browser, server, _dir: Some(dir) }.begin().await;
    let data: Json = serde_json::from_str(&data).expect("JSON");
    let opening = ui.page("glass-house").answer("season", || "late autumn").manual_answers();
    let mut page = opening.open(data).expect("data that fits");
    for selector in [
        ".bed button.water",
        ".bed:nth-of-type(3) button.water",
        "button[title='Remove Lemon basil']",
        ".bed button.water",
        ".tank button",
    ] {
        let entry = visit.click(selector).await;
        let pulse = page.find(selector).expect("an element").click().expect("a click");
        assert_eq!(pulse.json(), entry, "{selector}");
        let html = visit.value("document.getElementById('view').innerHTML").await;
        let html = without_properties(html.as_str().expect("HTML"));
        assert_eq!(html, without_properties(&page.html()), "{selector}");
    }
    // The form: typed, sent, and not submitted by the browser.
    for key in "Pak choi".chars() {
        visit.keys(".planting input", &key.to_string()).await;
        visit.pulse().await;
    }
    page.find(".planting input").expect("a field").input("Pak choi").expect("typing");
    visit.browser.click(".planting button").await;
    visit.pulse().await;
    page.find(".planting button").expect("a button").click().expect("a click");
    assert_eq!(visit.value("location.search").await, json!(""));
    assert_eq!(visit.value("document.querySelectorAll('.bed').length").await, json!(5));
    // All styles in one sheet, each component's once, reaching only its own elements.
    let sheets = "document.querySelectorAll('link[rel=\"stylesheet\"]').length";
    assert_eq!(visit.value(sheets).await, json!(1));
    let sheet = visit.value("fetch('/assets/styles.css').then((sheet) => sheet.text())").await;
    let sheet = sheet.as_str().expect("a text");
    for (component, style) in ui.styles() {
        assert_eq!(sheet.matches(style).count(), 1, "{component}");
    }
    let titles = "[document.querySelector('.panel h2'), document.querySelector('.bench h2')]
        .map((heading) => getComputedStyle(heading).fontSize)";
    let sizes = visit.value(titles).await;
    assert_ne!(sizes[0], sizes[1], "both style `h2`, each its own");
}

pub async fn the_glasshouse_lives_in_the_browser(browser: &Browser) {
    let server = Server::start(glasshouse(), &["--ledger", "--json"]);
    let visit = Visit { browser, server, _dir: None }.begin().await;
    let first = visit.value("document.querySelector('.forecast p').className").await;
    assert!(["coming", "sky"].iter().any(|name| first == json!(name)), "{first}");
    // Everything comes by itself: the forecast, each bed's sensor twice, the alarm.
    let (mut sky, mut readings, mut rings) = (0, 0, 0);
    while sky < 1 || readings < 10 || rings < 1 {
        // Several may come at once: what the observer saw of each cannot be told apart.
        let entry: Json = serde_json::from_str(&visit.server.process.line()).expect("JSON");
        let cause = entry["cause"].as_str().unwrap_or_default();
        sky += usize::from(cause.starts_with("answer of fetch_forecast"));
        readings += usize::from(cause.starts_with("answer of moisture_sensor"));
        rings += usize::from(cause.starts_with("timer alarm-bell"));
        assert_eq!(entry["verdict"]["exact"], json!(true), "{entry}");
    }
    assert_eq!(visit.value("document.querySelector('.forecast p').className").await, json!("sky"));
    assert_eq!(visit.value("document.querySelectorAll('.bell').length").await, json!(1));
    let shown = visit.value("document.querySelector('.sensor').textContent").await;
    assert!(shown.as_str().is_some_and(|text| text.starts_with("sensor: ")), "{shown}");
}

/// Answers each request with what a path has, without any policy that would stop a script.
fn serve_bare(files: Vec<(&'static str, &'static str, Vec<u8>)>) -> u16 {
    use std::io::{Read, Write};
    let listener = std::net::TcpListener::bind("127.0.0.1:0").expect("a free port");
    let port = listener.local_addr().expect("its number").port();
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let Ok(mut stream) = stream else { return };
            let mut request = [0; 4096];
            let read = stream.read(&mut request).unwrap_or(0);
            let request = String::from_utf8_lossy(&request[..read]).into_owned();
            let path = request.split(' ').nth(1).unwrap_or("");
            let found = files.iter().find(|(known, ..)| *known == path);
            let (status, kind, body) = match found {
                Some((_, kind, body)) => ("200 OK", *kind, body.as_slice()),
                None => ("404 Not Found", "text/plain", &b""[..]),
            };
            let head = format!(
                "HTTP/1.1 {status}\r\nContent-Type: {kind}\r\nContent-Length: {}\r\n\
                 Connection: close\r\n\r\n",
                body.len()
            );
            let _ = stream.write_all(head.as_bytes()).and_then(|()| stream.write_all(body));
        }
    });
    port
}

/// The page as HTML and as patches, where nothing but Vein keeps a string from running.
pub async fn hostile_strings_run_nothing(browser: &Browser) {
    let ui =
        vein::Ui::from_sources([("hostile-lab.vein", crate::hostile::LAB)]).expect("it checks");
    // What a document with a thousand frames in it costs a browser grows faster than their number.
    for some in crate::hostile::strings().chunks(STRINGS_A_PAGE) {
        run_nothing(browser, &ui, some).await;
    }
}

const STRINGS_A_PAGE: usize = 8;

async fn run_nothing(browser: &Browser, ui: &vein::Ui, all: &[String]) {
    let page = ui.open("hostile-lab", json!({ "all": all })).expect("strings");
    let html = format!(
        "<!doctype html><meta charset=utf-8><script>
           window.hits = 0;
           window.hit = window.alert = () => {{ hits++; }};
         </script>
         <div id=written>{}</div><div id=patched></div><div id=compiled></div>
         <script type=module>
           import {{ Applier }} from '/applier.mjs';
           const batch = await (await fetch('/batch')).arrayBuffer();
           new Applier(document.getElementById('patched'), () => {{}}).apply(batch);
           const {{ open }} = await import('/compiled.mjs');
           open(document.getElementById('compiled'), {});
           document.documentElement.dataset.done = '';
         </script>",
        page.html(),
        json!(all).to_string().replace('<', "\\u003c")
    );
    let applier = include_str!("../../page/applier.mjs");
    let batch = page.opening().pulse.patches.to_bytes();
    let plan = ui.program().plans.iter().find(|plan| &*plan.name == "hostile-lab");
    let compiled =
        vein_script::component(ui.program(), plan.expect("it is there"), Default::default());
    let compiled = compiled.unwrap_or_else(|error| panic!("{error}"));
    let rules = format!("const RULES = {};", vein::cleaning_rules());
    let script = format!(
        "{}export function open(into, all) {{
           let it;
           turnOver(() => {{ it = new {}(null, {{ all }}); }});
           standIn(into, it);
         }}",
        compiled.text(),
        compiled.name
    );
    let script = vein_script::engine::with(&script).replace("const RULES = {};", &rules);
    let port = serve_bare(vec![
        ("/", "text/html; charset=utf-8", html.into_bytes()),
        ("/applier.mjs", "text/javascript", applier.as_bytes().to_vec()),
        ("/compiled.mjs", "text/javascript", script.into_bytes()),
        ("/batch", "application/octet-stream", batch),
    ]);
    browser.client.goto(&format!("http://127.0.0.1:{port}/")).await.expect("a page");
    browser.until("return 'done' in document.documentElement.dataset", "the patches").await;
    let provoke = "
      for (const element of document.querySelectorAll('#written *, #patched *, #compiled *')) {
        for (const type of ['mouseover', 'focus', 'error', 'load', 'toggle', 'pointerover']) {
          element.dispatchEvent(new Event(type, { bubbles: true }));
        }
      }
      const runs = Array.from(document.querySelectorAll('[href], [src], [action], [formaction], [data]'))
        .flatMap((element) => ['href', 'src', 'action', 'formAction', 'data']
          .map((name) => element[name]?.baseVal ?? element[name]))
        .filter((url) => typeof url === 'string' && /^(javascript|vbscript|data:(?!image\\/))/i.test(url));
      const added = ['script', 'link', 'base', 'meta', 'embed', 'style', 'template']
        .filter((name) => document.querySelector(`#written ${name}, #patched ${name}, #compiled ${name}`));
      return new Promise((done) => setTimeout(() => done({
        hits, runs, added,
        handlers: Array.from(document.querySelectorAll('#written *, #patched *, #compiled *'))
          .filter((e) => Array.from(e.attributes).some((a) => a.name.startsWith('on'))).length,
        sections: document.querySelectorAll('#patched > section').length,
        differ: Array.from(document.querySelectorAll('#patched > section')).flatMap((section, at) => {
          const compiled = document.querySelectorAll('#compiled > section')[at];
          return compiled?.isEqualNode(section) ? [] : [[section.outerHTML, compiled?.outerHTML]];
        }),
      }), 300));";
    let found = browser.run(provoke).await;
    // What was compiled shows just what the patches show.
    let sections = all.len();
    let wanted = json!({
        "hits": 0, "runs": [], "added": [], "handlers": 0, "sections": sections, "differ": []
    });
    assert_eq!(found, wanted);
}

/// Radio buttons of two instances, each of which picks for itself.
const TWICE: &str = "shape Bed { id: number, kind: Kind }
shape Kind = 'dry' | 'moist'
takes beds: Bed[] = [{ id: 1, kind: 'dry' }, { id: 2, kind: 'moist' }]
<bed-kind each='bed of beds by bed.id' kind='<-> bed.kind'></bed-kind><output>{beds.map(bed => bed.kind).join()}</output>
";

const KIND: &str = "shares kind: Kind
names group, first
<fieldset><label for='<- first'>dry</label><input id='<- first' type='radio' name='<- group' value='dry' picked='<-> kind'>
<input type='radio' name='<- group' value='moist' picked='<-> kind'></fieldset>
";

pub async fn radio_buttons_of_two_instances_are_two_groups(browser: &Browser) {
    let dir = TempDir::new().expect("a folder");
    let page = TWICE.replace("takes beds", "holds beds");
    for (file, text) in [("bed-list.vein", page.as_str()), ("bed-kind.vein", KIND)] {
        std::fs::write(dir.path().join(file), text).expect("a component");
    }
    let server = Server::start(dir.path(), &["bed-list", "--ledger", "--json"]);
    let visit = Visit { browser, server, _dir: Some(dir) }.begin().await;
    visit.click("fieldset:nth-of-type(1) input:last-child").await;
    visit.is("document.querySelector('output').textContent === 'moist,moist'").await;
    // A label finds the one beside it.
    visit.click("fieldset:nth-of-type(2) label").await;
    visit.is("document.querySelector('output').textContent === 'moist,dry'").await;
    visit.is("document.querySelectorAll(':checked').length === 2").await;
}
