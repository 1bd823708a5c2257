//! The server: a page over HTTP, events and patches over a WebSocket, on loopback only. Tabs follow the project's files, with their
//! state.

mod asked;
mod driven;
mod follow;
mod fuzzed;
mod line;
mod listen;
mod live;
mod message;
mod pages;
mod reading;
mod tab;
mod turns;
mod workbench;

use crate::output::{self, Outcome};
use crate::project::{PORT, Planned};
use anyhow::{Context, Result, anyhow};
use follow::Report;
pub use fuzzed::messages;
use line::Line;
use reading::{Reader, Served, Trouble};
use std::collections::HashMap;
use std::hash::{BuildHasher, Hasher, RandomState};
use std::io::{Read, Write};
use std::net::{Ipv4Addr, TcpStream};
use std::path::PathBuf;
use std::sync::mpsc::{Sender, channel};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::net::TcpListener;
use tokio::sync::watch;
use turns::Turns;

/// What is printed of each pulse.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Ledger {
    Off,
    Text,
    Json,
}

/// Where what is served comes from.
pub(crate) enum Source {
    /// A folder, which is followed.
    Folder(crate::arguments::Opening),
    /// What is there already.
    Fixed(Box<Planned>),
}

/// How it is served.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Manner {
    /// The port that was asked for.
    pub(crate) port: Option<u16>,
    pub(crate) ledger: Ledger,
    /// Whether a browser is opened.
    pub(crate) open: bool,
}

/// So many threads carry messages.
const CARRIERS: usize = 2;

/// What every request can see.
struct Site {
    /// What is served by now.
    now: watch::Receiver<Arc<State>>,
    /// What tabs tell of what they have shown.
    reports: Sender<Report>,
    ledger: Ledger,
    /// The port that was bound.
    port: u16,
    /// What only pages of this server know, and whoever writes files has to say.
    token: String,
    /// The project's folder, as whoever asks for the port is told.
    folder: PathBuf,
    /// The tabs that are open, by their numbers.
    tabs: Mutex<HashMap<u64, Line>>,
    /// How often one was opened or closed.
    opened: watch::Sender<u64>,
    /// Whose page works next.
    turns: Turns,
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// What is served at some time.
#[derive(Default)]
struct State {
    /// The last that could be shown; nothing before there was any.
    served: Option<Arc<Served>>,
    /// Why what stands in the files cannot be.
    trouble: Vec<Trouble>,
    /// How many times it has become another.
    number: u64,
}

/// Serves until the process is told to end.
pub(crate) fn run(source: Source, manner: Manner) -> Result<Outcome> {
    let (reader, first) = match source {
        Source::Folder(opening) => {
            let mut reader = Reader::new(opening);
            let first = reader.read(None);
            (Some(reader), first)
        }
        Source::Fixed(planned) => (None, Served::of(*planned, None)),
    };
    let folder = reader.as_ref().map_or(PathBuf::new(), |reader| reader.folder().to_owned());
    let mut wanted = manner.port;
    let mut state = State::default();
    let first = first.and_then(|served| {
        served.first()?;
        Ok(served)
    });
    match first {
        Ok(served) => {
            follow::warn(&served);
            wanted = wanted.or(served.port);
            state.served = Some(Arc::new(served));
        }
        // There is nothing that could be mended in a folder that is not there.
        Err(error) if !folder.is_dir() => return Err(error),
        Err(error) => {
            follow::tell(&error);
            state.trouble = Trouble::of(&error);
        }
    }
    let port = wanted.unwrap_or(PORT);
    // Messages are carried beside each other, too: pages have threads of their own.
    let mut runtime = tokio::runtime::Builder::new_multi_thread();
    let runtime = runtime.worker_threads(CARRIERS).enable_all().build()?;
    runtime.block_on(async {
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, port)).await;
        let listener = listener.map_err(|error| bind_error(port, error))?;
        let port = listener.local_addr().context("the port is not known")?.port();
        let name = match &state.served {
            Some(served) => served.component.clone(),
            None => "mistakes".to_owned(),
        };
        let address = format!("http://127.0.0.1:{port}/");
        let (publish, now) = watch::channel(Arc::new(state));
        let publish = Arc::new(publish);
        let (reports, reported) = channel();
        let whole = folder.canonicalize().unwrap_or(folder);
        let site = Site {
            now,
            reports,
            ledger: manner.ledger,
            port,
            token: token(),
            folder: whole,
            tabs: Mutex::default(),
            opened: watch::Sender::default(),
            turns: Turns::new(),
        };
        if let Some(reader) = reader {
            // A folder may have more in it than a system watches.
            if let Err(error) = follow::begin(reader, publish.clone(), reported) {
                anstream::eprintln!(
                    "warning: {}\n  help: what is saved is seen once `vein serve` is started again",
                    output::told(&error)
                );
            }
        }
        // Whatever is saved from now on is seen.
        output::try_line(format!(
            "{name} on {address} · workbench on {address}vein/ · Ctrl+C ends"
        ))
        .context("the address cannot be printed")?;
        if manner.open {
            open_browser(&address);
        }
        // Open tabs do not keep the server: they say by themselves that it is gone.
        let router = pages::router(Arc::new(site));
        tokio::select! {
            () = listen::serve(listener, router) => Ok(()),
            heard = tokio::signal::ctrl_c() => heard.context("Ctrl+C cannot be heard"),
        }
    })?;
    Ok(Outcome::Holds)
}

/// Something that nobody can guess: the keys that hash tables of this process begin with are random.
fn token() -> String {
    let part = || RandomState::new().build_hasher().finish();
    format!("{:016x}{:016x}", part(), part())
}

/// Opens a page in what `BROWSER` names, or in what the system opens pages with.
fn open_browser(address: &str) {
    let named = std::env::var_os("BROWSER").filter(|named| !named.is_empty());
    let system = if cfg!(target_os = "macos") {
        "open"
    } else if cfg!(windows) {
        "explorer"
    } else {
        "xdg-open"
    };
    let program = named.unwrap_or_else(|| system.into());
    let quiet = std::process::Stdio::null;
    let started = std::process::Command::new(&program)
        .arg(address)
        .stdin(quiet())
        .stdout(quiet())
        .stderr(quiet())
        .spawn();
    match started {
        // Nobody else waits for it.
        Ok(mut child) => drop(std::thread::spawn(move || child.wait())),
        Err(error) => anstream::eprintln!(
            "warning: no browser could be opened: `{}`: {error}\n  help: open {address} yourself, or name a browser in \
             the variable `BROWSER`",
            program.to_string_lossy()
        ),
    }
}

fn bind_error(port: u16, error: std::io::Error) -> anyhow::Error {
    match error.kind() {
        std::io::ErrorKind::AddrInUse => {
            let who = who_has(port).map_or(String::new(), |who| format!(" by {who}"));
            anyhow!(
                "port {port} is in use{who}: choose another with `--port`, or with `port` in `vein.toml`; `--port 0` takes any \
                 that is free"
            )
        }
        std::io::ErrorKind::PermissionDenied => {
            anyhow!("port {port} may not be used: choose one above 1023 with `--port`")
        }
        _ => anyhow::Error::new(error).context(format!("cannot serve on port {port}")),
    }
}

/// Who serves on a port of this machine, if it is one of us.
fn who_has(port: u16) -> Option<String> {
    let patience = Duration::from_millis(500);
    let mut stream = TcpStream::connect((Ipv4Addr::LOCALHOST, port)).ok()?;
    stream.set_read_timeout(Some(patience)).ok()?;
    let request =
        format!("GET /vein/who HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nConnection: close\r\n\r\n");
    stream.write_all(request.as_bytes()).ok()?;
    let mut answer = Vec::new();
    // What is no answer of ours may be long, or never end.
    stream.take(4096).read_to_end(&mut answer).ok()?;
    let answer = String::from_utf8_lossy(&answer).into_owned();
    let (head, body) = answer.split_once("\r\n\r\n")?;
    let ours = head.starts_with("HTTP/1.1 200") && body.starts_with("vein serve ");
    ours.then(|| format!("`vein serve` of {}", body.trim_start_matches("vein serve ").trim()))
}
