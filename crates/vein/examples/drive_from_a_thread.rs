//! Drives a page from another thread: `cargo run -p vein --example drive_from_a_thread`

use serde_json::json;
use std::fmt::Write;
use std::task::{Context, Poll, Waker};
use vein::{Error, Ui};

/// A thermometer in a thread of its own hands its readings over; the page takes them one by one.
pub fn run() -> Result<String, Error> {
    let text = include_str!("components/frost-diary.vein");
    let ui = Ui::from_sources([("frost-diary.vein", text)])?;
    let mut page = ui.open("frost-diary", json!({ "degrees": 3 }))?;
    let remote = page.remote();
    let thermometer = std::thread::spawn(move || {
        [1, -2, 2].into_iter().try_for_each(|degrees| remote.set("degrees", degrees))
    });
    // Joined only so that this example always prints the same.
    thermometer.join().unwrap_or(Ok(()))?;
    let mut out = String::new();
    // An executor would do this: `while let Ok(pulse) = page.next().await`.
    while let Poll::Ready(pulse) = page.poll_next(&mut Context::from_waker(Waker::noop())) {
        let _ = writeln!(out, "{}\n", pulse?);
    }
    let _ = writeln!(out, "{}", page.html());
    Ok(out)
}

/// Prints what happened.
pub fn main() -> Result<(), Error> {
    print!("{}", run()?);
    Ok(())
}
