//! What a control makes of a text that is set as its value: the value sanitization algorithms of the HTML
//! standard ("The input element", by type), and the microsyntaxes that they ask for.

use crate::tree::{NodeId, Tree};
use vein_plan::Property;

/// What an `input` makes of a text, by its type and attributes.
pub(crate) fn sanitised(tree: &Tree, id: NodeId, text: &str) -> String {
    let one_line = || text.replace(['\n', '\r'], "");
    let blank = |c: char| matches!(c, ' ' | '\t' | '\u{c}' | '\n' | '\r');
    let kept = |valid: bool| if valid { text.to_owned() } else { String::new() };
    match tree.control_type(id).as_str() {
        "hidden" | "submit" | "button" | "reset" | "image" | "checkbox" | "radio" => {
            text.to_owned()
        }
        "file" => String::new(),
        "email" if tree.attribute(id, "multiple").is_some() => {
            let each = text.split(',').map(|one| one.replace(['\n', '\r'], ""));
            each.map(|one| one.trim_matches(blank).to_owned()).collect::<Vec<_>>().join(",")
        }
        // What somebody types is trimmed in a field for an e-mail address only, and a point before an exponent
        // does no harm.
        "url" if tree.is_used(id, Property::Value) => one_line(),
        "number" if tree.is_used(id, Property::Value) => {
            let plain = text.replace(".e", "e").replace(".E", "E");
            kept(number(&plain).is_some())
        }
        "email" | "url" => one_line().trim_matches(blank).to_owned(),
        "number" => kept(number(text).is_some()),
        "range" => range(tree, id, text),
        "color" => colour(text).unwrap_or_else(|| "#000000".into()),
        "date" => kept(date(text).is_some()),
        "month" => kept(month(text).is_some()),
        "week" => kept(week(text).is_some()),
        "time" => kept(time(text).is_some()),
        "datetime-local" => local(text).unwrap_or_default(),
        _ => one_line(),
    }
}

/// Whether a text is a valid floating-point number of the HTML standard.
///
/// ```
/// assert!(vein_view::is_number("-2.50") && !vein_view::is_number("2.") && !vein_view::is_number("+2"));
/// ```
pub fn is_number(text: &str) -> bool {
    number(text).is_some()
}

/// A valid floating-point number, and what it means.
pub(crate) fn number(text: &str) -> Option<f64> {
    let digits = |s: &str| !s.is_empty() && s.bytes().all(|b| b.is_ascii_digit());
    let unsigned = text.strip_prefix('-').unwrap_or(text);
    let (mantissa, exponent) = match unsigned.split_once(['e', 'E']) {
        Some((mantissa, exponent)) => (mantissa, Some(exponent)),
        None => (unsigned, None),
    };
    let mantissa = match mantissa.split_once('.') {
        Some((whole, part)) => (whole.is_empty() || digits(whole)) && digits(part),
        None => digits(mantissa),
    };
    let exponent = exponent
        .is_none_or(|exponent| digits(exponent.strip_prefix(['+', '-']).unwrap_or(exponent)));
    let value = (mantissa && exponent).then(|| text.parse::<f64>().ok()).flatten();
    value.filter(|value| value.is_finite())
}

fn range(tree: &Tree, id: NodeId, text: &str) -> String {
    let limit = |name: &str| tree.limit(id, name);
    let (min, max) = (limit("min").unwrap_or(0.0), limit("max").unwrap_or(100.0));
    let middle = if max < min { min } else { min + (max - min) / 2.0 };
    let mut value = number(text).unwrap_or(middle);
    if max < min {
        return vein_plan::Value::Number(min).to_shown().into();
    }
    value = value.min(max).max(min);
    let any = tree.has_any_step(id);
    if !any {
        let step = limit("step").filter(|step| *step > 0.0).unwrap_or(1.0);
        let base = limit("min").or_else(|| limit("value")).unwrap_or(0.0);
        let steps = (value - base) / step;
        // Of two steps that are equally near the higher one is taken.
        let mut nearest = base + (steps + 0.5).floor() * step;
        if nearest > max {
            nearest -= step;
        }
        if nearest < min {
            nearest += step;
        }
        value = tidy(nearest, &[step, base]);
    }
    vein_plan::Value::Number(value).to_shown().into()
}

impl Tree {
    /// The number in an attribute such as `min`, if it is one.
    pub fn limit(&self, id: NodeId, name: &str) -> Option<f64> {
        self.attribute(id, name).and_then(number)
    }

    /// Whether a control takes numbers between all steps.
    pub fn has_any_step(&self, id: NodeId) -> bool {
        self.attribute(id, "step").is_some_and(|step| step.eq_ignore_ascii_case("any"))
    }

    /// What an `input` would give as its value if a text were set as that.
    pub fn as_value(&self, id: NodeId, text: &str) -> String {
        sanitised(self, id, text)
    }

    /// What a person comes to with so many steps up in a field for numbers: as the algorithm of `stepUp` in the HTML
    /// standard, but for what is out of range, which comes into it.
    pub fn stepped(&self, id: NodeId, steps: f64) -> Stepped {
        let limit = |name: &str| self.limit(id, name);
        let any = self.has_any_step(id);
        let step = limit("step").filter(|step| *step > 0.0 && !any).unwrap_or(1.0);
        let base = limit("min").or_else(|| limit("value")).unwrap_or(0.0);
        let min = limit("min").unwrap_or(f64::MIN);
        let max = limit("max").unwrap_or(f64::MAX);
        let by = steps * step;
        let now = self.value(id).and_then(|value| number(&value));
        let now = now.unwrap_or_else(|| 0_f64.max(min - by).min(max - by));
        let shown = |value: f64| -> String {
            let value = match any {
                true => {
                    let ends = ["min", "max"].map(|name| limit(name).unwrap_or(now));
                    tidy(value, &[now, ends[0], ends[1]])
                }
                false => tidy(value, &[step, base]),
            };
            vein_plan::Value::Number(value).to_shown().into()
        };
        match steps > 0.0 {
            true if now < min => return Stepped::IntoRange(shown(min)),
            false if now > max => return Stepped::IntoRange(shown(max)),
            true if now >= max => return Stepped::Nowhere,
            false if now <= min => return Stepped::Nowhere,
            _ => {}
        }
        let at = ((now - base) / step * 1e9).round() / 1e9;
        let to = match (any || at == at.round(), steps > 0.0) {
            (true, _) => now + by,
            (false, true) => base + at.ceil() * step,
            (false, false) => base + at.floor() * step,
        };
        // Between all steps there is none that leads out below.
        if any && to < min {
            return Stepped::Nowhere;
        }
        let highest = if any { max } else { base + ((max - base) / step + 1e-9).floor() * step };
        Stepped::By(shown(if to > max { highest } else { to.max(min) }))
    }
}

/// What comes of a step in a field for numbers.
#[derive(Clone, Debug, PartialEq)]
pub enum Stepped {
    /// There is none to take.
    Nowhere,
    /// What was out of range comes into it.
    IntoRange(String),
    /// A step was taken, perhaps to where it stood.
    By(String),
}

/// A number without the noise of binary fractions, with as many decimals as those that it was made of.
fn tidy(value: f64, of: &[f64]) -> f64 {
    let decimals = |n: f64| {
        let text = vein_plan::Value::Number(n).to_shown();
        text.split_once('.').map_or(0, |(_, part)| part.len())
    };
    let most = of.iter().map(|n| decimals(*n)).max().unwrap_or(0).min(15);
    format!("{value:.most$}").parse().unwrap_or(value)
}

/// A colour by its name or in hexadecimal digits, as a simple one (CSS Color 4). Colours of functions are
/// not worked out.
fn colour(text: &str) -> Option<String> {
    let text = text.trim_matches([' ', '\t', '\n', '\r', '\u{c}']);
    #[cfg(feature = "select")]
    let named = cssparser::color::parse_named_color(text).ok();
    #[cfg(not(feature = "select"))]
    let named = None;
    let (r, g, b) = named.or_else(|| hexadecimal(text.strip_prefix('#')?))?;
    Some(format!("#{r:02x}{g:02x}{b:02x}"))
}

fn hexadecimal(digits: &str) -> Option<(u8, u8, u8)> {
    let all: Option<Vec<u8>> =
        digits.chars().map(|c| c.to_digit(16).map(|digit| digit as u8)).collect();
    match *all? {
        [r, g, b] | [r, g, b, _] => Some((r * 17, g * 17, b * 17)),
        [r, s, g, h, b, c] | [r, s, g, h, b, c, _, _] => Some((r * 16 + s, g * 16 + h, b * 16 + c)),
        _ => None,
    }
}

/// So many digits and nothing else.
fn fixed(text: &str, digits: usize) -> Option<u32> {
    let valid = text.len() == digits && text.bytes().all(|b| b.is_ascii_digit());
    valid.then(|| text.parse().ok()).flatten()
}

/// The last year that a moment of ECMAScript can be in.
const LAST_YEAR: u32 = 275_760;

fn year(text: &str) -> Option<u32> {
    let valid = text.len() >= 4 && text.bytes().all(|b| b.is_ascii_digit());
    let year: u32 = valid.then(|| text.parse().ok()).flatten()?;
    (1..=LAST_YEAR).contains(&year).then_some(year)
}

pub(crate) fn month(text: &str) -> Option<(u32, u32)> {
    let (years, months) = text.rsplit_once('-')?;
    let (year, month) = (year(years)?, fixed(months, 2)?);
    let valid = (1..=12).contains(&month) && (year < LAST_YEAR || month <= 9);
    valid.then_some((year, month))
}

fn leaps(year: u32) -> bool {
    year.is_multiple_of(4) && (!year.is_multiple_of(100) || year.is_multiple_of(400))
}

pub(crate) fn date(text: &str) -> Option<(u32, u32, u32)> {
    let (months, days) = text.rsplit_once('-')?;
    let ((year, month), day) = (month(months)?, fixed(days, 2)?);
    let last = match month {
        2 => 28 + u32::from(leaps(year)),
        4 | 6 | 9 | 11 => 30,
        _ => 31,
    };
    let valid = (1..=last).contains(&day) && ((year, month) < (LAST_YEAR, 9) || day <= 13);
    valid.then_some((year, month, day))
}

/// `2026-W53`: years have 53 weeks whose first day, or for leap years second, is a Thursday.
pub(crate) fn week(text: &str) -> Option<(u32, u32)> {
    let (years, weeks) = text.split_once("-W")?;
    let (year, week) = (year(years)?, fixed(weeks, 2)?);
    // The weekday of 1 January, from Monday on (Gauss).
    let past = year - 1;
    let first = (past + past / 4 - past / 100 + past / 400) % 7;
    let most = if first == 3 || (first == 2 && leaps(year)) { 53 } else { 52 };
    let valid = (1..=most).contains(&week) && (year < LAST_YEAR || week <= 37);
    valid.then_some((year, week))
}

/// `12:30`, `12:30:15`, `12:30:15.125`; gives the shortest way to write it.
pub(crate) fn time(text: &str) -> Option<String> {
    let mut parts = text.splitn(3, ':');
    let (hour, minute) = (fixed(parts.next()?, 2)?, fixed(parts.next()?, 2)?);
    if hour > 23 || minute > 59 {
        return None;
    }
    let mut out = format!("{hour:02}:{minute:02}");
    if let Some(seconds) = parts.next() {
        let (whole, part) = match seconds.split_once('.') {
            Some((whole, part)) => (whole, Some(part)),
            None => (seconds, None),
        };
        let valid =
            |part: &str| (1..=3).contains(&part.len()) && part.bytes().all(|b| b.is_ascii_digit());
        let whole = fixed(whole, 2).filter(|whole| *whole < 60)?;
        if part.is_some_and(|part| !valid(part)) {
            return None;
        }
        let thousandths: u32 = format!("{:0<3}", part.unwrap_or("")).parse().ok()?;
        if whole > 0 || thousandths > 0 {
            out.push_str(&format!(":{whole:02}"));
        }
        if thousandths > 0 {
            out.push_str(format!(".{thousandths:03}").trim_end_matches('0'));
        }
    }
    Some(out)
}

fn local(text: &str) -> Option<String> {
    let (day, clock) = text.split_once(['T', ' '])?;
    let (_, time) = (date(day)?, time(clock)?);
    Some(format!("{day}T{time}"))
}
