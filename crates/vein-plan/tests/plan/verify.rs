//! A plan that contradicts itself is refused, also when its checksum holds.

use vein_plan::code::{Expr, Place, Stmt};
use vein_plan::members::Member;
use vein_plan::ops::Binary;
use vein_plan::{
    Block, Cell, CellKind, Commit, Conversion, Event, Extent, Given, Handler, Heard, Listener,
    ListenerOptions, LoadError, Location, Next, Part, PartKind, Plan, PlanRead, Program, ReadStep,
    Reads, Shape, Spot, SpotKind, TemplateNode, Type, Use,
};

/// A sound program with a little of everything.
fn sound() -> Program {
    let listener = Listener {
        mark: 0,
        event: "click".into(),
        options: ListenerOptions::default(),
        fields: vec![],
        locals: 1,
        body: vec![2],
        commit: None,
        address: "p click".into(),
        location: Default::default(),
    };
    let part = Part {
        mark: 1,
        kind: PartKind::Text,
        value: 1,
        reads: Reads::Fixed(vec![PlanRead { cell: 1, path: vec![], extent: Extent::Whole }]),
        control: None,
        address: "p text".into(),
        location: Default::default(),
    };
    let open = TemplateNode::Open {
        namespace: Default::default(),
        name: "p".into(),
        attributes: vec![],
        marked: true,
    };
    let cell = |name: &str, kind| Cell {
        name: name.into(),
        ty: 0,
        kind,
        block: 0,
        location: Location::default(),
    };
    let spot = |next, kind| Spot {
        parent: Some(0),
        next,
        kind,
        address: "p list".into(),
        location: Default::default(),
    };
    let list = spot(Next::Spot(1), SpotKind::List { cell: 0, path: vec![0], by: None, block: 1 });
    let nested = spot(
        Next::Node(1),
        SpotKind::Component(Use { plan: 0, props: vec![], events: vec![], contents: vec![] }),
    );
    let read = PlanRead { cell: 0, path: vec![ReadStep::Field(0)], extent: Extent::Whole };
    let plan = Plan {
        name: "a-b".into(),
        cells: vec![
            cell("n", CellKind::State(3)),
            cell("twice", CellKind::Derived(2, Reads::Fixed(vec![read]))),
        ],
        events: vec![Event { name: "done".into(), payload: vec![("n".into(), 0)] }],
        handlers: vec![Handler {
            name: "go".into(),
            params: vec![],
            locals: 2,
            body: vec![1],
            location: Location::default(),
        }],
        blocks: vec![
            Block {
                template: vec![open, TemplateNode::TextPart, TemplateNode::Close],
                parts: vec![part],
                listeners: vec![listener],
                spots: vec![list, nested],
                ..Block::default()
            },
            Block { parent: Some(0), ..Block::default() },
        ],
        style: "".into(),
        exprs: vec![
            Expr::Cell(0),
            Expr::Cell(1),
            Expr::Binary(Binary::Add, 0, 0),
            Expr::Number(1.0),
        ],
        stmts: vec![
            Stmt::Set(Place { cell: 0, steps: vec![] }, 3),
            Stmt::If(3, vec![0], vec![]),
            Stmt::Call(0, vec![]),
        ],
        ..Plan::default()
    };
    Program {
        names: vec!["field".into()],
        types: vec![Type::Number, Type::List(0)],
        shapes: vec![Shape { name: "Bed".into(), fields: vec![(0, 1)] }],
        plans: vec![plan],
    }
}

#[test]
fn a_sound_program_is_read_as_it_was_written() {
    assert_eq!(Program::from_bytes(&sound().to_bytes()), Ok(sound()));
}

fn used(program: &mut Program) -> &mut Use {
    match &mut program.plans[0].blocks[0].spots[1].kind {
        SpotKind::Component(used) => used,
        other => panic!("{other:?}"),
    }
}

/// What is broken, how, and what the refusal says.
type Break = (&'static str, fn(&mut Program));

/// An expression for the item of the loop, whose cell is seen only in the loop's block.
fn inner_value(p: &mut Program) -> u32 {
    p.plans[0].cells.push(Cell {
        name: "item".into(),
        ty: 0,
        kind: CellKind::Item,
        block: 1,
        location: Location::default(),
    });
    p.plans[0].exprs.push(Expr::Cell(2));
    p.plans[0].exprs.len() as u32 - 1
}

#[test]
fn every_way_out_of_a_table_is_found() {
    let breaks: &[Break] = &[
        ("an unknown expression", |p| p.plans[0].blocks[0].parts[0].value = 9),
        ("expression 0 before its parts", |p| p.plans[0].exprs[0] = Expr::Field(0, 0)),
        ("expression 0 before its parts", |p| p.plans[0].exprs[0] = Expr::Field(3, 0)),
        ("an unknown cell", |p| p.plans[0].exprs[1] = Expr::Cell(2)),
        ("an unknown name", |p| p.plans[0].exprs[1] = Expr::Field(0, 1)),
        ("a local beyond the limit", |p| p.plans[0].exprs[1] = Expr::Local(1 << 20)),
        ("without a function", |p| p.plans[0].exprs[1] = Expr::Call(Member::Map, Some(0), vec![])),
        ("an unknown type", |p| p.plans[0].cells[0].ty = 2),
        ("a type before its parts", |p| p.types[0] = Type::List(0)),
        ("a field outside its table", |p| p.shapes[0].fields[0].0 = 1),
        ("a field outside its table", |p| p.shapes[0].fields[0].1 = 5),
        ("an unknown shape", |p| p.types[1] = Type::Shape(1)),
        ("a value that reads itself", |p| p.plans[0].exprs[0] = Expr::Cell(1)),
        ("a value that reads itself", |p| p.plans[0].cells[0].kind = CellKind::State(0)),
        ("reads what comes after it", |p| {
            let read = PlanRead { cell: 1, path: vec![], extent: Extent::Whole };
            p.plans[0].cells[1].kind = CellKind::Derived(2, Reads::Followed(vec![read]));
        }),
        ("a write to no state", |p| {
            p.plans[0].stmts[0] = Stmt::Set(Place { cell: 1, steps: vec![] }, 3);
        }),
        ("statement 0 before its parts", |p| p.plans[0].stmts[0] = Stmt::For(0, 0, vec![0])),
        ("an unknown statement", |p| p.plans[0].handlers[0].body = vec![7]),
        ("a value that is not seen from there", |p| {
            let item = inner_value(p);
            p.plans[0].blocks[0].parts[0].value = item;
        }),
        ("a value that is not seen from there", |p| {
            let item = inner_value(p);
            p.plans[0].stmts[0] = Stmt::Let(0, item);
        }),
        ("a value that is not seen from there", |p| {
            inner_value(p);
            let read = PlanRead { cell: 2, path: vec![], extent: Extent::Whole };
            p.plans[0].blocks[0].parts[0].reads = Reads::Fixed(vec![read]);
        }),
        ("a use of values of two blocks", |p| {
            let item = inner_value(p);
            let second = Block { parent: Some(0), ..p.plans[0].blocks[1].clone() };
            p.plans[0].blocks.push(second);
            let other = Cell { block: 2, ..p.plans[0].cells[2].clone() };
            p.plans[0].cells.push(other);
            p.plans[0].exprs.push(Expr::Cell(3));
            p.plans[0].exprs.push(Expr::Binary(Binary::Add, item, item + 1));
        }),
        ("an unknown handler", |p| p.plans[0].stmts[2] = Stmt::Call(1, vec![])),
        ("an unknown event", |p| p.plans[0].stmts[2] = Stmt::Give(1, vec![])),
        ("a local outside its handler", |p| p.plans[0].stmts[0] = Stmt::Let(2, 3)),
        ("fewer locals than parameters", |p| {
            p.plans[0].handlers[0].params = vec![("a".into(), 0), ("b".into(), 0), ("c".into(), 0)];
        }),
        ("more locals than the limit", |p| p.plans[0].handlers[0].locals = u32::MAX),
        ("a listener without its event", |p| p.plans[0].blocks[0].listeners[0].locals = 0),
        ("part `p text` on no such node", |p| p.plans[0].blocks[0].parts[0].mark = 0),
        ("listener `p click` on no such element", |p| p.plans[0].blocks[0].listeners[0].mark = 1),
        ("an element left open", |p| p.plans[0].blocks[0].template.truncate(2)),
        ("an element closed twice", |p| p.plans[0].blocks[0].template.push(TemplateNode::Close)),
        ("no markup", |p| p.plans[0].blocks.clear()),
        ("a block that is written nowhere", |p| p.plans[0].blocks[1].parent = Some(1)),
        ("a block that is written nowhere", |p| p.plans[0].blocks[1].parent = None),
        ("an unknown block", |p| p.plans[0].cells[0].block = 2),
        ("a variable outside its block", |p| p.plans[0].cells[0].kind = CellKind::Item),
        ("state inside the markup", |p| p.plans[0].cells[0].block = 1),
        ("a spot in no element", |p| p.plans[0].blocks[0].spots[0].parent = Some(1)),
        ("a spot before nothing", |p| p.plans[0].blocks[0].spots[1].next = Next::Spot(0)),
        ("a spot before nothing", |p| p.plans[0].blocks[0].spots[0].next = Next::Spot(0)),
        ("a spot before nothing", |p| p.plans[0].blocks[0].spots[0].next = Next::Node(2)),
        // The node is there, but it does not stand in the spot's element.
        ("a spot before nothing", |p| p.plans[0].blocks[0].spots[1].next = Next::Node(0)),
        ("a spot before nothing", |p| p.plans[0].blocks[0].spots[1].parent = None),
        ("a node at the top without a number", |p| {
            let text = TemplateNode::Text { text: "a".into(), marked: false };
            p.plans[0].blocks[0].template.push(text);
        }),
        ("an unknown block", |p| {
            let kind = SpotKind::List { cell: 0, path: vec![], by: None, block: 9 };
            p.plans[0].blocks[0].spots[0].kind = kind;
        }),
        ("a block that was written elsewhere", |p| {
            let kind = SpotKind::List { cell: 0, path: vec![], by: None, block: 0 };
            p.plans[0].blocks[0].spots[0].kind = kind;
        }),
        ("no such component", |p| used(p).plan = 1),
        ("a value for no prop", |p| used(p).props.push((0, Given::Once(3)))),
        ("no such event", |p| {
            used(p).events.push(Heard {
                event: 1,
                locals: 1,
                body: vec![],
                address: "a-b done".into(),
                location: Default::default(),
            });
        }),
        ("a two-way binding without its part", |p| {
            let place = Place { cell: 0, steps: vec![] };
            let commit = Commit { place, from: Conversion::Number, part: 1 };
            p.plans[0].blocks[0].listeners[0].commit = Some(commit);
        }),
        ("an unknown expression", |p| {
            p.plans[0].blocks[0].parts[0].control = Some(Conversion::Picked(9));
        }),
        ("a name for no element", |p| {
            let kind = SpotKind::Renamed { name: 3, reads: Reads::Fixed(vec![]), block: 1 };
            p.plans[0].blocks[0].spots[0].kind = kind;
        }),
        ("nested too deeply", |p| {
            let exprs = &mut p.plans[0].exprs;
            (0..2000).for_each(|_| exprs.push(Expr::Field(exprs.len() as u32 - 1, 0)));
        }),
    ];
    for (problem, break_it) in breaks {
        let mut program = sound();
        break_it(&mut program);
        match Program::from_bytes(&program.to_bytes()) {
            Err(LoadError::Flawed(flaw)) => {
                assert!(flaw.to_string().contains(problem), "{flaw}, expected {problem}");
            }
            other => panic!("{problem}: {other:?}"),
        }
    }
}
