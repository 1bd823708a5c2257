//! Style sheets.

use cssparser::{ParseError, Parser, Token};
use vein::Ui;

/// Any style sheet reaches only its component's elements, and stays in its element.
pub fn styles(bytes: &[u8]) {
    let css = crate::text(bytes);
    let text = format!("<p class='dry'><b id='n'>x</b></p>\n<style>\n{css}\n</style>\n");
    let Ok(ui) = Ui::from_sources([("fuzz-bed", text)]) else { return };
    for (_, css) in ui.styles() {
        let ends = css.to_ascii_lowercase().match_indices("</style").any(|(at, tag)| {
            css[at + tag.len()..].starts_with(['\t', '\n', '\u{c}', '\r', ' ', '/', '>'])
        });
        assert!(!ends, "it leaves its element: {css:?}");
        rules(&mut Parser::new(css), css, None);
    }
    let _ = ui.program().to_bytes();
}

/// Each selector of rules that declare something asks for the component's mark; of a rule inside of others its own does.
/// `around` says whether that of the rule around does.
fn rules(parser: &mut Parser<'_>, css: &str, around: Option<bool>) {
    let (mut selector, mut at) = (String::new(), None::<String>);
    let declared = |text: &str| {
        let reaches = around == Some(false) && !text.trim().is_empty();
        assert!(!reaches, "`{text}` may reach anything: {css:?}");
    };
    loop {
        let begun = parser.position();
        let Ok(token) = parser.next_including_whitespace_and_comments().cloned() else { break };
        let text = parser.slice_from(begun).to_owned();
        match token {
            Token::AtKeyword(name) if selector.trim().is_empty() => {
                (at, selector) = (Some(name.to_ascii_lowercase()), String::new());
            }
            Token::Semicolon if at.is_some() => (at, selector) = (None, String::new()),
            Token::Semicolon if around.is_some() => declared(&std::mem::take(&mut selector)),
            Token::CurlyBracketBlock if around.is_some() && selector.trim_start().starts_with("--") => {
                selector.push_str(&text);
            }
            Token::CurlyBracketBlock => {
                let name = at.take();
                let selector = std::mem::take(&mut selector);
                let done: Result<(), ParseError<()>> = parser.parse_nested_block(|inner| {
                    match name.as_deref() {
                        None => {
                            let is_marked = parts(&selector).all(|one| one.contains("[data-of~="));
                            rules(inner, css, Some(is_marked));
                        }
                        Some("media" | "supports" | "container" | "layer" | "starting-style") => {
                            rules(inner, css, around)
                        }
                        Some(_) => {}
                    }
                    while inner.next().is_ok() {}
                    Ok(())
                });
                done.expect("a block");
            }
            Token::Comment(_) | Token::CDO | Token::CDC => {}
            Token::ParenthesisBlock | Token::SquareBracketBlock | Token::Function(_) => {
                let inside: Result<String, ParseError<()>> = parser.parse_nested_block(|inner| {
                    let begun = inner.position();
                    while inner.next().is_ok() {}
                    Ok(inner.slice_from(begun).to_owned())
                });
                selector.push_str(&text);
                selector.push_str(&inside.expect("a block").replace(',', " "));
                selector.push(')');
            }
            _ => selector.push_str(&text),
        }
    }
    if at.is_none() {
        declared(&selector);
    }
}

/// The selectors of a list; an empty one selects nothing.
fn parts(list: &str) -> impl Iterator<Item = &str> {
    list.split(',').map(str::trim).filter(|one| !one.is_empty())
}
