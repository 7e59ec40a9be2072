//! What was learnt before, in the catalogue: for one depot, or for everybody.

use std::sync::Arc;

use eutaxis_core::artifact::{Metadata, Unsure};
use eutaxis_core::offer::MetadataAnswer;

use super::Question;
use crate::Result;

/// The first byte of a row: metadata; only building would tell; nobody can use it; only the archive
/// would tell.
const KNOWN: u8 = b'k';
const UNKNOWN: u8 = b'v';
const UNUSABLE: u8 = b'x';
const DEAR: u8 = b'd';
/// Length of the two numbers behind it.
const NUMBERS: usize = 16;

/// What is kept of a file.
#[derive(Debug, Clone)]
pub(super) enum Row {
    /// An answer, and how many bytes had to be fetched for it; 0: it was cheap.
    Answer { answer: MetadataAnswer, cost: u64 },
    /// Its stream was read so far in vain; and how large the file is.
    Dear { size: Option<u64>, read: u64 },
}

/// The rows of one file.
pub(super) struct Kept<'a> {
    question: &'a Question<'a>,
    /// Under which what the depot says is kept.
    key: String,
    /// Nothing says which bytes it has: the server is asked whether they are still the same.
    is_unsure: bool,
}

impl<'a> Kept<'a> {
    pub(super) fn of(question: &'a Question<'a>) -> Self {
        let file = question.file;
        let hash = |hashes: &eutaxis_core::index::Hashes| {
            let strongest = hashes
                .iter()
                .filter(|(a, _)| a.is_strong())
                .max_by_key(|(a, _)| *a);
            strongest.map_or(String::new(), |(a, value)| {
                format!("{}:{value}", a.as_str())
            })
        };
        let own = hash(&file.hashes);
        let beside = file.metadata.as_ref().map(hash).unwrap_or_default();
        let key = format!(
            "{}\n{}\n{own}\n{beside}",
            question.manner.origin, question.url
        );
        Kept {
            question,
            key,
            is_unsure: own.is_empty(),
        }
    }

    /// What the depot said of the file before; nothing when it is to be asked anew.
    ///
    /// # Errors
    /// When a file without hash has to be asked after, and the network fails.
    pub(super) fn own(&self) -> Result<Option<Row>> {
        let network = self.question.network;
        let bytes = if self.is_unsure {
            let what = &*self.question.file.filename;
            network.unchanged(&self.key, self.question.url, what, self.question.trust())?
        } else if network.renews() && !network.was_learnt(&self.key) {
            None
        } else {
            network.catalogue().metadata(&self.key)
        };
        Ok(bytes.and_then(|bytes| self.read(&bytes)))
    }

    pub(super) fn keep(&self, row: &Row) {
        let network = self.question.network;
        let bytes = write(row);
        if self.is_unsure {
            let (url, what) = (self.question.url, &*self.question.file.filename);
            if let Ok(head) = network.head_of(url, what, self.question.trust()) {
                network.keep_of(&self.key, &head, bytes);
            }
        } else {
            network.note_learnt(&self.key);
            network.catalogue().keep_metadata(&self.key, &bytes);
        }
    }

    /// What came out of the bytes of this hash, wherever they came from.
    pub(super) fn by_hash(&self) -> Option<MetadataAnswer> {
        let sha256 = self.question.file.hashes.sha256()?;
        match self.read(
            &self
                .question
                .network
                .catalogue()
                .metadata(&by_bytes(sha256))?,
        )? {
            Row::Answer { answer, .. } => Some(answer),
            Row::Dear { .. } => None,
        }
    }

    /// Keeps what came out of bytes that were checked.
    pub(super) fn keep_by_hash(&self, answer: &MetadataAnswer) {
        if let Some(sha256) = self.question.file.hashes.sha256() {
            let row = write(&Row::Answer {
                answer: answer.clone(),
                cost: 0,
            });
            self.question
                .network
                .catalogue()
                .keep_metadata(&by_bytes(sha256), &row);
        }
    }

    /// The key of the list of files.
    pub(super) fn key(&self) -> &str {
        &self.key
    }

    /// A row of an older form, or of another file, counts as none.
    fn read(&self, bytes: &[u8]) -> Option<Row> {
        let (mark, rest) = bytes.split_first()?;
        let (numbers, text) = rest.split_at_checked(NUMBERS)?;
        let number = |at: usize| {
            Some(u64::from_le_bytes(
                numbers.get(at..at + 8)?.try_into().ok()?,
            ))
        };
        let (first, second) = (number(0)?, number(8)?);
        let answer = match *mark {
            DEAR => {
                return Some(Row::Dear {
                    size: first.checked_sub(1),
                    read: second,
                });
            }
            UNKNOWN => MetadataAnswer::UnknownUntilBuilt,
            UNUSABLE => MetadataAnswer::Unusable(String::from_utf8_lossy(text).into_owned()),
            KNOWN => {
                let mut metadata = Metadata::parse(text).ok()?;
                metadata.unsure = unsure(second)?;
                MetadataAnswer::Known(Arc::new(Some(metadata).filter(|m| self.question.is_of(m))?))
            }
            _ => return None,
        };
        Some(Row::Answer {
            answer,
            cost: first,
        })
    }
}

/// The key of what came out of bytes with this hash.
fn by_bytes(sha256: &str) -> String {
    format!("sha256:{}", sha256.to_ascii_lowercase())
}

/// Where needs that are not sure were found, as a number: 0 where they are sure.
fn number(unsure: Option<Unsure>) -> u64 {
    let place = |u| Unsure::ALL.iter().position(|known| *known == u);
    unsure.and_then(place).map_or(0, |at| at as u64 + 1)
}

/// The same back; none of a number that stands for nothing.
fn unsure(number: u64) -> Option<Option<Unsure>> {
    let Some(at) = number.checked_sub(1) else {
        return Some(None);
    };
    let known = usize::try_from(at).ok().and_then(|at| Unsure::ALL.get(at));
    known.copied().map(Some)
}

fn write(row: &Row) -> Vec<u8> {
    let (mark, numbers, text) = match row {
        Row::Dear { size, read } => (
            DEAR,
            [size.map_or(0, |s| s.saturating_add(1)), *read],
            String::new(),
        ),
        Row::Answer { answer, cost } => match answer {
            MetadataAnswer::Known(metadata) => {
                (KNOWN, [*cost, number(metadata.unsure)], metadata.to_text())
            }
            MetadataAnswer::Unusable(why) => (UNUSABLE, [*cost, 0], why.clone()),
            // The others are no facts of the file.
            MetadataAnswer::UnknownUntilBuilt
            | MetadataAnswer::Dear(_)
            | MetadataAnswer::TooDear { .. } => (UNKNOWN, [*cost, 0], String::new()),
        },
    };
    let numbers = numbers.into_iter().flat_map(u64::to_le_bytes);
    std::iter::once(mark)
        .chain(numbers)
        .chain(text.into_bytes())
        .collect()
}
