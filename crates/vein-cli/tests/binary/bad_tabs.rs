//! Tabs and connections that do what none should: each costs its own page at most, and the others go on.

use crate::running::{PATIENCE, Server};
use crate::server::{ask, frame, say, tab, told};
use std::io::{ErrorKind, Read, Write};
use std::net::TcpStream;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};
use tempfile::TempDir;

const PAGE: &str = "holds n = 0
holds sold = false
holds text = ''
does buy() { n++; sold = true }
does fill() { text = 'w'.repeat(1000000) + n; n++ }
<p>{n}</p>
<button click='-> n++'>more</button><button disabled='<- sold' click='-> buy()'>buy</button><button click='-> fill()'>fill</button>
<i>{text.length}</i><b title='<- text'></b>
";

fn server(more: &[&str]) -> (TempDir, Server) {
    let dir = TempDir::new().expect("a folder");
    std::fs::write(dir.path().join("a-shop.vein"), PAGE).expect("a component");
    let server = Server::start(dir.path(), more);
    (dir, server)
}

/// An event on a button, by its place on the page, as a person's.
fn click(stream: &mut TcpStream, button: usize, seen: u32) {
    stream.write_all(&clicked(button, seen)).expect("a frame sent");
}

fn clicked(button: usize, seen: u32) -> Vec<u8> {
    let (node, number) = (button_node(button), button - 1);
    frame(&format!(
        r#"{{"event":{{"event":"click","seen":{seen},"on":{node},"reached":[[{node},{number}]],"fields":{{}}}}}}"#
    ))
}

/// The numbers of the buttons: the paragraph and its text stand before them.
fn button_node(button: usize) -> usize {
    button + 2
}

/// The next message in which something stands.
fn told_with(stream: &mut TcpStream, what: &str) -> String {
    let since = Instant::now();
    while since.elapsed() < PATIENCE {
        let said = String::from_utf8_lossy(&told(stream)).into_owned();
        if said.contains(what) {
            return said;
        }
    }
    panic!("nothing says {what}");
}

fn answers_soon(port: u16) {
    let since = Instant::now();
    let answer = ask(port, &format!("GET / HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\r\n"));
    assert!(answer.starts_with("HTTP/1.1 200"), "{answer}");
    let mut other = tab(port);
    click(&mut other, 1, 1);
    told_with(&mut other, "[\"n\",1]");
    assert!(since.elapsed() < Duration::from_secs(5), "{:?}", since.elapsed());
}

/// Whether the other side has ended it.
fn is_ended(stream: &mut TcpStream) -> bool {
    let since = Instant::now();
    let mut some = vec![0; 1 << 20];
    while since.elapsed() < PATIENCE {
        match stream.read(&mut some) {
            Ok(0) => return true,
            Ok(_) => {}
            Err(error) => {
                return !matches!(error.kind(), ErrorKind::WouldBlock | ErrorKind::TimedOut);
            }
        }
    }
    false
}

/// Three clicks, before the page has come back that shows that the first has sold it.
#[test]
fn what_was_disabled_meanwhile_is_not_clicked() {
    let (_dir, server) = server(&[]);
    let mut stream = tab(server.port);
    for _ in 0..3 {
        click(&mut stream, 2, 1);
    }
    click(&mut stream, 1, 1);
    // Opened, bought, nothing, nothing, and one more.
    let held = told_with(&mut stream, "\"pulses\":5");
    assert!(held.contains("[\"n\",2],[\"sold\",true]"), "{held}");
}

#[test]
fn an_event_reaches_a_listener_once() {
    let (_dir, server) = server(&[]);
    let mut stream = tab(server.port);
    let node = button_node(1);
    let reached = vec![format!("[{node},0]"); 5_000].join(",");
    let text =
        format!(r#"{{"event":{{"event":"click","seen":1,"reached":[{reached}],"fields":{{}}}}}}"#);
    assert!(text.len() < 65_536);
    say(&mut stream, &text);
    let held = told_with(&mut stream, "\"pulses\":2");
    assert!(held.contains("[\"n\",1]"), "{held}");
}

#[test]
fn a_tab_that_reads_nothing_is_let_go() {
    let (_dir, server) = server(&[]);
    let mut stream = tab(server.port);
    // A megabyte each, as a patch and as what the page holds.
    for _ in 0..40 {
        click(&mut stream, 3, 1);
    }
    answers_soon(server.port);
    let since = Instant::now();
    while stream.write_all(&clicked(3, 1)).is_ok() {
        assert!(since.elapsed() < PATIENCE, "it is let go");
        std::thread::sleep(Duration::from_millis(20));
    }
    #[cfg(target_os = "linux")]
    {
        let status = std::fs::read_to_string(format!("/proc/{}/status", server.process.id()));
        let status = status.expect("a process");
        let peak = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).expect("a peak");
        let kilobytes: u64 = peak.trim().trim_end_matches(" kB").parse().expect("a number");
        assert!(kilobytes < 400_000, "{kilobytes} kB");
    }
}

#[test]
fn a_tab_that_floods_is_let_go() {
    let dir = TempDir::new().expect("a folder");
    let slow = "holds n = 0\nholds rows = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10]\n<p>{n}</p>\n<button click='-> for (const a of rows) \
                for (const b of rows) for (const c of rows) for (const d of rows) for (const e of rows) n++'>m</button>\n";
    std::fs::write(dir.path().join("a-shop.vein"), slow).expect("a component");
    let server = Server::start(dir.path(), &[]);
    let mut stream = tab(server.port);
    stream.set_write_timeout(Some(PATIENCE)).expect("a time limit");
    let text = r#"{"event":{"event":"click","seen":1,"reached":[[3,0]],"fields":{}}}"#;
    let mut frame = vec![0x81, 0x80 | text.len() as u8, 0, 0, 0, 0];
    frame.extend_from_slice(text.as_bytes());
    let many = frame.repeat(1_000);
    let ended = (0..100).any(|_| stream.write_all(&many).is_err());
    assert!(ended || is_ended(&mut stream), "it is let go");
    let answer =
        ask(server.port, &format!("GET / HTTP/1.1\r\nHost: 127.0.0.1:{}\r\n\r\n", server.port));
    assert!(answer.starts_with("HTTP/1.1 200"), "{answer}");
}

/// A message that says that it is long is refused before it is there.
#[test]
fn long_messages_are_not_waited_for() {
    let (_dir, server) = server(&[]);
    for len in [9_u64 << 20, 1 << 40, u64::MAX >> 1] {
        let mut stream = tab(server.port);
        let mut head = vec![0x81, 0x80 | 127];
        head.extend_from_slice(&len.to_be_bytes());
        head.extend_from_slice(&[0; 4]);
        stream.write_all(&head).expect("the head of a frame");
        assert!(is_ended(&mut stream), "{len}");
    }
    answers_soon(server.port);
}

#[test]
fn connections_that_say_nothing_keep_nobody_out() {
    let (_dir, server) = server(&[]);
    let connect = |begin: &str| {
        let mut stream = TcpStream::connect(("127.0.0.1", server.port)).expect("a connection");
        stream.set_read_timeout(Some(PATIENCE)).expect("a time limit");
        stream.write_all(begin.as_bytes()).expect("a beginning");
        stream
    };
    let mut idle: Vec<TcpStream> = (0..600).map(|at| connect(["", "GET / HT"][at % 2])).collect();
    answers_soon(server.port);
    #[cfg(target_os = "linux")]
    {
        let files = std::fs::read_dir(format!("/proc/{}/fd", server.process.id()));
        let files = files.expect("a process").count();
        assert!(files < 350, "{files} files are open");
    }
    // The last of them has waited for longer than anybody needs.
    assert!(is_ended(idle.last_mut().expect("a connection")));
}

/// A ledger that nobody reads, as in a pager that waits.
#[test]
fn an_output_that_nobody_reads_stops_nothing() {
    let dir = TempDir::new().expect("a folder");
    std::fs::write(dir.path().join("a-shop.vein"), PAGE).expect("a component");
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["serve", "--port", "0", "--ledger", "--dir"]).arg(dir.path());
    let mut child = command.stdin(Stdio::null()).stdout(Stdio::piped()).spawn().expect("a server");
    let mut out = child.stdout.take().expect("a piped output");
    let mut first = Vec::new();
    while !first.ends_with(b"\n") {
        let mut byte = [0];
        out.read_exact(&mut byte).expect("the first line");
        first.push(byte[0]);
    }
    let first = String::from_utf8_lossy(&first).into_owned();
    let (_, port) = first.split_once("127.0.0.1:").expect("an address");
    let port: u16 = port.split('/').next().and_then(|port| port.parse().ok()).expect("a port");
    let mut stream = tab(port);
    for at in 1..=3_000 {
        click(&mut stream, 1, 1);
        if at % 500 == 0 {
            told_with(&mut stream, &format!("[\"n\",{at}]"));
        }
    }
    answers_soon(port);
    let asked = Command::new("kill").args(["-INT", &child.id().to_string()]).status();
    assert!(asked.is_ok_and(|asked| asked.success()));
    let since = Instant::now();
    while child.try_wait().expect("a process").is_none() {
        assert!(since.elapsed() < PATIENCE, "it ends when it is asked to");
        std::thread::sleep(Duration::from_millis(10));
    }
}
