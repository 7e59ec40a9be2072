//! A local index server with trouble on demand: what tests and the examples talk to instead of a
//! real network.
//!
//! HTTP/1.1 on 127.0.0.1 over an index tree on disk, with negotiation of JSON and HTML, ranges,
//! ETags and connections that stay open. It is written out by hand, because a proper server cannot
//! be made to lie, to break off or to drip.

mod answer;
mod trouble;

use std::io::{self, BufRead, BufReader, Read, Write};
use std::net::{SocketAddr, TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

pub use trouble::{Fault, Trouble};

/// A request that came, and what was answered.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Seen {
    /// The path, as sent.
    pub path: String,
    /// The `Host` header.
    pub host: String,
    /// The `Range` header.
    pub range: Option<String>,
    /// The `Authorization` header.
    pub authorization: Option<String>,
    /// The status that was answered; 0 when the connection was dropped without one.
    pub status: u16,
    /// Bytes of the body that were sent.
    pub bytes: u64,
}

/// What a connection is read from and written to: the socket, or what encrypts it.
pub trait Stream: Read + Write + Send {}
impl<T: Read + Write + Send> Stream for T {}

/// Turns an accepted socket into the stream that is served.
pub type Wrap = Arc<dyn Fn(TcpStream) -> io::Result<Box<dyn Stream>> + Send + Sync>;

/// A server that runs until it is dropped.
pub struct Server {
    address: SocketAddr,
    shared: Arc<Shared>,
}

impl std::fmt::Debug for Server {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Server({})", self.address)
    }
}

struct Shared {
    root: PathBuf,
    trouble: Mutex<Trouble>,
    /// How many requests met the fault so far.
    met: AtomicU32,
    seen: Mutex<Vec<Seen>>,
    closed: AtomicBool,
    wrap: Wrap,
}

/// A request's head.
#[derive(Debug, Default)]
struct Asked {
    method: String,
    path: String,
    headers: Vec<(String, String)>,
}

impl Asked {
    fn header(&self, name: &str) -> Option<&str> {
        self.headers
            .iter()
            .find(|(n, _)| n == name)
            .map(|(_, v)| v.as_str())
    }
}

impl Server {
    /// Serves the index tree under `root` as `/simple/`.
    ///
    /// # Errors
    /// When no port can be had.
    pub fn start(root: &Path, trouble: Trouble) -> io::Result<Self> {
        Self::start_wrapped(root, trouble, Arc::new(|socket| Ok(Box::new(socket))), 0)
    }

    /// The same at a port, over streams of the caller's making (TLS, for example).
    ///
    /// # Errors
    /// When the port cannot be had.
    pub fn start_wrapped(root: &Path, trouble: Trouble, wrap: Wrap, port: u16) -> io::Result<Self> {
        let listener = TcpListener::bind(("127.0.0.1", port))?;
        let address = listener.local_addr()?;
        let shared = Arc::new(Shared {
            root: root.to_owned(),
            trouble: Mutex::new(trouble),
            met: AtomicU32::new(0),
            seen: Mutex::default(),
            closed: AtomicBool::new(false),
            wrap,
        });
        let accepting = Arc::clone(&shared);
        std::thread::spawn(move || {
            for socket in listener.incoming().flatten() {
                if accepting.closed.load(Ordering::Relaxed) {
                    return;
                }
                let shared = Arc::clone(&accepting);
                std::thread::spawn(move || {
                    // A client that breaks off is its own business.
                    let _ = shared.serve(socket);
                });
            }
        });
        Ok(Server { address, shared })
    }

    /// `127.0.0.1:PORT`.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// The root of the index.
    pub fn url(&self) -> String {
        format!("http://{}/simple/", self.address)
    }

    /// From now on there is this trouble.
    pub fn set(&self, trouble: Trouble) {
        *self
            .shared
            .trouble
            .lock()
            .unwrap_or_else(PoisonError::into_inner) = trouble;
        self.shared.met.store(0, Ordering::Relaxed);
    }

    /// What was asked for so far; the list is emptied.
    pub fn take_seen(&self) -> Vec<Seen> {
        std::mem::take(
            &mut self
                .shared
                .seen
                .lock()
                .unwrap_or_else(PoisonError::into_inner),
        )
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        self.shared.closed.store(true, Ordering::Relaxed);
        // Wakes the thread that accepts.
        let _ = TcpStream::connect(self.address);
    }
}

impl Shared {
    /// Notes a request, and gives its place in the list.
    fn note(&self, seen: Seen) -> usize {
        let mut all = self.seen.lock().unwrap_or_else(PoisonError::into_inner);
        all.push(seen);
        all.len() - 1
    }

    fn serve(&self, socket: TcpStream) -> io::Result<()> {
        socket.set_nodelay(true)?;
        socket.set_read_timeout(Some(Duration::from_secs(60)))?;
        let mut stream = BufReader::new((self.wrap)(socket)?);
        while let Some(asked) = read_head(&mut stream)? {
            if self.closed.load(Ordering::Relaxed) {
                return Ok(());
            }
            let trouble = self
                .trouble
                .lock()
                .unwrap_or_else(PoisonError::into_inner)
                .clone();
            std::thread::sleep(trouble.latency);
            let fault = trouble.fault_for(&asked.path, &self.met);
            let mut seen = Seen {
                path: asked.path.clone(),
                host: asked.header("host").unwrap_or("").to_owned(),
                range: asked.header("range").map(str::to_owned),
                authorization: asked.header("authorization").map(str::to_owned),
                ..Seen::default()
            };
            let answer = answer::answer(&self.root, &asked, &trouble, fault.as_ref());
            seen.status = answer.status;
            seen.bytes = answer.body.len() as u64;
            // Noted before it is sent, so that whoever got the answer finds it here.
            let at = self.note(seen);
            let mut sent = 0;
            match answer.send(stream.get_mut(), fault.as_ref(), &mut sent) {
                Ok(true) => {}
                Ok(false) => return Ok(()),
                Err(error) => {
                    // The client broke off: only so much was sent.
                    if let Some(seen) = self
                        .seen
                        .lock()
                        .unwrap_or_else(PoisonError::into_inner)
                        .get_mut(at)
                    {
                        seen.bytes = sent;
                    }
                    return Err(error);
                }
            }
        }
        Ok(())
    }
}

/// The head of the next request; none at the end of the connection.
fn read_head(stream: &mut impl BufRead) -> io::Result<Option<Asked>> {
    let mut asked = Asked::default();
    let mut line = String::new();
    loop {
        line.clear();
        if stream.take(64 << 10).read_line(&mut line)? == 0 {
            return Ok(None);
        }
        let text = line.trim_end();
        if asked.method.is_empty() {
            let mut words = text.split(' ');
            asked.method = words.next().unwrap_or("").to_owned();
            let target = words.next().unwrap_or("/");
            // A client that takes us for a proxy names the whole address.
            let path = target.split_once("://").map_or(target, |(_, rest)| {
                rest.find('/')
                    .map_or("/", |at| rest.get(at..).unwrap_or("/"))
            });
            asked.path = path.to_owned();
        } else if text.is_empty() {
            return Ok(Some(asked));
        } else if let Some((name, value)) = text.split_once(':') {
            asked
                .headers
                .push((name.to_ascii_lowercase(), value.trim().to_owned()));
        }
    }
}
