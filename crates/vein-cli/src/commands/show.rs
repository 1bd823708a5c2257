//! `vein show`

use crate::arguments::Show;
use crate::output::{self, Outcome};
use crate::project;
use crate::simulated;
use anstream::eprintln;
use anyhow::Result;
use serde_json::json;
use vein::{Page, Row};

pub(crate) fn run(show: &Show) -> Result<Outcome> {
    let Some(planned) = project::planned(&show.opening)? else {
        return Ok(Outcome::DoesNotHold);
    };
    let page = simulated::answered(planned.ui.page(&planned.component), &planned.answers)?;
    let page = page.open_value(planned.props.clone()).map_err(|error| planned.misfit(error))?;
    planned.unanswered.iter().for_each(|waiting| eprintln!("{}", project::unanswered(waiting)));
    if show.json {
        output::line(serde_json::to_string_pretty(&as_json(&planned.component, &page))?);
    } else if show.tree {
        output::line(table(&page.outline()));
    } else if show.compact {
        output::document(&page.html());
    } else {
        output::document(&page.html_indented());
    }
    Ok(Outcome::Holds)
}

fn as_json(component: &str, page: &Page) -> serde_json::Value {
    let rows = page.outline().into_iter().map(|row| {
        let source = row.source.map(|source| {
            json!({
                "address": source.address,
                "file": format!("{}.vein", source.component),
                "line": source.location.line,
                "column": source.location.column,
                "reads": source.reads,
                "listens": source.listens,
            })
        });
        json!({ "depth": row.depth, "what": row.what, "source": source })
    });
    json!({ "component": component, "html": page.html(), "outline": rows.collect::<Vec<_>>() })
}

/// The outline in columns: the view, then for each part its address, its source, its reads.
fn table(rows: &[Row]) -> String {
    let cells = rows.iter().map(|row| {
        let what = format!("{}{}", "  ".repeat(row.depth), shortened(&row.what));
        match &row.source {
            None => [what, String::new(), String::new(), String::new()],
            Some(source) => {
                let at = source.location;
                let reads = match (source.listens, source.reads.as_slice()) {
                    (true, _) => String::new(),
                    (false, []) => "nothing that changes".into(),
                    (false, reads) => reads.join(", "),
                };
                let place = format!("{}.vein:{}:{}", source.component, at.line, at.column);
                [what, source.address.clone(), place, reads]
            }
        }
    });
    let head = ["view", "address", "written at", "reads"].map(str::to_owned);
    let rows: Vec<[String; 4]> = std::iter::once(head).chain(cells).collect();
    output::columns(&rows)
}

/// At most 48 characters of a long text.
fn shortened(what: &str) -> String {
    const MOST: usize = 48;
    if what.chars().count() <= MOST {
        return what.to_owned();
    }
    let head: String = what.chars().take(MOST - 1).collect();
    format!("{head}…")
}
