'use strict';
// What a page holds of a map, as arrays of numbers, at any step of the way to it.
const by = (id) => document.getElementById(id);
const node = (kind, text, more = {}) => Object.assign(document.createElement(kind), { textContent: text }, more);
const NOTHING = -2147483648;

const bytesOf = (text) => Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
const numbersOf = (text) => new Int32Array(bytesOf(text).buffer);
const floatsOf = (text) => new Float32Array(bytesOf(text).buffer);
const bitsOf = (text) => { const all = bytesOf(text); return (at) => (all[at >> 3] >> (at & 7) & 1) === 1; };

// From a cell to the one beyond a side.
const STRAIGHT = { north: [0, -1, 0], east: [1, 0, 0], south: [0, 1, 0], west: [-1, 0, 0], up: [0, 0, 1], down: [0, 0, -1] };
const OPPOSITE = {
  north: 'south', south: 'north', east: 'west', west: 'east', up: 'down', down: 'up',
  north_east: 'south_west', south_west: 'north_east', north_west: 'south_east', south_east: 'north_west',
};
const beyond = (lattice, x, y, side) => {
  if (lattice === 'hex_pointy' && side.includes('_')) {
    const [down, right] = [side.startsWith('south') ? 1 : -1, side.endsWith('east')];
    return [right ? y & 1 : (y & 1) - 1, down, 0];
  }
  if (lattice === 'hex_flat' && side.includes('_')) {
    const [down, right] = [side.startsWith('south'), side.endsWith('east') ? 1 : -1];
    return [right, down ? x & 1 : (x & 1) - 1, 0];
  }
  return STRAIGHT[side];
};

const mapOf = (data) => {
  const [left, top] = data.origin, [columns, rows] = data.size, { level: low, levels } = data;
  const cellsOf = (one) => one && { ...one, cells: numbersOf(one.cells) };
  const terrain = cellsOf(data.terrain), heights = cellsOf(data.heights);
  const layers = data.layers.map((layer) => ({ ...cellsOf(layer), decided: layer.decided && numbersOf(layer.decided) }));
  const flagged = (one) => ({ name: one.name, count: one.count, has: bitsOf(one.cells) });
  const inside = (x, y, z) => x >= left && y >= top && z >= low && x < left + columns && y < top + rows && z < low + levels;
  const index = (x, y, z = low) => (inside(x, y, z) ? ((z - low) * rows + y - top) * columns + x - left : -1);
  const layerIndex = (layer, x, y, z = low) => {
    const [w, h] = layer.size;
    return x < left || y < top || x >= left + w || y >= top + h || z < low || z >= low + levels ? -1 : ((z - low) * h + y - top) * w + x - left;
  };
  const neighbour = (x, y, z, side) => {
    const [dx, dy, dz] = beyond(data.lattice, x, y, side);
    const turn = (at, from, count, wraps) => (wraps ? from + (((at - from) % count) + count) % count : at);
    const next = [
      turn(x + dx, left, columns, data.wrap[0]), turn(y + dy, top, rows, data.wrap[1]), turn(z + dz, low, levels, data.wrap[2]),
    ];
    return inside(...next) ? next : null;
  };

  // The way to the map, in steps: a pass is one, a fill that kept when each cell was decided is many.
  const steps = [], most = 500;
  data.stages.forEach((stage, number) => {
    const whole = [], sliced = [];
    const patch = (cells, one) => { if (one) whole.push([cells, numbersOf(one.at), numbersOf(one.to)]); };
    patch(terrain?.cells, stage.terrain);
    patch(heights?.cells, stage.heights);
    for (const one of stage.layers) {
      const layer = layers[one.layer], at = numbersOf(one.at), to = numbersOf(one.to);
      if (!layer.decided || at.some((place) => layer.decided[place] < 0)) { whole.push([layer.cells, at, to]); continue; }
      const order = [...at.keys()].sort((a, b) => layer.decided[at[a]] - layer.decided[at[b]]);
      const parts = Math.min(most, order.length);
      for (let part = 0; part < parts; part++) {
        const own = order.slice(Math.floor(part * order.length / parts), Math.floor((part + 1) * order.length / parts));
        sliced.push([layer.cells, Int32Array.from(own, (n) => at[n]), Int32Array.from(own, (n) => to[n])]);
      }
    }
    sliced.forEach((part, n) => steps.push({ stage: number, name: stage.name, part: n + 1, parts: sliced.length, patches: [part] }));
    if (whole.length || !sliced.length) steps.push({ stage: number, name: stage.name, patches: whole, part: 1, parts: 1 });
    steps[steps.length - 1].ends = true;
  });
  const map = {
    data, terrain, heights, layers, left, top, low, columns, rows, levels, index, layerIndex, neighbour, steps,
    tags: data.tags.map(flagged), hatched: data.hatched.map(flagged),
    planes: data.planes.map(cellsOf), plans: data.plans.map(cellsOf),
    step: steps.length,
    // Passes that are done at this step.
    done: data.stages.length,
    stands: (one) => (one.from ?? 0) < Math.max(map.done, 1) && map.done <= (one.until ?? Infinity) && (map.done > 0 || !steps.length),
    // Goes to a step; gives the places in layers, terrain and heights that the last step set.
    go: (step) => {
      if (step < map.step) {
        terrain?.cells.fill(-1);
        heights?.cells.fill(0);
        for (const layer of layers) layer.cells.fill(-1);
        map.step = map.done = 0;
      }
      let last = null;
      for (; map.step < step; map.step++) {
        last = steps[map.step];
        for (const [cells, at, to] of last.patches) for (let n = 0; n < at.length; n++) cells[at[n]] = to[n];
        if (last.ends) map.done = last.stage + 1;
      }
      return last;
    },
  };
  return map;
};

// What may stand in a cell by the poses of its neighbours alone.
const allowed = (map, fill, [x, y, z]) => {
  const layer = map.layers[fill.layer];
  fill.sets ??= fill.tables.map((table) => ({ rows: table.rows.map(bitsOf), rowOf: numbersOf(table.row_of) }));
  const sets = [];
  fill.sides.forEach((side) => {
    const next = map.neighbour(x, y, z, side);
    const number = next ? layer.cells[map.layerIndex(layer, ...next)] : -1;
    const pose = number >= 0 ? layer.palette[number].pose : undefined;
    if (pose === undefined) return;
    const { rows, rowOf } = fill.sets[fill.sides.indexOf(OPPOSITE[side])];
    sets.push(rows[rowOf[pose]]);
  });
  return fill.poses.map((_, pose) => pose).filter((pose) => sets.every((has) => has(pose)));
};
