//! Makes the demo world in a folder and serves its depot on 127.0.0.1, with trouble on demand, for
//! trying things by hand.
//!
//! `cargo run -p eutaxis-demo --example serve -- FOLDER [PORT] [latency=MS]
//! [slow|drop|429|503|wrong|truncate|lie|no-ranges|html|no-sidecars|login]...`

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use eutaxis_demo::server::{Fault, Server, Trouble};

fn main() -> std::io::Result<()> {
    let mut words = std::env::args().skip(1);
    let folder = PathBuf::from(words.next().unwrap_or_else(|| "demo-served".to_owned()));
    let mut trouble = Trouble::default();
    let mut port = 0;
    for word in words {
        match word.as_str() {
            "slow" => trouble.fault = Some(Fault::Drip),
            "drop" => trouble.fault = Some(Fault::Drop),
            "429" | "503" => {
                trouble.fault = word
                    .parse()
                    .ok()
                    .map(|s| Fault::Status(s, Some("1".to_owned())))
            }
            "wrong" => (trouble.fault, trouble.on) = (Some(Fault::WrongBytes), ".whl".to_owned()),
            "truncate" => trouble.fault = Some(Fault::Truncate),
            "lie" => trouble.fault = Some(Fault::LyingLength),
            "no-ranges" => trouble.no_ranges = true,
            "html" => trouble.html_only = true,
            "no-sidecars" => trouble.no_sidecars = true,
            "login" => trouble.login = Some(("ann".to_owned(), "ice".to_owned())),
            other => match other.strip_prefix("latency=") {
                Some(ms) => trouble.latency = Duration::from_millis(ms.parse().unwrap_or(0)),
                None => port = other.parse().unwrap_or(0),
            },
        }
    }
    let depot = folder.join("depot");
    if !depot.exists() {
        eutaxis_demo::make(&folder)?;
    }
    let server = Server::start_wrapped(
        &depot,
        trouble,
        Arc::new(|socket| Ok(Box::new(socket))),
        port,
    )?;
    let mut out = std::io::stdout();
    std::io::Write::write_all(&mut out, format!("{}\n", server.url()).as_bytes())?;
    loop {
        std::thread::park();
    }
}
