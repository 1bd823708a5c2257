//! What stands inside itself again and again ends where it is known to end, on the stack of an ordinary thread.

use serde_json::json;
use vein::{Cause, Page, Ui};

/// A component that shows itself so many times, with so much around each.
fn nested(open: &str, close: &str, times: usize) -> String {
    format!(
        "takes left: number\nholds n = 0\n<p>{{n}}<button click='-> n++'>n</button></p>\n{}\
         <a-nest when='left > 0' left='<- left - 1'></a-nest>{}",
        open.repeat(times),
        close.repeat(times),
    )
}

fn opened(text: &str) -> Page {
    let ui = Ui::from_sources([("a-nest.vein", text)]).unwrap_or_else(|report| panic!("{report}"));
    ui.open("a-nest", json!({ "left": 1_000 })).unwrap_or_else(|error| panic!("{error}"))
}

#[test]
fn what_nests_without_end_ends() {
    for (open, close, times, of) in [
        ("<i>", "</i>", 0, "100 components"),
        ("<i>", "</i>", 390, "500 elements"),
        ("<i>", "</i>", 8, "500 elements"),
        ("<group when='left > 0'>", "</group>", 380, "500 blocks"),
        ("<group each='i of [left]'>", "</group>", 190, "500 blocks"),
        ("<group when='left > 0'><i>", "</i></group>", 190, "500 blocks"),
    ] {
        let text = nested(open, close, times);
        let mut page = opened(&text);
        let opening = page.opening().pulse.clone();
        assert_eq!(opening.cause, Cause::Opened);
        let problems: Vec<String> = opening.problems.iter().map(ToString::to_string).collect();
        let said = format!("a-nest: more than {of} stand inside each other");
        assert_eq!(problems, [said], "{times} of {open}");
        // Written, looked through, drawn and closed all the same.
        assert!(page.html().len() > 50, "{open}: {}", page.html());
        assert!(page.html_indented().len() > 50);
        assert!(page.outline().len() > 10);
        let buttons = page.tree().select("button").expect("a selector").len();
        page.find("p:first-child button").and_then(|button| button.click()).expect("a click");
        assert!(page.html().starts_with("<p>1<button>"), "{buttons}");
        assert!(page.close().expect("the end").pulse.fault.is_none());
    }
}

/// A type that is made of the one before, again and again.
#[test]
fn types_end_where_nobody_follows_them() {
    let chain = |declared: fn(usize) -> String| (1..3_000).map(declared).collect::<String>();
    let derived = chain(|at| format!("derives d{at} = [d{}]\n", at - 1));
    let optional = chain(|at| format!("derives d{at} = {{ of: d{} }}\n", at - 1));
    let local = chain(|at| format!("const d{at} = [d{}]; ", at - 1));
    for text in [
        format!("derives d0 = [1]\n{derived}<p>{{JSON.stringify(d2999)}}</p>\n"),
        format!("derives d0 = [1]\n{optional}<p>{{JSON.stringify(d2999)}}</p>\n"),
        format!(
            "holds n = 0\ndoes go() {{ const d0 = [1]; {local} n = 1 }}\n<p click='-> go()'>{{n}}</p>\n"
        ),
    ] {
        let error =
            Ui::from_sources([("a-deep.vein", text)]).map(|_| ()).expect_err("that is too deep");
        let said = error.to_string();
        assert!(said.contains("error[too-deep]") && said.contains("types 100"), "{}", &said[..400]);
    }
    let few: String = (1..90).map(|at| format!("derives d{at} = [d{}]\n", at - 1)).collect();
    let text = format!("derives d0 = [1]\n{few}<p>{{JSON.stringify(d89)}}</p>\n");
    let page = Ui::from_sources([("a-deep.vein", text)]).and_then(|ui| ui.open("a-deep", ()));
    assert_eq!(page.map(|page| page.html().matches('[').count()).ok(), Some(90));
}
