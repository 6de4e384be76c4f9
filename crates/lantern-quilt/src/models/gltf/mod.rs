//! glTF 2.0 in: `.glb`, and `.gltf` with files beside it.
//!
//! `accessor` reads numbers out of buffers, `beside` what URIs name, `material` what triangles are made of; this file walks nodes.
//!
//! Source: glTF 2.0 Specification, Khronos Group (ISO/IEC 12113:2022).

mod accessor;
mod beside;
mod material;

use self::accessor::Buffers;
use self::beside::{bytes_of, is_known};
use self::material::Materials;
use super::file::{Beside, ModelError, ModelFile, Remark, clean};
use super::finish::finish;
use super::limits::ModelLimits;
use super::mesh::{Model, Part};
use glam::{Mat3, Mat4, Vec2, Vec3, Vec4};
use gltf::mesh::{Mode, Semantic};
use gltf::{Document, Gltf, Node, Primitive};
use serde_json::Value;
use std::sync::Arc;

/// Nodes deeper than this are a slip, or malice.
const DEEPEST: usize = 256;

pub(super) fn read(
    data: &[u8],
    beside: &mut Beside<'_>,
    limits: &mut ModelLimits,
) -> Result<ModelFile, ModelError> {
    let damaged = |why: &dyn std::fmt::Display| ModelError::damaged("glTF", why);
    let Gltf { document, blob } = {
        let json = raw_json(data)?;
        refuse_required(&json)?;
        let parsed = Gltf::from_slice_without_validation(data).map_err(|e| damaged(&e))?;
        let root = parsed.document.into_json();
        // The validation below takes for granted that these are there.
        let accessors = root.accessors.len();
        let positions = root
            .meshes
            .iter()
            .flat_map(|mesh| &mesh.primitives)
            .flat_map(|primitive| primitive.attributes.values().map(gltf::json::Index::value));
        if positions.into_iter().any(|accessor| accessor >= accessors) {
            return Err(damaged(&"a mesh names an accessor that is not there"));
        }
        Gltf { document: Document::from_json(root).map_err(|e| damaged(&e))?, blob: parsed.blob }
    };
    let json = raw_json(data)?;
    let mut remarks = Vec::new();
    for extension in document.extensions_used().filter(|name| !is_known(name)) {
        remarks.push(Remark::Extension(clean(extension).0));
    }
    for (count, what) in
        [(document.animations().len(), "animations"), (document.skins().len(), "skins")]
    {
        if count > 0 {
            remarks.push(Remark::Moves(what));
        }
    }
    let buffers = read_buffers(&document, blob, beside, limits)?;
    let materials = Materials::read(&document, &json, &buffers, beside, limits, &mut remarks)?;
    let mut reading = Reading {
        buffers,
        materials,
        meshes: vec![None; document.meshes().len()],
        remarks,
        odd: 0,
    };
    let mut file = ModelFile::default();
    let scene = document.default_scene().or_else(|| document.scenes().next());
    let roots: Vec<Node<'_>> = match scene {
        Some(scene) => scene.nodes().collect(),
        None => document.nodes().collect(),
    };
    let mut whole = Vec::new();
    let nodes = with_parents(&document)?;
    for root in &roots {
        reading.walk(root, Mat4::IDENTITY, 0, limits, &mut whole)?;
    }
    file.whole = Model { name: String::new(), parts: joined(whole) };
    for (node, above) in nodes {
        let Some(name) = node.name() else { continue };
        let mut matrix = above * Mat4::from_cols_array_2d(&node.transform().matrix());
        // What lies side by side in one file stands by its own zero.
        matrix.w_axis = Vec4::W;
        let mut parts = Vec::new();
        let walked = reading.walk_below(&node, matrix, 0, limits, &mut parts);
        let (name, other) = clean(name);
        reading.odd += usize::from(other);
        let model = match walked {
            Ok(()) => Ok(Model { name: name.clone(), parts: joined(parts) }),
            Err(ModelError::Flattened(node)) => Err(node),
            Err(error) => return Err(error),
        };
        file.nodes.push((name, model));
    }
    if reading.odd > 0 {
        reading.remarks.push(Remark::Named(reading.odd));
    }
    file.remarks = reading.remarks;
    Ok(file)
}

/// The JSON of a file of either kind.
fn raw_json(data: &[u8]) -> Result<Value, ModelError> {
    let text = if data.starts_with(b"glTF") {
        let glb = gltf::binary::Glb::from_slice(data).map_err(|e| ModelError::damaged("GLB", e))?;
        glb.json.into_owned()
    } else {
        data.to_vec()
    };
    serde_json::from_slice(&text).map_err(|e| ModelError::damaged("glTF", e))
}

/// Refuses what cannot be read without an extension, by its name.
fn refuse_required(json: &Value) -> Result<(), ModelError> {
    let required = json.get("extensionsRequired").and_then(Value::as_array);
    let mut names = required.into_iter().flatten().filter_map(Value::as_str);
    match names.find(|name| !is_known(name)) {
        Some(name) => Err(ModelError::Extension(clean(name).0)),
        None => Ok(()),
    }
}

fn read_buffers(
    document: &Document,
    blob: Option<Vec<u8>>,
    beside: &mut Beside<'_>,
    limits: &mut ModelLimits,
) -> Result<Buffers, ModelError> {
    let (mut blob, mut all) = (blob, Vec::new());
    for buffer in document.buffers() {
        let data = match buffer.source() {
            gltf::buffer::Source::Bin => {
                blob.take().ok_or_else(|| ModelError::damaged("GLB", "a buffer without data"))?
            }
            gltf::buffer::Source::Uri(uri) => bytes_of(uri, beside, limits)?,
        };
        if data.len() < buffer.length() {
            let (claimed, there) = (buffer.length(), data.len());
            let why = format!("a buffer claims {claimed} bytes and has {there}");
            return Err(ModelError::damaged("glTF", why));
        }
        all.push(data);
    }
    Ok(Buffers(all))
}

/// Every node with the matrix of those above it; each has one above it at most, and none is above itself.
fn with_parents(document: &Document) -> Result<Vec<(Node<'_>, Mat4)>, ModelError> {
    let mut above: Vec<Option<usize>> = vec![None; document.nodes().len()];
    for node in document.nodes() {
        for child in node.children() {
            if above[child.index()].replace(node.index()).is_some() {
                let why = format!("the node `{}` lies below two others", name_of(&child));
                return Err(ModelError::damaged("glTF", why));
            }
        }
    }
    let own: Vec<Mat4> =
        document.nodes().map(|n| Mat4::from_cols_array_2d(&n.transform().matrix())).collect();
    let mut all = Vec::new();
    for node in document.nodes() {
        let (mut matrix, mut at, mut deep) = (Mat4::IDENTITY, above[node.index()], 0);
        while let Some(parent) = at {
            deep += 1;
            if deep > DEEPEST {
                return Err(ModelError::Circle(name_of(&node)));
            }
            matrix = own[parent] * matrix;
            at = above[parent];
        }
        all.push((node, matrix));
    }
    Ok(all)
}

fn name_of(node: &Node<'_>) -> String {
    node.name().map_or_else(|| format!("number {}", node.index()), |name| clean(name).0)
}

/// What the walk through the nodes needs.
struct Reading {
    buffers: Buffers,
    materials: Materials,
    /// Parts of meshes that were read, by index: several nodes may show one.
    meshes: Vec<Option<Arc<Vec<Part>>>>,
    remarks: Vec<Remark>,
    /// Names with control characters.
    odd: usize,
}

impl Reading {
    fn walk(
        &mut self,
        node: &Node<'_>,
        above: Mat4,
        deep: usize,
        limits: &mut ModelLimits,
        parts: &mut Vec<Part>,
    ) -> Result<(), ModelError> {
        let matrix = above * Mat4::from_cols_array_2d(&node.transform().matrix());
        self.walk_below(node, matrix, deep, limits, parts)
    }

    /// What a node and those below it show, when the node itself stands so.
    fn walk_below(
        &mut self,
        node: &Node<'_>,
        matrix: Mat4,
        deep: usize,
        limits: &mut ModelLimits,
        parts: &mut Vec<Part>,
    ) -> Result<(), ModelError> {
        if deep > DEEPEST {
            return Err(ModelError::Circle(name_of(node)));
        }
        if !matrix.is_finite() {
            return Err(ModelError::NotFinite { place: format!("the node `{}`", name_of(node)) });
        }
        if let Some(mesh) = node.mesh() {
            let linear = Mat3::from_mat4(matrix);
            if linear.determinant().abs() < 1e-18 {
                return Err(ModelError::Flattened(name_of(node)));
            }
            let read = self.mesh(&mesh)?;
            let count: usize = read.iter().map(|part| part.triangles.len()).sum();
            let most = limits.triangles;
            let left = most.checked_sub(count as u64);
            limits.triangles = left.ok_or(ModelError::TooLarge { what: "triangles", most })?;
            let offset = matrix.w_axis.truncate();
            for part in read.iter() {
                let moved = part.moved(linear, offset);
                if moved.points.iter().any(|point| !point.is_finite()) {
                    let place = format!("the node `{}`", name_of(node));
                    return Err(ModelError::NotFinite { place });
                }
                parts.push(moved);
            }
        }
        for child in node.children() {
            self.walk(&child, matrix, deep + 1, limits, parts)?;
        }
        Ok(())
    }

    fn mesh(&mut self, mesh: &gltf::Mesh<'_>) -> Result<Arc<Vec<Part>>, ModelError> {
        if let Some(known) = &self.meshes[mesh.index()] {
            return Ok(known.clone());
        }
        let place = match mesh.name() {
            Some(name) => format!("the mesh `{}`", clean(name).0),
            None => format!("the mesh number {}", mesh.index()),
        };
        let mut parts = Vec::new();
        for primitive in mesh.primitives() {
            if primitive.morph_targets().len() > 0 {
                self.remarks.push(Remark::Moves("morph targets"));
            }
            parts.extend(self.part(&primitive, &place)?);
        }
        let parts = Arc::new(parts);
        self.meshes[mesh.index()] = Some(parts.clone());
        Ok(parts)
    }

    fn part(&mut self, primitive: &Primitive<'_>, place: &str) -> Result<Option<Part>, ModelError> {
        let buffers = &self.buffers;
        let Some(points) = primitive.get(&Semantic::Positions) else { return Ok(None) };
        let points: Vec<Vec3> =
            buffers.floats::<3>(&points, place)?.into_iter().map(Vec3::from).collect();
        let of_points = |count: usize, what: &str| {
            let (have, want) = (count, points.len());
            if have == want {
                return Ok(());
            }
            let why = format!("{place} has {have} {what} for {want} points");
            Err(ModelError::damaged("glTF", why))
        };
        let corners: Vec<u32> = match primitive.indices() {
            Some(indices) => buffers.wholes(&indices, place)?,
            None => (0..points.len() as u32).collect(),
        };
        let Some(triangles) = triangles_of(primitive.mode(), &corners) else { return Ok(None) };
        if triangles.as_flattened().iter().any(|&index| index as usize >= points.len()) {
            let why = format!("{place} names a point that it does not have");
            return Err(ModelError::damaged("glTF", why));
        }
        let mut part = Part { points: points.clone(), triangles, ..Part::default() };
        if let Some(normals) = primitive.get(&Semantic::Normals) {
            let normals = buffers.floats::<3>(&normals, place)?;
            of_points(normals.len(), "normals")?;
            let unit = |n: [f32; 3]| Vec3::from(n).try_normalize().unwrap_or(Vec3::Y);
            part.normals = normals.into_iter().map(unit).collect();
        }
        if let Some(tangents) = primitive.get(&Semantic::Tangents) {
            let tangents = buffers.floats::<4>(&tangents, place)?;
            of_points(tangents.len(), "tangents")?;
            let unit = |t: [f32; 4]| {
                let along = Vec3::new(t[0], t[1], t[2]).try_normalize().unwrap_or(Vec3::X);
                along.extend(if t[3] < 0.0 { -1.0 } else { 1.0 })
            };
            part.tangents = tangents.into_iter().map(unit).collect();
        }
        for set in 0..4 {
            let Some(uvs) = primitive.get(&Semantic::TexCoords(set)) else { break };
            let uvs = buffers.floats::<2>(&uvs, place)?;
            of_points(uvs.len(), "texture coordinates")?;
            part.uvs.push(uvs.into_iter().map(Vec2::from).collect());
        }
        if let Some(colours) = primitive.get(&Semantic::Colors(0)) {
            part.colours = match colours.dimensions() {
                gltf::accessor::Dimensions::Vec3 => {
                    let colours = buffers.floats::<3>(&colours, place)?;
                    colours.into_iter().map(|c| Vec3::from(c).extend(1.0)).collect()
                }
                _ => buffers.floats::<4>(&colours, place)?.into_iter().map(Vec4::from).collect(),
            };
            of_points(part.colours.len(), "colours")?;
        }
        part.material = primitive.material().index().map(|index| self.materials.get(index));
        finish(&mut part, &mut self.remarks);
        Ok(Some(part))
    }
}

/// Triangles of corners in an order; `None` for points and lines.
fn triangles_of(mode: Mode, corners: &[u32]) -> Option<Vec<[u32; 3]>> {
    let windows = || corners.windows(3).enumerate();
    Some(match mode {
        Mode::Triangles => corners.chunks_exact(3).map(|c| [c[0], c[1], c[2]]).collect(),
        Mode::TriangleStrip => windows()
            .map(|(at, c)| if at % 2 == 0 { [c[0], c[1], c[2]] } else { [c[1], c[0], c[2]] })
            .collect(),
        Mode::TriangleFan => {
            let (&hub, rest) = corners.split_first()?;
            rest.windows(2).map(|c| [hub, c[0], c[1]]).collect()
        }
        _ => return None,
    })
}

/// Parts of one material and one layout become one.
fn joined(parts: Vec<Part>) -> Vec<Part> {
    let mut all: Vec<Part> = Vec::new();
    for part in parts.into_iter().filter(|part| !part.triangles.is_empty()) {
        let same = |one: &&mut Part| {
            let material = match (&one.material, &part.material) {
                (Some(a), Some(b)) => Arc::ptr_eq(a, b),
                (None, None) => true,
                _ => false,
            };
            material
                && one.uvs.len() == part.uvs.len()
                && one.colours.is_empty() == part.colours.is_empty()
                && one.tangents.is_empty() == part.tangents.is_empty()
        };
        let Some(one) = all.iter_mut().find(same) else {
            all.push(part);
            continue;
        };
        let first = one.points.len() as u32;
        one.points.extend(part.points);
        one.normals.extend(part.normals);
        one.tangents.extend(part.tangents);
        one.colours.extend(part.colours);
        one.uvs.iter_mut().zip(part.uvs).for_each(|(set, more)| set.extend(more));
        let moved = part.triangles.into_iter().map(|t| t.map(|index| index + first));
        one.triangles.extend(moved);
    }
    all
}
