//! The pages of both sides: built, put beside each other, and served on loopback.

use crate::figures::Size;
use anyhow::{Context, Result, bail};
use serde_json::Value as Json;
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::TempDir;

const PAGES: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/pages");
const GLASSHOUSE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../examples/glasshouse");

const NAMES: [&str; 10] = [
    "count-up",
    "many-beds",
    "dry-beds",
    "ranked-beds",
    "name-form",
    "plot-form",
    "branch-tree",
    "season-rows",
    "four-levels",
    "late-rows",
];

/// A folder with everything that is served.
pub(crate) struct Pages {
    folder: TempDir,
    pub(crate) sizes: Vec<Size>,
}

impl Pages {
    pub(crate) fn build(vein: &Path) -> Result<Pages> {
        let folder = TempDir::new()?;
        let root = folder.path();
        copy(Path::new(PAGES), root, &["harness.html", "harness.mjs"])?;
        let hand = root.join("hand");
        let by_hand = PathBuf::from(format!("{PAGES}/hand"));
        for file in std::fs::read_dir(&by_hand)?.flatten() {
            let name = file.file_name();
            let name = name.to_string_lossy();
            match name.strip_suffix(".html") {
                Some(page) => whole(&by_hand, page, &hand)?,
                None => copy(&by_hand, &hand, &[&name])?,
            }
        }
        copy(&PathBuf::from(format!("{PAGES}/parts")), &hand, &["data.js", "page.css"])?;
        let parts = format!("{PAGES}/parts");
        let mut sizes = Vec::new();
        for page in NAMES {
            sizes.push(built(vein, &[page], &parts, &root.join("vein").join(page))?);
        }
        sizes.push(built(vein, &["glass-house"], GLASSHOUSE, &root.join("vein/glass-house"))?);
        let element = ["bed-card", "--element"];
        sizes.push(built(vein, &element, GLASSHOUSE, &root.join("vein/bed-card"))?);
        Ok(Pages { folder, sizes })
    }

    pub(crate) fn folder(&self) -> &Path {
        self.folder.path()
    }
}

/// Writes a page by hand: its markup in a document, with its script, and its style sheet where it has one.
fn whole(from: &Path, page: &str, to: &Path) -> Result<()> {
    std::fs::create_dir_all(to)?;
    let markup = std::fs::read_to_string(from.join(format!("{page}.html")))?;
    let styles = match from.join(format!("{page}.css")).exists() {
        true => format!("<link rel=\"stylesheet\" href=\"./{page}.css\">\n"),
        false => String::new(),
    };
    let document = format!(
        "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>{page}</title>\n\
         <link rel=\"icon\" href=\"data:,\">\n<link rel=\"stylesheet\" href=\"./page.css\">\n{styles}\
         <script type=\"module\" src=\"./{page}.mjs\"></script>\n</head>\n<body>\n\
         <div id=\"view\">{}</div>\n</body>\n</html>\n",
        markup.trim_end()
    );
    Ok(std::fs::write(to.join(format!("{page}.html")), document)?)
}

fn copy(from: &Path, to: &Path, files: &[&str]) -> Result<()> {
    std::fs::create_dir_all(to)?;
    for file in files {
        std::fs::copy(from.join(file), to.join(file))
            .with_context(|| format!("cannot copy {file}"))?;
    }
    Ok(())
}

fn built(vein: &Path, what: &[&str], project: &str, out: &Path) -> Result<Size> {
    let page = what.join(" ");
    let mut command = Command::new(vein);
    command.arg("build").args(what).args(["--json", "--dir", project, "-o"]).arg(out);
    let output = command.output().with_context(|| format!("`{}` cannot be run", vein.display()))?;
    if !output.status.success() {
        bail!(
            "{page}: {}{}",
            String::from_utf8_lossy(&output.stdout),
            String::from_utf8_lossy(&output.stderr)
        );
    }
    let told: Json = serde_json::from_slice(&output.stdout)?;
    let files = told["files"].as_array().into_iter().flatten();
    let size = |json: &Json| json["brotli"].as_u64().unwrap_or(0) as usize;
    let files = files.map(|file| (file["path"].as_str().unwrap_or("").to_owned(), size(file)));
    Ok(Size { page, files: files.collect(), all: size(&told["all"]) })
}

/// Serves a folder on loopback, nothing of it to be kept, isolated so that its clocks are fine. Gives
/// the address.
pub(crate) async fn serve(folder: &Path) -> Result<String> {
    const HEADERS: vein_cli::trial::Headers = &[
        ("cache-control", "no-store"),
        ("cross-origin-opener-policy", "same-origin"),
        ("cross-origin-embedder-policy", "require-corp"),
    ];
    Ok(vein_cli::trial::serve_files(folder.to_owned(), HEADERS).await?)
}
