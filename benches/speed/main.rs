//! Whole commands as people run them, each beside a yardstick of the same run, and how the cost
//! grows. Writes the table of `docs/speed.md`.
//!
//! `cargo bench -p eutaxis-benches --bench speed` measures all; with words behind `--` only the rows
//! that have one of them in their names, which are printed and not written.

#![allow(
    clippy::expect_used,
    clippy::print_stdout,
    reason = "a bench that gets wrong answers must stop"
)]

mod index;
mod measure;
mod rows;

use std::path::{Path, PathBuf};
use std::process::Command;

/// A line of the table.
pub(crate) struct Row {
    work: String,
    took: String,
    peak: String,
    yardstick: String,
    ratio: String,
    grows: String,
}

/// The place of this repository.
fn repository() -> PathBuf {
    let mine = Path::new(env!("CARGO_MANIFEST_DIR"));
    mine.parent().expect("it lies in the repository").to_owned()
}

/// The program, built as it is released.
fn built() -> PathBuf {
    let root = repository();
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".to_owned());
    let status = Command::new(cargo)
        .args(["build", "--release", "-q", "-p", "eutaxis"])
        .current_dir(&root)
        .status();
    assert!(status.is_ok_and(|s| s.success()), "the program is built");
    // This program lies in target/release/deps.
    let own = std::env::current_exe().expect("it runs");
    let folder = own.parent().and_then(Path::parent).expect("a folder");
    folder.join(format!("eutaxis{}", std::env::consts::EXE_SUFFIX))
}

fn table(rows: &[Row]) -> String {
    let mut text = "| Work | Took | Peak | Yardstick of the same run | Ratio | How it grows |\n\
        | --- | ---: | ---: | --- | ---: | --- |\n"
        .to_owned();
    for row in rows {
        text.push_str(&format!(
            "| {} | {} | {} | {} | {} | {} |\n",
            row.work, row.took, row.peak, row.yardstick, row.ratio, row.grows
        ));
    }
    text
}

const BEGIN: &str = "<!-- the table begins -->\n";
const END: &str = "<!-- the table ends -->\n";

/// Writes the table into its document.
fn keep(table: &str) {
    let path = repository().join("docs/speed.md");
    let text = std::fs::read_to_string(&path).expect("docs/speed.md");
    let (before, rest) = text.split_once(BEGIN).expect("where the table begins");
    let (_, after) = rest.split_once(END).expect("where the table ends");
    let whole = format!("{before}{BEGIN}{table}{END}{after}");
    std::fs::write(&path, whole).expect("docs/speed.md is written");
}

fn main() {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let wanted: Vec<String> = words.into_iter().filter(|w| !w.starts_with("--")).collect();
    let program = built();
    let rows = rows::all(&program, &|name| {
        wanted.is_empty() || wanted.iter().any(|w| name.contains(w.as_str()))
    });
    let table = table(&rows);
    println!("{table}");
    if wanted.is_empty() {
        keep(&table);
    }
}
