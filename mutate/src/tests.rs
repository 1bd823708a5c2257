//! The tests that look: what each comes by, how long it takes, and whether it fails.

use std::collections::BTreeMap;
use std::fmt;
use std::io::{BufRead as _, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc;
use std::time::{Duration, Instant};

/// How many seeds those tests take that play random pulses: first a few, then those that failed once, then more; with
/// 500 they judge the generators, too.
const SEEDS: [&str; 3] = ["60", "0", "480"];

/// What takes longer than this runs millions of statements, to see that they are counted.
const LONG: Duration = Duration::from_secs(3);

/// What a test is given beyond what it took by itself.
const PATIENCE: Duration = Duration::from_secs(20);

/// Tests that run together.
struct Test {
    program: usize,
    name: String,
    seeds: Option<&'static str>,
    takes: Duration,
    reaches: Vec<bool>,
}

pub struct Tests {
    programs: Vec<(PathBuf, PathBuf)>,
    /// The shortest first.
    tests: Vec<Test>,
}

/// What became of a place that was broken.
pub enum Noticed {
    /// By a test with a few random pulses, or with more; by another.
    By(&'static str),
    Endless,
    Not,
    NotReached,
}

impl fmt::Display for Noticed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Noticed::By(who) => who,
            Noticed::Endless => "noticed: without end",
            Noticed::Not => "unnoticed",
            Noticed::NotReached => "reached by no test",
        })
    }
}

impl Tests {
    /// All tests of the programs, each run once by itself; they pass as long as nothing is broken.
    pub fn watched(
        programs: &BTreeMap<String, PathBuf>,
        copy: &Path,
        places: usize,
        threads: usize,
    ) -> Tests {
        let (mut found, mut all) = (Vec::new(), Vec::new());
        for (name, path) in programs {
            let folder = match name.as_str() {
                "api" => "vein".to_owned(),
                name if name.starts_with("vein") => name.replace('_', "-"),
                name => format!("vein-{name}"),
            };
            found.push((path.clone(), copy.join("crates").join(folder)));
            let listed = Command::new(path).args(["--list", "--format=terse"]).output();
            let listed = String::from_utf8_lossy(&listed.expect("the tests").stdout).into_owned();
            for test in listed.lines().filter_map(|line| line.strip_suffix(": test")) {
                let random = name == "proof" && test.contains("::random_");
                let seeds = if random { SEEDS.map(Some).to_vec() } else { vec![None] };
                all.extend(seeds.iter().map(|seeds| (found.len() - 1, test.to_owned(), *seeds)));
            }
        }
        let mut tests = Tests { programs: found, tests: Vec::new() };
        let (next, watched) = (AtomicUsize::new(0), Mutex::new(Vec::new()));
        std::thread::scope(|scope| {
            for thread in 0..threads {
                let (tests, all, next, watched) = (&tests, &all, &next, &watched);
                scope.spawn(move || {
                    let told = copy.join(format!("target/reached-{thread}"));
                    while let Some((program, name, seeds)) =
                        all.get(next.fetch_add(1, Ordering::Relaxed))
                    {
                        let _ = std::fs::remove_file(&told);
                        let begun = Instant::now();
                        let mut command = tests.command(*program, &[name], *seeds);
                        let output = command.env("VEIN_REACHED", &told).output().expect("a test");
                        assert!(output.status.success(), "{name} fails with nothing broken");
                        let mut reaches = vec![false; places + 1];
                        let said = std::fs::read_to_string(&told).unwrap_or_default();
                        for number in said.lines().filter_map(|line| line.parse::<usize>().ok()) {
                            reaches[number] = true;
                        }
                        watched.lock().expect("whole").push(Test {
                            program: *program,
                            name: name.clone(),
                            seeds: *seeds,
                            takes: begun.elapsed(),
                            reaches,
                        });
                    }
                });
            }
        });
        tests.tests = watched.into_inner().expect("whole");
        tests.tests.sort_by_key(|test| test.takes);
        let whole: Duration = tests.tests.iter().map(|test| test.takes).sum();
        println!("{} tests, {:.0} s", tests.tests.len(), whole.as_secs_f64());
        for test in tests.tests.iter().rev().take(8) {
            println!("  {:6.2} s  {} {:?}", test.takes.as_secs_f64(), test.name, test.seeds);
        }
        tests
    }

    fn command(&self, program: usize, names: &[&str], seeds: Option<&str>) -> Command {
        let (path, folder) = &self.programs[program];
        let mut command = Command::new(path);
        command.args(["--exact", "--test-threads=1"]).args(names).current_dir(folder);
        command.env("RUST_BACKTRACE", "0").stdin(Stdio::null()).stderr(Stdio::null());
        if let Some(seeds) = seeds {
            command.env("VEIN_FIRST_SEED", "1").env("VEIN_SEEDS", seeds);
        }
        command
    }

    /// Breaks a place, and says who noticed. Tests that take long are asked only where `patiently`.
    pub fn notice(&self, number: u32, patiently: bool) -> Noticed {
        let is_long = |test: &Test| test.seeds.is_none() && test.takes > LONG;
        let reach = |test: &&Test| test.reaches[number as usize] && (patiently || !is_long(test));
        let reaching: Vec<&Test> = self.tests.iter().filter(reach).collect();
        if reaching.is_empty() {
            return Noticed::NotReached;
        }
        // Short tests of a program run together; the others one after the other.
        let (short, long): (Vec<&Test>, Vec<&Test>) = reaching
            .into_iter()
            .partition(|test| test.takes < Duration::from_millis(300) && test.seeds.is_none());
        let few = long.iter().filter(|test| test.seeds == Some(SEEDS[0]));
        for test in few {
            if let Some(noticed) = self.fails(number, &[test]) {
                return noticed;
            }
        }
        for program in 0..self.programs.len() {
            let tests: Vec<&Test> =
                short.iter().copied().filter(|test| test.program == program).collect();
            if let Some(noticed) = (!tests.is_empty()).then(|| self.fails(number, &tests)).flatten()
            {
                return noticed;
            }
        }
        for test in long.iter().filter(|test| test.seeds != Some(SEEDS[0])) {
            if let Some(noticed) = self.fails(number, &[test]) {
                return noticed;
            }
        }
        Noticed::Not
    }

    /// Whether one of the tests, all of one program, fails with a place broken.
    fn fails(&self, number: u32, tests: &[&Test]) -> Option<Noticed> {
        let names: Vec<&str> = tests.iter().map(|test| test.name.as_str()).collect();
        let mut command = self.command(tests[0].program, &names, tests[0].seeds);
        command.env("VEIN_MUTANT", number.to_string()).stdout(Stdio::piped());
        let takes: Duration = tests.iter().map(|test| test.takes).sum();
        let mut child = command.spawn().expect("the tests");
        let output = BufReader::new(child.stdout.take().expect("its output"));
        let (say, said) = mpsc::channel();
        // The first that fails is enough.
        std::thread::spawn(move || {
            let mut lines = output.lines().map_while(Result::ok);
            let _ = say.send(lines.any(|line| line.ends_with("FAILED")));
        });
        let failed = said.recv_timeout(PATIENCE + 6 * takes);
        if failed != Ok(false) {
            let _ = child.kill();
        }
        let status = child.wait().expect("a process");
        let who = match tests[0].seeds {
            Some(few) if few == SEEDS[0] => "noticed by a few random pulses",
            Some(_) => "noticed by more random pulses",
            None => "noticed by another test",
        };
        match failed {
            Err(_) => Some(Noticed::Endless),
            Ok(failed) => (failed || !status.success()).then_some(Noticed::By(who)),
        }
    }
}
