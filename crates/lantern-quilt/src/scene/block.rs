//! Blocks and floors: what tiles without a model look like in three dimensions.

use crate::models::{Material, Model, Part, Texture};
use crate::picture::{Picture, Rgba};
use glam::{Vec2, Vec3};
use std::sync::Arc;

/// From a stored colour to light: the square is near enough to the standard curve for a picture.
pub(crate) fn to_light([r, g, b, _]: Rgba) -> [f32; 3] {
    [r, g, b].map(|value| {
        let value = f32::from(value) / 255.0;
        value * value
    })
}

/// The box that a cell takes, in one colour or with a picture on each face. Sides whose bit is set in `hidden`
/// (north, east, south, west, up, down) are left out.
pub(crate) fn block_model(
    module: Vec3,
    colour: Option<Rgba>,
    picture: Option<Picture>,
    hidden: u8,
) -> Model {
    let faces: [(Vec3, Vec3, Vec3); 6] = [
        (Vec3::NEG_Z, Vec3::NEG_X, Vec3::Y),
        (Vec3::X, Vec3::NEG_Z, Vec3::Y),
        (Vec3::Z, Vec3::X, Vec3::Y),
        (Vec3::NEG_X, Vec3::Z, Vec3::Y),
        (Vec3::Y, Vec3::X, Vec3::NEG_Z),
        (Vec3::NEG_Y, Vec3::X, Vec3::Z),
    ];
    let half = Vec3::splat(0.5);
    let mut part = Part { material: Some(Arc::new(material(colour, picture))), ..Part::default() };
    part.uvs.push(Vec::new());
    for (bit, (out, right, up)) in faces.into_iter().enumerate() {
        if hidden & 1 << bit != 0 {
            continue;
        }
        push_face(&mut part, out * half, right * half, up * half, out);
    }
    for point in &mut part.points {
        *point = (*point + Vec3::new(0.0, 0.5, 0.0)) * module;
    }
    let parts = if part.triangles.is_empty() { Vec::new() } else { vec![part] };
    Model { name: "block".to_owned(), parts }
}

/// A flat floor.
pub(super) fn floor_model(module: Vec3, colour: Rgba, picture: Option<Picture>) -> Model {
    let colour = picture.is_none().then_some(colour);
    let mut part = Part { material: Some(Arc::new(material(colour, picture))), ..Part::default() };
    part.uvs.push(Vec::new());
    push_face(&mut part, Vec3::ZERO, Vec3::X * 0.5, Vec3::NEG_Z * 0.5, Vec3::Y);
    for point in &mut part.points {
        *point *= module;
    }
    Model { name: "floor".to_owned(), parts: vec![part] }
}

fn push_face(part: &mut Part, middle: Vec3, right: Vec3, up: Vec3, out: Vec3) {
    let first = part.points.len() as u32;
    for (x, y) in [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)] {
        part.points.push(middle + right * x + up * y);
        part.normals.push(out);
        part.uvs[0].push(Vec2::new(f32::midpoint(x, 1.0), (1.0 - y) / 2.0));
    }
    part.triangles.push([first, first + 1, first + 2]);
    part.triangles.push([first, first + 2, first + 3]);
}

fn material(colour: Option<Rgba>, picture: Option<Picture>) -> Material {
    let light = colour.map_or([1.0; 3], to_light);
    let mut material = Material::plain(if picture.is_some() { "picture" } else { "block" }, light);
    if let Some(picture) = picture {
        let mut data = Vec::new();
        // A picture in memory is written whole.
        let _ = picture.write_png(&mut data, &[]);
        let sampler = Some(r#"{"magFilter":9728,"minFilter":9728}"#.to_owned());
        let texture = Arc::new(Texture { picture, data: data.into(), mime: "image/png", sampler });
        material.texture = Some((texture.clone(), 0));
        material.textures.push(texture);
        material.cutoff = Some(0.5);
    }
    material
}
