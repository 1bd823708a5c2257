//! The map of a component as a picture: what listens, what it writes, what follows, what shows.

use std::fmt::Write;
use vein::ReachMap;

const ROW: usize = 34;
const BOX: usize = 24;
const TOP: usize = 64;
const MARGIN: usize = 24;
/// The width of a letter at the size that the picture uses.
const LETTER: usize = 8;

pub(crate) const STYLE: &str = "\
text { font: 13px 'DejaVu Sans Mono', ui-monospace, monospace; fill: #1d2b24; }
.head { font-weight: bold; }
.title { font-weight: bold; font-size: 15px; }
rect { stroke-width: 1.5; fill: #ffffff; }
.action { stroke: #a4471f; } .state { stroke: #2f6b3c; } .derived { stroke: #7a6a1c; }
.part { stroke: #33597a; }
path { fill: none; stroke: #6f8478; stroke-width: 1.4; }
.c0 { stroke: #2f6b3c; } .c1 { stroke: #a4471f; } .c2 { stroke: #33597a; }
.c3 { stroke: #7a3b78; } .c4 { stroke: #7a6a1c; } .c5 { stroke: #1c7a74; }
marker path { fill: context-stroke; stroke: none; }
.ground { fill: #f5f8f4; stroke: none; }
@media (prefers-color-scheme: dark) {
  text { fill: #e2ebe5; } rect { fill: #1d2420; } .ground { fill: #131815; }
  path { stroke: #8fa597; }
  .c0 { stroke: #8fcf9c; } .c1 { stroke: #f0a077; } .c2 { stroke: #8fb8dc; }
  .c3 { stroke: #d6a3d4; } .c4 { stroke: #d8c667; } .c5 { stroke: #7fd0c9; }
  .action { stroke: #f0a077; } .state { stroke: #8fcf9c; } .derived { stroke: #d8c667; }
  .part { stroke: #8fb8dc; }
}";

/// Four columns of named boxes, and lines between neighbours in a chain of causes.
pub(crate) struct Picture {
    heads: [&'static str; 4],
    columns: [Vec<String>; 4],
    /// From a box to a box, each a column and a row.
    lines: Vec<[(usize, usize); 2]>,
    gap: usize,
    /// No name is shown longer than this.
    longest: usize,
}

const HEADS: [&str; 4] = ["events and handlers", "props and state", "derived values", "parts"];
const CLASSES: [&str; 4] = ["action", "state", "derived", "part"];

impl Picture {
    /// An empty picture whose columns have heads, with some room between them.
    pub(crate) fn new(heads: [&'static str; 4], gap: usize, longest: usize) -> Picture {
        Picture { heads, columns: Default::default(), lines: Vec::new(), gap, longest }
    }

    /// Whether there is anything in it.
    pub(crate) fn is_empty(&self) -> bool {
        self.columns.iter().all(Vec::is_empty)
    }

    /// The box of a name in a column, added if it is new.
    pub(crate) fn boxed(&mut self, column: usize, name: &str) -> (usize, usize) {
        let names = &mut self.columns[column];
        let row = names.iter().position(|known| known == name).unwrap_or_else(|| {
            names.push(name.to_owned());
            names.len() - 1
        });
        (column, row)
    }

    pub(crate) fn line(&mut self, from: (usize, usize), to: (usize, usize)) {
        if !self.lines.contains(&[from, to]) {
            self.lines.push([from, to]);
        }
    }

    fn rows(&self) -> usize {
        self.columns.iter().map(Vec::len).max().unwrap_or(0)
    }

    /// The height at which a box stands. Shorter columns are spread out, so that lines run level.
    fn middle(&self, column: usize, row: usize) -> usize {
        let (height, len) = (self.rows() * ROW, self.columns[column].len().max(1));
        TOP + (2 * row + 1) * height / (2 * len)
    }

    fn width(&self, column: usize) -> usize {
        let names = self.columns[column].iter().map(String::as_str).chain([self.heads[column]]);
        let longest = names.map(|name| name.chars().count()).max().unwrap_or(0);
        longest.min(self.longest) * LETTER + 20
    }

    fn left(&self, column: usize) -> usize {
        (0..column).map(|before| self.width(before) + self.gap).sum::<usize>() + MARGIN
    }
}

/// Draws the map.
pub(crate) fn svg(reach: &ReachMap) -> String {
    let mut picture = Picture::new(HEADS, 130, usize::MAX);
    for part in &reach.parts {
        picture.boxed(3, part);
    }
    for path in &reach.paths {
        let state = picture.boxed(1, &path.path);
        for part in &path.parts {
            let mut from = state;
            for derived in &part.through {
                let to = picture.boxed(2, derived);
                picture.line(from, to);
                from = to;
            }
            picture.line(from, (3, part.part));
        }
    }
    for action in &reach.actions {
        let from = picture.boxed(0, &action.name);
        for write in &action.writes {
            let to = picture.boxed(1, write);
            picture.line(from, to);
        }
    }
    let (component, title) = (escaped(&reach.component), "what can change what");
    let (width, height) = picture.size();
    let head = format!(
        "<title>{component}: {title}</title>\n<style>{STYLE}</style>\n\
         <rect class=\"ground\" width=\"{width}\" height=\"{height}\"/>\n\
         <text class=\"title\" x=\"{MARGIN}\" y=\"24\">{component}</text>\n"
    );
    picture.drawn(&head)
}

impl Picture {
    fn size(&self) -> (usize, usize) {
        (self.left(3) + self.width(3) + MARGIN, TOP + self.rows() * ROW + MARGIN)
    }

    /// The picture, with something at its beginning. Its styles are [`STYLE`]'s.
    pub(crate) fn drawn(&self, head: &str) -> String {
        draw(self, head)
    }
}

fn draw(picture: &Picture, head: &str) -> String {
    let (width, height) = picture.size();
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {width} {height}\" \
         width=\"{width}\" height=\"{height}\" role=\"img\">\n{head}<defs><marker id=\"tip\" viewBox=\"0 0 8 8\" \
         refX=\"8\" refY=\"4\" markerWidth=\"7\" markerHeight=\"7\" orient=\"auto\"><path \
         d=\"M0 0L8 4L0 8z\"/></marker></defs>\n"
    );
    // Writing to a string cannot fail.
    for [from, to] in &picture.lines {
        let (x1, y1) =
            (picture.left(from.0) + picture.width(from.0), picture.middle(from.0, from.1));
        // Among derived values a line goes out and comes back on the same side.
        let same = from.0 == to.0;
        let x2 = if same { x1 } else { picture.left(to.0) };
        let (y2, bend) = (picture.middle(to.0, to.1), picture.gap / 2);
        let back = if same { x2 + bend } else { x2 - bend };
        // Each path of state has a colour of its own, as far as they go.
        let colour =
            if from.0 == 1 { format!(" class=\"c{}\"", from.1 % 6) } else { String::new() };
        let (out_to, curve) = (x1 + bend, format!("{back} {y2} {x2} {y2}"));
        let _ = writeln!(
            out,
            "<path{colour} marker-end=\"url(#tip)\" d=\"M{x1} {y1} C{out_to} {y1} {curve}\"/>"
        );
    }
    for (column, names) in picture.columns.iter().enumerate() {
        let (x, class) = (picture.left(column), CLASSES[column]);
        let _ = writeln!(
            out,
            "<text class=\"head\" x=\"{x}\" y=\"{}\">{}</text>",
            TOP - 10,
            picture.heads[column]
        );
        for (row, name) in names.iter().enumerate() {
            let middle = picture.middle(column, row);
            let (y, width) = (middle - BOX / 2, picture.width(column));
            let _ = writeln!(
                out,
                "<rect class=\"{class}\" x=\"{x}\" y=\"{y}\" width=\"{width}\" height=\"{BOX}\" rx=\"5\"/>\
                 <text x=\"{}\" y=\"{}\">{}</text>",
                x + 10,
                middle + 5,
                escaped(&shortened(name, picture.longest))
            );
        }
    }
    out.push_str("</svg>\n");
    out
}

/// The end of a long name: what tells it apart stands there.
fn shortened(name: &str, longest: usize) -> String {
    let count = name.chars().count();
    if count <= longest {
        return name.to_owned();
    }
    let tail: String = name.chars().skip(count - longest.saturating_sub(1)).collect();
    format!("…{tail}")
}

pub(crate) fn escaped(text: &str) -> String {
    vein::visible(text).replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}
