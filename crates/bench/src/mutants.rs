//! Damaged inputs: `--mutants COUNT --seed NUMBER`. Quilts, maps, plans and PNGs are changed at random, read,
//! and, where they can still be read, used. Nothing may panic.

use lantern_quilt::draw::{DrawOptions, draw};
use lantern_quilt::files::{
    Art, Quilt, QuiltOptions, ReadError, read_csv, read_json, write_cells, write_items, write_json,
};
use lantern_quilt::limits::Limits;
use lantern_quilt::map::Tilemap;
use lantern_quilt::picture::Picture;
use lantern_quilt::seed::{Seed, Stream};
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU64, Ordering};

/// Cells of a map that is still made, and steps of its fills.
const MOST_CELLS: usize = 2048;
const MOST_STEPS: u64 = 3000;

/// What was sound before.
struct Corpus {
    /// Quilts by name, with what is needed to read them.
    quilts: Vec<(String, String)>,
    files: BTreeMap<String, Vec<u8>>,
    maps: Vec<Vec<u8>>,
}

fn is_picture(path: &str) -> bool {
    Path::new(path).extension().is_some_and(|ending| ending == "png")
}

/// Files of the demos in memory, one of them changed.
pub struct Spoilt<'a> {
    pub folder: &'a str,
    pub files: &'a BTreeMap<String, Vec<u8>>,
    pub other: Option<(&'a str, &'a [u8])>,
}

impl Art for Spoilt<'_> {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        let path = format!("{}/{path}", self.folder);
        match self.other {
            Some((name, data)) if name == path => Ok(data.to_vec()),
            _ => self.files.get(&path).cloned().ok_or(ReadError::Missing { path: path.into() }),
        }
    }
}

impl Corpus {
    fn new() -> Self {
        let demos = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos");
        let mut corpus = Self { quilts: Vec::new(), files: BTreeMap::new(), maps: Vec::new() };
        let mut folders: Vec<_> =
            std::fs::read_dir(&demos).expect("demos").filter_map(Result::ok).collect();
        folders.sort_by_key(std::fs::DirEntry::file_name);
        for folder in folders.iter().filter(|folder| folder.file_name() != "paint") {
            let name = folder.file_name().to_string_lossy().into_owned();
            for file in std::fs::read_dir(folder.path()).into_iter().flatten().flatten() {
                let data = std::fs::read(file.path()).unwrap_or_default();
                let path = format!("{name}/{}", file.file_name().to_string_lossy());
                if path == format!("{name}/{name}.quilt.toml") {
                    let text = String::from_utf8(data.clone()).expect("a quilt is text");
                    corpus.quilts.push((name.clone(), text));
                }
                corpus.files.insert(path, data);
            }
        }
        for (name, text) in &corpus.quilts {
            let art = Spoilt { folder: name, files: &corpus.files, other: None };
            let options = QuiltOptions::new().set("map.size=[12, 9]");
            let quilt = Quilt::read_with(text, name, &art, &options);
            let quilt = quilt.or_else(|_| Quilt::read(text, name, &art)).expect("demos are sound");
            let mut data = Vec::new();
            write_json(&made(&quilt), &mut data).expect("memory is not full");
            corpus.maps.push(data);
        }
        corpus
    }
}

/// The map of a quilt, as far as it comes with few steps.
fn made(quilt: &Quilt) -> Tilemap {
    let mut limits = Limits::default();
    limits.steps = Some(MOST_STEPS);
    let mut maker = quilt.maker(quilt.layout, &quilt.seed).limits(limits);
    // Whatever it comes to, there is a map.
    let _ = maker.make();
    maker.finish().map
}

/// Reads what was changed, and uses what can still be read. Says what kind of input it was, and whether
/// it could be read.
fn try_out(corpus: &Corpus, stream: &mut Stream, input: &RefCell<Vec<u8>>) -> (&'static str, bool) {
    let pick = |stream: &mut Stream, count: usize| stream.below(count as u64) as usize;
    let (name, text) = &corpus.quilts[pick(stream, corpus.quilts.len())];
    match stream.below(8) {
        0..3 => {
            let changed = spoil_text(text, corpus, stream);
            input.replace(changed.clone().into_bytes());
            let art = Spoilt { folder: name, files: &corpus.files, other: None };
            ("quilts", use_quilt(Quilt::read(&changed, name, &art)))
        }
        3 => {
            // Pictures of quilts: sheets, plans, masks, samples.
            let own: Vec<&String> = corpus
                .files
                .keys()
                .filter(|path| path.starts_with(&format!("{name}/")) && is_picture(path))
                .collect();
            let path = own[pick(stream, own.len())];
            let changed = spoil_png(&corpus.files[path], stream);
            input.replace(changed.clone());
            let art = Spoilt { folder: name, files: &corpus.files, other: Some((path, &changed)) };
            ("plans and sheets", use_quilt(Quilt::read(text, name, &art)))
        }
        4..7 => {
            let map = &corpus.maps[pick(stream, corpus.maps.len())];
            let changed = if stream.below(2) == 0 {
                spoil_bytes(map, stream)
            } else {
                spoil_json(map, stream)
            };
            input.replace(changed.clone());
            ("maps", use_map(&changed))
        }
        _ => {
            let pictures: Vec<&Vec<u8>> =
                corpus.files.iter().filter(|(path, _)| is_picture(path)).map(|(_, d)| d).collect();
            let changed = spoil_png(pictures[pick(stream, pictures.len())], stream);
            input.replace(changed.clone());
            ("pictures", Picture::from_png_within(&changed, 1 << 22).is_ok())
        }
    }
}

fn use_quilt(read: Result<Quilt, lantern_quilt::files::Report>) -> bool {
    match read {
        Err(report) => {
            assert!(!report.render(false, 100).is_empty() && report.has_errors());
            let _ = report.to_json();
            false
        }
        Ok(quilt) => {
            if quilt.layout.extent().cells() <= MOST_CELLS {
                let map = made(&quilt);
                let _ = draw(&map, &quilt.art, &DrawOptions::default());
            }
            true
        }
    }
}

fn use_map(data: &[u8]) -> bool {
    let Ok(map) = read_json(data) else {
        let layer = read_csv("ground", lantern_quilt::lattice::Lattice::Square, data);
        return layer.is_ok();
    };
    let mut again = Vec::new();
    write_json(&map, &mut again).expect("memory is not full");
    assert_eq!(read_json(&again[..]).expect("it was just written"), map);
    write_cells(&map, &mut again).expect("memory is not full");
    write_items(&map, &mut again).expect("memory is not full");
    true
}

/// Values that are at the end of something.
const ODD: &[&str] = &[
    "0",
    "1",
    "-1",
    "2147483647",
    "-2147483648",
    "4294967296",
    "1e39",
    "1e400",
    "nan",
    "inf",
    "-0.0",
    "true",
    "\"\"",
    "[]",
    "{}",
    "[0, 0]",
    "[-1]",
    "\"é\"",
    "0.000001",
    "255",
    "65536",
    "'''",
];

/// One to four changes of lines, words and values.
fn spoil_text(text: &str, corpus: &Corpus, stream: &mut Stream) -> String {
    let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
    for _ in 0..=stream.below(4) {
        let at = stream.below(lines.len().max(1) as u64) as usize;
        let Some(line) = lines.get(at).cloned() else { break };
        match stream.below(7) {
            0 => {
                lines.remove(at);
            }
            1 => lines.insert(at, line),
            2 => {
                let (_, other) = &corpus.quilts[stream.below(corpus.quilts.len() as u64) as usize];
                let count = other.lines().count() as u64;
                let other = other.lines().nth(stream.below(count) as usize).unwrap_or("");
                lines.insert(at, other.to_owned());
            }
            3 => {
                let other = stream.below(lines.len() as u64) as usize;
                lines.swap(at, other);
            }
            4 => {
                // A value for another.
                let odd = ODD[stream.below(ODD.len() as u64) as usize];
                if let Some((key, _)) = line.split_once('=') {
                    lines[at] = format!("{key}= {odd}");
                }
            }
            5 => {
                let mut words: Vec<String> =
                    line.split_inclusive([' ', ',', '=']).map(str::to_owned).collect();
                let odd = ODD[stream.below(ODD.len() as u64) as usize];
                let word = stream.below(words.len().max(1) as u64) as usize;
                if let Some(word) = words.get_mut(word) {
                    odd.clone_into(word);
                }
                lines[at] = words.concat();
            }
            _ => {
                let spoilt = spoil_bytes(line.as_bytes(), stream);
                lines[at] = String::from_utf8_lossy(&spoilt).into_owned();
            }
        }
    }
    lines.join("\n")
}

/// One to four changes of bytes: other ones, fewer, more, numbers.
fn spoil_bytes(data: &[u8], stream: &mut Stream) -> Vec<u8> {
    let mut data = data.to_vec();
    for _ in 0..=stream.below(4) {
        let length = data.len() as u64;
        let at = stream.below(length.max(1)) as usize;
        let end = (at + 1 + stream.below(12) as usize).min(data.len());
        match stream.below(6) {
            _ if data.is_empty() => break,
            0 => data[at] = stream.bits() as u8,
            1 => data[at] ^= 1 << stream.below(8),
            2 => {
                data.drain(at..end);
            }
            3 => {
                let part = data[at..end].to_vec();
                let to = stream.below(length) as usize;
                data.splice(to..to, part);
            }
            4 => {
                let digits = data[at..].iter().position(u8::is_ascii_digit).map(|from| at + from);
                let Some(from) = digits else { continue };
                let rest = data[from..].iter().take_while(|byte| byte.is_ascii_digit()).count();
                let odd = ODD[stream.below(ODD.len() as u64) as usize];
                data.splice(from..from + rest, odd.bytes());
            }
            _ => data.truncate(at),
        }
    }
    data
}

/// One to three values of a JSON text for others.
fn spoil_json(data: &[u8], stream: &mut Stream) -> Vec<u8> {
    let Ok(mut json) = serde_json::from_slice::<serde_json::Value>(data) else {
        return data.to_vec();
    };
    for _ in 0..=stream.below(3) {
        let mut node = &mut json;
        // Down to some value, seldom one near the top.
        for depth in 0..8 {
            let stops = depth > 0 && stream.below(5) == 0;
            let count = match &*node {
                serde_json::Value::Array(list) if !stops => list.len(),
                serde_json::Value::Object(table) if !stops => table.len(),
                _ => break,
            };
            if count == 0 {
                break;
            }
            let at = stream.below(count as u64) as usize;
            node = match node {
                serde_json::Value::Array(list) => &mut list[at],
                serde_json::Value::Object(table) => table.values_mut().nth(at).expect("counted"),
                _ => unreachable!("just seen"),
            };
        }
        let odd = ODD[stream.below(ODD.len() as u64) as usize];
        *node = match (stream.below(4), &*node) {
            (0, _) => serde_json::Value::Null,
            (1, serde_json::Value::Array(list)) => {
                list.iter().chain(list.first()).cloned().collect()
            }
            (1, serde_json::Value::Number(number)) => {
                serde_json::json!((number.as_f64().unwrap_or(0.0) as i64).saturating_add(1))
            }
            _ => serde_json::from_str(odd).unwrap_or_else(|_| serde_json::json!(odd)),
        };
    }
    json.to_string().into_bytes()
}

/// A picture of other pixels or another size.
fn spoil_pixels(data: &[u8], stream: &mut Stream) -> Option<Vec<u8>> {
    let mut picture = Picture::from_png(data).ok()?;
    if stream.below(3) == 0 {
        let less = |length: u32, stream: &mut Stream| {
            length - stream.below(9).min(u64::from(length) - 1) as u32
        };
        let (width, height) = (less(picture.width(), stream), less(picture.height(), stream));
        picture = picture.cut(0, 0, width, height)?;
    }
    for _ in 0..stream.below(30) {
        let x = stream.below(u64::from(picture.width())) as u32;
        let y = stream.below(u64::from(picture.height())) as u32;
        let bits = stream.bits().to_le_bytes();
        picture.set(x, y, [bits[0], bits[1], bits[2], if bits[3] < 99 { bits[4] } else { 255 }]);
    }
    picture.to_png(&[]).ok()
}

/// Changes in the chunks of a PNG, with checksums that are right again, so that they are looked into.
fn spoil_png(data: &[u8], stream: &mut Stream) -> Vec<u8> {
    if stream.below(2) == 0
        && let Some(other) = spoil_pixels(data, stream)
    {
        return other;
    }
    let mut spoilt = spoil_bytes(data, stream);
    if stream.below(4) == 0 {
        return spoilt;
    }
    if stream.below(3) == 0 && spoilt.len() > 33 {
        // The header: sizes, depth, colour.
        let at = 16 + stream.below(13) as usize;
        spoilt[at] = [0, 1, 2, 3, 4, 6, 8, 16, 255][stream.below(9) as usize];
    }
    let mut at = 8;
    while let Some(chunk) = spoilt.get(at..at + 8) {
        let length = u32::from_be_bytes([chunk[0], chunk[1], chunk[2], chunk[3]]) as usize;
        let (from, end) = (at + 4, at.saturating_add(8).saturating_add(length));
        let Some(body) = spoilt.get(from..end) else { break };
        let sum = crc32fast::hash(body).to_be_bytes();
        match spoilt.get_mut(end..end + 4) {
            Some(slot) => slot.copy_from_slice(&sum),
            None => break,
        }
        at = end + 4;
    }
    spoilt
}

/// What came of all inputs of a kind.
#[derive(Default)]
struct Tally {
    inputs: u64,
    read: u64,
}

/// Tries so many inputs on all processors, or only the one of a number; whether none panicked.
pub fn run(count: u64, seed: u64, only: Option<u64>) -> bool {
    let corpus = Corpus::new();
    let (next, all) = (AtomicU64::new(only.unwrap_or(0)), Mutex::new(BTreeMap::new()));
    let panics: Mutex<Vec<(u64, String)>> = Mutex::new(Vec::new());
    let end = only.map_or(count, |only| only + 1);
    if only.is_none() {
        std::panic::set_hook(Box::new(|_| {}));
    }
    let work = || loop {
        let number = next.fetch_add(1, Ordering::Relaxed);
        if number >= end {
            break;
        }
        let mut stream = Seed::from_number(seed).stream(&["mutants", &number.to_string()]);
        let input = RefCell::new(Vec::new());
        let tried = catch_unwind(AssertUnwindSafe(|| try_out(&corpus, &mut stream, &input)));
        match tried {
            Ok((kind, read)) => {
                let mut all = all.lock().expect("held for a moment");
                let tally: &mut Tally = all.entry(kind).or_default();
                tally.inputs += 1;
                tally.read += u64::from(read);
            }
            Err(cause) => {
                let said = cause.downcast_ref::<String>().cloned();
                let said = said.or_else(|| Some((*cause.downcast_ref::<&str>()?).to_owned()));
                let input = String::from_utf8_lossy(&input.borrow()).into_owned();
                let mut panics = panics.lock().expect("held for a moment");
                panics.push((number, said.unwrap_or_default()));
                if only.is_some() {
                    println!("{input}");
                }
            }
        }
    };
    std::thread::scope(|scope| {
        for _ in 0..std::thread::available_parallelism().map_or(1, usize::from) {
            scope.spawn(work);
        }
    });
    let _ = std::panic::take_hook();
    for (kind, tally) in all.into_inner().expect("all are done") {
        println!("{kind:<18} {:>8} inputs, {:>8} still readable", tally.inputs, tally.read);
    }
    let panics = panics.into_inner().expect("all are done");
    println!("{} of {} inputs panicked", panics.len(), end - only.unwrap_or(0));
    for (number, said) in panics.iter().take(20) {
        println!("input {number}: {said} (again: --mutants 1 --seed {seed} --only {number})");
    }
    panics.is_empty()
}
