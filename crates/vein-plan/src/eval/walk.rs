//! Members that walk a list with a function.

use super::{Cells, Evaluation, Followed};
use crate::code::{ExprId, Function};
use crate::members::Member;
use crate::text::Text;
use crate::track::{Extent, Origin};
use crate::value::{DEEPEST_VALUE, Name, VALUE_BYTES, Value};
use indexmap::IndexMap;

impl<C: Cells, O: Origin> Evaluation<'_, C, O> {
    /// Calls an arrow function and gives what it gives, unlooked at.
    fn apply<const N: usize>(
        &mut self,
        function: &Function,
        args: [Followed<O>; N],
    ) -> Followed<O> {
        for (param, arg) in function.params.iter().zip(args) {
            self.bind(*param, arg);
        }
        self.follow(function.body)
    }

    pub(super) fn walk(
        &mut self,
        member: Member,
        list: ExprId,
        function: &Function,
        extra: Option<ExprId>,
    ) -> Followed<O> {
        let list = self.follow(list);
        let Value::List(items) = &list.0 else {
            self.look(&list, Extent::Presence);
            return (Value::Null, O::made());
        };
        let items = items.clone();
        if member == Member::ToSorted {
            self.look(&list, Extent::Length);
            return self.sorted(&items, &list.1, Some(function));
        }
        let mut state = Walked::start(member, extra.map(|e| self.follow(e)));
        let backwards = matches!(member, Member::FindLast | Member::FindLastIndex);
        if backwards {
            // Where the last is hangs on how many there are.
            self.look(&list, Extent::Length);
        }
        for step in 0..items.len() {
            let i = if backwards { items.len() - 1 - step } else { step };
            let item = &items[i];
            if !self.cells.spend(1, VALUE_BYTES) {
                return (Value::Null, O::made());
            }
            let place = || (item.clone(), list.1.item(i));
            let position = (Value::Number(i as f64), O::made());
            let given = match state.accumulated.take() {
                Some(so_far) => self.apply(function, [so_far, place(), position]),
                None => self.apply(function, [place(), position]),
            };
            if self.take(member, &mut state, i, place, given) {
                // What comes later was not asked for, but this one has to be there.
                list.1.item(i).look(item, Extent::Position, &mut self.log);
                return state.finish(member);
            }
        }
        // Every item was visited: one more would have been visited too.
        self.look(&list, Extent::Length);
        state.finish(member)
    }

    /// Takes in what the function gave for one item; `true` ends the walk.
    fn take(
        &mut self,
        member: Member,
        state: &mut Walked<O>,
        i: usize,
        item: impl FnOnce() -> Followed<O>,
        given: Followed<O>,
    ) -> bool {
        match member {
            Member::Reduce => {
                // What nests without end is cut: it could not be let go of.
                let deep = i % 64 == 63 && given.0.is_deeper_than(DEEPEST_VALUE);
                state.accumulated = Some(given);
                return deep;
            }
            Member::Map => state.keep(given),
            Member::GroupBy => {
                self.look(&given, Extent::Whole);
                let (item, origin) = item();
                origin.look(&item, Extent::Whole, &mut self.log);
                state.groups.entry(given.0.to_key()).or_default().push(item);
            }
            Member::FlatMap => {
                self.look(&given, Extent::Length);
                if let Value::List(inner) = &given.0 {
                    if !self.makes_items(inner.len()) {
                        return true;
                    }
                    for (j, value) in inner.iter().enumerate() {
                        state.keep((value.clone(), given.1.item(j)));
                    }
                }
            }
            Member::Filter => {
                if self.test(&given) {
                    state.keep(item());
                }
            }
            Member::Every => {
                if !self.test(&given) {
                    state.found = Some((false.into(), O::made()));
                    return true;
                }
            }
            _ => {
                if self.test(&given) {
                    state.found = Some(match member {
                        Member::Find | Member::FindLast => item(),
                        Member::FindIndex | Member::FindLastIndex => ((i as f64).into(), O::made()),
                        _ => (true.into(), O::made()),
                    });
                    return true;
                }
            }
        }
        false
    }

    pub(super) fn sorted(
        &mut self,
        items: &[Value],
        list: &O,
        function: Option<&Function>,
    ) -> Followed<O> {
        let order = self.sorted_order(items, list, function);
        let values = order.iter().map(|i| items[*i].clone()).collect();
        (Value::list(values), O::gathered(order.into_iter().map(|i| list.item(i)).collect()))
    }

    /// The positions of `items` in sorted order: stable, by the comparator or as strings.
    /// A comparator that contradicts itself gives some order, never an error.
    pub fn sorted_order(
        &mut self,
        items: &[Value],
        list: &O,
        function: Option<&Function>,
    ) -> Vec<usize> {
        let texts: Vec<Text> = match function {
            Some(_) => Vec::new(),
            None => {
                if !items.iter().all(|item| self.goes_over(item)) {
                    return (0..items.len()).collect();
                }
                items.iter().map(Value::to_text).collect()
            }
        };
        let mut order: Vec<usize> = (0..items.len()).collect();
        if !self.makes_items(items.len()) {
            return order;
        }
        let mut spare = order.clone();
        let mut width = 1;
        while width < order.len() {
            for start in (0..order.len()).step_by(2 * width) {
                let middle = (start + width).min(order.len());
                let end = (start + 2 * width).min(order.len());
                let (mut left, mut right) = (start, middle);
                if !self.cells.spend((end - start) as u64, 0) {
                    return order;
                }
                for slot in &mut spare[start..end] {
                    let take_right = right < end
                        && (left >= middle || {
                            let (a, b) = (order[left], order[right]);
                            match function {
                                None => texts[a].compare(&texts[b]).is_gt(),
                                Some(function) => {
                                    let pair = [a, b].map(|i| (items[i].clone(), list.item(i)));
                                    let given = self.apply(function, pair);
                                    self.look(&given, Extent::Whole);
                                    given.0.to_number() > 0.0
                                }
                            }
                        });
                    let from = if take_right { &mut right } else { &mut left };
                    *slot = order[*from];
                    *from += 1;
                }
            }
            std::mem::swap(&mut order, &mut spare);
            width *= 2;
        }
        order
    }
}

/// What a walk over a list has gathered so far.
struct Walked<O> {
    values: Vec<Value>,
    origins: Vec<O>,
    accumulated: Option<Followed<O>>,
    found: Option<Followed<O>>,
    groups: IndexMap<Name, Vec<Value>>,
}

impl<O: Origin> Walked<O> {
    fn start(member: Member, extra: Option<Followed<O>>) -> Self {
        let accumulated = if member == Member::Reduce { extra } else { None };
        let (values, origins, groups) = (Vec::new(), Vec::new(), IndexMap::new());
        Walked { values, origins, accumulated, found: None, groups }
    }

    fn keep(&mut self, (value, origin): Followed<O>) {
        self.values.push(value);
        self.origins.push(origin);
    }

    fn finish(self, member: Member) -> Followed<O> {
        let made = |value| (value, O::made());
        match member {
            Member::Filter | Member::Map | Member::FlatMap => {
                (Value::list(self.values), O::gathered(self.origins))
            }
            Member::GroupBy => {
                let groups = self.groups.into_iter();
                made(Value::dictionary(groups.map(|(key, items)| (key, Value::list(items)))))
            }
            Member::Reduce => self.accumulated.unwrap_or_else(|| made(Value::Null)),
            _ => self.found.unwrap_or_else(|| {
                made(match member {
                    Member::FindIndex | Member::FindLastIndex => Value::Number(-1.0),
                    Member::Some => Value::Boolean(false),
                    Member::Every => Value::Boolean(true),
                    _ => Value::Null,
                })
            }),
        }
    }
}
