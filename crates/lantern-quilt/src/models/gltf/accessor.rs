//! Numbers out of buffers: every length is checked against what is there.

use super::super::file::ModelError;
use gltf::Accessor;
use gltf::accessor::{DataType, Dimensions};

/// The bytes of the buffers of a file.
pub(super) struct Buffers(pub(super) Vec<Vec<u8>>);

impl Buffers {
    /// Bytes of a view; `None` when it reaches past its buffer.
    pub(super) fn view(&self, view: &gltf::buffer::View<'_>) -> Option<&[u8]> {
        let start = view.offset();
        let end = start.checked_add(view.length())?;
        self.0.get(view.buffer().index())?.get(start..end)
    }

    /// The values of an accessor as numbers, `N` each; normalised whole numbers become fractions.
    pub(super) fn floats<const N: usize>(
        &self,
        accessor: &Accessor<'_>,
        place: &str,
    ) -> Result<Vec<[f32; N]>, ModelError> {
        let kind = accessor.data_type();
        let scale = match (accessor.normalized(), kind) {
            (true, DataType::U8) => 1.0 / 255.0,
            (true, DataType::I8) => 1.0 / 127.0,
            (true, DataType::U16) => 1.0 / 65_535.0,
            (true, DataType::I16) => 1.0 / 32_767.0,
            _ => 1.0,
        };
        let values = self.numbers::<N>(accessor, place)?;
        let values: Vec<[f32; N]> = (values.into_iter())
            .map(|value| {
                value.map(
                    |number| if scale < 1.0 { (number * scale).max(-1.0) } else { number } as f32,
                )
            })
            .collect();
        if values.as_flattened().iter().any(|value| !value.is_finite()) {
            return Err(ModelError::NotFinite { place: place.to_owned() });
        }
        Ok(values)
    }

    /// The values of an accessor of whole numbers.
    pub(super) fn wholes(
        &self,
        accessor: &Accessor<'_>,
        place: &str,
    ) -> Result<Vec<u32>, ModelError> {
        let values = self.numbers::<1>(accessor, place)?;
        Ok(values.into_iter().map(|[value]| value as u32).collect())
    }

    fn numbers<const N: usize>(
        &self,
        accessor: &Accessor<'_>,
        place: &str,
    ) -> Result<Vec<[f64; N]>, ModelError> {
        let wrong = |why: &str| ModelError::damaged("glTF", format!("{place}: {why}"));
        let wide = match accessor.dimensions() {
            Dimensions::Scalar => 1,
            Dimensions::Vec2 => 2,
            Dimensions::Vec3 => 3,
            Dimensions::Vec4 => 4,
            _ => return Err(wrong("an accessor of matrices where points belong")),
        };
        if wide < N {
            return Err(wrong("an accessor with too few numbers each"));
        }
        let short = || wrong("an accessor reaches past the end of its buffer");
        let count = accessor.count();
        let size = accessor.data_type().size() * wide;
        let mut values = match accessor.view() {
            Some(view) => {
                let bytes = self.view(&view).ok_or_else(short)?;
                let step = view.stride().unwrap_or(size);
                let span = Span { offset: accessor.offset(), step, size, count };
                span.read(bytes, accessor.data_type()).ok_or_else(short)?
            }
            // Without a view all values are zero, but for those that a sparse accessor names; what names
            // none holds no more than what is read elsewhere.
            None if accessor.sparse().is_some() && count <= 1 << 24 => vec![[0.0; N]; count],
            None => return Err(short()),
        };
        if let Some(sparse) = accessor.sparse() {
            let many = sparse.count();
            let (indices, replaced) = (sparse.indices(), sparse.values());
            let kind = match indices.index_type() {
                gltf::accessor::sparse::IndexType::U8 => DataType::U8,
                gltf::accessor::sparse::IndexType::U16 => DataType::U16,
                gltf::accessor::sparse::IndexType::U32 => DataType::U32,
            };
            let bytes = self.view(&indices.view()).ok_or_else(short)?;
            let span = Span {
                offset: indices.offset(),
                step: kind.size(),
                size: kind.size(),
                count: many,
            };
            let places: Vec<[f64; 1]> = span.read(bytes, kind).ok_or_else(short)?;
            let bytes = self.view(&replaced.view()).ok_or_else(short)?;
            let span = Span { offset: replaced.offset(), step: size, size, count: many };
            let news: Vec<[f64; N]> = span.read(bytes, accessor.data_type()).ok_or_else(short)?;
            for ([at], new) in places.into_iter().zip(news) {
                *values.get_mut(at as usize).ok_or_else(short)? = new;
            }
        }
        Ok(values)
    }
}

/// Values that lie evenly in some bytes.
struct Span {
    offset: usize,
    step: usize,
    size: usize,
    count: usize,
}

impl Span {
    /// The first `N` numbers of each value; `None` when they reach past the end.
    fn read<const N: usize>(&self, bytes: &[u8], kind: DataType) -> Option<Vec<[f64; N]>> {
        let Self { offset, step, size, count } = *self;
        if count == 0 {
            return Some(Vec::new());
        }
        let end = (count - 1).checked_mul(step)?.checked_add(offset)?.checked_add(size)?;
        if step < size || end > bytes.len() {
            return None;
        }
        let one = kind.size();
        let number = |at: usize| -> f64 {
            let bytes = &bytes[at..at + one];
            match kind {
                DataType::I8 => f64::from(bytes[0] as i8),
                DataType::U8 => f64::from(bytes[0]),
                DataType::I16 => f64::from(i16::from_le_bytes([bytes[0], bytes[1]])),
                DataType::U16 => f64::from(u16::from_le_bytes([bytes[0], bytes[1]])),
                DataType::U32 => {
                    f64::from(u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]))
                }
                DataType::F32 => {
                    f64::from(f32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]))
                }
            }
        };
        let value =
            |index: usize| std::array::from_fn(|part| number(offset + index * step + part * one));
        Some((0..count).map(value).collect())
    }
}
