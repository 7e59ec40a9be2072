//! Without a command: where one is, what is here, what starts, and what to type next. Only files are
//! read, and few of them.

mod next;

use std::path::{Path, PathBuf};

use eutaxis_core::Version;
use eutaxis_core::pins::Lock;
use eutaxis_world::Error;
use eutaxis_world::environment::Standing;
use eutaxis_world::interpreter::environment_around;
use eutaxis_world::starts::{
    self, by_name, environments_on_path, forwards, in_editors, in_notebooks,
};

use crate::answer::here::{Asks, Environment, Held, Here, Pins, Start, Starts, Who};
use crate::cli::{AskOptions, Common};
use crate::output::{Answer, Outcome};
use crate::plan::Surroundings;
use crate::words::near;
use crate::{asks, paired, remembered, render, report, words};

/// The pins of a folder, unless they have a name (PEP 751).
const USUAL: &str = "pylock.toml";

pub(crate) fn run(common: &Common) -> Result<Answer, Error> {
    // Settings that cannot be read are told here as well as by any command.
    let surroundings = Surroundings::new(common)?;
    let named = std::env::var("EUTAXIS_DEPOT").is_ok_and(|d| !d.is_empty());
    let here = look(named || !surroundings.config.depots.is_empty());
    let next = next::of(&here);
    Ok(Answer {
        outcome: Outcome::Ok,
        text: match common.quiet {
            true => format!("{}\n", next.line),
            false => render::here::text(&here, &next),
        },
        report: report::Here::new(&here, &next).into(),
    })
}

fn look(has_depot: bool) -> Here {
    let folder = std::env::current_dir().unwrap_or_default();
    let entered = std::env::var_os("VIRTUAL_ENV").filter(|v| !v.is_empty());
    let entered = entered.map(PathBuf::from);
    let locked = remembered::here();
    let own = environment_here(locked.as_ref().map(|(path, _)| path.as_path()));
    let counts = entered.as_ref().or(own.as_ref());
    let is_other = |root: &PathBuf| counts.is_none_or(|c| !is_same(c, root));
    let environment = counts.map(|root| Environment {
        standing: Standing::of(root),
        entered: entered.is_some(),
        root: root.clone(),
    });
    let held = |own: &PathBuf, lock: &Lock| {
        let counting = environment.as_ref().filter(|e| is_same(&e.root, own));
        match counting {
            Some(environment) => held(own, &environment.standing, lock),
            None => held(own, &Standing::of(own), lock),
        }
    };
    let moved = locked.as_ref().and_then(|(path, lock)| {
        let folder = path.parent().unwrap_or(Path::new(""));
        words::since(&remembered::since(lock, folder))
    });
    let pins = locked.map(|(path, lock)| Pins {
        projects: lock.packages.len(),
        held: own.as_ref().map(|root| held(root, &lock)),
        path,
    });
    Here {
        starts: starting(&folder, counts.map(PathBuf::as_path)),
        beside: environments_on_path()
            .into_iter()
            .filter(is_other)
            .collect(),
        other: own.clone().filter(is_other),
        asks: asks_here(moved),
        unread: Some(PathBuf::from(USUAL)).filter(|p| pins.is_none() && p.exists()),
        environment,
        pins,
        has_depot,
    }
}

/// Whether two paths lead to one folder.
fn is_same(a: &Path, b: &Path) -> bool {
    let real = |p: &Path| std::fs::canonicalize(p).ok();
    a == b || (real(a).is_some() && real(a) == real(b))
}

/// The environment of this folder: that of its pins, else `.venv`, else the only one.
fn environment_here(pins: Option<&Path>) -> Option<PathBuf> {
    let is_one = |root: &PathBuf| root.join("pyvenv.cfg").is_file();
    let usual = pins.map_or_else(|| PathBuf::from(".venv"), paired::environment_of);
    if is_one(&usual) {
        return Some(usual);
    }
    let entries = std::fs::read_dir(".").ok()?.flatten();
    let names = entries.map(|e| PathBuf::from(e.file_name()));
    let mut all = names.filter(is_one);
    match (all.next(), all.next()) {
        (Some(only), None) => Some(only),
        _ => None,
    }
}

/// How an environment holds pins, by the names of its folders. What is pinned for some targets only
/// need not be there.
fn held(root: &Path, standing: &Standing, lock: &Lock) -> Held {
    let mut held = Held {
        root: root.to_owned(),
        absent: Vec::new(),
        other: Vec::new(),
    };
    let alike = |a: &str, b: &str| match (Version::parse(a), Version::parse(b)) {
        (Ok(a), Ok(b)) => a == b,
        _ => a == b,
    };
    for package in &lock.packages {
        let placed = standing.projects.iter().find(|(n, _)| *n == package.name);
        let Some((name, version)) = placed else {
            if package.marker.is_none() {
                held.absent.push(package.name.to_string());
            }
            continue;
        };
        // Of entries for several targets one is the right one; a folder is pinned without a version.
        let entries = lock.packages.iter().filter(|p| p.name == *name);
        let mut pinned = entries.filter_map(|p| p.version.as_deref()).peekable();
        let told = format!("{name} {version}");
        let is_pinned = pinned.peek().is_none() || pinned.any(|v| alike(v, version));
        if !is_pinned && !held.other.contains(&told) {
            held.other.push(told);
        }
    }
    held
}

/// What is asked for in this folder.
fn asks_here(moved: Option<String>) -> Option<Asks> {
    let path = asks::default_file().ok().flatten()?;
    let options = AskOptions {
        asks: vec![path.clone()],
        ..AskOptions::default()
    };
    let number = asks::read_here(&options);
    let shown = path.display().to_string();
    Some(Asks {
        path,
        number: number.map(|found| found.asks.len()).map_err(|errors| {
            let why = errors.into_first("it cannot be read").message;
            // The line begins with the file.
            let rest = why.strip_prefix(&format!("{shown} "));
            rest.map(str::to_owned).unwrap_or(why)
        }),
        moved,
    })
}

/// What the shell, editors and notebooks start here.
fn starting(folder: &Path, environment: Option<&Path>) -> Vec<Starts> {
    let standing = |interpreter: &Path| {
        let own = environment_around(interpreter);
        let is_own = |e: &Path| own.as_ref().is_some_and(|root| is_same(root, e));
        if !interpreter.exists() {
            Start::Gone
        } else if environment.is_none_or(is_own) {
            match own.is_none() && forwards(interpreter) {
                true => Start::Forwards,
                false => Start::Own,
            }
        } else {
            Start::Another
        }
    };
    let name = ["python3", "python"].into_iter().find_map(|name| {
        let program = by_name(name)?;
        Some((name, program))
    });
    let shell = name.map(|(name, program)| (Who::Shell, name.to_owned(), program));
    let of = |who: Who, all: Vec<starts::Start>| {
        all.into_iter()
            .map(move |s| (who, near(&s.file), s.interpreter))
    };
    let editors = of(Who::Editor, in_editors(folder));
    let notebooks = of(Who::Notebook, in_notebooks(environment));
    let all = shell.into_iter().chain(editors).chain(notebooks);
    all.map(|(who, by, interpreter)| Starts {
        who,
        by,
        standing: standing(&interpreter),
        interpreter,
    })
    .collect()
}
