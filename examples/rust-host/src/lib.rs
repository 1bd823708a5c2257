//! A soil laboratory: what its components ask is answered here, in Rust; `host.js` hands it on.

use wasm_bindgen::prelude::*;

/// What a code stands for.
#[wasm_bindgen]
pub fn soil_name(code: &str) -> String {
    let name = match code {
        "l" => "loam",
        "s" => "sand",
        "p" => "peat",
        _ => "unknown soil",
    };
    name.to_owned()
}

/// The acidity (pH) at a depth in centimetres, as far down as the probe goes.
///
/// # Errors
/// A depth that the probe does not reach.
#[wasm_bindgen]
pub fn acidity(depth: f64) -> Result<f64, String> {
    match depth {
        d if d > 40.0 => Err(format!("the probe goes down to 40 cm, not {d} cm")),
        d => Ok(6.8 - d / 50.0),
    }
}

/// How warm it is at some reading, in degrees Celsius.
#[wasm_bindgen]
pub fn degrees(reading: u32) -> f64 {
    14.0 + f64::from(reading % 10) / 10.0
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
