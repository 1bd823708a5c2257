//! Everything that can be told about a component, one kind a file: when it applies, what it
//! says, what to do, and examples that are tests.

use crate::report::{Diagnostic, Fix, Severity};
use vein_syntax::Span;

/// One kind of diagnostic: the facts, and how they are worded.
pub(crate) trait Finding {
    /// Its short name.
    const CODE: &'static str;
    /// What kind of mistake it tells of, in a sentence, for the index in the documentation.
    const ABOUT: &'static str;
    /// How bad it is.
    const SEVERITY: Severity = Severity::Error;

    /// What is wrong.
    fn message(&self) -> String;
    /// What to say at the place.
    fn label(&self) -> String {
        String::new()
    }
    /// Other places that explain it.
    fn related(&self) -> Vec<(Span, String)> {
        Vec::new()
    }
    /// What to do.
    fn advice(&self) -> Vec<String> {
        Vec::new()
    }
    /// What a program can do.
    fn fix(&self, _at: Span) -> Option<Fix> {
        None
    }
}

/// The diagnostic of a finding at a place.
pub(crate) fn diagnostic<F: Finding>(finding: &F, file: usize, span: Span) -> Diagnostic {
    Diagnostic {
        code: F::CODE,
        severity: F::SEVERITY,
        file,
        span,
        message: in_one_line(&finding.message()),
        label: in_one_line(&finding.label()),
        related: finding.related(),
        advice: finding.advice(),
        fix: finding.fix(span),
    }
}

/// What names something that was written may hold its line breaks.
fn in_one_line(text: &str) -> String {
    text.replace('\n', "\\n").replace('\r', "\\r")
}

/// A fix that puts one text in the place of another.
pub(crate) fn replace(at: Span, with: impl Into<String>) -> Option<Fix> {
    let with = with.into();
    Some(Fix { title: format!("write `{with}`"), edits: vec![(at, with)], safe: false })
}

/// A fix that may be applied unseen: nothing else can have been meant.
pub(crate) fn surely(at: Span, with: impl Into<String>) -> Option<Fix> {
    replace(at, with).map(|fix| Fix { safe: true, ..fix })
}

/// A fix for a near miss.
pub(crate) fn did_you_mean(nearest: &Option<String>, at: Span) -> Option<Fix> {
    let name = nearest.as_ref()?;
    Some(Fix {
        title: format!("did you mean `{name}`?"),
        edits: vec![(at, name.clone())],
        safe: false,
    })
}

/// A fix for a near miss of an element's name, in its start tag and in its end tag.
pub(crate) fn did_you_mean_element(
    nearest: &Option<String>,
    at: Span,
    end_name: Option<Span>,
) -> Option<Fix> {
    let mut fix = did_you_mean(nearest, at)?;
    let name = nearest.clone()?;
    fix.edits.extend(end_name.map(|end| (end, name)));
    Some(fix)
}

/// Names for a sentence: `a`, `b` and `c`.
pub(crate) fn listed<S: AsRef<str>>(names: &[S]) -> String {
    let quoted: Vec<String> = names.iter().map(|name| format!("`{}`", name.as_ref())).collect();
    match quoted.split_last() {
        None => "none".into(),
        Some((last, [])) => last.clone(),
        Some((last, rest)) => format!("{} and {last}", rest.join(", ")),
    }
}

/// A kind of diagnostic.
#[derive(Clone, Copy, Debug)]
pub struct Rule {
    /// Its short name.
    pub code: &'static str,
    /// What kind of mistake it tells of.
    pub about: &'static str,
    /// How bad it is.
    pub severity: Severity,
}

macro_rules! rules {
    ($($module:ident :: $finding:ident;)*) => {
        $(pub(crate) mod $module;)*
        $(pub(crate) use $module::$finding;)*

        /// Every kind of diagnostic there is.
        pub const RULES: &[Rule] = &[
            $(Rule {
                code: $finding::CODE,
                about: $finding::ABOUT,
                severity: $finding::SEVERITY,
            }),*
        ];
    };
}

rules! {
    arrow_option::ArrowOption;
    assigned_in_value::AssignedInValue;
    await_misplaced::AwaitMisplaced;
    bad_escape::BadEscape;
    bad_file_name::BadFileName;
    bad_number::BadNumber;
    bad_pattern::BadPattern;
    bad_style::BadStyle;
    bad_timer::BadTimer;
    cannot_assign::CannotAssign;
    circular_type::CircularType;
    circular_value::CircularValue;
    condition_settled::ConditionSettled;
    doubled_braces::DoubledBraces;
    empty_arrow::EmptyArrow;
    endless_nesting::EndlessNesting;
    held_from_prop::HeldFromProp;
    loop_without_by::LoopWithoutBy;
    markup_in_value::MarkupInValue;
    may_be_null::MayBeNull;
    mismatched_end_tag::MismatchedEndTag;
    misplaced_attribute::MisplacedAttribute;
    misplaced_declaration::MisplacedDeclaration;
    misplaced_style::MisplacedStyle;
    missing_field::MissingField;
    missing_prop::MissingProp;
    missing_space::MissingSpace;
    missing_type::MissingType;
    name_taken::NameTaken;
    needs_type::NeedsType;
    never_called::NeverCalled;
    never_read::NeverRead;
    no_alternative::NoAlternative;
    no_control::NoControl;
    no_effect::NoEffect;
    no_single_root::NoSingleRoot;
    not_in_language::NotInLanguage;
    not_loaded::NotLoaded;
    not_reachable::NotReachable;
    not_supported::NotSupported;
    not_usable_here::NotUsableHere;
    not_watchable::NotWatchable;
    nothing_to_catch::NothingToCatch;
    repeated_attribute::RepeatedAttribute;
    self_closed::SelfClosed;
    stray_angle::StrayAngle;
    stray_character::StrayCharacter;
    stray_end_tag::StrayEndTag;
    stray_otherwise::StrayOtherwise;
    store_alone::StoreAlone;
    store_circle::StoreCircle;
    too_deep::TooDeep;
    two_way_refused::TwoWayRefused;
    unclosed_bracket::UnclosedBracket;
    unclosed_element::UnclosedElement;
    unclosed_interpolation::UnclosedInterpolation;
    unclosed_quote::UnclosedQuote;
    unclosed_tag::UnclosedTag;
    unclosed_text::UnclosedText;
    unexpected::Unexpected;
    unheard::Unheard;
    unknown_attribute::UnknownAttribute;
    unknown_component::UnknownComponent;
    unknown_declaration::UnknownDeclaration;
    unknown_element::UnknownElement;
    unknown_event::UnknownEvent;
    unknown_field::UnknownField;
    unknown_name::UnknownName;
    unknown_prop::UnknownProp;
    unknown_slot::UnknownSlot;
    unknown_store::UnknownStore;
    unknown_type::UnknownType;
    unknown_value::UnknownValue;
    unmet_class::UnmetClass;
    unsafe_binding::UnsafeBinding;
    unshowable::Unshowable;
    unused::Unused;
    used_twice::UsedTwice;
    wrong_answer::WrongAnswer;
    wrong_arguments::WrongArguments;
    wrong_arrow::WrongArrow;
    wrong_return::WrongReturn;
    wrong_type::WrongType;
}

pub(crate) mod from_syntax;

/// Tests that each source gets exactly one diagnostic, of this kind, at the underlined text.
#[cfg(test)]
macro_rules! examples {
    ($finding:ident: $($source:literal => $at:literal),* $(,)?) => {
        #[cfg(test)]
        mod tests {
            use crate::diagnostics::Finding;

            #[test]
            fn examples() {
                $(crate::diagnostics::assert_only(super::$finding::CODE, $source, $at);)*
            }
        }
    };
}
#[cfg(test)]
pub(crate) use examples;

#[cfg(test)]
pub(crate) fn assert_only(code: &str, source: &str, at: &str) {
    let neighbours = [
        ("bed-frame.vein", "<slot></slot><slot name='actions' row='<- 1'></slot>"),
        ("bed-note.vein", "takes crop: string\n<p>{crop}</p>"),
        ("bed-pair.vein", "shares first: number = 1\n<i click='-> first++'>{first}</i><b>b</b>"),
        ("water-tank.vein", "store water\nholds litres = 60\ndoes draw(n: number) { litres -= n }"),
    ];
    let sources = [("test-bed.vein", source)].into_iter().chain(neighbours);
    let source =
        |(path, text): (&str, &str)| crate::Source { path: path.into(), text: text.into() };
    let checked = crate::check(sources.map(source).collect());
    let text = &checked.report.sources[0].text;
    let found: Vec<(&str, &str)> = checked
        .report
        .diagnostics
        .iter()
        .map(|d| (d.code, text.get(d.span.range()).unwrap_or("outside the text")))
        .collect();
    assert_eq!(found, [(code, at)], "{}\n{}", text, checked.report);
}
