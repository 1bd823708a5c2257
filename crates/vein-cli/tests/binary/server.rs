//! Who may talk to the server.

use crate::running::{PATIENCE, Server, glasshouse};
use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use std::process::Command;

/// Sends a request and gives the head of the answer.
fn ask(port: u16, request: &str) -> String {
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
            "GET /live HTTP/1.1\r\nHost: {host}\r\n{origin}Connection: Upgrade\r\n\
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
    for path in ["/", "/vein/applier.mjs", "/style/0", "/style/9", "/nowhere"] {
        let host = format!("localhost:{}", server.port);
        let answer = ask(server.port, &format!("GET {path} HTTP/1.1\r\nHost: {host}\r\n\r\n"));
        assert!(answer.contains("content-security-policy: default-src 'self';"), "{answer}");
        let found = !["/style/9", "/nowhere"].contains(&path);
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
            "error: port {port} is in use: choose another with `--port`, or `--port 0` for any \
             that is free"
        )
    );
}
