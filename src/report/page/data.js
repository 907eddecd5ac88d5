"use strict";
// What the page was made with, unpacked. Triangles and vertices are numbered as in viewer_mesh.h.

const content = JSON.parse(document.getElementById("content").textContent);
const kindInfo = new Map(content.kinds.map((k) => [k.kind, k]));
const severitySigns = { error: "■", warning: "◆", note: "○" };

async function unpack(text) {
  const letters = atob(text);
  const squeezed = new Uint8Array(letters.length);
  for (let i = 0; i < letters.length; ++i) squeezed[i] = letters.charCodeAt(i);
  const stream = new Blob([squeezed]).stream().pipeThrough(new DecompressionStream("deflate"));
  const raw = new Uint8Array(await new Response(stream).arrayBuffer());
  const n = raw.length / 4;
  const numbers = new Uint32Array(n);
  for (let i = 0; i < n; ++i) {
    numbers[i] = raw[i] | (raw[n + i] << 8) | (raw[2 * n + i] << 16) | (raw[3 * n + i] << 24);
  }
  return numbers;
}

// Coordinates are taken from the middle of the first model, so that single precision holds them.
let origin = null;

async function unpackModel(packed) {
  const [differences, corners, patches, naked, borders] = await Promise.all(
    [packed.positions, packed.corners, packed.patches, packed.naked, packed.borders].map(unpack));
  const vertices = differences.length / 3;
  const low = packed.low, step = packed.step;
  const at = [0, 1, 2].map((axis) => {
    const values = new Float64Array(vertices);
    let last = 0;
    for (let v = 0; v < vertices; ++v) {
      const code = differences[axis * vertices + v];
      last += (code >>> 1) ^ -(code & 1);
      values[v] = low[axis] + step * last;
    }
    return values;
  });
  const box = at.map((values) => {
    let least = Infinity, largest = -Infinity;
    for (const x of values) { if (x < least) least = x; if (x > largest) largest = x; }
    return [least, largest];
  });
  const largest = Math.max(0, ...box.map(([a, b]) => b - a));
  if (Number.isFinite(largest)) smallest = Math.max(smallest, 1e-9 * largest);
  if (!origin) origin = box.map(([a, b]) => (a <= b ? (a + b) / 2 : 0));
  const points = new Float32Array(3 * vertices);
  for (let v = 0; v < vertices; ++v) {
    for (let axis = 0; axis < 3; ++axis) points[3 * v + axis] = at[axis][v] - origin[axis];
  }
  const triangles = new Uint32Array(corners.length);
  let next = 0;
  for (let i = 0; i < corners.length; ++i) {
    triangles[i] = next - corners[i];
    if (corners[i] === 0) ++next;
  }
  const partOf = new Uint16Array(triangles.length / 3);
  let begin = 0;
  packed.parts.forEach((part, p) => { partOf.fill(p, begin, part.end); begin = part.end; });
  const model = {
    packed, points, triangles, patches, naked, borders, partOf, box,
    count: triangles.length / 3,
    findings: packed.inspection.findings,
    fields: packed.fields.map((f) => ({ ...f, numbers: null })),
    source: packed.source ? await unpack(packed.source) : null,
  };
  if (content.fates) {
    const fates = content.fates[content.models.indexOf(packed)];
    model.findings.forEach((f, i) => { f.fate = fates[i]; });
  }
  return model;
}

// All parts that a finding is about.
function partNames(finding) {
  return [finding.part, ...finding.further_parts.map((p) => p.part)].join(", ");
}

// Triangles as shown of a finding's triangles, which are numbered as in the model.
function shownTriangles(model, finding) {
  if (!model.source) return finding.triangles;
  const found = [];
  for (const t of finding.triangles) {
    let low = 0, high = model.source.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (model.source[middle] < t) low = middle + 1; else high = middle;
    }
    if (model.source[low] === t) found.push(low);
  }
  return found;
}

async function fieldValues(field) {
  if (!field.numbers) field.numbers = await unpack(field.values);
  return field.numbers;
}

// Six significant digits, as in the terminal; blanks part the thousands.
function brief(x) {
  if (x === null || x === undefined) return "";
  if (Number.isInteger(x) && Math.abs(x) < 1e15) {
    return String(x).replace(/\B(?=(\d{3})+(?!\d))/g, " ");
  }
  const size = Math.abs(x);
  if (size < 1e-4 || size >= 1e15) return x.toExponential(5).replace(/\.?0*e/, "e");
  return String(Number(x.toPrecision(6)));
}
function withUnit(x, unit) {
  if (!unit || unit === "count" || unit === "ratio") return brief(x);
  const sign = unit.replace(/\^?2$/, "²").replace(/\^?3$/, "³");
  return /^deg/.test(unit) ? `${brief(x)}°` : `${brief(x)} ${sign}`;
}
// What is nothing against the model's size is shown as nothing.
let smallest = 0;
function pointText(p) { return `(${p.map((x) => brief(Math.abs(x) < smallest ? 0 : x)).join(", ")})`; }

function element(tag, properties, ...children) {
  const e = document.createElement(tag);
  for (const [key, value] of Object.entries(properties || {})) {
    if (key === "class") e.className = value;
    else if (key.startsWith("on")) e.addEventListener(key.slice(2), value);
    else if (key in e && typeof value !== "string") e[key] = value;
    else e.setAttribute(key, value);
  }
  e.append(...children.filter((c) => c !== null && c !== undefined));
  return e;
}
