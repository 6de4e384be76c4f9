// Shows a map; gives what shows it now, and what ends that. `kept` is how one looked at another before.
const freshState = () => ({
  zoom: 0, x: 0, y: 0, grid: false, numbers: false, marks: '', cell: null, camera: null, levels: null,
  hidden: new Set(), groups: new Set(), passes: new Set(), hatched: new Set(), view: '',
});
const show = (data, kept) => {
  const gone = new AbortController(), signal = gone.signal, canvas = by('map'), paper = canvas.getContext('2d');
  const map = mapOf(data), state = kept ?? freshState();
  let changed = [], asked = false;
  const look = () => { if (!asked && !signal.aborted) { asked = true; requestAnimationFrame(paint); } };
  const solid = data.view === 'solid' ? solidView(map, state, look) : null;
  const view = data.view === 'flat' ? flatView(map, state, look) : solid ?? pictureView(map, state);
  const pictured = data.view === 'solid' && !solid;
  by('solid').hidden = !solid;
  if (pictured) data.models = null;
  const paint = () => {
    asked = false;
    if (signal.aborted) return;
    const ratio = devicePixelRatio || 1, box = canvas.getBoundingClientRect();
    const [w, h] = [Math.round(box.width * ratio), Math.round(box.height * ratio)];
    if (canvas.width !== w || canvas.height !== h) { canvas.width = w; canvas.height = h; }
    paper.setTransform(1, 0, 0, 1, 0, 0);
    by('zoom').value = view.zoomed();
    const more = view.paint(paper, ratio, w, h, changed);
    if (document.body.dataset.painted !== String(data.map)) document.body.dataset.painted = data.map;
    if (more) look();
  };

  // --- moving about

  const fit = () => { view.fit(); look(); };
  const zoom = (way, x, y) => {
    const box = canvas.getBoundingClientRect();
    view.zoomBy(way, x ?? box.width / 2, y ?? box.height / 2);
    look();
  };
  const tell = () => by('cell').replaceChildren(tellCell(map, state.cell));
  const inspect = (x, y) => {
    if (pictured) return;
    state.cell = view.cellAt(x, y);
    tell();
    look();
  };
  let held = null;
  canvas.addEventListener('pointerdown', (event) => {
    held = { x: event.clientX, y: event.clientY, moved: false, pans: event.button > 0 || event.shiftKey };
    canvas.setPointerCapture(event.pointerId);
  }, { signal });
  canvas.addEventListener('pointermove', (event) => {
    if (!held) return;
    const [dx, dy] = [event.clientX - held.x, event.clientY - held.y];
    if (!held.moved && Math.hypot(dx, dy) < 4) return;
    Object.assign(held, { x: event.clientX, y: event.clientY, moved: true });
    view.drag(dx, dy, held.pans);
    look();
  }, { signal });
  canvas.addEventListener('pointerup', (event) => {
    if (held && !held.moved) {
      const box = canvas.getBoundingClientRect();
      inspect(event.clientX - box.left, event.clientY - box.top);
    }
    held = null;
  }, { signal });
  canvas.addEventListener('contextmenu', (event) => event.preventDefault(), { signal });
  canvas.addEventListener('wheel', (event) => {
    event.preventDefault();
    const box = canvas.getBoundingClientRect();
    zoom(-event.deltaY, event.clientX - box.left, event.clientY - box.top);
  }, { passive: false, signal });
  const press = (key) => {
    state[key] = !state[key];
    by(key).setAttribute('aria-pressed', state[key]);
    look();
  };
  for (const key of ['grid', 'numbers']) by(key).setAttribute('aria-pressed', state[key]);
  by('grid').hidden = by('numbers').hidden = pictured;
  const ways = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  // What a cell holds changes on the way.
  const replay = replayMap(map, view, signal, () => { if (state.cell) tell(); look(); });
  const acts = {
    '+': () => zoom(1), '=': () => zoom(1), '-': () => zoom(-1), 0: fit, g: () => press('grid'), c: () => press('numbers'),
    Enter: () => { const box = canvas.getBoundingClientRect(); inspect(box.width / 2, box.height / 2); }, ...replay,
  };
  canvas.addEventListener('keydown', (event) => {
    const way = ways[event.key];
    if (way) { view.key(...way, event.shiftKey); look(); } else if (acts[event.key]) acts[event.key]();
    else return;
    event.preventDefault();
  }, { signal });
  by('in').addEventListener('click', () => zoom(1), { signal });
  by('out').addEventListener('click', () => zoom(-1), { signal });
  by('fit').addEventListener('click', fit, { signal });
  by('grid').addEventListener('click', () => press('grid'), { signal });
  by('numbers').addEventListener('click', () => press('numbers'), { signal });
  addEventListener('resize', look, { signal });

  // --- beside the map

  besideMap(map, state, signal, () => { view.forget(); look(); });
  if (pictured) {
    by('cell').replaceChildren(node('p', data.stages_left_out === undefined ? '' : 'This browser draws no WebGL 2 (or the map has too many models), so the page shows a picture of the models.'));
    by('replay').hidden = true;
  } else if (data.stages_left_out) by('about').textContent += '; too large to follow pass by pass';
  if (state.cell && map.index(...state.cell) < 0) state.cell = null;
  if (state.cell && !pictured) tell();
  // Another kind of view, or of size, is looked at anew.
  const sort = `${data.view} ${pictured} ${[map.columns, map.rows, map.levels, data.cell]}`;
  const ready = view.ready.then(() => {
    if (state.view !== sort) { state.camera = null; view.fit(); }
    state.view = sort;
    look();
    document.body.dataset.ready = 'yes';
  });

  // --- another map of the same size

  // What stands in a cell, in words: to be compared.
  const words = (x, y, z) => {
    const at = map.index(x, y, z);
    const tiles = map.layers.map((layer) => layer.palette[layer.cells[map.layerIndex(layer, x, y, z)]]?.words);
    return [map.terrain?.palette[map.terrain.cells[at]], map.heights?.cells[at], ...tiles].join('|');
  };
  const things = () => {
    const all = new Map();
    // Running numbers shift when one more is placed: that is no change.
    const seen = (item) => `${item.words.replace(/, number \d+$/, '')} ${item.at} ${item.turn} ${item.scale};`;
    for (const item of data.items) if (item.until === undefined) all.set(`${item.cell}`, (all.get(`${item.cell}`) ?? '') + seen(item));
    return all;
  };
  const size = [map.columns, map.rows, map.levels, map.left, map.top, map.low];
  // The cells that differ; they are outlined for a moment.
  const compare = (before) => {
    if (map.columns * map.rows * map.levels > 300000 || `${before.size}` !== `${size}`) return null;
    const own = things(), other = before.things();
    before.finish();
    for (let z = map.low; z < map.low + map.levels; z++) for (let y = map.top; y < map.top + map.rows; y++) for (let x = map.left; x < map.left + map.columns; x++) {
      if (words(x, y, z) !== before.words(x, y, z) || own.get(`${[x, y, z]}`) !== other.get(`${[x, y, z]}`)) changed.push([x, y, z]);
    }
    const count = changed.length;
    if (count > 4000) changed = [];
    setTimeout(() => { changed = []; look(); }, 1200);
    look();
    return count;
  };
  return { state, ready, words, things, compare, size, open: view.open, finish: () => map.go(map.steps.length), end: () => { gone.abort(); view.end(); } };
};
