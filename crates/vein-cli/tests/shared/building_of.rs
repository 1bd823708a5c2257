//! Builds that a test makes.

use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use tempfile::TempDir;

pub fn build(arguments: &[&str], dir: &Path, out: &Path) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vein"));
    command.arg("build").args(arguments).arg("--dir").arg(dir).arg("-o").arg(out);
    command.env("NO_COLOR", "1").output().expect("the program runs")
}

pub fn built(arguments: &[&str], dir: &Path, out: &Path) -> String {
    let done = build(arguments, dir, out);
    let said = String::from_utf8_lossy(&done.stdout).into_owned();
    assert!(done.status.success(), "{said}{}", String::from_utf8_lossy(&done.stderr));
    said
}

/// The file of a build whose name begins and ends like this.
pub fn asset(out: &Path, stem: &str, ending: &str) -> PathBuf {
    let files = std::fs::read_dir(out.join("assets")).expect("a folder of files");
    let fits = |path: &PathBuf| {
        let name = path.file_name().map(|name| name.to_string_lossy().into_owned());
        name.is_some_and(|name| name.starts_with(stem) && name.ends_with(ending))
    };
    files.flatten().map(|file| file.path()).find(fits).expect("a file of the build")
}

/// A project with one component that counts.
pub fn counting(more: &[(&str, &str)]) -> TempDir {
    let dir = TempDir::new().expect("a folder");
    let own =
        ("count-up.vein", "holds count = 0\n\n<button click=\"-> count++\">{count}</button>\n");
    for (file, text) in [own].iter().chain(more) {
        std::fs::write(dir.path().join(file), text).expect("a file");
    }
    dir
}

/// A component that may be a custom element.
pub const TILE: &str = "
shape Note { text: string }

takes crop: string = 'unknown'
takes moisture: number = 50
takes wideView: boolean = false
takes tone: 'calm' | 'loud' = 'calm'
takes notes: Note[] = []
shares litres: number = 1
gives water(bed: string, litres: number)
holds opened = 0

does pour() { litres += 1; give water(crop, litres); }

<section class=\"{tone}\" data-wide=\"<- wideView ? 'yes' : null\">
  <h3>{crop}</h3>
  <output>{moisture}</output>
  <ul><li each=\"note of notes\">{note.text}</li></ul>
  <button click=\"-> pour()\">{litres}</button>
  <a click=\"-> opened++\">{opened}</a>
  <slot></slot>
  <footer><slot name=\"foot\">nothing below</slot></footer>
</section>

<style>
  .loud { color: rgb(200, 0, 0); }
</style>
";

/// A project with that component.
pub fn project(tile: &str) -> TempDir {
    let dir = TempDir::new().expect("a folder");
    std::fs::write(dir.path().join("bed-tile.vein"), tile).expect("a component");
    dir
}

/// A place of a script, the file that it leads to, and the place there; all from zero.
pub type Mapping = ((usize, usize), usize, (usize, usize));

/// What the mappings of a source map say.
pub fn mappings(text: &str) -> Vec<Mapping> {
    const DIGITS: &str = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    let (mut found, mut last) = (Vec::new(), [0i64; 3]);
    for (line, segments) in text.split(';').enumerate() {
        let mut column = 0;
        for segment in segments.split(',').filter(|segment| !segment.is_empty()) {
            let (mut numbers, mut shift, mut number) = (Vec::new(), 0, 0u64);
            for digit in segment.chars() {
                let digit = DIGITS.find(digit).expect("a digit of base 64") as u64;
                number |= (digit & 31) << shift;
                shift += 5;
                if digit & 32 == 0 {
                    let size = (number >> 1) as i64;
                    numbers.push(if number & 1 == 1 { -size } else { size });
                    (shift, number) = (0, 0);
                }
            }
            assert_eq!(numbers.len(), 4, "{segment}");
            column += numbers[0];
            for (last, more) in last.iter_mut().zip(&numbers[1..]) {
                *last += more;
            }
            let [source, from_line, from_column] =
                last.map(|n| usize::try_from(n).expect("no less than zero"));
            found.push(((line, column as usize), source, (from_line, from_column)));
        }
    }
    found
}
