//! Expressions that were compiled to ECMAScript come in Chromium to what they come to in memory.

use crate::driven::Browser;
use crate::generate::{Generator, Kind, STATE};
use serde_json::{Value as Json, json};
use std::collections::BTreeSet;
use vein::{Page, Ui, Value};
use vein_plan::code::CellId;
use vein_plan::members::{MEMBERS, Param, Receiver};
use vein_plan::{CellKind, Plan, Program};
use vein_script::code::{self, Code};
use vein_script::{Names, Writer, engine};

const COMPONENTS: u64 = 300;
const CALLS: usize = 8;
const MORE_VALUES: usize = 16;

/// Writes values so that nobody takes two of them for one; what is `undefined` shows.
const WRITTEN: &str = r#"
  const written = (value) => {
    if (value === null) return 'null';
    if (Object.is(value, -0)) return '-0';
    if (typeof value === 'string') {
      return value.length > 1000 ? `${value.length} ${JSON.stringify(value.slice(-20))}` : JSON.stringify(value);
    }
    if (Array.isArray(value)) return `[${value.map(written).join()}]`;
    if (typeof value !== 'object') return String(value);
    return `{${Object.keys(value).map((name) => `${name}:${written(value[name])}`).join()}}`;
  };
"#;

/// A value as it is written there: of a long text, how long it is and how it ends.
fn written(value: &Value) -> String {
    match value {
        Value::String(text) if text.len() > 1000 => {
            let end = Value::from(text.slice(text.len() - 20, text.len()));
            format!("{} {}", text.len(), crate::ecmascript::written(&end))
        }
        value => crate::ecmascript::written(value),
    }
}

/// A value as a literal of ECMAScript.
fn literal(value: &Value) -> String {
    let all = |items: Vec<String>| items.join(", ");
    match value {
        Value::Null => "null".into(),
        Value::Boolean(on) => on.to_string(),
        Value::Number(n) => code::number(*n).text,
        Value::String(text) => code::string(text).text,
        Value::List(items) => format!("[{}]", all(items.iter().map(literal).collect())),
        Value::Record(record) => {
            let fields = record.iter().map(|(name, value)| format!("{name}: {}", literal(value)));
            format!("{{ {} }}", all(fields.collect()))
        }
    }
}

/// Cells as properties of `s`.
struct Properties<'a>(&'a Plan);

impl Names for Properties<'_> {
    fn cell(&self, cell: CellId) -> Code {
        Code::tight(format!("s.{}", self.0.cells[cell as usize].name))
    }

    fn ask(&self, _: u32, _: &[String]) -> Code {
        panic!("nothing is asked here")
    }

    fn place(&self, cell: CellId) -> (String, String) {
        ("s".into(), self.0.cells[cell as usize].name.to_string())
    }

    fn call(&self, handler: u32, args: &[String]) -> Code {
        let name = &self.0.handlers[handler as usize].name;
        let args: String = args.iter().map(|arg| format!(", {arg}")).collect();
        Code::tight(format!("call(\"{name}\", handlers.{name}{args})"))
    }

    fn call_store(&self, _: u32, _: u32, _: &[String]) -> Code {
        panic!("there is no store here")
    }

    fn reload(&self, _: u32) -> Code {
        panic!("nothing is loaded here")
    }

    fn give(&self, event: u32, args: &[String]) -> Code {
        let name = &self.0.events[event as usize].name;
        Code::tight(format!("given.push([\"{name}\", {}])", args.join(", ")))
    }
}

/// The handlers of a component as methods.
fn handlers(program: &Program, plan: &Plan, used: &mut BTreeSet<&'static str>) -> Vec<String> {
    let names = Properties(plan);
    let handlers = plan.handlers.iter().map(|handler| {
        let mut writer = Writer::new(program, plan, &names);
        let params: Vec<String> = (0..handler.params.len()).map(|at| format!("v{at}")).collect();
        for ((at, param), (_, ty)) in (0..).zip(&params).zip(&handler.params) {
            writer.bind(at, param, vein_script::kind::Kind::of(program, *ty));
        }
        let body = writer.statements(&handler.body, 1);
        used.append(&mut writer.used);
        let declared: String = writer.declared.iter().map(|name| format!("let {name}; ")).collect();
        format!("{}({}) {{ {declared}\n{body}}}", handler.name, params.join(", "))
    });
    handlers.collect()
}

/// What handlers leave behind when they are called one after the other: state, derived values, what was given, what failed.
async fn compare_handlers(browser: &Browser, text: &str, props: &Json, calls: &[String]) -> usize {
    let ui = checked(text).unwrap_or_else(|| panic!("{text}"));
    let (program, mut used) = (ui.program(), BTreeSet::from(["pulse", "call"]));
    let plan = &program.plans[0];
    let getters = getters(program, plan, &mut used);
    let handlers = handlers(program, plan, &mut used);
    let names: Vec<String> = plan
        .cells
        .iter()
        .filter(|cell| !cell.name.contains(' '))
        .map(|cell| cell.name.to_string())
        .collect();
    let mut page = ui.page("test-bed").proven(false).open(props.clone()).expect("props that fit");
    let begun = held(&mut page, plan);
    let (mut ours, mut faults) = (Vec::new(), 0);
    for name in calls {
        let called = page.session_mut().call(name, Vec::new()).expect("a handler");
        let fault = called.pulse.fault.as_ref().map_or(String::new(), ToString::to_string);
        faults += usize::from(!fault.is_empty());
        let given = called.pulse.given.iter().map(|given| {
            let values = given.payload.iter().map(|(_, value)| written(value));
            values.collect::<Vec<_>>().join(",")
        });
        ours.push([seen(&mut page, &names), given.collect(), vec![fault]].concat());
    }
    let script = format!(
        "'use strict'; {} {WRITTEN} const names = {}; let given = [];
         const s = Object.defineProperties({begun}, Object.getOwnPropertyDescriptors({{ {} }}));
         const handlers = {{ {} }};
         return {}.map((name) => {{
           let fault = ''; given = [];
           try {{ pulse(() => call(name, handlers[name])); }} catch (error) {{ fault = error.message; given = []; }}
           return [...names.map((name) => `${{name}} ${{written(s[name])}}`),
             ...given.map(([, ...values]) => values.map(written).join()), fault];
         }});",
        engine::text_of(&used),
        json!(names),
        getters.join(",\n"),
        handlers.join(",\n"),
        json!(calls)
    );
    let theirs = browser.client.execute("return new Function(arguments[0])()", vec![json!(script)]);
    let theirs = theirs.await.unwrap_or_else(|error| panic!("{error}\n{script}"));
    for (step, ours) in ours.iter().enumerate() {
        assert_eq!(
            json!(ours),
            theirs[step],
            "step {step}, {}\n{text}\n{}",
            calls[step],
            handlers.join("\n")
        );
    }
    faults
}

/// Handlers that have to be the same, each called twice in turn.
const HANDLERS: &str = "
shape Node { name: string, kids: Node[] }
holds list = [3, 1, 2]
holds beds = [{ id: 1, soil: { ph: 7, log: ['a'] }, in: [1, 2] }, { id: 2, soil: { ph: 6, log: [] }, in: [] }]
holds words = ['b', 'a', 'C']
holds tree: Node = { name: 'top', kids: [] }
holds maybe: number? = null
holds picked: { id: number, soil: { ph: number, log: string[] }, in: number[] }? = null
holds at = -1
holds log: string[] = []
gives told(what: string, n: number)
derives sum = list.reduce((sum, n) => sum + n, 0)
derives first = beds[0]?.soil.log.join() ?? 'none'
does push() { list.push(4, 5); list.push(6) }
does pop() { const last = list.pop(); log.push(`${last}`); const first = list.shift(); log.push(`${first}`) }
does unshift() { list.unshift(9, 8); words.unshift('z') }
does splice() { list.splice(1, 1, 7, 7); list.splice(-1, 1); list.splice(0.5, 0 / 0, 6); list.splice(9, 9, 1); list.splice(1) }
does order() { list.sort(); words.sort(); words.reverse(); list.sort((a, b) => b - a); beds.sort((a, b) => b.id - a.id) }
does inside() { beds[0].soil.ph += 1; beds[1].soil.log.push('x'); beds[0].in[0] = 5; beds[0].soil = { ph: 1, log: ['n'] } }
does nowhere() { at = 5; beds[at].soil.ph = 1 }
does between() { at = 5; beds[0].in[at] = 1 }
does half() { list[0] = 9; list[0.5] = 1 }
does behind() { list[0] = 9; list[list.length] = 1 }
does below() { beds[at].in.push(1) }
does copies() { picked = beds[0]; beds[0].id = 70; const second = beds[1]; if (second) { beds.push({ ...second, id: 9 }) } beds[1].soil.log.push('own'); const kept = beds[0]; beds[0].in.push(3); log.push(`${kept?.in.length} ${picked?.id}`) }
does swap() { const a = beds[0]; const b = beds[1]; if (a && b) { beds[0] = b; beds[1] = a } beds[0].soil.ph = 0 }
does loop() { for (const n of list) { if (n > 2) { list.push(n - 1); } log.push(`${n}`); } for (const bed of beds) { bed.id *= 2; bed.soil.log.push('l'); } }
does shorter() { for (const n of list) { list.pop(); log.push(`${n}`); } }
does own() { for (const n of list.filter(n => n > 1)) { list.push(n * 10); if (list.length > 20) { return; } } }
does both() { const half = Math.floor(list.length / 2); list[half] = (list[half] ?? 0) + sum; log.push(first); told_it(half) }
does told_it(n: number) { give told(`n ${n}`, n); if (n > 100) { return } give told('again', -0) }
does deep() { down(70) }
does down(n: number) { at = n; if (n > 0) { down(n - 1) } }
does to_64() { down(62) }
does grow() { tree = { name: 'up', kids: [tree, { name: 'leaf', kids: [] }] } }
does endless() { for (const a of list) { grow_more(400) } }
does grow_more(n: number) { for (const i of 'x'.repeat(n).split('')) { tree = { name: i, kids: [tree] } } }
does same() { list = [...list]; maybe = maybe ?? null; words = words.toSorted(); at = at; list.splice(0, 0); list.reverse(); list.reverse() }
does minus() { at = -0; at *= 1; maybe = 0 / 0; maybe = 0 / 0 }
does many() { for (const i of 'x'.repeat(70).split('')) { told_it(1) } }
does empty() { list = []; beds = []; list.pop(); list.shift(); list.reverse(); list.sort() }
<p>{list.length}{beds.length}{words.length}{tree.name}{maybe}{picked?.id}{at}{log.length}{sum}{first}</p>";

pub async fn handlers_leave_the_same_behind(browser: &Browser) {
    let ui = Ui::from_sources([("test-bed.vein", HANDLERS)]);
    let ui = ui.unwrap_or_else(|error| panic!("{error}"));
    let plan = &ui.program().plans[0];
    let callable = plan.handlers.iter().filter(|handler| handler.params.is_empty());
    let names: Vec<String> = callable.map(|handler| handler.name.to_string()).collect();
    let mut faults = 0;
    for name in &names {
        faults +=
            compare_handlers(browser, HANDLERS, &json!({}), &[name.clone(), name.clone()]).await;
    }
    assert!(faults >= 14, "{faults}");
    // In turn, over each other.
    for seed in 0..60 {
        let mut random = crate::generate::Random::new(seed);
        let calls: Vec<String> = (0..12).map(|_| random.pick(&names).clone()).collect();
        faults += compare_handlers(browser, HANDLERS, &json!({}), &calls).await;
    }
    let beds = json!([
        { "id": 7, "crop": "Ruby 😀", "wet": true, "levels": [4, 10, 9] },
        { "id": 3, "crop": "", "wet": false, "levels": [] },
    ]);
    for seed in 0..COMPONENTS {
        let mut generator = Generator::new(seed + 90_000);
        let (text, buttons) = generator.component();
        let calls: Vec<String> =
            (0..2 * CALLS).map(|_| format!("act{}", generator.random().below(buttons))).collect();
        faults += compare_handlers(browser, &text, &json!({ "beds": beds }), &calls).await;
    }
    assert!(faults > 100, "{faults} pulses were taken back");
}

/// The derived values of a component as getters.
fn getters(program: &Program, plan: &Plan, used: &mut BTreeSet<&'static str>) -> Vec<String> {
    let names = Properties(plan);
    let derived = plan.cells.iter().filter_map(|cell| match cell.kind {
        CellKind::Derived(expr, _) => Some((&cell.name, expr)),
        _ => None,
    });
    let getters = derived.map(|(name, expr)| {
        let mut writer = Writer::new(program, plan, &names);
        let text = writer.value(expr).alone();
        used.append(&mut writer.used);
        let declared: Vec<String> = writer.declared.into_iter().collect();
        let declared = match declared.is_empty() {
            true => String::new(),
            false => format!("let {}; ", declared.join(", ")),
        };
        format!("get {name}() {{ {declared}return {text}; }}")
    });
    getters.collect()
}

fn checked(text: &str) -> Option<Ui> {
    Ui::from_sources([("test-bed.vein", text)]).ok()
}

/// Those of some expressions that are any of the language's, as the derived values of one component.
fn component_of(mut expressions: Vec<&String>) -> (Vec<&String>, Ui) {
    loop {
        let lines = (0..).zip(&expressions).map(|(at, text)| format!("derives r{at} = {text}\n"));
        let text = format!("{}<p></p>", lines.collect::<String>());
        let report = match Ui::from_sources([("test-bed.vein", text.as_str())]) {
            Ok(ui) => return (expressions, ui),
            Err(error) => error.to_string(),
        };
        // Each stands on a line of its own.
        let line = |place: &str| place.split(':').next()?.parse::<usize>().ok();
        let wrong: BTreeSet<usize> =
            report.split("test-bed.vein:").skip(1).filter_map(line).collect();
        let before = expressions.len();
        let kept = (1..).zip(expressions).filter(|(line, _)| !wrong.contains(line));
        expressions = kept.map(|(_, text)| text).collect();
        assert!(expressions.len() < before, "{report}");
    }
}

/// What expressions come to in Chromium and in memory, where they are any of the language's.
async fn compare(browser: &Browser, expressions: &[String]) -> usize {
    let (mut compared, mut wrong) = (0, Vec::new());
    for expressions in expressions.chunks(200) {
        let (expressions, ui) = component_of(expressions.iter().collect());
        let (program, mut used) = (ui.program(), BTreeSet::new());
        let getters = getters(program, &program.plans[0], &mut used);
        let mut page = ui.page("test-bed").proven(false).open(()).expect("no props");
        let names: Vec<String> = (0..expressions.len()).map(|at| format!("r{at}")).collect();
        let values = names.iter().map(|name| page.session_mut().value(name).expect("a value"));
        let ours: Vec<String> = values.map(|value| written(&value)).collect();
        let script = format!(
            "'use strict'; {} {WRITTEN} const s = {{ {} }};
             return {}.map((name) => {{
               try {{ return written(s[name]); }} catch (error) {{ return `${{error}}`; }}
             }});",
            engine::text_of(&used),
            getters.join(",\n"),
            json!(names)
        );
        let theirs =
            browser.client.execute("return new Function(arguments[0])()", vec![json!(script)]);
        let Json::Array(theirs) = theirs.await.unwrap_or_else(|error| panic!("{error}")) else {
            panic!("a list of texts")
        };
        assert_eq!(theirs.len(), ours.len());
        for (at, (ours, theirs)) in ours.iter().zip(theirs).enumerate() {
            if Some(ours.as_str()) != theirs.as_str() {
                let (text, compiled) = (expressions[at], &getters[at]);
                wrong.push(format!("{text}: {ours} in memory, {theirs} of\n  {compiled}"));
            }
        }
        compared += ours.len();
    }
    assert!(wrong.is_empty(), "{} of {compared}\n{}", wrong.len(), wrong.join("\n"));
    compared
}

pub async fn expressions_come_to_the_same(browser: &Browser) {
    let golden = include_str!("../../../vein/tests/api/golden.txt");
    let expressions = golden.lines().map(|line| line.split("   ⇒   ").next().expect("a text"));
    let expressions: Vec<String> = expressions.map(str::to_owned).collect();
    assert_eq!(compare(browser, &expressions).await, expressions.len());
}

/// Texts of values that arguments of a type may have.
fn arguments(param: Param) -> &'static [&'static str] {
    match param {
        Param::Number => &[
            "0",
            "-0",
            "1",
            "2.5",
            "-1",
            "-0.5",
            "-2",
            "-3.7",
            "7",
            "99",
            "101",
            "36",
            "37",
            "1e300",
            "-1e300",
            "0 / 0",
            "1 / 0",
            "-1 / 0",
            "4294967295",
            "4294967296",
            "0.1",
            "1e21",
            "-1e-7",
            "16777217",
        ],
        Param::String => &["''", "','", "'a'", "'aa'", "'\\ud83d'", "'$&-$$'", "' '", "'😀'"],
        Param::SameList => &["[1]", "[0 / 0, -0].slice(0)", "[2, 3].slice(1)"],
        Param::Item => &["1", "0 / 0", "-0", "2"],
        Param::Strings => &["['a', 'b']"],
        Param::Any => &[
            "null",
            "true",
            "0 / 0",
            "-0",
            "'a\\n\"\\ud800'",
            "'0x1f'",
            "[1, [2, null]]",
            "{ a: 1, b: { c: 'x' } }",
            "''",
            "' 12 '",
            "'1e1000'",
            "1e21",
            "[null]",
            "['7']",
        ],
        Param::Predicate => &["x => x > 1", "(x, i) => i === 1", "x => x", "x => null"],
        Param::Mapper => &["x => x * 2", "(x, i) => [x, i]", "x => ({ x })", "x => `${x}`"],
        Param::ListMapper => &["x => [x, x]", "(x, i) => [i].slice(1)"],
        Param::Comparator => &[
            "(a, b) => a - b",
            "(a, b) => b - a",
            "(a, b) => 1",
            "(a, b) => 0 / 0",
            "(a, b) => a * 7 % 3 - 1",
        ],
        Param::Reducer => &["(sum, x) => sum + x", "(sum, x, i) => sum + i"],
        Param::Initial => &["0", "'s'"],
    }
}

fn receivers(on: Receiver) -> &'static [&'static str] {
    match on {
        Receiver::String => &[
            "''",
            "'abc'",
            "'a,b,,c'",
            "'aaa'",
            "'x😀y'",
            "'\\ud83dx'",
            "'\\ufeff aB \\u2003'",
            "'ΑΣ'",
        ],
        Receiver::Number => &[
            "0", "-0", "(255)", "(-7.25)", "(1.005)", "(0 / 0)", "(1e21)", "(5e-324)", "(0.1)",
            "(1 / 0)",
        ],
        Receiver::List => &[
            "[1].slice(1)",
            "[3, 1, 2]",
            "[0 / 0, -0, 0, 1, 2, 10, 9]",
            "[1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13]",
        ],
        _ => &[""],
    }
}

/// Every member with every argument that there is here for its first parameters, and some for more.
fn calls() -> Vec<String> {
    let mut calls = Vec::new();
    for info in MEMBERS.iter().filter(|info| !matches!(info.on, Receiver::Local | Receiver::Css)) {
        let prefix = match info.on {
            Receiver::Math => "Math.",
            Receiver::Json => "JSON.",
            _ => "",
        };
        for receiver in receivers(info.on) {
            let point = if receiver.is_empty() { "" } else { "." };
            let begun = format!("{receiver}{point}{prefix}{}", info.name);
            if info.property {
                calls.push(begun);
                continue;
            }
            let mut lists: Vec<Vec<&str>> = vec![Vec::new()];
            let mut open = lists.clone();
            for (at, param) in info.params.iter().enumerate() {
                let all = arguments(*param);
                open = open
                    .into_iter()
                    .enumerate()
                    .flat_map(|(nth, list)| {
                        // All of the first; of those that follow, one in turn and a few.
                        let some = all.iter().enumerate();
                        let some = some.filter(move |(i, _)| at == 0 || (i + nth) % 4 == 0);
                        some.map(move |(_, arg)| [list.clone(), vec![*arg]].concat())
                    })
                    .collect();
                lists.extend(open.clone());
            }
            // What makes texts longer is asked for the longest once, which takes its time.
            let longer = matches!(info.name, "repeat" | "padStart" | "padEnd");
            let huge = ["1e300", "1 / 0", "4294967295", "4294967296", "1e21", "16777217"];
            lists.retain(|list| {
                let long = list.first().is_some_and(|first| huge.contains(first));
                !longer || !long || (*receiver == "'abc'" && list.len() == 1)
            });
            calls.extend(lists.iter().map(|list| format!("{begun}({})", list.join(", "))));
        }
    }
    // What makes texts longer ends where texts end.
    for longer in [
        "'ab'.repeat(9000000)",
        "('ab'.repeat(8388608) + 'c')",
        "`${'ab'.repeat(8388607)}${'😀'}${1}`",
        "'a'.padStart(1e300, 'xy')",
        "'a'.padEnd(16777217, '😀')",
        "'ab'.repeat(4000000).replaceAll('b', 'xyz')",
        "'ab'.repeat(4000000).replaceAll('b', \"$`\")",
        "'ab'.repeat(4000000).replaceAll('', '$$')",
        "[1, 2, 3].map(n => 'ab'.repeat(4000000)).join('-')",
        "String([1, 2, 3].map(n => 'ab'.repeat(4000000)))",
        "[1, 2, 3, 4].reduce((all, n) => all + all, 'ab'.repeat(2000000))",
    ] {
        calls.push(format!("[{longer}].map(text => `${{text.length}} ${{text.slice(-9)}}`)"));
    }
    // Lists of records are compared by what is in them.
    for sought in ["{ a: 1 }", "{ a: 0 / 0 }", "{ a: -0 }", "{ a: 2 }"] {
        for member in ["includes", "indexOf"] {
            for from in ["", ", -0.5", ", 1", ", -1", ", 9"] {
                calls.push(format!(
                    "[{{ a: 0 }}, {{ a: 1 }}, {{ a: 0 / 0 }}].{member}({sought}{from})"
                ));
            }
        }
    }
    calls
}

pub async fn every_standard_member_gives_the_same(browser: &Browser) {
    let calls = calls();
    let compared = compare(browser, &calls).await;
    assert!(compared > 4000, "{compared} of {}", calls.len());
}

/// Makes the markup of blocks twice, from HTML and node for node, and tells where the two differ.
const TEMPLATES: &str = r#"
  const built = (nodes) => {
    const top = document.createDocumentFragment();
    const marked = [];
    let at = top;
    for (const node of nodes) {
      if (node === null) { at = at.parentNode; continue; }
      const made = node.text === undefined
        ? document.createElementNS(node.namespace, node.name) : document.createTextNode(node.text);
      for (const [name, value] of node.attributes ?? []) made.setAttribute(name, value);
      at.append(made);
      if (node.marked) marked.push(made);
      if (node.text === undefined) at = made;
    }
    return [top, marked];
  };
  const parsed = ({ html, around, seams }) => {
    const template = document.createElement('template');
    template.innerHTML = around === null ? html : `<${around}>${html}</${around}>`;
    const top = document.createDocumentFragment();
    top.append(...(around === null ? template.content : template.content.firstChild).childNodes);
    if (seams) {
      const comments = document.createNodeIterator(top, NodeFilter.SHOW_COMMENT);
      for (let at; (at = comments.nextNode()); ) at.remove();
    }
    return top.cloneNode(true);
  };
  const told = (node) => {
    if (node.nodeType === 3) return JSON.stringify(node.data);
    const attributes = [...(node.attributes ?? [])].map((a) => `${a.name}=${JSON.stringify(a.value)}`).sort();
    return `${node.namespaceURI} ${node.nodeName} ${attributes} [${[...node.childNodes].map(told)}]`;
  };
  return arguments[0].map(({ nodes, made }) => {
    const [wanted, marked] = built(nodes);
    const found = parsed(made);
    const ways = made.ways.map((way) => way.reduce((node, at) => node.childNodes[at], found));
    const roots = found.childNodes.length === made.roots;
    const alike = told(wanted) === told(found) && roots && ways.length === marked.length
      && ways.every((node, at) => told(node) === told(marked[at]));
    return alike ? '' : `${told(wanted)}
${told(found)}`;
  });
"#;

/// The markup of every block of a program.
fn templates(program: &Program) -> Vec<Json> {
    use vein_plan::TemplateNode as Node;
    let blocks = program.plans.iter().flat_map(|plan| &plan.blocks);
    let templates = blocks.filter(|block| !block.template.is_empty()).map(|block| {
        let nodes: Vec<Json> = block
            .template
            .iter()
            .map(|node| match node {
                Node::Open { namespace, name, attributes, marked } => json!({
                    "namespace": namespace.url(), "name": name, "marked": marked,
                    "attributes": attributes.iter().map(|(n, v)| json!([n, v])).collect::<Vec<_>>(),
                }),
                Node::Text { text, marked } => json!({ "text": text, "marked": marked }),
                Node::TextPart => json!({ "text": " ", "marked": true }),
                Node::Close => Json::Null,
            })
            .collect();
        let made = vein_script::template::Template::of(block);
        let made = json!({
            "html": made.html, "around": made.around, "seams": made.has_seams, "roots": made.roots,
            "ways": made.ways,
        });
        json!({ "nodes": nodes, "made": made })
    });
    templates.collect()
}

pub async fn markup_is_copied_as_it_was_written(browser: &Browser) {
    browser.leave().await;
    let odd = "holds a = 1
<pre>\n\n  two &amp; {a}</pre><textarea>\n kept </textarea><p>a<b when='a > 1'>x</b>b<i when='a > 2'>y</i>{a}</p>
<svg viewBox='0 0 9 9'><g each='n of [1, 2]'><circle r='{n}'></circle><text>t{n}</text></g><foreignObject><p>{a}</p></foreignObject></svg>
<math><mrow when='a > 1'><mi>x</mi><mo>=</mo><mn>{a}</mn></mrow></math>
<table><tbody><tr each='n of [1, 2]'><td>{n}</td><th scope='row'>&lt;{n}&gt; \u{a0}</th></tr></tbody></table>
<select><option each='n of [1, 2]'>{n}</option></select><img src='x.png' alt='\"a\" &amp;'><input value='&#13;'>
<ul><li each='n of [1, 2]' when='n > 1'>{n}</li></ul>text {a}<group when='a > 1'>more {a}<b>x</b>end</group>";
    let odd = odd.replace("\\n", "\n");
    let mut all = templates(checked(&odd).unwrap_or_else(|| panic!("{odd}")).program());
    for folder in ["examples/glasshouse", "examples/components"] {
        let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../../");
        let folder = [format!("{root}{folder}"), format!("{root}crates/vein/{folder}")];
        let ui = folder.iter().find_map(|folder| Ui::from_dir(folder).ok()).expect("it checks");
        all.extend(templates(ui.program()));
    }
    for seed in 0..400 {
        let mut random = crate::generate::Random::new(seed);
        let files = crate::projects::project(&mut random, crate::dressed::Wear::Seed(seed));
        let files = files.iter().map(|(path, text)| (path.as_str(), text.as_str()));
        let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{error}"));
        all.extend(templates(ui.program()));
    }
    for some in all.chunks(1000) {
        let told = browser.client.execute(TEMPLATES, vec![json!(some)]).await;
        let Ok(Json::Array(told)) = told else { panic!("{told:?}") };
        for (told, template) in told.iter().zip(some) {
            assert_eq!(told, "", "{}", template["made"]["html"]);
        }
    }
    assert!(all.len() > 4000, "{}", all.len());
}

/// A tree with what its controls hold, as [`SHOWN`] writes the document.
fn shown(tree: &vein::Tree, node: vein::NodeId) -> String {
    if let Some(text) = tree.text(node) {
        return json!(text).to_string();
    }
    let children: Vec<String> =
        tree.children(node).iter().map(|child| shown(tree, *child)).collect();
    let Some(name) = tree.name(node) else { return children.join(",") };
    let attributes = tree.attributes(node).map(|(name, value)| format!(" {name}={}", json!(value)));
    let mut attributes: Vec<String> = attributes.collect();
    attributes.sort();
    let held = match name {
        "input" => format!(" holds {}", json!(tree.value(node).unwrap_or_default())),
        _ => String::new(),
    };
    format!("<{name}{}{held}>[{}]", attributes.concat(), children.join(","))
}

const SHOWN: &str = r#"
  const shown = (node) => {
    if (node.nodeType === 3) return JSON.stringify(node.data);
    const attributes = [...node.attributes].map((a) => ` ${a.name}=${JSON.stringify(a.value)}`).sort().join('');
    const held = node.localName === 'input' ? ` holds ${JSON.stringify(node.value)}` : '';
    return `<${node.localName}${attributes}${held}>[${[...node.childNodes].map(shown)}]`;
  };
"#;

pub async fn random_components_are_shown_the_same(browser: &Browser) {
    browser.leave().await;
    let beds = json!([
        { "id": 7, "crop": "Ruby 😀", "wet": true, "levels": [4, 10, 9] },
        { "id": 3, "crop": "", "wet": false, "levels": [] },
    ]);
    let (mut pulses, mut changes, mut faults) = (0, 0, 0);
    for seed in 0..COMPONENTS {
        let mut generator = Generator::new(seed + 20_000);
        let (text, buttons) = generator.component();
        let ui = checked(&text).unwrap_or_else(|| panic!("{text}"));
        let program = ui.program();
        let compiled = vein_script::component(program, &program.plans[0])
            .unwrap_or_else(|error| panic!("{error}\n{text}"));
        let mut page = ui.page("test-bed").open(json!({ "beds": beds })).expect("beds");
        let mut steps = Vec::new();
        let mut ours = vec![json!([shown(page.tree(), page.tree().root()), [], ""])];
        for _ in 0..CALLS * 2 {
            let random = generator.random();
            let n = random.below(4);
            let sets = [
                ("n", json!(n)),
                ("s", json!(["a", "", "x & <y>", "kale\u{0}"][n])),
                ("flag", json!(n > 1)),
                ("maybe", if n == 0 { Json::Null } else { json!(n) }),
                ("numbers", json!((0..n).collect::<Vec<_>>())),
            ];
            let (step, entry) = if random.below(3) > 0 {
                let button = random.below(buttons);
                let node = page.find(&format!("button:nth-of-type({})", button + 1));
                let node = node.expect("a button").node();
                let click = vein::Event::new("click");
                (json!(button), page.session_mut().dispatch(node, &click).expect("a click"))
            } else {
                let (name, value) = random.pick(&sets).clone();
                let entry = page.session_mut().set(name, &value).expect("it fits");
                (json!([name, value]), entry)
            };
            let fault = entry.pulse.fault.as_ref().map_or(String::new(), ToString::to_string);
            let given = entry.pulse.given.iter().map(|given| written(&given.payload[0].1));
            // What the document's observer sees: texts and attributes, each once.
            let seen = entry.pulse.parts.iter().filter(|part| {
                let parts = &program.plans[0].blocks[0].parts;
                matches!(part.place.which, vein_runtime::Which::Part(at)
                    if !matches!(parts[at as usize].kind, vein_plan::PartKind::Property(_)))
            });
            let seen = seen.count();
            pulses += 1;
            changes += seen;
            faults += usize::from(!fault.is_empty());
            steps.push(step);
            let given: Vec<String> = if fault.is_empty() { given.collect() } else { Vec::new() };
            ours.push(json!([shown(page.tree(), page.tree().root()), given, fault, seen]));
        }
        let script = format!(
            "'use strict'; {} {} {WRITTEN} {SHOWN}
             const root = document.createElement('div'); document.body.append(root);
             const it = new {}({{ beds: {beds} }}); root.append(...it.top$);
             let given = [], fault = ''; it.given$ = (name, args) => given.push(written(args[0]));
             {}.forEach((kind) => hear(root, kind, (error) => {{ fault = error.message; }}));
             const observer = new MutationObserver(() => {{}});
             observer.observe(root, {{ subtree: true, childList: true, attributes: true, characterData: true }});
             const told = () => [...root.childNodes].map(shown).join();
             const all = [[told(), [], '']];
             const buttons = [...root.querySelectorAll('button')];
             for (const step of {}) {{
               given = []; fault = '';
               if (typeof step === 'number') buttons[step].click();
               else turnOver(() => it.put$(...step));
               const records = observer.takeRecords();
               const different = new Set(records.map((r) => `${{[...root.querySelectorAll('*')].indexOf(r.target.nodeType === 3 ? r.target.parentNode : r.target)}} ${{r.type}} ${{r.attributeName}}`));
               all.push([told(), fault === '' ? given : [], fault, records.length === different.size ? records.length : 'twice']);
             }}
             root.remove();
             return all;",
            engine::text_of(&compiled.used),
            compiled.text,
            compiled.name,
            json!(compiled.heard),
            json!(steps)
        );
        let theirs =
            browser.client.execute("return new Function(arguments[0])()", vec![json!(script)]);
        let theirs = theirs.await.unwrap_or_else(|error| panic!("seed {seed}: {error}\n{script}"));
        for (step, ours) in ours.iter().enumerate() {
            let steps = &steps[..step];
            assert_eq!(*ours, theirs[step], "seed {seed}, {steps:?}\n{text}\n{}", compiled.text);
        }
    }
    assert!(pulses > 4000 && changes > 1000 && faults > 100, "{pulses} {changes} {faults}");
}

fn seen(page: &mut Page, names: &[String]) -> Vec<String> {
    let value = |page: &mut Page, name: &str| page.session_mut().value(name).expect("a name");
    names.iter().map(|name| format!("{name} {}", written(&value(page, name)))).collect()
}

/// The state of a page as properties of an object.
fn held(page: &mut Page, plan: &Plan) -> String {
    let names = plan.cells.iter().filter(|cell| !matches!(cell.kind, CellKind::Derived(..)));
    let mut held = Vec::new();
    for cell in names {
        if let Some(value) = page.session_mut().value(&cell.name) {
            held.push(format!("{}: {}", cell.name, literal(&value)));
        }
    }
    format!("{{ {} }}", held.join(", "))
}

pub async fn random_derived_values_come_to_the_same(browser: &Browser) {
    let beds = json!([
        { "id": 7, "crop": "Ruby 😀", "wet": true, "levels": [4, 10, 9] },
        { "id": 3, "crop": "", "wet": false, "levels": [] },
    ]);
    let mut values = 0;
    for seed in 0..COMPONENTS {
        let mut generator = Generator::new(seed + 50_000);
        let (mut text, buttons) = generator.component();
        for i in 0..MORE_VALUES {
            let kind =
                *generator.random().pick(&[Kind::Number, Kind::Text, Kind::Text, Kind::Flag]);
            let value = generator.expression(kind, 4);
            text.insert_str(0, &format!("derives e{i} = {value}\n"));
        }
        let ui = checked(&text).unwrap_or_else(|| panic!("seed {seed}\n{text}"));
        let (program, mut used) = (ui.program(), BTreeSet::new());
        let plan = &program.plans[0];
        let getters = getters(program, plan, &mut used);
        let derived = plan.cells.iter().filter(|cell| matches!(cell.kind, CellKind::Derived(..)));
        let names: Vec<String> = derived.map(|cell| cell.name.to_string()).collect();
        assert!(STATE.len() + names.len() > MORE_VALUES);
        let mut page =
            ui.page("test-bed").proven(false).open(json!({ "beds": beds })).expect("beds");
        let mut ours = vec![seen(&mut page, &names)];
        let mut states = vec![held(&mut page, plan)];
        for _ in 0..CALLS {
            let button = format!("button:nth-of-type({})", generator.random().below(buttons) + 1);
            let button = page.find(&button).expect("a button").node();
            let _ = page.session_mut().dispatch(button, &vein::Event::new("click"));
            ours.push(seen(&mut page, &names));
            states.push(held(&mut page, plan));
        }
        let script = format!(
            "'use strict'; {} {WRITTEN} const names = {};
             const made = (state) => {{ const s = Object.defineProperties(state, Object.getOwnPropertyDescriptors({{ {} }})); return s; }};
             return [{}].map((state) => {{ const s = made(state); return names.map((name) => `${{name}} ${{written(s[name])}}`); }});",
            engine::text_of(&used),
            json!(names),
            getters.join(",\n"),
            states.join(",\n")
        );
        let script = script.replace(
            "const made = (state) => { const s = ",
            "let s; const made = (state) => { s = ",
        );
        let theirs =
            browser.client.execute("return new Function(arguments[0])()", vec![json!(script)]);
        let theirs = theirs.await.unwrap_or_else(|error| panic!("seed {seed}: {error}\n{script}"));
        for (step, ours) in ours.iter().enumerate() {
            for (at, ours) in ours.iter().enumerate() {
                values += 1;
                assert_eq!(
                    Some(ours.as_str()),
                    theirs[step][at].as_str(),
                    "seed {seed}, step {step}\n{}\n{text}",
                    getters[at]
                );
            }
        }
    }
    assert!(values > 50_000, "{values}");
}
