//! Who may talk to the server.

use crate::running::{PATIENCE, Running, Server, copy, glasshouse};
use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use std::process::Command;
use std::time::{Duration, Instant};
use tempfile::TempDir;

/// Sends a request and gives the head of the answer.
pub fn ask(port: u16, request: &str) -> String {
    let mut stream = TcpStream::connect(("127.0.0.1", port)).expect("a connection");
    stream.set_read_timeout(Some(PATIENCE)).expect("a time limit");
    stream.write_all(request.as_bytes()).expect("a request sent");
    let (mut head, mut byte) = (Vec::new(), [0]);
    while !head.ends_with(b"\r\n\r\n") && stream.read(&mut byte).expect("an answer") > 0 {
        head.push(byte[0]);
    }
    String::from_utf8(head).expect("an answer in ASCII")
}

fn upgrade(port: u16, host: &str, origin: &str) -> String {
    ask(
        port,
        &format!(
            "GET /vein/link HTTP/1.1\r\nHost: {host}\r\n{origin}Connection: Upgrade\r\n\
             Upgrade: websocket\r\nSec-WebSocket-Version: 13\r\n\
             Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n"
        ),
    )
}

#[test]
fn only_pages_of_this_server_may_connect() {
    let server = Server::start(glasshouse(), &["--ledger"]);
    let port = server.port;
    let own = format!("127.0.0.1:{port}");
    let answer = upgrade(port, &own, &format!("Origin: http://{own}\r\n"));
    assert!(answer.starts_with("HTTP/1.1 101"), "{answer}");
    for origin in [
        String::new(),
        "Origin: null\r\n".into(),
        "Origin: http://example.org\r\n".into(),
        format!("Origin: https://{own}\r\n"),
        format!("Origin: http://{own}.example.org\r\n"),
        format!("Origin: http://127.0.0.1:{}\r\n", port.wrapping_add(1)),
    ] {
        let answer = upgrade(port, &own, &origin);
        assert!(answer.starts_with("HTTP/1.1 403"), "{origin:?}: {answer}");
    }
    // A foreign name that leads to loopback is refused for pages too.
    let answer = ask(port, &format!("GET / HTTP/1.1\r\nHost: example.org:{port}\r\n\r\n"));
    assert!(answer.starts_with("HTTP/1.1 403"), "{answer}");
    assert!(server.process.is_quiet(), "who was refused has no page, and sets off no pulse");
}

#[test]
fn everything_comes_with_a_strict_policy() {
    let server = Server::start(glasshouse(), &[]);
    for path in ["/", "/vein/applier.mjs", "/assets/styles.css", "/assets/9", "/nowhere"] {
        let host = format!("localhost:{}", server.port);
        let answer = ask(server.port, &format!("GET {path} HTTP/1.1\r\nHost: {host}\r\n\r\n"));
        assert!(answer.contains("content-security-policy: default-src 'self';"), "{answer}");
        let found = !["/assets/9", "/nowhere"].contains(&path);
        assert_eq!(answer.starts_with("HTTP/1.1 200"), found, "{path}: {answer}");
    }
}

#[test]
fn a_port_in_use_is_told() {
    let taken = TcpListener::bind("127.0.0.1:0").expect("a free port");
    let port = taken.local_addr().expect("its number").port();
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["serve", "--port", &port.to_string(), "--dir"]).arg(glasshouse());
    let output = command.output().expect("the binary runs");
    let told = String::from_utf8_lossy(&output.stderr);
    assert_eq!(output.status.code(), Some(2), "{told}");
    assert_eq!(
        told.trim_end(),
        format!(
            "error: port {port} is in use: choose another with `--port`, or with `port` in `vein.toml`; `--port 0` takes any \
             that is free"
        )
    );
    // Of one of us it is said what it serves.
    let server = Server::start(glasshouse(), &[]);
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["serve", "--port", &server.port.to_string(), "--dir"]).arg(glasshouse());
    let output = command.output().expect("the binary runs");
    let told = String::from_utf8_lossy(&output.stderr);
    let whole = glasshouse().canonicalize().expect("a folder");
    let who = format!("is in use by `vein serve` of `{}`: choose", whole.display());
    assert!(told.contains(&who), "{told}");
}

/// What a server answers, whole.
fn get(port: u16, path: &str) -> (String, String) {
    let mut stream = TcpStream::connect(("127.0.0.1", port)).expect("a connection");
    stream.set_read_timeout(Some(PATIENCE)).expect("a time limit");
    let request =
        format!("GET {path} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nConnection: close\r\n\r\n");
    stream.write_all(request.as_bytes()).expect("a request sent");
    let mut answer = Vec::new();
    stream.read_to_end(&mut answer).expect("an answer");
    let answer = String::from_utf8_lossy(&answer).into_owned();
    let (head, body) = answer.split_once("\r\n\r\n").expect("a head and a body");
    (head.to_owned(), body.to_owned())
}

#[test]
fn the_projects_own_files_are_served_and_no_others() {
    let dir = TempDir::new().expect("a folder");
    let root = dir.path().join("shed");
    std::fs::create_dir_all(root.join("static/deep")).expect("a folder");
    for (file, text) in [
        ("shed/a-page.vein", "asks now(): string\n<p>{now()}</p>"),
        ("shed/host.js", "import { a } from './more/clock.js'; export const now = () => a;"),
        ("shed/secret.js", "export const key = 1;"),
        ("shed/static/mark.svg", "<svg xmlns='http://www.w3.org/2000/svg'/>"),
        ("shed/static/deep/a b.txt", "deep"),
        ("shed/vein.toml", "component = 'a-page'"),
        ("outside.txt", "outside"),
    ] {
        std::fs::write(dir.path().join(file), text).expect("a file");
    }
    std::fs::create_dir(root.join("more")).expect("a folder");
    std::fs::write(root.join("more/clock.js"), "export const a = 'noon';").expect("a file");
    #[cfg(unix)]
    std::os::unix::fs::symlink("../../outside.txt", root.join("static/link.txt")).expect("a link");
    let server = Server::start(&root, &[]);
    for (path, kind, text) in [
        ("/mark.svg", "image/svg+xml", "<svg"),
        ("/deep/a%20b.txt", "text/plain; charset=utf-8", "deep"),
        ("/assets/host-0/host.js", "text/javascript; charset=utf-8", "import { a }"),
        ("/assets/host-0/more/clock.js", "text/javascript; charset=utf-8", "noon"),
        ("/index.html", "text/html; charset=utf-8", "<div id=\"view\"></div>"),
    ] {
        let (head, body) = get(server.port, path);
        assert!(head.starts_with("HTTP/1.1 200") && head.contains(kind), "{path}: {head}");
        assert!(body.contains(text), "{path}: {body}");
    }
    for path in [
        "/../outside.txt",
        "/%2e%2e/outside.txt",
        "/deep/../../vein.toml",
        "/deep/%2e%2e/%2e%2e/vein.toml",
        "/..%2foutside.txt",
        "/%5c..%5coutside.txt",
        "//etc/hostname",
        "/link.txt",
        "/vein.toml",
        "/a-page.vein",
        "/assets/host-0/secret.js",
        "/assets/host-0/../secret.js",
        "/deep",
        "/%00",
        "/%zz",
    ] {
        let (head, body) = get(server.port, path);
        let refused = head.starts_with("HTTP/1.1 404") || head.starts_with("HTTP/1.1 400");
        assert!(refused && body.is_empty(), "{path}: {head}\n{body}");
    }
}

#[test]
fn a_browser_is_opened_where_that_is_asked_for() {
    let dir = TempDir::new().expect("a folder");
    let (browser, told) = (dir.path().join("browser"), dir.path().join("told"));
    let script = format!("#!/bin/sh\necho \"$1\" > '{}'\n", told.display());
    std::fs::write(&browser, script).expect("a file");
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let may = std::fs::Permissions::from_mode(0o755);
        std::fs::set_permissions(&browser, may).expect("a program");
    }
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["serve", "--open", "--port", "0", "--dir"]).arg(glasshouse());
    let running = Running::start(command.env("BROWSER", &browser));
    let first = running.line();
    let since = Instant::now();
    let address = loop {
        match std::fs::read_to_string(&told) {
            Ok(address) if address.ends_with('\n') => break address,
            _ => assert!(since.elapsed() < PATIENCE, "nothing was opened"),
        }
        std::thread::sleep(Duration::from_millis(10));
    };
    assert!(first.contains(address.trim()), "{first} {address}");
}

#[test]
fn what_is_saved_is_told_in_a_line() {
    let dir = TempDir::new().expect("a folder");
    copy(glasshouse(), dir.path());
    let server = Server::start(dir.path(), &[]);
    let css = dir.path().join("glasshouse.css");
    std::fs::write(&css, "body { margin: 1px }").expect("a file");
    let line = server.process.line();
    let (what, took) = line.rsplit_once(" · ").expect("how long it took");
    assert_eq!(what, "read glasshouse.css · no tab is open");
    assert!(took.ends_with(" ms"), "{line}");
    // What is saved as it was is no change, and neither are files of other tools.
    std::fs::write(&css, "body { margin: 1px }").expect("a file");
    std::fs::write(dir.path().join(".swap"), "x").expect("a file");
    std::fs::create_dir_all(dir.path().join("target")).expect("a folder");
    std::fs::write(dir.path().join("target/a.vein"), "<p>").expect("a file");
    assert!(server.process.is_quiet());
    let card = dir.path().join("bed-card.vein");
    let text = std::fs::read_to_string(&card).expect("a file");
    std::fs::write(&card, text.replace("</article>", "")).expect("a file");
    let line = server.process.line();
    assert_eq!(line, "read bed-card.vein · not shown, there are mistakes");
    std::fs::write(&card, text.replace("</article>", "<p>more</p></article>")).expect("a file");
    assert!(server.process.line().starts_with("read bed-card.vein · no tab is open · "));
    std::fs::remove_file(&card).expect("a file");
    assert!(server.process.line().ends_with(" · not shown, there are mistakes"));
}

#[test]
fn components_that_stand_elsewhere_are_followed() {
    let dir = TempDir::new().expect("a folder");
    let (shed, ui) = (dir.path().join("shed"), dir.path().join("ui"));
    for folder in [&shed, &ui] {
        std::fs::create_dir(folder).expect("a folder");
    }
    std::fs::write(shed.join("vein.toml"), "components = '../ui'").expect("a file");
    std::fs::write(ui.join("a-page.vein"), "<p>a</p>").expect("a file");
    let server = Server::start(&shed, &[]);
    std::fs::write(ui.join("a-page.vein"), "<p>b</p>").expect("a file");
    assert!(server.process.line().contains("a-page.vein · no tab is open"));
    assert!(get(server.port, "/").1.contains("<p>b</p>"));
}

#[test]
fn data_on_the_standard_input_stays_when_files_are_saved() {
    let dir = TempDir::new().expect("a folder");
    let (page, data) = (dir.path().join("a-page.vein"), dir.path().join("data"));
    std::fs::write(&page, "takes n: number\n<p>{n}</p>").expect("a file");
    std::fs::write(&data, "{ \"n\": 7 }").expect("a file");
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.args(["serve", "--data", "-", "--port", "0", "--dir"]).arg(dir.path());
    let running = Running::start_on(&mut command, std::fs::File::open(&data).expect("a file"));
    let first = running.line();
    let port = first.split([':', '/']).find_map(|part| part.parse().ok()).expect("a port");
    assert!(get(port, "/").1.contains("<p>7</p>"), "{first}");
    std::fs::write(&page, "takes n: number\n<p>{n + 1}</p>").expect("a file");
    assert!(running.line().starts_with("read a-page.vein · no tab is open"));
    assert!(get(port, "/").1.contains("<p>8</p>"));
}

/// What a tab says, as a WebSocket carries it: masked with nothing (RFC 6455, section 5.3).
pub fn say(stream: &mut TcpStream, text: &str) {
    stream.write_all(&frame(text)).expect("a frame sent");
}

pub fn frame(text: &str) -> Vec<u8> {
    let mut frame = vec![0x81, 0x80 | 126, (text.len() >> 8) as u8, text.len() as u8, 0, 0, 0, 0];
    frame.extend_from_slice(text.as_bytes());
    frame
}

/// What a tab is told next.
pub fn told(stream: &mut TcpStream) -> Vec<u8> {
    let mut head = [0; 2];
    stream.read_exact(&mut head).expect("a frame");
    let len = match head[1] {
        126 => {
            let mut len = [0; 2];
            stream.read_exact(&mut len).expect("its length");
            usize::from(u16::from_be_bytes(len))
        }
        127 => {
            let mut len = [0; 8];
            stream.read_exact(&mut len).expect("its length");
            u64::from_be_bytes(len) as usize
        }
        len => usize::from(len),
    };
    let mut body = vec![0; len];
    stream.read_exact(&mut body).expect("what it says");
    body
}

/// A tab that is linked, as far as a server can tell.
pub fn tab(port: u16) -> TcpStream {
    let mut stream = TcpStream::connect(("127.0.0.1", port)).expect("a connection");
    stream.set_read_timeout(Some(PATIENCE)).expect("a time limit");
    let own = format!("127.0.0.1:{port}");
    let request = format!(
        "GET /vein/link HTTP/1.1\r\nHost: {own}\r\nOrigin: http://{own}\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\
         Sec-WebSocket-Version: 13\r\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n"
    );
    stream.write_all(request.as_bytes()).expect("a request sent");
    let (mut head, mut byte) = (Vec::new(), [0]);
    while !head.ends_with(b"\r\n\r\n") {
        stream.read_exact(&mut byte).expect("an answer");
        head.push(byte[0]);
    }
    assert!(told(&mut stream).starts_with(b"{\"begin\""));
    say(&mut stream, r#"{"hello":{"host":{"answers":[],"opens":false}}}"#);
    // The first batch of patches begins with its version.
    while !told(&mut stream).starts_with(b"VP") {}
    stream
}

#[cfg(target_os = "linux")]
#[test]
fn a_thousand_tabs_leave_nothing_behind() {
    let server = Server::start(glasshouse(), &[]);
    let of = |what: &str| {
        let all = std::fs::read_dir(format!("/proc/{}/{what}", server.process.id()));
        all.expect("a process").count()
    };
    drop(tab(server.port));
    let until = |what: &str, most: usize| {
        let since = Instant::now();
        while of(what) > most {
            assert!(since.elapsed() < PATIENCE, "{} of {what} are left, {most} before", of(what));
            std::thread::sleep(Duration::from_millis(10));
        }
    };
    std::thread::sleep(Duration::from_millis(300));
    let (threads, files) = (of("task"), of("fd"));
    for _ in 0..9 {
        // A hundred at once are served beside each other.
        let mut tabs: Vec<TcpStream> = (0..100).map(|_| tab(server.port)).collect();
        assert!(of("task") >= threads + 100);
        for stream in &mut tabs {
            say(stream, r#"{"event":{"event":"click","seen":1,"reached":[],"fields":{}}}"#);
        }
    }
    for _ in 0..100 {
        drop(tab(server.port));
    }
    until("task", threads);
    until("fd", files);
}
