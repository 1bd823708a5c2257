//! ECMAScript's tokens, as far as the engine's modules and what is compiled use them (ECMA-262, 12): enough to tell names of
//! variables from names of properties, and to leave out what only readers need.
//!
//! Not read are: labels, regular expressions after `)` and `}`, and statements that end without `;`. The engine's tests
//! in browsers run what is made of them.

/// What a token is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    /// A variable, a function or a class.
    Variable,
    /// What follows a point, or names a field or method.
    Property,
    /// A field of an object literal or a pattern that is called as the variable that it is, or becomes.
    Shorthand,
    /// A word that means what the language says.
    Word,
    /// A number, a string, a piece of a template, a regular expression.
    Literal,
    Punctuator,
    /// A comment that tells where what follows was written.
    Mark,
}

/// A token and its text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Token<'a> {
    pub(crate) kind: Kind,
    pub(crate) text: &'a str,
}

/// Words that are no names, or not everywhere, in order.
pub(crate) const WORDS: &[&str] = &[
    "as",
    "async",
    "await",
    "break",
    "case",
    "catch",
    "class",
    "const",
    "continue",
    "default",
    "delete",
    "do",
    "else",
    "export",
    "extends",
    "false",
    "finally",
    "for",
    "from",
    "function",
    "get",
    "if",
    "import",
    "in",
    "instanceof",
    "let",
    "new",
    "null",
    "of",
    "return",
    "set",
    "static",
    "super",
    "switch",
    "this",
    "throw",
    "true",
    "try",
    "typeof",
    "undefined",
    "var",
    "void",
    "while",
    "yield",
];

/// What is around a token.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Around {
    Block,
    /// An object literal or a pattern; whether a field begins.
    Object(bool),
    /// A class; whether a member begins.
    Class(bool),
    /// Brackets, and what stands between `${` and `}`.
    Brackets,
    Template,
}

/// The tokens of a text.
pub(crate) fn tokens(text: &str) -> Vec<Token<'_>> {
    let mut reader = Reader {
        text,
        at: 0,
        found: Vec::new(),
        around: vec![Around::Block],
        class: false,
        case: 0,
    };
    while reader.next() {}
    reader.name();
    reader.found
}

struct Reader<'a> {
    text: &'a str,
    at: usize,
    found: Vec<Token<'a>>,
    around: Vec<Around>,
    /// Whether a class was begun whose `{` is to come.
    class: bool,
    /// How many `case` and `default` wait for their colon.
    case: usize,
}

impl<'a> Reader<'a> {
    fn rest(&self) -> &'a str {
        &self.text[self.at..]
    }

    fn take(&mut self, length: usize, kind: Kind) {
        self.found.push(Token { kind, text: &self.text[self.at..self.at + length] });
        self.at += length;
    }

    /// The last token that is no mark.
    fn before(&self) -> Option<Token<'a>> {
        self.found.iter().rev().find(|token| token.kind != Kind::Mark).copied()
    }

    fn next(&mut self) -> bool {
        let rest = self.rest();
        let Some(first) = rest.chars().next() else { return false };
        if first.is_whitespace() {
            self.at += rest.len() - rest.trim_start().len();
        } else if rest.starts_with("//") {
            self.at += rest.find('\n').unwrap_or(rest.len());
        } else if rest.starts_with("/*") {
            let length = rest.find("*/").map_or(rest.len(), |at| at + 2);
            match rest.starts_with("/*@") {
                true => self.take(length, Kind::Mark),
                false => self.at += length,
            }
        } else if first == '\'' || first == '"' {
            self.take(end_of(rest, first), Kind::Literal);
        } else if first == '`' {
            self.template();
        } else if first == '}' && self.around.last() == Some(&Around::Template) {
            self.around.pop();
            self.template();
        } else if first.is_ascii_digit()
            || rest.starts_with('.') && is_digit(rest[1..].chars().next())
        {
            let end = |c: char| !(c.is_ascii_alphanumeric() || c == '.' || c == '_');
            let mut length = rest.find(end).unwrap_or(rest.len());
            // `1e+21`
            if rest[..length].ends_with(['e', 'E']) && !rest.starts_with("0x") {
                length += 1 + rest[length + 1..].find(end).unwrap_or(rest.len() - length - 1);
            }
            self.take(length, Kind::Literal);
        } else if first == '#' || is_of_name(first) {
            let length = rest[1..].find(|c| !is_of_name(c)).map_or(rest.len(), |at| at + 1);
            self.word(length);
        } else if first == '/' && self.begins_expression() {
            self.take(end_of_pattern(rest), Kind::Literal);
        } else {
            self.punctuator(first);
        }
        true
    }

    /// A piece of a template, from its `` ` `` or `}` to the next `${` or its end.
    fn template(&mut self) {
        let rest = self.rest();
        let bytes = rest.as_bytes();
        let mut at = 1;
        while at < bytes.len() {
            match bytes[at] {
                b'\\' => at += 1,
                b'`' => return self.take(at + 1, Kind::Literal),
                b'$' if bytes.get(at + 1) == Some(&b'{') => {
                    self.take(at + 2, Kind::Literal);
                    return self.around.push(Around::Template);
                }
                _ => {}
            }
            at += 1;
        }
        self.take(rest.len(), Kind::Literal);
    }

    /// Whether an expression begins here, rather than going on.
    fn begins_expression(&self) -> bool {
        let Some(before) = self.before() else { return true };
        match before.kind {
            Kind::Punctuator => !matches!(before.text, ")" | "]" | "}"),
            Kind::Word => !matches!(before.text, "this" | "null" | "true" | "false" | "super"),
            Kind::Literal => before.text.ends_with("${"),
            _ => false,
        }
    }

    fn word(&mut self, length: usize) {
        let text = &self.rest()[..length];
        let follows = self.text[self.at + length..].trim_start();
        let before = self.before().map(|token| token.text);
        if matches!(before, Some("." | "?.")) || text.starts_with('#') {
            if let Some(Around::Class(begins)) = self.around.last_mut() {
                *begins = false;
            }
            return self.take(length, Kind::Property);
        }
        let is_word = WORDS.binary_search(&text).is_ok();
        let ends = |follows: &str| follows.starts_with(['(', ',', ':', '}', '=', ';']);
        let modifies = matches!(text, "get" | "set" | "async" | "static") && !ends(follows);
        let kind = match self.around.last_mut() {
            Some(Around::Object(begins) | Around::Class(begins)) if *begins && modifies => {
                Kind::Word
            }
            Some(Around::Object(begins)) if *begins => {
                *begins = false;
                if follows.starts_with([':', '(']) { Kind::Property } else { Kind::Shorthand }
            }
            Some(Around::Class(begins)) if *begins => {
                *begins = false;
                Kind::Property
            }
            _ if is_word => Kind::Word,
            _ => Kind::Variable,
        };
        if kind == Kind::Word {
            self.class |= text == "class";
            self.case += usize::from(matches!(text, "case" | "default"));
        }
        self.take(length, kind);
    }

    fn punctuator(&mut self, first: char) {
        let rest = self.rest();
        let length = first.len_utf8().max(length_of_punctuator(rest.as_bytes()));
        let text = &rest[..length];
        match text {
            "{" => {
                let around = self.braces();
                self.around.push(around);
            }
            "(" | "[" => self.around.push(Around::Brackets),
            "}" | ")" | "]" => {
                let ended = self.around.pop();
                if let Some(Around::Class(begins)) = self.around.last_mut() {
                    // A method's body has ended.
                    *begins |= text == "}" && ended == Some(Around::Block);
                }
            }
            ";" => {
                if let Some(Around::Class(begins)) = self.around.last_mut() {
                    *begins = true;
                }
            }
            ":" if self.case > 0 && self.around.last() == Some(&Around::Block) => {
                self.case -= 1;
                self.take(length, Kind::Punctuator);
                // What follows is a statement, as after `;`.
                return self.found.push(Token { kind: Kind::Mark, text: "" });
            }
            "," | "..." | ":" => {
                if let Some(Around::Object(begins)) = self.around.last_mut() {
                    *begins = text == ",";
                }
            }
            _ => {}
        }
        self.take(length, Kind::Punctuator);
    }

    /// What a `{` begins.
    fn braces(&mut self) -> Around {
        if std::mem::take(&mut self.class) {
            return Around::Class(true);
        }
        let after_case = self.found.last().is_some_and(|token| token.text.is_empty());
        let Some(before) = self.before() else { return Around::Block };
        let block = match before.kind {
            Kind::Word => {
                matches!(before.text, "else" | "do" | "try" | "finally" | "catch" | "static")
            }
            Kind::Punctuator => matches!(before.text, ")" | "=>" | "{" | "}" | ";"),
            _ => false,
        };
        if block || after_case { Around::Block } else { Around::Object(true) }
    }

    /// Takes out what told where a `case` has its statements.
    fn name(&mut self) {
        self.found.retain(|token| !token.text.is_empty());
    }
}

/// How many bytes of a text are one punctuator: the longest that it begins with (ECMA-262, 12.8).
fn length_of_punctuator(text: &[u8]) -> usize {
    let same = text.iter().take(4).take_while(|byte| **byte == text[0]).count();
    let assigns = |length: usize| length + usize::from(text.get(length) == Some(&b'='));
    match (text[0], text.get(1)) {
        (b'.', _) if same >= 3 => 3,
        // `a ?.5 : b`
        (b'?', Some(b'.')) if !text.get(2).is_some_and(u8::is_ascii_digit) => 2,
        (b'=', Some(b'>')) => 2,
        (b'+' | b'-', _) if same >= 2 => 2,
        (b'*' | b'<' | b'&' | b'|' | b'?', _) if same >= 2 => assigns(2),
        (b'>', _) if same >= 2 => assigns(same.min(3)),
        (b'=', _) => same.min(3),
        (b'!', _) => assigns(assigns(1)),
        (b'<' | b'>' | b'+' | b'-' | b'*' | b'/' | b'%' | b'&' | b'|' | b'^', _) => assigns(1),
        _ => 1,
    }
}

pub(crate) fn is_of_name(c: char) -> bool {
    c.is_ascii_alphanumeric() || !c.is_ascii() && c.is_alphanumeric() || c == '_' || c == '$'
}

fn is_digit(c: Option<char>) -> bool {
    c.is_some_and(|c| c.is_ascii_digit())
}

/// The length of a string.
fn end_of(text: &str, quote: char) -> usize {
    let mut escaped = true;
    for (at, c) in text.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' => escaped = true,
            c if c == quote => return at + 1,
            _ => {}
        }
    }
    text.len()
}

/// The length of a regular expression with its flags.
fn end_of_pattern(text: &str) -> usize {
    let (mut escaped, mut class) = (true, false);
    for (at, c) in text.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' => escaped = true,
            '[' => class = true,
            ']' => class = false,
            '/' if !class => {
                let flags = text[at + 1..].find(|c: char| !c.is_ascii_lowercase());
                return flags.map_or(text.len(), |flags| at + 1 + flags);
            }
            _ => {}
        }
    }
    text.len()
}

#[cfg(test)]
mod tests {
    use super::{Kind, tokens};

    fn named(text: &str) -> String {
        let kinds = tokens(text).into_iter().filter_map(|token| {
            let kind = match token.kind {
                Kind::Variable => "",
                Kind::Property => ".",
                Kind::Shorthand => ":",
                Kind::Mark => "@",
                Kind::Literal => return Some(token.text.to_owned()),
                _ => return None,
            };
            Some(format!("{kind}{}", token.text))
        });
        kinds.collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn variables_and_properties_are_told_apart() {
        for (text, wanted) in [
            ("const a = b.c?.d;", "a b .c .d"),
            (
                "f({ a, b: c, d() { return e; }, get g() {}, ...h, [i]: 1 })",
                "f :a .b c .d e .g h i 1",
            ),
            ("const { a, b: c = d, e = 2 } = f;", ":a .b c d :e 2 f"),
            (
                "class A extends B { #x = y; static z = { u }; get v() { w; } s() {} }",
                "A B .#x y .z :u .v w .s",
            ),
            (
                "class A { static a = []; constructor(b) { super(b); } set = 1; }",
                "A .a .constructor b b .set 1",
            ),
            (
                "switch (a) { case b: { c; } default: return d ? { e } : { f: 1 }; }",
                "a b c d :e .f 1",
            ),
            ("`a ${b ? `${c}` : { d }} e`", "`a ${ b `${ c }` :d } e`"),
            ("a = /[/`]\\//g.test(b) / c / d;", "a /[/`]\\//g .test b c d"),
            ("(a, { b }) => { if (c) { d; } }", "a :b c d"),
            ("for (const { a } of b) c = a?.5 : .5 + 1e+21 + 0x1f;", ":a b c a .5 .5 1e+21 0x1f"),
            ("'it\\'s' + \"\\\\\" // no\n/* nor */ + a", "'it\\'s' \"\\\\\" a"),
            ("/*@1:2:3*/ a();", "@/*@1:2:3*/ a"),
            (
                "const f = async (a) => { await a; }; try { b } catch { c } finally { d }",
                "f a a b c d",
            ),
            ("async function* f() { yield a; }", "f a"),
        ] {
            assert_eq!(named(text), wanted, "{text}");
        }
    }
}
