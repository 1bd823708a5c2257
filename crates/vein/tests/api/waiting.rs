//! What waits for the clock or the host: in which order, until when, and what it leaves behind.

use serde_json::json;
use vein::{Error, Fault, Page, Pulse, Resource, Ui, Value};

pub fn opened(text: &str, props: serde_json::Value) -> Page {
    let ui = Ui::from_sources([("a-b.vein", text)]).unwrap_or_else(|error| panic!("{error}"));
    let opening = ui.page("a-b").manual_answers().try_answer("soil", |code: u32| match code {
        7 => Err("no soil"),
        _ => Ok(format!("soil {code}")),
    });
    opening.open(props).unwrap_or_else(|error| panic!("{error}"))
}

pub fn exact(page: &mut Page, pulse: Result<Pulse, Error>) -> Pulse {
    let pulse = pulse.unwrap_or_else(|error| panic!("{error}"));
    pulse.assert_exact().unwrap_or_else(|error| panic!("{error}"));
    straight(page);
    pulse
}

/// What waits and on whose behalf is known to both.
fn straight(page: &mut Page) {
    assert_eq!(page.session_mut().runtime().astray(), [""; 0]);
}

pub fn click(page: &mut Page, selector: &str) -> Pulse {
    let pulse = page.find(selector).and_then(vein::FoundElement::click);
    exact(page, pulse)
}

pub fn answer(page: &mut Page, with: Result<f64, &str>) -> Result<Pulse, Error> {
    let id = page.questions().last().expect("a question").id;
    let answer = with.map(Value::from).map_err(str::to_owned);
    page.answer(id, answer).map(|pulse| pulse.unwrap_or_else(|| panic!("somebody waits")))
}

#[test]
fn what_begins_when_a_timer_is_due_counts_from_then() {
    let text = "holds on = false
holds log = ''
upon every (100) { on = true; log += 'a' }
upon every (30) while on { log += 'b' }
<p>{log}</p>";
    let mut page = opened(text, json!({}));
    for pulse in page.advance(200.0).unwrap_or_else(|error| panic!("{error}")) {
        exact(&mut page, Ok(pulse));
    }
    assert_eq!(page.html(), "<p>abbba</p>");
    assert_eq!(page.next_due(), Some(20.0));
}

#[test]
fn a_question_whose_answer_led_to_a_failure_stays_open() {
    let text = "asks soil(code: number): string
awaits weigh(crop: string): number
streams level(of: string): number
holds code = 1
follows litres: number = level('tank')
does go() { const found = await weigh('kale'); code = found }
<p click='-> go()'>{soil(code)}</p><i>{soil(litres ?? 0)}</i>";
    let mut page = opened(text, json!({}));
    let failed = |page: &mut Page| {
        let error = answer(page, Ok(7.0)).map(|_| ());
        assert!(matches!(&error, Err(Error::Failed(Fault::Host { .. }))), "{error:?}");
        straight(page);
    };
    // What is followed is open whatever comes of it, until it ends.
    failed(&mut page);
    let pulse = answer(&mut page, Ok(3.0));
    exact(&mut page, pulse);
    assert_eq!((page.html().as_str(), page.resources().streams), ("<p>soil 1</p><i>soil 3</i>", 1));
    let stream = page.questions()[0].id;
    page.session_mut().finish(stream);
    straight(&mut page);
    assert_eq!(page.resources().streams, 0);
    click(&mut page, "p");
    for _ in 0..2 {
        failed(&mut page);
        assert_eq!((page.html().contains("soil 1"), page.resources().questions), (true, 1));
    }
    let pulse = answer(&mut page, Ok(2.0));
    let pulse = exact(&mut page, pulse);
    assert_eq!(
        (page.html().as_str(), page.resources().questions),
        ("<p>soil 2</p><i>soil 3</i>", 0)
    );
    assert!(pulse.to_string().contains("answer of weigh for go"), "{pulse}");
}

#[test]
fn statements_without_end_are_stopped() {
    let text = "takes rows: number[]
holds n = 0
holds off = false
does spin() {
  n = 1;
  for (const a of rows) { for (const b of rows) { if (off) { n += 1 } } }
}
does turn() { for (const a of rows) { for (const b of rows) { for (const c of rows) { } } } }
<p click='-> spin()'>{n}</p><i click='-> turn()'></i>";
    let rows = |count: usize| json!({ "rows": vec![0; count] });
    // Loops with nothing in them are loops.
    for (count, selector) in [(4500, "p"), (1000, "i")] {
        let mut page = opened(text, rows(count));
        let error = page.find(selector).and_then(vein::FoundElement::click).map(|_| ());
        assert!(
            matches!(&error, Err(Error::Failed(Fault::OverBudget { what: Resource::Steps, .. }))),
            "{error:?}"
        );
        assert_eq!(page.find("p").expect("it is there").text(), "0");
    }
    let mut page = opened(text, rows(100));
    click(&mut page, "p");
    click(&mut page, "i");
    assert_eq!(page.find("p").expect("it is there").text(), "1");
}

#[test]
fn what_has_settled_waits_no_more() {
    let text = "holds name = ''
holds said = ''
<input value='<-> name' input='->(quiet 50) said = event.value'><p>{said}</p>";
    let mut page = opened(text, json!({}));
    for round in ["kale", "leek", "peas"] {
        let typed = page.find("input").and_then(|input| input.input(round));
        exact(&mut page, typed);
        assert_eq!(page.resources().timers, 1);
        for pulse in page.advance(60.0).unwrap_or_else(|error| panic!("{error}")) {
            exact(&mut page, Ok(pulse));
        }
        assert!(page.html().ends_with(&format!("{round}</p>")), "{}", page.html());
        assert_eq!(page.resources().timers, 0);
    }
}

/// What the host was asked with last.
fn asked(page: &Page) -> Option<String> {
    page.questions().last().map(|question| question.args[0].to_text().to_string())
}

#[test]
fn what_is_asked_again_goes_on_from_what_it_was_asked_with() {
    let text = "awaits weigh(n: number): number
holds n = 1
loads sky: number = weigh(n)
<p click='-> n = 2; reload sky; n = 1'>{sky ?? 0}</p>";
    let mut page = opened(text, json!({}));
    assert_eq!(asked(&page), Some("1".to_owned()));
    // It was asked with 2 in the middle, so what it is asked with has become another again.
    click(&mut page, "p");
    assert_eq!((asked(&page), page.resources().questions), (Some("1".to_owned()), 1));
}

#[test]
fn what_is_asked_again_follows_what_it_read_then() {
    let text = "streams level(n: number): number
holds own: number[] = [1]
holds n = 1
follows tide: number = level(own.at(0) ?? n)
upon added { own.pop(); reload tide; }
<p click='-> n += 1'>{tide ?? 0}</p>";
    let mut page = opened(text, json!({}));
    assert_eq!(asked(&page), Some("1".to_owned()));
    // There was something else to read when it was asked first.
    click(&mut page, "p");
    assert_eq!(page.session_mut().unasked(), [""; 0]);
    assert_eq!((asked(&page), page.resources().streams), (Some("2".to_owned()), 1));
}
