//! Lists of pairs that change nothing, and tiles that are alike to no effect.

use crate::constraints::{Constraints, PairRule, Posed, Sample};
use crate::finding::{Code, Finding, Subject};
use crate::lattice::Side;
use crate::rules::{Pose, Rules};
use crate::tileset::Tileset;

/// One finding for each list that allows only what may touch anyway, or forbids only what may not.
///
/// Lists are named as the quilt does: `allow.0`, `forbid.0`, each kind counted for itself.
/// O(lists x poses^2 x sides).
pub(super) fn audit_lists(tileset: &Tileset, constraints: &Constraints) -> Vec<Finding> {
    let lists = &constraints.pairs;
    if lists.is_empty() {
        return Vec::new();
    }
    // What holds before lists that allow, and before lists that forbid.
    let samples = constraints.samples.clone();
    let mut before = Constraints { samples, ..Constraints::default() };
    let Ok(plain) = Rules::compile_with(tileset, &before) else { return Vec::new() };
    before.pairs = lists.iter().filter(|list| list.allow).cloned().collect();
    let Ok(allowed) = Rules::compile_with(tileset, &before) else { return Vec::new() };
    let mut findings = Vec::new();
    let (mut allows, mut forbids) = (0, 0);
    for list in lists {
        let (rules, key, count) = if list.allow {
            (&plain, "allow", &mut allows)
        } else {
            (&allowed, "forbid", &mut forbids)
        };
        let number = *count;
        *count += 1;
        if changes(list, tileset, rules) {
            if list.allow && taken_back(list, tileset, &plain, constraints) {
                let subject = Subject::Field(format!("{key}.{number}"));
                let text = "every pair that this list allows is forbidden by another list";
                let help = "what is forbidden goes last; take one of the lists out, or narrow it";
                findings.push(Finding::new(Code::ListsDisagree, subject, text).help(help));
            }
            continue;
        }
        let subject = Subject::Field(format!("{key}.{number}"));
        let text = if list.allow {
            "this list allows nothing that may not touch anyway"
        } else {
            "this list forbids nothing that may touch"
        };
        findings.push(
            Finding::new(Code::IdleList, subject, text)
                .help("take it out, or look at its names and at `on`: sides are those of the map"),
        );
    }
    findings
}

/// Whether lists that forbid take back all that a list adds.
fn taken_back(
    list: &PairRule,
    tileset: &Tileset,
    plain: &Rules,
    constraints: &Constraints,
) -> bool {
    let forbidden = |here: Posed, side: Side, there: Posed| {
        let mut lists = constraints.pairs.iter().filter(|list| !list.allow);
        lists.any(|list| list.concerns(tileset, here, side, there))
    };
    let posed = |pose: &Pose| -> Posed { (pose.tile, pose.orientation) };
    let sides = plain.lattice().sides();
    plain.poses().pairs().all(|(a, here)| {
        sides.iter().enumerate().all(|(number, &side)| {
            plain.poses().pairs().all(|(b, there)| {
                plain.support(number, a).contains(b)
                    || !list.concerns(tileset, posed(here), side, posed(there))
                    || forbidden(posed(here), side, posed(there))
            })
        })
    })
}

/// Groups of tiles alike that teach nothing, neither pairs nor weights.
pub(super) fn audit_alike(tileset: &Tileset, constraints: &Constraints) -> Vec<Finding> {
    let mut findings = Vec::new();
    for (number, sample) in constraints.samples.iter().enumerate() {
        let learned = |sample: &Sample| {
            let mut pairs: Vec<_> = sample.pairs(tileset).into_keys().collect();
            pairs.sort_unstable();
            (pairs, sample.counts(tileset))
        };
        let with = (!sample.alike.is_empty()).then(|| learned(sample));
        for group in 0..sample.alike.len() {
            let mut without = sample.clone();
            without.alike.remove(group);
            if Some(learned(&without)) == with {
                let subject = Subject::Field(format!("sample.{number}.alike.{group}"));
                let text = "that these tiles are alike changes nothing";
                findings.push(
                    Finding::new(Code::IdleAlike, subject, text)
                        .help("name two tiles at least, one of which the sample shows"),
                );
            }
        }
    }
    findings
}

/// Whether some pair that a list concerns is not as the list wants it.
fn changes(list: &PairRule, tileset: &Tileset, rules: &Rules) -> bool {
    let posed = |pose: &Pose| -> Posed { (pose.tile, pose.orientation) };
    let sides = rules.lattice().sides();
    rules.poses().pairs().any(|(a, here)| {
        sides.iter().enumerate().any(|(number, &side)| {
            rules.poses().pairs().any(|(b, there)| {
                rules.support(number, a).contains(b) != list.allow
                    && list.concerns(tileset, posed(here), side, posed(there))
            })
        })
    })
}
