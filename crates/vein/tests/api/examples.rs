//! The examples run and print what they are there to show.

#[path = "../../examples/bind_an_attribute.rs"]
mod bind_an_attribute;
#[path = "../../examples/derive_a_value.rs"]
mod derive_a_value;
#[path = "../../examples/handle_an_event.rs"]
mod handle_an_event;
#[path = "../../examples/show_a_value.rs"]
mod show_a_value;

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
fn derive_a_value() {
    derive_a_value::main().expect("it prints");
    let output = derive_a_value::run().expect("it runs");
    // A bed that stays moist changes no derived value, so nothing that is shown.
    let counted: Vec<String> = lines(&output, &["exact"]).iter().map(|l| l[6..12].into()).collect();
    assert_eq!(counted, ["0 of 2", "2 of 2", "2 of 2"], "{output}");
}
