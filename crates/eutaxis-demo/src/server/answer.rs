//! What is answered to a request, and how it is sent.

use std::io::{self, Write};
use std::path::{Component, Path, PathBuf};
use std::time::Duration;

use eutaxis_core::artifact::hex;
use sha2::{Digest, Sha256};

use super::{Asked, Fault, Trouble};

const JSON: &str = "application/vnd.pypi.simple.v1+json";
const HTML: &str = "text/html; charset=utf-8";

/// So much of a body is sent at once.
const PIECE: usize = 16 << 10;

/// An answer.
pub(super) struct Answer {
    pub(super) status: u16,
    headers: Vec<(&'static str, String)>,
    pub(super) body: Vec<u8>,
    /// Else the end of the connection is the end of the body.
    states_length: bool,
}

fn plain(status: u16, text: &str) -> Answer {
    Answer {
        status,
        headers: vec![("Content-Type", "text/plain".to_owned())],
        body: text.as_bytes().to_vec(),
        states_length: true,
    }
}

/// Decides what to answer.
pub(super) fn answer(
    root: &Path,
    asked: &Asked,
    trouble: &Trouble,
    fault: Option<&Fault>,
) -> Answer {
    if let Some(Fault::Status(status, wait)) = fault {
        let mut answer = plain(*status, "trouble on demand");
        answer
            .headers
            .extend(wait.iter().map(|w| ("Retry-After", w.clone())));
        return answer;
    }
    if let Some((user, password)) = &trouble.login {
        let expected = format!("Basic {}", base64(format!("{user}:{password}").as_bytes()));
        if asked.header("authorization") != Some(&expected) {
            let mut answer = plain(401, "who asks?");
            answer
                .headers
                .push(("WWW-Authenticate", "Basic realm=\"depot\"".to_owned()));
            return answer;
        }
    }
    if let Some((_, to)) = trouble
        .redirect
        .as_ref()
        .filter(|(on, _)| asked.path.contains(on.as_str()))
    {
        let mut answer = plain(302, "elsewhere");
        answer
            .headers
            .push(("Location", format!("{to}{}", asked.path)));
        return answer;
    }
    let Some(path) = inside(&asked.path) else {
        return plain(404, "no such page");
    };
    let is_file = path
        .extension()
        .and_then(|e| e.to_str())
        .is_some_and(|e| ["whl", "gz", "zip", "metadata", "txt", "toml", "json"].contains(&e));
    if let Some(other) = trouble.files_at.as_ref().filter(|_| is_file) {
        let rest = asked.path.strip_prefix("/simple/").unwrap_or("");
        let mut answer = plain(302, "elsewhere");
        answer.headers.push(("Location", format!("{other}{rest}")));
        return answer;
    }
    let is_sidecar = path.extension().is_some_and(|e| e == "metadata");
    let has_none = trouble.no_sidecars
        || trouble
            .sidecars_on
            .as_ref()
            .is_some_and(|on| !asked.path.contains(on.as_str()));
    if is_sidecar && has_none {
        return plain(404, "no metadata here");
    }
    let mut answer = if is_file {
        file(&root.join(&path))
    } else {
        page(&root.join(&path), asked, trouble)
    };
    if fault == Some(&Fault::Nonsense) {
        answer.body = b"<html>please log in to the hut's network</html>".to_vec();
    }
    if answer.status != 200 {
        return answer;
    }
    let etag = format!(
        "\"{}\"",
        hex(Sha256::digest(&answer.body).get(..8).unwrap_or_default())
    );
    if asked.header("if-none-match") == Some(&etag) {
        return Answer {
            status: 304,
            headers: vec![("ETag", etag)],
            body: Vec::new(),
            states_length: true,
        };
    }
    answer.headers.push(("ETag", etag));
    if let Some(control) = trouble.cache_control.as_ref().filter(|_| !is_file) {
        answer.headers.push(("Cache-Control", control.clone()));
    }
    let from_end = asked
        .header("range")
        .is_some_and(|r| r.starts_with("bytes=-"));
    if is_file && !trouble.no_ranges && !(from_end && trouble.no_suffix_ranges) {
        answer = part(answer, asked.header("range"));
    }
    if is_file && trouble.no_lengths && answer.status == 200 {
        answer.states_length = false;
    }
    if !is_file
        && trouble.gzip
        && asked
            .header("accept-encoding")
            .is_some_and(|e| e.contains("gzip"))
    {
        answer = compressed(answer);
    }
    if fault == Some(&Fault::WrongBytes)
        && let Some(last) = answer.body.last_mut()
    {
        *last ^= 1;
    }
    answer
}

/// The path under the root that a request names; none when it leads out.
fn inside(asked: &str) -> Option<PathBuf> {
    let plain = asked
        .split(['?', '#'])
        .next()
        .unwrap_or("")
        .strip_prefix("/simple/")?;
    let decoded = percent_encoding::percent_decode_str(plain)
        .decode_utf8()
        .ok()?;
    let path = Path::new(decoded.as_ref());
    path.components()
        .all(|c| matches!(c, Component::Normal(_)))
        .then(|| path.to_owned())
}

fn file(path: &Path) -> Answer {
    match std::fs::read(path) {
        Ok(body) => {
            let headers = vec![("Content-Type", "application/octet-stream".to_owned())];
            Answer {
                status: 200,
                headers,
                body,
                states_length: true,
            }
        }
        Err(_) => plain(404, "no such file"),
    }
}

/// A page in the form that is asked for and that there is.
fn page(folder: &Path, asked: &Asked, trouble: &Trouble) -> Answer {
    if folder.extension().is_some_and(|e| e == "html") {
        return with_type(file(folder), HTML);
    }
    // A plain web server looks at what there is, not at what is asked for.
    let has_json = folder.join("index.json").is_file() || !folder.join("index.html").is_file();
    let json =
        has_json && !trouble.html_only && asked.header("accept").is_some_and(|a| a.contains(JSON));
    let found = if json {
        file(&folder.join("index.json"))
    } else {
        file(&folder.join("index.html"))
    };
    let mut answer = if found.status == 200 {
        with_type(found, if json { JSON } else { HTML })
    } else {
        found
    };
    let mut text = String::from_utf8_lossy(&answer.body).into_owned();
    if trouble.no_sidecars || trouble.silent_sidecars {
        text = text.replace("core-metadata", "no-metadata");
    }
    if trouble.no_hashes {
        text = text
            .replace("\"sha256\"", "\"none\"")
            .replace("#sha256=", "#none=");
    }
    answer.body = text.into_bytes();
    match &trouble.page_type {
        Some(kind) if answer.status == 200 => with_type(answer, kind),
        _ => answer,
    }
}

fn compressed(mut answer: Answer) -> Answer {
    let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    if let Ok(bytes) = encoder
        .write_all(&answer.body)
        .and_then(|()| encoder.finish())
    {
        answer.body = bytes;
        answer.headers.push(("Content-Encoding", "gzip".to_owned()));
    }
    answer
}

fn with_type(mut answer: Answer, kind: &str) -> Answer {
    answer.headers = vec![("Content-Type", kind.to_owned())];
    answer
}

/// The part that `Range` asks for.
fn part(mut answer: Answer, range: Option<&str>) -> Answer {
    let Some(text) = range.and_then(|r| r.strip_prefix("bytes=")) else {
        return answer;
    };
    let whole = answer.body.len();
    let (from, to) = match text.split_once('-') {
        Some(("", last)) => (whole.saturating_sub(last.parse().unwrap_or(0)), whole),
        Some((from, "")) => (from.parse().unwrap_or(0), whole),
        Some((from, to)) => (
            from.parse().unwrap_or(0),
            to.parse::<usize>()
                .map_or(whole, |t| t.saturating_add(1).min(whole)),
        ),
        None => (0, whole),
    };
    match answer.body.get(from..to) {
        Some(part) if !part.is_empty() => {
            answer
                .headers
                .push(("Content-Range", format!("bytes {from}-{}/{whole}", to - 1)));
            answer.body = part.to_vec();
            answer.status = 206;
        }
        _ => {
            answer
                .headers
                .push(("Content-Range", format!("bytes */{whole}")));
            answer.body = Vec::new();
            answer.status = 416;
        }
    }
    answer
}

impl Answer {
    /// Sends it, with what goes wrong in sending. False: the connection is to be dropped.
    /// `sent` counts the bytes of the body.
    pub(super) fn send(
        &self,
        stream: &mut dyn Write,
        fault: Option<&Fault>,
        sent: &mut u64,
    ) -> io::Result<bool> {
        if fault == Some(&Fault::Drop) {
            return Ok(false);
        }
        let stated = if fault == Some(&Fault::LyingLength) {
            self.body.len() / 2
        } else {
            self.body.len()
        };
        let mut head = format!("HTTP/1.1 {} Answer\r\n", self.status);
        for (name, value) in &self.headers {
            head.push_str(&format!("{name}: {value}\r\n"));
        }
        if self.status != 304 && self.states_length {
            head.push_str(&format!("Content-Length: {stated}\r\n"));
        }
        head.push_str("\r\n");
        stream.write_all(head.as_bytes())?;
        let half = self.body.get(..self.body.len() / 2).unwrap_or_default();
        match fault {
            Some(Fault::Truncate | Fault::LyingLength) => {
                stream.write_all(half)?;
                stream.flush()?;
                return Ok(fault == Some(&Fault::LyingLength));
            }
            Some(Fault::Drip) => {
                for byte in &self.body {
                    stream.write_all(&[*byte])?;
                    stream.flush()?;
                    std::thread::sleep(Duration::from_millis(50));
                }
            }
            _ => {
                for piece in self.body.chunks(PIECE) {
                    stream.write_all(piece)?;
                    *sent += piece.len() as u64;
                }
            }
        }
        stream.flush()?;
        Ok(self.states_length)
    }
}

/// Standard base64, for comparing what a client sends.
fn base64(bytes: &[u8]) -> String {
    const LETTERS: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    let mut text = String::new();
    for chunk in bytes.chunks(3) {
        let at = |i: usize| u32::from(chunk.get(i).copied().unwrap_or(0));
        let bits = at(0) << 16 | at(1) << 8 | at(2);
        for i in 0..4 {
            let index = (bits >> (18 - 6 * i) & 63) as usize;
            text.push(if i <= chunk.len() {
                LETTERS.get(index).map_or('=', |l| char::from(*l))
            } else {
                '='
            });
        }
    }
    text
}
