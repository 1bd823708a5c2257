//! How the tables of a program are written as bytes.
//!
//! Numbers, texts and doubles are as in the module `bytes`. A text of the language is a byte of 0 and
//! its text, or a byte of 1 and its code units, where it holds half of a surrogate pair. A list is its
//! length and its items; what may be missing is a byte of 0, or of 1 and what is there. A record is
//! its fields in their order, a choice is the byte that the tables below give it and what it holds.

use crate::bytes::{Bytes, write_number, write_text, write_units};
use crate::code::*;
use crate::life::{Answers, Asked, Hook, Source, When};
use crate::members::{MEMBERS, Member};
use crate::ops::{Binary, Logical, Unary};
use crate::program::*;
use crate::text::Text;
use crate::track::Extent;
use crate::value::Name;

/// What can be written as bytes and read from them; `None` from bytes that it was not written as.
pub(crate) trait Stored: Sized {
    fn write(&self, out: &mut Vec<u8>);
    fn read(from: &mut Bytes) -> Option<Self>;
}

impl Stored for u32 {
    fn write(&self, out: &mut Vec<u8>) {
        write_number(*self, out);
    }

    fn read(from: &mut Bytes) -> Option<Self> {
        from.number()
    }
}

impl Stored for bool {
    fn write(&self, out: &mut Vec<u8>) {
        out.push(u8::from(*self));
    }

    fn read(from: &mut Bytes) -> Option<Self> {
        from.flag()
    }
}

impl Stored for f64 {
    fn write(&self, out: &mut Vec<u8>) {
        out.extend_from_slice(&self.to_le_bytes());
    }

    fn read(from: &mut Bytes) -> Option<Self> {
        from.double()
    }
}

impl Stored for Name {
    fn write(&self, out: &mut Vec<u8>) {
        write_text(self, out);
    }

    fn read(from: &mut Bytes) -> Option<Self> {
        from.text().map(Name::from)
    }
}

impl Stored for Text {
    fn write(&self, out: &mut Vec<u8>) {
        self.as_str().is_none().write(out);
        match self.as_str() {
            Some(text) => write_text(text, out),
            None => write_units(&self.units(), out),
        }
    }

    fn read(from: &mut Bytes) -> Option<Self> {
        match from.flag()? {
            false => from.text().map(Text::from),
            true => from.units().map(Text::from_units),
        }
    }
}

impl<T: Stored> Stored for Vec<T> {
    fn write(&self, out: &mut Vec<u8>) {
        (self.len() as u32).write(out);
        self.iter().for_each(|item| item.write(out));
    }

    fn read(from: &mut Bytes) -> Option<Self> {
        let len = u32::read(from)? as usize;
        // A length that was made up sets nothing aside: each item takes a byte at least.
        let mut items = Vec::with_capacity(len.min(from.0.len()));
        for _ in 0..len {
            items.push(T::read(from)?);
        }
        Some(items)
    }
}

impl<T: Stored> Stored for Option<T> {
    fn write(&self, out: &mut Vec<u8>) {
        self.is_some().write(out);
        self.iter().for_each(|item| item.write(out));
    }

    fn read(from: &mut Bytes) -> Option<Self> {
        if bool::read(from)? { T::read(from).map(Some) } else { Some(None) }
    }
}

impl<A: Stored, B: Stored> Stored for (A, B) {
    fn write(&self, out: &mut Vec<u8>) {
        self.0.write(out);
        self.1.write(out);
    }

    fn read(from: &mut Bytes) -> Option<Self> {
        Some((A::read(from)?, B::read(from)?))
    }
}

impl Stored for Box<Conversion> {
    fn write(&self, out: &mut Vec<u8>) {
        Conversion::write(self, out);
    }

    /// Lists of lists are nothing that a control holds; bytes that say so go no deeper.
    fn read(from: &mut Bytes) -> Option<Self> {
        let many = from.0.first() == Some(&MANY);
        if many { None } else { Conversion::read(from).map(Box::new) }
    }
}

const MANY: u8 = 9;

impl Stored for EventField {
    fn write(&self, out: &mut Vec<u8>) {
        out.push(*self as u8);
    }

    fn read(from: &mut Bytes) -> Option<Self> {
        EventField::ALL.get(usize::from(from.byte()?)).copied()
    }
}

impl Stored for Member {
    fn write(&self, out: &mut Vec<u8>) {
        out.push(*self as u8);
    }

    fn read(from: &mut Bytes) -> Option<Self> {
        MEMBERS.get(usize::from(from.byte()?)).map(|info| info.member)
    }
}

macro_rules! records {
    ($($record:ident { $($field:ident),* $(,)? })*) => {$(
        impl Stored for $record {
            fn write(&self, out: &mut Vec<u8>) {
                let $record { $($field),* } = self;
                $($field.write(out);)*
            }

            fn read(from: &mut Bytes) -> Option<Self> {
                Some($record { $($field: Stored::read(from)?),* })
            }
        }
    )*};
}

macro_rules! choices {
    ($($choice:ident {
        $($byte:literal $case:ident $(($($item:ident),*))? $({ $($field:ident),* })?),* $(,)?
    })*) => {$(
        impl Stored for $choice {
            fn write(&self, out: &mut Vec<u8>) {
                match self {
                    $($choice::$case $(($($item),*))? $({ $($field),* })? => {
                        out.push($byte);
                        $($($item.write(out);)*)?
                        $($($field.write(out);)*)?
                    })*
                }
            }

            fn read(from: &mut Bytes) -> Option<Self> {
                Some(match from.byte()? {
                    $($byte => $choice::$case
                        $(($(choices!(@next $item from)),*))?
                        $({ $($field: Stored::read(from)?),* })?,)*
                    _ => return None,
                })
            }
        }
    )*};
    (@next $item:ident $from:ident) => { Stored::read($from)? };
}

records! {
    Program { names, types, shapes, plans }
    Shape { name, fields }
    Plan {
        name, cells, events, functions, handlers, blocks, exprs, stmts, written, store, asked, sources, hooks,
        style,
    }
    Cell { name, ty, kind, block, location }
    Block { parent, called, template, parts, listeners, spots, location }
    Spot { parent, next, kind, address, location }
    Use { plan, props, events, contents }
    Heard { event, locals, body, address, location }
    PlanRead { cell, path, extent }
    Event { name, payload }
    OwnFunction { name, params, result, locals, body, levels, location }
    Handler { name, params, locals, body, location }
    Location { line, column }
    Part { mark, kind, value, reads, control, address, location }
    Commit { place, from, part }
    Listener { mark, event, options, fields, locals, body, commit, address, location }
    ListenerOptions { prevent, stop, once, own, key, quiet }
    Function { params, body }
    Place { cell, steps }
    Asked { name, answers, params, result }
    Source { asked, args, reads, value, status, reason, location }
    Hook { when, locals, body, address, location }
}

choices! {
    Type {
        0 Null, 1 String, 2 Number, 3 Boolean, 4 Literals(a), 5 List(a), 6 Optional(a),
        7 Record(a), 8 Shape(a), 9 Dictionary(a), 10 Entry(a),
    }
    CellKind {
        0 Prop(a), 1 Shared(a), 2 State(a), 3 Derived(a, b), 4 Item, 5 Position, 6 Handed,
        7 Store(a, b),
    }
    Next { 0 End, 1 Node(a), 2 Spot(a) }
    SpotKind {
        0 Branch { choice, reads, alternatives }, 1 List { cell, path, by, block },
        2 Component(a), 3 Slot { name, values, fallback }, 4 Renamed { name, reads, block },
        5 Markup { value, reads },
    }
    Given { 0 Path { cell, path }, 1 Value(a, b), 2 Once(a) }
    Reads { 0 Fixed(a), 1 Followed(a) }
    ReadStep { 0 Field(a), 1 AnyItem }
    TemplateNode {
        0 Open { namespace, name, attributes, marked }, 1 Text { text, marked }, 2 TextPart,
        3 Close,
    }
    Namespace { 0 Html, 1 Svg, 2 MathMl }
    PartKind { 0 Text, 1 Attribute(a, b), 2 Property(a) }
    Form { 0 Text, 1 Presence, 2 Words, 3 Url, 4 Tokens, 5 Declarations }
    Conversion {
        0 Text, 1 TextOrNull, 2 Number, 3 NumberOrNull, 4 Word(a), 5 WordOrNull(a), 6 Flag,
        7 Picked(a), 8 Member(a), 9 Many(a),
    }
    Property { 0 Value, 1 Checked, 2 Selected, 3 Muted, 4 Open, 5 Chosen }
    Expr {
        0 Null, 1 Boolean(a), 2 Number(a), 3 String(a), 4 Cell(a), 5 Local(a), 6 Field(a, b),
        7 Index(a, b), 8 Unary(a, b), 9 Binary(a, b, c), 10 Logical(a, b, c), 11 Choose(a, b, c),
        12 Unless(a, b, c), 13 Concat(a), 14 List(a), 15 Record(a), 16 Call(a, b, c),
        17 Walk(a, b, c, d), 18 Ask(a, b), 19 With(a, b, c), 20 Apply(a, b),
        21 Dictionary(a),
    }
    Piece { 0 Static(a), 1 Value(a), 2 Shown(a) }
    Item { 0 One(a), 1 Spread(a) }
    Field { 0 One(a, b), 1 Spread(a) }
    Entry { 0 One(a, b), 1 Spread(a) }
    PlaceStep { 0 Field(a), 1 Index(a) }
    Stmt {
        0 Let(a, b), 1 Set(a, b), 2 Edit(a, b), 3 If(a, b, c), 4 For(a, b, c), 5 Call(a, b),
        6 Give(a, b), 7 Return, 8 CallStore(a, b, c), 9 Await(a, b, c), 10 Reload(a),
        11 Assign(a, b), 12 Vary(a, b, c), 13 Try(a, b, c), 14 Delete(a),
    }
    ListEdit { 0 Push(a), 1 Pop, 2 Shift, 3 Unshift(a), 4 Splice(a, b, c), 5 Reverse, 6 Sort(a) }
    Answers { 0 AtOnce, 1 Later, 2 Again }
    When { 0 Added, 1 Removed, 2 Changed(a), 3 Every(a, b) }
    Unary { 0 Not, 1 Negate, 2 Plus }
    Binary {
        0 Add, 1 Subtract, 2 Multiply, 3 Divide, 4 Remainder, 5 Power, 6 Less, 7 LessOrEqual,
        8 Greater, 9 GreaterOrEqual, 10 Equal, 11 NotEqual,
    }
    Logical { 0 And, 1 Or, 2 Coalesce }
    Extent { 0 Whole, 1 Length, 2 Presence, 3 Position, 4 Keys }
}
