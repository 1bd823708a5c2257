//! The engine as a page's script commands it, without a browser.

use vein_check::{Source, check};
use vein_plan::Value;
use vein_view::{Batch, Patch, Tree};
use vein_web::engine::{Command, Engine, Outcome};
use vein_web::wire;

const TANK: &str = "
takes litres: number = 60
gives low(litres: number)
asks soil_name(code: string): string
awaits measure(depth: number): number
holds drawn = 0
loads acidity: number = measure(drawn)

does draw(by: number) {
  drawn += by;
  if (litres - drawn < 50) { give low(litres - drawn); }
}
upon every (1000) while drawn > 20 { drawn += 1; }

<p>{soil_name('p')} {litres - drawn}</p>
<button click=\"-> draw(2.5)\">draw</button>
<i when=\"acidity is waiting\">waiting</i>
<i or-when=\"acidity is failed\">{acidity.reason}</i>
<i otherwise>{acidity}</i>
";

/// A page, driven as the script does it, with the document that its patches make.
struct Script {
    engine: Engine,
    tree: Tree,
    now: f64,
}

impl Script {
    fn opened() -> Script {
        vein_web::answer("soil_name", |args| {
            Ok(Value::from(format!("soil {}", args[0].to_text())))
        });
        let mut script = Script { engine: Engine::default(), tree: Tree::default(), now: 500.0 };
        let loaded = script.engine.run(0, Command::Load, &plans(), 0.0);
        assert!(matches!(said(&loaded, "error"), Value::Null));
        let told =
            script.tell(Command::Open, "[\"water-tank\", { \"litres\": 60 }, [\"measure\"]]");
        assert_eq!(said(&told, "page").to_number(), 0.0);
        script
    }

    /// Has the page do something with what is written here as JSON.
    fn tell(&mut self, command: Command, given: &str) -> Outcome {
        let given = vein_plan::json::parse(given).expect("JSON");
        let mut bytes = Vec::new();
        wire::write(&given, &mut bytes);
        let outcome = self.engine.run(0, command, &bytes, self.now);
        if !outcome.patches.is_empty() {
            let batch = Batch::from_bytes(&outcome.patches).expect("a whole batch");
            self.tree.apply(&batch).expect("patches that fit");
        }
        outcome
    }

    fn refusal(&mut self, command: Command, given: &str) -> String {
        let before = self.tree.html();
        let outcome = self.tell(command, given);
        assert!(outcome.patches.is_empty() && self.tree.html() == before, "nothing changes");
        said(&outcome, "error").to_text().to_string()
    }
}

fn plans() -> Vec<u8> {
    let source = Source { path: "water-tank.vein".into(), text: TANK.into() };
    let checked = check(vec![source]);
    checked.program.unwrap_or_else(|| panic!("{:?}", checked.report)).to_bytes()
}

/// What is told under a name; `null` where it is not.
fn said(outcome: &Outcome, name: &str) -> Value {
    match wire::read(&outcome.told, &[]) {
        Some(Value::Record(record)) => record.get(name).cloned().unwrap_or_default(),
        _ => Value::Null,
    }
}

#[test]
fn a_page_is_driven_by_commands() {
    let mut script = Script::opened();
    let begun = "<p>soil p 60</p><button>draw</button><i>waiting</i>";
    assert_eq!(script.tree.html(), begun);
    let button = script.tree.children(script.tree.root())[1];
    let number = script.tree.number_of(button).expect("it is listened on");
    let click = |seen: u32| format!("[\"click\", [{number}, 0], {{}}, {seen}]");
    // Before the page was shown there was nothing to click on.
    script.tell(Command::Event, &click(0));
    assert_eq!(script.tree.html(), begun);
    let clicked = script.tell(Command::Event, &click(1));
    assert_eq!(script.tree.html(), begun.replace("60", "57.5"), "{clicked:?}");
    assert!(script.tell(Command::Get, "[\"drawn\"]").patches.is_empty());
    assert_eq!(said(&script.tell(Command::Get, "[\"drawn\"]"), "value").to_number(), 2.5);
    let called = script.tell(Command::Call, "[\"draw\", [10]]");
    assert_eq!(said(&called, "given").to_string(), "[… 1 item]");
    script.tell(Command::Set, "[\"litres\", 100]");
    assert_eq!(script.tree.html(), begun.replace("60", "87.5"));
    let watched = script.tell(Command::Watch, "[\"drawn\"]");
    assert_eq!(said(&watched, "value").to_number(), 12.5);
    let changed = script.tell(Command::Call, "[\"draw\", [1]]");
    assert!(matches!(said(&changed, "watched"), Value::List(all) if all.len() == 1));
    script.tell(Command::Unwatch, "[0]");
    let unwatched = script.tell(Command::Call, "[\"draw\", [1]]");
    assert!(matches!(said(&unwatched, "watched"), Value::Null));
}

#[test]
fn questions_and_timers_are_the_scripts() {
    let mut script = Script::opened();
    let asked = script.tell(Command::Call, "[\"draw\", [1]]");
    // The first question is let go, since its argument is another now.
    assert!(matches!(said(&asked, "dropped"), Value::List(all) if all.len() == 1));
    let Value::List(questions) = said(&asked, "asked") else { panic!("a question: {asked:?}") };
    let Value::Record(question) = &questions[0] else { panic!("a record") };
    let id = question.get("id").expect("its number").to_number();
    let late = script.tell(Command::Answer, "[0, 1]");
    assert!(late.patches.is_empty(), "nobody waits for that any more");
    script.tell(Command::Answer, &format!("[{id}, 6.5]"));
    assert!(script.tree.html().ends_with("<i>6.5</i>"), "{}", script.tree.html());
    assert_eq!(asked.due, f64::INFINITY);
    script.now = 800.0;
    let running = script.tell(Command::Call, "[\"draw\", [20]]");
    assert_eq!(running.due, 1800.0, "by the script's own clock");
    script.now = 1799.0;
    assert!(script.tell(Command::Advance, "[]").patches.is_empty());
    script.now = 1800.0;
    let patches = script.tell(Command::Advance, "[]").patches;
    let batch = Batch::from_bytes(&patches).expect("a batch");
    assert!(batch.iter().any(|patch| matches!(patch, Patch::Text { text: "soil p 38", .. })));
    let Value::Record(left) = said(&script.tell(Command::Close, "[]"), "left") else { panic!() };
    assert!(left.iter().all(|(_, count)| count.to_number() == 0.0), "{left:?}");
    assert_eq!(script.refusal(Command::Get, "[\"drawn\"]"), "this page is closed");
}

#[test]
fn what_cannot_be_done_is_said_and_changes_nothing() {
    let mut script = Script::opened();
    for (command, given, expected) in [
        (Command::Set, "[\"litters\", 1]", "litters"),
        (Command::Set, "[\"litres\", \"much\"]", "litres"),
        (Command::Call, "[\"pour\", []]", "pour"),
        (Command::Get, "[\"nothing\"]", "nothing"),
        (Command::Watch, "[\"nothing\"]", "nothing"),
    ] {
        let said = script.refusal(command, given);
        assert!(said.contains(expected), "{command:?} {given}: {said}");
    }
    let broken = script.engine.run(0, Command::Set, &[6, 255, 255], 0.0);
    assert!(said(&broken, "error").to_text().to_string().contains("cannot be read"));
    let mut plans = plans();
    let middle = plans.len() / 2;
    plans[middle] ^= 1;
    let refused = Engine::default().run(0, Command::Load, &plans, 0.0);
    assert!(!matches!(said(&refused, "error"), Value::Null), "damaged plans are refused");
    let early = Engine::default().run(0, Command::Open, &[5, 0], 0.0);
    assert!(said(&early, "error").to_text().to_string().contains("no program"));
}
