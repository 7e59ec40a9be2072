//! The rows: what is done, beside what, and in which sizes.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use eutaxis_benches::{Forest, Memory};
use eutaxis_core::solve::{End, Solver, ways_out};
use eutaxis_demo::server::{Server, Trouble};
use eutaxis_demo::{Wheel, write_wheel};

use super::Row;
use super::index;
use super::measure::{Cost, best};

/// So often each is measured; the best counts.
const RUNS: usize = 5;

/// One of the measurements.
type Measure = fn(&Path) -> Vec<Row>;

/// All rows whose names are wanted.
pub(crate) fn all(program: &Path, is_wanted: &dyn Fn(&str) -> bool) -> Vec<Row> {
    let all: [(&str, Measure); 4] = [
        ("settle warm", settle_warm),
        ("lists", lists),
        ("furnish", furnish),
        ("clash", clash),
    ];
    let wanted = all.into_iter().filter(|(name, _)| is_wanted(name));
    wanted.flat_map(|(_, measure)| measure(program)).collect()
}

fn ms(time: Duration) -> String {
    let ms = time.as_secs_f64() * 1e3;
    match ms {
        ms if ms < 100.0 => format!("{ms:.1} ms"),
        ms => format!("{ms:.0} ms"),
    }
}

fn row(work: &str, cost: Cost, yardstick: (&str, Duration), grows: String) -> Row {
    let ratio = cost.wall.as_secs_f64() / yardstick.1.as_secs_f64();
    Row {
        work: work.to_owned(),
        took: ms(cost.wall),
        peak: cost
            .peak
            .map_or("-".to_owned(), |kb| format!("{} MB", kb.div_ceil(1024))),
        yardstick: format!("{}: {}", yardstick.0, ms(yardstick.1)),
        ratio: format!("{ratio:.2}"),
        grows,
    }
}

fn cost(mut command: Command, before: &dyn Fn()) -> Cost {
    let cost = best(RUNS, &mut command, before).expect("it could be run");
    if cost.code != 0 {
        let again = command
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .output();
        let told = again.map(|o| String::from_utf8_lossy(&o.stderr).into_owned());
        assert_eq!(cost.code, 0, "{command:?}: {told:?}");
    }
    cost
}

/// The start of the process, which prints its version.
fn start(program: &Path) -> Duration {
    let mut command = Command::new(program);
    command.arg("--version");
    cost(command, &|| {}).wall
}

/// A folder with a cache of its own; nothing of the user's counts in it.
struct Field {
    folder: tempfile::TempDir,
}

impl Field {
    fn new() -> Self {
        Field {
            folder: tempfile::tempdir().expect("a folder"),
        }
    }

    fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    fn write(&self, name: &str, text: &str) {
        std::fs::write(self.path(name), text).expect("it is written");
    }

    fn command(&self, program: &Path, line: &str) -> Command {
        let mut command = Command::new(program);
        command
            .args(line.split_whitespace())
            .current_dir(self.folder.path())
            .env("EUTAXIS_CACHE", self.path("cache"))
            .env("HOME", self.folder.path())
            .env("XDG_CONFIG_HOME", self.path("config"));
        command
    }
}

const TARGET: &[&str] = &["--target", "cpython 3.12 / linux x86_64 glibc 2.36"];

/// Everything is in the catalogue, as on each day but the first.
fn settle_warm(program: &Path) -> Vec<Row> {
    let mut rows = Vec::new();
    let mut costs = Vec::new();
    for count in [30, 60, 125] {
        let field = Field::new();
        let index = index::write(&field.path("index"), count).expect("an index");
        let trouble = Trouble {
            cache_control: Some("max-age=86400".to_owned()),
            ..Trouble::default()
        };
        let server = Server::start(&field.path("index"), trouble).expect("a server");
        let settle = |asks: &[String], out: &str| {
            field.write("asks.txt", &asks.join("\n"));
            let line = format!(
                "settle --asks asks.txt --depot {} --out {out}",
                server.url()
            );
            let mut command = field.command(program, &line);
            command.args(TARGET);
            command
        };
        let whole = || settle(&index.projects, "pylock.toml");
        let pins = field.path("pylock.toml");
        let fresh = || drop(std::fs::remove_file(&pins));
        // The first one fetches.
        cost(whole(), &fresh);
        server.take_seen();
        let warm = cost(whole(), &fresh);
        assert!(
            server.take_seen().is_empty(),
            "everything is in the catalogue"
        );
        let text = std::fs::read_to_string(&pins).expect("the pins");
        assert_eq!(text.matches("[[packages]]").count(), count);
        let kept = std::fs::metadata(field.path("cache/catalogue-3.sqlite"));
        let kept = kept.expect("the catalogue").len();
        costs.push(format!("{count}: {}", ms(warm.wall)));
        if count == 125 {
            let yardstick = start(program);
            let words = format!(
                "warm `settle` of {count} projects, {} files on their pages, {} MB of catalogue",
                index.files,
                kept >> 20
            );
            rows.push((words, warm, yardstick));
            let last = index.projects.get(count - 14..).unwrap_or_default();
            let few = settle(last, "pylock.few.toml");
            let few = cost(few, &|| {
                drop(std::fs::remove_file(field.path("pylock.few.toml")))
            });
            rows.push(("warm `settle` of 14 of them".to_owned(), few, yardstick));
        }
    }
    let grows = format!("with the projects that are needed ({})", costs.join(", "));
    let rows = rows.into_iter();
    rows.map(|(words, cost, start)| {
        row(&words, cost, ("start of the process", start), grows.clone())
    })
    .collect()
}

/// Long lists of asks, beside their sorted lines.
fn lists(program: &Path) -> Vec<Row> {
    let mut costs = Vec::new();
    let mut last = None;
    for count in [4_000, 16_000] {
        let field = Field::new();
        let lines = (0..count).map(|n| format!("floe-part{n}>=1.{}\n", n % 7));
        field.write("asks.txt", &lines.collect::<String>());
        let mut proofread = field.command(program, "proofread asks.txt");
        let found = best(3, &mut proofread, &|| {}).expect("it could be run");
        assert!(matches!(found.code, 0 | 1), "it has an answer");
        let mut sort = Command::new("sort");
        sort.arg(field.path("asks.txt"));
        let sorted = cost(sort, &|| {}).wall;
        costs.push(format!("{count}: {}", ms(found.wall)));
        last = Some((found, sorted));
    }
    let grows = format!("with the lines ({})", costs.join(", "));
    let rows = last.into_iter();
    rows.map(|(found, sorted)| {
        let work = "`proofread` of a list of 16,000 lines, without a depot";
        row(work, found, ("`sort` of it", sorted), grows.clone())
    })
    .collect()
}

/// Wheels of so many files each, in a folder of wheels.
fn wheels(folder: &Path, count: usize, files: usize) {
    std::fs::create_dir_all(folder).expect("a folder");
    for w in 0..count {
        for version in ["1.0", "1.1"].into_iter().take(1 + usize::from(w == 0)) {
            let file = |n: usize| {
                let text = format!("DEPTH = {n}\nNAME = 'part {w} of {version}'\n");
                (
                    format!("floe_part{w}/s{}/m{n}.py", n % 20),
                    text.into_bytes(),
                )
            };
            let mut wheel = Wheel {
                name: format!("floe_part{w}"),
                version: version.to_owned(),
                tags: "py3-none-any".to_owned(),
                files: (0..files).map(file).collect(),
            };
            let metadata =
                format!("Metadata-Version: 2.1\nName: floe-part{w}\nVersion: {version}\n");
            let place = format!("{}/METADATA", wheel.dist_info());
            wheel.files.push((place, metadata.into_bytes()));
            let bytes = write_wheel(&wheel).expect("a wheel");
            std::fs::write(folder.join(wheel.filename()), bytes).expect("it is written");
        }
    }
}

/// An environment from a warm store, and one project of it renewed.
fn furnish(program: &Path) -> Vec<Row> {
    let field = Field::new();
    wheels(&field.path("wheels"), 20, 1_000);
    let asks = |first: &str| {
        let others = (1..20).map(|w| format!("floe-part{w}\n"));
        format!("floe-part0=={first}\n{}", others.collect::<String>())
    };
    for (version, name) in [("1.0", "old"), ("1.1", "new")] {
        field.write(&format!("{name}.txt"), &asks(version));
        let line = format!("settle --asks {name}.txt --depot wheels --out pylock.{name}.toml");
        cost(field.command(program, &line), &|| {});
    }
    let furnish = |pins: &str| {
        let line = format!("furnish pylock.{pins}.toml --at env --link hard");
        field.command(program, &line)
    };
    // Both into the store.
    cost(furnish("new"), &|| {});
    cost(furnish("old"), &|| {});
    let copy = || {
        let mut copy = Command::new("cp");
        copy.args(["-al", "env", "copy"])
            .current_dir(field.folder.path());
        let before = || drop(std::fs::remove_dir_all(field.path("copy")));
        cost(copy, &before).wall
    };
    let copied = copy();
    let fresh = cost(furnish("old"), &|| {
        drop(std::fs::remove_dir_all(field.path("env")))
    });
    let files = walk(&field.path("env"));
    assert!(files >= 20_000, "{files} files are placed");
    let back = || {
        let status = furnish("old").output().map(|o| o.status.success());
        assert!(status.is_ok_and(|s| s), "it is as before");
    };
    let renewed = cost(furnish("new"), &back);
    let module = std::fs::read_dir(field.path("env/lib"))
        .expect("it is there")
        .flatten()
        .next();
    let module = module
        .expect("a folder")
        .path()
        .join("site-packages/floe_part0/s1/m1.py");
    let text = std::fs::read_to_string(module).expect("a module");
    assert!(text.contains("1.1"), "{text}");
    let grows = "with the files".to_owned();
    let place = format!("`furnish` of {files} files from a warm store");
    vec![
        row(
            &place,
            fresh,
            ("`cp -al` of the same tree", copied),
            grows.clone(),
        ),
        row(
            "`furnish`: one project of twenty replaced, 19,000 files kept",
            renewed,
            ("`cp -al` of the same tree", copied),
            grows,
        ),
    ]
}

/// How many files lie below a folder.
fn walk(folder: &Path) -> usize {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let count = |entry: std::fs::DirEntry| match entry.file_type() {
        Ok(kind) if kind.is_dir() => walk(&entry.path()),
        _ => 1,
    };
    entries.map(count).sum()
}

/// A question, a word on its sizes, and three of them.
type Family = (
    &'static str,
    fn(usize, usize) -> Forest,
    [(usize, usize); 3],
);

/// Sets that cannot be had: the smallest clash, then its ways out, with all facts in memory. The
/// yardstick reads the same facts once.
fn clash(_: &Path) -> Vec<Row> {
    let families: [Family; 3] = [
        (
            "chain",
            Forest::torn_chain,
            [(75, 20), (150, 20), (300, 20)],
        ),
        (
            "diamond",
            Forest::torn_diamond,
            [(10, 10), (20, 20), (40, 40)],
        ),
        ("grid", Forest::torn_grid, [(6, 10), (9, 10), (12, 10)]),
    ];
    let mut rows = Vec::new();
    for (name, of, sizes) in families {
        let (mut told, mut led) = (Vec::new(), Vec::new());
        let mut last = None;
        for (wide, releases) in sizes {
            let forest = of(wide, releases);
            let problem = forest.problem().expect("a question");
            let mut memory = Memory::new(&forest);
            // Once to have the facts.
            let _ = memory.solve(&problem);
            let began = Instant::now();
            let clash = match memory.solve(&problem) {
                Ok(End::Clash(clash)) => Some(clash),
                _ => None,
            };
            let facts = began.elapsed();
            let clash = clash.expect("nothing fits");
            let began = Instant::now();
            let ways = ways_out(&problem, &clash, &[], &mut memory).expect("facts are there");
            assert!(!ways.found.is_empty(), "there is a way out");
            let ways = began.elapsed();
            let known = forest.facts();
            let began = Instant::now();
            std::hint::black_box(known.read_once());
            let read = began.elapsed();
            told.push(format!("{wide} x {releases}: {}", ms(facts)));
            led.push(format!("{wide} x {releases}: {}", ms(ways)));
            last = Some((wide, releases, facts, ways, read));
        }
        let Some((wide, releases, facts, ways, read)) = last else {
            continue;
        };
        let cost = |wall| Cost {
            wall,
            peak: None,
            code: 0,
        };
        let work = format!("smallest clash of a {name} of {wide} x {releases}");
        rows.push(row(
            &work,
            cost(facts),
            ("its facts read once", read),
            told.join(", "),
        ));
        let work = format!("ways out of that {name}");
        rows.push(row(&work, cost(ways), ("the clash", facts), led.join(", ")));
    }
    rows
}
