//! Depots over the network without trouble: the same answers as from the disk, and what is
//! remembered.

use std::sync::Arc;

use eutaxis_demo::server::{Server, Trouble};
use rstest::rstest;

use crate::field::{Field, depot, pins, server};

const SETTLE: [&str; 3] = ["settle", "--asks", "fieldkit.txt"];
/// Where the pages tell no dates, they have no part in the choice.
const UNDATED: [&str; 5] = [
    "settle",
    "--asks",
    "fieldkit.txt",
    "--chronology",
    "caution",
];

#[rstest]
#[case::json(Trouble::default())]
#[case::html(Trouble { html_only: true, ..Trouble::default() })]
fn the_answer_is_that_of_the_disk(#[case] trouble: Trouble) {
    let server = server(trouble);
    let (near, far) = (Field::new(), Field::at(&server));
    let (a, b) = (near.json(0, &UNDATED), far.json(0, &UNDATED));
    assert_eq!(pins(&a), pins(&b));
    let urls: Vec<&str> = b["pins"]
        .as_array()
        .unwrap()
        .iter()
        .map(|p| p["url"].as_str().unwrap())
        .collect();
    assert!(
        urls.iter().all(|u| u.starts_with(&server.url())),
        "{urls:?}"
    );
    let hashes = |v: &serde_json::Value| {
        v["pins"]
            .as_array()
            .unwrap()
            .iter()
            .map(|p| p["sha256"].clone())
            .collect::<Vec<_>>()
    };
    assert_eq!(hashes(&a), hashes(&b));
    assert!(
        far.read("pylock.toml")
            .contains(&format!("index = \"{}\"", server.url()))
    );
}

#[test]
fn what_was_fetched_is_only_asked_after() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &SETTLE);
    let before = field.read("pylock.toml");
    assert!(server.take_seen().len() > 20);
    field.expect(0, &SETTLE);
    let seen = server.take_seen();
    assert!(
        seen.iter().all(|s| s.status == 304 && s.bytes == 0),
        "{seen:?}"
    );
    assert!(
        !seen.iter().any(|s| s.path.ends_with(".metadata")),
        "metadata is known by the hash of its file"
    );
    assert_eq!(field.read("pylock.toml"), before);
}

#[test]
fn pages_live_as_long_as_the_server_says() {
    let server = server(Trouble {
        cache_control: Some("max-age=600".to_owned()),
        ..Trouble::default()
    });
    let field = Field::at(&server);
    field.expect(0, &SETTLE);
    server.take_seen();
    field.expect(0, &SETTLE);
    assert_eq!(server.take_seen(), []);
    field.expect(0, &["settle", "--asks", "fieldkit.txt", "--renew"]);
    assert!(
        !server.take_seen().is_empty(),
        "whoever lets go of the pins wants to know what is new"
    );
}

#[test]
fn without_a_network_what_was_fetched_is_enough() {
    let field = {
        let server = server(Trouble::default());
        let field = Field::at(&server);
        field.expect(0, &SETTLE);
        field
    };
    let before = field.read("pylock.toml");
    field.expect(0, &["settle", "--asks", "fieldkit.txt", "--offline"]);
    assert_eq!(field.read("pylock.toml"), before);
    let ran = field.expect(
        3,
        &[
            "settle",
            "fieldlog",
            "glaciopy",
            "serac-viz",
            "--offline",
            "--out",
            "pylock.x.toml",
        ],
    );
    for part in [
        "the page of glaciopy",
        "the page of serac-viz",
        "--offline: not fetched before:",
        "run once with the network",
    ] {
        assert!(ran.err.contains(part), "{}", ran.err);
    }
    assert!(
        !ran.err.contains("fieldlog"),
        "only what is missing is told: {}",
        ran.err
    );
    assert_eq!(
        field.json(
            3,
            &["settle", "glaciopy", "--offline", "--out", "pylock.y.toml"]
        )["error"]["kind"],
        "network"
    );
}

#[test]
fn a_damaged_catalogue_is_fetched_again() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.expect(0, &SETTLE);
    let before = field.read("pylock.toml");
    let path = field.path("cache/catalogue-3.sqlite");
    let length = std::fs::metadata(&path).unwrap().len();
    std::fs::write(&path, vec![0x5a; usize::try_from(length).unwrap()]).unwrap();
    field.expect(0, &SETTLE);
    assert_eq!(field.read("pylock.toml"), before);
}

#[test]
fn a_cache_that_cannot_be_written_to_is_told_and_done_without() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    field.write("taken", "");
    let ran = field.expect(
        0,
        &[
            "settle",
            "fieldlog",
            "--target",
            "ridge-logger",
            "--cache",
            "taken",
        ],
    );
    assert!(ran.err.contains("nothing is remembered"), "{}", ran.err);
}

#[test]
fn a_page_of_links_is_found_under_a_plain_address() {
    let root = tempfile::tempdir().unwrap();
    let mut links = String::from("<h1>Index of /wheels</h1><a href=\"../\">../</a>\n");
    for project in ["radargram", "firnio", "katabat", "wirepack", "frostgrid"] {
        for entry in std::fs::read_dir(format!("{}/{project}", depot()))
            .unwrap()
            .flatten()
        {
            let file = entry.file_name().into_string().unwrap();
            if file.ends_with(".whl") {
                std::fs::copy(entry.path(), root.path().join(&file)).unwrap();
                links.push_str(&format!("<a href=\"{file}\">{file}</a>\n"));
            }
        }
    }
    std::fs::write(root.path().join("index.html"), links).unwrap();
    let server = Server::start(root.path(), Trouble::default()).unwrap();
    for url in [server.url(), format!("{}index.html", server.url())] {
        let field = Field::empty();
        let found = field.json(
            0,
            &[
                "settle",
                "radargram",
                "--depot",
                &url,
                "--target",
                "cpython 3.9 / linux armv7l glibc 2.31",
            ],
        );
        // No page says what their bytes must be: they were fetched, and are pinned by what came.
        assert!(
            found["pins"]
                .as_array()
                .unwrap()
                .iter()
                .all(|p| p["sha256"].as_str().unwrap().len() == 64)
        );
        assert!(
            pins(&found).contains(&"radargram 2.1.0".to_owned()),
            "{:?}",
            pins(&found)
        );
        server.take_seen();
        field.expect(
            0,
            &[
                "settle",
                "radargram",
                "--depot",
                &url,
                "--target",
                "cpython 3.9 / linux armv7l glibc 2.31",
            ],
        );
        let again: Vec<_> = server
            .take_seen()
            .into_iter()
            .filter(|s| s.status != 304)
            .collect();
        assert_eq!(again, [], "nothing changed, and nothing is fetched twice");
    }
}

#[test]
fn a_file_asked_for_by_its_address_is_pinned() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    let ask = format!(
        "katabat @ {}katabat/katabat-0.5-py3-none-any.whl",
        server.url()
    );
    let answer = field.json(0, &["settle", &ask]);
    assert_eq!(pins(&answer), ["katabat 0.5"]);
    assert_eq!(answer["pins"][0]["sha256"].as_str().unwrap().len(), 64);
    field.expect(0, &["furnish"]);
    assert_eq!(field.python("import katabat").code, 0);
}

#[test]
fn requests_go_through_the_proxy_that_the_system_names() {
    let server = server(Trouble::default());
    let field = Field::empty();
    let proxied = |arguments: &[&str]| {
        let mut command = field.command(arguments);
        command
            .env("http_proxy", format!("http://{}", server.address()))
            .env_remove("no_proxy")
            .env_remove("NO_PROXY");
        crate::field::ran(command.output().unwrap())
    };
    let ran = proxied(&[
        "settle",
        "katabat",
        "--depot",
        "http://depot.icefield.example/simple/",
    ]);
    assert_eq!(ran.code, 0, "{ran:?}");
    assert!(
        server
            .take_seen()
            .iter()
            .all(|s| s.host == "depot.icefield.example")
    );
}

/// A certificate for 127.0.0.1 by an issuer of our own, in PEM, and what a server needs of it.
fn certificate() -> (String, Arc<rustls::ServerConfig>) {
    let made = rcgen::generate_simple_self_signed(vec!["127.0.0.1".to_owned()]).unwrap();
    let key = rustls::pki_types::PrivateKeyDer::try_from(made.signing_key.serialize_der()).unwrap();
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = rustls::ServerConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()
        .unwrap()
        .with_no_client_auth()
        .with_single_cert(vec![made.cert.der().clone()], key)
        .unwrap();
    (made.cert.pem(), Arc::new(config))
}

/// A depot over TLS, and the certificate by which it is trusted.
pub(crate) fn secure(root: &std::path::Path, trouble: Trouble) -> (Server, String) {
    let (pem, config) = certificate();
    let wrap = move |socket| {
        let session =
            rustls::ServerConnection::new(Arc::clone(&config)).map_err(std::io::Error::other)?;
        Ok(Box::new(rustls::StreamOwned::new(session, socket))
            as Box<dyn eutaxis_demo::server::Stream>)
    };
    (
        Server::start_wrapped(root, trouble, Arc::new(wrap), 0).unwrap(),
        pem,
    )
}

#[test]
fn certificates_of_the_system_count() {
    let (server, pem) = secure(&crate::field::world().join("depot"), Trouble::default());
    let url = server.url().replace("http://", "https://");
    let field = Field::empty();
    field.write("ca.pem", &pem);
    let with = |file: Option<&str>| {
        let mut command = field.command(&["settle", "katabat", "--depot", &url]);
        command
            .env_remove("SSL_CERT_DIR")
            .env_remove("SSL_CERT_FILE");
        if let Some(file) = file {
            command.env("SSL_CERT_FILE", file);
        }
        crate::field::ran(command.output().unwrap())
    };
    let ran = with(None);
    assert!(
        ran.code == 3 && ran.err.contains("does not trust") && ran.err.contains("SSL_CERT_FILE"),
        "{ran:?}"
    );
    assert_eq!(with(Some("ca.pem")).code, 0);
}

#[test]
fn two_runs_at_once_share_the_catalogue() {
    let server = server(Trouble::default());
    let field = Field::at(&server);
    let runs: Vec<_> = (0..4)
        .map(|i| {
            let out = format!("{i}.toml");
            let mut command = field.command(&["settle", "--asks", "fieldkit.txt", "--out", &out]);
            command.stdout(std::process::Stdio::null()).spawn().unwrap()
        })
        .collect();
    assert!(
        runs.into_iter()
            .all(|mut run| run.wait().unwrap().success())
    );
    for i in 1..4 {
        assert_eq!(field.read("0.toml"), field.read(&format!("{i}.toml")));
    }
}
