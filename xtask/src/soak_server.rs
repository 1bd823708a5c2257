//! `cargo xtask soak-server`: a thousand tabs and more come and go at a served page, most of them badly, and one that behaves is
//! answered all the while.

use crate::random::Random;
use crate::{cargo, succeeds};
use std::fmt::Write as _;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{Shutdown, TcpStream};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicBool, AtomicU64, AtomicUsize, Ordering};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

const PAGE: &str = "holds n = 0
holds text = ''
holds rows = [1, 2, 3]
does fill() { text = 'w'.repeat(200000) + n; n++ }
does grow() { if (rows.length < 200) rows.push(n); else rows = []; n++ }
<p>{n}</p>
<button click='-> n++'>more</button>
<button click='-> fill()'>fill</button>
<button click='-> grow()'>grow</button>
<i each='row of rows'>{row}</i><b title='<- text'></b>
";

/// So many misbehave at once.
const AT_ONCE: usize = 16;
/// No answer that somebody gets who behaves takes longer.
const SLOWEST: Duration = Duration::from_millis(100);
/// So long one sleeps that tells how late a machine wakes.
const NAP: Duration = Duration::from_millis(5);

/// So much more memory than before may be held at the end, in kB: what an allocator keeps for later.
const MORE_MEMORY: u64 = 64 << 10;
const PATIENCE: Duration = Duration::from_secs(5);

/// What was done and seen.
#[derive(Default)]
struct Seen {
    tabs: AtomicUsize,
    requests: AtomicUsize,
    refused: AtomicUsize,
}

struct Server {
    process: Child,
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

/// Runs it for so many minutes.
pub fn run(minutes: u64) -> bool {
    if !succeeds(cargo(&["build", "--release", "--quiet", "-p", "vein-cli"])) {
        return false;
    }
    match soak(Duration::from_secs(60 * minutes)) {
        Ok(well) => well,
        Err(error) => {
            println!("soak-server: {error}");
            false
        }
    }
}

fn soak(time: Duration) -> std::io::Result<bool> {
    let folder = std::env::temp_dir().join(format!("vein-soak-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    std::fs::write(folder.join("a-shop.vein"), PAGE)?;
    let mut process = Command::new("target/release/vein")
        .args(["serve", "--port", "0", "--dir"])
        .arg(&folder)
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()?;
    let mut first = String::new();
    let out = process.stdout.take().ok_or_else(|| std::io::Error::other("no output"))?;
    let mut out = BufReader::new(out);
    out.read_line(&mut first)?;
    let digits = first.split("127.0.0.1:").nth(1).unwrap_or("");
    let digits: String = digits.chars().take_while(char::is_ascii_digit).collect();
    let port = digits.parse().map_err(std::io::Error::other)?;
    let server = Server { process };
    let id = server.process.id();
    // What a server has had once that is used.
    for _ in 0..100 {
        let mut tab = Tab::open(port)?;
        tab.click(1)?;
        tab.answer()?;
    }
    let seed = SystemTime::now().duration_since(UNIX_EPOCH).map_or(1, |now| now.as_nanos() as u64);
    println!("soak-server: seed {seed}, {} s, {AT_ONCE} misbehave at once", time.as_secs());
    // What an allocator keeps for later is there after some of it; what is lost is more with each tab.
    let (mut peak, mut held, late) = (0, Vec::<u64>::new(), AtomicU64::new(0));
    let mut go_on =
        |seed: u64, time: Duration| -> std::io::Result<(Seen, Vec<Duration>, u64, usize)> {
            let (seen, is_over) = (Seen::default(), AtomicBool::new(false));
            let mut answers: Vec<Duration> = Vec::new();
            let begun = Instant::now();
            held.clear();
            late.store(0, Ordering::Relaxed);
            std::thread::scope(|scope| {
                // How late the machine wakes one that only sleeps: so long an answer may take by itself.
                scope.spawn(|| {
                    while !is_over.load(Ordering::Relaxed) {
                        let since = Instant::now();
                        std::thread::sleep(NAP);
                        let more = since.elapsed().saturating_sub(NAP).as_micros() as u64;
                        late.fetch_max(more, Ordering::Relaxed);
                    }
                });
                for at in 0..AT_ONCE as u64 {
                    let (seen, is_over) = (&seen, &is_over);
                    scope.spawn(move || {
                        let mut random =
                            Random(seed.wrapping_mul(0x9e37_79b9).wrapping_add(at * 7919 + 1));
                        while !is_over.load(Ordering::Relaxed) {
                            // What comes of it is not theirs to judge.
                            if misbehave(port, &mut random, seen).is_err() {
                                seen.refused.fetch_add(1, Ordering::Relaxed);
                            }
                        }
                    });
                }
                let done = behave(port, time, &mut answers, || {
                    let memory = memory_of(id);
                    peak = peak.max(memory);
                    if begun.elapsed().as_secs() / 60 >= held.len() as u64 {
                        held.push(memory);
                    }
                });
                is_over.store(true, Ordering::Relaxed);
                done
            })?;
            // Whoever was let go is gone, and so are connections that waited.
            std::thread::sleep(Duration::from_secs(12));
            Ok((seen, answers, memory_of(id), files_of(id)))
        };
    let (_, _, memory, files) = go_on(seed, time / 4)?;
    let (seen, mut answers, memory_after, files_after) = go_on(seed + 1, time)?;
    answers.sort_unstable();
    let at = |hundredth: usize| answers[(answers.len() - 1) * hundredth / 100];
    let (slowest, tabs) = (at(100), seen.tabs.load(Ordering::Relaxed));
    let mut said = String::new();
    let _ = writeln!(
        said,
        "soak-server: {tabs} tabs came and went, {} requests beside them, {} broken off",
        seen.requests.load(Ordering::Relaxed),
        seen.refused.load(Ordering::Relaxed)
    );
    let _ = writeln!(
        said,
        "  one that behaves: {} answers, half in {:?}, 99 % in {:?}, {} in more than {SLOWEST:?}, the slowest in {slowest:?}",
        answers.len(),
        at(50),
        at(99),
        answers.iter().filter(|answer| **answer > SLOWEST).count()
    );
    let late = Duration::from_micros(late.load(Ordering::Relaxed));
    let _ = writeln!(said, "  one beside it that only sleeps was woken {late:?} late at most");
    let _ = writeln!(said, "  memory each minute, in kB: {held:?}");
    let _ = writeln!(
        said,
        "  memory {memory} kB before, {peak} kB at most, {memory_after} kB after; files {files} before, {files_after} after"
    );
    print!("{said}");
    drop(server);
    let _ = std::fs::remove_dir_all(&folder);
    let wrong = [
        (slowest > SLOWEST, "an answer took too long"),
        (memory_after > memory + MORE_MEMORY, "memory is held"),
        (files_after > files + 2, "files are open"),
        (
            time >= Duration::from_secs(120) && tabs < 1_000,
            "there were too few tabs to say anything",
        ),
    ];
    let wrong: Vec<&str> = wrong.iter().filter(|(is, _)| *is).map(|(_, said)| *said).collect();
    println!(
        "{}",
        if wrong.is_empty() { "soak-server: well".to_owned() } else { wrong.join("; ") }
    );
    Ok(wrong.is_empty())
}

/// Clicks, and waits for what comes of it, again and again.
fn behave(
    port: u16,
    time: Duration,
    answers: &mut Vec<Duration>,
    mut look: impl FnMut(),
) -> std::io::Result<()> {
    let (begun, mut tab) = (Instant::now(), Tab::open(port)?);
    while begun.elapsed() < time {
        let since = Instant::now();
        tab.click(1)?;
        tab.answer()?;
        answers.push(since.elapsed());
        if answers.len().is_multiple_of(200) {
            look();
        }
        std::thread::sleep(Duration::from_millis(20));
    }
    Ok(())
}

/// Does one of the things that nobody should.
fn misbehave(port: u16, random: &mut Random, seen: &Seen) -> std::io::Result<()> {
    let kind = random.below(10);
    if kind < 2 {
        seen.requests.fetch_add(1, Ordering::Relaxed);
        let mut stream = connect(port)?;
        let path = [
            "/",
            "/index.html",
            "/..%2f..%2fetc",
            "/assets/styles.css",
            "/%00",
            "/vein/",
            "/nowhere",
        ];
        let begin = format!(
            "GET {} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n",
            path[random.below(path.len())]
        );
        stream.write_all(begin.as_bytes())?;
        if kind == 0 {
            // The rest never comes.
            std::thread::sleep(Duration::from_millis(random.below(300) as u64));
            return Ok(());
        }
        stream.write_all(b"Connection: close\r\n\r\n")?;
        let mut all = Vec::new();
        stream.read_to_end(&mut all)?;
        return Ok(());
    }
    seen.tabs.fetch_add(1, Ordering::Relaxed);
    let mut tab = Tab::open(port)?;
    match kind {
        2 | 3 => {
            for _ in 0..random.below(20) {
                tab.click(1 + random.below(3))?;
                tab.answer()?;
            }
        }
        // Says much and reads nothing.
        4 => {
            for _ in 0..random.below(400) {
                tab.click(1 + random.below(3))?;
            }
            std::thread::sleep(Duration::from_millis(random.below(500) as u64));
        }
        5 => {
            let many = frame(&clicked(1)).repeat(200);
            for _ in 0..random.below(20) {
                tab.0.write_all(&many)?;
            }
        }
        // Bytes that are no frames, or no messages.
        6 => {
            let bytes: Vec<u8> =
                (0..random.below(2_000)).map(|_| random.below(256) as u8).collect();
            tab.0.write_all(&bytes)?;
            let _ = tab.told();
        }
        7 => {
            let len = [9_u64 << 20, 1 << 40, u64::MAX][random.below(3)];
            tab.0.write_all(&[&[0x81, 0xff][..], &len.to_be_bytes(), &[0; 4]].concat())?;
            let _ = tab.told();
        }
        8 => {
            for _ in 0..random.below(30) {
                let said = nonsense(random);
                tab.0.write_all(&frame(&said))?;
            }
            let _ = tab.told();
        }
        // Goes in the middle of a word.
        _ => {
            let all = frame(&clicked(2));
            tab.0.write_all(&all[..random.below(all.len())])?;
            tab.0.shutdown(Shutdown::Both)?;
        }
    }
    Ok(())
}

/// Something that looks like what a tab says.
fn nonsense(random: &mut Random) -> String {
    let mut number =
        || ["0", "1", "3", "99999", "4294967295", "-1", "1e99", "null", "\"x\""][random.below(9)];
    let (a, b, c, d) = (number(), number(), number(), number());
    let which = random.below(9);
    match which {
        0 => format!(
            r#"{{"event":{{"event":"click","seen":{a},"on":{b},"reached":[[{c},{d}]],"fields":{{}}}}}}"#
        ),
        1 => format!(
            r#"{{"event":{{"event":"input","seen":1,"reached":[[3,0],[3,0],[{a},{b}]],"fields":{{"value":{c}}}}}}}"#
        ),
        2 => format!(
            r#"{{"event":{{"event":"reset","seen":1,"reached":[],"fields":{{}},"restored":[[{a},"value",{b},{c}]]}}}}"#
        ),
        3 => format!(r#"{{"answer":[{a},{b}]}}"#),
        4 => format!(r#"{{"shown":{a}}}"#),
        5 => format!(r#"{{"mend":[{a},"nobody"]}}"#),
        6 => format!(r#"{{"pointed":[[{a},[{b},{c}]],true]}}"#),
        7 => "\"held\"".to_owned(),
        _ => format!("{{\"{a}\":[[[[{b}"),
    }
}

/// A tab that is linked.
struct Tab(TcpStream);

impl Tab {
    fn open(port: u16) -> std::io::Result<Tab> {
        let mut tab = Tab(connect(port)?);
        let own = format!("127.0.0.1:{port}");
        let request = format!(
            "GET /vein/link HTTP/1.1\r\nHost: {own}\r\nOrigin: http://{own}\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\
             Sec-WebSocket-Version: 13\r\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n"
        );
        tab.0.write_all(request.as_bytes())?;
        let (mut head, mut byte) = (Vec::new(), [0]);
        while !head.ends_with(b"\r\n\r\n") {
            tab.0.read_exact(&mut byte)?;
            head.push(byte[0]);
        }
        tab.0.write_all(&frame(r#"{"hello":{"host":{"answers":[],"opens":false}}}"#))?;
        tab.answer()?;
        Ok(tab)
    }

    fn click(&mut self, button: usize) -> std::io::Result<()> {
        self.0.write_all(&frame(&clicked(button)))
    }

    /// The next batch of patches.
    fn answer(&mut self) -> std::io::Result<()> {
        while !self.told()?.starts_with(b"VP") {}
        Ok(())
    }

    fn told(&mut self) -> std::io::Result<Vec<u8>> {
        let mut head = [0; 2];
        self.0.read_exact(&mut head)?;
        let len = match head[1] {
            126 => {
                let mut len = [0; 2];
                self.0.read_exact(&mut len)?;
                u64::from(u16::from_be_bytes(len))
            }
            127 => {
                let mut len = [0; 8];
                self.0.read_exact(&mut len)?;
                u64::from_be_bytes(len)
            }
            len => u64::from(len),
        };
        let mut body = vec![0; usize::try_from(len).map_err(std::io::Error::other)?];
        self.0.read_exact(&mut body)?;
        Ok(body)
    }
}

fn connect(port: u16) -> std::io::Result<TcpStream> {
    let stream = TcpStream::connect(("127.0.0.1", port))?;
    stream.set_read_timeout(Some(PATIENCE))?;
    stream.set_write_timeout(Some(PATIENCE))?;
    stream.set_nodelay(true)?;
    Ok(stream)
}

fn clicked(button: usize) -> String {
    let (node, listener) = (button + 2, button - 1);
    format!(
        r#"{{"event":{{"event":"click","seen":1,"reached":[[{node},{listener}]],"fields":{{}}}}}}"#
    )
}

/// A text as a WebSocket carries it, masked with nothing (RFC 6455, section 5.3).
fn frame(text: &str) -> Vec<u8> {
    let len = u16::try_from(text.len()).unwrap_or(u16::MAX).to_be_bytes();
    [&[0x81, 0x80 | 126][..], &len, &[0; 4], text.as_bytes()].concat()
}

/// What a process holds in memory, in kB; nothing where the system does not say.
fn memory_of(process: u32) -> u64 {
    let status = std::fs::read_to_string(format!("/proc/{process}/status")).unwrap_or_default();
    let held = status.lines().find_map(|line| line.strip_prefix("VmRSS:"));
    held.and_then(|held| held.trim().trim_end_matches(" kB").parse().ok()).unwrap_or(0)
}

fn files_of(process: u32) -> usize {
    std::fs::read_dir(format!("/proc/{process}/fd")).map_or(0, Iterator::count)
}
