// The way to the map: a slider through passes, and through fills that kept when each cell was decided.
const replayMap = (map, view, signal, look) => {
  const { steps, data } = map, bar = by('step');
  by('replay').hidden = steps.length < 2;
  bar.max = bar.value = steps.length;
  let timer = null;
  const calm = matchMedia('(prefers-reduced-motion: reduce)').matches;
  const say = () => {
    const last = steps[map.step - 1];
    by('at').value = !last ? `0 of ${data.stages.length}: nothing yet`
      : `${last.stage + 1} of ${data.stages.length}: ${last.name}${last.parts > 1 ? `, ${Math.round(last.part / last.parts * 100)} %` : ''}`;
    bar.value = map.step;
    bar.setAttribute('aria-valuetext', by('at').value);
  };
  const go = (step, grows) => {
    const before = map.done, last = map.go(Math.min(Math.max(step, 0), steps.length));
    if (grows && last && !calm) view.grow(last, map.done > before ? data.items.filter((item) => (item.from ?? 0) === map.done - 1) : []);
    else { view.grow(null, []); view.forget(); }
    say();
    look();
  };
  const pause = () => {
    clearTimeout(timer);
    timer = null;
    by('play').setAttribute('aria-pressed', false);
    by('play').textContent = 'Play';
  };
  // A pass takes about a second, a fill about six, whatever its size.
  const next = () => {
    if (map.step >= steps.length) return pause();
    go(map.step + 1, true);
    const { parts } = steps[Math.min(map.step, steps.length - 1)];
    timer = setTimeout(next, Math.max(parts > 1 ? 6000 / parts : 1000, 16) / Number(by('speed').value));
  };
  const play = () => {
    if (timer) return pause();
    if (map.step >= steps.length) go(0);
    by('play').setAttribute('aria-pressed', true);
    by('play').textContent = 'Pause';
    timer = setTimeout(next, 250);
  };
  // From a pass to the one before or behind.
  const pass = (way) => {
    pause();
    const ends = [0, ...steps.flatMap((step, n) => (step.ends ? [n + 1] : []))];
    go((way > 0 ? ends.find((end) => end > map.step) : ends.findLast((end) => end < map.step)) ?? map.step, way > 0);
  };
  by('play').addEventListener('click', play, { signal });
  by('earlier').addEventListener('click', () => pass(-1), { signal });
  by('later').addEventListener('click', () => pass(1), { signal });
  bar.addEventListener('input', () => { pause(); go(Number(bar.value)); }, { signal });
  signal.addEventListener('abort', pause);
  pause();
  say();
  return steps.length < 2 ? {} : { ' ': play, ',': () => pass(-1), '.': () => pass(1) };
};
