//! The binary part: meshes, materials and textures, each once.

use super::chunks::Chunks;
use crate::models::{Material, Model, Part, Texture};
use glam::{Vec2, Vec3, Vec4};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::io::{self, Write};
use std::sync::Arc;

/// What the views hold: the target that glTF gives them.
const POINTS: u32 = 34_962;
const CORNERS: u32 = 34_963;

/// Everything but nodes, on its way to a file.
#[derive(Default)]
pub(super) struct Pack {
    bin: Vec<u8>,
    views: Vec<Value>,
    accessors: Vec<Value>,
    meshes: Vec<Value>,
    materials: Vec<(Arc<Material>, Value)>,
    textures: Vec<Arc<Texture>>,
    images: Vec<(Arc<[u8]>, Value)>,
    samplers: Vec<Value>,
    texture_values: Vec<Value>,
    extensions: BTreeSet<String>,
}

impl Pack {
    /// Adds a mesh and returns its number; `None` when it has no triangles.
    pub(super) fn mesh(&mut self, name: &str, model: &Model) -> Option<u32> {
        let parts: Vec<Value> = (model.parts.iter())
            .filter(|part| !part.triangles.is_empty())
            .map(|part| self.part(part))
            .collect();
        if parts.is_empty() {
            return None;
        }
        self.meshes.push(json!({ "name": name, "primitives": parts }));
        Some(self.meshes.len() as u32 - 1)
    }

    fn part(&mut self, part: &Part) -> Value {
        let mut attributes = json!({});
        let least = part.points.iter().fold(Vec3::INFINITY, |all, p| all.min(*p));
        let most = part.points.iter().fold(Vec3::NEG_INFINITY, |all, p| all.max(*p));
        let points = self.vectors(part.points.iter().map(Vec3::to_array), POINTS);
        self.accessors[points]["min"] = json!(least.to_array());
        self.accessors[points]["max"] = json!(most.to_array());
        attributes["POSITION"] = points.into();
        attributes["NORMAL"] = self.vectors(part.normals.iter().map(Vec3::to_array), POINTS).into();
        if !part.tangents.is_empty() {
            let tangents = part.tangents.iter().map(Vec4::to_array);
            attributes["TANGENT"] = self.vectors(tangents, POINTS).into();
        }
        for (set, uvs) in part.uvs.iter().enumerate() {
            let uvs = uvs.iter().map(Vec2::to_array);
            attributes[format!("TEXCOORD_{set}")] = self.vectors(uvs, POINTS).into();
        }
        if !part.colours.is_empty() {
            let colours = part.colours.iter().map(|c| c.clamp(Vec4::ZERO, Vec4::ONE).to_array());
            attributes["COLOR_0"] = self.vectors(colours, POINTS).into();
        }
        let indices = self.corners(part);
        let mut value = json!({ "attributes": attributes, "indices": indices });
        if let Some(material) = &part.material {
            value["material"] = self.material(material).into();
        }
        value
    }

    /// Adds values of `N` numbers each and returns the number of their accessor.
    pub(super) fn vectors<const N: usize>(
        &mut self,
        values: impl Iterator<Item = [f32; N]>,
        target: u32,
    ) -> usize {
        let (start, mut count) = (self.bin.len(), 0);
        for value in values {
            count += 1;
            for number in value {
                self.bin.extend_from_slice(&number.to_le_bytes());
            }
        }
        let kind = ["SCALAR", "VEC2", "VEC3", "VEC4"][N - 1];
        self.accessor(start, count, 5126, kind, target)
    }

    fn corners(&mut self, part: &Part) -> usize {
        let start = self.bin.len();
        let all = part.triangles.as_flattened();
        // 65535 is no index of a point of 16 bits.
        let wide = part.points.len() > 65_535;
        for index in all {
            if wide {
                self.bin.extend_from_slice(&index.to_le_bytes());
            } else {
                self.bin.extend_from_slice(&(*index as u16).to_le_bytes());
            }
        }
        let kind = if wide { 5125 } else { 5123 };
        self.accessor(start, all.len(), kind, "SCALAR", CORNERS)
    }

    fn accessor(
        &mut self,
        start: usize,
        count: usize,
        component: u32,
        kind: &str,
        target: u32,
    ) -> usize {
        let mut view = json!({
            "buffer": 0,
            "byteOffset": start,
            "byteLength": self.bin.len() - start,
        });
        // Instances take no target.
        if target > 0 {
            view["target"] = target.into();
        }
        self.views.push(view);
        self.pad();
        self.accessors.push(json!({
            "bufferView": self.views.len() - 1,
            "componentType": component,
            "count": count,
            "type": kind,
        }));
        self.accessors.len() - 1
    }

    fn pad(&mut self) {
        self.bin.resize(self.bin.len().next_multiple_of(4), 0);
    }

    fn material(&mut self, material: &Arc<Material>) -> usize {
        let same = |(known, _): &(Arc<Material>, Value)| {
            Arc::ptr_eq(known, material) || **known == **material
        };
        if let Some(known) = self.materials.iter().position(same) {
            return known;
        }
        let textures: Vec<usize> =
            material.textures.iter().map(|texture| self.texture(texture)).collect();
        let raw = material.json.as_ref().and_then(|json| serde_json::from_str(json).ok());
        let value = match raw {
            Some(mut raw) => {
                self.renumber(&mut raw, &textures);
                raw
            }
            None => made(material, textures.first().copied()),
        };
        self.materials.push((material.clone(), value));
        self.materials.len() - 1
    }

    /// Gives textures their numbers in this file, and notes the extensions that are used.
    fn renumber(&mut self, value: &mut Value, textures: &[usize]) {
        let Value::Object(table) = value else { return };
        if let Some(Value::Object(extensions)) = table.get("extensions") {
            self.extensions.extend(extensions.keys().cloned());
        }
        for (name, value) in table.iter_mut() {
            if name.ends_with("Texture") && value.is_object() {
                let own = value.get("index").and_then(Value::as_u64).unwrap_or_default();
                value["index"] = textures.get(own as usize).copied().unwrap_or_default().into();
            }
            self.renumber(value, textures);
        }
    }

    fn texture(&mut self, texture: &Arc<Texture>) -> usize {
        let same = |known: &Arc<Texture>| {
            Arc::ptr_eq(known, texture)
                || (known.sampler == texture.sampler && known.data == texture.data)
        };
        if let Some(known) = self.textures.iter().position(same) {
            return known;
        }
        let known = self.images.iter().position(|(data, _)| *data == texture.data);
        let image = known.unwrap_or_else(|| {
            let start = self.bin.len();
            self.bin.extend_from_slice(&texture.data);
            self.views.push(json!({
                "buffer": 0,
                "byteOffset": start,
                "byteLength": texture.data.len(),
            }));
            self.pad();
            let view = self.views.len() - 1;
            let value = json!({ "bufferView": view, "mimeType": texture.mime });
            self.images.push((texture.data.clone(), value));
            self.images.len() - 1
        });
        let mut value = json!({ "source": image });
        let sampler = texture.sampler.as_ref().and_then(|json| serde_json::from_str(json).ok());
        if let Some(sampler) = sampler {
            let known = self.samplers.iter().position(|known| *known == sampler);
            let number = known.unwrap_or_else(|| {
                self.samplers.push(sampler);
                self.samplers.len() - 1
            });
            value["sampler"] = number.into();
        }
        self.textures.push(texture.clone());
        self.texture_values.push(value);
        self.textures.len() - 1
    }

    /// Writes the file, `json` being its nodes and scenes.
    pub(super) fn write(
        mut self,
        nodes: &Chunks,
        extensions: &[&str],
        out: &mut dyn Write,
    ) -> io::Result<()> {
        self.extensions.extend(extensions.iter().map(|&name| name.to_owned()));
        let version = concat!("lantern-quilt ", env!("CARGO_PKG_VERSION"));
        let mut text = Vec::new();
        text.extend_from_slice(b"{\"asset\":");
        serde_json::to_writer(&mut text, &json!({ "version": "2.0", "generator": version }))?;
        if !self.extensions.is_empty() {
            text.extend_from_slice(b",\"extensionsUsed\":");
            serde_json::to_writer(&mut text, &self.extensions)?;
        }
        if !extensions.is_empty() {
            text.extend_from_slice(b",\"extensionsRequired\":");
            serde_json::to_writer(&mut text, extensions)?;
        }
        let materials: Vec<Value> = self.materials.into_iter().map(|(_, value)| value).collect();
        let images: Vec<Value> = self.images.into_iter().map(|(_, value)| value).collect();
        let buffers = vec![json!({ "byteLength": self.bin.len() })];
        let lists = [
            ("buffers", if self.bin.is_empty() { Vec::new() } else { buffers }),
            ("bufferViews", self.views),
            ("accessors", self.accessors),
            ("images", images),
            ("samplers", self.samplers),
            ("textures", self.texture_values),
            ("materials", materials),
            ("meshes", self.meshes),
        ];
        for (name, list) in lists.into_iter().filter(|(_, list)| !list.is_empty()) {
            write!(text, ",\"{name}\":")?;
            serde_json::to_writer(&mut text, &list)?;
        }
        text.push(b',');
        // The nodes go out as they are; what is short of four bytes is filled with blanks.
        let length = text.len() + nodes.len() + 1;
        let blanks = &b"   "[..length.next_multiple_of(4) - length];
        let length = length + blanks.len();
        let chunk = if self.bin.is_empty() { 0 } else { 8 + self.bin.len() };
        let whole = u32::try_from(12 + 8 + length + chunk)
            .map_err(|_| io::Error::other("a GLB file holds 4 GiB at most; write fewer levels"))?;
        out.write_all(b"glTF")?;
        out.write_all(&2u32.to_le_bytes())?;
        out.write_all(&whole.to_le_bytes())?;
        out.write_all(&(length as u32).to_le_bytes())?;
        out.write_all(b"JSON")?;
        out.write_all(&text)?;
        nodes.write_to(out)?;
        out.write_all(b"}")?;
        out.write_all(blanks)?;
        if !self.bin.is_empty() {
            out.write_all(&(self.bin.len() as u32).to_le_bytes())?;
            out.write_all(b"BIN\0")?;
            out.write_all(&self.bin)?;
        }
        Ok(())
    }
}

/// The JSON of a material that came from no glTF file.
fn made(material: &Material, texture: Option<usize>) -> Value {
    let mut surface = json!({
        "baseColorFactor": material.colour,
        "metallicFactor": 0.0,
        "roughnessFactor": 0.9,
    });
    if let Some(index) = texture {
        surface["baseColorTexture"] = json!({ "index": index });
    }
    let mut value = json!({ "name": material.name, "pbrMetallicRoughness": surface });
    if material.glow != [0.0; 3] {
        value["emissiveFactor"] = json!(material.glow);
    }
    match material.cutoff {
        Some(cutoff) => {
            value["alphaMode"] = "MASK".into();
            value["alphaCutoff"] = json!(cutoff);
        }
        None if material.see_through => value["alphaMode"] = "BLEND".into(),
        None => {}
    }
    if material.double_sided {
        value["doubleSided"] = true.into();
    }
    value
}
