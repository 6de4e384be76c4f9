//! Threads that work in independent pieces: a crew for fills that go block by block.

use lantern_quilt_core::limits::Crew;
use rayon::prelude::*;
use rayon::{ThreadPool, ThreadPoolBuildError, ThreadPoolBuilder};

/// So many threads of its own.
///
/// ```
/// use lantern_quilt::prelude::*;
/// use lantern_quilt::threads::Threads;
/// use std::sync::Arc;
///
/// let rules = Rules::from_pairs(Lattice::Square, &[3, 1], |_, a, b| a == 0 || b == 0)?;
/// let space = Space::new(Layout::flat(Lattice::Square, 200, 200)?);
/// let mut search = Search::default();
/// search.blocks = true;
/// let job = Job::new(&rules, space).search(search);
/// let mut alone = job.clone().begin()?;
/// let mut many = job.crew(Arc::new(Threads::new(2)?)).begin()?;
/// assert!(alone.fill().is_filled() && many.fill().is_filled());
/// let cells = Extent::flat(200, 200)?;
/// assert!(cells.iter().all(|cell| alone.decided(cell) == many.decided(cell)));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Threads(ThreadPool);

impl Threads {
    /// `count` threads; 0 means one for each processor.
    ///
    /// # Errors
    /// When the system gives no threads.
    pub fn new(count: usize) -> Result<Self, ThreadPoolBuildError> {
        ThreadPoolBuilder::new().num_threads(count).build().map(Self)
    }
}

impl Crew for Threads {
    fn each(&self, pieces: usize, piece: &(dyn Fn(usize) + Sync)) {
        // Single pieces, so that no thread waits for a row of them that another holds.
        self.0.install(|| (0..pieces).into_par_iter().with_max_len(1).for_each(piece));
    }
}
