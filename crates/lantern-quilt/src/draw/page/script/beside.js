// Switches and counts beside the map.
const besideMap = (map, state, signal, changed) => {
  const { data } = map;
  const check = (parent, kind, name, words, note) => {
    const line = document.createElement('label'), input = document.createElement('input');
    input.type = 'checkbox';
    input.checked = !state[kind].has(name);
    input.addEventListener('change', () => { state[kind][input.checked ? 'delete' : 'add'](name); changed(); });
    line.append(input, node('span', words));
    if (note !== undefined) line.append(node('small', note));
    parent.append(line);
  };
  const counted = (names) => {
    const counts = new Map();
    for (const name of names) counts.set(name, (counts.get(name) ?? 0) + 1);
    return [...counts];
  };
  for (const id of ['layers', 'groups', 'passes', 'over', 'marks', 'tallies', 'steps']) by(id).replaceChildren();
  by('title').textContent = data.title;
  by('about').textContent = data.about;
  by('counts').textContent = data.counts;
  const layered = data.view === 'flat' || data.models;
  if (map.terrain) check(by('layers'), 'hidden', 'terrain', 'terrain (ground)');
  for (const layer of map.layers) check(by('layers'), 'hidden', layer.name, layer.name, layer.count);
  if (map.heights && map.heights.shaded && data.view === 'flat') check(by('layers'), 'hidden', 'heights', 'heights');
  const groups = new Set([...data.items.map((item) => item.group), ...map.layers.flatMap((layer) => layer.palette.map((tile) => tile.group))]);
  groups.delete(undefined);
  for (const group of [...groups].sort()) check(by('groups'), 'groups', group, group);
  for (const [pass, count] of counted(data.items.map((item) => item.pass))) check(by('passes'), 'passes', pass, pass || 'no pass', count);
  for (const one of map.hatched) check(by('over'), 'hatched', one.name, `${one.name} (hatched)`, one.count);
  if (data.connectors.length) check(by('over'), 'hatched', 'open connectors', 'open connectors', data.connectors.length);

  // How many there are of each terrain, tile and item.
  const tally = (term, names) => {
    const all = counted(names).sort((a, b) => b[1] - a[1]);
    if (!all.length) return;
    const rest = all.length - 12;
    const more = rest > 0 ? [`and ${rest} more ${rest === 1 ? 'kind' : 'kinds'}`] : [];
    by('tallies').append(node('dt', term), ...[...all.slice(0, 12).map(([name, count]) => `${name} ${count}`), ...more].map((text) => node('dd', text)));
  };
  function* grounds() { for (const number of map.terrain?.cells ?? []) if (number >= 0) yield map.terrain.palette[number]; }
  function* tiles() { for (const layer of map.layers) for (const number of layer.cells) if (number >= 0) yield layer.palette[number].tile; }
  tally('terrain', grounds());
  tally('tiles', tiles());
  tally('items', data.items.filter((item) => map.stands(item)).map((item) => item.name));

  const row = (kind, values) => { const line = document.createElement('tr'); line.append(...values.map((value) => node(kind, value))); return line; };
  const done = data.passes?.some((one) => one.ms !== null || one.cells || one.items);
  by('steps').hidden = by('steps-title').hidden = !done;
  if (done) by('steps').append(row('th', ['pass', 'ms', 'cells', 'items']), ...data.passes.map((one) => row('td', [one.name, one.ms ?? '', one.cells || '', one.items || ''])));

  const marks = by('marks');
  const add = (value, words) => marks.add(new Option(words, value));
  add('', 'no tint');
  for (const tag of map.tags) add(`t:${tag.name}`, `tag ${tag.name} (${tag.count})`);
  for (const plane of map.planes) add(`p:${plane.name}`, `numbers ${plane.name}`);
  if (map.heights) add('h:', 'heights');
  for (const plan of map.plans) add(`l:${plan.name}`, `plan of the pass ${plan.name}`);
  marks.value = state.marks;
  if (marks.selectedIndex < 0) marks.value = state.marks = '';
  const legend = () => {
    const scale = map.planes.find((one) => `p:${one.name}` === marks.value) ?? (marks.value === 'h:' ? map.heights : map.plans.find((one) => `l:${one.name}` === marks.value && !one.palette));
    by('legend').textContent = scale ? `from ${scale.least} (blue, dark) to ${scale.most} (amber, light)` : '';
  };
  legend();
  marks.addEventListener('change', () => { state.marks = marks.value; legend(); changed(); }, { signal });
  for (const [id, some] of [['tallies', layered], ['layers', layered], ['groups', groups.size && layered], ['passes', data.items.length && layered], ['marks', marks.length > 1 && layered]]) {
    by(`${id}-title`).hidden = !some;
    by(id).hidden = !some;
  }
  by('over').hidden = !by('over').children.length || !layered;

  // The levels that are shown of a map of models.
  const cut = data.models && map.levels > 1;
  by('cut').hidden = by('cut-title').hidden = !cut;
  const top = map.low + map.levels - 1;
  state.levels = state.levels && cut ? [Math.max(state.levels[0], map.low), Math.min(state.levels[1], top)] : [map.low, top];
  const ends = [by('lowest'), by('highest')];
  const show = () => ends.forEach((end, n) => { end.value = state.levels[n]; by(`${end.id}-at`).value = state.levels[n]; });
  for (const [n, end] of ends.entries()) {
    [end.min, end.max] = [map.low, top];
    end.addEventListener('input', () => {
      state.levels[n] = Number(end.value);
      state.levels[1 - n] = n ? Math.min(state.levels[0], state.levels[1]) : Math.max(state.levels[0], state.levels[1]);
      show();
      changed();
    }, { signal });
  }
  show();
};
