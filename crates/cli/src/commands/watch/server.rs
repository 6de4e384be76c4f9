//! Hands the page to browsers on this machine, and to nobody else.
//!
//! It listens on 127.0.0.1 alone. The address holds a random token, without which nothing is answered; the host that
//! is asked for must be this one, so that no name that leads here serves a stranger; what changes something needs the
//! token in a header too, which no other page can send.

use super::board::{Asked, Board, Part};
use crate::failure::Failure;
use lantern_quilt::draw::live_page;
use std::io::{Cursor, Read};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread;
use std::time::Duration;
use tiny_http::{Header, Method, Request, Response};

/// Ports that are tried.
const PORTS: u16 = 20;
/// How long a page waits for news before it asks again.
const PATIENCE: Duration = Duration::from_secs(20);
/// Requests that are answered at once.
const MOST: usize = 64;
/// The longest body of a request.
const LONGEST: usize = 64;
/// What a page may do: nothing but ask this server.
const POLICY: &str = "default-src 'none'; img-src data:; style-src 'unsafe-inline'; script-src 'unsafe-inline'; \
                      connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'";

/// A server on its way.
pub struct Server {
    port: u16,
    token: String,
}

/// Who may ask.
struct Gate {
    port: u16,
    token: String,
}

impl Server {
    /// Listens on a port, or the next that is free.
    pub fn begin(port: u16, board: Arc<Board>) -> Result<Self, Failure> {
        let mut last = String::new();
        let found = (port..=port.saturating_add(PORTS)).find_map(|port| {
            match tiny_http::Server::http(("127.0.0.1", port)) {
                Ok(server) => Some((port, server)),
                Err(error) => {
                    last = error.to_string();
                    None
                }
            }
        });
        let Some((port, server)) = found else {
            let text = format!("no port from {port} on is free ({last}); name another with --port");
            return Err(Failure::Job(text));
        };
        let mut bytes = [0_u8; 16];
        getrandom::fill(&mut bytes).map_err(Failure::job)?;
        let token: String = bytes.iter().map(|byte| format!("{byte:02x}")).collect();
        let gate = Arc::new(Gate { port, token: token.clone() });
        let busy = Arc::new(AtomicUsize::new(0));
        thread::spawn(move || {
            for request in server.incoming_requests() {
                if busy.fetch_add(1, Ordering::Relaxed) >= MOST {
                    busy.fetch_sub(1, Ordering::Relaxed);
                    // Whoever went away gets no answer.
                    let _ = request.respond(refusal(503, "too many at once"));
                    continue;
                }
                let (gate, board, busy) =
                    (Arc::clone(&gate), Arc::clone(&board), Arc::clone(&busy));
                thread::spawn(move || {
                    answer(request, &gate, &board);
                    busy.fetch_sub(1, Ordering::Relaxed);
                });
            }
        });
        Ok(Self { port, token })
    }

    pub const fn port(&self) -> u16 {
        self.port
    }

    /// Where the page is.
    pub fn address(&self) -> String {
        format!("http://127.0.0.1:{}/{}/", self.port, self.token)
    }
}

type Answer = Response<Cursor<Vec<u8>>>;

fn answer(mut request: Request, gate: &Gate, board: &Board) {
    let answer = gate.refuses(&request).unwrap_or_else(|| gate.serve(&mut request, board));
    // Whoever went away gets no answer.
    let _ = request.respond(answer);
}

fn header(name: &str, value: &str) -> Header {
    Header::from_bytes(name, value).expect("headers are plain text")
}

fn with(text: String, kind: &str) -> Answer {
    let headers = [
        ("Content-Type", kind),
        ("Content-Security-Policy", POLICY),
        ("X-Content-Type-Options", "nosniff"),
        ("Referrer-Policy", "no-referrer"),
        ("Cache-Control", "no-store"),
    ];
    // Whole, and not in pieces: its length is known.
    let whole = Response::from_data(text).with_chunked_threshold(usize::MAX);
    headers.into_iter().fold(whole, |answer, (name, value)| answer.with_header(header(name, value)))
}

fn part(board: &Board, part: Part) -> Answer {
    with(board.part(part).to_string(), "application/json")
}

fn refusal(code: u16, text: &str) -> Answer {
    with(format!("{text}\n"), "text/plain; charset=utf-8").with_status_code(code)
}

/// The value of a header of a request.
fn said<'r>(request: &'r Request, name: &'static str) -> Option<&'r str> {
    let found = request.headers().iter().find(|header| header.field.equiv(name));
    found.map(|header| header.value.as_str())
}

impl Gate {
    /// Why a request is not answered.
    fn refuses(&self, request: &Request) -> Option<Answer> {
        let own = [format!("127.0.0.1:{}", self.port), format!("localhost:{}", self.port)];
        let host = said(request, "Host").unwrap_or_default();
        if !own.iter().any(|own| own == host) {
            return Some(refusal(403, "this page is for this machine alone"));
        }
        let origin = said(request, "Origin");
        if origin.is_some_and(|origin| !own.iter().any(|own| origin == format!("http://{own}"))) {
            return Some(refusal(403, "another page may not ask"));
        }
        None
    }

    fn serve(&self, request: &mut Request, board: &Board) -> Answer {
        let url = request.url().to_owned();
        let (path, query) = url.split_once('?').unwrap_or((&url, ""));
        let Some(path) = path.strip_prefix('/').and_then(|path| path.strip_prefix(&*self.token))
        else {
            return refusal(
                404,
                "the address has another token; take the one that `watch` printed",
            );
        };
        match (request.method(), path) {
            (Method::Get, "/") => with(live_page(), "text/html; charset=utf-8"),
            (Method::Get, "") => {
                let there = header("Location", &format!("/{}/", self.token));
                refusal(301, "one more slash").with_header(there)
            }
            (Method::Get, "/map") => part(board, Part::Map),
            (Method::Get, "/openness") => part(board, Part::Openness),
            (Method::Get, "/prints") => part(board, Part::Prints),
            (Method::Get, "/next") => {
                let after = query.strip_prefix("after=").and_then(|number| number.parse().ok());
                with(board.next(after.unwrap_or(0), PATIENCE).to_string(), "application/json")
            }
            (Method::Post, "/seed" | "/variant" | "/prints" | "/stop") => {
                self.take(request, board, path)
            }
            (
                _,
                "/" | "/map" | "/openness" | "/next" | "/seed" | "/variant" | "/prints" | "/stop",
            ) => refusal(405, "wrong method"),
            _ => refusal(404, "there is nothing here"),
        }
    }

    /// Another seed (`next`, `back` or how many it is away from the first), a variant by its name, small pictures of
    /// the next seeds, or an end to the fill under way.
    fn take(&self, request: &mut Request, board: &Board, path: &str) -> Answer {
        if said(request, "X-Lantern-Token") != Some(&self.token) {
            return refusal(403, "what changes something needs the token in a header");
        }
        let mut body = Vec::new();
        let read = request.as_reader().take(LONGEST as u64 + 1).read_to_end(&mut body);
        if read.is_ok_and(|length| length > LONGEST) {
            return refusal(413, "that is too long");
        }
        match (path, String::from_utf8(body).as_deref()) {
            ("/seed", Ok("next")) => board.ask(Asked::Next),
            ("/seed", Ok("back")) => board.ask(Asked::Back),
            ("/seed", Ok(number)) if number.parse::<u32>().is_ok() => {
                board.ask(Asked::Seed(number.parse().unwrap_or(0)));
            }
            ("/variant", Ok(name)) => board.ask(Asked::Variant(name.to_owned())),
            ("/prints", Ok(_)) => board.ask(Asked::Prints),
            ("/stop", Ok(_)) => board.halt(),
            _ => return refusal(400, "send next, back, a number, or the name of a variant"),
        }
        with("{}".to_owned(), "application/json")
    }
}
