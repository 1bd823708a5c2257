//! What `vein check` takes for attributes of HTML is what Chromium takes for them.

use crate::driven::Browser;
use std::collections::BTreeSet;
use vein::{Source, check};

/// What the standard has given up, and browsers still read.
const GIVEN_UP: &[&str] = &[
    "align",
    "alink",
    "alinkcolor",
    "archive",
    "axis",
    "background",
    "behavior",
    "bgcolor",
    "border",
    "cellpadding",
    "cellspacing",
    "char",
    "charoff",
    "ch",
    "choff",
    "charset",
    "classid",
    "clear",
    "code",
    "codebase",
    "codetype",
    "color",
    "compact",
    "coords",
    "declare",
    "direction",
    "event",
    "face",
    "frame",
    "frameborder",
    "hspace",
    "htmlfor",
    "language",
    "link",
    "linkcolor",
    "longdesc",
    "loop",
    "lowsrc",
    "marginheight",
    "marginwidth",
    "name",
    "nohref",
    "noshade",
    "nowrap",
    "object",
    "profile",
    "rev",
    "rows",
    "rules",
    "scheme",
    "scope",
    "scrollamount",
    "scrolldelay",
    "scrolling",
    "shape",
    "size",
    "standby",
    "summary",
    "text",
    "truespeed",
    "target",
    "type",
    "valign",
    "value",
    "valuetype",
    "version",
    "vlink",
    "vlinkcolor",
    "vspace",
    "width",
    "height",
    "cite",
    "usemap",
    "abbr",
];

/// What one browser tries out, and no standard has.
const TRIED_OUT: &[&str] = &[
    "adauctionheaders",
    "allowpaymentrequest",
    "browsingtopics",
    "focusgroupstart",
    "privatetoken",
    "unbounded",
];

const ELEMENTS: &str = "a abbr area article audio b blockquote button canvas caption col colgroup data dd del \
    details dialog div dl dt embed fieldset figure form h1 iframe img input ins label legend li link main map meter \
    object ol optgroup option output p picture pre progress q select source span summary table tbody td textarea th \
    thead time tr track ul video";

/// The attributes that set a property of an element, by trying: for every property, whether setting the
/// attribute of its name changes it.
const REFLECTED: &str = r#"
  const found = [];
  for (const name of arguments[0]) {
    const made = () => document.createElement(name);
    const first = made();
    for (const property in first) {
      const attribute = { className: 'class', htmlFor: 'for', httpEquiv: 'http-equiv', acceptCharset: 'accept-charset' }[property]
        ?? (/^aria[A-Z]/.test(property) ? property.toLowerCase().replace('aria', 'aria-') : property.toLowerCase());
      if (/^on|^aria-|^inner|^outer|text$/.test(attribute)) continue;
      for (const value of ['7', '', 'auto', 'on']) {
        const element = made();
        try {
          const before = element[property];
          if (typeof before === 'object' && before !== null || typeof before === 'function') break;
          element.setAttribute(attribute, value);
          if (!Object.is(element[property], before)) {
            found.push(`${name} ${attribute}`);
            break;
          }
        } catch { break; }
      }
    }
  }
  return found;
"#;

/// Whether `vein check` knows an attribute on an element.
fn is_known(element: &str, attribute: &str) -> bool {
    let text = format!("holds a = 'b'\n<{element} {attribute}=\"<- a\"></{element}>\n");
    let source = Source { path: "test-bed.vein".into(), text };
    !check(vec![source]).report.diagnostics.iter().any(|found| found.code == "unknown-attribute")
}

pub async fn what_chromium_reads_is_known(browser: &Browser) {
    let elements: Vec<&str> = ELEMENTS.split_ascii_whitespace().collect();
    let found = browser.client.execute(REFLECTED, vec![serde_json::json!(elements)]).await;
    let found: Vec<String> =
        serde_json::from_value(found.expect("it runs")).expect("names of elements and attributes");
    assert!(found.len() > 900, "{} attributes", found.len());
    let unknown: BTreeSet<&str> = found
        .iter()
        .filter_map(|pair| pair.split_once(' '))
        .filter(|(element, attribute)| !is_known(element, attribute))
        .map(|(_, attribute)| attribute)
        .filter(|attribute| !GIVEN_UP.contains(attribute) && !TRIED_OUT.contains(attribute))
        .collect();
    assert!(unknown.is_empty(), "{unknown:?} of {found:?}");
}

/// The properties that a style of Chromium has under their own names.
const PROPERTIES: &str = r#"
  const style = document.createElement('p').style;
  const named = (property) => property.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`);
  const found = [];
  for (const property in style) {
    if (typeof style[property] === 'string' && CSS.supports(named(property), 'initial')) found.push(named(property));
  }
  return found;
"#;

/// Of declarations those that Chromium takes.
const SUPPORTED: &str = r#"
  const [properties, values] = arguments;
  return properties.flatMap((property) =>
    values.filter((value) => CSS.supports(property, value)).map((value) => `${property}: ${value}`));
"#;

pub async fn what_chromium_styles_is_known(browser: &Browser) {
    let found = browser.run(PROPERTIES).await;
    let found: Vec<String> = serde_json::from_value(found).expect("names of properties");
    assert!(found.len() > 400, "{} properties", found.len());
    // Every word of any property, and what else values are made of, for every property.
    let table = include_str!("../../../vein-check/data/values.txt");
    let words = table
        .lines()
        .filter(|line| !line.starts_with('#'))
        .flat_map(|line| line.split(' ').skip(2));
    let more = [
        "3",
        "0.5",
        "-2",
        "3px",
        "-1.5em",
        "3%",
        "2s",
        "40ms",
        "3deg",
        "0.25turn",
        "2fr",
        "96dpi",
        "1dppx",
        "#abc",
        "#abcd",
        "#AABBCC",
        "#aabbccdd",
        "rebeccapurple",
        "RED",
        "transparent",
        "3px 4px",
        "1px solid red",
        "red 1px solid",
        "1 1 0",
        "3 / 4",
        "50% 50%",
        "auto 3px",
        "2s ease-in",
        "opacity 1s linear 2s",
        "italic bold 12px/1.5 serif",
        "url(a.png) no-repeat center / cover",
        "0 0 4px #0004",
        "1fr auto",
        "a",
        "3 a",
        "none",
        "calc(1px + 2%)",
        "inherit",
        "revert-layer",
        "1px dashed",
        "center / cover",
        "row wrap",
        "stretch",
        "span 2",
        "1 / 3",
        "counter(a) 'b'",
        "blur(3px)",
        "rotate(3deg) scale(2)",
        "minmax(1px, 2fr) 3px",
    ];
    let values: BTreeSet<&str> = words.chain(more).collect();
    let given = vec![serde_json::json!(found), serde_json::json!(values)];
    let taken = browser.client.execute(SUPPORTED, given).await.expect("it runs");
    let taken: Vec<String> = serde_json::from_value(taken).expect("declarations");
    assert!(taken.len() > 8000, "{} declarations", taken.len());
    let declared: String = found
        .iter()
        .map(|name| format!("{name}: initial"))
        .chain(taken)
        .map(|one| one + ";\n")
        .collect();
    let text = format!("<p>a</p>\n<style>\np {{ {declared} }}\n</style>\n");
    let source = Source { path: "test-bed.vein".into(), text };
    let report = check(vec![source]).report;
    assert!(report.diagnostics.is_empty(), "{report}");
}
