//! A build that reads no models says so.

use super::uses::ModelUse;
use crate::files::quilt::cursor::Notes;
use crate::files::quilt::load::Load;
use crate::files::quilt::modules::ModelPlaces;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::lattice::Lattice;

/// The models of tiles and items; nothing when there are none.
pub(in crate::files::quilt) fn read_models(
    uses: &[ModelUse<'_>],
    _places: &ModelPlaces,
    module: [f32; 3],
    _lattice: Lattice,
    _load: &mut Load<'_>,
    notes: &mut Notes,
) -> Option<crate::models::ModelArt> {
    if let Some(spec) = uses.iter().find_map(|one| one.look.model.as_ref()) {
        let subject = Subject::Field(spec.file.clone());
        let finding = Finding::new(Code::NotYet, subject, "this build reads no models");
        notes.add(finding.help("build it with the feature `models`"), spec.span.clone());
    }
    let _ = module;
    None
}
