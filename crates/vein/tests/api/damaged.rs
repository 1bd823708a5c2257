//! Plans that somebody has altered and signed anew: each is refused, or runs without going out
//! of any table.

use proptest::prelude::*;
use std::path::Path;
use vein::{Error, Event, LoadError, Ui};

const DATA: &str = include_str!("../../../../examples/glasshouse/glass-house.json");

/// Where the checksum of a plan stands, and where its body begins.
const SUM: std::ops::Range<usize> = 6..10;

fn glasshouse() -> Vec<u8> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/glasshouse");
    Ui::from_dir(folder).expect("the glasshouse checks").to_plan()
}

fn signed(mut plan: Vec<u8>) -> Vec<u8> {
    let sum = crc32fast::hash(&plan[SUM.end..]);
    plan[SUM].copy_from_slice(&sum.to_le_bytes());
    plan
}

/// Opens every component that takes the glasshouse's data or none, and clicks everywhere; says
/// how many were opened.
fn use_all(ui: &Ui) -> usize {
    let names: Vec<String> = ui.components().map(str::to_owned).collect();
    let data = vein::json::parse(DATA).expect("the data of the glasshouse");
    let open = |name: &String| {
        let page = || ui.page(name).answer("season", || "spring").manual_answers();
        let with_data = page().open_value(data.clone());
        with_data.or_else(|_| page().open(())).ok()
    };
    let pages = names.iter().filter_map(open);
    let mut opened = 0;
    for mut page in pages {
        opened += 1;
        page.session_mut().prove(false);
        let nodes = page.session_mut().tree().select("*").unwrap_or_default();
        for node in nodes.into_iter().take(30) {
            for kind in ["click", "input", "change", "submit"] {
                // The element may be gone by now.
                let _ = page.session_mut().dispatch(node, &Event::new(kind));
            }
        }
        // What waits is answered, whether the answer fits or not, and time goes on.
        for question in page.questions().to_vec().into_iter().take(8) {
            let _ = page.answer(question.id, Ok(vein::Value::from(7.0)));
        }
        let _ = page.advance(20.0);
        let _ = page.html();
    }
    opened
}

#[test]
fn a_plan_cut_anywhere_is_refused() {
    let plan = glasshouse();
    for len in (0..plan.len()).step_by(7) {
        let cut = match len {
            0..10 => plan[..len].to_vec(),
            _ => signed(plan[..len].to_vec()),
        };
        assert!(Ui::from_plan(&cut).is_err(), "{len} bytes of {}", plan.len());
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 2000, ..ProptestConfig::default() })]

    #[test]
    fn altered_plans_are_refused_or_run(
        changes in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..4),
    ) {
        let mut plan = glasshouse_once();
        for (at, byte) in &changes {
            let at = SUM.end + at.index(plan.len() - SUM.end);
            plan[at] = *byte;
        }
        match Ui::from_plan(&signed(plan)) {
            Ok(ui) => {
                use_all(&ui);
            }
            Err(Error::Load(LoadError::Damaged | LoadError::Flawed(_))) => {}
            Err(other) => prop_assert!(false, "{other}"),
        }
    }
}

fn glasshouse_once() -> Vec<u8> {
    static PLAN: std::sync::OnceLock<Vec<u8>> = std::sync::OnceLock::new();
    PLAN.get_or_init(glasshouse).clone()
}

#[test]
fn a_plan_as_it_was_written_runs() {
    let plan = glasshouse_once();
    assert_eq!(signed(plan.clone()), plan, "the checksum is where this test looks for it");
    let ui = Ui::from_plan(&plan).expect("a sound plan");
    assert!(use_all(&ui) > 1, "the house and something that needs no data");
}

/// Values, alternatives and styles that nest without end are refused before anything has to go down there.
#[test]
fn what_nests_without_end_is_refused() {
    let told = |text: &str| {
        let checked = Ui::from_sources([("test-bed.vein", text)]);
        checked.err().map_or(String::new(), |error| error.to_string())
    };
    let alternatives: String =
        (0..20_000).map(|n| format!("<p or-when='n === {n}'>{n}</p>")).collect();
    let chain = format!("holds n = 1\n<p when='n < 0'>a</p>{alternatives}\n");
    assert!(told(&chain).contains("too-deep"), "{}", told(&chain).len());
    for (open, close) in [("a{", "}"), ("a{width:calc(", ")}"), (":has(", ")"), ("@media (", ")")] {
        let style =
            format!("<p>a</p>\n<style>{}{}</style>\n", open.repeat(50_000), close.repeat(50_000));
        assert!(told(&style).contains("bad-style"), "{open}");
    }
    let text = "
shape Pot { inner: Pot?, pots: Pot[], n: number }
holds pot: Pot? = null
holds pots: Pot[] = []
holds xs: number[] = []
does fill() { xs = 'a'.repeat(900).split('').map(x => 1) }
does nest() { for (const x of xs) pot = { inner: pot, pots: [], n: x } }
does list() { for (const x of xs) pots = [{ inner: null, pots: pots, n: x }] }
derives deep = xs.reduce((so, x) => ({ inner: so, pots: [], n: x }), pot)
<p>{pot?.n} {pots.length} {deep?.n === deep?.n}</p>
";
    let ui = Ui::from_sources([("test-bed.vein", text)]).expect("it checks");
    for handler in ["nest", "list"] {
        let mut page = ui.page("test-bed").open(()).expect("no data");
        // What is worked out is as deep as it may be and no deeper.
        let filled = page.call("fill", ());
        assert!(filled.is_err_and(|error| error.to_string().contains("nested deeper than 256")));
        let text = text.replace(
            "derives deep = xs.reduce((so, x) => ({ inner: so, pots: [], n: x }), pot)",
            "derives deep = pot",
        );
        let ui = Ui::from_sources([("test-bed.vein", text.as_str())]).expect("it checks");
        let mut page = ui.page("test-bed").open(()).expect("no data");
        page.prove(true);
        page.call("fill", ()).expect("a list").assert_exact().expect("exact");
        let error = page.call(handler, ()).expect_err("it nests without end").to_string();
        assert!(error.contains("nested deeper than 256"), "{handler}: {error}");
        assert_eq!(page.find("p").expect("it stands").text(), " 0 true");
    }
}

/// Also where a shape has itself inside by way of others.
#[test]
fn shapes_that_nest_by_way_of_others_are_no_deeper() {
    for (shapes, more) in [
        (
            "shape Aisle { pots: Pot[] }\nshape Pot { plant: Plant? }\nshape Plant { pot: Pot? }",
            "{ plant: { pot: pot } }",
        ),
        ("shape Pot { all: { pot: Pot? }[] }", "{ all: [{ pot: pot }] }"),
        (
            "shape Side { n: number }\nshape Pot { side: Side, a: A? }\nshape A { side: Side, b: B? }\nshape B { c: Pot? }",
            "{ side: { n: 1 }, a: { side: { n: 1 }, b: { c: pot } } }",
        ),
    ] {
        let text = format!(
            "{shapes}\nholds pot: Pot? = null\nholds n = 0\ntakes most: number[]\n\
             does nest() {{ for (const x of most) {{ pot = {more}; n += 1 }} }}\n<p>{{n}}{{pot === null ? 'none' : 'some'}}</p>\n"
        );
        let ui = Ui::from_sources([("test-bed.vein", text)]).unwrap_or_else(|e| panic!("{e}"));
        for (most, fails) in [(60, false), (300, true)] {
            let props = serde_json::json!({ "most": (0..most).collect::<Vec<u32>>() });
            let mut page = ui.page("test-bed").open(props).expect("a list");
            match page.call("nest", ()) {
                Ok(_) => assert!(!fails, "{shapes}"),
                Err(error) => {
                    assert!(fails && error.to_string().contains("nested deeper than 256"))
                }
            }
        }
    }
}
