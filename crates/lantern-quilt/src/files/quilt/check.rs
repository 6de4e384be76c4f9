//! What can be said of a quilt before anything is filled, less what the artist has accepted.

use super::Quilt;
use super::cursor::{Notes, Value, unknown_name};
use crate::art::NearSeam;
use crate::files::report::{Located, Report};
use lantern_quilt_core::audit::company::audit_company;
use lantern_quilt_core::audit::missing::{TrialReport, Trials, missing_pieces};
use lantern_quilt_core::audit::room::audit_begin;
use lantern_quilt_core::audit::seams::{SeamReport, seams};
use lantern_quilt_core::constraints::Constraints;
use lantern_quilt_core::finding::{Code, Finding, Severity, Subject};
use lantern_quilt_core::passes::Collapse;
use std::cell::RefCell;
use std::collections::BTreeSet;
use std::ops::Range;

/// The most cells of a map that is begun to see whether it can be.
const LARGEST: usize = 1 << 20;

/// A finding that the quilt says is meant.
#[derive(Clone, Debug)]
pub(super) struct Accepted {
    code: Code,
    subject: String,
    span: Range<usize>,
    occurs: bool,
}

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
    /// What the pictures show along seams.
    pub seams: SeamReport,
    /// Sides that would meet but for a few pixels.
    pub near: Vec<NearSeam>,
}

impl Quilt {
    /// Looks for what is wrong, missing or impossible. Trial fills are made when asked for; the
    /// rest takes a fraction of a second at most.
    ///
    /// ```no_run
    /// use lantern_quilt::audit::missing::Trials;
    /// use lantern_quilt::files::Quilt;
    ///
    /// let quilt = Quilt::open("terrace.quilt.toml".as_ref(), None)?;
    /// let check = quilt.check(Some(&Trials::default()));
    /// print!("{}", check.report.render(false, 100));
    /// # Ok::<(), lantern_quilt::files::Report>(())
    /// ```
    pub fn check(&self, trials: Option<&Trials>) -> Check {
        let mut rules = RuleCheck::default();
        if let Some(collapse) = self.collapse() {
            rules = self.check_rules(collapse, trials);
        }
        let RuleCheck { mut found, trials, seams } = rules;
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
        let path = self.main_fill().map_or("", |fill| &fill.path);
        report.findings.extend(found.into_iter().map(|one| self.places.locate(one, path)));
        let mut accepted = self.accepted.clone();
        drop_accepted(&mut report.findings, &mut accepted);
        for idle in accepted.iter().filter(|one| !one.occurs) {
            // Without trial fills nobody knows whether a piece is missing.
            if idle.code == Code::MissingPiece && trials.is_none() {
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
        Check { report, accepted, trials, seams, near: self.near.clone() }
    }
}

/// What is found in the rules of a fill.
#[derive(Default)]
struct RuleCheck {
    found: Vec<Finding>,
    trials: Option<TrialReport>,
    seams: SeamReport,
}

impl Quilt {
    fn check_rules(&self, collapse: &Collapse, trials: Option<&Trials>) -> RuleCheck {
        let (tileset, rules) = (collapse.tileset(), collapse.rules());
        let mut found = audit_company(tileset, rules);
        if rules.never_stuck_by_rows() {
            let text = "row by row this set never gets stuck, at any size";
            let by_rows = collapse.search.order == lantern_quilt_core::solve::Order::Rows;
            let plain = collapse.constraints() == &Constraints::default();
            let help = match (by_rows, plain) {
                (true, true) => "the fill uses it already",
                (_, true) => "`order = \"rows\"` in the pass makes its fill several times faster",
                _ => "that holds where no border rule and no pin is in the way",
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
        let trials = trials.map(|t| missing_pieces(tileset, collapse.constraints(), t));
        if let Some(trials) = &trials {
            found.extend(trials.findings(tileset));
        }
        RuleCheck { found, trials, seams }
    }
}

/// Takes out what is accepted, and marks that it occurred.
pub(super) fn drop_accepted(findings: &mut Vec<Located>, accepted: &mut [Accepted]) {
    findings.retain(|located| {
        let subject = located.finding.subject.to_string();
        let is_meant =
            |one: &&mut Accepted| one.code == located.finding.code && one.subject == subject;
        let meant = accepted.iter_mut().find(is_meant);
        meant.map(|one| one.occurs = true).is_none()
    });
}

/// `[[accept]]`: a code, a subject, and why.
pub(super) fn read_accepted(value: Option<Value<'_>>, notes: &mut Notes) -> Vec<Accepted> {
    let mut accepted = Vec::new();
    for entry in value.map(|value| value.array(notes)).unwrap_or_default() {
        let Some(mut keys) = entry.table(notes) else { continue };
        let span = keys.span.clone();
        let code = keys.need("code", "the code of the finding, as `check` prints it", notes);
        let code = code.and_then(|value| {
            let text = value.text(notes)?;
            // Errors stop a fill whatever is accepted.
            let codes = || Code::ALL.iter().filter(|code| code.severity() < Severity::Error);
            let code = codes().find(|code| code.text() == text).copied();
            if code.is_none() {
                let names = codes().map(|code| code.text());
                unknown_name("finding that can be accepted", &value, text, names, notes);
            }
            code
        });
        let subject = keys.need("subject", "what it is about, as `check --json` says", notes);
        let subject = subject.and_then(|value| value.text(notes).map(str::to_owned));
        let why = keys.need("why", "a sentence for whoever reads this next", notes);
        let why = why.and_then(|value| value.text(notes));
        keys.finish(notes);
        if let (Some(code), Some(subject), Some(_)) = (code, subject, why) {
            accepted.push(Accepted { code, subject, span, occurs: false });
        }
    }
    accepted
}
