//! Failures of the network in words: what a person can act on, never a library's own sentence
//! alone.

use std::error::Error as StdError;

use url::Url;

use super::secrets::Found;
use crate::{Error, ErrorKind};

/// What went wrong with one attempt, and whether another may do better.
#[derive(Debug)]
pub(super) struct Failure {
    pub(super) error: Error,
    pub(super) transient: bool,
    /// The server asks to wait so many seconds.
    pub(super) wait: Option<u64>,
}

/// A host with its port, for people.
pub(super) fn host(url: &Url) -> String {
    let host = url.host_str().unwrap_or("?");
    url.port()
        .map_or_else(|| host.to_owned(), |port| format!("{host}:{port}"))
}

fn network(message: String, help: &str) -> Error {
    Error::new(ErrorKind::Network, message).help(help)
}

const KEPT: &str =
    "nothing is wrong with the versions asked for; --offline uses what was fetched before";

/// Advice without what is said of versions, where nothing was asked for but an answer.
pub fn without_versions(advice: &str) -> &str {
    let said = advice.find(KEPT).and_then(|at| advice.get(..at));
    said.map_or(advice, |before| before.trim_end_matches([' ', ';', ':']))
}

/// A failure before an answer came, or while it came. What it came from is kept without the address,
/// which may hold a secret.
pub(super) fn of_transport(error: reqwest::Error, url: &Url, what: &str) -> Failure {
    let Failure {
        error: told,
        transient,
        wait,
    } = in_words(&error, url, what);
    Failure {
        error: told.from_source(error.without_url()),
        transient,
        wait,
    }
}

fn in_words(error: &reqwest::Error, url: &Url, what: &str) -> Failure {
    let host = host(url);
    let chain = chain(error);
    // The first sentence holds the whole address, whose words say nothing of the failure.
    let says = |part: &str| {
        chain
            .iter()
            .skip(usize::from(chain.len() > 1))
            .any(|c| c.contains(part))
    };
    let failed = |why: String, help: &str, transient: bool| Failure {
        error: network(format!("{what} could not be fetched: {why}"), help),
        transient,
        wait: None,
    };
    if let Some(why) = certificate(error, &host) {
        let help = "a company's proxy often brings its own certificate: name the file that holds \
            it in SSL_CERT_FILE, or its folder in SSL_CERT_DIR";
        return failed(why, help, false);
    }
    if says("dns error") || says("failed to lookup address") {
        let why = format!("the name {host} leads nowhere from here");
        return failed(
            why,
            &format!("is there a network, and is the name spelt right? {KEPT}"),
            says("Try again") || says("temporary"),
        );
    }
    if says("proxy") || says("tunnel") {
        let why = if says("407") || says("authorization") {
            format!("the proxy on the way to {host} asks for a name and a password")
        } else {
            format!(
                "the proxy on the way to {host} does not do it ({})",
                last(&chain)
            )
        };
        let help = "look at HTTPS_PROXY, HTTP_PROXY and NO_PROXY: a name and password go into the \
            proxy's URL";
        return failed(why, help, false);
    }
    if error.is_timeout() || says("timed out") {
        let why = format!("{host} does not answer in time");
        return failed(
            why,
            &format!(
                "the link or the server is slow: [network] timeout in eutaxis.toml waits longer; \
                    {KEPT}"
            ),
            true,
        );
    }
    if says("refused") {
        return failed(
            format!("{host} refuses the connection: no server listens there"),
            KEPT,
            true,
        );
    }
    if says("unreachable") {
        return failed(
            format!("there is no way to {host} from here"),
            &format!("no network? {KEPT}"),
            true,
        );
    }
    if says("reset")
        || says("closed")
        || says("broken pipe")
        || says("end of file")
        || says("incomplete")
        || says("eof")
    {
        return failed(format!("{host} broke off the connection"), KEPT, true);
    }
    failed(
        format!("{host}: {}", last(&chain)),
        KEPT,
        error.is_connect() || error.is_body() || error.is_request(),
    )
}

/// What is wrong with the server's certificate, if that is it.
#[expect(clippy::wildcard_enum_match_arm, reason = "kinds of another crate")]
fn certificate(error: &(dyn StdError + 'static), host: &str) -> Option<String> {
    use rustls::CertificateError as Bad;
    let tls = find_tls(error)?;
    Some(match tls {
        rustls::Error::InvalidCertificate(Bad::UnknownIssuer) => {
            format!("the certificate of {host} is from an issuer that this system does not trust")
        }
        rustls::Error::InvalidCertificate(Bad::Expired | Bad::ExpiredContext { .. }) => {
            format!("the certificate of {host} has expired, or this machine's clock is wrong")
        }
        rustls::Error::InvalidCertificate(Bad::NotValidYet | Bad::NotValidYetContext { .. }) => {
            format!("the certificate of {host} is not valid yet, or this machine's clock is wrong")
        }
        rustls::Error::InvalidCertificate(
            Bad::NotValidForName | Bad::NotValidForNameContext { .. },
        ) => {
            format!("the certificate that answers for {host} is for another name")
        }
        rustls::Error::InvalidCertificate(other) => {
            format!("the certificate of {host} is not valid ({other:?})")
        }
        rustls::Error::InvalidMessage(_) => {
            format!("{host} does not speak TLS: is it http:// instead of https://?")
        }
        other => format!("no secure connection with {host}: {other}"),
    })
}

/// The TLS error inside an error, through the wrappers around it.
fn find_tls<'a>(error: &'a (dyn StdError + 'static)) -> Option<&'a rustls::Error> {
    let mut at: Option<&'a (dyn StdError + 'static)> = Some(error);
    while let Some(error) = at {
        if let Some(tls) = error.downcast_ref::<rustls::Error>() {
            return Some(tls);
        }
        let inner = error
            .downcast_ref::<std::io::Error>()
            .and_then(std::io::Error::get_ref);
        if let Some(tls) = inner.and_then(|i| find_tls(i)) {
            return Some(tls);
        }
        at = error.source();
    }
    None
}

/// The sentences of an error and all its causes.
fn chain(error: &(dyn StdError + 'static)) -> Vec<String> {
    let mut all = Vec::new();
    let mut at = Some(error);
    while let Some(error) = at {
        all.push(error.to_string());
        at = error.source();
    }
    all
}

fn last(chain: &[String]) -> String {
    chain.last().map_or(String::new(), |text| {
        text.split(" (os error")
            .next()
            .unwrap_or(text)
            .to_lowercase()
    })
}

/// An answer that is neither what was asked for nor a plain "not here".
pub(super) fn of_status(
    status: u16,
    url: &Url,
    what: &str,
    sent: Option<&Found>,
    wait: Option<u64>,
    withheld: Option<&str>,
) -> Failure {
    let host = host(url);
    let transient = matches!(status, 408 | 425 | 429 | 500 | 502 | 503 | 504);
    let (why, help) = match (status, sent) {
        (401, Some(found)) | (403, Some(found)) => (
            format!(
                "{host} does not accept the name and password from {} ({status})",
                found.from
            ),
            "look whether they are still valid".to_owned(),
        ),
        (401 | 403, None) if withheld.is_some() => (
            format!(
                "{host} asks for a name and a password ({status}), and {} has some for it, which \
                    were not sent: no depot at that address is named",
                withheld.unwrap_or("netrc")
            ),
            format!(
                "if it is to have them, name the depot there (--depot, or [[depot]] in \
                    eutaxis.toml), or, where a depot's files lie there: files = [\"{}\"] in its \
                    entry",
                url.origin().ascii_serialization()
            ),
        ),
        (401, None) => (
            format!("{host} asks for a name and a password (401)"),
            "put them into netrc (machine HOST login NAME password TEXT), into EUTAXIS_SECRET_NAME \
                as NAME:PASSWORD for a depot with a name in eutaxis.toml, or into the depot's URL"
                .to_owned(),
        ),
        (403, None) => (
            format!("{host} forbids it (403)"),
            "the place may want a name and a password (see netrc), or another address".to_owned(),
        ),
        (407, _) => (
            format!("the proxy on the way to {host} asks for a name and a password"),
            "put them into the proxy's URL in HTTP_PROXY or HTTPS_PROXY".to_owned(),
        ),
        (404 | 410, _) => (
            format!(
                "{host} does not have it ({status})"
            ),
            "settle again: the pins may be out of date".to_owned(),
        ),
        (406, _) => (
            format!("{host} gives it in no form that this program reads (406)"),
            "is the address that of an index (it often ends in /simple/)?".to_owned(),
        ),
        (429, _) => (
            format!(
                "{host} takes no more requests for now (429){}",
                asked_to_wait(wait)
            ),
            "wait, then run it again: what was fetched is kept".to_owned(),
        ),
        (500..=599, _) => (
            format!("{host} is in trouble ({status}){}", asked_to_wait(wait)),
            KEPT.to_owned(),
        ),
        _ => (
            format!(
                "{host} answers with status {status}"
            ),
            "is the address that of an index or a file?".to_owned(),
        ),
    };
    Failure {
        error: network(format!("{what} could not be fetched: {why}"), &help),
        transient,
        wait,
    }
}

fn asked_to_wait(wait: Option<u64>) -> String {
    wait.map_or(String::new(), |seconds| {
        format!(" and asks to come back in {seconds} s")
    })
}

/// A step from https to http, which is refused.
pub(super) fn of_downgrade(url: &Url, what: &str, why: &str) -> Failure {
    let message = format!(
        "{what} could not be fetched: it would have to come over http:// from {}, where it can be \
            read and changed on the way ({why})",
        host(url)
    );
    let help = "tell those who run the depot; if it must be, `insecure = true` in its entry in \
        eutaxis.toml takes it all the same";
    Failure {
        error: network(message, help),
        transient: false,
        wait: None,
    }
}

/// A body that does not come, or not as announced.
pub(super) fn of_body(why: String, what: &str, transient: bool) -> Failure {
    Failure {
        error: network(format!("{what} could not be fetched: {why}"), KEPT),
        transient,
        wait: None,
    }
}

/// The program was told to use no network.
pub(super) fn offline(what: &str) -> Error {
    let mut error = network(
        format!("--offline: not fetched before: {what}"),
        "run once with the network, or name a folder of files with --depot",
    );
    error.missing = Some(what.to_owned());
    error
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::super::secrets::Secret;
    use super::*;

    fn at(address: &str) -> Url {
        Url::parse(address).unwrap()
    }

    #[rstest]
    #[case::no_name(
        401,
        false,
        None,
        "asks for a name and a password (401)",
        "netrc",
        false
    )]
    #[case::wrong_name(
        401,
        true,
        None,
        "does not accept the name and password from netrc",
        "still valid",
        false
    )]
    #[case::withheld(
        403,
        false,
        Some("netrc"),
        "which were not sent",
        "https://files.example",
        false
    )]
    #[case::forbidden(403, false, None, "forbids it (403)", "another address", false)]
    #[case::proxy(407, false, None, "the proxy on the way to", "HTTPS_PROXY", false)]
    #[case::gone(410, false, None, "does not have it (410)", "settle again", false)]
    #[case::other_form(406, false, None, "no form that this program reads", "/simple/", false)]
    #[case::busy(429, false, None, "asks to come back in 7 s", "run it again", true)]
    #[case::trouble(503, false, None, "is in trouble (503)", "--offline", true)]
    #[case::not_to_be_tried_again(501, false, None, "is in trouble (501)", "--offline", false)]
    #[case::odd(418, false, None, "answers with status 418", "index or a file", false)]
    fn a_status_says_what_is_wrong_and_what_to_do(
        #[case] status: u16,
        #[case] sent: bool,
        #[case] withheld: Option<&str>,
        #[case] says: &str,
        #[case] help: &str,
        #[case] transient: bool,
    ) {
        let found = Found {
            secret: Secret::Bearer("crevasse".to_owned()),
            from: "netrc".to_owned(),
        };
        let sent = sent.then_some(&found);
        let url = at("https://files.example/firnio.whl?key=crevasse");
        let failure = of_status(status, &url, "firnio", sent, Some(7), withheld);
        let (message, advice) = (failure.error.message, failure.error.help.unwrap());
        assert!(
            message.starts_with("firnio could not be fetched: "),
            "{message}"
        );
        assert!(message.contains(says), "{message}");
        assert!(advice.contains(help), "{advice}");
        assert!(
            !(message + &advice).contains("crevasse"),
            "no secret is told"
        );
        assert_eq!(failure.transient, transient);
    }

    #[rstest]
    #[case("https://files.example/a", "files.example")]
    #[case("http://127.0.0.1:8099/a", "127.0.0.1:8099")]
    #[case("file:///camp/a", "?")]
    fn a_host_is_told_with_its_port(#[case] address: &str, #[case] expected: &str) {
        assert_eq!(host(&at(address)), expected);
    }

    #[test]
    fn what_was_not_fetched_before_is_named() {
        let error = offline("the page of firnio");
        assert_eq!(error.kind, ErrorKind::Network);
        assert_eq!(error.missing.as_deref(), Some("the page of firnio"));
    }

    #[test]
    fn a_step_down_to_http_is_not_tried_again() {
        let failure = of_downgrade(&at("http://files.example/a"), "firnio", "no answer");
        assert!(!failure.transient);
        assert!(failure.error.message.contains("from files.example"));
        assert!(failure.error.help.unwrap().contains("insecure = true"));
    }
}
