//! Scripts as they are sent: without what is there for people, and with short names. And the same scripts for people: in
//! both, marks are taken out and tell where what follows them was written.

use crate::tokens::{Kind, Token, WORDS, is_of_name, tokens};
use std::borrow::Cow;
use std::collections::{HashMap, HashSet};
use vein_plan::Location;

/// A place in a script that was made from a place in a component.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Place {
    /// The line of the script, from zero.
    pub line: u32,
    /// The column there, from zero, in UTF-16 code units.
    pub column: u32,
    /// The component's number in its program.
    pub plan: u32,
    /// The line of the component's file, from one.
    pub from_line: u32,
    /// The column there, from one, in characters.
    pub from_column: u32,
}

/// The names of variables, functions and classes that a script uses or declares.
pub fn variables(script: &str) -> HashSet<&str> {
    let tokens = tokens(script).into_iter();
    let named = tokens.filter(|token| matches!(token.kind, Kind::Variable | Kind::Shorthand));
    named.map(|token| token.text).collect()
}

/// A mark that what follows was written at a place of a component.
pub(crate) fn mark(plan: u32, at: Location) -> String {
    format!("/*@{plan}:{}:{}*/", at.line, at.column)
}

fn place_of(mark: &str) -> Option<[u32; 3]> {
    let numbers = mark.strip_prefix("/*@")?.strip_suffix("*/")?.split(':');
    numbers.map(|number| number.parse().ok()).collect::<Option<Vec<u32>>>()?.try_into().ok()
}

/// A text that grows, with the places in it.
#[derive(Default)]
struct Out {
    text: String,
    line: u32,
    column: u32,
    places: Vec<Place>,
}

impl Out {
    fn push(&mut self, text: &str) {
        self.text.push_str(text);
        match text.rfind('\n') {
            Some(last) => {
                self.line += text.matches('\n').count() as u32;
                self.column = text[last + 1..].encode_utf16().count() as u32;
            }
            None => self.column += text.encode_utf16().count() as u32,
        }
    }

    /// Notes that what comes next was written at a place.
    fn place(&mut self, mark: &str) {
        let Some([plan, from_line, from_column]) = place_of(mark) else { return };
        let Out { line, column, .. } = *self;
        let known =
            self.places.last().is_some_and(|last| (last.line, last.column) == (line, column));
        if known {
            self.places.pop();
        }
        self.places.push(Place { line, column, plan, from_line, from_column });
    }
}

/// A script with comments for people in place of marks, which say of a component's number and a line of its file where that is; and
/// the places that the marks told.
///
/// ```
/// use vein_script::short::unmarked;
/// let (text, places) = unmarked("a();\n  /*@0:3:7*/b();\n", |plan, line| format!("{plan}:{line}"));
/// assert_eq!(text, "a();\n  /* 0:3 */ b();\n");
/// assert_eq!((places[0].line, places[0].column, places[0].from_line), (1, 12, 3));
/// ```
pub fn unmarked(script: &str, told: impl Fn(u32, u32) -> String) -> (String, Vec<Place>) {
    let mut out = Out::default();
    let (mut at, mut mark) = (0, "");
    let ends =
        tokens(script).into_iter().filter(|token| token.kind == Kind::Mark).map(|token| token.text);
    for next in ends.chain([""]) {
        let start = if next.is_empty() {
            script.len()
        } else {
            next.as_ptr() as usize - script.as_ptr() as usize
        };
        let text = &script[at..start];
        let space = text.len() - text.trim_start().len();
        out.push(&text[..space]);
        if let Some([plan, line, _]) = place_of(mark) {
            out.push(&format!("/* {} */ ", told(plan, line)));
        }
        out.place(mark);
        out.push(&text[space..]);
        (at, mark) = (start + next.len(), next);
    }
    (out.text, out.places)
}

/// A script with as few characters as it takes: no comments, hardly any space, and short names for what it declares
/// itself. Properties are called otherwise only where their names end in `$`, which are the engine's unless `is_kept` says that
/// somebody else has such a name, too.
///
/// ```
/// let (text, _) = vein_script::short::shortened("const counted = (first) => first.alive$ + document.title;\n", |_| false);
/// assert_eq!(text, "const b=a=>a.a$+document.title;");
/// ```
pub fn shortened(script: &str, is_kept: impl Fn(&str) -> bool) -> (String, Vec<Place>) {
    let tokens = tokens(script);
    let names = Names::of(&tokens, is_kept);
    let mut out = Out::default();
    let mut last = Cow::Borrowed("");
    let (lone, heads) = (lone_params(&tokens), heads(&tokens));
    for (at, token) in tokens.iter().enumerate() {
        if token.kind == Kind::Mark || lone[at] {
            continue;
        }
        // What ends before `}` needs no `;`, unless it is a statement without anything in it.
        let next =
            tokens[at + 1..].iter().find(|token| token.kind != Kind::Mark).map(|token| token.text);
        if token.text == ";" && next == Some("}") && !heads[at - 1] {
            continue;
        }
        let text = names.of_token(token);
        if parted(&last, &text) {
            out.push(" ");
        }
        if out.column > 500 && matches!(&*last, ";" | "}") && token.kind != Kind::Punctuator {
            out.push("\n");
        }
        if let Some(mark) =
            at.checked_sub(1).map(|at| tokens[at]).filter(|token| token.kind == Kind::Mark)
        {
            out.place(mark.text);
        }
        out.push(&text);
        last = text;
    }
    (out.text, out.places)
}

/// Which brackets end what a loop or a condition begins with: a `;` after one is a statement.
fn heads(tokens: &[Token<'_>]) -> Vec<bool> {
    let (mut heads, mut open) = (vec![false; tokens.len()], Vec::new());
    for (at, token) in tokens.iter().enumerate() {
        match token.text {
            "(" => open.push(at > 0 && matches!(tokens[at - 1].text, "for" | "while" | "if")),
            ")" => heads[at] = open.pop() == Some(true),
            _ => {}
        }
    }
    heads
}

/// Which brackets stand around a name that is the only parameter of an arrow function.
fn lone_params(tokens: &[Token<'_>]) -> Vec<bool> {
    let mut lone = vec![false; tokens.len()];
    for (at, around) in tokens.windows(4).enumerate() {
        let is_lone = [around[0].text, around[2].text, around[3].text] == ["(", ")", "=>"];
        if is_lone && around[1].kind == Kind::Variable {
            lone[at] = true;
            lone[at + 2] = true;
        }
    }
    lone
}

/// Whether two tokens would be another one if nothing stood between them.
fn parted(last: &str, next: &str) -> bool {
    let (Some(end), Some(start)) = (last.chars().next_back(), next.chars().next()) else {
        return false;
    };
    let words = is_of_name(end) && (is_of_name(start) || start == '#');
    let number = last.starts_with(|c: char| c.is_ascii_digit()) && start == '.';
    words || number || (end == start && matches!(end, '+' | '-' | '/'))
}

/// What names are called instead.
struct Names<'a> {
    variables: HashMap<&'a str, String>,
    properties: HashMap<&'a str, String>,
}

impl<'a> Names<'a> {
    fn of(tokens: &[Token<'a>], is_kept: impl Fn(&str) -> bool) -> Names<'a> {
        let (mut variables, mut properties) = (HashMap::new(), HashMap::new());
        let mut own = declared(tokens);
        // What a module gives to others is known by its name.
        for (at, _) in tokens.iter().enumerate().filter(|(_, token)| token.text == "export") {
            let given = tokens[at..].iter().find(|token| token.kind == Kind::Variable);
            own.remove(given.map_or("", |token| token.text));
        }
        let mut taken: HashSet<&str> = WORDS.iter().copied().chain(["eval"]).collect();
        for token in tokens {
            let text = token.text;
            match token.kind {
                Kind::Variable | Kind::Shorthand if own.contains(text) => {
                    *variables.entry(text).or_insert(0) += 1;
                }
                Kind::Variable | Kind::Shorthand => {
                    taken.insert(text);
                }
                _ => {}
            }
            if let Some(own) = own_property(token).filter(|own| !is_kept(own)) {
                *properties.entry(own).or_insert(0) += 1;
            }
        }
        let short = |all: HashMap<&'a str, usize>, called: &dyn Fn(String) -> Option<String>| {
            let mut all: Vec<(&str, usize)> = all.into_iter().collect();
            all.sort_by_key(|(name, count)| (std::cmp::Reverse(*count), *name));
            let names = (0..).map(short).filter_map(called);
            all.into_iter().map(|(name, _)| name).zip(names).collect()
        };
        let property = |short: String| Some(short + "$").filter(|name| !is_kept(name));
        Names {
            variables: short(variables, &|name| {
                Some(name).filter(|name| !taken.contains(name.as_str()))
            }),
            properties: short(properties, &property),
        }
    }

    /// What stands for a token.
    fn of_token<'n>(&'n self, token: &Token<'a>) -> Cow<'n, str>
    where
        'a: 'n,
    {
        let text = token.text;
        let property = own_property(token).and_then(|own| self.properties.get(own));
        match (token.kind, property) {
            (Kind::Shorthand, property) => {
                let variable = self.variables.get(text).map_or(text, String::as_str);
                match property.map_or(text, String::as_str) {
                    property if property == variable => Cow::Borrowed(property),
                    property => Cow::Owned(format!("{property}:{variable}")),
                }
            }
            (Kind::Variable, _) => {
                Cow::Borrowed(self.variables.get(text).map_or(text, String::as_str))
            }
            (Kind::Property, Some(property)) if text.starts_with('#') => {
                Cow::Owned(format!("#{}", &property[..property.len() - 1]))
            }
            (Kind::Property, Some(property)) => Cow::Borrowed(property),
            (Kind::Literal, Some(property)) => {
                Cow::Owned(format!("{}{property}{}", &text[..1], &text[..1]))
            }
            _ => Cow::Borrowed(text),
        }
    }
}

/// The variables, functions and classes that a script declares; what else it names it finds around it.
pub(crate) fn declared<'a>(tokens: &[Token<'a>]) -> HashSet<&'a str> {
    let tokens: Vec<Token<'a>> =
        tokens.iter().copied().filter(|token| token.kind != Kind::Mark).collect();
    let text = |at: usize| tokens.get(at).map_or("", |token| token.text);
    let mut found = HashSet::new();
    // The brackets that are open, and where each was opened.
    let mut open = Vec::new();
    for (at, token) in tokens.iter().enumerate() {
        match token.text {
            "const" | "let" | "var" if token.kind == Kind::Word => {
                found.extend(bound(&tokens[at + 1..], &[";", "of", "in"]));
            }
            "function" | "class" if token.kind == Kind::Word => {
                let name = if text(at + 1) == "*" { at + 2 } else { at + 1 };
                found.extend(
                    tokens
                        .get(name)
                        .filter(|token| token.kind == Kind::Variable)
                        .map(|token| token.text),
                );
            }
            // `import * as host`
            "as" if token.kind == Kind::Word => {
                found.extend(tokens.get(at + 1).map(|token| token.text))
            }
            "=>" if tokens[at - 1].kind == Kind::Variable => {
                found.insert(tokens[at - 1].text);
            }
            "(" => open.push(at),
            ")" => {
                let Some(start) = open.pop() else { continue };
                let named = start.checked_sub(1).map(|at| tokens[at]);
                let asks = named.is_some_and(|named| {
                    matches!(named.text, "if" | "for" | "while" | "switch" | "with")
                });
                if text(at + 1) == "=>" || text(at + 1) == "{" && !asks {
                    found.extend(bound(&tokens[start + 1..=at], &[]));
                }
            }
            _ => {}
        }
    }
    found
}

/// The names that a list of patterns binds, up to where it ends; what they are bound to is passed over.
fn bound<'a>(tokens: &[Token<'a>], ends: &[&str]) -> Vec<&'a str> {
    let (mut found, mut deep) = (Vec::new(), 0);
    // How deep a value stands that is passed over.
    let mut value = None;
    for token in tokens {
        let closes = token.kind != Kind::Literal && matches!(token.text, "}" | ")" | "]")
            || token.text.starts_with('}');
        if closes {
            if value == Some(deep) {
                value = None;
            }
            deep -= 1;
        }
        if deep < 0 || deep == 0 && ends.contains(&token.text) {
            break;
        }
        match token.text {
            "," if value == Some(deep) => value = None,
            "=" if value.is_none() => value = Some(deep),
            _ => {}
        }
        if value.is_none() && matches!(token.kind, Kind::Variable | Kind::Shorthand) {
            found.push(token.text);
        }
        let opens = matches!(token.text, "{" | "(" | "[")
            || token.kind == Kind::Literal && token.text.ends_with("${");
        deep += i32::from(opens);
    }
    found
}

/// The name of a property that is the engine's own, as a name or as a string: letters and then `$`, or after `#`.
fn own_property<'a>(token: &Token<'a>) -> Option<&'a str> {
    let name = match token.kind {
        Kind::Property if token.text.starts_with('#') => return Some(token.text),
        Kind::Property | Kind::Shorthand => token.text,
        Kind::Literal => {
            let quote = token.text.chars().next().filter(|quote| matches!(quote, '\'' | '"'))?;
            token.text.strip_prefix(quote)?.strip_suffix(quote)?
        }
        _ => return None,
    };
    let letters = name.strip_suffix('$')?;
    (!letters.is_empty() && letters.chars().all(|c| c.is_ascii_alphabetic())).then_some(name)
}

/// The name of that number: `a`, `b`, …, `aa`, …
fn short(mut number: usize) -> String {
    const FIRST: &[u8] = b"abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ_";
    let mut name = String::new();
    loop {
        name.insert(0, char::from(FIRST[number % FIRST.len()]));
        number /= FIRST.len();
        if number == 0 {
            return name;
        }
        number -= 1;
    }
}

#[cfg(test)]
mod tests {
    use super::{shortened, unmarked};
    use crate::engine;

    #[test]
    fn only_what_is_declared_is_called_otherwise() {
        for (script, wanted) in [
            ("let { a, b: c = d, ...e } = f(g); a(c, e);", "let{a,b:b=d,...c}=f(g);a(b,c);"),
            ("for (const first of all) use(first);", "for(const a of all)use(a);"),
            ("if (some) { const some = () => { other(); }; }", "if(a){const a=()=>{other()}}"),
            (
                "class Bed { #row = 1; at(place, { key = row } = {}) { return this.#row + place + key; } }",
                "class c{#a=1;at(b,{key:a=row}={}){return this.#a+b+a}}",
            ),
            (
                "const told = `${told} ${(one) => one}`, other = 'told';",
                "const b=`${b} ${a=>a}`,c='told';",
            ),
            ("try { run(); } catch (fault) { throw fault; }", "try{run()}catch(a){throw a}"),
            (
                "export const host = 1; export class Bed {} host + Bed;",
                "export const host=1;export class Bed{}host+Bed;",
            ),
            (
                "x.alive$ = y['alive$'] + 'mine$'; ({ spots$, mine$: 1 });",
                "x.a$=y['a$']+'mine$';({b$:spots$,mine$:1});",
            ),
            (
                "a + +b - -c; d++ + e; return /x/.test(f) ? 1 .z : 2;",
                "a+ +b- -c;d++ +e;return/x/.test(f)?1 .z:2;",
            ),
            ("while (next()); { }", "while(next());{}"),
        ] {
            assert_eq!(shortened(script, |name| name == "mine$").0, wanted, "{script}");
        }
    }

    #[test]
    fn a_script_without_marks_is_as_it_was() {
        let all = engine::MODULES.iter().map(|(_, text)| *text).collect::<String>();
        assert_eq!(unmarked(&all, |_, _| String::new()), (all.clone(), Vec::new()));
        // Twice is once.
        let once = shortened(&all.replace("import ", "// "), |_| false).0;
        assert_eq!(shortened(&once, |_| false).0.len(), once.len());
    }
}
