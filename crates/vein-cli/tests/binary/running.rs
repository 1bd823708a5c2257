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
        let mut child = command
            .stdin(Stdio::null())
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

/// A copy of the glasshouse in which nothing happens by itself: nobody answers but at once, and
/// the alarm never rings.
pub fn quiet_glasshouse() -> tempfile::TempDir {
    let dir = tempfile::tempdir().expect("a folder");
    for file in std::fs::read_dir(glasshouse()).expect("the glasshouse") {
        let file = file.expect("a file").path();
        if file.is_dir() {
            continue;
        }
        let text = std::fs::read_to_string(&file).expect("a text");
        let text = text.replace("upon every (5000)", "upon every (5000000)");
        let quiet = text.split("[answers.fetch_forecast]").next().unwrap_or("").to_owned();
        let name = file.file_name().expect("a name");
        std::fs::write(dir.path().join(name), quiet).expect("a copy");
    }
    dir
}

/// The folder of the glasshouse.
pub fn glasshouse() -> &'static Path {
    Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/glasshouse"))
}
