//! `schema`: the keys of quilt files as JSON Schema.

use crate::args;
use crate::failure::Failure;
use crate::output;
use lantern_quilt::files::quilt_schema;

pub fn run(args: &args::Schema) -> Result<(), Failure> {
    output::print(&format!("{:#}\n", quilt_schema(args.included)))
}
