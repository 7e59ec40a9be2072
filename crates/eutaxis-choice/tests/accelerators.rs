//! Builds for accelerators against places: what comes of each is held against
//! `knowledge/accelerator-cases.toml`, which is computed apart from this program.

use std::sync::Arc;

use eutaxis_choice::offer::{JudgedPage, MetadataAnswer, Policy, Rules, Verdict};
use eutaxis_standards::artifact::Metadata;
use eutaxis_standards::index::parse_json;
use eutaxis_standards::{Name, Target};
use serde::Deserialize;

#[derive(Deserialize)]
struct Cases {
    case: Vec<Case>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Case {
    version: String,
    #[serde(default)]
    needs: String,
    stated: Option<String>,
    target: String,
    verdict: String,
    #[serde(default)]
    reason: String,
    unserved_since: Option<String>,
}

#[test]
fn builds_are_taken_and_barred_as_the_tables_say() {
    let text = include_str!("../../../knowledge/accelerator-cases.toml");
    let cases: Cases = toml::from_str(text).unwrap();
    assert!(cases.case.len() >= 60);
    let project = Name::parse("seracnet").unwrap();
    for case in &cases.case {
        let target = Target::parse(&case.target).unwrap();
        let policy = Policy::default();
        let rules = Rules {
            target: &target,
            policy: &policy,
            adjustments: &[],
        };
        let platform = match case.target.contains("windows") {
            true => "win_amd64",
            false => "manylinux_2_28_x86_64",
        };
        let file: Arc<str> = format!("seracnet-{}-cp312-cp312-{platform}.whl", case.version).into();
        let page = format!("{{\"files\":[{{\"filename\":\"{file}\",\"url\":\"u\"}}]}}");
        let mut page = parse_json(page.as_bytes(), &project).unwrap();
        page.made_for.clone_from(&case.stated);
        let mut judged = Arc::new(JudgedPage::new(Arc::new(page), &rules));
        let need = match case.needs.as_str() {
            "" => String::new(),
            need => format!("Requires-Dist: {need}\n"),
        };
        let version = &case.version;
        let metadata = format!("Metadata-Version: 2.1\nName: seracnet\nVersion: {version}\n{need}");
        let metadata = Arc::new(Metadata::parse(metadata.as_bytes()).unwrap());
        judged.learn(&file, &MetadataAnswer::Known(metadata), &rules);
        let offer = judged.at(0).unwrap();
        assert_eq!(
            offer.verdict.as_str(),
            case.verdict,
            "{case:?}\n{:?}",
            offer.bars
        );
        let told: Vec<String> = offer.bars.iter().map(ToString::to_string).collect();
        assert!(told.concat().contains(&case.reason), "{case:?}\n{told:?}");
        let build = offer.best().and_then(|f| judged.build_of(f));
        let unserved = build
            .filter(|_| offer.verdict == Verdict::Ready)
            .and_then(|b| {
                let system = target.platform.system;
                target.accelerators.unserved(&b.made_for, system)
            });
        let since = unserved.map(|u| u.since.to_string());
        assert_eq!(since, case.unserved_since, "{case:?}");
    }
}
