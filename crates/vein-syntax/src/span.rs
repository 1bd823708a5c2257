//! Places in a source text.

/// A range of bytes in a source text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Span {
    /// Where it begins.
    pub start: u32,
    /// Where it has ended.
    pub end: u32,
}

impl Span {
    /// A span from byte offsets.
    pub fn new(start: usize, end: usize) -> Span {
        Span { start: start as u32, end: end.max(start) as u32 }
    }

    /// The smallest span that holds both.
    pub fn to(self, other: Span) -> Span {
        Span { start: self.start.min(other.start), end: self.end.max(other.end) }
    }

    /// As a range for slicing.
    pub fn range(self) -> std::ops::Range<usize> {
        self.start as usize..self.end as usize
    }
}

/// Finds lines and columns for byte offsets.
#[derive(Clone, Debug)]
pub struct LineIndex {
    starts: Vec<u32>,
    /// How many characters begin before each so many bytes.
    before: Vec<u32>,
}

/// Characters are counted at least so far apart: a line may be all of a text.
const STRIDE: usize = 256;

impl LineIndex {
    /// Indexes a text once.
    pub fn new(text: &str) -> LineIndex {
        let breaks = text.bytes().enumerate().filter(|(_, b)| *b == b'\n');
        let starts = std::iter::once(0).chain(breaks.map(|(at, _)| at as u32 + 1)).collect();
        let mut count = 0;
        let before = text.as_bytes().chunks(STRIDE).map(|bytes| {
            count += begun(bytes);
            count
        });
        let before = std::iter::once(0).chain(before).collect();
        LineIndex { starts, before }
    }

    /// Line and column of an offset, both from one; columns count characters.
    ///
    /// ```
    /// use vein_syntax::LineIndex;
    /// let text = "ä\nbc";
    /// assert_eq!(LineIndex::new(text).line_column(text, 4), (2, 2));
    /// ```
    pub fn line_column(&self, text: &str, offset: u32) -> (u32, u32) {
        let offset = (offset as usize).min(text.len());
        let line = self.starts.partition_point(|start| *start as usize <= offset).max(1);
        let start = self.starts[line - 1] as usize;
        (line as u32, self.characters(text, offset) - self.characters(text, start) + 1)
    }

    /// How many characters begin before an offset.
    fn characters(&self, text: &str, offset: usize) -> u32 {
        let whole = offset / STRIDE;
        self.before[whole] + begun(&text.as_bytes()[whole * STRIDE..offset])
    }
}

/// How many characters begin in some bytes of UTF-8.
fn begun(bytes: &[u8]) -> u32 {
    bytes.iter().filter(|byte| **byte as i8 >= -0x40).count() as u32
}

/// Leads from a text whose character references were decoded back to the source.
#[derive(Clone, Debug, Default)]
pub struct SpanMap {
    segments: Vec<Segment>,
}

#[derive(Clone, Copy, Debug)]
struct Segment {
    decoded: u32,
    source: Span,
    verbatim: bool,
}

impl SpanMap {
    /// For a text that stands in the source as it is, from `offset` on.
    pub fn verbatim(offset: usize) -> SpanMap {
        let source = Span::new(offset, offset);
        SpanMap { segments: vec![Segment { decoded: 0, source, verbatim: true }] }
    }

    /// Notes that the text from `decoded` on came from `source`.
    pub(crate) fn push(&mut self, decoded: usize, source: Span, verbatim: bool) {
        self.segments.push(Segment { decoded: decoded as u32, source, verbatim });
    }

    /// The source of a range of the decoded text.
    pub fn span(&self, start: usize, end: usize) -> Span {
        let (start, end) = (start as u32, end as u32);
        let first = self.segment(start);
        let from = if first.verbatim {
            first.source.start + (start - first.decoded)
        } else {
            first.source.start
        };
        if end <= start {
            return Span { start: from, end: from };
        }
        let last = self.segment(end - 1);
        let to =
            if last.verbatim { last.source.start + (end - last.decoded) } else { last.source.end };
        Span { start: from, end: to }
    }

    /// Takes over the way back for the part of another text from `from` to `to`.
    pub(crate) fn extend_from(&mut self, other: &SpanMap, from: usize, to: usize) {
        let first = other.segment(from as u32);
        let skipped = if first.verbatim { from as u32 - first.decoded } else { 0 };
        let source = Span { start: first.source.start + skipped, end: first.source.end };
        self.segments.push(Segment { decoded: 0, source, verbatim: first.verbatim });
        let inside = |s: &&Segment| s.decoded > from as u32 && s.decoded < to.max(from + 1) as u32;
        let shifted = other
            .segments
            .iter()
            .filter(inside)
            .map(|s| Segment { decoded: s.decoded - from as u32, ..*s });
        self.segments.extend(shifted);
    }

    fn segment(&self, at: u32) -> Segment {
        let i = self.segments.partition_point(|segment| segment.decoded <= at).max(1);
        self.segments.get(i - 1).copied().unwrap_or(Segment {
            decoded: 0,
            source: Span::default(),
            verbatim: true,
        })
    }
}
