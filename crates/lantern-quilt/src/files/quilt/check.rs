//! What can be said of a quilt before anything is filled, less what the artist has accepted.

use super::accepted::drop_accepted;
use super::checked::Quilt;
use crate::art::NearSeam;
use crate::files::report::{Located, Report};
use lantern_quilt_core::audit::company::audit_company;
use lantern_quilt_core::audit::missing::{TrialReport, missing_pieces};
use lantern_quilt_core::audit::room::audit_begin;
use lantern_quilt_core::audit::seams::{SeamReport, seams};
use lantern_quilt_core::audit::trial::{Trials, first_goes};
use lantern_quilt_core::constraints::Constraints;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::lattice::Wrap;
use lantern_quilt_core::passes::Collapse;
use lantern_quilt_core::solve::Order;
use std::cell::RefCell;
use std::collections::BTreeSet;

/// The most cells of a map that is begun to see whether it can be.
const LARGEST: usize = 1 << 20;

/// What [`Quilt::check`] found.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Check {
    /// Everything found, in the order of the file.
    pub report: Report,
    /// How many findings the quilt accepts.
    pub accepted: usize,
    /// What trial fills showed, when any were made.
    pub trials: Option<TrialReport>,
    /// How many of as many trial fills succeed row by row, where that was tried.
    pub by_rows: Option<u32>,
    /// What the pictures show along seams.
    pub seams: SeamReport,
    /// Sides that would meet but for a few pixels.
    pub near: Vec<NearSeam>,
}

impl Quilt {
    /// Looks for what is wrong, missing or impossible. Trial fills are made when asked for, in the
    /// order of the quilt; the rest takes a fraction of a second at most.
    ///
    /// ```no_run
    /// use lantern_quilt::audit::trial::Trials;
    /// use lantern_quilt::files::Quilt;
    ///
    /// let quilt = Quilt::open("terrace.quilt.toml".as_ref())?;
    /// let check = quilt.check(Some(&Trials::default()));
    /// print!("{}", check.report.render(false, 100));
    /// # Ok::<(), lantern_quilt::files::Report>(())
    /// ```
    pub fn check(&self, trials: Option<&Trials>) -> Check {
        let mut rules = RuleCheck::default();
        if let Some(collapse) = self.collapse() {
            rules = self.check_rules(collapse, trials);
        }
        let RuleCheck { mut found, trials, by_rows, seams } = rules;
        found.extend(self.check_shapes());
        // That nothing fits a side says more than that its tile never stands inside.
        let told = |name: &str| {
            self.findings.findings.iter().any(|located| match &located.finding.subject {
                Subject::Tile(tile) | Subject::TileSide(tile, _) => tile == name,
                _ => false,
            })
        };
        found.retain(|one| match (one.code, &one.subject) {
            (Code::NeverInside, Subject::Tile(name)) => !told(name),
            _ => true,
        });
        // Parts of one tile are found one by one, but named alike.
        let mut said = BTreeSet::new();
        found.retain(|one| said.insert((one.code, one.message.clone())));
        let mut report = self.findings.clone();
        report.findings.extend(self.later.iter().cloned());
        let path = self.main_path();
        report.findings.extend(found.into_iter().map(|one| self.places.locate(one, path)));
        let mut accepted = self.accepted.clone();
        drop_accepted(&mut report.findings, &mut accepted);
        for idle in accepted.iter().filter(|one| !one.occurs) {
            // Without trial fills nobody knows whether a piece is missing or an order would do.
            if [Code::MissingPiece, Code::TryRows].contains(&idle.code) && trials.is_none() {
                continue;
            }
            let text =
                format!("`{}` of {} is accepted but does not occur", idle.code, idle.subject);
            let subject = Subject::Field("accept".to_owned());
            let finding = Finding::new(Code::IdleAccept, subject, text);
            let help = "take it out, so that it cannot hide a later one";
            report.findings.push(Located {
                finding: finding.help(help),
                span: Some(idle.span.clone()),
                replaceable: false,
            });
        }
        report.findings.sort_by_key(|f| {
            let start = f.span.as_ref().map_or(usize::MAX, |span| span.start);
            (std::cmp::Reverse(f.finding.severity()), start)
        });
        let accepted = accepted.iter().filter(|one| one.occurs).count();
        Check { report, accepted, trials, by_rows, seams, near: self.near.clone() }
    }
}

/// What is found in the rules of a fill.
#[derive(Default)]
struct RuleCheck {
    found: Vec<Finding>,
    trials: Option<TrialReport>,
    by_rows: Option<u32>,
    seams: SeamReport,
}

impl Quilt {
    fn check_rules(&self, collapse: &Collapse, trials: Option<&Trials>) -> RuleCheck {
        let (tileset, rules) = (collapse.tileset(), collapse.rules());
        let mut found = audit_company(tileset, rules);
        if rules.never_stuck_by_rows() {
            let text = "row by row this set never gets stuck, at any size";
            let by_rows = collapse.search.order == Order::Rows;
            let plain = collapse.constraints() == &Constraints::default();
            let help = match (by_rows, plain && self.layout.wrap() == Wrap::NONE) {
                (true, true) => "the fill uses it already",
                (_, true) => "`order = \"rows\"` in the pass makes its fill several times faster",
                _ => "that holds where no border rule, no pin and no wrap is in the way",
            };
            found.push(Finding::new(Code::NeverStuck, Subject::Quilt, text).help(help));
        }
        let lattice = tileset.lattice();
        // One pose is asked about side by side, so its picture is turned once.
        let last = RefCell::new(None);
        let seams = seams(tileset, rules, |id, orientation, side| {
            let mut last = last.borrow_mut();
            if !matches!(&*last, Some((known, _)) if *known == (id, orientation)) {
                let tile = &tileset.tiles()[id];
                let drawn = self.art.posed(tile.name(), 0, tile.part(), lattice, orientation);
                *last = Some(((id, orientation), drawn));
            }
            let (_, drawn) = last.as_ref()?;
            Some(drawn.as_ref()?.side(lattice, side))
        });
        found.extend(seams.findings(tileset));
        if self.layout.extent().cells() <= LARGEST {
            found.extend(audit_begin(tileset, rules, &collapse.space(self.layout)));
        }
        let Some(mut trials) = trials.copied() else {
            return RuleCheck { found, seams, ..RuleCheck::default() };
        };
        trials.order = collapse.search.order;
        let report = missing_pieces(tileset, collapse.constraints(), &trials);
        found.extend(report.findings(tileset));
        let mut by_rows = None;
        if self.may_go_by_rows(collapse) {
            trials.order = Order::Rows;
            let filled = first_goes(tileset, collapse.constraints(), &trials);
            found.extend(try_rows(&report, filled));
            by_rows = Some(filled);
        }
        RuleCheck { found, trials: Some(report), by_rows, seams }
    }

    /// Whether it is worth trying to fill row by row: nothing that trial fills leave out would be in
    /// the way, it is not proven anyway, and the artist has named no order.
    fn may_go_by_rows(&self, collapse: &Collapse) -> bool {
        let constraints = collapse.constraints();
        let path = self.main_path();
        let plain = ["order", "where", "into", "coarse"]
            .iter()
            .all(|key| !self.places.has(&format!("{path}.{key}")));
        plain
            && !collapse.rules().never_stuck_by_rows()
            && constraints.pins.is_empty()
            && constraints.limits.is_empty()
            && constraints.counts.is_empty()
            && self.layout.wrap() == Wrap::NONE
    }
}

/// That `filled` of as many trial fills succeed row by row, where that is no fewer.
fn try_rows(today: &TrialReport, filled: u32) -> Option<Finding> {
    // A set that hardly ever fills has other worries.
    if filled < today.filled || filled * 10 < today.fills * 9 {
        return None;
    }
    let text = format!(
        "row by row {filled} of {} trial maps are filled on the first try, currently {}",
        today.fills, today.filled
    );
    Some(Finding::new(Code::TryRows, Subject::Field("order".to_owned()), text).help(
        "`order = \"rows\"` in the pass is quicker, often by half. It is tried, not proven; tiles come \
         out in other shares and shapes may lean to one side, so look at a map and mend the weights. \
         `order = \"entropy\"` keeps the current maps and ends this hint",
    ))
}
