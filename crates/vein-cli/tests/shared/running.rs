//! Processes that a test starts and that end with it.

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

/// Nothing here takes longer than this.
pub const PATIENCE: Duration = Duration::from_secs(20);

/// A process whose lines are read as they come.
pub struct Running {
    child: Child,
    lines: Receiver<String>,
}

impl Running {
    pub fn start(command: &mut Command) -> Running {
        Running::start_on(command, Stdio::null())
    }

    /// Starts it with something on its standard input.
    pub fn start_on(command: &mut Command, input: impl Into<Stdio>) -> Running {
        let mut child = command
            .stdin(input)
            .stdout(Stdio::piped())
            .stderr(Stdio::inherit())
            .spawn()
            .unwrap_or_else(|error| panic!("{:?}: {error}", command.get_program()));
        let out = BufReader::new(child.stdout.take().expect("a piped output"));
        let (send, lines) = channel();
        std::thread::spawn(move || {
            out.lines().map_while(Result::ok).try_for_each(|l| send.send(l))
        });
        Running { child, lines }
    }

    /// The next line, waited for.
    pub fn line(&self) -> String {
        self.lines.recv_timeout(PATIENCE).expect("another line of output")
    }

    /// Its number.
    #[allow(dead_code, reason = "not every test asks")]
    pub fn id(&self) -> u32 {
        self.child.id()
    }

    /// Sends it a signal, by its name.
    #[allow(dead_code, reason = "not every test does")]
    pub fn signal(&self, name: &str) {
        let mut kill = Command::new("kill");
        let sent = kill.args([&format!("-{name}"), &self.child.id().to_string()]).status();
        assert!(sent.is_ok_and(|sent| sent.success()), "a signal sent");
    }

    /// Whether nothing more is printed for a while.
    pub fn is_quiet(&self) -> bool {
        self.lines.recv_timeout(Duration::from_millis(300)).is_err()
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// `vein serve` on a free port, with the port.
pub struct Server {
    pub process: Running,
    pub port: u16,
}

impl Server {
    pub fn start(dir: &Path, more: &[&str]) -> Server {
        let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
        command.args(["serve", "--port", "0", "--dir"]).arg(dir).args(more);
        let process = Running::start(&mut command);
        let first = process.line();
        let (_, rest) =
            first.split_once("http://127.0.0.1:").expect("an address in the first line");
        let digits: String = rest.chars().take_while(char::is_ascii_digit).collect();
        Server { process, port: digits.parse().expect("a port") }
    }
}

/// The folder of the glasshouse.
pub fn glasshouse() -> &'static Path {
    Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/glasshouse"))
}

/// Copies a folder with all that is in it.
pub fn copy(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).expect("a folder");
    for file in std::fs::read_dir(from).expect("a folder") {
        let (from, name) = file.map(|file| (file.path(), file.file_name())).expect("a file");
        match from.is_dir() {
            true => copy(&from, &to.join(name)),
            false => drop(std::fs::copy(&from, to.join(name)).expect("a copy")),
        }
    }
}
