//! What pages show besides the map: the map after each pass, and what each pass did.

use lantern_quilt::draw::{PageDetails, Stage};
use lantern_quilt::files::{Output, OutputKind, Quilt};
use lantern_quilt::map::Tilemap;
use lantern_quilt::passes::PassReport;
use std::time::Duration;

/// The map after each pass, kept only for pages.
#[derive(Default)]
pub struct Stages(Option<Vec<Stage>>);

impl Stages {
    /// Keeps maps when one of the outputs is a page.
    pub fn of(outputs: &[Output]) -> Self {
        let page = outputs.iter().any(|output| output.kind() == OutputKind::Page);
        Self(page.then(Vec::new))
    }

    /// Keeps maps.
    pub const fn kept() -> Self {
        Self(Some(Vec::new()))
    }

    /// Adds the map after a pass.
    pub fn add(&mut self, pass: &str, map: &Tilemap) {
        if let Some(stages) = &mut self.0 {
            stages.push(Stage { pass: pass.to_owned(), map: map.clone() });
        }
    }

    /// What a page shows of a quilt that was followed so; `times` where a pass was done for this map.
    pub fn details(
        self,
        quilt: &Quilt,
        reports: &[PassReport],
        times: impl IntoIterator<Item = Option<Duration>>,
    ) -> PageDetails {
        let Some(stages) = self.0 else { return PageDetails::default() };
        let mut details = quilt.page_details();
        details.stages = stages;
        for (report, took) in reports.iter().zip(times) {
            let Some(note) = details.passes.iter_mut().find(|note| note.name == report.name) else {
                continue;
            };
            (note.took, note.cells, note.items) = (took, report.cells, report.items);
        }
        details
    }
}
