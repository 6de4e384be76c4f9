//! What a file names: extensions, and bytes by their URIs.

use super::super::file::{Beside, ModelError, clean};
use super::super::limits::ModelLimits;
use base64::Engine as _;

/// Extensions that are read, or copied to what is written.
const KNOWN: [&str; 15] = [
    "KHR_materials_anisotropy",
    "KHR_materials_clearcoat",
    "KHR_materials_dispersion",
    "KHR_materials_emissive_strength",
    "KHR_materials_ior",
    "KHR_materials_iridescence",
    "KHR_materials_sheen",
    "KHR_materials_specular",
    "KHR_materials_transmission",
    "KHR_materials_unlit",
    "KHR_materials_volume",
    "KHR_mesh_quantization",
    "KHR_materials_diffuse_transmission",
    "KHR_texture_transform",
    "EXT_mesh_gpu_instancing",
];

pub(super) fn is_known(extension: &str) -> bool {
    KNOWN.contains(&extension) && extension != "EXT_mesh_gpu_instancing"
}

/// The bytes that a URI names: in itself, or in a file beside the model.
pub(super) fn bytes_of(
    uri: &str,
    beside: &mut Beside<'_>,
    limits: &mut ModelLimits,
) -> Result<Vec<u8>, ModelError> {
    let most = limits.bytes;
    let data = if let Some(rest) = uri.strip_prefix("data:") {
        let (kind, text) = rest
            .split_once(',')
            .ok_or_else(|| ModelError::damaged("glTF", "a data URI without data"))?;
        if !kind.ends_with(";base64") {
            return Err(ModelError::damaged("glTF", "a data URI that is not base64"));
        }
        let engine = base64::engine::general_purpose::STANDARD;
        engine.decode(text).map_err(|e| ModelError::damaged("glTF", format!("a data URI: {e}")))?
    } else {
        let path = percent_encoding::percent_decode_str(uri).decode_utf8();
        let path = path.map_err(|e| ModelError::damaged("glTF", format!("a URI: {e}")))?;
        beside(&path).map_err(|error| ModelError::Beside { path: clean(&path).0, error })?
    };
    let left = most.checked_sub(data.len() as u64);
    limits.bytes = left.ok_or(ModelError::TooLarge { what: "bytes", most })?;
    Ok(data)
}
