//! What is found by keys: entries of dictionaries that are read, written and deleted, and literals of them.

use crate::diagnostics::cannot_assign::Target;
use crate::diagnostics::{MayBeNull, WrongType};
use crate::narrow::path_of;
use crate::scope::{Checker, Typed};
use crate::statement::Assignable;
use crate::types::Ty;
use vein_plan::code::{Body, Entry, Expr, PlaceStep, Stmt};
use vein_plan::members::Member;
use vein_plan::ops::Binary;
use vein_syntax::ast::{self, ExprKind, Ident, RecordItem};

impl Checker<'_> {
    /// What stands at a position of a list or a text, or at a key of a dictionary.
    pub(crate) fn indexed(
        &mut self,
        base: Typed,
        of: &ast::Expr,
        index: &ast::Expr,
        path: Option<String>,
    ) -> Typed {
        if let Ty::Dictionary(value) = base.ty {
            let key = self.key(index);
            let ty = self.narrowed_entry(path, *value);
            return self.typed(Expr::Index(base.id, key), ty);
        }
        if base.ty == Ty::Error {
            self.expr(index);
            return self.broken();
        }
        let position = self.expr_of(index, &Ty::Number, "for a position");
        match base.ty {
            Ty::List(item) => {
                let ty = self.narrowed(path, Ty::optional(*item));
                self.typed(Expr::Index(base.id, position.id), ty)
            }
            Ty::Entry(value) => match &index.kind {
                ExprKind::Number(0.0) => self.typed(Expr::Index(base.id, position.id), Ty::String),
                ExprKind::Number(1.0) => self.typed(Expr::Index(base.id, position.id), *value),
                _ => {
                    let expected = "0, for the key of the entry, or 1, for what stands there";
                    self.wrong(expected, &position.ty, index.span);
                    self.broken()
                }
            },
            Ty::String | Ty::Literals(_) => {
                let character = Expr::Call(Member::StringIndex, Some(base.id), vec![position.id]);
                self.typed(character, Ty::optional(Ty::String))
            }
            other => {
                self.wrong("a list or a dictionary", &other, of.span);
                self.broken()
            }
        }
    }

    /// What finds an entry of a dictionary: a text, or a number, which becomes one.
    pub(crate) fn key(&mut self, e: &ast::Expr) -> u32 {
        let key = self.expr(e);
        match key.ty {
            Ty::Number => self.push(Expr::Call(Member::ToText, None, vec![key.id])),
            _ => {
                self.require(&key.ty, &Ty::String, e.span, "for a key, as a number may be");
                // What is written as it is can be told from other keys before anything runs.
                if let Expr::String(known) = &self.plan.exprs[key.id as usize] {
                    self.tables.name(&known.clone().to_utf8());
                }
                key.id
            }
        }
    }

    /// `key in dictionary`
    pub(crate) fn has_key(&mut self, key: &ast::Expr, of: &ast::Expr) -> Typed {
        let key = self.key(key);
        let dictionary = self.expr(of);
        match &dictionary.ty {
            Ty::Dictionary(_) => {
                let has = Expr::Call(Member::HasKey, Some(dictionary.id), vec![key]);
                return self.typed(has, Ty::Boolean);
            }
            Ty::Error => {}
            ty if ty.may_be_null() => {
                let (what, ty) = (self.source(of.span), self.type_name(ty));
                self.report(MayBeNull { what, ty, dot: None }, of.span);
            }
            Ty::List(_) => {
                let ty = dictionary.ty.clone();
                self.wrong("a dictionary (a list has `includes`)", &ty, of.span);
            }
            other => {
                let other = other.clone();
                self.wrong("a dictionary", &other, of.span);
            }
        }
        self.broken()
    }

    /// What stands in a dictionary is found by its key in brackets.
    pub(crate) fn no_field_of_dictionary(&mut self, name: &Ident) -> Typed {
        let advice = match name.name.as_str() {
            "length" | "size" => "count its keys: `Object.keys(…).length`".to_owned(),
            "hasOwnProperty" | "has" => "ask `key in …`".to_owned(),
            name => format!("an entry is found by its key in brackets: `['{name}']`"),
        };
        let what = match name.name.as_str() {
            "length" | "size" | "hasOwnProperty" | "has" => "no member of dictionaries",
            _ => "a key of a dictionary",
        };
        self.not_usable(name.name.clone(), what, &advice, name.span)
    }

    /// An object literal that is a dictionary.
    pub(crate) fn dictionary(&mut self, items: &[RecordItem], want: Option<&Ty>) -> Typed {
        let mut ty = Ty::Never;
        let mut entries = Vec::new();
        for item in items {
            let (found, span) = match item {
                RecordItem::Field(name, value) => {
                    let key = self.push(Expr::String(name.name.as_str().into()));
                    let value_typed = self.expr_wanted(value, want);
                    entries.push(Entry::One(key, value_typed.id));
                    (value_typed.ty, value.span)
                }
                RecordItem::Key(key, value) => {
                    let key = self.key(key);
                    let value_typed = self.expr_wanted(value, want);
                    entries.push(Entry::One(key, value_typed.id));
                    (value_typed.ty, value.span)
                }
                RecordItem::Spread(value) => {
                    let spread = self.expr(value);
                    entries.push(Entry::Spread(spread.id));
                    let ty = match spread.ty {
                        Ty::Dictionary(inner) => *inner,
                        Ty::Error => Ty::Error,
                        other => {
                            self.wrong("a dictionary", &other, value.span);
                            Ty::Error
                        }
                    };
                    (ty, value.span)
                }
            };
            let found = if want.is_some() { found } else { found.widened() };
            ty = match want {
                Some(want) => {
                    let fits = self.require(&found, want, span, "for an entry of the dictionary");
                    if fits { want.clone() } else { Ty::Error }
                }
                None => match self.project.shapes.join(&ty, &found) {
                    Some(joined) => joined,
                    None => {
                        self.require(&found, &ty, span, "like the entries before it");
                        Ty::Error
                    }
                },
            };
        }
        if let (Some(want), true) = (want, items.is_empty()) {
            ty = want.clone();
        }
        self.typed(Expr::Dictionary(entries), Ty::dictionary(ty))
    }

    /// The item at a position of a list, or what stands at a key of a dictionary.
    pub(crate) fn inside(
        &mut self,
        base: Assignable,
        of: &ast::Expr,
        index: &ast::Expr,
    ) -> Option<Result<Assignable, Target>> {
        let ty = self.narrowed(path_of(of), base.ty.clone());
        let (index, ty) = match ty {
            Ty::Dictionary(value) => (self.found_again(|checker| checker.key(index)), *value),
            Ty::List(item) => {
                let (number, why) = (&Ty::Number, "for a position");
                (self.found_again(|checker| checker.expr_of(index, number, why)).id, *item)
            }
            Ty::Error => return None,
            ty if ty.may_be_null() => {
                let (what, ty) = (self.source(of.span), self.type_name(&ty));
                self.report(MayBeNull { what, ty, dot: None }, of.span);
                return None;
            }
            other => {
                let (expected, found) = ("a list or a dictionary".into(), self.type_name(&other));
                let finding = WrongType { expected, found, why: String::new(), nearest: None };
                self.report(finding, of.span);
                return None;
            }
        };
        let mut place = base.place;
        place.steps.push(PlaceStep::Index(index));
        let read = self.push(Expr::Index(base.read, index));
        Some(Ok(Assignable { place, read, ty }))
    }

    /// Whether an expression names what stands at a key of a dictionary, which may not be there.
    pub(crate) fn is_entry(&mut self, target: &ast::Expr) -> bool {
        let ExprKind::Index { of, .. } = &target.kind else { return false };
        let found = self.found_again(|checker| checker.expr(of));
        matches!(found.ty, Ty::Dictionary(_))
    }

    /// `target ??= value`
    pub(crate) fn set_if_null(&mut self, target: &ast::Expr, value: &ast::Expr, block: &mut Body) {
        let entry = self.is_entry(target);
        let Some((to, read, ty)) = self.written_to(target) else {
            self.expr(value);
            return;
        };
        let current = self.narrowed(path_of(target), ty.clone());
        if !entry && !current.may_be_null() && current != Ty::Error {
            let because = format!("`{}` is never `null`", self.source(target.span));
            self.report(
                crate::diagnostics::ConditionSettled { outcome: false, because },
                target.span,
            );
        }
        let why = format!("for `{}`", self.source(target.span));
        let mut inner = Vec::new();
        let value = self.expr_of(value, &ty, &why);
        self.emit(
            match to {
                Ok(place) => Stmt::Set(place, value.id),
                Err(local) => Stmt::Assign(local, value.id),
            },
            &mut inner,
        );
        let null = self.push(Expr::Null);
        let test = self.push(Expr::Binary(Binary::Equal, read, null));
        self.emit(Stmt::If(test, inner, Vec::new()), block);
        self.assigned(path_of(target), &ty.without_null());
    }

    /// `delete target`
    pub(crate) fn delete(&mut self, target: &ast::Expr, block: &mut Body) {
        if !self.is_entry(target) {
            let found = self.found.len();
            let typed = self.expr(target);
            if self.found.len() == found && typed.ty != Ty::Error {
                let ty = self.type_name(&typed.ty);
                let expected = "an entry of a dictionary, as in `delete litres[key]`".into();
                let why = "for `delete`".into();
                self.report(WrongType { expected, found: ty, why, nearest: None }, target.span);
            }
            return;
        }
        if let Some(Assignable { place, .. }) = self.assignable(target) {
            self.emit(Stmt::Delete(place), block);
            self.assigned(None, &Ty::Error);
        }
    }
}
