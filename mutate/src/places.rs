//! The places of a source file that can be broken, each behind a switch of its own.

use proc_macro2::Span;
use quote::ToTokens;
use syn::visit_mut::{self, VisitMut};
use syn::{BinOp, Block, Expr, ItemFn, ReturnType, Stmt, Type, UnOp, parse_quote};

/// Something that can be broken.
pub struct Place {
    pub file: String,
    pub line: usize,
    /// In which function, and what is done there: says which place it is, whatever line it stands in.
    pub what: String,
}

impl std::fmt::Display for Place {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} {}", self.file.trim_start_matches("crates/"), self.what)
    }
}

/// Breaks a file, numbering its places on from those there are.
pub fn broken(text: &str, file: &str, on: &Expr, places: &mut Vec<Place>) -> syn::Result<String> {
    let mut tree = syn::parse_file(text)?;
    Breaker { file, on, places, function: String::new() }.visit_file_mut(&mut tree);
    Ok(tree.to_token_stream().to_string())
}

struct Breaker<'a> {
    file: &'a str,
    /// The function that tells whether a place is broken.
    on: &'a Expr,
    places: &'a mut Vec<Place>,
    function: String,
}

impl Breaker<'_> {
    /// The switch of a new place.
    fn switch(&mut self, span: Span, what: impl Into<String>) -> Expr {
        let number = self.places.len() as u32 + 1;
        let (file, line) = (self.file.to_owned(), span.start().line);
        let said = format!("{}: {}", self.function, what.into());
        let numbered = format!("{said} #");
        let like = |place: &&Place| {
            let alike = place.what == said || place.what.starts_with(&numbered);
            place.file == file && alike
        };
        let what = match self.places.iter().filter(like).count() {
            0 => said,
            before => format!("{said} #{}", before + 1),
        };
        self.places.push(Place { file, line, what });
        let on = self.on;
        parse_quote!(#on(#number))
    }

    /// A condition that can be made always true, or never.
    fn condition(&mut self, condition: &mut Expr, said: &str) {
        if has_let(condition) {
            return;
        }
        let span = span_of(condition);
        let always = self.switch(span, format!("true for {said}"));
        let never = self.switch(span, format!("false for {said}"));
        *condition = parse_quote!((!#never && (#always || (#condition))));
    }

    /// What a function that gives something simple can give at once.
    fn body(&mut self, output: &ReturnType, block: &mut Block, span: Span) {
        let ReturnType::Type(_, ty) = output else { return };
        let Type::Path(path) = &**ty else { return };
        let Some(last) = path.path.segments.last() else { return };
        let others: Vec<Expr> = match last.ident.to_string().as_str() {
            "bool" => vec![parse_quote!(true), parse_quote!(false)],
            "Option" => vec![parse_quote!(None)],
            "usize" | "u32" | "u64" | "f64" => vec![parse_quote!(Default::default())],
            "Vec" | "String" => vec![parse_quote!(Default::default())],
            _ => return,
        };
        for other in others {
            let on = self.switch(span, format!("gives {}", said(&other)));
            block.stmts.insert(0, parse_quote!(if #on { return #other; }));
        }
    }
}

/// The beginning of an expression, as it was written more or less.
fn said(what: &impl ToTokens) -> String {
    let text = what.to_token_stream().to_string();
    let text = text.replace(" . ", ".").replace(" (", "(").replace("( ", "(").replace(" )", ")");
    let text = text.replace(" :: ", "::").replace("& ", "&").replace(" ,", ",").replace("* ", "*");
    text.chars().take(70).collect()
}

fn span_of(expr: &Expr) -> Span {
    syn::spanned::Spanned::span(expr)
}

/// Whether there is a `let` in a condition, which nothing can be put around.
fn has_let(expr: &Expr) -> bool {
    match expr {
        Expr::Let(_) => true,
        Expr::Binary(binary) => has_let(&binary.left) || has_let(&binary.right),
        Expr::Paren(inner) => has_let(&inner.expr),
        _ => false,
    }
}

/// Whether an expression ends in what never gives a value.
fn leaves(expr: &Expr) -> bool {
    matches!(
        expr,
        Expr::Return(_) | Expr::Break(_) | Expr::Continue(_) | Expr::Macro(_) | Expr::Yield(_)
    )
}

fn other(op: &BinOp) -> Option<BinOp> {
    Some(match op {
        BinOp::Eq(_) => parse_quote!(!=),
        BinOp::Ne(_) => parse_quote!(==),
        BinOp::Lt(_) => parse_quote!(<=),
        BinOp::Le(_) => parse_quote!(<),
        BinOp::Gt(_) => parse_quote!(>=),
        BinOp::Ge(_) => parse_quote!(>),
        BinOp::And(_) => parse_quote!(||),
        BinOp::Or(_) => parse_quote!(&&),
        BinOp::Add(_) => parse_quote!(-),
        BinOp::Sub(_) => parse_quote!(+),
        _ => return None,
    })
}

fn is_number(expr: &Expr) -> bool {
    matches!(expr, Expr::Lit(lit) if matches!(lit.lit, syn::Lit::Int(_)))
}

impl VisitMut for Breaker<'_> {
    // What is worked out when it is compiled cannot be switched.
    fn visit_item_const_mut(&mut self, _: &mut syn::ItemConst) {}
    fn visit_item_static_mut(&mut self, _: &mut syn::ItemStatic) {}
    fn visit_impl_item_const_mut(&mut self, _: &mut syn::ImplItemConst) {}
    fn visit_type_mut(&mut self, _: &mut Type) {}
    fn visit_pat_mut(&mut self, _: &mut syn::Pat) {}
    fn visit_attribute_mut(&mut self, _: &mut syn::Attribute) {}

    fn visit_item_mod_mut(&mut self, module: &mut syn::ItemMod) {
        let of_tests = module.attrs.iter().any(|attribute| attribute.path().is_ident("cfg"));
        if !of_tests {
            visit_mut::visit_item_mod_mut(self, module);
        }
    }

    fn visit_item_fn_mut(&mut self, item: &mut ItemFn) {
        if item.sig.constness.is_none() {
            let outer = std::mem::replace(&mut self.function, item.sig.ident.to_string());
            visit_mut::visit_block_mut(self, &mut item.block);
            self.body(&item.sig.output, &mut item.block, item.sig.ident.span());
            self.function = outer;
        }
    }

    fn visit_impl_item_fn_mut(&mut self, item: &mut syn::ImplItemFn) {
        if item.sig.constness.is_none() {
            let outer = std::mem::replace(&mut self.function, item.sig.ident.to_string());
            visit_mut::visit_block_mut(self, &mut item.block);
            self.body(&item.sig.output, &mut item.block, item.sig.ident.span());
            self.function = outer;
        }
    }

    fn visit_expr_mut(&mut self, expr: &mut Expr) {
        let said = match expr {
            Expr::Binary(_) => said(expr),
            Expr::Unary(unary) => said(&unary.expr),
            _ => String::new(),
        };
        // A chain of conditions with `let` in it: only what stands inside its links.
        visit_mut::visit_expr_mut(self, expr);
        match expr {
            Expr::Binary(binary) if !has_let(&binary.left) && !has_let(&binary.right) => {
                let arithmetic = matches!(binary.op, BinOp::Add(_) | BinOp::Sub(_));
                if arithmetic && !is_number(&binary.left) && !is_number(&binary.right) {
                    return;
                }
                let Some(op) = other(&binary.op) else { return };
                let (left, old, right) = (&binary.left, &binary.op, &binary.right);
                let becomes = format!("{} in {said}", op.to_token_stream());
                let on = self.switch(span_of(left), becomes);
                *expr = parse_quote!((if #on { #left #op #right } else { #left #old #right }));
            }
            Expr::Unary(unary) if matches!(unary.op, UnOp::Not(_)) && !has_let(&unary.expr) => {
                let inner = &unary.expr;
                let on = self.switch(span_of(inner), format!("without ! before {said}"));
                *expr = parse_quote!((if #on { #inner } else { !#inner }));
            }
            _ => {}
        }
    }

    fn visit_expr_if_mut(&mut self, expr: &mut syn::ExprIf) {
        let said = said(&expr.cond);
        visit_mut::visit_expr_if_mut(self, expr);
        self.condition(&mut expr.cond, &said);
    }

    fn visit_arm_mut(&mut self, arm: &mut syn::Arm) {
        let said = arm.guard.as_ref().map(|(_, guard)| said(guard));
        visit_mut::visit_arm_mut(self, arm);
        if let (Some((_, guard)), Some(said)) = (&mut arm.guard, said) {
            self.condition(guard, &said);
        }
    }

    fn visit_stmt_mut(&mut self, stmt: &mut Stmt) {
        let said = match stmt {
            Stmt::Expr(expr, Some(_)) => said(expr),
            _ => String::new(),
        };
        visit_mut::visit_stmt_mut(self, stmt);
        let Stmt::Expr(expr, Some(_)) = stmt else { return };
        // A variable that is not given its value may have been moved out of before.
        let given = matches!(&*expr, Expr::Assign(assign) if matches!(*assign.left, Expr::Path(_)));
        let calls =
            matches!(expr, Expr::MethodCall(_) | Expr::Call(_) | Expr::Assign(_) | Expr::Try(_))
                && !given;
        let assigns = matches!(expr, Expr::Binary(_));
        if leaves(expr) || !(calls || assigns) {
            return;
        }
        let on = self.switch(span_of(expr), format!("without {said}"));
        *stmt = parse_quote!(if !#on { #expr; });
    }
}
