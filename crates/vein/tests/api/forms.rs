//! Forms that are reset.

use serde_json::json;
use vein::{Act, Error, Page, Ui};

const ORDER: &str = "
shape Line { id: number, pieces: number? }
holds crop = 'kale'
holds said: string[] = []
holds name: string? = null
holds pieces: number? = 2
holds gift = false
holds kind: 'dry' | 'moist' = 'dry'
holds soils: string[] = ['clay']
holds slow = 'a'
holds lines: Line[] = [{ id: 1, pieces: null }]
holds broken = false
<form reset=\"-> said.push(name ?? '-'); if (broken) lines[9].id = 1\">
  <input id='name' value='<-> name'>
  <input id='pieces' type='number' value='<-> pieces'>
  <input id='gift' type='checkbox' checked='<-> gift'>
  <input id='dry' type='radio' name='k' value='dry' picked='<-> kind'>
  <input id='moist' type='radio' name='k' value='moist' picked='<-> kind'>
  <select id='soils' multiple value='<-> soils'><option>clay</option><option>loam</option></select>
  <input id='slow' value='<->(quiet 300) slow'>
  <textarea id='late' value='<->(change) crop'></textarea>
  <input id='one' value='<- crop'>
  <input id='free' value='written'>
  <select id='choice'><option>x</option><option selected>y</option></select>
  <input id='line-{line.id}' each='line of lines by line.id' type='number' value='<-> line.pieces'>
  <button type='reset'>back</button>
  <button type='button' click='-> lines.push({ id: 2, pieces: 7 })'>more</button>
</form>
<input id='far' form='nothing' value='far'>
";

fn opened() -> Page {
    let ui = Ui::from_sources([("test-bed.vein", ORDER)]).expect("it checks");
    let mut page = ui.page("test-bed").open(()).expect("no data");
    page.prove(true);
    page
}

fn held(page: &mut Page, selector: &str) -> String {
    page.find(selector).expect("a control").value().unwrap_or_default()
}

fn typed(page: &mut Page, selector: &str, text: &str) -> Result<(), Error> {
    let text = text.to_owned();
    for pulse in page.act(selector, &Act::Type { text, append: false })? {
        pulse.assert_exact()?;
    }
    Ok(())
}

#[test]
fn a_form_goes_back_to_what_it_held_when_it_was_added_and_state_with_it() -> Result<(), Error> {
    let mut page = opened();
    typed(&mut page, "#name", "Rye")?;
    typed(&mut page, "#pieces", "")?;
    page.act("#gift", &Act::Click)?;
    page.act("#moist", &Act::Click)?;
    page.act("#soils", &Act::Choose(vec!["loam".into()]))?;
    typed(&mut page, "#slow", "b")?;
    typed(&mut page, "#late", "pea")?;
    typed(&mut page, "#one", "by hand")?;
    typed(&mut page, "#free", "typed")?;
    page.act("#choice", &Act::Choose(vec!["x".into()]))?;
    typed(&mut page, "#far", "typed")?;
    page.act("button[type=button]", &Act::Click)?;
    typed(&mut page, "#line-1", "3")?;
    typed(&mut page, "#line-2", "8")?;
    page.set("crop", "leek")?;
    let pulses = page.act("button[type=reset]", &Act::Click)?;
    assert_eq!(pulses.len(), 1, "one pulse");
    pulses[0].assert_exact()?;
    assert_eq!(pulses[0].pulse.cause.to_string(), "reset on form");
    assert_eq!(page.get::<serde_json::Value>("name")?, json!(null));
    assert_eq!(page.get::<serde_json::Value>("pieces")?, json!(2));
    assert!(!page.get::<bool>("gift")?);
    assert_eq!(page.get::<String>("kind")?, "dry");
    assert_eq!(page.get::<Vec<String>>("soils")?, ["clay"]);
    assert_eq!(page.get::<String>("crop")?, "kale");
    assert_eq!(
        page.get::<serde_json::Value>("lines")?,
        json!([{"id":1,"pieces":null},{"id":2,"pieces":7}])
    );
    // The listener ran before anything went back.
    assert_eq!(page.get::<Vec<String>>("said")?, ["Rye"]);
    let shown =
        ["#name", "#pieces", "#slow", "#late", "#free", "#choice", "#line-1", "#line-2", "#far"];
    let shown = shown.map(|selector| held(&mut page, selector));
    assert_eq!(shown, ["", "2", "a", "kale", "written", "y", "", "7", "typed"]);
    // What is bound one way shows what state says.
    assert_eq!(held(&mut page, "#one"), "kale");
    // What had not settled never does.
    page.advance(1000.0)?;
    assert_eq!(page.get::<String>("slow")?, "a");
    Ok(())
}

#[test]
fn a_reset_that_fails_leaves_what_was_entered() -> Result<(), Error> {
    let mut page = opened();
    page.set("broken", true)?;
    typed(&mut page, "#name", "Rye")?;
    typed(&mut page, "#slow", "b")?;
    let before = page.session_mut().tree().html();
    let failed = page.act("button[type=reset]", &Act::Click);
    assert!(failed.is_err(), "{failed:?}");
    assert_eq!(page.session_mut().tree().html(), before);
    assert_eq!((held(&mut page, "#name"), held(&mut page, "#slow")), ("Rye".into(), "b".into()));
    page.advance(1000.0)?;
    assert_eq!(page.get::<String>("slow")?, "b", "it settles as if nothing had been");
    Ok(())
}

#[test]
fn a_listener_keeps_a_form_from_going_back() -> Result<(), Error> {
    let text = "
holds name = 'kale'
holds asked = 0
<form reset='->(prevent) asked++'><input value='<-> name'><button type='reset'>back</button></form>
";
    let ui = Ui::from_sources([("test-bed.vein", text)]).expect("it checks");
    let mut page = ui.page("test-bed").open(())?;
    page.prove(true);
    typed(&mut page, "input", "pea")?;
    page.act("button", &Act::Press("Enter".into()))?;
    assert_eq!((page.get::<String>("name")?, page.get::<u32>("asked")?), ("pea".into(), 1));
    assert_eq!(held(&mut page, "input"), "pea");
    Ok(())
}

#[test]
fn what_a_control_holds_is_known_after_it_was_put_right() {
    let text = "holds n = 1
<input type='number' value='<-> n' input='-> n = Math.min(n, 5)'><button click='-> n = 9'>{n}</button>
<i click='-> n = 5'></i>";
    let ui = vein::Ui::from_sources([("a-b.vein", text)]).unwrap_or_else(|error| panic!("{error}"));
    let mut page = ui.open("a-b", ()).unwrap_or_else(|error| panic!("{error}"));
    let held = |page: &mut vein::Page| page.find("input").expect("it is there").value();
    for round in 0..2 {
        let pulse = page.find("input").and_then(|input| input.input("9")).expect("it is typed");
        pulse.assert_exact().unwrap_or_else(|error| panic!("{error}"));
        assert_eq!(pulse.pulse.problems.len(), 0, "{pulse}");
        assert_eq!(held(&mut page).as_deref(), Some("5"), "{round}");
        // What was typed, and put right, is not what stands there.
        let pulse = page.find("button").and_then(vein::FoundElement::click).expect("it is clicked");
        pulse.assert_exact().unwrap_or_else(|error| panic!("{error}"));
        assert_eq!(held(&mut page).as_deref(), Some("9"), "{round}");
        let pulse = page.find("i").and_then(vein::FoundElement::click).expect("it is clicked");
        pulse.assert_exact().unwrap_or_else(|error| panic!("{error}"));
    }
    let pulse = page.find("input").and_then(|input| input.input("")).expect("it is typed");
    pulse.assert_exact().unwrap_or_else(|error| panic!("{error}"));
    assert!(pulse.to_string().contains("means no value"), "{pulse}");
    assert_eq!(pulse.pulse.problems.len(), 1, "{pulse}");
}

#[test]
fn what_was_typed_before_a_form_was_reset_is_not_committed_later() -> Result<(), Error> {
    // What a listener writes to the same state comes before what the control goes back to.
    for on_reset in ["said++", "slow = 'x'", "slow = 'a'"] {
        let text = format!(
            "holds slow = 'a'\nholds said = 0\n<form reset=\"-> {on_reset}\">
             <input id='slow' value='<->(quiet 300) slow'><button type='reset'>back</button></form>"
        );
        let ui = Ui::from_sources([("test-bed.vein", text)]).expect("it checks");
        let mut page = ui.page("test-bed").open(()).expect("no data");
        page.prove(true);
        typed(&mut page, "#slow", "kale")?;
        for pulse in page.act("button", &Act::Click)? {
            pulse.assert_exact()?;
        }
        assert_eq!(held(&mut page, "#slow"), "a");
        for pulse in page.advance(400.0)? {
            pulse.assert_exact()?;
        }
        assert_eq!(page.get::<String>("slow")?, "a");
        assert_eq!(held(&mut page, "#slow"), "a");
    }
    Ok(())
}

#[test]
fn an_arrow_may_keep_from_something_and_do_nothing_else() -> Result<(), Error> {
    let text = "holds sent = 0
holds seen = 0
<section submit='-> sent++' click='-> seen++'><form submit='->(prevent)'><button>send</button></form>
<b click='->(stop)'>b</b><i>{sent} {seen}</i></section>";
    let ui = Ui::from_sources([("test-bed.vein", text)]).expect("it checks");
    let mut page = ui.page("test-bed").open(()).expect("no data");
    page.prove(true);
    for pulse in page.act("button", &Act::Click)? {
        pulse.assert_exact()?;
    }
    for pulse in page.act("b", &Act::Click)? {
        pulse.assert_exact()?;
    }
    assert_eq!(page.find("i").expect("it is there").text(), "1 1");
    let Err(error) = Ui::from_sources([("test-bed.vein", "<b click='->'>b</b>")]) else {
        panic!("it says nothing");
    };
    assert!(error.to_string().contains("misplaced-attribute"), "{error}");
    Ok(())
}

#[test]
fn what_comes_in_another_s_place_may_be_repeated() -> Result<(), Error> {
    let text = "holds beds: { id: number, crop: string }[]? = null
<p when='beds === null'>none</p>
<li otherwise each='bed, at of beds by bed.id' click='-> bed.crop = \"leek\"'>{at} {bed.crop}</li>";
    let ui = Ui::from_sources([("test-bed.vein", text)]).expect("it checks");
    let mut page = ui.page("test-bed").open(()).expect("no data");
    page.prove(true);
    assert_eq!(page.html(), "<p>none</p>");
    let beds = json!([{ "id": 1, "crop": "kale" }, { "id": 2, "crop": "pea" }]);
    page.set("beds", beds)?.assert_exact()?;
    assert_eq!(page.html(), "<li>0 kale</li><li>1 pea</li>");
    page.find("li:last-child")?.click()?.assert_exact()?;
    assert_eq!(page.html(), "<li>0 kale</li><li>1 leek</li>");
    page.set("beds", json!(null))?.assert_exact()?;
    assert_eq!(page.html(), "<p>none</p>");
    Ok(())
}
