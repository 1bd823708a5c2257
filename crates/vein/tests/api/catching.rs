//! What handlers catch: that the host could not answer, and nothing else.

use crate::waiting::click;
use serde_json::json;
use vein::{Budget, Error, Fault, FoundElement, Page, Problem, Ui, Value};

fn opened_within(text: &str, budget: Budget) -> Result<Page, Error> {
    let text = format!(
        "asks soil(n: number): string\nawaits weigh(n: number): number\nholds log: string[] = []\n{text}
<output>{{log.join(' ')}}</output>"
    );
    let ui = Ui::from_sources([("a-try.vein", text.as_str())]);
    let ui = ui.unwrap_or_else(|error| panic!("{error}\n{text}"));
    let page = ui.page("a-try").try_answer("soil", |n: f64| match n {
        7.0 => Err("no soil"),
        _ => Ok("clay"),
    });
    page.budget(budget).manual_answers().open(json!({}))
}

fn opened(text: &str) -> Page {
    opened_within(text, Budget::default()).unwrap_or_else(|error| panic!("{error}\n{text}"))
}

fn log(page: &mut Page) -> String {
    page.find("output").expect("it is there").text()
}

/// Answers what was asked first; gives what the pulse survived.
fn answer(page: &mut Page, answer: Result<f64, &str>) -> Vec<Problem> {
    let question = page.questions().first().expect("a question").id;
    let answer = answer.map(Value::from).map_err(str::to_owned);
    let entry = page.answer(question, answer).unwrap_or_else(|error| panic!("{error}"));
    entry.expect("it was waited for").pulse.problems
}

fn failed(page: &mut Page, selector: &str) -> String {
    let before = page.html();
    let failed = page.find(selector).and_then(FoundElement::click).map(|_| ());
    let Err(Error::Failed(fault)) = failed else { panic!("{selector}: {failed:?}") };
    assert_eq!(page.html(), before, "everything was taken back");
    fault.to_string()
}

#[test]
fn the_reason_why_an_answer_did_not_come_is_caught() {
    let mut page = opened(
        "does ask() {
  log.push('begun')
  try {
    const weight = await weigh(1)
    log.push(`${weight}`)
  } catch (reason) {
    log.push(`no: ${reason};`)
  } finally {
    log.push('done')
  }
  log.push('after')
}
<p click='-> ask()'>ask</p>",
    );
    click(&mut page, "p");
    assert_eq!(log(&mut page), "begun");
    assert_eq!(answer(&mut page, Err("too far")), []);
    assert_eq!(log(&mut page), "begun no: too far; done after");
    click(&mut page, "p");
    assert_eq!(answer(&mut page, Ok(3.0)), []);
    assert_eq!(log(&mut page), "begun no: too far; done after begun 3 done after");
    assert_eq!((page.resources().questions, page.questions().len()), (0, 0));
}

#[test]
fn a_statement_that_fails_does_nothing_and_those_before_it_stay() {
    let mut page = opened(
        "holds soils = ['peat']
does look(n: number) { log.push('look'); soils[0] = soil(n); log.push('never') }
<p click='-> try { log.push(\"one\"); log.push(soil(7), \"two\"); } catch (why) { log.push(why) }'>{soils[0]}</p>
<i click='-> try { look(7) } catch { log.push(\"caught\") } finally { log.push(\"last\") }'></i>
<b click='-> try { let kept = \"a\"; try { kept = soil(7) } finally { log.push(kept) } } catch { log.push(\"b\") }'></b>",
    );
    click(&mut page, "p");
    assert_eq!(log(&mut page), "one no soil");
    click(&mut page, "i");
    assert_eq!(log(&mut page), "one no soil look caught last");
    click(&mut page, "b");
    assert_eq!(log(&mut page), "one no soil look caught last a b");
    assert_eq!(page.find("p").expect("it is there").text(), "peat");
}

#[test]
fn what_is_not_the_host_s_is_not_caught() {
    let mut page = opened(
        "holds n = 7
holds few = [1]
derives ground = n > 8 ? soil(7) : 'none'
<p click='-> try { few[3] = soil(1).length } catch { log.push(\"a\") } finally { log.push(\"b\") }'>{few.join()}</p>
<i click='-> try { n = 9; log.push(soil(2), ground) } catch { log.push(\"a\") } finally { log.push(\"b\") }'>{ground}</i>
<b click='-> try { soil_of(7) } finally { log.push(\"b\") }'></b>
<u click='-> try { soil_of(7) } catch { soil_of(7) } finally { log.push(\"b\") }'></u>"
            .replace("derives ground", "does soil_of(n: number) { log.push(soil(n)) }\nderives ground")
            .as_str(),
    );
    assert!(failed(&mut page, "p").contains("there is nothing at `few[3]`"));
    // Derived values ask for whoever shows them.
    assert!(failed(&mut page, "i").contains("no soil"));
    // At the end nobody has caught it, and it is all one pulse.
    assert!(failed(&mut page, "b").contains("no soil"));
    assert!(failed(&mut page, "u").contains("no soil"));
}

#[test]
fn what_is_done_at_the_end_stays_where_nothing_catches_that_no_answer_came() {
    let mut page = opened(
        "holds busy = false
does ask() { busy = true; try { await weigh(1); log.push('got it') } finally { busy = false } log.push('after') }
<p click='-> ask()'>{busy}</p>",
    );
    click(&mut page, "p");
    assert_eq!(page.find("p").expect("it is there").text(), "true");
    let problems = answer(&mut page, Err("too far"));
    let told: Vec<String> = problems.iter().map(ToString::to_string).collect();
    assert_eq!(told, ["the host could not answer `weigh`, and nothing caught that: too far"]);
    assert_eq!(page.find("p").expect("it is there").text(), "false");
    assert_eq!(log(&mut page), "");
}

#[test]
fn returns_go_through_what_is_done_at_the_end() {
    let mut page = opened(
        "does first() {
  for (const n of [1, 2, 3]) {
    try {
      if (n === 2) return
      log.push(`${n}`)
    } finally {
      await weigh(n)
      log.push('last')
    }
  }
  log.push('never')
}
does other() { try { log.push(soil(7)) } finally { return } log.push('never') }
<p click='-> first()'>a</p><i click='-> other(); log.push(\"on\")'>b</i>",
    );
    click(&mut page, "p");
    answer(&mut page, Ok(1.0));
    assert_eq!(log(&mut page), "1 last");
    answer(&mut page, Ok(1.0));
    assert_eq!(log(&mut page), "1 last last");
    assert_eq!(page.questions().len(), 0);
    // As in the standard, `return` at the end has the last word.
    click(&mut page, "i");
    assert_eq!(log(&mut page), "1 last last on");
}

#[test]
fn where_the_item_of_a_loop_has_gone_it_goes_on_after_the_loop() {
    let mut page = opened(
        "holds beds = [1, 2]
does all() {
  try {
    for (const bed of beds) {
      try { await weigh(bed) } catch { log.push('inner') } finally { log.push('last') }
    }
    log.push('after')
    await weigh(9)
  } catch (why) { log.push(why) }
}
<p click='-> all()'>a</p><i click='-> beds = []'>b</i>",
    );
    for (result, told) in [(Ok(1.0), "after"), (Err("gone"), "after")] {
        let before = log(&mut page);
        click(&mut page, "p");
        click(&mut page, "i");
        answer(&mut page, result);
        assert_eq!(log(&mut page), format!("{before} {told}").trim());
        answer(&mut page, Err("nine"));
        assert!(log(&mut page).ends_with("after nine"), "{}", log(&mut page));
        page.set("beds", json!([1, 2])).expect("state");
    }
}

#[test]
fn a_pulse_that_runs_out_after_the_host_has_failed_is_not_caught() {
    let text = "derives deep(n: number): number = n > 0 ? 1 + deep(n + 1) : 0
<p click='-> for (const n of [1, 2, 3]) { try { log.push(soil(7) + [1, 2, 3].reduce((sum, one) => sum + one, 0)) } catch { log.push(\"caught\") } }'></p>
<i click='-> try { log.push(soil(7) + deep(1)) } catch { log.push(\"caught\") } finally { log.push(\"last\") }'></i>";
    // With few steps, wherever they end: all of the pulse or nothing of it, and never on and on.
    let (mut ran_out, mut caught) = (0, 0);
    for steps in 0..120 {
        let budget = Budget { steps, ..Budget::default() };
        let Ok(mut page) = opened_within(text, budget) else { continue };
        let before = page.html();
        match page.find("p").and_then(FoundElement::click) {
            Err(Error::Failed(Fault::OverBudget { .. })) => {
                assert_eq!(page.html(), before);
                ran_out += 1;
            }
            Ok(_) => {
                assert_eq!(log(&mut page), "caught caught caught");
                caught += 1;
            }
            other => panic!("{steps}: {other:?}"),
        }
    }
    assert!(ran_out > 10 && caught > 10, "{ran_out} {caught}");
    assert!(failed(&mut opened(text), "i").contains("deep"));
}
