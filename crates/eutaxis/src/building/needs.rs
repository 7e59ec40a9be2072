//! Asking build systems what archives need while a set is chosen, where that is permitted.

use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use eutaxis_core::index::PageFile;
use eutaxis_core::offer::{MetadataAnswer, Policy};
use eutaxis_core::requirement::Ask;
use eutaxis_core::source::foresee;
use eutaxis_core::{Name, Target};
use eutaxis_world::Error;
use eutaxis_world::depot::Depots;
use eutaxis_world::interpreter::Found;
use eutaxis_world::supply::{ByBuild, keep_built};

use super::foresee::is_permitted;
use super::make::{Archive, Maker, Recipe};
use crate::output::Steps;
use crate::plan::Surroundings;

/// Whoever asks them.
pub(crate) struct Asker {
    pub(crate) surroundings: Surroundings,
    pub(crate) depots: Arc<Depots>,
    pub(crate) python: Found,
    pub(crate) target: Target,
    /// As the user states it: what a way out would permit is not permitted yet.
    pub(crate) policy: Policy,
    pub(crate) bounds: Vec<Ask>,
    pub(crate) steps: Steps,
    pub(crate) stop: Arc<AtomicBool>,
}

impl ByBuild for Asker {
    fn may_permit(&self, project: &Name) -> bool {
        self.policy.builds(project) || self.policy.build_light
    }

    fn needs(
        &self,
        project: &Name,
        file: &PageFile,
        archive: &Path,
        sha256: &str,
    ) -> Result<Option<MetadataAnswer>, Error> {
        let archive = Archive {
            project: project.clone(),
            version: file.kind.version().clone(),
            path: archive.to_owned(),
            sha256: sha256.to_owned(),
            published: file.published,
            is_tree: false,
            in_place: None,
        };
        let is_light = foresee(&archive.digest(self.depots.network())?).is_light;
        if !is_permitted(&self.policy, project, is_light) {
            return Ok(None);
        }
        let maker = Maker {
            recipe: Recipe {
                surroundings: &self.surroundings,
                python: &self.python,
                target: &self.target,
                policy: &self.policy,
                bounds: &self.bounds,
                depots: &self.depots,
            },
            steps: &self.steps,
            stop: &self.stop,
        };
        Ok(Some(match maker.metadata(&archive)? {
            Ok(metadata) => {
                keep_built(self.depots.network(), sha256, &metadata);
                MetadataAnswer::Known(Arc::new(metadata))
            }
            Err(failed) => {
                let root = failed.causes.first();
                let why = root.map_or(failed.why.clone(), |c| c.title.clone());
                let log = failed.log.as_deref().map_or(String::new(), |log| {
                    format!(" (its log: {})", crate::words::near(log))
                });
                let step = failed.step.words();
                MetadataAnswer::Unusable(format!("{step} failed: {why}{log}"))
            }
        }))
    }
}
