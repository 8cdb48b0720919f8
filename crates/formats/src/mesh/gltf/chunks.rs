//! What GLB files are put together from: a buffer in memory with its views and accessors, and the frame around it.

use serde_json::{Value, json};
use std::io::{self, Read, Write};

pub(crate) const FLOAT: u32 = 5126;
pub(crate) const UNSIGNED: u32 = 5125;
pub(crate) const SHORT: u32 = 5123;
pub(crate) const VERTICES: u32 = 34962;
pub(crate) const INDICES: u32 = 34963;

/// Numbers of a GLB's buffer.
#[derive(Default)]
pub(crate) struct Numbers {
    bin: Vec<u8>,
    pub views: Vec<Value>,
    pub accessors: Vec<Value>,
}

impl Numbers {
    /// Adds numbers as a view with an accessor of its own, of such a type (`VEC3`) and component; the accessor's number. `extra` goes
    /// into the accessor.
    pub fn add(&mut self, data: &[u8], target: u32, kind: &str, component: u32, count: usize, extra: Value) -> usize {
        pad(&mut self.bin, 0);
        self.views
            .push(json!({ "buffer": 0, "byteOffset": self.bin.len(), "byteLength": data.len(), "target": target }));
        self.bin.extend_from_slice(data);
        let mut accessor =
            json!({ "bufferView": self.views.len() - 1, "componentType": component, "count": count, "type": kind });
        if let (Some(into), Value::Object(extra)) = (accessor.as_object_mut(), extra) {
            into.extend(extra);
        }
        self.accessors.push(accessor);
        self.accessors.len() - 1
    }

    /// Writes the file: `document` gets the views, accessors and the buffer's length; `files` follow the numbers in the buffer, each with
    /// its length, and a view of its own behind those of the numbers.
    ///
    /// # Errors
    /// What the writer or a file answers, or a buffer of 4 GiB and more.
    pub fn write(
        mut self,
        out: &mut dyn Write,
        mut document: Value,
        files: Vec<(u64, Box<dyn Read + '_>)>,
    ) -> io::Result<()> {
        pad(&mut self.bin, 0);
        let mut length = self.bin.len() as u64;
        for (bytes, _) in &files {
            self.views.push(json!({ "buffer": 0, "byteOffset": length, "byteLength": bytes }));
            length += bytes.next_multiple_of(4);
        }
        document["accessors"] = self.accessors.into();
        document["bufferViews"] = self.views.into();
        document["buffers"] = json!([{ "byteLength": length }]);
        let mut text = serde_json::to_vec(&document)?;
        pad(&mut text, b' ');
        let whole = u32::try_from(28 + text.len() as u64 + length);
        let whole = whole.map_err(|_| io::Error::other("a GLB holds at most 4 GiB; make its textures smaller"))?;
        out.write_all(b"glTF")?;
        for word in [2, whole, text.len() as u32] {
            out.write_all(&word.to_le_bytes())?;
        }
        out.write_all(b"JSON")?;
        out.write_all(&text)?;
        out.write_all(&(length as u32).to_le_bytes())?;
        out.write_all(b"BIN\0")?;
        out.write_all(&self.bin)?;
        for (bytes, mut file) in files {
            if io::copy(&mut file, out)? != bytes {
                return Err(io::Error::other("a texture changed while it was written"));
            }
            out.write_all(&[0; 4][..(bytes.next_multiple_of(4) - bytes) as usize])?;
        }
        Ok(())
    }
}

fn pad(bytes: &mut Vec<u8>, with: u8) {
    bytes.resize(bytes.len().next_multiple_of(4), with);
}

/// Numbers as a GLB holds them.
pub(crate) fn floats(values: impl Iterator<Item = f32>) -> Vec<u8> {
    values.flat_map(f32::to_le_bytes).collect()
}
