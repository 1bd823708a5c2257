//! What is done on random pages, recorded and played: it comes to the same again. And each element has a selector of its own.

use crate::dressed::Wear;
use crate::generate::Random;
use crate::outside::{MOST_NODES, bed, host, written};
use crate::projects::lively_project;
use crate::seeds::Seeds;
use crate::views::{compiled, shown};
use serde_json::{Value as Json, json};
use std::sync::{Arc, Mutex};
use vein_plan::Value;
use vein_proof::scenario::record::{self, Detail};
use vein_proof::scenario::{InMemory, Recording};
use vein_proof::{Act, Entry, Player, Scenario, Session};
use vein_runtime::{Host, Question};
use vein_view::{NodeId, Typing};

/// What the host was asked at once, and what it answered.
type Asked = Arc<Mutex<Vec<(Vec<Value>, Result<Value, String>)>>>;

/// A page of which all is recorded.
struct Recorded {
    session: Session,
    recording: Recording,
    open: Vec<Question>,
    pulses: usize,
    /// Whether all are judged; those that were judged later, by their steps, and whether they were exact.
    judged: bool,
    late: Vec<(usize, bool)>,
}

impl Recorded {
    fn follow(&mut self, entries: &[Entry]) {
        for entry in entries {
            self.open.extend(entry.pulse.questions.iter().cloned());
            self.pulses += 1;
        }
        let runtime = self.session.runtime();
        self.open.retain(|question| runtime.is_open(question.id));
    }

    fn moment(&self) -> record::Moment {
        (self.session.runtime().now(), self.session.next_due().is_some())
    }

    fn seen(&self) -> String {
        record::shown(self.session.tree())
    }

    /// Does something at random; `false` where it turns out halfway that it cannot be done in memory.
    fn step(&mut self, random: &mut Random) -> bool {
        let (moment, seen) = (self.moment(), self.seen());
        match random.below(9) {
            0 if !self.open.is_empty() => {
                let question = random.pick(&self.open).clone();
                let same = |one: &&Question| {
                    one.function == question.function
                        && one.args.len() == question.args.len()
                        && one.args.iter().zip(&question.args).all(|(a, b)| a.same_or_zero(b))
                };
                // A scenario means the one that was asked first.
                let question = self.open.iter().find(same).cloned().unwrap_or(question);
                let answer = match random.below(4) {
                    0 => Err("no \"signal\"".to_owned()),
                    _ => Ok(Value::from(random.below(8) as f64)),
                };
                let asked = (&*question.function, question.args.as_slice(), question.streams);
                self.recording.answer(asked, &answer, moment, seen);
                let entry = self.session.answer(question.id, answer);
                self.follow(&entry.into_iter().collect::<Vec<_>>());
            }
            1 | 2 => {
                let entries = self.session.advance(random.below(90) as f64);
                if !entries.is_empty() {
                    self.recording.happened_by_itself();
                }
                self.follow(&entries);
            }
            3 => {
                let (path, value) = written(random);
                self.recording.set(path, &Value::from(value.clone()), moment, seen);
                // The verdict may come later, or never; the next is what it would have been.
                let (later, judged) = (random.below(2) == 0, self.judged || random.below(3) > 0);
                self.session.judge_later(later);
                let mut entry = self.session.set(path, value).expect("a write that fits");
                self.session.judge_later(false);
                if judged {
                    self.session.judge(&mut entry);
                }
                if let (true, Some(verdict)) = (later, &entry.verdict) {
                    self.late.push((self.recording.len() - 1, verdict.is_exact()));
                }
                self.follow(&[entry]);
            }
            _ => return self.act(random, moment, seen),
        }
        true
    }

    fn act(&mut self, random: &mut Random, moment: record::Moment, seen: String) -> bool {
        let tree = self.session.tree();
        let found = tree.select("button, input, textarea, select, summary, label, li, p, span");
        let found = found.expect("a selector");
        if found.is_empty() {
            return true;
        }
        let target = *random.pick(&found);
        let act = self.chosen(random, target);
        if vein_proof::person::why_not(self.session.tree(), target, &act).is_some() {
            return true;
        }
        let Some(selector) = self.session.tree().selector_of(target) else { return true };
        let was = self.session.tree().value(target).unwrap_or_default();
        match &act {
            Act::Type { text, append } => {
                let now = if *append { format!("{was}{text}") } else { text.clone() };
                let was = if *append { was.as_str() } else { "" };
                self.recording.typed(&selector, (was, &now), &[""], moment, seen);
            }
            act => {
                // Two clicks are told of before it is known that they are one thing.
                let clicks = if *act == Act::DoubleClick { 2 } else { 0 };
                for _ in 0..clicks {
                    self.recording.person(Act::Click, &selector, moment, seen.clone());
                }
                self.recording.person(act.clone(), &selector, moment, seen);
            }
        }
        let Ok(entries) = self.session.act(target, &act) else { return false };
        // What is set anew is another step, even in the same field.
        self.recording.happened_by_itself();
        self.follow(&entries);
        true
    }

    fn chosen(&self, random: &mut Random, target: NodeId) -> Act {
        let tree = self.session.tree();
        let is_field = tree.typing(target).is_some();
        match tree.name(target).unwrap_or("") {
            "select" => {
                let options = tree.options_of(target);
                let values: Vec<String> =
                    options.iter().map(|option| tree.option_value(*option)).collect();
                match values.is_empty() {
                    true => Act::Click,
                    false => Act::Choose(vec![random.pick(&values).clone()]),
                }
            }
            _ if is_field && random.below(3) > 0 => {
                let text = *random.pick(&["3", "2.50", "kale", "", " 1", "x<\"y\\", "ä\t"]);
                // What is set at once has no end to go on from, and what is left for a field may change it.
                let keyed = tree.typing(target) != Some(Typing::Whole) && !text.is_empty();
                let goes_on = keyed && tree.focused() == Some(target);
                Act::Type { text: text.to_owned(), append: goes_on && random.below(3) == 0 }
            }
            _ => match random.below(6) {
                0 => {
                    Act::Press((*random.pick(&["Tab", "Enter", "Escape", " ", "ArrowDown"])).into())
                }
                1 => Act::DoubleClick,
                2 => Act::Focus,
                _ => Act::Click,
            },
        }
    }
}

#[test]
fn random_recordings_come_to_the_same_when_they_are_played() {
    let seeds = Seeds::new(300);
    let (mut pulses, mut steps, mut played_steps, mut named, mut nameless, mut late) =
        (0, 0, 0, 0, 0, 0);
    for seed in seeds.and(&[]) {
        let mut random = Random::new(seed);
        let files = lively_project(&mut random, Wear::Seed(seed));
        let program = compiled(&files);
        let beds: Vec<Json> = (0..3).map(|_| bed(&mut random)).collect();
        let data = Value::from(json!({ "beds": beds }));
        let asked: Asked = Arc::default();
        let (mut host, log) = (host(), asked.clone());
        let soil = host.functions["soil"].clone();
        let noted = move |args: &[Value]| {
            let answer = soil(args);
            log.lock().expect("nobody panicked").push((args.to_vec(), answer.clone()));
            answer
        };
        host.functions.insert("soil".into(), Arc::new(noted));
        let opened = Session::open(program.clone(), "test-bed", data.clone(), host);
        let Ok((mut session, opening)) = opened else { continue };
        session.prove(true);
        let recording = match program.asks_for_moments() {
            true => Recording::new("test-bed").at(0.0, 0),
            false => Recording::new("test-bed"),
        };
        let judged = random.below(2) == 0;
        let mut page =
            Recorded { session, recording, open: Vec::new(), pulses: 0, judged, late: Vec::new() };
        page.follow(&[opening]);
        let story = |text: &str| format!("seed {seed}\n{}\n{text}", shown(&files));
        for _ in 0..seeds.steps(14) {
            // What cannot be done in memory is not gone on from.
            if !page.step(&mut random) || page.session.tree().len() > MOST_NODES {
                break;
            }
            for target in page.session.tree().select("*").expect("a selector") {
                if random.below(40) == 0 {
                    let Some(selector) = page.session.tree().selector_of(target) else {
                        nameless += 1;
                        continue;
                    };
                    let found = page.session.tree().select(&selector);
                    let first = found.ok().and_then(|found| found.first().copied());
                    assert_eq!(first, Some(target), "{selector}\n{}", story(""));
                    named += 1;
                }
            }
        }
        for (args, answer) in asked.lock().expect("nobody panicked").iter() {
            page.recording.answered_at_once("soil", args, answer);
        }
        let detail = if random.below(2) == 0 { Detail::Waits } else { Detail::Keys };
        let now = page.session.runtime().now();
        let draft = page.recording.draft(None, detail, now, page.seen());
        let scenario = Scenario::read(&draft.text);
        let scenario = scenario.unwrap_or_else(|wrong| panic!("{wrong:?}\n{}", story(&draft.text)));
        let clean = Host::from(Some(vein_view::clean as vein_runtime::Clean));
        // What the host has never answered fails when it is asked.
        let player = Player::open(&program, &scenario, data, clean, &mut InMemory);
        let Ok(mut player) = player else { continue };
        player.take_pictures(true);
        let played = player.finish(&mut InMemory);
        for (number, seen) in &draft.seen {
            let Some(step) = played.steps.iter().find(|step| step.number == *number) else {
                continue;
            };
            let views = step.views.as_ref().expect("pictures are taken");
            let found = record::shown(&views.1);
            let told = || format!("step {number} of {:?}\n{}", step.action, story(&draft.text));
            assert!(found == *seen, "{}\nwas\n{seen}\nis\n{found}\n{:?}", told(), step.mistakes);
            played_steps += 1;
        }
        // Where it is played, each is judged at once.
        for (at, exact) in page.late.iter().filter(|_| judged) {
            let number = draft.seen[*at].0 + 1;
            let Some(step) = played.steps.iter().find(|step| step.number == number) else {
                continue;
            };
            let then = step.seen.entries.first().and_then(|entry| entry.verdict.as_ref());
            let then = then.map(vein_proof::Verdict::is_exact);
            assert_eq!(then, Some(*exact), "step {number}\n{}", story(&draft.text));
            late += 1;
        }
        pulses += page.pulses;
        steps += page.recording.len();
    }
    let reached = format!(
        "{pulses} pulses, {steps} steps, {played_steps} the same, {named} named, {nameless} not, {late} judged later"
    );
    println!("{reached}");
    if seeds.tell(pulses) {
        assert!(
            steps > 2000
                && played_steps > 2000
                && named > 1500
                && nameless * 30 < named
                && late > 50,
            "{reached}"
        );
    }
}
