//! JPEG for colour, quality 95, full colour resolution. The encoder asks for lines; they come from a thread beside it.

use super::{ImageSpec, Place, Quantiser, RowSource, WriteFault};
use jpeg_encoder::{Encoder, ImageBuffer, JpegColorType, SamplingFactor, rgb_to_ycbcr};
use std::cell::RefCell;
use std::io;
use std::sync::mpsc::{Receiver, sync_channel};

const QUALITY: u8 = 95;

/// Lines as they come from the thread that makes them.
struct Lines {
    side: u16,
    channels: usize,
    waiting: RefCell<(Receiver<Vec<u8>>, Vec<u8>, usize)>,
}

impl ImageBuffer for Lines {
    fn get_jpeg_color_type(&self) -> JpegColorType {
        if self.channels == 1 { JpegColorType::Luma } else { JpegColorType::Ycbcr }
    }

    fn width(&self) -> u16 {
        self.side
    }

    fn height(&self) -> u16 {
        self.side
    }

    fn fill_buffers(&self, _y: u16, buffers: &mut [Vec<u8>; 4]) {
        let (source, bytes, at) = &mut *self.waiting.borrow_mut();
        let line = usize::from(self.side) * self.channels;
        if bytes.len() - *at < line {
            // A source that ended early leaves the rest black; its own error is what the caller hears of.
            *bytes = source.recv().unwrap_or_else(|_| vec![0; line]);
            *at = 0;
        }
        for texel in bytes[*at..*at + line].chunks_exact(self.channels) {
            match *texel {
                [r, g, b] => {
                    let (y, cb, cr) = rgb_to_ycbcr(r, g, b);
                    buffers[0].push(y);
                    buffers[1].push(cb);
                    buffers[2].push(cr);
                }
                _ => buffers[0].push(texel[0]),
            }
        }
        *at += line;
    }
}

pub(super) fn write(place: &mut dyn Place, spec: &ImageSpec, rows: &mut RowSource) -> Result<(), WriteFault> {
    let side = u16::try_from(spec.size).map_err(|_| "JPEG holds at most 65535 texels per side".to_owned())?;
    let (sender, receiver) = sync_channel::<Vec<u8>>(2);
    std::thread::scope(|scope| {
        let making = scope.spawn(move || {
            let mut quantiser = Quantiser::new(spec);
            rows(&mut |values| {
                sender.send(quantiser.bytes(values)).map_err(|_| "the encoder ended early".to_owned())?;
                Ok(())
            })
        });
        let lines = Lines { side, channels: spec.channels, waiting: RefCell::new((receiver, Vec::new(), 0)) };
        let mut encoder = Encoder::new(Out(place), QUALITY);
        encoder.set_sampling_factor(SamplingFactor::R_4_4_4);
        let encoded = encoder.encode_image(lines);
        let made = making.join().unwrap_or_else(|_| Err("the rows could not be made".to_owned().into()));
        match encoded {
            Err(jpeg_encoder::EncodingError::IoError(error)) => Err(error.into()),
            Err(error) => Err(WriteFault::from(io::Error::other(error.to_string()))),
            Ok(()) => made,
        }
    })
}

/// A place as a plain writer.
struct Out<'a>(&'a mut dyn Place);

impl io::Write for Out<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}
