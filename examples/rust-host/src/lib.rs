//! A soil laboratory in the page: what its components ask is answered here, in Rust.

use vein_web::{Question, Value};
use wasm_bindgen::prelude::*;

#[wasm_bindgen]
extern "C" {
    #[wasm_bindgen(js_name = setTimeout)]
    fn set_timeout(run: JsValue, milliseconds: f64);
}

/// Runs something a little later.
fn soon(milliseconds: f64, run: impl FnOnce() + 'static) {
    set_timeout(Closure::once_into_js(run), milliseconds);
}

/// Runs when the module is started, before a page is opened.
#[wasm_bindgen(start)]
pub fn start() {
    vein_web::answer("soil_name", |args| {
        Ok(Value::from(soil_name(&args[0].to_text().to_string())))
    });
    vein_web::answer_later("measure", |question| {
        soon(300.0, move || {
            let depth = question.args()[0].to_number();
            question.answer(acidity(depth).map(Value::from));
        });
    });
    vein_web::answer_later("warmth", |question| warm(question, 0));
}

/// What a code stands for.
pub fn soil_name(code: &str) -> &'static str {
    match code {
        "l" => "loam",
        "s" => "sand",
        "p" => "peat",
        _ => "unknown soil",
    }
}

/// The acidity (pH) at a depth in centimetres, as far down as the probe goes.
///
/// # Errors
/// A depth that the probe does not reach.
pub fn acidity(depth: f64) -> Result<f64, String> {
    match depth {
        d if d > 40.0 => Err(format!("the probe goes down to 40 cm, not {d} cm")),
        d => Ok(6.8 - d / 50.0),
    }
}

/// Says how warm it is, five times a second, as long as anybody listens.
fn warm(question: Question, reading: u32) {
    let degrees = 14.0 + f64::from(reading % 10) / 10.0;
    soon(200.0, move || {
        if question.answer(Ok(Value::from(degrees))) {
            warm(question, reading + 1);
        }
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_laboratory_knows_its_soils_and_its_probe() {
        assert_eq!(soil_name("p"), "peat");
        assert_eq!(acidity(10.0), Ok(6.6));
        assert!(acidity(41.0).is_err_and(|why| why.contains("40 cm")));
    }
}
