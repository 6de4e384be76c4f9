// A page that follows a quilt: it is drawn again when the file is saved, mistakes are shown over the picture, several
// pages follow at once, and many saves in a row end with the last of them and do not fill the memory.
import { chromium } from 'playwright-core';
import { readFileSync, writeFileSync } from 'node:fs';
import { spawn } from 'node:child_process';

const [tool, quilt, from, to, wrong] = process.argv.slice(2);
const watching = spawn(tool, ['watch', quilt, '--no-open'], { stdio: ['ignore', 'pipe', 'inherit'] });
const url = await new Promise((done) => watching.stdout.once('data', (text) => done(String(text).split('\n')[0])));
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium', args: ['--headless=new', '--no-sandbox', '--js-flags=--expose-gc'],
});
const expect = (holds, text) => { if (!holds) throw new Error(text); console.log(`ok  ${text}`); };
const pause = (ms) => new Promise((done) => setTimeout(done, ms));
const open = async () => {
  const tab = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  tab.on('pageerror', (error) => { throw error; });
  await tab.goto(url);
  await tab.waitForSelector('body[data-ready]');
  await tab.waitForTimeout(300);
  return tab;
};
try {
  const [tab, other] = [await open(), await open()];
  const shot = async () => (await tab.locator('#map').screenshot()).toString('base64');
  const text = readFileSync(quilt, 'utf8');
  expect(text.includes(from), `the quilt has ${from}`);
  const first = await shot();
  writeFileSync(quilt, text.replace(from, to));
  for (const page of [tab, other]) await page.waitForSelector('#status:has-text("cells changed")');
  expect(await shot() !== first, 'two pages are drawn again when the file is saved');
  await other.close();
  writeFileSync(quilt, text.replace(from, wrong));
  await tab.waitForSelector('#findings:not([hidden])');
  const told = await tab.innerText('#findings');
  expect(/error:/.test(told) && /:\d+:\d+/.test(told), 'a mistake is shown over the picture, with its place');
  writeFileSync(quilt, text.slice(0, text.length / 2));
  await tab.waitForTimeout(400);
  writeFileSync(quilt, text);
  await tab.waitForSelector('#findings', { state: 'hidden' });
  await tab.waitForTimeout(1600);
  expect(await shot() === first, 'mended, it looks as at first');
  for (let number = 0; number < 200; number++) writeFileSync(quilt, number % 2 ? text : text.replace(from, to));
  await tab.waitForTimeout(2500);
  expect(await shot() === first, 'after 200 saves in a row it shows the last');
  await tab.click('#next');
  await tab.waitForSelector('#about:has-text("/1")');
  expect(await shot() !== first, 'another seed looks different');
  await tab.click('#sheet');
  await tab.waitForSelector('.print >> nth=11');
  await tab.locator('.print').nth(4).click();
  await tab.waitForSelector('#about:has-text("/5")');
  expect(await tab.locator('#seed option').count() === 3, 'a print of the contact sheet is taken; seeds seen are listed');
  await tab.selectOption('#seed', '0');
  await tab.waitForFunction(() => !document.getElementById('about').textContent.includes('/'), undefined, { polling: 100 });

  // From the save to the picture, as the page's own clock has it.
  await tab.evaluate(() => {
    window.frames_ = [];
    new MutationObserver(() => window.frames_.push(Date.now())).observe(document.body, { attributes: true, attributeFilter: ['data-painted'] });
  });
  const took = [];
  for (let number = 0; number < 15; number++) {
    await pause(400);
    const before = await tab.evaluate('window.frames_.length');
    const began = Date.now();
    writeFileSync(quilt, number % 2 ? text : text.replace(from, to));
    await tab.waitForFunction((before) => window.frames_.length > before, before, { polling: 20 });
    took.push(await tab.evaluate((before) => window.frames_[before], before) - began);
  }
  took.sort((a, b) => a - b);
  console.log(`    from the save to the picture: ${took[7]} ms, at most ${took[14]} ms (of 15 saves)`);

  // A thousand saves that are all made: neither program grows.
  const memory = async () => {
    const heap = await tab.evaluate(() => { window.gc(); return performance.memory.usedJSHeapSize; });
    return [Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${watching.pid}/status`, 'utf8'))[1]) / 1024, heap / 2 ** 20];
  };
  const round = async (count) => {
    for (let number = 0; number < count; number++) {
      writeFileSync(quilt, `${number % 2 ? text : text.replace(from, to)}# ${number}\n`);
      await pause(75);
    }
    await pause(500);
    return memory();
  };
  const [early, late] = [await round(200), await round(800)];
  console.log(`    after 200 saves ${early.map(Math.round).join(' and ')} MiB (tool and page), after 1 000 ${late.map(Math.round).join(' and ')} MiB`);
  expect(late[0] < early[0] * 1.25 + 16 && late[1] < early[1] * 1.25 + 16, 'memory stays over 1 000 saves');
  writeFileSync(quilt, text);
} finally {
  await browser.close();
  watching.kill('SIGINT');
}
