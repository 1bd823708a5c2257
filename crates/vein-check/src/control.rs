//! Two-way bindings: which controls have them, what they hold, and how that becomes a value.

use crate::diagnostics::{ArrowOption, TwoWayRefused};
use crate::interface::static_value;
use crate::markup::Markup;
use crate::scope::Checker;
use crate::types::Ty;
use vein_plan::code::{Expr, ExprId, Place};
use vein_plan::members::Member;
use vein_plan::ops::Binary;
use vein_plan::{
    Commit, Conversion, EventField, Listener, ListenerOptions, Name, PartKind, Property,
};
use vein_syntax::Span;
use vein_syntax::ast::{self, Arrow, Attribute, AttributeValue, Element, OptionKind};

/// A control as a two-way binding sees it.
struct Control {
    /// What of it is bound.
    property: Property,
    /// The event that tells of a change.
    event: &'static str,
    /// What the event brings.
    fields: Vec<EventField>,
    /// How what it holds becomes a value.
    from: Conversion,
    /// What it shows.
    shows: ExprId,
}

impl Checker<'_> {
    /// `value="<-> litres"`
    #[allow(clippy::too_many_arguments, reason = "an attribute with all of its surroundings")]
    pub(crate) fn two_way(
        &mut self,
        element: &Element,
        attribute: &Attribute,
        arrow: &Arrow,
        target: &ast::Expr,
        called: &str,
        node: u32,
        markup: &mut Markup,
    ) {
        self.start_frame();
        let options = self.two_way_options(arrow);
        let Some(found) = self.assignable(target) else { return };
        self.mark_read(target);
        let (place, ty, read) = (found.place, found.ty, found.read);
        let Some(control) = self.control(element, attribute, &ty, read, target.span) else {
            return;
        };
        let name = attribute.name.name.as_str();
        let kind = match control.property {
            Property::Value => PartKind::Property(Property::Value),
            property => PartKind::Property(property),
        };
        let address = markup.parts.unique(format!("{called} {name}"));
        let span = attribute.value_span;
        let held = Some(control.from.clone());
        let at = (address.clone(), span);
        let part = self.controlled_part(node, kind, control.shows, held, at, markup);
        let (change, quiet) = options;
        let event = if change { "change" } else { control.event };
        let options = ListenerOptions { quiet, ..ListenerOptions::default() };
        let location = self.location(span);
        markup.push_listener(Listener {
            mark: node,
            event: event.into(),
            options,
            fields: control.fields,
            locals: self.most_locals.max(1),
            body: Vec::new(),
            commit: Some(Commit { place, from: control.from, part }),
            address: address.into(),
            location,
        });
    }

    /// Whether `change` was written, and after how much quiet.
    fn two_way_options(&mut self, arrow: &Arrow) -> (bool, Option<u32>) {
        let (mut change, mut quiet) = (false, None);
        for option in &arrow.options {
            match &option.kind {
                OptionKind::Change => change = true,
                OptionKind::Quiet(milliseconds) => quiet = Some(*milliseconds),
                _ => {
                    let name = self.source(option.span);
                    self.report(ArrowOption { name, takes: None }, option.span);
                }
            }
        }
        (change, quiet)
    }

    fn control(
        &mut self,
        element: &Element,
        attribute: &Attribute,
        ty: &Ty,
        read: ExprId,
        span: Span,
    ) -> Option<Control> {
        let (tag, name) = (element.name.name.as_str(), attribute.name.name.as_str());
        let kind = static_value(element, "type").to_ascii_lowercase();
        let flag = |property, event, field| Control {
            property,
            event,
            fields: vec![field],
            from: Conversion::Flag,
            shows: read,
        };
        let checkable = tag == "input" && matches!(kind.as_str(), "checkbox" | "radio");
        match (tag, name) {
            ("input", "checked") if kind == "checkbox" => {
                self.require(ty, &Ty::Boolean, span, "for a check box");
                Some(flag(Property::Checked, "input", EventField::Checked))
            }
            ("details", "open") => {
                self.require(ty, &Ty::Boolean, span, "for `open`");
                Some(flag(Property::Open, "toggle", EventField::Open))
            }
            ("dialog", "open") => {
                self.require(ty, &Ty::Boolean, span, "for `open`");
                Some(flag(Property::Open, "close", EventField::Open))
            }
            ("input", "picked") if kind == "radio" => {
                let own = self.own_value(element, ty)?;
                let shows = self.push(Expr::Binary(Binary::Equal, read, own));
                let from = Conversion::Picked(own);
                let property = Property::Checked;
                let fields = vec![EventField::Checked];
                Some(Control { property, event: "input", fields, from, shows })
            }
            ("input", "picked") if kind == "checkbox" => {
                let Ty::List(item) = ty else {
                    let why = "check boxes that are picked are members of a list";
                    return self.refused(name, why, attribute.name.span);
                };
                let own = self.own_value(element, item)?;
                let shows = self.push(Expr::Call(Member::ListIncludes, Some(read), vec![own]));
                let from = Conversion::Member(own);
                let property = Property::Checked;
                let fields = vec![EventField::Checked];
                Some(Control { property, event: "input", fields, from, shows })
            }
            ("select", "value") if element.attributes.iter().any(|a| a.is("multiple")) => {
                let Ty::List(item) = ty else {
                    let why = "a `select` with `multiple` is bound to a list";
                    return self.refused(name, why, span);
                };
                let each = self.conversion(item, span)?;
                let (event, fields) = ("input", vec![EventField::Chosen]);
                let (property, from) = (Property::Chosen, Conversion::Many(Box::new(each)));
                Some(Control { property, event, fields, from, shows: read })
            }
            ("input" | "textarea" | "select", "value") if !checkable && kind != "file" => {
                let from = self.conversion(ty, span)?;
                let fields = vec![EventField::Value];
                let (property, event) = (Property::Value, "input");
                Some(Control { property, event, fields, from, shows: read })
            }
            ("input", "value") if checkable => {
                let why = "what a check box or radio button is bound to is `picked` or `checked`, \
                           not its value";
                self.refused(name, why, attribute.name.span)
            }
            ("input", "picked" | "checked") => {
                let why = "it needs `type=\"radio\"` or `type=\"checkbox\"`; `checked` is for \
                           check boxes";
                self.refused(name, why, attribute.name.span)
            }
            _ => {
                let why = "people change the `value` of `input`, `textarea` and `select`, \
                           `checked` and `picked` of check boxes and radio buttons, and `open` \
                           of `details` and `dialog`; everything else is bound one way: `<-`";
                self.refused(name, why, attribute.name.span)
            }
        }
    }

    fn refused<T>(&mut self, name: &str, why: &str, span: Span) -> Option<T> {
        self.report(TwoWayRefused { name: name.into(), why: why.into() }, span);
        None
    }

    /// How the text of a control becomes a value of a type.
    fn conversion(&mut self, ty: &Ty, span: Span) -> Option<Conversion> {
        let words = |words: &[String]| words.iter().map(|word| Name::from(word.as_str())).collect();
        match ty {
            Ty::String => Some(Conversion::Text),
            Ty::Number => Some(Conversion::Number),
            Ty::Literals(all) => Some(Conversion::Word(words(all))),
            Ty::Optional(inner) => match &**inner {
                Ty::String => Some(Conversion::TextOrNull),
                Ty::Number => Some(Conversion::NumberOrNull),
                Ty::Literals(all) => Some(Conversion::WordOrNull(words(all))),
                _ => self.not_text(ty, span),
            },
            Ty::Error => None,
            _ => self.not_text(ty, span),
        }
    }

    fn not_text<T>(&mut self, ty: &Ty, span: Span) -> Option<T> {
        let why = format!(
            "a control holds text, which cannot become `{}`: bind a string, a number or one of \
             some words",
            self.type_name(ty)
        );
        self.refused("value", &why, span)
    }

    /// The value that a radio button or check box stands for.
    fn own_value(&mut self, element: &Element, ty: &Ty) -> Option<ExprId> {
        let Some(value) = element.attributes.iter().find(|a| a.is("value")) else {
            let why = "it needs a `value` that it stands for";
            return self.refused("picked", why, element.name.span);
        };
        match &value.value {
            AttributeValue::Static(text) => self.static_as(text, ty, value.value_span),
            AttributeValue::OneWay(_, e) => Some(self.expr_of(e, ty, "for what is picked").id),
            AttributeValue::Interpolated(pieces) => {
                let id = self.interpolated("value", pieces);
                self.require(&Ty::String, ty, value.value_span, "for what is picked");
                Some(id)
            }
            _ => None,
        }
    }

    /// The values that a `select` with `multiple` shows as chosen, bound one way.
    pub(crate) fn chosen_values(
        &mut self,
        element: &Element,
        name: &str,
        e: &ast::Expr,
    ) -> Option<ExprId> {
        let many = element.name.name == "select"
            && name == "value"
            && element.attributes.iter().any(|a| a.is("multiple"));
        let want = Ty::list(Ty::String);
        many.then(|| self.expr_of(e, &want, "for a `select` with `multiple`").id)
    }

    /// Text that was written, as a value of the type that is wanted.
    pub(crate) fn static_as(&mut self, text: &str, ty: &Ty, span: Span) -> Option<ExprId> {
        let wrong = |checker: &mut Self| {
            let finding = crate::diagnostics::WrongType {
                expected: format!("`{}`", checker.type_name(ty)),
                found: format!("'{text}'"),
                why: String::new(),
                nearest: match ty.without_null() {
                    Ty::Literals(all) => {
                        vein_plan::nearest(text, all.iter().map(String::as_str)).map(str::to_owned)
                    }
                    _ => None,
                },
            };
            checker.report(finding, span);
            None
        };
        match ty.without_null() {
            Ty::String | Ty::Error => Some(self.push(Expr::String(text.into()))),
            Ty::Literals(all) if all.iter().any(|word| word == text) => {
                Some(self.push(Expr::String(text.into())))
            }
            Ty::Number => match Conversion::Number.value(text) {
                Some(vein_plan::Value::Number(n)) => Some(self.push(Expr::Number(n))),
                _ => wrong(self),
            },
            Ty::Boolean => match text.trim() {
                "" | "true" => Some(self.push(Expr::Boolean(true))),
                "false" => Some(self.push(Expr::Boolean(false))),
                _ => wrong(self),
            },
            _ => wrong(self),
        }
    }

    /// A place without positions in it, as a path.
    pub(crate) fn path_of_place(place: &Place) -> Option<(u32, Vec<u32>)> {
        let step = |step: &vein_plan::code::PlaceStep| match step {
            vein_plan::code::PlaceStep::Field(name) => Some(*name),
            vein_plan::code::PlaceStep::Index(_) => None,
        };
        let path = place.steps.iter().map(step).collect::<Option<Vec<u32>>>()?;
        Some((place.cell, path))
    }
}
