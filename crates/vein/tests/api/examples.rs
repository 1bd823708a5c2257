//! The examples run and print what they are there to show.

#[path = "../../examples/ask_the_host.rs"]
mod ask_the_host;
#[path = "../../examples/bind_an_attribute.rs"]
mod bind_an_attribute;
#[path = "../../examples/bind_both_ways.rs"]
mod bind_both_ways;
#[path = "../../examples/catch_a_failure.rs"]
mod catch_a_failure;
#[path = "../../examples/choose.rs"]
mod choose;
#[path = "../../examples/derive_a_value.rs"]
mod derive_a_value;
#[path = "../../examples/drive_from_a_thread.rs"]
mod drive_from_a_thread;
#[path = "../../examples/follow_a_stream.rs"]
mod follow_a_stream;
#[path = "../../examples/handle_an_event.rs"]
mod handle_an_event;
#[path = "../../examples/load_late_data.rs"]
mod load_late_data;
#[path = "../../examples/nest_components.rs"]
mod nest_components;
#[path = "../../examples/prove_a_scenario.rs"]
mod prove_a_scenario;
#[path = "../../examples/repeat.rs"]
mod repeat;
#[path = "../../examples/run_a_timer.rs"]
mod run_a_timer;
#[path = "../../examples/share_a_store.rs"]
mod share_a_store;
#[path = "../../examples/show_a_value.rs"]
mod show_a_value;
#[path = "../../examples/watch_a_value.rs"]
mod watch_a_value;
#[path = "../../examples/write_a_function.rs"]
mod write_a_function;

/// The lines of an example's output that hold one of the words.
fn lines(output: &str, words: &[&str]) -> Vec<String> {
    let squeezed = output.lines().map(|l| l.split_whitespace().collect::<Vec<_>>().join(" "));
    squeezed.filter(|line| words.iter().any(|word| line.contains(word))).collect()
}

#[test]
fn show_a_value() {
    show_a_value::main().expect("it prints");
    let output = show_a_value::run().expect("it runs");
    assert!(output.starts_with("<p>Ruby chard grows in 3 beds.</p>\n"), "{output}");
    assert!(output.ends_with("<p>Ruby chard grows in 1 bed.</p>\n"), "{output}");
    assert_eq!(
        lines(&output, &["exact"]),
        ["exact 1 of 1 parts changed · 0 missed · 0 needless · 0 moves"]
    );
}

#[test]
fn bind_an_attribute() {
    bind_an_attribute::main().expect("it prints");
    let output = bind_an_attribute::run().expect("it runs");
    assert_eq!(
        lines(&output, &["exact"]).iter().map(|l| &l[6..7]).collect::<Vec<_>>(),
        ["2", "3", "2"],
        "{output}"
    );
    assert!(output.contains("aria-disabled=\"true\""), "{output}");
    assert!(output.contains(" disabled"), "{output}");
}

#[test]
fn handle_an_event() {
    handle_an_event::main().expect("it prints");
    let output = handle_an_event::run().expect("it runs");
    assert_eq!(
        lines(&output, &["given", "heard"]),
        [
            "given watered(litres: 0.5)",
            "given watered(litres: 5)",
            "the host heard of [0.5, 5.0] litres",
        ]
    );
    assert!(output.contains("\nKale got 0 l\n"), "{output}");
}

#[test]
fn write_a_function() {
    write_a_function::main().expect("it prints");
    let output = write_a_function::run().expect("it runs");
    // Of one packet its row and the sum look, of the price every row.
    let [first, second] = [1, 2].map(|pulse| output.split("\npulse ").nth(pulse).expect("a pulse"));
    assert_eq!(first.matches(" text ").count(), 2, "{first}");
    assert_eq!(second.matches(" text ").count(), 3, "{second}");
    assert!(output.contains("<p>16.5 coins</p>"), "{output}");
}

#[test]
fn derive_a_value() {
    derive_a_value::main().expect("it prints");
    let output = derive_a_value::run().expect("it runs");
    // A bed that stays moist changes no derived value, so nothing that is shown.
    let counted: Vec<String> = lines(&output, &["exact"]).iter().map(|l| l[6..12].into()).collect();
    assert_eq!(counted, ["0 of 2", "2 of 2", "2 of 2"], "{output}");
}

#[test]
fn bind_both_ways() {
    bind_both_ways::main().expect("it prints");
    let output = bind_both_ways::run().expect("it runs");
    // Text that is no number is told, and changes nothing.
    assert!(output.contains("\"\" means no value of its type"), "{output}");
    assert!(output.contains("the field keeps Some(\"\")"), "{output}");
    assert!(output.ends_with("4 × Black kale for autumn, 12 coins + string\n"), "{output}");
}

#[test]
fn choose() {
    choose::main().expect("it prints");
    let output = choose::run().expect("it runs");
    assert_eq!(
        lines(&output, &["branch"]),
        [
            "view frost-alarm › p.alarm branch Close to frost → Frost: cover the beds because degrees",
            "view frost-alarm › p.alarm branch Frost: cover the beds → No frost because degrees",
            "view frost-alarm › group branch nothing → group because name",
        ]
    );
    assert!(output.contains("<h2>NORTH DOOR</h2>"), "{output}");
}

#[test]
fn repeat() {
    repeat::main().expect("it prints");
    let output = repeat::run().expect("it runs");
    // One of three moves; a change through a derived list lands in the state.
    assert!(lines(&output, &["li list"]).iter().any(|line| line.contains("1 moved")), "{output}");
    assert!(lines(&output, &["state"]).iter().any(|line| line.contains(".moisture")), "{output}");
    assert!(output.contains("\"crop\":\"Red chard\""), "{output}");
}

#[test]
fn nest_components() {
    nest_components::main().expect("it prints");
    let output = nest_components::run().expect("it runs");
    assert!(output.contains("<section class=\"tool wide\">"), "{output}");
    assert!(output.contains("<b>1 times</b> Watering can"), "{output}");
    assert!(output.contains("<li>Watering can: 3 l</li>"), "{output}");
}

#[test]
fn share_a_store() {
    share_a_store::main().expect("it prints");
    let output = share_a_store::run().expect("it runs");
    assert!(lines(&output, &["exact"]).iter().all(|line| line.contains("0 missed · 0 needless")));
    assert!(output.contains("the host reads 40 l"), "{output}");
    assert!(lines(&output, &["barrel.low"])[0].contains("false → true"), "{output}");
}

#[test]
fn watch_a_value() {
    watch_a_value::main().expect("it prints");
    let output = watch_a_value::run().expect("it runs");
    assert!(
        output.ends_with("<ol><li>begun at 4</li><li>frost</li><li>thaw</li></ol>\n"),
        "{output}"
    );
    assert_eq!(lines(&output, &["nothing changed"]).len(), 0);
    assert_eq!(lines(&output, &["0 of 2 parts"]).len(), 1, "{output}");
}

#[test]
fn run_a_timer() {
    run_a_timer::main().expect("it prints");
    let output = run_a_timer::run().expect("it runs");
    let counted: Vec<&str> =
        output.lines().map(|line| line.rsplit(": ").next().unwrap_or("")).collect();
    assert_eq!(
        counted,
        [
            "0 pulses, <button>open</button><p>0 drops</p>",
            "3 pulses, <button>close</button><p>3 drops</p>",
            "0 pulses, <button>open</button><p>3 drops</p>",
        ]
    );
}

#[test]
fn load_late_data() {
    load_late_data::main().expect("it prints");
    let output = load_late_data::run().expect("it runs");
    assert_eq!(lines(&output, &["class=\"waiting\""]).len(), 4, "{output}");
    assert!(output.contains("<p>sow winter cress, 0.5 cm deep</p>"), "{output}");
    assert!(output.ends_with("nothing found: nothing is sown in month 12</p>\n"), "{output}");
}

#[test]
fn catch_a_failure() {
    catch_a_failure::main().expect("it prints");
    let output = catch_a_failure::run().expect("it runs");
    assert_eq!(lines(&output, &["disabled=\"\""]).len(), 2, "{output}");
    assert!(output.contains("8:31 AM</time> 3 packets for Lemon basil"), "{output}");
    assert!(output.contains("8:32 AM</time> not sent: nobody swaps Black kale"), "{output}");
    assert_eq!(lines(&output, &["failed"]).len(), 1, "{output}");
}

#[test]
fn follow_a_stream() {
    follow_a_stream::main().expect("it prints");
    let output = follow_a_stream::run().expect("it runs");
    assert_eq!(lines(&output, &["answer of bees"]).len(), 4, "{output}");
    assert!(output.contains("<p>east hive: no bee yet</p>"), "{output}");
    // Until the other hive says something, what was said last stays.
    assert!(output.contains("<p>west hive: 21 bees</p>"), "{output}");
}

#[test]
fn ask_the_host() {
    ask_the_host::main().expect("it prints");
    let output = ask_the_host::run().expect("it runs");
    assert!(
        output.starts_with("`bed-survey` asks what nobody answers: `asks soil_name"),
        "{output}"
    );
    assert!(output.contains("<p>sandy loam</p><button>Weigh the harvest</button><p>12.5 kg</p>"));
    assert_eq!(lines(&output, &["failed the host"]).len(), 1, "{output}");
    assert!(output.contains("the scales are away"), "{output}");
}

#[test]
fn drive_from_a_thread() {
    drive_from_a_thread::main().expect("it prints");
    let output = drive_from_a_thread::run().expect("it runs");
    assert_eq!(lines(&output, &["host set degrees"]).len(), 3, "{output}");
    assert!(output.ends_with("<li>frost</li><li>thaw</li></ol>\n"), "{output}");
}

#[test]
fn prove_a_scenario() {
    prove_a_scenario::main().expect("it prints");
    let output = prove_a_scenario::run().expect("it holds");
    assert_eq!(
        lines(&output, &["barrel-gauge"]),
        [
            "barrel-gauge › p text \"40 l in the barrel\" → \"30 l in the barrel\" (barrel-gauge.vein:4:36)",
            "barrel-gauge › p class absent → \"low\" (barrel-gauge.vein:4:11)",
            "barrel-gauge › p text \"30 l in the barrel\" → \"10 l in the barrel\" (barrel-gauge.vein:4:36)",
        ]
    );
}
