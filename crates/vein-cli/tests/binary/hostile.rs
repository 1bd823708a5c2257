//! Files and data that nobody would write on purpose: what they say is shown and not obeyed, what they lead to is left alone, and
//! what is wrong with them is told at once.

use serde_json::json;
use std::path::Path;
use std::process::{Command, Output};
use tempfile::TempDir;

fn folder(files: &[(&str, &str)]) -> TempDir {
    let dir = TempDir::new().expect("a folder");
    for (path, text) in files {
        std::fs::write(dir.path().join(path), text).expect("a file");
    }
    dir
}

fn vein(dir: &Path, args: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(args).current_dir(dir).env("NO_COLOR", "1");
    command.output().expect("the binary runs")
}

fn said(output: &Output) -> String {
    let all = [&output.stdout[..], &output.stderr].concat();
    String::from_utf8(all).expect("UTF-8")
}

/// Whether nothing in a text steers a terminal.
fn is_plain(text: &str) -> bool {
    !text.chars().any(|c| c.is_control() && c != '\n')
}

const ROWS: &str = "takes rows: { id: number, name: string }[]
holds n = 0
<ul><li each='row of rows by row.name' class='a-\u{1b}[31mb'>{row.name}<i click='-> n++'>{n}</i></li></ul>
";

#[test]
fn what_would_steer_a_terminal_is_shown() {
    let names =
        ["\u{1b}]0;title\u{7}", "\u{1b}[31mred\nnext", "\u{9b}2J", "\u{202e}gnp", "a\rb\u{7f}"];
    let rows: Vec<_> =
        names.iter().enumerate().map(|(id, name)| json!({ "id": id, "name": name })).collect();
    let data = json!({ "rows": rows }).to_string();
    let scenario = "component = 'a-bed'\ntitle = \"\\u001b[2J gone\"\ndata = 'a.json'\n\n\
                    [[step]]\nclick = 'i'\nchanges = []\n";
    let dir = folder(&[("a-bed.vein", ROWS), ("a.json", &data), ("a.scenario.toml", scenario)]);
    let with = dir.path().join("a.json");
    let with = with.to_str().expect("a path");
    let mut all = String::new();
    for args in [
        &["show", "a-bed", "--tree", "--data", with][..],
        &["map", "a-bed"],
        &["prove"],
        &["prove", "--ledger"],
        &["prove", "--coverage"],
        &["check"],
    ] {
        let told = said(&vein(dir.path(), args));
        assert!(is_plain(&told), "{args:?}: {told:?}");
        all.push_str(&told);
    }
    for shown in [
        "␛[31mred␊next",
        "␛]0;title␇",
        "\\u{9b}2J",
        "\\u{202e}gnp",
        "a␍b␡",
        "a-␛[31mb",
        "␛[2J gone",
    ] {
        assert!(all.contains(shown), "{shown}: {all}");
    }
    // A document that is read by another program is what it is.
    let html = vein(dir.path(), &["show", "a-bed", "--compact", "--data", with]);
    assert!(said(&html).contains("\u{1b}[31mred\nnext"));
    // A picture is XML, which has no such characters.
    let picture = dir.path().join("map.svg");
    vein(dir.path(), &["map", "a-bed", "--svg", picture.to_str().expect("a path")]);
    let picture = std::fs::read_to_string(&picture).expect("a picture");
    assert!(is_plain(&picture) && picture.contains("a-␛[31mb"), "{picture:?}");
    // Nor do names of files.
    let dir = folder(&[("a-\u{1b}[31mb.vein", "<p>{nope}</p>")]);
    let told = said(&vein(dir.path(), &["check"]));
    assert!(is_plain(&told) && told.contains("a-␛[31mb.vein"), "{told:?}");
}

#[test]
fn columns_wider_than_any_terminal_are_cut_off_there() {
    let name = "w".repeat(70_000);
    let data = json!({ "rows": [{ "id": 1, "name": name }, { "id": 2, "name": "b" }] }).to_string();
    let long = format!("<p title='<- n' class='{name}' click='-> n++'>{{n}}</p>");
    let scenario = "component = 'a-bed'\ndata = 'a.json'\n\n[[step]]\nclick = 'i'\nchanges = []\n";
    let component = format!("{ROWS}{long}");
    let dir =
        folder(&[("a-bed.vein", &component), ("a.json", &data), ("a.scenario.toml", scenario)]);
    let with = dir.path().join("a.json");
    let with = with.to_str().expect("a path");
    for args in [
        &["show", "a-bed", "--tree", "--data", with][..],
        &["map", "a-bed"],
        &["prove", "--ledger"],
        &["prove", "--coverage"],
    ] {
        let output = vein(dir.path(), args);
        assert!(!said(&output).contains("panicked"), "{args:?}");
        assert!(output.status.code().is_some_and(|code| code < 2), "{args:?}");
    }
}

/// A line of ten thousand mistakes costs what a hundred cost, and what is not shown is counted.
#[test]
fn many_mistakes_are_counted() {
    for (text, count) in
        [("<".repeat(10_000), 10_000), ("<p>".to_owned() + &"{nope} ".repeat(3_000), 3_001)]
    {
        let dir = folder(&[("a-bed.vein", &text)]);
        let output = vein(dir.path(), &["check"]);
        let told = said(&output);
        assert_eq!(output.status.code(), Some(1));
        assert!(
            told.contains(&format!("1 component: {count} errors")),
            "{}",
            &told[told.len() - 200..]
        );
        let more = format!("{} more mistakes in", count - 100);
        assert!(told.contains(&more) && told.len() < 100_000, "{} bytes", told.len());
        assert!(told.lines().all(|line| line.chars().count() < 400));
        // The place is that in the file, and not in what is shown of it.
        assert!(
            told.contains("a-bed.vein:1:100\n") || told.contains("a-bed.vein:1:691\n"),
            "{told}"
        );
        let output = vein(dir.path(), &["check", "--json"]);
        let told: serde_json::Value = serde_json::from_slice(&output.stdout).expect("JSON");
        assert_eq!(told["errors"], json!(count));
        assert_eq!(told["diagnostics"].as_array().map(Vec::len), Some(100));
        assert_eq!(told["more"][0]["count"], json!(count - 100));
    }
}

#[test]
fn data_that_is_large_or_odd_is_read_or_refused_at_once() {
    let fields: Vec<String> = (0..100_000).map(|at| format!("\"k{at}\":{at}")).collect();
    let cases = [
        ("\u{feff}{\"rows\":[]}".to_owned(), "<ul></ul>"),
        (format!("{{\"rows\":[{{\"id\":1,{}}}]}}", fields.join(",")), "has no field `k0`"),
        (
            format!("{{\"rows\":{}}}", "9".repeat(1_000_000)),
            "the number 999999999999999999999999… is too large",
        ),
    ];
    for (data, expected) in cases {
        let dir = folder(&[("a-bed.vein", ROWS), ("a.json", &data)]);
        let with = dir.path().join("a.json");
        let with = with.to_str().expect("a path");
        let told = said(&vein(dir.path(), &["show", "a-bed", "--compact", "--data", with]));
        assert!(told.contains(expected) && told.len() < 1_000, "{}", &told[..told.len().min(300)]);
    }
}

#[test]
fn a_wait_has_an_end() {
    let component = "holds n = 0\nupon every (1) { n++ }\n<p>{n}</p>\n";
    for (wait, said_of_it) in [
        ("1e300", "`wait` takes milliseconds from zero up to 1000000000000"),
        ("-1", "from zero up"),
        ("1e9", "more than 100000 timers and answers came due: wait less"),
    ] {
        let scenario = format!("component = 'a-clock'\n\n[[step]]\nwait = {wait}\n");
        let dir = folder(&[("a-clock.vein", component), ("a.scenario.toml", &scenario)]);
        let output = vein(dir.path(), &["prove"]);
        assert_eq!(output.status.code(), Some(1));
        assert!(said(&output).contains(said_of_it), "{}", said(&output));
    }
}

#[cfg(unix)]
#[test]
fn links_and_pipes_lead_nowhere_else() {
    use std::os::unix::fs::symlink;
    let refused = |dir: &Path, args: &[&str], why: &str| {
        let output = vein(dir, args);
        let told = said(&output);
        assert!(output.status.code() == Some(2) && told.contains(why), "{args:?}: {told}");
    };
    let plain = [("a-bed.vein", "<p>bed</p>\n"), ("vein.toml", "component = 'a-bed'\n")];
    // Pipes that are called like files of a project.
    for name in ["b-bed.vein", "vein.toml", "a.json", "host.js"] {
        let dir = folder(&plain[..1]);
        let at = dir.path().join(name);
        let made = Command::new("mkfifo").arg(&at).status().expect("a system with pipes");
        assert!(made.success());
        let (out, with) = (dir.path().join("out"), at.to_str().expect("a path"));
        let out = out.to_str().expect("a path");
        match name {
            "a.json" => {
                refused(dir.path(), &["show", "--data", with], "a pipe or a device, and no file")
            }
            "host.js" => refused(dir.path(), &["build", "-o", out], "no file"),
            _ => refused(dir.path(), &["check"], "a pipe or a device, and no file"),
        }
    }
    // Settings that lead to themselves.
    let dir = folder(&plain[..1]);
    symlink("vein.toml", dir.path().join("vein.toml")).expect("a link");
    refused(dir.path(), &["check"], "cannot read");
    // What stands elsewhere is not published, and not written to.
    let (dir, elsewhere) = (folder(&plain), folder(&[("own.txt", "own")]));
    let (own, out) = (elsewhere.path().join("own.txt"), dir.path().join("out"));
    let to = out.to_str().expect("a path");
    std::fs::create_dir(dir.path().join("static")).expect("a folder");
    symlink(&own, dir.path().join("static/own.txt")).expect("a link");
    refused(dir.path(), &["build", "-o", to], "is a link to what is outside of");
    std::fs::remove_file(dir.path().join("static/own.txt")).expect("the link");
    // What stands in the folder may be linked.
    std::fs::write(dir.path().join("static/a.txt"), "a").expect("a file");
    symlink("a.txt", dir.path().join("static/b.txt")).expect("a link");
    for name in ["index.html", "assets", "a.txt"] {
        std::fs::create_dir_all(&out).expect("a folder");
        let leads_to = if name == "assets" { elsewhere.path() } else { &own };
        symlink(leads_to, out.join(name)).expect("a link");
        refused(dir.path(), &["build", "-o", to], "is a link, and a build writes through none");
        assert_eq!(std::fs::read_dir(elsewhere.path()).expect("a folder").count(), 1);
        assert_eq!(std::fs::read_to_string(&own).expect("a file"), "own");
        std::fs::remove_file(out.join(name)).expect("the link");
    }
    let built = vein(dir.path(), &["build", "-o", to]);
    assert!(built.status.success(), "{}", said(&built));
    assert_eq!(std::fs::read_to_string(out.join("b.txt")).expect("a file"), "a");
}

/// A report shows views of the project on a page of its own: they say nothing of that page, and their styles stay with them.
#[test]
fn a_report_is_nobody_elses_page() {
    let component = "holds n = 0
<main><meta http-equiv='refresh' content='0; url=/elsewhere'><base href='https://elsewhere.example/'>
<iframe src='/elsewhere'></iframe><button click='-> n++'>{n}</button></main>
";
    let css = "} body { display: none } </STYLE><h1>elsewhere</h1> p { color: red";
    let scenario = "component = 'a-bed'\n\n[[step]]\nclick = 'button'\n";
    let dir = folder(&[
        ("a-bed.vein", component),
        ("page.css", css),
        ("vein.toml", "component = 'a-bed'\nstyles = ['page.css']\n"),
        ("a.scenario.toml", scenario),
    ]);
    let told = said(&vein(dir.path(), &["prove", "--report", "report.html"]));
    let report = std::fs::read_to_string(dir.path().join("report.html")).expect(&told);
    for left_out in ["refresh", "<base", "<iframe", "</STYLE"] {
        assert!(!report.contains(left_out), "{left_out}: {told}");
    }
    assert!(report.contains("<button") && report.contains(":scope{ display: none }"));
    // What stands around the project's rules ends after them.
    let own =
        report.split("@scope (.stage) {").nth(1).and_then(|rest| rest.split("</style>").next());
    let own = own.expect("the project's styles");
    let ends = own.char_indices().scan(1, |open, (at, c)| {
        *open += i32::from(c == '{') - i32::from(c == '}');
        Some((at, *open))
    });
    let first_end = ends.into_iter().find(|(_, open)| *open == 0).map(|(at, _)| at);
    assert_eq!(first_end, own.rfind('}'), "{own}");
}
