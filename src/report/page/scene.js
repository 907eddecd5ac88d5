"use strict";
// Drawing: triangles with what is to be told of each in a texture, lines of even width, labels.

const stateWidth = 2048;
const hiddenBit = 1, chosenBit = 2;

const surfaceVertex = `
uniform sampler2D state;
flat varying vec4 vState;
varying vec3 vCorner;
varying vec3 vModel;
varying vec3 vEye;
void main() {
  int t = gl_VertexID / 3;
  int c = gl_VertexID - 3 * t;
  vState = texelFetch(state, ivec2(t % ${stateWidth}, t / ${stateWidth}), 0);
  vCorner = vec3(c == 0, c == 1, c == 2);
  vModel = position;
  vec4 eye = modelViewMatrix * vec4(position, 1.0);
  vEye = eye.xyz;
  gl_Position = projectionMatrix * eye;
}`;
const surfaceFragment = `
uniform vec4 plane;
uniform bool cutting;
uniform int part;       // 0: what is drawn solid; 1: what is drawn through
uniform bool through;   // is all but what is chosen drawn through?
uniform bool coloured;
uniform bool edges;
uniform float opacity;
uniform vec3 front, backA, backB, mark, edge;
flat varying vec4 vState;
varying vec3 vCorner;
varying vec3 vModel;
varying vec3 vEye;
void main() {
  int bits = int(vState.a * 255.0 + 0.5);
  bool chosen = (bits & ${chosenBit}) != 0;
  if ((bits & ${hiddenBit}) != 0) discard;
  if (cutting && dot(vModel, plane.xyz) > plane.w) discard;
  bool solid = !through || chosen;
  if ((part == 0) != solid) discard;
  vec3 n = normalize(cross(dFdx(vEye), dFdy(vEye)));
  float light = 0.52 + 0.55 * max(dot(n, normalize(vec3(0.3, 0.45, 1.0))), 0.0);
  vec3 colour = coloured ? vState.rgb : front;
  // The chosen are told by a pattern of dots, back sides by stripes.
  if (chosen) {
    vec2 cell = mod(gl_FragCoord.xy, 7.0) - 3.5;
    colour = mix(coloured ? vState.rgb : mark, vec3(1.0), dot(cell, cell) < 2.6 ? 0.65 : 0.0);
  }
  if (!gl_FrontFacing) {
    float stripe = mod(gl_FragCoord.x + gl_FragCoord.y, 9.0);
    vec3 back = stripe < 4.5 ? backA : backB;
    colour = chosen ? (stripe < 4.5 ? mark : backB) : back;
  }
  colour *= light;
  if (edges) {
    vec3 width = fwidth(vCorner);
    vec3 near = smoothstep(vec3(0.0), width * 1.1, vCorner);
    colour = mix(edge, colour, 0.35 + 0.65 * min(near.x, min(near.y, near.z)));
  }
  gl_FragColor = vec4(colour, part == 1 ? opacity : 1.0);
}`;
const lineVertex = `
attribute vec3 a, b;
uniform vec2 size;
uniform float width;
varying float vAlong;
varying vec3 vModel;
void main() {
  vec4 p = projectionMatrix * modelViewMatrix * vec4(a, 1.0);
  vec4 q = projectionMatrix * modelViewMatrix * vec4(b, 1.0);
  vec2 s = p.xy / p.w * size * 0.5, t = q.xy / q.w * size * 0.5;
  vec2 along = t - s;
  float length_ = length(along);
  along = length_ > 1e-6 ? along / length_ : vec2(1.0, 0.0);
  vec4 at = position.x < 0.5 ? p : q;
  at.xy += vec2(-along.y, along.x) * position.y * width / size * at.w;
  at.z -= 2e-5 * at.w;
  vAlong = position.x * length_;
  vModel = position.x < 0.5 ? a : b;
  gl_Position = at;
}`;
const lineFragment = `
uniform vec3 colour;
uniform vec2 dash;
uniform vec4 plane;
uniform bool cutting;
uniform float opacity;
varying float vAlong;
varying vec3 vModel;
void main() {
  if (cutting && dot(vModel, plane.xyz) > plane.w) discard;
  if (dash.y > 0.0 && mod(vAlong, dash.x + dash.y) > dash.x) discard;
  gl_FragColor = vec4(colour, opacity);
}`;

class Lines {
  constructor(common, { width, dash = [1, 0], over = false, opacity = 1 }) {
    this.material = new THREE.ShaderMaterial({
      vertexShader: lineVertex, fragmentShader: lineFragment, transparent: true,
      depthTest: !over, depthWrite: false, side: THREE.DoubleSide,
      uniforms: { ...common, width: { value: width }, dash: { value: new THREE.Vector2(...dash) },
                  colour: { value: new THREE.Color() }, opacity: { value: opacity } },
    });
    this.mesh = new THREE.Mesh(new THREE.BufferGeometry(), this.material);
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = over ? 3 : 2;
    this.set(new Float32Array(0), new Float32Array(0));
  }
  set(a, b) {
    this.mesh.geometry.dispose();
    // Four corners a line; instances would be less memory, but drivers without hardware draw them
    // one by one.
    const n = a.length / 3;
    const corners = [[0, 1], [0, -1], [1, 1], [1, -1]];
    const place = new Float32Array(12 * n), from = new Float32Array(12 * n), to = new Float32Array(12 * n);
    const index = new Uint32Array(6 * n);
    for (let i = 0; i < n; ++i) {
      for (let c = 0; c < 4; ++c) {
        const at = 12 * i + 3 * c;
        place[at] = corners[c][0];
        place[at + 1] = corners[c][1];
        for (let k = 0; k < 3; ++k) { from[at + k] = a[3 * i + k]; to[at + k] = b[3 * i + k]; }
      }
      index.set([4 * i, 4 * i + 1, 4 * i + 2, 4 * i + 2, 4 * i + 1, 4 * i + 3], 6 * i);
    }
    const g = new THREE.BufferGeometry();
    g.setAttribute("position", new THREE.BufferAttribute(place, 3));
    g.setAttribute("a", new THREE.BufferAttribute(from, 3));
    g.setAttribute("b", new THREE.BufferAttribute(to, 3));
    g.setIndex(new THREE.BufferAttribute(index, 1));
    this.mesh.geometry = g;
    this.count = a.length / 3;
    this.mesh.visible = this.count > 0 && this.wanted !== false;
  }
  show(wanted) {
    this.wanted = wanted;
    this.mesh.visible = wanted && this.count > 0;
  }
  setPairs(points, pairs) {
    const n = pairs.length / 2;
    const a = new Float32Array(3 * n), b = new Float32Array(3 * n);
    for (let i = 0; i < n; ++i) {
      for (let k = 0; k < 3; ++k) {
        a[3 * i + k] = points[3 * pairs[2 * i] + k];
        b[3 * i + k] = points[3 * pairs[2 * i + 1] + k];
      }
    }
    this.set(a, b);
  }
}

function cssColour(name) {
  return new THREE.Color(getComputedStyle(document.documentElement).getPropertyValue(name).trim());
}

// From light to dark, the worst darkest: told apart with any kind of sight, and in grey.
const scaleStops = [[242, 235, 214], [228, 199, 126], [198, 140, 58], [134, 84, 54], [48, 32, 54]];
function scaleColour(share) {
  const at = Math.min(Math.max(share, 0), 1) * (scaleStops.length - 1);
  const i = Math.min(Math.floor(at), scaleStops.length - 2);
  return [0, 1, 2].map((k) => Math.round(scaleStops[i][k] + (at - i) * (scaleStops[i + 1][k] - scaleStops[i][k])));
}
function patchColour(p) {
  // Neighbouring numbers lie far apart around the circle; light enough for shading.
  const hue = (p * 0.618034) % 1, level = 0.58 + 0.16 * ((p * 0.414214) % 1);
  const c = new THREE.Color().setHSL(hue, 0.32, level);
  return [c.r * 255, c.g * 255, c.b * 255];
}

class Scene {
  constructor(canvas, over) {
    const context = canvas.getContext("webgl2", { antialias: true });
    if (!context) throw new Error("this browser has no WebGL 2");
    this.canvas = canvas;
    this.over = over;
    this.renderer = new THREE.WebGLRenderer({ canvas, context, antialias: true });
    this.scene = new THREE.Scene();
    this.common = { plane: { value: new THREE.Vector4(1, 0, 0, 0) }, cutting: { value: false },
                    size: { value: new THREE.Vector2(1, 1) } };
    this.options = { edges: false, through: false, normals: false, borders: true, colour: "plain" };
    this.chosen = new Set();
    this.models = [];
    this.active = 0;
    this.queued = false;
    this.painters = [];
    this.camera = new Camera(canvas, () => this.draw());
    const c = this.common;
    this.naked = new Lines(c, { width: 3, dash: [9, 5] });
    this.nakedOver = new Lines(c, { width: 2.2, dash: [9, 5], over: true, opacity: 0.45 });
    this.borders = new Lines(c, { width: 1.3, opacity: 0.8 });
    this.rim = new Lines(c, { width: 5, over: true });
    this.outline = new Lines({ ...c, cutting: { value: false } }, { width: 3, over: true });
    this.normals = new Lines(c, { width: 1.3, opacity: 0.9 });
    this.lines = [this.naked, this.nakedOver, this.borders, this.rim, this.outline, this.normals];
    this.lines.forEach((l) => this.scene.add(l.mesh));
    this.normals.show(false);
    new ResizeObserver(() => this.draw()).observe(canvas);
    this.theme();
  }

  theme() {
    const set = (lines, name) => lines.material.uniforms.colour.value.copy(cssColour(name));
    set(this.naked, "--thread");
    set(this.nakedOver, "--thread");
    set(this.borders, "--edge");
    set(this.rim, "--mark");
    set(this.outline, "--mark");
    set(this.normals, "--thread");
    this.renderer.setClearColor(cssColour("--ground"));
    for (const m of this.models) {
      for (const mesh of m.meshes) {
        const u = mesh.material.uniforms;
        u.front.value.copy(cssColour("--front"));
        u.backA.value.copy(cssColour("--back-a"));
        u.backB.value.copy(cssColour("--back-b"));
        u.mark.value.copy(cssColour("--mark"));
        u.edge.value.copy(cssColour("--edge"));
      }
    }
    this.draw();
  }

  add(model) {
    const places = new Float32Array(3 * model.triangles.length);
    for (let i = 0; i < model.triangles.length; ++i) {
      const v = 3 * model.triangles[i];
      places[3 * i] = model.points[v];
      places[3 * i + 1] = model.points[v + 1];
      places[3 * i + 2] = model.points[v + 2];
    }
    model.places = places;
    const rows = Math.max(1, Math.ceil(model.count / stateWidth));
    model.state = new Uint8Array(4 * stateWidth * rows);
    model.texture = new THREE.DataTexture(model.state, stateWidth, rows, THREE.RGBAFormat);
    model.texture.magFilter = model.texture.minFilter = THREE.NearestFilter;
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(places, 3));
    model.meshes = [0, 1].map((part) => {
      const material = new THREE.ShaderMaterial({
        vertexShader: surfaceVertex, fragmentShader: surfaceFragment, side: THREE.DoubleSide,
        transparent: part === 1, depthWrite: part === 0,
        polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1,
        uniforms: { ...this.common, state: { value: model.texture }, part: { value: part },
                    through: { value: false }, coloured: { value: false }, edges: { value: false },
                    opacity: { value: 0.2 }, front: { value: new THREE.Color() },
                    backA: { value: new THREE.Color() }, backB: { value: new THREE.Color() },
                    mark: { value: new THREE.Color() }, edge: { value: new THREE.Color() } },
      });
      const mesh = new THREE.Mesh(geometry, material);
      mesh.frustumCulled = false;
      mesh.renderOrder = part;
      this.scene.add(mesh);
      return mesh;
    });
    model.hidden = null;
    this.models.push(model);
    const b = model.box.map(([low, high], k) => [low - origin[k], high - origin[k]]);
    const far = Math.hypot(...b.map(([low, high]) => Math.max(Math.abs(low), Math.abs(high))));
    if (Number.isFinite(far)) this.camera.reach = Math.max(this.camera.reach, far, 1e-9);
    if (this.models.length === 1) this.camera.reach = Math.max(far, 1e-9);
  }

  get model() { return this.models[this.active]; }

  activate(index) {
    this.active = index;
    const m = this.model;
    this.naked.setPairs(m.points, m.naked);
    this.nakedOver.setPairs(m.points, m.naked);
    this.borders.setPairs(m.points, m.borders);
    if (this.options.normals) this.makeNormals();
    this.paint();
  }

  // What each triangle looks like, and which lines are shown.
  async paint() {
    const m = this.model, state = m.state, o = this.options;
    let colourOf = null;
    if (o.colour === "patches") {
      const known = new Map();
      colourOf = (t) => {
        const p = m.patches[t];
        if (!known.has(p)) known.set(p, patchColour(p));
        return known.get(p);
      };
    } else if (o.colour !== "plain") {
      const field = m.fields.find((f) => f.slug === o.colour);
      if (field) {
        const numbers = await fieldValues(field);
        const range = this.range(field);
        colourOf = (t) => numbers[t] === 65535 ? [150, 150, 150] : scaleColour(range.share(numbers[t]));
      }
    }
    if (m !== this.model) return;
    for (let t = 0; t < m.count; ++t) {
      let bits = 0;
      if (m.hidden && m.hidden[t]) bits |= hiddenBit;
      if (this.chosen.has(t)) bits |= chosenBit;
      if (colourOf) {
        const c = colourOf(t);
        state[4 * t] = c[0]; state[4 * t + 1] = c[1]; state[4 * t + 2] = c[2];
      }
      state[4 * t + 3] = bits;
    }
    m.texture.needsUpdate = true;
    const faded = this.chosen.size > 0 && !this.keepSolid;
    for (const model of this.models) {
      for (const mesh of model.meshes) {
        const u = mesh.material.uniforms;
        u.through.value = o.through || faded;
        u.coloured.value = colourOf !== null;
        u.edges.value = o.edges;
        u.opacity.value = o.through && !faded ? 0.28 : 0.17;
      }
      model.meshes[0].visible = model === m;
      model.meshes[1].visible = model === m && (o.through || faded);
    }
    this.borders.show(o.borders);
    this.draw();
  }

  // How a field's 16 bits are spread over the scale: by logarithm if they span much.
  range(field) {
    const { least, largest } = field;
    const logarithmic = least > 0 && largest / least > 50;
    const value = (n) => least + ((largest - least) * n) / 65534;
    const part = logarithmic
      ? (n) => Math.log(value(n) / least) / Math.log(largest / least)
      : (n) => n / 65534;
    const at = logarithmic ? (s) => least * Math.pow(largest / least, s) : (s) => least + s * (largest - least);
    const share = field.smaller_is_worse ? (n) => 1 - part(n) : part;
    return { logarithmic, share, at, value };
  }

  choose(triangles) {
    const m = this.model;
    this.chosen = new Set(triangles);
    // Two vertices in one number, exact up to 94 million of them.
    const key = (a, b) => (a < b ? a * 94906265 + b : b * 94906265 + a);
    if (!m.nakedKeys) {
      m.nakedKeys = new Set();
      for (let i = 0; i < m.naked.length; i += 2) m.nakedKeys.add(key(m.naked[i], m.naked[i + 1]));
    }
    const pairs = [];
    for (const t of m.nakedKeys.size ? triangles : []) {
      for (let c = 0; c < 3; ++c) {
        const a = m.triangles[3 * t + c], b = m.triangles[3 * t + (c + 1) % 3];
        if (m.nakedKeys.has(key(a, b))) pairs.push(a, b);
      }
    }
    this.rim.setPairs(m.points, pairs);
    return this.paint();
  }

  hideAllBut(test) {
    const m = this.model;
    m.hidden = test ? Uint8Array.from({ length: m.count }, (_, t) => (test(t) ? 0 : 1)) : null;
    return this.paint();
  }

  // The mean direction that triangles face, if they face one way.
  facing(triangles) {
    const p = this.model.places, sum = new THREE.Vector3();
    let area = 0;
    for (const t of triangles) {
      const [a, b, c] = [0, 3, 6].map((k) => new THREE.Vector3(p[9 * t + k], p[9 * t + k + 1], p[9 * t + k + 2]));
      const n = b.sub(a).cross(c.sub(a));
      area += n.length();
      sum.add(n);
    }
    return area > 0 && sum.length() > 0.5 * area ? sum.normalize() : null;
  }

  makeNormals() {
    const m = this.model;
    const most = 20000, step = Math.max(1, Math.ceil(m.count / most));
    const a = [], b = [];
    const p = m.places;
    for (let t = 0; t < m.count; t += step) {
      const i = 9 * t;
      const u = [p[i + 3] - p[i], p[i + 4] - p[i + 1], p[i + 5] - p[i + 2]];
      const v = [p[i + 6] - p[i], p[i + 7] - p[i + 1], p[i + 8] - p[i + 2]];
      const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
      const length = Math.hypot(...n);
      if (!(length > 0)) continue;
      const size = Math.min(Math.sqrt(length / 2) * 0.8, this.camera.reach * 0.05);
      for (let k = 0; k < 3; ++k) {
        const middle = (p[i + k] + p[i + 3 + k] + p[i + 6 + k]) / 3;
        a.push(middle);
        b.push(middle + (n[k] / length) * size);
      }
    }
    this.normals.set(new Float32Array(a), new Float32Array(b));
  }

  // The plane n.x = d; what lies beyond is taken away. Its cut is outlined.
  section(normal, d) {
    this.common.cutting.value = normal !== null;
    const a = [], b = [];
    if (normal) {
      this.common.plane.value.set(normal.x, normal.y, normal.z, d);
      const m = this.model, p = m.places;
      const height = [0, 0, 0];
      for (let t = 0; t < m.count; ++t) {
        if (m.hidden && m.hidden[t]) continue;
        let above = 0;
        for (let c = 0; c < 3; ++c) {
          const i = 9 * t + 3 * c;
          height[c] = p[i] * normal.x + p[i + 1] * normal.y + p[i + 2] * normal.z - d;
          if (height[c] > 0) ++above;
        }
        if (above === 0 || above === 3) continue;
        const ends = [];
        for (let c = 0; c < 3; ++c) {
          const e = (c + 1) % 3;
          if (height[c] > 0 === height[e] > 0) continue;
          const s = height[c] / (height[c] - height[e]);
          for (let k = 0; k < 3; ++k) {
            ends.push(p[9 * t + 3 * c + k] + s * (p[9 * t + 3 * e + k] - p[9 * t + 3 * c + k]));
          }
        }
        a.push(ends[0], ends[1], ends[2]);
        b.push(ends[3], ends[4], ends[5]);
      }
    }
    this.outline.set(new Float32Array(a), new Float32Array(b));
    this.draw();
  }

  // The nearest visible triangle under a pixel, with the place; a vertex nearby is taken instead.
  pick(x, y) {
    const rect = this.canvas.getBoundingClientRect();
    const lens = this.camera.lens;
    const from = lens.position;
    const ray = new THREE.Vector3((2 * x) / rect.width - 1, 1 - (2 * y) / rect.height, 0.5)
      .unproject(lens).sub(from).normalize();
    const m = this.model, p = m.places;
    const cut = this.common.cutting.value ? this.common.plane.value : null;
    let best = Infinity, hit = -1;
    for (let t = 0; t < m.count; ++t) {
      if (m.hidden && m.hidden[t]) continue;
      const i = 9 * t;
      const ux = p[i + 3] - p[i], uy = p[i + 4] - p[i + 1], uz = p[i + 5] - p[i + 2];
      const vx = p[i + 6] - p[i], vy = p[i + 7] - p[i + 1], vz = p[i + 8] - p[i + 2];
      const hx = ray.y * vz - ray.z * vy, hy = ray.z * vx - ray.x * vz, hz = ray.x * vy - ray.y * vx;
      const a = ux * hx + uy * hy + uz * hz;
      if (a === 0) continue;
      const sx = from.x - p[i], sy = from.y - p[i + 1], sz = from.z - p[i + 2];
      const s = (sx * hx + sy * hy + sz * hz) / a;
      if (s < 0 || s > 1) continue;
      const qx = sy * uz - sz * uy, qy = sz * ux - sx * uz, qz = sx * uy - sy * ux;
      const r = (ray.x * qx + ray.y * qy + ray.z * qz) / a;
      if (r < 0 || s + r > 1) continue;
      const along = (vx * qx + vy * qy + vz * qz) / a;
      if (along <= 0 || along >= best) continue;
      if (cut) {
        const h = (from.x + along * ray.x) * cut.x + (from.y + along * ray.y) * cut.y + (from.z + along * ray.z) * cut.z;
        if (h > cut.w) continue;
      }
      best = along;
      hit = t;
    }
    if (hit < 0) return null;
    const place = from.clone().addScaledVector(ray, best);
    const snap = 9;
    let within = snap, vertex = -1;
    for (let c = 0; c < 3; ++c) {
      const at = this.screen(new THREE.Vector3(p[9 * hit + 3 * c], p[9 * hit + 3 * c + 1], p[9 * hit + 3 * c + 2]));
      const away = Math.hypot(at.x - x, at.y - y);
      if (away < within) { within = away; vertex = c; }
    }
    if (vertex >= 0) place.set(p[9 * hit + 3 * vertex], p[9 * hit + 3 * vertex + 1], p[9 * hit + 3 * vertex + 2]);
    const pixel = (2 * best * Math.tan((lens.fov * Math.PI) / 360)) / rect.height;
    return { triangle: hit, place, vertex: vertex >= 0, within: vertex >= 0 ? m.packed.step : Math.max(pixel / 2, m.packed.step) };
  }

  screen(place) {
    const v = place.clone().project(this.camera.lens);
    return { x: ((v.x + 1) / 2) * this.canvas.clientWidth, y: ((1 - v.y) / 2) * this.canvas.clientHeight,
             behind: v.z > 1 };
  }

  draw() {
    if (this.queued) return;
    this.queued = true;
    requestAnimationFrame(() => { this.queued = false; this.drawNow(); });
  }
  drawNow() {
    const width = this.canvas.clientWidth, height = this.canvas.clientHeight;
    if (width === 0 || height === 0) return;
    const ratio = Math.min(window.devicePixelRatio || 1, 2);
    const size = this.renderer.getSize(new THREE.Vector2());
    if (size.x !== width || size.y !== height || this.renderer.getPixelRatio() !== ratio) {
      this.renderer.setPixelRatio(ratio);
      this.renderer.setSize(width, height, false);
      this.over.width = width * ratio;
      this.over.height = height * ratio;
    }
    this.common.size.value.set(width, height);
    const card = document.getElementById("card");
    const wide = card.offsetWidth > 0.6 * width;
    this.camera.covered = card.hidden || wide ? 0 : card.offsetWidth + 10;
    this.camera.coveredBelow = card.hidden || !wide ? 0 : card.offsetHeight + 10;
    this.camera.update(width, height, performance.now());
    this.renderer.render(this.scene, this.camera.lens);
    const pen = this.over.getContext("2d");
    pen.setTransform(ratio, 0, 0, ratio, 0, 0);
    pen.clearRect(0, 0, width, height);
    this.painters.forEach((paint) => paint(pen, width, height));
  }
}
