//! The command line, as it is typed. Nothing is looked up here; that is `plan`.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use clap::{Args, Parser, Subcommand, ValueEnum};

use crate::examples;

/// Chooses Python releases and wheels that really run in a given place, pins them by hash, and
/// makes the environment.
#[derive(Debug, Parser)]
#[command(
    name = "eutaxis",
    version,
    max_term_width = 100,
    disable_help_subcommand = true,
    propagate_version = true
)]
#[command(
    after_help = "Without a command: where you are, what is here, and what to type next.\nExit codes: 0 yes or done; 1 no (a clash, something that would break); 2 the \
        request is wrong; 3 the world failed (network, disk, permission, interpreter, damaged \
        files).\nEvery command takes --json. `eutaxis help COMMAND` shows its page."
)]
pub(crate) struct Cli {
    #[command(flatten)]
    pub(crate) common: Common,
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
}

/// Options of every command.
#[derive(Debug, Args, Clone)]
#[command(next_help_heading = "Options of every command")]
pub(crate) struct Common {
    /// Print one JSON object on standard output and nothing else there
    #[arg(long, global = true)]
    pub(crate) json: bool,
    /// When to colour
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub(crate) color: ColorWhen,
    /// Say only the verdict, in one line: no notices, no progress, nothing more
    #[arg(short, long, global = true)]
    pub(crate) quiet: bool,
    /// Say more: every file left out and why, every remark
    #[arg(short, long, global = true, conflicts_with = "quiet")]
    pub(crate) verbose: bool,
    /// Use nothing from the network: only what was fetched before, and depots on disk
    #[arg(long, global = true)]
    pub(crate) offline: bool,
    /// Leave shared facts out: those of the files that the settings name as facts
    #[arg(long, global = true)]
    pub(crate) no_facts: bool,
    /// Folder of the cache and the store [default: EUTAXIS_CACHE, else the system's folder for
    /// caches]
    #[arg(long, global = true, value_name = "DIR")]
    pub(crate) cache: Option<PathBuf>,
    /// Settings file [default: EUTAXIS_CONFIG, else the nearest eutaxis.toml or pyproject.toml with
    /// [tool.eutaxis]]
    #[arg(long, global = true, value_name = "FILE")]
    pub(crate) config: Option<PathBuf>,
}

/// When to colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ColorWhen {
    /// On a terminal, unless NO_COLOR is set
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

impl Command {
    /// A command by the words behind the program's name; none where they would be refused.
    pub(crate) fn of_words(words: impl IntoIterator<Item = String>) -> Option<Command> {
        let line = std::iter::once("eutaxis".to_owned()).chain(words);
        Cli::try_parse_from(line).ok().and_then(|cli| cli.command)
    }
}

/// The commands, in the order in which people work.
#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// What is this machine, as a target? Which interpreters are here?
    ///
    /// A target is a place where packages run: interpreter, system, processor, C library,
    /// accelerator.
    #[command(before_help = examples::SURVEY)]
    Survey(Survey),
    /// Which releases of a project are there, which run here, and why not the others?
    #[command(before_help = examples::SHORTLIST)]
    Shortlist(Box<Shortlist>),
    /// Which interpreter versions, on which targets, can hold all of this? If none: which split
    /// can?
    ///
    /// A span is how far a set reaches: a matrix of interpreter versions and platforms, with what
    /// each can hold.
    #[command(before_help = examples::SPAN)]
    Span(Box<Span>),
    /// Which exact files, together? Or what clashes, and the ways out
    ///
    /// To settle is to choose releases and files that go together, and to pin them with their
    /// hashes in a lock file (pylock.toml): what others call resolving and locking.
    #[command(before_help = examples::SETTLE)]
    Settle(Box<Settle>),
    /// Why is this project here, in this version, and not another one?
    #[command(before_help = examples::REASON)]
    Reason(Reason),
    /// Fetch the pinned files into a folder, which is then a depot and an index for any web server
    ///
    /// A depot is where files come from: an index on the network, a page of links, a folder.
    #[command(before_help = examples::GATHER)]
    Gather(Box<Gather>),
    /// Make or update an environment to match the pins
    ///
    /// To furnish is to place what is pinned into an environment, which is made if it is not there:
    /// what others call installing. The files come from depots: indexes, folders, servers.
    #[command(before_help = examples::FURNISH)]
    Furnish(Furnish),
    /// What is wrong in this environment? Does it match the pins? Do the imports work?
    #[command(before_help = examples::EXAMINE)]
    Examine(Box<Examine>),
    /// What would move if this were added to that environment or those pins? And what newer
    /// releases would move
    #[command(before_help = examples::REHEARSE)]
    Rehearse(Box<Rehearse>),
    /// What broke this installation, build or import, and what mends it?
    #[command(before_help = examples::DIAGNOSE)]
    Diagnose(Box<Diagnose>),
    /// What does this wheel really need, and does it run on the target?
    ///
    /// To assay is to open a wheel and look at what is in it: code for which processor, C library
    /// and interpreter, what it imports and links to, and whether its own records are true.
    #[command(before_help = examples::ASSAY)]
    Assay(Box<Assay>),
    /// Which interpreters and environments here can import a module, and why this one cannot
    #[command(before_help = examples::LOCATE)]
    Locate(Locate),
    /// What is wrong in this requirement list, project file or pins, or in what my own code imports?
    #[command(before_help = examples::PROOFREAD)]
    Proofread(Box<Proofread>),
    /// Run a command in an environment without entering it
    #[command(before_help = examples::WITHIN)]
    Within(Within),
    /// What cache and store hold, and making room in them
    #[command(before_help = examples::STOCK)]
    Stock(Stock),
    /// Which places files come from, whether each answers, and what it can do
    ///
    /// A depot is a place that offers files: an index on the network, a page of links, a folder of
    /// wheels, an index tree on disk.
    #[command(before_help = examples::DEPOTS)]
    Depots(Depots),
    /// A story of nine steps on made-up data, or the whole way
    #[command(before_help = examples::DEMO)]
    Demo(Demo),
    /// The page of a command or a matter; which command does what a word of the trade means
    #[command(before_help = examples::HELP)]
    Help(Help),
    /// A script with which a shell completes commands and options
    #[command(before_help = examples::COMPLETIONS)]
    Completions(Completions),
    /// Pages for man
    #[command(before_help = examples::MANUAL)]
    Manual(Manual),
}

impl Command {
    /// Whether its answer begins with a verdict in a line, which alone is printed with `--quiet`;
    /// others print a text, a list, or what another program says.
    pub(crate) fn has_verdict(&self) -> bool {
        match self {
            Command::Survey(survey) => !survey.tags && survey.environments.is_none(),
            Command::Within(_)
            | Command::Demo(_)
            | Command::Help(_)
            | Command::Completions(_)
            | Command::Manual(_) => false,
            Command::Shortlist(_)
            | Command::Span(_)
            | Command::Settle(_)
            | Command::Reason(_)
            | Command::Gather(_)
            | Command::Furnish(_)
            | Command::Examine(_)
            | Command::Rehearse(_)
            | Command::Diagnose(_)
            | Command::Assay(_)
            | Command::Locate(_)
            | Command::Proofread(_)
            | Command::Depots(_)
            | Command::Stock(_) => true,
        }
    }

    /// The command's name, for JSON.
    pub(crate) fn name(&self) -> &'static str {
        match self {
            Command::Survey(_) => "survey",
            Command::Shortlist(_) => "shortlist",
            Command::Span(_) => "span",
            Command::Settle(_) => "settle",
            Command::Reason(_) => "reason",
            Command::Gather(_) => "gather",
            Command::Furnish(_) => "furnish",
            Command::Examine(_) => "examine",
            Command::Rehearse(_) => "rehearse",
            Command::Diagnose(_) => "diagnose",
            Command::Assay(_) => "assay",
            Command::Locate(_) => "locate",
            Command::Proofread(_) => "proofread",
            Command::Within(_) => "within",
            Command::Stock(_) => "stock",
            Command::Depots(_) => "depots",
            Command::Demo(_) => "demo",
            Command::Help(_) => "help",
            Command::Completions(_) => "completions",
            Command::Manual(_) => "manual",
        }
    }
}

/// `depots`
#[derive(Debug, Args)]
pub(crate) struct Depots {
    /// A project whose page is to show what each can do [default: one that it served before, else
    /// the first that it lists]
    #[arg(value_name = "PROJECT")]
    pub(crate) project: Option<String>,
    /// Write this one into your own settings, once it answered: an index (https://HOST/simple/), a
    /// page of links, a folder of wheels, or the root of an index tree. With --config FILE into that
    #[arg(long, value_name = "URL|PATH", conflicts_with = "depot")]
    pub(crate) keep: Option<String>,
    /// The name that it gets there, for --depot NAME and for EUTAXIS_SECRET_NAME
    #[arg(long, value_name = "NAME", requires = "keep")]
    pub(crate) name: Option<String>,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
}

/// `help`
#[derive(Debug, Args)]
pub(crate) struct Help {
    /// A command, a matter (targets, files, accelerators), or a word for what you want to do
    #[arg(value_name = "TOPIC")]
    pub(crate) topic: Option<String>,
}

/// `completions`
#[derive(Debug, Args)]
pub(crate) struct Completions {
    /// The shell that reads the script
    #[arg(value_name = "SHELL")]
    pub(crate) shell: clap_complete::Shell,
}

/// `manual`
#[derive(Debug, Args)]
pub(crate) struct Manual {
    /// The folder that the pages are written to; it is made if it is not there
    #[arg(value_name = "DIR")]
    pub(crate) folder: PathBuf,
}

/// `survey`
#[derive(Debug, Args)]
pub(crate) struct Survey {
    /// Only this interpreter: a path, or a version such as 3.12
    #[arg(long, value_name = "VERSION|PATH")]
    pub(crate) interpreter: Option<String>,
    /// List the wheel tags that the target accepts, best first
    #[arg(long)]
    pub(crate) tags: bool,
    /// List the environments in a folder and below it: base interpreter, project, size, whole or
    /// broken
    #[arg(long, value_name = "FOLDER", num_args = 0..=1, default_missing_value = ".")]
    pub(crate) environments: Option<PathBuf>,
    /// Write the target as [target.NAME] into eutaxis.toml of this folder
    #[arg(long, value_name = "NAME")]
    pub(crate) save: Option<String>,
}

/// `shortlist`
#[derive(Debug, Args)]
pub(crate) struct Shortlist {
    /// A dependency specifier such as radargram or "radargram>=2" (quote it: < and > mean something
    /// to the shell)
    #[arg(value_name = "REQUIREMENT")]
    pub(crate) requirement: String,
    /// How many releases are shown
    #[arg(long, value_name = "N", default_value_t = 20, conflicts_with = "all",
        value_parser = clap::builder::RangedU64ValueParser::<usize>::new().range(1..))]
    pub(crate) limit: usize,
    /// Show all releases
    #[arg(long)]
    pub(crate) all: bool,
    /// Show every file with its verdict
    #[arg(long)]
    pub(crate) files: bool,
    /// Show releases against interpreters and platforms, with a mark where a wheel exists
    #[arg(long, conflicts_with = "files")]
    pub(crate) grid: bool,
    #[command(flatten)]
    pub(crate) target: TargetOptions,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
    #[command(flatten)]
    pub(crate) policy: PolicyOptions,
}

/// `span`
#[derive(Debug, Args, Clone)]
pub(crate) struct Span {
    #[command(flatten)]
    pub(crate) asks: AskOptions,
    /// The interpreter versions: a range (3.8..3.13), or versions with commas [default: from the
    /// oldest that the files of the projects speak of to the newest there is, those of the targets,
    /// and those found here]
    #[arg(long, value_name = "VERSIONS", help_heading = "The matrix")]
    pub(crate) interpreters: Option<String>,
    /// Draw the matrix
    #[arg(long, value_name = "FILE.svg", help_heading = "The matrix")]
    pub(crate) picture: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) target: TargetOptions,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
    #[command(flatten)]
    pub(crate) policy: PolicyOptions,
}

/// `settle`
#[derive(Debug, Args, Clone)]
pub(crate) struct Settle {
    #[command(flatten)]
    pub(crate) asks: AskOptions,
    #[command(flatten)]
    pub(crate) target: TargetOptions,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
    #[command(flatten)]
    pub(crate) policy: PolicyOptions,
    /// Where the pins go: pylock.toml or pylock.NAME.toml; with several targets one file each, NAME
    /// after the target [default: pylock.toml]
    #[arg(long, value_name = "FILE", help_heading = "Pins")]
    pub(crate) out: Option<PathBuf>,
    /// Write one lock for all targets instead of one for each, where that can be
    #[arg(long, help_heading = "Pins")]
    pub(crate) together: bool,
    /// Add a requirement to the list, or to the project file (to a group of it with --group), and
    /// settle; repeatable
    #[arg(
        long,
        value_name = "REQUIREMENT",
        help_heading = "Changing the question",
        conflicts_with = "check"
    )]
    pub(crate) and: Vec<String>,
    /// Take a project out of the list or project file, and settle; repeatable
    #[arg(
        long,
        value_name = "NAME",
        help_heading = "Changing the question",
        conflicts_with = "check"
    )]
    pub(crate) drop: Vec<String>,
    /// Ask for what an environment holds, whatever made it, and pin what is there
    #[arg(long, value_name = "ENV", help_heading = "What is asked for",
        conflicts_with_all = ["check", "and", "drop", "but_not"])]
    pub(crate) from: Option<PathBuf>,
    /// Take what projects of a depot need by an address of their own (`name @ https://...`)
    #[arg(long, help_heading = "Places that offer files")]
    pub(crate) permit_urls: bool,
    /// Leave a project that is asked for out of this set, without touching the file; repeatable
    #[arg(long, value_name = "NAME", help_heading = "Changing the question")]
    pub(crate) but_not: Vec<String>,
    /// Also write a plain pin list (name==version lines)
    #[arg(long, value_name = "FILE", help_heading = "Pins")]
    pub(crate) list: Option<PathBuf>,
    /// In the pin list name each file by URL and hash
    #[arg(long, requires = "list", help_heading = "Pins")]
    pub(crate) exact: bool,
    /// When nothing fits: go this way out, changing the file of the asks, and write the pins
    #[arg(long, value_name = "LETTER", help_heading = "When nothing fits")]
    pub(crate) take: Option<String>,
    /// When nothing fits: draw the clash
    #[arg(long, value_name = "FILE.svg", help_heading = "When nothing fits")]
    pub(crate) picture: Option<PathBuf>,
    /// Only say whether the pins that are there still hold for these asks, targets and depots; or,
    /// with the https address of a list or of pins, where the environment differs from it; write
    /// nothing
    #[arg(long, value_name = "ADDRESS", num_args = 0..=1, default_missing_value = "",
        help_heading = "Pins", conflicts_with_all = ["take", "renew", "list"])]
    pub(crate) check: Option<String>,
    /// Fetch the wheels, follow the imports of what is asked for through their sources, and, where
    /// the interpreter is on this machine, import it in an environment that is thrown away; learn
    /// from what fails, and settle again, until it imports
    #[arg(long, help_heading = "Proof", conflicts_with_all = ["check", "take"])]
    pub(crate) prove: bool,
    /// Let go of earlier pins: of all, or of one project; also of what was learnt about it
    #[arg(long, value_name = "PROJECT", num_args = 0..=1, default_missing_value = "", help_heading = "Pins")]
    pub(crate) renew: Vec<String>,
}

/// What is asked for.
#[derive(Debug, Args, Clone, Default)]
#[command(next_help_heading = "What is asked for")]
pub(crate) struct AskOptions {
    /// Dependency specifiers such as "radargram>=2" (quote them: < and > mean something to the
    /// shell), paths or addresses [default: the question that the pins of this folder remember, else
    /// its pyproject.toml or requirements.txt]
    #[arg(value_name = "REQUIREMENT")]
    pub(crate) requirements: Vec<String>,
    /// A requirement list (or its https address), a pyproject.toml, or a script with inline
    /// metadata; repeatable
    #[arg(long, value_name = "FILE")]
    pub(crate) asks: Vec<PathBuf>,
    /// An extra of the pyproject.toml; repeatable
    #[arg(long, value_name = "NAME")]
    pub(crate) extra: Vec<String>,
    /// A dependency group of the pyproject.toml; repeatable
    #[arg(long, value_name = "NAME")]
    pub(crate) group: Vec<String>,
    /// A requirement list (or its https address) that bounds versions but asks for nothing;
    /// repeatable
    #[arg(long, value_name = "FILE")]
    pub(crate) bounds: Vec<PathBuf>,
    /// Leave out lines of lists that speak to an installer and mean something, instead of refusing
    /// the list
    #[arg(long)]
    pub(crate) lenient: bool,
}

/// Where it must run.
#[derive(Debug, Args, Clone, Default)]
#[command(next_help_heading = "Where it must run [default: this machine]")]
pub(crate) struct TargetOptions {
    /// A named target of the settings, or a description: "cpython 3.9 / linux armv7l glibc 2.31";
    /// for settle and span repeatable
    #[arg(long, value_name = "NAME|SPEC")]
    pub(crate) target: Vec<String>,
    /// The interpreter: a path, or a version such as 3.12
    #[arg(long, value_name = "VERSION|PATH")]
    pub(crate) interpreter: Option<String>,
    /// The platform: "linux aarch64 glibc 2.28", "macos arm64 14.0", "windows x86_64"
    #[arg(long, value_name = "PLATFORM", conflicts_with = "target")]
    pub(crate) platform: Option<String>,
    /// The accelerator: "FAMILY [toolkit V] [driver V] [device D]", with `required` behind it where
    /// releases that leave it unused are out, or none [default: what is found here]
    #[arg(long, value_name = "ACCELERATOR|none")]
    pub(crate) accelerator: Option<String>,
}

/// Places that offer files.
#[derive(Debug, Args, Clone, Default)]
#[command(next_help_heading = "Places that offer files")]
pub(crate) struct DepotOptions {
    /// An index (https://HOST/simple/), a page of links (.html), a folder of wheels, the root of an
    /// index tree, or the name of a depot of the settings; repeatable, in order; before those of
    /// the settings
    #[arg(long, value_name = "URL|PATH")]
    pub(crate) depot: Vec<String>,
    /// The most that is fetched to learn what releases need: of one file [default: 32MB], and of
    /// all together where it is more than 256MB
    #[arg(long, value_name = "SIZE", value_parser = eutaxis_world::stock::parse_size)]
    pub(crate) fetch_limit: Option<u64>,
}

/// What is permitted and preferred.
#[derive(Debug, Args, Clone, Default)]
#[command(next_help_heading = "What is permitted and preferred")]
pub(crate) struct PolicyOptions {
    /// Wheels only, wheels first, or any release as it comes [default: first]
    #[arg(long, value_name = "POLICY")]
    pub(crate) wheels: Option<WheelsArg>,
    #[command(flatten)]
    pub(crate) permit: BuildOptions,
    /// Admit pre-releases of a project, or of all; repeatable
    #[arg(long, value_name = "PROJECT|all")]
    pub(crate) prereleases: Vec<String>,
    /// Files published after this day (its end, UTC) or moment do not exist
    #[arg(long, value_name = "DATE")]
    pub(crate) as_of: Option<String>,
    /// With --as-of: take files whose depot gives no date too
    #[arg(long)]
    pub(crate) take_undated: bool,
    /// Which of several releases is better [default: newest]
    #[arg(long, value_name = "AGE")]
    pub(crate) prefer: Option<PreferArg>,
    /// What is done about releases that are of different times [default: heed]
    #[arg(long, value_name = "HOW")]
    pub(crate) chronology: Option<ChronologyArg>,
}

/// What may be built from source, which runs what its projects bring.
#[derive(Debug, Args, Clone, Default)]
#[command(next_help_heading = "Building from source")]
pub(crate) struct BuildOptions {
    /// Permit building a project from its source, where no wheel of it fits; repeatable
    #[arg(long, value_name = "PROJECT")]
    pub(crate) build: Vec<String>,
    /// Build a project from its source though a wheel of it fits, or was built before; repeatable
    #[arg(long, value_name = "PROJECT")]
    pub(crate) rebuild: Vec<String>,
    /// Permit building every project whose source holds no native code
    #[arg(long)]
    pub(crate) build_light: bool,
    /// Permit building every project
    #[arg(long)]
    pub(crate) build_all: bool,
    /// A requirement list that bounds what builds need; repeatable
    #[arg(long, value_name = "FILE")]
    pub(crate) build_bounds: Vec<PathBuf>,
}

impl Settle {
    /// Whether pins are only looked at.
    pub(crate) fn is_check(&self) -> bool {
        self.check.is_some()
    }

    /// Where the pins go.
    pub(crate) fn out(&self) -> &Path {
        self.out.as_deref().unwrap_or(Path::new("pylock.toml"))
    }
}

impl PolicyOptions {
    /// Whether they say what is done about releases of different times.
    pub(crate) fn says_chronology(&self) -> bool {
        self.chronology.is_some() || matches!(self.prefer, Some(PreferArg::Period))
    }
}

/// `--wheels`
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum WheelsArg {
    /// No source distributions
    Only,
    /// A release with a wheel is better than a newer one without
    First,
    /// Releases are not told apart by it
    Any,
}

/// `--chronology`
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum ChronologyArg {
    /// What an old ask needs is of its time, and strong facts against a pair keep it out
    Heed,
    /// The same, with every ask as if it were an old one
    Follow,
    /// Tell it
    Caution,
    /// Say nothing
    Ignore,
}

/// `--prefer`
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum PreferArg {
    /// The newest that fits
    Newest,
    /// The oldest that fits
    Oldest,
    /// Another word for `--chronology follow`
    Period,
}

/// `reason`
#[derive(Debug, Args)]
pub(crate) struct Reason {
    /// A project of the pins
    #[arg(value_name = "PROJECT", required_unless_present_any = ["learnt", "tree"])]
    pub(crate) project: Option<String>,
    /// Show who needs what as a tree: of everything, or of the project in both directions
    #[arg(long, conflicts_with_all = ["learnt", "not"])]
    pub(crate) tree: bool,
    /// How deep the tree goes
    #[arg(long, value_name = "N", requires = "tree", default_value_t = 20,
        value_parser = clap::builder::RangedU64ValueParser::<usize>::new().range(1..))]
    pub(crate) depth: usize,
    /// Draw the whole set as a graph, or what the project has to do with
    #[arg(long, value_name = "FILE.svg", requires = "tree")]
    pub(crate) picture: Option<PathBuf>,
    /// Say what proofs of the pins learnt, as entries for the settings, and how far they are proven
    #[arg(long, conflicts_with_all = ["project", "not"])]
    pub(crate) learnt: bool,
    /// Say what would have to give for exactly this version
    #[arg(long, value_name = "VERSION")]
    pub(crate) not: Option<String>,
    /// The pins
    #[arg(long, value_name = "FILE", default_value = "pylock.toml")]
    pub(crate) pins: PathBuf,
    /// Of pins for several targets: the one that is meant [default: this machine where it is one of
    /// them, else the first]
    #[arg(long, value_name = "NAME")]
    pub(crate) target: Option<String>,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
}

/// `examine`
#[derive(Debug, Args)]
pub(crate) struct Examine {
    /// An environment's folder, or an interpreter [default: the active environment, else .venv,
    /// else what `python3` starts]
    #[arg(value_name = "ENV")]
    pub(crate) environment: Option<PathBuf>,
    /// Compare with these pins (their default groups)
    #[arg(long, value_name = "FILE")]
    pub(crate) pins: Option<PathBuf>,
    /// List what it holds, instead of looking for what is wrong
    #[arg(long, conflicts_with_all = ["against", "pins"])]
    pub(crate) list: bool,
    /// Tell how it differs from another environment, or from pins, instead of looking for what is
    /// wrong
    #[arg(long, value_name = "ENV|PINS", conflicts_with = "pins")]
    pub(crate) against: Option<PathBuf>,
    /// The folder that code is started from: its modules are found before all others
    #[arg(long, value_name = "DIR")]
    pub(crate) from_folder: Option<PathBuf>,
    /// Leave the hashes of files out, and what their sources import
    #[arg(long)]
    pub(crate) quick: bool,
    /// Show what takes the room
    #[arg(long)]
    pub(crate) sizes: bool,
    /// Also write the findings in the open format for findings of checks (SARIF), for CI and
    /// editors
    #[arg(long, value_name = "FILE")]
    pub(crate) sarif: Option<PathBuf>,
    /// Really import every top-level module and those in which scripts start, each in a process of
    /// its own; with `all`, every module of what was asked for (write ENV before it)
    #[arg(long, value_name = "WHICH", num_args = 0..=1, default_missing_value = "public",
        help_heading = "Trying it")]
    pub(crate) imports: Option<ImportsArg>,
    /// Run the trials of the settings ([trial.NAME])
    #[arg(long, help_heading = "Trying it")]
    pub(crate) trials: bool,
    /// Ask what is placed whether it sees the accelerator, how many devices, and for a small
    /// computation
    #[arg(long, help_heading = "Trying it")]
    pub(crate) device: bool,
    /// How long an import or a trial may take
    #[arg(long, value_name = "SECONDS", default_value_t = 60, help_heading = "Trying it",
        value_parser = clap::value_parser!(u64).range(1..=86_400))]
    pub(crate) seconds: u64,
    /// How much memory an import or a trial may take for its data
    #[arg(
        long,
        value_name = "SIZE",
        default_value = "8GB",
        help_heading = "Trying it"
    )]
    pub(crate) memory: String,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
}

/// `--imports`
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ImportsArg {
    /// What people import, and what scripts start in
    Public,
    /// Every module of what was asked for as well
    All,
}

/// `diagnose`
#[derive(Debug, Args)]
pub(crate) struct Diagnose {
    /// The log of an installation, a build, or an import, whatever program wrote it [default:
    /// standard input]
    #[arg(value_name = "LOG")]
    pub(crate) log: Option<PathBuf>,
    /// The environment it happened in: its folder, or its interpreter
    #[arg(long = "in", value_name = "ENV")]
    pub(crate) environment: Option<PathBuf>,
    /// Also write the causes in the open format for findings of checks (SARIF), for CI and editors
    #[arg(long, value_name = "FILE")]
    pub(crate) sarif: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) target: TargetOptions,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
    #[command(flatten)]
    pub(crate) policy: PolicyOptions,
}

/// `assay`
#[derive(Debug, Args)]
pub(crate) struct Assay {
    /// Wheels
    #[arg(value_name = "FILE", required = true)]
    pub(crate) files: Vec<PathBuf>,
    /// Follow the imports of each beside what these pins place, in the place of its own project
    #[arg(long, value_name = "PINS")]
    pub(crate) beside: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) target: TargetOptions,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
}

/// `locate`
#[derive(Debug, Args)]
pub(crate) struct Locate {
    /// A module as code imports it: firnio, or firnio.tables
    #[arg(value_name = "MODULE")]
    pub(crate) module: String,
    /// Only look into this environment or interpreter; repeatable [default: all that are found
    /// here, and the environments of this folder]
    #[arg(long = "in", value_name = "ENV")]
    pub(crate) places: Vec<PathBuf>,
}

/// `rehearse`
#[derive(Debug, Args)]
pub(crate) struct Rehearse {
    /// Dependency specifiers such as "radargram>=2" (quote them: < and > mean something to the
    /// shell) [default: what newer releases would move, and what holds the others]
    #[arg(value_name = "REQUIREMENT")]
    pub(crate) requirements: Vec<String>,
    /// What is placed in a step of its own after that; repeatable, in order
    #[arg(long = "then", value_name = "REQUIREMENT", num_args = 1)]
    pub(crate) then: Vec<String>,
    /// An environment: its folder, or its interpreter [default: the pins of this folder, else
    /// .venv]
    #[arg(long = "in", value_name = "ENV", conflicts_with = "pins")]
    pub(crate) environment: Option<PathBuf>,
    /// Pins
    #[arg(long, value_name = "FILE")]
    pub(crate) pins: Option<PathBuf>,
    /// Of pins for several targets: the one that is meant [default: this machine where it is one of
    /// them, else the first]
    #[arg(long, value_name = "NAME", conflicts_with = "environment")]
    pub(crate) target: Option<String>,
    /// Fetch the wheels before and after, and tell what importing would run into then
    #[arg(long)]
    pub(crate) prove: bool,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
    #[command(flatten)]
    pub(crate) policy: PolicyOptions,
}

/// `proofread`
#[derive(Debug, Args)]
pub(crate) struct Proofread {
    /// Requirement lists, pyproject.toml files, pins; and your own code: folders, .py files,
    /// notebooks, whose imports are held against the pins and lists beside them [default:
    /// pyproject.toml or requirements.txt of this folder]
    #[arg(value_name = "PATH")]
    pub(crate) files: Vec<PathBuf>,
    /// Hold the imports of your code against what this environment holds
    #[arg(long = "in", value_name = "ENV")]
    pub(crate) environment: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) target: TargetOptions,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
    #[command(flatten)]
    pub(crate) policy: PolicyOptions,
}

/// `gather`
#[derive(Debug, Args)]
pub(crate) struct Gather {
    /// The pins; several may be gathered into one folder
    #[arg(value_name = "PINS", default_value = "pylock.toml")]
    pub(crate) pins: Vec<PathBuf>,
    /// The folder: new, empty, or one that was gathered before
    #[arg(long, value_name = "DIR")]
    pub(crate) into: PathBuf,
    /// Also the wheels that were built here of what is pinned as source, so that a machine of the
    /// same kind is furnished without building
    #[arg(long)]
    pub(crate) built: bool,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
}

/// `stock`
#[derive(Debug, Args)]
pub(crate) struct Stock {
    /// Drop what was not used for so long (30d, 12h), or what was used longest ago until so much is
    /// left (2GB, 500MB)
    #[arg(long, value_name = "AGE|SIZE")]
    pub(crate) trim: Option<String>,
}

/// `furnish`
#[derive(Debug, Args)]
pub(crate) struct Furnish {
    /// The pins, a pylock.toml of any tool (or its https address); several make an environment each
    #[arg(value_name = "PINS", default_value = "pylock.toml")]
    pub(crate) pins: Vec<PathBuf>,
    /// The environment; for several pins the folder in which each gets its own, named as they are
    /// [default: .venv; for pylock.NAME.toml .venv-NAME]
    #[arg(long, value_name = "DIR")]
    pub(crate) at: Option<PathBuf>,
    /// The interpreter: a path, or a version such as 3.12 [default: the one that settle was given,
    /// else one that the pins fit]
    #[arg(long, value_name = "VERSION|PATH")]
    pub(crate) interpreter: Option<String>,
    /// An extra that the pins offer; repeatable
    #[arg(long, value_name = "NAME")]
    pub(crate) extra: Vec<String>,
    /// A dependency group that the pins offer; repeatable
    #[arg(long, value_name = "NAME")]
    pub(crate) group: Vec<String>,
    /// Leave out one's own project: place just what it depends on
    #[arg(long)]
    pub(crate) deps_only: bool,
    /// Remove projects that are not pinned
    #[arg(long)]
    pub(crate) tidy: bool,
    /// Only say whether the environment is as pinned, and the pins as asked; change nothing
    #[arg(long, conflicts_with_all = ["prove", "anyway"])]
    pub(crate) check: bool,
    /// Let the environment see the base interpreter's packages
    #[arg(long)]
    pub(crate) share_system: bool,
    /// Describe the environment to notebooks as a kernel of this name, for this user
    #[arg(long, value_name = "NAME", conflicts_with = "check")]
    pub(crate) kernel: Option<String>,
    /// How files come from the store
    #[arg(long, value_name = "HOW", default_value = "auto")]
    pub(crate) link: LinkArg,
    /// Import what was asked for in an environment that is thrown away, and place the set only when
    /// that goes well
    #[arg(long, help_heading = "Proof")]
    pub(crate) prove: bool,
    /// Place the set though importing it runs into something
    #[arg(long, help_heading = "Proof")]
    pub(crate) anyway: bool,
    #[command(flatten)]
    pub(crate) permit: BuildOptions,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
}

/// `within`
#[derive(Debug, Args)]
pub(crate) struct Within {
    /// The environment, or a script with inline metadata, which is settled beside it, furnished in
    /// the cache and run [default: .venv]
    #[arg(value_name = "ENV|FILE.py")]
    pub(crate) place: Option<PathBuf>,
    /// Bring the environment to its pins first, where it is not
    #[arg(long)]
    pub(crate) furnish: bool,
    /// Keep the end of its error output, and explain it where the command ends badly with a fault of
    /// imports, versions or libraries
    #[arg(long)]
    pub(crate) explain: bool,
    #[command(flatten)]
    pub(crate) depots: DepotOptions,
    /// The command and what follows it, behind --; of a script what follows it
    #[arg(last = true, value_name = "COMMAND")]
    pub(crate) command: Vec<OsString>,
}

/// `--link`
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum LinkArg {
    /// Reflink, else hard link (files read-only), else copy
    Auto,
    /// Hard link or fail
    Hard,
    /// Copy
    Copy,
}

/// `demo`
#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// Where the demo world goes and stays [default: a temporary folder, removed afterwards]
    #[arg(value_name = "DIR")]
    pub(crate) dir: Option<PathBuf>,
    /// The whole way: every command, clashes of all kinds, builds, accelerators, several machines
    #[arg(long)]
    pub(crate) all: bool,
    /// Show this step alone; those before it are done without being shown
    #[arg(long, value_name = "N")]
    pub(crate) step: Option<usize>,
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::CommandFactory;

    #[test]
    fn the_definition_is_consistent() {
        Cli::command().debug_assert();
    }

    /// The habits of the contract: long options in full words, short ones only h, V, q, v, and help
    /// for each.
    #[test]
    fn every_option_keeps_the_conventions() {
        let command = Cli::command();
        for sub in command.get_subcommands() {
            for option in command
                .get_arguments()
                .chain(sub.get_arguments())
                .filter(|a| !a.is_positional())
            {
                let short = option.get_short();
                assert!(short.is_none_or(|s| "hVqv".contains(s)), "{option:?}");
                assert!(option.get_help().is_some(), "{} {option:?}", sub.get_name());
                assert!(option.get_long().is_some_and(|l| l.len() > 1), "{option:?}");
            }
        }
    }
}
