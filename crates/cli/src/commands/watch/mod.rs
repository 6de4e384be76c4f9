//! `watch`: a page that follows a quilt while it is edited. `board` holds what is shown, `follow` keeps it up to
//! date (`filling` makes a map, `prints` a contact sheet of seeds), `server` hands it to browsers on this machine.

mod board;
mod filling;
mod follow;
mod prints;
mod server;

use crate::args;
use crate::failure::Failure;
use crate::output;
use crate::progress::interrupted;
use board::Board;
use server::Server;
use std::sync::Arc;

pub fn run(args: &args::Watch) -> Result<(), Failure> {
    if !args.quilt.is_file() {
        return Err(Failure::Usage(format!("there is no quilt {}", args.quilt.display())));
    }
    // Before the address is printed: whoever has read it may send Ctrl-C.
    let stop = interrupted();
    let board = Arc::new(Board::default());
    let server = Server::begin(args.port, Arc::clone(&board))?;
    if server.port() != args.port {
        output::complain(&format!("port {} is taken; this is {}\n", args.port, server.port()));
    }
    output::print(&format!("{}\nCtrl-C ends it\n", server.address()))?;
    if !args.no_open
        && let Err(error) = open::that_detached(server.address())
    {
        output::complain(&format!(
            "no browser could be opened ({error}); open the address yourself\n"
        ));
    }
    let ended = follow::follow(args, &board, &stop);
    board.end();
    ended
}
