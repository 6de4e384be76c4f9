//! A model file by its ending.

use super::file::{Beside, ModelError, ModelFile};
use super::limits::ModelLimits;
use super::{gltf, obj};

impl ModelFile {
    /// Reads a file, whose path says which kind it is. O(bytes).
    ///
    /// # Errors
    /// When it is damaged, needs what is not supported, or is over a limit.
    pub fn read(
        path: &str,
        data: &[u8],
        beside: &mut Beside<'_>,
        limits: &mut ModelLimits,
    ) -> Result<Self, ModelError> {
        let most = limits.bytes;
        let bytes = data.len() as u64;
        limits.bytes =
            most.checked_sub(bytes).ok_or(ModelError::TooLarge { what: "bytes", most })?;
        let ending = path.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
        let mut file = match &*ending {
            "glb" | "gltf" => gltf::read(data, beside, limits)?,
            "obj" => obj::read(data, beside, limits)?,
            _ => return Err(ModelError::Ending),
        };
        let named = path.rsplit('/').next().unwrap_or(path);
        named.clone_into(&mut file.whole.name);
        file.remarks.sort();
        file.remarks.dedup();
        Ok(file)
    }
}
