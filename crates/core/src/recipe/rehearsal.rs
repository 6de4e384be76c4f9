//! A recipe followed over many seeds: how often what it demands holds, and which pass is at fault.

use super::made::{Made, MakeError};
use super::pass::Recipe;
use crate::finding::{Code, Finding, Subject};
use crate::passes::{PassReport, Placing};
use std::collections::BTreeMap;

/// How often the demands of a recipe hold, over maps of many seeds.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Layout};
/// use lantern_quilt_core::passes::{Condition, TagStep};
/// use lantern_quilt_core::recipe::{Expectation, Pass, Recipe, Rehearsal};
/// use lantern_quilt_core::seed::Seed;
///
/// let flood = TagStep { add: vec!["water".into()], remove: vec![] };
/// let dry = Expectation::new("dry", Condition::Tag("water".into())).least(0).most(0);
/// let recipe = Recipe::new([Pass::new("flood", flood).appears(0.5)]).expecting([dry]);
/// let mut rehearsal = Rehearsal::default();
/// for number in 0..40 {
///     let mut maker = recipe.maker(Layout::flat(Lattice::Square, 8, 6)?, &Seed::from_number(number));
///     let error = maker.make().err();
///     rehearsal.add(&recipe, &maker.finish(), error.as_ref(), &number.to_string());
/// }
/// let dry = &rehearsal.demands()[0];
/// assert!(dry.asked == 40 && dry.held > 10 && dry.blamed["flood"] == 40 - dry.held);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug, Default)]
pub struct Rehearsal {
    maps: u32,
    demands: Vec<Demand>,
    broken_off: BTreeMap<String, BrokenOff>,
}

/// What a recipe demands, and how often it holds.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Demand {
    /// The expectation, or the pass whose count or targets are demanded.
    pub name: String,
    /// Whether it is an expectation.
    pub is_expected: bool,
    /// Whether it is only wished.
    pub wished: bool,
    /// Maps on which it was asked for: those that came to their end, less those that left its pass out.
    pub asked: u32,
    /// Maps on which it holds.
    pub held: u32,
    /// On how many maps each pass is at fault. A demand that never held on a map blames no pass.
    pub blamed: BTreeMap<String, u32>,
    /// The seed of the first map on which it does not hold, and what is wrong there.
    pub first: Option<(String, String)>,
}

/// Maps that a pass did not let come to their end.
#[derive(Clone, Debug, PartialEq, Eq)]
struct BrokenOff {
    maps: u32,
    seed: String,
    why: String,
}

impl Rehearsal {
    /// Counts one map, with the error that ended it early. O(passes + expectations).
    pub fn add(&mut self, recipe: &Recipe, made: &Made, error: Option<&MakeError>, seed: &str) {
        self.maps += 1;
        if let Some(error) = error {
            let pass = recipe.passes().get(made.passes.len()).map(|pass| pass.name.as_str());
            let pass = error.pass().or(pass).unwrap_or_default().to_owned();
            let broken = self.broken_off.entry(pass).or_insert_with(|| BrokenOff {
                maps: 0,
                seed: seed.to_owned(),
                why: error.with_causes(),
            });
            broken.maps += 1;
            return;
        }
        for report in &made.passes {
            self.add_pass(report, seed);
        }
        for expected in recipe.expected() {
            let unmet = made.unmet.iter().find(|unmet| unmet.name == expected.name);
            let blamed = unmet.and_then(|unmet| unmet.broken_by.clone());
            let wrong = unmet.map(|unmet| (unmet.text.clone(), blamed.into_iter().collect()));
            self.demand(&expected.name, true, false).add(seed, wrong);
        }
    }

    fn add_pass(&mut self, report: &PassReport, seed: &str) {
        if let Some(placing) = report.placing.as_ref().filter(|placing| placing.least > 0) {
            let wrong = placing.finding().map(|finding| (finding.message, culprits(placing)));
            self.demand(&report.name, false, placing.wished).add(seed, wrong);
        }
        if let Some(routed) = &report.routed {
            let wrong = routed.finding().map(|one| (one.message, vec![routed.pass.clone()]));
            self.demand(&report.name, false, routed.wished).add(seed, wrong);
        }
    }

    fn demand(&mut self, name: &str, is_expected: bool, wished: bool) -> &mut Demand {
        let meant = |one: &Demand| one.name == name && one.is_expected == is_expected;
        let at = self.demands.iter().position(meant).unwrap_or_else(|| {
            self.demands.push(Demand {
                name: name.to_owned(),
                is_expected,
                wished,
                asked: 0,
                held: 0,
                blamed: BTreeMap::new(),
                first: None,
            });
            self.demands.len() - 1
        });
        &mut self.demands[at]
    }

    /// How many maps were counted.
    pub const fn maps(&self) -> u32 {
        self.maps
    }

    /// How many of them came to their end.
    pub fn finished(&self) -> u32 {
        self.maps - self.broken_off.values().map(|broken| broken.maps).sum::<u32>()
    }

    /// What is demanded, passes in order and then expectations.
    pub fn demands(&self) -> &[Demand] {
        &self.demands
    }

    /// One finding for each demand that does not always hold, and for each pass that ends maps early.
    pub fn findings(&self) -> Vec<Finding> {
        let broken = self.broken_off.iter().map(|(pass, BrokenOff { maps, seed, why })| {
            let code = if *maps == self.maps { Code::NeverHolds } else { Code::SometimesFails };
            let text = format!("`{pass}` ends {maps} of {} trial maps early: {why}", self.maps);
            let help = format!("seed {seed} is the first of them");
            Finding::new(code, Subject::Field(pass.clone()), text).help(help)
        });
        broken.chain(self.demands.iter().filter_map(Demand::finding)).collect()
    }
}

impl Demand {
    fn add(&mut self, seed: &str, wrong: Option<(String, Vec<String>)>) {
        self.asked += 1;
        let Some((text, blamed)) = wrong else {
            self.held += 1;
            return;
        };
        for pass in blamed {
            *self.blamed.entry(pass).or_default() += 1;
        }
        self.first.get_or_insert_with(|| (seed.to_owned(), text));
    }

    /// What to say when it does not always hold.
    pub fn finding(&self) -> Option<Finding> {
        let (seed, first) = self.first.as_ref()?;
        let Self { name, asked, held, .. } = self;
        let code = if *held == 0 && !self.wished { Code::NeverHolds } else { Code::SometimesFails };
        let what = if self.is_expected { "is met" } else { "gets what it asks for" };
        let mut text = format!("`{name}` {what} on {held} of {asked} trial maps");
        let others = self.blamed.iter().filter(|(pass, _)| *pass != name);
        let others: Vec<String> =
            others.map(|(pass, maps)| format!("`{pass}` is at fault on {maps}")).collect();
        if !others.is_empty() {
            text.push_str(&format!("; {}", others.join(", ")));
        }
        let help = format!("seed {seed} is the first that fails: {first}");
        let path = if self.is_expected { format!("expect.{name}") } else { name.clone() };
        Some(Finding::new(code, Subject::Field(path), text).help(help))
    }
}

/// Who is at fault when fewer stand than asked for: those that took some away, or the pass itself.
fn culprits(placing: &Placing) -> Vec<String> {
    if placing.sets < placing.least {
        return vec![placing.pass.clone()];
    }
    placing.lost.iter().map(|(pass, _)| pass.clone()).collect()
}
