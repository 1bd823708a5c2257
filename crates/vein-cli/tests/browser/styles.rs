//! A component's styles reach its own elements and the roots that it gives classes to, and no others: which rules apply to
//! which elements in Chromium, for random components, held against their style sheets as they were written.

use crate::driven::Browser;
use crate::generate::Random;
use serde_json::{Value as Json, json};
use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::sync::Arc;
use vein::{Session, Source, check};

const COMPONENTS: &[&str] = &["leaf-bed", "mid-bed", "top-bed"];
const CLASSES: &[&str] = &["a", "b", "c", "d"];
const ELEMENTS: &[&str] = &["p", "div", "i"];

/// A rule, and what it asks of the element that it selects.
#[derive(Clone, Debug)]
struct Rule {
    number: usize,
    component: usize,
    classes: Vec<&'static str>,
}

#[derive(Default)]
struct Made {
    rules: Vec<Rule>,
    /// Whether a component gives classes that are not known before it runs, and those that are.
    given: [(bool, BTreeSet<&'static str>); 3],
}

/// An attribute `class`, with all that it may say under another name.
fn class(random: &mut Random, also: Option<&str>) -> (String, bool, Vec<&'static str>) {
    let (one, other) = (*random.pick(CLASSES), *random.pick(CLASSES));
    let (value, open, said) = match random.below(6) {
        0 => (one.to_owned(), false, vec![one]),
        1 => (format!("{one} {other}"), false, vec![one, other]),
        2 => (format!("<- ['{one}', on && '{other}']"), false, vec![one, other]),
        3 => (format!("{{on ? '{one}' : '{other}'}} {one}"), false, vec![one, other]),
        4 => (format!("{one} {{word}}"), true, vec![one]),
        _ => return (String::new(), false, Vec::new()),
    };
    let may = if open { CLASSES } else { &said };
    let also = also.map_or(String::new(), |name| format!(" {name}=\"{}\"", may.join(" ")));
    (format!(" class=\"{value}\"{also}"), open, said)
}

fn markup(random: &mut Random, at: usize, depth: usize, root: bool, made: &mut Made) -> String {
    let name = COMPONENTS[at];
    if at > 0 && random.below(3) == 0 {
        let (class, open, said) = class(random, Some(&format!("data-{name}")));
        made.given[at].0 |= open;
        made.given[at].1.extend(said);
        let used = COMPONENTS[random.below(at)];
        return format!("<{used}{class}></{used}>");
    }
    let element = *random.pick(ELEMENTS);
    let element =
        if depth > 0 || !root { if element == "p" { "b" } else { element } } else { "div" };
    let (class, ..) = class(random, None);
    let id = if random.below(4) == 0 {
        format!(" id=\"{}\"", random.pick(CLASSES))
    } else {
        String::new()
    };
    let count = if depth < 2 { random.below(4) } else { 0 };
    let inside: String = (0..count).map(|_| markup(random, at, depth + 1, false, made)).collect();
    match random.below(8) {
        0 => format!("<any tag=\"<- on ? 'div' : 'i'\" title=\"{name}\"{class}>{inside}</any>"),
        _ => format!("<{element} title=\"{name}\"{class}{id}>{inside}</{element}>"),
    }
}

/// A compound selector and its classes.
fn compound(random: &mut Random) -> (String, Vec<&'static str>) {
    let (mut text, mut classes) = (String::new(), Vec::new());
    if random.below(2) == 0 {
        text.push_str(["p", "div", "DIV", "i", "b", "*"][random.below(6)]);
    }
    for _ in 0..random.below(3) {
        let class = *random.pick(CLASSES);
        text.push_str(&format!(".{class}"));
        classes.push(class);
    }
    match random.below(8) {
        0 => text.push_str(&format!("#{}", random.pick(CLASSES))),
        1 => text.push_str(&format!(":not(.{}, p)", random.pick(CLASSES))),
        2 => text.push_str(&format!(":is(.{}, div)", random.pick(CLASSES))),
        3 => text.push_str("[title]"),
        4 => text.push_str(":first-child"),
        _ => {}
    }
    if text.is_empty() {
        text.push('*');
    }
    (text, classes)
}

fn rule(random: &mut Random, component: usize, around: Option<&Rule>, made: &mut Made) -> String {
    let (own, mut classes) = compound(random);
    let (other, _) = compound(random);
    let between = [" ", " > ", " + ", " ~ "][random.below(4)];
    let plain = own.starts_with(['.', '#', ':', '[']);
    let mut selector =
        if random.below(3) == 0 { format!("{other}{between}{own}") } else { own.clone() };
    if let Some(around) = around {
        match random.below(4) {
            0 if plain => {
                selector = format!("&{own}");
                classes.extend(&around.classes);
            }
            1 => (selector, classes) = (format!("{other}{between}&"), around.classes.clone()),
            2 => selector = format!("&{between}{own}"),
            _ => {}
        }
    }
    let rule = Rule { number: made.rules.len(), component, classes };
    made.rules.push(rule.clone());
    let inner = match around {
        None if random.below(2) == 0 => self::rule(random, component, Some(&rule), made),
        _ => String::new(),
    };
    let text = format!("{selector} {{ --r{}: 1; {inner} }}\n", rule.number);
    if random.below(6) == 0 { format!("@media (width > 1px) {{ {text} }}\n") } else { text }
}

/// Which of so many rules apply to which elements, with the sheets in turn: for each its number, and what is asked of elements.
const APPLIED: &str = r#"
  const [html, sheets, count] = arguments;
  for (let at = 0; at < count; at += 1) {
    try { CSS.registerProperty({ name: `--r${at}`, syntax: '*', inherits: false }); } catch {}
  }
  document.body.innerHTML = html;
  const elements = [...document.body.querySelectorAll('*')];
  const applied = sheets.map((sheet) => {
    const style = document.createElement('style');
    style.textContent = sheet;
    document.head.append(style);
    const found = elements.map((element) => {
      const style = getComputedStyle(element);
      const rules = [];
      for (let at = 0; at < count; at += 1) if (style.getPropertyValue(`--r${at}`) === '1') rules.push(at);
      return rules;
    });
    style.remove();
    return found;
  });
  const told = elements.map((element) => ({ of: element.title, given: { ...element.dataset }, html: element.outerHTML }));
  return [told, applied];
"#;

/// Whether an element is one that a rule of a component is to reach, if it asks for nothing that the element is not.
fn reaches(made: &Made, rule: &Rule, element: &Json) -> bool {
    let component = COMPONENTS[rule.component];
    if element["of"] == component {
        return true;
    }
    let (open, given) = &made.given[rule.component];
    let asks = rule.classes.iter().any(|class| *open || given.contains(class));
    let key = component.replace("-b", "B");
    let Some(classes) = element["given"][&key].as_str() else { return false };
    let own = made.rules.iter().filter(|known| known.component == rule.component);
    let asked: BTreeSet<&str> = own.flat_map(|rule| rule.classes.iter().copied()).collect();
    asks && classes.split_whitespace().any(|class| asked.contains(class))
}

pub async fn rules_reach_whom_they_are_for(browser: &Browser) {
    browser.leave().await;
    let (mut reached, mut kept_off, mut given) = (0, 0, 0);
    for seed in crate::seeds::Seeds::new(300).and(&[]) {
        let random = &mut Random::new(seed);
        let (mut made, mut sources, mut sheets) = (Made::default(), Vec::new(), Vec::new());
        for (at, name) in COMPONENTS.iter().enumerate() {
            let shown = markup(random, at, 0, true, &mut made);
            let sheet: String = (0..3).map(|_| rule(random, at, None, &mut made)).collect();
            let mut text = format!("holds on = {}\nholds word = 'c'\n", random.below(2) == 0);
            write!(text, "{shown}\n<style>\n{sheet}</style>\n").expect("memory");
            sources.push(Source { path: format!("{name}.vein"), text });
            sheets.push(sheet);
        }
        let all: String =
            sources.iter().map(|source| format!("--- {}\n{}", source.path, source.text)).collect();
        let checked = check(sources);
        let program = checked.program.unwrap_or_else(|| panic!("{}\n{all}", checked.report));
        let scoped = program.plans.iter().map(|plan| plan.style.to_string() + "\n").collect();
        let opened = Session::open(Arc::new(program), "top-bed", json!({}), None);
        let (session, _) = opened.expect("no props");
        let html = session.tree().html();
        sheets.push(scoped);
        let given_to = vec![json!(html), json!(sheets), json!(made.rules.len())];
        let found = browser.client.execute(APPLIED, given_to).await.expect("it runs");
        let (elements, applied) = (found[0].as_array().expect("a list"), &found[1]);
        for (at, element) in elements.iter().enumerate() {
            for rule in &made.rules {
                let is_in = |sheet: usize| {
                    let rules = applied[sheet][at].as_array().expect("a list");
                    rules.contains(&json!(rule.number))
                };
                let (as_written, is) = (is_in(rule.component), is_in(COMPONENTS.len()));
                let wanted = as_written && reaches(&made, rule, element);
                reached += usize::from(wanted);
                given += usize::from(wanted && element["of"] != COMPONENTS[rule.component]);
                kept_off += usize::from(as_written && !wanted);
                let (number, of) = (rule.number, &element["html"]);
                assert_eq!(is, wanted, "seed {seed}, rule {number}, {of}\n{all}{}", sheets[3]);
            }
        }
    }
    if crate::seeds::Seeds::new(300).tell(reached) {
        assert!(reached > 500 && kept_off > 500 && given > 50, "{reached} {kept_off} {given}");
    }
}
