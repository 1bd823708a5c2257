//! The patch protocol: small operations over numbered nodes, in one binary form for every
//! surface. `docs/patches.md` specifies it.

use vein_plan::bytes::{Bytes, write_number};
use vein_plan::{Block, EventField, ListenerOptions, Name, Namespace, Property, TemplateNode};

/// The version that this crate writes, and the only one that it reads.
pub const VERSION: u8 = 4;
const LABEL: &[u8; 2] = b"VP";
const HEADER: usize = 16;
const CHECKSUM: std::ops::Range<usize> = 12..16;
/// A count beyond this is refused before anything is set aside for it.
const MOST_MARKS: u32 = 1 << 24;

pub(crate) mod op {
    pub(crate) const TEMPLATE: u8 = 1;
    pub(crate) const CLONE: u8 = 2;
    pub(crate) const TEXT: u8 = 3;
    pub(crate) const SET_ATTRIBUTE: u8 = 4;
    pub(crate) const REMOVE_ATTRIBUTE: u8 = 5;
    pub(crate) const SET_PROPERTY: u8 = 6;
    pub(crate) const SET_FLAG: u8 = 7;
    pub(crate) const REMOVE: u8 = 8;
    pub(crate) const MOVE: u8 = 9;
    pub(crate) const DONE: u8 = 10;

    pub(crate) const OPEN: u8 = 1;
    pub(crate) const STATIC_TEXT: u8 = 2;
    pub(crate) const TEXT_PART: u8 = 3;
    pub(crate) const CLOSE: u8 = 4;
}

/// The number of a node that patches refer to. Zero is the place that holds the view.
pub type NodeNumber = u32;

/// The node that holds the view.
pub const ROOT: NodeNumber = 0;

/// Nodes that are cloned as a whole.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Template {
    /// Its nodes; every `Open` has a `Close`.
    pub nodes: Vec<TemplateNode>,
    /// What listens on its marked elements.
    pub listeners: Vec<TemplateListener>,
}

/// A listener on a marked element of a template.
#[derive(Clone, Debug, PartialEq)]
pub struct TemplateListener {
    /// Which of the template's marks.
    pub mark: u32,
    /// The listener's number in its block.
    pub number: u32,
    /// The event's type.
    pub event: Name,
    /// Whether events of this type bubble.
    pub bubbles: bool,
    /// What the surface decides by itself.
    pub options: ListenerOptions,
    /// Which fields of the event to send.
    pub fields: Vec<EventField>,
}

impl Template {
    /// The template of a block.
    pub fn of(block: &Block) -> Template {
        let listeners =
            block.listeners.iter().enumerate().map(|(number, listener)| TemplateListener {
                mark: listener.mark,
                number: number as u32,
                event: listener.event.clone(),
                bubbles: vein_plan::dom::bubbles(&listener.event),
                options: ListenerOptions { once: false, quiet: None, ..listener.options.clone() },
                fields: listener.fields.clone(),
            });
        Template { nodes: block.template.clone(), listeners: listeners.collect() }
    }

    /// How many of its nodes are marked.
    pub fn marks(&self) -> u32 {
        self.nodes.iter().filter(|node| node.is_marked()).count() as u32
    }
}

/// One edit of the view.
#[derive(Clone, Debug, PartialEq)]
pub enum Patch<'a> {
    /// Makes a template known under a number.
    Template {
        /// The number.
        number: u32,
        /// What is cloned.
        template: Box<Template>,
    },
    /// Clones a template into a node. Its marks get consecutive numbers.
    Clone {
        /// Which template.
        template: u32,
        /// Into which node.
        parent: NodeNumber,
        /// Before which of the nodes in it; [`ROOT`] is the end.
        before: NodeNumber,
        /// The number of its first mark.
        first: NodeNumber,
    },
    /// Takes a node away with everything in it: their numbers are free again.
    Remove {
        /// The node.
        node: NodeNumber,
    },
    /// Moves a node inside what holds it, or to another element.
    Move {
        /// The node.
        node: NodeNumber,
        /// Into which node.
        parent: NodeNumber,
        /// Before which of the nodes in it; [`ROOT`] is the end.
        before: NodeNumber,
    },
    /// Sets the data of a text node.
    Text {
        /// The text node.
        node: NodeNumber,
        /// Its data.
        text: &'a str,
    },
    /// Sets an attribute.
    SetAttribute {
        /// The element.
        node: NodeNumber,
        /// The attribute.
        name: &'a str,
        /// Its value.
        value: &'a str,
    },
    /// Takes an attribute away.
    RemoveAttribute {
        /// The element.
        node: NodeNumber,
        /// The attribute.
        name: &'a str,
    },
    /// Sets a string property.
    SetProperty {
        /// The element.
        node: NodeNumber,
        /// The property.
        property: Property,
        /// Its value.
        value: &'a str,
    },
    /// Sets a boolean property.
    SetFlag {
        /// The element.
        node: NodeNumber,
        /// The property.
        property: Property,
        /// Its value.
        on: bool,
    },
    /// A listener that was to happen once and has is not heard any more.
    Done {
        /// The element.
        node: NodeNumber,
        /// The listener's number in its block.
        listener: u32,
    },
}

/// The patches of one pulse, in their binary form: operations, and all their strings in one.
///
/// ```
/// use vein_view::{Batch, Patch};
/// let mut batch = Batch::default();
/// batch.push(&Patch::Text { node: 3, text: "57.5 l" });
/// let received = Batch::from_bytes(&batch.to_bytes())?;
/// assert_eq!(received.iter().collect::<Vec<_>>(), [Patch::Text { node: 3, text: "57.5 l" }]);
/// # Ok::<(), vein_view::BatchError>(())
/// ```
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Batch {
    strings: String,
    ops: Vec<u8>,
    len: usize,
}

/// Why bytes were refused as a batch.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum BatchError {
    /// They do not begin as a batch does.
    NotABatch,
    /// They are of a version that this one does not read.
    Version(u8),
    /// They are not what was sent: their checksum is another.
    Damaged,
    /// They end too early, go on too long, or contradict themselves at this operation.
    Malformed(usize),
}

impl std::fmt::Display for BatchError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            BatchError::NotABatch => f.write_str("these bytes are not a batch of patches"),
            BatchError::Version(found) => {
                write!(f, "the batch has version {found}, this surface reads version {VERSION}")
            }
            BatchError::Damaged => f.write_str("the batch was damaged on its way"),
            BatchError::Malformed(at) => write!(f, "the batch is malformed at operation {at}"),
        }
    }
}

impl std::error::Error for BatchError {}

/// The checksum Adler-32 (RFC 1950, section 8.2).
fn adler32(bytes: &[u8]) -> u32 {
    const MODULUS: u32 = 65_521;
    // So many bytes cannot overflow the sums.
    const AT_ONCE: usize = 5552;
    let (mut a, mut b) = (1, 0);
    for piece in bytes.chunks(AT_ONCE) {
        for byte in piece {
            a += u32::from(*byte);
            b += a;
        }
        a %= MODULUS;
        b %= MODULUS;
    }
    b << 16 | a
}

impl Batch {
    /// How many patches there are.
    pub fn len(&self) -> usize {
        self.len
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len == 0
    }

    /// Adds a patch.
    pub fn push(&mut self, patch: &Patch<'_>) {
        self.len += 1;
        match patch {
            Patch::Template { number, template } => {
                self.code(op::TEMPLATE);
                self.number(*number);
                self.template(template);
            }
            Patch::Remove { node } => {
                self.code(op::REMOVE);
                self.number(*node);
            }
            Patch::Move { node, parent, before } => {
                self.code(op::MOVE);
                self.number(*node);
                self.number(*parent);
                self.number(*before);
            }
            Patch::Clone { template, parent, before, first } => {
                self.code(op::CLONE);
                self.number(*template);
                self.number(*parent);
                self.number(*before);
                self.number(*first);
            }
            Patch::Text { node, text } => {
                self.code(op::TEXT);
                self.number(*node);
                self.string(text);
            }
            Patch::SetAttribute { node, name, value } => {
                self.code(op::SET_ATTRIBUTE);
                self.number(*node);
                self.string(name);
                self.string(value);
            }
            Patch::RemoveAttribute { node, name } => {
                self.code(op::REMOVE_ATTRIBUTE);
                self.number(*node);
                self.string(name);
            }
            Patch::SetProperty { node, property, value } => {
                self.code(op::SET_PROPERTY);
                self.number(*node);
                self.code(*property as u8);
                self.string(value);
            }
            Patch::SetFlag { node, property, on } => {
                self.code(op::SET_FLAG);
                self.number(*node);
                self.code(*property as u8);
                self.code(u8::from(*on));
            }
            Patch::Done { node, listener } => {
                self.code(op::DONE);
                self.number(*node);
                self.number(*listener);
            }
        }
    }

    fn code(&mut self, code: u8) {
        self.ops.push(code);
    }

    fn number(&mut self, number: u32) {
        write_number(number, &mut self.ops);
    }

    /// A string is its length in UTF-16 units; its text goes to the end of all strings.
    fn string(&mut self, s: &str) {
        self.number(utf16_len(s) as u32);
        self.strings.push_str(s);
    }

    fn template(&mut self, template: &Template) {
        self.number(template.nodes.len() as u32);
        for node in &template.nodes {
            match node {
                TemplateNode::Open { namespace, name, attributes, marked } => {
                    self.code(op::OPEN);
                    self.code(*namespace as u8);
                    self.code(u8::from(*marked));
                    self.string(name);
                    self.number(attributes.len() as u32);
                    for (name, value) in attributes {
                        self.string(name);
                        self.string(value);
                    }
                }
                TemplateNode::Text { text, marked } => {
                    self.code(op::STATIC_TEXT);
                    self.code(u8::from(*marked));
                    self.string(text);
                }
                TemplateNode::TextPart => self.code(op::TEXT_PART),
                TemplateNode::Close => self.code(op::CLOSE),
            }
        }
        self.number(template.listeners.len() as u32);
        for listener in &template.listeners {
            self.listener(listener);
        }
    }

    fn listener(&mut self, listener: &TemplateListener) {
        let options = &listener.options;
        let flags =
            [options.prevent, options.stop, options.own, options.key.is_some(), listener.bubbles];
        let flags = flags.iter().rev().fold(0, |bits, on| bits << 1 | u8::from(*on));
        self.number(listener.mark);
        self.number(listener.number);
        self.string(&listener.event);
        self.code(flags);
        if let Some(key) = &options.key {
            self.string(key);
        }
        self.number(listener.fields.len() as u32);
        for field in &listener.fields {
            self.code(*field as u8);
        }
    }

    /// The batch as bytes.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = Vec::with_capacity(HEADER + self.strings.len() + self.ops.len());
        out.extend_from_slice(LABEL);
        out.extend_from_slice(&[VERSION, 0]);
        out.extend_from_slice(&(self.strings.len() as u32).to_le_bytes());
        out.extend_from_slice(&(self.ops.len() as u32).to_le_bytes());
        out.extend_from_slice(&[0; CHECKSUM.end - CHECKSUM.start]);
        out.extend_from_slice(self.strings.as_bytes());
        out.extend_from_slice(&self.ops);
        Batch::seal(&mut out);
        out
    }

    /// Writes the checksum of some bytes where a batch has it, for those who make or change one by hand;
    /// what is too short for it is left as it is.
    pub fn seal(bytes: &mut [u8]) {
        if let Some((header, body)) = bytes.split_at_mut_checked(HEADER) {
            header[CHECKSUM].copy_from_slice(&adler32(body).to_le_bytes());
        }
    }

    /// Reads a batch, all of it, before anything is done with it.
    ///
    /// # Errors
    /// Bytes that are not a batch, of another version, or malformed anywhere.
    pub fn from_bytes(bytes: &[u8]) -> Result<Batch, BatchError> {
        let (header, body) = bytes.split_at_checked(HEADER).ok_or(BatchError::NotABatch)?;
        if &header[..2] != LABEL {
            return Err(BatchError::NotABatch);
        }
        if header[2] != VERSION {
            return Err(BatchError::Version(header[2]));
        }
        let length = |at: usize| {
            let mut four = [0; 4];
            four.copy_from_slice(&header[at..at + 4]);
            u32::from_le_bytes(four) as usize
        };
        if adler32(body) as usize != length(CHECKSUM.start) {
            return Err(BatchError::Damaged);
        }
        let (strings, ops) = body.split_at_checked(length(4)).ok_or(BatchError::Malformed(0))?;
        if ops.len() != length(8) || header[3] != 0 {
            return Err(BatchError::Malformed(0));
        }
        let strings = std::str::from_utf8(strings).map_err(|_| BatchError::Malformed(0))?;
        let mut batch = Batch { strings: strings.to_owned(), ops: ops.to_vec(), len: 0 };
        let mut reader = Reader { strings: &batch.strings, ops: Bytes(&batch.ops) };
        let mut len = 0;
        while !reader.ops.0.is_empty() {
            reader.patch().ok_or(BatchError::Malformed(len))?;
            len += 1;
        }
        if !reader.strings.is_empty() {
            return Err(BatchError::Malformed(len));
        }
        batch.len = len;
        Ok(batch)
    }

    /// The patches in order.
    pub fn iter(&self) -> impl Iterator<Item = Patch<'_>> {
        let mut reader = Reader { strings: &self.strings, ops: Bytes(&self.ops) };
        std::iter::from_fn(move || if reader.ops.0.is_empty() { None } else { reader.patch() })
    }
}

fn utf16_len(s: &str) -> usize {
    if s.is_ascii() { s.len() } else { s.encode_utf16().count() }
}

struct Reader<'a> {
    strings: &'a str,
    ops: Bytes<'a>,
}

impl<'a> Reader<'a> {
    fn string(&mut self) -> Option<&'a str> {
        let wanted = self.ops.number()? as usize;
        let ascii = self.strings.get(..wanted).filter(|head| head.is_ascii());
        let end = match ascii {
            Some(head) => head.len(),
            None => {
                let mut units = 0;
                let mut end = 0;
                for c in self.strings.chars() {
                    if units >= wanted {
                        break;
                    }
                    units += c.len_utf16();
                    end += c.len_utf8();
                }
                (units == wanted).then_some(end)?
            }
        };
        let (head, rest) = self.strings.split_at(end);
        self.strings = rest;
        Some(head)
    }

    fn property(&mut self) -> Option<Property> {
        Property::ALL.get(usize::from(self.ops.byte()?)).copied()
    }

    fn patch(&mut self) -> Option<Patch<'a>> {
        Some(match self.ops.byte()? {
            op::TEMPLATE => {
                Patch::Template { number: self.ops.number()?, template: Box::new(self.template()?) }
            }
            op::CLONE => Patch::Clone {
                template: self.ops.number()?,
                parent: self.ops.number()?,
                before: self.ops.number()?,
                first: self.ops.number()?,
            },
            op::REMOVE => Patch::Remove { node: self.ops.number()? },
            op::MOVE => Patch::Move {
                node: self.ops.number()?,
                parent: self.ops.number()?,
                before: self.ops.number()?,
            },
            op::TEXT => Patch::Text { node: self.ops.number()?, text: self.string()? },
            op::SET_ATTRIBUTE => Patch::SetAttribute {
                node: self.ops.number()?,
                name: self.string()?,
                value: self.string()?,
            },
            op::REMOVE_ATTRIBUTE => {
                Patch::RemoveAttribute { node: self.ops.number()?, name: self.string()? }
            }
            op::SET_PROPERTY => Patch::SetProperty {
                node: self.ops.number()?,
                property: self.property().filter(|p| p.is_text())?,
                value: self.string()?,
            },
            op::SET_FLAG => Patch::SetFlag {
                node: self.ops.number()?,
                property: self.property().filter(|p| !p.is_text())?,
                on: self.ops.flag()?,
            },
            op::DONE => Patch::Done { node: self.ops.number()?, listener: self.ops.number()? },
            _ => return None,
        })
    }

    fn template(&mut self) -> Option<Template> {
        let count = self.ops.number()?;
        let mut template = Template::default();
        let mut open = 0usize;
        for _ in 0..count {
            let node = match self.ops.byte()? {
                op::OPEN => {
                    open += 1;
                    self.open()?
                }
                op::STATIC_TEXT => {
                    TemplateNode::Text { marked: self.ops.flag()?, text: self.string()?.into() }
                }
                op::TEXT_PART => TemplateNode::TextPart,
                op::CLOSE => {
                    open = open.checked_sub(1)?;
                    TemplateNode::Close
                }
                _ => return None,
            };
            template.nodes.push(node);
        }
        let marks: Vec<bool> = template
            .nodes
            .iter()
            .filter(|node| node.is_marked())
            .map(|node| matches!(node, TemplateNode::Open { .. }))
            .collect();
        for _ in 0..self.ops.number()? {
            let listener = self.listener()?;
            // Only elements are listened on.
            marks.get(listener.mark as usize).filter(|element| **element)?;
            template.listeners.push(listener);
        }
        (open == 0 && marks.len() < MOST_MARKS as usize).then_some(template)
    }

    fn open(&mut self) -> Option<TemplateNode> {
        let namespace = match self.ops.byte()? {
            0 => Namespace::Html,
            1 => Namespace::Svg,
            2 => Namespace::MathMl,
            _ => return None,
        };
        let marked = self.ops.flag()?;
        let name: Name = self.string()?.into();
        let mut attributes = Vec::new();
        for _ in 0..self.ops.number()? {
            attributes.push((self.string()?.into(), self.string()?.into()));
        }
        Some(TemplateNode::Open { namespace, name, attributes, marked })
    }

    fn listener(&mut self) -> Option<TemplateListener> {
        let mark = self.ops.number()?;
        let number = self.ops.number()?;
        let event: Name = self.string()?.into();
        let flags = self.ops.byte()?;
        if flags >= 1 << 5 {
            return None;
        }
        let flag = |bit: u8| flags >> bit & 1 == 1;
        let key: Option<Name> = if flag(3) { Some(self.string()?.into()) } else { None };
        let options = ListenerOptions {
            prevent: flag(0),
            stop: flag(1),
            once: false,
            own: flag(2),
            key,
            quiet: None,
        };
        let mut fields = Vec::new();
        for _ in 0..self.ops.number()? {
            fields.push(*EventField::ALL.get(usize::from(self.ops.byte()?))?);
        }
        Some(TemplateListener { mark, number, event, bubbles: flag(4), options, fields })
    }
}
