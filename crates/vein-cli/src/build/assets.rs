//! The files of a build: named by their content, written together.

use anyhow::{Context, Result, bail};
use sha2::{Digest, Sha256};
use std::path::{Path, PathBuf};

/// The folder of files whose names say what is in them.
const FOLDER: &str = "assets";
/// How many digits of a hash stand in a name.
const DIGITS: usize = 10;

/// What a build consists of, before any of it is written.
#[derive(Default)]
pub(crate) struct Assets {
    files: Vec<(PathBuf, Vec<u8>)>,
}

/// A file's size, as it is and as servers send it.
#[derive(Clone, Copy, Debug, Default, serde::Serialize)]
pub(crate) struct Size {
    pub(crate) raw: usize,
    pub(crate) gzip: usize,
    pub(crate) brotli: usize,
}

impl std::ops::Add for Size {
    type Output = Size;

    fn add(self, other: Size) -> Size {
        Size {
            raw: self.raw + other.raw,
            gzip: self.gzip + other.gzip,
            brotli: self.brotli + other.brotli,
        }
    }
}

/// The beginning of the hash of some content, in hexadecimal digits.
pub(crate) fn hash(content: &[u8]) -> String {
    let digest = Sha256::digest(content);
    digest.iter().map(|byte| format!("{byte:02x}")).collect::<String>()[..DIGITS].to_owned()
}

impl Assets {
    /// Adds a file that keeps its name.
    pub(crate) fn add(&mut self, path: impl Into<PathBuf>, content: impl Into<Vec<u8>>) {
        self.files.push((path.into(), content.into()));
    }

    /// Adds a file by a name that says what is in it, and gives that name.
    pub(crate) fn add_named(
        &mut self,
        stem: &str,
        ending: &str,
        content: impl Into<Vec<u8>>,
    ) -> String {
        let content = content.into();
        let name = format!("{stem}-{}.{ending}", hash(&content));
        self.add(Path::new(FOLDER).join(&name), content);
        name
    }

    /// Adds files that name each other by relative paths, in a folder whose name says what is in them.
    pub(crate) fn add_folder(&mut self, stem: &str, files: Vec<(PathBuf, Vec<u8>)>) -> String {
        let all: Vec<u8> = files.iter().flat_map(|(_, content)| content.clone()).collect();
        let name = format!("{stem}-{}", hash(&all));
        for (path, content) in files {
            self.add(Path::new(FOLDER).join(&name).join(path), content);
        }
        name
    }

    /// The sizes of all files, by their paths.
    pub(crate) fn sizes(&self) -> Vec<(String, Size)> {
        let size = |(path, content): &(PathBuf, Vec<u8>)| {
            (path.to_string_lossy().replace('\\', "/"), size(content))
        };
        self.files.iter().map(size).collect()
    }

    /// Writes all files into a folder. What an earlier build put there is replaced; whatever else stands
    /// there stays.
    pub(crate) fn write(&self, out: &Path) -> Result<()> {
        if out.exists() && !out.is_dir() {
            bail!("`{}` is a file: name a folder with `-o`", out.display());
        }
        remove_old(&out.join(FOLDER))?;
        for (path, content) in &self.files {
            let path = out.join(path);
            let cannot = || format!("`{}` cannot be written", path.display());
            if let Some(folder) = path.parent() {
                std::fs::create_dir_all(folder).with_context(cannot)?;
            }
            std::fs::write(&path, content).with_context(cannot)?;
        }
        Ok(())
    }
}

/// Takes away what earlier builds named by its content.
fn remove_old(folder: &Path) -> Result<()> {
    let Ok(entries) = std::fs::read_dir(folder) else { return Ok(()) };
    for entry in entries.flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        let stem = name.split('.').next().unwrap_or("");
        let digits = stem.rsplit('-').next().filter(|_| stem.contains('-')).unwrap_or("");
        if digits.len() != DIGITS || !digits.bytes().all(|b| b.is_ascii_hexdigit()) {
            continue;
        }
        let path = entry.path();
        let removed = if path.is_dir() {
            std::fs::remove_dir_all(&path)
        } else {
            std::fs::remove_file(&path)
        };
        removed
            .with_context(|| format!("`{}` of an earlier build is in the way", path.display()))?;
    }
    Ok(())
}

fn size(content: &[u8]) -> Size {
    let (gzip, brotli) = (vein_pack::gzip(content).len(), vein_pack::brotli_size(content));
    Size { raw: content.len(), gzip, brotli }
}
