//! The pages of both sides: built, put beside each other, and served on loopback.

use crate::figures::Size;
use anyhow::{Context, Result, bail};
use axum::Router;
use axum::extract::State;
use axum::http::{StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use serde_json::Value as Json;
use std::net::Ipv4Addr;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Arc;
use tempfile::TempDir;
use tokio::net::TcpListener;

const PAGES: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/pages");
const GLASSHOUSE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../examples/glasshouse");

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
        for file in std::fs::read_dir(format!("{PAGES}/hand"))?.flatten() {
            copy(
                &PathBuf::from(format!("{PAGES}/hand")),
                &hand,
                &[&file.file_name().to_string_lossy()],
            )?;
        }
        copy(&PathBuf::from(format!("{PAGES}/parts")), &hand, &["data.js"])?;
        let parts = format!("{PAGES}/parts");
        let mut sizes = Vec::new();
        for page in ["count-up", "crop-table", "name-form", "bench-tree"] {
            sizes.push(built(vein, page, &parts, &root.join("vein").join(page))?);
        }
        sizes.push(built(vein, "glass-house", GLASSHOUSE, &root.join("vein/glass-house"))?);
        Ok(Pages { folder, sizes })
    }

    pub(crate) fn folder(&self) -> &Path {
        self.folder.path()
    }
}

fn copy(from: &Path, to: &Path, files: &[&str]) -> Result<()> {
    std::fs::create_dir_all(to)?;
    for file in files {
        std::fs::copy(from.join(file), to.join(file))
            .with_context(|| format!("cannot copy {file}"))?;
    }
    Ok(())
}

fn built(vein: &Path, page: &str, project: &str, out: &Path) -> Result<Size> {
    let mut command = Command::new(vein);
    command.args(["build", page, "--json", "--dir", project, "-o"]).arg(out);
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
    Ok(Size { page: page.to_owned(), files: files.collect(), all: size(&told["all"]) })
}

/// Serves a folder on loopback, nothing of it to be kept, isolated so that its clocks are fine. Gives
/// the address.
pub(crate) async fn serve(folder: &Path) -> Result<String> {
    let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).await?;
    let address = format!("http://{}", listener.local_addr()?);
    let router = Router::new().fallback(file).with_state(Arc::new(folder.to_owned()));
    tokio::spawn(async move { axum::serve(listener, router).await });
    Ok(address)
}

async fn file(State(folder): State<Arc<PathBuf>>, uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    let content = match path.contains("..") {
        true => None,
        false => std::fs::read(folder.join(path)).ok(),
    };
    let Some(content) = content else { return StatusCode::NOT_FOUND.into_response() };
    let kind = match path.rsplit('.').next().unwrap_or("") {
        "html" => "text/html; charset=utf-8",
        "js" | "mjs" => "text/javascript; charset=utf-8",
        "css" => "text/css; charset=utf-8",
        "wasm" => "application/wasm",
        _ => "application/octet-stream",
    };
    let headers = [
        (header::CONTENT_TYPE, kind),
        (header::CACHE_CONTROL, "no-store"),
        (header::HeaderName::from_static("cross-origin-opener-policy"), "same-origin"),
        (header::HeaderName::from_static("cross-origin-embedder-policy"), "require-corp"),
    ];
    (headers, content).into_response()
}
