//! The modules of `lane`: a square map with models. A cell is 2 x 2 metres, a step of height 0.5 metres.

use crate::solid::{Solid, matte, shining};
use lantern_quilt::models::{Material, Model, Texture};
use lantern_quilt::picture::Picture;
use std::sync::Arc;

/// A picture of woven cloth, striped.
fn cloth(colours: [[u8; 3]; 2]) -> Arc<Material> {
    let mut picture = Picture::new(16, 16, [0, 0, 0, 255]).expect("small");
    for (x, y) in (0..16).flat_map(|y| (0..16).map(move |x| (x, y))) {
        let [r, g, b] = colours[(x / 4 % 2) as usize];
        let shade = if (x + y) % 2 == 0 { 255 } else { 236 };
        let dim = |value: u8| (u32::from(value) * shade / 255) as u8;
        picture.set(x, y, [dim(r), dim(g), dim(b), 255]);
    }
    let data: Arc<[u8]> = picture.to_png(&[]).expect("in memory").into();
    let sampler =
        Some(r#"{"magFilter":9728,"minFilter":9728,"wrapS":10497,"wrapT":10497}"#.to_owned());
    let texture = Arc::new(Texture { picture, data, mime: "image/png", sampler });
    let mut material = Material::plain("cloth", [1.0; 3]);
    material.texture = Some((texture.clone(), 0));
    material.textures.push(texture);
    material.double_sided = true;
    Arc::new(material)
}

struct Paints {
    moss: Arc<Material>,
    leaf: Arc<Material>,
    stone: Arc<Material>,
    pale: Arc<Material>,
    joint: Arc<Material>,
    wood: Arc<Material>,
    plank: Arc<Material>,
    plaster: Arc<Material>,
    roof: Arc<Material>,
    lit: Arc<Material>,
    red: Arc<Material>,
    fruit: Arc<Material>,
}

/// Stones of a path over some rectangle, a little uneven, always the same.
fn paving(p: &Paints, solid: &mut Solid, [x0, z0, x1, z1]: [f32; 4]) {
    let size = 0.5;
    let (columns, rows) = (((x1 - x0) / size).round() as i32, ((z1 - z0) / size).round() as i32);
    for row in 0..rows {
        for column in 0..columns {
            let (x, z) = (x0 + column as f32 * size, z0 + row as f32 * size);
            let mixed = (column * 7 + row * 13 + (column * row) % 5) % 5;
            let top = 0.10 + 0.008 * mixed as f32;
            let stone = if mixed < 2 { &p.stone } else { &p.pale };
            let gap = 0.02;
            solid.bar([x + gap, 0.06, z + gap], [x + size - gap, top, z + size - gap], "d", stone);
        }
    }
    solid.bar([x0, 0.0, z0], [x1, 0.07, z1], "d", &p.joint);
}

/// A lane through a cell: which of its sides it goes on to, clockwise from the north.
fn lane(p: &Paints, open: [bool; 4]) -> Solid {
    let mut solid = Solid::default();
    const W: f32 = 0.75;
    solid.bar([-1.0, 0.0, -1.0], [1.0, 0.05, 1.0], "d", &p.moss);
    paving(p, &mut solid, [-0.75, -0.75, 0.75, 0.75]);
    let arms = [
        [-0.75, -1.0, 0.75, -W],
        [W, -0.75, 1.0, 0.75],
        [-0.75, W, 0.75, 1.0],
        [-1.0, -0.75, -W, 0.75],
    ];
    for (arm, _) in arms.into_iter().zip(open).filter(|(_, open)| *open) {
        let [x0, z0, x1, z1] = arm;
        solid.bar([x0, 0.0, z0], [x1, 0.07, z1], "d", &p.joint);
        let wide = x1 - x0 > z1 - z0;
        for part in 0..3 {
            let at = -0.75 + 0.5 * part as f32;
            let (least, most) = if wide {
                ([at + 0.02, 0.06, z0 + 0.01], [at + 0.48, 0.115, z1 - 0.01])
            } else {
                ([x0 + 0.01, 0.06, at + 0.02], [x1 - 0.01, 0.115, at + 0.48])
            };
            solid.bar(least, most, "d", if part == 1 { &p.stone } else { &p.pale });
        }
    }
    solid
}

fn lantern(p: &Paints, high: f32) -> Solid {
    let mut solid = Solid::default();
    solid.bar([-0.04, -0.3, -0.04], [0.04, high, 0.04], "d", &p.wood);
    solid.bar([-0.04, high - 0.08, -0.04], [0.42, high, 0.04], "", &p.wood);
    let y = high - 0.72;
    solid.stack(
        [0.36, 0.0],
        &[(y, 0.0), (y, 0.10), (y + 0.10, 0.2), (y + 0.42, 0.2), (y + 0.52, 0.10), (y + 0.52, 0.0)],
        &p.lit,
    );
    solid.bar([0.34, y + 0.5, -0.02], [0.38, high - 0.06, 0.02], "", &p.wood);
    solid
}

/// All modules with their names.
pub fn modules() -> Vec<Model> {
    let p = Paints {
        moss: matte("moss", [0.115, 0.20, 0.055]),
        leaf: matte("leaf", [0.06, 0.14, 0.045]),
        stone: matte("stone", [0.27, 0.26, 0.27]),
        pale: matte("pale stone", [0.38, 0.36, 0.34]),
        joint: matte("joint", [0.13, 0.12, 0.11]),
        wood: matte("wood", [0.13, 0.065, 0.035]),
        plank: matte("plank", [0.26, 0.15, 0.075]),
        plaster: matte("plaster", [0.58, 0.53, 0.45]),
        roof: matte("roof", [0.06, 0.09, 0.15]),
        lit: shining("lit paper", [0.95, 0.5, 0.2], [0.9, 0.38, 0.10]),
        red: cloth([[186, 58, 46], [238, 224, 192]]),
        fruit: matte("fruit", [0.72, 0.28, 0.05]),
    };
    let blue = cloth([[46, 72, 140], [226, 214, 186]]);
    let mut all: Vec<(&str, Solid)> = Vec::new();
    let [n, e, s, w] = [0, 1, 2, 3];
    for (name, sides) in [
        ("lane_spot", vec![]),
        ("lane_end", vec![n]),
        ("lane_straight", vec![n, s]),
        ("lane_bend", vec![n, e]),
        ("lane_fork", vec![n, e, w]),
        ("lane_cross", vec![n, e, s, w]),
    ] {
        all.push((name, lane(&p, std::array::from_fn(|side| sides.contains(&side)))));
    }
    let mut moss = Solid::default();
    moss.bar([-1.0, 0.0, -1.0], [1.0, 0.06, 1.0], "d", &p.moss);
    all.push(("moss", moss.clone()));
    for ([x, z], size) in [([-0.45, 0.3], 0.4), ([0.35, -0.4], 0.46), ([0.55, 0.45], 0.26)] {
        moss.stack(
            [x, z],
            &[
                (0.05, size * 0.8),
                (0.05 + size * 0.6, size),
                (0.05 + size * 1.3, size * 0.55),
                (0.05 + size * 1.5, 0.0),
            ],
            &p.leaf,
        );
    }
    all.push(("shrubs", moss));
    // A bank that falls to the south by two steps of height.
    let mut bank = Solid::default();
    let rows = [(-1.0, 1.06), (-0.75, 1.03), (-0.2, 0.74), (0.4, 0.30), (0.8, 0.10), (1.0, 0.06)];
    for two in rows.windows(2) {
        let [(z0, y0), (z1, y1)] = [two[0], two[1]];
        bank.face(&[[-1.0, y1, z1], [1.0, y1, z1], [1.0, y0, z0], [-1.0, y0, z0]], &p.moss);
        bank.face(&[[1.0, y1, z1], [1.0, 0.0, z1], [1.0, 0.0, z0], [1.0, y0, z0]], &p.moss);
        bank.face(&[[-1.0, y0, z0], [-1.0, 0.0, z0], [-1.0, 0.0, z1], [-1.0, y1, z1]], &p.moss);
    }
    bank.face(
        &[[1.0, 0.0, -1.0], [-1.0, 0.0, -1.0], [-1.0, 1.06, -1.0], [1.0, 1.06, -1.0]],
        &p.moss,
    );
    all.push(("bank", bank));

    let mut wall = Solid::default();
    wall.bar([-1.0, 0.0, -0.14], [1.0, 0.35, 0.14], "d", &p.stone);
    wall.bar([-1.0, 0.35, -0.1], [1.0, 1.25, 0.1], "ud", &p.plaster);
    for (back, out) in [(0.0, 0.34), (0.0, -0.34)] {
        let (a, b) = if out > 0.0 { (-1.0, 1.0) } else { (1.0, -1.0) };
        wall.face(&[[a, 1.22, out], [b, 1.22, out], [b, 1.52, back], [a, 1.52, back]], &p.roof);
        wall.face(&[[b, 1.22, out], [a, 1.22, out], [a, 1.2, 0.0], [b, 1.2, 0.0]], &p.wood);
    }
    wall.bar([-1.0, 1.47, -0.06], [1.0, 1.58, 0.06], "d", &p.roof);
    for x in [-1.0, 0.9] {
        wall.bar([x, 0.3, -0.13], [x + 0.1, 1.24, 0.13], "ud", &p.wood);
    }
    all.push(("wall", wall));

    for (name, awning) in [("stall_red", &p.red), ("stall_blue", &blue)] {
        let mut stall = Solid::default();
        for (x, z, high) in
            [(-0.7, -0.5, 1.75), (0.62, -0.5, 1.75), (-0.7, 0.5, 1.35), (0.62, 0.5, 1.35)]
        {
            stall.bar([x, 0.0, z], [x + 0.08, high, z + 0.08], "d", &p.wood);
        }
        stall.bar([-0.74, 0.0, 0.05], [0.74, 0.72, 0.58], "d", &p.plank);
        stall.bar([-0.78, 0.72, 0.0], [0.78, 0.78, 0.62], "", &p.wood);
        for (number, x) in [-0.55, -0.3, -0.05, 0.2, 0.45].into_iter().enumerate() {
            let z = 0.22 + 0.16 * (number % 2) as f32;
            stall.stack([x, z], &[(0.78, 0.06), (0.84, 0.1), (0.92, 0.06), (0.95, 0.0)], &p.fruit);
        }
        let mut roof = Solid::default();
        roof.face(
            &[[-0.82, 1.30, 0.80], [0.82, 1.30, 0.80], [0.82, 1.82, -0.58], [-0.82, 1.82, -0.58]],
            awning,
        );
        roof.face(
            &[[-0.82, 1.14, 0.82], [0.82, 1.14, 0.82], [0.82, 1.30, 0.80], [-0.82, 1.30, 0.80]],
            awning,
        );
        roof.texture(2.0);
        stall.add(&roof, 0, [0.0; 3]);
        stall.stack(
            [0.0, 0.5],
            &[(1.02, 0.0), (1.02, 0.07), (1.10, 0.12), (1.22, 0.12), (1.28, 0.06), (1.28, 0.0)],
            &p.lit,
        );
        all.push((name, stall));
    }
    all.extend([("lantern", lantern(&p, 1.9)), ("low_lantern", lantern(&p, 1.3))]);
    let mut jar = Solid::default();
    jar.stack(
        [0.0, 0.0],
        &[(0.0, 0.14), (0.2, 0.22), (0.4, 0.18), (0.46, 0.1), (0.5, 0.12), (0.5, 0.0)],
        &p.plank,
    );
    all.push(("jar", jar));
    all.into_iter().map(|(name, solid)| solid.model(name)).collect()
}
