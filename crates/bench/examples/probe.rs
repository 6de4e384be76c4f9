use lantern_quilt::prelude::*; use lantern_quilt::files::Quilt; use lantern_quilt_testkit::sets;
fn main(){ let n:u32=std::env::args().nth(2).map_or(512,|v|v.parse().unwrap());
 let which=std::env::args().nth(1).unwrap();
 let mut st=Seed::from_number(3).stream(&["x"]);
 let q=Quilt::open(std::path::Path::new("demos/terrace/terrace.quilt.toml"),None).unwrap();
 let rules=match which.as_str(){ "16"=>sets::all_combinations(Lattice::Square,2),"35"=>Rules::compile(&sets::random_turning(Lattice::Square,11,3,&mut st)).unwrap(),"53"=>Rules::compile(&sets::random_turning(Lattice::Square,16,4,&mut st)).unwrap(),_=>q.collapse.rules().clone()};
 let layout=Layout::flat(Lattice::Square,n,n).unwrap();
 let mut scratch=Default::default();
 for i in 0..5 { let t=std::time::Instant::now();
  let job=if which=="t" {q.collapse.job(layout,&Seed::from_number(i))} else {Job::new(&rules,Space::new(layout)).seed(Seed::from_number(i))};
  let mut run=job.begin_with(scratch).unwrap(); let o=run.fill().is_filled();
  let c=(n*n) as f64; let ta=run.tally();
  println!("{which} {o} {:.1} ns/cell  dec {:.2} bt {}",t.elapsed().as_nanos() as f64/c,ta.decisions as f64/c,ta.backtracks);
  scratch=run.into_scratch(); } }
