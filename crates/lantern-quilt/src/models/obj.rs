//! OBJ with MTL in: objects and groups are nodes.

use super::file::{Beside, ModelError, ModelFile, Remark, clean};
use super::finish::finish;
use super::limits::ModelLimits;
use super::mesh::{Material, Model, Part, Texture};
use super::texture::decode;
use glam::{Vec2, Vec3, Vec4};
use std::cell::RefCell;
use std::io::{BufReader, Cursor};
use std::sync::Arc;

pub(super) fn read(
    data: &[u8],
    beside: &mut Beside<'_>,
    limits: &mut ModelLimits,
) -> Result<ModelFile, ModelError> {
    let mut remarks = Vec::new();
    let options = tobj::LoadOptions {
        triangulate: true,
        single_index: true,
        ignore_points: true,
        ignore_lines: true,
    };
    // Faces are told from their corners, which are read before anything is made of them.
    let text = std::str::from_utf8(data).map_err(|e| ModelError::damaged("OBJ", e))?;
    let corners = text.lines().filter(|line| line.trim_start().starts_with("f "));
    let corners: usize =
        corners.map(|line| line.split_whitespace().count().saturating_sub(3)).sum();
    let most = limits.triangles;
    limits.triangles =
        most.checked_sub(corners as u64).ok_or(ModelError::TooLarge { what: "triangles", most })?;
    let failed: RefCell<Vec<(String, String)>> = RefCell::default();
    let (objects, materials) = {
        let beside = RefCell::new(&mut *beside);
        let loader = |path: &std::path::Path| {
            let name = path.to_string_lossy().into_owned();
            let read = beside.borrow_mut()(&name);
            match read {
                Ok(data) => tobj::load_mtl_buf(&mut BufReader::new(Cursor::new(data))),
                Err(error) => {
                    failed.borrow_mut().push((clean(&name).0, error.to_string()));
                    Err(tobj::LoadError::OpenFileFailed)
                }
            }
        };
        tobj::load_obj_buf(&mut BufReader::new(Cursor::new(data)), &options, loader)
            .map_err(|e| ModelError::damaged("OBJ", e))?
    };
    for (name, why) in failed.into_inner() {
        remarks.push(Remark::Texture(name, why));
    }
    let mut made: Vec<Arc<Material>> = Vec::new();
    for material in materials.unwrap_or_default() {
        made.push(Arc::new(read_material(&material, beside, limits, &mut remarks)?));
    }
    let mut file = ModelFile::default();
    for object in objects {
        let place = format!("the object `{}`", clean(&object.name).0);
        let mesh = object.mesh;
        let points: Vec<Vec3> = mesh.positions.chunks_exact(3).map(Vec3::from_slice).collect();
        if points.iter().any(|point| !point.is_finite()) {
            return Err(ModelError::NotFinite { place });
        }
        let triangles: Vec<[u32; 3]> =
            mesh.indices.chunks_exact(3).map(|c| [c[0], c[1], c[2]]).collect();
        if triangles.as_flattened().iter().any(|&index| index as usize >= points.len()) {
            let why = format!("{place} names a point that it does not have");
            return Err(ModelError::damaged("OBJ", why));
        }
        let of_points = |count: usize| count == points.len();
        let normals = mesh.normals.chunks_exact(3).map(Vec3::from_slice);
        let normals: Vec<Vec3> =
            normals.map(|normal| normal.try_normalize().unwrap_or(Vec3::Y)).collect();
        // v goes up in OBJ and down in glTF.
        let uvs: Vec<Vec2> =
            mesh.texcoords.chunks_exact(2).map(|uv| Vec2::new(uv[0], 1.0 - uv[1])).collect();
        let colours: Vec<Vec4> = (mesh.vertex_color.chunks_exact(3))
            .map(|c| Vec3::from_slice(c).map(linear).extend(1.0))
            .collect();
        let mut part = Part {
            normals: if of_points(normals.len()) { normals } else { Vec::new() },
            uvs: if of_points(uvs.len()) { vec![uvs] } else { Vec::new() },
            colours: if of_points(colours.len()) { colours } else { Vec::new() },
            material: mesh.material_id.and_then(|id| made.get(id).cloned()),
            points,
            triangles,
            ..Part::default()
        };
        finish(&mut part, &mut remarks);
        let (name, other) = clean(&object.name);
        if other {
            remarks.push(Remark::Named(1));
        }
        file.whole.parts.push(part.clone());
        // An object of several materials comes in pieces of one name.
        match file.nodes.last_mut() {
            Some((known, Ok(model))) if *known == name => model.parts.push(part),
            _ => file.nodes.push((name.clone(), Ok(Model { name, parts: vec![part] }))),
        }
    }
    file.whole.parts.retain(|part| !part.triangles.is_empty());
    file.remarks = remarks;
    Ok(file)
}

fn read_material(
    material: &tobj::Material,
    beside: &mut Beside<'_>,
    limits: &mut ModelLimits,
    remarks: &mut Vec<Remark>,
) -> Result<Material, ModelError> {
    let colour = material.diffuse.unwrap_or([0.8; 3]).map(linear);
    let mut made = Material::plain(clean(&material.name).0, colour);
    made.colour[3] = material.dissolve.unwrap_or(1.0).clamp(0.0, 1.0);
    made.see_through = made.colour[3] < 1.0;
    if let Some(name) = &material.diffuse_texture {
        let shown = clean(name).0;
        match beside(name) {
            Ok(data) => match decode(&data, limits)? {
                Ok((picture, mime)) => {
                    let data = data.into();
                    let texture = Arc::new(Texture { picture, data, mime, sampler: None });
                    made.texture = Some((texture.clone(), 0));
                    made.textures.push(texture);
                }
                Err(why) => remarks.push(Remark::Texture(shown, why)),
            },
            Err(error) => remarks.push(Remark::Texture(shown, error.to_string())),
        }
    }
    Ok(made)
}

/// From a stored colour to light, near enough for a picture.
fn linear(value: f32) -> f32 {
    let value = value.clamp(0.0, 1.0);
    value * value
}
