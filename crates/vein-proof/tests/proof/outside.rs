//! What comes to random projects from outside: data, writes of a host, answers.

use crate::generate::Random;
use serde_json::{Value as Json, json};
use std::sync::Arc;
use vein_plan::Value;
use vein_runtime::Host;

/// A page with more nodes than this is left at what it is: some projects double with every event.
pub const MOST_NODES: usize = 3000;

pub fn bed(random: &mut Random) -> Json {
    let id = random.below(6);
    let inner: Vec<Json> = (0..random.below(3))
        .map(|_| json!({ "id": random.below(5), "crop": "rye", "wet": true, "note": null, "levels": [], "inner": [] }))
        .collect();
    json!({
        "id": id, "crop": (["leek", "kale", "pea"][id % 3]), "wet": random.below(2) == 0,
        "note": if random.below(2) == 0 { Json::Null } else { json!("n") },
        "levels": [1, id], "inner": inner,
    })
}

/// Something that the host writes: a place and a value.
pub fn written(random: &mut Random) -> (&'static str, Json) {
    let beds: Vec<Json> = (0..random.below(5)).map(|_| bed(random)).collect();
    let writes = [
        ("n", json!(random.below(4))),
        ("flag", json!(random.below(2) == 0)),
        ("s", json!(["a", "", "x & <y>"][random.below(3)])),
        ("beds", json!(beds)),
        ("own", json!([bed(random), bed(random)])),
        ("kind", json!(["dry", "moist"][random.below(2)])),
    ];
    random.pick(&writes).clone()
}

/// A host that knows soils, but for one.
pub fn host() -> Host {
    let mut host = Host::from(Some(vein_view::clean as vein_runtime::Clean));
    let soil = |args: &[Value]| match args[0].to_number() {
        7.0 => Err("no soil".to_owned()),
        n => Ok(Value::from(if n % 2.0 == 0.0 { "clay" } else { "loam" })),
    };
    host.functions.insert("soil".into(), Arc::new(soil));
    host
}
