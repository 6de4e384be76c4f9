// A flat map: it is drawn in square pieces when they are looked at, each at the size it is shown in.
const PIECE = 256; // pixels of a piece, each way
const KEPT = 400; // pieces that are kept
const RAMP = [[255, 214, 120], [226, 140, 52], [150, 82, 66], [86, 66, 104], [52, 62, 120], [38, 48, 92]];
const ZOOMS = [1 / 64, 1 / 32, 1 / 16, 1 / 8, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 1, 2, 3, 4, 6, 8, 12, 16];

// White and amber stripes with a cross, inside of a cell.
const hatch = (context, path, x, y, w, h) => {
  context.save();
  path(context, x, y);
  context.clip();
  context.fillStyle = 'rgba(250,246,236,.85)';
  context.fillRect(x, y, w, h);
  context.strokeStyle = '#f0a028';
  context.lineWidth = Math.max(w, h) / 10;
  for (let at = -h; at < w; at += Math.max(w, h) / 4) {
    context.beginPath();
    context.moveTo(x + at, y + h);
    context.lineTo(x + at + h, y);
    context.stroke();
  }
  context.strokeStyle = '#241810';
  context.lineWidth = Math.max(w, h) / 12;
  for (const [a, b] of [[0, 1], [1, 0]]) {
    context.beginPath();
    context.moveTo(x + w * 0.2, y + h * (a ? 0.8 : 0.2));
    context.lineTo(x + w * 0.8, y + h * (b ? 0.8 : 0.2));
    context.stroke();
  }
  context.restore();
};
const pin = (paper, x, y, grown, words) => {
  paper.font = `${12 * grown}px system-ui, sans-serif`;
  paper.textAlign = 'center';
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
  paper.lineWidth = 3 * grown;
  paper.strokeStyle = '#faf6ec';
  paper.strokeText(words, x, y + 12 * grown);
  paper.fillStyle = '#241810';
  paper.fillText(words, x, y + 12 * grown);
};
// What tints cells: a tag, a plane of numbers, or a plan; null where nothing does.
const markOf = (map, name) => {
  const [kind, own] = [name.slice(0, 1), name.slice(2)];
  if (kind === 't') { const tag = map.tags.find((one) => one.name === own); return tag && ((at) => (tag.has(at) ? 'rgba(246,178,74,.45)' : null)); }
  const scaled = (value, { least, most }, alpha) => {
    const part = (value - least) / Math.max(most - least, 1);
    return `hsla(${240 - 200 * part},80%,${35 + 30 * part}%,${alpha})`;
  };
  if (kind === 'p') { const plane = map.planes.find((one) => one.name === own); return plane && ((at) => (plane.cells[at] === NOTHING ? null : scaled(plane.cells[at], plane, 0.62))); }
  if (kind === 'h') return map.heights && ((at) => scaled(map.heights.cells[at], map.heights, 0.62));
  const plan = kind === 'l' && map.plans.find((one) => one.name === own);
  if (!plan) return null;
  const [w, h] = plan.size;
  return (at, x, y) => {
    const [px, py] = [x - plan.corner[0], y - plan.corner[1]];
    if (px < 0 || py < 0 || px >= w || py >= h) return null;
    const value = plan.cells[py * w + px];
    if (!plan.palette) return scaled(value, plan, 0.6);
    return value >= 0 ? `${plan.colours[value] ?? '#f0a028'}a6` : null;
  };
};

// How what lies flat is moved.
const moved = (state) => ({
  drag: (dx, dy) => { state.x += dx; state.y += dy; },
  key: (dx, dy, far) => { state.x -= dx * (far ? 240 : 60); state.y -= dy * (far ? 240 : 60); },
  zoomed: () => `${Math.round(state.zoom * 100)} %`,
});

// Draws a flat map; `look` asks for another frame.
const flatView = (map, state, look) => {
  const { data, terrain, heights, layers, left, top, columns, rows } = map;
  const [wide, high] = data.cell, [stepX, stepY] = data.step, canvas = by('map');
  const pointy = data.lattice === 'hex_pointy', flatTop = data.lattice === 'hex_flat', hexes = pointy || flatTop;
  const shows = (kind, name) => !state[kind].has(name ?? '');
  const place = (x, y) => [
    (x - left) * stepX + (pointy && y & 1 ? wide >> 1 : 0),
    (y - top) * stepY + (flatTop && x & 1 ? high >> 1 : 0),
  ];
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
  const cellAt = (sx, sy) => {
    const [px, py] = [(sx - state.x) / state.zoom, (sy - state.y) / state.zoom];
    const x = Math.floor(px / stepX) + left, y = Math.floor(py / stepY) + top;
    for (const [dx, dy] of [[0, 0], [-1, 0], [0, -1], [-1, -1], [1, 0], [0, 1], [-1, 1], [1, -1]]) {
      const [cx, cy] = place(x + dx, y + dy);
      if (map.index(x + dx, y + dy) >= 0 && covers(px - cx, py - cy)) return [x + dx, y + dy, map.low];
    }
    return null;
  };
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
  // How far items reach, to find those of a piece.
  const reach = data.items.map((item) => {
    const [w, h] = item.sprite === null ? [140, 40] : data.sprites[item.sprite].size, most = Math.hypot(w, h) * (item.scale ?? 1);
    return [item.at[0] - most, item.at[1] - most, item.at[0] + most, item.at[1] + most];
  });
  const isShown = (item) => map.stands(item) && shows('passes', item.pass) && (item.group === undefined || shows('groups', item.group));
  const drawItem = (context, item, grown = 1) => {
    const { size: [w, h], anchor } = data.sprites[item.sprite];
    context.save();
    context.translate(item.at[0], item.at[1]);
    if (item.turn) context.rotate(item.turn * Math.PI / 180);
    context.scale((item.scale ?? 1) * grown, (item.scale ?? 1) * grown);
    context.drawImage(sprites[item.sprite], -anchor[0], -anchor[1], w, h);
    context.restore();
  };

  // What is growing in: it is not in the pieces yet.
  let fresh = { cells: new Map(), items: new Set(), since: 0 };
  const tileAt = (layer, at) => {
    const number = at < 0 ? -1 : layer.cells[at], tile = number >= 0 ? layer.palette[number] : null;
    return tile && (tile.group === undefined || shows('groups', tile.group)) ? tile : null;
  };

  // A piece is drawn at 1/size of the art's pixels; small cells become the mean colour of their tiles.
  const pieces = new Map();
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
    const cells = (call) => { for (let y = firstY; y < lastY; y++) for (let x = firstX; x < lastX; x++) call(map.index(x, y), x, y); };
    if (terrain && shows('hidden', 'terrain')) {
      cells((at, x, y) => {
        const number = terrain.cells[at];
        if (number >= 0 && terrain.colours[number]) fill(terrain.colours[number], ...place(x, y));
      });
    }
    for (const layer of layers) {
      if (!shows('hidden', layer.name)) continue;
      const [ox, oy] = layer.offset, held = fresh.cells.get(layer);
      for (let y = firstY; y <= lastY; y++) for (let x = firstX; x <= lastX; x++) {
        const at = map.layerIndex(layer, x, y), tile = tileAt(layer, at);
        if (!tile || held?.has(at)) continue;
        const [cx, cy] = place(x, y);
        if (tiny) fill(tile.mean, cx + ox, cy + oy);
        else context.drawImage(sheet, tile.at[0], tile.at[1], wide, high, cx + ox, cy + oy, wide, high);
      }
    }
    if (heights && heights.shaded && shows('hidden', 'heights')) {
      const span = Math.max(heights.most - heights.least, 1);
      cells((at, x, y) => {
        const towards = (heights.cells[at] - heights.least) / span * 2 - 1;
        fill(towards > 0 ? `rgba(255,244,214,${towards * 0.18})` : `rgba(10,12,34,${-towards * 0.18})`, ...place(x, y));
      });
    }
    data.items.forEach((item, number) => {
      const [l, t, r, b] = reach[number];
      if (r < x0 || b < y0 || l > x0 + span || t > y0 + span) return;
      if (item.sprite !== null && !fresh.items.has(item) && isShown(item)) drawItem(context, item);
    });
    const mark = markOf(map, state.marks);
    if (mark) cells((at, x, y) => { const colour = mark(at, x, y); if (colour) fill(colour, ...place(x, y)); });
    for (const one of map.hatched) {
      if (shows('hatched', one.name)) cells((at, x, y) => { if (one.has(at)) hatch(context, outline, ...place(x, y), wide, high); });
    }
    return { piece, bounds: [x0, y0, x0 + span, y0 + span] };
  };
  const forget = (near) => {
    if (!near) pieces.clear();
    else for (const [key, { bounds }] of pieces) if (near.some(([l, t, r, b]) => r >= bounds[0] && b >= bounds[1] && l <= bounds[2] && t <= bounds[3])) pieces.delete(key);
    look();
  };
  // What a step set grows in; what grew before is laid down.
  const boxes = ({ cells, items }) => {
    const all = [...items].map((item) => reach[data.items.indexOf(item)]);
    for (const [layer, own] of cells) for (const at of own) {
      const [x, y] = place(at % layer.size[0] + left, Math.floor(at / layer.size[0]) + top);
      all.push([x - wide, y - high, x + wide * 2, y + high * 2]);
    }
    return all;
  };
  const grow = (step, items) => {
    const before = fresh;
    fresh = { cells: new Map(), items: new Set(items.filter((item) => item.sprite !== null)), since: performance.now() };
    let count = fresh.items.size;
    for (const [cells, at] of step?.patches ?? []) {
      const layer = layers.find((one) => one.cells === cells);
      if (layer) { fresh.cells.set(layer, new Set(at)); count += at.length; }
    }
    const near = step && step.patches.some(([cells]) => cells === terrain?.cells || cells === heights?.cells) ? null : [...boxes(before), ...boxes(fresh)];
    if (count > 1500) fresh = { cells: new Map(), items: new Set(), since: 0 };
    forget(near && near.length < 4000 ? near : null);
  };
  const growing = (paper) => {
    if (!fresh.cells.size && !fresh.items.size) return false;
    const part = Math.min((performance.now() - fresh.since) / 260, 1), size = 1 - (1 - part) ** 2;
    for (const [layer, own] of fresh.cells) {
      if (!shows('hidden', layer.name)) continue;
      for (const at of own) {
        const tile = tileAt(layer, at), [x, y] = place(at % layer.size[0] + left, Math.floor(at / layer.size[0]) + top);
        if (!tile) continue;
        const [w, h] = [wide * size, high * size];
        paper.drawImage(sheet, tile.at[0], tile.at[1], wide, high, x + layer.offset[0] + (wide - w) / 2, y + layer.offset[1] + (high - h) / 2, w, h);
      }
    }
    for (const item of fresh.items) if (isShown(item)) drawItem(paper, item, size);
    if (part < 1) return true;
    // Grown, it takes its place among the others.
    const near = boxes(fresh);
    fresh = { cells: new Map(), items: new Set(), since: 0 };
    forget(near);
    return true;
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
  const label = (paper, ratio) => {
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
  // Open sides, as arrows that point out of them.
  const connectors = (paper) => {
    for (const { cell: [x, y], side } of data.connectors) {
      const [cx, cy] = place(x, y), [dx, dy] = beyond(data.lattice, x, y, side), [nx, ny] = place(x + dx, y + dy);
      const angle = Math.atan2(ny - cy, nx - cx), away = Math.hypot(nx - cx, ny - cy) / 2, size = Math.min(wide, high) / 4;
      paper.save();
      paper.translate(cx + wide / 2 + Math.cos(angle) * away, cy + high / 2 + Math.sin(angle) * away);
      paper.rotate(angle);
      paper.beginPath();
      paper.moveTo(size, 0);
      paper.lineTo(-size / 2, size);
      paper.lineTo(-size / 2, -size);
      paper.closePath();
      paper.fillStyle = '#f0a028';
      paper.strokeStyle = '#241810';
      paper.lineWidth = size / 4;
      paper.fill();
      paper.stroke();
      paper.restore();
    }
  };
  let openness = null;
  const opened = (paper) => {
    paper.imageSmoothingEnabled = false;
    for (let row = 0; row < (hexes ? rows : 1); row++) for (let column = 0; column < (flatTop ? columns : 1); column++) {
      const [x, y] = hexes ? place(flatTop ? column + left : left, row + top) : [0, 0];
      const [w, h] = [flatTop ? 1 : columns, hexes ? 1 : rows];
      paper.drawImage(openness, column, row, w, h, x, y, w * (flatTop ? wide : stepX), h * (hexes ? Math.ceil(stepY) : stepY));
    }
  };

  return {
    place, outline, cellAt, forget, grow,
    ready: Promise.all([sheet, ...sprites].map((image, number) => {
      image.src = number ? data.sprites[number - 1].picture : data.sheet;
      return image.decode().catch(() => {});
    })),
    // How open the cells are of a fill on its way: a picture over the map.
    open: (one) => {
      openness = null;
      if (one && one.size[0] === columns && one.size[1] === rows) {
        const cells = bytesOf(one.cells), image = new ImageData(columns, rows);
        cells.slice(0, columns * rows).forEach((value, at) => {
          const level = Math.max(value, 1) / 255 * (RAMP.length - 1), [r, g, b] = RAMP[Math.min(Math.floor(level), RAMP.length - 1)];
          image.data.set(value ? [r, g, b, 225] : [58, 92, 74, 90], at * 4);
        });
        openness = new OffscreenCanvas(columns, rows);
        openness.getContext('2d').putImageData(image, 0, 0);
      }
      look();
    },
    fit: () => {
      const box = canvas.getBoundingClientRect();
      const most = Math.min(box.width / whole[0], box.height / whole[1]);
      state.zoom = most >= 1 ? Math.floor(most) : most;
      state.x = (box.width - whole[0] * state.zoom) / 2;
      state.y = (box.height - whole[1] * state.zoom) / 2;
    },
    zoomBy: (way, x, y) => {
      const next = way > 0 ? ZOOMS.find((one) => one > state.zoom * 1.01) : ZOOMS.findLast((one) => one < state.zoom * 0.99);
      if (!next) return;
      state.x = x - (x - state.x) * next / state.zoom;
      state.y = y - (y - state.y) * next / state.zoom;
      state.zoom = next;
    },
    ...moved(state),
    end: () => {},
    // Draws a frame; returns whether there is more to draw.
    paint: (paper, ratio, w, h, changed) => {
      paper.fillStyle = '#14162e';
      paper.fillRect(0, 0, w, h);
      const zoom = state.zoom * ratio;
      const size = 2 ** Math.max(0, Math.round(Math.log2(1 / zoom)));
      const shown = PIECE * size * zoom;
      const firstX = Math.max(0, Math.floor(-state.x * ratio / shown)), firstY = Math.max(0, Math.floor(-state.y * ratio / shown));
      const lastX = Math.min(Math.ceil(whole[0] / (PIECE * size)), Math.ceil((w - state.x * ratio) / shown));
      const lastY = Math.min(Math.ceil(whole[1] / (PIECE * size)), Math.ceil((h - state.y * ratio) / shown));
      paper.imageSmoothingEnabled = zoom < 1 || zoom !== Math.round(zoom);
      const began = performance.now();
      let more = false;
      for (let row = firstY; row < lastY; row++) for (let column = firstX; column < lastX; column++) {
        const key = `${size}/${column}/${row}`;
        let one = pieces.get(key);
        // A few pieces a frame, so that moving never waits for them.
        if (!one && performance.now() - began < 12) {
          one = draw(size, column, row);
          pieces.set(key, one);
          if (pieces.size > KEPT) pieces.delete(pieces.keys().next().value);
        }
        if (!one) { more = true; continue; }
        const x = Math.round(state.x * ratio + column * shown), y = Math.round(state.y * ratio + row * shown);
        const x1 = Math.round(state.x * ratio + (column + 1) * shown), y1 = Math.round(state.y * ratio + (row + 1) * shown);
        paper.drawImage(one.piece, x, y, x1 - x, y1 - y);
      }
      paper.setTransform(zoom, 0, 0, zoom, state.x * ratio, state.y * ratio);
      more = growing(paper) || more;
      if (openness) opened(paper);
      if (state.grid && wide * state.zoom > 5) {
        paper.strokeStyle = 'rgba(236,226,200,.4)';
        paper.lineWidth = 1 / zoom;
        eachSeen((x, y) => { outline(paper, ...place(x, y)); paper.stroke(); });
      }
      if (shows('hatched', 'open connectors')) connectors(paper);
      for (const item of data.items) if (item.sprite === null && isShown(item)) pin(paper, ...item.at, 1 / state.zoom, item.number ? `${item.name} ${item.number}` : item.name);
      paper.lineWidth = 2 / state.zoom;
      paper.strokeStyle = '#fff6da';
      for (const [x, y] of changed) { outline(paper, ...place(x, y)); paper.stroke(); }
      if (state.cell) {
        paper.lineWidth = 3 / state.zoom;
        paper.strokeStyle = '#f0a028';
        outline(paper, ...place(state.cell[0], state.cell[1]));
        paper.stroke();
      }
      if (state.numbers) label(paper, ratio);
      return more;
    },
  };
};
