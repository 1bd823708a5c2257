//! White space between what stands in a line and what does not, held against what Chromium shows of the same markup
//! written by hand.

use crate::driven::Browser;
use crate::seeds::Seeds;
use serde_json::{Value as Json, json};
use vein::Ui;

/// Components with what they show, as somebody would write it by hand.
const COMPONENTS: [(&str, &str, &str); 5] = [
    ("in-line", "<em>in</em>\n", "<em>in</em>"),
    ("on-own", "<p>own</p>\n", "<p>own</p>"),
    ("line-then", "<i>then</i>\n<div>lines</div>\n", "<i>then</i>\n<div>lines</div>"),
    ("as-inner", "<in-line></in-line>\n", "<em>in</em>"),
    ("as-own", "<group>\n<on-own></on-own>\n</group>\n", "<p>own</p>"),
];

const IN_LINE: [&str; 7] = ["b", "span", "a", "button", "label", "select", "svg"];
const BLOCKS: [&str; 9] = ["p", "div", "section", "h2", "ul", "table", "br", "hr", "fieldset"];
const SPACES: [&str; 5] = ["", " ", "\n", "\n  ", "  \n\n"];

/// The same markup as a component's and by hand.
#[derive(Default)]
struct Both {
    ours: String,
    theirs: String,
}

impl Both {
    fn push(&mut self, text: &str) {
        self.ours.push_str(text);
        self.theirs.push_str(text);
    }
}

struct Random(u64);

impl Random {
    fn below(&mut self, n: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 33) as usize % n
    }

    fn of<T: Copy>(&mut self, all: &[T]) -> T {
        all[self.below(all.len())]
    }

    /// Nodes beside each other, in what stands in a line or not: there, a line break at the edges would show.
    fn nodes(&mut self, both: &mut Both, in_line: bool, depth: usize) {
        let edge = if in_line { &SPACES[..2] } else { &SPACES[..] };
        both.push(self.of(edge));
        let count = 1 + self.below(5);
        for at in 0..count {
            if at > 0 {
                both.push(self.of(&SPACES));
            }
            match self.below(8) {
                0 | 1 => {
                    both.push(self.of(&["one", "two,", "three four", "five\nsix", "{'seven'}"]))
                }
                2 | 3 => self.element(both, true, depth),
                4 if !in_line => self.element(both, false, depth),
                5 if !in_line => {
                    let (name, _, by_hand) = self.of(&COMPONENTS);
                    both.ours.push_str(&format!("<{name}></{name}>"));
                    both.theirs.push_str(by_hand);
                }
                6 => {
                    both.ours.push_str("<group when='1 > 0'>");
                    both.push("<u>group</u>");
                    both.ours.push_str("</group>");
                }
                7 if !in_line || (at > 0 && at + 1 < count) => both.push("<!-- a\nnote -->"),
                _ => both.push("<s>struck</s>"),
            }
        }
        both.push(self.of(edge));
    }

    fn element(&mut self, both: &mut Both, in_line: bool, depth: usize) {
        let name = self.of(if in_line { &IN_LINE[..] } else { &BLOCKS[..] });
        both.push(&format!("<{name}>"));
        let space = self.of(&SPACES);
        match name {
            "br" | "hr" => return,
            "ul" => both.push(&format!("{space}<li>a</li>{space}<li>b</li>{space}")),
            "select" => both.push(&format!("{space}<option>a</option>{space}")),
            "svg" => both.push(&format!("{space}<g>{space}<path></path>{space}</g>{space}")),
            "table" => {
                let row =
                    format!("{space}<tr>{space}<td>a</td>{space}<td>b</td>{space}</tr>{space}");
                both.push(&format!("{space}<tbody>{row}</tbody>{space}"));
            }
            _ if depth == 0 || matches!(name, "a" | "button" | "label") => both.push("x"),
            _ => self.nodes(both, in_line || matches!(name, "p" | "h2"), depth - 1),
        }
        both.push(&format!("</{name}>"));
    }
}

/// What is shown of each of two texts.
const SHOWN: &str = "const box = document.createElement('div');
document.body.append(box);
const shown = arguments[0].map((two) => two.map((html) => { box.innerHTML = html; return box.innerText; }));
box.remove();
return shown;";

pub async fn white_space_is_shown_as_in_html(browser: &Browser) {
    let (mut pairs, mut texts) = (Vec::new(), Vec::new());
    for seed in Seeds::new(600).and(&[]) {
        let mut random = Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
        let mut both = Both::default();
        random.nodes(&mut both, false, 3);
        let ours = format!("<main>{}</main>\n", both.ours);
        let files =
            COMPONENTS.iter().map(|(name, text, _)| (format!("{name}.vein"), (*text).to_owned()));
        let files = files.chain([("a-page.vein".to_owned(), ours.clone())]);
        let ui = Ui::from_sources(files).unwrap_or_else(|error| panic!("{seed}: {error}\n{ours}"));
        let mut page = ui.page("a-page").open(json!({})).expect("a page");
        let html = page.find("main").expect("an element").html();
        let theirs = both.theirs.replace("{'seven'}", "seven");
        pairs.push(json!([html, format!("<main>{theirs}</main>")]));
        texts.push((seed, ours));
    }
    browser.client.goto("data:text/html,<!doctype html><title>a</title>").await.expect("a page");
    let shown = browser.client.execute(SHOWN, vec![json!(pairs)]).await.expect("it runs");
    let Json::Array(shown) = shown else { panic!("{shown}") };
    let wrong: Vec<String> = shown
        .iter()
        .zip(&texts)
        .filter(|(two, _)| two[0] != two[1])
        .map(|(two, (seed, text))| {
            format!("{seed}: {text:?}\n  ours   {}\n  theirs {}", two[0], two[1])
        })
        .collect();
    let few = wrong[..wrong.len().min(8)].join("\n");
    assert!(wrong.is_empty(), "{} of {} differ:\n{few}", wrong.len(), texts.len());
}
