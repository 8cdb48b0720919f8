//! Names of delivered files from a pattern.

/// What the fields of a pattern stand for, for one file.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct NameFields {
    pub asset: String,
    /// The material of the sheet; empty where there is one sheet, or sheets are tiles.
    pub sheet: String,
    /// The part on the sheet where it holds one alone; empty otherwise.
    pub part: String,
    pub map: String,
    /// Texels per side.
    pub size: u32,
    /// UDIM number; empty where sheets are not tiles.
    pub tile: String,
    /// Of the delivery, from 1.
    pub version: u32,
}

/// Why a pattern makes no name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NameFault {
    #[error("{{{0}}} is no field; there are {FIELDS}")]
    Unknown(String),
    #[error("a brace is not closed, or opens nothing")]
    Braces,
    #[error("it lacks {{map}}, so that all maps would be one file")]
    NoMap,
    #[error("'{0}' cannot stand in a file name")]
    Character(char),
    #[error("a folder in it has no name, or is '..'")]
    Folder,
}

const FIELDS: &str = "{asset}, {sheet}, {part}, {map}, {size}, {tile} and {version}";

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Field {
    Asset,
    Sheet,
    Part,
    Map,
    Size,
    Tile,
    Version,
}

const NAMED: [(&str, Field); 7] = [
    ("asset", Field::Asset),
    ("sheet", Field::Sheet),
    ("part", Field::Part),
    ("map", Field::Map),
    ("size", Field::Size),
    ("tile", Field::Tile),
    ("version", Field::Version),
];

#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    Text(String),
    Field(Field),
}

/// A pattern of names: text with fields in braces. A field that is empty takes the separators (`_`, `-`, `.`) before it away, so that one
/// pattern serves one sheet and several. `{version}` is written as `v003`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pattern(Vec<Piece>);

impl Pattern {
    /// # Errors
    /// What is wrong with it.
    pub fn parse(text: &str) -> Result<Pattern, NameFault> {
        let mut pieces = Vec::new();
        let mut rest = text;
        while let Some(open) = rest.find(['{', '}']) {
            if !rest[open..].starts_with('{') {
                return Err(NameFault::Braces);
            }
            let close = rest[open..].find('}').ok_or(NameFault::Braces)?;
            let name = &rest[open + 1..open + close];
            let field = NAMED.iter().find(|(known, _)| *known == name);
            let (_, field) = field.ok_or_else(|| NameFault::Unknown(name.to_owned()))?;
            pieces.push(Piece::Text(rest[..open].to_owned()));
            pieces.push(Piece::Field(*field));
            rest = &rest[open + close + 1..];
        }
        pieces.push(Piece::Text(rest.to_owned()));
        if !pieces.contains(&Piece::Field(Field::Map)) {
            return Err(NameFault::NoMap);
        }
        let texts = pieces.iter().filter_map(|piece| match piece {
            Piece::Text(text) => Some(text),
            Piece::Field(_) => None,
        });
        if let Some(bad) = texts.flat_map(|text| text.chars()).find(|c| *c != '/' && !safe(*c)) {
            return Err(NameFault::Character(bad));
        }
        let bare = |folder: &str| folder.is_empty() || folder.chars().all(|c| c == '.');
        if text.split('/').any(bare) {
            return Err(NameFault::Folder);
        }
        Ok(Pattern(pieces))
    }

    /// The name of a file without its ending. What fields hold is made safe: a character that cannot stand in a name becomes `-`, a space `_`.
    pub fn name(&self, fields: &NameFields) -> String {
        let mut name = String::new();
        for piece in &self.0 {
            match piece {
                Piece::Text(text) => name.push_str(text),
                Piece::Field(field) => {
                    let value = fields.value(*field);
                    if value.is_empty() {
                        name.truncate(name.trim_end_matches(SEPARATORS).len());
                    }
                    name.push_str(&value);
                }
            }
        }
        // What stood between an empty field and the next begins no name, and a folder without a name is none.
        let parts = name.split('/').map(|part| part.trim_start_matches(SEPARATORS).trim_end_matches(['.', ' ']));
        let name = parts.filter(|part| !part.is_empty()).collect::<Vec<_>>().join("/");
        if name.is_empty() { "unnamed".to_owned() } else { name }
    }
}

const SEPARATORS: [char; 4] = ['_', '-', '.', ' '];

fn safe(c: char) -> bool {
    c.is_alphanumeric() || SEPARATORS.contains(&c)
}

impl NameFields {
    fn value(&self, field: Field) -> String {
        // Spaces in a name part the words of a material library.
        let plain = |c: char| match c {
            c if c.is_whitespace() => '_',
            c if safe(c) => c,
            _ => '-',
        };
        let clean = |text: &str| text.trim().chars().map(plain).collect::<String>();
        match field {
            Field::Asset => clean(&self.asset),
            Field::Sheet => clean(&self.sheet),
            Field::Part => clean(&self.part),
            Field::Map => clean(&self.map),
            Field::Size => self.size.to_string(),
            Field::Tile => clean(&self.tile),
            Field::Version => format!("v{:03}", self.version),
        }
    }
}
