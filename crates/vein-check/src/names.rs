//! The names that an expression uses, for the order in which values are worked out.

use vein_syntax::ast::{
    Expr, ExprKind, FunctionBody, RecordItem, Stmt, StmtKind, TemplatePiece, TypedName,
};

/// Calls `each` with every free name of an expression.
pub(crate) fn free_names<'a>(expr: &'a Expr, each: &mut impl FnMut(&'a str)) {
    walk(expr, &mut Vec::new(), each);
}

/// Calls `each` with every free name of a function.
pub(crate) fn names_in_function<'a>(
    params: &'a [TypedName],
    body: &'a FunctionBody,
    each: &mut impl FnMut(&'a str),
) {
    let mut bound: Vec<&str> = params.iter().map(|param| param.ident.name.as_str()).collect();
    match body {
        FunctionBody::Value(e) => walk(e, &mut bound, each),
        FunctionBody::Statements(stmts) => walk_all(stmts, &mut bound, each),
    }
}

fn walk_all<'a>(stmts: &'a [Stmt], bound: &mut Vec<&'a str>, each: &mut impl FnMut(&'a str)) {
    let before = bound.len();
    for stmt in stmts {
        match &stmt.kind {
            StmtKind::Const(name, _, value) | StmtKind::Let(name, _, value) => {
                walk(value, bound, each);
                bound.push(&name.name);
            }
            StmtKind::Unpack(pattern, value) => {
                walk(value, bound, each);
                bound.extend(pattern.names().map(|name| name.name.as_str()));
            }
            StmtKind::Assign { target, value, .. } => {
                walk(target, bound, each);
                walk(value, bound, each);
            }
            StmtKind::If(test, then, otherwise) => {
                walk(test, bound, each);
                walk_all(then, bound, each);
                walk_all(otherwise, bound, each);
            }
            StmtKind::Try(tried, caught, last) => {
                walk_all(tried, bound, each);
                if let Some(caught) = caught {
                    let reason = caught.reason.as_ref().map(|reason| reason.name.as_str());
                    bound.extend(reason);
                    walk_all(&caught.body, bound, each);
                    bound.truncate(bound.len() - usize::from(reason.is_some()));
                }
                walk_all(last, bound, each);
            }
            StmtKind::For(name, list, body) => {
                walk(list, bound, each);
                bound.push(&name.name);
                walk_all(body, bound, each);
                bound.pop();
            }
            StmtKind::Return(value) => value.iter().for_each(|value| walk(value, bound, each)),
            StmtKind::Give(_, args) => args.iter().for_each(|arg| walk(arg, bound, each)),
            StmtKind::Expr(e) => walk(e, bound, each),
            StmtKind::Fill(target, value) => {
                walk(target, bound, each);
                walk(value, bound, each);
            }
            StmtKind::Delete(target) => walk(target, bound, each),
            StmtKind::Reload(_) => {}
        }
    }
    bound.truncate(before);
}

fn walk<'a>(expr: &'a Expr, bound: &mut Vec<&'a str>, each: &mut impl FnMut(&'a str)) {
    match &expr.kind {
        ExprKind::Name(name) if !bound.contains(&name.as_str()) => each(name),
        ExprKind::Null
        | ExprKind::Boolean(_)
        | ExprKind::Number(_)
        | ExprKind::String(_)
        | ExprKind::Pattern(..)
        | ExprKind::Name(_)
        | ExprKind::Error => {}
        ExprKind::Template(pieces) => {
            for piece in pieces {
                if let TemplatePiece::Expr(e) = piece {
                    walk(e, bound, each);
                }
            }
        }
        ExprKind::Field { of, .. } => walk(of, bound, each),
        ExprKind::Chain(of)
        | ExprKind::Unary(_, of)
        | ExprKind::Await(of)
        | ExprKind::Is(of, _) => walk(of, bound, each),
        ExprKind::Index { of, index, .. } => {
            walk(of, bound, each);
            walk(index, bound, each);
        }
        ExprKind::Call { callee, args } => {
            walk(callee, bound, each);
            args.iter().for_each(|arg| walk(arg, bound, each));
        }
        ExprKind::Binary { left, right, .. }
        | ExprKind::Logical(_, left, right)
        | ExprKind::In(left, right) => {
            walk(left, bound, each);
            walk(right, bound, each);
        }
        ExprKind::Choose(a, b, c) => [a, b, c].into_iter().for_each(|e| walk(e, bound, each)),
        ExprKind::List(items) => items.iter().for_each(|(item, _)| walk(item, bound, each)),
        ExprKind::Record(items) => {
            for item in items {
                if let RecordItem::Key(key, _) = item {
                    walk(key, bound, each);
                }
                let (RecordItem::Field(_, e) | RecordItem::Spread(e) | RecordItem::Key(_, e)) =
                    item;
                walk(e, bound, each);
            }
        }
        ExprKind::Unpack(_, pattern, body) => {
            let before = bound.len();
            bound.extend(pattern.names().map(|name| name.name.as_str()));
            walk(body, bound, each);
            bound.truncate(before);
        }
        ExprKind::Arrow(params, body) => {
            let before = bound.len();
            bound.extend(params.iter().map(|p| p.name.as_str()));
            walk(body, bound, each);
            bound.truncate(before);
        }
    }
}
