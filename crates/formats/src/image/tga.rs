//! TGA, 24-bit colour, 32-bit with alpha, or 8-bit grey, uncompressed, rows from the top. Its eighteen bytes of header are written here.

use super::{ImageSpec, Place, Quantiser, RowSource, WriteFault};

pub(super) fn write(place: &mut dyn Place, spec: &ImageSpec, rows: &mut RowSource) -> Result<(), WriteFault> {
    let side = u16::try_from(spec.size).map_err(|_| "TGA holds at most 65535 texels per side".to_owned())?;
    let (kind, bits) = if spec.channels == 1 { (3, 8) } else { (2, 8 * spec.channels as u8) };
    let mut header = [0u8; 18];
    header[2] = kind;
    header[12..14].copy_from_slice(&side.to_le_bytes());
    header[14..16].copy_from_slice(&side.to_le_bytes());
    header[16] = bits;
    // Rows from the top, and how many bits of a texel are alpha.
    header[17] = if spec.channels == 4 { 0x28 } else { 0x20 };
    place.write_all(&header)?;
    let mut quantiser = Quantiser::new(spec);
    rows(&mut |values| {
        let mut bytes = quantiser.bytes(values);
        if spec.channels > 1 {
            bytes.chunks_exact_mut(spec.channels).for_each(|texel| texel.swap(0, 2));
        }
        place.write_all(&bytes)?;
        Ok(())
    })?;
    place.flush()?;
    Ok(())
}
