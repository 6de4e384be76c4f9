// A map that follows its quilt.
const live = async () => {
  let shown = null, data = null, before = null, version = 0;
  const at = { map: 0, openness: 0, prints: 0 };
  const token = location.pathname.split('/')[1], headers = { 'X-Lantern-Token': token };
  const post = (path, body = '') => fetch(path, { method: 'POST', headers, body: String(body) });
  const get = async (path) => (await fetch(path)).json();
  const say = (text) => { by('status').textContent = text; };
  const take = (next, kept) => {
    shown?.end();
    shown = show(next, kept);
    return shown.ready;
  };
  const findings = (all) => {
    by('findings').hidden = !all.length;
    by('findings').replaceChildren(...all.map((one) => {
      const box = document.createElement('article');
      box.append(node('h3', `${one.severity}: ${one.message}`));
      const place = one.line ? `${one.file}:${one.line}:${one.column}` : one.file;
      if (place) box.append(node('p', place));
      if (one.text) box.append(node('pre', one.patch ? `- ${one.text}\n+ ${one.patch}` : one.text));
      for (const line of [one.nearest && `did you mean ${one.nearest}?`, one.help]) if (line) box.append(node('p', line));
      return box;
    }));
  };
  const prints = ({ prints: all, due }) => {
    by('prints').hidden = !all.length && !due;
    const close = node('button', 'Close');
    close.addEventListener('click', () => { by('prints').hidden = true; by('map').focus(); });
    const head = document.createElement('div');
    head.append(node('span', due ? `${all.length} of ${all.length + due} seeds` : 'Choose a seed'), close);
    by('prints').replaceChildren(head, ...all.map((one) => {
      const button = node('button', '', { title: one.failure ?? '', className: 'print' });
      if (one.picture) button.append(Object.assign(new Image(), { src: one.picture, alt: '' }));
      button.append(node('span', one.failure ? `${one.seed} (failed)` : one.seed));
      button.addEventListener('click', () => { by('prints').hidden = true; post('seed', one.turn); });
      return button;
    }));
  };
  by('seeds').hidden = false;
  by('variant').addEventListener('change', () => post('variant', by('variant').value));
  by('seed').addEventListener('change', () => post('seed', by('seed').value));
  by('back').addEventListener('click', () => post('seed', 'back'));
  by('next').addEventListener('click', () => post('seed', 'next'));
  by('sheet').addEventListener('click', () => post('prints'));
  by('stop').addEventListener('click', () => post('stop'));
  // The picture of before, as long as a key is held.
  const free = (event) => !/^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName);
  addEventListener('keydown', (event) => { if (event.key === 'b' && before && !event.repeat && free(event)) take(before, shown.state); });
  addEventListener('keyup', (event) => { if (event.key === 'b' && before && free(event)) take(data, shown.state); });
  for (;;) {
    let news;
    try {
      const answer = await fetch(`next?after=${version}`);
      if (!answer.ok) throw new Error(answer.status);
      news = await answer.json();
    } catch {
      say('the program has ended; start it again to continue');
      await new Promise((done) => setTimeout(done, 1500));
      continue;
    }
    version = news.version;
    say(news.status);
    findings(news.findings);
    by('stop').hidden = !news.filling;
    if (news.openness !== at.openness && news.filling) {
      at.openness = news.openness;
      const open = await get('openness');
      // The first map is not there yet.
      if (!shown && open.blank) await take(open.blank);
      shown?.open(open);
    } else if (!news.filling) shown?.open(null);
    if (news.prints !== at.prints) {
      at.prints = news.prints;
      prints(await get('prints'));
    }
    if (news.map === at.map) continue;
    at.map = news.map;
    const next = await get('map');
    next.map = at.map;
    const old = data && shown;
    before = data;
    data = next;
    by('variants').hidden = !next.variants?.length;
    by('variant').replaceChildren(...['', ...(next.variants ?? [])].map((name) => new Option(name || 'none', name)));
    by('variant').value = next.variant ?? '';
    by('seed').replaceChildren(...next.seeds.map(([turn, name]) => new Option(name, turn)));
    by('seed').value = next.turn;
    await take(next, shown?.state);
    const count = old && shown.compare(old);
    if (count !== null && old) say(`${news.status}; ${count} cells changed`);
  }
};
const own = JSON.parse(by('data').textContent);
if (own) show(own);
else live();
