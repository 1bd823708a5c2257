//! Random projects with stores, watches, timers, questions to a host that also fails, and
//! statements that run when components come and go. Every pulse is exact, or as if it had never
//! been.

use crate::acts::act;
use crate::dressed::Wear;
use crate::generate::Random;
use crate::outside::{MOST_NODES, bed, host};
use crate::projects::lively_project;
use crate::reach::stays_in_reach;
use crate::seeds::{LONGER, Seeds};
use crate::views::{compiled, misfits, shown};
use serde_json::{Value as Json, json};
use std::sync::Arc;
use vein_check::reach_map;
use vein_plan::{Program, Property, Shown, Value};
use vein_proof::{Entry, Session};
use vein_runtime::{Carried, Cause, Lost, QuestionId};
use vein_view::{Batch, Patch};

/// A page with the questions that are open on it.
pub struct Lived {
    pub session: Session,
    open: Vec<(QuestionId, bool)>,
}

/// One thing that happens to a page from outside.
#[derive(Clone, Debug)]
pub enum Step {
    /// What a person or the host does, as far as a random number leads it.
    Act(u64),
    /// An answer to one of the open questions.
    Answer(QuestionId, Result<f64, String>),
    Advance(f64),
}

impl Lived {
    pub fn open(program: Arc<Program>, beds: &[Json]) -> Option<Lived> {
        let opened = Session::open(program, "test-bed", json!({ "beds": beds }), host());
        let (mut session, opening) = opened.ok()?;
        session.prove(true);
        session.check_reads();
        let mut lived = Lived { session, open: Vec::new() };
        lived.follow(&opening);
        Some(lived)
    }

    /// Another page in the place of this one, with what this one holds, and what was lost; `None` where it cannot be opened.
    pub fn in_place(
        &self,
        program: Arc<Program>,
        beds: &[Json],
        carried: Carried,
    ) -> Option<(Lived, Vec<Lost>)> {
        let props = json!({ "beds": beds });
        let opened = Session::open_in_place(program, "test-bed", props, host(), Some(carried));
        let (mut session, opening, lost) = opened.ok()?;
        session.prove(true);
        session.check_reads();
        let mut lived = Lived { session, open: self.open.clone() };
        lived.follow(&opening);
        Some((lived, lost))
    }

    fn follow(&mut self, entry: &Entry) {
        let asked = &entry.pulse.questions;
        self.open.extend(asked.iter().map(|question| (question.id, question.streams)));
        let runtime = self.session.runtime();
        self.open.retain(|(id, _)| runtime.is_open(*id));
    }

    pub fn choose(&self, random: &mut Random) -> Step {
        match random.below(8) {
            0 | 1 if !self.open.is_empty() => {
                let (id, _) = *random.pick(&self.open);
                let answer = match random.below(4) {
                    0 => Err("no signal".to_owned()),
                    _ => Ok(random.below(8) as f64),
                };
                Step::Answer(id, answer)
            }
            2 => Step::Advance((10 * random.below(9)) as f64),
            _ => Step::Act(random.below(1 << 30) as u64 + 1),
        }
    }

    pub fn step(&mut self, step: &Step) -> Vec<Entry> {
        let entries = match step {
            Step::Act(seed) => vec![act(&mut self.session, &mut Random::new(*seed))],
            Step::Answer(id, answer) => {
                let answer = answer.clone().map(Value::from);
                self.session.answer(*id, answer).into_iter().collect()
            }
            Step::Advance(by) => self.session.advance(*by),
        };
        entries.iter().for_each(|entry| self.follow(entry));
        entries
    }

    /// What the controls hold that say at once what is entered, or once it has settled.
    pub fn held(&self) -> Vec<String> {
        let (runtime, tree) = (self.session.runtime(), self.session.tree());
        let controls = tree.select("input, textarea, select, details, dialog").expect("a selector");
        let held = controls.into_iter().filter_map(|control| {
            let listeners = runtime.listeners_on(tree.number_of(control)?);
            let mut commits = listeners.iter().filter(|(_, listener)| listener.commit.is_some());
            let says = commits.any(|(_, listener)| &*listener.event != "change");
            let all = Property::ALL.iter().map(|property| tree.set_property(control, *property));
            says.then(|| format!("{:?}", all.collect::<Vec<_>>()))
        });
        held.collect()
    }

    /// The view as a surface makes it that is given what its controls hold. Spaces that were typed around an
    /// address are in no browser's power to give back: what is set is trimmed. [`Lived::held`] has them.
    fn html(&self) -> String {
        let mut tree = self.session.tree().clone();
        let mut set = Batch::default();
        for control in tree.select("input[type=url]").expect("a selector") {
            let held = tree.set_property(control, Property::Value);
            if let (Some(node), Some(Shown::Text(value))) = (tree.number_of(control), held) {
                set.push(&Patch::SetProperty { node, property: Property::Value, value: &value });
            }
        }
        tree.apply(&set).expect("they stand there");
        tree.html()
    }

    /// Everything that can be told of the page from outside.
    pub fn whole(&self) -> String {
        let runtime = self.session.runtime();
        let root = format!("{:?}", runtime.kept(runtime.root_scope()));
        let stores: Vec<String> =
            runtime.store_scopes().iter().map(|(_, s)| format!("{:?}", runtime.kept(*s))).collect();
        format!(
            "{}\n{:?}\n{root}\n{stores:?}\n{:?}\n{:?} {:?}",
            self.html(),
            self.held(),
            runtime.resources(),
            runtime.next_due(),
            self.open,
        )
    }
}

/// What the ledger says of a pulse but its number.
pub fn noted(entry: &Entry) -> String {
    entry.to_string().split_once(" · ").expect("its number and what it was").1.to_owned()
}

/// Whether a pulse that was taken back left the page as it was. A timer has ticked all the same,
/// and a handler whose answer failed has ended.
pub fn was_nothing(entry: &Entry) -> bool {
    let ended = matches!(entry.pulse.cause, Cause::Answered { failed: true, .. });
    let ticked = matches!(entry.pulse.cause, Cause::Timer { .. } | Cause::Settled { .. });
    entry.pulse.fault.is_some() && !ended && !ticked
}

/// Rows of one identity that were made anew or moved for nothing, and numbers that a pulse that was taken
/// back had left in another order.
const ONCE_FAILED: [u64; 9] = [
    5_001_389,
    5_003_641,
    5_004_058,
    5_004_952,
    5_006_029,
    5_006_447,
    5_006_689,
    5_010_506,
    1_795_909_091_211,
];

/// A number field that a pulse that was taken back left with letters, which no such field can hold. Since
/// then projects are dressed.
const ONCE_FAILED_DRESSED: [u64; 1] = [1_795_930_630_012];

/// A listener that was to happen once had, in a pulse that failed when its view was made; an address that was typed
/// with spaces was expected back with them; a position was read while rows moved, and kept; a record got its fields in
/// another order: seen on longer walks.
const ONCE_FAILED_LATE: [u64; 5] =
    [1_795_936_132_191, 1_795_937_945_261, 1_795_943_342_419, 1_795_944_903_473, 1_795_952_293_513];

/// What compiled code once made something else of: the engine in memory has to be right about it.
const ONCE_FAILED_COMPILED: [u64; 6] = [90_004, 90_013, 90_017, 90_024, 90_084, 90_104];

/// What nobody had asked for since it was marked counted as up to date after a pulse that was taken back.
const ONCE_FAILED_SURE: [u64; 1] = [1_796_008_429_315];

/// A list was written that went with its row, whose item had gone before; the page was closed after a longer walk.
const ONCE_FAILED_CLOSED: [u64; 1] = [1_796_018_145_019];

#[test]
fn random_lives_are_exact_and_failed_pulses_never_were() {
    let seeds = Seeds::new(1900);
    let (mut pulses, mut failed, mut changed, mut opened) = (0, 0, 0, 0);
    let (mut answered, mut timers, mut removed, mut in_reach, mut large) = (0, 0, 0, 0, 0);
    let once = [
        &ONCE_FAILED[..],
        &ONCE_FAILED_DRESSED,
        &ONCE_FAILED_LATE,
        &ONCE_FAILED_COMPILED,
        &ONCE_FAILED_SURE,
        &ONCE_FAILED_CLOSED,
    ];
    for seed in seeds.and(&once) {
        let mut random = Random::new(seed);
        let wear = match seed {
            seed if ONCE_FAILED.contains(&seed) => Wear::Nothing,
            seed if ONCE_FAILED_DRESSED.contains(&seed) => Wear::Formless(seed),
            seed if ONCE_FAILED_LATE.contains(&seed) => Wear::Mute(seed),
            seed if ONCE_FAILED_COMPILED.contains(&seed) => Wear::Parted(seed),
            seed if ONCE_FAILED_SURE.contains(&seed) => Wear::Sure(seed),
            seed if ONCE_FAILED_CLOSED.contains(&seed) => Wear::Keyless(seed),
            seed => Wear::Seed(seed),
        };
        let files = lively_project(&mut random, wear);
        let program = compiled(&files);
        let beds: Vec<Json> = (0..3).map(|_| bed(&mut random)).collect();
        // What fails when it is opened is no page.
        let Some(mut page) = Lived::open(program.clone(), &beds) else { continue };
        let Some(mut twin) = Lived::open(program, &beds) else { continue };
        opened += 1;
        let runtime = page.session.runtime();
        let map = reach_map(runtime.program(), runtime.plan());
        let steps = match ONCE_FAILED_LATE.contains(&seed) || ONCE_FAILED_CLOSED.contains(&seed) {
            true => LONGER,
            false => seeds.steps(12),
        };
        for at in 0..steps {
            // Some projects make of each row several with every event: what was judged of them stays
            // judged, and the time goes to other seeds.
            if page.session.tree().len() > MOST_NODES {
                large += 1;
                break;
            }
            let step = page.choose(&mut random);
            let before = page.whole();
            let entries = page.step(&step);
            let story = || format!("seed {seed}, step {at}, {step:?}\n{}", shown(&files));
            for entry in &entries {
                pulses += 1;
                let verdict = entry.verdict.as_ref().expect("proof is on");
                assert!(
                    verdict.is_exact(),
                    "{}\n{entry}\n{}\n{}",
                    story(),
                    verdict.problems().join("\n"),
                    page.session.tree().html()
                );
                changed += verdict.changed;
                in_reach += stays_in_reach(&map, entry, &story());
                failed += usize::from(entry.pulse.fault.is_some());
                removed += entry.pulse.dropped.len();
                match entry.pulse.cause {
                    Cause::Answered { .. } => answered += 1,
                    Cause::Timer { .. } => timers += 1,
                    _ => {}
                }
            }
            let astray = page.session.runtime().astray();
            assert!(astray.is_empty(), "{}\nastray: {astray:?}", story());
            let misfits = misfits(&page.session);
            assert!(misfits.is_empty(), "{}\n{}\n{misfits:?}", story(), entries[0]);
            let unasked = page.session.unasked();
            assert!(unasked.is_empty(), "{}\n{}\n{unasked:?}", story(), entries[0]);
            let outdated = page.session.outdated();
            assert!(outdated.is_empty(), "{}\n{}\n{outdated:?}", story(), entries[0]);
            let misread = page.session.runtime().misread();
            assert!(misread.is_empty(), "{}\n{}\n{misread:?}", story(), entries[0]);
            if entries.len() == 1 && was_nothing(&entries[0]) {
                assert_eq!(page.whole(), before, "{}", story());
                continue;
            }
            // The twin has never seen what failed, and is the same.
            let others = twin.step(&step);
            assert_eq!(entries.len(), others.len(), "{}", story());
            for (entry, other) in entries.iter().zip(&others) {
                let (patches, others) = (&entry.pulse.patches, &other.pulse.patches);
                let differ = patches.iter().zip(others.iter()).find(|(own, other)| own != other);
                assert!(
                    patches.iter().eq(others.iter()),
                    "{}\n{entry}\n{other}\nthe first patch that differs: {differ:?}",
                    story()
                );
                assert_eq!(noted(entry), noted(other), "{}", story());
            }
            assert_eq!(page.whole(), twin.whole(), "{}", story());
        }
    }
    let reached = format!(
        "{pulses} pulses on {opened} pages: {changed} changes, {failed} failed, {answered} answers, \
         {timers} timers, {removed} let go, {in_reach} held against the map, {large} left for their size"
    );
    if !seeds.tell(pulses) {
        return;
    }
    // The generator has to reach what it is for.
    assert!(pulses >= 20_000 && changed > pulses / 2 && failed > 150, "{reached}");
    assert!(
        in_reach > pulses / 2
            && answered > 2000
            && timers > 1000
            && removed > 1000
            && large < opened / 100,
        "{reached}"
    );
}
