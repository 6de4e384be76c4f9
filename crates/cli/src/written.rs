//! The files of one run: written under temporary names, and put in place together.

use crate::failure::Failure;
use crate::output;
use lantern_quilt::draw::DrawOptions;
use lantern_quilt::files::{Batch, Output, OutputOptions, Quilt, write_items};
use lantern_quilt::map::Tilemap;
use lantern_quilt::picture::Picture;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// Files on their way.
#[derive(Default)]
pub struct Files {
    batch: Batch,
    /// What went wrong with standard output.
    stdout: Option<Failure>,
}

/// Files in place.
pub struct Written {
    pub paths: Vec<PathBuf>,
    failures: Vec<String>,
}

impl Files {
    /// Adds a file.
    pub fn file(&mut self, path: &Path, write: impl FnOnce(&mut dyn Write) -> io::Result<()>) {
        self.batch.write(path, write);
    }

    /// Adds a picture.
    pub fn picture(&mut self, path: &Path, picture: &Picture, texts: &[(&str, &str)]) {
        self.file(path, |out| picture.write_png(out, texts).map_err(Into::into));
    }

    /// Notes that a file cannot be made.
    pub fn fail(&mut self, path: &Path, why: impl std::fmt::Display) {
        self.file(path, |_| Err(io::Error::other(why.to_string())));
    }

    /// Adds a map in all forms that were asked for; one that was not finished lies beside them, and never
    /// on standard output.
    pub fn map(
        &mut self,
        quilt: &Quilt,
        map: &Tilemap,
        options: &OutputOptions,
        outputs: &[Output],
        done: bool,
    ) {
        for one in outputs {
            let write = |out: &mut dyn Write| one.write(map, &quilt.art, options, out);
            if !one.is_stdout() {
                let path = if done { one.path().to_owned() } else { one.partial_path() };
                self.file(&path, write);
                if let Some(path) = one.items_path(map, done) {
                    self.file(&path, |out| write_items(map, out).map_err(io::Error::other));
                }
            } else if done {
                self.stdout = output::write_with(write).err();
            }
        }
    }

    /// Puts all files in place.
    pub fn finish(self) -> Written {
        let done = self.batch.commit();
        let failures = done.failed.iter().map(ToString::to_string);
        let stdout = self.stdout.map(|failure| failure.to_string());
        Written { paths: done.written, failures: failures.chain(stdout).collect() }
    }
}

impl Written {
    /// What went wrong.
    pub fn failures(&self) -> &[String] {
        &self.failures
    }

    /// How a command ends whose answer is `ended`: not well when any file is missing.
    pub fn end<T>(self, ended: Result<T, Failure>) -> Result<T, Failure> {
        if self.failures.is_empty() {
            return ended;
        }
        let mut texts = self.failures;
        texts.extend(ended.err().map(|failure| failure.to_string()));
        Err(Failure::Job(texts.join("\n")))
    }
}

/// Options of outputs that draw so.
pub fn drawn_so(draw: &DrawOptions, instances: bool) -> OutputOptions {
    let mut options = OutputOptions::default();
    options.draw.clone_from(draw);
    options.glb = options.glb.instances(instances).levels(draw.levels);
    options
}
