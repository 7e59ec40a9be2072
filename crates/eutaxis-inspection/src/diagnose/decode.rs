//! From the bytes of a log to its text: encodings, terminal colours, lines of bounded length. Works
//! on pieces as they come.

/// Longer lines are cut: what tells the cause stands at their beginning.
const LONGEST_LINE: usize = 64 * 1024;

/// How the bytes are read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Encoding {
    /// Not enough was seen.
    Unknown,
    /// UTF-8, or something of which ASCII is a part.
    Bytes,
    /// UTF-16, the low byte first when true.
    Wide { little: bool },
}

/// Turns pieces of a log into pieces of whole lines in UTF-8 (or whatever bytes the log has beside
/// ASCII).
#[derive(Debug)]
pub(super) struct Decoder {
    encoding: Encoding,
    /// Half a character of UTF-16.
    half: Option<u8>,
    /// A first half of a pair.
    surrogate: Option<u16>,
    /// The line that has not ended yet.
    pending: Vec<u8>,
    /// The rest of that line is left out.
    cut: bool,
}

impl Decoder {
    pub(super) fn new() -> Self {
        Decoder {
            encoding: Encoding::Unknown,
            half: None,
            surrogate: None,
            pending: Vec::new(),
            cut: false,
        }
    }

    /// The whole lines that a piece completes, each with its line feed.
    pub(super) fn lines(&mut self, piece: &[u8]) -> Vec<u8> {
        if self.encoding == Encoding::Unknown && !piece.is_empty() {
            self.encoding = guess(piece);
        }
        let wide;
        let piece = if let Encoding::Wide { little } = self.encoding {
            wide = self.narrowed(piece, little);
            &wide[..]
        } else {
            piece
                .strip_prefix(b"\xef\xbb\xbf")
                .filter(|_| self.pending.is_empty())
                .unwrap_or(piece)
        };
        let Some(last) = piece.iter().rposition(|b| *b == b'\n') else {
            self.append(piece);
            return Vec::new();
        };
        let (whole, rest) = piece.split_at(last + 1);
        let mut out = std::mem::take(&mut self.pending);
        match whole.iter().position(|b| *b == b'\n') {
            Some(first) if self.cut => {
                out.extend_from_slice(whole.get(first..).unwrap_or_default())
            }
            _ => out.extend_from_slice(whole),
        }
        self.cut = false;
        self.append(rest);
        out
    }

    /// What came after the last line feed.
    pub(super) fn rest(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.pending)
    }

    fn append(&mut self, piece: &[u8]) {
        let room = LONGEST_LINE.saturating_sub(self.pending.len());
        self.cut |= piece.len() > room;
        self.pending
            .extend_from_slice(piece.get(..room).unwrap_or(piece));
    }

    fn narrowed(&mut self, piece: &[u8], little: bool) -> Vec<u8> {
        let mut units = Vec::with_capacity(piece.len() / 2 + 1);
        for byte in piece {
            match self.half.take() {
                None => self.half = Some(*byte),
                Some(first) if little => units.push(u16::from_le_bytes([first, *byte])),
                Some(first) => units.push(u16::from_be_bytes([first, *byte])),
            }
        }
        if let Some(high) = self.surrogate.take() {
            units.insert(0, high);
        }
        // A pair that the next piece completes waits for it.
        if units.last().is_some_and(|u| (0xd800..0xdc00).contains(u)) {
            self.surrogate = units.pop();
        }
        let decoded = char::decode_utf16(units).map(|c| c.unwrap_or(char::REPLACEMENT_CHARACTER));
        decoded
            .filter(|c| *c != '\u{feff}')
            .collect::<String>()
            .into_bytes()
    }
}

/// By the mark at the beginning, else by where the zeros stand.
fn guess(piece: &[u8]) -> Encoding {
    match piece {
        [0xff, 0xfe, ..] => return Encoding::Wide { little: true },
        [0xfe, 0xff, ..] => return Encoding::Wide { little: false },
        _ => {}
    }
    let head = piece.get(..512).unwrap_or(piece);
    let zeros = |odd: usize| {
        head.iter()
            .skip(odd)
            .step_by(2)
            .filter(|b| **b == 0)
            .count()
    };
    let (even, odd) = (zeros(0), zeros(1));
    match head.len() / 4 {
        many if many > 0 && odd > many && even == 0 => Encoding::Wide { little: true },
        many if many > 0 && even > many && odd == 0 => Encoding::Wide { little: false },
        _ => Encoding::Bytes,
    }
}

/// A line as a reader of the terminal sees it: without colours, what overwrote itself in parts,
/// other control characters gone. The parts of a line that a progress bar wrote over each other
/// come one by one.
pub(super) fn plain(line: &[u8]) -> Vec<String> {
    let text = String::from_utf8_lossy(line);
    let text = without_escapes(&text);
    text.split('\r')
        .map(|part| part.chars().filter_map(readable).collect::<String>())
        .filter(|p| !p.trim().is_empty())
        .collect()
}

/// A control character has no place in a line; a backspace takes nothing back here.
fn readable(c: char) -> Option<char> {
    match c {
        '\t' => Some(c),
        '\u{a0}' => Some(' '),
        _ => (!c.is_control() && c != char::REPLACEMENT_CHARACTER).then_some(c),
    }
}

/// Without sequences that a terminal obeys (ECMA-48): colours, moves, titles, links.
fn without_escapes(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut chars = text.chars().peekable();
    while let Some(c) = chars.next() {
        match c {
            '\u{1b}' => match chars.next() {
                Some('[') => while chars.next().is_some_and(|c| !('@'..='~').contains(&c)) {},
                // A title or a link goes to BEL, or to the escape that ends it.
                Some(']' | 'P' | '_' | '^') => {
                    while let Some(c) = chars.next() {
                        if c == '\u{7}' || (c == '\u{1b}' && chars.next_if_eq(&'\\').is_some()) {
                            break;
                        }
                    }
                }
                Some('(' | ')' | '#') => {
                    chars.next();
                }
                _ => {}
            },
            '\u{9b}' => while chars.next().is_some_and(|c| !('@'..='~').contains(&c)) {},
            _ => out.push(c),
        }
    }
    out
}

/// The same with the quotes of a typist in place of those of a printer, so that a pattern has one
/// kind to look for.
pub(super) fn with_plain_quotes(text: &str) -> String {
    let plain = |c: char| match c {
        '\u{2018}' | '\u{2019}' | '\u{201a}' | '\u{2039}' | '\u{203a}' => '\'',
        '\u{201c}' | '\u{201d}' | '\u{201e}' | '\u{ab}' | '\u{bb}' => '"',
        _ => c,
    };
    text.chars().map(plain).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn wide(text: &str, little: bool) -> Vec<u8> {
        text.encode_utf16()
            .flat_map(|u| {
                if little {
                    u.to_le_bytes()
                } else {
                    u.to_be_bytes()
                }
            })
            .collect()
    }

    #[rstest]
    #[case::bytes("eins\r\nzwei\n".as_bytes().to_vec())]
    #[case::marked_bytes("\u{feff}eins\r\nzwei\n".as_bytes().to_vec())]
    #[case::little(wide("\u{feff}eins\r\nzwei\n", true))]
    #[case::big(wide("\u{feff}eins\r\nzwei\n", false))]
    #[case::little_unmarked(wide("eins\r\nzwei\n", true))]
    #[case::big_unmarked(wide("eins\r\nzwei\n", false))]
    fn encodings_are_told_apart_however_the_pieces_fall(#[case] bytes: Vec<u8>) {
        for size in [4, 5, 7, 64] {
            let mut decoder = Decoder::new();
            let mut out: Vec<u8> = bytes
                .chunks(size)
                .flat_map(|piece| decoder.lines(piece))
                .collect();
            out.extend(decoder.rest());
            assert_eq!(
                String::from_utf8(out).unwrap(),
                "eins\r\nzwei\n",
                "in pieces of {size}"
            );
        }
    }

    #[test]
    fn a_pair_of_halves_may_be_cut() {
        let bytes = wide("\u{feff}a\u{1f9ca}b\n", true);
        let mut decoder = Decoder::new();
        let out: Vec<u8> = bytes
            .chunks(3)
            .flat_map(|piece| decoder.lines(piece))
            .collect();
        assert_eq!(String::from_utf8(out).unwrap(), "a\u{1f9ca}b\n");
    }

    #[test]
    fn a_line_without_end_is_cut_and_the_next_is_whole() {
        let mut decoder = Decoder::new();
        let mut out = Vec::new();
        for _ in 0..100 {
            out.extend(decoder.lines(&[b'x'; 4096]));
        }
        out.extend(decoder.lines(b"y\nnext\n"));
        assert_eq!(out.len(), LONGEST_LINE + 6);
        assert!(out.ends_with(b"x\nnext\n"));
    }

    #[rstest]
    #[case("\u{1b}[1;31merror\u{1b}[0m: no", &["error: no"])]
    #[case("\u{1b}]8;;file:///x\u{1b}\\link\u{1b}]8;;\u{7} end", &["link end"])]
    #[case(" 10%\r 50%\r100% done", &[" 10%", " 50%", "100% done"])]
    #[case("\u{1b}[2K\r\u{1b}[1G", &[])]
    #[case("cut \u{1b}[", &["cut "])]
    #[case("bell\u{7}\u{0} \u{9b}31mred", &["bell red"])]
    fn what_a_terminal_obeys_is_left_out(#[case] line: &str, #[case] parts: &[&str]) {
        assert_eq!(plain(line.as_bytes()), parts);
    }

    #[test]
    fn bytes_that_are_no_text_are_left_out() {
        assert_eq!(plain(b"caf\xe9 'x'"), ["caf 'x'"]);
        assert_eq!(with_plain_quotes("\u{2018}x\u{2019}"), "'x'");
    }
}
