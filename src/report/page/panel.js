"use strict";
// The verdict, the list of findings, and the card of the one that is chosen.

const remedies = ["weld", "stitch", "close-gaps", "fill", "collapse", "orient", "drop", "resolve", "absorb",
                  "refit"];
function remediesOf(finding) {
  const words = finding.remedy.toLowerCase().split(/[^a-z-]+/);
  return remedies.filter((r) => words.includes(r));
}
const fateWords = { gone: "mended", left: "left", new: "new" };
const joinable = ["crack", "gap", "hanging-vertex", "near-vertices"];
function fateText(f) {
  const word = f.fate === "gone" && joinable.includes(f.kind) ? "joined" : fateWords[f.fate];
  return `${fateSigns[f.fate]} ${word}`;
}
const fateSigns = { gone: "—", left: "=", new: "+" };

class Panel {
  constructor(page) {
    this.page = page;
    this.shown = { error: true, warning: true, note: true };
    this.closed = new Set();
    this.current = null;
    const by = (id) => document.getElementById(id);
    this.list = by("list");
    this.card = by("card");
    by("search").addEventListener("input", () => this.fill());
    by("fate").addEventListener("change", () => this.fill());
  }

  get model() { return this.page.scene.model; }

  verdict() {
    const m = this.model.packed, v = m.verdict;
    const label = content.models.length > 1 ? `${m.label}: ` : "";
    const file = document.getElementById("file");
    file.textContent = `${label}${m.file} · ${brief(m.triangles)} triangles` +
      (m.volume ? ` · volume ${withUnit(m.volume, m.unit + "³")}` : "") +
      (m.unit_assumed ? ` · ${m.unit} assumed` : "");
    if (m.digest) file.title = m.digest;
    const sentence = document.getElementById("sentence");
    sentence.textContent = v.sentence;
    sentence.dataset.tone = v.tone;
    sentence.dataset.sign = { well: "●", error: "■", open: "◆" }[v.tone];
    document.getElementById("next").textContent = v.next;
    document.getElementById("reasons").replaceChildren(...v.reasons.map((r) => element("li", {}, r)));
    document.title = `${m.file} · Aguja`;
    const counts = { error: 0, warning: 0, note: 0 };
    this.model.findings.forEach((f) => { counts[f.severity] += f.waived ? 0 : 1; });
    document.getElementById("severities").replaceChildren(...Object.keys(counts).map((s) =>
      element("button", { type: "button", "aria-pressed": String(this.shown[s]), "data-severity": s,
                          onclick: () => { this.shown[s] = !this.shown[s]; this.verdict(); this.fill(); } },
              `${severitySigns[s]} ${counts[s]} ${s}${counts[s] === 1 ? "" : "s"}`)));
    const fate = document.getElementById("fate");
    fate.hidden = !content.fates;
    if (content.fates) {
      const kept = fate.value;
      const own = this.page.scene.active === 0 ? ["gone", "left"] : ["left", "new"];
      fate.replaceChildren(element("option", { value: "" }, "any fate"),
        ...own.map((f) => element("option", { value: f }, `${fateSigns[f]} ${fateWords[f]}`)));
      fate.value = own.includes(kept) ? kept : "";
    }
  }

  // Those that search and filters let through, in their order.
  matching() {
    const words = document.getElementById("search").value.toLowerCase().split(/\s+/).filter(Boolean);
    const fate = document.getElementById("fate").value;
    return this.model.findings.filter((f) => {
      if (!this.shown[f.severity] || (fate && f.fate !== fate)) return false;
      const text = `${f.id} ${f.kind} ${partNames(f)} ${f.detail}`.toLowerCase();
      return words.every((w) => text.includes(w));
    });
  }

  fill() {
    const groups = new Map();
    for (const f of this.matching()) {
      if (!groups.has(f.kind)) groups.set(f.kind, []);
      groups.get(f.kind).push(f);
    }
    this.order = [...groups.values()].flat();
    const rows = [];
    const most = 400;
    for (const [kind, findings] of groups) {
      const open = !this.closed.has(kind);
      rows.push(element("button", { class: "kind", type: "button", "aria-expanded": String(open),
        onclick: () => { open ? this.closed.add(kind) : this.closed.delete(kind); this.fill(); } },
        `${open ? "▾" : "▸"} ${kind}`,
        element("small", {}, `${findings.length} ${findings.length === 1 ? "place" : "places"}`)));
      if (!open) continue;
      for (const f of findings.slice(0, most)) rows.push(this.row(f));
      if (findings.length > most) {
        rows.push(element("div", { class: "more" }, `and ${findings.length - most} more; search narrows them down`));
      }
    }
    const unlisted = this.model.packed.total - this.model.findings.length;
    if (unlisted > 0) rows.push(element("div", { class: "more" }, `${brief(unlisted)} lesser findings are not in this page`));
    if (rows.length === 0) {
      rows.push(element("div", { class: "empty" }, this.model.findings.length ? "Nothing matches." : "Nothing was found."));
    }
    this.list.replaceChildren(...rows);
  }

  row(f) {
    const decision = this.page.plan.of(f);
    const sign = f.waived ? "○" : severitySigns[f.severity];
    return element("button", { class: "finding" + (f.waived ? " waived" : ""), type: "button", "data-id": f.id,
        "aria-current": String(f === this.current), "aria-label": `${f.severity} ${f.kind} ${withUnit(f.measure, f.unit)}`,
        onclick: () => this.page.choose(f) },
      element("span", { title: f.severity }, sign),
      element("span", {}, `${f.measures || "count"} `, element("span", { class: "size" }, withUnit(f.measure, f.unit))),
      element("span", {}, decision ? (decision.remedy || "leave") : ""),
      element("span", { class: "where" }, `${pointText(f.place)}${f.part ? " · " + partNames(f) : ""}`),
      f.fate ? element("span", { class: "fate" }, fateText(f)) : null);
  }

  mark() {
    for (const row of this.list.querySelectorAll(".finding")) {
      const own = this.current && row.dataset.id === this.current.id;
      row.setAttribute("aria-current", String(Boolean(own)));
      if (own) row.scrollIntoView({ block: "nearest" });
    }
  }

  step(by) {
    if (!this.order || this.order.length === 0) return;
    const at = this.order.indexOf(this.current);
    const next = at < 0 ? (by > 0 ? 0 : this.order.length - 1) : (at + by + this.order.length) % this.order.length;
    this.closed.delete(this.order[next].kind);
    this.page.choose(this.order[next]);
  }

  describe(f) {
    this.current = f;
    this.mark();
    if (!f) { this.card.hidden = true; return; }
    const k = kindInfo.get(f.kind);
    const line = (name, value) => element("tr", {}, element("td", {}, name), element("td", {}, value));
    const copy = element("button", { type: "button", title: "copy the coordinates",
      onclick: () => this.page.copy(f.place.join(" ")) }, "copy");
    const rows = [line("place", element("span", {}, pointText(f.place) + " ", copy)),
                  line(f.measures || "count", element("b", {}, withUnit(f.measure, f.unit)))];
    if (f.limit !== null) rows.push(line("limit", withUnit(f.limit, f.unit)));
    if (f.widths) rows.push(line("widths", `${brief(f.widths.least)} to ${brief(f.widths.largest)}, median ${brief(f.widths.median)}`));
    rows.push(line("entities", brief(f.count)));
    if (f.part && this.model.packed.parts.length > 1) {
      rows.push(line(f.further_parts.length ? "parts" : "part", partNames(f)));
    }
    if (f.depth !== null) rows.push(line("depth", withUnit(f.depth, this.model.packed.unit)));
    else if (f.reach !== null) rows.push(line("reach", withUnit(f.reach, this.model.packed.unit)));
    if (f.detail) rows.push(line("what", f.detail));
    if (f.cause_of.length) rows.push(line("cause of", f.cause_of.map((c) => `${c.count} ${c.kind}`).join(", ")));
    if (f.waits_for.length) rows.push(line("waits for", f.waits_for.join(", ")));
    if (f.fate) rows.push(line("fate", fateText(f)));
    if (f.waived) rows.push(line("waived", f.waived));
    rows.push(line("id", element("code", {}, f.id)));
    this.card.replaceChildren(
      element("button", { class: "shut", type: "button", "aria-label": "close", onclick: () => this.page.choose(null) }, "×"),
      element("h2", {}, `${f.waived ? "○" : severitySigns[f.severity]} ${f.kind}`),
      element("p", {}, k ? k.what : ""),
      element("table", {}, ...rows),
      element("p", {}, element("b", {}, "Why it matters: "), k ? k.why : ""),
      element("p", {}, element("b", {}, "What mends it: "), f.remedy),
      ...this.page.plan.controls(f),
      element("details", {}, element("summary", {}, "Picture and how it is told"),
        element("pre", {}, k ? k.picture : ""), element("p", {}, k && k.hints ? k.hints : "")));
    this.card.hidden = false;
  }
}

// What the engineer decides, and the file that it becomes.
class Plan {
  constructor(page) {
    this.page = page;
    this.decisions = new Map();
    document.getElementById("save").addEventListener("click", () => this.save());
  }
  of(f) { return this.decisions.get(f.id); }

  decide(findings, decision) {
    for (const f of findings) {
      if (decision) this.decisions.set(f.id, { ...decision, finding: f }); else this.decisions.delete(f.id);
    }
    const n = this.decisions.size;
    const leave = [...this.decisions.values()].filter((d) => !d.remedy).length;
    document.getElementById("decisions").textContent =
      n === 0 ? "Nothing decided yet" : `${n - leave} to mend, ${leave} to leave`;
    document.getElementById("save").disabled = n === 0;
    this.page.panel.fill();
  }

  controls(f) {
    const now = this.of(f);
    const reason = element("input", { type: "text", placeholder: "because …", "aria-label": "reason to leave it" });
    reason.value = now && now.reason ? now.reason : "";
    const choice = element("select", { "aria-label": "decision" },
      element("option", { value: "" }, "undecided"), element("option", { value: "leave" }, "leave it, because …"),
      ...remediesOf(f).map((r) => element("option", { value: r }, `mend: ${r}`)));
    choice.value = now ? now.remedy || "leave" : "";
    const all = element("input", { type: "checkbox" });
    const apply = () => {
      reason.hidden = choice.value !== "leave";
      if (choice.value === "leave" && !reason.value.trim()) { reason.focus(); return; }
      const targets = all.checked ? this.page.panel.matching().filter((g) => g.kind === f.kind) : [f];
      this.decide(targets, choice.value === "" ? null
        : choice.value === "leave" ? { reason: reason.value.trim() } : { remedy: choice.value });
    };
    choice.addEventListener("change", apply);
    reason.addEventListener("change", apply);
    all.addEventListener("change", apply);
    reason.hidden = choice.value !== "leave";
    return [element("div", { class: "row" }, choice), element("div", { class: "row" }, reason),
            element("label", {}, all, ` for every ${f.kind} that is listed`)];
  }

  text() {
    const m = this.page.scene.models[0].packed;
    const quoted = (t) => JSON.stringify(String(t)).replace(/\u007f/g, "\\u007f");
    const reach = 1e-6 * Math.max(...this.page.scene.models[0].box.map(([a, b]) => b - a));
    let text = "# What was decided on the page. `aguja mend --plan` runs it.\n" +
      'format = "aguja-plan"\nversion = 1\n\n[input]\n' + `file = ${quoted(m.file)}\n` +
      (m.digest ? `digest = ${quoted(m.digest)}\n` : "");
    const entry = (d) => {
      const f = d.finding;
      return `id = ${quoted(f.id)}\nkind = ${quoted(f.kind)}\n` + (f.part ? `part = ${quoted(f.part)}\n` : "") +
        `near = [${f.place.join(", ")}]\nwithin = ${quoted(`${reach} ${m.unit}`)}\n`;
    };
    const all = [...this.decisions.values()];
    for (const d of all.filter((x) => x.remedy)) {
      const method = d.method ? `method = ${quoted(d.method)}\n` : "";
      text += `\n[[steps]]\nremedy = ${quoted(d.remedy)}\n${entry(d)}${method}why = "decided on the page"\n`;
    }
    for (const d of all.filter((x) => !x.remedy)) {
      text += `\n[[waivers]]\n${entry(d)}reason = ${quoted(d.reason)}\n`;
    }
    return text;
  }

  save() {
    const link = element("a", { download: "plan.toml" });
    link.href = URL.createObjectURL(new Blob([this.text()], { type: "application/toml" }));
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 10000);
    this.page.say("plan.toml saved");
  }
}
