//! Heads of answers, and requests against a server of this machine.

use eutaxis_demo::server::{Fault, Server, Trouble};
use reqwest::header::{CONTENT_LENGTH, CONTENT_RANGE, HeaderValue, RETRY_AFTER};
use rstest::rstest;

use super::*;
use crate::network::Network;

fn head(pairs: &[(HeaderName, &str)]) -> Head {
    let headers = pairs
        .iter()
        .map(|(name, value)| (name.clone(), HeaderValue::from_str(value).unwrap()))
        .collect();
    Head {
        status: 200,
        url: Url::parse("http://127.0.0.1/f").unwrap(),
        headers,
    }
}

#[rstest]
#[case::a_part("bytes 10-19/200", Some((10, 200)))]
#[case::spaces("bytes 10-19 / 200", Some((10, 200)))]
#[case::size_unknown("bytes 10-19/*", None)]
#[case::another_unit("rows 1-2/3", None)]
#[case::refused("bytes */200", None)]
#[case::no_words("", None)]
#[case::too_large("bytes 99999999999999999999-1/2", None)]
fn where_a_part_begins(#[case] value: &str, #[case] expected: Option<(u64, u64)>) {
    assert_eq!(head(&[(CONTENT_RANGE, value)]).content_range(), expected);
}

#[rstest]
#[case::stated("bytes */200", Some(200))]
#[case::a_part("bytes 10-19/200", None)]
#[case::unknown("bytes */*", None)]
fn how_large_it_is_where_a_part_is_refused(#[case] value: &str, #[case] expected: Option<u64>) {
    assert_eq!(head(&[(CONTENT_RANGE, value)]).content_range_of(), expected);
}

#[rstest]
#[case::seconds("7", Some(7))]
#[case::with_spaces(" 7 ", Some(7))]
#[case::a_date_that_is_over("Wed, 21 Oct 2015 07:28:00 GMT", None)]
#[case::no_date("soon", None)]
#[case::negative("-3", None)]
fn what_a_server_asks_to_wait(#[case] value: &str, #[case] expected: Option<u64>) {
    assert_eq!(retry_after(&head(&[(RETRY_AFTER, value)])), expected);
}

#[test]
fn a_length_is_a_number() {
    assert_eq!(head(&[(CONTENT_LENGTH, "12")]).length(), Some(12));
    assert_eq!(head(&[(CONTENT_LENGTH, "many")]).length(), None);
    assert_eq!(head(&[]).length(), None);
}

const BYTES: &[u8] = b"0123456789abcdefghij";

/// A server with one file, and a network that asks it.
struct Site {
    server: Server,
    network: Network,
    _root: tempfile::TempDir,
}

impl Site {
    fn new(trouble: Trouble, attempts: u32) -> Self {
        let root = tempfile::tempdir().unwrap();
        std::fs::create_dir(root.path().join("p")).unwrap();
        std::fs::write(root.path().join("p/file.whl"), BYTES).unwrap();
        let settings = NetworkSettings {
            timeout: 2,
            attempts,
            ..NetworkSettings::default()
        };
        Site {
            server: Server::start(root.path(), trouble).unwrap(),
            network: Network::new(&root.path().join("cache"), false, false, settings),
            _root: root,
        }
    }

    fn url(&self, file: &str) -> Url {
        Url::parse(&format!("{}{file}", self.server.url())).unwrap()
    }

    fn client(&self) -> &Client {
        self.network.client("a file").unwrap()
    }
}

#[test]
fn a_part_is_only_the_part() {
    let site = Site::new(Trouble::default(), 1);
    let url = site.url("p/file.whl");
    let mut request = Request::new(&url, "a file", 100);
    request.range = Some("bytes=5-9".to_owned());
    let (head, bytes) = site.client().part(&request).unwrap();
    assert_eq!((head.status, bytes.as_slice()), (206, &BYTES[5..10]));
    assert_eq!(head.content_range(), Some((5, BYTES.len() as u64)));
}

#[test]
fn of_a_server_that_knows_no_parts_nothing_is_read() {
    let trouble = Trouble {
        no_ranges: true,
        ..Trouble::default()
    };
    let site = Site::new(trouble, 1);
    let url = site.url("p/file.whl");
    let mut request = Request::new(&url, "a file", 100);
    request.range = Some("bytes=5-9".to_owned());
    let (head, bytes) = site.client().part(&request).unwrap();
    assert_eq!((head.status, bytes.len()), (200, 0));
}

#[rstest]
#[case::parts(false)]
#[case::only_the_whole(true)]
fn a_beginning_comes_whether_or_not_there_are_parts(#[case] no_ranges: bool) {
    let trouble = Trouble {
        no_ranges,
        ..Trouble::default()
    };
    let site = Site::new(trouble, 1);
    let url = site.url("p/file.whl");
    let request = Request::new(&url, "a file", 100);
    let bytes = site.client().beginning(&request, 4).unwrap();
    assert!(bytes.1.starts_with(&BYTES[..4]), "{bytes:?}");
    let absent = site.url("p/absent.whl");
    let request = Request::new(&absent, "a file", 100);
    assert!(site.client().beginning(&request, 4).unwrap().1.is_empty());
}

#[test]
fn a_body_longer_than_permitted_is_not_read_to_its_end() {
    let site = Site::new(Trouble::default(), 1);
    let url = site.url("p/file.whl");
    let request = Request::new(&url, "a file", 5);
    let error = site.client().get(&request).unwrap_err();
    assert!(error.message.contains("a file"), "{}", error.message);
}

#[rstest]
#[case::overcome(3, true)]
#[case::once_is_too_few(1, false)]
fn what_fails_for_a_moment_is_asked_for_again(#[case] attempts: u32, #[case] comes: bool) {
    let trouble = Trouble {
        fault: Some(Fault::Status(503, None)),
        on: "file.whl".to_owned(),
        times: 1,
        ..Trouble::default()
    };
    let site = Site::new(trouble, attempts);
    let url = site.url("p/file.whl");
    let answer = site.client().get(&Request::new(&url, "a file", 100));
    assert_eq!(answer.is_ok(), comes);
    assert_eq!(site.client().traffic().overcome.len(), usize::from(comes));
    let statuses: Vec<u16> = site.server.take_seen().iter().map(|s| s.status).collect();
    assert_eq!(statuses, if comes { vec![503, 200] } else { vec![503] });
}

#[test]
fn an_error_tells_how_often_it_was_tried() {
    let trouble = Trouble {
        fault: Some(Fault::Status(503, None)),
        on: "file.whl".to_owned(),
        times: 0,
        ..Trouble::default()
    };
    let site = Site::new(trouble, 2);
    let url = site.url("p/file.whl");
    let error = site
        .client()
        .get(&Request::new(&url, "a file", 100))
        .unwrap_err();
    assert!(
        error.message.ends_with("; tried 2 times"),
        "{}",
        error.message
    );
    assert_eq!(error.kind, ErrorKind::Network);
}
