//! Standard output, standard error, exit codes: the one place that knows of both forms, text and
//! JSON.

use std::cell::Cell;
use std::io::{IsTerminal, Write};
use std::process::ExitCode;
use std::sync::{Condvar, Mutex, PoisonError};
use std::time::{Duration, Instant};

use anstream::ColorChoice;
use eutaxis_world::network::Network;
use eutaxis_world::supply::Run;
use eutaxis_world::{Error, ErrorKind, Errors};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use serde_json::{Map, Value};

use crate::cli::{ColorWhen, Common};
use crate::render::style;
use crate::render::table::wrap;
use crate::report::{self, Failed, Failure, Report};
use crate::voice::say;

/// How often it is looked what is being waited for.
const TICK: Duration = Duration::from_millis(200);
/// After so long the first line says it where there is no terminal; the pauses then double up to
/// the rarest.
const FIRST_LINE: Duration = Duration::from_secs(4);
const RAREST: Duration = Duration::from_secs(60);

/// How a command ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Outcome {
    /// The answer is yes, or it is done.
    Ok,
    /// The answer is no.
    No,
    /// A command was run, and ended so: nothing else is said.
    Passed(u8),
}

/// What a command has to say, in both forms.
#[derive(Debug)]
pub(crate) struct Answer {
    pub(crate) outcome: Outcome,
    pub(crate) text: String,
    pub(crate) report: Report,
}

/// Where things are printed.
#[derive(Debug)]
pub(crate) struct Output {
    json: bool,
    quiet: bool,
    verbose: bool,
    /// Standard output failed: the answer did not get out.
    lost: Cell<bool>,
    /// What would go to standard output goes to standard error: that is another program's.
    aside: bool,
    /// Only the verdict is printed, in one line; and whether it was.
    brief: Option<Cell<bool>>,
}

impl Output {
    /// The same beside another program, whose standard output is its own: text, on standard error.
    pub(crate) fn aside(&self) -> Self {
        Output {
            json: false,
            quiet: self.quiet,
            verbose: self.verbose,
            lost: Cell::new(false),
            aside: true,
            brief: None,
        }
    }

    pub(crate) fn new(common: &Common, has_verdict: bool) -> Self {
        let brief = common.quiet && has_verdict && !common.json;
        if brief {
            crate::render::keep_lines_whole();
        }
        let choice = match common.color {
            ColorWhen::Auto => ColorChoice::Auto,
            ColorWhen::Always => ColorChoice::AlwaysAnsi,
            ColorWhen::Never => ColorChoice::Never,
        };
        if common.color != ColorWhen::Auto {
            choice.write_global();
        }
        Output {
            json: common.json,
            quiet: common.quiet,
            verbose: common.verbose,
            lost: Cell::new(false),
            aside: false,
            brief: brief.then(Cell::default),
        }
    }

    /// Whether more is to be said.
    pub(crate) fn verbose(&self) -> bool {
        self.verbose
    }

    /// Whether only the answer is to be said.
    pub(crate) fn is_quiet(&self) -> bool {
        self.quiet
    }

    /// Whether the answer is JSON.
    pub(crate) fn is_json(&self) -> bool {
        self.json
    }

    /// Whether text on standard output is coloured.
    pub(crate) fn colours(&self, common: &Common) -> bool {
        match common.color {
            ColorWhen::Always => true,
            ColorWhen::Never => false,
            ColorWhen::Auto => {
                anstream::AutoStream::choice(&std::io::stdout()) != ColorChoice::Never
            }
        }
    }

    /// What is said beside what another program prints, on standard error.
    pub(crate) fn tell(&self, text: &str) {
        if !self.quiet {
            let _ = anstream::stderr().lock().write_all(text.as_bytes());
        }
    }

    /// A notice about the run itself, on standard error.
    pub(crate) fn notice(&self, text: &str) {
        if !self.quiet {
            say(text);
        }
    }

    /// Text that goes out at once, in text form only.
    pub(crate) fn now(&self, text: &str) {
        let first;
        let text = match &self.brief {
            None => text,
            Some(told) => {
                let line = text.lines().find(|l| !l.trim().is_empty());
                let Some(line) = line.filter(|_| !told.get()) else {
                    return;
                };
                told.set(true);
                first = format!("{line}\n");
                &first
            }
        };
        if self.aside {
            self.tell(text);
        } else if !self.json {
            let mut out = anstream::stdout().lock();
            self.note_failure(out.write_all(text.as_bytes()).and_then(|()| out.flush()));
        }
    }

    /// Remembers that standard output could not take the answer. A reader that has gone away has
    /// read enough.
    fn note_failure(&self, written: std::io::Result<()>) {
        if written.is_err_and(|e| e.kind() != std::io::ErrorKind::BrokenPipe) {
            self.lost.set(true);
        }
    }

    /// What is worth knowing of the network after a run: trouble with the catalogue, and with -v
    /// what was overcome.
    pub(crate) fn report_network(&self, network: &Network) {
        if let Some(why) = network.trouble() {
            self.notice(&format!(
                "nothing is remembered for the next run: the catalogue cannot be used ({why})"
            ));
        }
        for caution in network.cautions() {
            self.notice(&format!("caution: {caution}"));
        }
        if !self.verbose {
            return;
        }
        let traffic = network.traffic();
        for what in &traffic.overcome {
            self.notice(&format!("overcome: {what}"));
        }
        if traffic.requests > 0 {
            let requests = crate::words::count(
                usize::try_from(traffic.requests).unwrap_or(usize::MAX),
                "request",
            );
            self.notice(&format!(
                "network: {requests}, {}",
                crate::words::size(traffic.bytes)
            ));
        }
    }

    /// A progress bar on a terminal, else nothing.
    pub(crate) fn progress(&self) -> ProgressBar {
        let hidden = self.quiet || self.json || !std::io::stderr().is_terminal();
        let target = if hidden {
            ProgressDrawTarget::hidden()
        } else {
            ProgressDrawTarget::stderr()
        };
        let bar = ProgressBar::with_draw_target(None, target);
        if let Ok(style) = ProgressStyle::with_template("{msg:12} {bar:30} {percent:>3}%") {
            bar.set_style(style.progress_chars("=> "));
        }
        bar
    }

    /// What is shown on a terminal while facts are gathered: nobody knows how many there will be.
    pub(crate) fn searching(&self) -> ProgressBar {
        let bar = self.progress();
        if let Ok(style) = ProgressStyle::with_template("{spinner} {wide_msg}") {
            bar.set_style(style);
        }
        bar
    }

    /// Tells the steps of work that other programs do.
    pub(crate) fn steps(&self) -> Steps {
        Steps {
            bar: self.searching(),
            quiet: self.quiet,
            begun: Instant::now(),
            next: Mutex::new(FIRST_LINE),
        }
    }

    /// Works, and says meanwhile what is being waited for: on a terminal at once, else in a line
    /// after some seconds and then ever more rarely.
    pub(crate) fn watch<T>(
        &self,
        what: &str,
        bar: &ProgressBar,
        run: &Run,
        network: &Network,
        work: impl FnOnce() -> T,
    ) -> T {
        let quiet = self.quiet;
        let shown = bar.clone();
        network.tell_much(move |line| {
            if !quiet {
                shown.suspend(|| say(line));
            }
        });
        let done = (Mutex::new(false), Condvar::new());
        let tick = || {
            let started = Instant::now();
            let mut next = FIRST_LINE;
            let mut ended = done.0.lock().unwrap_or_else(PoisonError::into_inner);
            while !*ended {
                ended = done
                    .1
                    .wait_timeout(ended, TICK)
                    .unwrap_or_else(PoisonError::into_inner)
                    .0;
                let since = started.elapsed();
                let Some(waits) = run.waits_for().filter(|_| !*ended) else {
                    continue;
                };
                let fetched = crate::words::size(network.fetched());
                if !bar.is_hidden() {
                    bar.tick();
                    bar.set_message(format!("{what}: waiting for {waits}; {fetched} fetched"));
                } else if !quiet && since >= next {
                    say(&format!(
                        "{what} for {} s: waiting for {waits}; {fetched} fetched",
                        since.as_secs()
                    ));
                    next = since + (next * 2).min(RAREST);
                }
            }
        };
        std::thread::scope(|scope| {
            scope.spawn(tick);
            let result = work();
            *done.0.lock().unwrap_or_else(PoisonError::into_inner) = true;
            done.1.notify_all();
            result
        })
    }

    /// A progress bar in bytes with a rate, on a terminal.
    pub(crate) fn bytes_progress(&self) -> BytesBar {
        let bar = self.progress();
        if let Ok(style) = ProgressStyle::with_template("{wide_bar}  {msg}") {
            bar.set_style(style.progress_chars("=> "));
        }
        BytesBar {
            bar,
            started: Instant::now(),
            told: Mutex::new(None),
        }
    }

    /// Prints the answer or the error, and gives the exit code.
    pub(crate) fn finish(&self, command: &str, result: Result<Answer, Errors>) -> ExitCode {
        if let Ok(Answer {
            outcome: Outcome::Passed(code),
            ..
        }) = &result
        {
            return ExitCode::from(*code);
        }
        let (word, code) = match &result {
            Ok(Answer {
                outcome: Outcome::Passed(code),
                ..
            }) => ("ok", *code),
            Ok(Answer {
                outcome: Outcome::Ok,
                ..
            }) => ("ok", 0),
            Ok(Answer {
                outcome: Outcome::No,
                ..
            }) => ("no", 1),
            Err(errors) if errors.are_all(ErrorKind::Budget) => ("no", 1),
            Err(errors) => ("error", exit_code(errors)),
        };
        if self.json {
            let object = match result {
                Ok(answer) => {
                    let mut object = Map::new();
                    object.insert("command".into(), command.into());
                    object.insert("version".into(), env!("CARGO_PKG_VERSION").into());
                    object.insert("outcome".into(), word.into());
                    object.extend(report::object(&answer.report));
                    object
                }
                Err(errors) => {
                    report::object(&Failed::new(Some(command), word, Failure::of(errors.all())))
                }
            };
            let text = serde_json::to_string_pretty(&Value::Object(object)).unwrap_or_default();
            let mut out = std::io::stdout().lock();
            self.note_failure(writeln!(out, "{text}").and_then(|()| out.flush()));
            return self.end(code);
        }
        match result {
            Ok(answer) => self.now(&answer.text),
            Err(errors) => errors.all().iter().for_each(print_error),
        }
        self.end(code)
    }

    fn end(&self, code: u8) -> ExitCode {
        if !self.lost.get() {
            return ExitCode::from(code);
        }
        let error = Error::new(
            ErrorKind::Disk,
            "the answer could not be written to standard output",
        );
        print_error(&error.help("look at what standard output leads to: a full disk, perhaps"));
        ExitCode::from(3)
    }
}

/// Tells the steps of work that other programs do: on a terminal as they go, else in a line after
/// some seconds and then ever more rarely. Can be told from any thread.
pub(crate) struct Steps {
    bar: ProgressBar,
    quiet: bool,
    begun: Instant,
    /// When the next line is due.
    next: Mutex<Duration>,
}

impl Steps {
    /// What is being done, and the last line of whoever does it.
    pub(crate) fn tell(&self, doing: &str, line: &str) {
        let text = if line.is_empty() {
            doing.to_owned()
        } else {
            format!("{doing}: {line}")
        };
        if !self.bar.is_hidden() {
            self.bar.set_message(text);
            self.bar.tick();
            return;
        }
        let since = self.begun.elapsed();
        let mut next = self.next.lock().unwrap_or_else(PoisonError::into_inner);
        if !self.quiet && since >= *next {
            say(&format!("{} s: {text}", since.as_secs()));
            *next = since + (*next * 2).min(RAREST);
        }
    }

    /// A notice.
    pub(crate) fn say(&self, text: &str) {
        if !self.quiet {
            self.bar.suspend(|| say(text));
        }
    }
}

impl Drop for Steps {
    fn drop(&mut self) {
        self.bar.finish_and_clear();
    }
}

/// A bar in bytes, with a rate over the run so far.
pub(crate) struct BytesBar {
    bar: ProgressBar,
    started: Instant,
    /// When it was last drawn, and with how many files.
    told: Mutex<Option<(Instant, usize)>>,
}

/// It is drawn anew no more often than this.
const REDRAW: Duration = Duration::from_millis(60);

impl BytesBar {
    /// Shows how far it is: bytes that are there, of how many; files that are there, of how many;
    /// and bytes that came over the network, for the rate.
    pub(crate) fn show(&self, bytes: (u64, u64), files: (usize, usize), fetched: u64) {
        if self.bar.is_hidden() {
            return;
        }
        let now = Instant::now();
        let mut told = self.told.lock().unwrap_or_else(PoisonError::into_inner);
        if told.is_some_and(|(then, count)| now - then < REDRAW && count == files.0) {
            return;
        }
        *told = Some((now, files.0));
        let seconds = self.started.elapsed().as_secs_f64().max(0.1);
        // For people: the fraction of a byte does not matter.
        let rate = (fetched as f64 / seconds) as u64;
        let left = bytes
            .1
            .saturating_sub(bytes.0)
            .checked_div(rate)
            .unwrap_or(0);
        let size = crate::words::size;
        let speed = if rate > 0 {
            format!("{}/s  {left} s left  ", size(rate))
        } else {
            String::new()
        };
        self.bar.set_length(bytes.1.max(bytes.0));
        self.bar.set_position(bytes.0);
        self.bar.set_message(format!(
            "{} of {}  {speed}{} of {} files",
            size(bytes.0),
            size(bytes.1),
            files.0,
            files.1
        ));
    }

    /// Takes it away.
    pub(crate) fn clear(&self) {
        self.bar.finish_and_clear();
    }
}

fn exit_code(errors: &Errors) -> u8 {
    if errors.are_all(ErrorKind::Request) {
        2
    } else {
        3
    }
}

pub(crate) fn print_error(error: &Error) {
    let mut out = anstream::stderr().lock();
    let _ = out.write_all(error_text(error).as_bytes());
}

/// An error for people: what, where with the line shown, and what to do.
fn error_text(error: &Error) -> String {
    // A terminal would break words; what reads a pipe breaks lines itself.
    let width = if std::io::stderr().is_terminal() {
        crate::render::width()
    } else {
        usize::MAX
    };
    let paragraph = |lead: &str, painted: String, text: &str| {
        let lines = wrap(
            &eutaxis_core::fault::escaped(text),
            width.saturating_sub(lead.len() + 1),
        );
        format!(
            "{painted} {}\n",
            lines.join(&format!("\n{}", " ".repeat(lead.len() + 1)))
        )
    };
    let mut text = paragraph("error", style::barred("error"), &error.message);
    for place in &error.places {
        let number = place.line.to_string();
        let gap = " ".repeat(number.len());
        let line = eutaxis_core::fault::escaped(&place.text);
        let caret = " ".repeat(place.column.saturating_sub(1) as usize);
        text.push_str(&format!(
            "{gap}  at {place}\n{gap} |\n{number} | {line}\n{gap} | {caret}{}\n",
            style::barred("^")
        ));
    }
    // Each way is a line of its own.
    for help in error.help.iter().flat_map(|help| help.lines()) {
        text.push_str(&paragraph(
            "  try",
            format!("  {}", style::care("try")),
            help,
        ));
    }
    text
}

/// A usage error of the command line, in clap's words; help and version are no errors.
pub(crate) fn usage(error: &clap::Error) -> ExitCode {
    let json = std::env::args_os().any(|a| a == "--json") && error.use_stderr();
    if json {
        let message = error.render().to_string();
        let message = message
            .strip_prefix("error: ")
            .unwrap_or(&message)
            .split("\n\n")
            .next()
            .unwrap_or("")
            .trim()
            .to_owned();
        let failed = Failed::new(None, "error", Failure::of_usage(&message));
        let object = Value::Object(report::object(&failed));
        let _ = writeln!(std::io::stdout().lock(), "{object:#}");
        return ExitCode::from(2);
    }
    let _ = error.print();
    ExitCode::from(if error.use_stderr() { 2 } else { 0 })
}

/// The word that stands for a command and is none, where people read what is said.
pub(crate) fn unknown_command(error: &clap::Error) -> Option<String> {
    let json = std::env::args_os().any(|a| a == "--json");
    if json || error.kind() != clap::error::ErrorKind::InvalidSubcommand {
        return None;
    }
    match error.get(clap::error::ContextKind::InvalidSubcommand) {
        Some(clap::error::ContextValue::String(word)) => Some(word.clone()),
        _ => None,
    }
}
