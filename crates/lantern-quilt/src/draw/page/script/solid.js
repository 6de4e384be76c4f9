// A map of models, by WebGL 2: each model once for all places where it stands, with the shadow of one light.
const SHADOW = 2048;
const LIGHT = [-0.1, 0.749, 0.655];
const vec = {
  add: (a, b) => [a[0] + b[0], a[1] + b[1], a[2] + b[2]],
  sub: (a, b) => [a[0] - b[0], a[1] - b[1], a[2] - b[2]],
  by: (a, s) => [a[0] * s, a[1] * s, a[2] * s],
  dot: (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2],
  cross: (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]],
  unit: (a) => { const length = Math.hypot(...a) || 1; return [a[0] / length, a[1] / length, a[2] / length]; },
};
// Matrices column by column, as WebGL has them.
const times = (a, b) => {
  const out = new Float32Array(16);
  for (let c = 0; c < 4; c++) for (let r = 0; r < 4; r++) for (let k = 0; k < 4; k++) out[c * 4 + r] += a[k * 4 + r] * b[c * 4 + k];
  return out;
};
const lookAt = (eye, at, up) => {
  const z = vec.unit(vec.sub(eye, at)), x = vec.unit(vec.cross(up, z)), y = vec.cross(z, x);
  return new Float32Array([x[0], y[0], z[0], 0, x[1], y[1], z[1], 0, x[2], y[2], z[2], 0, -vec.dot(x, eye), -vec.dot(y, eye), -vec.dot(z, eye), 1]);
};
const perspective = (angle, aspect, near, far) => {
  const f = 1 / Math.tan(angle / 2);
  return new Float32Array([f / aspect, 0, 0, 0, 0, f, 0, 0, 0, 0, (far + near) / (near - far), -1, 0, 0, 2 * far * near / (near - far), 0]);
};
const orthographic = (radius, far) => new Float32Array([1 / radius, 0, 0, 0, 0, 1 / radius, 0, 0, 0, 0, -2 / far, 0, 0, 0, -1, 1]);

const POINTS = `#version 300 es
layout(location=0) in vec3 point;
layout(location=1) in vec3 normal;
layout(location=2) in vec2 uv;
layout(location=3) in vec4 colour;
layout(location=4) in vec4 place;
layout(location=5) in vec4 turned;
layout(location=6) in uint number;
uniform mat4 camera, light;
out vec3 at, facing;
out vec2 onTexture;
out vec4 tint, inLight;
flat out uint id;
vec3 turn(vec3 v) { return v + 2.0 * cross(turned.xyz, cross(turned.xyz, v) + turned.w * v); }
void main() {
  at = turn(point) * place.w + place.xyz;
  facing = turn(normal);
  onTexture = uv;
  tint = colour;
  id = number;
  inLight = light * vec4(at + normalize(facing) * SHIFT, 1.0);
  gl_Position = camera * vec4(at, 1.0);
}`;
const LIT = `#version 300 es
precision highp float;
precision highp sampler2DShadow;
in vec3 at, facing;
in vec2 onTexture;
in vec4 tint, inLight;
flat in uint id;
uniform sampler2D picture;
uniform sampler2DShadow shadow;
uniform vec4 colour;
uniform vec3 glow, sun, sky, below, towards, behind, ground, middle;
uniform float cutoff, wide;
uniform int kind;
out vec4 result;
float lit() {
  vec3 place = inLight.xyz / inLight.w * 0.5 + 0.5;
  if (any(lessThan(place, vec3(0.0))) || any(greaterThan(place, vec3(1.0)))) return 1.0;
  float sum = 0.0;
  for (int y = -1; y <= 1; y++) for (int x = -1; x <= 1; x++)
    sum += texture(shadow, vec3(place.xy + vec2(x, y) * 1.2 / float(textureSize(shadow, 0).x), place.z - 0.0006));
  return sum / 9.0;
}
void main() {
  if (kind == 2) { result = vec4(float(id & 255u), float(id >> 8 & 255u), float(id >> 16 & 255u), 255.0) / 255.0; }
  vec4 own = colour * tint;
  vec4 seen = texture(picture, onTexture);
  own *= vec4(seen.rgb * seen.rgb, seen.a);
  if (own.a < cutoff) discard;
  if (kind == 2) return;
  vec3 n = normalize(gl_FrontFacing ? facing : -facing);
  if (kind == 1) {
    float far = clamp(1.0 - max(length(at.xz - middle.xz) - wide, 0.0) / wide, 0.0, 1.0);
    float shade = 0.45 + 0.55 * lit();
    result = vec4(sqrt(mix(behind, ground * shade, far * far * (3.0 - 2.0 * far))), 1.0);
    return;
  }
  float face = max(dot(n, towards), 0.0);
  vec3 light = sun * (face > 0.0 ? face * lit() : 0.0) + mix(sky, below, 0.5 - 0.5 * n.y);
  result = vec4(sqrt(clamp(own.rgb * light + glow, 0.0, 1.0)), own.a);
}`;
const DEPTH = `#version 300 es
precision highp float;
in vec2 onTexture;
in vec4 tint;
uniform sampler2D picture;
uniform vec4 colour;
uniform float cutoff;
void main() { if ((colour * tint).a * texture(picture, onTexture).a < max(cutoff, 0.5)) discard; }`;

// Draws models; null in browsers that cannot.
const solidView = (map, state, look) => {
  const { data } = map, models = data.models, canvas = by('solid'), over = by('map');
  const gl = models && canvas.getContext('webgl2', { antialias: true, powerPreference: 'high-performance' });
  if (!gl) return null;
  const module = models.module, shortest = Math.min(...module);
  const compiled = (kind, text) => {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, text);
    gl.compileShader(shader);
    if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader));
    return shader;
  };
  const made = [];
  const keep = (thing, remove) => { made.push([thing, remove]); return thing; };
  const program = (fragments) => {
    const one = keep(gl.createProgram(), 'deleteProgram');
    gl.attachShader(one, compiled(gl.VERTEX_SHADER, POINTS.replace('SHIFT', (shortest * 0.03).toFixed(5))));
    gl.attachShader(one, compiled(gl.FRAGMENT_SHADER, fragments));
    gl.linkProgram(one);
    if (!gl.getProgramParameter(one, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(one));
    const places = new Map();
    return { one, at: (name) => { if (!places.has(name)) places.set(name, gl.getUniformLocation(one, name)); return places.get(name); } };
  };
  const lit = program(LIT), deep = program(DEPTH);

  // --- models and pictures

  const white = keep(gl.createTexture(), 'deleteTexture');
  gl.bindTexture(gl.TEXTURE_2D, white);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, 1, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array([255, 255, 255, 255]));
  const loaded = [];
  const textures = models.textures.map((text) => {
    const texture = keep(gl.createTexture(), 'deleteTexture'), image = new Image();
    image.src = text;
    loaded.push(image.decode().then(() => {
      gl.bindTexture(gl.TEXTURE_2D, texture);
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, image);
      gl.generateMipmap(gl.TEXTURE_2D);
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_LINEAR);
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    }).catch(() => {}));
    return texture;
  });
  const buffer = (values, kind = gl.ARRAY_BUFFER) => {
    const one = keep(gl.createBuffer(), 'deleteBuffer');
    gl.bindBuffer(kind, one);
    gl.bufferData(kind, values, gl.STATIC_DRAW);
    return one;
  };
  const shapes = models.shapes.map((shape) => {
    const places = keep(gl.createBuffer(), 'deleteBuffer');
    let least = [Infinity, Infinity, Infinity], most = [-Infinity, -Infinity, -Infinity];
    const parts = shape.parts.map((part) => {
      const vao = keep(gl.createVertexArray(), 'deleteVertexArray'), points = floatsOf(part.points);
      for (let n = 0; n < points.length; n += 3) for (let a = 0; a < 3; a++) { least[a] = Math.min(least[a], points[n + a]); most[a] = Math.max(most[a], points[n + a]); }
      gl.bindVertexArray(vao);
      [[0, 3, points], [1, 3, floatsOf(part.normals)], [2, 2, part.uvs && floatsOf(part.uvs)], [3, 4, part.colours && floatsOf(part.colours)]].forEach(([at, size, values]) => {
        if (!values) { gl.vertexAttrib4f(at, ...(at === 3 ? [1, 1, 1, 1] : [0, 0, 0, 0])); return; }
        buffer(values);
        gl.enableVertexAttribArray(at);
        gl.vertexAttribPointer(at, size, gl.FLOAT, false, 0, 0);
      });
      gl.bindBuffer(gl.ARRAY_BUFFER, places);
      for (const [at, from] of [[4, 0], [5, 16]]) {
        gl.enableVertexAttribArray(at);
        gl.vertexAttribPointer(at, 4, gl.FLOAT, false, 36, from);
        gl.vertexAttribDivisor(at, 1);
      }
      gl.enableVertexAttribArray(6);
      gl.vertexAttribIPointer(6, 1, gl.UNSIGNED_INT, 36, 32);
      gl.vertexAttribDivisor(6, 1);
      const triangles = new Uint32Array(bytesOf(part.triangles).buffer);
      buffer(triangles, gl.ELEMENT_ARRAY_BUFFER);
      gl.bindVertexArray(null);
      return { ...part, vao, count: triangles.length };
    });
    return { parts, places, least, most, count: 0 };
  });

  // --- what stands

  const numbers = new Uint32Array(bytesOf(models.numbers).buffer), cells = numbersOf(models.cells), places = floatsOf(models.places);
  const spans = models.spans && numbersOf(models.spans);
  const sourceOf = (n) => models.sources[numbers[n * 2 + 1]];
  const isShown = (n) => {
    const source = sourceOf(n), z = cells[n * 3 + 2];
    if (z < state.levels[0] || z > state.levels[1]) return false;
    if (source.group !== undefined && state.groups.has(source.group)) return false;
    const span = { from: spans?.[n * 2], until: spans?.[n * 2 + 1] };
    if (source.kind === 'item') return map.stands(span) && !state.passes.has(source.pass);
    const layer = source.layer < 0 ? null : map.layers[source.layer];
    if (state.hidden.has(layer ? layer.name : 'terrain')) return false;
    if (layer?.decided && layer.size[0] === map.columns) return layer.cells[map.layerIndex(layer, cells[n * 3], cells[n * 3 + 1], z)] === source.entry;
    return map.stands(span);
  };
  let fresh = { has: () => false, since: -1e9 }, dirty = true, shaded = true;
  const gather = () => {
    const part = Math.min((performance.now() - fresh.since) / 260, 1), size = 1 - (1 - part) ** 2;
    const own = shapes.map(() => []);
    for (let n = 0; n < models.count; n++) if (isShown(n)) own[numbers[n * 2]].push(n);
    shapes.forEach((shape, number) => {
      shape.count = own[number].length;
      const all = new Float32Array(shape.count * 9), ids = new Uint32Array(all.buffer);
      own[number].forEach((n, at) => {
        const [x, y, z, qx, qy, qz, scale] = places.subarray(n * 7, n * 7 + 7);
        const grown = part < 1 && fresh.has(n) ? Math.max(size, 0.01) : 1;
        all.set([x, y, z, scale * grown, qx, qy, qz, Math.sqrt(Math.max(1 - qx * qx - qy * qy - qz * qz, 0))], at * 9);
        ids[at * 9 + 8] = n + 1;
      });
      gl.bindBuffer(gl.ARRAY_BUFFER, shape.places);
      gl.bufferData(gl.ARRAY_BUFFER, all, gl.DYNAMIC_DRAW);
    });
    shaded = true;
    dirty = part < 1;
    return dirty;
  };
  // The box around everything, whatever is shown.
  const bounds = (() => {
    const least = [map.left * module[0], map.low * module[1], map.top * module[2]];
    const most = [(map.left + map.columns) * module[0], (map.low + 1) * module[1], (map.top + map.rows) * module[2]];
    for (let n = 0; n < models.count; n++) {
      const shape = shapes[numbers[n * 2]], y = places[n * 7 + 1], scale = places[n * 7 + 6];
      most[1] = Math.max(most[1], y + shape.most[1] * scale);
      least[1] = Math.min(least[1], y + Math.max(shape.least[1], -module[1] * 8) * scale);
    }
    return { least, most };
  })();
  const middle = vec.by(vec.add(bounds.least, bounds.most), 0.5), radius = Math.hypot(...vec.sub(bounds.most, bounds.least)) / 2;

  // --- the camera

  const ANGLE = 0.6;
  const eyeWay = () => { const { yaw, pitch } = state.camera; return [Math.sin(yaw) * Math.cos(pitch), Math.sin(pitch), Math.cos(yaw) * Math.cos(pitch)]; };
  const aspect = () => { const box = over.getBoundingClientRect(); return box.width / Math.max(box.height, 1); };
  const cameraNow = () => {
    const { target, far } = state.camera, eye = vec.add(target, vec.by(eyeWay(), far));
    return { eye, matrix: times(perspective(ANGLE, aspect(), Math.max(far - radius * 2.5, radius * 0.002, far * 0.01), far + radius * 6), lookAt(eye, target, [0, 1, 0])) };
  };
  // Where a point is seen, in pixels of the page.
  const seen = (matrix, [x, y, z], box = over.getBoundingClientRect()) => {
    const [cx, cy, , w] = [0, 1, 2, 3].map((r) => matrix[r] * x + matrix[4 + r] * y + matrix[8 + r] * z + matrix[12 + r]);
    return w <= 0 ? null : [(cx / w + 1) / 2 * box.width, (1 - cy / w) / 2 * box.height];
  };
  const drag = (dx, dy, pans) => {
    const camera = state.camera, box = over.getBoundingClientRect();
    if (pans) {
      const way = eyeWay(), right = vec.unit(vec.cross([0, 1, 0], way)), up = vec.cross(way, right), length = camera.far * 2 * Math.tan(ANGLE / 2) / box.height;
      camera.target = vec.add(camera.target, vec.add(vec.by(right, -dx * length), vec.by(up, dy * length)));
    } else {
      camera.yaw -= dx * 0.006;
      camera.pitch = Math.min(Math.max(camera.pitch + dy * 0.006, -0.2), 1.55);
    }
  };
  const fit = () => {
    state.camera = { yaw: Math.PI / 4, pitch: 0.62, target: middle, far: 1, ...(state.camera && { yaw: state.camera.yaw, pitch: state.camera.pitch }) };
    // The nearest from which everything is seen, by the corners of some of what stands.
    const corners = [], every = Math.ceil(models.count / 1500);
    for (let n = 0; n < models.count; n += every) {
      const { least, most } = shapes[numbers[n * 2]], [x, y, z, , , , scale] = places.subarray(n * 7, n * 7 + 7);
      const wide = Math.max(-least[0], most[0], -least[2], most[2]) * scale;
      if (wide > 0) for (let c = 0; c < 8; c++) corners.push([x + (c & 1 ? wide : -wide), y + (c & 2 ? most[1] : Math.max(least[1], bounds.least[1] - y)) * scale, z + (c & 4 ? wide : -wide)]);
    }
    if (!corners.length) for (let c = 0; c < 8; c++) corners.push([0, 1, 2].map((a) => (c >> a & 1 ? bounds.most : bounds.least)[a]));
    const box = over.getBoundingClientRect();
    const frame = () => {
      const { matrix } = cameraNow(), all = corners.map((corner) => seen(matrix, corner, box));
      if (all.some((at) => !at)) return null;
      const ends = (n) => { let [low, high] = [Infinity, -Infinity]; for (const at of all) { low = Math.min(low, at[n]); high = Math.max(high, at[n]); } return [low, high]; };
      return [ends(0), ends(1)];
    };
    for (let turn = 0; turn < 3; turn++) {
      let [low, high] = [radius * 0.2, radius * 14];
      for (let n = 0; n < 16; n++) {
        state.camera.far = (low + high) / 2;
        const seenNow = frame();
        const fits = seenNow && seenNow[0][1] - seenNow[0][0] < box.width * 0.92 && seenNow[1][1] - seenNow[1][0] < (box.height - 70) * 0.94;
        if (fits) high = state.camera.far; else low = state.camera.far;
      }
      state.camera.far = high;
      const [x, y] = frame();
      drag((box.width - x[0] - x[1]) / 2, (box.height - 50 - y[0] - y[1]) / 2, true);
    }
  };

  // --- drawing

  const shadowTexture = keep(gl.createTexture(), 'deleteTexture'), shadowFrame = keep(gl.createFramebuffer(), 'deleteFramebuffer');
  gl.bindTexture(gl.TEXTURE_2D, shadowTexture);
  gl.texStorage2D(gl.TEXTURE_2D, 1, gl.DEPTH_COMPONENT24, SHADOW, SHADOW);
  for (const [name, value] of [[gl.TEXTURE_COMPARE_MODE, gl.COMPARE_REF_TO_TEXTURE], [gl.TEXTURE_COMPARE_FUNC, gl.LEQUAL], [gl.TEXTURE_MIN_FILTER, gl.LINEAR], [gl.TEXTURE_MAG_FILTER, gl.LINEAR]]) gl.texParameteri(gl.TEXTURE_2D, name, value);
  gl.bindFramebuffer(gl.FRAMEBUFFER, shadowFrame);
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.DEPTH_ATTACHMENT, gl.TEXTURE_2D, shadowTexture, 0);
  gl.bindFramebuffer(gl.FRAMEBUFFER, null);
  const lightMatrix = times(orthographic(radius, radius * 4), lookAt(vec.add(middle, vec.by(LIGHT, radius * 2)), middle, [0, 1, 0]));
  const floor = (() => {
    const vao = keep(gl.createVertexArray(), 'deleteVertexArray'), wide = radius * 30, y = bounds.least[1] - shortest * 0.01;
    gl.bindVertexArray(vao);
    buffer(new Float32Array([-1, 0, -1, 1, 0, -1, -1, 0, 1, 1, 0, 1].map((one, n) => (n % 3 === 1 ? y : middle[n % 3] + one * wide))));
    gl.enableVertexAttribArray(0);
    gl.vertexAttribPointer(0, 3, gl.FLOAT, false, 0, 0);
    gl.bindVertexArray(null);
    return vao;
  })();
  const drawAll = (using, seeThrough) => {
    for (const shape of shapes) if (shape.count) for (const part of shape.parts) {
      if (part.see_through !== seeThrough || !part.count) continue;
      gl.uniform4fv(using.at('colour'), part.colour);
      gl.uniform1f(using.at('cutoff'), part.cutoff ?? 0);
      if (using === lit) gl.uniform3fv(using.at('glow'), part.glow);
      gl.bindTexture(gl.TEXTURE_2D, part.texture === null ? white : textures[part.texture]);
      gl[part.double_sided ? 'disable' : 'enable'](gl.CULL_FACE);
      gl.bindVertexArray(part.vao);
      if (!part.colours) gl.vertexAttrib4f(3, 1, 1, 1, 1);
      gl.drawElementsInstanced(gl.TRIANGLES, part.count, gl.UNSIGNED_INT, 0, shape.count);
    }
    gl.bindVertexArray(null);
  };
  const shade = () => {
    gl.bindFramebuffer(gl.FRAMEBUFFER, shadowFrame);
    gl.viewport(0, 0, SHADOW, SHADOW);
    gl.clear(gl.DEPTH_BUFFER_BIT);
    gl.useProgram(deep.one);
    gl.uniformMatrix4fv(deep.at('camera'), false, lightMatrix);
    gl.uniformMatrix4fv(deep.at('light'), false, lightMatrix);
    gl.uniform1i(deep.at('picture'), 0);
    gl.activeTexture(gl.TEXTURE0);
    drawAll(deep, false);
    gl.bindFramebuffer(gl.FRAMEBUFFER, null);
    shaded = false;
  };
  const uniforms = (kind) => {
    gl.useProgram(lit.one);
    gl.uniform1i(lit.at('kind'), kind);
    gl.uniformMatrix4fv(lit.at('camera'), false, cameraNow().matrix);
    gl.uniformMatrix4fv(lit.at('light'), false, lightMatrix);
    for (const name of ['sun', 'sky', 'below', 'behind', 'ground']) gl.uniform3fv(lit.at(name), models[name]);
    gl.uniform3fv(lit.at('towards'), LIGHT);
    gl.uniform3fv(lit.at('middle'), middle);
    gl.uniform1f(lit.at('wide'), Math.max(bounds.most[0] - bounds.least[0], bounds.most[2] - bounds.least[2]) * 0.62);
    gl.uniform1i(lit.at('picture'), 0);
    gl.uniform1i(lit.at('shadow'), 1);
    gl.activeTexture(gl.TEXTURE1);
    gl.bindTexture(gl.TEXTURE_2D, shadowTexture);
    gl.activeTexture(gl.TEXTURE0);
  };
  const pick = (x, y) => {
    const ratio = canvas.width / over.getBoundingClientRect().width, frame = gl.createFramebuffer(), [w, h] = [canvas.width, canvas.height];
    const [colour, depth] = [gl.createRenderbuffer(), gl.createRenderbuffer()];
    gl.bindFramebuffer(gl.FRAMEBUFFER, frame);
    for (const [one, format, point] of [[colour, gl.RGBA8, gl.COLOR_ATTACHMENT0], [depth, gl.DEPTH_COMPONENT24, gl.DEPTH_ATTACHMENT]]) {
      gl.bindRenderbuffer(gl.RENDERBUFFER, one);
      gl.renderbufferStorage(gl.RENDERBUFFER, format, w, h);
      gl.framebufferRenderbuffer(gl.FRAMEBUFFER, point, gl.RENDERBUFFER, one);
    }
    gl.viewport(0, 0, w, h);
    gl.clearColor(0, 0, 0, 0);
    gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
    gl.disable(gl.BLEND);
    uniforms(2);
    drawAll(lit, false);
    drawAll(lit, true);
    const found = new Uint8Array(4);
    gl.readPixels(Math.floor(x * ratio), h - 1 - Math.floor(y * ratio), 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, found);
    gl.bindFramebuffer(gl.FRAMEBUFFER, null);
    gl.deleteFramebuffer(frame);
    [colour, depth].forEach((one) => gl.deleteRenderbuffer(one));
    return (found[0] | found[1] << 8 | found[2] << 16) - 1;
  };

  // --- over the models

  const raised = (x, y, z) => (z + (map.heights ? map.heights.cells[map.index(x, y, z)] ?? 0 : 0)) * module[1];
  const path = (paper, matrix, points) => {
    const all = points.map((point) => seen(matrix, point));
    if (all.some((one) => !one)) return false;
    paper.beginPath();
    all.forEach((one, n) => paper[n ? 'lineTo' : 'moveTo'](...one));
    paper.closePath();
    return true;
  };
  const floorOf = (x, y, height) => [[0, 0], [1, 0], [1, 1], [0, 1]].map(([dx, dy]) => [(x + dx) * module[0], height, (y + dy) * module[2]]);
  const boxed = (paper, matrix, [x, y, z], colour, width) => {
    const low = raised(x, y, z), high = low + module[1];
    paper.strokeStyle = colour;
    paper.lineWidth = width;
    for (const at of [low, high]) if (path(paper, matrix, floorOf(x, y, at))) paper.stroke();
    const [a, b] = [floorOf(x, y, low), floorOf(x, y, high)];
    a.forEach((corner, n) => { if (path(paper, matrix, [corner, b[n]])) paper.stroke(); });
  };
  const overlay = (paper, ratio, changed) => {
    const { matrix } = cameraNow(), [lowest, highest] = state.levels;
    paper.setTransform(ratio, 0, 0, ratio, 0, 0);
    const each = (call) => { for (let z = lowest; z <= highest; z++) for (let y = map.top; y < map.top + map.rows; y++) for (let x = map.left; x < map.left + map.columns; x++) call(map.index(x, y, z), x, y, z); };
    const mark = markOf(map, state.marks);
    if (mark) each((at, x, y, z) => { const colour = mark(at, x, y); if (colour && path(paper, matrix, floorOf(x, y, raised(x, y, z) + module[1] * 0.03))) { paper.fillStyle = colour; paper.fill(); } });
    for (const one of map.hatched) if (!state.hatched.has(one.name)) each((at, x, y, z) => {
      if (!one.has(at)) return;
      boxed(paper, matrix, [x, y, z], '#241810', 4);
      boxed(paper, matrix, [x, y, z], '#ffc24d', 2);
      const top = raised(x, y, z) + module[1], corners = floorOf(x, y, top);
      for (const [a, b] of [[0, 2], [1, 3]]) if (path(paper, matrix, [corners[a], corners[b]])) { paper.lineWidth = 3; paper.stroke(); }
    });
    if (state.grid) {
      const y = lowest * module[1];
      paper.strokeStyle = 'rgba(20,22,46,.55)';
      paper.lineWidth = 1;
      const line = (a, b) => { if (path(paper, matrix, [a, b])) paper.stroke(); };
      for (let x = 0; x <= map.columns; x++) line([(map.left + x) * module[0], y, map.top * module[2]], [(map.left + x) * module[0], y, (map.top + map.rows) * module[2]]);
      for (let z = 0; z <= map.rows; z++) line([map.left * module[0], y, (map.top + z) * module[2]], [(map.left + map.columns) * module[0], y, (map.top + z) * module[2]]);
    }
    if (state.numbers) {
      paper.font = '12px system-ui, sans-serif';
      paper.textAlign = 'center';
      const write = (text, point) => {
        const at = seen(matrix, point);
        if (!at) return;
        paper.lineWidth = 4;
        paper.strokeStyle = '#14162e';
        paper.strokeText(text, ...at);
        paper.fillStyle = '#efe4c8';
        paper.fillText(text, ...at);
      };
      const y = lowest * module[1], every = Math.max(1, Math.ceil(map.columns / 16));
      for (let x = map.left; x < map.left + map.columns; x += every) write(x, [(x + 0.5) * module[0], y, (map.top + map.rows + 0.4) * module[2]]);
      for (let z = map.top; z < map.top + map.rows; z += every) write(z, [(map.left + map.columns + 0.4) * module[0], y, (z + 0.5) * module[2]]);
    }
    for (const item of data.items) {
      if (!item.marker || state.passes.has(item.pass) || item.cell[2] < lowest || item.cell[2] > highest) continue;
      const [x, y, z] = item.cell, at = seen(matrix, [(x + 0.5) * module[0], raised(x, y, z), (y + 0.5) * module[2]]);
      if (at) pin(paper, ...at, 1, item.number ? `${item.name} ${item.number}` : item.name);
    }
    for (const cell of changed) boxed(paper, matrix, cell, '#fff6da', 1.5);
    if (state.cell) { boxed(paper, matrix, state.cell, '#241810', 5); boxed(paper, matrix, state.cell, '#f0a028', 2.5); }
  };

  return {
    fit,
    cellAt: (x, y) => { const n = pick(x, y); look(); return n < 0 ? null : [...cells.subarray(n * 3, n * 3 + 3)]; },
    forget: () => { dirty = true; look(); },
    grow: (step) => {
      const own = new Set();
      for (let n = 0; n < models.count; n++) {
        const source = sourceOf(n), layer = source.kind === 'tile' && source.layer >= 0 ? map.layers[source.layer] : null;
        if (layer?.decided) {
          const at = map.layerIndex(layer, cells[n * 3], cells[n * 3 + 1], cells[n * 3 + 2]);
          if (step?.patches.some(([to, where]) => to === layer.cells && where.includes(at))) own.add(n);
        } else if (step?.ends && spans && spans[n * 2] === step.stage) own.add(n);
      }
      fresh = { has: (n) => own.has(n), since: performance.now() };
      dirty = true;
      look();
    },
    open: () => {},
    zoomBy: (way) => { state.camera.far = Math.min(Math.max(state.camera.far * (way > 0 ? 0.87 : 1.15), radius * 0.05), radius * 14); },
    drag,
    key: (dx, dy, far) => { if (far) drag(-dx * 60, -dy * 60, true); else drag(-dx * 40, -dy * 40, false); },
    zoomed: () => `${Math.round(radius * 3 / state.camera.far * 100)} %`,
    ready: Promise.all(loaded),
    end: () => { for (const [thing, remove] of made) gl[remove](thing); },
    paint: (paper, ratio, w, h, changed) => {
      if (canvas.width !== w || canvas.height !== h) { canvas.width = w; canvas.height = h; }
      const more = dirty && gather();
      gl.enable(gl.DEPTH_TEST);
      gl.disable(gl.BLEND);
      gl.depthMask(true);
      if (shaded) shade();
      gl.viewport(0, 0, w, h);
      gl.clearColor(...models.behind.map(Math.sqrt), 1);
      gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
      uniforms(1);
      gl.uniform4f(lit.at('colour'), 1, 1, 1, 1);
      gl.uniform1f(lit.at('cutoff'), 0);
      gl.bindTexture(gl.TEXTURE_2D, white);
      gl.disable(gl.CULL_FACE);
      gl.bindVertexArray(floor);
      gl.vertexAttrib3f(1, 0, 1, 0);
      gl.vertexAttrib4f(3, 1, 1, 1, 1);
      gl.vertexAttrib4f(4, 0, 0, 0, 1);
      gl.vertexAttrib4f(5, 0, 0, 0, 1);
      gl.vertexAttribI4ui(6, 0, 0, 0, 0);
      gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
      gl.uniform1i(lit.at('kind'), 0);
      drawAll(lit, false);
      gl.enable(gl.BLEND);
      gl.blendFunc(gl.SRC_ALPHA, gl.ONE_MINUS_SRC_ALPHA);
      gl.depthMask(false);
      drawAll(lit, true);
      gl.depthMask(true);
      paper.clearRect(0, 0, w, h);
      overlay(paper, ratio, changed);
      return more;
    },
  };
};

// The shaded picture, where models cannot be drawn.
const pictureView = (map, state) => {
  const [wide, high] = map.data.picture.size, image = new Image(), canvas = by('map');
  return {
    cellAt: () => null, forget: () => {}, grow: () => {}, open: () => {}, end: () => {},
    fit: () => {
      const box = canvas.getBoundingClientRect();
      state.zoom = Math.min(box.width / wide, box.height / high, 1);
      state.x = (box.width - wide * state.zoom) / 2;
      state.y = (box.height - high * state.zoom) / 2;
    },
    zoomBy: (way, x, y) => {
      const next = Math.min(Math.max(state.zoom * (way > 0 ? 1.25 : 0.8), 0.1), 8);
      state.x = x - (x - state.x) * next / state.zoom;
      state.y = y - (y - state.y) * next / state.zoom;
      state.zoom = next;
    },
    ...moved(state),
    ready: (() => { image.src = map.data.picture.data; return image.decode().catch(() => {}); })(),
    paint: (paper, ratio, w, h) => {
      paper.fillStyle = '#14162e';
      paper.fillRect(0, 0, w, h);
      paper.imageSmoothingEnabled = state.zoom < 1;
      paper.drawImage(image, state.x * ratio, state.y * ratio, wide * state.zoom * ratio, high * state.zoom * ratio);
      return false;
    },
  };
};
