//! Functions of one's own: what they give, what is read through them, how deep they may call each other; and names that
//! handlers assign again.

use crate::waiting::{click, opened};
use serde_json::json;
use vein::{Error, Page, Ui};

fn text(page: &mut Page, selector: &str) -> String {
    page.find(selector).expect("it is there").text()
}

const BEDS: &str = "shape Bed { id: number, hours: number, note: string? }
holds rate = 2
holds other = 0
holds beds: Bed[] = [{ id: 1, hours: 3, note: null }, { id: 2, hours: 4, note: 'wet' }]
derives price(bed: Bed, extra: number) = bed.hours * rate + extra
derives note(bed: Bed): string {
  const kept = bed.note
  if (kept === null) return '–'
  let text = kept
  if (rate > 2) text = text + '!'
  else text += '?'
  return text
}
<div>
<p each='bed of beds by bed.id'>{price(bed, 1)} {note(bed)}</p>
<button id='rate' click='-> rate++'>{beds.map(note).join()}</button>
<button id='hours' click='-> beds[0].hours = 10'></button>
<button id='other' click='-> const last = beds.at(-1); if (last) other = price(last, 0)'>{other}</button>
</div>";

#[test]
fn a_function_follows_what_it_is_given_and_what_it_reads() {
    let mut page = opened(BEDS, json!({}));
    let shown = |page: &mut Page| format!("{} | {}", text(page, "p"), text(page, "p:last-of-type"));
    assert_eq!(shown(&mut page), "7 – | 9 wet?");
    let pulse = click(&mut page, "#hours");
    assert_eq!(pulse.pulse.patches.iter().count(), 1, "only the row whose bed was written");
    assert_eq!(shown(&mut page), "21 – | 9 wet?");
    click(&mut page, "#rate");
    assert_eq!(shown(&mut page), "31 – | 13 wet!");
    assert_eq!(text(&mut page, "#rate"), "–,wet!");
    click(&mut page, "#other");
    assert_eq!(text(&mut page, "#other"), "12");
}

#[test]
fn a_function_may_call_itself_to_a_depth() {
    let source = "takes deep: number
holds far = 0
derives sum(n: number): number = n > 0 ? n + sum(n - 1) : 0
derives even(n: number): boolean = n <= 0 || odd(n - 1)
derives odd(n: number): boolean = n > 0 && even(n - 1)
derives wide(n: number): number = wide(n + 1) + wide(n + 1)
<p click='-> far = sum(deep)'>{sum(60)} {even(20)} {odd(20)} {far}</p>
<b click='-> far = wide(0)'></b>";
    let mut page = opened(source, json!({ "deep": 90 }));
    click(&mut page, "p");
    assert_eq!(text(&mut page, "p"), "1830 true false 4095");
    let mut page = opened(source, json!({ "deep": 200 }));
    for (selector, name) in [("p", "sum"), ("b", "wide")] {
        let failed = page.find(selector).and_then(vein::FoundElement::click).map(|_| ());
        let Err(Error::Failed(fault)) = failed else { panic!("{failed:?}") };
        assert_eq!(
            fault.to_string(),
            format!(
                "calls of `{name}` stand too deep inside each other: have it come to an end, or go over a list"
            )
        );
    }
    assert_eq!(text(&mut page, "p"), "1830 true false 0");
}

#[test]
fn functions_of_stores_are_shared() {
    let sources = [
        (
            "shared-prices",
            "store prices\nuses rates\nholds extra = 1\nderives of(hours: number) = rates.of(hours) + extra\n\
             derives all(list: number[]) = list.map(of).reduce((sum, one) => sum + one, 0)\n\
             does raise() { extra = extra + all([1]) }",
        ),
        (
            "shared-rates",
            "store rates\nholds rate = 2\nderives of(hours: number) = hours * rate\ndoes double() { rate *= 2 }",
        ),
        (
            "job-list",
            "uses prices, rates\nholds jobs = [1, 2]\n\
             <b click='-> rates.double()'></b><p click='-> prices.raise()'>{prices.all(jobs)} {jobs.map(prices.of).join()}</p>",
        ),
    ];
    let ui = Ui::from_sources(sources).unwrap_or_else(|report| panic!("{report}"));
    let mut page = ui.page("job-list").proven(true).open(json!({})).expect("it opens");
    assert_eq!(text(&mut page, "p"), "8 3,5");
    click(&mut page, "p");
    assert_eq!(text(&mut page, "p"), "14 6,8");
    click(&mut page, "b");
    assert_eq!(text(&mut page, "p"), "20 8,12");
}

#[test]
fn handlers_assign_names_again() {
    let source = "holds list = [3, 1, 2]
holds shown = ''
does sum() {
  let all = 0
  let most: number? = null
  let seen: number[] = []
  for (const one of list) {
    all += one
    if (most === null || one > most) most = one
    seen = [...seen, all]
  }
  list = seen
  shown = `${all} ${most ?? '–'} ${seen.join()}`
}
<p click='-> sum()'>{shown} {list.join()}</p>";
    let mut page = opened(source, json!({}));
    click(&mut page, "p");
    assert_eq!(text(&mut page, "p"), "6 3 3,4,6 3,4,6");
}

#[test]
fn values_are_taken_apart() {
    let source = "shape Bed { id: number, crop: string, levels: number[] }
holds beds: Bed[] = [{ id: 1, crop: 'leek', levels: [1, 2, 3] }, { id: 2, crop: 'kale', levels: [] }]
holds shown = ''
derives first({ id }: Bed) = id
<p click='-> const { crop, levels: [] } = beds[0]'></p>";
    let error = Ui::from_sources([("a-b", source)]).map(|_| ()).expect_err("no such patterns");
    assert!(error.to_string().contains("expected a parameter"), "{error}");
    let source = "shape Bed { id: number, crop: string, levels: number[] }
holds beds: Bed[] = [{ id: 1, crop: 'leek', levels: [1, 2, 3] }, { id: 2, crop: 'kale', levels: [] }]
holds shown = ''
derives crops = beds.map(({ crop, id: of }, at) => crop + of + at).join()
derives most(bed: Bed) {
  const { levels } = bed
  const [, second, ...rest] = levels
  return `${second ?? '–'}/${rest.length}`
}
<div><p click='-> for (const { crop, levels: all } of beds) shown += crop + all.length'>{shown}</p>
<b>{crops} {beds.map(most).join()} {Array.from({ length: 3 }, (_, at) => at * 2).join()}</b>
<i click='-> const [one] = beds; if (one) { one.crop; beds[0].crop = \"pea\" }'></i></div>";
    let error = Ui::from_sources([("a-b", source)]).map(|_| ()).expect_err("a statement");
    assert!(error.to_string().contains("this statement changes nothing"), "{error}");
    let mut page = opened(&source.replace("one.crop; ", ""), json!({}));
    assert_eq!(text(&mut page, "b"), "leek10,kale21 2/1,–/0 0,2,4");
    click(&mut page, "p");
    assert_eq!(text(&mut page, "p"), "leek3kale0");
    click(&mut page, "i");
    assert_eq!(text(&mut page, "b"), "pea10,kale21 2/1,–/0 0,2,4");
}

#[test]
fn loops_write_to_what_their_lists_were_made_of() {
    let source = "shape Bed { id: number, litres: number, levels: number[] }
holds beds: Bed[] = [{ id: 3, litres: 1, levels: [] }, { id: 1, litres: 9, levels: [] }, { id: 2, litres: 2, levels: [] }]
holds least = 5
does pour() {
  for (const bed of beds.filter(one => one.litres < least)) { bed.litres += 10; bed.levels.push(bed.id); }
}
does number() {
  let at = 0
  for (const bed of beds.toSorted((a, b) => a.id - b.id).slice(1)) { bed.id = at; at++ }
}
does shrink() {
  for (const { id } of beds.toReversed()) { if (id > 0) beds.pop() }
  for (const bed of beds.toReversed()) { beds = []; bed.litres = 0 }
}
<p click='-> pour()'>{beds.map(b => `${b.id} ${b.litres} ${b.levels.join()}`).join('; ')}</p>
<b click='-> number()'></b><i click='-> shrink()'></i>";
    let mut page = opened(source, json!({}));
    click(&mut page, "p");
    assert_eq!(text(&mut page, "p"), "3 11 3; 1 9 ; 2 12 2");
    click(&mut page, "b");
    assert_eq!(text(&mut page, "p"), "1 11 3; 1 9 ; 0 12 2");
    let wrong = page.find("i").and_then(vein::FoundElement::click).map(|_| ());
    let Err(Error::Failed(fault)) = wrong else { panic!("{wrong:?}") };
    assert!(fault.to_string().contains("there is nothing at `beds["), "{fault}");
    assert_eq!(text(&mut page, "p"), "1 11 3; 1 9 ; 0 12 2");
}
