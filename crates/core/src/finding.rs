//! What we say to the artist, as data: code, severity, subject, help, nearest name.
//!
//! Core makes findings about models built in code as well as from files; it knows no files. The
//! `files` module of the outer crate maps a [`Subject`] to source and byte range, and the tool
//! renders the result. A finding never decides anything: it only says.

use crate::lattice::{Cell, Side};
use std::fmt;

/// How bad it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Severity {
    /// Worth knowing.
    Note,
    /// The job can be done, but probably not as meant.
    Warning,
    /// The job cannot be done.
    Error,
}

impl Severity {
    /// `note`, `warning` or `error`.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Note => "note",
            Self::Warning => "warning",
            Self::Error => "error",
        }
    }
}

macro_rules! codes {
    ($($(#[doc = $doc:literal])* $name:ident = $text:literal, $severity:ident;)*) => {
        /// What kind of finding it is; the text form is stable.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        #[non_exhaustive]
        pub enum Code { $($(#[doc = $doc])* $name,)* }

        impl Code {
            /// Every code.
            pub const ALL: &'static [Self] = &[$(Self::$name,)*];

            /// The stable kebab-case text.
            pub const fn text(self) -> &'static str {
                match self { $(Self::$name => $text,)* }
            }

            /// How bad a finding of this kind is.
            pub const fn severity(self) -> Severity {
                match self { $(Self::$name => Severity::$severity,)* }
            }

            /// One sentence on what it means.
            pub fn meaning(self) -> &'static str {
                match self { $(Self::$name => concat!($($doc),*).trim_ascii(),)* }
            }
        }
    };
}

codes! {
    /// The file cannot be read.
    UnreadableFile = "unreadable-file", Error;
    /// The file is not UTF-8 text.
    NotText = "not-text", Error;
    /// Files that include each other.
    IncludeCircle = "include-circle", Error;
    /// The text is not TOML.
    NotToml = "not-toml", Error;
    /// A key that this place does not know.
    UnknownKey = "unknown-key", Error;
    /// A key that must be there is not.
    MissingKey = "missing-key", Error;
    /// A value of the wrong kind, or out of its range.
    BadValue = "bad-value", Error;
    /// The quilt is of a version this program does not read.
    UnsupportedVersion = "unsupported-version", Error;
    /// A name that nothing has.
    UnknownName = "unknown-name", Error;
    /// Two things of one kind have the same name.
    DuplicateName = "duplicate-name", Error;
    /// A side that cells of this lattice do not have.
    UnknownSide = "unknown-side", Error;
    /// A side of a tile that was left open.
    MissingSide = "missing-side", Error;
    /// A handed socket without left or right, or a plain one with it.
    WrongHand = "wrong-hand", Error;
    /// A number of turns the lattice cannot make.
    BadTurns = "bad-turns", Error;
    /// A weight that is not a positive number in range.
    BadWeight = "bad-weight", Error;
    /// A size that a map cannot have.
    BadSize = "bad-size", Error;
    /// Something that this version does not do yet.
    NotYet = "not-yet", Error;
    /// A picture file that is not there.
    MissingArt = "missing-art", Error;
    /// A picture file that cannot be read as PNG, or is too large.
    BadPicture = "bad-picture", Error;
    /// A picture that is not of the size of a cell.
    PictureSize = "picture-size", Error;
    /// A cell that lies outside its sheet.
    CellOutsideSheet = "cell-outside-sheet", Error;
    /// A model file that is not there.
    MissingModel = "missing-model", Error;
    /// A model that cannot be read, or is too large.
    BadModel = "bad-model", Error;
    /// A tile without a model in a set of models: it is drawn as a block.
    NoModel = "no-model", Note;
    /// A model that leaves its cell.
    ModelOverhang = "model-overhang", Warning;
    /// How models stand in their cells was guessed from their size.
    ModelPlacing = "model-placing", Note;
    /// Something of a model was left out or made.
    ModelRemark = "model-remark", Note;
    /// A path that leaves the folder of the quilt.
    PathOutside = "path-outside", Error;
    /// A set without a tile.
    NoTiles = "no-tiles", Error;
    /// More poses than the solver can hold.
    TooManyPoses = "too-many-poses", Error;
    /// A side of a tile that no other tile fits.
    NothingFits = "nothing-fits", Warning;
    /// A tile without sides that no sample or list shows beside anything.
    UnseenTile = "unseen-tile", Warning;
    /// A socket that no tile carries.
    UnusedSocket = "unused-socket", Warning;
    /// A tile in one pose stands in a sample that is turned, and would look different if it turned too.
    StillTile = "still-tile", Warning;
    /// Tiles that count as one for learning, to no effect.
    IdleAlike = "idle-alike", Warning;
    /// A cell of a sheet that no tile shows.
    UnusedArt = "unused-art", Note;
    /// A tile whose picture is empty.
    EmptyArt = "empty-art", Warning;
    /// Two tiles that look the same.
    SameArt = "same-art", Warning;
    /// Pairs that one list allows and another forbids.
    ListsDisagree = "lists-disagree", Warning;
    /// A list of pairs that changes nothing.
    IdleList = "idle-list", Warning;
    /// A side whose picture does not show the socket that it is labelled with.
    OddSide = "odd-side", Warning;
    /// A list that allows a pair whose pictures do not meet.
    OddPair = "odd-pair", Warning;
    /// A tile that stands only as drawn where the others of the set turn.
    NoTurns = "no-turns", Warning;
    /// Sides whose pixels would meet but for a few.
    NearMatch = "near-match", Warning;
    /// Sides of models whose outlines would meet but for a few points.
    NearOutline = "near-outline", Warning;
    /// Outlines within the tolerance of a third and not of each other, so that they are compared exactly.
    ChainedOutlines = "chained-outlines", Warning;
    /// Points of a model that nearly lie in the plane of a side.
    OffPlane = "off-plane", Warning;
    /// A model that goes through the plane of a side that is read from its geometry.
    CrossedSide = "crossed-side", Warning;
    /// A look whose model shows another outline than the first look.
    LookOutline = "look-outline", Warning;
    /// Smooth models whose normals differ where they meet.
    Crease = "crease", Warning;
    /// A tile that can never stand away from the edge of a map.
    NeverInside = "never-inside", Warning;
    /// A pose that cannot be surrounded on all sides.
    NoSurrounding = "no-surrounding", Warning;
    /// Tiles that can never share a map with the others.
    SeparateGroup = "separate-group", Warning;
    /// Sides that cells needed in trial fills and no tile offers.
    MissingPiece = "missing-piece", Warning;
    /// Windows of a pattern that can stand only at the edge of a map.
    EdgeWindows = "edge-windows", Warning;
    /// Turns or a mirror of a sample that add no window to its pattern.
    IdleTurns = "idle-turns", Warning;
    /// A pattern whose trial maps are one block of cells over and over.
    OnlyRepeats = "only-repeats", Warning;
    /// A pattern that no fill goes by.
    IdlePattern = "idle-pattern", Warning;
    /// A tile, socket or terrain that came up in no trial map.
    NeverCame = "never-came-up", Warning;
    /// Row by row, maps of this set fill at any size without getting stuck.
    NeverStuck = "never-stuck", Note;
    /// Row by row, trial fills get stuck no more often than today, and take less time.
    TryRows = "try-rows", Note;
    /// An accepted finding that does not occur.
    IdleAccept = "idle-accept", Warning;
    /// A border rule that no tile can meet.
    BorderUnmet = "border-unmet", Error;
    /// A count that no map of this size can meet.
    CountUnmet = "count-unmet", Error;
    /// A tile that is to hang together with others and cannot.
    CutOff = "cut-off", Warning;
    /// Nothing can stand where a piece is to begin, or there is nothing to spread from.
    NoStart = "no-start", Error;
    /// A map that no fill can begin: its size, borders, pins and limits leave a cell nothing.
    NoRoom = "no-room", Error;
    /// A colour or letter of a plan or guide that means nothing.
    OffKey = "off-key", Error;
    /// A pass looks for what no pass before it makes, or comes before there is any ground.
    PassOrder = "pass-order", Warning;
    /// A path names no value of the quilt.
    UnknownPath = "unknown-path", Error;
    /// Things must keep farther apart than the map is long.
    PlaceTooWide = "place-too-wide", Warning;
    /// A pass placed fewer things than the quilt demands.
    TooFewPlaced = "too-few-placed", Error;
    /// A pass placed fewer things than the quilt asks for, with `wished`.
    FewerThanWished = "fewer-than-wished", Warning;
    /// Targets that no way of a `route` pass leads to.
    NotReached = "not-reached", Error;
    /// An expectation that a finished map does not meet.
    Unmet = "unmet", Error;
    /// Trial maps none of which meets what the recipe demands.
    NeverHolds = "never-holds", Error;
    /// Trial maps some of which do not meet what the recipe demands.
    SometimesFails = "sometimes-fails", Warning;
    /// A pass that changed nothing.
    DidNothing = "did-nothing", Warning;
    /// A plan that reaches past the map.
    PlanCut = "plan-cut", Warning;
    /// Shares that may add up to more than there is.
    ShareCut = "share-cut", Warning;
    /// A share that is not between 0 and 1, or shares that do not add up.
    BadShare = "bad-share", Error;
    /// A tile whose share in trial maps is not the one it should have.
    OffShare = "off-share", Warning;
    /// A set so tight that its maps repeat a small fill.
    Repeating = "repeating", Warning;
    /// A neighbourhood that no shape of a set is for.
    MissingShape = "missing-shape", Warning;
    /// Two tiles that are for the same neighbourhood.
    DoubledShape = "doubled-shape", Warning;
    /// A shape that no neighbourhood leads to.
    UnreachableShape = "unreachable-shape", Warning;
    /// A shape whose picture looks like another one.
    OddShape = "odd-shape", Warning;
    /// A pin or mask that lies outside the map.
    OutsideMap = "outside-map", Error;
}

impl fmt::Display for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.text())
    }
}

/// What a finding is about.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Subject {
    /// The whole project.
    Quilt,
    /// A tile, by name.
    Tile(String),
    /// One side of a tile.
    TileSide(String, Side),
    /// A socket, by name.
    Socket(String),
    /// A tag, by name.
    Tag(String),
    /// A setting, by its dotted path.
    Field(String),
    /// A cell of a map.
    Cell(Cell),
    /// A piece that is missing, by what it shows.
    Piece(String),
}

impl fmt::Display for Subject {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Quilt => f.write_str("quilt"),
            Self::Tile(name) => write!(f, "tiles.{name}"),
            Self::TileSide(name, side) => write!(f, "tiles.{name}.sides.{side}"),
            Self::Socket(name) => write!(f, "sockets.{name}"),
            Self::Tag(name) => write!(f, "tag {name}"),
            Self::Field(path) => f.write_str(path),
            Self::Cell(cell) => write!(f, "cell {cell}"),
            Self::Piece(sides) => write!(f, "piece {sides}"),
        }
    }
}

/// One thing to say, with its place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Finding {
    /// What kind.
    pub code: Code,
    /// About what.
    pub subject: Subject,
    /// One sentence: what was found.
    pub message: String,
    /// What to do next; may be empty.
    pub help: String,
    /// The nearest valid name, to put in place of what was written.
    pub nearest: Option<String>,
    /// What it lists, when it is about several places of its subject: cells, shapes, neighbourhoods.
    pub places: Vec<String>,
}

impl Finding {
    /// A finding without help.
    pub fn new(code: Code, subject: Subject, message: impl Into<String>) -> Self {
        Self {
            code,
            subject,
            message: message.into(),
            help: String::new(),
            nearest: None,
            places: Vec::new(),
        }
    }

    /// The same with help.
    #[must_use]
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = help.into();
        self
    }

    /// The same about some places of its subject.
    #[must_use]
    pub fn at<P: Into<String>>(mut self, places: impl IntoIterator<Item = P>) -> Self {
        self.places = places.into_iter().map(Into::into).collect();
        self
    }

    /// The same with the nearest of `names` to `written`, and the allowed names as help.
    #[must_use]
    pub fn among<'a>(mut self, written: &str, names: impl IntoIterator<Item = &'a str>) -> Self {
        let names: Vec<&str> = names.into_iter().collect();
        self.nearest = nearest(written, names.iter().copied()).map(str::to_owned);
        if self.help.is_empty() {
            self.help = allowed(&names);
        }
        self
    }

    /// How bad it is.
    pub const fn severity(&self) -> Severity {
        self.code.severity()
    }
}

impl fmt::Display for Finding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { code, subject, message, help, nearest, .. } = self;
        write!(f, "{}[{code}] {subject}: {message}", code.severity().name())?;
        if let Some(name) = nearest {
            write!(f, "; did you mean `{name}`?")?;
        }
        if help.is_empty() { Ok(()) } else { write!(f, " ({help})") }
    }
}

/// A sentence that lists what is allowed, at most a dozen names.
pub fn allowed(names: &[&str]) -> String {
    const SHOWN: usize = 12;
    let list = |names: &[&str]| {
        names.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", ")
    };
    match names.len() {
        0 => "nothing is defined here yet".to_owned(),
        1 => format!("allowed here: {}", list(names)),
        n if n <= SHOWN => format!("allowed here: {}", list(names)),
        n => format!("allowed here: {} and {} more", list(&names[..SHOWN]), n - SHOWN),
    }
}

/// The name closest to `written` by Damerau-Levenshtein distance, if it is close enough to help.
///
/// Of equals the one that begins most like it wins, then the first. Names over 80 characters are not
/// compared. O(names x length^2).
pub fn nearest<'a>(written: &str, names: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    const LONGEST: usize = 80;
    let length = written.chars().count();
    if length > LONGEST {
        return None;
    }
    let reach = (length / 3).max(2).min(length);
    names
        .into_iter()
        .filter(|name| name.len() <= LONGEST * 4)
        .map(|name| (strsim::damerau_levenshtein(written, name), name))
        .filter(|&(distance, _)| distance <= reach && distance < length.max(1))
        .min_by_key(|&(distance, name)| {
            let alike = written.chars().zip(name.chars()).take_while(|(a, b)| a == b).count();
            (distance, std::cmp::Reverse(alike))
        })
        .map(|(_, name)| name)
}
