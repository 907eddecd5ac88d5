"use strict";
// The tool bar, the section plane, measuring, and the colour scale.

class Section {
  constructor(page) {
    this.page = page;
    this.axis = "x";
    this.share = 0.5;
    this.flip = false;
    this.on = false;
    const choice = element("select", { "aria-label": "direction of the section" },
      ...["x", "y", "z", "view"].map((a) => element("option", { value: a }, a === "view" ? "facing you" : `along ${a}`)));
    const slider = element("input", { type: "range", min: "0", max: "1000", "aria-label": "place of the section" });
    slider.value = 500;
    this.value = element("span", {});
    choice.addEventListener("change", () => { this.axis = choice.value; this.facing = null; this.apply(); });
    slider.addEventListener("input", () => { this.share = slider.value / 1000; this.apply(); });
    const turn = element("button", { type: "button", onclick: () => { this.flip = !this.flip; this.apply(); } }, "other side");
    this.slider = slider;
    this.box = element("div", { class: "box", hidden: true }, element("h2", {}, "Section"),
      choice, " ", turn, element("div", {}, slider), this.value);
  }
  toggle() {
    this.on = !this.on;
    this.box.hidden = !this.on;
    this.facing = null;
    this.apply();
  }
  apply() {
    const scene = this.page.scene;
    if (!this.on) { scene.section(null, 0); return; }
    const n = new THREE.Vector3();
    if (this.axis === "view") {
      if (!this.facing) this.facing = new THREE.Vector3(0, 0, 1).applyQuaternion(scene.camera.turn);
      n.copy(this.facing);
    } else {
      n[this.axis] = 1;
    }
    // From the first to the last corner of the box along the direction.
    let low = Infinity, high = -Infinity;
    const b = scene.model.box;
    for (let c = 0; c < 8; ++c) {
      const d = [0, 1, 2].reduce((sum, k) => sum + (b[k][(c >> k) & 1] - origin[k]) * n.getComponent(k), 0);
      low = Math.min(low, d); high = Math.max(high, d);
    }
    const d = low + this.share * (high - low);
    const absolute = d + origin.reduce((sum, o, k) => sum + o * n.getComponent(k), 0);
    this.value.textContent = `${this.axis === "view" ? "at" : this.axis + " ="} ${withUnit(absolute, scene.model.packed.unit)}`;
    this.flip ? scene.section(n.clone().negate(), -d) : scene.section(n, d);
  }
}

// Points picked on the surface: a place, a distance, an angle and radius.
class Measure {
  constructor(page) {
    this.page = page;
    this.points = [];
    this.on = false;
    this.box = element("div", { class: "box", hidden: true });
    page.scene.painters.push((pen) => this.paint(pen));
  }
  toggle() {
    this.on = !this.on;
    this.points = [];
    this.box.hidden = !this.on;
    this.fill();
    this.page.scene.draw();
  }
  add(hit) {
    if (this.points.length === 3) this.points = [];
    this.points.push({ place: hit.place.clone(), within: hit.within, vertex: hit.vertex });
    this.fill();
    this.page.scene.draw();
  }
  fill() {
    const unit = this.page.scene.model.packed.unit;
    const rows = this.points.map((p, i) => {
      const at = [0, 1, 2].map((k) => p.place.getComponent(k) + origin[k]);
      return element("tr", {}, element("td", {}, "ABC"[i]), element("td", {}, pointText(at)),
        element("td", {}, `± ${Number(p.within.toPrecision(2))}${p.vertex ? ", a vertex" : ""} `,
          element("button", { type: "button", title: "copy the coordinates", onclick: () => this.page.copy(at.join(" ")) }, "copy")));
    });
    const say = (name, value) => rows.push(element("tr", {}, element("td", {}, name), element("td", { colspan: "2" }, value)));
    const [a, b, c] = this.points.map((p) => p.place);
    if (b) {
      const d = b.clone().sub(a);
      const within = this.points[0].within + this.points[1].within;
      say("A–B", element("b", {}, `${withUnit(d.length(), unit)} ± ${Number(within.toPrecision(2))}`));
      say("", `Δ ${pointText(d.toArray())}`);
    }
    if (c) {
      const u = a.clone().sub(b), v = c.clone().sub(b);
      say("angle at B", `${brief(Number(((u.angleTo(v) * 180) / Math.PI).toPrecision(6)))}°`);
      const area = u.clone().cross(v).length() / 2;
      if (area > 0) say("radius", withUnit((u.length() * v.length() * a.distanceTo(c)) / (4 * area), unit) + " through A, B, C");
    }
    this.box.replaceChildren(element("h2", {}, "Measure"),
      rows.length ? element("table", {}, ...rows) : "Click on two points for a distance, on a third for angle and radius. Vertices catch.");
  }
  paint(pen) {
    if (!this.on) return;
    const ink = getComputedStyle(document.documentElement).getPropertyValue("--ink");
    const paper = getComputedStyle(document.documentElement).getPropertyValue("--panel");
    const at = this.points.map((p) => this.page.scene.screen(p.place));
    pen.lineWidth = 2;
    pen.strokeStyle = ink;
    pen.beginPath();
    at.forEach((p, i) => (i ? pen.lineTo(p.x, p.y) : pen.moveTo(p.x, p.y)));
    pen.stroke();
    at.forEach((p, i) => label(pen, "ABC"[i], p.x, p.y, ink, paper));
  }
}

function label(pen, text, x, y, ink, paper) {
  pen.font = "bold 12px 'DejaVu Sans', sans-serif";
  const width = pen.measureText(text).width + 10;
  pen.fillStyle = paper;
  pen.strokeStyle = ink;
  pen.lineWidth = 1.5;
  pen.beginPath();
  pen.rect(x + 8, y - 22, width, 18);
  pen.fill();
  pen.stroke();
  pen.beginPath();
  pen.arc(x, y, 3, 0, 7);
  pen.fillStyle = ink;
  pen.fill();
  pen.fillText(text, x + 13, y - 9);
}

// A length that fits in about 120 pixels: 1, 2 or 5 times a power of ten.
function paintScaleBar(page, pen, width, height) {
  const camera = page.scene.camera;
  const pixel = camera.pixel(height);
  const wanted = 130 * pixel;
  const power = Math.pow(10, Math.floor(Math.log10(wanted)));
  const length = [5, 2, 1].map((s) => s * power).find((s) => s <= wanted) || power;
  const style = getComputedStyle(document.documentElement);
  const ink = style.getPropertyValue("--ink");
  const card = document.getElementById("card");
  const right = card.hidden || innerWidth <= 760 ? width - 16 : width - card.offsetWidth - 30;
  const x = right - length / pixel, y = height - 16;
  pen.strokeStyle = ink;
  pen.fillStyle = ink;
  pen.lineWidth = 2;
  pen.beginPath();
  pen.moveTo(x, y - 5); pen.lineTo(x, y); pen.lineTo(right, y); pen.lineTo(right, y - 5);
  pen.stroke();
  pen.font = "12px 'DejaVu Sans', sans-serif";
  pen.textAlign = "center";
  pen.fillText(withUnit(Number(length.toPrecision(3)), page.scene.model.packed.unit), (x + right) / 2, y - 8);
  pen.textAlign = "left";
  // Which way the axes point.
  const turn = camera.turn.clone().conjugate();
  const foot = { x: right - 28, y: y - 62 };
  for (const [name, v] of [["x", [1, 0, 0]], ["y", [0, 1, 0]], ["z", [0, 0, 1]]]) {
    const d = new THREE.Vector3(...v).applyQuaternion(turn);
    pen.beginPath();
    pen.moveTo(foot.x, foot.y);
    pen.lineTo(foot.x + 22 * d.x, foot.y - 22 * d.y);
    pen.stroke();
    pen.fillText(name, foot.x + 31 * d.x - 3, foot.y - 31 * d.y + 4);
  }
}

// Where findings are: their sign at their place; the chosen one in a ring.
function paintMarks(page, pen, width, height) {
  const scene = page.scene, style = getComputedStyle(document.documentElement);
  const paper = style.getPropertyValue("--panel"), ink = style.getPropertyValue("--ink"), mark = style.getPropertyValue("--mark");
  const at = (f) => scene.screen(new THREE.Vector3(...f.place.map((x, k) => x - origin[k])));
  pen.font = "14px 'DejaVu Sans', sans-serif";
  pen.textAlign = "center";
  const most = 600;
  for (const f of (page.marks ? page.panel.order || [] : []).slice(0, most)) {
    if (f === page.panel.current) continue;
    const p = at(f);
    const cut = scene.common.plane.value;
    const beyond = scene.common.cutting.value &&
      f.place.reduce((sum, x, k) => sum + (x - origin[k]) * cut.getComponent(k), 0) > cut.w;
    if (beyond || p.behind || p.x < 0 || p.y < 0 || p.x > width || p.y > height) continue;
    const sign = f.waived ? "○" : severitySigns[f.severity];
    pen.lineWidth = 4;
    pen.strokeStyle = paper;
    pen.strokeText(sign, p.x, p.y + 5);
    pen.fillStyle = ink;
    pen.fillText(sign, p.x, p.y + 5);
  }
  pen.textAlign = "left";
  const f = page.panel.current;
  if (!f) return;
  const p = at(f);
  if (p.behind) return;
  for (const [w, c] of [[6, paper], [2.5, mark]]) {
    pen.lineWidth = w;
    pen.strokeStyle = c;
    pen.beginPath();
    pen.arc(p.x, p.y, 15, 0, 7);
    for (const [dx, dy] of [[1, 0], [-1, 0], [0, 1], [0, -1]]) {
      pen.moveTo(p.x + 15 * dx, p.y + 15 * dy);
      pen.lineTo(p.x + 23 * dx, p.y + 23 * dy);
    }
    pen.stroke();
  }
}

async function fillLegend(page) {
  const box = document.getElementById("legend");
  const scene = page.scene;
  const field = scene.model.fields.find((f) => f.slug === scene.options.colour);
  box.hidden = !field;
  if (!field) return;
  const range = scene.range(field);
  const bar = element("canvas", { width: 220, height: 14 });
  const pen = bar.getContext("2d");
  for (let x = 0; x < 220; ++x) {
    pen.fillStyle = `rgb(${scaleColour(field.smaller_is_worse ? 1 - x / 219 : x / 219).join(",")})`;
    pen.fillRect(x, 0, 1, 14);
  }
  const ticks = [0, 0.5, 1].map((s) => element("span", {}, brief(Number(range.at(s).toPrecision(3)))));
  const row = element("div", { style: "display:flex;justify-content:space-between;width:220px" }, ...ticks);
  box.className = "box";
  box.replaceChildren(element("h2", {}, field.title + (field.unit ? `, ${field.unit}` : "")), bar, row,
    element("small", {}, `${range.logarithmic ? "logarithmic; " : ""}grey: none; dark: ${field.smaller_is_worse ? "small" : "large"}, the worst`));
}

function buildTools(page) {
  const bar = document.getElementById("tools");
  const scene = page.scene;
  const buttons = {};
  const add = (name, text, title, act, pressed) => {
    const b = element("button", { type: "button", title, "data-tool": name, onclick: () => { act(); page.refreshTools(); } }, text);
    if (pressed) buttons[name] = { b, pressed };
    bar.append(b);
  };
  const gap = () => bar.append(element("span", { class: "gap" }));
  add("previous", "◀ previous", "previous finding (p)", () => page.panel.step(-1));
  add("next", "next ▶", "next finding (n)", () => page.panel.step(1));
  add("whole", "whole", "the whole model (f)", () => page.whole());
  gap();
  add("edges", "edges", "edges of all triangles (e)", () => { scene.options.edges = !scene.options.edges; scene.paint(); }, () => scene.options.edges);
  add("borders", "borders", "borders between patches (b)", () => { scene.options.borders = !scene.options.borders; scene.paint(); }, () => scene.options.borders);
  add("through", "see through", "see through the surface (t)", () => { scene.options.through = !scene.options.through; scene.paint(); }, () => scene.options.through);
  add("section", "section", "cut away along a plane (s)", () => page.section.toggle(), () => page.section.on);
  add("normals", "normals", "which way triangles face (o)", () => {
    scene.options.normals = !scene.options.normals;
    if (scene.options.normals) scene.makeNormals();
    scene.normals.show(scene.options.normals);
    scene.draw();
  }, () => scene.options.normals);
  add("marks", "marks", "signs at all findings (k)", () => { page.marks = !page.marks; scene.draw(); }, () => page.marks);
  add("measure", "measure", "distances, angles and radii (m)", () => page.measure.toggle(), () => page.measure.on);
  const colour = element("select", { "aria-label": "colour by", title: "colour by", "data-tool": "colour" });
  colour.addEventListener("change", () => { scene.options.colour = colour.value; scene.paint(); fillLegend(page); });
  bar.append(colour);
  const only = element("select", { "aria-label": "show only", title: "show only", "data-tool": "only" });
  only.addEventListener("change", () => page.showOnly(only.value));
  bar.append(only);
  if (content.trial) {
    gap();
    const fills = element("select", { "aria-label": "fill to look at", title: "fill to look at (x: the next)", "data-tool": "fill" },
      ...content.models.map((m, i) => element("option", { value: i }, i === 0 ? m.label : `fill: ${m.label}`)));
    fills.addEventListener("change", () => page.look(Number(fills.value)));
    bar.append(fills);
    add("swap", "next fill", "the next fill (x)", () => page.swap());
    add("take", "take this fill", "put this fill into the plan", () => page.take(), () => page.isTaken());
  } else if (content.models.length > 1) {
    gap();
    add("swap", "before ⇄ after", "change between before and after (x)", () => page.swap());
  }
  gap();
  add("theme", "◐", "light or dark", () => page.theme());
  add("help", "?", "keys and signs (?)", () => document.getElementById("help").showModal());
  page.refreshTools = () => {
    for (const { b, pressed } of Object.values(buttons)) b.setAttribute("aria-pressed", String(Boolean(pressed())));
    const m = scene.model;
    if (content.trial) {
      bar.querySelector('[data-tool="fill"]').value = scene.active;
      buttons.take.b.disabled = scene.active === 0;
    }
    const options = [["plain", "colour: sides"], ["patches", "colour: patches"],
                     ...m.fields.map((f) => [f.slug, `colour: ${f.slug}`])];
    if (!options.some(([value]) => value === scene.options.colour)) scene.options.colour = "plain";
    colour.replaceChildren(...options.map(([value, text]) => element("option", { value }, text)));
    colour.value = scene.options.colour;
    const kept = only.value;
    only.replaceChildren(element("option", { value: "" }, "all parts"),
      ...(m.packed.parts.length > 1 ? m.packed.parts.map((p, i) => element("option", { value: `part ${i}` }, `only ${p.name || "part " + (i + 1)}`)) : []),
      element("option", { value: "patch" }, "only a patch: click"));
    only.value = [...only.options].some((o) => o.value === kept) ? kept : "";
  };
  page.refreshTools();
}
