//! The writer: escaped for its place, properties as attributes.

use crate::build::{batch, tree};
use vein_plan::Property;
use vein_view::{Layout, Patch};

#[test]
fn html_is_escaped_for_its_place() {
    for (items, html) in [
        (
            &["p title=a&\"<>\u{a0}", "\"<b>&\"\u{a0}", "/"][..],
            "<p title=\"a&amp;&quot;&lt;&gt;&nbsp;\">&lt;b&gt;&amp;\"&nbsp;</p>",
        ),
        (&["br", "/", "input value=1", "/"], "<br><input value=\"1\">"),
        (&["pre", "\"\na", "/", "pre", "\"a", "/"], "<pre>\n\na</pre><pre>a</pre>"),
        (&["textarea", "\"\n<", "/"], "<textarea>\n\n&lt;</textarea>"),
        (&["svg:svg viewBox=0", "svg:br", "/", "/"], "<svg viewBox=\"0\"><br></br></svg>"),
        (&["p hidden", "/"], "<p hidden=\"\"></p>"),
        (&["p", "i", "\"a", "/", "\" b", "/"], "<p><i>a</i> b</p>"),
    ] {
        assert_eq!(tree(items, vec![]).html(), html);
    }
}

#[test]
fn lines_are_broken_only_where_that_shows_nothing() {
    let tree = tree(
        &["ul", "li", "\"a ", "b", "\"c", "/", "/", "li", "/", "/", "pre", "i", "/", "/"],
        vec![],
    );
    assert_eq!(
        tree.html_of(tree.root(), Layout::Indented),
        "<ul>\n  <li>a <b>c</b></li>\n  <li></li>\n</ul>\n<pre><i></i></pre>"
    );
    let item = tree.select("li").expect("a selector")[0];
    assert_eq!(tree.html_of(item, Layout::Exact), "<li>a <b>c</b></li>");
}

#[test]
fn properties_are_written_as_attributes() {
    let mut tree = tree(
        &[
            "input value=old checked *",
            "/",
            "textarea *",
            "\"old",
            "/",
            "select *",
            "option value=a selected",
            "/",
            "option",
            "\"b",
            "/",
            "/",
            "video muted *",
            "/",
        ],
        vec![],
    );
    let value = Property::Value;
    let patches = [
        Patch::SetProperty { node: 1, property: value, value: "n\"ew" },
        Patch::SetFlag { node: 1, property: Property::Checked, on: false },
        Patch::SetProperty { node: 2, property: value, value: "new" },
        Patch::SetProperty { node: 3, property: value, value: "b" },
        Patch::SetFlag { node: 4, property: Property::Muted, on: true },
    ];
    tree.apply(&batch(&patches)).expect("patches that fit");
    assert_eq!(
        tree.html(),
        "<input value=\"n&quot;ew\"><textarea>new</textarea>\
         <select><option value=\"a\" selected=\"\"></option><option selected=\"\">b</option></select>\
         <video muted=\"\"></video>"
    );
}
