//! The outcome as JUnit XML, which code hosts read.

use super::{Proved, Run};
use std::fmt::Write;
use std::time::Duration;

pub(super) fn proved(proved: &Proved) -> String {
    let cases: Vec<(&Run, Option<Wrong>)> =
        proved.runs.iter().map(|run| (run, wrong(run))).collect();
    let count = |kind: &str| {
        cases.iter().filter(|(_, wrong)| wrong.as_ref().is_some_and(|w| w.kind == kind)).count()
    };
    let counts = format!(
        "tests=\"{}\" errors=\"{}\" failures=\"{}\" time=\"{}\"",
        cases.len(),
        count("error"),
        count("failure"),
        seconds(proved.took)
    );
    let mut xml = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n\
         <testsuites name=\"vein prove\" {counts}>\n    <testsuite name=\"scenarios\" {counts}>\n"
    );
    for (run, wrong) in &cases {
        let (name, class) = (escaped(&run.name), escaped(&crate::output::path(&run.path)));
        let took = seconds(run.took);
        let begin =
            format!("        <testcase name=\"{name}\" classname=\"{class}\" time=\"{took}\"");
        let _ = match wrong {
            None => writeln!(xml, "{begin}/>"),
            Some(Wrong { kind, first, all }) => writeln!(
                xml,
                "{begin}>\n            <{kind} message=\"{}\">{}</{kind}>\n        </testcase>",
                escaped(first),
                escaped(all)
            ),
        };
    }
    xml + "    </testsuite>\n</testsuites>\n"
}

/// Why a scenario does not hold: it fails, or (`error`) it could not be played.
struct Wrong {
    kind: &'static str,
    first: String,
    all: String,
}

fn wrong(run: &Run) -> Option<Wrong> {
    match &run.played {
        Ok((_, played)) if played.holds() => None,
        Ok((file, played)) => {
            let mistakes: Vec<_> = played.mistakes().cloned().collect();
            let first = mistakes.first().map_or(String::new(), |first| first.message.clone());
            Some(Wrong { kind: "failure", first, all: file.report(&mistakes).text(false) })
        }
        Err(error) => {
            let all = error.to_string();
            let first = all.lines().next().unwrap_or_default().to_owned();
            Some(Wrong { kind: "error", first, all })
        }
    }
}

fn seconds(took: Duration) -> String {
    format!("{:.3}", took.as_secs_f64())
}

/// A text that may stand in an attribute or an element (XML 1.0, 2.2 and 2.4): what XML cannot hold is
/// left out.
fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for character in text.chars() {
        match character {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\t' | '\n' => out.push(character),
            '\u{0}'..='\u{1f}' | '\u{fffe}' | '\u{ffff}' => {}
            _ => out.push(character),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    #[test]
    fn nothing_in_a_text_can_be_taken_for_markup() {
        let hostile = "a \"b\" <c>&amp;</c> ]]>\u{0}\u{1b}[31m\r\n\tü \u{ffff}";
        let wanted = "a &quot;b&quot; &lt;c&gt;&amp;amp;&lt;/c&gt; ]]&gt;[31m\n\tü ";
        assert_eq!(super::escaped(hostile), wanted);
    }
}
