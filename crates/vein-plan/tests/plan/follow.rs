//! What an evaluation read: only what it looked at, and only as much of it.

use vein_plan::code::{CellId, Expr, Function};
use vein_plan::eval::{Cells, Evaluation};
use vein_plan::members::Member;
use vein_plan::ops::{Binary, Logical, Unary};
use vein_plan::track::Tracked;
use vein_plan::{Name, Plan, Read, Value};

struct State(Vec<Value>);

impl Cells for State {
    fn cell(&mut self, cell: CellId) -> Value {
        self.0[cell as usize].clone()
    }

    fn ask(&mut self, _: u32, _: &[Value]) -> Value {
        Value::Null
    }
}

/// Cell 0 is `beds`, cell 1 a number, cell 2 `null`, cell 3 a flag.
fn reads(exprs: &[Expr]) -> Vec<String> {
    let bed = |id: f64, crop: &str| {
        Value::record([("id".into(), id.into()), ("crop".into(), crop.into())])
    };
    let beds = Value::list(vec![bed(1.0, "leek"), bed(2.0, "kale"), bed(3.0, "pea")]);
    let mut state = State(vec![beds, 1.0.into(), Value::Null, false.into()]);
    let names: Vec<Name> = vec!["id".into(), "crop".into()];
    let mut locals: Vec<(Value, Tracked)> = Vec::new();
    let plan = Plan { exprs: exprs.to_vec(), ..Plan::default() };
    let mut run = Evaluation::new(&plan, &names, &mut state, &mut locals);
    run.value(exprs.len() as u32 - 1);
    let cells = ["beds", "n", "none", "flag"];
    let shown = |read: &Read| {
        let steps: String = read.path.iter().map(|step| step.to_string()).collect();
        format!("{}{steps} {:?}", cells[read.cell as usize], read.extent).to_lowercase()
    };
    run.log.iter().map(|noted| shown(&noted.read(&names))).collect()
}

fn over(member: Member, body: Vec<Expr>) -> Vec<String> {
    let mut exprs = body;
    exprs.push(Expr::Cell(0));
    let (list, body) = (exprs.len() as u32 - 1, exprs.len() as u32 - 2);
    exprs.push(Expr::Walk(member, list, Function { params: vec![0], body }, None));
    reads(&exprs)
}

#[test]
fn fields_and_positions_are_told_apart() {
    let at = |index: f64| {
        reads(&[Expr::Cell(0), Expr::Number(index), Expr::Index(0, 1), Expr::Field(2, 1)])
    };
    assert_eq!(at(1.0), ["beds[1].crop whole"]);
    // Nothing is there yet: the position is what to wait for.
    assert_eq!(at(7.0), ["beds[7] presence"]);
    assert_eq!(
        reads(&[Expr::Cell(0), Expr::Cell(1), Expr::Index(0, 1), Expr::Field(2, 0)]),
        ["n whole", "beds[1].id whole"]
    );
    assert_eq!(
        reads(&[Expr::Cell(0), Expr::Call(Member::ListLength, Some(0), vec![])]),
        ["beds length"]
    );
}

#[test]
fn tests_look_at_presence_and_branches_at_what_is_taken() {
    let choose = [Expr::Cell(0), Expr::Cell(1), Expr::Cell(2), Expr::Choose(0, 1, 2)];
    assert_eq!(reads(&choose), ["beds presence", "n whole"]);
    let and = [Expr::Cell(3), Expr::Cell(1), Expr::Logical(Logical::And, 0, 1)];
    assert_eq!(reads(&and), ["flag whole", "flag whole"]);
    let or_else = [Expr::Cell(2), Expr::Cell(1), Expr::Logical(Logical::Coalesce, 0, 1)];
    assert_eq!(reads(&or_else), ["none presence", "n whole"]);
    let is_null = [Expr::Cell(0), Expr::Null, Expr::Binary(Binary::Equal, 0, 1)];
    assert_eq!(reads(&is_null), ["beds presence"]);
    assert_eq!(reads(&[Expr::Cell(0), Expr::Unary(Unary::Not, 0)]), ["beds presence"]);
    let unless = [Expr::Cell(2), Expr::Local(5), Expr::Field(1, 0), Expr::Unless(0, 5, 2)];
    assert_eq!(reads(&unless), ["none presence"]);
}

#[test]
fn walks_read_what_their_functions_look_at() {
    let id_is = |n: f64| {
        vec![Expr::Local(0), Expr::Field(0, 0), Expr::Number(n), Expr::Binary(Binary::Equal, 1, 2)]
    };
    let ids = ["beds[0].id whole", "beds[1].id whole", "beds[2].id whole"];
    assert_eq!(over(Member::Map, vec![Expr::Local(0), Expr::Field(0, 0)]), {
        let mut reads = vec!["beds length"];
        reads.extend(ids);
        reads
    });
    // Items that are kept are handed on whole; those that are not are only tested.
    assert_eq!(
        over(Member::Filter, id_is(2.0)),
        [ids[0], ids[1], ids[2], "beds length", "beds[1] whole"]
    );
    // A walk that stops has not asked for what comes later, not even for how much.
    assert_eq!(
        over(Member::Find, id_is(2.0)),
        [ids[0], ids[1], "beds[1] position", "beds[1] whole"]
    );
    assert_eq!(over(Member::Some, id_is(1.0)), [ids[0], "beds[0] position"]);
    assert_eq!(over(Member::Every, id_is(1.0)), [ids[0], ids[1], "beds[1] position"]);
    assert_eq!(over(Member::FindIndex, id_is(9.0)), [ids[0], ids[1], ids[2], "beds length"]);
}

#[test]
fn members_read_what_they_look_at_themselves() {
    // A sign looks at its number; a position or a walk of what is not there at whether it is.
    assert_eq!(reads(&[Expr::Cell(1), Expr::Unary(Unary::Negate, 0)]), ["n whole"]);
    assert_eq!(reads(&[Expr::Cell(2), Expr::Number(0.0), Expr::Index(0, 1)]), ["none presence"]);
    let body = || Function { params: vec![0], body: 1 };
    let walk = |list| [list, Expr::Local(0), Expr::Walk(Member::Map, 0, body(), None)];
    assert_eq!(reads(&walk(Expr::Cell(2))), ["none presence"]);
    // From the end it hangs on how many there are, from the beginning it does not.
    let at = |index: f64| {
        let at = Expr::Call(Member::ListAt, Some(0), vec![1]);
        reads(&[Expr::Cell(0), Expr::Number(index), at, Expr::Field(2, 0)])
    };
    assert_eq!(at(0.0), ["beds[0].id whole"]);
    assert_eq!(at(0.9), ["beds[0].id whole"]);
    assert_eq!(at(-1.0), ["beds length", "beds[2].id whole"]);
    // How many there are after a piece was cut out says nothing of what they are.
    let length = Expr::Call(Member::ListLength, Some(2), vec![]);
    let slice = Expr::Call(Member::ListSlice, Some(0), vec![1]);
    assert_eq!(reads(&[Expr::Cell(0), Expr::Number(1.0), slice, length]), ["beds length"]);
    // Sorting as texts looks at everything; by a function at what that looks at, whatever it gives.
    let sorted = reads(&[Expr::Cell(0), Expr::Call(Member::ToSorted, Some(0), vec![])]);
    assert_eq!(sorted[0], "beds whole");
    let by = Function { params: vec![0, 1], body: 2 };
    let length = Expr::Call(Member::ListLength, Some(3), vec![]);
    let sorted = Expr::Walk(Member::ToSorted, 0, by, None);
    let reads = reads(&[Expr::Cell(0), Expr::Local(1), Expr::Field(1, 0), sorted, length]);
    assert_eq!(reads, ["beds length", "beds[1].id whole", "beds[2].id whole"]);
}
