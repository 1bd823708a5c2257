//! The engine from outside: right results, and no more work than they need.

use serde_json::{Value as Json, json};
use std::sync::Arc;
use vein_check::{Source, check};
use vein_plan::Value;
use vein_runtime::{Cause, Delivery, Difference, Host, Layer, PlaceId, Pulse, Runtime, Which};

fn open(text: &str, props: &Json) -> Runtime {
    let checked = check(vec![Source { path: "test-bed.vein".into(), text: text.into() }]);
    let program = checked.program.unwrap_or_else(|| panic!("{}", checked.report));
    Runtime::open_with(Arc::new(program), "test-bed", props, None).expect("props that fit").0
}

/// Runs a listener by its number, as an event without fields.
fn act(runtime: &mut Runtime, listener: u32) -> Pulse {
    let delivery = delivery(runtime, listener, Value::record([]));
    runtime.dispatch("click", "i", vec![delivery])
}

/// An event for a listener of the page's component, by its number.
fn delivery(runtime: &Runtime, listener: u32, event: Value) -> Delivery {
    let block = &runtime.plan().blocks[0];
    let node = runtime.kept(runtime.root_scope()).first + block.listeners[listener as usize].mark;
    Delivery { node, listener, event }
}

/// What was evaluated and computed: the numbers of parts, and how many derived values.
fn work(pulse: &Pulse) -> (Vec<usize>, usize) {
    let number = |place: &PlaceId| match place.which {
        Which::Part(part) => part as usize,
        Which::Spot(spot) => panic!("spot {spot}"),
    };
    (pulse.evaluated.iter().map(number).collect(), pulse.computed)
}

#[test]
fn a_chain_of_derived_values_is_computed_once_through() {
    let mut text = String::from("holds n = 0\nderives d0 = n + 1\n");
    for i in 1..1000 {
        text.push_str(&format!("derives d{i} = d{} + 1\n", i - 1));
    }
    text.push_str("<i click='-> n += 1'>{d999}</i>");
    let mut runtime = open(&text, &Json::Null);
    for round in 1..4 {
        assert_eq!(work(&act(&mut runtime, 0)), (vec![0], 1000));
        assert_eq!(read(&mut runtime, "d999"), Ok(json!(1000 + round)));
    }
}

#[test]
fn a_diamond_of_derived_values_is_computed_once_through() {
    let mut text = String::from("holds n = 0\n");
    for i in 0..1000 {
        text.push_str(&format!("derives d{i} = n + {i}\n"));
    }
    let all: Vec<String> = (0..1000).map(|i| format!("d{i}")).collect();
    text.push_str(&format!("derives sum = [{}].reduce((a, b) => a + b, 0)\n", all.join(", ")));
    text.push_str("<i click='-> n += 1'>{sum}</i>");
    let mut runtime = open(&text, &Json::Null);
    assert_eq!(work(&act(&mut runtime, 0)), (vec![0], 1001));
    assert_eq!(read(&mut runtime, "sum"), Ok(json!(1000 + 999 * 500)));
}

#[test]
fn what_is_read_under_a_condition_is_worked_out_only_where_it_holds() {
    let text = "
holds flag = true
holds on = true
holds n = 0
derives heavy = n + 1
derives d = flag ? heavy : 0
<p click='-> on = !on'></p><p click='-> n += 1'></p><p click='-> flag = !flag'></p>
<p click='-> flag = !flag; n += 1'></p><p click='-> n += 1; flag = !flag'></p>
<i when='on'>{d}</i>";
    let mut runtime = open(text, &Json::Null);
    let computed = |runtime: &mut Runtime, listener| act(runtime, listener).computed;
    assert_eq!(computed(&mut runtime, 1), 2);
    // The flag goes: nobody asks for what was behind it, whichever was written first.
    assert_eq!(computed(&mut runtime, 3), 1);
    assert_eq!(computed(&mut runtime, 1), 0);
    assert_eq!(computed(&mut runtime, 4), 2, "both, now that it is asked for");
    assert_eq!(computed(&mut runtime, 4), 1);
    assert_eq!(computed(&mut runtime, 2), 2);
    // Nobody reads either; when somebody does, it hangs on what holds by then.
    assert_eq!(computed(&mut runtime, 0), 0);
    assert_eq!((computed(&mut runtime, 1), computed(&mut runtime, 2)), (0, 0));
    assert_eq!(computed(&mut runtime, 0), 1);
    assert_eq!(read(&mut runtime, "d"), Ok(json!(0)));
    assert_eq!(computed(&mut runtime, 2), 2);
    assert_eq!(read(&mut runtime, "d"), Ok(json!(7)));
}

#[test]
fn writes_that_cancel_out_do_not_hide_others() {
    let text = "
holds n = 1
holds m = 1
derives double = m * 2
<i click='-> n += 1; n -= 1; m += 1'>{n + double}</i>";
    let mut runtime = open(text, &Json::Null);
    assert_eq!(work(&act(&mut runtime, 0)), (vec![0], 1));
    assert_eq!(read(&mut runtime, "double"), Ok(json!(4)));
}

#[test]
fn a_listener_that_happens_once_is_spent_whatever_comes_later() {
    let text = "
holds n = 0
holds beds = [1]
<i click='->(once) n += 1'>{n}</i>
<i click='-> beds[9] = 1'></i>";
    let mut runtime = open(text, &Json::Null);
    let heard = |runtime: &mut Runtime, listeners: &[u32]| {
        let all = listeners.iter().map(|at| delivery(runtime, *at, Value::record([]))).collect();
        runtime.dispatch("click", "i", all)
    };
    // A pulse that is taken back does not spend it.
    assert!(heard(&mut runtime, &[0, 1]).fault.is_some());
    assert!(!heard(&mut runtime, &[0]).patches.is_empty());
    assert_eq!(read(&mut runtime, "n"), Ok(json!(1)));
    // A surface that has not been told yet sends it again.
    assert!(heard(&mut runtime, &[0]).patches.is_empty());
    assert!(heard(&mut runtime, &[0, 1]).fault.is_some());
    assert!(heard(&mut runtime, &[0]).patches.is_empty());
    assert_eq!(read(&mut runtime, "n"), Ok(json!(1)));
}

#[test]
fn the_wave_stops_where_the_result_is_equal() {
    let text = "
holds n = 0
derives even = n % 2 === 0
derives label = even ? 'even' : 'odd'
<i click='-> n += 2'></i><i click='-> n += 1'></i><p>{label}</p><p>{even}</p>
";
    let mut runtime = open(text, &Json::Null);
    assert_eq!(work(&act(&mut runtime, 0)), (vec![], 1), "still even");
    assert_eq!(work(&act(&mut runtime, 1)), (vec![0, 1], 2), "odd now");
}

#[test]
fn what_nobody_reads_is_not_computed() {
    let text = "
takes beds: number[]
holds open = false
holds n = 0
derives costly = beds.filter(b => b > n).length
derives shown = open ? `${costly}` : 'closed'
<i click='-> n += 1'></i><i click='-> open = !open'></i><p>{shown}</p>
";
    let mut runtime = open(text, &json!({ "beds": [1, 2, 3] }));
    assert_eq!(work(&act(&mut runtime, 0)), (vec![], 0), "closed: nothing depends on it");
    let opened = act(&mut runtime, 1);
    assert_eq!((opened.computed, opened.parts[0].effect.sides().1), (2, "\"2\"".into()));
    assert_eq!(work(&act(&mut runtime, 0)), (vec![0], 2), "open: both follow");
    act(&mut runtime, 1);
    assert_eq!(work(&act(&mut runtime, 0)), (vec![], 0), "closed again");
    // The host may ask at any time, and gets what is so now.
    assert_eq!(read(&mut runtime, "costly"), Ok(json!(0)));
    assert_eq!(read(&mut runtime, "shown"), Ok(json!("closed")));
}

#[test]
fn handlers_see_derived_values_as_they_are_at_that_moment() {
    let text = "
holds n = 1
holds log: number[] = []
derives twice = n * 2
<i click='-> log.push(twice); n = 5; log.push(twice); n = 7; log.push(twice)'></i>
<p>{twice}</p><p>{log.join()}</p>
";
    let mut runtime = open(text, &Json::Null);
    let pulse = act(&mut runtime, 0);
    assert_eq!(read(&mut runtime, "log"), Ok(json!([2, 10, 14])));
    // Two computed for the handler's sake, none again for the view.
    assert_eq!(work(&pulse), (vec![0, 1], 2));
    let changes: Vec<(Layer, &str)> =
        pulse.values.iter().map(|c| (c.layer, c.path.as_str())).collect();
    let state = |path| (Layer::State, path);
    assert_eq!(
        changes,
        [state("log"), state("n"), (Layer::Derived, "twice"), state("log"), state("log")]
    );
    match &pulse.values[1].difference {
        Difference::Value { from, to } => {
            assert_eq!((from.to_number(), to.to_number()), (1.0, 7.0), "from first to last");
        }
        other => panic!("{other}"),
    }
}

#[test]
fn causes_lead_from_parts_back_to_state() {
    let text = "
holds a = 1
holds b = 1
derives sum = a + b
derives label = `${sum}`
<i click='-> a = 2; b = 3'></i><p>{label} {b}</p>
";
    let mut runtime = open(text, &Json::Null);
    let pulse = act(&mut runtime, 0);
    let path = |i: &usize| pulse.values[*i].path.as_str();
    let why = |because: &[usize]| because.iter().map(path).collect::<Vec<_>>().join(" ");
    assert_eq!(why(&pulse.parts[0].because), "b label");
    let of = |name: &str| pulse.values.iter().find(|c| c.path == name).expect("a change");
    assert_eq!(why(&of("label").because), "sum");
    assert_eq!(why(&of("sum").because), "a b");
}

#[test]
fn faults_take_everything_back() {
    let text = "
gives done(n: number)
holds n = 0
holds beds = [{ crop: 'leek', n: 1 }]
derives twice = n * 2
does down() { n += 1; give done(n); beds.push({ crop: 'kale', n }); down() }
does outside() { n = 9; beds[0].n = twice; beds[5].n = 1 }
<i click='-> down()'></i><i click='-> outside()'></i><i click='-> n += 1'></i>
<p>{twice}</p><p>{beds.length}</p><p>{beds[0]?.n}</p>
";
    let mut runtime = open(text, &Json::Null);
    for (listener, fault) in [(0, "`down` was called while 64 other calls"), (1, "`beds[5].n`")] {
        let pulse = act(&mut runtime, listener);
        let told = pulse.fault.as_ref().expect("a fault").to_string();
        assert!(told.contains(fault), "{told}");
        assert!(pulse.patches.is_empty() && pulse.parts.is_empty() && pulse.given.is_empty());
        assert!(pulse.values.is_empty());
        assert_eq!(read(&mut runtime, "n"), Ok(json!(0)));
        assert_eq!(read(&mut runtime, "beds"), Ok(json!([{ "crop": "leek", "n": 1 }])));
        assert_eq!(read(&mut runtime, "twice"), Ok(json!(0)));
    }
    assert_eq!(act(&mut runtime, 2).parts.len(), 1);
    assert_eq!(read(&mut runtime, "twice"), Ok(json!(2)));
}

/// What tells the rows apart is written by what runs when they go with the page, after the item of the first has gone: it
/// comes to the same as where nobody shows anything.
#[test]
fn what_runs_at_the_end_writes_in_rows_that_go_too() {
    let rows = "<li each='bed of beds by bed.levels.join()'><b each='level of bed.levels'>{level}</b></li>";
    for edit in ["push(5)", "reverse()", "splice(0, 2, 7, 8, 9)", "sort((a, b) => b - a)", "pop()"]
    {
        let given = |shown: &str| {
            let text = format!(
                "
holds beds = [{{ levels: [1, 2, 3] }}, {{ levels: [4] }}, {{ levels: [6, 5] }}]
gives went(levels: number[])
upon removed {{
  beds.shift();
  for (const bed of beds) {{ bed.levels.{edit}; }}
  for (const bed of beds) {{ bed.levels.{edit}; give went(bed.levels); }}
}}
<ul>{shown}</ul>
"
            );
            let closed = open(&text, &Json::Null).close();
            assert!(closed.fault.is_none(), "{edit}: {:?}", closed.fault);
            closed.given.iter().map(|given| format!("{:?}", given.payload)).collect::<Vec<_>>()
        };
        assert_eq!(given(rows), given(""), "{edit}");
        assert_eq!(given(rows).len(), 2, "{edit}");
    }
}

/// Nobody shows `far`: it is asked for by what fails, and `near` is as it was when it is worked out for that.
#[test]
fn faults_leave_what_nobody_asked_for_as_it_was() {
    let text = "
holds n = 1
holds few: number[] = []
holds noted = 0
derives near = n > 2
derives far = near ? 3 : 1
<i click='-> n = 2'></i><i click='-> noted = far; few[9] = 1'></i><i click='-> n = 5'></i>
<i click='-> noted = far'></i><p>{noted}</p>
";
    let mut runtime = open(text, &Json::Null);
    act(&mut runtime, 3);
    act(&mut runtime, 0);
    assert!(act(&mut runtime, 1).fault.is_some());
    assert_eq!(runtime.outdated(), Vec::<String>::new());
    act(&mut runtime, 2);
    act(&mut runtime, 3);
    assert_eq!(read(&mut runtime, "noted"), Ok(json!(3)));
}

/// The first listener waits for quiet, the second fails at will; one event reaches both.
#[test]
fn faults_leave_waiting_events_as_they_were() {
    let text = "
holds log: string[] = []
holds fail = false
<i input='->(quiet 100) log.push(event.value)'></i>
<i input='-> if (fail) log[9] = event.value'></i>
<p>{log.join()}</p>
";
    let mut runtime = open(text, &Json::Null);
    let input = |runtime: &mut Runtime, value: &str| {
        let event = Value::record([("value".into(), value.into())]);
        let deliveries = [0, 1].map(|listener| delivery(runtime, listener, event.clone()));
        runtime.dispatch("input", "i", deliveries.into()).fault.is_some()
    };
    assert!(!input(&mut runtime, "kept"));
    assert_eq!(runtime.run_due(60.0).map(|pulse| pulse.number), None);
    runtime.set("fail", json!(true)).expect("state");
    assert!(input(&mut runtime, "lost"));
    assert_eq!(runtime.next_due(), Some(100.0), "neither put off nor replaced");
    assert!(runtime.run_due(100.0).is_some());
    assert_eq!(read(&mut runtime, "log"), Ok(json!(["kept"])));
    assert_eq!(runtime.next_due(), None);
}

#[test]
fn values_are_values() {
    let text = "
holds beds = [{ crop: 'leek' }]
holds picked = { crop: 'none' }
does pick() { for (const b of beds) picked = b; beds[0].crop = 'kale'; picked.crop += '!' }
<i click='-> pick'></i><p>{picked.crop}</p><p>{beds[0]?.crop}</p>
";
    let mut runtime = open(text, &Json::Null);
    act(&mut runtime, 0);
    assert_eq!(read(&mut runtime, "picked.crop"), Ok(json!("leek!")), "what it was then");
    assert_eq!(read(&mut runtime, "beds[0].crop"), Ok(json!("kale")), "and only what was assigned");
}

#[test]
fn loops_visit_what_was_there_at_first() {
    let text = "
holds list = [1, 2, 3]
holds seen: number[] = []
does grow() { for (const n of list) { seen.push(n); list.push(n * 10) } }
does shrink() { for (const n of list) { seen.push(n); list.pop() } }
<i click='-> grow'></i><i click='-> shrink'></i><p>{seen.join()} {list.length}</p>
";
    let mut runtime = open(text, &Json::Null);
    act(&mut runtime, 0);
    assert_eq!(read(&mut runtime, "seen"), Ok(json!([1, 2, 3])));
    assert_eq!(read(&mut runtime, "list"), Ok(json!([1, 2, 3, 10, 20, 30])));
    act(&mut runtime, 1);
    assert_eq!(read(&mut runtime, "seen"), Ok(json!([1, 2, 3, 1, 2, 3])));
}

#[test]
fn list_methods_change_lists_as_the_standard_says() {
    let text = "
holds list = [3, 1, 2]
<i click='-> list.push(4, 5)'></i><i click='-> list.unshift(0)'></i><i click='-> list.pop()'></i>
<i click='-> list.shift()'></i><i click='-> list.splice(1, 1, 7, 8)'></i><i click='-> list.splice(-2)'></i>
<i click='-> list.sort()'></i><i click='-> list.sort((a, b) => b - a)'></i><i click='-> list.reverse()'></i>
<i click='-> list.splice(9, 9, 6)'></i><i click='-> list = []; list.pop(); list.shift()'></i>
<p>{list.join()}</p>
";
    for (listener, expected) in [
        (0, json!([3, 1, 2, 4, 5])),
        (1, json!([0, 3, 1, 2])),
        (2, json!([3, 1])),
        (3, json!([1, 2])),
        (4, json!([3, 7, 8, 2])),
        (5, json!([3])),
        (6, json!([1, 2, 3])),
        (7, json!([3, 2, 1])),
        (8, json!([2, 1, 3])),
        (9, json!([3, 1, 2, 6])),
        (10, json!([])),
    ] {
        let mut runtime = open(text, &Json::Null);
        act(&mut runtime, listener);
        assert_eq!(read(&mut runtime, "list"), Ok(expected), "listener {listener}");
    }
}

/// Reads that were followed are let go when they are replaced.
#[test]
fn nothing_is_followed_longer_than_it_is_read() {
    let text = "
takes beds: number[]
holds n = 0
<i click='-> n += 1'></i><p>{beds[n]}</p><p>{beds.filter(b => b > n).length}</p>
";
    let beds: Vec<usize> = (0..50).collect();
    let mut runtime = open(text, &json!({ "beds": beds }));
    act(&mut runtime, 0);
    let followed = runtime.followed_reads();
    for _ in 0..40 {
        act(&mut runtime, 0);
        assert_eq!(runtime.followed_reads(), followed);
    }
    runtime.set("beds", json!([])).expect("a list");
    assert!(runtime.followed_reads() < 8, "{} are left of {followed}", runtime.followed_reads());
}

#[test]
fn what_is_worked_out_for_the_first_time_is_no_change() {
    let text = "
holds beds = [{ id: 1, dry: true }]
holds open = false
derives unread = beds.length
<i click='-> beds.push({ id: beds.length + 1, dry: false })'></i>
<i click='-> open = true'></i>
<p each='bed of beds.filter(b => b.id > 0) by bed.id'>{bed.id}</p>
<b when='open'>{unread}</b>
";
    let mut runtime = open(text, &Json::Null);
    let told = |pulse: &Pulse| -> Vec<String> {
        let layer = |layer: Layer| if layer == Layer::State { "state" } else { "derived" };
        pulse.values.iter().map(|v| format!("{} {}", layer(v.layer), v.path)).collect()
    };
    let pulse = act(&mut runtime, 0);
    assert_eq!(told(&pulse), ["state beds", "derived beds.filter(b => b.id > 0)"]);
    assert_eq!(pulse.values[1].because, [0]);
    // The branch reads `unread`, which nobody has read before: it has not changed.
    let pulse = act(&mut runtime, 1);
    assert_eq!(told(&pulse), ["state open"]);
    assert_eq!(pulse.parts.len(), 1);
    assert_eq!(pulse.parts[0].because, [0]);
    // From now on it is read, and follows.
    let pulse = act(&mut runtime, 0);
    assert!(told(&pulse).contains(&"derived unread".to_owned()), "{:?}", told(&pulse));
}

#[test]
fn the_host_reads_and_writes_by_path_and_is_told_what_is_wrong() {
    let text = "
shape Bed { crop: string, levels: number[], note: string? }
shares beds: Bed[]
takes limit: number = 30
holds picked: Bed? = null
derives count = beds.length
<p>{count} {limit} {picked?.crop} {beds.map(b => b.crop).join()}</p>
";
    let beds = json!([{ "crop": "leek", "levels": [1, 2] }, { "crop": "kale", "levels": [] }]);
    let mut runtime = open(text, &json!({ "beds": beds }));
    for (path, expected) in [
        ("count", json!(2)),
        ("beds[0].crop", json!("leek")),
        ("beds[0].levels[1]", json!(2)),
        ("beds[1]", json!({ "crop": "kale", "levels": [], "note": null })),
        ("picked", json!(null)),
    ] {
        assert_eq!(read(&mut runtime, path), Ok(expected), "{path}");
    }
    let one = json!({ "crop": "pea", "levels": [3], "note": null });
    for (path, value) in [
        ("beds[0].levels[1]", json!(7)),
        ("beds[1].note", json!("mulch")),
        ("picked", one),
        ("picked.crop", json!("bean")),
        ("limit", json!(0.5)),
    ] {
        let pulse = runtime.set(path, &value).expect(path);
        assert!(!pulse.values.is_empty(), "{path}");
        assert_eq!(read(&mut runtime, path), Ok(value), "{path}");
    }
    for (path, value, problem) in [
        ("bed", json!(1), "there is nothing at `bed`; there are: beds, limit, picked, count"),
        ("beds[0].litres", json!(1), "there are: crop, levels, note"),
        ("beds[9].crop", json!("a"), "there is nothing at `beds[9].crop`"),
        ("beds[x]", json!(1), "there are: positions"),
        ("beds.crop", json!("a"), "there is nothing at `beds.crop`"),
        ("beds[0]crop", json!("a"), "there is nothing at `beds[0]crop`"),
        ("beds[0", json!(1), "there is nothing at `beds[0`"),
        ("count", json!(3), "`count` is derived and cannot be written"),
        ("limit", json!("much"), "limit: expected number, found the string \"much\""),
        ("beds[0].levels", json!([1, null]), "beds[0].levels[1]: expected number, found null"),
        ("picked", json!({ "crop": "pea" }), "picked.levels: missing; expected number[]"),
        ("picked", json!({ "tone": 1 }), "picked.tone: Bed has no field `tone`"),
    ] {
        let error = runtime.set(path, value).expect_err(path).to_string();
        assert!(error.contains(problem), "{path}: {error}");
    }
    assert_eq!(read(&mut runtime, "beds[0].levels"), Ok(json!([1, 7])), "nothing was lost");
}

/// What stands at a path, as JSON.
fn read(runtime: &mut Runtime, path: &str) -> Result<serde_json::Value, vein_runtime::HostError> {
    runtime.get(path).map(|value| vein_plan::to_json(&value))
}

#[test]
fn what_happens_once_is_heard_once_however_often_it_is_told() {
    let text = "holds n = 0\nholds other = 0
<i click='->(once) n += 1'>{n}</i><b click='-> other += 1'>{other}</b>";
    let mut runtime = open(text, &Json::Null);
    // A surface that has not heard yet that it is over tells of it again.
    for _ in 0..3 {
        act(&mut runtime, 0);
        act(&mut runtime, 1);
    }
    assert_eq!(read(&mut runtime, "n"), Ok(json!(1)));
    assert_eq!(read(&mut runtime, "other"), Ok(json!(3)));
}

#[test]
fn what_is_sent_says_where_it_happened_and_whether_anybody_heard() {
    let text = "
holds on = true
holds n = 0
<p click='-> n += 1' when='on'><b click='-> n += 1'></b></p>
<i click='->(quiet 50) n += 1'></i><u click='-> on = false'></u>";
    let mut runtime = open(text, &Json::Null);
    let node_of = |runtime: &Runtime, block: u32, listener: usize| {
        let scopes = runtime.scopes() as u32;
        let scope = (0..scopes).find(|scope| runtime.kept(*scope).block == block).expect("a block");
        runtime.kept(scope).first + runtime.plan().blocks[block as usize].listeners[listener].mark
    };
    let event = |node: u32, listener: u32| Delivery { node, listener, event: Value::record([]) };
    let (p, b) = (node_of(&runtime, 1, 0), node_of(&runtime, 1, 1));
    let (i, u) = (node_of(&runtime, 0, 0), node_of(&runtime, 0, 1));
    // Where it happened is where it was heard first, for whoever asks.
    for (recorded, on) in [(true, "b"), (false, "somewhere")] {
        runtime.record_changes(recorded);
        let pulse = runtime.dispatch("click", "somewhere", vec![event(b, 1), event(p, 0)]);
        assert_eq!(pulse.cause.to_string(), format!("click on {on}"));
        assert!(pulse.heard);
    }
    assert_eq!(read(&mut runtime, "n"), Ok(json!(4)));
    assert!(runtime.dispatch("click", "i", vec![event(i, 0)]).heard, "it waits");
    assert!(!runtime.dispatch("click", "i", Vec::new()).heard);
    assert!(!runtime.dispatch("click", "i", vec![event(b, 7), event(900, 0)]).heard);
    assert!(runtime.dispatch("click", "u", vec![event(u, 1)]).heard);
    // What has gone hears nothing more.
    let late = runtime.dispatch("click", "b", vec![event(b, 1), event(p, 0)]);
    assert!(!late.heard && late.patches.is_empty());
    assert_eq!(read(&mut runtime, "n"), Ok(json!(4)));
    assert_eq!(
        Cause::Emitted { name: "poured".into(), owner: String::new() }.to_string(),
        "poured was given"
    );
    let owner = "bed-row".to_owned();
    assert_eq!(
        Cause::Emitted { name: "poured".into(), owner }.to_string(),
        "poured was given by bed-row"
    );
}

#[test]
fn reads_that_are_followed_are_counted() {
    let text = "
holds on = true
holds n = 1
derives heavy = n + 1
<i click='-> on = !on'></i><p when='on'>{n > 0 ? heavy : 0}</p>";
    let mut runtime = open(text, &Json::Null);
    let counts: Vec<(usize, usize)> = (0..3)
        .map(|_| {
            act(&mut runtime, 0);
            (runtime.followed_reads(), runtime.resources().reads)
        })
        .collect();
    assert!(counts[1].0 > counts[0].0, "{counts:?}");
    assert!(counts[0] == counts[2] && counts.iter().all(|(one, other)| one == other), "{counts:?}");
}

#[test]
fn without_a_record_the_view_is_the_same_and_nothing_is_told() {
    let text = "
holds n = 0
derives double = n * 2
<i click='-> n = 1 - n'>{n}</i><p>{double}</p>";
    let mut runtime = open(text, &Json::Null);
    for recorded in [true, false, false, false, true, false] {
        runtime.record_changes(recorded);
        let pulse = act(&mut runtime, 0);
        assert_eq!(pulse.patches.iter().count(), 2);
        let told = (pulse.values.len(), pulse.parts.len());
        assert_eq!(told, if recorded { (2, 2) } else { (0, 0) });
    }
    let checked = check(vec![Source { path: "test-bed.vein".into(), text: text.into() }]);
    let program = Arc::new(checked.program.expect("it checks"));
    let (_, opening) =
        Runtime::open_with(program, "test-bed", &Json::Null, None).expect("no props");
    assert!(opening.values.is_empty(), "everything is new");
}

#[test]
fn a_spot_that_is_looked_at_is_told_whether_it_changes_or_not() {
    let text = "
holds n = 0
<i click='-> n += 1'></i><p when='n > 1'>more</p><any tag=\"<- n > 2 ? 'h2' : 'h3'\">t</any>";
    let mut runtime = open(text, &Json::Null);
    let mut looked = |listener: u32| {
        let pulse = act(&mut runtime, listener);
        let spots = pulse.evaluated.iter().filter(|place| matches!(place.which, Which::Spot(_)));
        (spots.count(), pulse.parts.len())
    };
    assert_eq!([looked(0), looked(0), looked(0), looked(0)], [(2, 0), (2, 1), (2, 1), (2, 0)]);
}

#[test]
fn batches_with_patches_are_counted_whatever_comes_of_a_pulse() {
    let text = "
holds s = 'a'
holds n = 0
holds beds = [1]
<input value='<->(quiet 50) s' input='-> if (n > 0) { beds[9] = 1 }'><i click='-> n += 1'>{n}</i><p click='-> s = s'></p>";
    let mut runtime = open(text, &Json::Null);
    assert_eq!(runtime.batches(), 1);
    act_on(&mut runtime, "i", 2);
    assert_eq!(runtime.batches(), 2);
    act_on(&mut runtime, "p", 3);
    assert_eq!(runtime.batches(), 2, "nothing to patch");
    // What was entered to wait is taken out of its control again when the pulse fails, by a batch of its own
    // where there is no other.
    let entered = |runtime: &Runtime, listener: u32| {
        delivery(runtime, listener, Value::record([("value".into(), Value::from("kale"))]))
    };
    let both = vec![entered(&runtime, 0), entered(&runtime, 1)];
    let pulse = runtime.dispatch("input", "input", both);
    assert!(pulse.fault.is_some());
    assert_eq!((pulse.patches.iter().count(), runtime.batches()), (1, 3));
    let pulse = runtime.dispatch("input", "input", vec![entered(&runtime, 0)]);
    assert!(pulse.fault.is_none());
    assert_eq!((pulse.patches.iter().count(), runtime.batches()), (0, 3));
    let pulse = runtime.dispatch("input", "input", vec![entered(&runtime, 1)]);
    assert!(pulse.fault.is_some() && pulse.patches.is_empty());
    assert_eq!(runtime.batches(), 3);
}

fn act_on(runtime: &mut Runtime, on: &str, listener: u32) -> Pulse {
    let delivery = delivery(runtime, listener, Value::record([]));
    runtime.dispatch("click", on, vec![delivery])
}

#[test]
fn markup_that_nobody_cleans_is_text() {
    let mut runtime =
        open("holds s = ''\n<p html='<- s'></p><i click='-> s = \"<b>\"'></i>", &Json::Null);
    let pulse = act(&mut runtime, 0);
    let made: Vec<String> = pulse.patches.iter().map(|patch| format!("{patch:?}")).collect();
    assert!(made[0].contains("nodes: [Text { text: \"<b>\", marked: true }]"), "{made:?}");
    assert_eq!(made.len(), 2);
}

#[test]
fn a_path_leads_to_where_its_value_was_declared() {
    let mut runtime = open("holds n = 1\nholds beds = [{ id: 1 }]\n<p>{n}</p>", &Json::Null);
    let line = |runtime: &Runtime, path: &str| {
        runtime.declared_at(path).map(|(component, at)| (component.to_string(), at.line))
    };
    assert_eq!(line(&runtime, "n"), Some(("test-bed".into(), 1)));
    assert_eq!(line(&runtime, "beds[0].id"), Some(("test-bed".into(), 2)));
    assert_eq!(line(&runtime, "nothing"), None);
    // A value that is known to fit is written without asking.
    let pulse = runtime.write_fitting("n", 5.0.into()).expect("a name");
    assert_eq!((pulse.patches.iter().count(), read(&mut runtime, "n")), (1, Ok(json!(5))));
    assert!(runtime.write_fitting("nothing", 5.0.into()).is_none());
}

#[test]
fn a_runtime_that_is_dropped_ends() {
    let ended = Arc::new(std::sync::atomic::AtomicU32::new(0));
    let noted = ended.clone();
    let mut host = Host::default();
    host.functions.insert(
        "note".into(),
        Arc::new(move |args: &[Value]| {
            noted.fetch_add(args[0].to_number() as u32, std::sync::atomic::Ordering::Relaxed);
            Ok(args[0].clone())
        }),
    );
    let text =
        "asks note(code: number): number\nholds n = 0\nupon removed { n = note(3) }\n<p>{n}</p>";
    let checked = check(vec![Source { path: "test-bed.vein".into(), text: text.into() }]);
    let program = Arc::new(checked.program.expect("it checks"));
    let (runtime, _) =
        Runtime::open_with(program, "test-bed", &Json::Null, host).expect("no props");
    drop(runtime);
    assert_eq!(ended.load(std::sync::atomic::Ordering::Relaxed), 3);
}
