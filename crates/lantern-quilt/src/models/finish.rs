//! What every part of a model needs: triangles with an area, and normals.

use super::file::Remark;
use super::mesh::Part;
use glam::Vec3;

/// Leaves out triangles without area, and makes normals where there are none.
pub(super) fn finish(part: &mut Part, remarks: &mut Vec<Remark>) {
    let before = part.triangles.len();
    let points = &part.points;
    let cross = |&[a, b, c]: &[u32; 3]| {
        let [a, b, c] = [a, b, c].map(|index| points[index as usize]);
        (b - a).cross(c - a)
    };
    part.triangles.retain(|triangle| cross(triangle).length_squared() > 0.0);
    if before > part.triangles.len() {
        remarks.push(Remark::Degenerate(before - part.triangles.len()));
    }
    if !part.normals.is_empty() || part.triangles.is_empty() {
        return;
    }
    // Flat ones, as the standard wants it: each corner is a point of its own then.
    remarks.push(Remark::Normals(1));
    let old = std::mem::take(part);
    for &triangle in &old.triangles {
        let [a, b, c] = triangle.map(|index| old.points[index as usize]);
        let normal = (b - a).cross(c - a).normalize_or(Vec3::Y);
        let first = part.points.len() as u32;
        for index in triangle.map(|index| index as usize) {
            part.points.push(old.points[index]);
            part.normals.push(normal);
            part.colours.extend(old.colours.get(index));
        }
        part.triangles.push([first, first + 1, first + 2]);
    }
    let corners = || old.triangles.as_flattened().iter().map(|&index| index as usize);
    part.uvs = old.uvs.iter().map(|set| corners().map(|index| set[index]).collect()).collect();
    part.material = old.material;
}
