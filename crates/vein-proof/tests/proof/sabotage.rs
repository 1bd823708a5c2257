//! Patches that are lost, doubled or misled between engine and tree: each is seen for what it is.

use crate::exactness::compiled;
use serde_json::json;
use vein_plan::Value;
use vein_proof::{Entry, Proof, Session, Told, Verdict};
use vein_runtime::{Delivery, QuestionId, Runtime, Sabotage};
use vein_view::{Batch, Event, Patch, Tree};

const TEXT: &str = "
takes crop: string
holds litres = 0
derives dry = litres < 5
<article class='bed {dry ? \"dry\" : \"moist\"}'>
  <h3>{crop}</h3>
  <p class='litres'>{litres} l</p>
  <input value='<- litres' disabled='<- !dry'>
  <button click='-> litres += 2.5'>Water</button>
</article>
";

/// The button's node: the marks before it are the article, two texts and the input.
const BUTTON: u32 = 5;

/// Clicks twice, and sends the second click's patches through `between`.
fn judged(between: impl Fn(&Batch) -> Batch) -> Verdict {
    let props = json!({ "crop": "Ruby chard" });
    let (mut runtime, opening) =
        Runtime::open_with(compiled(TEXT), "test-bed", &props, None).expect("props that fit");
    let mut tree = Tree::default();
    tree.apply(&opening.patches).expect("the opening applies");
    let mut proof = Proof::new(&runtime, &tree, None);
    let mut verdict = Verdict::default();
    for click in 0..2 {
        let event = Value::record([]);
        let pulse = runtime.dispatch(
            "click",
            "button",
            vec![Delivery { node: BUTTON, listener: 0, event }],
        );
        let applied = if click == 1 { between(&pulse.patches) } else { pulse.patches.clone() };
        tree.apply(&applied).expect("patches to nodes that are there");
        let told = Told { applied: &applied, echoes: &[], reached: &[BUTTON], restored: &[] };
        verdict = proof.judge(&runtime, &pulse, &told, &tree);
        assert!(click == 1 || verdict.is_exact(), "{:?}", verdict.problems());
    }
    verdict
}

/// The patches, each as often as `times` says for its position.
fn repeated(batch: &Batch, times: impl Fn(usize) -> usize) -> Batch {
    let mut out = Batch::default();
    for (i, patch) in batch.iter().enumerate() {
        (0..times(i)).for_each(|_| out.push(&patch));
    }
    out
}

#[test]
fn an_honest_way_is_exact() {
    let verdict = judged(Batch::clone);
    assert!(verdict.is_exact(), "{:?}", verdict.problems());
    // 2.5 → 5 litres: the class, the text, the value and `disabled`; not the crop.
    assert_eq!((verdict.changed, verdict.parts), (4, 5));
}

#[test]
fn a_dropped_patch_is_missed() {
    let verdict = judged(|batch| repeated(batch, |i| usize::from(i != 1)));
    assert_eq!(verdict.missed, ["test-bed › p.litres text: shows \"2.5 l\", should show \"5 l\""]);
    assert_eq!(verdict.needless, Vec::<String>::new());
}

#[test]
fn a_doubled_patch_is_needless() {
    let verdict = judged(|batch| repeated(batch, |i| 1 + usize::from(i == 1)));
    assert_eq!(verdict.needless, ["node 3  was patched twice"]);
    assert_eq!(verdict.missed, Vec::<String>::new());
}

#[test]
fn a_misled_patch_is_missed_here_and_needless_there() {
    let verdict = judged(|batch| {
        let mut out = Batch::default();
        for patch in batch.iter() {
            match patch {
                // Node 2 is the crop's text, node 3 that of the litres.
                Patch::Text { node: 3, text } => out.push(&Patch::Text { node: 2, text }),
                other => out.push(&other),
            }
        }
        out
    });
    assert_eq!(
        verdict.missed,
        [
            "test-bed › h3 text: shows \"5 l\", should show \"Ruby chard\"",
            "test-bed › p.litres text: shows \"2.5 l\", should show \"5 l\"",
        ]
    );
    assert_eq!(
        verdict.needless,
        ["test-bed › h3 text: patched, though it shows \"Ruby chard\" before and after"]
    );
}

#[test]
fn a_patch_to_what_is_no_part_is_needless() {
    let verdict = judged(|batch| {
        let mut out = batch.clone();
        out.push(&Patch::SetAttribute { node: 1, name: "title", value: "x" });
        out
    });
    assert_eq!(verdict.needless, ["a patch to node 1 title, where no part is"]);
    assert!(verdict.missed[0].contains("<article> {\"class\""), "{verdict:?}");
}

#[test]
fn a_stale_value_is_missed() {
    let verdict = judged(|batch| {
        let mut out = Batch::default();
        for patch in batch.iter() {
            match patch {
                Patch::Text { node, .. } => out.push(&Patch::Text { node, text: "2.5 l" }),
                other => out.push(&other),
            }
        }
        out
    });
    assert_eq!(verdict.missed, ["test-bed › p.litres text: shows \"2.5 l\", should show \"5 l\""]);
}

/// What happens to a page: the button is clicked, something is typed into one of its inputs, or time goes by.
enum Step {
    Click,
    Type(usize, &'static str, &'static str),
    Wait(f64),
    Answer(QuestionId),
}

/// An engine that is broken, a page that shows it, what happens to it, and what is said of it.
const BROKEN: &[(Sabotage, &str, &[Step], &str)] = &[
    (
        Sabotage::NoTurns,
        "holds beds = [{ id: 1, crop: 'leek' }, { id: 2, crop: 'kale' }, { id: 1, crop: 'pea' }]
<p each='bed of beds by bed.id'>{bed.crop}</p><button click='-> beds.reverse()'>b</button>",
        &[Step::Click],
        "needless: /0.0#1@0: its nodes were built again",
    ),
    (
        Sabotage::NoComponents,
        "holds on = false\n<p when='on'><a-leaf></a-leaf></p><button click='-> on = true'>b</button>",
        &[Step::Click],
        "missed: /0.0/0.0 is not in the view",
    ),
    (
        Sabotage::BeginAnew,
        "holds n = 1\n<p when='n > 0'>a</p><button click='-> n++'>b</button>",
        &[Step::Click],
        "missed: /0.0~1: began anew, though nothing ended it",
    ),
    // Also where something runs by itself that could have ended it.
    (
        Sabotage::BeginAnew,
        "holds n = 1\nholds m = 1\nupon change (n) { m++ }
<p when='n > 0'>a</p><button click='-> n++'>b</button>",
        &[Step::Click],
        "missed: /0.0~1: began anew, though nothing ended it",
    ),
    (
        Sabotage::LoseEdits,
        "holds beds = [{ id: 1, n: 1 }, { id: 2, n: 2 }]\nderives dry = beds.filter((bed) => bed.n < 3)
<p each='bed of dry by bed.id'>{bed.n}</p><button click='-> beds[0].n = 9'>b</button>",
        &[Step::Click],
        "missed: the view holds 3 nodes, should hold 2",
    ),
    (
        Sabotage::MisplaceEdits,
        "holds beds = [{ id: 1, n: 1 }, { id: 2, n: 9 }]\nderives dry = beds.filter((bed) => bed.n < 3)
<p each='bed of dry by bed.id'>{bed.n}</p><button click='-> beds[1].n = 2'>b</button>",
        &[Step::Click],
        "missed: the view <p> holds Some(\"2\"), should hold \"1\"",
    ),
    (
        Sabotage::MissInside,
        "holds beds = [{ id: 1, n: 1 }, { id: 2, n: 2 }]\nderives sum = beds.reduce((sum, bed) => sum + bed.n, 0)
<p>{sum}</p><button click='-> beds[0].n = 9'>b</button>",
        &[Step::Click],
        "missed: test-bed › p text: shows \"3\", should show \"11\"",
    ),
    (
        Sabotage::NoMarks,
        "holds n = 1\n<input value='<-> n'>",
        &[Step::Type(0, "kale", "input")],
        "missed: <input> {} in the view should be <input> {\"aria-invalid\": \"true\"}",
    ),
    (
        Sabotage::NoMarks,
        "holds n = 1\n<input value='<->(quiet 20) n'>",
        &[Step::Type(0, "kale", "input"), Step::Wait(20.0)],
        "missed: <input> {} in the view should be <input> {\"aria-invalid\": \"true\"}",
    ),
    (
        Sabotage::KeepMarks,
        "holds n = 1\n<input value='<-> n'><button click='-> n++'>b</button>",
        &[Step::Type(0, "kale", "input"), Step::Click],
        "missed: <input> {\"aria-invalid\": \"true\"} in the view should be <input> {}",
    ),
    (
        Sabotage::SkipLater,
        "holds s = 'leek'\n<input value='<->(change) s'><button click='-> s = s + 1'>b</button>",
        &[Step::Click],
        "missed: test-bed › input value: shows \"leek\", should show \"leek1\"",
    ),
    (
        Sabotage::SkipLater,
        "holds s = 'leek'\n<input value='<->(change) s'><button click='-> s = s + 1'>b</button>",
        &[Step::Type(0, "kale", "input"), Step::Click],
        "missed: test-bed › input value: shows \"kale\", should show \"leek1\"",
    ),
    (
        Sabotage::UntoldOnce,
        "holds n = 1\n<button click='->(once) n++'>{n}</button>",
        &[Step::Click],
        "missed: button click: still heard, though it was to happen once",
    ),
    (
        Sabotage::UntoldOnce,
        "holds n = 1\n<button click='->(once, quiet 20) n++'>{n}</button>",
        &[Step::Click, Step::Wait(20.0)],
        "missed: button click: still heard, though it was to happen once",
    ),
    (
        Sabotage::LateCommits,
        "holds s = 'leek'\n<input value='<->(quiet 20) s'><input value='<-> s'>",
        &[Step::Type(0, "kale", "input"), Step::Type(1, "pea", "input"), Step::Wait(20.0)],
        "missed: test-bed › input value: shows \"pea\", should show \"kale\"",
    ),
];

fn after(step: &Step, session: &mut Session) -> Vec<Entry> {
    match step {
        Step::Click => {
            let button = session.tree().select("button").expect("a selector")[0];
            vec![session.dispatch(button, &Event::new("click")).expect("a button")]
        }
        Step::Type(which, text, event) => {
            let input = session.tree().select("input").expect("a selector")[*which];
            session.tree_mut().type_value(input, text);
            vec![session.dispatch(input, &Event::new(*event)).expect("an input")]
        }
        Step::Wait(time) => session.advance(*time),
        Step::Answer(id) => session.answer(*id, Ok(Value::from("rye"))).into_iter().collect(),
    }
}

/// An engine that is broken, what lives in a page, what happens to it, and whom two places do not both know of.
const ASTRAY: &[(Sabotage, &str, &[Step], &[&str])] = &[
    (
        Sabotage::KeepTimers,
        "holds on = true\n<an-hour when='on'></an-hour><button click='-> on = false'>b</button>",
        &[Step::Click],
        &["Every { hook: 0, period: 50.0, missed: 0 } of "],
    ),
    (
        Sabotage::KeepTimers,
        "holds on = true\nholds s = ''\n<p when='on'><input value='<->(quiet 20) s'></p>
<button click='-> on = false'>b</button>",
        &[Step::Type(0, "kale", "input"), Step::Click],
        &["Settled { listener: 0"],
    ),
    (
        Sabotage::StaleTimers,
        "<an-hour></an-hour>",
        &[Step::Wait(60.0)],
        &["Every { hook: 0, period: 50.0, missed: 0 } of ", ", which does not wait"],
    ),
    (
        Sabotage::KeepQuestions,
        "holds on = true\n<a-crop when='on' at='1'></a-crop><button click='-> on = false'>b</button>",
        &[Step::Click],
        &["QuestionId(1) of "],
    ),
    (
        Sabotage::KeepQuestions,
        "holds on = true\n<a-wait when='on'></a-wait><button click='-> on = false'>b</button>",
        &[Step::Click],
        &["QuestionId(1) of "],
    ),
    (
        Sabotage::KeepWaiting,
        "<a-wait></a-wait>",
        &[Step::Answer(QuestionId(1))],
        &["QuestionId(1), which nobody answers"],
    ),
    (
        Sabotage::LateAnswers,
        "holds at = 1\n<a-crop at='<- at'></a-crop><button click='-> at++'>b</button>",
        &[Step::Click],
        &["QuestionId(1) of "],
    ),
];

#[test]
fn what_only_one_side_knows_of_is_told() {
    let lives = [
        ("an-hour.vein", "holds n = 0\nupon every (50) { n++ }\n<i>{n}</i>"),
        (
            "a-crop.vein",
            "takes at: number = 0\nawaits crop(at: number): string\nloads name: string = crop(at)\n<i>{name}</i>",
        ),
        (
            "a-wait.vein",
            "awaits crop(at: number): string\nholds s = ''\nupon added { s = await crop(1) }\n<i>{s}</i>",
        ),
    ];
    for (way, text, steps, wanted) in ASTRAY {
        for broken in [false, true] {
            let mut files = vec![("test-bed.vein".to_owned(), format!("{text}\n"))];
            files.extend(lives.map(|(path, text)| (path.to_owned(), format!("{text}\n"))));
            let opened =
                Session::open(crate::views::compiled(&files), "test-bed", json!(null), None);
            let (mut session, _) = opened.expect("no props");
            if broken {
                session.sabotage(*way);
            }
            steps.iter().for_each(|step| drop(after(step, &mut session)));
            let astray = session.runtime().astray();
            match broken {
                true => {
                    assert_eq!(astray.len(), wanted.len(), "{way:?}: {astray:?}");
                    for (said, wanted) in astray.iter().zip(*wanted) {
                        assert!(said.contains(wanted), "{way:?}: {astray:?}");
                    }
                }
                false => assert_eq!(astray, Vec::<String>::new(), "{way:?}, unbroken"),
            }
        }
    }
}

#[test]
fn a_broken_engine_is_seen() {
    for (way, text, steps, wanted) in BROKEN {
        for broken in [false, true] {
            let files = [
                ("a-leaf.vein".to_owned(), "<i>leaf</i>\n".to_owned()),
                ("test-bed.vein".to_owned(), format!("{text}\n")),
            ];
            let opened =
                Session::open(crate::views::compiled(&files), "test-bed", json!(null), None);
            let (mut session, _) = opened.expect("no props");
            session.prove(true);
            if broken {
                session.sabotage(*way);
            }
            let entries: Vec<Entry> =
                steps.iter().flat_map(|step| after(step, &mut session)).collect();
            let last = entries.last().and_then(|entry| entry.verdict.as_ref()).expect("a verdict");
            let problems = last.problems();
            match broken {
                true => assert!(problems.iter().any(|p| p == wanted), "{way:?}: {problems:?}"),
                false => assert_eq!(problems, Vec::<String>::new(), "{way:?}, unbroken"),
            }
        }
    }
}

#[test]
fn a_view_built_a_second_time_is_needless() {
    let verdict = judged(|batch| {
        let mut out = batch.clone();
        out.push(&Patch::Clone { template: 0, parent: 0, before: 0, first: 100 });
        out
    });
    assert!(verdict.needless[0].contains("clone"), "{verdict:?}");
    assert!(!verdict.missed.is_empty(), "the tree holds more than the view");
}

#[test]
fn a_stale_read_is_told() {
    let text = "holds n = 1
holds noted = 0
derives double = n * 2
derives quad = double * 2
<p click='-> n += 1; noted = quad'>{noted}</p><button click='-> n += 1; noted = quad'>b</button>";
    for broken in [false, true] {
        let files = [("test-bed.vein".to_owned(), format!("{text}\n"))];
        let opened = Session::open(crate::views::compiled(&files), "test-bed", json!(null), None);
        let (mut session, _) = opened.expect("no props");
        session.check_reads();
        if broken {
            session.sabotage(Sabotage::StaleDerived);
        }
        drop(after(&Step::Click, &mut session));
        let told: &[&str] = match broken {
            true => &["double was read as null and is 4", "quad was read as null and is 8"],
            false => &[],
        };
        assert_eq!(session.runtime().misread(), told);
    }
}
