//! Importing many modules in few processes: which of them fail there.

use std::time::{Duration, Instant};

use super::Runner;
use crate::Result;
use crate::threads::each;

/// So long one module may take, in seconds.
const SECONDS_EACH: u64 = 10;

/// After so long no process is begun any more, and one that runs has as long again.
const SECONDS_IN_ALL: u64 = 20;

/// Many modules, imported one after the other.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Sifted {
    /// Those that failed. What others did before may be why.
    pub failed: Vec<Fallen>,
    /// Those that were not come to in time.
    pub left: Vec<String>,
}

/// A module that failed beside others.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Fallen {
    /// Its name.
    pub module: String,
    /// What was raised, as the interpreter words it; none when the process ended.
    pub raised: Option<String>,
}

impl Runner {
    /// Imports the modules of each group one after the other, in one process as long as none of them
    /// ends it; several groups at once, the answers in the same order.
    ///
    /// # Errors
    /// As [`Runner::import`].
    pub fn sift(&self, groups: &[Vec<String>], done: &(dyn Fn() + Sync)) -> Result<Vec<Sifted>> {
        let threads = std::thread::available_parallelism().map_or(2, usize::from);
        let sifted = each(groups, threads, |modules| {
            let sifted = self.sift_one(modules);
            done();
            sifted
        });
        sifted.into_iter().flatten().collect()
    }

    fn sift_one(&self, modules: &[String]) -> Result<Sifted> {
        let mut sifted = Sifted::default();
        let mut left = modules;
        let mut short = self.clone();
        short.limits.seconds = SECONDS_IN_ALL.min(self.limits.seconds);
        let by = Instant::now() + Duration::from_secs(SECONDS_IN_ALL);
        while !left.is_empty() && Instant::now() < by {
            let input = format!("{SECONDS_EACH}\n{}\n", left.join("\n"));
            let (_, told) = short.run_telling("+", &input)?;
            let done = done(&told.unwrap_or_default(), &mut sifted.failed);
            if done == 0 {
                // Not even the first one was begun: the interpreter does not get that far.
                break;
            }
            left = left.get(done..).unwrap_or_default();
        }
        sifted.left = left.to_vec();
        Ok(sifted)
    }
}

/// How many modules were begun, by what a process told; those that failed are added.
fn done(told: &str, failed: &mut Vec<Fallen>) -> usize {
    let mut done = 0;
    let mut open: Option<Fallen> = None;
    for line in told.lines() {
        if let Some(module) = line.strip_prefix('+') {
            failed.extend(open.take());
            done += 1;
            open = Some(Fallen {
                module: module.to_owned(),
                raised: None,
            });
        } else if let Some(text) = line.strip_prefix(' ') {
            let raised = open.as_mut().and_then(|f| f.raised.as_mut());
            raised.into_iter().for_each(|r| {
                r.push_str(text);
                r.push('\n');
            });
        } else if line == "-" {
            open.iter_mut().for_each(|f| f.raised = Some(String::new()));
        } else if line == "=" {
            open = None;
        }
    }
    // What has no end ended the process.
    failed.extend(open);
    done
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::well("+a\n=\n+b\n=\n", &[], 2)]
    #[case::raised("+a\n-\n Traceback\n   File\n+b\n=\n", &[("a", Some("Traceback\n  File\n"))], 2)]
    #[case::the_last_raised("+a\n=\n+b\n-\n E: x\n", &[("b", Some("E: x\n"))], 2)]
    #[case::ended("+a\n=\n+b\n", &[("b", None)], 2)]
    #[case::nothing("", &[], 0)]
    fn what_a_process_told_is_read(
        #[case] told: &str,
        #[case] failed: &[(&str, Option<&str>)],
        #[case] begun: usize,
    ) {
        let mut all = Vec::new();
        assert_eq!(done(told, &mut all), begun);
        let all: Vec<_> = all
            .iter()
            .map(|f| (f.module.as_str(), f.raised.as_deref()))
            .collect();
        assert_eq!(all, failed);
    }
}
