//! Standard error: notices about the run itself.

use std::io::Write;

/// A line on standard error; nobody to read it is no error.
pub(crate) fn say(line: &str) {
    let _ = writeln!(anstream::stderr().lock(), "{line}");
}
