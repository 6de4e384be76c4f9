//! Slips that artists make, and whether `check` sees them: `--slips`.
//!
//! Every slip of six classes is made on every demo, one at a time. A slip is found when a warning that the
//! sound quilt does not give names its tile, shape or list. `comb` and `hillside` are kept out of tuning:
//! no threshold was chosen by what comes out for them (that the outer edges of quarters are compared as well came
//! of a look at `hillside`).

use crate::mutants::Spoilt;
use lantern_quilt::autotile::{Scheme, ShapeSet};
use lantern_quilt::files::{Quilt, QuiltOptions};
use lantern_quilt::finding::{Code, Finding, Severity};
use lantern_quilt::orient::Orientation;
use lantern_quilt::picture::Picture;
use lantern_quilt::seed::Seed;
use lantern_quilt::tileset::Tileset;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// Sets that nothing is tuned on.
const KEPT_APART: [&str; 2] = ["comb", "hillside"];
/// False pairs tried in a set, at most.
const MOST_PAIRS: usize = 80;
/// Least share of slips that should be found, and most false alarms in a sound set.
const GOAL: (f64, usize) = (0.95, 1);

const CLASSES: [&str; 6] = [
    "turned sides",
    "wrong hand",
    "turns forgotten",
    "shapes exchanged",
    "blank shape",
    "false pair",
];

/// A demo in memory.
struct Demo {
    name: String,
    text: String,
    files: BTreeMap<String, Vec<u8>>,
}

/// One slip: what is changed, and what a finding must name.
struct Slip {
    class: usize,
    /// Settings that are changed.
    set: Option<String>,
    /// Lines that are added.
    added: Option<String>,
    /// A file that is another.
    file: Option<(String, Vec<u8>)>,
    /// Any of these must be named.
    names: Vec<String>,
    /// What a patch must say, where there is one.
    patch: Option<String>,
}

impl Slip {
    fn of(class: usize, names: Vec<String>) -> Self {
        Self { class, set: None, added: None, file: None, names, patch: None }
    }
}

impl Demo {
    fn all() -> Vec<Self> {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos");
        let mut demos = Vec::new();
        let folders = std::fs::read_dir(&folder).expect("demos").filter_map(Result::ok);
        for folder in folders {
            let name = folder.file_name().to_string_lossy().into_owned();
            let quilt = folder.path().join(format!("{name}.quilt.toml"));
            let Ok(text) = std::fs::read_to_string(quilt) else { continue };
            let files = std::fs::read_dir(folder.path()).into_iter().flatten().flatten();
            let files = files.filter_map(|file| {
                let path = format!("{name}/{}", file.file_name().to_string_lossy());
                Some((path, std::fs::read(file.path()).ok()?))
            });
            demos.push(Self { files: files.collect(), name, text });
        }
        demos.sort_by(|a, b| a.name.cmp(&b.name));
        demos
    }

    fn read(&self, slip: Option<&Slip>) -> Result<Quilt, lantern_quilt::files::Report> {
        let other = slip.and_then(|slip| slip.file.as_ref());
        let other = other.map(|(path, data)| (path.as_str(), data.as_slice()));
        let art = Spoilt { folder: &self.name, files: &self.files, other };
        let mut options = QuiltOptions::new();
        if let Some(set) = slip.and_then(|slip| slip.set.as_ref()) {
            options = options.set(set);
        }
        let added = slip.and_then(|slip| slip.added.as_deref()).unwrap_or("");
        Quilt::read_with(&format!("{}\n{added}", self.text), &self.name, &art, &options)
    }

    /// What is said of it, with a slip or as it is.
    fn findings(&self, slip: Option<&Slip>) -> Vec<Finding> {
        let report = match self.read(slip) {
            Ok(quilt) => quilt.check(None).report,
            Err(report) => report,
        };
        report.findings.into_iter().map(|located| located.finding).collect()
    }

    /// Every slip of every class.
    fn slips(&self) -> Vec<Slip> {
        let quilt = self.read(None).expect("demos are sound");
        let mut slips = Vec::new();
        if let Some(collapse) = quilt.collapse() {
            let set = collapse.tileset();
            slips.extend(of_labels(set));
            slips.extend(forgotten_turns(set));
            slips.extend(self.false_pairs(set));
        }
        let value: toml::Table = self.text.parse().expect("a quilt is TOML");
        for set in quilt.shapes() {
            slips.extend(self.of_shapes(set, &value));
        }
        slips
    }

    /// Lists that let two tiles touch that nothing else lets touch.
    fn false_pairs(&self, set: &Tileset) -> Vec<Slip> {
        let names: Vec<&str> = set
            .tiles()
            .iter()
            .filter(|tile| tile.part().is_none())
            .map(lantern_quilt::tileset::CheckedTile::name)
            .collect();
        // Without sides, a list is how an artist says what the sample does not show.
        let is_bare =
            |tile| set.faces(tile, Orientation::AS_DRAWN, set.lattice().sides()[0]).is_empty();
        if set.tiles().ids().any(is_bare) {
            return Vec::new();
        }
        let mut pairs: Vec<(&str, &str)> = Vec::new();
        for (a, one) in names.iter().enumerate() {
            pairs.extend(names[..a].iter().map(|two| (*one, *two)));
        }
        let mut stream = Seed::from_number(1).stream(&["pairs", &self.name]);
        while pairs.len() > MOST_PAIRS {
            pairs.swap_remove(stream.below(pairs.len() as u64) as usize);
        }
        let made = pairs.into_iter().filter_map(|(a, b)| {
            let mut slip = Slip::of(5, vec!["allow.0".to_owned()]);
            slip.added = Some(format!(
                "[[allow]]\nwhat = {{ tile = \"{a}\" }}\nbeside = {{ tile = \"{b}\" }}\n"
            ));
            // Two tiles that may stand side by side anyway all round make no slip.
            let idle = self.findings(Some(&slip)).iter().any(|one| one.code == Code::IdleList);
            (!idle).then_some(slip)
        });
        made.collect()
    }

    /// Cells of sheets that are exchanged or blank.
    fn of_shapes(&self, set: &ShapeSet, quilt: &toml::Table) -> Vec<Slip> {
        let spec = &quilt["shapes"][set.name()];
        let sheets = quilt["sheets"].as_table().expect("sheets");
        let sheet = match spec.get("sheet").and_then(toml::Value::as_str) {
            Some(name) => &sheets[name],
            None => sheets.values().next().expect("a sheet"),
        };
        let number = |value: &toml::Value| value.as_integer().expect("a number") as u32;
        let pair = |value: &toml::Value| [number(&value[0]), number(&value[1])];
        let cell = pair(&sheet["cell"]);
        let path = format!("{}/{}", self.name, sheet["file"].as_str().expect("a file"));
        let picture = Picture::from_png(&self.files[&path]).expect("a picture");
        let blank = |at: [u32; 2]| {
            let mut other = picture.clone();
            for (x, y) in (0..cell[1]).flat_map(|y| (0..cell[0]).map(move |x| (x, y))) {
                other.set(at[0] * cell[0] + x, at[1] * cell[1] + y, [0; 4]);
            }
            let mut slip = Slip::of(4, vec![format!("[{}, {}]", at[0], at[1])]);
            slip.file = Some((path.clone(), other.to_png(&[]).expect("it is small")));
            slip
        };
        let exchange = |a: [u32; 2], b: [u32; 2]| {
            let mut other = picture.clone();
            for (x, y) in (0..cell[1]).flat_map(|y| (0..cell[0]).map(move |x| (x, y))) {
                let [one, two] = [a, b].map(|at| (at[0] * cell[0] + x, at[1] * cell[1] + y));
                let colours = [one, two].map(|(x, y)| picture.get(x, y).expect("inside"));
                other.set(one.0, one.1, colours[1]);
                other.set(two.0, two.1, colours[0]);
            }
            let names = [a, b].map(|at| format!("[{}, {}]", at[0], at[1])).to_vec();
            let mut slip = Slip::of(3, names);
            slip.file = Some((path.clone(), other.to_png(&[]).expect("it is small")));
            // Cells that are painted alike may lie either way.
            (other != picture).then_some(slip)
        };
        let mut slips = Vec::new();
        if let Some(tiles) = spec.get("tiles").and_then(toml::Value::as_array) {
            return tiles.iter().map(|tile| blank(pair(&tile["at"]))).collect();
        }
        let mut firsts = vec![spec.get("at").map_or([0, 0], pair)];
        let looks = spec.get("looks").and_then(toml::Value::as_array);
        firsts.extend(looks.into_iter().flatten().map(|look| pair(&look["at"])));
        for [column, row] in firsts {
            if spec.get("quarters").is_some() {
                slips.extend((0..5).map(|quarter| blank([column + quarter, row])));
                let pairs = (0..5).flat_map(|b| (0..b).map(move |a| (a, b)));
                slips.extend(
                    pairs.filter_map(|(a, b)| exchange([column + a, row], [column + b, row])),
                );
                continue;
            }
            let scheme = set.scheme();
            let columns = spec.get("columns").map_or(scheme.columns(), number);
            let shapes = scheme.shapes();
            let at =
                |number: usize| [column + number as u32 % columns, row + number as u32 / columns];
            for (one, &a) in shapes.iter().enumerate() {
                if scheme != Scheme::Dual || a != 0 {
                    slips.push(blank(at(one)));
                }
                for (two, &b) in shapes.iter().enumerate().skip(one + 1) {
                    let slot = (a ^ b).trailing_zeros() as usize;
                    let drawn = scheme != Scheme::Dual || a != 0 && b != 0;
                    if (a ^ b).is_power_of_two() && !scheme.is_side(slot) && drawn {
                        slips.extend(exchange(at(one), at(two)));
                    }
                }
            }
        }
        slips
    }
}

/// The sides of a tile as a quilt says them; nothing where it cannot.
fn sides_of(set: &Tileset, number: usize, turns: u8, swapped: Option<usize>) -> Option<String> {
    let lattice = set.lattice();
    let (id, tile) = set.tiles().pairs().nth(number)?;
    if tile.part().is_some() {
        return None;
    }
    let turned = Orientation::new(lattice, turns, false);
    let mut words = Vec::new();
    for (index, &side) in lattice.sides().iter().enumerate() {
        let faces = set.faces(id, turned, side);
        let &[face] = &faces[..] else { return None };
        let socket = &set.sockets()[face.socket];
        if socket.is_internal() || socket.is_derived() {
            return None;
        }
        let mut name = set.face_name(face);
        if swapped == Some(index) {
            name = match name.rsplit_once(' ') {
                Some((socket, "left")) => format!("{socket} right"),
                Some((socket, "right")) => format!("{socket} left"),
                _ => return None,
            };
        }
        words.push(format!("{side} = \"{name}\""));
    }
    Some(words.join(", "))
}

/// Labels turned against the picture, and hands exchanged.
fn of_labels(set: &Tileset) -> Vec<Slip> {
    let mut slips = Vec::new();
    for (number, tile) in set.tiles().iter().enumerate() {
        let Some(sound) = sides_of(set, number, 0, None) else { continue };
        let mut add = |class, sides: String| {
            let mut slip = Slip::of(class, vec![format!("`{}`", tile.name())]);
            slip.set = Some(format!("tiles.{}.sides={{ {sides} }}", tile.name()));
            slip.patch = Some(sound.clone());
            slips.push(slip);
        };
        let turned =
            (1..set.lattice().turns()).filter_map(|turns| sides_of(set, number, turns, None));
        let turned: BTreeSet<String> = turned.filter(|sides| *sides != sound).collect();
        for sides in turned {
            add(0, sides);
        }
        for side in 0..set.lattice().sides().len() {
            if let Some(sides) = sides_of(set, number, 0, Some(side)) {
                add(1, sides);
            }
        }
    }
    slips
}

/// Tiles that turn no longer.
fn forgotten_turns(set: &Tileset) -> Vec<Slip> {
    let lattice = set.lattice();
    let mut slips = Vec::new();
    for (id, tile) in set.tiles().pairs() {
        let shown = |&turned: &Orientation| -> Vec<_> {
            lattice.sides().iter().map(|&side| set.faces(id, turned, side)).collect()
        };
        let poses: BTreeSet<_> = tile.orientations().iter().map(shown).collect();
        if tile.part().is_none() && poses.len() > 1 {
            let mut slip = Slip::of(2, vec![format!("`{}`", tile.name())]);
            slip.set = Some(format!("tiles.{}.turns=1", tile.name()));
            slips.push(slip);
        }
    }
    slips
}

#[derive(Clone, Copy, Default)]
struct Tally {
    slips: usize,
    found: usize,
    patched: usize,
}

/// Makes every slip and prints what is found; whether the goals are met on all sets together.
pub fn run(verbose: bool) -> bool {
    let demos = Demo::all();
    let mut sums = [[Tally::default(); CLASSES.len()]; 2];
    let mut met = true;
    println!(
        "{:<11} {:<17} {:>6} {:>6} {:>8} {:>11}",
        "set", "slip", "made", "found", "recall", "line given"
    );
    for demo in &demos {
        let sound = demo.findings(None);
        let apart = KEPT_APART.contains(&demo.name.as_str());
        let slips = demo.slips();
        let mut tallies = [Tally::default(); CLASSES.len()];
        for slip in &slips {
            let found = demo.findings(Some(slip));
            let new = found
                .iter()
                .filter(|one| one.severity() >= Severity::Warning && !sound.contains(one));
            let named: Vec<&Finding> = new
                .filter(|one| {
                    let subject = one.subject.to_string();
                    slip.names.iter().any(|name| one.message.contains(name) || subject == *name)
                })
                .collect();
            let tally = &mut tallies[slip.class];
            tally.slips += 1;
            tally.found += usize::from(!named.is_empty());
            let patch = slip.patch.as_ref();
            tally.patched +=
                usize::from(patch.is_some_and(|p| named.iter().any(|f| f.help.contains(p))));
            if verbose && named.is_empty() {
                println!(
                    "missed: {} {} {:?} {:?}",
                    demo.name, CLASSES[slip.class], slip.set, slip.names
                );
            }
        }
        for (class, tally) in tallies.iter().enumerate().filter(|(_, tally)| tally.slips > 0) {
            row(&demo.name, CLASSES[class], *tally, class < 2);
            let sum = &mut sums[usize::from(apart)][class];
            sum.slips += tally.slips;
            sum.found += tally.found;
            sum.patched += tally.patched;
        }
        const CODES: [Code; 5] =
            [Code::OddSide, Code::OddPair, Code::NoTurns, Code::OddShape, Code::EmptyArt];
        let alarms = sound.iter().filter(|one| CODES.contains(&one.code)).count();
        println!("{:<11} false alarms on the sound set: {alarms}", demo.name);
        met &= alarms <= GOAL.1;
    }
    for (sums, title) in sums.iter().zip(["all tuned", "kept apart"]) {
        for (class, tally) in sums.iter().enumerate().filter(|(_, tally)| tally.slips > 0) {
            row(title, CLASSES[class], *tally, class < 2);
            met &= tally.found as f64 >= GOAL.0 * tally.slips as f64;
        }
    }
    println!(
        "goal: {:.0} % of each class, {} false alarm a set at most: {}",
        GOAL.0 * 100.0,
        GOAL.1,
        if met { "met" } else { "not met" }
    );
    met
}

fn row(set: &str, class: &str, tally: Tally, patches: bool) {
    let Tally { slips, found, patched } = tally;
    let share = |part: usize| 100.0 * part as f64 / slips.max(1) as f64;
    let patched = if patches { format!("{:.0} %", share(patched)) } else { String::new() };
    println!("{set:<11} {class:<17} {slips:>6} {found:>6} {:>6.1} % {patched:>11}", share(found));
}
