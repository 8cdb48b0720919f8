//! The elements of an XML document, with the lines that they stand on. Declarations of document types are refused, so that there are no
//! entities to expand; what is large or deep beyond reason is refused before it costs anything.

use crate::mesh::Fault;
use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};

/// Bytes of a document, at most.
const MOST_BYTES: usize = 16 << 20;
const MOST_ELEMENTS: usize = 200_000;
/// Elements inside each other, at most.
const MOST_DEEP: usize = 32;
const MOST_ATTRIBUTES: usize = 256;

const MEND: &str = "Mend that line, or export the document again";

/// An element and where its children are.
pub(super) struct Element {
    pub tag: String,
    pub attributes: Vec<(String, String)>,
    pub children: Vec<usize>,
    pub parent: Option<usize>,
    /// Counted from 1.
    pub line: usize,
}

impl Element {
    pub fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(own, _)| own == name).map(|(_, value)| value.as_str())
    }

    pub fn name(&self) -> &str {
        self.attribute("name").unwrap_or("")
    }
}

/// All elements of a document; the first is its root.
pub(super) struct Tree {
    pub elements: Vec<Element>,
}

impl Tree {
    pub fn read(bytes: &[u8]) -> Result<Tree, Fault> {
        if bytes.len() > MOST_BYTES {
            let fault = format!("it has {} MiB; documents of at most {} are read", bytes.len() >> 20, MOST_BYTES >> 20);
            return Err(Fault::new("the whole file", fault, "Split it into one document per material"));
        }
        let text = std::str::from_utf8(bytes).map_err(|fault| {
            let place = format!("line {}", line_of(bytes, fault.valid_up_to()));
            Fault::new(place, "its text is not UTF-8", "Save the document as UTF-8")
        })?;
        let mut reader = Reader::from_str(text);
        reader.config_mut().trim_text(true);
        let mut tree = Tree { elements: Vec::new() };
        let mut open: Vec<usize> = Vec::new();
        let (mut counted, mut line) = (0, 1);
        loop {
            let begun = reader.buffer_position() as usize;
            line += bytes[counted..begun.min(bytes.len())].iter().filter(|byte| **byte == b'\n').count();
            counted = begun.min(bytes.len());
            let event = reader.read_event().map_err(|fault| {
                let at = (reader.error_position() as usize).clamp(counted, bytes.len());
                let on = line + bytes[counted..at].iter().filter(|byte| **byte == b'\n').count();
                Fault::new(format!("line {on}"), format!("it is not well-formed XML ({fault})"), MEND)
            })?;
            // A tag begins after the space before it.
            let space = bytes[counted..].iter().take_while(|byte| byte.is_ascii_whitespace());
            let on = line + space.filter(|byte| **byte == b'\n').count();
            match event {
                Event::Start(start) => {
                    let number = tree.add(&start, open.last().copied(), on)?;
                    open.push(number);
                    if open.len() > MOST_DEEP {
                        let fault = format!("more than {MOST_DEEP} elements lie inside each other");
                        return Err(Fault::new(format!("line {on}"), fault, MEND));
                    }
                }
                Event::Empty(start) => drop(tree.add(&start, open.last().copied(), on)?),
                Event::End(_) => drop(open.pop()),
                Event::DocType(_) => {
                    let fault = "it declares a document type; those are not read";
                    return Err(Fault::new(format!("line {on}"), fault, "Remove the line that begins with <!DOCTYPE"));
                }
                Event::Eof => break,
                _ => {}
            }
        }
        if let Some(unclosed) = open.last() {
            let element = &tree.elements[*unclosed];
            let fault = format!("<{}> is not closed; the file is cut short", element.tag);
            return Err(Fault::new(format!("line {}", element.line), fault, "Export the document again"));
        }
        match tree.elements.first() {
            Some(root) if root.tag == "materialx" => Ok(tree),
            Some(root) => {
                let fault = format!("its first element is <{}>, not <materialx>", root.tag);
                Err(Fault::new(format!("line {}", root.line), fault, "Choose a MaterialX document"))
            }
            None => Err(Fault::new("the whole file", "it holds no element", "Choose a MaterialX document")),
        }
    }

    fn add(&mut self, start: &BytesStart, parent: Option<usize>, line: usize) -> Result<usize, Fault> {
        let place = || format!("line {line}");
        if self.elements.len() >= MOST_ELEMENTS {
            let fault = format!("it has more than {MOST_ELEMENTS} elements");
            return Err(Fault::new(place(), fault, "Split it into one document per material"));
        }
        if parent.is_none() && !self.elements.is_empty() {
            return Err(Fault::new(place(), "a second root element begins here", MEND));
        }
        let tag = start.name().as_ref().to_owned();
        let mut attributes = Vec::new();
        for attribute in start.attributes() {
            let broken = |fault: &dyn std::fmt::Display| {
                Fault::new(place(), format!("an attribute of <{tag}> cannot be read ({fault})"), MEND)
            };
            let attribute = attribute.map_err(|fault| broken(&fault))?;
            let value = attribute.normalized_value(XmlVersion::Implicit1_0).map_err(|fault| broken(&fault))?;
            attributes.push((attribute.key.as_ref().to_owned(), value.into_owned()));
            if attributes.len() > MOST_ATTRIBUTES {
                return Err(broken(&format!("there are more than {MOST_ATTRIBUTES}")));
            }
        }
        let number = self.elements.len();
        self.elements.push(Element { tag, attributes, children: Vec::new(), parent, line });
        if let Some(parent) = parent {
            self.elements[parent].children.push(number);
        }
        Ok(number)
    }

    pub fn children(&self, of: usize) -> impl Iterator<Item = usize> {
        self.elements[of].children.iter().copied()
    }

    /// An attribute of an element or the nearest one around it that has it.
    pub fn inherited(&self, of: usize, name: &str) -> Option<&str> {
        let mut at = Some(of);
        while let Some(number) = at {
            let element = &self.elements[number];
            if let Some(value) = element.attribute(name) {
                return Some(value);
            }
            at = element.parent;
        }
        None
    }
}

fn line_of(bytes: &[u8], at: usize) -> usize {
    1 + bytes[..at.min(bytes.len())].iter().filter(|byte| **byte == b'\n').count()
}
