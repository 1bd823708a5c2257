//! `cargo xtask fuzz-short`: the program's commands on projects that were broken at random. Each ends in time, as it says that it does, and
//! sends a terminal nothing that steers it.

use crate::random::Random;
use crate::{cargo, succeeds};
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

/// A command takes no longer.
const PATIENCE: Duration = Duration::from_secs(20);

/// What is put in at random places.
const PIECES: [&str; 40] = [
    "<",
    ">",
    "</",
    "{",
    "}",
    "'",
    "\"",
    "\\",
    "`",
    "${",
    "{{",
    "/*",
    "<!--",
    "\0",
    "\u{1b}[2J",
    "\u{9b}",
    "\u{202e}",
    "\u{feff}",
    "\r",
    "\u{d7ff}",
    "😀",
    "9999999999999999999999",
    "-0",
    "1e999",
    "0x",
    "null",
    "=>",
    "?.",
    "...",
    "each='x of x'",
    "when=''",
    "or-when='n'",
    "<slot>",
    "<any tag='<- n'>",
    "holds n = n",
    "derives n = n + n",
    "upon every (0) { n++ }",
    "[[[[[[[[",
    "((((((((",
    "<i><i><i><i><i><i>",
];

/// Runs it for so many minutes.
pub fn run(minutes: u64) -> bool {
    if !succeeds(cargo(&["build", "--release", "--quiet", "-p", "vein-cli"])) {
        return false;
    }
    let seed = std::env::var("VEIN_FIRST_SEED").ok().and_then(|seed| seed.parse().ok());
    let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(1, |now| now.as_secs());
    let (first, end) =
        (seed.unwrap_or(now * 1000), Instant::now() + Duration::from_secs(60 * minutes));
    let (mut count, mut codes) = (0_u64, [0_usize; 3]);
    while Instant::now() < end {
        let seed = first + count;
        match broken(seed, &mut codes) {
            Ok(()) => count += 1,
            Err(said) => {
                println!("fuzz-short: VEIN_FIRST_SEED={seed}: {said}");
                return false;
            }
        }
    }
    println!(
        "fuzz-short: {count} projects from seed {first}; {} commands held, {} did not, {} could not be run",
        codes[0], codes[1], codes[2]
    );
    count > 0
}

/// Breaks a project, and runs all commands on it.
fn broken(seed: u64, codes: &mut [usize; 3]) -> Result<(), String> {
    let random = &mut Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
    let folder = std::env::temp_dir().join(format!("vein-fuzz-{}", std::process::id()));
    let io = |error: std::io::Error| error.to_string();
    let _ = std::fs::remove_dir_all(&folder);
    let from = Path::new("examples/glasshouse");
    let mut files = Vec::new();
    copy(from, &folder, &mut files).map_err(io)?;
    for _ in 0..1 + random.below(4) {
        let path = &files[random.below(files.len())];
        let Ok(text) = std::fs::read(path) else { continue };
        std::fs::write(path, changed(text, random)).map_err(io)?;
    }
    let out = folder.join("out");
    let (out, picture) = (out.display().to_string(), folder.join("map.svg").display().to_string());
    for args in [
        &["check"][..],
        &["check", "--json"],
        &["show", "--tree"],
        &["show", "--json"],
        &["map"],
        &["map", "--svg", &picture],
        &["prove", "--coverage"],
        &["prove", "--ledger"],
        &["build", "-o", &out],
    ] {
        let output = ended(
            Command::new(std::env::current_dir().map_err(io)?.join("target/release/vein"))
                .args(args)
                .current_dir(&folder),
        )?;
        let said = format!(
            "{}{}",
            String::from_utf8_lossy(&output.stdout),
            String::from_utf8_lossy(&output.stderr)
        );
        let code = output.status.code().and_then(|code| usize::try_from(code).ok());
        match code.filter(|code| *code < 3) {
            Some(code) if !said.contains("panicked at") => codes[code] += 1,
            _ => {
                return Err(format!(
                    "{args:?} in {}: {:?}\n{}",
                    folder.display(),
                    output.status,
                    last_of(&said)
                ));
            }
        }
        // A view as a document is what it is.
        let steers = said.chars().any(|c| c.is_control() && !matches!(c, '\n' | '\t'));
        if steers && args[0] != "show" {
            return Err(format!(
                "{args:?} in {} steers a terminal\n{}",
                folder.display(),
                last_of(&said)
            ));
        }
    }
    std::fs::remove_dir_all(&folder).map_err(io)
}

fn last_of(said: &str) -> String {
    let from = said.len().saturating_sub(2_000);
    said.char_indices().filter(|(at, _)| *at >= from).map(|(_, c)| c).collect()
}

/// What came of a command, in time.
fn ended(command: &mut Command) -> Result<Output, String> {
    let io = |error: std::io::Error| error.to_string();
    let mut child = command
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .map_err(io)?;
    let id = child.id();
    let (mut out, mut err) = (child.stdout.take(), child.stderr.take());
    let reads = std::thread::spawn(move || {
        let mut all = (Vec::new(), Vec::new());
        std::thread::scope(|scope| {
            scope.spawn(|| out.as_mut().map(|out| std::io::Read::read_to_end(out, &mut all.0)));
            scope.spawn(|| err.as_mut().map(|err| std::io::Read::read_to_end(err, &mut all.1)));
        });
        all
    });
    let since = Instant::now();
    let status = loop {
        if let Some(status) = child.try_wait().map_err(io)? {
            break status;
        }
        if since.elapsed() > PATIENCE {
            let _ = child.kill();
            return Err(format!("process {id} has not ended in {PATIENCE:?}: {command:?}"));
        }
        std::thread::sleep(Duration::from_millis(2));
    };
    let (stdout, stderr) = reads.join().map_err(|_| "its output cannot be read".to_owned())?;
    Ok(Output { status, stdout, stderr })
}

fn copy(from: &Path, to: &Path, files: &mut Vec<PathBuf>) -> std::io::Result<()> {
    std::fs::create_dir_all(to)?;
    for entry in std::fs::read_dir(from)? {
        let entry = entry?;
        let to = to.join(entry.file_name());
        match entry.file_type()?.is_dir() {
            true => copy(&entry.path(), &to, files)?,
            false => {
                std::fs::copy(entry.path(), &to)?;
                files.push(to);
            }
        }
    }
    files.sort();
    Ok(())
}

/// A text with some of it in another place, twice, gone, or something else.
fn changed(text: Vec<u8>, random: &mut Random) -> Vec<u8> {
    let mut text = text;
    for _ in 0..1 + random.below(6) {
        let at = random.below(text.len() + 1);
        let end = (at + random.below(60)).min(text.len());
        match random.below(6) {
            0 => drop(text.drain(at..end)),
            1 => {
                let piece = text[at..end].to_vec();
                let to = random.below(text.len() + 1);
                drop(text.splice(to..to, piece));
            }
            2 => {
                let piece = text[at..end].repeat(1 + random.below(200));
                drop(text.splice(at..end, piece));
            }
            3 if at < text.len() => text[at] = random.below(256) as u8,
            _ => {
                let piece = PIECES[random.below(PIECES.len())].repeat(1 + random.below(3));
                drop(text.splice(at..at, piece.into_bytes()));
            }
        }
    }
    text
}
