"use strict";
// Puts the page together.

class Page {
  async start() {
    const view = document.getElementById("view");
    this.scene = new Scene(view, document.getElementById("over"));
    this.marks = true;
    this.say("unpacking …");
    for (const packed of content.models) this.scene.add(await unpackModel(packed));
    this.plan = new Plan(this);
    this.panel = new Panel(this);
    this.section = new Section(this);
    this.measure = new Measure(this);
    document.getElementById("drawer").append(this.section.box, this.measure.box);
    this.scene.painters.push((pen, w, h) => paintMarks(this, pen, w, h),
                             (pen, w, h) => paintScaleBar(this, pen, w, h));
    this.scene.camera.click = (x, y) => this.click(x, y);
    this.scene.theme();
    this.scene.camera.view(new THREE.Vector3(0.75, -1, 0.6), new THREE.Vector3(0, 0, 1));
    buildTools(this);
    this.fillHelp();
    this.keys();
    this.printing();
    window.matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => this.theme(null));
    this.show(0);
    this.whole(true);
  }

  show(index) {
    this.scene.chosen = new Set();
    this.scene.rim.set(new Float32Array(0), new Float32Array(0));
    this.scene.activate(index);
    this.panel.current = null;
    this.panel.describe(null);
    this.panel.verdict();
    this.panel.fill();
    this.section.apply();
    this.refreshTools();
    fillLegend(this);
    const m = this.scene.model.packed;
    this.say(m.reduced ? `reduced to ${brief(m.shown)} of ${brief(m.triangles)} triangles for viewing; findings and rims are whole` : "");
  }

  // A trial shows one opening filled in several ways; the camera stays.
  look(index) {
    this.show(index);
    const m = this.scene.model.packed;
    this.say(m.note || "");
  }
  trialFinding() {
    return this.scene.models[0].findings.find((f) => f.id === content.trial);
  }
  isTaken() {
    const f = this.trialFinding(), now = f && this.plan.of(f);
    return Boolean(now && now.method === this.scene.model.packed.label);
  }
  take() {
    const f = this.trialFinding(), method = this.scene.model.packed.label;
    if (!f || this.scene.active === 0) return;
    this.plan.decide([f], this.isTaken() ? null : { remedy: "fill", method });
    this.refreshTools();
    this.say(this.isTaken() ? `${method} is in the plan: save it, and run it with --plan` : "taken out of the plan");
  }

  swap() {
    const last = this.panel.current;
    const next = (this.scene.active + 1) % content.models.length;
    if (content.trial) { this.look(next); return; }
    this.show(next);
    if (!last) return;
    // What was looked at, if it is still there.
    const same = this.scene.model.findings.find((f) => f.kind === last.kind && f.fate === "left" &&
      last.fate === "left" && Math.hypot(...f.place.map((x, k) => x - last.place[k])) < this.scene.camera.reach * 0.05);
    if (same) this.choose(same, true);
  }

  // The finding with all that belongs to it, or none.
  choose(f, stay) {
    this.panel.describe(f);
    const scene = this.scene;
    scene.keepSolid = false;
    if (!f) { scene.choose([]); return; }
    const triangles = shownTriangles(scene.model, f);
    scene.choose(triangles);
    if (stay) return;
    const [low, high] = f.box;
    const center = new THREE.Vector3(...low.map((x, k) => (x + high[k]) / 2 - origin[k]));
    const radius = Math.hypot(...low.map((x, k) => high[k] - x)) / 2;
    // A point has no size: enough around it to know where one is.
    scene.camera.flyTo(center, radius > 0 ? 1.5 * radius : scene.camera.reach * 0.02, false, scene.facing(triangles));
  }

  whole(at_once) {
    const b = this.scene.model.box;
    if (!Number.isFinite(b[0][0])) return;
    const center = new THREE.Vector3(...b.map(([low, high], k) => (low + high) / 2 - origin[k]));
    this.scene.camera.flyTo(center, Math.hypot(...b.map(([low, high]) => high - low)) / 2 * 0.72, at_once);
  }

  click(x, y) {
    const hit = this.scene.pick(x, y);
    if (this.measure.on) { if (hit) this.measure.add(hit); return; }
    const only = document.querySelector('[data-tool="only"]');
    if (hit && only.value === "patch") {
      const p = this.scene.model.patches[hit.triangle];
      this.scene.hideAllBut((t) => this.scene.model.patches[t] === p);
      return;
    }
    // The mark under the pointer, else the finding of the triangle, else none.
    const near = (this.panel.order || []).slice(0, 600).find((f) => {
      const p = this.scene.screen(new THREE.Vector3(...f.place.map((v, k) => v - origin[k])));
      return this.marks && !p.behind && Math.hypot(p.x - x, p.y - y) < 10;
    });
    const owner = near || (hit && this.panel.order.find((f) => shownTriangles(this.scene.model, f).includes(hit.triangle)));
    this.choose(owner || null, Boolean(owner && !near));
    if (hit && !owner) {
      const at = [0, 1, 2].map((k) => hit.place.getComponent(k) + origin[k]);
      this.say(`${pointText(at)} ± ${Number(hit.within.toPrecision(2))} ${this.scene.model.packed.unit}, patch ${this.scene.model.patches[hit.triangle]}`);
    }
  }

  showOnly(what) {
    const m = this.scene.model;
    if (what.startsWith("part ")) {
      const p = Number(what.slice(5));
      this.scene.hideAllBut((t) => m.partOf[t] === p);
    } else {
      this.scene.hideAllBut(null);
      if (what === "patch") this.say("click on a patch");
    }
    this.section.apply();
  }

  theme(to) {
    const root = document.documentElement;
    const dark = to === undefined ? root.dataset.theme !== "dark"
                                  : window.matchMedia("(prefers-color-scheme: dark)").matches;
    root.dataset.theme = dark ? "dark" : "light";
    this.scene.theme();
  }

  say(text) {
    document.getElementById("note").textContent = text;
  }
  async copy(text) {
    try {
      await navigator.clipboard.writeText(text);
      this.say(`copied ${text}`);
    } catch {
      this.say(text);
    }
  }

  keys() {
    const press = (name) => document.querySelector(`[data-tool="${name}"]`)?.click();
    const tools = { e: "edges", b: "borders", t: "through", s: "section", o: "normals", k: "marks", m: "measure",
                    x: "swap", f: "whole", n: "next", p: "previous", "?": "help" };
    document.addEventListener("keydown", (e) => {
      if (e.target.matches("input, select, textarea") || e.ctrlKey || e.metaKey || e.altKey) return;
      const camera = this.scene.camera;
      if (tools[e.key]) press(tools[e.key]);
      else if (e.key === "/") document.getElementById("search").focus();
      else if (e.key === "Escape") this.choose(null);
      else if (e.key === "+") camera.zoom(0.8, camera.canvas.clientWidth / 2, camera.canvas.clientHeight / 2);
      else if (e.key === "-") camera.zoom(1.25, camera.canvas.clientWidth / 2, camera.canvas.clientHeight / 2);
      else if (e.key.startsWith("Arrow") && document.activeElement.id === "view") {
        const by = { ArrowLeft: [-30, 0], ArrowRight: [30, 0], ArrowUp: [0, -30], ArrowDown: [0, 30] }[e.key];
        e.shiftKey ? camera.pan(...by) : camera.rotate(...by);
      } else return;
      e.preventDefault();
    });
  }

  fillHelp() {
    const row = (key, text) => element("tr", {}, element("td", {}, element("kbd", {}, key)), element("td", {}, text));
    document.getElementById("help").replaceChildren(
      element("h2", {}, "Keys and signs"),
      element("table", {}, row("n  p", "next, previous finding"), row("f", "the whole model"), row("e", "edges of all triangles"),
        row("b", "borders between patches"), row("t", "see through"), row("s", "section"), row("o", "normals"),
        row("k", "signs at findings"), row("m", "measure"), row("x", "before, after"), row("/", "search"), row("Esc", "choose nothing"),
        row("+  −", "nearer, farther"), row("arrows", "turn; with Shift: move")),
      element("p", {}, "Drag turns, with Shift or the right button it moves, the wheel zooms; two fingers move and zoom."),
      element("p", {}, "■ error: a mesher will fail or fill the wrong space. ◆ warning: it will cost quality or time. ○ note, or waived."),
      element("p", {}, "Dashed blue: naked edges. Thin dark lines: borders of patches. Striped: the back of a face. Dotted: what is chosen."),
      element("button", { type: "button", onclick: () => document.getElementById("help").close() }, "close"));
  }

  // A sheet of paper: verdict, pictures, table.
  printing() {
    window.addEventListener("beforeprint", () => {
      const scene = this.scene, kept = { chosen: this.panel.current, target: scene.camera.target.clone(), distance: scene.camera.distance };
      const shot = (caption) => {
        scene.drawNow();
        const flat = element("canvas", { width: scene.canvas.width, height: scene.canvas.height });
        const pen = flat.getContext("2d");
        pen.drawImage(scene.canvas, 0, 0);
        pen.drawImage(scene.over, 0, 0);
        return element("figure", {}, element("img", { src: flat.toDataURL("image/png"), alt: caption }), element("figcaption", {}, caption));
      };
      // Paper is light.
      const theme = document.documentElement.dataset.theme;
      document.documentElement.dataset.theme = "light";
      scene.theme();
      const pictures = [];
      scene.choose([]);
      this.panel.current = null;
      this.whole(true);
      pictures.push(shot("the whole model"));
      const most = 5;
      for (const f of this.panel.order.slice(0, most)) {
        this.panel.current = f;
        this.choose(f, true);
        const [low, high] = f.box;
        scene.camera.flyTo(new THREE.Vector3(...low.map((x, k) => (x + high[k]) / 2 - origin[k])),
          Math.max(Math.hypot(...low.map((x, k) => high[k] - x)) / 2, scene.camera.reach * 0.01), true);
        pictures.push(shot(`${f.kind}, ${f.measures} ${withUnit(f.measure, f.unit)}`));
      }
      const m = scene.model.packed;
      const cells = (tag, texts) => element("tr", {}, ...texts.map((t) => element(tag, {}, t)));
      document.getElementById("sheet").replaceChildren(
        element("p", {}, `${m.file}${m.digest ? " · " + m.digest : ""}`), element("h1", {}, m.verdict.sentence),
        element("p", {}, m.verdict.next), ...pictures,
        element("table", {}, cells("th", ["", "kind", "measure", "place", "part", "what", "remedy"]),
          ...this.panel.order.slice(0, 200).map((f) => cells("td", [severitySigns[f.severity], f.kind, withUnit(f.measure, f.unit),
            pointText(f.place), partNames(f), f.detail, f.remedy]))));
      document.documentElement.dataset.theme = theme || "light";
      scene.theme();
      this.panel.current = kept.chosen;
      this.choose(kept.chosen, true);
      scene.camera.target.copy(kept.target);
      scene.camera.distance = kept.distance;
      scene.draw();
    });
  }
}

const aguja = new Page();
if (window.matchMedia("(prefers-color-scheme: dark)").matches) document.documentElement.dataset.theme = "dark";
aguja.ready = aguja.start().then(() => { document.body.dataset.ready = "yes"; }, (error) => {
  aguja.say(`This page cannot be shown: ${error.message}`);
  throw error;
});
window.aguja = aguja;
