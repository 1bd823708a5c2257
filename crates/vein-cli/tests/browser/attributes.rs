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

pub async fn what_chromium_styles_is_known(browser: &Browser) {
    let found = browser.run(PROPERTIES).await;
    let found: Vec<String> = serde_json::from_value(found).expect("names of properties");
    assert!(found.len() > 400, "{} properties", found.len());
    let declared: String = found.iter().map(|name| format!("{name}: initial;\n")).collect();
    let text = format!("<p>a</p>\n<style>\np {{ {declared} }}\n</style>\n");
    let source = Source { path: "test-bed.vein".into(), text };
    let report = check(vec![source]).report;
    assert!(report.diagnostics.is_empty(), "{report}");
}
