//! What can be said of a quilt before anything is filled, less what the artist has accepted.

use super::accepted::drop_accepted;
use super::checked::Quilt;
use crate::art::NearSeam;
use crate::files::report::{Located, Report};
use crate::models::NearSide;
use lantern_quilt_core::audit::company::audit_company;
use lantern_quilt_core::audit::labels::odd_labels;
use lantern_quilt_core::audit::lean::lean;
use lantern_quilt_core::audit::listed::odd_lists;
use lantern_quilt_core::audit::missing::{TrialReport, missing_pieces};
use lantern_quilt_core::audit::repeating::audit_repeating;
use lantern_quilt_core::audit::room::fails_to_begin;
use lantern_quilt_core::audit::seams::{SeamReport, seams};
use lantern_quilt_core::audit::shares::audit_shares;
use lantern_quilt_core::audit::trial::{Trials, first_goes};
use lantern_quilt_core::audit::turns::audit_turns;
use lantern_quilt_core::audit::unseen::audit_unseen;
use lantern_quilt_core::audit::windows::{audit_windows, try_windows};
use lantern_quilt_core::constraints::{Constraints, WindowRule};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::Wrap;
use lantern_quilt_core::limits::{Climb, Limits};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::passes::Collapse;
use lantern_quilt_core::recipe::Rehearsal;
use lantern_quilt_core::rules::Rules;
use lantern_quilt_core::solve::{Order, Outcome};
use std::cell::RefCell;
use std::collections::BTreeSet;
use std::ops::Range;

/// The most cells of a map that is begun to see whether it can be.
const LARGEST: usize = 1 << 20;

/// What only trial fills and trial maps show.
const BY_TRIAL: [Code; 7] = [
    Code::OnlyRepeats,
    Code::MissingPiece,
    Code::TryRows,
    Code::NeverCame,
    Code::OffShare,
    Code::NeverHolds,
    Code::SometimesFails,
];

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
    /// How often trial maps of the whole recipe are what it demands, where that was tried.
    pub rehearsal: Option<Rehearsal>,
    /// Whether that was not tried because the map is too large.
    pub unrehearsed: bool,
    /// What the pictures show along seams.
    pub seams: SeamReport,
    /// Sides that would meet but for a few pixels.
    pub near: Vec<NearSeam>,
    /// Sides of models that would meet but for a few points.
    pub near_sides: Vec<NearSide>,
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
        let (is_tried, seeds) = (trials.is_some(), trials.map_or(0, |trials| trials.seeds));
        let mut rules = RuleCheck::default();
        if let Some(collapse) = self.collapse() {
            rules = self.check_rules(collapse, trials);
        }
        let RuleCheck { mut found, trials, by_rows, seams } = rules;
        let mut seen = BTreeSet::new();
        for (_, fill) in self.fills() {
            let windows = fill.collapse.constraints().windows.as_ref();
            let Some((windows, patterns)) = windows.zip(fill.collapse.patterns()) else { continue };
            if seen.insert(windows.name.clone()) {
                let set = fill.collapse.tileset();
                found.extend(audit_windows(&windows.name, set, windows, patterns));
            }
        }
        found.extend(self.check_shapes());
        let (rehearsal, unseen) = self.rehearse(seeds);
        let unrehearsed = is_tried && self.is_unrehearsed();
        found.extend(unseen);
        // Parts of one tile are found one by one, but named alike.
        let mut said = BTreeSet::new();
        found.retain(|one| said.insert((one.code, one.message.clone())));
        let mut report = self.findings.clone();
        report.findings.extend(self.later.iter().cloned());
        let path = self.main_path();
        report.findings.extend(found.into_iter().map(|one| {
            let span = self.pattern_at(&one.subject);
            let located = self.places.locate(one, path);
            Located { span: span.or(located.span.clone()), ..located }
        }));
        report.findings.extend(self.no_room());
        report.findings.extend(rehearsal.iter().flat_map(|rehearsal| self.rehearsed(rehearsal)));
        let causes: Vec<Finding> = report.findings.iter().map(|one| one.finding.clone()).collect();
        let mut accepted = self.accepted.clone();
        drop_accepted(&mut report.findings, &mut accepted);
        // What follows from another finding about the same tile is not reported beside it.
        report.findings.retain(|one| !follows(&one.finding, &causes));
        for idle in accepted.iter().filter(|one| !one.occurs) {
            // Without trial fills nobody knows whether a piece is missing or an order would do.
            let by_trial = BY_TRIAL.contains(&idle.code);
            if by_trial && !is_tried {
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
        Check {
            report,
            accepted,
            trials,
            by_rows,
            rehearsal,
            unrehearsed,
            seams,
            near: self.near.clone(),
            near_sides: self.near_sides.clone(),
        }
    }
}

impl Quilt {
    /// Where the pattern stands that a finding is about, as `pattern.NAME`.
    fn pattern_at(&self, subject: &Subject) -> Option<Range<usize>> {
        let Subject::Field(path) = subject else { return None };
        let name = path.strip_prefix("pattern.")?;
        let mut rules =
            self.fills().filter_map(|(_, fill)| fill.collapse.constraints().windows.as_ref());
        let [from, to] = rules.find(|rule| rule.name == name)?.source.at?;
        Some(from as usize..to as usize)
    }
}

/// Whether a tile cannot stand, or never came up, because of something else that was found.
fn follows(finding: &Finding, all: &[Finding]) -> bool {
    const CAUSES: [Code; 7] = [
        Code::NothingFits,
        Code::UnseenTile,
        Code::NeverInside,
        Code::NoSurrounding,
        Code::SeparateGroup,
        Code::NoTurns,
        Code::OddSide,
    ];
    let causes = match finding.code {
        Code::NeverInside => &[Code::NothingFits, Code::UnseenTile, Code::OddSide][..],
        Code::NoSurrounding => &[Code::OddSide],
        Code::NeverCame => &CAUSES[..],
        _ => return false,
    };
    let Subject::Tile(name) = &finding.subject else { return false };
    all.iter().filter(|one| causes.contains(&one.code)).any(|one| match &one.subject {
        Subject::Tile(tile) | Subject::TileSide(tile, _) if tile == name => true,
        // A group names its tiles in the text.
        _ => one.code == Code::SeparateGroup && one.message.contains(&format!("`{name}`")),
    })
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
    /// What is found in the windows of a fill; they have neither sides nor seams.
    fn check_windows(
        collapse: &Collapse,
        windows: &WindowRule,
        trials: Option<&Trials>,
    ) -> RuleCheck {
        let set = collapse.tileset();
        let mut trials = trials.copied();
        let tried = trials.as_mut().map(|trials| {
            trials.order = collapse.search.order;
            try_windows(&windows.name, set, collapse.constraints(), trials)
        });
        let (trials, found) = tried.unzip();
        RuleCheck { found: found.flatten().into_iter().collect(), trials, ..RuleCheck::default() }
    }

    fn check_rules(&self, collapse: &Collapse, trials: Option<&Trials>) -> RuleCheck {
        if let Some(windows) = &collapse.constraints().windows {
            return Self::check_windows(collapse, windows, trials);
        }
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
            let leaning = trials.map(|_| leans(rules, collapse.search.steer)).unwrap_or_default();
            let help = format!("{help}{leaning}");
            found.push(Finding::new(Code::NeverStuck, Subject::Quilt, text).help(help));
        }
        let (seams, odd) = self.check_pictures(collapse);
        found.extend(odd);
        found.extend(audit_turns(tileset));
        let Some(mut trials) = trials.copied() else {
            return RuleCheck { found, seams, ..RuleCheck::default() };
        };
        (trials.order, trials.steer) = (collapse.search.order, collapse.search.steer);
        let report = missing_pieces(tileset, collapse.constraints(), &trials);
        found.extend(report.findings(tileset));
        found.extend(audit_unseen(tileset, &report));
        found.extend(audit_shares(tileset, collapse.constraints(), &report, &trials));
        found.extend(audit_repeating(tileset, collapse.constraints(), &trials, &report));
        let mut by_rows = None;
        if self.may_go_by_rows(collapse) {
            trials.order = Order::Rows;
            let filled = first_goes(tileset, collapse.constraints(), &trials);
            found.extend(try_rows(&report, filled, || leans(rules, collapse.search.steer)));
            by_rows = Some(filled);
        }
        RuleCheck { found, trials: Some(report), by_rows, seams }
    }

    /// That no fill of the map can begin, at what the quilt says that prevents it.
    fn no_room(&self) -> Option<Located> {
        let collapse = self.collapse().filter(|_| self.layout.extent().cells() <= LARGEST)?;
        let space = collapse.space(self.layout);
        let run = fails_to_begin(collapse.rules(), &space)?;
        let Some(Outcome::Impossible(stop)) = run.outcome() else { return None };
        let explained = collapse.explain(stop, &run);
        let said = explained.to_string();
        // What was wanted is a drawing, and stays one.
        let (said, drawn) = match (explained.window.is_some(), said.split_once('\n')) {
            (true, Some((said, drawn))) => (said.to_owned(), format!("\n{drawn}")),
            _ => (said.replace("\n  ", "; "), String::new()),
        };
        let text = format!("no fill of this map can begin: {said}");
        let mut help = "make the map larger, or look at its borders, pins and limits".to_owned();
        let mut span = self.places.find("map.size");
        if let Some(sources) = Self::cause(&run, Climb::Backtrack, &Limits::default(), &|| false) {
            if let Some([from, to]) = sources.iter().filter_map(|source| source.at).min() {
                span = Some(from as usize..to as usize);
            }
            let said = sources.into_iter().filter_map(|source| self.said(source));
            let said: Vec<String> = said.map(|one| one.to_string()).collect();
            if !said.is_empty() {
                let together = said.join(", ");
                help = format!(
                    "these together leave no fill; let one of them accept more: {together}"
                );
            }
        }
        let finding = Finding::new(Code::NoRoom, Subject::Field("map.size".to_owned()), text);
        Some(Located { finding: finding.help(help + &drawn), span, replaceable: false })
    }

    /// What the pixels along sides say, against what labels and lists say.
    fn check_pictures(&self, collapse: &Collapse) -> (SeamReport, Vec<Finding>) {
        let (tileset, rules) = (collapse.tileset(), collapse.rules());
        let lattice = tileset.lattice();
        // One pose is asked about side by side, so its picture is turned once.
        let last = RefCell::new(None);
        let row = |id: TileId, orientation, side| {
            let mut last = last.borrow_mut();
            if !matches!(&*last, Some((known, _)) if *known == (id, orientation)) {
                let tile = &tileset.tiles()[id];
                let drawn = self.art.posed(tile.name(), 0, tile.part(), lattice, orientation);
                *last = Some(((id, orientation), drawn));
            }
            let (_, drawn) = last.as_ref()?;
            // A flat picture is not a side face of a box.
            if lattice.is_solid() {
                return None;
            }
            Some(drawn.as_ref()?.side(lattice, side))
        };
        let labels = odd_labels(tileset, |id, side| row(id, Orientation::AS_DRAWN, side));
        let lists = odd_lists(tileset, rules, collapse.constraints(), row);
        let labels = labels.iter().map(|odd| odd.finding(tileset));
        let found = labels.chain(lists.iter().map(|odd| odd.finding(tileset))).collect();
        (seams(tileset, rules, row), found)
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
            && constraints.areas.is_empty()
            && constraints.counts.is_empty()
            && self.layout.wrap() == Wrap::NONE
    }
}

/// How shapes lean row by row, as more words of a hint; empty on boxes.
fn leans(rules: &Rules, steer: bool) -> String {
    /// Nobody sees less.
    const SEEN: f64 = 1.05;
    match lean(rules, Order::Rows, steer) {
        Some(lean) if lean.most() < SEEN => "; shapes do not lean".to_owned(),
        Some(lean) => format!(
            "; shapes lean: runs {} (1 is even), so look first: `compare --orders` draws the orders side by side",
            lean.in_words()
        ),
        None => String::new(),
    }
}

/// That `filled` of as many trial fills succeed row by row, where that is no fewer.
fn try_rows(today: &TrialReport, filled: u32, leans: impl FnOnce() -> String) -> Option<Finding> {
    // A set that hardly ever fills has other worries.
    if filled < today.filled || filled * 10 < today.fills * 9 {
        return None;
    }
    let text = format!(
        "row by row {filled} of {} trial maps are filled on the first try, currently {}",
        today.fills, today.filled
    );
    Some(Finding::new(Code::TryRows, Subject::Field("order".to_owned()), text).help(format!(
        "`order = \"rows\"` in the pass is quicker, often by half. It is tried, not proven, and tiles have other \
         shares{}. `order = \"entropy\"` keeps the current maps and ends this hint",
        leans()
    )))
}
