//! What a Rust host does with a page.

use serde::{Deserialize, Serialize};
use serde_json::json;
use std::sync::{Arc, Mutex};
use vein::{Batch, Error, Event, EventField, LoadError, Patch, Tree, Ui};

#[derive(Serialize)]
struct Bed {
    id: u32,
    crop: &'static str,
    moisture: f64,
}

const CARD: &str = include_str!("bed-card.vein");

fn ui() -> Ui {
    Ui::from_sources([("bed-card.vein", CARD)]).expect("the card checks")
}

fn card() -> vein::Page {
    let bed = Bed { id: 3, crop: "Ruby chard", moisture: 24.0 };
    ui().open("bed-card", json!({ "bed": bed })).expect("props that fit")
}

#[test]
fn a_click_changes_exactly_what_follows_from_it() -> Result<(), Error> {
    let mut page = card();
    let pulse = page.find("button:nth-of-type(1)")?.click()?;
    pulse.assert_exact()?;
    assert_eq!(
        pulse.changed(),
        [
            "bed-card › article.bed class",
            "bed-card › meter value",
            "bed-card › p.moisture text",
            "bed-card › p.advice text",
        ]
    );
    assert_eq!(page.find("p.advice")?.text(), "Moist enough");
    assert_eq!(page.find("meter")?.attribute("value").as_deref(), Some("31.5"));
    assert_eq!(page.get::<f64>("moisture")?, 31.5);
    assert!(!page.get::<bool>("dry")?);
    Ok(())
}

#[test]
fn what_a_component_gives_reaches_a_closure() -> Result<(), Error> {
    #[derive(Deserialize)]
    struct Water {
        bed: u32,
        litres: f64,
    }
    let mut page = card();
    let heard = Arc::new(Mutex::new(Vec::new()));
    let hear = heard.clone();
    let _watering = page.on("water", move |water: Water| {
        hear.lock().expect("no panic elsewhere").push((water.bed, water.litres));
    })?;
    page.find("button")?.click()?;
    page.set("threshold", 10)?;
    page.find("button")?.click()?;
    assert_eq!(*heard.lock().expect("no panic elsewhere"), [(3, 2.5), (3, 2.5)]);
    let unknown = page.on("drown", |_: serde_json::Value| ()).expect_err("no such event");
    assert!(unknown.to_string().contains("it gives water"), "{unknown}");
    #[derive(Deserialize)]
    struct Misread {
        #[serde(rename = "gallons")]
        _gallons: f64,
    }
    page.on("water", |_: Misread| ())?.keep();
    let misread = page.find("button")?.click().expect_err("a payload that does not fit");
    assert!(misread.to_string().contains("gallons"), "{misread}");
    Ok(())
}

#[test]
fn an_event_that_nobody_hears_changes_nothing() -> Result<(), Error> {
    let mut page = card();
    let pulse = page.find("h3")?.click()?;
    pulse.assert_exact()?;
    assert_eq!(pulse.changed(), [""; 0]);
    assert!(pulse.to_string().starts_with("pulse 1 · click on h3\n  nothing changed\n"), "{pulse}");
    Ok(())
}

#[test]
fn a_full_bed_disables_its_button() -> Result<(), Error> {
    let mut page = card();
    page.set("moisture", 100)?;
    let refused = page.find("button")?.click().expect_err("a disabled button");
    assert!(matches!(refused, Error::Refused(_)), "{refused}");
    Ok(())
}

#[test]
fn data_that_does_not_fit_is_refused_with_its_place() {
    for (props, problem) in [
        (json!({}), "`bed-card` needs `bed: Bed`"),
        (json!([]), "must be an object"),
        (json!({ "bad": 1 }), "takes no prop `bad`; there are: bed, threshold"),
        (json!({ "bed": 1 }), "bed: expected Bed, found the number 1"),
        (
            json!({ "bed": { "id": 1, "crop": "leek", "moisture": "wet" } }),
            "bed.moisture: expected number, found the string \"wet\"",
        ),
        (json!({ "bed": { "id": 1, "crop": "leek" } }), "bed.moisture: missing; expected number"),
        (
            json!({ "bed": { "id": 1, "crop": "leek", "moisture": 1, "colour": "red" } }),
            "bed.colour: Bed has no field `colour`",
        ),
    ] {
        let error = ui().open("bed-card", props).err().expect("a refusal").to_string();
        assert!(error.contains(problem), "{error}");
    }
    let error = ui().open("bed-crad", ()).err().expect("a refusal").to_string();
    assert!(error.contains("there is no component `bed-crad`; there are: bed-card"), "{error}");
}

#[test]
fn paths_that_lead_nowhere_are_refused() {
    let mut page = card();
    for (path, problem) in [
        ("moistur", "there is nothing at `moistur`"),
        ("bed.crops", "there are: id, crop, moisture, note"),
        ("bed[0]", "there is nothing at"),
        ("bed.crop.x", "there is nothing at"),
        ("dry", "`dry` is derived"),
    ] {
        let error = page.set(path, 1).expect_err("a refusal").to_string();
        assert!(error.contains(problem), "{error}");
    }
    let error = page.set("bed.crop", 1).expect_err("a refusal").to_string();
    assert_eq!(error, "bed.crop: expected string, found the number 1");
    let error = page.find("p.missing").err().expect("a refusal").to_string();
    assert!(error.contains("nothing on the page matches `p.missing`"), "{error}");
    assert!(page.find("p[").is_err());
}

#[test]
fn a_plan_travels_as_bytes_and_damage_is_seen() -> Result<(), Error> {
    let bytes = ui().to_plan();
    let mut page = Ui::from_plan(&bytes)?
        .open("bed-card", json!({ "bed": Bed { id: 1, crop: "Leek", moisture: 50.0 } }))?;
    page.find("button")?.click()?.assert_exact()?;
    let refusal = |bytes: &[u8]| match Ui::from_plan(bytes) {
        Err(Error::Load(error)) => error,
        other => panic!("{other:?}"),
    };
    assert_eq!(refusal(b""), LoadError::NotAPlan);
    assert_eq!(refusal(b"PNG............"), LoadError::NotAPlan);
    let mut newer = bytes.clone();
    newer[4] += 1;
    assert_eq!(refusal(&newer), LoadError::Version(u16::from(bytes[4]) + 1));
    for at in (10..bytes.len()).step_by(7) {
        let mut damaged = bytes.clone();
        damaged[at] ^= 0x55;
        assert_eq!(refusal(&damaged), LoadError::Damaged, "byte {at}");
        assert_eq!(refusal(&bytes[..at]), LoadError::Damaged, "cut at {at}");
    }
    Ok(())
}

#[test]
fn patches_build_the_same_page_elsewhere() -> Result<(), Error> {
    let mut page = card();
    let mut elsewhere = Tree::default();
    let mut send = |pulse: &vein::Pulse| {
        let received = Batch::from_bytes(&pulse.pulse.patches.to_bytes()).expect("a sound batch");
        elsewhere.apply(&received).expect("patches that fit");
        elsewhere.html()
    };
    assert_eq!(send(page.opening()), page.html());
    for moisture in [10.0, 99.5, 100.0, 29.9] {
        let pulse = page.set("moisture", moisture)?;
        assert_eq!(send(&pulse), page.html());
    }
    let stray = [Patch::Text { node: 99, text: "x" }, Patch::Text { node: 0, text: "x" }];
    for patch in stray {
        let mut batch = Batch::default();
        batch.push(&patch);
        let before = elsewhere.html();
        assert!(elsewhere.apply(&batch).is_err());
        assert_eq!(elsewhere.html(), before);
    }
    Ok(())
}

#[test]
fn events_go_outwards_and_options_hold() -> Result<(), Error> {
    let text = "
holds log: string[] = []
does note(what: string) { log.push(what) }
does key_was(key: string) { log.push(key) }

<section click=\"-> note('section')\">
  <div id='stop' click=\"->(stop) note('div')\"><button id='inner'>a</button></div>
  <div id='self' click=\"->(self) note('self')\"><button id='child'>b</button></div>
  <a id='once' href='#' click=\"->(once, prevent) note('once')\">c</a>
  <input id='keys' keydown='->(key Enter) key_was' input='-> note(event.value)'>
  <input id='slow' input='->(quiet 300) note(event.value)' focus=\"-> note('focus')\">
</section>
<output>{log.join(' ')}</output>
";
    let mut page = Ui::from_sources([("event-lab.vein", text)])?.open("event-lab", ())?;
    let mut after = |act: &dyn Fn(&mut vein::Page) -> Result<vein::Pulse, Error>| {
        page.set("log", json!([])).expect("state");
        let pulse = act(&mut page).expect("an event");
        pulse.assert_exact().expect("exact");
        page.get::<Vec<String>>("log").expect("state").join(" ")
    };
    assert_eq!(after(&|p| p.find("#inner")?.click()), "div");
    assert_eq!(after(&|p| p.find("#child")?.click()), "section");
    assert_eq!(after(&|p| p.find("#self")?.click()), "self section");
    assert_eq!(after(&|p| p.find("#once")?.click()), "once section");
    assert_eq!(after(&|p| p.find("#once")?.click()), "section");
    let key = |key: &'static str| Event::new("keydown").with(EventField::Key, key);
    assert_eq!(after(&|p| p.find("#keys")?.dispatch(&key("Enter"))), "Enter");
    assert_eq!(after(&|p| p.find("#keys")?.dispatch(&key("a"))), "");
    assert_eq!(after(&|p| p.find("#keys")?.input("leek")), "leek");
    assert_eq!(after(&|p| p.find("#slow")?.dispatch(&Event::new("focus"))), "focus");
    // Three keys within 300 ms are one change, with the last value.
    page.set("log", json!([]))?;
    for value in ["k", "ka", "kale"] {
        page.find("#slow")?.input(value)?;
        assert_eq!(page.advance(100.0)?.len(), 0);
    }
    assert_eq!(page.next_due(), Some(200.0));
    let pulses = page.advance(1000.0)?;
    assert_eq!(pulses.len(), 1);
    pulses[0].assert_exact()?;
    assert_eq!(page.get::<Vec<String>>("log")?, ["kale"]);
    assert_eq!(page.next_due(), None);
    Ok(())
}

#[test]
fn what_was_taken_back_has_not_happened_once() -> Result<(), Error> {
    let text = "
holds log: string[] = []
holds beds = [{ crop: 'leek' }]
holds at = 3
<button id='now' click=\"->(once, prevent) log.push('now'); beds[at].crop = 'kale'\">a</button>
<button id='late' click=\"->(once, quiet 20) log.push('late'); beds[at].crop = 'kale'\">b</button>
<input value='<->(quiet 20) beds[0].crop' input='-> beds[at].crop = event.value'>
";
    let mut page = Ui::from_sources([("event-lab.vein", text)])?.open("event-lab", ())?;
    let fails = |page: &mut vein::Page, id: &str| {
        let now = page.find(id).and_then(|found| found.click());
        let later = page.advance(20.0).expect("time goes by");
        now.is_err() || later.iter().any(|pulse| pulse.pulse.fault.is_some())
    };
    for id in ["#now", "#late"] {
        page.set("at", json!(3))?;
        page.set("log", json!([]))?;
        // There is no such bed: everything is taken back, twice.
        assert!(fails(&mut page, id) && fails(&mut page, id), "{id}");
        page.set("at", json!(0))?;
        assert!(!fails(&mut page, id) && !fails(&mut page, id), "{id}");
        assert_eq!(page.get::<Vec<String>>("log")?, [&id[1..]]);
    }
    // What was entered is not there any more, and nothing waits to be committed.
    page.set("at", json!(3))?;
    assert!(page.find("input")?.input("rye").is_err());
    assert_eq!(page.find("input")?.value().as_deref(), Some("kale"));
    assert_eq!(page.next_due(), None);
    Ok(())
}

#[test]
fn a_form_of_a_dialog_closes_it() -> Result<(), Error> {
    let text = "
holds open = true
holds kept = true
holds log: string[] = []
<dialog open='<-> open' close=\"-> log.push('close')\"><form method='dialog' submit=\"-> log.push('submit')\">
  <input required value='x'><button id='ok'>OK</button></form></dialog>
<dialog open='<-> kept'><form method='dialog'><button id='keep' formmethod='get'>Keep</button></form></dialog>
<input type='checkbox' value='<- log.length'><input type='radio' value='{open}'>
";
    let mut page = Ui::from_sources([("event-lab.vein", text)])?.open("event-lab", ())?;
    // What these stand for is their attribute, whatever is done with them.
    assert_eq!(page.find("input[type=checkbox]")?.attribute("value").as_deref(), Some("0"));
    assert_eq!(page.find("input[type=radio]")?.attribute("value").as_deref(), Some("true"));
    for pulse in page.act("#ok", &vein::Act::Click)? {
        pulse.assert_exact()?;
    }
    assert_eq!(page.get::<Vec<String>>("log")?, ["submit", "close"]);
    assert!(!page.get::<bool>("open")?);
    page.act("#keep", &vein::Act::Click)?;
    assert!(page.get::<bool>("kept")?, "that form is sent in another way");
    Ok(())
}

#[test]
fn what_is_said_of_a_node_that_is_gone_is_nobodys() -> Result<(), Error> {
    let text = "
holds beds = [{ id: 1 }, { id: 2 }, { id: 3 }]
<p each='bed of beds by bed.id'>{bed.id} <button click='-> beds = beds.filter(b => b.id !== bed.id)'>x</button></p>
<i click='-> beds.push({ id: 4 })'></i>
";
    let mut page = Ui::from_sources([("event-lab.vein", text)])?.open("event-lab", ())?;
    let number = |page: &mut vein::Page, at: usize| {
        let tree = page.session_mut().tree();
        let button = tree.select("button").expect("a selector")[at];
        tree.number_of(button).expect("a button that is listened on")
    };
    // A click on the second row is on its way when that row goes and another gets its number.
    let (second, seen) = (number(&mut page, 1), page.session_mut().runtime().batches());
    let third = number(&mut page, 2);
    page.session_mut().set("beds", json!([{ "id": 1 }, { "id": 3 }]))?;
    page.find("i")?.click()?.assert_exact()?;
    assert_eq!(number(&mut page, 2), second, "the number is used again");
    let nothing = |field: EventField| field.empty();
    let session = page.session_mut();
    assert!(session.delivery(second, 0, seen, nothing).is_none());
    assert!(session.delivery(third, 0, seen, nothing).is_some(), "that one stands");
    let now = session.runtime().batches();
    assert!(session.delivery(second, 0, now, nothing).is_some(), "the new one is heard");
    Ok(())
}

#[test]
fn values_are_escaped_for_their_place() -> Result<(), Error> {
    let text = "takes note: string\ntakes link: string\n\
        <p title='<- note'>{note}</p><a href='<- link'>b</a><textarea value='<- note'></textarea>";
    let ui = Ui::from_sources([("bed-note.vein", text)])?;
    let note = "\"><script>alert(1)</script>&amp;\u{a0}'";
    let page = ui.open("bed-note", json!({ "note": note, "link": "javascript:alert(1)" }))?;
    assert_eq!(
        page.html(),
        "<p title=\"&quot;&gt;&lt;script&gt;alert(1)&lt;/script&gt;&amp;amp;&nbsp;'\">\
         \"&gt;&lt;script&gt;alert(1)&lt;/script&gt;&amp;amp;&nbsp;'</p>\
         <a href=\"about:blank\">b</a>\
         <textarea>\"&gt;&lt;script&gt;alert(1)&lt;/script&gt;&amp;amp;&nbsp;'</textarea>"
    );
    Ok(())
}

#[test]
fn what_html_cannot_hold_is_replaced() -> Result<(), Error> {
    let text =
        "takes a: string\n<p title='\u{0}{a}'>{a}{'😀'.slice(0, 1)}</p><i lang='\u{0}'>\u{0}</i>";
    let ui = Ui::from_sources([("bed-nul.vein", text)])?;
    let page = ui.open("bed-nul", json!({ "a": "x\u{0}" }))?;
    let gone = '\u{fffd}';
    let expected =
        format!("<p title=\"{gone}x{gone}\">x{gone}{gone}</p><i lang=\"{gone}\">{gone}</i>");
    assert_eq!(page.html(), expected);
    Ok(())
}

#[test]
fn attributes_come_and_go_as_the_standard_wants() -> Result<(), Error> {
    let text = "takes on: boolean?\ntakes words: string?\n\
        <p hidden='<- on' aria-busy='<- on' draggable='<- on' title='<- words' lang='x{words}'></p>\
        <input checked='<- on ?? false' value='<- words'>";
    let ui = Ui::from_sources([("bed-flags.vein", text)])?;
    let html = |props| ui.open("bed-flags", props).map(|page| page.html());
    assert_eq!(
        html(json!({ "on": true, "words": "" }))?,
        "<p hidden=\"\" aria-busy=\"true\" draggable=\"true\" title=\"\" lang=\"x\"></p>\
         <input value=\"\" checked=\"\">"
    );
    assert_eq!(
        html(json!({ "on": false, "words": "a" }))?,
        "<p aria-busy=\"false\" draggable=\"false\" title=\"a\" lang=\"xa\"></p><input value=\"a\">"
    );
    assert_eq!(html(json!({ "on": null, "words": null }))?, "<p lang=\"x\"></p><input value=\"\">");
    Ok(())
}

#[test]
fn a_page_can_move_to_another_thread() {
    let shared = ui();
    let pages = [10.0, 50.0].map(|moisture| {
        let ui = shared.clone();
        std::thread::spawn(move || {
            let bed = Bed { id: 1, crop: "Leek", moisture };
            let mut page = ui.open("bed-card", json!({ "bed": bed })).expect("props that fit");
            page.find("button").expect("a button").click().expect("a click").changed().len()
        })
    });
    assert_eq!(pages.map(|page| page.join().expect("no panic")), [2, 2]);
}

#[test]
fn entries_of_a_dictionary_are_read_and_written_by_their_keys() -> Result<(), Error> {
    let ui = Ui::from_sources([(
        "stock-room.vein",
        "shape Tea { crop: string, litres: number }
shares litres: number{}
shares teas: Tea{} = {}
<p each='key of Object.keys(litres) by key'>{key} {litres[key]}</p><b>{teas['a b']?.crop}</b>
<button click=\"-> delete litres['tea']; teas['a b'] = { crop: 'mint', litres: 1 }\">b</button>",
    )])?;
    let mut page = ui.open("stock-room", json!({ "litres": { "tea": 1, "oat milk": 2 } }))?;
    assert_eq!(page.get::<f64>("litres.tea")?, 1.0);
    assert_eq!(page.get::<f64>("litres[\"oat milk\"]")?, 2.0);
    page.set("litres[\"oat milk\"]", 3)?.assert_exact()?;
    // What is new comes where ECMAScript has it.
    page.set("litres[\"10\"]", 4)?.assert_exact()?;
    let shown = ["10 4", "tea 1", "oat milk 3"];
    for (at, shown) in shown.into_iter().enumerate() {
        assert_eq!(page.find(&format!("p:nth-of-type({})", at + 1))?.text(), shown);
    }
    page.find("button")?.click()?.assert_exact()?;
    assert_eq!(page.get::<serde_json::Value>("litres")?, json!({ "10": 4, "oat milk": 3 }));
    page.set("teas[\"a b\"].crop", "rye")?.assert_exact()?;
    assert_eq!(page.find("b")?.text(), "rye");
    for path in ["litres[tea]", "litres[\"tea", "teas.none.crop", "litres.tea.more"] {
        assert!(page.set(path, 1).is_err(), "{path}");
    }
    assert!(page.set("litres.tea", "much").is_err());
    Ok(())
}
