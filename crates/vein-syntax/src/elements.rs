//! What the HTML standard says of element and attribute names.

pub use vein_plan::dom::is_void;
use vein_plan::program::Namespace;

/// Whether a name can be that of a component: a valid custom element name in ASCII.
///
/// ```
/// use vein_syntax::elements::is_component_name;
/// assert!(is_component_name("bed-card"));
/// assert!(!is_component_name("bed"));
/// assert!(!is_component_name("Bed-card"));
/// assert!(!is_component_name("font-face")); // reserved by the HTML standard
/// ```
pub fn is_component_name(name: &str) -> bool {
    let reserved = matches!(
        name,
        "annotation-xml"
            | "color-profile"
            | "font-face"
            | "font-face-src"
            | "font-face-uri"
            | "font-face-format"
            | "font-face-name"
            | "missing-glyph"
    );
    name.starts_with(|c: char| c.is_ascii_lowercase())
        && name.contains('-')
        && name.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || "-_.".contains(c))
        && !reserved
}

/// Elements of HTML that are current, for the check of names.
pub const HTML_ELEMENTS: &[&str] = &[
    "a",
    "abbr",
    "address",
    "area",
    "article",
    "aside",
    "audio",
    "b",
    "base",
    "bdi",
    "bdo",
    "blockquote",
    "body",
    "br",
    "button",
    "canvas",
    "caption",
    "cite",
    "code",
    "col",
    "colgroup",
    "data",
    "datalist",
    "dd",
    "del",
    "details",
    "dfn",
    "dialog",
    "div",
    "dl",
    "dt",
    "em",
    "embed",
    "fieldset",
    "figcaption",
    "figure",
    "footer",
    "form",
    "h1",
    "h2",
    "h3",
    "h4",
    "h5",
    "h6",
    "head",
    "header",
    "hgroup",
    "hr",
    "html",
    "i",
    "iframe",
    "img",
    "input",
    "ins",
    "kbd",
    "label",
    "legend",
    "li",
    "link",
    "main",
    "map",
    "mark",
    "math",
    "menu",
    "meta",
    "meter",
    "nav",
    "noscript",
    "object",
    "ol",
    "optgroup",
    "option",
    "output",
    "p",
    "picture",
    "pre",
    "progress",
    "q",
    "rp",
    "rt",
    "ruby",
    "s",
    "samp",
    "script",
    "search",
    "section",
    "select",
    "slot",
    "small",
    "source",
    "span",
    "strong",
    "style",
    "sub",
    "summary",
    "sup",
    "svg",
    "table",
    "tbody",
    "td",
    "template",
    "textarea",
    "tfoot",
    "th",
    "thead",
    "time",
    "title",
    "tr",
    "track",
    "u",
    "ul",
    "var",
    "video",
    "wbr",
];

/// SVG names with capitals, which an HTML parser restores (HTML standard, "adjusted SVG names").
const SVG_ELEMENTS: &[&str] = &[
    "altGlyph",
    "altGlyphDef",
    "altGlyphItem",
    "animateColor",
    "animateMotion",
    "animateTransform",
    "clipPath",
    "feBlend",
    "feColorMatrix",
    "feComponentTransfer",
    "feComposite",
    "feConvolveMatrix",
    "feDiffuseLighting",
    "feDisplacementMap",
    "feDistantLight",
    "feDropShadow",
    "feFlood",
    "feFuncA",
    "feFuncB",
    "feFuncG",
    "feFuncR",
    "feGaussianBlur",
    "feImage",
    "feMerge",
    "feMergeNode",
    "feMorphology",
    "feOffset",
    "fePointLight",
    "feSpecularLighting",
    "feSpotLight",
    "feTile",
    "feTurbulence",
    "foreignObject",
    "glyphRef",
    "linearGradient",
    "radialGradient",
    "textPath",
];

const SVG_ATTRIBUTES: &[&str] = &[
    "attributeName",
    "attributeType",
    "baseFrequency",
    "baseProfile",
    "calcMode",
    "clipPathUnits",
    "diffuseConstant",
    "edgeMode",
    "filterUnits",
    "glyphRef",
    "gradientTransform",
    "gradientUnits",
    "kernelMatrix",
    "kernelUnitLength",
    "keyPoints",
    "keySplines",
    "keyTimes",
    "lengthAdjust",
    "limitingConeAngle",
    "markerHeight",
    "markerUnits",
    "markerWidth",
    "maskContentUnits",
    "maskUnits",
    "numOctaves",
    "pathLength",
    "patternContentUnits",
    "patternTransform",
    "patternUnits",
    "pointsAtX",
    "pointsAtY",
    "pointsAtZ",
    "preserveAlpha",
    "preserveAspectRatio",
    "primitiveUnits",
    "refX",
    "refY",
    "repeatCount",
    "repeatDur",
    "requiredExtensions",
    "requiredFeatures",
    "specularConstant",
    "specularExponent",
    "spreadMethod",
    "startOffset",
    "stdDeviation",
    "stitchTiles",
    "surfaceScale",
    "systemLanguage",
    "tableValues",
    "targetX",
    "targetY",
    "textLength",
    "viewBox",
    "viewTarget",
    "xChannelSelector",
    "yChannelSelector",
    "zoomAndPan",
];

fn restored(name: String, with_capitals: &[&str]) -> String {
    with_capitals
        .iter()
        .find(|known| known.eq_ignore_ascii_case(&name))
        .map_or(name, |known| (*known).to_owned())
}

/// The namespace of an element and its name as that namespace writes it.
pub fn adjusted_element(written: &str, parent: Option<(Namespace, &str)>) -> (Namespace, String) {
    let lower = written.to_ascii_lowercase();
    let inherited = match parent {
        // The integration points of the HTML standard lead back to HTML.
        Some((Namespace::Svg, "foreignObject" | "desc" | "title")) => Namespace::Html,
        Some((Namespace::MathMl, "mi" | "mo" | "mn" | "ms" | "mtext" | "annotation-xml")) => {
            Namespace::Html
        }
        Some((namespace, _)) => namespace,
        None => Namespace::Html,
    };
    match (inherited, lower.as_str()) {
        (_, "svg") => (Namespace::Svg, lower),
        (_, "math") => (Namespace::MathMl, lower),
        (Namespace::Svg, _) => (Namespace::Svg, restored(lower, SVG_ELEMENTS)),
        (namespace, _) => (namespace, lower),
    }
}

/// An attribute's name as the namespace of its element writes it. Names on components are
/// left as they were written, since they are names of props.
pub fn adjusted_attribute(written: &str, namespace: Namespace, on_component: bool) -> String {
    if on_component {
        return written.to_owned();
    }
    let lower = written.to_ascii_lowercase();
    match namespace {
        Namespace::Html => lower,
        Namespace::Svg => restored(lower, SVG_ATTRIBUTES),
        Namespace::MathMl => restored(lower, &["definitionURL"]),
    }
}

/// Elements that keep their white space.
pub fn keeps_white_space(name: &str) -> bool {
    matches!(name, "pre" | "textarea" | "listing")
}

/// Whether an element stands on lines of its own, or is not shown, so that white space beside it is not shown either (HTML
/// standard, rendering: flow content, tables, lists, hidden elements).
pub fn stands_alone(name: &str) -> bool {
    matches!(
        name,
        "html"
            | "body"
            | "address"
            | "article"
            | "aside"
            | "blockquote"
            | "br"
            | "caption"
            | "center"
            | "col"
            | "colgroup"
            | "dd"
            | "details"
            | "dialog"
            | "dir"
            | "div"
            | "dl"
            | "dt"
            | "fieldset"
            | "figcaption"
            | "figure"
            | "footer"
            | "form"
            | "h1"
            | "h2"
            | "h3"
            | "h4"
            | "h5"
            | "h6"
            | "header"
            | "hgroup"
            | "hr"
            | "legend"
            | "li"
            | "listing"
            | "main"
            | "menu"
            | "nav"
            | "ol"
            | "optgroup"
            | "option"
            | "p"
            | "pre"
            | "search"
            | "section"
            | "summary"
            | "table"
            | "tbody"
            | "td"
            | "tfoot"
            | "th"
            | "thead"
            | "tr"
            | "ul"
            | "area"
            | "base"
            | "datalist"
            | "head"
            | "link"
            | "meta"
            | "param"
            | "rp"
            | "script"
            | "source"
            | "style"
            | "template"
            | "title"
            | "track"
    )
}

/// Whether white space between what an element holds is not shown, whatever that is.
pub fn shows_no_space(name: &str, namespace: Namespace) -> bool {
    match namespace {
        Namespace::Html => matches!(
            name,
            "audio"
                | "colgroup"
                | "datalist"
                | "dl"
                | "menu"
                | "ol"
                | "optgroup"
                | "picture"
                | "select"
                | "table"
                | "tbody"
                | "tfoot"
                | "thead"
                | "tr"
                | "ul"
                | "video"
        ),
        Namespace::Svg => !matches!(name, "a" | "text" | "textPath" | "tspan" | "title" | "desc"),
        Namespace::MathMl => !matches!(name, "mi" | "mo" | "mn" | "ms" | "mtext"),
    }
}

/// Elements whose content is text and character references only (HTML standard, RCDATA).
pub fn holds_only_text(name: &str) -> bool {
    matches!(name, "textarea" | "title")
}
