//! Markup from data in a built page: the browser cleans it to what is made of it outside a browser.

use crate::building_of::{built, project};
use crate::driven::Browser;
use serde_json::{Value as Json, json};
use tempfile::TempDir;
use vein::Ui;
use vein_cli::trial::serve_files;

const NOTE: &str = "takes note: string\nholds more = ''\n<article html='<- note'></article><div html='<- more'></div>\n";

/// Pieces of which markup is made; some are attacks, some break rules of nesting.
const PIECES: &[&str] = &[
    "<b>",
    "</b>",
    "<i title='a'>",
    "</i>",
    "<p>",
    "</p>",
    "<div class='x' lang='de'>",
    "</div>",
    "text ",
    "&lt;b&gt;",
    "&amp;",
    "<a href='https://a.example/'>",
    "<a href='javascript:run()'>",
    "<a href='  JaVa\tScript:run()'>",
    "<a href='/x?a=1' onclick='run()' target='_blank'>",
    "<a href='http://['>",
    "</a>",
    "<img src='data:image/png,a' alt='a'>",
    "<img src='/a.png' width=4 onerror='run()'>",
    "<script>run()</script>",
    "<style>b { color: red }</style>",
    "<!-- a -->",
    "<svg><circle r=1></circle>a</svg>",
    "<svg><style><a title='</style><img src=x onerror=run()>'>",
    "<math><mi>x</mi></math>",
    "<math><mtext><table><mglyph><style><img src=x onerror=run()>",
    "<form><input name=a>",
    "</form>",
    "<table><tr><td colspan=2>",
    "</table>",
    "<ul><li>",
    "</ul>",
    "<select><option>a",
    "</select>",
    "<template><b>a</b></template>",
    "<noscript><p title='</noscript><b>'>",
    "<circle>a</circle>",
    "<x-y>a</x-y>",
    "<br>",
    "<hr>",
    "<h2>",
    "</h2>",
    "<blockquote cite='https://a.example'>",
    "<q cite='javascript:run()'>",
    "</q>",
    "<iframe src='/'></iframe>",
    "<b ",
    "<",
    ">",
    "'",
    "&#x3c;",
    "<p title=\"a\"b>",
    "😀 ",
    "<font color=red>",
    "</font>",
    "<details open><summary>s</summary>",
    "<ruby>a<rt>b</ruby>",
    "<time datetime='2026-05-04'>",
    "<textarea><b>a</textarea>",
    "<title>a</title>",
    "<body onload='run()'>",
    "<plaintext>",
];

fn markup(seed: u64) -> String {
    let mut state = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
    let mut next = |n: usize| {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        (state >> 33) as usize % n
    };
    (0..1 + next(9)).map(|_| PIECES[next(PIECES.len())]).collect()
}

/// Writes each text to the page, and says what is shown.
const SHOWN: &str = "return arguments[0].map((text) => {
  page.set('more', text);
  return document.querySelector('#view div').innerHTML;
});";

const HOST: &str = "export default async function begin(vein) { globalThis.page = vein.open(); }\n";

pub async fn a_built_page_cleans_as_it_is_cleaned_outside(browser: &Browser) {
    let (dir, out) = (project(NOTE), TempDir::new().expect("a folder"));
    let note = "<p onclick='run()'>Late <b>frost</b></p><script>run()</script>";
    let settings = "component = 'bed-tile'\ndata = 'data.json'\n";
    let data = json!({ "note": note }).to_string();
    for (file, text) in [("vein.toml", settings), ("data.json", &data), ("host.js", HOST)] {
        std::fs::write(dir.path().join(file), text).expect("a file");
    }
    built(&[], dir.path(), out.path());
    let address = serve_files(out.path().to_owned(), &[]).await.expect("a server");
    browser.client.goto(&address).await.expect("a page");
    browser.until("return 'linked' in document.documentElement.dataset", "the page").await;
    // What was written beforehand stands as it was.
    let stands = "return document.querySelector('#view article').innerHTML";
    assert_eq!(browser.run(stands).await, json!("<p>Late <b>frost</b></p>"));
    let texts: Vec<String> = (1..=1500).map(markup).collect();
    let theirs = browser.client.execute(SHOWN, vec![json!(texts)]).await.expect("it runs");
    let Json::Array(theirs) = theirs else { panic!("{theirs}") };
    let ui = Ui::from_sources([("bed-tile.vein", NOTE)]).expect("a component");
    let mut page = ui.page("bed-tile").open(json!({ "note": "" })).expect("data");
    let mut wrong = Vec::new();
    for (text, theirs) in texts.iter().zip(theirs) {
        page.set("more", text).expect("state");
        let ours = page.find("div").expect("an element").html();
        let ours = ours
            .split_once('>')
            .expect("a start tag")
            .1
            .strip_suffix("</div>")
            .expect("an end tag")
            .to_owned();
        if theirs.as_str() != Some(&ours) {
            wrong.push(format!("{text:?}\n  here  {ours}\n  there {theirs}"));
        }
    }
    assert!(
        wrong.is_empty(),
        "{} differ:\n{}",
        wrong.len(),
        wrong[..wrong.len().min(8)].join("\n")
    );
}
