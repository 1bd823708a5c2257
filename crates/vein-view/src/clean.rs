//! Markup from data, cleaned: a well-kept sanitiser says what may stay, and what it leaves is
//! parsed into nodes, so that no surface ever has to parse HTML.

use html5ever::tendril::TendrilSink;
use html5ever::{LocalName, QualName, ns, parse_fragment};
use markup5ever_rcdom::{Handle, NodeData, RcDom};
use std::borrow::Cow;
use vein_plan::{Name, Namespace, TemplateNode};

/// How many bytes of markup are read.
const MOST_MARKUP: usize = 128 << 10;
/// How many tags, and whatever else begins with `<`.
const MOST_TAGS: usize = 5000;
/// How deep elements are nested.
const DEEPEST: usize = 256;

/// Turns markup into nodes that cannot run anything: scripts, event handlers, forms, frames,
/// style sheets and addresses with a scheme that could run something are gone, text stays. Markup of
/// more than 128 KiB, or with more than 5,000 `<`, is not read as markup: it is shown as the text that it
/// is. Elements are nested 257 deep at most; what is deeper stands beside its parent.
///
/// ```
/// use vein_plan::TemplateNode;
/// let nodes = vein_view::clean("<b onclick='x()'>Ruby</b><script>x()</script>");
/// assert!(matches!(&nodes[0], TemplateNode::Open { name, attributes, .. }
///     if &**name == "b" && attributes.is_empty()));
/// assert_eq!(nodes.len(), 3);
/// ```
pub fn clean(markup: &str) -> Vec<TemplateNode> {
    if !is_bounded(markup) {
        return vec![text(markup)];
    }
    let cleaned = sanitiser().clean(&kept_mark(&without_noscript(markup))).to_string();
    let context = QualName::new(None, ns!(html), LocalName::from("div"));
    let dom = parse_fragment(RcDom::default(), Default::default(), context, vec![], false)
        .one(&*kept_mark(&cleaned));
    // A fragment stands inside an element that the parser adds.
    dom.document.children.borrow().first().map(inside).unwrap_or_default()
}

/// Markup from which a reader of files takes a byte order mark off: a text begins with what it begins with.
fn kept_mark(markup: &str) -> Cow<'_, str> {
    match markup.starts_with('\u{feff}') {
        true => format!("\u{feff}{markup}").into(),
        false => markup.into(),
    }
}

/// Markup in which `noscript` is an element like others: what stands in there is read in two ways, by
/// whether a document runs scripts.
fn without_noscript(markup: &str) -> Cow<'_, str> {
    let lower = markup.to_ascii_lowercase();
    let mut found = Vec::new();
    for tag in ["<noscript", "</noscript"] {
        let after = tag.len() - "noscript".len();
        found.extend(lower.match_indices(tag).map(|(at, _)| at + after));
    }
    if found.is_empty() {
        return markup.into();
    }
    found.sort_unstable();
    let mut out = String::with_capacity(markup.len() + 2 * found.len());
    let mut from = 0;
    for at in found {
        out.push_str(&markup[from..at]);
        out.push_str("x-");
        from = at;
    }
    out.push_str(&markup[from..]);
    out.into()
}

fn sanitiser() -> ammonia::Builder<'static> {
    let mut sanitiser = ammonia::Builder::default();
    sanitiser
        .url_schemes(["http", "https", "mailto", "tel"].into_iter().collect())
        .url_relative(ammonia::UrlRelative::PassThrough);
    sanitiser
}

/// What the sanitiser lets through, for a browser that cleans by itself: elements with their attributes,
/// attributes of all of them, schemes of addresses, elements that go with what is in them; and how much is read.
#[doc(hidden)]
pub fn rules() -> serde_json::Value {
    use std::collections::{BTreeMap, BTreeSet};
    let sanitiser = sanitiser();
    let attributes = sanitiser.clone_tag_attributes();
    let tags: BTreeMap<&str, BTreeSet<&str>> = sanitiser
        .clone_tags()
        .into_iter()
        .map(|tag| (tag, attributes.get(tag).into_iter().flatten().copied().collect()))
        .collect();
    // Elements of HTML that are called like some of SVG or MathML, too.
    let goes = |name: &&str| sanitiser.clean(&format!("<{name}>x</{name}>")).to_string().is_empty();
    let gone: BTreeSet<&str> = FOREIGN.split_ascii_whitespace().filter(goes).collect();
    serde_json::json!({
        "tags": tags,
        "all": sanitiser.clone_generic_attributes().into_iter().collect::<BTreeSet<_>>(),
        "schemes": sanitiser.clone_url_schemes().into_iter().collect::<BTreeSet<_>>(),
        "gone": gone,
        "bytes": MOST_MARKUP,
        "openings": MOST_TAGS,
        "deepest": DEEPEST,
    })
}

/// Names of elements of SVG and MathML, and of those of HTML whose content is no text of the page.
const FOREIGN: &str = "script style a animate animateColor animateMotion animateTransform circle clipPath defs \
    desc discard ellipse feBlend feColorMatrix feComponentTransfer feComposite feConvolveMatrix feDiffuseLighting \
    feDisplacementMap feDistantLight feDropShadow feFlood feFuncA feFuncB feFuncG feFuncR feGaussianBlur feImage \
    feMerge feMergeNode feMorphology feOffset fePointLight feSpecularLighting feSpotLight feTile feTurbulence filter \
    foreignObject g hatch hatchpath image line linearGradient marker mask mesh meshgradient meshpatch meshrow metadata \
    mpath path pattern polygon polyline radialGradient rect set solidcolor stop switch symbol text textPath tspan \
    unknown use view abs and annotation annotation-xml apply approx arccos arccosh arccot arccoth arccsc arccsch arcsec \
    arcsech arcsin arcsinh arctan arctanh arg bvar card cartesianproduct ceiling ci cn codomain complexes compose \
    condition conjugate cos cosh cot coth csc csch curl declare degree determinant diff divergence divide domain \
    domainofapplication emptyset eq equivalent eulergamma exists exp exponentiale factorial factorof false floor fn \
    forall gcd geq grad gt ident imaginary imaginaryi implies in infinity int integers intersect interval inverse \
    lambda laplacian lcm leq limit list ln log logbase lowlimit lt maction maligngroup malignmark matrix matrixrow max \
    mean median menclose merror mfenced mfrac mglyph mi min minus mlabeledtr mmultiscripts mn mo mode moment \
    momentabout mover mpadded mphantom mprescripts mroot mrow ms mspace msqrt mstyle msub msubsup msup mtable mtd \
    mtext mtr munder munderover naturalnumbers neq none not notanumber notin notprsubset notsubset notsubseteq nthroot \
    or otherwise outerproduct partialdiff pi piece piecewise plus power primes product prsubset quotient rationals real \
    reals reln rem root scalarproduct sdev sec sech selector semantics sep setdiff share sin sinh subset subseteq sum \
    tan tanh tendsto times transpose true union uplimit variance vector vectorproduct xor";

/// Whether a parser of HTML is done with some markup in a time that nobody notices. Some of its steps go
/// through all elements that are open, or all attributes of a tag, so size alone says little.
fn is_bounded(markup: &str) -> bool {
    markup.len() <= MOST_MARKUP && markup.bytes().filter(|byte| *byte == b'<').count() <= MOST_TAGS
}

/// A text as it stands.
fn text(text: &str) -> TemplateNode {
    TemplateNode::Text { text: text.replace('\0', "\u{fffd}").as_str().into(), marked: false }
}

/// What is left to be written of the nodes inside another.
enum Left {
    Node(Handle),
    Close,
}

/// The nodes inside another, as a template. What is nested deeper than the limit stands beside its parent,
/// as in the trees that browsers make.
fn inside(root: &Handle) -> Vec<TemplateNode> {
    let (mut out, mut depth) = (Vec::new(), 0);
    let children = |of: &Handle, left: &mut Vec<Left>| {
        left.extend(of.children.borrow().iter().rev().cloned().map(Left::Node));
    };
    let mut left = Vec::new();
    children(root, &mut left);
    while let Some(next) = left.pop() {
        let node = match next {
            Left::Node(node) => node,
            Left::Close => {
                depth -= 1;
                out.push(TemplateNode::Close);
                continue;
            }
        };
        match &node.data {
            NodeData::Text { contents } => out.push(text(&contents.borrow())),
            NodeData::Element { name, attrs, .. } if name.ns == ns!(html) => {
                let attributes = attrs.borrow();
                let attributes = attributes.iter().map(|attribute| {
                    let name = Name::from(&*attribute.name.local);
                    (name, Name::from(&*attribute.value))
                });
                out.push(TemplateNode::Open {
                    namespace: Namespace::Html,
                    name: Name::from(&*name.local),
                    attributes: attributes.collect(),
                    marked: false,
                });
                if depth < DEEPEST {
                    depth += 1;
                    left.push(Left::Close);
                } else {
                    out.push(TemplateNode::Close);
                }
                children(&node, &mut left);
            }
            _ => {}
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn depth(nodes: &[TemplateNode]) -> usize {
        let (mut now, mut most) = (0, 0);
        for node in nodes {
            match node {
                TemplateNode::Open { .. } => now += 1,
                TemplateNode::Close => now -= 1,
                _ => {}
            }
            most = most.max(now);
        }
        assert_eq!(now, 0, "each element is closed");
        most
    }

    fn texts(nodes: &[TemplateNode]) -> String {
        let texts = nodes.iter().filter_map(|node| match node {
            TemplateNode::Text { text, .. } => Some(&**text),
            _ => None,
        });
        texts.collect()
    }

    /// Markup that is nested, repeated or long in each of the ways that parsers are hurt by.
    #[test]
    fn no_markup_is_too_deep_or_takes_forever() {
        for (unit, end) in [
            ("<b>", ""),
            ("<div>", ""),
            ("<p><b>", ""),
            ("<b id=1>x", "</b>"),
            ("<ul><li>", ""),
            ("<table><tr><td>", ""),
            ("<a href=x>", "</p>"),
            ("<ruby><rt>", ""),
            ("<font color=1><p>", "</font>"),
            ("<!-- ", "-->"),
            ("<template>", ""),
            ("<a a b c ", ""),
            ("<a x='", "' b"),
            ("</b></p>", ""),
        ] {
            for times in [10, MOST_TAGS / 3, 60_000] {
                let markup = format!("{}kale{}", unit.repeat(times), end.repeat(times));
                let nodes = clean(&markup);
                assert!(depth(&nodes) <= DEEPEST + 1, "{times} times {unit}");
                if is_bounded(&markup) {
                    continue;
                }
                // Nothing is lost: what cannot be read as markup is there as a text.
                assert_eq!(texts(&nodes), markup, "{times} times {unit}");
            }
        }
        let deep = format!("{}kale{}", "<b>".repeat(900), "</b>".repeat(900));
        let nodes = clean(&deep);
        assert_eq!((depth(&nodes), texts(&nodes).as_str()), (DEEPEST + 1, "kale"));
        assert_eq!(nodes.iter().filter(|n| matches!(n, TemplateNode::Open { .. })).count(), 900);
    }

    #[test]
    fn one_tag_of_many_attributes_is_read() {
        let many: String = (0..9000).map(|n| format!(" a{n}")).collect();
        assert_eq!(texts(&clean(&format!("<b{many}>kale</b>"))), "kale");
    }
}
