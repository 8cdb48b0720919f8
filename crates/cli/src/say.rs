//! Words to standard output and standard error. A reader that went away (`| head`) ends the program quietly, as it does others.

use std::fmt::Arguments;
use std::io::{ErrorKind, Write};

/// A line of the program's answer.
pub fn to_answer(line: Arguments) {
    if let Err(error) = writeln!(std::io::stdout().lock(), "{line}")
        && error.kind() == ErrorKind::BrokenPipe
    {
        std::process::exit(0);
    }
}

/// A line beside the answer. That nobody can hear it stops nothing.
pub fn to_aside(line: Arguments) {
    let _ = writeln!(std::io::stderr().lock(), "{line}");
}

macro_rules! answer {
    ($($words:tt)*) => { $crate::say::to_answer(format_args!($($words)*)) };
}

macro_rules! aside {
    ($($words:tt)*) => { $crate::say::to_aside(format_args!($($words)*)) };
}

pub(crate) use {answer, aside};
