//! The guide's page by hand, which becomes components: it does the same at every step.

use crate::building_of::built;
use crate::driven::Browser;
use serde_json::json;
use tempfile::TempDir;
use vein_cli::trial::serve_files;

const GUIDE: &str = include_str!("../../../../docs/guide.md");

/// The block of the guide that begins with the name of a file.
fn block(name: &str) -> &'static str {
    let mark = format!("<!-- {name} -->\n");
    let blocks = GUIDE.split("```").filter_map(|block| block.split_once('\n'));
    let found = blocks.filter_map(|(_, text)| text.strip_prefix(mark.as_str())).last();
    found.unwrap_or_else(|| panic!("the guide has no {name}"))
}

pub async fn a_page_by_hand_becomes_components(browser: &Browser) {
    let (dir, out) = (TempDir::new().expect("a folder"), TempDir::new().expect("a folder"));
    for name in ["lent-list.vein", "lent-page.vein"] {
        std::fs::write(dir.path().join(name), block(name)).expect("a component");
    }
    built(&["--element", "lent-list"], dir.path(), &out.path().join("half"));
    built(&["lent-page"], dir.path(), &out.path().join("whole"));
    for (name, file) in [("by-hand.html", "by-hand.html"), ("half.html", "half/index.html")] {
        let page = format!("<!doctype html>\n<html lang=\"en\"><title>a</title>\n{}", block(name));
        std::fs::write(out.path().join(file), page).expect("a page");
    }
    let address = serve_files(out.path().to_owned(), &[]).await.expect("a server");
    let parts = "const root = document.querySelector('lent-list')?.shadowRoot ?? document;
        const buttons = [...root.querySelectorAll('button')];
        const shown = () => [...buttons.map((one) => one.textContent), document.querySelector('#count').textContent];";
    for page in ["by-hand.html", "half/", "whole/"] {
        browser.client.goto(&format!("{address}/{page}")).await.expect("a page");
        browser.until(&format!("{parts} return buttons.length === 2"), page).await;
        let shown = browser.run(&format!("{parts} return shown()")).await;
        assert_eq!(shown, json!(["Ladder", "Saw (out)", "1 out"]), "{page}");
        for (button, shown) in
            [(0, ["Ladder (out)", "Saw (out)", "2 out"]), (1, ["Ladder (out)", "Saw", "1 out"])]
        {
            // What is clicked before anybody listens is heard by nobody.
            let done =
                format!("{parts} if (shown().join() === '{}') return true;", shown.join(","));
            browser.run(&format!("{parts} buttons[{button}].click()")).await;
            browser.until(&format!("{done} return false"), page).await;
        }
    }
}
