//! The rule board: every tile with what its sides show, and the pieces that are missing.

use super::place::Placement;
use super::shaded::portrait;
use super::text::{label, label_width};
use super::{DrawError, INK, NIGHT};
use crate::art::{NearSeam, TileArt};
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::audit::missing::{MissingPiece, TrialReport};
use lantern_quilt_core::audit::seams::SeamReport;
use lantern_quilt_core::id::{SocketId, TileId};
use lantern_quilt_core::lattice::{Cell, Lattice, Layout, Side};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::rules::Rules;
use lantern_quilt_core::tileset::{CheckedTile, Face, Tileset};

/// The board's size; it grows downwards when there are very many tiles.
const WIDTH: u32 = 1280;
const HEIGHT: u32 = 800;
const HEADER: u32 = 58;
/// The most height of a board.
const TALLEST: u32 = 2000;
/// The least height of a card.
const LOWEST: u32 = 118;
/// The height of the seams below the cards.
const STRIP: u32 = 132;
/// So many seams lie side by side.
const SEAMS: u32 = 12;

const CARD: Rgba = [26, 30, 58, 255];
const QUIET: Rgba = [150, 156, 186, 255];
const AMBER: Rgba = [246, 178, 74, 255];
/// One colour a socket, again and again; names tell them apart as well.
const SOCKETS: [Rgba; 10] = [
    [112, 176, 112, 255],
    [226, 196, 140, 255],
    [92, 150, 222, 255],
    [232, 120, 92, 255],
    [186, 214, 92, 255],
    [240, 208, 84, 255],
    [118, 206, 204, 255],
    [196, 150, 112, 255],
    [222, 222, 232, 255],
    [236, 158, 170, 255],
];

/// Draws the board of a set: for each tile its picture, what each side shows, its poses and its
/// share of the weight; then the missing pieces of `trials`, as outlines with the same labels.
///
/// About 1280 x 800 pixels, for up to about 48 tiles.
///
/// # Errors
/// When the picture would be too large.
pub fn board(
    title: &str,
    tileset: &Tileset,
    rules: &Rules,
    art: &TileArt,
    trials: Option<&TrialReport>,
    seams: &SeamReport,
    near: &[NearSeam],
) -> Result<Picture, DrawError> {
    let pieces = trials.map_or(&[][..], |trials| &trials.pieces[..]);
    let tiles: Vec<(TileId, &CheckedTile)> =
        tileset.tiles().pairs().filter(|(_, tile)| tile.is_first()).collect();
    let cards = (tiles.len() + pieces.len()) as u32;
    let shown = shown_seams(tileset, art, seams, near);
    let strip = if shown.is_empty() { 0 } else { STRIP };
    let room = HEIGHT - HEADER - strip;
    let columns = (4..=10).find(|&c| cards.div_ceil(c) * (WIDTH / c * 3 / 4) <= room);
    // Large sets go to the right before they go further down than anybody looks.
    let most_rows = (TALLEST - HEADER - strip) / LOWEST;
    let wide = WIDTH / columns.unwrap_or(10);
    let columns = columns.unwrap_or(10).max(cards.div_ceil(most_rows));
    let rows = cards.div_ceil(columns).max(1);
    let card = [wide, (room / rows).clamp(LOWEST, wide)];
    let height = (HEADER + rows * card[1] + strip).max(HEIGHT);
    let width = WIDTH.max(columns * wide);
    let mut board = Board { picture: Picture::new(width, height, NIGHT)?, tileset, card };
    board.header(title, rules, trials);
    let total: u64 = tileset.tiles().iter().map(CheckedTile::weight).sum();
    let place = |number: usize| {
        let number = number as u32;
        [(number % columns) * card[0], HEADER + (number / columns) * card[1]]
    };
    for (number, &(id, tile)) in tiles.iter().enumerate() {
        let at = place(number);
        let room = (card[0] * 2 / 5).min(card[1].saturating_sub(86)).max(24);
        let module = portrait(art, tile.name(), room, CARD);
        let picture = module.as_ref().or_else(|| art.tile(tile.name()));
        let bare = if tileset.lattice().is_solid() { [room; 2] } else { art.cell() };
        let size = picture.map_or(bare, |picture| [picture.width(), picture.height()]);
        let half = board.begin(at, false, size);
        if let Some(picture) = picture {
            board.tile(at, half, picture)?;
        }
        board.sides(at, half, |side| outer_faces(tileset, id, side));
        let parts = tile.part().map_or(1, |part| part.span.into_iter().product::<u32>());
        let share = tile.weight() as f64 * f64::from(parts) / total as f64 * 100.0;
        let count = tile.orientations().len();
        let poses = counted(count, "pose");
        board.caption(at, tile.name(), INK, &format!("{poses}, {share:.1} %"));
        board.alone(at, id, rules);
    }
    for (number, piece) in pieces.iter().enumerate() {
        let at = place(tiles.len() + number);
        board.piece(at, piece, art.cell(), trials.expect("pieces come from trials"));
    }
    if strip > 0 {
        board.seams(height - strip, &shown, art)?;
    }
    Ok(board.picture)
}

/// A seam as it is drawn: two cells and what is given for them.
struct Shown {
    drawn: [Picture; 2],
    side: Side,
    lines: [String; 2],
    colour: Rgba,
}

/// First what nearly meets, then the roughest, as many as there is room for.
fn shown_seams(
    tileset: &Tileset,
    art: &TileArt,
    seams: &SeamReport,
    near: &[NearSeam],
) -> Vec<Shown> {
    let lattice = tileset.lattice();
    let nearly = near.iter().take(SEAMS as usize / 2).filter_map(|near| {
        let [(a, side), (b, _)] = &near.sides;
        let turned = near.orientation(art, lattice)?;
        let drawn = [art.tile(a)?.clone(), art.look(b, 0)?.posed(lattice, turned)];
        let lines = [format!("{}/{} px {a}", near.pixels, near.of), b.clone()];
        Some(Shown { drawn, side: *side, lines, colour: AMBER })
    });
    let rough = seams.worst.iter().filter_map(|seam| {
        let cell = |(tile, orientation): (TileId, Orientation)| {
            let tile = &tileset.tiles()[tile];
            art.posed(tile.name(), 0, tile.part(), lattice, orientation)
        };
        let name = |(tile, _): (TileId, Orientation)| tileset.tiles()[tile].name().to_owned();
        Some(Shown {
            drawn: [cell(seam.a)?, cell(seam.b)?],
            side: seam.side,
            lines: [format!("{} {}", seam.difference, name(seam.a)), name(seam.b)],
            colour: QUIET,
        })
    });
    nearly.chain(rough).take(SEAMS as usize).collect()
}

/// What a tile shows on a side; of one of several cells, what its parts show there.
fn outer_faces(tileset: &Tileset, tile: TileId, side: Side) -> Vec<Face> {
    let name = tileset.tiles()[tile].name();
    let parts = tileset.tiles().pairs().filter(|(_, other)| other.name() == name);
    let mut faces: Vec<Face> = parts
        .filter(|(part, _)| !tileset.goes_on(*part, Orientation::AS_DRAWN, side))
        .flat_map(|(part, _)| tileset.faces(part, Orientation::AS_DRAWN, side))
        .collect();
    faces.sort_unstable();
    faces.dedup();
    faces
}

struct Board<'a> {
    picture: Picture,
    tileset: &'a Tileset,
    card: [u32; 2],
}

/// `1 pose`, `2 poses`.
fn counted(number: usize, one: &str) -> String {
    format!("{number} {one}{}", if number == 1 { "" } else { "s" })
}

impl Board<'_> {
    fn header(&mut self, title: &str, rules: &Rules, trials: Option<&TrialReport>) {
        let tiles = self.tileset.tiles().iter().filter(|tile| tile.is_first()).count();
        let poses = rules.poses().len();
        let mut said = format!("{} in {}", counted(tiles, "tile"), counted(poses, "pose"));
        if let Some(trials) = trials {
            let TrialReport { fills, filled, .. } = trials;
            let size = trials.sized(self.tileset.lattice());
            said.push_str(&format!("; {filled} of {fills} maps of {size} filled on the first try"));
        }
        label(&mut self.picture, 12, 8, 20.0, INK, title);
        let after = 28 + label_width(title, 20.0) as i64;
        label(&mut self.picture, after, 13, 14.0, QUIET, &said);
        let mut x = 14;
        for (id, socket) in self.tileset.sockets().pairs().filter(|(_, s)| !s.is_internal()) {
            self.disc(x + 4, 43, 4, self.colour(id));
            label(&mut self.picture, x + 12, 36, 13.0, QUIET, socket.name());
            x += 30 + label_width(socket.name(), 13.0) as i64;
        }
    }

    /// The colour of a socket, counted among those that meet something.
    fn colour(&self, socket: SocketId) -> Rgba {
        let before = self.tileset.sockets().pairs().take_while(|&(id, _)| id != socket);
        let number = before.filter(|(_, one)| !one.is_internal()).count();
        if self.tileset.sockets()[socket].is_border() {
            QUIET
        } else {
            SOCKETS[number % SOCKETS.len()]
        }
    }

    /// The card's ground; half the size of the picture in it.
    fn begin(&mut self, [left, top]: [u32; 2], missing: bool, cell: [u32; 2]) -> [i64; 2] {
        let [width, height] = self.card;
        let (right, bottom) = (left + width - 3, top + height - 3);
        for y in top + 2..bottom {
            for x in left + 2..right {
                let rim =
                    missing && (y < top + 4 || y + 2 >= bottom || x < left + 4 || x + 2 >= right);
                self.picture.set(x, y, if rim { AMBER } else { CARD });
            }
        }
        let room = [width * 2 / 5, height.saturating_sub(74)];
        let scale = |axis: usize| (room[axis] / cell[axis].max(1)).max(1);
        let scale = scale(0).min(scale(1));
        // Art too large for its card is drawn smaller.
        let shown = |axis: usize| (cell[axis] * scale).min(room[0].min(room[1]).max(24));
        [i64::from(shown(0)) / 2, i64::from(shown(1)) / 2]
    }

    fn centre(&self, [left, top]: [u32; 2]) -> [i64; 2] {
        let captions = 30;
        [
            i64::from(left + self.card[0] / 2),
            i64::from(top) + (i64::from(self.card[1]) - captions) / 2,
        ]
    }

    fn tile(&mut self, at: [u32; 2], half: [i64; 2], art: &Picture) -> Result<(), DrawError> {
        let [x, y] = self.centre(at);
        let wanted = (half[0] * 2) as u32;
        let drawn = if wanted >= art.width() {
            art.scaled(wanted / art.width())?
        } else {
            art.shrunk(art.width().div_ceil(wanted.max(1)))
        };
        self.picture.lay(&drawn, x - half[0], y - half[1]);
        Ok(())
    }

    fn sides(&mut self, at: [u32; 2], half: [i64; 2], faces: impl Fn(Side) -> Vec<Face>) {
        let [cx, cy] = self.centre(at);
        let size = if self.card[0] > 170 { 12.0 } else { 10.5 };
        for &side in self.tileset.lattice().sides() {
            let faces = faces(side);
            // On the board the tile and side of an outline are enough.
            let short = |&face: &Face| {
                let name = self.tileset.face_name(face);
                name.strip_prefix("outline of ").map_or(name.clone(), str::to_owned)
            };
            let names: Vec<String> = faces.iter().map(short).collect();
            let names = names.join("/");
            let [dx, dy] = direction(self.tileset.lattice(), side);
            let dot = |half: i64, d: f32| (d * (half as f32 + 6.0)) as i64;
            let (x, y) = (cx + dot(half[0], dx), cy + dot(half[1], dy));
            let colour = faces.first().map_or(QUIET, |face| self.colour(face.socket));
            self.disc(x, y, 4, colour);
            let line = size as i64;
            let sideways = dx.abs() > 0.3;
            let room = if sideways {
                i64::from(self.card[0]) / 2 - half[0] - 18
            } else {
                i64::from(self.card[0]) - 12
            };
            // "edging left" beside a picture takes two lines.
            let split = names.rsplit_once(' ').filter(|_| sideways);
            let lines = match split.filter(|_| label_width(&names, size) > room as f32) {
                Some((first, second)) => vec![first, second],
                None => vec![names.as_str()],
            };
            for (number, text) in lines.iter().enumerate() {
                let text = fitting(text, size, room as f32);
                let width = label_width(&text, size) as i64;
                let down = (number as i64 * 2 + 1 - lines.len() as i64) * line / 2;
                let (left, top) = match (sideways, dx > 0.0, dy > 0.0) {
                    (true, true, _) => (cx + half[0] + 14, y - line / 2 + down),
                    (true, false, _) => (cx - half[0] - 14 - width, y - line / 2 + down),
                    (false, _, true) => (cx - width / 2, y + 5),
                    (false, _, false) => (cx - width / 2, y - 6 - line),
                };
                label(&mut self.picture, left, top, size, colour, &text);
            }
        }
    }

    fn caption(&mut self, at: [u32; 2], name: &str, colour: Rgba, more: &str) {
        let [cx, _] = self.centre(at);
        let bottom = i64::from(at[1] + self.card[1]);
        let room = self.card[0] as f32 - 12.0;
        for (text, size, colour, up) in [(name, 13.0, colour, 33), (more, 11.0, QUIET, 18)] {
            let text = fitting(text, size, room);
            let left = cx - label_width(&text, size) as i64 / 2;
            label(&mut self.picture, left, bottom - up, size, colour, &text);
        }
    }

    /// A rim around tiles that have a side nothing fits.
    fn alone(&mut self, [left, top]: [u32; 2], tile: TileId, rules: &Rules) {
        let lonely =
            rules.poses().pairs().filter(|(_, pose)| pose.tile == tile).any(|(pose, _)| {
                let sides = rules.lattice().sides();
                // Something stands on the ground, and something ends at the top.
                let around = (0..sides.len()).filter(|&side| !sides[side].is_flat());
                around.into_iter().any(|side| rules.support(side, pose).is_empty())
            });
        if lonely {
            let text = "a side fits nothing";
            label(&mut self.picture, i64::from(left) + 7, i64::from(top) + 4, 10.0, AMBER, text);
        }
    }

    fn piece(&mut self, at: [u32; 2], piece: &MissingPiece, cell: [u32; 2], trials: &TrialReport) {
        let half = self.begin(at, true, cell);
        let [cx, cy] = self.centre(at);
        let corners = corners(self.tileset.lattice());
        for (number, &[ax, ay]) in corners.iter().enumerate() {
            let [bx, by] = corners[(number + 1) % corners.len()];
            const STEPS: i64 = 60;
            for step in 0..=STEPS {
                // Dashed, so that it reads as something to be drawn.
                if step / 6 % 2 == 1 {
                    continue;
                }
                let part = step as f32 / STEPS as f32;
                let x = cx + ((ax + (bx - ax) * part) * half[0] as f32) as i64;
                let y = cy + ((ay + (by - ay) * part) * half[1] as f32) as i64;
                self.picture.blend(x, y, AMBER);
                self.picture.blend(x + 1, y, AMBER);
            }
        }
        let sides = self.tileset.lattice().sides();
        self.sides(at, half, |side| {
            let number = sides.iter().position(|&s| s == side).expect("a side of the lattice");
            vec![piece.faces[number]]
        });
        let told = if piece.with_it > trials.filled {
            format!("{} of {} fill, {} without", piece.with_it, trials.fills, trials.filled)
        } else {
            let percent = [trials.reached, piece.reached].map(|part| part / 10);
            format!("{} % to {} % of the way", percent[0], percent[1])
        };
        self.caption(at, "missing piece", AMBER, &told);
    }

    /// Seams side by side.
    fn seams(&mut self, top: u32, seams: &[Shown], art: &TileArt) -> Result<(), DrawError> {
        let lattice = self.tileset.lattice();
        let Ok(layout) = Layout::flat(lattice, 4, 4) else { return Ok(()) };
        let Some(place) = Placement::new(layout, art.cell()) else { return Ok(()) };
        let text = "sides that nearly meet, and the roughest seams (mean difference of 255)";
        label(&mut self.picture, 12, i64::from(top) + 4, 12.0, QUIET, text);
        let width = WIDTH / SEAMS;
        for (number, seam) in seams.iter().enumerate() {
            let left = i64::from(number as u32 * width + 8);
            let here = Cell::new(1, 1);
            let Some(beyond) = layout.neighbour(here, seam.side) else { continue };
            let corners = [place.corner(here), place.corner(beyond)];
            let [wide, high] = art.cell();
            let least = [corners[0].0.min(corners[1].0), corners[0].1.min(corners[1].1)];
            let most = [corners[0].0.max(corners[1].0), corners[0].1.max(corners[1].1)];
            let size = [(most[0] - least[0]) as u32 + wide, (most[1] - least[1]) as u32 + high];
            let mut pair = Picture::new(size[0], size[1], CARD)?;
            for (drawn, (x, y)) in seam.drawn.iter().zip(corners) {
                pair.lay(drawn, x - least[0], y - least[1]);
            }
            let room = [width - 16, STRIP - 66];
            let scale = (room[0] / size[0]).min(room[1] / size[1]);
            let drawn = if scale > 0 {
                pair.scaled(scale)?
            } else {
                pair.shrunk(size[0].div_ceil(room[0]).max(size[1].div_ceil(room[1])))
            };
            let bottom = i64::from(top + STRIP);
            self.picture.lay(&drawn, left, bottom - 44 - i64::from(drawn.height()));
            let room = (width - 12) as f32;
            for (line, text) in seam.lines.iter().enumerate() {
                let text = fitting(text, 10.5, room);
                let y = bottom - 38 + 13 * line as i64;
                label(&mut self.picture, left, y, 10.5, seam.colour, &text);
            }
        }
        Ok(())
    }

    fn disc(&mut self, cx: i64, cy: i64, radius: i64, colour: Rgba) {
        for y in -radius..=radius {
            for x in -radius..=radius {
                if x * x + y * y <= radius * radius {
                    self.picture.blend(cx + x, cy + y, colour);
                }
            }
        }
    }
}

/// As much of a text as fits, with a stop where it was cut.
fn fitting(text: &str, size: f32, room: f32) -> String {
    if label_width(text, size) <= room {
        return text.to_owned();
    }
    let mut kept = String::new();
    for character in text.chars() {
        kept.push(character);
        if label_width(&kept, size) + label_width("..", size) > room {
            kept.pop();
            break;
        }
    }
    kept + ".."
}

/// Where a side lies from the middle of a cell, as a part of half its size.
fn direction(lattice: Lattice, side: Side) -> [f32; 2] {
    match (lattice, side) {
        (_, Side::North) => [0.0, -1.0],
        (_, Side::South) => [0.0, 1.0],
        (_, Side::East) => [1.0, 0.0],
        (_, Side::West) => [-1.0, 0.0],
        (Lattice::HexFlat, Side::NorthEast) => [0.9, -0.55],
        (Lattice::HexFlat, Side::SouthEast) => [0.9, 0.55],
        (Lattice::HexFlat, Side::SouthWest) => [-0.9, 0.55],
        (Lattice::HexFlat, Side::NorthWest) => [-0.9, -0.55],
        (_, Side::NorthEast | Side::Up) => [0.7, -0.9],
        (_, Side::SouthEast) => [0.7, 0.9],
        (_, Side::SouthWest | Side::Down) => [-0.7, 0.9],
        (_, Side::NorthWest) => [-0.7, -0.9],
    }
}

/// The outline of a cell, as parts of half its size.
fn corners(lattice: Lattice) -> &'static [[f32; 2]] {
    match lattice {
        Lattice::HexPointy => {
            &[[0.0, -1.0], [1.0, -0.5], [1.0, 0.5], [0.0, 1.0], [-1.0, 0.5], [-1.0, -0.5]]
        }
        Lattice::HexFlat => {
            &[[-0.5, -1.0], [0.5, -1.0], [1.0, 0.0], [0.5, 1.0], [-0.5, 1.0], [-1.0, 0.0]]
        }
        _ => &[[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]],
    }
}
