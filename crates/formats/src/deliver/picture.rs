//! One picture of a delivery, written from the rows of the maps it is made of.

use super::rows::{ReadPlace, RowReader};
use crate::image::{ImageSpec, Place, WriteFault, write_rows};
use ember_ridge_core::deliver::{Mixer, PlannedPicture, SourceRows};
use std::fs::File;
use std::io::{self, BufReader, BufWriter, Read, Seek, SeekFrom, Write};

/// Opens the file of a map of the run: its number among [`ember_ridge_core::deliver::sources_of`], and the sheet. Gives its name too.
pub type OpenMap<'a> = dyn Fn(usize, usize) -> io::Result<(String, Box<dyn ReadPlace>)> + Sync + 'a;

/// Writes a planned picture.
///
/// # Errors
/// A map that cannot be read, by name, or what the place answers.
pub fn write_delivered(place: &mut dyn Place, picture: &PlannedPicture, open: &OpenMap) -> Result<(), WriteFault> {
    let mut sources = Vec::new();
    for map in &picture.used {
        let (name, file) = open(map.source, picture.sheet)?;
        let named = |fault: io::Error| WriteFault::from(damaged(&name, &fault));
        let reader = RowReader::open(&name, file).map_err(named)?;
        let wide = picture.size * picture.shrink;
        if (reader.width, reader.height, reader.channels) != (wide, wide, map.channels) {
            return Err(format!(
                "{name}: it is {} x {} with {} channels, and the run says {wide} x {wide} with {}. Bake it again",
                reader.width, reader.height, reader.channels, map.channels
            )
            .into());
        }
        let group = picture.shrink as usize * wide as usize * map.channels;
        let rows: Box<dyn Groups> = match picture.flip_v {
            false => Box::new(Forward { reader, rows: picture.shrink }),
            true => Box::new(Backward::spool(reader, picture.shrink, group).map_err(named)?),
        };
        sources.push((name, rows));
    }
    let spec = spec_of(picture);
    let mixer = Mixer::new(picture);
    write_rows(place, &spec, &mut |sink| {
        let mut row = Vec::with_capacity(picture.size as usize * picture.channels.len());
        for _ in 0..picture.size {
            let mut groups = Vec::with_capacity(sources.len());
            for (name, rows) in &mut sources {
                groups.push(rows.next().map_err(|fault| damaged(name, &fault))?);
            }
            row.clear();
            mixer.row(&groups.iter().map(Vec::as_slice).collect::<Vec<SourceRows>>(), &mut row);
            sink(&row)?;
        }
        Ok(())
    })
}

fn damaged(name: &str, fault: &io::Error) -> String {
    format!("{name}: it cannot be read ({fault}). Bake it again")
}

fn spec_of(picture: &PlannedPicture) -> ImageSpec {
    let mut notes = vec![("Software".to_owned(), "Ember Ridge".to_owned())];
    notes.push(("Encoding".to_owned(), picture.encoding.clone()));
    if let Some(scale) = picture.scale {
        notes.push(("Displacement".to_owned(), format!("scale={scale} zero=0.5")));
    }
    ImageSpec {
        size: picture.size,
        channels: picture.channels.len(),
        format: picture.format,
        depth: picture.depth,
        color: picture.color,
        dither: picture.dither,
        notes,
    }
}

/// Rows of a map, as many at once as become one.
trait Groups: Send {
    fn next(&mut self) -> io::Result<Vec<f32>>;
}

struct Forward {
    reader: RowReader,
    rows: u32,
}

impl Groups for Forward {
    fn next(&mut self) -> io::Result<Vec<f32>> {
        self.reader.read(self.rows)
    }
}

/// The groups from the last to the first. They wait in a file without a name, as pictures can only be read from the top.
struct Backward {
    file: File,
    /// Groups that are left.
    left: u64,
    /// Numbers of a group.
    group: usize,
}

impl Backward {
    fn spool(mut reader: RowReader, rows: u32, group: usize) -> io::Result<Backward> {
        let mut writer = BufWriter::with_capacity(1 << 18, tempfile::tempfile()?);
        let left = u64::from(reader.height / rows);
        for _ in 0..left {
            let bytes: Vec<u8> = reader.read(rows)?.into_iter().flat_map(f32::to_ne_bytes).collect();
            writer.write_all(&bytes)?;
        }
        let file = writer.into_inner().map_err(|fault| fault.into_error())?;
        Ok(Backward { file, left, group })
    }
}

impl Groups for Backward {
    fn next(&mut self) -> io::Result<Vec<f32>> {
        let bytes = 4 * self.group as u64;
        self.left = self.left.checked_sub(1).ok_or_else(|| io::Error::other("there are no more rows"))?;
        self.file.seek(SeekFrom::Start(self.left * bytes))?;
        let mut group = vec![0; bytes as usize];
        BufReader::new(&self.file).read_exact(&mut group)?;
        Ok(group.as_chunks::<4>().0.iter().map(|b| f32::from_ne_bytes(*b)).collect())
    }
}
