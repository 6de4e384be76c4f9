//! Sides that are read from the geometry of models.

use super::cursor::Notes;
use super::model::Model;
use super::seams::Seams;
use crate::art::TileArt;
use crate::models::meet::{crease, meetings, points_in};
use crate::models::sides::{millimetres, places, units};
use crate::models::{ModelArt, NearSide, SideFrame, SideShape};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::Side;
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::tileset::Tileset;
use lantern_quilt_core::tileset::block::Part;
use lantern_quilt_core::tileset::outlines::{
    Misfit, OutlineFace, OutlineSockets, SideOutlines, partners,
};
use std::collections::{BTreeMap, BTreeSet};

/// Pairs of one kind that are reported, at most.
const REPORTED: usize = 12;

/// Chains of outlines that are reported, at most.
const CHAINS: usize = 200;

/// Pairs of sides that are searched for creases, at most.
const SEARCHED: usize = 40_000;

/// Points that are searched for partners lie no further off than this part of a cell.
const REACH: f32 = 1.0 / 64.0;

/// A side and what of its model lies there.
struct ShownSide {
    name: String,
    tile: TileId,
    part: Option<Part>,
    side: Side,
    shape: SideShape,
    face: OutlineFace,
}

impl ShownSide {
    /// What its socket is called if no side before it has that outline.
    fn label(&self) -> String {
        label(&self.name, self.part, self.side)
    }

    fn is_flat(&self) -> bool {
        self.side.is_flat()
    }
}

fn label(name: &str, part: Option<Part>, side: Side) -> String {
    match part {
        Some(Part { at: [x, y, z], .. }) => format!("outline of {name} part {x}, {y}, {z} {side}"),
        None => format!("outline of {name} {side}"),
    }
}

/// Gives sides that are read from geometry their sockets, and reports what is odd about them.
pub(super) fn read_geometry(
    model: &mut Model,
    art: &TileArt,
    seams: &Seams,
    notes: &mut Notes,
) -> Vec<NearSide> {
    let Some(set) = model.set() else { return Vec::new() };
    let tolerance = units(seams.point_tolerance as f32).unsigned_abs();
    let nothing = ModelArt::default();
    let models = art.models().unwrap_or(&nothing);
    let mut outlines = SideOutlines::new(tolerance);
    let mut shown = Vec::new();
    for (name, parts) in &model.tiles {
        for &tile in parts {
            let sides = model.lattice().sides().iter().copied();
            let sides: Vec<Side> = sides.filter(|&side| model.is_geometric(tile, side)).collect();
            if sides.is_empty() {
                continue;
            }
            if models.tile(name, 0).is_none() && !models.is_air(name) {
                say_bare(name, notes);
                continue;
            }
            let part = set.tiles()[tile].part();
            let frame = SideFrame {
                cell: models.module(),
                at: part.map_or([0; 3], |part| part.at),
                span: part.map_or([1; 3], |part| part.span),
            };
            let model = models.tile(name, 0).filter(|_| !models.is_air(name));
            let first = model.map_or_else(Vec::new, |model| places(model, &frame));
            for side in sides {
                shown.push(shape_of(
                    (name, tile, part, side),
                    (models, &frame, &first),
                    &mut outlines,
                    (tolerance, seams.by_colour),
                    notes,
                ));
            }
        }
    }
    if shown.is_empty() {
        return Vec::new();
    }
    let air = seams.air_socket(model, notes);
    let sockets = outlines.sockets(model.building(), air);
    let stand_in = model.geometry;
    for one in &shown {
        model.building().replace_face(one.tile, one.side, stand_in, sockets.face(one.face));
    }
    for chain in outlines.chains().into_iter().take(CHAINS) {
        say_chain(&chain.a, &chain.through, &chain.b, &shown, notes);
    }
    if let Some(angle) = seams.angle {
        say_creases(&shown, &sockets, &set, (tolerance, angle), notes);
    }
    let reach = near_reach(models).max(tolerance);
    near_sides(&outlines, reach, &shown, notes)
}

/// How far apart points may be that were probably meant to be one, in units.
pub(super) fn near_reach(models: &ModelArt) -> u32 {
    units(models.module().max_element() * REACH).unsigned_abs()
}

fn say_bare(name: &str, notes: &mut Notes) {
    const CAUSES: [Code; 4] =
        [Code::MissingModel, Code::BadModel, Code::PathOutside, Code::UnknownName];
    // Why there is no model was reported, where one was named.
    if notes.findings.iter().any(|one| CAUSES.contains(&one.finding.code)) {
        return;
    }
    let text = format!("the sides of `{name}` are read from its geometry, but it has no model");
    let finding = Finding::new(Code::BadValue, Subject::Tile(name.to_owned()), text);
    let help = "give the tile a `model`, or `air = true`, or name sockets for its sides";
    notes.add_of_model(finding.help(help), "");
}

/// The outline of one side, with what is odd about it by itself.
fn shape_of(
    (name, tile, part, side): (&str, TileId, Option<Part>, Side),
    (models, frame, first): (&ModelArt, &SideFrame, &[Vec<[i32; 3]>]),
    outlines: &mut SideOutlines,
    (tolerance, by_colour): (u32, bool),
    notes: &mut Notes,
) -> ShownSide {
    let of = |look: u32| {
        if let Some(voxels) = models.voxels(name, look) {
            let outline = voxels.side(side, models.module(), by_colour);
            return SideShape { outline, ..SideShape::default() };
        }
        match models.tile(name, look).filter(|_| !models.is_air(name)) {
            // Places are the same for all sides.
            Some(model) if look == 0 => SideShape::read(model, first, frame, side, tolerance),
            Some(model) => SideShape::of(model, frame, side, tolerance),
            None => SideShape::default(),
        }
    };
    let shape = of(0);
    let subject = || Subject::TileSide(name.to_owned(), side);
    if shape.crossing > 0 {
        let text = format!(
            "{} triangles of `{name}` go through the plane of its {side} side, where no outline can be read",
            shape.crossing
        );
        let finding = Finding::new(Code::CrossedSide, subject(), text);
        notes.add_of_model(finding.help("cut the model along the side, or name a socket"), "");
    }
    if let Some((count, [least, most])) = shape.almost {
        let text = format!(
            "{count} points of `{name}` lie {least:.2} to {most:.2} mm off the plane of its {side} side and are \
             not part of its outline"
        );
        let help = format!(
            "move them into the plane, or write `[seams]` with `point_tolerance = {}`",
            above(most)
        );
        notes.add_of_model(Finding::new(Code::OffPlane, subject(), text).help(help), "");
    }
    let face = outlines.add(&label(name, part, side), side.is_flat(), &shape.outline);
    for look in 1..models.looks(name) {
        let other = of(look).outline;
        if outlines.add(
            &format!("{} of look {look}", label(name, part, side)),
            side.is_flat(),
            &other,
        ) != face
        {
            let text = format!(
                "look {look} of `{name}` shows another outline on its {side} side than the first"
            );
            let help = "looks never change what may touch: model it with the same outline, or make it a tile";
            notes.add_of_model(Finding::new(Code::LookOutline, subject(), text).help(help), "");
        }
    }
    ShownSide { name: name.to_owned(), tile, part, side, shape, face }
}

/// A tolerance in metres that is just above a distance in millimetres.
fn above(distance: f64) -> f64 {
    (distance * 100.0).ceil().max(1.0) / 100_000.0
}

/// The side that an outline was first seen on.
fn first<'a>(label: &str, shown: &'a [ShownSide]) -> Option<&'a ShownSide> {
    shown.iter().find(|one| one.label() == label)
}

fn say_chain(a: &str, through: &str, b: &str, shown: &[ShownSide], notes: &mut Notes) {
    let known = [a, through, b].map(|label| first(label, shown));
    let [Some(a), Some(through), Some(b)] = known else { return };
    let side = |one: &ShownSide| format!("the {} side of `{}`", one.side, one.name);
    let text = format!(
        "{} and {} both fit {} within the tolerance, but not each other; they are compared exactly",
        side(a),
        side(b),
        side(through)
    );
    let finding =
        Finding::new(Code::ChainedOutlines, Subject::TileSide(a.name.clone(), a.side), text);
    let help = "move their points together, or choose another `[seams] point_tolerance`";
    notes.add_of_model(finding.help(help), "");
}

/// Sides that would meet but for a few points.
fn near_sides(
    outlines: &SideOutlines,
    reach: u32,
    shown: &[ShownSide],
    notes: &mut Notes,
) -> Vec<NearSide> {
    let mut found = Vec::new();
    // One side may be near many others: every side is reported once before any is again.
    let mut seen = BTreeSet::new();
    let (first_time, again): (Vec<_>, Vec<_>) =
        outlines.near_matches(reach).into_iter().partition(|near| {
            let new = !seen.contains(&near.a) && !seen.contains(&near.b);
            seen.extend([near.a.clone(), near.b.clone()]);
            new
        });
    for near in first_time.into_iter().chain(again) {
        let (Some(a), Some(b)) = (first(&near.a, shown), first(&near.b, shown)) else { continue };
        let sides = [a, b].map(|one| (one.name.clone(), one.side));
        if found.len() < REPORTED {
            let finding = Finding::new(
                Code::NearOutline,
                Subject::TileSide(a.name.clone(), a.side),
                near_text(&sides, &near.misfit, near.first.points().len()),
            );
            let distance = near.misfit.greatest();
            let help = if near.misfit.only_first.len()
                + near.misfit.only_second.len()
                + near.misfit.edges
                == 0
            {
                format!(
                    "move them together with `check --mend DIR`, or write `[seams]` with `point_tolerance = {}`",
                    above(millimetres(distance))
                )
            } else {
                "give both the same points and edges, or accept it if they should not meet"
                    .to_owned()
            };
            notes.add_of_model(finding.help(help), "");
        }
        let (first, second, misfit) = (near.first, near.second, near.misfit);
        found.push(NearSide { sides, first, second, misfit });
    }
    found
}

fn near_text([(a, side), (b, beyond)]: &[(String, Side); 2], misfit: &Misfit, of: usize) -> String {
    let mut parts = Vec::new();
    if !misfit.moved.is_empty() {
        let distance = millimetres(misfit.greatest());
        let up_to = if misfit.moved.len() > 1 { "up to " } else { "" };
        parts.push(format!(
            "{} of {of} points are {up_to}{distance:.2} mm apart",
            misfit.moved.len()
        ));
    }
    let alone = misfit.only_first.len() + misfit.only_second.len();
    if alone > 0 {
        parts.push(format!("{alone} points have no partner"));
    }
    if misfit.edges > 0 {
        parts.push(format!("{} edges differ", misfit.edges));
    }
    let which = format!("the {side} side of `{a}` and the {beyond} side of `{b}` do not meet");
    format!("{which}: {}", parts.join(", "))
}

/// Smooth models whose normals differ where they meet.
fn say_creases(
    shown: &[ShownSide],
    sockets: &OutlineSockets,
    set: &Tileset,
    (tolerance, angle): (u32, f64),
    notes: &mut Notes,
) {
    let smooth = shown.iter().filter(|one| one.shape.normals.iter().any(Option::is_some));
    // Sides that show the same in the same orientations need one look.
    let mut kinds: BTreeMap<String, &ShownSide> = BTreeMap::new();
    for one in smooth {
        let orientations: &[Orientation] = set.tiles()[one.tile].orientations();
        let normals = &one.shape.normals;
        let key = format!("{:?} {} {orientations:?} {normals:.3?}", one.face, one.side);
        kinds.entry(key).or_insert(one);
    }
    let mut kinds: Vec<&ShownSide> = kinds.into_values().collect();
    kinds.sort_by_key(|one| one.tile);
    let pairs = kinds.iter().enumerate().flat_map(|(n, a)| kinds[n..].iter().map(move |b| (a, b)));
    let mut found: Vec<(f64, usize, &ShownSide, &ShownSide)> = Vec::new();
    for (a, b) in pairs.take(SEARCHED) {
        if a.is_flat() != b.is_flat() || sockets.face(a.face).socket != sockets.face(b.face).socket
        {
            continue;
        }
        let of = |one: &ShownSide| (one.side, set.tiles()[one.tile].orientations());
        let worst = meetings(of(a), of(b))
            .iter()
            .filter(|&frame| {
                // Only where the outlines lie on one another.
                let there = points_in(&b.shape.outline, frame);
                let here = a.shape.outline.points();
                let all = partners(here, &there, tolerance);
                all.iter().all(Option::is_some)
            })
            .filter_map(|frame| crease(&a.shape, &b.shape, a.is_flat(), frame, (tolerance, angle)))
            .max_by(|one, other| one.1.total_cmp(&other.1));
        found.extend(worst.map(|(count, most)| (most, count, *a, *b)));
    }
    found.sort_by(|one, other| other.0.total_cmp(&one.0));
    for (most, count, a, b) in found.into_iter().take(REPORTED) {
        let text = format!(
            "normals of `{}` on its {} side and `{}` on its {} side differ by up to {most:.0} degrees at {count} \
             points, which shows as a crease",
            a.name, a.side, b.name, b.side
        );
        let finding = Finding::new(Code::Crease, Subject::TileSide(a.name.clone(), a.side), text);
        let help = "mend them with `check --mend DIR`, or write `[seams]` with `normals = false`";
        notes.add_of_model(finding.help(help), "");
    }
}
