//! Work that may be broken by a fault of ours: the fault becomes an error of the one who asked, and
//! nobody waits for ever.

use std::any::Any;
use std::panic::{AssertUnwindSafe, catch_unwind};

use crate::{Error, ErrorKind, Result};

/// Does the work; a panic in it is an error that says what was being done.
///
/// What the work was changing is left as it was when it broke off: whoever holds it must be able to
/// go on with that, as locks that are taken over from a thread that broke off are.
pub(crate) fn guarded<T>(
    doing: impl FnOnce() -> String,
    work: impl FnOnce() -> Result<T>,
) -> Result<T> {
    catch_unwind(AssertUnwindSafe(work)).unwrap_or_else(|fault| {
        let message = format!(
            "a fault of this program, while it was at {}: {}",
            doing(),
            said(fault.as_ref())
        );
        let error = Error::new(ErrorKind::Internal, message);
        Err(error.help(
            "it is not yours: please report it with these words; the same command may well succeed \
                with other releases",
        ))
    })
}

/// What a panic said.
fn said(fault: &(dyn Any + Send)) -> &str {
    let text = fault.downcast_ref::<&str>().copied();
    text.or_else(|| fault.downcast_ref::<String>().map(String::as_str))
        .unwrap_or("no words are left of it")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_panic_is_an_error_with_its_words() {
        let broken: Result<()> = guarded(
            || "the page of moulin".to_owned(),
            || panic!("index {} of 3", 7),
        );
        let error = broken.unwrap_err();
        assert_eq!(error.kind, ErrorKind::Internal);
        assert!(
            error
                .message
                .ends_with("while it was at the page of moulin: index 7 of 3"),
            "{}",
            error.message
        );
        assert_eq!(guarded(String::new, || Ok(4)).unwrap(), 4);
    }
}
