//! Pieces of ECMAScript with how tightly they bind, so that brackets stand where they have to and nowhere else.

use vein_plan::{Text, Value, number};

/// How tightly the outermost operator of an expression binds (ECMA-262, 13), from loose to tight.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Level {
    /// An assignment or an arrow function.
    Assignment,
    /// `? :`
    Conditional,
    /// `??`, which does not mix with `||` and `&&`.
    Coalesce,
    /// `||`
    Or,
    /// `&&`
    And,
    /// `===`, `!==`
    Equality,
    /// `<` and its like.
    Relational,
    /// `+`, `-`
    Additive,
    /// `*`, `/`, `%`
    Multiplicative,
    /// `**`
    Power,
    /// `!x`, `-x`, `+x`
    Unary,
    /// A call, a member, a literal, a name.
    Tight,
}

/// An expression of ECMAScript.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Code {
    /// Its text.
    pub text: String,
    /// How tightly it binds.
    pub level: Level,
}

impl Code {
    /// An expression that needs no brackets anywhere.
    pub fn tight(text: impl Into<String>) -> Code {
        Code { text: text.into(), level: Level::Tight }
    }

    /// Its text for a place where it has to bind at least so tightly.
    ///
    /// ```
    /// use vein_script::code::{Code, Level};
    /// let sum = Code { text: "a + b".into(), level: Level::Additive };
    /// assert_eq!(sum.within(Level::Additive), "a + b");
    /// assert_eq!(sum.within(Level::Multiplicative), "(a + b)");
    /// ```
    pub fn within(&self, level: Level) -> String {
        if self.level < level { format!("({})", self.text) } else { self.text.clone() }
    }

    /// Its text as an argument, an item or a whole.
    pub fn alone(&self) -> String {
        self.within(Level::Assignment)
    }

    /// Its text in front of `.name`, `[index]` or `(arguments)`.
    pub fn receiver(&self) -> String {
        // The point after digits is taken as theirs.
        let digits = self.text.starts_with(|c: char| c.is_ascii_digit());
        if digits { format!("({})", self.text) } else { self.within(Level::Tight) }
    }

    /// Its text as the body of an arrow function, where a brace would begin statements.
    pub fn body(&self) -> String {
        if self.text.starts_with('{') { format!("({})", self.text) } else { self.alone() }
    }
}

/// A number as a literal.
///
/// ```
/// use vein_script::code::number;
/// assert_eq!(number(-0.0).text, "-0");
/// assert_eq!(number(1e21).text, "1e+21");
/// ```
pub fn number(n: f64) -> Code {
    let text = number::to_text(n).to_string();
    match n {
        _ if n.is_nan() => Code::tight("NaN"),
        _ if n == 0.0 && n.is_sign_negative() => Code { text: "-0".into(), level: Level::Unary },
        _ if n < 0.0 => Code { text, level: Level::Unary },
        _ => Code::tight(text),
    }
}

/// A string as a literal; halves of surrogate pairs are written as escapes.
///
/// ```
/// use vein_script::code::string;
/// assert_eq!(string(&"it's\n".into()).text, "\"it's\\n\"");
/// ```
pub fn string(text: &Text) -> Code {
    let quoted = vein_plan::json::stringify(&Value::from(text.clone())).to_string();
    // JSON's strings are ECMAScript's, but for nothing since ECMA-262 of 2019.
    Code::tight(quoted)
}

/// Text inside a template literal.
pub fn in_template(text: &Text) -> String {
    let quoted = string(text).text;
    let inside = &quoted[1..quoted.len() - 1];
    inside.replace("\\\"", "\"").replace('`', "\\`").replace("${", "\\${")
}

/// A field of an object literal. In one, `__proto__` alone means something else than a field.
///
/// ```
/// use vein_script::code::field;
/// assert_eq!(field("id", "n + 1"), "id: n + 1");
/// assert_eq!(field("id", "id"), "id");
/// assert_eq!(field("__proto__", "1"), "[\"__proto__\"]: 1");
/// ```
pub fn field(name: &str, value: &str) -> String {
    match name {
        "__proto__" => format!("[\"{name}\"]: {value}"),
        name if name == value => name.to_owned(),
        name => format!("{}: {value}", key(name)),
    }
}

fn is_plain(name: &str) -> bool {
    let begins = |c: char| c.is_ascii_alphabetic() || c == '_' || c == '$';
    name.starts_with(begins) && name.chars().all(|c| begins(c) || c.is_ascii_digit())
}

fn key(name: &str) -> String {
    if is_plain(name) { name.to_owned() } else { string(&name.into()).text }
}

/// What stands behind an object for one of its properties: `.name`, or `["another name"]`.
pub fn member(name: &str) -> String {
    if is_plain(name) { format!(".{name}") } else { format!("[{}]", key(name)) }
}
