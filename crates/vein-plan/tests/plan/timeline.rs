//! A value over time: whatever it was, it is found again.

use proptest::prelude::*;
use vein_plan::timeline::Timeline;
use vein_plan::{Name, Value};

fn value() -> impl Strategy<Value = Value> {
    let numbers = prop_oneof![Just(0.0), Just(-0.0), Just(f64::NAN), Just(1.5), 0.0..9.0];
    let simple = prop_oneof![
        Just(Value::Null),
        any::<bool>().prop_map(Value::Boolean),
        numbers.prop_map(Value::Number),
        "[a-c😀]{0,3}".prop_map(Value::from),
    ];
    simple.prop_recursive(4, 40, 5, |inner| {
        let fields = proptest::collection::vec(("[a-d]", inner.clone()), 0..4);
        let entries = proptest::collection::vec(("[a-d1-3]", inner.clone()), 0..6);
        prop_oneof![
            entries.prop_map(|entries| {
                Value::dictionary(entries.into_iter().map(|(key, value)| (Name::from(key), value)))
            }),
            proptest::collection::vec(inner, 0..5).prop_map(Value::list),
            fields.prop_map(|fields| {
                Value::record(fields.into_iter().map(|(name, value)| (Name::from(name), value)))
            }),
        ]
    })
}

/// Something that happens to a value somewhere in it.
fn changed(value: &Value, way: &mut impl Iterator<Item = u8>, other: &Value) -> Value {
    let step = way.next().unwrap_or(0);
    match value {
        Value::List(items) if !items.is_empty() && !step.is_multiple_of(4) => {
            let (mut items, at) = (items.to_vec(), step as usize % items.len());
            match step / 4 % 5 {
                0 => drop(items.remove(at)),
                1 => items.insert(at, other.clone()),
                2 => items.reverse(),
                _ => items[at] = changed(&items[at], way, other),
            }
            Value::list(items)
        }
        Value::Record(record) if record.is_dictionary() && !step.is_multiple_of(4) => {
            let (mut record, key) =
                ((**record).clone(), Name::from(["a", "b", "1", "3"][step as usize % 4]));
            let keys: Vec<Name> = record.iter().map(|(name, _)| name.clone()).collect();
            match (record.get_mut(&key), step / 4 % 3) {
                (None, _) => record.add(key, other.clone()),
                (Some(inside), 0) => *inside = changed(inside, way, other),
                (Some(_), 1) => drop(record.take(&key)),
                // What goes and comes again stands at the end.
                _ => keys.iter().take(2).for_each(|key| {
                    let (_, value) = record.take(key).expect("it is there");
                    record.add(key.clone(), value);
                }),
            }
            Value::Record(record.into())
        }
        Value::Record(record) if !record.is_empty() && !step.is_multiple_of(4) => {
            let mut fields: Vec<(Name, Value)> =
                record.iter().map(|(name, value)| (name.clone(), value.clone())).collect();
            let at = step as usize % fields.len();
            match step / 4 % 5 {
                0 => fields.reverse(),
                1 => drop(fields.remove(at)),
                _ => fields[at].1 = changed(&fields[at].1, way, other),
            }
            Value::record(fields)
        }
        _ => other.clone(),
    }
}

/// Everything that can be told of a value.
fn told(value: &Value) -> String {
    format!("{value:?}")
}

proptest! {
    #[test]
    fn what_a_value_was_is_found_again(
        first in value(),
        changes in proptest::collection::vec((proptest::collection::vec(any::<u8>(), 6), value()), 1..40),
        most in prop_oneof![Just(usize::MAX), 200usize..20_000],
        back in any::<prop::sample::Index>(),
    ) {
        let mut timeline = Timeline::new(most);
        let mut all = vec![first.clone()];
        timeline.push(first);
        for (way, other) in &changes {
            let next = changed(&all[all.len() - 1], &mut way.iter().copied(), other);
            all.push(next.clone());
            timeline.push(next);
            prop_assert_eq!(timeline.range().end, all.len() as u64);
            prop_assert!(timeline.weight() <= most || timeline.range().count() == 1);
        }
        prop_assert!(most != usize::MAX || timeline.range().start == 0);
        for (number, value) in (0..).zip(&all) {
            let found = timeline.at(number).map(|found| told(&found));
            let kept = timeline.range().contains(&number);
            prop_assert_eq!(found, kept.then(|| told(value)), "{}", number);
        }
        // What came later is forgotten, and others come after that.
        let kept: Vec<u64> = timeline.range().collect();
        let then = kept[back.index(kept.len())];
        timeline.truncate(then);
        all.truncate(then as usize + 1);
        for (way, other) in &changes {
            let next = changed(&all[all.len() - 1], &mut way.iter().copied(), other);
            all.push(next.clone());
            timeline.push(next);
        }
        for number in timeline.range() {
            let found = timeline.at(number).map(|found| told(&found));
            prop_assert_eq!(found, Some(told(&all[number as usize])), "{} after {}", number, then);
        }
        prop_assert_eq!(timeline.range().end, all.len() as u64);
    }
}

#[test]
fn a_long_list_takes_what_changes_in_it() {
    let bed = |id: usize| {
        Value::record([
            ("id".into(), Value::Number(id as f64)),
            ("moisture".into(), Value::Number(24.0)),
        ])
    };
    let mut beds: Vec<Value> = (0..1000).map(bed).collect();
    let mut timeline = Timeline::new(64 << 20);
    let whole = {
        timeline.push(Value::list(beds.clone()));
        timeline.weight()
    };
    for n in 0..10_000 {
        beds[n * 7 % 1000] = bed(n + 1000);
        timeline.push(Value::list(beds.clone()));
    }
    assert_eq!(timeline.range(), 0..10_001);
    assert!(timeline.weight() < 64 * whole, "{} of {whole}", timeline.weight());
}
