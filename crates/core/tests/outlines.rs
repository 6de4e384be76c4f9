//! Sockets from outlines, against all faces in all frames compared directly.

use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::orient::{Frame, Orientation};
use lantern_quilt_core::seed::{Seed, Stream};
use lantern_quilt_core::tileset::outlines::{Outline, Point, SideOutlines, placed};
use lantern_quilt_core::tileset::{Mirror, Socket, Tile, TilesetBuilder};
use rstest::rstest;

const TOLERANCE: u32 = 40;

/// Points and edges as they were drawn, not sorted.
#[derive(Clone, Debug)]
struct Drawn {
    points: Vec<Point>,
    edges: Vec<[u32; 2]>,
}

impl Drawn {
    fn random(dice: &mut Stream) -> Self {
        let count = 3 + dice.below(38) as usize;
        let mut points: Vec<Point> = Vec::new();
        while points.len() < count {
            let point = [dice.below(2001) as i32 - 1000, dice.below(2001) as i32 - 1000];
            let clear = |p: &Point| apart(*p, point) > i64::from(4 * TOLERANCE).pow(2);
            if points.iter().all(clear) {
                points.push(point);
            }
        }
        // Some are their own mirror images, or look the same turned.
        let even = dice.below(4);
        if even > 0 {
            let frame = Frame { turns: (even % 3) as u8, flipped: even == 1 };
            let twin = |p: &Point| placed(frame, *p);
            let mut more = points[..count.div_ceil(3)].to_vec();
            for _ in 0..3 {
                more.extend(more.clone().iter().map(twin));
            }
            points = more;
            points.sort_unstable();
            points.dedup();
            points.truncate(40);
        }
        let end = points.len() as u64;
        let edges = (0..end).map(|_| [dice.below(end) as u32, dice.below(end) as u32]).collect();
        Self { points, edges }
    }

    /// The same a little otherwise.
    fn varied(&self, dice: &mut Stream) -> Self {
        let frame = Frame { turns: dice.below(4) as u8, flipped: dice.below(2) == 1 };
        let most = [0, 0, TOLERANCE / 2, TOLERANCE][dice.below(4) as usize];
        let mut shift = |v: i32| v + dice.below(u64::from(most) + 1) as i32 - most as i32 / 2;
        let mut points: Vec<Point> =
            self.points.iter().map(|&p| placed(frame, p).map(&mut shift)).collect();
        let mut edges = self.edges.clone();
        match dice.below(8) {
            0 => points[0][0] += 3 * TOLERANCE as i32,
            1 => {
                edges.pop();
            }
            _ => {}
        }
        Self { points, edges }
    }

    fn outline(&self) -> Outline {
        Outline::welded(&self.points, &self.edges, TOLERANCE).0
    }
}

fn apart(a: Point, b: Point) -> i64 {
    let [x, y] = [0, 1].map(|axis| i64::from(a[axis]) - i64::from(b[axis]));
    x * x + y * y
}

/// Whether two outlines fit, by comparing every point with every other.
fn fits(a: &Outline, b: &Outline) -> bool {
    let nearest = |point: Point, among: &[Point]| {
        (0..among.len()).min_by_key(|&n| apart(point, among[n])).unwrap_or(0)
    };
    let (from, to) = (a.points(), b.points());
    if from.len() != to.len() || a.edges().len() != b.edges().len() {
        return false;
    }
    let mut partner = Vec::new();
    for (number, &point) in from.iter().enumerate() {
        let other = nearest(point, to);
        if nearest(to[other], from) != number
            || apart(point, to[other]) > i64::from(TOLERANCE).pow(2)
        {
            return false;
        }
        partner.push(other as u32);
    }
    a.edges().iter().all(|edge| {
        let [x, y] = edge.map(|end| partner[end as usize]);
        b.edges().contains(&[x.min(y), x.max(y)])
    })
}

/// The frames in which each outline lies as each other, where fitting goes both ways round; else exactly.
fn related(all: &[(bool, Outline)]) -> Vec<Vec<Vec<Frame>>> {
    let among = |flat: bool| Frame::all().filter(move |f| flat || f.turns == 0);
    let framed: Vec<Vec<(Frame, Outline)>> =
        all.iter().map(|(flat, o)| among(*flat).map(|f| (f, o.in_frame(f))).collect()).collect();
    let by = |compare: &dyn Fn(&Outline, &Outline) -> bool| -> Vec<Vec<Vec<Frame>>> {
        let frames = |(flat, a): &(bool, Outline), b: usize| -> Vec<Frame> {
            let same = a.points().len() == all[b].1.points().len() && *flat == all[b].0;
            let each = framed[b].iter().filter(|(_, b)| same && compare(a, b));
            each.map(|&(frame, _)| frame).collect()
        };
        all.iter().map(|a| (0..all.len()).map(|b| frames(a, b)).collect()).collect()
    };
    let (near, exact) = (by(&fits), by(&|a, b| a == b));
    let count = all.len();
    let mut group: Vec<usize> = (0..count).collect();
    for _ in 0..count {
        for a in 0..count {
            for b in 0..count {
                if !near[a][b].is_empty() {
                    group[b] = group[a].min(group[b]);
                }
            }
        }
    }
    let whole = |leader: usize| {
        let members: Vec<usize> = (0..count).filter(|&n| group[n] == leader).collect();
        members.iter().all(|&a| {
            members.iter().all(|&b| {
                !near[a][b].is_empty()
                    && members.iter().all(|&c| {
                        let both =
                            near[a][b].iter().flat_map(|h| near[b][c].iter().map(|g| g.then(*h)));
                        both.into_iter().all(|frame| near[a][c].contains(&frame))
                    })
            })
        })
    };
    let whole: Vec<bool> = (0..count).map(|n| whole(group[n])).collect();
    (0..count).map(|a| if whole[a] { near[a].clone() } else { exact[a].clone() }).collect()
}

#[rstest]
fn sockets_are_what_direct_comparison_finds(#[values("a", "b", "c", "d")] quarter: &str) {
    let mut dice = Seed::from_text(quarter).stream(&["sets"]);
    let (mut met, mut chained, mut moved) = (0, 0, 0);
    for _ in 0..2_500 {
        let pool: Vec<Drawn> = (0..=dice.below(2)).map(|_| Drawn::random(&mut dice)).collect();
        let one =
            |dice: &mut Stream| pool[dice.below(pool.len() as u64) as usize].varied(dice).outline();
        let models = 2 + dice.below(7) as usize;
        let mut outlines = SideOutlines::new(TOLERANCE);
        let mut all = Vec::new();
        for model in 0..models {
            let flat = model % 2 == 0;
            let outline = one(&mut dice);
            let face = outlines.add(&format!("side {model}"), flat, &outline);
            all.push(((flat, outline), face));
        }
        chained += outlines.chains().len();
        let mut set = TilesetBuilder::new(Lattice::Box);
        let blank = set.socket(Socket::border("blank"));
        let sockets = outlines.sockets(&mut set, None);
        for (model, ((flat, _), shown)) in all.iter().enumerate() {
            let face = sockets.face(*shown);
            let tile = Tile::new(format!("tile {model}")).turns(4).mirror(Mirror::Both);
            let tile = Lattice::Box.sides().iter().fold(tile, |tile, &side| {
                tile.side(side, [if *flat == side.is_flat() { face } else { blank.into() }])
            });
            set.tile(tile);
        }
        let set = set.build().expect("a set");
        let outlines: Vec<(bool, Outline)> = all.into_iter().map(|(one, _)| one).collect();
        let related = related(&outlines);
        for (a, tile) in set.tiles().ids().enumerate() {
            for (b, other) in set.tiles().ids().enumerate() {
                if outlines[a].0 != outlines[b].0 {
                    continue;
                }
                let side = if outlines[a].0 { Side::Up } else { Side::East };
                for pose in Orientation::all(Lattice::Box) {
                    // The other way round follows from the group.
                    let beyond = Orientation::AS_DRAWN;
                    let here = pose.frame(side, Frame::AS_DRAWN);
                    let wanted = Frame::AS_DRAWN.across(side).then(here.inverse());
                    let expected = related[a][b].contains(&wanted);
                    let faces = set.faces(tile, pose, side);
                    let back = set.faces(other, beyond, side.opposite());
                    let meets = set.faces_meet(faces[0], back[0], side);
                    assert_eq!(
                        meets,
                        expected,
                        "{a} {pose} beside {b}: {:?} {:?} {:?} {}",
                        related[a][b],
                        outlines[a],
                        outlines[b],
                        outlines.len()
                    );
                    met += usize::from(meets);
                    moved +=
                        usize::from(meets && outlines[a].1 != outlines[b].1 && pose.turns() > 0);
                }
            }
        }
    }
    assert!(met > 20_000 && moved > 2_000 && chained > 25, "{met} {moved} {chained}");
}

#[rstest]
#[case::far(&[[0, 0], [0, 100]], &[[0, 0], [0, 100]], 0, Some((0, 0)))]
#[case::one_moved(&[[0, 0], [0, 100], [50, 100], [50, 0]], &[[0, 0], [0, 103], [50, 100], [50, 0]], 1, Some((1, 3)))]
#[case::one_more(&[[0, 0], [0, 100], [50, 100]], &[[0, 0], [0, 50], [0, 100], [50, 100]], 1, Some((1, 0)))]
#[case::all_a_little(&[[1, 0], [1, 100], [51, 100]], &[[5, 0], [5, 100], [55, 100]], 1, Some((3, 4)))]
#[case::half_the_tolerance(&[[1, 0], [1, 100], [51, 100]], &[[3, 0], [3, 100], [53, 100]], 4, None)]
#[case::just_the_tolerance(&[[1, 0], [1, 100], [51, 100]], &[[5, 0], [5, 100], [55, 100]], 4, None)]
#[case::elsewhere(&[[0, 0], [0, 100], [50, 100]], &[[900, 0], [900, 100], [950, 100]], 1, None)]
fn near_matches_are_found(
    #[case] a: &[Point],
    #[case] b: &[Point],
    #[case] tolerance: u32,
    #[case] expected: Option<(usize, u32)>,
) {
    let edges = |points: &[Point]| (1..points.len() as u32).map(|n| [n - 1, n]).collect::<Vec<_>>();
    let mut outlines = SideOutlines::new(tolerance);
    let same = a == b;
    outlines.add("a", false, &Outline::new(a, &edges(a)));
    let edges_of_b = if same { Vec::new() } else { edges(b) };
    outlines.add("b", false, &Outline::new(b, &edges_of_b));
    let near = outlines.near_matches(20);
    let found = near.iter().find(|near| near.a != near.b);
    let said = found.map(|near| (near.misfit.points(), near.misfit.greatest().round() as u32));
    assert_eq!(said, expected, "{near:?}");
}

#[test]
fn chains_are_listed_and_compared_exactly() {
    let corner = |x: i32| Outline::new(&[[x, 0], [x, 900], [400, 900]], &[[0, 1], [1, 2]]);
    let mut outlines = SideOutlines::new(10);
    for (name, x) in [("low", 100), ("middle", 108), ("high", 116)] {
        outlines.add(name, false, &corner(x));
    }
    let chains = outlines.chains();
    assert_eq!(chains.len(), 1);
    let chain = &chains[0];
    assert_eq!([&*chain.a, &*chain.through, &*chain.b], ["low", "middle", "high"]);
    let mut set = TilesetBuilder::new(Lattice::Box);
    let low = outlines.add("low again", false, &corner(100));
    let middle = outlines.add("middle again", false, &corner(108));
    let sockets = outlines.sockets(&mut set, None);
    assert_ne!(sockets.face(low).socket, sockets.face(middle).socket);
}

#[test]
fn points_within_the_tolerance_are_one() {
    let points = [[0, 0], [3, 0], [0, 0], [100, 0], [105, 0]];
    let (outline, became) = Outline::welded(&points, &[[0, 1], [1, 3], [2, 4]], 4);
    assert_eq!(outline.points(), [[2, 0], [100, 0], [105, 0]]);
    assert_eq!(became, [0, 0, 0, 1, 2]);
    assert_eq!(outline.edges(), [[0, 1], [0, 2]]);
}
