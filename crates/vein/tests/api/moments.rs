//! The time of day and chance, which are the same whenever a test is run again.

use crate::waiting::click;
use serde_json::{Value as Json, json};
use vein::{Error, FoundElement, Page, ScenarioFile, Ui};

const DICE: &str = "
asks wind(n: number): number
holds rolls: { id: number, at: number }[] = []
holds begun = 0
holds last = 0
upon added { begun = Date.now() }
upon every (1000) { last = Date.now() }
does roll() { rolls.push({ id: Math.floor(Math.random() * 1000000), at: Date.now() }) }
<button click='-> roll()'>{rolls.map(roll => `${roll.id} ${roll.at}`).join()}</button>
<i click='-> roll(); last = wind(Math.random())'>{begun} {last}</i>
";

fn ui() -> Ui {
    Ui::from_sources([("a-dice.vein", DICE)]).unwrap_or_else(|error| panic!("{error}"))
}

fn page(date: f64, seed: u32) -> Page {
    let opening = ui().page("a-dice").date(date).seed(seed);
    let opening = opening.try_answer("wind", |_: f64| Err::<f64, _>("no wind"));
    opening.open(()).unwrap_or_else(|error| panic!("{error}"))
}

fn text(page: &mut Page, selector: &str) -> String {
    page.find(selector).expect("an element").text()
}

#[test]
fn the_same_beginning_comes_to_the_same() {
    let rolled = |date: f64, seed: u32, fails: bool| {
        let mut page = page(date, seed);
        for _ in 0..3 {
            if fails {
                let failed = page.find("i").and_then(FoundElement::click);
                assert!(matches!(failed, Err(Error::Failed(_))), "the host fails");
            }
            page.advance(100.0).expect("time goes by");
            click(&mut page, "button");
        }
        text(&mut page, "button")
    };
    let rolls = rolled(5000.5, 7, false);
    assert_eq!(rolls, rolled(5000.5, 7, false));
    // A pulse that was taken back has used up no chance.
    assert_eq!(rolls, rolled(5000.5, 7, true));
    assert_ne!(rolls, rolled(5000.5, 8, false));
    let of = |rolls: &str, part: usize| -> Vec<f64> {
        let words = rolls.split(',').map(|roll| roll.split(' ').nth(part).expect("two words"));
        words.map(|word| word.parse().expect("a number")).collect()
    };
    assert_eq!(of(&rolls, 1), [5100.0, 5200.0, 5300.0]);
    assert_eq!(of(&rolls, 0), of(&rolled(9.0, 7, false), 0), "chance knows nothing of time");
}

#[test]
fn the_time_of_day_goes_on_with_the_clock_and_is_set() {
    let mut page = page(1_000_000.0, 0);
    assert_eq!(text(&mut page, "i"), "1000000 0");
    page.advance(2500.0).expect("time goes by");
    assert_eq!((text(&mut page, "i"), page.date()), ("1000000 1002000".into(), 1_002_500.0));
    page.set_date(50_000.0);
    page.advance(500.0).expect("time goes by");
    assert_eq!(text(&mut page, "i"), "1000000 50500");
}

#[test]
fn a_page_in_the_place_of_another_goes_on_with_both() {
    let mut before = page(1_000_000.0, 3);
    before.advance(700.0).expect("time goes by");
    click(&mut before, "button");
    let held = before.held();
    let opening = ui().page("a-dice").seed(9).manual_answers();
    let opening = opening.answer("wind", |_: f64| 1.0);
    let (mut after, lost) = opening.open_with(vein::Value::Null, &held).expect("it fits");
    assert!(lost.is_empty(), "{lost:?}");
    for page in [&mut before, &mut after] {
        page.advance(200.0).expect("time goes by");
        click(page, "button");
    }
    assert_eq!(text(&mut before, "button"), text(&mut after, "button"));
    assert_eq!(text(&mut before, "button").split(',').count(), 2);
}

#[test]
fn a_scenario_says_both() {
    let scenario = |head: &str, to: &Json| {
        format!(
            "component = 'a-dice'\n{head}\nanswers.wind = {{ value = 1 }}\n
[[step]]\nwait = 250\n
[[step]]\nclick = 'button'\nsee = {{ at = 'button', text = {to} }}\n"
        )
    };
    let found = |text: &str| {
        let file = ScenarioFile::from_text("dice.scenario.toml", text)?;
        let played = file.play(&ui())?;
        let said: Vec<String> = played.mistakes().map(|mistake| mistake.message.clone()).collect();
        Ok::<_, Error>(said)
    };
    let head = "date = 2026-05-04T09:00:00+02:00\nseed = 7";
    let mut page = page(1_777_878_000_000.0, 7);
    page.advance(250.0).expect("time goes by");
    click(&mut page, "button");
    let shown = text(&mut page, "button");
    assert!(shown.ends_with(" 1777878000250"), "{shown}");
    let text_of = |said: Vec<String>| said.iter().filter(|one| one.contains("its text is")).count();
    assert_eq!(text_of(found(&scenario(head, &json!(shown))).expect("it is played")), 0);
    let other = head.replace('7', "8");
    assert_eq!(text_of(found(&scenario(&other, &json!(shown))).expect("it is played")), 1);
    for (head, told) in [
        ("date = '2026-05-04T09:00:00Z'", "a moment with its offset and without quotes"),
        ("date = 2026-05-04", "a moment with its offset and without quotes"),
        ("date = 2026-05-04T09:00:00", "a moment with its offset and without quotes"),
        ("seed = -1", "a whole number from zero to 4294967295"),
        ("seed = 1.5", "a whole number from zero to 4294967295"),
    ] {
        let Err(error) = found(&scenario(head, &json!("x"))) else { panic!("{head}") };
        assert!(error.to_string().contains(told), "{head}: {error}");
    }
}
