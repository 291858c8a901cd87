//! What goes to standard output. Where it cannot be written (a full disk, a pipe that nobody reads),
//! the program ends with a word about it.

use std::{
    fmt::Arguments,
    io::{ErrorKind, Write, stdout},
};

/// Writes a line.
#[macro_export]
macro_rules! say {
    ($($what:tt)*) => { $crate::out::write(format_args!("{}\n", format_args!($($what)*))) };
}

/// Writes a text as it is.
#[macro_export]
macro_rules! say_all {
    ($($what:tt)*) => { $crate::out::write(format_args!($($what)*)) };
}

/// Writes to standard output, or ends.
pub fn write(what: Arguments) {
    let mut out = stdout().lock();
    if let Err(error) = out.write_fmt(what).and_then(|()| out.flush()) {
        // Whoever closed the pipe has seen enough.
        if error.kind() != ErrorKind::BrokenPipe {
            eprintln!("speckle: what was found cannot be written: {error}");
        }
        std::process::exit(1);
    }
}
