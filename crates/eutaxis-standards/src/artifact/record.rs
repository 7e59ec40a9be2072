//! RECORD (PEP 376 and 427, RECORD): path, hash and size of every file of a wheel or an installed
//! project, as CSV.

use std::fmt::Write;

use crate::fault::{Fault, FaultKind};

/// A RECORD with more lines than this is refused.
const MOST_LINES: usize = 400_000;

/// The lines of a RECORD.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Record {
    /// The lines in the order written.
    pub lines: Vec<RecordLine>,
}

/// A file of a RECORD.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RecordLine {
    /// Path, `/`-separated, relative to the folder that holds the `.dist-info`, or absolute.
    pub path: String,
    /// `algorithm=base64`; none for files that are made on the way.
    pub hash: Option<String>,
    /// Size in bytes.
    pub size: Option<u64>,
}

impl Record {
    /// Reads a RECORD.
    ///
    /// # Errors
    /// When it is not UTF-8, not CSV of one to three fields, or longer than can be believed.
    pub fn parse(bytes: &[u8]) -> Result<Self, Fault> {
        let mut reader = csv::ReaderBuilder::new()
            .has_headers(false)
            .flexible(true)
            .from_reader(bytes);
        let mut lines = Vec::new();
        for row in reader.records() {
            let row = row.map_err(|e| Fault::new(format!("RECORD: {e}"), 0))?;
            let line = row.position().map_or(0, csv::Position::line);
            let path = row.get(0).unwrap_or("");
            if path.is_empty() || row.len() > 3 {
                return Err(Fault::new(
                    format!("RECORD line {line}: a path, a hash and a size are expected"),
                    0,
                ));
            }
            if lines.len() >= MOST_LINES {
                return Err(Fault::of(
                    FaultKind::Limit,
                    format!("RECORD has more than {MOST_LINES} lines"),
                    0,
                ));
            }
            let size = match row.get(2).filter(|s| !s.is_empty()) {
                Some(text) => Some(text.parse().map_err(|_| {
                    Fault::new(format!("RECORD line {line}: the size is not a number"), 0)
                })?),
                None => None,
            };
            let hash = row.get(1).filter(|h| !h.is_empty()).map(str::to_owned);
            lines.push(RecordLine {
                path: path.to_owned(),
                hash,
                size,
            });
        }
        Ok(Record { lines })
    }

    /// Writes the RECORD, lines sorted by path so that equal contents give equal bytes.
    pub fn write(&self) -> String {
        let mut lines: Vec<&RecordLine> = self.lines.iter().collect();
        lines.sort_by(|a, b| a.path.cmp(&b.path));
        lines.iter().fold(String::new(), |mut text, line| {
            let size = line.size.map_or(String::new(), |s| s.to_string());
            let hash = quoted(line.hash.as_deref().unwrap_or(""));
            // Writing to a string cannot fail.
            let _ = writeln!(text, "{},{hash},{size}", quoted(&line.path));
            text
        })
    }
}

fn quoted(field: &str) -> String {
    if field.contains(['"', ',', '\n', '\r']) {
        format!("\"{}\"", field.replace('"', "\"\""))
    } else {
        field.to_owned()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[test]
    fn a_record_is_read_and_written() {
        let text = "b.py,sha256=47DEQpj8HBSa-_TImW-5JCeuQeRkm5NMpJWZG3hSuFU,0\r\n\"a,b \
            \"\"c\"\".py\",,\r\nRECORD,,\r\n";
        let record = Record::parse(text.as_bytes()).unwrap();
        assert_eq!(record.lines[1].path, "a,b \"c\".py");
        assert_eq!(record.lines[0].size, Some(0));
        assert_eq!(
            record.write(),
            "RECORD,,\n\"a,b \
                \"\"c\"\".py\",,\nb.py,sha256=47DEQpj8HBSa-_TImW-5JCeuQeRkm5NMpJWZG3hSuFU,0\n"
        );
    }

    #[rstest]
    #[case(b"a,b,c,d\n", "line 1")]
    #[case(b"ok,,\na,,many\n", "line 2")]
    #[case(b",sha256=x,1\n", "a path")]
    #[case(b"\xff,,\n", "RECORD")]
    fn bad_records_are_refused(#[case] bytes: &[u8], #[case] part: &str) {
        let fault = Record::parse(bytes).unwrap_err();
        assert!(fault.message().contains(part), "{fault}");
    }

    #[test]
    fn odd_hashes_are_written_so_that_they_read_back() {
        let record = Record::parse(b"a\"b,\"r,gh").unwrap();
        assert_eq!(record.lines[0].hash.as_deref(), Some("r,gh"));
        assert_eq!(Record::parse(record.write().as_bytes()).unwrap(), record);
    }

    proptest! {
        #[test]
        fn what_is_written_reads_back(paths in proptest::collection::btree_set("[a-z,\"/ \
            ]{1,12}", 0..6)) {
            let lines = paths.into_iter().map(|path| RecordLine { path, hash: None, size: Some(3) }).collect();
            let record = Record { lines };
            prop_assert_eq!(Record::parse(record.write().as_bytes()).unwrap(), record);
        }
    }
}
