//! Text files as they are found: UTF-8 with or without a mark, UTF-16 with one, Latin-1, lines of either end, and lines that a
//! backslash carries on.

use super::Fault;
use encoding_rs::{UTF_16BE, UTF_16LE, WINDOWS_1252};
use std::borrow::Cow;

/// The text of a file, and a note where it was not UTF-8.
pub(super) fn decode(bytes: &[u8]) -> Result<(Cow<'_, str>, Option<&'static str>), Fault> {
    if let Some(rest) = bytes.strip_prefix(b"\xff\xfe") {
        return Ok((UTF_16LE.decode_without_bom_handling(rest).0, None));
    }
    if let Some(rest) = bytes.strip_prefix(b"\xfe\xff") {
        return Ok((UTF_16BE.decode_without_bom_handling(rest).0, None));
    }
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    if bytes.iter().take(4096).any(|&b| b == 0) {
        return Err(Fault::new("the whole file", "it is not text", "Check that the file is what its name says"));
    }
    match std::str::from_utf8(bytes) {
        Ok(text) => Ok((Cow::Borrowed(text), None)),
        Err(_) => {
            let text = WINDOWS_1252.decode_without_bom_handling(bytes).0;
            Ok((text, Some("Its text is not UTF-8; it was read as Latin-1")))
        }
    }
}

/// Lines without their ends, each with the number of its first line; one that ends in a backslash goes on with the next.
pub(super) fn lines(text: &str) -> impl Iterator<Item = (usize, Cow<'_, str>)> {
    let mut physical = text.split('\n').map(|line| line.strip_suffix('\r').unwrap_or(line)).enumerate();
    std::iter::from_fn(move || {
        let (number, first) = physical.next()?;
        let Some(start) = first.strip_suffix('\\') else { return Some((number + 1, Cow::Borrowed(first))) };
        let mut whole = start.to_owned();
        for (_, next) in physical.by_ref() {
            whole.push(' ');
            match next.strip_suffix('\\') {
                Some(more) => whole.push_str(more),
                None => {
                    whole.push_str(next);
                    break;
                }
            }
        }
        Some((number + 1, Cow::Owned(whole)))
    })
}

/// A line as it is quoted in an error.
pub(super) fn quoted(line: &str) -> String {
    line.trim().chars().take(60).collect()
}
