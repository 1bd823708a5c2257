//! Whether a browser would send what a control holds (HTML standard, "Constraints").

use crate::interact::Typing;
use crate::sanitise::{self, number};
use crate::tree::{NodeId, Tree};
use vein_plan::Property;

/// What is known of what a control holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Validity {
    /// A browser would send it.
    Valid,
    /// It would not, for a reason.
    Invalid(String),
    /// Only a browser can tell, for a reason.
    Unknown(String),
}

impl Tree {
    /// The fields of a form whose values a browser would not send, or of which only a browser can tell.
    pub fn invalid_in(&self, form: NodeId) -> Vec<(NodeId, Validity)> {
        if self.attribute(form, "novalidate").is_some() {
            return Vec::new();
        }
        let all = self.controls_of(form).into_iter().map(|id| (id, self.validity(id)));
        all.filter(|(_, validity)| *validity != Validity::Valid).collect()
    }

    /// Whether a browser would send what a control holds. What `pattern` says only a browser knows; of addresses,
    /// scheme and host are looked at.
    pub fn validity(&self, id: NodeId) -> Validity {
        let kind = self.control_type(id);
        let name = self.name(id).unwrap_or("");
        let applies = |to: &[&str]| name == "input" && to.contains(&kind.as_str());
        let never = ["hidden", "button", "reset", "submit", "image"];
        let takes_readonly = name == "textarea"
            || !applies(&["range", "color", "checkbox", "radio", "file"]) && name == "input";
        let barred = self.is_disabled(id)
            || takes_readonly && self.attribute(id, "readonly").is_some()
            || name == "button"
            || applies(&never)
            || self.closest(id, |around| self.name(around) == Some("datalist")).is_some();
        if barred || !matches!(name, "input" | "select" | "textarea") {
            return Validity::Valid;
        }
        let value = self.value(id).unwrap_or_default();
        let reason = self
            .why_missing(id, name, &kind, &value)
            .or_else(|| self.is_bad_input(id).then(|| "what stands in it is no number".to_owned()))
            .or_else(|| self.why_of_type(id, name, &kind, &value))
            .or_else(|| self.why_length(id, &value))
            .or_else(|| self.why_out_of_range(id, name, &kind, &value));
        let text = self.typing(id) == Some(Typing::Text);
        match reason {
            Some(reason) => Validity::Invalid(reason),
            None if text && !value.is_empty() && self.attribute(id, "pattern").is_some() => {
                Validity::Unknown("what its `pattern` fits is a browser's to say".into())
            }
            None => Validity::Valid,
        }
    }

    fn why_missing(&self, id: NodeId, name: &str, kind: &str, value: &str) -> Option<String> {
        let required = |id: NodeId| self.attribute(id, "required").is_some();
        let checked = |id: NodeId| self.flag(id, Property::Checked);
        let empty = match (name, kind) {
            ("input", "range" | "color") => false,
            ("input", "radio") => {
                let group = self.radio_group(id);
                let wanted = required(id) || group.iter().copied().any(required);
                return (wanted && !checked(id) && !group.into_iter().any(checked))
                    .then(|| "one of its group is required".into());
            }
            ("input", "checkbox") => !checked(id),
            ("select", _) if self.attribute(id, "multiple").is_some() => {
                let chosen = self.set_property(id, Property::Chosen);
                let selected = |id: &NodeId| self.flag(*id, Property::Selected);
                match chosen {
                    Some(vein_plan::Shown::Text(values)) => values == "[]",
                    _ => !self.options_of(id).iter().any(selected),
                }
            }
            ("select", _) => self.is_placeholder(id, value),
            _ => value.is_empty(),
        };
        (empty && required(id)).then(|| "it is required and empty".into())
    }

    /// Whether a `select` shows nothing, or its first option, which stands for nothing.
    fn is_placeholder(&self, select: NodeId, value: &str) -> bool {
        let options = self.options_of(select);
        let Some(first) = options.first() else { return true };
        let none = !options.iter().any(|option| self.option_value(*option) == value);
        let direct = self.parent(*first) == Some(select);
        let nothing = value.is_empty() && self.option_value(*first).is_empty();
        none || (nothing && !self.is_list(select) && direct)
    }

    fn why_of_type(&self, id: NodeId, name: &str, kind: &str, value: &str) -> Option<String> {
        if name != "input" || value.is_empty() {
            return None;
        }
        let several = self.attribute(id, "multiple").is_some();
        let wrong = match kind {
            "email" if several => !value.split(',').all(is_email),
            "email" => !is_email(value),
            "url" => !is_url(value),
            _ => false,
        };
        wrong.then(|| match kind {
            "email" => format!("{value} is no e-mail address"),
            _ => format!("{value} is no address with a scheme, such as https://"),
        })
    }

    /// Only what a person has typed can be too long or too short.
    fn why_length(&self, id: NodeId, value: &str) -> Option<String> {
        let limit = |name: &str| -> Option<usize> { self.attribute(id, name)?.trim().parse().ok() };
        let takes = matches!(self.typing(id), Some(Typing::Text | Typing::Lines));
        if !takes || value.is_empty() || !self.is_used(id, Property::Value) {
            return None;
        }
        let units = value.encode_utf16().count();
        let short = limit("minlength").filter(|least| units < *least);
        let long = limit("maxlength").filter(|most| units > *most);
        match (short, long) {
            (Some(least), _) => Some(format!("it is shorter than {least}")),
            (_, Some(most)) => Some(format!("it is longer than {most}")),
            _ => None,
        }
    }

    fn why_out_of_range(&self, id: NodeId, name: &str, kind: &str, value: &str) -> Option<String> {
        if name != "input" {
            return None;
        }
        let read = |text: &str| as_number(kind, text);
        let here = read(value)?;
        let limit = |name: &str| self.attribute(id, name).and_then(read);
        let (mut min, mut max) = (limit("min"), limit("max"));
        if kind == "range" {
            (min, max) = (min.or(Some(0.0)), max.or(Some(100.0)));
        }
        let said = |name: &str| self.attribute(id, name).unwrap_or_default().to_owned();
        // What goes past midnight has its least and its most the other way round.
        let round = kind == "time" && min.zip(max).is_some_and(|(min, max)| min > max);
        let (below, above) = (min.is_some_and(|min| here < min), max.is_some_and(|max| here > max));
        if below && (above || !round) {
            return Some(format!("{value} is less than `min`, {}", said("min")));
        }
        if !round && above {
            return Some(format!("{value} is more than `max`, {}", said("max")));
        }
        let step = match self.attribute(id, "step") {
            Some(step) if step.eq_ignore_ascii_case("any") => return None,
            step => step.and_then(number).filter(|step| *step > 0.0),
        };
        let (usual, scale) = step_of(kind);
        // Whole days, weeks and months, at least one.
        let whole = matches!(kind, "date" | "month" | "week");
        let step =
            step.map_or(usual, |step| if whole { step.round().max(1.0) } else { step }) * scale;
        let base = limit("min").or_else(|| limit("value")).unwrap_or(match kind {
            // The first week of 1970 began on a Monday of 1969.
            "week" => -259_200_000.0,
            _ => 0.0,
        });
        let steps = (here - base) / step;
        let fits = (steps - steps.round()).abs() < 1e-9 * steps.abs().max(1.0);
        (!fits).then(|| format!("{value} is no step of {} from {}", step / scale, said("min")))
    }
}

/// How far a step is where nothing is said, and what a step is counted in.
fn step_of(kind: &str) -> (f64, f64) {
    match kind {
        "date" => (1.0, 86_400_000.0),
        "week" => (1.0, 604_800_000.0),
        "time" | "datetime-local" => (60.0, 1000.0),
        _ => (1.0, 1.0),
    }
}

/// The number that a value of a type means: milliseconds for moments, months for months.
fn as_number(kind: &str, text: &str) -> Option<f64> {
    match kind {
        "number" | "range" => number(text),
        "date" => sanitise::date(text).map(milliseconds),
        "month" => {
            let (year, month) = sanitise::month(text)?;
            Some((f64::from(year) - 1970.0) * 12.0 + f64::from(month) - 1.0)
        }
        "week" => {
            let (year, week) = sanitise::week(text)?;
            let first = milliseconds((year, 1, 1));
            // The week that the fourth of January is in is the first.
            let weekday = (first / 86_400_000.0 + 3.0).rem_euclid(7.0);
            let monday = first - if weekday > 3.0 { weekday - 7.0 } else { weekday } * 86_400_000.0;
            Some(monday + (f64::from(week) - 1.0) * 604_800_000.0)
        }
        "time" => clock(text),
        "datetime-local" => {
            let (day, time) = text.split_once('T')?;
            Some(milliseconds(sanitise::date(day)?) + clock(time)?)
        }
        _ => None,
    }
}

/// A day as milliseconds since 1970 (days from civil, for the proleptic Gregorian calendar).
fn milliseconds((year, month, day): (u32, u32, u32)) -> f64 {
    let (year, month, day) = (i64::from(year), i64::from(month), i64::from(day));
    let year = if month <= 2 { year - 1 } else { year };
    let era = year.div_euclid(400);
    let of_era = year - era * 400;
    let of_year = (153 * ((month + 9) % 12) + 2) / 5 + day - 1;
    let days = era * 146_097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year - 719_468;
    days as f64 * 86_400_000.0
}

fn clock(text: &str) -> Option<f64> {
    let text = sanitise::time(text)?;
    let mut parts = text.split(':').map(|part| part.parse::<f64>().unwrap_or(0.0));
    let (hours, minutes) = (parts.next()?, parts.next()?);
    let seconds = parts.next().unwrap_or(0.0);
    Some(((hours * 60.0 + minutes) * 60.0 + seconds) * 1000.0)
}

/// A valid e-mail address of the HTML standard.
fn is_email(text: &str) -> bool {
    let Some((local, host)) = text.rsplit_once('@') else { return false };
    let in_local = |c: char| c.is_ascii_alphanumeric() || ".!#$%&'*+/=?^_`{|}~-".contains(c);
    let label = |label: &str| {
        (1..=63).contains(&label.len())
            && label.chars().all(|c| c.is_ascii_alphanumeric() || c == '-')
            && !label.starts_with('-')
            && !label.ends_with('-')
    };
    !local.is_empty() && local.chars().all(in_local) && host.split('.').all(label)
}

/// An absolute address, by its scheme and, where that has hosts, its host (URL standard).
fn is_url(text: &str) -> bool {
    let text = text.trim_matches(|c: char| c <= ' ');
    let Some((scheme, rest)) = text.split_once(':') else { return false };
    let begins = scheme.starts_with(|c: char| c.is_ascii_alphabetic());
    let plain = |c: char| c.is_ascii_alphanumeric() || "+-.".contains(c);
    if !begins || !scheme.chars().all(plain) {
        return false;
    }
    let special = ["http", "https", "ws", "wss", "ftp"];
    if !special.contains(&scheme.to_ascii_lowercase().as_str()) {
        return true;
    }
    let rest = rest.trim_start_matches(['/', '\\']);
    let host = rest.split(['/', '\\', '?', '#']).next().unwrap_or("");
    let host = host.rsplit('@').next().unwrap_or("");
    let host = host.split_once(':').map_or(host, |(host, _)| host);
    !host.is_empty() && !host.contains(|c: char| " <>^|%\t\"`{}[]".contains(c))
}
