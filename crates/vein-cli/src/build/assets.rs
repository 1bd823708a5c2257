//! The files of a build: named by their content, written together.

use crate::script::Script;
use anyhow::{Context, Result, bail};
use sha2::{Digest, Sha256};
use std::io::ErrorKind;
use std::path::{Component, Path, PathBuf};

/// The folder of files whose names say what is in them.
const FOLDER: &str = "assets";
/// In that folder, the list of the files that a build has written there, a path from the site's folder on
/// each line. The next build takes away what is in it, and nothing else.
const LIST: &str = "built.txt";
/// How many digits of a hash stand in a name.
const DIGITS: usize = 10;

/// What a build consists of, before any of it is written.
#[derive(Default)]
pub(crate) struct Assets {
    files: Vec<(PathBuf, Vec<u8>)>,
    /// What only developer tools ask for.
    beside: Vec<(PathBuf, Vec<u8>)>,
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

    /// Adds a file that only developer tools ask for.
    pub(crate) fn add_beside(&mut self, path: impl Into<PathBuf>, content: impl Into<Vec<u8>>) {
        self.beside.push((path.into(), content.into()));
    }

    /// Adds a module with its source map by a name that says what is in them, and gives that name.
    pub(crate) fn add_script(&mut self, stem: &str, script: Script) -> String {
        let Script { text, map } = script;
        let name = format!("{stem}-{}.mjs", hash((text.clone() + &map).as_bytes()));
        self.add(Path::new(FOLDER).join(&name), text + &linked(&name));
        self.add_beside(Path::new(FOLDER).join(format!("{name}.map")), map);
        name
    }

    /// Adds modules that name each other by relative paths, with their source maps where they have any, in a folder whose name
    /// says what is in them.
    pub(crate) fn add_scripts(&mut self, stem: &str, scripts: Vec<(String, Script)>) -> String {
        let all: String =
            scripts.iter().map(|(_, Script { text, map })| text.clone() + map).collect();
        let folder = format!("{stem}-{}", hash(all.as_bytes()));
        for (path, Script { text, map }) in scripts {
            let at = Path::new(FOLDER).join(&folder).join(&path);
            if map.is_empty() || !map.contains("\"sources\":[\"") {
                self.add(at, text);
                continue;
            }
            let name = path.rsplit('/').next().unwrap_or(&path);
            self.add_beside(at.with_file_name(format!("{name}.map")), map);
            self.add(at, text + &linked(name));
        }
        folder
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

    /// How many bytes there are that only developer tools ask for.
    pub(crate) fn beside(&self) -> usize {
        self.beside.iter().map(|(_, content)| content.len()).sum()
    }

    /// The sizes of all files that a page loads, by their paths.
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
        self.leads_nowhere_else(out)?;
        self.remove_old(out)?;
        for (path, content) in self.files.iter().chain(&self.beside) {
            write(&out.join(path), content)?;
        }
        let named: String = self.named().map(|path| path + "\n").collect();
        match named.is_empty() {
            true => Ok(()),
            false => write(&out.join(FOLDER).join(LIST), named.as_bytes()),
        }
    }

    /// Nothing is written through a link in the site's folder: what it leads to is somebody else's.
    fn leads_nowhere_else(&self, out: &Path) -> Result<()> {
        let own = self.files.iter().chain(&self.beside).map(|(path, _)| path.as_path());
        for path in own.chain([&*Path::new(FOLDER).join(LIST)]) {
            for piece in path.ancestors().filter(|piece| !piece.as_os_str().is_empty()) {
                let at = out.join(piece);
                if at.symlink_metadata().is_ok_and(|known| known.is_symlink()) {
                    bail!(
                        "`{}` is a link, and a build writes through none: take it away",
                        at.display()
                    );
                }
            }
        }
        Ok(())
    }

    /// The files whose names say what is in them.
    fn named(&self) -> impl Iterator<Item = String> {
        let all = self.files.iter().chain(&self.beside);
        let inside = all.filter(|(path, _)| path.starts_with(FOLDER));
        inside.map(|(path, _)| path.to_string_lossy().replace('\\', "/"))
    }

    /// Takes away what an earlier build wrote, as its list says, and this one does not write again.
    fn remove_old(&self, out: &Path) -> Result<()> {
        let list = vein::read_text(&out.join(FOLDER).join(LIST)).unwrap_or_default();
        for line in list.lines().filter(|line| !self.named().any(|name| name == *line)) {
            let path = Path::new(line);
            let plain = path.components().all(|piece| matches!(piece, Component::Normal(_)));
            if !plain || !path.starts_with(FOLDER) {
                continue;
            }
            let file = out.join(path);
            match std::fs::remove_file(&file) {
                Err(error) if error.kind() != ErrorKind::NotFound => {
                    let why = format!("`{}` of an earlier build is in the way", file.display());
                    return Err(anyhow::Error::new(error).context(why));
                }
                _ => {}
            }
            // A folder that has become empty was there for the file; any other stays.
            let folders = file.ancestors().skip(1);
            let inside = folders.take_while(|folder| *folder != out.join(FOLDER));
            inside.map_while(|folder| std::fs::remove_dir(folder).ok()).for_each(drop);
        }
        Ok(())
    }
}

fn write(path: &Path, content: &[u8]) -> Result<()> {
    let cannot = || format!("`{}` cannot be written", path.display());
    if let Some(folder) = path.parent() {
        std::fs::create_dir_all(folder).with_context(cannot)?;
    }
    std::fs::write(path, content).with_context(cannot)
}

/// What tells developer tools of a script's source map, which is called as the script is.
pub(crate) fn linked(name: &str) -> String {
    format!("\n//# sourceMappingURL={name}.map\n")
}

fn size(content: &[u8]) -> Size {
    let (gzip, brotli) = (vein_pack::gzip(content).len(), vein_pack::brotli_size(content));
    Size { raw: content.len(), gzip, brotli }
}
