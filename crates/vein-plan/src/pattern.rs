//! Regular expressions: those of ECMA-262 with the flag `u`, as far as an automaton gives for them what the standard's
//! backtracking gives. So each takes time that grows with the text, and no more.

use crate::standard::LONGEST_TEXT;
use crate::text::Text;
use crate::value::Value;
use regex::{Captures, Regex, RegexBuilder};
use std::cell::RefCell;
use std::collections::HashMap;
use std::fmt::Write;
use std::rc::Rc;

/// A regular expression that is ready to be used.
#[derive(Debug)]
pub struct Pattern {
    regex: Regex,
    /// What its groups are called, as far as they are.
    names: Vec<Option<String>>,
}

/// What is wrong with a regular expression.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mistake {
    /// Where, in bytes of its source.
    pub at: usize,
    /// What is wrong.
    pub problem: String,
    /// What to write.
    pub instead: String,
}

/// The most characters that one may have.
const LONGEST_SOURCE: usize = 5_000;
/// How deep groups may stand inside each other.
const DEEPEST: usize = 50;
/// The most bytes that its automaton may take.
const LARGEST: usize = 1 << 20;
/// The largest number of times that something may be repeated.
const MOST_TIMES: u32 = 1_000;

/// White space as `\s` has it (ECMA-262, WhiteSpace and LineTerminator).
const SPACE: &str = r"\t\n\x0B\x0C\r \x{A0}\x{1680}\x{2000}-\x{200A}\x{2028}\x{2029}\x{202F}\x{205F}\x{3000}\x{FEFF}";
const WORD: &str = "A-Za-z0-9_";

impl Pattern {
    /// Reads a regular expression.
    ///
    /// ```
    /// use vein_plan::pattern::Pattern;
    /// let year = Pattern::new(r"(\d{4})-\d\d", "").unwrap();
    /// assert!(year.test(&"since 2026-11".into()));
    /// assert_eq!(Pattern::new("(a+)+", "").unwrap_err().at, 4);
    /// ```
    ///
    /// # Errors
    /// Where it is malformed, or has what cannot be matched in time that grows with the text alone.
    pub fn new(source: &str, flags: &str) -> Result<Pattern, Mistake> {
        let mistake = |at: usize, problem: &str, instead: &str| Mistake {
            at,
            problem: problem.into(),
            instead: instead.into(),
        };
        let ignores_case = flags.contains('i');
        if source.chars().count() > LONGEST_SOURCE {
            return Err(mistake(0, "it is too long", "test the parts by themselves"));
        }
        let mut reader = Reader {
            source,
            at: 0,
            out: String::new(),
            names: Vec::new(),
            ignores_case,
            matches_all: flags.contains('s'),
            depth: 0,
        };
        reader.alternatives()?;
        if reader.at < source.len() {
            return Err(mistake(reader.at, "this `)` closes nothing", r"`\)` is the character"));
        }
        let Reader { out, names, .. } = reader;
        let mut regex = RegexBuilder::new(&out);
        match regex.case_insensitive(ignores_case).size_limit(LARGEST).build() {
            Ok(regex) => Ok(Pattern { regex, names }),
            Err(_) => Err(mistake(
                0,
                "it comes to too many states",
                "repeat less often, or test the parts by themselves",
            )),
        }
    }

    /// How many groups it has.
    pub fn groups(&self) -> usize {
        self.names.len()
    }

    /// The names of its flags, once each and known: `Err` has the first that is not.
    ///
    /// # Errors
    /// The first flag that there is not, or that stands there twice.
    pub fn known_flags(flags: &str) -> Result<(), char> {
        let known = |at: usize, flag: char| {
            "gimsu".contains(flag) && flag != 'm' && !flags[..at].contains(flag)
        };
        flags
            .char_indices()
            .find(|(at, flag)| !known(*at, *flag))
            .map_or(Ok(()), |(_, flag)| Err(flag))
    }

    /// `RegExp.prototype.test`
    pub fn test(&self, text: &Text) -> bool {
        self.regex.is_match(&text.to_utf8())
    }

    /// `String.prototype.search`: in UTF-16 units.
    pub fn search(&self, text: &Text) -> f64 {
        let text = text.to_utf8();
        self.regex
            .find(&text)
            .map_or(-1.0, |found| text[..found.start()].encode_utf16().count() as f64)
    }

    /// `String.prototype.match` without the flag `g`: what was found, then its groups; else `null`.
    pub fn first(&self, text: &Text) -> Value {
        let text = text.to_utf8();
        match self.regex.captures(&text) {
            Some(found) => Value::list(found.iter().map(group).collect()),
            None => Value::Null,
        }
    }

    /// `String.prototype.match` with the flag `g`: all that was found; `null` where that is nothing.
    pub fn all(&self, text: &Text) -> Value {
        let text = text.to_utf8();
        let mut found = Vec::new();
        self.each(&text, |one| {
            found.push(one.get(0).map_or(Value::Null, |one| one.as_str().into()));
            true
        });
        if found.is_empty() { Value::Null } else { Value::list(found) }
    }

    /// Goes from one match to the next as `g` does: one that is empty is followed by the next character.
    fn each(&self, text: &str, mut each: impl FnMut(&Captures<'_>) -> bool) {
        let mut at = 0;
        while at <= text.len() {
            let Some(found) = self.regex.captures_at(text, at) else { return };
            let Some(whole) = found.get(0) else { return };
            if !each(&found) {
                return;
            }
            at = if whole.is_empty() { after(text, whole.end()) } else { whole.end() };
        }
    }

    /// `String.prototype.replace`, of the first or of all.
    pub fn replace(&self, text: &Text, by: &Text, all: bool) -> Text {
        let (text, by) = (text.to_utf8(), by.to_utf8());
        let (mut out, mut end) = (String::new(), 0);
        self.each(&text, |found| {
            if let Some(whole) = found.get(0) {
                out.push_str(&text[end..whole.start()]);
                self.substitute(&mut out, &text, found, &by);
                end = whole.end();
            }
            // No text of so many bytes has fewer units than texts may have.
            all && out.len() <= 3 * LONGEST_TEXT
        });
        out.push_str(&text[end..]);
        let made = Text::from(out);
        if made.len() > LONGEST_TEXT { made.slice(0, LONGEST_TEXT) } else { made }
    }

    /// What a replacement stands for (ECMA-262, GetSubstitution).
    fn substitute(&self, out: &mut String, text: &str, found: &Captures<'_>, by: &str) {
        let whole = found.get(0).map_or(0..0, |whole| whole.range());
        let of = |number: usize| found.get(number).map_or("", |group| group.as_str());
        let mut rest = by;
        while let Some(at) = rest.find('$') {
            out.push_str(&rest[..at]);
            let after = &rest[at + 1..];
            let digits = |count: usize| {
                let digits =
                    after.get(..count).filter(|d| d.bytes().all(|b| b.is_ascii_digit()))?;
                let number: usize = digits.parse().ok()?;
                (1..=self.names.len()).contains(&number).then_some((number, count))
            };
            let taken = match after.bytes().next() {
                Some(b'$') => {
                    out.push('$');
                    1
                }
                Some(b'&') => {
                    out.push_str(of(0));
                    1
                }
                Some(b'`') => {
                    out.push_str(&text[..whole.start]);
                    1
                }
                Some(b'\'') => {
                    out.push_str(&text[whole.end..]);
                    1
                }
                Some(b'<') if self.names.iter().any(Option::is_some) => match after.find('>') {
                    Some(end) => {
                        let name = &after[1..end];
                        let known = |one: &Option<String>| one.as_deref() == Some(name);
                        let number = self.names.iter().position(known);
                        out.push_str(number.map_or("", |number| of(number + 1)));
                        end + 1
                    }
                    None => {
                        out.push('$');
                        0
                    }
                },
                _ => match digits(2).or_else(|| digits(1)) {
                    Some((number, count)) => {
                        out.push_str(of(number));
                        count
                    }
                    None => {
                        out.push('$');
                        0
                    }
                },
            };
            rest = &after[taken..];
            if out.len() > 3 * LONGEST_TEXT {
                return;
            }
        }
        out.push_str(rest);
    }

    /// `String.prototype.split`: at most so many pieces.
    pub fn split(&self, text: &Text, limit: usize) -> Value {
        let text = text.to_utf8();
        let mut pieces: Vec<Value> = Vec::new();
        if limit == 0 {
            return Value::list(pieces);
        }
        if text.is_empty() {
            let whole = if self.regex.is_match("") { Vec::new() } else { vec!["".into()] };
            return Value::list(whole);
        }
        let (mut from, mut at) = (0, 0);
        while at < text.len() {
            let Some(found) = self.regex.captures_at(&text, at) else { break };
            let Some(whole) = found.get(0).filter(|whole| whole.start() < text.len()) else {
                break;
            };
            if whole.end() == from {
                at = after(&text, whole.start());
                continue;
            }
            pieces.push(text[from..whole.start()].into());
            pieces.extend(found.iter().skip(1).map(group));
            if pieces.len() >= limit {
                pieces.truncate(limit);
                return Value::list(pieces);
            }
            (from, at) = (whole.end(), whole.end());
        }
        pieces.push(text[from..].into());
        Value::list(pieces)
    }
}

fn group(found: Option<regex::Match<'_>>) -> Value {
    found.map_or(Value::Null, |found| found.as_str().into())
}

/// Where the next character begins.
fn after(text: &str, at: usize) -> usize {
    at + text[at..].chars().next().map_or(1, char::len_utf8)
}

/// Regular expressions by source and flags; nothing for what is none.
type Known = HashMap<(Text, Text), Option<Rc<Pattern>>>;

thread_local! {
    /// What was read so far: a program has so many as were written.
    static KNOWN: RefCell<Known> = RefCell::default();
}

/// More than anybody writes.
const MOST_KNOWN: usize = 10_000;

/// A regular expression of a plan; nothing where it is none.
pub(crate) fn known(source: &Text, flags: &Text) -> Option<Rc<Pattern>> {
    KNOWN.with_borrow_mut(|all| {
        if all.len() > MOST_KNOWN {
            all.clear();
        }
        let key = (source.clone(), flags.clone());
        let read = || Pattern::new(&source.to_utf8(), &flags.to_utf8()).ok().map(Rc::new);
        all.entry(key).or_insert_with(read).clone()
    })
}

/// What is known of a piece.
#[derive(Clone, Copy)]
struct Piece {
    may_be_empty: bool,
    captures: bool,
}

/// Reads a source, and writes what means the same to the automaton.
struct Reader<'a> {
    source: &'a str,
    at: usize,
    out: String,
    names: Vec<Option<String>>,
    ignores_case: bool,
    matches_all: bool,
    depth: usize,
}

type Read<T> = Result<T, Mistake>;

impl Reader<'_> {
    fn peek(&self) -> Option<char> {
        self.source[self.at..].chars().next()
    }

    fn eat(&mut self, what: &str) -> bool {
        let is_here = self.source[self.at..].starts_with(what);
        self.at += if is_here { what.len() } else { 0 };
        is_here
    }

    fn next(&mut self) -> Option<char> {
        let c = self.peek()?;
        self.at += c.len_utf8();
        Some(c)
    }

    fn wrong<T>(
        &self,
        at: usize,
        problem: impl Into<String>,
        instead: impl Into<String>,
    ) -> Read<T> {
        Err(Mistake { at, problem: problem.into(), instead: instead.into() })
    }

    fn alternatives(&mut self) -> Read<Piece> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return self.wrong(
                self.at,
                "groups stand too deep inside each other",
                "test the parts by themselves",
            );
        }
        let mut all = self.sequence()?;
        while self.eat("|") {
            self.out.push('|');
            let other = self.sequence()?;
            all.may_be_empty |= other.may_be_empty;
            all.captures |= other.captures;
        }
        self.depth -= 1;
        Ok(all)
    }

    fn sequence(&mut self) -> Read<Piece> {
        let mut all = Piece { may_be_empty: true, captures: false };
        while let Some(c) = self.peek().filter(|c| !matches!(c, '|' | ')')) {
            let at = self.at;
            let (piece, repeats) = self.atom(c)?;
            let piece = self.repeated(piece, repeats, at)?;
            all.may_be_empty &= piece.may_be_empty;
            all.captures |= piece.captures;
        }
        Ok(all)
    }

    /// One piece, and whether it may be repeated.
    fn atom(&mut self, c: char) -> Read<(Piece, bool)> {
        let one = Piece { may_be_empty: false, captures: false };
        let place = Piece { may_be_empty: true, captures: false };
        let start = self.at;
        self.at += c.len_utf8();
        match c {
            '^' => self.out.push_str(r"\A"),
            '$' => self.out.push_str(r"\z"),
            '.' => {
                let any = if self.matches_all { "(?s:.)" } else { r"[^\n\r\x{2028}\x{2029}]" };
                self.out.push_str(any);
                return Ok((one, true));
            }
            '(' => return self.group(start).map(|piece| (piece, true)),
            '[' => {
                self.class(start)?;
                return Ok((one, true));
            }
            '\\' if self.eat("b") => self.out.push_str(r"(?-u:\b)"),
            '\\' if self.eat("B") => self.out.push_str(r"(?-u:\B)"),
            '\\' => {
                match self.escape(start, false)? {
                    Escaped::One(c) => self.literal(c),
                    Escaped::Several(class) => write!(self.out, "[{class}]").unwrap_or_default(),
                }
                return Ok((one, true));
            }
            '*' | '+' | '?' => {
                return self.wrong(
                    start,
                    format!("`{c}` repeats nothing"),
                    format!("`\\{c}` is the character"),
                );
            }
            '{' | '}' | ']' => {
                return self.wrong(
                    start,
                    format!("`{c}` stands alone"),
                    format!("`\\{c}` is the character"),
                );
            }
            c => {
                self.literal(c);
                return Ok((one, true));
            }
        }
        Ok((place, false))
    }

    fn literal(&mut self, c: char) {
        write!(self.out, "\\x{{{:X}}}", u32::from(c)).unwrap_or_default();
    }

    fn group(&mut self, start: usize) -> Read<Piece> {
        let ahead = ["?=", "?!", "?<=", "?<!"]
            .into_iter()
            .find(|sign| self.source[self.at..].starts_with(sign));
        if ahead.is_some() {
            let instead =
                "test what has to be true each by itself: `/\\d/.test(word) && /[a-z]/.test(word)`";
            return self.wrong(start, "what stands around cannot be looked at", instead);
        }
        let captures = !self.eat("?:");
        if captures && self.eat("?<") {
            let end = self.source[self.at..].find('>');
            let name =
                end.map(|end| self.source[self.at..self.at + end].to_owned()).unwrap_or_default();
            let plain = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
            let is_name =
                name.chars().all(plain) && name.chars().next().is_some_and(|c| !c.is_numeric());
            if !is_name || self.names.iter().flatten().any(|known| *known == name) {
                return self.wrong(
                    start,
                    "a group's name is a word that no other has",
                    "write `(?<year>…)`",
                );
            }
            self.at += name.len() + 1;
            self.names.push(Some(name));
        } else if captures && self.peek() == Some('?') {
            return self.wrong(
                start,
                "there is no such group",
                "groups are `(…)`, `(?:…)` and `(?<name>…)`",
            );
        } else if captures {
            self.names.push(None);
        }
        self.out.push_str(if captures { "(" } else { "(?:" });
        let inside = self.alternatives()?;
        if !self.eat(")") {
            return self.wrong(
                start,
                "this `(` is never closed",
                r"close it with `)`; `\(` is the character",
            );
        }
        self.out.push(')');
        Ok(Piece { captures: captures || inside.captures, ..inside })
    }

    /// A piece with how often it is repeated.
    fn repeated(&mut self, piece: Piece, repeats: bool, start: usize) -> Read<Piece> {
        let at = self.at;
        let (least, most) = match self.peek() {
            Some('*') => (0, None),
            Some('+') => (1, None),
            Some('?') => (0, Some(1)),
            Some('{') => match self.counts() {
                Some(counts) => counts,
                None => {
                    return self.wrong(
                        at,
                        "a number of times is `{2}`, `{2,}` or `{2,4}`",
                        r"`\{` is the character",
                    );
                }
            },
            _ => return Ok(piece),
        };
        if self.at == at {
            self.at += 1;
        }
        if !repeats {
            return self.wrong(start, "a place cannot be repeated", "leave the sign behind it out");
        }
        if most.is_some_and(|most| most < least) || least.max(most.unwrap_or(0)) > MOST_TIMES {
            return self.wrong(
                at,
                "that is no number of times",
                format!("at most {MOST_TIMES}, and the least first"),
            );
        }
        let often = most != Some(1) && most != Some(0);
        if piece.may_be_empty && (often || least == 0) {
            return self.wrong(
                at,
                "what is repeated may be nothing",
                "say what is there at least: `(?:a+)*` is `a*`",
            );
        }
        if piece.captures && (often || most == Some(0)) {
            return self.wrong(
                at,
                "a group that is repeated keeps what it had last, or had not",
                "write `(?:…)` inside, and a group around all of it",
            );
        }
        let sign = self.source[at..self.at].to_owned();
        self.out.push_str(&sign);
        if self.eat("?") {
            self.out.push('?');
        }
        Ok(Piece { may_be_empty: piece.may_be_empty || least == 0, ..piece })
    }

    /// `{2}`, `{2,}`, `{2,4}`: how often at least and at most.
    fn counts(&mut self) -> Option<(u32, Option<u32>)> {
        let end = self.source[self.at..].find('}')?;
        let inside = &self.source[self.at + 1..self.at + end];
        let number = |text: &str| {
            let digits =
                !text.is_empty() && text.len() < 8 && text.bytes().all(|b| b.is_ascii_digit());
            digits.then(|| text.parse::<u32>().ok()).flatten()
        };
        let counts = match inside.split_once(',') {
            None => number(inside).map(|n| (n, Some(n)))?,
            Some((least, "")) => (number(least)?, None),
            Some((least, most)) => (number(least)?, Some(number(most)?)),
        };
        self.at += end + 1;
        Some(counts)
    }

    fn class(&mut self, start: usize) -> Read<()> {
        let negated = self.eat("^");
        let mut inside = String::new();
        loop {
            let at = self.at;
            let first = match self.next() {
                None => {
                    return self.wrong(
                        start,
                        "this `[` is never closed",
                        r"close it with `]`; `\[` is the character",
                    );
                }
                Some(']') => break,
                Some(c) => self.class_atom(c, at)?,
            };
            let is_range = self.source[self.at..].starts_with('-')
                && !self.source[self.at..].starts_with("-]");
            let Escaped::One(low) = first else {
                if is_range {
                    return self.wrong(
                        self.at,
                        "a range goes from one character to another",
                        r"`\-` is the character",
                    );
                }
                if let Escaped::Several(class) = first {
                    inside.push_str(&class);
                }
                continue;
            };
            if !is_range {
                write!(inside, "\\x{{{:X}}}", u32::from(low)).unwrap_or_default();
                continue;
            }
            self.at += 1;
            let at = self.at;
            let high = match self.next() {
                None => {
                    return self.wrong(
                        start,
                        "this `[` is never closed",
                        r"close it with `]`; `\[` is the character",
                    );
                }
                Some(c) => self.class_atom(c, at)?,
            };
            match high {
                Escaped::One(high) if low <= high => {
                    write!(inside, "\\x{{{:X}}}-\\x{{{:X}}}", u32::from(low), u32::from(high))
                        .unwrap_or_default();
                }
                _ => {
                    return self.wrong(
                        at,
                        "a range goes from one character to one that is not before it",
                        r"`\-` is the character",
                    );
                }
            }
        }
        match (negated, inside.is_empty()) {
            (false, true) => self.out.push_str(r"[^\x{0}-\x{10FFFF}]"),
            (true, true) => self.out.push_str("(?s:.)"),
            (false, false) => write!(self.out, "[{inside}]").unwrap_or_default(),
            (true, false) => write!(self.out, "[^{inside}]").unwrap_or_default(),
        }
        Ok(())
    }

    fn class_atom(&mut self, c: char, at: usize) -> Read<Escaped> {
        match c {
            '\\' => self.escape(at, true),
            c => Ok(Escaped::One(c)),
        }
    }

    /// What follows a `\`.
    fn escape(&mut self, start: usize, in_class: bool) -> Read<Escaped> {
        let Some(c) = self.next() else {
            return self.wrong(start, r"`\` escapes nothing", r"`\\` is the character");
        };
        let several = |class: &str| Ok(Escaped::Several(class.to_owned()));
        Ok(Escaped::One(match c {
            'd' => return several("0-9"),
            'D' => return several("[^0-9]"),
            'w' => return several(WORD),
            'W' => return several("[^A-Za-z0-9_]"),
            's' => return several(SPACE),
            'S' => return Ok(Escaped::Several(format!("[^{SPACE}]"))),
            'p' | 'P' => return self.property(start, c),
            't' => '\t',
            'n' => '\n',
            'v' => '\u{b}',
            'f' => '\u{c}',
            'r' => '\r',
            'b' if in_class => '\u{8}',
            '0' if !self.peek().is_some_and(|c| c.is_ascii_digit()) => '\0',
            'c' if self.peek().is_some_and(|c| c.is_ascii_alphabetic()) => {
                let letter = self.next().map_or(0, |c| c as u8);
                char::from(letter % 32)
            }
            'x' => self.code(start, 2)?,
            'u' if self.eat("{") => {
                let end = self.source[self.at..].find('}').unwrap_or(0);
                let code = u32::from_str_radix(&self.source[self.at..self.at + end], 16).ok();
                let Some(c) = code.and_then(char::from_u32) else { return self.no_code(start) };
                self.at += end + 1;
                c
            }
            'u' => self.code(start, 4)?,
            '-' if in_class => '-',
            '^' | '$' | '\\' | '.' | '*' | '+' | '?' | '(' | ')' | '[' | ']' | '{' | '}' | '|'
            | '/' => c,
            '1'..='9' | 'k' => {
                let instead = "find the first with a group, and compare the rest with it";
                return self.wrong(
                    start,
                    "what a group has found cannot be looked for again",
                    instead,
                );
            }
            _ => return self.wrong(start, format!("`\\{c}` is no escape"), format!("write `{c}`")),
        }))
    }

    fn no_code<T>(&self, start: usize) -> Read<T> {
        self.wrong(start, "this is no character", r"`\x41`, `\u0041` and `\u{1f600}` are")
    }

    /// The character of a code in so many digits; two halves of a surrogate pair are one.
    fn code(&mut self, start: usize, digits: usize) -> Read<char> {
        let unit = |reader: &mut Self| -> Option<u32> {
            let text = reader.source[reader.at..].get(..digits)?;
            let is_code = text.bytes().all(|b| b.is_ascii_hexdigit());
            let code = is_code.then(|| u32::from_str_radix(text, 16).ok()).flatten()?;
            reader.at += digits;
            Some(code)
        };
        let Some(first) = unit(self) else { return self.no_code(start) };
        if let Some(c) = char::from_u32(first) {
            return Ok(c);
        }
        let second = if self.eat("\\u") { unit(self) } else { None };
        let pair = second
            .and_then(|second| char::decode_utf16([first as u16, second as u16]).next()?.ok());
        match pair {
            Some(c) => Ok(c),
            None => self.no_code(start),
        }
    }

    /// `\p{Letter}`, `\p{Script=Greek}`
    fn property(&mut self, start: usize, letter: char) -> Read<Escaped> {
        let end = self.source[self.at..].strip_prefix('{').and_then(|rest| rest.find('}'));
        let Some(end) = end else {
            return self.wrong(start, "a property stands in braces", r"write `\p{Letter}`");
        };
        let name = self.source[self.at + 1..=self.at + end].to_owned();
        self.at += end + 2;
        if self.ignores_case {
            return self.wrong(
                start,
                "properties and the flag `i` do not go together",
                "write both cases: `[a-zA-Z]`, or leave `i` out",
            );
        }
        let known = PROPERTIES.iter().find(|(long, short)| *long == name || *short == name);
        let known = known.map(|(_, short)| (*short).to_owned()).or_else(|| {
            let script = name.strip_prefix("Script=").or_else(|| name.strip_prefix("sc="))?;
            let plain = script.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
            plain.then(|| format!("Script={script}"))
        });
        let class = known.map(|known| format!("\\{letter}{{{known}}}"));
        match class.filter(|class| Regex::new(class).is_ok()) {
            Some(class) => Ok(Escaped::Several(class)),
            None => self.wrong(start, format!("there is no property `{name}`"), r"general categories are known, such as `\p{Letter}` or `\p{Lu}`, and `\p{Script=Greek}`"),
        }
    }
}

/// What an escape stands for.
enum Escaped {
    One(char),
    /// What stands between the brackets of a class.
    Several(String),
}

/// General categories, by both of their names (Unicode, PropertyValueAliases).
const PROPERTIES: &[(&str, &str)] = &[
    ("Letter", "L"),
    ("Cased_Letter", "LC"),
    ("Uppercase_Letter", "Lu"),
    ("Lowercase_Letter", "Ll"),
    ("Titlecase_Letter", "Lt"),
    ("Modifier_Letter", "Lm"),
    ("Other_Letter", "Lo"),
    ("Mark", "M"),
    ("Nonspacing_Mark", "Mn"),
    ("Number", "N"),
    ("Decimal_Number", "Nd"),
    ("Letter_Number", "Nl"),
    ("Other_Number", "No"),
    ("Punctuation", "P"),
    ("Dash_Punctuation", "Pd"),
    ("Open_Punctuation", "Ps"),
    ("Close_Punctuation", "Pe"),
    ("Symbol", "S"),
    ("Currency_Symbol", "Sc"),
    ("Math_Symbol", "Sm"),
    ("Separator", "Z"),
    ("Space_Separator", "Zs"),
];
