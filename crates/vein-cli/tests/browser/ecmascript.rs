//! Random components as ECMAScript: what their derived values are and what their handlers leave
//! behind is what Chromium makes of the same text.

use crate::driven::Browser;
use crate::generate::{Generator, Kind, Random, STATE};
use crate::worked::{Places, tried};
use serde_json::{Value as Json, json};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use vein::{Page, Ui, Value};

const COMPONENTS: u64 = 300;
const CALLS: usize = 12;
const MORE_VALUES: usize = 16;

/// Code without the types of names, and with lists that are values.
fn untyped(code: &str) -> String {
    let mut out = String::new();
    let mut rest = code;
    while let Some((before, after)) = rest.split_once("let ") {
        let (name, value) = after.split_once(" = ").expect("a value");
        out.push_str(&format!("{before}let {} = ", name.split(':').next().unwrap_or_default()));
        rest = value;
    }
    out.push_str(rest);
    copying(" counts = ", &copying(" numbers = ", &out))
}

/// The same with what is assigned in some way as a copy.
fn copying(assigned: &str, code: &str) -> String {
    let mut copying = String::new();
    let mut rest = code;
    while let Some((before, after)) = rest.split_once(assigned) {
        // A declaration has no end.
        let Some((value, more)) = after.split_once(';') else { break };
        copying.push_str(&format!("{before}{assigned}copied({value});"));
        rest = more;
    }
    copying + rest
}

/// A function's head as that of a method: without types.
fn head(head: &str) -> String {
    let (name, params) = head.split_once('(').expect("parameters");
    let params = params.split_once(')').expect("an end").0;
    let names: Vec<&str> = params.split(", ").filter_map(|param| param.split(':').next()).collect();
    format!("{name}({})", names.join(", "))
}

/// A component's declarations as an object of ECMAScript. Derived values are getters, functions methods; state is
/// put back where a handler fails. `undefined` is `null` here.
fn script(text: &str, beds: &str) -> String {
    let mut members = format!("maybe: null, beds: {beds},");
    let mut handlers = String::new();
    let field = |rest: &str| {
        let (name, value) = rest.split_once(" = ").expect("a declaration with a value");
        let name = name.split(':').next().expect("a name").to_owned();
        (name, value.to_owned())
    };
    let mut lines = text.lines().take_while(|line| !line.starts_with('<'));
    while let Some(line) = lines.next() {
        let plain = |line: &str| {
            let line = line.replace("!== null", "!= null").replace("give noted(", "void (");
            // Keys have no halves of surrogate pairs.
            let line = line.replace(" + '')", " + '').toWellFormed()");
            untyped(&line)
        };
        let is_function = line.split(' ').nth(1).is_some_and(|name| name.contains('('));
        if let (Some(rest), true) = (line.strip_prefix("derives "), is_function) {
            let body = match rest.split_once(" = ") {
                Some((_, value)) if !rest.ends_with('{') => format!("return ({});", plain(value)),
                _ => lines
                    .by_ref()
                    .take_while(|line| *line != "}")
                    .map(|line| plain(line) + "\n")
                    .collect(),
            };
            members.push_str(&format!("{} {{ with (this) {{ {body} }} }},", head(rest)));
            continue;
        }
        let line = plain(line);
        if let Some(rest) = line.strip_prefix("holds ") {
            let (name, value) = field(rest);
            members.push_str(&format!("{name}: {value},"));
        } else if let Some(rest) = line.strip_prefix("derives ") {
            let (name, value) = field(rest);
            members.push_str(&format!("get {name}() {{ with (this) {{ return ({value}); }} }},"));
        } else if let Some(rest) = line.strip_prefix("does ") {
            let (_, body) = rest.split_once(' ').expect("a body");
            handlers.push_str(&format!("() => {{ with (state) {body} }},"));
        }
    }
    format!("const state = {{ {members} }}; const handlers = [{handlers}];")
}

/// Writes values as [`written`] does.
const WRITTEN: &str = r#"
  // Halves of surrogate pairs stand where U+FFFD does.
  const { compare } = new Intl.Collator('en');
  String.prototype.localeCompare = function (other) { return compare(this.toWellFormed(), other.toWellFormed()); };
  const written = (value) => {
    if (value === undefined || value === null) return 'null';
    if (Object.is(value, -0)) return '-0';
    if (typeof value === 'string') return JSON.stringify(value);
    if (Array.isArray(value)) return `[${value.map(written).join()}]`;
    if (typeof value !== 'object') return String(value);
    return `{${Object.keys(value).map((name) => `${name}:${written(value[name])}`).join()}}`;
  };
  const copied = (value) => {
    if (Array.isArray(value)) return value.map(copied);
    if (value === null || typeof value !== 'object') return value;
    return Object.fromEntries(Object.entries(value).map(([name, v]) => [name, copied(v)]));
  };
  const keep = () => {
    const fields = Object.entries(Object.getOwnPropertyDescriptors(state));
    return fields.filter(([, d]) => 'value' in d).map(([name]) => [name, copied(state[name])]);
  };
  const seen = () => names.map((name) => `${name} ${written(state[name])}`);
  const all = [seen()];
  for (const call of calls) {
    const before = keep();
    try { handlers[call](); } catch { Object.assign(state, Object.fromEntries(before)); }
    all.push(seen());
  }
  return all;
"#;

/// A value so that nobody takes two of them for one.
pub fn written(value: &Value) -> String {
    let all = |items: Vec<String>| items.join(",");
    match value {
        Value::Null => "null".into(),
        Value::Number(n) if *n == 0.0 && n.is_sign_negative() => "-0".into(),
        Value::Number(_) | Value::Boolean(_) => value.to_text().to_string(),
        Value::String(_) => vein::json::stringify(value).to_string(),
        Value::List(items) => format!("[{}]", all(items.iter().map(written).collect())),
        Value::Record(record) => {
            let fields = record.iter().map(|(name, value)| format!("{name}:{}", written(value)));
            format!("{{{}}}", all(fields.collect()))
        }
    }
}

fn seen(page: &mut Page, names: &[String]) -> Vec<String> {
    let value = |page: &mut Page, name: &str| page.session_mut().value(name).expect("a name");
    names.iter().map(|name| format!("{name} {}", written(&value(page, name)))).collect()
}

pub async fn random_components_are_what_ecmascript_makes_of_them(browser: &Browser) {
    let beds = json!([
        { "id": 7, "crop": "Ruby 😀", "wet": true, "levels": [4, 10, 9] },
        { "id": 3, "crop": "", "wet": false, "levels": [] },
    ]);
    let mut faults = 0;
    for seed in 0..COMPONENTS {
        let mut generator = Generator::new(seed);
        let (mut text, buttons) = generator.component();
        for i in 0..MORE_VALUES {
            let kind =
                *generator.random().pick(&[Kind::Number, Kind::Text, Kind::Text, Kind::Flag]);
            let value = generator.expression(kind, 4);
            text.insert_str(0, &format!("derives e{i} = {value}\n"));
        }
        let calls: Vec<usize> = (0..CALLS).map(|_| generator.random().below(buttons)).collect();
        let derived =
            text.lines().filter_map(|line| line.strip_prefix("derives ")?.split(' ').next());
        let derived = derived.filter(|name| !name.contains('('));
        let names: Vec<String> = STATE
            .iter()
            .map(|(name, ..)| *name)
            .chain(["own", "bed", "kept"])
            .chain(derived)
            .map(str::to_owned)
            .collect();
        let script = format!(
            "{} const names = {}; const calls = {}; {WRITTEN}",
            script(&text, &beds.to_string()),
            json!(names),
            json!(calls)
        );
        let theirs = browser.function(&script).await;
        let ui = Ui::from_sources([("test-bed.vein", text.as_str())]);
        let ui = ui.unwrap_or_else(|error| panic!("seed {seed}: {error}"));
        let mut page =
            ui.page("test-bed").proven(false).open(json!({ "beds": beds })).expect("beds");
        let mut ours = vec![seen(&mut page, &names)];
        for call in calls {
            let button = page.find(&format!("button:nth-of-type({})", call + 1)).expect("a button");
            let node = button.node();
            let pulse =
                page.session_mut().dispatch(node, &vein::Event::new("click")).expect("a click");
            faults += usize::from(pulse.pulse.fault.is_some());
            ours.push(seen(&mut page, &names));
        }
        for (step, ours) in ours.iter().enumerate() {
            let Json::Array(theirs) = &theirs[step] else { panic!("seed {seed}: {theirs}") };
            for (ours, theirs) in ours.iter().zip(theirs) {
                assert_eq!(
                    Some(ours.as_str()),
                    theirs.as_str(),
                    "seed {seed}, step {step}\n{text}"
                );
            }
            assert_eq!(ours.len(), theirs.len());
        }
    }
    assert!(faults > 0, "no handler failed, so nothing was seen of that");
}

/// Statements that catch, with what they ask, as an asynchronous function of ECMAScript.
const CAUGHT: &str = "
  let [n, t, count, asked] = [1, 'a', 0, 0];
  const l = [{ id: 1, wet: false, crop: 'x' }, { id: 6, wet: true, crop: 'y' }, { id: 3, wet: false, crop: 'z' }];
  const soil = (n) => { asked++; if (n === 7) throw 'no soil'; return n % 2 === 0 ? 'clay' : 'loam'; };
  const earth = (n) => n % 4;
  const ground = () => `${n % 3}${earth(n)}`;
  const weigh = async (n) => { count++; if ((n + count) % 3 === 0) throw `late ${count}`; return n + count; };
  const go = async () => { try { BODY } catch (why) { t = `${t} ${why}`; } };
  return go().then(() => `${n} ${t} ${l.map((v) => `${v.id}${v.crop}`)} ${ground()} ${asked}`);
";

pub async fn what_is_caught_is_what_ecmascript_catches(browser: &Browser) {
    let head = "asks soil(n: number): string
asks earth(n: number): string
awaits weigh(n: number): number
holds n = 1
holds t = 'a'
derives ground = `${n % 3}${earth(n)}`
holds l = [{ id: 1, wet: false, crop: 'x' }, { id: 6, wet: true, crop: 'y' }, { id: 3, wet: false, crop: 'z' }]
";
    let places = Places {
        number: "n".into(),
        text: "t".into(),
        derived: "ground".into(),
        list: "l".into(),
        flag: "n % 2 === 0".into(),
    };
    let (mut caught, mut late, mut all) = (0, 0, Vec::new());
    let seeds = crate::seeds::Seeds::new(1500);
    for seed in seeds.and(&[]) {
        let body = tried(&mut Random::new(seed), &places, 3);
        let text = format!(
            "{head}does go() {{ try {{ {body} }} catch (why) {{ t = `${{t}} ${{why}}` }} }}\n\
             <p click='-> go()'>{{n}} {{t}} {{l.map(v => `${{v.id}}${{v.crop}}`).join()}} {{ground}}</p>"
        );
        let ui = Ui::from_sources([("test-bed.vein", text.as_str())]);
        let ui = ui.unwrap_or_else(|error| panic!("seed {seed}: {error}\n{text}"));
        let asked = Arc::new(AtomicUsize::new(0));
        let counted = asked.clone();
        let opening = ui.page("test-bed").answer("earth", |n: f64| (n % 4.0).to_string());
        let opening = opening.try_answer("soil", move |n: f64| {
            counted.fetch_add(1, Ordering::Relaxed);
            match n {
                7.0 => Err("no soil"),
                n => Ok(if n % 2.0 == 0.0 { "clay" } else { "loam" }),
            }
        });
        let mut page = opening.manual_answers().open(json!({})).expect("no data");
        page.find("p").and_then(vein::FoundElement::click).unwrap_or_else(|error| {
            panic!("seed {seed}: {error}\n{text}");
        });
        let mut count = 0.0;
        while let Some(question) = page.questions().first().cloned() {
            count += 1.0;
            let n = question.args[0].to_number();
            let fails = (n + count) % 3.0 == 0.0;
            late += usize::from(fails);
            let answer =
                if fails { Err(format!("late {count}")) } else { Ok(Value::from(n + count)) };
            page.answer(question.id, answer).unwrap_or_else(|error| {
                panic!("seed {seed}: {error}\n{text}");
            });
        }
        let ours = page.find("p").expect("an element").text();
        // What has failed asks nothing more.
        let ours = format!("{ours} {}", asked.load(Ordering::Relaxed));
        caught += usize::from(ours.contains("late") || ours.contains("no soil"));
        all.push((seed, body, ours));
    }
    let scripts: Vec<String> = all
        .iter()
        .map(|(_, body, _)| CAUGHT.replace("BODY", &body.replace("ground", "ground()")))
        .collect();
    let run = "return Promise.all(arguments[0].map((body) => new Function(body)()))";
    let theirs = browser.client.execute(run, vec![json!(scripts)]).await.expect("it runs");
    let Json::Array(theirs) = theirs else { panic!("{theirs}") };
    let wrong: Vec<String> = all
        .iter()
        .zip(&theirs)
        .filter(|((.., ours), theirs)| theirs.as_str() != Some(ours))
        .map(|((seed, body, ours), theirs)| {
            format!("{seed}: {body}\n  here  {ours}\n  there {theirs}")
        })
        .collect();
    let few = wrong[..wrong.len().min(6)].join("\n");
    assert!(wrong.is_empty(), "{} of {} differ:\n{few}", wrong.len(), all.len());
    if seeds.tell(all.len()) {
        assert!(caught * 5 > all.len() && late * 4 > all.len(), "{caught} caught, {late} late");
    }
}
