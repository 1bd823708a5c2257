//! Random projects under random use by a person and by the host. Every pulse has to be exact.

use crate::acts::act;
use crate::dressed::Wear;
use crate::generate::Random;
use crate::outside::{MOST_NODES, bed};
use crate::projects::project;
use crate::reach::stays_in_reach;
use crate::seeds::{LONGER, Seeds};
use serde_json::{Value as Json, json};
use std::sync::Arc;
use vein_check::{Severity, Source, check, reach_map};
use vein_plan::{Program, Value};
use vein_proof::Session;

pub fn compiled(files: &[(String, String)]) -> Arc<Program> {
    let source =
        |(path, text): &(String, String)| Source { path: path.clone(), text: text.clone() };
    let checked = check(files.iter().map(source).collect());
    let errors = checked.report.diagnostics.iter().filter(|d| d.severity == Severity::Error);
    let errors: Vec<&str> = errors.map(|d| d.message.as_str()).collect();
    assert!(errors.is_empty(), "{errors:?}\n{}", shown(files));
    let program = checked.program.expect("no errors, so a program");
    let read = Program::from_bytes(&program.to_bytes()).expect("a sound plan");
    assert_eq!(program, read);
    Arc::new(read)
}

/// What is held that is not of its type.
pub fn misfits(session: &Session) -> Vec<String> {
    let runtime = session.runtime();
    let program = runtime.program();
    let inside = runtime.components().into_iter().map(|(_, scope)| scope);
    let stores = runtime.store_scopes().into_iter().map(|(_, scope)| scope);
    let all = std::iter::once(runtime.root_scope()).chain(inside).chain(stores);
    let misfits = all.flat_map(|scope| {
        let kept = runtime.kept(scope);
        let plan = &program.plans[kept.plan];
        let misfit = |(cell, value): &(u32, Value)| {
            let cell = &plan.cells[*cell as usize];
            let fits = program.fit(cell.ty, value, &cell.name);
            fits.err().map(|misfit| format!("{}: {misfit}", plan.name))
        };
        kept.state.iter().filter_map(misfit).collect::<Vec<_>>()
    });
    misfits.collect()
}

pub fn shown(files: &[(String, String)]) -> String {
    files.iter().map(|(path, text)| format!("--- {path}\n{text}")).collect()
}

/// A row that had got the item of another identity and one of its own again was matched a pulse later.
const ONCE_FAILED: [u64; 1] = [1_795_917_228_264];

/// A part was told of a position that only values had read early; a handler of a row that was gone from a derived
/// list read `null` of its item: seen on longer walks.
const ONCE_FAILED_LATE: [u64; 2] = [1_795_945_514_664, 1_795_947_459_861];

#[test]
fn random_views_under_random_use_are_exact() {
    let seeds = Seeds::new(2100);
    let (mut in_reach, mut pages, mut large) = (0, 0, 0);
    let (mut pulses, mut changed, mut moved, mut created, mut problems) = (0, 0, 0, 0, 0);
    for seed in seeds.and(&[&ONCE_FAILED, &ONCE_FAILED_LATE]) {
        let mut random = Random::new(seed);
        let wear = match seed {
            seed if ONCE_FAILED.contains(&seed) => Wear::Nothing,
            seed if ONCE_FAILED_LATE.contains(&seed) => Wear::Mute(seed),
            seed => Wear::Seed(seed),
        };
        let files = project(&mut random, wear);
        let beds: Vec<Json> = (0..3).map(|_| bed(&mut random)).collect();
        let opened = Session::open(
            compiled(&files),
            "test-bed",
            json!({ "beds": beds }),
            Some(vein_view::clean as vein_runtime::Clean),
        );
        let (mut session, opening) = opened.expect("props that fit");
        assert!(opening.pulse.fault.is_none());
        session.prove(true);
        session.check_reads();
        let map = reach_map(session.runtime().program(), session.runtime().plan());
        let steps = match ONCE_FAILED_LATE.contains(&seed) {
            true => LONGER,
            false => seeds.steps(10),
        };
        pages += 1;
        for step in 0..steps {
            if session.tree().len() > MOST_NODES {
                large += 1;
                break;
            }
            let entry = act(&mut session, &mut random);
            in_reach += stays_in_reach(&map, &entry, &shown(&files));
            let misfits = misfits(&session);
            assert!(misfits.is_empty(), "seed {seed}: {misfits:?}\n{entry}\n{}", shown(&files));
            let outdated = session.outdated();
            assert!(outdated.is_empty(), "seed {seed}: {outdated:?}\n{entry}\n{}", shown(&files));
            let misread = session.runtime().misread();
            assert!(misread.is_empty(), "seed {seed}: {misread:?}\n{entry}\n{}", shown(&files));
            let verdict = entry.verdict.as_ref().expect("proof is on");
            assert!(
                verdict.is_exact(),
                "seed {seed}, step {step}\n{entry}\n{}\n{}\n{}",
                verdict.problems().join("\n"),
                session.tree().html(),
                shown(&files),
            );
            pulses += 1;
            changed += verdict.changed;
            created += entry.pulse.created;
            problems += entry.pulse.problems.len();
            if step + 1 == steps {
                crate::parsed::assert_round_trip(session.tree());
            }
            moved += usize::from(
                entry
                    .pulse
                    .patches
                    .iter()
                    .any(|patch| matches!(patch, vein_view::Patch::Move { .. })),
            );
        }
    }
    if !seeds.tell(pulses) {
        return;
    }
    // The generator has to reach what it is for.
    assert!(pulses >= 20_000, "{pulses} pulses");
    assert!(changed > pulses / 2, "{changed} changes in {pulses} pulses");
    assert!(in_reach > pulses, "{in_reach} parts were held against the map");
    assert!(moved > 300 && created > pulses && problems > 500, "{moved} {created} {problems}");
    assert!(large < pages / 100, "{large} of {pages} left for their size");
}

/// Which row belongs to which item of an identity that occurs twice follows from the list alone: the
/// first item has the first row, whatever was done to the list on the way.
#[test]
fn items_of_one_identity_have_their_rows_in_turn() {
    let text = "
holds beds: { id: number, crop: string }[] = [
  { id: 1, crop: 'leek' }, { id: 2, crop: 'kale' }, { id: 1, crop: 'pea' }]
<p each='bed of beds by bed.id'>{bed.crop}</p>
";
    let bed = |id: u32, crop: &str| json!({ "id": id, "crop": crop });
    // The beds, what is shown, and which of the first rows stand there: none is one that was made.
    type Row = (&'static str, Option<usize>);
    let steps: [(Json, &[Row]); 6] = [
        // Two that are alike change places: their rows stay where they are.
        (
            json!([bed(1, "pea"), bed(2, "kale"), bed(1, "leek")]),
            &[("pea", Some(0)), ("kale", Some(1)), ("leek", Some(2))],
        ),
        // One more in front of them: the last of them is made.
        (
            json!([bed(1, "rye"), bed(1, "pea"), bed(2, "kale"), bed(1, "leek")]),
            &[("rye", Some(0)), ("pea", Some(2)), ("kale", Some(1)), ("leek", None)],
        ),
        // The first goes: the last row of them does.
        (
            json!([bed(1, "pea"), bed(2, "kale"), bed(1, "leek")]),
            &[("pea", Some(0)), ("kale", Some(1)), ("leek", Some(2))],
        ),
        // One of them becomes another: the one that is left has the first row.
        (
            json!([bed(3, "pea"), bed(2, "kale"), bed(1, "leek")]),
            &[("pea", None), ("kale", Some(1)), ("leek", Some(0))],
        ),
        (json!([bed(2, "kale")]), &[("kale", Some(1))]),
        (json!([bed(2, "kale"), bed(2, "rye")]), &[("kale", Some(1)), ("rye", None)]),
    ];
    let files = [("test-bed.vein".to_owned(), text.to_owned())];
    let opened = Session::open(compiled(&files), "test-bed", Json::Null, None);
    let (mut session, _) = opened.expect("no props");
    session.prove(true);
    let first = session.tree().select("p").expect("a selector");
    let first: Vec<u64> = first.iter().map(|node| session.tree().serial(*node)).collect();
    for (beds, wanted) in steps {
        let entry = session.set("beds", beds.clone()).expect("beds");
        let verdict = entry.verdict.as_ref().expect("proof is on");
        assert!(verdict.is_exact(), "{beds}\n{entry}\n{}", verdict.problems().join("\n"));
        let tree = session.tree();
        let rows = tree.select("p").expect("a selector").into_iter().map(|row| {
            let serial = tree.serial(row);
            (tree.text_content(row), first.iter().position(|known| *known == serial))
        });
        let rows: Vec<(String, Option<usize>)> = rows.collect();
        let wanted: Vec<(String, Option<usize>)> =
            wanted.iter().map(|(crop, row)| ((*crop).to_owned(), *row)).collect();
        assert_eq!(rows, wanted, "{beds}");
    }
}

/// What reads a position while rows come and go sees where they come to stand.
#[test]
fn a_position_that_is_read_on_the_way_is_not_kept() {
    let files = [
        (
            "water-tank.vein",
            "store tank\nholds stock: { id: number }[] = []\nholds spent = 0\n\
             does keep(n: number) { if (stock.length < 4) stock.push({ id: n }); else stock.shift() }\n\
             does spend() { spent++ }\n",
        ),
        (
            "leaf-card.vein",
            "takes limit: number = 3\nuses tank\n\
             upon change (limit, tank.stock) { if (tank.spent < 25) { tank.spend() } }\n\
             upon added { if (tank.spent < 25) { tank.spend(); tank.keep(1) } }\n<i>{limit} </i>\n",
        ),
        (
            "test-bed.vein",
            "uses tank\n<main><leaf-card></leaf-card><leaf-card each='row, at of tank.stock by row.id' \
             limit='<- at + 2'></leaf-card><leaf-card></leaf-card></main>\n",
        ),
    ];
    let files = files.map(|(name, text)| (name.to_owned(), text.to_owned()));
    let opened = Session::open(compiled(&files), "test-bed", Json::Null, None);
    let (session, _) = opened.expect("no props");
    assert_eq!(session.tree().text_content(session.tree().root()), "3 2 3 4 5 3 ");
}
