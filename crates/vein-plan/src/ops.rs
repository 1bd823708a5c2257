//! Operators, with the results of ECMA-262.

use crate::text::Text;
use crate::value::Value;
use std::cmp::Ordering;

/// An operator with one operand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unary {
    /// `!x`
    Not,
    /// `-x`
    Negate,
    /// `+x`
    Plus,
}

/// An operator with two operands that are both evaluated.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Binary {
    /// `a + b`: a sum, or a concatenation when one side is a string.
    Add,
    /// `a - b`
    Subtract,
    /// `a * b`
    Multiply,
    /// `a / b`
    Divide,
    /// `a % b`
    Remainder,
    /// `a ** b`
    Power,
    /// `a < b`
    Less,
    /// `a <= b`
    LessOrEqual,
    /// `a > b`
    Greater,
    /// `a >= b`
    GreaterOrEqual,
    /// `a === b`
    Equal,
    /// `a !== b`
    NotEqual,
}

/// An operator that may leave its second operand alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Logical {
    /// `a && b`
    And,
    /// `a || b`
    Or,
    /// `a ?? b`
    Coalesce,
}

impl Unary {
    /// Applies the operator.
    pub fn apply(self, x: &Value) -> Value {
        match self {
            Unary::Not => Value::Boolean(!x.truthy()),
            Unary::Negate => Value::Number(-x.to_number()),
            Unary::Plus => Value::Number(x.to_number()),
        }
    }
}

impl Logical {
    /// Whether the first operand is already the result.
    pub fn decided_by(self, first: &Value) -> bool {
        match self {
            Logical::And => !first.truthy(),
            Logical::Or => first.truthy(),
            Logical::Coalesce => !first.is_null(),
        }
    }
}

impl Binary {
    /// Applies the operator.
    ///
    /// ```
    /// use vein_plan::{ops::Binary, Value};
    /// let sum = Binary::Add.apply(&Value::from("l: "), &Value::from(2.5));
    /// assert!(sum.same(&Value::from("l: 2.5")));
    /// ```
    pub fn apply(self, a: &Value, b: &Value) -> Value {
        let numbers = |f: fn(f64, f64) -> f64| Value::Number(f(a.to_number(), b.to_number()));
        let ordered =
            |wanted: fn(Ordering) -> bool| Value::Boolean(order(a, b).is_some_and(wanted));
        match self {
            Binary::Add => add(a, b),
            Binary::Subtract => numbers(|a, b| a - b),
            Binary::Multiply => numbers(|a, b| a * b),
            Binary::Divide => numbers(|a, b| a / b),
            Binary::Remainder => numbers(|a, b| a % b),
            Binary::Power => numbers(power),
            Binary::Less => ordered(Ordering::is_lt),
            Binary::LessOrEqual => ordered(Ordering::is_le),
            Binary::Greater => ordered(Ordering::is_gt),
            Binary::GreaterOrEqual => ordered(Ordering::is_ge),
            Binary::Equal => Value::Boolean(a.strictly_equals(b)),
            Binary::NotEqual => Value::Boolean(!a.strictly_equals(b)),
        }
    }
}

fn add(a: &Value, b: &Value) -> Value {
    let is_text = |v: &Value| matches!(v, Value::String(_) | Value::List(_) | Value::Record(_));
    if is_text(a) || is_text(b) {
        Value::String(Text::concat([&a.to_text(), &b.to_text()]))
    } else {
        Value::Number(a.to_number() + b.to_number())
    }
}

/// `None` where a comparison is false whichever way it is asked, as with `NaN`.
fn order(a: &Value, b: &Value) -> Option<Ordering> {
    match (a, b) {
        (Value::String(a), Value::String(b)) => Some(a.compare(b)),
        _ => a.to_number().partial_cmp(&b.to_number()),
    }
}

/// `Number::exponentiate`, which differs from IEEE `pow` where the base is one.
pub(crate) fn power(base: f64, exponent: f64) -> f64 {
    if exponent.is_nan() || (base.abs() == 1.0 && exponent.is_infinite()) {
        f64::NAN
    } else {
        base.powf(exponent)
    }
}
