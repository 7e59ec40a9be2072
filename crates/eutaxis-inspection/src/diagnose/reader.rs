//! Reading a log piece by piece: lines that no sign can be in are passed over at once, and nothing
//! but what was seen is kept.

use std::collections::BTreeMap;

use super::conditions::Scene;
use super::decode::{Decoder, plain, with_plain_quotes};
use super::facts::Facts;
use super::origin::{HEAD, Listener};
use super::prefix::parted;
use super::root::{Seen, judge};
use super::speech::{self, Speech};
use super::traceback::{Frame, Open, Turn, begins};
use super::wrapped::{JOINT, Wrap};
use super::{Context, Diagnosis, episode};
use eutaxis_standards::knowledge::{Causes, Condition, Confidence, Course, Use};

/// So much of what was seen is kept: the first, and the last ones.
const MOST_SEEN: usize = 500;
/// Outputs that are told apart at the same time.
const MOST_STREAMS: usize = 64;
/// So many lines after a sign may tell more of it.
const FOLLOWING: u64 = 40;
/// So many lines after the count of tests tell whether they passed.
const VERDICT: u64 = 3;
/// The longest excerpt, in characters.
const LONGEST_EXCERPT: usize = 300;
/// So much of the end is kept for a log that nothing explains.
const TAIL: usize = 4096;
/// So many lines that are looked at are listened to for where the log was written.
const MOST_HEARD: usize = 20_000;

/// Something that was seen.
#[derive(Debug, Clone)]
pub(super) struct Sighting {
    /// The sign, by its number.
    pub(super) sign: usize,
    /// The kind of cause.
    pub(super) kind: usize,
    pub(super) sure: Confidence,
    pub(super) line: u64,
    pub(super) excerpt: String,
    pub(super) facts: Facts,
    /// It is told of attempts that are made again.
    pub(super) transient: bool,
    /// Nothing ended by it.
    pub(super) is_aside: bool,
    /// The output it stands in.
    pub(super) stream: String,
    /// Which of the commands or steps of that output it belongs to.
    pub(super) episode: usize,
    /// A chain of exceptions, and its place there.
    pub(super) chain: Option<(u64, usize)>,
}

/// A line that tells how it went.
#[derive(Debug, Clone)]
pub(super) struct Passed {
    pub(super) course: Course,
    pub(super) line: u64,
    pub(super) stream: String,
    pub(super) episode: usize,
    pub(super) text: String,
}

/// One output among several that are written into one log.
#[derive(Debug, Default)]
struct Stream {
    traceback: Option<Open>,
    /// The line at which the traceback began.
    began: u64,
    /// What was seen last with patterns for the lines that follow, and until which line.
    follow: Option<(usize, u64)>,
    building: bool,
    /// How many commands or steps began so far.
    episode: usize,
    /// A run of tests ended, and says within these lines how.
    tested: Option<u64>,
    /// What is built.
    project: Option<String>,
}

/// Reads a log.
pub struct Reader<'a> {
    causes: &'a Causes,
    context: &'a Context<'a>,
    decoder: Decoder,
    /// Lines before the one that is being read.
    lines: u64,
    streams: BTreeMap<String, Stream>,
    /// A traceback is open, or lines that follow are looked for.
    awake: bool,
    seen: Vec<Sighting>,
    passed: Vec<Passed>,
    tail: Vec<u8>,
    wrap: Wrap,
    listener: Listener,
    heard: usize,
    /// Bytes of whole lines before the piece that is being read.
    bytes: u64,
}

impl<'a> Reader<'a> {
    /// A reader with what is known.
    pub fn new(causes: &'a Causes, context: &'a Context<'a>) -> Self {
        Reader {
            causes,
            context,
            decoder: Decoder::new(),
            lines: 0,
            streams: BTreeMap::new(),
            awake: false,
            seen: Vec::new(),
            passed: Vec::new(),
            tail: Vec::new(),
            wrap: Wrap::Unknown(Vec::new()),
            listener: Listener::default(),
            heard: 0,
            bytes: 0,
        }
    }

    /// The next bytes of the log, however they are cut.
    pub fn read(&mut self, piece: &[u8]) {
        let lines = self.decoder.lines(piece);
        let lines = self.wrap.lines(lines, false);
        self.pass(&lines);
    }

    /// The end of the log.
    pub fn finish(mut self) -> Diagnosis {
        let rest = self.decoder.rest();
        let rest = self.wrap.lines(rest, true);
        self.pass(&rest);
        let lines = self.lines + u64::from(rest.last().is_some_and(|b| *b != b'\n'));
        self.hear_end();
        let seen = Seen {
            sightings: self.seen,
            passed: self.passed,
            listener: self.listener,
        };
        judge(seen, self.causes, lines, last_lines(&self.tail))
    }

    /// The end tells where the log was written as well as the beginning.
    fn hear_end(&mut self) {
        if self.bytes <= HEAD {
            return;
        }
        let start = self.tail.len().saturating_sub(TAIL);
        let end = self.tail.get(start..).unwrap_or_default().to_vec();
        let whole = memchr::memchr(b'\n', &end).map_or(0, |i| i + 1);
        let number = self.lines;
        self.hear_all(number, end.get(whole..).unwrap_or_default());
    }

    /// Listens to lines that no sign is in.
    fn hear_all(&mut self, mut number: u64, text: &[u8]) {
        for line in text.split_inclusive(|b| *b == b'\n') {
            number += 1;
            let line = line.strip_suffix(b"\n").unwrap_or(line);
            for part in plain(line) {
                let (key, text) = parted(&part);
                let episode = self.streams.get(&key).map_or(0, |s| s.episode);
                self.listener.hear(number, &key, episode, text);
            }
        }
    }

    /// Whole lines.
    fn pass(&mut self, text: &[u8]) {
        let kept = text.get(text.len().saturating_sub(TAIL)..).unwrap_or(text);
        self.tail.extend_from_slice(kept);
        let surplus = self.tail.len().saturating_sub(2 * TAIL);
        self.tail.drain(..surplus);
        let hits = self.causes.skim().map(|skim| skim.places(text));
        let mut at = 0;
        while let Some(rest) = text.get(at..).filter(|r| !r.is_empty()) {
            let skipped = if self.awake {
                0
            } else {
                to_next_hint(rest, at, hits.as_deref())
            };
            let before = rest.get(..skipped).unwrap_or_default();
            if let Some(left) = HEAD.checked_sub(self.bytes + at as u64).filter(|n| *n > 0) {
                let left = usize::try_from(left).unwrap_or(usize::MAX);
                self.hear_all(self.lines, before.get(..left).unwrap_or(before));
            }
            let Some(rest) = rest.get(skipped..).filter(|r| !r.is_empty()) else {
                self.lines += line_feeds(text.get(at..).unwrap_or_default());
                break;
            };
            self.lines += line_feeds(before);
            let length = memchr::memchr(b'\n', rest).map_or(rest.len(), |i| i + 1);
            let (line, _) = rest.split_at(length);
            let number = self.lines + 1;
            let line = line.strip_suffix(b"\n").unwrap_or(line);
            let whole: Vec<u8>;
            let line = match self.wrap.is_any() && line.contains(&JOINT) {
                true => {
                    whole = line.iter().copied().filter(|b| *b != JOINT).collect();
                    &whole
                }
                false => line,
            };
            for part in plain(line) {
                self.line(number, &part);
            }
            self.lines += line_feeds(rest.get(..length).unwrap_or_default());
            at += skipped + length;
        }
        self.bytes += text.len() as u64;
    }

    fn line(&mut self, number: u64, part: &str) {
        let (key, text) = parted(part);
        let text = with_plain_quotes(text);
        if !self.streams.contains_key(&key) && self.streams.len() >= MOST_STREAMS {
            self.streams.clear();
        }
        let stream = self.streams.entry(key.clone()).or_default();
        if episode::begins(part) || episode::begins(&text) {
            *stream = Stream {
                episode: stream.episode + 1,
                ..Stream::default()
            };
        }
        let episode = stream.episode;
        if self.heard < MOST_HEARD {
            self.heard += 1;
            self.listener.hear(number, &key, episode, &text);
        }
        let ends_tests = text.starts_with("Ran ") && text.contains(" test");
        if ends_tests {
            stream.tested = Some(number + VERDICT);
        }
        let is_ok = text == "OK" || text.starts_with("OK (");
        let passed = is_ok && stream.tested.is_some_and(|until| number <= until);
        let mut raised: Option<(Vec<Frame>, usize)> = None;
        if let Some(open) = &mut stream.traceback {
            match open.next(&text) {
                Turn::Within => return,
                Turn::Raised(frames, before) => raised = Some((frames, before)),
                Turn::Over => stream.traceback = None,
            }
        }
        if stream.traceback.is_none() {
            stream.traceback = begins(&text);
            stream.began = number;
        }
        if raised.is_some() || stream.traceback.is_none() {
            self.look(number, &key, text.trim(), part, raised);
        }
        if passed {
            self.pass_by(number, &key, &text, Course::Well, Vec::new());
        }
        let busy = |s: &Stream| {
            let until = s.follow.map(|(_, until)| until).max(s.tested);
            s.traceback.is_some() || until.is_some_and(|until| until > number)
        };
        self.awake = self.streams.values().any(busy);
    }

    /// Looks for signs in a line.
    fn look(
        &mut self,
        number: u64,
        key: &str,
        text: &str,
        shown: &str,
        raised: Option<(Vec<Frame>, usize)>,
    ) {
        self.go_on(number, key, text);
        let (building, chain, stream_project) = match self.streams.get(key) {
            Some(s) => (
                s.building,
                raised.as_ref().map(|(_, before)| (s.began, *before)),
                s.project.clone(),
            ),
            None => (false, None, None),
        };
        let frames = raised.map(|(frames, _)| frames).unwrap_or_default();
        let mut kinds: Vec<usize> = Vec::new();
        for (pattern, purpose) in self.causes.worth_trying(text) {
            match purpose {
                Use::Beside => {}
                Use::Course(course) => {
                    let Some(found) = self.causes.found(pattern, text) else {
                        continue;
                    };
                    self.pass_by(number, key, text, course, found);
                }
                Use::Sign(sign) => {
                    let Some(entry) = self.causes.sign(sign).filter(|s| !kinds.contains(&s.kind))
                    else {
                        continue;
                    };
                    let Some(found) = self.causes.found(pattern, text) else {
                        continue;
                    };
                    let mut facts = Facts::default();
                    found
                        .iter()
                        .for_each(|(name, value)| facts.take(name, value));
                    entry
                        .facts
                        .iter()
                        .for_each(|(name, value)| facts.set(name, value.as_str()));
                    // What the lines that follow may tell can stand on the same line.
                    let beside = entry
                        .follow
                        .iter()
                        .filter_map(|p| self.causes.found(*p, text));
                    beside
                        .flatten()
                        .for_each(|(name, value)| facts.take(&name, &value));
                    facts.of_frames(&frames);
                    facts.complete(self.context, text);
                    let scene = Scene {
                        frames: &frames,
                        building,
                    };
                    if !entry
                        .when
                        .iter()
                        .all(|c| scene.holds(*c, &mut facts, self.context))
                    {
                        continue;
                    }
                    let code = frames.last().map_or("", |f| f.code.as_str());
                    if entry
                        .code
                        .is_some_and(|c| self.causes.found(c, code).is_none())
                    {
                        continue;
                    }
                    if entry
                        .when
                        .iter()
                        .any(|c| matches!(c, Condition::OwnFile | Condition::OwnImported))
                    {
                        facts.complete(self.context, text);
                    }
                    if scene.holds(Condition::Build, &mut facts, self.context) {
                        // The frames are those of what builds, not of what is built.
                        facts.remove("of");
                        stream_project
                            .iter()
                            .for_each(|project| facts.set("of", project.as_str()));
                    }
                    // An exception of a traceback was raised, whatever its words.
                    let speech = match chain {
                        Some(_) => Speech::Event,
                        None => speech::of(text, self.causes.excerpt(pattern, text)),
                    };
                    if speech == Speech::Text {
                        continue;
                    }
                    // A warning may be one that nobody needs to heed.
                    // What is made again after it failed did fail.
                    let is_retried = memchr::memmem::find(text.as_bytes(), b"etry").is_some();
                    let is_mild = speech != Speech::Event || (is_warning(text) && !is_retried);
                    let sure = if is_mild && !entry.transient {
                        Confidence::Low
                    } else {
                        entry.sure
                    };
                    kinds.push(entry.kind);
                    let sighting = Sighting {
                        sign,
                        kind: entry.kind,
                        sure,
                        line: number,
                        excerpt: shortened(shown.trim()),
                        facts,
                        transient: entry.transient,
                        episode: self.streams.get(key).map_or(0, |s| s.episode),
                        is_aside: speech == Speech::Aside && !entry.transient,
                        stream: key.to_owned(),
                        chain,
                    };
                    self.keep(sighting, !entry.follow.is_empty());
                }
            }
        }
    }

    /// Facts that the lines after a sign tell.
    fn go_on(&mut self, number: u64, key: &str, text: &str) {
        let Some(stream) = self.streams.get_mut(key) else {
            return;
        };
        let Some((at, _)) = stream.follow.filter(|(_, until)| *until >= number) else {
            stream.follow = None;
            return;
        };
        let Some(sighting) = self.seen.get_mut(at) else {
            return;
        };
        let patterns = self
            .causes
            .sign(sighting.sign)
            .map_or(&[][..], |s| &s.follow);
        let mut told = false;
        for found in patterns.iter().filter_map(|p| self.causes.found(*p, text)) {
            told = true;
            found
                .iter()
                .for_each(|(name, value)| sighting.facts.take(name, value));
        }
        if told {
            sighting.facts.complete(self.context, text);
        }
    }

    fn pass_by(
        &mut self,
        number: u64,
        key: &str,
        text: &str,
        course: Course,
        found: Vec<(String, String)>,
    ) {
        if let Some(stream) = self.streams.get_mut(key) {
            match course {
                Course::Build => {
                    stream.building = true;
                    let project = found
                        .into_iter()
                        .find(|(name, _)| name == "project")
                        .map(|(_, value)| value);
                    stream.project = project.or(stream.project.take());
                }
                Course::Well | Course::On => (stream.building, stream.project) = (false, None),
                Course::Badly => {}
            }
        }
        if course != Course::Build {
            let passed = Passed {
                course,
                line: number,
                stream: key.to_owned(),
                episode: self.streams.get(key).map_or(0, |s| s.episode),
                text: shortened(text),
            };
            // The last of a kind is the one that counts.
            if self.passed.len() >= MOST_SEEN {
                self.passed.drain(..MOST_SEEN / 2);
            }
            self.passed.push(passed);
        }
    }

    fn keep(&mut self, sighting: Sighting, has_more: bool) {
        let key = sighting.stream.clone();
        let line = sighting.line;
        // The first ones are kept for the root, the last ones for how it ended.
        if self.seen.len() >= MOST_SEEN {
            self.seen.remove(MOST_SEEN / 2);
            self.streams.values_mut().for_each(|s| s.follow = None);
        }
        self.seen.push(sighting);
        let at = self.seen.len() - 1;
        if let Some(stream) = self.streams.get_mut(&key).filter(|_| has_more) {
            stream.follow = Some((at, line + FOLLOWING));
        }
    }
}

/// How many bytes stand before the next line that is worth a look, in what is left of a text from a
/// place on; `hits` are the places of the whole text that such lines have. Without them every line
/// is.
fn to_next_hint(rest: &[u8], at: usize, hits: Option<&[usize]>) -> usize {
    let Some(hits) = hits else {
        return 0;
    };
    let next = hits.get(hits.partition_point(|hit| *hit < at)..);
    let next = next.and_then(|hits| hits.first()).map(|hit| hit - at);
    let Some(before) = next.and_then(|end| rest.get(..end)) else {
        return rest.len();
    };
    memchr::memrchr(b'\n', before).map_or(0, |i| i + 1)
}

fn line_feeds(bytes: &[u8]) -> u64 {
    // Counted one by one: that is faster than both at once.
    let count = |byte| memchr::memchr_iter(byte, bytes).count() as u64;
    count(b'\n') + count(JOINT)
}

fn is_warning(text: &str) -> bool {
    let start: String = text
        .trim_start_matches(['[', '(', '<', '*', ' '])
        .chars()
        .take(8)
        .collect();
    let start = start.to_ascii_lowercase();
    ["warning", "warn", "note:", "debug", "info:", "notice"]
        .iter()
        .any(|w| start.starts_with(w))
}

fn shortened(text: &str) -> String {
    match text.char_indices().nth(LONGEST_EXCERPT) {
        Some((at, _)) => format!("{} ...", text.get(..at).unwrap_or(text)),
        None => text.to_owned(),
    }
}

/// The last lines that say something.
fn last_lines(tail: &[u8]) -> Vec<String> {
    let mut lines: Vec<String> = tail
        .split(|b| *b == b'\n')
        .flat_map(plain)
        .map(|l| shortened(l.trim()))
        .collect();
    lines.split_off(lines.len().saturating_sub(3))
}
