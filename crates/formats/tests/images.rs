//! PNG out, and back through the `image` crate, which is not what wrote it.

use ember_ridge_core::sheet::Pixels;
use ember_ridge_formats::files::write_whole;
use ember_ridge_formats::image::{read_png, write_png};

#[test]
fn sixteen_and_eight_bits_come_back_whole_and_without_gamma() {
    let eight = Pixels::U8((0..4 * 4 * 3).map(|i| (i * 5) as u8).collect());
    let sixteen = Pixels::U16((0..4 * 4).map(|i| i * 4097).collect());
    for (channels, pixels) in [(3, eight), (1, sixteen)] {
        let mut bytes = Vec::new();
        write_png(&mut bytes, 4, channels, &pixels).expect("memory");
        assert_eq!(read_png(&bytes).expect("readable"), (4, 4, channels, pixels.clone()));
        let other = image::load_from_memory(&bytes).expect("another library reads it");
        match &pixels {
            Pixels::U8(values) => assert_eq!(other.as_rgb8().map(|i| i.as_raw()), Some(values)),
            Pixels::U16(values) => assert_eq!(other.as_luma16().map(|i| i.as_raw()), Some(values)),
        }
        let text = String::from_utf8_lossy(&bytes);
        assert!(!text.contains("gAMA") && !text.contains("sRGB") && !text.contains("iCCP"));
    }
}

#[test]
fn a_write_that_fails_leaves_the_old_file_and_no_rest() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("map.png");
    write_whole(&path, |f| std::io::Write::write_all(f, b"old")).expect("written");
    let failed = write_whole(&path, |f| {
        std::io::Write::write_all(f, b"new")?;
        Err(std::io::Error::other("the disk is full"))
    });
    assert!(failed.is_err());
    assert_eq!(std::fs::read(&path).expect("there"), b"old");
    assert_eq!(std::fs::read_dir(folder.path()).expect("folder").count(), 1);
}
