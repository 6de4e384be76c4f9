//! The modules of `wall`: a garden wall with a coping, gates and lantern towers. A cell is 2 x 2 metres and 2 metres high.

use crate::solid::{Solid, matte, shining};
use lantern_quilt::models::{Material, Model};
use std::sync::Arc;

/// How high a level is.
const HIGH: f32 = 2.0;
/// Half as thick as a wall is.
const THICK: f32 = 0.24;
/// Where its coping begins, how far that reaches out, and where it ends.
const COPING: [f32; 3] = [1.34, 0.46, 1.66];
/// Half as wide as a tower is.
const TOWER: f32 = 0.74;

struct Paints {
    stone: Arc<Material>,
    plaster: Arc<Material>,
    band: Arc<Material>,
    tile: Arc<Material>,
    rim: Arc<Material>,
    wood: Arc<Material>,
    lit: Arc<Material>,
    gold: Arc<Material>,
}

fn paints() -> Paints {
    Paints {
        stone: matte("field stone", [0.17, 0.18, 0.22]),
        plaster: matte("plaster", [0.52, 0.47, 0.38]),
        band: matte("clay band", [0.30, 0.19, 0.11]),
        tile: matte("coping", [0.055, 0.085, 0.15]),
        rim: matte("coping rim", [0.12, 0.17, 0.26]),
        wood: matte("gate wood", [0.32, 0.055, 0.035]),
        lit: shining("lit paper", [0.9, 0.62, 0.28], [0.85, 0.45, 0.12]),
        gold: matte("gilding", [0.75, 0.46, 0.10]),
    }
}

impl Paints {
    /// A wall from the middle of a cell to its south side, `from` so far out.
    fn arm(&self, from: f32) -> Solid {
        let mut solid = Solid::default();
        let [low, out, high] = COPING;
        solid.bar([-THICK - 0.07, 0.0, from], [THICK + 0.07, 0.34, 1.0], "dn", &self.stone);
        solid.bar([-THICK, 0.34, from], [THICK, low, 1.0], "udn", &self.plaster);
        for y in [0.62, 0.9] {
            for side in [-1.0_f32, 1.0] {
                let (x, thin) = (side * THICK, side * 0.02);
                let (least, most) = (x.min(x + thin), x.max(x + thin));
                solid.bar([least, y, from], [most, y + 0.06, 1.0], "n", &self.band);
            }
        }
        // The coping: two slopes, their rims, and a ridge.
        for side in [-1.0_f32, 1.0] {
            let at = |x: f32, y: f32, z: f32| [side * x, y, z];
            let mut slope = vec![
                at(out, low, 1.0),
                at(0.0, high, 1.0),
                at(0.0, high, from),
                at(out, low, from),
            ];
            let mut rim = vec![
                at(out, low - 0.08, 1.0),
                at(out, low, 1.0),
                at(out, low, from),
                at(out, low - 0.08, from),
            ];
            let mut under = vec![
                at(THICK, low - 0.08, 1.0),
                at(out, low - 0.08, 1.0),
                at(out, low - 0.08, from),
                at(THICK, low - 0.08, from),
            ];
            if side < 0.0 {
                slope.reverse();
                rim.reverse();
                under.reverse();
            }
            slope.reverse();
            rim.reverse();
            under.reverse();
            solid.face(&slope, &self.tile);
            solid.face(&rim, &self.rim);
            solid.face(&under, &self.wood);
            for z in [0.375_f32, 0.75] {
                let z = z.max(from + 0.05);
                let (w, h) = (0.035, 0.05);
                let mut rib = vec![
                    at(out, low + h, z - w),
                    at(out, low + h, z + w),
                    at(0.0, high + h, z + w),
                    at(0.0, high + h, z - w),
                ];
                if side < 0.0 {
                    rib.reverse();
                }
                rib.reverse();
                solid.face(&rib, &self.rim);
            }
        }
        solid.bar([-0.07, high - 0.04, from], [0.07, high + 0.09, 1.0], "dn", &self.rim);
        solid
    }

    /// A wall to some sides, clockwise from the south, with a pier where it does not run straight.
    fn wall(&self, sides: &[u8]) -> Solid {
        let mut solid = Solid::default();
        let straight = sides.len() == 2 && (sides[0] + sides[1]).is_multiple_of(2);
        for &side in sides {
            solid.add(&self.arm(if straight { 0.0 } else { 0.2 }), side, [0.0; 3]);
        }
        if !straight {
            solid.add(&self.pier(), 0, [0.0; 3]);
        }
        solid
    }

    /// A pier with a cap.
    fn pier(&self) -> Solid {
        let mut solid = Solid::default();
        let (w, high) = (0.36, 1.62);
        solid.bar([-w - 0.06, 0.0, -w - 0.06], [w + 0.06, 0.36, w + 0.06], "d", &self.stone);
        solid.bar([-w, 0.36, -w], [w, high, w], "ud", &self.plaster);
        self.roof(&mut solid, high, 0.62, 1.98);
        solid
    }

    /// Four slopes to a point.
    fn roof(&self, solid: &mut Solid, low: f32, out: f32, high: f32) {
        for quarter in 0..4 {
            let mut side = Solid::default();
            side.face(&[[-out, low, out], [out, low, out], [0.0, high, 0.0]], &self.tile);
            side.face(
                &[[-out, low - 0.1, out], [out, low - 0.1, out], [out, low, out], [-out, low, out]],
                &self.rim,
            );
            solid.add(&side, quarter, [0.0; 3]);
        }
        solid.face(
            &[
                [-out, low - 0.1, -out],
                [out, low - 0.1, -out],
                [out, low - 0.1, out],
                [-out, low - 0.1, out],
            ],
            &self.wood,
        );
    }

    /// A lantern on a pier.
    fn lantern(&self) -> Solid {
        let mut solid = Solid::default();
        let (w, high) = (0.34, 1.05);
        solid.bar([-w - 0.06, 0.0, -w - 0.06], [w + 0.06, 0.3, w + 0.06], "d", &self.stone);
        solid.bar([-w, 0.3, -w], [w, high, w], "d", &self.plaster);
        solid.bar([-0.22, high, -0.22], [0.22, high + 0.46, 0.22], "ud", &self.lit);
        for (x, z) in [(-0.24, -0.24), (0.18, -0.24), (-0.24, 0.18), (0.18, 0.18)] {
            solid.bar([x, high, z], [x + 0.06, high + 0.46, z + 0.06], "ud", &self.wood);
        }
        self.roof(&mut solid, high + 0.46, 0.46, high + 0.86);
        solid
    }

    /// The foot of a tower, with walls to some sides.
    fn foot(&self, sides: &[u8]) -> Solid {
        let mut solid = Solid::default();
        for &side in sides {
            solid.add(&self.arm(TOWER), side, [0.0; 3]);
        }
        let w = TOWER;
        solid.bar([-w - 0.12, 0.0, -w - 0.12], [w + 0.12, 0.5, w + 0.12], "d", &self.stone);
        solid.bar([-w, 0.5, -w], [w, HIGH, w], "ud", &self.plaster);
        for y in [0.78, 1.5] {
            solid.bar([-w - 0.02, y, -w - 0.02], [w + 0.02, y + 0.08, w + 0.02], "", &self.band);
        }
        solid
    }

    /// A gate between walls to the east and the west.
    fn gate(&self) -> Solid {
        let mut solid = Solid::default();
        for side in [1, 3] {
            solid.add(&self.arm(0.86), side, [0.0; 3]);
        }
        for x in [-0.9, 0.66] {
            solid.bar([x, 0.0, -0.3], [x + 0.24, HIGH, 0.3], "ud", &self.wood);
            solid.bar([x - 0.06, 0.0, -0.36], [x + 0.3, 0.2, 0.36], "d", &self.stone);
        }
        solid.bar([-1.0, 1.62, -0.22], [1.0, 1.86, 0.22], "", &self.wood);
        solid.bar([-0.66, 0.0, -0.5], [0.66, 0.08, 0.5], "d", &self.stone);
        // Leaves that stand open.
        for (x, out) in [(-0.62_f32, -0.05), (0.62, 0.05)] {
            let (least, most) = (x.min(x - out), x.max(x - out));
            solid.bar([least, 0.12, -0.85], [most, 1.5, -0.2], "", &self.band);
        }
        solid
    }

    /// A storey of a tower; lit where people are.
    fn storey(&self, lit: bool) -> Solid {
        let mut solid = Solid::default();
        let w = TOWER - 0.06;
        solid.bar([-w - 0.14, 0.0, -w - 0.14], [w + 0.14, 0.14, w + 0.14], "", &self.wood);
        let face = if lit { &self.lit } else { &self.plaster };
        solid.bar([-w, 0.14, -w], [w, HIGH - 0.16, w], "ud", face);
        for quarter in 0..4 {
            let mut side = Solid::default();
            let posts: &[f32] = if lit { &[-w, -0.24, 0.16, w - 0.08] } else { &[-w, w - 0.08] };
            for &x in posts {
                side.bar([x, 0.14, w - 0.02], [x + 0.08, HIGH - 0.16, w + 0.04], "udn", &self.wood);
            }
            side.bar([-w, 0.98, w], [w, 1.05, w + 0.03], "n", &self.wood);
            if !lit {
                side.bar([-0.2, 0.7, w], [0.2, 1.4, w + 0.02], "n", &self.lit);
                for x in [-0.1, 0.06] {
                    side.bar([x, 0.7, w + 0.02], [x + 0.04, 1.4, w + 0.04], "n", &self.wood);
                }
            }
            solid.add(&side, quarter, [0.0; 3]);
        }
        solid.bar([-w - 0.06, HIGH - 0.16, -w - 0.06], [w + 0.06, HIGH, w + 0.06], "", &self.wood);
        solid
    }

    /// The roof of a tower or gate.
    fn cap(&self) -> Solid {
        let mut solid = Solid::default();
        self.roof(&mut solid, 0.12, 1.16, 1.25);
        solid.stack([0.0, 0.0], &[(1.05, 0.1), (1.25, 0.13), (1.4, 0.05), (1.75, 0.0)], &self.gold);
        solid
    }
}

/// All modules with their names.
pub fn modules() -> Vec<Model> {
    let paints = paints();
    let p = &paints;
    let mut end = p.arm(0.2);
    end.add(&p.lantern(), 0, [0.0; 3]);
    let all = [
        ("straight", p.wall(&[1, 3])),
        ("bend", p.wall(&[0, 3])),
        ("tee", p.wall(&[0, 1, 3])),
        ("cross", p.wall(&[0, 1, 2, 3])),
        ("end", end),
        ("gate", p.gate()),
        ("foot_straight", p.foot(&[1, 3])),
        ("foot_bend", p.foot(&[0, 3])),
        ("foot_tee", p.foot(&[0, 1, 3])),
        ("storey", p.storey(false)),
        ("lantern_storey", p.storey(true)),
        ("cap", p.cap()),
    ];
    all.into_iter().map(|(name, solid)| solid.model(name)).collect()
}
