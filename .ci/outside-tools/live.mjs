// A page that follows a quilt: it is drawn again when the file is saved, mistakes are shown over the picture, several
// pages follow at once, and many saves in a row end with the last of them.
import { chromium } from 'playwright-core';
import { readFileSync, writeFileSync } from 'node:fs';
import { spawn } from 'node:child_process';

const [tool, quilt, from, to, wrong] = process.argv.slice(2);
const watching = spawn(tool, ['watch', quilt, '--no-open'], { stdio: ['ignore', 'pipe', 'inherit'] });
const url = await new Promise((done) => watching.stdout.once('data', (text) => done(String(text).split('\n')[0])));
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium', args: ['--headless=new', '--no-sandbox'],
});
const expect = (holds, text) => { if (!holds) throw new Error(text); console.log(`ok  ${text}`); };
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
  const began = Date.now();
  writeFileSync(quilt, text.replace(from, to));
  for (const page of [tab, other]) await page.waitForSelector('#status:has-text("cells changed")');
  console.log(`    from the save to the picture on two pages: ${Date.now() - began} ms`);
  expect(await shot() !== first, 'it is drawn again when the file is saved');
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
  await tab.click('#back');
  await tab.waitForFunction(() => !document.getElementById('about').textContent.includes('/1'), undefined, { polling: 100 }).catch(() => {});
} finally {
  await browser.close();
  watching.kill('SIGINT');
}
