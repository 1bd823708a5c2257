//! Random components: typed expressions, derived values that build on each other, handlers.

/// A small generator of random numbers (xorshift64*), so that a seed repeats everywhere.
pub struct Random(u64);

impl Random {
    pub fn new(seed: u64) -> Random {
        Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1)
    }

    pub fn below(&mut self, n: usize) -> usize {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        (self.0.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 33) as usize % n
    }

    pub fn pick<'a, T>(&mut self, items: &'a [T]) -> &'a T {
        &items[self.below(items.len())]
    }

    /// One of some names, or what stands for none.
    pub fn known<'a>(&mut self, names: &'a [String], or: &'a str) -> &'a str {
        match names {
            [] => or,
            names => &names[self.below(names.len())],
        }
    }

    fn one_in(&mut self, n: usize) -> bool {
        self.below(n) == 0
    }
}

/// A comparator of numbers that does not contradict itself where there is none: engines may differ in what they make of others.
fn ordered(of: &str) -> String {
    let late = |of: String| format!("(Number.isNaN({of}) ? 1 : 0)");
    let (a, b) = (format!("a{of}"), format!("b{of}"));
    format!("(a, b) => {} - {} || {a} - {b}", late(a.clone()), late(b.clone()))
}

/// The types that are generated.
#[derive(Clone, Copy, PartialEq, Debug)]
pub enum Kind {
    Number,
    Text,
    Flag,
    Numbers,
    Beds,
    MaybeNumber,
    Counts,
}

/// What every generated component holds.
pub const STATE: &[(&str, Kind, &str)] = &[
    ("n", Kind::Number, "3"),
    ("m", Kind::Number, "0"),
    ("s", Kind::Text, "'chard'"),
    ("t", Kind::Text, "''"),
    ("flag", Kind::Flag, "false"),
    ("maybe", Kind::MaybeNumber, "null"),
    ("numbers", Kind::Numbers, "[3, 1, 2]"),
    ("counts", Kind::Counts, "{ tea: 2, '10': 1, b: 0, '2': 7 }"),
];

const HEADER: &str = "\
shape Bed { id: number, crop: string, wet: boolean, levels: number[] }
gives noted(what: string)
takes beds: Bed[]
holds own: Bed[] = [{ id: 1, crop: 'leek', wet: false, levels: [1, 2] }, \
{ id: 2, crop: 'kale', wet: true, levels: [] }]
holds bed: Bed = { id: 9, crop: 'pea', wet: false, levels: [5] }
holds maybe: number? = null
holds kept: Bed{} = { a: { id: 5, crop: 'beet', wet: true, levels: [3] } }
";

/// What a function takes.
#[derive(Clone, Copy)]
enum Taken {
    Of(Kind),
    Bed,
}

impl Kind {
    /// How it is written.
    fn written(self) -> &'static str {
        match self {
            Kind::Number => "number",
            Kind::Text => "string",
            Kind::Flag => "boolean",
            Kind::Numbers => "number[]",
            Kind::Beds => "Bed[]",
            Kind::MaybeNumber => "number?",
            Kind::Counts => "number{}",
        }
    }
}

pub struct Generator {
    random: Random,
    /// Names with their kinds: state, and derived values so far.
    names: Vec<(String, Kind)>,
    /// Names bound by functions around the place.
    numbers: Vec<String>,
    beds: Vec<String>,
    /// Functions so far: their names, what they take, and what they give.
    functions: Vec<(String, Vec<Taken>, Kind)>,
    next: usize,
}

impl Generator {
    pub fn new(seed: u64) -> Generator {
        let mut names: Vec<(String, Kind)> =
            STATE.iter().map(|(name, kind, _)| ((*name).to_owned(), *kind)).collect();
        names.push(("own".into(), Kind::Beds));
        names.push(("beds".into(), Kind::Beds));
        let random = Random::new(seed);
        let (numbers, beds) = (vec![], vec!["bed".into()]);
        Generator { random, names, numbers, beds, functions: Vec::new(), next: 0 }
    }

    pub fn random(&mut self) -> &mut Random {
        &mut self.random
    }

    /// The text of a component, with how many buttons it has.
    pub fn component(&mut self) -> (String, usize) {
        let mut text = HEADER.to_owned();
        for (name, kind, first) in STATE {
            match kind {
                Kind::MaybeNumber => {}
                Kind::Counts => text.push_str(&format!("holds {name}: number{{}} = {first}\n")),
                _ => text.push_str(&format!("holds {name} = {first}\n")),
            }
        }
        let kinds = [Kind::Number, Kind::Text, Kind::Flag, Kind::Numbers, Kind::Beds, Kind::Counts];
        for i in 0..2 + self.random.below(6) {
            if self.random.one_in(2) {
                text.push_str(&self.function());
            }
            let kind = *self.random.pick(&kinds);
            let value = self.expression(kind, 3);
            text.push_str(&format!("derives d{i} = {value}\n"));
            self.names.push((format!("d{i}"), kind));
        }
        let buttons = 2 + self.random.below(3);
        for i in 0..buttons {
            let body: String = (0..1 + self.random.below(4)).map(|_| self.statement(2)).collect();
            text.push_str(&format!("does act{i}() {{ {body} }}\n"));
        }
        text.push_str("\n<main>\n");
        for _ in 0..3 + self.random.below(6) {
            let shown = [Kind::Number, Kind::Text, Kind::Flag, Kind::MaybeNumber];
            let kind = *self.random.pick(&shown);
            let value = self.expression(kind, 3);
            let element = match self.random.below(5) {
                0 => format!("<p title=\"<- {value}\">fixed</p>"),
                1 => format!("<p class=\"a {{{value}}}\">fixed</p>"),
                2 => format!("<input value=\"<- {value}\" aria-busy=\"<- {value}\">"),
                3 => format!("<p>x {{{value}}} y {{{value}}}</p>"),
                _ => format!("<p>{{{value}}}</p>"),
            };
            text.push_str(&format!("  {element}\n"));
        }
        // What is kept by keys is seen in each, or much of what is written there would change nothing.
        text.push_str("  <p>{Object.entries(counts).map(([k, n]) => k + n).join()}</p>\n");
        for i in 0..buttons {
            text.push_str(&format!("  <button click=\"-> act{i}()\">b</button>\n"));
        }
        text.push_str("</main>\n");
        (text, buttons)
    }

    /// A function of what stands before it: an expression, statements, or one that calls itself.
    fn function(&mut self) -> String {
        let kinds = [
            Kind::Number,
            Kind::Text,
            Kind::Flag,
            Kind::Numbers,
            Kind::Beds,
            Kind::MaybeNumber,
            Kind::Counts,
        ];
        let (name, gives) = (format!("f{}", self.functions.len()), *self.random.pick(&kinds));
        let (count, given) = (self.fresh(), self.fresh());
        let takes = match self.random.one_in(3) {
            true => Taken::Bed,
            false => Taken::Of(*self.random.pick(&kinds)),
        };
        let (known, beds) = (self.names.len(), self.beds.len());
        self.names.push((count.clone(), Kind::Number));
        let written = match takes {
            Taken::Of(kind) => {
                self.names.push((given.clone(), kind));
                kind.written()
            }
            Taken::Bed => {
                self.beds.push(given.clone());
                "Bed"
            }
        };
        let head = format!("derives {name}({count}: number, {given}: {written})");
        let value = self.expression(gives, 2);
        let ty = gives.written();
        let text = match self.random.below(4) {
            0 => format!("{head} = {value}\n"),
            1 => format!(
                "{head}: {ty} = {count} > 0 && {count} < 9 ? {name}({count} - 1, {given}) : {value}\n"
            ),
            _ => format!("{head}: {ty} {{\n{}}}\n", self.returns(gives, value)),
        };
        self.names.truncate(known);
        self.beds.truncate(beds);
        self.functions.push((name, vec![Taken::Of(Kind::Number), takes], gives));
        text
    }

    /// Statements that return something of a kind.
    fn returns(&mut self, gives: Kind, value: String) -> String {
        let (kind, fixed) =
            (*self.random.pick(&[Kind::Number, Kind::Text, Kind::Flag]), self.fresh());
        let mut text = format!("  const {fixed} = {}\n", self.expression(kind, 2));
        self.names.push((fixed, kind));
        let varies = [self.fresh(), self.fresh()];
        text.push_str(&format!("  let {}: {} = {value}\n", varies[0], gives.written()));
        text.push_str(&format!("  let {} = n\n", varies[1]));
        self.names.push((varies[0].clone(), gives));
        self.names.push((varies[1].clone(), Kind::Number));
        for _ in 0..1 + self.random.below(3) {
            let (test, one, other) = (
                self.expression(Kind::Flag, 1),
                self.expression(gives, 1),
                self.expression(Kind::Number, 1),
            );
            let [value, number] = &varies;
            text.push_str(&match self.random.below(6) {
                0 => format!("  if ({test}) return {one}\n"),
                1 => format!("  {value} = {one}\n"),
                2 => format!("  if ({test}) {value} = {one}\n  else {number} += {other}\n"),
                3 => format!("  if ({test}) {{ {value} = {one}; {number} = {other} }}\n"),
                4 => format!(
                    "  if ({test}) {{ if ({number} > 2) return {one}; {number} = {other} }}\n"
                ),
                _ => format!(
                    "  if ({test}) {{ const q = {other}; if (q > 1) {number} = q }} else {number}++\n"
                ),
            });
        }
        let last = self.expression(gives, 2);
        format!("{text}  return {last}\n")
    }

    /// A call of a function that gives something of a kind, if there is one.
    fn called(&mut self, kind: Kind, depth: usize) -> Option<String> {
        let fitting: Vec<(String, Vec<Taken>)> = self
            .functions
            .iter()
            .filter(|(_, _, gives)| *gives == kind)
            .map(|(name, takes, _)| (name.clone(), takes.clone()))
            .collect();
        if fitting.is_empty() || !self.random.one_in(3) {
            return None;
        }
        let (name, takes) = self.random.pick(&fitting).clone();
        let args: Vec<String> = takes
            .into_iter()
            .map(|taken| match taken {
                Taken::Of(kind) => self.expression(kind, depth - 1),
                Taken::Bed => self.bed(),
            })
            .collect();
        Some(format!("{name}({})", args.join(", ")))
    }

    /// Statements with a name that is assigned again.
    fn varied(&mut self) -> String {
        let places = [
            (Kind::Number, "n"),
            (Kind::Text, "t"),
            (Kind::Flag, "flag"),
            (Kind::Numbers, "numbers"),
            (Kind::MaybeNumber, "maybe"),
            (Kind::Counts, "counts"),
        ];
        if self.random.one_in(4) {
            let (one, other) = (self.fresh(), self.fresh());
            return match self.random.below(5) {
                3 => {
                    let test = self.expression(Kind::Flag, 1);
                    format!(
                        "for (const {one} of own.filter({other} => {other}.wet || {test})) {{ {one}.crop += 'x'; {one}.levels.push(n); }} "
                    )
                }
                4 => format!(
                    "for (const {one} of own.toSorted({}).slice(1).toReversed()) {{ {one}.id++; {one}.wet = !{one}.wet; }} ",
                    ordered(".id")
                ),
                0 => {
                    format!("const {{ id: {one}, crop: {other} }} = bed; n = {one}; s = {other}; ")
                }
                1 => format!(
                    "const [{one}, , ...{other}] = numbers; numbers = {other}; maybe = {one}; n++; "
                ),
                _ => format!(
                    "for (const {{ id: {one}, levels: {other} }} of own) {{ n = {one}; numbers = {other}; }} "
                ),
            };
        }
        let (kind, place) = *self.random.pick(&places);
        let (name, known) = (self.fresh(), self.names.len());
        let first = self.expression(kind, 1);
        self.names.push((name.clone(), kind));
        let (test, other) = (self.expression(Kind::Flag, 1), self.expression(kind, 1));
        let again = match self.random.below(3) {
            0 => format!("if ({test}) {name} = {other};"),
            1 => format!("for (const item of own) if (item.wet) {name} = {other};"),
            _ => format!("{name} = {other}; {name} = {name};"),
        };
        self.names.truncate(known);
        format!("let {name}: {} = {first}; {again} {place} = {name}; ", kind.written())
    }

    fn named(&mut self, kind: Kind) -> Option<String> {
        let all: Vec<String> =
            self.names.iter().filter(|(_, k)| *k == kind).map(|(name, _)| name.clone()).collect();
        let bound = if kind == Kind::Number { self.numbers.clone() } else { Vec::new() };
        let all: Vec<String> = all.into_iter().chain(bound).collect();
        if all.is_empty() { None } else { Some(self.random.pick(&all).clone()) }
    }

    fn fresh(&mut self) -> String {
        self.next += 1;
        format!("v{}", self.next)
    }

    /// A list of beds with a function that takes them apart.
    fn apart(&mut self, body: Kind, depth: usize) -> (String, String) {
        let source = self.expression(Kind::Beds, depth - 1);
        let [id, wet, levels] = [self.fresh(), self.fresh(), self.fresh()];
        let known = self.names.len();
        self.names.push((id.clone(), Kind::Number));
        self.names.push((wet.clone(), Kind::Flag));
        self.names.push((levels.clone(), Kind::Numbers));
        let inner = self.expression(body, depth - 1);
        self.names.truncate(known);
        (source, format!("({{ id: {id}, wet: {wet}, levels: {levels} }}) => {inner}"))
    }

    /// A list with a function over its items.
    fn over(&mut self, list: Kind, body: Kind, depth: usize) -> (String, String) {
        if list == Kind::Beds && self.random.one_in(5) {
            return self.apart(body, depth);
        }
        let (source, name) = (self.expression(list, depth - 1), self.fresh());
        let bound = if list == Kind::Beds { &mut self.beds } else { &mut self.numbers };
        bound.push(name.clone());
        let inner = self.expression(body, depth - 1);
        let bound = if list == Kind::Beds { &mut self.beds } else { &mut self.numbers };
        bound.pop();
        (source, format!("{name} => {inner}"))
    }

    pub fn expression(&mut self, kind: Kind, depth: usize) -> String {
        if depth == 0 || self.random.one_in(4) {
            if let Some(name) = self.named(kind).filter(|_| !self.random.one_in(5)) {
                return name;
            }
            return self.leaf(kind);
        }
        if let Some(call) = self.called(kind, depth) {
            return call;
        }
        if self.random.one_in(5) {
            let test = self.expression(Kind::Flag, depth - 1);
            let (a, b) = (self.expression(kind, depth - 1), self.expression(kind, depth - 1));
            return format!("({test} ? {a} : {b})");
        }
        match kind {
            Kind::Number => self.number(depth),
            Kind::Text => self.text(depth),
            Kind::Flag => self.flag(depth),
            Kind::Numbers => self.list_of_numbers(depth),
            Kind::Beds => self.list_of_beds(depth),
            Kind::Counts => self.dictionary(depth),
            Kind::MaybeNumber if self.random.one_in(3) => {
                let (counts, key) = (self.expression(Kind::Counts, depth - 1), self.key(depth));
                match self.random.below(3) {
                    0 => format!("kept[{key}]?.id"),
                    _ => format!("{counts}[{key}]"),
                }
            }
            Kind::MaybeNumber => {
                let (list, index) = (
                    self.expression(Kind::Numbers, depth - 1),
                    self.expression(Kind::Number, depth - 1),
                );
                match self.random.below(3) {
                    0 => format!("{list}[{index}]"),
                    1 => format!("{list}.at({index})"),
                    _ => {
                        let (list, test) = self.over(Kind::Numbers, Kind::Flag, depth);
                        let method = *self.random.pick(&["find", "findLast"]);
                        format!("{list}.{method}({test})")
                    }
                }
            }
        }
    }

    fn leaf(&mut self, kind: Kind) -> String {
        let random = &mut self.random;
        match kind {
            Kind::Number => match random.below(4) {
                0 => random.pick(&["0.5", "-0", "1e21", "-7.25", "0.1", "4294967296"]).to_string(),
                _ => random.below(6).to_string(),
            },
            Kind::Text => {
                let texts = ["", "a", "kale", "😀", "<b>", " ß\\n", "10", "x,y", "Σίγμας"];
                format!("'{}'", random.pick(&texts))
            }
            Kind::Flag => {
                let n = random.below(4);
                format!("(n > {n})")
            }
            Kind::Numbers => "[1, n]".into(),
            Kind::Beds => "own".into(),
            Kind::MaybeNumber => "maybe".into(),
            Kind::Counts => "counts".into(),
        }
    }

    /// What finds an entry of a dictionary. Whoever has other keys than texts can be told where one is made of a text.
    fn key(&mut self, depth: usize) -> String {
        match self.random.below(5) {
            0 => self.expression(Kind::Number, depth.saturating_sub(1)),
            1 => format!("({} + '')", self.expression(Kind::Text, depth.saturating_sub(1))),
            _ => format!("'{}'", self.random.pick(&["tea", "b", "10", "2", "a", "mint"])),
        }
    }

    fn dictionary(&mut self, depth: usize) -> String {
        let d = depth - 1;
        let (number, key) = (self.expression(Kind::Number, d), self.key(d));
        match self.random.below(3) {
            0 => format!("{{ ...{}, [{key}]: {number} }}", self.expression(Kind::Counts, d)),
            1 => format!("{{ [{key}]: {number}, ...{} }}", self.expression(Kind::Counts, d)),
            _ => format!("{{ 'x y': {number}, [{key}]: 1, b: {} }}", self.random.below(3)),
        }
    }

    fn number(&mut self, depth: usize) -> String {
        let d = depth - 1;
        match self.random.below(19) {
            18 => format!("({} + '').search(/[l-z<]/u)", self.expression(Kind::Text, d)),
            16 => {
                let (counts, key) = (self.expression(Kind::Counts, d), self.key(d));
                format!("({counts}[{key}] ?? {})", self.expression(Kind::Number, d))
            }
            17 => {
                let counts = self.expression(Kind::Counts, d);
                let member = *self.random.pick(&["keys", "values", "entries"]);
                match self.random.below(2) {
                    0 => format!("Object.{member}({counts}).length"),
                    _ => "Object.keys(kept).length".into(),
                }
            }
            13 => {
                let (text, part) = (self.expression(Kind::Text, d), self.leaf(Kind::Text));
                format!("{text}.lastIndexOf({part})")
            }
            14 => {
                let text = self.expression(Kind::Text, d);
                match self.random.below(4) {
                    0 => format!("parseInt({text}, {})", self.random.below(40)),
                    1 => format!("parseFloat({text})"),
                    2 => format!("{text}.localeCompare({})", self.leaf(Kind::Text)),
                    _ => format!("({text}.codePointAt({}) ?? -1)", self.random.below(3)),
                }
            }
            15 => {
                let (list, sought) =
                    (self.expression(Kind::Numbers, d), self.expression(Kind::Number, d));
                format!("{list}.lastIndexOf({sought})")
            }
            9 => {
                let function =
                    *self.random.pick(&["abs", "ceil", "floor", "round", "sign", "trunc"]);
                format!("Math.{function}({})", self.expression(Kind::Number, d))
            }
            10 => {
                let (a, b) = (self.expression(Kind::Number, d), self.expression(Kind::Number, d));
                let operator = *self.random.pick(&["-", "%", "/"]);
                match self.random.below(2) {
                    0 => format!("({a} {operator} {b})"),
                    _ => format!("Math.{}({a}, {b})", self.random.pick(&["max", "min"])),
                }
            }
            11 => {
                let (text, part) = (self.expression(Kind::Text, d), self.leaf(Kind::Text));
                format!("{text}.indexOf({part})")
            }
            12 => format!("Number({})", self.expression(Kind::Text, d)),
            0 => format!(
                "({} + {})",
                self.expression(Kind::Number, d),
                self.expression(Kind::Number, d)
            ),
            1 => format!(
                "({} * {})",
                self.expression(Kind::Number, d),
                self.expression(Kind::Number, d)
            ),
            2 => format!("{}.length", self.expression(Kind::Numbers, d)),
            3 => format!("{}.length", self.expression(Kind::Beds, d)),
            4 => format!("{}.length", self.expression(Kind::Text, d)),
            5 => format!(
                "({} ?? {})",
                self.expression(Kind::MaybeNumber, d),
                self.expression(Kind::Number, d)
            ),
            6 => {
                let (list, body) = self.over(Kind::Beds, Kind::Flag, depth);
                let method = *self.random.pick(&["findIndex", "findLastIndex"]);
                format!("{list}.{method}({body})")
            }
            7 => {
                let (sum, item) = (self.fresh(), self.fresh());
                let list = self.expression(Kind::Numbers, d);
                format!("{list}.reduce(({sum}, {item}) => {sum} + {item}, 0)")
            }
            _ => format!("{}.id", self.bed()),
        }
    }

    fn bed(&mut self) -> String {
        let beds = self.beds.clone();
        self.random.pick(&beds).clone()
    }

    fn text(&mut self, depth: usize) -> String {
        let d = depth - 1;
        match self.random.below(16) {
            15 => {
                let text = self.expression(Kind::Text, d);
                match self.random.below(3) {
                    0 => format!("({text} + '').replace(/([aeiou])(.?)/gu, '$2[$1]')"),
                    1 => format!("({text} + '').split(/[^\\p{{L}}]+/u).join('|')"),
                    _ => format!("(({text} + '').match(/(\\w)(-)?/iu) ?? []).join()"),
                }
            }
            12 => {
                let counts = self.expression(Kind::Counts, d);
                match self.random.below(2) {
                    0 => format!("Object.keys({counts}).join()"),
                    _ => format!("JSON.stringify({counts})"),
                }
            }
            13 => {
                let (key, value) = (self.fresh(), self.fresh());
                let known = self.names.len();
                let counts = self.expression(Kind::Counts, d);
                self.names.push((key.clone(), Kind::Text));
                self.names.push((value.clone(), Kind::Number));
                let body = self.expression(Kind::Text, d);
                self.names.truncate(known);
                format!("Object.entries({counts}).map(([{key}, {value}]) => {body}).join('/')")
            }
            14 => {
                let (groups, at) = (self.groups(depth), self.fresh());
                format!("Object.entries({groups}).map({at} => {at}[0] + {at}[1].length).join()")
            }
            11 => {
                let (text, at) = (self.expression(Kind::Text, d), self.expression(Kind::Number, d));
                format!("({text}[{at}] ?? 'none')")
            }
            7 => {
                let method = *self.random.pick(&[
                    "trim",
                    "trimStart",
                    "trimEnd",
                    "toLowerCase",
                    "toUpperCase",
                ]);
                format!("{}.{method}()", self.expression(Kind::Text, d))
            }
            8 => {
                let (text, fill) = (self.expression(Kind::Text, d), self.leaf(Kind::Text));
                let method = *self.random.pick(&["padStart", "padEnd"]);
                format!("{text}.{method}({}, {fill})", self.random.below(9))
            }
            9 => {
                let (text, part) = (self.expression(Kind::Text, d), self.leaf(Kind::Text));
                match self.random.below(2) {
                    0 => format!("{text}.split({part}).toReversed().join('|')"),
                    _ => format!("{text}.replaceAll({part}, 'o')"),
                }
            }
            10 => {
                let number = self.expression(Kind::Number, d);
                match self.random.below(3) {
                    0 => format!("({number}).toFixed({})", self.random.below(4)),
                    1 => format!("({number}).toString()"),
                    _ => format!("String({number})"),
                }
            }
            0 => format!(
                "({} + {})",
                self.expression(Kind::Text, d),
                self.expression(Kind::Number, d)
            ),
            1 => format!(
                "`${{{}}}-${{{}}}`",
                self.expression(Kind::Flag, d),
                self.expression(Kind::Text, d)
            ),
            2 => format!("{}.crop", self.bed()),
            3 => format!("{}.toUpperCase()", self.expression(Kind::Text, d)),
            4 => format!(
                "{}.slice({})",
                self.expression(Kind::Text, d),
                self.expression(Kind::Number, d)
            ),
            5 => {
                let (list, body) = self.over(Kind::Beds, Kind::Text, depth);
                format!("{list}.map({body}).join()")
            }
            _ => {
                let index = self.expression(Kind::Number, d);
                format!("({}[{index}]?.crop ?? 'none')", self.expression(Kind::Beds, d))
            }
        }
    }

    fn flag(&mut self, depth: usize) -> String {
        let d = depth - 1;
        match self.random.below(14) {
            13 => format!("/^[a-k]|\\d$/u.test(({} + ''))", self.expression(Kind::Text, d)),
            11 => format!("({} in {})", self.key(d), self.expression(Kind::Counts, d)),
            12 => format!("({} in kept)", self.key(d)),
            10 => format!("Number.isInteger({})", self.expression(Kind::Number, d)),
            8 => {
                let (a, b) = (self.expression(Kind::Text, d), self.expression(Kind::Text, d));
                let operator = *self.random.pick(&["<", "<=", ">", ">=", "!=="]);
                format!("({a} {operator} {b})")
            }
            9 => {
                let (text, part) = (self.expression(Kind::Text, d), self.leaf(Kind::Text));
                let method = *self.random.pick(&["includes", "startsWith", "endsWith"]);
                format!("{text}.{method}({part})")
            }
            0 => format!(
                "({} < {})",
                self.expression(Kind::Number, d),
                self.expression(Kind::Number, d)
            ),
            1 => format!(
                "({} === {})",
                self.expression(Kind::Text, d),
                self.expression(Kind::Text, d)
            ),
            2 => format!("!{}", self.expression(Kind::Flag, d)),
            3 => format!(
                "({} && {})",
                self.expression(Kind::Flag, d),
                self.expression(Kind::Flag, d)
            ),
            4 => format!(
                "({} || {})",
                self.expression(Kind::Flag, d),
                self.expression(Kind::Flag, d)
            ),
            5 => format!("{}.wet", self.bed()),
            6 => {
                let (list, body) = self.over(Kind::Beds, Kind::Flag, depth);
                let method = *self.random.pick(&["some", "every"]);
                format!("{list}.{method}({body})")
            }
            _ => format!("({} !== null)", self.expression(Kind::MaybeNumber, d)),
        }
    }

    fn list_of_numbers(&mut self, depth: usize) -> String {
        let d = depth - 1;
        match self.random.below(11) {
            10 => format!("Object.values({})", self.expression(Kind::Counts, d)),
            9 => {
                let (length, at) = (self.expression(Kind::Number, d), self.fresh());
                self.numbers.push(at.clone());
                let item = self.expression(Kind::Number, d);
                self.numbers.pop();
                format!("Array.from({{ length: {length} % 4 }}, (_, {at}) => {item})")
            }
            7 => {
                let list = self.expression(Kind::Beds, d);
                let name = self.fresh();
                format!("{list}.map({name} => {name}.levels).flat()")
            }
            8 => {
                let (list, number) =
                    (self.expression(Kind::Numbers, d), self.expression(Kind::Number, d));
                format!("{list}.toSpliced({}, 1, {number})", self.random.below(3))
            }
            0 => format!(
                "[...{}, {}]",
                self.expression(Kind::Numbers, d),
                self.expression(Kind::Number, d)
            ),
            1 => {
                let (list, body) = self.over(Kind::Numbers, Kind::Flag, depth);
                format!("{list}.filter({body})")
            }
            2 => {
                let (list, body) = self.over(Kind::Beds, Kind::Number, depth);
                format!("{list}.map({body})")
            }
            3 => format!("{}.toSorted({})", self.expression(Kind::Numbers, d), ordered("")),
            4 => format!("{}.slice(1)", self.expression(Kind::Numbers, d)),
            5 => format!("{}.levels", self.bed()),
            _ => {
                let list = self.expression(Kind::Beds, d);
                let name = self.fresh();
                format!("{list}.flatMap({name} => {name}.levels)")
            }
        }
    }

    /// A dictionary of lists of beds.
    fn groups(&mut self, depth: usize) -> String {
        let kind = *self.random.pick(&[Kind::Text, Kind::Number]);
        let (list, body) = self.over(Kind::Beds, kind, depth);
        let body = match body.split_once(" => ") {
            Some((params, body)) if kind == Kind::Text => format!("{params} => ({body} + '')"),
            _ => body,
        };
        format!("Object.groupBy({list}, {body})")
    }

    fn list_of_beds(&mut self, depth: usize) -> String {
        match self.random.below(6) {
            4 => "Object.values(kept)".into(),
            5 => {
                let (groups, key) = (self.groups(depth), self.key(depth - 1));
                format!("({groups}[{key}] ?? [])")
            }
            0 => {
                let (list, body) = self.over(Kind::Beds, Kind::Flag, depth);
                format!("{list}.filter({body})")
            }
            1 => format!("{}.toReversed()", self.expression(Kind::Beds, depth - 1)),
            2 => {
                let list = self.expression(Kind::Beds, depth - 1);
                format!("{list}.toSorted({})", ordered(".id"))
            }
            _ => format!("[bed, ...{}]", self.expression(Kind::Beds, depth - 1)),
        }
    }

    /// A statement about what is found by a key.
    fn keyed(&mut self) -> String {
        let (number, key) = (self.expression(Kind::Number, 2), self.key(2));
        let (one, other) = (self.fresh(), self.fresh());
        match self.random.below(11) {
            0 | 1 => format!("counts[{key}] = {number}; "),
            2 => format!("counts[{key}] = (counts[{key}] ?? 0) + 1; "),
            3 | 4 => format!("delete counts[{key}]; "),
            5 => format!("counts = {}; ", self.expression(Kind::Counts, 2)),
            6 => format!(
                "const {one} = String({key}); kept[{one}] ??= {{ ...bed, levels: [...bed.levels] }}; \
                 kept[{one}].levels.push({number}); "
            ),
            7 => format!("delete kept[{key}]; "),
            8 => format!("for (const {one} of Object.keys(counts)) counts[{one}] = {number}; "),
            9 => format!(
                "for (const [{one}, {other}] of Object.entries(counts)) {{ s = {one}; n = {other}; }} "
            ),
            _ => format!("kept[{key}].crop = 'gone'; "),
        }
    }

    fn statement(&mut self, depth: usize) -> String {
        if self.random.one_in(6) {
            return self.varied();
        }
        if self.random.one_in(5) {
            return self.keyed();
        }
        let number = self.expression(Kind::Number, 2);
        let index = self.random.below(3);
        match self.random.below(if depth == 0 { 18 } else { 20 }) {
            0 => format!("n = {number}; "),
            1 => "n += 1; n -= 1; ".into(),
            2 => "m++; ".into(),
            3 => format!("s = {}; ", self.expression(Kind::Text, 2)),
            4 => format!("t += {}; ", self.leaf(Kind::Text)),
            5 => format!("flag = {}; ", self.expression(Kind::Flag, 2)),
            6 => format!("numbers.push({number}); "),
            7 => "numbers.shift(); ".into(),
            8 => format!("numbers.splice({index}, 1, {number}); "),
            9 => "numbers.sort(); ".into(),
            10 => "own.reverse(); ".into(),
            11 => format!("if ({index} < own.length) own[{index}].id = {number}; "),
            12 => format!("if ({index} < own.length) own[{index}].levels.push({number}); "),
            13 => {
                let last = self.fresh();
                format!("const {last} = own.pop(); if ({last}) own.unshift({last}); ")
            }
            14 => format!("bed = {{ ...bed, id: {number} }}; "),
            15 => format!("maybe = {}; ", self.expression(Kind::MaybeNumber, 2)),
            16 => "for (const item of own) item.wet = !item.wet; ".into(),
            17 => format!("own[{}].crop = 'gone'; ", self.random.below(6)),
            18 => {
                let (test, body) = (self.expression(Kind::Flag, 2), self.statement(depth - 1));
                format!("if ({test}) {{ {body} }} ")
            }
            _ => format!("give noted({}); ", self.expression(Kind::Text, 2)),
        }
    }
}
