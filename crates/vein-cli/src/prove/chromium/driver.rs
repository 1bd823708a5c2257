//! Chromium, found and started, with its driver (WebDriver, W3C).

use super::webdriver::Client;
use anyhow::{Context, Result, bail};
use serde_json::json;
use std::io::{BufRead, BufReader, ErrorKind};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::mpsc::channel;
use std::time::Duration;

/// Nothing takes longer than this to start.
const PATIENCE: Duration = Duration::from_secs(30);

/// How it is started: without anything that would disturb, and with a profile of its own.
const ARGUMENTS: [&str; 10] = [
    "--headless",
    "--disable-gpu",
    "--disable-quic",
    "--disable-dev-shm-usage",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--window-size=1280,800",
    "--force-device-scale-factor=1",
];

/// A browser at work; it ends with this.
#[derive(Debug)]
pub struct Driven {
    /// What drives it.
    pub client: Client,
    driver: Child,
    _profile: Profile,
}

impl Drop for Driven {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

/// A folder for what the browser keeps; it is taken away with this.
#[derive(Debug)]
struct Profile(PathBuf);

impl Profile {
    fn new() -> std::io::Result<Profile> {
        static NUMBER: AtomicU32 = AtomicU32::new(0);
        // Somebody else's folder is never taken over: another name is tried.
        loop {
            let number = NUMBER.fetch_add(1, Ordering::Relaxed);
            let name = format!("vein-prove-{}-{number}", std::process::id());
            let folder = std::env::temp_dir().join(name);
            match std::fs::create_dir(&folder) {
                Err(error) if error.kind() == ErrorKind::AlreadyExists => {}
                made => return made.map(|()| Profile(folder)),
            }
        }
    }
}

impl Drop for Profile {
    fn drop(&mut self) {
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

/// Where a program is, under one of its names: where `PATH` says, or where systems put browsers.
fn find(names: &[&str]) -> Option<PathBuf> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let usual =
        ["/usr/bin", "/usr/local/bin", "/usr/lib/chromium", "/snap/bin", "/opt/homebrew/bin"];
    let folders = std::env::split_paths(&path).chain(usual.iter().map(PathBuf::from));
    let ending = std::env::consts::EXE_SUFFIX;
    let files = folders.flat_map(|folder| {
        names.iter().map(move |name| folder.join(format!("{name}{ending}"))).collect::<Vec<_>>()
    });
    files.into_iter().find(|file| file.is_file())
}

/// Starts Chromium, with some arguments more than it is always started with.
pub async fn start(more: &[&str]) -> Result<Driven> {
    let advice =
        "install the packages `chromium` and `chromium-driver`, or what your system calls them";
    let Some(driver) = find(&["chromedriver", "chromium-driver"]) else {
        bail!("Chromium's driver, `chromedriver`, is nowhere: {advice}");
    };
    let Some(binary) = find(&["chromium", "chromium-browser", "chrome"]) else {
        bail!("Chromium is nowhere: {advice}");
    };
    start_with(&driver, &binary, more).await
}

async fn start_with(driver: &Path, binary: &Path, more: &[&str]) -> Result<Driven> {
    let mut child = Command::new(driver)
        .arg("--port=0")
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .with_context(|| format!("`{}` cannot be started", driver.display()))?;
    let profile = Profile::new().context("no folder for the browser's profile")?;
    let port = port_of(&mut child);
    let connected = match port {
        Ok(port) => connect(port, binary, &profile.0, more).await,
        Err(error) => Err(error),
    };
    match connected {
        Ok(client) => Ok(Driven { client, driver: child, _profile: profile }),
        Err(error) => {
            let _ = child.kill();
            let _ = child.wait();
            Err(error)
        }
    }
}

/// The port that the driver says it listens on.
fn port_of(child: &mut Child) -> Result<u16> {
    let out = child.stdout.take().context("the driver's output cannot be read")?;
    let (send, lines) = channel();
    std::thread::spawn(move || {
        let lines = BufReader::new(out).lines().map_while(Result::ok);
        for line in lines {
            let _ = send.send(line);
        }
    });
    loop {
        let line = lines.recv_timeout(PATIENCE).context("Chromium's driver does not start")?;
        if let Some((_, rest)) = line.split_once("successfully on port ") {
            return rest.trim_end_matches('.').parse().context("the driver names no port");
        }
    }
}

async fn connect(port: u16, binary: &Path, profile: &Path, more: &[&str]) -> Result<Client> {
    let folder = format!("--user-data-dir={}", profile.display());
    let mut arguments = [&ARGUMENTS, more].concat();
    arguments.push(&folder);
    // As root there is no sandbox to be had.
    if is_root() {
        arguments.push("--no-sandbox");
    }
    let options = json!({ "args": arguments, "binary": binary });
    let capabilities = json!({ "browserName": "chrome", "goog:chromeOptions": options });
    Client::begin(port, capabilities).await.context("Chromium does not start")
}

fn is_root() -> bool {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let own = status.lines().find_map(|line| line.strip_prefix("Uid:"));
    own.is_some_and(|ids| ids.split_whitespace().next() == Some("0"))
}
