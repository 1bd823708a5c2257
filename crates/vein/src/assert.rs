//! Statements about pulses, for tests.

use crate::Pulse;

/// Passes if a pulse was exact: every part that had to change did, and nothing else was touched.
///
/// # Panics
/// With the entry of the ledger and everything that is not exact.
///
/// ```
/// let ui = vein::Ui::from_sources([("a-tap.vein",
///     "holds litres = 0\n<button click='-> litres += 2'>Water</button><p>{litres} l</p>")])?;
/// let mut page = ui.open("a-tap", ())?;
/// let pulse = page.find("button")?.click()?;
/// vein::assert_exact!(pulse);
/// # Ok::<(), vein::Error>(())
/// ```
#[macro_export]
macro_rules! assert_exact {
    ($pulse:expr $(,)?) => {
        if let ::core::result::Result::Err(error) = $pulse.assert_exact() {
            ::core::panic!("the pulse is not exact\n{error}");
        }
    };
}

/// Passes if a pulse changed exactly these parts, in any order, and was exact. A part is named by its
/// address, as the ledger writes it; `[*]` stands for any item, `>` may stand for `›`. What it shows
/// afterwards may follow after `=>`.
///
/// # Panics
/// With what was stated and what was seen, side by side, and the entry of the ledger.
///
/// ```
/// let ui = vein::Ui::from_sources([("a-tap.vein",
///     "holds litres = 0\n<button click='-> litres += 2'>Water</button><p>{litres} l</p>")])?;
/// let mut page = ui.open("a-tap", ())?;
/// let pulse = page.find("button")?.click()?;
/// vein::assert_changed!(pulse, ["a-tap > p text"]);
/// vein::assert_changed!(page.find("button")?.click()?, ["a-tap > p text" => "4 l"]);
/// # Ok::<(), vein::Error>(())
/// ```
#[macro_export]
macro_rules! assert_changed {
    ($pulse:expr, [$($part:literal $(=> $shown:expr)?),* $(,)?] $(,)?) => {{
        let pulse = &$pulse;
        $crate::assert_exact!(pulse);
        let stated: &[(&str, ::core::option::Option<::std::string::String>)] = &[
            $(($part, $crate::assert_changed!(@shown $($shown)?))),*
        ];
        if let ::core::result::Result::Err(why) = $crate::changed_as(pulse, stated) {
            ::core::panic!("{why}");
        }
    }};
    (@shown) => { ::core::option::Option::None };
    (@shown $shown:expr) => { ::core::option::Option::Some(::std::string::ToString::to_string(&$shown)) };
}

/// Whether a pulse changed exactly some parts: the macro [`assert_changed!`](crate::assert_changed)
/// is the way to ask.
///
/// # Errors
/// What was stated and what was seen.
#[doc(hidden)]
pub fn changed_as(pulse: &Pulse, stated: &[(&str, Option<String>)]) -> Result<(), String> {
    let own = &pulse.pulse.component;
    let parts = &pulse.pulse.parts;
    let mut claimed = vec![false; parts.len()];
    let mut lines = Vec::new();
    let mut holds = true;
    for (address, shown) in stated {
        let address = address.replace(" > ", " › ");
        let is =
            |at: &usize| vein_proof::scenario::same_address(&address, &parts[*at].address, own);
        let found: Vec<usize> = (0..parts.len()).filter(is).collect();
        found.iter().for_each(|at| claimed[*at] = true);
        let (_, to) = match found.first() {
            Some(at) => parts[*at].effect.sides(),
            None => (String::new(), String::new()),
        };
        // A text is shown in quotation marks by the ledger.
        let agrees = !found.is_empty()
            && shown.as_ref().is_none_or(|shown| to == *shown || to == format!("{shown:?}"));
        let stated = match shown {
            Some(shown) => format!("{address} => {shown:?}"),
            None => address,
        };
        let seen = if found.is_empty() { "no change".to_owned() } else { format!("=> {to}") };
        lines.push((agrees, stated, seen));
        holds &= agrees;
    }
    for (part, _) in parts.iter().zip(&claimed).filter(|(_, claimed)| !**claimed) {
        let seen = format!("{own} › {} {}", part.address, part.effect);
        lines.push((false, "nothing".into(), seen));
        holds = false;
    }
    if holds {
        return Ok(());
    }
    let width =
        lines.iter().map(|(_, stated, _)| stated.chars().count()).max().unwrap_or(0).min(160);
    let rows = lines.iter().map(|(agrees, stated, seen)| {
        let mark = if *agrees { ' ' } else { '✗' };
        format!("{mark} {stated:<width$}  {seen}\n")
    });
    let table: String = rows.collect();
    Err(format!(
        "the pulse changed other parts than stated\n  {:<width$}  seen\n{table}\n{pulse}",
        "stated"
    ))
}
