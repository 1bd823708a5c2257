//! What a page holds, as a value that can be written down.

use super::{
    Addressed, Carried, CarriedControl, CarriedInstance, CarriedSource, CarriedTimer, Going,
};
use vein_plan::{Name, Text, Value};

impl Carried {
    /// What of it can be written down, as a value: all but what only the same process can go on with.
    pub fn to_value(&self) -> Value {
        let text = |text: &str| Value::from(text);
        let named = |name: &str, value: Value| (Name::from(name), value);
        let addressed = |one: &Addressed| {
            Value::list(vec![text(&one.address), Value::Number(one.before as f64)])
        };
        let control = |control: &CarriedControl| {
            let CarriedControl { part, held, invalid } = control;
            Value::list(vec![addressed(part), text(held), Value::Boolean(*invalid)])
        };
        let instance = |one: &CarriedInstance| {
            let pair = |(name, value): &(Name, Value)| Value::list(vec![text(name), plain(value)]);
            let source = |source: &CarriedSource| {
                Value::list(vec![
                    text(&source.name),
                    text(&source.function),
                    plain(&source.args),
                    Value::Boolean(source.open),
                ])
            };
            let timer = |timer: &CarriedTimer| {
                let CarriedTimer { address, due, period, order } = timer;
                let order = Value::Number(*order as f64);
                Value::list(vec![text(address), Value::Number(*due), Value::Number(*period), order])
            };
            Value::record([
                named("address", text(&one.address)),
                named("component", text(&one.component)),
                named("store", Value::Boolean(one.is_store)),
                named("added", Value::Number(one.added as f64)),
                named("values", Value::list(one.values.iter().map(pair).collect())),
                named("sources", Value::list(one.sources.iter().map(source).collect())),
                named("timers", Value::list(one.timers.iter().map(timer).collect())),
            ])
        };
        Value::record([
            named("now", Value::Number(self.now)),
            named("date", Value::Number(self.date)),
            named("chance", Value::Number(f64::from(self.chance))),
            named("pulses", Value::Number(self.pulses as f64)),
            named("instances", Value::list(self.instances.iter().map(instance).collect())),
            named("spent", Value::list(self.spent.iter().map(addressed).collect())),
            named(
                "order",
                Value::list(self.order.iter().map(|n| Value::Number(f64::from(*n))).collect()),
            ),
            named("controls", Value::list(self.controls.iter().map(control).collect())),
        ])
    }

    /// Reads what [`Carried::to_value`] gave; `None` where it is nothing of that kind.
    pub fn from_value(value: &Value) -> Option<Carried> {
        let field = |value: &Value, name: &str| -> Option<Value> {
            let Value::Record(record) = value else { return None };
            record.get(name).cloned()
        };
        let list = |value: Value| -> Option<Vec<Value>> {
            let Value::List(items) = value else { return None };
            Some(items.to_vec())
        };
        let text = |value: &Value| -> Option<String> {
            let Value::String(text) = value else { return None };
            Some(text.to_string())
        };
        let number = |value: &Value| -> Option<f64> {
            let Value::Number(number) = value else { return None };
            number.is_finite().then_some(*number)
        };
        let flag = |value: &Value| -> Option<bool> {
            let Value::Boolean(flag) = value else { return None };
            Some(*flag)
        };
        let addressed = |value: &Value| match &*list(value.clone())? {
            [address, before] => {
                Some(Addressed { address: text(address)?, before: number(before)? as usize })
            }
            _ => None,
        };
        let instance = |one: Value| -> Option<CarriedInstance> {
            let values =
                list(field(&one, "values")?)?.into_iter().map(|pair| match &*list(pair)? {
                    [name, value] => Some((Name::from(text(name)?), meant(value))),
                    _ => None,
                });
            let sources = list(field(&one, "sources")?)?.into_iter().map(|it| match &*list(it)? {
                [name, function, args, open] => Some(CarriedSource {
                    name: text(name)?.into(),
                    function: text(function)?,
                    args: meant(args),
                    open: flag(open)?,
                    question: None,
                }),
                _ => None,
            });
            let timers = list(field(&one, "timers")?)?.into_iter().map(|it| match &*list(it)? {
                [address, due, period, order] => Some(CarriedTimer {
                    address: text(address)?.into(),
                    due: number(due)?,
                    period: number(period)?,
                    order: number(order)? as u64,
                }),
                _ => None,
            });
            Some(CarriedInstance {
                address: text(&field(&one, "address")?)?,
                component: text(&field(&one, "component")?)?.into(),
                is_store: flag(&field(&one, "store")?)?,
                added: number(&field(&one, "added")?)? as usize,
                values: values.collect::<Option<_>>()?,
                sources: sources.collect::<Option<_>>()?,
                timers: timers.collect::<Option<_>>()?,
            })
        };
        let instances = list(field(value, "instances")?)?.into_iter().map(instance);
        let spent = list(field(value, "spent")?)?;
        let controls = list(field(value, "controls")?)?.into_iter().map(|it| match &*list(it)? {
            [part, held, invalid] => Some(CarriedControl {
                part: addressed(part)?,
                held: text(held)?,
                invalid: flag(invalid)?,
            }),
            _ => None,
        });
        Some(Carried {
            now: number(&field(value, "now")?)?.max(0.0),
            date: number(&field(value, "date")?)?,
            chance: number(&field(value, "chance")?)? as u32,
            pulses: number(&field(value, "pulses")?)?.max(0.0) as u64,
            instances: instances.collect::<Option<_>>()?,
            spent: spent.iter().map(addressed).collect::<Option<_>>()?,
            controls: controls.collect::<Option<_>>()?,
            order: list(field(value, "order")?)?
                .iter()
                .map(|one| number(one).map(|n| n as u32))
                .collect::<Option<_>>()?,
            going: Going::default(),
        })
    }
}

/// A value with what JSON cannot say of numbers said by records of a field without a name.
fn plain(value: &Value) -> Value {
    match value {
        Value::Number(n) if !n.is_finite() || (*n == 0.0 && n.is_sign_negative()) => {
            let said = if *n == 0.0 { Text::from("-0") } else { value.to_text() };
            Value::record([(Name::from(""), Value::String(said))])
        }
        Value::List(items) => Value::list(items.iter().map(plain).collect()),
        Value::Record(record) => {
            Value::record(record.iter().map(|(name, value)| (name.clone(), plain(value))))
        }
        other => other.clone(),
    }
}

/// The value that [`plain`] says.
fn meant(value: &Value) -> Value {
    match value {
        Value::List(items) => Value::list(items.iter().map(meant).collect()),
        Value::Record(record) => match record.get("").filter(|_| record.len() == 1) {
            Some(said) => Value::Number(said.to_number()),
            None => Value::record(record.iter().map(|(name, value)| (name.clone(), meant(value)))),
        },
        other => other.clone(),
    }
}
