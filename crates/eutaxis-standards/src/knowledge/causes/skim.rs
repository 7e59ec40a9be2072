//! Logs looked through for many short texts at once.
//!
//! Each text is found by two windows of its letters that follow each other: one of them begins at
//! an even place, wherever the text stands. Half of the places of a log are looked at, and nearly
//! no window of it is in the table.

use rustc_hash::FxHashMap;

/// Places of a table: what a processor keeps at hand.
const PLACES: usize = 1 << 17;
/// Small and capital letters, and some signs, are told apart only afterwards.
const FOLDED: u64 = 0x2020_2020_2020_2020;
/// It is not worth a thread to look through less.
const SHARED: usize = 64 << 10;
/// Letters that a service puts before a line are fewer.
const LONGEST_BEFORE: usize = 48;
/// Places from one stretch to the next.
const STRIDE: usize = 16;
/// Letters that the windows of a stretch are of.
const STRETCH: usize = STRIDE + 6;

/// Finds where any of many texts begins, without regard to the case of ASCII letters.
#[derive(Debug, Clone)]
pub struct Skim {
    texts: Vec<Vec<u8>>,
    long: Windows<8>,
    short: Windows<4>,
    /// Texts that are too short for these.
    tiny: Vec<usize>,
    /// The letters that they begin with.
    first: Vec<u8>,
    /// Texts that only count at the beginning of a line, as they are written.
    leading: Vec<(usize, Vec<u8>)>,
    /// That can run at once.
    threads: usize,
}

/// Windows of so many letters, of which one is met where each second place is looked at.
#[derive(Debug, Clone)]
struct Windows<const LETTERS: usize> {
    /// One where a window has its place. `which` tells the same, in twice the room: this is what is
    /// looked at for every place of a log, and has to be small.
    has: Box<[u8; PLACES]>,
    /// Which of the lists holds the windows of a place; the first, which is empty, for all others.
    which: Box<[u16; PLACES]>,
    lists: Vec<Vec<Entry>>,
}

/// A window of a text.
#[derive(Debug, Clone, Copy)]
struct Entry {
    window: u64,
    text: usize,
    /// At which place of the text it begins, with the one before the text as the first.
    place: usize,
}

impl<const LETTERS: usize> Windows<LETTERS> {
    /// The letters of a window in a word.
    const MASK: u64 = u64::MAX >> (64 - 8 * LETTERS);
    /// The letters of two windows that follow each other.
    const BOTH: usize = LETTERS + 1;

    fn new() -> Self {
        Windows {
            has: Box::new([0; PLACES]),
            which: Box::new([0; PLACES]),
            lists: vec![Vec::new()],
        }
    }

    /// Enters a text by its rarest letters. One that is a letter too short, or two, has any letter
    /// before it, and after it.
    fn enter(&mut self, text: usize, letters: &[u8], frequent: &Frequent) {
        let parts = letters.windows(Self::BOTH).enumerate();
        if let Some((at, part)) = parts.min_by_key(|(_, part)| frequent.of(part)) {
            for (offset, window) in part.windows(LETTERS).enumerate() {
                self.add(text, 1 + at + offset, window);
            }
            return;
        }
        for any in (0..=u8::MAX).filter(|any| any & 0x20 != 0) {
            self.add(text, 0, &[&[any], letters].concat());
            if letters.len() < LETTERS {
                self.add(text, 1, &[letters, &[any]].concat());
            }
        }
        if letters.len() == LETTERS {
            self.add(text, 1, letters);
        }
    }

    fn add(&mut self, text: usize, place: usize, letters: &[u8]) {
        let window = Self::window(letters);
        let hash = hash(window);
        let (Some(has), Some(which)) = (self.has.get_mut(hash), self.which.get_mut(hash)) else {
            return;
        };
        if *has == 0 {
            *has = 1;
            *which = u16::try_from(self.lists.len()).unwrap_or_default();
            self.lists.push(Vec::new());
        }
        let entry = Entry {
            window,
            text,
            place,
        };
        if let Some(list) = self.lists.get_mut(usize::from(*which)) {
            list.push(entry);
        }
    }

    /// The first letters as one number; none after the end.
    #[inline]
    fn window(letters: &[u8]) -> u64 {
        let window = letters.first_chunk::<8>().copied().unwrap_or_else(|| {
            let mut window = [0; 8];
            for (place, letter) in window.iter_mut().zip(letters) {
                *place = *letter;
            }
            window
        });
        (u64::from_le_bytes(window) | FOLDED) & Self::MASK
    }

    /// One when a window may be in the table.
    #[inline]
    fn may_have(&self, letters: u64) -> u32 {
        let place = hash((letters | FOLDED) & Self::MASK);
        self.has.get(place).map_or(0, |has| u32::from(*has))
    }

    /// The texts that the first letters are a window of.
    #[inline]
    fn at(&self, letters: &[u8]) -> impl Iterator<Item = &Entry> {
        let window = Self::window(letters);
        let which = self.which.get(hash(window));
        let list = which.and_then(|which| self.lists.get(usize::from(*which)));
        let entries = list.into_iter().flatten();
        entries.filter(move |entry| entry.window == window)
    }
}

impl Skim {
    /// For these texts, of which those that begin with a line feed count at the beginning of a line,
    /// as they are written; none where one is empty.
    pub(super) fn of<'t>(texts: impl Iterator<Item = &'t str>) -> Option<Self> {
        let (mut all, mut leading) = (Vec::new(), Vec::new());
        for (number, text) in texts.enumerate() {
            let plain = text.strip_prefix('\n').unwrap_or(text);
            if plain.len() < text.len() {
                leading.push((number, plain.as_bytes().to_vec()));
            }
            all.push(plain.to_ascii_lowercase().into_bytes());
        }
        let texts = all;
        let frequent = Frequent::in_all(&texts);
        let (mut long, mut short) = (Windows::<8>::new(), Windows::<4>::new());
        let (mut tiny, mut first) = (Vec::new(), Vec::new());
        for (number, text) in texts.iter().enumerate() {
            match text.len() {
                0..3 => {
                    let letter = *text.first()?;
                    first.extend([letter, letter.to_ascii_uppercase()]);
                    tiny.push(number);
                }
                3..9 => short.enter(number, text, &frequent),
                _ => long.enter(number, text, &frequent),
            }
        }
        first.sort_unstable();
        first.dedup();
        Some(Skim {
            texts,
            long,
            short,
            tiny,
            first,
            leading,
            threads: std::thread::available_parallelism().map_or(1, usize::from),
        })
    }

    /// Where a text begins, in order; of those on one line at least one. Two threads share what is
    /// long.
    pub fn places(&self, text: &[u8]) -> Vec<usize> {
        let middle = text.get(..text.len() / 2).unwrap_or_default();
        let whole = memchr::memrchr(b'\n', middle).map_or(0, |end| end + 1);
        let (first, second) = text.split_at_checked(whole).unwrap_or((text, &[]));
        if first.len() < SHARED || self.threads < 2 {
            return self.places_in(text);
        }
        std::thread::scope(|scope| {
            let other = scope.spawn(|| self.places_in(second));
            let mut found = self.places_in(first);
            let others = other.join().unwrap_or_else(|_| self.places_in(second));
            found.extend(others.into_iter().map(|place| whole + place));
            found
        })
    }

    fn places_in(&self, text: &[u8]) -> Vec<usize> {
        let mut places = Vec::new();
        self.visit(text, |_, begins| places.push(begins));
        places.sort_unstable();
        places.dedup();
        places
    }

    /// Which of the texts stand in a line, by their numbers, in order.
    pub(super) fn texts_in(&self, line: &str) -> Vec<usize> {
        let mut texts = Vec::new();
        self.visit(line.as_bytes(), |text, _| texts.push(text));
        texts.sort_unstable();
        texts.dedup();
        texts
    }

    /// Tells the number of each text that stands somewhere, and where it begins.
    #[inline]
    fn visit(&self, text: &[u8], mut tell: impl FnMut(usize, usize)) {
        let mut at = 0;
        while let Some(stretch) = text.get(at..).and_then(<[u8]>::first_chunk::<STRETCH>) {
            let mut near = self.near(stretch);
            while near != 0 {
                let bit = near.trailing_zeros();
                let place = at + (bit & !1) as usize;
                if bit & 1 == 0 {
                    self.visit_at(text, place, &self.short, &mut tell);
                } else {
                    self.visit_at(text, place, &self.long, &mut tell);
                }
                near &= near - 1;
            }
            at += STRIDE;
        }
        for place in (at..text.len()).step_by(2) {
            self.visit_at(text, place, &self.short, &mut tell);
            self.visit_at(text, place, &self.long, &mut tell);
        }
        self.visit_tiny(text, &mut tell);
    }

    /// Two bits for each second place of a stretch: whether its windows may be those of a short or
    /// a long text.
    #[inline(always)]
    fn near(&self, stretch: &[u8; STRETCH]) -> u32 {
        let [_, _, _, _, _, _, second @ ..] = stretch;
        let [first @ .., _, _, _, _, _, _] = stretch;
        let (first, second) = (u128::from_le_bytes(*first), u128::from_le_bytes(*second));
        let near = |letters: u128, place: u32| {
            let letters = letters as u64;
            (self.short.may_have(letters) | (self.long.may_have(letters) << 1)) << place
        };
        near(first, 0)
            | near(first >> 16, 2)
            | near(first >> 32, 4)
            | near(first >> 48, 6)
            | near(first >> 64, 8)
            | near(second >> 32, 10)
            | near(second >> 48, 12)
            | near(second >> 64, 14)
    }

    /// Tells the texts that have a window at a place.
    #[inline]
    fn visit_at<const LETTERS: usize>(
        &self,
        text: &[u8],
        place: usize,
        windows: &Windows<LETTERS>,
        tell: &mut impl FnMut(usize, usize),
    ) {
        let rest = text.get(place..).unwrap_or_default();
        for entry in windows.at(rest) {
            if let Some(begins) = (place + 1).checked_sub(entry.place)
                && self.is_at(entry.text, text, begins)
            {
                tell(entry.text, begins);
            }
        }
    }

    #[inline]
    fn is_at(&self, number: usize, text: &[u8], at: usize) -> bool {
        let Some(sought) = self.texts.get(number) else {
            return false;
        };
        let there = text.get(at..at.saturating_add(sought.len()));
        let alike = |a: Option<&u8>, b: Option<&u8>| a.map(|a| a | 0x20) == b.map(|b| b | 0x20);
        there.is_some_and(|there| {
            alike(there.first(), sought.first())
                && alike(there.last(), sought.last())
                && there.eq_ignore_ascii_case(sought)
                && self.may_stand(number, text, at, there)
        })
    }

    /// Whether a text counts where it stands: one of the beginnings of lines only there, or behind
    /// a time or the number of a step.
    fn may_stand(&self, number: usize, text: &[u8], at: usize, there: &[u8]) -> bool {
        let Some((_, written)) = self.leading.iter().find(|(n, _)| *n == number) else {
            return true;
        };
        let before = text.get(at.saturating_sub(LONGEST_BEFORE)..at);
        let before = before.unwrap_or_default().rsplit(|b| *b == b'\n').next();
        let before = before.unwrap_or_default();
        let is_word = before.iter().any(u8::is_ascii_lowercase);
        written == there && !is_word && before.len() < LONGEST_BEFORE
    }

    fn visit_tiny(&self, text: &[u8], tell: &mut impl FnMut(usize, usize)) {
        let mut at = |place: usize| {
            for number in self.tiny.iter().filter(|n| self.is_at(**n, text, place)) {
                tell(*number, place);
            }
        };
        for some in self.first.chunks(3) {
            match *some {
                [a] => memchr::memchr_iter(a, text).for_each(&mut at),
                [a, b] => memchr::memchr2_iter(a, b, text).for_each(&mut at),
                [a, b, c] => memchr::memchr3_iter(a, b, c, text).for_each(&mut at),
                _ => {}
            }
        }
    }
}

/// Where a window is in a table.
#[inline]
fn hash(window: u64) -> usize {
    // Multiplied by an odd number near the golden ratio, the upper bits depend on all letters.
    (window.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> (64 - PLACES.trailing_zeros())) as usize
}

/// How often four letters that follow each other stand in the texts, which are of the language of
/// logs.
struct Frequent(FxHashMap<u64, u32>);

impl Frequent {
    fn in_all(texts: &[Vec<u8>]) -> Self {
        let mut counts = FxHashMap::default();
        for part in texts.iter().flat_map(|text| text.windows(4)) {
            *counts.entry(Windows::<4>::window(part)).or_default() += 1;
        }
        Frequent(counts)
    }

    fn of(&self, part: &[u8]) -> u32 {
        let parts = part.windows(4);
        let counts = parts.filter_map(|part| self.0.get(&Windows::<4>::window(part)));
        counts.sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// As a search line by line finds them: texts shorter than a window, as long, and longer.
        #[test]
        fn the_same_lines_are_found(text in "[abcEx \n]{0,400}") {
            let texts = ["abc", "x ea", "eeebc", "cabxcabx", "cabxcab aabc", "bxb", "\u{1b}"];
            let skim = Skim::of(texts.into_iter()).unwrap();
            let line = |at: usize| text.as_bytes()[..at].iter().filter(|b| **b == b'\n').count();
            let mut found: Vec<usize> = skim.places(text.as_bytes()).into_iter().map(line).collect();
            found.dedup();
            let has = |l: &str| texts.iter().any(|t| l.to_ascii_lowercase().contains(t));
            let lines = text.split('\n').enumerate();
            let expected: Vec<usize> = lines.filter(|(_, l)| has(l)).map(|(n, _)| n).collect();
            prop_assert_eq!(found, expected);
        }
    }

    /// Wherever it stands, and next to either end.
    #[test]
    fn a_text_is_found_at_every_place() {
        let skim = Skim::of(["Cannot Open", "exit", "build", "c++"].into_iter()).unwrap();
        for sought in ["cannot open", "EXIT", "build", "C++"] {
            for (before, after) in (0..20).flat_map(|b| (0..20).map(move |a| (b, a))) {
                let text = [&"\u{e9}".repeat(before), sought, &"@".repeat(after)].concat();
                assert_eq!(skim.places(text.as_bytes()), [2 * before], "{text}");
                let text = [&".".repeat(before), sought, &"z".repeat(after)].concat();
                assert_eq!(skim.places(text.as_bytes()), [before], "{text}");
            }
        }
    }

    /// What two threads share is found in its order.
    #[test]
    fn a_long_text_is_shared() {
        let mut skim = Skim::of(["Cannot Open", "exit"].into_iter()).unwrap();
        skim.threads = 2;
        let line = format!(
            "{}\ncannot open {}\nexit\n",
            "a".repeat(990),
            "b".repeat(2000)
        );
        let text = line.repeat(4 * SHARED / line.len());
        let found = skim.places(text.as_bytes());
        assert_eq!(found, skim.places_in(text.as_bytes()));
        assert_eq!(found.len(), 2 * text.len() / line.len());
        assert!(found.is_sorted());
    }

    #[test]
    fn each_text_of_a_line_is_told() {
        let texts = [
            "Cannot Open",
            "exit",
            "pen the",
            "open",
            "exit",
            "\u{1b}",
            "closed",
        ];
        let skim = Skim::of(texts.into_iter()).unwrap();
        assert_eq!(
            skim.texts_in("\u{1b}[1mcannot open the exit"),
            [0, 1, 2, 3, 4, 5]
        );
        assert_eq!(skim.texts_in("no").len(), 0);
    }

    #[test]
    fn some_texts_count_at_the_beginning_of_a_line() {
        let texts = ["\n+ ", "\nStep by step", "@", "$ ", "\u{1b}"];
        let skim = Skim::of(texts.into_iter()).unwrap();
        let text = b"+ a\nc++ a\n10:00Z + b\nno Step by step\nstep by step\nStep by step\n";
        assert_eq!(skim.places(text), [0, 17, 50]);
        assert_eq!(skim.texts_in("+ @$ \u{1b}+"), [0, 2, 3, 4]);
    }

    #[test]
    fn nothing_is_made_of_no_text() {
        assert!(Skim::of([""].into_iter()).is_none());
    }
}
