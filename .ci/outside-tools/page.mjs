// A page of a map in a browser: it draws, its layers switch, a cell tells what it holds, keys move it, and moving a
// large map never holds the browser up for 50 ms.
import { chromium } from 'playwright-core';

const [page, large, boxes] = process.argv.slice(2).map((path) => `file://${path}`);
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium', args: ['--headless=new', '--no-sandbox'],
});
const open = async (url) => {
  const tab = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  tab.on('pageerror', (error) => { throw error; });
  tab.on('request', (request) => { if (!/^(file|data|blob):/.test(request.url())) throw new Error(`asked for ${request.url()}`); });
  await tab.goto(url);
  await tab.waitForSelector('body[data-ready]');
  await tab.waitForTimeout(300);
  return tab;
};
const expect = (holds, text) => { if (!holds) throw new Error(text); console.log(`ok  ${text}`); };
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

const models = await open(boxes);
expect(/picture of the models/.test(await models.innerText('#cell')), 'a page of models shows their picture');
await browser.close();
