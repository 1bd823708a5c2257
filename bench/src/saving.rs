//! How long it takes from saving a file to the open tab that shows it.

use crate::tab::Tab;
use anyhow::{Context, Result, bail};
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, SystemTime};
use tempfile::TempDir;

/// How many components the large project has; all of them stand on its page.
const COMPONENTS: usize = 1000;
/// How often each file is saved.
const ROUNDS: usize = 24;

/// A server that ends with the measure.
pub(crate) struct Server {
    child: Child,
    pub(crate) address: String,
}

impl Server {
    /// The number of its process.
    pub(crate) fn id(&self) -> u32 {
        self.child.id()
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

pub(crate) fn serve(vein: &Path, dir: &Path) -> Result<Server> {
    let mut command = Command::new(vein);
    command.args(["serve", "--port", "0", "--dir"]).arg(dir);
    let mut child = command.stdout(Stdio::piped()).stderr(Stdio::null()).spawn()?;
    let out = child.stdout.take().context("its output is read")?;
    let mut lines = BufReader::new(out);
    let mut first = String::new();
    lines.read_line(&mut first)?;
    // Whatever else it says is not waited for.
    std::thread::spawn(move || lines.lines().for_each(drop));
    let address = first.split_whitespace().find(|word| word.starts_with("http://"));
    let address = address.context("the server says where it is")?.to_owned();
    Ok(Server { child, address })
}

/// Components in a tree, each with two others, state, two-way bindings, texts and a style.
fn large(dir: &Path) -> Result<()> {
    for number in 0..COMPONENTS {
        let inside = [2 * number + 1, 2 * number + 2].into_iter().filter(|n| *n < COMPONENTS);
        let inside: String =
            inside.map(|n| format!("  <part-{n:04} n='<- n + 1'></part-{n:04}>\n")).collect();
        let lines: String = (0..6)
            .map(|n| format!("  <p class='line-{number}'>{{label}} {n} {{n + {n}}}</p>\n"))
            .collect();
        let text = format!(
            "takes n: number = 0\nholds label = 'part {number}'\nholds open = false\nholds count = 0\n\
             derives double = n * 2 + count\nderives shown = open ? label : label + '!'\n\
             does toggle() {{ open = !open }}\ndoes more(by: number) {{ count += by }}\n\n\
             <section class='part-{number}'>\n  <button click='-> toggle()'>{{shown}}</button>\n  \
             <button click='-> more(1)'>{{count}}</button>\n  <input value='<-> label'>\n{lines}  \
             <p when='open'>{{double}}</p>\n{inside}</section>\n\n\
             <style>\n.part-{number} {{ margin: 2px }}\n.line-{number} {{ margin: 0 }}\n</style>\n"
        );
        std::fs::write(dir.join(format!("part-{number:04}.vein")), text)?;
    }
    std::fs::write(dir.join("page.css"), "body { color: #222 }\n")?;
    std::fs::write(dir.join("vein.toml"), "component = 'part-0000'\nstyles = ['page.css']\n")?;
    Ok(())
}

fn copy(from: &Path, to: &Path) -> Result<()> {
    std::fs::create_dir_all(to)?;
    for entry in std::fs::read_dir(from)? {
        let entry = entry?;
        let into = to.join(entry.file_name());
        match entry.file_type()?.is_dir() {
            true => copy(&entry.path(), &into)?,
            false => drop(std::fs::copy(entry.path(), into)?),
        }
    }
    Ok(())
}

/// Notes when something of the view, or the page's own colour of an outline, is another.
const WATCH: &str = "
    globalThis.shownAt = null;
    const now = () => performance.timeOrigin + performance.now();
    globalThis.watching?.disconnect();
    globalThis.watching = new MutationObserver(() => { shownAt ??= now(); });
    watching.observe(document.querySelector('#view'), { subtree: true, attributes: true, childList: true, characterData: true });
    const was = getComputedStyle(document.body).outlineColor;
    const look = () => {
      if (shownAt !== null) return;
      if (getComputedStyle(document.body).outlineColor !== was) shownAt = now();
      else setTimeout(look, 1);
    };
    look();";

/// A file of a project, and what it says the n-th time.
struct Saved {
    name: &'static str,
    path: PathBuf,
    texts: [String; 2],
    aim: f64,
}

impl Saved {
    fn new(name: &'static str, path: PathBuf, from: &str, to: &str, aim: f64) -> Result<Saved> {
        let text = std::fs::read_to_string(&path)?;
        let other = match from {
            "" => format!("{text}\n{to}"),
            from => text.replacen(from, to, 1),
        };
        if text == other {
            bail!("`{}` says nothing of `{from}`", path.display());
        }
        Ok(Saved { name, path, texts: [text, other], aim })
    }
}

/// Measures all of it; a line for each.
pub(crate) async fn measure(tab: &Tab, vein: &Path) -> Result<Vec<String>> {
    let (small, all) = (TempDir::new()?, TempDir::new()?);
    copy(Path::new("examples/glasshouse"), small.path())?;
    large(all.path())?;
    let other = "body { outline-color: rgb(1, 2, 3) }";
    let projects = [
        (
            small.path(),
            vec![
                Saved::new(
                    "a card of the glasshouse",
                    small.path().join("bed-card.vein"),
                    "<h3",
                    "<h3 data-more=\"1\"",
                    50.0,
                )?,
                Saved::new("its styles", small.path().join("glasshouse.css"), "", other, 20.0)?,
            ],
        ),
        (
            all.path(),
            vec![
                Saved::new(
                    "a leaf among 1,000 components",
                    all.path().join("part-0999.vein"),
                    "<section",
                    "<section lang='la'",
                    150.0,
                )?,
                Saved::new("a style beside them", all.path().join("page.css"), "", other, 20.0)?,
            ],
        ),
    ];
    let mut lines = Vec::new();
    for (dir, files) in projects {
        let server = serve(vein, dir)?;
        tab.open(&server.address).await?;
        tab.until("return 'linked' in document.documentElement.dataset || null").await?;
        for saved in files {
            let mut took = Vec::new();
            for round in 0..ROUNDS + 2 {
                tokio::time::sleep(Duration::from_millis(400)).await;
                tab.run(WATCH, Vec::new()).await?;
                let begun = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH)?;
                std::fs::write(&saved.path, &saved.texts[(round + 1) % 2])?;
                let shown = tab.until("return shownAt").await?.as_f64().context("a time")?;
                // The first rounds warm up.
                if round >= 2 {
                    took.push(shown - begun.as_secs_f64() * 1000.0);
                }
            }
            took.sort_by(f64::total_cmp);
            let at = |share: f64| took[((took.len() - 1) as f64 * share) as usize];
            let Saved { name, aim, .. } = saved;
            lines.push(format!(
                "{name}: {:.0} ms ({:.0} to {:.0} in the middle half; the aim is {aim:.0})",
                at(0.5),
                at(0.25),
                at(0.75)
            ));
        }
    }
    Ok(lines)
}
