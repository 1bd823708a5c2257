//! Runs the tests of this binary: several at once, each with a browser that the one before has left.
//! Chromium takes as long to start as most of them to run.
//!
//! As with the standard harness, a word on the command line runs those with it in their names, and
//! `--list` prints the names.

use crate::driven::Browser;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::pin::Pin;
use std::process::ExitCode;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Instant;

/// Set where Chromium cannot be had; `cargo xtask test` says so in capitals.
const WITHOUT: &str = "VEIN_WITHOUT_BROWSER";

/// How many run at once: one more than there are processors where the fewest are, as much of their time is spent waiting.
const AT_ONCE: usize = 3;

pub type OnPage = for<'b> fn(&'b Browser) -> Pin<Box<dyn Future<Output = ()> + 'b>>;

pub enum Test {
    /// What is done with a browser.
    Page(&'static str, OnPage),
    /// What starts browsers by itself, as a program of ours does.
    Program(&'static str, fn()),
}

impl Test {
    fn name(&self) -> &'static str {
        match self {
            Test::Page(name, _) | Test::Program(name, _) => name,
        }
    }

    /// Whether it passes. A browser in which one failed is not used again.
    fn passes(&self, browser: &mut Option<Browser>) -> bool {
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build();
        let runtime = runtime.expect("a runtime");
        let run = || match self {
            Test::Program(_, run) => run(),
            Test::Page(_, run) => runtime.block_on(async {
                if browser.is_none() {
                    *browser = Some(Browser::start().await);
                }
                let browser = browser.as_ref().expect("a browser");
                run(browser).await;
                browser.leave().await;
            }),
        };
        let passed = catch_unwind(AssertUnwindSafe(run)).is_ok();
        if !passed {
            close(browser.take());
        }
        passed
    }
}

fn close(browser: Option<Browser>) {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build();
    if let Some(browser) = browser {
        runtime.expect("a runtime").block_on(browser.close());
    }
}

pub fn run(all: &[Test]) -> ExitCode {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let words: Vec<&String> = arguments.iter().filter(|word| !word.starts_with('-')).collect();
    let meant = |test: &&Test| {
        words.is_empty() || words.iter().any(|word| test.name().contains(word.as_str()))
    };
    let tests: Vec<&Test> = all.iter().filter(meant).collect();
    if arguments.iter().any(|argument| argument == "--list") {
        tests.iter().for_each(|test| println!("{}: test", test.name()));
        return ExitCode::SUCCESS;
    }
    if std::env::var_os(WITHOUT).is_some() {
        println!("NOT RUN: no Chromium here, so {} tests are left out", tests.len());
        return ExitCode::SUCCESS;
    }
    println!("\nrunning {} tests in Chromium", tests.len());
    let (next, failed) = (AtomicUsize::new(0), AtomicUsize::new(0));
    std::thread::scope(|scope| {
        for _ in 0..AT_ONCE.min(tests.len()) {
            scope.spawn(|| {
                let mut browser = None;
                while let Some(test) = tests.get(next.fetch_add(1, Ordering::Relaxed)) {
                    let begun = Instant::now();
                    let passed = test.passes(&mut browser);
                    failed.fetch_add(usize::from(!passed), Ordering::Relaxed);
                    let verdict = if passed { "ok" } else { "FAILED" };
                    let took = begun.elapsed().as_secs_f64();
                    println!("test {} ... {verdict} ({took:.1} s)", test.name());
                }
                close(browser);
            });
        }
    });
    let failed = failed.into_inner();
    let verdict = if failed == 0 { "ok" } else { "FAILED" };
    println!(
        "\ntest result: {verdict}. {} passed; {failed} failed; 0 ignored; 0 measured; {} filtered out\n",
        tests.len() - failed,
        all.len() - tests.len()
    );
    if failed == 0 { ExitCode::SUCCESS } else { ExitCode::FAILURE }
}
