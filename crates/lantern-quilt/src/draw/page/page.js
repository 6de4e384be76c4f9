'use strict';
// A map in one page: it is drawn in square pieces when they are looked at, each at the size it is shown in.
const by = (id) => document.getElementById(id);
const canvas = by('map'), paper = canvas.getContext('2d');
const PIECE = 256; // pixels of a piece, each way
const KEPT = 400; // pieces that are kept
const NOTHING = -2147483648;

// Shows a map; gives what shows it now, and what ends that. `kept` is where one looked before.
const show = (data, kept) => {
const gone = new AbortController(), signal = gone.signal;
const [wide, high] = data.cell, [stepX, stepY] = data.step, [left, top] = data.origin, [columns, rows] = data.size;
const pointy = data.lattice === 'hex_pointy', flatTop = data.lattice === 'hex_flat', hexes = pointy || flatTop;

// --- what the map holds

const bytes = (text) => Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
const numbers = (text) => new Int32Array(bytes(text).buffer);
const bits = (text) => { const all = bytes(text); return (at) => (all[at >> 3] >> (at & 7) & 1) === 1; };
const terrain = data.terrain && { ...data.terrain, cells: numbers(data.terrain.cells) };
const heights = data.heights && { ...data.heights, cells: numbers(data.heights.cells) };
const layers = data.layers.map((layer) => ({ ...layer, cells: numbers(layer.cells) }));
const tags = data.tags.map((tag) => ({ name: tag.name, has: bits(tag.cells), count: tag.count }));
const planes = data.planes.map((plane) => ({ ...plane, cells: numbers(plane.cells) }));

const place = (x, y) => [
  (x - left) * stepX + (pointy && y & 1 ? wide >> 1 : 0),
  (y - top) * stepY + (flatTop && x & 1 ? high >> 1 : 0),
];
const index = (x, y) => (x < left || y < top || x >= left + columns || y >= top + rows ? -1 : (y - top) * columns + x - left);
const whole = [
  (columns - 1) * stepX + wide + (pointy ? wide >> 1 : 0),
  (rows - 1) * stepY + high + (flatTop ? high >> 1 : 0),
];
// Whether a pixel of a cell's box belongs to the cell.
const covers = (x, y) => {
  if (!hexes) return x >= 0 && y >= 0 && x < wide && y < high;
  const across = pointy ? x : y, along = pointy ? y : x, breadth = pointy ? wide : high, length = pointy ? high : wide;
  const slant = length - (pointy ? stepY : stepX), end = Math.min(along, length - along);
  const away = Math.abs(2 * across - breadth);
  return end >= 0 && away <= breadth && (end >= slant || away * slant <= breadth * end);
};
const cellAt = (px, py) => {
  const x = Math.floor(px / stepX) + left, y = Math.floor(py / stepY) + top;
  for (const [dx, dy] of [[0, 0], [-1, 0], [0, -1], [-1, -1], [1, 0], [0, 1], [-1, 1], [1, -1]]) {
    const [cx, cy] = place(x + dx, y + dy);
    if (index(x + dx, y + dy) >= 0 && covers(px - cx, py - cy)) return [x + dx, y + dy];
  }
  return null;
};

// --- what is shown

const state = kept ?? { zoom: 0, x: 0, y: 0, grid: false, numbers: false, hidden: new Set(), groups: new Set(), passes: new Set(), marks: '', cell: null };
let changed = [];
const shows = (kind, name) => !state[kind].has(name ?? '');
const outline = (context, x, y) => {
  context.beginPath();
  if (!hexes) { context.rect(x, y, wide, high); return; }
  const s = pointy ? high - stepY : wide - stepX;
  const points = pointy
    ? [[wide / 2, 0], [wide, s], [wide, high - s], [wide / 2, high], [0, high - s], [0, s]]
    : [[s, 0], [wide - s, 0], [wide, high / 2], [wide - s, high], [s, high], [0, high / 2]];
  points.forEach(([dx, dy], number) => context[number ? 'lineTo' : 'moveTo'](x + dx, y + dy));
  context.closePath();
};

const sheet = new Image(), sprites = data.sprites.map(() => new Image());
// Items by the pieces of the whole picture that they reach into, at every size of piece.
const reach = data.items.map((item) => {
  const [w, h] = item.sprite === null ? [140, 40] : data.sprites[item.sprite].size, most = Math.hypot(w, h) * (item.scale ?? 1);
  return [item.at[0] - most, item.at[1] - most, item.at[0] + most, item.at[1] + most];
});
const markOf = () => {
  const [kind, name] = [state.marks.slice(0, 1), state.marks.slice(2)];
  if (kind === 't') { const tag = tags.find((one) => one.name === name); return tag && ((at) => (tag.has(at) ? 'rgba(246,178,74,.45)' : null)); }
  if (kind !== 'p') return null;
  const plane = planes.find((one) => one.name === name);
  if (!plane) return null;
  const span = Math.max(plane.most - plane.least, 1);
  return (at) => {
    if (plane.cells[at] === NOTHING) return null;
    const part = (plane.cells[at] - plane.least) / span;
    return `hsla(${240 - 200 * part},80%,${35 + 30 * part}%,.62)`;
  };
};

// A piece is drawn at 1/size of the art's pixels; small cells become the mean colour of their tiles.
const pieces = new Map();
let wanted = [];
const draw = (size, column, row) => {
  const piece = new OffscreenCanvas(PIECE, PIECE), context = piece.getContext('2d');
  const [x0, y0] = [column * PIECE * size, row * PIECE * size], span = PIECE * size;
  context.scale(1 / size, 1 / size);
  context.translate(-x0, -y0);
  context.imageSmoothingEnabled = size > 1;
  const firstX = Math.max(left, Math.floor((x0 - wide * 1.5) / stepX) + left), firstY = Math.max(top, Math.floor((y0 - high * 1.5) / stepY) + top);
  const lastX = Math.min(left + columns, Math.ceil((x0 + span) / stepX) + left + 1), lastY = Math.min(top + rows, Math.ceil((y0 + span) / stepY) + top + 1);
  const tiny = wide / size < 3;
  const fill = (colour, x, y) => {
    context.fillStyle = colour;
    if (tiny || !hexes) context.fillRect(x, y, wide, high);
    else { outline(context, x, y); context.fill(); }
  };
  if (terrain && shows('hidden', 'terrain')) {
    for (let y = firstY; y < lastY; y++) for (let x = firstX; x < lastX; x++) {
      const number = terrain.cells[index(x, y)];
      if (number >= 0 && terrain.colours[number]) fill(terrain.colours[number], ...place(x, y));
    }
  }
  for (const layer of layers) {
    if (!shows('hidden', layer.name)) continue;
    const [ox, oy] = layer.offset, [lw, lh] = layer.size;
    for (let y = firstY; y <= lastY; y++) for (let x = firstX; x <= lastX; x++) {
      if (x - left >= lw || y - top >= lh) continue;
      const number = layer.cells[(y - top) * lw + x - left];
      if (number < 0) continue;
      const tile = layer.palette[number];
      if (tile.group !== undefined && !shows('groups', tile.group)) continue;
      const [cx, cy] = place(x, y);
      if (tiny) fill(tile.mean, cx + ox, cy + oy);
      else context.drawImage(sheet, tile.at[0], tile.at[1], wide, high, cx + ox, cy + oy, wide, high);
    }
  }
  if (heights && heights.shaded && shows('hidden', 'heights')) {
    const span = Math.max(heights.most - heights.least, 1);
    for (let y = firstY; y < lastY; y++) for (let x = firstX; x < lastX; x++) {
      const towards = (heights.cells[index(x, y)] - heights.least) / span * 2 - 1;
      fill(towards > 0 ? `rgba(255,244,214,${towards * 0.18})` : `rgba(10,12,34,${-towards * 0.18})`, ...place(x, y));
    }
  }
  data.items.forEach((item, number) => {
    const [l, t, r, b] = reach[number];
    if (r < x0 || b < y0 || l > x0 + span || t > y0 + span) return;
    if (!shows('passes', item.pass) || (item.group !== undefined && !shows('groups', item.group)) || item.sprite === null) return;
    const { size: [w, h], anchor } = data.sprites[item.sprite];
    context.save();
    context.translate(item.at[0], item.at[1]);
    if (item.turn) context.rotate(item.turn * Math.PI / 180);
    if (item.scale) context.scale(item.scale, item.scale);
    context.drawImage(sprites[item.sprite], -anchor[0], -anchor[1], w, h);
    context.restore();
  });
  const mark = markOf();
  if (mark) {
    for (let y = firstY; y < lastY; y++) for (let x = firstX; x < lastX; x++) {
      const colour = mark(index(x, y));
      if (colour) fill(colour, ...place(x, y));
    }
  }
  return piece;
};
const forget = () => { pieces.clear(); look(); };

let asked = false;
const look = () => { if (!asked && !signal.aborted) { asked = true; requestAnimationFrame(paint); } };
const paint = () => {
  asked = false;
  if (signal.aborted) return;
  const ratio = devicePixelRatio || 1, box = canvas.getBoundingClientRect();
  const [w, h] = [Math.round(box.width * ratio), Math.round(box.height * ratio)];
  if (canvas.width !== w || canvas.height !== h) { canvas.width = w; canvas.height = h; }
  paper.setTransform(1, 0, 0, 1, 0, 0);
  paper.fillStyle = '#14162e';
  paper.fillRect(0, 0, w, h);
  by('zoom').value = `${Math.round(state.zoom * 100)} %`;
  if (data.picture) {
    paper.imageSmoothingEnabled = state.zoom < 1;
    paper.drawImage(sheet, state.x * ratio, state.y * ratio, whole[0] * state.zoom * ratio, whole[1] * state.zoom * ratio);
    return;
  }
  const zoom = state.zoom * ratio;
  const size = 2 ** Math.max(0, Math.round(Math.log2(1 / zoom)));
  const shown = PIECE * size * zoom;
  const firstX = Math.max(0, Math.floor(-state.x * ratio / shown)), firstY = Math.max(0, Math.floor(-state.y * ratio / shown));
  const lastX = Math.min(Math.ceil(whole[0] / (PIECE * size)), Math.ceil((w - state.x * ratio) / shown));
  const lastY = Math.min(Math.ceil(whole[1] / (PIECE * size)), Math.ceil((h - state.y * ratio) / shown));
  paper.imageSmoothingEnabled = zoom < 1 || zoom !== Math.round(zoom);
  const began = performance.now();
  let left = 0;
  for (let row = firstY; row < lastY; row++) for (let column = firstX; column < lastX; column++) {
    const key = `${size}/${column}/${row}`;
    let piece = pieces.get(key);
    // A few pieces a frame, so that moving never waits for them.
    if (!piece && performance.now() - began < 12) {
      piece = draw(size, column, row);
      pieces.set(key, piece);
      if (pieces.size > KEPT) pieces.delete(pieces.keys().next().value);
    }
    if (!piece) { left++; continue; }
    const x = Math.round(state.x * ratio + column * shown), y = Math.round(state.y * ratio + row * shown);
    const x1 = Math.round(state.x * ratio + (column + 1) * shown), y1 = Math.round(state.y * ratio + (row + 1) * shown);
    paper.drawImage(piece, x, y, x1 - x, y1 - y);
  }
  paper.setTransform(zoom, 0, 0, zoom, state.x * ratio, state.y * ratio);
  const near = wide * state.zoom;
  if (state.grid && near > 5) {
    paper.strokeStyle = 'rgba(236,226,200,.4)';
    paper.lineWidth = 1 / zoom;
    eachSeen((x, y) => { outline(paper, ...place(x, y)); paper.stroke(); });
  }
  pins(zoom);
  paper.lineWidth = 2 / state.zoom;
  paper.strokeStyle = '#fff6da';
  for (const [x, y] of changed) { outline(paper, ...place(x, y)); paper.stroke(); }
  if (state.cell) {
    paper.lineWidth = 3 / state.zoom;
    paper.strokeStyle = '#f0a028';
    outline(paper, ...place(...state.cell));
    paper.stroke();
  }
  if (state.numbers) label(ratio);
  if (left) look();
};
const seenBox = () => {
  const box = canvas.getBoundingClientRect();
  const from = [-state.x / state.zoom, -state.y / state.zoom], to = [(box.width - state.x) / state.zoom, (box.height - state.y) / state.zoom];
  return [
    Math.max(left, Math.floor(from[0] / stepX) + left - 1), Math.max(top, Math.floor(from[1] / stepY) + top - 1),
    Math.min(left + columns, Math.ceil(to[0] / stepX) + left + 1), Math.min(top + rows, Math.ceil(to[1] / stepY) + top + 1),
  ];
};
const eachSeen = (call) => {
  const [x0, y0, x1, y1] = seenBox();
  for (let y = y0; y < y1; y++) for (let x = x0; x < x1; x++) call(x, y);
};
const pins = () => {
  const grown = 1 / state.zoom;
  paper.font = `${12 * grown}px system-ui, sans-serif`;
  paper.textAlign = 'center';
  for (const item of data.items) {
    if (item.sprite !== null || !shows('passes', item.pass) || (item.group !== undefined && !shows('groups', item.group))) continue;
    const [x, y] = item.at;
    paper.beginPath();
    paper.moveTo(x, y);
    paper.lineTo(x - 4 * grown, y - 7 * grown);
    paper.arc(x, y - 9 * grown, 4.6 * grown, 2.7, 0.44);
    paper.closePath();
    paper.fillStyle = '#f0a028';
    paper.strokeStyle = '#241810';
    paper.lineWidth = 1.2 * grown;
    paper.fill();
    paper.stroke();
    const words = item.number ? `${item.name} ${item.number}` : item.name;
    paper.lineWidth = 3 * grown;
    paper.strokeStyle = '#faf6ec';
    paper.strokeText(words, x, y + 12 * grown);
    paper.fillStyle = '#241810';
    paper.fillText(words, x, y + 12 * grown);
  }
};
const label = (ratio) => {
  const [x0, y0, x1, y1] = seenBox();
  const every = (step) => [1, 2, 5, 10, 20, 50, 100, 200, 500].find((n) => n * step * state.zoom >= 34) ?? 1000;
  paper.setTransform(ratio, 0, 0, ratio, 0, 0);
  paper.font = '12px system-ui, sans-serif';
  const write = (text, x, y) => {
    paper.lineWidth = 4;
    paper.strokeStyle = '#14162e';
    paper.strokeText(text, x, y);
    paper.fillStyle = '#efe4c8';
    paper.fillText(text, x, y);
  };
  paper.textAlign = 'center';
  for (let x = x0; x < x1; x++) if (x % every(stepX) === 0) write(x, place(x, top)[0] * state.zoom + state.x + wide * state.zoom / 2, 14);
  paper.textAlign = 'left';
  for (let y = y0; y < y1; y++) if (y % every(stepY) === 0) write(y, 5, place(left, y)[1] * state.zoom + state.y + high * state.zoom / 2 + 4);
};

// --- moving about

const fit = () => {
  const box = canvas.getBoundingClientRect();
  const most = Math.min(box.width / whole[0], box.height / whole[1]);
  state.zoom = most >= 1 ? Math.floor(most) : most;
  state.x = (box.width - whole[0] * state.zoom) / 2;
  state.y = (box.height - whole[1] * state.zoom) / 2;
  look();
};
const STEPS = [1 / 64, 1 / 32, 1 / 16, 1 / 8, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 1, 2, 3, 4, 6, 8, 12, 16];
const zoomBy = (way, px, py) => {
  const box = canvas.getBoundingClientRect();
  const [x, y] = [px ?? box.width / 2, py ?? box.height / 2];
  const next = way > 0 ? STEPS.find((one) => one > state.zoom * 1.01) : STEPS.findLast((one) => one < state.zoom * 0.99);
  if (!next) return;
  state.x = x - (x - state.x) * next / state.zoom;
  state.y = y - (y - state.y) * next / state.zoom;
  state.zoom = next;
  look();
};
let held = null;
canvas.addEventListener('pointerdown', (event) => {
  held = { x: event.clientX, y: event.clientY, moved: false };
  canvas.setPointerCapture(event.pointerId);
}, { signal });
canvas.addEventListener('pointermove', (event) => {
  if (!held) return;
  const [dx, dy] = [event.clientX - held.x, event.clientY - held.y];
  if (!held.moved && Math.hypot(dx, dy) < 4) return;
  held = { x: event.clientX, y: event.clientY, moved: true };
  state.x += dx;
  state.y += dy;
  look();
}, { signal });
canvas.addEventListener('pointerup', (event) => {
  if (held && !held.moved) {
    const box = canvas.getBoundingClientRect();
    inspect(event.clientX - box.left, event.clientY - box.top);
  }
  held = null;
}, { signal });
canvas.addEventListener('wheel', (event) => {
  event.preventDefault();
  const box = canvas.getBoundingClientRect();
  zoomBy(-event.deltaY, event.clientX - box.left, event.clientY - box.top);
}, { passive: false, signal });
const press = (button, key) => {
  state[key] = !state[key];
  by(button).setAttribute('aria-pressed', state[key]);
  look();
};
canvas.addEventListener('keydown', (event) => {
  const box = canvas.getBoundingClientRect(), step = event.shiftKey ? 240 : 60;
  const moves = { ArrowLeft: [step, 0], ArrowRight: [-step, 0], ArrowUp: [0, step], ArrowDown: [0, -step] };
  const acts = {
    '+': () => zoomBy(1), '=': () => zoomBy(1), '-': () => zoomBy(-1), 0: fit,
    g: () => press('grid', 'grid'), c: () => press('numbers', 'numbers'),
    Enter: () => inspect(box.width / 2, box.height / 2),
  };
  const move = moves[event.key];
  if (move) { state.x += move[0]; state.y += move[1]; look(); } else if (acts[event.key]) acts[event.key]();
  else return;
  event.preventDefault();
}, { signal });
by('in').addEventListener('click', () => zoomBy(1), { signal });
by('out').addEventListener('click', () => zoomBy(-1), { signal });
by('fit').addEventListener('click', fit, { signal });
by('grid').addEventListener('click', () => press('grid', 'grid'), { signal });
by('numbers').addEventListener('click', () => press('numbers', 'numbers'), { signal });
addEventListener('resize', look, { signal });

// --- a cell

const inspect = (px, py) => {
  if (data.picture) return;
  state.cell = cellAt((px - state.x) / state.zoom, (py - state.y) / state.zoom);
  tell();
  look();
};
// The line of the quilt of a pass, where the page knows it.
const from = (pass) => (data.passes ?? []).filter((one) => one.name === pass && one.at).map((one) => one.at);
const tell = () => {
  const list = document.createElement('dl');
  const say = (term, ...values) => {
    const dt = document.createElement('dt');
    dt.textContent = term;
    list.append(dt);
    for (const value of values) {
      const dd = document.createElement('dd');
      dd.textContent = value;
      list.append(dd);
    }
  };
  if (state.cell) {
    const [x, y] = state.cell, at = index(x, y);
    say('cell', `${x}, ${y}`);
    if (terrain && terrain.cells[at] >= 0) say('terrain', terrain.palette[terrain.cells[at]]);
    if (heights) say('height', heights.cells[at]);
    const own = tags.filter((tag) => tag.has(at)).map((tag) => tag.name);
    if (own.length) say('tags', own.join(', '));
    for (const plane of planes) if (plane.cells[at] !== NOTHING) say(plane.name, plane.cells[at]);
    for (const layer of layers) {
      const number = layer.cells[(y - top) * layer.size[0] + x - left];
      if (number >= 0) say(layer.name, layer.palette[number].words, ...from(layer.palette[number].pass));
    }
    for (const item of data.items) if (item.cell[0] === x && item.cell[1] === y) say('item', item.words, ...from(item.pass));
  } else say('cell', 'outside the map');
  by('cell').replaceChildren(list);
};

// --- beside the map

const check = (parent, kind, name, words, note) => {
  const line = document.createElement('label'), input = document.createElement('input'), text = document.createElement('span');
  input.type = 'checkbox';
  input.checked = !state[kind].has(name);
  input.addEventListener('change', () => { state[kind][input.checked ? 'delete' : 'add'](name); forget(); });
  text.textContent = words;
  line.append(input, text);
  if (note !== undefined) {
    const small = document.createElement('small');
    small.textContent = note;
    line.append(small);
  }
  parent.append(line);
};
const counted = (names) => {
  const counts = new Map();
  for (const name of names) counts.set(name, (counts.get(name) ?? 0) + 1);
  return [...counts];
};
for (const id of ['layers', 'groups', 'passes', 'marks']) by(id).replaceChildren();
by('title').textContent = data.title;
by('about').textContent = data.about;
by('counts').textContent = data.counts;
if (data.picture) {
  by('cell').replaceChildren(Object.assign(document.createElement('p'), { textContent: 'This page shows a picture of the models.' }));
  by('grid').hidden = by('numbers').hidden = true;
}
if (terrain) check(by('layers'), 'hidden', 'terrain', 'terrain (ground)');
for (const layer of layers) check(by('layers'), 'hidden', layer.name, layer.name, layer.count);
if (heights && heights.shaded) check(by('layers'), 'hidden', 'heights', 'heights');
const groups = new Set([...data.items.map((item) => item.group), ...layers.flatMap((layer) => layer.palette.map((tile) => tile.group))]);
groups.delete(undefined);
for (const group of [...groups].sort()) check(by('groups'), 'groups', group, group);
for (const [pass, count] of counted(data.items.map((item) => item.pass))) check(by('passes'), 'passes', pass, pass || 'no pass', count);
// How many there are of each terrain, tile and item.
const tallies = by('tallies');
tallies.replaceChildren();
const tally = (term, names) => {
  const all = counted(names).sort((a, b) => b[1] - a[1]);
  if (!all.length) return;
  const more = all.length > 12 ? [`and ${all.length - 12} kinds more`] : [];
  const values = [...all.slice(0, 12).map(([name, count]) => `${name} ${count}`), ...more];
  tallies.append(Object.assign(document.createElement('dt'), { textContent: term }));
  for (const value of values) tallies.append(Object.assign(document.createElement('dd'), { textContent: value }));
};
function* grounds() { for (const number of terrain?.cells ?? []) if (number >= 0) yield terrain.palette[number]; }
function* tiles() { for (const layer of layers) for (const number of layer.cells) if (number >= 0) yield layer.palette[number].tile; }
tally('terrain', grounds());
tally('tiles', tiles());
tally('items', data.items.map((item) => item.name));
// What each pass did, where the page is told so.
const steps = by('steps'), row = (kind, values) => {
  const line = document.createElement('tr');
  line.append(...values.map((value) => Object.assign(document.createElement(kind), { textContent: value })));
  return line;
};
steps.replaceChildren();
steps.hidden = by('steps-title').hidden = !data.passes;
if (data.passes) steps.append(row('th', ['pass', 'ms', 'cells', 'items']), ...data.passes.map((one) => row('td', [one.name, one.ms ?? '', one.cells || '', one.items || ''])));
for (const [id, some] of [['tallies', !data.picture], ['layers', !data.picture], ['groups', groups.size], ['passes', data.items.length], ['marks', tags.length + planes.length]]) {
  by(`${id}-title`).hidden = !some;
  by(id).hidden = !some;
}
const marks = by('marks');
for (const [value, words] of [
  ['', 'none'], ...tags.map((tag) => [`t:${tag.name}`, `tag ${tag.name} (${tag.count})`]), ...planes.map((plane) => [`p:${plane.name}`, `numbers ${plane.name}`]),
]) marks.add(new Option(words, value));
marks.value = state.marks;
marks.addEventListener('change', () => {
  state.marks = marks.value;
  const plane = planes.find((one) => `p:${one.name}` === marks.value);
  by('legend').textContent = plane ? `from ${plane.least} (blue, dark) to ${plane.most} (amber, light)` : '';
  forget();
}, { signal });

if (state.cell && index(...state.cell) < 0) state.cell = null;
if (state.cell) tell();
const ready = Promise.all([sheet, ...sprites].map((image, number) => {
  image.src = number ? data.sprites[number - 1].picture : data.sheet;
  return image.decode().catch(() => {});
})).then(() => {
  if (!state.zoom) fit();
  look();
  document.body.dataset.ready = 'yes';
});
// What stands in a cell, in words: to be compared with another map.
const words = (x, y) => {
  const at = index(x, y);
  const tiles = layers.map((layer) => layer.palette[layer.cells[(y - top) * layer.size[0] + x - left]]?.words);
  return [terrain?.palette[terrain.cells[at]], heights?.cells[at], ...tiles].join('|');
};
const things = () => {
  const all = new Map();
  // Running numbers shift when one more is placed: that is no change.
  const seen = (item) => `${item.name} ${item.at} ${item.turn} ${item.scale} ${item.pass};`;
  for (const item of data.items) all.set(`${item.cell}`, (all.get(`${item.cell}`) ?? '') + seen(item));
  return all;
};
// The cells that differ from a map of the same size; they are outlined for a moment.
const compare = (before) => {
  if (data.picture || columns * rows > 300000 || `${before.size}` !== `${[columns, rows, left, top]}`) return null;
  const own = things(), other = before.things();
  for (let y = top; y < top + rows; y++) for (let x = left; x < left + columns; x++) {
    if (words(x, y) !== before.words(x, y) || own.get(`${[x, y]}`) !== other.get(`${[x, y]}`)) changed.push([x, y]);
  }
  const count = changed.length;
  if (count > 4000) changed = [];
  setTimeout(() => { changed = []; look(); }, 1200);
  look();
  return count;
};
return { state, ready, words, things, compare, size: [columns, rows, left, top], end: () => gone.abort() };
};

// --- a map that follows its quilt

const live = async () => {
  let shown = null, data = null, before = null, version = 0, map = 0;
  const token = location.pathname.split('/')[1], headers = { 'X-Lantern-Token': token };
  const say = (text) => { by('status').textContent = text; };
  const take = (next, kept) => {
    shown?.end();
    shown = show(next, kept);
    return shown.ready;
  };
  const findings = (all) => {
    by('findings').hidden = !all.length;
    by('findings').replaceChildren(...all.map((one) => {
      const box = document.createElement('article'), head = document.createElement('h3');
      head.textContent = `${one.severity}: ${one.message}`;
      const lines = [one.line ? `${one.file}:${one.line}:${one.column}` : one.file, one.nearest && `did you mean ${one.nearest}?`, one.help];
      box.append(head, ...lines.filter(Boolean).map((line) => Object.assign(document.createElement('p'), { textContent: line })));
      return box;
    }));
  };
  const reseed = (way) => fetch('seed', { method: 'POST', headers, body: way });
  by('seeds').hidden = false;
  by('variant').addEventListener('change', () => fetch('variant', { method: 'POST', headers, body: by('variant').value }));
  by('back').addEventListener('click', () => reseed('back'));
  by('next').addEventListener('click', () => reseed('next'));
  // The picture of before, as long as a key is held.
  addEventListener('keydown', (event) => { if (event.key === 'b' && before && !event.repeat) take(before, shown.state); });
  addEventListener('keyup', (event) => { if (event.key === 'b' && before) take(data, shown.state); });
  for (;;) {
    let news;
    try {
      const answer = await fetch(`next?after=${version}`);
      if (!answer.ok) throw new Error(answer.status);
      news = await answer.json();
    } catch {
      say('the program has ended; start it again to go on');
      await new Promise((done) => setTimeout(done, 1500));
      continue;
    }
    version = news.version;
    say(news.status);
    findings(news.findings);
    if (news.map === map) continue;
    map = news.map;
    const next = await (await fetch('map')).json();
    const old = shown;
    before = data;
    data = next;
    by('variants').hidden = !next.variants?.length;
    by('variant').replaceChildren(...['', ...(next.variants ?? [])].map((name) => new Option(name || 'none', name)));
    by('variant').value = next.variant ?? '';
    await take(next, old?.state);
    const count = old && shown.compare(old);
    if (count !== null && old) say(`${news.status}; ${count} cells changed`);
  }
};
const own = JSON.parse(by('data').textContent);
if (own) show(own);
else live();
