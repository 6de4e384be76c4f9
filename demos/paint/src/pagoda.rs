//! The modules of `pagoda`: a cell is 2 x 2 metres and 2 metres high, fronts look south.

use crate::solid::{Solid, matte, shining};
use lantern_quilt::models::{Material, Model};
use std::sync::Arc;

/// How high a level is.
const HIGH: f32 = 2.0;
/// Where walls stand, from the middle of a cell.
const WALL: f32 = 0.82;

struct Paints {
    stone: Arc<Material>,
    pale: Arc<Material>,
    wood: Arc<Material>,
    plank: Arc<Material>,
    paper: Arc<Material>,
    lit: Arc<Material>,
    roof: Arc<Material>,
    rim: Arc<Material>,
    gold: Arc<Material>,
    moss: Arc<Material>,
    leaf: Arc<Material>,
    gravel: Arc<Material>,
    water: Arc<Material>,
    lily: Arc<Material>,
}

fn paints() -> Paints {
    Paints {
        stone: matte("stone", [0.20, 0.21, 0.25]),
        pale: matte("pale stone", [0.36, 0.36, 0.38]),
        wood: matte("lacquer", [0.32, 0.055, 0.035]),
        plank: matte("plank", [0.22, 0.12, 0.06]),
        paper: matte("paper", [0.66, 0.58, 0.42]),
        lit: shining("lit paper", [0.9, 0.62, 0.28], [0.85, 0.45, 0.12]),
        roof: matte("roof", [0.055, 0.085, 0.15]),
        rim: matte("rim", [0.12, 0.17, 0.26]),
        gold: matte("gold", [0.75, 0.46, 0.10]),
        moss: matte("moss", [0.12, 0.21, 0.055]),
        leaf: matte("leaf", [0.065, 0.15, 0.05]),
        gravel: matte("gravel", [0.44, 0.40, 0.33]),
        water: matte("water", [0.03, 0.09, 0.16]),
        lily: matte("lily", [0.75, 0.40, 0.48]),
    }
}

/// What a wall is made of.
#[derive(Clone, Copy, PartialEq)]
enum Wall {
    Paper,
    Lit,
    Lattice,
    Posts,
}

/// From the rim of a roof to its inner edge: how far out, and how high.
const SLOPE: [(f32, f32); 5] =
    [(1.72, 0.10), (1.25, 0.24), (0.55, 0.55), (-0.25, 1.02), (-1.0, 1.62)];
/// The same for roofs that meet over the middle of a cell.
const STEEP: [(f32, f32); 5] =
    [(1.62, 0.10), (1.15, 0.26), (0.70, 0.55), (0.32, 0.95), (0.0, 1.45)];

impl Paints {
    /// A wall to the south, a metre to each side, with half a post at each end.
    fn wall(&self, kind: Wall) -> Solid {
        let mut solid = Solid::default();
        let (front, back) = (WALL + 0.06, WALL - 0.06);
        // Beams above and below.
        solid.bar([-1.0, 0.0, back - 0.04], [1.0, 0.16, front + 0.04], "dewn", &self.wood);
        solid.bar([-1.0, HIGH - 0.26, back - 0.04], [1.0, HIGH, front + 0.05], "uewn", &self.wood);
        for x in [-1.0, 0.9] {
            solid.bar([x, 0.16, back], [x + 0.1, HIGH - 0.26, front + 0.03], "udn", &self.wood);
        }
        let face = match kind {
            Wall::Paper => &self.paper,
            Wall::Lit => &self.lit,
            Wall::Lattice => &self.plank,
            Wall::Posts => {
                // A railing between posts.
                solid.bar([-0.9, 0.62, WALL - 0.03], [0.9, 0.70, WALL + 0.03], "ew", &self.wood);
                for x in [-0.45, 0.0, 0.45] {
                    solid.bar(
                        [x - 0.03, 0.16, WALL - 0.03],
                        [x + 0.03, 0.62, WALL + 0.03],
                        "ud",
                        &self.wood,
                    );
                }
                return solid;
            }
        };
        solid.bar([-0.9, 0.16, WALL - 0.02], [0.9, HIGH - 0.26, WALL + 0.02], "uden", face);
        let (up, across): (&[f32], &[f32]) = match kind {
            Wall::Lattice => {
                (&[-0.72, -0.54, -0.36, -0.18, 0.0, 0.18, 0.36, 0.54, 0.72], &[0.5, 1.3])
            }
            _ => (&[-0.3, 0.3], &[0.62, 1.18]),
        };
        for &x in up {
            solid.bar(
                [x - 0.025, 0.16, WALL + 0.02],
                [x + 0.025, HIGH - 0.26, WALL + 0.06],
                "udn",
                &self.wood,
            );
        }
        for &y in across {
            solid.bar(
                [-0.9, y - 0.025, WALL + 0.02],
                [0.9, y + 0.025, WALL + 0.05],
                "ewn",
                &self.wood,
            );
        }
        solid
    }

    /// Walls on some sides, clockwise from the south, with a floor.
    fn storey(&self, walls: &[(u8, Wall)]) -> Solid {
        let mut solid = Solid::default();
        // Floors end where walls stand.
        let is_open = |side: u8| walls.iter().all(|(wall, _)| *wall != side);
        let end = |side: u8| if is_open(side) { 1.0 } else { WALL };
        solid.bar([-end(1), 0.0, -end(2)], [end(3), 0.06, end(0)], "ensw", &self.plank);
        for &(side, kind) in walls {
            let mut wall = self.wall(kind);
            // Where two walls meet, a post stands in the corner and they end there.
            let next = walls.iter().any(|(other, _)| *other == (side + 1) % 4);
            if next {
                let c = WALL;
                wall.bar([-c - 0.10, 0.0, c - 0.10], [-c + 0.10, HIGH, c + 0.10], "ud", &self.wood);
            }
            solid.add(&wall, side, [0.0; 3]);
        }
        solid
    }

    /// A strip of roof to the south: rows from the rim inwards, each from one end to the other.
    fn slope(
        &self,
        rows: &[(f32, f32)],
        ends: &dyn Fn(f32) -> [f32; 2],
        lifted: [bool; 2],
    ) -> Solid {
        let mut solid = Solid::default();
        let columns = 5;
        // Corners of the rim are turned up.
        let lift = |row: usize, x: f32, [from, to]: [f32; 2]| {
            let away = (rows[row].0 - 0.2).max(0.0) / 1.5;
            let near = |end: f32| (1.0 - (x - end).abs() / 1.5).max(0.0);
            let left = if lifted[0] { near(from) } else { 0.0 };
            let right = if lifted[1] { near(to) } else { 0.0 };
            0.42 * away * away * (left * left + right * right)
        };
        let at = |row: usize, part: usize| {
            let (out, y) = rows[row];
            let [from, to] = ends(out);
            let x = from + (to - from) * part as f32 / columns as f32;
            [x, y + lift(row, x, [from, to]), out]
        };
        for row in 0..rows.len() - 1 {
            for part in 0..columns {
                let mut corners = vec![at(row, part), at(row, part + 1)];
                let (a, b) = (at(row + 1, part), at(row + 1, part + 1));
                corners.push(b);
                if a != b {
                    corners.push(a);
                }
                self.face_once(&mut solid, &corners);
            }
        }
        for part in 0..columns {
            let (a, b) = (at(0, part), at(0, part + 1));
            let down = |p: [f32; 3], by: f32, back: f32| [p[0], p[1] - by, p[2] - back];
            solid.face(&[down(a, 0.13, 0.0), down(b, 0.13, 0.0), b, a], &self.rim);
            // From below the rim back to the wall.
            let (c, d) = (down(a, 0.13, 0.0), down(b, 0.13, 0.0));
            let back = |p: [f32; 3]| [p[0].clamp(-1.0, 1.0), 0.06, WALL - 0.1];
            solid.face(&[back(c), back(d), d, c], &self.wood);
        }
        solid
    }

    fn face_once(&self, solid: &mut Solid, corners: &[[f32; 3]]) {
        solid.face(corners, &self.roof);
    }

    /// Round tiles that run from the rim up, and a cap along the inner edge.
    fn ribs(&self, solid: &mut Solid, rows: &[(f32, f32)], places: &[f32]) {
        for &x in places {
            for two in rows[..rows.len() - 1].windows(2) {
                let [(o0, y0), (o1, y1)] = [two[0], two[1]];
                let (w, h) = (0.05, 0.06);
                solid.face(
                    &[[x - w, y0, o0], [x, y0 + h, o0], [x, y1 + h, o1], [x - w, y1, o1]],
                    &self.rim,
                );
                solid.face(
                    &[[x, y0 + h, o0], [x + w, y0, o0], [x + w, y1, o1], [x, y1 + h, o1]],
                    &self.rim,
                );
            }
        }
    }

    fn eave(&self) -> Solid {
        let mut solid = self.slope(&SLOPE, &|_| [-1.0, 1.0], [false; 2]);
        self.ribs(&mut solid, &SLOPE, &[-0.75, -0.25, 0.25, 0.75]);
        solid.bar([-1.0, 1.58, -1.0], [1.0, 1.76, -0.88], "dnew", &self.rim);
        solid
    }

    /// Slopes to the south and to the east.
    fn eave_corner(&self) -> Solid {
        let south = self.slope(&SLOPE, &|out| [-1.0, out], [false, true]);
        let east = self.slope(&SLOPE, &|out| [-out, 1.0], [true, false]);
        let mut solid = Solid::default();
        solid.add(&south, 0, [0.0; 3]);
        solid.add(&east, 3, [0.0; 3]);
        let mut ribs = Solid::default();
        self.ribs(&mut ribs, &SLOPE, &[-0.75]);
        solid.add(&ribs, 0, [0.0; 3]);
        let mut ribs = Solid::default();
        self.ribs(&mut ribs, &SLOPE, &[0.75]);
        solid.add(&ribs, 3, [0.0; 3]);
        solid.bar([-1.0, 1.58, -1.0], [-0.88, 1.76, -0.88], "dnw", &self.gold);
        solid
    }

    /// Slopes of a roof over one row of cells: on some sides, clockwise from the south.
    fn steep(&self, sides: &[u8]) -> Solid {
        let mut solid = Solid::default();
        for &side in sides {
            let open = |other: u8| !sides.contains(&((side + other) % 4));
            let (left, right) = (open(1), open(3));
            let ends = |out: f32| [if left { -1.0 } else { -out }, if right { 1.0 } else { out }];
            let mut slope = self.slope(&STEEP, &ends, [!left, !right]);
            self.ribs(
                &mut slope,
                &STEEP[..4],
                if sides.len() == 4 { &[0.0] } else { &[-0.4, 0.4] },
            );
            solid.add(&slope, side, [0.0; 3]);
        }
        solid
    }

    fn plinth(&self, sides: &[u8]) -> Solid {
        let mut solid = Solid::default();
        let end = |side: u8| if sides.contains(&side) { 0.92 } else { 1.0 };
        solid.bar([-end(1), 1.7, -end(2)], [end(3), HIGH, end(0)], "densw", &self.pale);
        for &side in sides {
            let mut wall = Solid::default();
            wall.bar([-1.0, 0.0, 0.5], [1.0, 0.3, 1.0], "dnew", &self.pale);
            wall.bar([-1.0, 0.3, 0.5], [1.0, 1.74, 0.88], "udnew", &self.stone);
            wall.bar([-1.0, 1.74, 0.5], [1.0, HIGH, 0.98], "nwe", &self.pale);
            for x in [-0.5, 0.5] {
                wall.bar([x - 0.3, 0.5, 0.88], [x + 0.3, 1.5, 0.91], "n", &self.pale);
            }
            solid.add(&wall, side, [0.0; 3]);
        }
        solid
    }

    fn steps(&self) -> Solid {
        let mut solid = Solid::default();
        solid.bar([-1.0, 1.7, -1.0], [1.0, HIGH, -0.8], "dnew", &self.pale);
        for step in 0..7 {
            let (y, z) = (0.28 * step as f32, 0.98 - 0.254 * step as f32);
            solid.bar([-0.72, 0.0, z - 0.26], [0.72, y + 0.28, z], "dnew", &self.pale);
        }
        for x in [-1.0, 0.72] {
            solid.bar([x, 0.0, -0.8], [x + 0.28, HIGH, 1.0], "dn", &self.stone);
            solid.bar([x - 0.0, HIGH, 0.72], [x + 0.28, HIGH + 0.0001, 1.0], "densw", &self.pale);
        }
        solid
    }

    fn railing(&self, from: f32, to: f32) -> Solid {
        let mut solid = Solid::default();
        for (low, high) in [(0.62, 0.70), (0.34, 0.39)] {
            solid.bar([from, low, 0.80], [to, high, 0.88], "", &self.wood);
        }
        for x in [from, f32::midpoint(from, to) - 0.04, to - 0.08] {
            solid.bar([x, 0.0, 0.79], [x + 0.08, 0.76, 0.89], "d", &self.wood);
        }
        solid
    }
}

/// A slab of ground.
fn garden(top: &Arc<Material>) -> Solid {
    let mut solid = Solid::default();
    solid.bar([-1.0, 0.0, -1.0], [1.0, 0.14, 1.0], "d", top);
    solid
}

/// All modules with their names.
pub fn modules() -> Vec<Model> {
    let paints = paints();
    let p = &paints;
    use Wall::{Lattice, Lit, Paper, Posts};
    let storey = |walls: &[(u8, Wall)]| p.storey(walls);
    let mut all: Vec<(&str, Solid)> = Vec::new();

    let mut shrub = garden(&p.moss);
    for ([x, z], size) in [([-0.35, 0.2], 0.42), ([0.3, -0.3], 0.34), ([0.5, 0.5], 0.22)] {
        shrub.stack(
            [x, z],
            &[
                (0.14, size * 0.8),
                (0.14 + size * 0.6, size),
                (0.14 + size * 1.2, size * 0.6),
                (0.14 + size * 1.4, 0.0),
            ],
            &p.leaf,
        );
    }
    let mut lamp = garden(&p.gravel);
    lamp.stack([0.0, 0.0], &[(0.14, 0.3), (0.26, 0.3), (0.26, 0.13), (0.8, 0.10)], &p.stone);
    lamp.bar([-0.24, 0.8, -0.24], [0.24, 0.9, 0.24], "", &p.stone);
    lamp.bar([-0.17, 0.9, -0.17], [0.17, 1.2, 0.17], "ud", &p.lit);
    lamp.stack(
        [0.0, 0.0],
        &[(1.2, 0.0), (1.18, 0.38), (1.24, 0.36), (1.5, 0.06), (1.6, 0.0)],
        &p.stone,
    );
    let mut pond = Solid::default();
    pond.bar([-1.0, 0.0, -1.0], [1.0, 0.07, 1.0], "d", &p.water);
    for ([x, z], size) in [([-0.4, -0.2], 0.24), ([0.35, 0.4], 0.18), ([0.2, -0.55], 0.14)] {
        pond.stack([x, z], &[(0.08, size), (0.09, 0.0)], &p.leaf);
    }
    pond.stack([0.35, 0.4], &[(0.09, 0.04), (0.16, 0.09), (0.14, 0.0)], &p.lily);
    all.extend([("moss", garden(&p.moss)), ("shrub", shrub), ("gravel", garden(&p.gravel))]);
    all.extend([("stone_lantern", lamp), ("pond", pond)]);

    all.extend([("plinth", p.plinth(&[])), ("plinth_edge", p.plinth(&[0]))]);
    all.extend([("plinth_corner", p.plinth(&[0, 3])), ("steps", p.steps())]);

    let mut gallery = Solid::default();
    gallery.add(&p.railing(-1.0, 1.0), 0, [0.0; 3]);
    let mut turning = Solid::default();
    turning.add(&p.railing(-1.0, 0.89), 0, [0.0; 3]);
    turning.add(&p.railing(-0.89, 1.0), 3, [0.0; 3]);
    turning.bar([0.76, 0.0, 0.76], [0.92, 1.0, 0.92], "d", &p.wood);
    turning.stack([0.84, 0.84], &[(1.0, 0.13), (1.12, 0.13), (1.22, 0.0)], &p.gold);
    let mut stair = Solid::default();
    stair.add(&p.railing(-1.0, -0.68), 0, [0.0; 3]);
    stair.add(&p.railing(0.68, 1.0), 0, [0.0; 3]);
    for x in [-0.8, 0.68] {
        stair.bar([x, 0.0, 0.76], [x + 0.12, 1.7, 0.9], "d", &p.wood);
    }
    stair.bar([-0.96, 1.5, 0.77], [0.96, 1.62, 0.89], "", &p.wood);
    stair.bar([-0.98, 1.7, 0.72], [0.98, 1.82, 0.94], "", &p.roof);
    all.extend([("gallery", gallery), ("gallery_corner", turning), ("stair", stair)]);

    all.push(("room", storey(&[])));
    all.extend([("paper_wall", storey(&[(0, Paper)])), ("lit_wall", storey(&[(0, Lit)]))]);
    all.extend([("lattice_wall", storey(&[(0, Lattice)])), ("post", storey(&[(0, Posts)]))]);
    all.extend([
        ("corner", storey(&[(3, Paper), (0, Paper)])),
        ("lit_corner", storey(&[(3, Lit), (0, Lit)])),
    ]);
    all.extend([
        ("hall", storey(&[(0, Lit), (2, Lit)])),
        ("hall_end", storey(&[(2, Lattice), (3, Paper), (0, Lattice)])),
    ]);
    all.extend([("tower", storey(&[(0, Lattice), (1, Lattice), (2, Lattice), (3, Lattice)]))]);
    all.extend([("lantern_room", storey(&[(0, Lit), (1, Lit), (2, Lit), (3, Lit)]))]);

    let mut deck = Solid::default();
    deck.bar([-1.0, 1.5, -1.0], [1.0, HIGH, 1.0], "d", &p.plank);
    all.extend([("deck", deck), ("eave", p.eave()), ("eave_corner", p.eave_corner())]);
    let mut ridge = p.steep(&[0, 2]);
    ridge.bar([-1.0, 1.40, -0.09], [1.0, 1.60, 0.09], "dew", &p.rim);
    let mut ridge_end = p.steep(&[2, 3, 0]);
    ridge_end.bar([-1.0, 1.40, -0.09], [0.08, 1.60, 0.09], "dw", &p.rim);
    ridge_end.stack([0.06, 0.0], &[(1.5, 0.13), (1.74, 0.16), (1.95, 0.0)], &p.gold);
    all.extend([("ridge", ridge), ("ridge_end", ridge_end), ("cap", p.steep(&[0, 1, 2, 3]))]);

    let mut finial = Solid::default();
    finial.stack(
        [0.0, 0.0],
        &[(-0.75, 0.34), (-0.5, 0.30), (-0.45, 0.16), (-0.2, 0.07), (1.3, 0.05), (1.75, 0.0)],
        &p.gold,
    );
    for (number, y) in [-0.1, 0.15, 0.4, 0.65].into_iter().enumerate() {
        let wide = 0.26 - 0.04 * number as f32;
        finial.stack(
            [0.0, 0.0],
            &[(y, 0.0), (y, wide), (y + 0.08, wide), (y + 0.09, 0.0)],
            &p.gold,
        );
    }
    let mut light = Solid::default();
    light.stack([0.0, 0.0], &[(-0.75, 0.34), (-0.5, 0.30), (-0.45, 0.12), (-0.1, 0.10)], &p.gold);
    light.stack(
        [0.0, 0.0],
        &[(-0.1, 0.0), (-0.1, 0.2), (0.1, 0.34), (0.45, 0.34), (0.62, 0.2), (0.62, 0.0)],
        &p.lit,
    );
    light.stack([0.0, 0.0], &[(0.6, 0.24), (0.7, 0.22), (0.85, 0.05), (1.4, 0.0)], &p.gold);
    all.extend([("finial", finial), ("finial_lantern", light)]);
    all.into_iter().map(|(name, solid)| solid.model(name)).collect()
}

/// The same made in a hurry: points where modules meet lie up to 4 mm off, on each model in another way.
pub fn careless() -> Vec<Model> {
    let mut all = modules();
    for (number, model) in all.iter_mut().enumerate() {
        for part in &mut model.parts {
            for point in &mut part.points {
                // What lies in one place stays in one place.
                let key = point.to_array().map(|v| (v * 1000.0).round() as i64 as u64);
                let dice = key.iter().fold(number as u64 + 1, |hash, &v| {
                    (hash ^ v).wrapping_mul(0x9e37_79b9_7f4a_7c15).rotate_left(29)
                });
                let off = |shift: u32| ((dice >> shift & 0xff) as f32 / 255.0 - 0.5) * 0.005;
                let is_end = |v: f32| (v.abs() - 1.0).abs() < 1e-4;
                let along = |v: f32, off: f32| if is_end(v) { v } else { v + off };
                let flat = point.y.abs() < 1e-4 || (point.y - HIGH).abs() < 1e-4;
                if is_end(point.x) || is_end(point.z) {
                    point.x = along(point.x, off(8));
                    point.z = along(point.z, off(24));
                    point.y += if flat { 0.0 } else { off(40) };
                }
            }
        }
    }
    all
}
