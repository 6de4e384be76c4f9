// What three.js sees in a GLB: the names of what stands, how many there are, and the box around all.
import { createServer } from 'node:http';
import { readFileSync } from 'node:fs';
import { chromium } from 'playwright-core';

const glb = readFileSync(process.argv[2]);
const page = `<!doctype html><script type="importmap">{ "imports": {
  "three": "/node_modules/three/build/three.module.js", "three/addons/": "/node_modules/three/examples/jsm/" } }</script>
<script type="module">
import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
try {
  const { scene } = await new GLTFLoader().loadAsync('/map.glb');
  scene.updateMatrixWorld(true);
  const names = {}, box = new THREE.Box3(), point = new THREE.Vector3(), each = new THREE.Matrix4();
  const count = (extras) => {
    const name = extras.tile ?? extras.item ?? 'ground';
    names[name] = (names[name] ?? 0) + 1;
  };
  scene.traverse((one) => {
    const standing = one.isMesh || one.children.some((child) => child.isMesh);
    if (one.userData.cell && standing) count(one.userData);
    if (one.userData.each) one.userData.each.forEach(count);
    if (!one.isMesh) return;
    const points = one.geometry.attributes.position;
    for (let instance = 0; instance < (one.isInstancedMesh ? one.count : 1); instance++) {
      if (one.isInstancedMesh) one.getMatrixAt(instance, each);
      for (let index = 0; index < points.count; index++) {
        point.fromBufferAttribute(points, index);
        if (one.isInstancedMesh) point.applyMatrix4(each);
        box.expandByPoint(point.applyMatrix4(one.matrixWorld));
      }
    }
  });
  window.seen = { names, bounds: [box.min.toArray(), box.max.toArray()] };
} catch (error) { window.seen = { error: String(error) }; }
</script>`;
const server = createServer((request, response) => {
  const path = decodeURIComponent(request.url.split('?')[0]);
  if (path === '/') return response.setHeader('content-type', 'text/html').end(page);
  if (path === '/map.glb') return response.end(glb);
  if (!path.startsWith('/node_modules/three/')) return response.writeHead(404).end();
  response.setHeader('content-type', 'text/javascript').end(readFileSync(`.${path}`));
}).listen(0, '127.0.0.1');
await new Promise((done) => server.once('listening', done));
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: ['--headless=new', '--no-sandbox', '--use-angle=swiftshader', '--enable-unsafe-swiftshader'],
});
const tab = await browser.newPage();
await tab.goto(`http://127.0.0.1:${server.address().port}/`);
await tab.waitForFunction('window.seen', undefined, { timeout: 60000 });
const seen = await tab.evaluate('window.seen');
await browser.close();
server.close();
if (seen.error) throw new Error(seen.error);
console.log(JSON.stringify(seen));
