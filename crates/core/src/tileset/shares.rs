//! Shares: what part of a map a tile should be, put into weights that the others leave it.

use super::{
    CheckedTile, GREATEST_WEIGHT, LEAST_WEIGHT, Tileset, TilesetError, WEIGHT_UNIT, odd_weight,
    whole_weight,
};
use crate::finding::{Code, Finding, Subject};
use crate::id::{IdVec, TileId};

/// What decimal fractions add up to is off by a little.
const OFF: f64 = 1e-9;

/// What part of a map several tiles should be together.
#[derive(Clone, Debug, PartialEq)]
pub struct GroupShare {
    /// What they are called.
    pub name: String,
    /// The tiles; all parts of those that cover several cells.
    pub tiles: Vec<TileId>,
    /// Their part of the cells, above 0 and below 1.
    pub share: f64,
}

impl Tileset {
    /// The same set with shares of groups, which their tiles have in the proportions of their weights. O(tiles).
    ///
    /// # Errors
    /// When a share is none, a group has no tile, a tile would have two shares, or shares do not add up.
    pub fn with_shares(&self, groups: &[GroupShare]) -> Result<Self, TilesetError> {
        let mut set = self.clone();
        let subject = || Subject::Field("shares".to_owned());
        let only = |finding: Finding| TilesetError { findings: vec![finding] };
        let wrong = |text: String, help: &str| {
            only(Finding::new(Code::BadShare, subject(), text).help(help))
        };
        for GroupShare { name, tiles, share } in groups {
            if let Some(mut finding) = check(name, *share) {
                finding.subject = subject();
                return Err(only(finding));
            }
            let sum: f64 = tiles.iter().map(|&tile| self.tiles[tile].weight as f64).sum();
            if tiles.is_empty() {
                return Err(wrong(
                    format!("no tile has the share of `{name}`"),
                    "name tiles of the set",
                ));
            }
            for &id in tiles {
                let tile = &mut set.tiles[id];
                if tile.share.is_some() {
                    let text = format!("`{}` has two shares", tile.name);
                    return Err(wrong(text, "keep one of them"));
                }
                tile.share = Some((share * (self.tiles[id].weight as f64 / sum)).to_bits());
                tile.share_of = Some(name.clone());
            }
        }
        match settle(&mut set.tiles) {
            None => Ok(set),
            Some(mut finding) => {
                finding.subject = subject();
                Err(only(finding))
            }
        }
    }

    /// The same set with other weights of some tiles; of tiles with several cells the weight of the whole. Shares stay
    /// what they are: picks then go by these weights, and the shares are what the map is due. O(tiles x weights).
    ///
    /// ```
    /// use lantern_quilt_core::lattice::Lattice;
    /// use lantern_quilt_core::tileset::{Socket, Tile, TilesetBuilder};
    ///
    /// let mut set = TilesetBuilder::new(Lattice::Square);
    /// let any = set.socket(Socket::plain("any"));
    /// let lamp = set.tile(Tile::new("lamp").all(any).share(0.1));
    /// set.tile(Tile::new("moss").all(any).weight(9.0));
    /// let set = set.build()?.with_weights(&[(lamp, 3.0)])?;
    /// assert_eq!(set.tiles()[lamp].given_weight(), 3.0);
    /// assert_eq!(set.tiles()[lamp].share(), Some(0.1));
    /// # Ok::<(), lantern_quilt_core::tileset::TilesetError>(())
    /// ```
    ///
    /// # Errors
    /// When a weight is not from 0.000001 to 1 000 000.
    pub fn with_weights(&self, weights: &[(TileId, f64)]) -> Result<Self, TilesetError> {
        let mut set = self.clone();
        let mut findings = Vec::new();
        for &(first, weight) in weights {
            let name = self.tiles[first].name();
            if !(LEAST_WEIGHT..=GREATEST_WEIGHT).contains(&weight) {
                findings.push(odd_weight(Subject::Field("weights".to_owned()), weight));
                continue;
            }
            let parts: Vec<TileId> =
                self.tiles.ids().filter(|&id| self.tiles[id].name() == name).collect();
            let each = whole_weight(weight / parts.len() as f64);
            for id in parts {
                let tile = &mut set.tiles[id];
                if tile.share.is_some() {
                    tile.due.get_or_insert(tile.weight);
                }
                tile.weight = each;
            }
        }
        if findings.is_empty() { Ok(set) } else { Err(TilesetError { findings }) }
    }

    /// As frequent as by weight: a share for every tile. O(tiles).
    #[must_use]
    pub fn with_weights_as_shares(&self) -> Self {
        let mut set = self.clone();
        let all: f64 = self.tiles.iter().map(|tile| tile.weight as f64).sum();
        for id in self.tiles.ids() {
            set.tiles[id].share = Some((self.tiles[id].weight as f64 / all).to_bits());
        }
        set
    }
}

/// Whether a share is one: above 0 and below 1.
pub(super) fn check(name: &str, share: f64) -> Option<Finding> {
    let help = if share <= 0.0 {
        "remove the tile to make it never appear"
    } else if share >= 1.0 {
        "a share of 1 leaves nothing for the other tiles: 0.15 is 15 % of the cells"
    } else if share > 0.0 {
        return None;
    } else {
        "0.15 is 15 % of the cells"
    };
    let text = format!("a share of {share} is not between 0 and 1");
    Some(Finding::new(Code::BadShare, Subject::Tile(name.to_owned()), text).help(help))
}

/// Gives tiles with a share the weight by which they have it, beside those of all others. O(tiles).
pub(super) fn settle(tiles: &mut IdVec<TileId, CheckedTile>) -> Option<Finding> {
    let shares = || tiles.iter().filter_map(|tile| Some((tile, tile.share()?)));
    let sum: f64 = shares().map(|(_, share)| share).sum();
    let (last, _) = shares().next_back()?;
    let others: f64 =
        tiles.iter().filter(|tile| tile.share.is_none()).map(|tile| tile.weight as f64).sum();
    let percent = (sum * 1000.0).round() / 10.0;
    let wrong = match () {
        () if sum > 1.0 + OFF => Some(("", "keep their sum at 1 or below")),
        () if others > 0.0 && sum > 1.0 - OFF => {
            Some((", which leaves nothing for the others", "keep their sum below 1"))
        }
        () if others == 0.0 && sum < 1.0 - OFF => Some((
            ", and there is no tile for the rest",
            "give shares that add up to 1, or leave one tile without",
        )),
        () => None,
    };
    if let Some((more, help)) = wrong {
        let text = format!("the shares add up to {percent} % of the cells{more}");
        let subject = Subject::Tile(last.name.clone());
        return Some(Finding::new(Code::BadShare, subject, text).help(help));
    }
    let all = if others > 0.0 { others / (1.0 - sum) } else { 1000.0 * WEIGHT_UNIT };
    // Past the greatest weight all are smaller by as much.
    let most =
        tiles.iter().map(|tile| tile.share().map_or(tile.weight as f64, |share| share * all));
    let scale = (GREATEST_WEIGHT * WEIGHT_UNIT / most.fold(1.0, f64::max)).min(1.0);
    for id in tiles.ids() {
        let tile = &mut tiles[id];
        let weight = tile.share().map_or(tile.weight as f64, |share| share * all);
        if tile.share.is_some() || scale < 1.0 {
            tile.weight = whole_weight(weight * scale / WEIGHT_UNIT) / 24 * 24;
        }
    }
    None
}
