//! Materials: what is drawn of them, and their JSON to be written again.

use super::super::file::{Beside, ModelError, Remark, clean};
use super::super::limits::ModelLimits;
use super::super::mesh::{Material, Texture};
use super::super::texture::decode;
use super::accessor::Buffers;
use super::beside::{bytes_of, is_known};
use gltf::Document;
use gltf::material::AlphaMode;
use serde_json::Value;
use std::sync::Arc;

/// The pixels of an image, its file, and which kind that is.
type Image = (crate::picture::Picture, Arc<[u8]>, &'static str);

/// The materials of a file.
pub(super) struct Materials(Vec<Arc<Material>>);

impl Materials {
    pub(super) fn get(&self, index: usize) -> Arc<Material> {
        self.0[index].clone()
    }

    pub(super) fn read(
        document: &Document,
        json: &Value,
        buffers: &Buffers,
        beside: &mut Beside<'_>,
        limits: &mut ModelLimits,
        remarks: &mut Vec<Remark>,
    ) -> Result<Self, ModelError> {
        let mut images: Vec<Option<Image>> = Vec::new();
        for image in document.images() {
            // The crate takes for granted what a broken file may lack, so the image is read from the JSON.
            let said = json.get("images").and_then(|images| images.get(image.index()));
            let view = said.and_then(|said| said.get("bufferView")?.as_u64());
            let view = view.and_then(|view| document.views().nth(usize::try_from(view).ok()?));
            let uri = said.and_then(|said| said.get("uri")?.as_str());
            let number = format!("image {}", image.index());
            let (name, data) = match (view, uri) {
                (Some(view), _) => {
                    let bytes = buffers.view(&view).map(<[u8]>::to_vec);
                    (
                        number,
                        bytes.ok_or_else(|| "it reaches past the end of its buffer".to_owned()),
                    )
                }
                (None, Some(uri)) => {
                    let name = if uri.starts_with("data:") { number } else { clean(uri).0 };
                    match bytes_of(uri, beside, limits) {
                        Err(error @ ModelError::TooLarge { .. }) => return Err(error),
                        Err(ModelError::Beside { error, .. }) => (name, Err(error.to_string())),
                        read => (name, read.map_err(|error| error.to_string())),
                    }
                }
                (None, None) => (number, Err("it has neither a file nor bytes".to_owned())),
            };
            let read = match data {
                Ok(data) => decode(&data, limits)?.map(|(picture, mime)| (picture, data, mime)),
                Err(why) => Err(why),
            };
            match read {
                Ok((picture, data, mime)) => images.push(Some((picture, data.into(), mime))),
                Err(why) => {
                    remarks.push(Remark::Texture(name, why));
                    images.push(None);
                }
            }
        }
        let textures: Vec<Option<Arc<Texture>>> = (document.textures())
            .map(|texture| {
                let (picture, data, mime) = images[texture.source().index()].clone()?;
                let sampler = texture.sampler().index();
                let sampler = sampler.and_then(|index| json.get("samplers")?.get(index));
                let sampler = sampler.map(ToString::to_string);
                Some(Arc::new(Texture { picture, data, mime, sampler }))
            })
            .collect();
        let all = document.materials().map(|material| {
            let base = material.pbr_metallic_roughness();
            let texture = base.base_color_texture().and_then(|info| {
                let texture = textures[info.texture().index()].clone()?;
                Some((texture, info.tex_coord() as usize))
            });
            let mode = material.alpha_mode();
            let mut own = Vec::new();
            let mut raw =
                material.index().and_then(|index| json.get("materials")?.get(index)).cloned();
            if let Some(raw) = &mut raw {
                keep_known(raw, &textures, &mut own);
            }
            Arc::new(Material {
                name: clean(material.name().unwrap_or_default()).0,
                colour: base.base_color_factor(),
                texture,
                glow: material.emissive_factor(),
                cutoff: (mode == AlphaMode::Mask).then(|| material.alpha_cutoff().unwrap_or(0.5)),
                see_through: mode == AlphaMode::Blend,
                double_sided: material.double_sided(),
                json: raw.map(|raw| raw.to_string()),
                textures: own,
            })
        });
        Ok(Self(all.collect()))
    }
}

/// Takes out extensions that are not known and textures that could not be read, and numbers the others as
/// they stand in `own`.
fn keep_known(value: &mut Value, textures: &[Option<Arc<Texture>>], own: &mut Vec<Arc<Texture>>) {
    let Value::Object(table) = value else { return };
    if let Some(Value::Object(extensions)) = table.get_mut("extensions") {
        extensions.retain(|name, _| is_known(name));
        if extensions.is_empty() {
            table.remove("extensions");
        }
    }
    table.retain(|name, value| {
        if !name.ends_with("Texture") || !value.is_object() {
            return true;
        }
        let index = value.get("index").and_then(Value::as_u64);
        let texture = index.and_then(|index| textures.get(index as usize).cloned().flatten());
        let Some(texture) = texture else { return false };
        let known = own.iter().position(|one| Arc::ptr_eq(one, &texture));
        let number = known.unwrap_or_else(|| {
            own.push(texture);
            own.len() - 1
        });
        value["index"] = number.into();
        true
    });
    for (_, value) in table.iter_mut() {
        keep_known(value, textures, own);
    }
}
