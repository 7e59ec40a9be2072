//! A script with inline metadata (PEP 723): settled beside it, furnished in the cache.

use std::path::{Path, PathBuf};

use eutaxis_core::fault::escaped;
use eutaxis_core::requirement::script_block;
use eutaxis_world::environment::{Place, look, script_root};
use eutaxis_world::files::read_text;
use eutaxis_world::{Error, ErrorKind};

use super::Session;
use crate::cli::Command;
use crate::output::Outcome;
use crate::paired;
use crate::remembered;
use crate::words::near;

impl Session<'_> {
    /// The environment of a script, as it is to be.
    pub(super) fn of_script(&self, file: &Path) -> Result<PathBuf, Error> {
        let shown = file.display().to_string();
        let text = read_text(file).map_err(Error::of_request)?;
        let block = script_block(&text).map_err(|f| Error::in_file(&shown, &text, &f))?;
        if block.is_none() {
            let error = Error::request(format!(
                "{shown} holds no inline metadata (a comment block `# /// script`)"
            ));
            return Err(error.help(format!(
                "add one, or run it in an environment:  eutaxis within -- python {shown}"
            )));
        }
        let pins = beside(file);
        let root = script_root(&self.surroundings.cache, file);
        let kept = remembered::kept(&pins).filter(|_| pins.exists());
        let folder = pins.parent().map(Path::to_owned).unwrap_or_default();
        let is_settled = kept
            .as_ref()
            .is_some_and(|k| k.question.is_some() && remembered::since(&k.lock, &folder).is_none());
        if !is_settled {
            self.settle(file, &pins)?;
        }
        let is_made = matches!(look(&root), Ok(Place::Environment { .. }));
        if !is_settled || !is_made || self.unlike(&root, &pins).is_some() {
            let words = ["furnish".to_owned(), near(&pins)].into_iter();
            let words = words.chain(["--at".to_owned(), root.display().to_string()]);
            let tidy = std::iter::once("--tidy".to_owned());
            let depots = crate::typed::depots(&self.arguments.depots);
            let words: Vec<String> = words.chain(tidy).chain(depots).collect();
            self.furnish(&words)?;
        }
        Ok(root)
    }

    fn settle(&self, file: &Path, pins: &Path) -> Result<(), Error> {
        let words = ["settle", "--asks"].map(str::to_owned).into_iter();
        let places = [
            file.display().to_string(),
            "--out".to_owned(),
            pins.display().to_string(),
        ];
        let depots = crate::typed::depots(&self.arguments.depots);
        let words = words.chain(places).chain(depots);
        let Some(Command::Settle(settle)) = Command::of_words(words) else {
            return Err(Error::new(
                ErrorKind::Internal,
                "cannot say what settles it",
            ));
        };
        let answer = crate::commands::settle::run(&settle, self.common, self.output)
            .map_err(|errors| errors.into_first("it cannot be settled"))?;
        self.output.tell(&answer.text);
        match answer.outcome {
            Outcome::Ok => Ok(()),
            Outcome::No | Outcome::Passed(_) => Err(Error::new(
                ErrorKind::Request,
                format!("what {} asks for cannot be settled", escaped(&near(file))),
            )),
        }
    }
}

/// The pins of a script: `pylock.NAME.toml` beside it (PEP 751: a NAME without dots).
fn beside(file: &Path) -> PathBuf {
    let stem = file.file_stem().map(|s| s.to_string_lossy().into_owned());
    let name = stem.unwrap_or_default().replace('.', "-");
    file.with_file_name(paired::pins_named(&name))
}
