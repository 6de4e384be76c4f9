//! `watch` over HTTP: what it serves, what it refuses, and how it follows a quilt.

use super::*;
use rstest::rstest;
use serde_json::Value;
use std::fs;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

const QUILT: &str = "quilt = 1\nmap = { lattice = \"square\", size = [9, 7] }\n\
                     terrains = { moss = \"#2f6b3a\", pond = \"#3f8fb5\" }\nitems = { lamp = {} }\n\
                     [[recipe]]\npass = \"noise\"\nbands = [{ share = 0.4, terrain = \"pond\" }, { terrain = \"moss\" }]\n\
                     [[recipe]]\npass = \"plan\"\npicture = \"plan.png\"\n\
                     [[recipe]]\npass = \"place\"\nwhat = \"lamp\"\nexactly = 2\nwhere = { terrain = \"moss\" }\n";

/// A quilt that is watched, until it is dropped.
struct Watched {
    folder: tempfile::TempDir,
    tool: Child,
    port: u16,
    token: String,
    said: String,
}

impl Drop for Watched {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.tool.kill();
        let _ = self.tool.wait();
    }
}

impl Watched {
    fn begin(port: u16) -> Self {
        Self::begin_with(port, "a.quilt.toml", QUILT, &[])
    }

    /// Of a quilt at a path, with its plan in the folder above all.
    fn begin_with(port: u16, path: &str, text: &str, args: &[&str]) -> Self {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir_all(folder.path().join(path).parent().unwrap()).unwrap();
        fs::write(folder.path().join(path), text).unwrap();
        plan(&folder.path().join("plan.png"));
        let mut tool = Command::new(env!("CARGO_BIN_EXE_lantern-quilt"))
            .args(["watch", path, "--no-open", "--port", &port.to_string()])
            .args(args)
            .current_dir(folder.path())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let mut said = String::new();
        BufReader::new(tool.stdout.as_mut().unwrap()).read_line(&mut said).unwrap();
        let (_, rest) = said.trim().split_once("127.0.0.1:").unwrap();
        let (port, token) = rest.trim_end_matches('/').split_once('/').unwrap();
        Self {
            port: port.parse().unwrap(),
            token: token.to_owned(),
            folder,
            tool,
            said: said.clone(),
        }
    }

    fn quilt(&self) -> PathBuf {
        self.folder.path().join("a.quilt.toml")
    }

    /// The status and body of an answer to what is asked literally, with `TOKEN` and `PORT` put in.
    fn ask(&self, head: &str, body: &[u8]) -> (u16, String) {
        let head = head.replace("TOKEN", &self.token).replace("PORT", &self.port.to_string());
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).unwrap();
        stream.set_read_timeout(Some(Duration::from_secs(30))).unwrap();
        let lines =
            format!("{head}\r\nConnection: close\r\nContent-Length: {}\r\n\r\n", body.len());
        stream.write_all(lines.as_bytes()).unwrap();
        // A server may refuse before it has read all of a long body.
        let _ = stream.write_all(body);
        let mut answer = Vec::new();
        let _ = stream.read_to_end(&mut answer);
        let answer = String::from_utf8_lossy(&answer).into_owned();
        let status = answer.split(' ').nth(1).and_then(|code| code.parse().ok()).unwrap_or(0);
        (status, answer.split_once("\r\n\r\n").map_or(answer.clone(), |(_, body)| body.to_owned()))
    }

    /// What a page asks for with its token.
    fn post(&self, path: &str, body: &str) {
        let head =
            format!("POST /TOKEN{path} HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nX-Lantern-Token: TOKEN");
        assert_eq!(self.ask(&head, body.as_bytes()).0, 200);
    }

    fn get(&self, path: &str) -> (u16, String) {
        self.ask(&format!("GET /TOKEN{path} HTTP/1.1\r\nHost: 127.0.0.1:PORT"), b"")
    }

    /// News until `holds` is true of them.
    fn until(&self, holds: impl Fn(&Value) -> bool) -> Value {
        let mut after = 0;
        loop {
            let (_, body) = self.get(&format!("/next?after={after}"));
            let news: Value = serde_json::from_str(&body).unwrap();
            if holds(&news) {
                return news;
            }
            let version = news["version"].as_u64().unwrap();
            assert!(version > after, "nothing new came for a while: {news}");
            after = version;
        }
    }

    /// Its plan is deleted, which is a finding, and restored.
    fn lose_its_plan_and_get_it_back(&self) {
        let picture = self.folder.path().join("plan.png");
        fs::remove_file(&picture).unwrap();
        let gone = self.until(|news| !is_clean(news));
        assert_eq!(gone["findings"][0]["code"], "missing-art", "{gone}");
        plan(&picture);
        self.until(is_clean);
    }

    fn map(&self) -> Value {
        serde_json::from_str(&self.get("/map").1).unwrap()
    }
}

fn plan(path: &Path) {
    let mut picture = lantern_quilt::picture::Picture::new(9, 7, [0; 4]).unwrap();
    picture.set(4, 3, [0x3f, 0x8f, 0xb5, 255]);
    fs::write(path, picture.to_png(&[]).unwrap()).unwrap();
}

fn is_clean(news: &Value) -> bool {
    news["findings"].as_array().is_some_and(Vec::is_empty)
}

/// A save shows another map of which only what changed is made again; a mistake is shown over the last good map
/// until it is mended, also in files beside the quilt; half a file is a mistake like any other.
#[test]
fn a_page_follows_its_quilt() {
    let watched = Watched::begin(17_810);
    let first = watched.until(|news| news["map"] == 1);
    assert!(
        is_clean(&first) && first["status"].as_str().unwrap().contains("3 of 3 passes"),
        "{first}"
    );
    let page = watched.get("/").1;
    assert!(page.starts_with("<!doctype html>") && page.contains("id=\"data\">null</script>"));
    assert_eq!(watched.map()["items"].as_array().unwrap().len(), 2);
    fs::write(watched.quilt(), QUILT.replace("exactly = 2", "exactly = 5")).unwrap();
    let second = watched.until(|news| news["map"] == 2);
    assert!(second["status"].as_str().unwrap().contains("1 of 3 passes done again"), "{second}");
    let map = watched.map();
    assert_eq!(map["items"].as_array().unwrap().len(), 5);
    let passes = map["passes"].as_array().unwrap();
    let again: Vec<bool> = passes.iter().map(|pass| !pass["ms"].is_null()).collect();
    assert_eq!((again, &passes[2]["items"]), (vec![false, false, true], &5.into()), "{map}");
    for (bad, line) in
        [(QUILT.replace("\"moss\" }\n", "\"mos\" }\n"), 15), (QUILT[..160].to_owned(), 0)]
    {
        fs::write(watched.quilt(), bad).unwrap();
        let wrong = watched.until(|news| !is_clean(news));
        assert!(line == 0 || wrong["findings"][0]["line"] == line, "{wrong}");
        if line > 0 {
            let [text, patch] =
                ["text", "patch"].map(|key| wrong["findings"][0][key].as_str().unwrap());
            assert_eq!(patch, text.replace("mos", "moss"));
        }
        assert!(wrong["map"].as_u64() >= Some(2), "the last good map stays");
        fs::write(watched.quilt(), QUILT.replace("exactly = 2", "exactly = 4")).unwrap();
        watched.until(is_clean);
    }
    watched.lose_its_plan_and_get_it_back();
    assert_eq!(watched.map()["items"].as_array().unwrap().len(), 4);
    // Demands that are not met are findings too, with the map below them.
    fs::write(watched.quilt(), QUILT.replace("exactly = 2", "exactly = 60")).unwrap();
    let short = watched.until(|news| !is_clean(news));
    assert!(short["findings"][0]["message"].as_str().unwrap().contains("needs 60"), "{short}");
}

/// What lies outside of the folder of the quilt, but inside a root that is given, is followed as well.
#[test]
fn files_inside_the_root_are_followed() {
    let text = QUILT.replace("plan.png", "../plan.png");
    let watched = Watched::begin_with(17_840, "quilts/a.quilt.toml", &text, &["--root", "."]);
    watched.until(|news| news["map"] == 1 && is_clean(news));
    watched.lose_its_plan_and_get_it_back();
}

/// A long fill says how far it is and ends when a page asks for that, with what it had decided; another seed, asked for
/// in the middle, is taken at once.
#[test]
fn a_long_fill_can_be_stopped() {
    let watched = Watched::begin(17_830);
    watched.until(|news| news["map"] == 1);
    // Planks of two cells cannot cover a board without two corners of one colour: the proof takes minutes.
    let long = "quilt = 1\nmap = { lattice = \"square\", size = [14, 14] }\nsockets.moss = {}\n\
                tiles.post = { sides = \"moss\", colour = \"#777777\" }\n\
                tiles.plank = { span = [2, 1], sides = \"moss\", turns = 4, colour = \"#2f6b3a\" }\n\
                [[recipe]]\npass = \"collapse\"\nclimb = \"proof\"\ncounts = [{ tile = \"post\", most = 2 }]\n\
                pins = [{ at = [0, 0], tile = \"post\" }, { at = [13, 13], tile = \"post\" }]\n";
    fs::write(watched.quilt(), long).unwrap();
    let on_its_way = |news: &Value| {
        assert!(is_clean(news), "{news}");
        news["filling"]["cells"] == 196
    };
    let filling = watched.until(on_its_way);
    assert!(filling["status"].as_str().unwrap().contains("of 196 cells"), "{filling}");
    watched.post("/seed", "7");
    watched.until(|news| on_its_way(news) && news["version"] != filling["version"]);
    watched.post("/stop", "");
    let stopped = watched.until(|news| news["filling"].is_null() && news["map"] == 2);
    assert!(stopped["status"].as_str().unwrap().starts_with("stopped after"), "{stopped}");
    let map = watched.map();
    assert!(
        map["about"].as_str().unwrap().contains("first lamp/7") && map["turn"] == 7,
        "{}",
        map["about"]
    );
    let count = map["layers"][0]["count"].as_u64().unwrap();
    assert!((1..196).contains(&count), "{count}");
}

/// A failed fill shows its partial map, with the cell marked and the error above it.
#[test]
fn a_failed_fill_is_shown_with_its_cell() {
    let text = "quilt = 1\nmap = { lattice = \"square\", size = [9, 5] }\nsockets = { moss = {}, path = {} }\n\
                tiles.moss = { sides = \"moss\", colour = \"#2f6b3a\" }\n\
                tiles.lane = { sides = { north = \"moss\", south = \"moss\", east = \"path\", west = \"path\" }, colour = \"#8a8478\" }\n\
                [[recipe]]\npass = \"collapse\"\nconnected = { tile = \"lane\", over = \"path\" }\n\
                pins = [{ at = [2, 1], tile = \"lane\" }, { at = [6, 3], tile = \"lane\" }]\n";
    let watched = Watched::begin_with(17_850, "a.quilt.toml", text, &[]);
    let failed = watched.until(|news| news["map"] == 1);
    let told = failed["findings"][0]["message"].as_str().unwrap();
    assert!(told.contains("`connected` demands one connected piece"), "{failed}");
    assert_eq!(failed["findings"][0]["line"], 8, "{failed}");
    let map = watched.map();
    let hatched = map["hatched"].as_array().unwrap();
    let cells = hatched.iter().find(|one| one["name"] == "failed cells").unwrap();
    assert_eq!(cells["count"], 1, "{cells}");
}

/// A contact sheet has twelve seeds, each the picture that `fill` gives; it goes when the quilt changes.
#[test]
fn a_sheet_of_seeds() {
    let watched = Watched::begin(17_870);
    watched.until(|news| news["map"] == 1);
    watched.post("/prints", "");
    let prints = || -> Value { serde_json::from_str(&watched.get("/prints").1).unwrap() };
    watched.until(|news| news["prints"].as_u64() > Some(0) && prints()["due"] == 0);
    let all = prints()["prints"].clone();
    let seeds: Vec<&str> =
        all.as_array().unwrap().iter().map(|one| one["seed"].as_str().unwrap()).collect();
    assert_eq!((seeds.len(), seeds[0], seeds[11]), (12, "first lamp", "first lamp/11"));
    assert!(
        all.as_array()
            .unwrap()
            .iter()
            .all(|one| one["picture"].as_str().unwrap().starts_with("data:image/png"))
    );
    watched.post("/seed", "11");
    watched.until(|news| news["map"] == 2);
    assert_eq!(
        watched.map()["seeds"],
        serde_json::json!([[0, "first lamp"], [11, "first lamp/11"]])
    );
    fs::write(watched.quilt(), QUILT.replace("exactly = 2", "exactly = 3")).unwrap();
    watched.until(|news| news["map"] == 3);
    assert_eq!(prints()["prints"], serde_json::json!([]));
}

/// Seeds go forth and back, and variants are switched, by whoever has the token.
#[test]
fn seeds_go_forth_and_back() {
    let watched = Watched::begin(17_850);
    watched.until(|news| news["map"] == 1);
    let head = "POST /TOKEN/seed HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nX-Lantern-Token: TOKEN";
    for (way, seed) in
        [("next", "first lamp/1"), ("next", "first lamp/2"), ("back", "first lamp/1")]
    {
        let before = watched.until(|_| true)["map"].clone();
        assert_eq!(watched.ask(head, way.as_bytes()).0, 200);
        watched.until(|news| news["map"] != before);
        assert!(watched.map()["about"].as_str().unwrap().contains(&format!("seed \"{seed}\"")));
    }
    fs::write(watched.quilt(), format!("{QUILT}[variants.dark]\noff = \"place\"\n")).unwrap();
    watched.until(|_| watched.map()["variants"] == serde_json::json!(["dark"]));
    for (variant, items) in [("dark", 0), ("", 2), ("darc", 2)] {
        assert_eq!(watched.ask(&head.replace("/seed", "/variant"), variant.as_bytes()).0, 200);
        watched.until(|news| match variant {
            "darc" => news["findings"][0]["nearest"] == "dark",
            _ => watched.map()["items"].as_array().map(Vec::len) == Some(items),
        });
    }
}

#[rstest]
#[case::another_host("GET /TOKEN/ HTTP/1.1\r\nHost: lamp.example:PORT", 0, 403)]
#[case::another_port("GET /TOKEN/ HTTP/1.1\r\nHost: 127.0.0.1:1", 0, 403)]
#[case::no_host("GET /TOKEN/ HTTP/1.1", 0, 403)]
#[case::localhost("GET /TOKEN/ HTTP/1.1\r\nHost: localhost:PORT", 0, 200)]
#[case::another_page(
    "GET /TOKEN/map HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nOrigin: http://lamp.example",
    0,
    403
)]
#[case::own_page(
    "GET /TOKEN/map HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nOrigin: http://127.0.0.1:PORT",
    0,
    200
)]
#[case::no_token("GET / HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 404)]
#[case::wrong_token(
    "GET /0123456789abcdef0123456789abcdef/ HTTP/1.1\r\nHost: 127.0.0.1:PORT",
    0,
    404
)]
#[case::no_slash("GET /TOKEN HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 301)]
#[case::path_trick("GET /TOKEN/../../etc/passwd HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 404)]
#[case::encoded_trick("GET /TOKEN/%2e%2e/a.quilt.toml HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 404)]
#[case::a_file("GET /TOKEN/plan.png HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 404)]
#[case::wrong_method("DELETE /TOKEN/map HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 405)]
#[case::without_header("POST /TOKEN/seed HTTP/1.1\r\nHost: 127.0.0.1:PORT", 4, 403)]
#[case::nonsense(
    "POST /TOKEN/seed HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nX-Lantern-Token: TOKEN",
    4,
    400
)]
#[case::oversized(
    "POST /TOKEN/seed HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nX-Lantern-Token: TOKEN",
    100_000,
    413
)]
#[case::stop_without_header("POST /TOKEN/stop HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 403)]
#[case::prints_without_header("POST /TOKEN/prints HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 403)]
#[case::prints_by_delete("DELETE /TOKEN/prints HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 405)]
#[case::variant_without_header("POST /TOKEN/variant HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 403)]
#[case::no_number("GET /TOKEN/next?after=lamp HTTP/1.1\r\nHost: 127.0.0.1:PORT", 0, 200)]
fn strangers_are_refused(#[case] head: &str, #[case] body: usize, #[case] status: u16) {
    let watched = Watched::begin(17_900);
    watched.until(|news| news["map"] == 1);
    let (code, text) = watched.ask(head, &vec![b'x'; body]);
    assert_eq!(code, status, "{text}");
    assert!(code == 200 || !text.contains("moss"), "{text}");
    // It is still there afterwards.
    assert_eq!(watched.get("/").0, 200);
}

/// A port that is taken is passed over, and that is said; Ctrl-C ends the command well.
#[test]
fn a_taken_port_is_passed_over() {
    let taken = TcpListener::bind(("127.0.0.1", 0)).unwrap();
    let port = taken.local_addr().unwrap().port().min(65_000);
    let mut watched = Watched::begin(port);
    assert!(watched.port > port && watched.said.contains("http://127.0.0.1:"));
    let pid = watched.tool.id().to_string();
    assert!(Command::new("kill").args(["-INT", &pid]).status().unwrap().success());
    assert!(watched.tool.wait().unwrap().success());
    let mut told = String::new();
    watched.tool.stderr.as_mut().unwrap().read_to_string(&mut told).unwrap();
    assert!(told.contains(&format!("port {port} is taken")), "{told}");
}

#[test]
fn what_is_not_there_is_not_watched() {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["watch", "no.quilt.toml", "--no-open"])
        .code(2)
        .stderr(predicates::str::contains("there is no quilt no.quilt.toml"));
}
