//! Expressions that were compiled to ECMAScript come in Chromium to what they come to in memory; and what the tests of
//! handlers and views need besides.

use crate::driven::Browser;
use crate::generate::{Generator, Kind, Random, STATE};
use serde_json::{Value as Json, json};
use std::collections::BTreeSet;
use vein::{Page, Ui, Value};
use vein_plan::code::CellId;
use vein_plan::members::{MEMBERS, Param, Receiver};
use vein_plan::{CellKind, Plan, Program};
use vein_script::code::{self, Code};
use vein_script::{Names, Writer, engine};

pub const COMPONENTS: u64 = 300;
pub const CALLS: usize = 8;
const MORE_VALUES: usize = 16;

/// Writes values so that nobody takes two of them for one; what is `undefined` shows.
pub const WRITTEN: &str = r#"
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
pub fn written(value: &Value) -> String {
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
            let fields = record.iter().map(|(name, value)| {
                format!("[{}]: {}", code::string(&(&**name).into()).text, literal(value))
            });
            let kind = if record.is_dictionary() { "__proto__: null, " } else { "" };
            format!("{{ {kind}{} }}", all(fields.collect()))
        }
    }
}

/// Cells as properties of `s`.
pub struct Properties<'a>(pub &'a Plan);

impl Names for Properties<'_> {
    fn cell(&self, cell: CellId) -> Code {
        Code::tight(format!("s.{}", self.0.cells[cell as usize].name))
    }

    fn ask(&self, _: u32, _: &[String], _: bool) -> Code {
        panic!("nothing is asked here")
    }

    fn place(&self, cell: CellId) -> (String, String) {
        ("s".into(), self.0.cells[cell as usize].name.to_string())
    }

    fn apply(&self, function: u32, args: &[String]) -> Code {
        Code::tight(format!("s.fn{function}$({})", args.join(", ")))
    }

    fn call(&self, handler: u32, args: &[String]) -> Code {
        let name = &self.0.handlers[handler as usize].name;
        let args: String = args.iter().map(|arg| format!(", {arg}")).collect();
        Code::tight(format!("call(\"{name}\", handlers, \"{name}\"{args})"))
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

/// The derived values of a component as getters, and its functions as methods.
pub fn getters(program: &Program, plan: &Plan, used: &mut BTreeSet<&'static str>) -> Vec<String> {
    let names = Properties(plan);
    let derived = plan.cells.iter().filter_map(|cell| match cell.kind {
        CellKind::Derived(expr, _) => Some((&cell.name, expr)),
        _ => None,
    });
    let getters = derived.map(|(name, expr)| {
        let mut writer = Writer::new(program, plan, &names);
        let text = writer.value(expr).alone();
        used.append(&mut writer.used);
        format!("get {name}() {{ {}return {text}; }}", writer.declarations())
    });
    let mut all: Vec<String> = getters.collect();
    for number in 0..plan.functions.len() as u32 {
        let mut writer = Writer::new(program, plan, &names);
        all.push(writer.own_function(number, ""));
        used.append(&mut writer.used);
    }
    all
}

pub fn checked(text: &str) -> Option<Ui> {
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
        let Json::Array(theirs) = browser.function(&script).await else {
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

/// Dictionaries, with keys that mean something elsewhere.
const DICTIONARIES: [&str; 5] = [
    "{ ['a']: 1, ...{ [2]: 1, ['a']: 3 } }",
    "{ ['b']: 'x', 10: 'y', '2': 'z', a: '' }",
    "{ ['__proto__']: 1, ['constructor']: 2, ['']: 0 / 0 }",
    "{ ['😀'.slice(0, 1)]: -0, ['😀'.slice(1)]: 4, ['\\ufffd']: 5 }",
    "{ [0 / 0]: [1], [1e21]: [2].slice(1), [-0]: [3] }",
];

/// Every member with every argument that there is here for its first parameters, and some for more.
fn calls() -> Vec<String> {
    let mut calls = Vec::new();
    for info in MEMBERS.iter().filter(|info| {
        !matches!(info.on, Receiver::Local | Receiver::Unnamed | Receiver::Dictionary)
            && !info.member.is_of_the_moment()
    }) {
        let prefix = match info.on {
            Receiver::Math => "Math.",
            Receiver::Json => "JSON.",
            Receiver::Numbers => "Number.",
            _ => "",
        };
        if info.name == "flat" {
            let lists = ["[[1], [2, 3], [4].slice(1)].flat()", "[[[1]], [[2], [3]]].flat()"];
            calls.extend(lists.map(String::from));
            continue;
        }
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
    for keyed in DICTIONARIES {
        let of = |call: &str| format!("Object.{call}({keyed})");
        calls.extend(["keys", "values", "entries"].map(of));
        for key in [
            "'a'",
            "''",
            "'__proto__'",
            "'toString'",
            "'2'",
            "2",
            "-0",
            "'\\ud83d'",
            "0 / 0",
            "1e21",
        ] {
            calls.extend([format!("({keyed})[{key}]"), format!("({key} in {keyed})")]);
        }
    }
    for key in
        ["item", "item % 2", "String(item) + '😀'.slice(0, 1)", "'__proto__'", "at > 1 ? 'b' : 'a'"]
    {
        calls.extend(
            receivers(Receiver::List)
                .iter()
                .map(|list| format!("Object.groupBy({list}, (item, at) => {key})")),
        );
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
        for member in ["includes", "indexOf", "lastIndexOf"] {
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

pub fn seen(page: &mut Page, names: &[String]) -> Vec<String> {
    let value = |page: &mut Page, name: &str| page.session_mut().value(name).expect("a name");
    names.iter().map(|name| format!("{name} {}", written(&value(page, name)))).collect()
}

/// The state of a page as properties of an object.
pub fn held(page: &mut Page, plan: &Plan) -> String {
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
        let theirs = browser.function(&script).await;
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

/// A value that could be meant to get out of where it is shown.
fn odd(random: &mut Random, depth: usize) -> Json {
    const PIECES: &[&str] = &[
        "a",
        "red",
        "1px",
        ":",
        ";",
        " ",
        "\t",
        "\n",
        "\r",
        "\u{c}",
        "\0",
        "(",
        ")",
        "[",
        "]",
        "'",
        "\"",
        "\\",
        "/*",
        "*/",
        "{",
        "}",
        "<",
        ">",
        "@",
        "!important",
        "!",
        "url(",
        "URL(x)",
        "image-set(",
        "expression(",
        "calc(1px)",
        "javascript",
        "JavaScript:",
        "data:",
        "DATA:",
        "image/png",
        "image/svg+xml",
        "Image/GIF",
        ",",
        "https:",
        "mailto:",
        "tel:",
        "//",
        "?",
        "\u{85}",
        "\u{feff}",
        "\u{2028}",
        "\u{212a}",
        "\u{17f}",
        "--a",
        "-b",
        "x:y",
        "é",
        "😀",
        "#",
    ];
    match random.below(if depth == 0 { 6 } else { 9 }) {
        0 => {
            [json!(null), json!(true), json!(false), json!(0), json!(-1.5)][random.below(5)].clone()
        }
        1..6 => {
            let pieces = (0..random.below(7)).map(|_| *random.pick(PIECES));
            json!(pieces.collect::<String>())
        }
        6 | 7 => (0..random.below(4)).map(|_| odd(random, depth - 1)).collect(),
        _ => {
            let names = ["color", "borderTop", "--Own", "x y"];
            let fields = names.iter().take(random.below(5));
            fields.map(|name| ((*name).to_owned(), odd(random, depth - 1))).collect()
        }
    }
}

pub async fn guards_let_through_the_same(browser: &Browser) {
    use vein_plan::members::Member;
    use vein_plan::{Form, PartKind, Shown, standard};
    browser.leave().await;
    let mut random = Random::new(7);
    let values: Vec<Json> = (0..20_000).map(|_| odd(&mut random, 2)).collect();
    let shown = |form: Form, value: &Value| match PartKind::Attribute("a".into(), form).shown(value)
    {
        Shown::Absent => Json::Null,
        Shown::Text(text) => json!(text.to_string()),
        Shown::Flag(on) => json!(on),
    };
    let called = |member: Member, value: &Value| match standard::call(
        member,
        &Value::Null,
        std::slice::from_ref(value),
    ) {
        Value::String(text) => json!(text.to_utf8()),
        other => vein_plan::to_json(&other),
    };
    let ours: Vec<Json> = values
        .iter()
        .map(|json| {
            let value = Value::from(json);
            json!([
                shown(Form::Url, &value),
                shown(Form::Declarations, &value),
                called(Member::CssPiece, &value),
                called(Member::CssDeclarations, &value),
            ])
        })
        .collect();
    let used = BTreeSet::from(["safeUrl", "declarations", "pieceOfCss", "cleanDeclarations"]);
    let mut harmless = 0;
    for (values, ours) in values.chunks(4000).zip(ours.chunks(4000)) {
        let script = format!(
            "{} return {}.map((v) => [safeUrl(v), declarations(v), pieceOfCss(v), cleanDeclarations(v)]);",
            engine::text_of(&used),
            Json::from(values)
        );
        let theirs = browser.function(&script).await;
        for (at, ours) in ours.iter().enumerate() {
            assert_eq!(*ours, theirs[at], "{}", values[at]);
            harmless += usize::from(ours[0] != "about:blank");
        }
    }
    assert!((10_000..19_500).contains(&harmless), "{harmless}");
}
