//! Statements of handlers and event bindings.

use crate::ast::{Catch, Expr, ExprKind, Stmt, StmtKind};
use crate::error::SyntaxErrorKind;
use crate::parser::Parser;
use crate::span::Span;
use crate::token::Tok;
use vein_plan::ops::Binary;

const ASSIGNMENTS: &[(&str, Option<Binary>)] = &[
    ("=", None),
    ("+=", Some(Binary::Add)),
    ("-=", Some(Binary::Subtract)),
    ("*=", Some(Binary::Multiply)),
    ("/=", Some(Binary::Divide)),
    ("%=", Some(Binary::Remainder)),
    ("**=", Some(Binary::Power)),
];

impl Parser<'_> {
    /// Statements up to the end of the text.
    pub fn statements(&mut self) -> Vec<Stmt> {
        let mut stmts = Vec::new();
        while !self.at_end() {
            self.next_statement(&mut stmts);
            if self.is("}") {
                self.unexpected("a statement");
                self.advance();
            }
        }
        stmts
    }

    /// `{ … }`
    pub(crate) fn block(&mut self) -> Vec<Stmt> {
        let opened = self.span();
        if !self.expect("{", "`{`") {
            return Vec::new();
        }
        let mut stmts = Vec::new();
        while !self.is("}") && !self.at_end() && !self.begins_declaration() {
            self.next_statement(&mut stmts);
        }
        if self.begins_declaration() {
            self.error(SyntaxErrorKind::UnclosedBracket('{'), opened);
        } else {
            self.close("}", opened, "`}`");
        }
        stmts
    }

    fn next_statement(&mut self, stmts: &mut Vec<Stmt>) {
        if self.eat(";") {
            return;
        }
        let failed_before = self.has_failed();
        let stmt = self.deeper(|_| None, |p| Some(p.statement()));
        let compound =
            |s: &Stmt| matches!(s.kind, StmtKind::If(..) | StmtKind::For(..) | StmtKind::Try(..));
        let ended = self.is("}")
            || self.at_end()
            || self.token().after_break
            || stmt.as_ref().is_some_and(compound);
        if !self.eat(";") && !ended {
            self.unexpected("`;` or a new line");
        }
        if self.has_failed() {
            self.skip_statement();
            if !failed_before {
                self.recovered();
            }
        }
        stmts.extend(stmt);
    }

    /// Skips to where a statement may begin: after a `;`, at a new line or at a `}`.
    fn skip_statement(&mut self) {
        let mut open = 0usize;
        while !self.at_end() {
            match self.tok() {
                Tok::Punct("{" | "(" | "[") => open += 1,
                Tok::Punct("}") if open == 0 => return,
                Tok::Punct("}" | ")" | "]") => open = open.saturating_sub(1),
                Tok::Punct(";") if open == 0 => {
                    self.advance();
                    return;
                }
                _ => {}
            }
            self.advance();
            if (open == 0 && self.token().after_break) || self.begins_declaration() {
                return;
            }
        }
    }

    fn statement(&mut self) -> Stmt {
        let start = self.span();
        let kind = self.statement_kind(start);
        Stmt { kind, span: self.since(start) }
    }

    fn statement_kind(&mut self, start: Span) -> StmtKind {
        let word = match self.tok() {
            Tok::Name(word) => word.as_str(),
            Tok::Punct("++" | "--") => return self.step_before(),
            _ => "",
        };
        match word {
            word @ ("const" | "let") => {
                let is_fixed = word == "const";
                self.advance();
                if self.is("{") || self.is("[") {
                    if !is_fixed {
                        let instead =
                            "write `const { … } = …`, and declare what is assigned again by itself";
                        self.error(
                            SyntaxErrorKind::NotInLanguage { word: "let".into(), instead },
                            start,
                        );
                    }
                    let pattern = self.pattern();
                    self.expect("=", "`=` and a value");
                    return StmtKind::Unpack(pattern, self.expression());
                }
                let name = self.ident("a name");
                let ty = self.eat(":").then(|| self.ty());
                self.expect("=", "`=` and a value");
                let value = self.expression();
                match is_fixed {
                    true => StmtKind::Const(name, ty, value),
                    false => StmtKind::Let(name, ty, value),
                }
            }
            "if" => {
                self.advance();
                self.if_statement()
            }
            "for" => {
                self.advance();
                self.for_statement()
            }
            "try" => {
                self.advance();
                self.try_statement()
            }
            "return" => {
                self.advance();
                let has_value =
                    !self.is(";") && !self.is("}") && !self.at_end() && !self.token().after_break;
                if has_value && self.returns() {
                    return StmtKind::Return(Some(self.expression()));
                }
                if has_value {
                    self.unexpected("nothing: a handler gives no value back, so the end of it");
                }
                StmtKind::Return(None)
            }
            "give" if matches!(self.ahead(1), Tok::Name(_)) => {
                self.advance();
                let name = self.ident("an event's name");
                let args = if self.is("(") { self.arguments() } else { Vec::new() };
                StmtKind::Give(name, args)
            }
            "delete" if matches!(self.ahead(1), Tok::Name(_)) => {
                self.advance();
                StmtKind::Delete(self.expression())
            }
            "reload" if matches!(self.ahead(1), Tok::Name(_)) => {
                self.advance();
                StmtKind::Reload(self.ident("the name of what is loaded"))
            }
            word => {
                if let Some(instead) = refused_statement(word) {
                    let kind = SyntaxErrorKind::NotInLanguage { word: word.into(), instead };
                    self.error(kind, start);
                }
                self.expression_statement()
            }
        }
    }

    fn if_statement(&mut self) -> StmtKind {
        let opened = self.span();
        self.expect("(", "`(` and a condition");
        let test = self.expression();
        self.close(")", opened, "`)`");
        let then = self.body();
        let otherwise = if self.eat_word("else") { self.body() } else { Vec::new() };
        StmtKind::If(test, then, otherwise)
    }

    /// A block, or a single statement without braces.
    fn body(&mut self) -> Vec<Stmt> {
        if self.is("{") {
            return self.block();
        }
        let stmt = self.deeper(|_| None, |p| Some(p.statement()));
        // Before an `else` on the same line, the `;` belongs to the statement inside.
        self.eat(";");
        stmt.into_iter().collect()
    }

    fn for_statement(&mut self) -> StmtKind {
        let opened = self.span();
        self.expect("(", "`(`");
        if !self.eat_word("const") {
            self.unexpected("`const name of list`");
        }
        let apart = (self.is("{") || self.is("[")).then(|| {
            let start = self.span();
            let pattern = self.pattern();
            (self.since(start), pattern)
        });
        let name = match &apart {
            Some((span, _)) => self.unwritten(*span),
            None => self.ident("a name for the item"),
        };
        let is_in = self.is_word("in");
        if is_in {
            let instead =
                "go over the keys of a dictionary by `of Object.keys(…)`, and over a list by `of`";
            let span = self.span();
            self.error(SyntaxErrorKind::NotInLanguage { word: "for … in".into(), instead }, span);
            self.advance();
        } else if !self.eat_word("of") {
            self.unexpected("`of` and a list");
        }
        let mut list = self.expression();
        if is_in {
            // That has been told.
            list.kind = ExprKind::Error;
        }
        self.close(")", opened, "`)`");
        let mut body = self.body();
        if let Some((span, pattern)) = apart {
            let item = Expr { kind: ExprKind::Name(name.name.clone()), span };
            body.insert(0, Stmt { kind: StmtKind::Unpack(pattern, item), span });
        }
        StmtKind::For(name, list, body)
    }

    fn try_statement(&mut self) -> StmtKind {
        let body = self.block();
        let caught = self.eat_word("catch").then(|| {
            let opened = self.span();
            let reason = self.eat("(").then(|| {
                let reason = self.ident("a name for the reason");
                self.close(")", opened, "`)`");
                reason
            });
            Catch { reason, body: self.block() }
        });
        let last = if self.eat_word("finally") {
            self.block()
        } else {
            if caught.is_none() {
                self.unexpected("`catch` or `finally`");
            }
            Vec::new()
        };
        StmtKind::Try(body, caught, last)
    }

    fn step(&mut self) -> Option<Binary> {
        let op = match self.tok() {
            Tok::Punct("++") => Binary::Add,
            Tok::Punct("--") => Binary::Subtract,
            _ => return None,
        };
        self.advance();
        Some(op)
    }

    fn step_before(&mut self) -> StmtKind {
        let span = self.span();
        let op = self.step();
        let target = self.expression();
        StmtKind::Assign { target, op, value: one(span) }
    }

    fn expression_statement(&mut self) -> StmtKind {
        let target = self.expression();
        let span = self.span();
        if !self.token().after_break
            && let Some(op) = self.step()
        {
            return StmtKind::Assign { target, op: Some(op), value: one(span) };
        }
        if self.eat("??=") {
            return StmtKind::Fill(target, self.expression());
        }
        let assignment = match self.tok() {
            Tok::Punct(p) => ASSIGNMENTS.iter().find(|(written, _)| written == p),
            _ => None,
        };
        match assignment {
            Some((_, op)) => {
                self.advance();
                StmtKind::Assign { target, op: *op, value: self.expression() }
            }
            None => StmtKind::Expr(target),
        }
    }
}

fn one(span: Span) -> Expr {
    Expr { kind: ExprKind::Number(1.0), span }
}

/// Words of ECMAScript with which no statement begins here.
fn refused_statement(word: &str) -> Option<&'static str> {
    Some(match word {
        "var" => "write `const`, or `let` for what is assigned again",
        "while" | "do" => "write `for (const item of list)`",
        "switch" | "case" => "write `if` and `else`",
        "throw" => "a handler cannot throw: keep in state what went wrong, and `return`",
        "catch" | "finally" => "it belongs to a `try { … }` just before it",
        "break" | "continue" => "use `filter`, `find` or `if` to leave items out",
        _ => return None,
    })
}
