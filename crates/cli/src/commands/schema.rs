//! `schema`: the keys of quilt and map files as JSON Schema.

use crate::args;
use crate::failure::Failure;
use crate::output;
use lantern_quilt::files::{map_schema, quilt_schema};

pub fn run(args: &args::Schema) -> Result<(), Failure> {
    let schema = if args.map { map_schema() } else { quilt_schema(args.included) };
    output::print(&format!("{schema:#}\n"))
}
