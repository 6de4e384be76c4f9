// A page of a map in a browser: it draws, its layers switch, a cell shows what it holds, keys move it, it replays how the
// map was made, and moving a large map never holds the browser up for 50 ms. Models are orbited, and are a picture in a
// browser without WebGL.
import { chromium } from 'playwright-core';

const [page, large, boxes] = process.argv.slice(2).map((path) => `file://${path}`);
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium', args: ['--headless=new', '--no-sandbox'],
});
const open = async (url, by = browser) => {
  const tab = await by.newPage({ viewport: { width: 1280, height: 800 } });
  tab.on('pageerror', (error) => { throw error; });
  tab.on('request', (request) => { if (!/^(file|data|blob):/.test(request.url())) throw new Error(`asked for ${request.url()}`); });
  await tab.goto(url);
  await tab.waitForSelector('body[data-ready]');
  await tab.waitForTimeout(300);
  return tab;
};
const expect = (holds, text) => { if (!holds) throw new Error(text); console.log(`ok  ${text}`); };
// What is drawn, without what lies over it.
const drawn = (tab) => tab.evaluate(() => document.getElementById('map').toDataURL());
const shot = async (tab) => (await tab.locator('#map').screenshot()).toString('base64');

const tab = await open(page);
const whole = await shot(tab);
await tab.mouse.click(500, 300);
const told = await tab.innerText('#cell');
expect(/cell\s+\d+, \d+/.test(told) && /terrain\s+\w+/.test(told), 'a cell that is clicked shows what it holds');
await tab.locator('#layers input').first().focus();
const marked = await shot(tab);
expect(marked !== whole, 'the cell is outlined');
for (const kind of ['layers', 'groups', 'passes']) {
  const first = tab.locator(`#${kind} input`).nth(1);
  await first.uncheck();
  await tab.waitForTimeout(200);
  const without = await shot(tab);
  expect(without !== marked, `without one of the ${kind} it looks different`);
  await first.check();
  await tab.waitForTimeout(200);
  expect(await shot(tab) === marked, `with it again it looks as before (${kind})`);
}
await tab.focus('#map');
for (const key of ['+', 'ArrowLeft', 'g', 'c']) {
  const before = await shot(tab);
  await tab.keyboard.press(key);
  await tab.waitForTimeout(200);
  expect(await shot(tab) !== before, `the key ${key} changes the picture`);
}
await tab.keyboard.press('0');
await tab.keyboard.press('Enter');
expect(/cell/.test(await tab.innerText('#cell')), 'Enter shows the middle cell');
await tab.close();

const wide = await open(large);
await wide.evaluate(() => {
  window.longest = 0;
  new PerformanceObserver((list) => list.getEntries().forEach((entry) => { window.longest = Math.max(window.longest, entry.duration); }))
    .observe({ entryTypes: ['longtask'] });
});
await wide.focus('#map');
for (let zoom = 0; zoom < 5; zoom++) {
  await wide.keyboard.press('+');
  for (let step = 0; step < 12; step++) {
    await wide.keyboard.press(step % 2 ? 'ArrowLeft' : 'ArrowUp');
    await wide.waitForTimeout(30);
  }
}
console.log(`    the longest script on 1024 x 1024 cells took ${Math.round(await wide.evaluate('window.longest'))} ms (0: none over 50)`);
await wide.close();

// The way to the map.
const replayed = await open(page);
const done = await drawn(replayed);
await replayed.focus('#step');
await replayed.keyboard.press('Home');
await replayed.waitForTimeout(200);
const empty = await drawn(replayed);
expect(empty !== done && /^0 of/.test(await replayed.inputValue('#at').catch(() => replayed.innerText('#at'))), 'the slider goes back to the empty map');
await replayed.selectOption('#speed', '16');
await replayed.click('#play');
await replayed.waitForFunction(() => { const bar = document.getElementById('step'); return bar.value === bar.max; }, undefined, { polling: 100 });
await replayed.waitForTimeout(800);
expect(await drawn(replayed) === done, 'played to its end it is the map');
await replayed.close();

// Models.
await browser.close();
const deep = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: ['--headless=new', '--no-sandbox', '--use-gl=angle', '--use-angle=swiftshader', '--enable-unsafe-swiftshader'],
});
const models = await open(boxes, deep);
const seen = await shot(models);
const moved = async (text, act) => {
  const before = await shot(models);
  await act();
  await models.waitForTimeout(400);
  expect(await shot(models) !== before, text);
};
await moved('dragging turns the models', async () => {
  await models.mouse.move(400, 300);
  await models.mouse.down();
  await models.mouse.move(520, 260, { steps: 5 });
  await models.mouse.up();
});
await models.focus('#map');
for (const key of ['ArrowLeft', 'Shift+ArrowUp', '+', 'g']) await moved(`the key ${key} changes the view`, () => models.keyboard.press(key));
await moved('levels are cut', () => models.locator('#highest').fill('2'));
await moved('a layer is switched off', () => models.locator('#layers input').first().uncheck());
await models.locator('#layers input').first().check();
await models.locator('#highest').fill('9');
await models.keyboard.press('0');
await models.waitForTimeout(300);
await models.mouse.click(470, 440);
const module = await models.innerText('#cell');
expect(/level \d+/.test(module) && /north: \w+/.test(module) && /poses by its neighbours/.test(module), 'a module that is clicked shows its sides and what else may stand there');
expect(/pass = "collapse"/.test(await models.locator('#cell pre').first().evaluate((node) => node.textContent)), 'it shows the lines of its pass');
await deep.close();

const plain = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium', args: ['--headless=new', '--no-sandbox', '--disable-3d-apis'],
});
const pictured = await open(boxes, plain);
expect(/picture of the models/.test(await pictured.innerText('#cell')) && await shot(pictured) !== seen, 'without WebGL the page shows their picture, and says so');
await plain.close();
