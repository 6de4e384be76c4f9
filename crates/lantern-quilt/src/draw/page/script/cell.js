// The window of a sample that a cell belongs to, row by row.
const tellWindow = (fill, at, say) => {
  fill.numbers ??= fill.behind ? numbersOf(fill.behind) : [];
  const number = fill.numbers[at] ?? -1;
  if (number < 0) return;
  const { holds, share } = fill.patterns[number], rows = new Map();
  fill.shifts.forEach(([, y, z], n) => rows.set(`${z},${y}`, [...(rows.get(`${z},${y}`) ?? []), holds[n]]));
  say('window', `one of ${fill.patterns.length}, ${share} % of the sample:`, ...[...rows.values()].map((row) => row.join(' | ')));
};

// What a cell holds, and why, beside the map.
const tellCell = (map, cell) => {
  const { data } = map, list = document.createElement('dl'), passes = new Map((data.passes ?? []).map((one) => [one.name, one]));
  const say = (term, ...values) => {
    list.append(node('dt', term), ...values.map((value) => (typeof value === 'string' || typeof value === 'number' ? node('dd', value) : value)));
  };
  // The lines of the quilt behind it, folded.
  const why = new Set();
  const from = (pass) => {
    const one = passes.get(pass);
    if (!one) return [];
    why.add(pass);
    return one.at ? [one.at] : [];
  };
  if (!cell) {
    say('cell', 'outside the map');
    return list;
  }
  const [x, y, z] = cell, at = map.index(x, y, z);
  say('cell', map.levels > 1 ? `${x}, ${y}, level ${z}` : `${x}, ${y}`);
  if (map.terrain && map.terrain.cells[at] >= 0) say('terrain', map.terrain.palette[map.terrain.cells[at]]);
  if (map.heights) say('height', map.heights.cells[at]);
  const own = map.tags.filter((tag) => tag.has(at)).map((tag) => tag.name);
  if (own.length) say('tags', own.join(', '));
  for (const plane of map.planes) if (plane.cells[at] !== NOTHING) say(plane.name, plane.cells[at]);
  map.layers.forEach((layer, number) => {
    const place = map.layerIndex(layer, x, y, z), entry = place < 0 ? -1 : layer.cells[place];
    if (entry < 0) return;
    const tile = layer.palette[entry], when = layer.decided?.[place];
    say(layer.name, tile.words, ...from(tile.pass), ...(when >= 0 ? [`decided as number ${when}`] : []));
    const fill = data.fills.find((one) => one.layer === number);
    if (fill?.patterns) tellWindow(fill, at, say);
    if (!fill || fill.patterns || tile.pose === undefined) return;
    say('sides', ...fill.sides.map((side, n) => `${side.replace('_', '-')}: ${fill.faces[fill.poses[tile.pose].shows[n]]}`));
    const names = allowed(map, fill, cell).map((pose) => fill.poses[pose].name);
    const more = names.length > 10 ? [`and ${names.length - 10} more`] : [];
    say('allowed', `${names.length} of ${fill.poses.length} poses by its neighbours:`, names.slice(0, 10).join('; '), ...more);
  });
  for (const item of data.items) if (map.stands(item) && `${item.cell}` === `${cell}`) say('item', item.words, ...from(item.pass));
  for (const one of data.connectors) if (`${one.cell}` === `${cell}`) say('open side', `${one.side}: ${one.name}${one.piece ? ` of ${one.piece}` : ''}`);
  for (const one of map.hatched) if (one.has(at)) say('marked', one.name);
  const box = document.createElement('div');
  box.append(list);
  for (const name of why) {
    const fold = document.createElement('details');
    fold.append(node('summary', `why: pass ${name}`), node('pre', passes.get(name).text || 'no lines are known'));
    box.append(fold);
  }
  return box;
};
