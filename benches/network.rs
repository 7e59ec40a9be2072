//! Fetching from a server of this machine, beside a plain download of the same bytes in the same
//! run.
//!
//! `cargo bench -p eutaxis-benches --bench network`

#![allow(
    clippy::indexing_slicing,
    reason = "a bench that gets wrong answers must stop"
)]
// A bench that cannot go on has failed.
#![allow(clippy::unwrap_used)]
#![allow(missing_docs)]

use std::hint::black_box;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::Path;

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use eutaxis_core::Name;
use eutaxis_demo::server::{Server, Trouble};
use eutaxis_world::config::NetworkSettings;
use eutaxis_world::depot::{Named, open};
use eutaxis_world::network::{Network, Wanted};
use sha2::{Digest, Sha256};

const BYTES: usize = 64 << 20;

fn file() -> Vec<u8> {
    // Not compressible, and the same in every run.
    let mut state = 0x9e37_79b9_7f4a_7c15_u64;
    let mut bytes = Vec::with_capacity(BYTES);
    while bytes.len() < BYTES {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        bytes.extend_from_slice(&state.to_le_bytes());
    }
    bytes
}

/// The yardstick: the bytes off the socket into a file, and no more.
fn plain(server: &Server, path: &str, into: &Path) {
    let mut socket = TcpStream::connect(server.address()).unwrap();
    write!(
        socket,
        "GET {path} HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n"
    )
    .unwrap();
    let mut reader = BufReader::with_capacity(1 << 17, socket);
    let mut line = String::new();
    while reader.read_line(&mut line).unwrap() > 2 {
        line.clear();
    }
    let mut file = std::fs::File::create(into).unwrap();
    std::io::copy(&mut reader.take(BYTES as u64), &mut file).unwrap();
}

fn files(c: &mut Criterion) {
    let folder = tempfile::tempdir().unwrap();
    let (root, bytes) = (folder.path().join("root"), file());
    std::fs::create_dir_all(root.join("snowberm")).unwrap();
    let name = "snowberm-1.0-py3-none-any.whl";
    std::fs::write(root.join("snowberm").join(name), &bytes).unwrap();
    let server = Server::start(&root, Trouble::default()).unwrap();
    let sha256 = eutaxis_core::artifact::hex(&Sha256::digest(&bytes));
    let url = format!("{}snowberm/{name}", server.url());
    let mut group = c.benchmark_group("a file of 64 MiB from this machine");
    group
        .sample_size(10)
        .throughput(Throughput::Bytes(BYTES as u64));
    group.bench_function("yardstick: socket to file", |b| {
        b.iter(|| {
            plain(
                &server,
                &format!("/simple/snowberm/{name}"),
                &folder.path().join("plain"),
            )
        });
    });
    group.bench_function("yardstick: socket to file, then its hash", |b| {
        b.iter(|| {
            plain(
                &server,
                &format!("/simple/snowberm/{name}"),
                &folder.path().join("plain"),
            );
            black_box(eutaxis_world::files::sha256_of(&folder.path().join("plain")).unwrap());
        });
    });
    group.bench_function("fetched, hashed on the way and kept", |b| {
        b.iter(|| {
            let cache = tempfile::tempdir_in(folder.path()).unwrap();
            let network = Network::new(cache.path(), false, false, NetworkSettings::default());
            let wanted = Wanted {
                url: url.parse().unwrap(),
                filename: name.to_owned(),
                hashes: [("sha256", &sha256)].into_iter().collect(),
                insecure: false,
                learning: false,
                size: Some(BYTES as u64),
            };
            black_box(network.bring(&wanted, &|_| {}).unwrap());
        });
    });
    group.finish();
}

/// Pages: from the server, and from the catalogue, beside reading the compact bytes alone.
fn pages(c: &mut Criterion) {
    let folder = tempfile::tempdir().unwrap();
    let root = folder.path().join("root/bigpage");
    std::fs::create_dir_all(&root).unwrap();
    let files: Vec<String> = (0..5_000)
        .map(|i| {
            let name = format!("bigpage-1.{}-cp3{}-cp3{0}-manylinux_2_17_x86_64.whl", i / 5, 9 + i % 5);
            format!(r#"{{"filename":"{name}","url":"../f/{name}","hashes":{{"sha256":"{i:064x}"}},"requires-python":">=3.9","size":{i}}}"#)
        })
        .collect();
    std::fs::write(
        root.join("index.json"),
        format!(r#"{{"files":[{}]}}"#, files.join(",")),
    )
    .unwrap();
    let trouble = Trouble {
        cache_control: Some("max-age=600".to_owned()),
        ..Trouble::default()
    };
    let server = Server::start(&folder.path().join("root"), trouble).unwrap();
    let project = Name::parse("bigpage").unwrap();
    let look = |cache: &Path| {
        let network = std::sync::Arc::new(Network::new(
            cache,
            false,
            false,
            NetworkSettings::default(),
        ));
        let depot = open(&Named::at(&server.url(), Path::new("/")), &network).unwrap();
        depot.page(&project).unwrap().unwrap()
    };
    let warm = tempfile::tempdir().unwrap();
    let compact = std::sync::Arc::new(look(warm.path()).to_compact());
    let mut group = c.benchmark_group("a page of 5,000 files");
    group.sample_size(20);
    group.bench_function("yardstick: its compact bytes", |b| {
        b.iter(|| {
            black_box(
                eutaxis_core::index::Page::from_compact(std::sync::Arc::clone(&compact), &project)
                    .unwrap()
                    .files
                    .len(),
            )
        });
    });
    group.bench_function("from the catalogue, opened anew", |b| {
        b.iter(|| black_box(look(warm.path()).files.len()))
    });
    group.bench_function("from the server, nothing kept", |b| {
        b.iter(|| {
            let cache = tempfile::tempdir().unwrap();
            black_box(look(cache.path()).files.len())
        });
    });
    group.finish();
}

criterion_group!(benches, files, pages);
criterion_main!(benches);
